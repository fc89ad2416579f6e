//! Joining loose faces on their exact edges.
//!
//! Open edges (those that one face uses once) are compared as curves: where an end of one lies on another, that
//! one is split; ends within the tolerance become one vertex; edges between the same vertices whose curves keep
//! within the tolerance of each other become one. Then faces are turned to one side, and shells that close are
//! solids, those within others cavities.

use crate::curve::Piece;
use crate::join_report::JoinReport;
use crate::recognise::recognise;
use crate::shape::{EdgeId, FaceId, Shape, Use, VertexId};
use hull_geometry::vector::{add, distance, dot, scale};
use hull_geometry::{Cancelled, Point, Watch, grid, mesh::Bounds};
use rayon::prelude::*;
use std::collections::{HashMap, HashSet};
use typed_index_collections::{TiVec, ti_vec};

/// Points along an edge, for comparing.
const ALONG: usize = 12;

#[derive(Clone)]
pub(crate) struct Probe {
    edge: EdgeId,
    points: Vec<Point>,
    bounds: Bounds,
    pub(crate) length: f64,
}

impl Probe {
    pub(crate) fn of(shape: &Shape, edge: EdgeId) -> Probe {
        let e = &shape.edges[edge];
        let [a, b] = e.range;
        let points: Vec<Point> = (0..=ALONG).map(|i| e.curve.point(a + (b - a) * i as f64 / ALONG as f64)).collect();
        let length = points.windows(2).map(|w| distance(w[0], w[1])).sum();
        Probe { edge, bounds: Bounds::of(points.iter().copied()), points, length }
    }

    /// How far from the box of its samples points of it may lie: an arc bulges out by less than a part of its length.
    fn slack(&self, tolerance: f64) -> f64 {
        tolerance + 0.05 * self.length
    }

    fn reaches(&self, p: Point, tolerance: f64) -> bool {
        let slack = self.slack(tolerance);
        (0..3).all(|k| p[k] >= self.bounds.min[k] - slack && p[k] <= self.bounds.max[k] + slack)
    }
}

/// Joins the faces of a shape within `tolerance`.
///
/// # Errors
/// [`Cancelled`].
pub fn join(shape: &Shape, tolerance: f64, watch: &Watch) -> Result<(Shape, JoinReport), Cancelled> {
    let (mut shape, mut report) = join_edges(shape, tolerance, watch)?;
    watch.report(0.7, "turning faces to one side")?;
    turn_to_one_side(&mut shape, &mut report);
    watch.report(0.8, "recognising solids")?;
    recognise(&mut shape, &mut report, watch)?;
    shape.tolerance = shape.tolerance.max(report.largest_gap);
    Ok((shape, report))
}

/// Only the edges: what the plot needs.
///
/// # Errors
/// [`Cancelled`].
pub fn join_edges(shape: &Shape, tolerance: f64, watch: &Watch) -> Result<(Shape, JoinReport), Cancelled> {
    let mut shape = shape.clone();
    let mut report = JoinReport { open_before: shape.open_edges().len(), ..Default::default() };
    watch.report(0.05, "looking where edges meet")?;
    report.edges_split = split_where_met(&mut shape, tolerance, watch)?;
    watch.report(0.3, "joining vertices")?;
    let open = shape.open_edges();
    (report.vertices_joined, report.largest_gap) = join_vertices(&mut shape, &open, tolerance);
    watch.report(0.5, "joining edges")?;
    merge_edges(&mut shape, tolerance, &mut report, |_, _| true);
    report.open_after = shape.open_edges().iter().filter(|&&e| !is_speck(&shape, e, tolerance)).count();
    drop_specks(&mut shape, tolerance);
    Ok((shape, report))
}

/// Joins edges that one face uses twice: the seams of closed surfaces.
pub fn close_seams(shape: &mut Shape, face: FaceId, tolerance: f64) {
    let mut own: Vec<EdgeId> = shape.faces[face].loops.iter().flat_map(|l| &l.uses).map(|u| u.edge).collect();
    own.sort_unstable();
    own.dedup();
    join_vertices(shape, &own, tolerance);
    let mut report = JoinReport::default();
    let set: HashSet<EdgeId> = own.into_iter().collect();
    merge_edges(shape, tolerance, &mut report, |a, b| set.contains(&a) && set.contains(&b));
}

