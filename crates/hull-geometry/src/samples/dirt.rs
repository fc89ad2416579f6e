//! Dirt: what goes wrong with surfaces on their way, done to clean ones on purpose. For tests, tables and demo data.

use crate::PointId;
use crate::corners::Corners;
use crate::mesh::{FacetId, Mesh, Point};
use crate::shapes::{cuboid, sphere, torus};
use crate::topology::neighbours;
use crate::vector::{add, lerp, scale, unit};
use std::collections::{HashMap, HashSet};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// One way of spoiling a surface. Lengths are parts of the body's diagonal.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Dirt {
    /// The surface falls apart in patches that stand off each other.
    Gaps {
        /// How many.
        patches: usize,
        /// How wide.
        gap: f64,
    },
    /// Edges that have a point in the middle on one side only.
    Junctions {
        /// How many.
        edges: usize,
    },
    /// Patches that reach over their neighbours.
    Overlaps {
        /// How many.
        patches: usize,
        /// How far apart.
        gap: f64,
    },
    /// Facets turned over.
    Flips {
        /// How many.
        facets: usize,
    },
    /// Facets that are there twice.
    Duplicates {
        /// How many.
        facets: usize,
    },
    /// Holes, of a facet and those around it.
    Holes {
        /// How many.
        holes: usize,
    },
    /// Points drawn sideways over their neighbours, so that facets run through each other.
    Crossings {
        /// How many.
        points: usize,
    },
    /// Points drawn out by this much.
    Spikes {
        /// How many.
        points: usize,
        /// How high.
        height: f64,
    },
    /// The whole surface a second time, off by this much.
    Skin {
        /// How far off.
        gap: f64,
    },
    /// Every point off by this much at most.
    Noise {
        /// How much points move.
        size: f64,
    },
    /// Small bodies adrift near the surface.
    Islands {
        /// How many.
        islands: usize,
        /// How large.
        size: f64,
    },
}

impl Dirt {
    /// Whether some of the surface is gone, so that it cannot come back as it was.
    pub fn removes(&self) -> bool {
        matches!(self, Dirt::Holes { .. })
    }

    /// One of all kinds, in a measure in which it comes.
    pub fn any(dice: &mut Dice) -> Dirt {
        let n = 1 + dice.below(4);
        match dice.below(11) {
            0 => Dirt::Gaps { patches: 2 + n, gap: 2e-4 },
            1 => Dirt::Junctions { edges: 5 * n },
            2 => Dirt::Overlaps { patches: 2 + n, gap: 2e-4 },
            3 => Dirt::Flips { facets: 5 * n },
            4 => Dirt::Duplicates { facets: 5 * n },
            5 => Dirt::Holes { holes: n },
            6 => Dirt::Crossings { points: n },
            7 => Dirt::Spikes { points: n, height: 0.2 },
            8 => Dirt::Skin { gap: 2e-5 },
            9 => Dirt::Noise { size: 5e-5 },
            _ => Dirt::Islands { islands: n, size: 0.004 },
        }
    }

    /// As it is said.
    pub fn name(&self) -> &'static str {
        match self {
            Dirt::Gaps { .. } => "gaps",
            Dirt::Junctions { .. } => "T-junctions",
            Dirt::Overlaps { .. } => "overlaps",
            Dirt::Flips { .. } => "flips",
            Dirt::Duplicates { .. } => "duplicates",
            Dirt::Holes { .. } => "holes",
            Dirt::Crossings { .. } => "crossings",
            Dirt::Spikes { .. } => "spikes",
            Dirt::Skin { .. } => "skin",
            Dirt::Noise { .. } => "noise",
            Dirt::Islands { .. } => "islands",
        }
    }
}

/// Numbers that look random and are the same for the same seed (splitmix64, G. Steele et al., 2014).
#[derive(Clone, Debug)]
pub struct Dice(pub u64);

