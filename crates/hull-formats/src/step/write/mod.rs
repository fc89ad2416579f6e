//! Models as STEP files.
//!
//! AP203 (edition 1) carries names and geometry, AP214 colours and layers besides, AP242 facets as facets besides.

mod facets;
mod geometry;
pub mod lines;
mod looks;
mod product;
mod topology;

use self::lines::Lines;
use self::looks::Looks;
use self::product::{Common, Product};
use self::topology::{Item, Writer};
use crate::Skipped;
use hull_exact::Motion;
use hull_exact::explicit::explicit;
use hull_exact::model::{Model, Node, NodeId, Part, PartId};
use hull_exact::shape::Colour;
use hull_geometry::{Cancelled, Unit, Watch};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::str::FromStr;
use typed_index_collections::{TiVec, ti_vec};

/// The application protocol that a file is written in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Schema {
    /// Configuration controlled design.
    Ap203,
    /// Automotive design.
    Ap214,
    /// Managed model based engineering.
    Ap242,
}

impl Schema {
    /// All of them, the oldest first.
    pub const ALL: [Schema; 3] = [Schema::Ap203, Schema::Ap214, Schema::Ap242];

    /// As people write it.
    pub fn name(self) -> &'static str {
        match self {
            Schema::Ap203 => "AP203",
            Schema::Ap214 => "AP214",
            Schema::Ap242 => "AP242",
        }
    }

    /// What a file of it can carry, as a line.
    pub const fn carries(self) -> &'static str {
        match self {
            Schema::Ap203 => "names and geometry",
            Schema::Ap214 => "colours and layers besides",
            Schema::Ap242 => "colours, layers, facets as facets",
        }
    }

    fn declared(self) -> &'static str {
        match self {
            Schema::Ap203 => "CONFIG_CONTROL_DESIGN",
            Schema::Ap214 => "AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }",
            Schema::Ap242 => "AP242_MANAGED_MODEL_BASED_3D_ENGINEERING_MIM_LF { 1 0 10303 442 1 1 4 }",
        }
    }

    fn has_colours(self) -> bool {
        self != Schema::Ap203
    }
}

impl FromStr for Schema {
    type Err = String;

    fn from_str(text: &str) -> Result<Schema, String> {
        let known = Schema::ALL.into_iter().find(|s| s.name().eq_ignore_ascii_case(text));
        known.ok_or_else(|| format!("“{text}” is not a form of STEP that is written; use ap203, ap214 or ap242"))
    }
}

/// A written file, and what of the model it does not carry.
#[derive(Clone, Debug, PartialEq)]
pub struct Written {
    /// The file.
    pub bytes: Vec<u8>,
    /// What the schema has no place for.
    pub left_out: Vec<Skipped>,
}

/// Writes a model whose lengths are in `unit`, moved by `placed`, which must bring it there.
///
/// Parts stay stored once for each size in which they stand. The text depends on the model alone: no dates in it.
///
/// # Errors
/// [`Cancelled`].
pub fn write(
    name: &str,
    model: &Model,
    placed: &Motion,
    unit: Unit,
    schema: Schema,
    watch: &Watch,
) -> Result<Written, Cancelled> {
    let model = model.rigid(placed);
    let mut lines = Lines::default();
    let loosest = model.parts.iter().map(|p| p.shape.tolerance).fold(0.0, f64::max);
    let least = 1e-9 * model.rough_bounds().diagonal().max(1e-3);
    let common = Common::new(&mut lines, schema, unit, loosest.max(least));
    let mut file = File { lines, common, looks: Looks::default(), schema, left_out: LeftOut::default() };
    let products = file.parts(&model, watch)?;
    file.tree(&model, products);
    file.common.finish(&mut file.lines);
    file.looks.finish(&mut file.lines, file.common.context);
    let head = format!(
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('exact and facetted geometry'),'2;1');\nFILE_NAME({},'',(''),(''),\
         'Ready Hull {}','Ready Hull','');\nFILE_SCHEMA(('{}'));\nENDSEC;\nDATA;\n",
        lines::text(name),
        env!("CARGO_PKG_VERSION"),
        schema.declared()
    );
    let bytes = [head.as_bytes(), file.lines.text.as_bytes(), b"ENDSEC;\nEND-ISO-10303-21;\n"].concat();
    Ok(Written { bytes, left_out: file.left_out.list() })
}

