//! The survey: what is true of a body, in figures, and where.

use crate::Body;
use crate::depth::{Depth, Names, PARTS, depth};
use crate::numbers::{count, short};
use crate::steps::fill_holes::holes_to_fill;
use hull_geometry::crossings::{Crossing, crossings};
use hull_geometry::holes::{Filling, LARGEST_UNEVEN_HOLE};
use hull_geometry::mesh::Bounds;
use hull_geometry::plot::{TolerancePlot, tolerance_plot};
use hull_geometry::sets::Sets;
use hull_geometry::topology::{OpenEdge, Topology, open_loops};
use hull_geometry::vector::{dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, NONE, Point, Unit, Watch, measure, orient};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, HashMap};

/// Places listed of one kind at most; the figures always count all.
const PLACES: usize = 400;

/// The figures of a body. Lengths, areas and volumes are in `unit`, or in file units while it is `None`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    pub triangles: usize,
    pub points: usize,
    pub open_edges: usize,
    pub open_loops: usize,
    pub overshared_edges: usize,
    pub pinched_points: usize,
    pub misdirected_edges: usize,
    pub duplicate_triangles: usize,
    pub zero_area_triangles: usize,
    pub shells: usize,
    pub closed: bool,
    /// Signed. Meaningful for a closed surface; for an open one, taken about the middle of the box.
    pub volume: f64,
    pub area: f64,
    pub bbox: Bounds,
    pub unit: Option<Unit>,
    pub open_length: f64,
    pub unused_points: usize,
    pub smallest_edge: Option<f64>,
    /// Degrees.
    pub smallest_angle: Option<f64>,
    /// Facets that must be turned for all to face outward; `None` while the surface is open.
    pub facets_to_turn: Option<usize>,
    pub shell_figures: Vec<ShellFigures>,
    /// Pairs of facets that run through each other or touch where they should not; `None` where that was not looked at.
    #[serde(default)]
    pub self_intersections: Option<usize>,
    /// Pairs of facets of one plane that lie on each other.
    #[serde(default)]
    pub coplanar_overlaps: Option<usize>,
    /// What the deeper survey saw; `None` where it was not made.
    #[serde(default)]
    pub depth: Option<Depth>,
}

#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct ShellFigures {
    pub facets: usize,
    pub area: f64,
    pub volume: f64,
    pub closed: bool,
}

/// The kinds of findings, named as the figures are.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    OpenEdges,
    OversharedEdges,
    MisdirectedEdges,
    PinchedPoints,
    DuplicateTriangles,
    ZeroAreaTriangles,
    SelfIntersections,
    CoplanarOverlaps,
    SmallestAngle,
    Doubles,
    Touching,
    LostShells,
    Cavities,
    InsideOutShells,
    TinyShells,
    ThinWalls,
    NarrowGaps,
    Spikes,
    Folds,
    Needles,
    Caps,
    Handles,
    IsolatedPoints,
}

/// One located problem.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Finding {
    pub kind: Kind,
    pub at: Point,
    /// Half the extent of the place.
    pub radius: f64,
    /// A direction from which the place can be seen.
    #[serde(default)]
    pub from: Point,
    pub text: String,
}

/// A hole as a remedy lists it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct HoleFigures {
    pub at: Point,
    pub edges: usize,
    pub perimeter: f64,
    pub area: f64,
    pub flat: bool,
    pub fillable: bool,
    /// Whether a smooth patch is what suits it.
    #[serde(default)]
    pub smooth: bool,
    /// Pieces of surface that lie loose within.
    #[serde(default)]
    pub islands: usize,
}

/// One boundary in figures; the last of the list may be the facets without a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BoundaryFigures {
    pub name: Option<String>,
    pub facets: usize,
    pub area: f64,
    /// Mean direction; `None` for a boundary that turns around on itself.
    pub normal: Option<Point>,
    pub at: Point,
}

/// Line segments to draw over a body.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Lines {
    pub open: Vec<[u32; 2]>,
    pub overshared: Vec<[u32; 2]>,
    pub misdirected: Vec<[u32; 2]>,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Survey {
    pub figures: Figures,
    /// Kinds that were not looked for yet, or not to the end because somebody cancelled it. Open edges stand here
    /// while stitching tolerances are still to be tried.
    #[serde(default)]
    pub awaited: Vec<Kind>,
    pub findings: Vec<Finding>,
    pub plot: TolerancePlot,
    pub holes: Vec<HoleFigures>,
    pub boundaries: Vec<BoundaryFigures>,
}

