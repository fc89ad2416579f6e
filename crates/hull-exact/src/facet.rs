//! Facets of a shape: every edge is sampled once for all faces that use it, so that facets of neighbours share
//! their points and a joined solid's are closed by construction.

use crate::fineness::{Fineness, LONGEST, sagitta, spread};
use crate::lift::{At, Corner, Lifted, Reader, Sampled, lift};
use crate::locate::Locator;
use crate::patch::{Crossing, Node, Patch, from_facet, sharpest};
use crate::sample;
use crate::shape::{Face, Shape};
use crate::surface::Surface;
use hull_geometry::vector::{V3, cross, distance, dot, lerp, nearest_on_segment, norm, sub};
use hull_geometry::{Cancelled, Mesh, NONE, Watch};
use rayon::prelude::*;
use std::collections::{HashMap, HashSet};

/// The facets of a shape.
#[derive(Clone, Debug, Default)]
pub struct Facetted {
    pub mesh: Mesh,
    /// The face of each facet.
    pub face_of: Vec<u32>,
    /// The largest measured distance of the exact surface and edges from the facets.
    pub deviation: f64,
    /// Faces without facets, with why.
    pub failed: Vec<(u32, &'static str)>,
    /// Faces that have facets but whose bounds are in doubt, with why.
    pub doubts: Vec<(u32, &'static str)>,
}

/// What one face becomes.
struct Done {
    patch: Patch,
    deviation: f64,
    doubt: Option<&'static str>,
}

/// Keys of the points that faces share: vertices, then the inner samples of each edge.
struct Shared {
    first: Vec<u32>,
    count: u32,
}

impl Shared {
    fn of(shape: &Shape, samples: &[Sampled]) -> Shared {
        let mut count = shape.vertices.len() as u32;
        let first = samples
            .iter()
            .map(|s| {
                let at = count;
                count += s.p.len() as u32 - 2;
                at
            })
            .collect();
        Shared { first, count }
    }

    fn key(&self, shape: &Shape, samples: &[Sampled], edge: u32, index: u32) -> u32 {
        let last = samples[edge as usize].p.len() as u32 - 1;
        let ends = shape.edges[edge as usize].ends;
        match index {
            0 => ends[0],
            i if i == last => ends[1],
            i => self.first[edge as usize] + i - 1,
        }
    }
}

/// Makes the facets of every face.
///
/// # Errors
/// [`Cancelled`] if the watch says so.
pub fn facet(shape: &Shape, fineness: &Fineness, reader: Reader, watch: &Watch) -> Result<Facetted, Cancelled> {
    let locators: Vec<Locator> = shape.surfaces.iter().map(Locator::new).collect();
    let mut finer = vec![1; shape.edges.len()];
    watch.report(0.0, "points along the edges")?;
    let mut samples = sample::edges(shape, &locators, fineness, &finer);
    let mut shared = Shared::of(shape, &samples);
    let mut done: Vec<Option<Result<Done, &'static str>>> = (0..shape.faces.len()).map(|_| None).collect();
    // Where bounds cross because their edges are too coarse beside each other, those edges are made finer, and
    // every face that uses one is made again.
    for round in 0..5 {
        let todo: Vec<usize> = (0..done.len()).filter(|&f| done[f].is_none()).collect();
        if todo.is_empty() {
            break;
        }
        watch.report(0.1 + 0.15 * f64::from(round), "facets of the faces")?;
        let made: Vec<(usize, Result<Done, Trouble>)> = todo
            .par_iter()
            .map(|&f| {
                let face = &shape.faces[f];
                if watch.check().is_err() {
                    return (f, Err(Trouble::Useless("cancelled")));
                }
                let locator = &locators[face.surface as usize];
                (f, of_face(shape, face, &samples, &shared, locator, fineness, reader))
            })
            .collect();
        watch.check()?;
        let mut coarse = HashSet::new();
        for (f, result) in made {
            match result {
                Ok(d) => done[f] = Some(Ok(d)),
                Err(Trouble::Useless(reason)) => done[f] = Some(Err(reason)),
                Err(Trouble::Crossing) if round == 4 => done[f] = Some(Err("its bounds cross each other")),
                Err(Trouble::Crossing) => {
                    coarse.extend(shape.faces[f].loops.iter().flat_map(|l| &l.uses).map(|u| u.edge));
                }
            }
        }
        if coarse.is_empty() {
            break;
        }
        for &e in &coarse {
            finer[e as usize] *= 2;
        }
        samples = sample::edges(shape, &locators, fineness, &finer);
        shared = Shared::of(shape, &samples);
        for (f, face) in shape.faces.iter().enumerate() {
            if face.loops.iter().flat_map(|l| &l.uses).any(|u| coarse.contains(&u.edge)) {
                done[f] = None;
            }
        }
        // Keys of points have moved: whatever was made speaks of the old ones.
        for d in done.iter_mut() {
            if matches!(d, Some(Ok(_))) {
                *d = None;
            }
        }
    }
    watch.report(0.9, "putting the facets together")?;
    Ok(assemble(shape, &samples, &shared, done))
}

fn assemble(
    shape: &Shape,
    samples: &[Sampled],
    shared: &Shared,
    done: Vec<Option<Result<Done, &'static str>>>,
) -> Facetted {
    let mut out = Facetted::default();
    let mut points = shape.vertices.clone();
    points.resize(shared.count as usize, [0.0; 3]);
    for (e, s) in samples.iter().enumerate() {
        for i in 1..s.p.len() - 1 {
            points[shared.first[e] as usize + i - 1] = s.p[i];
        }
        let curve = &shape.edges[e].curve;
        if !curve.is_straight() {
            let worst = s.t.windows(2).map(|w| sagitta(|t| curve.point(t), w[0], w[1]));
            out.deviation = worst.fold(out.deviation, f64::max);
        }
    }
    let mut poles: HashMap<(u32, [u64; 3]), u32> = HashMap::new();
    for (f, d) in done.into_iter().enumerate() {
        let d = match d {
            Some(Ok(d)) => d,
            Some(Err(reason)) => {
                out.failed.push((f as u32, reason));
                continue;
            }
            None => {
                out.failed.push((f as u32, "its bounds cross each other"));
                continue;
            }
        };
        if let Some(reason) = d.doubt {
            out.doubts.push((f as u32, reason));
        }
        out.deviation = out.deviation.max(d.deviation);
        let surface = shape.faces[f].surface;
        let number: Vec<u32> = d
            .patch
            .nodes
            .iter()
            .map(|n| {
                if n.key < shared.count {
                    return n.key;
                }
                let mut push = || {
                    points.push(n.p);
                    points.len() as u32 - 1
                };
                if n.key == NONE { push() } else { *poles.entry((surface, n.p.map(f64::to_bits))).or_insert_with(push) }
            })
            .collect();
        let same = shape.faces[f].same_sense;
        for t in 0..d.patch.triangles.len() as u32 {
            let [a, b, c] = d.patch.triangles[t as usize].map(|n| number[n as usize]);
            if a == b || b == c || c == a {
                continue;
            }
            out.mesh.triangles.push(if same { [a, b, c] } else { [a, c, b] });
            out.face_of.push(f as u32);
        }
    }
    out.mesh.points = points;
    out.mesh.drop_unused_points();
    out
}

enum Trouble {
    Crossing,
    Useless(&'static str),
}

impl From<Crossing> for Trouble {
    fn from(_: Crossing) -> Trouble {
        Trouble::Crossing
    }
}

fn of_face(
    shape: &Shape,
    face: &Face,
    samples: &[Sampled],
    shared: &Shared,
    locator: &Locator,
    fineness: &Fineness,
    reader: Reader,
) -> Result<Done, Trouble> {
    let lifted = lift(shape, face, samples, locator, reader);
    if lifted.loops.is_empty() {
        return Err(Trouble::Useless(lifted.doubt.unwrap_or("it has no bounds")));
    }
    let plane = Chart::of(&lifted, locator, fineness);
    // Poles and cut points have keys of their own, behind those that faces share.
    let key = |at: At| match at {
        At::Edge(e, i) => shared.key(shape, samples, e, i),
        At::Pole(k) => pole_key(shape, samples, shared, face, locator, k),
        At::Cut(k) => shared.count + 16 + k,
    };
    let node = |c: &Corner| {
        let key = key(c.at);
        let p = match c.at {
            At::Edge(e, i) => samples[e as usize].p[i as usize],
            At::Pole(k) => locator.poles[k as usize].at,
            At::Cut(_) => locator.surface.point(c.uv[0], c.uv[1]),
        };
        Node { xy: plane.to_plane(c.uv), p, key }
    };
    let loops: Vec<Vec<Node>> = lifted
        .loops
        .iter()
        .map(|l| {
            l.iter()
                .flat_map(|c| plane.along_side(c, locator).into_iter().map(move |uv| Corner { uv, ..*c }))
                .map(|c| node(&c))
                .collect()
        })
        .collect();
    if let Surface::Plane(_) = locator.surface {
        let patch = match fineness.largest {
            None => Patch::of(&loops, |_| Vec::new())?,
            Some(_) => Patch::of(&loops, |inside| plane.points_between(&loops, locator, inside))?,
        };
        return Ok(Done { patch, deviation: lifted.off_surface, doubt: lifted.doubt });
    }
    let mut patch = Patch::of(&loops, |inside| plane.points_between(&loops, locator, inside))?;
    let better = |[a, b, c, d]: [&Node; 4]| is_better(a, b, c, d, &plane, locator, fineness);
    patch.settle((0..patch.triangles.len() as u32).collect(), 8, &better);
    refine(&mut patch, &plane, locator, fineness, &better);
    if fineness.even {
        cut_slivers(&mut patch, &plane, locator, &better);
        refine(&mut patch, &plane, locator, fineness, &better);
    }
    let deviation = measure(&patch, &plane, locator);
    Ok(Done { patch, deviation, doubt: lifted.doubt })
}

/// A pole that is a vertex of the shape is that vertex.
fn pole_key(shape: &Shape, samples: &[Sampled], shared: &Shared, face: &Face, locator: &Locator, k: u32) -> u32 {
    let pole = &locator.poles[k as usize];
    let uses = face.loops.iter().flat_map(|l| &l.uses);
    let ends = uses.flat_map(|u| {
        let s = &samples[u.edge as usize];
        let ends = shape.edges[u.edge as usize].ends;
        [(ends[0], s.p[0], distance(s.p[0], s.p[1])), (ends[1], s.p[s.p.len() - 1], distance(s.p[0], s.p[1]))]
    });
    ends.map(|(v, p, side)| (v, distance(p, pole.at), side))
        .filter(|(_, d, side)| d < side)
        .min_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|(_, d, _)| *d <= 1e-3 * locator_size(locator))
        .map_or(shared.count + k, |(v, _, _)| v)
}

fn locator_size(locator: &Locator) -> f64 {
    let [[a, b], [c, d]] = locator.surface.bounded_domain();
    distance(locator.surface.point(a, c), locator.surface.point(0.5 * (a + b), 0.5 * (c + d))).max(1e-12)
}

/// The plane in which a face is triangulated: parameters stretched so that one step of the facets' grid is
/// about as long one way as in space.
struct Chart {
    lines: [Vec<f64>; 2],
    stretch: [f64; 2],
}

impl Chart {
    fn of(lifted: &Lifted, locator: &Locator, fineness: &Fineness) -> Chart {
        let mut low = [f64::INFINITY; 2];
        let mut high = [f64::NEG_INFINITY; 2];
        for c in lifted.loops[0].iter() {
            for axis in 0..2 {
                low[axis] = low[axis].min(c.uv[axis]);
                high[axis] = high[axis].max(c.uv[axis]);
            }
        }
        for axis in 0..2 {
            if high[axis] - low[axis] <= 0.0 {
                high[axis] = low[axis] + 1e-9;
            }
        }
        if let Surface::Plane(_) = locator.surface {
            let span = fineness.largest.unwrap_or(f64::INFINITY);
            let lines = [0, 1].map(|axis| {
                let n = ((high[axis] - low[axis]) / span).ceil().clamp(1.0, 1e4) as usize;
                (0..=n).map(|i| low[axis] + (high[axis] - low[axis]) * i as f64 / n as f64).collect::<Vec<f64>>()
            });
            let stretch = [0, 1].map(|axis| (high[axis] - low[axis]) / (lines[axis].len() - 1) as f64);
            return Chart { lines, stretch };
        }
        Chart::curved(low, high, locator, fineness)
    }

    fn curved(low: [f64; 2], high: [f64; 2], locator: &Locator, fineness: &Fineness) -> Chart {
        let grid = [0, 1].map(|axis| lattice(locator, axis, low[axis], high[axis]));
        // Allowed steps in parameters, for each sample of the face.
        let mut need: [Vec<f64>; 2] = [vec![0.0; grid[0].len()], vec![0.0; grid[1].len()]];
        let mut lengths = [vec![0.0; grid[0].len()], vec![0.0; grid[1].len()]];
        // What is usual on this face; where it bends more sharply, slivers are cut one by one afterwards.
        let mut usual: Vec<f64> = grid[0]
            .iter()
            .flat_map(|&u| grid[1].iter().map(move |&v| (u, v)))
            .map(|(u, v)| fineness.on_surface(&locator.surface.jet(u, v)).tight)
            .collect();
        usual.sort_by(f64::total_cmp);
        let longest = fineness.longest(usual[usual.len() / 2]);
        for (i, &u) in grid[0].iter().enumerate() {
            for (j, &v) in grid[1].iter().enumerate() {
                let jet = locator.surface.jet(u, v);
                let allowed = fineness.on_surface(&jet);
                let (lu, lv) = (norm(jet.u), norm(jet.v));
                let (su, sv) = (allowed.towards([1.0, 0.0]).min(longest), allowed.towards([0.0, 1.0]).min(longest));
                let rate = |l: f64, s: f64| if s > 0.0 && s.is_finite() { l / s } else { 0.0 };
                need[0][i] = f64::max(need[0][i], rate(lu, su));
                need[1][j] = f64::max(need[1][j], rate(lv, sv));
                lengths[0][i] = f64::max(lengths[0][i], lu);
                lengths[1][j] = f64::max(lengths[1][j], lv);
            }
        }
        let mut lines = [0, 1].map(|axis| {
            let density = |t: f64| interpolate(&grid[axis], &need[axis], t);
            spread([low[axis], high[axis]], grid[axis].len() * 2, 1, density)
        });
        // A cell much longer one way than the other is cut across.
        let mean = |axis: usize, lines: &[Vec<f64>; 2]| {
            let sum: f64 = lengths[axis].iter().sum::<f64>() / lengths[axis].len() as f64;
            sum * (high[axis] - low[axis]) / (lines[axis].len() - 1) as f64
        };
        for axis in (0..2).filter(|_| fineness.even) {
            let ratio = mean(axis, &lines) / mean(1 - axis, &lines);
            if ratio > 1.2 * LONGEST && ratio.is_finite() && lines[1 - axis].len() > 2 {
                let n = (ratio / LONGEST).ceil() as usize;
                lines[axis] = divided(&lines[axis], n);
            }
        }
        let stretch = [mean(0, &lines).max(1e-12), mean(1, &lines).max(1e-12)];
        Chart { lines, stretch }
    }

    /// The corner's own place and, along a pole, those where the grid's columns end: a facet at a pole reaches no
    /// further round it than one elsewhere.
    fn along_side(&self, c: &Corner, locator: &Locator) -> Vec<[f64; 2]> {
        let At::Pole(k) = c.at else { return vec![c.uv] };
        let free = 1 - locator.poles[k as usize].axis;
        let (from, to) = (c.uv[free], c.to[free]);
        let mut out = vec![c.uv];
        let lines = &self.lines[free];
        let stride = self.stride(locator, free, c.uv[1 - free]);
        let margin = 0.3 * (to - from).abs().min((lines[lines.len() - 1] - lines[0]) / (lines.len() - 1) as f64);
        let mut between: Vec<f64> = lines
            .iter()
            .step_by(stride)
            .copied()
            .filter(|&t| t > from.min(to) + margin && t < from.max(to) - margin)
            .collect();
        if to < from {
            between.reverse();
        }
        for t in between {
            let mut uv = c.uv;
            uv[free] = t;
            out.push(uv);
        }
        out
    }

    /// Every which column of the grid is used at `v` of the other axis: fewer where columns crowd.
    fn stride(&self, locator: &Locator, columns: usize, at: f64) -> usize {
        let rows = 1 - columns;
        let (lines, others) = (&self.lines[columns], &self.lines[rows]);
        if lines.len() < 7 {
            return 1;
        }
        let step = |l: &[f64]| (l[l.len() - 1] - l[0]) / (l.len() - 1) as f64;
        // Seen one row inwards, where columns are still apart.
        let inward = if at > 0.5 * (others[0] + others[others.len() - 1]) { -1.0 } else { 1.0 };
        let mut uv = [lines[lines.len() / 2]; 2];
        uv[rows] = at;
        let mut first = locator.surface.first(uv[0], uv[1]);
        if norm(first[1 + columns]) * step(lines) * 8.0 < norm(first[1 + rows]) * step(others) {
            uv[rows] = at + inward * step(others) * 0.5;
            first = locator.surface.first(uv[0], uv[1]);
        }
        let wide = norm(first[1 + columns]) * step(lines);
        // Measured against a cell as it is elsewhere, long or not.
        let high = norm(first[1 + rows]) * step(others) * self.stretch[columns] / self.stretch[rows];
        let mut stride = 1;
        while wide * stride as f64 * 2.0 <= high && stride * 6 < lines.len() {
            stride *= 2;
        }
        stride
    }

    fn to_plane(&self, uv: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| place(&self.lines[axis], uv[axis]) * self.stretch[axis])
    }

    fn to_uv(&self, xy: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| value(&self.lines[axis], xy[axis] / self.stretch[axis]))
    }

