//! Times the union of spheres, for comparisons between processes.

use hull_geometry::shapes::sphere;
use hull_geometry::{Mesh, Watch};
use hull_solids::combine::{Rule, combine};
use typed_index_collections::TiVec;
fn main() {
    let n: usize = std::env::args().nth(1).and_then(|s| s.parse().ok()).unwrap_or(2);
    let (u, v) = if n == 2 { (250, 200) } else { (60, 40) };
    let mut all = Mesh::default();
    let mut body = TiVec::new();
    for i in 0..n {
        let mut s = sphere(1.0, u, v);
        let a = i as f64 * 2.399963;
        let r = (i as f64).sqrt() * 0.5;
        hull_geometry::transform::translate(&mut s, [r * a.cos(), r * a.sin(), 0.1 * (i as f64 * 0.7).sin()]);
        all.append(&s);
        body.resize(all.triangles.len(), i as u32);
    }
    for _ in 0..3 {
        let t = std::time::Instant::now();
        let c = combine(&all, &body, Rule::Unite, &Watch::default()).unwrap();
        println!(
            "{} facets in {:.3} s: {} out, {} meetings, again {}",
            all.triangles.len(),
            t.elapsed().as_secs_f64(),
            c.rebuilt.mesh.triangles.len(),
            c.meetings,
            c.again
        );
    }
}
