//! Packed arrays of glTF. `reference/gltf/packed.glb` is a ball of radius 0.05 m in 16 by 9, packed by the C++ library of that
//! packing with 16 bits a coordinate; the packages of `others.rs` bring files that other systems packed.

use hull_formats::{ReadError, Received};
use hull_geometry::measure::mass;
use hull_geometry::topology::Topology;
use hull_geometry::{Watch, shapes};
use proptest::prelude::*;

const PACKED: &[u8] = include_bytes!("reference/gltf/packed.glb");

fn attempt(bytes: &[u8]) -> Result<Received, ReadError> {
    hull_formats::read("packed.glb", bytes, &Watch::default())
}

#[test]
fn a_packed_ball_is_the_ball_within_its_steps() {
    let got = attempt(PACKED).unwrap();
    assert_eq!((got.mesh.triangles.len(), got.labels[0].material.as_deref()), (256, Some("brass")));
    assert!(Topology::of(&got.mesh, &Watch::default()).unwrap().is_closed());
    let volume = mass(&got.mesh, &got.mesh.bounds()).volume;
    let ball = shapes::sphere(0.05, 16, 9);
    let exact = mass(&ball, &ball.bounds()).volume;
    assert!((volume / exact - 1.0).abs() < 1e-4, "{volume} for {exact}");
    // One step of 16 bits over the ball's side.
    assert!(got.mesh.points.iter().all(|p| hull_geometry::vector::norm(*p) < 0.05 + 0.1 / 65535.0));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 512, ..ProptestConfig::default() })]

    /// Changed bytes and cut ends are read or refused with a sentence.
    #[test]
    fn damaged_packing_is_read_or_refused(changes in prop::collection::vec((0..PACKED.len(), any::<u8>()), 0..4), keep in 0..PACKED.len()) {
        let mut bytes = PACKED.to_vec();
        changes.iter().for_each(|(at, by)| bytes[*at] = *by);
        for bytes in [&bytes[..], &bytes[..keep]] {
            if let Err(e) = attempt(bytes) {
                prop_assert!(!e.to_string().is_empty());
            }
        }
    }
}
