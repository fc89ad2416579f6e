//! IGES structure: units, faces and solids, subfigures, groups, names, levels and colours.

use super::counting::count;
use super::geometry::{Bounded, Reader, numbers};
use super::record::{Entry, File, Value};
use crate::design::Design;
use crate::{ReadError, Skipped};
use hull_exact::curve::{Curve, Piece};
use hull_exact::model::{DeclaredUnit, Model, Node, NodeId, Part, PartId};
use hull_exact::shape::{Colour, EdgeId, Face, FaceId, Loop, Lump, Shape, Shell, VertexId, colour};
use hull_exact::{Frame, Motion, join};
use hull_geometry::Watch;
use hull_geometry::vector::{distance, norm};
use std::collections::{HashMap, HashSet};

const DEEPEST: usize = 16;
const MOST_NODES: usize = 100_000;

/// Reads an IGES file.
///
/// # Errors
/// [`ReadError`] if it is no IGES file or holds no geometry that can be used.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Design, ReadError> {
    let file = File::parse(name, bytes, watch)?;
    let reader = Reader::new(&file);
    let unit = unit(&file);
    let mut builder = Builder::new(&reader, resolution(&file));
    let mut model = Model { unit: Some(unit), ..Default::default() };
    let inside = builder.inside_figures();
    let named = builder.named_by_solids();
    let total = file.order.len().max(1);
    for (i, &de) in file.order.iter().enumerate() {
        if i % 64 == 0 {
            watch.report(0.15 + 0.8 * i as f64 / total as f64, "reading surfaces and curves")?;
        }
        let entry = &file.entries[&de];
        let alone = !entry.dependent || (matches!(entry.kind, 510 | 514) && !named.contains(&de));
        if !inside.contains_key(&de) && !entry.in_plane && alone {
            builder.take(de, entry);
        }
    }
    let own = std::mem::take(&mut builder.shape);
    // The product's name in the file is mostly that of the program that wrote it.
    let product = stem(name);
    builder.finish_part(&mut model, own, &product);
    let roots: Vec<i64> =
        file.order.iter().copied().filter(|de| file.entries[de].kind == 408 && !inside.contains_key(de)).collect();
    let mut part_of = HashMap::new();
    for de in roots {
        builder.instance(&mut model, de, None, Motion::NONE, &mut part_of, 0);
    }
    let (faces, given_up) = (builder.faces, builder.given_up);
    let mut skipped: Vec<Skipped> =
        reader.skipped.take().into_iter().map(|(what, count)| Skipped { what, count }).collect();
    if given_up > 0 {
        skipped.push(Skipped { what: "faces that cannot be used".into(), count: given_up });
    }
    if model.parts.is_empty() {
        let list: Vec<String> = skipped.iter().take(6).map(|s| format!("{} {}", s.count, s.what)).collect();
        let why = if list.is_empty() {
            String::new()
        } else {
            format!("; what it has could not be used: {}", list.join(", "))
        };
        return Err(ReadError::whole(name, format!("the file holds no surfaces, solids or curves{why}")));
    }
    Ok(Design {
        format: "IGES".into(),
        schema: file.global(23).and_then(Value::number).map_or("IGES".into(), |v| format!("IGES version {v}")),
        model,
        entities: file.order.len(),
        faces,
        faces_given_up: given_up,
        skipped,
        ..Design::default()
    })
}

/// A file's name without folders and ending.
fn stem(name: &str) -> String {
    let file = name.rsplit(['/', '\\']).next().unwrap_or(name);
    file.rsplit_once('.').map_or(file, |(s, _)| s).to_string()
}

fn text(v: &Value) -> Option<String> {
    if let Value::Text(t) = v { Some(t.trim().to_string()) } else { None }
}

