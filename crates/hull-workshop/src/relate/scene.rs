//! What a robot stands among, and what its cameras see of it: a stage that refers to both, pictures and their numbers.

use crate::body::Body;
use crate::comparison::Comparison;
use crate::steps::StepError;
use hull_formats::usd;
use hull_geometry::cloud::Cloud;
use hull_geometry::vector::scale;
use hull_geometry::{FacetId, Mesh, Unit, Watch};
use hull_robots::build::{Built, legal};
use hull_robots::cameras::{Intrinsics, Shot, Stand, Thing, stand, take};
use hull_robots::motion::places;
use hull_robots::plan::Plan;
use serde_json::{Value, json};
use std::fmt::Write as _;

/// A body beside the robot, in mm.
pub struct Around {
    /// Its name in the project.
    pub name: String,
    /// Its facets.
    pub mesh: Mesh,
    /// Its points or splats.
    pub cloud: Cloud,
}

impl Around {
    /// A body of a project.
    pub fn of(name: &str, body: &Body) -> Around {
        Around { name: name.into(), mesh: body.mesh.clone(), cloud: body.cloud().cloned().unwrap_or_default() }
    }
}

/// Stone, for what has no colour of its own.
const STONE: [u8; 3] = [0xB9, 0xB4, 0xA3];
/// A point without an ellipsoid is drawn as wide as this part of its cloud.
const DOT: f64 = 1.0 / 800.0;
/// Splats fainter than this are not seen by cameras.
const SEEN: f32 = 0.3;

/// The links where they are for values of the joints, then what is around, in metres: labels count them from 1.
pub fn things(built: &Built, values: &[f64], around: &[Around]) -> Vec<Thing> {
    let at = places(&built.robot, values);
    let mut out: Vec<Thing> = Vec::new();
    for ((link, mesh), place) in built.robot.links.iter().zip(&built.seen).zip(&at) {
        let mut mesh = mesh.clone();
        mesh.points.iter_mut().for_each(|p| *p = place.place(*p));
        let file = format!("meshes/{}.stl", link.name);
        let colour = built.files.iter().find(|f| f.0 == file).and_then(|f| f.2).unwrap_or(STONE);
        out.push(Thing { name: link.name.clone(), mesh, colour, dots: Vec::new() });
    }
    for body in around {
        let mut mesh = body.mesh.clone();
        mesh.points.iter_mut().flatten().for_each(|x| *x *= 1e-3);
        let size = 1e-3 * body.cloud.bounds().diagonal() * DOT;
        let colour = |i: usize| body.cloud.colours.get(i).copied().unwrap_or(STONE);
        let seen = |i: &usize| body.cloud.splats.get(*i).is_none_or(|s| s.opacity >= SEEN);
        let radius = |i: usize| body.cloud.splats.get(i).map_or(size, |s| 1e-3 * f64::from(s.size()));
        let dots = (0..body.cloud.points.len())
            .filter(seen)
            .map(|i| (scale(body.cloud.points[i], 1e-3), colour(i), radius(i)))
            .collect();
        out.push(Thing { name: body.name.clone(), mesh, colour: STONE, dots });
    }
    out
}

/// What a camera of the plan sees while joints have these values, in rad or m.
///
/// # Errors
/// Refused with a sentence, or cancelled.
pub fn shot(
    plan: &Plan,
    built: &Built,
    camera: usize,
    values: &[f64],
    things: &[Thing],
    watch: &Watch,
) -> Result<(Intrinsics, Stand, Shot), StepError> {
    let camera = plan.cameras.get(camera).ok_or_else(|| StepError::Refused("there is no such camera".into()))?;
    let lens = camera.intrinsics().map_err(StepError::Refused)?;
    let (stand, _) = stand(&built.robot, camera, values).map_err(StepError::Refused)?;
    Ok((lens, stand, take(&stand, &lens, things, watch)?))
}

