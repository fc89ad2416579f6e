//! The readiness sheet: a destination's requirements, measured.

use crate::body::Facts;
use crate::body::measures::NamedMeasure;
use crate::destination::{Destination, Requirement};
use crate::numbers::four_digits;
use crate::survey::measures::KEPT;
use crate::survey::{Measure, Measured, Survey};
use serde::{Deserialize, Serialize};

/// What comes of a requirement.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// It is as asked.
    Met,
    /// It is not as asked.
    #[serde(alias = "short")]
    NotMet,
    /// Somebody let it pass.
    Waived,
    /// It cannot be told yet.
    #[serde(alias = "not_yet")]
    Pending,
    /// It is told, and nothing is asked.
    Information,
}

impl Verdict {
    /// All of them, as a summary lists them.
    pub const ALL: [Verdict; 5] =
        [Verdict::Met, Verdict::NotMet, Verdict::Waived, Verdict::Pending, Verdict::Information];

    /// As the page says it.
    pub fn word(self) -> &'static str {
        match self {
            Verdict::Met => "met",
            Verdict::NotMet => "not met",
            Verdict::Waived => "waived",
            Verdict::Pending => "pending",
            Verdict::Information => "for information",
        }
    }

    /// For style sheets.
    pub fn class(self) -> &'static str {
        match self {
            Verdict::NotMet => "not-met",
            Verdict::Information => "information",
            other => other.word(),
        }
    }
}

/// One requirement, measured.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Row {
    /// Of the requirement.
    pub id: String,
    /// The heading it stands under.
    pub group: String,
    /// As the sheet says it.
    pub phrase: String,
    /// A sentence for people.
    pub why: String,
    /// What is measured.
    pub measure: Measure,
    /// What came of it.
    pub verdict: Verdict,
    /// The figure, as text.
    pub measured: String,
    /// What is asked, as text.
    pub limit: String,
    /// Reason and name, where waived.
    pub waiver: Option<[String; 2]>,
    /// The figure, for pages that say it in another unit.
    #[serde(skip)]
    pub value: Option<f64>,
    /// At least and at most.
    #[serde(skip)]
    pub bounds: [Option<f64>; 2],
}

/// All requirements of one body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sheet {
    /// Its title.
    pub destination: String,
    /// A row for each requirement.
    pub rows: Vec<Row>,
}

impl Sheet {
    /// Holds what was measured against what is asked.
    pub fn of(facts: &Facts, survey: &Survey, destination: &Destination) -> Sheet {
        let mut rows: Vec<Row> = destination.requirements.iter().map(|r| row(facts, survey, r)).collect();
        rows.extend(facts.measures.iter().filter(|m| m.is_asked()).filter_map(|m| kept(facts, survey, m)));
        Sheet { destination: destination.title.clone(), rows }
    }

    /// How many rows have a verdict.
    pub fn number(&self, verdict: Verdict) -> usize {
        self.rows.iter().filter(|r| r.verdict == verdict).count()
    }

    /// What stands between the body and the handover.
    pub fn outstanding(&self) -> impl Iterator<Item = &Row> {
        self.rows.iter().filter(|r| matches!(r.verdict, Verdict::NotMet | Verdict::Pending))
    }

    /// Whether everything that is asked is met or waived.
    pub fn is_ready(&self) -> bool {
        self.outstanding().next().is_none()
    }

    /// “7 met, 3 not met, 1 waived”.
    pub fn summary(&self) -> String {
        self.counted(&Verdict::ALL)
    }

    /// “3 not met, 1 pending”.
    pub fn what_is_outstanding(&self) -> String {
        self.counted(&[Verdict::NotMet, Verdict::Pending])
    }

    fn counted(&self, verdicts: &[Verdict]) -> String {
        let all = verdicts.iter().map(|v| (self.number(*v), v.word())).filter(|(n, _)| *n > 0);
        all.map(|(n, word)| format!("{n} {word}")).collect::<Vec<_>>().join(", ")
    }
}

