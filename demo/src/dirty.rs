//! Bodies that arrive dirty: a scanned keel fin, an instrument tray under a skin, winch arm castings that run through
//! each other.

use hull_formats::{NamedFacets, obj, stl};
use hull_geometry::dirt::{Dice, Dirt, spoil};
use hull_geometry::shapes::{cuboid, torus};
use hull_geometry::transform::{enlarge, translate};
use hull_geometry::{FacetId, Mesh, Point, PointId};
use std::f64::consts::TAU;

const INCH: f64 = 25.4;

/// The keel fin as a hand-held scanner gave it: in inches, on its side, with gaps between passes, holes, spikes, crumbs
/// and noise.
pub fn keel_fin_scan() -> Vec<u8> {
    let mut fin = fin(420.0, 240.0, 72, 60);
    for p in &mut fin.points {
        // On its side, leading edge up.
        *p = [p[2] / INCH, p[1] / INCH, -p[0] / INCH];
    }
    let mut dice = Dice(0x0_f1f);
    let dirt = [
        Dirt::Noise { size: 3e-5 },
        Dirt::Spikes { points: 3, height: 0.06 },
        Dirt::Gaps { patches: 5, gap: 1.5e-4 },
        Dirt::Holes { holes: 3 },
        Dirt::Junctions { edges: 25 },
        Dirt::Islands { islands: 4, size: 0.003 },
    ];
    let scan = dirt.iter().fold(fin, |m, d| spoil(&m, *d, &mut dice));
    stl::write_whole(&scan)
}

/// A closed fin: a symmetrical section that tapers upward.
fn fin(span: f64, chord: f64, around: usize, up: usize) -> Mesh {
    let at = |i: usize, j: usize| -> Point {
        let h = j as f64 / up as f64;
        let c = chord * (1.0 - 0.35 * h);
        let t = i as f64 / around as f64 * TAU;
        let x = 0.5 * (1.0 + t.cos());
        // Half thickness of a four-digit section, 12 % thick, closed at the tail (NACA report 460, 1933).
        let y = 0.6 * (0.2969 * x.sqrt() - 0.126 * x - 0.3516 * x * x + 0.2843 * x.powi(3) - 0.1036 * x.powi(4));
        let half = c * (y.max(0.0) + 0.002);
        [0.2 * chord * h + c * x, half * t.sin().signum() * f64::from(u8::from(t.sin().abs() > 1e-9)), span * h]
    };
    let mut mesh = Mesh::default();
    for j in 0..=up {
        mesh.points.extend((0..around).map(|i| at(i, j)));
    }
    let number = |i: usize, j: usize| PointId::from(j * around + i % around);
    for j in 0..up {
        for i in 0..around {
            let [a, b, c, d] = [number(i, j), number(i + 1, j), number(i + 1, j + 1), number(i, j + 1)];
            mesh.triangles.extend([[a, b, c], [a, c, d]]);
        }
    }
    for (j, turned) in [(0, true), (up, false)] {
        // Strips across, from the nose to the tail.
        for i in 0..around / 2 {
            let [a, b, c, d] = [number(i, j), number(i + 1, j), number(around - i - 1, j), number(around - i, j)];
            for t in [[a, b, c], [a, c, d]] {
                if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
                    mesh.triangles.push(if turned { [t[0], t[2], t[1]] } else { t });
                }
            }
        }
    }
    mesh
}

/// An open tray for instruments, its floor and walls named, under a neutral skin a hundredth of a millimetre off.
pub fn instrument_tray() -> Vec<u8> {
    let (outer, wall) = ([180.0, 120.0, 40.0], 3.0);
    let mut walls = cuboid(outer);
    let mut inside = cuboid([outer[0] - 2.0 * wall, outer[1] - 2.0 * wall, outer[2]]);
    translate(&mut inside, [wall; 3]);
    let bodies = [("tray".to_string(), plain(walls.clone())), ("pocket".to_string(), plain(inside))];
    let how = hull_workshop::combine::Together::Subtract;
    if let Ok((tray, _)) = hull_workshop::combine::together(&bodies, how, &hull_geometry::Watch::default()) {
        walls = tray.mesh;
    }
    let own = walls.triangles.len();
    let mut skin = walls.clone();
    skin.points.iter_mut().for_each(|p| p[2] += 0.01);
    walls.append(&skin);
    let level = |f: &FacetId| walls.corners(*f).iter().all(|p| (p[2] - wall).abs() < 1e-9);
    let (floor, sides): (Vec<FacetId>, Vec<FacetId>) = walls.triangles.keys().take(own).partition(level);
    let skin: Vec<FacetId> = walls.triangles.keys().skip(own).collect();
    let parts = [
        NamedFacets { name: "floor", facets: &floor, role: None },
        NamedFacets { name: "walls", facets: &sides, role: None },
        NamedFacets { name: "skin", facets: &skin, role: None },
    ];
    obj::write(&walls, Default::default(), &parts)
}

fn plain(mesh: Mesh) -> hull_workshop::Body {
    let boundary_of = vec![hull_geometry::NONE; mesh.triangles.len()];
    hull_workshop::Body {
        mesh,
        columns: hull_workshop::body::Columns { boundary: boundary_of.into(), ..Default::default() },
        ..Default::default()
    }
}

/// Four castings of the winch arm, each closed, run through each other as they were drawn.
pub fn winch_arm() -> Vec<u8> {
    let mut arm = cuboid([260.0, 36.0, 28.0]);
    translate(&mut arm, [0.0, -18.0, -14.0]);
    let mut rib = cuboid([200.0, 10.0, 60.0]);
    translate(&mut rib, [30.0, -5.0, -30.0]);
    let hub = torus(38.0, 20.0, 72, 32);
    let mut eye = torus(1.0, 0.42, 60, 28);
    enlarge(&mut eye, 26.0);
    translate(&mut eye, [262.0, 0.0, 0.0]);
    let mut all = Mesh::default();
    let mut ranges = Vec::new();
    for body in [arm, rib, hub, eye] {
        let first = all.triangles.len();
        all.append(&body);
        ranges.push(all.triangles.keys().skip(first).collect::<Vec<_>>());
    }
    let names = ["arm", "rib", "hub", "eye"];
    let parts: Vec<NamedFacets> =
        names.iter().zip(&ranges).map(|(name, facets)| NamedFacets { name, facets, role: None }).collect();
    obj::write(&all, Default::default(), &parts)
}
