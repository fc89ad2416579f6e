//! What a member is in a building, found out by its direction and its place.

use crate::model::Frame;
use hull_geometry::vector::{dot, sub, unit};
use std::str::FromStr;

/// Degrees from upright within which a member is a column, and from level within which it is a beam; *common practice, no
/// source*.
const UPRIGHT: f64 = 15.0;
const LEVEL: f64 = 10.0;
/// Degrees within which two members run on as one.
const STRAIGHT: f64 = 5.0;

/// What a member is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Role {
    /// Upright.
    Column,
    /// Level.
    Beam,
    /// Level, and both its ends rest on members that run on past them, none of them a column.
    Purlin,
    /// Neither upright nor level.
    Brace,
}

impl Role {
    /// All of them.
    pub const ALL: [Role; 4] = [Role::Column, Role::Beam, Role::Purlin, Role::Brace];

    /// As people call it.
    pub fn name(self) -> &'static str {
        match self {
            Role::Column => "column",
            Role::Beam => "beam",
            Role::Purlin => "purlin",
            Role::Brace => "brace",
        }
    }
}

impl FromStr for Role {
    type Err = String;

    fn from_str(text: &str) -> Result<Role, String> {
        let found = Role::ALL.into_iter().find(|r| r.name() == text || format!("{}s", r.name()) == text);
        found.ok_or_else(|| format!("“{text}” is no kind of member: there are column, beam, purlin and brace."))
    }
}

/// What each member is.
pub fn roles(frame: &Frame) -> Vec<Role> {
    let direction = |m: usize| {
        let [a, b] = frame.places(&frame.members[m]);
        unit(sub(b, a)).unwrap_or([1.0, 0.0, 0.0])
    };
    let ways: Vec<[f64; 3]> = (0..frame.members.len()).map(direction).collect();
    let first = |m: usize| {
        let up = ways[m][2].abs();
        match () {
            () if up >= UPRIGHT.to_radians().cos() => Role::Column,
            () if up <= LEVEL.to_radians().sin() => Role::Beam,
            () => Role::Brace,
        }
    };
    let mut out: Vec<Role> = (0..frame.members.len()).map(first).collect();
    let mut at: Vec<Vec<usize>> = vec![Vec::new(); frame.joints.len()];
    for (m, member) in frame.members.iter().enumerate() {
        member.ends.iter().for_each(|j| at[*j as usize].push(m));
    }
    // Members run on past a joint where two others of it lie in line.
    let rests = |joint: u32, own: usize, roles: &[Role]| {
        let others: Vec<usize> = at[joint as usize].iter().copied().filter(|m| *m != own).collect();
        let across = |m: &usize| dot(ways[*m], ways[own]).abs() < STRAIGHT.to_radians().cos();
        let in_line = |a: usize, b: usize| dot(ways[a], ways[b]).abs() >= STRAIGHT.to_radians().cos();
        let crossed: Vec<usize> = others.iter().copied().filter(across).collect();
        let runs_on = crossed.iter().any(|a| crossed.iter().any(|b| a < b && in_line(*a, *b)));
        runs_on && others.iter().all(|m| roles[*m] != Role::Column)
    };
    let before = out.clone();
    for (m, member) in frame.members.iter().enumerate() {
        if before[m] == Role::Beam && member.ends.iter().all(|j| rests(*j, m, &before)) {
            out[m] = Role::Purlin;
        }
    }
    out
}
