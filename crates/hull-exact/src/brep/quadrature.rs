//! Volume, area and centroid of the exact body, each with a bound of its error.

pub use crate::face_integral::Integrals;
use crate::face_integral::over_face;
use crate::gauss::gauss;
use crate::locate::Locator;
use crate::parameter_loops::{Reader, parameter_loops};
use crate::sample;
use crate::shape::{Edge, FaceId, Lump, Shape};
use hull_geometry::Point;
use hull_geometry::vector::{add, norm, scale, sub};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiSlice, TiVec};

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
    let centroid = centroid(shape, &sum);
    Figures { area: faces.iter().map(|f| f.area).sum(), volume: sum.volume, centroid, faces_in_doubt: doubts }
}

/// Area of a solid or open shell from the integrals over its shape's faces; of a solid also its volume, cavities taken
/// out, and its first moments.
pub fn of_lump(shape: &Shape, faces: &TiSlice<FaceId, Integrals>, lump: &Lump) -> Integrals {
    let mut out = Integrals::default();
    for (k, shell) in std::iter::once(&lump.outer).chain(&lump.voids).enumerate() {
        let sum = shell.faces.iter().fold(Integrals::default(), |s, &(f, forward)| {
            let same = shape.faces[f].same_sense == forward;
            s.plus(faces[f], if same { 1.0 } else { -1.0 })
        });
        out.area_error += sum.area_error;
        if lump.closed {
            out.volume_error += sum.volume_error;
            // A shell's own direction is not to be relied on: an outer one adds, a cavity takes away.
            let sign = if (sum.volume >= 0.0) == (k == 0) { 1.0 } else { -1.0 };
            out = out.plus(Integrals { area_error: 0.0, volume_error: 0.0, ..sum }, sign);
        } else {
            out.area += sum.area;
        }
    }
    out
}

/// The centroid of a volume whose integrals were taken over faces of a shape; the origin if there is none.
pub fn centroid(shape: &Shape, sum: &Integrals) -> Point {
    match sum.volume.abs() > 0.0 {
        true => add(about(shape), scale(sum.moment, 1.0 / sum.volume)),
        false => [0.0; 3],
    }
}

fn about(shape: &Shape) -> Point {
    hull_geometry::mesh::Bounds::of(shape.vertices.iter().copied()).centre()
}

/// Integrals over each face, and how many are in doubt.
pub fn of_faces(shape: &Shape, reader: Reader) -> (TiVec<FaceId, Integrals>, usize) {
    let samples = sample::evenly(shape, 6);
    let origin = about(shape);
    let done: Vec<(Integrals, bool)> = shape
        .faces
        .raw
        .par_iter()
        .map(|face| {
            let locator = Locator::new(&shape.surfaces[face.surface]);
            let bounds_in_plane = parameter_loops(shape, face, &samples, &locator, reader, None);
            (over_face(shape, &bounds_in_plane, &locator, origin), bounds_in_plane.doubt.is_some())
        })
        .collect();
    let doubts = done.iter().filter(|d| d.1).count();
    (done.into_iter().map(|d| d.0).collect(), doubts)
}
