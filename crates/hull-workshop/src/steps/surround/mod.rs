//! The region outside a body: a far field less the body, its sides named.

use crate::body::{Boundary, Columns, Facts, Role};
use crate::combine::{Together, together};
use crate::numbers::fixed;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::orient::AXES;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use crate::{Body, StepError};
use hull_flow::far_field::{self, BLOCKAGE, Form, RULE, Room, Side, Stream, far_box, frontal_area};
use hull_geometry::mesh::Bounds;
use hull_geometry::transform::Axis;
use hull_geometry::vector::dot;
use hull_geometry::{NONE, Point};
use serde::{Deserialize, Serialize};
use typed_index_collections::TiVec;

/// Whether the region ends at the ground.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Ground {
    /// Open all around.
    None,
    /// At the body's lowest point.
    Under,
    /// At height 0.
    Zero,
}

/// The plane at which the region is cut in half.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Mirror {
    /// None.
    None,
    /// x = 0.
    X,
    /// y = 0.
    Y,
    /// z = 0.
    Z,
}

/// Makes the region around the body.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Surround {
    /// What it looks like.
    pub form: Form,
    /// Where the flow goes.
    pub along: Axis,
    /// What is up.
    pub up: Axis,
    /// In body heights.
    pub before: f64,
    /// In body heights.
    pub behind: f64,
    /// In body heights.
    pub beside: f64,
    /// In body heights.
    pub above: f64,
    /// Where it ends below.
    pub ground: Ground,
    /// Whether it is half.
    pub symmetry: Mirror,
    /// Two corners instead of the multiples.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub corners: Vec<Point>,
}

const ROOM: Quantity = Quantity::Number("× height", 0.01, 1000.0);

impl Surround {
    fn stream(&self) -> Stream {
        Stream { along: self.along, up: self.up }
    }

    fn mirror(&self) -> Option<usize> {
        match self.symmetry {
            Mirror::None => None,
            Mirror::X => Some(0),
            Mirror::Y => Some(1),
            Mirror::Z => Some(2),
        }
    }

    fn ground_at(&self, body: &Bounds) -> Option<f64> {
        let k = (0..3).find(|&k| self.up.direction()[k] != 0.0).unwrap_or(2);
        match self.ground {
            Ground::None => None,
            Ground::Zero => Some(0.0),
            Ground::Under => Some(if self.up.direction()[k] > 0.0 { body.min[k] } else { body.max[k] }),
        }
    }

    /// Of the body along `up`: multiples are of it.
    fn height(&self, body: &Bounds) -> f64 {
        let size = body.size();
        dot(size, self.up.direction()).abs()
    }

    fn limits(&self, body: &Bounds) -> Result<Bounds, Refusal> {
        let room = Room { before: self.before, behind: self.behind, beside: self.beside, above: self.above };
        let ground = self.ground_at(body);
        match self.corners.as_slice() {
            [] => Ok(far_box(body, self.stream(), room, self.height(body), ground, self.mirror())),
            [a, b] => {
                let mut limits = Bounds::of([*a, *b]);
                if limits.size().iter().any(|s| *s <= 0.0) {
                    return Err("The two corners must differ along every axis.".into());
                }
                let up = self.up.direction();
                if let (Some(at), Some(k)) = (ground, (0..3).find(|&k| up[k] != 0.0)) {
                    if up[k] > 0.0 { limits.min[k] = at } else { limits.max[k] = at }
                }
                if let Some(k) = self.mirror() {
                    limits.min[k] = 0.0;
                }
                Ok(limits)
            }
            _ => Err("The region has two corners: x, y, z; x, y, z.".into()),
        }
    }
}

impl Operation for Surround {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Make the region around it";
    const HELP: &'static str = "Makes the space that the fluid fills around the closed body: a box, a cylinder along the \
                                flow or half a ball, less the body, with its sides named. Proposed: 5 heights before and \
                                beside, 15 behind, blockage at most 3 % (COST Action 732, 2007).";

