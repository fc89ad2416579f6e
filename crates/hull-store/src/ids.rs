//! Numbers of rows, a type for each table: a state's is never taken for its body's.

use diesel_derive_newtype::DieselNewType;
use serde::{Deserialize, Serialize};
use std::fmt::{self, Display};
use std::str::FromStr;

macro_rules! ids {
    ($($(#[$what:meta])* $name:ident,)*) => {$(
        $(#[$what])*
        #[derive(
            Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, DieselNewType,
        )]
        #[serde(transparent)]
        pub struct $name(pub i32);

        impl Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        impl FromStr for $name {
            type Err = std::num::ParseIntError;

            fn from_str(s: &str) -> Result<Self, Self::Err> {
                s.parse().map($name)
            }
        }
    )*};
}

ids! {
    /// A project.
    ProjectId,
    /// A body of a project.
    BodyId,
    /// A state of a body.
    RevisionId,
    /// A job.
    JobId,
    /// A handover of a body.
    HandoverId,
}
