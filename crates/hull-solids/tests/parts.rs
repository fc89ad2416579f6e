//! What stands below combined bodies, each alone, against plain counting: facets cut along their meetings keep their area and
//! meet in whole sides only; cells have the windings and volumes of a grid's cells, counted.

use hull_geometry::crossings::crossings;
use hull_geometry::dirt::Dice;
use hull_geometry::shapes::cuboid;
use hull_geometry::vector::{area_vector, dot, norm};
use hull_geometry::{FacetId, Mesh, Watch};
use hull_solids::arrangement::Arrangement;
use hull_solids::cells::Cells;
use hull_solids::handles::BodyId;
use std::collections::BTreeMap;

/// Facets of any kind: some share corners, some lie in one plane, many run through others.
fn soup(seed: u64, facets: usize) -> Mesh {
    let mut dice = Dice(seed);
    // A coarse grid, so that corners, sides and planes are shared by chance.
    let mut coordinate = || (dice.roll() % 6) as f64;
    let mut mesh = Mesh::default();
    while mesh.triangles.len() < facets {
        let corners = [0; 3].map(|_| [coordinate(), coordinate(), coordinate()]);
        if norm(area_vector(corners[0], corners[1], corners[2])) > 0.0 {
            mesh.push_loose(corners);
        }
    }
    mesh
}

#[test]
fn cut_facets_keep_their_area_and_meet_in_whole_sides() {
    for seed in 0..60 {
        let mesh = soup(seed, 4 + seed as usize % 12);
        let a = Arrangement::of(&mesh, &Watch::default()).expect("not cancelled");
        let places = a.places.iter().map(|p| p.near).collect();
        let cut = Mesh::from_arrays(places, a.faces.iter().map(|t| t.map(|p| p.0)).collect());
        // By plain sums: the faces of each facet of the input have its area, and lie in its plane.
        let mut areas = vec![0.0; mesh.triangles.len()];
        for f in a.faces.keys() {
            for source in a.sources(f) {
                let own = mesh.area_vector(FacetId(source.facet.0));
                let way = if source.same_way { 1.0 } else { -1.0 };
                areas[usize::from(source.facet)] += way * dot(cut.area_vector(FacetId(f.0)), own) / norm(own);
            }
        }
        for (f, area) in areas.iter().enumerate() {
            let whole = norm(mesh.area_vector(FacetId::from(f)));
            assert!((area - whole).abs() <= 1e-9 * whole, "seed {seed}, facet {f}: {area} of {whole}");
        }
        // Places between doubles are rounded here, so what meets may cross by that; nothing runs through by more.
        for c in crossings(&cut, &Watch::default()).expect("not cancelled") {
            let depth = c.facets.map(|f| {
                let other = c.facets[usize::from(f == c.facets[0])];
                let normal = cut.area_vector(other);
                let from = cut.corners(other)[0];
                let heights = cut.corners(f).map(|p| dot(normal, [0, 1, 2].map(|k| p[k] - from[k])) / norm(normal));
                heights.iter().fold(0.0_f64, |m, h| m.max(*h)).min(heights.iter().fold(0.0_f64, |m, h| m.max(-h)))
            });
            assert!(depth[0].min(depth[1]) < 1e-12, "seed {seed}: {:?} cross by {depth:?}", c.facets);
        }
    }
}

#[test]
fn cells_have_the_windings_and_volumes_that_counting_gives() {
    for seed in 0..80 {
        let mut dice = Dice(seed);
        let bodies = 2 + seed as usize % 3;
        let (mut mesh, mut body_of, mut boxes) = (Mesh::default(), Vec::new(), Vec::new());
        for body in 0..bodies {
            let at = [0; 3].map(|_| (dice.roll() % 5) as i32);
            let size = [0; 3].map(|_| 1 + (dice.roll() % 4) as i32);
            let mut b = cuboid([1.0; 3]);
            b.points.iter_mut().for_each(|p| *p = [0, 1, 2].map(|k| f64::from(at[k] + p[k] as i32 * size[k])));
            // Some are turned inside out: they wind the other way.
            let inside_out = dice.roll().is_multiple_of(4);
            if inside_out {
                b.triangles.iter_mut().for_each(|t| t.swap(1, 2));
            }
            mesh.append(&b);
            body_of.resize(mesh.triangles.len(), body as u32);
            boxes.push((at, size, if inside_out { -1 } else { 1 }));
        }
        // Volume by windings, counted cell by cell of the grid.
        let mut counted: BTreeMap<Vec<i32>, f64> = BTreeMap::new();
        for i in 0..1000 {
            let c = [i % 10, i / 10 % 10, i / 100];
            let winding = |(at, size, way): &([i32; 3], [i32; 3], i32)| {
                if (0..3).all(|k| c[k] >= at[k] && c[k] < at[k] + size[k]) { *way } else { 0 }
            };
            *counted.entry(boxes.iter().map(winding).collect()).or_default() += 1.0;
        }
        counted.remove(&vec![0; bodies]);
        let a = Arrangement::of(&mesh, &Watch::default()).expect("not cancelled");
        let cells =
            Cells::of(&a, &|f| BodyId(body_of[usize::from(f)]), bodies, &Watch::default()).expect("not cancelled");
        assert_eq!(cells.torn, 0, "seed {seed}");
        let mut found: BTreeMap<Vec<i32>, f64> = BTreeMap::new();
        for (f, t) in a.faces.iter_enumerated() {
            let [p, q, r] = t.map(|p| a.places[p].near);
            // Six times what lies between the face and the origin.
            let volume = dot(area_vector(p, q, r), p) / 6.0;
            let [front, back] = cells.of_face(f);
            for (cell, v) in [(front, -volume), (back, volume)] {
                *found.entry(cells.windings(cell).to_vec()).or_default() += v;
            }
        }
        found.remove(&vec![0; bodies]);
        assert_eq!(found.keys().collect::<Vec<_>>(), counted.keys().collect::<Vec<_>>(), "seed {seed}");
        for (windings, volume) in &counted {
            assert!(
                (found[windings] - volume).abs() < 1e-9,
                "seed {seed}: {windings:?}: {} for {volume}",
                found[windings]
            );
        }
    }
}
