//! Creeping (Stokes) flow: friction and pressure alone, without inertia.
//!
//! Staggered as by F. H. Harlow and J. E. Welch, 1965: pressures in cells, velocities on the faces between them. Where a wall
//! lies before the next velocity the distance to it is taken instead of a whole cell (F. Gibou et al., 2002), so that the
//! matrix stays symmetric. Solved by the method of minimal residuals (C. C. Paige and M. A. Saunders, 1975), with cycles over
//! coarser lattices for the friction, and for the pressure the sum of what fine and what long waves ask for: one, and the
//! inverse of a seepage whose permeability is the flow that a uniform pressure gradient would drive.
//!
//! In cells, with a viscosity of one.

use crate::faces::{Faces, NEAREST, Side, line_at};
use crate::flow::Field;
use crate::lattice::{Crossing, Kind, Lattice, Through};
use crate::multigrid::{Multigrid, Row, Sparse, add_scaled, dot};
use hull_geometry::{Cancelled, Watch};
use rayon::prelude::*;

/// How friction couples a face to what lies beside it.
enum Beside {
    /// Another face, as strongly as this.
    Face(u32, f64),
    /// A wall, as strongly as this.
    Wall(f64),
    /// Nothing: the flow goes on, or slips.
    Free,
}

fn beside(lattice: &Lattice, faces: &Faces, i: u32, along: usize, way: i64) -> Beside {
    let f = &faces.all[i as usize];
    let at = f.at.map(i64::from);
    let mut next = at;
    next[along] += way;
    let other = faces.at(f.axis, next);
    if along == f.axis {
        if let Some(other) = other {
            return Beside::Face(other, 1.0);
        }
        let outward = f.inward() as i64 == -way;
        if outward && f.inward() != 0 {
            return Beside::Free;
        }
        let across = [f.at[(along + 1) % 3] as usize, f.at[(along + 2) % 3] as usize];
        let line = lattice.crossings(along, Through::Middles, across);
        return wall_ahead(line, f64::from(f.at[along]), way, 1.5, 1.0);
    }
    let length = |j: u32| f64::from(faces.all[j as usize].length);
    let strength = other.map_or(length(i), |j| (length(i) + length(j)) / 2.0);
    // Beside an opening both look along the line further inside, so that each sees what the other does.
    let inward = other.map_or(0, |j| faces.all[j as usize].inward());
    let inward = if f.inward() == 0 { inward } else { f.inward() };
    let mut seen_from = f.at.map(usize::from);
    seen_from[f.axis] = (seen_from[f.axis] as i64 + i64::from(inward)).max(0) as usize;
    let line = line_at(lattice, f.axis, seen_from, along);
    let from = f64::from(f.at[along]) + 0.5;
    match (ahead(line, from, way, 1.0), other) {
        (Some(_), _) => wall_ahead(line, from, way, 1.0, strength),
        (None, Some(j)) => Beside::Face(j, strength),
        // Steps of an opening that stands askew are no walls.
        (None, None) if f.inward() != 0 => Beside::Free,
        (None, None) => Beside::Wall(strength),
    }
}

fn ahead(line: &[Crossing], from: f64, way: i64, within: f64) -> Option<(f64, Kind)> {
    let at = |c: &Crossing| (way as f64 * (f64::from(c.0) - from), c.1);
    let all = line.iter().map(at).filter(|c| c.0 > 0.0 && c.0 <= within);
    all.min_by(|a, b| a.0.total_cmp(&b.0))
}

fn wall_ahead(line: &[Crossing], from: f64, way: i64, within: f64, strength: f64) -> Beside {
    match ahead(line, from, way, within) {
        Some((distance, Kind::Wall)) => Beside::Wall(strength / distance.max(NEAREST)),
        _ => Beside::Free,
    }
}

/// The friction of one component of the velocity, rows in the order of `members`.
fn friction(lattice: &Lattice, faces: &Faces, members: std::ops::Range<usize>) -> Sparse {
    Sparse::of_rows(members.len(), |row, out| {
        let i = (members.start + row) as u32;
        let mut diagonal = 0.0;
        for (along, way) in [(0, -1), (0, 1), (1, -1), (1, 1), (2, -1), (2, 1)] {
            match beside(lattice, faces, i, along, way) {
                Beside::Face(j, w) => {
                    diagonal += w;
                    out.push((j - members.start as u32, -w as f32));
                }
                Beside::Wall(w) => diagonal += w,
                Beside::Free => {}
            }
        }
        // A face that nothing holds is held a little.
        diagonal.max(1e-3)
    })
}

/// The parts of a system: friction by component, and seepage for the pressure.
struct System<'a> {
    faces: &'a Faces,
    components: Vec<(std::ops::Range<usize>, Multigrid)>,
    seepage: Multigrid,
    /// What each cell gains: its faces, with the sign of what comes in.
    gains: Vec<Row>,
}

