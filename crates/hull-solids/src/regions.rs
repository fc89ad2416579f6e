//! Several bodies parted into regions that share their interfaces: the same points and facets on both sides.
//!
//! The arrangement's cells are given to regions by the bodies that wind around them, or, where none does and the cell is
//! closed in, as an enclosed space. What stays between two regions is one set of facets, seen from both.

use crate::arrangement::Arrangement;
use crate::cells::Cells;
use crate::combine::CombineError;
use crate::handles::{BodyId, CellId, FaceId, PlaceId};
use crate::snap::snap;
use crate::thin_cells::settled;
use hull_geometry::sets::Sets;
use hull_geometry::thin::height;
use hull_geometry::vector::{cross, dot, solid_angle, sub};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Watch};
use std::collections::HashMap;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// A facet with what lies on both its sides.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct SidedFacet {
    /// Numbers of points.
    pub corners: [PointId; 3],
    /// The region that its normal points into; [`NONE`]: outside.
    pub front: u32,
    /// The region behind it.
    pub back: u32,
    /// The facet of the input that it is part of.
    pub source: FacetId,
}

/// Regions with their common facets.
#[derive(Clone, Debug, Default)]
pub struct Regions {
    /// Of all regions together.
    pub points: TiVec<PointId, Point>,
    /// Each once, also where it bounds two regions.
    pub facets: TiVec<FacetId, SidedFacet>,
    /// How many regions there are: one for each body, then the enclosed spaces.
    pub count: usize,
}

impl Regions {
    /// The surface of a region, facing outward, with the facet of each facet.
    pub fn surface(&self, region: u32) -> (Mesh, TiVec<FacetId, FacetId>) {
        let mut mesh = Mesh { points: self.points.clone(), triangles: TiVec::new() };
        let mut of = TiVec::new();
        for (i, s) in self.facets.iter_enumerated() {
            let [a, b, c] = s.corners;
            if s.back == region {
                mesh.triangles.push([a, b, c]);
                of.push(i);
            } else if s.front == region {
                mesh.triangles.push([a, c, b]);
                of.push(i);
            }
        }
        mesh.drop_unused_points();
        (mesh, of)
    }
}

/// Parts bodies, given one behind the other in one mesh, into regions. `rank` orders them: what lies in several belongs to the one
/// of the highest rank. With `spaces`, what is in no body but closed in becomes a region of its own each, the largest first.
///
/// # Errors
/// [`CombineError`].
pub fn regions(
    mesh: &Mesh,
    body_of: &TiSlice<FacetId, u32>,
    rank: &[u32],
    spaces: bool,
    watch: &Watch,
) -> Result<Regions, CombineError> {
    let bodies = rank.len();
    let arrangement = Arrangement::of(mesh, watch)?;
    let cells = Cells::of(&arrangement, &|f| BodyId(body_of[FacetId::from(f)]), bodies, watch)?;
    if cells.torn > 0 {
        return Err(CombineError::Open);
    }
    watch.report(0.9, "giving cells to regions")?;
    let body = |c: CellId| {
        let windings = cells.windings(c);
        (0..bodies).filter(|b| windings[*b] > 0).max_by_key(|b| rank[*b]).map_or(NONE, |b| b as u32)
    };
    let given = settled(&arrangement, &cells, cells.all().map(body).collect());
    let (given, count) = if spaces { enclosed(&arrangement, &cells, given, bodies) } else { (given, bodies) };
    let mut points = TiVec::new();
    let mut number: TiVec<PlaceId, PointId> = ti_vec![PointId::NONE; arrangement.places.len()];
    let mut known: HashMap<[u64; 3], PointId> = HashMap::new();
    let mut facets = TiVec::new();
    for f in arrangement.faces.keys() {
        let [front, back] = cells.of_face(f).map(|c| given[c]);
        if front == back {
            continue;
        }
        // Places that round to one point are one.
        let corners = arrangement.faces[f].map(|p| {
            if number[p] == PointId::NONE {
                let near = arrangement.places[p].near.map(|x| x + 0.0);
                number[p] = *known.entry(near.map(f64::to_bits)).or_insert_with(|| points.push_and_get_key(near));
            }
            number[p]
        });
        if corners[0] == corners[1] || corners[1] == corners[2] || corners[2] == corners[0] {
            continue;
        }
        let sources = arrangement.sources(f);
        // Of several facets of one place the one that faces outward of the region it is the skin of.
        let source = sources.iter().find(|s| s.same_way == (back != NONE)).unwrap_or(&sources[0]);
        facets.push(SidedFacet { corners, front, back, source: source.facet.into() });
    }
    let mut out = Regions { points, facets, count };
    out.settle();
    if out.facets.is_empty() {
        return Err(CombineError::Nothing);
    }
    Ok(out)
}

