//! STEP units: of lengths and angles, by prefix or by conversion, and uncertainties (ISO 10303-41).

use super::geometry::Geometry;
use super::part21::{Entity, Value};
use hull_exact::model::DeclaredUnit;

/// Units of a representation's context.
#[derive(Clone, Debug, PartialEq)]
pub struct Units {
    pub length: Option<DeclaredUnit>,
    /// Radians in one unit of angles.
    pub radians: f64,
    /// In the length unit.
    pub tolerance: f64,
}

impl Units {
    /// Where a file assigns none.
    pub fn none() -> Units {
        Units { length: None, radians: 1.0, tolerance: 0.0 }
    }
}

/// The units that a representation's context assigns.
pub fn of_context(geometry: &Geometry, context: &Entity) -> Units {
    let mut out = Units::none();
    let list = |name: &str| context.part(name).and_then(|p| p.iter().rev().find_map(Value::list)).unwrap_or(&[]);
    for unit in list("GLOBAL_UNIT_ASSIGNED_CONTEXT") {
        let Some(e) = geometry.dereference(Some(unit)) else { continue };
        if e.is("LENGTH_UNIT") {
            out.length = length_unit(geometry, &e, 0);
        } else if e.is("PLANE_ANGLE_UNIT") {
            out.radians = factor(geometry, &e, 0).unwrap_or(1.0);
        }
    }
    let uncertainties = list("GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT");
    for u in uncertainties {
        let found = geometry.dereference(Some(u)).and_then(|e| uncertainty(geometry, &e));
        // In the unit of lengths, whichever it is told in.
        if let Some((value, metres)) = found {
            let own = out.length.as_ref().map_or(1e-3, |l| l.millimetres * 1e-3);
            out.tolerance = value * metres.map_or(1.0, |m| m / own);
        }
    }
    out
}

/// An uncertainty of lengths and its unit in metres; `None` of one of anything else.
fn uncertainty(geometry: &Geometry, e: &Entity) -> Option<(f64, Option<f64>)> {
    let all = || e.parts.iter().flat_map(|(_, p)| p);
    let of_lengths = |v: &Value| !matches!(v, Value::Typed(kind, _) if !kind.to_ascii_uppercase().contains("LENGTH"));
    let value = all().filter(|v| of_lengths(v)).find_map(Value::number)?;
    let unit = all().find_map(Value::reference).and_then(|id| geometry.entity(id))?;
    unit.is("LENGTH_UNIT").then(|| (value.abs(), factor(geometry, &unit, 0)))
}

fn length_unit(geometry: &Geometry, e: &Entity, depth: usize) -> Option<DeclaredUnit> {
    let metres = factor(geometry, e, depth)?;
    let name = match e.part("CONVERSION_BASED_UNIT") {
        Some(p) => p.first().and_then(Value::text).map(|t| t.to_lowercase()).unwrap_or_default(),
        None => match e.part("SI_UNIT").and_then(|p| match p.first() {
            Some(Value::Enum(prefix)) => Some(prefix.to_ascii_lowercase()),
            _ => None,
        }) {
            Some(prefix) => format!("{prefix}metre"),
            None => "metre".into(),
        },
    };
    Some(DeclaredUnit { name, millimetres: tidy(metres * 1000.0) })
}

/// A unit's size in SI units without a prefix.
fn factor(geometry: &Geometry, e: &Entity, depth: usize) -> Option<f64> {
    if depth > 6 {
        return None;
    }
    if let Some(p) = e.part("SI_UNIT") {
        return Some(match p.first() {
            Some(Value::Enum(prefix)) => prefix_factor(prefix)?,
            _ => 1.0,
        });
    }
    let p = e.part("CONVERSION_BASED_UNIT")?;
    let measure = geometry.dereference(p.last())?;
    let list = || measure.parts.iter().flat_map(|(_, p)| p);
    let value = list().find_map(Value::number)?;
    let base = list().find_map(Value::reference).and_then(|id| geometry.entity(id))?;
    let factor = value * factor(geometry, &base, depth + 1)?;
    (factor > 0.0 && factor.is_finite()).then_some(factor)
}

/// A unit of area or volume in square or cubic metres: its elements, each with its exponent.
pub fn derived_factor(geometry: &Geometry, unit: &Entity) -> Option<f64> {
    let elements = unit.parts.iter().flat_map(|(_, p)| p).find_map(Value::list)?;
    let mut out = 1.0;
    for element in elements {
        let e = geometry.dereference(Some(element))?;
        let base = geometry.dereference(e.get(0))?;
        out *= factor(geometry, &base, 0)?.powf(e.get(1)?.number()?);
    }
    (out > 0.0 && out.is_finite()).then_some(out)
}

/// Units written as 25.3999999… are meant exactly.
fn tidy(millimetres: f64) -> f64 {
    let known = [1.0, 10.0, 1000.0, 25.4, 304.8, 0.001, 914.4, 0.0254, 1_000_000.0, 100.0];
    known.into_iter().find(|k| (millimetres / k - 1.0).abs() < 1e-9).unwrap_or(millimetres)
}

fn prefix_factor(prefix: &str) -> Option<f64> {
    Some(match prefix.to_ascii_uppercase().as_str() {
        "EXA" => 1e18,
        "PETA" => 1e15,
        "TERA" => 1e12,
        "GIGA" => 1e9,
        "MEGA" => 1e6,
        "KILO" => 1e3,
        "HECTO" => 1e2,
        "DECA" => 1e1,
        "DECI" => 1e-1,
        "CENTI" => 1e-2,
        "MILLI" => 1e-3,
        "MICRO" => 1e-6,
        "NANO" => 1e-9,
        "PICO" => 1e-12,
        "FEMTO" => 1e-15,
        "ATTO" => 1e-18,
        _ => return None,
    })
}
