use hull_exact::{facet, fineness::Fineness, lift::Reader, quadrature};
use hull_geometry::Watch;
fn main() {
    for path in std::env::args().skip(1) {
        let bytes = std::fs::read(&path).unwrap();
        let t = std::time::Instant::now();
        let d = if path.ends_with("step") {
            hull_formats::step::read(&path, &bytes, &Watch::default())
        } else {
            hull_formats::iges::read(&path, &bytes, &Watch::default())
        }
        .unwrap();
        println!("{path} read {:?}", t.elapsed());
        for (_, p) in d.model.occurrences() {
            let t = std::time::Instant::now();
            quadrature::figures(&p.shape, Reader::Trusting);
            println!("  quad {:?}", t.elapsed());
            for (deviation, angle) in [(0.1, 10.0), (0.02, 5.0)] {
                let t = std::time::Instant::now();
                let l: Vec<_> = p.shape.surfaces.iter().map(hull_exact::locate::Locator::new).collect();
                let f =
                    Fineness { deviation, angle, largest: None, smallest: None, even: std::env::var("EVEN").is_ok() };
                let s = hull_exact::sample::edges(&p.shape, &l, &f, &vec![1; p.shape.edges.len()]);
                println!("  sample {:?} {}", t.elapsed(), s.iter().map(|s| s.p.len()).sum::<usize>());
                let t = std::time::Instant::now();
                let m = facet::facet(&p.shape, &f, Reader::Trusting, &Watch::default()).unwrap();
                println!("  facet {:?} {} dev {}", t.elapsed(), m.mesh.triangles.len(), m.deviation);
            }
        }
    }
}
