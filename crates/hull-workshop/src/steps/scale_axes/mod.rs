//! A factor for each axis.

use crate::Body;
use crate::body::{Placed, rules};
use crate::numbers::four_digits;
use crate::pieces::Piece;
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::Point;
use hull_geometry::vector::{V3, distance, unit};
use serde::{Deserialize, Serialize};

/// Stretches the body about the origin, each axis by a factor of its own.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ScaleAxes {
    /// Along x, y and z.
    pub factors: V3,
}

impl Operation for ScaleAxes {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Facets;
    const VERB: &'static str = "Stretch along axes";
    const HELP: &'static str = "Stretches the body about the origin by a factor for each axis. Round things do not stay \
                                round, and exact geometry is left behind; for a wrong unit set the unit instead.";

    fn title(&self) -> Sentence {
        format!(
            "Stretch by {}, {}, {}",
            four_digits(self.factors[0]),
            four_digits(self.factors[1]),
            four_digits(self.factors[2])
        )
        .into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] =
            &[Field::new("factors", "Factors", Quantity::Vector("×"), "along x, y and z; 1 leaves an axis as it is")
                .or("1, 1, 1")];
        FIELDS
    }

    fn propose(_: &Seen) -> Option<Proposal> {
        Proposal::possible(ScaleAxes { factors: [1.0; 3] })
    }

    fn run(&self, body: &mut Body, _: &At) -> Result<Report, Refusal> {
        if self.factors.iter().any(|f| !(1e-6..=1e6).contains(f)) {
            return Err("Factors go from 0.000001 to 1 000 000; to mirror the body, use Mirror.".into());
        }
        let stretched = |p: Point| std::array::from_fn(|k| p[k] * self.factors[k]);
        // Points stand where they are put; curves, sections and splats do not stay what they are.
        if let Some(piece) = body.pieces.iter_mut().find(|p| !matches!(p, Piece::Points(c) if c.splats.is_empty())) {
            return Err(format!(
                "The body has {} beside its surface, which are not stretched: take them out first.",
                piece.counted()
            )
            .into());
        }
        body.mesh.points.iter_mut().for_each(|p| *p = stretched(*p));
        if let Some(cloud) = body.cloud_mut() {
            cloud.points.iter_mut().for_each(|p| *p = stretched(*p));
            for n in &mut cloud.normals {
                let by: V3 = std::array::from_fn(|k| f64::from(n[k]) / self.factors[k]);
                *n = unit(by).unwrap_or_default().map(|x| x as f32);
            }
        }
        let places = body.facts.measures.iter_mut().flat_map(|m| &mut m.places);
        places.for_each(|p| *p = stretched(*p));
        // Of lines that were too many to be kept there is no length after it.
        body.facts.seams.retain(|s| !s.lines.is_empty());
        for seam in &mut body.facts.seams {
            seam.lines.as_flattened_mut().iter_mut().for_each(|p| *p = stretched(*p));
            (seam.at, seam.length) = (stretched(seam.at), seam.lines.iter().map(|l| distance(l[0], l[1])).sum());
        }
        rules::stretched(body, self.factors);
        body.facts.placed.get_or_insert(Placed::NONE).stretched = true;
        // Fitted shapes do not stay what they were.
        let datums = std::mem::take(&mut body.facts.datums).len();
        let volume = self.factors.iter().product::<f64>();
        let lost = if datums > 0 {
            format!(" {} forgotten.", crate::numbers::counted(datums, "datum"))
        } else {
            String::new()
        };
        Ok(format!("Volumes are {} times what they were.{lost}", four_digits(volume)).into())
    }
}
