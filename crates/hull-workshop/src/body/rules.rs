//! How boundaries are named: picks with names, in order, so that they can be run again on the next revision of a part.

use crate::body::Role;
use crate::numbers::four_digits;
use crate::selection::{Selection, Shared};
use crate::{Body, selection::Pick};
use hull_geometry::vector::{V3, norm};
use hull_geometry::{FacetId, Point};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiVec, ti_vec};

/// Areas that differ by less than this part are the same.
const ALIKE: f64 = 0.01;

/// One rule. A later one takes from those before it what both claim; *the rest* takes what none before it claims.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Rule {
    /// The boundary's name.
    pub name: String,
    /// Its role; without one what the name says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<Role>,
    /// Which facets.
    pub pick: Selection,
    /// What it claimed when it was last run, in the body's unit squared.
    #[serde(default)]
    pub area: f64,
    /// What it claimed the time before, on an earlier revision.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<f64>,
}

/// How a rule fares on a revision.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fate {
    /// As before.
    Kept,
    /// It claims more.
    Grown,
    /// It claims less.
    Shrunk,
    /// It claims nothing any more.
    Empty,
    /// It was not run before.
    New,
}

impl Fate {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Fate::Kept => "kept",
            Fate::Grown => "grown",
            Fate::Shrunk => "shrunk",
            Fate::Empty => "empty",
            Fate::New => "new",
        }
    }
}

impl Fate {
    /// Of an area before, if there was one, and now.
    pub fn of(before: Option<f64>, area: f64) -> Fate {
        match before {
            _ if area <= 0.0 => Fate::Empty,
            None => Fate::New,
            Some(b) if (area - b).abs() <= ALIKE * b.max(area) => Fate::Kept,
            Some(b) if area > b => Fate::Grown,
            Some(_) => Fate::Shrunk,
        }
    }
}

impl Rule {
    /// How it fares against the time before.
    pub fn fate(&self) -> Fate {
        Fate::of(self.before, self.area)
    }

    /// How it fares, with areas.
    pub fn told(&self) -> String {
        match (self.fate(), self.before) {
            (Fate::Grown | Fate::Shrunk, Some(b)) => {
                format!("{} {}, {} → {}", self.name, self.fate().word(), four_digits(b), four_digits(self.area))
            }
            (fate, _) => format!("{} {}", self.name, fate.word()),
        }
    }
}

/// Rules follow what is done to the whole body: their places stay on it.
pub(crate) fn moved(rules: &mut [Rule], by: &hull_exact::Motion) {
    let square = by.scale * by.scale;
    for rule in rules {
        rule.area *= square;
        rule.before = rule.before.map(|b| b * square);
        for pick in rule.pick.include.iter_mut().chain(&mut rule.pick.exclude) {
            match pick {
                Pick::Grow { at, .. } | Pick::Facet { at } | Pick::Connected { at } | Pick::Alike { at, .. } => {
                    *at = by.point(*at);
                }
                Pick::Direction { direction, .. } => *direction = by.direction(*direction),
                // A box along the axes stays one by quarter turns; else it is the box around it.
                Pick::Within { from, to } => {
                    let (a, b) = (*from, *to);
                    let corner = |i: usize| [0, 1, 2].map(|k| if i >> k & 1 == 0 { a[k] } else { b[k] });
                    let around = hull_geometry::mesh::Bounds::of((0..8).map(|i| by.point(corner(i))));
                    (*from, *to) = (around.min, around.max);
                }
                Pick::Outline { outline, direction, .. } => super::outline::moved(outline, direction, by),
                Pick::Datum { within, .. } | Pick::Facing { within, .. } => *within *= by.scale,
                Pick::Label { .. } | Pick::Boundary { .. } | Pick::Material { .. } | Pick::Unnamed => {}
            }
        }
    }
}

/// Rules follow a stretch, each axis by a factor of its own: their places stay on the body, and so do the areas that they are
/// held against.
pub(crate) fn stretched(body: &mut Body, factors: V3) {
    let placed = |p: Point| std::array::from_fn(|k| p[k] * factors[k]);
    let mut rules = std::mem::take(&mut body.facts.rules);
    for pick in rules.iter_mut().flat_map(|r| r.pick.include.iter_mut().chain(&mut r.pick.exclude)) {
        match pick {
            Pick::Grow { at, .. } | Pick::Facet { at } | Pick::Connected { at } | Pick::Alike { at, .. } => {
                *at = placed(*at);
            }
            // A normal goes by the inverse: the plane that it stands on is stretched.
            Pick::Direction { direction, .. } => (0..3).for_each(|k| direction[k] /= factors[k]),
            Pick::Within { from, to } => (*from, *to) = (placed(*from), placed(*to)),
            Pick::Outline { outline, direction, .. } => {
                outline.iter_mut().for_each(|p| *p = placed(*p));
                *direction = placed(*direction);
            }
            Pick::Datum { .. } | Pick::Facing { .. } => {}
            Pick::Label { .. } | Pick::Boundary { .. } | Pick::Material { .. } | Pick::Unnamed => {}
        }
    }
    let (claims, _) = claims(body, &rules);
    for (rule, claim) in rules.iter_mut().zip(claims) {
        let grown = if rule.area > 0.0 { claim.area / rule.area } else { 1.0 };
        rule.area = claim.area;
        rule.before = rule.before.map(|b| b * grown);
    }
    body.facts.rules = rules;
}

/// What a rule claims of a body.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Claim {
    /// Facets.
    pub facets: Vec<FacetId>,
    /// Their area.
    pub area: f64,
    /// Facets that a rule before claims too.
    pub disputed: usize,
    /// Their area.
    pub disputed_area: f64,
}

/// What each rule claims, in order, with the facets that none does.
pub fn claims(body: &Body, rules: &[Rule]) -> (Vec<Claim>, Vec<FacetId>) {
    let mut taken: TiVec<FacetId, bool> = ti_vec![false; body.mesh.triangles.len()];
    let area = |f: &FacetId| norm(body.mesh.area_vector(*f)) / 2.0;
    let shared = Shared::of(body);
    let is_rest = |rule: &Rule| rule.pick.include.iter().all(|p| matches!(p, Pick::Unnamed));
    let picked: Vec<Option<Vec<FacetId>>> =
        rules.par_iter().map(|rule| (!is_rest(rule)).then(|| rule.pick.facets_sharing(&shared))).collect();
    let claims = picked
        .into_iter()
        .map(|picked| {
            let facets: Vec<FacetId> = picked.unwrap_or_else(|| taken.keys().filter(|f| !taken[*f]).collect());
            let both = || facets.iter().filter(|f| taken[**f]);
            let (disputed, disputed_area) = (both().count(), both().map(area).sum());
            facets.iter().for_each(|f| taken[*f] = true);
            Claim { area: facets.iter().map(area).sum(), disputed, disputed_area, facets }
        })
        .collect();
    let free = taken.keys().filter(|f| !taken[*f]).collect();
    (claims, free)
}
