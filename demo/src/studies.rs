//! Projects beside the first one: the winch arm taken apart into a robot's links, with its plan, on the quay deck; and a cooler
//! with the bilge outline, for regions that share their interfaces and for the plane.

use crate::deck;
use hull_exact::Motion;
use hull_formats::bundles::Bundles;
use hull_formats::format::Surface;
use hull_formats::{NamedFacets, dxf, e57, threemf};
use hull_geometry::shapes::cuboid;
use hull_geometry::transform::translate;
use hull_geometry::{FacetId, Mesh, Point, Unit};
use std::f64::consts::TAU;

/// A project's folder, the file's name, its bytes.
pub type Study = (&'static str, &'static str, Vec<u8>);

const WINCH: &str = "pipit-winch-robot";
const COOLER: &str = "pipit-cooler";

/// The files of both projects; the winch's plan is `robot.json`.
pub fn files() -> Vec<Study> {
    let mut all = vec![
        (WINCH, "winch-base.3mf", named("base", &block([-250.0, -200.0, 0.0], [500.0, 400.0, 80.0]))),
        (WINCH, "winch-post.3mf", named("post", &column([0.0, 0.0, 82.0], 70.0, 320.0))),
        (WINCH, "winch-boom.3mf", named("boom", &block([80.0, -40.0, 300.0], [900.0, 80.0, 80.0]))),
        (WINCH, "winch-jib.3mf", named("jib", &block([990.0, -25.0, 315.0], [400.0, 50.0, 50.0]))),
        (WINCH, "winch-hook.3mf", named("hook", &column([1340.0, 0.0, 120.0], 35.0, 180.0))),
        (WINCH, "quay-deck-levelled.e57", e57::write(&deck::levelled())),
        (WINCH, "robot.json", PLAN.as_bytes().to_vec()),
    ];
    all.extend([
        (COOLER, "cooler-duct.3mf", named("duct", &duct())),
        (COOLER, "cooler-fins.3mf", named("fins", &comb())),
        (COOLER, "cooler-heater.3mf", named("heater", &block([60.0, 30.0, 4.0], [180.0, 60.0, 8.0]))),
        (COOLER, "bilge-outline.dxf", bilge()),
    ]);
    all
}

/// The robot's plan: slewing, luffing, and a jib that slides out; the hook hangs from its end.
const PLAN: &str = r#"{
  "name": "winch arm",
  "links": [
    {"name": "base", "parts": ["Winch base"], "colour": [92, 104, 118]},
    {"name": "post", "parts": ["Winch post"], "colour": [205, 158, 84]},
    {"name": "boom", "parts": ["Winch boom"], "density": 2700, "colour": [84, 148, 156]},
    {"name": "jib", "parts": ["Winch jib"], "density": 2700, "colour": [126, 142, 98], "collision": "box"},
    {"name": "hook", "parts": ["Winch hook"], "colour": [176, 122, 140], "collision": "capsule"}
  ],
  "joints": [
    {"name": "slew", "kind": "revolute", "parent": "base", "child": "post", "at": [0, 0, 81], "axis": [0, 0, 1], "limits": [-170, 170], "damping": 5},
    {"name": "luff", "kind": "revolute", "parent": "post", "child": "boom", "at": [75, 0, 340], "axis": [0, -1, 0], "limits": [0, 70], "damping": 20},
    {"name": "reach", "kind": "prismatic", "parent": "boom", "child": "jib", "at": [985, 0, 340], "axis": [1, 0, 0], "limits": [0, 250], "damping": 50},
    {"name": "hang", "kind": "fixed", "parent": "jib", "child": "hook", "at": [1340, 0, 310], "axis": [0, 0, 1]}
  ],
  "frames": [{"name": "hook point", "link": "hook", "at": [1340, 0, 120], "axis": [0, 0, -1]}],
  "cameras": [{"name": "boom camera", "link": "boom", "at": [200, 0, 420], "towards": [1340, 0, 200], "width": 640, "height": 480, "view": 60}],
  "around": ["Quay deck levelled"]
}
"#;

fn named(name: &str, mesh: &Mesh) -> Vec<u8> {
    let all: Vec<FacetId> = mesh.triangles.keys().collect();
    let part = NamedFacets { name, role: None, facets: &all };
    threemf::write(&Surface { mesh, cells: Default::default(), parts: &[part], ascii: false, unit: Some(Unit::Mm) })
}

fn block(from: Point, size: [f64; 3]) -> Mesh {
    let mut mesh = cuboid(size);
    translate(&mut mesh, from);
    mesh
}

/// An upright cylinder from the middle of its foot.
fn column(foot: Point, radius: f64, height: f64) -> Mesh {
    let n = 48_u32;
    let around = (0..n).map(|i| {
        let (s, c) = (TAU * f64::from(i) / f64::from(n)).sin_cos();
        [radius * c, radius * s]
    });
    extruded(&around.collect::<Vec<_>>(), &fan(n), |p, up| {
        [foot[0] + p[0], foot[1] + p[1], foot[2] + if up { height } else { 0.0 }]
    })
}

