//! Steps: the only way a body changes.

use crate::body::{Boundary, Facts, Scale, Waiver};
use crate::edges;
use crate::exact;
use crate::numbers::{counted, short};
use crate::remedies;
use crate::selection::Selection;
use crate::{Body, Role};
use hull_exact::fineness::Fineness;
use hull_exact::lift::Reader;
use hull_exact::{Frame, Motion};
use hull_geometry::holes::Wish;
use hull_geometry::topology::Topology;
use hull_geometry::transform::{self, Axis};
use hull_geometry::vector::{dot, sub};
use hull_geometry::{Cancelled, NONE, Point, Rebuilt, Unit, Watch, apart, cleanup, measure};
use serde::{Deserialize, Serialize};

/// Which point of the body is put somewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Anchor {
    /// The corner of the box with the smallest coordinates.
    MinimumCorner,
    /// The middle of the box.
    Centre,
    /// The centre of the enclosed volume, or of the area if the surface is open.
    Centroid,
    /// The origin of the body's own coordinates: `at` is a plain translation.
    Origin,
}

/// One operation with all its parameters. Lengths are in millimetres.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "step", rename_all = "snake_case")]
pub enum Step {
    /// The file's coordinates are in this unit.
    SetUnit {
        unit: Unit,
    },
    /// A distance that measures `measured` in file units is `should_be` millimetres.
    SetSize {
        measured: f64,
        should_be: f64,
    },
    /// The body's `up` axis becomes +z and its `forward` axis +x: a proper rotation, never a mirror.
    Orient {
        up: Axis,
        forward: Axis,
    },
    /// Moves the body so that its anchor comes to `at`.
    Place {
        anchor: Anchor,
        at: Point,
    },
    Stitch {
        tolerance: f64,
    },
    TurnOutward,
    /// Fills every hole with a perimeter of at most `up_to`, but not those whose centre is nearest to a
    /// place in `except`.
    FillHoles {
        up_to: f64,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        except: Vec<Point>,
        #[serde(default, skip_serializing_if = "is_proposed")]
        wish: Wish,
        /// What the caps are called, as boundaries of their own; without it they go with the boundary around them.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        cap: Option<String>,
    },
    RemoveDuplicates,
    RemoveZeroArea,
    /// Cuts facets along their crossings and keeps what the surface winds around: shells that run through each other
    /// become one, folds go.
    CutCrossings,
    /// Keeps of a closed surface what can be seen from outside: crossings are cut, cavities and what lies in them go.
    KeepOutside,
    /// Takes shells away whose box has a diagonal of at most `up_to`.
    DropShells {
        up_to: f64,
    },
    /// Takes bumps and dents with sharp rims away whose box has a diagonal of at most `up_to`, and closes the surface
    /// over them; `round` ones too, where the surface leaves without an edge the way on which it goes on around them.
    DropBumps {
        up_to: f64,
        #[serde(default)]
        round: bool,
    },
    /// Takes facets away that lie on another shell within `tolerance`: skins, both sides of one surface, strips that
    /// overlap.
    DropDoubles {
        tolerance: f64,
    },
    /// Puts points that are drawn far out of the ring around them back on its middle.
    FlattenSpikes,
    /// Takes out facets lower than `tolerance`: short edges are drawn together, caps turned.
    MendThin {
        tolerance: f64,
    },
    /// Makes facets larger where the surface stays within `tolerance`.
    Coarsen {
        tolerance: f64,
    },
    /// Cuts tunnels open around loops of at most `up_to` and closes both ends.
    CloseTunnels {
        up_to: f64,
    },
    /// Replaces the surface by a closed one around it, at `offset`, that closes gaps narrower than `gap`.
    Wrap {
        offset: f64,
        gap: f64,
    },
    /// Makes the facets again from the exact geometry.
    Facet {
        fineness: Fineness,
    },
    /// Reads the exact faces again, trusting the file's bounds or rebuilding them.
    ReadAgain {
        reader: Reader,
    },
    /// Joins loose exact faces on their edges.
    JoinFaces {
        tolerance: f64,
    },
    /// Takes exact holes, pockets and raised features away whose diameter is at most `up_to`.
    RemoveFeatures {
        up_to: f64,
    },
    /// Takes exact bodies of these names away.
    DropBodies {
        names: Vec<String>,
    },
    /// Takes the picked faces away: exact ones whole, of a body without exact geometry the picked facets.
    DropFaces {
        pick: Selection,
    },
    NameBoundary {
        name: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        role: Option<Role>,
        pick: Selection,
    },
    /// Names the exact edge whose middle is nearest to `at`; an empty name takes its name away.
    NameEdge {
        name: String,
        at: Point,
    },
    SetRole {
        name: String,
        role: Role,
    },
    /// Takes a boundary's name away; its facets are unnamed again.
    DropBoundary {
        name: String,
    },
    /// Lets a short requirement pass.
    Waive {
        requirement: String,
        reason: String,
        by: String,
    },
    Unwaive {
        requirement: String,
    },
}

