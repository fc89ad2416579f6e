//! Regions that are alike: bores of one radius, faces of one direction, patches of one area.

use crate::Body;
use crate::numbers::four_digits;
use crate::selection::Pick;
use hull_fitting::quick::quick_cylinder;
use hull_geometry::nearest::nearest_facet;
use hull_geometry::regions::Regions;
use hull_geometry::vector::{add, dot, norm, unit};
use hull_geometry::{FacetId, Mesh, Point, PointId};
use serde::{Deserialize, Serialize};

/// In what regions are alike.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Likeness {
    /// Bores and shafts of one radius, within 1 %.
    Radius,
    /// Flat faces of one direction, within 1°.
    Direction,
    /// One area, within 1 %.
    Area,
}

impl Likeness {
    /// As it is said.
    pub fn said(self) -> &'static str {
        match self {
            Likeness::Radius => "the same radius",
            Likeness::Direction => "the same direction",
            Likeness::Area => "the same area",
        }
    }
}

/// What is alike.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Alike {
    /// Ascending.
    pub facets: Vec<FacetId>,
    /// How many regions.
    pub regions: usize,
    /// The radius, the area, or nothing.
    pub value: Option<f64>,
    /// Whether a round region is a bore: it faces its axis.
    pub hollow: bool,
}

/// Parts of a value within which it is the same.
const SAME: f64 = 0.01;

struct Region<'a> {
    mesh: &'a Mesh,
    facets: Vec<FacetId>,
}

impl Region<'_> {
    fn area(&self) -> f64 {
        self.facets.iter().map(|&f| norm(self.mesh.area_vector(f)) / 2.0).sum()
    }

    /// Its direction, if it is flat.
    fn direction(&self) -> Option<Point> {
        let sum = self.facets.iter().fold([0.0; 3], |s, &f| add(s, self.mesh.area_vector(f)));
        let total: f64 = self.facets.iter().map(|&f| norm(self.mesh.area_vector(f))).sum();
        unit(sum).filter(|_| norm(sum) > 0.999 * total)
    }

    /// Its radius, and whether it faces its axis.
    fn radius(&self) -> Option<(f64, bool)> {
        let mut used: Vec<PointId> = self.facets.iter().flat_map(|&f| self.mesh.triangles[f]).collect();
        used.sort_unstable();
        used.dedup();
        let points: Vec<Point> = used.iter().map(|p| self.mesh.points[*p]).collect();
        let normals: Vec<Point> = self.facets.iter().filter_map(|&f| unit(self.mesh.area_vector(f))).collect();
        let (at, axis, radius) = quick_cylinder(&points, &normals)?;
        let inward = self.facets.first().is_some_and(|&f| {
            let p = self.mesh.corners(f)[0];
            let out = hull_geometry::vector::sub(p, at);
            let out = hull_geometry::vector::sub(out, hull_geometry::vector::scale(axis, dot(out, axis)));
            dot(self.mesh.area_vector(f), out) < 0.0
        });
        Some((radius, inward))
    }
}

/// The regions alike to the one at a place; none where it has nothing of that kind.
pub fn alike(mesh: &Mesh, regions: &Regions, at: Point, angle: f64, by: Likeness) -> Alike {
    let Some((seed, _)) = nearest_facet(mesh, at) else { return Alike::default() };
    let (region_of, count) = regions.split(angle);
    let mut all: Vec<Region> = (0..count).map(|_| Region { mesh, facets: Vec::new() }).collect();
    for (f, r) in region_of.iter_enumerated() {
        all[*r as usize].facets.push(f);
    }
    let own = &all[region_of[seed] as usize];
    let near = |a: f64, b: f64| (a - b).abs() <= SAME * a.max(b);
    let mut hollow = false;
    let (kept, value): (Vec<&Region>, Option<f64>) = match by {
        Likeness::Area => {
            let area = own.area();
            (all.iter().filter(|r| near(r.area(), area)).collect(), Some(area))
        }
        Likeness::Direction => {
            let Some(d) = own.direction() else { return Alike::default() };
            let least = 1.0_f64.to_radians().cos();
            (all.iter().filter(|r| r.direction().is_some_and(|e| dot(d, e) >= least)).collect(), None)
        }
        Likeness::Radius => {
            let Some((radius, inward)) = own.radius() else { return Alike::default() };
            hollow = inward;
            let same = |r: &&Region| r.radius().is_some_and(|(s, i)| near(s, radius) && i == inward);
            (all.iter().filter(same).collect(), Some(radius))
        }
    };
    let mut facets: Vec<FacetId> = kept.iter().flat_map(|r| r.facets.iter().copied()).collect();
    facets.sort_unstable();
    Alike { facets, regions: kept.len(), value, hollow }
}

/// A rule that would catch a click.
#[derive(Serialize)]
pub struct ProposedRule {
    /// What it takes, with what else.
    pub said: String,
    /// The pick.
    pub pick: Pick,
}

/// Rules that would catch a click at a place: regions alike, a direction, the piece, the file's name.
pub fn proposals(body: &Body, at: [f64; 3], angle: f64) -> Vec<ProposedRule> {
    let regions = Regions::new(&body.mesh);
    let symbol = body.facts.length_unit().symbol();
    let mut out = Vec::new();
    for by in [Likeness::Radius, Likeness::Direction, Likeness::Area] {
        let found = alike(&body.mesh, &regions, at, angle, by);
        if found.regions < 2 {
            continue;
        }
        let many = found.regions;
        let said = match (by, found.value) {
            (Likeness::Radius, Some(r)) => {
                let what = if found.hollow { "bores" } else { "round faces" };
                format!("all {many} {what} of diameter {} {symbol}", four_digits(2.0 * r))
            }
            (Likeness::Area, Some(a)) => format!("all {many} regions of {} {symbol}²", four_digits(a)),
            _ => format!("all {many} flat faces of this direction"),
        };
        out.push(ProposedRule { said, pick: Pick::Alike { at, angle, by } });
    }
    if let Some((seed, _)) = nearest_facet(&body.mesh, at) {
        if let Some(direction) = unit(body.mesh.area_vector(seed)) {
            out.push(ProposedRule {
                said: "all that faces this way within 10°".into(),
                pick: Pick::Direction { direction, angle: 10.0 },
            });
        }
        out.push(ProposedRule { said: "the whole piece".into(), pick: Pick::Connected { at } });
        let label = body.facts.labels.get(body.label(seed) as usize).filter(|l| !l.name.is_empty());
        if let Some(label) = label {
            out.push(ProposedRule {
                said: format!("all “{}” of the file", label.name),
                pick: Pick::Label { name: label.name.clone() },
            });
        }
    }
    out
}
