//! Regions of the plane between lines, and triangles in them: constrained Delaunay refinement (J. Ruppert 1995, J. Shewchuk 2002, by
//! the `spade` crate). [`sizes`] makes them smaller by place, [`layers`] lays flat cells along
//! walls, [`quads`] joins them in pairs.

mod layers;
pub mod quads;
mod sizes;
mod strips;

use hull_geometry::NONE;
use spade::handles::{FaceHandle, FixedVertexHandle, InnerTag};
use spade::{AngleLimit, CdtEdge, ConstrainedDelaunayTriangulation, Point2, RefinementParameters, Triangulation};
use std::collections::{BTreeMap, HashMap, VecDeque};
use strips::{Strips, Tops, bits};

/// A straight line in the plane, with the number of what it belongs to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Segment {
    /// Its ends.
    pub ends: [[f64; 2]; 2],
    /// Of its layer.
    pub name: u32,
}

/// What is asked of a mesh.
#[derive(Clone, Debug, PartialEq)]
pub struct Asked {
    /// Ends this near are one.
    pub tolerance: f64,
    /// Sides of triangles, about.
    pub size: f64,
    /// The least angle in degrees, at most 30; corners of the outlines may be sharper.
    pub angle: f64,
    /// Whether outlines within outlines are holes, and those within holes regions again; else all are regions.
    pub holes: bool,
    /// Where triangles are smaller.
    pub finer: Vec<Finer>,
    /// How much larger a triangle may be than its neighbour away from there: 1.2 for a fifth.
    pub growth: f64,
    /// Flat cells along walls, where they are wished.
    pub layers: Option<Layers>,
}

/// Layers of flat cells along walls.
#[derive(Clone, Debug, PartialEq)]
pub struct Layers {
    /// Numbers of the layers whose lines are walls.
    pub along: Vec<u32>,
    /// Height of the first layer.
    pub first: f64,
    /// How many times higher than the one before each layer is.
    pub growth: f64,
    /// How many.
    pub count: usize,
}

/// Where triangles are smaller than elsewhere, and how small.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Finer {
    /// Where.
    pub at: Where,
    /// Sides of triangles there, about.
    pub size: f64,
}

/// A place where triangles are smaller.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Where {
    /// Along the lines of a layer.
    Line(u32),
    /// Around a place.
    Point([f64; 2]),
    /// All over the region that a place lies in.
    Region([f64; 2]),
}

/// A mesh of the plane.
#[derive(Clone, Debug, Default)]
pub struct Meshed {
    /// Places.
    pub points: Vec<[f64; 2]>,
    /// Anticlockwise.
    pub triangles: Vec<[u32; 3]>,
    /// The region of each triangle; the largest is 0.
    pub region_of: Vec<u32>,
    /// Of each region.
    pub areas: Vec<f64>,
    /// Edges along the lines, with the number of the line's layer.
    pub edges: Vec<([u32; 2], u32)>,
    /// Ends that meet no other, with the distance to the nearest other end.
    pub loose: Vec<([f64; 2], f64)>,
    /// Whether the wanted angle and size were reached everywhere.
    pub complete: bool,
    /// In degrees.
    pub least_angle: f64,
}

/// Shares of the thickness at which layers are tried.
const THINNER: [f64; 6] = [1.0, 0.8, 0.6, 0.4, 0.2, 0.1];
/// Points that refinement may add.
const MOST_POINTS: usize = 3_000_000;

/// Why there is no mesh.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PlaneError {
    /// No line.
    #[error("There are no lines longer than the distance within which ends are joined.")]
    Nothing,
    /// No closed outline.
    #[error("The lines enclose nothing.{0}")]
    Open(String),
    /// Layers without a wall to lie along.
    #[error("None of the lines that layers should lie along bounds a region.")]
    NoWalls,
    /// Layers that overlap however thin they are made.
    #[error("Layers along these walls meet each other; ask for a lower first layer, fewer layers or fewer walls.")]
    NoRoom,
    /// Coordinates that cannot be worked with.
    #[error("The coordinates are too large or too small to work with.")]
    Range,
    /// Far more triangles than anybody wants.
    #[error("About {0:.0} triangles would be made; ask for larger ones.")]
    TooMany(f64),
}

