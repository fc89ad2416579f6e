//! Trials against closed forms: creeping flow through a duct, a pipe and an annulus, potential flow past a cylinder and a sphere,
//! each with the order in which the error falls.

use hull_geometry::join::join_equal_points;
use hull_geometry::{FacetId, Mesh, Point, PointId, Watch};
use hull_trials::Kind;
use hull_trials::flow::{Flow, FlowError, How, Opening, run};
use hull_trials::plane::{self, Plane};
use std::collections::HashMap;
use std::f64::consts::PI;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

fn openings() -> [Opening; 2] {
    [("in", true), ("out", false)].map(|(name, inlet)| Opening { name: name.into(), inlet })
}

/// A closed surface of quadrilaterals, each with what it is to the flow.
#[derive(Default)]
struct Skin {
    mesh: Mesh,
    kind: TiVec<FacetId, Kind>,
}

impl Skin {
    fn quad(&mut self, corners: [Point; 4], kind: Kind) {
        let numbers = corners.map(|p| self.mesh.points.push_and_get_key(p));
        for t in [[0, 1, 2], [0, 2, 3]] {
            self.mesh.triangles.push(t.map(|i: usize| numbers[i]));
            self.kind.push(kind);
        }
    }

    /// A grid of places over two parameters, `m` by `n` quadrilaterals.
    fn grid(&mut self, m: usize, n: usize, kind: Kind, at: impl Fn(f64, f64) -> Point) {
        for i in 0..m {
            for j in 0..n {
                let p = |a: usize, b: usize| at((i + a) as f64 / m as f64, (j + b) as f64 / n as f64);
                self.quad([p(0, 0), p(1, 0), p(1, 1), p(0, 1)], kind);
            }
        }
    }

    fn flow(mut self, how: How, cells: usize) -> Flow {
        join_equal_points(&mut self.mesh);
        run(&self.mesh, &self.kind, &openings(), how, cells, &Watch::default()).expect("it flows")
    }
}

/// A bar between two profiles along a direction, whose rings are given by angle: the outer one, and an inner one if it is hollow.
fn tube(outer: f64, inner: Option<f64>, length: f64, along: impl Fn(Point) -> Point) -> Skin {
    let n = 96;
    let ring = |r: f64, u: f64, z: f64| along([r * (2.0 * PI * u).cos(), r * (2.0 * PI * u).sin(), z]);
    let mut skin = Skin::default();
    skin.grid(n, 8, Kind::Wall, |u, v| ring(outer, u, v * length));
    if let Some(inner) = inner {
        skin.grid(n, 8, Kind::Wall, |u, v| ring(inner, 1.0 - u, v * length));
    }
    let least = inner.unwrap_or(0.0);
    skin.grid(n, 4, Kind::Opening(0), |u, v| ring(outer + (least - outer) * (1.0 - v), u, 0.0));
    skin.grid(n, 4, Kind::Opening(1), |u, v| ring(outer + (least - outer) * v, u, length));
    // At the middle of a full end quadrilaterals are triangles; those without area go.
    let mut mesh = skin.mesh;
    join_equal_points(&mut mesh);
    let keep: Vec<bool> = mesh.flat_facets().into_iter().map(|flat| !flat).collect();
    let mut kept = keep.iter();
    mesh.triangles.retain(|_| *kept.next().unwrap_or(&true));
    let kind = skin.kind.into_iter().zip(&keep).filter(|(_, k)| **k).map(|(k, _)| k).collect();
    Skin { mesh, kind }
}

/// The same body turned so that no axis of the lattice is one of its own.
fn askew(p: Point) -> Point {
    let (c, s) = (0.6_f64.cos(), 0.6_f64.sin());
    let q = [c * p[0] + s * p[2], p[1], c * p[2] - s * p[0]];
    let (c, s) = (0.35_f64.cos(), 0.35_f64.sin());
    [q[0], c * q[1] - s * q[2], s * q[1] + c * q[2]]
}

/// How fast an error falls with the cell's side, from the first to the last.
fn order(errors: &[(f64, f64)]) -> f64 {
    let (a, b) = (errors[0], errors[errors.len() - 1]);
    (a.1 / b.1).ln() / (a.0 / b.0).ln()
}

