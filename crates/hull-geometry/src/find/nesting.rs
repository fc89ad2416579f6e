//! Shells among shells: which lies in which, which bound cavities, which are turned inside out.

use crate::mesh::{Bounds, FacetId, Mesh};
use crate::topology::Topology;
use crate::tree::FacetTree;
use crate::vector::{cross, dot, sub};
use crate::watch::{Cancelled, Watch};
use rayon::prelude::*;
use std::collections::HashMap;

/// One shell.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ShellPlace {
    /// How many it has.
    pub facets: usize,
    /// Its box.
    pub bounds: Bounds,
    /// One of its facets.
    pub first: FacetId,
    /// Whether it has no open edge.
    pub closed: bool,
    /// Signed; of a closed one.
    pub volume: f64,
    /// How many closed shells it lies in.
    pub inside: usize,
}

impl ShellPlace {
    /// A closed shell faces into what it lies in if that is an odd number: then it bounds a cavity; else it faces out.
    pub fn is_inside_out(&self) -> bool {
        self.closed && (self.volume < 0.0) != (self.inside % 2 == 1)
    }

    /// A closed shell within another that faces in: a cavity.
    pub fn is_cavity(&self) -> bool {
        self.closed && self.inside % 2 == 1 && self.volume < 0.0
    }

    /// A shell within another that does not bound a cavity: a part that got lost inside.
    pub fn is_lost(&self) -> bool {
        self.inside > 0 && !self.is_cavity() && self.inside % 2 == 1
    }
}

/// Every shell's place, in the order of their numbers. A ray from one of its points to the edge of the body counts the
/// shells it passes.
///
/// # Errors
/// [`Cancelled`].
pub fn nesting(mesh: &Mesh, topology: &Topology, watch: &Watch) -> Result<Vec<ShellPlace>, Cancelled> {
    let empty =
        ShellPlace { facets: 0, bounds: Bounds::EMPTY, first: FacetId::NONE, closed: true, volume: 0.0, inside: 0 };
    let mut shells = vec![empty; topology.shells];
    let origin = mesh.bounds().centre();
    for f in mesh.triangles.keys() {
        let Some(s) = shells.get_mut(topology.shell_of[f] as usize) else { continue };
        let c = mesh.corners(f);
        let [a, b, d] = c.map(|p| sub(p, origin));
        s.facets += 1;
        s.bounds = c.into_iter().fold(s.bounds, Bounds::including);
        s.first = s.first.min(f);
        s.volume += dot(a, cross(b, d)) / 6.0;
    }
    topology.open.iter().for_each(|e| shells[topology.shell_of[e.facet] as usize].closed = false);
    if shells.len() < 2 {
        return Ok(shells);
    }
    let tree = FacetTree::of(mesh);
    // A direction that no edge or plane of a drawing lies along.
    let direction = [0.573_576_436, 0.624_829_113, 0.529_919_264];
    let inside: Vec<usize> = (0..shells.len())
        .into_par_iter()
        .map(|i| {
            watch.check()?;
            let mut passed: HashMap<u32, u32> = HashMap::new();
            let [a, b, c] = mesh.corners(shells[i].first);
            let from = [0, 1, 2].map(|k| a[k] * 0.41 + b[k] * 0.33 + c[k] * 0.26);
            let mut at = from;
            let (mut last, mut steps) = (FacetId::NONE, 0);
            let other = |g: FacetId, last: FacetId| g != last && topology.shell_of[g] != i as u32;
            while let Some((g, t)) = tree.first_hit(mesh, at, direction, f64::INFINITY, |g| other(g, last), &mut 0) {
                *passed.entry(topology.shell_of[g]).or_insert(0) += 1;
                at = [0, 1, 2].map(|k| at[k] + direction[k] * t);
                (last, steps) = (g, steps + 1);
                if steps > 10_000 {
                    break;
                }
            }
            let closed = |s: &u32| shells.get(*s as usize).is_some_and(|s| s.closed);
            Ok(passed.iter().filter(|(s, n)| *n % 2 == 1 && closed(s)).count())
        })
        .collect::<Result<_, Cancelled>>()?;
    shells.iter_mut().zip(inside).for_each(|(s, n)| s.inside = n);
    Ok(shells)
}
