//! What keeps a frame from being ready, but the mechanism, which [`crate::statics`] finds.

use crate::model::Frame;
use crate::shape::Shape;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Counts and figures of a frame.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Figures {
    /// Where members meet or end.
    pub joints: usize,
    /// Straight pieces between them.
    pub members: usize,
    /// Groups of members that hang together.
    pub groups: usize,
    /// Members beyond the largest group.
    pub lone: usize,
    /// Joints with one member only that nothing supports.
    pub free_ends: usize,
    /// Members without a section or a material.
    pub unmade: usize,
    /// Joints that are supported in any way.
    pub supports: usize,
    /// In mm.
    pub shortest: f64,
    /// Of all members together, in mm.
    pub length: f64,
    /// In tonnes.
    pub mass: f64,
    /// The largest length by least radius of gyration.
    pub slenderness: f64,
    /// Loads.
    pub loads: usize,
    /// Members that are deeper or shallower for their length than is usual, and the first of them.
    #[serde(default)]
    pub unusual: (usize, Option<usize>),
    /// How many members each section has: name, members, length in mm.
    pub sections: Vec<(String, usize, f64)>,
}

/// A member's depth by its length is usually between these; *common practice, no source*.
pub const USUAL_DEPTH: [f64; 2] = [1.0 / 80.0, 1.0 / 4.0];

/// Members whose depth by their length is not usual: how many, and the first of them.
fn unusual(frame: &Frame) -> (usize, Option<usize>) {
    let depth: Vec<Option<f64>> =
        frame.sections.iter().map(|s| Shape::named(&s.name).ok().map(|s| s.1.depth())).collect();
    let share = |m: &crate::Member| Some(depth.get(m.section? as usize)?.as_ref()? / frame.length(m));
    let is_unusual = |m: &crate::Member| share(m).is_some_and(|s| !(USUAL_DEPTH[0]..=USUAL_DEPTH[1]).contains(&s));
    let mut all = frame.members.iter().enumerate().filter(|(_, m)| is_unusual(m)).map(|(i, _)| i);
    let first = all.next();
    (first.map_or(0, |_| 1) + all.count(), first)
}

/// The group of each member: members that hang together have one number.
pub fn groups(frame: &Frame) -> Vec<u32> {
    let mut parent: Vec<u32> = (0..frame.joints.len() as u32).collect();
    for m in &frame.members {
        let (a, b) = (root(&parent, m.ends[0]), root(&parent, m.ends[1]));
        parent[a.max(b) as usize] = a.min(b);
    }
    // Read flat first: chains of parents are long where members were joined in a row.
    for i in 0..parent.len() {
        parent[i] = parent[parent[i] as usize];
    }
    frame.members.iter().map(|m| root(&parent, m.ends[0])).collect()
}

impl Figures {
    /// Of a frame.
    pub fn of(frame: &Frame) -> Figures {
        let mut uses = vec![0_usize; frame.joints.len()];
        let (mut shortest, mut length, mut slenderness) = (f64::INFINITY, 0.0, 0.0_f64);
        let mut sections: BTreeMap<String, (usize, f64)> = BTreeMap::new();
        for m in &frame.members {
            let own = frame.length(m);
            (shortest, length) = (shortest.min(own), length + own);
            m.ends.iter().for_each(|j| uses[*j as usize] += 1);
            let section = m.section.and_then(|s| frame.sections.get(s as usize));
            if let Some(s) = section {
                slenderness = slenderness.max(own / s.gyration());
            }
            let name = section.map_or_else(String::new, |s| s.name.clone());
            let entry = sections.entry(name).or_default();
            (entry.0, entry.1) = (entry.0 + 1, entry.1 + own);
        }
        let mut groups: BTreeMap<u32, usize> = BTreeMap::new();
        self::groups(frame).into_iter().for_each(|g| *groups.entry(g).or_default() += 1);
        let largest = groups.values().max().copied().unwrap_or(0);
        let loose = |(j, n): (usize, &usize)| *n == 1 && !frame.joints[j].is_supported();
        Figures {
            joints: uses.iter().filter(|n| **n > 0).count(),
            members: frame.members.len(),
            groups: groups.len(),
            lone: frame.members.len() - largest,
            free_ends: uses.iter().enumerate().filter(|u| loose(*u)).count(),
            unmade: frame.members.iter().filter(|m| frame.made_of(m).is_none()).count(),
            supports: frame.joints.iter().filter(|j| j.is_supported()).count(),
            shortest: if shortest.is_finite() { shortest } else { 0.0 },
            length,
            mass: frame.mass(),
            slenderness,
            loads: frame.loads.len(),
            unusual: unusual(frame),
            sections: sections.into_iter().map(|(name, (n, l))| (name, n, l)).collect(),
        }
    }
}

fn root(parent: &[u32], mut i: u32) -> u32 {
    while parent[i as usize] != i {
        i = parent[i as usize];
    }
    i
}
