//! Stiffness, mass and geometric stiffness of one member about its own axes, after Przemieniecki, *Theory of Matrix
//! Structural Analysis* (1968), with shear deformation (Timoshenko).

use crate::model::{End, Material};
use crate::sections::Section;

/// Of the six movements of each end: along x, y, z, about x, y, z.
pub type Matrix = [[f64; 12]; 12];

/// Movements in bending in a plane, and the sign that their turns have there: v with its turn about z, w with that about y.
const BENDING: [([usize; 4], f64); 2] = [([1, 5, 7, 11], 1.0), ([2, 4, 8, 10], -1.0)];

/// Puts a 4 by 4 matrix of deflection and turn at both ends into a plane.
fn put(m: &mut Matrix, of: [[f64; 4]; 4], (at, sign): ([usize; 4], f64)) {
    let s = |i: usize| if i % 2 == 1 { sign } else { 1.0 };
    for i in 0..4 {
        for j in 0..4 {
            m[at[i]][at[j]] += of[i][j] * s(i) * s(j);
        }
    }
}

fn along(m: &mut Matrix, [a, b]: [usize; 2], same: f64, other: f64) {
    m[a][a] += same;
    m[b][b] += same;
    m[a][b] += other;
    m[b][a] += other;
}

/// Stiffness of a member of a length.
pub fn stiffness(s: &Section, m: &Material, length: f64) -> Matrix {
    let mut k = [[0.0; 12]; 12];
    let (l, e) = (length, m.young);
    along(&mut k, [0, 6], e * s.area / l, -e * s.area / l);
    along(&mut k, [3, 9], m.shear * s.torsion / l, -m.shear * s.torsion / l);
    for (plane, (i, shear)) in BENDING.into_iter().zip([(s.iz, s.shear[0]), (s.iy, s.shear[1])]) {
        let phi = 12.0 * e * i / (m.shear * shear * l * l);
        let f = e * i / (l * (1.0 + phi));
        let (a, b, c, d) = (12.0 * f / (l * l), 6.0 * f / l, (4.0 + phi) * f, (2.0 - phi) * f);
        put(&mut k, [[a, b, -a, b], [b, c, -b, d], [-a, -b, a, -b], [b, d, -b, c]], plane);
    }
    k
}

/// Consistent mass.
pub fn mass(s: &Section, m: &Material, length: f64) -> Matrix {
    let mut out = [[0.0; 12]; 12];
    let l = length;
    let all = m.density * s.area * l;
    along(&mut out, [0, 6], all / 3.0, all / 6.0);
    let polar = m.density * (s.iy + s.iz) * l;
    along(&mut out, [3, 9], polar / 3.0, polar / 6.0);
    let of = [
        [156.0, 22.0 * l, 54.0, -13.0 * l],
        [22.0 * l, 4.0 * l * l, 13.0 * l, -3.0 * l * l],
        [54.0, 13.0 * l, 156.0, -22.0 * l],
        [-13.0 * l, -3.0 * l * l, -22.0 * l, 4.0 * l * l],
    ];
    BENDING.into_iter().for_each(|plane| put(&mut out, of.map(|r| r.map(|x| x * all / 420.0)), plane));
    out
}

/// What a force along the member adds to its stiffness; pulling is positive.
pub fn geometric(force: f64, length: f64) -> Matrix {
    let mut out = [[0.0; 12]; 12];
    let l = length;
    let of = [
        [36.0, 3.0 * l, -36.0, 3.0 * l],
        [3.0 * l, 4.0 * l * l, -3.0 * l, -l * l],
        [-36.0, -3.0 * l, 36.0, -3.0 * l],
        [3.0 * l, -l * l, -3.0 * l, 4.0 * l * l],
    ];
    BENDING.into_iter().for_each(|plane| put(&mut out, of.map(|r| r.map(|x| x * force / (30.0 * l))), plane));
    out
}

/// Forces on the ends that do what an even force along the member does, about its own axes.
pub fn even_load(force: [f64; 3], length: f64) -> [f64; 12] {
    let [x, y, z] = force.map(|q| q * length / 2.0);
    let [my, mz] = [z, y].map(|half| half * length / 6.0);
    [x, y, z, 0.0, -my, mz, x, y, z, 0.0, my, -mz]
}

/// What the movements of both ends are if those of the joints are given: a release is a movement of its own, which takes the
/// value at which it feels no force, or as much as its spring gives.
pub fn released(k: &Matrix, joined: [End; 2]) -> Matrix {
    let mut t = identity();
    let mut now = *k;
    for (at, end) in joined.into_iter().enumerate() {
        // A bar with pins at both ends turns about itself, and nothing is the worse for it: one end lets go of that too.
        let spin = (at == 1 && joined == [End::Pinned; 2]).then_some(3);
        let spring = end.spring();
        for r in end.released().iter().copied().chain(spin).map(|r| r + 6 * at) {
            let pivot = now[r][r] + spring;
            // What both ends let go of moves by itself, and stays where it is.
            let scale: f64 = k[r][r];
            let mut own = identity();
            own[r] = [0.0; 12];
            if pivot > 1e-9 * scale {
                own[r] = std::array::from_fn(|j| if j == r { spring / pivot } else { -now[r][j] / pivot });
            }
            t = product(&t, &own);
            now = congruent(&now, &own);
            add_spring(&mut now, &own, r, spring);
        }
    }
    t
}

/// What springs between joints and ends add to a member's stiffness: they feel what both move differently by.
pub fn sprung(k: &mut Matrix, ends: &Matrix, joined: [End; 2]) {
    for (at, end) in joined.into_iter().enumerate() {
        end.released().iter().for_each(|r| add_spring(k, ends, r + 6 * at, end.spring()));
    }
}

/// Adds `spring · dᵀ d`, where `d` is what the end's movement `r` differs from its joint's by.
fn add_spring(k: &mut Matrix, ends: &Matrix, r: usize, spring: f64) {
    if spring == 0.0 {
        return;
    }
    let d: [f64; 12] = std::array::from_fn(|j| ends[r][j] - if j == r { 1.0 } else { 0.0 });
    for i in 0..12 {
        for j in 0..12 {
            k[i][j] += spring * d[i] * d[j];
        }
    }
}

fn identity() -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| if i == j { 1.0 } else { 0.0 }))
}

/// `a · b`.
pub fn product(a: &Matrix, b: &Matrix) -> Matrix {
    std::array::from_fn(|i| std::array::from_fn(|j| (0..12).map(|k| a[i][k] * b[k][j]).sum()))
}

/// `tᵀ · m · t`.
pub fn congruent(m: &Matrix, t: &Matrix) -> Matrix {
    let mt = product(m, t);
    std::array::from_fn(|i| std::array::from_fn(|j| (0..12).map(|k| t[k][i] * mt[k][j]).sum()))
}

/// `mᵀ · v`.
pub fn transposed(m: &Matrix, v: &[f64; 12]) -> [f64; 12] {
    std::array::from_fn(|i| (0..12).map(|k| m[k][i] * v[k]).sum())
}

/// `m · v`.
pub fn times(m: &Matrix, v: &[f64; 12]) -> [f64; 12] {
    std::array::from_fn(|i| (0..12).map(|k| m[i][k] * v[k]).sum())
}
