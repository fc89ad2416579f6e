//! Mass properties moved, mirrored and put together (parallel-axis theorem).

use crate::model::{Inertia, Pose};
use crate::plan::Mirrored;
use hull_fitting::align::Rigid;
use hull_geometry::vector::{V3, add, dot, scale, sub};

/// xx, xy, xz, yy, yz, zz as rows.
fn rows(m: &[f64; 6]) -> [V3; 3] {
    let [xx, xy, xz, yy, yz, zz] = *m;
    [[xx, xy, xz], [xy, yy, yz], [xz, yz, zz]]
}

/// What a point mass at `r` adds about the origin.
fn of_point(mass: f64, r: V3) -> [f64; 6] {
    let all = dot(r, r);
    let term = |i: usize, j: usize| mass * (if i == j { all } else { 0.0 } - r[i] * r[j]);
    [term(0, 0), term(0, 1), term(0, 2), term(1, 1), term(1, 2), term(2, 2)]
}

impl Inertia {
    /// The same in the frame that `place` stands in, along that frame's axes.
    pub fn seen_from(&self, place: &Rigid) -> Inertia {
        let whole = place.after(&crate::motion::rigid(&self.at));
        let (r, own) = (whole.rotation, rows(&self.moments));
        let along = |i: usize, j: usize| dot(r[i], own.map(|row| dot(row, r[j])));
        let moments = [along(0, 0), along(0, 1), along(0, 2), along(1, 1), along(1, 2), along(2, 2)];
        Inertia { at: Pose { xyz: whole.shift, rpy: [0.0; 3] }, mass: self.mass, moments }
    }

    /// Both as one; their axes must be parallel.
    pub fn together(&self, other: &Inertia) -> Inertia {
        let mass = self.mass + other.mass;
        if mass <= 0.0 {
            return *self;
        }
        let weighted = add(scale(self.at.xyz, self.mass), scale(other.at.xyz, other.mass));
        let centre = scale(weighted, 1.0 / mass);
        let mut moments = [0.0; 6];
        for part in [self, other] {
            let moved = of_point(part.mass, sub(part.at.xyz, centre));
            for k in 0..6 {
                moments[k] += part.moments[k] + moved[k];
            }
        }
        Inertia { at: Pose { xyz: centre, rpy: self.at.rpy }, mass, moments }
    }

    /// With another mass spread as this one is.
    pub fn weighing(&self, mass: f64) -> Inertia {
        Inertia { mass, moments: self.moments.map(|m| m * (mass / self.mass)), at: self.at }
    }

    /// On the other side of a plane, whose place is in mm; its axes must be those of the plane's space.
    pub fn mirrored(&self, plane: Mirrored) -> Inertia {
        let mut out = *self;
        out.at.xyz[plane.axis] = 2e-3 * plane.at - out.at.xyz[plane.axis];
        // Products with the plane's axis change their sign.
        let products: [usize; 2] = [[1, 2], [1, 4], [2, 4]][plane.axis.min(2)];
        products.into_iter().for_each(|k| out.moments[k] = -out.moments[k]);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::shapes::cuboid;
    use hull_geometry::{Mesh, measure};
    use proptest::prelude::*;

    fn of(mesh: &Mesh) -> Inertia {
        let found = measure::mass(mesh, &mesh.bounds());
        let [xx, yy, zz, xy, yz, zx] = found.inertia;
        let at = Pose { xyz: found.centroid, rpy: [0.0; 3] };
        Inertia { at, mass: found.volume, moments: [xx, xy, zx, yy, yz, zz] }
    }

    fn near(a: &Inertia, b: &Inertia) -> bool {
        let all = |i: &Inertia| i.at.xyz.into_iter().chain(i.moments).chain([i.mass]).collect::<Vec<_>>();
        all(a).iter().zip(all(b)).all(|(x, y)| (x - y).abs() < 1e-9 * (1.0 + y.abs()))
    }

    proptest! {
        /// Moving, mirroring and joining figures gives the figures of the body that is moved, mirrored, joined (exact
        /// integrals over its surface).
        #[test]
        fn figures_follow_the_body(
            a in prop::array::uniform3(0.2..2.0_f64), b in prop::array::uniform3(0.2..2.0_f64),
            turn in prop::array::uniform3(-3.0..3.0_f64), shift in prop::array::uniform3(-3.0..3.0_f64),
            axis in 0..3_usize, at in -900.0..900.0_f64,
        ) {
            let place = crate::motion::rigid(&Pose { xyz: shift, rpy: turn });
            let first = cuboid(a);
            let mut moved = first.clone();
            moved.points.iter_mut().for_each(|p| *p = place.place(*p));
            prop_assert!(near(&of(&first).seen_from(&place), &of(&moved)));
            let mut both = moved.clone();
            both.append(&cuboid(b));
            prop_assert!(near(&of(&moved).together(&of(&cuboid(b))), &of(&both)));
            // The plane is in mm and the body in m.
            let (plane, mut image) = (Mirrored { axis, at }, moved.clone());
            Mirrored { axis, at: at / 1000.0 }.mesh(&mut image);
            prop_assert!(near(&of(&moved).mirrored(plane), &of(&image)));
        }
    }
}
