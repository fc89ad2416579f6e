//! Several bodies into one, and one into several.

use crate::Body;
use crate::body::numbered::Numbered;
use crate::body::{Columns, Facts, Seam};
use crate::numbers::{count, counted, four_digits};
use crate::pieces::Piece;
use crate::sections::sections;
use crate::selection::Selection;
use crate::steps::{Change, StepError};
use hull_fitting::align::Rigid;
use hull_formats::Label;
use hull_geometry::cloud::Cloud;
use hull_geometry::shapes::cuboid;
use hull_geometry::topology::{OpenEdge, Topology, open_loops};
use hull_geometry::vector::{add, cross, norm, scale, unit};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Rebuilt, Watch, slice};
use hull_solids::combine::{CombineError, Rule, combine};
use hull_stock::bench::{Scan, scan};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// How bodies become one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Together {
    /// What lies in any of them.
    Unite,
    /// What lies in the first and in none of the others.
    Subtract,
    /// What lies in all of them.
    Intersect,
    /// Side by side in one body, nothing cut.
    Merge,
}

impl Together {
    /// The word for the deed.
    pub fn word(self) -> &'static str {
        match self {
            Together::Unite => "united",
            Together::Subtract => "subtracted",
            Together::Intersect => "intersected",
            Together::Merge => "merged",
        }
    }
}

/// Puts bodies with their names and labels into one, in the order given.
///
/// # Errors
/// If there are fewer than two, if their units differ, or with what [`combine`] says.
pub fn together(bodies: &[(String, Body)], how: Together, watch: &Watch) -> Result<(Body, Change), StepError> {
    let (Some(first), true) = (bodies.first(), bodies.len() > 1) else {
        return Err(refused("Choose at least two bodies."));
    };
    if let Some(other) = bodies.iter().find(|b| b.1.facts.scale.is_some() != first.1.facts.scale.is_some()) {
        return Err(refused(format!(
            "“{}” and “{}” are not in one unit: set the unit of both first.",
            first.0, other.0
        )));
    }
    if let Some((name, kinds)) = bodies.iter().find_map(|b| Some((&b.0, b.1.instead_of_surface()?))) {
        return Err(refused(format!("“{name}” has {kinds} and no faces: there is nothing to put together.")));
    }
    let (merged, body_of) = side_by_side(bodies);
    let rule = match how {
        Together::Merge => {
            let sentence = format!("{} bodies merged, {} facets.", bodies.len(), count(merged.mesh.triangles.len()));
            return Ok((merged, Change { sentence, ..Default::default() }));
        }
        Together::Unite => Rule::Unite,
        Together::Subtract => Rule::Subtract,
        Together::Intersect => Rule::Intersect,
    };
    let names = bodies.iter().map(|b| b.0.as_str()).collect();
    cut(merged, &body_of, names, rule, how.word(), watch)?
        .ok_or_else(|| refused("Nothing would be left: the bodies share no space, or face inward."))
}

