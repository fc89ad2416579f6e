//! Finding holes and filling them.

use crate::mesh::{Bounds, Mesh, NONE, Point, Rebuilt};
use crate::smooth_patch::smooth_patch;
use crate::topology::OpenEdge;
use crate::triangulate::{flat, least_area, out_of_plane, polygon_normal};
use crate::vector::{add, distance, norm, scale};
use crate::watch::{Cancelled, Watch};
use serde::{Deserialize, Serialize};
use std::collections::{HashMap, HashSet};

/// A hole with more edges than this is filled only if it is flat: the least-area search grows with the cube.
pub const LARGEST_UNEVEN_HOLE: usize = 1200;
/// A hole with so many edges is closed without new points: there is no room for a bulge.
const SMALL: usize = 8;
/// A hole counts as flat if no corner is further from its mean plane than this part of its extent.
const FLATNESS: f64 = 2e-3;

/// One simple loop of open edges.
#[derive(Clone, Debug)]
pub struct Hole {
    /// The corners in the order in which a filling runs them (against the facets around).
    pub points: Vec<u32>,
    pub perimeter: f64,
    /// Area enclosed by the loop in its mean plane.
    pub area: f64,
    pub flat: bool,
    pub centre: Point,
    pub bounds: Bounds,
}

/// How a hole was filled.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Filling {
    /// Constrained triangulation in the mean plane.
    Flat,
    /// Least total area.
    LeastArea,
    /// As dense and bent as the surface around it.
    Smooth,
    /// Left open: too many edges, or no triangulation without an edge shared by three.
    NotFilled,
}

/// Which fillings are asked for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Wish {
    /// For each hole what suits it: see [`Hole::proposal`].
    #[default]
    Proposed,
    /// In the mean plane where it is flat, the least area elsewhere; no new points.
    Plain,
    /// Smooth wherever a hole is not flat.
    Smooth,
}

impl Hole {
    /// The filling that suits a hole: flat if it is flat; small ones with the least area; large ones smooth, since a
    /// stretched sheet would cut off what bulges there.
    pub fn proposal(&self) -> Filling {
        match self.points.len() {
            _ if self.flat => Filling::Flat,
            n if n > LARGEST_UNEVEN_HOLE => Filling::NotFilled,
            n if n <= SMALL => Filling::LeastArea,
            _ => Filling::Smooth,
        }
    }
}

/// The simple loops among open edges, the longest first. Where loops touch at a point they are taken apart
/// there; chains that do not close are left out.
pub fn find_holes(mesh: &Mesh, open: &[OpenEdge]) -> Vec<Hole> {
    let mut at: HashMap<u32, Vec<u32>> = HashMap::new();
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
        let mut place: HashMap<u32, usize> = HashMap::from([(open[start].to, 0)]);
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
    holes
}

fn hole(mesh: &Mesh, open: &[OpenEdge], path: &[u32], steps: &[u32]) -> Hole {
    let against = path.iter().zip(steps).filter(|(p, s)| open[**s as usize].to == **p).count();
    let mut points = path.to_vec();
    if against * 2 < points.len() {
        points.reverse();
    }
    let places: Vec<Point> = points.iter().map(|&p| mesh.points[p as usize]).collect();
    let bounds = Bounds::of(places.iter().copied());
    Hole {
        perimeter: (0..places.len()).map(|i| distance(places[i], places[(i + 1) % places.len()])).sum(),
        area: norm(polygon_normal(&places)) / 2.0,
        flat: out_of_plane(&places) <= FLATNESS * bounds.diagonal(),
        centre: scale(places.iter().fold([0.0; 3], |s, &p| add(s, p)), 1.0 / places.len() as f64),
        bounds,
        points,
    }
}

/// A mesh with holes filled: the new facets stand last and have no origin.
#[derive(Debug)]
pub struct Filled {
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
pub fn fill(mesh: &Mesh, holes: &[Hole], wish: Wish, watch: &Watch) -> Result<Filled, Cancelled> {
    let rims: HashSet<u32> = holes.iter().flat_map(|h| &h.points).copied().collect();
    let key = |a: u32, b: u32| [a.min(b), a.max(b)];
    let mut edges: HashMap<[u32; 2], u32> = HashMap::new();
    for t in &mesh.triangles {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            if rims.contains(&a) && rims.contains(&b) {
                *edges.entry(key(a, b)).or_insert(0) += 1;
            }
        }
    }
    let mut beside: HashMap<u32, Vec<u32>> = HashMap::new();
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
    let mut origin: Vec<u32> = (0..triangles.len() as u32).collect();
    let mut fillings = Vec::with_capacity(holes.len());
    let mut hole_of = Vec::new();
    for (i, hole) in holes.iter().enumerate() {
        watch.report(i as f64 / holes.len() as f64, "filling holes")?;
        let n = hole.points.len();
        let places: Vec<Point> = hole.points.iter().map(|&p| mesh.points[p as usize]).collect();
        let taken = |i: usize, j: usize| {
            let apart = i.abs_diff(j);
            apart > 1 && apart < n - 1 && edges.contains_key(&key(hole.points[i], hole.points[j]))
        };
        let free = |t: &[[u32; 3]]| t.iter().all(|t| (0..3).all(|k| !taken(t[k] as usize, t[(k + 1) % 3] as usize)));
        let in_plane = if hole.flat || n > LARGEST_UNEVEN_HOLE { flat(&places).filter(|t| free(t)) } else { None };
        let (kind, found) = match in_plane {
            Some(t) => (Filling::Flat, t),
            None if n <= LARGEST_UNEVEN_HOLE => match least_area(&places, taken) {
                Some(t) => (Filling::LeastArea, t),
                None => (Filling::NotFilled, Vec::new()),
            },
            None => (Filling::NotFilled, Vec::new()),
        };
        let wanted = match wish {
            Wish::Proposed => hole.proposal() == Filling::Smooth,
            Wish::Plain => false,
            Wish::Smooth => !hole.flat,
        };
        let (kind, found) = if wanted && kind == Filling::LeastArea {
            let around: Vec<Vec<u32>> =
                hole.points.iter().map(|p| beside.get(p).cloned().unwrap_or_default()).collect();
            let patch = smooth_patch(mesh, &hole.points, &found, &around);
            let first = points.len() as u32;
            points.extend(&patch.points);
            // Corners of the patch beyond the rim are numbered among the points from here on.
            let number = |k: u32| hole.points.get(k as usize).copied().unwrap_or(first + k - n as u32);
            (Filling::Smooth, patch.triangles.into_iter().map(|t| t.map(number)).collect::<Vec<_>>())
        } else {
            (kind, found.into_iter().map(|t| t.map(|k| hole.points[k as usize])).collect())
        };
        for &t in &found {
            for k in 0..3 {
                *edges.entry(key(t[k], t[(k + 1) % 3])).or_insert(0) += 1;
            }
            triangles.push(t);
            origin.push(NONE);
            hole_of.push(i as u32);
        }
        fillings.push((kind, found.len()));
    }
    let mesh = Mesh { points, triangles };
    Ok(Filled { rebuilt: Rebuilt { mesh, origin }, fillings, hole_of })
}
