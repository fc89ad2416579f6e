//! The plane in which a face is triangulated, and the grid of points inside it.

use crate::fineness::{Fineness, LONGEST, spread};
use crate::locate::Locator;
use crate::parameter_loops::{At, Corner, ParameterLoops};
use crate::patch::Node;
use crate::surface::Surface;
use hull_geometry::vector::norm;
use hull_geometry::{NONE, grid};
use std::collections::HashMap;

/// The plane in which a face is triangulated: parameters stretched so that one step of the facets' grid is
/// about as long one way as in space.
#[derive(Clone, Debug)]
pub struct Chart {
    lines: [Vec<f64>; 2],
    stretch: [f64; 2],
    /// Lines along which the surface has an edge of its own, by their numbers.
    creases: [Vec<usize>; 2],
    /// Whether facets of the face are to be no slivers.
    pub even: bool,
}

impl Chart {
    /// The chart of a face, with a grid of at most `most` points.
    pub fn of(bounds_in_plane: &ParameterLoops, locator: &Locator, fineness: &Fineness, most: usize) -> Chart {
        let mut low = [f64::INFINITY; 2];
        let mut high = [f64::NEG_INFINITY; 2];
        for c in bounds_in_plane.loops[0].iter() {
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
                let n = ((high[axis] - low[axis]) / span).ceil().clamp(1.0, 1e3) as usize;
                (0..=n).map(|i| low[axis] + (high[axis] - low[axis]) * i as f64 / n as f64).collect::<Vec<f64>>()
            });
            let stretch = [0, 1].map(|axis| (high[axis] - low[axis]) / (lines[axis].len() - 1) as f64);
            return Chart { lines, stretch, creases: Default::default(), even: fineness.largest.is_some() };
        }
        Chart::curved(low, high, locator, fineness, most)
    }

    fn curved(low: [f64; 2], high: [f64; 2], locator: &Locator, fineness: &Fineness, most: usize) -> Chart {
        let grid = [0, 1].map(|axis| lattice(locator, axis, low[axis], high[axis]));
        // Allowed steps in parameters, for each sample of the face.
        let mut need: [Vec<f64>; 2] = [vec![0.0; grid[0].len()], vec![0.0; grid[1].len()]];
        let mut lengths = [vec![0.0; grid[0].len()], vec![0.0; grid[1].len()]];
        // What is usual on this face; where it bends more sharply, slivers are cut one by one afterwards.
        let mut usual: Vec<f64> = grid[0]
            .iter()
            .flat_map(|&u| grid[1].iter().map(move |&v| (u, v)))
            .map(|(u, v)| fineness.longest(&fineness.on_surface(&locator.surface.jet(u, v))))
            .collect();
        usual.sort_by(f64::total_cmp);
        let longest = usual[usual.len() / 2];
        let even = longest.is_finite();
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
        let creases = [0, 1].map(|axis| locator.surface.creases(axis, low, high));
        let mut lines = [0, 1].map(|axis| {
            let density = |t: f64| interpolate(&grid[axis], &need[axis], t);
            let mut out = vec![low[axis]];
            for end in creases[axis].iter().chain([&high[axis]]) {
                let stretch = [out[out.len() - 1], *end];
                out.extend(
                    spread(stretch, grid[axis].len() * 2, [1, fineness.most_pieces()], density).into_iter().skip(1),
                );
            }
            out
        });
        // A cell much longer one way than the other is cut across.
        let mean = |axis: usize, lines: &[Vec<f64>; 2]| {
            let sum: f64 = lengths[axis].iter().sum::<f64>() / lengths[axis].len() as f64;
            sum * (high[axis] - low[axis]) / (lines[axis].len() - 1) as f64
        };
        for axis in (0..2).filter(|_| even) {
            let ratio = mean(axis, &lines) / mean(1 - axis, &lines);
            if ratio > 1.2 * LONGEST && ratio.is_finite() && lines[1 - axis].len() > 2 {
                let room = (most / lines[axis].len()).max(1);
                let n = ((ratio / LONGEST).ceil() as usize).min(room);
                lines[axis] = divided(&lines[axis], n);
            }
        }
        // One face is not given more points than this, whatever is asked of it.
        while lines[0].len() * lines[1].len() > most && (lines[0].len() > 2 || lines[1].len() > 2) {
            lines = lines.map(|l| thinned(&l));
        }
        let stretch = [mean(0, &lines).max(1e-12), mean(1, &lines).max(1e-12)];
        // Where there is no room for all lines some creases are lost.
        let creases =
            [0, 1].map(|axis| creases[axis].iter().filter_map(|t| lines[axis].iter().position(|l| l == t)).collect());
        Chart { lines, stretch, creases, even }
    }

    /// Whether the surface has an edge of its own inside the face.
    pub fn has_creases(&self) -> bool {
        self.creases.iter().any(|c| !c.is_empty())
    }

    /// Creases in the plane of the chart: the axis that stays the same, and its value.
    pub fn creases(&self) -> Vec<(usize, f64)> {
        (0..2).flat_map(|k| self.creases[k].iter().map(move |i| (k, *i as f64 * self.stretch[k]))).collect()
    }

    /// Whether a place of the plane lies on the crease or creases that another lies on.
    pub fn on_crease(&self, xy: [f64; 2], other: [f64; 2]) -> bool {
        self.creases()
            .into_iter()
            .any(|(k, at)| [xy, other].iter().all(|p| (p[k] - at).abs() <= 1e-6 * self.stretch[k]))
    }

    /// The corner's own place and, along a pole, those where the grid's columns end: a facet at a pole reaches no
    /// further round it than one elsewhere.
    pub fn along_side(&self, c: &Corner, locator: &Locator) -> Vec<[f64; 2]> {
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

    /// Into the plane of the chart.
    pub fn to_plane(&self, uv: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| place(&self.lines[axis], uv[axis]) * self.stretch[axis])
    }

    /// Back into the parameters.
    pub fn to_uv(&self, xy: [f64; 2]) -> [f64; 2] {
        [0, 1].map(|axis| value(&self.lines[axis], xy[axis] / self.stretch[axis]))
    }

    /// Points of the grid inside the polygons, no nearer to them than a part of a step; near poles, where lines
    /// crowd, fewer of them.
    pub fn points_between(
        &self,
        loops: &[Vec<Node>],
        locator: &Locator,
        inside: &dyn Fn([f64; 2]) -> bool,
    ) -> Vec<Node> {
        let near = Near::of(loops, self.stretch);
        let mut out = Vec::new();
        let [us, vs] = &self.lines;
        // Columns that are creases have a point on every row.
        for &i in &self.creases[0] {
            for (j, &v) in vs.iter().enumerate() {
                let (x, y) = (i as f64, j as f64);
                let xy = [x * self.stretch[0], y * self.stretch[1]];
                if inside(xy) && !near.any([x, y]) {
                    out.push(Node { xy, p: locator.surface.point(us[i], v), key: NONE });
                }
            }
        }
        let beside_crease = |x: f64| self.creases[0].iter().any(|&i| (x - i as f64).abs() < CLEAR);
        for (j, &v) in vs.iter().enumerate() {
            let stride = self.stride(locator, 0, v);
            // Every other row is set off by half a step, which makes facets nearly equal-sided.
            let off = if j % 2 == 1 && us.len() > 3 { 0.5 * stride as f64 } else { 0.0 };
            let mut x = off;
            while x <= (us.len() - 1) as f64 {
                let xy = [x * self.stretch[0], j as f64 * self.stretch[1]];
                if inside(xy) && !near.any([x, j as f64]) && !beside_crease(x) {
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
                    cells.entry(p.map(|x| grid::index(x, 1.0))).or_default().push(p);
                }
            }
        }
        Near(cells)
    }

    fn any(&self, p: [f64; 2]) -> bool {
        let [x, y] = p.map(|x| grid::index(x, 1.0));
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
    let each = (16 / (marks.len() - 1).max(1)).clamp(2, 16);
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

/// Every other line, the last one kept.
fn thinned(lines: &[f64]) -> Vec<f64> {
    if lines.len() < 3 {
        return lines.to_vec();
    }
    let last = lines.len() - 1;
    (0..last).step_by(2).chain([last]).map(|i| lines[i]).collect()
}

fn divided(lines: &[f64], n: usize) -> Vec<f64> {
    let mut out = vec![lines[0]];
    for w in lines.windows(2) {
        out.extend((1..=n).map(|i| w[0] + (w[1] - w[0]) * i as f64 / n as f64));
    }
    out
}
