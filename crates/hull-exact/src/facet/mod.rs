//! Facets of a shape: every edge is sampled once for all faces that use it, so that facets of neighbours share
//! their points and a joined solid's are closed by construction.

pub mod chart;
pub mod ease;
pub mod fineness;
pub mod patch;
pub mod refine;
mod remesh;
pub mod sample;

use self::remesh::{count_slivers, remesh};
use crate::chart::Chart;
use crate::ease::ease;
use crate::fineness::{Fineness, sagitta};
use crate::locate::Locator;
use crate::parameter_loops::{At, Corner, ParameterLoops, Reader, Sampled, parameter_loops};
use crate::patch::{Crossing, Node, Patch};
use crate::refine::{
    Bound, Heights, cut_chords, cut_doubles, cut_longer, cut_slivers, is_better, measure, refine, refine_with,
    turn_flattened, turn_folded,
};
use crate::shape::{Edge, EdgeId, Face, FaceId, Shape, SurfaceId};
use crate::surface::Surface;
use hull_geometry::crossings::crossings_if_quick;
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::vector::{cross, distance, dot, sub};
use hull_geometry::{Cancelled, Mesh, NONE, Point, PointId, Watch};
use rayon::prelude::*;
use std::collections::{BTreeSet, HashMap, HashSet};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// The facets of a shape.
#[derive(Clone, Debug, Default)]
pub struct Facetted {
    /// The facets.
    pub mesh: Mesh,
    /// The face of each facet.
    pub face_of: TiVec<FacetId, FaceId>,
    /// The largest measured distance of the exact surface and edges from the facets.
    pub deviation: f64,
    /// Faces without facets, with why.
    pub failed: Vec<(FaceId, &'static str)>,
    /// Faces that have facets but whose bounds are in doubt, with why.
    pub doubts: Vec<(FaceId, &'static str)>,
}

/// Keys left for the poles of a surface, behind those that faces share.
const POLES: u32 = 16;

/// A face of which more than one in so many facets is a sliver is made again in another way.
const MANY_SLIVERS: usize = 6;
/// Where it is fewer than one in so many, they are cut one by one.
const FEW_SLIVERS: usize = 100;
/// More pairs of facets than this are not looked after.
const MOST_CROSSINGS: usize = 20_000;
/// Nor are more pairs whose boxes meet than this and 500 a facet.
const MOST_PAIRS: usize = 5_000_000;

/// Bounds that cross although their edges have so many points do not cross for want of points.
const MOST_OF_COARSE: usize = 1_000;

/// Bounds that lie further off their surface than this share of their own size are not where the surface is.
const MOST_OFF: f64 = 0.05;

/// Points that are added to a face whose surface has no end of them.
const MOST_OF_ENDLESS: usize = 2_000;

/// What one face becomes.
struct Done {
    patch: Patch,
    deviation: f64,
    doubt: Option<&'static str>,
}

/// What came of a face: not made yet, made, or why it cannot be.
type Outcome = Option<Result<Done, &'static str>>;

/// How the facets of a face are made.
#[derive(Clone, Copy)]
struct How<'a> {
    fineness: &'a Fineness,
    reader: Reader,
    /// Whether inner points are moved away from slivers.
    eased: bool,
    /// The diagonal of the whole shape: what share of its points a face may have.
    size: f64,
    /// If it says so, a face is left half done, to be thrown away.
    watch: &'a Watch,
}

/// Keys of the points that faces share: vertices, then the inner samples of each edge.
struct Shared {
    first: TiVec<EdgeId, u32>,
    count: u32,
}

impl Shared {
    fn of(shape: &Shape, samples: &TiSlice<EdgeId, Sampled>) -> Shared {
        let mut count = shape.vertices.len() as u32;
        let first = samples
            .iter()
            .map(|s| {
                let at = count;
                count += s.p.len() as u32 - 2;
                at
            })
            .collect();
        Shared { first, count }
    }

