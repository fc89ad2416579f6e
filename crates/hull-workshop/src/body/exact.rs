//! The exact geometry that a body keeps beside its facets.

use crate::Body;
use crate::body::numbered::Numbered;
use crate::body::{Boundary, Placed, Scale, Source};
use crate::choices::Counter;
use crate::edges;
use crate::exact_facts::in_file_unit;
pub use crate::exact_facts::{Exact, ExactFacts};
use crate::face_names::FaceNames;
use crate::numbers::{count, counted, four_digits};
use crate::pieces::Piece;
use crate::say;
use crate::sentence::{Sentence, length};
use hull_exact::assembly::{FaceLabel, ModelFacets, usual_fineness};
use hull_exact::edit::{Feature, features};
use hull_exact::fineness::Fineness;
use hull_exact::join_plot::{JoinPlot, join_plot};
use hull_exact::model::PartId;
use hull_exact::parameter_loops::Reader;
use hull_exact::readings::Readings;
use hull_exact::shape::FaceId;
use hull_exact::wires::Wires;
use hull_exact::{Model, Motion};
use hull_formats::Declared;
use hull_formats::{Design, Label, Skipped};
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::{Cancelled, NONE, Watch};
use std::sync::Arc;
use typed_index_collections::{TiSlice, TiVec};

/// The body of a design file, with facets of the fineness given or of one that suits its size.
///
/// STEP declares its unit reliably, so it is taken; IGES does not, so the body has none yet.
///
/// # Errors
/// [`Cancelled`].
pub fn body_of(
    file: &str,
    design: Design,
    fineness: Option<Fineness>,
    reader: Reader,
    watch: &Watch,
) -> Result<Body, Cancelled> {
    received(file, design, fineness, reader, Offer::Choices, watch)
}

/// The same without what other finenesses would make: for those who do not choose.
///
/// # Errors
/// [`Cancelled`].
pub fn body_without_choices(file: &str, design: Design, reader: Reader, watch: &Watch) -> Result<Body, Cancelled> {
    received(file, design, None, reader, Offer::Nothing, watch)
}

/// Whether the facets that other finenesses would make are counted.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Offer {
    Choices,
    Nothing,
}

fn received(
    file: &str,
    design: Design,
    fineness: Option<Fineness>,
    reader: Reader,
    offer: Offer,
    watch: &Watch,
) -> Result<Body, Cancelled> {
    let trusted = design.certain_unit || design.format.starts_with("STEP");
    let scale = design.model.unit.as_ref().filter(|_| trusted).map(Scale::of);
    let placed = Motion::scaling(scale.map_or(1.0, Scale::millimetres));
    let size = design.model.rough_bounds().diagonal() * placed.scale;
    let fineness = fineness.unwrap_or_else(|| usual_fineness(size));
    let declared = Declared { unit: design.model.unit.clone(), certain: trusted, up: None };
    let whole = if design.is_drawing() { design.model } else { edges::connect_sheets(&design.model, watch)? };
    let (model, wires) = whole.split_wires();
    let mut body = Body::default();
    body.facts.source = Source {
        file: file.into(),
        format: design.format,
        faces: design.faces,
        points: 0,
        skipped: design.skipped,
        annotations: design.annotations,
        declared,
    };
    body.facts.scale = scale;
    body.facts.edge_names = [&model, &wires].into_iter().flat_map(|m| edges::names_of((m, &placed))).collect();
    let only_lines = model.parts.is_empty() && !wires.parts.is_empty();
    body.set_wires(Wires { model: wires, placed });
    if !only_lines {
        take(&mut body, Exact { model, placed }, fineness, reader, design.schema, offer, watch)?;
        if let Some(facts) = &mut body.facts.exact {
            facts.stated = design.stated;
        }
    }
    body.facts.source.points = body.mesh.points.len();
    Ok(body)
}

/// Why nothing of a body can be shown: it has neither facets nor pieces.
pub fn nothing_in(body: &Body) -> Option<String> {
    if body.has_surface() || !body.pieces.is_empty() {
        return None;
    }
    let facts = body.facts.exact.as_ref()?;
    let file = &body.facts.source.file;
    Some(match facts.failed.len() {
        0 if facts.figures.faces > 0 => {
            let why =
                body.facts.source.skipped.last().map_or(String::new(), |s| format!("{} {}", count(s.count), s.what));
            format!(
                "{file}: {why}. Take parts out of the assembly in the system that wrote it, and send the rest by itself"
            )
        }
        0 => format!("{file}: the file holds neither faces nor lines"),
        n => format!("{file}: none of the {} faces could be made into facets", count(n)),
    })
}

