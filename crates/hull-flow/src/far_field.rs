//! The region around a body: how large it should be, its surface, and how much of it the body blocks.
//!
//! The rule: J. Franke et al., COST Action 732 Best Practice Guideline, 2007: blockage at most 3 %, five heights beside and before the
//! body, fifteen behind.

use hull_geometry::mesh::Bounds;
use hull_geometry::shapes::cuboid;
use hull_geometry::transform::{Axis, translate};
use hull_geometry::vector::{add, cross, dot, scale, sub};
use hull_geometry::{Mesh, Point, PointId};
use serde::{Deserialize, Serialize};
use typed_index_collections::TiVec;

/// Blockage is at most this part.
pub const BLOCKAGE: f64 = 0.03;
/// Heights before, behind, beside and above the body.
pub const RULE: Room = Room { before: 5.0, behind: 15.0, beside: 5.0, above: 5.0 };

/// How much room is left, in multiples of a length.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Room {
    /// Upstream.
    pub before: f64,
    /// Downstream.
    pub behind: f64,
    /// On both sides.
    pub beside: f64,
    /// Above, and below where there is no ground.
    pub above: f64,
}

/// What the region looks like.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Form {
    /// A box along the axes.
    Box,
    /// A cylinder along the flow.
    Cylinder,
    /// Half a ball on the ground.
    HalfBall,
}

/// A side of the region.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// Where flow comes in.
    Inflow,
    /// Where it leaves.
    Outflow,
    /// Beside, above, or all around.
    Far,
    /// The ground.
    Ground,
    /// The plane at which everything is alike.
    Symmetry,
}

impl Side {
    /// As it is called.
    pub fn name(self) -> &'static str {
        match self {
            Side::Inflow => "inflow",
            Side::Outflow => "outflow",
            Side::Far => "far field",
            Side::Ground => "ground",
            Side::Symmetry => "symmetry",
        }
    }
}

/// A region: its surface, facing outward, with the side of each facet.
#[derive(Clone, Debug)]
pub struct Region {
    /// Closed.
    pub mesh: Mesh,
    /// One a facet.
    pub sides: Vec<Side>,
}

/// Where the flow goes and what is up.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Stream {
    /// Where the flow goes.
    pub along: Axis,
    /// What is up.
    pub up: Axis,
}

/// The box of a far field, in coordinates of the body: `length` is what multiples are of. With a `ground` the box ends there;
/// with a `mirror` axis it ends at 0 of that coordinate and holds the positive side.
pub fn far_box(
    body: &Bounds,
    stream: Stream,
    room: Room,
    length: f64,
    ground: Option<f64>,
    mirror: Option<usize>,
) -> Bounds {
    let (along, up) = (stream.along.direction(), stream.up.direction());
    let aside = cross(up, along);
    let (mut low, mut high) = (body.min, body.max);
    let mut grow = |d: Point, ahead: f64, back: f64| {
        for k in 0..3 {
            let (plus, minus) = if d[k] > 0.5 { (ahead, back) } else { (back, ahead) };
            if d[k].abs() > 0.5 {
                high[k] += plus * length;
                low[k] -= minus * length;
            }
        }
    };
    grow(along, room.behind, room.before);
    grow(aside, room.beside, room.beside);
    grow(up, room.above, room.above);
    if let (Some(at), Some(k)) = (ground, (0..3).find(|&k| up[k].abs() > 0.5)) {
        if up[k] > 0.0 { low[k] = at } else { high[k] = at }
    }
    if let Some(k) = mirror {
        low[k] = 0.0;
        high[k] = high[k].max(-body.min[k] + room.beside * length);
    }
    Bounds { min: low, max: high }
}

/// Facets around a round region.
const ROUND: usize = 96;

