//! The body: geometry with everything that is known about its facets.

pub mod alike;
pub mod choices;
pub mod datums;
pub mod edges;
pub mod exact;
pub mod exact_facts;
pub mod face_names;
mod held;
pub mod measures;
pub mod neighbours;
pub mod numbered;
pub(crate) mod outline;
pub mod pieces;
pub mod readings;
pub mod rules;
pub mod selection;
pub mod size;
mod usual_diameters;

use crate::body::numbered::Numbered;
use crate::exact_facts::{Exact, ExactFacts};
use crate::pieces::Piece;
use crate::sentence::LengthUnit;
use hull_exact::Motion;
use hull_exact::model::DeclaredUnit;
use hull_exact::parameter_loops::Reader;
use hull_exact::wires::Wires;
use hull_formats::{Content, Declared, Label, Received, ReceivedPoints, Skipped};
use hull_geometry::transform::Matrix;
use hull_geometry::{Cancelled, FacetId, Mesh, NONE, Point, Rebuilt, Unit, Watch, transform};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::str::FromStr;
use std::sync::Arc;
use typed_index_collections::{TiSlice, TiVec};

/// What a boundary is to the solver.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Role {
    /// Flow comes in.
    Inlet,
    /// Flow goes out.
    Outlet,
    /// Nothing passes.
    Wall,
    /// The other half is alike.
    Symmetry,
    /// Held.
    Support,
    /// Pushed or pulled.
    Load,
    /// Touches another body.
    Contact,
}

impl Role {
    /// All of them.
    pub const ALL: [Role; 7] =
        [Role::Inlet, Role::Outlet, Role::Wall, Role::Symmetry, Role::Support, Role::Load, Role::Contact];

    /// As it is written.
    pub fn name(self) -> &'static str {
        match self {
            Role::Inlet => "inlet",
            Role::Outlet => "outlet",
            Role::Wall => "wall",
            Role::Symmetry => "symmetry",
            Role::Support => "support",
            Role::Load => "load",
            Role::Contact => "contact",
        }
    }

    /// The role that a name speaks of: the one whose word it contains.
    pub fn guess(name: &str) -> Option<Role> {
        let name = name.to_lowercase();
        let words: Vec<&str> = name.split(|c: char| !c.is_alphabetic()).collect();
        Role::ALL.into_iter().find(|r| words.contains(&r.name()))
    }
}

impl FromStr for Role {
    type Err = String;

    fn from_str(text: &str) -> Result<Role, String> {
        Role::ALL.into_iter().find(|r| r.name() == text).ok_or_else(|| format!("“{text}” is not a role"))
    }
}

/// A named region of a body.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Boundary {
    /// As people call it.
    pub name: String,
    /// What it is to the solver.
    pub role: Option<Role>,
    /// Where it came from: “file”, “picked”, “rest”.
    pub from: String,
    /// Its colour in the view, by number, where somebody chose one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub colour: Option<u8>,
}

impl Boundary {
    /// A boundary in the colour that its number gives it.
    pub fn new(name: impl Into<String>, role: Option<Role>, from: &str) -> Boundary {
        Boundary { name: name.into(), role, from: from.into(), colour: None }
    }

    /// A name that a file brings, with the role that it says.
    pub fn from_file(name: &str) -> Boundary {
        Boundary::new(name, Role::guess(name), "file")
    }
}

/// What is known about the file a body came from.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Source {
    /// Its name.
    pub file: String,
    /// Its format, as people call it.
    pub format: String,
    /// As the file counts them.
    pub faces: usize,
    /// As the file counts them.
    pub points: usize,
    /// What could not be used.
    pub skipped: Vec<Skipped>,
    /// What the file says to people about the shape, as dimensions and tolerances: no geometry.
    #[serde(default)]
    pub annotations: Vec<Skipped>,
    /// What a file of facets or points says of its numbers and axes; of exact geometry that stands with it.
    #[serde(default, skip_serializing_if = "Declared::is_nothing")]
    pub declared: Declared,
}

/// How file units became millimetres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Scale {
    /// The file was made in it.
    Unit(Unit),
    /// Millimetres in one file unit, from a measured distance.
    Factor(f64),
}

impl Scale {
    /// The unit that a file declares: one of those there are, or its factor.
    pub fn of(declared: &DeclaredUnit) -> Scale {
        let known = Unit::ALL.into_iter().find(|k| k.millimetres() == declared.millimetres);
        known.map_or(Scale::Factor(declared.millimetres), Scale::Unit)
    }

