//! Bodies out of facets that run through each other: cut along their crossings, told inside from outside, united.
//!
//! `place` knows points exactly, `rounded` to twice the digits of doubles; `flat` triangulates a plane, `meeting` says where
//! two facets meet, `cutting` cuts a facet along that, and `distinct` makes ready what is to be cut. On those stands the
//! `arrangement`, on that the `cells`, and on those `combine`.

pub mod arrangement;
pub mod cells;
pub mod combine;
mod cutting;
mod distinct;
pub mod exact_point;
mod flat;
pub mod handles;
mod meeting;
pub mod regions;
mod rounded;
mod snap;
mod source;
mod thin_cells;
pub mod wrap;
