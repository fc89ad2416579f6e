//! Holes filled.

use crate::Body;
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::closing::follow_closed;
use crate::steps::name_boundary::boundary_called;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::holes::{self, Filling, FillingChoice, Hole};
use hull_geometry::vector::distance;
use hull_geometry::{FacetId, Point};
use serde::{Deserialize, Serialize};

/// Fills every hole with a perimeter of at most `up_to`, but not those whose centre is nearest to a place in `except`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FillHoles {
    /// The longest perimeter that is filled.
    pub up_to: f64,
    /// Places of holes that stay.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub except: Vec<Point>,
    /// What the fillings are like.
    #[serde(default, skip_serializing_if = "is_proposed")]
    pub wish: FillingChoice,
    /// What the caps are called, as boundaries of their own; without it they go with the boundary around them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cap: Option<String>,
}

fn is_proposed(wish: &FillingChoice) -> bool {
    *wish == FillingChoice::Proposed
}

const WISHES: Quantity = Quantity::Choice(&[
    ("proposed", "as listed"),
    ("smooth", "smooth wherever not flat"),
    ("plain", "without new points"),
]);

impl Operation for FillHoles {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Fill the ticked";
    const HELP: &'static str = "Fills holes: flat ones with a flat cap, others with a smooth patch or the least area. \
                                Loose pieces within are bridged.";

    fn title(&self) -> Sentence {
        match &self.cap {
            Some(name) => format!("Cap as “{name}”").into(),
            None => "Fill holes".into(),
        }
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("up_to", "Perimeter up to", Quantity::Length, "holes this long around or shorter are filled"),
            Field::new("except", "Except those at", Quantity::Places, "holes nearest to these places stay").optional(),
            Field::new("wish", "Filling", WISHES, "what the fillings are like").or("proposed"),
            Field::new(
                "cap",
                "Name the caps",
                Quantity::Text(1, 80),
                "with a name the caps are a boundary of their own, as an inlet or an outlet; without one they go with \
                 what is around them",
            )
            .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let holes = &seen.survey.gaps.holes;
        let fillable = holes.iter().filter(|h| h.fillable);
        let small = |x: f64| x <= PROPOSED * seen.survey.size.bbox.diagonal() || holes.len() == 1;
        let up_to = fillable.map(|h| h.perimeter).filter(|x| small(*x)).fold(0.0, f64::max);
        if up_to == 0.0 {
            return None;
        }
        let n = holes.iter().filter(|h| h.perimeter <= up_to).count();
        let step = FillHoles { up_to: with_room(up_to), except: Vec::new(), wish: FillingChoice::Proposed, cap: None };
        let have = if n == 1 { "has" } else { "have" };
        let of = format!("{} of {} {have} a perimeter of at most ", count(n), counted(holes.len(), "hole"));
        let sentence = say![of, length(up_to), "."];
        if seen.survey.gaps.plot.proposal.is_some() {
            Proposal::possible(step)
        } else {
            Proposal::because(step, sentence)
        }
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (chosen, all) = holes_to_fill(body, self.up_to, &self.except);
        if chosen.is_empty() {
            let there = format!("; there are {}.", all.len());
            return Err(say!["No hole has a perimeter of at most ", length(self.up_to), there].into());
        }
        let filled = holes::fill(&body.mesh, &chosen, self.wish, at.watch)?;
        let first = body.mesh.triangles.len();
        follow_closed(body, filled.rebuilt);
        let cap = self.cap.as_deref().map(str::trim);
        if let Some(name) = cap {
            let names = (1..=chosen.len()).map(|i| if i == 1 { name.to_string() } else { format!("{name} {i}") });
            let numbers: Vec<u32> = names.map(|name| boundary_called(body, &name, None, "a cap")).collect();
            for (i, &hole) in filled.hole_of.iter().enumerate() {
                body.columns.boundary[FacetId::from(first + i)] = numbers[hole as usize];
            }
        }
        body.drop_empty_boundaries();
        let fillings: Vec<Filling> = filled.fillings.iter().map(|f| f.0).collect();
        Ok(said(&chosen, all.len(), &fillings, filled.hole_of.len(), cap).into())
    }
}

/// Holes up to this part of the body's diagonal around are proposed to be filled: a twentieth of it across.
const PROPOSED: f64 = 0.2;

/// Up to the next thousandth: the perimeter itself must not fall out by rounding.
pub fn with_room(perimeter: f64) -> f64 {
    (perimeter * 1000.0).ceil() / 1000.0 + 0.001
}

fn said(chosen: &[Hole], all: usize, fillings: &[Filling], facets: usize, cap: Option<&str>) -> String {
    let of = |kind: Filling| fillings.iter().filter(|f| **f == kind).count();
    let (failed, flat, smooth) = (of(Filling::NotFilled), of(Filling::Flat), of(Filling::Smooth));
    let mut sentence = format!(
        "{} of {} filled ({flat} flat, {smooth} smooth) with {}.",
        count(chosen.len() - failed),
        counted(all, "hole"),
        counted(facets, "facet")
    );
    let islands: usize = chosen.iter().map(|h| h.islands.len()).sum();
    if islands > 0 {
        sentence += &format!(" {islands} islands in them were bridged.");
    }
    if let Some(name) = cap {
        sentence += &format!(" The caps are boundaries of their own: “{name}”.");
    }
    if failed > 0 {
        sentence += &format!(" {failed} could not be filled without a non-manifold edge.");
    }
    sentence
}

/// The holes of a body that a limit and exceptions leave to fill, and all holes.
pub fn holes_to_fill(body: &Body, up_to: f64, except: &[Point]) -> (Vec<Hole>, Vec<Hole>) {
    let open = hull_geometry::stitch::Rim::of(&body.mesh);
    let found = holes::find_holes(&body.mesh, &open.open_in_whole());
    let kept: Vec<usize> = except
        .iter()
        .filter_map(|p| {
            (0..found.len()).min_by(|&a, &b| distance(found[a].centre, *p).total_cmp(&distance(found[b].centre, *p)))
        })
        .collect();
    let chosen = found
        .iter()
        .enumerate()
        .filter(|(i, h)| h.perimeter <= up_to && !kept.contains(i))
        .map(|(_, h)| h.clone())
        .collect();
    (chosen, found)
}
