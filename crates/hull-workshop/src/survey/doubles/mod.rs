//! Sheets that lie on each other.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Seen};
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, area};
use hull_geometry::{Cancelled, FacetId, NONE, Watch, doubles};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Facets that lie on another shell.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Doubles {
    /// Those that could go without leaving anything bare; their area.
    pub doubles: Seen,
    /// The same for every label that has some, the largest first.
    pub doubles_of: Vec<(String, Seen)>,
    /// The others, as where two closed bodies touch; their area.
    pub touching: Seen,
}

/// Facets that lie on another shell and could go.
pub const DOUBLE: &KindDef = &KindDef { id: "doubles", words: "there twice" };
/// Facets that touch another shell.
pub const TOUCHING: &KindDef = &KindDef { id: "touching", words: "touching" };

/// Shells lie on each other if they are no further apart than this part of the diagonal.
const ON: f64 = 5e-4;

impl Probe for Doubles {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "looking for sheets that lie on each other";
    const KINDS: &'static [&'static KindDef] = &[DOUBLE, TOUCHING];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("doubles", &[DOUBLE], &["drop_doubles"], |facts, s| {
            Measured::worst(Seen { size: 0.0, ..s.doubles.doubles }, facts)
        }),
        MeasureDef::of_facets("touching", &[TOUCHING], &["cut_crossings"], |facts, s| {
            Measured::worst(Seen { size: 0.0, ..s.doubles.touching }, facts)
        })
        .words(|seen| match seen.survey.doubles.touching.count {
            0 => Vec::new(),
            n => vec![
                format!(
                    "{} facets lie on a facet of another shell or name: as a rule closed bodies that stand on each other. \
                     Cutting makes one body of them.",
                    count(n)
                )
                .into(),
            ],
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Doubles, Vec<Finding>), Cancelled> {
        let labels = &cx.body.columns.label;
        let doubles::Doubles { on, redundant, .. } =
            doubles::doubles(cx.mesh(), &cx.topology, labels, ON * cx.diagonal, watch)?;
        let touching = |f: &FacetId| on[*f] != NONE && redundant.binary_search(f).is_err();
        let touching: Vec<FacetId> = on.keys().filter(touching).collect();
        let seen = |facets: &[FacetId]| Seen { count: facets.len(), size: cx.area(facets) };
        let mut of_label: BTreeMap<u32, Vec<FacetId>> = BTreeMap::new();
        for f in &redundant {
            of_label.entry(labels.get(*f).copied().unwrap_or(0)).or_default().push(*f);
        }
        let mut doubles_of: Vec<(String, Seen)> =
            of_label.into_iter().map(|(label, facets)| (cx.label_words(label), seen(&facets))).collect();
        doubles_of.sort_by(|a, b| b.1.size.total_cmp(&a.1.size));
        doubles_of.truncate(PLACES);
        let mut found = patches(cx, DOUBLE, &redundant, "lie on others");
        found.extend(patches(cx, TOUCHING, &touching, "touch others"));
        Ok((Doubles { doubles: seen(&redundant), doubles_of, touching: seen(&touching) }, found))
    }
}

/// Facets that hang together, as one place each.
fn patches(cx: &Context, kind: &'static KindDef, facets: &[FacetId], what: &str) -> Vec<Finding> {
    let place = |g: Vec<FacetId>| {
        let text: Sentence = say![format!("{} {what}, ", counted(g.len(), "facet")), area(cx.area(&g))];
        cx.at(kind, g[g.len() / 2], cx.radius(&g), text)
    };
    cx.groups(facets).into_iter().take(PLACES).map(place).collect()
}