    /// Points of the grid inside the polygons, no nearer to them than a part of a step; near poles, where lines
    /// crowd, fewer of them.
    fn points_between(&self, loops: &[Vec<Node>], locator: &Locator, inside: &dyn Fn([f64; 2]) -> bool) -> Vec<Node> {
        let near = Near::of(loops, self.stretch);
        let mut out = Vec::new();
        let [us, vs] = &self.lines;
        for (j, &v) in vs.iter().enumerate() {
            let stride = self.stride(locator, 0, v);
            // Every other row is set off by half a step, which makes facets nearly equal-sided.
            let off = if j % 2 == 1 && us.len() > 3 { 0.5 * stride as f64 } else { 0.0 };
            let mut x = off;
            while x <= (us.len() - 1) as f64 {
                let xy = [x * self.stretch[0], j as f64 * self.stretch[1]];
                if inside(xy) && !near.any([x, j as f64]) {
                    out.push(Node { xy, p: locator.surface.point(value(us, x), v), key: NONE });
                }
                x += stride as f64;
            }
        }
        out
    }
}

/// Places of the polygons' sides, in steps of the grid.
struct Near(HashMap<[i64; 2], Vec<[f64; 2]>>);

/// No grid point nearer to a polygon than this, in steps.
const CLEAR: f64 = 0.45;