/// Turns the loops of a face that run the wrong way: for files whose loops have no reliable direction.
pub fn straighten_loops(shape: &mut Shape, face: FaceId) {
    let own = &shape.faces[face];
    let mut samples = ti_vec![crate::parameter_loops::Sampled::default(); shape.edges.len()];
    for u in own.loops.iter().flat_map(|l| &l.uses) {
        samples[u.edge] = crate::sample::evenly_along(&shape.edges[u.edge], 6);
    }
    let locator = crate::locate::Locator::new(&shape.surfaces[own.surface]);
    let wrong = crate::parameter_loops::loops_to_reverse(shape, own, &samples, &locator);
    for (l, _) in shape.faces[face].loops.iter_mut().zip(wrong).filter(|(_, w)| *w) {
        l.uses.reverse();
        l.uses.iter_mut().for_each(|u| u.forward = !u.forward);
    }
}

fn is_speck(shape: &Shape, edge: EdgeId, tolerance: f64) -> bool {
    let e = &shape.edges[edge];
    e.ends[0] == e.ends[1] && Probe::of(shape, edge).length <= 2.0 * tolerance
}

/// Edges that shrank to a vertex leave their loops.
fn drop_specks(shape: &mut Shape, tolerance: f64) {
    let open = shape.open_edges();
    let gone: HashSet<EdgeId> = open.into_iter().filter(|&e| is_speck(shape, e, tolerance)).collect();
    if gone.is_empty() {
        return;
    }
    for l in shape.faces.iter_mut().flat_map(|f| &mut f.loops) {
        if l.uses.iter().any(|u| !gone.contains(&u.edge)) {
            l.uses.retain(|u| !gone.contains(&u.edge));
        }
    }
}

/// Splits open edges where the ends of others lie on them; returns how many pieces came about.
fn split_where_met(shape: &mut Shape, tolerance: f64, watch: &Watch) -> Result<usize, Cancelled> {
    let open = shape.open_edges();
    let probes: Vec<Probe> = open.par_iter().map(|&e| Probe::of(shape, e)).collect();
    let mut ends: Vec<VertexId> = open.iter().flat_map(|&e| shape.edges[e].ends).collect();
    ends.sort_unstable();
    ends.dedup();
    // Along the longest side of the box, so that an edge is compared with what lies beside it only.
    let size = Bounds::of(ends.iter().map(|&v| shape.vertices[v])).size();
    let axis = (0..3).max_by(|&a, &b| size[a].total_cmp(&size[b])).unwrap_or(0);
    let along = |v: VertexId| shape.vertices[v][axis];
    ends.sort_by(|&a, &b| along(a).total_cmp(&along(b)).then(a.cmp(&b)));
    watch.check()?;
    let cuts: Vec<(EdgeId, Vec<f64>)> = probes
        .par_iter()
        .map(|probe| {
            if watch.check().is_err() {
                return (probe.edge, Vec::new());
            }
            let slack = probe.slack(tolerance);
            let first = ends.partition_point(|&v| along(v) < probe.bounds.min[axis] - slack);
            let beside = ends[first..].iter().take_while(|&&v| along(v) <= probe.bounds.max[axis] + slack);
            let e = &shape.edges[probe.edge];
            let own = e.ends.map(|v| shape.vertices[v]);
            let mut cuts: Vec<f64> = Vec::new();
            for &v in beside {
                let p = shape.vertices[v];
                let at_end = own.iter().any(|q| distance(*q, p) <= tolerance);
                if e.ends.contains(&v) || !probe.reaches(p, tolerance) || (at_end && e.ends[0] != e.ends[1]) {
                    continue;
                }
                let (t, off) = e.curve.nearest(p, e.range);
                let [a, b] = e.range;
                let inside = [a, b].iter().all(|&end| distance(e.curve.point(end), e.curve.point(t)) > tolerance);
                if off <= tolerance && inside && t > a && t < b {
                    cuts.push(t);
                }
            }
            cuts.sort_by(f64::total_cmp);
            // Several ends that meet within the tolerance make one cut.
            cuts.dedup_by(|next, kept| distance(e.curve.point(*next), e.curve.point(*kept)) <= tolerance);
            (probe.edge, cuts)
        })
        .collect();
    watch.check()?;
    let cuts: HashMap<EdgeId, Vec<f64>> = cuts.into_iter().filter(|(_, c)| !c.is_empty()).collect();
    let count = cuts.values().map(Vec::len).sum();
    split_edges(shape, &cuts);
    Ok(count)
}

