//! The largest distance of one surface from another, with a bound: the one-sided Hausdorff distance by branch and bound.
//!
//! The distance to a facet is convex, so that over a convex piece it is largest at a corner: a piece all of whose corners
//! are near one facet is settled (the bound of M. Tang, M. Lee and Y. Kim, “Interactive Hausdorff distance computation for
//! general polygonal models”, ACM SIGGRAPH 2009). Of a piece that lies over several facets the part over each, and no
//! further from it than what is known already, is cut off; what is left over is looked at again.

use crate::mesh::{Bounds, FacetId, Mesh, Point, PointId};
use crate::nearest::nearest_on_triangle;
use crate::tree::FacetTree;
use crate::vector::{add, cross, distance, dot, lerp, norm, scale, sub, unit};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::HashMap;

/// The bound lies within this part of the distance.
const TOLERANCE: f64 = 5e-3;
/// Smaller differences than this part of the surfaces' size do not count.
const SMALL: f64 = 1e-7;
const ROUNDS: usize = 24;
/// Pieces that are looked at in one round; beyond that the bound stays as it is.
const MOST_PIECES: usize = 3_000_000;

/// Pieces within which the largest distance is looked for first.
const PROMISING: usize = 1000;
/// Facets that a piece is cut along.
const MOST_FACETS: usize = 48;

/// A distance that is reached, where, and one that is nowhere exceeded.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Hausdorff {
    /// Reached.
    pub distance: f64,
    /// Where on the first surface.
    pub at: Point,
    /// Nowhere on the first surface exceeded.
    pub bound: f64,
}

/// A place with its distance and the facet that is nearest to it.
type Sample = (Point, f64, FacetId);
/// A flat piece of a facet by its corners.
type Piece = [Sample; 3];

/// What became of a piece.
#[derive(Default)]
struct Seen {
    left: Vec<Piece>,
    furthest: Option<(f64, Point)>,
    bound: f64,
}

struct Search<'a> {
    to: &'a Mesh,
    tree: &'a FacetTree,
    /// Differences that do not count.
    small: f64,
}

/// The largest distance of some facets of a surface from another one, known to be at least `known`, which is reached at a
/// place.
///
/// # Errors
/// [`Cancelled`].
pub fn one_sided(
    from: &Mesh,
    facets: &[FacetId],
    (to, tree): (&Mesh, &FacetTree),
    known: (f64, Point),
    watch: &Watch,
) -> Result<Hausdorff, Cancelled> {
    let size = from.bounds().union(to.bounds()).diagonal();
    let search = Search { to, tree, small: SMALL * size };
    let mut out = Hausdorff { distance: known.0, at: known.1, bound: known.0 };
    let points = search.points(from, facets, watch)?;
    let whole = |f: FacetId| from.triangles[f].map(|p| points[&p]);
    for (d, p) in search.promising(facets, whole) {
        if d > out.distance {
            (out.distance, out.at) = (d, p);
        }
    }
    let mut pieces: Vec<Piece> = Vec::new();
    for round in 0..ROUNDS {
        watch.check()?;
        let limit = out.distance * (1.0 + TOLERANCE) + search.small;
        let look = |piece: Piece| search.look(piece, limit, round + 1 == ROUNDS);
        let seen: Vec<Seen> = match round {
            0 => facets
                .par_iter()
                .map(|&f| if watch.check().is_ok() { look(whole(f)) } else { Seen::default() })
                .collect(),
            _ => {
                pieces.into_par_iter().map(|p| if watch.check().is_ok() { look(p) } else { Seen::default() }).collect()
            }
        };
        watch.check()?;
        // What is settled lies within the limit of its round.
        out.bound = out.bound.max(limit);
        pieces = Vec::new();
        for s in seen {
            if let Some((d, p)) = s.furthest.filter(|f| f.0 > out.distance) {
                (out.distance, out.at) = (d, p);
            }
            out.bound = out.bound.max(s.bound);
            pieces.extend(s.left);
        }
        if pieces.is_empty() {
            break;
        }
        if pieces.len() > MOST_PIECES {
            out.bound = pieces.par_iter().map(loose_bound).reduce(|| out.bound, f64::max);
            break;
        }
    }
    out.bound = out.bound.max(out.distance);
    Ok(out)
}

/// No place of a piece is further than its middle's distance and the way there: by the triangle inequality.
fn loose_bound(piece: &Piece) -> f64 {
    let reach =
        |i: usize| (0..3).map(|k| distance(piece[i].0, piece[k].0)).fold(piece[i].1, |b, d| b.max(piece[i].1 + d));
    (0..3).map(reach).fold(f64::INFINITY, f64::min)
}

