//! Bumps and dents: small regions that stand out of the surface or into it, bounded all around by a sharp edge. Round ones
//! are found by [`crate::round_bumps`], and go like these.
//!
//! A boss or raised letter meets the face it stands on in hollow edges, a pocket or bore meets it in edges that stand
//! out. So the surface is taken apart along its sharp edges of one kind; what falls off small, and encloses something
//! with the plane of its rim, is a bump or a dent. Our own method.

use crate::holes::{self, Filling, FillingChoice};
use crate::mesh::{Bounds, FacetId, Mesh, Point, PointId, Rebuilt};
use crate::round_bumps::set_down;
use crate::sets::Sets;
use crate::topology::{Topology, neighbours};
use crate::vector::{add, cross, dot, norm, scale, sub};
use crate::watch::{Cancelled, Watch};
use std::collections::{BTreeMap, HashSet};
use typed_index_collections::{TiSlice, TiVec};

/// Edges sharper than this, in degrees, bound a bump.
const SHARP: f64 = 25.0;
/// A bump encloses at least this part of its area times its size: less is a face, not a bump.
const BULGE: f64 = 2e-3;

/// A region that stands out of the surface, or into it.
#[derive(Clone, Debug, PartialEq)]
pub struct Bump {
    /// The facets of it.
    pub facets: Vec<FacetId>,
    /// The diagonal of its box.
    pub size: f64,
    /// What it encloses with its rim; below zero for a dent.
    pub volume: f64,
}

/// The bumps (`out`) or dents of a surface that are no larger than `size`, by their lowest facet.
pub fn bumps(mesh: &Mesh, out: bool, size: f64) -> Vec<Bump> {
    let across = neighbours(mesh);
    let bounds_a_bump = |f: FacetId, edge: usize, g: FacetId| {
        g == FacetId::NONE || (bend(mesh, f, edge, g) > SHARP) == out && bend(mesh, f, edge, g).abs() > SHARP
    };
    let sets = Sets::new(mesh.triangles.len());
    for f in mesh.triangles.keys() {
        for (edge, &g) in across[f].iter().enumerate() {
            if !bounds_a_bump(f, edge, g) {
                sets.unite(f, g);
            }
        }
    }
    let mut boxes: BTreeMap<FacetId, (Bounds, Vec<FacetId>)> = BTreeMap::new();
    for f in mesh.triangles.keys() {
        let (bounds, facets) = boxes.entry(sets.root(f)).or_insert((Bounds::EMPTY, Vec::new()));
        *bounds = mesh.corners(f).into_iter().fold(*bounds, Bounds::including);
        facets.push(f);
    }
    let small = boxes.into_values().filter(|(bounds, _)| bounds.diagonal() <= size);
    small.filter_map(|(bounds, facets)| bump(mesh, &across, out, bounds.diagonal(), facets)).collect()
}

/// How far the surface bends over an edge, in degrees: above zero where it is hollow.
fn bend(mesh: &Mesh, f: FacetId, edge: usize, g: FacetId) -> f64 {
    let (u, v) = (mesh.area_vector(f), mesh.area_vector(g));
    let t = mesh.triangles[f];
    let along = sub(mesh.points[t[(edge + 1) % 3]], mesh.points[t[edge]]);
    let turned = cross(u, v);
    let angle = norm(turned).atan2(dot(u, v)).to_degrees();
    if dot(turned, along) < 0.0 { angle } else { -angle }
}

fn bump(
    mesh: &Mesh,
    across: &TiSlice<FacetId, [FacetId; 3]>,
    out: bool,
    size: f64,
    facets: Vec<FacetId>,
) -> Option<Bump> {
    let inside: HashSet<FacetId> = facets.iter().copied().collect();
    let mut rim: Vec<Point> = Vec::new();
    for &f in &facets {
        for (edge, &g) in across[f].iter().enumerate() {
            if g == FacetId::NONE {
                // At an open edge there is no face to go on with.
                return None;
            }
            if !inside.contains(&g) {
                rim.push(mesh.points[mesh.triangles[f][edge]]);
            }
        }
    }
    if rim.is_empty() {
        return None;
    }
    let centre = scale(rim.iter().fold([0.0; 3], |s, p| add(s, *p)), 1.0 / rim.len() as f64);
    let (mut volume, mut area) = (0.0, 0.0);
    for &f in &facets {
        let [a, b, c] = mesh.corners(f).map(|p| sub(p, centre));
        volume += dot(a, cross(b, c)) / 6.0;
        area += norm(mesh.area_vector(f)) / 2.0;
    }
    let bulges = if out { volume } else { -volume } > BULGE * area * size;
    bulges.then_some(Bump { facets, size, volume })
}

