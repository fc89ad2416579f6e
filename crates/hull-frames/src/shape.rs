//! Shapes of sections: from a name to dimensions and outlines. Lengths in mm; y across, z up.

use crate::tables::{ROLLED, angle_roots, channels, pipe};
use std::f64::consts::{FRAC_PI_2, PI, TAU};

/// Corners on a quarter of a fillet.
const FILLET: usize = 6;
/// The same where figures come from it.
const FINE: usize = 64;
/// Corners of a circle.
const CIRCLE: usize = 32;
/// Corners that an outline has at most.
const MOST_CORNERS: usize = 200;

/// What a section looks like.
#[derive(Clone, Debug, PartialEq)]
pub enum Shape {
    /// A rolled I or H.
    Rolled {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
        /// Thickness of the web.
        web: f64,
        /// Thickness of flanges.
        flange: f64,
        /// Radius between them.
        root: f64,
    },
    /// A round tube.
    Tube {
        /// Outer diameter.
        d: f64,
        /// Wall.
        t: f64,
    },
    /// A rectangular tube with the corners of EN 10210-2.
    Hollow {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
        /// Wall.
        t: f64,
    },
    /// A full circle.
    Round {
        /// Diameter.
        d: f64,
    },
    /// A full rectangle.
    Flat {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
    },
    /// A channel, its web upright on the left.
    U {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
        /// Thickness of the web.
        web: f64,
        /// Thickness of flanges.
        flange: f64,
        /// Radius between web and flanges; 0 for sharp corners.
        root: f64,
    },
    /// An angle, its corner below on the left.
    L {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
        /// Thickness of legs.
        t: f64,
        /// Radii between the legs and at their toes; 0 for sharp corners.
        roots: [f64; 2],
    },
    /// A tee, its flange above.
    T {
        /// Height.
        h: f64,
        /// Width.
        b: f64,
        /// Thickness of the web.
        web: f64,
        /// Thickness of the flange.
        flange: f64,
    },
    /// Corners one after the other, against the clock.
    Outline(Vec<[f64; 2]>),
}

/// The names of sections that can be typed, as one line.
pub const NAMES: &str = "CHS 60.3x4, SHS 80x5, RHS 120x80x6, ROUND 20, FLAT 100x10, TIMBER 200x80 (height by width), U 100x50x5x8, L 60x60x6, T 80x60x6x8 (height, width, web, flange), IPE, HEA, HEB and UPE with a size, PIPE DN 50 SCH 40, or OUTLINE 0,0 60,0 60,40 0,40 with its corners in mm";

impl Shape {
    /// The shape of a name with the name as it is kept: a rolled one (“IPE 200”, “HEA 160”, “HEB 160”, “UPE 160”), a pipe by its
    /// nominal diameter and schedule, or a kind with its dimensions in mm; see [`NAMES`]. Angles that EN 10056-1 knows have its
    /// radii, others sharp corners.
    ///
    /// # Errors
    /// A sentence: the kind is not known, or the dimensions make no section.
    pub fn named(name: &str) -> Result<(String, Shape), String> {
        let clean = name.trim().to_uppercase().replace('×', "X");
        let (kind, rest) = clean.split_once(char::is_whitespace).unwrap_or((&clean, ""));
        if kind == "OUTLINE" {
            return outline(rest);
        }
        let spaced = format!("{kind} {}", rest.trim());
        if let Some((name, [h, b, web, flange, root])) = ROLLED.iter().find(|r| r.0 == spaced) {
            let shape = Shape::Rolled { h: *h, b: *b, web: *web, flange: *flange, root: *root };
            return Ok(((*name).into(), shape));
        }
        if let Some((name, [h, b, web, flange, root])) = channels().find(|r| r.0 == spaced) {
            return Ok((name.into(), Shape::U { h, b, web, flange, root }));
        }
        if let Some((name, [d, t])) = pipe(&spaced) {
            return Ok((name, Shape::Tube { d, t }));
        }
        let unknown = || format!("“{name}” is no section: there are {NAMES}.");
        let numbers: Option<Vec<f64>> =
            rest.split('X').map(|n| n.trim().parse().ok().filter(|x: &f64| *x > 0.0 && *x < 1e6)).collect();
        let n = numbers.ok_or_else(unknown)?;
        let shape = match (kind, n.as_slice()) {
            ("CHS" | "PIPE", &[d, t]) if 2.0 * t < d => Shape::Tube { d, t },
            ("SHS", &[b, t]) if 2.0 * t < b => Shape::Hollow { h: b, b, t },
            ("RHS", &[h, b, t]) if 2.0 * t < b.min(h) => Shape::Hollow { h, b, t },
            ("ROUND", &[d]) => Shape::Round { d },
            ("FLAT" | "TIMBER", &[h, b]) => Shape::Flat { h, b },
            ("L", &[h, b, t]) if t < h.min(b) => Shape::L { h, b, t, roots: angle_roots([h, b, t]) },
            ("U", &[h, b, web, flange]) if web < b && 2.0 * flange < h => Shape::U { h, b, web, flange, root: 0.0 },
            ("T", &[h, b, web, flange]) if web < b && flange < h => Shape::T { h, b, web, flange },
            ("CHS" | "PIPE" | "SHS" | "RHS" | "L" | "U" | "T", _) if n.len() >= 2 => {
                return Err(format!("“{name}” makes no section: its walls are thicker than half of it"));
            }
            _ => return Err(unknown()),
        };
        Ok((format!("{kind} {}", n.iter().map(f64::to_string).collect::<Vec<_>>().join("x")), shape))
    }

