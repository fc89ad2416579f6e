//! Sparse symmetric positive definite systems on a lattice: conjugate gradients, with cycles over coarser lattices before them.
//!
//! Coarser matrices are sums over blocks of 2 × 2 × 2 (plain aggregation, with corrections enlarged: D. Braess, 1995);
//! smoothing is a Chebyshev polynomial (M. Adams et al., 2003). Sums are taken in fixed chunks, so that results do not depend
//! on the number of threads. Matrices are in single precision: what is solved is exactly the system that they say.

use hull_geometry::{Cancelled, Watch};
use rayon::prelude::*;

const CHUNK: usize = 1 << 14;

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

/// Rows of one chunk: their diagonal, how many entries each has, and those.
type Rows = (Vec<f64>, Vec<u32>, Vec<Entry>);

/// A symmetric matrix: its diagonal, and for each row the other entries. 8 bytes an entry.
#[derive(Default)]
pub struct Sparse {
    pub diagonal: Vec<f64>,
    starts: Vec<u32>,
    entries: Vec<Entry>,
}

impl Sparse {
    /// Rows as they come: the diagonal and the other entries of each.
    pub fn of_rows(rows: usize, row: impl Fn(usize, &mut Vec<Entry>) -> f64 + Sync) -> Sparse {
        let parts: Vec<Rows> = (0..rows.div_ceil(CHUNK))
            .into_par_iter()
            .map(|chunk| {
                let (mut diagonal, mut counts, mut entries) = (Vec::new(), Vec::new(), Vec::new());
                for i in chunk * CHUNK..(chunk * CHUNK + CHUNK).min(rows) {
                    let before = entries.len();
                    diagonal.push(row(i, &mut entries));
                    counts.push((entries.len() - before) as u32);
                }
                (diagonal, counts, entries)
            })
            .collect();
        let mut out = Sparse { starts: vec![0], ..Sparse::default() };
        for (diagonal, counts, entries) in parts {
            out.diagonal.extend(diagonal);
            for n in counts {
                out.starts.push(out.starts[out.starts.len() - 1] + n);
            }
            out.entries.extend(entries);
        }
        out
    }

    pub fn rows(&self) -> usize {
        self.diagonal.len()
    }

    pub fn row(&self, i: usize) -> &[Entry] {
        &self.entries[self.starts[i] as usize..self.starts[i + 1] as usize]
    }

    /// `out = self x`.
    pub fn apply(&self, x: &[f64], out: &mut [f64]) {
        out.par_chunks_mut(CHUNK).enumerate().for_each(|(chunk, out)| {
            for (i, out) in out.iter_mut().enumerate() {
                let i = chunk * CHUNK + i;
                let sum: f64 = self.row(i).iter().map(|(j, v)| f64::from(*v) * x[*j as usize]).sum();
                *out = self.diagonal[i] * x[i] + sum;
            }
        });
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
const LARGER: f64 = 1.5;
const DEGREE: usize = 3;
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
                        let other = block[*j as usize];
                        if other as usize == b {
                            diagonal += f64::from(*v);
                        } else if let Some(known) = out[begin..].iter_mut().find(|e| e.0 == other) {
                            known.1 += v;
                        } else {
                            out.push((other, *v));
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
    pub fn cycle(&self, b: &[f64]) -> Vec<f64> {
        self.on_level(0, b)
    }

    fn on_level(&self, n: usize, b: &[f64]) -> Vec<f64> {
        let mut x = vec![0.0; b.len()];
        let Some(level) = self.levels.get(n) else {
            smooth(&self.coarsest, b, &mut x, COARSEST_DEGREE, 1000.0);
            return x;
        };
        smooth(&level.matrix, b, &mut x, DEGREE, 8.0);
        // Coarser levels are visited twice: they cost an eighth each.
        for _ in 0..if n == 0 { 1 } else { 2 } {
            let mut rest = vec![0.0; b.len()];
            level.matrix.apply(&x, &mut rest);
            let coarse: Vec<f64> = (0..level.starts.len() - 1)
                .into_par_iter()
                .with_min_len(1 << 10)
                .map(|k| {
                    let members = &level.members[level.starts[k] as usize..level.starts[k + 1] as usize];
                    members.iter().map(|i| b[*i as usize] - rest[*i as usize]).sum()
                })
                .collect();
            let correction = self.on_level(n + 1, &coarse);
            x.par_chunks_mut(CHUNK).zip(level.block.par_chunks(CHUNK)).for_each(|(x, block)| {
                x.iter_mut().zip(block).for_each(|(x, k)| *x += LARGER * correction[*k as usize]);
            });
        }
        smooth(&level.matrix, b, &mut x, DEGREE, 8.0);
        x
    }

    /// Solves to a part of the right side's size.
    pub fn solve(&self, b: &[f64], part: f64, most: usize, watch: &Watch) -> Result<Vec<f64>, Cancelled> {
        let n = b.len();
        let (mut x, mut r) = (vec![0.0; n], b.to_vec());
        let mut z = self.cycle(&r);
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
            z = self.cycle(&r);
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
/// 2 / `spread` to 2.
fn smooth(matrix: &Sparse, b: &[f64], x: &mut [f64], degree: usize, spread: f64) {
    let (high, low) = (2.05, 2.0 / spread);
    let (middle, half) = ((high + low) / 2.0, (high - low) / 2.0);
    let mut step = vec![0.0; b.len()];
    let mut applied = vec![0.0; b.len()];
    let mut rho = half / middle;
    for k in 0..degree {
        matrix.apply(x, &mut applied);
        let (keep, take) = if k == 0 {
            (0.0, 1.0 / middle)
        } else {
            let next = 1.0 / (2.0 * middle / half - rho);
            let both = (next * rho, 2.0 * next / half);
            rho = next;
            both
        };
        x.par_chunks_mut(CHUNK).zip(step.par_chunks_mut(CHUNK)).zip(applied.par_chunks(CHUNK)).enumerate().for_each(
            |(chunk, ((x, step), applied))| {
                for (i, ((x, step), applied)) in x.iter_mut().zip(step).zip(applied).enumerate() {
                    let n = chunk * CHUNK + i;
                    *step = keep * *step + take * (b[n] - applied) / matrix.diagonal[n];
                    *x += *step;
                }
            },
        );
    }
}
