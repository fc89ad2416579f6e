//! What lies between the faces of an arrangement: cells, and how often each body winds around them.
//!
//! Faces that share plain edges, of two faces each that run against each other, are a patch: what lies before and
//! behind one lies before and behind all. The two sides of every patch are united around every other edge with those
//! they look at, in the order in which the faces stand around it. What hangs together is a cell. Passing through a face
//! changes a body's winding number by one; one ray a connected part, turned a little out of every degenerate case,
//! gives the number to start from.

use crate::arrangement::Arrangement;
use crate::exact_point::{ExactPoint, between_normals, direction, side, turn};
use crate::handles::{BodyId, CellId, FaceId, InputId, PatchId, PlaceId};
use hull_geometry::corners::ClosedFan;
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::sets::Sets;
use hull_geometry::{Cancelled, Point, Watch};
use rayon::prelude::*;
use smallvec::SmallVec;
use std::cmp::Ordering;
use std::collections::VecDeque;
use typed_index_collections::{TiVec, ti_vec};

/// A face at a side line, which it may run against the order of the line's ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Spoke {
    /// Its points.
    pub ends: [PlaceId; 2],
    /// The face on it.
    pub face: FaceId,
    /// Whether the face runs from the lower-numbered end to the higher one.
    pub forward: bool,
}

/// The cells in front of and behind faces, and what passing from front to back does to the windings of bodies.
type Passage = (CellId, CellId, Vec<(BodyId, i32)>);

/// The cells of an arrangement.
pub struct Cells {
    /// For each face its patch.
    patch_of: TiVec<FaceId, PatchId>,
    /// For each patch the cell in front of it (where normals point to) and the one behind.
    of_patch: TiVec<PatchId, [CellId; 2]>,
    /// How many cells there are.
    pub count: usize,
    /// How often body `b` winds around cell `c`: number `c * bodies + b`.
    windings: Vec<i32>,
    bodies: usize,
    /// Patches whose two sides do not differ as they must: parts of surfaces that are open or turned against each other.
    pub torn: usize,
    /// The edges at places that are not plain, the faces at each together; of more than two in the order in which they
    /// stand around it.
    pub spokes: Vec<Spoke>,
}

