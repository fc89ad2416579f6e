//! Outlines, prisms and bends of any size against closed forms, and what a scanner sees against every facet by itself.

use hull_exact::frame::Frame;
use hull_exact::parameter_loops::Reader;
use hull_exact::prism::{Outline, prism as exact_prism};
use hull_exact::quadrature::figures;
use hull_geometry::measure::mass;
use hull_geometry::shapes::{cuboid, torus};
use hull_geometry::topology::Topology;
use hull_geometry::transform::translate;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{Mesh, Point, Watch};
use hull_stock::bench::{Scan, scan};
use hull_stock::{outlines, solids};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

fn is_closed(mesh: &Mesh) -> bool {
    let t = Topology::of(mesh, &Watch::default()).unwrap();
    t.is_closed() && t.misdirected.is_empty() && t.shells == 1
}

fn volume(mesh: &Mesh) -> f64 {
    mass(mesh, &mesh.bounds()).volume
}

/// The shoelace formula.
fn area(outline: &[[f64; 2]]) -> f64 {
    let n = outline.len();
    (0..n).map(|i| (outline[i], outline[(i + 1) % n])).map(|(a, b)| (a[0] * b[1] - a[1] * b[0]) / 2.0).sum()
}

fn around(outline: &[[f64; 2]]) -> f64 {
    let n = outline.len();
    (0..n).map(|i| (outline[i], outline[(i + 1) % n])).map(|(a, b)| (a[0] - b[0]).hypot(a[1] - b[1])).sum()
}