    /// Names of rolled sections.
    pub fn rolled_names() -> impl Iterator<Item = &'static str> {
        ROLLED.iter().map(|r| r.0).chain(channels().map(|c| c.0))
    }

    /// The walls of a channel, an angle or a tee as rectangles `[y0, z0, y1, z1]`; of others none.
    pub(crate) fn walls(&self) -> Vec<[f64; 4]> {
        match *self {
            Shape::L { h, b, t, .. } => vec![[0.0, 0.0, t, h], [t, 0.0, b, t]],
            Shape::U { h, b, web: w, flange: f, .. } => vec![[0.0, 0.0, w, h], [w, 0.0, b, f], [w, h - f, b, h]],
            Shape::T { h, b, web: w, flange: f } => {
                let side = 0.5 * (b - w);
                vec![[0.0, h - f, b, h], [side, 0.0, side + w, h - f]]
            }
            _ => Vec::new(),
        }
    }

    /// The outer outline against the clock and then holes with the clock, in the dimensions' own axes.
    fn drawn(&self) -> Vec<Vec<[f64; 2]>> {
        match *self {
            Shape::Rolled { h, b, web, flange, root } => vec![rolled_outline(h, b, web, flange, root)],
            Shape::Tube { d, t } => vec![circle(0.5 * d), backwards(circle(0.5 * d - t))],
            Shape::Hollow { h, b, t } => {
                vec![rounded(h, b, 1.5 * t), backwards(rounded(h - 2.0 * t, b - 2.0 * t, t))]
            }
            Shape::Round { d } => vec![circle(0.5 * d)],
            Shape::Flat { h, b } => vec![rounded(h, b, 0.0)],
            Shape::U { .. } | Shape::L { .. } => vec![self.open_outline(FILLET)],
            Shape::T { h, b, web, flange } => {
                let (l, r, low) = (0.5 * (b - web), 0.5 * (b + web), h - flange);
                vec![vec![[l, 0.0], [r, 0.0], [r, low], [b, low], [b, h], [0.0, h], [0.0, low], [l, low]]]
            }
            Shape::Outline(ref corners) => vec![corners.clone()],
        }
    }

    /// The outline of a channel or an angle, with so many sides on a quarter of a circle.
    fn open_outline(&self, sides: usize) -> Vec<[f64; 2]> {
        match *self {
            Shape::U { h, b, web: w, flange: f, root } => {
                let mut out = vec![[0.0, 0.0], [b, 0.0], [b, f]];
                out.extend(corner([w, f], [1.0, 1.0], -FRAC_PI_2, -FRAC_PI_2, root, sides));
                out.extend(corner([w, h - f], [1.0, -1.0], PI, -FRAC_PI_2, root, sides));
                out.extend([[b, h - f], [b, h], [0.0, h]]);
                out
            }
            Shape::L { h, b, t, roots: [root, toe] } => {
                let mut out = vec![[0.0, 0.0], [b, 0.0]];
                out.extend(corner([b, t], [-1.0, -1.0], 0.0, FRAC_PI_2, toe, sides));
                out.extend(corner([t, t], [1.0, 1.0], -FRAC_PI_2, -FRAC_PI_2, root, sides));
                out.extend(corner([t, h], [-1.0, -1.0], 0.0, FRAC_PI_2, toe, sides));
                out.push([0.0, h]);
                out
            }
            _ => Vec::new(),
        }
    }

    /// Area and moments of a channel, an angle or a tee: of its walls, with its radii where it has some.
    pub(crate) fn open_moments(&self) -> Moments {
        match self {
            Shape::U { root, .. } if *root > 0.0 => Moments::of_outline(&self.open_outline(FINE)),
            Shape::L { roots, .. } if roots[0] > 0.0 => Moments::of_outline(&self.open_outline(FINE)),
            _ => Moments::of_walls(&self.walls()),
        }
    }

    /// Where its middle lies in the dimensions' own axes, and the angle in radians from these to the principal axes.
    pub fn principal(&self) -> ([f64; 2], f64) {
        let m = match self {
            Shape::U { .. } | Shape::L { .. } | Shape::T { .. } => self.open_moments(),
            Shape::Outline(corners) => Moments::of_outline(corners),
            _ => return ([0.0; 2], 0.0),
        };
        (m.middle, m.turn)
    }

    /// The outer outline against the clock and then holes with the clock, about the middle along the principal axes.
    pub fn loops(&self) -> Vec<Vec<[f64; 2]>> {
        let (middle, turn) = self.principal();
        let place = |p: [f64; 2]| turned(p, middle, turn);
        self.drawn().into_iter().map(|l| l.into_iter().map(place).collect()).collect()
    }

    /// The shear centre from the middle along the principal axes: by the formulas of thin walls for a channel
    /// (e = 3 b² t / (h s + 6 b t) from its web), where legs meet for an angle and a tee, and the middle of the others.
    pub fn shear_centre(&self) -> [f64; 2] {
        let at = match *self {
            Shape::U { h, b, web, flange, .. } => {
                let (wide, high) = (b - 0.5 * web, h - flange);
                let off = 3.0 * wide * wide * flange / (high * web + 6.0 * wide * flange);
                [0.5 * web - off, 0.5 * h]
            }
            Shape::L { t, .. } => [0.5 * t; 2],
            Shape::T { h, b, flange, .. } => [0.5 * b, h - 0.5 * flange],
            _ => return [0.0; 2],
        };
        let (middle, turn) = self.principal();
        turned(at, middle, turn)
    }

    /// How deep it is: the largest extent of its outline.
    pub fn depth(&self) -> f64 {
        let all = &self.loops()[0];
        let wide = |k: usize| {
            let of = all.iter().map(|p| p[k]);
            of.clone().fold(f64::NEG_INFINITY, f64::max) - of.fold(f64::INFINITY, f64::min)
        };
        wide(0).max(wide(1))
    }
}