    /// In one file unit.
    pub fn millimetres(self) -> f64 {
        match self {
            Scale::Unit(unit) => unit.millimetres(),
            Scale::Factor(factor) => factor,
        }
    }
}

/// A requirement that somebody decided to let pass.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Waiver {
    /// Its id in the destination.
    pub requirement: String,
    /// Why it may pass.
    pub reason: String,
    /// Who decided.
    pub by: String,
}

/// The name of the exact edge whose middle is nearest to a place.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct EdgeName {
    /// As people call it.
    pub name: String,
    /// In the body's unit and place.
    pub at: Point,
}

/// A flow, and the first layer of cells that follows from it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Flow {
    /// In words: fluid, temperature, speed, length.
    pub said: String,
    /// What was asked for, in SI units.
    pub asked: hull_flow::first_layer::Asked,
    /// What follows.
    pub layers: hull_flow::first_layer::Layers,
}

impl Flow {
    /// What follows from it, in a sentence.
    pub fn told(&self) -> String {
        use crate::numbers::four_digits;
        let l = &self.layers;
        let mm = |metres: f64| four_digits(metres * 1000.0);
        format!(
            "{}: Reynolds number {}, {} skin friction {}. First point {} mm from the wall for y⁺ {}, first cell {} mm \
             high; boundary layer {} mm thick, {} layers of together {} mm.",
            self.said,
            four_digits(l.reynolds),
            if l.turbulent { "turbulent" } else { "laminar" },
            four_digits(l.skin_friction),
            mm(l.first_point),
            four_digits(self.asked.y_plus),
            mm(l.first_cell),
            mm(l.thickness),
            l.count,
            mm(l.height),
        )
    }
}

/// A loop of edges along which bodies that were made one meet.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Seam {
    /// From the names of both sides.
    pub name: String,
    /// How many.
    pub edges: usize,
    /// Along it.
    pub length: f64,
    /// One of its points.
    pub at: Point,
    /// Its straight pieces, in the body's unit and place; of a very long one only the figures are kept.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub lines: Vec<[Point; 2]>,
}

/// How the whole of a body lies against where it lay when its unit was set.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub struct Placed {
    /// Turns, moves, mirrors and changes of scale as one motion, in millimetres.
    pub by: Motion,
    /// Whether it was stretched along axes besides: no motion says that.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub stretched: bool,
}

impl Placed {
    /// Where it lay.
    pub const NONE: Placed = Placed { by: Motion::NONE, stretched: false };
}

/// What is known of a body besides its arrays.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Facts {
    /// Where the body came from.
    pub source: Source,
    /// `None` until the unit is set: geometry is in file units until then, in millimetres afterwards.
    pub scale: Option<Scale>,
    /// The file's axes that are up and forward now, once they were chosen.
    pub axes: Option<[String; 2]>,
    /// All turns so far, as one rotation (rows).
    #[serde(default = "identity")]
    pub rotation: Matrix,
    /// How far the body was moved, summed, in millimetres.
    pub moved: [f64; 3],
    /// All of that as one motion, if there was any since the unit was set.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub placed: Option<Placed>,
    /// Names and colours of the file.
    pub labels: Vec<Label>,
    /// Named regions.
    pub boundaries: Vec<Boundary>,
    /// How boundaries were named, in order: run again on the next revision.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rules: Vec<rules::Rule>,
    /// Requirements that were let pass.
    pub waivers: Vec<Waiver>,
    /// Names of exact edges.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub edge_names: Vec<EdgeName>,
    /// Loops along which bodies met that were made one.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub seams: Vec<Seam>,
    /// The flow that the body is for, with the layers that follow at its walls.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub flow: Option<Flow>,
    /// Fitted shapes under names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub datums: Vec<datums::Datum>,
    /// Distances and thicknesses under names.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub measures: Vec<measures::NamedMeasure>,
    /// What is known of the exact geometry, where the file had some.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub exact: Option<ExactFacts>,
}

impl Facts {
    /// The unit that the file declares, whatever it holds.
    pub fn declared_unit(&self) -> Option<&DeclaredUnit> {
        self.exact.as_ref().and_then(|e| e.declared.as_ref()).or(self.source.declared.unit.as_ref())
    }

    /// What lengths of the body are said in.
    pub fn length_unit(&self) -> LengthUnit {
        if self.scale.is_some() { LengthUnit::Millimetres } else { LengthUnit::FileUnits }
    }
}

