//! Surfaces told as swept curves that are really planes, cylinders, cones, spheres or tori.

use crate::curve::Curve;
use crate::frame::Frame;
use crate::surface::Surface;
use hull_geometry::vector::{add, cross, dot, norm, scale, sub, unit};

impl Surface {
    /// The same surface as an elementary one where it is one, to within rounding of `size`; and whether that
    /// one's normal points the other way.
    pub fn simplified(self, size: f64) -> (Surface, bool) {
        let found = match &self {
            Surface::Extrusion { profile, along } => of_extrusion(profile, *along),
            Surface::Revolution { profile, axis } => of_revolution(profile, axis, 1e-7 * size),
            _ => None,
        };
        let Some(simple) = found else { return (self, false) };
        // Whether the normals agree, at some place of the old one.
        let [u, v] = self.bounded_domain().map(|[a, b]| a + 0.371 * (b - a));
        let (p, normal) = (self.point(u, v), self.normal(u, v));
        let (uv, off) = crate::locate::Locator::new(&simple).locate(p, None);
        if off > 1e-6 * size.max(norm(p)) {
            return (self, false);
        }
        let flipped = dot(simple.normal(uv[0], uv[1]), normal) < 0.0;
        (simple, flipped)
    }
}

fn of_extrusion(profile: &Curve, along: [f64; 3]) -> Option<Surface> {
    let z = unit(along)?;
    match profile {
        Curve::Line { origin, along: d } => {
            let normal = cross(*d, z);
            (norm(normal) > 1e-6 * norm(*d)).then(|| Surface::Plane(Frame::new(*origin, normal, Some(*d))))
        }
        Curve::Ellipse { frame, a, b } if a == b && norm(cross(frame.z, z)) < 1e-9 => {
            Some(Surface::Cylinder { frame: Frame { z, y: cross(z, frame.x), ..*frame }, radius: *a })
        }
        _ => None,
    }
}

fn of_revolution(profile: &Curve, axis: &Frame, tolerance: f64) -> Option<Surface> {
    match profile {
        Curve::Line { origin, along } => {
            let d = unit(*along)?;
            let q = axis.local(*origin);
            let e = [dot(d, axis.x), dot(d, axis.y), dot(d, axis.z)];
            if e[0].hypot(e[1]) < 1e-9 {
                let radius = q[0].hypot(q[1]);
                return (radius > tolerance).then_some(Surface::Cylinder { frame: *axis, radius });
            }
            if e[2].abs() < 1e-9 {
                let at = add(axis.origin, scale(axis.z, q[2]));
                return Some(Surface::Plane(Frame { origin: at, ..*axis }));
            }
            // In one plane with the axis: a cone.
            let off = (q[0] * e[1] - q[1] * e[0]).abs() / e[0].hypot(e[1]);
            if off > tolerance {
                return None;
            }
            let (r, slope) = (q[0] * e[0] + q[1] * e[1], e[0].hypot(e[1]));
            // Signed radius at the origin's height, along the line's own direction outwards.
            let radius_at = |z: f64| (r / slope) + (z - q[2]) * slope / e[2];
            // Its frame sits where the radius is positive.
            let apex = q[2] - (r / slope) * e[2] / slope;
            let reference =
                if radius_at(q[2]).abs() > tolerance { q[2] } else { apex + norm(sub(*origin, axis.origin)).max(1.0) };
            let radius = radius_at(reference);
            let half_angle = (slope / e[2]).atan();
            let (radius, half_angle) = if radius < 0.0 { (-radius, -half_angle) } else { (radius, half_angle) };
            let frame = Frame { origin: add(axis.origin, scale(axis.z, reference)), ..*axis };
            Some(Surface::Cone { frame, radius, half_angle })
        }
        Curve::Ellipse { frame, a, b } if a == b => {
            let c = axis.local(frame.origin);
            let major = c[0].hypot(c[1]);
            let at = add(axis.origin, scale(axis.z, c[2]));
            // The circle must lie in a plane with the axis.
            if dot(frame.z, axis.z).abs() > 1e-9 {
                return None;
            }
            let frame_on_axis = Frame { origin: at, ..*axis };
            if major <= tolerance {
                return Some(Surface::Sphere { frame: frame_on_axis, radius: *a });
            }
            let towards = scale(sub(frame.origin, at), 1.0 / major);
            if dot(frame.z, towards).abs() > 1e-9 || major <= *a {
                return None;
            }
            Some(Surface::Torus { frame: frame_on_axis, major, minor: *a })
        }
        _ => None,
    }
}