#[derive(Default)]
struct LeftOut {
    faces: usize,
    flat_facets: usize,
    colours: usize,
    layers: usize,
}

impl LeftOut {
    fn list(&self) -> Vec<Skipped> {
        Skipped::some(&[
            ("faces without a form in the format", self.faces),
            ("facets without area", self.flat_facets),
            ("colours", self.colours),
            ("layers", self.layers),
        ])
    }
}

struct File {
    lines: Lines,
    common: Common,
    looks: Looks,
    schema: Schema,
    left_out: LeftOut,
}

impl File {
    /// One product for each part that has no children of its own where it stands.
    fn parts(&mut self, model: &Model, watch: &Watch) -> Result<TiVec<PartId, Option<Leaf>>, Cancelled> {
        let mut out = TiVec::with_capacity(model.parts.len());
        let total = model.parts.len().max(1);
        for (i, part) in model.parts.iter_enumerated() {
            watch.report(0.1 + 0.8 * f64::from(i.0) / total as f64, "writing the parts")?;
            let places: Vec<&Node> = model.nodes.iter().filter(|n| n.part == Some(i)).collect();
            let Some(first) = places.first() else {
                out.push(None);
                continue;
            };
            // What all places have is the part's own colour; else each has it where it is.
            let varied = places.iter().any(|n| n.colour != first.colour);
            let shared = if varied { None } else { first.colour };
            out.push(Some(self.part(part, &first.name, shared, varied && self.schema.has_colours(), watch)?));
            if varied && !self.schema.has_colours() {
                self.left_out.colours += places.iter().filter(|n| n.colour.is_some()).count();
            }
        }
        Ok(out)
    }

    /// `colour` is for what has none of its own; if `varied`, its places have different ones.
    fn part(
        &mut self,
        part: &Part,
        name: &str,
        colour: Option<Colour>,
        varied: bool,
        watch: &Watch,
    ) -> Result<Leaf, Cancelled> {
        let mut plain = Vec::new();
        let (shape, _) = explicit(&part.shape);
        let mut writer = Writer::new(&mut self.lines, &shape);
        let items = writer.items();
        let (faces, missing) = (writer.face_records(), writer.left_out);
        self.left_out.faces += missing;
        let mut ids = Vec::new();
        let (mut closed, mut open) = (0, 0);
        for item in &items {
            match *item {
                Item::Lump { id, lump } => {
                    ids.push(id);
                    let lump = &shape.lumps[lump];
                    *(if lump.closed { &mut closed } else { &mut open }) += 1;
                    self.colour(id, lump.colour.or(colour));
                    plain.extend(lump.colour.is_none().then_some(id));
                }
                Item::Wires { id } => {
                    ids.push(id);
                    open += 1;
                    closed += 1;
                }
            }
        }
        for (face, id) in faces {
            let face = &shape.faces[face];
            self.colour(id, face.colour);
            if let Some(layer) = &face.layer {
                match self.schema.has_colours() {
                    true => self.looks.layer(id, layer),
                    false => self.left_out.layers += 1,
                }
            }
        }
        let mut kind = match (closed > 0, open > 0) {
            (true, false) => "ADVANCED_BREP_SHAPE_REPRESENTATION",
            (false, true) => "MANIFOLD_SURFACE_SHAPE_REPRESENTATION",
            _ => "SHAPE_REPRESENTATION",
        };
        if !part.tessellated.is_empty() {
            let exact = !ids.is_empty();
            if self.schema == Schema::Ap242 {
                let (id, pieces) = facets::tessellated(&mut self.lines, name, &part.tessellated, watch)?;
                ids.push(id);
                for (t, piece) in part.tessellated.iter().zip(pieces) {
                    self.colour(piece, t.colour.or(colour));
                    plain.extend(t.colour.is_none().then_some(piece));
                }
                kind = if exact { "SHAPE_REPRESENTATION" } else { "TESSELLATED_SHAPE_REPRESENTATION" };
            } else {
                let (id, flat) = facets::faceted(&mut self.lines, name, &part.tessellated, watch)?;
                ids.push(id);
                self.left_out.flat_facets += flat;
                let own = part.tessellated.iter().find_map(|t| t.colour);
                self.colour(id, own.or(colour));
                plain.extend(own.is_none().then_some(id));
                kind = if exact { "SHAPE_REPRESENTATION" } else { "FACETED_BREP_SHAPE_REPRESENTATION" };
            }
        }
        let product = self.common.product(&mut self.lines, name, kind, &ids);
        let plain = plain.into_iter().filter(|_| varied);
        let varied = plain.map(|item| (item, self.looks.plain(&mut self.lines, item))).collect();
        Ok(Leaf { product, varied, names: BTreeMap::from([(name.to_string(), product)]) })
    }

