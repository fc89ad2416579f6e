//! STEP topology: vertices, edges, faces, shells and solids of one representation.

use super::geometry::Geometry;
use super::part21::{Entity, Value};
use hull_exact::curve::{Curve, Piece};
use hull_exact::model::Tessellated;
use hull_exact::shape::{Colour, EdgeId, Face, FaceId, Loop, Lump, Shape, Shell, SurfaceId, Use, VertexId};
use hull_exact::{Frame, Surface};
use hull_geometry::vector::{distance, norm, scale, sub};
use hull_geometry::{Mesh, Point};
use std::collections::{BTreeMap, HashMap};

/// What a file says of the looks of its items, by entity.
#[derive(Default)]
pub struct Looks {
    /// Colours by the number of what is styled.
    pub colours: HashMap<u64, Colour>,
    /// Of parts in one place only, by the relation or the usage that puts them there; and whether over a colour that
    /// they have.
    pub places: HashMap<u64, (Colour, bool)>,
    /// Layers by the number of what lies on them.
    pub layers: HashMap<u64, String>,
}

/// Builds one part's shape; entities used twice become one.
pub struct Builder<'g, 'a> {
    /// Reads curves and surfaces.
    pub geometry: &'g Geometry<'a>,
    /// Colours and layers.
    pub looks: &'g Looks,
    /// What was built.
    pub shape: Shape,
    /// What came as facets.
    pub tessellated: Vec<Tessellated>,
    vertices: HashMap<u64, VertexId>,
    /// Edge, and whether EDGE_CURVE runs with the curve.
    edges: HashMap<u64, Option<(EdgeId, bool)>>,
    surfaces: HashMap<u64, Option<SurfaceId>>,
    poly_edges: HashMap<(u64, u64), EdgeId>,
    /// Face entity, to the face and whether an oriented face turned it.
    faces: BTreeMap<u64, Option<(FaceId, bool)>>,
    /// The face entity behind each face of the shape.
    pub face_ids: Vec<u64>,
    /// Faces read and faces given up.
    pub given_up: usize,
}

impl<'g, 'a> Builder<'g, 'a> {
    /// Builds a shape.
    pub fn new(geometry: &'g Geometry<'a>, looks: &'g Looks, tolerance: f64) -> Builder<'g, 'a> {
        Builder {
            geometry,
            looks,
            shape: Shape { tolerance, ..Default::default() },
            tessellated: Vec::new(),
            vertices: HashMap::new(),
            edges: HashMap::new(),
            surfaces: HashMap::new(),
            poly_edges: HashMap::new(),
            faces: BTreeMap::new(),
            face_ids: Vec::new(),
            given_up: 0,
        }
    }

    /// Takes one item of a representation in; whether it held geometry.
    pub fn item(&mut self, id: u64) -> bool {
        let Some(e) = self.geometry.entity(id) else { return false };
        let before = (self.shape.faces.len(), self.shape.wires.len(), self.tessellated.len());
        let name = e.item_name();
        if e.is("BREP_WITH_VOIDS") {
            let outer = e.get(1).and_then(Value::reference).or_else(|| self.complex_outer(&e));
            let voids = e.part("BREP_WITH_VOIDS").and_then(|p| p.last()?.list().map(<[Value]>::to_vec));
            self.solid(id, name, outer, voids.unwrap_or_default());
        } else if e.is("MANIFOLD_SOLID_BREP") || e.is("FACETED_BREP") {
            let outer = e.get(1).and_then(Value::reference).or_else(|| self.complex_outer(&e));
            self.solid(id, name, outer, Vec::new());
        } else if e.is("SHELL_BASED_SURFACE_MODEL") || e.is("FACE_BASED_SURFACE_MODEL") {
            for shell in e.get(1).and_then(Value::list).unwrap_or(&[]).to_vec() {
                if let Some(shell) = shell.reference() {
                    self.open_shell(id, &name, shell);
                }
            }
        } else if self.is_shell(&e) {
            self.open_shell(id, &name, id);
        } else if e.is("ADVANCED_FACE") || e.is("FACE_SURFACE") {
            if let Some((face, same)) = self.face(id) {
                self.lump(id, name, false, Shell { faces: vec![(face, same)] }, Vec::new());
            }
        } else if e.is("GEOMETRIC_SET") || e.is("GEOMETRIC_CURVE_SET") {
            for element in e.get(1).and_then(Value::list).unwrap_or(&[]).to_vec() {
                self.loose(id, &name, &element);
            }
        } else if e.is("EDGE_BASED_WIREFRAME_MODEL") || e.is("SHELL_BASED_WIREFRAME_MODEL") {
            self.wireframe(&e, 0);
        } else if e.name().contains("TESSELLATED") || e.name().contains("TRIANGULATED") {
            self.tessellated_item(id, &e, &name, 0);
        } else if e.is("TRIMMED_CURVE") || e.name().ends_with("CURVE") || e.is("POLYLINE") {
            self.loose(id, &name, &Value::Ref(id));
        } else {
            let quiet = ["AXIS2_PLACEMENT_3D", "AXIS2_PLACEMENT_2D", "MAPPED_ITEM", "CARTESIAN_POINT", "DIRECTION"];
            let silent = quiet.iter().any(|q| e.is(q)) || e.name().starts_with("CARTESIAN_TRANSFORMATION");
            if !silent && !e.is("STYLED_ITEM") {
                self.geometry.skip(e.name());
            }
        }
        before != (self.shape.faces.len(), self.shape.wires.len(), self.tessellated.len())
    }

