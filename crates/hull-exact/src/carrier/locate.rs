//! Parameters of a surface for a point in space.

use crate::frame::Frame;
use crate::surface::{Pole, Surface};
use hull_geometry::Point;
use hull_geometry::vector::{dot, norm, sub};
use std::f64::consts::{PI, TAU};
use std::sync::OnceLock;

/// After so many steps that came no nearer, a search far off the surface ends.
const MOST_IN_VAIN: usize = 6;

/// Finds u and v of points on one surface; keeps what many questions share.
pub struct Locator<'a> {
    /// On which points are located.
    pub surface: &'a Surface,
    /// Of u and v, where they repeat.
    pub periods: [Option<f64>; 2],
    /// Places where one parameter does not matter.
    pub poles: Vec<Pole>,
    seeds: OnceLock<Vec<Seed>>,
}

/// A sample of the surface from which a search may start.
struct Seed {
    uv: [f64; 2],
    p: Point,
}

impl<'a> Locator<'a> {
    /// Makes ready to locate points.
    pub fn new(surface: &'a Surface) -> Locator<'a> {
        Locator { surface, periods: surface.periods(), poles: surface.poles(), seeds: OnceLock::new() }
    }

    /// The parameters whose point is nearest to `p`, and the distance. Of parameters that are a period apart
    /// those nearest to `near` are given.
    pub fn locate(&self, p: Point, near: Option<[f64; 2]>) -> ([f64; 2], f64) {
        let (mut uv, distance) = match closed_form(self.surface, p, near) {
            Some(uv) => (uv, norm(sub(self.surface.point(uv[0], uv[1]), p))),
            None => self.search(p, near),
        };
        if let Some(near) = near {
            uv = self.shifted_towards(uv, near);
        }
        (uv, distance)
    }

    /// `uv` moved by whole periods as near to `near` as that goes.
    pub fn shifted_towards(&self, mut uv: [f64; 2], near: [f64; 2]) -> [f64; 2] {
        for axis in 0..2 {
            if let Some(period) = self.periods[axis] {
                uv[axis] += ((near[axis] - uv[axis]) / period).round() * period;
            }
        }
        uv
    }

    /// The pole that `p` lies on within `tolerance`.
    pub fn pole_at(&self, p: Point, tolerance: f64) -> Option<&Pole> {
        self.poles.iter().find(|pole| norm(sub(pole.at, p)) <= tolerance)
    }

    fn search(&self, p: Point, near: Option<[f64; 2]>) -> ([f64; 2], f64) {
        let mut best = match near {
            Some(near) => self.descend(p, near),
            None => ([0.0; 2], f64::INFINITY),
        };
        let swept = self.along_sweep(p);
        let seeds = swept.as_deref().unwrap_or_else(|| self.seeds.get_or_init(|| self.sample(p)));
        let size = seeds.first().map_or(1.0, |s| norm(sub(s.p, seeds[seeds.len() / 2].p))).max(1e-9);
        if best.1 <= 1e-10 * size {
            return best;
        }
        let mut order: Vec<(f64, usize)> =
            seeds.iter().enumerate().map(|(i, s)| (dot(sub(s.p, p), sub(s.p, p)), i)).collect();
        let few = order.len().min(6);
        if few < order.len() {
            order.select_nth_unstable_by(few, |a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        }
        order.truncate(few);
        order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        for (_, i) in order {
            let found = self.descend(p, seeds[i].uv);
            if found.1 < best.1 - 1e-9 * size {
                best = found;
            }
            if best.1 <= 1e-9 * size {
                break;
            }
        }
        best
    }

    /// Samples between the breaks, more where there are few.
    fn sample(&self, towards: Point) -> Vec<Seed> {
        let (us, vs) = (self.lines(0, towards), self.lines(1, towards));
        let place = |&u: &f64| vs.iter().map(move |&v| Seed { uv: [u, v], p: self.surface.point(u, v) });
        us.iter().flat_map(place).collect()
    }

    /// Samples of one parameter between the breaks.
    fn lines(&self, axis: usize, towards: Point) -> Vec<f64> {
        let [a, b] = self.surface.domain()[axis];
        let (a, b) = match (a.is_finite(), b.is_finite()) {
            (true, true) => (a, b),
            _ => self.reach(axis, towards),
        };
        let mut breaks = self.surface.breaks(axis);
        if breaks.len() < 2 {
            breaks = vec![a, b];
        }
        let each = (24 / (breaks.len() - 1)).clamp(3, 24);
        let mut out = Vec::new();
        for w in breaks.windows(2) {
            out.extend((0..each).map(|i| w[0] + (w[1] - w[0]) * (i as f64 + 0.5) / each as f64));
        }
        out
    }

    /// Of a profile that is moved straight or turned: for each sample of the profile the place on its way that is nearest
    /// to `p`, which has a formula.
    fn along_sweep(&self, p: Point) -> Option<Vec<Seed>> {
        let seed = |uv: [f64; 2]| Seed { uv, p: self.surface.point(uv[0], uv[1]) };
        match self.surface {
            Surface::Extrusion { profile, along } => {
                let way = |u: f64| dot(sub(p, profile.point(u)), *along) / dot(*along, *along);
                Some(self.lines(0, p).into_iter().map(|u| seed([u, way(u)])).collect())
            }
            Surface::Revolution { profile, axis } => {
                let angle = |q: Point| {
                    let q = axis.local(q);
                    q[1].atan2(q[0])
                };
                let turn = |v: f64| (angle(p) - angle(profile.point(v))).rem_euclid(TAU);
                Some(self.lines(1, p).into_iter().map(|v| seed([turn(v), v])).collect())
            }
            _ => None,
        }
    }

    /// A stretch of an endless parameter about the foot of a point.
    fn reach(&self, axis: usize, p: Point) -> (f64, f64) {
        let mid = [0.0, 0.0];
        let [origin, du, dv] = self.surface.first(mid[0], mid[1]);
        let along = if axis == 0 { du } else { dv };
        let t = dot(sub(p, origin), along) / dot(along, along).max(1e-300);
        let spread = norm(sub(p, origin)) / norm(along).max(1e-300) + 1.0;
        (t - spread, t + spread)
    }

    /// Newton's method on the foot of the perpendicular (NURBS Book, 6.1), within the domain.
    fn descend(&self, p: Point, start: [f64; 2]) -> ([f64; 2], f64) {
        let domain = self.surface.domain();
        let hold = |uv: [f64; 2]| -> [f64; 2] {
            let keep = |axis: usize| match self.periods[axis] {
                Some(_) => uv[axis],
                None => uv[axis].clamp(domain[axis][0], domain[axis][1]),
            };
            [keep(0), keep(1)]
        };
        let mut uv = hold(start);
        let mut best = (uv, f64::INFINITY);
        let mut in_vain = 0;
        for _ in 0..40 {
            let j = self.surface.jet(uv[0], uv[1]);
            let r = sub(j.p, p);
            let d = norm(r);
            in_vain += 1;
            if d < best.1 {
                (best, in_vain) = ((uv, d), 0);
            }
            // On a surface that runs wild the steps do not end anywhere.
            if in_vain > MOST_IN_VAIN && best.1 > 1e-6 * (1.0 + norm(p)) {
                break;
            }
            let g = [dot(r, j.u), dot(r, j.v)];
            let (a0, b0, c0) = (dot(j.u, j.u), dot(j.u, j.v), dot(j.v, j.v));
            let (a, b, c) = (a0 + dot(r, j.uu), b0 + dot(r, j.uv), c0 + dot(r, j.vv));
            let full = a * c - b * b;
            let plain = a0 * c0 - b0 * b0;
            let step = if full > 0.1 * plain && a > 0.0 && full > 0.0 {
                [(b * g[1] - c * g[0]) / full, (b * g[0] - a * g[1]) / full]
            } else if plain > 1e-14 * a0 * c0 {
                [(b0 * g[1] - c0 * g[0]) / plain, (b0 * g[0] - a0 * g[1]) / plain]
            } else if a0 >= c0 && a0 > 0.0 {
                [-g[0] / a0, 0.0]
            } else if c0 > 0.0 {
                [0.0, -g[1] / c0]
            } else {
                break;
            };
            let mut next = hold([uv[0] + step[0], uv[1] + step[1]]);
            // A step that a side stops runs on along that side.
            for axis in 0..2 {
                let stopped = next[axis] == uv[axis] && step[axis] != 0.0;
                let (square, slope) = if axis == 0 { (c0, g[1]) } else { (a0, g[0]) };
                if stopped && square > 0.0 {
                    let mut along = uv;
                    along[1 - axis] -= slope / square;
                    next = hold(along);
                }
            }
            let moved = ((next[0] - uv[0]).powi(2) * a0 + (next[1] - uv[1]).powi(2) * c0).sqrt();
            uv = next;
            if moved <= 1e-15 * (1.0 + norm(p)) {
                break;
            }
        }
        let d = norm(sub(self.surface.point(uv[0], uv[1]), p));
        if d <= best.1 { (uv, d) } else { best }
    }
}

/// Parameters by formula, where there is one.
fn closed_form(surface: &Surface, p: Point, near: Option<[f64; 2]>) -> Option<[f64; 2]> {
    let angle = |y: f64, x: f64, held: usize, size: f64| {
        if x.hypot(y) <= 1e-12 * size {
            return near.map_or(0.0, |n| n[held]);
        }
        let a = y.atan2(x);
        if a < 0.0 { a + TAU } else { a }
    };
    let local = |f: &Frame| f.local(p);
    // Where the radius may be negative the surface has a second sheet, on the other side of its axis.
    let opposite = |u: f64| (u + PI).rem_euclid(TAU);
    let nearer = |a: [f64; 2], b: [f64; 2]| {
        let off = |uv: [f64; 2]| norm(sub(surface.point(uv[0], uv[1]), p));
        let (off_a, off_b, small) = (off(a), off(b), 1e-12 * norm(p));
        if (off_a - off_b).abs() > small {
            return if off_a < off_b { a } else { b };
        }
        // Both sheets meet there: the one on which the neighbour lies.
        let apart = |uv: [f64; 2]| near.map_or(0.0, |n| (uv[1] - n[1]).abs());
        if apart(b) < apart(a) { b } else { a }
    };
    match surface {
        Surface::Plane(f) => {
            let q = local(f);
            Some([q[0], q[1]])
        }
        Surface::Cylinder { frame, radius } => {
            let q = local(frame);
            Some([angle(q[1], q[0], 0, *radius), q[2]])
        }
        Surface::Cone { frame, radius, half_angle } => {
            let q = local(frame);
            let slope = half_angle.tan();
            let r = q[0].hypot(q[1]);
            let foot = |r: f64| ((r - radius) * slope + q[2]) / (1.0 + slope * slope);
            let u = angle(q[1], q[0], 0, radius.abs().max(foot(r).abs()));
            Some(nearer([u, foot(r)], [opposite(u), foot(-r)]))
        }
        Surface::Sphere { frame, radius } => {
            let q = local(frame);
            let r = q[0].hypot(q[1]);
            Some([angle(q[1], q[0], 0, *radius), q[2].atan2(r)])
        }
        Surface::Torus { frame, major, minor } => {
            let q = local(frame);
            let r = q[0].hypot(q[1]);
            let u = angle(q[1], q[0], 0, *major);
            let here = [u, angle(q[2], r - major, 1, *minor)];
            if minor <= major {
                return Some(here);
            }
            Some(nearer(here, [opposite(u), angle(q[2], -r - major, 1, *minor)]))
        }
        _ => None,
    }
}
