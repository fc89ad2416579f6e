//! Stock parts against closed forms and tables, and scans against the body that was scanned.

use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::figures;
use hull_geometry::measure::mass;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{distance, dot, sub};
use hull_geometry::{Mesh, Watch};
use hull_stock::bench::{Scan, scan};
use hull_stock::parts::{KINDS, make, search, solid};
use std::f64::consts::PI;

fn volume(mesh: &Mesh) -> f64 {
    mass(mesh, &mesh.bounds()).volume
}

/// Every size of every kind is closed and faces outward; a finer tolerance brings the volume nearer to a limit.
#[test]
fn every_part_is_closed() {
    let mut made = 0;
    for kind in &KINDS {
        for size in kind.sizes {
            let length = kind.length.map_or(1.0, |l| l.1);
            let part = make(kind.id, size, length, 0.05).unwrap();
            let t = Topology::of(&part, &Watch::default()).unwrap();
            assert!(t.is_closed() && t.misdirected.is_empty() && t.shells == 1, "{} {size}", kind.id);
            let (coarse, fine) = (volume(&part), volume(&make(kind.id, size, length, 0.002).unwrap()));
            assert!(coarse > 0.0 && (coarse / fine - 1.0).abs() < 0.05, "{} {size}: {coarse} and {fine}", kind.id);
            made += 1;
        }
    }
    assert!(made > 60);
    assert!(make("bolt", "M7", 10.0, 0.1).unwrap_err().contains("there are M3"));
    assert!(make("bolt", "M8", -1.0, 0.1).is_err() && make("rivet", "M8", 1.0, 0.1).is_err());
    assert!(search("pipe DN 50").iter().any(|k| k.id == "elbow") && search("no such").is_empty());
}

/// Closed forms: a pipe, a bolt, a bend (Pappus: area times the way of its centre), and the area of IPE 200 in EN 10365.
#[test]
fn volumes_are_those_of_the_forms() {
    let near = |a: f64, b: f64, by: f64| assert!((a / b - 1.0).abs() < by, "{a} for {b}");
    let (ro, ri) = (60.3 / 2.0, 60.3 / 2.0 - 2.9);
    let area = PI * (ro * ro - ri * ri);
    near(volume(&make("pipe", "DN 50", 200.0, 0.001).unwrap()), area * 200.0, 1e-3);
    near(volume(&make("elbow", "DN 50", 90.0, 0.001).unwrap()), area * 76.0 * PI / 2.0, 1e-3);
    near(
        volume(&make("bolt", "M8", 40.0, 0.0005).unwrap()),
        13.0 * 13.0 * 3.0_f64.sqrt() / 2.0 * 5.3 + PI * 16.0 * 40.0,
        1e-3,
    );
    near(volume(&make("beam", "IPE 200", 1.0, 0.001).unwrap()), 2848.0, 1e-3);
    // The pitch circle's tooth is as thick as its gap, so a gear weighs about a disc of its pitch circle less the bore.
    let gear = volume(&make("gear", "2x20", 10.0, 0.01).unwrap());
    near(gear, (PI * 400.0 - PI * (17.5_f64 / 2.0).powi(2)) * 10.0, 0.05);
}

/// Exact solids are closed and what the facets come near to; sections have the areas that EN 10365 gives (in cm², from memory).
#[test]
fn exact_parts_are_what_their_facets_come_near_to() {
    let mut made = 0;
    for kind in &KINDS {
        for size in kind.sizes {
            let length = kind.length.map_or(1.0, |l| l.1);
            let Some(part) = solid(kind.id, size, length).unwrap() else { continue };
            assert!(part.open_edges().is_empty(), "{} {size}", kind.id);
            let (exact, facets) = (figures(&part, Reader::Trusting), make(kind.id, size, length, 0.001).unwrap());
            assert!((exact.volume / volume(&facets) - 1.0).abs() < 2e-3, "{} {size}: {}", kind.id, exact.volume);
            made += 1;
        }
    }
    assert!(made > 55);
    assert!(solid("gear", "2x20", 10.0).unwrap().is_none() && solid("elbow", "DN 50", 90.0).unwrap().is_none());
    let areas = [("UPE 80", 10.1), ("UPE 100", 12.5), ("UPE 120", 15.4), ("UPE 140", 18.4), ("UPE 160", 21.7)];
    for (id, (size, table)) in areas.map(|a| ("channel", a)).into_iter().chain([("beam", ("IPE 200", 28.48))]) {
        let area = figures(&solid(id, size, 1.0).unwrap().unwrap(), Reader::Trusting).volume / 100.0;
        let last = if id == "beam" { 0.005 } else { 0.05 };
        assert!((area - table).abs() <= last, "{size}: {area} for {table}");
    }
}

/// What was seen lies on the body within the noise, on the side of the scanner, and not behind what hides it; the same seed gives
/// the same points.
#[test]
fn scans_lie_on_the_body() {
    let part = make("flange", "DN 50", 1.0, 0.05).unwrap();
    let how = Scan { stations: vec![[0.0, 0.0, 900.0]], rays: 120, noise: 0.0, lost: 0.0, seed: 1, sheets: true };
    let seen = scan(&part, &how, &Watch::default()).unwrap();
    assert!(seen.points.len() > 2000);
    assert!(seen.points.iter().all(|p| (p[2] - 20.0).abs() < 1e-9), "only the face that looks up is seen");
    // The sheet looks up, covers the ring but for its rim, and spans no hole.
    let sheet = Mesh::from_arrays(seen.points.clone(), seen.facets.clone());
    let (whole, spanned) = (PI * (82.5_f64.powi(2) - 30.75 * 30.75 - 4.0 * 81.0), mass(&sheet, &sheet.bounds()).area);
    assert!((0.85..1.0).contains(&(spanned / whole)), "{spanned} of {whole}");
    assert!(sheet.triangles.keys().all(|f| sheet.area_vector(f)[2] > 0.0));
    let noisy =
        Scan { stations: vec![[0.0, 400.0, 700.0], [500.0, -300.0, 200.0]], noise: 0.2, lost: 0.3, ..how.clone() };
    let (a, b) = (scan(&part, &noisy, &Watch::default()).unwrap(), scan(&part, &noisy, &Watch::default()).unwrap());
    assert_eq!(a, b);
    let mean: f64 = a.points.iter().zip(&a.normals).map(|(p, n)| dot(sub(*p, [0.0, 0.0, 10.0]), *n)).sum::<f64>()
        / a.points.len() as f64;
    assert!(mean > 0.0 && a.points.iter().all(|p| distance(*p, [0.0; 3]) < 90.0));
    let fewer = scan(&part, &Scan { lost: 0.65, ..noisy }, &Watch::default()).unwrap();
    assert!((fewer.points.len() as f64 / a.points.len() as f64 - 0.5).abs() < 0.05);
}