/// Splits edges at parameters; loops follow.
fn split_edges(shape: &mut Shape, cuts: &HashMap<EdgeId, Vec<f64>>) {
    let mut pieces: HashMap<EdgeId, (Vec<EdgeId>, [f64; 2])> = HashMap::new();
    let mut order: Vec<&EdgeId> = cuts.keys().collect();
    order.sort_unstable();
    for &edge in order {
        let e = shape.edges[edge].clone();
        let mut from = (e.range[0], e.ends[0]);
        let mut parts = Vec::new();
        for &t in &cuts[&edge] {
            let v = shape.add_vertex(e.curve.point(t));
            parts.push(shape.add_edge(e.curve.clone(), [from.0, t], [from.1, v]));
            from = (t, v);
        }
        parts.push(shape.add_edge(e.curve.clone(), [from.0, e.range[1]], [from.1, e.ends[1]]));
        pieces.insert(edge, (parts, e.range));
    }
    let ranges: TiVec<EdgeId, [f64; 2]> = shape.edges.iter().map(|e| e.range).collect();
    for l in shape.faces.iter_mut().flat_map(|f| &mut f.loops) {
        if !l.uses.iter().any(|u| pieces.contains_key(&u.edge)) {
            continue;
        }
        let old = std::mem::take(&mut l.uses);
        for u in old {
            let Some((parts, [a, b])) = pieces.get(&u.edge) else {
                l.uses.push(u);
                continue;
            };
            let part = |&edge: &EdgeId| {
                let hint = u.hint.as_ref().map(|h| {
                    let share = ranges[edge].map(|t| (t - a) / (b - a));
                    let at = |s: f64| h.range[0] + (h.range[1] - h.range[0]) * s;
                    Piece { curve: h.curve.clone(), range: share.map(at) }
                });
                Use { edge, forward: u.forward, hint }
            };
            if u.forward {
                l.uses.extend(parts.iter().map(part));
            } else {
                l.uses.extend(parts.iter().rev().map(part));
            }
        }
    }
}

/// Vertices of the edges given that lie within `tolerance` become one, in the middle; returns how many went and
/// the furthest that any moved.
fn join_vertices(shape: &mut Shape, edges: &[EdgeId], tolerance: f64) -> (usize, f64) {
    let mut used: Vec<VertexId> = edges.iter().flat_map(|&e| shape.edges[e].ends).collect();
    used.sort_unstable();
    used.dedup();
    let cell = |p: Point| grid::cell(p, tolerance.max(1e-300));
    let mut cells: HashMap<[i64; 3], Vec<VertexId>> = HashMap::new();
    for &v in &used {
        cells.entry(cell(shape.vertices[v])).or_default().push(v);
    }
    // Groups grow from their first member only: chains must not walk.
    let mut grouped: HashSet<VertexId> = HashSet::new();
    let mut members: Vec<Vec<VertexId>> = Vec::new();
    for &v in &used {
        if grouped.contains(&v) {
            continue;
        }
        let p = shape.vertices[v];
        let near = grid::around(cell(p)).filter_map(|c| cells.get(&c)).flatten().copied();
        let is_near = |w: &VertexId| !grouped.contains(w) && distance(shape.vertices[*w], p) <= tolerance;
        let mut own: Vec<VertexId> = near.filter(is_near).collect();
        own.sort_unstable();
        grouped.extend(&own);
        members.push(own);
    }
    let mut kept: HashMap<VertexId, VertexId> = HashMap::new();
    let (mut gone, mut furthest) = (0, 0.0_f64);
    for own in members.iter().filter(|m| m.len() > 1) {
        let sum = own.iter().fold([0.0; 3], |s, &v| add(s, shape.vertices[v]));
        let middle = scale(sum, 1.0 / own.len() as f64);
        for &v in own {
            furthest = furthest.max(2.0 * distance(shape.vertices[v], middle).min(tolerance / 2.0));
            kept.insert(v, own[0]);
        }
        shape.vertices[own[0]] = middle;
        gone += own.len() - 1;
    }
    for e in &mut shape.edges {
        for v in &mut e.ends {
            *v = kept.get(v).copied().unwrap_or(*v);
        }
    }
    (gone, furthest)
}

