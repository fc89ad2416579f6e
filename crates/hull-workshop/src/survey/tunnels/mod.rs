//! Tunnels through shells.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Seen};
use crate::numbers::counted;
use crate::say;
use crate::sentence::length;
use hull_geometry::mesh::Bounds;
use hull_geometry::{Cancelled, Watch, handles};
use serde::{Deserialize, Serialize};

/// Handles of closed shells.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Tunnels {
    /// How many; the shortest way around one.
    pub handles: Seen,
}

/// A tunnel.
pub const TUNNEL: &KindDef = &KindDef { id: "handles", words: "tunnel" };

/// Bodies of more facets than this get their tunnels counted, but no loops around them.
const MOST_FOR_LOOPS: usize = 400_000;

impl Probe for Tunnels {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "looking for tunnels";
    const KINDS: &'static [&'static KindDef] = &[TUNNEL];
    const MEASURES: &'static [MeasureDef] =
        &[MeasureDef::of_facets("handles", &[TUNNEL], &["close_tunnels"], |facts, s| {
            Measured::worst(s.tunnels.handles, facts)
        })
        .words(|seen| {
            let found = seen.survey.tunnels.handles;
            let number = counted(found.count, "tunnel");
            match (found.count, found.size > 0.0) {
                (0, _) => Vec::new(),
                (_, true) => vec![say![format!("{number}, the smallest "), length(found.size), " around."]],
                (_, false) => vec![format!("{number}.").into()],
            }
        })];

    fn look(cx: &Context, watch: &Watch) -> Result<(Tunnels, Vec<Finding>), Cancelled> {
        let (mesh, topology) = (cx.mesh(), &cx.topology);
        let count = handles::handles(mesh, topology).into_iter().sum();
        if count == 0 || mesh.triangles.len() > MOST_FOR_LOOPS {
            return Ok((Tunnels { handles: Seen { count, size: 0.0 } }, Vec::new()));
        }
        let loops = handles::loops(mesh, topology, watch)?;
        let size = loops.first().map_or(0.0, |l| l.length);
        let of = |l: &handles::Loop| {
            let radius = Bounds::of(l.points.iter().map(|p| mesh.points[*p])).diagonal() / 2.0;
            cx.point(TUNNEL, l.points[0], radius, say!["tunnel, ", length(l.length), " around"])
        };
        Ok((Tunnels { handles: Seen { count, size } }, loops.iter().take(PLACES).map(of).collect()))
    }
}