/// The surface of a region within a box. Round forms keep the middle of the flow at the middle of the body, or on the ground
/// and the plane of symmetry where there is one.
pub fn region(
    form: Form,
    limits: &Bounds,
    body: &Bounds,
    stream: Stream,
    ground: Option<f64>,
    mirror: Option<usize>,
) -> Region {
    let side = |normal: Point, centre: Point| {
        let size = limits.diagonal() * 1e-9;
        let up = stream.up.direction();
        if ground
            .is_some_and(|g| dot(normal, up) < -0.999 && (dot(centre, up) - g * (up[0] + up[1] + up[2])).abs() <= size)
        {
            Side::Ground
        } else if mirror.is_some_and(|k| normal[k] < -0.999 && centre[k].abs() <= size) {
            Side::Symmetry
        } else if dot(normal, stream.along.direction()) < -0.999 {
            Side::Inflow
        } else if dot(normal, stream.along.direction()) > 0.999 {
            Side::Outflow
        } else {
            Side::Far
        }
    };
    let mesh = match form {
        Form::Box => {
            let mut mesh = cuboid(limits.size());
            translate(&mut mesh, limits.min);
            mesh
        }
        Form::Cylinder => tube(limits, body, stream, ground, mirror),
        Form::HalfBall => ball(limits, body, stream, ground, mirror),
    };
    let sides = mesh
        .triangles
        .keys()
        .map(|f| {
            let [a, b, c] = mesh.corners(f);
            let normal = hull_geometry::vector::unit(cross(sub(b, a), sub(c, a))).unwrap_or([0.0; 3]);
            let found = side(normal, scale(add(add(a, b), c), 1.0 / 3.0));
            // Round forms have no flat ends but those told: half a ball takes the flow in all around.
            if form == Form::HalfBall && matches!(found, Side::Inflow | Side::Outflow) { Side::Far } else { found }
        })
        .collect();
    Region { mesh, sides }
}

/// The middle of a round region, across the flow, with what of the turn it spans.
fn middle(body: &Bounds, ground: Option<f64>, mirror: Option<usize>, up: Point) -> Point {
    let mut at = body.centre();
    if let (Some(g), Some(k)) = (ground, (0..3).find(|&k| up[k].abs() > 0.5)) {
        at[k] = g;
    }
    if let Some(k) = mirror {
        at[k] = 0.0;
    }
    at
}

/// The part of a full turn that is left of a round outline: all, half above the ground or beside the mirror, a quarter.
fn arc(ground: bool, mirror: Option<f64>) -> (f64, f64, bool) {
    use std::f64::consts::{FRAC_PI_2, PI, TAU};
    // Angles from "aside" towards "up"; the mirror keeps the side where its coordinate is above zero.
    match (ground, mirror) {
        (false, None) => (0.0, TAU, true),
        (true, None) => (0.0, PI, false),
        (false, Some(s)) if s > 0.0 => (-FRAC_PI_2, FRAC_PI_2, false),
        (false, Some(_)) => (FRAC_PI_2, 1.5 * PI, false),
        (true, Some(s)) if s > 0.0 => (0.0, FRAC_PI_2, false),
        (true, Some(_)) => (FRAC_PI_2, PI, false),
    }
}

