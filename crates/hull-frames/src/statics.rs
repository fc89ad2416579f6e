//! The frame under its loads: movements, reactions, forces along members, stress against yield.

use crate::assemble::{Assembled, Unsolvable};
use crate::factors::Factors;
use crate::matrices::{Matrix, times};
use crate::model::{Fix, Frame};
use faer::Mat;
use hull_geometry::vector::norm;
use serde::{Deserialize, Serialize};

/// Below this, against a matrix whose diagonal is one, the softest movement takes no force.
const NO_FORCE: f64 = 1e-13;
/// Steps towards the softest movement.
const STEPS: usize = 12;
/// Places along a member at which forces are told.
pub const STATIONS: usize = 11;

/// A frame that was solved for one case, or for all loads together.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Solved {
    /// Along x, y, z in mm, then about them in rad; by joint.
    pub moved: Vec<[f64; 6]>,
    /// What supports do on joints, in N and N·mm; noughts where there are none.
    pub reactions: Vec<[f64; 6]>,
    /// Forces along each member.
    pub members: Vec<Along>,
    /// The largest sum of all loads and reactions, against the largest load.
    pub imbalance: f64,
}

/// Forces in a member at [`STATIONS`] places along it, in N and N·mm.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Along {
    /// Pulling is positive.
    pub normal: Vec<f64>,
    /// Across, along the section's y and z.
    pub shear: [Vec<f64>; 2],
    /// Torsion.
    pub torsion: Vec<f64>,
    /// Bending about the section's y and z.
    pub bending: [Vec<f64>; 2],
    /// The largest stress along the member, in N/mm²: normal force and both moments at their worst fibre.
    pub stress: f64,
    /// That, against where the material yields.
    pub share: f64,
}

impl Solved {
    /// How far the joint that moves most does, in mm, and which it is.
    pub fn largest_move(&self) -> (f64, usize) {
        let of = |(i, m): (usize, &[f64; 6])| (norm([m[0], m[1], m[2]]), i);
        self.moved.iter().enumerate().map(of).fold((0.0, 0), |a, b| if b.0 > a.0 { b } else { a })
    }

    /// The largest stress against yield, and the member that has it.
    pub fn worst(&self) -> (f64, usize) {
        let of = |(i, m): (usize, &Along)| (m.share, i);
        self.members.iter().enumerate().map(of).fold((0.0, 0), |a, b| if b.0 > a.0 { b } else { a })
    }
}

/// A movement that takes no force.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Mechanism {
    /// By joint, the largest of them one long.
    pub moved: Vec<[f64; 6]>,
    /// Joints that move more than a tenth of the largest.
    pub joints: Vec<u32>,
}

/// The softest movement, if it takes no force.
pub fn mechanism(frame: &Frame) -> Result<Option<Mechanism>, Unsolvable> {
    let a = Assembled::of(frame)?;
    // A little is added to the diagonal, so that there are factors even where the frame moves freely.
    Ok(Factors::of(&a, 1e-12).ok().and_then(|factors| softest(&a, &factors)))
}

fn softest(a: &Assembled, factors: &Factors) -> Option<Mechanism> {
    let n = a.count;
    if n == 0 {
        return None;
    }
    let root = factors.root();
    // Anything that is not square to the softest movement will do; this is the same at every run.
    let mut x = Mat::from_fn(n, 1, |i, _| 1.0 + ((i * 7919) % 1009) as f64 / 1009.0);
    for _ in 0..STEPS {
        // With the scaled matrix: x ← (S + shift)⁻¹ x.
        let y = factors.solve_scaled(&x);
        let length = y.norm_l2();
        if !(length > 0.0 && length.is_finite()) {
            return None;
        }
        x = Mat::from_fn(n, 1, |i, _| y[(i, 0)] / length);
    }
    let kx = &a.stiffness * Mat::from_fn(n, 1, |i, _| x[(i, 0)] / root[i]);
    let value: f64 = (0..n).map(|i| x[(i, 0)] / root[i] * kx[(i, 0)]).sum();
    if value > NO_FORCE {
        return None;
    }
    let raw: Vec<f64> = (0..n).map(|i| x[(i, 0)] / root[i]).collect();
    let all = spread(a, &raw);
    let size = |m: &[f64; 6]| norm([m[0], m[1], m[2]]);
    let turn = |m: &[f64; 6]| norm([m[3], m[4], m[5]]);
    // Where nothing but turns move, they are what is told.
    let reach = a.frame.bounds().diagonal().max(1.0);
    let measure = |m: &[f64; 6]| size(m).max(1e-3 * reach * turn(m));
    let largest = all.iter().map(measure).fold(f64::MIN_POSITIVE, f64::max);
    let moved: Vec<[f64; 6]> = all.iter().map(|m| m.map(|v| v / largest)).collect();
    let joints = (0..all.len() as u32).filter(|j| measure(&all[*j as usize]) > 0.1 * largest).collect();
    Some(Mechanism { moved, joints })
}

/// Free movements by joint; held ones are noughts.
pub(crate) fn spread(a: &Assembled, free: &[f64]) -> Vec<[f64; 6]> {
    let of = |at: usize| a.free[at].map_or(0.0, |f| free[f]);
    (0..a.frame.joints.len()).map(|j| std::array::from_fn(|k| of(6 * j + k))).collect()
}

