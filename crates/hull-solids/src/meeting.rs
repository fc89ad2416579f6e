//! Where two facets of different planes meet: nowhere, in a place, or along a stretch.

use crate::arrangement::corners_of;
use crate::exact_point::{ExactPoint, Grid, on_plane, side, turn};
use crate::handles::PlaceId;
use hull_geometry::{FacetId, Mesh, Point, PointId};
use smallvec::SmallVec;

/// One end of where two facets meet.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum End {
    /// A point of the mesh.
    Point(PlaceId),
    /// Where the edge between two points, the lower-numbered first, passes through a facet.
    Cut([PlaceId; 2], FacetId),
}

impl End {
    /// The place of a cut edge; of a point `None`.
    pub fn made(self, grid: Grid, mesh: &Mesh) -> Option<ExactPoint> {
        let End::Cut([p, q], facet) = self else { return None };
        let point = |p: PlaceId| mesh.points[PointId(p.0)];
        Some(on_plane(grid, point(p), point(q), &mesh.corners(facet)))
    }
}

/// Ends as two facets have them.
pub type Ends = SmallVec<[End; 4]>;

/// The ends of where the facets `f` and `g`, which do not lie in one plane, meet; an end may be there more than once,
/// told in different ways.
pub fn meeting(grid: Grid, mesh: &Mesh, f: FacetId, g: FacetId) -> Ends {
    let mut ends = Ends::new();
    one_way(grid, mesh, f, g, &mut ends);
    one_way(grid, mesh, g, f, &mut ends);
    ends
}

/// Where the sides of `f` meet `g`.
fn one_way(grid: Grid, mesh: &Mesh, f: FacetId, g: FacetId, ends: &mut Ends) {
    let (t, u) = (mesh.corners(f), mesh.corners(g));
    let corners = corners_of(mesh, f);
    let others = corners_of(mesh, g);
    let sides = t.map(|p| side(grid, &u, &ExactPoint::given(p)));
    for k in 0..3 {
        let n = (k + 1) % 3;
        if sides[k] == 0 {
            if others.contains(&corners[k]) || holds(grid, &u, t[k]) {
                ends.push(End::Point(corners[k]));
            }
        } else if sides[k] * sides[n] < 0 {
            // The turns of g's sides about the line of this one.
            let (p, q) = (t[k], t[n]);
            let turns = [0, 1, 2].map(|i| side(grid, &[p, q, u[i]], &ExactPoint::given(u[(i + 1) % 3])));
            if turns.iter().all(|s| *s >= 0) || turns.iter().all(|s| *s <= 0) {
                let edge = [corners[k].min(corners[n]), corners[k].max(corners[n])];
                ends.push(End::Cut(edge, g));
            }
        }
    }
}

/// Whether a point of a triangle's plane lies in it.
fn holds(grid: Grid, t: &[Point; 3], p: Point) -> bool {
    let Some(axis) = crate::exact_point::flattest(t) else { return false };
    let corners = t.map(ExactPoint::given);
    let p = ExactPoint::given(p);
    let turns = [0, 1, 2].map(|k| turn(grid, axis, &corners[k], &corners[(k + 1) % 3], &p));
    turns.iter().all(|s| *s >= 0) || turns.iter().all(|s| *s <= 0)
}
