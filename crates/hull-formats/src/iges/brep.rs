//! B-reps in IGES: solids (186), shells (514), faces (510), loops (508), and lists of edges (504) and vertices (502).

use super::counting::{MOST, count};
use super::geometry::numbers;
use super::record::Entry;
use super::structure::{Builder, list_after};
use hull_exact::curve::{Curve, Piece};
use hull_exact::shape::{EdgeId, FaceId, Loop, Shell, Use, VertexId};
use hull_geometry::vector::distance;

impl Builder<'_, '_> {
    pub(super) fn solid(&mut self, de: i64, entry: &Entry) {
        let Some((_, p)) = self.reader.entity(de) else { return };
        let n = numbers(&p);
        let Some(outer) = n.get(1) else { return };
        let outer = self.shell(*outer as i64);
        let count = n.get(3).copied().unwrap_or(0.0) as usize;
        let voids = (0..count.min(n.len())).filter_map(|i| n.get(4 + 2 * i)).map(|v| *v as i64).collect::<Vec<_>>();
        let voids = voids.into_iter().map(|v| self.shell(v)).collect();
        self.lump(de, entry, outer, voids, true);
    }

    /// 514: the faces of a shell.
    pub(super) fn shell(&mut self, de: i64) -> Shell {
        let Some((entry, p)) = self.reader.entity(de) else { return Shell::default() };
        let n = numbers(&p);
        if entry.kind != 514 {
            return Shell::default();
        }
        let count = n.get(1).copied().unwrap_or(0.0).max(0.0) as usize;
        let mut faces = Vec::new();
        for i in 0..count.min(n.len() / 2) {
            let (Some(face), Some(sense)) = (n.get(2 + 2 * i), n.get(3 + 2 * i)) else { break };
            match self.brep_face(*face as i64) {
                Some(f) => faces.push((f, *sense as i64 != 0)),
                None => self.given_up += 1,
            }
        }
        Shell { faces }
    }

    /// 510: a face of a B-rep.
    pub(super) fn brep_face(&mut self, de: i64) -> Option<FaceId> {
        let (entry, p) = self.reader.entity(de)?;
        if entry.kind != 510 {
            return None;
        }
        let n = numbers(&p);
        let bounded = self.reader.surface(*n.get(1)? as i64)?;
        let mut loops = Vec::new();
        for l in list_after(&n, 2, 4) {
            loops.extend(self.brep_loop(l));
        }
        if loops.iter().all(|l: &Loop| l.uses.is_empty()) {
            loops = vec![self.sides_loop(&bounded)?];
        }
        Some(self.push_face(de, entry, bounded.surface, loops, true))
    }

    /// 508: a loop of edges and of vertices (poles), each with its curves in parameters, which are not needed.
    fn brep_loop(&mut self, de: i64) -> Option<Loop> {
        let (entry, p) = self.reader.entity(de)?;
        if entry.kind != 508 {
            return None;
        }
        let n = numbers(&p);
        let uses_told = count(*n.get(1)?, n.len())?;
        let mut at = 2;
        let mut uses = Vec::new();
        for _ in 0..uses_told {
            let (kind, list, index) = (*n.get(at)? as i64, *n.get(at + 1)? as i64, *n.get(at + 2)?);
            let forward = *n.get(at + 3)? as i64 != 0;
            let curves = count(*n.get(at + 4)?, n.len())?;
            at += 5 + 2 * curves;
            if kind == 0
                && let Some(edge) = self.brep_edge(list, count(index, MOST)?)
            {
                uses.push(Use { edge, forward, hint: None });
            }
        }
        Some(Loop { uses })
    }

    /// 504: edge `index` of an edge list.
    fn brep_edge(&mut self, list: i64, index: usize) -> Option<EdgeId> {
        if let Some(known) = self.edges.get(&(list, index)) {
            return *known;
        }
        let made = self.make_edge(list, index);
        self.edges.insert((list, index), made);
        made
    }

    fn make_edge(&mut self, list: i64, index: usize) -> Option<EdgeId> {
        let (entry, p) = self.reader.entity(list)?;
        let n = numbers(&p);
        if entry.kind != 504 {
            return None;
        }
        let row = n.get(2 + 5 * index.checked_sub(1)?..7 + 5 * (index - 1))?;
        let piece = self.reader.curve(row[0] as i64)?;
        let start = self.brep_vertex(row[1] as i64, count(row[2], MOST)?)?;
        let end = self.brep_vertex(row[3] as i64, count(row[4], MOST)?)?;
        let (p, q) = (piece.at(0.0)[0], piece.at(1.0)[0]);
        let length = distance(p, piece.at(0.5)[0]) + distance(piece.at(0.5)[0], q);
        if length <= self.resolution {
            return None;
        }
        let [a, b] = piece.range;
        let (range, ends) = if a < b { ([a, b], [start, end]) } else { ([b, a], [end, start]) };
        let edge = self.shape.add_edge(piece.curve, range, ends);
        if a < b {
            return Some(edge);
        }
        // Loops speak of the curve's own direction; a reversed range would need a flag of its own.
        let e = &mut self.shape.edges[edge];
        let inner = Piece { curve: std::mem::replace(&mut e.curve, Curve::Chain(Vec::new())), range: [a, b] };
        e.curve = Curve::Chain(vec![inner]);
        e.range = [0.0, 1.0];
        e.ends = [start, end];
        Some(edge)
    }

    fn brep_vertex(&mut self, list: i64, index: usize) -> Option<VertexId> {
        if let Some(&v) = self.vertices.get(&(list, index)) {
            return Some(v);
        }
        let (entry, p) = self.reader.entity(list)?;
        let n = numbers(&p);
        if entry.kind != 502 {
            return None;
        }
        let at = 2 + 3 * index.checked_sub(1)?;
        let p = [*n.get(at)?, *n.get(at + 1)?, *n.get(at + 2)?];
        let v = self.shape.add_vertex(self.reader.motion(entry).point(p));
        self.vertices.insert((list, index), v);
        Some(v)
    }
}
