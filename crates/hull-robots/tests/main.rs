//! The tests of this crate, in one program: it is linked once, and its tests share all cores.

mod build;
mod dynamics;
mod motion;
mod standing;
mod urdf;
