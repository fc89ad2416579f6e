//! Layers put beside the mesh of what they leave: places they share with it, cells, edges.

use super::{Cdt, Meshed, Segment, Square, layers, nearest, twice_area};
use spade::{Point2, Triangulation};
use std::collections::{HashMap, HashSet};

/// A place as a key.
pub(super) fn bits(p: Point2<f64>) -> [u64; 2] {
    [p.x.to_bits(), p.y.to_bits()]
}

/// Where the tops of layers are in the mesh of what is left.
#[derive(Default)]
pub(super) struct Tops {
    /// The region on the far side of each top, by its ends.
    pub region: HashMap<[[u64; 2]; 2], usize>,
    /// The groups of faces between tops and walls, which layers take the place of.
    pub beneath: HashSet<usize>,
}

impl Tops {
    pub fn of(cdt: &Cdt, tops: &[[[f64; 2]; 2]], depth: &[(usize, usize)], square: &Square) -> Tops {
        let wanted: HashSet<[[u64; 2]; 2]> = tops.iter().map(|t| t.map(|p| bits(square.of(p)))).collect();
        let mut out = Tops::default();
        if wanted.is_empty() {
            return out;
        }
        for edge in cdt.directed_edges() {
            let ends = edge.vertices().map(|v| bits(v.position()));
            if !wanted.contains(&ends) {
                continue;
            }
            if let Some(face) = edge.face().as_inner() {
                out.region.insert(ends, depth[face.fix().index()].1);
            }
            if let Some(face) = edge.rev().face().as_inner() {
                out.beneath.insert(depth[face.fix().index()].1);
            }
        }
        out
    }

    pub fn has(&self, [a, b]: [Point2<f64>; 2]) -> bool {
        let (a, b) = (bits(a), bits(b));
        self.region.contains_key(&[a, b]) || self.region.contains_key(&[b, a])
    }

    /// The region that a strip belongs to.
    pub fn region_of(&self, strip: &layers::Strip, square: &Square) -> usize {
        let top = &strip.rows[strip.rows.len() - 1];
        let ends = |i: usize| [top[i], top[(i + 1) % top.len()]].map(|p| bits(square.of(p)));
        (0..top.len()).find_map(|i| self.region.get(&ends(i)).copied()).unwrap_or(usize::MAX)
    }
}

/// Puts layers beside the mesh of what is left.
pub(super) struct Strips<'a> {
    pub out: &'a mut Meshed,
    /// Places of that mesh.
    pub place: HashMap<[u64; 2], u32>,
    pub square: &'a Square,
    pub joined: &'a [Segment],
    /// Places of layers, to within what rounding leaves.
    pub near: HashMap<[i64; 2], u32>,
}

impl Strips<'_> {
    fn number(&mut self, p: [f64; 2]) -> u32 {
        let q = self.square.of(p);
        if let Some(n) = self.place.get(&bits(q)) {
            return *n;
        }
        let key = [q.x, q.y].map(|x| (x * 1e10).round() as i64);
        *self.near.entry(key).or_insert_with(|| {
            self.out.points.push(p);
            self.out.points.len() as u32 - 1
        })
    }

    /// The triangles of a strip, two a cell, with their areas; its walls, and where it ends along other lines, become edges.
    pub fn add(&mut self, strip: &layers::Strip) -> Vec<([u32; 3], f64)> {
        let mut numbers: Vec<Vec<u32>> = Vec::new();
        for row in &strip.rows {
            let own = row.iter().map(|p| self.number(*p)).collect();
            numbers.push(own);
        }
        let n = numbers[0].len();
        let walls = n - usize::from(!strip.closed);
        let mut made = Vec::new();
        for rows in numbers.windows(2) {
            for i in 0..walls {
                let j = (i + 1) % n;
                let [a, b, c, d] = [rows[0][i], rows[0][j], rows[1][j], rows[1][i]];
                for t in [[a, b, c], [a, c, d]] {
                    made.push((t, twice_area(t.map(|p| self.out.points[p as usize])) / 2.0));
                }
            }
        }
        let mut known: HashSet<[u32; 2]> = self.out.edges.iter().map(|e| e.0).collect();
        let mut edge = |out: &mut Meshed, [a, b]: [u32; 2], name: u32| {
            if !known.contains(&[b, a]) && known.insert([a, b]) {
                out.edges.push(([a, b], name));
            }
        };
        for i in 0..walls {
            edge(self.out, [numbers[0][i], numbers[0][(i + 1) % n]], strip.names[i]);
        }
        let along_lines = [0, n - 1].into_iter().zip(strip.free).filter(|(_, free)| !free && !strip.closed);
        for (side, _) in along_lines {
            for (k, rows) in numbers.windows(2).enumerate() {
                let ends = [strip.rows[k][side], strip.rows[k + 1][side]];
                let middle = [0, 1].map(|a| 0.5 * (ends[0][a] + ends[1][a]));
                edge(self.out, [rows[0][side], rows[1][side]], nearest(self.joined, middle));
            }
        }
        made
    }
}
