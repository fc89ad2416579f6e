use hull_exact::{facet, fineness::Fineness, lift::Reader, quadrature};
use hull_geometry::{Watch, measure, topology::Topology};
fn main() {
    let facts: serde_json::Value =
        serde_json::from_str(&std::fs::read_to_string("/work/shared/reference/facts.json").unwrap()).unwrap();
    for path in std::env::args().skip(1) {
        let bytes = std::fs::read(&path).unwrap();
        let key = path.trim_start_matches("/work/shared/reference/");
        let f = &facts[key];
        let d =
            if path.ends_with("step") { hull_formats::step::read(&path, &bytes, &Watch::default()) } else { panic!() };
        let d = match d {
            Ok(d) => d,
            Err(e) => {
                println!("{path}: {e}");
                continue;
            }
        };
        let mm = d.model.unit.as_ref().map_or(1.0, |u| u.millimetres);
        let (mut v, mut a, mut solids, mut faces) = (0.0, 0.0, 0, 0);
        for (_, p) in d.model.occurrences() {
            let q = quadrature::figures(&p.shape, Reader::Trusting);
            v += q.volume * mm.powi(3);
            a += q.area * mm * mm;
            solids += p.shape.solids().count();
            faces += p.shape.faces.len();
            if q.faces_in_doubt > 0 {
                println!("   doubts {}", q.faces_in_doubt);
            }
        }
        println!(
            "{key} {} {:?} solids {solids}/{} faces {faces}/{} dv {:.1e} da {:.1e} skipped {:?}",
            d.format,
            d.model.unit.as_ref().map(|u| &u.name),
            f["solids"],
            f["faces"],
            v / f["volume_mm3"].as_f64().unwrap_or(1.0) - 1.0,
            a / f["area_mm2"].as_f64().unwrap_or(1.0) - 1.0,
            d.skipped
        );
        for (dev, ang) in [(0.1, 10.0), (0.02, 5.0)] {
            let fine = Fineness {
                deviation: dev / mm,
                angle: ang,
                largest: None,
                smallest: None,
                even: std::env::var("LEAN").is_err(),
            };
            let (mut n, mut worst, mut vol) = (0, 0.0_f64, 0.0);
            let (mut least, mut open) = (180.0_f64, 0);
            let t = std::time::Instant::now();
            for (_, p) in d.model.occurrences() {
                let m = facet::facet(&p.shape, &fine, Reader::Trusting, &Watch::default()).unwrap();
                for (f, why) in &m.failed {
                    println!("   failed {f} {why}");
                }
                for (f, why) in &m.doubts {
                    println!("   doubt {f} {why}");
                }
                n += m.mesh.triangles.len();
                worst = worst.max(m.deviation * mm);
                let top = Topology::of(&m.mesh, &Watch::default()).unwrap();
                if !top.is_closed() {
                    open += 1;
                }
                let b = m.mesh.bounds();
                vol += measure::mass(&m.mesh, &b).volume * mm.powi(3);
                for (i, t) in m.mesh.triangles.iter().enumerate() {
                    if matches!(
                        p.shape.surfaces[p.shape.faces[m.face_of[i] as usize].surface as usize],
                        hull_exact::Surface::Plane(_)
                    ) {
                        continue;
                    }
                    let c = hull_exact::patch::sharpest(t.map(|x| m.mesh.points[x as usize]));
                    least = least.min(c.min(1.0).acos().to_degrees());
                }
            }
            println!(
                "   {dev} {ang}: {n} facets (ref {}) dev {worst:.4} open {open} dvol {:.1e} least {least:.1} {:?}",
                f["facets"][format!("{dev} mm, {ang} deg")],
                vol / f["volume_mm3"].as_f64().unwrap_or(1.0) - 1.0,
                t.elapsed()
            );
        }
    }
}
