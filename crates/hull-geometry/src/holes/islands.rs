//! Islands: pieces of surface that lie loose within a hole, as scans leave them.
//!
//! The rim of an island runs the other way around than the hole it lies in. One filling closes the ring between both:
//! in a plane with two loops as its bounds, elsewhere as one loop that goes over to the island and back (a keyhole).

use crate::hole::{FLATNESS, Hole};
use crate::mesh::{Mesh, Point, PointId};
use crate::sets::Sets;
use crate::triangulate::{goes_around, plane_axes, polygon_normal};
use crate::vector::{distance, dot, sub, unit};

/// An island lies no further from the mean plane of its hole than this part of the hole's extent.
const NEAR: f64 = 0.25;

/// Gives every loop that bounds an island to the smallest hole around it. A loop of the same shell is no island: between
/// the two there is surface already.
pub fn adopt(mesh: &Mesh, holes: Vec<Hole>) -> Vec<Hole> {
    if holes.len() < 2 {
        return holes;
    }
    let shells = Sets::new(mesh.points.len());
    for t in &mesh.triangles {
        shells.unite(t[0].0, t[1].0);
        shells.unite(t[1].0, t[2].0);
    }
    let shell = |h: &Hole| shells.root(h.points[0].0);
    let frames: Vec<Option<Frame>> = holes.iter().map(|h| Frame::of(mesh, h)).collect();
    // The longest come first, so a hole stands before what lies in it.
    let mut inside: Vec<Option<usize>> = vec![None; holes.len()];
    for j in 1..holes.len() {
        let around = |i: &usize| {
            let (Some(outer), Some(inner)) = (&frames[*i], &frames[j]) else { return false };
            inside[*i].is_none()
                && shell(&holes[*i]) != shell(&holes[j])
                && dot(outer.normal, inner.normal) < 0.0
                && holes[j].points.iter().all(|&p| outer.holds(mesh.points[p]))
        };
        inside[j] = (0..j).rev().find(around);
    }
    let mut kept = holes.clone();
    for (j, at) in inside.iter().enumerate() {
        let Some(i) = *at else { continue };
        let Some(frame) = &frames[i] else { continue };
        let hole = &mut kept[i];
        hole.area -= holes[j].area;
        let off = |p: &PointId| dot(sub(mesh.points[*p], frame.centre), frame.normal).abs();
        hole.flat &= holes[j].points.iter().all(|p| off(p) <= FLATNESS * hole.bounds.diagonal());
        hole.islands.push(holes[j].points.clone());
    }
    let mut of = inside.iter();
    kept.retain(|_| of.next().is_some_and(Option::is_none));
    kept
}

/// The mean plane of a hole, with its loop in it.
struct Frame {
    normal: Point,
    centre: Point,
    axes: (Point, Point),
    reach: f64,
    polygon: Vec<[f64; 2]>,
}

impl Frame {
    fn of(mesh: &Mesh, hole: &Hole) -> Option<Frame> {
        let places: Vec<Point> = hole.points.iter().map(|&p| mesh.points[p]).collect();
        let normal = unit(polygon_normal(&places))?;
        let reach = NEAR * hole.bounds.diagonal();
        let mut frame = Frame { normal, centre: hole.centre, axes: plane_axes(normal), reach, polygon: Vec::new() };
        frame.polygon = places.iter().map(|p| frame.flat(*p)).collect();
        Some(frame)
    }

    fn flat(&self, p: Point) -> [f64; 2] {
        let d = sub(p, self.centre);
        [dot(d, self.axes.0), dot(d, self.axes.1)]
    }

    /// Whether a place lies over the inside of the loop, and near its plane.
    fn holds(&self, p: Point) -> bool {
        if dot(sub(p, self.centre), self.normal).abs() > self.reach {
            return false;
        }
        goes_around(&self.polygon, self.flat(p))
    }
}

/// One loop over several: from the first to the nearest island and back, and so on. `rings` are runs of places; the
/// result counts through all of them. Corners where the loop goes over stand in it twice.
pub fn keyhole(rings: &[Vec<Point>]) -> Vec<usize> {
    let places: Vec<Point> = rings.concat();
    let mut first = 0;
    let mut numbers: Vec<Vec<usize>> = Vec::new();
    for ring in rings {
        numbers.push((first..first + ring.len()).collect());
        first += ring.len();
    }
    let mut path = if numbers.is_empty() { Vec::new() } else { numbers.remove(0) };
    while !numbers.is_empty() {
        let mut best = (f64::INFINITY, 0, 0, 0);
        for (k, island) in numbers.iter().enumerate() {
            for (b, &q) in island.iter().enumerate() {
                for (a, &p) in path.iter().enumerate() {
                    let d = distance(places[p], places[q]);
                    if d < best.0 {
                        best = (d, a, k, b);
                    }
                }
            }
        }
        let (_, a, k, b) = best;
        let island = numbers.remove(k);
        let over = island[b..].iter().chain(&island[..=b]).copied();
        path = path[..=a].iter().copied().chain(over).chain(path[a..].iter().copied()).collect();
    }
    path
}
