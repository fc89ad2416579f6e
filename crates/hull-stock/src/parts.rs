//! Stock parts from tables of dimensions: *from memory* of the standards that are named; compare them before you rely on them.

use crate::outlines;
use crate::solids::{self, bend, circle, closed, face, sides, wall};
use hull_exact::Shape;
use hull_exact::frame::Frame;
use hull_exact::prism::{Outline, Piece, stacked};
use hull_geometry::Mesh;
use serde::Serialize;
use std::f64::consts::{PI, TAU};

/// A kind of part.
#[derive(Clone, Copy, Debug, Serialize)]
pub struct Kind {
    /// Its key.
    pub id: &'static str,
    /// As it is called.
    pub title: &'static str,
    /// Where its dimensions are from.
    pub source: &'static str,
    /// Its sizes.
    pub sizes: &'static [&'static str],
    /// What its length is, and what is usual; `None` where it has none.
    pub length: Option<(&'static str, f64)>,
}

/// M, across flats, height of the head (ISO 4014 and 4017), of the nut (ISO 4032), washer inside, outside, thickness (ISO 7089).
const THREADS: [(&str, f64, [f64; 6]); 10] = [
    ("M3", 3.0, [5.5, 2.0, 2.4, 3.2, 7.0, 0.5]),
    ("M4", 4.0, [7.0, 2.8, 3.2, 4.3, 9.0, 0.8]),
    ("M5", 5.0, [8.0, 3.5, 4.7, 5.3, 10.0, 1.0]),
    ("M6", 6.0, [10.0, 4.0, 5.2, 6.4, 12.0, 1.6]),
    ("M8", 8.0, [13.0, 5.3, 6.8, 8.4, 16.0, 1.6]),
    ("M10", 10.0, [16.0, 6.4, 8.4, 10.5, 20.0, 2.0]),
    ("M12", 12.0, [18.0, 7.5, 10.8, 13.0, 24.0, 2.5]),
    ("M16", 16.0, [24.0, 10.0, 14.8, 17.0, 30.0, 3.0]),
    ("M20", 20.0, [30.0, 12.5, 18.0, 21.0, 37.0, 3.0]),
    ("M24", 24.0, [36.0, 15.0, 21.5, 25.0, 44.0, 4.0]),
];
const M: &[&str] = &["M3", "M4", "M5", "M6", "M8", "M10", "M12", "M16", "M20", "M24"];

/// Nominal size, outer diameter, wall, radius of the bend (EN 10220, EN 10253-1 type 3).
const PIPES: [(&str, f64, f64, f64); 8] = [
    ("DN 15", 21.3, 2.0, 28.0),
    ("DN 20", 26.9, 2.3, 29.0),
    ("DN 25", 33.7, 2.6, 38.0),
    ("DN 32", 42.4, 2.6, 48.0),
    ("DN 40", 48.3, 2.6, 57.0),
    ("DN 50", 60.3, 2.9, 76.0),
    ("DN 80", 88.9, 3.2, 114.0),
    ("DN 100", 114.3, 3.6, 152.0),
];
const DN: &[&str] = &["DN 15", "DN 20", "DN 25", "DN 32", "DN 40", "DN 50", "DN 80", "DN 100"];

/// Outer diameter, bolt circle, hole, how many, thickness, bore (EN 1092-1, type 01, PN 16).
const FLANGES: [(&str, [f64; 6]); 5] = [
    ("DN 25", [115.0, 85.0, 14.0, 4.0, 18.0, 34.5]),
    ("DN 40", [150.0, 110.0, 18.0, 4.0, 18.0, 49.5]),
    ("DN 50", [165.0, 125.0, 18.0, 4.0, 20.0, 61.5]),
    ("DN 80", [200.0, 160.0, 18.0, 8.0, 20.0, 90.5]),
    ("DN 100", [220.0, 180.0, 18.0, 8.0, 22.0, 116.0]),
];