impl Near {
    fn of(loops: &[Vec<Node>], stretch: [f64; 2]) -> Near {
        let mut cells: HashMap<[i64; 2], Vec<[f64; 2]>> = HashMap::new();
        let steps = |xy: [f64; 2]| [xy[0] / stretch[0], xy[1] / stretch[1]];
        for l in loops {
            for i in 0..l.len() {
                let (a, b) = (steps(l[i].xy), steps(l[(i + 1) % l.len()].xy));
                let length = (b[0] - a[0]).hypot(b[1] - a[1]);
                let n = (length / 0.2).ceil().clamp(1.0, 4096.0) as usize;
                for k in 0..n {
                    let s = k as f64 / n as f64;
                    let p = [a[0] + (b[0] - a[0]) * s, a[1] + (b[1] - a[1]) * s];
                    cells.entry([p[0].floor() as i64, p[1].floor() as i64]).or_default().push(p);
                }
            }
        }
        Near(cells)
    }

    fn any(&self, p: [f64; 2]) -> bool {
        let [x, y] = [p[0].floor() as i64, p[1].floor() as i64];
        (x - 1..=x + 1).any(|i| {
            (y - 1..=y + 1).any(|j| {
                self.0.get(&[i, j]).is_some_and(|list| list.iter().any(|q| (q[0] - p[0]).hypot(q[1] - p[1]) < CLEAR))
            })
        })
    }
}

