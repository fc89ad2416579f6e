//! A body as a STEP or IGES file, read back and compared.

use crate::comparison::{Comparison, HandoverError};
use crate::edges;
use crate::face_names::FaceNames;
use crate::numbers::{fixed, long};
use crate::{Body, body::Scale};
use hull_exact::assembly::{ModelFigures, usual_fineness};
use hull_exact::join_plot::join_as_proposed;
use hull_exact::model::{Model, Node, Part, PartId, Tessellated};
use hull_exact::parameter_loops::Reader;
use hull_exact::{Motion, Shape};
use hull_formats::step::Schema;
use hull_formats::{Skipped, iges, step};
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::topology::Topology;
use hull_geometry::{Cancelled, Mesh, NONE, Unit, Watch, measure};
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiVec, ti_vec};

/// A form of exchange for design geometry.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum DesignForm {
    /// ISO 10303.
    Step(Schema),
    /// IGES 5.3 with solids and shells.
    Iges,
    /// IGES 5.3 with trimmed surfaces alone, for readers that know no solids.
    #[serde(rename = "iges-surfaces")]
    IgesSurfaces,
}

impl DesignForm {
    /// All of them, the oldest STEP first.
    pub const ALL: [DesignForm; 5] = [
        DesignForm::Step(Schema::Ap203),
        DesignForm::Step(Schema::Ap214),
        DesignForm::Step(Schema::Ap242),
        DesignForm::Iges,
        DesignForm::IgesSurfaces,
    ];

    /// As it stands in an address or behind an option.
    pub fn key(self) -> String {
        match self {
            DesignForm::Step(s) => s.name().to_lowercase(),
            DesignForm::Iges => "iges".into(),
            DesignForm::IgesSurfaces => "iges-surfaces".into(),
        }
    }

    /// The form of a key.
    pub fn named(key: &str) -> Option<DesignForm> {
        DesignForm::ALL.into_iter().find(|f| f.key() == key)
    }

    /// As people call it.
    pub fn title(self) -> String {
        match self {
            DesignForm::Step(s) => format!("STEP {}", s.name()),
            DesignForm::Iges => "IGES".into(),
            DesignForm::IgesSurfaces => "IGES, surfaces only".into(),
        }
    }

    /// What it can carry, as a line.
    pub const fn carries(self) -> &'static str {
        match self {
            DesignForm::Step(s) => s.carries(),
            DesignForm::Iges => "names, colours and levels of solids and shells whose faces share their edges",
            DesignForm::IgesSurfaces => "names, colours and levels of trimmed surfaces that know nothing of each other",
        }
    }

    fn ending(self) -> &'static str {
        if self.iges().is_some() { "igs" } else { "step" }
    }

    /// How IGES is written, where it is.
    pub fn iges(self) -> Option<iges::Form> {
        match self {
            DesignForm::Step(_) => None,
            DesignForm::Iges => Some(iges::Form::Solids),
            DesignForm::IgesSurfaces => Some(iges::Form::Surfaces),
        }
    }
}

/// A file that was written and read back.
#[derive(Clone, Debug)]
pub struct Exported {
    /// Its file's name.
    pub name: String,
    /// The file.
    pub bytes: Vec<u8>,
    /// Whether exact geometry was written; else facets.
    pub exact: bool,
    /// What the form has no place for.
    pub left_out: Vec<Skipped>,
    /// What was sent against what was read back.
    pub comparison: Vec<Comparison>,
}

/// What is to be written: a model with the motion that brings it to millimetres (or to file units, where the body's
/// unit is not set), and whether it is exact.
pub fn model_of(body: &Body) -> (Model, Motion, bool) {
    let names = &body.facts.edge_names;
    match (body.shown_exact(), body.wires()) {
        (Some(exact), wires) => {
            let all = wires.map_or_else(|| exact.model.clone(), |w| exact.model.with_wires(&w.model));
            let model = edges::with_names(all, &exact.placed, names);
            (named(&model, &FaceNames::of(body)), exact.placed, true)
        }
        (None, Some(wires)) if !body.has_surface() => {
            (edges::with_names(wires.model.clone(), &wires.placed, names), wires.placed, true)
        }
        (None, _) => (of_facets(body), Motion::NONE, false),
    }
}

/// The model with the names that people gave to its faces. A part that stands in several places has one name a face:
/// that of the first place where it has one.
fn named(model: &Model, names: &FaceNames) -> Model {
    let mut out = model.clone();
    let mut done = vec![false; model.parts.iter().map(|p| p.shape.faces.len()).sum()];
    let starts: TiVec<PartId, usize> = model
        .parts
        .iter()
        .scan(0, |at, p| {
            *at += p.shape.faces.len();
            Some(*at - p.shape.faces.len())
        })
        .collect();
    let mut first = 0;
    for part in model.nodes.iter().filter_map(|n| n.part) {
        let faces = &mut out.parts[part].shape.faces;
        for (f, face) in faces.raw.iter_mut().enumerate() {
            let at = starts[part] + f;
            if let Some(b) = names.given(first + f as u32).filter(|_| !done[at]) {
                face.name.clone_from(&b.name);
                done[at] = true;
            }
        }
        first += faces.len() as u32;
    }
    out
}

