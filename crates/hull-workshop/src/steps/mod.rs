//! Steps: the only way a body changes. One folder an operation; [`operations!`] is the list they are named in.
//!
//! From the description of each ([`Operation`]) follow the page's form, `hull step`, the guide's table, the check of
//! values and what is measured afterwards.

pub mod closing;
pub mod field;
mod joints;
pub mod operation;

pub use field::{Field, Quantity};
pub use operation::{About, At, Kinds, Operation, Proposal, Refusal, Report, Seen, Touches};

use crate::sentence::{LengthUnit, Sentence};
use crate::{Body, Destination};
use hull_geometry::{Cancelled, Watch, deviation};
use serde::{Deserialize, Serialize};
use toml::{Table, Value};

/// Lists the operations: makes their modules, the enum [`Step`] that holds one of them as data, and [`OPERATIONS`].
macro_rules! operations {
    ($($id:ident: $name:ident,)*) => {
        $(pub mod $id;)*

        /// One operation with all its parameters. Lengths are in millimetres, or file units while no unit is set.
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
        #[serde(tag = "step", rename_all = "snake_case")]
        pub enum Step {
            $(#[doc = concat!("See [`", stringify!($id), "`].")] $name($id::$name),)*
        }

        $(impl From<$id::$name> for Step {
            fn from(operation: $id::$name) -> Step {
                Step::$name(operation)
            }
        })*

        /// Every operation there is, in the order of work.
        pub const OPERATIONS: &[About] = &[$(About::of::<$id::$name>(stringify!($id))),*];

        impl Step {
            /// The description of its operation.
            pub fn about(&self) -> &'static About {
                const EACH: &[About] = OPERATIONS;
                let id = match self { $(Step::$name(_) => stringify!($id),)* };
                // Every variant has its place in the list above.
                EACH.iter().find(|o| o.id == id).unwrap_or(&EACH[0])
            }

            /// The step in two or three words.
            pub fn title(&self) -> Sentence {
                match self { $(Step::$name(o) => o.title(),)* }
            }

            fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
                match self { $(Step::$name(o) => o.run(body, at),)* }
            }
        }
    };
}

operations! {
    set_unit: SetUnit,
    set_size: SetSize,
    orient: Orient,
    place: Place,
    move_turn: MoveTurn,
    mirror: Mirror,
    fit_shape: FitShape,
    drop_datum: DropDatum,
    keep_measure: KeepMeasure,
    drop_measure: DropMeasure,
    align_datums: AlignDatums,
    align_pairs: AlignPairs,
    align_points: AlignPoints,
    align_body: AlignBody,
    scale_axes: ScaleAxes,
    crop_points: CropPoints,
    crop_ball: CropBall,
    crop_plane: CropPlane,
    crop_outline: CropOutline,
    drop_outliers: DropOutliers,
    level_floor: LevelFloor,
    points_of_splats: PointsOfSplats,
    surface_of_points: SurfaceOfPoints,
    make_regions: MakeRegions,
    mesh_plane: MeshPlane,
    extrude_plane: ExtrudePlane,
    lines_of_faces: LinesOfFaces,
    make_members: MakeMembers,
    drop_lone: DropLone,
    drop_lines: DropLines,
    draw_member: DrawMember,
    paste_members: PasteMembers,
    move_joint: MoveJoint,
    move_members: MoveMembers,
    divide_members: DivideMembers,
    merge_members: MergeMembers,
    copy_members: CopyMembers,
    mirror_members: MirrorMembers,
    delete_members: DeleteMembers,
    set_section: SetSection,
    set_ends: SetEnds,
    set_offsets: SetOffsets,
    name_set: NameSet,
    drop_set: DropSet,
    support_joints: SupportJoints,
    spring_joints: SpringJoints,
    load_members: LoadMembers,
    load_joints: LoadJoints,
    warm_members: WarmMembers,
    combine_cases: CombineCases,
    drop_loads: DropLoads,
    join_faces: JoinFaces,
    read_again: ReadAgain,
    read_tolerantly: ReadTolerantly,
    facet: Facet,
    remove_features: RemoveFeatures,
    drop_bodies: DropBodies,
    stitch: Stitch,
    fill_holes: FillHoles,
    turn_outward: TurnOutward,
    flip_facets: FlipFacets,
    remove_duplicates: RemoveDuplicates,
    remove_zero_area: RemoveZeroArea,
    cut_crossings: CutCrossings,
    rebuild_tangles: RebuildTangles,
    keep_outside: KeepOutside,
    drop_doubles: DropDoubles,
    drop_shells: DropShells,
    drop_bumps: DropBumps,
    flatten_spikes: FlattenSpikes,
    close_tunnels: CloseTunnels,
    mend_thin: MendThin,
    coarsen: Coarsen,
    wrap: Wrap,
    drop_faces: DropFaces,
    surround: Surround,
    fill_inside: FillInside,
    set_flow: SetFlow,
    name_boundary: NameBoundary,
    set_role: SetRole,
    set_roles: SetRoles,
    rename_boundary: RenameBoundary,
    split_boundary: SplitBoundary,
    colour_boundary: ColourBoundary,
    drop_boundary: DropBoundary,
    set_rules: SetRules,
    name_edge: NameEdge,
    waive: Waive,
    unwaive: Unwaive,
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
    pub moved: Option<deviation::TwoSidedDeviation>,
    /// What was left before each round, where the step was found in rounds: root mean squares, in millimetres.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rounds: Vec<f64>,
}

