//! The same faces read both ways, side by side, and which reading to take.

use crate::assembly::ModelFigures;
use crate::model::Model;
use crate::parameter_loops::Reader;
use crate::shape::Shape;
use hull_geometry::vector::distance;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};

/// What one way of reading finds; lengths in the model's unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Reading {
    /// How many arrived.
    pub faces: usize,
    /// Faces whose bounds could not be read as they stand.
    pub faces_in_doubt: usize,
    /// Edges that only one face uses.
    pub open_edges: usize,
    /// Closed bodies.
    pub solids: usize,
    /// Of closed bodies.
    pub volume: f64,
    /// Of all faces.
    pub area: f64,
    /// Of the box of all edges.
    pub size: [f64; 3],
}

/// Both readings, with the better one and why it is that.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Readings {
    /// With the file's directions.
    pub trusting: Reading,
    /// With bounds made anew.
    pub rebuilding: Reading,
    /// The largest distance between an edge and the file's own parameter curve for it, seen in space.
    pub bounds_off: f64,
    /// The better one.
    pub proposal: Reader,
    /// Why it is proposed.
    pub reason: String,
}

impl Readings {
    /// Reads a model both ways; also gives the figures of the reading that is asked for.
    pub fn of(model: &Model, wanted: Reader) -> (Readings, ModelFigures) {
        let figures = [Reader::Trusting, Reader::Rebuilding].map(|r| model.figures(r));
        let bounds = model.rough_bounds();
        let reading = |f: &ModelFigures| Reading {
            faces: f.faces,
            faces_in_doubt: f.faces_in_doubt,
            open_edges: f.open_edges,
            solids: f.solids,
            volume: f.volume,
            area: f.area,
            size: bounds.size(),
        };
        let mut out = Readings {
            trusting: reading(&figures[0]),
            rebuilding: reading(&figures[1]),
            bounds_off: bounds_off(model),
            ..Readings::default()
        };
        (out.proposal, out.reason) = out.choice(bounds.diagonal());
        let [trusting, rebuilding] = figures;
        (out, if wanted == Reader::Trusting { trusting } else { rebuilding })
    }

    fn choice(&self, size: f64) -> (Reader, String) {
        let (a, b) = (&self.trusting, &self.rebuilding);
        let faces = |n: usize| if n == 1 { "1 face".to_string() } else { format!("{n} faces") };
        if a.faces_in_doubt != b.faces_in_doubt {
            let fewer = if a.faces_in_doubt < b.faces_in_doubt { Reader::Trusting } else { Reader::Rebuilding };
            let (least, most) = (a.faces_in_doubt.min(b.faces_in_doubt), a.faces_in_doubt.max(b.faces_in_doubt));
            return (fewer, format!("it leaves {} in doubt, the other {}", faces(least), faces(most)));
        }
        // A bound that strays this far from its edge would be seen in the facets.
        if self.bounds_off > 1e-4 * size {
            let share = self.bounds_off / size * 100.0;
            let why = format!("the file's own bounds stray from its edges by up to {share:.2} % of the size");
            return (Reader::Rebuilding, why);
        }
        let apart = |x: f64, y: f64| (x - y).abs() > 1e-6 * x.abs().max(y.abs());
        if apart(a.area, b.area) || apart(a.volume, b.volume) {
            let off = ((a.area - b.area) / a.area.abs().max(b.area.abs())).abs() * 100.0;
            let why = format!(
                "the areas differ by {off:.2} %, though the file's bounds lie on its edges: they say which side of a \
                 seam is meant"
            );
            return (Reader::Trusting, why);
        }
        (Reader::Trusting, "both find the same; the file's own bounds are kept".into())
    }
}

fn bounds_off(model: &Model) -> f64 {
    model.parts.raw.par_iter().map(|p| off_edges(&p.shape)).reduce(|| 0.0, f64::max)
}

fn off_edges(shape: &Shape) -> f64 {
    let mut out: f64 = 0.0;
    for face in &shape.faces {
        let surface = &shape.surfaces[face.surface];
        for u in face.loops.iter().flat_map(|l| &l.uses) {
            let Some(hint) = &u.hint else { continue };
            let edge = &shape.edges[u.edge];
            for i in 1..4 {
                let s = f64::from(i) / 4.0;
                let q = hint.at(s)[0];
                let p = edge.curve.point(edge.range[0] + (edge.range[1] - edge.range[0]) * s);
                let off = distance(surface.point(q[0], q[1]), p);
                out = if off.is_finite() { out.max(off) } else { out };
            }
        }
    }
    out
}
