//! Trimmed surfaces (144), each with bounds (142) in its parameters and in space.

use super::records::{Entry, Records, int};
use super::{File, geometry};
use hull_exact::parameter_loops::{Sampled, parameter_box};
use hull_exact::pcurve::{self, Side};
use hull_exact::sample;
use hull_exact::shape::{Colour, EdgeId, Face, FaceId, Shape};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// The faces of a part.
pub fn part(file: &mut File, shape: &Shape, colour: Option<Colour>, dependent: bool) -> Vec<i64> {
    let samples = sample::evenly(shape, 16);
    let mut colours: TiVec<FaceId, Option<Colour>> = ti_vec![colour; shape.faces.len()];
    for lump in &shape.lumps {
        for (f, _) in std::iter::once(&lump.outer).chain(&lump.voids).flat_map(|s| &s.faces) {
            colours[*f] = lump.colour.or(colour);
        }
    }
    let mut out = Vec::new();
    for (i, face) in shape.faces.iter_enumerated() {
        match trimmed(file, shape, face, &samples, face.colour.or(colours[i]), dependent) {
            Some(id) => out.push(id),
            None => file.left_out.faces += 1,
        }
    }
    out
}

/// 144, the outer bound first.
fn trimmed(
    file: &mut File,
    shape: &Shape,
    face: &Face,
    samples: &TiSlice<EdgeId, Sampled>,
    colour: Option<Colour>,
    dependent: bool,
) -> Option<i64> {
    let needed = parameter_box(shape, face, samples)?;
    let surface = &shape.surfaces[face.surface];
    let (id, written) = geometry::spline_surface_over(&mut file.records, surface, needed)?;
    let bounds = pcurve::bounds_on(&written, shape, face, samples);
    // Where the curves in space do not tell the face, those in the parameters count.
    let preferred = if bounds.needs_parameters { 1 } else { 2 };
    let records = &mut file.records;
    let bounds: Vec<i64> = bounds.loops.iter().map(|l| bound(records, l, id, preferred)).collect::<Option<_>>()?;
    let (outer, inner) = bounds.split_first()?;
    let colour = colour.map_or(0, |c| -file.colour(c));
    let level = file.level(face.layer.as_deref());
    let entry = Entry { kind: 144, colour, level, dependent, label: face.name.clone(), ..Entry::default() };
    let mut parameters = vec![int(id), int(1), int(inner.len() as i64), int(*outer)];
    parameters.extend(inner.iter().map(|b| int(*b)));
    if !face.name.is_empty() {
        parameters.extend(file.name_property(&face.name));
    }
    Some(file.records.add(&entry, parameters))
}

/// 142: a closed run of curves on a surface.
fn bound(records: &mut Records, sides: &[Side], surface: i64, preferred: i64) -> Option<i64> {
    let mut plane = Vec::with_capacity(sides.len());
    let mut space = Vec::with_capacity(sides.len());
    for side in sides {
        if let Some(piece) = &side.plane {
            plane.push(geometry::plane_curve(records, piece)?);
        }
        if let Some(piece) = &side.space {
            space.push(geometry::curve(records, piece)?);
        }
    }
    let plane = run(records, &plane, true);
    let space = run(records, &space, false);
    let entry = Entry { kind: 142, dependent: true, ..Entry::default() };
    // Made in no particular way.
    Some(records.add(&entry, [0, surface, plane, space, preferred].map(int)))
}

/// Curves that follow each other as one (102); zero for none.
fn run(records: &mut Records, curves: &[i64], in_parameters: bool) -> i64 {
    if let [] | [_] = curves {
        return curves.first().copied().unwrap_or(0);
    }
    let entry = Entry { kind: 102, dependent: true, in_parameters, ..Entry::default() };
    let all = std::iter::once(curves.len() as i64).chain(curves.iter().copied());
    records.add(&entry, all.map(int))
}
