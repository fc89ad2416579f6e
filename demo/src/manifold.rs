//! The raw-water manifold as the supplier sent it: the wetted surface of a main pipe with two branches,
//! binary STL in inches, in eight pieces that do not quite meet, one of them inside out, one hole.
//!
//! Made in millimetres: the pipe lies along x, the branches leave it upward and to the side. Where a branch
//! meets the pipe both follow the same curve; the pipe's wall is triangulated flat, unrolled, around it.

use hull_formats::stl;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, PointId};
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation};
use std::f64::consts::TAU;
use typed_index_collections::TiVec;

const MAIN_RADIUS: f64 = 40.0;
const MAIN_LENGTH: f64 = 300.0;
const JOINT: f64 = 150.0;
const AROUND: usize = 72;

/// A branch: where its axis leaves the pipe's axis, its direction, radius and length.
struct Branch {
    foot: f64,
    direction: V3,
    radius: f64,
    length: f64,
    around: usize,
}

fn branches() -> [Branch; 2] {
    let lean = |v: V3| unit(v).unwrap_or(v);
    [
        Branch { foot: 95.0, direction: lean([-0.18, 0.12, 1.0]), radius: 22.0, length: 130.0, around: 48 },
        Branch { foot: 215.0, direction: lean([0.1, -1.0, 0.15]), radius: 18.0, length: 115.0, around: 40 },
    ]
}

impl Branch {
    fn axes(&self) -> (V3, V3) {
        let x = unit(cross(self.direction, [0.3, 0.5, 0.8])).unwrap_or([1.0, 0.0, 0.0]);
        (x, cross(self.direction, x))
    }

    /// The point on this branch's wall at angle `a`, `along` its axis.
    fn wall(&self, a: f64, along: f64) -> Point {
        let (x, y) = self.axes();
        let ring = add(scale(x, a.cos() * self.radius), scale(y, a.sin() * self.radius));
        add(add([self.foot, 0.0, 0.0], ring), scale(self.direction, along))
    }

    /// How far along the axis the wall meets the pipe at angle `a`.
    fn meets(&self, a: f64) -> f64 {
        let (p, d) = (self.wall(a, 0.0), self.direction);
        let (qa, qb) = (d[1] * d[1] + d[2] * d[2], 2.0 * (p[1] * d[1] + p[2] * d[2]));
        let qc = p[1] * p[1] + p[2] * p[2] - MAIN_RADIUS * MAIN_RADIUS;
        (-qb + (qb * qb - 4.0 * qa * qc).sqrt()) / (2.0 * qa)
    }

    fn angle(&self, i: usize) -> f64 {
        TAU * i as f64 / self.around as f64
    }

    fn rim(&self) -> Vec<Point> {
        (0..self.around).map(|i| self.wall(self.angle(i), self.meets(self.angle(i)))).collect()
    }

    /// The branch wall from the pipe to its end.
    fn pipe(&self) -> Mesh {
        let rows = 12;
        let ring = |r: usize| -> Vec<Point> {
            let t = r as f64 / rows as f64;
            let along = |a: f64| self.meets(a) * (1.0 - t) + self.length * t;
            (0..self.around).map(|i| self.wall(self.angle(i), along(self.angle(i)))).collect()
        };
        tube(&(0..=rows).map(ring).collect::<Vec<_>>())
    }

    /// The widened socket at the end of the branch, with the opening as a flat disc. `around` facets.
    fn socket(&self, around: usize) -> Mesh {
        let centre = |along: f64| add([self.foot, 0.0, 0.0], scale(self.direction, along));
        let (x, y) = self.axes();
        socket(centre(self.length), self.direction, (x, y), self.radius, self.radius + 9.0, 12.0, around)
    }
}

