//! What a description declares of a link follows the link's bodies when they are placed, turned, mirrored or enlarged.

use crate::collision::angles;
use crate::model::{Geometry, Inertia, Pose, Shape};
use crate::motion::rigid;
use crate::plan::{Collision, PlannedLink};
use hull_fitting::align::Rigid;
use hull_geometry::vector::{cross, dot, scale};

/// mm to m.
const METRES: f64 = 1e-3;

/// How bodies went from where they stood: enlarged about the origin, then placed, in mm. The rotation may mirror.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Placed {
    /// Lengths are so many times what they were.
    pub grown: f64,
    /// What brings places there afterwards.
    pub by: Rigid,
}

impl Placed {
    fn metres(&self) -> Rigid {
        Rigid { rotation: self.by.rotation, shift: scale(self.by.shift, METRES) }
    }

    /// The mass stays; moments grow with the square of lengths.
    fn inertia(&self, own: &Inertia) -> Inertia {
        let at = Pose { xyz: scale(own.at.xyz, self.grown), rpy: own.at.rpy };
        let moments = own.moments.map(|m| m * self.grown * self.grown);
        Inertia { at, moments, ..*own }.seen_from(&self.metres())
    }

    /// A box, cylinder or ball: each is its own image, so that a mirrored frame may have one axis turned back.
    fn shape(&self, own: &Shape) -> Shape {
        let at = Pose { xyz: scale(own.at.xyz, self.grown), rpy: own.at.rpy };
        let whole = self.metres().after(&rigid(&at));
        let mut axes = [0, 1, 2].map(|k| whole.rotation.map(|row| row[k]));
        if dot(cross(axes[0], axes[1]), axes[2]) < 0.0 {
            axes[0] = axes[0].map(|x| -x);
        }
        let grown = |x: f64| x * self.grown;
        let geometry = match &own.geometry {
            Geometry::Box(size) => Geometry::Box(size.map(grown)),
            Geometry::Cylinder(radius, length) => Geometry::Cylinder(grown(*radius), grown(*length)),
            Geometry::Sphere(radius) => Geometry::Sphere(grown(*radius)),
            mesh @ Geometry::Mesh { .. } => mesh.clone(),
        };
        Shape { at: Pose { xyz: whole.shift, rpy: angles(&axes) }, geometry, colour: own.colour }
    }
}

impl PlannedLink {
    /// Whether anything is used of it that its file declares and that stands where its bodies stood.
    pub fn uses_declared(&self) -> bool {
        self.inertia.is_some() || self.collision == Collision::Declared
    }

    /// Takes what its file declares along with its bodies.
    pub fn follow(&mut self, placed: &Placed) {
        self.inertia = self.inertia.map(|i| placed.inertia(&i));
        self.touched = self.touched.iter().map(|s| placed.shape(s)).collect();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::collision::declared;
    use hull_geometry::measure;
    use proptest::prelude::*;

    proptest! {
        /// Shapes and figures of a box and a cylinder that follow are those of the moved surfaces (exact integrals).
        #[test]
        fn declared_things_go_where_the_body_goes(
            at in prop::array::uniform3(-2.0..2.0_f64), turned in prop::array::uniform3(-3.0..3.0_f64),
            size in prop::array::uniform3(0.2..2.0_f64), grown in 0.2..5.0_f64, mirrors in any::<bool>(),
            shift in prop::array::uniform3(-900.0..900.0_f64), turn in prop::array::uniform3(-3.0..3.0_f64),
        ) {
            let mut by = rigid(&Pose { xyz: shift, rpy: turn });
            if mirrors {
                by.rotation.iter_mut().for_each(|row| row[1] = -row[1]);
            }
            let placed = Placed { grown, by };
            for geometry in [Geometry::Box(size), Geometry::Cylinder(size[0], size[1])] {
                let own = Shape { at: Pose { xyz: at, rpy: turned }, geometry, colour: None };
                let figures = |of: &[Shape], mesh: fn(&mut hull_geometry::Mesh, &Placed), how: &Placed| {
                    let mut mesh_of = declared(of).remove(0).mesh;
                    mesh(&mut mesh_of, how);
                    let found = measure::mass(&mesh_of, &mesh_of.bounds());
                    let [xx, yy, zz, xy, yz, zx] = found.inertia;
                    (found.centroid, found.volume.abs(), [xx, xy, zx, yy, yz, zz].map(|x| x * found.volume.signum()))
                };
                let as_it_is = |_: &mut hull_geometry::Mesh, _: &Placed| {};
                let moved = |mesh: &mut hull_geometry::Mesh, how: &Placed| {
                    mesh.points.iter_mut().for_each(|p| *p = how.metres().place(scale(*p, how.grown)));
                };
                let wanted = figures(std::slice::from_ref(&own), moved, &placed);
                let got = figures(&[placed.shape(&own)], as_it_is, &placed);
                let near = |a: f64, b: f64| (a - b).abs() < 1e-7 * (1.0 + b.abs());
                prop_assert!(near(wanted.1, got.1));
                prop_assert!((0..3).all(|k| near(wanted.0[k], got.0[k])));
                prop_assert!((0..6).all(|k| near(wanted.2[k], got.2[k])), "{:?} {:?}", wanted.2, got.2);
                // And the figures alone, as those of a body as dense as water is light: mass is volume before.
                let first = figures(&[own], as_it_is, &placed);
                let inertia = Inertia { at: Pose { xyz: first.0, rpy: [0.0; 3] }, mass: first.1, moments: first.2 };
                let followed = placed.inertia(&inertia);
                let heavier = grown.powi(3);
                prop_assert!((0..3).all(|k| near(wanted.0[k], followed.at.xyz[k])));
                prop_assert!((0..6).all(|k| near(wanted.2[k], followed.moments[k] * heavier)));
            }
        }
    }
}