/// Samples of one parameter: between breaks where there are any.
fn lattice(locator: &Locator, axis: usize, low: f64, high: f64) -> Vec<f64> {
    let mut marks = vec![low];
    let period = locator.periods[axis].unwrap_or(0.0);
    for k in -2..=2 {
        let shift = f64::from(k) * period;
        marks.extend(locator.surface.breaks(axis).into_iter().map(|t| t + shift).filter(|t| *t > low && *t < high));
        if period == 0.0 {
            break;
        }
    }
    if period == 0.0 {
        marks.truncate(1);
        marks.extend(locator.surface.breaks(axis).into_iter().filter(|t| *t > low && *t < high));
    }
    marks.push(high);
    marks.sort_by(f64::total_cmp);
    marks.dedup_by(|a, b| *a - *b <= 1e-9 * (high - low));
    let each = (16 / (marks.len() - 1)).clamp(2, 16);
    let mut out = Vec::new();
    for w in marks.windows(2) {
        out.extend((0..each).map(|i| w[0] + (w[1] - w[0]) * i as f64 / each as f64));
    }
    out.push(high);
    out
}

fn interpolate(at: &[f64], values: &[f64], t: f64) -> f64 {
    let i = at.partition_point(|&x| x <= t).clamp(1, at.len() - 1);
    let s = ((t - at[i - 1]) / (at[i] - at[i - 1])).clamp(0.0, 1.0);
    values[i - 1] + (values[i] - values[i - 1]) * s
}