/// The bodies cut and combined; `None` if nothing would be left.
fn cut(
    mut merged: Body,
    body_of: &TiSlice<FacetId, u32>,
    names: Vec<&str>,
    rule: Rule,
    word: &str,
    watch: &Watch,
) -> Result<Option<(Body, Change)>, StepError> {
    let done = match combine(&merged.mesh, body_of, rule, watch) {
        Ok(done) => done,
        Err(CombineError::Nothing) => return Ok(None),
        Err(CombineError::Cancelled(c)) => return Err(c.into()),
        Err(CombineError::Open) => {
            let open = open_ones(&merged.mesh, body_of, &names);
            return Err(refused(format!(
                "{open} must be closed and face outward first: inside and outside cannot be told apart."
            )));
        }
    };
    let seam: Vec<OpenEdge> =
        done.seam.iter().map(|e| OpenEdge { from: e[0], to: e[1], facet: FacetId::NONE }).collect();
    let loops = open_loops(&done.rebuilt.mesh, &seam);
    let name = names.join(" × ");
    let place = |p: PointId| done.rebuilt.mesh.points[p];
    merged.facts.seams.extend(loops.iter().enumerate().map(|(i, l)| {
        let edges = l.edges.iter().map(|e| seam[*e as usize]);
        Seam {
            name: if loops.len() == 1 { name.clone() } else { format!("{name} {}", i + 1) },
            edges: l.edges.len(),
            length: l.length,
            at: place(seam[l.edges[0] as usize].from),
            lines: if l.edges.len() <= LONGEST_SEAM {
                edges.map(|e| [place(e.from), place(e.to)]).collect()
            } else {
                Vec::new()
            },
        }
    }));
    let length: f64 = loops.iter().map(|l| l.length).sum();
    merged.take_rebuilt(done.rebuilt);
    merged.drop_empty_boundaries();
    let mut sentence = format!(
        "{} {word}: {} cut, new edges in {}, {} long in all; {}.",
        names.join(", "),
        counted(done.meetings, "facet pair"),
        counted(loops.len(), "loop"),
        four_digits(length),
        counted(merged.mesh.triangles.len(), "facet")
    );
    if done.pulled > 0 {
        sentence += &format!(
            " Where parts only touched, {} pulled apart by a millionth of the size.",
            counted(done.pulled, "point")
        );
    }
    Ok(Some((merged, Change { sentence, ..Default::default() })))
}

/// Which bodies are open, in words.
pub(crate) fn open_ones(mesh: &Mesh, body_of: &TiSlice<FacetId, u32>, names: &[&str]) -> String {
    let open: Vec<&str> = names
        .iter()
        .enumerate()
        .filter(|(b, _)| {
            let one = Rebuilt::keeping(mesh, |f| body_of[f] == *b as u32).mesh;
            let topology = Topology::of(&one, &Watch::default());
            topology.is_ok_and(|t| !t.is_closed() || !t.misdirected.is_empty())
        })
        .map(|(_, name)| *name)
        .collect();
    if open.is_empty() {
        "The bodies".into()
    } else {
        open.iter().map(|n| format!("“{n}”")).collect::<Vec<_>>().join(", ")
    }
}

/// Bodies behind each other, and for each facet the body it is of. A body without names in its file lends its own.
pub(crate) fn side_by_side(bodies: &[(String, Body)]) -> (Body, TiVec<FacetId, u32>) {
    let mut out = Body { facts: Facts { labels: Vec::new(), ..bodies[0].1.facts.clone() }, ..Default::default() };
    out.facts.boundaries.clear();
    out.facts.exact = None;
    out.facts.edge_names.clear();
    let (mut all_labels, mut boundaries) = (Numbered::default(), Numbered::default());
    let mut body_of = Vec::new();
    for (number, (name, body)) in bodies.iter().enumerate() {
        let plain = body.facts.labels.iter().all(|l| l.name.is_empty() && l.material.is_none());
        let labels: Vec<Label> =
            if plain { vec![Label { name: name.clone(), material: None }] } else { body.facts.labels.clone() };
        let label: Vec<u32> = labels.into_iter().map(|l| all_labels.number(l, Label::clone)).collect();
        let own = body.facts.boundaries.iter();
        let boundary: Vec<u32> = own.map(|b| boundaries.number(b.name.clone(), |_| b.clone())).collect();
        let numbered = |f: FacetId| label[if plain { 0 } else { body.label(f) as usize }];
        out.columns.label.extend(body.mesh.triangles.keys().map(numbered));
        out.columns
            .boundary
            .extend(body.columns.boundary.iter().map(|&b| if b == NONE { NONE } else { boundary[b as usize] }));
        out.mesh.append(&body.mesh);
        body_of.resize(out.mesh.triangles.len(), number as u32);
    }
    (out.facts.labels, out.facts.boundaries) = (all_labels.list(), boundaries.list());
    (out, body_of.into())
}

