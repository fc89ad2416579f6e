//! Whether the inside of a surface is tight against the outside for cells of a size, and the shortest way through where it is not.
//!
//! It leaks if, on the [`lattice`](crate::lattice) of that size, a way leads from the place inside to the lattice's border. Of the ways that keep as far from walls as can be the
//! shortest is told, and its narrowest place.

use crate::lattice::{FREE, Lattice, WALL};
use hull_geometry::reduce::reduced;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::distance;
use hull_geometry::{Cancelled, Mesh, Point, Watch};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;

/// Cells of a lattice at most.
pub const MOST_CELLS: f64 = 150e6;

/// A way through the wall.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Way {
    /// From the inside to the outside, a point in each cell.
    pub points: Vec<Point>,
    /// Twice the least distance from the wall along it.
    pub width: f64,
    /// Where that is.
    pub at: Point,
}

/// Why nothing can be looked for.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum LeakError {
    /// Somebody cancelled.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// The lattice would not fit.
    #[error("Cells of this size would be {:.0} million; {:.0} million are the most. Ask for larger ones.", .0 / 1e6, .1 / 1e6)]
    TooMany(f64, f64),
    /// The place inside is in a wall or outside of everything.
    #[error("The place inside lies in a wall, or outside of the body's box, at cells of this size: choose another.")]
    NoInside,
    /// Nothing is inside.
    #[error("No place inside was found: the surface is too open to have one.")]
    TooOpen,
}

/// Facets that are enough to tell inside from outside.
const ROUGH: usize = 4000;

impl Lattice {
    fn on_border(&self, n: usize) -> bool {
        let c = self.cell_of(n);
        (0..3).any(|k| c[k] == 0 || c[k] + 1 == self.size[k])
    }

    /// For each cell how many steps it is from the nearest wall, 0 for walls themselves.
    fn steps_from_walls(&self) -> Vec<u16> {
        let mut steps = vec![u16::MAX; self.state.len()];
        let mut queue: VecDeque<usize> = VecDeque::new();
        for (n, state) in self.state.iter().enumerate() {
            if *state == WALL {
                steps[n] = 0;
                queue.push_back(n);
            }
        }
        while let Some(n) = queue.pop_front() {
            let next = steps[n].saturating_add(1);
            for m in self.neighbours(n) {
                if steps[m] > next {
                    steps[m] = next;
                    queue.push_back(m);
                }
            }
        }
        steps
    }

    /// The most steps from the wall that a whole way from a cell to the border can keep; `None` if there is no way.
    fn widest(&self, start: usize, from_wall: &[u16], watch: &Watch) -> Result<Option<u16>, Cancelled> {
        let most = usize::from(from_wall.iter().copied().filter(|s| *s != u16::MAX).max().unwrap_or(0));
        let mut waiting: Vec<Vec<usize>> = vec![Vec::new(); most + 1];
        let mut seen = vec![false; self.state.len()];
        let rank = |n: usize| usize::from(from_wall[n]).min(most);
        seen[start] = true;
        waiting[rank(start)].push(start);
        let (mut least, mut count) = (rank(start), 0_usize);
        while let Some(level) = (1..=most).rev().find(|l| !waiting[*l].is_empty()) {
            let Some(n) = waiting[level].pop() else { continue };
            least = least.min(level);
            if self.on_border(n) {
                return Ok(Some(least as u16));
            }
            count += 1;
            if count % (1 << 16) == 0 {
                watch.report(0.5 + 0.4 * count as f64 / self.state.len() as f64, "looking for a way through")?;
            }
            for m in self.neighbours(n).filter(|m| self.state[*m] == FREE) {
                if !std::mem::replace(&mut seen[m], true) {
                    waiting[rank(m)].push(m);
                }
            }
        }
        Ok(None)
    }
}