fn is_proposed(wish: &Wish) -> bool {
    *wish == Wish::Proposed
}

/// What a step changed.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Change {
    /// In figures, as one sentence.
    pub sentence: String,
    /// The furthest that any point moved other than with the whole body, in millimetres.
    #[serde(default)]
    pub largest_move: f64,
    /// How far the surface is from what it was, both ways, where a step on facets moved it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub moved: Option<apart::Moved>,
}

/// Why a step cannot be applied. The body is as it was.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum StepError {
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    #[error("{0}")]
    Refused(String),
}

pub(crate) fn refused(sentence: impl Into<String>) -> StepError {
    StepError::Refused(sentence.into())
}

fn no_exact() -> StepError {
    refused("The body has no exact geometry: its file held facets only.")
}

impl Step {
    /// The step in two or three words.
    pub fn title(&self) -> String {
        match self {
            Step::SetUnit { unit } => format!("Unit: {}", unit.name()),
            Step::SetSize { .. } => "Size from a measured distance".into(),
            Step::Orient { .. } => "Axes".into(),
            Step::Place { .. } => "Place".into(),
            Step::Stitch { tolerance } => format!("Stitch at {} mm", short(*tolerance)),
            Step::TurnOutward => "Turn facets outward".into(),
            Step::FillHoles { cap: Some(name), .. } => format!("Cap as “{name}”"),
            Step::FillHoles { .. } => "Fill holes".into(),
            Step::RemoveDuplicates => "Remove duplicate facets".into(),
            Step::RemoveZeroArea => "Remove facets without area".into(),
            Step::CutCrossings => "Cut crossings".into(),
            Step::KeepOutside => "Keep the outside only".into(),
            Step::DropShells { up_to } => format!("Drop shells up to {} mm", short(*up_to)),
            Step::DropBumps { up_to, round } => {
                format!("Drop {}bumps and dents up to {} mm", if *round { "also round " } else { "" }, short(*up_to))
            }
            Step::DropDoubles { tolerance } => format!("Drop doubles within {} mm", short(*tolerance)),
            Step::FlattenSpikes => "Flatten spikes".into(),
            Step::Coarsen { tolerance } => format!("Fewer facets within {} mm", short(*tolerance)),
            Step::MendThin { tolerance } => format!("Mend facets thinner than {} mm", short(*tolerance)),
            Step::CloseTunnels { up_to } => format!("Close tunnels up to {} mm around", short(*up_to)),
            Step::Wrap { offset, .. } => format!("Wrap at {} mm", short(*offset)),
            Step::Facet { fineness } => {
                format!("Facets at {} mm, {}°", short(fineness.deviation), short(fineness.angle))
            }
            Step::ReadAgain { reader: Reader::Trusting } => "Read trusting the file's bounds".into(),
            Step::ReadAgain { reader: Reader::Rebuilding } => "Read with rebuilt bounds".into(),
            Step::JoinFaces { tolerance } => format!("Join faces at {} mm", short(*tolerance)),
            Step::RemoveFeatures { up_to } => format!("Remove holes up to {} mm", short(*up_to)),
            Step::DropBodies { names } if names.len() == 1 => format!("Drop “{}”", names[0]),
            Step::DropBodies { names } => format!("Drop {}", counted(names.len(), "body")),
            Step::DropFaces { .. } => "Drop faces".into(),
            Step::NameBoundary { name, .. } => format!("Name “{name}”"),
            Step::NameEdge { name, .. } if name.is_empty() => "Take an edge's name away".into(),
            Step::NameEdge { name, .. } => format!("Name an edge “{name}”"),
            Step::SetRole { name, role } => format!("“{name}” is {}", role.name()),
            Step::DropBoundary { name } => format!("Take the name “{name}” away"),
            Step::Waive { requirement, .. } => format!("Waive {}", requirement.replace('_', " ")),
            Step::Unwaive { requirement } => format!("Ask again for {}", requirement.replace('_', " ")),
        }
    }