type Cdt = ConstrainedDelaunayTriangulation<Point2<f64>>;
type Face<'a> = FaceHandle<'a, InnerTag, Point2<f64>, (), CdtEdge<()>, ()>;

/// Meshes the regions that lines enclose.
///
/// # Errors
/// [`PlaneError`].
pub fn mesh(segments: &[Segment], asked: &Asked) -> Result<Meshed, PlaneError> {
    let joined = joined(segments, asked.tolerance);
    if joined.is_empty() {
        return Err(PlaneError::Nothing);
    }
    let loose = loose_ends(&joined);
    let all = || joined.iter().flat_map(|s| s.ends);
    let low = all().fold([f64::INFINITY; 2], |m, p| [m[0].min(p[0]), m[1].min(p[1])]);
    let high = all().fold([f64::NEG_INFINITY; 2], |m, p| [m[0].max(p[0]), m[1].max(p[1])]);
    let size = (high[0] - low[0]).max(high[1] - low[1]);
    if !(size > 0.0 && size.is_finite()) {
        return Err(PlaneError::Range);
    }
    let guess = (high[0] - low[0]) * (high[1] - low[1]) / (0.433 * asked.size * asked.size);
    if guess > MOST_POINTS as f64 {
        return Err(PlaneError::TooMany(guess));
    }
    let square = Square { low, size };
    if asked.layers.is_none() {
        return filled(&joined, asked, &square, 1.0, loose);
    }
    // What is made has to fill the regions once. Where layers meet in spite of all care they are made thinner.
    let exact = area_within(&divided(&joined, &square)?, asked.holes, &square);
    for thinner in THINNER {
        let made = filled(&joined, asked, &square, thinner, loose.clone())?;
        let all: f64 = made.areas.iter().sum();
        let turned = made.triangles.iter().any(|t| twice_area(t.map(|p| made.points[p as usize])) <= 0.0);
        if (all - exact).abs() <= 1e-9 * exact && !turned {
            return Ok(made);
        }
    }
    Err(PlaneError::NoRoom)
}

/// The area of all regions.
fn area_within(cdt: &Cdt, holes: bool, square: &Square) -> f64 {
    let depth = depths(cdt);
    let inside = cdt.inner_faces().filter(|f| kept(depth[f.fix().index()].0, holes));
    inside.map(|f| twice_area(f.vertices().map(|v| square.back(v.position()))) / 2.0).sum()
}

