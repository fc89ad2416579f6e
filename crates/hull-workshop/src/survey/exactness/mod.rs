//! Whether the exact figures can be believed: against the facets, and against what the file states itself.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Probe};
use crate::exact_facts::ExactFacts;
use crate::numbers::four_digits;
use crate::say;
use hull_exact::bodies::BodyFigures;
use hull_exact::model::{Model, PartId};
use hull_exact::quadrature;
use hull_exact::shape::{EdgeId, FaceId};
use hull_formats::StatedFigures;
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::{distance, dot, norm};
use hull_geometry::{Cancelled, Point, Watch};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use typed_index_collections::TiVec;

/// Exact figures beside others of the same bodies, in the file's unit.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Exactness {
    /// Bodies whose exact figure differs from that of their facets by more than the deviation explains.
    pub doubtful: Vec<Doubtful>,
    /// What the file states itself (validation properties), beside what was found.
    pub stated: Vec<Stated>,
}

/// A figure of one body that cannot be believed.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Doubtful {
    /// The body's name.
    pub body: String,
    /// “volume” or “area”.
    pub what: String,
    /// By integrals over the exact faces.
    pub exact: f64,
    /// Of the facets.
    pub facets: f64,
    /// How far they may be apart.
    pub explained: f64,
    /// The face that differs most, counted through all places.
    pub face: u32,
}

/// A figure that the file states.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Stated {
    /// The names that lead to the product.
    pub path: String,
    /// “volume”, “area” or “centroid”.
    pub what: String,
    /// What the file says; nothing for a centroid.
    pub stated: f64,
    /// What was found; nothing for a centroid.
    pub found: f64,
    /// The difference as a part of the figure, of a centroid as a part of the product's size.
    pub off: f64,
}

impl Doubtful {
    /// How far apart the two are, in percent of that of the facets.
    pub fn percent_off(&self) -> f64 {
        self.percent((self.exact - self.facets).abs())
    }

    /// How far apart they may be, in percent of that of the facets.
    pub fn percent_explained(&self) -> f64 {
        self.percent(self.explained)
    }

    fn percent(&self, x: f64) -> f64 {
        100.0 * x / self.facets.abs().max(f64::MIN_POSITIVE)
    }
}

impl Stated {
    /// Whether the difference is worth a finding.
    pub fn is_told(&self) -> bool {
        self.off > TOLD
    }
}

/// An exact figure that its own facets contradict.
pub const DOUBTFUL: &KindDef = &KindDef { id: "doubtful_figure", words: "doubtful exact figure" };
/// A figure that is not what the file states.
pub const NOT_AS_STATED: &KindDef = &KindDef { id: "not_as_stated", words: "figure other than the file states" };

/// A difference from what the file states that is told.
pub const TOLD: f64 = 1e-3;

impl Probe for Exactness {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "comparing exact figures with those of the facets";
    const KINDS: &'static [&'static KindDef] = &[DOUBTFUL, NOT_AS_STATED];
    const MEASURES: &'static [MeasureDef] = &[];

    fn look(cx: &Context, watch: &Watch) -> Result<(Exactness, Vec<Finding>), Cancelled> {
        let (Some(exact), Some(facts)) = (cx.body.shown_exact(), &cx.body.facts.exact) else {
            return Ok(Default::default());
        };
        watch.check()?;
        let doubtful = doubtful(cx, &exact.model, exact.placed.scale, facts);
        let stated: Vec<Stated> =
            facts.stated.iter().flat_map(|s| against(s, &exact.model, &facts.figures.bodies)).collect();
        let mut findings = Vec::new();
        for d in &doubtful {
            let facet = cx.body.columns.face.position(|f| *f == d.face).unwrap_or_default();
            let text = format!(
                "the exact {} of {} is {} % from that of its facets, of which the deviation explains {} %; face {} \
                 differs most",
                d.what,
                d.body,
                four_digits(d.percent_off()),
                four_digits(d.percent_explained()),
                d.face + 1
            );
            findings.push(cx.at(DOUBTFUL, facet, 0.1 * cx.diagonal, say![text]));
        }
        for s in stated.iter().filter(|s| s.is_told()) {
            let text =
                format!("the file states another {} of {}: {} % apart", s.what, s.path, four_digits(100.0 * s.off));
            findings.push(cx.anywhere(NOT_AS_STATED, cx.bounds.centre(), 0.5 * cx.bounds.diagonal(), say![text]));
        }
        Ok((Exactness { doubtful, stated }, findings))
    }
}

