//! Facets as records: tessellated (AP242) or as planar faces with poly loops (ISO 10303-512).

use super::geometry::{placement, point};
use super::lines::{Lines, list, refs, text, triple};
use hull_exact::Frame;
use hull_exact::model::Tessellated;
use hull_geometry::join::join_equal_points;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{cross, sub};
use hull_geometry::{Cancelled, Mesh, Watch};

/// One part's facets on common points, and how many belong to each of its pieces.
fn together(pieces: &[Tessellated], watch: &Watch) -> Result<(Mesh, Vec<usize>, bool), Cancelled> {
    let mut mesh = Mesh::default();
    for t in pieces {
        mesh.append(&t.mesh);
    }
    join_equal_points(&mut mesh);
    let closed = Topology::of(&mesh, watch)?.is_closed();
    Ok((mesh, pieces.iter().map(|t| t.mesh.triangles.len()).collect(), closed))
}

/// The whole as one record, and that of each piece.
pub fn tessellated(
    lines: &mut Lines,
    name: &str,
    pieces: &[Tessellated],
    watch: &Watch,
) -> Result<(usize, Vec<usize>), Cancelled> {
    let (mesh, counts, closed) = together(pieces, watch)?;
    let n = mesh.points.len();
    let points = list(mesh.points.iter().map(|p| triple(*p)));
    let coordinates = lines.add(format_args!("COORDINATES_LIST('',{n},{points})"));
    let mut at = 0;
    let mut faces = Vec::with_capacity(pieces.len());
    for (t, count) in pieces.iter().zip(counts) {
        let triangles = list(mesh.triangles.raw[at..at + count].iter().map(|t| list(t.map(|v| (v.0 + 1).to_string()))));
        at += count;
        faces.push(
            lines.add(format_args!("TRIANGULATED_FACE({},#{coordinates},{n},(),$,(),{triangles})", text(&t.name))),
        );
    }
    let kind = if closed { "TESSELLATED_SOLID" } else { "TESSELLATED_SHELL" };
    let whole = lines.add(format_args!("{kind}({},{},$)", text(name), refs(faces.iter().copied())));
    Ok((whole, faces))
}

/// The whole as a faceted solid, or as an open shell where it is not closed; facets without area have no plane and
/// are left out, with their number.
pub fn faceted(
    lines: &mut Lines,
    name: &str,
    pieces: &[Tessellated],
    watch: &Watch,
) -> Result<(usize, usize), Cancelled> {
    let (mesh, counts, closed) = together(pieces, watch)?;
    let points: Vec<usize> = mesh.points.iter().map(|p| point(lines, *p)).collect();
    let names = pieces.iter().zip(counts).flat_map(|(t, n)| std::iter::repeat_n(text(&t.name), n));
    let mut faces = Vec::with_capacity(mesh.triangles.len());
    for (t, name) in mesh.triangles.iter().zip(names) {
        let [a, b, c] = t.map(|v| mesh.points[v]);
        let normal = cross(sub(b, a), sub(c, a));
        if normal == [0.0; 3] {
            continue;
        }
        let at = placement(lines, &Frame::new(a, normal, Some(sub(b, a))));
        let plane = lines.add(format_args!("PLANE('',#{at})"));
        let run = lines.add(format_args!("POLY_LOOP('',{})", refs(t.map(|v| points[usize::from(v)]))));
        let bound = lines.add(format_args!("FACE_OUTER_BOUND('',#{run},.T.)"));
        faces.push(lines.add(format_args!("FACE_SURFACE({name},(#{bound}),#{plane},.T.)")));
    }
    let left_out = mesh.triangles.len() - faces.len();
    let closed = closed && left_out == 0;
    let kind = if closed { "CLOSED_SHELL" } else { "OPEN_SHELL" };
    let shell = lines.add(format_args!("{kind}('',{})", refs(faces)));
    let whole = match closed {
        true => lines.add(format_args!("FACETED_BREP({},#{shell})", text(name))),
        false => lines.add(format_args!("SHELL_BASED_SURFACE_MODEL({},(#{shell}))", text(name))),
    };
    Ok((whole, left_out))
}