/// Unit flag and name, and the model space scale (global parameters 13 to 15).
fn unit(file: &File) -> DeclaredUnit {
    let n = |i: usize| file.global(i).and_then(Value::number);
    let scale = n(13).filter(|s| *s > 0.0).unwrap_or(1.0);
    let named = file.global(15).and_then(text).unwrap_or_default().to_ascii_uppercase();
    let by_name = match named.as_str() {
        "IN" | "INCH" => Some(("inch", 25.4)),
        "MM" => Some(("millimetre", 1.0)),
        "FT" => Some(("foot", 304.8)),
        "MI" => Some(("mile", 1_609_344.0)),
        "M" => Some(("metre", 1000.0)),
        "KM" => Some(("kilometre", 1e6)),
        "MIL" => Some(("mil", 0.0254)),
        "UM" => Some(("micrometre", 0.001)),
        "CM" => Some(("centimetre", 10.0)),
        "UIN" => Some(("microinch", 25.4e-6)),
        _ => None,
    };
    let by_flag = match n(14).map(|f| f as i64) {
        Some(2) => Some(("millimetre", 1.0)),
        Some(4) => Some(("foot", 304.8)),
        Some(5) => Some(("mile", 1_609_344.0)),
        Some(6) => Some(("metre", 1000.0)),
        Some(7) => Some(("kilometre", 1e6)),
        Some(8) => Some(("mil", 0.0254)),
        Some(9) => Some(("micrometre", 0.001)),
        Some(10) => Some(("centimetre", 10.0)),
        Some(11) => Some(("microinch", 25.4e-6)),
        Some(1) => Some(("inch", 25.4)),
        _ => None,
    };
    let (name, mm) = by_flag.or(by_name).unwrap_or(("inch", 25.4));
    if scale == 1.0 {
        return DeclaredUnit { name: name.into(), millimetres: mm };
    }
    DeclaredUnit { name: format!("{name} at scale {scale}"), millimetres: mm / scale }
}

/// The least distance that the file means (global parameter 19).
fn resolution(file: &File) -> f64 {
    file.global(19).and_then(Value::number).filter(|r| *r > 0.0 && r.is_finite()).unwrap_or(0.0)
}

pub(super) struct Builder<'r, 'f> {
    pub(super) reader: &'r Reader<'f>,
    pub(super) shape: Shape,
    pub(super) resolution: f64,
    pub(super) vertices: HashMap<(i64, usize), VertexId>,
    pub(super) edges: HashMap<(i64, usize), Option<EdgeId>>,
    pub(super) faces: usize,
    pub(super) given_up: usize,
}

impl<'r, 'f> Builder<'r, 'f> {
    fn new(reader: &'r Reader<'f>, resolution: f64) -> Builder<'r, 'f> {
        let shape = Shape { tolerance: resolution, ..Default::default() };
        Builder { reader, shape, resolution, vertices: HashMap::new(), edges: HashMap::new(), faces: 0, given_up: 0 }
    }

    /// Entities that belong to a subfigure definition: they stand only where that is placed.
    fn inside_figures(&self) -> HashMap<i64, i64> {
        let mut out = HashMap::new();
        for (&de, entry) in &self.reader.file.entries {
            if entry.kind == 308
                && let Some((_, p)) = self.reader.entity(de)
            {
                for member in list(&numbers(&p), 3) {
                    out.insert(member, de);
                }
            }
        }
        out
    }

    /// Shells that solids name, and faces that shells name: the others stand for themselves, whatever their status says.
    fn named_by_solids(&self) -> HashSet<i64> {
        let mut out = HashSet::new();
        for (&de, entry) in &self.reader.file.entries {
            if matches!(entry.kind, 186 | 514)
                && let Some((_, p)) = self.reader.entity(de)
            {
                out.extend(numbers(&p).iter().skip(1).map(|x| *x as i64));
            }
        }
        out
    }

