//! Which facets a name is for, said in a way that can be replayed on another body.

use super::neighbours::Neighbour;
use super::outline;
use crate::Body;
use crate::alike::{Likeness, alike};
use crate::numbers::{counted, four_digits};
use hull_geometry::nearest::nearest_facet;
use hull_geometry::regions::Regions;
use hull_geometry::tree::FacetTree;
use hull_geometry::vector::{add, dot, norm, scale, sub, unit};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::sync::OnceLock;
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// One pick. Places are in the body's coordinates at the time of the step.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Pick {
    /// All facets reached from the facet nearest to `at` over edges of at most `angle` degrees. An angle
    /// of 0 still crosses flat edges; the single facet is [`Pick::Facet`].
    Grow {
        /// A place on it.
        at: Point,
        /// Degrees up to which neighbours belong to it.
        angle: f64,
    },
    /// One facet.
    Facet {
        /// A place on it.
        at: Point,
    },
    /// Everything that the file calls so.
    Label {
        /// Of the label.
        name: String,
    },
    /// Everything in a boundary.
    Boundary {
        /// Of the boundary.
        name: String,
    },
    /// Everything that the file gives this material or colour.
    Material {
        /// As the file says it; `*` stands for any letters.
        name: String,
    },
    /// Every piece that hangs together with the facet nearest to `at`.
    Connected {
        /// A place on it.
        at: Point,
    },
    /// Facets that face a direction, within an angle.
    Direction {
        /// Outward of them.
        direction: Point,
        /// Degrees.
        angle: f64,
    },
    /// Facets of which every corner lies in a box.
    Within {
        /// A corner.
        from: Point,
        /// The opposite one.
        to: Point,
    },
    /// Facets of which every corner lies on a datum, or within a distance of it.
    Datum {
        /// Of the datum.
        name: String,
        /// In the body's unit.
        within: f64,
    },
    /// Facets that face another part of the body or another body beside it, or touch it: their middle is near it, and both
    /// look at each other.
    Facing {
        /// As the file calls that part, or a boundary, or a body of the project; `*` stands for any letters.
        name: String,
        /// How near, in the body's unit.
        within: f64,
    },
    /// All regions that are alike in something to the one at a place.
    Alike {
        /// A place on it.
        at: Point,
        /// Degrees up to which neighbours belong to a region.
        angle: f64,
        /// In what.
        by: Likeness,
    },
    /// Facets whose middle lies inside an outline that was drawn in the view.
    Outline {
        /// A closed polygon, as seen along the direction.
        outline: Vec<Point>,
        /// From the eye to the body.
        direction: Point,
        /// Only what faces the eye with nothing before it; else through the whole body.
        visible: bool,
    },
    /// Everything that has no name yet.
    Unnamed,
}

/// Facets picked and facets taken out again, in that order; then rings around them, then all others instead.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Selection {
    /// What is picked.
    pub include: Vec<Pick>,
    /// What is not, though it is picked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exclude: Vec<Pick>,
    /// Rings of facets added around what is picked; taken away from its rim if negative.
    #[serde(default, skip_serializing_if = "is_none")]
    pub rings: i32,
    /// Everything but that.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub inverted: bool,
}

fn is_none(rings: &i32) -> bool {
    *rings == 0
}

impl From<Pick> for Selection {
    fn from(pick: Pick) -> Selection {
        Selection { include: vec![pick], ..Selection::default() }
    }
}

impl Selection {
    /// The selected facets, ascending.
    pub fn facets(&self, body: &Body) -> Vec<FacetId> {
        self.facets_sharing(&Shared::of(body))
    }

    /// The same, for one of several selections on one body.
    pub(crate) fn facets_sharing(&self, shared: &Shared) -> Vec<FacetId> {
        let body = shared.body;
        let mut chosen: TiVec<FacetId, bool> = ti_vec![false; body.mesh.triangles.len()];
        for (picks, value) in [(&self.include, true), (&self.exclude, false)] {
            for pick in picks {
                for f in pick.facets(shared) {
                    chosen[f] = value;
                }
            }
        }
        if self.rings != 0 {
            chosen = outline::grown(&body.mesh, chosen, self.rings);
        }
        chosen.keys().filter(|&f| chosen[f] != self.inverted).collect()
    }
}

