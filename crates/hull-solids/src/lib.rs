//! Bodies out of facets that run through each other: cut along their crossings, told inside from outside, united.
//!
//! `place` knows points exactly, `flat` triangulates a plane, `meeting` says where two facets meet; on those stands the
//! `arrangement`, on that the `cells`, and on those `combine`.

pub mod arrangement;
pub mod cells;
pub mod combine;
mod flat;
mod meeting;
pub mod place;
pub mod wrap;