/// Edges between the same vertices whose curves keep within the tolerance become one: the nearest pairs first.
fn merge_edges(
    shape: &mut Shape,
    tolerance: f64,
    report: &mut JoinReport,
    may: impl Fn(EdgeId, EdgeId) -> bool + Sync,
) {
    let open = shape.open_edges();
    let mut by_ends: HashMap<[VertexId; 2], Vec<EdgeId>> = HashMap::new();
    for &e in &open {
        let [a, b] = shape.edges[e].ends;
        by_ends.entry([a.min(b), a.max(b)]).or_default().push(e);
    }
    let mut groups: Vec<&Vec<EdgeId>> = by_ends.values().filter(|g| g.len() > 1).collect();
    groups.sort_unstable();
    let mut pairs: Vec<(f64, EdgeId, EdgeId)> = groups
        .par_iter()
        .flat_map_iter(|group| {
            let probes: Vec<Probe> = group.iter().map(|&e| Probe::of(shape, e)).collect();
            let mut found = Vec::new();
            for i in 0..probes.len() {
                for j in i + 1..probes.len() {
                    let (a, b) = (&probes[i], &probes[j]);
                    let specks = a.length <= 2.0 * tolerance || b.length <= 2.0 * tolerance;
                    if may(a.edge, b.edge) && !specks {
                        let gap = curve_gap(shape, a, b, tolerance);
                        if gap <= tolerance {
                            found.push((gap, a.edge, b.edge));
                        }
                    }
                }
            }
            found
        })
        .collect();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.cmp(&b.2)));
    let mut become_of: HashMap<EdgeId, (EdgeId, bool)> = HashMap::new();
    let mut taken = HashSet::new();
    for (gap, a, b) in pairs {
        if !taken.insert(a) {
            continue;
        }
        if !taken.insert(b) {
            taken.remove(&a);
            continue;
        }
        become_of.insert(b, (a, runs_along(shape, a, b)));
        report.largest_gap = report.largest_gap.max(gap);
        report.edges_joined += 1;
    }
    for u in shape.faces.iter_mut().flat_map(|f| &mut f.loops).flat_map(|l| &mut l.uses) {
        if let Some(&(edge, same)) = become_of.get(&u.edge) {
            u.edge = edge;
            u.forward = u.forward == same;
            // The hint spoke of the other edge's parameters.
            u.hint = u.hint.take().filter(|_| same);
        }
    }
}

/// The largest distance of samples of each curve from the other.
fn curve_gap(shape: &Shape, a: &Probe, b: &Probe, limit: f64) -> f64 {
    let mut worst = 0.0_f64;
    for (from, to) in [(a, b), (b, a)] {
        let e = &shape.edges[to.edge];
        for &p in &from.points {
            worst = worst.max(e.curve.nearest(p, e.range).1);
            if worst > limit {
                return worst;
            }
        }
    }
    worst
}

/// Whether edge `b` runs the way of edge `a`.
fn runs_along(shape: &Shape, a: EdgeId, b: EdgeId) -> bool {
    let (ea, eb) = (&shape.edges[a], &shape.edges[b]);
    if ea.ends[0] != ea.ends[1] {
        return ea.ends == eb.ends;
    }
    let t = 0.5 * (ea.range[0] + ea.range[1]);
    let [p, d, _] = ea.curve.at(t);
    let (s, _) = eb.curve.nearest(p, eb.range);
    dot(d, eb.curve.at(s)[1]) > 0.0
}

/// Turns faces so that neighbours use their common edge in opposite directions.
fn turn_to_one_side(shape: &mut Shape, report: &mut JoinReport) {
    let near = shape.faces_of_edges();
    let mut side: TiVec<FaceId, Option<bool>> = ti_vec![None; shape.faces.len()];
    for start in shape.faces.keys() {
        if side[start].is_some() {
            continue;
        }
        side[start] = Some(true);
        let mut list = vec![start];
        while let Some(f) = list.pop() {
            let own = side[f] == Some(true);
            for u in shape.faces[f].loops.iter().flat_map(|l| &l.uses) {
                let around = &near[u.edge];
                if around.len() != 2 {
                    continue;
                }
                for &(g, forward) in around {
                    if g != f && side[g].is_none() {
                        side[g] = Some((forward != u.forward) == own);
                        list.push(g);
                    }
                }
            }
        }
    }
    for (f, s) in side.into_iter_enumerated() {
        if s == Some(false) {
            shape.faces[f].turn();
            report.faces_turned += 1;
        }
    }
}