/// Why a step cannot be applied. The body is as it was.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum StepError {
    /// Somebody asked for that.
    #[error(transparent)]
    Cancelled(#[from] Cancelled),
    /// A sentence that says what to do.
    #[error("{0}")]
    Refused(String),
}

impl StepError {
    /// A refusal said in a unit.
    pub fn of(refusal: Refusal, unit: LengthUnit) -> StepError {
        match refusal {
            Refusal::Cancelled(c) => StepError::Cancelled(c),
            Refusal::Because(sentence) => StepError::Refused(sentence.text(unit)),
        }
    }
}

/// The operation of an id.
///
/// # Errors
/// A sentence with what was asked for.
pub fn operation(id: &str) -> Result<&'static About, Sentence> {
    OPERATIONS.iter().find(|o| o.id == id).ok_or_else(|| format!("“{id}” is not a step.").into())
}

/// A step read from what was typed, by the fields' paths. What was not typed is taken from `otherwise` (what is proposed),
/// or from the field's default.
///
/// # Errors
/// The sentence of the first value that cannot be.
pub fn read(id: &str, typed: &[(String, String)], otherwise: Option<&Step>) -> Result<Step, Sentence> {
    let about = operation(id)?;
    let proposed = otherwise.filter(|s| s.about().id == id).map(data);
    let mut table = Table::new();
    table.insert("step".into(), id.into());
    for field in (about.fields)() {
        let values: Vec<String> = typed.iter().filter(|t| t.0 == field.path).map(|t| t.1.clone()).collect();
        let value = match (values.is_empty(), &proposed, field.default) {
            (true, Some(proposed), _) => field::at(proposed, field.path).cloned(),
            (true, None, Some(default)) => field.read(&[default.into()])?,
            _ => field.read(&values)?,
        };
        if let Some(value) = value {
            field::put(&mut table, field.path, value);
        }
    }
    Value::Table(table)
        .try_into()
        .map_err(|e: toml::de::Error| format!("The step cannot be read: {}", e.message()).into())
}

/// A step's data as a tree of values, with numbers that are none as they are.
pub fn data(step: &Step) -> Value {
    // What is a step can be written as one: its keys are texts.
    Value::try_from(step).unwrap_or_else(|_| Value::Table(Table::new()))
}

/// A value of a step as it is typed.
pub fn typed(step: &Step, field: &Field) -> Option<String> {
    field::at(&data(step), field.path).map(field::plain)
}

/// What is proposed of an operation for what was measured, with values.
pub fn proposed(about: &About, seen: &Seen) -> Option<Proposal> {
    (about.propose)(seen)
}

/// Applies one step. The same body and step give the same bytes, whatever the thread count.
///
/// The only door to a body: it checks that the geometry is there and that every value is within its range, runs the
/// operation and measures how far the surface moved.
///
/// # Errors
/// [`StepError`]: cancelled, or refused with a sentence that says what to do.
pub fn apply(
    before: &Body,
    step: &Step,
    destination: &Destination,
    watch: &Watch,
) -> Result<(Body, Change), StepError> {
    let unit = before.facts.length_unit();
    let mut body = before.clone();
    let report = run(&mut body, step, &At { destination, watch }).map_err(|refusal| StepError::of(refusal, unit))?;
    let mut change = Change {
        sentence: report.sentence.text(body.facts.length_unit()),
        largest_move: report.largest_move,
        ..Change::default()
    };
    if step.about().touches == Touches::Facets {
        watch.report(0.45, "measuring how far the surface moved")?;
        change.moved = deviation::two_sided(&before.mesh, &body.mesh, watch)?;
        change.largest_move =
            change.largest_move.max(change.moved.as_ref().map_or(0.0, deviation::TwoSidedDeviation::largest));
        if let Some(exact) = &mut body.facts.exact {
            exact.facets_changed = true;
        }
    }
    let bounds = body.bounds();
    let measurable = bounds.is_empty() || bounds.size().iter().all(|x| x.is_finite());
    if !change.largest_move.is_finite() || !measurable {
        return Err(StepError::Refused("The step would give numbers that are too large; nothing was done.".into()));
    }
    Ok((body, change))
}

fn run(body: &mut Body, step: &Step, at: &At) -> Result<Report, Refusal> {
    let about = step.about();
    about.needs.of(body)?;
    let data = data(step);
    (about.fields)().iter().try_for_each(|field| field.check(&data))?;
    step.run(body, at)
}
