//! Several bodies into one: united, subtracted, intersected; and one body that runs through itself into its outside.

use crate::arrangement::Arrangement;
use crate::cells::{Cells, Spoke};
use crate::handles::{BodyId, CellId, FaceId, InputId, PlaceId};
use crate::snap::{snap, without_backs};
use crate::thin_cells;
use hull_geometry::crossings::any_crosses;
use hull_geometry::join::join_equal_points;
use hull_geometry::sets::Sets;
use hull_geometry::thin::{height, mend_thin};
use hull_geometry::vector::{add, cross, dot, lerp, norm, scale, sub, unit};
use hull_geometry::{Cancelled, FacetId, Mesh, NONE, Point, PointId, Rebuilt, Watch};
use rayon::prelude::*;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// What is kept of several bodies.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Rule {
    /// What lies in any of them.
    Unite,
    /// What lies in the first and in no other.
    Subtract,
    /// What lies in all of them.
    Intersect,
}

impl Rule {
    /// A cell is in a body if that winds around it facing out; a body turned inside out encloses nothing.
    fn keeps(self, windings: &[i32]) -> bool {
        match self {
            Rule::Unite => windings.iter().any(|w| *w > 0),
            Rule::Subtract => windings[0] > 0 && windings[1..].iter().all(|w| *w <= 0),
            Rule::Intersect => windings.iter().all(|w| *w > 0),
        }
    }
}

/// Why bodies cannot be combined.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CombineError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// Inside and outside cannot be told apart.
    #[error("The surface is open or its facets face different ways; close it and turn its facets first.")]
    Open,
    /// Nothing is left.
    #[error("Nothing would be left.")]
    Nothing,
}

/// Bodies made one.
#[derive(Debug)]
pub struct Combined {
    /// Facets with the facet of the input each is part of, counted through all bodies.
    pub rebuilt: Rebuilt,
    /// Pairs of facets that met where they should not.
    pub meetings: usize,
    /// Sides of the result along which facets of different bodies meet, as pairs of points of its mesh.
    pub seam: Vec<[PointId; 2]>,
    /// Points that stood where another fan of facets stands, pulled apart by a millionth of the body's size.
    pub pulled: usize,
    /// Facets with a corner that was rounded.
    suspects: Vec<FacetId>,
    /// Whether points of several fans stand in one place.
    touches: bool,
    /// How often the result had to be cut again, since rounding its new points let facets cross anew.
    pub again: usize,
}

/// How far points that share a place are pulled, in parts of the body's diagonal: some steps of single precision, or what
/// there is room for.
const APART: [f64; 5] = [1e-6, 3e-7, 1e-7, 1e-8, 1e-10];
/// Rounding is looked after this often at most.
const ROUNDS: usize = 8;

/// Combines bodies, given one behind the other in one mesh; `body_of` gives the body of each facet.
///
/// # Errors
/// [`CombineError`].
pub fn combine(
    mesh: &Mesh,
    body_of: &TiSlice<FacetId, u32>,
    rule: Rule,
    watch: &Watch,
) -> Result<Combined, CombineError> {
    let bodies = body_of.iter().max().map_or(0, |b| *b as usize + 1);
    let mut done = once(mesh, &|f| BodyId(body_of[FacetId::from(f)]), bodies, rule, watch)?;
    // Places between doubles are rounded in the end, and what touches is pulled apart; where that makes facets cross, they
    // are cut once more.
    for round in 1..=ROUNDS {
        watch.report(0.95, "looking after rounded places")?;
        // In the end what is thin is mended as far as it goes, though something may still cross by next to nothing.
        let last = round == ROUNDS;
        let snapped = settle(&mut done, watch)?;
        if last || (!snapped && !runs_through_itself(&done, watch)?) {
            let apart = pull_apart(&mut done, last, watch)?;
            if last || apart {
                break;
            }
        }
        let next = once(&done.rebuilt.mesh, &|_| BodyId(0), 1, Rule::Unite, watch)?;
        let origin = next.rebuilt.origin.iter().map(|&f| done.rebuilt.origin[f]).collect();
        let rebuilt = Rebuilt { mesh: next.rebuilt.mesh, origin };
        done = Combined { rebuilt, meetings: done.meetings, again: round, pulled: done.pulled, ..next };
    }
    if done.rebuilt.mesh.triangles.is_empty() {
        return Err(CombineError::Nothing);
    }
    watch.report(0.98, "following the new edges")?;
    done.seam = seam(&done.rebuilt, body_of);
    Ok(done)
}

/// The outside of a closed surface that runs through itself: what it winds around at least once. Cavities stay.
///
/// # Errors
/// [`CombineError`].
pub fn resolve(mesh: &Mesh, watch: &Watch) -> Result<Combined, CombineError> {
    combine(mesh, &ti_vec![0; mesh.triangles.len()], Rule::Unite, watch)
}

