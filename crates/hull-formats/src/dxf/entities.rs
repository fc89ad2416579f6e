//! What each kind of entity is in space: curves under their layer, facets under theirs, or something that is told.

use super::pairs::Record;
use super::place::ellipse;
use crate::affine::Affine;
use crate::bundles::{Bundles, straight};
use crate::{Label, Labels};
use hull_exact::curve::{Curve, Piece};
use hull_exact::nurbs::NurbsCurve;
use hull_geometry::vector::{add, dot, norm, scale, sub};
use hull_geometry::{FacetId, Mesh, Point, PointId, triangulate};
use std::collections::BTreeMap;
use std::f64::consts::TAU;
use typed_index_collections::TiVec;

/// An entity with those that belong to it: the vertices of a polyline.
#[derive(Clone, Debug)]
pub struct Entity<'a> {
    /// Its own pairs.
    pub record: Record<'a>,
    /// Its vertices.
    pub vertices: Vec<Record<'a>>,
}

/// What was read so far.
#[derive(Default)]
pub struct Found {
    /// Curves, by layer.
    pub bundles: Bundles,
    /// Facets of all layers, in one list of points.
    pub mesh: Mesh,
    /// The face that each facet came from.
    pub cell_of: TiVec<FacetId, u32>,
    /// The layer of each facet.
    pub label_of: TiVec<FacetId, u32>,
    /// Layers of facets.
    pub labels: Labels,
    /// Faces as the file counts them.
    pub faces: usize,
    /// Whether what is read now stands mirrored: its faces are turned, so that a closed surface stays as it was.
    mirrored: bool,
    /// What has no geometry that can be used: what, and how often.
    pub skipped: BTreeMap<String, usize>,
    /// What is there for people to read.
    pub annotations: BTreeMap<String, usize>,
}

/// Words that stand for people to read, and what they are called.
const FOR_PEOPLE: [(&str, &str); 12] = [
    ("TEXT", "texts"),
    ("MTEXT", "texts"),
    ("ATTRIB", "texts"),
    ("ATTDEF", "texts"),
    ("DIMENSION", "dimensions"),
    ("ARC_DIMENSION", "dimensions"),
    ("LEADER", "leaders"),
    ("MULTILEADER", "leaders"),
    ("TOLERANCE", "tolerances"),
    ("HATCH", "hatchings"),
    ("VIEWPORT", "viewports of sheets"),
    ("IMAGE", "pictures"),
];

impl Found {
    fn skip(&mut self, what: &str) {
        *self.skipped.entry(what.into()).or_default() += 1;
    }

    /// Takes an entity in; `layer` is where it counts, `placed` where its block stands.
    pub fn entity(&mut self, entity: &Entity, layer: &str, placed: &Affine) {
        let r = &entity.record;
        let word = String::from_utf8_lossy(&r.word).into_owned();
        let own = placed.after(&Affine::of_normal(r.point(210).unwrap_or([0.0, 0.0, 1.0])));
        self.mirrored = placed.mirrors();
        let taken = match word.as_str() {
            "LINE" => self.line(r, layer, placed),
            "CIRCLE" | "ARC" => self.arc(r, &word, layer, &own),
            "ELLIPSE" => self.ellipse(r, layer, placed),
            "SPLINE" => self.spline(r, layer, placed),
            "LWPOLYLINE" => self.light_polyline(r, layer, &own),
            "POLYLINE" => self.polyline(entity, layer, placed, &own),
            "3DFACE" => self.face(&corners(r), layer, placed),
            // The third and the fourth corner change places.
            "SOLID" | "TRACE" => match corners(r)[..] {
                [a, b, c, d] => self.face(&[a, b, d, c], layer, &own),
                ref few => self.face(few, layer, &own),
            },
            "MESH" => self.subdivision(r, layer, placed),
            "POINT" => {
                self.skip("points by themselves");
                Some(())
            }
            "RAY" | "XLINE" => {
                self.skip("lines without an end");
                Some(())
            }
            "3DSOLID" | "BODY" | "REGION" | "SURFACE" | "EXTRUDEDSURFACE" | "LOFTEDSURFACE" | "REVOLVEDSURFACE"
            | "SWEPTSURFACE" | "PLANESURFACE" => {
                self.skip("solids and surfaces in a form that is not open");
                Some(())
            }
            "SEQEND" => Some(()),
            _ => {
                match FOR_PEOPLE.iter().find(|f| f.0 == word) {
                    Some((_, what)) => *self.annotations.entry((*what).into()).or_default() += 1,
                    None => self.skip(&format!("entities “{}”", crate::text::shown(word.as_bytes()))),
                }
                Some(())
            }
        };
        if taken.is_none() {
            self.skip(&format!("{word} whose numbers make no shape"));
        }
    }

    fn line(&mut self, r: &Record, layer: &str, placed: &Affine) -> Option<()> {
        let (from, to) = (placed.point(r.point(10)?), placed.point(r.point(11)?));
        match from == to {
            true => self.skip("lines without length"),
            false => self.bundles.line(layer, from, to),
        }
        Some(())
    }

