//! How facets hang together.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Survey};
use crate::body::Facts;
use crate::numbers::{count, counted};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps;
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::topology::{OpenEdge, open_loops};
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};

/// Counts of edges, points and facets that keep a surface from being a clean closed one, and its shells.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Edges {
    /// Edges of one facet.
    pub open_edges: usize,
    /// Loops that they form.
    pub open_loops: usize,
    /// Their length.
    pub open_length: f64,
    /// Edges of three facets and more.
    pub overshared_edges: usize,
    /// Points in which parts only touch.
    pub pinched_points: usize,
    /// Edges between facets that face opposite ways.
    pub misdirected_edges: usize,
    /// Facets with the same points as another one.
    pub duplicate_triangles: usize,
    /// Facets without area.
    pub zero_area_triangles: usize,
    /// Pieces that hang together over edges.
    pub shells: usize,
    /// Whether every edge has two facets.
    pub closed: bool,
    /// The largest shells.
    pub shell_figures: Vec<ShellFigures>,
}

/// One shell in figures.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ShellFigures {
    /// Facets.
    pub facets: usize,
    /// Area.
    pub area: f64,
    /// Signed volume.
    pub volume: f64,
    /// Whether every edge has two facets.
    pub closed: bool,
}

/// Edges of one facet.
pub const OPEN: &KindDef = &KindDef { id: "open_edges", words: "open edges" };
/// Edges of three facets and more.
pub const OVERSHARED: &KindDef = &KindDef { id: "overshared_edges", words: "non-manifold edges" };
/// Edges between facets that face opposite ways.
pub const MISDIRECTED: &KindDef = &KindDef { id: "misdirected_edges", words: "flipped normals" };
/// Points in which parts only touch.
pub const PINCHED: &KindDef = &KindDef { id: "pinched_points", words: "non-manifold vertex" };
/// Facets with the same points as another one.
pub const DUPLICATE: &KindDef = &KindDef { id: "duplicate_triangles", words: "duplicate" };
/// Facets without area.
pub const ZERO_AREA: &KindDef = &KindDef { id: "zero_area_triangles", words: "no area" };

/// Steps that take a tangle apart.
pub(super) const CUTTING: &[&str] = &["cut_crossings", "rebuild_tangles", "keep_outside", "wrap"];

/// What cutting needs, where it is not there.
pub(super) fn needs_closing(seen: &steps::Seen) -> Option<Sentence> {
    let open = seen.survey.topology.open_edges > 0;
    open.then(|| {
        "Inside and outside must be told apart for cutting: close the surface and turn its facets first. Without that, a \
         fold or a spike goes with “Pick faces” and “Drop picked” under “Every facet is in a boundary”."
            .into()
    })
}

fn where_some(some: fn(&Edges) -> usize, sentence: &'static str) -> impl Fn(&steps::Seen) -> Vec<Sentence> {
    move |seen| {
        if some(&seen.survey.topology) == 0 {
            return Vec::new();
        }
        [Some(sentence.into()), needs_closing(seen)].into_iter().flatten().collect()
    }
}

fn of(value: fn(&Edges) -> usize) -> impl Fn(&Facts, &Survey) -> Measured {
    move |_, survey| Measured::count(value(&survey.topology))
}

impl Probe for Edges {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "counting edges";
    const KINDS: &'static [&'static KindDef] = &[OPEN, OVERSHARED, MISDIRECTED, PINCHED, DUPLICATE, ZERO_AREA];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("duplicate_triangles", &[DUPLICATE], &["remove_duplicates"], |f, s| {
            of(|t| t.duplicate_triangles)(f, s)
        }),
        MeasureDef::of_facets("zero_area_triangles", &[ZERO_AREA], &["remove_zero_area"], |f, s| {
            of(|t| t.zero_area_triangles)(f, s)
        }),
        MeasureDef::of_facets("open_edges", &[OPEN], &["join_faces", "stitch", "fill_holes", "wrap"], |f, s| {
            of(|t| t.open_edges)(f, s)
        })
        .words(open_edges_words),
        MeasureDef::of_facets("overshared_edges", &[OVERSHARED], CUTTING, |f, s| of(|t| t.overshared_edges)(f, s))
            .words(|seen| {
                where_some(
                    |t| t.overshared_edges,
                    "Duplicates and facets without area are the usual cause; remove those first. What is left of a closed \
                     surface is taken apart along such edges by cutting it.",
                )(seen)
            }),
        MeasureDef::of_facets("pinched_points", &[PINCHED], CUTTING, |f, s| of(|t| t.pinched_points)(f, s)).words(
            |seen| {
                where_some(
                    |t| t.pinched_points,
                    "Cutting takes the parts that touch in a point apart by a millionth of the size.",
                )(seen)
            },
        ),
    ];

    fn look(cx: &Context, _: &Watch) -> Result<(Edges, Vec<Finding>), Cancelled> {
        Ok((figures(cx), places(cx)))
    }
}

