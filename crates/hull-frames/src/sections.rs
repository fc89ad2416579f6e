//! Sections: from a name to what they carry. Lengths in mm.

use crate::shape::{Moments, Shape};
use serde::{Deserialize, Serialize};
use std::f64::consts::PI;

/// A section's properties about its principal axes: y is the stronger one.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Section {
    /// As people write it: “RHS 120x80x6”.
    pub name: String,
    /// In mm².
    pub area: f64,
    /// Second moment about y, in mm⁴.
    pub iy: f64,
    /// Second moment about z, in mm⁴.
    pub iz: f64,
    /// Torsion constant, in mm⁴.
    pub torsion: f64,
    /// Areas that take shear along y and z, in mm².
    pub shear: [f64; 2],
    /// Furthest fibre from y and from z, in mm.
    pub reach: [f64; 2],
}

impl Section {
    /// The section of a name; see [`Shape::named`] for what names there are.
    ///
    /// # Errors
    /// A sentence: the kind is not known, or the dimensions make no section.
    ///
    /// ```
    /// let s = hull_frames::Section::named("IPE 200").unwrap();
    /// assert!((s.area / 100.0 - 28.48).abs() < 0.005);
    /// assert!(hull_frames::Section::named("RHS 100x50x40").is_err());
    /// ```
    pub fn named(name: &str) -> Result<Section, String> {
        let (title, shape) = Shape::named(name)?;
        Ok(Section::of(title, &shape))
    }

    /// What a shape carries.
    pub fn of(name: String, shape: &Shape) -> Section {
        match *shape {
            Shape::Rolled { h, b, web, flange, root } => rolled(name, h, b, web, flange, root),
            Shape::Tube { d, t } => tube(name, d, t),
            Shape::Hollow { h, b, t } => hollow(name, h, b, t),
            Shape::Round { d } => round(name, d),
            Shape::Flat { h, b } => flat(name, h, b),
            Shape::U { .. } | Shape::L { .. } | Shape::T { .. } => thin(name, &shape.walls(), &shape.open_moments()),
            Shape::Outline(ref corners) => outlined(name, shape, corners),
        }
    }

    /// The least radius of gyration, in mm.
    pub fn gyration(&self) -> f64 {
        (self.iy.min(self.iz) / self.area).sqrt()
    }
}

/// A round tube; half of it takes shear (thin-walled).
fn tube(name: String, d: f64, t: f64) -> Section {
    circular(name, d, d - 2.0 * t, 0.5)
}

fn round(name: String, d: f64) -> Section {
    circular(name, d, 0.0, 0.9)
}

/// A circle with a hole, and the share of its area that takes shear.
fn circular(name: String, outer: f64, inner: f64, share: f64) -> Section {
    let area = PI / 4.0 * (outer * outer - inner * inner);
    let i = PI / 64.0 * (outer.powi(4) - inner.powi(4));
    Section { name, area, iy: i, iz: i, torsion: 2.0 * i, shear: [share * area; 2], reach: [outer / 2.0; 2] }
}

/// A full rectangle; torsion after Roark (formula for a solid rectangle).
fn flat(name: String, h: f64, b: f64) -> Section {
    let (iy, iz) = (b * h.powi(3) / 12.0, h * b.powi(3) / 12.0);
    let (long, short) = (h.max(b), h.min(b));
    let torsion =
        long * short.powi(3) * (1.0 / 3.0 - 0.21 * short / long * (1.0 - short.powi(4) / (12.0 * long.powi(4))));
    let area = b * h;
    Section { name, area, iy, iz, torsion, shear: [area / 1.2; 2], reach: [h / 2.0, b / 2.0] }
}

