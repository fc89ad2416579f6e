//! The quay wall as a scanner on the *Pipit* captured it: points with colours and directions, in metres, with what stood
//! behind the wall and drifted before it.

use hull_formats::ply;
use hull_geometry::cloud::Cloud;
use hull_geometry::dirt::Dice;

/// Along, up, and how far the scanner saw behind and before the wall, in metres.
const LENGTH: f64 = 24.0;
const HEIGHT: f64 = 5.0;
const BLOCK: [f64; 2] = [1.6, 0.8];
const JOINT: f64 = 0.05;

/// Binary PLY of the capture.
pub fn capture() -> Vec<u8> {
    let mut dice = Dice(0x0_9a1);
    let mut cloud = Cloud::default();
    let mut add = |p: [f64; 3], colour: [f64; 3], normal: [f32; 3], shade: f64| {
        cloud.points.push(p);
        cloud.colours.push(colour.map(|c| (c * shade).clamp(0.0, 255.0) as u8));
        cloud.normals.push(normal);
    };
    for _ in 0..26_000 {
        let (x, z) = (dice.part() * LENGTH, dice.part() * HEIGHT);
        // Rows of blocks, every other one half a block aside, with joints set back.
        let row = (z / BLOCK[1]).floor();
        let along = x / BLOCK[0] + 0.5 * (row % 2.0);
        let edge = (along.fract().min(1.0 - along.fract()) * BLOCK[0]).min((z / BLOCK[1]).fract() * BLOCK[1]);
        let joint = edge < JOINT;
        let depth = if joint { 0.06 } else { 0.012 * ((along.floor() * 7.3 + row * 3.1).sin()) };
        let wet = z < 1.2;
        let stone = if wet { [88.0, 96.0, 84.0] } else { [176.0, 164.0, 142.0] };
        let shade = (if joint { 0.55 } else { 1.0 }) * (0.88 + 0.12 * dice.part());
        add([x, depth + 0.004 * dice.part(), z], stone, [0.0, -1.0, 0.0], shade);
    }
    for _ in 0..5_000 {
        let (x, y) = (dice.part() * LENGTH, dice.part() * 3.0);
        add([x, y, HEIGHT + 0.003 * dice.part()], [150.0, 148.0, 144.0], [0.0, 0.0, 1.0], 0.85 + 0.15 * dice.part());
    }
    // What does not belong to the wall: a crane behind it, weed before it.
    for _ in 0..1_200 {
        let (a, z) = (dice.part() * std::f64::consts::TAU, dice.part() * 6.0);
        let out = [(a.cos()) as f32, (a.sin()) as f32, 0.0];
        add(
            [18.0 + 0.4 * a.cos(), 9.0 + 0.4 * a.sin(), HEIGHT + z],
            [196.0, 138.0, 60.0],
            out,
            0.8 + 0.2 * dice.part(),
        );
    }
    for _ in 0..800 {
        let p = [dice.part() * LENGTH, -2.0 - 3.0 * dice.part(), 0.1 * dice.part()];
        add(p, [70.0, 104.0, 66.0], [0.0, 0.0, 1.0], 0.7 + 0.3 * dice.part());
    }
    ply::write_points(&cloud, false)
}