/// Bodies of which the figures of exact faces and of facets do not belong together: volumes of solids, areas of sheets.
fn doubtful(cx: &Context, model: &Model, scale: f64, facts: &ExactFacts) -> Vec<Doubtful> {
    let (mesh, origin) = (cx.mesh(), cx.mesh().bounds().centre());
    let owners = owners(model);
    let faces = owners.len();
    let (mut areas, mut volumes) = (vec![0.0; faces], vec![0.0; faces]);
    for (t, f) in cx.body.columns.face.iter_enumerated().filter(|(_, f)| (**f as usize) < faces) {
        let n = mesh.area_vector(t);
        let [a, _, _] = mesh.corners(t);
        areas[*f as usize] += 0.5 * norm(n) / scale.powi(2);
        volumes[*f as usize] += dot(hull_geometry::vector::sub(a, origin), n) / 6.0 / scale.powi(3);
    }
    let bodies = &facts.figures.bodies;
    let (mut area, mut volume, mut failed) =
        (vec![0.0; bodies.len()], vec![0.0; bodies.len()], vec![false; bodies.len()]);
    for (f, owner) in owners.iter().enumerate().filter(|(_, o)| (**o as usize) < bodies.len()) {
        area[*owner as usize] += areas[f];
        volume[*owner as usize] += volumes[f];
        // A face without facets is told elsewhere.
        failed[*owner as usize] |= areas[f] == 0.0;
    }
    let deviation = facts.deviation / scale;
    let turned = 1.0 - facts.fineness.angle.to_radians().cos();
    let rims = rims(model, &owners, bodies);
    let mut out: Vec<(u32, Doubtful)> = Vec::new();
    for (i, b) in bodies.iter().enumerate().filter(|(i, b)| !failed[*i] && b.faces > 0) {
        let (what, exact, facets, explained) = if b.solid {
            // Facets keep within the deviation of the surface: what lies between is no more than a layer of that.
            ("volume", b.volume, volume[i].abs(), 1.2 * deviation * b.area + b.volume_error)
        } else {
            ("area", b.area, area[i], 2.0 * deviation * rims[i] + turned * b.area + b.area_error)
        };
        let explained = explained + 1e-6 * facets.abs();
        if (exact - facets).abs() > explained {
            let body = b.name.clone();
            out.push((i as u32, Doubtful { body, what: what.into(), exact, facets, explained, face: 0 }));
            if out.len() == PLACES {
                break;
            }
        }
    }
    name_worst_faces(&mut out, model, facts, &owners, &areas);
    out.into_iter().map(|o| o.1).collect()
}

/// For each face, counted through all places, the number of its body among a model's figures.
fn owners(model: &Model) -> Vec<u32> {
    let mut out = Vec::new();
    let mut body = 0;
    for (_, part) in model.occurrences() {
        let first = out.len();
        out.resize(first + part.shape.faces.len(), u32::MAX);
        for lump in &part.shape.lumps {
            for (f, _) in std::iter::once(&lump.outer).chain(&lump.voids).flat_map(|s| &s.faces) {
                out[first + usize::from(*f)] = body;
            }
            body += 1;
        }
        body += part.tessellated.len() as u32 + u32::from(!part.shape.wires.is_empty());
    }
    out
}

/// For each face, counted through all places, its part and its number there.
fn at_home(model: &Model) -> Vec<(PartId, FaceId)> {
    let parts = model.nodes.iter().filter_map(|n| n.part);
    parts.flat_map(|p| model.parts[p].shape.faces.keys().map(move |f| (p, f))).collect()
}

