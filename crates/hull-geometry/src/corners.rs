//! For each point the facets that meet there, and walks over such stars.

use crate::mesh::Mesh;
use rayon::prelude::*;

/// Point → facets, in one flat array: 12 bytes a facet plus 4 bytes a point.
pub struct Corners {
    starts: Vec<u32>,
    facets: Vec<u32>,
}

/// One facet's edge at a point: the point at its other end, the facet, whether the facet runs the edge away
/// from the point, and the facet's third corner.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Spoke {
    pub other: u32,
    pub facet: u32,
    pub outgoing: bool,
    pub third: u32,
}

impl Corners {
    /// Facets for which `skip` holds are left out. Facets are listed in ascending order at each point.
    pub fn new(mesh: &Mesh, skip: impl Fn(u32) -> bool + Sync) -> Corners {
        let n = mesh.points.len();
        let ranges = ranges(n);
        let mut starts = vec![0u32; n + 1];
        let counts = &mut starts[1..];
        split(counts, &ranges, |r| r.len()).into_par_iter().zip(&ranges).for_each(|(counts, range)| {
            for (f, t) in mesh.triangles.iter().enumerate() {
                for &p in t {
                    if range.contains(&(p as usize)) && !skip(f as u32) {
                        counts[p as usize - range.start] += 1;
                    }
                }
            }
        });
        for i in 0..n {
            starts[i + 1] += starts[i];
        }
        let mut facets = vec![0u32; starts[n] as usize];
        split(&mut facets, &ranges, |r| (starts[r.end] - starts[r.start]) as usize)
            .into_par_iter()
            .zip(&ranges)
            .for_each(|(out, range)| {
                let base = starts[range.start];
                let mut next: Vec<u32> = starts[range.clone()].to_vec();
                for (f, t) in mesh.triangles.iter().enumerate() {
                    for &p in t {
                        if range.contains(&(p as usize)) && !skip(f as u32) {
                            let slot = &mut next[p as usize - range.start];
                            out[(*slot - base) as usize] = f as u32;
                            *slot += 1;
                        }
                    }
                }
            });
        Corners { starts, facets }
    }

    pub fn at(&self, point: u32) -> &[u32] {
        &self.facets[self.starts[point as usize] as usize..self.starts[point as usize + 1] as usize]
    }

    /// Fills `spokes` with the edges at `point`, sorted by their other end: the facets of one edge stand
    /// together. Facets must have three distinct corners.
    pub fn spokes(&self, mesh: &Mesh, point: u32, spokes: &mut Vec<Spoke>) {
        spokes.clear();
        for &facet in self.at(point) {
            let [a, b, c] = mesh.triangles[facet as usize];
            let (next, previous) = if a == point {
                (b, c)
            } else if b == point {
                (c, a)
            } else {
                (a, b)
            };
            spokes.push(Spoke { other: next, facet, outgoing: true, third: previous });
            spokes.push(Spoke { other: previous, facet, outgoing: false, third: next });
        }
        if spokes.len() > 40 {
            spokes.sort_unstable();
        } else {
            insertion_sort(spokes);
        }
    }
}

/// Stars are small: most have a dozen spokes, in runs that are nearly in order.
fn insertion_sort(spokes: &mut [Spoke]) {
    for i in 1..spokes.len() {
        let item = spokes[i];
        let key = (u64::from(item.other) << 32) | u64::from(item.facet);
        let mut j = i;
        while j > 0 && (u64::from(spokes[j - 1].other) << 32 | u64::from(spokes[j - 1].facet)) > key {
            spokes[j] = spokes[j - 1];
            j -= 1;
        }
        spokes[j] = item;
    }
}

/// Point ranges, one a thread, for passes in which each thread fills the part of an array that its own
/// points own.
fn ranges(n: usize) -> Vec<std::ops::Range<usize>> {
    let parts = rayon::current_num_threads().clamp(1, 16);
    let length = n.div_ceil(parts).max(1);
    (0..n).step_by(length).map(|s| s..(s + length).min(n)).collect()
}

fn split<'a, T>(
    mut rest: &'a mut [T],
    ranges: &[std::ops::Range<usize>],
    length: impl Fn(&std::ops::Range<usize>) -> usize,
) -> Vec<&'a mut [T]> {
    ranges
        .iter()
        .map(|r| {
            let (head, tail) = std::mem::take(&mut rest).split_at_mut(length(r));
            rest = tail;
            head
        })
        .collect()
}