/// Triangles of a convex outline of so many corners.
fn fan(n: u32) -> Vec<[u32; 3]> {
    (1..n - 1).map(|i| [0, i, i + 1]).collect()
}

/// An outline, counted against the clock, with its triangles, between two planes that `place` says.
fn extruded(outline: &[[f64; 2]], cap: &[[u32; 3]], place: impl Fn([f64; 2], bool) -> Point) -> Mesh {
    let n = outline.len() as u32;
    let mut triangles = Vec::new();
    for [a, b, c] in cap {
        triangles.extend([[*a, *c, *b], [a + n, b + n, c + n]]);
    }
    for i in 0..n {
        let j = (i + 1) % n;
        triangles.extend([[i, j, j + n], [i, j + n, i + n]]);
    }
    let points = [false, true].into_iter().flat_map(|up| outline.iter().map(move |p| (*p, up)));
    Mesh::from_arrays(points.map(|(p, up)| place(p, up)).collect(), triangles)
}

/// A closed duct with walls of 4 mm: what is in it is a space of its own.
fn duct() -> Mesh {
    let mut mesh = block([0.0, 0.0, 0.0], [300.0, 120.0, 80.0]);
    let mut inside = block([4.0, 4.0, 4.0], [292.0, 112.0, 72.0]);
    inside.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    mesh.append(&inside);
    mesh
}

/// Fins on a foot, which stands on the heater: an outline across x, drawn along it.
fn comb() -> Mesh {
    let (fins, thick, gap, foot, high) = (5_u32, 4.0, 10.0, 6.0, 50.0);
    let mut outline = vec![[0.0, 0.0], [60.0, 0.0]];
    // From the right to the left over the fins.
    for i in (0..fins).rev() {
        let left = f64::from(i) * (thick + gap);
        for p in [[left + thick, foot], [left + thick, high], [left, high], [left, foot]] {
            outline.push(p);
        }
    }
    let mut cap = Vec::new();
    for i in 0..fins {
        let k = 2 + 4 * i;
        cap.extend([[k, k + 1, k + 2], [k, k + 2, k + 3]]);
    }
    // The foot: a fan from its left corner over what lies on its upper side.
    let upper: Vec<u32> = (0..fins).flat_map(|i| [2 + 4 * i, 5 + 4 * i]).collect();
    cap.push([0, 1, upper[0]]);
    cap.extend(upper.windows(2).map(|w| [0, w[0], w[1]]));
    let flat = |p: [f64; 2], up: bool| [if up { 240.0 } else { 60.0 }, 30.0 + p[0], 12.0 + p[1]];
    extruded(&outline, &cap, flat)
}

/// The bilge across the hull: its outline, a pump's sump in it, and a pipe that leaves a gap of a tenth of a millimetre.
fn bilge() -> Vec<u8> {
    let mut lines = Bundles::default();
    let hull =
        [[-900.0, 420.0], [-760.0, 120.0], [-380.0, 10.0], [0.0, -20.0], [380.0, 10.0], [760.0, 120.0], [900.0, 420.0]];
    for w in hull.windows(2) {
        lines.line("hull", [w[0][0], w[0][1], 0.0], [w[1][0], w[1][1], 0.0]);
    }
    lines.line("water", [900.0, 420.1, 0.0], [-900.0, 420.0, 0.0]);
    let ring: Vec<[f64; 2]> = (0..24)
        .map(|i| {
            let (s, c) = (TAU * f64::from(i) / 24.0).sin_cos();
            [180.0 + 70.0 * c, 190.0 + 70.0 * s]
        })
        .collect();
    for i in 0..24 {
        let (a, b) = (ring[i], ring[(i + 1) % 24]);
        lines.line("pipe", [a[0], a[1], 0.0], [b[0], b[1], 0.0]);
    }
    dxf::write_lines(&lines.finish(None), &Motion::NONE, Some(Unit::Mm))
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_geometry::topology::Topology;
    use hull_geometry::{Watch, measure};

    #[test]
    fn every_part_is_closed_and_faces_outward() {
        let comb_volume = 180.0 * (60.0 * 6.0 + 5.0 * 4.0 * 44.0);
        for (mesh, volume) in [
            (duct(), 300.0 * 120.0 * 80.0 - 292.0 * 112.0 * 72.0),
            (comb(), comb_volume),
            (block([1.0, 2.0, 3.0], [4.0, 5.0, 6.0]), 120.0),
        ] {
            let topology = Topology::of(&mesh, &Watch::default()).unwrap();
            assert!(topology.is_closed() && topology.misdirected.is_empty());
            let found = measure::mass(&mesh, &mesh.bounds()).volume;
            assert!((found - volume).abs() < 1e-6 * volume, "{found} for {volume}");
        }
    }
}
