//! The survey: what is true of a body, in figures, and where. One folder a probe; [`probes!`] is the list they are named in.
//!
//! A probe looks at one thing, gives figures and findings, and defines the measures that destinations ask for.

pub mod finding;
pub mod measure;
pub mod places;
mod stored;

pub use finding::{Finding, Kind, KindDef};
pub use measure::{Measure, MeasureDef, Measured};
pub use places::Context;

use crate::{Body, Destination};
use gaps::Gaps;
use hull_geometry::plot::TolerancePlot;
use hull_geometry::topology::Topology;
use hull_geometry::{Cancelled, PointId, Watch};
use names::Names;
use serde::{Deserialize, Serialize};

/// How often something is there, and how large it is at its worst; lengths and areas in the unit of the figures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Seen {
    /// How often.
    pub count: usize,
    /// The worst one's size.
    pub size: f64,
}

/// When a probe looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cost {
    /// At once, when a body arrives.
    FirstLook,
    /// By and by, as a job of its own.
    ByAndBy,
    /// By and by, and only where the destination asks for one of its measures: what takes long and few want.
    IfAsked,
}

/// One thing that is looked at: a struct of its figures, in a folder of its own.
pub trait Probe: Sized + Default + Clone + PartialEq + Serialize {
    /// When it looks.
    const COST: Cost;
    /// What is being done, for the progress.
    const PHRASE: &'static str;
    /// What destinations can ask of it.
    const MEASURES: &'static [MeasureDef];
    /// The kinds of its findings.
    const KINDS: &'static [&'static KindDef];
    /// Whether a survey that was stored before it was there has nothing for it to look at.
    const NOTHING_BEFORE: bool = false;

    /// Looks.
    ///
    /// # Errors
    /// [`Cancelled`].
    fn look(cx: &Context, watch: &Watch) -> Result<(Self, Vec<Finding>), Cancelled>;
}

/// A probe's description.
pub struct About {
    /// Its folder's name, and its key in stored surveys.
    pub id: &'static str,
    /// When it looks.
    pub cost: Cost,
    /// What destinations can ask of it.
    pub measures: &'static [MeasureDef],
    /// The kinds of its findings.
    pub kinds: &'static [&'static KindDef],
    phrase: &'static str,
    look: fn(&Context, &mut Survey, &Watch) -> Result<Vec<Finding>, Cancelled>,
}

impl About {
    /// Whether it looks at bodies that are bound for a destination.
    pub fn is_wanted(&self, destination: &Destination) -> bool {
        self.cost != Cost::IfAsked || self.measures.iter().any(|m| destination.asks(m.key))
    }
}

/// Lists the probes: makes their modules, the figures of a [`Survey`] by probe, and [`PROBES`].
macro_rules! probes {
    ($($id:ident: $name:ident,)*) => {
        $(pub mod $id;)*

        /// What is true of a body: figures by probe, and findings. Lengths are in the body's unit.
        #[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
        #[serde(from = "Stored")]
        pub struct Survey {
            /// Probes that have not looked yet, or not to the end because somebody cancelled it.
            pub awaited: Vec<String>,
            /// Places, by probe in order.
            pub findings: Vec<Finding>,
            $(#[doc = concat!("See [`", stringify!($id), "`].")] pub $id: $id::$name,)*
        }

        /// A survey as the database holds it.
        #[derive(Deserialize)]
        struct Stored {
            #[serde(default)]
            awaited: Vec<String>,
            #[serde(default)]
            findings: Vec<Finding>,
            /// What stood there before probes had figures of their own.
            figures: Option<stored::Figures>,
            plot: Option<TolerancePlot>,
            holes: Option<Vec<gaps::HoleFigures>>,
            boundaries: Option<Vec<names::BoundaryFigures>>,
            $($id: Option<$id::$name>,)*
        }

        impl From<Stored> for Survey {
            /// What no probe looked at when it was stored has still to be looked at.
            fn from(stored: Stored) -> Survey {
                let mut survey = Survey { awaited: stored.awaited, findings: stored.findings, ..Survey::default() };
                if let Some(figures) = stored.figures {
                    let gaps = Gaps { plot: stored.plot.unwrap_or_default(), holes: stored.holes.unwrap_or_default() };
                    figures.spread(&mut survey, gaps, Names { boundaries: stored.boundaries.unwrap_or_default() });
                    return survey;
                }
                $(match stored.$id {
                    Some(figures) => survey.$id = figures,
                    None if !<$id::$name as Probe>::NOTHING_BEFORE && !survey.awaits(stringify!($id)) => survey.awaited.push(stringify!($id).into()),
                    None => {}
                })*
                survey
            }
        }

        /// Every probe there is, in the order in which they look.
        pub static PROBES: &[About] = &[$(About {
            id: stringify!($id),
            cost: <$id::$name as Probe>::COST,
            measures: <$id::$name as Probe>::MEASURES,
            kinds: <$id::$name as Probe>::KINDS,
            phrase: <$id::$name as Probe>::PHRASE,
            look: |cx, survey, watch| {
                let (figures, found) = <$id::$name as Probe>::look(cx, watch)?;
                survey.$id = figures;
                Ok(found)
            },
        }),*];
    };
}

probes! {
    arrival: Arrival,
    size: Size,
    topology: Edges,
    direction: Direction,
    exactness: Exactness,
    quality: Quality,
    names: Names,
    points: Points,
    measures: Measures,
    round_edges: RoundEdges,
    lines: Wireframe,
    frame: FrameFigures,
    gaps: Gaps,
    crossings: Crossings,
    doubles: Doubles,
    shells: Shells,
    walls: Walls,
    shapes: Shapes,
    tunnels: Tunnels,
    thickness: Thickness,
    features: Features,
}

/// Line segments to draw over a body.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Lines {
    /// Edges of one facet.
    pub open: Vec<[PointId; 2]>,
    /// Edges of three facets and more.
    pub overshared: Vec<[PointId; 2]>,
    /// Edges between facets that face opposite ways.
    pub misdirected: Vec<[PointId; 2]>,
}