fn errors(exact: f64, sizes: &[usize], flow: impl Fn(usize) -> Flow) -> Vec<(f64, f64)> {
    let errors: Vec<(f64, f64)> = sizes
        .iter()
        .map(|cells| {
            let f = flow(*cells);
            assert!(f.imbalance.abs() < 1e-6, "what comes in goes out: {}", f.imbalance);
            assert!(f.pockets.is_empty(), "{:?}", f.pockets);
            (f.cell, (f.through[0].flow / exact - 1.0).abs())
        })
        .collect();
    println!("{errors:?}, order {:.2}", order(&errors));
    errors
}

/// F. M. White, Viscous Fluid Flow, 3rd edition, equation 3-48, from memory: a duct of sides 2a and 2b.
fn duct(a: f64, b: f64, length: f64) -> f64 {
    let odd = (0..40).map(|i| f64::from(2 * i + 1));
    let sum: f64 = odd.map(|n| (n * PI * b / (2.0 * a)).tanh() / n.powi(5)).sum();
    4.0 * b * a.powi(3) / (3.0 * length) * (1.0 - 192.0 * a / (PI.powi(5) * b) * sum)
}

#[test]
fn creeping_flow_through_a_duct() {
    let (w, h, l) = (3.0, 1.0, 4.0);
    let body = || {
        let mut skin = Skin::default();
        let corner = |x: f64, y: f64, z: f64| [l * x, w * y, h * z];
        skin.grid(1, 1, Kind::Opening(0), |u, v| corner(0.0, v, u));
        skin.grid(1, 1, Kind::Opening(1), |u, v| corner(1.0, u, v));
        skin.grid(1, 1, Kind::Wall, |u, v| corner(u, 0.0, v));
        skin.grid(1, 1, Kind::Wall, |u, v| corner(v, 1.0, u));
        skin.grid(1, 1, Kind::Wall, |u, v| corner(v, u, 0.0));
        skin.grid(1, 1, Kind::Wall, |u, v| corner(u, v, 1.0));
        skin
    };
    let found = errors(duct(w / 2.0, h / 2.0, l), &[1500, 12_000, 96_000], |n| body().flow(How::Creeping, n));
    assert!(found[2].1 < 0.005 && order(&found) > 1.7);
}

#[test]
fn creeping_flow_through_a_pipe_that_stands_askew() {
    let (r, l) = (1.0_f64, 5.0);
    // G. Hagen and J. Poiseuille; the pipe is a prism of 96 sides, hardly narrower.
    let exact = PI * r.powi(4) / (8.0 * l);
    let found = errors(exact, &[3000, 24_000, 120_000], |n| tube(r, None, l, askew).flow(How::Creeping, n));
    // First order: the ends are steps of the lattice.
    assert!(found[2].1 < 0.012 && order(&found) > 0.75);
    let flow = tube(r, None, l, askew).flow(How::Creeping, 24_000);
    let narrow = flow.narrowest.expect("a way");
    assert!((narrow.width / 2.0 - r).abs() < flow.cell, "{narrow:?}");
    // The fastest way is twice as fast as the mean.
    let fastest = flow.streamlines.iter().flat_map(|s| &s.speeds).fold(0.0_f64, |m, s| m.max(*s));
    assert!((fastest - 2.0).abs() < 0.1, "{fastest}");
}

#[test]
fn creeping_flow_through_an_annulus() {
    let (a, b, l) = (0.5_f64, 1.0_f64, 3.0_f64);
    // White, equation 3-50, from memory.
    let exact = PI / (8.0 * l) * (b.powi(4) - a.powi(4) - (b * b - a * a).powi(2) / (b / a).ln());
    let found = errors(exact, &[8000, 64_000], |n| tube(b, Some(a), l, |p| p).flow(How::Creeping, n));
    assert!(found[1].1 < 0.02 && order(&found) > 1.2);
}

/// Where potential and stream function have given values past a cylinder of radius 1: w = z + 1/z, so z = (w + √(w² - 4)) / 2.
fn past_cylinder(phi: f64, psi: f64) -> [f64; 2] {
    let (re, im) = (phi * phi - psi * psi - 4.0, 2.0 * phi * psi);
    let size = re.hypot(im).sqrt();
    let angle = im.atan2(re) / 2.0;
    // The root on the side of w: z outside of the cylinder.
    let mut root = [size * angle.cos(), size * angle.sin()];
    if root[0] * phi + root[1] * psi < 0.0 || (psi == 0.0 && phi.abs() < 2.0 && root[1] < 0.0) {
        root = root.map(|x| -x);
    }
    [(phi + root[0]) / 2.0, (psi + root[1]) / 2.0]
}

