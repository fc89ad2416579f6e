//! Flow in the plane on the triangles of a mesh itself, beside that on the lattice: what is handed over is tried as it is.
//!
//! Elements whose unknowns stand in the middles of edges (M. Crouzeix and P.-A. Raviart, 1973): of a potential, or of a velocity
//! with one pressure a triangle. What goes into each triangle comes out of it again. The pressure is found by an augmented
//! Lagrangian (M. Fortin and R. Glowinski, 1983): few solutions with one sparse Cholesky factor. For a unit of depth and of viscosity.

use crate::flow::{FlowError, How, Opening};
use crate::lattice::Kind;
use faer::linalg::solvers::Solve;
use faer::sparse::linalg::solvers::Llt;
use faer::sparse::{SparseColMat, Triplet};
use faer::{Mat, Side};
use hull_geometry::{PointId, Watch};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use typed_index_collections::TiSlice;

/// More triangles than this are not tried: they take a gigabyte.
const MOST_TRIANGLES: usize = 200_000;
/// How much more a triangle's gain weighs than friction.
const PENALTY: f64 = 1e4;
/// What all triangles may gain, as a part of what comes in; and solutions at most to come there.
const TIGHT: f64 = 1e-9;
const MOST_SOLUTIONS: usize = 60;

/// A mesh of the plane.
pub struct Plane<'a> {
    /// Places.
    pub points: &'a TiSlice<PointId, [f64; 2]>,
    /// Anticlockwise.
    pub triangles: &'a [[PointId; 3]],
    /// What each edge of one triangle alone is, by its ends, the lower number first; walls are left out.
    pub sides: &'a HashMap<[PointId; 2], Kind>,
}

/// What came of it.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct InPlane {
    /// Triangles of the mesh.
    pub triangles: usize,
    /// Into the region through each opening, for a difference of one between inlets and outlets; empty if there are more
    /// triangles than are tried.
    pub flows: Vec<f64>,
    /// What comes in less what goes out, as a part of what comes in.
    pub imbalance: f64,
}

impl InPlane {
    fn of(triangles: usize, flows: Vec<f64>) -> InPlane {
        let total = |way: f64| flows.iter().map(|f| (way * f).max(0.0)).sum::<f64>();
        let (comes_in, goes_out) = (total(1.0), total(-1.0));
        InPlane { triangles, flows, imbalance: (comes_in - goes_out) / comes_in.max(f64::MIN_POSITIVE) }
    }

    /// Whether there are more triangles than are tried.
    pub fn are_too_many(&self) -> bool {
        self.triangles > MOST_TRIANGLES
    }

    /// All that comes in.
    pub fn comes_in(&self) -> f64 {
        self.flows.iter().map(|f| f.max(0.0)).sum()
    }
}

/// Tries the flow on the triangles of a mesh, if they are not too many. `None` if the matrix has no factor: no opening holds
/// what is tried.
///
/// # Errors
/// [`FlowError::Cancelled`].
pub fn solve(plane: &Plane, openings: &[Opening], how: How, watch: &Watch) -> Result<Option<InPlane>, FlowError> {
    if plane.triangles.len() > MOST_TRIANGLES {
        return Ok(Some(InPlane { triangles: plane.triangles.len(), ..InPlane::default() }));
    }
    let edges = Edges::of(plane);
    watch.report(0.94, "trying the flow on the body's own triangles")?;
    let level = |o: u16| f64::from(u8::from(openings.get(usize::from(o)).is_some_and(|o| o.inlet)));
    let flows = match how {
        How::Potential => potential(plane, &edges, openings.len(), &level),
        How::Creeping => creeping(plane, &edges, openings.len(), &level, watch)?,
    };
    Ok(flows.map(|flows| InPlane::of(plane.triangles.len(), flows)))
}

/// The edges of triangles, each once.
struct Edges {
    /// Of each triangle, opposite its corners.
    of: Vec<[u32; 3]>,
    /// What each is to the flow; `None` between two triangles.
    kind: Vec<Option<Kind>>,
    /// From end to end, as the triangle that saw it first runs around.
    way: Vec<[f64; 2]>,
}

