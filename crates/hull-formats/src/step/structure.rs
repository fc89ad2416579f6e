//! STEP structure: units, representations, products, assemblies, and how items look.

use super::geometry::Geometry;
use super::looks;
use super::part21::{Entity, File, Names, Value};
use super::stated::{self, Stated};
use super::topology::{Builder, Looks};
use super::units::{self, Units};
use crate::design::{Design, StatedFigures};
use crate::{ReadError, Skipped, extent};
use hull_exact::Motion;
use hull_exact::model::{DeclaredUnit, Model, Node, NodeId, Part, PartId};
use hull_exact::shape::Colour;
use hull_geometry::Watch;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use typed_index_collections::TiVec;

/// Assemblies within assemblies beyond this are refused.
const DEEPEST: usize = 32;
/// More places than this are refused: a few assemblies that multiply each other.
const MOST_NODES: usize = 200_000;

/// Reads a STEP file.
///
/// # Errors
/// [`ReadError`] if it is no STEP file or holds no geometry that can be used.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Design, ReadError> {
    let file = File::index(name, bytes, watch)?;
    watch.report(0.2, "reading units, names and colours")?;
    let geometry = Geometry::new(&file);
    let index = Index::of(&file);
    let looks = looks::read(&geometry, |kind| index.all(kind).to_vec());
    let mut reader = Reader {
        geometry: &geometry,
        index: &index,
        looks: &looks,
        units: HashMap::new(),
        parts: TiVec::new(),
        faces: 0,
        given_up: 0,
        part_of: HashMap::new(),
        overridden: BTreeSet::new(),
        stated: Vec::new(),
    };
    let mut design = Design { schema: schema(&file), entities: file.len(), ..Default::default() };
    design.format = format!("STEP{}", short_schema(&design.schema).map_or(String::new(), |s| format!(" {s}")));
    design.model = reader.model(watch)?;
    if let Some(value) = geometry.out_of_bounds() {
        return Err(extent::refused(name, bytes, value));
    }
    design.stated = std::mem::take(&mut reader.stated);
    let annotations = index.annotations.iter();
    design.annotations = annotations.map(|(what, count)| Skipped { what: (*what).into(), count: *count }).collect();
    design.faces = reader.faces;
    design.faces_given_up = reader.given_up;
    let mut skipped = geometry.take_skipped();
    if reader.given_up > 0 {
        skipped.insert("faces that cannot be used".into(), reader.given_up);
    }
    design.skipped = skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect();
    if design.model.nodes.iter().all(|n| n.part.is_none()) {
        let why = match design.skipped.as_slice() {
            [] => "it has no solids, shells, surfaces, curves or facets".to_string(),
            list => {
                let list: Vec<String> = list.iter().take(6).map(|s| format!("{} {}", s.count, s.what)).collect();
                format!("what it has could not be used: {}", list.join(", "))
            }
        };
        return Err(ReadError::whole(name, format!("the file holds no geometry; {why}")));
    }
    Ok(design)
}

fn schema(file: &File) -> String {
    let named = file.header.iter().find(|(n, _)| n.eq_ignore_ascii_case("FILE_SCHEMA"));
    let list = named.and_then(|(_, p)| p.first()?.list());
    let texts = list.unwrap_or(&[]).iter().filter_map(|v| v.text().map(|t| t.into_owned()));
    texts.collect::<Vec<_>>().join(", ")
}

/// The application protocol that a schema name belongs to.
fn short_schema(schema: &str) -> Option<&'static str> {
    let upper = schema.to_ascii_uppercase();
    let known = [
        ("CONFIG_CONTROL_DESIGN", "AP203"),
        ("AP203", "AP203"),
        ("AUTOMOTIVE_DESIGN", "AP214"),
        ("AP214", "AP214"),
        ("AP242", "AP242"),
    ];
    // The second edition of AP203 has a schema of another name.
    if upper.contains("AP203_CONFIGURATION_CONTROLLED_3D_DESIGN") {
        return Some("AP203 edition 2");
    }
    known.into_iter().find(|(part, _)| upper.contains(part)).map(|(_, short)| short)
}

