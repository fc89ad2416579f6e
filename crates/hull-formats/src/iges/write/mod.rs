//! Models as IGES 5.3, in one of two forms: solids and shells whose faces share their edges (types 186, 514, 510, 508,
//! 504 and 502), or trimmed surfaces that know nothing of each other (144 and 142). Facets have no place in it.

mod geometry;
mod records;
mod solids;
mod surfaces;

use self::records::{Entry, Parameter, Records, int, number, text};
use crate::Skipped;
use crate::step::write::Written;
use hull_exact::curve::Piece;
use hull_exact::explicit::explicit;
use hull_exact::model::{Model, NodeId, Part, PartId};
use hull_exact::shape::Colour;
use hull_exact::{Frame, Motion};
use hull_geometry::{Cancelled, Unit, Watch};
use std::collections::BTreeMap;
use typed_index_collections::{TiVec, ti_vec};

/// How faces are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Default, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// Solids and shells of faces that share their edges.
    #[default]
    Solids,
    /// Trimmed surfaces, each with bounds of its own: what was joined reads back as loose faces whose edges are the
    /// same, so that joining them again bridges no gap.
    Surfaces,
}

/// Writes a model whose lengths are in `unit`, moved by `placed`, which must bring it there.
///
/// # Errors
/// [`Cancelled`].
pub fn write(
    name: &str,
    model: &Model,
    placed: &Motion,
    unit: Unit,
    form: Form,
    watch: &Watch,
) -> Result<Written, Cancelled> {
    let model = model.rigid(placed);
    let bounds = model.rough_bounds();
    let mut file = File { form, ..File::default() };
    let mut branch: TiVec<NodeId, bool> = ti_vec![false; model.nodes.len()];
    model.nodes.iter().filter_map(|n| n.parent).for_each(|p| branch[p] = true);
    let mut figures: BTreeMap<PartId, i64> = BTreeMap::new();
    // Children stand behind their parents; subfigures need theirs first.
    let mut members: TiVec<NodeId, Vec<i64>> = ti_vec![Vec::new(); model.nodes.len()];
    let total = model.nodes.len().max(1);
    let roots = model.nodes.iter().filter(|n| n.parent.is_none()).count();
    for (i, node) in model.nodes.iter_enumerated().rev() {
        watch.report(0.1 + 0.8 * (total - usize::from(i)) as f64 / total as f64, "writing the parts")?;
        let at_root = node.parent.is_none();
        let part = node.part.map(|p| (p, &model.parts[p]));
        // What stands by itself in a file of one part needs no subfigure; of several parts each is one, so that they stay apart.
        if let (true, false, Some((_, part))) = (at_root && roots == 1, branch[i], part) {
            file.part(part, node.colour, false);
            continue;
        }
        let definition = match (part, branch[i]) {
            (Some((number, part)), false) => match figures.get(&number) {
                Some(&known) => known,
                None => {
                    let own = file.part(part, node.colour, true);
                    let definition = file.figure(&node.name, &own);
                    figures.insert(number, definition);
                    definition
                }
            },
            (part, _) => {
                let mut own: Vec<i64> = part.map(|(_, p)| file.part(p, node.colour, true)).unwrap_or_default();
                own.extend(members[i].iter().rev());
                file.figure(&node.name, &own)
            }
        };
        let frame = match node.parent {
            Some(p) => node.placement.frame.within(&model.nodes[p].placement.frame.inverse()),
            None => Frame::WORLD,
        };
        let instance = file.instance(definition, &frame, !at_root);
        if let Some(parent) = node.parent {
            members[parent].push(instance);
        }
    }
    let loosest = model.parts.iter().map(|p| p.shape.tolerance).fold(0.0, f64::max);
    let least = loosest.max(1e-9 * bounds.diagonal().max(1e-3));
    let reach = bounds.min.into_iter().chain(bounds.max).fold(0.0_f64, |m, x| m.max(x.abs()));
    let bytes = file.records.finish(form.start(), global(name, unit, least, reach));
    Ok(Written { bytes, left_out: file.left_out.list() })
}

impl Form {
    /// The start section.
    fn start(self) -> &'static str {
        match self {
            Form::Solids => "Exact geometry as solids and shells",
            Form::Surfaces => "Exact geometry as trimmed surfaces",
        }
    }
}

