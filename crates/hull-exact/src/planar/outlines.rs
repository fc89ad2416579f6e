//! Regions from outlines: what curves drawn in one plane enclose becomes faces of that plane.
//!
//! Curves are joined where they end at each other or on each other, loose ends stay curves, and the regions are read off
//! by walking around each with it on the left, turning as far to the left as the next curve allows. A run that turns the
//! other way round is the outside of what hangs together: a hole in the region it lies in.

use crate::frame::Frame;
use crate::model::Model;
use crate::shape::{Edge, EdgeId, Face, Loop, Lump, Shape, Shell, Use, VertexId};
use crate::surface::Surface;
use hull_geometry::Point;
use hull_geometry::grid;
use hull_geometry::mesh::Bounds;
use hull_geometry::triangulate::goes_around;
use hull_geometry::vector::{cross, distance, dot, norm, scale, sub, unit};
use std::collections::HashMap;
use typed_index_collections::{TiVec, ti_vec};

/// More curves than this are not looked through for ends that lie on each other.
const MOST: usize = 4000;

/// The faces that the wires of a shape enclose, as one open surface; `None` if it has faces already, if its wires do not
/// lie in one plane, or if they enclose nothing.
///
/// Curves with a free end stay curves; with `free_ends` false they are no drawing, and nothing is made of the shape: a
/// frame in space may have flat parts.
pub fn regions(shape: &Shape, free_ends: bool) -> Option<Shape> {
    if !shape.faces.is_empty() || shape.wires.is_empty() || shape.wires.len() > MOST {
        return None;
    }
    let tolerance = shape.tolerance.max(1e-6 * shape.rough_size());
    let mut drawing = Drawing::of(shape, tolerance);
    // Of all curves, also of those that bound nothing: a frame in space is no drawing, though some of it be flat.
    let plane = drawing.plane(tolerance)?;
    drawing.split(tolerance);
    let loose = drawing.take_loose_ends();
    if !free_ends && !loose.is_empty() {
        return None;
    }
    let runs = drawing.runs(&plane);
    let faces = nested(&runs);
    if faces.is_empty() {
        return None;
    }
    let mut out = Shape { vertices: drawing.vertices, tolerance, ..Default::default() };
    for stretch in drawing.stretches {
        stretch.put_into(&mut out);
    }
    let surface = out.add_surface(Surface::Plane(plane));
    for (i, loops) in faces.iter().enumerate() {
        let of = |run: &usize| Loop {
            uses: runs[*run].sides.iter().map(|s| Use { edge: s.edge, forward: s.forward, hint: None }).collect(),
        };
        out.faces.push(Face {
            surface,
            same_sense: true,
            loops: loops.iter().map(of).collect(),
            name: format!("region {}", i + 1),
            colour: None,
            layer: None,
        });
    }
    for stretch in loose {
        let made = stretch.put_into(&mut out);
        out.wires.push(made);
    }
    let all = out.faces.keys().map(|f| (f, true)).collect();
    out.lumps.push(Lump {
        name: String::new(),
        colour: None,
        closed: false,
        outer: Shell { faces: all },
        voids: Vec::new(),
    });
    Some(out)
}

/// The plane in which all points lie within ten tolerances, facing along the positive axis nearest to it.
fn plane_of(all: &[Point], tolerance: f64) -> Option<Frame> {
    let origin = *all.first()?;
    let farthest = |measure: &dyn Fn(Point) -> f64| {
        all.iter().copied().max_by(|a, b| measure(*a).total_cmp(&measure(*b))).unwrap_or(origin)
    };
    let x = unit(sub(farthest(&|p| distance(p, origin)), origin))?;
    let aside = farthest(&|p| norm(cross(x, sub(p, origin))));
    let mut normal = unit(cross(x, sub(aside, origin)))?;
    let most = (0..3).fold(0, |m, k| if normal[k].abs() > normal[m].abs() { k } else { m });
    if normal[most] < 0.0 {
        normal = scale(normal, -1.0);
    }
    let flat = all.iter().all(|p| dot(sub(*p, origin), normal).abs() <= 10.0 * tolerance);
    flat.then(|| Frame::new(origin, normal, None))
}

