//! Shells from faces that hang together: closed ones are solids, those within others cavities.

use crate::fineness::Fineness;
use crate::join_report::JoinReport;
use crate::parameter_loops::Reader;
use crate::shape::{FaceId, Lump, Shape, Shell};
use crate::{facet, quadrature};
use hull_geometry::vector::solid_angle;
use hull_geometry::{Cancelled, Point, Watch, mesh::Bounds};
use std::collections::HashMap;
use typed_index_collections::{TiVec, ti_vec};

/// Shells from faces that hang together; closed ones outward as solids, those within others as cavities.
pub(crate) fn recognise(shape: &mut Shape, report: &mut JoinReport, watch: &Watch) -> Result<(), Cancelled> {
    let near = shape.faces_of_edges();
    let mut reached: TiVec<FaceId, bool> = ti_vec![false; shape.faces.len()];
    let mut shells: Vec<Vec<FaceId>> = Vec::new();
    for start in shape.faces.keys() {
        if std::mem::replace(&mut reached[start], true) {
            continue;
        }
        let mut list = vec![start];
        let mut own = Vec::new();
        while let Some(f) = list.pop() {
            own.push(f);
            for u in shape.faces[f].loops.iter().flat_map(|l| &l.uses) {
                for &(g, _) in &near[u.edge] {
                    if !std::mem::replace(&mut reached[g], true) {
                        list.push(g);
                    }
                }
            }
        }
        own.sort_unstable();
        shells.push(own);
    }
    let closed: Vec<bool> = shells
        .iter()
        .map(|faces| {
            faces.iter().all(|&f| {
                let uses = shape.faces[f].loops.iter().flat_map(|l| &l.uses);
                uses.into_iter().all(|u| near[u.edge].len() == 2)
            })
        })
        .collect();
    // Names and colours of the lumps that the faces came from.
    let mut old: HashMap<FaceId, (String, Option<crate::shape::Colour>)> = HashMap::new();
    for lump in &shape.lumps {
        for (f, _) in std::iter::once(&lump.outer).chain(&lump.voids).flat_map(|s| &s.faces) {
            old.insert(*f, (lump.name.clone(), lump.colour));
        }
    }
    for (f, face) in shape.faces.iter_mut_enumerated() {
        let Some((name, colour)) = old.get(&f) else { continue };
        face.colour = face.colour.or(*colour);
        if face.name.is_empty() {
            face.name.clone_from(name);
        }
    }
    let (integrals, _) = quadrature::of_faces(shape, Reader::Rebuilding);
    watch.check()?;
    let mut lumps: Vec<(Lump, usize)> = Vec::new();
    let mut volumes = vec![0.0; shells.len()];
    for (i, faces) in shells.iter().enumerate() {
        let signed: f64 =
            faces.iter().map(|&f| integrals[f].volume * if shape.faces[f].same_sense { 1.0 } else { -1.0 }).sum();
        volumes[i] = signed;
        if closed[i] && signed < 0.0 {
            for &f in faces {
                shape.faces[f].turn();
            }
        }
    }
    let inside = nesting(shape, &shells, &closed, watch)?;
    // Of the shells around a cavity the innermost one holds it.
    let holder = |i: usize| inside[i].iter().copied().max_by_key(|&o| inside[o].len());
    let is_cavity = |i: usize| {
        closed[i] && inside[i].len() % 2 == 1 && holder(i).is_some_and(|o| closed[o] && inside[o].len() % 2 == 0)
    };
    let shell = |faces: &[FaceId]| Shell { faces: faces.iter().map(|&f| (f, true)).collect() };
    for (i, faces) in shells.iter().enumerate().filter(|(i, _)| !is_cavity(*i)) {
        let name = old.get(&faces[0]).map(|o| o.0.clone()).unwrap_or_default();
        report.solids += usize::from(closed[i]);
        report.open_shells += usize::from(!closed[i]);
        let outer = shell(faces);
        lumps.push((Lump { name, colour: None, closed: closed[i], outer, voids: Vec::new() }, i));
    }
    // Only now, as a cavity may come before the solid that it is in.
    for (i, faces) in shells.iter().enumerate().filter(|(i, _)| is_cavity(*i)) {
        faces.iter().for_each(|&f| shape.faces[f].turn());
        if let Some((lump, _)) = lumps.iter_mut().find(|(_, s)| Some(*s) == holder(i)) {
            lump.voids.push(shell(faces));
            report.cavities += 1;
        }
    }
    shape.lumps = lumps.into_iter().map(|(l, _)| l).collect();
    Ok(())
}

/// For each closed shell the closed shells around it.
fn nesting(
    shape: &Shape,
    shells: &[Vec<FaceId>],
    closed: &[bool],
    watch: &Watch,
) -> Result<Vec<Vec<usize>>, Cancelled> {
    let mut out = vec![Vec::new(); shells.len()];
    let solid: Vec<usize> = (0..shells.len()).filter(|&i| closed[i]).collect();
    if solid.len() < 2 {
        return Ok(out);
    }
    let coarse =
        Fineness { deviation: 0.01 * shape.rough_size(), angle: 30.0, largest: None, smallest: None, even: false };
    let facets = facet::facet_faces(shape, &coarse, Reader::Rebuilding, watch)?;
    let mut of_shell: HashMap<FaceId, usize> = HashMap::new();
    for &i in &solid {
        of_shell.extend(shells[i].iter().map(|&f| (f, i)));
    }
    let mut triangles: HashMap<usize, Vec<[Point; 3]>> = HashMap::new();
    for (t, f) in facets.face_of.iter_enumerated() {
        if let Some(&s) = of_shell.get(f) {
            triangles.entry(s).or_default().push(facets.mesh.corners(t));
        }
    }
    let bounds: HashMap<usize, Bounds> =
        triangles.iter().map(|(s, t)| (*s, Bounds::of(t.iter().flatten().copied()))).collect();
    for &i in &solid {
        let Some(p) = triangles.get(&i).and_then(|t| t.first()).map(|t| t[0]) else { continue };
        for &o in &solid {
            if o == i || !bounds.get(&o).zip(bounds.get(&i)).is_some_and(|(a, b)| a.contains(b)) {
                continue;
            }
            if winding(p, &triangles[&o]).abs() > 0.5 {
                out[i].push(o);
            }
        }
    }
    Ok(out)
}

/// How often a surface winds round a point.
fn winding(p: Point, triangles: &[[Point; 3]]) -> f64 {
    triangles.iter().map(|t| solid_angle(p, *t)).sum::<f64>() / (4.0 * std::f64::consts::PI)
}