/// Solves a frame for one case or combination, or for all loads together.
///
/// # Errors
/// [`Unsolvable`].
pub fn solve(frame: &Frame, case: Option<&str>) -> Result<Solved, Unsolvable> {
    if let Some(combined) = case.and_then(|name| frame.combined(name)) {
        return solve(&combined, case);
    }
    Ok(factored(frame, case)?.2)
}

/// The frame with its factors, and what [`solve`] gives.
pub(crate) fn factored<'a>(
    frame: &'a Frame,
    case: Option<&str>,
) -> Result<(Assembled<'a>, Factors, Solved), Unsolvable> {
    let a = Assembled::of(frame)?;
    if !frame.joints.iter().any(crate::Joint::is_supported) {
        return Err(Unsolvable::Unsupported);
    }
    let factors = Factors::of(&a, 0.0).map_err(|()| Unsolvable::Mechanism)?;
    if softest(&a, &factors).is_some() {
        return Err(Unsolvable::Mechanism);
    }
    let (on_ends, on_joints) = a.loads(case);
    let given = given(frame);
    // Movements that are given push on the free ones through the members.
    let mut right: Vec<f64> = vec![0.0; a.count];
    for (at, f) in a.free.iter().enumerate().filter_map(|(at, f)| Some((at, (*f)?))) {
        right[f] = on_joints[at];
    }
    for e in a.elements.iter().filter(|e| e.at.iter().any(|at| given[*at] != 0.0)) {
        let k = e.whole(&e.stiffness);
        let push = times(&k, &e.at.map(|at| given[at]));
        for (at, p) in e.at.iter().zip(push) {
            if let Some(f) = a.free[*at] {
                right[f] -= p;
            }
        }
    }
    let x = factors.solve(&Mat::from_fn(a.count, 1, |i, _| right[i]));
    let mut moved = spread(&a, &(0..a.count).map(|i| x[(i, 0)]).collect::<Vec<_>>());
    for (at, g) in given.iter().enumerate().filter(|(at, _)| a.free[*at].is_none()) {
        moved[at / 6][at % 6] = *g;
    }
    let solved = forces(&a, case, moved, &on_ends, &on_joints);
    Ok((a, factors, solved))
}

fn given(frame: &Frame) -> Vec<f64> {
    let of = |f: &Fix| if let Fix::Moved(by) = f { *by } else { 0.0 };
    frame.joints.iter().flat_map(|j| j.held.iter().map(of)).collect()
}

/// Forces in members and on supports, from the movements.
fn forces(a: &Assembled, case: Option<&str>, moved: Vec<[f64; 6]>, on_ends: &[[f64; 12]], on_joints: &[f64]) -> Solved {
    let mut left: Vec<f64> = on_joints.iter().map(|x| -x).collect();
    let lines = a.lines(case);
    let mut members = Vec::with_capacity(a.elements.len());
    for (i, e) in a.elements.iter().enumerate() {
        let joints: [f64; 12] = std::array::from_fn(|k| moved[e.at[k] / 6][e.at[k] % 6]);
        let force = times(&e.stiffness, &e.own(&joints));
        let global = e.on_joints(&force);
        (0..12).for_each(|k| left[e.at[k]] += global[k]);
        let ends: [f64; 12] = std::array::from_fn(|k| force[k] - on_ends[i][k]);
        members.push(along(a.frame, i, &ends, lines[i], e.length));
    }
    let mut reactions = vec![[0.0; 6]; a.frame.joints.len()];
    let mut sum = [0.0; 3];
    let mut largest = f64::MIN_POSITIVE;
    for (j, joint) in a.frame.joints.iter().enumerate() {
        for k in 0..6 {
            if joint.held[k] != Fix::Free {
                reactions[j][k] = match joint.held[k] {
                    Fix::Spring(s) => -s * moved[j][k],
                    _ => left[6 * j + k],
                };
            }
            if k < 3 {
                sum[k] += reactions[j][k] + on_joints[6 * j + k];
                largest = largest.max(on_joints[6 * j + k].abs()).max(reactions[j][k].abs());
            }
        }
    }
    Solved { moved, reactions, members, imbalance: sum.iter().fold(0.0_f64, |m, x| m.max(x.abs())) / largest }
}

/// Forces along one member, from those on its first end and what acts along it.
fn along(frame: &Frame, member: usize, ends: &[f64; 12], line: [f64; 3], length: f64) -> Along {
    let mut out = Along::default();
    let made = frame.made_of(&frame.members[member]);
    for i in 0..STATIONS {
        let x = length * i as f64 / (STATIONS - 1) as f64;
        let normal = -(ends[0] + line[0] * x);
        let (vy, vz) = (ends[1] + line[1] * x, ends[2] + line[2] * x);
        let my = -ends[4] - ends[2] * x - 0.5 * line[2] * x * x;
        let mz = -ends[5] + ends[1] * x + 0.5 * line[1] * x * x;
        out.normal.push(normal);
        out.shear[0].push(vy);
        out.shear[1].push(vz);
        out.torsion.push(-ends[3]);
        out.bending[0].push(my);
        out.bending[1].push(mz);
        if let Some((s, m)) = made {
            let stress = normal.abs() / s.area + my.abs() * s.reach[0] / s.iy + mz.abs() * s.reach[1] / s.iz;
            out.stress = out.stress.max(stress);
            out.share = out.stress / m.yields;
        }
    }
    out
}

/// A matrix of noughts, for members without a force along them.
pub(crate) const NOTHING: Matrix = [[0.0; 12]; 12];