    fn key(&self, shape: &Shape, samples: &TiSlice<EdgeId, Sampled>, edge: EdgeId, index: u32) -> u32 {
        let last = samples[edge].p.len() as u32 - 1;
        let ends = shape.edges[edge].ends;
        match index {
            0 => ends[0].0,
            i if i == last => ends[1].0,
            i => self.first[edge] + i - 1,
        }
    }
}

/// Makes the facets of every face.
///
/// # Errors
/// [`Cancelled`] if the watch says so.
pub fn facet(shape: &Shape, fineness: &Fineness, reader: Reader, watch: &Watch) -> Result<Facetted, Cancelled> {
    let size = size_of(shape);
    let Made { locators, samples, shared, mut done } = make(shape, How { fineness, reader, eased: true, size, watch })?;
    let mut out = assemble(shape, &samples, &shared, &done);
    if !fineness.even {
        return Ok(out);
    }
    // Points that make slivers fatter may stand off the surface, further than a face beside it is away. Those faces
    // are made finer, and where that does not help, keep their slivers.
    let finer = Fineness { deviation: 0.6 * fineness.deviation, ..*fineness };
    let lean = Fineness { even: false, ..*fineness };
    for again in [&finer, &lean, &lean] {
        let mut crossing = faces_that_cross(&out, watch)?;
        // Facets of a face that is in doubt are no better when they are made again.
        crossing.retain(|f| !out.doubts.iter().any(|d| d.0 == *f));
        if crossing.is_empty() {
            break;
        }
        for f in crossing {
            let face = &shape.faces[f];
            let locator = &locators[face.surface];
            if let Ok(made) = of_face(
                shape,
                face,
                &samples,
                &shared,
                locator,
                How { fineness: again, reader, eased: again.even, size, watch },
            ) {
                done[f] = Some(Ok(made));
            }
        }
        watch.check()?;
        out = assemble(shape, &samples, &shared, &done);
    }
    Ok(out)
}

/// The facets of every face by itself and with slivers, as many but quicker made: where faces are nearer to each other than the deviation,
/// they may run through each other.
///
/// # Errors
/// [`Cancelled`] if the watch says so.
pub fn facet_faces(shape: &Shape, fineness: &Fineness, reader: Reader, watch: &Watch) -> Result<Facetted, Cancelled> {
    let how = How { fineness, reader, eased: false, size: size_of(shape), watch };
    let Made { samples, shared, done, .. } = make(shape, how)?;
    Ok(assemble(shape, &samples, &shared, &done))
}

/// What the facets of a shape are put together from.
struct Made<'a> {
    locators: TiVec<SurfaceId, Locator<'a>>,
    samples: TiVec<EdgeId, Sampled>,
    shared: Shared,
    done: TiVec<FaceId, Outcome>,
}

fn make<'a>(shape: &'a Shape, how: How) -> Result<Made<'a>, Cancelled> {
    let watch = how.watch;
    let locators: TiVec<SurfaceId, Locator> = shape.surfaces.iter().map(Locator::new).collect();
    let mut finer: TiVec<EdgeId, u32> = ti_vec![1; shape.edges.len()];
    watch.report(0.0, "points along the edges")?;
    let mut samples = sample::edges(shape, &locators, how.fineness, &finer);
    let mut shared = Shared::of(shape, &samples);
    let mut done: TiVec<FaceId, Outcome> = shape.faces.iter().map(|_| None).collect();
    // Where bounds cross because their edges are too coarse beside each other, those edges are made finer, and
    // every face that uses one is made again.
    for round in 0..5 {
        let todo: Vec<FaceId> = done.keys().filter(|&f| done[f].is_none()).collect();
        if todo.is_empty() {
            break;
        }
        watch.report(0.1 + 0.15 * f64::from(round), "facets of the faces")?;
        let made: Vec<(FaceId, Result<Done, Trouble>)> = todo
            .par_iter()
            .map(|&f| {
                let face = &shape.faces[f];
                if watch.check().is_err() {
                    return (f, Err(Trouble::Useless("cancelled")));
                }
                let locator = &locators[face.surface];
                let name = |made: &Result<Done, Trouble>| {
                    let facets = made.as_ref().map_or(0, |d| d.patch.triangles.len());
                    let kind = shape.surfaces[face.surface].kind();
                    let called =
                        if face.name.is_empty() { f.0.to_string() } else { format!("{} “{}”", f.0, face.name) };
                    format!("face {called} ({kind}, {facets} facets)")
                };
                (f, watch.timed(name, || of_face(shape, face, &samples, &shared, locator, how)))
            })
            .collect();
        watch.check()?;
        let mut coarse = HashSet::new();
        for (f, result) in made {
            match result {
                Ok(d) => done[f] = Some(Ok(d)),
                Err(Trouble::Useless(reason)) => done[f] = Some(Err(reason)),
                Err(Trouble::Crossing) if round == 4 => done[f] = Some(Err("its bounds cross each other")),
                Err(Trouble::Crossing) => {
                    coarse.extend(shape.faces[f].loops.iter().flat_map(|l| &l.uses).map(|u| u.edge));
                }
            }
        }
        // Edges of that many points are not too coarse: their face is torn, and stays without facets.
        coarse.retain(|&e| samples[e].p.len() < MOST_OF_COARSE);
        if coarse.is_empty() {
            break;
        }
        for &e in &coarse {
            finer[e] *= 2;
        }
        samples = sample::edges(shape, &locators, how.fineness, &finer);
        shared = Shared::of(shape, &samples);
        for (f, face) in shape.faces.iter_enumerated() {
            if face.loops.iter().flat_map(|l| &l.uses).any(|u| coarse.contains(&u.edge)) {
                done[f] = None;
            }
        }
        // Keys of points have moved: whatever was made speaks of the old ones.
        for d in done.iter_mut() {
            if matches!(d, Some(Ok(_))) {
                *d = None;
            }
        }
    }
    watch.report(0.9, "putting the facets together")?;
    Ok(Made { locators, samples, shared, done })
}

