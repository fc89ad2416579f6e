//! Pinhole cameras on links: what they see as colours, depths and labels, a ray a pixel.

use crate::model::Robot;
use crate::motion::places;
use hull_fitting::align::Rigid;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{V3, add, cross, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, FacetId, Mesh, Point, Watch};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use typed_index_collections::TiVec;

/// A camera as it is planned: held by a link, in the space of the bodies.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct PlannedCamera {
    /// Single in the robot.
    pub name: String,
    /// The link that it moves with.
    pub link: String,
    /// Where it is while all joints are at zero, in mm.
    pub at: Point,
    /// A place that it looks at then, in mm.
    pub towards: Point,
    /// Pixels across.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// From the left side to the right one, in degrees.
    pub view: f64,
}

/// A camera's numbers: pixels as wide as high, the middle of the picture on the axis.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Intrinsics {
    /// Pixels across.
    pub width: usize,
    /// Pixels down.
    pub height: usize,
    /// Focal length in pixels.
    pub focal: f64,
    /// Where the axis meets the picture, in pixels from its upper left corner.
    pub centre: [f64; 2],
}

/// Where a camera is: its axes right, down and forward, and its place.
#[derive(Clone, Copy, Debug, PartialEq, Serialize)]
pub struct Stand {
    /// Right, down and forward, each of length one.
    pub axes: [V3; 3],
    /// In m.
    pub at: Point,
}

/// Something in the scene, in metres and in the root's frame.
#[derive(Clone, Debug)]
pub struct Thing {
    /// What it is called in the table of labels.
    pub name: String,
    /// Its facets.
    pub mesh: Mesh,
    /// Its colour.
    pub colour: [u8; 3],
    /// Points besides, each with its colour and its radius.
    pub dots: Vec<(Point, [u8; 3], f64)>,
}

/// What a camera sees, row by row from the upper left.
#[derive(Clone, Debug, PartialEq)]
pub struct Shot {
    /// Red, green and blue.
    pub colour: Vec<[u8; 3]>,
    /// Along the axis, in m; infinite where there is nothing.
    pub depth: Vec<f32>,
    /// 0 for nothing, else the number of the thing from 1.
    pub label: Vec<u16>,
}

/// What lies behind everything.
const NOTHING: [u8; 3] = [0xE9, 0xF0, 0xEE];
/// Pixels of one picture at most, and of one side.
pub const MOST_PIXELS: usize = 4_000_000;

impl PlannedCamera {
    /// Its numbers.
    ///
    /// # Errors
    /// A sentence, if it has no pixels, too many, or an angle of view that no pinhole has.
    pub fn intrinsics(&self) -> Result<Intrinsics, String> {
        let (width, height) = (self.width, self.height);
        if width == 0 || height == 0 || width.saturating_mul(height) > MOST_PIXELS {
            return Err(format!("camera “{}” must have 1 to {MOST_PIXELS} pixels", self.name));
        }
        if !(1.0..=170.0).contains(&self.view) {
            return Err(format!("camera “{}” must see 1° to 170° from side to side", self.name));
        }
        let focal = 0.5 * width as f64 / (0.5 * self.view).to_radians().tan();
        Ok(Intrinsics { width, height, focal, centre: [0.5 * width as f64, 0.5 * height as f64] })
    }

    /// Where it stands in the frame of its link, whose origin lies at `origin` in m and is not turned at zero.
    ///
    /// # Errors
    /// A sentence, if it looks at the place where it is.
    pub fn on_link(&self, origin: Point) -> Result<Stand, String> {
        let forward = unit(sub(self.towards, self.at))
            .ok_or_else(|| format!("camera “{}” looks at the place where it is", self.name))?;
        // Right lies level; a camera that looks straight up or down has y of the picture along x.
        let right = unit(cross(forward, [0.0, 0.0, 1.0])).unwrap_or([0.0, -1.0, 0.0]);
        Ok(Stand { axes: [right, cross(forward, right), forward], at: sub(scale(self.at, 1e-3), origin) })
    }
}

impl Stand {
    /// The same after a motion.
    #[must_use]
    pub fn moved(&self, by: &Rigid) -> Stand {
        Stand { axes: self.axes.map(|a| by.turn(a)), at: by.place(self.at) }
    }
}

/// Where a camera stands in the root's frame while joints have these values, and in its link's.
///
/// # Errors
/// A sentence, if its link is not there or it looks nowhere.
pub fn stand(robot: &Robot, camera: &PlannedCamera, values: &[f64]) -> Result<(Stand, Stand), String> {
    let link = crate::build::legal(&camera.link);
    let number = robot.links.iter().position(|l| l.name == link);
    let number = number.ok_or_else(|| format!("camera “{}” is on “{}”, which is no link", camera.name, camera.link))?;
    let at_zero = places(robot, &vec![0.0; robot.joints.len()])[number];
    let own = camera.on_link(at_zero.shift)?;
    Ok((own.moved(&places(robot, values)[number]), own))
}