/// Measures the topology and the sizes of a mesh: the figures of `hull check`.
///
/// # Errors
/// [`Cancelled`].
pub fn figures(mesh: &Mesh, unit: Option<Unit>, watch: &Watch) -> Result<(Figures, Topology), Cancelled> {
    let topology = Topology::of(mesh, watch)?;
    watch.report(0.5, "measuring areas and volumes")?;
    let bbox = mesh.bounds();
    let per_shell = measure::figures_by_group(mesh, &topology.shell_of, topology.shells, bbox.centre());
    // Facets without area are in no shell, and add nothing to either.
    let (area, volume) = per_shell.iter().fold((0.0, 0.0), |sum, g| (sum.0 + g.area, sum.1 + g.volume));
    let (edge, angle) = measure::shortest_edge_and_smallest_angle(mesh, &topology.shell_of);
    let loops = open_loops(mesh, &topology.open);
    let mut shells: Vec<ShellFigures> = per_shell
        .into_iter()
        .map(|g| ShellFigures { facets: g.facets, area: g.area, volume: g.volume, closed: true })
        .collect();
    for e in &topology.open {
        shells[topology.shell_of[e.facet as usize] as usize].closed = false;
    }
    shells.sort_by(|a, b| b.area.total_cmp(&a.area));
    shells.truncate(PLACES);
    let figures = Figures {
        triangles: mesh.triangles.len(),
        points: mesh.points.len(),
        open_edges: topology.open.len(),
        open_loops: loops.len(),
        overshared_edges: topology.overshared.len(),
        pinched_points: topology.pinched.len(),
        misdirected_edges: topology.misdirected.len(),
        duplicate_triangles: topology.duplicates.len(),
        zero_area_triangles: topology.zero_area.len(),
        shells: topology.shells,
        closed: topology.is_closed(),
        volume,
        area,
        bbox,
        unit,
        open_length: loops.iter().fold(0.0, |sum, l| sum + l.length),
        unused_points: mesh.points.len().saturating_sub(topology.used_points),
        smallest_edge: edge.map(|e| e.0),
        smallest_angle: angle.map(|a| a.0),
        facets_to_turn: None,
        shell_figures: shells,
        self_intersections: None,
        coplanar_overlaps: None,
        depth: None,
    };
    Ok((figures, topology))
}

/// Looks for facets that run through each other, and puts their numbers among the figures.
///
/// # Errors
/// [`Cancelled`].
pub fn find_crossings(figures: &mut Figures, mesh: &Mesh, watch: &Watch) -> Result<Vec<Crossing>, Cancelled> {
    let found = crossings(mesh, watch)?;
    let flat = found.iter().filter(|c| c.coplanar).count();
    figures.self_intersections = Some(found.len() - flat);
    figures.coplanar_overlaps = Some(flat);
    Ok(found)
}

/// The whole survey of a body, with places, proposals and the lines to draw.
///
/// # Errors
/// [`Cancelled`].
pub fn survey(body: &Body, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    let (mut survey, lines, topology) = look(body, watch)?;
    look_deeper(body, &mut survey, &topology, watch, |_| Ok::<(), Cancelled>(()))?;
    Ok((survey, lines))
}

/// What can be told at once: how the facets hang together, sizes, boundaries. The rest is `awaited`.
///
/// # Errors
/// [`Cancelled`].
pub fn first_look(body: &Body, watch: &Watch) -> Result<(Survey, Lines), Cancelled> {
    look(body, watch).map(|(survey, lines, _)| (survey, lines))
}

/// The whole survey; `told` hears it again after every part.
///
/// # Errors
/// [`Cancelled`], and what `told` returns.
pub fn survey_telling<E: From<Cancelled>>(
    body: &Body,
    watch: &Watch,
    told: impl FnMut(&Survey) -> Result<(), E>,
) -> Result<(), E> {
    let (mut survey, _, topology) = look(body, watch)?;
    look_deeper(body, &mut survey, &topology, watch, told)
}

fn look(body: &Body, watch: &Watch) -> Result<(Survey, Lines, Topology), Cancelled> {
    let unit = body.facts.scale.map(|_| Unit::Mm);
    let (mut figures, topology) = figures(&body.mesh, unit, watch)?;
    if body.is_only_curves() {
        figures.bbox = body.bounds();
    }
    if topology.open.is_empty() {
        watch.report(0.6, "telling inside from outside")?;
        figures.facets_to_turn = Some(orient::facets_to_turn(&body.mesh, watch)?.turned.len());
    }
    let lines = Lines {
        open: topology.open.iter().map(|e| [e.from, e.to]).collect(),
        overshared: topology.overshared.iter().map(|e| e.ends).collect(),
        misdirected: topology.misdirected.clone(),
    };
    let survey = Survey {
        findings: findings(body, &topology, &figures),
        awaited: [Kind::OpenEdges, Kind::SelfIntersections, Kind::CoplanarOverlaps]
            .iter()
            .chain(PARTS.iter().flat_map(|p| p.tells))
            .copied()
            .collect(),
        plot: TolerancePlot::default(),
        holes: Vec::new(),
        boundaries: boundaries(body),
        figures,
    };
    Ok((survey, lines, topology))
}

