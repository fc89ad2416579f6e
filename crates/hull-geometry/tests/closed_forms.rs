//! Volume, area, centroid and inertia against closed forms.
//!
//! Sources: box, cone, torus and sphere formulae from any handbook of mechanics (from memory); the faceted
//! sphere and torus have known errors of second order in the facet angle. Polyhedral integrals: Eberly 2002.

use hull_geometry::measure::mass;
use hull_geometry::shapes::{cone, cuboid, sphere, torus};
use hull_geometry::transform::{self, Axis};
use hull_geometry::{Mesh, Unit};
use std::f64::consts::PI;

fn near(measured: f64, exact: f64, relative: f64) {
    assert!((measured - exact).abs() <= relative * exact.abs(), "{measured} is not {exact} within {relative}");
}

#[test]
fn box_has_its_volume_area_centroid_and_inertia_far_from_the_origin() {
    let mut mesh = cuboid([2.0, 3.0, 5.0]);
    transform::translate(&mut mesh, [1e5, -2e5, 3e5]);
    let m = mass(&mesh, &mesh.bounds());
    near(m.volume, 30.0, 1e-12);
    near(m.area, 62.0, 1e-12);
    for (c, exact) in m.centroid.into_iter().zip([1e5 + 1.0, -2e5 + 1.5, 3e5 + 2.5]) {
        near(c, exact, 1e-12);
    }
    // m/12 (b² + c²) and so on.
    for (i, exact) in m.inertia[..3].iter().zip([30.0 / 12.0 * 34.0, 30.0 / 12.0 * 29.0, 30.0 / 12.0 * 13.0]) {
        near(*i, exact, 1e-9);
    }
    assert!(m.inertia[3..].iter().all(|x| x.abs() < 1e-6), "products of inertia of a box about its axes are zero");
}

#[test]
fn cone_is_the_pyramid_over_its_polygon() {
    let (r, h, n) = (2.0, 6.0, 40);
    let mesh = cone(r, h, n);
    let m = mass(&mesh, &mesh.bounds());
    let polygon = 0.5 * n as f64 * r * r * (2.0 * PI / n as f64).sin();
    near(m.volume, polygon * h / 3.0, 1e-12);
    near(m.centroid[2], h / 4.0, 1e-12);
}

#[test]
fn sphere_and_torus_approach_their_closed_forms_with_the_square_of_the_facet_angle() {
    type Shape = (fn(usize) -> Mesh, f64, f64);
    let shapes: [Shape; 2] = [
        (|n| sphere(3.0, n, n / 2), 4.0 / 3.0 * PI * 27.0, 4.0 * PI * 9.0),
        (|n| torus(5.0, 2.0, n, n), 2.0 * PI * PI * 5.0 * 4.0, 4.0 * PI * PI * 5.0 * 2.0),
    ];
    for (make, volume, area) in shapes {
        let errors = |n: usize| {
            let mesh = make(n);
            let m = mass(&mesh, &mesh.bounds());
            ((volume - m.volume) / volume, (area - m.area) / area)
        };
        let (coarse, fine) = (errors(60), errors(120));
        for (a, b) in [(coarse.0, fine.0), (coarse.1, fine.1)] {
            assert!(a > 0.0 && a < 0.02, "an inscribed surface is a little too small: {a}");
            near(a / b, 4.0, 0.03);
        }
    }
}

#[test]
fn units_are_exact() {
    // NIST SP 811 (2008), appendix B.8: 1 inch = 2.54 E-02 m, 1 foot = 3.048 E-01 m, both exact.
    assert_eq!(Unit::In.millimetres(), 25.4);
    assert_eq!(Unit::Ft.millimetres(), 304.8);
}

#[test]
fn every_choice_of_axes_is_a_rotation_and_never_a_mirror() {
    let mesh = cuboid([1.0, 2.0, 3.0]);
    let mut rotations = 0;
    for up in Axis::ALL {
        for forward in Axis::ALL {
            let Some(m) = transform::rotation(up, forward) else { continue };
            rotations += 1;
            let mut turned = mesh.clone();
            transform::rotate(&mut turned, &m);
            near(mass(&turned, &turned.bounds()).volume, 6.0, 1e-12);
            assert_eq!(transform::apply(&m, up.direction()), [0.0, 0.0, 1.0]);
            assert_eq!(transform::apply(&m, forward.direction()), [1.0, 0.0, 0.0]);
        }
    }
    assert_eq!(rotations, 24, "a cube has 24 rotations");
}
