//! Regions of flow against closed forms, and names that survive the next revision.

use crate::common::{body, less, run};
use hull_geometry::shapes::{cuboid, sphere};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Watch, measure};
use hull_trials::flow::How;
use hull_workshop::body::Seam;
use hull_workshop::neighbours::{self, Neighbour};
use hull_workshop::rules::Fate;
use hull_workshop::steps;
use hull_workshop::{Body, Destination, apply, regions, trial};
use std::f64::consts::PI;
use std::sync::Arc;

/// A closed cylinder along an axis from a point, with `n` sides.
fn cylinder(from: Point, axis: usize, length: f64, radius: f64, n: u32) -> Mesh {
    let unit = |k: usize| std::array::from_fn(|i| f64::from(u8::from(i == k % 3)));
    crate::common::cylinder(from, [unit(axis), unit(axis + 1)], length, radius, n)
}

fn disc(radius: f64, n: u32) -> f64 {
    f64::from(n) / 2.0 * radius * radius * (2.0 * PI / f64::from(n)).sin()
}

fn volume(body: &Body) -> f64 {
    let t = Topology::of(&body.mesh, &Watch::default()).unwrap();
    assert!(t.is_closed() && t.misdirected.is_empty());
    measure::mass(&body.mesh, &body.mesh.bounds()).volume
}

fn area(body: &Body, name: &str) -> f64 {
    let number = body.facts.boundaries.iter().position(|b| b.name == name);
    let number = number.unwrap_or_else(|| panic!("{name} of {:?}", body.facts.boundaries)) as u32;
    body.facets_of(number).iter().map(|&f| hull_geometry::vector::norm(body.mesh.area_vector(f)) / 2.0).sum()
}

/// A block with a bore through it along x and a blind one that meets nothing: the water is the bore, its mouths are named.
#[test]
fn the_inside_of_a_block() {
    let (n, r) = (48, 4.0);
    let block = less(
        cuboid([60.0, 30.0, 20.0]),
        vec![cylinder([-1.0, 15.0, 10.0], 0, 62.0, r, n), cylinder([20.0, 15.0, 10.0], 2, 20.0, 2.0, n)],
    );
    let (water, said) = run(&block, "fill_inside", &[]).unwrap();
    // The crossing bore opens on top; below the axis it ends in the first.
    assert_eq!(water.facts.boundaries.len(), 4, "{said} {:?}", water.facts.boundaries);
    for (name, size) in [("opening 1", disc(r, n)), ("opening 2", disc(r, n)), ("opening 3", disc(2.0, n))] {
        assert!((area(&water, name) / size - 1.0).abs() < 1e-9, "{name}");
    }
    let alone = disc(r, n) * 60.0;
    let v = volume(&water);
    assert!(v > alone + disc(2.0, n) * 6.0 && v < alone + disc(2.0, n) * 6.5, "{v} for {alone}");
    // Only some of the openings: the way out of the third is a sentence.
    let why = run(&block, "fill_inside", &[("openings", "0, 15, 10; 60, 15, 10")]).unwrap_err();
    assert!(why.contains("a way leads outside"), "{why}");
    let why = run(&block, "fill_inside", &[("seed", "1, 1, 1")]).unwrap_err();
    assert!(why.contains("in no closed space"), "{why}");
    assert!(run(&body(cuboid([1.0; 3])), "fill_inside", &[]).unwrap_err().contains("No opening"));
}

