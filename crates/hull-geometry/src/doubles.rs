//! Facets that lie on another shell: skins, surfaces exported with both sides, overlapping strips.

use crate::mesh::{Mesh, NONE};
use crate::topology::Topology;
use crate::tree::FacetTree;
use crate::vector::{add, dot, norm, scale, unit};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;

/// How parallel facets are that lie on each other: the cosine of the angle between them.
const PARALLEL: f64 = 0.9;
/// A shell that lies on others with this part of its area is there twice as a whole.
const WHOLE: f64 = 0.98;

/// Shells that lie on others.
#[derive(Clone, Debug, Default)]
pub struct Doubles {
    /// For each facet the shell it lies on, [`NONE`] if it lies on no other.
    pub on: Vec<u32>,
    /// Facets that can go without leaving anything bare: whole shells that lie on others, and parts of open ones.
    pub spare: Vec<u32>,
    /// Whole shells among those: number, area.
    pub whole: Vec<(u32, f64)>,
}

/// Finds facets all of which is no further than `tolerance` from another shell that runs along them there.
///
/// # Errors
/// [`Cancelled`].
pub fn doubles(mesh: &Mesh, topology: &Topology, tolerance: f64, watch: &Watch) -> Result<Doubles, Cancelled> {
    let shell_of = &topology.shell_of;
    if topology.shells < 2 {
        return Ok(Doubles { on: vec![NONE; mesh.triangles.len()], ..Default::default() });
    }
    let tree = FacetTree::of(mesh);
    let within = tolerance * tolerance;
    let on = (0..mesh.triangles.len() as u32)
        .into_par_iter()
        .with_min_len(256)
        .map(|f| {
            if f % 4096 == 0 {
                watch.check()?;
            }
            let own = shell_of[f as usize];
            let Some(normal) = unit(mesh.area_vector(f)).filter(|_| own != NONE) else { return Ok(NONE) };
            let [a, b, c] = mesh.corners(f);
            let middle = scale(add(a, add(b, c)), 1.0 / 3.0);
            let mut found = NONE;
            for p in [middle, a, b, c] {
                let other = |g: u32| {
                    let shell = shell_of[g as usize];
                    let along = || unit(mesh.area_vector(g)).is_some_and(|n| dot(n, normal).abs() > PARALLEL);
                    shell != own && shell != NONE && (found == NONE || shell == found) && along()
                };
                match tree.nearest_of(mesh, p, within, other) {
                    Some((g, ..)) => found = shell_of[g as usize],
                    None => return Ok(NONE),
                }
            }
            Ok(found)
        })
        .collect::<Result<Vec<u32>, Cancelled>>()?;
    let mut area = vec![0.0; topology.shells];
    let mut doubled = vec![0.0; topology.shells];
    let mut open = vec![false; topology.shells];
    topology.open.iter().for_each(|e| open[shell_of[e.facet as usize] as usize] = true);
    for f in 0..mesh.triangles.len() as u32 {
        if let Some(s) = Some(shell_of[f as usize]).filter(|s| *s != NONE) {
            let a = norm(mesh.area_vector(f)) / 2.0;
            area[s as usize] += a;
            doubled[s as usize] += if on[f as usize] == NONE { 0.0 } else { a };
        }
    }
    // The one that stays is closed rather than open, then larger, then came first.
    let weight = |s: u32| (!open[s as usize], area[s as usize], std::cmp::Reverse(s));
    let yields = |s: u32, to: u32| {
        let (a, b) = (weight(s), weight(to));
        a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)).then(a.2.cmp(&b.2)).is_lt()
    };
    let whole: Vec<(u32, f64)> = (0..topology.shells as u32)
        .filter(|&s| doubled[s as usize] >= WHOLE * area[s as usize])
        .filter(|&s| (0..on.len()).all(|f| shell_of[f] != s || on[f] == NONE || yields(s, on[f])))
        .map(|s| (s, area[s as usize]))
        .collect();
    let spare = (0..mesh.triangles.len() as u32)
        .filter(|&f| {
            let (s, to) = (shell_of[f as usize], on[f as usize]);
            s != NONE
                && (whole.iter().any(|w| w.0 == s)
                    || (to != NONE && open[s as usize] && yields(s, to) && !whole.iter().any(|w| w.0 == to)))
        })
        .collect();
    Ok(Doubles { on, spare, whole })
}
