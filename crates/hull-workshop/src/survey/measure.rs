//! What a destination can ask for: the measures that probes define.

use super::{KindDef, PROBES, Survey};
use crate::body::Facts;
use crate::numbers::{count, four_digits};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps;
use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::ops::Deref;

/// A measured value: the number, if there is one, and how it reads in a row of the sheet.
pub struct Measured {
    /// What is held against the limits.
    pub value: Option<f64>,
    /// How it reads.
    pub text: String,
}

impl Measured {
    /// A count.
    pub fn count(n: usize) -> Measured {
        Measured { value: Some(n as f64), text: count(n) }
    }

    /// What cannot be told yet, with why.
    pub fn not_yet(why: &str) -> Measured {
        Measured { value: None, text: why.into() }
    }

    /// Something that is chosen or not.
    pub fn chosen(text: Option<String>, otherwise: &str) -> Measured {
        Measured { value: text.as_ref().map(|_| 0.0), text: text.unwrap_or_else(|| otherwise.into()) }
    }

    /// A count with the size of the worst, where that is a length: areas would not fit the row.
    pub fn worst(seen: super::Seen, facts: &Facts) -> Measured {
        let unit = if facts.scale.is_some() { "mm" } else { "units" };
        let text = match (seen.count, seen.size) {
            (n, size) if n == 0 || size == 0.0 => count(n),
            (n, size) => format!("{}, {} {unit}", count(n), four_digits(size)),
        };
        Measured { value: Some(seen.count as f64), text }
    }
}

/// What a probe measures for destinations.
pub struct MeasureDef {
    /// Its key in a destination's TOML.
    pub key: &'static str,
    /// What is written behind its limits.
    pub unit: &'static str,
    /// Whether it says nothing of a body without facets.
    pub of_facets: bool,
    /// Whether it is chosen rather than measured.
    pub choice: bool,
    /// The kinds of findings that it counts.
    pub kinds: &'static [&'static KindDef],
    /// The steps that can change it, the usual one first.
    pub remedies: &'static [&'static str],
    /// The value.
    pub measure: fn(&Facts, &Survey) -> Measured,
    /// What an engineer should know of it in this state; the remedies say the rest.
    pub words: fn(&steps::Seen) -> Vec<Sentence>,
}

impl MeasureDef {
    /// A count of what some kinds of findings show, on facets, without words of its own.
    pub const fn of_facets(
        key: &'static str,
        kinds: &'static [&'static KindDef],
        remedies: &'static [&'static str],
        measure: fn(&Facts, &Survey) -> Measured,
    ) -> MeasureDef {
        MeasureDef { key, unit: "", of_facets: true, choice: false, kinds, remedies, measure, words: |_| Vec::new() }
    }

    /// The same of bodies of every kind.
    #[must_use]
    pub const fn of_any(self) -> MeasureDef {
        MeasureDef { of_facets: false, ..self }
    }

    /// Something that people choose, of bodies of every kind.
    #[must_use]
    pub const fn choice(self) -> MeasureDef {
        MeasureDef { choice: true, of_facets: false, ..self }
    }

    /// The same with what is written behind its limits.
    #[must_use]
    pub const fn unit(self, unit: &'static str) -> MeasureDef {
        MeasureDef { unit, ..self }
    }

    /// The same with words.
    #[must_use]
    pub const fn words(self, words: fn(&steps::Seen) -> Vec<Sentence>) -> MeasureDef {
        MeasureDef { words, ..self }
    }
}

/// One of the measures there are. Two are the same if their keys are.
#[derive(Clone, Copy)]
pub struct Measure(&'static MeasureDef);

impl Measure {
    /// The measure of a key.
    pub fn named(key: &str) -> Option<Measure> {
        Measure::all().find(|m| m.key == key)
    }

    /// Every measure there is.
    pub fn all() -> impl Iterator<Item = Measure> {
        PROBES.iter().flat_map(|p| p.measures).map(Measure)
    }

    /// Whether it is chosen rather than measured.
    pub fn is_choice(self) -> bool {
        self.0.choice
    }

    /// The probe that measures it.
    pub fn probe(self) -> &'static super::About {
        let mine = |p: &&super::About| p.measures.iter().any(|m| m.key == self.0.key);
        // Every measure comes from a probe of the list.
        PROBES.iter().find(mine).unwrap_or(&PROBES[0])
    }
}

impl Deref for Measure {
    type Target = MeasureDef;

    fn deref(&self) -> &MeasureDef {
        self.0
    }
}

impl PartialEq for Measure {
    fn eq(&self, other: &Measure) -> bool {
        self.key == other.key
    }
}

impl std::fmt::Debug for Measure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.key)
    }
}

impl Serialize for Measure {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str(self.key)
    }
}

impl<'de> Deserialize<'de> for Measure {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Measure, D::Error> {
        let key = String::deserialize(d)?;
        Measure::named(&key).ok_or_else(|| {
            let known: Vec<&str> = Measure::all().map(|m| m.0.key).collect();
            D::Error::custom(format!("“{key}” is not a measure; there are: {}", known.join(", ")))
        })
    }
}

/// A sentence about a length, for the words of a measure.
pub(super) fn under(before: &'static str, x: f64, after: &'static str) -> Sentence {
    say![before, length(x), after]
}
