//! A plane mesh one cell thick, or a wedge of it, for solvers that know only space.

use crate::Body;
use crate::body::numbered::Numbered;
use crate::body::{Boundary, Columns, Role, Seam};
use crate::numbers::{counted, four_digits};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::topology::Topology;
use hull_geometry::vector::{add, area_vector, distance, lerp, norm, scale, unit};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use typed_index_collections::TiVec;

/// How the plane becomes space.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum How {
    /// By a thickness across it, half on each side.
    Thickness,
    /// Turned about the x axis by an angle, half on each side.
    Wedge,
}

/// Makes the plane one cell thick.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ExtrudePlane {
    /// In which way.
    pub how: How,
    /// Across the plane.
    pub thickness: f64,
    /// Of a wedge, in degrees.
    pub angle: f64,
}

impl Operation for ExtrudePlane {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Make it one cell thick";
    const HELP: &'static str = "Makes a closed body of a flat mesh: by a thickness across it, or a wedge about the x axis \
                                for flow that is alike all round it. Front, back and the sides get names; sides keep those \
                                of their edges.";

    fn title(&self) -> Sentence {
        match self.how {
            How::Thickness => format!("One cell thick, {}", four_digits(self.thickness)),
            How::Wedge => format!("Wedge of {}°", four_digits(self.angle)),
        }
        .into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "how",
                "By",
                Quantity::Choice(&[("thickness", "a thickness"), ("wedge", "a wedge about x")]),
                "how the plane becomes space",
            )
            .or("thickness"),
            Field::new("thickness", "thickness", Quantity::Length, "across the plane, half on each side"),
            Field::new(
                "angle",
                "angle of the wedge",
                Quantity::Angle(0.1, 45.0),
                "about the x axis, half on each side",
            )
            .or("5"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let b = seen.survey.size.bbox;
        let flat = b.size().into_iter().fold(f64::INFINITY, f64::min) <= 1e-9 * b.diagonal();
        let step = ExtrudePlane { how: How::Thickness, thickness: seen.part(1.0 / 60.0), angle: 5.0 };
        if flat && seen.survey.size.triangles > 0 { Proposal::possible(step) } else { None }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let mesh = &body.mesh;
        let bounds = mesh.bounds();
        let sum = mesh.triangles.keys().fold([0.0; 3], |s, f| add(s, mesh.area_vector(f)));
        let normal = unit(sum).ok_or("The mesh is not flat: mesh the plane first.")?;
        let height = |p: &Point| hull_geometry::vector::dot(*p, normal);
        let (low, high) =
            mesh.points.iter().map(height).fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), h| (a.min(h), b.max(h)));
        if high - low > 1e-6 * bounds.diagonal() {
            return Err("The mesh is not flat: mesh the plane first.".into());
        }
        let topology = Topology::of(mesh, at.watch)?;
        let near = 1e-9 * bounds.diagonal();
        if self.how == How::Wedge {
            if normal[2].abs() < 0.999_999 || low.abs() > 1e-6 * bounds.diagonal() {
                return Err("A wedge is turned about the x axis: the mesh must lie in the plane z = 0.".into());
            }
            if let Some(p) = mesh.points.iter().find(|p| p[1] < -near) {
                return Err(format!(
                    "The mesh crosses the axis of the wedge at {}: all of it must lie where y is above 0.",
                    p.map(four_digits).join(", ")
                )
                .into());
            }
        }
        let made = self.made(body, &topology, normal, near);
        let (front, sides) = (made.1, made.2);
        *body = made.0;
        Ok(format!("Closed: {} in front and behind, {} around.", counted(front, "facet"), counted(sides, "facet"))
            .into())
    }
}

impl ExtrudePlane {
    /// Where a point comes to, in front (1) or behind (−1).
    fn place(&self, p: Point, normal: Point, side: f64) -> Point {
        match self.how {
            How::Thickness => add(p, scale(normal, 0.5 * side * self.thickness)),
            How::Wedge => {
                let (s, c) = (0.5 * side * self.angle).to_radians().sin_cos();
                [p[0], p[1] * c, p[1] * s]
            }
        }
    }