/// Takes out facets that rounding has left without area; whether sides may have more than two facets since.
fn settle(done: &mut Combined, watch: &Watch) -> Result<bool, Cancelled> {
    let mesh = &done.rebuilt.mesh;
    let largest = mesh.points.iter().flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
    let tolerance = 8.0 * f64::EPSILON * largest;
    let thin = |mesh: &Mesh, of: &[FacetId]| -> Vec<FacetId> {
        of.iter().copied().filter(|&f| height(mesh.corners(f)) <= tolerance).collect()
    };
    if thin(mesh, &done.suspects).is_empty() {
        return Ok(false);
    }
    let (mended, _) = mend_thin(mesh, tolerance, |_| true, watch)?;
    // What was thin all over is two facets back to back now.
    let facets = mended.mesh.triangles.into_iter().zip(mended.origin);
    let mended = without_backs(mended.mesh.points, facets);
    take(done, mended);
    let left = thin(&done.rebuilt.mesh, &done.suspects);
    if left.is_empty() {
        return Ok(false);
    }
    take(done, snap(&done.rebuilt.mesh, &left, tolerance));
    Ok(true)
}

/// Takes a mended mesh in; what stands where a suspect stood is one, and so is what does not stand as it stood.
fn take(done: &mut Combined, mended: Rebuilt) {
    let suspect: HashSet<FacetId> = done.suspects.iter().copied().collect();
    let before = &done.rebuilt.mesh;
    let fresh = |f: &FacetId| {
        let origin = mended.origin[*f];
        suspect.contains(&origin) || mended.mesh.corners(*f) != before.corners(origin)
    };
    done.suspects = mended.mesh.triangles.keys().filter(fresh).collect();
    let origin = mended.origin.iter().map(|&f| done.rebuilt.origin[f]).collect();
    done.rebuilt = Rebuilt { mesh: mended.mesh, origin };
}

fn once(
    mesh: &Mesh,
    body_of: &(impl Fn(InputId) -> BodyId + Sync),
    bodies: usize,
    rule: Rule,
    watch: &Watch,
) -> Result<Combined, CombineError> {
    let arrangement = Arrangement::of(mesh, watch)?;
    let cells = Cells::of(&arrangement, body_of, bodies, watch)?;
    if cells.torn > 0 {
        return Err(CombineError::Open);
    }
    watch.report(0.9, "keeping what bounds the result")?;
    let inside: TiVec<CellId, bool> = cells.all().map(|c| rule.keeps(cells.windings(c))).collect();
    let inside = thin_cells::settled(&arrangement, &cells, inside);
    let kept = |f: FaceId| cells.of_face(f).map(|c| inside[c]);
    let (rebuilt, touches, whole) = surface(&arrangement, &cells, &kept);
    // Facets of the input that were not cut stand as they stood.
    let suspects = rebuilt.mesh.triangles.keys().skip(whole).collect();
    Ok(Combined { rebuilt, meetings: arrangement.meetings, seam: Vec::new(), again: 0, pulled: 0, suspects, touches })
}

/// Whether facets with rounded corners cross others. Points in one place are one for that: what touches there does not cross.
fn runs_through_itself(done: &Combined, watch: &Watch) -> Result<bool, Cancelled> {
    if !done.touches {
        return any_crosses(&done.rebuilt.mesh, &done.suspects, watch);
    }
    let mut joined = done.rebuilt.mesh.clone();
    join_equal_points(&mut joined);
    any_crosses(&joined, &done.suspects, watch)
}