    fn colour(&mut self, item: usize, colour: Option<Colour>) {
        match colour {
            Some(c) if self.schema.has_colours() => {
                self.looks.colour(&mut self.lines, item, c);
            }
            Some(_) => self.left_out.colours += 1,
            None => {}
        }
    }

    /// Products for branches, and every place below its parent.
    fn tree(&mut self, model: &Model, mut leaves: TiVec<PartId, Option<Leaf>>) {
        let mut branch: TiVec<NodeId, bool> = ti_vec![false; model.nodes.len()];
        model.nodes.iter().filter_map(|n| n.parent).for_each(|p| branch[p] = true);
        let mut of: TiVec<NodeId, Option<Product>> = TiVec::with_capacity(model.nodes.len());
        for (i, node) in model.nodes.iter_enumerated() {
            let mut own = node.part.and_then(|p| leaves[p].as_mut());
            let product = match &mut own {
                Some(leaf) if !branch[i] => leaf.named(&node.name, &mut self.lines, &mut self.common),
                own => {
                    let assembly = self.common.product(&mut self.lines, &node.name, "SHAPE_REPRESENTATION", &[]);
                    if let Some(own) = own {
                        let (name, at) = (&node.name, &Motion::NONE);
                        let place = self.common.occurrence(&mut self.lines, 0, name, assembly, own.product, at);
                        self.colour_place(own, place, node.colour);
                    }
                    assembly
                }
            };
            if let Some(parent) = node.parent
                && let Some(outer) = of[parent]
            {
                let frame = node.placement.frame.within(&model.nodes[parent].placement.frame.inverse());
                let at = Motion { frame, scale: 1.0 };
                let place = self.common.occurrence(&mut self.lines, i.into(), &node.name, outer, product, &at);
                if let Some(leaf) = own.filter(|_| !branch[i]) {
                    self.colour_place(leaf, place, node.colour);
                }
            } else if own.is_some_and(|leaf| !branch[i] && !leaf.varied.is_empty()) && node.colour.is_some() {
                // What stands in nothing has no place that could have a colour.
                self.left_out.colours += 1;
            }
            of.push(Some(product));
        }
    }

    fn colour_place(&mut self, leaf: &Leaf, place: usize, colour: Option<Colour>) {
        for &item in leaf.varied.iter().filter(|_| colour.is_some()) {
            self.looks.colour_in_place(&mut self.lines, item, place, colour.unwrap_or_default());
        }
    }
}

/// The product of a part, and its items that have other colours in other places, with their styles.
struct Leaf {
    product: Product,
    varied: Vec<(usize, usize)>,
    /// Products of the same shape by the names that its places have.
    names: BTreeMap<String, Product>,
}

impl Leaf {
    fn named(&mut self, name: &str, lines: &mut Lines, common: &mut Common) -> Product {
        let first = self.product;
        *self.names.entry(name.to_string()).or_insert_with(|| common.namesake(lines, name, first))
    }
}
