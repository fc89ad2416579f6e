//! Joining loose faces on their exact edges.
//!
//! Open edges (those that one face uses once) are compared as curves: where an end of one lies on another, that
//! one is split; ends within the tolerance become one vertex; edges between the same vertices whose curves keep
//! within the tolerance of each other become one. Then faces are turned to one side, and shells that close are
//! solids, those within others cavities.

use crate::curve::Piece;
use crate::fineness::Fineness;
use crate::lift::Reader;
use crate::shape::{Lump, Shape, Shell, Use};
use crate::{facet, quadrature};
use hull_geometry::vector::{add, cross, distance, dot, norm, scale, sub};
use hull_geometry::{Cancelled, Point, Watch, mesh::Bounds};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;

/// What a join did.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JoinReport {
    pub open_before: usize,
    pub open_after: usize,
    pub edges_joined: usize,
    pub edges_split: usize,
    pub vertices_joined: usize,
    pub faces_turned: usize,
    /// The largest distance between two curves that became one edge, or two points that became one vertex.
    pub largest_gap: f64,
    pub solids: usize,
    pub cavities: usize,
    pub open_shells: usize,
}

/// Points along an edge, for comparing.
const ALONG: usize = 12;

#[derive(Clone)]
struct Probe {
    edge: u32,
    points: Vec<Point>,
    bounds: Bounds,
    length: f64,
}

impl Probe {
    fn of(shape: &Shape, edge: u32) -> Probe {
        let e = &shape.edges[edge as usize];
        let [a, b] = e.range;
        let points: Vec<Point> = (0..=ALONG).map(|i| e.curve.point(a + (b - a) * i as f64 / ALONG as f64)).collect();
        let length = points.windows(2).map(|w| distance(w[0], w[1])).sum();
        Probe { edge, bounds: Bounds::of(points.iter().copied()), points, length }
    }