impl Cells {
    /// `body_of` gives the body of every facet of the input; there are `bodies`.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(
        a: &Arrangement,
        body_of: &(impl Fn(InputId) -> BodyId + Sync),
        bodies: usize,
        watch: &Watch,
    ) -> Result<Cells, Cancelled> {
        watch.report(0.72, "sorting faces around their edges")?;
        let spokes = sorted_spokes(a);
        let lines = || spokes.chunk_by(|a, b| a.ends == b.ends);
        let (patch_of, patches) = patches(a, lines());
        let sides = Sets::new(2 * patches);
        let parts: Sets<PatchId> = Sets::new(patches);
        let patch = |s: &Spoke| patch_of[s.face];
        for line in lines().filter(|line| !is_plain(line)) {
            for (k, s) in line.iter().enumerate() {
                let n = &line[(k + 1) % line.len()];
                parts.unite(patch(s), patch(n));
                // The side that looks on around the line, and the one that looks back.
                sides.unite(2 * patch(s).0 + u32::from(!s.forward), 2 * patch(n).0 + u32::from(n.forward));
            }
        }
        watch.report(0.8, "telling inside from outside")?;
        let (number, count) = sides.numbered(|_| false);
        let of_patch: TiVec<PatchId, [CellId; 2]> =
            number.raw.chunks(2).map(|c| [CellId(c[0]), CellId(c[1])]).collect();
        let (part_of, part_count) = parts.numbered(|_| false);
        let mut first = vec![FaceId::NONE; part_count];
        for (f, &p) in patch_of.iter_enumerated().rev() {
            first[part_of[p] as usize] = f;
        }
        let mut cells =
            Cells { patch_of, of_patch, count, windings: vec![0; count * bodies], bodies, torn: 0, spokes: Vec::new() };
        let starts: Vec<(CellId, Vec<i32>)> = first
            .par_iter()
            .map(|&f| {
                watch.check()?;
                Ok(ray(a, f, cells.of_face(f), body_of, bodies))
            })
            .collect::<Result<_, Cancelled>>()?;
        cells.spread(a, starts, body_of);
        Ok(Cells { spokes, ..cells })
    }

    /// The cells in front of a face and behind it.
    pub fn of_face(&self, face: FaceId) -> [CellId; 2] {
        self.of_patch[self.patch_of[face]]
    }

    /// How often each input winds around a cell.
    pub fn windings(&self, cell: CellId) -> &[i32] {
        &self.windings[usize::from(cell) * self.bodies..][..self.bodies]
    }

    fn windings_mut(&mut self, cell: CellId) -> &mut [i32] {
        &mut self.windings[usize::from(cell) * self.bodies..][..self.bodies]
    }

    /// All of them.
    pub fn all(&self) -> impl Iterator<Item = CellId> + use<> {
        (0..self.count).map(CellId::from)
    }

    /// Carries windings from the start cells through faces.
    fn spread(&mut self, a: &Arrangement, starts: Vec<(CellId, Vec<i32>)>, body_of: &impl Fn(InputId) -> BodyId) {
        // Faces between the same two cells that differ alike say the same thing.
        let mut steps: Vec<Passage> = Vec::new();
        let mut seen = std::collections::HashSet::new();
        let mut last: TiVec<PatchId, Option<(BodyId, bool)>> = ti_vec![None; self.of_patch.len()];
        for f in a.faces.keys() {
            let [front, back] = self.of_face(f);
            if let [s] = a.sources(f) {
                // Most faces say what others of their patch have said.
                let said = Some((body_of(s.facet), s.same_way));
                let last = &mut last[self.patch_of[f]];
                if said == *last {
                    continue;
                }
                *last = said;
            }
            let mut change: Vec<(BodyId, i32)> = Vec::new();
            for s in a.sources(f) {
                let by = if s.same_way { 1 } else { -1 };
                let body = body_of(s.facet);
                match change.iter_mut().find(|c| c.0 == body) {
                    Some(c) => c.1 += by,
                    None => change.push((body, by)),
                }
            }
            change.sort_unstable();
            if seen.insert((front, back, change.clone())) {
                steps.push((front, back, change));
            }
        }
        let mut at: TiVec<CellId, Vec<usize>> = ti_vec![Vec::new(); self.count];
        for (i, s) in steps.iter().enumerate() {
            at[s.0].push(i);
            at[s.1].push(i);
        }
        let mut known: TiVec<CellId, bool> = ti_vec![false; self.count];
        let mut queue = VecDeque::new();
        for (cell, windings) in starts {
            if !std::mem::replace(&mut known[cell], true) {
                self.windings_mut(cell).copy_from_slice(&windings);
                queue.push_back(cell);
            }
        }
        while let Some(cell) = queue.pop_front() {
            for &i in &at[cell] {
                let (front, back, change) = &steps[i];
                // Behind a facet its body winds once more.
                let (other, by) = if *front == cell { (*back, 1) } else { (*front, -1) };
                if std::mem::replace(&mut known[other], true) {
                    continue;
                }
                let mut windings = self.windings(cell).to_vec();
                change.iter().for_each(|(b, c)| windings[usize::from(*b)] += by * c);
                self.windings_mut(other).copy_from_slice(&windings);
                queue.push_back(other);
            }
        }
        let torn = |(front, back, change): &Passage| {
            let mut differ: Vec<i32> =
                self.windings(*back).iter().zip(self.windings(*front)).map(|(b, f)| b - f).collect();
            change.iter().for_each(|(b, c)| differ[usize::from(*b)] -= c);
            differ.iter().any(|d| *d != 0)
        };
        self.torn = steps.iter().filter(|s| torn(s)).count();
    }
}

