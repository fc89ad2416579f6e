//! Joining points that are exactly equal.
//!
//! An open-addressing table of point numbers per part of the input (8 bytes a slot), behind a small table of
//! the points seen lately. Parts are merged in input order, so that points are numbered by first appearance
//! whatever the number of parts or threads. Corners in no order, whose table would wait for memory at each of them, go
//! through [`by_partitions`] and get the same numbers.

use crate::mesh::{Mesh, NONE, Point, PointId};
use rayon::prelude::*;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use typed_index_collections::TiVec;

/// What can be joined: coordinates compared bit by bit (with -0 as 0).
pub trait Coordinates: Copy + Send + Sync {
    /// The coordinates with -0 turned into 0.
    fn settled(self) -> Self;
    /// Whether the two are one point.
    fn same(self, other: Self) -> bool;
    /// A number that equal points share.
    fn hash(self) -> u64;
    /// In double precision.
    fn widened(self) -> Point;
}

#[inline]
fn mix(words: [u64; 3]) -> u64 {
    let mut h = 0x9e37_79b9_7f4a_7c15_u64;
    for w in words {
        h = (h.rotate_left(25) ^ w).wrapping_mul(0xff51_afd7_ed55_8ccd);
        h ^= h >> 32;
    }
    h
}

impl Coordinates for [f32; 3] {
    #[inline]
    fn settled(self) -> Self {
        self.map(|x| x + 0.0)
    }
    #[inline]
    fn same(self, other: Self) -> bool {
        self.map(f32::to_bits) == other.map(f32::to_bits)
    }
    #[inline]
    fn hash(self) -> u64 {
        mix(self.map(|x| u64::from(x.to_bits())))
    }
    #[inline]
    fn widened(self) -> Point {
        self.map(f64::from)
    }
}

impl Coordinates for [f64; 3] {
    #[inline]
    fn settled(self) -> Self {
        self.map(|x| x + 0.0)
    }
    #[inline]
    fn same(self, other: Self) -> bool {
        self.map(f64::to_bits) == other.map(f64::to_bits)
    }
    #[inline]
    fn hash(self) -> u64 {
        mix(self.map(f64::to_bits))
    }
    #[inline]
    fn widened(self) -> Point {
        self
    }
}

/// Points that are looked up together: the slots of those not seen lately are touched first, so that the
/// waits for memory overlap.
const BATCH: usize = 256;

/// How many points seen lately are kept at hand. Most corners were seen a few facets before; this much stays
/// in the processor's own cache, where the whole table does not.
const RECENT: usize = 1 << 12;

/// A slot of the table: the number of a point ([`PointId::NONE`]: empty) and the upper half of its hash.
#[derive(Clone, Copy)]
struct Slot {
    number: PointId,
    tag: u32,
}

const EMPTY: Slot = Slot { number: PointId::NONE, tag: 0 };

/// Numbers distinct points in the order in which they first appear.
pub struct Joiner<P> {
    slots: Vec<Slot>,
    points: TiVec<PointId, P>,
    recent: Vec<(P, PointId)>,
}

impl<P: Coordinates + Default> Joiner<P> {
    /// A joiner with room for about `expected` distinct points before it grows.
    pub fn with_capacity(expected: usize) -> Self {
        Joiner {
            slots: vec![EMPTY; (expected + expected / 2).next_power_of_two().max(64)],
            points: TiVec::with_capacity(expected),
            recent: vec![(P::default(), PointId::NONE); RECENT],
        }
    }

    /// The number of `point`, a new one if it has not been seen.
    pub fn number(&mut self, point: P) -> PointId {
        let point = point.settled();
        let hash = point.hash();
        self.seen_lately(point, hash).unwrap_or_else(|| self.number_hashed(point, hash))
    }

    /// The numbers of many points, in order.
    pub fn number_all(&mut self, points: &[P], numbers: &mut Vec<PointId>) {
        let mut hashes = [0u64; BATCH];
        for batch in points.chunks(BATCH) {
            let mask = self.slots.len() - 1;
            let mut touched = 0;
            let first = numbers.len();
            for (hash, point) in hashes.iter_mut().zip(batch) {
                let point = point.settled();
                *hash = point.hash();
                let known = self.seen_lately(point, *hash).unwrap_or_else(|| {
                    touched ^= self.slots[*hash as usize & mask].tag;
                    PointId::NONE
                });
                numbers.push(known);
            }
            std::hint::black_box(touched);
            for ((number, hash), point) in numbers[first..].iter_mut().zip(&hashes).zip(batch) {
                if *number == PointId::NONE {
                    *number = self.number_hashed(point.settled(), *hash);
                }
            }
        }
    }

