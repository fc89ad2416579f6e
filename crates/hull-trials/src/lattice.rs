//! A closed region on a lattice of cubes: which cells lie inside, and where the lines through them cross the surface.
//!
//! Lengths are in cells here. A line's crossings come from the facets that its place falls into, seen along it; a place lies
//! inside where their number before it is odd.

use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::{Cancelled, Mesh, Point, Watch};
use rayon::prelude::*;
use typed_index_collections::{TiSlice, TiVec};

/// Cells of the box around the region at most.
pub const MOST_CELLS: f64 = 12e6;

/// What a facet is to the flow.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// Nothing passes, and the flow rests at it.
    Wall,
    /// Nothing passes, and the flow slips along.
    Slip,
    /// The flow passes: the number of the opening.
    Opening(u16),
}

/// Where a line crosses the surface, in cells along it, and what it meets there.
pub type Crossing = (f32, Kind);

/// Parallel lines through the lattice, by the place where they stand across.
struct Lines {
    /// Lines along the first axis across.
    wide: usize,
    starts: Vec<u32>,
    crossings: Vec<Crossing>,
}

impl Lines {
    fn at(&self, [b, c]: [usize; 2]) -> &[Crossing] {
        let n = c * self.wide + b;
        &self.crossings[self.starts[n] as usize..self.starts[n + 1] as usize]
    }
}

/// Where lines stand across: through middles of cells, or through faces along one of the two axes.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Through {
    /// Middles of cells along both axes.
    Middles,
    /// A face along the next axis.
    FaceOfNext,
    /// A face along the one after.
    FaceOfSecond,
}

const FAMILIES: [Through; 3] = [Through::Middles, Through::FaceOfNext, Through::FaceOfSecond];

pub struct Lattice {
    /// Where cell 0, 0, 0 begins.
    pub low: Point,
    /// The side of a cell.
    pub cell: f64,
    /// Cells along x, y and z.
    pub size: [usize; 3],
    /// Whether a cell's middle lies inside.
    pub inside: Vec<bool>,
    lines: Vec<Lines>,
}

/// What a lattice starts before the box, in cells: no side that is a whole number of cells from another lies on its lines.
const OFFSET: f64 = 1.381_966_011_25;

impl Lattice {
    /// `kind` says what each facet of the closed `mesh` is.
    pub fn of(mesh: &Mesh, kind: &TiSlice<FacetId, Kind>, cell: f64, watch: &Watch) -> Result<Lattice, Cancelled> {
        let bounds = mesh.bounds();
        let low = bounds.min.map(|x| x - OFFSET * cell);
        let size = [0, 1, 2].map(|k| ((bounds.max[k] - low[k]) / cell).ceil() as usize + 2);
        let points: TiVec<PointId, Point> =
            mesh.points.iter().map(|p| [0, 1, 2].map(|k| (p[k] - low[k]) / cell)).collect();
        let mut lattice = Lattice { low, cell, size, inside: Vec::new(), lines: Vec::new() };
        for axis in 0..3 {
            for family in FAMILIES {
                watch.report(0.02 * lattice.lines.len() as f64, "laying the lattice")?;
                let lines = lattice.cross(mesh, &points, kind, axis, family);
                lattice.lines.push(lines);
            }
        }
        let [nx, ny, nz] = size;
        lattice.inside = (0..ny * nz)
            .into_par_iter()
            .flat_map_iter(|n| {
                let line = lattice.crossings(0, Through::Middles, [n % ny, n / ny]);
                (0..nx).map(move |i| line.iter().filter(|c| f64::from(c.0) < i as f64 + 0.5).count() % 2 == 1)
            })
            .collect();
        Ok(lattice)
    }

    /// The number of a cell.
    pub fn number(&self, c: [usize; 3]) -> usize {
        (c[2] * self.size[1] + c[1]) * self.size[0] + c[0]
    }

    /// The place of a cell.
    pub fn cell_of(&self, n: usize) -> [usize; 3] {
        [n % self.size[0], n / self.size[0] % self.size[1], n / (self.size[0] * self.size[1])]
    }

    /// A place in cells as one of the body.
    pub fn place(&self, at: Point) -> Point {
        [0, 1, 2].map(|k| self.low[k] + at[k] * self.cell)
    }