/// A picture's kinds, as files and addresses call them.
pub const KINDS: [&str; 3] = ["colour", "depth", "label"];
/// Depths are written in steps of a millimetre: 65 534 of them, and 0 for nothing.
const FARTHEST: f32 = 65.534;

/// A shot as PNG: colours in 8 bits, depths in mm in 16 bits (0 for nothing, or farther than 65.5 m), labels in 16 bits.
pub fn png(shot: &Shot, lens: &Intrinsics, kind: &str) -> Vec<u8> {
    let sixteen = |of: &mut dyn Iterator<Item = u16>| of.flat_map(u16::to_be_bytes).collect::<Vec<u8>>();
    let (colour, depth, bytes) = match kind {
        "depth" => {
            let mm = |d: &f32| if *d <= FARTHEST { (d * 1000.0).round() as u16 } else { 0 };
            (png::ColorType::Grayscale, png::BitDepth::Sixteen, sixteen(&mut shot.depth.iter().map(mm)))
        }
        "label" => (png::ColorType::Grayscale, png::BitDepth::Sixteen, sixteen(&mut shot.label.iter().copied())),
        _ => (png::ColorType::Rgb, png::BitDepth::Eight, shot.colour.as_flattened().to_vec()),
    };
    encoded(lens, colour, depth, &bytes)
}

/// The same for eyes: depths from near (light) to far (dark), labels in different greys.
pub fn shown(shot: &Shot, lens: &Intrinsics, kind: &str) -> Vec<u8> {
    let near = shot.depth.iter().copied().fold(f32::INFINITY, f32::min);
    let far = shot.depth.iter().copied().filter(|d| d.is_finite()).fold(near, f32::max);
    let grey = |d: &f32| if d.is_finite() { 255 - (200.0 * (d - near) / (far - near).max(1e-6)) as u8 } else { 16 };
    let most = shot.label.iter().copied().max().unwrap_or(1).max(1);
    let bytes: Vec<u8> = match kind {
        "depth" => shot.depth.iter().map(grey).collect(),
        "label" => shot.label.iter().map(|l| (255 * u32::from(*l) / u32::from(most)) as u8).collect(),
        _ => return png(shot, lens, kind),
    };
    encoded(lens, png::ColorType::Grayscale, png::BitDepth::Eight, &bytes)
}

fn encoded(lens: &Intrinsics, colour: png::ColorType, depth: png::BitDepth, bytes: &[u8]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, lens.width as u32, lens.height as u32);
    encoder.set_color(colour);
    encoder.set_depth(depth);
    encoder.set_compression(png::Compression::Fast);
    // Writing to memory cannot fail.
    let _ = encoder.write_header().and_then(|mut w| w.write_image_data(bytes));
    out
}

/// Files of the cameras at zero: three pictures each and `cameras.json` with intrinsics, stands and the table of labels.
///
/// # Errors
/// Refused with a sentence, or cancelled.
pub fn pictures(
    plan: &Plan,
    built: &Built,
    around: &[Around],
    watch: &Watch,
) -> Result<Vec<(String, Vec<u8>)>, StepError> {
    let zero = vec![0.0; built.robot.joints.len()];
    let things = things(built, &zero, around);
    let (mut files, mut told): (Vec<_>, Vec<Value>) = (Vec::new(), Vec::new());
    for (i, camera) in plan.cameras.iter().enumerate() {
        let (lens, stand, shot) = shot(plan, built, i, &zero, &things, watch)?;
        let name = legal(&camera.name);
        for kind in KINDS {
            files.push((format!("cameras/{name}-{kind}.png"), png(&shot, &lens, kind)));
        }
        told.push(json!({
            "camera": name, "link": legal(&camera.link), "intrinsics": lens, "in_root_frame_at_zero": stand,
            "axes": "right, down, forward", "depth": "mm along the axis, 16 bits, 0 for nothing",
        }));
    }
    if !told.is_empty() {
        let labels: Vec<Value> =
            things.iter().enumerate().map(|(i, t)| json!({ "label": i + 1, "is": t.name })).collect();
        let all = json!({ "cameras": told, "labels": labels });
        let text = serde_json::to_vec_pretty(&all).map_err(|e| StepError::Refused(e.to_string()))?;
        files.push(("cameras/cameras.json".into(), text));
    }
    Ok(files)
}

