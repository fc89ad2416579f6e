//! The shapes that can be fitted, and how far a point is from each.

use hull_geometry::Point;
use hull_geometry::vector::{V3, add, dot, norm, scale, sub};
use serde::{Deserialize, Serialize};

/// What is fitted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A flat face.
    Plane,
    /// A straight line.
    Line,
    /// A circle in space.
    Circle,
    /// A bore or a shaft.
    Cylinder,
    /// A ball.
    Sphere,
    /// A taper.
    Cone,
    /// A ring, or a fillet along an arc.
    Torus,
}

impl Kind {
    /// All of them.
    pub const ALL: [Kind; 7] =
        [Kind::Plane, Kind::Line, Kind::Circle, Kind::Cylinder, Kind::Sphere, Kind::Cone, Kind::Torus];

    /// As people call it.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Plane => "plane",
            Kind::Line => "line",
            Kind::Circle => "circle",
            Kind::Cylinder => "cylinder",
            Kind::Sphere => "sphere",
            Kind::Cone => "cone",
            Kind::Torus => "torus",
        }
    }

    /// Points that determine it.
    pub fn least(self) -> usize {
        match self {
            Kind::Line => 2,
            Kind::Plane | Kind::Circle => 3,
            Kind::Sphere => 4,
            Kind::Cylinder => 5,
            Kind::Cone => 6,
            Kind::Torus => 7,
        }
    }
}

/// A shape in space. Directions have length one.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Shape {
    /// A flat face.
    Plane {
        /// The points' middle.
        at: Point,
        /// Across it.
        normal: V3,
    },
    /// A straight line.
    Line {
        /// The points' middle.
        at: Point,
        /// Along it.
        direction: V3,
    },
    /// A circle in space.
    Circle {
        /// Its centre.
        at: Point,
        /// Across its plane.
        normal: V3,
        /// Its radius.
        radius: f64,
    },
    /// A bore or a shaft.
    Cylinder {
        /// The place on the axis that is nearest to the points' middle.
        at: Point,
        /// Along its axis.
        direction: V3,
        /// Its radius.
        radius: f64,
    },
    /// A ball.
    Sphere {
        /// Its centre.
        at: Point,
        /// Its radius.
        radius: f64,
    },
    /// A taper.
    Cone {
        /// Its apex.
        at: Point,
        /// Along its axis, from the apex to the points.
        direction: V3,
        /// Between axis and surface, in degrees.
        half_angle: f64,
    },
    /// A ring.
    Torus {
        /// Its centre.
        at: Point,
        /// Along its axis.
        direction: V3,
        /// Of the circle that runs in the middle of the ring.
        major: f64,
        /// Of the ring's round.
        minor: f64,
    },
}

impl Shape {
    /// Which it is.
    pub fn kind(&self) -> Kind {
        match self {
            Shape::Plane { .. } => Kind::Plane,
            Shape::Line { .. } => Kind::Line,
            Shape::Circle { .. } => Kind::Circle,
            Shape::Cylinder { .. } => Kind::Cylinder,
            Shape::Sphere { .. } => Kind::Sphere,
            Shape::Cone { .. } => Kind::Cone,
            Shape::Torus { .. } => Kind::Torus,
        }
    }

    /// The place that stands for it: a middle, a centre or an apex.
    pub fn at(&self) -> Point {
        match *self {
            Shape::Plane { at, .. }
            | Shape::Line { at, .. }
            | Shape::Circle { at, .. }
            | Shape::Cylinder { at, .. }
            | Shape::Sphere { at, .. }
            | Shape::Cone { at, .. }
            | Shape::Torus { at, .. } => at,
        }
    }

    /// Its normal or axis; a sphere has none.
    pub fn direction(&self) -> Option<V3> {
        match *self {
            Shape::Plane { normal, .. } | Shape::Circle { normal, .. } => Some(normal),
            Shape::Line { direction, .. }
            | Shape::Cylinder { direction, .. }
            | Shape::Cone { direction, .. }
            | Shape::Torus { direction, .. } => Some(direction),
            Shape::Sphere { .. } => None,
        }
    }