#[test]
fn potential_flow_past_a_cylinder() {
    // Between the cylinder with its axis of symmetry, a stream surface, and two surfaces of one potential.
    let (phi, psi, deep) = (3.0, 1.5, 1.0);
    let at = |u: f64, v: f64, z: f64| {
        let [x, y] = past_cylinder(phi * (2.0 * u - 1.0), psi * v);
        [x, y, deep * z]
    };
    let body = || {
        let (m, n) = (160, 40);
        let mut skin = Skin::default();
        skin.grid(m, 1, Kind::Slip, |u, z| at(u, 0.0, z));
        skin.grid(1, m, Kind::Slip, |z, u| at(u, 1.0, z));
        skin.grid(1, n, Kind::Opening(0), |z, v| at(0.0, v, z));
        skin.grid(n, 1, Kind::Opening(1), |v, z| at(1.0, v, z));
        skin.grid(n, m, Kind::Slip, |v, u| at(u, v, 0.0));
        skin.grid(m, n, Kind::Slip, |u, v| at(u, v, 1.0));
        skin
    };
    // A difference of 2 φ drives ψ through.
    let found = errors(psi * deep / (2.0 * phi), &[4000, 32_000, 200_000], |n| body().flow(How::Potential, n));
    // First order: openings are steps of the lattice.
    assert!(found[2].1 < 0.01 && order(&found) > 0.75);
}

/// Past a sphere of radius 1: φ = (r + 1/(2 r²)) cos θ, ψ = (r²/2 - 1/(2 r)) sin²θ (the potential and the stream function of
/// G. G. Stokes), found by Newton's method in the half plane.
fn past_sphere(phi: f64, psi: f64) -> [f64; 2] {
    // Along the axis r + 1/(2 r²) = |φ|; on the sphere cos θ = φ / 1.5.
    if psi == 0.0 && phi.abs() < 1.5 {
        let c = phi / 1.5;
        return [c, (1.0 - c * c).sqrt()];
    }
    let (mut x, mut y) = (phi, (2.0 * psi).sqrt().max(1e-3) + 0.8 * (-phi * phi / 2.0).exp());
    for _ in 0..200 {
        let value = |x: f64, y: f64| {
            let r = x.hypot(y).max(1.0);
            [x * (1.0 + 0.5 / r.powi(3)) - phi, y * y * (0.5 - 0.5 / r.powi(3)) - psi]
        };
        let (f, e) = (value(x, y), 1e-7);
        let (fx, fy) = (value(x + e, y), value(x, y + e));
        let (a, b, c, d) = ((fx[0] - f[0]) / e, (fy[0] - f[0]) / e, (fx[1] - f[1]) / e, (fy[1] - f[1]) / e);
        let det = a * d - b * c;
        if det.abs() < 1e-14 {
            y += 1e-3;
            continue;
        }
        let (mut dx, mut dy) = ((d * f[0] - b * f[1]) / det, (a * f[1] - c * f[0]) / det);
        let most = dx.hypot(dy) / 0.2;
        if most > 1.0 {
            (dx, dy) = (dx / most, dy / most);
        }
        (x, y) = (x - dx, (y - dy).max(0.0));
    }
    [x, y]
}