/// The faces whose facets run through others.
fn faces_that_cross(out: &Facetted, watch: &Watch) -> Result<BTreeSet<FaceId>, Cancelled> {
    // Facets so coarse that they cross all over are what was asked for.
    let pairs = MOST_PAIRS + 500 * out.mesh.triangles.len();
    let found = crossings_if_quick(&out.mesh, MOST_CROSSINGS, pairs, watch)?.unwrap_or_default();
    Ok(found.iter().flat_map(|c| c.facets).map(|f| out.face_of[f]).collect())
}

fn assemble(
    shape: &Shape,
    samples: &TiSlice<EdgeId, Sampled>,
    shared: &Shared,
    done: &TiSlice<FaceId, Outcome>,
) -> Facetted {
    let mut out = Facetted::default();
    let mut points: TiVec<PointId, Point> = shape.vertices.raw.clone().into();
    points.resize(shared.count as usize, [0.0; 3]);
    for (e, s) in samples.iter_enumerated() {
        for i in 1..s.p.len() - 1 {
            points[PointId(shared.first[e] + i as u32 - 1)] = s.p[i];
        }
        let curve = &shape.edges[e].curve;
        if !curve.is_straight() {
            let worst = s.t.windows(2).map(|w| sagitta(|t| curve.point(t), w[0], w[1]));
            out.deviation = worst.fold(out.deviation, f64::max);
        }
    }
    // Poles belong to a surface, points on a cut to one face.
    let mut poles: HashMap<(usize, u32), PointId> = HashMap::new();
    let outward = shape.outward();
    for (f, d) in done.iter_enumerated() {
        let d = match d {
            Some(Ok(d)) => d,
            Some(Err(reason)) => {
                out.failed.push((f, reason));
                continue;
            }
            None => {
                out.failed.push((f, "its bounds cross each other"));
                continue;
            }
        };
        if let Some(reason) = d.doubt {
            out.doubts.push((f, reason));
        }
        out.deviation = out.deviation.max(d.deviation);
        let surface = shape.faces[f].surface;
        let number: Vec<PointId> = d
            .patch
            .nodes
            .iter()
            .map(|n| {
                if n.key < shared.count {
                    return PointId(n.key);
                }
                let mut push = || points.push_and_get_key(n.p);
                if n.key == NONE {
                    return push();
                }
                let owner =
                    if n.key < shared.count + POLES { surface.into() } else { shape.surfaces.len() + usize::from(f) };
                *poles.entry((owner, n.key)).or_insert_with(push)
            })
            .collect();
        let same = outward[f];
        for t in 0..d.patch.triangles.len() as u32 {
            let [a, b, c] = d.patch.triangles[t as usize].map(|n| number[n as usize]);
            if a == b || b == c || c == a {
                continue;
            }
            out.mesh.triangles.push(if same { [a, b, c] } else { [a, c, b] });
            out.face_of.push(f);
        }
    }
    out.mesh.points = points;
    face_outward(shape, &mut out);
    out.mesh.drop_unused_points();
    out
}