/// A place from the middle along axes that are turned.
fn turned([y, z]: [f64; 2], middle: [f64; 2], turn: f64) -> [f64; 2] {
    let (s, c) = turn.sin_cos();
    let (y, z) = (y - middle[0], z - middle[1]);
    [y * c + z * s, z * c - y * s]
}

fn backwards(mut outline: Vec<[f64; 2]>) -> Vec<[f64; 2]> {
    outline.reverse();
    outline
}

fn circle(radius: f64) -> Vec<[f64; 2]> {
    let corner = |i: usize| (TAU * i as f64 / CIRCLE as f64).sin_cos();
    (0..CIRCLE).map(corner).map(|(s, c)| [radius * c, radius * s]).collect()
}

/// A piece of a circle about a place, from one angle over another one.
fn arc(middle: [f64; 2], radius: f64, from: f64, over: f64) -> impl Iterator<Item = [f64; 2]> {
    arc_of(FILLET, middle, radius, from, over)
}

/// The same in so many sides.
fn arc_of(sides: usize, [y, z]: [f64; 2], radius: f64, from: f64, over: f64) -> impl Iterator<Item = [f64; 2]> {
    (0..=sides).map(move |i| {
        let (s, c) = (from + over * i as f64 / sides as f64).sin_cos();
        [y + radius * c, z + radius * s]
    })
}

