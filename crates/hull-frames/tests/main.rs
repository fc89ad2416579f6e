//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod carried;
mod closed_forms;
mod editing;
mod joining;
mod shapes;