    /// Takes one independent entity into the shape.
    fn take(&mut self, de: i64, entry: &Entry) {
        match entry.kind {
            144 | 143 => {
                if let Some(face) = self.trimmed(de, entry) {
                    self.open_face(de, entry, face);
                }
            }
            186 => self.solid(de, entry),
            514 => {
                let (shell, closed) = (self.shell(de), entry.form == 1);
                self.lump(de, entry, shell, Vec::new(), closed);
            }
            510 => {
                if let Some(face) = self.brep_face(de) {
                    self.open_face(de, entry, face);
                }
            }
            114 | 118 | 120 | 122 | 128 | 140 => {
                if let Some(face) = self.whole_surface(de, entry) {
                    self.open_face(de, entry, face);
                }
            }
            100 | 102 | 104 | 106 | 110 | 112 | 126 | 130 => self.wire(de, entry),
            116 => self.reader.skip("points (type 116)"),
            // A plane alone has no ends; directions and matrices are parts of others.
            108 | 123 | 124 | 141 | 142 | 190 | 192 | 194 | 196 | 198 | 308 | 314 | 402 | 406 | 408 | 502 | 504
            | 508 | 0 => {}
            kind => self.reader.skip(format!("type {kind}")),
        }
    }

    fn open_face(&mut self, de: i64, entry: &Entry, face: FaceId) {
        self.lump(de, entry, Shell { faces: vec![(face, true)] }, Vec::new(), false);
    }

    pub(super) fn lump(&mut self, de: i64, entry: &Entry, outer: Shell, voids: Vec<Shell>, closed: bool) {
        if !outer.faces.is_empty() {
            let name = self.name(de, entry);
            self.shape.lumps.push(Lump { name, colour: self.colour(entry), closed, outer, voids });
        }
    }

    /// Name from a property of form 15, else the directory's label.
    fn name(&self, de: i64, entry: &Entry) -> String {
        let property = self.reader.entity(de).and_then(|(_, p)| {
            let n = numbers(&p);
            // Behind an entity's own parameters: associativities, then properties.
            let own = own_parameters(entry.kind, &n)?;
            let associated = count(*n.get(own)?, n.len())?;
            let properties = list(&n, own + 1 + associated);
            properties.into_iter().find_map(|q| {
                let (e, p) = self.reader.entity(q)?;
                (e.kind == 406 && e.form == 15).then(|| p.get(2).and_then(text))?
            })
        });
        property.unwrap_or_else(|| entry.label.clone())
    }

    fn colour(&self, entry: &Entry) -> Option<Colour> {
        if entry.colour < 0 {
            let (e, p) = self.reader.entity(-entry.colour)?;
            let n = numbers(&p);
            return (e.kind == 314).then(|| Some(colour([n.get(1)? / 100.0, n.get(2)? / 100.0, n.get(3)? / 100.0])))?;
        }
        // The pre-defined colours: black, red, green, blue, yellow, magenta, cyan, white.
        let table = [
            [0.0; 3],
            [1.0, 0.0, 0.0],
            [0.0, 1.0, 0.0],
            [0.0, 0.0, 1.0],
            [1.0, 1.0, 0.0],
            [1.0, 0.0, 1.0],
            [0.0, 1.0, 1.0],
            [1.0; 3],
        ];
        table.get(usize::try_from(entry.colour).ok()?.checked_sub(1)?).map(|c| colour(*c))
    }

    pub(super) fn push_face(
        &mut self,
        de: i64,
        entry: &Entry,
        surface: hull_exact::Surface,
        loops: Vec<Loop>,
        same_sense: bool,
    ) -> FaceId {
        let size = self.size_of(&loops);
        let (surface, flipped) = surface.simplified(size);
        let surface = self.shape.add_surface(surface);
        let name = self.name(de, entry);
        let layer = (entry.level > 0).then(|| format!("level {}", entry.level));
        let colour = self.colour(entry);
        let same_sense = same_sense != flipped;
        let face = self.shape.faces.push_and_get_key(Face { surface, same_sense, loops, name, colour, layer });
        self.faces += 1;
        join::close_seams(&mut self.shape, face, (1e-6 * size).max(self.resolution.min(1e-4 * size)));
        join::straighten_loops(&mut self.shape, face);
        face
    }

