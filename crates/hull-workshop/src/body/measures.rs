//! Measures that people keep: a distance or a wall's thickness under a name, measured again whenever the body changes.

use crate::Body;
use hull_exact::Motion;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{distance, scale, unit};
use hull_geometry::{Point, vector};
use serde::{Deserialize, Serialize};

/// What is measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum What {
    /// Between two places.
    #[default]
    Distance,
    /// Through the wall at one place, square to the surface there.
    Thickness,
}

impl What {
    /// How many places it takes.
    pub fn places(self) -> usize {
        match self {
            What::Distance => 2,
            What::Thickness => 1,
        }
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            What::Distance => "distance",
            What::Thickness => "thickness",
        }
    }
}

/// A kept measure.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct NamedMeasure {
    /// Single in the body.
    pub name: String,
    /// What is measured.
    pub what: What,
    /// Where, on the surface as it was when the measure was made, in the body's unit and place.
    pub places: Vec<Point>,
    /// No less than this is wanted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_least: Option<f64>,
    /// No more than this is wanted.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_most: Option<f64>,
}

impl NamedMeasure {
    /// Whether something is wanted of it: then it is a row of the sheet.
    pub fn is_asked(&self) -> bool {
        self.at_least.is_some() || self.at_most.is_some()
    }

    /// Whether a value is as wanted.
    pub fn is_met(&self, value: f64) -> bool {
        self.at_least.is_none_or(|x| value >= x) && self.at_most.is_none_or(|x| value <= x)
    }

    /// The row of the sheet that it is, as addresses can have it. Names that differ in blanks, signs or capitals alone have one.
    pub fn row(&self) -> String {
        let plain = |c: char| if c.is_alphanumeric() { c.to_lowercase().to_string() } else { "-".into() };
        format!("measure-{}", self.name.trim().chars().map(plain).collect::<String>())
    }
}

/// A place that is further from the surface than this part of the body's diagonal is on it no more.
const LOST: f64 = 0.02;

/// What a body is measured with.
pub struct Ruler<'a> {
    body: &'a Body,
    tree: Option<FacetTree>,
    /// Points, where there is no surface.
    points: Vec<Point>,
    diagonal: f64,
}

impl<'a> Ruler<'a> {
    /// Of a body as it is now.
    pub fn of(body: &'a Body) -> Ruler<'a> {
        let tree = body.has_surface().then(|| FacetTree::of(&body.mesh));
        let points = if tree.is_some() { Vec::new() } else { body.all_points() };
        Ruler { body, tree, points, diagonal: body.bounds().diagonal() }
    }

    /// The nearest place of the body, with its facet, unless the body is too far from there.
    fn nearest(&self, p: Point) -> Option<(Point, Option<u32>)> {
        let near = match &self.tree {
            Some(tree) => tree.nearest(&self.body.mesh, p, f64::INFINITY).map(|n| (n.2, Some(n.0))),
            None => {
                let closer = |a: &&Point, b: &&Point| distance(**a, p).total_cmp(&distance(**b, p));
                self.points.iter().min_by(closer).map(|q| (*q, None))
            }
        };
        near.filter(|(q, _)| distance(*q, p) <= LOST * self.diagonal)
    }

    /// The value now and the two places between which it is; `None` where the surface has gone from there, or there is no other
    /// side.
    pub fn measure(&self, m: &NamedMeasure) -> Option<(f64, [Point; 2])> {
        let from = self.nearest(*m.places.first()?)?;
        match m.what {
            What::Distance => {
                let to = self.nearest(*m.places.get(1)?)?;
                Some((distance(from.0, to.0), [from.0, to.0]))
            }
            What::Thickness => {
                let (tree, facet) = (self.tree.as_ref()?, from.1?);
                let inward = scale(unit(self.body.mesh.area_vector(facet))?, -1.0);
                // The facet itself and its neighbours in the same plane are no other side.
                let faces_away = |f: u32| vector::dot(self.body.mesh.area_vector(f), inward) > 0.0;
                let (_, far) = tree.first_hit(&self.body.mesh, from.0, inward, self.diagonal, faces_away, &mut 0)?;
                Some((far, [from.0, vector::add(from.0, scale(inward, far))]))
            }
        }
    }
}

/// Kept measures follow what is done to the whole body.
pub(crate) fn moved(measures: &mut [NamedMeasure], by: &Motion) {
    for m in measures {
        m.places.iter_mut().for_each(|p| *p = by.point(*p));
        m.at_least = m.at_least.map(|x| x * by.scale);
        m.at_most = m.at_most.map(|x| x * by.scale);
    }
}
