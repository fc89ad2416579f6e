//! Volume, area and centroid of the exact body, by Gauss quadrature.
//!
//! An integral over a face is taken round its bounds in the parameter plane (Green): `∬ f du dv = ∮ F dv` with
//! `F(u, v) = ∫ f du` from a fixed u. Both integrals use Gauss–Legendre points between the breaks of curves and
//! surfaces (nodes: M. Abramowitz and I. Stegun, Handbook of Mathematical Functions, table 25.4).

use crate::lift::{Corner, Lifted, Reader, lift};
use crate::locate::Locator;
use crate::sample;
use crate::shape::{Edge, Face, Lump, Shape};
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// Positive nodes and weights of Gauss–Legendre quadrature with ten points on `-1..=1`.
const GAUSS: [(f64, f64); 5] = [
    (0.148_874_338_981_631_2, 0.295_524_224_714_752_87),
    (0.433_395_394_129_247_2, 0.269_266_719_309_996_35),
    (0.679_409_568_299_024_4, 0.219_086_362_515_982_04),
    (0.865_063_366_688_984_5, 0.149_451_349_150_580_6),
    (0.973_906_528_517_171_7, 0.066_671_344_308_688_14),
];

/// Nodes and weights on `a..=b`.
pub(crate) fn gauss(a: f64, b: f64) -> impl Iterator<Item = (f64, f64)> {
    let (mid, half) = (0.5 * (a + b), 0.5 * (b - a));
    GAUSS.into_iter().flat_map(move |(x, w)| [(mid - half * x, w * half), (mid + half * x, w * half)])
}

/// Integrals over a face, seen along its surface's normal.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Integrals {
    /// Of the face.
    pub area: f64,
    /// Signed volume towards the origin it was taken about.
    pub volume: f64,
    /// First moments of that volume.
    pub moment: V3,
}

impl Integrals {
    fn plus(self, o: Integrals, sign: f64) -> Integrals {
        Integrals {
            area: self.area + o.area,
            volume: self.volume + sign * o.volume,
            moment: add(self.moment, scale(o.moment, sign)),
        }
    }

    fn scaled(self, w: f64) -> Integrals {
        Integrals { area: self.area * w, volume: self.volume * w, moment: scale(self.moment, w) }
    }
}

/// Area, volume and centroid of a shape.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    /// Of all its faces.
    pub area: f64,
    /// Volume inside the closed shells, cavities taken out.
    pub volume: f64,
    /// Centroid of that volume; the origin if there is none.
    pub centroid: Point,
    /// Faces whose bounds could not be trusted.
    pub faces_in_doubt: usize,
}

/// The length of an edge, between the breaks of its curve; a stretch that may turn far is taken in parts.
pub fn length(edge: &Edge) -> f64 {
    if edge.curve.is_straight() {
        return norm(sub(edge.curve.point(edge.range[1]), edge.curve.point(edge.range[0])));
    }
    let breaks = edge.curve.breaks(edge.range);
    let parts = (16 / (breaks.len() - 1)).max(2);
    let mut out = 0.0;
    for w in breaks.windows(2) {
        let part = (w[1] - w[0]) / parts as f64;
        for i in 0..parts {
            let start = w[0] + part * i as f64;
            out += gauss(start, start + part).map(|(t, weight)| weight * norm(edge.curve.at(t)[1])).sum::<f64>();
        }
    }
    out
}

/// Integrals over all faces and the figures of the whole.
pub fn figures(shape: &Shape, reader: Reader) -> Figures {
    let (faces, doubts) = of_faces(shape, reader);
    let sum = shape.solids().map(|l| of_lump(shape, &faces, l)).fold(Integrals::default(), |s, l| s.plus(l, 1.0));
    let centroid = match sum.volume.abs() > 0.0 {
        true => add(about(shape), scale(sum.moment, 1.0 / sum.volume)),
        false => [0.0; 3],
    };
    Figures { area: faces.iter().map(|f| f.area).sum(), volume: sum.volume, centroid, faces_in_doubt: doubts }
}

/// Area of a solid or open shell from the integrals over its shape's faces; of a solid also its volume, cavities taken
/// out, and its first moments.
pub fn of_lump(shape: &Shape, faces: &[Integrals], lump: &Lump) -> Integrals {
    let mut out = Integrals::default();
    for (k, shell) in std::iter::once(&lump.outer).chain(&lump.voids).enumerate() {
        let sum = shell.faces.iter().fold(Integrals::default(), |s, &(f, forward)| {
            let same = shape.faces[f as usize].same_sense == forward;
            s.plus(faces[f as usize], if same { 1.0 } else { -1.0 })
        });
        if lump.closed {
            // A shell's own direction is not to be relied on: an outer one adds, a cavity takes away.
            out = out.plus(sum, if (sum.volume >= 0.0) == (k == 0) { 1.0 } else { -1.0 });
        } else {
            out.area += sum.area;
        }
    }
    out
}

fn about(shape: &Shape) -> Point {
    hull_geometry::mesh::Bounds::of(shape.vertices.iter().copied()).centre()
}

