//! Facets and points of a bad shape: spikes, folds, needles, caps, lone points.

use super::places::PLACES;
use super::{Context, Cost, Finding, KindDef, MeasureDef, Measured, Probe, Seen};
use crate::say;
use crate::sentence::length;
use hull_geometry::vector::{distance, norm};
use hull_geometry::{Cancelled, FacetId, Watch, folds, spikes};
use serde::{Deserialize, Serialize};
use typed_index_collections::ti_vec;

/// Shapes that a scan or a cut leaves behind.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Shapes {
    /// Points drawn out of the surface; the highest.
    pub spikes: Seen,
    /// Neighbours folded back on each other; the area of the largest.
    pub folds: Seen,
    /// Facets with one very short edge; the longest.
    pub needles: Seen,
    /// Facets with one very wide angle; the longest.
    pub caps: Seen,
    /// Points that no facet uses.
    pub isolated_points: Seen,
}

/// A point drawn out of the surface.
pub const SPIKE: &KindDef = &KindDef { id: "spikes", words: "spike" };
/// Neighbours folded back on each other.
pub const FOLD: &KindDef = &KindDef { id: "folds", words: "folded back" };
/// A facet with one very short edge.
pub const NEEDLE: &KindDef = &KindDef { id: "needles", words: "needle" };
/// A facet with one very wide angle.
pub const CAP: &KindDef = &KindDef { id: "caps", words: "cap" };
/// A point that no facet uses.
pub const LONE_POINT: &KindDef = &KindDef { id: "isolated_points", words: "lone point" };

impl Probe for Shapes {
    const COST: Cost = Cost::ByAndBy;
    const PHRASE: &'static str = "looking for spikes, folds, needles and caps";
    const KINDS: &'static [&'static KindDef] = &[SPIKE, FOLD, NEEDLE, CAP, LONE_POINT];
    const MEASURES: &'static [MeasureDef] = &[
        MeasureDef::of_facets("spikes", &[SPIKE], &["flatten_spikes"], |facts, s| {
            Measured::worst(s.shapes.spikes, facts)
        }),
        MeasureDef::of_facets("folds", &[FOLD], &["mend_thin", "cut_crossings"], |facts, s| {
            Measured::worst(Seen { size: 0.0, ..s.shapes.folds }, facts)
        })
        .words(|seen| match seen.survey.shapes.folds.count {
            0 => Vec::new(),
            _ => vec![
                "A feather edge is meant to be so sharp; a fold is not. Thin folds go with mending; folds over a wide area \
                 go with cutting, once the surface is closed."
                    .into(),
            ],
        }),
        MeasureDef::of_facets("bad_shapes", &[NEEDLE, CAP], &["mend_thin", "coarsen"], |facts, s| {
            let (needles, caps) = (s.shapes.needles, s.shapes.caps);
            Measured::worst(Seen { count: needles.count + caps.count, size: needles.size.max(caps.size) }, facts)
        }),
        MeasureDef::of_facets("isolated_points", &[LONE_POINT], &[], |facts, s| {
            Measured::worst(s.shapes.isolated_points, facts)
        })
        .words(|seen| match seen.survey.shapes.isolated_points.count {
            0 => Vec::new(),
            _ => vec!["They stay with the body as received and are never handed over.".into()],
        }),
    ];

    fn look(cx: &Context, watch: &Watch) -> Result<(Shapes, Vec<Finding>), Cancelled> {
        let mut shapes = Shapes::default();
        let mut found = Vec::new();
        look_for_spikes(cx, &mut shapes, &mut found);
        watch.check()?;
        look_for_folds(cx, &mut shapes, &mut found);
        watch.check()?;
        look_for_bad_shapes(cx, &mut shapes, &mut found);
        look_for_lone_points(cx, &mut shapes, &mut found);
        Ok((shapes, found))
    }
}

fn look_for_spikes(cx: &Context, shapes: &mut Shapes, found: &mut Vec<Finding>) {
    let list = spikes::spikes(cx.mesh());
    shapes.spikes = Seen { count: list.len(), size: list.first().map_or(0.0, |s| s.height) };
    for s in list.iter().take(PLACES) {
        found.push(cx.point(SPIKE, s.point, s.height, say!["point drawn out by ", length(s.height)]));
    }
}

fn look_for_folds(cx: &Context, shapes: &mut Shapes, found: &mut Vec<Finding>) {
    let folded = folds::folds(cx.mesh());
    let area = |f: FacetId| norm(cx.mesh().area_vector(f)) / 2.0;
    let largest = folded.iter().map(|f| area(f[0]).min(area(f[1]))).fold(0.0, f64::max);
    shapes.folds = Seen { count: folded.len(), size: largest };
    for f in folded.iter().take(PLACES) {
        found.push(cx.at(FOLD, f[0], cx.radius(f), "facets folded back on each other".into()));
    }
}

fn look_for_bad_shapes(cx: &Context, shapes: &mut Shapes, found: &mut Vec<Finding>) {
    let bad = folds::bad_shapes(cx.mesh());
    let longest = |f: &FacetId| {
        let c = cx.mesh().corners(*f);
        (0..3).map(|k| distance(c[k], c[(k + 1) % 3])).fold(0.0, f64::max)
    };
    let mut tell = |kind: &'static KindDef, mut list: Vec<FacetId>, what: &'static str| {
        list.sort_by(|a, b| longest(b).total_cmp(&longest(a)).then(a.cmp(b)));
        for f in list.iter().take(PLACES) {
            found.push(cx.at(kind, *f, longest(f) / 2.0, say![what, length(longest(f)), " long"]));
        }
        Seen { count: list.len(), size: list.first().map_or(0.0, longest) }
    };
    shapes.needles = tell(NEEDLE, bad.needles, "needle ");
    shapes.caps = tell(CAP, bad.caps, "cap ");
}

fn look_for_lone_points(cx: &Context, shapes: &mut Shapes, found: &mut Vec<Finding>) {
    let mesh = cx.mesh();
    shapes.isolated_points.count = mesh.points.len().saturating_sub(cx.topology.used_points);
    if shapes.isolated_points.count == 0 {
        return;
    }
    let mut used = ti_vec![false; mesh.points.len()];
    mesh.triangles.iter().flatten().for_each(|p| used[*p] = true);
    for p in mesh.points.keys().filter(|p| !used[*p]).take(PLACES) {
        found.push(cx.point(LONE_POINT, p, cx.diagonal / 100.0, "point that no facet uses".into()));
    }
}