fn identity() -> Matrix {
    [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
}

impl Default for Facts {
    fn default() -> Facts {
        Facts {
            source: Source::default(),
            scale: None,
            axes: None,
            rotation: identity(),
            moved: [0.0; 3],
            placed: None,
            labels: Vec::new(),
            boundaries: Vec::new(),
            rules: Vec::new(),
            waivers: Vec::new(),
            edge_names: Vec::new(),
            seams: Vec::new(),
            flow: None,
            datums: Vec::new(),
            measures: Vec::new(),
            exact: None,
        }
    }
}

/// What is known of each facet: numbers, one a facet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Columns {
    /// Cell number; empty if every facet is its own cell.
    pub cell: TiVec<FacetId, u32>,
    /// Index into `facts.labels`; empty if all have label 0.
    pub label: TiVec<FacetId, u32>,
    /// Index into `facts.boundaries`; [`NONE`] where unnamed.
    pub boundary: TiVec<FacetId, u32>,
    /// Exact face ([`NONE`] for new facets); empty if there is no exact geometry.
    pub face: TiVec<FacetId, u32>,
}

impl Columns {
    /// The columns of facets that came from others: `origin` is what each was before, [`NONE`] for new ones, which get the
    /// label `filled`, a cell each, no boundary and no exact face.
    #[must_use]
    pub fn of_origins(&self, origin: &TiSlice<FacetId, FacetId>, filled: u32) -> Columns {
        let fresh = origin.contains(&FacetId::NONE);
        let pick = |column: &TiSlice<FacetId, u32>, new: u32| -> TiVec<FacetId, u32> {
            let of = |&o: &FacetId| column.get(o).copied().unwrap_or(if o == FacetId::NONE { new } else { 0 });
            origin.iter().map(of).collect()
        };
        let mut next = self.cell.iter().max().map_or(0, |m| m + 1);
        let mut cell = |&o: &FacetId| {
            if o != FacetId::NONE {
                return self.cell[o];
            }
            next += 1;
            next - 1
        };
        Columns {
            cell: if self.cell.is_empty() { TiVec::new() } else { origin.iter().map(&mut cell).collect() },
            label: if fresh || !self.label.is_empty() { pick(&self.label, filled) } else { TiVec::new() },
            boundary: pick(&self.boundary, NONE),
            face: if self.face.is_empty() { TiVec::new() } else { pick(&self.face, NONE) },
        }
    }
}

/// One thing being prepared.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Body {
    /// What is known besides the arrays.
    pub facts: Facts,
    /// The surface.
    pub mesh: Mesh,
    /// What is known of each facet.
    pub columns: Columns,
    /// Exact geometry, where the file had some.
    pub exact: Option<Arc<Exact>>,
    /// Geometry of other kinds than the surface, each a piece.
    pub pieces: Vec<Piece>,
    /// Other bodies beside it that a step asks for; not kept with it.
    pub beside: Vec<neighbours::Neighbour>,
}

impl Body {
    /// The body as received. Names from the file arrive as boundaries, with a role where the name says one.
    pub fn from_received(file: &str, received: Received) -> Body {
        let names: Vec<String> = received.labels.iter().map(region_name).collect();
        let mut boundaries: Numbered<&str, Boundary> = Numbered::default();
        let number: Vec<u32> = names
            .iter()
            .map(|name| match name.as_str() {
                "" => NONE,
                name => boundaries.number(name, |_| Boundary::from_file(name)),
            })
            .collect();
        let boundaries = boundaries.list();
        let label = |f: FacetId| received.label_of.get(f).copied().unwrap_or(0) as usize;
        let boundary_of =
            received.mesh.triangles.keys().map(|f| number.get(label(f)).copied().unwrap_or(NONE)).collect();
        let (lines, declared) = (received.lines, received.declared);
        let scale = declared.unit.as_ref().filter(|_| declared.certain).map(Scale::of);
        let mut body = Body {
            facts: Facts {
                source: Source {
                    file: file.into(),
                    format: received.format.to_string(),
                    faces: received.faces_in_file,
                    points: received.points_in_file,
                    skipped: received.skipped,
                    annotations: Vec::new(),
                    declared,
                },
                labels: received.labels,
                boundaries,
                ..Default::default()
            },
            mesh: received.mesh,
            columns: Columns {
                cell: received.cell_of,
                label: received.label_of,
                boundary: boundary_of,
                face: TiVec::new(),
            },
            exact: None,
            pieces: Vec::new(),
            beside: Vec::new(),
        };
        body.set_wires(Wires { model: lines, placed: Motion::NONE });
        body.take_scale(scale);
        body
    }

