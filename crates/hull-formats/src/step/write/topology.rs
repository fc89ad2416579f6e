//! Vertices, edges, faces, shells and solids of one part as records (ISO 10303-42, 10303-511, 10303-514).

use super::geometry;
use super::lines::{Lines, refs, text};
use hull_exact::curve::Curve;
use hull_exact::shape::{EdgeId, Face, FaceId, Lump, Shape, Shell, SurfaceId, VertexId};
use std::collections::HashMap;

/// Writes one part's shape; every vertex, edge and surface once.
pub struct Writer<'l, 's> {
    lines: &'l mut Lines,
    shape: &'s Shape,
    vertices: HashMap<VertexId, usize>,
    edges: HashMap<EdgeId, Option<usize>>,
    surfaces: HashMap<SurfaceId, Option<usize>>,
    /// By number and whether as it stands.
    faces: HashMap<(FaceId, bool), Option<usize>>,
    /// Faces and edges whose geometry has no word in the format.
    pub left_out: usize,
}

/// A record with what it stands for.
pub enum Item {
    Lump { id: usize, lump: usize },
    Wires { id: usize },
}

impl<'l, 's> Writer<'l, 's> {
    pub fn new(lines: &'l mut Lines, shape: &'s Shape) -> Writer<'l, 's> {
        Writer {
            lines,
            shape,
            vertices: HashMap::new(),
            edges: HashMap::new(),
            surfaces: HashMap::new(),
            faces: HashMap::new(),
            left_out: 0,
        }
    }

    /// Every solid, open shell and wire.
    pub fn items(&mut self) -> Vec<Item> {
        let shape = self.shape;
        let mut out = Vec::new();
        for (i, lump) in shape.lumps.iter().enumerate() {
            out.extend(self.lump(lump).map(|id| Item::Lump { id, lump: i }));
        }
        out.extend(self.wires().map(|id| Item::Wires { id }));
        out
    }

    /// The records of each face that was written, with its number.
    pub fn face_records(&self) -> Vec<(FaceId, usize)> {
        let mut out: Vec<(FaceId, usize)> = self.faces.iter().filter_map(|(k, id)| Some((k.0, (*id)?))).collect();
        out.sort_unstable_by_key(|x| x.1);
        out
    }

    fn lump(&mut self, lump: &Lump) -> Option<usize> {
        let name = text(&lump.name);
        if !lump.closed {
            let shell = self.shell(&lump.outer, "OPEN_SHELL")?;
            return Some(self.lines.add(format_args!("SHELL_BASED_SURFACE_MODEL({name},(#{shell}))")));
        }
        let outer = self.shell(&lump.outer, "CLOSED_SHELL")?;
        if lump.voids.is_empty() {
            return Some(self.lines.add(format_args!("MANIFOLD_SOLID_BREP({name},#{outer})")));
        }
        let voids: Vec<usize> = lump
            .voids
            .iter()
            .filter_map(|v| {
                let shell = self.shell(v, "CLOSED_SHELL")?;
                Some(self.lines.add(format_args!("ORIENTED_CLOSED_SHELL('',*,#{shell},.T.)")))
            })
            .collect();
        Some(self.lines.add(format_args!("BREP_WITH_VOIDS({name},#{outer},{})", refs(voids))))
    }

    fn shell(&mut self, shell: &Shell, kind: &str) -> Option<usize> {
        let faces: Vec<usize> = shell.faces.iter().filter_map(|&f| self.face(f)).collect();
        (!faces.is_empty()).then(|| self.lines.add(format_args!("{kind}('',{})", refs(faces))))
    }

    fn face(&mut self, key: (FaceId, bool)) -> Option<usize> {
        if let Some(known) = self.faces.get(&key) {
            return *known;
        }
        let mut face = self.shape.faces[key.0].clone();
        if !key.1 {
            face.turn();
        }
        let made = self.advanced_face(&face);
        self.left_out += usize::from(made.is_none());
        self.faces.insert(key, made);
        made
    }

    fn advanced_face(&mut self, face: &Face) -> Option<usize> {
        let surface = self.surface(face.surface)?;
        let mut bounds = Vec::new();
        for l in &face.loops {
            let mut edges = Vec::with_capacity(l.uses.len());
            for u in &l.uses {
                let edge = self.edge(u.edge)?;
                edges.push(self.lines.add(format_args!("ORIENTED_EDGE('',*,*,#{edge},{})", truth(u.forward))));
            }
            let run = self.lines.add(format_args!("EDGE_LOOP('',{})", refs(edges)));
            bounds.push(self.lines.add(format_args!("FACE_BOUND('',#{run},.T.)")));
        }
        Some(self.lines.add(format_args!(
            "ADVANCED_FACE({},{},#{surface},{})",
            text(&face.name),
            refs(bounds),
            truth(face.same_sense)
        )))
    }

    fn surface(&mut self, number: SurfaceId) -> Option<usize> {
        if let Some(known) = self.surfaces.get(&number) {
            return *known;
        }
        let made = geometry::surface(self.lines, &self.shape.surfaces[number]);
        self.surfaces.insert(number, made);
        made
    }

    fn vertex(&mut self, number: VertexId) -> usize {
        if let Some(&known) = self.vertices.get(&number) {
            return known;
        }
        let p = geometry::point(self.lines, self.shape.vertices[number]);
        let id = self.lines.add(format_args!("VERTEX_POINT('',#{p})"));
        self.vertices.insert(number, id);
        id
    }

    fn edge(&mut self, number: EdgeId) -> Option<usize> {
        if let Some(known) = self.edges.get(&number) {
            return *known;
        }
        let edge = &self.shape.edges[number];
        let made = geometry::curve(self.lines, &edge.curve).map(|curve| {
            let [a, b] = edge.ends.map(|v| self.vertex(v));
            let name = self.shape.edge_names.get(&number).map_or("", String::as_str);
            self.lines.add(format_args!("EDGE_CURVE({},#{a},#{b},#{curve},.T.)", text(name)))
        });
        self.edges.insert(number, made);
        made
    }

    /// Wires as curves that end where they end; chains as composite curves.
    fn wires(&mut self) -> Option<usize> {
        let shape = self.shape;
        let mut curves = Vec::new();
        for &w in &shape.wires {
            let edge = &shape.edges[w];
            let name = text(shape.edge_names.get(&w).map_or("", String::as_str));
            let made = match &edge.curve {
                Curve::Chain(pieces) => geometry::composite(self.lines, &name, pieces),
                curve => geometry::trimmed(self.lines, &name, curve, edge.range),
            };
            match made {
                Some(curve) => curves.push(curve),
                None => self.left_out += 1,
            }
        }
        (!curves.is_empty()).then(|| self.lines.add(format_args!("GEOMETRIC_CURVE_SET('',{})", refs(curves))))
    }
}

fn truth(x: bool) -> &'static str {
    if x { ".T." } else { ".F." }
}