    #[inline]
    fn seen_lately(&self, point: P, hash: u64) -> Option<PointId> {
        let (held, number) = self.recent[hash as usize % RECENT];
        (number != PointId::NONE && held.same(point)).then_some(number)
    }

    // Out of line it costs a check of five million facets in order some hundredths of its time.
    #[inline(always)]
    fn number_hashed(&mut self, point: P, hash: u64) -> PointId {
        let number = match self.find(point, hash) {
            Ok(number) => number,
            Err(slot) => {
                let number = self.points.next_key();
                self.slots[slot] = Slot { number, tag: (hash >> 32) as u32 };
                self.points.push(point);
                if self.points.len() * 3 > self.slots.len() * 2 {
                    self.grow();
                }
                number
            }
        };
        self.recent[hash as usize % RECENT] = (point, number);
        number
    }

    /// The number of a point, or the slot where it would go.
    #[inline]
    fn find(&self, point: P, hash: u64) -> Result<PointId, usize> {
        let mask = self.slots.len() - 1;
        let mut at = hash as usize & mask;
        loop {
            let slot = self.slots[at];
            if slot.number == PointId::NONE {
                return Err(at);
            }
            if slot.tag == (hash >> 32) as u32 && self.points[slot.number].same(point) {
                return Ok(slot.number);
            }
            at = (at + 1) & mask;
        }
    }

    fn grow(&mut self) {
        let mask = self.slots.len() * 2 - 1;
        self.slots = vec![EMPTY; mask + 1];
        for (number, point) in self.points.iter_enumerated() {
            let hash = point.hash();
            let mut at = hash as usize & mask;
            while self.slots[at].number != PointId::NONE {
                at = (at + 1) & mask;
            }
            self.slots[at] = Slot { number, tag: (hash >> 32) as u32 };
        }
    }

    /// The distinct points in the order of their numbers.
    pub fn into_points(self) -> TiVec<PointId, P> {
        self.points
    }
}

/// Facets of one part of an input, with points numbered within the part.
pub struct InputPart<P> {
    /// Points so far.
    pub points: Joiner<P>,
    /// Facets so far.
    pub triangles: Vec<[PointId; 3]>,
}

/// Puts parts one behind the other and joins their equal points. Points are numbered by first appearance.
pub fn merge<P: Coordinates + Default>(parts: Vec<InputPart<P>>) -> Mesh {
    let (joiners, triangles): (Vec<_>, Vec<_>) = parts.into_iter().map(|p| (p.points, p.triangles)).unzip();
    let (points, numbers) = number_across(joiners);
    let mut all = Vec::new();
    for (i, (triangles, numbers)) in triangles.into_iter().zip(numbers).enumerate() {
        if i == 0 {
            // The first part's points keep their numbers.
            all = triangles;
        } else {
            all.par_extend(triangles.into_par_iter().map(|t| t.map(|p| numbers[p])));
        }
    }
    Mesh { points, triangles: all.into() }
}

/// Joins the equal points of several joiners: all points by first appearance, and for each joiner the new
/// number of each of its points.
///
/// Each point is looked up in the tables of the joiners before its own, all at once: with as many joiners as
/// threads the time does not grow with their number.
fn number_across<P: Coordinates + Default>(
    joiners: Vec<Joiner<P>>,
) -> (TiVec<PointId, Point>, Vec<TiVec<PointId, PointId>>) {
    let mut numbers: Vec<TiVec<PointId, PointId>> = Vec::with_capacity(joiners.len());
    let mut points: TiVec<PointId, Point> = TiVec::with_capacity(joiners.iter().map(|j| j.points.len()).sum());
    for (i, joiner) in joiners.iter().enumerate() {
        let known = |point: &P| {
            let hash = point.hash();
            joiners[..i].iter().zip(&numbers).find_map(|(j, n)| Some(n[j.find(*point, hash).ok()?]))
        };
        let mine: Vec<PointId> = joiner.points.raw.par_iter().map(|p| known(p).unwrap_or(PointId::NONE)).collect();
        let mut mine = TiVec::from(mine);
        for (number, point) in mine.iter_mut().zip(&joiner.points) {
            if *number == PointId::NONE {
                *number = points.push_and_get_key(point.widened());
            }
        }
        numbers.push(mine);
    }
    (points, numbers)
}

/// Facets below which the table of points fits in the cache whatever their order.
const FEW: usize = 200_000;
/// Facets that are looked at together to tell whether neighbours stand near each other, and at how many places.
const SAMPLE: usize = 4096;
const SAMPLES: usize = 4;

