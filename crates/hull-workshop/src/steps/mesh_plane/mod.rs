//! Triangles in the regions that lines of one plane enclose.

use crate::Body;
use crate::body::{Boundary, Columns, Seam};
use crate::numbers::{count, counted, fixed, four_digits};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::make_members::pieces;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_fitting::{Kind, Shape, fit};
use hull_flow::plane::{Asked, Finer, Layers, Meshed, Segment, Where, mesh, quads};
use hull_geometry::section::directions;
use hull_geometry::vector::{add, distance, dot, scale, sub};
use hull_geometry::{Mesh, Point};
use serde::{Deserialize, Serialize};

/// Meshes the regions between lines.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct MeshPlane {
    /// Ends this near are one.
    pub tolerance: f64,
    /// Straight pieces are no further than this from a curve.
    pub chord: f64,
    /// Sides of triangles, about.
    pub size: f64,
    /// The least angle wanted, in degrees.
    pub angle: f64,
    /// Whether outlines within outlines are holes.
    pub inner: Inner,
    /// Where triangles are smaller: see [`FINER`].
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub finer: String,
    /// How much larger a triangle may be than its neighbour away from there.
    #[serde(default = "usual_growth", skip_serializing_if = "is_usual_growth")]
    pub growth: f64,
    /// What is made.
    #[serde(default, skip_serializing_if = "Cells::is_usual")]
    pub cells: Cells,
    /// Names of layers whose lines are walls with flat cells along them, with commas between; empty: none.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub layers_along: String,
    /// Height of the first of these cells; 0 where there are none.
    #[serde(default, skip_serializing_if = "is_nothing")]
    pub first_layer: f64,
    /// How many times higher each is than the one before.
    #[serde(default = "usual_layer_growth", skip_serializing_if = "is_usual_layer_growth")]
    pub layer_growth: f64,
    /// How many.
    #[serde(default = "usual_layers", skip_serializing_if = "is_usual_layers")]
    pub layers: f64,
}

/// What the regions are filled with.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Cells {
    /// Triangles.
    #[default]
    Triangles,
    /// Quadrilaterals where two triangles make a good one.
    Quads,
}

impl Cells {
    fn is_usual(&self) -> bool {
        *self == Cells::Triangles
    }
}

fn is_nothing(height: &f64) -> bool {
    *height == 0.0
}

fn usual_layer_growth() -> f64 {
    1.2
}

fn is_usual_layer_growth(growth: &f64) -> bool {
    *growth == usual_layer_growth()
}

fn usual_layers() -> f64 {
    10.0
}

fn is_usual_layers(layers: &f64) -> bool {
    *layers == usual_layers()
}

fn usual_growth() -> f64 {
    1.3
}

fn is_usual_growth(growth: &f64) -> bool {
    *growth == usual_growth()
}

/// How places with smaller triangles are typed.
const FINER: &str =
    "lines of a layer, a place or a region, with the size there: wall = 0.5; 10, 20 = 0.1; region 40, 5 = 2";

/// What an outline within an outline bounds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Inner {
    /// A hole; what lies within that a region again.
    Holes,
    /// A region of its own.
    Regions,
}

/// Lines may stand out of their plane by this part of their size.
const FLAT: f64 = 1e-4;

impl Operation for MeshPlane {
    const NEEDS: Kinds = Kinds::Lines;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Mesh the plane";
    const HELP: &'static str = "Joins the ends of lines in one plane, divides them where they cross and fills the regions \
                                they enclose with triangles of a size and a least angle. Each region becomes a boundary, \
                                the largest first; edges keep the names of their layers.";