    fn size_of(&self, loops: &[Loop]) -> f64 {
        let edges = loops.iter().flat_map(|l| &l.uses).map(|u| &self.shape.edges[u.edge]);
        let points = edges.flat_map(|e| {
            (0..5).map(move |i| e.curve.point(e.range[0] + (e.range[1] - e.range[0]) * f64::from(i) * 0.25))
        });
        hull_geometry::mesh::Bounds::of(points).diagonal().max(1e-9)
    }

    /// 144 and 143: a surface with its bounds.
    fn trimmed(&mut self, de: i64, entry: &Entry) -> Option<FaceId> {
        let made = self.trimmed_face(de, entry);
        if made.is_none() {
            self.given_up += 1;
        }
        made
    }

    fn trimmed_face(&mut self, de: i64, entry: &Entry) -> Option<FaceId> {
        let (_, p) = self.reader.entity(de)?;
        let n = numbers(&p);
        let motion = self.reader.motion(entry);
        let at = |i: usize| n.get(i).map(|x| *x as i64);
        let mut bounds: Vec<Vec<Piece>> = Vec::new();
        let surface_de = if entry.kind == 144 { at(1)? } else { at(2)? };
        let bounded = self.reader.surface(surface_de)?;
        let mut natural = false;
        if entry.kind == 144 {
            match at(2)? {
                0 => natural = true,
                _ => bounds.push(self.bound_142(at(4)?)?),
            }
            for inner in inner_bounds(&n) {
                bounds.extend(self.bound_142(inner));
            }
        } else {
            for b in list(&n, 3) {
                bounds.push(self.bound_141(b, surface_de)?);
            }
        }
        let mut loops = Vec::new();
        if natural {
            loops.push(self.sides_loop(&bounded)?);
        }
        for pieces in bounds {
            let pieces = without_specks(pieces);
            let moved = pieces.into_iter().map(|p| Piece { curve: p.curve.moved(&motion), range: p.range }).collect();
            let made = self.shape.loop_of_pieces(moved);
            if made.is_none() {
                self.reader.skip("bounds that do not close");
            }
            loops.extend(made);
        }
        if loops.is_empty() {
            return None;
        }
        Some(self.push_face(de, entry, bounded.surface.moved(&motion), loops, true))
    }

    /// 142: a curve on a surface, in space where the file has it.
    fn bound_142(&self, de: i64) -> Option<Vec<Piece>> {
        let (entry, p) = self.reader.entity(de)?;
        let n = numbers(&p);
        if entry.kind != 142 {
            return None;
        }
        let (surface, plane, space) = (*n.get(2)? as i64, *n.get(3)? as i64, *n.get(4)? as i64);
        let piece = if space != 0 { self.reader.curve(space) } else { None };
        let piece = piece.or_else(|| self.reader.curve_on_surface(surface, plane))?;
        Some(pieces_of(piece))
    }

    /// 141: a boundary of curves, each with its direction.
    fn bound_141(&self, de: i64, surface: i64) -> Option<Vec<Piece>> {
        let (entry, p) = self.reader.entity(de)?;
        let n = numbers(&p);
        if entry.kind != 141 {
            return None;
        }
        let bounds = count(*n.get(4)?, n.len())?;
        let mut at = 5;
        let mut out = Vec::new();
        for _ in 0..bounds {
            let (curve, sense) = (*n.get(at)? as i64, *n.get(at + 1)? as i64);
            let planes = count(*n.get(at + 2)?, n.len())?;
            let piece = self.reader.curve(curve).or_else(|| {
                let plane = *n.get(at + 3).filter(|_| planes > 0)? as i64;
                self.reader.curve_on_surface(surface, plane)
            })?;
            let mut pieces = pieces_of(piece);
            if sense == 2 {
                pieces.reverse();
                pieces.iter_mut().for_each(|p| p.range.swap(0, 1));
            }
            out.extend(pieces);
            at += 3 + planes;
        }
        Some(out)
    }