impl System<'_> {
    /// Friction and pressure gradient on faces, and what each cell gains, of velocities and pressures one behind the other.
    fn apply(&self, x: &[f64], out: &mut [f64]) {
        let n = self.faces.all.len();
        let (u, p) = x.split_at(n);
        let (momentum, gain) = out.split_at_mut(n);
        for (range, friction) in &self.components {
            friction.matrix().apply(&u[range.clone()], &mut momentum[range.clone()]);
        }
        momentum.par_iter_mut().zip(&self.faces.all).with_min_len(1 << 12).for_each(|(out, f)| {
            let at = |k: usize| if let Side::Cell(c) = f.sides[k] { p[c as usize] } else { 0.0 };
            *out += at(1) - at(0);
        });
        gain.par_iter_mut().zip(&self.gains).with_min_len(1 << 12).for_each(|(out, row)| *out = row.of(u));
    }

    fn precondition(&self, r: &[f64]) -> Vec<f64> {
        let n = self.faces.all.len();
        let mut out = vec![0.0; r.len()];
        for (range, friction) in &self.components {
            friction.cycle(&r[range.clone()], &mut out[range.clone()]);
        }
        self.seepage.cycle(&r[n..], &mut out[n..]);
        add_scaled(&mut out[n..], 1.0, &r[n..]);
        out
    }
}

/// Iterations at most.
const MOST: usize = 600;

/// Solves for velocities and pressures between openings at given pressures.
pub fn solve(lattice: &Lattice, faces: &Faces, pressures: &[f64], watch: &Watch) -> Result<Field, Cancelled> {
    watch.report(0.1, "setting up friction")?;
    let n = faces.all.len();
    let mut components = Vec::new();
    let mut permeability = Vec::with_capacity(n);
    for axis in 0..3 {
        let begins = faces.all.partition_point(|f| f.axis < axis);
        let range = begins..faces.all.partition_point(|f| f.axis <= axis);
        let places = faces.all[range.clone()].iter().map(|f| f.at).collect();
        let friction = Multigrid::new(friction(lattice, faces, range.clone()), places);
        watch.report(0.12 + 0.05 * axis as f64, "asking how far walls are")?;
        permeability.extend(friction.solve(&vec![1.0; range.len()], 1e-2, 40, watch)?);
        components.push((range, friction));
    }
    let around = faces.around();
    let seepage = Sparse::of_rows(faces.cells.len(), |c, out| {
        let mut diagonal = 0.0;
        for &(f, other) in &around[c] {
            let w = permeability[f as usize].max(1e-6);
            diagonal += w;
            out.extend(other.map(|o| (o, -w as f32)));
        }
        diagonal
    });
    let places = faces.cells.iter().map(|c| lattice.cell_of(*c as usize).map(|x| x as u16)).collect();
    let sign = |c: usize, f: u32| if faces.all[f as usize].sides[1] == Side::Cell(c as u32) { 1.0 } else { -1.0 };
    let gain = |(c, around): (usize, &Vec<(u32, Option<u32>)>)| {
        Row::of_entries(0, around.iter().map(|(f, _)| (*f, sign(c, *f))))
    };
    let gains = around.iter().enumerate().map(gain).collect();
    let system = System { faces, components, seepage: Multigrid::new(seepage, places), gains };
    let mut right = vec![0.0; n + faces.cells.len()];
    for (out, f) in right.iter_mut().zip(&faces.all) {
        if let Some((_, opening)) = f.opening() {
            let behind = matches!(f.sides[1], Side::Opening(_));
            *out = pressures[opening as usize] * if behind { -1.0 } else { 1.0 };
        }
    }
    let mut x = minimal_residual(&system, &right, 1e-8, watch)?;
    let pressure = x.split_off(n);
    Ok(Field { flux: x, pressure })
}

/// Solves a symmetric system, indefinite as it may be, to a part of the right side's size.
fn minimal_residual(system: &System, right: &[f64], part: f64, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
    let n = right.len();
    let mut x = vec![0.0; n];
    let (mut before, mut v) = (vec![0.0; n], right.to_vec());
    let mut z = system.precondition(&v);
    let (mut gamma_before, mut gamma) = (1.0, dot(&z, &v).max(0.0).sqrt());
    let (mut w_before, mut w) = (vec![0.0; n], vec![0.0; n]);
    let (mut eta, first) = (gamma, gamma);
    let (mut s_before, mut s, mut c_before, mut c) = (0.0, 0.0, 1.0, 1.0);
    let mut applied = vec![0.0; n];
    for _ in 0..MOST {
        if gamma == 0.0 || eta.abs() <= part * first {
            break;
        }
        let done = (first / eta.abs().max(f64::MIN_POSITIVE)).ln() / (1.0 / part).ln();
        watch.report(0.3 + 0.6 * done.clamp(0.0, 1.0), "solving for velocity and pressure")?;
        z.par_iter_mut().with_min_len(1 << 12).for_each(|z| *z /= gamma);
        system.apply(&z, &mut applied);
        let delta = dot(&applied, &z);
        add_scaled(&mut applied, -delta / gamma, &v);
        add_scaled(&mut applied, -gamma / gamma_before, &before);
        std::mem::swap(&mut before, &mut v);
        std::mem::swap(&mut v, &mut applied);
        let next = system.precondition(&v);
        let gamma_next = dot(&next, &v).max(0.0).sqrt();
        let a0 = c * delta - c_before * s * gamma;
        let a1 = a0.hypot(gamma_next);
        let a2 = s * delta + c_before * c * gamma;
        let a3 = s_before * gamma;
        (c_before, c) = (c, a0 / a1);
        (s_before, s) = (s, gamma_next / a1);
        // The direction before last is written over.
        w_before.par_iter_mut().zip(&w).zip(&z).with_min_len(1 << 12).for_each(|((old, w), z)| {
            *old = (z - a3 * *old - a2 * w) / a1;
        });
        std::mem::swap(&mut w_before, &mut w);
        add_scaled(&mut x, c * eta, &w);
        eta *= -s;
        (gamma_before, gamma) = (gamma, gamma_next);
        z = next;
    }
    Ok(x)
}
