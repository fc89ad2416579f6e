//! The two ways to read facets: strictly, as they are written, and tolerantly, where what writing them blurred is forgiven.
//! Both are computed, so that they can be laid side by side. (Of exact faces there are two readings of another kind:
//! bounds trusted and bounds rebuilt.)

use crate::Body;
use hull_geometry::measure::mass;
use hull_geometry::mesh::Bounds;
use hull_geometry::stitch::{Rim, stitch};
use hull_geometry::topology::Topology;
use hull_geometry::{Cancelled, Mesh, Watch, cleanup, orient};
use serde::Serialize;

/// What rounding to six digits loses of a coordinate, as a part of the largest one.
const SIX_DIGITS: f64 = 1e-5;

/// The figures of one reading, in the body's unit.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Reading {
    /// Facets.
    pub facets: usize,
    /// Points.
    pub points: usize,
    /// Their area.
    pub area: f64,
    /// Their signed volume; of an open surface it depends on where the origin is.
    pub volume: f64,
    /// Edges of one facet only.
    pub open_edges: usize,
    /// Edges of three facets or more.
    pub overshared_edges: usize,
    /// Edges whose two facets do not agree on the outside.
    pub misdirected_edges: usize,
    /// Pieces that hang together.
    pub shells: usize,
}

impl Reading {
    /// What is laid side by side: in words, a count (0), an area (2) or a volume (3), and how much.
    pub fn rows(&self) -> [(&'static str, usize, f64); 8] {
        [
            ("facets", 0, self.facets as f64),
            ("points", 0, self.points as f64),
            ("area", 2, self.area),
            ("volume", 3, self.volume),
            ("open edges", 0, self.open_edges as f64),
            ("non-manifold edges", 0, self.overshared_edges as f64),
            ("edges with flipped normals", 0, self.misdirected_edges as f64),
            ("shells", 0, self.shells as f64),
        ]
    }

    /// Measures facets.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(mesh: &Mesh, watch: &Watch) -> Result<Reading, Cancelled> {
        let topology = Topology::of(mesh, watch)?;
        let mass = mass(mesh, &mesh.bounds());
        Ok(Reading {
            facets: mesh.triangles.len(),
            points: mesh.points.len(),
            area: mass.area,
            volume: mass.volume,
            open_edges: topology.open.len(),
            overshared_edges: topology.overshared.len(),
            misdirected_edges: topology.misdirected.len(),
            shells: topology.shells,
        })
    }
}

/// What the tolerant reading forgave.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize)]
pub struct Forgiven {
    /// Facets without area that were left out.
    pub without_area: usize,
    /// Facets left out that have the same three points as another one.
    pub duplicates: usize,
    /// Points joined to another one within the tolerance.
    pub points_joined: usize,
    /// Points put on a neighbour's edge, whose facet is divided there.
    pub edges_split: usize,
    /// Open edges that this closed.
    pub edges_closed: usize,
    /// Facets turned so that neighbours agree and shells face outward.
    pub turned: usize,
    /// The furthest that a point moved.
    pub largest_move: f64,
    /// Within what points were joined: less than was asked where comparing so many would take very long.
    pub within: f64,
}

impl Forgiven {
    /// Whether both readings are the same.
    pub fn is_nothing(&self) -> bool {
        self.without_area + self.duplicates + self.points_joined + self.edges_split + self.edges_closed + self.turned
            == 0
    }

    /// What was forgiven, how often.
    pub fn lines(&self) -> Vec<(&'static str, usize)> {
        let all = [
            ("facets without area left out", self.without_area),
            ("duplicate facets left out", self.duplicates),
            ("points joined", self.points_joined),
            ("points put on a neighbour's edge", self.edges_split),
            ("open edges closed by that", self.edges_closed),
            ("facets turned", self.turned),
        ];
        all.into_iter().filter(|l| l.1 > 0).collect()
    }
}

/// Within what the tolerant reading joins points where nothing is asked: what six digits of the largest coordinate lose,
/// brought to 1 or 3 times a power of ten.
pub fn usual_tolerance(bounds: &Bounds) -> f64 {
    let largest = bounds.min.iter().chain(&bounds.max).fold(0.0, |m: f64, x| m.max(x.abs()));
    let step = SIX_DIGITS * largest;
    if step <= 0.0 || !step.is_finite() {
        return 0.0;
    }
    let halves = (step.log10() * 2.0).round() as i32;
    10_f64.powi(halves.div_euclid(2)) * if halves.rem_euclid(2) == 1 { 3.0 } else { 1.0 }
}

/// Reads a body's facets tolerantly, in place.
///
/// # Errors
/// [`Cancelled`].
pub fn read_tolerantly(body: &mut Body, tolerance: f64, watch: &Watch) -> Result<Forgiven, Cancelled> {
    let mut forgiven = Forgiven::default();
    let leave_out = |body: &mut Body, forgiven: &mut Forgiven| -> Result<(), Cancelled> {
        let (kept, gone) = cleanup::without_zero_area(&body.mesh, watch)?;
        body.take_rebuilt(kept);
        forgiven.without_area += gone;
        let (kept, gone) = cleanup::without_duplicates(&body.mesh, watch)?;
        body.take_rebuilt(kept);
        forgiven.duplicates += gone;
        Ok(())
    };
    watch.report(0.05, "leaving out what is no facet")?;
    leave_out(body, &mut forgiven)?;
    watch.report(0.2, "joining points")?;
    let within = tolerance.min(Rim::of(&body.mesh).affordable(tolerance));
    forgiven.within = within;
    if within > 0.0 {
        let done = stitch(&body.mesh, within, watch)?;
        if done.report.open_after < done.report.open_before {
            forgiven.points_joined = done.report.points_joined;
            forgiven.edges_split = done.report.edges_split;
            forgiven.edges_closed = done.report.open_before - done.report.open_after;
            forgiven.largest_move = done.report.largest_move;
            body.take_rebuilt(done.rebuilt);
            leave_out(body, &mut forgiven)?;
        }
    }
    watch.report(0.7, "making neighbours agree")?;
    let found = orient::facets_to_turn(&body.mesh, watch)?;
    for &f in &found.turned {
        body.mesh.triangles[f].swap(1, 2);
    }
    forgiven.turned = found.turned.len();
    body.drop_empty_boundaries();
    Ok(forgiven)
}

/// Both readings of a body as it is.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct TwoReadings {
    /// As it is written.
    pub strict: Reading,
    /// With what is forgiven.
    pub tolerant: Reading,
    /// What that is.
    pub forgiven: Forgiven,
}

impl TwoReadings {
    /// Reads a body both ways.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(body: &Body, tolerance: f64, watch: &Watch) -> Result<TwoReadings, Cancelled> {
        let strict = Reading::of(&body.mesh, watch)?;
        let mut read = body.clone();
        let forgiven = read_tolerantly(&mut read, tolerance, watch)?;
        Ok(TwoReadings { strict, tolerant: Reading::of(&read.mesh, watch)?, forgiven })
    }
}
