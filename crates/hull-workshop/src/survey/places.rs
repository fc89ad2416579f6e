//! A body as probes look at it, and its facets and points as places.

use super::{Finding, Kind, KindDef};
use crate::Body;
use crate::sentence::{LengthUnit, Sentence};
use hull_formats::Label;
use hull_geometry::measure::{self, GroupFigures};
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::sets::Sets;
use hull_geometry::topology::{OpenEdge, Topology, open_loops};
use hull_geometry::vector::{add, dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, Point, Watch};
use std::cell::OnceCell;
use std::collections::BTreeMap;

/// Places listed of one kind at most; the figures always count all.
pub const PLACES: usize = 400;

/// A body with what every probe asks for first.
pub struct Context<'a> {
    /// The body.
    pub body: &'a Body,
    /// How its facets hang together.
    pub topology: Topology,
    /// The box of what is shown.
    pub bounds: Bounds,
    /// The diagonal of the facets' box.
    pub diagonal: f64,
    per_shell: OnceCell<Vec<GroupFigures>>,
}

impl<'a> Context<'a> {
    /// Walks the facets once.
    ///
    /// # Errors
    /// [`Cancelled`].
    pub fn of(body: &'a Body, watch: &Watch) -> Result<Context<'a>, Cancelled> {
        let topology = Topology::of(&body.mesh, watch)?;
        Ok(Context {
            body,
            topology,
            bounds: body.bounds(),
            diagonal: body.mesh.bounds().diagonal(),
            per_shell: OnceCell::new(),
        })
    }

    /// Facets, area and volume of each shell. Volumes are about the middle of the facets' box, where rounding takes
    /// least.
    pub fn per_shell(&self) -> &[GroupFigures] {
        let measured = || {
            let (mesh, t) = (self.mesh(), &self.topology);
            measure::figures_by_group(mesh, &t.shell_of, t.shells, mesh.bounds().centre())
        };
        self.per_shell.get_or_init(measured)
    }

    /// The facets.
    pub fn mesh(&self) -> &'a Mesh {
        &self.body.mesh
    }

    /// What lengths are said in.
    pub fn unit(&self) -> LengthUnit {
        self.body.facts.length_unit()
    }

    /// A sentence in the body's unit.
    pub fn say(&self, sentence: Sentence) -> String {
        sentence.text(self.unit())
    }

    /// Away from the middle of the body, whichever way a facet happens to face.
    fn seen_from(&self, normal: Point, at: Point) -> Point {
        scale(normal, if dot(normal, sub(at, self.bounds.centre())) < 0.0 { -1.0 } else { 1.0 })
    }

    /// A facet as a place.
    pub fn at(&self, kind: &'static KindDef, facet: FacetId, radius: f64, text: Sentence) -> Finding {
        let at = Bounds::of(self.mesh().corners(facet)).centre();
        self.seen(kind, at, facet, radius, text)
    }

    /// A place beside a facet, seen from the side to which that faces.
    pub fn seen(&self, kind: &'static KindDef, at: Point, facet: FacetId, radius: f64, text: Sentence) -> Finding {
        let normal = unit(self.mesh().area_vector(facet)).unwrap_or_default();
        let (kind, text) = (Kind::of(kind), self.say(text));
        Finding { kind, at, radius, from: self.seen_from(normal, at), text }
    }

    /// A point as a place.
    pub fn point(&self, kind: &'static KindDef, point: PointId, radius: f64, text: Sentence) -> Finding {
        self.anywhere(kind, self.mesh().points[point], radius, text)
    }

    /// A place that no facet belongs to.
    pub fn anywhere(&self, kind: &'static KindDef, at: Point, radius: f64, text: Sentence) -> Finding {
        let from = unit(sub(at, self.bounds.centre())).unwrap_or_default();
        Finding { kind: Kind::of(kind), at, radius, from, text: self.say(text) }
    }

    /// Edges that hang together, as one place each, the longest first.
    pub fn loops(
        &self,
        kind: &'static KindDef,
        list: &[OpenEdge],
        text: impl Fn(usize, f64) -> Sentence,
    ) -> Vec<Finding> {
        let points = &self.mesh().points;
        let of = |group: hull_geometry::topology::OpenLoop| {
            // The middle of the box of a ring lies in the air: point at one of its edges.
            let e = &list[group.edges[0] as usize];
            let at = scale(add(points[e.from], points[e.to]), 0.5);
            let (radius, text) = (group.bounds.diagonal() / 2.0, text(group.edges.len(), group.length));
            if e.facet == FacetId::NONE {
                self.anywhere(kind, at, radius, text)
            } else {
                self.seen(kind, at, e.facet, radius, text)
            }
        };
        open_loops(self.mesh(), list).into_iter().take(PLACES).map(of).collect()
    }

    /// The area of some facets.
    pub fn area(&self, facets: &[FacetId]) -> f64 {
        facets.iter().map(|f| norm(self.mesh().area_vector(*f)) / 2.0).sum()
    }

    /// Half the extent of some facets.
    pub fn radius(&self, facets: &[FacetId]) -> f64 {
        Bounds::of(facets.iter().flat_map(|f| self.mesh().corners(*f))).diagonal() / 2.0
    }

    /// Facets that hang together over points, the most first.
    pub fn groups(&self, facets: &[FacetId]) -> Vec<Vec<FacetId>> {
        let mut at: BTreeMap<PointId, u32> = BTreeMap::new();
        let sets = Sets::new(facets.len());
        for (i, f) in facets.iter().enumerate() {
            for p in self.mesh().triangles[*f] {
                match at.get(&p) {
                    Some(&other) => sets.unite(other, i as u32),
                    None => {
                        at.insert(p, i as u32);
                    }
                }
            }
        }
        let mut groups: BTreeMap<u32, Vec<FacetId>> = BTreeMap::new();
        for (i, f) in facets.iter().enumerate() {
            groups.entry(sets.root(i as u32)).or_default().push(*f);
        }
        let mut groups: Vec<Vec<FacetId>> = groups.into_values().collect();
        groups.sort_by_key(|g| (std::cmp::Reverse(g.len()), g[0]));
        groups
    }

    /// What the file calls a label, in words.
    pub fn label_words(&self, label: u32) -> String {
        let Some(Label { name, material }) = self.body.facts.labels.get(label as usize) else {
            return "no name".into();
        };
        match (name.as_str(), material) {
            ("", None) => "no name".into(),
            ("", Some(colour)) => colour.clone(),
            (name, None) => name.into(),
            (name, Some(colour)) => format!("{name}, {colour}"),
        }
    }
}