    fn title(&self) -> Sentence {
        match self.form {
            Form::Box => "Region around: box",
            Form::Cylinder => "Region around: cylinder",
            Form::HalfBall => "Region around: ball",
        }
        .into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "form",
                "Shape",
                Quantity::Choice(&[
                    ("box", "box"),
                    ("cylinder", "cylinder along the flow"),
                    ("half_ball", "ball, half of it on the ground"),
                ]),
                "what the region looks like",
            )
            .or("box"),
            Field::new("along", "flow goes", AXES, "the axis along which it flows").or("+x"),
            Field::new("up", "up is", AXES, "away from the ground").or("+z"),
            Field::new("before", "before", ROOM, "room upstream").or("5"),
            Field::new("behind", "behind", ROOM, "room downstream").or("15"),
            Field::new("beside", "beside", ROOM, "room on each side").or("5").called_in_shell("at-sides"),
            Field::new("above", "above", ROOM, "room above, and below without ground").or("5"),
            Field::new(
                "ground",
                "ground",
                Quantity::Choice(&[("none", "none"), ("under", "under the body"), ("zero", "at height 0")]),
                "where the region ends below",
            )
            .or("none"),
            Field::new(
                "symmetry",
                "half at",
                Quantity::Choice(&[("none", "no plane"), ("x", "x = 0"), ("y", "y = 0"), ("z", "z = 0")]),
                "keeps the positive side",
            )
            .or("none"),
            Field::new("corners", "or two corners", Quantity::Places, "x, y, z; x, y, z instead of the multiples")
                .optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let size = seen.survey.size.bbox.size();
        if !seen.survey.topology.closed || size[2] <= 0.0 {
            return None;
        }
        // The whole box of the body is taken for its shadow: never too little room.
        let mut beside = RULE.beside;
        let part = |b: f64| size[1] * size[2] / ((size[1] + 2.0 * b * size[2]) * (size[2] + 2.0 * b * size[2]));
        while part(beside) > BLOCKAGE && beside < 100.0 {
            beside += 1.0;
        }
        Proposal::possible(Surround {
            form: Form::Box,
            along: Axis::PlusX,
            up: Axis::PlusZ,
            before: RULE.before,
            behind: RULE.behind,
            beside,
            above: RULE.above.max(beside),
            ground: Ground::None,
            symmetry: Mirror::None,
            corners: Vec::new(),
        })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        if dot(self.along.direction(), self.up.direction()) != 0.0 {
            return Err("Flow and up lie along one line; choose two different axes.".into());
        }
        let bounds = body.bounds();
        let limits = self.limits(&bounds)?;
        self.check_room(&bounds, &limits)?;
        let ground = self.ground_at(&bounds);
        let region = far_field::region(self.form, &limits, &bounds, self.stream(), ground, self.mirror());
        let inflow = frontal_area(&region.mesh, self.stream()).max(f64::MIN_POSITIVE);
        let shadow = frontal_area(&body.mesh, self.stream());
        let (region_body, solid) = (outer(&region), named(body));
        let both = [("far field".to_string(), region_body), (body.facts.source.file.clone(), solid)];
        let (mut made, _) = together(&both, Together::Subtract, at.watch).map_err(|e| match e {
            StepError::Cancelled(c) => Refusal::Cancelled(c),
            StepError::Refused(s) => s.into(),
        })?;
        made.facts = Facts {
            boundaries: made.facts.boundaries,
            labels: made.facts.labels,
            seams: made.facts.seams,
            ..body.facts.clone()
        };
        made.facts.exact = None;
        made.facts.edge_names.clear();
        let mirror = if self.mirror().is_some() { 2.0 } else { 1.0 };
        let blockage = shadow / (inflow * mirror);
        let size = limits.size();
        let over =
            if blockage > BLOCKAGE { ", more than the 3 % of the rule: leave more room beside and above" } else { "" };
        let sentence = say![
            "The region is ",
            length(size[0]),
            " × ",
            length(size[1]),
            " × ",
            length(size[2]),
            format!(
                ". The body's shadow along the flow is {} % of it{over}. Sides: {}.",
                fixed(100.0 * blockage, 2),
                made.facts.boundaries.iter().map(|b| b.name.clone()).collect::<Vec<_>>().join(", ")
            ),
        ];
        *body = made;
        Ok(sentence.into())
    }
}

impl Surround {
    /// Refuses a region that does not hold the body but where it ends at the ground or the mirror.
    fn check_room(&self, body: &Bounds, limits: &Bounds) -> Result<(), Refusal> {
        let up = self.up.direction();
        for k in 0..3 {
            let ground = self.ground != Ground::None && up[k] != 0.0;
            let low_is_cut = (ground && up[k] > 0.0) || self.mirror() == Some(k);
            let high_is_cut = ground && up[k] < 0.0;
            let axis = ["x", "y", "z"][k];
            if (!low_is_cut && body.min[k] <= limits.min[k]) || body.max[k] <= limits.min[k] {
                return Err(say![
                    format!("The region does not hold the body: at {axis} the body begins at "),
                    length(body.min[k]),
                    ", the region at ",
                    length(limits.min[k]),
                    "."
                ]
                .into());
            }
            if (!high_is_cut && body.max[k] >= limits.max[k]) || body.min[k] >= limits.max[k] {
                return Err(say![
                    format!("The region does not hold the body: at {axis} the body ends at "),
                    length(body.max[k]),
                    ", the region at ",
                    length(limits.max[k]),
                    "."
                ]
                .into());
            }
        }
        Ok(())
    }
}

/// The region as a body: a boundary a side.
fn outer(region: &far_field::Region) -> Body {
    let mut sides: Vec<Side> = Vec::new();
    let boundary = region
        .sides
        .iter()
        .map(|s| {
            sides.iter().position(|t| t == s).unwrap_or_else(|| {
                sides.push(*s);
                sides.len() - 1
            }) as u32
        })
        .collect();
    let role = |s: &Side| match s {
        Side::Inflow => Role::Inlet,
        Side::Outflow => Role::Outlet,
        Side::Ground => Role::Wall,
        // Nothing passes through the sides, and nothing sticks to them.
        Side::Far | Side::Symmetry => Role::Symmetry,
    };
    let boundaries = sides.iter().map(|s| Boundary::new(s.name(), Some(role(s)), "far field"));
    Body {
        facts: Facts { boundaries: boundaries.collect(), ..Facts::default() },
        columns: Columns { boundary, ..Columns::default() },
        mesh: region.mesh.clone(),
        ..Body::default()
    }
}

/// The body with a name for what has none: its walls.
fn named(body: &Body) -> Body {
    let mut out = body.clone();
    out.facts.scale = None;
    out.exact = None;
    out.facts.exact = None;
    out.columns.face = TiVec::new();
    let sides = [Side::Inflow, Side::Outflow, Side::Far, Side::Ground, Side::Symmetry].map(Side::name);
    for b in &mut out.facts.boundaries {
        // A side of the region keeps its name for itself.
        if sides.contains(&b.name.as_str()) {
            b.name = format!("body {}", b.name);
        }
        b.role = b.role.or(Some(Role::Wall));
    }
    if out.columns.boundary.contains(&NONE) {
        let number = out.facts.boundaries.len() as u32;
        out.facts.boundaries.push(Boundary::new("body", Some(Role::Wall), "the rest"));
        out.columns.boundary.iter_mut().filter(|b| **b == NONE).for_each(|b| *b = number);
    }
    out
}