impl Regions {
    /// Takes out what rounding left without height, on both sides alike.
    fn settle(&mut self) {
        let mesh = Mesh {
            points: std::mem::take(&mut self.points),
            triangles: self.facets.iter().map(|s| s.corners).collect(),
        };
        let largest = mesh.points.iter().flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
        let tolerance = 8.0 * f64::EPSILON * largest;
        let thin: Vec<FacetId> = mesh.triangles.keys().filter(|&f| height(mesh.corners(f)) <= tolerance).collect();
        if thin.is_empty() {
            self.points = mesh.points;
            return;
        }
        let snapped = snap(&mesh, &thin, tolerance);
        let origin = |f: FacetId| self.facets[snapped.origin[f]];
        let facets = snapped.mesh.triangles.iter_enumerated().map(|(f, t)| SidedFacet { corners: *t, ..origin(f) });
        self.facets = facets.collect();
        self.points = snapped.mesh.points;
    }
}

/// Gives cells that are in no body and hang together without reaching the outside a region each.
fn enclosed(
    a: &Arrangement,
    cells: &Cells,
    mut given: TiVec<CellId, u32>,
    bodies: usize,
) -> (TiVec<CellId, u32>, usize) {
    let sets = Sets::new(cells.count);
    let mut volume: TiVec<CellId, f64> = ti_vec![0.0; cells.count];
    let centre = a.mesh.bounds().centre();
    for f in a.faces.keys() {
        let [front, back] = cells.of_face(f);
        if given[front] == NONE && given[back] == NONE {
            sets.unite(front.0, back.0);
        }
        let [p, q, r] = a.faces[f].map(|p| sub(a.places[p].near, centre));
        let six = dot(cross(p, q), r);
        volume[back] += six;
        volume[front] -= six;
    }
    let root = |c: CellId| CellId(sets.root(c.0));
    let mut total: HashMap<CellId, f64> = HashMap::new();
    for c in cells.all().filter(|c| given[*c] == NONE) {
        *total.entry(root(c)).or_default() += volume[c];
    }
    // Seen from within, only what reaches the outside, or the outside of a part that floats in a space, has a volume below zero.
    let mut spaces: Vec<(CellId, f64)> = total.iter().map(|(r, v)| (*r, *v)).filter(|(_, v)| *v > 0.0).collect();
    spaces.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let mut number: HashMap<CellId, u32> =
        spaces.iter().zip(bodies as u32..).map(|((root, _), n)| (*root, n)).collect();
    let count = bodies + spaces.len();
    let skins: Vec<(CellId, Vec<FaceId>)> =
        spaces.iter().map(|(root, _)| (*root, skin(a, cells, &sets, *root))).collect();
    let mut outer: Vec<CellId> = total.into_iter().filter(|(_, v)| *v <= 0.0).map(|(root, _)| root).collect();
    outer.sort_unstable();
    for root in outer {
        let Some(&face) = skin(a, cells, &sets, root).first() else { continue };
        let at = a.places[a.faces[face][0]].near;
        // The least of the spaces around it.
        let around = skins.iter().rev().find(|(space, faces)| holds(a, cells, (&sets, *space), faces, at));
        if let Some(n) = around.and_then(|(space, _)| number.get(space)).copied() {
            number.insert(root, n);
        }
    }
    for c in cells.all() {
        if let Some(n) = number.get(&root(c)).filter(|_| given[c] == NONE) {
            given[c] = *n;
        }
    }
    (given, count)
}

/// The faces around what hangs together with a cell.
fn skin(a: &Arrangement, cells: &Cells, sets: &Sets, root: CellId) -> Vec<FaceId> {
    let touches = |f: &FaceId| {
        let [front, back] = cells.of_face(*f).map(|c| sets.root(c.0) == root.0);
        front != back
    };
    a.faces.keys().filter(touches).collect()
}

/// Whether a place lies in the space whose skin this is, by the solid angle under which the skin is seen. The place is on no part
/// of the skin.
fn holds(a: &Arrangement, cells: &Cells, (sets, space): (&Sets, CellId), skin: &[FaceId], at: Point) -> bool {
    let angle = |f: &FaceId| {
        let angle = solid_angle(at, a.faces[*f].map(|p| a.places[p].near));
        if sets.root(cells.of_face(*f)[1].0) == space.0 { angle } else { -angle }
    };
    skin.iter().map(angle).sum::<f64>().abs() > std::f64::consts::TAU
}