/// How one body becomes several.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "by", rename_all = "snake_case")]
pub enum Apart {
    /// Every connected piece.
    Shells,
    /// What the file calls by one name; colours are part of it.
    Labels,
    /// What the file gives one colour, whatever it is called.
    Colours,
    /// The two sides of a plane, closed along it if the body is closed.
    Plane {
        /// A place on it.
        at: Point,
        /// Across it.
        normal: Point,
    },
    /// What lies in a box and what does not, closed along it if the body is closed.
    Box {
        /// The corner with the smallest coordinates.
        min: Point,
        /// The opposite corner.
        max: Point,
    },
    /// Outlines where planes meet the body, as lines.
    Sections {
        /// A place on the first plane.
        at: Point,
        /// Across the planes.
        normal: Point,
        /// How many.
        count: usize,
        /// From one to the next.
        every: f64,
        /// Outlines become lines, arcs and splines within this; `None`: they stay polylines.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        fit: Option<f64>,
    },
    /// Points as a scanner sees the body.
    Scan {
        /// From where, and how well.
        how: Scan,
        /// Whether the scanner has axes of its own and counts in inches.
        own_axes: bool,
    },
    /// The picked facets and the rest, open where they part.
    Pick {
        /// What is picked.
        pick: Selection,
    },
}

/// A seam of more edges is kept in figures only: it stands in every later state.
const LONGEST_SEAM: usize = 20_000;
/// Pieces of a body at most.
const MOST: usize = 200;

/// Splits a body; gives the pieces with their names. Labels and boundaries stay.
///
/// # Errors
/// If it falls in one piece or in too many, or with what cutting says.
pub fn split(name: &str, body: &Body, how: &Apart, watch: &Watch) -> Result<Vec<(String, Body)>, StepError> {
    if let Some(kinds) = body.instead_of_surface() {
        return Err(refused(format!("“{name}” has {kinds} and no faces: there is no surface to take apart.")));
    }
    let pieces = match how {
        Apart::Sections { at, normal, count, every, fit } => {
            let (body, _) = sections(body, *at, *normal, *count, *every, *fit)?;
            return Ok(vec![(format!("Sections of {name}"), body)]);
        }
        Apart::Scan { how, own_axes } => {
            return Ok(vec![(format!("Scan of {name}"), scanned(body, how, *own_axes, watch)?)]);
        }
        Apart::Shells => {
            let topology = Topology::of(&body.mesh, watch)?;
            by_number(body, topology.shells, &|f| topology.shell_of[f], &|k| format!("{name}, shell {}", k + 1))?
        }
        Apart::Labels => {
            let label = |k: usize| {
                let l = &body.facts.labels[k];
                let own = if l.name.is_empty() { l.material.clone().unwrap_or_default() } else { l.name.clone() };
                if own.is_empty() { format!("{name}, no name") } else { own }
            };
            by_number(body, body.facts.labels.len().max(1), &|f| body.label(f), &label)?
        }
        Apart::Colours => {
            let colours = colours(body);
            let number = |f: FacetId| {
                let own = &body.facts.labels.get(body.label(f) as usize).and_then(|l| l.material.clone());
                colours.iter().position(|c| c == own).unwrap_or(0) as u32
            };
            let title = |k: usize| match &colours[k] {
                Some(colour) => format!("{name}, {colour}"),
                None => format!("{name}, no colour"),
            };
            by_number(body, colours.len(), &number, &title)?
        }
        Apart::Pick { pick } => {
            let facets = pick.facets(body);
            let number = |f: FacetId| u32::from(facets.binary_search(&f).is_err());
            let title = |k: usize| if k == 0 { format!("Picked of {name}") } else { format!("Rest of {name}") };
            by_number(body, 2, &number, &title)?
        }
        Apart::Plane { at, normal } => {
            let (knife, normal) = half_space(body, *at, *normal)?;
            let names = [format!("{name}, ahead of the plane"), format!("{name}, behind the plane")];
            if is_solid(body, watch)? {
                by_knife(body, &knife, names, watch)?
            } else {
                by_planes(body, &[(*at, normal)], names)?
            }
        }
        Apart::Box { min, max } => {
            let size = [0, 1, 2].map(|k| max[k] - min[k]);
            if size.iter().any(|s| !(*s > 0.0 && s.is_finite())) {
                return Err(refused("The box's second corner must lie beyond the first along every axis."));
            }
            let mut knife = cuboid(size);
            hull_geometry::transform::translate(&mut knife, *min);
            let names = [format!("{name}, in the box"), format!("{name}, outside the box")];
            if is_solid(body, watch)? {
                by_knife(body, &knife, names, watch)?
            } else {
                let sides = [0, 1, 2].map(|k| {
                    let mut inward = [0.0; 3];
                    inward[k] = 1.0;
                    [(*min, inward), (*max, scale(inward, -1.0))]
                });
                by_planes(body, sides.as_flattened(), names)?
            }
        }
    };
    match pieces.len() {
        0 | 1 => Err(refused("The body would stay in one piece.")),
        n if n > MOST => Err(refused(format!("The body would fall in {} pieces; {MOST} are the most.", count(n)))),
        _ => Ok(pieces),
    }
}