    /// Crossings along a line, in ascending order.
    pub fn crossings(&self, axis: usize, through: Through, across: [usize; 2]) -> &[Crossing] {
        let family = FAMILIES.iter().position(|f| *f == through).unwrap_or(0);
        self.lines[3 * axis + family].at(across)
    }

    fn cross(
        &self,
        mesh: &Mesh,
        points: &TiSlice<PointId, Point>,
        kind: &TiSlice<FacetId, Kind>,
        axis: usize,
        family: Through,
    ) -> Lines {
        let (b, c) = ((axis + 1) % 3, (axis + 2) % 3);
        // A line through faces stands at a whole number, one through middles half a cell further.
        let shift = [
            if family == Through::FaceOfNext { 0.0 } else { 0.5 },
            if family == Through::FaceOfSecond { 0.0 } else { 0.5 },
        ];
        let (wide, high) = (self.size[b] + 1, self.size[c] + 1);
        let found: Vec<Vec<(u32, f32, Kind)>> = mesh
            .triangles
            .raw
            .par_chunks(1024)
            .enumerate()
            .map(|(chunk, triangles)| {
                let mut out = Vec::new();
                for (i, t) in triangles.iter().enumerate() {
                    let kind = kind[FacetId::from(chunk * 1024 + i)];
                    let flat = t.map(|p| {
                        let p = points[p];
                        [p[b] - shift[0], p[c] - shift[1], p[axis]]
                    });
                    facet_lines(flat, *t, [wide, high], |n, along| out.push((n, along as f32, kind)));
                }
                out
            })
            .collect();
        let mut starts = vec![0u32; wide * high + 1];
        found.iter().flatten().for_each(|f| starts[f.0 as usize + 1] += 1);
        for n in 0..wide * high {
            starts[n + 1] += starts[n];
        }
        let mut next = starts.clone();
        let mut crossings = vec![(0.0, Kind::Wall); starts[wide * high] as usize];
        for (n, along, kind) in found.into_iter().flatten() {
            crossings[next[n as usize] as usize] = (along, kind);
            next[n as usize] += 1;
        }
        for n in 0..wide * high {
            crossings[starts[n] as usize..starts[n + 1] as usize].sort_by(|a, b| a.0.total_cmp(&b.0));
        }
        Lines { wide, starts, crossings }
    }
}

/// Calls `found` with every line that a facet, seen along it, is met by, and where. Of two facets that share an edge one has it.
fn facet_lines(corners: [Point; 3], numbers: [PointId; 3], [wide, high]: [usize; 2], mut found: impl FnMut(u32, f64)) {
    let flat = Bounds::of(corners);
    let range = |k: usize, most: usize| {
        (flat.min[k].ceil().max(0.0) as usize, (flat.max[k].floor().min(most as f64 - 1.0)).max(-1.0) as i64)
    };
    let ((b0, b1), (c0, c1)) = (range(0, wide), range(1, high));
    let area = edge([corners[0], corners[1]], [numbers[0], numbers[1]], [corners[2][0], corners[2][1]]).0;
    if area == 0.0 {
        return;
    }
    for c in c0 as i64..=c1 {
        for b in b0 as i64..=b1 {
            let at = [b as f64, c as f64];
            let sides = [0, 1, 2].map(|k| {
                let l = (k + 1) % 3;
                edge([corners[k], corners[l]], [numbers[k], numbers[l]], at)
            });
            let inside = sides.iter().all(|s| if s.0 == 0.0 { s.1 } else { (s.0 > 0.0) == (area > 0.0) });
            if !inside {
                continue;
            }
            let whole: f64 = sides.iter().map(|s| s.0).sum();
            if whole == 0.0 {
                continue;
            }
            let along = (0..3).map(|k| sides[k].0 / whole * corners[(k + 2) % 3][2]).sum();
            found((c as usize * wide + b as usize) as u32, along);
        }
    }
}

/// Twice the area of an edge and a place, positive to its left; the same number with the other sign for the edge the other way
/// round. With it whether the edge itself belongs to the facet that runs it so.
fn edge(ends: [Point; 2], numbers: [PointId; 2], p: [f64; 2]) -> (f64, bool) {
    let forward = numbers[0] < numbers[1];
    let [a, b] = if forward { ends } else { [ends[1], ends[0]] };
    let value = (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]);
    (if forward { value } else { -value }, forward)
}