    /// Whether the step moves or rebuilds facets (and not only names them).
    pub fn changes_shape(&self) -> bool {
        !matches!(
            self,
            Step::NameBoundary { .. }
                | Step::NameEdge { .. }
                | Step::SetRole { .. }
                | Step::DropBoundary { .. }
                | Step::Waive { .. }
                | Step::Unwaive { .. }
        )
    }
}

impl Step {
    /// Whether the step changes facets without regard to exact geometry.
    fn leaves_exact_behind(&self) -> bool {
        matches!(
            self,
            Step::Stitch { .. }
                | Step::TurnOutward
                | Step::FillHoles { .. }
                | Step::RemoveDuplicates
                | Step::RemoveZeroArea
                | Step::CutCrossings
                | Step::KeepOutside
                | Step::DropShells { .. }
                | Step::DropBumps { .. }
                | Step::DropDoubles { .. }
                | Step::FlattenSpikes
                | Step::MendThin { .. }
                | Step::Coarsen { .. }
                | Step::CloseTunnels { .. }
                | Step::Wrap { .. }
        )
    }
}

/// A sentence about lengths, said in file units as long as the body has no other.
pub fn in_unit(sentence: &str, facts: &Facts) -> String {
    if facts.scale.is_some() { sentence.into() } else { sentence.replace(" mm", " file units") }
}

/// Applies one step. The same body and step give the same bytes, whatever the thread count.
///
/// # Errors
/// [`StepError`]: cancelled, or refused with a sentence that says what to do.
pub fn apply(before: &Body, step: &Step, watch: &Watch) -> Result<(Body, Change), StepError> {
    applied(before, step, watch).map_err(|e| match e {
        StepError::Refused(sentence) => StepError::Refused(in_unit(&sentence, &before.facts)),
        other => other,
    })
}