    fn arc(&mut self, r: &Record, word: &str, layer: &str, own: &Affine) -> Option<()> {
        let radius = r.real(40).filter(|x| *x > 0.0)?;
        let range = match word {
            "CIRCLE" => [0.0, TAU],
            _ => swept(r.real(50)?.to_radians(), r.real(51)?.to_radians()),
        };
        let (u, v) = (own.direction([radius, 0.0, 0.0]), own.direction([0.0, radius, 0.0]));
        let (curve, shift) = ellipse(own.point(r.point(10)?), u, v)?;
        self.bundles.curve(layer, curve, range.map(|t| t - shift));
        Some(())
    }

    fn ellipse(&mut self, r: &Record, layer: &str, placed: &Affine) -> Option<()> {
        let major = r.point(11)?;
        let normal = r.point(210).unwrap_or([0.0, 0.0, 1.0]);
        let normal = scale(normal, 1.0 / norm(normal));
        let minor = scale(hull_geometry::vector::cross(normal, major), r.real(40)?);
        let centre = placed.point(r.point(10)?);
        let (curve, shift) = ellipse(centre, placed.direction(major), placed.direction(minor))?;
        let range = swept(r.real(41).unwrap_or(0.0), r.real(42).unwrap_or(TAU));
        self.bundles.curve(layer, curve, range.map(|t| t - shift));
        Some(())
    }

    fn spline(&mut self, r: &Record, layer: &str, placed: &Affine) -> Option<()> {
        let points: Vec<Point> = r.points(10).into_iter().map(|p| placed.point(p)).collect();
        if points.is_empty() {
            let through: Vec<Point> = r.points(11).into_iter().map(|p| placed.point(p)).collect();
            self.bundles.polyline(layer, &through);
            self.skip("splines told by points to pass only: drawn straight between them");
            return (through.len() > 1).then_some(());
        }
        let weights = r.reals(41);
        let weights = (weights.len() == points.len()).then_some(weights.as_slice());
        let degree = usize::try_from(r.whole(71)).ok().filter(|d| *d > 0 && *d < points.len().max(2))?;
        let curve = NurbsCurve::new(degree, r.reals(40), &points, weights).ok()?;
        let range = curve.knots.domain();
        self.bundles.curve(layer, Curve::Nurbs(Box::new(curve)), range);
        Some(())
    }

    fn light_polyline(&mut self, r: &Record, layer: &str, own: &Affine) -> Option<()> {
        let height = r.real(38).unwrap_or(0.0);
        let mut corners: Vec<(Point, f64)> = Vec::new();
        for (code, value) in &r.pairs {
            let Some(x) = value.real() else { continue };
            match (code, corners.last_mut()) {
                (10, _) => corners.push(([x, 0.0, height], 0.0)),
                (20, Some(last)) => last.0[1] = x,
                (42, Some(last)) => last.1 = x,
                _ => {}
            }
        }
        self.bulged(&corners, r.whole(70) & 1 != 0, layer, own)
    }

    /// A run of straight pieces and arcs: a bulge is the tangent of a quarter of the arc's angle.
    fn bulged(&mut self, corners: &[(Point, f64)], closed: bool, layer: &str, own: &Affine) -> Option<()> {
        let mut pieces = Vec::new();
        let n = corners.len();
        for i in 0..if closed { n } else { n.saturating_sub(1) } {
            let ((from, bulge), (to, _)) = (corners[i], corners[(i + 1) % n]);
            if from == to {
                continue;
            }
            let arc = if bulge == 0.0 { None } else { bulge_arc(from, to, bulge, own) };
            pieces.push(arc.unwrap_or_else(|| straight(own.point(from), own.point(to))));
        }
        (!pieces.is_empty()).then(|| self.bundles.chain(layer, pieces))
    }

    fn polyline(&mut self, entity: &Entity, layer: &str, placed: &Affine, own: &Affine) -> Option<()> {
        let flags = entity.record.whole(70);
        if flags & 64 != 0 {
            return self.polyface(&entity.vertices, layer, placed);
        }
        // Control points of a curve that was fitted are no points of it.
        let of_curve = entity.vertices.iter().filter(|v| v.whole(70) & 16 == 0);
        let corners: Vec<(Point, f64)> =
            of_curve.filter_map(|v| Some((v.point(10)?, v.real(42).unwrap_or(0.0)))).collect();
        let places = |by: &Affine| corners.iter().map(|c| by.point(c.0)).collect::<Vec<Point>>();
        if flags & 16 != 0 {
            let rows = [(71, flags & 1 != 0), (72, flags & 32 != 0)];
            return self.net(&places(placed), rows.map(|(code, closed)| (entity.record.whole(code), closed)), layer);
        }
        if flags & 8 != 0 {
            let mut points = places(placed);
            if flags & 1 != 0 {
                points.extend(points.first().copied());
            }
            self.bundles.polyline(layer, &points);
            return (points.len() > 1).then_some(());
        }
        self.bulged(&corners, flags & 1 != 0, layer, own)
    }