#[test]
fn potential_flow_past_a_sphere() {
    let (phi, psi) = (2.5, 0.8);
    let turn = |[x, y]: [f64; 2], u: f64| [x, y * (2.0 * PI * u).cos(), y * (2.0 * PI * u).sin()];
    let ring: Vec<f64> = (0..=24).map(|i| f64::from(i * i) / 576.0 * psi).collect();
    let profile = |u: f64, v: f64| past_sphere(phi * (2.0 * u - 1.0), ring[(v * 24.0).round() as usize]);
    let body = || {
        let (m, n, k) = (100, 64, 24);
        let mut skin = Skin::default();
        skin.grid(m, n, Kind::Slip, |u, t| turn(profile(u, 1.0), 1.0 - t));
        skin.grid(k, n, Kind::Opening(0), |v, t| turn(profile(0.0, v), 1.0 - t));
        skin.grid(k, n, Kind::Opening(1), |v, t| turn(profile(1.0, v), t));
        // The sphere itself, from pole to pole.
        skin.grid(48, n, Kind::Slip, |u, t| turn([-(PI * u).cos(), (PI * u).sin()], t));
        let keep: Vec<bool> = {
            join_equal_points(&mut skin.mesh);
            skin.mesh.flat_facets().into_iter().map(|flat| !flat).collect()
        };
        let mut kept = keep.iter();
        skin.mesh.triangles.retain(|_| *kept.next().unwrap_or(&true));
        skin.kind = skin.kind.into_iter().zip(&keep).filter(|(_, k)| **k).map(|(k, _)| k).collect();
        skin
    };
    let exact = 2.0 * PI * psi / (2.0 * phi);
    let found = errors(exact, &[6000, 48_000, 250_000], |n| body().flow(How::Potential, n));
    assert!(found[2].1 < 0.01 && order(&found) > 0.75);
}

#[test]
fn what_cannot_flow_is_refused_and_what_is_closed_is_told() {
    let skin = tube(1.0, None, 3.0, |p| p);
    let run = |kind: &TiSlice<FacetId, Kind>, openings: &[Opening]| {
        run(&skin.mesh, kind, openings, How::Potential, 4000, &Watch::default())
    };
    let only_in = &openings()[..1];
    let walls: TiVec<FacetId, Kind> =
        skin.kind.iter().map(|k| if *k == Kind::Opening(1) { Kind::Wall } else { *k }).collect();
    assert!(matches!(run(&walls, only_in), Err(FlowError::NoOpening("outlet", _))));
    // An outlet that no facet has.
    assert!(matches!(run(&walls, &openings()), Err(FlowError::NoWay(_))));
    let inside_out = Mesh {
        triangles: skin.mesh.triangles.iter().map(|[a, b, c]| [*a, *c, *b]).collect(),
        points: skin.mesh.points.clone(),
    };
    let empty = hull_trials::flow::run(&inside_out, &skin.kind, &openings(), How::Potential, 4000, &Watch::default());
    assert_eq!(empty, Err(FlowError::Empty));
    // Two pipes, one of them without an outlet: it is told as a pocket, or as an opening that leads nowhere.
    let mut two = tube(1.0, None, 3.0, |p| p);
    let mut other = tube(0.8, None, 2.0, |[x, y, z]| [x + 4.0, y, z]);
    other.kind.iter_mut().for_each(|k| {
        *k = if *k == Kind::Opening(0) { Kind::Opening(2) } else { Kind::Wall };
    });
    two.mesh.append(&other.mesh);
    two.kind.append(&mut other.kind);
    let mut three = openings().to_vec();
    three.push(Opening { name: "drain".into(), inlet: true });
    let flow = hull_trials::flow::run(&two.mesh, &two.kind, &three, How::Creeping, 8000, &Watch::default()).unwrap();
    assert!(flow.pockets.iter().any(|p| p.what.contains("“drain”")), "{:?}", flow.pockets);
    assert!(flow.through[2].flow.abs() < 1e-7 * flow.through[0].flow);
}

/// Triangles of the plane, with what their outer edges are.
struct Grid {
    points: TiVec<PointId, [f64; 2]>,
    triangles: Vec<[PointId; 3]>,
    sides: HashMap<[PointId; 2], Kind>,
}

