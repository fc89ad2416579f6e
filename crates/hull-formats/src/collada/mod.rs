//! COLLADA 1.4 and 1.5 (ISO/PAS 17506, *from memory*): meshes where the nodes of the scene put them, with the colours of
//! their materials, its unit and which axis is up. Skins are taken as at rest.

mod document;

use crate::affine::Affine;
use crate::assembled::Assembled;
use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, Format, ReadError, Skipped};
use document::{Document, Run, attribute, child, numbers};
use hull_exact::model::DeclaredUnit;
use hull_geometry::{Cancelled, Point, PointId, Watch, triangulate};
use roxmltree::Node;
use std::collections::BTreeMap;

/// COLLADA.
pub const FORMAT: FileFormat = FileFormat {
    id: "collada",
    title: "COLLADA",
    endings: &["dae"],
    declares: "its unit and which axis is up; names of nodes, colours of materials",
    needs_unit: true,
    carries: Carries::Facets,
    sniff: |bytes| bytes[..bytes.len().min(1000)].windows(8).any(|w| w == b"<COLLADA"),
    read,
    write: None,
    write_points: None,
    write_lines: None,
    gather: None,
};

/// Nodes may stand below nodes so deep.
const DEEPEST: usize = 128;
/// Nodes are placed so often at most: those that refer to each other twice make twice as many at each step.
const MOST_NODES: usize = 1_000_000;
/// Points are placed so often at most.
const MOST: usize = 100_000_000;

/// Why a part of a file cannot be read.
enum Stop {
    Said(String),
    Cancelled(Cancelled),
}

impl From<String> for Stop {
    fn from(why: String) -> Stop {
        Stop::Said(why)
    }
}

impl From<Cancelled> for Stop {
    fn from(cancelled: Cancelled) -> Stop {
        Stop::Cancelled(cancelled)
    }
}

fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let told = |why: String| ReadError::whole(name, why);
    let text = std::str::from_utf8(bytes).map_err(|e| told(format!("it is no text: {e}")))?;
    let tree = document::parse(text).map_err(told)?;
    let document = Document::of(&tree).map_err(told)?;
    let mut scene =
        Scene { document: &document, out: Assembled::default(), skipped: BTreeMap::new(), nodes: 0, placed: 0, watch };
    let stopped = |stop: Stop| match stop {
        Stop::Said(why) => told(why),
        Stop::Cancelled(c) => c.into(),
    };
    scene.whole().map_err(stopped)?;
    let skipped = scene.skipped.into_iter().map(|(what, count)| Skipped { what, count }).collect();
    Ok(Content::Facets(scene.out.finish(Format::Collada, declared(document.root), skipped)))
}

fn declared(root: Node) -> Declared {
    let asset = child(root, "asset");
    let unit = asset.and_then(|a| child(a, "unit"));
    let metres: f64 = unit.and_then(|u| attribute(u, "meter").parse().ok()).unwrap_or(1.0);
    let named = unit.map_or("metre", |u| attribute(u, "name"));
    let name = if named.is_empty() { format!("{metres} m") } else { named.to_string() };
    let up = asset.and_then(|a| child(a, "up_axis")).and_then(|u| u.text()).map_or("", str::trim);
    let up = match up {
        "Z_UP" => "+z",
        "X_UP" => "+x",
        _ => "+y",
    };
    let sound = metres > 0.0 && metres.is_finite();
    let unit = sound.then_some(DeclaredUnit { name, millimetres: 1000.0 * metres });
    Declared { unit, certain: true, up: Some(up.into()) }
}

struct Scene<'a, 'input> {
    document: &'a Document<'a, 'input>,
    out: Assembled,
    skipped: BTreeMap<String, usize>,
    /// Nodes so far.
    nodes: usize,
    /// Points so far.
    placed: usize,
    watch: &'a Watch,
}

impl<'a, 'input> Scene<'a, 'input> {
    /// What the scene shows; every geometry where there is no scene.
    fn whole(&mut self) -> Result<(), Stop> {
        let document = self.document;
        let commas = document::lists_with_commas(document.root);
        if commas > 0 {
            self.skipped.insert("lists with decimal commas: taken as points".into(), commas);
        }
        let shown = child(document.root, "scene").and_then(|s| child(s, "instance_visual_scene"));
        match shown.and_then(|s| document.referred(s, "url")) {
            Some(scene) => {
                for node in document::children(scene, "node") {
                    self.node(node, &Affine::NONE, 0)?;
                }
            }
            None => {
                for geometry in document.all("geometry") {
                    self.geometry(geometry, attribute(geometry, "name"), &Affine::NONE, &BTreeMap::new())?;
                }
            }
        }
        Ok(())
    }

    fn skip(&mut self, what: impl Into<String>) {
        *self.skipped.entry(what.into()).or_default() += 1;
    }