/// The entities that structure hangs on, by kind.
struct Index {
    by_kind: HashMap<&'static str, Vec<u64>>,
    /// What is said to people about the shape, counted.
    annotations: BTreeMap<&'static str, usize>,
}

const KINDS: [&str; 17] = [
    "SHAPE_DEFINITION_REPRESENTATION",
    "PROPERTY_DEFINITION_REPRESENTATION",
    "CONTEXT_DEPENDENT_SHAPE_REPRESENTATION",
    "REPRESENTATION_RELATIONSHIP",
    "NEXT_ASSEMBLY_USAGE_OCCURRENCE",
    "STYLED_ITEM",
    "OVER_RIDING_STYLED_ITEM",
    "CONTEXT_DEPENDENT_OVER_RIDING_STYLED_ITEM",
    "PRESENTATION_LAYER_ASSIGNMENT",
    "MAPPED_ITEM",
    "SHAPE_REPRESENTATION",
    "MANIFOLD_SOLID_BREP",
    "FACETED_BREP",
    "BREP_WITH_VOIDS",
    "SHELL_BASED_SURFACE_MODEL",
    "FACE_BASED_SURFACE_MODEL",
    "GEOMETRIC_CURVE_SET",
];

const RELATIONSHIPS: [&str; 2] =
    ["SHAPE_REPRESENTATION_RELATIONSHIP", "REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION"];

impl Index {
    fn of(file: &File) -> Index {
        let mut by_kind: HashMap<&'static str, Vec<u64>> = HashMap::new();
        let mut annotations = BTreeMap::new();
        for (id, names) in file.names() {
            if let Some(what) = stated::annotation(&names) {
                *annotations.entry(what).or_default() += 1;
            }
            // Every kind of shape representation counts as one.
            let is_shape =
                |n: &str| n.to_ascii_uppercase().ends_with("SHAPE_REPRESENTATION") && !n.starts_with("CONTEXT");
            let shape = match &names {
                Names::One(n) => n.len() >= 20 && is_shape(n),
                Names::Several(all) => all.iter().any(|n| is_shape(n)),
            };
            if shape {
                by_kind.entry("SHAPE_REPRESENTATION").or_default().push(id);
                continue;
            }
            for kind in KINDS {
                // Simple ones only have the name of their own kind.
                let relates = kind == "REPRESENTATION_RELATIONSHIP" && RELATIONSHIPS.iter().any(|r| names.has(r));
                if names.has(kind) || relates {
                    by_kind.entry(kind).or_default().push(id);
                }
            }
        }
        Index { by_kind, annotations }
    }

    fn all(&self, kind: &str) -> &[u64] {
        self.by_kind.get(kind).map_or(&[], Vec::as_slice)
    }
}

struct Reader<'g, 'a> {
    geometry: &'g Geometry<'a>,
    index: &'g Index,
    looks: &'g Looks,
    units: HashMap<u64, Units>,
    parts: TiVec<PartId, Part>,
    /// Representation to its part.
    part_of: HashMap<u64, Option<PartId>>,
    /// Representations of which a place has a colour over their own.
    overridden: BTreeSet<u64>,
    faces: usize,
    given_up: usize,
    /// What the file says of its products' volumes and areas.
    stated: Vec<StatedFigures>,
}

/// A child of a representation: another one, placed.
#[derive(Clone)]
struct Child {
    representation: u64,
    placement: Motion,
    name: Option<String>,
    colour: Option<Colour>,
}