/// A corner, rounded about a middle that lies `way` from it; sharp without a radius.
fn corner([y, z]: [f64; 2], way: [f64; 2], from: f64, over: f64, radius: f64, sides: usize) -> Vec<[f64; 2]> {
    if radius == 0.0 {
        return vec![[y, z]];
    }
    arc_of(sides, [y + way[0] * radius, z + way[1] * radius], radius, from, over).collect()
}

/// A rectangle about its middle with rounded corners.
fn rounded(h: f64, b: f64, radius: f64) -> Vec<[f64; 2]> {
    let r = radius.min(0.5 * h).min(0.5 * b);
    let (y, z) = (0.5 * b - r, 0.5 * h - r);
    if r == 0.0 {
        return vec![[-y, -z], [y, -z], [y, z], [-y, z]];
    }
    let corners = [([-y, -z], PI), ([y, -z], 3.0 * FRAC_PI_2), ([y, z], 0.0), ([-y, z], FRAC_PI_2)];
    let mut out: Vec<[f64; 2]> = corners.into_iter().flat_map(|(at, from)| arc(at, r, from, FRAC_PI_2)).collect();
    // Where corners use up a side, they meet.
    out.dedup();
    out.pop_if(|last| *last == [-0.5 * b, 0.0] && h == 2.0 * r);
    out
}

fn rolled_outline(h: f64, b: f64, web: f64, flange: f64, root: f64) -> Vec<[f64; 2]> {
    let (y, z, w, f) = (0.5 * b, 0.5 * h, 0.5 * web, 0.5 * h - flange);
    let (in_y, in_z) = (w + root, f - root);
    let mut out = vec![[-y, -z], [y, -z], [y, -f]];
    // Fillets are hollow: their circles run with the clock.
    out.extend(arc([in_y, -in_z], root, -FRAC_PI_2, -FRAC_PI_2));
    out.extend(arc([in_y, in_z], root, PI, -FRAC_PI_2));
    out.extend([[y, f], [y, z], [-y, z], [-y, f]]);
    out.extend(arc([-in_y, in_z], root, FRAC_PI_2, -FRAC_PI_2));
    out.extend(arc([-in_y, -in_z], root, 0.0, -FRAC_PI_2));
    out.push([-y, -f]);
    out
}

/// An outline out of its corners: “0,0 60,0 60,40 0,40”.
fn outline(rest: &str) -> Result<(String, Shape), String> {
    let corner = |pair: &str| -> Option<[f64; 2]> {
        let (y, z) = pair.split_once(',')?;
        let number = |x: &str| x.trim().parse().ok().filter(|x: &f64| x.abs() < 1e6);
        Some([number(y)?, number(z)?])
    };
    let typed = rest.split([' ', ';', '\t', '\n']).filter(|p| !p.is_empty());
    let corners: Option<Vec<[f64; 2]>> = typed.map(corner).collect();
    let mut corners =
        corners.ok_or("An outline is written as y,z of its corners in mm: OUTLINE 0,0 60,0 60,40 0,40")?;
    if corners.len() > 1 && corners.first() == corners.last() {
        corners.pop();
    }
    if !(3..=MOST_CORNERS).contains(&corners.len()) {
        return Err(format!("An outline has 3 to {MOST_CORNERS} corners; this one has {}.", corners.len()));
    }
    if let Some((i, j)) = crossing(&corners) {
        return Err(format!("The outline meets itself: sides {} and {}.", i + 1, j + 1));
    }
    if Moments::of_outline(&corners).area < 0.0 {
        corners.reverse();
    }
    let title = corners.iter().map(|[y, z]| format!("{y},{z}")).collect::<Vec<_>>().join(" ");
    Ok((format!("OUTLINE {title}"), Shape::Outline(corners)))
}

