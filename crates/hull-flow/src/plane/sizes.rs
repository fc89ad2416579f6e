//! Triangles whose size depends on the place: lines are divided by it first, then places are put into the regions until every
//! triangle is as small as it should be.

use super::{Asked, Cdt, PlaneError, Segment, Square, Where, constrained, depths, distance, divided, kept};
use hull_geometry::grid;
use rstar::primitives::Line;
use rstar::{PointDistance, RTree};
use spade::{Point2, PositionInTriangulation, Triangulation};
use std::collections::HashSet;

/// Rounds of putting places in.
const ROUNDS: usize = 60;
/// A triangle is too large if its circumcircle is larger than that of an even one by this.
const TOO_LARGE: f64 = 1.25;
/// Places nearer to another one than this part of the size are not put in.
const APART: f64 = 0.6;
/// Lines are divided into so many pieces at most.
const MOST_PIECES: f64 = 2_000_000.0;

/// How large triangles are, by place.
pub(super) struct Sizes {
    most: f64,
    growth: f64,
    /// What is finer, with its size; a place is a line without length.
    finer: Vec<(f64, RTree<Line<[f64; 2]>>)>,
}

impl Sizes {
    fn at(&self, p: [f64; 2]) -> f64 {
        let near = |(size, tree): &(f64, RTree<Line<[f64; 2]>>)| {
            let away = tree.nearest_neighbor(p).map_or(f64::INFINITY, |l| l.distance_2(&p).sqrt());
            // The sizes of a geometric series, by how far it has come.
            size + (self.growth - 1.0) * away
        };
        self.finer.iter().map(near).fold(self.most, f64::min)
    }
}

/// The lines around the region that a place lies in.
fn border(cdt: &Cdt, square: &Square, at: [f64; 2]) -> Vec<Line<[f64; 2]>> {
    let PositionInTriangulation::OnFace(face) = cdt.locate(square.of(at)) else { return Vec::new() };
    let depth = depths(cdt);
    let group = depth[face.index()];
    let mut out = Vec::new();
    for face in cdt.inner_faces().filter(|f| depth[f.fix().index()] == group) {
        for edge in face.adjacent_edges().into_iter().filter(|e| e.is_constraint_edge()) {
            let [a, b] = edge.vertices().map(|v| square.back(v.position()));
            out.push(Line::new(a, b));
        }
    }
    out
}

/// A place in each region that is finer all over, with the size there.
pub(super) type Regions = Vec<([f64; 2], f64)>;

pub(super) fn sizes(segments: &[Segment], asked: &Asked, square: &Square) -> Result<(Sizes, Regions), PlaneError> {
    let (mut finer, mut regions) = (Vec::new(), Vec::new());
    for wish in &asked.finer {
        let lines = match wish.at {
            Where::Line(name) => {
                segments.iter().filter(|s| s.name == name).map(|s| Line::new(s.ends[0], s.ends[1])).collect()
            }
            Where::Point(p) => vec![Line::new(p, p)],
            Where::Region(p) => {
                regions.push((p, wish.size));
                border(&divided(segments, square)?, square, p)
            }
        };
        finer.push((wish.size, RTree::bulk_load(lines)));
    }
    Ok((Sizes { most: asked.size, growth: asked.growth.max(1.01), finer }, regions))
}

/// A line in pieces no longer than triangles should be there.
pub(super) fn pieces(segment: &Segment, sizes: &Sizes, out: &mut Vec<Segment>) {
    let [a, b] = segment.ends;
    let length = distance(a, b);
    // Where along it each piece ends: as many sizes as fit, then stretched to end where it ends.
    let mut ends = vec![0.0];
    let mut at = 0.0;
    while at < length {
        let p = [0, 1].map(|k| a[k] + (b[k] - a[k]) * (at / length));
        let first = sizes.at(p);
        let next = [0, 1].map(|k| a[k] + (b[k] - a[k]) * ((at + first).min(length) / length));
        at += 0.5 * (first + sizes.at(next));
        ends.push(at);
    }
    let whole = ends[ends.len() - 1];
    let place = |t: f64| [0, 1].map(|k| a[k] + (b[k] - a[k]) * (t / whole));
    let last = ends.len() - 1;
    let corner = |i: usize| {
        if i == last {
            b
        } else if i == 0 {
            a
        } else {
            place(ends[i])
        }
    };
    out.extend((0..last).map(|i| Segment { ends: [corner(i), corner(i + 1)], ..*segment }));
}