/// Whether the curves without a face of all places of a model lie in one plane.
pub fn are_in_one_plane(model: &Model) -> bool {
    let along = |edge: &Edge| {
        let [a, b] = edge.range;
        [0.0, 0.25, 0.5, 0.75, 1.0].map(|t| edge.curve.point(a + (b - a) * t))
    };
    let places = model.occurrences().flat_map(|(node, part)| {
        let points = part.shape.wires.iter().flat_map(move |w| along(&part.shape.edges[*w]));
        points.map(|p| node.placement.point(p))
    });
    let all: Vec<Point> = places.collect();
    plane_of(&all, 1e-6 * Bounds::of(all.iter().copied()).diagonal()).is_some()
}

/// One way along an edge.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
struct Side {
    edge: EdgeId,
    forward: bool,
}

/// A closed run of sides, with the area to its left and its corners in the plane.
struct Run {
    sides: Vec<Side>,
    area: f64,
    polygon: Vec<[f64; 2]>,
}

/// A curve between places where it meets others, or ends, with its name.
struct Stretch {
    edge: Edge,
    name: Option<String>,
}

impl Stretch {
    fn put_into(self, shape: &mut Shape) -> EdgeId {
        let made = shape.edges.push_and_get_key(self.edge);
        if let Some(name) = self.name {
            shape.edge_names.insert(made, name);
        }
        made
    }
}

/// Curves between places where they meet.
struct Drawing {
    vertices: TiVec<VertexId, Point>,
    stretches: TiVec<EdgeId, Stretch>,
}

impl Drawing {
    /// The wires of a shape, ends that are near each other made one.
    fn of(shape: &Shape, tolerance: f64) -> Drawing {
        let mut vertices: TiVec<VertexId, Point> = TiVec::new();
        let mut cells: HashMap<[i64; 3], Vec<VertexId>> = HashMap::new();
        let mut vertex = |p: Point| {
            let cell = grid::cell(p, tolerance);
            let near = grid::around(cell).filter_map(|c| cells.get(&c)).flatten().copied();
            let known = near.filter(|v| distance(vertices[*v], p) <= tolerance).min();
            known.unwrap_or_else(|| {
                let made = vertices.push_and_get_key(p);
                cells.entry(cell).or_default().push(made);
                made
            })
        };
        let stretches = shape
            .wires
            .iter()
            .map(|w| {
                let edge = &shape.edges[*w];
                let ends = edge.ends.map(|v| vertex(shape.vertices[v]));
                Stretch { edge: Edge { ends, ..edge.clone() }, name: shape.edge_names.get(w).cloned() }
            })
            .collect();
        Drawing { vertices, stretches }
    }

    /// Splits curves where another one ends on them.
    fn split(&mut self, tolerance: f64) {
        for (v, &place) in self.vertices.iter_enumerated() {
            for e in self.stretches.keys() {
                let Stretch { edge, name } = &self.stretches[e];
                if edge.ends.contains(&v) {
                    continue;
                }
                let (t, far) = edge.curve.nearest(place, edge.range);
                if far <= tolerance && t > edge.range[0] && t < edge.range[1] {
                    let rest = Edge { curve: edge.curve.clone(), range: [t, edge.range[1]], ends: [v, edge.ends[1]] };
                    let rest = Stretch { edge: rest, name: name.clone() };
                    let edge = &mut self.stretches[e].edge;
                    edge.range[1] = t;
                    edge.ends[1] = v;
                    self.stretches.push(rest);
                }
            }
        }
    }

    /// Takes curves out that end nowhere, until none is left; they are what is returned.
    fn take_loose_ends(&mut self) -> Vec<Stretch> {
        let mut out = Vec::new();
        loop {
            let mut at: TiVec<VertexId, u32> = ti_vec![0; self.vertices.len()];
            self.stretches.iter().flat_map(|s| s.edge.ends).for_each(|v| at[v] += 1);
            let is_loose = |s: &mut Stretch| s.edge.ends.iter().any(|v| at[*v] < 2);
            let loose: Vec<Stretch> = self.stretches.raw.extract_if(.., is_loose).collect();
            if loose.is_empty() {
                return out;
            }
            out.extend(loose);
        }
    }

