//! The ellipsoid of mass: of even density, with a link's mass, centre and moments. It shows at a glance where a mass is, how it
//! lies and whether it is possible.

use crate::checks::{impossible, principal_axes};
use crate::model::Inertia;
use crate::motion::rigid;
use hull_geometry::vector::{add, scale};
use hull_geometry::{Mesh, shapes};

/// Semi-axes in m, along the principal axes with the least moment first: of a solid ellipsoid each moment is a fifth of the
/// mass times the sum of the squares of the other two (closed form). `None` where no body has such moments.
pub fn semi_axes(inertia: &Inertia) -> Option<[f64; 3]> {
    if inertia.mass <= 0.0 || impossible(inertia).is_some() {
        return None;
    }
    let (_, m) = principal_axes(&inertia.moments);
    let half: f64 = m.iter().sum::<f64>() / 2.0;
    Some(m.map(|x| (5.0 * (half - x).max(0.0) / inertia.mass).sqrt()))
}

/// Its surface in the link's frame, in m.
pub fn ellipsoid(inertia: &Inertia) -> Option<Mesh> {
    let semi = semi_axes(inertia)?;
    let (axes, _) = principal_axes(&inertia.moments);
    let mut mesh = shapes::sphere(1.0, 32, 16);
    let at = rigid(&inertia.at);
    for p in &mut mesh.points {
        let own = (0..3).fold([0.0; 3], |sum, k| add(sum, scale(axes[k], p[k] * semi[k])));
        *p = at.place(own);
    }
    Some(mesh)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A solid ellipsoid's own moments give it back; a box has the ellipsoid with √(5/3) of its half sides.
    #[test]
    fn an_ellipsoid_gives_itself_and_a_box_its_own() {
        let (mass, [a, b, c]) = (3.0, [0.5_f64, 0.2, 0.1]);
        let m = |x: f64, y: f64| mass / 5.0 * (x * x + y * y);
        let own = Inertia { mass, moments: [m(b, c), 0.0, 0.0, m(a, c), 0.0, m(a, b)], ..Inertia::default() };
        let found = semi_axes(&own).expect("possible");
        assert!(found.iter().zip([a, b, c]).all(|(x, y)| (x - y).abs() < 1e-12), "{found:?}");
        let side = |x: f64, y: f64| mass / 12.0 * (x * x + y * y);
        let of_box = Inertia { moments: [side(0.4, 0.3), 0.0, 0.0, side(0.6, 0.3), 0.0, side(0.6, 0.4)], ..own };
        let found = semi_axes(&of_box).expect("possible");
        let expected = [0.6, 0.4, 0.3].map(|s| s / 2.0 * (5.0_f64 / 3.0).sqrt());
        assert!(found.iter().zip(expected).all(|(x, y)| (x - y).abs() < 1e-12), "{found:?}");
        assert!(semi_axes(&Inertia { moments: [1.0, 0.0, 0.0, 1.0, 0.0, 3.0], ..own }).is_none());
    }
}
