//! Loose faces joined into solids: whatever their order, their sides and where they are cut.

use hull_exact::curve::Piece;
use hull_exact::parameter_loops::Reader;
use hull_exact::shape::{Face, FaceId, Lump, Shell};
use hull_exact::{Curve, Frame, Motion, Shape, Surface, join, quadrature};
use hull_geometry::vector::{V3, cross, scale, sub};
use hull_geometry::{Point, Watch};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use typed_index_collections::TiVec;

/// A loose face with edges of its own; `turned` faces the other way.
fn add(shape: &mut Shape, surface: Surface, pieces: Vec<Piece>, turned: bool) {
    let bound = shape.loop_of_pieces(pieces).expect("a closed bound");
    let surface = shape.add_surface(surface);
    let (name, colour, layer) = (String::new(), None, None);
    let face = Face { surface, same_sense: true, loops: vec![bound], name: name.clone(), colour, layer };
    let face = shape.faces.push_and_get_key(face);
    if turned {
        shape.faces[face].turn();
    }
    let outer = Shell { faces: vec![(face, true)] };
    shape.lumps.push(Lump { name, colour, closed: false, outer, voids: Vec::new() });
}

/// A parallelogram from `at` along `a` and `b`.
fn parallelogram(shape: &mut Shape, at: Point, a: V3, b: V3, turned: bool) {
    let plus = |p: Point, d: V3| [p[0] + d[0], p[1] + d[1], p[2] + d[2]];
    let corners = [at, plus(at, a), plus(plus(at, a), b), plus(at, b)];
    let side = |i: usize| Piece {
        curve: Curve::Line { origin: corners[i], along: sub(corners[(i + 1) % 4], corners[i]) },
        range: [0.0, 1.0],
    };
    add(shape, Surface::Plane(Frame::new(at, cross(a, b), Some(a))), (0..4).map(side).collect(), turned);
}

/// The six sides of a box as corner and two edges.
fn sides(at: Point, size: V3) -> Vec<[V3; 3]> {
    let edge = |k: usize| [0, 1, 2].map(|i| if i == k { size[k] } else { 0.0 });
    let mut out = Vec::new();
    for k in 0..3 {
        let (a, b) = (edge((k + 1) % 3), edge((k + 2) % 3));
        let mut far = at;
        far[k] += size[k];
        out.extend([[at, b, a], [far, a, b]]);
    }
    out
}

/// A drum about an axis along z: a wall with a seam, and two discs.
fn drum(shape: &mut Shape, foot: Point, radius: f64, height: f64, turned: bool) {
    let frame = |z: f64| Frame { origin: [foot[0], foot[1], foot[2] + z], ..Frame::WORLD };
    let ring =
        |z: f64, range: [f64; 2]| Piece { curve: Curve::Ellipse { frame: frame(z), a: radius, b: radius }, range };
    let seam = |range: [f64; 2]| Piece {
        curve: Curve::Line { origin: [foot[0] + radius, foot[1], foot[2]], along: [0.0, 0.0, height] },
        range,
    };
    let wall = vec![ring(0.0, [0.0, TAU]), seam([0.0, 1.0]), ring(height, [TAU, 0.0]), seam([1.0, 0.0])];
    add(shape, Surface::Cylinder { frame: frame(0.0), radius }, wall, turned);
    let down = Frame::new(foot, [0.0, 0.0, -1.0], None);
    add(shape, Surface::Plane(down), vec![ring(0.0, [TAU, 0.0])], turned);
    add(shape, Surface::Plane(frame(height)), vec![ring(height, [0.0, TAU])], !turned);
}

