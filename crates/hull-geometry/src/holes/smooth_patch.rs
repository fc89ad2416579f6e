//! A patch over a hole that goes on as the surface around it does: as dense, and bent alike.
//!
//! P. Liepa, *Filling holes in meshes*, SGP 2003: facets of a first filling are divided until they are as dense as the
//! rim, edges turned towards Delaunay's condition, and the new points placed so that the surface bends evenly (the sum
//! of squares of the second-order umbrella vectors is least; conjugate gradients).

use crate::mesh::{Bounds, Mesh, Point, PointId};
use crate::vector::{add, area_vector, cross, distance, dot, norm, scale, sub};
use std::collections::{BTreeMap, HashMap, HashSet};

/// Points that one patch gets at most.
const MOST: usize = 60_000;
/// Rounds in which a patch is spanned like a skin.
const SPANNING: usize = 400;

/// New points and facets; a corner below the rim's length is a point of the rim, the others count on from there.
#[derive(Debug)]
pub struct Fill {
    /// New points.
    pub points: Vec<Point>,
    /// Numbers of rim points, then of new ones.
    pub triangles: Vec<[u32; 3]>,
}

/// Makes a filling without new points (`first`, corners counted along the rim) dense and smooth. `rim` are points of
/// `mesh`, `around` the points beside each of them on the surface: two of the rim that are so get no other edge.
pub fn smooth_patch(mesh: &Mesh, rim: &[PointId], first: &[[u32; 3]], around: &[Vec<PointId>]) -> Fill {
    let places: Vec<Point> = rim.iter().map(|&p| mesh.points[p]).collect();
    let mut sizes: Vec<f64> = places
        .iter()
        .zip(around)
        .map(|(p, list)| {
            let sum: f64 = list.iter().map(|&q| distance(*p, mesh.points[q])).sum();
            sum / list.len().max(1) as f64
        })
        .collect();
    let number: HashMap<PointId, u32> = rim.iter().zip(0..).map(|(p, i)| (*p, i)).collect();
    let sides = |(i, list): (u32, &Vec<PointId>)| -> Vec<[u32; 2]> {
        list.iter().filter_map(|q| number.get(q)).map(|&j| [i.min(j), i.max(j)]).collect()
    };
    let taken: HashSet<[u32; 2]> = (0..).zip(around).flat_map(sides).collect();
    let mut patch = Work { places, triangles: first.to_vec(), rim: rim.len(), taken };
    patch.relax();
    while patch.places.len() < MOST && patch.divide(&mut sizes) {
        patch.relax();
    }
    // Edges are turned where the points have come to lie.
    for _ in 0..3 {
        patch.fair(mesh, around);
        patch.relax();
    }
    // Where the surface around bends sharply, an even bend may swing far out: such a patch is spanned like a skin instead.
    let room = room(mesh, rim, around);
    if patch.places[rim.len()..].iter().any(|p| !room.contains(&Bounds::of([*p]))) {
        patch.span();
        patch.relax();
    }
    Fill { points: patch.places.split_off(rim.len()), triangles: patch.triangles }
}

/// Where a patch may be: the box of its rim and of the points beside that, grown by half the rim's size, as much as a
/// half ball over it takes.
fn room(mesh: &Mesh, rim: &[PointId], around: &[Vec<PointId>]) -> Bounds {
    let place = |p: &PointId| mesh.points[*p];
    let reach = 0.5 * Bounds::of(rim.iter().map(place)).diagonal();
    Bounds::of(rim.iter().chain(around.iter().flatten()).map(place)).grown(reach)
}

struct Work {
    places: Vec<Point>,
    triangles: Vec<[u32; 3]>,
    rim: usize,
    /// Pairs of the rim that an edge of the surface joins.
    taken: HashSet<[u32; 2]>,
}

impl Work {
    fn at(&self, p: u32) -> Point {
        self.places[p as usize]
    }

