//! One set of bodies as regions: fluid and solids that share their interfaces.

use crate::Body;
use crate::body::numbered::Numbered;
use crate::body::{Boundary, Columns, Facts, Role};
use crate::combine::side_by_side;
use crate::numbers::{counted, four_digits};
use crate::steps::StepError;
use hull_geometry::vector::norm;
use hull_geometry::{FacetId, NONE, Watch, measure};
use hull_solids::combine::CombineError;
use hull_solids::regions::{Regions, regions};
use typed_index_collections::TiSlice;

/// A region as a body, with its volume.
pub struct Made {
    /// Its name: the body's, or “space 1”.
    pub name: String,
    /// Closed, facing outward.
    pub body: Body,
    /// In the bodies' unit, cubed.
    pub volume: f64,
}

/// Parts bodies into regions. What lies in several belongs to the smallest of them. With `spaces`, what is in none of them but closed in
/// becomes a region too. An interface is a boundary named after both sides, `water-fins`, on both.
///
/// # Errors
/// If there is nothing to part, if units differ, or if a body is open.
pub fn part(bodies: &[(String, Body)], spaces: bool, watch: &Watch) -> Result<(Vec<Made>, String), StepError> {
    let refused = |sentence: String| StepError::Refused(sentence);
    let Some(first) = bodies.first() else { return Err(refused("Choose the bodies.".into())) };
    if bodies.len() < 2 && !spaces {
        return Err(refused("Choose at least two bodies.".into()));
    }
    if let Some(other) = bodies.iter().find(|b| b.1.facts.scale.is_some() != first.1.facts.scale.is_some()) {
        return Err(refused(format!(
            "“{}” and “{}” are not in one unit: set the unit of both first.",
            first.0, other.0
        )));
    }
    if let Some((name, kinds)) = bodies.iter().find_map(|b| Some((&b.0, b.1.instead_of_surface()?))) {
        return Err(refused(format!("“{name}” has {kinds} and no faces: it bounds no region.")));
    }
    let volumes: Vec<f64> = bodies.iter().map(|(_, b)| measure::mass(&b.mesh, &b.bounds()).volume).collect();
    let mut order: Vec<usize> = (0..bodies.len()).collect();
    order.sort_by(|&a, &b| volumes[b].total_cmp(&volumes[a]).then(a.cmp(&b)));
    let mut rank = vec![0; bodies.len()];
    order.iter().zip(0..).for_each(|(b, r)| rank[*b] = r);
    let (merged, body_of) = side_by_side(bodies);
    let parted = regions(&merged.mesh, &body_of, &rank, spaces, watch).map_err(|e| match e {
        CombineError::Cancelled(c) => c.into(),
        CombineError::Nothing => refused("The bodies enclose nothing.".into()),
        CombineError::Open => {
            let names: Vec<&str> = bodies.iter().map(|b| b.0.as_str()).collect();
            let open = crate::combine::open_ones(&merged.mesh, &body_of, &names);
            refused(format!("{open} must be closed and face outward first: inside and outside cannot be told apart."))
        }
    })?;
    let names: Vec<String> = (0..parted.count)
        .map(|k| bodies.get(k).map_or_else(|| format!("space {}", k - bodies.len() + 1), |b| b.0.clone()))
        .collect();
    let made: Vec<Made> =
        (0..parted.count as u32).filter_map(|k| region(&parted, k, &merged, &body_of, &names, bodies)).collect();
    let areas = interfaces(&parted, &names);
    let told: Vec<String> = made.iter().map(|m| format!("{} of {}", m.name, four_digits(m.volume))).collect();
    let unit = first.1.facts.length_unit().symbol();
    let sentence = format!(
        "{}: {} {unit}³{}.",
        counted(made.len(), "region"),
        told.join(", "),
        if areas.is_empty() { String::new() } else { format!("; interfaces {}", areas.join(", ")) }
    );
    Ok((made, sentence))
}

/// The name of what lies between two regions: the lower number first.
fn between(names: &[String], a: u32, b: u32) -> String {
    format!("{}-{}", names[a.min(b) as usize], names[a.max(b) as usize])
}

/// Every interface with its area.
fn interfaces(parted: &Regions, names: &[String]) -> Vec<String> {
    let mut areas: std::collections::BTreeMap<[u32; 2], f64> = std::collections::BTreeMap::new();
    let mesh = hull_geometry::Mesh {
        points: parted.points.clone(),
        triangles: parted.facets.iter().map(|s| s.corners).collect(),
    };
    for (i, s) in parted.facets.iter_enumerated().filter(|(_, s)| s.front != NONE && s.back != NONE) {
        let area = norm(mesh.area_vector(i)) / 2.0;
        *areas.entry([s.front.min(s.back), s.front.max(s.back)]).or_default() += area;
    }
    areas.iter().map(|([a, b], area)| format!("{} {}", between(names, *a, *b), four_digits(*area))).collect()
}

fn region(
    parted: &Regions,
    k: u32,
    merged: &Body,
    body_of: &TiSlice<FacetId, u32>,
    names: &[String],
    bodies: &[(String, Body)],
) -> Option<Made> {
    let (mesh, of) = parted.surface(k);
    if mesh.triangles.is_empty() {
        return None;
    }
    let mut boundaries: Numbered<String, Boundary> = Numbered::default();
    let mut number = |name: String, role: Option<Role>, from: &str| -> u32 {
        boundaries.number(name, |name| Boundary::new(name.clone(), role, from))
    };
    let boundary = of
        .iter()
        .map(|&i| {
            let s = &parted.facets[i];
            let other = if s.back == k { s.front } else { s.back };
            let source = s.source;
            if other != NONE {
                return number(between(names, k, other), Some(Role::Contact), "interface");
            }
            match merged.facts.boundaries.get(merged.columns.boundary[source] as usize) {
                Some(b) => number(b.name.clone(), b.role, &b.from),
                None => number(format!("{} outside", names[body_of[source] as usize]), None, "the rest"),
            }
        })
        .collect();
    let label = of.iter().map(|&i| merged.label(parted.facets[i].source)).collect();
    let own = bodies.get(k as usize).map_or(&bodies[0].1.facts, |b| &b.1.facts);
    let facts = Facts {
        boundaries: boundaries.list(),
        labels: merged.facts.labels.clone(),
        scale: own.scale,
        axes: own.axes.clone(),
        source: own.source.clone(),
        flow: own.flow.clone(),
        ..Facts::default()
    };
    let volume = measure::mass(&mesh, &mesh.bounds()).volume;
    let body = Body { facts, mesh, columns: Columns { boundary, label, ..Columns::default() }, ..Body::default() };
    Some(Made { name: names[k as usize].clone(), body, volume })
}
