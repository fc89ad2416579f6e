//! Several bodies into one: united, subtracted, intersected; and one body that runs through itself into its outside.

use crate::arrangement::Arrangement;
use crate::cells::{Cells, Spoke};
use hull_geometry::crossings::any_crosses;
use hull_geometry::sets::Sets;
use hull_geometry::thin::{height, mend_thin};
use hull_geometry::vector::{add, distance, lerp, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, NONE, Point, Rebuilt, Watch};
use std::collections::{HashMap, HashSet};

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
    pub seam: Vec<[u32; 2]>,
    /// Points that stood where another fan of facets stands, pulled apart by a millionth of the body's size.
    pub pulled: usize,
    /// Facets with a corner that was rounded or pulled.
    suspects: Vec<u32>,
    /// How often the result had to be cut again, since rounding its new points let facets cross anew.
    pub again: usize,
}

/// How far points that share a place are pulled, in parts of the body's diagonal: some steps of single precision.
const APART: f64 = 1e-6;
/// Rounding is looked after this often at most.
const ROUNDS: usize = 4;

/// Combines bodies, given one behind the other in one mesh; `body_of` gives the body of each facet.
///
/// # Errors
/// [`CombineError`].
pub fn combine(mesh: &Mesh, body_of: &[u32], rule: Rule, watch: &Watch) -> Result<Combined, CombineError> {
    let bodies = body_of.iter().max().map_or(0, |b| *b as usize + 1);
    let mut done = once(mesh, &|f| body_of[f as usize], bodies, rule, watch)?;
    // Places between doubles are rounded in the end; where that makes facets cross, they are cut once more.
    for round in 1..ROUNDS {
        if done.suspects.is_empty() {
            break;
        }
        watch.report(0.95, "looking after rounded places")?;
        settle(&mut done, watch)?;
        if !any_crosses(&done.rebuilt.mesh, &done.suspects, watch)? {
            break;
        }
        let next = once(&done.rebuilt.mesh, &|_| 0, 1, Rule::Unite, watch)?;
        let origin = next.rebuilt.origin.iter().map(|&f| done.rebuilt.origin[f as usize]).collect();
        done = Combined {
            rebuilt: Rebuilt { mesh: next.rebuilt.mesh, origin },
            seam: Vec::new(),
            meetings: done.meetings,
            again: round,
            pulled: done.pulled + next.pulled,
            suspects: next.suspects,
        };
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
    combine(mesh, &vec![0; mesh.triangles.len()], Rule::Unite, watch)
}

/// Takes out facets that rounding has left without area.
fn settle(done: &mut Combined, watch: &Watch) -> Result<(), Cancelled> {
    let mesh = &done.rebuilt.mesh;
    let largest = mesh.points.iter().flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
    let tolerance = 8.0 * f64::EPSILON * largest;
    if !done.suspects.iter().any(|&f| height(mesh.corners(f)) <= tolerance) {
        return Ok(());
    }
    let suspect: HashSet<u32> = done.suspects.iter().copied().collect();
    let (mended, _) = mend_thin(mesh, tolerance, |_| true, watch)?;
    // What stands where a suspect stood is one.
    let fresh = mended.origin.iter().enumerate().filter(|(_, f)| suspect.contains(f)).map(|(i, _)| i as u32);
    done.suspects = fresh.collect();
    let origin = mended.origin.iter().map(|&f| done.rebuilt.origin[f as usize]).collect();
    done.rebuilt = Rebuilt { mesh: mended.mesh, origin };
    Ok(())
}

fn once(
    mesh: &Mesh,
    body_of: &(impl Fn(u32) -> u32 + Sync),
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
    let inside: Vec<bool> = (0..cells.count as u32).map(|c| rule.keeps(cells.windings(c))).collect();
    let kept = |f: u32| cells.of_face(f).map(|c| inside[c as usize]);
    let (mut rebuilt, places, whole) = surface(&arrangement, &cells, &kept);
    let plain = |place: u32| arrangement.plain.get(place as usize).is_some_and(|plain| *plain);
    let pulled = pull_apart(&mut rebuilt.mesh, &places, plain);
    // Facets of the input that were not cut stand as they stood, unless a corner was pulled.
    let moved = |p: u32| {
        let place = places[p as usize] as usize;
        arrangement.places.get(place).is_none_or(|x| x.near != rebuilt.mesh.points[p as usize])
    };
    let facets = 0..rebuilt.mesh.triangles.len();
    let suspect = |f: &usize| *f >= whole || rebuilt.mesh.triangles[*f].iter().any(|p| moved(*p));
    let suspects = facets.filter(suspect).map(|f| f as u32).collect();
    Ok(Combined { rebuilt, meetings: arrangement.meetings, seam: Vec::new(), again: 0, pulled, suspects })
}

/// The faces between inside and outside, facing out. Where more than two meet in a side, those around one piece of the
/// inside go together, and points are there once for every fan of facets. Gives for each point the place it stands on,
/// and how many facets come first that are as they were.
fn surface(a: &Arrangement, cells: &Cells, kept: &impl Fn(u32) -> [bool; 2]) -> (Rebuilt, Vec<u32>, usize) {
    let mut number = vec![NONE; a.faces.len()];
    let mut chosen = Vec::new();
    for f in 0..a.faces.len() as u32 {
        let [front, back] = kept(f);
        if front != back {
            number[f as usize] = chosen.len() as u32;
            chosen.push((f, front));
        }
    }
    let corner = |f: u32, p: u32| {
        let k = a.faces[f as usize].iter().position(|q| *q == p).unwrap_or(0);
        3 * number[f as usize] + k as u32
    };
    let fans = Sets::new(3 * chosen.len());
    let mut around: Vec<Spoke> = Vec::new();
    let mut pairs: Vec<[Spoke; 2]> = Vec::new();
    for line in cells.spokes.chunk_by(|a, b| a.ends == b.ends) {
        around.clear();
        around.extend(line.iter().copied().filter(|s| number[s.face as usize] != NONE));
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
    let mut points = vec![[0.0; 3]; count];
    let mut places = vec![NONE; count];
    // Pieces that touch in a side and hang together at both its ends get points of their own on it.
    let mut middle_of: HashMap<[u32; 2], u32> = HashMap::new();
    let mut middles: HashMap<(u32, [u32; 2]), u32> = HashMap::new();
    for (i, [s, n]) in pairs.iter().enumerate() {
        let ends = |s: &Spoke| s.ends.map(|p| fan_of[corner(s.face, p) as usize]);
        let with = |j: usize| pairs.get(j).is_some_and(|[t, _]| t.ends == s.ends && ends(t) == ends(s));
        let other = (0..i).rev().take_while(|&j| pairs[j][0].ends == s.ends).any(with)
            || (i + 1..pairs.len()).take_while(|&j| pairs[j][0].ends == s.ends).any(with);
        if other {
            let [p, q] = s.ends.map(|p| a.places[p as usize].near);
            for face in [s.face, n.face] {
                middles.insert((number[face as usize], s.ends), points.len() as u32);
            }
            points.push(lerp(p, q, 0.5));
            // One place for all that share the side.
            let same = *middle_of.entry(s.ends).or_insert(a.places.len() as u32 + i as u32);
            places.push(same);
        }
    }
    let mut triangles = Vec::with_capacity(chosen.len());
    let mut origin = Vec::with_capacity(chosen.len());
    let mut whole = 0;
    for (i, &(f, turned)) in chosen.iter().enumerate() {
        let mut t = [0, 1, 2].map(|k| fan_of[3 * i + k]);
        for k in 0..3 {
            let place = a.faces[f as usize][k];
            points[t[k] as usize] = a.places[place as usize].near;
            places[t[k] as usize] = place;
        }
        let corners = a.faces[f as usize];
        let mut middle = [0, 1, 2].map(|k| {
            let (p, q) = (corners[k], corners[(k + 1) % 3]);
            middles.get(&(i as u32, [p.min(q), p.max(q)])).copied()
        });
        if turned {
            t.swap(1, 2);
            middle.swap(0, 2);
        }
        if (f as usize) < a.whole && middle == [None; 3] {
            whole = triangles.len() + 1;
        }
        split(t, middle, &mut triangles);
        // Of several facets of one place the one that faces as the result does.
        let sources = a.sources(f);
        let from = sources.iter().find(|s| s.same_way != turned).unwrap_or(&sources[0]).facet;
        origin.resize(triangles.len(), from);
    }
    (Rebuilt { mesh: Mesh { points, triangles }, origin }, places, whole)
}

/// Numbers the fans of chosen faces in the order of their first corners: all faces at a plain place are one, others are
/// what has been united. Gives the number for each corner, and how many there are.
fn numbered(a: &Arrangement, chosen: &[(u32, bool)], fans: &Sets) -> (Vec<u32>, usize) {
    let mut at_place = vec![NONE; a.mesh.points.len()];
    let mut at_root = vec![NONE; 3 * chosen.len()];
    let mut count = 0;
    let mut number = Vec::with_capacity(3 * chosen.len());
    for (i, (f, _)) in chosen.iter().enumerate() {
        for (k, p) in a.faces[*f as usize].iter().enumerate() {
            let known = match a.plain[*p as usize] {
                true => &mut at_place[*p as usize],
                false => &mut at_root[fans.root((3 * i + k) as u32) as usize],
            };
            if *known == NONE {
                *known = count;
                count += 1;
            }
            number.push(*known);
        }
    }
    (number, count as usize)
}

/// Pulls points that stand in one place, each of a fan of facets of its own, a little towards the ring around them, so
/// that what only touched is apart, also once it is written in single precision. At `plain` places there is one only.
fn pull_apart(mesh: &mut Mesh, places: &[u32], plain: impl Fn(u32) -> bool) -> usize {
    let rough = places.iter().zip(0..).filter(|(place, _)| !plain(**place));
    let mut fans: Vec<(u32, u32)> = rough.map(|(place, p)| (*place, p)).collect();
    fans.sort_unstable();
    let shared: Vec<u32> =
        fans.chunk_by(|a, b| a.0 == b.0).filter(|run| run.len() > 1).flatten().map(|x| x.1).collect();
    if shared.is_empty() {
        return 0;
    }
    let far = APART * mesh.bounds().diagonal();
    // For each shared point the sum and number of the points around it, and the nearest of them.
    let mut rings: HashMap<u32, (Point, f64, f64)> =
        shared.iter().map(|p| (*p, ([0.0; 3], 0.0, f64::INFINITY))).collect();
    for t in &mesh.triangles {
        for k in 0..3 {
            if let Some(ring) = rings.get_mut(&t[k]) {
                for q in [t[(k + 1) % 3], t[(k + 2) % 3]] {
                    let place = mesh.points[q as usize];
                    ring.0 = add(ring.0, place);
                    ring.1 += 1.0;
                    ring.2 = ring.2.min(distance(place, mesh.points[t[k] as usize]));
                }
            }
        }
    }
    let moved: Vec<(u32, Point)> = rings
        .into_iter()
        .filter_map(|(p, (sum, n, nearest))| {
            let from = mesh.points[p as usize];
            let way = unit(sub(scale(sum, 1.0 / n), from))?;
            Some((p, add(from, scale(way, far.min(0.05 * nearest)))))
        })
        .collect();
    let count = moved.len();
    for (p, place) in moved {
        mesh.points[p as usize] = place;
    }
    count
}

/// Splits a facet at points in the middle of its sides.
fn split([a, b, c]: [u32; 3], middle: [Option<u32>; 3], out: &mut Vec<[u32; 3]>) {
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
fn seam(rebuilt: &Rebuilt, body_of: &[u32]) -> Vec<[u32; 2]> {
    let body = |f: u32| body_of[rebuilt.origin[f as usize] as usize];
    // Sides between facets of one body are most, and none of the seam: those at its points are enough.
    let mut at = vec![NONE; rebuilt.mesh.points.len()];
    let mut mixed = vec![false; rebuilt.mesh.points.len()];
    for (f, t) in rebuilt.mesh.triangles.iter().enumerate() {
        for p in t.map(|p| p as usize) {
            let b = body(f as u32);
            mixed[p] |= at[p] != NONE && at[p] != b;
            at[p] = b;
        }
    }
    let mut sides: Vec<([u32; 2], u32)> = Vec::new();
    for (f, t) in rebuilt.mesh.triangles.iter().enumerate() {
        for k in 0..3 {
            let (p, q) = (t[k], t[(k + 1) % 3]);
            if mixed[p as usize] && mixed[q as usize] {
                sides.push(([p.min(q), p.max(q)], body(f as u32)));
            }
        }
    }
    sides.sort_unstable();
    sides.chunk_by(|a, b| a.0 == b.0).filter(|run| run.iter().any(|s| s.1 != run[0].1)).map(|run| run[0].0).collect()
}
