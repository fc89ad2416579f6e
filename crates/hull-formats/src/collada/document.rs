//! The tree of elements: what refers to what, lists of numbers, and the faces of a run of primitives.

use hull_geometry::Point;
use roxmltree::{Document as Tree, Node, ParsingOptions};
use std::collections::BTreeMap;

/// More elements than this are no file that anybody reads as geometry.
const MOST_NODES: u32 = 20_000_000;

/// The elements of a text.
///
/// # Errors
/// A sentence with the line. Document types, whose entities could grow without end, are refused.
pub fn parse(text: &str) -> Result<Tree<'_>, String> {
    let options = ParsingOptions { nodes_limit: MOST_NODES, ..ParsingOptions::default() };
    Tree::parse_with_options(text, options).map_err(|e| format!("line {}: {e}", e.pos().row))
}

/// A file with its elements by their identifiers.
pub struct Document<'a, 'input> {
    /// The outermost element.
    pub root: Node<'a, 'input>,
    by_id: BTreeMap<&'a str, Node<'a, 'input>>,
}

impl<'a, 'input> Document<'a, 'input> {
    /// # Errors
    /// A sentence, if the outermost element is another one.
    pub fn of(tree: &'a Tree<'input>) -> Result<Document<'a, 'input>, String> {
        let root = tree.root_element();
        if root.tag_name().name() != "COLLADA" {
            return Err(format!("its outermost element is “{}”, not COLLADA", root.tag_name().name()));
        }
        let with_id = root.descendants().filter_map(|n| Some((n.attribute("id")?, n)));
        Ok(Document { root, by_id: with_id.collect() })
    }

    /// What an attribute of the form `#id` means.
    pub fn referred(&self, node: Node, key: &str) -> Option<Node<'a, 'input>> {
        self.by_id.get(node.attribute(key)?.strip_prefix('#')?).copied()
    }

    /// Every element of a name in the libraries.
    pub fn all(&self, name: &'static str) -> impl Iterator<Item = Node<'a, 'input>> {
        self.root.descendants().filter(move |n| n.tag_name().name() == name)
    }

    /// The colours of the symbols of an instance's materials, as `#rrggbb`.
    pub fn colours_of(&self, instance: Node<'a, 'input>) -> BTreeMap<&'a str, String> {
        let bound = instance.descendants().filter(|n| n.tag_name().name() == "instance_material");
        bound.filter_map(|b| Some((b.attribute("symbol")?, self.colour(self.referred(b, "target")?)?))).collect()
    }

    /// The diffuse colour of a material.
    fn colour(&self, material: Node) -> Option<String> {
        let effect = self.referred(child(material, "instance_effect")?, "url")?;
        let diffuse = effect.descendants().find(|n| n.tag_name().name() == "diffuse")?;
        let c = numbers(child(diffuse, "color")?).ok().filter(|c| c.len() >= 3)?;
        let byte = |x: f64| (x * 255.0).round().clamp(0.0, 255.0) as u8;
        Some(format!("#{:02x}{:02x}{:02x}", byte(c[0]), byte(c[1]), byte(c[2])))
    }
}

/// An attribute; empty where there is none.
pub fn attribute<'a>(node: Node<'a, '_>, key: &str) -> &'a str {
    node.attribute(key).unwrap_or_default()
}

/// The children of a name.
pub fn children<'a, 'input>(node: Node<'a, 'input>, name: &'static str) -> impl Iterator<Item = Node<'a, 'input>> {
    node.children().filter(move |n| n.tag_name().name() == name)
}

/// The first child of a name.
pub fn child<'a, 'input>(node: Node<'a, 'input>, name: &'static str) -> Option<Node<'a, 'input>> {
    children(node, name).next()
}

/// The numbers of an element. Some programs write them as their user's language does, with a decimal comma: words are apart
/// by blanks, so that it can mean nothing else.
///
/// # Errors
/// The word that is none.
pub fn numbers(node: Node) -> Result<Vec<f64>, String> {
    let number = |w: &str| w.parse().ok().or_else(|| w.replacen(',', ".", 1).parse().ok());
    let words = node.text().unwrap_or_default().split_ascii_whitespace();
    words.map(|w| number(w).ok_or_else(|| format!("“{w}” is not a number"))).collect()
}

/// How many lists of numbers have decimal commas.
pub fn lists_with_commas(root: Node) -> usize {
    let arrays = root.descendants().filter(|n| n.tag_name().name() == "float_array");
    arrays.filter(|a| a.text().is_some_and(|t| t.contains(','))).count()
}

fn whole(node: Node) -> Result<Vec<u32>, String> {
    let words = node.text().unwrap_or_default().split_ascii_whitespace();
    words.map(|w| w.parse().map_err(|_| format!("“{w}” is no number of a point"))).collect()
}

