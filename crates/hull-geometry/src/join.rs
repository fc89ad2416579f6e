//! Joining points that are exactly equal.
//!
//! An open-addressing table of point numbers per part of the input, merged in input order, so that points
//! are numbered by first appearance whatever the number of parts or threads.

use crate::mesh::{Mesh, NONE, Point};
use rayon::prelude::*;

/// What can be joined: coordinates compared bit by bit (with -0 as 0).
pub trait Coordinates: Copy + Send + Sync {
    /// The coordinates with -0 turned into 0.
    fn settled(self) -> Self;
    fn same(self, other: Self) -> bool;
    fn hash(self) -> u64;
    fn widened(self) -> Point;
}

fn mix(words: [u64; 3]) -> u64 {
    let mut h = 0x9e37_79b9_7f4a_7c15_u64;
    for w in words {
        h = (h.rotate_left(25) ^ w).wrapping_mul(0xff51_afd7_ed55_8ccd);
        h ^= h >> 32;
    }
    h
}

impl Coordinates for [f32; 3] {
    fn settled(self) -> Self {
        self.map(|x| x + 0.0)
    }
    fn same(self, other: Self) -> bool {
        self.map(f32::to_bits) == other.map(f32::to_bits)
    }
    fn hash(self) -> u64 {
        mix(self.map(|x| u64::from(x.to_bits())))
    }
    fn widened(self) -> Point {
        self.map(f64::from)
    }
}

impl Coordinates for [f64; 3] {
    fn settled(self) -> Self {
        self.map(|x| x + 0.0)
    }
    fn same(self, other: Self) -> bool {
        self.map(f64::to_bits) == other.map(f64::to_bits)
    }
    fn hash(self) -> u64 {
        mix(self.map(f64::to_bits))
    }
    fn widened(self) -> Point {
        self
    }
}

/// Points looked up together: their slots are touched first, so that the waits for memory overlap.
const BATCH: usize = 48;

/// Numbers distinct points in the order in which they first appear.
pub struct Joiner<P> {
    /// A point and its number ([`NONE`]: empty). The point stands in its slot, so that a look-up waits for
    /// memory once.
    slots: Vec<(P, u32)>,
    points: Vec<P>,
    empty: P,
}

impl<P: Coordinates + Default> Joiner<P> {
    /// A joiner with room for about `expected` distinct points before it grows.
    pub fn with_capacity(expected: usize) -> Self {
        let empty = P::default();
        let slots = vec![(empty, NONE); (expected * 2).next_power_of_two().max(64)];
        Joiner { slots, points: Vec::with_capacity(expected), empty }
    }

    /// The number of `point`, a new one if it has not been seen.
    pub fn number(&mut self, point: P) -> u32 {
        let point = point.settled();
        self.number_hashed(point, point.hash())
    }

    /// The numbers of many points, in order.
    pub fn number_all(&mut self, points: &[P], numbers: &mut Vec<u32>) {
        let mut hashes = [0u64; BATCH];
        for batch in points.chunks(BATCH) {
            let mask = self.slots.len() - 1;
            let mut touched = 0;
            for (hash, point) in hashes.iter_mut().zip(batch) {
                *hash = point.settled().hash();
                touched ^= self.slots[*hash as usize & mask].1;
            }
            std::hint::black_box(touched);
            for (hash, point) in hashes.iter().zip(batch) {
                let number = self.number_hashed(point.settled(), *hash);
                numbers.push(number);
            }
        }
    }

    fn number_hashed(&mut self, point: P, hash: u64) -> u32 {
        let mask = self.slots.len() - 1;
        let mut at = hash as usize & mask;
        loop {
            match self.slots[at] {
                (_, NONE) => break,
                (held, number) if held.same(point) => return number,
                _ => at = (at + 1) & mask,
            }
        }
        let number = self.points.len() as u32;
        self.slots[at] = (point, number);
        self.points.push(point);
        if self.points.len() * 3 > self.slots.len() * 2 {
            self.grow();
        }
        number
    }

    fn grow(&mut self) {
        let mask = self.slots.len() * 2 - 1;
        self.slots = vec![(self.empty, NONE); mask + 1];
        for (number, &point) in self.points.iter().enumerate() {
            let mut at = point.hash() as usize & mask;
            while self.slots[at].1 != NONE {
                at = (at + 1) & mask;
            }
            self.slots[at] = (point, number as u32);
        }
    }

    /// The distinct points in the order of their numbers.
    pub fn into_points(self) -> Vec<P> {
        self.points
    }
}

/// Facets of one part of an input, with points numbered within the part.
pub struct Part<P> {
    pub points: Vec<P>,
    pub triangles: Vec<[u32; 3]>,
}

/// Puts parts one behind the other and joins their equal points. Points are numbered by first appearance.
pub fn merge<P: Coordinates + Default>(parts: Vec<Part<P>>) -> Mesh {
    let total: usize = parts.iter().map(|p| p.triangles.len()).sum();
    let single = parts.len() == 1;
    let mut mesh = Mesh { points: Vec::new(), triangles: Vec::with_capacity(total) };
    let mut joiner =
        Joiner::with_capacity(if single { 0 } else { parts.iter().map(|p| p.points.len()).max().unwrap_or(0) });
    for part in parts {
        if single {
            mesh.points = part.points.into_iter().map(P::widened).collect();
            mesh.triangles = part.triangles;
            return mesh;
        }
        let mut number = Vec::with_capacity(part.points.len());
        joiner.number_all(&part.points, &mut number);
        mesh.triangles.par_extend(part.triangles.into_par_iter().map(|t| t.map(|p| number[p as usize])));
    }
    mesh.points = joiner.into_points().into_iter().map(P::widened).collect();
    mesh
}

/// Joins the equal points of a mesh. Returns how many points went.
pub fn join_equal_points(mesh: &mut Mesh) -> usize {
    let parts = rayon::current_num_threads().max(1);
    let length = mesh.points.len().div_ceil(parts).max(1);
    let joined: Vec<(Vec<Point>, Vec<u32>)> = mesh
        .points
        .par_chunks(length)
        .map(|chunk| {
            let mut joiner = Joiner::with_capacity(chunk.len() / 4);
            let mut numbers = Vec::with_capacity(chunk.len());
            joiner.number_all(chunk, &mut numbers);
            (joiner.into_points(), numbers)
        })
        .collect();
    let before = mesh.points.len();
    let mut all = Joiner::with_capacity(joined.iter().map(|j| j.0.len()).max().unwrap_or(0));
    let mut number = Vec::with_capacity(before);
    for (points, numbers) in joined {
        let mut global = Vec::with_capacity(points.len());
        all.number_all(&points, &mut global);
        number.extend(numbers.into_iter().map(|n| global[n as usize]));
    }
    mesh.points = all.into_points();
    if mesh.points.len() < before {
        mesh.triangles.par_iter_mut().flatten().for_each(|p| *p = number[*p as usize]);
    }
    before - mesh.points.len()
}
