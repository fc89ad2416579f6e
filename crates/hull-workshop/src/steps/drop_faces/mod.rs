//! Picked faces taken away.

use crate::Body;
use crate::exact::{Exact, kept, old_numbers, renew};
use crate::numbers::counted;
use crate::selection::Selection;
use crate::sentence::Sentence;
use crate::steps::closing::shrink;
use crate::steps::field::NOTHING_PICKED;
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_exact::model::PartId;
use hull_exact::shape::FaceId;
use hull_geometry::{Cancelled, FacetId, NONE, Rebuilt};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use typed_index_collections::{TiVec, ti_vec};

/// Takes the picked faces away: exact ones whole, of a body without exact geometry the picked facets.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DropFaces {
    /// Which.
    pub pick: Selection,
}

impl Operation for DropFaces {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Drop picked";
    const HELP: &'static str = "Takes the picked faces away: exact ones whole, in every place where their part stands.";

    fn title(&self) -> Sentence {
        "Drop faces".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[Field::new("pick", "The picked faces", Quantity::Pick, "which facets go")];
        FIELDS
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let facets = self.pick.facets(body);
        if facets.is_empty() {
            return Err(NOTHING_PICKED.into());
        }
        if facets.len() == body.mesh.triangles.len() {
            return Err("Nothing would be left.".into());
        }
        if body.facts.exact.as_ref().is_some_and(|e| !e.facets_changed) {
            return drop_exact(body, &facets, at);
        }
        let rebuilt = Rebuilt::keeping(&body.mesh, |f| facets.binary_search(&f).is_err());
        let report = shrink(body, rebuilt, facets.len(), "facets")?;
        if let Some(exact) = &mut body.facts.exact {
            exact.facets_changed = true;
        }
        Ok(report)
    }
}

/// The exact faces of some facets taken away.
fn drop_exact(body: &mut Body, facets: &[FacetId], at: &At) -> Result<Report, Refusal> {
    let (exact, facts) = kept(body).ok_or("The body has no exact geometry.")?;
    let picked: BTreeSet<u32> =
        facets.iter().filter_map(|f| body.columns.face.get(*f).copied()).filter(|f| *f != NONE).collect();
    let mut gone: TiVec<PartId, BTreeSet<FaceId>> = ti_vec![BTreeSet::new(); exact.model.parts.len()];
    let mut first = 0;
    for part in exact.model.nodes.iter().filter_map(|n| n.part) {
        let count = exact.model.parts[part].shape.faces.len() as u32;
        gone[part].extend(picked.range(first..first + count).map(|f| FaceId(f - first)));
        first += count;
    }
    let mut left: TiVec<PartId, Vec<FaceId>> = TiVec::new();
    let mut each = gone.iter();
    let model = exact.model.with_parts(|part| {
        at.watch.check()?;
        let gone = each.next().cloned().unwrap_or_default();
        left.push(part.shape.faces.keys().filter(|f| !gone.contains(f)).collect());
        let shape = hull_exact::edit::without_faces(&part.shape, &gone);
        Ok::<_, Cancelled>(hull_exact::model::Part { shape, ..part.clone() })
    })?;
    let faces: usize = gone.iter().map(BTreeSet::len).sum();
    if faces == 0 || model.parts.iter().all(|p| p.shape.faces.is_empty()) {
        return Err(if faces == 0 { "No exact face is picked." } else { "Nothing would be left." }.into());
    }
    let old = old_numbers(&exact.model, &left);
    renew(body, Exact { model, ..exact }, facts, |f| old.get(f as usize).copied(), at.watch)?;
    Ok(format!("{} taken away; the rest stays exact.", counted(faces, "face")).into())
}
