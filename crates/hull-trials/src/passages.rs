//! What hangs together with what, where the way is narrow, and where the flow stands still.

use crate::faces::{Faces, Side};
use crate::flow::{Field, Opening};
use crate::lattice::{Kind, Lattice, Through};
use hull_geometry::sets::Sets;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, distance, norm, scale};
use hull_geometry::{FacetId, Mesh, Point};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use typed_index_collections::TiSlice;

/// A space or an opening that the flow does not use.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Pocket {
    /// A place in it.
    pub at: Point,
    /// Its volume in the body's unit; 0 of an opening.
    pub volume: f64,
    /// What it is.
    pub what: String,
}

/// The narrowest place of the widest way.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Narrow {
    /// Where.
    pub at: Point,
    /// Twice the distance from the nearest wall there.
    pub width: f64,
}

fn sets_of(faces: &Faces) -> Sets {
    let sets = Sets::new(faces.cells.len());
    for f in &faces.all {
        if let [Side::Cell(a), Side::Cell(b)] = f.sides {
            sets.unite(a, b);
        }
    }
    sets
}

/// For each opening whether a way leads from it to one of the other kind.
pub fn ways(faces: &Faces, openings: &[Opening]) -> Vec<bool> {
    let sets = sets_of(faces);
    let mut touched: Vec<(u32, u16)> =
        faces.all.iter().filter_map(|f| f.opening()).map(|(c, o)| (sets.root(c), o)).collect();
    touched.sort_unstable();
    touched.dedup();
    let mut ways = vec![false; openings.len()];
    for region in touched.chunk_by(|a, b| a.0 == b.0) {
        let has = |inlet: bool| region.iter().any(|t| openings[t.1 as usize].inlet == inlet);
        if has(true) && has(false) {
            region.iter().for_each(|t| ways[t.1 as usize] = true);
        }
    }
    ways
}

/// Openings from which no way leads to one of the other kind.
pub fn lead_nowhere(openings: &[Opening], ways: &[bool], mesh: &Mesh, kind: &TiSlice<FacetId, Kind>) -> Vec<Pocket> {
    let closed = (0..openings.len()).filter(|o| !ways[*o]);
    closed
        .map(|o| {
            let first = kind.position(|k| *k == Kind::Opening(o as u16)).unwrap_or_default();
            let middle = mesh.corners(first).into_iter().fold([0.0; 3], |sum, p| add(sum, scale(p, 1.0 / 3.0)));
            let other = if openings[o].inlet { "outlet" } else { "inlet" };
            Pocket {
                at: middle, volume: 0.0, what: format!("no way leads from “{}” to an {other}", openings[o].name)
            }
        })
        .collect()
}

/// The smallest pocket that is told, in cells: smaller ones are corners of the lattice.
const LEAST: usize = 8;

/// Spaces inside that no opening reaches.
pub fn pockets(lattice: &Lattice, faces: &Faces) -> Vec<Pocket> {
    let mut left: Vec<bool> = lattice.inside.clone();
    faces.cells.iter().for_each(|c| left[*c as usize] = false);
    let pieces = pieces(lattice, left);
    let told = |cells: &Vec<usize>| {
        let middle = cells[cells.len() / 2];
        let at = lattice.place(lattice.cell_of(middle).map(|x| x as f64 + 0.5));
        Pocket { at, volume: cells.len() as f64 * lattice.cell.powi(3), what: "no opening reaches this space".into() }
    };
    pieces.iter().filter(|p| p.len() >= LEAST).map(told).collect()
}

/// Marked cells in pieces that hang together, the largest first.
fn pieces(lattice: &Lattice, mut marked: Vec<bool>) -> Vec<Vec<usize>> {
    let mut out: Vec<Vec<usize>> = Vec::new();
    for start in 0..marked.len() {
        if !std::mem::take(&mut marked[start]) {
            continue;
        }
        let mut piece = vec![start];
        let mut at = 0;
        while let Some(&c) = piece.get(at) {
            at += 1;
            for n in neighbours(lattice, c) {
                if std::mem::take(&mut marked[n]) {
                    piece.push(n);
                }
            }
        }
        out.push(piece);
    }
    out.sort_by_key(|p| (std::cmp::Reverse(p.len()), p[0]));
    out
}

fn neighbours(lattice: &Lattice, c: usize) -> impl Iterator<Item = usize> {
    let at = lattice.cell_of(c);
    let size = lattice.size;
    let strides = [1, size[0], size[0] * size[1]];
    (0..3).flat_map(move |k| {
        let below = (at[k] > 0).then(|| c - strides[k]);
        let above = (at[k] + 1 < size[k]).then(|| c + strides[k]);
        below.into_iter().chain(above)
    })
}

/// The part of the reached volume where the flow is slower than a hundredth of its mean, and its largest piece.
pub fn still(lattice: &Lattice, faces: &Faces, field: &Field) -> (f64, Option<Pocket>) {
    let speeds: Vec<f64> =
        faces.cells.iter().map(|c| norm(faces.velocity(&field.flux, lattice.cell_of(*c as usize)))).collect();
    let mean = speeds.iter().sum::<f64>() / speeds.len().max(1) as f64;
    let mut marked = vec![false; lattice.inside.len()];
    let mut slow = 0;
    for (c, speed) in faces.cells.iter().zip(&speeds) {
        if *speed < 0.01 * mean {
            marked[*c as usize] = true;
            slow += 1;
        }
    }
    let largest = pieces(lattice, marked).into_iter().next().filter(|p| p.len() >= LEAST);
    let pocket = largest.map(|cells| {
        let at = lattice.place(lattice.cell_of(cells[cells.len() / 2]).map(|x| x as f64 + 0.5));
        Pocket { at, volume: cells.len() as f64 * lattice.cell.powi(3), what: "the flow hardly moves here".into() }
    });
    (slow as f64 / speeds.len().max(1) as f64, pocket)
}

