//! Frames: members with sections between joints, with supports and loads, in N, mm, tonnes and seconds.
//!
//! [`join`] makes members of lines; [`sections`] knows sections and what they carry; `edit` changes them; [`checks`] tells what keeps a frame from
//! being ready; [`statics`] and [`modes`] are its trial.

mod assemble;
pub mod checks;
mod edit;
pub mod join;
pub mod matrices;
pub mod model;
pub mod modes;
pub mod sections;
pub mod statics;

pub use assemble::Unsolvable;
pub use model::{Combination, End, Fix, Frame, Joint, Load, LoadKind, Material, Member};
pub use sections::Section;
