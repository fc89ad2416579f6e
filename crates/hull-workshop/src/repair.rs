//! One press: remedies composed in order, tried one after another, each kept only if it does what it is for.

use crate::body::Scale;
use crate::steps::drop_shells::shell_sizes;
use crate::steps::{
    cut_crossings::CutCrossings, drop_doubles::DropDoubles, drop_shells::DropShells, fill_holes::FillHoles,
    flatten_spikes::FlattenSpikes, join_faces::JoinFaces, mend_thin::MendThin, remove_duplicates::RemoveDuplicates,
    remove_zero_area::RemoveZeroArea, stitch::Stitch, turn_outward::TurnOutward, wrap::Wrap,
};
use crate::survey::shells::TINY_PART;
use crate::survey::{Context, Survey, survey_of};
use crate::{Body, Change, Destination, Step, StepError, apply};
use hull_geometry::doubles::doubles;
use hull_geometry::holes::Wish;
use hull_geometry::plot::{round_up, tolerance_plot};
use hull_geometry::topology::Topology;
use hull_geometry::vector::norm;
use hull_geometry::{Cancelled, Mesh, Watch, spikes};
use serde::{Deserialize, Serialize};

/// Steps in one repair at most.
const MOST: usize = 40;
/// Shells that the sheet calls tiny, with no more than this part of the body's area, are debris.
const DEBRIS_AREA: f64 = 0.01;
/// A stitch so many times wider than the one before it is no longer about the same gaps.
const WIDER: f64 = 4.0;
/// Offset of a proposed wrap, in parts of the body's diagonal.
const WRAP: f64 = 1.0 / 250.0;

/// What keeps a surface from being clean, in numbers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Defects {
    /// Facets without area.
    pub zero_area: usize,
    /// Facets that are there twice.
    pub duplicates: usize,
    /// Points that stick out.
    pub spikes: usize,
    /// Crumbs.
    pub tiny_shells: usize,
    /// Edges of one facet.
    pub open_edges: usize,
    /// Edges of three facets and more.
    pub overshared_edges: usize,
    /// Edges between facets that face opposite ways.
    pub misdirected_edges: usize,
    /// Points where fans meet.
    pub pinched_points: usize,
    /// Facets that face the wrong way.
    pub to_turn: usize,
    /// Pairs of facets that run through each other.
    pub crossings: usize,
    /// Pairs of facets that lie on each other.
    pub overlaps: usize,
}

impl Defects {
    /// Each with its name as the sheet has it.
    pub fn named(&self) -> [(&'static str, usize); 11] {
        [
            ("facets without area", self.zero_area),
            ("duplicate facets", self.duplicates),
            ("spikes", self.spikes),
            ("tiny shells", self.tiny_shells),
            ("open edges", self.open_edges),
            ("edges shared by three or more", self.overshared_edges),
            ("edges between facets that face opposite ways", self.misdirected_edges),
            ("pinched points", self.pinched_points),
            ("facets that face inward", self.to_turn),
            ("pairs of crossing facets", self.crossings),
            ("pairs of overlapping facets", self.overlaps),
        ]
    }

    /// Closed, facing out, without crossings.
    pub fn is_clean(&self) -> bool {
        self.named().iter().all(|(_, n)| *n == 0)
    }

    /// What cutting along crossings puts right.
    fn tangles(&self) -> usize {
        self.crossings + self.overlaps + self.overshared_edges + self.pinched_points
    }

    /// What a wrap would put right and nothing else did.
    fn total(&self) -> usize {
        self.named().iter().map(|(_, n)| n).sum()
    }

    /// What changed from `before`, as “open edges 35 → 0”.
    pub fn change_from(&self, before: &Defects) -> Vec<String> {
        let both = before.named().into_iter().zip(self.named());
        both.filter(|(b, a)| b.1 != a.1).map(|(b, a)| format!("{} {} → {}", b.0, b.1, a.1)).collect()
    }
}

/// One step of a repair, with what it did when it was tried.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Planned {
    /// What is done.
    pub step: Step,
    /// What it did.
    pub change: Change,
    /// Before it.
    pub before: Defects,
    /// After it.
    pub after: Defects,
}

