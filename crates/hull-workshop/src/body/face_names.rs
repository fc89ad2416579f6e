//! Names that people gave to exact faces, kept while the facets are made again.

use crate::Body;
use crate::body::Boundary;
use hull_geometry::NONE;

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
        for b in &mut body.facts.boundaries {
            let same = self.boundaries.iter().find(|x| x.name == b.name);
            b.role = same.map_or(b.role, |x| x.role);
        }
        let names: Vec<Option<&Boundary>> =
            body.columns.face.iter().map(|&f| if f == NONE { None } else { self.given(old(f)?) }).collect();
        for (facet, name) in names.into_iter().enumerate() {
            let Some(name) = name else { continue };
            let boundaries = &mut body.facts.boundaries;
            let at = boundaries.iter().position(|b| b.name == name.name).unwrap_or_else(|| {
                boundaries.push(name.clone());
                boundaries.len() - 1
            });
            body.columns.boundary[facet] = at as u32;
        }
        body.drop_empty_boundaries();
    }
}