fn applied(before: &Body, step: &Step, watch: &Watch) -> Result<(Body, Change), StepError> {
    if before.is_only_curves() && step.leaves_exact_behind() {
        return Err(refused(ONLY_CURVES));
    }
    let mut body = before.clone();
    let mut change = Change::default();
    change.sentence = match step {
        Step::SetUnit { unit } => set_scale(&mut body, Scale::Unit(*unit))?,
        Step::SetSize { measured, should_be } => {
            let factor = should_be / measured;
            if !(factor.is_finite() && factor > 0.0) {
                return Err(refused("Both the measured distance and what it should be must be greater than zero."));
            }
            set_scale(&mut body, Scale::Factor(factor))?
        }
        Step::Orient { up, forward } => turn_axes(&mut body, *up, *forward)?,
        Step::Place { anchor, at } => place(&mut body, *anchor, *at)?,
        Step::Stitch { tolerance } => remedies::close_gaps(&mut body, *tolerance, &mut change, watch)?,
        Step::TurnOutward => remedies::turn_outward(&mut body, watch)?,
        Step::FillHoles { up_to, except, wish, cap } => {
            remedies::fill_holes(&mut body, *up_to, except, *wish, cap.as_deref(), watch)?
        }
        Step::RemoveDuplicates => {
            let (rebuilt, gone) = cleanup::without_duplicates(&body.mesh, watch)?;
            remedies::shrink(&mut body, rebuilt, gone, "duplicate facets")?
        }
        Step::RemoveZeroArea => {
            let (rebuilt, gone) = cleanup::without_zero_area(&body.mesh, watch)?;
            remedies::shrink(&mut body, rebuilt, gone, "facets without area")?
        }
        Step::CutCrossings => remedies::cut_crossings(&mut body, watch)?,
        Step::KeepOutside => remedies::keep_outside(&mut body, watch)?,
        Step::DropShells { up_to } => remedies::drop_shells(&mut body, *up_to, watch)?,
        Step::DropBumps { up_to, round } => remedies::drop_bumps(&mut body, *up_to, *round, watch)?,
        Step::DropDoubles { tolerance } => remedies::drop_doubles(&mut body, *tolerance, watch)?,
        Step::FlattenSpikes => remedies::flatten_spikes(&mut body)?,
        Step::Coarsen { tolerance } => remedies::coarsen_within(&mut body, *tolerance, watch)?,
        Step::MendThin { tolerance } => remedies::mend_thin_facets(&mut body, *tolerance, watch)?,
        Step::CloseTunnels { up_to } => remedies::close_tunnels(&mut body, *up_to, watch)?,
        Step::Wrap { offset, gap } => remedies::wrap_around(&mut body, *offset, *gap, watch)?,
        Step::Facet { fineness } => {
            if !(fineness.deviation > 0.0 && fineness.deviation.is_finite() && fineness.angle > 0.0) {
                return Err(refused(
                    "The deviation must be a length and the angle a number of degrees, both greater than zero.",
                ));
            }
            exact::facet_again(&mut body, *fineness, watch)?.ok_or_else(no_exact)?
        }
        Step::ReadAgain { reader } => exact::read_again(&mut body, *reader, watch)?.ok_or_else(no_exact)?,
        Step::JoinFaces { tolerance } => {
            if !(*tolerance > 0.0 && tolerance.is_finite()) {
                return Err(refused("The tolerance must be a length greater than zero."));
            }
            let (sentence, gap) = exact::join_faces(&mut body, *tolerance, watch)?.ok_or_else(no_exact)?;
            change.largest_move = gap;
            sentence
        }
        Step::RemoveFeatures { up_to } => {
            if body.exact.is_none() {
                return Err(no_exact());
            }
            let nothing =
                || refused(format!("No hole, pocket or raised feature is {} mm wide or less.", short(*up_to)));
            exact::remove_features(&mut body, *up_to, watch)?.ok_or_else(nothing)?
        }
        Step::DropBodies { names } => {
            if body.exact.is_none() {
                return Err(no_exact());
            }
            exact::drop_bodies(&mut body, names, watch)?.map_err(refused)?
        }
        Step::DropFaces { pick } => drop_faces(&mut body, pick, watch)?,
        Step::NameBoundary { name, role, pick } => name_boundary(&mut body, name, *role, pick)?,
        Step::NameEdge { name, at } => {
            let name = name.trim();
            if name.len() > 80 || name.chars().any(char::is_control) {
                return Err(refused("An edge's name has at most eighty characters."));
            }
            let exact = body.exact.clone().ok_or_else(no_exact)?;
            let length = edges::name_edge(&exact, &mut body.facts.edge_names, name, *at);
            let length = length.ok_or_else(|| refused("The body has no exact edges."))?;
            format!("An edge {} mm long has {} now.", short(length), if name.is_empty() { "no name" } else { name })
        }
        Step::SetRole { name, role } => {
            let boundary = body.facts.boundaries.iter_mut().find(|b| b.name == *name);
            boundary.ok_or_else(|| refused(format!("There is no boundary “{name}”.")))?.role = Some(*role);
            format!("“{name}” is {} now.", role.name())
        }
        Step::DropBoundary { name } => {
            let number = body.facts.boundaries.iter().position(|b| b.name == *name);
            let number = number.ok_or_else(|| refused(format!("There is no boundary “{name}”.")))? as u32;
            let facets = body.facets_of(number);
            for &f in &facets {
                body.boundary_of[f as usize] = NONE;
            }
            body.drop_empty_boundaries();
            format!("Without a name now: {}.", counted(facets.len(), "facet"))
        }
        Step::Waive { requirement, reason, by } => {
            if reason.trim().is_empty() || by.trim().is_empty() {
                return Err(refused("A waiver needs a reason and the name of who decided."));
            }
            let waiver =
                Waiver { requirement: requirement.clone(), reason: reason.trim().into(), by: by.trim().into() };
            body.facts.waivers.retain(|w| w.requirement != *requirement);
            body.facts.waivers.push(waiver);
            format!("Waived by {}: {}", by.trim(), reason.trim())
        }
        Step::Unwaive { requirement } => {
            body.facts.waivers.retain(|w| w.requirement != *requirement);
            "The waiver is withdrawn.".into()
        }
    };
    change.sentence = in_unit(&change.sentence, &body.facts);
    if step.leaves_exact_behind() {
        watch.report(0.45, "measuring how far the surface moved")?;
        change.moved = apart::moved(&before.mesh, &body.mesh, watch)?;
        change.largest_move = change.largest_move.max(change.moved.as_ref().map_or(0.0, apart::Moved::largest));
        if let Some(exact) = &mut body.facts.exact {
            exact.facets_changed = true;
        }
    }
    Ok((body, change))
}

