//! Cells of a grid over space, for finding what is near: all within one cell's side of a place lies in its cell and the 26
//! around it.

use crate::Point;

/// Numbers of cells stay below this, so that there is always one beside.
const FARTHEST: f64 = (1_i64 << 60) as f64;

/// The number of the cell along one axis. What lies too far out for a number of its own shares the outermost one.
pub fn index(coordinate: f64, side: f64) -> i64 {
    (coordinate / side).floor().clamp(-FARTHEST, FARTHEST) as i64
}

/// The cell of a place, for cells with a side of more than nothing.
pub fn cell(place: Point, side: f64) -> [i64; 3] {
    place.map(|x| index(x, side))
}

/// A cell and the 26 around it.
pub fn around([x, y, z]: [i64; 3]) -> impl Iterator<Item = [i64; 3]> {
    (0..27).map(move |k| [x + k % 3 - 1, y + k / 3 % 3 - 1, z + k / 9 - 1])
}