/// The plane divided by lines, with places between them so that triangles are of the sizes asked. The tops of layers are
/// lines that are divided already.
pub(super) fn graded(
    (segments, tops): (&[Segment], &[[[f64; 2]; 2]]),
    asked: &Asked,
    (sizes, regions): (&Sizes, &Regions),
    square: &Square,
) -> Result<Cdt, PlaneError> {
    let least = asked.finer.iter().map(|f| f.size).fold(asked.size, f64::min);
    let along: f64 = segments.iter().map(|s| distance(s.ends[0], s.ends[1])).sum();
    if least.is_nan() || least <= 0.0 || along / least > MOST_PIECES {
        return Err(PlaneError::TooMany(along / least));
    }
    // Lines meet in corners of their own first, so that pieces of one do not cross pieces of another.
    let met = divided(segments, square)?;
    let mut fine: Vec<[Point2<f64>; 2]> = tops.iter().map(|ends| ends.map(|p| square.of(p))).collect();
    for edge in met.undirected_edges().filter(|e| e.is_constraint_edge()) {
        // Where lines end, they end at the same place digit for digit, whatever is made of it on the way.
        let ends = edge.vertices().map(|v| v.position());
        let mut own = Vec::new();
        pieces(&Segment { ends: ends.map(|p| square.back(p)), name: 0 }, sizes, &mut own);
        let last = own.len() - 1;
        let at = |k: usize, end: usize, p: [f64; 2]| match (k, end) {
            (0, 0) => ends[0],
            (k, 1) if k == last => ends[1],
            _ => square.of(p),
        };
        fine.extend(own.iter().enumerate().map(|(k, s)| [at(k, 0, s.ends[0]), at(k, 1, s.ends[1])]));
    }
    let mut cdt = constrained(fine.into_iter())?;
    let mut count = cdt.num_vertices();
    for _ in 0..ROUNDS {
        let found = wanted(&cdt, asked.holes, sizes, regions, square);
        let mut some = false;
        for (p, size) in found {
            if is_apart(&cdt, p, APART * size / square.size) && cdt.insert(p).is_ok() {
                some = true;
                count += 1;
            }
            if count > super::MOST_POINTS {
                return Err(PlaneError::TooMany(2.0 * count as f64));
            }
        }
        if !some {
            break;
        }
    }
    Ok(cdt)
}

/// The middles of circumcircles of triangles that are too large, with the size that is wanted there.
fn wanted(
    cdt: &Cdt,
    holes: bool,
    sizes: &Sizes,
    regions: &[([f64; 2], f64)],
    square: &Square,
) -> Vec<(Point2<f64>, f64)> {
    let depth = depths(cdt);
    let own: Vec<((usize, usize), f64)> = regions
        .iter()
        .filter_map(|(p, size)| match cdt.locate(square.of(*p)) {
            PositionInTriangulation::OnFace(face) => Some((depth[face.index()], *size)),
            PositionInTriangulation::OnEdge(edge) => {
                let face = cdt.directed_edge(edge).face().as_inner()?;
                Some((depth[face.fix().index()], *size))
            }
            PositionInTriangulation::OnVertex(v) => {
                let face = cdt.vertex(v).out_edges().find_map(|e| e.face().as_inner())?;
                Some((depth[face.fix().index()], *size))
            }
            _ => None,
        })
        .collect();
    let target = |group: (usize, usize), p: [f64; 2]| {
        let region = own.iter().filter(|o| o.0 == group).map(|o| o.1);
        region.fold(sizes.at(p), f64::min)
    };
    let mut taken = HashSet::new();
    let mut out = Vec::new();
    for face in cdt.inner_faces() {
        let group = depth[face.fix().index()];
        if !kept(group.0, holes) {
            continue;
        }
        let (centre, radius_2) = face.circumcircle();
        let middle = face.center();
        let size = target(group, square.back(middle));
        let radius = radius_2.sqrt() * square.size;
        // An even triangle of sides s has a circumcircle of radius s / √3.
        if radius * 3.0_f64.sqrt() <= TOO_LARGE * size {
            continue;
        }
        let at = match cdt.locate(centre) {
            PositionInTriangulation::OnFace(f) if depth[f.index()] == group && !is_near_a_line(cdt, f, centre) => {
                centre
            }
            // Beyond a line, or at one: the triangle's own middle, if that is far enough from its corners.
            _ => middle,
        };
        let key = [at.x, at.y].map(|x| grid::index(x * square.size, 0.5 * size));
        if taken.insert(key) {
            out.push((at, size));
        }
    }
    out
}

/// Whether a place lies in a triangle, and so far from its corners: the nearest ones, or nearly.
fn is_apart(cdt: &Cdt, p: Point2<f64>, by: f64) -> bool {
    let PositionInTriangulation::OnFace(face) = cdt.locate(p) else { return false };
    cdt.face(face).vertices().into_iter().map(|v| v.position()).all(|q| (q.x - p.x).hypot(q.y - p.y) > by)
}

/// Whether a place lies within the circle over a side of its face that is a piece of a line.
fn is_near_a_line(cdt: &Cdt, face: spade::handles::FixedFaceHandle<spade::handles::InnerTag>, p: Point2<f64>) -> bool {
    cdt.face(face).adjacent_edges().into_iter().filter(|e| e.is_constraint_edge()).any(|e| {
        let [a, b] = e.vertices().map(|v| v.position());
        (a.x - p.x) * (b.x - p.x) + (a.y - p.y) * (b.y - p.y) < 0.0
    })
}
