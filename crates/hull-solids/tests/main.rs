//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod combine;
mod heaps;
mod parts;
mod regions;
mod wrap;
