//! Thin walls and narrow gaps: how far it is from a facet through the body, or through the air, to the next.

use crate::mesh::{FacetId, Mesh, Point};
use crate::tree::FacetTree;
use crate::vector::{add, dot, scale, unit};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;

/// Two facets face each other where their normals are at least this far from each other: the cosine.
const FACING: f64 = -0.5;
/// Of more facets than this only every n-th is looked at.
const MOST: usize = 120_000;
/// Boxes of facets that rays may open in all, a second or two of one core: where facets run through each other all over, a ray
/// opens thousands, and fewer facets are looked at.
const BOXES: usize = 40_000_000;
/// Facets whose rays are counted beforehand.
const TRIED: usize = 256;

/// Facets from which it is less far than a size.
#[derive(Clone, Debug, Default)]
pub struct Near {
    /// The facet, the one across and the distance, the shortest first.
    pub found: Vec<(FacetId, FacetId, f64)>,
    /// Facets that one looked at stands for.
    pub every: usize,
}

/// Facets whose wall is thinner than `size`, and those in front of which a gap is narrower. From the middle of each facet
/// a ray goes in along its normal, and one out; what it meets must face the other way. Meaningful where facets face
/// outward.
///
/// # Errors
/// [`Cancelled`].
pub fn walls_and_gaps(mesh: &Mesh, size: f64, watch: &Watch) -> Result<[Near; 2], Cancelled> {
    let tree = FacetTree::of(mesh);
    let every = every(mesh, &tree, size);
    let looked: Vec<FacetId> = mesh.triangles.keys().step_by(every).collect();
    let found = looked
        .par_chunks(1 << 10)
        .map(|chunk| {
            watch.check()?;
            Ok(chunk.iter().map(|&f| across(mesh, &tree, f, size, &mut 0)).collect::<Vec<_>>())
        })
        .collect::<Result<Vec<_>, Cancelled>>()?;
    let mut out = [Near { every, ..Default::default() }, Near { every, ..Default::default() }];
    for (f, both) in looked.iter().zip(found.into_iter().flatten()) {
        for (near, hit) in out.iter_mut().zip(both) {
            near.found.extend(hit.map(|(g, d)| (*f, g, d)));
        }
    }
    out.iter_mut().for_each(|n| n.found.sort_by(|a, b| a.2.total_cmp(&b.2).then(a.0.cmp(&b.0))));
    Ok(out)
}

/// Every how many facets one is looked at: of as many as [`MOST`] and [`BOXES`] allow, by what some of them take.
fn every(mesh: &Mesh, tree: &FacetTree, size: f64) -> usize {
    let facets = mesh.triangles.len();
    let mut opened = 0;
    let tried = facets.min(TRIED);
    for i in 0..tried {
        across(mesh, tree, FacetId::from(i * facets / tried), size, &mut opened);
    }
    let affordable = (BOXES * tried / opened.max(1)).max(TRIED);
    facets.div_ceil(MOST.min(affordable)).max(1)
}

/// What is met inward and outward of a facet; counts the boxes that the rays open.
fn across(mesh: &Mesh, tree: &FacetTree, f: FacetId, size: f64, opened: &mut usize) -> [Option<(FacetId, f64)>; 2] {
    let Some(normal) = unit(mesh.area_vector(f)) else { return [None; 2] };
    let [a, b, c] = mesh.corners(f);
    let middle: Point = scale(add(a, add(b, c)), 1.0 / 3.0);
    let own = mesh.triangles[f];
    let other = |g: FacetId| g != f && !mesh.triangles[g].iter().any(|p| own.contains(p));
    [-1.0, 1.0].map(|way| {
        let hit = tree.first_hit(mesh, middle, scale(normal, way), size, other, opened)?;
        let facing = unit(mesh.area_vector(hit.0)).is_some_and(|n| dot(n, normal) < FACING);
        facing.then_some(hit)
    })
}
