//! A small picture of a body as SVG: facets from far to near, lit from the upper left.

use crate::Body;
use hull_geometry::NONE;
use hull_geometry::mesh::Bounds;
use hull_geometry::reduce::reduced;
use hull_geometry::vector::{add, dot, scale, unit};
use std::fmt::Write;

/// Boundary colours in order; the view and the sheet use the same.
pub const PALETTE: [[u8; 3]; 6] = [
    [0x54, 0x94, 0x9C],
    [0xCD, 0x9E, 0x54],
    [0xD6, 0xD0, 0xC0],
    [0xB0, 0x7A, 0x8C],
    [0x7E, 0x8E, 0x62],
    [0x6F, 0x7F, 0xA8],
];
const UNNAMED: [u8; 3] = [0xE4, 0xDF, 0xD2];
const FACETS: usize = 5000;

/// An SVG of `width` by `height`, seen from the front left and above.
pub fn picture(body: &Body, width: f64, height: f64) -> String {
    let small = reduced(&body.mesh, FACETS);
    let (right, up, toward) = ([0.82, 0.57, 0.0], [-0.26, 0.37, 0.89], [0.51, -0.73, 0.45]);
    let flat: Vec<[f64; 3]> = small.mesh.points.iter().map(|&p| [dot(p, right), -dot(p, up), dot(p, toward)]).collect();
    let bounds = Bounds::of(small.mesh.triangles.iter().flatten().map(|&p| flat[p as usize]));
    let size = bounds.size();
    let factor = (width / size[0].max(1e-12)).min(height / size[1].max(1e-12)) * 0.9;
    let centre = bounds.centre();
    let place = |p: u32| {
        let q = flat[p as usize];
        [(q[0] - centre[0]) * factor + width / 2.0, (q[1] - centre[1]) * factor + height / 2.0]
    };
    let light = unit(add(add(scale(right, -0.4), scale(up, 0.7)), scale(toward, 0.9))).unwrap_or([0.0, 0.0, 1.0]);
    let mut order: Vec<(f64, usize)> = small
        .mesh
        .triangles
        .iter()
        .enumerate()
        .map(|(i, t)| (t.iter().map(|&p| flat[p as usize][2]).sum(), i))
        .collect();
    order.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    let mut svg = format!("<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width} {height}\" role=\"img\">");
    for (_, i) in order {
        let Some(normal) = unit(small.mesh.area_vector(i as u32)) else { continue };
        let boundary = body.boundary_of.get(small.origin[i] as usize).copied().unwrap_or(NONE);
        let base = if boundary == NONE { UNNAMED } else { PALETTE[boundary as usize % PALETTE.len()] };
        let shade = 0.55 + 0.45 * dot(normal, light).abs();
        let [r, g, b] = base.map(|c| (f64::from(c) * shade) as u8);
        let colour = format!("#{r:02x}{g:02x}{b:02x}");
        let [p, q, s] = small.mesh.triangles[i].map(place);
        // Writing to a string cannot fail.
        let _ = write!(
            svg,
            "<path d=\"M{:.1} {:.1}L{:.1} {:.1}L{:.1} {:.1}Z\" fill=\"{colour}\" stroke=\"{colour}\" stroke-width=\".5\"/>",
            p[0], p[1], q[0], q[1], s[0], s[1]
        );
    }
    svg.push_str("</svg>");
    svg
}