fn look_deeper<E: From<Cancelled>>(
    body: &Body,
    survey: &mut Survey,
    topology: &Topology,
    watch: &Watch,
    mut told: impl FnMut(&Survey) -> Result<(), E>,
) -> Result<(), E> {
    let mut known = |survey: &mut Survey, kinds: &[Kind], found: Vec<Finding>| {
        survey.awaited.retain(|k| !kinds.contains(k));
        survey.findings.extend(found);
        told(survey)
    };
    watch.report(0.62, "trying stitching tolerances")?;
    survey.plot = tolerance_plot(&body.mesh, watch)?;
    survey.holes = holes(body);
    known(survey, &[Kind::OpenEdges], Vec::new())?;
    watch.report(0.65, "looking for facets that run through each other")?;
    let crossings = find_crossings(&mut survey.figures, &body.mesh, watch)?;
    let places = crossing_places(&survey.figures, &body.mesh, &crossings);
    known(survey, &[Kind::SelfIntersections, Kind::CoplanarOverlaps], places)?;
    let symbol = if body.facts.scale.is_some() { "mm" } else { "file units" };
    let names = Names { of: &body.label_of, labels: &body.facts.labels };
    depth(&body.mesh, topology, names, symbol, watch, |depth, part, found| {
        survey.figures.depth = Some(depth.clone());
        known(survey, part.tells, found)
    })?;
    Ok(())
}

fn holes(body: &Body) -> Vec<HoleFigures> {
    let figures = |h: hull_geometry::holes::Hole| HoleFigures {
        at: h.centre,
        edges: h.edges(),
        islands: h.islands.len(),
        perimeter: h.perimeter,
        area: h.area,
        flat: h.flat,
        smooth: h.proposal() == Filling::Smooth,
        fillable: h.flat || h.edges() <= LARGEST_UNEVEN_HOLE,
    };
    holes_to_fill(body, 0.0, &[]).1.into_iter().take(PLACES).map(figures).collect()
}

fn findings(body: &Body, topology: &Topology, figures: &Figures) -> Vec<Finding> {
    let mesh = &body.mesh;
    let symbol = if body.facts.scale.is_some() { "mm" } else { "file units" };
    let mut found = Vec::new();
    // Away from the middle of the body, whichever way the facet happens to face.
    let seen_from = |f: u32, at: Point| {
        let normal = if f == NONE { [0.0; 3] } else { unit(mesh.area_vector(f)).unwrap_or_default() };
        let away = sub(at, figures.bbox.centre());
        if f == NONE {
            unit(away).unwrap_or_default()
        } else {
            scale(normal, if dot(normal, away) < 0.0 { -1.0 } else { 1.0 })
        }
    };
    let mut edges = |kind: Kind, list: &[OpenEdge], what: &str| {
        for group in open_loops(mesh, list).into_iter().take(PLACES) {
            // The middle of the box of a ring lies in the air: point at one of its edges.
            let e = &list[group.edges[0] as usize];
            let at = scale(hull_geometry::vector::add(mesh.points[e.from as usize], mesh.points[e.to as usize]), 0.5);
            found.push(Finding {
                kind,
                at,
                radius: group.bounds.diagonal() / 2.0,
                from: seen_from(e.facet, at),
                text: format!("{} {what}, {} {symbol} long", count(group.edges.len()), short(group.length)),
            });
        }
    };
    let as_edges =
        |ends: &[[u32; 2]]| ends.iter().map(|e| OpenEdge { from: e[0], to: e[1], facet: NONE }).collect::<Vec<_>>();
    edges(Kind::OpenEdges, &topology.open, "open edges");
    let shared: Vec<[u32; 2]> = topology.overshared.iter().map(|e| e.ends).collect();
    edges(Kind::OversharedEdges, &as_edges(&shared), "edges shared by three or more");
    edges(Kind::MisdirectedEdges, &as_edges(&topology.misdirected), "edges between facets that face opposite ways");
    let near = figures.bbox.diagonal() / 100.0;
    for &p in topology.pinched.iter().take(PLACES) {
        let at = mesh.points[p as usize];
        let text = "facets touch in this point only".into();
        found.push(Finding { kind: Kind::PinchedPoints, at, radius: near, from: seen_from(NONE, at), text });
    }
    let mut facets = |kind: Kind, list: &[u32], text: &str| {
        for &f in list.iter().take(PLACES) {
            let bounds = Bounds::of(mesh.corners(f));
            let (at, radius) = (bounds.centre(), bounds.diagonal() / 2.0);
            found.push(Finding { kind, at, radius, from: seen_from(f, at), text: text.into() });
        }
    };
    facets(Kind::DuplicateTriangles, &topology.duplicates, "repeats another facet");
    facets(Kind::ZeroAreaTriangles, &topology.zero_area, "facet without area");
    if let (_, Some((angle, f))) = measure::shortest_edge_and_smallest_angle(mesh, &topology.shell_of) {
        facets(Kind::SmallestAngle, &[f], &format!("the smallest angle, {}°", short(angle)));
    }
    found
}