/// What taking bumps away did.
#[derive(Debug)]
pub struct Smoothed {
    /// The surface without them.
    pub rebuilt: Rebuilt,
    /// How many bumps went.
    pub bumps: usize,
    /// How many dents went.
    pub dents: usize,
}

/// Takes bumps and dents no larger than `size` away and closes the surface over them; those over which it cannot be
/// closed stay. Bumps go first, since they may stand in dents; after those with a sharp rim the `round` ones, if wanted.
///
/// # Errors
/// [`Cancelled`].
pub fn without_bumps(mesh: &Mesh, size: f64, round: bool, watch: &Watch) -> Result<Smoothed, Cancelled> {
    let mut done = Smoothed {
        rebuilt: Rebuilt { mesh: mesh.clone(), origin: mesh.triangles.keys().collect() },
        bumps: 0,
        dents: 0,
    };
    for (out, share) in [(true, 0.1), (false, 0.3)] {
        watch.report(share, "looking for bumps and dents")?;
        let found = bumps(&done.rebuilt.mesh, out, size);
        let (next, closed) = closed_over(&done.rebuilt.mesh, &found, watch)?;
        let origin = next.origin.iter().map(|o| done.rebuilt.origin.get(*o).copied().unwrap_or(FacetId::NONE));
        done.rebuilt = Rebuilt { origin: origin.collect(), mesh: next.mesh };
        if out { done.bumps = closed } else { done.dents = closed }
    }
    if round {
        let [bumps, dents] = set_down(&mut done.rebuilt.mesh, size, watch)?;
        done.bumps += bumps;
        done.dents += dents;
    }
    Ok(done)
}

/// The surface without those bumps over which it can be closed, and how many those are.
fn closed_over(mesh: &Mesh, all: &[Bump], watch: &Watch) -> Result<(Rebuilt, usize), Cancelled> {
    let mut chosen: Vec<&Bump> = all.iter().collect();
    // Each round at least one bump is given up.
    loop {
        let gone: HashSet<FacetId> = chosen.iter().flat_map(|b| &b.facets).copied().collect();
        // A bump that holds the rest together, or all there is, is none.
        if gone.is_empty() || gone.len() == mesh.triangles.len() {
            let origin = mesh.triangles.keys().collect();
            return Ok((Rebuilt { mesh: mesh.clone(), origin }, 0));
        }
        let left: TiVec<FacetId, FacetId> = mesh.triangles.keys().filter(|f| !gone.contains(f)).collect();
        // Points keep their numbers, so that it can be told whose rim a hole is.
        let rest = Mesh { points: mesh.points.clone(), triangles: left.iter().map(|f| mesh.triangles[*f]).collect() };
        let mut bump_at: BTreeMap<PointId, usize> = BTreeMap::new();
        for (k, b) in chosen.iter().enumerate() {
            b.facets.iter().flat_map(|f| mesh.triangles[*f]).for_each(|p| {
                bump_at.insert(p, k);
            });
        }
        let open = Topology::of(&rest, watch)?.open;
        let mut rims = holes::find_holes(&rest, &open);
        rims.retain(|h| h.points.iter().all(|p| bump_at.contains_key(p)));
        let filled = holes::fill(&rest, &rims, FillingChoice::Proposed, watch)?;
        let failed: HashSet<usize> = rims
            .iter()
            .zip(&filled.fillings)
            .filter(|(_, f)| f.0 == Filling::NotFilled)
            .flat_map(|(h, _)| h.points.iter().map(|p| bump_at[p]))
            .collect();
        if failed.is_empty() {
            let mut out = filled.rebuilt;
            out.mesh.drop_unused_points();
            out.origin.iter_mut().for_each(|o| *o = left.get(*o).copied().unwrap_or(FacetId::NONE));
            return Ok((out, chosen.len()));
        }
        let mut k = 0;
        chosen.retain(|_| {
            k += 1;
            !failed.contains(&(k - 1))
        });
    }
}
