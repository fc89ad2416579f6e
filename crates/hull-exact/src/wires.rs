//! Curves that bound no face, where the model's places put them.

use crate::fineness::Fineness;
use crate::frame::Motion;
use crate::model::Model;
use crate::sample;
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;

/// The angle in degrees by which pieces of a drawn curve turn at most.
const ANGLE: f64 = 10.0;

impl Model {
    /// Whether any place has curves that bound no face.
    pub fn has_wires(&self) -> bool {
        self.occurrences().any(|(_, part)| !part.shape.wires.is_empty())
    }

    /// The curves that bound no face as points along them, moved by `placed`: no curve is further than `deviation`
    /// from them, in the unit that `placed` leads to.
    pub fn wires(&self, deviation: f64, placed: &Motion) -> Vec<Vec<Point>> {
        let mut out = Vec::new();
        for (node, part) in self.occurrences() {
            let motion = placed.after(&node.placement);
            let deviation = deviation / motion.scale.abs();
            let fineness = Fineness { deviation, angle: ANGLE, largest: None, smallest: None, even: false };
            out.extend(part.shape.wires.iter().map(|&w| {
                let points = sample::along(&part.shape.edges[w as usize], &fineness);
                points.into_iter().map(|p| motion.point(p)).collect::<Vec<_>>()
            }));
        }
        out
    }

    /// The box of the curves that bound no face, as points along them tell it.
    pub fn bounds_of_wires(&self, placed: &Motion) -> Bounds {
        let deviation = 1e-4 * self.rough_bounds().diagonal() * placed.scale;
        Bounds::of(self.wires(deviation.max(f64::MIN_POSITIVE), placed).into_iter().flatten())
    }
}