/// An outline across the flow swept along it.
fn tube(limits: &Bounds, body: &Bounds, stream: Stream, ground: Option<f64>, mirror: Option<usize>) -> Mesh {
    let (along, up) = (stream.along.direction(), stream.up.direction());
    let aside = cross(up, along);
    let at = middle(body, ground, mirror, up);
    let reach = |d: Point| {
        let (a, b) = (dot(limits.max, d) - dot(at, d), dot(limits.min, d) - dot(at, d));
        a.max(b).max(-a).max(-b)
    };
    let radius = reach(aside).max(reach(up));
    let (from, to, whole) = arc(ground.is_some(), mirror.map(|k| aside[k]));
    let n = ROUND;
    let mut outline: Vec<Point> = (0..if whole { n } else { n + 1 })
        .map(|i| (from + (to - from) * i as f64 / n as f64).sin_cos())
        .map(|(s, c)| add(at, add(scale(aside, radius * c), scale(up, radius * s))))
        .collect();
    if !whole {
        outline.push(at);
    }
    let ends = [dot(limits.min, along), dot(limits.max, along)];
    let ends = [ends[0].min(ends[1]), ends[0].max(ends[1])].map(|e| e - dot(at, along));
    let m = outline.len();
    let mut mesh = Mesh::default();
    for e in ends {
        mesh.points.extend(outline.iter().map(|p| add(*p, scale(along, e))));
    }
    // Both ends are fans about a point that sees all of the outline.
    let hub = if whole { at } else { scale(add(add(at, outline[0]), outline[n / 2]), 1.0 / 3.0) };
    let hub = if whole { hub } else { lerp3(at, hub) };
    for e in ends {
        mesh.points.push(add(hub, scale(along, e)));
    }
    let hubs = [2 * m, 2 * m + 1].map(PointId::from);
    for i in 0..m {
        let [i, j, beyond_i, beyond_j] = [i, (i + 1) % m, m + i, m + (i + 1) % m].map(PointId::from);
        let sides = [[i, j, beyond_j], [i, beyond_j, beyond_i]];
        mesh.triangles.extend([sides[0], sides[1], [hubs[0], j, i], [hubs[1], beyond_i, beyond_j]]);
    }
    mesh
}

fn lerp3(a: Point, b: Point) -> Point {
    hull_geometry::vector::lerp(a, b, 0.5)
}

/// Half a ball about the middle on the ground, or a whole one without ground; half of that at a mirror.
fn ball(limits: &Bounds, body: &Bounds, stream: Stream, ground: Option<f64>, mirror: Option<usize>) -> Mesh {
    let (along, up) = (stream.along.direction(), stream.up.direction());
    let aside = cross(up, along);
    let at = middle(body, ground, mirror, up);
    let radius = (0..3).fold(0.0_f64, |r, k| r.max((limits.max[k] - at[k]).abs()).max((limits.min[k] - at[k]).abs()));
    // Rings of the half ball of directions about `pole`, closed by a flat disc where only half is kept.
    let half = ground.is_some() || mirror.is_some();
    let pole = match mirror {
        _ if ground.is_some() => up,
        Some(k) => {
            let mut d = [0.0; 3];
            d[k] = 1.0;
            d
        }
        None => up,
    };
    let first = if dot(pole, along).abs() < 0.5 { along } else { aside };
    let second = cross(pole, first);
    let quarter = ground.is_some().then_some(mirror).flatten();
    let (rings, n) = (if half { ROUND / 4 } else { ROUND / 2 }, ROUND);
    let lowest = if half { std::f64::consts::FRAC_PI_2 } else { std::f64::consts::PI };
    let mut mesh = Mesh::default();
    let place = |ring: usize, i: usize| {
        let (s, c) = (lowest * ring as f64 / rings as f64).sin_cos();
        let (t, u) = (std::f64::consts::TAU * i as f64 / n as f64).sin_cos();
        add(at, add(scale(pole, radius * c), add(scale(first, radius * s * u), scale(second, radius * s * t))))
    };
    let last = if half { rings } else { rings - 1 };
    mesh.points.push(place(0, 0));
    for ring in 1..=last {
        mesh.points.extend((0..n).map(|i| place(ring, i)));
    }
    let end = mesh.points.push_and_get_key(if half { at } else { place(rings, 0) });
    let number = |ring: usize, i: usize| PointId::from(1 + (ring - 1) * n + i % n);
    for i in 0..n {
        mesh.triangles.push([PointId(0), number(1, i), number(1, i + 1)]);
        for ring in 1..last {
            let [a, b, c, d] = [number(ring, i), number(ring, i + 1), number(ring + 1, i), number(ring + 1, i + 1)];
            mesh.triangles.extend([[a, c, d], [a, d, b]]);
        }
        mesh.triangles.push([end, number(last, i + 1), number(last, i)]);
    }
    match quarter {
        None => mesh,
        // Half of the half ball: the caller's cut at the mirror would do, but the region is closed here already.
        Some(k) => halved(&mesh, k),
    }
}