/// Where `t` lies among the lines, in lines; beyond the ends straight on.
fn place(lines: &[f64], t: f64) -> f64 {
    let i = lines.partition_point(|&x| x <= t).clamp(1, lines.len() - 1);
    (i - 1) as f64 + (t - lines[i - 1]) / (lines[i] - lines[i - 1])
}

fn value(lines: &[f64], x: f64) -> f64 {
    let i = (x.max(0.0) as usize).min(lines.len() - 2);
    lines[i] + (x - i as f64) * (lines[i + 1] - lines[i])
}

fn divided(lines: &[f64], n: usize) -> Vec<f64> {
    let mut out = vec![lines[0]];
    for w in lines.windows(2) {
        out.extend((1..=n).map(|i| w[0] + (w[1] - w[0]) * i as f64 / n as f64));
    }
    out
}

fn middle(a: [f64; 2], b: [f64; 2]) -> [f64; 2] {
    [0.5 * (a[0] + b[0]), 0.5 * (a[1] + b[1])]
}

/// Whether the side a–b is better turned to c–d: nearer to the surface where one is too far, else with the
/// greater least angle, and never folded over.
fn is_better(a: &Node, b: &Node, c: &Node, d: &Node, plane: &Chart, locator: &Locator, fineness: &Fineness) -> bool {
    let before = sharpest([a.p, b.p, c.p]).max(sharpest([b.p, a.p, d.p]));
    let after = sharpest([a.p, d.p, c.p]).max(sharpest([d.p, b.p, c.p]));
    let fold = |n: V3, m: V3| dot(n, m) < 0.2 * norm(n) * norm(m);
    let old = [normal_of(a.p, b.p, c.p), normal_of(b.p, a.p, d.p)];
    let new = [normal_of(a.p, d.p, c.p), normal_of(d.p, b.p, c.p)];
    let folded_before = fold(old[0], old[1]);
    if fold(new[0], new[1]) && !folded_before {
        return false;
    }
    let gap = |x: &Node, y: &Node| height(locator, plane.to_uv(middle(x.xy, y.xy)), x.p, y.p);
    if folded_before && !fold(new[0], new[1]) {
        return after < 0.9998;
    }
    if after < before - 1e-6 {
        return gap(c, d) <= fineness.deviation.max(gap(a, b));
    }
    after < (before + 0.05).clamp(SHARP, 0.995) && gap(a, b) > fineness.deviation && gap(c, d) < 0.7 * gap(a, b)
}

