//! Edits that stay exact: features bounded by inner loops of a face are taken away, and the loop closes.

use crate::shape::{EdgeId, Face, FaceId, Loop, Shape};
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::{add, distance, scale};
use std::collections::{BTreeMap, BTreeSet, VecDeque};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// A loop of a face: which face, and the how-manieth of its loops.
pub type LoopAt = (FaceId, usize);

/// A hole, pocket or raised feature: faces that hang together inside inner loops of others.
#[derive(Clone, Debug, PartialEq)]
pub struct Feature {
    /// The faces that go.
    pub walls: Vec<FaceId>,
    /// Face and index of each loop that closes.
    pub loops: Vec<LoopAt>,
    /// Across the largest of the loops.
    pub diameter: f64,
    /// Its centre.
    pub centre: Point,
}

/// All features of a shape, each once, in the order of the faces they sit in.
pub fn features(shape: &Shape) -> Vec<Feature> {
    let mut users: TiVec<EdgeId, Vec<LoopAt>> = ti_vec![Vec::new(); shape.edges.len()];
    for (f, face) in shape.faces.iter_enumerated() {
        for (l, bound) in face.loops.iter().enumerate() {
            for u in &bound.uses {
                users[u.edge].push((f, l));
            }
        }
    }
    let inner: TiVec<FaceId, Vec<bool>> = shape.faces.iter().map(|f| inner_loops(shape, f)).collect();
    let bounds: TiVec<FaceId, Bounds> = shape.faces.iter().map(|f| bounds_of(shape, f)).collect();
    let whole = around(bounds.iter());
    let mut seen = BTreeSet::new();
    let mut out = Vec::new();
    for (f, face) in shape.faces.iter_enumerated() {
        for l in (0..face.loops.len()).filter(|&l| inner[f][l]) {
            if seen.contains(&(f, l)) {
                continue;
            }
            let found = feature_at(shape, &users, &inner, (f, l));
            if let Some(found) = found.filter(|f| is_part(&f.walls, &bounds, whole)) {
                seen.extend(found.loops.iter().copied());
                out.push(found);
            }
        }
    }
    out
}

fn loop_points<'a>(shape: &'a Shape, l: &'a Loop) -> impl Iterator<Item = Point> + 'a {
    l.uses.iter().flat_map(|u| {
        let e = &shape.edges[u.edge];
        (0..=8).map(|i| e.curve.point(e.range[0] + (e.range[1] - e.range[0]) * f64::from(i) / 8.0))
    })
}

fn span(shape: &Shape, l: &Loop) -> (Point, f64) {
    let points: Vec<Point> = loop_points(shape, l).collect();
    let centre = Bounds::of(points.iter().copied()).centre();
    let reach = points.iter().map(|p| distance(*p, centre)).fold(0.0, f64::max);
    (centre, 2.0 * reach)
}

/// Which loops of a face bound holes in it: all but the widest, and none that go round a closed surface.
fn inner_loops(shape: &Shape, face: &Face) -> Vec<bool> {
    let n = face.loops.len();
    if n < 2 {
        return vec![false; n];
    }
    let widths: Vec<f64> = face.loops.iter().map(|l| span(shape, l).1).collect();
    let widest = (0..n).fold(0, |best, i| if widths[i] > widths[best] { i } else { best });
    let surface = &shape.surfaces[face.surface];
    if surface.periods() == [None, None] {
        return (0..n).map(|i| i != widest).collect();
    }
    let mut samples = ti_vec![crate::parameter_loops::Sampled::default(); shape.edges.len()];
    for u in face.loops.iter().flat_map(|l| &l.uses) {
        samples[u.edge] = crate::sample::evenly_along(&shape.edges[u.edge], 6);
    }
    let round = crate::parameter_loops::windings(shape, face, &samples, &crate::locate::Locator::new(surface));
    let any_round = round.iter().any(|w| *w != [0, 0]);
    (0..n).map(|i| round[i] == [0, 0] && (any_round || i != widest)).collect()
}

fn bounds_of(shape: &Shape, face: &Face) -> Bounds {
    Bounds::of(face.loops.iter().flat_map(|l| loop_points(shape, l)))
}

/// Whether walls reach less far than what would be left: else they are the body, and the rest is the feature.
fn is_part(walls: &[FaceId], bounds: &TiSlice<FaceId, Bounds>, whole: f64) -> bool {
    let reach = around(walls.iter().map(|w| &bounds[*w]));
    // What is left is at least so far across.
    if reach < 0.5 * whole {
        return true;
    }
    let rest = bounds.keys().filter(|f| walls.binary_search(f).is_err());
    reach < around(rest.map(|f| &bounds[f]))
}