    /// Takes the unit that is known at arrival.
    fn take_scale(&mut self, scale: Option<Scale>) {
        if let Some(scale) = scale {
            transform::enlarge(&mut self.mesh, scale.millimetres());
            self.move_exact(Motion::scaling(scale.millimetres()));
            self.facts.scale = Some(scale);
        }
    }

    /// A body of whatever a file holds; design geometry gets facets that suit its size.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(file: &str, content: Content, watch: &Watch) -> Result<Body, Cancelled> {
        Ok(match content {
            Content::Facets(received) => Body::from_received(file, received),
            Content::Exact(design) => exact::body_of(file, *design, None, Reader::Trusting, watch)?,
            Content::Points(received) => Body::from_points(file, received),
        })
    }

    /// A body of points without facets.
    pub fn from_points(file: &str, received: ReceivedPoints) -> Body {
        let points = received.cloud.points.len();
        let (file, skipped, declared) = (file.into(), received.skipped, received.declared);
        let scale = declared.unit.as_ref().filter(|_| declared.certain).map(Scale::of);
        let source =
            Source { file, format: received.format, faces: 0, points, skipped, annotations: Vec::new(), declared };
        let mut body = Body {
            facts: Facts { source, ..Default::default() },
            pieces: vec![Piece::Points(Arc::new(received.cloud))],
            ..Default::default()
        };
        body.take_scale(scale);
        body
    }

    /// A facet's label.
    pub fn label(&self, facet: FacetId) -> u32 {
        self.columns.label.get(facet).copied().unwrap_or(0)
    }

    /// Takes rebuilt facets; labels, boundaries and cells follow from their origins. New facets get the
    /// label `filled` and no boundary.
    pub fn take_rebuilt(&mut self, rebuilt: Rebuilt) {
        let filled = if rebuilt.origin.contains(&FacetId::NONE) { self.label_named("filled") } else { 0 };
        self.columns = self.columns.of_origins(&rebuilt.origin, filled);
        self.mesh = rebuilt.mesh;
    }

    /// One number for facets of one label and one boundary, whose line to others is to stay where it is.
    pub(crate) fn named_alike(&self) -> TiVec<FacetId, u32> {
        let mut number = BTreeMap::new();
        let of = |list: &TiSlice<FacetId, u32>, f: FacetId| list.get(f).copied().unwrap_or(NONE);
        self.mesh
            .triangles
            .keys()
            .map(|f| {
                let next = number.len() as u32;
                *number.entry((of(&self.columns.label, f), of(&self.columns.boundary, f))).or_insert(next)
            })
            .collect()
    }

    fn label_named(&mut self, name: &str) -> u32 {
        let labels = &mut self.facts.labels;
        let at = labels.iter().position(|l| l.name == name && l.material.is_none()).unwrap_or_else(|| {
            labels.push(Label { name: name.into(), material: None });
            labels.len() - 1
        });
        at as u32
    }

    /// The facets of boundary `number` ([`NONE`]: the unnamed ones), ascending.
    pub fn facets_of(&self, number: u32) -> Vec<FacetId> {
        self.columns.boundary.keys().filter(|&f| self.columns.boundary[f] == number).collect()
    }

    /// Forgets boundaries that have no facets.
    pub fn drop_empty_boundaries(&mut self) {
        let mut used = vec![false; self.facts.boundaries.len()];
        for &b in self.columns.boundary.iter().filter(|b| **b != NONE) {
            used[b as usize] = true;
        }
        let mut number = vec![NONE; used.len()];
        for (kept, (i, _)) in used.iter().enumerate().filter(|(_, u)| **u).enumerate() {
            number[i] = kept as u32;
        }
        let mut keep = used.iter();
        self.facts.boundaries.retain(|_| *keep.next().unwrap_or(&true));
        for b in self.columns.boundary.iter_mut().filter(|b| **b != NONE) {
            *b = number[*b as usize];
        }
    }
}

/// The name under which a label arrives as a region.
pub(crate) fn region_name(label: &Label) -> String {
    match &label.material {
        Some(material) if label.name.is_empty() => material.clone(),
        Some(material) if label.name != *material => format!("{} {material}", label.name),
        _ => label.name.clone(),
    }
}