    pub(super) fn sides_loop(&mut self, bounded: &Bounded) -> Option<Loop> {
        let sides = bounded.sides.unwrap_or(bounded.surface.domain());
        self.shape.rectangle_loop(&bounded.surface, sides)
    }

    fn whole_surface(&mut self, de: i64, entry: &Entry) -> Option<FaceId> {
        let bounded = self.reader.surface(de)?;
        let l = self.sides_loop(&bounded)?;
        Some(self.push_face(de, entry, bounded.surface, vec![l], true))
    }

    fn wire(&mut self, de: i64, entry: &Entry) {
        let Some(piece) = self.reader.curve(de) else { return };
        let mut pieces = without_specks(pieces_of(piece));
        // Several are one chain, as they stand in the file.
        let piece = match pieces.len() {
            0 => return,
            1 => pieces.remove(0),
            n => Piece { curve: Curve::Chain(pieces), range: [0.0, n as f64] },
        };
        let (p, q) = (piece.at(0.0)[0], piece.at(1.0)[0]);
        let first = self.shape.add_vertex(p);
        let last = if distance(p, q) <= 1e-9 * (1.0 + norm(p)) { first } else { self.shape.add_vertex(q) };
        let [a, b] = piece.range;
        let (range, ends) = if a < b { ([a, b], [first, last]) } else { ([b, a], [last, first]) };
        let edge = self.shape.add_edge(piece.curve, range, ends);
        self.shape.wires.push(edge);
        let name = self.name(de, entry);
        if !name.is_empty() {
            self.shape.edge_names.insert(edge, name);
        }
    }

    fn finish_part(&mut self, model: &mut Model, shape: Shape, name: &str) -> Option<PartId> {
        if shape.faces.is_empty() && shape.wires.is_empty() {
            return None;
        }
        let part = model.parts.push_and_get_key(Part { name: name.into(), shape, tessellated: Vec::new() });
        let at_root = model.nodes.is_empty();
        if at_root {
            let node =
                Node { name: name.into(), parent: None, part: Some(part), placement: Motion::NONE, colour: None };
            model.nodes.push(node);
        }
        Some(part)
    }

    /// 408: a subfigure placed; 308: its definition.
    fn instance(
        &mut self,
        model: &mut Model,
        de: i64,
        parent: Option<NodeId>,
        outer: Motion,
        part_of: &mut HashMap<i64, Option<PartId>>,
        depth: usize,
    ) {
        if depth >= DEEPEST || model.nodes.len() >= MOST_NODES {
            self.reader.skip("subfigures that lead back to themselves");
            return;
        }
        let Some((entry, p)) = self.reader.entity(de) else { return };
        let n = numbers(&p);
        let at = |i: usize| n.get(i).copied().unwrap_or(0.0);
        let definition = at(1) as i64;
        let Some((_, q)) = self.reader.entity(definition).filter(|(e, _)| e.kind == 308) else { return };
        let scale = n.get(5).copied().filter(|s| *s > 0.0).unwrap_or(1.0);
        let own = Motion { frame: Frame { origin: [at(2), at(3), at(4)], ..Frame::WORLD }, scale };
        let placement = outer.after(&self.reader.motion(entry)).after(&own);
        let name = q.get(2).and_then(text).unwrap_or_else(|| "part".into());
        let members = list(&numbers(&q), 3);
        if !part_of.contains_key(&definition) {
            part_of.insert(definition, None);
            let kept = std::mem::replace(&mut self.shape, Shape { tolerance: self.resolution, ..Default::default() });
            self.vertices.clear();
            self.edges.clear();
            for &m in &members {
                if let Some(e) = self.reader.file.entries.get(&m) {
                    self.take(m, e);
                }
            }
            let shape = std::mem::replace(&mut self.shape, kept);
            self.vertices.clear();
            self.edges.clear();
            if !(shape.faces.is_empty() && shape.wires.is_empty()) {
                let made = model.parts.push_and_get_key(Part { name: name.clone(), shape, tessellated: Vec::new() });
                part_of.insert(definition, Some(made));
            }
        }
        let part = part_of.get(&definition).copied().flatten();
        let node = model.nodes.push_and_get_key(Node { name, parent, part, placement, colour: self.colour(entry) });
        for m in members {
            if self.reader.file.entries.get(&m).is_some_and(|e| e.kind == 408) {
                self.instance(model, m, Some(node), placement, part_of, depth + 1);
            }
        }
    }
}