/// The first two sides of an outline that meet other than at the corner between them.
fn crossing(corners: &[[f64; 2]]) -> Option<(usize, usize)> {
    let n = corners.len();
    let side = |i: usize| (corners[i], corners[(i + 1) % n]);
    let turn = |a: [f64; 2], b: [f64; 2], c: [f64; 2]| (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
    let within = |a: [f64; 2], b: [f64; 2], p: [f64; 2]| {
        turn(a, b, p) == 0.0 && (0..2).all(|k| p[k] >= a[k].min(b[k]) && p[k] <= a[k].max(b[k]))
    };
    let meet = |i: usize, j: usize| {
        let ((a, b), (c, d)) = (side(i), side(j));
        if j == i + 1 || (i == 0 && j == n - 1) {
            // Neighbours share a corner: they must not fold back.
            let (far, near) = if j == i + 1 { (d, a) } else { (c, b) };
            return within(a, b, far) || within(c, d, near);
        }
        let crossed = turn(a, b, c) * turn(a, b, d) < 0.0 && turn(c, d, a) * turn(c, d, b) < 0.0;
        crossed || within(a, b, c) || within(a, b, d) || within(c, d, a) || within(c, d, b)
    };
    (0..n).flat_map(|i| (i + 1..n).map(move |j| (i, j))).find(|(i, j)| meet(*i, *j))
}

/// Area, middle and second moments of a plane figure.
pub(crate) struct Moments {
    /// Negative for an outline that runs with the clock.
    pub area: f64,
    pub middle: [f64; 2],
    /// About the principal axes: y is the stronger one.
    pub major: f64,
    pub minor: f64,
    /// From the figure's axes to the principal ones, in radians.
    pub turn: f64,
}

impl Moments {
    /// Of rectangles `[y0, z0, y1, z1]` that do not overlap.
    pub fn of_walls(walls: &[[f64; 4]]) -> Moments {
        let rectangle = |[a, b, c, d]: &[f64; 4]| vec![[*a, *b], [*c, *b], [*c, *d], [*a, *d]];
        Moments::of(walls.iter().map(rectangle))
    }

    /// Of one outline.
    pub fn of_outline(corners: &[[f64; 2]]) -> Moments {
        Moments::of(std::iter::once(corners.to_vec()))
    }

    /// By Green's theorem along outlines.
    pub fn of(outlines: impl Iterator<Item = Vec<[f64; 2]>>) -> Moments {
        // Of 1, y, z, y², z² and yz over the area.
        let mut sum = [0.0; 6];
        for corners in outlines {
            for (i, [y0, z0]) in corners.iter().copied().enumerate() {
                let [y1, z1] = corners[(i + 1) % corners.len()];
                let cross = y0 * z1 - y1 * z0;
                sum[0] += cross / 2.0;
                sum[1] += cross * (y0 + y1) / 6.0;
                sum[2] += cross * (z0 + z1) / 6.0;
                sum[3] += cross * (y0 * y0 + y0 * y1 + y1 * y1) / 12.0;
                sum[4] += cross * (z0 * z0 + z0 * z1 + z1 * z1) / 12.0;
                sum[5] += cross * (y0 * z1 + 2.0 * y0 * z0 + 2.0 * y1 * z1 + y1 * z0) / 24.0;
            }
        }
        let [area, y, z, yy, zz, yz] = sum;
        let middle = [y / area, z / area];
        let (iy, iz) = (zz - area * middle[1].powi(2), yy - area * middle[0].powi(2));
        let iyz = yz - area * middle[0] * middle[1];
        let (mean, half) = (0.5 * (iy + iz), (0.25 * (iy - iz).powi(2) + iyz * iyz).sqrt());
        // What is symmetric has no product but what rounding leaves.
        let turn = if iyz.abs() <= 1e-10 * mean.abs() && iy >= iz { 0.0 } else { 0.5 * (-2.0 * iyz).atan2(iy - iz) };
        Moments { area, middle, major: mean + half, minor: mean - half, turn }
    }

    /// The furthest of some places from y and from z.
    pub fn reach(&self, places: impl Iterator<Item = [f64; 2]>) -> [f64; 2] {
        places.fold([0.0_f64; 2], |[z, y], p| {
            let [at_y, at_z] = turned(p, self.middle, self.turn);
            [z.max(at_z.abs()), y.max(at_y.abs())]
        })
    }
}