/// The length of the bounds of each sheet's faces together, by chords; nothing for solids.
fn rims(model: &Model, owners: &[u32], bodies: &[BodyFigures]) -> Vec<f64> {
    let mut out = vec![0.0; bodies.len()];
    for (owner, (part, face)) in owners.iter().zip(at_home(model)) {
        if bodies.get(*owner as usize).is_none_or(|b| b.solid) {
            continue;
        }
        let shape = &model.parts[part].shape;
        let chords = |e: EdgeId| -> f64 {
            let e = &shape.edges[e];
            let at = |i: i32| e.curve.point(e.range[0] + (e.range[1] - e.range[0]) * f64::from(i) / 8.0);
            (0..8).map(|i| distance(at(i), at(i + 1))).sum()
        };
        let loops = &shape.faces[face].loops;
        out[*owner as usize] += loops.iter().flat_map(|l| &l.uses).map(|u| chords(u.edge)).sum::<f64>();
    }
    out
}

/// Names in each doubtful figure the face of its body whose area differs most from that of its facets.
fn name_worst_faces(found: &mut [(u32, Doubtful)], model: &Model, facts: &ExactFacts, owners: &[u32], areas: &[f64]) {
    let mut exact: BTreeMap<PartId, TiVec<FaceId, f64>> = BTreeMap::new();
    let mut worst: BTreeMap<u32, (u32, f64)> = BTreeMap::new();
    for (face, (part, own)) in at_home(model).into_iter().enumerate() {
        let owner = owners[face];
        if !found.iter().any(|f| f.0 == owner) {
            continue;
        }
        let of_part = exact.entry(part).or_insert_with(|| {
            quadrature::of_faces(&model.parts[part].shape, facts.reader).0.iter().map(|f| f.area).collect()
        });
        let off = (of_part[own] - areas[face]).abs();
        let kept = worst.entry(owner).or_insert((face as u32, off));
        if off > kept.1 {
            *kept = (face as u32, off);
        }
    }
    for (owner, d) in found {
        d.face = worst.get(owner).map_or(d.face, |w| w.0);
    }
}

/// What a file states of a product against the bodies that stand under its name, which may be in several places.
fn against(stated: &StatedFigures, model: &Model, bodies: &[BodyFigures]) -> Vec<Stated> {
    let below = format!("{} / ", stated.path);
    let own: Vec<&BodyFigures> =
        bodies.iter().filter(|b| b.name == stated.path || b.name.starts_with(&below)).collect();
    let places = model.nodes.iter().filter(|n| model.path(n) == stated.path).count() as f64;
    if own.is_empty() || places == 0.0 {
        return Vec::new();
    }
    let volume: f64 = own.iter().map(|b| b.volume).sum::<f64>() / places;
    let area: f64 = own.iter().map(|b| b.area).sum::<f64>() / places;
    let line = |what: &str, stated_value: f64, found: f64, off: f64| Stated {
        path: stated.path.clone(),
        what: what.into(),
        stated: stated_value,
        found,
        off,
    };
    let apart = |a: f64, b: f64| (a - b).abs() / a.abs().max(b.abs()).max(f64::MIN_POSITIVE);
    let mut out = Vec::new();
    if let Some(v) = stated.volume {
        out.push(line("volume", v, volume, apart(v, volume)));
    }
    if let Some(a) = stated.area {
        out.push(line("area", a, area, apart(a, area)));
    }
    if let Some(c) = stated.centroid.filter(|_| places == 1.0 && volume > 0.0) {
        let moment = |k: usize| own.iter().map(|b| b.volume * b.centroid[k]).sum::<f64>() / volume;
        let found: Point = [moment(0), moment(1), moment(2)];
        let size = Bounds::of(own.iter().map(|b| b.size).chain([[0.0; 3]])).diagonal();
        out.push(line("centroid", 0.0, 0.0, distance(c, found) / size.max(f64::MIN_POSITIVE)));
    }
    out
}
