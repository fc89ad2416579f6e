//! A trial in the plane: a flat body, or a closed one that is the same all through its thickness, as a slab one cell thick on
//! whose front and back nothing rubs.

use crate::Body;
use crate::body::{Facts, Role};
use crate::steps::extrude_plane::{ExtrudePlane, How, names_of};
use hull_fitting::align::Rigid;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{V3, add, cross, dot, lerp, norm, scale, unit};
use hull_geometry::{FacetId, Mesh, Point, PointId, Watch, measure};
use hull_trials::Kind;
use hull_trials::flow::{self as trials, Flow, FlowError, Opening};
use hull_trials::plane::{InPlane, Plane};
use std::collections::HashMap;
use typed_index_collections::{TiSlice, TiVec};

/// How far directions may be off and still be one.
const ALIKE: f64 = 1e-6;

/// A flat body one unit thick, its front and back as planes of symmetry; `None` if it is none.
pub(super) fn thickened(body: &Body, watch: &Watch) -> Option<Body> {
    let step = ExtrudePlane { how: How::Thickness, thickness: 1.0, angle: 5.0 };
    crate::apply(body, &step.into(), &crate::Destination::asking_nothing(), watch).ok().map(|(made, _)| made)
}

/// What flows on the triangles of a flat body themselves, through openings that were found; `None` where they hold
/// nothing.
///
/// # Errors
/// [`FlowError`], if somebody cancelled.
pub(super) fn on_triangles(
    body: &Body,
    openings: &[Opening],
    how: trials::How,
    watch: &Watch,
) -> Result<Option<InPlane>, FlowError> {
    let mesh = &body.mesh;
    let sum = mesh.triangles.keys().fold([0.0; 3], |s, f| add(s, mesh.area_vector(f)));
    let Some(normal) = unit(sum) else { return Ok(None) };
    let turned = upright(normal);
    // Looked at from below the plane is turned over.
    let over = turned.turn(normal)[2].signum();
    let points: TiVec<PointId, [f64; 2]> =
        mesh.points.iter().map(|p| turned.turn(*p)).map(|p| [p[0], over * p[1]]).collect();
    let names = names_of(&body.facts.seams);
    let kind = |name: &str| match Role::guess(name) {
        Some(Role::Inlet | Role::Outlet) => {
            openings.iter().position(|o| o.name == name).map(|o| Kind::Opening(o as u16))
        }
        Some(Role::Symmetry) => Some(Kind::Slip),
        _ => None,
    };
    let topology = Topology::of(mesh, watch)?;
    let named = topology.open.iter().filter_map(|e| {
        let middle = lerp(mesh.points[e.from], mesh.points[e.to], 0.5);
        Some(([e.from.min(e.to), e.from.max(e.to)], kind(&names.nearest(middle)?)?))
    });
    let sides: HashMap<[PointId; 2], Kind> = named.collect();
    let plane = Plane { points: &points, triangles: &mesh.triangles.raw, sides: &sides };
    hull_trials::plane::solve(&plane, openings, how, watch)
}

/// The openings of a flat body: edges whose names speak of an inlet or an outlet.
pub fn openings(facts: &Facts) -> Vec<Opening> {
    let mut out: Vec<Opening> = Vec::new();
    for name in facts.seams.iter().map(|s| &s.name) {
        let inlet = match Role::guess(name) {
            Some(Role::Inlet) => true,
            Some(Role::Outlet) => false,
            _ => continue,
        };
        if !out.iter().any(|o| o.name == *name) {
            out.push(Opening { name: name.clone(), inlet });
        }
    }
    out
}

/// A closed region as a slab across z.
pub(super) struct Slab {
    /// One cell thick.
    pub mesh: Mesh,
    /// What stood across the region stands along z.
    turned: Rigid,
    /// Of the middle between front and back.
    middle: f64,
    /// How thick the region is.
    depth: f64,
    /// The same over that of the slab.
    thinner: f64,
}

impl Slab {
    /// Of a region whose only planes of symmetry are its front and back, with all other facets square to them.
    pub fn of(mesh: &Mesh, kinds: &TiSlice<FacetId, Kind>, cells: usize) -> Option<Slab> {
        let normals: TiVec<FacetId, V3> =
            mesh.triangles.keys().map(|f| unit(mesh.area_vector(f)).unwrap_or_default()).collect();
        let across = normals.iter().zip(kinds).find(|(_, k)| **k == Kind::Slip).map(|(n, _)| *n)?;
        let (mut low, mut high) = ([f64::INFINITY, f64::NEG_INFINITY], [f64::INFINITY, f64::NEG_INFINITY]);
        for ((f, n), kind) in normals.iter_enumerated().zip(kinds) {
            let along = dot(*n, across);
            if *kind != Kind::Slip {
                if along.abs() > ALIKE {
                    return None;
                }
                continue;
            }
            if along.abs() < 1.0 - ALIKE {
                return None;
            }
            let plane = if along > 0.0 { &mut high } else { &mut low };
            for p in mesh.corners(f) {
                let h = dot(p, across);
                *plane = [plane[0].min(h), plane[1].max(h)];
            }
        }
        let depth = high[0] - low[1];
        let flat = [low, high].iter().all(|p| p[1] - p[0] <= ALIKE * depth.abs().max(ALIKE * mesh.bounds().diagonal()));
        if !(depth > 0.0 && depth.is_finite() && flat) {
            return None;
        }
        let area = measure::mass(mesh, &mesh.bounds()).volume / depth;
        let cell = (area / cells.max(1) as f64).sqrt();
        let turned = upright(across);
        let mut mesh = mesh.clone();
        // One or minus one: heights across become heights along z.
        let way = turned.turn(across)[2].signum();
        let foot = way * low[0];
        for p in &mut mesh.points {
            *p = turned.place(*p);
            p[2] = foot + (p[2] - foot) * cell / depth;
        }
        Some(Slab { mesh, turned, middle: foot + way * 0.5 * depth, depth, thinner: depth / cell })
    }

    /// What was found in the slab as it is in the region.
    pub fn back(&self, flow: Flow) -> Flow {
        let inverse = Rigid { rotation: transposed(self.turned.rotation), shift: [0.0; 3] };
        let place = |p: &mut Point| *p = inverse.turn([p[0], p[1], self.middle]);
        let mut out = Flow { depth: Some(self.depth), ..flow };
        for t in &mut out.through {
            t.area *= self.thinner;
            t.flow *= self.thinner;
        }
        for pocket in out.pockets.iter_mut().chain(&mut out.stillest) {
            pocket.volume *= self.thinner;
            place(&mut pocket.at);
        }
        out.narrowest.iter_mut().for_each(|n| place(&mut n.at));
        out.streamlines.iter_mut().flat_map(|s| &mut s.points).for_each(place);
        out
    }
}

/// The turn that brings a direction to z or against it, whichever is nearer.
fn upright(direction: V3) -> Rigid {
    let z = [0.0, 0.0, if direction[2] < 0.0 { -1.0 } else { 1.0 }];
    let axis = cross(direction, z);
    let (sine, cosine) = (norm(axis), dot(direction, z));
    if sine < 1e-12 {
        return Rigid::NONE;
    }
    Rigid::turned_by(scale(axis, sine.atan2(cosine).to_degrees() / sine))
}

fn transposed(m: [V3; 3]) -> [V3; 3] {
    std::array::from_fn(|i| std::array::from_fn(|j| m[j][i]))
}
