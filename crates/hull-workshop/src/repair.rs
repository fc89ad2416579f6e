//! One press: remedies composed in order, tried one after another, each kept only if it does what it is for.

use crate::body::Scale;
use crate::numbers::counted;
use crate::steps::drop_shells::shell_sizes;
use crate::steps::rebuild_tangles::{Around, RebuildTangles};
use crate::steps::{
    cut_crossings::CutCrossings, drop_doubles::DropDoubles, drop_shells::DropShells, fill_holes::FillHoles,
    flatten_spikes::FlattenSpikes, join_faces::JoinFaces, mend_thin::MendThin, remove_duplicates::RemoveDuplicates,
    remove_zero_area::RemoveZeroArea, stitch::Stitch, turn_outward::TurnOutward, wrap::Wrap,
};
use crate::survey::shells::TINY_PART;
use crate::survey::{Context, Survey, survey_of};
use crate::{Body, Change, Destination, Step, StepError, apply};
use hull_geometry::doubles::doubles;
use hull_geometry::holes::FillingChoice;
use hull_geometry::plot::{round_up, tolerance_plot};
use hull_geometry::topology::Topology;
use hull_geometry::vector::norm;
use hull_geometry::{Cancelled, FacetId, Mesh, Watch, spikes};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::HashSet;

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
            ("non-manifold edges", self.overshared_edges),
            ("edges with flipped normals", self.misdirected_edges),
            ("non-manifold vertices", self.pinched_points),
            ("facets with flipped normals", self.to_turn),
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

    /// All of them; that facets face inward is one defect, as one step turns them all.
    fn total(&self) -> usize {
        let all: usize = self.named().iter().map(|(_, n)| n).sum();
        all - self.to_turn + usize::from(self.to_turn > 0)
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
    /// Whether somebody changed its values, or left out or changed a step before it: what it will leave is not known.
    #[serde(default)]
    pub changed: bool,
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

/// What is tried on a state.
enum Act {
    Do(Step),
    /// Whatever is open by then is filled.
    Fill,
    /// Turned outward, if something faces inward by then.
    Turn,
    /// Cut, if nothing is open by then.
    Cut,
}

/// Steps tried as one: what comes of them all must be better than what there was.
type Move = Vec<Act>;

/// What is worth trying on a state, the likeliest first; `stitched` is the widest tolerance so far, in millimetres or
/// file units.
fn moves(state: &State, stitched: f64, watch: &Watch) -> Result<Vec<Move>, Cancelled> {
    let State { body, defects: d, seen, topology, .. } = state;
    let mut list: Vec<Move> = Vec::new();
    // What only helps with what follows it is tried when nothing helps by itself.
    let mut together: Vec<Move> = Vec::new();
    let one = |step: Step| vec![Act::Do(step)];
    let diagonal = seen.size.bbox.diagonal();
    // Exact faces are joined as such, before anything is done to facets that would leave them behind.
    if let Some(exact) = body.facts.exact.as_ref().filter(|e| !e.facets_changed)
        && let Some(tolerance) = exact.join.proposal
    {
        let scale = body.facts.scale.map_or(1.0, Scale::millimetres);
        list.push(one(Step::JoinFaces(JoinFaces { tolerance: round_up(tolerance * scale) })));
    }
    if d.zero_area > 0 {
        list.push(one(Step::RemoveZeroArea(RemoveZeroArea {})));
    }
    if d.duplicates > 0 {
        list.push(one(Step::RemoveDuplicates(RemoveDuplicates {})));
    }
    if d.spikes > 0 {
        list.push(one(Step::FlattenSpikes(FlattenSpikes {})));
    }
    if let Some(up_to) = debris(state) {
        list.push(one(Step::DropShells(DropShells { up_to })));
    }
    let typical = seen.size.area.max(f64::MIN_POSITIVE) / seen.size.triangles.max(1) as f64;
    for part in [1e-4, 5e-4, 2e-3] {
        let tolerance = round_up(part * diagonal);
        // Wider than a fraction of a facet, what lies near is not the same surface.
        if seen.topology.shells > 1 && tolerance < 0.25 * typical.sqrt() {
            let found = doubles(&body.mesh, topology, &body.columns.label, tolerance, watch)?;
            if !found.redundant.is_empty() {
                let drop = || Act::Do(Step::DropDoubles(DropDoubles { tolerance }));
                list.push(vec![drop()]);
                // Strips that overlap leave a seam, which a stitch of that width closes.
                let wide = Step::Stitch(Stitch { tolerance: round_up(2.0 * tolerance) });
                together.extend([vec![drop(), Act::Do(wide)], vec![drop(), Act::Fill, Act::Turn, Act::Cut]]);
            }
        }
    }
    let stitch = match d.open_edges {
        0 => None,
        _ => tolerance_plot(&body.mesh, watch)?.proposal.map(|p| p.tolerance),
    };
    // What one stitch has left open is holes rather than seams: filled before a wider one, as nothing moves then.
    let holes_first = stitch.is_some_and(|t| stitched > 0.0 && t > WIDER * stitched);
    if holes_first {
        list.push(vec![Act::Fill]);
    }
    if let Some(tolerance) = stitch {
        let stitch = || Act::Do(Step::Stitch(Stitch { tolerance }));
        list.push(vec![stitch()]);
        together.push(vec![stitch(), Act::Fill, Act::Turn, Act::Cut]);
    }
    if d.misdirected_edges + d.to_turn > 0 {
        list.push(one(Step::TurnOutward(TurnOutward {})));
    }
    if d.open_edges > 0 {
        if !holes_first {
            list.push(vec![Act::Fill]);
        }
        together.insert(0, vec![Act::Fill, Act::Turn, Act::Cut]);
    }
    if d.open_edges == 0 && d.tangles() > 0 {
        list.push(vec![Act::Turn, Act::Cut]);
    }
    if d.tangles() + d.misdirected_edges > 0 {
        for around in Around::ALL {
            let rebuild = || Act::Do(Step::RebuildTangles(RebuildTangles { around }));
            together.push(vec![rebuild()]);
            if d.open_edges > 0 {
                together.push(vec![rebuild(), Act::Fill, Act::Turn, Act::Cut]);
            }
        }
    }
    list.extend(together);
    Ok(list)
}

/// The size up to which shells are debris, if there are such and something larger would be left.
fn debris(state: &State) -> Option<f64> {
    let State { body, seen, topology, .. } = state;
    if seen.topology.shells < 2 {
        return None;
    }
    let sizes = shell_sizes(&body.mesh, topology);
    let most = TINY_PART * seen.size.bbox.diagonal();
    let debris = sizes.iter().copied().filter(|s| *s < most).fold(0.0_f64, f64::max);
    let is_debris = |f: FacetId| sizes.get(topology.shell_of[f] as usize).is_some_and(|s| *s <= debris);
    let facets = body.mesh.triangles.keys();
    let area: f64 = facets.filter(|f| is_debris(*f)).map(|f| norm(body.mesh.area_vector(f)) / 2.0).sum();
    let whole = sizes.iter().any(|s| *s > debris);
    (debris > 0.0 && whole && area < DEBRIS_AREA * seen.size.area).then(|| round_up(debris * 1.0001))
}

/// A body on the way, with what was measured of it and how it came about.
#[derive(Clone)]
struct State {
    body: Body,
    defects: Defects,
    seen: Survey,
    topology: Topology,
    steps: Vec<Planned>,
}

impl State {
    fn of(body: Body, steps: Vec<Planned>, destination: &Destination, watch: &Watch) -> Result<State, Cancelled> {
        let (found, seen, topology) = defects(&body, watch)?;
        Ok(State { body, defects: asked(found, destination), seen, topology, steps })
    }

    /// The state after one step; `None` if it is refused.
    fn after(&self, step: Step, destination: &Destination, watch: &Watch) -> Result<Option<State>, Cancelled> {
        let (next, change) = match apply(&self.body, &step, destination, watch) {
            Ok(done) => done,
            Err(StepError::Cancelled(c)) => return Err(c),
            Err(StepError::Refused(_)) => return Ok(None),
        };
        let mut state = State::of(next, Vec::new(), destination, watch)?;
        state.steps.clone_from(&self.steps);
        state.steps.push(Planned { step, change, before: self.defects, after: state.defects, changed: false });
        Ok(Some(state))
    }

    /// The state after a move; `None` if a step of it is refused. What there is no use for is passed over.
    fn moved(&self, acts: &Move, destination: &Destination, watch: &Watch) -> Result<Option<State>, Cancelled> {
        let mut now: Option<State> = None;
        for act in acts {
            let from = now.as_ref().unwrap_or(self);
            let (d, t) = (&from.defects, &from.seen.topology);
            let step = match act {
                Act::Do(step) => step.clone(),
                Act::Fill if d.open_edges > 0 => Step::FillHoles(FillHoles {
                    up_to: round_up(t.open_length),
                    except: Vec::new(),
                    wish: FillingChoice::Proposed,
                    cap: None,
                }),
                // What faces inward would be cut away as a whole.
                Act::Turn if d.to_turn + d.misdirected_edges > 0 => Step::TurnOutward(TurnOutward {}),
                Act::Cut if d.open_edges == 0 && d.tangles() > 0 => Step::CutCrossings(CutCrossings {}),
                Act::Fill | Act::Turn | Act::Cut => continue,
            };
            let Some(next) = from.after(step, destination, watch)? else { return Ok(None) };
            // A filling that runs through the surface more often than it closes edges is none.
            let met = |d: &Defects| d.crossings + d.overlaps;
            let closed = d.open_edges.saturating_sub(next.defects.open_edges);
            if matches!(act, Act::Fill) && met(&next.defects) > met(d) + closed {
                return Ok(None);
            }
            now = Some(next);
        }
        Ok(now)
    }

    /// Tells states apart: the same facets are not looked at twice.
    fn digest(&self) -> [u8; 32] {
        let mut hash = Sha256::new();
        self.body.mesh.points.iter().flatten().for_each(|x| hash.update(x.to_bits().to_le_bytes()));
        self.body.mesh.triangles.iter().flatten().for_each(|n| hash.update(n.0.to_le_bytes()));
        hash.finalize().into()
    }
}

/// A state with what is still to be tried on it.
struct Open {
    state: State,
    moves: std::vec::IntoIter<Move>,
}

/// Tries at most, and facets looked at in all of them: the first for small bodies, the second for large ones.
const MOST_TRIES: usize = 80;
const MOST_FACETS: usize = 4_000_000;
const FEWEST_TRIES: usize = 12;

/// Searches, best first: from the state with the fewest defects the next move is tried; what has fewer defects than the
/// state that it came from, and was not there before, goes on from there. Ends when nothing is left to mend, to try, or
/// when that was enough.
fn search(start: State, destination: &Destination, watch: &Watch) -> Result<State, Cancelled> {
    let facets = start.body.mesh.triangles.len().max(1);
    let tries = (MOST_FACETS / facets).clamp(FEWEST_TRIES, MOST_TRIES);
    let mut known = HashSet::from([start.digest()]);
    let mut best = start.clone();
    let mut open = vec![Open { moves: moves(&start, 0.0, watch)?.into_iter(), state: start }];
    for tried in 0..tries {
        if best.defects.is_clean() {
            break;
        }
        let fewest = |o: &Open| (o.state.defects.total(), o.state.steps.len());
        let Some(at) = (0..open.len()).min_by_key(|&i| (fewest(&open[i]), i)) else { break };
        let left = best.defects.total();
        let phrase = format!("repairing: {} kept, {left} defects left", counted(best.steps.len(), "step"));
        watch.report(tried as f64 / tries as f64, &phrase)?;
        let Some(acts) = open[at].moves.next() else {
            open.swap_remove(at);
            continue;
        };
        let from = &open[at].state;
        let Some(next) = from.moved(&acts, destination, watch)? else { continue };
        if next.defects.total() >= from.defects.total() || next.steps.len() > MOST || !known.insert(next.digest()) {
            continue;
        }
        if next.defects.total() < best.defects.total() {
            best = next.clone();
        }
        let stitched = next.steps.iter().fold(0.0_f64, |widest, p| match p.step {
            Step::Stitch(Stitch { tolerance }) => widest.max(tolerance),
            _ => widest,
        });
        open.push(Open { moves: moves(&next, stitched, watch)?.into_iter(), state: next });
    }
    Ok(best)
}

/// Composes a repair by trying steps on the body, each kept only if the defects are fewer after it, or after those that
/// are tried with it. Then, if something is left and `with_wrap` says so, it is wrapped.
///
/// # Errors
/// [`StepError::Cancelled`].
pub fn repair(body: &Body, destination: &Destination, with_wrap: bool, watch: &Watch) -> Result<Repair, StepError> {
    let start = State::of(body.clone(), Vec::new(), destination, watch)?;
    let before = start.defects;
    let mut now = search(start, destination, watch)?;
    let angle = destination.requirements.iter().find(|r| r.measure.key == "smallest_angle");
    let least = angle.and_then(|r| r.at_least).unwrap_or(0.0);
    if now.defects.is_clean() && now.seen.quality.smallest_angle.is_some_and(|a| a < least) {
        // Needles below the asked angle: taken out within a hundred-thousandth of the size, if nothing else suffers.
        let tolerance = round_up(now.seen.size.bbox.diagonal() * 1e-5);
        let mended = now.after(Step::MendThin(MendThin { tolerance }), destination, watch)?;
        now = mended.filter(|m| m.defects.is_clean()).unwrap_or(now);
    }
    if with_wrap && !now.defects.is_clean() {
        let offset = round_up(now.seen.size.bbox.diagonal() * WRAP);
        let step = Step::Wrap(Wrap { offset, gap: 4.0 * offset });
        let wrapped = now.after(step, destination, watch)?;
        now = wrapped.filter(|w| w.defects.total() < now.defects.total()).unwrap_or(now);
    }
    Ok(Repair { before, after: now.defects, steps: now.steps, body: now.body })
}

/// Runs the steps of a repair on a body; `each` is told every state. Stops where a step does something else than when it
/// was tried and leaves more of anything, and says which.
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
        // A step that did the same as when it was tried, on the same body, left what it left then.
        if !planned.changed && change != planned.change {
            let after = asked(defects(&next, watch)?.0, destination);
            let worse = after.named().into_iter().zip(planned.after.named()).find(|(a, p)| a.1 > p.1);
            if let Some(((what, n), (_, expected))) = worse {
                return Err(StepError::Refused(format!(
                    "“{title}” left {n} {what} where {expected} were expected; the repair stopped before it."
                )));
            }
        }
        each(&planned.step, &change, &next)?;
        now = next;
    }
    Ok(())
}