/// Crossings that hang together over common facets, as one place each, the largest first.
fn crossing_places(figures: &Figures, mesh: &Mesh, crossings: &[Crossing]) -> Vec<Finding> {
    let mut found = Vec::new();
    for (kind, coplanar) in [(Kind::SelfIntersections, false), (Kind::CoplanarOverlaps, true)] {
        let list: Vec<&Crossing> = crossings.iter().filter(|c| c.coplanar == coplanar).collect();
        let mut number: HashMap<u32, u32> = HashMap::new();
        for f in list.iter().flat_map(|c| c.facets) {
            let next = number.len() as u32;
            number.entry(f).or_insert(next);
        }
        let sets = Sets::new(number.len());
        list.iter().for_each(|c| {
            sets.unite(number[&c.facets[0]], number[&c.facets[1]]);
        });
        let mut groups: BTreeMap<u32, Vec<&Crossing>> = BTreeMap::new();
        for c in &list {
            groups.entry(sets.root(number[&c.facets[0]])).or_default().push(c);
        }
        let mut groups: Vec<Vec<&Crossing>> = groups.into_values().collect();
        groups.sort_by_key(|g| (std::cmp::Reverse(g.len()), g[0].facets));
        for group in groups.into_iter().take(PLACES) {
            let bounds = Bounds::of(group.iter().flat_map(|c| c.along));
            let middle = group[group.len() / 2];
            let at = scale(hull_geometry::vector::add(middle.along[0], middle.along[1]), 0.5);
            let away = sub(at, figures.bbox.centre());
            let normal = unit(mesh.area_vector(middle.facets[0])).unwrap_or_default();
            let what = if coplanar { "facets lie on each other" } else { "facets run through each other" };
            found.push(Finding {
                kind,
                at,
                radius: bounds.diagonal() / 2.0,
                from: scale(normal, if dot(normal, away) < 0.0 { -1.0 } else { 1.0 }),
                text: format!("{} pairs of {what}", count(group.len())),
            });
        }
    }
    found
}

fn boundaries(body: &Body) -> Vec<BoundaryFigures> {
    let named = body.facts.boundaries.len();
    let mut sums = vec![(0usize, 0.0, [0.0; 3], [0.0; 3]); named + 1];
    for (f, &b) in body.boundary_of.iter().enumerate() {
        let sum = &mut sums[if b == NONE { named } else { b as usize }];
        let vector = scale(body.mesh.area_vector(f as u32), 0.5);
        let area = norm(vector);
        let [p, q, r] = body.mesh.corners(f as u32);
        let centre = scale(hull_geometry::vector::add(hull_geometry::vector::add(p, q), r), 1.0 / 3.0);
        sum.0 += 1;
        sum.1 += area;
        sum.2 = hull_geometry::vector::add(sum.2, vector);
        sum.3 = hull_geometry::vector::add(sum.3, scale(centre, area));
    }
    let figures = |name: Option<String>, (facets, area, vector, moment): (usize, f64, Point, Point)| BoundaryFigures {
        name,
        facets,
        area,
        // A boundary that faces one way has a mean direction nearly as long as its area.
        normal: unit(vector).filter(|_| norm(vector) > 0.5 * area),
        at: if area > 0.0 { scale(moment, 1.0 / area) } else { [0.0; 3] },
    };
    let mut list: Vec<BoundaryFigures> =
        body.facts.boundaries.iter().zip(&sums).map(|(b, &s)| figures(Some(b.name.clone()), s)).collect();
    if sums[named].0 > 0 {
        list.push(figures(None, sums[named]));
    }
    list
}

impl Survey {
    /// Part of the area that has no name, 0 to 1.
    pub fn unnamed_part(&self) -> f64 {
        let unnamed: f64 = self.boundaries.iter().filter(|b| b.name.is_none()).map(|b| b.area).sum();
        let facets = self.boundaries.iter().any(|b| b.name.is_none() && b.facets > 0);
        let total: f64 = self.boundaries.iter().map(|b| b.area).sum();
        // Unnamed facets without area are still unnamed.
        if facets { (unnamed / total).max(f64::MIN_POSITIVE) } else { 0.0 }
    }
}