/// Hot-finished square and rectangular hollow sections: EN 10210-2:2006, annex A, with its corners of 1.5 t outside and
/// 1.0 t inside.
fn hollow(name: String, h: f64, b: f64, t: f64) -> Section {
    let (outer, inner) = (1.5 * t, 1.0 * t);
    let area = 2.0 * t * (b + h - 2.0 * t) - (4.0 - PI) * (outer * outer - inner * inner);
    let corner =
        |r: f64| ((4.0 - PI) / 4.0 * r * r, (1.0 / 3.0 - PI / 16.0 - 1.0 / (3.0 * (12.0 - 3.0 * PI))) * r.powi(4));
    let off = |side: f64, r: f64| side / 2.0 - (10.0 - 3.0 * PI) / (12.0 - 3.0 * PI) * r;
    let second = |h: f64, b: f64| {
        let ((ag, ig), (ax, ix)) = (corner(outer), corner(inner));
        let (hg, hx) = (off(h, outer), off(h - 2.0 * t, inner));
        b * h.powi(3) / 12.0 - (b - 2.0 * t) * (h - 2.0 * t).powi(3) / 12.0 - 4.0 * (ig + ag * hg * hg)
            + 4.0 * (ix + ax * hx * hx)
    };
    let middle = 0.5 * (outer + inner);
    let around = 2.0 * ((b - t) + (h - t)) - 2.0 * middle * (4.0 - PI);
    let enclosed = (b - t) * (h - t) - middle * middle * (4.0 - PI);
    let torsion = t.powi(3) * around / 3.0 + 2.0 * (2.0 * enclosed * t / around) * enclosed;
    Section {
        name,
        area,
        iy: second(h, b),
        iz: second(b, h),
        torsion,
        shear: [area * b / (b + h), area * h / (b + h)],
        reach: [h / 2.0, b / 2.0],
    }
}

/// Rolled I and H sections with parallel flanges, by the formulas of section tables (root fillets as quarters of circles).
fn rolled(name: String, h: f64, b: f64, web: f64, flange: f64, r: f64) -> Section {
    let inner = h - 2.0 * flange;
    let area = 2.0 * b * flange + inner * web + (4.0 - PI) * r * r;
    // Area and centre of the four fillets, each a square less a quarter of a circle.
    let (fillet, own) = ((1.0 - PI / 4.0) * r * r, 0.007_545 * r.powi(4));
    let in_corner = 0.223_4 * r;
    let iy =
        (b * h.powi(3) - (b - web) * inner.powi(3)) / 12.0 + 4.0 * (own + fillet * (inner / 2.0 - in_corner).powi(2));
    let iz = (2.0 * flange * b.powi(3) + inner * web.powi(3)) / 12.0
        + 4.0 * (own + fillet * (web / 2.0 + in_corner).powi(2));
    let ball = ((r + web / 2.0).powi(2) + (r + flange).powi(2) - r * r) / (2.0 * r + flange);
    let torsion = 2.0 / 3.0 * (b - 0.63 * flange) * flange.powi(3)
        + inner * web.powi(3) / 3.0
        + 2.0 * (web / flange) * (0.145 + 0.1 * r / flange) * ball.powi(4);
    Section { name, area, iy, iz, torsion, shear: [2.0 * b * flange / 1.2, h * web], reach: [h / 2.0, b / 2.0] }
}

/// Open sections of rectangles `[y0, z0, y1, z1]`, with their moments about the principal axes; torsion is the sum of thin walls,
/// without what roots add.
fn thin(name: String, walls: &[[f64; 4]], m: &Moments) -> Section {
    let wall = |[a, b, c, d]: &[f64; 4]| (c - a).max(d - b) * (c - a).min(d - b).powi(3) / 3.0;
    let corners = |[a, b, c, d]: &[f64; 4]| [[*a, *b], [*c, *b], [*c, *d], [*a, *d]];
    let far = m.reach(walls.iter().flat_map(corners));
    let torsion = walls.iter().map(wall).sum();
    Section { name, area: m.area, iy: m.major, iz: m.minor, torsion, shear: [0.5 * m.area; 2], reach: far }
}

/// An outline of one's own: moments by integrals along it, torsion by [`crate::torsion`], shear as a full rectangle takes it.
fn outlined(name: String, shape: &Shape, corners: &[[f64; 2]]) -> Section {
    let m = Moments::of_outline(corners);
    let torsion = crate::torsion::constant(&shape.loops()[0]);
    let reach = m.reach(corners.iter().copied());
    Section { name, area: m.area, iy: m.major, iz: m.minor, torsion, shear: [m.area / 1.2; 2], reach }
}
