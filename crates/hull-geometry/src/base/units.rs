//! Length units, with exact factors.

use serde::{Deserialize, Serialize};
use std::{fmt, str::FromStr};

/// A unit of length. 1 in = 25.4 mm and 1 ft = 304.8 mm exactly (international yard and pound agreement,
/// 1959; NIST SP 811, appendix B).
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Unit {
    /// Millimetre.
    Mm,
    /// Centimetre.
    Cm,
    /// Metre.
    M,
    /// Inch, 25.4 mm.
    In,
    /// Foot, 304.8 mm.
    Ft,
}

impl Unit {
    /// All of them, the metric ones first.
    pub const ALL: [Unit; 5] = [Unit::Mm, Unit::Cm, Unit::M, Unit::In, Unit::Ft];

    /// Millimetres in one of this unit.
    pub fn millimetres(self) -> f64 {
        match self {
            Unit::Mm => 1.0,
            Unit::Cm => 10.0,
            Unit::M => 1000.0,
            Unit::In => 25.4,
            Unit::Ft => 304.8,
        }
    }

    /// As it is written: `mm`.
    pub fn symbol(self) -> &'static str {
        match self {
            Unit::Mm => "mm",
            Unit::Cm => "cm",
            Unit::M => "m",
            Unit::In => "in",
            Unit::Ft => "ft",
        }
    }

    /// As it is said: “millimetre”.
    pub fn name(self) -> &'static str {
        match self {
            Unit::Mm => "millimetre",
            Unit::Cm => "centimetre",
            Unit::M => "metre",
            Unit::In => "inch",
            Unit::Ft => "foot",
        }
    }

    /// Its name in the plural.
    pub fn plural(self) -> &'static str {
        match self {
            Unit::Mm => "millimetres",
            Unit::Cm => "centimetres",
            Unit::M => "metres",
            Unit::In => "inches",
            Unit::Ft => "feet",
        }
    }
}

impl fmt::Display for Unit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.symbol())
    }
}

impl FromStr for Unit {
    type Err = String;

    fn from_str(text: &str) -> Result<Unit, String> {
        Unit::ALL
            .into_iter()
            .find(|u| text.eq_ignore_ascii_case(u.symbol()) || text.eq_ignore_ascii_case(u.name()))
            .ok_or_else(|| format!("“{text}” is not a unit; use mm, cm, m, in or ft"))
    }
}