/// The global section (table 1): no date, so that the same model gives the same bytes.
fn global(name: &str, unit: Unit, least: f64, reach: f64) -> Vec<Parameter> {
    let (flag, symbol) = match unit {
        Unit::In => (1, "IN"),
        Unit::Mm => (2, "MM"),
        Unit::Ft => (4, "FT"),
        Unit::M => (6, "M"),
        Unit::Cm => (10, "CM"),
    };
    let product = format!("Ready Hull {}", env!("CARGO_PKG_VERSION"));
    vec![
        text(","),
        text(";"),
        text(name),
        text(name),
        text(&product),
        text(&product),
        int(32),
        int(38),
        int(6),
        int(308),
        int(15),
        text(name),
        number(1.0),
        int(flag),
        text(symbol),
        int(1),
        number(0.1),
        text(""),
        number(least),
        number(reach),
        text(""),
        text(""),
        int(11),
        int(0),
        text(""),
    ]
}

#[derive(Default)]
struct LeftOut {
    faces: usize,
    wires: usize,
    facets: usize,
    layers: usize,
}

impl LeftOut {
    fn list(&self) -> Vec<Skipped> {
        Skipped::some(&[
            ("faces without a form in the format", self.faces),
            ("curves without a form in the format", self.wires),
            ("facets", self.facets),
            ("names of layers", self.layers),
        ])
    }
}

#[derive(Default)]
struct File {
    form: Form,
    records: Records,
    colours: BTreeMap<[u32; 3], i64>,
    levels: Vec<String>,
    left_out: LeftOut,
}

impl File {
    /// The entities of a part's solids, faces and wires.
    fn part(&mut self, part: &Part, colour: Option<Colour>, dependent: bool) -> Vec<i64> {
        self.left_out.facets += part.tessellated.iter().map(|t| t.mesh.triangles.len()).sum::<usize>();
        let (shape, _) = explicit(&part.shape);
        let mut out = match self.form {
            Form::Solids => solids::part(self, &shape, colour, dependent),
            Form::Surfaces => surfaces::part(self, &shape, colour, dependent),
        };
        for &w in &shape.wires {
            let edge = &shape.edges[w];
            let Some(id) = geometry::curve(&mut self.records, &Piece { curve: edge.curve.clone(), range: edge.range })
            else {
                self.left_out.wires += 1;
                continue;
            };
            let name = shape.edge_names.get(&w).filter(|n| !n.is_empty());
            let id = name.map_or(id, |name| self.named_curve(id, name));
            if !dependent {
                self.records.set_free(id);
            }
            out.push(id);
        }
        out
    }

    /// What goes behind the parameters of an entity with a name: no associativities, and a property of form 15.
    fn name_property(&mut self, name: &str) -> [Parameter; 3] {
        let property = Entry { kind: 406, form: 15, dependent: true, ..Entry::default() };
        [int(0), int(1), int(self.records.add(&property, [int(1), text(name)]))]
    }

    /// A run of one curve (102) that has a name: the parameters of curves themselves differ from kind to kind.
    fn named_curve(&mut self, curve: i64, name: &str) -> i64 {
        let behind = self.name_property(name);
        let entry = Entry { kind: 102, dependent: true, label: name.into(), ..Entry::default() };
        self.records.add(&entry, [int(1), int(curve)].into_iter().chain(behind))
    }

    /// 314.
    fn colour(&mut self, c: Colour) -> i64 {
        let records = &mut self.records;
        *self.colours.entry(c.map(f32::to_bits)).or_insert_with(|| {
            let entry = Entry { kind: 314, ..Entry::default() };
            records.add(&entry, c.map(|x| number((f64::from(x) * 1e6).round() / 1e4)))
        })
    }

    /// Levels have numbers: a layer that has none gets the next one.
    fn level(&mut self, layer: Option<&str>) -> i64 {
        let Some(layer) = layer else { return 0 };
        if let Some(number) = layer.strip_prefix("level ").and_then(|n| n.parse().ok()) {
            return number;
        }
        let known = self.levels.iter().position(|l| l == layer).unwrap_or_else(|| {
            self.levels.push(layer.to_string());
            self.left_out.layers += 1;
            self.levels.len() - 1
        });
        known as i64 + 1
    }

    /// 308.
    fn figure(&mut self, name: &str, members: &[i64]) -> i64 {
        let entry = Entry { kind: 308, ..Entry::default() };
        let list = members.iter().map(|m| int(*m));
        self.records.add(&entry, [int(0), text(name), int(members.len() as i64)].into_iter().chain(list))
    }

    /// 408.
    fn instance(&mut self, definition: i64, frame: &Frame, dependent: bool) -> i64 {
        let matrix = geometry::matrix(&mut self.records, frame);
        let entry = Entry { kind: 408, matrix, dependent, ..Entry::default() };
        self.records.add(&entry, [int(definition), number(0.0), number(0.0), number(0.0), number(1.0)])
    }
}