    /// Rows of points with a quadrilateral between neighbours; either direction may be closed.
    fn net(&mut self, points: &[Point], [rows, columns]: [(i64, bool); 2], layer: &str) -> Option<()> {
        let (m, n) = (usize::try_from(rows.0).ok()?, usize::try_from(columns.0).ok()?);
        if m < 2 || n < 2 || m.checked_mul(n)? > points.len() {
            return None;
        }
        for i in 0..if rows.1 { m } else { m - 1 } {
            for j in 0..if columns.1 { n } else { n - 1 } {
                let at = |i: usize, j: usize| points[(i % m) * n + j % n];
                self.polygon(&[at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j + 1)], layer);
            }
        }
        Some(())
    }

    /// Places and faces that name them, from 1; a negative number is an edge that is not drawn.
    fn polyface(&mut self, vertices: &[Record], layer: &str, placed: &Affine) -> Option<()> {
        let is_face = |v: &&Record| v.whole(70) & 128 != 0 && v.whole(70) & 64 == 0;
        let points: Vec<Point> =
            vertices.iter().filter(|v| !is_face(v)).filter_map(|v| Some(placed.point(v.point(10)?))).collect();
        let mut any = None;
        for face in vertices.iter().filter(is_face) {
            let named = (71..=74).map(|code| face.whole(code).unsigned_abs() as usize).filter(|n| *n > 0);
            let corners: Option<Vec<Point>> = named.map(|n| points.get(n - 1).copied()).collect();
            match corners {
                Some(corners) => any = self.polygon(&corners, layer).or(any),
                None => self.skip("faces that name points which are not there"),
            }
        }
        any
    }

    /// Points, then faces as a count with that many numbers from 0.
    fn subdivision(&mut self, r: &Record, layer: &str, placed: &Affine) -> Option<()> {
        if r.whole(91) > 0 {
            self.skip("levels of smoothness: the mesh is taken as it was drawn");
        }
        let points: Vec<Point> = r.points(10).into_iter().map(|p| placed.point(p)).collect();
        let mut numbers = r.pairs.iter().skip_while(|p| p.0 != 93).skip(1).take_while(|p| p.0 == 90);
        let mut next = || numbers.next().and_then(|p| p.1.real()).map(|x| x as i64);
        let mut any = None;
        while let Some(n) = next() {
            let corners: Option<Vec<Point>> = (0..n.clamp(0, points.len() as i64))
                .map(|_| points.get(usize::try_from(next()?).ok()?).copied())
                .collect();
            any = self.polygon(&corners?, layer).or(any);
        }
        any
    }

    fn face(&mut self, corners: &[Point], layer: &str, placed: &Affine) -> Option<()> {
        let corners: Vec<Point> = corners.iter().map(|p| placed.point(*p)).collect();
        // A face of three corners names the third twice.
        let mut corners = corners;
        corners.dedup();
        self.polygon(&corners, layer)
    }

    fn polygon(&mut self, corners: &[Point], layer: &str) -> Option<()> {
        if corners.len() < 3 {
            return None;
        }
        let first = self.mesh.points.next_key();
        let label = self.labels.number(&Label { name: layer.into(), material: None });
        for t in triangulate::face(corners) {
            let [a, b, c] = t.map(|k| first + PointId(k));
            self.mesh.triangles.push(if self.mirrored { [a, c, b] } else { [a, b, c] });
            self.cell_of.push(self.faces as u32);
            self.label_of.push(label);
        }
        self.mesh.points.extend(corners);
        self.faces += 1;
        Some(())
    }
}

/// The corners of a face of three or four.
fn corners(r: &Record) -> Vec<Point> {
    (10..=13).filter_map(|code| r.point(code)).collect()
}

/// From one angle on to the next that is the other: at most a whole turn.
fn swept(from: f64, to: f64) -> [f64; 2] {
    let turn = (to - from).rem_euclid(TAU);
    [from, from + if turn < 1e-12 { TAU } else { turn }]
}

/// The arc between two points of a plane, with the middle of the chord `bulge` times half its length to the right of it.
fn bulge_arc(from: Point, to: Point, bulge: f64, own: &Affine) -> Option<Piece> {
    let chord = sub(to, from);
    let half = 0.5 * norm(chord);
    // The centre lies on the chord's left where the arc turns left by less than half a turn.
    let left = [-chord[1] / (2.0 * half), chord[0] / (2.0 * half), 0.0];
    let off = half * (1.0 - bulge * bulge) / (2.0 * bulge);
    let centre = add(add(from, scale(chord, 0.5)), scale(left, off));
    let start = sub(from, centre);
    let side = [-start[1], start[0], 0.0].map(|x| x * bulge.signum());
    let (curve, shift) = ellipse(own.point(centre), own.direction(start), own.direction(side))?;
    let angle = 4.0 * bulge.abs().atan();
    (dot(start, start) > 0.0).then_some(Piece { curve, range: [-shift, angle - shift] })
}