/// Whether the corners of `facets` facets are in no order: of those that stand together hardly any are equal. In a closed
/// mesh written patch by patch some five of six were there before.
pub fn in_no_order<P: Coordinates + Default>(facets: usize, corner: impl Fn(usize) -> P) -> bool {
    if facets < FEW {
        return false;
    }
    let distinct: usize = (0..SAMPLES)
        .map(|i| {
            let first = 3 * (i * (facets - SAMPLE) / SAMPLES);
            let mut joiner = Joiner::with_capacity(3 * SAMPLE);
            (first..first + 3 * SAMPLE).for_each(|c| _ = joiner.number(corner(c)));
            joiner.points.len()
        })
        .sum();
    distinct * 4 > 3 * (3 * SAMPLE * SAMPLES)
}

/// Partitions by hash, so many that a table of each is small.
const PARTITIONS: usize = 256;

/// Corners of one partition, as one thread found them.
type Bucket<P> = Vec<(P, u32)>;

/// Joins equal points of `corners` corners that stand in no order: first each goes to the partition of its hash, then
/// every partition is joined for itself. Numbers are those that [`merge`] gives. `corner` is asked twice for each one.
/// 20 bytes a corner of single precision beside the result.
///
/// # Errors
/// What `corner` returns first.
pub fn by_partitions<P: Coordinates + Default, E: Send>(
    corners: usize,
    corner: impl Fn(usize) -> Result<P, E> + Sync,
) -> Result<Mesh, E> {
    let share = corners.div_ceil(rayon::current_num_threads().max(1)).max(1);
    let starts: Vec<usize> = (0..corners).step_by(share).collect();
    let dealt: Vec<Vec<Bucket<P>>> =
        starts.par_iter().map(|start| deal(*start..(start + share).min(corners), &corner)).collect::<Result<_, E>>()?;
    // For each corner the first one that is the same point.
    let first: Vec<AtomicU32> = (0..corners).map(|_| AtomicU32::new(NONE)).collect();
    (0..PARTITIONS).into_par_iter().for_each(|partition| {
        let mut joiner = Joiner::with_capacity(corners / PARTITIONS / 4);
        let mut appeared = Vec::with_capacity(corners / PARTITIONS / 4);
        for (point, c) in dealt.iter().flat_map(|d| &d[partition]) {
            let number = usize::from(joiner.number_hashed(*point, point.hash()));
            if number == appeared.len() {
                appeared.push(*c);
            }
            first[*c as usize].store(appeared[number], Relaxed);
        }
    });
    drop(dealt);
    let mut numbers: Vec<PointId> = first.into_iter().map(|c| PointId(c.into_inner())).collect();
    let mut points: TiVec<PointId, Point> = TiVec::with_capacity(corners / 5);
    for c in 0..corners {
        let appeared = usize::from(numbers[c]);
        numbers[c] =
            if appeared == c { points.push_and_get_key(corner(c)?.settled().widened()) } else { numbers[appeared] };
    }
    Ok(Mesh { points, triangles: numbers.as_chunks::<3>().0.to_vec().into() })
}

/// Puts corners where their hash belongs, in order.
fn deal<P: Coordinates, E>(
    range: std::ops::Range<usize>,
    corner: &impl Fn(usize) -> Result<P, E>,
) -> Result<Vec<Bucket<P>>, E> {
    // Hashes spread evenly: a little more than the mean is hardly ever outgrown.
    let room = range.len() / PARTITIONS * 17 / 16 + 64;
    let mut buckets: Vec<Bucket<P>> = (0..PARTITIONS).map(|_| Vec::with_capacity(room)).collect();
    for c in range {
        let point = corner(c)?.settled();
        // The joiner's table uses the lowest bits and its tag the upper half.
        buckets[(point.hash() >> 24) as usize % PARTITIONS].push((point, c as u32));
    }
    Ok(buckets)
}

/// Joins the equal points of a mesh. Returns how many points went.
pub fn join_equal_points(mesh: &mut Mesh) -> usize {
    let length = mesh.points.len().div_ceil(rayon::current_num_threads().max(1)).max(1);
    let (joiners, within): (Vec<_>, Vec<_>) = mesh
        .points
        .raw
        .par_chunks(length)
        .map(|chunk| {
            let mut joiner = Joiner::with_capacity(chunk.len() / 4);
            let mut numbers = Vec::with_capacity(chunk.len());
            joiner.number_all(chunk, &mut numbers);
            (joiner, numbers)
        })
        .unzip();
    let (points, across) = number_across(joiners);
    let gone = mesh.points.len() - points.len();
    if gone > 0 {
        let number: TiVec<PointId, PointId> =
            within.iter().zip(&across).flat_map(|(w, a)| w.iter().map(|&n| a[n])).collect();
        mesh.triangles.raw.par_iter_mut().flatten().for_each(|p| *p = number[*p]);
    }
    mesh.points = points;
    gone
}