    /// Divides facets that are larger than the rim's density asks.
    fn divide(&mut self, sizes: &mut Vec<f64>) -> bool {
        let mut divided = false;
        for f in 0..self.triangles.len() {
            let t = self.triangles[f];
            let c = scale(t.iter().fold([0.0; 3], |s, p| add(s, self.at(*p))), 1.0 / 3.0);
            let size = t.iter().map(|p| sizes[*p as usize]).sum::<f64>() / 3.0;
            let large = t.iter().all(|p| {
                let d = std::f64::consts::SQRT_2 * distance(c, self.at(*p));
                d > size && d > sizes[*p as usize]
            });
            if large && self.places.len() < MOST {
                let m = self.places.len() as u32;
                self.places.push(c);
                sizes.push(size);
                self.triangles[f] = [t[0], t[1], m];
                self.triangles.extend([[t[1], t[2], m], [t[2], t[0], m]]);
                divided = true;
            }
        }
        divided
    }

    /// Turns edges whose opposite corners see them under more than 180° together.
    fn relax(&mut self) {
        for _ in 0..20 {
            let mut edges: BTreeMap<[u32; 2], Vec<u32>> = BTreeMap::new();
            for (f, t) in self.triangles.iter().enumerate() {
                for k in 0..3 {
                    let (a, b) = (t[k], t[(k + 1) % 3]);
                    edges.entry([a.min(b), a.max(b)]).or_default().push(f as u32);
                }
            }
            let mut touched = vec![false; self.triangles.len()];
            let mut turned = false;
            let mut standing: HashSet<[u32; 2]> = edges.keys().chain(&self.taken).copied().collect();
            for (edge, facets) in &edges {
                let [f, g] = facets[..] else { continue };
                if touched[f as usize] || touched[g as usize] {
                    continue;
                }
                let t = self.triangles[f as usize];
                let k = (0..3).find(|&k| edge.contains(&t[k]) && edge.contains(&t[(k + 1) % 3])).unwrap_or(0);
                let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
                let Some(d) = self.triangles[g as usize].into_iter().find(|p| !edge.contains(p)) else { continue };
                let new = [c.min(d), c.max(d)];
                if self.is_bad(a, b, c, d) && !standing.contains(&new) {
                    self.triangles[f as usize] = [a, d, c];
                    self.triangles[g as usize] = [d, b, c];
                    (touched[f as usize], touched[g as usize], turned) = (true, true, true);
                    standing.insert(new);
                }
            }
            if !turned {
                return;
            }
        }
    }

    fn is_bad(&self, a: u32, b: u32, c: u32, d: u32) -> bool {
        let [a, b, c, d] = [a, b, c, d].map(|p| self.at(p));
        let seen = |from: Point| {
            let (u, v) = (sub(a, from), sub(b, from));
            (norm(cross(u, v)), dot(u, v))
        };
        let ((s, x), (t, y)) = (seen(c), seen(d));
        let over = s * y + t * x < -1e-9 * (s * s + x * x).sqrt() * (t * t + y * y).sqrt();
        // The halves must not fold over each other.
        over && dot(area_vector(a, d, c), area_vector(d, b, c)) > 0.0
    }

    /// Places each new point in the middle of those beside it, again and again: the patch stays within the hull of its rim.
    fn span(&mut self) {
        let mut beside: Vec<Vec<u32>> = vec![Vec::new(); self.places.len()];
        for t in &self.triangles {
            for k in 0..3 {
                beside[t[k] as usize].extend([t[(k + 1) % 3], t[(k + 2) % 3]]);
            }
        }
        // From a place that is within it for sure.
        let middle = self.places[..self.rim].iter().fold([0.0; 3], |s, p| add(s, scale(*p, 1.0 / self.rim as f64)));
        self.places[self.rim..].fill(middle);
        for _ in 0..SPANNING {
            for (v, all) in beside.iter().enumerate().skip(self.rim) {
                let sum = all.iter().fold([0.0; 3], |s, q| add(s, self.at(*q)));
                self.places[v] = scale(sum, 1.0 / all.len().max(1) as f64);
            }
        }
    }

