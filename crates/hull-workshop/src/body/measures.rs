//! Measures that people keep: a distance, an angle, a radius, a wall's thickness, a section's area and perimeter or the
//! clearance to another body under a name, measured again whenever the body changes.

use crate::Body;
use crate::neighbours::Neighbour;
use crate::numbers::four_digits;
use crate::sentence::{Piece, area, length};
use hull_exact::Motion;
use hull_geometry::clearance::{Placed, Surface, clearance};
use hull_geometry::section::{directions, figures, outlines};
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{FacetId, Point};
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
    /// At the second of three places, in degrees.
    Angle,
    /// Of the circle through three places.
    Radius,
    /// What the section encloses whose plane goes through the first place, across the way to the second.
    SectionArea,
    /// How long the outlines of that section are.
    SectionPerimeter,
    /// Between the nearest places of this body and of another one of the project; zero where they meet.
    Clearance,
}

impl What {
    /// How many places it takes.
    pub fn places(self) -> usize {
        match self {
            What::Clearance => 0,
            What::Thickness => 1,
            What::Distance | What::SectionArea | What::SectionPerimeter => 2,
            What::Angle | What::Radius => 3,
        }
    }

    /// What its value is: an angle (0), a length (1) or an area (2).
    pub fn power(self) -> usize {
        match self {
            What::Angle => 0,
            What::SectionArea => 2,
            _ => 1,
        }
    }

    /// A value of it, to be said.
    pub fn said(self, value: f64) -> Piece {
        match self.power() {
            0 => Piece::Text(format!("{}°", four_digits(value)).into()),
            1 => length(value),
            _ => area(value),
        }
    }

    /// Its word.
    pub fn word(self) -> &'static str {
        match self {
            What::Distance => "distance",
            What::Thickness => "thickness",
            What::Angle => "angle",
            What::Radius => "radius",
            What::SectionArea => "section's area",
            What::SectionPerimeter => "section's perimeter",
            What::Clearance => "clearance",
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
    /// The other body of the project that a clearance is to, as people call it; `*` stands for any letters, and the nearest counts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
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

    /// What it measures, in words.
    pub fn words(&self) -> String {
        match &self.to {
            Some(to) => format!("{} to “{to}”", self.what.word()),
            None => self.what.word().into(),
        }
    }

    /// Why it cannot be measured, where it cannot.
    pub fn why_not(&self) -> String {
        match &self.to {
            Some(to) => format!("no body beside it with a surface and a unit like its own is called “{to}”"),
            None => "the surface has gone from there".into(),
        }
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
    fn nearest(&self, p: Point) -> Option<(Point, Option<FacetId>)> {
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
        if let (What::SectionArea | What::SectionPerimeter, [at, ahead]) = (m.what, m.places.as_slice()) {
            let across = unit(sub(*ahead, *at))?;
            let there = outlines(&self.body.mesh, *at, across);
            let found = figures(&there, *at, across);
            let is_area = m.what == What::SectionArea;
            let value = if is_area { found.area } else { found.perimeter };
            // An open outline encloses nothing.
            let known = !there.is_empty() && (!is_area || there.iter().all(|o| o.closed));
            let [x, y] = directions(across);
            let reach = 0.5 * value.powf(1.0 / m.what.power() as f64);
            let corner = |s: f64| add(found.centroid, scale(add(x, y), s * reach));
            return known.then(|| (value, [corner(-0.5), corner(0.5)]));
        }
        if m.what == What::Clearance {
            return self.clearance(m.to.as_deref()?);
        }
        let from = self.nearest(*m.places.first()?)?;
        match m.what {
            What::Angle | What::Radius => {
                let (b, c) = (self.nearest(*m.places.get(1)?)?.0, self.nearest(*m.places.get(2)?)?.0);
                let value = if m.what == What::Angle { angle_at(from.0, b, c) } else { radius_through(from.0, b, c) };
                value.map(|x| (x, [from.0, c]))
            }
            What::SectionArea | What::SectionPerimeter | What::Clearance => None,
            What::Distance => {
                let to = self.nearest(*m.places.get(1)?)?;
                Some((distance(from.0, to.0), [from.0, to.0]))
            }
            What::Thickness => {
                let (tree, facet) = (self.tree.as_ref()?, from.1?);
                let inward = scale(unit(self.body.mesh.area_vector(facet))?, -1.0);
                // The facet itself and its neighbours in the same plane are no other side.
                let faces_away = |f: FacetId| dot(self.body.mesh.area_vector(f), inward) > 0.0;
                let (_, far) = tree.first_hit(&self.body.mesh, from.0, inward, self.diagonal, faces_away, &mut 0)?;
                Some((far, [from.0, add(from.0, scale(inward, far))]))
            }
        }
    }
}

impl Ruler<'_> {
    /// The nearest places of the body and of those beside it that are called so.
    fn clearance(&self, to: &str) -> Option<(f64, [Point; 2])> {
        let own = Surface { mesh: &self.body.mesh, tree: self.tree.as_ref()? };
        let mut least: Option<(f64, [Point; 2])> = None;
        for other in self.body.beside.iter().filter(|b| Neighbour::is_meant(&b.name, to)) {
            let there = Surface { mesh: &other.mesh, tree: &FacetTree::of(&other.mesh) };
            let within = least.map_or(f64::INFINITY, |l| l.0);
            if let Some(near) = clearance(own, there, &Placed::HERE, within) {
                least = Some((near.distance, [near.from, near.to]));
            }
        }
        least
    }
}

/// The angle at the second of three places, in degrees.
fn angle_at(a: Point, corner: Point, b: Point) -> Option<f64> {
    let (p, q) = (unit(sub(a, corner))?, unit(sub(b, corner))?);
    Some(norm(cross(p, q)).atan2(dot(p, q)).to_degrees())
}

/// The radius of the circle through three places; nothing if they lie on a line.
fn radius_through(a: Point, b: Point, c: Point) -> Option<f64> {
    let (u, v) = (sub(b, a), sub(c, a));
    let twice = norm(cross(u, v));
    let flat = twice <= 1e-9 * norm(u) * norm(v);
    (!flat).then(|| norm(u) * norm(v) * distance(b, c) / (2.0 * twice))
}

/// Kept measures follow what is done to the whole body.
pub(crate) fn moved(measures: &mut [NamedMeasure], by: &Motion) {
    for m in measures {
        m.places.iter_mut().for_each(|p| *p = by.point(*p));
        let by = by.scale.powi(m.what.power() as i32);
        m.at_least = m.at_least.map(|x| x * by);
        m.at_most = m.at_most.map(|x| x * by);
    }
}