    /// How far a point is from it, never below zero.
    pub fn distance(&self, p: Point) -> f64 {
        let v = sub(p, self.at());
        let (h, rho) = match self.direction() {
            Some(d) => {
                let h = dot(v, d);
                (h, norm(sub(v, scale(d, h))))
            }
            None => (0.0, norm(v)),
        };
        match *self {
            Shape::Plane { .. } => h.abs(),
            Shape::Line { .. } => rho,
            Shape::Circle { radius, .. } => h.hypot(rho - radius),
            Shape::Cylinder { radius, .. } | Shape::Sphere { radius, .. } => (rho - radius).abs(),
            Shape::Cone { half_angle, .. } => {
                let (sin, cos) = half_angle.to_radians().sin_cos();
                // Behind the apex the apex itself is nearest.
                if h * cos + rho * sin < 0.0 { h.hypot(rho) } else { (rho * cos - h * sin).abs() }
            }
            Shape::Torus { major, minor, .. } => (h.hypot(rho - major) - minor).abs(),
        }
    }

    /// The shape moved: `place` moves points, `turn` directions, `factor` is what lengths are multiplied by.
    #[must_use]
    pub fn moved(&self, place: impl Fn(Point) -> Point, turn: impl Fn(V3) -> V3, factor: f64) -> Shape {
        let mut out = *self;
        match &mut out {
            Shape::Plane { at, normal: d }
            | Shape::Line { at, direction: d }
            | Shape::Cone { at, direction: d, .. } => {
                (*at, *d) = (place(*at), turn(*d));
            }
            Shape::Circle { at, normal: d, radius } | Shape::Cylinder { at, direction: d, radius } => {
                (*at, *d, *radius) = (place(*at), turn(*d), *radius * factor);
            }
            Shape::Sphere { at, radius } => (*at, *radius) = (place(*at), *radius * factor),
            Shape::Torus { at, direction: d, major, minor } => {
                (*at, *d, *major, *minor) = (place(*at), turn(*d), *major * factor, *minor * factor);
            }
        }
        out
    }

    /// Lines that show it beside a body of size `size`: circles, axes, a square for a plane.
    pub fn drawn(&self, size: f64) -> Vec<Vec<Point>> {
        let at = self.at();
        let d = self.direction().unwrap_or([0.0, 0.0, 1.0]);
        let [x, y] = crate::eigen::across(d);
        let place = |a: f64, b: f64, c: f64| add(at, add(add(scale(x, a), scale(y, b)), scale(d, c)));
        let circle = |r: f64, h: f64| -> Vec<Point> {
            (0..=48)
                .map(|i| (i as f64 * std::f64::consts::TAU / 48.0).sin_cos())
                .map(|(s, c)| place(r * c, r * s, h))
                .collect()
        };
        let axis = |from: f64, to: f64| vec![place(0.0, 0.0, from), place(0.0, 0.0, to)];
        match *self {
            Shape::Plane { .. } => {
                let s = 0.25 * size;
                vec![
                    vec![
                        place(-s, -s, 0.0),
                        place(s, -s, 0.0),
                        place(s, s, 0.0),
                        place(-s, s, 0.0),
                        place(-s, -s, 0.0),
                    ],
                    axis(0.0, 0.4 * s),
                ]
            }
            Shape::Line { .. } => vec![axis(-0.5 * size, 0.5 * size)],
            Shape::Circle { radius, .. } => vec![circle(radius, 0.0), axis(-0.5 * radius, 0.5 * radius)],
            Shape::Cylinder { radius, .. } => {
                let l = (0.25 * size).max(radius);
                vec![circle(radius, -0.5 * l), circle(radius, 0.5 * l), axis(-l, l)]
            }
            Shape::Sphere { radius, .. } => {
                let upright = (0..=48).map(|i| (i as f64 * std::f64::consts::TAU / 48.0).sin_cos());
                vec![circle(radius, 0.0), upright.map(|(s, c)| place(radius * c, 0.0, radius * s)).collect()]
            }
            Shape::Cone { half_angle, .. } => {
                let l = 0.25 * size;
                vec![circle(l * half_angle.to_radians().tan(), l), axis(0.0, l)]
            }
            Shape::Torus { major, minor, .. } => {
                vec![circle(major + minor, 0.0), circle((major - minor).abs(), 0.0), axis(-2.0 * minor, 2.0 * minor)]
            }
        }
    }
}