fn open_edges_words(seen: &steps::Seen) -> Vec<Sentence> {
    let t = &seen.survey.topology;
    if t.open_edges == 0 {
        return Vec::new();
    }
    let exact = seen.facts.exact.as_ref().filter(|e| !e.facets_changed);
    if exact.is_some_and(|e| e.join.proposal.is_some()) {
        return vec!["Stitching the facets would give the exact geometry up.".into()];
    }
    let open = counted(t.open_edges, "open edge");
    if seen.survey.awaits("gaps") {
        return vec![format!("{open}. Stitching tolerances are tried as the survey goes on.").into()];
    }
    if seen.survey.gaps.plot.proposal.is_none() {
        return vec![
            format!("{open}. No gap is within reach: stitching up to half an edge would close nothing. What is open is a hole.")
                .into(),
        ];
    }
    Vec::new()
}

fn figures(cx: &Context) -> Edges {
    let (mesh, t) = (cx.mesh(), &cx.topology);
    let loops = open_loops(mesh, &t.open);
    let mut shells: Vec<ShellFigures> = cx
        .per_shell()
        .iter()
        .map(|g| ShellFigures { facets: g.facets, area: g.area, volume: g.volume, closed: true })
        .collect();
    for e in &t.open {
        shells[t.shell_of[e.facet] as usize].closed = false;
    }
    shells.sort_by(|a, b| b.area.total_cmp(&a.area));
    shells.truncate(PLACES);
    Edges {
        open_edges: t.open.len(),
        open_loops: loops.len(),
        open_length: loops.iter().fold(0.0, |sum, l| sum + l.length),
        overshared_edges: t.overshared.len(),
        pinched_points: t.pinched.len(),
        misdirected_edges: t.misdirected.len(),
        duplicate_triangles: t.duplicates.len(),
        zero_area_triangles: t.zero_area.len(),
        shells: t.shells,
        closed: t.is_closed(),
        shell_figures: shells,
    }
}

fn places(cx: &Context) -> Vec<Finding> {
    let t = &cx.topology;
    let bare = |ends: &[PointId; 2]| OpenEdge { from: ends[0], to: ends[1], facet: FacetId::NONE };
    let shared: Vec<OpenEdge> = t.overshared.iter().map(|e| bare(&e.ends)).collect();
    let turned: Vec<OpenEdge> = t.misdirected.iter().map(bare).collect();
    let text =
        |what: &'static str| move |n: usize, long: f64| say![format!("{} {what}, ", count(n)), length(long), " long"];
    let mut found = cx.loops(OPEN, &t.open, text("open edges"));
    found.extend(cx.loops(OVERSHARED, &shared, text("non-manifold edges")));
    found.extend(cx.loops(MISDIRECTED, &turned, text("edges with flipped normals")));
    let near = cx.bounds.diagonal() / 100.0;
    let pinched = t.pinched.iter().take(PLACES);
    found.extend(pinched.map(|&p| cx.point(PINCHED, p, near, "facets touch in this point only".into())));
    for (kind, list, text) in
        [(DUPLICATE, &t.duplicates, "repeats another facet"), (ZERO_AREA, &t.zero_area, "facet without area")]
    {
        let radius = |f: FacetId| Bounds::of(cx.mesh().corners(f)).diagonal() / 2.0;
        found.extend(list.iter().take(PLACES).map(|&f| cx.at(kind, f, radius(f), text.into())));
    }
    found
}