    fn made(&self, body: &Body, topology: &Topology, normal: Point, near: f64) -> (Body, usize, usize) {
        let mesh = &body.mesh;
        let n = mesh.points.next_key();
        let on_axis = |p: PointId| self.how == How::Wedge && mesh.points[p][1].abs() <= near;
        let mut points: TiVec<PointId, Point> = mesh.points.iter().map(|p| self.place(*p, normal, 1.0)).collect();
        points.extend(mesh.points.iter().map(|p| self.place(*p, normal, -1.0)));
        // On the axis both sides are one point.
        let behind = |p: PointId| if on_axis(p) { p } else { p + n };
        let mut out = Mesh { points, triangles: TiVec::new() };
        let mut boundaries: Numbered<String, Boundary> = Numbered::default();
        let mut number = |name: String, role: Option<Role>| -> u32 {
            boundaries.number(name, |name| Boundary::new(name.clone(), role, "extruded"))
        };
        let mut column = Vec::new();
        let region = |f: FacetId| {
            body.columns.boundary.get(f).filter(|b| **b != NONE).and_then(|b| body.facts.boundaries.get(*b as usize))
        };
        let several = body.facts.boundaries.len() > 1;
        for (side, name) in [(true, "front"), (false, "back")] {
            for (f, t) in mesh.triangles.iter_enumerated() {
                out.triangles.push(if side { *t } else { [t[0], t[2], t[1]].map(behind) });
                let name = match region(f).filter(|_| several) {
                    Some(b) => format!("{name} {}", b.name),
                    None => name.to_string(),
                };
                column.push(number(name, Some(Role::Symmetry)));
            }
        }
        let flat = out.triangles.len();
        let names = names_of(&body.facts.seams);
        for e in &topology.open {
            let (a, b) = (e.from, e.to);
            if on_axis(a) && on_axis(b) {
                continue;
            }
            let middle = lerp(mesh.points[a], mesh.points[b], 0.5);
            let found = names.nearest(middle);
            let name = found.unwrap_or_else(|| "sides".into());
            let role = Role::guess(&name);
            let side = number(name, role);
            // The front's edge runs the other way in the side's facet.
            for t in [[b, a, behind(a)], [b, behind(a), behind(b)]] {
                let real = t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
                if real && norm(area_vector(out.points[t[0]], out.points[t[1]], out.points[t[2]])) > 0.0 {
                    out.triangles.push(t);
                    column.push(side);
                }
            }
        }
        let sides = out.triangles.len() - flat;
        out.drop_unused_points();
        let mut facts = body.facts.clone();
        facts.boundaries = boundaries.list();
        facts.seams.clear();
        facts.rules.clear();
        let columns = Columns { boundary: column.into(), ..Columns::default() };
        (Body { facts, mesh: out, columns, ..Body::default() }, flat / 2, sides)
    }
}

/// Named edges by where their middles are.
pub(crate) struct Names<'a> {
    by_middle: HashMap<[i64; 3], &'a str>,
    all: Vec<(Point, &'a str)>,
    step: f64,
}

pub(crate) fn names_of(seams: &[Seam]) -> Names<'_> {
    let all: Vec<(Point, &str)> =
        seams.iter().flat_map(|s| s.lines.iter().map(|l| (lerp(l[0], l[1], 0.5), s.name.as_str()))).collect();
    let size = all.iter().flat_map(|a| a.0).fold(1e-300_f64, |m, x| m.max(x.abs()));
    let step = size * 1e-9;
    let key = |p: &Point| p.map(|x| (x / step).round() as i64);
    let by_middle = all.iter().map(|(p, name)| (key(p), *name)).collect();
    Names { by_middle, all, step }
}

impl Names<'_> {
    /// The name of the edge whose middle this is; near enough where it was moved by rounding.
    pub(crate) fn nearest(&self, p: Point) -> Option<String> {
        let key = p.map(|x| (x / self.step).round() as i64);
        if let Some(name) = self.by_middle.get(&key) {
            return Some((*name).to_string());
        }
        let found = self.all.iter().map(|(q, name)| (distance(*q, p), *name)).min_by(|a, b| a.0.total_cmp(&b.0))?;
        (found.0 <= 1e3 * self.step).then(|| found.1.to_string())
    }
}
