//! Sparse symmetric positive definite systems on a lattice: conjugate gradients, with cycles over coarser lattices before them.
//!
//! Coarser matrices are sums over blocks of 2 × 2 × 2 (plain aggregation, with corrections enlarged: D. Braess, 1995);
//! smoothing is a Chebyshev polynomial (M. Adams et al., 2003). Sums are taken in fixed chunks, so that results do not depend
//! on the number of threads. Matrices are in single precision: what is solved is exactly the system that they say. Cycles are
//! in single precision throughout, as they need be no better than the matrix that they stand for is near its coarser ones.

use hull_geometry::{Cancelled, Watch};
use rayon::prelude::*;
use std::ops::{Add, Mul};

const CHUNK: usize = 1 << 14;

/// Does something with each value and its number: short vectors are not worth being shared out.
fn in_chunks<T: Send>(values: &mut [T], each: impl Fn(usize, &mut T) + Sync) {
    if values.len() <= CHUNK {
        return values.iter_mut().enumerate().for_each(|(i, v)| each(i, v));
    }
    values.par_chunks_mut(CHUNK).enumerate().for_each(|(chunk, part)| {
        part.iter_mut().enumerate().for_each(|(i, v)| each(chunk * CHUNK + i, v));
    });
}

/// The sum of products of two vectors.
pub fn dot(a: &[f64], b: &[f64]) -> f64 {
    let parts: Vec<f64> =
        a.par_chunks(CHUNK).zip(b.par_chunks(CHUNK)).map(|(a, b)| a.iter().zip(b).map(|(x, y)| x * y).sum()).collect();
    parts.iter().sum()
}

/// `y += s x`.
pub fn add_scaled(y: &mut [f64], s: f64, x: &[f64]) {
    y.par_chunks_mut(CHUNK).zip(x.par_chunks(CHUNK)).for_each(|(y, x)| {
        y.iter_mut().zip(x).for_each(|(y, x)| *y += s * x);
    });
}

/// An entry off the diagonal: column and value.
pub type Entry = (u32, f32);

/// Entries of a row off the diagonal, at most: what lies before and behind it along each axis. On coarser lattices too, as
/// what is joined there lies beside each other along one axis.
pub const BESIDE: usize = 6;

/// What stands off the diagonal of a row; where there is less, the rest are noughts at the row itself.
#[derive(Clone, Copy, Default)]
pub struct Row {
    columns: [u32; BESIDE],
    values: [f32; BESIDE],
}

impl Row {
    /// Of up to [`BESIDE`] entries; the rest are noughts at `own`.
    pub fn of_entries(own: u32, entries: impl IntoIterator<Item = Entry>) -> Row {
        let mut row = Row { columns: [own; BESIDE], values: [0.0; BESIDE] };
        for (k, (column, value)) in entries.into_iter().enumerate() {
            debug_assert!(k < BESIDE, "more than {BESIDE} entries");
            (row.columns[k], row.values[k]) = (column, value);
        }
        row
    }

    /// What it makes of `x`: in pairs, which do not wait for each other.
    #[inline(always)]
    pub fn of<T: Copy + From<f32> + Add<Output = T> + Mul<Output = T>>(&self, x: &[T]) -> T {
        let of = |k: usize| T::from(self.values[k]) * x[self.columns[k] as usize];
        (of(0) + of(1)) + (of(2) + of(3)) + (of(4) + of(5))
    }
}

/// A symmetric matrix: its diagonal, and for each row up to [`BESIDE`] other entries. 60 bytes a row.
#[derive(Default)]
pub struct Sparse {
    pub diagonal: Vec<f64>,
    /// One over the diagonal.
    inverse: Vec<f32>,
    rows: Vec<Row>,
}

impl Sparse {
    /// Rows as they come: the diagonal and the other entries of each.
    pub fn of_rows(rows: usize, row: impl Fn(usize, &mut Vec<Entry>) -> f64 + Sync) -> Sparse {
        let mut out = Sparse { diagonal: vec![0.0; rows], inverse: vec![0.0; rows], rows: vec![Row::default(); rows] };
        let places = out.diagonal.par_chunks_mut(CHUNK).zip(out.inverse.par_chunks_mut(CHUNK));
        places.zip(out.rows.par_chunks_mut(CHUNK)).enumerate().for_each(|(chunk, ((diagonal, inverse), rows))| {
            let mut own = Vec::with_capacity(BESIDE);
            for (k, out) in rows.iter_mut().enumerate() {
                let i = chunk * CHUNK + k;
                own.clear();
                diagonal[k] = row(i, &mut own);
                inverse[k] = (1.0 / diagonal[k]) as f32;
                *out = Row::of_entries(i as u32, own.iter().copied());
            }
        });
        out
    }

