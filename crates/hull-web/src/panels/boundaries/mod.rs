//! Named boundaries with their roles.

use super::{Panel, always};
use crate::context::Ctx;
use crate::error::PageResult;
use crate::scene::colour;
use crate::show::{Whole, count, fixed, has};
use askama::Template;
use hull_store::StoreError;
use hull_store::bodies::Revision;
use hull_workshop::Role;
use hull_workshop::neighbours;
use hull_workshop::rules::{Claim, Rule};
use hull_workshop::steps::colour_boundary::COLOURS;
use hull_workshop::survey::names::BoundaryFigures;
use std::collections::HashMap;

/// Rows of the table.
const MOST: usize = 400;

pub const PANEL: Panel = Panel { id: "boundaries", tab: |_| always("Boundaries"), render };

#[derive(Template)]
#[template(path = "panels/boundaries/panel.html")]
struct Boundaries<'a> {
    cx: &'a Ctx<'a>,
    shown: &'a Revision,
    roles: HashMap<&'a str, Option<Role>>,
    rules: Vec<Listed<'a>>,
    /// Facets that no rule claims.
    free: usize,
    /// Bodies of the project that have rules.
    others: Vec<(String, String)>,
}

/// A rule as it is listed.
struct Listed<'a> {
    rule: &'a Rule,
    claim: Claim,
    /// The rules with this one earlier, and without it, as a step takes them.
    earlier: Option<String>,
    without: String,
}

fn listed(rules: &[Rule], claims: Vec<Claim>) -> Vec<Listed<'_>> {
    let of = |(i, (rule, claim))| {
        let earlier = (i > 0).then(|| {
            let mut changed = rules.to_vec();
            changed.swap(i, i - 1);
            json(&changed)
        });
        let mut without = rules.to_vec();
        without.remove(i);
        Listed { rule, claim, earlier, without: json(&without) }
    };
    rules.iter().zip(claims).enumerate().map(of).collect()
}

/// Rules as a step takes them.
fn json(rules: &[Rule]) -> String {
    // Rules are plain data, so that writing them cannot fail.
    serde_json::to_string(rules).unwrap_or_default()
}

impl Boundaries<'_> {
    fn has_role(&self, boundary: &str, role: &Role) -> bool {
        self.roles.get(boundary) == Some(&Some(*role))
    }

    fn lacks_role(&self, boundary: &str) -> bool {
        self.roles.get(boundary) == Some(&None)
    }

    /// Those that are listed: a file may name more than anybody reads.
    fn listed(&self) -> &[BoundaryFigures] {
        let all = &self.shown.survey.names.boundaries;
        &all[..all.len().min(MOST)]
    }

    fn not_listed(&self) -> usize {
        self.shown.survey.names.boundaries.len().saturating_sub(MOST)
    }

    /// The number of a boundary's colour, of the dozen that there are.
    fn colour(&self, i: impl Whole) -> usize {
        colour(&self.shown.facts, i.whole()) % COLOURS.len()
    }

    /// Whether there is a boundary to tick.
    fn is_named(&self) -> bool {
        !self.shown.facts.boundaries.is_empty()
    }

    fn letter(&self, i: impl Whole) -> String {
        letter(i.whole())
    }
}

/// A, B, … Z, AA, AB, …
fn letter(i: usize) -> String {
    let last = char::from(b'A' + (i % 26) as u8);
    if i < 26 { last.to_string() } else { format!("{}{last}", letter(i / 26 - 1)) }
}

fn roles() -> [Role; 7] {
    Role::ALL
}

fn render(cx: &Ctx) -> PageResult<String> {
    let shown = cx.shown();
    let rules = &shown.facts.rules;
    let (claims, free) = if rules.is_empty() {
        (Vec::new(), Vec::new())
    } else {
        let mut body = cx.store.load(shown)?;
        // Where a body beside has another unit the rules claim nothing of it; running them says so.
        let asked = neighbours::asked_by(rules, &body);
        match cx.store.put_beside(&mut body, shown.body_id, &asked) {
            Ok(()) | Err(StoreError::Refused(_)) => {}
            Err(other) => return Err(other.into()),
        }
        hull_workshop::rules::claims(&body, rules)
    };
    let with_rules = cx.others().filter(|o| !o.rules.is_empty());
    let others = with_rules.map(|o| (o.name.clone(), json(&o.rules))).collect();
    let roles = shown.facts.boundaries.iter().map(|b| (b.name.as_str(), b.role)).collect();
    Ok(Boundaries { cx, shown, roles, rules: listed(rules, claims), free: free.len(), others }.render()?)
}
