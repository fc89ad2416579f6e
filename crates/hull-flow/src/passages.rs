//! Lost passages: gaps that join two rooms and would close at a cell size, meant or not.
//!
//! On a finer lattice every free cell knows its distance from the nearest wall cell (exact Euclidean: P. Felzenszwalb and
//! D. Huttenlocher, 2012). Cells are taken widest first and joined with their neighbours; where two rooms in which a cell of
//! the asked size has room come together at a place in which it has none, that place is a lost passage: the saddle of the
//! merge tree, so each is told once and at its narrowest.

use crate::lattice::{FREE, Lattice, WALL};
use crate::leaks::LeakError;
use hull_geometry::sets::Sets;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::distance;
use hull_geometry::{Mesh, Point, Watch};
use serde::{Deserialize, Serialize};

/// Cells of the finer lattice at most, and parts of the asked size that they are tried at.
const MOST_CELLS: f64 = 40e6;
const PARTS: [f64; 3] = [6.0, 4.0, 3.0];
/// Passages that are told.
pub const MOST: usize = 20;
/// A room holds at least so many cells of the asked size.
const ROOM: f64 = 8.0;

/// A gap that cells of a size would close.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Passage {
    /// Its narrowest place on the way from room to room.
    pub at: Point,
    /// Twice the distance from the wall there.
    pub width: f64,
    /// What lies on both sides, by volume in which cells of the size have room; the smaller one first.
    pub rooms: [f64; 2],
}

/// Passages narrower than `cell` between rooms wider than that, those with the largest rooms behind them first, and the width
/// from which they are seen: narrower ones are walls on the lattice that was affordable.
///
/// # Errors
/// [`LeakError::TooMany`], if even cells of a third would be too many.
pub fn lost(mesh: &Mesh, cell: f64, watch: &Watch) -> Result<(Vec<Passage>, f64), LeakError> {
    let mut lattice = Err(LeakError::TooMany(f64::INFINITY, MOST_CELLS));
    for parts in PARTS {
        lattice = Lattice::of(mesh, cell / parts, cell, MOST_CELLS, watch);
        if !matches!(lattice, Err(LeakError::TooMany(..))) {
            break;
        }
    }
    let lattice = lattice?;
    watch.report(0.4, "measuring how far cells are from walls")?;
    let squared = squared_distances(&lattice, watch)?;
    watch.report(0.7, "joining rooms")?;
    let mut found = saddles(&lattice, &squared, cell, watch)?;
    let tree = FacetTree::of(mesh);
    for p in &mut found {
        p.width = tree.nearest(mesh, p.at, f64::INFINITY).map_or(p.width, |n| 2.0 * distance(n.2, p.at));
    }
    found.retain(|p| p.width < cell);
    found.sort_by(|a, b| b.rooms[0].total_cmp(&a.rooms[0]).then(a.at[0].total_cmp(&b.at[0])));
    found.truncate(MOST);
    Ok((found, 2.0 * lattice.cell))
}

/// For each cell the square of its distance from the nearest wall's middle, in cells.
fn squared_distances(lattice: &Lattice, watch: &Watch) -> Result<Vec<f32>, LeakError> {
    let mut far: Vec<f32> = lattice.state.iter().map(|s| if *s == WALL { 0.0 } else { f32::INFINITY }).collect();
    let [nx, ny, nz] = lattice.size;
    let steps = [1, nx, nx * ny];
    for (axis, step) in steps.into_iter().enumerate() {
        watch.check()?;
        let n = lattice.size[axis];
        let mut line = Line::new(n);
        let starts: Box<dyn Iterator<Item = usize>> = match axis {
            0 => Box::new((0..ny * nz).map(|l| l * nx)),
            1 => Box::new((0..nz).flat_map(|k| (0..nx).map(move |i| k * nx * ny + i))),
            _ => Box::new(0..nx * ny),
        };
        for start in starts {
            line.transform(&mut far, start, step);
        }
    }
    Ok(far)
}

/// The lower envelope of parabolas along one line.
struct Line {
    given: Vec<f32>,
    /// Places of the parabolas of the envelope, and where each begins.
    places: Vec<usize>,
    begins: Vec<f32>,
}

impl Line {
    fn new(n: usize) -> Line {
        Line { given: vec![0.0; n], places: Vec::with_capacity(n), begins: Vec::with_capacity(n) }
    }