/// How high the surface stands over a chord at `uv`, along its own normal: what it runs beside the chord is no
/// deviation, there the neighbour's facet is.
fn height(locator: &Locator, uv: [f64; 2], a: V3, b: V3) -> f64 {
    let [p, su, sv] = locator.surface.first(uv[0], uv[1]);
    let n = cross(su, sv);
    let length = norm(n);
    let t = nearest_on_segment(p, a, b).0;
    let off = sub(p, lerp(a, b, t));
    if length > 0.0 { (dot(off, n) / length).abs() } else { norm(off) }
}

fn normal_of(a: V3, b: V3, c: V3) -> V3 {
    cross(sub(b, a), sub(c, a))
}

/// Places in a facet where its distance is taken, as weights of its corners: within, and on its sides.
const WITHIN: [[f64; 3]; 4] = [[1.0 / 3.0, 1.0 / 3.0, 1.0 / 3.0], [0.6, 0.2, 0.2], [0.2, 0.6, 0.2], [0.2, 0.2, 0.6]];

/// Adds points until no facet is too far from the surface.
fn refine(
    patch: &mut Patch,
    plane: &Chart,
    locator: &Locator,
    fineness: &Fineness,
    better: &impl Fn([&Node; 4]) -> bool,
) {
    let limit = fineness.deviation * 0.999;
    let mut list: Vec<u32> = (0..patch.triangles.len() as u32).collect();
    let most = patch.nodes.len() * 8 + 20_000;
    while let Some(t) = list.pop() {
        let [a, b, c] = patch.corners(t);
        let longest = distance(a, b).max(distance(b, c)).max(distance(c, a));
        if patch.nodes.len() > most || patch.is_flat(t) || longest <= limit {
            continue;
        }
        let Some((place, side)) = worst(patch, t, plane, locator, limit) else { continue };
        let uv = plane.to_uv(place);
        let node = Node { xy: place, p: locator.surface.point(uv[0], uv[1]), key: NONE };
        let fresh: Vec<u32> = match side {
            Some(k) => patch.split_side(t, k, node).map_or(Vec::new(), |f| f.to_vec()),
            None => patch.split_triangle(t, node).to_vec(),
        };
        let touched = patch.settle(fresh.clone(), 4, better);
        list.extend(fresh);
        list.extend(touched);
    }
}

