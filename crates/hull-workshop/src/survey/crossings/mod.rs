//! Facets that run through each other or lie on each other.

use super::places::PLACES;
use super::topology::{CUTTING, needs_closing};
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::count;
use crate::sentence::Sentence;
use crate::steps;
use hull_geometry::crossings::{Crossing, crossings_if_few};
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::sets::Sets;
use hull_geometry::vector::{add, scale};
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};

/// Pairs of facets that should not meet as they do; `None` where that was not looked at.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Crossings {
    /// Pairs that run through each other or touch where they should not.
    pub self_intersections: Option<usize>,
    /// Pairs of one plane that lie on each other.
    pub coplanar_overlaps: Option<usize>,
}

/// No more pairs than this are looked for: where every facet runs through every other there is a pair for each two.
const MOST: usize = 500_000;

impl Crossings {
    /// What is counted, in words; more than are looked for are told as such.
    pub fn words(&self) -> &'static str {
        match self.self_intersections {
            Some(n) if n > MOST => "pairs and more of facets that run through each other",
            _ => "pairs of facets that run through each other",
        }
    }
}

/// Facets that run through each other.
pub const CROSSING: &KindDef = &KindDef { id: "self_intersections", words: "crossing" };
/// Facets that lie on each other.
pub const OVERLAP: &KindDef = &KindDef { id: "coplanar_overlaps", words: "overlapping" };

fn told(n: Option<usize>) -> Measured {
    match n {
        None => Measured::not_yet("not looked at"),
        Some(n) if n > MOST => Measured { value: Some(n as f64), text: format!("more than {}", count(MOST)) },
        Some(n) => Measured::count(n),
    }
}

fn where_some(n: Option<usize>, seen: &steps::Seen, sentence: Option<&'static str>) -> Vec<Sentence> {
    if n.unwrap_or(0) == 0 {
        return Vec::new();
    }
    let several = seen.facts.exact.as_ref().is_some_and(|e| e.figures.bodies.len() > 1);
    let apart = several.then(|| {
        "Bodies that are meant to touch or to run through each other are made bodies of their own under Exact.".into()
    });
    [apart, sentence.map(Into::into), needs_closing(seen)].into_iter().flatten().collect()
}

impl Probe for Crossings {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "looking for facets that run through each other";
    const KINDS: &'static [&'static KindDef] = &[CROSSING, OVERLAP];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("self_intersections", &[CROSSING], CUTTING, |_, s| told(s.crossings.self_intersections))
            .words(|seen| {
                where_some(
                    seen.survey.crossings.self_intersections,
                    seen,
                    None,
                )
            }),
        MeasureDef::of_facets("coplanar_overlaps", &[OVERLAP], CUTTING, |_, s| told(s.crossings.coplanar_overlaps))
            .words(|seen| {
                where_some(
                    seen.survey.crossings.coplanar_overlaps,
                    seen,
                    Some("Facets of one plane that overlap are cut together; what lies between two bodies that touch goes."),
                )
            }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Crossings, Vec<Finding>), Cancelled> {
        let Some(found) = crossings_if_few(cx.mesh(), MOST, watch)? else {
            let text = format!("more than {} pairs of facets run through each other", count(MOST));
            let all = cx.anywhere(CROSSING, cx.bounds.centre(), cx.diagonal / 2.0, text.into());
            return Ok((Crossings { self_intersections: Some(MOST + 1), coplanar_overlaps: None }, vec![all]));
        };
        let flat = found.iter().filter(|c| c.coplanar).count();
        let figures = Crossings { self_intersections: Some(found.len() - flat), coplanar_overlaps: Some(flat) };
        Ok((figures, places(cx, &found)))
    }
}

/// Crossings that hang together over common facets, as one place each, the largest first.
fn places(cx: &Context, crossings: &[Crossing]) -> Vec<Finding> {
    let mut found = Vec::new();
    for (kind, coplanar) in [(CROSSING, false), (OVERLAP, true)] {
        let list: Vec<&Crossing> = crossings.iter().filter(|c| c.coplanar == coplanar).collect();
        let mut number: HashMap<FacetId, u32> = HashMap::new();
        for f in list.iter().flat_map(|c| c.facets) {
            let next = number.len() as u32;
            number.entry(f).or_insert(next);
        }
        let sets = Sets::new(number.len());
        list.iter().for_each(|c| {
            sets.unite(number[&c.facets[0]], number[&c.facets[1]]);
        });
        let mut groups: BTreeMap<u32, Vec<&Crossing>> = BTreeMap::new();
        for c in &list {
            groups.entry(sets.root(number[&c.facets[0]])).or_default().push(c);
        }
        let mut groups: Vec<Vec<&Crossing>> = groups.into_values().collect();
        groups.sort_by_key(|g| (std::cmp::Reverse(g.len()), g[0].facets));
        for group in groups.into_iter().take(PLACES) {
            let radius = Bounds::of(group.iter().flat_map(|c| c.along)).diagonal() / 2.0;
            let middle = group[group.len() / 2];
            let at = scale(add(middle.along[0], middle.along[1]), 0.5);
            let what = if coplanar { "facets lie on each other" } else { "facets run through each other" };
            let text = format!("{} pairs of {what}", count(group.len()));
            found.push(cx.seen(kind, at, middle.facets[0], radius, text.into()));
        }
    }
    found
}
