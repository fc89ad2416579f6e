//! Which shell lies in which.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Seen};
use crate::numbers::counted;
use crate::say;
use crate::sentence::length;
use hull_geometry::nesting::{self, ShellPlace};
use hull_geometry::{Cancelled, FacetId, Watch};
use serde::{Deserialize, Serialize};

/// Shells that are where or as they should not be; sizes are diagonals of boxes.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shells {
    /// Within another and bounding no cavity; the largest one's size.
    pub lost_shells: Seen,
    /// Bounding a cavity; the largest one's size.
    pub cavities: Seen,
    /// Closed and turned inside out; the largest one's size.
    pub inside_out: Seen,
    /// Smaller than a hundredth of the body; the largest one's size.
    pub tiny_shells: Seen,
}

/// A shell within another that bounds no cavity.
pub const LOST: &KindDef = &KindDef { id: "lost_shells", words: "lost inside" };
/// A shell that bounds a cavity.
pub const CAVITY: &KindDef = &KindDef { id: "cavities", words: "cavity" };
/// A closed shell that faces inward.
pub const INSIDE_OUT: &KindDef = &KindDef { id: "inside_out_shells", words: "inside out" };
/// A shell smaller than a hundredth of the body.
pub const TINY: &KindDef = &KindDef { id: "tiny_shells", words: "tiny shell" };

/// A shell is tiny if it is smaller than this part of the body.
pub const TINY_PART: f64 = 0.01;

impl Probe for Shells {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "telling which shell lies in which";
    const KINDS: &'static [&'static KindDef] = &[LOST, CAVITY, INSIDE_OUT, TINY];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("lost_shells", &[LOST], &["drop_shells", "turn_outward"], |facts, s| {
            Measured::worst(s.shells.lost_shells, facts)
        })
        .words(|seen| match seen.survey.shells.lost_shells.count {
            0 => Vec::new(),
            _ => vec![
                "If one is a cavity, turning facets outward turns it; if it got lost there, it goes by size.".into(),
            ],
        }),
        MeasureDef::of_facets("cavities", &[CAVITY], &["keep_outside"], |facts, s| {
            Measured::worst(s.shells.cavities, facts)
        }),
        MeasureDef::of_facets("tiny_shells", &[TINY], &["drop_shells", "drop_bumps"], |facts, s| {
            Measured::worst(s.shells.tiny_shells, facts)
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Shells, Vec<Finding>), Cancelled> {
        let shells = nesting::nesting(cx.mesh(), &cx.topology, watch)?;
        let size = |s: &ShellPlace| s.bounds.diagonal();
        let mut found = Vec::new();
        let mut tell = |kind: &'static KindDef, holds: &dyn Fn(&ShellPlace) -> bool, what: &str| {
            let mut list: Vec<&ShellPlace> = shells.iter().filter(|s| s.first != FacetId::NONE && holds(s)).collect();
            list.sort_by(|a, b| size(b).total_cmp(&size(a)));
            for s in list.iter().take(PLACES) {
                let text = say![format!("{what}, {}, ", counted(s.facets, "facet")), length(size(s)), " across"];
                found.push(cx.at(kind, s.first, size(s) / 2.0, text));
            }
            Seen { count: list.len(), size: list.first().map_or(0.0, |s| size(s)) }
        };
        let figures = Shells {
            lost_shells: tell(LOST, &|s| s.is_lost(), "shell within another that bounds no cavity"),
            cavities: tell(CAVITY, &|s| s.is_cavity(), "cavity"),
            inside_out: tell(INSIDE_OUT, &|s| s.is_inside_out(), "shell turned inside out"),
            tiny_shells: tell(TINY, &|s| size(s) < TINY_PART * cx.diagonal, "tiny shell"),
        };
        Ok((figures, found))
    }
}
