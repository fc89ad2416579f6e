//! Geometry of Ready Hull: triangle meshes, units, transforms, topology and the algorithms on them.
//!
//! Every algorithm takes data and gives data back; none knows of files, steps or pages. Operations that
//! rebuild the facets say where each new facet came from ([`mesh::Rebuilt`]), so that whatever a caller
//! keeps per facet (labels, boundaries, cells) can follow.

pub mod apart;
pub mod bumps;
pub mod cells;
pub mod cleanup;
pub mod cloud;
pub mod coarsen;
pub mod corners;
pub mod crossings;
pub mod dirt;
pub mod doubles;
pub mod folds;
pub mod handles;
pub mod holes;
pub mod islands;
pub mod join;
pub mod measure;
pub mod mesh;
pub mod nearest;
pub mod nesting;
pub mod orient;
pub mod plot;
pub mod reduce;
pub mod regions;
pub mod sets;
pub mod shapes;
pub mod sheet;
pub mod slice;
pub mod smooth_patch;
pub mod spikes;
pub mod stitch;
pub mod swells;
pub mod thin;
pub mod topology;
pub mod transform;
pub mod tree;
pub mod triangulate;
pub mod units;
pub mod vector;
pub mod walls;
pub mod watch;

pub use mesh::{Mesh, NONE, Point, Rebuilt};
pub use units::Unit;
pub use watch::{Cancelled, Watch};
