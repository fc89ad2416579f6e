//! Solids (186) and shells (514) of faces (510) with loops (508) of edges (504) between vertices (502): every edge and
//! vertex of a part once.

use super::records::{Entry, Parameter, int, number};
use super::{File, geometry};
use hull_exact::curve::Piece;
use hull_exact::parameter_loops::{Sampled, parameter_box};
use hull_exact::sample;
use hull_exact::shape::{Colour, EdgeId, Face, FaceId, Lump, Shape, Shell, VertexId};
use std::collections::HashMap;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// The solids and open shells of a part.
pub fn part(file: &mut File, shape: &Shape, colour: Option<Colour>, dependent: bool) -> Vec<i64> {
    let mut lists = Lists::new(shape);
    let samples = sample::evenly(shape, 16);
    // Loops name lists that are written after them: numbers of directory entries are known beforehand only for what
    // stands before, so that edges and vertices come first.
    lists.write(file, shape);
    let mut faces: HashMap<FaceId, Option<i64>> = HashMap::new();
    let mut shell = |file: &mut File, s: &Shell, closed: bool, entry: &Entry, name: &str| -> Option<i64> {
        let mut list = Vec::with_capacity(2 * s.faces.len());
        for &(f, forward) in &s.faces {
            let face = &shape.faces[f];
            let known = faces.entry(f).or_insert_with(|| {
                let made = lists.face(file, shape, face, &samples);
                file.left_out.faces += usize::from(made.is_none());
                made
            });
            if let Some(id) = *known {
                list.extend([int(id), int(i64::from(forward == face.same_sense))]);
            }
        }
        if list.is_empty() {
            return None;
        }
        let entry = Entry { kind: 514, form: if closed { 1 } else { 2 }, ..entry.clone() };
        let named = if name.is_empty() { Vec::new() } else { file.name_property(name).to_vec() };
        let count = int(list.len() as i64 / 2);
        Some(file.records.add(&entry, std::iter::once(count).chain(list).chain(named)))
    };
    let mut out = Vec::new();
    for lump in &shape.lumps {
        let colour = lump.colour.or(colour).map_or(0, |c| -file.colour(c));
        let own = Entry { colour, dependent, label: lump.name.clone(), ..Entry::default() };
        let part_of = Entry { dependent: true, ..Entry::default() };
        if !lump.closed {
            out.extend(shell(file, &lump.outer, false, &own, &lump.name));
            continue;
        }
        let Some(outer) = shell(file, &lump.outer, true, &part_of, "") else { continue };
        let voids: Vec<i64> = lump.voids.iter().filter_map(|v| shell(file, v, true, &part_of, "")).collect();
        out.push(solid(file, lump, outer, &voids, &own));
    }
    out
}

/// 186.
fn solid(file: &mut File, lump: &Lump, outer: i64, voids: &[i64], own: &Entry) -> i64 {
    let mut parameters = vec![int(outer), int(1), int(voids.len() as i64)];
    parameters.extend(voids.iter().flat_map(|v| [int(*v), int(1)]));
    if !lump.name.is_empty() {
        parameters.extend(file.name_property(&lump.name));
    }
    file.records.add(&Entry { kind: 186, ..own.clone() }, parameters)
}

/// Places of a part's edges and vertices in their lists, from one.
struct Lists {
    edge_list: i64,
    /// Of each edge; `None` for one that no face needs or that has no entity.
    edges: TiVec<EdgeId, Option<i64>>,
}

impl Lists {
    fn new(shape: &Shape) -> Lists {
        Lists { edge_list: 0, edges: ti_vec![None; shape.edges.len()] }
    }

    /// 502 and 504.
    fn write(&mut self, file: &mut File, shape: &Shape) {
        let mut used: TiVec<EdgeId, bool> = ti_vec![false; shape.edges.len()];
        shape.faces.iter().flat_map(|f| &f.loops).flat_map(|l| &l.uses).for_each(|u| used[u.edge] = true);
        let curves: Vec<(EdgeId, i64)> = used
            .keys()
            .filter(|&e| used[e])
            .filter_map(|e| {
                let edge = &shape.edges[e];
                let piece = Piece { curve: edge.curve.clone(), range: edge.range };
                Some((e, geometry::curve(&mut file.records, &piece)?))
            })
            .collect();
        let mut place: TiVec<VertexId, i64> = ti_vec![0; shape.vertices.len()];
        let mut points: Vec<Parameter> = Vec::new();
        for &v in curves.iter().flat_map(|(e, _)| &shape.edges[*e].ends) {
            if place[v] == 0 {
                points.extend(shape.vertices[v].map(number));
                place[v] = points.len() as i64 / 3;
            }
        }
        if curves.is_empty() {
            return;
        }
        let list = |kind: i64| Entry { kind, form: 1, dependent: true, ..Entry::default() };
        let count = int(points.len() as i64 / 3);
        let vertices = file.records.add(&list(502), std::iter::once(count).chain(points));
        let mut rows = vec![int(curves.len() as i64)];
        for (i, (e, curve)) in curves.iter().enumerate() {
            let [a, b] = shape.edges[*e].ends.map(|v| place[v]);
            rows.extend([*curve, vertices, a, vertices, b].map(int));
            self.edges[*e] = Some(i as i64 + 1);
        }
        self.edge_list = file.records.add(&list(504), rows);
    }

    /// 510 and its loops, which have the face on their left as seen against the surface's normal.
    fn face(&self, file: &mut File, shape: &Shape, face: &Face, samples: &TiSlice<EdgeId, Sampled>) -> Option<i64> {
        let needed = parameter_box(shape, face, samples)?;
        let surface = geometry::solid_surface(&mut file.records, &shape.surfaces[face.surface], needed)?;
        let mut loops = Vec::new();
        for l in face.loops.iter().filter(|l| !l.uses.is_empty()) {
            let mut row = vec![int(l.uses.len() as i64)];
            let mut uses: Vec<(EdgeId, bool)> = l.uses.iter().map(|u| (u.edge, u.forward)).collect();
            if !face.same_sense {
                uses.reverse();
                uses.iter_mut().for_each(|u| u.1 = !u.1);
            }
            for (edge, forward) in uses {
                let place = self.edges[edge]?;
                // An edge; its place; its sense; no curve in parameters.
                row.extend([0, self.edge_list, place, i64::from(forward), 0].map(int));
            }
            let entry = Entry { kind: 508, form: 1, dependent: true, ..Entry::default() };
            loops.push(file.records.add(&entry, row));
        }
        if loops.is_empty() {
            return None;
        }
        let colour = face.colour.map_or(0, |c| -file.colour(c));
        let level = file.level(face.layer.as_deref());
        let entry =
            Entry { kind: 510, form: 1, colour, level, dependent: true, label: face.name.clone(), ..Entry::default() };
        // The first loop is not said to be the outer one.
        let mut parameters = vec![int(surface), int(loops.len() as i64), int(0)];
        parameters.extend(loops.into_iter().map(int));
        if !face.name.is_empty() {
            parameters.extend(file.name_property(&face.name));
        }
        Some(file.records.add(&entry, parameters))
    }
}
