//! Which way facets face.

use super::topology::MISDIRECTED;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe};
use crate::numbers::counted;
use hull_geometry::{Cancelled, Watch, orient};
use serde::{Deserialize, Serialize};

/// How many facets face inward.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Direction {
    /// Facets that must be turned for all to face outward; `None` while the surface is open.
    pub facets_to_turn: Option<usize>,
}

impl Probe for Direction {
    const COST: Cost = Cost::FirstLook;
    const PHRASE: &'static str = "telling inside from outside";
    const KINDS: &'static [&'static KindDef] = &[];
    const MEASURES: &'static [MeasureDef] =
        &[MeasureDef::of_facets("facets_to_turn", &[MISDIRECTED], &["turn_outward"], |_, survey| {
            match survey.direction.facets_to_turn {
                Some(n) => Measured::count(n),
                None => Measured::not_yet("once closed"),
            }
        })
        .words(|seen| match seen.survey.direction.facets_to_turn {
            Some(_) => Vec::new(),
            None => {
                let edges = counted(seen.survey.topology.misdirected_edges, "edge");
                vec![
                    format!(
                        "Inside and outside can be told apart once the surface is closed. Between facets that face \
                         opposite ways: {edges}."
                    )
                    .into(),
                ]
            }
        })];

    fn look(cx: &Context, watch: &Watch) -> Result<(Direction, Vec<Finding>), Cancelled> {
        let closed = cx.topology.open.is_empty();
        let to_turn = closed.then(|| orient::facets_to_turn(cx.mesh(), watch)).transpose()?;
        Ok((Direction { facets_to_turn: to_turn.map(|f| f.turned.len()) }, Vec::new()))
    }
}