/// Stations and rays of a scan at most.
const MOST_RAYS: usize = 20_000_000;
/// How a scanner of its own stands, in degrees about x, y and z.
const OWN_AXES: Point = [20.0, -35.0, 130.0];

/// What a scanner sees of a body, as a body of points or of the sheets that it joins them to.
fn scanned(body: &Body, how: &Scan, own_axes: bool, watch: &Watch) -> Result<Body, StepError> {
    let rays = how.stations.len().saturating_mul(how.rays).saturating_mul(how.rays);
    if how.stations.is_empty() || how.rays < 2 || rays > MOST_RAYS {
        return Err(refused("A scan takes one station or more, and together up to 20 000 000 rays."));
    }
    let numbers = how.stations.iter().flatten().chain([&how.noise, &how.lost]);
    if numbers.into_iter().any(|x| !x.is_finite()) || how.noise < 0.0 || !(0.0..1.0).contains(&how.lost) {
        return Err(refused("Noise must not be below 0, and the lost part goes from 0 to below 1."));
    }
    let seen = scan(&body.mesh, how, watch)?;
    if seen.points.is_empty() {
        return Err(refused("Nothing was seen: put the stations outside of the body."));
    }
    let mut facts = Facts { scale: body.facts.scale.filter(|_| !own_axes), ..Facts::default() };
    facts.source.format = "scan bench".into();
    facts.source.file = format!("scan of {}", body.facts.source.file);
    facts.source.points = seen.points.len();
    let turn = Rigid::turned_by(OWN_AXES);
    let own = |p: Point| scale(turn.place(p), 1.0 / 25.4);
    if how.sheets {
        let points = seen.points.into_iter().map(|p| if own_axes { own(p) } else { p }).collect();
        let mut mesh = Mesh::from_arrays(points, seen.facets);
        mesh.drop_unused_points();
        if mesh.triangles.is_empty() {
            return Err(refused("What was seen hangs together nowhere: send more rays, or lose fewer."));
        }
        let columns = Columns { boundary: ti_vec![NONE; mesh.triangles.len()], ..Columns::default() };
        return Ok(Body { facts, mesh, columns, ..Body::default() });
    }
    let normals = seen.normals.iter().map(|n| n.map(|x| x as f32)).collect();
    let mut cloud = Cloud { points: seen.points, normals, ..Cloud::default() };
    if own_axes {
        cloud.move_by(own, |d| turn.turn(d), 1.0 / 25.4);
    }
    Ok(Body { facts, pieces: vec![Piece::Points(Arc::new(cloud))], ..Body::default() })
}

fn piece(body: &Body, keep: impl Fn(FacetId) -> bool) -> Body {
    let mut out = body.clone();
    out.exact = None;
    out.facts.exact = None;
    out.columns.face = TiVec::new();
    out.take_rebuilt(Rebuilt::keeping(&body.mesh, keep));
    out.drop_empty_boundaries();
    out
}

fn by_number(
    body: &Body,
    numbers: usize,
    number: &dyn Fn(FacetId) -> u32,
    title: &dyn Fn(usize) -> String,
) -> Result<Vec<(String, Body)>, StepError> {
    let mut used = vec![false; numbers];
    body.mesh.triangles.keys().for_each(|f| {
        if let Some(u) = used.get_mut(number(f) as usize) {
            *u = true;
        }
    });
    let there: Vec<usize> = (0..numbers).filter(|k| used[*k]).collect();
    if there.len() > MOST {
        return Err(refused(format!("The body would fall in {} pieces; {MOST} are the most.", count(there.len()))));
    }
    Ok(there.into_iter().map(|k| (title(k), piece(body, |f| number(f) == k as u32))).collect())
}