/// The positive side of a closed surface that is star-shaped about a place with coordinate `k` zero, closed by a fan.
fn halved(mesh: &Mesh, k: usize) -> Mesh {
    let mut normal = [0.0; 3];
    normal[k] = 1.0;
    let cut = hull_geometry::slice::slice(mesh, [0.0; 3], normal, |_| true);
    let kept =
        hull_geometry::Rebuilt::keeping(&cut.mesh, |f| hull_geometry::slice::is_ahead(&cut.mesh, f, [0.0; 3], normal));
    let mut mesh = kept.mesh;
    for p in &mut mesh.points {
        if p[k].abs() < 1e-9 * cut.mesh.bounds().diagonal() {
            p[k] = 0.0;
        }
    }
    let rim = hull_geometry::topology::open_edges(&mesh);
    let sum = rim.iter().fold([0.0; 3], |s, e| add(s, mesh.points[e.from]));
    let hub = mesh.points.push_and_get_key(scale(sum, 1.0 / rim.len().max(1) as f64));
    mesh.triangles.extend(rim.iter().map(|e| [e.to, e.from, hub]));
    mesh
}

/// Lines of the picture by which the frontal area is counted, at most.
const LINES: usize = 2000;

/// The area of a body's shadow along the flow: scan lines across it, each with the exact length that is covered.
pub fn frontal_area(mesh: &Mesh, stream: Stream) -> f64 {
    let (along, up) = (stream.along.direction(), stream.up.direction());
    let aside = cross(up, along);
    let flat: TiVec<PointId, [f64; 2]> = mesh.points.iter().map(|p| [dot(*p, aside), dot(*p, up)]).collect();
    let low = flat.iter().fold(f64::INFINITY, |m, p| m.min(p[1]));
    let high = flat.iter().fold(f64::NEG_INFINITY, |m, p| m.max(p[1]));
    if high <= low || !high.is_finite() {
        return 0.0;
    }
    let step = (high - low) / LINES as f64;
    let mut spans: Vec<Vec<[f64; 2]>> = vec![Vec::new(); LINES];
    for t in &mesh.triangles {
        let c = t.map(|p| flat[p]);
        let (b, e) =
            (c.iter().fold(f64::INFINITY, |m, p| m.min(p[1])), c.iter().fold(f64::NEG_INFINITY, |m, p| m.max(p[1])));
        let first = (((b - low) / step - 0.5).ceil().max(0.0)) as usize;
        for (i, spans) in spans.iter_mut().enumerate().skip(first) {
            let y = low + (i as f64 + 0.5) * step;
            if y > e {
                break;
            }
            let mut span = [f64::INFINITY, f64::NEG_INFINITY];
            for k in 0..3 {
                let (p, q) = (c[k], c[(k + 1) % 3]);
                if (p[1] <= y) != (q[1] <= y) {
                    let x = p[0] + (q[0] - p[0]) * (y - p[1]) / (q[1] - p[1]);
                    span = [span[0].min(x), span[1].max(x)];
                }
            }
            if span[1] > span[0] {
                spans.push(span);
            }
        }
    }
    spans.iter_mut().map(|s| covered(s) * step).sum()
}