/// Turns the facets of closed shells that enclose a negative volume, and of cavities that enclose a positive one:
/// a file's own directions are not always right as a whole.
fn face_outward(shape: &Shape, out: &mut Facetted) {
    let origin = out.mesh.bounds().centre();
    let mut volume: TiVec<FaceId, f64> = ti_vec![0.0; shape.faces.len()];
    for (t, &f) in out.face_of.iter_enumerated() {
        let [a, b, c] = out.mesh.corners(t).map(|p| sub(p, origin));
        volume[f] += dot(a, cross(b, c));
    }
    let mut turned: TiVec<FaceId, bool> = ti_vec![false; shape.faces.len()];
    for lump in shape.solids() {
        for (k, shell) in std::iter::once(&lump.outer).chain(&lump.voids).enumerate() {
            let sum: f64 = shell.faces.iter().map(|(f, _)| volume[*f]).sum();
            if (sum < 0.0) == (k == 0) && sum != 0.0 {
                shell.faces.iter().for_each(|(f, _)| turned[*f] = true);
            }
        }
    }
    for (t, f) in out.face_of.iter_enumerated() {
        if turned[*f] {
            out.mesh.triangles[t].swap(1, 2);
        }
    }
}

enum Trouble {
    Crossing,
    Useless(&'static str),
}

fn of_face(
    shape: &Shape,
    face: &Face,
    samples: &TiSlice<EdgeId, Sampled>,
    shared: &Shared,
    locator: &Locator,
    how: How,
) -> Result<Done, Trouble> {
    let How { fineness, reader, eased, .. } = how;
    let bounds_in_plane = parameter_loops(shape, face, samples, locator, reader, Some(fineness));
    if bounds_in_plane.loops.is_empty() {
        return Err(Trouble::Useless(bounds_in_plane.doubt.unwrap_or("it has no bounds")));
    }
    // On a surface whose numbers are beyond all measure edges are found nowhere, or everywhere.
    if bounds_in_plane.loops.iter().flatten().any(|c| !c.uv.iter().all(|t| t.abs() < 1e100)) {
        return Err(Trouble::Useless("its bounds cannot be placed on its surface"));
    }
    let plane =
        Chart::of(&bounds_in_plane, locator, fineness, most_points(&bounds_in_plane, samples, fineness, how.size));
    let fineness = &Fineness { even: fineness.even && plane.even, ..*fineness };
    // Bounds that lie off their surface do not cross for want of points.
    let is_off = bounds_in_plane.off_surface > MOST_OFF * size_along(&bounds_in_plane, samples);
    let crossing = |_: Crossing| match is_off {
        true => Trouble::Useless("its bounds lie off its surface and cross each other"),
        false => Trouble::Crossing,
    };
    // Poles and cut points have keys of their own, behind those that faces share.
    let key = |at: At| match at {
        At::Edge(e, i) => shared.key(shape, samples, e, i),
        At::Pole(k) => pole_key(shape, samples, shared, face, locator, k),
        At::Cut(k) => shared.count + POLES + k,
    };
    let node = |c: &Corner| {
        let key = key(c.at);
        let p = match c.at {
            At::Edge(e, i) => samples[e].p[i as usize],
            At::Pole(k) => locator.poles[k as usize].at,
            At::Cut(_) => locator.surface.point(c.uv[0], c.uv[1]),
        };
        Node { xy: plane.to_plane(c.uv), p, key }
    };
    let loops: Vec<Vec<Node>> = bounds_in_plane
        .loops
        .iter()
        .map(|l| {
            l.iter()
                .flat_map(|c| plane.along_side(c, locator).into_iter().map(move |uv| Corner { uv, ..*c }))
                .map(|c| node(&c))
                .collect()
        })
        .collect();
    if let Surface::Plane(_) = locator.surface {
        let patch = match fineness.largest {
            None => Patch::of(&loops, &[], |_| Vec::new()).map_err(crossing)?,
            Some(largest) => {
                let mut patch =
                    Patch::of(&loops, &[], |inside| plane.points_between(&loops, locator, inside)).map_err(crossing)?;
                cut_longer(&mut patch, &plane, locator, largest);
                patch
            }
        };
        return Ok(Done { patch, deviation: bounds_in_plane.off_surface, doubt: bounds_in_plane.doubt });
    }
    let creases = plane.creases();
    let mut patch =
        Patch::of(&loops, &creases, |inside| plane.points_between(&loops, locator, inside)).map_err(crossing)?;
    let heights = Heights::new(&plane, locator, how.watch);
    // Points that are moved or drawn together would leave the surface's own edges.
    let free = !plane.has_creases();
    let better = |nodes: &[Node], quad: [u32; 4]| {
        let along = !free && plane.on_crease(nodes[quad[0] as usize].xy, nodes[quad[1] as usize].xy);
        !along && is_better(nodes, quad, &heights, fineness)
    };
    let go_on = || match heights.is_cancelled() {
        true => Err(Trouble::Useless("it was cancelled")),
        false => Ok(()),
    };
    patch.settle((0..patch.triangles.len() as u32).collect(), 8, &better);
    // Bounds that were bridged over a gap lie off the surface by as much, which no point can mend.
    let asked = fineness.deviation + bounds_in_plane.off_surface;
    let start = patch.clone();
    if !refine(&mut patch, &heights, asked, &better) {
        // What has no end is shown with few facets, and not made even, smooth or of good shape besides.
        go_on()?;
        heights.forget();
        patch = start;
        let most = patch.nodes.len() + MOST_OF_ENDLESS;
        refine_with(&mut patch, &heights, asked, most, &better);
        let deviation = measure(&patch, &plane, locator, asked);
        let doubt = bounds_in_plane.doubt.or(Some("its surface asks for more facets than its size explains"));
        return Ok(Done { patch, deviation, doubt });
    }
    if fineness.even {
        go_on()?;
        let with_slivers = patch.clone();
        if !cut_slivers(&mut patch, &plane, locator, &better) || !refine(&mut patch, &heights, asked, &better) {
            // Slivers without end are those of a surface that runs into itself.
            heights.forget();
            patch = with_slivers;
        }
    }
    if fineness.even && free {
        let mut again = start;
        let slivers = count_slivers(&patch);
        // Along bends that are tight beside the face, as noses and tails of wings, one grid does not suit the whole.
        if slivers * MANY_SLIVERS > patch.triangles.len() {
            let rounds = if eased { remesh::ROUNDS } else { remesh::COUNTED };
            // Even facets need no more points than uneven ones, but for those that are drawn together again.
            let most = (3 * patch.nodes.len() + 3_000).min(remesh::MOST_POINTS);
            remesh(&mut again, &plane, locator, fineness, remesh::Pace { rounds, most }, how.watch);
            heights.forget();
            refine(&mut again, &heights, asked, &better);
            if count_slivers(&again) * FEW_SLIVERS < again.triangles.len() {
                cut_slivers(&mut again, &plane, locator, &better);
                refine(&mut again, &heights, asked, &better);
            }
            if count_slivers(&again) < slivers {
                patch = again;
            }
            heights.forget();
        }
    }
    go_on()?;
    let bounds_at = bounds_at(&bounds_in_plane, &key);
    let finished = |mut patch: Patch| {
        if let Some(largest) = fineness.largest {
            cut_longer(&mut patch, &plane, locator, largest);
        }
        cut_chords(&mut patch, &bounds_at, &heights);
        cut_doubles(&mut patch, &heights);
        turn_flattened(&mut patch);
        turn_folded(&mut patch, &heights, fineness.deviation);
        let deviation = measure(&patch, &plane, locator, asked);
        Done { patch, deviation, doubt: bounds_in_plane.doubt }
    };
    if !fineness.even || !eased || !free {
        return Ok(finished(patch));
    }
    let mut eased = patch.clone();
    ease(&mut eased, &heights, asked, &better);
    go_on()?;
    let eased = finished(eased);
    // Where faces are narrower than they are allowed to deviate, moving points may undo what adding them did.
    if eased.deviation <= fineness.deviation && eased.patch.triangles.len() <= patch.triangles.len() + 16 {
        return Ok(eased);
    }
    heights.forget();
    let plain = finished(patch);
    Ok(if eased.deviation <= plain.deviation && eased.patch.triangles.len() <= plain.patch.triangles.len() {
        eased
    } else {
        plain
    })
}

/// The most points of a face that is as large as the shape.
const MOST_POINTS: f64 = 6e5;
/// The most points of any face, however small it is.
const MOST_OF_SMALL: f64 = 2e4;

/// The diagonal of the box of a shape's vertices and of points along its edges.
fn size_of(shape: &Shape) -> f64 {
    let along = |e: &Edge| [0.25, 0.5, 0.75].map(|s| e.curve.point(e.range[0] + (e.range[1] - e.range[0]) * s));
    Bounds::of(shape.vertices.iter().copied().chain(shape.edges.iter().flat_map(along))).diagonal()
}

/// The diagonal of the box of the points along the bounds of a face.
fn size_along(bounds_in_plane: &ParameterLoops, samples: &TiSlice<EdgeId, Sampled>) -> f64 {
    let along = bounds_in_plane.loops.iter().flatten().filter_map(|c| match c.at {
        At::Edge(e, i) => Some(samples[e].p[i as usize]),
        _ => None,
    });
    Bounds::of(along).diagonal()
}

/// The most points that a face's size explains: a surface that seems to need more is not as its bounds say.
fn most_points(
    bounds_in_plane: &ParameterLoops,
    samples: &TiSlice<EdgeId, Sampled>,
    fineness: &Fineness,
    size: f64,
) -> usize {
    let own = size_along(bounds_in_plane, samples);
    // A whole sphere or torus has next to no edges.
    let share = if own > 1e-6 * size && size > 0.0 { (own / size).min(1.0).powi(2) } else { 1.0 };
    let across = if own > 1e-6 * size { own } else { size };
    // A sphere as large needs about as many points as its diameter has deviations.
    let bend = 50.0 * across / fineness.deviation;
    let sides = fineness.largest.map_or(0.0, |l| 4.0 * (across / l).powi(2));
    (bend + sides).min(MOST_POINTS * share).max(MOST_OF_SMALL) as usize
}

/// The edges and cuts that each shared point of a face lies on.
fn bounds_at(bounds_in_plane: &ParameterLoops, key: &impl Fn(At) -> u32) -> HashMap<u32, Vec<Bound>> {
    let mut out: HashMap<u32, Vec<Bound>> = HashMap::new();
    for l in &bounds_in_plane.loops {
        for (i, c) in l.iter().enumerate() {
            let before = l[(i + l.len() - 1) % l.len()];
            let edge = |side: Corner| match (side.along, side.at) {
                (Some((e, _)), _) => Some(Bound::Edge(e)),
                (None, At::Pole(_)) => None,
                (None, _) => Some(Bound::Cut),
            };
            let edges = [before, *c].into_iter().filter_map(edge);
            out.entry(key(c.at)).or_default().extend(edges);
        }
    }
    out
}

/// A pole that is a vertex of the shape is that vertex.
fn pole_key(
    shape: &Shape,
    samples: &TiSlice<EdgeId, Sampled>,
    shared: &Shared,
    face: &Face,
    locator: &Locator,
    k: u32,
) -> u32 {
    let pole = &locator.poles[k as usize];
    let uses = face.loops.iter().flat_map(|l| &l.uses);
    let ends = uses.flat_map(|u| {
        let s = &samples[u.edge];
        let ends = shape.edges[u.edge].ends;
        [(ends[0], s.p[0], distance(s.p[0], s.p[1])), (ends[1], s.p[s.p.len() - 1], distance(s.p[0], s.p[1]))]
    });
    ends.map(|(v, p, side)| (v, distance(p, pole.at), side))
        .filter(|(_, d, side)| d < side)
        .min_by(|a, b| a.1.total_cmp(&b.1))
        .filter(|(_, d, _)| *d <= 1e-3 * locator_size(locator))
        .map_or(shared.count + k, |(v, _, _)| v.0)
}

fn locator_size(locator: &Locator) -> f64 {
    let [[a, b], [c, d]] = locator.surface.bounded_domain();
    distance(locator.surface.point(a, c), locator.surface.point(0.5 * (a + b), 0.5 * (c + d))).max(1e-12)
}