/// A run of faces with the points that they stand on.
pub struct Run {
    /// In the geometry's own frame.
    pub points: Vec<Point>,
    /// Corners of each face, in order around it.
    pub faces: Vec<Vec<u32>>,
    /// Outlines within faces, which are passed over.
    pub holes: usize,
}

impl Run {
    /// # Errors
    /// A sentence: something is missing, or numbers that are out of range.
    pub fn of<'a>(document: &Document<'a, '_>, mesh: Node<'a, '_>, primitives: Node<'a, '_>) -> Result<Run, String> {
        let inputs: Vec<Node> = children(primitives, "input").collect();
        let offset = |n: &Node| attribute(*n, "offset").parse::<usize>().unwrap_or(0).min(1000);
        let stride = 1 + inputs.iter().map(offset).max().unwrap_or(0);
        let vertex =
            inputs.iter().find(|n| attribute(**n, "semantic") == "VERTEX").ok_or("its faces name no points")?;
        let at = offset(vertex);
        let vertices = document.referred(*vertex, "source").or_else(|| child(mesh, "vertices"));
        let position = vertices.and_then(|v| children(v, "input").find(|i| attribute(*i, "semantic") == "POSITION"));
        let source = position.and_then(|p| document.referred(p, "source")).ok_or("its points are not in the file")?;
        let points = points_of(document, source)?;
        let corners = |node: Node| -> Result<Vec<u32>, String> {
            let own: Vec<u32> = whole(node)?.chunks_exact(stride).map(|c| c[at]).collect();
            match own.iter().find(|c| **c as usize >= points.len()) {
                Some(c) => Err(format!("a face names point {c}, but there are {} points", points.len())),
                None => Ok(own),
            }
        };
        let lists = children(primitives, "p").map(corners).collect::<Result<Vec<_>, String>>()?;
        let holes = primitives.descendants().filter(|n| n.tag_name().name() == "h").count();
        let faces = match primitives.tag_name().name() {
            "triangles" => lists.concat().chunks_exact(3).map(<[u32]>::to_vec).collect(),
            "polylist" => cut(&lists.concat(), &whole(child(primitives, "vcount").ok_or("“vcount” is missing")?)?)?,
            "tristrips" => lists.iter().flat_map(|l| strip(l)).collect(),
            "trifans" => lists.iter().flat_map(|l| fan(l)).collect(),
            // Faces with holes stand one deeper.
            _ => {
                let outer = children(primitives, "ph").filter_map(|ph| child(ph, "p"));
                let outer = outer.map(corners).collect::<Result<Vec<_>, String>>()?;
                lists.into_iter().chain(outer).filter(|l| l.len() > 2).collect()
            }
        };
        Ok(Run { points, faces, holes })
    }
}

/// A list of corners cut into faces of so many each; what has fewer than three is no face.
fn cut(corners: &[u32], counts: &[u32]) -> Result<Vec<Vec<u32>>, String> {
    let (mut out, mut rest) = (Vec::new(), corners);
    for n in counts {
        let wrong = || format!("its faces ask for more corners than the {} that are there", corners.len());
        let (face, after) = rest.split_at_checked(*n as usize).ok_or_else(wrong)?;
        rest = after;
        if face.len() > 2 {
            out.push(face.to_vec());
        }
    }
    Ok(out)
}

/// Every other facet of a strip runs the other way.
fn strip(corners: &[u32]) -> Vec<Vec<u32>> {
    let facet = |(i, w): (usize, &[u32])| if i % 2 == 0 { w.to_vec() } else { vec![w[1], w[0], w[2]] };
    corners.windows(3).enumerate().map(facet).collect()
}

fn fan(corners: &[u32]) -> Vec<Vec<u32>> {
    corners.get(1..).unwrap_or_default().windows(2).map(|w| vec![corners[0], w[0], w[1]]).collect()
}

fn points_of(document: &Document, source: Node) -> Result<Vec<Point>, String> {
    let common = child(source, "technique_common").and_then(|t| child(t, "accessor"));
    let array = common.and_then(|a| document.referred(a, "source")).or_else(|| child(source, "float_array"));
    let all = numbers(array.ok_or("its points have no numbers")?)?;
    let number = |key: &str, none: usize| common.and_then(|a| attribute(a, key).parse().ok()).unwrap_or(none);
    let (stride, offset) = (number("stride", 3).max(3), number("offset", 0));
    let each = all.get(offset..).unwrap_or_default().chunks(stride).filter(|c| c.len() >= 3);
    Ok(each.map(|c| [c[0], c[1], c[2]]).collect())
}
