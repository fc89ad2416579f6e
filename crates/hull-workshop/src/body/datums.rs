//! Datums: fitted shapes under a name, which follow the body.

use crate::Body;
use hull_exact::{Frame, Motion};
use hull_fitting::align::Rigid;
use hull_fitting::{Fit, Shape};
use hull_geometry::transform;
use hull_geometry::vector::add;
use serde::{Deserialize, Serialize};

/// A fitted shape that people gave a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Datum {
    /// As people call it.
    pub name: String,
    /// The shape and how well it fits, in the body's unit and place.
    pub fit: Fit,
}

impl Datum {
    /// Its sizes in words: diameters and angles.
    pub fn sizes(&self) -> crate::sentence::Sentence {
        use crate::say;
        use crate::sentence::length;
        match self.fit.shape {
            Shape::Plane { .. } | Shape::Line { .. } => "".into(),
            Shape::Circle { radius, .. } | Shape::Cylinder { radius, .. } | Shape::Sphere { radius, .. } => {
                say!["diameter ", length(2.0 * radius)]
            }
            Shape::Cone { half_angle, .. } => format!("half angle {}°", crate::numbers::four_digits(half_angle)).into(),
            Shape::Torus { major, minor, .. } => {
                say!["ring of diameter ", length(2.0 * major), ", round of diameter ", length(2.0 * minor)]
            }
        }
    }
}

/// Datums follow what is done to the whole body.
pub(crate) fn moved(datums: &mut [Datum], by: &Motion) {
    for d in datums {
        d.fit.shape = d.fit.shape.moved(|p| by.point(p), |v| by.direction(v), by.scale);
        d.fit.rms *= by.scale;
        d.fit.largest *= by.scale;
    }
}

impl Body {
    /// The datum of a name.
    pub fn datum(&self, name: &str) -> Option<&Datum> {
        self.facts.datums.iter().find(|d| d.name == name.trim())
    }

    /// Turns and moves the whole body.
    pub(crate) fn move_rigid(&mut self, by: &Rigid) {
        transform::rotate(&mut self.mesh, &by.rotation);
        transform::translate(&mut self.mesh, by.shift);
        let m = by.rotation;
        let column = |k: usize| [m[0][k], m[1][k], m[2][k]];
        let frame = Frame { origin: by.shift, x: column(0), y: column(1), z: column(2) };
        self.move_exact(Motion { frame, scale: 1.0 });
        self.facts.moved = add(transform::apply(&m, self.facts.moved), by.shift);
        self.facts.rotation = transform::product(&m, &self.facts.rotation);
    }

    /// Points of whatever the body holds, for fits and alignments: corners of facets, points of clouds, along lines.
    pub fn all_points(&self) -> Vec<hull_geometry::Point> {
        let mut out = self.mesh.points.raw.clone();
        if let Some(cloud) = self.cloud() {
            out.extend_from_slice(&cloud.points);
        }
        if let Some(wires) = self.wires() {
            let within = self.bounds().diagonal() / 2000.0;
            out.extend(wires.along(within).into_iter().flatten());
        }
        if let Some(frame) = self.frame() {
            out.extend(frame.joints.iter().map(|j| j.at));
        }
        out
    }
}