/// What picks on one body need alike: made once, by the first that asks.
pub(crate) struct Shared<'a> {
    body: &'a Body,
    regions: OnceLock<Regions<'a>>,
}

impl<'a> Shared<'a> {
    /// Nothing was asked of the body yet.
    pub(crate) fn of(body: &'a Body) -> Shared<'a> {
        Shared { body, regions: OnceLock::new() }
    }

    fn regions(&self) -> &Regions<'a> {
        self.regions.get_or_init(|| Regions::new(&self.body.mesh))
    }
}

/// Whether a name is meant by a pattern in which `*` stands for any letters.
pub(crate) fn matches(pattern: &str, name: &str) -> bool {
    match pattern.split_once('*') {
        None => pattern == name,
        Some((head, rest)) => name.strip_prefix(head).is_some_and(|left| {
            rest.is_empty() || (0..=left.len()).any(|i| left.is_char_boundary(i) && matches(rest, &left[i..]))
        }),
    }
}

impl Selection {
    /// What it says, as people read it.
    pub fn said(&self) -> String {
        let list = |picks: &[Pick]| picks.iter().map(Pick::said).collect::<Vec<_>>().join(", ");
        let mut said = list(&self.include);
        if !self.exclude.is_empty() {
            said += &format!(" without {}", list(&self.exclude));
        }
        if self.rings != 0 {
            let way = if self.rings > 0 { "larger" } else { "smaller" };
            said += &format!(", {way} by {}", counted(self.rings.unsigned_abs() as usize, "ring"));
        }
        if self.inverted { format!("all but {said}") } else { said }
    }
}

impl Pick {
    /// What it says, as people read it.
    pub fn said(&self) -> String {
        let place = |p: &Point| p.map(four_digits).join(", ");
        match self {
            Pick::Grow { at, angle } => format!("region at {} up to {}°", place(at), four_digits(*angle)),
            Pick::Facet { at } => format!("facet at {}", place(at)),
            Pick::Label { name } => format!("“{name}” of the file"),
            Pick::Boundary { name } => format!("boundary “{name}”"),
            Pick::Material { name } => format!("material “{name}” of the file"),
            Pick::Connected { at } => format!("piece at {}", place(at)),
            Pick::Direction { direction, angle } => {
                format!("facing {} within {}°", place(direction), four_digits(*angle))
            }
            Pick::Within { from, to } => format!("box from {} to {}", place(from), place(to)),
            Pick::Datum { name, within } => format!("within {} of datum “{name}”", four_digits(*within)),
            Pick::Facing { name, within } => format!("facing “{name}” within {}", four_digits(*within)),
            Pick::Outline { outline, visible, .. } => {
                let how = if *visible { "seen" } else { "through" };
                format!("inside an outline of {} corners, {how}", outline.len())
            }
            Pick::Alike { at, by, .. } => format!("{} as at {}", by.said(), place(at)),
            Pick::Unnamed => "the rest".into(),
        }
    }

