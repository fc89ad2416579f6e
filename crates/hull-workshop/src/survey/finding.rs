//! Findings: located problems, and their kinds.

use super::PROBES;
use hull_geometry::Point;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A kind of findings, as its probe defines it.
#[derive(Debug, PartialEq, Eq)]
pub struct KindDef {
    /// Its key in stored surveys.
    pub id: &'static str,
    /// In words.
    pub words: &'static str,
}

/// The kind of a finding. Two are the same if their keys are.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Kind(&'static KindDef);

/// What a survey of another day calls something that no probe knows now.
static OTHER: KindDef = KindDef { id: "other", words: "of an earlier survey" };

impl Kind {
    /// The kind of a definition.
    pub const fn of(def: &'static KindDef) -> Kind {
        Kind(def)
    }

    /// The kind of a key.
    pub fn named(id: &str) -> Option<Kind> {
        PROBES.iter().flat_map(|p| p.kinds).find(|k| k.id == id).map(|k| Kind(k))
    }

    /// Its key.
    pub fn id(self) -> &'static str {
        self.0.id
    }

    /// In words.
    pub fn words(self) -> &'static str {
        self.0.words
    }
}

impl Serialize for Kind {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str(self.0.id)
    }
}

impl<'de> Deserialize<'de> for Kind {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Kind, D::Error> {
        let id = String::deserialize(d)?;
        Ok(Kind::named(&id).unwrap_or(Kind(&OTHER)))
    }
}

/// One located problem.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    /// What kind.
    pub kind: Kind,
    /// Where, in the body's unit and place.
    pub at: Point,
    /// Half the extent of the place.
    pub radius: f64,
    /// A direction from which the place can be seen.
    #[serde(default)]
    pub from: Point,
    /// What it is, in figures.
    pub text: String,
}