/// The faces between inside and outside, facing out. Where more than two meet in a side, those around one piece of the
/// inside go together, and points are there once for every fan of facets. Tells whether several of those stand in one place,
/// and how many facets come first that are as they were.
fn surface(a: &Arrangement, cells: &Cells, kept: &impl Fn(FaceId) -> [bool; 2]) -> (Rebuilt, bool, usize) {
    let mut number: TiVec<FaceId, u32> = ti_vec![NONE; a.faces.len()];
    let mut chosen = Vec::new();
    for f in a.faces.keys() {
        let [front, back] = kept(f);
        if front != back {
            number[f] = chosen.len() as u32;
            chosen.push((f, front));
        }
    }
    let corner = |f: FaceId, p: PlaceId| {
        let k = a.faces[f].iter().position(|q| *q == p).unwrap_or(0);
        3 * number[f] + k as u32
    };
    let fans = Sets::new(3 * chosen.len());
    let mut around: Vec<Spoke> = Vec::new();
    let mut pairs: Vec<[Spoke; 2]> = Vec::new();
    for line in cells.spokes.chunk_by(|a, b| a.ends == b.ends) {
        around.clear();
        around.extend(line.iter().copied().filter(|s| number[s.face] != NONE));
        for (k, s) in around.iter().enumerate() {
            // The side that looks on around the line: if inside, this face and the next bound the same piece.
            let [front, back] = kept(s.face);
            let ahead_inside = if s.forward { front } else { back };
            if ahead_inside || around.len() == 2 {
                let n = around[(k + 1) % around.len()];
                if around.len() > 2 {
                    pairs.push([*s, n]);
                }
                for p in s.ends {
                    fans.unite(corner(s.face, p), corner(n.face, p));
                }
            }
        }
    }
    let (fan_of, count) = numbered(a, &chosen, &fans);
    let mut points: TiVec<PointId, Point> = ti_vec![[0.0; 3]; count];
    let mut stands: TiVec<PlaceId, bool> = ti_vec![false; a.places.len()];
    let mut touches = false;
    let mut placed: TiVec<PointId, bool> = ti_vec![false; count];
    // Pieces that touch in a side and hang together at both its ends get points of their own on it.
    let mut middles: HashMap<(u32, [PlaceId; 2]), PointId> = HashMap::new();
    for (i, [s, n]) in pairs.iter().enumerate() {
        let ends = |s: &Spoke| s.ends.map(|p| fan_of[corner(s.face, p) as usize]);
        let with = |j: usize| pairs.get(j).is_some_and(|[t, _]| t.ends == s.ends && ends(t) == ends(s));
        let other = (0..i).rev().take_while(|&j| pairs[j][0].ends == s.ends).any(with)
            || (i + 1..pairs.len()).take_while(|&j| pairs[j][0].ends == s.ends).any(with);
        if other {
            let [p, q] = s.ends.map(|p| a.places[p].near);
            let middle = points.push_and_get_key(lerp(p, q, 0.5));
            for face in [s.face, n.face] {
                middles.insert((number[face], s.ends), middle);
            }
            touches = true;
        }
    }
    let mut triangles = TiVec::with_capacity(chosen.len());
    let mut origin: TiVec<FacetId, FacetId> = TiVec::with_capacity(chosen.len());
    let mut whole = 0;
    for (i, &(f, turned)) in chosen.iter().enumerate() {
        let mut t = [0, 1, 2].map(|k| fan_of[3 * i + k]);
        for k in 0..3 {
            let place = a.faces[f][k];
            points[t[k]] = a.places[place].near;
            if !std::mem::replace(&mut placed[t[k]], true) {
                touches |= std::mem::replace(&mut stands[place], true);
            }
        }
        let corners = a.faces[f];
        let mut middle = [0, 1, 2].map(|k| {
            let (p, q) = (corners[k], corners[(k + 1) % 3]);
            middles.get(&(i as u32, [p.min(q), p.max(q)])).copied()
        });
        if turned {
            t.swap(1, 2);
            middle.swap(0, 2);
        }
        if usize::from(f) < a.whole && middle == [None; 3] {
            whole = triangles.len() + 1;
        }
        split(t, middle, &mut triangles);
        // Of several facets of one place the one that faces as the result does.
        let sources = a.sources(f);
        let from = sources.iter().find(|s| s.same_way != turned).unwrap_or(&sources[0]).facet.into();
        origin.resize(triangles.len(), from);
    }
    (Rebuilt { mesh: Mesh { points, triangles }, origin }, touches, whole)
}

/// Numbers the fans of chosen faces in the order of their first corners: all faces at a plain place are one, others are
/// what has been united. Gives the number for each corner, and how many there are.
fn numbered(a: &Arrangement, chosen: &[(FaceId, bool)], fans: &Sets) -> (Vec<PointId>, usize) {
    let mut at_place: TiVec<PlaceId, PointId> = ti_vec![PointId::NONE; a.mesh.points.len()];
    let mut at_root = vec![PointId::NONE; 3 * chosen.len()];
    let mut count = PointId(0);
    let mut number = Vec::with_capacity(3 * chosen.len());
    for (i, (f, _)) in chosen.iter().enumerate() {
        for (k, p) in a.faces[*f].iter().enumerate() {
            let known = match a.plain[*p] {
                true => &mut at_place[*p],
                false => &mut at_root[fans.root((3 * i + k) as u32) as usize],
            };
            if *known == PointId::NONE {
                *known = count;
                count = count + PointId(1);
            }
            number.push(*known);
        }
    }
    (number, usize::from(count))
}

