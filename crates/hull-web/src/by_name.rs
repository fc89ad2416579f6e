//! Bodies of a file by name.

use hull_exact::bodies::BodyFigures;
use hull_workshop::body::{Facts, Scale};
use hull_workshop::exact::colour_name;
use hull_workshop::numbers::four_digits;

/// Bodies of one name, ready to draw; lengths in the body's unit.
pub struct Group {
    pub name: String,
    pub count: usize,
    pub size: String,
    pub solids: usize,
    pub faces: usize,
    pub open_edges: usize,
    /// Of one of them.
    pub volume: f64,
    /// As the style sheet writes it.
    pub colour: Option<String>,
}

/// The bodies of a model by name, in the order in which they first appear.
pub fn groups(facts: &Facts) -> Vec<Group> {
    let Some(exact) = &facts.exact else { return Vec::new() };
    let scale = facts.scale.map_or(1.0, Scale::millimetres);
    let mut out: Vec<Group> = Vec::new();
    let mut at = std::collections::HashMap::new();
    for body in &exact.figures.bodies {
        let i = *at.entry(body.name.as_str()).or_insert_with(|| {
            out.push(first(body, scale));
            out.len() - 1
        });
        let group = &mut out[i];
        group.count += 1;
        group.solids += usize::from(body.solid);
        group.faces += body.faces;
        group.open_edges += body.open_edges;
    }
    out
}

fn first(b: &BodyFigures, scale: f64) -> Group {
    // What is flat is so up to rounding.
    let least = 1e-9 * b.size.into_iter().fold(0.0, f64::max);
    let size = b.size.map(|x| if x < least { 0.0 } else { x });
    Group {
        name: b.name.clone(),
        count: 0,
        size: size.map(|x| four_digits(x * scale)).join(" × "),
        solids: 0,
        faces: 0,
        open_edges: 0,
        volume: b.volume * scale.powi(3),
        colour: b.colour.map(colour_name),
    }
}