impl Search<'_> {
    /// The nearest facet of a place, looked for no further than one that may be near it.
    fn place(&self, p: Point, hint: FacetId) -> Sample {
        let off = sub(p, nearest_on_triangle(p, self.to.corners(hint)));
        let known = dot(off, off);
        let found = self.tree.nearest(self.to, p, known);
        found.map_or((p, known.sqrt(), hint), |n| (p, n.1.sqrt(), n.0))
    }

    /// The nearest facet of each point that the facets use.
    fn points(&self, from: &Mesh, facets: &[FacetId], watch: &Watch) -> Result<HashMap<PointId, Sample>, Cancelled> {
        let mut numbers: Vec<PointId> = facets.iter().flat_map(|&f| from.triangles[f]).collect();
        numbers.par_sort_unstable();
        numbers.dedup();
        let places: Vec<Vec<(PointId, Sample)>> = numbers
            .par_chunks(1 << 12)
            .map(|chunk| {
                watch.check()?;
                // Neighbours in the list are often near each other.
                let mut hint = FacetId(0);
                let place = |&n: &PointId| {
                    let place = self.place(from.points[n], hint);
                    hint = place.2;
                    (n, place)
                };
                Ok(chunk.iter().map(place).collect())
            })
            .collect::<Result<_, Cancelled>>()?;
        Ok(places.into_iter().flatten().collect())
    }

    /// Distances at the corners of all facets, and within those whose corners are furthest: the nearer the first guess comes
    /// to the largest, the more is settled at once.
    fn promising(&self, facets: &[FacetId], whole: impl Fn(FacetId) -> Piece) -> Vec<(f64, Point)> {
        let furthest = |piece: &Piece| piece.iter().map(|c| c.1).fold(0.0, f64::max);
        let mut order: Vec<(f64, FacetId)> = facets.iter().map(|&f| (furthest(&whole(f)), f)).collect();
        order.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let mut out: Vec<(f64, Point)> = order.first().iter().flat_map(|o| whole(o.1)).map(|c| (c.1, c.0)).collect();
        let mut pieces: Vec<Piece> = order.iter().take(PROMISING).map(|o| whole(o.1)).collect();
        for _ in 0..3 {
            let divided = |p: &Piece| quarters(p.map(|c| c.0)).map(|t| t.map(|q| self.place(q, p[0].2)));
            pieces = pieces.par_iter().flat_map_iter(divided).collect();
            pieces.sort_by(|a, b| furthest(b).total_cmp(&furthest(a)));
            pieces.truncate(PROMISING);
            out.extend(pieces.iter().flatten().map(|c| (c.1, c.0)));
        }
        out
    }

    /// Settles a piece as far as it goes within `limit`.
    fn look(&self, piece: Piece, limit: f64, last: bool) -> Seen {
        let mut seen = Seen::default();
        let mut furthest = |p: &Sample| {
            if seen.furthest.is_none_or(|f| p.1 > f.0) {
                seen.furthest = Some((p.1, p.0));
            }
        };
        piece.iter().for_each(&mut furthest);
        if loose_bound(&piece) <= limit {
            return seen;
        }
        let corners = piece.map(|c| c.0);
        let is_near = |f: FacetId| {
            let facet = self.to.corners(f);
            corners.iter().all(|&p| distance(nearest_on_triangle(p, facet), p) <= limit)
        };
        if piece.iter().any(|c| is_near(c.2)) {
            return seen;
        }
        let middle = scale(add(corners[0], add(corners[1], corners[2])), 1.0 / 3.0);
        let inner = self.place(middle, piece[0].2);
        furthest(&inner);
        if is_near(inner.2) {
            return seen;
        }
        let mut near = Vec::new();
        let around = Bounds::of(corners);
        if around.diagonal() > limit {
            self.tree.in_box(&around.grown(limit), |f| near.push(f));
        }
        // Of many the nearest will do: what they leave over is looked at again.
        if near.is_empty() || near.len() > MOST_FACETS {
            let sides = [0, 1, 2].map(|k| self.place(lerp(corners[k], corners[(k + 1) % 3], 0.5), piece[k].2));
            sides.iter().for_each(&mut furthest);
            near = sides.iter().chain(&piece).map(|c| c.2).chain([inner.2]).collect();
        }
        near.sort_unstable();
        near.dedup();
        let mut rest: Vec<Vec<Point>> = vec![corners.to_vec()];
        for &f in &near {
            rest = self.without(rest, f, limit);
            if rest.is_empty() {
                return seen;
            }
        }
        let uncut = rest.len() == 1 && rest[0] == corners;
        // Over an edge that bends away a strip is left, which is near the facets beside it.
        let settled = |part: &Vec<Point>| {
            near.iter().any(|&f| {
                let facet = self.to.corners(f);
                part.iter().all(|&p| distance(nearest_on_triangle(p, facet), p) <= limit)
            })
        };
        rest.retain(|part| !settled(part));
        let parts: Vec<[Point; 3]> = if uncut { quarters(corners).to_vec() } else { fans(&rest) };
        for part in parts {
            let part = part.map(|p| self.place(p, inner.2));
            part.iter().for_each(&mut furthest);
            if last {
                seen.bound = seen.bound.max(loose_bound(&part));
            } else {
                seen.left.push(part);
            }
        }
        seen
    }

    /// Convex pieces of a plane without what lies over a facet and no further from it than `limit`.
    fn without(&self, pieces: Vec<Vec<Point>>, facet: FacetId, limit: f64) -> Vec<Vec<Point>> {
        let corners = self.to.corners(facet);
        let Some(normal) = unit(self.to.area_vector(facet)) else { return pieces };
        // A little over its edges it is as near as makes no difference.
        let over = (1e-3 * limit + self.small).min(0.5 * limit);
        let flat = (limit * limit - over * over).max(0.0).sqrt();
        let height = dot(normal, corners[0]);
        // Sides moved out meet further off the sharper the corner: of no corner further than `over`.
        let mut long = [0, 1, 2].map(|k| distance(corners[k], corners[(k + 1) % 3]));
        long.sort_by(f64::total_cmp);
        let sharpest = 2.0 * norm(self.to.area_vector(facet)) / (2.0 * long[1] * long[2]);
        let out_by = over * (0.5 * sharpest).min(0.5);
        let side = |k: usize| {
            let (a, b) = (corners[k], corners[(k + 1) % 3]);
            let out = scale(cross(sub(b, a), normal), 1.0 / distance(a, b));
            (out, dot(out, a) + out_by)
        };
        let planes = [side(0), side(1), side(2), (normal, height + flat), (scale(normal, -1.0), flat - height)];
        let beside = |piece: &[Point]| planes.iter().any(|(n, h)| piece.iter().all(|p| dot(*n, *p) >= *h));
        let mut out = Vec::new();
        for piece in pieces {
            if beside(&piece) {
                out.push(piece);
                continue;
            }
            let mut inner = piece;
            let first = out.len();
            let whole = inner.clone();
            for &(n, h) in &planes {
                let (within, beyond) = split(&inner, n, h);
                out.extend(beyond);
                inner = within;
                if inner.len() < 3 {
                    // Nothing of it lies over the facet: it stays in one piece.
                    out.truncate(first);
                    out.push(whole);
                    break;
                }
            }
        }
        out
    }
}

