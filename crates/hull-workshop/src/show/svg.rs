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

/// The size of a plot, and what is kept free at its left and at its foot.
const PLOT: [f64; 2] = [480.0, 150.0];
const LEFT: f64 = 52.0;
const FOOT: f64 = 28.0;

/// A curve of `up` over `across`, both with their units, with its least and largest values at the side.
pub fn curve(points: &[[f64; 2]], across: &str, up: &str) -> String {
    let range = |k: usize| {
        let all = points.iter().map(|p| p[k]);
        let (low, high) = all.fold((f64::INFINITY, f64::NEG_INFINITY), |m, x| (m.0.min(x), m.1.max(x)));
        if low < high { (low, high) } else { (low.min(0.0), high.max(low.min(0.0) + 1.0)) }
    };
    let ((left, right), (low, high)) = (range(0), range(1));
    let x = |v: f64| LEFT + (v - left) / (right - left) * (PLOT[0] - LEFT - 8.0);
    let y = |v: f64| 16.0 + (high - v) / (high - low) * (PLOT[1] - FOOT - 16.0);
    let along: Vec<String> = points.iter().map(|p| format!("{:.1},{:.1}", x(p[0]), y(p[1]))).collect();
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"plot\" viewBox=\"0 0 {} {}\" font-family=\"sans-serif\" font-size=\"11\" role=\"img\" aria-label=\"{up} over {across}\">",
        PLOT[0], PLOT[1]
    );
    for value in [low, high] {
        let _ = write!(
            out,
            "<path d=\"M{LEFT} {0:.1}H{1:.1}\" stroke=\"#d8d2c2\"/><text x=\"{2:.1}\" y=\"{3:.1}\" text-anchor=\"end\" fill=\"#1b2a41\">{4}</text>",
            y(value),
            PLOT[0] - 8.0,
            LEFT - 6.0,
            y(value) + 4.0,
            crate::numbers::four_digits(value)
        );
    }
    let foot = PLOT[1] - 8.0;
    let _ = write!(
        out,
        "<polyline fill=\"none\" stroke=\"#0f6b6b\" stroke-width=\"1.6\" points=\"{}\"/><text x=\"{LEFT}\" y=\"{foot}\" fill=\"#1b2a41\">{up}</text>\
         <text x=\"{}\" y=\"{foot}\" text-anchor=\"end\" fill=\"#1b2a41\">{} to {} {across}</text>",
        along.join(" "),
        PLOT[0] - 8.0,
        crate::numbers::four_digits(left),
        crate::numbers::four_digits(right)
    );
    out + "</svg>\n"
}