impl<'a> Reader<'_, 'a> {
    fn model(&mut self, watch: &Watch) -> Result<Model, ReadError> {
        let of_properties = self.representations_of_properties();
        let all = || self.index.all("SHAPE_REPRESENTATION").iter().copied();
        let representations: Vec<u64> = match all().any(|r| !of_properties.contains(&r)) {
            true => all().filter(|r| !of_properties.contains(r)).collect(),
            false => all().collect(),
        };
        let named = self.names_of_representations();
        let (same, children) = self.relations();
        // Representations that only say the same again are read as one.
        let mut group: BTreeMap<u64, Vec<u64>> = BTreeMap::new();
        for &r in &representations {
            group.entry(root_of(&same, r)).or_default().push(r);
        }
        let unit = self.main_unit(&group);
        let mut model = Model { unit: unit.clone(), ..Default::default() };
        let mut placed: BTreeMap<u64, Vec<Child>> = BTreeMap::new();
        let mut is_child = HashSet::new();
        for (parent, child) in children {
            let (parent, representation) = (root_of(&same, parent), root_of(&same, child.representation));
            if parent != representation {
                is_child.insert(representation);
                placed.entry(parent).or_default().push(Child { representation, ..child });
            }
        }
        self.mapped_items(&group, &same, &named, &mut placed, &mut is_child);
        // What stands in the shape of a product, or in what is placed, is read there; a representation of nothing that has the
        // same item again, as for an annotation, adds nothing.
        let is_used = |root: &u64, members: &[u64]| {
            is_child.contains(root) || placed.contains_key(root) || members.iter().any(|m| named.contains_key(m))
        };
        let used = group.iter().filter(|(root, members)| is_used(root, members));
        let taken: HashSet<u64> = used
            .flat_map(|(_, members)| members)
            .filter_map(|m| self.geometry.entity(*m))
            .flat_map(|e| items(&e))
            .collect();
        let nothing = HashSet::new();
        let total = group.len().max(1);
        for (i, (root, members)) in group.iter().enumerate() {
            let taken = if is_used(root, members) { &nothing } else { &taken };
            watch.report(0.25 + 0.7 * i as f64 / total as f64, "reading the parts")?;
            let name = members.iter().find_map(|m| named.get(m).cloned()).unwrap_or_default();
            self.read_part(*root, members, name, unit.as_ref(), taken, watch)?;
        }
        let names: HashMap<u64, String> = group
            .iter()
            .filter_map(|(root, members)| Some((*root, members.iter().find_map(|m| named.get(m))?.clone())))
            .collect();
        let roots: Vec<u64> = group.keys().copied().filter(|r| !is_child.contains(r)).collect();
        // A file in which everything is somebody's child goes round in a circle: take what has parts.
        let roots = if roots.is_empty() { group.keys().copied().collect() } else { roots };
        for root in roots {
            let mut chain = Vec::new();
            let child = Child { representation: root, placement: Motion::NONE, name: None, colour: None };
            self.place(&mut model.nodes, &placed, &names, &child, None, Motion::NONE, &mut chain);
        }
        if model.nodes.iter().all(|n| n.part.is_none()) {
            self.read_without_structure(&mut model, watch)?;
        }
        self.take_stated(&model, &same, &names);
        model.drop_empty_branches();
        // Placements were gathered in millimetres; parts are in the file's unit.
        let unit = model.unit.as_ref().map_or(1.0, |u| u.millimetres);
        for node in &mut model.nodes {
            node.placement = in_millimetres(&node.placement, 1.0 / unit);
        }
        model.parts = std::mem::take(&mut self.parts);
        let overridden: BTreeSet<PartId> =
            self.overridden.iter().filter_map(|r| *self.part_of.get(&root_of(&same, *r))?).collect();
        for part in overridden {
            if !model.colour_places(part) {
                self.geometry.skip("colours of single places of parts with several colours");
            }
        }
        Ok(model)
    }

    /// Takes the validation properties of products, by the path to where they stand first.
    fn take_stated(&mut self, model: &Model, same: &HashMap<u64, u64>, names: &HashMap<u64, String>) {
        let unit = model.unit.as_ref().map_or(1e-3, |u| u.millimetres * 1e-3);
        let stated = stated::of_products(self.geometry, self.index.all("PROPERTY_DEFINITION_REPRESENTATION"), unit);
        let representation_of: HashMap<u64, u64> = self.shapes_of_products().map(|(r, d)| (d, r)).collect();
        for (definition, (whole, of_solids)) in stated {
            let Some(root) = representation_of.get(&definition).map(|r| root_of(same, *r)) else { continue };
            let part = self.part_of.get(&root).copied().flatten();
            let is_it = |n: &&Node| match part {
                Some(_) => n.part == part,
                None => n.part.is_none() && names.get(&root) == Some(&n.name),
            };
            let Some(node) = model.nodes.iter().find(is_it) else { continue };
            let solids = part.and_then(|p| self.parts.get(p)).map_or(0, |p| p.shape.solids().count());
            let together = Stated::sum(of_solids.values(), solids);
            let figures = Stated {
                volume: whole.volume.or(together.volume),
                area: whole.area.or(together.area),
                centroid: whole.centroid.or(together.centroid),
            };
            if figures == Stated::default() {
                continue;
            }
            // Centroids are stated where the product is at home.
            let at_home = node.placement == Motion::NONE;
            self.stated.push(StatedFigures {
                path: model.path(node),
                volume: figures.volume.map(|v| v / unit.powi(3)),
                area: figures.area.map(|a| a / unit.powi(2)),
                centroid: figures.centroid.filter(|_| at_home).map(|c| c.map(|x| x / unit)),
            });
        }
    }

    /// Representations of what is said of a product or of a part of its shape, as validation properties and annotations are:
    /// they show items of the shape again, and are no geometry of their own.
    fn representations_of_properties(&self) -> HashSet<u64> {
        let (mut shapes, mut properties) = (HashSet::new(), HashSet::new());
        for kind in ["SHAPE_DEFINITION_REPRESENTATION", "PROPERTY_DEFINITION_REPRESENTATION"] {
            for &id in self.index.all(kind) {
                let Some(e) = self.geometry.entity(id) else { continue };
                let (Some(of), Some(used)) = (self.geometry.dereference(e.get(0)), e.get(1).and_then(Value::reference))
                else {
                    continue;
                };
                // The shape of a product, or of a place in an assembly; not that of an aspect of a shape.
                let is_shape = of.is("PRODUCT_DEFINITION_SHAPE")
                    && self.geometry.dereference(of.get(2)).is_none_or(|d| !d.is("SHAPE_ASPECT"));
                if is_shape {
                    shapes.insert(used)
                } else {
                    properties.insert(used)
                };
            }
        }
        properties.retain(|r| !shapes.contains(r));
        properties
    }

    /// Product names, by representation.
    fn names_of_representations(&self) -> HashMap<u64, String> {
        let mut out = HashMap::new();
        for (representation, definition) in self.shapes_of_products() {
            if let Some(name) = self.product_name(definition) {
                out.entry(representation).or_insert(name);
            }
        }
        out
    }

    /// Representations with the product definitions whose shape they are.
    fn shapes_of_products(&self) -> impl Iterator<Item = (u64, u64)> + '_ {
        self.index.all("SHAPE_DEFINITION_REPRESENTATION").iter().filter_map(|&id| {
            let e = self.geometry.entity(id)?;
            let shape = self.geometry.dereference(e.get(0))?;
            Some((e.get(1)?.reference()?, shape.get(2)?.reference()?))
        })
    }

    /// PRODUCT_DEFINITION → formation → PRODUCT: its name, or its number.
    fn product_name(&self, definition: u64) -> Option<String> {
        let definition = self.geometry.entity(definition)?;
        let formation = self.geometry.dereference(definition.get(2))?;
        let product = self.geometry.dereference(formation.get(2))?;
        let p = product.part("PRODUCT")?;
        let text = |i: usize| p.get(i).and_then(Value::text).filter(|t| !t.trim().is_empty());
        text(1).or_else(|| text(0)).map(|t| t.into_owned())
    }

    /// Which representations are the same, and which are children of which.
    fn relations(&mut self) -> (HashMap<u64, u64>, Vec<(u64, Child)>) {
        let mut same: HashMap<u64, u64> = HashMap::new();
        let mut children = Vec::new();
        let representation_of: HashMap<u64, u64> = self.shapes_of_products().map(|(r, d)| (d, r)).collect();
        let mut placed_relations = BTreeSet::new();
        let shapes: HashSet<u64> = self.index.all("SHAPE_REPRESENTATION").iter().copied().collect();
        for &id in self.index.all("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION") {
            let Some(e) = self.geometry.entity(id) else { continue };
            let Some(relation) = self.geometry.dereference(e.get(0)) else { continue };
            placed_relations.insert(relation.id);
            let usage = self.geometry.dereference(e.get(1)).and_then(|s| self.geometry.dereference(s.get(2)));
            let related = usage.as_ref().and_then(|u| u.get(4)?.reference());
            let child = related.and_then(|d| representation_of.get(&d).copied());
            // Products may share one shape under names of their own.
            let own = usage.as_ref().and_then(|u| u.get(1)?.text()).unwrap_or_default();
            let name = related.and_then(|d| self.product_name(d)).map(|product| with_occurrence(product, &own));
            let known_as = [Some(id), Some(relation.id), usage.as_ref().map(|u| u.id)];
            let look = known_as.into_iter().flatten().find_map(|i| self.looks.places.get(&i).copied());
            let placed = self.placed_relation(&relation, child);
            let over_own = look.is_some_and(|l| l.1);
            self.overridden.extend(placed.iter().filter(|_| over_own).map(|(_, child)| child.representation));
            children.extend(placed.map(|(parent, child)| (parent, Child { colour: look.map(|l| l.0), name, ..child })));
        }
        for &id in self.index.all("REPRESENTATION_RELATIONSHIP") {
            if placed_relations.contains(&id) {
                continue;
            }
            let Some(e) = self.geometry.entity(id) else { continue };
            if let Some((parent, child)) = self.placed_relation(&e, None) {
                children.push((parent, child));
                continue;
            }
            let Some((a, b)) = ends(&e).filter(|(a, b)| shapes.contains(a) && shapes.contains(b)) else { continue };
            let (ra, rb) = (root_of(&same, a), root_of(&same, b));
            if ra != rb {
                same.insert(ra.max(rb), ra.min(rb));
            }
        }
        (same, children)
    }

    /// A relationship with a transformation: the parent and the placed child.
    fn placed_relation(&mut self, e: &Entity<'a>, child: Option<u64>) -> Option<(u64, Child)> {
        let operator = e.part("REPRESENTATION_RELATIONSHIP_WITH_TRANSFORMATION").and_then(|p| {
            // Simple: after the four of the supertype; complex: alone.
            p.last().cloned()
        })?;
        let (first, second) = ends(e)?;
        let operator = self.geometry.dereference(Some(&operator))?;
        let from_units = |r: &mut Self, rep: u64| r.units_of(rep);
        let (unit_1, unit_2) = (from_units(self, first), from_units(self, second));
        let millimetres = |u: &Units| u.length.as_ref().map_or(1.0, |l| l.millimetres);
        let (m1, m2) = (millimetres(&unit_1), millimetres(&unit_2));
        // rep_1 is moved so that item 1 falls on item 2 of rep_2.
        let motion = if let Some(p) = operator.part("ITEM_DEFINED_TRANSFORMATION") {
            let at = p.len().checked_sub(2)?;
            let (one, two) = (self.geometry.motion(p.get(at))?, self.geometry.motion(p.get(at + 1))?);
            in_millimetres(&two, m2).after(&inverse(&in_millimetres(&one, m1)))
        } else {
            in_millimetres(&self.geometry.motion(Some(&Value::Ref(operator.id)))?, m2)
        };
        // Some writers name the assembly first; the usage then tells which one is the child.
        let swapped = child.is_some_and(|c| c == second);
        let (parent, representation, placement) =
            if swapped { (first, second, inverse(&motion)) } else { (second, first, motion) };
        Some((parent, Child { representation, placement, name: None, colour: None }))
    }

    /// MAPPED_ITEMs: a representation within another one.
    fn mapped_items(
        &mut self,
        group: &BTreeMap<u64, Vec<u64>>,
        same: &HashMap<u64, u64>,
        named: &HashMap<u64, String>,
        placed: &mut BTreeMap<u64, Vec<Child>>,
        is_child: &mut HashSet<u64>,
    ) {
        for (root, members) in group {
            for &member in members {
                let Some(e) = self.geometry.entity(member) else { continue };
                for item in items(&e) {
                    let Some(mapped) = self.geometry.entity(item).filter(|m| m.is("MAPPED_ITEM")) else { continue };
                    let p = mapped.part("MAPPED_ITEM").unwrap_or(&[]);
                    let at = p.len().saturating_sub(2);
                    let Some(map) = self.geometry.dereference(p.get(at)) else { continue };
                    let Some(source) = map.get(1).and_then(Value::reference) else { continue };
                    let origin = self.geometry.motion(map.get(0)).unwrap_or(Motion::NONE);
                    let Some(target) = self.geometry.motion(p.get(at + 1)) else { continue };
                    let scale = |u: &Units| u.length.as_ref().map_or(1.0, |l| l.millimetres);
                    let (outer, inner) = (scale(&self.units_of(member)), scale(&self.units_of(source)));
                    let placement = in_millimetres(&target, outer).after(&inverse(&in_millimetres(&origin, inner)));
                    let representation = root_of(same, source);
                    if representation == *root {
                        continue;
                    }
                    is_child.insert(representation);
                    let colour = self.looks.colours.get(&item).copied();
                    let name = named.get(&source).cloned().or(Some(mapped.item_name())).filter(|t| !t.is_empty());
                    placed.entry(*root).or_default().push(Child { representation, placement, name, colour });
                }
            }
        }
    }

    #[allow(clippy::too_many_arguments)]
    fn place(
        &self,
        nodes: &mut TiVec<NodeId, Node>,
        placed: &BTreeMap<u64, Vec<Child>>,
        names: &HashMap<u64, String>,
        child: &Child,
        parent: Option<NodeId>,
        outer: Motion,
        chain: &mut Vec<u64>,
    ) {
        let representation = child.representation;
        if chain.contains(&representation) || chain.len() >= DEEPEST || nodes.len() >= MOST_NODES {
            self.geometry.skip("assemblies that lead back to themselves");
            return;
        }
        let name = child.name.as_ref().or_else(|| names.get(&representation)).filter(|n| !n.is_empty());
        let name = name.cloned().unwrap_or_else(|| "part".into());
        let placement = outer.after(&child.placement);
        let part = self.part_of.get(&representation).copied().flatten();
        let own = nodes.push_and_get_key(Node { name, parent, part, placement, colour: child.colour });
        chain.push(representation);
        for inner in placed.get(&representation).into_iter().flatten() {
            self.place(nodes, placed, names, inner, Some(own), placement, chain);
        }
        chain.pop();
    }

    /// The unit of the first representation that has geometry; the model is in that.
    fn main_unit(&mut self, group: &BTreeMap<u64, Vec<u64>>) -> Option<DeclaredUnit> {
        let all: Vec<u64> = group.values().flatten().copied().collect();
        all.into_iter().find_map(|r| self.units_of(r).length)
    }

    fn read_part(
        &mut self,
        root: u64,
        members: &[u64],
        name: String,
        unit: Option<&DeclaredUnit>,
        taken: &HashSet<u64>,
        watch: &Watch,
    ) -> Result<(), ReadError> {
        // Representations that say the same again may name an item more than once.
        let mut seen = HashSet::new();
        let mut part = Part { name, ..Default::default() };
        for &member in members {
            watch.check()?;
            let Some(e) = self.geometry.entity(member) else { continue };
            let units = self.units_of(member);
            self.geometry.radians.set(units.radians);
            let mut builder = Builder::new(self.geometry, self.looks, units.tolerance);
            let inherited = self.looks.colours.get(&member).copied();
            for item in items(&e).into_iter().filter(|i| !taken.contains(i)) {
                if seen.insert(item) {
                    builder.item(item);
                }
            }
            self.faces += builder.shape.faces.len();
            self.given_up += builder.given_up;
            let (mut shape, mut tessellated) = (builder.shape, builder.tessellated);
            // Two bodies of one shell are one body told twice.
            let mut shells = HashSet::new();
            let told = shape.lumps.len();
            shape.lumps.retain(|l| l.outer.faces.is_empty() || shells.insert(l.outer.faces.clone()));
            (shape.lumps.len()..told).for_each(|_| self.geometry.skip("bodies that name the shell of another one"));
            if let Some(c) = inherited {
                shape.lumps.iter_mut().for_each(|l| l.colour = l.colour.or(Some(c)));
            }
            // A representation in another unit than the file's first comes over into that.
            if let (Some(own), Some(main)) = (&units.length, unit) {
                let factor = own.millimetres / main.millimetres;
                if factor != 1.0 {
                    shape = shape.moved(&Motion::scaling(factor));
                    for t in &mut tessellated {
                        hull_geometry::transform::enlarge(&mut t.mesh, factor);
                    }
                }
            }
            if part.shape == Default::default() {
                part.shape = shape;
            } else {
                part.shape.append(shape);
            }
            part.tessellated.extend(tessellated);
        }
        // Facets beside exact faces show the same body once more.
        if !part.shape.faces.is_empty() {
            part.tessellated.drain(..).for_each(|_| self.geometry.skip("facets that show exact faces again"));
        }
        let empty = part.shape.faces.is_empty() && part.shape.wires.is_empty() && part.tessellated.is_empty();
        let number = (!empty).then(|| self.parts.push_and_get_key(part));
        self.part_of.insert(root, number);
        Ok(())
    }

    /// Files whose solids hang on no representation that products use: every solid is read as it stands.
    fn read_without_structure(&mut self, model: &mut Model, watch: &Watch) -> Result<(), ReadError> {
        watch.check()?;
        let mut builder = Builder::new(self.geometry, self.looks, 0.0);
        let mut seen = BTreeSet::new();
        let kinds = [
            "MANIFOLD_SOLID_BREP",
            "FACETED_BREP",
            "BREP_WITH_VOIDS",
            "SHELL_BASED_SURFACE_MODEL",
            "FACE_BASED_SURFACE_MODEL",
            "GEOMETRIC_CURVE_SET",
        ];
        for &id in kinds.iter().flat_map(|k| self.index.all(k)) {
            if seen.insert(id) {
                builder.item(id);
            }
        }
        self.faces += builder.shape.faces.len();
        self.given_up += builder.given_up;
        let empty = builder.shape.faces.is_empty() && builder.shape.wires.is_empty();
        if !empty {
            let part = Part { name: "part".into(), shape: builder.shape, tessellated: builder.tessellated };
            let part = Some(self.parts.push_and_get_key(part));
            model.nodes.push(Node { name: "part".into(), parent: None, part, placement: Motion::NONE, colour: None });
        }
        Ok(())
    }

    fn units_of(&mut self, representation: u64) -> Units {
        if let Some(known) = self.units.get(&representation) {
            return known.clone();
        }
        let found = self.geometry.entity(representation).map_or_else(Units::none, |e| {
            let context = e.parts.iter().flat_map(|(_, p)| p.last()).find_map(Value::reference);
            context
                .and_then(|c| self.geometry.entity(c))
                .map_or_else(Units::none, |c| units::of_context(self.geometry, &c))
        });
        self.units.insert(representation, found.clone());
        found
    }
}

