//! Sections: from a name to what they carry. Lengths in mm.

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

/// Height, width, web, flange, root radius of rolled sections: EN 10365, *from memory*.
const ROLLED: [(&str, [f64; 5]); 40] = [
    ("IPE 80", [80.0, 46.0, 3.8, 5.2, 5.0]),
    ("IPE 100", [100.0, 55.0, 4.1, 5.7, 7.0]),
    ("IPE 120", [120.0, 64.0, 4.4, 6.3, 7.0]),
    ("IPE 140", [140.0, 73.0, 4.7, 6.9, 7.0]),
    ("IPE 160", [160.0, 82.0, 5.0, 7.4, 9.0]),
    ("IPE 180", [180.0, 91.0, 5.3, 8.0, 9.0]),
    ("IPE 200", [200.0, 100.0, 5.6, 8.5, 12.0]),
    ("IPE 220", [220.0, 110.0, 5.9, 9.2, 12.0]),
    ("IPE 240", [240.0, 120.0, 6.2, 9.8, 15.0]),
    ("IPE 270", [270.0, 135.0, 6.6, 10.2, 15.0]),
    ("IPE 300", [300.0, 150.0, 7.1, 10.7, 15.0]),
    ("IPE 330", [330.0, 160.0, 7.5, 11.5, 18.0]),
    ("IPE 360", [360.0, 170.0, 8.0, 12.7, 18.0]),
    ("IPE 400", [400.0, 180.0, 8.6, 13.5, 21.0]),
    ("IPE 450", [450.0, 190.0, 9.4, 14.6, 21.0]),
    ("IPE 500", [500.0, 200.0, 10.2, 16.0, 21.0]),
    ("IPE 550", [550.0, 210.0, 11.1, 17.2, 24.0]),
    ("IPE 600", [600.0, 220.0, 12.0, 19.0, 24.0]),
    ("HEA 100", [96.0, 100.0, 5.0, 8.0, 12.0]),
    ("HEA 120", [114.0, 120.0, 5.0, 8.0, 12.0]),
    ("HEA 140", [133.0, 140.0, 5.5, 8.5, 12.0]),
    ("HEA 160", [152.0, 160.0, 6.0, 9.0, 15.0]),
    ("HEA 180", [171.0, 180.0, 6.0, 9.5, 15.0]),
    ("HEA 200", [190.0, 200.0, 6.5, 10.0, 18.0]),
    ("HEA 220", [210.0, 220.0, 7.0, 11.0, 18.0]),
    ("HEA 240", [230.0, 240.0, 7.5, 12.0, 21.0]),
    ("HEA 260", [250.0, 260.0, 7.5, 12.5, 24.0]),
    ("HEA 280", [270.0, 280.0, 8.0, 13.0, 24.0]),
    ("HEA 300", [290.0, 300.0, 8.5, 14.0, 27.0]),
    ("HEB 100", [100.0, 100.0, 6.0, 10.0, 12.0]),
    ("HEB 120", [120.0, 120.0, 6.5, 11.0, 12.0]),
    ("HEB 140", [140.0, 140.0, 7.0, 12.0, 12.0]),
    ("HEB 160", [160.0, 160.0, 8.0, 13.0, 15.0]),
    ("HEB 180", [180.0, 180.0, 8.5, 14.0, 15.0]),
    ("HEB 200", [200.0, 200.0, 9.0, 15.0, 18.0]),
    ("HEB 220", [220.0, 220.0, 9.5, 16.0, 18.0]),
    ("HEB 240", [240.0, 240.0, 10.0, 17.0, 21.0]),
    ("HEB 260", [260.0, 260.0, 10.0, 17.5, 24.0]),
    ("HEB 280", [280.0, 280.0, 10.5, 18.0, 24.0]),
    ("HEB 300", [300.0, 300.0, 11.0, 19.0, 27.0]),
];

