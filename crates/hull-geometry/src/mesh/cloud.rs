//! Points without facets, with what a scanner says of each.

use crate::mesh::splats::Splat;
use crate::mesh::{Bounds, Point};
use crate::vector::V3;
use serde::{Deserialize, Serialize};

/// A cloud of points. Columns that a file does not have are empty.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Cloud {
    /// Places.
    pub points: Vec<Point>,
    /// Red, green and blue of each point, or none.
    pub colours: Vec<[u8; 3]>,
    /// The direction that each point faces, or none; of length one.
    pub normals: Vec<[f32; 3]>,
    /// The ellipsoid of each point of a capture, or none.
    #[serde(default)]
    pub splats: Vec<Splat>,
}

impl Cloud {
    /// The box of the points.
    pub fn bounds(&self) -> Bounds {
        Bounds::of(self.points.iter().copied())
    }

    /// The mean of the points.
    pub fn mean(&self) -> Point {
        let n = self.points.len().max(1) as f64;
        // In chunks of a fixed size: the sum does not depend on who adds.
        let sums = self.points.chunks(4096).map(|c| c.iter().fold([0.0; 3], |s, p| crate::vector::add(s, *p)));
        sums.fold([0.0; 3], crate::vector::add).map(|x| x / n)
    }

    /// The points of which something holds, with their columns.
    #[must_use]
    pub fn keeping(&self, holds: impl Fn(Point) -> bool) -> Cloud {
        self.keeping_those(|i| holds(self.points[i]))
    }

    /// The points whose numbers hold something, with their columns.
    #[must_use]
    pub fn keeping_those(&self, holds: impl Fn(usize) -> bool) -> Cloud {
        let kept: Vec<usize> = (0..self.points.len()).filter(|&i| holds(i)).collect();
        Cloud {
            points: kept.iter().map(|&i| self.points[i]).collect(),
            colours: kept.iter().filter_map(|&i| self.colours.get(i).copied()).collect(),
            normals: kept.iter().filter_map(|&i| self.normals.get(i).copied()).collect(),
            splats: kept.iter().filter_map(|&i| self.splats.get(i).copied()).collect(),
        }
    }

    /// Moves every point; `turn` is what happens to directions, whose length it keeps, `factor` what happens to lengths.
    pub fn move_by(&mut self, place: impl Fn(Point) -> Point, turn: impl Fn(V3) -> V3, factor: f64) {
        self.points.iter_mut().for_each(|p| *p = place(*p));
        for n in &mut self.normals {
            *n = turn(n.map(f64::from)).map(|x| x as f32);
        }
        self.splats.iter_mut().for_each(|s| *s = s.moved(&turn, factor));
    }
}