impl Dice {
    /// The next number.
    pub fn roll(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let z = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A whole number below `n`.
    pub fn below(&mut self, n: usize) -> usize {
        (self.roll() % n.max(1) as u64) as usize
    }

    /// A number from 0 to 1.
    pub fn part(&mut self) -> f64 {
        (self.roll() >> 11) as f64 / (1u64 << 53) as f64
    }

    /// A direction.
    pub fn direction(&mut self) -> Point {
        loop {
            let v = [0; 3].map(|_| 2.0 * self.part() - 1.0);
            if let Some(u) = unit(v) {
                return u;
            }
        }
    }
}

/// Spoils a surface.
pub fn spoil(mesh: &Mesh, dirt: Dirt, dice: &mut Dice) -> Mesh {
    let size = mesh.bounds().diagonal();
    let mut out = mesh.clone();
    match dirt {
        Dirt::Gaps { patches, gap } => return apart(mesh, &patches_of(mesh, patches, dice), gap * size, false, dice),
        Dirt::Overlaps { patches, gap } => {
            return apart(mesh, &patches_of(mesh, patches, dice), gap * size, true, dice);
        }
        Dirt::Junctions { edges } => {
            for _ in 0..edges {
                let f = FacetId::from(dice.below(out.triangles.len()));
                let k = dice.below(3);
                let t = out.triangles[f];
                let (a, b, c) = (t[k], t[(k + 1) % 3], t[(k + 2) % 3]);
                let part = 0.25 + 0.5 * dice.part();
                let m = out.points.push_and_get_key(lerp(out.points[a], out.points[b], part));
                out.triangles[f] = [a, m, c];
                out.triangles.push([m, b, c]);
            }
        }
        Dirt::Flips { facets } => (0..facets).for_each(|_| {
            let f = FacetId::from(dice.below(out.triangles.len()));
            out.triangles[f].swap(1, 2);
        }),
        Dirt::Duplicates { facets } => (0..facets).for_each(|_| {
            let t = out.triangles[FacetId::from(dice.below(out.triangles.len()))];
            out.triangles.push(if dice.below(2) == 0 { t } else { [t[0], t[2], t[1]] });
        }),
        Dirt::Holes { holes } => {
            let around = neighbours(mesh);
            let mut gone = HashSet::new();
            for _ in 0..holes {
                let f = FacetId::from(dice.below(mesh.triangles.len()));
                gone.insert(f);
                gone.extend(around[f]);
            }
            let mut f = 0;
            out.triangles.retain(|_| {
                f += 1;
                !gone.contains(&FacetId(f - 1))
            });
            out.drop_unused_points();
        }
        Dirt::Crossings { points } => {
            let corners = Corners::new(mesh, |_| false);
            for _ in 0..points {
                let p = PointId::from(dice.below(mesh.points.len()));
                let Some(&f) = corners.at(p).first() else { continue };
                let q = mesh.triangles[f].into_iter().find(|q| *q != p).unwrap_or(p);
                // Over the neighbour and half as far again.
                out.points[p] = lerp(mesh.points[p], mesh.points[q], 1.5);
            }
        }
        Dirt::Spikes { points, height } => {
            let corners = Corners::new(mesh, |_| false);
            for _ in 0..points {
                let p = PointId::from(dice.below(mesh.points.len()));
                let sum = corners.at(p).iter().fold([0.0; 3], |s, &f| add(s, mesh.area_vector(f)));
                if let Some(n) = unit(sum) {
                    out.points[p] = add(mesh.points[p], scale(n, height * size));
                }
            }
        }
        Dirt::Skin { gap } => {
            let mut skin = mesh.clone();
            let by = scale(dice.direction(), gap * size);
            skin.points.iter_mut().for_each(|p| *p = add(*p, by));
            if dice.below(2) == 0 {
                skin.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            }
            out.append(&skin);
        }
        Dirt::Noise { size: part } => {
            out.points.iter_mut().for_each(|p| *p = add(*p, scale(dice.direction(), dice.part() * part * size)));
        }
        Dirt::Islands { islands, size: part } => {
            for _ in 0..islands {
                let on = mesh.points[PointId::from(dice.below(mesh.points.len()))];
                let at = add(on, scale(dice.direction(), 4.0 * part * size));
                let mut small = cuboid([part * size; 3]);
                small.points.iter_mut().for_each(|p| *p = add(at, *p));
                if dice.below(2) == 0 {
                    small.triangles.truncate(6);
                }
                out.append(&small);
            }
        }
    }
    out
}

/// For each facet the patch it falls to: the nearest of some seeds, over the surface.
fn patches_of(mesh: &Mesh, patches: usize, dice: &mut Dice) -> TiVec<FacetId, u32> {
    let around = neighbours(mesh);
    let mut patch: TiVec<FacetId, u32> = ti_vec![crate::NONE; mesh.triangles.len()];
    let mut queue = std::collections::VecDeque::new();
    for k in 0..patches as u32 {
        let f = FacetId::from(dice.below(mesh.triangles.len()));
        if patch[f] == crate::NONE {
            patch[f] = k;
            queue.push_back(f);
        }
    }
    while let Some(f) = queue.pop_front() {
        for g in around[f].into_iter().filter(|g| *g != FacetId::NONE) {
            if patch[g] == crate::NONE {
                patch[g] = patch[f];
                queue.push_back(g);
            }
        }
    }
    patch
}

fn apart(mesh: &Mesh, patch: &TiSlice<FacetId, u32>, gap: f64, overlap: bool, dice: &mut Dice) -> Mesh {
    let around = neighbours(mesh);
    let mut members: HashMap<u32, Vec<FacetId>> = HashMap::new();
    for f in mesh.triangles.keys() {
        members.entry(patch[f]).or_default().push(f);
        if overlap {
            // Facets beside the patch belong to it as well where it is the higher one.
            let mut beside: Vec<u32> =
                around[f].into_iter().filter(|g| *g != FacetId::NONE).map(|g| patch[g]).collect();
            beside.sort_unstable();
            beside.dedup();
            for p in beside.into_iter().filter(|p| *p > patch[f]) {
                members.entry(p).or_default().push(f);
            }
        }
    }
    let mut order: Vec<u32> = members.keys().copied().collect();
    order.sort_unstable();
    let mut out = Mesh::default();
    for p in order {
        let by = scale(dice.direction(), 0.5 * gap);
        let mut number: HashMap<PointId, PointId> = HashMap::new();
        for f in &members[&p] {
            let t = mesh.triangles[*f]
                .map(|q| *number.entry(q).or_insert_with(|| out.points.push_and_get_key(add(mesh.points[q], by))));
            out.triangles.push(t);
        }
    }
    out
}

/// One to four kinds of dirt, each once.
pub fn mixture(dice: &mut Dice) -> Vec<Dirt> {
    let kinds = 1 + dice.below(4);
    let mut dirt: Vec<Dirt> = Vec::new();
    while dirt.len() < kinds {
        let d = Dirt::any(dice);
        if !dirt.iter().any(|e| e.name() == d.name()) {
            dirt.push(d);
        }
    }
    dirt
}

/// A unit cube of `12 · 4ⁿ` equal facets.
pub fn gridded(n: usize) -> Mesh {
    let mut mesh = cuboid([1.0; 3]);
    for _ in 0..n {
        mesh = quartered(&mesh);
    }
    mesh
}

fn quartered(mesh: &Mesh) -> Mesh {
    let mut out = Mesh { points: mesh.points.clone(), triangles: TiVec::new() };
    let mut middle = HashMap::new();
    for t in &mesh.triangles {
        let m = [0, 1, 2].map(|k| {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            *middle.entry([a.min(b), a.max(b)]).or_insert_with(|| {
                let [p, q] = [a, b].map(|i| mesh.points[i]);
                out.points.push_and_get_key([0, 1, 2].map(|c| (p[c] + q[c]) / 2.0))
            })
        });
        out.triangles.extend([[t[0], m[0], m[2]], [t[1], m[1], m[0]], [t[2], m[2], m[1]], m]);
    }
    out
}

/// A clean closed surface, 50 to 100 long: a ball, a ring, a cube, or a ball with a cavity.
pub fn clean_body(dice: &mut Dice) -> Mesh {
    let mut mesh = match dice.below(4) {
        0 => sphere(1.0, 40, 24),
        1 => torus(1.0, 0.35, 48, 20),
        2 => gridded(4),
        _ => {
            // A thick-walled bowl: a sphere with a smaller one inside, a cavity.
            let mut outer = sphere(1.0, 36, 20);
            let mut inner = sphere(0.7, 30, 16);
            inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            outer.append(&inner);
            outer
        }
    };
    crate::transform::enlarge(&mut mesh, 50.0);
    mesh
}
