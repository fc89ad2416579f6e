//! Boundaries named by rules, in order.

use crate::Body;
use crate::rules::{Rule, claims};
use crate::sentence::Sentence;
use crate::steps::name_boundary::boundary_called;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::NONE;
use serde::{Deserialize, Serialize};

/// Names boundaries by rules: those that earlier rules named are taken away first.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SetRules {
    /// In order.
    pub rules: Vec<Rule>,
}

impl Operation for SetRules {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Run the rules";
    const HELP: &'static str = "Takes the names away that rules gave, and runs these rules in order: a later one takes from \
                                those before it what both claim. Says of each whether it is kept, grown, shrunk, empty \
                                or new against the time before.";

    fn title(&self) -> Sentence {
        format!("Name by {}", crate::numbers::counted(self.rules.len(), "rule")).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("rules", "Rules", Quantity::Rules, "names with roles and picks, in order")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if self.rules.iter().any(|r| r.name.trim().is_empty() || r.name.chars().count() > 80) {
            return Err("A rule needs a name of 1 to 80 characters.".into());
        }
        let named: Vec<String> = body.facts.rules.iter().chain(&self.rules).map(|r| r.name.clone()).collect();
        for (number, boundary) in body.facts.boundaries.iter().enumerate() {
            if named.contains(&boundary.name) {
                body.columns.boundary.iter_mut().filter(|b| **b == number as u32).for_each(|b| *b = NONE);
            }
        }
        body.drop_empty_boundaries();
        let (claims, _) = claims(body, &self.rules);
        let mut rules = self.rules.clone();
        for (rule, claim) in rules.iter_mut().zip(&claims) {
            rule.before = (rule.area > 0.0).then_some(rule.area);
            rule.area = claim.area;
            if claim.facets.is_empty() {
                continue;
            }
            let number = boundary_called(body, &rule.name, rule.role, "rule");
            claim.facets.iter().for_each(|f| body.columns.boundary[*f] = number);
        }
        body.drop_empty_boundaries();
        let told: Vec<String> = rules.iter().map(Rule::told).collect();
        let disputed: usize = claims.iter().map(|c| c.disputed).sum();
        let free = body.facets_of(NONE).len();
        body.facts.rules = rules;
        let told = if told.is_empty() { "No rule is left".into() } else { told.join("; ") };
        Ok(format!(
            "{told}. {} claimed twice, {} unnamed.",
            crate::numbers::counted(disputed, "facet"),
            crate::numbers::counted(free, "facet")
        )
        .into())
    }
}