/// Takes a picture; nearer things hide those behind them. Facets are lit from above the camera.
///
/// # Errors
/// [`Cancelled`] if the watch says so.
pub fn take(stand: &Stand, lens: &Intrinsics, things: &[Thing], watch: &Watch) -> Result<Shot, Cancelled> {
    let mut all = Mesh::default();
    let mut owner: TiVec<FacetId, u16> = TiVec::new();
    for (i, thing) in things.iter().enumerate() {
        all.append(&thing.mesh);
        owner.resize(all.triangles.len(), i as u16);
    }
    let tree = FacetTree::of(&all);
    let [right, down, forward] = stand.axes;
    let light = unit(sub(scale(forward, -0.8), scale(down, -0.6))).unwrap_or(down);
    let rows: Vec<Vec<([u8; 3], f32, u16)>> = (0..lens.height)
        .into_par_iter()
        .map(|y| {
            watch.check()?;
            let pixel = |x: usize| {
                let (u, v) =
                    ((x as f64 + 0.5 - lens.centre[0]) / lens.focal, (y as f64 + 0.5 - lens.centre[1]) / lens.focal);
                let ray = add(forward, add(scale(right, u), scale(down, v)));
                let length = norm(ray);
                let hit = tree.first_hit(&all, stand.at, scale(ray, 1.0 / length), 1e6, |_| true, &mut 0);
                let Some((f, far)) = hit else { return (NOTHING, f32::INFINITY, 0) };
                let normal = unit(all.area_vector(f)).unwrap_or(forward);
                let shade = 0.45 + 0.55 * dot(normal, light).abs();
                let thing = owner[f];
                let colour = things[thing as usize].colour.map(|c| (f64::from(c) * shade) as u8);
                (colour, (far / length) as f32, thing + 1)
            };
            Ok((0..lens.width).map(pixel).collect())
        })
        .collect::<Result<_, Cancelled>>()?;
    let mut shot = Shot { colour: Vec::new(), depth: Vec::new(), label: Vec::new() };
    for (colour, depth, label) in rows.into_iter().flatten() {
        shot.colour.push(colour);
        shot.depth.push(depth);
        shot.label.push(label);
    }
    for (i, thing) in things.iter().enumerate() {
        for dot in &thing.dots {
            stamp(&mut shot, stand, lens, dot, i as u16 + 1);
        }
    }
    Ok(shot)
}

/// A point is a small square as far from the camera as it is.
fn stamp(shot: &mut Shot, stand: &Stand, lens: &Intrinsics, (p, colour, radius): &(Point, [u8; 3], f64), label: u16) {
    let [x, y, z] = stand.axes.map(|a| dot(sub(*p, stand.at), a));
    if z <= 1e-6 {
        return;
    }
    let reach = (lens.focal * radius / z).clamp(0.5, 40.0);
    let middle = [lens.centre[0] + lens.focal * x / z, lens.centre[1] + lens.focal * y / z];
    let span = |k: usize, limit: usize| {
        let at = |t: f64| t.clamp(0.0, limit as f64) as usize;
        at((middle[k] - reach).round())..at((middle[k] + reach).round().max((middle[k] - reach).round() + 1.0))
    };
    for row in span(1, lens.height) {
        for pixel in span(0, lens.width).map(|column| row * lens.width + column) {
            if (z as f32) < shot.depth[pixel] {
                shot.depth[pixel] = z as f32;
                shot.colour[pixel] = *colour;
                shot.label[pixel] = label;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::shapes::cuboid;

    fn camera() -> PlannedCamera {
        let (at, towards) = ([0.0, 0.0, 1000.0], [2000.0, 0.0, 1000.0]);
        PlannedCamera { name: "eye".into(), link: "base".into(), at, towards, width: 60, height: 40, view: 90.0 }
    }

    #[test]
    fn depth_of_a_wall_is_its_distance_everywhere_and_its_edges_are_where_the_lens_says() {
        let lens = camera().intrinsics().unwrap();
        // 90° from side to side: half the width is the focal length.
        assert!((lens.focal - 30.0).abs() < 1e-12);
        let stand = camera().on_link([0.0; 3]).unwrap();
        assert_eq!(stand.axes, [[0.0, -1.0, 0.0], [0.0, 0.0, -1.0], [1.0, 0.0, 0.0]]);
        // A wall 2 m ahead, from 0.98 m to the right to 0.48 m to the left, and from the height of the eye to 0.95 m above it: no
        // ray meets an edge.
        let mut mesh = cuboid([0.5, 1.46, 0.95]);
        let low = mesh.bounds().min;
        mesh.points.iter_mut().for_each(|p| *p = add(sub(*p, low), [2.0, -0.98, 1.0]));
        let wall =
            Thing { name: "wall".into(), mesh, colour: [200, 0, 0], dots: vec![([1.0, 0.0, 0.9], [0, 9, 0], 0.001)] };
        let shot = take(&stand, &lens, &[wall], &Watch::default()).unwrap();
        for (i, depth) in shot.depth.iter().enumerate() {
            let (x, y) = (i % 60, i / 60);
            let (u, v) = (2.0 * (x as f64 + 0.5 - 30.0) / 30.0, 2.0 * (y as f64 + 0.5 - 20.0) / 30.0);
            let on_wall = u > -0.48 && u < 0.98 && v < 0.0 && v > -0.95;
            if (x, y) == (30, 23) {
                // The point lies a metre ahead and 0.1 m lower: three pixels below the middle.
                assert_eq!((shot.label[i], *depth, shot.colour[i]), (1, 1.0, [0, 9, 0]));
            } else if on_wall {
                assert!((depth - 2.0).abs() < 1e-6 && shot.label[i] == 1, "{x} {y} {depth}");
            } else {
                assert!(depth.is_infinite() && shot.label[i] == 0, "{x} {y} {depth}");
            }
        }
    }

    #[test]
    fn what_no_pinhole_is_and_what_looks_nowhere_is_refused() {
        for wrong in [
            PlannedCamera { view: 180.0, ..camera() },
            PlannedCamera { width: 0, ..camera() },
            PlannedCamera { width: 10_000, height: 10_000, ..camera() },
        ] {
            assert!(wrong.intrinsics().unwrap_err().contains("camera “eye” must"));
        }
        let blind = PlannedCamera { towards: camera().at, ..camera() };
        assert!(blind.on_link([0.0; 3]).unwrap_err().contains("looks at the place where it is"));
        assert!(PlannedCamera { towards: [0.0; 3], ..camera() }.on_link([0.0; 3]).is_ok());
    }
}
