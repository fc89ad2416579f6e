//! Facets picked by an outline in the view, rings around a pick, and everything but it, on a ball whose facets are known.

use hull_formats::{Format, Received};
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, unit};
use hull_geometry::{FacetId, Mesh, Point, PointId, shapes};
use hull_workshop::Body;
use hull_workshop::selection::{Pick, Selection};
use proptest::prelude::*;

fn body(mesh: Mesh) -> Body {
    Body::from_received("ball.stl", Received::plain(Format::StlBinary, mesh))
}

fn middle(mesh: &Mesh, f: FacetId) -> Point {
    mesh.corners(f).into_iter().fold([0.0; 3], |sum, p| add(sum, scale(p, 1.0 / 3.0)))
}

/// A square across a direction, its half side, seen from outside of the ball.
fn square(direction: V3, half: f64) -> Vec<Point> {
    let u = unit(cross(direction, [direction[1], -direction[2], direction[0] + 2.0])).expect("not along it");
    let v = cross(direction, u);
    let corner = |[x, y]: [f64; 2]| add(scale(direction, -5.0), add(scale(u, x * half), scale(v, y * half)));
    [[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]].map(corner).to_vec()
}

proptest! {
    /// On a ball, where nothing hides what faces the eye, from any direction.
    #[test]
    fn an_outline_takes_what_it_encloses(d in prop::array::uniform3(-1.0..1.0f64), half in 0.2..0.9f64) {
        let Some(d) = unit(d).filter(|d| d.iter().all(|x| x.abs() > 0.05)) else { return Ok(()) };
        let ball = body(shapes::sphere(1.0, 24, 16));
        let picked = |visible, outline| Selection::from(Pick::Outline { outline, direction: d, visible }).facets(&ball);
        let (through, seen) = (picked(false, square(d, half)), picked(true, square(d, half)));
        let facing: Vec<FacetId> =
            through.iter().copied().filter(|f| dot(ball.mesh.area_vector(*f), d) < 0.0).collect();
        prop_assert_eq!(seen, facing);
        // A square of half side s lies within a circle of s √2 and around one of s.
        for f in ball.mesh.triangles.keys() {
            let m = middle(&ball.mesh, f);
            let off = norm(add(m, scale(d, -dot(m, d))));
            prop_assert!(off > half || through.contains(&f));
            prop_assert!(off < half * std::f64::consts::SQRT_2 || !through.contains(&f));
        }
    }

    /// Rings out and back in give at least what was picked; all but a pick and the pick are all.
    #[test]
    fn rings_and_all_but(at in 0..700u32, rings in 1..6i32) {
        let ball = body(shapes::sphere(1.0, 24, 16));
        let n = ball.mesh.triangles.len() as u32;
        let one = Selection::from(Pick::Facet { at: middle(&ball.mesh, FacetId(at % n)) });
        let with = |rings, inverted| Selection { rings, inverted, ..one.clone() }.facets(&ball);
        let larger = with(rings, false);
        prop_assert!(larger.len() > with(rings - 1, false).len());
        // By hand: a facet is in the next ring if it shares a point with one that is in.
        let before = with(rings - 1, false);
        let points: Vec<PointId> = before.iter().flat_map(|f| ball.mesh.triangles[*f]).collect();
        let beside: Vec<FacetId> = ball.mesh.triangles.keys().filter(|f| ball.mesh.triangles[*f].iter().any(|p| points.contains(p))).collect();
        prop_assert_eq!(&larger, &beside);
        let rest = with(rings, true);
        prop_assert_eq!(rest.len() + larger.len(), n as usize);
        prop_assert!(rest.iter().all(|f| !larger.contains(f)));
        // Smaller is larger of the others.
        let smaller = Selection { rings: -rings, inverted: true, ..one.clone() };
        prop_assert!(smaller.facets(&ball).len() >= n as usize - 1);
    }
}
