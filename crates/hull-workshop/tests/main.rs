//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod aligning;
mod any_step;
mod boundaries;
mod common;
mod exact;
mod exactness;
mod flow;
mod frames;
mod handover;
mod kept;
mod lines;
mod measures;
mod openings;
mod picks;
mod placing;
mod planes;
mod points;
mod repair;
mod robots;
mod routine;
mod sections;
mod selection;
mod steps;
mod survey;