    /// In complex entities the outer shell stands in a part of its own.
    fn complex_outer(&self, e: &Entity<'a>) -> Option<u64> {
        ["MANIFOLD_SOLID_BREP", "FACETED_BREP"].iter().find_map(|n| e.part(n)?.iter().find_map(Value::reference))
    }

    fn is_shell(&self, e: &Entity) -> bool {
        ["CLOSED_SHELL", "OPEN_SHELL", "CONNECTED_FACE_SET", "ORIENTED_CLOSED_SHELL", "ORIENTED_OPEN_SHELL"]
            .iter()
            .any(|n| e.is(n))
    }

    fn lump(&mut self, id: u64, name: String, closed: bool, outer: Shell, voids: Vec<Shell>) {
        if outer.faces.is_empty() {
            return;
        }
        let colour = self.looks.colours.get(&id).copied();
        self.shape.lumps.push(Lump { name, colour, closed, outer, voids });
    }

    fn solid(&mut self, id: u64, name: String, outer: Option<u64>, voids: Vec<Value<'a>>) {
        let Some(outer) = outer else {
            self.geometry.skip("solids without a shell");
            return;
        };
        let (outer, _) = self.shell(outer, 0);
        let voids: Vec<Shell> = voids.iter().filter_map(|v| Some(self.shell(v.reference()?, 0).0)).collect();
        self.lump(id, name, true, outer, voids);
    }

    fn open_shell(&mut self, id: u64, name: &str, shell: u64) {
        let (faces, closed) = self.shell(shell, 0);
        let colour_of = if self.looks.colours.contains_key(&shell) { shell } else { id };
        self.lump(colour_of, name.to_string(), closed, faces, Vec::new());
    }

    /// The faces of a shell, and whether the file calls it closed.
    fn shell(&mut self, id: u64, depth: usize) -> (Shell, bool) {
        let Some(e) = self.geometry.entity(id).filter(|_| depth < 8) else { return (Shell::default(), false) };
        if e.is("ORIENTED_CLOSED_SHELL") || e.is("ORIENTED_OPEN_SHELL") {
            // ORIENTED_…_SHELL(name, *, shell, orientation)
            let p = &e.parts[0].1;
            let Some(inner) = p.get(2).and_then(Value::reference) else { return (Shell::default(), false) };
            let (mut shell, closed) = self.shell(inner, depth + 1);
            if p.get(3).and_then(Value::truth) == Some(false) {
                for f in &mut shell.faces {
                    f.1 = !f.1;
                }
            }
            return (shell, closed);
        }
        let list = e.parts.iter().find_map(|(_, p)| p.iter().find_map(|v| v.list().map(<[Value]>::to_vec)));
        let faces = list.unwrap_or_default();
        let faces = faces.iter().filter_map(|v| self.face(v.reference()?)).collect();
        (Shell { faces }, e.is("CLOSED_SHELL"))
    }

    /// A face and whether it is used as it stands.
    fn face(&mut self, id: u64) -> Option<(FaceId, bool)> {
        if let Some(known) = self.faces.get(&id) {
            return *known;
        }
        self.faces.insert(id, None);
        let made = self.make_face(id);
        if made.is_none() {
            self.given_up += 1;
        }
        self.faces.insert(id, made);
        made
    }

