//! Facets that lie on other facets: skins, surfaces exported with both sides, overlapping strips.
//!
//! Compared are sets of facets: what has one label in one shell. A neutral skin over coloured faces lies on sets of
//! several labels, while each of those lies on the skin only; so it is told which of the two is the skin.

use crate::mesh::{FacetId, Mesh, NONE};
use crate::topology::Topology;
use crate::tree::FacetTree;
use crate::vector::{add, dot, norm, scale, unit};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::cmp::Reverse;
use std::collections::{BTreeSet, HashMap};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// How parallel facets are that lie on each other: the cosine of the angle between them.
const PARALLEL: f64 = 0.9;
/// A set that lies on others with this part of its area is there twice as a whole.
const WHOLE: f64 = 0.98;

/// Facets of one shell lie on each other only where they are this close, as a part of the body's diagonal: the two
/// sides of thin sheet are one shell too.
const COINCIDENT: f64 = 1e-7;

/// Boxes of the tree that are opened for one facet at most: where thousands of facets stand within the tolerance of one place,
/// it says little about which of them lie on each other.
const MOST_BOXES: usize = 4096;

/// Sets of facets that lie on others.
#[derive(Clone, Debug, Default)]
pub struct Doubles {
    /// For each facet the set it lies on, [`NONE`] if it lies on no other. A set is what has one label in one shell.
    pub on: TiVec<FacetId, u32>,
    /// Facets that can go without leaving anything bare: whole sets that lie on others, and parts of open shells.
    pub redundant: Vec<FacetId>,
    /// Whole sets among those: number, area.
    pub whole: Vec<(u32, f64)>,
}

/// What has one label in one shell, counted through.
struct Sets {
    /// The set of each facet; [`NONE`] for facets without area.
    of: TiVec<FacetId, u32>,
    shell: Vec<u32>,
    label: Vec<u32>,
}

impl Sets {
    fn new(topology: &Topology, label_of: &TiSlice<FacetId, u32>) -> Sets {
        let mut number: HashMap<(u32, u32), u32> = HashMap::new();
        let mut sets = Sets { of: TiVec::with_capacity(topology.shell_of.len()), shell: Vec::new(), label: Vec::new() };
        for (f, &shell) in topology.shell_of.iter_enumerated() {
            let label = label_of.get(f).copied().unwrap_or(0);
            sets.of.push(if shell == NONE {
                NONE
            } else {
                *number.entry((shell, label)).or_insert_with(|| {
                    sets.shell.push(shell);
                    sets.label.push(label);
                    sets.shell.len() as u32 - 1
                })
            });
        }
        sets
    }

    fn shell_of(&self, f: FacetId) -> u32 {
        self.of.get(f).and_then(|s| self.shell.get(*s as usize)).copied().unwrap_or(NONE)
    }
}