/// Bores that open in curved faces: a branch in a pipe's side and holes in a hollow ball are closed by caps that span their
/// rims; where the branch meets the pipe's own bore, and where a solid only narrows, there is no opening.
#[test]
fn the_inside_of_what_is_round() {
    let n = 96;
    let pipe = less(
        cylinder([0.0; 3], 0, 60.0, 10.0, n),
        vec![cylinder([-1.0, 0.0, 0.0], 0, 62.0, 7.0, n), cylinder([20.0, 0.0, 0.0], 2, 12.0, 3.0, n)],
    );
    let (water, said) = run(&pipe, "fill_inside", &[]).unwrap();
    assert_eq!(water.facts.boundaries.len(), 4, "{said} {:?}", water.facts.boundaries);
    assert!((area(&water, "opening 1") / disc(7.0, n) - 1.0).abs() < 1e-9);
    // The cap lies between chords of the pipe's outside: a little larger than its disc, seen from above.
    let cap = area(&water, "opening 3");
    assert!(cap > disc(3.0, n) && cap < 1.05 * disc(3.0, n), "{cap}");
    // The branch through the wall: the heights of both cylinders above the disc, by their series up to y⁴.
    let series = |r: f64| PI * 9.0 * (r - 9.0 / (8.0 * r) - 81.0 / (64.0 * r * r * r));
    let branch = series(10.0) - series(7.0);
    let more = volume(&water) - disc(7.0, n) * 60.0;
    assert!((more / branch - 1.0).abs() < 0.05, "{more} for {branch}");

    let mut hollow = sphere(10.0, 96, 48);
    let mut inner = sphere(8.0, 96, 48);
    inner.triangles.iter_mut().for_each(|t| t.swap(1, 2));
    hollow.append(&inner);
    let hollow =
        less(hollow, vec![cylinder([0.3, 0.2, 0.1], 0, 12.0, 2.0, n), cylinder([0.3, 0.2, 0.1], 1, 12.0, 1.5, n)]);
    let (inside, said) = run(&hollow, "fill_inside", &[]).unwrap();
    assert!(inside.facts.boundaries.len() == 3 && area(&inside, "opening 2") < area(&inside, "opening 1"), "{said}");
    let ball = 4.0 / 3.0 * PI * 512.0;
    assert!(volume(&inside) > ball && volume(&inside) < 1.03 * ball, "{}", volume(&inside));

    let mut frustum = cylinder([0.0; 3], 2, 10.0, 8.0, n);
    for p in frustum.points.iter_mut().filter(|p| p[2] > 5.0) {
        (p[0], p[1]) = (0.4 * p[0], 0.4 * p[1]);
    }
    assert!(run(&body(frustum), "fill_inside", &[]).unwrap_err().contains("No opening"));
}

/// The region around a ball: its volume, the names of its sides, the blockage, and half of it.
#[test]
fn the_region_around_a_ball() {
    let mut ball = sphere(5.0, 64, 32);
    translate(&mut ball, [0.0, 0.0, 5.0]);
    let solid = measure::mass(&ball, &ball.bounds()).volume;
    let shadow = {
        let s = hull_flow::far_field::Stream {
            along: hull_geometry::transform::Axis::PlusX,
            up: hull_geometry::transform::Axis::PlusZ,
        };
        hull_flow::far_field::frontal_area(&ball, s)
    };
    let (around, said) = run(&body(ball.clone()), "surround", &[]).unwrap();
    let (w, l) = (110.0, 210.0);
    assert!((volume(&around) / (w * w * l - solid) - 1.0).abs() < 1e-3, "{}", volume(&around));
    let percent = 100.0 * shadow / (w * w);
    assert!(said.contains(&format!("{percent:.2} %")), "{said} for {percent}");
    let names: Vec<&str> = around.facts.boundaries.iter().map(|b| b.name.as_str()).collect();
    assert!(
        names.contains(&"inflow")
            && names.contains(&"outflow")
            && names.contains(&"far field")
            && names.contains(&"body"),
        "{names:?}"
    );
    assert!((area(&around, "inflow") - w * w).abs() < 20.0);
    let half = run(&body(ball.clone()), "surround", &[("symmetry", "y"), ("ground", "under"), ("form", "cylinder")])
        .unwrap()
        .0;
    assert!((2.0 * area(&half, "body") / area(&around, "body") - 1.0).abs() < 1e-3);
    assert!(area(&half, "ground") > 0.0 && area(&half, "symmetry") > 0.0);
    volume(&half);
    let why = run(&body(ball.clone()), "surround", &[("corners", "-9, -4, -9; 9, 9, 20")]).unwrap_err();
    assert!(why.contains("does not hold the body: at y the body begins at −5"), "{why}");
    ball.triangles.pop();
    assert!(run(&body(ball), "surround", &[]).unwrap_err().contains("must be closed"));
}

