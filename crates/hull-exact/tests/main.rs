//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod bounds;
mod carriers;
mod closed_forms;
mod common;
mod facets_of_patches;
mod features;
mod joining;
mod models;
mod outlines;
mod wings;
mod wires;
mod written_forms;