impl Edges {
    fn of(plane: &Plane) -> Edges {
        let mut number: HashMap<[PointId; 2], u32> = HashMap::new();
        let mut out = Edges { of: Vec::new(), kind: Vec::new(), way: Vec::new() };
        for t in plane.triangles {
            out.of.push([0, 1, 2].map(|k| {
                let (a, b) = (t[(k + 1) % 3], t[(k + 2) % 3]);
                let key = [a.min(b), a.max(b)];
                if let Some(known) = number.get(&key) {
                    out.kind[*known as usize] = None;
                    return *known;
                }
                number.insert(key, out.way.len() as u32);
                let [p, q] = [a, b].map(|c| plane.points[c]);
                out.way.push([q[0] - p[0], q[1] - p[1]]);
                out.kind.push(Some(plane.sides.get(&key).copied().unwrap_or(Kind::Wall)));
                out.way.len() as u32 - 1
            }));
        }
        out
    }

    fn length(&self, e: usize) -> f64 {
        self.way[e][0].hypot(self.way[e][1])
    }

    /// The outward normal of an edge of one triangle alone, as long as the edge.
    fn outward(&self, e: usize) -> [f64; 2] {
        [self.way[e][1], -self.way[e][0]]
    }

    fn openings(&self) -> impl Iterator<Item = (usize, u16)> {
        let opening = |(e, kind): (usize, &Option<Kind>)| match kind {
            Some(Kind::Opening(o)) => Some((e, *o)),
            _ => None,
        };
        self.kind.iter().enumerate().filter_map(opening)
    }
}

/// Twice a triangle's area and, for each corner, the gradient of the function that is one in the middle of the edge opposite
/// it and nought in the middles of the others, times twice the area.
fn shape(plane: &Plane, t: [PointId; 3]) -> (f64, [[f64; 2]; 3]) {
    let p = t.map(|c| plane.points[c]);
    let twice = (p[1][0] - p[0][0]) * (p[2][1] - p[0][1]) - (p[1][1] - p[0][1]) * (p[2][0] - p[0][0]);
    let slopes = [0, 1, 2].map(|k: usize| {
        let (a, b) = (p[(k + 1) % 3], p[(k + 2) % 3]);
        [-2.0 * (a[1] - b[1]), -2.0 * (b[0] - a[0])]
    });
    (twice, slopes)
}

fn product(a: [f64; 2], b: [f64; 2]) -> f64 {
    a[0] * b[0] + a[1] * b[1]
}

/// A symmetric matrix with its factor.
struct Factored {
    matrix: SparseColMat<usize, f64>,
    factor: Llt<usize, f64>,
}

impl Factored {
    fn of(n: usize, entries: &[Triplet<usize, usize, f64>]) -> Option<Factored> {
        let matrix = SparseColMat::<usize, f64>::try_new_from_triplets(n, n, entries).ok()?;
        let factor = matrix.sp_cholesky(Side::Lower).ok()?;
        Some(Factored { matrix, factor })
    }

    /// Solves, and once more for what rounding has left: penalties cost digits.
    fn solve(&self, right: &[f64]) -> Vec<f64> {
        let right = Mat::from_fn(right.len(), 1, |i, _| right[i]);
        let mut found = self.factor.solve(&right);
        found += self.factor.solve(&right - &self.matrix * &found);
        (0..found.nrows()).map(|i| found[(i, 0)]).collect()
    }
}

/// Flow along the gradient of a potential that no wall lets through. What goes through an opening is what its edges' equations
/// lack.
fn potential(plane: &Plane, edges: &Edges, openings: usize, level: &dyn Fn(u16) -> f64) -> Option<Vec<f64>> {
    let mut held = vec![None; edges.way.len()];
    edges.openings().for_each(|(e, o)| held[e] = Some(o));
    let mut free = 0;
    let unknown: Vec<Option<usize>> = held
        .iter()
        .map(|h| {
            free += usize::from(h.is_none());
            h.is_none().then(|| free - 1)
        })
        .collect();
    let (mut entries, mut right) = (Vec::new(), vec![0.0; free]);
    let each = |visit: &mut dyn FnMut(usize, usize, f64)| {
        for (t, own) in plane.triangles.iter().zip(&edges.of) {
            let (twice, slopes) = shape(plane, *t);
            if twice > 0.0 {
                for (i, j) in (0..9).map(|n| (n / 3, n % 3)) {
                    visit(own[i] as usize, own[j] as usize, product(slopes[i], slopes[j]) / (2.0 * twice));
                }
            }
        }
    };
    each(&mut |a, b, w| match (unknown[a], unknown[b], held[b]) {
        (Some(i), Some(j), _) => entries.push(Triplet::new(i, j, w)),
        (Some(i), None, Some(o)) => right[i] -= w * level(o),
        _ => {}
    });
    let found = Factored::of(free, &entries)?.solve(&right);
    let value = |e: usize| unknown[e].map_or_else(|| held[e].map_or(0.0, level), |i| found[i]);
    let mut flows = vec![0.0; openings];
    each(&mut |a, b, w| {
        if let Some(o) = held[a] {
            flows[usize::from(o)] += w * value(b);
        }
    });
    Some(flows)
}