/// Fluid and solids: an interface has one name and one area on both sides.
#[test]
fn fluid_and_solids() {
    let mut heater = cuboid([40.0, 20.0, 5.0]);
    translate(&mut heater, [30.0, 10.0, -2.0]);
    let set = [("water".to_string(), body(cuboid([100.0, 40.0, 30.0]))), ("heater".to_string(), body(heater))];
    let (made, said) = regions::part(&set, false, &Watch::default()).unwrap();
    assert!((made[0].volume - (120_000.0 - 2400.0)).abs() < 1e-6 && (made[1].volume - 4000.0).abs() < 1e-6, "{said}");
    let wet = 40.0 * 20.0 + 2.0 * 3.0 * 60.0;
    for m in &made {
        assert!((area(&m.body, "water-heater") - wet).abs() < 1e-9, "{said}");
    }
    // Bit for bit: the same points.
    let of = |m: &regions::Made| {
        let number = m.body.facts.boundaries.iter().position(|b| b.name == "water-heater").unwrap() as u32;
        let mut p: Vec<[u64; 3]> = m
            .body
            .facets_of(number)
            .iter()
            .flat_map(|&f| m.body.mesh.corners(f))
            .map(|p| p.map(f64::to_bits))
            .collect();
        p.sort_unstable();
        p
    };
    assert_eq!(of(&made[0]), of(&made[1]));
}

/// A plate with bores, made anew with every change that a next revision brings.
fn plate(seed: u32, revised: bool) -> Body {
    let r = |k: u32| f64::from((seed.wrapping_mul(2_654_435_761).wrapping_add(k.wrapping_mul(40_503))) % 1000) / 1000.0;
    let (n, longer, shift) = if revised { (20 + seed % 13, 8.0 * r(1), 2.0 * r(2)) } else { (24, 0.0, 0.0) };
    let bores = (0..6).map(|i| cylinder([15.0 + 20.0 * f64::from(i) + shift, 20.0, -1.0], 2, 12.0, 4.2, n)).collect();
    let mut made = less(cuboid([140.0 + longer, 40.0, 10.0]), bores);
    if revised {
        // Other facets in another order.
        let half = made.mesh.triangles.len() / 2;
        made.mesh.triangles.rotate_left(FacetId::from(half));
        made.mesh.triangles.iter_mut().for_each(|t| t.rotate_left(1));
    }
    made
}