/// Finds facets all of which is no further than `tolerance` from another shell that runs along them there, or
/// coincides with another label (`label_of` each facet, empty if all have one) of their own.
///
/// # Errors
/// [`Cancelled`].
pub fn doubles(
    mesh: &Mesh,
    topology: &Topology,
    label_of: &TiSlice<FacetId, u32>,
    tolerance: f64,
    watch: &Watch,
) -> Result<Doubles, Cancelled> {
    let sets = Sets::new(topology, label_of);
    if sets.shell.len() < 2 {
        return Ok(Doubles { on: ti_vec![NONE; mesh.triangles.len()], ..Default::default() });
    }
    let on = lies_on(mesh, &sets, tolerance, watch)?;
    let n = sets.shell.len();
    let (mut area, mut doubled) = (vec![0.0; n], vec![0.0; n]);
    let mut open = vec![false; topology.shells];
    topology.open.iter().for_each(|e| open[topology.shell_of[e.facet] as usize] = true);
    let is_open = |s: u32| open[sets.shell[s as usize] as usize];
    // The labels that each set lies on.
    let mut labels: Vec<BTreeSet<u32>> = vec![BTreeSet::new(); n];
    for (f, &s) in sets.of.iter_enumerated().filter(|(_, s)| **s != NONE) {
        let a = norm(mesh.area_vector(f)) / 2.0;
        area[s as usize] += a;
        if on[f] != NONE {
            doubled[s as usize] += a;
            labels[s as usize].insert(sets.label[on[f] as usize]);
        }
    }
    // A neutral skin lies on many labels, each of which lies on it only. Else the one that stays is closed rather than
    // open, then larger, then came first.
    let weight = |s: u32| (Reverse(labels[s as usize].len()), !is_open(s), area[s as usize], Reverse(s));
    let yields = |s: u32, to: u32| {
        let (a, b) = (weight(s), weight(to));
        a.0.cmp(&b.0).then(a.1.cmp(&b.1)).then(a.2.total_cmp(&b.2)).then(a.3.cmp(&b.3)).is_lt()
    };
    let mut goes: Vec<bool> = (0..n).map(|s| doubled[s] >= WHOLE * area[s]).collect();
    for (s, to) in sets.of.iter().zip(&on).filter(|(s, to)| **s != NONE && **to != NONE) {
        goes[*s as usize] &= yields(*s, *to);
    }
    let whole: Vec<(u32, f64)> =
        (0..n).filter(|s| goes[*s] && doubled[*s] > 0.0).map(|s| (s as u32, area[s])).collect();
    let overlaps = |s: u32, to: u32| {
        to != NONE
            && sets.shell[s as usize] != sets.shell[to as usize]
            && is_open(s)
            && yields(s, to)
            && !goes[to as usize]
    };
    let redundant = mesh
        .triangles
        .keys()
        .filter(|&f| {
            let (s, to) = (sets.of[f], on[f]);
            s != NONE && (goes[s as usize] || overlaps(s, to))
        })
        .collect();
    Ok(Doubles { on, redundant, whole })
}

/// For each facet the set it lies on.
fn lies_on(mesh: &Mesh, sets: &Sets, tolerance: f64, watch: &Watch) -> Result<TiVec<FacetId, u32>, Cancelled> {
    let tree = FacetTree::of(mesh);
    let within = tolerance * tolerance;
    let coincident = (COINCIDENT * mesh.bounds().diagonal()).powi(2);
    let several_labels = sets.label.iter().any(|l| *l != sets.label[0]);
    let look = |f: FacetId| -> u32 {
        let own = sets.of[f];
        let Some(normal) = unit(mesh.area_vector(f)).filter(|_| own != NONE) else { return NONE };
        let shell = sets.shell_of(f);
        let along = |g: FacetId| unit(mesh.area_vector(g)).is_some_and(|n| dot(n, normal).abs() > PARALLEL);
        let [a, b, c] = mesh.corners(f);
        let places = [scale(add(a, add(b, c)), 1.0 / 3.0), a, b, c];
        let (mut found, mut boxes) = (NONE, MOST_BOXES);
        let on_shell = places.iter().all(|p| {
            let other = |g: FacetId| {
                let of = sets.shell_of(g);
                of != shell && of != NONE && (found == NONE || of == sets.shell[found as usize]) && along(g)
            };
            let nearest = tree.nearest_opening(mesh, *p, within, other, &mut boxes);
            found = nearest.filter(|_| found == NONE).map_or(found, |n| sets.of[n.0]);
            nearest.is_some()
        });
        if on_shell || !several_labels {
            return if on_shell { found } else { NONE };
        }
        // Beside another label a facet touches it with its rim, not with its middle.
        let other = |g: FacetId| sets.of[g] != own && sets.shell_of(g) == shell && along(g);
        let nearest =
            places.map(|p| tree.nearest_opening(mesh, p, coincident, other, &mut boxes).map(|n| sets.of[n.0]));
        if nearest.iter().all(Option::is_some) { nearest[0].unwrap_or(NONE) } else { NONE }
    };
    mesh.par_facets()
        .with_min_len(256)
        .map(|f| {
            if f.0.is_multiple_of(4096) {
                watch.check()?;
            }
            Ok(look(f))
        })
        .collect::<Result<Vec<_>, _>>()
        .map(TiVec::from)
}