    fn node(&mut self, node: Node<'a, 'input>, above: &Affine, deep: usize) -> Result<(), Stop> {
        if deep > DEEPEST {
            return Err(Stop::Said(format!("nodes stand more than {DEEPEST} deep")));
        }
        self.nodes += 1;
        if self.nodes > MOST_NODES {
            return Err(Stop::Said(format!("its nodes are placed more than {MOST_NODES} times")));
        }
        self.watch.check()?;
        let mut placed = *above;
        for part in node.children().filter(Node::is_element) {
            match part.tag_name().name() {
                "matrix" | "translate" | "rotate" | "scale" => placed = placed.after(&transform(part)?),
                what @ ("lookat" | "skew") => self.skip(format!("placements by {what}")),
                _ => {}
            }
        }
        let name = [attribute(node, "name"), attribute(node, "id")].into_iter().find(|n| !n.is_empty()).unwrap_or("");
        for part in node.children().filter(Node::is_element) {
            match part.tag_name().name() {
                "node" => self.node(part, &placed, deep + 1)?,
                "instance_node" => {
                    let meant = self.document.referred(part, "url");
                    self.node(meant.ok_or_else(|| missing("node", part))?, &placed, deep + 1)?;
                }
                "instance_geometry" => {
                    let meant = self.document.referred(part, "url").ok_or_else(|| missing("geometry", part))?;
                    self.geometry(meant, name, &placed, &self.document.colours_of(part))?;
                }
                "instance_controller" => {
                    self.skip("skins: taken as at rest");
                    let skin = self.document.referred(part, "url").and_then(|c| child(c, "skin"));
                    if let Some(meant) = skin.and_then(|s| self.document.referred(s, "source")) {
                        let bound = skin.and_then(|s| child(s, "bind_shape_matrix")).map(transform).transpose()?;
                        let placed = bound.map_or(placed, |b| placed.after(&b));
                        self.geometry(meant, name, &placed, &self.document.colours_of(part))?;
                    }
                }
                what @ ("instance_camera" | "instance_light") => {
                    self.skip(format!("{}s", what.trim_start_matches("instance_")));
                }
                _ => {}
            }
        }
        Ok(())
    }

    /// A mesh under the name of its node; `colours` are those of its materials' symbols.
    fn geometry(
        &mut self,
        geometry: Node<'a, 'input>,
        name: &str,
        placed: &Affine,
        colours: &BTreeMap<&str, String>,
    ) -> Result<(), Stop> {
        let Some(mesh) = child(geometry, "mesh") else {
            let kind = geometry.children().find(Node::is_element).map_or("nothing", |k| k.tag_name().name());
            self.skip(format!("geometry of the kind {kind}"));
            return Ok(());
        };
        let name = if name.is_empty() { attribute(geometry, "name") } else { name };
        for primitives in mesh.children().filter(Node::is_element) {
            let kind = primitives.tag_name().name();
            if matches!(kind, "lines" | "linestrips") {
                self.skip(kind);
            }
            if !matches!(kind, "triangles" | "polylist" | "polygons" | "tristrips" | "trifans") {
                continue;
            }
            let run = Run::of(self.document, mesh, primitives).map_err(|why| format!("geometry “{name}”: {why}"))?;
            self.placed += run.points.len();
            if self.placed > MOST {
                return Err(Stop::Said(format!("its nodes place more than {MOST} points")));
            }
            if !run.points.iter().flat_map(|p| placed.point(*p)).all(f64::is_finite) {
                return Err(Stop::Said(format!("geometry “{name}”: a coordinate is not finite")));
            }
            let symbol = attribute(primitives, "material");
            let material = colours.get(symbol).cloned().or_else(|| (!symbol.is_empty()).then(|| symbol.to_string()));
            self.faces(&run, name, material, placed);
            if run.holes > 0 {
                *self.skipped.entry("holes of polygons: filled".into()).or_default() += run.holes;
            }
        }
        Ok(())
    }

    fn faces(&mut self, run: &Run, name: &str, material: Option<String>, placed: &Affine) {
        let first = self.out.points(&run.points, placed);
        let label = self.out.label(name, material);
        let mirrored = placed.mirrors();
        for face in &run.faces {
            let own: Vec<Point> = face.iter().map(|c| run.points[*c as usize]).collect();
            for t in triangulate::face(&own) {
                self.out.facet(t.map(|k| first + PointId(face[k as usize])), label, mirrored);
            }
        }
    }
}

fn missing(what: &str, reference: Node) -> Stop {
    let url = attribute(reference, "url");
    Stop::Said(format!("{what} “{url}” is named, but is not in the file"))
}

/// One of the maps that a node lists.
fn transform(part: Node) -> Result<Affine, Stop> {
    let kind = part.tag_name().name();
    let n = numbers(part)?;
    let wanted = match kind {
        "rotate" => 4,
        "matrix" | "bind_shape_matrix" => 16,
        _ => 3,
    };
    if n.len() != wanted || !n.iter().all(|x| x.is_finite()) {
        return Err(Stop::Said(format!("“{kind}” needs {wanted} finite numbers, not {}", n.len())));
    }
    Ok(match kind {
        "translate" => Affine { origin: [n[0], n[1], n[2]], ..Affine::NONE },
        "scale" => Affine { columns: [[n[0], 0.0, 0.0], [0.0, n[1], 0.0], [0.0, 0.0, n[2]]], origin: [0.0; 3] },
        "rotate" => Affine::turned([n[0], n[1], n[2]], n[3]),
        // Row by row.
        _ => Affine::of_columns(&[0, 1, 2, 3].map(|c| [n[c], n[4 + c], n[8 + c]])),
    })
}