/// Facets between rings of equally many points, facing outward for rings that turn anticlockwise about
/// their direction of travel.
fn tube(rings: &[Vec<Point>]) -> Mesh {
    let n = rings[0].len();
    let mut mesh = Mesh { points: rings.iter().flatten().copied().collect(), triangles: TiVec::new() };
    for r in 0..rings.len() - 1 {
        for i in 0..n {
            let j = (i + 1) % n;
            let [a, b, c, d] = [r * n + i, r * n + j, (r + 1) * n + j, (r + 1) * n + i].map(PointId::from);
            mesh.triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    mesh
}

/// Ring face, cylinder and end disc of a flange-like widening.
fn socket(at: Point, axis: V3, (x, y): (V3, V3), inner: f64, outer: f64, depth: f64, around: usize) -> Mesh {
    let ring = |radius: f64, along: f64| -> Vec<Point> {
        (0..around)
            .map(|i| {
                let a = TAU * i as f64 / around as f64;
                add(add(at, scale(axis, along)), add(scale(x, a.cos() * radius), scale(y, a.sin() * radius)))
            })
            .collect()
    };
    let mid = (inner + outer) / 2.0;
    let mut rings =
        vec![ring(inner, 0.0), ring(mid, 0.0), ring(outer, 0.0), ring(outer, depth / 2.0), ring(outer, depth)];
    rings.extend([0.7, 0.4].map(|f| ring(outer * f, depth)));
    let mut mesh = tube(&rings);
    let first = mesh.points.len() - around;
    let centre = mesh.points.push_and_get_key(add(at, scale(axis, depth)));
    for i in 0..around {
        let [a, b] = [first + i, first + (i + 1) % around].map(PointId::from);
        mesh.triangles.push([a, b, centre]);
    }
    mesh
}

/// The wall of the main pipe from `from` to `to`, triangulated unrolled around the branch's rim. `hole`
/// leaves a few facets out around that angle and place.
fn main_wall(from: f64, to: f64, branch: &Branch, hole: Option<(f64, f64)>) -> Mesh {
    // Cut the pipe open opposite to the branch, so that the rim lies in the middle of the sheet.
    let side = branch.direction[2].atan2(branch.direction[1]);
    let rim = branch.rim();
    let flat = |p: &Point| {
        let turn = (p[2].atan2(p[1]) - side + 1.5 * TAU).rem_euclid(TAU) - TAU / 2.0;
        Point2::new(p[0], turn * MAIN_RADIUS)
    };
    let mut cdt = ConstrainedDelaunayTriangulation::<Point2<f64>>::new();
    let half = TAU / 2.0 * MAIN_RADIUS;
    let columns = ((to - from) / 7.5).round() as usize;
    let rim_flat: Vec<Point2<f64>> = rim.iter().map(flat).collect();
    let inside = |p: Point2<f64>| {
        (0..rim_flat.len()).fold(false, |odd, i| {
            let (a, b) = (rim_flat[i], rim_flat[(i + 1) % rim_flat.len()]);
            let crosses = (a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x;
            odd ^ crosses
        })
    };
    let near = |p: Point2<f64>| rim_flat.iter().any(|q| (p.x - q.x).hypot(p.y - q.y) < 2.6);
    for c in 0..=columns {
        for r in 0..=AROUND {
            let x = from + (to - from) * c as f64 / columns as f64;
            let p = Point2::new(x, half * (2.0 * r as f64 / AROUND as f64 - 1.0));
            let edge = c == 0 || c == columns || r == 0 || r == AROUND;
            if edge || !(inside(p) || near(p)) {
                cdt.insert(p).expect("made of ordinary numbers");
            }
        }
    }
    let handles: Vec<_> = rim_flat.iter().map(|p| cdt.insert(*p).expect("made of ordinary numbers")).collect();
    for i in 0..handles.len() {
        cdt.add_constraint(handles[i], handles[(i + 1) % handles.len()]);
    }
    let rolled = |p: Point2<f64>| -> Point {
        if let Some(i) = rim_flat.iter().position(|q| *q == p) {
            return rim[i];
        }
        // Both ends of the sheet are the same line on the pipe, to the last bit.
        let y = if p.y <= -half { half } else { p.y };
        let a = y / MAIN_RADIUS + side;
        [p.x, MAIN_RADIUS * a.cos(), MAIN_RADIUS * a.sin()]
    };
    let mut mesh = Mesh::default();
    for f in cdt.inner_faces() {
        let c = f.center();
        let left_out = hole.is_some_and(|(x, y)| (c.x - x).hypot(c.y - y) < 6.0);
        if inside(c) || left_out {
            continue;
        }
        let corners = f.vertices().map(|v| rolled(v.position()));
        let [a, b, c] = corners.map(|p| mesh.points.push_and_get_key(p));
        let out =
            dot(cross(sub(corners[1], corners[0]), sub(corners[2], corners[0])), [0.0, corners[0][1], corners[0][2]]);
        mesh.triangles.push(if out > 0.0 { [a, b, c] } else { [a, c, b] });
    }
    mesh
}

/// Moves a piece as a whole by a hair, so that it no longer meets its neighbours.
fn shifted(mut mesh: Mesh, by: V3) -> Mesh {
    hull_geometry::transform::translate(&mut mesh, by);
    mesh
}

/// Turns a piece outside in if its facets do not face away from `axis`.
fn reversed(mut mesh: Mesh) -> Mesh {
    mesh.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    mesh
}

/// The eight pieces in millimetres, as sent.
pub fn pieces() -> Vec<Mesh> {
    let [up, aside] = branches();
    let cross_axes = ([0.0, 1.0, 0.0], [0.0, 0.0, 1.0]);
    let back_axes = ([0.0, 1.0, 0.0], [0.0, 0.0, -1.0]);
    // The aft end's socket has half as many facets around as the pipe: T-junctions.
    let fore = socket([0.0; 3], [-1.0, 0.0, 0.0], back_axes, MAIN_RADIUS, MAIN_RADIUS + 14.0, 14.0, AROUND);
    let aft =
        socket([MAIN_LENGTH, 0.0, 0.0], [1.0, 0.0, 0.0], cross_axes, MAIN_RADIUS, MAIN_RADIUS + 14.0, 14.0, AROUND);
    let hair = |k: f64, v: V3| scale(unit(v).unwrap_or(v), k);
    vec![
        main_wall(0.0, JOINT, &up, Some((40.0, -60.0))),
        shifted(main_wall(JOINT, MAIN_LENGTH, &aside, None), hair(0.05, [1.0, 0.4, 0.2])),
        shifted(fore, hair(0.04, [-1.0, 0.5, 0.1])),
        shifted(aft, hair(0.22, [1.0, -0.3, 0.2])),
        shifted(up.pipe(), hair(0.17, [0.1, 0.2, 1.0])),
        shifted(up.socket(up.around), hair(0.29, [0.3, 0.1, 1.0])),
        shifted(reversed(aside.pipe()), hair(0.12, [0.2, -1.0, 0.1])),
        shifted(aside.socket(aside.around / 2), hair(0.20, [0.1, -1.0, 0.3])),
    ]
}

/// The file as sent: binary STL, inches, lying on its side (y up).
pub fn binary_stl_in_inches() -> Vec<u8> {
    let mut all = Mesh::default();
    for piece in pieces() {
        all.append(&piece);
    }
    for p in &mut all.points {
        let [x, y, z] = *p;
        *p = scale([x, z, -y], 1.0 / 25.4);
    }
    debug_assert!(norm(all.points[PointId(0)]).is_finite());
    stl::write_whole(&all)
}
