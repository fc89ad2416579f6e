//! What a STEP file says of its products beside their geometry: validation properties, and how many annotations it has.
//!
//! Validation properties hang on the product or its shape (ISO 10303-41, property_definition); the names of their items
//! are common practice of those who exchange files (from memory).

use super::geometry::Geometry;
use super::part21::{Entity, Names, Value};
use super::units::{self, derived_factor};
use hull_geometry::Point;
use std::collections::BTreeMap;

/// Volume in cubic metres, area in square metres, centroid in metres, as a file states them of one product.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Stated {
    pub volume: Option<f64>,
    pub area: Option<f64>,
    pub centroid: Option<Point>,
}

/// What is stated of each product definition, and of each aspect of its shape, as single solids of it are.
pub type OfProducts = BTreeMap<u64, (Stated, BTreeMap<u64, Stated>)>;

/// What is stated of products. `metres`: the file's length unit, for figures that name none.
pub fn of_products(geometry: &Geometry, representations: &[u64], metres: f64) -> OfProducts {
    let mut out = OfProducts::new();
    for &id in representations {
        let Some(e) = geometry.entity(id) else { continue };
        let (Some(property), Some(used)) = (geometry.dereference(e.get(0)), geometry.dereference(e.get(1))) else {
            continue;
        };
        let Some((definition, aspect)) = product_of(geometry, &property) else { continue };
        let items: Vec<Entity> =
            super::structure::items(&used).into_iter().filter_map(|i| geometry.entity(i)).collect();
        for item in items {
            let (whole, aspects) = out.entry(definition).or_default();
            let stated = aspect.map_or(whole, |a| aspects.entry(a).or_default());
            take(geometry, &item, &used, metres, stated);
        }
    }
    for (_, aspects) in out.values_mut() {
        aspects.retain(|_, s| *s != Stated::default());
    }
    out.retain(|_, (whole, aspects)| *whole != Stated::default() || !aspects.is_empty());
    out
}

/// The product definition that a property is of, with the aspect of its shape if it is of one; `None` if it is of a place.
fn product_of(geometry: &Geometry, property: &Entity) -> Option<(u64, Option<u64>)> {
    let mut target = geometry.dereference(property.get(2))?;
    let aspect = target.is("SHAPE_ASPECT").then_some(target.id);
    if aspect.is_some() {
        target = geometry.dereference(target.get(2))?;
    }
    let of = if target.is("PRODUCT_DEFINITION_SHAPE") { geometry.dereference(target.get(2))? } else { target };
    of.parts.iter().any(|(name, _)| name.starts_with("PRODUCT_DEFINITION")).then_some((of.id, aspect))
}

impl Stated {
    /// Of all solids of a product together, where every one of them is stated.
    pub fn sum<'a>(solids: impl ExactSizeIterator<Item = &'a Stated> + Clone, of: usize) -> Stated {
        if solids.len() != of {
            return Stated::default();
        }
        let volume = solids.clone().map(|s| s.volume).sum::<Option<f64>>();
        let moment = |k: usize| solids.clone().map(|s| Some(s.volume? * s.centroid?[k])).sum::<Option<f64>>();
        let centroid = || Some([moment(0)?, moment(1)?, moment(2)?].map(|m| m / volume.unwrap_or(1.0)));
        Stated { volume, area: solids.clone().map(|s| s.area).sum(), centroid: volume.and_then(|_| centroid()) }
    }
}

fn take(geometry: &Geometry, item: &Entity, used: &Entity, metres: f64, stated: &mut Stated) {
    if item.is("CARTESIAN_POINT") {
        let context = used.parts.iter().flat_map(|(_, p)| p.last()).find_map(Value::reference);
        let own = context.and_then(|c| geometry.entity(c)).and_then(|c| units::of_context(geometry, &c).length);
        let scale = own.map_or(metres, |l| l.millimetres * 1e-3);
        let point = geometry.point(Some(&Value::Ref(item.id)));
        stated.centroid = stated.centroid.or(point.map(|p| p.map(|x| x * scale)));
        return;
    }
    let values = || item.parts.iter().flat_map(|(_, p)| p);
    let Some((kind, value)) = values().find_map(|v| match v {
        Value::Typed(kind, _) => Some((kind.to_ascii_uppercase(), v.number()?)),
        _ => None,
    }) else {
        return;
    };
    let unit = values().find_map(Value::reference).and_then(|u| geometry.entity(u));
    let scale = |power: i32| unit.as_ref().and_then(|u| derived_factor(geometry, u)).unwrap_or(metres.powi(power));
    match kind.as_str() {
        "VOLUME_MEASURE" | "POSITIVE_VOLUME_MEASURE" => stated.volume = stated.volume.or(Some(value * scale(3))),
        "AREA_MEASURE" | "POSITIVE_AREA_MEASURE" => stated.area = stated.area.or(Some(value * scale(2))),
        _ => {}
    }
}

/// What an entity says to people about the shape instead of being shape, if that is what it does.
pub fn annotation(names: &Names) -> Option<&'static str> {
    let any = |test: &dyn Fn(&str) -> bool| match names {
        Names::One(n) => test(n),
        Names::Several(all) => all.iter().any(|n| test(n)),
    };
    let of = |wanted: &str| any(&|n| n.eq_ignore_ascii_case(wanted));
    // Half of all entities are points and directions.
    if any(&|n| n.len() < 5 || n.starts_with("CARTESIAN") || n.starts_with("DIRECTION")) {
        return None;
    }
    if any(&|n| n.ends_with("_TOLERANCE") && !n.starts_with("PLUS_MINUS")) {
        return Some("geometric tolerances");
    }
    if ["DIMENSIONAL_SIZE", "DIMENSIONAL_LOCATION", "ANGULAR_SIZE", "ANGULAR_LOCATION"].into_iter().any(of) {
        return Some("dimensions");
    }
    if of("DATUM") {
        return Some("datums");
    }
    if of("DRAUGHTING_CALLOUT") { Some("annotations") } else { None }
}