    fn transform(&mut self, far: &mut [f32], start: usize, step: usize) {
        for (i, g) in self.given.iter_mut().enumerate() {
            *g = far[start + i * step];
        }
        self.places.clear();
        self.begins.clear();
        for (q, f) in self.given.iter().enumerate().filter(|(_, f)| f.is_finite()) {
            let square = |i: usize| (i * i) as f32;
            loop {
                let Some(&p) = self.places.last() else {
                    self.places.push(q);
                    self.begins.push(f32::NEG_INFINITY);
                    break;
                };
                let meet = ((f + square(q)) - (self.given[p] + square(p))) / (2.0 * (q - p) as f32);
                if self.begins.last().is_some_and(|b| meet <= *b) {
                    self.places.pop();
                    self.begins.pop();
                } else {
                    self.places.push(q);
                    self.begins.push(meet);
                    break;
                }
            }
        }
        let mut k = 0;
        for i in 0..self.given.len() {
            while k + 1 < self.places.len() && self.begins[k + 1] < i as f32 {
                k += 1;
            }
            if let Some(&p) = self.places.get(k) {
                let off = i.abs_diff(p) as f32;
                far[start + i * step] = off * off + self.given[p];
            }
        }
    }
}

/// Where rooms meet when cells are taken widest first.
fn saddles(lattice: &Lattice, squared: &[f32], cell: f64, watch: &Watch) -> Result<Vec<Passage>, LeakError> {
    // A wall's middle is half a cell behind its face.
    let width = |n: u32| 2.0 * (f64::from(squared[n as usize].sqrt()) - 0.5) * lattice.cell;
    let passable: Vec<bool> = (0..squared.len()).map(|n| lattice.state[n] == FREE && width(n as u32) >= cell).collect();
    // Rooms first, in the order of the lattice: within them there is nothing to tell.
    let sets = Sets::new(squared.len());
    for n in (0..squared.len()).filter(|n| passable[*n]) {
        if n % (1 << 18) == 0 {
            watch.check()?;
        }
        lattice.neighbours(n).filter(|m| *m < n && passable[*m]).for_each(|m| sets.unite(n as u32, m as u32));
    }
    let mut room = vec![0_u32; squared.len()];
    (0..squared.len()).filter(|n| passable[*n]).for_each(|n| room[sets.root(n as u32) as usize] += 1);
    let mut order: Vec<u32> =
        (0..squared.len()).filter(|n| lattice.state[*n] == FREE && !passable[*n]).map(|n| n as u32).collect();
    order.sort_unstable_by(|a, b| squared[*b as usize].total_cmp(&squared[*a as usize]).then(a.cmp(b)));
    let mut taken = passable;
    let volume = lattice.cell.powi(3);
    let least = ROOM * cell.powi(3);
    let mut out: Vec<Passage> = Vec::new();
    for (i, &n) in order.iter().enumerate() {
        if i % (1 << 18) == 0 {
            watch.report(0.7 + 0.3 * i as f64 / order.len() as f64, "joining rooms")?;
        }
        taken[n as usize] = true;
        for m in lattice.neighbours(n as usize).filter(|m| taken[*m]) {
            let (a, b) = (sets.root(n), sets.root(m as u32));
            if a == b {
                continue;
            }
            let mut rooms = [a, b].map(|r| f64::from(room[r as usize]) * volume);
            rooms.sort_by(f64::total_cmp);
            if rooms[0] >= least {
                out.push(Passage { at: lattice.middle(n as usize), width: width(n), rooms });
            }
            let all = room[a as usize].saturating_add(room[b as usize]);
            sets.unite(a, b);
            room[sets.root(a) as usize] = all;
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::shapes::cuboid;
    use hull_geometry::transform::translate;

    fn at(mut mesh: Mesh, by: Point) -> Mesh {
        translate(&mut mesh, by);
        mesh
    }

    /// Two blocks 2 apart in a closed case, with room on either side: the gap between them is lost to cells of 3 and kept by
    /// cells of 1.5, and nothing is lost where there is no gap.
    #[test]
    fn a_gap_between_rooms_is_lost_to_cells_that_do_not_fit() {
        let case = cuboid([60.0, 20.0, 20.0]);
        let block = |y: f64, wide: f64| at(cuboid([8.0, wide, 19.8]), [26.0, y, 0.1]);
        let mut two = case.clone();
        two.append(&block(0.05, 8.95));
        two.append(&block(11.0, 8.95));
        let (found, seen_from) = lost(&two, 3.0, &Watch::default()).expect("few cells");
        let between: Vec<&Passage> =
            found.iter().filter(|p| (p.at[1] - 10.0).abs() < 1.0 && p.at[0] > 25.0 && p.at[0] < 35.0).collect();
        assert_eq!((found.len(), between.len()), (1, 1), "{found:?}");
        assert!((between[0].width - 2.0).abs() < 0.6 && seen_from < 2.0, "{found:?}");
        // Both halves of the case, where a cell of 3 has room.
        assert!(between[0].rooms.iter().all(|v| *v > 0.3 * 24.0 * 17.0 * 17.0 && *v < 26.0 * 400.0), "{found:?}");
        assert!(lost(&two, 1.5, &Watch::default()).expect("few cells").0.is_empty());
        assert!(lost(&case, 3.0, &Watch::default()).expect("few cells").0.is_empty());
    }
}