/// The facets of each boundary as a piece of one part; unnamed ones go by their label.
fn of_facets(body: &Body) -> Model {
    let mut pieces: Vec<(u32, u32, TiVec<FacetId, [PointId; 3]>)> = Vec::new();
    let mut known = std::collections::HashMap::new();
    for (f, t) in body.mesh.triangles.iter_enumerated() {
        let boundary = body.columns.boundary[f];
        let label = if boundary == NONE { body.label(f) } else { NONE };
        let at = *known.entry((boundary, label)).or_insert_with(|| {
            pieces.push((boundary, label, TiVec::new()));
            pieces.len() - 1
        });
        pieces[at].2.push(*t);
    }
    let tessellated = pieces
        .into_iter()
        .map(|(boundary, label, triangles)| {
            let mut mesh = Mesh { points: body.mesh.points.clone(), triangles };
            mesh.drop_unused_points();
            let own = body.facts.labels.get(label as usize).map(|l| l.name.clone());
            let name = body.facts.boundaries.get(boundary as usize).map(|b| b.name.clone()).or(own);
            Tessellated { name: name.unwrap_or_default(), colour: None, mesh }
        })
        .collect();
    let name = body.facts.source.file.clone();
    let part = Part { name: name.clone(), shape: Shape::default(), tessellated };
    let node = Node { name, parent: None, part: Some(PartId(0)), placement: Motion::NONE, colour: None };
    Model { parts: ti_vec![part], nodes: ti_vec![node], unit: None }
}

/// Writes a body in a unit, reads it back and compares.
///
/// # Errors
/// [`HandoverError`]: the body's unit is not set, the form has no place for its geometry, cancelled, or what was
/// written does not read back as it was sent.
pub fn export(stem: &str, body: &Body, unit: Unit, form: DesignForm, watch: &Watch) -> Result<Exported, HandoverError> {
    if body.facts.scale.map(Scale::millimetres).is_none() {
        return Err(HandoverError::Failed("set the body's unit first: the file declares one".into()));
    }
    let (model, placed, exact) = model_of(body);
    let placed = Motion::scaling(1.0 / unit.millimetres()).after(&placed);
    let reader = body.facts.exact.as_ref().map_or(Reader::Trusting, |e| e.reader);
    export_model(stem, &model, &placed, unit, form, reader, exact, watch)
}

/// Writes a model whose placement by `placed` is in `unit`, reads it back and compares.
///
/// # Errors
/// As [`export`].
#[allow(clippy::too_many_arguments)]
pub fn export_model(
    stem: &str,
    model: &Model,
    placed: &Motion,
    unit: Unit,
    form: DesignForm,
    reader: Reader,
    exact: bool,
    watch: &Watch,
) -> Result<Exported, HandoverError> {
    if form.iges().is_some() && !exact {
        let why = "IGES has no place for facets, and this body's exact geometry is gone or was never there; write \
                   STEP AP242, STL, OBJ or PLY";
        return Err(HandoverError::Failed(why.into()));
    }
    let cancelled = |e: Cancelled| HandoverError::Failed(e.to_string());
    let name = format!("{stem}.{}", form.ending());
    let written = match form {
        DesignForm::Step(schema) => step::write(&name, model, placed, unit, schema, watch),
        DesignForm::Iges => iges::write(&name, model, placed, unit, iges::Form::Solids, watch),
        DesignForm::IgesSurfaces => iges::write(&name, model, placed, unit, iges::Form::Surfaces, watch),
    }
    .map_err(cancelled)?;
    watch.report(0.6, "reading the file back").map_err(cancelled)?;
    let read = match form {
        DesignForm::Step(_) => step::read(&name, &written.bytes, watch),
        DesignForm::Iges | DesignForm::IgesSurfaces => iges::read(&name, &written.bytes, watch),
    };
    let back = read.map_err(|e| HandoverError::Different(e.to_string()))?.model;
    let sent = model.rigid(placed);
    let mut comparison = if exact {
        let back =
            if form == DesignForm::IgesSurfaces { joined(&back, watch).map_err(cancelled)? } else { back.clone() };
        compare_exact(&sent, &back, reader, form)
    } else {
        compare_facets(&sent, &back, watch).map_err(cancelled)?
    };
    let declared = back.unit.as_ref().map_or(String::new(), |u| u.name.clone());
    comparison.push(Comparison {
        figure: "declared unit".into(),
        sent: unit.name().into(),
        same: declared == unit.name(),
        read_back: declared,
    });
    if let Some(wrong) = comparison.iter().find(|c| !c.same) {
        let reason = format!("{}: sent {}, read back {}", wrong.figure, wrong.sent, wrong.read_back);
        return Err(HandoverError::Different(reason));
    }
    Ok(Exported { name, bytes: written.bytes, exact, left_out: written.left_out, comparison })
}

