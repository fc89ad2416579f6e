//! Solids that a stage tells by their measures, against closed forms.

use hull_formats::usd::solids::surface;
use hull_geometry::measure::mass;
use hull_geometry::topology::Topology;
use hull_geometry::{Watch, vector::norm};
use std::f64::consts::PI;

/// Closed, outward, and of the volume that the closed form says, less what facets of 48 around lose.
#[test]
fn solids_are_closed_and_of_their_volume() {
    let of = |kind: &str, axis| surface(kind, axis, |_, none| none).unwrap();
    for (kind, volume) in [
        ("Cube", 8.0),
        ("Sphere", 4.0 / 3.0 * PI),
        ("Cylinder", 2.0 * PI),
        ("Cone", 2.0 / 3.0 * PI),
        ("Capsule", PI * (0.25 + 0.125 * 4.0 / 3.0)),
    ] {
        for axis in 0..3 {
            let mesh = of(kind, axis);
            let topology = Topology::of(&mesh, &Watch::default()).unwrap();
            assert!(topology.is_closed() && topology.misdirected.is_empty(), "{kind}");
            let found = mass(&mesh, &mesh.bounds());
            assert!(found.volume <= volume + 1e-12 && found.volume > 0.985 * volume, "{kind}: {}", found.volume);
            let middle = if kind == "Cone" { 0.5 } else { 0.0 };
            assert!((norm(found.centroid) - middle).abs() < 1e-9, "{kind}: {:?}", found.centroid);
            if kind == "Cone" {
                // Its middle is nearer to its base, which is below.
                assert!(found.centroid[axis] < 0.0);
            }
        }
    }
    assert!(surface("Camera", 0, |_, none| none).is_none());
}