fn set_scale(body: &mut Body, scale: Scale) -> Result<String, StepError> {
    // A unit that was set before is taken back first: people correct themselves.
    let factor = scale.millimetres() / body.facts.scale.map_or(1.0, Scale::millimetres);
    transform::enlarge(&mut body.mesh, factor);
    body.move_exact(Motion::scaling(factor));
    for x in &mut body.facts.moved {
        *x *= factor;
    }
    body.facts.scale = Some(scale);
    let size = body.bounds().size();
    Ok(format!("The body is {} × {} × {} mm now.", short(size[0]), short(size[1]), short(size[2])))
}

fn turn_axes(body: &mut Body, up: Axis, forward: Axis) -> Result<String, StepError> {
    let m = transform::rotation(up, forward)
        .ok_or_else(|| refused("Up and forward lie along one line; choose two different axes."))?;
    transform::rotate(&mut body.mesh, &m);
    let column = |k: usize| [m[0][k], m[1][k], m[2][k]];
    let frame = Frame { origin: [0.0; 3], x: column(0), y: column(1), z: column(2) };
    body.move_exact(Motion { frame, scale: 1.0 });
    body.facts.moved = transform::apply(&m, body.facts.moved);
    let r = transform::product(&m, &body.facts.rotation);
    body.facts.rotation = r;
    let of_file = |row: usize| {
        let turned = Axis::ALL.into_iter().find(|a| dot(a.direction(), r[row]) > 0.5);
        turned.unwrap_or(Axis::PlusX).symbol().to_string()
    };
    let axes = [of_file(2), of_file(0)];
    let sentence = format!("The file's {} is up (+z) and its {} is forward (+x).", axes[0], axes[1]);
    body.facts.axes = Some(axes);
    Ok(sentence)
}

