//! The faces and cells of a lattice that a flow reaches from its openings.

use crate::lattice::{Crossing, Kind, Lattice, Through};
use hull_geometry::NONE;

/// What lies on one side of a face.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// A cell that the flow reaches, by its number among those.
    Cell(u32),
    /// The outside of an opening.
    Opening(u16),
}

/// A face that the flow passes, between two cells or between one and an opening.
#[derive(Clone, Copy, Debug)]
pub struct Face {
    pub axis: usize,
    /// Of the face on the lattice: the cell behind it along the axis.
    pub at: [u16; 3],
    /// Before and behind it along the axis.
    pub sides: [Side; 2],
    /// From one side's middle to the other's, or to the opening.
    pub length: f32,
}

impl Face {
    /// The cell and the opening that it lies between, if it does.
    pub fn opening(&self) -> Option<(u32, u16)> {
        match self.sides {
            [Side::Cell(c), Side::Opening(o)] | [Side::Opening(o), Side::Cell(c)] => Some((c, o)),
            _ => None,
        }
    }

    /// How much further inside the lattice a face lies whose own middle may be outside.
    pub fn inward(&self) -> i32 {
        match self.sides {
            [_, Side::Opening(_)] => -1,
            [Side::Opening(_), _] => 1,
            _ => 0,
        }
    }
}

/// All faces and cells that the flow reaches.
pub struct Faces {
    pub all: Vec<Face>,
    /// The lattice's numbers of the cells.
    pub cells: Vec<u32>,
    /// The number among those of each of the lattice's cells; [`NONE`] where the flow does not come.
    number: Vec<u32>,
    /// The face along each axis at each place of the lattice; [`NONE`] where there is none.
    by_place: [Vec<u32>; 3],
    size: [usize; 3],
}

/// A wall nearer than this part of a cell counts as this far: else one face would outweigh all.
pub const NEAREST: f64 = 0.02;

/// The line along `along` through the middle of a face across `axis`.
pub fn line_at(lattice: &Lattice, axis: usize, face: [usize; 3], along: usize) -> &[Crossing] {
    let (b, c) = ((along + 1) % 3, (along + 2) % 3);
    let through = if b == axis { Through::FaceOfNext } else { Through::FaceOfSecond };
    lattice.crossings(along, through, [face[b], face[c]])
}

impl Faces {
    /// Faces between cells inside and openings, of those regions that have an opening.
    pub fn of(lattice: &Lattice) -> Faces {
        let n = lattice.inside.len();
        let size = lattice.size;
        let mut found: Vec<(Face, [usize; 2])> = Vec::new();
        for axis in 0..3 {
            let stride = [1, size[0], size[0] * size[1]][axis];
            for cell in 0..n {
                let at = lattice.cell_of(cell);
                if at[axis] == 0 {
                    continue;
                }
                let before = cell - stride;
                let (a, b) = (lattice.inside[before], lattice.inside[cell]);
                if !a && !b {
                    continue;
                }
                let across = [at[(axis + 1) % 3], at[(axis + 2) % 3]];
                let line = lattice.crossings(axis, Through::Middles, across);
                let (from, to) = (at[axis] as f32 - 0.5, at[axis] as f32 + 0.5);
                let between = line.iter().filter(|c| c.0 >= from && c.0 < to);
                let met = if a { between.clone().next() } else { between.clone().next_back() };
                let place = at.map(|x| x as u16);
                let face = |sides, length| Face { axis, at: place, sides, length };
                match (a, b, met) {
                    (true, true, None) => {
                        found.push((face([Side::Cell(0), Side::Cell(0)], 1.0), [before, cell]));
                    }
                    (true, false, Some((along, Kind::Opening(o)))) => {
                        let length = (along - from).max(NEAREST as f32);
                        found.push((face([Side::Cell(0), Side::Opening(*o)], length), [before, n]));
                    }
                    (false, true, Some((along, Kind::Opening(o)))) => {
                        let length = (to - along).max(NEAREST as f32);
                        found.push((face([Side::Opening(*o), Side::Cell(0)], length), [n, cell]));
                    }
                    _ => {}
                }
            }
        }
        let reached = reached(n, &found);
        let mut number = vec![NONE; n];
        let cells: Vec<u32> = (0..n as u32).filter(|c| reached[*c as usize]).collect();
        cells.iter().enumerate().for_each(|(i, c)| number[*c as usize] = i as u32);
        let mut by_place = [0, 1, 2].map(|_| vec![NONE; n]);
        let mut all = Vec::new();
        for (mut face, between) in found {
            if !between.iter().any(|c| *c < n && reached[*c]) {
                continue;
            }
            for (side, cell) in face.sides.iter_mut().zip(between) {
                if let Side::Cell(c) = side {
                    *c = number[cell];
                }
            }
            by_place[face.axis][lattice.number(face.at.map(usize::from))] = all.len() as u32;
            all.push(face);
        }
        Faces { all, cells, number, by_place, size }
    }