/// A rectangle cut at random quarters again and again: parts as corners and sides, in parts of its own sides. Cuts of two
/// sides meet in one point or stay well apart.
fn cut(cuts: &[(prop::sample::Index, bool, u8)]) -> Vec<[f64; 4]> {
    let mut all = vec![[0.0, 0.0, 1.0, 1.0]];
    for (which, upright, quarters) in cuts {
        let at = f64::from(*quarters) / 4.0;
        let [x, y, w, h] = all.remove(which.index(all.len()));
        all.extend(match upright {
            true => [[x, y, w * at, h], [x + w * at, y, w * (1.0 - at), h]],
            false => [[x, y, w, h * at], [x, y + h * at, w, h * (1.0 - at)]],
        });
    }
    all
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]

    /// Every side of a box is cut into rectangles of its own, whose corners meet the middles of others' edges: all join
    /// into one solid, in whatever place and size.
    #[test]
    fn sides_cut_at_random_join_into_the_box(
        cuts in prop::collection::vec(prop::collection::vec((any::<prop::sample::Index>(), any::<bool>(), 1..4_u8), 0..5), 6),
        turned in prop::collection::vec(any::<bool>(), 40),
        size in prop::array::uniform3(1.0..20.0_f64),
        axis in prop::array::uniform3(0.1..1.0_f64),
        enlarged in 0.01..100.0_f64,
    ) {
        let mut loose = Shape::default();
        for ([at, a, b], cuts) in sides([-1.0, 2.0, 3.0], size).into_iter().zip(&cuts) {
            for [x, y, w, h] in cut(cuts) {
                let corner = [0, 1, 2].map(|k| at[k] + x * a[k] + y * b[k]);
                let turn = turned[loose.faces.len() % turned.len()];
                parallelogram(&mut loose, corner, scale(a, w), scale(b, h), turn);
            }
        }
        let faces = loose.faces.len();
        let loose = loose.moved(&Motion { frame: Frame::new([5.0, -3.0, 2.0], axis, None), scale: enlarged });
        let (joined, report) = join::join(&loose, 1e-6 * loose.rough_size(), &Watch::default()).expect("not cancelled");
        prop_assert_eq!((report.open_after, report.solids, report.cavities, joined.faces.len()), (0, 1, 0, faces));
        for reader in [Reader::Trusting, Reader::Rebuilding] {
            let found = quadrature::figures(&joined, reader).volume / (size[0] * size[1] * size[2] * enlarged.powi(3));
            prop_assert!((found - 1.0).abs() < 1e-9, "{found} of the volume");
        }
        prop_assert!(report.largest_gap <= 1e-9 * loose.rough_size(), "a gap of {}", report.largest_gap);
    }

    /// A box with a drum inside it and another box outside: one solid with a cavity, and one without, whichever way and in
    /// whatever order their faces came.
    #[test]
    fn shells_within_shells_become_cavities(
        order in Just((0..15_usize).collect::<Vec<_>>()).prop_shuffle(),
        turned in prop::collection::vec(any::<bool>(), 15),
        radius in 0.5..3.0_f64,
        height in 0.5..6.0_f64,
    ) {
        let mut all = Shape::default();
        for (at, size) in [([0.0, 0.0, 0.0], [8.0, 8.0, 8.0]), ([10.0, 0.0, 0.0], [1.0, 2.0, 3.0])] {
            for [at, a, b] in sides(at, size) {
                let turn = turned[all.faces.len()];
                parallelogram(&mut all, at, a, b, turn);
            }
        }
        let turn = turned[all.faces.len()];
        drum(&mut all, [4.0, 4.0, 1.0], radius, height, turn);
        let mut loose = Shape { faces: TiVec::new(), lumps: Vec::new(), ..all.clone() };
        for f in order {
            loose.faces.push(all.faces[FaceId::from(f)].clone());
            let outer = Shell { faces: vec![(loose.faces.last_key().expect("it was pushed"), true)] };
            loose.lumps.push(Lump { outer, ..all.lumps[f].clone() });
        }
        let (joined, report) = join::join(&loose, 1e-6, &Watch::default()).expect("not cancelled");
        prop_assert_eq!((report.open_after, report.solids, report.cavities, report.open_shells), (0, 2, 1, 0));
        let found = quadrature::figures(&joined, Reader::Trusting).volume;
        let expected = 512.0 - PI * radius * radius * height + 6.0;
        prop_assert!((found / expected - 1.0).abs() < 1e-9, "{found} for {expected}");
    }
}