    /// Places along an edge, its ends among them.
    fn along(&self, edge: &Edge) -> Vec<Point> {
        let mut out = vec![edge.curve.point(edge.range[0])];
        for w in edge.curve.breaks(edge.range).windows(2) {
            let steps = if edge.curve.is_straight() { 1 } else { 12 };
            out.extend((1..=steps).map(|i| edge.curve.point(w[0] + (w[1] - w[0]) * f64::from(i) / f64::from(steps))));
        }
        out
    }

    /// The plane in which all curves lie, facing along the positive axis nearest to it.
    fn plane(&self, tolerance: f64) -> Option<Frame> {
        let all: Vec<Point> = self.stretches.iter().flat_map(|s| self.along(&s.edge)).collect();
        plane_of(&all, tolerance)
    }

    fn start(&self, s: Side) -> VertexId {
        self.stretches[s.edge].edge.ends[usize::from(!s.forward)]
    }

    /// Places along a side in its direction.
    fn run_along(&self, s: Side) -> Vec<Point> {
        let mut places = self.along(&self.stretches[s.edge].edge);
        if !s.forward {
            places.reverse();
        }
        places
    }

    /// All closed runs, each with what it goes around on its left.
    fn runs(&self, plane: &Frame) -> Vec<Run> {
        let sides = self.stretches.keys().flat_map(|edge| [true, false].map(|forward| Side { edge, forward }));
        // The sides that leave each place, by direction: where they are soon, as curves may be tangent to each other.
        let mut leaving: HashMap<VertexId, Vec<(f64, Side)>> = HashMap::new();
        for s in sides.clone() {
            let Edge { curve, range: [a, b], .. } = &self.stretches[s.edge].edge;
            let (from, soon) = if s.forward { (*a, a + 0.02 * (b - a)) } else { (*b, b - 0.02 * (b - a)) };
            let d = plane.local(curve.point(soon));
            let o = plane.local(curve.point(from));
            leaving.entry(self.start(s)).or_default().push(((d[1] - o[1]).atan2(d[0] - o[0]), s));
        }
        leaving.values_mut().for_each(|list| list.sort_by(|a, b| a.0.total_cmp(&b.0)));
        let next = |s: Side| {
            let back = Side { forward: !s.forward, ..s };
            let list = &leaving[&self.start(back)];
            let at = list.iter().position(|x| x.1 == back).unwrap_or(0);
            // Clockwise from the way back is the sharpest turn to the left.
            list[(at + list.len() - 1) % list.len()].1
        };
        let mut seen: HashMap<Side, bool> = HashMap::new();
        let mut out = Vec::new();
        for first in sides {
            if seen.contains_key(&first) {
                continue;
            }
            let mut run = Run { sides: Vec::new(), area: 0.0, polygon: Vec::new() };
            let mut s = first;
            while seen.insert(s, true).is_none() {
                run.sides.push(s);
                let places = self.run_along(s);
                run.polygon.extend(places[..places.len() - 1].iter().map(|p| {
                    let l = plane.local(*p);
                    [l[0], l[1]]
                }));
                s = next(s);
            }
            run.area = area(&run.polygon);
            out.push(run);
        }
        out
    }
}

fn area(polygon: &[[f64; 2]]) -> f64 {
    let n = polygon.len();
    (0..n).map(|i| (polygon[i], polygon[(i + 1) % n])).map(|(p, q)| p[0] * q[1] - p[1] * q[0]).sum::<f64>() / 2.0
}

/// For each region its own run and those of its holes.
fn nested(runs: &[Run]) -> Vec<Vec<usize>> {
    let mut faces: Vec<Vec<usize>> = (0..runs.len()).filter(|r| runs[*r].area > 0.0).map(|r| vec![r]).collect();
    faces.sort_by(|a, b| runs[b[0]].area.total_cmp(&runs[a[0]].area));
    for hole in (0..runs.len()).filter(|r| runs[*r].area < 0.0) {
        // The smallest region around it that is none of its own pieces.
        let own = |r: usize| runs[r].sides.iter().any(|s| runs[hole].sides.iter().any(|h| h.edge == s.edge));
        let around = |loops: &&mut Vec<usize>| {
            let outer = &runs[loops[0]];
            outer.area > -runs[hole].area && !own(loops[0]) && goes_around(&outer.polygon, runs[hole].polygon[0])
        };
        if let Some(loops) = faces.iter_mut().rev().find(around) {
            loops.push(hole);
        }
    }
    faces
}