/// Whether a place inside is tight against the outside for cells of a size; the shortest way through if not.
///
/// # Errors
/// [`LeakError`].
pub fn leak(mesh: &Mesh, inside: Point, cell: f64, watch: &Watch) -> Result<Option<Way>, LeakError> {
    let lattice = Lattice::of(mesh, cell, 2.0 * cell, MOST_CELLS, watch)?;
    let start = lattice.at(inside).filter(|n| lattice.state[*n] == FREE).ok_or(LeakError::NoInside)?;
    watch.report(0.35, "measuring how far cells are from walls")?;
    let from_wall = lattice.steps_from_walls();
    watch.report(0.5, "looking for a way through")?;
    let Some(widest) = lattice.widest(start, &from_wall, watch)? else { return Ok(None) };
    // Of the ways that are as wide as can be one that is short and keeps off walls elsewhere too: else its narrowest place
    // could be anywhere along a wall. Cells are taken by their cost (R. Dial, 1969: a queue for each cost that can be ahead).
    let mut before = vec![u32::MAX; lattice.state.len()];
    let mut queues: Vec<Vec<(u32, u32)>> = vec![Vec::new(); usize::from(cost(1)) + 1];
    queues[0].push((start as u32, start as u32));
    let (mut at, mut waiting, mut count) = (0, 1_usize, 0_usize);
    while waiting > 0 {
        let Some((n, from)) = queues[at].pop() else {
            at = (at + 1) % queues.len();
            continue;
        };
        waiting -= 1;
        if before[n as usize] != u32::MAX {
            continue;
        }
        before[n as usize] = from;
        if lattice.on_border(n as usize) {
            return Ok(Some(way(mesh, &lattice, &before, n as usize)));
        }
        count += 1;
        if count % (1 << 16) == 0 {
            watch.report(0.9 + 0.1 * count as f64 / lattice.state.len() as f64, "looking for the shortest way")?;
        }
        for m in lattice.neighbours(n as usize).filter(|m| from_wall[*m] >= widest && before[*m] == u32::MAX) {
            let later = (at + usize::from(cost(from_wall[m]))) % queues.len();
            queues[later].push((m as u32, n));
            waiting += 1;
        }
    }
    Ok(None)
}

/// What it costs to go through a cell so many steps from the nearest wall.
fn cost(steps: u16) -> u16 {
    1 + 32 / steps.clamp(1, 16).pow(2)
}

fn way(mesh: &Mesh, lattice: &Lattice, before: &[u32], end: usize) -> Way {
    let mut points = vec![lattice.middle(end)];
    let mut at = end;
    while before[at] as usize != at {
        at = before[at] as usize;
        points.push(lattice.middle(at));
    }
    points.reverse();
    let tree = FacetTree::of(mesh);
    let far = |p: &Point| tree.nearest(mesh, *p, f64::INFINITY).map_or(f64::INFINITY, |n| distance(n.2, *p));
    let narrow = points.iter().map(|p| (far(p), *p)).min_by(|a, b| a.0.total_cmp(&b.0));
    let (width, at) = narrow.map_or((0.0, points[0]), |(d, p)| (2.0 * d, p));
    Way { points, width, at }
}

/// The cell size from which a place inside is tight, to a tenth, between `from` and `to`; `None` if it leaks even at `to`.
///
/// # Errors
/// [`LeakError`].
pub fn tight_from(mesh: &Mesh, inside: Point, [from, to]: [f64; 2], watch: &Watch) -> Result<Option<f64>, LeakError> {
    // A place that large cells put into a wall is tight.
    let tight = |cell: f64| match leak(mesh, inside, cell, watch) {
        Ok(way) => Ok(way.is_none()),
        Err(LeakError::NoInside) => Ok(true),
        Err(e) => Err(e),
    };
    if tight(from)? {
        return Ok(Some(from));
    }
    if !tight(to)? {
        return Ok(None);
    }
    let (mut low, mut high) = (from, to);
    while high / low > 1.1 {
        watch.check()?;
        let middle = (low * high).sqrt();
        if tight(middle)? { high = middle } else { low = middle }
    }
    Ok(Some(high))
}