/// Pulls points that stand in one place, each of a fan of facets of its own, a little away from the others, so that what only
/// touched is apart, also once it is written in single precision: towards the ring around them, or into what they bound, and
/// less far where that lets facets cross. Whether none does in the end.
fn pull_apart(done: &mut Combined, last: bool, watch: &Watch) -> Result<bool, Cancelled> {
    if !done.touches {
        return Ok(true);
    }
    let mesh = &mut done.rebuilt.mesh;
    let mut order: Vec<PointId> = mesh.points.keys().collect();
    let key = |p: &PointId| mesh.points[*p].map(|x| (x + 0.0).to_bits());
    order.par_sort_unstable_by_key(key);
    let shared: BTreeSet<PointId> =
        order.chunk_by(|p, q| key(p) == key(q)).filter(|run| run.len() > 1).flatten().copied().collect();
    done.pulled += shared.len();
    let at_them = |t: &[PointId; 3]| t.iter().any(|p| shared.contains(p));
    let near: Vec<FacetId> = mesh.triangles.iter_enumerated().filter(|(_, t)| at_them(t)).map(|(f, _)| f).collect();
    let diagonal = mesh.bounds().diagonal();
    let still = mesh.points.clone();
    let [to_ring, inwards] = ways(mesh, &shared);
    let tries = APART.iter().flat_map(|part| [(part, &to_ring), (part, &inwards)]);
    // If nothing helps, what crosses when it is pulled as far as it should is cut; in the last round it is pulled least.
    let [far, .., near_by] = &APART;
    for (part, ways) in tries.chain([(if last { near_by } else { far }, &to_ring)]) {
        for &(p, way, most) in ways {
            mesh.points[p] = add(still[p], scale(way, (part * diagonal).min(most)));
        }
        if !any_crosses(mesh, &near, watch)? {
            return Ok(true);
        }
    }
    Ok(false)
}

/// Points with the direction in which they are pulled, and how far they may go at most.
type Ways = Vec<(PointId, Point, f64)>;

/// For each point the direction to the middle of the ring around it, and that into what its fan bounds, against the mean of
/// the normals by angle (J. A. Bærentzen and H. Aanæs, *Signed distance computation using the angle weighted pseudonormal*,
/// 2005).
fn ways(mesh: &Mesh, points: &BTreeSet<PointId>) -> [Ways; 2] {
    // For each the sums of the ways to the points around it and of normals, and the distance of the nearest point.
    let nothing = ([0.0; 3], [0.0; 3], f64::INFINITY);
    let mut fans: BTreeMap<PointId, (Point, Point, f64)> = points.iter().map(|p| (*p, nothing)).collect();
    for (f, t) in mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let Some((ring, normals, nearest)) = fans.get_mut(&t[k]) else { continue };
            let here = mesh.points[t[k]];
            let [a, b] = [1, 2].map(|d| sub(mesh.points[t[(k + d) % 3]], here));
            *nearest = nearest.min(norm(a)).min(norm(b));
            *ring = add(*ring, add(a, b));
            if let Some(normal) = unit(mesh.area_vector(f)) {
                *normals = add(*normals, scale(normal, -norm(cross(a, b)).atan2(dot(a, b))));
            }
        }
    }
    let of = |pick: fn(&(Point, Point, f64)) -> Point| -> Ways {
        fans.iter().filter_map(|(p, fan)| Some((*p, unit(pick(fan))?, 0.05 * fan.2))).collect()
    };
    [of(|fan| fan.0), of(|fan| fan.1)]
}

/// Splits a facet at points in the middle of its sides.
fn split([a, b, c]: [PointId; 3], middle: [Option<PointId>; 3], out: &mut TiVec<FacetId, [PointId; 3]>) {
    match middle {
        [Some(m), bc, ca] => {
            split([m, b, c], [None, bc, None], out);
            split([a, m, c], [None, None, ca], out);
        }
        [None, None, None] => out.push([a, b, c]),
        [ab, bc, ca] => split([b, c, a], [bc, ca, ab], out),
    }
}

/// Sides between facets that come from different bodies.
fn seam(rebuilt: &Rebuilt, body_of: &TiSlice<FacetId, u32>) -> Vec<[PointId; 2]> {
    let body = |f: FacetId| body_of[rebuilt.origin[f]];
    // Sides between facets of one body are most, and none of the seam: those at its points are enough.
    let mut at = ti_vec![NONE; rebuilt.mesh.points.len()];
    let mut mixed = ti_vec![false; rebuilt.mesh.points.len()];
    for (f, t) in rebuilt.mesh.triangles.iter_enumerated() {
        for p in *t {
            let b = body(f);
            mixed[p] |= at[p] != NONE && at[p] != b;
            at[p] = b;
        }
    }
    let mut sides: Vec<([PointId; 2], u32)> = Vec::new();
    for (f, t) in rebuilt.mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let (p, q) = (t[k], t[(k + 1) % 3]);
            if mixed[p] && mixed[q] {
                sides.push(([p.min(q), p.max(q)], body(f)));
            }
        }
    }
    sides.sort_unstable();
    sides.chunk_by(|a, b| a.0 == b.0).filter(|run| run.iter().any(|s| s.1 != run[0].1)).map(|run| run[0].0).collect()
}
