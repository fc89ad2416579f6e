//! Outlines of parts and sections, in mm: of lines, arcs and circles, so that solids of them are exact.

use hull_exact::prism::{Corner, Outline};

fn corner(at: [f64; 2]) -> Corner {
    Corner { at, centre: None }
}

fn arc(at: [f64; 2], centre: [f64; 2]) -> Corner {
    Corner { at, centre: Some(centre) }
}

/// The same outline the other way round: as holes run.
fn reversed(path: &[Corner]) -> Vec<Corner> {
    let n = path.len();
    (0..n).map(|i| Corner { at: path[n - 1 - i].at, centre: path[(2 * n - 2 - i) % n].centre }).collect()
}

/// A hexagon by its width across flats.
pub fn hexagon(across: f64) -> Outline {
    let r = across / 3.0_f64.sqrt();
    Outline::polygon((0..6).map(|i| {
        let (s, c) = (f64::from(i) * std::f64::consts::FRAC_PI_3).sin_cos();
        [r * c, r * s]
    }))
}

/// A rectangle about the origin with round corners, against the clock.
fn rounded(w: f64, h: f64, r: f64) -> Vec<Corner> {
    let (x, y) = (w / 2.0, h / 2.0);
    vec![
        corner([r - x, -y]),
        arc([x - r, -y], [x - r, r - y]),
        corner([x, r - y]),
        arc([x, y - r], [x - r, y - r]),
        corner([x - r, y]),
        arc([r - x, y], [r - x, y - r]),
        corner([-x, y - r]),
        arc([-x, r - y], [r - x, r - y]),
    ]
}

/// A rectangular hollow section of height, width and wall about the origin: its outline and its hole, with the corners of
/// EN 10210-2 (1.5 t outside, 1 t inside).
pub fn hollow([h, b, t]: [f64; 3]) -> [Outline; 2] {
    let inner = rounded(b - 2.0 * t, h - 2.0 * t, t);
    [Outline::Path(rounded(b, h, 1.5 * t)), Outline::Path(reversed(&inner))]
}

/// A rolled I or H of height, width, web, flange and root radius, about the origin.
pub fn rolled([h, b, web, flange, root]: [f64; 5]) -> Outline {
    let (x, y, foot) = (b / 2.0, h / 2.0, flange - h / 2.0);
    let (side, middle) = (web / 2.0, web / 2.0 + root);
    // From below on the right to above; the left is the same, turned by half a turn.
    let right = [
        corner([x, -y]),
        corner([x, foot]),
        arc([middle, foot], [middle, foot + root]),
        corner([side, foot + root]),
        arc([side, -foot - root], [middle, -foot - root]),
        corner([middle, -foot]),
        corner([x, -foot]),
        corner([x, y]),
    ];
    let turned = |p: [f64; 2]| [-p[0], -p[1]];
    let left = right.iter().map(|c| Corner { at: turned(c.at), centre: c.centre.map(turned) });
    Outline::Path(right.into_iter().chain(left).collect())
}

/// A rolled U with parallel flanges of height, width, web, flange and root radius: its web along x = 0.
pub fn channel([h, b, web, flange, root]: [f64; 5]) -> Outline {
    let (y, foot, middle) = (h / 2.0, flange - h / 2.0, web + root);
    Outline::Path(vec![
        corner([0.0, -y]),
        corner([b, -y]),
        corner([b, foot]),
        arc([middle, foot], [middle, foot + root]),
        corner([web, foot + root]),
        arc([web, -foot - root], [middle, -foot - root]),
        corner([middle, -foot]),
        corner([b, -foot]),
        corner([b, y]),
        corner([0.0, y]),
    ])
}

/// An angle of height, width and thickness with sharp corners.
pub fn angle([h, b, t]: [f64; 3]) -> Outline {
    Outline::polygon([[0.0, 0.0], [h, 0.0], [h, t], [t, t], [t, b], [0.0, b]])
}