/// How many sides of a cell are planes that nothing rubs on.
fn slips(lattice: &Lattice, c: usize) -> u8 {
    let at = lattice.cell_of(c);
    let of = |axis: usize, way: f32| {
        let line = lattice.crossings(axis, Through::Middles, [at[(axis + 1) % 3], at[(axis + 2) % 3]]);
        let middle = at[axis] as f32 + 0.5;
        let ahead = line.iter().map(|c| (way * (c.0 - middle), c.1)).filter(|c| c.0 > 0.0 && c.0 <= 1.0);
        ahead.min_by(|a, b| a.0.total_cmp(&b.0)).is_some_and(|c| c.1 == Kind::Slip)
    };
    (0..3).flat_map(|axis| [(axis, -1.0), (axis, 1.0)]).filter(|(axis, way)| of(*axis, *way)).count() as u8
}

/// Steps of each reached cell from the nearest wall; planes that nothing rubs on are none where there are others.
fn steps_from_walls(lattice: &Lattice, faces: &Faces, has_walls: bool) -> Vec<u16> {
    let mut exits = vec![0u8; lattice.inside.len()];
    for f in &faces.all {
        for side in f.sides {
            if let Side::Cell(c) = side {
                exits[faces.cells[c as usize] as usize] += 1;
            }
        }
    }
    let mut steps = vec![u16::MAX; lattice.inside.len()];
    let mut queue = VecDeque::new();
    for c in &faces.cells {
        // A cell with a side that nothing passes stands at a wall.
        let exits = exits[*c as usize];
        let free = if has_walls && exits < 6 { slips(lattice, *c as usize) } else { 0 };
        if exits + free < 6 {
            steps[*c as usize] = 1;
            queue.push_back(*c as usize);
        }
    }
    while let Some(c) = queue.pop_front() {
        for n in neighbours(lattice, c) {
            if lattice.inside[n] && steps[n] == u16::MAX {
                steps[n] = steps[c] + 1;
                queue.push_back(n);
            }
        }
    }
    steps
}

/// Where the way from an inlet to an outlet that keeps furthest from walls comes nearest to one: cells are let in from the widest
/// to the narrowest until both ends hang together.
pub fn narrowest(
    lattice: &Lattice,
    faces: &Faces,
    openings: &[Opening],
    mesh: &Mesh,
    kind: &TiSlice<FacetId, Kind>,
) -> Option<Narrow> {
    let has_walls = kind.contains(&Kind::Wall);
    let steps = steps_from_walls(lattice, faces, has_walls);
    let n = faces.cells.len() as u32;
    let step = |c: u32| steps[faces.cells[c as usize] as usize];
    // Two numbers stand for all inlets and all outlets.
    let sets = Sets::new(n as usize + 2);
    let mut joints: Vec<(u16, u32, u32)> = faces
        .all
        .iter()
        .map(|f| match f.sides {
            [Side::Cell(a), Side::Cell(b)] => (step(a).min(step(b)), a, b),
            [Side::Cell(c), Side::Opening(o)] | [Side::Opening(o), Side::Cell(c)] => {
                (step(c), c, n + u32::from(openings[o as usize].inlet))
            }
            _ => (0, 0, 0),
        })
        .collect();
    joints.sort_by_key(|(s, a, b)| (std::cmp::Reverse(*s), *a, *b));
    let last = joints.iter().find(|(_, a, b)| {
        sets.unite(*a, *b);
        sets.root(n) == sets.root(n + 1)
    })?;
    let cell = faces.cells[last.1 as usize] as usize;
    let middle = lattice.place(lattice.cell_of(cell).map(|x| x as f64 + 0.5));
    let tree = FacetTree::of(mesh);
    // Of a region without walls those that nothing rubs on are its sides.
    let wall = |f: FacetId| match kind[f] {
        Kind::Opening(_) => false,
        Kind::Slip => !has_walls,
        Kind::Wall => true,
    };
    let from = |p: Point| tree.nearest_of(mesh, p, f64::INFINITY, wall).map_or(0.0, |hit| distance(hit.2, p));
    // Steps find the place to two cells, as they count along the lattice's axes: of what is around it the furthest from walls.
    // In a slab of one layer that lies in its plane.
    let layers = faces.cells.iter().map(|c| lattice.cell_of(*c as usize)[2]);
    let is_flat = layers.clone().min() == layers.max();
    let around = (0..if is_flat { 81 } else { 729 }).map(|i| {
        let off = [i % 9, i / 9 % 9, if is_flat { 4 } else { i / 81 }].map(|k| (k as f64 - 4.0) * lattice.cell / 2.0);
        add(middle, off)
    });
    // Beyond a plane of symmetry there is nothing.
    let is_inside = |p: &Point| {
        let at: [usize; 3] = std::array::from_fn(|k| ((p[k] - lattice.low[k]) / lattice.cell).max(0.0) as usize);
        (0..3).all(|k| at[k] < lattice.size[k]) && lattice.inside[lattice.number(at)]
    };
    let best = around
        .filter(is_inside)
        .map(|p| (from(p), p))
        .fold((0.0, middle), |best, at| if at.0 > best.0 { at } else { best });
    Some(Narrow { at: best.1, width: 2.0 * best.0 })
}
