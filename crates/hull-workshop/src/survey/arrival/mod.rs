//! What arrived, and what did not.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
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
        let mut said = Vec::new();
        if !source.annotations.is_empty() {
            let all: Vec<String> =
                source.annotations.iter().map(|a| format!("{} {}", crate::numbers::count(a.count), a.what)).collect();
            said.push(
                format!("Besides, for people to read: {}; they are no geometry and are left out.", all.join(", "))
                    .into(),
            );
        }
        if !source.skipped.is_empty() {
            let line = |s: &hull_formats::Skipped| format!("{} × {}", crate::numbers::count(s.count), s.what).into();
            return source.skipped.iter().map(line).chain(said).collect();
        }
        let rest = match seen.survey.lines.lines {
            0 => format!("and {}", counted(source.points, "point")),
            n => format!("and {}", counted(n, "line")),
        };
        said.insert(0, format!("{}: {} {rest}, all read.", source.format, counted(source.faces, "face")).into());
        said
    })];

    fn look(_: &Context, _: &Watch) -> Result<(Arrival, Vec<Finding>), Cancelled> {
        Ok((Arrival {}, Vec::new()))
    }
}