/// Height, width, web, flange, root radius (EN 10365).
const BEAMS: [(&str, [f64; 5]); 6] = [
    ("IPE 80", [80.0, 46.0, 3.8, 5.2, 5.0]),
    ("IPE 100", [100.0, 55.0, 4.1, 5.7, 7.0]),
    ("IPE 120", [120.0, 64.0, 4.4, 6.3, 7.0]),
    ("IPE 160", [160.0, 82.0, 5.0, 7.4, 9.0]),
    ("IPE 200", [200.0, 100.0, 5.6, 8.5, 12.0]),
    ("HEA 100", [96.0, 100.0, 5.0, 8.0, 12.0]),
];

/// Height, width, web, flange, root radius of channels with parallel flanges (EN 10365).
pub const CHANNELS: [(&str, [f64; 5]); 14] = [
    ("UPE 80", [80.0, 50.0, 4.0, 7.0, 10.0]),
    ("UPE 100", [100.0, 55.0, 4.5, 7.5, 10.0]),
    ("UPE 120", [120.0, 60.0, 5.0, 8.0, 12.0]),
    ("UPE 140", [140.0, 65.0, 5.0, 9.0, 12.0]),
    ("UPE 160", [160.0, 70.0, 5.5, 9.5, 12.0]),
    ("UPE 180", [180.0, 75.0, 5.5, 10.5, 12.0]),
    ("UPE 200", [200.0, 80.0, 6.0, 11.0, 13.0]),
    ("UPE 220", [220.0, 85.0, 6.5, 12.0, 13.0]),
    ("UPE 240", [240.0, 90.0, 7.0, 12.5, 15.0]),
    ("UPE 270", [270.0, 95.0, 7.5, 13.5, 15.0]),
    ("UPE 300", [300.0, 100.0, 9.5, 15.0, 15.0]),
    ("UPE 330", [330.0, 105.0, 11.0, 16.0, 18.0]),
    ("UPE 360", [360.0, 110.0, 12.0, 17.0, 18.0]),
    ("UPE 400", [400.0, 115.0, 13.5, 18.0, 18.0]),
];

/// Every kind there is.
pub const KINDS: [Kind; 11] = [
    Kind {
        id: "bolt",
        title: "Hexagon bolt",
        source: "ISO 4017, without its thread",
        sizes: M,
        length: Some(("length", 40.0)),
    },
    Kind { id: "nut", title: "Hexagon nut", source: "ISO 4032, without its thread", sizes: M, length: None },
    Kind { id: "washer", title: "Washer", source: "ISO 7089", sizes: M, length: None },
    Kind { id: "pipe", title: "Pipe", source: "EN 10220", sizes: DN, length: Some(("length", 500.0)) },
    Kind {
        id: "elbow",
        title: "Pipe elbow",
        source: "EN 10253-1, radius of type 3",
        sizes: DN,
        length: Some(("degrees", 90.0)),
    },
    Kind {
        id: "flange",
        title: "Plate flange",
        source: "EN 1092-1 type 01, PN 16",
        sizes: &["DN 25", "DN 40", "DN 50", "DN 80", "DN 100"],
        length: None,
    },
    Kind {
        id: "hollow",
        title: "Rectangular hollow section",
        source: "EN 10210-2, corners 1.5 t and 1 t",
        sizes: &["40x40x3", "60x40x4", "80x80x5", "100x50x5", "120x80x6"],
        length: Some(("length", 1000.0)),
    },
    Kind {
        id: "beam",
        title: "I-section",
        source: "EN 10365",
        sizes: &["IPE 80", "IPE 100", "IPE 120", "IPE 160", "IPE 200", "HEA 100"],
        length: Some(("length", 1000.0)),
    },
    Kind {
        id: "channel",
        title: "U-section",
        source: "EN 10365, parallel flanges",
        sizes: &[
            "UPE 80", "UPE 100", "UPE 120", "UPE 140", "UPE 160", "UPE 180", "UPE 200", "UPE 220", "UPE 240",
            "UPE 270", "UPE 300", "UPE 330", "UPE 360", "UPE 400",
        ],
        length: Some(("length", 1000.0)),
    },
    Kind {
        id: "angle",
        title: "Angle",
        source: "EN 10056, sharp corners",
        sizes: &["30x30x3", "50x50x5", "60x60x6", "80x80x8"],
        length: Some(("length", 1000.0)),
    },
    Kind {
        id: "gear",
        title: "Spur gear",
        source: "involute of 20° (ISO 53), module and teeth",
        sizes: &["1x20", "1.5x24", "2x20", "2x32", "3x24"],
        length: Some(("width", 15.0)),
    },
];

