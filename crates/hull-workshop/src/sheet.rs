//! The readiness sheet: a destination's requirements, measured.

use crate::Role;
use crate::body::{Facts, Scale};
use crate::depth::{Depth, Seen};
use crate::destination::{Destination, Measure, Requirement};
use crate::numbers::{count, fixed, short};
use crate::survey::{Figures, Kind, Survey};
use serde::{Deserialize, Serialize};

#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    Met,
    Short,
    Waived,
    NotYet,
}

impl Verdict {
    pub fn word(self) -> &'static str {
        match self {
            Verdict::Met => "met",
            Verdict::Short => "short",
            Verdict::Waived => "waived",
            Verdict::NotYet => "not yet",
        }
    }

    pub fn class(self) -> &'static str {
        match self {
            Verdict::NotYet => "notyet",
            other => other.word(),
        }
    }
}

/// One requirement, measured.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Row {
    pub id: String,
    pub group: String,
    pub phrase: String,
    pub why: String,
    pub measure: Measure,
    pub verdict: Verdict,
    pub measured: String,
    pub limit: String,
    /// Reason and name, where waived.
    pub waiver: Option<[String; 2]>,
}

/// All requirements of one body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Sheet {
    pub destination: String,
    pub rows: Vec<Row>,
}

impl Sheet {
    pub fn of(facts: &Facts, survey: &Survey, destination: &Destination) -> Sheet {
        let rows = destination.requirements.iter().map(|r| row(facts, survey, r)).collect();
        Sheet { destination: destination.title.clone(), rows }
    }

    pub fn number(&self, verdict: Verdict) -> usize {
        self.rows.iter().filter(|r| r.verdict == verdict).count()
    }

    /// What stands between the body and the handover.
    pub fn short(&self) -> impl Iterator<Item = &Row> {
        self.rows.iter().filter(|r| matches!(r.verdict, Verdict::Short | Verdict::NotYet))
    }

    pub fn is_ready(&self) -> bool {
        self.short().next().is_none()
    }

    /// “7 met, 3 short, 1 waived”.
    pub fn summary(&self) -> String {
        [Verdict::Met, Verdict::Short, Verdict::Waived, Verdict::NotYet]
            .into_iter()
            .map(|v| (self.number(v), v.word()))
            .filter(|(n, _)| *n > 0)
            .map(|(n, word)| format!("{n} {word}"))
            .collect::<Vec<_>>()
            .join(", ")
    }
}

/// A measured value: the number, if there is one, and how it reads.
struct Measured {
    value: Option<f64>,
    text: String,
}

fn row(facts: &Facts, survey: &Survey, requirement: &Requirement) -> Row {
    let awaited = requirement.measure.kind().is_some_and(|k| k != Kind::OpenEdges && survey.awaited.contains(&k));
    let measured = if awaited {
        Measured { value: None, text: "not looked at".into() }
    } else {
        measured(facts, survey, requirement.measure)
    };
    let within = measured.value.map(|v| {
        requirement.at_least.is_none_or(|least| v >= least) && requirement.at_most.is_none_or(|most| v <= most)
    });
    let waiver = facts.waivers.iter().find(|w| w.requirement == requirement.id);
    let verdict = match (within, waiver) {
        (Some(true), _) => Verdict::Met,
        (_, Some(_)) => Verdict::Waived,
        (Some(false), None) => Verdict::Short,
        (None, None) => Verdict::NotYet,
    };
    Row {
        id: requirement.id.clone(),
        group: requirement.group.clone(),
        phrase: requirement.phrase.clone(),
        why: requirement.why.clone(),
        measure: requirement.measure,
        verdict,
        measured: measured.text,
        limit: limit(requirement),
        waiver: waiver.filter(|_| verdict == Verdict::Waived).map(|w| [w.reason.clone(), w.by.clone()]),
    }
}

fn limit(r: &Requirement) -> String {
    let unit = r.measure.unit();
    match (r.measure, r.at_least, r.at_most) {
        (Measure::Unit | Measure::Axes, ..) => "chosen".into(),
        (Measure::NamedArea, Some(least), _) => format!("{}{unit}", short(least)),
        (_, Some(least), Some(most)) => format!("{}–{}", short(least), short(most)),
        (_, Some(least), None) => format!("≥ {}{unit}", short(least)),
        (_, None, Some(most)) => format!("{}{unit}", short(most)),
        (_, None, None) => String::new(),
    }
}