/// A place inside a surface: of a coarse lattice the cell that is farthest from the walls among those around which facets wind most.
pub fn place_inside(mesh: &Mesh) -> Option<Point> {
    let mesh = &reduced(mesh, ROUGH).mesh;
    let bounds = mesh.bounds();
    let tree = FacetTree::of(mesh);
    let n = 12;
    let size = bounds.size();
    let mut best: Option<(f64, Point)> = None;
    for i in 0..n * n * n {
        let c = [i % n, i / n % n, i / (n * n)];
        let p = [0, 1, 2].map(|k| bounds.min[k] + (c[k] as f64 + 0.5) / n as f64 * size[k]);
        let angle: f64 = mesh.triangles.keys().map(|f| hull_geometry::vector::solid_angle(p, mesh.corners(f))).sum();
        if angle.abs() < std::f64::consts::TAU {
            continue;
        }
        let Some((_, _, q)) = tree.nearest(mesh, p, f64::INFINITY) else { continue };
        let d = distance(p, q);
        if best.is_none_or(|(far, _)| d > far) {
            best = Some((d, p));
        }
    }
    best.map(|b| b.1)
}

/// How long a way is.
pub fn length(way: &Way) -> f64 {
    way.points.windows(2).map(|w| distance(w[0], w[1])).sum()
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::Rebuilt;
    use hull_geometry::shapes::cuboid;
    use proptest::prelude::*;

    /// A box with a slit of 1 mm between a side and its frame: it leaks at cells of a quarter of that, and is tight at twice.
    #[test]
    fn a_slit_leaks_at_small_cells_only() {
        let whole = cuboid([40.0, 30.0, 20.0]);
        // The top comes off and stands a millimetre above.
        let mut open = Rebuilt::keeping(&whole, |f| whole.corners(f).iter().any(|p| p[2] < 19.0)).mesh;
        let mut lid = Rebuilt::keeping(&whole, |f| whole.corners(f).iter().all(|p| p[2] > 19.0)).mesh;
        lid.points.iter_mut().for_each(|p| p[2] += 1.0);
        open.append(&lid);
        let watch = Watch::default();
        let inside = place_inside(&open).unwrap();
        assert!((0..3).all(|k| inside[k] > 5.0 && inside[k] < [35.0, 25.0, 16.0][k]), "{inside:?}");
        let way = leak(&open, inside, 0.25, &watch).unwrap().unwrap();
        assert!(
            way.width > 0.3 && way.width <= 1.0 + 1e-9 && way.at[2] > 19.9 && way.at[2] < 21.1,
            "{} {:?}",
            way.width,
            way.at
        );
        assert!(length(&way) > 5.0);
        assert_eq!(leak(&open, inside, 2.0, &watch).unwrap(), None);
        let tight = tight_from(&open, inside, [0.2, 4.0], &watch).unwrap().unwrap();
        assert!(tight > 0.4 && tight < 1.2, "{tight}");
        assert_eq!(leak(&whole, inside, 0.5, &watch).unwrap(), None);
        assert_eq!(tight_from(&whole, inside, [0.5, 4.0], &watch).unwrap(), Some(0.5));
        assert_eq!(leak(&whole, [500.0; 3], 1.0, &watch), Err(LeakError::NoInside));
        assert!(matches!(leak(&whole, inside, 1e-4, &watch), Err(LeakError::TooMany(..))));
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

        /// A closed box is tight for cells of every size, also where its sides lie between cells.
        #[test]
        fn closed_boxes_are_tight(parts in prop::array::uniform3(8..40_u32), cell in 0.01..3.0_f64, at in -50.0..50.0_f64, even in any::<bool>()) {
            let cell = if even { (cell * 20.0).ceil() / 20.0 } else { cell };
            let mut whole = cuboid(parts.map(|n| f64::from(n) * cell));
            let place = if even { (at / cell).round() * cell } else { at };
            hull_geometry::transform::translate(&mut whole, [place, 0.0, -place]);
            let inside = whole.bounds().centre();
            prop_assert_eq!(leak(&whole, inside, cell, &Watch::default()).unwrap(), None);
        }
    }
}
