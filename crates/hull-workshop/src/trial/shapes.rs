//! A frame as its trial moves it, and forces along its members, as lines for the view.

use hull_frames::Frame;
use hull_frames::modes::{buckling, frequencies};
use hull_frames::statics::{Along, mechanism, solve};
use hull_geometry::Point;
use hull_geometry::vector::{V3, add, cross, norm, scale};
use serde::Serialize;

/// What is drawn.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    /// The shape under the loads of a case.
    Deflected,
    /// Forces along the members.
    Force(Force),
    /// The movement that takes no force.
    Mechanism,
    /// The shape of the n-th lowest frequency, from 0.
    Frequency(usize),
    /// The shape in which the loads buckle it.
    Buckling,
    /// Where sections look: along their y (1) or z (2).
    Axis(usize),
}

/// Which force or moment along members.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Force {
    /// Pulling is positive.
    Normal,
    /// Across, along the section's y.
    ShearY,
    /// Across, along the section's z.
    ShearZ,
    /// About the member.
    Torsion,
    /// About the section's y.
    MomentY,
    /// About the section's z.
    MomentZ,
}

/// Frequencies whose shapes are offered.
pub const SHAPES: usize = 5;

impl What {
    /// All of them, with what they are called in addresses and on pages.
    pub fn all() -> Vec<(String, String, What)> {
        let forces = [
            ("normal", "Normal force N", Force::Normal),
            ("shear_y", "Shear Vy", Force::ShearY),
            ("shear_z", "Shear Vz", Force::ShearZ),
            ("torsion", "Torsion T", Force::Torsion),
            ("moment_y", "Bending My", Force::MomentY),
            ("moment_z", "Bending Mz", Force::MomentZ),
        ];
        let named = |(key, title, what): (&str, &str, What)| (key.to_string(), title.to_string(), what);
        let mut all = vec![named(("deflected", "Deflected shape", What::Deflected))];
        all.extend(forces.map(|(k, t, f)| named((k, t, What::Force(f)))));
        all.extend(
            (0..SHAPES)
                .map(|n| (format!("frequency_{}", n + 1), format!("Shape of frequency {}", n + 1), What::Frequency(n))),
        );
        all.push(named(("buckling", "Shape of buckling", What::Buckling)));
        all.push(named(("mechanism", "Free movement", What::Mechanism)));
        all.push(named(("axis_y", "Sections' y", What::Axis(1))));
        all.push(named(("axis_z", "Sections' z", What::Axis(2))));
        all
    }
}

/// A line, and how far each of its places goes at the largest.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Line {
    /// Places.
    pub points: Vec<Point>,
    /// From each of them, as drawn.
    pub moves: Vec<V3>,
    /// At each of them, in the drawing's unit.
    pub values: Vec<f64>,
}

/// What the view draws.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Drawing {
    /// By piece of a member.
    pub lines: Vec<Line>,
    /// Whether it goes to and fro; forces stand still, with ribs.
    pub swings: bool,
    /// What it is, with its largest value and unit.
    pub told: String,
    /// How much larger than they are movements are drawn.
    pub factor: f64,
}

/// What the largest movement or force is drawn as, of the frame's diagonal.
const DRAWN: f64 = 0.08;
/// Pieces of a member whose bending between joints is drawn, up to so many members.
const PIECES: usize = 8;
const MOST_IN_PIECES: usize = 2000;

/// Draws a frame. `case` is one of its load cases; all loads together if there is none.
///
/// # Errors
/// A sentence: there is no such movement, or the frame cannot be solved.
pub fn drawing(frame: &Frame, what: What, case: Option<&str>) -> Result<Drawing, String> {
    let fine = if frame.members.len() <= MOST_IN_PIECES { frame.divided(PIECES) } else { frame.clone() };
    let failed = |e: hull_frames::Unsolvable| e.to_string();
    let under = case.map_or(String::new(), |c| format!(" under “{c}”"));
    match what {
        What::Deflected => {
            let moved = solve(&fine, case).map_err(failed)?.moved;
            Ok(swinging(
                &fine,
                &moved,
                |largest| format!("Largest movement{under}: {} mm", crate::numbers::four_digits(largest)),
                true,
            ))
        }
        What::Mechanism => {
            let found = mechanism(frame).map_err(failed)?.ok_or("Nothing moves without a force.")?;
            let n = crate::numbers::counted(found.joints.len(), "joint");
            Ok(swinging(frame, &found.moved, |_| format!("{n} can move without a force"), false))
        }
        What::Frequency(n) => {
            let found = frequencies(&fine, n + 1).map_err(failed)?;
            let mode = found.get(n).ok_or("There is no such frequency.")?;
            let told = format!("Swings {} times a second", crate::numbers::four_digits(mode.value));
            Ok(swinging(&fine, &mode.moved, |_| told.clone(), false))
        }
        What::Buckling => {
            let mode = buckling(&fine, case).map_err(failed)?.ok_or("Nothing is pressed: nothing buckles.")?;
            let told = format!("Buckles at loads{under} times {}", crate::numbers::four_digits(mode.value));
            Ok(swinging(&fine, &mode.moved, |_| told.clone(), false))
        }
        What::Axis(axis) => Ok(axes(frame, axis)),
        What::Force(force) => {
            let solved = solve(frame, case).map_err(failed)?;
            Ok(diagram(frame, &solved.members, force, &under))
        }
    }
}