/// Cosine of the least angle that a facet should have.
const SHARP: f64 = 0.966;

/// Cuts the longest sides of slivers in two until their least angle is 15° or the side belongs to the bounds.
fn cut_slivers(patch: &mut Patch, plane: &Chart, locator: &Locator, better: &impl Fn([&Node; 4]) -> bool) {
    let mut list: Vec<u32> = (0..patch.triangles.len() as u32).rev().collect();
    let most = patch.nodes.len() * 6 + 10_000;
    while let Some(t) = list.pop() {
        if patch.nodes.len() > most {
            return;
        }
        let p = patch.corners(t);
        if patch.is_flat(t) || sharpest(p) <= SHARP {
            continue;
        }
        let long = |k: usize| distance(p[k], p[(k + 1) % 3]);
        let k = (0..3).fold(0, |best, k| if long(k) > long(best) { k } else { best });
        let (short, middle_side) = (long(0).min(long(1)).min(long(2)), long((k + 1) % 3).max(long((k + 2) % 3)));
        // Only needles: cutting a flat one across its long side makes no better ones.
        if patch.across[t as usize][k] == NONE || long(k) < 2.0 * short || middle_side < 0.8 * long(k) {
            continue;
        }
        let xy = patch.plane(t);
        let place = middle(xy[k], xy[(k + 1) % 3]);
        let uv = plane.to_uv(place);
        let node = Node { xy: place, p: locator.surface.point(uv[0], uv[1]), key: NONE };
        let fresh = patch.split_side(t, k, node).map_or(Vec::new(), |f| f.to_vec());
        let touched = patch.settle(fresh.clone(), 4, better);
        list.extend(fresh);
        list.extend(touched);
    }
}