/// A repair: the body after it and the way there.
pub struct Repair {
    /// As the repair leaves it.
    pub body: Body,
    /// What it does, in order.
    pub steps: Vec<Planned>,
    /// As it was.
    pub before: Defects,
    /// As the repair leaves it.
    pub after: Defects,
}

/// Shells smaller than a part of the body, of which something larger would be left.
fn tiny(mesh: &Mesh, topology: &Topology, diagonal: f64) -> usize {
    let sizes = shell_sizes(mesh, topology);
    sizes.iter().filter(|s| **s < TINY_PART * diagonal).count()
}

/// What of the defects a destination asks to be gone.
fn asked(d: Defects, destination: &Destination) -> Defects {
    let of = |key: &str, n: usize| if destination.asks(key) { n } else { 0 };
    Defects {
        zero_area: of("zero_area_triangles", d.zero_area),
        duplicates: of("duplicate_triangles", d.duplicates),
        spikes: of("spikes", d.spikes),
        tiny_shells: of("tiny_shells", d.tiny_shells),
        open_edges: of("open_edges", d.open_edges),
        overshared_edges: of("overshared_edges", d.overshared_edges),
        misdirected_edges: of("facets_to_turn", d.misdirected_edges),
        pinched_points: of("pinched_points", d.pinched_points),
        to_turn: of("facets_to_turn", d.to_turn),
        crossings: of("self_intersections", d.crossings),
        overlaps: of("coplanar_overlaps", d.overlaps),
    }
}

/// Measures what keeps a body from being clean.
///
/// # Errors
/// [`Cancelled`].
pub fn defects(body: &Body, watch: &Watch) -> Result<(Defects, Survey, Topology), Cancelled> {
    const LOOKED_AT: [&str; 5] = ["size", "topology", "direction", "quality", "crossings"];
    let cx = Context::of(body, watch)?;
    let s = survey_of(&cx, |p| LOOKED_AT.contains(&p.id), watch)?;
    let d = Defects {
        zero_area: s.topology.zero_area_triangles,
        duplicates: s.topology.duplicate_triangles,
        spikes: spikes::spikes(&body.mesh).len(),
        tiny_shells: tiny(&body.mesh, &cx.topology, s.size.bbox.diagonal()),
        open_edges: s.topology.open_edges,
        overshared_edges: s.topology.overshared_edges,
        misdirected_edges: s.topology.misdirected_edges,
        pinched_points: s.topology.pinched_points,
        to_turn: s.direction.facets_to_turn.unwrap_or(0),
        crossings: s.crossings.self_intersections.unwrap_or(0),
        overlaps: s.crossings.coplanar_overlaps.unwrap_or(0),
    };
    Ok((d, s, cx.topology))
}

/// A remedy and the defects of which it must leave fewer.
type Remedy = (Step, fn(&Defects) -> usize);