fn swinging(frame: &Frame, moved: &[[f64; 6]], told: impl Fn(f64) -> String, measured: bool) -> Drawing {
    let shift = |j: u32| moved.get(j as usize).map_or([0.0; 3], |m| [m[0], m[1], m[2]]);
    let turn = |j: u32| moved.get(j as usize).map_or([0.0; 3], |m| [m[3], m[4], m[5]]);
    // A rigid piece turns with its joint.
    let ends = |m: &hull_frames::Member| [0, 1].map(|e| add(shift(m.ends[e]), cross(turn(m.ends[e]), m.offset[e])));
    let largest = (0..frame.joints.len() as u32).map(|j| norm(shift(j))).fold(0.0, f64::max);
    let factor = if largest > 0.0 { DRAWN * frame.bounds().diagonal() / largest } else { 0.0 };
    let line = |m: &hull_frames::Member| Line {
        points: frame.places(m).to_vec(),
        moves: ends(m).map(|by| scale(by, factor)).to_vec(),
        values: ends(m).map(|by| norm(by) / largest.max(f64::MIN_POSITIVE)).to_vec(),
    };
    Drawing {
        lines: frame.members.iter().map(line).collect(),
        swings: true,
        told: told(largest),
        factor: if measured { factor } else { 0.0 },
    }
}

/// A strip beside the middle of every member, on the side to which its section's y or z looks.
fn axes(frame: &Frame, axis: usize) -> Drawing {
    let most = DRAWN * frame.bounds().diagonal() / 2.0;
    let line = |m: &hull_frames::Member| {
        let [from, to] = frame.places(m);
        let by = scale(frame.axes(m)[axis.min(2)], most.min(frame.length(m) / 4.0));
        let at = |t: f64| add(scale(from, 1.0 - t), scale(to, t));
        Line { points: vec![at(0.45), at(0.55)], moves: vec![by; 2], values: vec![1.0; 2] }
    };
    let name = if axis == 1 { "y" } else { "z" };
    Drawing {
        lines: frame.members.iter().map(line).collect(),
        swings: false,
        told: format!("The strip beside each member stands where its section's {name} looks"),
        factor: 0.0,
    }
}

/// A force along every member, as a curve beside it.
fn diagram(frame: &Frame, along: &[Along], force: Force, under: &str) -> Drawing {
    let values = |a: &Along| match force {
        Force::Normal => a.normal.clone(),
        Force::ShearY => a.shear[0].clone(),
        Force::ShearZ => a.shear[1].clone(),
        Force::Torsion => a.torsion.clone(),
        Force::MomentY => a.bending[0].clone(),
        Force::MomentZ => a.bending[1].clone(),
    };
    // Beside the member along the section's y, or its z where it acts in that plane.
    let side = if matches!(force, Force::ShearZ | Force::MomentY) { 2 } else { 1 };
    let moment = matches!(force, Force::Torsion | Force::MomentY | Force::MomentZ);
    let (unit, by) = if moment { ("kN·m", 1e-6) } else { ("kN", 1e-3) };
    let largest = along.iter().flat_map(&values).fold(0.0_f64, |m, v| m.max(v.abs()));
    let factor = DRAWN * frame.bounds().diagonal() / largest.max(f64::MIN_POSITIVE);
    let lines = frame.members.iter().zip(along).map(|(m, a)| {
        let ([from, to], axis) = (frame.places(m), frame.axes(m)[side]);
        let values = values(a);
        let last = values.len().saturating_sub(1).max(1) as f64;
        let at = |i: usize| {
            let t = i as f64 / last;
            add(scale(from, 1.0 - t), scale(to, t))
        };
        Line {
            points: (0..values.len()).map(at).collect(),
            moves: values.iter().map(|v| scale(axis, v * factor)).collect(),
            values: values.iter().map(|v| v * by).collect(),
        }
    });
    let name = What::all().into_iter().find(|w| w.2 == What::Force(force)).map_or(String::new(), |w| w.1);
    Drawing {
        lines: lines.collect(),
        swings: false,
        told: format!("{name}{under}: largest {} {unit}", crate::numbers::four_digits(largest * by)),
        factor: 0.0,
    }
}