    /// Places the new points so that the patch bends evenly.
    fn fair(&mut self, mesh: &Mesh, around: &[Vec<PointId>]) {
        let free = self.places.len() - self.rim;
        if free == 0 {
            return;
        }
        // The points beside each: of the patch by number, fixed ones by place.
        let mut beside: Vec<Vec<u32>> = vec![Vec::new(); self.places.len()];
        for t in &self.triangles {
            for k in 0..3 {
                beside[t[k] as usize].extend([t[(k + 1) % 3], t[(k + 2) % 3]]);
            }
        }
        beside.iter_mut().for_each(|b| {
            b.sort_unstable();
            b.dedup();
        });
        // Each row: weights on free points, and the sum of what is fixed.
        let rows: Vec<(Vec<(usize, f64)>, Point)> = (0..self.places.len())
            .map(|v| {
                let mut others: Vec<Result<usize, Point>> = beside[v]
                    .iter()
                    .map(|&q| if (q as usize) < self.rim { Err(self.at(q)) } else { Ok(q as usize - self.rim) })
                    .collect();
                if v < self.rim {
                    let rim: Vec<Point> = beside[v].iter().map(|&q| self.at(q)).collect();
                    let outside = around[v].iter().map(|&q| mesh.points[q]).filter(|p| !rim.contains(p));
                    others.extend(outside.map(Err));
                }
                let w = 1.0 / others.len().max(1) as f64;
                let mut fixed = [0.0; 3];
                let mut weights: HashMap<usize, f64> = HashMap::new();
                for o in others {
                    match o {
                        Ok(i) => *weights.entry(i).or_insert(0.0) += w,
                        Err(p) => fixed = add(fixed, scale(p, w)),
                    }
                }
                if v < self.rim {
                    fixed = sub(fixed, self.places[v]);
                } else {
                    *weights.entry(v - self.rim).or_insert(0.0) -= 1.0;
                }
                let mut weights: Vec<(usize, f64)> = weights.into_iter().collect();
                weights.sort_unstable_by_key(|w| w.0);
                (weights, fixed)
            })
            .collect();
        // The sum of squared rows is least where its gradient vanishes.
        let product = |x: &[Point]| {
            let mut out = vec![[0.0; 3]; free];
            for (weights, _) in &rows {
                let r = weights.iter().fold([0.0; 3], |s, (i, w)| add(s, scale(x[*i], *w)));
                weights.iter().for_each(|(i, w)| out[*i] = add(out[*i], scale(r, *w)));
            }
            out
        };
        let mut x: Vec<Point> = self.places[self.rim..].to_vec();
        let mut residual = vec![[0.0; 3]; free];
        for (weights, fixed) in &rows {
            weights.iter().for_each(|(i, w)| residual[*i] = sub(residual[*i], scale(*fixed, *w)));
        }
        residual.iter_mut().zip(product(&x)).for_each(|(r, p)| *r = sub(*r, p));
        let square = |v: &[Point]| v.iter().map(|p| dot(*p, *p)).sum::<f64>();
        let mut direction = residual.clone();
        let mut old = square(&residual);
        let enough = old * 1e-20;
        for _ in 0..(4 * free).clamp(200, 4000) {
            if old <= enough {
                break;
            }
            let p = product(&direction);
            let below: f64 = direction.iter().zip(&p).map(|(d, p)| dot(*d, *p)).sum();
            if below <= 0.0 {
                break;
            }
            let step = old / below;
            for i in 0..free {
                x[i] = add(x[i], scale(direction[i], step));
                residual[i] = sub(residual[i], scale(p[i], step));
            }
            let new = square(&residual);
            direction.iter_mut().zip(&residual).for_each(|(d, r)| *d = add(*r, scale(*d, new / old)));
            old = new;
        }
        self.places.truncate(self.rim);
        self.places.extend(x);
    }
}