    fn facets(&self, shared: &Shared) -> Vec<FacetId> {
        let body = shared.body;
        let all = || body.mesh.triangles.keys();
        let grown = |at: Point, angle: f64| {
            nearest_facet(&body.mesh, at).map_or(Vec::new(), |(seed, _)| shared.regions().grow(seed, angle))
        };
        match self {
            Pick::Grow { at, angle } => grown(*at, *angle),
            Pick::Facet { at } => nearest_facet(&body.mesh, *at).map(|(f, _)| f).into_iter().collect(),
            Pick::Label { name } => {
                let called: Vec<bool> = body.facts.labels.iter().map(|l| matches(name, &l.name)).collect();
                all().filter(|&f| called.get(body.label(f) as usize) == Some(&true)).collect()
            }
            Pick::Material { name } => {
                let own = |l: &hull_formats::Label| l.material.as_deref().is_some_and(|m| matches(name, m));
                let made: Vec<bool> = body.facts.labels.iter().map(own).collect();
                all().filter(|&f| made.get(body.label(f) as usize) == Some(&true)).collect()
            }
            Pick::Connected { at } => grown(*at, 180.0),
            Pick::Direction { direction, angle } => {
                let Some(d) = unit(*direction) else { return Vec::new() };
                let least = angle.to_radians().cos() - 1e-12;
                let faces = |f: &FacetId| {
                    let n = body.mesh.area_vector(*f);
                    norm(n) > 0.0 && dot(n, d) >= least * norm(n)
                };
                all().filter(faces).collect()
            }
            Pick::Within { from, to } => {
                let (low, high) =
                    (from.iter().zip(to).map(|(a, b)| a.min(*b)), from.iter().zip(to).map(|(a, b)| a.max(*b)));
                let (low, high): (Vec<f64>, Vec<f64>) = (low.collect(), high.collect());
                let inside = |p: &Point| (0..3).all(|k| p[k] >= low[k] && p[k] <= high[k]);
                all().filter(|&f| body.mesh.corners(f).iter().all(inside)).collect()
            }
            Pick::Datum { name, within } => {
                let Some(datum) = body.datum(name) else { return Vec::new() };
                let shape = datum.fit.shape;
                let near: TiVec<PointId, bool> =
                    body.mesh.points.iter().map(|p| shape.distance(*p) <= *within).collect();
                all().filter(|&f| body.mesh.triangles[f].iter().all(|&p| near[p])).collect()
            }
            Pick::Facing { name, within } => facing(body, name, *within),
            Pick::Alike { at, angle, by } => alike(&body.mesh, shared.regions(), *at, *angle, *by).facets,
            Pick::Outline { outline, direction, visible } => outline::inside(&body.mesh, outline, *direction, *visible),
            Pick::Boundary { name } => match body.facts.boundaries.iter().position(|b| b.name == *name) {
                Some(number) => body.facets_of(number as u32),
                None => Vec::new(),
            },
            Pick::Unnamed => body.facets_of(NONE),
        }
    }
}

/// Normals of facets that look at each other are apart by no less than this, in degrees.
const OPPOSED: f64 = 120.0;

/// Facets that look at what is called so from no further than `within`. What is asked for by a name of the file is another
/// part; a boundary is meant where the file calls nothing so, and bodies beside this one where no boundary is called so either.
fn facing(body: &Body, name: &str, within: f64) -> Vec<FacetId> {
    if within < 0.0 {
        return Vec::new();
    }
    let by = |pick: Pick| pick.facets(&Shared::of(body));
    let mut named = by(Pick::Label { name: name.into() });
    if named.is_empty() {
        named = by(Pick::Boundary { name: name.into() });
    }
    let mut is_named: TiVec<FacetId, bool> = ti_vec![false; body.mesh.triangles.len()];
    named.iter().for_each(|f| is_named[*f] = true);
    if !named.is_empty() {
        return looking_at(&body.mesh, &is_named, &body.mesh, &is_named, within);
    }
    let mut chosen = is_named;
    for other in body.beside.iter().filter(|b| Neighbour::is_meant(&b.name, name)) {
        for f in looking_at(&body.mesh, &chosen, &other.mesh, &ti_vec![true; other.mesh.triangles.len()], within) {
            chosen[f] = true;
        }
    }
    chosen.keys().filter(|f| chosen[*f]).collect()
}

/// Facets of a mesh, but those left out, that look at the chosen ones of another mesh (or the same) from no further than `within`.
fn looking_at(
    mesh: &Mesh,
    left_out: &TiSlice<FacetId, bool>,
    other: &Mesh,
    chosen: &TiSlice<FacetId, bool>,
    within: f64,
) -> Vec<FacetId> {
    let tree = FacetTree::of(other);
    let normal = |mesh: &Mesh, f: FacetId| unit(mesh.area_vector(f));
    let least = OPPOSED.to_radians().cos();
    let looks = |f: &FacetId| {
        if left_out[*f] {
            return false;
        }
        let corners = mesh.corners(*f);
        let middle = scale(add(add(corners[0], corners[1]), corners[2]), 1.0 / 3.0);
        let Some(n) = normal(mesh, *f) else { return false };
        let opposed = |g: FacetId| normal(other, g).is_some_and(|m| dot(n, m) <= least);
        let near = tree.nearest_of(other, middle, within * within, |g| chosen[g] && opposed(g));
        // Behind it is not before it; where both touch there is no way between them.
        near.is_some_and(|(_, _, q)| dot(sub(q, middle), n) >= -1e-6 * within)
    };
    mesh.par_facets().filter(looks).collect()
}