/// Measures exact geometry, makes its facets and puts both into a body.
fn take(
    body: &mut Body,
    exact: Exact,
    fineness: Fineness,
    reader: Reader,
    schema: String,
    offer: Offer,
    watch: &Watch,
) -> Result<(), Cancelled> {
    watch.report(0.3, "measuring the exact geometry")?;
    let (readings, figures) = Readings::of(&exact.model, reader);
    watch.report(0.4, "making facets")?;
    let mut fineness = fineness;
    let mut made = exact.model.facets(&in_file_unit(&fineness, exact.placed.scale), reader, &exact.placed, watch)?;
    // Parts in very many places are made coarser, as far as that goes.
    while made.too_many.is_some() && fineness.angle < 45.0 {
        fineness = Fineness { deviation: 4.0 * fineness.deviation, angle: 2.0 * fineness.angle, ..fineness };
        made = exact.model.facets(&in_file_unit(&fineness, exact.placed.scale), reader, &exact.placed, watch)?;
    }
    if let Some(n) = made.too_many {
        let places = exact.model.nodes.iter().filter(|n| n.part.is_some()).count();
        let what = format!("{}: more than one body can have", counted(n, "facet"));
        body.facts.source.skipped.push(Skipped { what: format!("places, which would have {what}"), count: places });
    }
    let join = plot_of(&exact.model, watch)?;
    let counter = Counter { exact: &exact, reader, now: fineness, facets: made.mesh.triangles.len(), watch };
    let (choices, by_angle, by_deviation) = match offer {
        Offer::Nothing => Default::default(),
        Offer::Choices => {
            let curves = || rayon::join(|| counter.by_angle(), || counter.by_deviation());
            let (choices, (by_angle, by_deviation)) = rayon::join(|| counter.choices(), curves);
            (choices?, by_angle?, by_deviation?)
        }
    };
    let in_body = |m: Motion, (length, at): (f64, [f64; 3])| {
        let m = exact.placed.after(&m);
        (length * m.scale, m.point(at))
    };
    let mut widths: Vec<(f64, [f64; 3])> =
        all_features(&exact.model).into_iter().map(|(m, f)| in_body(m, (f.diameter, f.centre))).collect();
    widths.sort_by(|a, b| b.0.total_cmp(&a.0));
    let facts = ExactFacts {
        schema,
        declared: exact.model.unit.clone(),
        figures,
        readings,
        reader,
        fineness,
        deviation: made.deviation,
        failed: Vec::new(),
        choices,
        by_angle,
        by_deviation,
        join,
        features: widths,
        edges: edges::listed((&exact.model, &exact.placed)),
        sheet: edges::is_sheet(&exact.model),
        stated: Vec::new(),
        facets_changed: false,
    };
    put(body, exact, facts, made);
    Ok(())
}

/// Puts exact geometry and its facets into a body; names, colours and layers become labels and boundaries.
pub(crate) fn put(body: &mut Body, exact: Exact, facts: ExactFacts, made: ModelFacets) {
    body.facts.exact =
        Some(ExactFacts { deviation: made.deviation, failed: made.failed, facets_changed: false, ..facts });
    set_names(body, &made.labels, &made.label_of);
    body.mesh = made.mesh;
    body.columns.cell = TiVec::new();
    body.columns.face = made.face_of;
    body.exact = Some(Arc::new(exact));
}

/// Makes regions of the lines that enclose some; gives how many.
pub(crate) fn take_regions(body: &mut Body, watch: &Watch) -> Result<usize, Cancelled> {
    let Some(wires) = body.wires().cloned() else { return Ok(0) };
    let (model, rest) = edges::connect_sheets(&wires.model, watch)?.split_wires();
    let faces: usize = model.parts.iter().map(|p| p.shape.faces.len()).sum();
    if faces > 0 {
        let placed = wires.placed;
        body.set_wires(Wires { model: rest, placed });
        let fineness = usual_fineness(model.rough_bounds().diagonal() * placed.scale);
        take(body, Exact { model, placed }, fineness, Reader::Trusting, String::new(), Offer::Choices, watch)?;
    }
    Ok(faces)
}

