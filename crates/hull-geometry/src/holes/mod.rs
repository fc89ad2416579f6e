//! Finding holes and filling them.

pub mod caps;
pub(crate) mod hole;
pub mod islands;
pub mod smooth_patch;
pub mod triangulate;

use crate::hole::FLATNESS;
pub use crate::hole::{Filling, FillingChoice, Hole, LARGEST_UNEVEN_HOLE};
use crate::islands::{adopt, keyhole};
use crate::mesh::{Bounds, FacetId, Mesh, Point, PointId, Rebuilt};
use crate::smooth_patch::smooth_patch;
use crate::topology::OpenEdge;
use crate::triangulate::{flat_between, least_area, out_of_plane, polygon_normal};
use crate::vector::{add, distance, norm, scale};
use crate::watch::{Cancelled, Watch};
use std::collections::{HashMap, HashSet};
use typed_index_collections::TiVec;

/// The simple loops among open edges, the longest first, each with the islands that lie in it. Where loops touch at a
/// point they are taken apart there; chains that do not close are left out.
pub fn find_holes(mesh: &Mesh, open: &[OpenEdge]) -> Vec<Hole> {
    let mut at: HashMap<PointId, Vec<u32>> = HashMap::new();
    for (i, e) in open.iter().enumerate() {
        at.entry(e.from).or_default().push(i as u32);
        at.entry(e.to).or_default().push(i as u32);
    }
    let mut used = vec![false; open.len()];
    let mut holes = Vec::new();
    for start in 0..open.len() {
        if used[start] {
            continue;
        }
        let mut path = vec![open[start].to];
        let mut steps: Vec<u32> = Vec::new();
        let mut place: HashMap<PointId, usize> = HashMap::from([(open[start].to, 0)]);
        let mut next = Some(start as u32);
        while let Some(edge) = next {
            used[edge as usize] = true;
            let here = path[path.len() - 1];
            let e = &open[edge as usize];
            let there = if e.from == here { e.to } else { e.from };
            steps.push(edge);
            if let Some(&back) = place.get(&there) {
                holes.push(hole(mesh, open, &path[back..], &steps[back..]));
                for p in &path[back + 1..] {
                    place.remove(p);
                }
                path.truncate(back + 1);
                steps.truncate(back);
            } else {
                place.insert(there, path.len());
                path.push(there);
            }
            let here = path[path.len() - 1];
            next = at[&here].iter().copied().find(|&i| !used[i as usize]);
        }
    }
    holes.retain(|h| h.points.len() > 2);
    holes.sort_by(|a, b| b.perimeter.total_cmp(&a.perimeter).then(a.points.cmp(&b.points)));
    adopt(mesh, holes)
}

fn hole(mesh: &Mesh, open: &[OpenEdge], path: &[PointId], steps: &[u32]) -> Hole {
    let against = path.iter().zip(steps).filter(|(p, s)| open[**s as usize].to == **p).count();
    let mut points = path.to_vec();
    if against * 2 < points.len() {
        points.reverse();
    }
    let places: Vec<Point> = points.iter().map(|&p| mesh.points[p]).collect();
    let bounds = Bounds::of(places.iter().copied());
    Hole {
        perimeter: (0..places.len()).map(|i| distance(places[i], places[(i + 1) % places.len()])).sum(),
        area: norm(polygon_normal(&places)) / 2.0,
        flat: out_of_plane(&places) <= FLATNESS * bounds.diagonal(),
        centre: scale(places.iter().fold([0.0; 3], |s, &p| add(s, p)), 1.0 / places.len() as f64),
        bounds,
        points,
        islands: Vec::new(),
    }
}

fn key(a: PointId, b: PointId) -> [PointId; 2] {
    [a.min(b), a.max(b)]
}

/// A filling in the hole's mean plane, as corners of its rim; `None` where that would use one of the standing `edges`.
fn in_plane(hole: &Hole, places: &[Point], edges: &HashSet<[PointId; 2]>) -> Option<Vec<[u32; 3]>> {
    let rings: Vec<&[PointId]> = std::iter::once(&hole.points).chain(&hole.islands).map(Vec::as_slice).collect();
    let sides: HashSet<[PointId; 2]> =
        rings.iter().flat_map(|r| (0..r.len()).map(|i| key(r[i], r[(i + 1) % r.len()]))).collect();
    let rim = hole.rim();
    let found = flat_between(places, &rings.iter().map(|r| r.len()).collect::<Vec<_>>())?;
    let free = |t: &[u32; 3]| {
        (0..3).all(|k| {
            let edge = key(rim[t[k] as usize], rim[t[(k + 1) % 3] as usize]);
            sides.contains(&edge) || !edges.contains(&edge)
        })
    };
    found.iter().all(free).then_some(found)
}