fn row(facts: &Facts, survey: &Survey, requirement: &Requirement) -> Row {
    let measured = measured(facts, survey, requirement.measure);
    let within = measured.value.map(|v| {
        requirement.at_least.is_none_or(|least| v >= least) && requirement.at_most.is_none_or(|most| v <= most)
    });
    let waiver = facts.waivers.iter().find(|w| w.requirement == requirement.id);
    let asked = requirement.at_least.is_some() || requirement.at_most.is_some() || requirement.measure.is_choice();
    let verdict = match (within, waiver) {
        (Some(_), _) if !asked => Verdict::Information,
        (Some(true), _) => Verdict::Met,
        (_, Some(_)) => Verdict::Waived,
        (Some(false), None) => Verdict::NotMet,
        (None, None) => Verdict::Pending,
    };
    Row {
        id: requirement.id.clone(),
        group: requirement.group.clone(),
        phrase: requirement.phrase.clone(),
        why: requirement.why.clone(),
        measure: requirement.measure,
        verdict,
        value: measured.value,
        bounds: [requirement.at_least, requirement.at_most],
        measured: measured.text,
        limit: limit(requirement),
        waiver: waiver.filter(|_| verdict == Verdict::Waived).map(|w| [w.reason.clone(), w.by.clone()]),
    }
}

/// The row of a measure that people keep and want something of.
fn kept(facts: &Facts, survey: &Survey, m: &NamedMeasure) -> Option<Row> {
    let symbol = facts.length_unit().symbol();
    let unit = match m.what.power() {
        0 => "°".into(),
        1 => format!(" {symbol}"),
        _ => format!(" {symbol}²"),
    };
    let now = survey.measures.of(&m.name);
    let value = now.and_then(|n| n.value);
    let waiver = facts.waivers.iter().find(|w| w.requirement == m.row());
    let verdict = match (now, value, waiver) {
        (_, Some(x), _) if m.is_met(x) => Verdict::Met,
        (_, _, Some(_)) => Verdict::Waived,
        (None, ..) => Verdict::Pending,
        (Some(_), ..) => Verdict::NotMet,
    };
    let limit = match (m.at_least, m.at_most) {
        (Some(least), Some(most)) => format!("{}–{}", four_digits(least), four_digits(most)),
        (Some(least), None) => format!("≥ {}{unit}", four_digits(least)),
        (None, most) => most.map_or(String::new(), |most| format!("{}{unit}", four_digits(most))),
    };
    Some(Row {
        id: m.row(),
        group: "Measures".into(),
        phrase: m.name.clone(),
        why: format!("A {} that was kept, measured again in this state.", m.what.word()),
        measure: Measure::named(KEPT)?,
        verdict,
        measured: match (now, value) {
            (None, _) => "not looked at".into(),
            (_, None) => "gone".into(),
            (_, Some(x)) => format!("{}{unit}", four_digits(x)),
        },
        limit,
        waiver: waiver.filter(|_| verdict == Verdict::Waived).map(|w| [w.reason.clone(), w.by.clone()]),
        value,
        bounds: [m.at_least, m.at_most],
    })
}

fn limit(r: &Requirement) -> String {
    let unit = r.measure.unit;
    match (r.at_least, r.at_most) {
        (None, None) if r.measure.is_choice() => "chosen".into(),
        (Some(least), _) if unit == " %" => format!("{}{unit}", four_digits(least)),
        (Some(least), Some(most)) => format!("{}–{}", four_digits(least), four_digits(most)),
        (Some(least), None) => format!("≥ {}{unit}", four_digits(least)),
        (None, Some(most)) => format!("{}{unit}", four_digits(most)),
        (None, None) => String::new(),
    }
}

fn measured(facts: &Facts, survey: &Survey, measure: Measure) -> Measured {
    // Nothing is wrong with facets that are not there, and nothing is ready.
    if survey.size.triangles == 0 && measure.of_facets {
        return Measured::not_yet("no faces");
    }
    if survey.awaits(measure.probe().id) {
        return Measured::not_yet("not looked at");
    }
    (measure.measure)(facts, survey)
}