impl Section {
    /// The section of a name: a rolled one (“IPE 200”, “HEA 160”, “HEB 160”), or a kind with its dimensions in mm:
    /// `CHS 60.3x4`, `SHS 80x5`, `RHS 120x80x6`, `ROUND 20`, `FLAT 100x10` (height by width), `U 100x50x5x8` and
    /// `L 60x60x6`, `T 80x60x6x8` (height, width, web, flange; sharp corners).
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
        let clean = name.trim().to_uppercase().replace('×', "X");
        let (kind, rest) = clean.split_once(' ').unwrap_or((&clean, ""));
        let spaced = format!("{kind} {}", rest.trim());
        if let Some((name, [h, b, web, flange, root])) = ROLLED.iter().find(|r| r.0 == spaced) {
            return Ok(rolled(name, *h, *b, *web, *flange, *root));
        }
        let unknown = || {
            format!(
                "“{name}” is no section: write CHS, SHS, RHS, ROUND, FLAT, U, L or T with dimensions as in RHS 120x80x6, or IPE, HEA, HEB with a size"
            )
        };
        let numbers: Option<Vec<f64>> =
            rest.split('X').map(|n| n.trim().parse().ok().filter(|x: &f64| *x > 0.0 && x.is_finite())).collect();
        let n = numbers.ok_or_else(unknown)?;
        let title = format!("{kind} {}", n.iter().map(f64::to_string).collect::<Vec<_>>().join("x"));
        let no_room = || format!("“{name}” makes no section: its walls are thicker than half of it");
        match (kind, n.as_slice()) {
            ("CHS" | "PIPE", &[d, t]) if 2.0 * t < d => Ok(tube(title, d, t)),
            ("SHS", &[b, t]) if 2.0 * t < b => Ok(hollow(title, b, b, t)),
            ("RHS", &[h, b, t]) if 2.0 * t < b.min(h) => Ok(hollow(title, h, b, t)),
            ("ROUND", &[d]) => Ok(round(title, d)),
            ("FLAT", &[h, b]) => Ok(flat(title, h, b)),
            ("L", &[h, b, t]) if t < h.min(b) => Ok(thin(title, &[[0.0, 0.0, t, h], [t, 0.0, b, t]])),
            ("U", &[h, b, w, f]) if w < b && 2.0 * f < h => {
                Ok(thin(title, &[[0.0, 0.0, w, h], [w, 0.0, b, f], [w, h - f, b, h]]))
            }
            ("T", &[h, b, w, f]) if w < b && f < h => {
                let side = 0.5 * (b - w);
                Ok(thin(title, &[[0.0, h - f, b, h], [side, 0.0, side + w, h - f]]))
            }
            ("CHS" | "PIPE" | "SHS" | "RHS" | "L" | "U" | "T", _) if n.len() >= 2 => Err(no_room()),
            _ => Err(unknown()),
        }
    }

    /// Names of rolled sections.
    pub fn rolled_names() -> impl Iterator<Item = &'static str> {
        ROLLED.iter().map(|r| r.0)
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
fn rolled(name: &str, h: f64, b: f64, web: f64, flange: f64, r: f64) -> Section {
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
    Section {
        name: name.into(),
        area,
        iy,
        iz,
        torsion,
        shear: [2.0 * b * flange / 1.2, h * web],
        reach: [h / 2.0, b / 2.0],
    }
}

/// Open sections of rectangles `[y0, z0, y1, z1]` about their principal axes; torsion is the sum of thin walls.
fn thin(name: String, parts: &[[f64; 4]]) -> Section {
    let areas: Vec<f64> = parts.iter().map(|[a, b, c, d]| (c - a) * (d - b)).collect();
    let area: f64 = areas.iter().sum();
    let middle = |k: usize| parts.iter().zip(&areas).map(|(p, a)| a * 0.5 * (p[k] + p[k + 2])).sum::<f64>() / area;
    let (cy, cz) = (middle(0), middle(1));
    let (mut iy, mut iz, mut iyz, mut torsion) = (0.0, 0.0, 0.0, 0.0);
    for (p, a) in parts.iter().zip(&areas) {
        let (w, h) = (p[2] - p[0], p[3] - p[1]);
        let (y, z) = (0.5 * (p[0] + p[2]) - cy, 0.5 * (p[1] + p[3]) - cz);
        iy += w * h.powi(3) / 12.0 + a * z * z;
        iz += h * w.powi(3) / 12.0 + a * y * y;
        iyz += a * y * z;
        torsion += w.max(h) * w.min(h).powi(3) / 3.0;
    }
    // Principal axes; y the stronger.
    let (mean, half) = (0.5 * (iy + iz), (0.25 * (iy - iz).powi(2) + iyz * iyz).sqrt());
    let turn = if iyz == 0.0 && iy >= iz { 0.0 } else { 0.5 * (-2.0 * iyz).atan2(iy - iz) };
    let (s, c) = turn.sin_cos();
    let turned = |y: f64, z: f64| [(y - cy) * c + (z - cz) * s, (z - cz) * c - (y - cy) * s];
    let corners =
        |[a, b, cc, d]: &[f64; 4]| [turned(*a, *b), turned(*cc, *b), turned(*cc, *d), turned(*a, *d)].to_vec();
    let far = |k: usize| parts.iter().flat_map(corners).fold(0.0_f64, |m, p| m.max(p[k].abs()));
    Section { name, area, iy: mean + half, iz: mean - half, torsion, shear: [0.5 * area; 2], reach: [far(1), far(0)] }
}