    pub fn rows(&self) -> usize {
        self.diagonal.len()
    }

    /// The entries off the diagonal of row `i`, noughts left out.
    fn row(&self, i: usize) -> impl Iterator<Item = Entry> {
        let Row { columns, values } = self.rows[i];
        columns.into_iter().zip(values).filter(|e| e.1 != 0.0)
    }

    /// `out = self x`.
    pub fn apply(&self, x: &[f64], out: &mut [f64]) {
        let own = x.par_chunks(CHUNK).zip(self.diagonal.par_chunks(CHUNK));
        out.par_chunks_mut(CHUNK).zip(self.rows.par_chunks(CHUNK)).zip(own).for_each(
            |((out, rows), (own, diagonal))| {
                for (((out, row), own), diagonal) in out.iter_mut().zip(rows).zip(own).zip(diagonal) {
                    *out = diagonal * own + row.of(x);
                }
            },
        );
    }
}

struct Level {
    matrix: Sparse,
    /// The block of each row, on the next coarser level.
    block: Vec<u32>,
    /// Rows of each block.
    starts: Vec<u32>,
    members: Vec<u32>,
}

/// A matrix with coarser ones of it.
pub struct Multigrid {
    levels: Vec<Level>,
    coarsest: Sparse,
}

/// Rows below which no coarser matrix is made.
const FEW: usize = 400;
const MOST_LEVELS: usize = 16;
/// Blocks are stiffer than what they stand for: their corrections are made larger.
const LARGER: f32 = 1.5;
const DEGREE: usize = 2;
const COARSEST_DEGREE: usize = 60;

impl Multigrid {
    /// `places` are the rows' places on the lattice.
    pub fn new(matrix: Sparse, mut places: Vec<[u16; 3]>) -> Multigrid {
        let mut levels = Vec::new();
        let mut matrix = matrix;
        while matrix.rows() > FEW && levels.len() < MOST_LEVELS {
            places.par_iter_mut().for_each(|p| *p = p.map(|x| x / 2));
            let key = |i: u32| {
                let [x, y, z] = places[i as usize].map(u64::from);
                (z << 32 | y << 16 | x) << 16
            };
            let mut members: Vec<u32> = (0..matrix.rows() as u32).collect();
            members.par_sort_unstable_by_key(|i| (key(*i), *i));
            let (mut block, mut starts) = (vec![0u32; members.len()], Vec::new());
            let mut coarse_places = Vec::new();
            for (n, i) in members.iter().enumerate() {
                if n == 0 || key(members[n - 1]) != key(*i) {
                    starts.push(n as u32);
                    coarse_places.push(places[*i as usize]);
                }
                block[*i as usize] = starts.len() as u32 - 1;
            }
            let blocks = starts.len();
            starts.push(members.len() as u32);
            if blocks * 10 > matrix.rows() * 9 {
                break;
            }
            let coarse = Sparse::of_rows(blocks, |b, out| {
                let begin = out.len();
                let mut diagonal = 0.0;
                for i in &members[starts[b] as usize..starts[b + 1] as usize] {
                    diagonal += matrix.diagonal[*i as usize];
                    for (j, v) in matrix.row(*i as usize) {
                        let other = block[j as usize];
                        if other as usize == b {
                            diagonal += f64::from(v);
                        } else if let Some(known) = out[begin..].iter_mut().find(|e| e.0 == other) {
                            known.1 += v;
                        } else {
                            out.push((other, v));
                        }
                    }
                }
                diagonal
            });
            places = coarse_places;
            levels.push(Level { matrix: std::mem::replace(&mut matrix, coarse), block, starts, members });
        }
        Multigrid { levels, coarsest: matrix }
    }

    /// The finest matrix.
    pub fn matrix(&self) -> &Sparse {
        self.levels.first().map_or(&self.coarsest, |l| &l.matrix)
    }

    /// About the inverse of the matrix times `b`: symmetric and positive definite.
    pub fn cycle(&self, b: &[f64], out: &mut [f64]) {
        // Brought to a size that single precision holds, whatever it is.
        let size = dot(b, b).sqrt();
        if size == 0.0 || !size.is_finite() {
            return out.fill(0.0);
        }
        let single: Vec<f32> = b.par_iter().with_min_len(CHUNK).map(|b| (b / size) as f32).collect();
        let found = self.on_level(0, &single);
        in_chunks(out, |i, x| *x = f64::from(found[i]) * size);
    }

