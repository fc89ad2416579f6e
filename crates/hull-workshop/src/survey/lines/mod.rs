//! Lines in space: how many of each kind, how long, and where they stand.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::edges::{self, EdgeFigures};
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::length;
use hull_exact::model::DeclaredUnit;
use hull_exact::wires::{CurveKind, Wires};
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

/// The lines under one name: a layer, a group or a part.
#[derive(Clone, Debug, PartialEq)]
pub struct Bundle {
    /// The path of names.
    pub name: String,
    /// How many.
    pub lines: usize,
    /// Of all together, in the body's unit.
    pub length: f64,
    /// How many of each kind.
    pub kinds: BTreeMap<CurveKind, usize>,
}

/// The lines by the names under which they stand, in the file's order.
pub fn bundles(wires: &Wires) -> Vec<Bundle> {
    let mut out: Vec<Bundle> = Vec::new();
    let mut at: BTreeMap<String, usize> = BTreeMap::new();
    for line in wires.lines() {
        let at = *at.entry(line.bundle.clone()).or_insert_with(|| {
            out.push(Bundle { name: line.bundle, lines: 0, length: 0.0, kinds: BTreeMap::new() });
            out.len() - 1
        });
        out[at].lines += 1;
        out[at].length += line.length;
        *out[at].kinds.entry(line.kind).or_default() += 1;
    }
    out
}

impl Probe for Wireframe {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring lines";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("lines", &[], &["make_regions"], |_, survey| Measured::count(survey.lines.lines))
            .of_any()
            .words(|seen| {
                let of = |(kind, n): &(CurveKind, usize)| counted(*n, kind.name());
                let kinds: Vec<String> = seen.survey.lines.kinds.iter().map(of).collect();
                if kinds.is_empty() { Vec::new() } else { vec![format!("{}.", kinds.join(", ")).into()] }
            }),
        MeasureDef::of_facets("line_length", &[], &[], |facts, survey| match survey.lines.lines {
            0 => Measured::not_yet("no lines"),
            _ if facts.scale.is_none() => Measured::not_yet("needs a unit"),
            _ => {
                let all = survey.lines.length;
                Measured { value: Some(all), text: format!("{} mm", crate::numbers::four_digits(all)) }
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
        let bundles = bundles(wires);
        let mut kinds: BTreeMap<CurveKind, usize> = BTreeMap::new();
        for (kind, n) in bundles.iter().flat_map(|b| &b.kinds) {
            *kinds.entry(*kind).or_default() += n;
        }
        let figures = Wireframe {
            lines: bundles.iter().map(|b| b.lines).sum(),
            length: bundles.iter().map(|b| b.length).sum(),
            kinds: kinds.into_iter().collect(),
            bundles: bundles.into_iter().map(|b| (b.name, b.lines, b.length)).collect(),
            longest: edges::listed((&wires.model, &wires.placed)),
            declared: wires.model.unit.clone(),
        };
        Ok((figures, Vec::new()))
    }
}
