//! Surfaces of several objects, each where its file places it, put into one.

use crate::affine::Affine;
use crate::{Declared, Format, Label, Labels, Received, Skipped};
use hull_geometry::join::join_equal_points;
use hull_geometry::{FacetId, Mesh, Point, PointId};
use typed_index_collections::TiVec;

/// What is together so far.
#[derive(Default)]
pub struct Assembled {
    mesh: Mesh,
    label_of: TiVec<FacetId, u32>,
    labels: Labels,
}

impl Assembled {
    /// Adds points where `placed` puts them; gives the first.
    pub fn points(&mut self, points: &[Point], placed: &Affine) -> PointId {
        let first = self.mesh.points.next_key();
        self.mesh.points.extend(points.iter().map(|p| placed.point(*p)));
        first
    }

    /// The number of a label.
    pub fn label(&mut self, name: &str, material: Option<String>) -> u32 {
        self.labels.number(&Label { name: name.into(), material })
    }

    /// Adds a facet of points that are there. Where left becomes right it is turned, so that a closed surface stays so.
    pub fn facet(&mut self, [a, b, c]: [PointId; 3], label: u32, mirrored: bool) {
        self.mesh.triangles.push(if mirrored { [a, c, b] } else { [a, b, c] });
        self.label_of.push(label);
    }

    /// How many points there are.
    pub fn count_of_points(&self) -> usize {
        self.mesh.points.len()
    }

    /// The surface alone, equal points joined.
    pub fn mesh(mut self) -> Mesh {
        join_equal_points(&mut self.mesh);
        self.mesh
    }

    /// All of it, equal points joined.
    pub fn finish(mut self, format: Format, declared: Declared, skipped: Vec<Skipped>) -> Received {
        let points_in_file = self.mesh.points.len();
        join_equal_points(&mut self.mesh);
        let (labels, label_of) = self.labels.finish(self.label_of);
        Received { points_in_file, label_of, labels, declared, skipped, ..Received::plain(format, self.mesh) }
    }
}