fn pieces_of(piece: Piece) -> Vec<Piece> {
    match piece.curve {
        Curve::Chain(inner) => inner,
        _ => vec![piece],
    }
}

/// Pieces that have a length; those that are points stand for poles.
fn without_specks(pieces: Vec<Piece>) -> Vec<Piece> {
    let length =
        |p: &Piece| (0..8).map(|i| distance(p.at(f64::from(i) / 8.0)[0], p.at(f64::from(i + 1) / 8.0)[0])).sum::<f64>();
    let longest = pieces.iter().map(length).fold(0.0, f64::max);
    pieces.into_iter().filter(|p| length(p) > 1e-9 * longest).collect()
}

/// A count at `at` and as many pointers behind it.
fn list(n: &[f64], at: usize) -> Vec<i64> {
    list_after(n, at, at + 1)
}

pub(super) fn list_after(n: &[f64], count_at: usize, from: usize) -> Vec<i64> {
    let count = n.get(count_at).copied().unwrap_or(0.0).max(0.0) as usize;
    n.iter().skip(from).take(count.min(n.len())).map(|x| *x as i64).collect()
}

/// 144: `PTS, N1, N2, PTO, PTI…`
fn inner_bounds(n: &[f64]) -> Vec<i64> {
    list_after(n, 3, 5)
}

/// How many parameters an entity has of its own, its type number included.
fn own_parameters(kind: i64, n: &[f64]) -> Option<usize> {
    let count = |i: usize| n.get(i).copied().filter(|x| *x >= 0.0 && *x < 1e7).map(|x| x as usize);
    Some(match kind {
        // The type number, and what the standard lists for each.
        144 => 5 + count(3)?,
        143 => 4 + count(3)?,
        186 => 4 + 2 * count(3)?,
        514 => 2 + 2 * count(1)?,
        510 => 4 + count(2)?,
        102 => 2 + count(1)?,
        110 => 7,
        100 => 8,
        104 => 12,
        106 => match count(1)? {
            1 => 4 + 2 * count(2)?,
            2 => 3 + 3 * count(2)?,
            _ => 3 + 6 * count(2)?,
        },
        // The ends' values and derivatives stand behind the coefficients.
        112 => 6 + count(4)? + 12 * count(4)? + 12,
        114 => 7 + count(3)? + count(4)? + 48 * (count(3)? + 1) * (count(4)? + 1),
        118 | 120 | 122 => 5,
        130 => 15,
        140 => 6,
        // Knots, weights, points and four ends behind nine numbers.
        128 => {
            let ([p, q], [d, e]) = ([count(1)? + 1, count(2)? + 1], [count(3)?, count(4)?]);
            10 + (p + d + 1) + (q + e + 1) + 4 * p.checked_mul(q)? + 4
        }
        // Knots, weights, points, two ends and a normal behind six numbers that say how many.
        126 => {
            let (points, degree) = (count(1)? + 1, count(2)?);
            7 + (points + degree + 1) + 4 * points + 5
        }
        _ => return None,
    })
}