/// The name of a product in one place: its own, with that of the place beside it where that says more. Numbers and names
/// that programs make up say nothing.
fn with_occurrence(product: String, occurrence: &str) -> String {
    let own = occurrence.trim();
    let made_up = own.is_empty()
        || own.contains("=>[")
        || own.trim_start_matches("NAUO").chars().all(|c| c.is_ascii_digit())
        || product == own
        || product.ends_with(&format!(" ({own})"));
    if made_up { product } else { format!("{product} ({own})") }
}

fn in_millimetres(m: &Motion, millimetres: f64) -> Motion {
    let mut out = *m;
    out.frame.origin = m.frame.origin.map(|x| x * millimetres);
    out
}

fn inverse(m: &Motion) -> Motion {
    let frame = m.frame.inverse();
    let origin = frame.origin.map(|x| x / m.scale);
    Motion { frame: hull_exact::Frame { origin, ..frame }, scale: 1.0 / m.scale }
}

fn root_of(same: &HashMap<u64, u64>, mut id: u64) -> u64 {
    while let Some(&next) = same.get(&id) {
        id = next;
    }
    id
}

/// The two representations of a relationship.
fn ends(e: &Entity) -> Option<(u64, u64)> {
    let p = e.part("REPRESENTATION_RELATIONSHIP").or_else(|| Some(e.parts.first()?.1.as_slice()))?;
    let mut refs = p.iter().filter_map(Value::reference);
    Some((refs.next()?, refs.next()?))
}

/// The items of a representation.
pub(super) fn items(e: &Entity) -> Vec<u64> {
    let list = e.parts.iter().flat_map(|(_, p)| p).find_map(Value::list).unwrap_or(&[]);
    list.iter().filter_map(Value::reference).collect()
}