    fn make_face(&mut self, id: u64) -> Option<(FaceId, bool)> {
        let e = self.geometry.entity(id)?;
        if e.is("ORIENTED_FACE") {
            let p = &e.parts[0].1;
            let inner = p.iter().find_map(Value::reference)?;
            let (face, same) = self.face(inner)?;
            return Some((face, same == p.last().and_then(Value::truth).unwrap_or(true)));
        }
        // Simple: name, bounds, surface, sense; complex: the parts FACE (bounds) and FACE_SURFACE.
        let simple = e.parts.len() == 1;
        let bounds = if simple { e.get(1)? } else { e.part("FACE")?.first()? }.list()?.to_vec();
        let (surface_value, same_sense) = if simple {
            (e.get(2).cloned(), e.get(3).and_then(Value::truth).unwrap_or(true))
        } else {
            let p = e.part("FACE_SURFACE");
            let sense = p.and_then(|p| p.get(1)).and_then(Value::truth).unwrap_or(true);
            (p.and_then(|p| p.first().cloned()), sense)
        };
        let name = e.item_name();
        let surface_id = surface_value.as_ref().and_then(Value::reference);
        let (surface, same_sense) = match surface_id {
            Some(surface) => (self.surface(surface)?, same_sense),
            // A plain FACE of poly loops lies in the plane of its loop.
            None => (self.plane_of_loop(&bounds)?, true),
        };
        let mut loops = Vec::new();
        for bound in &bounds {
            if let Some(l) = self.bound(bound, surface, surface_id) {
                loops.push(l);
            }
        }
        if loops.is_empty() && bounds.is_empty() {
            let natural = self.shape.surfaces[surface].clone();
            loops.extend(self.shape.natural_loop(&natural));
        }
        if loops.is_empty() {
            return None;
        }
        Some((self.push_face(id, surface, same_sense, loops, name), true))
    }

    fn push_face(&mut self, id: u64, surface: SurfaceId, same_sense: bool, loops: Vec<Loop>, name: String) -> FaceId {
        self.face_ids.push(id);
        self.shape.faces.push_and_get_key(Face {
            surface,
            same_sense,
            loops,
            name,
            colour: self.looks.colours.get(&id).copied(),
            layer: self.looks.layers.get(&id).cloned(),
        })
    }

    fn surface(&mut self, id: u64) -> Option<SurfaceId> {
        if let Some(known) = self.surfaces.get(&id) {
            return *known;
        }
        let made = self.geometry.surface(Some(&Value::Ref(id))).map(|s| self.shape.add_surface(s));
        self.surfaces.insert(id, made);
        made
    }

