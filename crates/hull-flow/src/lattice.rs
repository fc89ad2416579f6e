//! A lattice of cubes around a surface: cells that a facet touches are wall (triangle against box by separating axes:
//! T. Akenine-Möller, 2001), the others are free.

use crate::leaks::LeakError;
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::{V3, cross, dot, sub};
use hull_geometry::{Mesh, Point, Watch};

pub(crate) const FREE: u8 = 0;
pub(crate) const WALL: u8 = 1;
/// A part of a cell that rounding of places stays below.
const ROUNDING: f64 = 1e-6;

pub(crate) struct Lattice {
    pub low: Point,
    pub cell: f64,
    /// How many cells along x, y, z.
    pub size: [usize; 3],
    /// [`FREE`] or [`WALL`], x fastest.
    pub state: Vec<u8>,
}

impl Lattice {
    /// The lattice around a surface, wider than it by a margin on each side, of so many cells at most.
    pub fn of(mesh: &Mesh, cell: f64, margin: f64, most: f64, watch: &Watch) -> Result<Lattice, LeakError> {
        let bounds = mesh.bounds().grown(margin);
        let extent = bounds.size();
        let cells: f64 = extent.iter().map(|s| (s / cell).ceil().max(1.0)).product();
        if cells > most || !cells.is_finite() {
            return Err(LeakError::TooMany(cells, most));
        }
        let size = extent.map(|s| (s / cell).ceil().max(1.0) as usize);
        let mut lattice = Lattice { low: bounds.min, cell, size, state: vec![FREE; size.iter().product()] };
        for f in mesh.triangles.keys() {
            if f.0.is_multiple_of(4096) {
                watch.report(0.3 * f64::from(f.0) / mesh.triangles.len() as f64, "marking walls")?;
            }
            lattice.mark(mesh.corners(f));
        }
        Ok(lattice)
    }

    pub fn number(&self, [i, j, k]: [usize; 3]) -> usize {
        (k * self.size[1] + j) * self.size[0] + i
    }

    pub fn cell_of(&self, n: usize) -> [usize; 3] {
        [n % self.size[0], n / self.size[0] % self.size[1], n / (self.size[0] * self.size[1])]
    }

    pub fn middle(&self, n: usize) -> Point {
        let c = self.cell_of(n);
        [0, 1, 2].map(|k| self.low[k] + (c[k] as f64 + 0.5) * self.cell)
    }

    pub fn at(&self, p: Point) -> Option<usize> {
        let c = [0, 1, 2].map(|k| ((p[k] - self.low[k]) / self.cell).floor());
        let inside = (0..3).all(|k| c[k] >= 0.0 && c[k] < self.size[k] as f64);
        inside.then(|| self.number(c.map(|x| x as usize)))
    }

    fn mark(&mut self, t: [Point; 3]) {
        let b = Bounds::of(t);
        let index =
            |x: f64, k: usize| (((x - self.low[k]) / self.cell).floor().max(0.0) as usize).min(self.size[k] - 1);
        // A facet in the plane between two cells is in both: rounding must not lose it to neither.
        let near = ROUNDING * self.cell;
        let (from, to) = ([0, 1, 2].map(|k| index(b.min[k] - near, k)), [0, 1, 2].map(|k| index(b.max[k] + near, k)));
        for k in from[2]..=to[2] {
            for j in from[1]..=to[1] {
                for i in from[0]..=to[0] {
                    let n = self.number([i, j, k]);
                    if self.state[n] != WALL && touches(t, self.middle(n), 0.5 * self.cell + near) {
                        self.state[n] = WALL;
                    }
                }
            }
        }
    }

    pub fn neighbours(&self, n: usize) -> impl Iterator<Item = usize> + '_ {
        let c = self.cell_of(n);
        (0..6).filter_map(move |s| {
            let k = s / 2;
            let mut d = c;
            if s % 2 == 0 {
                d[k] = d[k].checked_sub(1)?;
            } else {
                d[k] += 1;
                if d[k] >= self.size[k] {
                    return None;
                }
            }
            Some(self.number(d))
        })
    }
}

/// Whether a triangle meets a cube.
fn touches(t: [Point; 3], middle: Point, half: f64) -> bool {
    let v = t.map(|p| sub(p, middle));
    let apart = |axis: V3| {
        let h = v.map(|p| dot(p, axis));
        let reach = half * axis.iter().map(|x| x.abs()).sum::<f64>();
        h.iter().copied().fold(f64::INFINITY, f64::min) > reach
            || h.iter().copied().fold(f64::NEG_INFINITY, f64::max) < -reach
    };
    let edges = [sub(v[1], v[0]), sub(v[2], v[1]), sub(v[0], v[2])];
    let units = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
    !(units.into_iter().any(apart)
        || apart(cross(edges[0], edges[1]))
        || edges.iter().any(|e| units.iter().any(|u| apart(cross(*u, *e)))))
}
