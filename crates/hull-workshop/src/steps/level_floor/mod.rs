//! The floor that stands in a scan or a capture, found and laid into z = 0.

use super::orient::AXES;
use crate::Body;
use crate::numbers::{count, four_digits};
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_fitting::align::Rigid;
use hull_fitting::{Kind, fit};
use hull_geometry::Point;
use hull_geometry::transform::Axis;
use hull_geometry::vector::{V3, cross, dot, norm, scale, sub, unit};
use serde::{Deserialize, Serialize};

/// Finds the plane with the most points across the axis that is about up, and lays it into z = 0.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct LevelFloor {
    /// Which axis is about up, within [`LEAN`].
    pub up: Axis,
    /// How far points of the floor may lie off it.
    pub within: f64,
}

/// Degrees that the floor may lean, at most.
const LEAN: f64 = 50.0;
/// Planes that are tried, each through three points.
const TRIES: usize = 2000;
/// Points that are asked in the search, and in the fit.
const ASKED: usize = 4000;
const FITTED: usize = 200_000;

impl Operation for LevelFloor {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Motion;
    const VERB: &'static str = "Level on the floor";
    const HELP: &'static str = "Finds the flat floor in a scan, a capture or a mesh (the plane with the most points, roughly \
                                across the axis that is up), fits it by least squares and turns the body so that the \
                                floor lies in z = 0.";

    fn title(&self) -> Sentence {
        "Level on the floor".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("up", "Up is about", AXES, "the axis nearest to up, within 50°").or("+z"),
            Field::new("within", "points of the floor within", Quantity::Length, "how far they may lie off the plane"),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        Proposal::possible(LevelFloor { up: Axis::PlusZ, within: seen.part(0.003) })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let points = body.all_points();
        let up = self.up.direction();
        let found = most_points(&every(&points, ASKED), up, self.within);
        let (normal, place) = found.ok_or("No plane was found that is about across that axis.")?;
        let on = |n: V3, p: Point| points.iter().filter(move |q| dot(sub(**q, p), n).abs() <= self.within).copied();
        let floor: Vec<Point> = on(normal, place).collect();
        let fitted = fit(Kind::Plane, &every(&floor, FITTED), &[], at.watch).map_err(|e| e.to_string())?;
        let direction = fitted.shape.direction().ok_or("No plane could be fitted.")?;
        let normal = if dot(direction, up) < 0.0 { scale(direction, -1.0) } else { direction };
        let lean = norm(cross(normal, up)).atan2(dot(normal, up)).to_degrees();
        let turn = onto_z(normal);
        let origin = fitted.shape.at();
        // The place of the floor stays where it is along x and y as far as the turn allows: only the height is set.
        body.move_rigid(&Rigid::turning(turn, origin, [origin[0], origin[1], 0.0]));
        body.facts.axes = Some(["+z".into(), "+x".into()]);
        let share = format!("{} of {} points lie in the floor, ", count(floor.len()), count(points.len()));
        Ok(say![share, length(fitted.rms), format!(" off it (root mean square); it leaned by {}°.", four_digits(lean))]
            .into())
    }
}

/// At most `most` of the points, evenly.
fn every(points: &[Point], most: usize) -> Vec<Point> {
    points.iter().step_by(points.len().div_ceil(most).max(1)).copied().collect()
}

/// The plane through three of the points with the most of them within a distance, about across `up`: its normal and a place
/// (M. A. Fischler, R. C. Bolles, Random sample consensus, 1981). The draws are the same every time.
fn most_points(points: &[Point], up: V3, within: f64) -> Option<(V3, Point)> {
    let least = LEAN.to_radians().cos();
    let mut state = 0x9E37_79B9_7F4A_7C15_u64;
    let mut draw = || {
        // A linear congruential generator (D. Knuth, MMIX); its upper bits are good enough to draw by.
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        points[(state >> 33) as usize % points.len().max(1)]
    };
    if points.len() < 3 {
        return None;
    }
    let mut best: Option<(usize, V3, Point)> = None;
    for _ in 0..TRIES {
        let [a, b, c] = [draw(), draw(), draw()];
        let Some(n) = unit(cross(sub(b, a), sub(c, a))) else { continue };
        let n = if dot(n, up) < 0.0 { scale(n, -1.0) } else { n };
        if dot(n, up) < least {
            continue;
        }
        let held = points.iter().filter(|p| dot(sub(**p, a), n).abs() <= within).count();
        if best.is_none_or(|b| held > b.0) {
            best = Some((held, n, a));
        }
    }
    best.map(|b| (b.1, b.2))
}

/// The rotation about an axis across both that turns a direction of length one onto +z.
fn onto_z(n: V3) -> [V3; 3] {
    let [x, y, z] = n;
    if z < -0.999_999 {
        return [[1.0, 0.0, 0.0], [0.0, -1.0, 0.0], [0.0, 0.0, -1.0]];
    }
    let k = 1.0 / (1.0 + z);
    [[1.0 - k * x * x, -k * x * y, -x], [-k * x * y, 1.0 - k * y * y, -y], [x, y, z]]
}