/// Integrals over each face, and how many are in doubt.
pub fn of_faces(shape: &Shape, reader: Reader) -> (Vec<Integrals>, usize) {
    let samples = sample::evenly(shape, 6);
    let origin = about(shape);
    let done: Vec<(Integrals, bool)> = shape
        .faces
        .par_iter()
        .map(|face| {
            let locator = Locator::new(&shape.surfaces[face.surface as usize]);
            let lifted = lift(shape, face, &samples, &locator, reader, None);
            (over_face(shape, face, &lifted, &locator, origin), lifted.doubt.is_some())
        })
        .collect();
    let doubts = done.iter().filter(|d| d.1).count();
    (done.into_iter().map(|d| d.0).collect(), doubts)
}

fn over_face(shape: &Shape, _face: &Face, lifted: &Lifted, locator: &Locator, origin: Point) -> Integrals {
    let corners = || lifted.loops.iter().flatten();
    let from = corners().map(|c| c.uv[0]).fold(f64::INFINITY, f64::min);
    let to = corners().map(|c| c.uv[0]).fold(f64::NEG_INFINITY, f64::max);
    if to <= from || from.is_infinite() {
        return Integrals::default();
    }
    let breaks = panels(locator, from, to);
    let high = corners().map(|c| c.uv[1]).fold(f64::NEG_INFINITY, f64::max);
    let low = corners().map(|c| c.uv[1]).fold(f64::INFINITY, f64::min);
    // Along lines of constant v nothing is gained; rounding alone is not worth an integral each.
    let nothing = 1e-12 * (high - low);
    let mut sum = Integrals::default();
    for c in corners() {
        for (w, uv, dv) in nodes(shape, c, locator) {
            if (w * dv).abs() <= nothing {
                continue;
            }
            sum = sum.plus(inner(locator, &breaks, uv, origin).scaled(w * dv), 1.0);
        }
    }
    sum
}

/// Quadrature nodes of one side: weight, place in the plane, and dv along it.
fn nodes(shape: &Shape, c: &Corner, locator: &Locator) -> Vec<(f64, [f64; 2], f64)> {
    let straight = |s: f64| [c.uv[0] + (c.to[0] - c.uv[0]) * s, c.uv[1] + (c.to[1] - c.uv[1]) * s];
    let Some((edge, [a, b])) = c.along else {
        return gauss(0.0, 1.0).map(|(s, w)| (w, straight(s), c.to[1] - c.uv[1])).collect();
    };
    let curve = &shape.edges[edge as usize].curve;
    gauss(0.0, 1.0)
        .map(|(s, w)| {
            let t = a + (b - a) * s;
            let [p, d, _] = curve.at(t);
            let guess = straight(s);
            let (uv, _) = locator.locate(p, Some(guess));
            let [_, su, sv] = locator.surface.first(uv[0], uv[1]);
            // The edge's direction in the parameters, by least squares.
            let (e, f, g) = (dot(su, su), dot(su, sv), dot(sv, sv));
            let (x, y) = (dot(d, su), dot(d, sv));
            let det = e * g - f * f;
            let dv = if det > 1e-14 * e * g { (e * y - f * x) / det * (b - a) } else { c.to[1] - c.uv[1] };
            (w, uv, dv)
        })
        .collect()
}

/// Ends of the pieces in which u is integrated: breaks of the surface, and no piece longer than an eighth turn
/// of a closed one.
fn panels(locator: &Locator, from: f64, to: f64) -> Vec<f64> {
    let mut out = vec![from];
    let own = locator.surface.breaks(0);
    let period = locator.periods[0];
    let shifts: Vec<f64> = match period {
        Some(p) => (-3..=3).map(|k| f64::from(k) * p).collect(),
        None => vec![0.0],
    };
    for s in &shifts {
        out.extend(own.iter().map(|t| t + s).filter(|t| *t > from && *t < to));
    }
    out.push(to);
    out.sort_by(f64::total_cmp);
    out.dedup_by(|next, kept| *next - *kept <= 1e-12 * (to - from));
    let longest = match (locator.surface, period) {
        _ if own.len() > 2 => f64::INFINITY,
        (_, Some(p)) => p / 8.0,
        // Their curves may be long arcs of conics, which ten points do not follow.
        (Surface::Extrusion { .. } | Surface::Ruled { .. } | Surface::Offset { .. }, None) => (to - from) / 6.0,
        _ => f64::INFINITY,
    };
    let mut fine = vec![out[0]];
    for w in out.windows(2) {
        let n = ((w[1] - w[0]) / longest).ceil().max(1.0) as usize;
        fine.extend((1..=n).map(|i| w[0] + (w[1] - w[0]) * i as f64 / n as f64));
    }
    fine
}

/// `∫ f du` from the least u of the face to `uv[0]`, at constant v.
fn inner(locator: &Locator, breaks: &[f64], [u, v]: [f64; 2], origin: Point) -> Integrals {
    let mut sum = Integrals::default();
    for (i, w) in breaks.windows(2).enumerate() {
        // The last piece goes on beyond the end by what rounding asks for; the first one likewise.
        let end = if i + 2 == breaks.len() { u } else { u.min(w[1]) };
        if i > 0 && end <= w[0] {
            break;
        }
        for (s, weight) in gauss(w[0], end) {
            let [p, su, sv] = locator.surface.first(s, v);
            let n = cross(su, sv);
            let r = sub(p, origin);
            let height = dot(r, n) / 3.0;
            // The moment of the cone from the origin to a piece of surface is 3/4 of its base's.
            let piece = Integrals { area: norm(n), volume: height, moment: scale(r, 0.75 * height) };
            sum = sum.plus(piece.scaled(weight), 1.0);
        }
    }
    sum
}
