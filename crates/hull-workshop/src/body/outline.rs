//! Facets seen inside an outline that was drawn in the view, and picks made larger or smaller by rings of facets.

use hull_geometry::corners::Corners;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{FacetId, Mesh, Point, PointId};
use rayon::prelude::*;
use typed_index_collections::TiVec;

/// Two directions that stand across `direction` and each other.
fn across(direction: V3) -> [V3; 2] {
    let least = (0..3).min_by(|a, b| direction[*a].abs().total_cmp(&direction[*b].abs())).unwrap_or(0);
    let mut axis = [0.0; 3];
    axis[least] = 1.0;
    let u = unit(cross(direction, axis)).unwrap_or([1.0, 0.0, 0.0]);
    [u, cross(direction, u)]
}

/// Whether a place lies inside a closed polygon: how often a ray to the right crosses it (even-odd rule).
fn is_inside(polygon: &[[f64; 2]], [x, y]: [f64; 2]) -> bool {
    let edges = polygon.iter().zip(polygon.iter().cycle().skip(1));
    edges.fold(false, |inside, (a, b)| {
        let crosses = (a[1] > y) != (b[1] > y) && x < (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]) + a[0];
        inside != crosses
    })
}

/// What an outline encloses, as seen along a direction, however far away.
pub(crate) struct Enclosed {
    gaze: V3,
    across: [V3; 2],
    polygon: Vec<[f64; 2]>,
}

impl Enclosed {
    /// `None` for fewer than three corners, or no direction.
    pub(crate) fn new(outline: &[Point], direction: Point) -> Option<Enclosed> {
        let gaze = unit(direction).filter(|_| outline.len() > 2)?;
        let [u, v] = across(gaze);
        let polygon = outline.iter().map(|p| [dot(*p, u), dot(*p, v)]).collect();
        Some(Enclosed { gaze, across: [u, v], polygon })
    }

    /// Whether a place lies in it.
    pub(crate) fn holds(&self, p: Point) -> bool {
        is_inside(&self.polygon, self.across.map(|axis| dot(p, axis)))
    }
}

/// The facets whose middle lies inside `outline` as seen along `direction`; with `visible` those alone that face the eye with
/// nothing before their middle.
pub(super) fn inside(mesh: &Mesh, outline: &[Point], direction: Point, visible: bool) -> Vec<FacetId> {
    let Some(enclosed) = Enclosed::new(outline, direction) else { return Vec::new() };
    let gaze = enclosed.gaze;
    let middle = |f: FacetId| mesh.corners(f).into_iter().fold([0.0; 3], |sum, p| add(sum, scale(p, 1.0 / 3.0)));
    let reach = mesh.bounds().diagonal() * 2.0;
    let tree = visible.then(|| FacetTree::of(mesh));
    let is_seen = |f: FacetId, tree: &FacetTree| {
        let n = mesh.area_vector(f);
        dot(n, gaze) < 0.0 && tree.first_hit(mesh, middle(f), scale(gaze, -1.0), reach, |g| g != f, &mut 0).is_none()
    };
    mesh.par_facets().filter(|&f| enclosed.holds(middle(f)) && tree.as_ref().is_none_or(|t| is_seen(f, t))).collect()
}

/// What is chosen, larger by `rings` rings of facets around it, or smaller if that is negative. A facet is beside another one
/// where they share a point.
pub(super) fn grown(mesh: &Mesh, mut chosen: TiVec<FacetId, bool>, rings: i32) -> TiVec<FacetId, bool> {
    let corners = Corners::new(mesh, |_| false);
    for _ in 0..rings.unsigned_abs().min(MOST_RINGS) {
        let spreads = rings > 0;
        let touched: TiVec<PointId, bool> =
            mesh.points.keys().map(|p| corners.at(p).iter().any(|f| chosen[*f] == spreads)).collect();
        for (f, chosen) in chosen.iter_mut_enumerated() {
            if *chosen != spreads && mesh.triangles[f].iter().any(|p| touched[*p]) {
                *chosen = spreads;
            }
        }
    }
    chosen
}

/// Rings at most.
pub const MOST_RINGS: u32 = 1000;

/// An outline as it is after a motion, with its direction.
pub(super) fn moved(outline: &mut [Point], direction: &mut Point, by: &hull_exact::Motion) {
    // A mirror or a turn takes the eye with it.
    let from = outline.first().copied().unwrap_or_default();
    let ahead = by.point(add(from, *direction));
    outline.iter_mut().for_each(|p| *p = by.point(*p));
    let after = sub(ahead, by.point(from));
    if norm(after) > 0.0 {
        *direction = after;
    }
}