/// A count with the size of the worst, where that is a length: areas would not fit the row.
fn seen(figures: &Figures, of: impl Fn(&Depth) -> Seen) -> Measured {
    let Some(depth) = &figures.depth else { return Measured { value: None, text: "not looked at".into() } };
    let Seen { count: n, size } = of(depth);
    let unit = figures.unit.map_or("units", |u| u.symbol());
    let text = if n == 0 || size == 0.0 { count(n) } else { format!("{}, {} {unit}", count(n), short(size)) };
    Measured { value: Some(n as f64), text }
}

fn measured(facts: &Facts, survey: &Survey, measure: Measure) -> Measured {
    let f = &survey.figures;
    let number = |n: usize| Measured { value: Some(n as f64), text: count(n) };
    let roles = |role: Role| number(facts.boundaries.iter().filter(|b| b.role == Some(role)).count());
    let not_yet = |text: &str| Measured { value: None, text: text.into() };
    // Nothing is wrong with facets that are not there, and nothing is ready.
    if f.triangles == 0 && measure.is_of_facets() {
        return not_yet("no faces");
    }
    match measure {
        Measure::Skipped => number(facts.source.skipped.iter().map(|s| s.count).sum()),
        Measure::Unit => Measured {
            value: facts.scale.map(|_| 0.0),
            text: match facts.scale {
                Some(Scale::Unit(unit)) => unit.name().into(),
                Some(Scale::Factor(factor)) => format!("× {}", short(factor)),
                None => "unknown".into(),
            },
        },
        Measure::Length => match facts.scale {
            Some(_) => {
                let longest = f.bbox.size().into_iter().fold(0.0, f64::max);
                Measured { value: Some(longest), text: format!("{} mm", short(longest)) }
            }
            None => not_yet("needs a unit"),
        },
        Measure::Axes => {
            let text = facts.axes.as_ref().map(|[up, forward]| format!("{up} up, {forward} on"));
            Measured { value: text.as_ref().map(|_| 0.0), text: text.unwrap_or_else(|| "not chosen".into()) }
        }
        Measure::DuplicateTriangles => number(f.duplicate_triangles),
        Measure::ZeroAreaTriangles => number(f.zero_area_triangles),
        Measure::OpenEdges => number(f.open_edges),
        Measure::OversharedEdges => number(f.overshared_edges),
        Measure::PinchedPoints => number(f.pinched_points),
        Measure::SelfIntersections => f.self_intersections.map_or_else(|| not_yet("not looked at"), number),
        Measure::CoplanarOverlaps => f.coplanar_overlaps.map_or_else(|| not_yet("not looked at"), number),
        Measure::Doubles => seen(f, |d| Seen { size: 0.0, ..d.doubles }),
        Measure::Touching => seen(f, |d| Seen { size: 0.0, ..d.touching }),
        Measure::LostShells => seen(f, |d| d.lost_shells),
        Measure::TinyShells => seen(f, |d| d.tiny_shells),
        Measure::ThinWalls => seen(f, |d| d.thin_walls),
        Measure::NarrowGaps => seen(f, |d| d.narrow_gaps),
        Measure::Spikes => seen(f, |d| d.spikes),
        Measure::Folds => seen(f, |d| Seen { size: 0.0, ..d.folds }),
        Measure::BadShapes => {
            seen(f, |d| Seen { count: d.needles.count + d.caps.count, size: d.needles.size.max(d.caps.size) })
        }
        Measure::Handles => seen(f, |d| d.handles),
        Measure::IsolatedPoints => seen(f, |d| d.isolated_points),
        Measure::FacetsToTurn => match f.facets_to_turn {
            Some(n) => number(n),
            None => not_yet("once closed"),
        },
        Measure::SmallestAngle => match f.smallest_angle {
            Some(angle) => Measured { value: Some(angle), text: format!("{}°", short(angle)) },
            None => not_yet("no facets"),
        },
        Measure::NamedArea => {
            let unnamed = survey.unnamed_part();
            let named = 100.0 * (1.0 - unnamed);
            // A sliver without a name must not round up to all.
            let shown = if unnamed > 0.0 { named.min(99.9) } else { 100.0 };
            Measured {
                value: Some(if unnamed > 0.0 { named.min(99.999_999) } else { 100.0 }),
                text: format!("{} %", if unnamed > 0.0 { fixed(shown, 1) } else { "100".into() }),
            }
        }
        Measure::BoundariesWithoutRole => number(facts.boundaries.iter().filter(|b| b.role.is_none()).count()),
        Measure::Inlets => roles(Role::Inlet),
        Measure::Outlets => roles(Role::Outlet),
    }
}