    fn title(&self) -> Sentence {
        say!["Mesh the plane, sides about ", length(self.size)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("tolerance", "Join ends within", Quantity::Length, "ends this near are one point"),
            Field::new("chord", "curves within", Quantity::Length, "how far straight pieces may be from a curve"),
            Field::new("size", "sides about", Quantity::Length, "the size of triangles"),
            Field::new(
                "angle",
                "least angle",
                Quantity::Angle(0.0, 30.0),
                "of the triangles; corners of outlines may be sharper",
            )
            .or("25"),
            Field::new(
                "inner",
                "outlines within are",
                Quantity::Choice(&[("holes", "holes"), ("regions", "regions")]),
                "what an outline within an outline bounds",
            )
            .or("holes"),
            Field::new("finer", "finer at", Quantity::Text(0, 2000), FINER).or("").optional(),
            Field::new(
                "growth",
                "growing by",
                Quantity::Number("", 1.01, 3.0),
                "how many times larger than its neighbour a triangle may be away from there",
            )
            .or("1.3"),
            Field::new(
                "cells",
                "cells",
                Quantity::Choice(&[("triangles", "triangles"), ("quads", "mostly quadrilaterals")]),
                "quadrilaterals are made of two triangles where these make a good one",
            )
            .or("triangles"),
            Field::new(
                "layers_along",
                "flat cells along",
                Quantity::Text(0, 2000),
                "walls by the names of their layers, with commas between; nothing for none",
            )
            .or("")
            .optional(),
            Field::new("first_layer", "first one high", Quantity::Length, "the height of the cells at the wall")
                .optional(),
            Field::new(
                "layer_growth",
                "each higher by",
                Quantity::Number("", 1.0, 2.0),
                "how many times higher each layer is than the one below",
            )
            .or("1.2"),
            Field::new("layers", "layers", Quantity::Number("", 1.0, 200.0), "how many layers of flat cells").or("10"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let lines = &seen.survey.lines;
        let size = seen.survey.size.bbox.size();
        let least = size.into_iter().fold(f64::INFINITY, f64::min);
        let diagonal = seen.survey.size.bbox.diagonal();
        if lines.lines == 0 || least > FLAT * diagonal {
            return None;
        }
        let gap = seen.survey.frame.plot.proposal.unwrap_or(diagonal * 1e-6);
        Proposal::possible(MeshPlane {
            tolerance: hull_geometry::plot::round_up(gap),
            chord: seen.part(1.0 / 2000.0),
            size: seen.part(1.0 / 60.0),
            angle: 25.0,
            inner: Inner::Holes,
            finer: String::new(),
            growth: usual_growth(),
            cells: Cells::Triangles,
            layers_along: String::new(),
            first_layer: 0.0,
            layer_growth: usual_layer_growth(),
            layers: usual_layers(),
        })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let Some(wires) = body.wires() else { return Err("The body has no lines.".into()) };
        let (straight, layers) = pieces(wires, self.chord);
        let points: Vec<Point> = straight.iter().flat_map(|p| p.ends).collect();
        let (origin, normal) = plane_of(&points, at)?;
        let [x, y] = directions(normal);
        let flat = |p: Point| {
            let v = sub(p, origin);
            [dot(v, x), dot(v, y)]
        };
        let segments: Vec<Segment> =
            straight.iter().map(|p| Segment { ends: p.ends.map(flat), name: p.layer }).collect();
        at.watch.report(0.2, "meshing the regions")?;
        let asked = Asked {
            tolerance: self.tolerance,
            size: self.size,
            angle: self.angle,
            holes: self.inner == Inner::Holes,
            finer: finer(&self.finer, &layers, self.size, flat)?,
            growth: self.growth,
            layers: self.flat_cells(&layers)?,
        };
        let mut made = mesh(&segments, &asked).map_err(|e| e.to_string())?;
        at.watch.check()?;
        let back = |p: &[f64; 2]| add(origin, add(scale(x, p[0]), scale(y, p[1])));
        let cells = if self.cells == Cells::Quads { quads::join(&mut made) } else { Vec::new() };
        let mut sentence = take(body, &made, &layers, back);
        if !cells.is_empty() {
            let all = cells.last().map_or(0, |c| *c as usize + 1);
            sentence +=
                &format!(" {} of {} are quadrilaterals.", count(made.triangles.len() - all), counted(all, "cell"));
        }
        body.columns.cell = cells.into();
        Ok(sentence.into())
    }
}

impl MeshPlane {
    /// Flat cells along walls, as they are asked for.
    fn flat_cells(&self, layers: &[String]) -> Result<Option<Layers>, String> {
        let names: Vec<&str> = self.layers_along.split(',').map(str::trim).filter(|n| !n.is_empty()).collect();
        if names.is_empty() {
            return Ok(None);
        }
        if self.first_layer <= 0.0 {
            return Err("Flat cells along walls need the height of the first of them.".into());
        }
        let number = |name: &str| {
            let all = || layers.iter().filter(|l| !l.is_empty()).cloned().collect::<Vec<_>>().join(", ");
            let at = layers.iter().position(|l| l == name);
            at.map(|k| k as u32).ok_or_else(|| format!("There is no layer “{name}”: there are {}.", all()))
        };
        let along = names.into_iter().map(number).collect::<Result<_, _>>()?;
        Ok(Some(Layers {
            along,
            first: self.first_layer,
            growth: self.layer_growth,
            count: self.layers.round() as usize,
        }))
    }
}

/// Places with smaller triangles as they were typed.
fn finer(typed: &str, layers: &[String], most: f64, flat: impl Fn(Point) -> [f64; 2]) -> Result<Vec<Finer>, String> {
    let number = |text: &str| text.trim().parse::<f64>().ok().filter(|x| x.is_finite());
    let place = |text: &str| -> Option<[f64; 2]> {
        let all: Vec<f64> = text.split(',').map(number).collect::<Option<_>>()?;
        match all[..] {
            [x, y] => Some(flat([x, y, 0.0])),
            [x, y, z] => Some(flat([x, y, z])),
            _ => None,
        }
    };
    let one = |part: &str| -> Result<Finer, String> {
        let (at, size) = part.rsplit_once('=').ok_or_else(|| format!("“{part}” tells no size: write {FINER}."))?;
        let size = number(size).filter(|s| *s > 0.0 && *s <= most);
        let size = size.ok_or_else(|| {
            format!("The size in “{part}” must be a number greater than 0 and at most that of the rest, {most}.")
        })?;
        let at = at.trim();
        if let Some(k) = layers.iter().position(|l| l == at) {
            return Ok(Finer { at: Where::Line(k as u32), size });
        }
        let found = match at.strip_prefix("region") {
            Some(rest) => place(rest).map(Where::Region),
            None => place(at).map(Where::Point),
        };
        let known = layers.iter().filter(|l| !l.is_empty()).cloned().collect::<Vec<_>>().join(", ");
        let at =
            found.ok_or_else(|| format!("“{at}” is neither a layer nor a place: there are {known}; write {FINER}."))?;
        Ok(Finer { at, size })
    };
    typed.split(';').map(str::trim).filter(|p| !p.is_empty()).map(one).collect()
}

/// The plane that points lie in: of drawings its own, else the one fitted to them.
fn plane_of(points: &[Point], at: &At) -> Result<(Point, Point), Refusal> {
    let bounds = hull_geometry::mesh::Bounds::of(points.iter().copied());
    let (size, diagonal) = (bounds.size(), bounds.diagonal());
    if let Some(k) = (0..3).rev().find(|&k| size[k] <= 1e-9 * diagonal) {
        let (mut origin, mut normal) = ([0.0; 3], [0.0; 3]);
        origin[k] = bounds.min[k];
        normal[k] = 1.0;
        return Ok((origin, normal));
    }
    let found = fit(Kind::Plane, points, &[], at.watch).map_err(|e| e.to_string())?;
    let Shape::Plane { at: origin, normal } = found.shape else { return Err("The lines tell no plane.".into()) };
    if found.largest > FLAT * diagonal {
        return Err(say![
            "The lines do not lie in one plane: the farthest is ",
            length(found.largest),
            " off. Leave out the layers that stand elsewhere, or take a section first."
        ]
        .into());
    }
    Ok((origin, normal))
}

/// Takes the mesh in place of the lines.
fn take(body: &mut Body, made: &Meshed, layers: &[String], back: impl Fn(&[f64; 2]) -> Point) -> String {
    let points: Vec<Point> = made.points.iter().map(&back).collect();
    let name = |k: usize| if made.areas.len() == 1 { "region".to_string() } else { format!("region {}", k + 1) };
    body.facts.boundaries = (0..made.areas.len()).map(|k| Boundary::new(name(k), None, "enclosed")).collect();
    body.facts.labels.clear();
    body.facts.exact = None;
    body.facts.edge_names.clear();
    body.facts.seams = layers
        .iter()
        .enumerate()
        .filter_map(|(k, layer)| {
            let own = made.edges.iter().filter(|e| e.1 as usize == k);
            let lines: Vec<[Point; 2]> = own.map(|e| e.0.map(|p| points[p as usize])).collect();
            let first = lines.first()?[0];
            let length = lines.iter().map(|l| distance(l[0], l[1])).sum();
            let name = if layer.is_empty() { "lines".into() } else { layer.clone() };
            Some(Seam { name, edges: lines.len(), length, at: first, lines })
        })
        .collect();
    body.exact = None;
    body.columns = Columns { boundary: made.region_of.clone().into(), ..Columns::default() };
    body.mesh = Mesh::from_arrays(points, made.triangles.clone());
    body.pieces.clear();
    let areas: Vec<String> = made.areas.iter().take(4).map(|a| four_digits(*a)).collect();
    let mut said = format!(
        "{} in {} of area {}{}, least angle {}°.",
        counted(made.triangles.len(), "triangle"),
        counted(made.areas.len(), "region"),
        areas.join(", "),
        if made.areas.len() > 4 { " …" } else { "" },
        fixed(made.least_angle, 1)
    );
    if !made.complete {
        said += " The wanted angle was not reached everywhere.";
    }
    if let Some((p, gap)) = made.loose.first() {
        let p = back(p);
        said += &format!(
            " {} meet no other: one at {}, {} from the next.",
            counted(made.loose.len(), "end"),
            p.map(four_digits).join(", "),
            four_digits(*gap)
        );
    }
    said
}