/// Friction and pressure without inertia: still at walls, along planes of symmetry only, freely on through openings, on which
/// the pressure stands.
fn creeping(
    plane: &Plane,
    edges: &Edges,
    openings: usize,
    level: &dyn Fn(u16) -> f64,
    watch: &Watch,
) -> Result<Option<Vec<f64>>, FlowError> {
    let mut count = 0;
    let mut next = |direction: [f64; 2]| {
        count += 1;
        (direction, count - 1)
    };
    // The directions in which each edge's middle may move, with their unknowns.
    let free: Vec<Vec<([f64; 2], usize)>> = (0..edges.way.len())
        .map(|e| match edges.kind[e] {
            Some(Kind::Wall) => Vec::new(),
            Some(Kind::Slip) => {
                let length = edges.length(e).max(f64::MIN_POSITIVE);
                vec![next(edges.way[e].map(|x| x / length))]
            }
            _ => vec![next([1.0, 0.0]), next([0.0, 1.0])],
        })
        .collect();
    // What a triangle gains from each unknown, per unit.
    let gain = |own: &[u32; 3], slopes: &[[f64; 2]; 3]| -> Vec<(usize, f64)> {
        let of = |k: usize| free[own[k] as usize].iter().map(move |(d, i)| (*i, 0.5 * product(*d, slopes[k])));
        (0..3).flat_map(of).collect()
    };
    let mut entries = Vec::new();
    let mut gains: Vec<Vec<(usize, f64)>> = Vec::with_capacity(plane.triangles.len());
    for (t, own) in plane.triangles.iter().zip(&edges.of) {
        let (twice, slopes) = shape(plane, *t);
        if twice <= 0.0 {
            gains.push(Vec::new());
            continue;
        }
        for (k, l) in (0..9).map(|n| (n / 3, n % 3)) {
            let w = product(slopes[k], slopes[l]) / (2.0 * twice);
            for (d, i) in &free[own[k] as usize] {
                entries.extend(free[own[l] as usize].iter().map(|(e, j)| Triplet::new(*i, *j, w * product(*d, *e))));
            }
        }
        let own = gain(own, &slopes);
        for (i, a) in &own {
            entries.extend(own.iter().map(|(j, b)| Triplet::new(*i, *j, PENALTY * 2.0 / twice * a * b)));
        }
        gains.push(own);
    }
    watch.check()?;
    let Some(factored) = Factored::of(count, &entries) else { return Ok(None) };
    let mut pressed = vec![0.0; count];
    for (e, o) in edges.openings() {
        free[e].iter().for_each(|(d, i)| pressed[*i] -= level(o) * product(edges.outward(e), *d));
    }
    let mut pressure = vec![0.0; gains.len()];
    let mut flows = vec![0.0; openings];
    for _ in 0..MOST_SOLUTIONS {
        watch.check()?;
        let mut right = pressed.clone();
        for (p, own) in pressure.iter().zip(&gains) {
            own.iter().for_each(|(i, a)| right[*i] += p * a);
        }
        let velocity = factored.solve(&right);
        flows.fill(0.0);
        for (e, o) in edges.openings() {
            let through = free[e].iter().map(|(d, i)| velocity[*i] * product(edges.outward(e), *d));
            flows[usize::from(o)] -= through.sum::<f64>();
        }
        let mut all = 0.0;
        for ((p, own), t) in pressure.iter_mut().zip(&gains).zip(plane.triangles) {
            let gained: f64 = own.iter().map(|(i, a)| velocity[*i] * a).sum();
            all += gained.abs();
            let (twice, _) = shape(plane, *t);
            *p -= PENALTY * gained * 2.0 / twice.max(f64::MIN_POSITIVE);
        }
        if all <= TIGHT * flows.iter().map(|f: &f64| f.abs()).sum::<f64>() {
            break;
        }
    }
    Ok(Some(flows))
}
