//! Kept measures, measured again.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::measures::{Ruler, What};
use crate::say;
use hull_geometry::vector::{distance, lerp};
use hull_geometry::{Cancelled, Point, Watch};
use serde::{Deserialize, Serialize};

/// A kept measure as it is now.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Now {
    /// Its name.
    pub name: String,
    /// What is measured.
    #[serde(default)]
    pub what: What,
    /// In the body's unit or in degrees; `None` where the surface has gone from there.
    pub value: Option<f64>,
    /// Between which places.
    pub between: [Point; 2],
}

/// All of them, in the order in which they were kept.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Measures {
    /// Each as it is now.
    pub now: Vec<Now>,
}

/// A kept measure that is not as asked.
pub const NOT_AS_ASKED: &KindDef = &KindDef { id: "measure_not_met", words: "measure not as asked" };

/// What rows of kept measures stand for; a destination that asks for it counts those that are not as asked.
pub const KEPT: &str = "kept_measures";

impl Probe for Measures {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring again what was kept";
    const KINDS: &'static [&'static KindDef] = &[NOT_AS_ASKED];
    // No body had kept measures before there were any.
    const NOTHING_BEFORE: bool = true;
    const MEASURES: &'static [MeasureDef] =
        &[MeasureDef::of_facets(KEPT, &[NOT_AS_ASKED], &["keep_measure", "drop_measure"], |facts, survey| {
            let met = |m: &&crate::measures::NamedMeasure| {
                survey.measures.of(&m.name).and_then(|n| n.value).is_some_and(|x| m.is_met(x))
            };
            Measured::count(facts.measures.iter().filter(|m| m.is_asked() && !met(m)).count())
        })
        .of_any()
        .words(|seen| {
            let why = |now: &Now| seen.facts.measures.iter().find(|m| m.name == now.name).map(|m| m.why_not());
            let of = |now: &Now| match now.value {
                Some(x) => say![format!("“{}” is ", now.name), now.what.said(x), "."],
                None => format!("“{}”: {}.", now.name, why(now).unwrap_or_default()).into(),
            };
            seen.survey.measures.now.iter().map(of).collect()
        })];

    fn look(cx: &Context, _: &Watch) -> Result<(Measures, Vec<Finding>), Cancelled> {
        let kept = &cx.body.facts.measures;
        if kept.is_empty() {
            return Ok((Measures::default(), Vec::new()));
        }
        let ruler = Ruler::of(cx.body);
        let (mut now, mut found) = (Vec::new(), Vec::new());
        for m in kept {
            let measured = ruler.measure(m);
            let first = m.places.first().copied().unwrap_or_default();
            let between = measured.map_or([first, m.places.last().copied().unwrap_or(first)], |(_, between)| between);
            let value = measured.map(|(x, _)| x);
            if m.is_asked() && !value.is_some_and(|x| m.is_met(x)) {
                let said = match value {
                    Some(x) => say![format!("“{}” is ", m.name), m.what.said(x), ", not as asked"],
                    None => format!("“{}” cannot be measured: {}", m.name, m.why_not()).into(),
                };
                let (at, radius) = (lerp(between[0], between[1], 0.5), distance(between[0], between[1]) / 2.0);
                found.push(cx.anywhere(NOT_AS_ASKED, at, radius, said));
            }
            now.push(Now { name: m.name.clone(), what: m.what, value, between });
        }
        Ok((Measures { now }, found))
    }
}

impl Measures {
    /// The one of a name.
    pub fn of(&self, name: &str) -> Option<&Now> {
        self.now.iter().find(|n| n.name == name)
    }
}
