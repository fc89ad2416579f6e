//! The rules of the job: bodies, steps, the survey, destinations, the readiness sheet, routines, handover.
//!
//! Nothing here knows of files on disk, pages or tables. `apply` in [`steps`] is the only way geometry
//! changes; the page, the shell and a routine all go through it.

pub mod body;
pub mod destination;
pub mod handover;
pub mod prepare;
pub mod relate;
pub mod repair;
pub mod routine;
mod show;
pub mod steps;
pub mod survey;
pub mod trial;

// What the crate offers, by the folder it stands in.
pub use body::{
    alike, choices, datums, edges, exact, exact_facts, face_names, measures, neighbours, pieces, readings, rules,
    selection, size,
};
pub use destination::sheet;
pub use handover::{comparison, export};
pub use relate::{best_fit, combine, regions, robot, robot_glb, robot_in, scene, sections};
pub use show::{numbers, picture, sentence, svg, view};

pub use body::{Body, Boundary, Role};
pub use destination::Destination;
pub use sheet::{Row, Sheet, Verdict};
pub use steps::{Change, Step, StepError, apply};
pub use survey::Survey;
