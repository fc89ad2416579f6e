//! The quay's deck as a flying camera captured it: splats, in lengths of nobody's (a metre is 0.4 of them), leaning, with the
//! floaters that captures have. Two bollards stand 6 m apart: by them the capture gets its size.

use hull_formats::ply;
use hull_geometry::cloud::Cloud;
use hull_geometry::dirt::Dice;
use hull_geometry::splats::{Splat, columns, quaternion};
use hull_geometry::vector::{V3, add, cross, scale, unit};

/// A metre in the capture's lengths.
const METRE: f64 = 0.4;
/// How the capture is turned: about an axis that leans, by some 30°.
const TURN: [f64; 4] = [0.965, 0.21, -0.12, 0.102];

struct Capture {
    cloud: Cloud,
    dice: Dice,
    /// How it is turned, and how long a metre is in it.
    turn: [f64; 4],
    metre: f64,
}

impl Capture {
    /// A flat splat that lies in a surface: where, its normal, its two reaches in metres, colour and opacity.
    fn flat(&mut self, at: V3, normal: V3, reach: [f64; 2], colour: [f64; 3], opacity: f64) {
        let shade = 0.9 + 0.2 * (self.dice.part() - 0.5);
        let across = unit(cross(normal, [0.31, 0.52, 0.79])).unwrap_or([1.0, 0.0, 0.0]);
        self.push(at, [across, cross(normal, across), normal], [reach[0], reach[1], 0.004], colour, opacity, shade);
    }

    fn push(&mut self, at: V3, axes: [V3; 3], reach: [f64; 3], colour: [f64; 3], opacity: f64, shade: f64) {
        let turn = columns(unit4(self.turn));
        let turned = |v: V3| add(add(scale(turn[0], v[0]), scale(turn[1], v[1])), scale(turn[2], v[2]));
        let colour = colour.map(|c| (c * shade / 255.0).clamp(0.0, 1.0) as f32);
        self.cloud.points.push(scale(turned(at), self.metre));
        self.cloud.splats.push(Splat {
            axes: reach.map(|r| (r * self.metre) as f32),
            turn: quaternion(axes.map(turned)).map(|x| x as f32),
            opacity: opacity as f32,
            colour,
            // What faces the sky shines a little towards it.
            sheen: [turned([0.0, 0.0, -0.06]).map(|x| x as f32); 3],
        });
    }

    fn between(&mut self, from: f64, to: f64) -> f64 {
        from + (to - from) * self.dice.part()
    }
}

fn unit4(q: [f64; 4]) -> [f64; 4] {
    let length = q.iter().map(|x| x * x).sum::<f64>().sqrt();
    q.map(|x| x / length)
}

/// The deck without what floats over it, in metres, level, its boards at z = 0: coloured points.
pub fn levelled() -> Cloud {
    let mut c = deck([1.0, 0.0, 0.0, 0.0], 1.0);
    let byte = |x: f32| (x * 255.0).round() as u8;
    c.cloud.colours = c.cloud.splats.drain(..).map(|s| s.colour.map(byte)).collect();
    c.cloud
}

/// Binary PLY of the capture.
pub fn capture() -> Vec<u8> {
    let mut c = deck(TURN, METRE);
    // Floaters: haze over the deck, faint and far too large, and crumbs far off.
    for _ in 0..600 {
        let at = [c.between(-7.0, 7.0), c.between(-4.0, 4.0), c.between(1.0, 4.0)];
        let r = c.between(0.6, 1.6);
        c.flat(at, [0.0, 0.3, 0.95], [r, r], [206.0, 214.0, 220.0], 0.02);
    }
    for _ in 0..120 {
        let at = [c.between(-20.0, 20.0), c.between(-14.0, 14.0), c.between(-4.0, 9.0)];
        c.flat(at, [0.0, 0.0, 1.0], [0.2, 0.1], [90.0, 96.0, 104.0], 0.8);
    }
    ply::write_points(&c.cloud, false)
}

/// The deck, its bollards and the quay's face.
fn deck(turn: [f64; 4], metre: f64) -> Capture {
    let mut c = Capture { cloud: Cloud::default(), dice: Dice(0x0_dec), turn, metre };
    for _ in 0..16_000 {
        let (x, y) = (c.between(-6.0, 6.0), c.between(-3.0, 3.0));
        let plank = (y * 2.5).floor();
        let joint = (y * 2.5).fract().abs() < 0.06;
        let colour = if joint { [92.0, 84.0, 74.0] } else { [150.0 + 6.0 * (plank * 1.7).sin(), 132.0, 108.0] };
        c.flat([x, y, 0.006 * unevenness(x, y)], [0.0, 0.0, 1.0], [0.06, 0.04], colour, 0.96);
    }
    for side in [-3.0, 3.0] {
        for _ in 0..2_500 {
            let (a, z) = (c.between(0.0, std::f64::consts::TAU), c.between(0.0, 0.62));
            let r = if z > 0.5 { 0.24 } else { 0.16 };
            let out = [a.cos(), a.sin(), 0.0];
            c.flat([side + r * out[0], 1.5 + r * out[1], z], out, [0.03, 0.03], [196.0, 138.0, 60.0], 0.98);
        }
    }
    for _ in 0..4_000 {
        let (x, z) = (c.between(-6.0, 6.0), c.between(-1.6, 0.0));
        c.flat([x, -3.0, z], [0.0, -1.0, 0.0], [0.07, 0.05], [110.0, 112.0, 102.0], 0.95);
    }
    c
}

/// A surface that is not quite flat.
fn unevenness(x: f64, y: f64) -> f64 {
    (3.1 * x).sin() * (2.3 * y).cos()
}