/// Meshes regions; layers are `thinner` than they would be.
fn filled(
    joined: &[Segment],
    asked: &Asked,
    square: &Square,
    thinner: f64,
    loose: Vec<([f64; 2], f64)>,
) -> Result<Meshed, PlaneError> {
    let outside = |p: Point2<f64>| square.back(p);
    let (wanted, regions) = sizes::sizes(joined, asked, square)?;
    let laid = asked.layers.as_ref().map(|l| layers::laid(joined, (asked, thinner), l, &wanted, square)).transpose()?;
    let (lines, tops) = laid.as_ref().map_or((joined, &[][..]), |l| (&l.rest, &l.tops));
    let mut cdt = if asked.finer.is_empty() && laid.is_none() {
        divided(joined, square)?
    } else {
        sizes::graded((lines, tops), asked, (&wanted, &regions), square)?
    };
    let parameters = RefinementParameters::<f64>::new()
        .exclude_outer_faces(!regions_touch(&cdt, asked.holes))
        .with_angle_limit(AngleLimit::from_deg(asked.angle.clamp(0.0, 30.0)))
        .with_max_allowed_area(0.433 * (asked.size / square.size).powi(2))
        .with_max_additional_vertices(MOST_POINTS);
    // The tops of layers are divided already, as the walls are.
    let parameters = if laid.is_some() { parameters.keep_constraint_edges() } else { parameters };
    let refined = cdt.refine(parameters);
    let depth = depths(&cdt);
    let top = Tops::of(&cdt, tops, &depth, square);
    let mut out = Meshed { loose, complete: refined.refinement_complete, least_angle: 180.0, ..Meshed::default() };
    let mut number = vec![NONE; cdt.num_vertices()];
    let mut region: Vec<usize> = Vec::new();
    let mut area: BTreeMap<usize, f64> = BTreeMap::new();
    for face in cdt.inner_faces() {
        let (d, group) = depth[face.fix().index()];
        if !kept(d, asked.holes) || top.beneath.contains(&group) {
            continue;
        }
        let corners = face.vertices().map(|v| {
            let own = &mut number[v.fix().index()];
            if *own == NONE {
                *own = out.points.len() as u32;
                out.points.push(outside(v.position()));
            }
            *own
        });
        out.triangles.push(corners);
        let p = corners.map(|c| out.points[c as usize]);
        *area.entry(group).or_default() += twice_area(p) / 2.0;
        out.least_angle = out.least_angle.min(least_angle(p));
        region.push(group);
    }
    if let Some(laid) = &laid {
        let numbered = number.iter().enumerate().filter(|(_, n)| **n != NONE);
        let place: HashMap<[u64; 2], u32> =
            numbered.map(|(v, n)| (bits(cdt.vertex(FixedVertexHandle::from_index(v)).position()), *n)).collect();
        let mut strips = Strips { out: &mut out, place, square, joined, near: HashMap::new() };
        for strip in &laid.strips {
            let group = top.region_of(strip, square);
            for (t, a) in strips.add(strip) {
                *area.entry(group).or_default() += a;
                strips.out.triangles.push(t);
                region.push(group);
            }
        }
        out.complete &= out.least_angle + 1e-9 >= asked.angle.clamp(0.0, 30.0);
    }
    if out.triangles.is_empty() {
        return Err(PlaneError::Open(told(&out.loose)));
    }
    let mut order: Vec<(usize, f64)> = area.into_iter().collect();
    order.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
    let rank: HashMap<usize, u32> = order.iter().zip(0..).map(|((g, _), r)| (*g, r)).collect();
    out.region_of = region.iter().map(|g| rank[g]).collect();
    out.areas = order.into_iter().map(|o| o.1).collect();
    for edge in cdt.undirected_edges().filter(|e| e.is_constraint_edge()) {
        let [a, b] = edge.vertices().map(|v| number[v.fix().index()]);
        if a == NONE || b == NONE {
            continue;
        }
        if top.has(edge.vertices().map(|v| v.position())) {
            continue;
        }
        let middle = [0, 1].map(|k| 0.5 * (out.points[a as usize][k] + out.points[b as usize][k]));
        out.edges.push(([a, b], nearest(joined, middle)));
    }
    Ok(out)
}

/// The square of size one about the origin in which every number is a good one, and where it lies.
struct Square {
    low: [f64; 2],
    size: f64,
}

impl Square {
    fn of(&self, p: [f64; 2]) -> Point2<f64> {
        Point2::new((p[0] - self.low[0]) / self.size - 0.5, (p[1] - self.low[1]) / self.size - 0.5)
    }

    fn back(&self, p: Point2<f64>) -> [f64; 2] {
        [(p.x + 0.5) * self.size + self.low[0], (p.y + 0.5) * self.size + self.low[1]]
    }
}

/// The plane divided by lines, which are divided where they cross.
fn divided(segments: &[Segment], square: &Square) -> Result<Cdt, PlaneError> {
    constrained(segments.iter().map(|s| s.ends.map(|p| square.of(p))))
}

