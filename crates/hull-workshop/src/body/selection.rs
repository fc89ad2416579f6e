//! Which facets a name is for, said in a way that can be replayed on another body.

use crate::Body;
use hull_geometry::nearest::nearest_facet;
use hull_geometry::regions::Regions;
use hull_geometry::{NONE, Point};
use serde::{Deserialize, Serialize};

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
    /// Everything that has no name yet.
    Unnamed,
}

/// Facets picked and facets taken out again, in that order.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Selection {
    /// What is picked.
    pub include: Vec<Pick>,
    /// What is not, though it is picked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub exclude: Vec<Pick>,
}

impl Selection {
    /// The selected facets, ascending.
    pub fn facets(&self, body: &Body) -> Vec<u32> {
        let needs_regions = |picks: &[Pick]| picks.iter().any(|p| matches!(p, Pick::Grow { .. }));
        let regions = (needs_regions(&self.include) || needs_regions(&self.exclude)).then(|| Regions::new(&body.mesh));
        let mut chosen = vec![false; body.mesh.triangles.len()];
        for (picks, value) in [(&self.include, true), (&self.exclude, false)] {
            for pick in picks {
                for f in pick.facets(body, regions.as_ref()) {
                    chosen[f as usize] = value;
                }
            }
        }
        (0..chosen.len() as u32).filter(|&f| chosen[f as usize]).collect()
    }
}

impl Pick {
    fn facets(&self, body: &Body, regions: Option<&Regions>) -> Vec<u32> {
        let all = || 0..body.mesh.triangles.len() as u32;
        match self {
            Pick::Grow { at, angle } => match (nearest_facet(&body.mesh, *at), regions) {
                (Some((seed, _)), Some(regions)) => regions.grow(seed, *angle),
                _ => Vec::new(),
            },
            Pick::Facet { at } => nearest_facet(&body.mesh, *at).map(|(f, _)| f).into_iter().collect(),
            Pick::Label { name } => all()
                .filter(|&f| body.facts.labels.get(body.label(f) as usize).is_some_and(|l| l.name == *name))
                .collect(),
            Pick::Boundary { name } => match body.facts.boundaries.iter().position(|b| b.name == *name) {
                Some(number) => body.facets_of(number as u32),
                None => Vec::new(),
            },
            Pick::Unnamed => body.facets_of(NONE),
        }
    }
}