/// The remedies that a state suggests, the first to be tried first; `stitched` is the widest tolerance so far, in
/// millimetres or file units.
fn remedies(
    body: &Body,
    d: &Defects,
    seen: &Survey,
    topology: &Topology,
    stitched: f64,
    watch: &Watch,
) -> Result<Vec<Remedy>, Cancelled> {
    let mut list: Vec<Remedy> = Vec::new();
    let diagonal = seen.size.bbox.diagonal();
    // Exact faces are joined as such, before anything is done to facets that would leave them behind.
    if let Some(exact) = body.facts.exact.as_ref().filter(|e| !e.facets_changed)
        && let Some(tolerance) = exact.join.proposal
    {
        let scale = body.facts.scale.map_or(1.0, Scale::millimetres);
        list.push((Step::JoinFaces(JoinFaces { tolerance: round_up(tolerance * scale) }), |d| d.open_edges));
    }
    if d.zero_area > 0 {
        list.push((Step::RemoveZeroArea(RemoveZeroArea {}), |d| d.zero_area));
    }
    if d.duplicates > 0 {
        list.push((Step::RemoveDuplicates(RemoveDuplicates {}), |d| d.duplicates));
    }
    if d.spikes > 0 {
        list.push((Step::FlattenSpikes(FlattenSpikes {}), |d| d.spikes));
    }
    if seen.topology.shells > 1 {
        let sizes = shell_sizes(&body.mesh, topology);
        let debris = sizes.iter().copied().filter(|s| *s < TINY_PART * diagonal).fold(0.0_f64, f64::max);
        let mut area = 0.0;
        for facet in 0..body.mesh.triangles.len() as u32 {
            if sizes.get(topology.shell_of[facet as usize] as usize).is_some_and(|s| *s <= debris) {
                area += norm(body.mesh.area_vector(facet)) / 2.0;
            }
        }
        let whole = sizes.iter().any(|s| *s > debris);
        if debris > 0.0 && whole && area < DEBRIS_AREA * seen.size.area {
            list.push((Step::DropShells(DropShells { up_to: round_up(debris * 1.0001) }), |_| 0));
        }
    }
    let typical = seen.size.area.max(f64::MIN_POSITIVE) / seen.size.triangles.max(1) as f64;
    for part in [1e-4, 5e-4, 2e-3] {
        let tolerance = round_up(part * diagonal);
        // Wider than a fraction of a facet, what lies near is not the same surface.
        if seen.topology.shells > 1 && tolerance < 0.25 * typical.sqrt() {
            let found = doubles(&body.mesh, topology, &body.columns.label, tolerance, watch)?;
            if !found.spare.is_empty() {
                list.push((Step::DropDoubles(DropDoubles { tolerance }), |_| 0));
            }
        }
    }
    let fill = Step::FillHoles(FillHoles {
        up_to: round_up(seen.topology.open_length),
        except: Vec::new(),
        wish: Wish::Proposed,
        cap: None,
    });
    if d.open_edges > 0
        && let Some(p) = tolerance_plot(&body.mesh, watch)?.proposal
    {
        if stitched > 0.0 && p.tolerance > WIDER * stitched {
            // What one stitch has left open is holes rather than seams: filled if that is the end of it, as nothing
            // moves then.
            list.push((fill.clone(), |d| usize::from(d.open_edges + d.tangles() > 0)));
        }
        list.push((Step::Stitch(Stitch { tolerance: p.tolerance }), |d| d.open_edges));
    }
    if d.misdirected_edges > 0 {
        list.push((Step::TurnOutward(TurnOutward {}), |d| d.misdirected_edges));
    }
    if d.open_edges > 0 {
        list.push((fill, |d| d.open_edges));
    }
    if d.to_turn > 0 {
        list.push((Step::TurnOutward(TurnOutward {}), |d| d.to_turn));
    }
    if d.open_edges == 0 && d.tangles() > 0 {
        list.push((Step::CutCrossings(CutCrossings {}), Defects::tangles));
    }
    Ok(list)
}