/// The same by lines in the square.
fn constrained(lines: impl Iterator<Item = [Point2<f64>; 2]>) -> Result<Cdt, PlaneError> {
    let mut cdt = Cdt::new();
    for ends in lines {
        let [a, b] = ends.map(|p| cdt.insert(p));
        let (Ok(a), Ok(b)) = (a, b) else { return Err(PlaneError::Range) };
        if a != b {
            cdt.add_constraint_and_split(a, b, |v| v);
        }
    }
    Ok(cdt)
}

/// Ends that are near become one; what has no length then goes.
fn joined(segments: &[Segment], tolerance: f64) -> Vec<Segment> {
    let mut cells: HashMap<[i64; 2], Vec<usize>> = HashMap::new();
    let mut places: Vec<[f64; 2]> = Vec::new();
    let width = tolerance.max(f64::MIN_POSITIVE);
    let cell = |p: [f64; 2]| p.map(|x| (x / width).floor().clamp(-9e17, 9e17) as i64);
    let mut one = |p: [f64; 2]| -> [f64; 2] {
        let [i, j] = cell(p);
        let around = (-1..=1).flat_map(|a| (-1..=1).map(move |b| [i.saturating_add(a), j.saturating_add(b)]));
        let near = around.filter_map(|c| cells.get(&c)).flatten().copied();
        let near = near.map(|k| (k, distance(places[k], p))).filter(|x| x.1 <= tolerance);
        if let Some((k, _)) = near.min_by(|a, b| a.1.total_cmp(&b.1)) {
            return places[k];
        }
        places.push(p);
        cells.entry([i, j]).or_default().push(places.len() - 1);
        p
    };
    let moved = segments.iter().map(|s| Segment { ends: s.ends.map(&mut one), ..*s });
    moved.filter(|s| s.ends[0] != s.ends[1]).collect()
}

fn distance(a: [f64; 2], b: [f64; 2]) -> f64 {
    (a[0] - b[0]).hypot(a[1] - b[1])
}

/// Ends at which one line ends and no other passes.
fn loose_ends(segments: &[Segment]) -> Vec<([f64; 2], f64)> {
    let key = |p: [f64; 2]| p.map(f64::to_bits);
    let mut at: HashMap<[u64; 2], usize> = HashMap::new();
    segments.iter().flat_map(|s| s.ends).for_each(|p| *at.entry(key(p)).or_default() += 1);
    let alone: Vec<[f64; 2]> = segments.iter().flat_map(|s| s.ends).filter(|p| at[&key(*p)] == 1).collect();
    let on_a_line = |p: [f64; 2]| {
        let rest = segments.iter().filter(|s| !s.ends.contains(&p));
        rest.map(|s| beside(s, p)).fold(f64::INFINITY, f64::min)
    };
    let near = |p: [f64; 2]| {
        let ends = segments.iter().flat_map(|s| s.ends).filter(|q| *q != p);
        ends.map(|q| distance(p, q)).fold(f64::INFINITY, f64::min)
    };
    let few = alone.into_iter().take(1000).filter(|p| on_a_line(*p) > 0.0);
    few.map(|p| (p, near(p))).collect()
}

/// How far a point is from a segment.
fn beside(s: &Segment, p: [f64; 2]) -> f64 {
    let [a, b] = s.ends;
    let d = [b[0] - a[0], b[1] - a[1]];
    let t = ((p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1]) / (d[0] * d[0] + d[1] * d[1]);
    let t = t.clamp(0.0, 1.0);
    distance(p, [a[0] + t * d[0], a[1] + t * d[1]])
}

fn told(loose: &[([f64; 2], f64)]) -> String {
    match loose.first() {
        None => String::new(),
        Some((p, gap)) => format!(
            " {} loose ends; one is at {:.6}, {:.6}, {gap:.6} from the next end: join within more than that.",
            loose.len(),
            p[0],
            p[1]
        ),
    }
}

