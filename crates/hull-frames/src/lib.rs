//! Frames: members with sections between joints, with supports and loads, in N, mm, tonnes and seconds.
//!
//! [`join`] makes members of lines; [`shape`] and [`sections`] know what sections look like and carry;
//! [`solids`] are members at full size; [`role`] tells columns from beams; `edit` changes them and `carry` moves the whole; [`checks`] tells what keeps a frame from
//! being ready; [`statics`] and [`modes`] are its trial.

mod assemble;
mod carry;
pub mod checks;
mod edit;
mod factors;
pub mod join;
pub mod matrices;
pub mod model;
pub mod modes;
pub mod role;
pub mod sections;
pub mod shape;
pub mod solids;
pub mod statics;
mod tables;
mod torsion;

pub use assemble::Unsolvable;
pub use model::{Combination, End, Fix, Frame, Joint, Load, LoadKind, Material, Member, NamedSet};
pub use role::Role;
pub use sections::Section;
pub use shape::Shape;