/// How far across several boxes are together.
fn around<'b>(boxes: impl Iterator<Item = &'b Bounds>) -> f64 {
    boxes.filter(|b| !b.is_empty()).fold(Bounds::EMPTY, |a, b| a.union(*b)).diagonal()
}

/// The feature whose walls start at loop `l` of face `f`; `None` if they lead back to that face.
fn feature_at(
    shape: &Shape,
    users: &TiSlice<EdgeId, Vec<LoopAt>>,
    inner: &TiSlice<FaceId, Vec<bool>>,
    (f, l): LoopAt,
) -> Option<Feature> {
    let mut loops = BTreeSet::from([(f, l)]);
    let mut walls = BTreeSet::new();
    let mut list: VecDeque<LoopAt> = VecDeque::from([(f, l)]);
    while let Some((face, bound)) = list.pop_front() {
        for u in &shape.faces[face].loops[bound].uses {
            for &(g, m) in &users[u.edge] {
                if (g, m) == (face, bound) || walls.contains(&g) || loops.contains(&(g, m)) {
                    continue;
                }
                if inner[g][m] && !walls.contains(&g) {
                    // Another face's inner loop: the far side of a hole that goes through.
                    loops.insert((g, m));
                    list.push_back((g, m));
                } else if g == f {
                    return None;
                } else {
                    walls.insert(g);
                    list.extend((0..shape.faces[g].loops.len()).map(|k| (g, k)));
                }
            }
        }
    }
    loops.retain(|(g, _)| !walls.contains(g));
    // A face that stands must keep its outer bound.
    if walls.is_empty() || loops.iter().any(|(g, m)| !inner[*g][*m]) {
        return None;
    }
    let spans: Vec<(Point, f64)> = loops.iter().map(|(g, m)| span(shape, &shape.faces[*g].loops[*m])).collect();
    let sum = spans.iter().fold([0.0; 3], |s, (c, _)| add(s, *c));
    Some(Feature {
        walls: walls.into_iter().collect(),
        diameter: spans.iter().map(|s| s.1).fold(0.0, f64::max),
        centre: scale(sum, 1.0 / spans.len() as f64),
        loops: loops.into_iter().collect(),
    })
}

/// The shape without some features.
pub fn without_features(shape: &Shape, gone: &[Feature]) -> Shape {
    let mut out = shape.clone();
    let mut loops: BTreeMap<FaceId, BTreeSet<usize>> = BTreeMap::new();
    for (f, l) in gone.iter().flat_map(|g| &g.loops) {
        loops.entry(*f).or_default().insert(*l);
    }
    for (f, which) in loops {
        let mut i = 0;
        out.faces[f].loops.retain(|_| {
            i += 1;
            !which.contains(&(i - 1))
        });
    }
    let walls: BTreeSet<FaceId> = gone.iter().flat_map(|g| g.walls.iter().copied()).collect();
    without_faces(&out, &walls)
}

/// The shape without some faces; solids that lose one become open shells, unless nothing is left open.
pub fn without_faces(shape: &Shape, gone: &BTreeSet<FaceId>) -> Shape {
    let mut out = shape.clone();
    let mut number: TiVec<FaceId, FaceId> = ti_vec![FaceId(0); shape.faces.len()];
    for (f, face) in std::mem::take(&mut out.faces).into_iter_enumerated() {
        number[f] = out.faces.next_key();
        if !gone.contains(&f) {
            out.faces.push(face);
        }
    }
    for lump in &mut out.lumps {
        for shell in std::iter::once(&mut lump.outer).chain(&mut lump.voids) {
            shell.faces.retain(|(f, _)| !gone.contains(f));
            shell.faces.iter_mut().for_each(|x| x.0 = number[x.0]);
        }
        lump.voids.retain(|v| !v.faces.is_empty());
    }
    out.lumps.retain(|l| !l.outer.faces.is_empty());
    let uses = out.uses_of_edges();
    for lump in &mut out.lumps {
        let open = std::iter::once(&lump.outer)
            .chain(&lump.voids)
            .flat_map(|shell| &shell.faces)
            .any(|(f, _)| out.faces[*f].loops.iter().flat_map(|l| &l.uses).any(|u| uses[u.edge] == 1));
        lump.closed &= !open;
    }
    out
}
