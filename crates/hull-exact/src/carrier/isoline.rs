//! Curves of a surface along which one parameter stays the same, exactly.

use crate::curve::Curve;
use crate::frame::{Frame, Motion};
use crate::surface::Surface;
use hull_geometry::vector::{V3, cross, scale};

/// The curve at `value` of parameter `axis` (0: u, 1: v); its own parameter is the surface's other one. `None` where
/// the surface has no formula for it.
pub fn isoline(surface: &Surface, axis: usize, value: f64) -> Option<Curve> {
    let circle = |frame: &Frame, height: f64, radius: f64| {
        let at = Frame { origin: frame.place([0.0, 0.0, height]), ..*frame };
        (radius > 0.0).then_some(Curve::Ellipse { frame: at, a: radius, b: radius })
    };
    // The circle through the axis' plane at longitude u.
    let meridian = |frame: &Frame, major: f64, minor: f64| {
        let (s, c) = value.sin_cos();
        let x = frame.turn([c, s, 0.0]);
        let at = Frame { origin: frame.place([c * major, s * major, 0.0]), x, y: frame.z, z: cross(x, frame.z) };
        Some(Curve::Ellipse { frame: at, a: minor, b: minor })
    };
    let ruling = |along: V3| Some(Curve::Line { origin: surface.point(value, 0.0), along });
    match (surface, axis) {
        (Surface::Plane(f), 0) => ruling(f.y),
        (Surface::Plane(f), _) => Some(Curve::Line { origin: f.place([0.0, value, 0.0]), along: f.x }),
        (Surface::Cylinder { frame, .. }, 0) => ruling(frame.z),
        (Surface::Cylinder { frame, radius }, _) => circle(frame, value, *radius),
        (Surface::Cone { .. }, 0) => ruling(surface.first(value, 0.0)[2]),
        (Surface::Cone { frame, radius, half_angle }, _) => circle(frame, value, radius + value * half_angle.tan()),
        (Surface::Sphere { frame, radius }, 0) => meridian(frame, 0.0, *radius),
        (Surface::Sphere { frame, radius }, _) => circle(frame, radius * value.sin(), radius * value.cos()),
        (Surface::Torus { frame, major, minor }, 0) => meridian(frame, *major, *minor),
        (Surface::Torus { frame, major, minor }, _) => circle(frame, minor * value.sin(), major + minor * value.cos()),
        (Surface::Extrusion { along, .. }, 0) => ruling(*along),
        (Surface::Extrusion { profile, along }, _) => {
            let frame = Frame { origin: scale(*along, value), ..Frame::WORLD };
            Some(profile.moved(&Motion { frame, scale: 1.0 }))
        }
        (Surface::Revolution { profile, axis }, 0) => {
            let (s, c) = value.sin_cos();
            let turned = Frame { x: axis.turn([c, s, 0.0]), y: axis.turn([-s, c, 0.0]), ..*axis };
            let back = Motion { frame: axis.inverse(), scale: 1.0 };
            Some(profile.moved(&Motion { frame: turned, scale: 1.0 }.after(&back)))
        }
        (Surface::Revolution { profile, axis }, _) => {
            let q = axis.local(profile.point(value));
            let radius = q[0].hypot(q[1]);
            let x = axis.turn([q[0] / radius, q[1] / radius, 0.0]);
            let y = axis.turn([-q[1] / radius, q[0] / radius, 0.0]);
            circle(&Frame { x, y, z: cross(x, y), origin: axis.origin }, 0.0, radius).map(|c| {
                let frame = Frame { origin: scale(axis.z, q[2]), ..Frame::WORLD };
                c.moved(&Motion { frame, scale: 1.0 })
            })
        }
        (Surface::Ruled { .. }, 0) => ruling(surface.first(value, 0.0)[2]),
        (Surface::Nurbs(n), _) => n.isoline(axis, value).map(|c| Curve::Nurbs(Box::new(c))),
        (Surface::Ruled { .. } | Surface::Offset { .. }, _) => None,
    }
}
