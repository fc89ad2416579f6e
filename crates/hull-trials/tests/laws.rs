//! What holds for every region, whatever its shape: ducts of cubes drawn at random, tried from either end, turned, enlarged and
//! given more room.

use hull_geometry::shapes::cubes;
use hull_geometry::{FacetId, Mesh, Watch};
use hull_trials::Kind;
use hull_trials::flow::{Flow, How, Opening, run};
use proptest::prelude::*;
use std::collections::BTreeSet;
use typed_index_collections::ti_vec;

type Cube = [i32; 3];
/// A side of a cube: the cube, the axis, and whether it is the upper one.
type Side = (Cube, usize, bool);

/// Cells along the side of a cube.
const FINE: usize = 5;

fn beside((cube, axis, up): Side) -> Cube {
    let mut out = cube;
    out[axis] += if up { 1 } else { -1 };
    out
}

/// A duct that goes on from cube to cube, with a free side at either end.
#[derive(Clone, Debug)]
struct Duct {
    cubes: BTreeSet<Cube>,
    ends: [Side; 2],
}

fn any_duct() -> impl Strategy<Value = Duct> {
    let step = (0..3_usize, any::<bool>());
    (prop::collection::vec(step, 2..7), prop::array::uniform2((0..3_usize, any::<bool>()))).prop_filter_map(
        "two free ends",
        |(steps, ends)| {
            let mut at = [0; 3];
            let mut way = vec![at];
            for (axis, up) in steps {
                at = beside((at, axis, up));
                way.push(at);
            }
            let cubes: BTreeSet<Cube> = way.iter().copied().collect();
            let [first, last] = [way[0], at];
            let ends = [(first, ends[0].0, ends[0].1), (last, ends[1].0, ends[1].1)];
            let free = ends.iter().all(|e| !cubes.contains(&beside(*e)));
            (free && first != last).then_some(Duct { cubes, ends })
        },
    )
}

/// Facets of a side of a cube.
fn on_side(mesh: &Mesh, (cube, axis, up): Side) -> Vec<FacetId> {
    let inside = |p: &[f64; 3]| {
        (0..3).all(|k| {
            let off = p[k] - f64::from(cube[k]);
            if k == axis { off == f64::from(u8::from(up)) } else { (0.0..=1.0).contains(&off) }
        })
    };
    mesh.triangles.keys().filter(|f| mesh.corners(*f).iter().all(inside)).collect()
}

impl Duct {
    /// The flow through it, let in at either end; enlarged, and its axes exchanged.
    fn flow(&self, how: How, swapped: bool, larger: f64, turn: usize) -> Flow {
        let mut mesh = cubes(&self.cubes);
        let mut kind = ti_vec![Kind::Wall; mesh.triangles.len()];
        for (number, side) in self.ends.iter().enumerate() {
            for f in on_side(&mesh, *side) {
                kind[f] = Kind::Opening(number as u16);
            }
        }
        // Turned from axis to axis, which keeps the outside outside.
        mesh.points.iter_mut().for_each(|p| *p = [0, 1, 2].map(|k| larger * p[(k + turn) % 3]));
        let openings = [("a", !swapped), ("b", swapped)].map(|(name, inlet)| Opening { name: name.into(), inlet });
        run(&mesh, &kind, &openings, how, self.cubes.len() * FINE.pow(3), &Watch::default())
            .expect("a way leads through")
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    /// What comes in goes out; it flows back as well as forth; as the axes are named does not matter; and with lengths the flow
    /// grows as their cube (creeping) or as they do (potential).
    #[test]
    fn ducts_keep_the_laws(duct in any_duct(), creeping: bool, larger in 0.1..20.0_f64, turn in 1..3_usize) {
        let how = if creeping { How::Creeping } else { How::Potential };
        let plain = duct.flow(how, false, 1.0, 0);
        prop_assert!(plain.imbalance.abs() < 1e-6, "imbalance {}", plain.imbalance);
        let through = plain.through[0].flow;
        prop_assert!(through > 0.0 && (plain.through[1].flow + through).abs() < 1e-6 * through);
        prop_assert!(plain.through.iter().all(|t| (t.area - 1.0).abs() < 1e-12));
        let back = duct.flow(how, true, 1.0, 0).through[1].flow;
        prop_assert!((back / through - 1.0).abs() < 1e-5, "{back} back, {through} forth");
        let turned = duct.flow(how, false, 1.0, turn).through[0].flow;
        prop_assert!((turned / through - 1.0).abs() < 1e-5, "{turned} turned, {through} before");
        let grown = duct.flow(how, false, larger, 0).through[0].flow;
        let power = if creeping { 3 } else { 1 };
        prop_assert!((grown / (through * larger.powi(power)) - 1.0).abs() < 1e-5, "{grown} at {larger} times, {through} before");
    }

    /// More room never lets less through: a cube beside the duct, wherever there is none (of potentials: Lord Rayleigh, On the
    /// theory of resonance, 1871; of creeping flow: H. von Helmholtz's least dissipation, 1868).
    #[test]
    fn more_room_lets_no_less_through(duct in any_duct(), creeping: bool, at in any::<prop::sample::Index>()) {
        let free: Vec<Cube> = duct.cubes.iter()
            .flat_map(|c| (0..3).flat_map(|axis| [true, false].map(|up| beside((*c, axis, up)))))
            .filter(|c| !duct.cubes.contains(c) && duct.ends.iter().all(|e| beside(*e) != *c))
            .collect();
        prop_assume!(!free.is_empty());
        let mut wider = duct.clone();
        wider.cubes.insert(free[at.index(free.len())]);
        let how = if creeping { How::Creeping } else { How::Potential };
        let [before, after] = [&duct, &wider].map(|d| d.flow(how, false, 1.0, 0).through[0].flow);
        // Within what cells of a fifth of the side are worth: where walls lie in them changes with the room.
        prop_assert!(after > 0.96 * before, "{after} with more room, {before} without");
    }
}
