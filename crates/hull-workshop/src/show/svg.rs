//! Outlines as a drawing that any browser shows.

use hull_geometry::Unit;
use std::fmt::Write as _;

/// Lines in a plane as SVG at full size: x to the right, y upward. With a unit the width is told in millimetres.
pub fn outlines(lines: &[Vec<[f64; 2]>], unit: Option<Unit>) -> String {
    let all = || lines.iter().flatten();
    let low = all().fold([f64::INFINITY; 2], |m, p| [m[0].min(p[0]), m[1].min(p[1])]);
    let high = all().fold([f64::NEG_INFINITY; 2], |m, p| [m[0].max(p[0]), m[1].max(p[1])]);
    let size = if all().next().is_some() { [high[0] - low[0], high[1] - low[1]] } else { [1.0; 2] };
    let margin = 0.02 * size[0].max(size[1]).max(f64::MIN_POSITIVE);
    let (w, h) = (size[0] + 2.0 * margin, size[1] + 2.0 * margin);
    let mut out = String::new();
    let scale = unit.map(Unit::millimetres);
    let real = scale.map_or(String::new(), |mm| format!(" width=\"{}mm\" height=\"{}mm\"", w * mm, h * mm));
    let _ = writeln!(
        out,
        "<svg xmlns=\"http://www.w3.org/2000/svg\"{real} viewBox=\"{} {} {w} {h}\">",
        low[0] - margin,
        -high[1] - margin
    );
    for line in lines {
        let closed = line.len() > 2 && line.first() == line.last();
        let end = line.len() - usize::from(closed);
        let points: Vec<String> = line[..end].iter().map(|p| format!("{},{}", p[0], 0.0 - p[1])).collect();
        let tag = if closed { "polygon" } else { "polyline" };
        let width = margin / 10.0;
        let _ = writeln!(
            out,
            "<{tag} fill=\"none\" stroke=\"#1b2a41\" stroke-width=\"{width}\" points=\"{}\"/>",
            points.join(" ")
        );
    }
    out + "</svg>\n"
}
