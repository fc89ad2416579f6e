//! A frame carried as a whole: turned, moved, mirrored, made larger.

use crate::model::{Fix, Frame, LoadKind, Member};
use crate::shape::Shape;
use hull_geometry::Point;
use hull_geometry::vector::{V3, cross, dot, norm, scale, sub};

/// Directions of which the cosines are within this of one, or of nought, lie along an axis.
const ALONG: f64 = 1e-9;

/// What a motion does to directions: their images are of length one and at right angles again.
pub(crate) struct Turn {
    images: [V3; 3],
    /// −1 for a mirror image: what turns one way turns the other way round then.
    hand: f64,
}

impl Turn {
    pub(crate) fn of(linear: impl Fn(V3) -> V3) -> Turn {
        let images = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]].map(|axis| {
            let image = linear(axis);
            scale(image, 1.0 / norm(image).max(f64::MIN_POSITIVE))
        });
        Turn { images, hand: dot(cross(images[0], images[1]), images[2]).signum() }
    }

    fn is_none(&self) -> bool {
        (0..3).all(|k| (self.images[k][k] - 1.0).abs() < ALONG)
    }

    pub(crate) fn direction(&self, v: V3) -> V3 {
        std::array::from_fn(|k| (0..3).map(|i| v[i] * self.images[i][k]).sum())
    }

    /// The axis that an axis comes to lie along, and whether it points the same way; `None` if it lies askew.
    fn axis(&self, of: usize) -> Option<(usize, f64)> {
        let to = (0..3).find(|k| self.images[of][*k].abs() > 1.0 - ALONG)?;
        Some((to, self.images[of][to].signum()))
    }

    /// Supports along and about the axes after the motion. Where an axis lies askew they stay as they are: only what holds all
    /// directions alike is the same then.
    fn held(&self, held: [Fix; 6]) -> [Fix; 6] {
        let Some(axes) = (0..3).map(|k| self.axis(k)).collect::<Option<Vec<_>>>() else { return held };
        let mut out = held;
        for (from, (to, way)) in axes.into_iter().enumerate() {
            let along = |fix: Fix, way: f64| if let Fix::Moved(by) = fix { Fix::Moved(by * way) } else { fix };
            out[to] = along(held[from], way);
            out[3 + to] = along(held[3 + from], way * self.hand);
        }
        out
    }
}

impl Frame {
    /// Carries the whole by a motion that keeps its shape: a turn, a shift, a mirror, one size for all axes. Sections, offsets,
    /// supports and loads go with it, so that it carries as before; weight goes on acting along the direction it acts along.
    ///
    /// Supports go along by quarter turns and mirrors; by others those stay that hold every direction alike, and the rest hold
    /// along the axes as before. Mirror images of angles and outlines stand upright as the section did, not laterally reversed.
    pub fn carry(&mut self, motion: impl Fn(Point) -> Point) {
        let origin = motion([0.0; 3]);
        let linear = |v: V3| sub(motion(v), origin);
        let turn = Turn::of(linear);
        let sections: Vec<[V3; 3]> = self.members.iter().map(|m| self.axes(m)).collect();
        self.joints.iter_mut().for_each(|j| j.at = motion(j.at));
        let offsets = self.members.iter_mut().filter(|m| m.is_offset()).flat_map(|m| &mut m.offset);
        offsets.for_each(|o| *o = linear(*o));
        if turn.is_none() {
            return;
        }
        for (i, axes) in sections.into_iter().enumerate() {
            self.members[i].turn = self.turn_for(&self.members[i], axes.map(|a| turn.direction(a)));
        }
        self.joints.iter_mut().for_each(|j| j.held = turn.held(j.held));
        for load in &mut self.loads {
            match &mut load.kind {
                LoadKind::Line { force, .. } => *force = turn.direction(*force),
                LoadKind::Joint { force, .. } => {
                    let [f, m] = [[force[0], force[1], force[2]], [force[3], force[4], force[5]]];
                    let (f, m) = (turn.direction(f), scale(turn.direction(m), turn.hand));
                    *force = [f[0], f[1], f[2], m[0], m[1], m[2]];
                }
                LoadKind::Weight { .. } | LoadKind::Warmth { .. } => {}
            }
        }
    }

    /// The turn, in degrees, at which a section's y and z lie along these directions; of left-handed ones (a mirror image) the
    /// one about which the section is its own image is left to point the other way.
    pub(crate) fn turn_for(&self, member: &Member, [x, y, z]: [V3; 3]) -> f64 {
        let plain = self.axes(&Member { turn: 0.0, ..member.clone() });
        let is_mirrored = dot(cross(x, y), z) < 0.0;
        let section = member.section.and_then(|s| self.sections.get(s as usize));
        let is_channel = section.is_some_and(|s| matches!(Shape::named(&s.name), Ok((_, Shape::U { .. }))));
        let z = if is_mirrored && is_channel { scale(z, -1.0) } else { z };
        let found = (-dot(z, plain[1])).atan2(dot(z, plain[2])).to_degrees();
        // What is as it was stays to the last digit.
        if (found - member.turn).rem_euclid(360.0).min((member.turn - found).rem_euclid(360.0)) < ALONG {
            member.turn
        } else {
            found
        }
    }
}
