//! A small picture of a body as PNG: every facet in its boundary's colour, lit from the upper left, points and
//! lines.

use crate::Body;
use crate::view::{LINES_WITHIN, members_drawn};
use hull_geometry::mesh::{Bounds, PointId};
use hull_geometry::vector::{add, dot, lerp, scale, unit};
use hull_geometry::{Mesh, NONE, Point};
use typed_index_collections::TiVec;

/// Boundary colours in order; the view and the sheet use the same.
pub const PALETTE: [[u8; 3]; 6] = [
    [0x54, 0x94, 0x9C],
    [0xCD, 0x9E, 0x54],
    [0xBF, 0xD0, 0xAE],
    [0xB0, 0x7A, 0x8C],
    [0x7E, 0x8E, 0x62],
    [0x6F, 0x7F, 0xA8],
];
const UNNAMED: [u8; 3] = [0xE4, 0xDF, 0xD2];
/// Lines, and points without colours.
const CURVE: [u8; 3] = [0x1C, 0x2B, 0x3A];
/// Points of a cloud drawn at most.
const MOST_POINTS: usize = 400_000;
/// Pixels across their lines.
const LINE: f64 = 5.0;
/// Pixels across.
pub const WIDTH: usize = 960;
/// Pixels down.
pub const HEIGHT: usize = 600;
/// Part of the picture that the body fills in the direction in which it fills more.
const FILLED: f64 = 0.9;

/// From where a picture is taken: what is to its right, up and towards the eye.
const RIGHT: Point = [0.82, 0.57, 0.0];
const UP: Point = [-0.26, 0.37, 0.89];
const TOWARD: Point = [0.51, -0.73, 0.45];

/// Pixels to the right, pixels down, and nearness, before they are fitted into the picture.
fn see(p: &Point) -> Point {
    [dot(*p, RIGHT), -dot(*p, UP), dot(*p, TOWARD)]
}

/// Brings what lies within `bounds` into the picture.
fn fit<'a>(seen: impl Iterator<Item = &'a mut Point>, bounds: &Bounds) {
    let (size, centre, frame) = (bounds.size(), bounds.centre(), [WIDTH as f64, HEIGHT as f64]);
    let factor = FILLED * (frame[0] / size[0].max(1e-12)).min(frame[1] / size[1].max(1e-12));
    for p in seen {
        for k in 0..2 {
            p[k] = (p[k] - centre[k]) * factor + frame[k] / 2.0;
        }
    }
}

/// A facet's colour in the light from the upper left; `None` without area.
fn lit(area: Point, colour: [u8; 3]) -> Option<[u8; 3]> {
    let light = unit(add(add(scale(RIGHT, -0.4), scale(UP, 0.7)), scale(TOWARD, 0.9)))?;
    let shade = 0.55 + 0.45 * dot(unit(area)?, light).abs();
    Some(colour.map(|c| (f64::from(c) * shade) as u8))
}

/// A surface in a colour of its own, red, green, blue.
pub struct Painted {
    /// Its facets.
    pub mesh: Mesh,
    /// Its colour.
    pub colour: [u8; 3],
}

/// How much of what is seen through still shows.
const VEIL: f64 = 0.35;

/// A picture like [`picture`], of surfaces in colours of their own; those of `through` are seen through.
pub fn painted(solid: &[Painted], through: &[Painted]) -> Vec<u8> {
    let points = |all: &[Painted]| {
        all.iter().flat_map(|p| p.mesh.points.iter().map(see).collect::<Vec<_>>()).collect::<Vec<_>>()
    };
    let bounds = Bounds::of(points(solid).into_iter().chain(points(through)));
    let draw = |canvas: &mut Canvas, all: &[Painted]| {
        for Painted { mesh, colour } in all {
            let mut seen: TiVec<PointId, Point> = mesh.points.iter().map(see).collect();
            fit(seen.iter_mut(), &bounds);
            for (f, t) in mesh.triangles.iter_enumerated() {
                let Some(colour) = lit(mesh.area_vector(f), *colour) else { continue };
                canvas.facet(t.map(|p| seen[p]), colour);
            }
        }
    };
    let mut canvas = Canvas::new();
    draw(&mut canvas, solid);
    if !through.is_empty() {
        let mut veil = Canvas::new();
        draw(&mut veil, through);
        for (below, above) in canvas.colour.iter_mut().zip(&veil.colour).filter(|(_, v)| v[3] > 0) {
            let empty = below[3] == 0;
            for k in 0..3 {
                let mixed = f64::from(below[k]) * (1.0 - VEIL) + f64::from(above[k]) * VEIL;
                below[k] = if empty { above[k] } else { mixed.round() as u8 };
            }
            below[3] = if empty { (255.0 * VEIL) as u8 } else { 255 };
        }
    }
    canvas.png()
}

