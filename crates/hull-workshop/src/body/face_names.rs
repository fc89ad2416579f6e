//! Names that people gave to exact faces, kept while the facets are made again.

use crate::Body;
use crate::Role;
use crate::body::Boundary;
use crate::body::numbered::Numbered;
use hull_geometry::{FacetId, NONE};
use std::collections::HashMap;
use typed_index_collections::TiVec;

/// The boundary of each exact face, by the number of the face counted through all places.
#[derive(Clone, Debug, Default)]
pub struct FaceNames {
    boundaries: Vec<Boundary>,
    of_face: Vec<u32>,
}

impl FaceNames {
    /// A face's name is the one that most of its facets have.
    pub fn of(body: &Body) -> FaceNames {
        let mut counts: Vec<std::collections::BTreeMap<u32, usize>> = Vec::new();
        for (&face, &boundary) in body.columns.face.iter().zip(&body.columns.boundary) {
            if face != NONE {
                let face = face as usize;
                counts.resize_with(counts.len().max(face + 1), Default::default);
                *counts[face].entry(boundary).or_default() += 1;
            }
        }
        let most = |c: std::collections::BTreeMap<u32, usize>| {
            // Of equal counts the first name wins.
            c.into_iter().rev().max_by_key(|x| x.1).map_or(NONE, |x| x.0)
        };
        FaceNames { boundaries: body.facts.boundaries.clone(), of_face: counts.into_iter().map(most).collect() }
    }

    /// The name that a person gave to a face; those that the file brought do not count.
    pub fn given(&self, face: u32) -> Option<&Boundary> {
        let boundary = self.boundaries.get(*self.of_face.get(face as usize)? as usize)?;
        (boundary.from != "file").then_some(boundary)
    }

    /// Gives the names back to a body whose face `f` was face `old(f)` before.
    pub fn give_back(&self, body: &mut Body, old: impl Fn(u32) -> Option<u32>) {
        let roles: HashMap<&str, Option<Role>> = self.boundaries.iter().map(|x| (x.name.as_str(), x.role)).collect();
        for b in &mut body.facts.boundaries {
            b.role = roles.get(b.name.as_str()).copied().unwrap_or(b.role);
        }
        let names: TiVec<FacetId, Option<&Boundary>> =
            body.columns.face.iter().map(|&f| if f == NONE { None } else { self.given(old(f)?) }).collect();
        let mut boundaries = Numbered::of(std::mem::take(&mut body.facts.boundaries), |b| b.name.clone());
        for (facet, name) in names.into_iter_enumerated() {
            let Some(name) = name else { continue };
            body.columns.boundary[facet] = boundaries.number(name.name.clone(), |_| name.clone());
        }
        body.facts.boundaries = boundaries.list();
        body.drop_empty_boundaries();
    }
}