/// Layers as crate, and what was sent against what was read back.
pub type Layers = (Vec<(String, Vec<u8>)>, Vec<Comparison>);

/// The robot's stage as crate and USDZ; with bodies around, a layer for each of them and a scene that refers to all.
///
/// # Errors
/// Refused, if a layer does not read back as it was sent.
pub fn layers(robot: &str, stage: &str, around: &[Around], watch: &Watch) -> Result<Layers, StepError> {
    let own = usd::crate_of_text(stage).map_err(StepError::Refused)?;
    let packed = |files: &[(String, Vec<u8>)]| usd::usdz(files).map_err(StepError::Refused);
    let mut parts = vec![(format!("{robot}.usdc"), own)];
    let mut files = vec![(format!("{robot}.usdz"), packed(&parts)?)];
    let mut rows = Vec::new();
    if around.is_empty() {
        return Ok((files, rows));
    }
    let mut taken = vec![robot.to_string()];
    let title = free_name("scene", &mut taken);
    let mut scene = format!(
        "#usda 1.0\n(\n    defaultPrim = \"{title}\"\n    metersPerUnit = 1\n    upAxis = \"Z\"\n)\n\ndef Xform \"{title}\"\n{{\n"
    );
    let mut refer = |name: &str, file: &str| {
        // Writing to memory cannot fail.
        let _ = writeln!(
            scene,
            "    def Xform \"{name}\" (\n        prepend references = @./{file}@\n    )\n    {{\n    }}"
        );
    };
    refer(robot, &parts[0].0);
    for body in around {
        let name = free_name(&legal(&body.name), &mut taken);
        let (bytes, sent) = body_layer(body);
        let read = hull_formats::open("around.usdc", &bytes, watch).map_err(|e| StepError::Refused(e.to_string()))?;
        let back = match &read {
            hull_formats::Content::Points(p) => p.cloud.points.len(),
            hull_formats::Content::Facets(f) => f.mesh.triangles.len(),
            hull_formats::Content::Exact(_) => 0,
        };
        rows.push(Comparison::number(&format!("points or facets of {name}"), sent, back));
        refer(&name, &format!("{name}.usdc"));
        parts.push((format!("{name}.usdc"), bytes));
    }
    let scene = usd::crate_of_text(&(scene + "}\n")).map_err(StepError::Refused)?;
    parts.insert(0, (format!("{title}.usdc"), scene));
    files.push((format!("{title}.usdz"), packed(&parts)?));
    files.extend(parts);
    Ok((files, rows))
}

/// A name of a layer, numbered if it is taken, which it is from now on.
fn free_name(wanted: &str, taken: &mut Vec<String>) -> String {
    let numbered = (2..).map(|n| format!("{wanted}_{n}"));
    let mut all = std::iter::once(wanted.to_string()).chain(numbered);
    // There are more numbers than names.
    let free = all.find(|name| !taken.contains(name)).unwrap_or_default();
    taken.push(free.clone());
    free
}

/// A body in metres as a layer, with how many points or facets it sends.
fn body_layer(body: &Around) -> (Vec<u8>, usize) {
    if body.mesh.triangles.is_empty() {
        let mut cloud = body.cloud.clone();
        cloud.move_by(|p| scale(p, 1e-3), |d| d, 1e-3);
        return (usd::points_layer(&cloud, Some(Unit::M)), cloud.points.len());
    }
    let mut mesh = body.mesh.clone();
    mesh.points.iter_mut().flatten().for_each(|x| *x *= 1e-3);
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let part = hull_formats::NamedFacets { name: "surface", facets: &all, role: None };
    (usd::surface_layer(&mesh, &[part], Some(Unit::M)), all.len())
}
