//! Stitching: closing gaps along open edges within a tolerance.
//!
//! Two moves, repeated until neither finds anything: points of open edges that lie within the tolerance of
//! each other are joined at their mean, nearest pairs first; and an open edge that another open edge runs
//! along is split at that edge's points, so that T-junctions close. A join that would collapse or turn over
//! a facet, or make a non-manifold edge, is refused. Only the rim (the facets at open edges) is worked
//! on; the rest of the mesh is copied.

use crate::grid;
use crate::mesh::{FacetId, Mesh, Point, PointId, Rebuilt, spans_no_area};
use crate::topology::{OpenEdge, open_edges};
use crate::vector::{add, area_vector, distance, dot, nearest_on_segment, scale, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::HashMap;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// How many near points a point is compared with at most; more only matter where the tolerance is far
/// larger than the facets.
const NEAREST: usize = 12;
const ROUNDS: usize = 8;
/// More pairs of open points that lie near each other are not compared: splits make them many times as many.
const MOST_PAIRS: f64 = 3e7;
/// Loops of at most so many edges are small holes.
const SMALL_LOOP: usize = 8;

/// What a stitch did, in figures (lengths in the unit of the mesh).
#[derive(Clone, Copy, Debug, Default, PartialEq, serde::Serialize, serde::Deserialize)]
pub struct StitchReport {
    /// Open edges as they came.
    pub open_before: usize,
    /// Open edges that are left.
    pub open_after: usize,
    /// Those of them in loops of more than eight edges: seams and large openings, not small holes.
    #[serde(default)]
    pub long_after: usize,
    /// Points that became one with others.
    pub points_joined: usize,
    /// Edges that were cut where points of others lie.
    pub edges_split: usize,
    /// Joins refused because a facet would collapse or turn over.
    pub refused_collapse: usize,
    /// Joins and splits refused because an edge would be shared by three.
    pub refused_overshare: usize,
    /// The furthest that any point moved.
    pub largest_move: f64,
    /// The widest gap that was closed.
    pub largest_gap: f64,
}

/// The facets at open edges, as a mesh of their own.
#[derive(Clone)]
pub struct Rim {
    mesh: Mesh,
    /// Facet of the whole mesh that each rim facet came from, ascending.
    origin: TiVec<FacetId, FacetId>,
    /// Point of the whole mesh for each rim point.
    point: TiVec<PointId, PointId>,
    /// Rim points all of whose facets are in the rim. An edge between two others may look open only because
    /// the rim is cut out of the whole.
    full: TiVec<PointId, bool>,
    /// Where each rim point was, and which rim point it has become.
    home: TiVec<PointId, Point>,
    became: TiVec<PointId, PointId>,
}

fn spread(point: PointId) -> u64 {
    let h = (u64::from(point.0) + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    (h ^ (h >> 29)).wrapping_mul(0xbf58_476d_1ce4_e5b9)
}

impl Rim {
    /// The facets that touch a point with an open edge.
    ///
    /// At a point all of whose edges are run once each way, the next and the previous corners of its facets
    /// are the same set, so their hashes cancel in a sum. One pass, no adjacency: 8 bytes a point.
    pub fn of(mesh: &Mesh) -> Rim {
        let flat = mesh.flat_facets();
        let mut balance = ti_vec![0u64; mesh.points.len()];
        for (t, _) in mesh.triangles.iter().zip(&flat).filter(|(_, flat)| !**flat) {
            let h = t.map(spread);
            for k in 0..3 {
                let slot = &mut balance[t[k]];
                *slot = slot.wrapping_add(h[(k + 1) % 3]).wrapping_sub(h[(k + 2) % 3]);
            }
        }
        let touches = |f: FacetId| mesh.triangles[f].iter().any(|&p| balance[p] != 0);
        let origin: Vec<FacetId> =
            mesh.par_facets().with_min_len(1 << 14).filter(|&f| !flat[f] && touches(f)).collect();
        let mut number: HashMap<PointId, PointId> = HashMap::new();
        let mut point: TiVec<PointId, PointId> = TiVec::new();
        let mut numbered = |p: PointId| *number.entry(p).or_insert_with(|| point.push_and_get_key(p));
        let triangles: Vec<[PointId; 3]> = origin.iter().map(|&f| mesh.triangles[f].map(&mut numbered)).collect();
        let points: TiVec<PointId, Point> = point.iter().map(|&p| mesh.points[p]).collect();
        let full = point.iter().map(|&p| balance[p] != 0).collect();
        let became = points.keys().collect();
        Rim {
            home: points.clone(),
            mesh: Mesh { points, triangles: triangles.into() },
            origin: origin.into(),
            point,
            full,
            became,
        }
    }

    /// The open edges, as edges of the rim mesh.
    pub fn open(&self) -> Vec<OpenEdge> {
        let mut open = open_edges(&self.mesh);
        open.retain(|e| self.full[e.from] && self.full[e.to]);
        open
    }

    /// Median length of the open edges; zero if there are none.
    pub fn median_open_edge(&self) -> f64 {
        crate::measure::median_length(&self.mesh, self.open().iter().map(|e| (e.from, e.to)))
    }

    /// The widest tolerance, up to `tolerance`, at which points of the rim have so few others near them that all can be
    /// compared.
    pub fn affordable(&self, tolerance: f64) -> f64 {
        let boundary = ends(&self.open());
        let mut widest = tolerance;
        while Grid::new(&self.mesh.points, &boundary, widest).pairs() > MOST_PAIRS {
            widest *= 0.8;
        }
        widest
    }

    /// Closes the rim's gaps up to `tolerance`.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn close(&mut self, tolerance: f64, watch: &Watch) -> Result<StitchReport, Cancelled> {
        let mut report = StitchReport { open_before: self.open().len(), ..Default::default() };
        for _ in 0..ROUNDS {
            watch.check()?;
            let joined = self.join_points(tolerance, &mut report);
            let split = self.split_edges(tolerance, &mut report);
            if !joined && !split {
                break;
            }
        }
        let open = self.open();
        report.open_after = open.len();
        let loops = crate::topology::open_loops(&self.mesh, &open);
        report.long_after = loops.iter().map(|l| l.edges.len()).filter(|n| *n > SMALL_LOOP).sum();
        for (old, &new) in self.became.iter_enumerated() {
            report.largest_move = report.largest_move.max(distance(self.home[old], self.mesh.points[new]));
        }
        Ok(report)
    }

    fn join_points(&mut self, tolerance: f64, report: &mut StitchReport) -> bool {
        let open = self.open();
        let boundary = ends(&open);
        let grid = Grid::new(&self.mesh.points, &boundary, tolerance);
        let mut pairs: Vec<(f64, PointId, PointId)> = boundary
            .par_iter()
            .flat_map_iter(|&p| {
                let mut near: Vec<(f64, PointId)> = grid
                    .around(self.mesh.points[p])
                    .map(|q| (distance(self.mesh.points[p], self.mesh.points[q]), q))
                    .filter(|&(d, q)| q != p && d <= tolerance)
                    .collect();
                near.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
                near.truncate(NEAREST);
                near.into_iter().map(move |(d, q)| (d, p.min(q), p.max(q)))
            })
            .collect();
        pairs.sort_unstable_by(|a, b| a.0.total_cmp(&b.0).then((a.1, a.2).cmp(&(b.1, b.2))));
        pairs.dedup();
        (report.refused_collapse, report.refused_overshare) = (0, 0);
        let mut clusters = Clusters::new(self, tolerance);
        let mut joined = 0;
        for (gap, p, q) in pairs {
            match clusters.join(p, q) {
                Join::Done => {
                    joined += 1;
                    report.largest_gap = report.largest_gap.max(gap);
                }
                Join::Collapse => report.refused_collapse += 1,
                Join::Overshare => report.refused_overshare += 1,
                Join::Same => {}
            }
        }
        (self.became, self.mesh.points) = clusters.finish();
        for p in self.mesh.triangles.iter_mut().flatten() {
            *p = self.became[*p];
        }
        for (p, &r) in self.became.iter_enumerated() {
            self.full[r] |= self.full[p];
        }
        report.points_joined += joined;
        joined > 0
    }

    fn split_edges(&mut self, tolerance: f64, report: &mut StitchReport) -> bool {
        let open = self.open();
        if open.is_empty() {
            return false;
        }
        let along = points_along(&self.mesh, &open, tolerance);
        // One edge a facet and round: the spokes of a second one would depend on the first.
        let mut splits: HashMap<FacetId, (OpenEdge, Vec<PointId>)> = HashMap::new();
        let mut edges = EdgeCounts::new(&self.mesh);
        for (edge, found) in open.iter().zip(along) {
            if splits.contains_key(&edge.facet) {
                continue;
            }
            let accepted = edges.accept(&self.mesh, *edge, found, report);
            if !accepted.is_empty() {
                report.edges_split += accepted.len();
                report.largest_gap = accepted.iter().fold(report.largest_gap, |m, a| m.max(a.1));
                splits.insert(edge.facet, (*edge, accepted.into_iter().map(|a| a.0).collect()));
            }
        }
        if splits.is_empty() {
            return false;
        }
        let mut triangles = Vec::with_capacity(self.mesh.triangles.len() + splits.len() * 2);
        let mut origin = Vec::with_capacity(triangles.capacity());
        for (f, &t) in self.mesh.triangles.iter_enumerated() {
            match splits.get(&f) {
                Some((edge, points)) => split_facet(t, edge, points, &mut triangles),
                None => triangles.push(t),
            }
            origin.resize(triangles.len(), self.origin[f]);
        }
        self.mesh.triangles = triangles.into();
        self.origin = origin.into();
        true
    }
}

fn ends(open: &[OpenEdge]) -> Vec<PointId> {
    let mut points: Vec<PointId> = open.iter().flat_map(|e| [e.from, e.to]).collect();
    points.sort_unstable();
    points.dedup();
    points
}

/// Cuts a facet into a fan at points along one of its edges, in order from the edge's start.
fn split_facet(t: [PointId; 3], edge: &OpenEdge, points: &[PointId], triangles: &mut Vec<[PointId; 3]>) {
    let apex = t.into_iter().find(|&p| p != edge.from && p != edge.to).unwrap_or(edge.from);
    let mut last = edge.from;
    for &p in points.iter().chain([&edge.to]) {
        triangles.push([last, p, apex]);
        last = p;
    }
}

/// For each open edge the boundary points along it, as (point, distance), in order from its start. A point
/// counts only if one of its own open edges runs along the same stretch.
fn points_along(mesh: &Mesh, open: &[OpenEdge], tolerance: f64) -> Vec<Vec<(PointId, f64)>> {
    let boundary = ends(open);
    let typical = crate::measure::median_length(mesh, open.iter().map(|e| (e.from, e.to)));
    let grid = Grid::new(&mesh.points, &boundary, tolerance.max(typical));
    let mut beside: HashMap<PointId, Vec<PointId>> = HashMap::new();
    for e in open {
        beside.entry(e.from).or_default().push(e.to);
        beside.entry(e.to).or_default().push(e.from);
    }
    let at = |p: PointId| mesh.points[p];
    open.par_iter()
        .map(|e| {
            let (a, b) = (at(e.from), at(e.to));
            let corners = mesh.triangles[e.facet];
            let mut found: Vec<(f64, PointId, f64)> = grid
                .along(a, b)
                .into_iter()
                .filter(|p| !corners.contains(p))
                .filter_map(|p| {
                    let (t, d2) = nearest_on_segment(at(p), a, b);
                    let runs_along = |q: &PointId| overlaps(at(p), at(*q), a, b, t, tolerance);
                    let inside = t > 0.0 && t < 1.0 && d2 <= tolerance * tolerance;
                    (inside && beside[&p].iter().any(runs_along)).then(|| (t, p, d2.sqrt()))
                })
                .collect();
            found.sort_unstable_by(|x, y| x.0.total_cmp(&y.0).then(x.1.cmp(&y.1)));
            found.into_iter().map(|(_, p, d)| (p, d)).collect()
        })
        .collect()
}

/// Whether the edge `p q` runs along the edge `a b` for some length within the tolerance; `t` is where `p`
/// falls on `a b`.
fn overlaps(p: Point, q: Point, a: Point, b: Point, t: f64, tolerance: f64) -> bool {
    let ab = sub(b, a);
    let s = dot(sub(q, a), ab) / dot(ab, ab);
    if (s - t).abs() < 1e-9 {
        return false;
    }
    let (s, end) = if s >= 1.0 {
        (1.0, b)
    } else if s <= 0.0 {
        (0.0, a)
    } else {
        (s, q)
    };
    let gap2 = if end == q { nearest_on_segment(q, a, b).1 } else { nearest_on_segment(end, p, q).1 };
    (s - t).abs() > 1e-9 && gap2 <= tolerance * tolerance
}

/// How many facets each edge of the rim has, kept up to date while splits are accepted.
struct EdgeCounts(HashMap<[PointId; 2], u32>);

impl EdgeCounts {
    fn new(mesh: &Mesh) -> EdgeCounts {
        let mut counts = HashMap::with_capacity(mesh.triangles.len() * 2);
        for t in &mesh.triangles {
            for k in 0..3 {
                *counts.entry(key(t[k], t[(k + 1) % 3])).or_insert(0) += 1;
            }
        }
        EdgeCounts(counts)
    }

    fn of(&self, a: PointId, b: PointId) -> u32 {
        self.0.get(&key(a, b)).copied().unwrap_or(0)
    }

    /// Takes those of the `found` points at which `edge` can be split without turning a facet over or
    /// giving an edge a third facet.
    fn accept(
        &mut self,
        mesh: &Mesh,
        edge: OpenEdge,
        found: Vec<(PointId, f64)>,
        report: &mut StitchReport,
    ) -> Vec<(PointId, f64)> {
        // A split accepted before this one may have closed the edge already.
        if found.is_empty() || self.of(edge.from, edge.to) != 1 {
            return Vec::new();
        }
        let [a, b, c] = mesh.corners(edge.facet);
        let normal = area_vector(a, b, c);
        let t = mesh.triangles[edge.facet];
        let apex = t.into_iter().find(|&p| p != edge.from && p != edge.to).unwrap_or(edge.from);
        let place = |p: PointId| mesh.points[p];
        let upright = |x: PointId, y: PointId| stays_upright([place(x), place(y), place(apex)], normal);
        let mut accepted: Vec<(PointId, f64)> = Vec::new();
        let mut last = edge.from;
        for (p, gap) in found {
            if !upright(last, p) || !upright(p, edge.to) {
                report.refused_collapse += 1;
            } else if self.of(last, p) > 1 || self.of(p, apex) > 0 {
                report.refused_overshare += 1;
            } else {
                accepted.push((p, gap));
                last = p;
            }
        }
        if accepted.is_empty() {
            return accepted;
        }
        if self.of(last, edge.to) > 1 {
            report.refused_overshare += accepted.len();
            return Vec::new();
        }
        self.0.insert(key(edge.from, edge.to), 0);
        let mut last = edge.from;
        for &p in accepted.iter().map(|a| &a.0).chain([&edge.to]) {
            *self.0.entry(key(last, p)).or_insert(0) += 1;
            if p != edge.to {
                *self.0.entry(key(p, apex)).or_insert(0) += 2;
            }
            last = p;
        }
        accepted
    }
}

/// Whether a facet with these corners has area and faces the side that `normal` is on.
fn stays_upright(corners: [Point; 3], normal: Point) -> bool {
    let [a, b, c] = corners;
    dot(area_vector(a, b, c), normal) > 0.0 && !spans_no_area(corners)
}

fn key(a: PointId, b: PointId) -> [PointId; 2] {
    [a.min(b), a.max(b)]
}

/// Points in cubic cells.
struct Grid {
    cell: f64,
    cells: HashMap<[i64; 3], Vec<PointId>>,
}

impl Grid {
    fn new(points: &TiSlice<PointId, Point>, which: &[PointId], cell: f64) -> Grid {
        let cell = if cell > 0.0 { cell } else { 1.0 };
        let mut cells: HashMap<[i64; 3], Vec<PointId>> = HashMap::with_capacity(which.len());
        for &p in which {
            cells.entry(grid::cell(points[p], cell)).or_default().push(p);
        }
        Grid { cell, cells }
    }

    /// The points in the cells around a place: all within one cell length of it, and some more.
    fn around(&self, place: Point) -> impl Iterator<Item = PointId> + '_ {
        let near = grid::around(grid::cell(place, self.cell));
        near.flat_map(|at| self.cells.get(&at).into_iter().flatten().copied())
    }

    /// How many points are found around all points.
    fn pairs(&self) -> f64 {
        let around =
            |at: &[i64; 3]| -> usize { grid::around(*at).filter_map(|c| self.cells.get(&c)).map(Vec::len).sum() };
        self.cells.iter().map(|(at, points)| points.len() as f64 * around(at) as f64).sum()
    }

    /// The points within one cell length of a segment, and some more; each once, ascending.
    fn along(&self, a: Point, b: Point) -> Vec<PointId> {
        // More steps than points would only find the same points again.
        let steps = (distance(a, b) / self.cell).ceil().clamp(1.0, 4096.0) as usize;
        let mut found: Vec<PointId> =
            (0..=steps).flat_map(|i| self.around(crate::vector::lerp(a, b, i as f64 / steps as f64))).collect();
        found.sort_unstable();
        found.dedup();
        found
    }
}