/// Each place's open edges joined at each tolerance; the proposal of the part with most.
fn plot_of(model: &Model, watch: &Watch) -> Result<JoinPlot, Cancelled> {
    let mut best = JoinPlot::default();
    for part in &model.parts {
        let plot = join_plot(&part.shape, watch)?;
        if plot.open_before > best.open_before {
            best = plot;
        }
    }
    Ok(best)
}

fn all_features(model: &Model) -> Vec<(Motion, Feature)> {
    let of_parts: TiVec<PartId, Vec<Feature>> = model.parts.iter().map(|p| features(&p.shape)).collect();
    let nodes = model.nodes.iter().filter_map(|n| Some((n.placement, n.part?)));
    nodes.flat_map(|(m, p)| of_parts[p].iter().map(move |f| (m, f.clone()))).collect()
}

/// The name under which a face's facets arrive as a boundary.
fn name_of(label: &FaceLabel) -> String {
    let mut name = label.body.clone();
    // A sheet of one face often has that face's name.
    let same = name == label.face || name.ends_with(&format!(" / {}", label.face));
    if !label.face.is_empty() && !same {
        name += &format!(": {}", label.face);
    } else if let Some(layer) = &label.layer {
        name += &format!(": {layer}");
    }
    name
}

/// A colour as style sheets write it, which is also how it is told apart by name.
pub fn colour_name([r, g, b]: [f32; 3]) -> String {
    let byte = |x: f32| (x * 255.0).round() as u8;
    format!("#{:02x}{:02x}{:02x}", byte(r), byte(g), byte(b))
}

/// How much of the path all bodies share, up to the part that tells them apart.
fn shared_path(labels: &[FaceLabel]) -> usize {
    let Some(first) = labels.first() else { return 0 };
    let parts = |l: &FaceLabel| l.body.split(" / ").map(str::len).collect::<Vec<_>>();
    let mut shared = first.body.rfind(" / ").map_or(0, |at| at + 3);
    for l in labels {
        let mut end = 0;
        let own: Vec<usize> = parts(l);
        for length in &own[..own.len() - 1] {
            let next = end + length + 3;
            if next > shared || l.body.as_bytes()[..next] != first.body.as_bytes()[..next] {
                break;
            }
            end = next;
        }
        shared = end;
    }
    shared
}

/// Labels of equal name and colour are one; where a body has several colours, each is a boundary of its own.
fn set_names(body: &mut Body, labels: &[FaceLabel], label_of: &TiSlice<FacetId, u32>) {
    let shared = shared_path(labels);
    // In one body the faces' names say enough.
    let alone = labels.iter().all(|l| l.body == labels[0].body);
    let mut kept: Vec<Label> = Vec::new();
    let mut known = std::collections::HashMap::new();
    let number: Vec<u32> = labels
        .iter()
        .map(|l| {
            let name = if alone && !l.face.is_empty() { l.face.clone() } else { name_of(l)[shared..].to_string() };
            let label = Label { name, material: l.colour.map(colour_name) };
            *known.entry((label.name.clone(), label.material.clone())).or_insert_with(|| {
                kept.push(label);
                kept.len() as u32 - 1
            })
        })
        .collect();
    let mut times: std::collections::HashMap<&str, usize> = std::collections::HashMap::new();
    for l in &kept {
        *times.entry(&l.name).or_default() += 1;
    }
    let several = |l: &Label| times[l.name.as_str()] > 1;
    let names: Vec<String> = kept
        .iter()
        .map(|l| match &l.material {
            Some(colour) if several(l) => format!("{} {colour}", l.name),
            _ => l.name.clone(),
        })
        .collect();
    let mut boundaries: Numbered<&str, Boundary> = Numbered::default();
    let boundary: Vec<u32> =
        names.iter().map(|name| boundaries.number(name, |name| Boundary::from_file(name))).collect();
    let boundaries = boundaries.list();
    body.columns.label = label_of.iter().map(|&l| number[l as usize]).collect();
    // One unnamed whole says nothing: it stays to be named.
    let says = boundaries.len() > 1;
    body.columns.boundary =
        body.columns.label.iter().map(|&l| if says { boundary[l as usize] } else { NONE }).collect();
    body.facts.labels = kept;
    body.facts.boundaries = if says { boundaries } else { Vec::new() };
    body.drop_empty_boundaries();
}

