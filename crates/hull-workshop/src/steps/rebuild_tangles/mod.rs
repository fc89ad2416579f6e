//! Tangled facets replaced by new ones.

use crate::Body;
use crate::numbers::{count, counted};
use crate::sentence::Sentence;
use crate::steps::closing::follow_closed;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::crossings::{Crossing, crossings_if_few};
use hull_geometry::holes::{self, FillingChoice, Hole};
use hull_geometry::stitch::Rim;
use hull_geometry::topology::Topology;
use hull_geometry::vector::norm;
use hull_geometry::{Cancelled, FacetId, Mesh, Point, PointId, Watch, tangle};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// Takes tangled facets away and fills the openings that this makes; what is not tangled stays as it is to the bit.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RebuildTangles {
    /// How far around the tangled facets.
    pub around: Around,
}

/// Facets that go with the tangled ones.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Around {
    /// No others.
    Nothing,
    /// Those with a point of them.
    One,
    /// Those with a point of those.
    Two,
    /// And once more.
    Three,
}

impl Around {
    /// All of them, the closest first.
    pub const ALL: [Around; 4] = [Around::Nothing, Around::One, Around::Two, Around::Three];
}

const AROUND: Quantity = Quantity::Choice(&[
    ("nothing", "tangled facets alone"),
    ("one", "and one ring of facets around"),
    ("two", "and two rings"),
    ("three", "and three rings"),
]);

/// More pairs than this are no local matter.
const MOST_PAIRS: usize = 100_000;
/// Nor is more than this share of the area.
const MOST_AREA: f64 = 0.15;

impl Operation for RebuildTangles {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Rebuild tangles";
    const HELP: &'static str = "Takes away facets that cross, lie on each other or share an edge with two others, with so \
                                many rings around, and fills the openings. All else stays as it is. The surface may be \
                                open. Nothing is done if that would leave more open edges or crossings than there were.";

    fn title(&self) -> Sentence {
        "Rebuild tangles".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("around", "Take away", AROUND, "how much goes with the tangled facets").or("one")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let (t, c) = (&seen.survey.topology, &seen.survey.crossings);
        let pairs = c.self_intersections.unwrap_or(0) + c.coplanar_overlaps.unwrap_or(0);
        if pairs + t.overshared_edges + t.pinched_points == 0 || pairs > MOST_PAIRS {
            return None;
        }
        Proposal::possible(RebuildTangles { around: Around::One })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let Some(before) = Tangle::of(&body.mesh, at.watch)? else {
            return Err(format!(
                "More than {} pairs of facets cross: that is no matter of a few places; cut crossings or wrap the surface.",
                count(MOST_PAIRS)
            )
            .into());
        };
        let rings = Around::ALL.iter().position(|a| *a == self.around).unwrap_or(0);
        let marked = tangle::tangled(&body.mesh, &before.topology, &before.crossings, rings);
        let area = |f: FacetId| norm(body.mesh.area_vector(f));
        let facets = || body.mesh.triangles.keys();
        let share = facets().filter(|f| marked[*f]).map(area).sum::<f64>() / facets().map(area).sum::<f64>();
        if !marked.contains(&true) {
            return Err("No facet is tangled.".into());
        }
        if share > MOST_AREA {
            return Err(format!(
                "{:.0} % of the area would be taken away: that is no matter of a few places; take fewer rings, or wrap the \
                 surface.",
                100.0 * share
            )
            .into());
        }
        let open = open_edges(&body.mesh);
        let facets_before = body.mesh.triangles.len();
        body.take_rebuilt(tangle::without(&body.mesh, &marked));
        let gone = facets_before - body.mesh.triangles.len();
        if body.mesh.triangles.is_empty() {
            return Err("Nothing would be left.".into());
        }
        let new = new_holes(&body.mesh, &open);
        let filled = holes::fill(&body.mesh, &new, FillingChoice::Proposed, at.watch)?;
        let added = filled.hole_of.len();
        follow_closed(body, filled.rebuilt);
        body.drop_empty_boundaries();
        let after = Tangle::of(&body.mesh, at.watch)?.map(|t| t.counts());
        let (before, after) = (before.counts(), after.unwrap_or([usize::MAX; 5]));
        if before.iter().zip(after).any(|(b, a)| a > *b) || after == before {
            return Err(format!(
                "The openings where {} were taken away cannot be filled without open or tangled edges; take more rings \
                 with them, or fewer.",
                counted(gone, "facet")
            )
            .into());
        }
        Ok(format!(
            "{} ({:.2} % of the area) taken away, {} filled with {}.",
            counted(gone, "facet"),
            100.0 * share,
            counted(new.len(), "opening"),
            counted(added, "facet")
        )
        .into())
    }
}

/// What is tangled about a surface.
struct Tangle {
    topology: Topology,
    crossings: Vec<Crossing>,
}

impl Tangle {
    fn of(mesh: &Mesh, watch: &Watch) -> Result<Option<Tangle>, Cancelled> {
        let Some(crossings) = crossings_if_few(mesh, MOST_PAIRS, watch)? else { return Ok(None) };
        Ok(Some(Tangle { topology: Topology::of(mesh, watch)?, crossings }))
    }

    /// Crossings, open edges, edges of three and more, edges with facets that face opposite ways, non-manifold vertices: none
    /// of them may become more.
    fn counts(&self) -> [usize; 5] {
        let t = &self.topology;
        [self.crossings.len(), t.open.len(), t.overshared.len(), t.misdirected.len(), t.pinched.len()]
    }
}

/// Two ends by their bits: numbers of points change when facets go.
type Ends = [[u64; 3]; 2];

fn ends(mesh: &Mesh, [a, b]: [PointId; 2]) -> Ends {
    let bits = |p: Point| p.map(f64::to_bits);
    let mut ends = [a, b].map(|n| bits(mesh.points[n]));
    ends.sort_unstable();
    ends
}

fn open_edges(mesh: &Mesh) -> HashSet<Ends> {
    Rim::of(mesh).open_in_whole().iter().map(|e| ends(mesh, [e.from, e.to])).collect()
}

/// Holes with an edge that was not open before.
fn new_holes(mesh: &Mesh, before: &HashSet<Ends>) -> Vec<Hole> {
    let is_new = |hole: &Hole| {
        std::iter::once(&hole.points)
            .chain(&hole.islands)
            .any(|rim| (0..rim.len()).any(|i| !before.contains(&ends(mesh, [rim[i], rim[(i + 1) % rim.len()]]))))
    };
    holes::find_holes(mesh, &Rim::of(mesh).open_in_whole()).into_iter().filter(is_new).collect()
}
