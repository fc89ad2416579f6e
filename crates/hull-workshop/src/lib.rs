//! The rules of the job: bodies, steps, the survey, destinations, the readiness sheet, routines, handover.
//!
//! Nothing here knows of files on disk, pages or tables. `apply` in [`steps`] is the only way geometry
//! changes; the page, the shell and a routine all go through it.

pub mod body;
pub mod choices;
pub mod combine;
pub mod destination;
pub mod edges;
pub mod exact;
pub mod export;
pub mod face_names;
pub mod handover;
pub mod numbers;
pub mod picture;
pub mod pieces;
pub mod prepare;
pub mod repair;
pub mod routine;
pub mod selection;
pub mod sentence;
pub mod sheet;
pub mod size;
pub mod steps;
pub mod survey;
pub mod view;

pub use body::{Body, Boundary, Role};
pub use destination::Destination;
pub use sheet::{Row, Sheet, Verdict};
pub use steps::{Change, Step, StepError, apply};
pub use survey::Survey;