/// Kinds whose name, source or sizes have every word of a search in them.
pub fn search(words: &str) -> Vec<&'static Kind> {
    let words: Vec<String> = words.to_lowercase().split_whitespace().map(str::to_string).collect();
    let text = |k: &Kind| format!("{} {} {}", k.title, k.source, k.sizes.join(" ")).to_lowercase();
    KINDS.iter().filter(|k| words.iter().all(|w| text(k).contains(w))).collect()
}

/// What a part is made of: pieces on each other along z, or facets where its surfaces are none that we keep exactly.
enum Made {
    /// Outline, holes, length of each.
    Pieces(Vec<(Outline, Vec<Outline>, f64)>),
    /// Facets.
    Facets(Mesh),
}

/// A part of a kind and a size; `length` where it has one, facets within `tolerance` of what is round.
///
/// # Errors
/// A sentence.
pub fn make(id: &str, size: &str, length: f64, tolerance: f64) -> Result<Mesh, String> {
    if !(1e-4..=10.0).contains(&tolerance) {
        return Err("The tolerance goes from 0.0001 to 10 mm.".into());
    }
    Ok(match made(id, size, length, tolerance)? {
        Made::Facets(mesh) => mesh,
        Made::Pieces(pieces) => faceted(&pieces, tolerance),
    })
}

/// The same part as an exact solid; nothing for those that are facets only: pipe elbows and gears.
///
/// # Errors
/// A sentence.
pub fn solid(id: &str, size: &str, length: f64) -> Result<Option<Shape>, String> {
    let Made::Pieces(pieces) = made(id, size, length, 1.0)? else { return Ok(None) };
    let pieces: Vec<Piece> =
        pieces.iter().map(|(outer, holes, length)| Piece { outer, holes, length: *length }).collect();
    Ok(Some(stacked(&Frame::WORLD, &pieces)))
}

fn made(id: &str, size: &str, length: f64, tolerance: f64) -> Result<Made, String> {
    let kind = KINDS.iter().find(|k| k.id == id).ok_or_else(|| format!("There is no stock part “{id}”."))?;
    if !kind.sizes.contains(&size) {
        return Err(format!(
            "There is no {} of size “{size}”: there are {}.",
            kind.title.to_lowercase(),
            kind.sizes.join(", ")
        ));
    }
    if kind.length.is_some() && !(0.1..=100_000.0).contains(&length) {
        return Err("The length goes from 0.1 to 100 000 mm.".into());
    }
    let numbers: Vec<f64> = size.split('x').filter_map(|n| n.parse().ok()).collect();
    let thread = THREADS.iter().find(|t| t.0 == size);
    let pipe = PIPES.iter().find(|p| p.0 == size);
    let three = <[f64; 3]>::try_from(numbers.clone()).ok();
    let named = |table: &[(&str, [f64; 5])]| table.iter().find(|b| b.0 == size).map(|b| b.1);
    let one = |outer: Outline, holes: Vec<Outline>, length: f64| Made::Pieces(vec![(outer, holes, length)]);
    let round = |d: f64| Outline::circle(0.5 * d);
    match id {
        // The shank from z = 0, the head on it.
        "bolt" => thread.map(|t| {
            let [across, head, ..] = t.2;
            Made::Pieces(vec![(round(t.1), Vec::new(), length), (outlines::hexagon(across), Vec::new(), head)])
        }),
        "nut" => thread.map(|t| one(outlines::hexagon(t.2[0]), vec![round(t.1)], t.2[2])),
        "washer" => thread.map(|t| one(round(t.2[4]), vec![round(t.2[3])], t.2[5])),
        "pipe" => pipe.map(|p| one(round(p.1), vec![round(p.1 - 2.0 * p.2)], length)),
        "elbow" if !(1.0..=180.0).contains(&length) => return Err("An elbow turns by 1° to 180°.".into()),
        "elbow" => pipe.map(|p| Made::Facets(bend(p.1 / 2.0, p.1 / 2.0 - p.2, p.3, length, tolerance))),
        "flange" => FLANGES.iter().find(|f| f.0 == size).map(|f| flange(&f.1)),
        "hollow" => three.map(|n| {
            let [outer, inner] = outlines::hollow(n);
            one(outer, vec![inner], length)
        }),
        "beam" => named(&BEAMS).map(|b| one(outlines::rolled(b), Vec::new(), length)),
        "channel" => named(&CHANNELS).map(|b| one(outlines::channel(b), Vec::new(), length)),
        "angle" => three.map(|n| one(outlines::angle(n), Vec::new(), length)),
        _ => <[f64; 2]>::try_from(numbers).ok().map(|[m, z]| Made::Facets(gear(m, z, length, tolerance))),
    }
    .ok_or_else(|| format!("The dimensions of {size} are missing."))
}

