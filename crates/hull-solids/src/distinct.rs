//! A mesh with equal points joined and every facet once, and which of its points are plain.

use crate::exact_point::flattest;
use crate::handles::{InputId, PlaceId};
use crate::source::Source;
use hull_geometry::corners::{ClosedFan, Corners};
use hull_geometry::join::Joiner;
use hull_geometry::{FacetId, Mesh, PointId};
use rayon::prelude::*;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// A facet by its three points in order, and its number.
type Keyed = ([PointId; 3], FacetId);

/// What [`distinct`] makes of a mesh.
pub struct Distinct {
    pub mesh: Mesh,
    pub corners: Corners,
    /// Points around which the facets form one closed fan.
    pub plain: TiVec<PlaceId, bool>,
    /// For each facet a range of `of_mesh`; one more than there are facets.
    pub starts: Vec<u32>,
    /// The facets of the input that each facet stands for.
    pub of_mesh: Vec<Source>,
}

/// The input with equal points joined and repeated facets once, without facets whose corners lie on one line.
pub fn distinct(input: &Mesh) -> Distinct {
    let mut table = Joiner::with_capacity(input.points.len());
    let mut joined = Vec::with_capacity(input.points.len());
    table.number_all(&input.points.raw, &mut joined);
    let triangles: Vec<[PointId; 3]> =
        input.triangles.raw.par_iter().map(|t| t.map(|p| joined[usize::from(p)])).collect();
    let mesh = Mesh { points: table.into_points(), triangles: triangles.into() };
    let has_area = |f: FacetId| {
        let [a, b, c] = mesh.triangles[f];
        a != b && b != c && c != a && flattest(&mesh.corners(f)).is_some()
    };
    let flat: TiVec<FacetId, bool> = mesh.par_facets().map(|f| !has_area(f)).collect::<Vec<_>>().into();
    let corners = Corners::new(&mesh, |f| flat[f]);
    let plain = plain(&mesh, &corners);
    // A facet that is there twice has no plain corner.
    let rough = |f: &FacetId| !flat[*f] && mesh.triangles[*f].iter().all(|p| !plain[PlaceId::from(*p)]);
    let key = |f: FacetId| {
        let mut t = mesh.triangles[f];
        t.sort_unstable();
        (t, f)
    };
    let mut keyed: Vec<Keyed> = mesh.par_facets().filter(rough).map(key).collect();
    keyed.par_sort_unstable();
    let repeated: Vec<&[Keyed]> = keyed.chunk_by(|a, b| a.0 == b.0).filter(|r| r.len() > 1).collect();
    if repeated.is_empty() && !flat.contains(&true) {
        let count = mesh.triangles.len() as u32;
        let of_mesh = (0..count).map(|facet| Source { facet: InputId(facet), same_way: true }).collect();
        return Distinct { mesh, corners, plain, starts: (0..=count).collect(), of_mesh };
    }
    once_each(mesh, &flat, &repeated)
}

fn plain(mesh: &Mesh, corners: &Corners) -> TiVec<PlaceId, bool> {
    mesh.par_points().map(|p| ClosedFan::at(mesh, p, corners.at(p)).is_some()).collect::<Vec<_>>().into()
}

/// Leaves flat facets out, and of repeated ones all but the first.
fn once_each(mesh: Mesh, flat: &TiSlice<FacetId, bool>, repeated: &[&[Keyed]]) -> Distinct {
    // For each facet the run of repeated ones it begins; no run for those that follow.
    let mut run_of: TiVec<FacetId, Option<&[Keyed]>> = ti_vec![None; mesh.triangles.len()];
    let mut left_out = flat.to_owned();
    for run in repeated {
        run_of[run[0].1] = Some(run);
        run[1..].iter().for_each(|x| left_out[x.1] = true);
    }
    let mut triangles = Vec::new();
    let (mut starts, mut of_mesh) = (vec![0], Vec::new());
    for f in mesh.triangles.keys().filter(|&f| !left_out[f]) {
        let first = mesh.triangles[f];
        triangles.push(first);
        of_mesh.push(Source { facet: f.into(), same_way: true });
        for &(_, facet) in run_of[f].iter().flat_map(|run| &run[1..]) {
            let [a, b, c] = mesh.triangles[facet];
            of_mesh.push(Source { facet: facet.into(), same_way: [[a, b, c], [b, c, a], [c, a, b]].contains(&first) });
        }
        starts.push(of_mesh.len() as u32);
    }
    let mesh = Mesh { points: mesh.points, triangles: triangles.into() };
    let corners = Corners::new(&mesh, |_| false);
    let plain = plain(&mesh, &corners);
    Distinct { mesh, corners, plain, starts, of_mesh }
}