/// A grid of triangles over two parameters, every other diagonal the other way and inner points pushed about, with what its
/// four sides are: at u = 0, u = 1, v = 0, v = 1.
fn triangles(m: u32, n: u32, at: impl Fn(f64, f64) -> [f64; 2], kinds: [Kind; 4]) -> Grid {
    let number = |i: u32, j: u32| PointId(i * (n + 1) + j);
    let mut points = TiVec::new();
    for (i, j) in (0..=m).flat_map(|i| (0..=n).map(move |j| (i, j))) {
        let inner = i > 0 && i < m && j > 0 && j < n;
        let push = |k: f64| if inner { 0.2 * (k * f64::from(7 * i + 11 * j)).sin() } else { 0.0 };
        points.push(at((f64::from(i) + push(1.0)) / f64::from(m), (f64::from(j) + push(2.0)) / f64::from(n)));
    }
    let mut facets = Vec::new();
    for (i, j) in (0..m).flat_map(|i| (0..n).map(move |j| (i, j))) {
        let [a, b, c, d] = [number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)];
        facets.extend(if (i + j) % 2 == 0 { [[a, b, c], [a, c, d]] } else { [[a, b, d], [b, c, d]] });
    }
    let mut sides = HashMap::new();
    for j in 0..n {
        sides.insert([number(0, j), number(0, j + 1)], kinds[0]);
        sides.insert([number(m, j), number(m, j + 1)], kinds[1]);
    }
    for i in 0..m {
        sides.insert([number(i, 0), number(i + 1, 0)], kinds[2]);
        sides.insert([number(i, n), number(i + 1, n)], kinds[3]);
    }
    Grid { points, triangles: facets, sides }
}

/// The error of what comes in, for grids twice as fine each time; what comes in goes out.
fn errors_on_triangles(how: How, at: impl Fn(f64, f64) -> [f64; 2] + Copy, kinds: [Kind; 4], exact: f64) -> Vec<f64> {
    let error = |m: u32| {
        let Grid { points, triangles, sides } = triangles(3 * m, m, at, kinds);
        let plane = Plane { points: &points, triangles: &triangles, sides: &sides };
        let found = plane::solve(&plane, &openings(), how, &Watch::default()).unwrap().unwrap();
        assert!(found.imbalance.abs() < 1e-8 && found.triangles == triangles.len(), "{found:?}");
        (found.comes_in() / exact - 1.0).abs()
    };
    [4, 8, 16, 32].map(error).to_vec()
}

/// On the triangles of a mesh: plane Poiseuille flow, h³ / 12 L, and half of it beside a plane of symmetry; potential flow
/// between the ends of a sector of a ring, ln(b/a) / angle. The error falls with the square of the triangles' size.
#[test]
fn flow_on_triangles_comes_to_the_closed_forms() {
    let [inlet, outlet] = [Kind::Opening(0), Kind::Opening(1)];
    let (long, high) = (3.0, 1.2);
    let channel = |u: f64, v: f64| [long * u, high * v];
    let poiseuille = high * high * high / (12.0 * long);
    let sector = |u: f64, v: f64| {
        let (angle, r) = (0.5 * PI * (1.0 - u), 1.0 + v);
        [r * angle.cos(), r * angle.sin()]
    };
    let half_channel = |u: f64, v: f64| [long * u, 0.5 * high * v];
    for (name, errors) in [
        ("channel", errors_on_triangles(How::Creeping, channel, [inlet, outlet, Kind::Wall, Kind::Wall], poiseuille)),
        (
            "half",
            errors_on_triangles(How::Creeping, half_channel, [inlet, outlet, Kind::Wall, Kind::Slip], 0.5 * poiseuille),
        ),
        (
            "ring",
            errors_on_triangles(
                How::Potential,
                sector,
                [inlet, outlet, Kind::Wall, Kind::Wall],
                2.0_f64.ln() / (0.5 * PI),
            ),
        ),
    ] {
        assert!(errors[3] < 4e-3, "{name}: {errors:?}");
        for pair in errors.windows(2) {
            assert!(pair[1] < pair[0] / 3.0, "{name}: {errors:?}");
        }
    }
    // A potential in a channel is linear, which the elements hold exactly.
    let flat = errors_on_triangles(How::Potential, channel, [inlet, outlet, Kind::Wall, Kind::Wall], high / long);
    assert!(flat.iter().all(|e| *e < 1e-12), "{flat:?}");
}

/// A mesh too large to be tried is told, with nothing computed of it.
#[test]
fn more_triangles_than_are_tried_are_told() {
    let points = ti_vec![[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]];
    let triangles = vec![[0, 1, 2].map(PointId); 200_001];
    let plane = Plane { points: &points, triangles: &triangles, sides: &HashMap::new() };
    let found = plane::solve(&plane, &[], How::Creeping, &Watch::default()).unwrap().unwrap();
    assert!(found.are_too_many() && found.flows.is_empty());
}