/// The colours of a body in the order in which its labels have them; facets may have none.
pub fn colours(body: &Body) -> Vec<Option<String>> {
    let mut found: Vec<Option<String>> = Vec::new();
    for l in &body.facts.labels {
        if !found.contains(&l.material) {
            found.push(l.material.clone());
        }
    }
    if found.is_empty() { vec![None] } else { found }
}

/// Whether a cut through the body can be closed: only then there is an inside.
fn is_solid(body: &Body, watch: &Watch) -> Result<bool, StepError> {
    let topology = Topology::of(&body.mesh, watch)?;
    Ok(topology.is_closed() && topology.misdirected.is_empty())
}

/// What lies ahead of all the planes (place and direction) and the rest, both open along the cut.
fn by_planes(body: &Body, planes: &[(Point, Point)], names: [String; 2]) -> Result<Vec<(String, Body)>, StepError> {
    let mut body = body.clone();
    body.exact = None;
    body.facts.exact = None;
    body.columns.face = TiVec::new();
    let ahead = |mesh: &Mesh, f: FacetId, planes: &[(Point, Point)]| {
        planes.iter().all(|(at, normal)| slice::is_ahead(mesh, f, *at, *normal))
    };
    for (i, (at, normal)) in planes.iter().enumerate() {
        let cut = slice::slice(&body.mesh, *at, *normal, |f| ahead(&body.mesh, f, &planes[..i]));
        body.take_rebuilt(cut);
    }
    let [front, back] = names;
    let number = |f: FacetId| u32::from(!ahead(&body.mesh, f, planes));
    by_number(&body, 2, &number, &|k| if k == 0 { front.clone() } else { back.clone() })
}

/// A box that covers all of the body ahead of a plane, and the plane's direction with length one.
fn half_space(body: &Body, at: Point, normal: Point) -> Result<(Mesh, Point), StepError> {
    let z = unit(normal).filter(|_| at.iter().all(|x| x.is_finite()));
    let z = z.ok_or_else(|| refused("The plane needs a place and a direction that is not 0, 0, 0."))?;
    let aside = if z[0].abs() < 0.9 { [1.0, 0.0, 0.0] } else { [0.0, 1.0, 0.0] };
    let x = unit(cross(aside, z)).unwrap_or([1.0, 0.0, 0.0]);
    let y = cross(z, x);
    let bounds = body.mesh.bounds();
    let far = 2.0 * (bounds.diagonal() + norm(hull_geometry::vector::sub(at, bounds.centre())));
    let mut knife = cuboid([2.0 * far, 2.0 * far, far]);
    for p in &mut knife.points {
        *p = add(at, add(add(scale(x, p[0] - far), scale(y, p[1] - far)), scale(z, p[2])));
    }
    Ok((knife, z))
}

fn by_knife(body: &Body, knife: &Mesh, names: [String; 2], watch: &Watch) -> Result<Vec<(String, Body)>, StepError> {
    let columns = Columns { boundary: ti_vec![NONE; knife.triangles.len()], ..Columns::default() };
    let knife = Body { columns, mesh: knife.clone(), ..Default::default() };
    let mut out = Vec::new();
    for (rule, name) in [Rule::Intersect, Rule::Subtract].into_iter().zip(names) {
        let pair = [("the body".to_string(), body.clone()), ("cut".to_string(), knife.clone())];
        let (merged, body_of) = side_by_side(&pair);
        if let Some((mut piece, _)) = cut(merged, &body_of, vec!["the body", "the cut"], rule, "split", watch)? {
            piece.facts.seams.clear();
            out.push((name, piece));
        }
    }
    Ok(out)
}

fn refused(sentence: impl Into<String>) -> StepError {
    StepError::Refused(sentence.into())
}