/// A PNG of [`WIDTH`] by [`HEIGHT`] with a clear ground, seen from the front left and above as the view is at
/// first.
pub fn picture(body: &Body) -> Vec<u8> {
    let mut seen: TiVec<PointId, Point> = body.mesh.points.iter().map(see).collect();
    let mut along = body.wires().map_or(Vec::new(), |w| w.along(LINES_WITHIN * body.bounds().diagonal()));
    along.extend(body.frame().map_or(Vec::new(), members_drawn));
    let mut curves: Vec<Vec<Point>> = along.iter().map(|c| c.iter().map(see).collect()).collect();
    let of_facets = body.mesh.triangles.iter().flatten().map(|&p| seen[p]);
    let mut dots: Vec<(Point, [u8; 3])> = Vec::new();
    if let Some(cloud) = body.cloud() {
        let every = cloud.points.len().div_ceil(MOST_POINTS).max(1);
        let colour = |i: usize| cloud.colours.get(i).copied().unwrap_or(CURVE);
        dots.extend(cloud.points.iter().enumerate().step_by(every).map(|(i, p)| (see(p), colour(i))));
    }
    let bounds = Bounds::of(of_facets.chain(curves.iter().flatten().copied()).chain(dots.iter().map(|d| d.0)));
    let all = seen.iter_mut().chain(curves.iter_mut().flatten()).chain(dots.iter_mut().map(|d| &mut d.0));
    fit(all, &bounds);
    let mut canvas = Canvas::new();
    for (f, t) in body.mesh.triangles.iter_enumerated() {
        let boundary = body.columns.boundary.get(f).copied().unwrap_or(NONE);
        let chosen = body.facts.boundaries.get(boundary as usize).and_then(|b| b.colour).map(u32::from);
        let base =
            if boundary == NONE { UNNAMED } else { PALETTE[chosen.unwrap_or(boundary) as usize % PALETTE.len()] };
        let Some(colour) = lit(body.mesh.area_vector(f), base) else { continue };
        canvas.facet(t.map(|p| seen[p]), colour);
    }
    // A little nearer than it is, so that a curve on a surface is seen.
    let lift = 1e-3 * bounds.size()[2];
    for ends in curves.iter().flat_map(|c| c.windows(2)) {
        canvas.line([ends[0], ends[1]], lift);
    }
    for (p, colour) in dots {
        canvas.dot(p, colour);
    }
    canvas.png()
}

/// Pixels with the nearness of what they show.
struct Canvas {
    colour: Vec<[u8; 4]>,
    nearness: Vec<f32>,
}

impl Canvas {
    fn new() -> Canvas {
        Canvas { colour: vec![[0; 4]; WIDTH * HEIGHT], nearness: vec![f32::NEG_INFINITY; WIDTH * HEIGHT] }
    }

    /// Fills the pixels whose middle lies in the facet and shows nothing nearer yet.
    fn facet(&mut self, [a, b, c]: [Point; 3], [red, green, blue]: [u8; 3]) {
        let side = |p: Point, q: Point, x: f64, y: f64| (q[0] - p[0]) * (y - p[1]) - (q[1] - p[1]) * (x - p[0]);
        let whole = side(a, b, c[0], c[1]);
        if whole == 0.0 {
            return;
        }
        let span = |k: usize, limit: usize| {
            let (low, high) = (a[k].min(b[k]).min(c[k]), a[k].max(b[k]).max(c[k]));
            (low - 0.5).ceil().clamp(0.0, limit as f64) as usize..(high + 0.5).floor().clamp(0.0, limit as f64) as usize
        };
        for row in span(1, HEIGHT) {
            for column in span(0, WIDTH) {
                let (x, y) = (column as f64 + 0.5, row as f64 + 0.5);
                let (u, v) = (side(b, c, x, y) / whole, side(c, a, x, y) / whole);
                let w = 1.0 - u - v;
                if u < 0.0 || v < 0.0 || w < 0.0 {
                    continue;
                }
                let nearness = (u * a[2] + v * b[2] + w * c[2]) as f32;
                let pixel = row * WIDTH + column;
                if nearness > self.nearness[pixel] {
                    self.nearness[pixel] = nearness;
                    self.colour[pixel] = [red, green, blue, 255];
                }
            }
        }
    }

    /// Draws a point where nothing nearer is shown.
    fn dot(&mut self, p: Point, [red, green, blue]: [u8; 3]) {
        let within = |x: f64, limit: usize| (x.floor() as usize).min(limit - 1);
        let (column, row) = (within(p[0].max(0.0), WIDTH - 1), within(p[1].max(0.0), HEIGHT - 1));
        for pixel in [0, 1, WIDTH, WIDTH + 1].map(|by| row * WIDTH + column + by) {
            if p[2] as f32 > self.nearness[pixel] {
                self.nearness[pixel] = p[2] as f32;
                self.colour[pixel] = [red, green, blue, 255];
            }
        }
    }

    /// Draws a line where it is not behind anything, wide enough for a picture that is shown small.
    fn line(&mut self, [a, b]: [Point; 2], lift: f64) {
        let steps = (b[0] - a[0]).abs().max((b[1] - a[1]).abs()).ceil().clamp(1.0, (WIDTH + HEIGHT) as f64);
        for i in 0..=steps as usize {
            let p = lerp(a, b, i as f64 / steps);
            let around = |middle: f64, limit: usize| {
                let reach = |x: f64| x.round().clamp(0.0, limit as f64) as usize;
                reach(middle - LINE / 2.0)..reach(middle + LINE / 2.0)
            };
            for row in around(p[1], HEIGHT) {
                for pixel in around(p[0], WIDTH).map(|column| row * WIDTH + column) {
                    if (p[2] + lift) as f32 >= self.nearness[pixel] {
                        self.colour[pixel] = [CURVE[0], CURVE[1], CURVE[2], 255];
                    }
                }
            }
        }
    }

    fn png(&self) -> Vec<u8> {
        let mut out = Vec::new();
        let mut encoder = png::Encoder::new(&mut out, WIDTH as u32, HEIGHT as u32);
        encoder.set_color(png::ColorType::Rgba);
        encoder.set_depth(png::BitDepth::Eight);
        encoder.set_compression(png::Compression::Fast);
        // Writing to memory cannot fail.
        let _ = encoder.write_header().and_then(|mut w| w.write_image_data(self.colour.as_flattened()));
        out
    }
}
