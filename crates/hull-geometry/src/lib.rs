//! Geometry of Ready Hull: triangle meshes, units, transforms, topology and the algorithms on them.
//!
//! Every algorithm takes data and gives data back; none knows of files, steps or pages. Operations that
//! rebuild the facets say where each new facet came from ([`mesh::Rebuilt`]), so that whatever a caller
//! keeps per facet (labels, boundaries, cells) can follow.

mod base;
mod find;
pub mod holes;
mod mend;
pub mod mesh;
mod samples;
mod search;
mod simplify;

// What the crate offers, by the folder it stands in.
pub use base::Handle;
pub use base::{grid, sets, transform, units, vector, watch};
pub use find::{doubles, folds, nesting, sharp_loops, spikes, walls};
pub(crate) use holes::hole;
pub use holes::{caps, islands, smooth_patch, triangulate};
pub use mend::{cleanup, handles, orient, plot, stitch, tangle, thin};
pub use mesh::{cells, cloud, corners, join, measure, regions, splats, topology};
pub use samples::{dirt, shapes};
pub use search::{clearance, crossings, deviation, hausdorff, monotone, nearest, tree};
pub use simplify::{bumps, coarsen, reduce, round_bumps, section, slice};

pub use mesh::{FacetId, Mesh, NONE, Point, PointId, Rebuilt};
pub use units::Unit;
pub use watch::{Cancelled, Watch};