/// Facets of pieces on each other, within a tolerance of what is round.
fn faceted(pieces: &[(Outline, Vec<Outline>, f64)], tolerance: f64) -> Mesh {
    let corners = |outline: &Outline| {
        // An arc of a small radius keeps two sides a quarter.
        outline.corners(|radius| sides(radius, tolerance).max(if matches!(outline, Outline::Path(_)) { 8 } else { 12 }))
    };
    // Holes run with the clock; the facets of faces and walls want them against it.
    let hole = |outline: &Outline| {
        let mut all = corners(outline);
        if matches!(outline, Outline::Path(_)) {
            all.reverse();
        }
        all
    };
    let mut mesh = Mesh::default();
    let mut below: Option<solids::Outline> = None;
    let mut z = 0.0;
    for (i, (outer, holes, length)) in pieces.iter().enumerate() {
        let (outer, holes) = (corners(outer), holes.iter().map(hole).collect::<Vec<_>>());
        let left_out: Vec<solids::Outline> = holes.iter().cloned().chain(below.take()).collect();
        face(&mut mesh, &outer, &left_out, z, false);
        wall(&mut mesh, &outer, z, z + length, true);
        holes.iter().for_each(|h| wall(&mut mesh, h, z, z + length, false));
        z += length;
        if i + 1 == pieces.len() {
            face(&mut mesh, &outer, &holes, z, true);
        }
        below = Some(outer);
    }
    closed(mesh)
}

fn flange(&[d, k, hole, n, thick, bore]: &[f64; 6]) -> Made {
    let mut holes = vec![Outline::circle(bore / 2.0)];
    for i in 0..n as usize {
        let (s, c) = (TAU * (i as f64 + 0.5) / n).sin_cos();
        holes.push(Outline::Circle { at: [k / 2.0 * c, k / 2.0 * s], radius: hole / 2.0 });
    }
    Made::Pieces(vec![(Outline::circle(d / 2.0), holes, thick)])
}

/// Teeth with involute flanks on a base circle, addendum m, dedendum 1.25 m, with a bore of half the root circle.
fn gear(module: f64, teeth: f64, width: f64, tolerance: f64) -> Mesh {
    let pressure = 20_f64.to_radians();
    let pitch = module * teeth / 2.0;
    let (tip, root, base) = (pitch + module, pitch - 1.25 * module, pitch * pressure.cos());
    let involute = |r: f64| {
        let a = (base / r).clamp(-1.0, 1.0).acos();
        a.tan() - a
    };
    // Half the tooth's angle at a radius.
    let half = |r: f64| PI / (2.0 * teeth) + involute(pitch) - involute(r.max(base));
    let steps = ((module / tolerance).sqrt().ceil() as usize * 2).clamp(4, 40);
    let mut out = Vec::new();
    for k in 0..teeth as usize {
        let middle = TAU * k as f64 / teeth;
        let at = |r: f64, angle: f64| {
            let (s, c) = (middle + angle).sin_cos();
            [r * c, r * s]
        };
        let low = root.max(base);
        if root < base {
            out.push(at(root, -half(low)));
        }
        let radius = |i: usize| low + (tip - low) * i as f64 / steps as f64;
        out.extend((0..=steps).map(|i| at(radius(i), -half(radius(i)))));
        out.extend((0..=steps).rev().map(|i| at(radius(i), half(radius(i)))));
        if root < base {
            out.push(at(root, half(low)));
        }
    }
    solids::prism(&out, &[circle([0.0; 2], root / 2.0, sides(root / 2.0, tolerance))], width)
}
