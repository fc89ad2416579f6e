//! Named boundaries in figures.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Survey};
use crate::body::{Facts, Role};
use crate::numbers::fixed;
use hull_geometry::vector::{add, norm, scale, unit};
use hull_geometry::{Cancelled, NONE, Point, Watch};
use serde::{Deserialize, Serialize};

/// The boundaries; the last may be the facets without a name.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Names {
    /// In the order of the body's boundaries.
    pub boundaries: Vec<BoundaryFigures>,
}

/// One boundary in figures.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BoundaryFigures {
    /// Its name; none for what is unnamed.
    pub name: Option<String>,
    /// Facets.
    pub facets: usize,
    /// Their area.
    pub area: f64,
    /// Mean direction; `None` for a boundary that turns around on itself.
    pub normal: Option<Point>,
    /// The centre of its area.
    pub at: Point,
}

impl Names {
    /// Part of the area that has no name, 0 to 1.
    pub fn unnamed_part(&self) -> f64 {
        let unnamed: f64 = self.boundaries.iter().filter(|b| b.name.is_none()).map(|b| b.area).sum();
        let facets = self.boundaries.iter().any(|b| b.name.is_none() && b.facets > 0);
        let total: f64 = self.boundaries.iter().map(|b| b.area).sum();
        // Unnamed facets without area are still unnamed.
        if facets { (unnamed / total).max(f64::MIN_POSITIVE) } else { 0.0 }
    }
}

const NAMING: &[&str] = &["name_boundary", "set_role"];

fn with_role(facts: &Facts, role: Option<Role>) -> Measured {
    Measured::count(facts.boundaries.iter().filter(|b| b.role == role).count())
}

impl Probe for Names {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring boundaries";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("named_area", &[], &["name_boundary"], |_, survey| named_area(survey)).unit(" %"),
        MeasureDef::of_facets("boundaries_without_role", &[], &["set_role"], |facts, _| with_role(facts, None)),
        MeasureDef::of_facets("inlets", &[], NAMING, |facts, _| with_role(facts, Some(Role::Inlet))).words(|_| {
            vec!["Pick the opening and name it with the role inlet, or give a boundary the role in the drawer.".into()]
        }),
        MeasureDef::of_facets("outlets", &[], NAMING, |facts, _| with_role(facts, Some(Role::Outlet))).words(|_| {
            vec!["Pick the opening and name it with the role outlet, or give a boundary the role in the drawer.".into()]
        }),
    ];

    fn look(cx: &Context, _: &Watch) -> Result<(Names, Vec<Finding>), Cancelled> {
        Ok((Names { boundaries: boundaries(cx) }, Vec::new()))
    }
}

fn named_area(survey: &Survey) -> Measured {
    let unnamed = survey.names.unnamed_part();
    let named = 100.0 * (1.0 - unnamed);
    // A sliver without a name must not round up to all.
    let shown = if unnamed > 0.0 { named.min(99.9) } else { 100.0 };
    Measured {
        value: Some(if unnamed > 0.0 { named.min(99.999_999) } else { 100.0 }),
        text: format!("{} %", if unnamed > 0.0 { fixed(shown, 1) } else { "100".into() }),
    }
}

fn boundaries(cx: &Context) -> Vec<BoundaryFigures> {
    let body = cx.body;
    let named = body.facts.boundaries.len();
    let mut sums = vec![(0usize, 0.0, [0.0; 3], [0.0; 3]); named + 1];
    for (f, &b) in body.columns.boundary.iter_enumerated() {
        let sum = &mut sums[if b == NONE { named } else { b as usize }];
        let vector = scale(body.mesh.area_vector(f), 0.5);
        let area = norm(vector);
        let [p, q, r] = body.mesh.corners(f);
        let centre = scale(add(add(p, q), r), 1.0 / 3.0);
        sum.0 += 1;
        sum.1 += area;
        sum.2 = add(sum.2, vector);
        sum.3 = add(sum.3, scale(centre, area));
    }
    let figures = |name: Option<String>, (facets, area, vector, moment): (usize, f64, Point, Point)| BoundaryFigures {
        name,
        facets,
        area,
        // A boundary that faces one way has a mean direction nearly as long as its area.
        normal: unit(vector).filter(|_| norm(vector) > 0.5 * area),
        at: if area > 0.0 { scale(moment, 1.0 / area) } else { [0.0; 3] },
    };
    let mut list: Vec<BoundaryFigures> =
        body.facts.boundaries.iter().zip(&sums).map(|(b, &s)| figures(Some(b.name.clone()), s)).collect();
    if sums[named].0 > 0 {
        list.push(figures(None, sums[named]));
    }
    list
}