/// Whether a face with so many outlines around it is in a region.
fn kept(depth: usize, holes: bool) -> bool {
    depth > 0 && (!holes || depth % 2 == 1)
}

/// Whether a line has regions on both sides. The crate takes such regions for what is outside; then all there is is refined,
/// and what is outside is left out afterwards.
fn regions_touch(cdt: &Cdt, holes: bool) -> bool {
    let depth = depths(cdt);
    cdt.undirected_edges().filter(|e| e.is_constraint_edge()).any(|e| {
        let side = e.as_directed();
        [side.face(), side.rev().face()]
            .into_iter()
            .all(|f| f.as_inner().is_some_and(|f| kept(depth[f.fix().index()].0, holes)))
    })
}

/// How many outlines lie around each face, and the number of its region, by the face's index.
fn depths(cdt: &Cdt) -> Vec<(usize, usize)> {
    const NOT_YET: (usize, usize) = (usize::MAX, usize::MAX);
    let mut out = vec![NOT_YET; cdt.num_all_faces()];
    let mut queue = VecDeque::new();
    let mut regions = 0;
    // Level by level: faces reached without crossing a line first.
    let outer = cdt.outer_face();
    let mut next: Vec<(usize, usize)> = Vec::new();
    for edge in cdt.directed_edges().filter(|e| e.face() == outer) {
        if let Some(face) = edge.rev().face().as_inner() {
            let crosses = usize::from(edge.is_constraint_edge());
            next.push((crosses, face.fix().index()));
        }
    }
    next.sort_unstable();
    let faces: Vec<Option<Face>> = cdt.all_faces().map(|f| f.as_inner()).collect();
    let mut level = 0;
    while !next.is_empty() {
        let (now, later): (Vec<_>, Vec<_>) = next.into_iter().partition(|n| n.0 <= level);
        next = later;
        for (_, start) in now {
            if out[start] != NOT_YET {
                continue;
            }
            let group = regions;
            regions += 1;
            out[start] = (level, group);
            queue.push_back(start);
            while let Some(f) = queue.pop_front() {
                for edge in faces[f].iter().flat_map(Face::adjacent_edges) {
                    let Some(other) = edge.rev().face().as_inner() else { continue };
                    let other = other.fix().index();
                    if out[other] != NOT_YET {
                        continue;
                    }
                    if edge.is_constraint_edge() {
                        next.push((level + 1, other));
                    } else {
                        out[other] = (level, group);
                        queue.push_back(other);
                    }
                }
            }
        }
        next.sort_unstable();
        level += 1;
    }
    out
}

fn nearest(segments: &[Segment], p: [f64; 2]) -> u32 {
    let found = segments.iter().map(|s| (beside(s, p), s.name)).min_by(|a, b| a.0.total_cmp(&b.0));
    found.map_or(0, |f| f.1)
}

fn twice_area([a, b, c]: [[f64; 2]; 3]) -> f64 {
    (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
}

/// In degrees; it lies opposite the shortest side.
fn least_angle(p: [[f64; 2]; 3]) -> f64 {
    let way = |a: [f64; 2], b: [f64; 2]| [b[0] - a[0], b[1] - a[1]];
    let squared = |k: usize| {
        let side = way(p[(k + 1) % 3], p[(k + 2) % 3]);
        side[0] * side[0] + side[1] * side[1]
    };
    let long = [squared(0), squared(1), squared(2)];
    let k = if long[0] <= long[1].min(long[2]) { 0 } else { usize::from(long[2] < long[1]) + 1 };
    let (u, v) = (way(p[k], p[(k + 1) % 3]), way(p[k], p[(k + 2) % 3]));
    (u[0] * v[1] - u[1] * v[0]).atan2(u[0] * v[0] + u[1] * v[1]).to_degrees()
}