enum Join {
    Done,
    Same,
    Collapse,
    Overshare,
}

/// Rim points that are becoming one, those of earlier rounds among them: each lies at the mean of where its
/// members were at first, and none of them further away than the tolerance.
struct Clusters<'a> {
    mesh: &'a Mesh,
    home: &'a TiSlice<PointId, Point>,
    corners: crate::corners::Corners,
    tolerance: f64,
    root: TiVec<PointId, PointId>,
    place: TiVec<PointId, Point>,
    members: HashMap<PointId, Vec<PointId>>,
}

impl<'a> Clusters<'a> {
    fn new(rim: &'a Rim, tolerance: f64) -> Clusters<'a> {
        let mut members: HashMap<PointId, Vec<PointId>> = HashMap::new();
        for (p, &root) in rim.became.iter_enumerated().filter(|(p, root)| *root != p) {
            members.entry(root).or_insert_with(|| vec![root]).push(p);
        }
        Clusters {
            mesh: &rim.mesh,
            home: &rim.home,
            corners: crate::corners::Corners::new(&rim.mesh, |_| false),
            tolerance,
            root: rim.became.clone(),
            place: rim.mesh.points.clone(),
            members,
        }
    }

    fn members_of(&self, root: PointId) -> Vec<PointId> {
        self.members.get(&root).cloned().unwrap_or_else(|| vec![root])
    }

    fn join(&mut self, p: PointId, q: PointId) -> Join {
        let (a, b) = (self.root[p], self.root[q]);
        if a == b {
            return Join::Same;
        }
        let (mut members, others) = (self.members_of(a), self.members_of(b));
        let first_others = members.len();
        members.extend(others);
        let sum = members.iter().fold([0.0; 3], |s, &m| add(s, self.home[m]));
        let mean = scale(sum, 1.0 / members.len() as f64);
        if members.iter().any(|&m| distance(mean, self.home[m]) > self.tolerance) {
            return Join::Same;
        }
        let mut edges: Vec<(PointId, bool)> = Vec::new();
        for (i, &m) in members.iter().enumerate() {
            for &f in self.corners.at(m) {
                let t = self.mesh.triangles[f].map(|x| self.root[x]);
                if t.contains(&a) && t.contains(&b) {
                    return Join::Collapse;
                }
                let now = t.map(|x| if x == a || x == b { mean } else { self.place[x] });
                if !stays_upright(now, self.mesh.area_vector(f)) {
                    return Join::Collapse;
                }
                edges.extend(t.into_iter().filter(|x| *x != a && *x != b).map(|x| (x, i < first_others)));
            }
        }
        edges.sort_unstable();
        for run in edges.chunk_by(|x, y| x.0 == y.0) {
            if run.len() > 2 && run[0].1 != run[run.len() - 1].1 {
                return Join::Overshare;
            }
        }
        let (keep, gone) = (a.min(b), a.max(b));
        for &m in &members {
            self.root[m] = keep;
        }
        self.place[keep] = mean;
        self.members.remove(&gone);
        self.members.insert(keep, members);
        Join::Done
    }

    /// The root of each point, and the place of each root.
    fn finish(self) -> (TiVec<PointId, PointId>, TiVec<PointId, Point>) {
        (self.root, self.place)
    }
}

/// A stitched mesh and what was done to it.
pub struct Stitched {
    /// The stitched surface.
    pub rebuilt: Rebuilt,
    /// What was done.
    pub report: StitchReport,
}

/// Closes the gaps of `mesh` up to `tolerance` (in the unit of the mesh). Points that no facet uses any
/// more are dropped. Facets without area are left as they are; remove them first.
///
/// # Errors
/// [`Cancelled`].
pub fn stitch(mesh: &Mesh, tolerance: f64, watch: &Watch) -> Result<Stitched, Cancelled> {
    watch.report(0.0, "finding open edges")?;
    let mut rim = Rim::of(mesh);
    watch.report(0.3, "closing gaps")?;
    let report = rim.close(tolerance, watch)?;
    watch.report(0.8, "putting the facets together")?;
    Ok(Stitched { rebuilt: splice(mesh, rim), report })
}

fn splice(mesh: &Mesh, rim: Rim) -> Rebuilt {
    let mut points = mesh.points.clone();
    for (r, &p) in rim.point.iter_enumerated() {
        points[p] = rim.mesh.points[r];
    }
    let whole = |r: PointId| rim.point[r];
    let total = mesh.triangles.len() + rim.mesh.triangles.len();
    let mut triangles: TiVec<FacetId, [PointId; 3]> = TiVec::with_capacity(total);
    let mut origin = Vec::with_capacity(total);
    let mut next = FacetId(0);
    for f in mesh.triangles.keys() {
        if rim.origin.get(next) != Some(&f) {
            // Facets without area are not in the rim, but their corners may have been joined to others.
            triangles.push(mesh.triangles[f]);
            origin.push(f);
        }
        while rim.origin.get(next) == Some(&f) {
            triangles.push(rim.mesh.triangles[next].map(whole));
            origin.push(f);
            next = next + FacetId(1);
        }
    }
    let mut became: TiVec<PointId, PointId> = points.keys().collect();
    for (r, &b) in rim.became.iter_enumerated() {
        became[rim.point[r]] = whole(b);
    }
    triangles.raw.par_iter_mut().flatten().for_each(|p| *p = became[*p]);
    let mut mesh = Mesh { points, triangles };
    mesh.drop_unused_points();
    Rebuilt { mesh, origin: origin.into() }
}

impl Rim {
    /// The open edges with the point and facet numbers of the whole mesh the rim was cut from.
    pub fn open_in_whole(&self) -> Vec<OpenEdge> {
        let whole = |r: PointId| self.point[r];
        self.open()
            .into_iter()
            .map(|e| OpenEdge { from: whole(e.from), to: whole(e.to), facet: self.origin[e.facet] })
            .collect()
    }
}