/// 50 seeded revisions: every name is found again where a person would see it.
#[test]
fn rules_survive_the_next_revision() {
    let mut part = plate(0, false);
    part = run(&part, "name_boundary", &[("name", "top"), ("pick", "direction:0,0,1@5")]).unwrap().0;
    part = run(
        &part,
        "name_boundary",
        &[("name", "bores"), ("pick", r#"{"include":[{"alike":{"at":[15.0,24.2,5.0],"angle":20.0,"by":"radius"}}]}"#)],
    )
    .unwrap()
    .0;
    part = run(&part, "name_boundary", &[("name", "inlet"), ("pick", "region:0,20,5@10")]).unwrap().0;
    part = run(&part, "name_boundary", &[("name", "wall"), ("pick", "unnamed")]).unwrap().0;
    assert!((area(&part, "bores") / (6.0 * 2.0 * 24.0 * 4.2 * (PI / 24.0).sin() * 10.0) - 1.0).abs() < 1e-9);
    let rules = serde_json::to_string(&part.facts.rules).unwrap();
    for seed in 1..=50 {
        let (next, said) = run(&plate(seed, true), "set_rules", &[("rules", &rules)]).unwrap();
        let n = f64::from(20 + seed % 13);
        let perimeter = 2.0 * n * 4.2 * (PI / n).sin();
        assert!((area(&next, "bores") / (6.0 * perimeter * 10.0) - 1.0).abs() < 1e-6, "{seed}: {said}");
        assert!((area(&next, "inlet") - 400.0).abs() < 1e-6, "{seed}: {said}");
        assert!(next.facets_of(NONE).is_empty() && next.facts.rules.iter().all(|r| r.fate() != Fate::Empty), "{said}");
        assert_eq!(next.facts.rules[2].fate(), Fate::Kept, "{said}");
    }
    // What is not there any more is told.
    let (bare, said) = run(&body(cuboid([140.0, 40.0, 10.0])), "set_rules", &[("rules", &rules)]).unwrap();
    assert!(said.contains("bores empty") && said.contains("top grown"), "{said}");
    assert_eq!(bare.facts.boundaries.len(), 3);
}

/// Rules and datums stay on the body when it is moved and gets its unit.
#[test]
fn rules_and_datums_follow_the_body() {
    let part = plate(0, false);
    let part = run(&part, "name_boundary", &[("name", "bore"), ("pick", "region:15,24.2,5@20")]).unwrap().0;
    let part = run(&part, "fit_shape", &[("kind", "cylinder"), ("name", "axis"), ("pick", "boundary:bore")]).unwrap().0;
    let part = run(&part, "set_unit", &[("unit", "cm")]).unwrap().0;
    let part = run(&part, "move_turn", &[("turn", "30 40 50"), ("about", "3 2 1"), ("by", "700 0 1")]).unwrap().0;
    let part = run(&part, "mirror", &[("axis", "x"), ("in_place", "yes")]).unwrap().0;
    assert!(
        (measure::mass(&part.mesh, &part.mesh.bounds()).volume / 1000.0
            - measure::mass(&plate(0, false).mesh, &plate(0, false).mesh.bounds()).volume)
            .abs()
            < 1e-6
    );
    let bore = area(&part, "bore");
    let again = run(&part, "set_rules", &[("rules", &serde_json::to_string(&part.facts.rules).unwrap())]).unwrap().0;
    assert!((area(&again, "bore") - bore).abs() < 1e-9 && again.facts.rules[0].fate() == Fate::Kept);
    let datum = part.datum("axis").unwrap();
    let number = part.facts.boundaries.iter().position(|b| b.name == "bore").unwrap() as u32;
    for f in part.facets_of(number) {
        for p in part.mesh.corners(f) {
            let off = datum.fit.shape.distance(p);
            // Cuts across the facets of a bore stand a little within it.
            assert!(off <= datum.fit.largest + 1e-9, "{off} {datum:?}");
        }
    }
    assert!(run(&part, "drop_datum", &[("name", "none")]).unwrap_err().contains("there are “axis”"));
}

#[test]
fn the_first_layer_is_told() {
    let block = body(cuboid([7200.0, 10.0, 10.0]));
    assert!(run(&block, "set_flow", &[("length", "7200")]).unwrap_err().contains("Set the unit first"));
    let block = run(&block, "set_unit", &[("unit", "mm")]).unwrap().0;
    let (with, said) = run(&block, "set_flow", &[("length", "7200"), ("speed", "3"), ("y_plus", "30")]).unwrap();
    assert!(said.contains("Reynolds number 18\u{2009}97") && with.facts.flow.is_some(), "{said}");
    assert!(run(&block, "set_flow", &[("length", "1"), ("fluid", "other")]).unwrap_err().contains("density"));
}

/// A channel with a round hole, drawn as lines: its mesh, one cell thick, and the wedge of half of it.
#[test]
fn the_plane_case() {
    use hull_formats::bundles::Bundles;
    let drawn = |below: f64| {
        let mut lines = Bundles::default();
        lines.line("inlet", [0.0, below, 0.0], [0.0, 4.0, 0.0]);
        lines.line("wall", [0.0, 4.0, 0.0], [10.0, 4.0, 0.0]);
        lines.line("outlet", [10.0, 4.0, 0.0], [10.0, below, 0.0]);
        lines.line("wall", [10.0, below, 0.0], [0.0, below, 0.0]);
        let hole: Vec<Point> = (0..=64)
            .map(|i| (2.0 * PI * f64::from(i) / 64.0).sin_cos())
            .map(|(s, c)| [3.0 + c, 2.0 + s, 0.0])
            .collect();
        lines.polyline("strut", &hole);
        let mut received = hull_formats::Received::plain(hull_formats::Format::Dxf, Mesh::default());
        received.lines = lines.finish(None);
        Body::from_received("channel.dxf", received)
    };
    let (flat, said) =
        run(&drawn(0.0), "mesh_plane", &[("tolerance", "0.001"), ("chord", "0.01"), ("size", "0.4")]).unwrap();
    let whole: f64 = flat.mesh.triangles.keys().map(|f| flat.mesh.area_vector(f)[2] / 2.0).sum();
    assert!((whole - (40.0 - disc(1.0, 64))).abs() < 1e-9, "{said}");
    // Finer along the strut and around a place, in quadrilaterals where they fit: the same area, closed one cell thick.
    let typed = [
        ("tolerance", "0.001"),
        ("chord", "0.01"),
        ("size", "0.8"),
        ("finer", "strut = 0.05; 8, 2 = 0.1"),
        ("growth", "1.4"),
        ("cells", "quads"),
    ];
    let (fine, said) = run(&drawn(0.0), "mesh_plane", &typed).unwrap();
    let area_of = |b: &Body| b.mesh.triangles.keys().map(|f| b.mesh.area_vector(f)[2] / 2.0).sum::<f64>();
    assert!((area_of(&fine) - whole).abs() < 1e-9 && said.contains("quadrilaterals"), "{said}");
    let cells = fine.columns.cell.last().map_or(0, |c| *c as usize + 1);
    assert!(3 * cells < 2 * fine.mesh.triangles.len(), "{said}");
    let quads = run(&fine, "extrude_plane", &[("thickness", "0.5")]).unwrap().0;
    assert!((volume(&quads) - 0.5 * whole).abs() < 1e-9);
    // Flat cells along the walls and around the strut: the same area, closed one cell thick, cells as high as asked.
    let typed = [
        ("tolerance", "0.001"),
        ("chord", "0.01"),
        ("size", "0.3"),
        ("layers_along", "wall, strut"),
        ("first_layer", "0.01"),
        ("layers", "5"),
        ("cells", "quads"),
    ];
    let (layered, said) = run(&drawn(0.0), "mesh_plane", &typed).unwrap();
    assert!((area_of(&layered) - whole).abs() < 1e-9, "{said}");
    assert!(layered.mesh.points.iter().any(|p| (p[1] - 0.01).abs() < 1e-12), "{said}");
    assert!((volume(&run(&layered, "extrude_plane", &[("thickness", "0.5")]).unwrap().0) - 0.5 * whole).abs() < 1e-9);
    let typed = [("tolerance", "0.001"), ("chord", "0.01"), ("size", "0.3"), ("layers_along", "wall")];
    assert!(run(&drawn(0.0), "mesh_plane", &typed).unwrap_err().contains("need the height"));
    for (finer, why) in [
        ("keel = 0.1", "neither a layer nor a place"),
        ("strut", "tells no size"),
        ("strut = 3", "at most that of the rest"),
    ] {
        let typed = [("tolerance", "0.001"), ("chord", "0.01"), ("size", "0.8"), ("finer", finer)];
        assert!(run(&drawn(0.0), "mesh_plane", &typed).unwrap_err().contains(why), "{finer}");
    }
    let named: Vec<(&str, f64)> = flat.facts.seams.iter().map(|s| (s.name.as_str(), s.length)).collect();
    assert!(named.iter().any(|n| n.0 == "inlet" && (n.1 - 4.0).abs() < 1e-9) && named.len() == 4, "{named:?}");
    let (thick, _) = run(&flat, "extrude_plane", &[("thickness", "0.5")]).unwrap();
    assert!((volume(&thick) - 0.5 * whole).abs() < 1e-9);
    for (name, size) in [("inlet", 2.0), ("outlet", 2.0), ("wall", 10.0), ("front", whole), ("back", whole)] {
        assert!((area(&thick, name) - size).abs() < 1e-9, "{name}");
    }
    // A wedge of a rectangle that stands on the axis is a piece of a cylinder: the prism of its chord.
    let wedge = run(&flat, "extrude_plane", &[("how", "wedge"), ("angle", "6"), ("thickness", "1")]).unwrap().0;
    let t = 3.0_f64.to_radians();
    let moment: f64 = flat
        .mesh
        .triangles
        .keys()
        .map(|f| flat.mesh.corners(f).iter().map(|p| p[1]).sum::<f64>() / 3.0 * flat.mesh.area_vector(f)[2] / 2.0)
        .sum();
    assert!((volume(&wedge) - 2.0 * t.sin() * t.cos() * moment).abs() < 1e-9);
    let below =
        run(&drawn(-1.0), "mesh_plane", &[("tolerance", "0.001"), ("chord", "0.01"), ("size", "0.4")]).unwrap().0;
    let why = run(&below, "extrude_plane", &[("how", "wedge"), ("thickness", "1")]).unwrap_err();
    assert!(why.contains("crosses the axis"), "{why}");
    assert!(run(&thick, "extrude_plane", &[("thickness", "1")]).unwrap_err().contains("not flat"));
}

/// Triangles of a grid of points, row by row, `nx` by `ny` cells.
fn grid(nx: u32, ny: u32) -> Vec<[u32; 3]> {
    let p = |i, j| j * (nx + 1) + i;
    let cell = |i, j| [[p(i, j), p(i + 1, j), p(i + 1, j + 1)], [p(i, j), p(i + 1, j + 1), p(i, j + 1)]];
    (0..ny).flat_map(|j| (0..nx).flat_map(move |i| cell(i, j))).collect()
}

/// A channel in the plane, its ends named: plane Poiseuille flow, Q = h³ / 12 L for a unit of depth, pressure and viscosity; its
/// narrowest place is its height; it flows in its plane however it lies in space.
#[test]
fn a_flat_channel_flows_as_poiseuille_says() {
    let (long, high) = (40.0, 10.0);
    let (nx, ny) = (64_u32, 16_u32);
    let place = |i: u32, j: u32| [long * f64::from(i) / f64::from(nx), high * f64::from(j) / f64::from(ny), 3.0];
    let points = (0..=ny).flat_map(|j| (0..=nx).map(move |i| place(i, j))).collect();
    let mut flat = body(Mesh::from_arrays(points, grid(nx, ny)));
    for (name, i) in [("inlet left", 0), ("outlet", nx)] {
        let lines: Vec<[Point; 2]> = (0..ny).map(|j| [place(i, j), place(i, j + 1)]).collect();
        flat.facts.seams.push(Seam { name: name.into(), edges: ny as usize, length: high, at: lines[0][0], lines });
    }
    assert_eq!(trial::plane::openings(&flat.facts).len(), 2);
    let turn =
        hull_workshop::steps::move_turn::MoveTurn { turn: [35.0, 20.0, -50.0], about: [1.0; 3], by: [5.0, 0.0, 2.0] };
    let tilted = apply(&flat, &turn.into(), &Destination::asking_nothing(), &Watch::default()).unwrap().0;
    for body in [&flat, &tilted] {
        let found = trial::flow(body, How::Creeping, 8000, &Watch::default()).unwrap();
        let flow = found.through[0].flow;
        let (is, be) = (flow.abs(), high.powi(3) / (12.0 * long));
        assert!((is / be - 1.0).abs() < 0.01, "{is} for {be}");
        // On the triangles themselves too, for which 16 over the height are few.
        let own = found.on_triangles.as_ref().unwrap();
        assert!((own.comes_in() / be - 1.0).abs() < 0.02 && own.imbalance.abs() < 1e-8, "{own:?} for {be}");
        assert!(trial::told(&found, "mm").iter().any(|l| l.contains("triangles themselves")));
        // Potential flow: height by length, however the slab lies between the lattice's cells.
        let potential = trial::flow(body, How::Potential, 8000, &Watch::default()).unwrap();
        let (is, be) = (potential.through[0].flow.abs(), high / long);
        assert!((is / be - 1.0).abs() < 0.02, "{is} for {be}");
        let own = potential.on_triangles.unwrap();
        assert!((own.comes_in() / be - 1.0).abs() < 1e-9 && own.imbalance.abs() < 1e-9, "{own:?}");
        assert_eq!(found.depth.map(|d| (d * 1e6).round()), Some(1e6));
        assert!(found.cells > 7000 && (found.through[0].area - high).abs() < 1e-6);
        let narrow = found.narrowest.unwrap();
        assert!((narrow.width - high).abs() < 0.2, "{narrow:?}");
        // What is found lies in the body's plane.
        let plane = |p: Point| {
            let n = hull_geometry::vector::unit(body.mesh.area_vector(FacetId(0))).unwrap();
            hull_geometry::vector::dot(hull_geometry::vector::sub(p, body.mesh.points[PointId(0)]), n).abs()
        };
        assert!(plane(narrow.at) < 1e-6 && found.streamlines.iter().flat_map(|s| &s.points).all(|p| plane(*p) < 1e-6));
    }
}

/// A block of the file stands half a millimetre above a plate of it: what looks at the block is the plate below it, as near as
/// is asked for (every facet's middle against the block's rectangle); from the block it is its bottom. A block that comes
/// elsewhere on the next revision takes the name along, and so does a body that is turned.
#[test]
fn what_faces_another_part_is_named_wherever_that_part_stands() {
    let set = |at: Point| {
        let (nx, ny) = (60_u32, 40_u32);
        let points = (0..=ny).flat_map(|j| (0..=nx).map(move |i| [f64::from(i), f64::from(j), 0.0])).collect();
        let mut mesh = Mesh::from_arrays(points, grid(nx, ny));
        let plate = mesh.triangles.len();
        let mut block = cuboid([20.0, 10.0, 5.0]);
        translate(&mut block, at);
        mesh.append(&block);
        let mut out = body(mesh);
        out.columns.label = (0..out.mesh.triangles.len()).map(|f| u32::from(f >= plate)).collect();
        let label = |name: &str| hull_formats::Label { name: name.into(), ..hull_formats::Label::default() };
        out.facts.labels = vec![label("plate"), label("block")];
        out
    };
    let typed = |pick: &str| {
        [("name", "gap"), ("pick", pick), ("role", "contact")].map(|(k, v)| (k.to_string(), v.to_string()))
    };
    let named = |b: &Body, pick: &str| {
        let step = steps::read("name_boundary", &typed(pick), None).unwrap();
        apply(b, &step, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap().0
    };
    for at in [[10.0, 12.0, 0.5], [31.0, 7.5, 0.5]] {
        let found = named(&set(at), "facing:block@1");
        let alone = {
            let mut plate = set(at);
            plate.mesh.triangles.truncate(4800);
            let mut block = cuboid([20.0, 10.0, 5.0]);
            translate(&mut block, at);
            let beside = |name: &str| Neighbour { name: name.into(), mesh: Arc::new(block.clone()) };
            Body { beside: vec![beside("Block"), beside("Else")], ..body(plate.mesh) }
        };
        let wanted = found.mesh.triangles.keys().take(4800).filter(|f| {
            let c = found.mesh.corners(*f);
            let m = [0, 1].map(|k| (c[0][k] + c[1][k] + c[2][k]) / 3.0);
            let off = |k: usize, l: f64| (at[k] - m[k]).max(m[k] - at[k] - l).max(0.0);
            off(0, 20.0).powi(2) + off(1, 10.0).powi(2) + 0.25 <= 1.0
        });
        let wanted: Vec<FacetId> = wanted.collect();
        assert_eq!(found.facets_of(0), wanted);
        // The same where the block is a body of its own beside the plate; nothing where it is not there.
        assert_eq!(named(&alone, "facing:bl*@1").facets_of(0), wanted);
        let step = steps::read("name_boundary", &typed("facing:block@1"), None).unwrap();
        assert_eq!(neighbours::asked(&step, &alone), ["block"]);
        assert!(neighbours::asked(&step, &set(at)).is_empty(), "a part of its own file");
        let left = Body { beside: Vec::new(), ..alone };
        let refused = apply(&left, &step, &Destination::named("fluid").unwrap(), &Watch::default()).unwrap_err();
        assert!(refused.to_string().contains("no other body of the project called “block”"), "{refused}");
    }
    let below = named(&set([10.0, 12.0, 0.5]), "facing:pl*@1");
    assert!((area(&below, "gap") - 200.0).abs() < 1e-9);
    assert!(steps::read("name_boundary", &typed("facing:block"), None).is_err());
    // The rule goes with the body, also where it is enlarged.
    let (inches, _) = run(&named(&set([10.0, 12.0, 0.5]), "facing:block@1"), "set_unit", &[("unit", "in")]).unwrap();
    let before = inches.facets_of(0);
    let rules = &inches.facts.rules;
    let (claims, _) = hull_workshop::rules::claims(&inches, rules);
    assert_eq!((rules.len(), before.len()), (1, claims[0].facets.len()), "{rules:?}");
    assert!(!before.is_empty() && claims[0].facets == before);
}
