//! Routines: steps saved as TOML, to replay on other bodies.

use crate::Step;
use serde::{Deserialize, Serialize};

/// Steps under a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Routine {
    /// As people call it.
    pub name: String,
    /// The file whose logbook the steps were taken from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_from: Option<String>,
    /// In order.
    #[serde(default)]
    pub steps: Vec<Step>,
}

impl Routine {
    /// # Errors
    /// A sentence with the line and what is wrong there.
    pub fn from_toml(text: &str) -> Result<Routine, String> {
        toml::from_str(text).map_err(|e| format!("not a routine: {e}"))
    }

    /// # Errors
    /// If a step holds a number that TOML cannot write; none can.
    pub fn to_toml(&self) -> Result<String, String> {
        toml::to_string(self).map_err(|e| e.to_string())
    }
}