impl Lines {
    fn of(topology: &Topology) -> Lines {
        Lines {
            open: topology.open.iter().map(|e| [e.from, e.to]).collect(),
            overshared: topology.overshared.iter().map(|e| e.ends).collect(),
            misdirected: topology.misdirected.clone(),
        }
    }
}

impl Survey {
    /// Whether a probe has still to look.
    pub fn awaits(&self, probe: &str) -> bool {
        self.awaited.iter().any(|a| a == probe)
    }

    /// Whether a probe has still to look that a destination wants.
    pub fn is_unfinished(&self, destination: &Destination) -> bool {
        PROBES.iter().any(|p| self.awaits(p.id) && p.is_wanted(destination))
    }

    /// Lets one probe look and keeps what it found.
    fn take(&mut self, probe: &About, cx: &Context, watch: &Watch) -> Result<(), Cancelled> {
        let found = watch.timed(|_| format!("survey: {}", probe.phrase), || (probe.look)(cx, self, watch))?;
        self.awaited.retain(|a| a != probe.id);
        self.findings.extend(found);
        Ok(())
    }
}

/// The whole survey of a body, with places, proposals and the lines to draw: every probe looks.
///
/// # Errors
/// [`Cancelled`].
pub fn survey(body: &Body, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    whole(body, |_| true, watch)
}

/// The survey of a body that is bound for a destination: the probes look that it wants.
///
/// # Errors
/// [`Cancelled`].
pub fn survey_for(body: &Body, destination: &Destination, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    whole(body, |p| p.is_wanted(destination), watch)
}

fn whole(body: &Body, wanted: impl Fn(&About) -> bool, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    let cx = Context::of(body, watch)?;
    let mut survey = at_once(&cx, watch)?;
    by_and_by(&cx, &mut survey, wanted, watch, |_| Ok::<(), Cancelled>(()))?;
    Ok((survey, Lines::of(&cx.topology)))
}

/// What can be told at once: how the facets hang together, sizes, boundaries. The rest is `awaited`.
///
/// # Errors
/// [`Cancelled`].
pub fn first_look(body: &Body, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    let cx = Context::of(body, watch)?;
    let survey = at_once(&cx, watch)?;
    Ok((survey, Lines::of(&cx.topology)))
}

/// The same; `told` hears it again after every probe.
///
/// # Errors
/// [`Cancelled`], and what `told` returns.
pub fn survey_telling<E: From<Cancelled>>(
    body: &Body,
    destination: &Destination,
    watch: &Watch,
    told: impl FnMut(&Survey) -> Result<(), E>,
) -> Result<(), E> {
    let cx = Context::of(body, watch)?;
    let mut survey = at_once(&cx, watch)?;
    by_and_by(&cx, &mut survey, |p| p.is_wanted(destination), watch, told)
}

/// A survey whose kept measures are taken again: another body that they are to has changed.
///
/// # Errors
/// [`Cancelled`].
pub fn measured_again(body: &Body, mut survey: Survey, watch: &Watch) -> Result<Survey, Cancelled> {
    let now = survey_of(&Context::of(body, watch)?, |p| p.id == "measures", watch)?;
    survey.findings.retain(|f| f.kind != Kind::of(measures::NOT_AS_ASKED));
    survey.findings.extend(now.findings);
    survey.measures = now.measures;
    Ok(survey)
}

/// What some probes say.
///
/// # Errors
/// [`Cancelled`].
pub fn survey_of(cx: &Context, probes: impl Fn(&About) -> bool, watch: &Watch) -> Result<Survey, Cancelled> {
    let mut survey = Survey { awaited: PROBES.iter().map(|p| p.id.to_string()).collect(), ..Default::default() };
    for probe in PROBES.iter().filter(|p| probes(p)) {
        watch.report(0.5, probe.phrase)?;
        survey.take(probe, cx, watch)?;
    }
    Ok(survey)
}

fn at_once(cx: &Context, watch: &Watch) -> Result<Survey, Cancelled> {
    survey_of(cx, |p| p.cost == Cost::FirstLook, watch)
}

fn by_and_by<E: From<Cancelled>>(
    cx: &Context,
    survey: &mut Survey,
    wanted: impl Fn(&About) -> bool,
    watch: &Watch,
    mut told: impl FnMut(&Survey) -> Result<(), E>,
) -> Result<(), E> {
    let probes: Vec<&About> = PROBES.iter().filter(|p| p.cost != Cost::FirstLook && wanted(p)).collect();
    for (i, probe) in probes.iter().enumerate() {
        watch.report(0.6 + 0.35 * i as f64 / probes.len() as f64, probe.phrase)?;
        survey.take(probe, cx, watch)?;
        told(survey)?;
    }
    Ok(())
}