/// Where a ray meets a triangle, by Cramer's rule; `None` beside it, or within rounding of its sides.
fn met(from: Point, ray: V3, [a, b, c]: [Point; 3]) -> Option<f64> {
    let (u, v, w) = (sub(b, a), sub(c, a), sub(from, a));
    let across = cross(ray, v);
    let det = dot(u, across);
    if det.abs() < 1e-12 {
        return None;
    }
    let (s, q) = (dot(w, across) / det, cross(w, u));
    let t = dot(ray, q) / det;
    (s > -1e-9 && t > -1e-9 && s + t < 1.0 + 1e-9).then_some(dot(v, q) / det)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    /// A prism of any star with bores in it: area times height, twice the face and the way around as its surface, nowhere open.
    #[test]
    fn a_prism_is_its_outline_times_its_height(
        radii in prop::collection::vec(8.0..20.0_f64, 3..24),
        bores in 0_usize..4,
        r in 0.3..1.2_f64,
        sides in 3_usize..40,
        height in 0.1..50.0_f64,
    ) {
        let n = radii.len();
        let at = |i: usize, r: f64| { let (s, c) = (TAU * i as f64 / n as f64).sin_cos(); [r * c, r * s] };
        let outer: Vec<[f64; 2]> = radii.iter().enumerate().map(|(i, r)| at(i, *r)).collect();
        // Within the least circle that any such star has in it: a triangle's is half its radius.
        let holes: Vec<Vec<[f64; 2]>> = (0..bores).map(|k| {
            let (s, c) = (TAU * k as f64 / bores as f64).sin_cos();
            solids::circle([2.2 * c, 2.2 * s], r, sides)
        }).collect();
        let solid = solids::prism(&outer, &holes, height);
        let face = area(&outer) - holes.iter().map(|h| area(h)).sum::<f64>();
        prop_assert!((volume(&solid) / (face * height) - 1.0).abs() < 1e-9, "{} for {}", volume(&solid), face * height);
        let walls = height * (around(&outer) + holes.iter().map(|h| around(h)).sum::<f64>());
        let skin = mass(&solid, &solid.bounds()).area;
        prop_assert!((skin / (2.0 * face + walls) - 1.0).abs() < 1e-9);
        let t = Topology::of(&solid, &Watch::default()).unwrap();
        prop_assert!(t.is_closed() && t.misdirected.is_empty() && t.shells == 1);
        // Euler's formula: each bore is a handle.
        let edges = 3 * solid.triangles.len() as i64 / 2;
        prop_assert_eq!(solid.points.len() as i64 - edges + solid.triangles.len() as i64, 2 - 2 * holes.len() as i64);
    }

    /// A chord of a circle stays within the tolerance, and no fewer sides would do but for the least and the multiple of four.
    #[test]
    fn sides_of_a_circle_keep_the_tolerance(r in 0.5..500.0_f64, part in 1e-5..0.2_f64) {
        let tolerance = r * part;
        let n = solids::sides(r, tolerance);
        let sagitta = |n: usize| r * (1.0 - (PI / n as f64).cos());
        prop_assert!(sagitta(n) <= tolerance * (1.0 + 1e-9) && n >= 12 && n.is_multiple_of(4));
        prop_assert!(n == 12 || sagitta(n - 4) > tolerance * (1.0 - 1e-9));
    }

    /// A bend has the volume of Pappus' rule, less what its chords take away, and is nowhere open.
    #[test]
    fn a_bend_is_its_ring_times_its_way(outer in 5.0..30.0_f64, wall in 0.05..0.6_f64, more in 1.1..4.0_f64, angle in 10.0..180.0_f64) {
        let (inner, radius) = (outer * (1.0 - wall), outer * more);
        let tolerance = 1e-3 * outer;
        let solid = solids::bend(outer, inner, radius, angle, tolerance);
        prop_assert!(is_closed(&solid));
        let pappus = PI * (outer * outer - inner * inner) * radius * angle.to_radians();
        let part = volume(&solid) / pappus;
        // Chords of both circles and of the way, each within a thousandth; a thin wall feels the circles more.
        prop_assert!(part < 1.0 + 1e-3 / wall && part > 1.0 - 8e-3 / wall, "{part}");
        let ends = solid.points.iter().filter(|p| p[2].abs() < 1e-9).count();
        prop_assert!(ends >= 2 * solids::sides(outer, tolerance), "an end lies in z = 0");
    }

    /// Sections by their tables' numbers: the areas of rectangles, webs and fillets that they are put together from.
    #[test]
    fn sections_have_the_area_of_their_rectangles_and_fillets(
        h in 60.0..400.0_f64,
        b in 40.0..300.0_f64,
        web in 3.0..10.0_f64,
        flange in 4.0..14.0_f64,
        root in 2.0..9.0_f64,
        t in 2.0..8.0_f64,
    ) {
        let of = |outline: Outline, holes: Vec<Outline>| figures(&exact_prism(&Frame::WORLD, &outline, &holes, 1.0), Reader::Trusting).volume;
        // What an inner corner has more than a sharp one.
        let fillet = root * root * (1.0 - PI / 4.0);
        let rolled = 2.0 * b * flange + (h - 2.0 * flange) * web;
        prop_assert!((of(outlines::rolled([h, b, web, flange, root]), Vec::new()) / (rolled + 4.0 * fillet) - 1.0).abs() < 1e-9);
        prop_assert!((of(outlines::channel([h, b, web, flange, root]), Vec::new()) / (rolled + 2.0 * fillet) - 1.0).abs() < 1e-9);
        prop_assert!((of(outlines::angle([h, b, t]), Vec::new()) / (t * (h + b - t)) - 1.0).abs() < 1e-9);
        let round = |r: f64| (4.0 - PI) * r * r;
        let [outer, inner] = outlines::hollow([h, b, t]);
        let hollow = h * b - round(1.5 * t) - (h - 2.0 * t) * (b - 2.0 * t) + round(t);
        prop_assert!((of(outer, vec![inner]) / hollow - 1.0).abs() < 1e-9);
        prop_assert!((of(outlines::hexagon(b), Vec::new()) / (b * b * 3.0_f64.sqrt() / 2.0) - 1.0).abs() < 1e-9);
    }

    /// Without noise, every point that a station sees is the first that its ray meets of all facets, and the surface there looks
    /// at the station; what a closer body hides is not seen.
    #[test]
    fn a_scanner_sees_what_is_first_on_its_ray(d in prop::array::uniform3(-1.0..1.0_f64), far in 30.0..120.0_f64, rays in 8_usize..24) {
        let Some(d) = unit(d) else { return Ok(()) };
        let mut body = torus(6.0, 2.0, 14, 9);
        let mut beside = cuboid([3.0, 2.0, 9.0]);
        translate(&mut beside, [4.0, 3.0, -1.0]);
        body.append(&beside);
        let station = add(body.bounds().centre(), scale(d, far));
        let how = Scan { stations: vec![station], rays, noise: 0.0, lost: 0.0, seed: 3, sheets: true };
        let seen = scan(&body, &how, &Watch::default()).unwrap();
        prop_assert!(!seen.points.is_empty() && seen.points.len() <= rays * rays && seen.points.len() == seen.normals.len());
        for (p, n) in seen.points.iter().zip(&seen.normals) {
            let ray = unit(sub(*p, station)).unwrap();
            let first = body.triangles.keys().filter_map(|f| met(station, ray, body.corners(f))).fold(f64::INFINITY, f64::min);
            prop_assert!((first - distance(*p, station)).abs() < 1e-6, "{first} and {}", distance(*p, station));
            prop_assert!((norm(*n) - 1.0).abs() < 1e-12 && dot(*n, ray) < -82.0_f64.to_radians().cos() + 1e-9);
        }
        for t in &seen.facets {
            let [a, b, c] = t.map(|i| seen.points[i as usize]);
            prop_assert!(dot(cross(sub(b, a), sub(c, a)), sub(a, station)) < 0.0, "a sheet looks at its scanner");
        }
        // Noise moves points along their rays alone.
        let noisy = scan(&body, &Scan { noise: 0.1, ..how }, &Watch::default()).unwrap();
        prop_assert_eq!(noisy.points.len(), seen.points.len());
        for (p, q) in noisy.points.iter().zip(&seen.points) {
            prop_assert!(norm(cross(sub(*p, station), unit(sub(*q, station)).unwrap())) < 1e-9 * far);
        }
    }
}