/// Takes changed exact geometry in; `old` gives the number that a face had before.
pub(crate) fn renew(
    body: &mut Body,
    exact: Exact,
    facts: ExactFacts,
    old: impl Fn(u32) -> Option<u32>,
    watch: &Watch,
) -> Result<(), Cancelled> {
    let names = FaceNames::of(body);
    take(body, exact, facts.fineness, facts.reader, facts.schema, Offer::Choices, watch)?;
    names.give_back(body, old);
    Ok(())
}

/// For each face that is left, counted through all places, the number it had among all.
pub(crate) fn old_numbers(model: &Model, left: &TiSlice<PartId, Vec<FaceId>>) -> Vec<u32> {
    let mut out = Vec::new();
    let mut first = 0;
    for part in model.nodes.iter().filter_map(|n| n.part) {
        out.extend(left[part].iter().map(|f| first + f.0));
        first += model.parts[part].shape.faces.len() as u32;
    }
    out
}

pub(crate) fn kept(body: &Body) -> Option<(Exact, ExactFacts)> {
    Some((Exact::clone(body.exact.as_deref()?), body.facts.exact.clone()?))
}

pub(crate) fn facets_sentence(body: &Body) -> Sentence {
    let facts = body.facts.exact.as_ref();
    let (deviation, angle) = facts.map_or((0.0, 0.0), |f| (f.deviation, f.fineness.angle));
    say![
        format!("{} facets; the exact surface is nowhere measured further than ", count(body.mesh.triangles.len())),
        length(deviation),
        format!(" from them, neighbours turn by about {}°.", four_digits(angle)),
    ]
}

impl Body {
    /// The box of the facets and pieces.
    pub fn bounds(&self) -> Bounds {
        self.pieces.iter().map(Piece::bounds).fold(self.mesh.bounds(), Bounds::and)
    }

    /// The exact geometry, if no facets were changed since they were made of it.
    pub(crate) fn shown_exact(&self) -> Option<&Exact> {
        let current = self.facts.exact.as_ref().is_some_and(|e| !e.facets_changed);
        self.exact.as_deref().filter(|_| current)
    }

    /// Exact geometry and pieces follow what is done to the whole body.
    pub(crate) fn move_exact(&mut self, by: Motion) {
        if self.facts.scale.is_some() && by != Motion::NONE {
            let placed = self.facts.placed.get_or_insert(Placed::NONE);
            placed.by = by.after(&placed.by);
        }
        if let Some(exact) = &mut self.exact {
            let exact = Arc::make_mut(exact);
            exact.placed = by.after(&exact.placed);
        }
        self.pieces.iter_mut().for_each(|piece| piece.move_by(&by));
        edges::moved(&mut self.facts.edge_names, &by);
        crate::datums::moved(&mut self.facts.datums, &by);
        crate::measures::moved(&mut self.facts.measures, &by);
        crate::rules::moved(&mut self.facts.rules, &by);
        for seam in &mut self.facts.seams {
            (seam.length, seam.at) = (seam.length * by.scale, by.point(seam.at));
            seam.lines.as_flattened_mut().iter_mut().for_each(|p| *p = by.point(*p));
        }
        if let Some(facts) = &mut self.facts.exact {
            for (length, at) in &mut facts.features {
                (*length, *at) = (*length * by.scale, by.point(*at));
            }
            for e in &mut facts.edges {
                (e.length, e.at) = (e.length * by.scale, by.point(e.at));
            }
        }
        if let Some(facts) = self.facts.exact.as_mut().filter(|_| by.scale != 1.0) {
            facts.deviation *= by.scale;
            let grow = |f: &mut Fineness| {
                f.deviation *= by.scale;
                f.largest = f.largest.map(|x| x * by.scale);
                f.smallest = f.smallest.map(|x| x * by.scale);
            };
            grow(&mut facts.fineness);
            let lists = [&mut facts.choices, &mut facts.by_angle, &mut facts.by_deviation];
            lists.into_iter().flatten().for_each(|c| grow(&mut c.fineness));
        }
    }
}