/// A convex piece on either side of a plane: what is within, and what is beyond, if any is.
fn split(piece: &[Point], n: Point, h: f64) -> (Vec<Point>, Option<Vec<Point>>) {
    let off: Vec<f64> = piece.iter().map(|&p| dot(n, p) - h).collect();
    if off.iter().all(|d| *d <= 0.0) {
        return (piece.to_vec(), None);
    }
    if off.iter().all(|d| *d >= 0.0) {
        return (Vec::new(), Some(piece.to_vec()));
    }
    let (mut within, mut beyond) = (Vec::new(), Vec::new());
    for i in 0..piece.len() {
        let j = (i + 1) % piece.len();
        if off[i] <= 0.0 {
            within.push(piece[i]);
        }
        if off[i] >= 0.0 {
            beyond.push(piece[i]);
        }
        if (off[i] < 0.0 && off[j] > 0.0) || (off[i] > 0.0 && off[j] < 0.0) {
            let cut = lerp(piece[i], piece[j], off[i] / (off[i] - off[j]));
            within.push(cut);
            beyond.push(cut);
        }
    }
    (within, (beyond.len() >= 3).then_some(beyond))
}

fn quarters([a, b, c]: [Point; 3]) -> [[Point; 3]; 4] {
    let [ab, bc, ca] = [lerp(a, b, 0.5), lerp(b, c, 0.5), lerp(c, a, 0.5)];
    [[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]
}

/// Convex pieces as triangles; long ones are halved, so that they get smaller from round to round.
fn fans(pieces: &[Vec<Point>]) -> Vec<[Point; 3]> {
    let mut out = Vec::new();
    for p in pieces {
        for i in 1..p.len() - 1 {
            let t = [p[0], p[i], p[i + 1]];
            let sides = [0, 1, 2].map(|k| distance(t[k], t[(k + 1) % 3]));
            let long = if sides[0] >= sides[1] && sides[0] >= sides[2] {
                0
            } else if sides[1] >= sides[2] {
                1
            } else {
                2
            };
            let (a, b, c) = (t[long], t[(long + 1) % 3], t[(long + 2) % 3]);
            if norm(cross(sub(b, a), sub(c, a))) > 0.0 {
                let m = lerp(a, b, 0.5);
                out.extend([[a, m, c], [m, b, c]]);
            }
        }
    }
    out
}