    fn reaches(&self, p: Point, tolerance: f64) -> bool {
        // An arc bulges out of the box of its samples by less than a part of its length.
        let slack = tolerance + 0.05 * self.length;
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

/// Joins the faces of a shape at the tolerance that [`join_plot`] proposes; the shape as it is where there is none.
///
/// # Errors
/// [`Cancelled`].
pub fn join_as_proposed(shape: &Shape, watch: &Watch) -> Result<Shape, Cancelled> {
    Ok(match join_plot(shape, watch)?.proposal {
        Some(tolerance) => join(shape, tolerance, watch)?.0,
        None => shape.clone(),
    })
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
pub fn close_seams(shape: &mut Shape, face: u32, tolerance: f64) {
    let mut own: Vec<u32> = shape.faces[face as usize].loops.iter().flat_map(|l| &l.uses).map(|u| u.edge).collect();
    own.sort_unstable();
    own.dedup();
    join_vertices(shape, &own, tolerance);
    let mut report = JoinReport::default();
    let set: std::collections::HashSet<u32> = own.into_iter().collect();
    merge_edges(shape, tolerance, &mut report, |a, b| set.contains(&a) && set.contains(&b));
}

/// Turns the loops of a face that run the wrong way: for files whose loops have no reliable direction.
pub fn straighten_loops(shape: &mut Shape, face: u32) {
    let own = &shape.faces[face as usize];
    let mut samples = vec![crate::lift::Sampled::default(); shape.edges.len()];
    for u in own.loops.iter().flat_map(|l| &l.uses) {
        samples[u.edge as usize] = crate::sample::evenly_along(&shape.edges[u.edge as usize], 6);
    }
    let locator = crate::locate::Locator::new(&shape.surfaces[own.surface as usize]);
    let wrong = crate::lift::loops_to_reverse(shape, own, &samples, &locator);
    for (l, _) in shape.faces[face as usize].loops.iter_mut().zip(wrong).filter(|(_, w)| *w) {
        l.uses.reverse();
        l.uses.iter_mut().for_each(|u| u.forward = !u.forward);
    }
}

fn is_speck(shape: &Shape, edge: u32, tolerance: f64) -> bool {
    let e = &shape.edges[edge as usize];
    e.ends[0] == e.ends[1] && Probe::of(shape, edge).length <= 2.0 * tolerance
}

/// Edges that shrank to a vertex leave their loops.
fn drop_specks(shape: &mut Shape, tolerance: f64) {
    let open = shape.open_edges();
    let gone: std::collections::HashSet<u32> = open.into_iter().filter(|&e| is_speck(shape, e, tolerance)).collect();
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
    let mut ends: Vec<u32> = open.iter().flat_map(|&e| shape.edges[e as usize].ends).collect();
    ends.sort_unstable();
    ends.dedup();
    watch.check()?;
    let cuts: Vec<(u32, Vec<f64>)> = probes
        .par_iter()
        .map(|probe| {
            let e = &shape.edges[probe.edge as usize];
            let own = e.ends.map(|v| shape.vertices[v as usize]);
            let mut cuts: Vec<f64> = Vec::new();
            for &v in &ends {
                let p = shape.vertices[v as usize];
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
    let cuts: HashMap<u32, Vec<f64>> = cuts.into_iter().filter(|(_, c)| !c.is_empty()).collect();
    let count = cuts.values().map(Vec::len).sum();
    split_edges(shape, &cuts);
    Ok(count)
}

/// Splits edges at parameters; loops follow.
fn split_edges(shape: &mut Shape, cuts: &HashMap<u32, Vec<f64>>) {
    let mut pieces: HashMap<u32, (Vec<u32>, [f64; 2])> = HashMap::new();
    let mut order: Vec<&u32> = cuts.keys().collect();
    order.sort_unstable();
    for &edge in order {
        let e = shape.edges[edge as usize].clone();
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
    let ranges: Vec<[f64; 2]> = shape.edges.iter().map(|e| e.range).collect();
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
            let part = |&edge: &u32| {
                let hint = u.hint.as_ref().map(|h| {
                    let share = ranges[edge as usize].map(|t| (t - a) / (b - a));
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
fn join_vertices(shape: &mut Shape, edges: &[u32], tolerance: f64) -> (usize, f64) {
    let mut used: Vec<u32> = edges.iter().flat_map(|&e| shape.edges[e as usize].ends).collect();
    used.sort_unstable();
    used.dedup();
    let cell = |p: Point| p.map(|x| (x / tolerance.max(1e-300)).floor() as i64);
    let mut cells: HashMap<[i64; 3], Vec<u32>> = HashMap::new();
    for &v in &used {
        cells.entry(cell(shape.vertices[v as usize])).or_default().push(v);
    }
    // Groups grow from their first member only: chains must not walk.
    let mut group: HashMap<u32, u32> = HashMap::new();
    let mut members: Vec<Vec<u32>> = Vec::new();
    for &v in &used {
        if group.contains_key(&v) {
            continue;
        }
        let p = shape.vertices[v as usize];
        let c = cell(p);
        let mut own = Vec::new();
        for dx in -1..=1 {
            for dy in -1..=1 {
                for dz in -1..=1 {
                    let Some(near) = cells.get(&[c[0] + dx, c[1] + dy, c[2] + dz]) else { continue };
                    own.extend(
                        near.iter().copied().filter(|w| {
                            !group.contains_key(w) && distance(shape.vertices[*w as usize], p) <= tolerance
                        }),
                    );
                }
            }
        }
        own.sort_unstable();
        for &w in &own {
            group.insert(w, members.len() as u32);
        }
        members.push(own);
    }
    let mut kept: HashMap<u32, u32> = HashMap::new();
    let (mut gone, mut furthest) = (0, 0.0_f64);
    for own in members.iter().filter(|m| m.len() > 1) {
        let sum = own.iter().fold([0.0; 3], |s, &v| add(s, shape.vertices[v as usize]));
        let middle = scale(sum, 1.0 / own.len() as f64);
        for &v in own {
            furthest = furthest.max(2.0 * distance(shape.vertices[v as usize], middle).min(tolerance / 2.0));
            kept.insert(v, own[0]);
        }
        shape.vertices[own[0] as usize] = middle;
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
fn merge_edges(shape: &mut Shape, tolerance: f64, report: &mut JoinReport, may: impl Fn(u32, u32) -> bool + Sync) {
    let uses = shape.uses_of_edges();
    let open: Vec<u32> = (0..shape.edges.len() as u32).filter(|&e| uses[e as usize] == 1).collect();
    let mut by_ends: HashMap<[u32; 2], Vec<u32>> = HashMap::new();
    for &e in &open {
        let [a, b] = shape.edges[e as usize].ends;
        by_ends.entry([a.min(b), a.max(b)]).or_default().push(e);
    }
    let mut groups: Vec<&Vec<u32>> = by_ends.values().filter(|g| g.len() > 1).collect();
    groups.sort_unstable();
    let mut pairs: Vec<(f64, u32, u32)> = groups
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
    let mut become_of: HashMap<u32, (u32, bool)> = HashMap::new();
    let mut taken = std::collections::HashSet::new();
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
        let e = &shape.edges[to.edge as usize];
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
fn runs_along(shape: &Shape, a: u32, b: u32) -> bool {
    let (ea, eb) = (&shape.edges[a as usize], &shape.edges[b as usize]);
    if ea.ends[0] != ea.ends[1] {
        return ea.ends == eb.ends;
    }
    let t = 0.5 * (ea.range[0] + ea.range[1]);
    let [p, d, _] = ea.curve.at(t);
    let (s, _) = eb.curve.nearest(p, eb.range);
    dot(d, eb.curve.at(s)[1]) > 0.0
}

/// The faces of each edge, with how they use it.
fn neighbours(shape: &Shape) -> Vec<Vec<(u32, bool)>> {
    let mut out = vec![Vec::new(); shape.edges.len()];
    for (f, face) in shape.faces.iter().enumerate() {
        for u in face.loops.iter().flat_map(|l| &l.uses) {
            out[u.edge as usize].push((f as u32, u.forward));
        }
    }
    out
}

/// Turns faces so that neighbours use their common edge in opposite directions.
fn turn_to_one_side(shape: &mut Shape, report: &mut JoinReport) {
    let near = neighbours(shape);
    let mut side: Vec<Option<bool>> = vec![None; shape.faces.len()];
    for start in 0..shape.faces.len() {
        if side[start].is_some() {
            continue;
        }
        side[start] = Some(true);
        let mut list = vec![start as u32];
        while let Some(f) = list.pop() {
            let own = side[f as usize] == Some(true);
            for u in shape.faces[f as usize].loops.iter().flat_map(|l| &l.uses) {
                let around = &near[u.edge as usize];
                if around.len() != 2 {
                    continue;
                }
                for &(g, forward) in around {
                    if g != f && side[g as usize].is_none() {
                        side[g as usize] = Some((forward != u.forward) == own);
                        list.push(g);
                    }
                }
            }
        }
    }
    for (f, s) in side.into_iter().enumerate() {
        if s == Some(false) {
            shape.faces[f].turn();
            report.faces_turned += 1;
        }
    }
}

/// Shells from faces that hang together; closed ones outward as solids, those within others as cavities.
fn recognise(shape: &mut Shape, report: &mut JoinReport, watch: &Watch) -> Result<(), Cancelled> {
    let near = neighbours(shape);
    let mut of = vec![u32::MAX; shape.faces.len()];
    let mut shells: Vec<Vec<u32>> = Vec::new();
    for start in 0..shape.faces.len() as u32 {
        if of[start as usize] != u32::MAX {
            continue;
        }
        let number = shells.len() as u32;
        of[start as usize] = number;
        let mut list = vec![start];
        let mut own = Vec::new();
        while let Some(f) = list.pop() {
            own.push(f);
            for u in shape.faces[f as usize].loops.iter().flat_map(|l| &l.uses) {
                for &(g, _) in &near[u.edge as usize] {
                    if of[g as usize] == u32::MAX {
                        of[g as usize] = number;
                        list.push(g);
                    }
                }
            }
        }
        own.sort_unstable();
        shells.push(own);
    }
    let closed: Vec<bool> = shells
        .iter()
        .map(|faces| {
            faces.iter().all(|&f| {
                let uses = shape.faces[f as usize].loops.iter().flat_map(|l| &l.uses);
                uses.into_iter().all(|u| near[u.edge as usize].len() == 2)
            })
        })
        .collect();
    // Names and colours of the lumps that the faces came from.
    let mut old: HashMap<u32, (String, Option<crate::shape::Colour>)> = HashMap::new();
    for lump in &shape.lumps {
        for (f, _) in std::iter::once(&lump.outer).chain(&lump.voids).flat_map(|s| &s.faces) {
            old.insert(*f, (lump.name.clone(), lump.colour));
        }
    }
    for face in 0..shape.faces.len() {
        let inherited = old.get(&(face as u32)).and_then(|o| o.1);
        shape.faces[face].colour = shape.faces[face].colour.or(inherited);
        if shape.faces[face].name.is_empty() {
            shape.faces[face].name = old.get(&(face as u32)).map(|o| o.0.clone()).unwrap_or_default();
        }
    }
    let (integrals, _) = quadrature::of_faces(shape, Reader::Rebuilding);
    watch.check()?;
    let mut lumps: Vec<(Lump, usize)> = Vec::new();
    let mut volumes = vec![0.0; shells.len()];
    for (i, faces) in shells.iter().enumerate() {
        let signed: f64 = faces
            .iter()
            .map(|&f| integrals[f as usize].volume * if shape.faces[f as usize].same_sense { 1.0 } else { -1.0 })
            .sum();
        volumes[i] = signed;
        if closed[i] && signed < 0.0 {
            for &f in faces {
                shape.faces[f as usize].turn();
            }
        }
    }
    let inside = nesting(shape, &shells, &closed, watch)?;
    for (i, faces) in shells.iter().enumerate() {
        let name = old.get(&faces[0]).map(|o| o.0.clone()).unwrap_or_default();
        let shell = Shell { faces: faces.iter().map(|&f| (f, true)).collect() };
        let depth = inside[i].len();
        if closed[i] && depth % 2 == 1 {
            for &f in faces {
                shape.faces[f as usize].turn();
            }
            // Of the shells around it the innermost one holds it.
            let holder = inside[i].iter().copied().max_by_key(|&o| inside[o].len());
            report.cavities += 1;
            if let Some((lump, _)) = lumps.iter_mut().find(|(_, s)| Some(*s) == holder) {
                lump.voids.push(shell);
                continue;
            }
        }
        report.solids += usize::from(closed[i]);
        report.open_shells += usize::from(!closed[i]);
        let colour = None;
        lumps.push((Lump { name, colour, closed: closed[i], outer: shell, voids: Vec::new() }, i));
    }
    shape.lumps = lumps.into_iter().map(|(l, _)| l).collect();
    Ok(())
}

/// For each closed shell the closed shells around it.
fn nesting(shape: &Shape, shells: &[Vec<u32>], closed: &[bool], watch: &Watch) -> Result<Vec<Vec<usize>>, Cancelled> {
    let mut out = vec![Vec::new(); shells.len()];
    let solid: Vec<usize> = (0..shells.len()).filter(|&i| closed[i]).collect();
    if solid.len() < 2 {
        return Ok(out);
    }
    let coarse =
        Fineness { deviation: 0.01 * shape.rough_size(), angle: 30.0, largest: None, smallest: None, even: false };
    let facets = facet::facet_faces(shape, &coarse, Reader::Rebuilding, watch)?;
    let mut of_shell: HashMap<u32, usize> = HashMap::new();
    for &i in &solid {
        of_shell.extend(shells[i].iter().map(|&f| (f, i)));
    }
    let mut triangles: HashMap<usize, Vec<[Point; 3]>> = HashMap::new();
    for (t, f) in facets.face_of.iter().enumerate() {
        if let Some(&s) = of_shell.get(f) {
            triangles.entry(s).or_default().push(facets.mesh.corners(t as u32));
        }
    }
    let bounds: HashMap<usize, Bounds> =
        triangles.iter().map(|(s, t)| (*s, Bounds::of(t.iter().flatten().copied()))).collect();
    for &i in &solid {
        let Some(p) = triangles.get(&i).and_then(|t| t.first()).map(|t| t[0]) else { continue };
        for &o in &solid {
            if o == i || !bounds.get(&o).zip(bounds.get(&i)).is_some_and(|(a, b)| a.contains(b)) {
                continue;
            }
            if winding(p, &triangles[&o]).abs() > 0.5 {
                out[i].push(o);
            }
        }
    }
    Ok(out)
}

/// How often a surface winds round a point: its solid angle over 4π (A. Van Oosterom and J. Strackee, 1983).
fn winding(p: Point, triangles: &[[Point; 3]]) -> f64 {
    let angle = |t: &[Point; 3]| {
        let [a, b, c] = t.map(|q| sub(q, p));
        let (la, lb, lc) = (norm(a), norm(b), norm(c));
        let volume = dot(a, cross(b, c));
        2.0 * volume.atan2(la * lb * lc + dot(a, b) * lc + dot(b, c) * la + dot(c, a) * lb)
    };
    triangles.iter().map(angle).sum::<f64>() / (4.0 * std::f64::consts::PI)
}

/// One tolerance that was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Trial {
    pub tolerance: f64,
    pub open: usize,
    pub largest_gap: f64,
}

/// Open edges left at each of a range of tolerances, and the one to propose: where they stop falling.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct JoinPlot {
    pub open_before: usize,
    pub trials: Vec<Trial>,
    pub proposal: Option<f64>,
}

/// Tries tolerances from 1e-6 to 1e-2 of the shape's size; where nothing is open and yet not all is solid, proposes
/// the least of them.
///
/// # Errors
/// [`Cancelled`].
pub fn join_plot(shape: &Shape, watch: &Watch) -> Result<JoinPlot, Cancelled> {
    let size = shape.rough_size();
    let open_before = shape.open_edges().len();
    if open_before == 0 || size <= 0.0 {
        // Loose faces that close by themselves still have to become a solid.
        let loose = size > 0.0 && shape.lumps.iter().any(|l| !l.closed);
        let proposal = loose.then(|| hull_geometry::plot::round_up(size * 1e-6));
        return Ok(JoinPlot { open_before, trials: Vec::new(), proposal });
    }
    let shortest = shortest_edge(shape);
    const TRIALS: u32 = 25;
    let trials: Vec<Trial> = (0..TRIALS)
        .into_par_iter()
        .map(|i| {
            let tolerance =
                hull_geometry::plot::round_up(size * 1e-6 * 10f64.powf(4.0 * f64::from(i) / f64::from(TRIALS - 1)));
            let (_, report) = join_edges(shape, tolerance, watch)?;
            Ok(Trial { tolerance, open: report.open_after, largest_gap: report.largest_gap })
        })
        .collect::<Result<_, Cancelled>>()?;
    // Beyond half the shortest edge faces themselves are at stake.
    let within = || trials.iter().filter(|t| t.tolerance <= 0.5 * shortest);
    let fewest = within().map(|t| t.open).min();
    let first = within().find(|t| Some(t.open) == fewest).filter(|t| t.open < open_before);
    // The widest gap that was bridged needs little more than itself.
    let proposal = match first {
        None => None,
        Some(t) => {
            let tight = hull_geometry::plot::round_up(t.largest_gap * 1.05);
            let as_good = tight > 0.0 && tight < t.tolerance && join_edges(shape, tight, watch)?.1.open_after <= t.open;
            Some(if as_good { tight } else { t.tolerance })
        }
    };
    Ok(JoinPlot { open_before, trials, proposal })
}

fn shortest_edge(shape: &Shape) -> f64 {
    let open = shape.open_edges();
    open.iter().map(|&e| Probe::of(shape, e).length).filter(|l| *l > 0.0).fold(f64::INFINITY, f64::min)
}