/// The length that spans cover together.
fn covered(spans: &mut [[f64; 2]]) -> f64 {
    spans.sort_by(|a, b| a[0].total_cmp(&b[0]));
    let (mut total, mut end) = (0.0, f64::NEG_INFINITY);
    for s in spans.iter() {
        if s[1] > end {
            total += s[1] - s[0].max(end);
            end = s[1];
        }
    }
    total
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::Watch;
    use hull_geometry::measure::mass;
    use hull_geometry::shapes::{sphere, torus};
    use hull_geometry::topology::Topology;

    const STREAM: Stream = Stream { along: Axis::PlusX, up: Axis::PlusZ };

    /// A ball's shadow is a disc, a ring's seen along its axis a ring, seen from the side a stadium.
    #[test]
    fn shadows() {
        use std::f64::consts::PI;
        let near = |a: f64, b: f64| assert!((a / b - 1.0).abs() < 2e-3, "{a} for {b}");
        near(frontal_area(&sphere(2.0, 200, 100), STREAM), PI * 4.0);
        let ring = torus(3.0, 1.0, 300, 100);
        near(frontal_area(&ring, STREAM), 4.0 * 3.0 + PI);
        near(frontal_area(&ring, Stream { along: Axis::PlusZ, up: Axis::PlusY }), PI * (16.0 - 4.0));
    }

    /// Every form with and without ground and mirror is closed, faces outward, has the volume of its closed form, and its
    /// sides are told.
    #[test]
    fn regions_are_closed() {
        use std::f64::consts::PI;
        let body = Bounds { min: [-1.0, -0.5, 0.0], max: [1.0, 0.5, 1.0] };
        for along in [Axis::PlusX, Axis::MinusY] {
            let stream = Stream { along, up: Axis::PlusZ };
            for ground in [None, Some(0.0)] {
                for mirror in [None, Some(if along == Axis::PlusX { 1 } else { 0 })] {
                    let limits = far_box(&body, stream, RULE, 1.0, ground, mirror);
                    for form in [Form::Box, Form::Cylinder, Form::HalfBall] {
                        let r = region(form, &limits, &body, stream, ground, mirror);
                        let t = Topology::of(&r.mesh, &Watch::default()).unwrap();
                        assert!(t.is_closed() && t.misdirected.is_empty(), "{form:?} {along:?} {ground:?} {mirror:?}");
                        let m = mass(&r.mesh, &r.mesh.bounds());
                        let part = if ground.is_some() { 0.5 } else { 1.0 } * if mirror.is_some() { 0.5 } else { 1.0 };
                        let s = r.mesh.bounds().size();
                        let full = match form {
                            Form::Box => s[0] * s[1] * s[2],
                            Form::Cylinder => {
                                let (l, h) = if along == Axis::PlusX { (s[0], s[1]) } else { (s[1], s[0]) };
                                let d = if mirror.is_some() { 2.0 * h } else { h };
                                part * PI * d * d / 4.0 * l
                            }
                            Form::HalfBall => {
                                let r = s.iter().copied().fold(0.0, f64::max) / 2.0;
                                let r = if ground.is_some() && mirror.is_some() {
                                    s.iter().copied().fold(0.0, f64::max) / 2.0
                                } else {
                                    r
                                };
                                part * 4.0 / 3.0 * PI * r.powi(3)
                            }
                        };
                        assert!(
                            (m.volume / full - 1.0).abs() < 0.01,
                            "{form:?} {ground:?} {mirror:?}: {} for {full}",
                            m.volume
                        );
                        assert_eq!(r.sides.contains(&Side::Ground), ground.is_some());
                        assert_eq!(r.sides.contains(&Side::Symmetry), mirror.is_some());
                        assert_eq!(r.sides.contains(&Side::Inflow), form != Form::HalfBall);
                    }
                }
            }
        }
    }

    #[test]
    fn the_rule_gives_its_room() {
        let body = Bounds { min: [0.0, 0.0, 0.0], max: [4.0, 2.0, 1.0] };
        let b = far_box(&body, STREAM, RULE, 1.0, Some(0.0), None);
        assert_eq!((b.min, b.max), ([-5.0, -5.0, 0.0], [19.0, 7.0, 6.0]));
        let against = far_box(&body, Stream { along: Axis::MinusX, up: Axis::PlusZ }, RULE, 1.0, None, None);
        assert_eq!((against.min, against.max), ([-15.0, -5.0, -5.0], [9.0, 7.0, 6.0]));
    }
}
