//! A boundary taken apart into its connected pieces.

use crate::Body;
use crate::body::Boundary;
use crate::sentence::Sentence;
use crate::steps::set_role::number_of;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_geometry::FacetId;
use hull_geometry::regions::Regions;
use hull_geometry::vector::norm;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Boundaries come apart into this many pieces at most; more are no parts that anybody names.
const MOST_PIECES: usize = 1000;
/// Facets are connected whatever the angle between them.
const ANY_ANGLE: f64 = 180.0;

/// Takes a boundary apart.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct SplitBoundary {
    /// The boundary.
    pub name: String,
}

impl Operation for SplitBoundary {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Take apart";
    const HELP: &'static str = "Takes a boundary apart into its connected pieces, the largest first: “wall 1”, “wall 2”, and so \
                                on. Each keeps the role.";

    fn title(&self) -> Sentence {
        format!("Take “{}” apart", self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("name", "Name", Quantity::Text(1, 80), "the boundary")];
        FIELDS
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        let name = &self.name;
        let number = number_of(body, name)?;
        let pieces = connected(body, &body.facets_of(number));
        if pieces.len() < 2 {
            return Err(format!("“{name}” is one connected piece.").into());
        }
        if pieces.len() > MOST_PIECES {
            return Err(
                format!("“{name}” would come apart into {} pieces, more than {MOST_PIECES}.", pieces.len()).into()
            );
        }
        let role = body.facts.boundaries[number as usize].role;
        for (k, piece) in pieces.iter().enumerate() {
            let title = free_name(body, name, k + 1);
            body.facts.boundaries.push(Boundary::new(title, role, "taken apart"));
            let own = body.facts.boundaries.len() as u32 - 1;
            for &f in piece {
                body.columns.boundary[f] = own;
            }
        }
        body.facts.rules.retain(|r| r.name != *name);
        body.drop_empty_boundaries();
        Ok(format!("“{name}” came apart into {} pieces.", pieces.len()).into())
    }
}

/// The connected pieces of some facets, the largest area first, those of one area by their first facet.
fn connected(body: &Body, facets: &[FacetId]) -> Vec<Vec<FacetId>> {
    let regions = Regions::new(&body.mesh);
    let mut left: BTreeSet<FacetId> = facets.iter().copied().collect();
    let mut pieces: Vec<(f64, Vec<FacetId>)> = Vec::new();
    while let Some(seed) = left.pop_first() {
        let (mut piece, mut open) = (vec![seed], vec![seed]);
        while let Some(f) = open.pop() {
            for g in (0..3).filter_map(|edge| regions.connected(f, edge, ANY_ANGLE)) {
                if left.remove(&g) {
                    piece.push(g);
                    open.push(g);
                }
            }
        }
        piece.sort_unstable();
        pieces.push((piece.iter().map(|&f| norm(body.mesh.area_vector(f)) / 2.0).sum(), piece));
    }
    pieces.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1[0].cmp(&b.1[0])));
    pieces.into_iter().map(|p| p.1).collect()
}

/// “name 1”, or what no boundary is called yet.
fn free_name(body: &Body, name: &str, k: usize) -> String {
    let is_taken = |title: &String| body.facts.boundaries.iter().any(|b| b.name == *title);
    let plain = format!("{name} {k}");
    if is_taken(&plain) {
        (2..).map(|n| format!("{plain} ({n})")).find(|t| !is_taken(t)).unwrap_or(plain)
    } else {
        plain
    }
}