    fn on_level(&self, n: usize, b: &[f32]) -> Vec<f32> {
        let Some(level) = self.levels.get(n) else {
            return smooth(&self.coarsest, b, None, COARSEST_DEGREE, 1000.0);
        };
        let mut x = smooth(&level.matrix, b, None, DEGREE, 8.0);
        // Coarser levels are visited twice: they cost an eighth each.
        for _ in 0..if n == 0 { 1 } else { 2 } {
            let (rows, diagonal) = (&level.matrix.rows, &level.matrix.diagonal);
            let left = |i: usize| b[i] - diagonal[i] as f32 * x[i] - rows[i].of(&x);
            let mut coarse = vec![0.0; level.starts.len() - 1];
            in_chunks(&mut coarse, |k, out| {
                let members = &level.members[level.starts[k] as usize..level.starts[k + 1] as usize];
                *out = members.iter().map(|i| left(*i as usize)).sum();
            });
            let correction = self.on_level(n + 1, &coarse);
            in_chunks(&mut x, |i, x| *x += LARGER * correction[level.block[i] as usize]);
        }
        smooth(&level.matrix, b, Some(x), DEGREE, 8.0)
    }

    /// Solves to a part of the right side's size.
    pub fn solve(&self, b: &[f64], part: f64, most: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        let n = b.len();
        let (mut x, mut r) = (vec![0.0; n], b.to_vec());
        let mut z = vec![0.0; n];
        self.cycle(&r, &mut z);
        let mut p = z.clone();
        let mut q = vec![0.0; n];
        let (mut rz, aim) = (dot(&r, &z), dot(b, b).sqrt() * part);
        for _ in 0..most {
            if dot(&r, &r).sqrt() <= aim || rz <= 0.0 {
                break;
            }
            watch.check()?;
            self.matrix().apply(&p, &mut q);
            let step = rz / dot(&p, &q);
            add_scaled(&mut x, step, &p);
            add_scaled(&mut r, -step, &q);
            self.cycle(&r, &mut z);
            let next = dot(&r, &z);
            let keep = next / rz;
            rz = next;
            p.par_chunks_mut(CHUNK).zip(z.par_chunks(CHUNK)).for_each(|(p, z)| {
                p.iter_mut().zip(z).for_each(|(p, z)| *p = z + keep * *p);
            });
        }
        Ok(x)
    }
}

/// Lessens what is left of `b - matrix x` by a polynomial of a degree, for eigenvalues (of the matrix over its diagonal) from
/// 2 / `spread` to 2. Without an `x` it begins at nothing.
fn smooth(matrix: &Sparse, b: &[f32], x: Option<Vec<f32>>, degree: usize, spread: f32) -> Vec<f32> {
    let (high, low) = (2.05, 2.0 / spread);
    let (middle, half) = ((high + low) / 2.0, (high - low) / 2.0);
    let (mut next, mut step) = (vec![0.0_f32; b.len()], vec![0.0_f32; b.len()]);
    let mut begun = x.is_some();
    let mut x = x.unwrap_or_else(|| vec![0.0; b.len()]);
    let mut rho = half / middle;
    for k in 0..degree {
        let (keep, take) = if k == 0 {
            (0.0, 1.0 / middle)
        } else {
            let after = 1.0 / (2.0 * middle / half - rho);
            let both = (after * rho, 2.0 * after / half);
            rho = after;
            both
        };
        // The matrix over its diagonal: the diagonal itself gives x back.
        let part = |chunk: usize, next: &mut [f32], step: &mut [f32]| {
            let these = chunk * CHUNK..chunk * CHUNK + next.len();
            let own = b[these.clone()].iter().zip(&matrix.inverse[these.clone()]).zip(&x[these.clone()]);
            let rows = matrix.rows[these].iter();
            for (((next, step), ((b, inverse), x_own)), row) in next.iter_mut().zip(step).zip(own).zip(rows) {
                let beside = if begun { row.of(&x) } else { 0.0 };
                *step = keep * *step + take * ((b - beside) * inverse - x_own);
                *next = x_own + *step;
            }
        };
        if b.len() <= CHUNK {
            part(0, &mut next, &mut step);
        } else {
            let parts = next.par_chunks_mut(CHUNK).zip(step.par_chunks_mut(CHUNK));
            parts.enumerate().for_each(|(chunk, (next, step))| part(chunk, next, step));
        }
        std::mem::swap(&mut x, &mut next);
        begun = true;
    }
    x
}
