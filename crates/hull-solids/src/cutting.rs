//! Facets of one plane triangulated again with what must stand in them.

use crate::arrangement::corners_of;
use crate::exact_point::{ExactPoint, Grid, flattest, turn};
use crate::flat::Flat;
use crate::handles::PlaceId;
use crate::source::Source;
use hull_geometry::{FacetId, Mesh, Point};
use smallvec::{SmallVec, smallvec};
use typed_index_collections::TiSlice;

hull_geometry::handles! {
    /// What is triangulated together.
    TaskId,
}

/// Facets of one plane that are triangulated together, with what must stand in them; each with the number of the task.
pub struct Task<'a> {
    pub members: &'a [(TaskId, FacetId)],
    pub points: &'a [(TaskId, PlaceId)],
    pub lines: &'a [(TaskId, Stretch)],
}

/// A stretch in which a facet meets others, and the facet that it meets there.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Stretch {
    pub ends: [PlaceId; 2],
    pub across: FacetId,
}

/// The members that a face lies in.
type Within = SmallVec<[Source<FacetId>; 2]>;

/// A task done: local places by their numbers, [`PlaceId::NONE`] for those made here, and faces with the members they are in, of
/// which the first runs as the face does.
pub struct Cut {
    pub numbers: Vec<PlaceId>,
    pub made: Vec<Option<ExactPoint>>,
    pub faces: Vec<([u32; 3], Within)>,
}

impl Task<'_> {
    pub fn cut(&self, grid: Grid, mesh: &Mesh, places: &TiSlice<PlaceId, ExactPoint>) -> Cut {
        let first = self.members[0].1;
        let plane = mesh.corners(first);
        // Facets on one line were taken out before.
        let axis = flattest(&plane).unwrap_or(0);
        // The sides of a single facet are lines from the outset.
        let alone = self.members.len() == 1;
        let (mut flat, mut numbers) = if alone {
            (Flat::of_triangle(grid, mesh, plane, axis, plane.map(ExactPoint::given)), corners_of(mesh, first).to_vec())
        } else {
            let all = self.members.iter().flat_map(|m| mesh.corners(m.1)).flatten();
            (Flat::beyond(grid, mesh, plane, axis, all.fold(0.0_f64, |m, x| m.max(x.abs()))), vec![PlaceId::NONE; 3])
        };
        let sides = |&(_, f): &(TaskId, FacetId)| {
            let [a, b, c] = corners_of(mesh, f);
            [[a, b], [b, c], [c, a]]
        };
        let sides: Vec<[PlaceId; 2]> = if alone { Vec::new() } else { self.members.iter().flat_map(sides).collect() };
        let stretches = self.lines.iter().map(|l| (l.1.ends, l.1.across));
        let lines = || sides.iter().map(|ends| (*ends, FacetId::NONE)).chain(stretches.clone());
        let mut standing: Vec<PlaceId> = lines().flat_map(|l| l.0).chain(self.points.iter().map(|p| p.1)).collect();
        standing.sort_unstable();
        standing.dedup();
        let add = |&p: &PlaceId| {
            if let Some(corner) = numbers.iter().position(|q| *q == p).filter(|k| *k < 3) {
                return corner as u32;
            }
            let at = flat.add(places[p].clone());
            if at as usize == numbers.len() {
                numbers.push(p);
            }
            at
        };
        let at: Vec<u32> = standing.iter().map(add).collect();
        for (ends, across) in lines() {
            let [a, b] = ends.map(|p| standing.binary_search(&p).map_or(0, |i| at[i]));
            flat.add_line(a, b, across);
        }
        numbers.resize(flat.places.len(), PlaceId::NONE);
        let faces = if alone { self.all_faces(grid, axis, plane, &flat) } else { self.faces(grid, mesh, axis, &flat) };
        let beyond = if alone { 0 } else { 3 };
        let made = flat
            .places
            .into_iter()
            .enumerate()
            .map(|(i, place)| (i >= beyond && numbers[i] == PlaceId::NONE).then_some(place))
            .collect();
        Cut { numbers, made, faces }
    }

    /// All triangles, turned as the only member.
    fn all_faces(&self, grid: Grid, axis: usize, plane: [Point; 3], flat: &Flat) -> Vec<([u32; 3], Within)> {
        let [a, b, c] = plane.map(ExactPoint::given);
        let turned = turn(grid, axis, &a, &b, &c) < 0;
        let within = Source { facet: self.members[0].1, same_way: true };
        let face = |&[a, b, c]: &[u32; 3]| (if turned { [a, c, b] } else { [a, b, c] }, smallvec![within]);
        flat.triangles.iter().map(face).collect()
    }

    /// The triangles that lie in members, turned as the first of them.
    fn faces(&self, grid: Grid, mesh: &Mesh, axis: usize, flat: &Flat) -> Vec<([u32; 3], Within)> {
        struct Member {
            facet: FacetId,
            corners: [ExactPoint; 3],
            way: i8,
            low: [f64; 2],
            high: [f64; 2],
        }
        let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
        let members: Vec<Member> = self
            .members
            .iter()
            .map(|&(_, facet)| {
                let t: [Point; 3] = mesh.corners(facet);
                let corners = t.map(ExactPoint::given);
                let way = turn(grid, axis, &corners[0], &corners[1], &corners[2]);
                let bound = |pick: fn(f64, f64) -> f64| [i, j].map(|k| pick(pick(t[0][k], t[1][k]), t[2][k]));
                Member { facet, corners, way, low: bound(f64::min), high: bound(f64::max) }
            })
            .collect();
        let mut out = Vec::new();
        for &corners in &flat.triangles {
            let places = corners.map(|c| &flat.places[c as usize]);
            let inside = |m: &Member| {
                let near = |p: &ExactPoint| {
                    let p = [p.near[i], p.near[j]];
                    (0..2).all(|k| p[k] >= m.low[k] && p[k] <= m.high[k])
                };
                let within = |p: &ExactPoint| {
                    (0..3).all(|k| turn(grid, axis, &m.corners[k], &m.corners[(k + 1) % 3], p) * m.way >= 0)
                };
                places.iter().all(|p| near(p)) && places.iter().all(|p| within(p))
            };
            let found: Vec<&Member> = members.iter().filter(|m| inside(m)).collect();
            let Some(first) = found.first() else { continue };
            let [a, b, c] = corners;
            let turned = if first.way < 0 { [a, c, b] } else { [a, b, c] };
            out.push((turned, found.iter().map(|m| Source { facet: m.facet, same_way: m.way == first.way }).collect()));
        }
        out
    }
}
