//! Which joints of a frame a step is for.

use super::Refusal;
use super::set_section::set_called;
use crate::body::outline::Enclosed;
use hull_frames::Frame;
use hull_geometry::Point;
use hull_geometry::mesh::Bounds;
use hull_geometry::vector::distance;

/// Along z, as a plan is seen.
pub(super) fn down() -> Point {
    [0.0, 0.0, -1.0]
}

pub(super) fn is_down(direction: &Point) -> bool {
    *direction == down()
}

/// Joints by where they are, or what they are.
pub(super) enum By<'a> {
    /// No further than this above the lowest one.
    Lowest(f64),
    /// No further than this from a place.
    Near(Point, f64),
    /// Between two opposite corners of a box.
    Box(&'a [Point]),
    /// Of a set, by its name.
    Set(&'a str),
    /// Seen inside an outline along a direction, as it is drawn in the view.
    Outline(&'a [Point], Point),
    /// At the ends of members.
    Ends(&'a [usize]),
    /// Those that are held.
    Supported,
}

/// Their numbers, in order.
///
/// # Errors
/// If no joint is chosen, or what chooses them is not whole, with a sentence.
pub(super) fn joints_by(frame: &Frame, by: &By) -> Result<Vec<usize>, Refusal> {
    let wanted: Box<dyn Fn(usize) -> bool> = match *by {
        By::Lowest(above) => {
            let lowest = frame.joints.iter().map(|j| j.at[2]).fold(f64::INFINITY, f64::min);
            Box::new(move |i| frame.joints[i].at[2] <= lowest + above)
        }
        By::Near(at, within) => Box::new(move |i| distance(frame.joints[i].at, at) <= within),
        By::Box(corners) => {
            if corners.len() != 2 {
                return Err("A box takes two opposite corners: x, y, z; x, y, z.".into());
            }
            let within = Bounds::of(corners.iter().copied());
            Box::new(move |i| (0..3).all(|k| (within.min[k]..=within.max[k]).contains(&frame.joints[i].at[k])))
        }
        By::Set(name) => {
            let set = set_called(frame, name.trim())?;
            Box::new(move |i| frame.joints[i].sets.contains(&set))
        }
        By::Outline(outline, direction) => {
            let enclosed = Enclosed::new(outline, direction)
                .ok_or("There is no outline: draw one around the joints in the view, with the tool Outline.")?;
            Box::new(move |i| enclosed.holds(frame.joints[i].at))
        }
        By::Ends(members) => {
            let mut is_end = vec![false; frame.joints.len()];
            members.iter().flat_map(|m| frame.members[*m].ends).for_each(|j| is_end[j as usize] = true);
            Box::new(move |i| is_end[i])
        }
        By::Supported => Box::new(|i| frame.joints[i].is_supported()),
    };
    let found: Vec<usize> = (0..frame.joints.len()).filter(|i| wanted(*i)).collect();
    match (found.is_empty(), by) {
        (false, _) => Ok(found),
        (true, By::Set(_)) => Err("No joint is in that set.".into()),
        (true, By::Outline(..)) => Err("No joint is inside the outline.".into()),
        (true, _) => Err("No joint is there: choose another place, or a larger distance.".into()),
    }
}
