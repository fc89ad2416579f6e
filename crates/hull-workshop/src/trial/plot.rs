//! Pressure and speed along the main way of a trial, as an SVG.

use super::main_way;
use crate::numbers::four_digits;
use hull_trials::flow::Flow;
use std::fmt::Write as _;

const WIDTH: f64 = 560.0;
const HEIGHT: f64 = 190.0;
const LEFT: f64 = 44.0;
const BOTTOM: f64 = 34.0;
const INK: &str = "#1c2b3a";
const SPEED: &str = "#0f6b6b";

/// Two curves over the distance from the inlet: pressure (of 1 at inlets) and speed (over the mean at inlets).
pub fn plot(flow: &Flow, unit: &str) -> String {
    let way = main_way(flow);
    let long = way.last().map_or(1.0, |w| w[0]).max(f64::MIN_POSITIVE);
    let fastest = way.iter().map(|w| w[2]).fold(1.0, f64::max);
    let x = |along: f64| LEFT + along / long * (WIDTH - LEFT - 50.0);
    let y = |part: f64| 12.0 + (1.0 - part) * (HEIGHT - BOTTOM - 12.0);
    let curve = |value: &dyn Fn(&[f64; 3]) -> f64| {
        way.iter().map(|w| format!("{:.1},{:.1}", x(w[0]), y(value(w)))).collect::<Vec<_>>().join(" ")
    };
    let mut out = format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {WIDTH} {HEIGHT}\" font-family=\"sans-serif\" font-size=\"11\" \
         role=\"img\" aria-label=\"Pressure and speed along the main way\">"
    );
    for part in [0.0, 0.5, 1.0] {
        let _ = write!(
            out,
            "<path d=\"M{LEFT} {0:.1}H{1:.1}\" stroke=\"#d8d2c2\"/><text x=\"{2:.1}\" y=\"{3:.1}\" text-anchor=\"end\" fill=\"{INK}\">{part}</text>\
             <text x=\"{4:.1}\" y=\"{3:.1}\" fill=\"{SPEED}\">{5}</text>",
            y(part),
            WIDTH - 50.0,
            LEFT - 6.0,
            y(part) + 4.0,
            WIDTH - 44.0,
            four_digits(part * fastest)
        );
    }
    let _ = write!(
        out,
        "<polyline fill=\"none\" stroke=\"{INK}\" stroke-width=\"1.6\" points=\"{}\"/>\
         <polyline fill=\"none\" stroke=\"{SPEED}\" stroke-width=\"1.6\" stroke-dasharray=\"5 3\" points=\"{}\"/>",
        curve(&|w| w[1]),
        curve(&|w| w[2] / fastest)
    );
    let base = HEIGHT - 8.0;
    let _ = write!(
        out,
        "<text x=\"{LEFT}\" y=\"{base}\" fill=\"{INK}\">0</text><text x=\"{:.1}\" y=\"{base}\" text-anchor=\"end\" fill=\"{INK}\">{} {unit} from the inlet</text>\
         <text x=\"{:.1}\" y=\"{base}\" fill=\"{INK}\">pressure, line</text><text x=\"{:.1}\" y=\"{base}\" fill=\"{SPEED}\">speed, dashes</text>",
        WIDTH - 50.0,
        four_digits(long),
        LEFT + 60.0,
        LEFT + 160.0
    );
    out + "</svg>\n"
}
