//! Small shells taken away.

use crate::Body;
use crate::numbers::counted;
use crate::say;
use crate::sentence::{Sentence, length};
use crate::steps::closing::shrink;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::mesh::{Bounds, FacetId};
use hull_geometry::topology::Topology;
use hull_geometry::{Mesh, Rebuilt};
use serde::{Deserialize, Serialize};

/// Takes shells away whose box has a diagonal of at most `up_to`.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropShells {
    /// The largest that goes.
    pub up_to: f64,
}

impl Operation for DropShells {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Drop shells";
    const HELP: &'static str = "Takes shells away up to a size: crumbs of scans, parts that got lost inside others.";

    fn title(&self) -> Sentence {
        say!["Drop shells up to ", length(self.up_to)]
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("up_to", "Size up to", Quantity::Length, "the diagonal of the largest shell that goes")];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let (tiny, lost) = (seen.survey.shells.tiny_shells, seen.survey.shells.lost_shells);
        let size = tiny.size.max(lost.size);
        if size == 0.0 {
            return None;
        }
        let mut found = Vec::new();
        if lost.count > 0 {
            found.push(format!("{} inside another, facing out", counted(lost.count, "shell")));
        }
        if tiny.count > 0 {
            found.push(format!("{} smaller than a hundredth of the body", counted(tiny.count, "shell")));
        }
        Proposal::because(DropShells { up_to: seen.limit(size) }, format!("{}.", found.join("; ")))
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let topology = Topology::of(&body.mesh, at.watch)?;
        let sizes = shell_sizes(&body.mesh, &topology);
        let small = |f: FacetId| sizes.get(topology.shell_of[f] as usize).is_some_and(|s| *s <= self.up_to);
        let gone = sizes.iter().filter(|s| **s <= self.up_to).count();
        if gone == 0 {
            return Err(say!["No shell is smaller than ", length(self.up_to), "."].into());
        }
        let rebuilt = Rebuilt::keeping(&body.mesh, |f| !small(f));
        let facets = body.mesh.triangles.len() - rebuilt.mesh.triangles.len();
        shrink(body, rebuilt, facets, "facets")?;
        Ok(format!("{} with {} dropped.", counted(gone, "shell"), counted(facets, "facet")).into())
    }
}

/// For each shell of a mesh the diagonal of its box.
pub fn shell_sizes(mesh: &Mesh, topology: &Topology) -> Vec<f64> {
    let mut boxes = vec![Bounds::EMPTY; topology.shells];
    for f in mesh.triangles.keys() {
        if let Some(b) = boxes.get_mut(topology.shell_of[f] as usize) {
            *b = mesh.corners(f).into_iter().fold(*b, Bounds::including);
        }
    }
    boxes.iter().map(Bounds::diagonal).collect()
}
