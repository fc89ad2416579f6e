//! What arrived, and what did not.

use super::{Context, Cost, Finding, KindDef, Measured, MeasureDef, Probe};
use crate::numbers::counted;
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};

/// Nothing is measured: it stands with the body's source.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Arrival {}

impl Probe for Arrival {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "looking at what arrived";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[MeasureDef::of_facets("skipped", &[], &[], |facts, _| {
        Measured::count(facts.source.skipped.iter().map(|s| s.count).sum())
    })
    .of_any()
    .words(|seen| {
        let source = &seen.facts.source;
        if !source.skipped.is_empty() {
            let line = |s: &hull_formats::Skipped| format!("{} × {}", crate::numbers::count(s.count), s.what).into();
            return source.skipped.iter().map(line).collect();
        }
        let rest = match seen.survey.lines.lines {
            0 => format!("and {}", counted(source.points, "point")),
            n => format!("and {}", counted(n, "line")),
        };
        vec![format!("{}: {} {rest}, all read.", source.format, counted(source.faces, "face")).into()]
    })];

    fn look(_: &Context, _: &Watch) -> Result<(Arrival, Vec<Finding>), Cancelled> {
        Ok((Arrival {}, Vec::new()))
    }
}
