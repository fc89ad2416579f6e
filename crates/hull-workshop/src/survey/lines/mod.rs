//! Lines in space: how many of each kind, how long, and where they stand.

use super::{Context, Cost, Finding, KindDef, Measured, MeasureDef, Probe};
use crate::edges::{self, EdgeFigures};
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::length;
use hull_exact::model::DeclaredUnit;
use hull_exact::wires::CurveKind;
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Lines in figures; lengths in the body's unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Wireframe {
    /// How many.
    pub lines: usize,
    /// Of all together.
    pub length: f64,
    /// How many of each kind.
    pub kinds: Vec<(CurveKind, usize)>,
    /// By the path of names under which they stand: name, how many, how long.
    pub bundles: Vec<(String, usize, f64)>,
    /// The longest first, at most [`edges::MOST`].
    pub longest: Vec<EdgeFigures>,
    /// What their file says its numbers are.
    pub declared: Option<DeclaredUnit>,
}

impl Probe for Wireframe {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring lines";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("lines", &[], &[], |_, survey| Measured::count(survey.lines.lines)).of_any().words(
            |seen| {
                let of = |(kind, n): &(CurveKind, usize)| counted(*n, kind.name());
                let kinds: Vec<String> = seen.survey.lines.kinds.iter().map(of).collect();
                if kinds.is_empty() { Vec::new() } else { vec![format!("{}.", kinds.join(", ")).into()] }
            },
        ),
        MeasureDef::of_facets("line_length", &[], &[], |facts, survey| match survey.lines.lines {
            0 => Measured::not_yet("no lines"),
            _ if facts.scale.is_none() => Measured::not_yet("needs a unit"),
            _ => {
                let all = survey.lines.length;
                Measured { value: Some(all), text: format!("{} mm", crate::numbers::short(all)) }
            }
        })
        .of_any()
        .unit(" mm")
        .words(|seen| match seen.survey.lines.lines {
            0 => Vec::new(),
            n => vec![say![format!("{} lines are ", count(n)), length(seen.survey.lines.length), " long together."]],
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Wireframe, Vec<Finding>), Cancelled> {
        let Some(wires) = cx.body.wires() else { return Ok(Default::default()) };
        watch.check()?;
        let all = wires.lines();
        let mut kinds: BTreeMap<CurveKind, usize> = BTreeMap::new();
        let mut bundles: Vec<(String, usize, f64)> = Vec::new();
        let mut at: BTreeMap<&str, usize> = BTreeMap::new();
        for line in &all {
            *kinds.entry(line.kind).or_default() += 1;
            let at = *at.entry(&line.bundle).or_insert_with(|| {
                bundles.push((line.bundle.clone(), 0, 0.0));
                bundles.len() - 1
            });
            bundles[at].1 += 1;
            bundles[at].2 += line.length;
        }
        let figures = Wireframe {
            lines: all.len(),
            length: all.iter().map(|l| l.length).sum(),
            kinds: kinds.into_iter().collect(),
            bundles,
            longest: edges::listed((&wires.model, &wires.placed)),
            declared: wires.model.unit.clone(),
        };
        Ok((figures, Vec::new()))
    }
}