/// Whether an edge has two faces that run it against each other.
fn is_plain(line: &[Spoke]) -> bool {
    matches!(line, [s, n] if s.forward != n.forward)
}

/// For each face the number of its patch, and how many there are.
fn patches<'a>(a: &Arrangement, lines: impl Iterator<Item = &'a [Spoke]>) -> (TiVec<FaceId, PatchId>, usize) {
    let sets = Sets::new(a.faces.len());
    let at = |facet: FacetId| a.face_of[facet].0;
    let points = a.mesh.par_points().with_min_len(1 << 10);
    points.filter(|p| a.plain[PlaceId::from(*p)]).for_each(|p| {
        let fan = ClosedFan::at(&a.mesh, p, a.corners.at(p));
        for edge in fan.iter().flat_map(|fan| fan.edges()).filter(|e| e.other > p) {
            sets.unite(at(edge.facets[0]), at(edge.facets[1]));
        }
    });
    lines.filter(|line| is_plain(line)).for_each(|line| sets.unite(line[0].face.0, line[1].face.0));
    let (numbers, count) = sets.numbered(|_| false);
    (numbers.into_iter().map(PatchId).collect(), count)
}

fn sorted_spokes(a: &Arrangement) -> Vec<Spoke> {
    let rough = |p: PlaceId| !a.plain[p];
    let sides = |(f, t): (usize, &[PlaceId; 3])| {
        let ([p, q, r], face) = (*t, FaceId::from(f));
        let rough_sides = [(p, q), (q, r), (r, p)].into_iter().filter(|(from, to)| rough(*from) || rough(*to));
        rough_sides
            .map(|(from, to)| Spoke { ends: [from.min(to), from.max(to)], face, forward: from < to })
            .collect::<SmallVec<[Spoke; 3]>>()
    };
    let found: Vec<Spoke> = a.faces.raw.par_iter().enumerate().flat_map_iter(sides).collect();
    let mut spokes = by_first_end(&found, a.places.len());
    let few = spokes.par_chunk_by_mut(|a, b| a.ends[0] == b.ends[0]);
    few.for_each(|few| few.sort_unstable_by_key(|s| (s.ends[1], s.face)));
    let mut runs: Vec<&mut [Spoke]> = spokes.chunk_by_mut(|a, b| a.ends == b.ends).filter(|r| r.len() > 2).collect();
    runs.par_iter_mut().for_each(|run| sort_around(a, run));
    spokes
}

/// Spokes in the order of their first ends, by counting.
fn by_first_end(found: &[Spoke], places: usize) -> Vec<Spoke> {
    let mut next: TiVec<PlaceId, usize> = ti_vec![0; places];
    found.iter().for_each(|s| next[s.ends[0]] += 1);
    let mut before = 0;
    for count in &mut next {
        (*count, before) = (before, before + *count);
    }
    let mut sorted = vec![Spoke { ends: [PlaceId::NONE; 2], face: FaceId::NONE, forward: false }; found.len()];
    for s in found {
        let at = &mut next[s.ends[0]];
        sorted[*at] = *s;
        *at += 1;
    }
    sorted
}