/// Composes a repair by trying remedies in order on the body; a remedy that does not do what it is for is left out.
/// Ends when the surface is clean or nothing helps; then, if `with_wrap`, it is wrapped.
///
/// # Errors
/// [`StepError::Cancelled`].
pub fn repair(body: &Body, destination: &Destination, with_wrap: bool, watch: &Watch) -> Result<Repair, StepError> {
    let mut now = body.clone();
    let look = |body: &Body| {
        let (d, f, t) = defects(body, watch)?;
        Ok::<_, Cancelled>((asked(d, destination), f, t))
    };
    let (before, mut figures, mut topology) = look(&now)?;
    let mut state = before;
    let mut steps: Vec<Planned> = Vec::new();
    while steps.len() < MOST && !state.is_clean() {
        let phrase = format!("repairing: {} steps so far", steps.len());
        watch.report(0.0, &phrase)?;
        let stitched = steps.iter().fold(0.0_f64, |widest, p| match p.step {
            Step::Stitch(Stitch { tolerance }) => widest.max(tolerance),
            _ => widest,
        });
        let mut helped = false;
        for (step, target) in remedies(&now, &state, &figures, &topology, stitched, watch)? {
            let (next, change) = match apply(&now, &step, destination, watch) {
                Ok(done) => done,
                Err(StepError::Cancelled(c)) => return Err(c.into()),
                Err(StepError::Refused(_)) => continue,
            };
            let (after, f, t) = look(&next)?;
            let done = target(&after) < target(&state)
                || (target(&state) == 0 && next.mesh.triangles.len() < now.mesh.triangles.len());
            // The same state again would go round in circles.
            if !done || steps.iter().any(|p| p.after == after && p.step == step) {
                continue;
            }
            steps.push(Planned { step, change, before: state, after });
            (now, state, figures, topology) = (next, after, f, t);
            helped = true;
            break;
        }
        if !helped {
            break;
        }
    }
    let angle = destination.requirements.iter().find(|r| r.measure.key == "smallest_angle");
    let least = angle.and_then(|r| r.at_least).unwrap_or(0.0);
    if state.is_clean() && figures.quality.smallest_angle.is_some_and(|a| a < least) {
        // Needles below the asked angle: taken out within a hundred-thousandth of the size, if nothing else suffers.
        let step = Step::MendThin(MendThin { tolerance: round_up(figures.size.bbox.diagonal() * 1e-5) });
        match apply(&now, &step, destination, watch) {
            Ok((next, change)) => {
                let (after, ..) = look(&next)?;
                if after.is_clean() {
                    steps.push(Planned { step, change, before: state, after });
                    now = next;
                }
            }
            Err(StepError::Cancelled(c)) => return Err(c.into()),
            Err(StepError::Refused(_)) => {}
        }
    }
    if with_wrap && !state.is_clean() {
        let offset = round_up(figures.size.bbox.diagonal() * WRAP);
        let step = Step::Wrap(Wrap { offset, gap: 4.0 * offset });
        let (next, change) = apply(&now, &step, destination, watch)?;
        let (after, ..) = look(&next)?;
        if after.total() < state.total() {
            steps.push(Planned { step, change, before: state, after });
            (now, state) = (next, after);
        }
    }
    Ok(Repair { body: now, steps, before, after: state })
}

/// Runs the steps of a repair on a body; `each` is told every state. Stops where a step leaves more of anything than
/// it did when it was tried, and says which.
///
/// # Errors
/// The sentence, or [`StepError::Cancelled`].
pub fn run(
    body: &Body,
    destination: &Destination,
    plan: &[Planned],
    watch: &Watch,
    mut each: impl FnMut(&Step, &Change, &Body) -> Result<(), StepError>,
) -> Result<(), StepError> {
    let mut now = body.clone();
    for (i, planned) in plan.iter().enumerate() {
        let title = planned.step.title().text(body.facts.length_unit());
        watch.report(i as f64 / plan.len() as f64, &title.to_lowercase())?;
        let (next, change) = apply(&now, &planned.step, destination, watch)?;
        let after = asked(defects(&next, watch)?.0, destination);
        let worse = after.named().into_iter().zip(planned.after.named()).find(|(a, p)| a.1 > p.1);
        if let Some(((what, n), (_, expected))) = worse {
            return Err(StepError::Refused(format!(
                "“{title}” left {n} {what} where {expected} were expected; the repair stopped before it."
            )));
        }
        each(&planned.step, &change, &next)?;
        now = next;
    }
    Ok(())
}