    fn plane_of_loop(&mut self, bounds: &[Value<'a>]) -> Option<SurfaceId> {
        let bound = self.geometry.dereference(bounds.first())?;
        let l = self.geometry.dereference(bound.get(1))?;
        let points = self.geometry.points(l.part("POLY_LOOP")?.get(1)?)?;
        let mut normal = hull_geometry::triangulate::polygon_normal(&points);
        if bound.get(2).and_then(Value::truth) == Some(false) {
            normal = scale(normal, -1.0);
        }
        let frame = Frame::new(*points.first()?, normal, Some(sub(*points.get(1)?, points[0])));
        Some(self.shape.add_surface(Surface::Plane(frame)))
    }

    fn bound(&mut self, bound: &Value<'a>, surface: SurfaceId, surface_id: Option<u64>) -> Option<Loop> {
        let e = self.geometry.dereference(Some(bound))?;
        let l = e.get(1)?.reference()?;
        let forward = e.get(2).and_then(Value::truth).unwrap_or(true);
        let run = self.geometry.entity(l)?;
        let on = surface_id.map(|entity| (entity, surface));
        if run.is("VERTEX_LOOP") {
            let natural = self.shape.surfaces[surface].clone();
            // On a cone or the like the vertex is only the tip.
            return self.shape.natural_loop(&natural);
        }
        let mut uses = if let Some(p) = run.part("POLY_LOOP") {
            let ids: Vec<u64> = p.get(1).or(p.first())?.list()?.iter().filter_map(Value::reference).collect();
            self.poly_loop(&ids)?
        } else {
            let edges = run.parts.iter().find_map(|(_, p)| p.iter().find_map(|v| v.list().map(<[Value]>::to_vec)))?;
            edges.iter().filter_map(|v| self.oriented_edge(v.reference()?, on)).collect()
        };
        if !forward {
            uses.reverse();
            for u in &mut uses {
                u.forward = !u.forward;
            }
        }
        (!uses.is_empty()).then_some(Loop { uses })
    }

    fn poly_loop(&mut self, ids: &[u64]) -> Option<Vec<Use>> {
        let mut uses = Vec::with_capacity(ids.len());
        for i in 0..ids.len() {
            let (a, b) = (ids[i], ids[(i + 1) % ids.len()]);
            if a == b {
                continue;
            }
            let key = (a.min(b), a.max(b));
            let edge = match self.poly_edges.get(&key) {
                Some(&e) => e,
                None => {
                    let (va, vb) = (self.vertex_at(key.0)?, self.vertex_at(key.1)?);
                    let (p, q) = (self.shape.vertices[va], self.shape.vertices[vb]);
                    let e = self.shape.add_edge(Curve::Line { origin: p, along: sub(q, p) }, [0.0, 1.0], [va, vb]);
                    self.poly_edges.insert(key, e);
                    e
                }
            };
            uses.push(Use { edge, forward: a < b, hint: None });
        }
        Some(uses)
    }

    /// The vertex of a CARTESIAN_POINT.
    fn vertex_at(&mut self, point: u64) -> Option<VertexId> {
        if let Some(&v) = self.vertices.get(&point) {
            return Some(v);
        }
        let p = self.geometry.point(Some(&Value::Ref(point)))?;
        let v = self.shape.add_vertex(p);
        self.vertices.insert(point, v);
        Some(v)
    }

    fn vertex(&mut self, value: Option<&Value<'a>>) -> Option<VertexId> {
        let id = value?.reference()?;
        if let Some(&v) = self.vertices.get(&id) {
            return Some(v);
        }
        let e = self.geometry.entity(id)?;
        let p = self.geometry.point(e.part("VERTEX_POINT")?.get(1))?;
        let v = self.shape.add_vertex(p);
        self.vertices.insert(id, v);
        Some(v)
    }

    fn oriented_edge(&mut self, id: u64, on: Option<(u64, SurfaceId)>) -> Option<Use> {
        let e = self.geometry.entity(id)?;
        let (edge_id, forward) = match e.part("ORIENTED_EDGE") {
            Some(p) => (p.get(3)?.reference()?, p.get(4).and_then(Value::truth).unwrap_or(true)),
            None => (id, true),
        };
        let (edge, with_curve) = self.edge(edge_id)?;
        let hint = on.and_then(|(entity, surface)| self.hint(edge_id, entity, surface, edge));
        Some(Use { edge, forward: forward == with_curve, hint })
    }

    fn edge(&mut self, id: u64) -> Option<(EdgeId, bool)> {
        if let Some(known) = self.edges.get(&id) {
            return *known;
        }
        let made = self.make_edge(id);
        if made.is_none() {
            self.geometry.skip("edges that cannot be used");
        }
        self.edges.insert(id, made);
        made
    }

    fn make_edge(&mut self, id: u64) -> Option<(EdgeId, bool)> {
        let e = self.geometry.entity(id)?;
        let simple = e.parts.len() == 1;
        // Simple: name, start, end, curve, sense. Complex: EDGE(start, end), EDGE_CURVE(curve, sense).
        let (start, end) =
            if simple { (e.get(1), e.get(2)) } else { (e.part("EDGE")?.first(), e.part("EDGE")?.get(1)) };
        let (a, b) = (self.vertex(start)?, self.vertex(end)?);
        let p = e.part("EDGE_CURVE");
        let at = if simple { 3 } else { 0 };
        let same = p.and_then(|p| p.get(at + 1)).and_then(Value::truth).unwrap_or(true);
        let curve = match p.and_then(|p| p.get(at)) {
            Some(v) => self.geometry.curve(Some(v))?,
            None => {
                let (p, q) = (self.shape.vertices[a], self.shape.vertices[b]);
                Curve::Line { origin: p, along: sub(q, p) }
            }
        };
        let ends = if same { [a, b] } else { [b, a] };
        let range = self.shape.range_between(&curve, ends)?;
        let edge = self.shape.add_edge(curve, range, ends);
        let name = e.item_name();
        if !name.trim().is_empty() && !name.eq_ignore_ascii_case("NONE") {
            self.shape.edge_names.insert(edge, name);
        }
        Some((edge, same))
    }

    /// The file's own curve of an edge in the parameters of a surface, where it gives exactly one.
    fn hint(&self, edge_id: u64, surface_id: u64, surface: SurfaceId, edge: EdgeId) -> Option<Piece> {
        let e = self.geometry.entity(edge_id)?;
        let at = if e.parts.len() == 1 { 3 } else { 0 };
        let curve = self.geometry.dereference(e.part("EDGE_CURVE")?.get(at))?;
        let mut on = curve.get(2)?.list()?.iter().filter_map(|v| {
            let pcurve = self.geometry.dereference(Some(v))?;
            let own = pcurve.is("PCURVE") && pcurve.get(1)?.reference()? == surface_id;
            own.then(|| pcurve.get(2).cloned())?
        });
        let only = on.next()?;
        if on.next().is_some() {
            return None;
        }
        let curve = self.geometry.plane_curve(Some(&only))?;
        let curve = curve.stretched(self.geometry.parameter_units(&self.shape.surfaces[surface]));
        Some(Piece { curve, range: self.shape.edges[edge].range })
    }

    /// An element of a geometric set: a curve as a wire, a bounded surface as a face.
    fn loose(&mut self, id: u64, name: &str, element: &Value<'a>) {
        let Some(e) = self.geometry.dereference(Some(element)) else { return };
        if e.is("CARTESIAN_POINT") || e.is("VERTEX_POINT") {
            self.geometry.skip("points in geometric sets");
            return;
        }
        let is_surface = e.name().ends_with("SURFACE") || e.is("PLANE") || e.name().contains("SURFACE");
        if is_surface && !e.name().ends_with("CURVE") {
            self.loose_surface(id, name, &e);
            return;
        }
        let Some(piece) = self.geometry.trimmed(Some(element)) else {
            self.geometry.skip("curves without ends");
            return;
        };
        let edge = self.wire(piece);
        let own = e.item_name();
        if !own.is_empty() {
            self.shape.edge_names.insert(edge, own);
        }
    }

    fn wire(&mut self, piece: Piece) -> EdgeId {
        let [a, b] = piece.range;
        let range = [a.min(b), a.max(b)];
        let ends = [piece.curve.point(range[0]), piece.curve.point(range[1])];
        let first = self.shape.add_vertex(ends[0]);
        let close = distance(ends[0], ends[1]) <= 1e-9 * (1.0 + norm(ends[0]));
        let last = if close { first } else { self.shape.add_vertex(ends[1]) };
        let edge = self.shape.add_edge(piece.curve, range, [first, last]);
        self.shape.wires.push(edge);
        edge
    }

    fn loose_surface(&mut self, id: u64, name: &str, e: &Entity<'a>) {
        let Some(surface) = self.geometry.surface(Some(&Value::Ref(e.id))) else { return };
        let rectangle = self.geometry.rectangle(e, &surface);
        let mut loops = Vec::new();
        if let Some(sides) = rectangle {
            loops.extend(self.shape.rectangle_loop(&surface, sides));
        } else if let Some(p) = e.part("CURVE_BOUNDED_SURFACE") {
            for bound in p.get(2).and_then(Value::list).unwrap_or(&[]) {
                if let Some(Curve::Chain(pieces)) = self.geometry.curve(Some(bound)) {
                    loops.extend(self.shape.loop_of_pieces(pieces));
                }
            }
            if p.get(3).and_then(Value::truth) == Some(true) {
                loops.extend(self.shape.natural_loop(&surface));
            }
        } else {
            loops.extend(self.shape.natural_loop(&surface));
        }
        if loops.is_empty() {
            self.geometry.skip("surfaces without ends");
            self.given_up += 1;
            return;
        }
        let number = self.shape.add_surface(surface);
        let face = self.push_face(e.id, number, true, loops, String::new());
        self.lump(id, name.to_string(), false, Shell { faces: vec![(face, true)] }, Vec::new());
    }

    fn wireframe(&mut self, e: &Entity<'a>, depth: usize) {
        if depth > 6 {
            return;
        }
        for list in e.parts.iter().flat_map(|(_, p)| p).filter_map(|v| v.list().map(<[Value]>::to_vec)) {
            for v in list {
                let Some(id) = v.reference() else { continue };
                let Some(inner) = self.geometry.entity(id) else { continue };
                if inner.is("EDGE_CURVE") || inner.is("ORIENTED_EDGE") {
                    if let Some(u) = self.oriented_edge(id, None)
                        && !self.shape.wires.contains(&u.edge)
                    {
                        self.shape.wires.push(u.edge);
                    }
                } else {
                    self.wireframe(&inner, depth + 1);
                }
            }
        }
    }

    fn tessellated_item(&mut self, id: u64, e: &Entity<'a>, name: &str, depth: usize) {
        if depth > 6 {
            return;
        }
        let mesh = match e.name().to_ascii_uppercase().as_str() {
            // name, coordinates, pnmax, normals, geometric link, pnindex, triangles | strips, fans
            "TRIANGULATED_FACE" => self.triangles(e, 5, &[6], &[], &[]),
            "COMPLEX_TRIANGULATED_FACE" => self.triangles(e, 5, &[], &[6], &[7]),
            "TRIANGULATED_SURFACE_SET" => self.triangles(e, 4, &[5], &[], &[]),
            "COMPLEX_TRIANGULATED_SURFACE_SET" => self.triangles(e, 4, &[], &[5], &[6]),
            "TESSELLATED_SOLID" | "TESSELLATED_SHELL" | "TESSELLATED_GEOMETRIC_SET" => {
                for item in e.get(1).and_then(Value::list).unwrap_or(&[]) {
                    if let Some(inner) = self.geometry.dereference(Some(item)) {
                        let own = Some(inner.item_name()).filter(|t| !t.is_empty()).unwrap_or_else(|| name.to_string());
                        self.tessellated_item(inner.id, &inner, &own, depth + 1);
                    }
                }
                return;
            }
            _ => {
                self.geometry.skip(e.name());
                return;
            }
        };
        match mesh {
            Some(mesh) if !mesh.triangles.is_empty() => {
                let colour = self.looks.colours.get(&id).copied();
                self.tessellated.push(Tessellated { name: name.to_string(), colour, mesh });
            }
            _ => self.geometry.skip("tessellated items that cannot be used"),
        }
    }

    fn triangles(
        &self,
        e: &Entity<'a>,
        index: usize,
        plain: &[usize],
        strips: &[usize],
        fans: &[usize],
    ) -> Option<Mesh> {
        let coordinates = self.geometry.dereference(e.get(1))?;
        let points: Vec<Point> = coordinates
            .part("COORDINATES_LIST")?
            .get(2)?
            .list()?
            .iter()
            .map(|row| {
                let row = row.list()?;
                Some([row.first()?.number()?, row.get(1)?.number()?, row.get(2)?.number()?])
            })
            .collect::<Option<_>>()?;
        let whole = |v: &Value| -> Option<Vec<usize>> {
            v.list()?.iter().map(|i| usize::try_from(i.integer()?).ok()).collect()
        };
        let chosen = e.get(index).and_then(whole).unwrap_or_default();
        let number = |i: usize| -> Option<u32> {
            let at = if chosen.is_empty() { i } else { *chosen.get(i.checked_sub(1)?)? };
            (at >= 1 && at <= points.len()).then(|| at as u32 - 1)
        };
        let mut triangles = Vec::new();
        let mut push = |a: usize, b: usize, c: usize| -> Option<()> {
            let t = [number(a)?, number(b)?, number(c)?];
            if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
                triangles.push(t);
            }
            Some(())
        };
        let rows = |at: &usize| e.get(*at).and_then(Value::list).unwrap_or(&[]).to_vec();
        for row in plain.iter().flat_map(rows) {
            let r = whole(&row)?;
            push(*r.first()?, *r.get(1)?, *r.get(2)?)?;
        }
        for row in strips.iter().flat_map(rows) {
            let r = whole(&row)?;
            for (i, w) in r.windows(3).enumerate() {
                if i % 2 == 0 { push(w[0], w[1], w[2])? } else { push(w[0], w[2], w[1])? }
            }
        }
        for row in fans.iter().flat_map(rows) {
            let r = whole(&row)?;
            for w in r.get(1..).unwrap_or(&[]).windows(2) {
                push(r[0], w[0], w[1])?;
            }
        }
        let mut mesh = Mesh::from_arrays(points, triangles);
        mesh.drop_unused_points();
        Some(mesh)
    }
}