/// Sorts faces anticlockwise around the line from its lower-numbered end to the other.
fn sort_around(a: &Arrangement, run: &mut [Spoke]) {
    let [from, to] = run[0].ends.map(|p| &a.places[p]);
    let along = hull_geometry::vector::sub(to.near, from.near).map(f64::abs);
    let mut axes = [0, 1, 2];
    axes.sort_by(|&i, &j| along[j].total_cmp(&along[i]));
    let Some((axis, way)) = axes.into_iter().map(|k| (k, direction(a.grid, k, from, to))).find(|(_, way)| *way != 0)
    else {
        return;
    };
    // Normals turned as if every face ran forward turn around the line as the faces do.
    let compare = |s: &Spoke, t: &Spoke| {
        let [p, q] = [s, t].map(|x| a.facet_of[x.face]);
        let (cross, dot) = match p == q {
            // Of one facet on both sides of a line in it.
            true => (0, 1),
            false => between_normals(a.grid, &a.mesh.corners(p), &a.mesh.corners(q), axis),
        };
        let turned = if s.forward == t.forward { 1 } else { -1 };
        (cross * turned * way, dot * turned)
    };
    let first = run[0];
    // Quarter turns from the first: at it, before half, at half, after.
    let part = |s: &Spoke| match compare(&first, s) {
        (0, dot) if dot > 0 => 0_u8,
        (cross, _) if cross > 0 => 1,
        (0, _) => 2,
        _ => 3,
    };
    let mut parted: SmallVec<[(u8, Spoke); 8]> = run.iter().map(|s| (part(s), *s)).collect();
    parted.sort_by(|(p, s), (q, t)| {
        p.cmp(q).then_with(|| match compare(s, t).0 {
            1 => Ordering::Less,
            -1 => Ordering::Greater,
            _ => s.face.cmp(&t.face),
        })
    });
    run.iter_mut().zip(parted).for_each(|(s, (_, sorted))| *s = sorted);
}

/// The windings of the cell on one side of a face, by a ray along +x from its middle; all of it moved by next to nothing
/// along y, less along z, still less along x, so that it meets no side line and lies in no facet.
fn ray(
    a: &Arrangement,
    face: FaceId,
    [in_front, behind]: [CellId; 2],
    body_of: &impl Fn(InputId) -> BodyId,
    bodies: usize,
) -> (CellId, Vec<i32>) {
    let places = a.faces[face].map(|p| &a.places[p]);
    let from = ExactPoint::middle(a.grid, places);
    let reach = a.mesh.bounds();
    let (low, high) = (from.near.map(f64::next_down), from.near.map(f64::next_up));
    let asked = Bounds { min: low, max: [reach.max[0].max(high[0]), high[1], high[2]] };
    let mut windings = vec![0; bodies];
    a.tree.in_box(&asked, |f| {
        let t = a.mesh.corners(f);
        let Some(x) = passes(a, &t, &from) else { return };
        if seen_from(a, &t, &from) * x < 0 {
            for s in a.stands_for(f) {
                windings[usize::from(body_of(s.facet))] += i32::from(if s.same_way { x } else { -x });
            }
        }
    });
    let own = a.mesh.corners(a.facet_of[face]);
    let front = seen_from(a, &own, &from) > 0;
    (if front { in_front } else { behind }, windings)
}

/// Whether the line along x through a place moved by next to nothing passes through a triangle: the sign of the x of its
/// normal, if so.
fn passes(a: &Arrangement, t: &[Point; 3], from: &ExactPoint) -> Option<i8> {
    let corners = t.map(ExactPoint::given);
    let mut all = 0;
    for k in 0..3 {
        let (p, q) = (&corners[k], &corners[(k + 1) % 3]);
        let mut s = turn(a.grid, 0, p, q, from);
        if s == 0 {
            let (dy, dz) = (direction(a.grid, 1, p, q), direction(a.grid, 2, p, q));
            s = if dz != 0 { -dz } else { dy };
        }
        if s == 0 || s == -all {
            return None;
        }
        all = s;
    }
    Some(all)
}

/// On which side of a triangle's plane a place lies once it is moved by next to nothing.
fn seen_from(a: &Arrangement, t: &[Point; 3], from: &ExactPoint) -> i8 {
    let s = side(a.grid, t, from);
    if s != 0 {
        return s;
    }
    let corners = t.map(ExactPoint::given);
    let normal = |axis: usize| turn(a.grid, axis, &corners[0], &corners[1], &corners[2]);
    [1, 2, 0].into_iter().map(normal).find(|n| *n != 0).unwrap_or(0)
}
