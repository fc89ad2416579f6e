//! The sensor gantry of the *Pipit* as a drawing of lines: in inches, on its side (y is up), with an arch, a brace that misses
//! its joint by 3 mm, and a line that stands there twice.

use hull_exact::{Curve, Frame, Motion};
use hull_formats::bundles::Bundles;
use hull_formats::dxf;
use hull_geometry::{Point, Unit};

/// Width, height and depth in millimetres.
const WIDE: f64 = 2400.0;
const HIGH: f64 = 2000.0;
const DEEP: f64 = 1200.0;
/// How far the arch rises over the beam.
const RISE: f64 = 300.0;
/// What the port brace misses its joint by.
const GAP: f64 = 3.0;

/// The drawing.
pub fn drawing() -> Vec<u8> {
    let mut lines = Bundles::default();
    let inches = |p: Point| p.map(|x| x / 25.4);
    let mut add = |layer: &str, from: Point, to: Point| lines.line(layer, inches(from), inches(to));
    for z in [0.0, DEEP] {
        add("posts", [0.0, 0.0, z], [0.0, HIGH, z]);
        add("posts", [WIDE, 0.0, z], [WIDE, HIGH, z]);
        add("beams", [0.0, HIGH, z], [WIDE, HIGH, z]);
    }
    for x in [0.0, WIDE] {
        add("beams", [x, HIGH, 0.0], [x, HIGH, DEEP]);
    }
    add("beams", [0.0, HIGH, 0.0], [WIDE, HIGH, 0.0]);
    add("braces", [0.0; 3], [0.0, HIGH, DEEP - GAP]);
    add("braces", [WIDE, 0.0, 0.0], [WIDE, HIGH, DEEP]);
    // The circle through both tops of the front posts and the crown.
    let half = WIDE / 2.0;
    let radius = (half * half + RISE * RISE) / (2.0 * RISE);
    let centre = inches([half, HIGH + RISE - radius, 0.0]);
    let from = (radius - RISE).atan2(half);
    let frame = Frame { origin: centre, ..Frame::WORLD };
    let arc = Curve::Ellipse { frame, a: radius / 25.4, b: radius / 25.4 };
    lines.curve("arch", arc, [from, std::f64::consts::PI - from]);
    dxf::write_lines(&lines.finish(None), &Motion::NONE, Some(Unit::In))
}