/// Faces that were written one by one, joined again.
fn joined(model: &Model, watch: &Watch) -> Result<Model, Cancelled> {
    model.with_parts(|part| Ok(Part { shape: join_as_proposed(&part.shape, watch)?, ..part.clone() }))
}

fn measure_row(figure: &str, sent: f64, back: f64, slack: f64) -> Comparison {
    Comparison {
        figure: figure.into(),
        sent: long(sent),
        read_back: long(back),
        same: (sent - back).abs() <= slack * sent.abs().max(f64::MIN_POSITIVE),
    }
}

fn box_row(sent: &Bounds, back: &Bounds, slack: f64) -> Comparison {
    let ends = |b: &Bounds| b.min.into_iter().chain(b.max).collect::<Vec<_>>();
    let shown = |b: &Bounds| ends(b).iter().map(|x| fixed(*x, 6)).collect::<Vec<_>>().join(", ");
    let reach = slack * sent.diagonal();
    Comparison {
        figure: "box".into(),
        sent: shown(sent),
        read_back: shown(back),
        same: ends(sent).iter().zip(ends(back)).all(|(a, b)| (a - b).abs() <= reach),
    }
}

fn compare_exact(sent: &Model, back: &Model, reader: Reader, form: DesignForm) -> Vec<Comparison> {
    let (a, b): (ModelFigures, ModelFigures) = (sent.figures(reader), back.figures(reader));
    let bounds = (sent.rough_bounds(), back.rough_bounds());
    // Where a gap was bridged, edges lie off their surfaces by it.
    let bridged = sent.parts.iter().map(|p| p.shape.tolerance).fold(0.0, f64::max);
    let slack = 1e-6 + 10.0 * bridged / bounds.0.diagonal().max(f64::MIN_POSITIVE);
    let names = |m: &Model| m.parts.iter().flat_map(|p| &p.shape.faces).filter(|f| !f.name.is_empty()).count();
    // IGES bounds have curves without names; curves that stand for themselves have theirs.
    let written = |shape: &Shape| match form {
        DesignForm::Iges | DesignForm::IgesSurfaces => {
            shape.wires.iter().filter(|w| shape.edge_names.contains_key(w)).count()
        }
        DesignForm::Step(_) => shape.edge_names.len(),
    };
    let edges = |m: &Model| m.parts.iter().map(|p| written(&p.shape)).sum::<usize>();
    let mut rows = vec![
        Comparison::number("solids", a.solids, b.solids),
        Comparison::number("faces", a.faces, b.faces),
        Comparison::number("open edges", a.open_edges, b.open_edges),
        Comparison::number("parts", used_parts(sent), used_parts(back)),
        Comparison::number("places", sent.occurrences().count(), back.occurrences().count()),
        Comparison::number("named faces", names(sent), names(back)),
        measure_row("area", a.area, b.area, slack),
        measure_row("volume", a.volume, b.volume, slack),
        box_row(&bounds.0, &bounds.1, slack),
    ];
    if a.curves > 0 {
        rows.push(Comparison::number("curves without faces", wires(sent), wires(back)));
        rows.push(measure_row("their length", a.curve_length, b.curve_length, slack));
    }
    if edges(sent) > 0 {
        rows.push(Comparison::number("named edges", edges(sent), edges(back)));
    }
    rows
}

/// Curves that bound no face; a chain is one.
fn wires(m: &Model) -> usize {
    m.occurrences().map(|(_, p)| p.shape.wires.len()).sum()
}

fn used_parts(m: &Model) -> usize {
    let used: std::collections::BTreeSet<PartId> = m.nodes.iter().filter_map(|n| n.part).collect();
    used.len()
}

fn compare_facets(sent: &Model, back: &Model, watch: &Watch) -> Result<Vec<Comparison>, Cancelled> {
    let mesh = |m: &Model| -> Result<Mesh, Cancelled> {
        // Planar triangles are one facet each, whatever the fineness.
        let fineness = hull_exact::fineness::Fineness { even: false, ..usual_fineness(m.rough_bounds().diagonal()) };
        Ok(m.facets(&fineness, Reader::Trusting, &Motion::NONE, watch)?.mesh)
    };
    let (a, b) = (mesh(sent)?, mesh(back)?);
    let (topology_a, topology_b) = (Topology::of(&a, watch)?, Topology::of(&b, watch)?);
    let (mass_a, mass_b) = (measure::mass(&a, &a.bounds()), measure::mass(&b, &b.bounds()));
    let flat = topology_a.zero_area.len();
    Ok(vec![
        Comparison::number("facets", a.triangles.len() - flat, b.triangles.len() - topology_b.zero_area.len()),
        Comparison::number("open edges", topology_a.open.len(), topology_b.open.len()),
        Comparison::number("shells", topology_a.shells, topology_b.shells),
        measure_row("area", mass_a.area, mass_b.area, 1e-9),
        measure_row("volume", mass_a.volume, mass_b.volume, 1e-9),
        box_row(&a.bounds(), &b.bounds(), 1e-12),
    ])
}