fn place(body: &mut Body, anchor: Anchor, at: Point) -> Result<String, StepError> {
    if at.iter().any(|x| !x.is_finite()) {
        return Err(refused("The place must be three numbers."));
    }
    let bounds = body.bounds();
    let from = match anchor {
        Anchor::MinimumCorner => bounds.min,
        Anchor::Centre => bounds.centre(),
        Anchor::Centroid if body.is_only_curves() => bounds.centre(),
        Anchor::Centroid => {
            let mass = measure::mass(&body.mesh, &bounds);
            let closed = Topology::of(&body.mesh, &Watch::default())?.is_closed() && mass.volume != 0.0;
            if closed { mass.centroid } else { measure::area_centroid(&body.mesh) }
        }
        Anchor::Origin => [0.0; 3],
    };
    let by = sub(at, from);
    transform::translate(&mut body.mesh, by);
    body.move_exact(Motion { frame: Frame { origin: by, ..Frame::WORLD }, scale: 1.0 });
    body.facts.moved = hull_geometry::vector::add(body.facts.moved, by);
    Ok(format!("Moved by {}, {}, {}.", short(by[0]), short(by[1]), short(by[2])))
}

fn drop_faces(body: &mut Body, pick: &Selection, watch: &Watch) -> Result<String, StepError> {
    let facets = pick.facets(body);
    if facets.is_empty() {
        return Err(refused(NOTHING_PICKED));
    }
    if facets.len() == body.mesh.triangles.len() {
        return Err(refused("Nothing would be left."));
    }
    if body.facts.exact.as_ref().is_some_and(|e| !e.facets_changed) {
        return exact::drop_faces(body, &facets, watch)?.map_err(refused);
    }
    let rebuilt = Rebuilt::keeping(&body.mesh, |f| facets.binary_search(&f).is_err());
    let gone = facets.len();
    let sentence = remedies::shrink(body, rebuilt, gone, "facets")?;
    if let Some(exact) = &mut body.facts.exact {
        exact.facets_changed = true;
    }
    Ok(sentence)
}

const ONLY_CURVES: &str = "The body has curves and no faces: there is no surface to work on.";
const NOTHING_PICKED: &str = "No facet is picked. Choose “Pick faces” and click in the view.";

fn name_boundary(body: &mut Body, name: &str, role: Option<Role>, pick: &Selection) -> Result<String, StepError> {
    let name = boundary_name(name)?;
    let facets = pick.facets(body);
    if facets.is_empty() {
        return Err(refused(NOTHING_PICKED));
    }
    let rest = pick.include.iter().all(|p| matches!(p, crate::selection::Pick::Unnamed));
    let number = boundary_called(body, name, role, if rest { "the rest" } else { "picked" });
    for &f in &facets {
        body.boundary_of[f as usize] = number;
    }
    body.drop_empty_boundaries();
    Ok(format!("“{name}” has {} more.", counted(facets.len(), "facet")))
}

/// A boundary's name without blanks around it.
pub(crate) fn boundary_name(name: &str) -> Result<&str, StepError> {
    let name = name.trim();
    if name.is_empty() || name.len() > 80 || name.chars().any(char::is_control) {
        return Err(refused("A boundary needs a name of one to eighty characters."));
    }
    Ok(name)
}

/// The number of the boundary of that name, made if there is none. Its role is the one given, or what its name says.
pub(crate) fn boundary_called(body: &mut Body, name: &str, role: Option<Role>, from: &str) -> u32 {
    let boundaries = &mut body.facts.boundaries;
    let number = boundaries.iter().position(|b| b.name == name).unwrap_or_else(|| {
        boundaries.push(Boundary { name: name.into(), role: None, from: from.into() });
        boundaries.len() - 1
    });
    if role.is_some() || boundaries[number].role.is_none() {
        boundaries[number].role = role.or_else(|| Role::guess(name));
    }
    number as u32
}