    /// The number among the reached cells of one of the lattice's, if it is one.
    pub fn reached(&self, cell: usize) -> Option<usize> {
        self.number.get(cell).filter(|n| **n != NONE).map(|n| *n as usize)
    }

    /// Faces at each cell, with the cell beyond each; `None` beyond openings.
    pub fn around(&self) -> Vec<Vec<(u32, Option<u32>)>> {
        let mut around = vec![Vec::new(); self.cells.len()];
        for (i, f) in self.all.iter().enumerate() {
            match f.sides {
                [Side::Cell(a), Side::Cell(b)] => {
                    around[a as usize].push((i as u32, Some(b)));
                    around[b as usize].push((i as u32, Some(a)));
                }
                [Side::Cell(a), _] | [_, Side::Cell(a)] => around[a as usize].push((i as u32, None)),
                _ => {}
            }
        }
        around
    }

    /// The face that stands for an open one where it is asked how near walls are: the next one inside.
    pub fn inner_face(&self, f: &Face) -> [usize; 3] {
        let mut at = f.at.map(usize::from);
        at[f.axis] = (at[f.axis] as i64 + i64::from(f.inward())) as usize;
        at
    }

    pub fn at(&self, axis: usize, at: [i64; 3]) -> Option<u32> {
        let inside = (0..3).all(|k| at[k] >= 0 && at[k] < self.size[k] as i64);
        let n = || (at[2] as usize * self.size[1] + at[1] as usize) * self.size[0] + at[0] as usize;
        Some(self.by_place[axis][n()]).filter(|_| inside).filter(|f| *f != NONE)
    }

    /// The flow's velocity at the middle of a reached cell.
    pub fn velocity(&self, flux: &[f64], cell: [usize; 3]) -> [f64; 3] {
        self.velocity_at(flux, cell, cell.map(|x| x as f64 + 0.5))
    }

    /// The flow's velocity at a place in a reached cell, linear between the fluxes through its faces.
    pub fn velocity_at(&self, flux: &[f64], cell: [usize; 3], p: [f64; 3]) -> [f64; 3] {
        [0, 1, 2].map(|axis| {
            let value = |at| self.at(axis, at).map_or(0.0, |f| flux[f as usize]);
            let mut at = cell.map(|x| x as i64);
            let before = value(at);
            at[axis] += 1;
            before + (value(at) - before) * (p[axis] - cell[axis] as f64)
        })
    }
}

/// Cells that hang together with an opening.
fn reached(n: usize, faces: &[(Face, [usize; 2])]) -> Vec<bool> {
    let sets = hull_geometry::sets::Sets::new(n + 1);
    for (_, between) in faces {
        // All openings are one.
        sets.unite(between[0] as u32, between[1] as u32);
    }
    let open = sets.root(n as u32);
    (0..n as u32).map(|c| sets.root(c) == open).collect()
}
