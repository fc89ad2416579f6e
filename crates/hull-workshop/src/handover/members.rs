//! Members of a frame as exact solids, for a STEP file.

use super::NamedFile;
use crate::comparison::{Comparison, HandoverError};
use crate::numbers::long;
use hull_exact::model::{Model, Node, Part, PartId};
use hull_exact::parameter_loops::Reader;
use hull_exact::prism::{Outline, prism};
use hull_exact::{Motion, frame::Frame as Placed};
use hull_formats::Content;
use hull_formats::step::{self, Schema};
use hull_frames::Frame;
use hull_frames::shape::Shape;
use hull_geometry::{Unit, Watch};
use hull_stock::outlines::{hollow, rolled};
use std::collections::HashMap;

/// Frames of more members do not become exact solids.
pub const MOST: usize = 2_000;

/// Members as solids in mm: one part for each section in one length, placed wherever it stands, so that an assembly of many
/// alike stays small. Tubes and rods, and the roots and corners of rolled and hollow sections, are cylinders.
pub fn solids(frame: &Frame) -> Model {
    let mut model = Model::default();
    let mut known: HashMap<(u32, u64), PartId> = HashMap::new();
    if frame.members.len() > MOST {
        return model;
    }
    for (i, member) in frame.members.iter().enumerate() {
        let (Some(number), length) = (member.section, frame.length(member)) else { continue };
        let Some(section) = frame.sections.get(number as usize).filter(|_| length > 0.0) else { continue };
        let Ok((_, shape)) = Shape::named(&section.name) else { continue };
        // Lengths within a millionth of a millimetre are one.
        let part = *known.entry((number, (length * 1e6).round() as u64)).or_insert_with(|| {
            let (name, shape) = (format!("{}, {} long", section.name, long(length)), pushed(&shape, length));
            model.parts.push_and_get_key(Part { name, shape, tessellated: Vec::new() })
        });
        let [x, y, z] = frame.axes(member);
        let placement = Motion { frame: Placed { origin: frame.places(member)[0], x: y, y: z, z: x }, scale: 1.0 };
        let name = format!("member {}", i + 1);
        if model.nodes.is_empty() {
            let (name, placement) = ("frame".into(), Motion::NONE);
            model.nodes.push(Node { name, parent: None, part: None, placement, colour: None });
        }
        model.nodes.push(Node { name, parent: model.nodes.first_key(), part: Some(part), placement, colour: None });
    }
    model
}

fn pushed(shape: &Shape, length: f64) -> hull_exact::Shape {
    let round = |d: f64| Outline::circle(0.5 * d);
    // Along the axes of its dimensions.
    let upright = shape.principal().1.abs() < 1e-9;
    match *shape {
        Shape::Tube { d, t } => prism(&Placed::WORLD, &round(d), &[round(d - 2.0 * t)], length),
        Shape::Round { d } => prism(&Placed::WORLD, &round(d), &[], length),
        Shape::Rolled { h, b, web, flange, root } if upright => {
            prism(&Placed::WORLD, &rolled([h, b, web, flange, root]), &[], length)
        }
        Shape::Hollow { h, b, t } if upright => {
            let [outer, inner] = hollow([h, b, t]);
            prism(&Placed::WORLD, &outer, &[inner], length)
        }
        _ => {
            let mut loops = shape.loops().into_iter().map(Outline::polygon);
            let Some(outer) = loops.next() else { return hull_exact::Shape::default() };
            prism(&Placed::WORLD, &outer, &loops.collect::<Vec<_>>(), length)
        }
    }
}

/// The STEP file of a frame's members in `unit`, and how it reads back; nothing where there are none.
///
/// # Errors
/// [`HandoverError`], if it cannot be read back.
pub fn written(
    stem: &str,
    frame: &Frame,
    unit: Unit,
    watch: &Watch,
) -> Result<Option<(NamedFile, Vec<Comparison>)>, HandoverError> {
    let model = solids(frame);
    if model.nodes.is_empty() {
        return Ok(None);
    }
    let factor = 1.0 / unit.millimetres();
    let name = format!("{stem}-solids.step");
    let written = step::write(stem, &model, &Motion::scaling(factor), unit, Schema::Ap214, watch);
    let bytes = written.map_err(|c| HandoverError::Different(c.to_string()))?.bytes;
    let read = hull_formats::open(&name, &bytes, watch).map_err(|e| HandoverError::Different(e.to_string()))?;
    let Content::Exact(design) = read else {
        return Err(HandoverError::Different(format!("{name}: solids came back as something else")));
    };
    let back = design.model;
    let volume = |m: &Model, scale: f64| m.figures(Reader::Trusting).volume * scale.powi(3);
    let (sent, read) = (volume(&model, factor), volume(&back, 1.0));
    let same = (sent - read).abs() <= 1e-9 * sent.abs();
    let solids = |m: &Model| m.occurrences().map(|(_, p)| p.shape.solids().count()).sum::<usize>();
    let rows = vec![
        Comparison::number(&format!("solids in {name}"), solids(&model), solids(&back)),
        Comparison::told(&format!("volume in {name}"), long(sent), long(read), same),
    ];
    Ok(Some(((name, bytes), rows)))
}