/// The filling of least area, as corners of the hole's rim; `None` if there is none beside the standing `edges`. Around
/// islands the mean plane says who is joined to whom, where it can.
fn stretched(hole: &Hole, places: &[Point], edges: &HashSet<[PointId; 2]>) -> Option<Vec<[u32; 3]>> {
    if !hole.islands.is_empty()
        && let Some(found) = in_plane(hole, places, edges)
    {
        return Some(found);
    }
    let mut rest = places;
    let rings: Vec<Vec<Point>> = std::iter::once(&hole.points)
        .chain(&hole.islands)
        .map(|ring| {
            let (this, others) = rest.split_at(ring.len());
            rest = others;
            this.to_vec()
        })
        .collect();
    let path = keyhole(&rings);
    let (rim, n) = (hole.rim(), path.len());
    let id = |i: usize| rim[path[i]];
    // Where the loop goes over to an island and back, both sides are one edge already.
    let sides: HashSet<[PointId; 2]> = (0..n).map(|i| key(id(i), id((i + 1) % n))).collect();
    let taken = |i: usize, j: usize| {
        let (apart, edge) = (i.abs_diff(j), key(id(i), id(j)));
        apart > 1 && apart < n - 1 && (edge[0] == edge[1] || edges.contains(&edge) || sides.contains(&edge))
    };
    let corners: Vec<Point> = path.iter().map(|&k| places[k]).collect();
    let found = least_area(&corners, taken)?.into_iter().map(|t| t.map(|k| path[k as usize] as u32));
    let found: Vec<[u32; 3]> = found.collect();
    // A corner that stands in the path twice may have been joined to another from both its places.
    let mut runs: Vec<[u32; 2]> = found.iter().flat_map(|t| (0..3).map(|k| [t[k], t[(k + 1) % 3]])).collect();
    runs.sort_unstable();
    runs.windows(2).all(|w| w[0] != w[1]).then_some(found)
}

/// A mesh with holes filled: the new facets stand last and have no origin.
#[derive(Debug)]
pub struct Filled {
    /// The surface with its fillings.
    pub rebuilt: Rebuilt,
    /// For each hole how it was filled, and how many facets that took.
    pub fillings: Vec<(Filling, usize)>,
    /// For each new facet the hole it closes.
    pub hole_of: Vec<u32>,
}

/// Fills `holes` of `mesh` as wished; only smooth fillings add points.
///
/// # Errors
/// [`Cancelled`].
pub fn fill(mesh: &Mesh, holes: &[Hole], wish: FillingChoice, watch: &Watch) -> Result<Filled, Cancelled> {
    let rims: HashSet<PointId> = holes.iter().flat_map(Hole::rim).collect();
    let mut edges: HashSet<[PointId; 2]> = HashSet::new();
    for t in &mesh.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            if rims.contains(&a) && rims.contains(&b) {
                edges.insert(key(a, b));
            }
        }
    }
    let mut beside: HashMap<PointId, Vec<PointId>> = HashMap::new();
    for t in mesh.triangles.iter().filter(|t| t.iter().any(|p| rims.contains(p))) {
        for k in 0..3 {
            if rims.contains(&t[k]) {
                beside.entry(t[k]).or_default().extend([t[(k + 1) % 3], t[(k + 2) % 3]]);
            }
        }
    }
    beside.values_mut().for_each(|list| {
        list.sort_unstable();
        list.dedup();
    });
    let mut points = mesh.points.clone();
    let mut triangles = mesh.triangles.clone();
    let mut origin: TiVec<FacetId, FacetId> = triangles.keys().collect();
    let mut fillings = Vec::with_capacity(holes.len());
    let mut hole_of = Vec::new();
    for (i, hole) in holes.iter().enumerate() {
        watch.report(i as f64 / holes.len() as f64, "filling holes")?;
        let rim = hole.rim();
        let n = rim.len();
        let places: Vec<Point> = rim.iter().map(|&p| mesh.points[p]).collect();
        let in_plane = if hole.flat || n > LARGEST_UNEVEN_HOLE { in_plane(hole, &places, &edges) } else { None };
        let (kind, found) = match in_plane {
            Some(t) => (Filling::Flat, t),
            None if n <= LARGEST_UNEVEN_HOLE => match stretched(hole, &places, &edges) {
                Some(t) => (Filling::LeastArea, t),
                None => (Filling::NotFilled, Vec::new()),
            },
            None => (Filling::NotFilled, Vec::new()),
        };
        let wanted = match wish {
            FillingChoice::Proposed => hole.proposal() == Filling::Smooth,
            FillingChoice::Plain => false,
            FillingChoice::Smooth => !hole.flat,
        };
        let (kind, found) = if wanted && kind == Filling::LeastArea {
            let around: Vec<Vec<PointId>> = rim.iter().map(|p| beside.get(p).cloned().unwrap_or_default()).collect();
            let patch = smooth_patch(mesh, &rim, &found, &around);
            let first = points.len() as u32;
            points.extend(&patch.points);
            // Corners of the patch beyond the rim are numbered among the points from here on.
            let number = |k: u32| rim.get(k as usize).copied().unwrap_or(PointId(first + k - n as u32));
            (Filling::Smooth, patch.triangles.into_iter().map(|t| t.map(number)).collect::<Vec<_>>())
        } else {
            (kind, found.into_iter().map(|t| t.map(|k| rim[k as usize])).collect())
        };
        for &t in &found {
            for k in 0..3 {
                edges.insert(key(t[k], t[(k + 1) % 3]));
            }
            triangles.push(t);
            origin.push(FacetId::NONE);
            hole_of.push(i as u32);
        }
        fillings.push((kind, found.len()));
    }
    let mesh = Mesh { points, triangles };
    Ok(Filled { rebuilt: Rebuilt { mesh, origin }, fillings, hole_of })
}