/// The place of a facet that is furthest from the surface, if that is beyond `limit`, and the side it lies on.
fn worst(patch: &Patch, t: u32, plane: &Chart, locator: &Locator, limit: f64) -> Option<([f64; 2], Option<usize>)> {
    let (xy, p) = (patch.plane(t), patch.corners(t));
    let mut found = (limit, None);
    for k in 0..3 {
        if patch.across[t as usize][k] == NONE {
            continue;
        }
        let m = middle(xy[k], xy[(k + 1) % 3]);
        let uv = plane.to_uv(m);
        let gap = height(locator, uv, p[k], p[(k + 1) % 3]);
        if gap > found.0 {
            found = (gap, Some((m, Some(k))));
        }
    }
    for w in WITHIN {
        let m = [0, 1].map(|axis| w[0] * xy[0][axis] + w[1] * xy[1][axis] + w[2] * xy[2][axis]);
        let uv = plane.to_uv(m);
        let gap = crate::fineness::from_plane(locator.surface.point(uv[0], uv[1]), p);
        // A side's middle is the better place to cut unless the inside is clearly worse.
        if gap > found.0 * if found.1.is_some() { 1.3 } else { 1.0 } {
            found = (gap, Some((m, None)));
        }
    }
    found.1
}

/// The largest distance of the surface from its facets, at ten places in each.
fn measure(patch: &Patch, plane: &Chart, locator: &Locator) -> f64 {
    let mut worst = 0.0_f64;
    for t in 0..patch.triangles.len() as u32 {
        if patch.is_flat(t) {
            continue;
        }
        let (xy, p) = (patch.plane(t), patch.corners(t));
        for i in 1..5 {
            for j in 1..5 - i {
                let w = [f64::from(i) / 5.0, f64::from(j) / 5.0, f64::from(5 - i - j) / 5.0];
                let m = [0, 1].map(|axis| w[0] * xy[0][axis] + w[1] * xy[1][axis] + w[2] * xy[2][axis]);
                let uv = plane.to_uv(m);
                let s = locator.surface.point(uv[0], uv[1]);
                let own = from_facet(s, p);
                // The nearest place may lie on a neighbour.
                if own > worst {
                    let near = patch.across[t as usize].iter().filter(|n| **n != NONE);
                    worst = worst.max(near.fold(own, |d, &n| d.min(from_facet(s, patch.corners(n)))));
                }
            }
        }
    }
    worst
}
