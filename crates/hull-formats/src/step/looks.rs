//! STEP presentation: colours and layers (ISO 10303-46).

use super::geometry::Geometry;
use super::part21::{Entity, Value};
use super::topology::Looks;
use hull_exact::shape::{Colour, colour};

/// Colours and layers of items; `all` lists the entities of a kind.
pub fn read(geometry: &Geometry, all: impl Fn(&str) -> Vec<u64>) -> Looks {
    let mut looks = Looks::default();
    // Later kinds override earlier ones.
    for kind in ["STYLED_ITEM", "OVER_RIDING_STYLED_ITEM", "CONTEXT_DEPENDENT_OVER_RIDING_STYLED_ITEM"] {
        for id in all(kind) {
            let Some(e) = geometry.entity(id) else { continue };
            let base = e.part("STYLED_ITEM");
            let list = e.parts.iter().flat_map(|(_, p)| p).find_map(Value::list);
            let styles: Vec<Value> = list.unwrap_or(&[]).to_vec();
            let item = match base {
                Some(p) if e.parts.len() > 1 => p.get(1),
                _ => e.get(2),
            };
            let Some(item) = item.and_then(Value::reference) else { continue };
            let found = styles.iter().find_map(|s| find_colour(geometry, s.reference()?, 0));
            let Some(c) = found else { continue };
            match place_of(geometry, &e).filter(|_| kind.starts_with("CONTEXT") && !is_face(geometry, item)) {
                Some(place) => {
                    let over_own = looks.colours.contains_key(&item);
                    let known = looks.places.entry(place).or_insert((c, false));
                    known.1 |= over_own;
                }
                None => {
                    looks.colours.insert(item, c);
                }
            }
        }
    }
    for id in all("PRESENTATION_LAYER_ASSIGNMENT") {
        let Some(e) = geometry.entity(id) else { continue };
        let Some(name) = e.get(0).and_then(Value::text) else { continue };
        for item in e.get(2).and_then(Value::list).unwrap_or(&[]) {
            if let Some(item) = item.reference() {
                looks.layers.insert(item, name.clone().into_owned());
            }
        }
    }
    looks
}

/// The relation or usage in whose context an overriding style holds: one place of a part, not the part.
fn place_of(geometry: &Geometry, e: &Entity) -> Option<u64> {
    let context = e.parts.iter().rev().find_map(|(_, p)| p.last()?.list())?;
    let is_place = |id: &u64| {
        geometry.entity(*id).is_some_and(|e| {
            e.is("CONTEXT_DEPENDENT_SHAPE_REPRESENTATION")
                || e.is("NEXT_ASSEMBLY_USAGE_OCCURRENCE")
                || e.parts.iter().any(|(n, _)| n.to_ascii_uppercase().contains("REPRESENTATION_RELATIONSHIP"))
        })
    };
    context.iter().filter_map(Value::reference).find(is_place)
}

fn is_face(geometry: &Geometry, item: u64) -> bool {
    geometry.entity(item).is_some_and(|e| e.is("ADVANCED_FACE") || e.is("FACE_SURFACE"))
}

/// The first colour that a style leads to; of several the surface's before the curve's.
fn find_colour(geometry: &Geometry, id: u64, depth: usize) -> Option<Colour> {
    if depth > 12 {
        return None;
    }
    let e = geometry.entity(id)?;
    if let Some(p) = e.part("COLOUR_RGB") {
        let n = |i: usize| p.get(i).and_then(Value::number);
        // Complex: only the three numbers.
        let from = if e.parts.len() > 1 { 0 } else { 1 };
        return Some(colour([n(from)?, n(from + 1)?, n(from + 2)?]));
    }
    if e.is("DRAUGHTING_PRE_DEFINED_COLOUR") || e.is("PRE_DEFINED_COLOUR") {
        let name = e.parts.iter().flat_map(|(_, p)| p).find_map(Value::text)?;
        return named_colour(&name);
    }
    let mut inside: Vec<u64> = e.parts.iter().flat_map(|(_, p)| p).flat_map(references).collect();
    inside.sort_by_key(|i| {
        let name = geometry.file.entity(*i).and_then(Result::ok).map_or("", |e| e.name());
        !(name.contains("SURFACE") || name.contains("FILL"))
    });
    inside.into_iter().take(32).find_map(|i| find_colour(geometry, i, depth + 1))
}

fn references(v: &Value) -> Vec<u64> {
    match v {
        Value::Ref(id) => vec![*id],
        Value::List(items) | Value::Typed(_, items) => items.iter().flat_map(references).collect(),
        _ => Vec::new(),
    }
}

/// The pre-defined colours of ISO 10303-46.
fn named_colour(name: &str) -> Option<Colour> {
    Some(match name.to_ascii_lowercase().as_str() {
        "red" => [1.0, 0.0, 0.0],
        "green" => [0.0, 1.0, 0.0],
        "blue" => [0.0, 0.0, 1.0],
        "yellow" => [1.0, 1.0, 0.0],
        "magenta" => [1.0, 0.0, 1.0],
        "cyan" => [0.0, 1.0, 1.0],
        "black" => [0.0, 0.0, 0.0],
        "white" => [1.0, 1.0, 1.0],
        _ => return None,
    })
}
