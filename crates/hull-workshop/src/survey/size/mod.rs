//! How much there is, how large, and which way up.

use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Survey};
use crate::body::{Facts, Scale};
use crate::numbers::four_digits;
use hull_geometry::mesh::Bounds;
use hull_geometry::{Cancelled, Watch};
use serde::{Deserialize, Serialize};

/// Counts, sizes, area and volume.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Size {
    /// Facets.
    pub triangles: usize,
    /// Points.
    pub points: usize,
    /// Points that no facet uses.
    pub unused_points: usize,
    /// The box; of a body of curves that of the curves.
    pub bbox: Bounds,
    /// Area of all facets.
    pub area: f64,
    /// Signed. Meaningful for a closed surface; for an open one, taken about the middle of the box.
    pub volume: f64,
}

impl Default for Size {
    fn default() -> Size {
        let bbox = Bounds { min: [0.0; 3], max: [0.0; 3] };
        Size { triangles: 0, points: 0, unused_points: 0, bbox, area: 0.0, volume: 0.0 }
    }
}

impl Size {
    /// The longest side of the box.
    pub fn longest(&self) -> f64 {
        self.bbox.size().into_iter().fold(0.0, f64::max)
    }
}

/// A side of the box, for spaces that a body has to fit.
const fn along(key: &'static str, measure: fn(&Facts, &Survey) -> Measured) -> MeasureDef {
    MeasureDef::of_facets(key, &[], &["set_unit", "set_size", "orient"], measure).of_any().unit(" mm")
}

fn side(facts: &Facts, survey: &Survey, axis: usize) -> Measured {
    if facts.scale.is_none() {
        return Measured::not_yet("needs a unit");
    }
    let side = survey.size.bbox.size()[axis];
    Measured { value: Some(side), text: format!("{} mm", four_digits(side)) }
}

impl Probe for Size {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "measuring areas and volumes";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("unit", &[], &["set_unit", "set_size"], |facts, _| Measured {
            value: facts.scale.map(|_| 0.0),
            text: match facts.scale {
                Some(Scale::Unit(unit)) => unit.name().into(),
                Some(Scale::Factor(factor)) => format!("× {}", four_digits(factor)),
                None => "unknown".into(),
            },
        })
        .choice(),
        MeasureDef::of_facets("length", &[], &["set_unit", "set_size"], |facts, survey| match facts.scale {
            Some(_) => {
                let longest = survey.size.longest();
                Measured { value: Some(longest), text: format!("{} mm", four_digits(longest)) }
            }
            None => Measured::not_yet("needs a unit"),
        })
        .of_any()
        .unit(" mm")
        .words(|_| vec!["The longest side of the box. If it is wrong, the unit is: choose another one.".into()]),
        MeasureDef::of_facets("axes", &[], &["orient", "level_floor", "place"], |facts, _| {
            let chosen = facts.axes.as_ref().map(|[up, forward]| format!("{up} up, {forward} forward"));
            Measured::chosen(chosen, "not chosen")
        })
        .choice(),
        along("size_x", |facts, survey| side(facts, survey, 0)),
        along("size_y", |facts, survey| side(facts, survey, 1)),
        along("size_z", |facts, survey| side(facts, survey, 2)),
    ];

    fn look(cx: &Context, _: &Watch) -> Result<(Size, Vec<Finding>), Cancelled> {
        let (mesh, t) = (cx.mesh(), &cx.topology);
        // Facets without area are in no shell, and add nothing to either.
        let (area, volume) = cx.per_shell().iter().fold((0.0, 0.0), |sum, g| (sum.0 + g.area, sum.1 + g.volume));
        let unused_points = mesh.points.len().saturating_sub(t.used_points);
        let (triangles, points) = (mesh.triangles.len(), mesh.points.len());
        Ok((Size { triangles, points, unused_points, bbox: cx.bounds, area, volume }, Vec::new()))
    }
}
