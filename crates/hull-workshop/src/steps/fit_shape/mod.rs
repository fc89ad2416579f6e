//! A plane, cylinder or other shape fitted to picked faces or points, kept as a datum.

use crate::Body;
use crate::datums::Datum;
use crate::say;
use crate::selection::Selection;
use crate::sentence::{Sentence, length};
use crate::steps::{At, Field, Kinds, Operation, Quantity, Refusal, Report, Touches};
use hull_fitting::{FitError, Kind, fit};
use hull_geometry::vector::{V3, unit};
use hull_geometry::{Point, PointId};
use serde::{Deserialize, Serialize};

/// Fits a shape and keeps it under a name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FitShape {
    /// What is fitted.
    pub kind: Kind,
    /// The datum's name; one of that name is replaced.
    pub name: String,
    /// Which facets; of a body without facets all points count.
    #[serde(default)]
    pub pick: Selection,
    /// Two corners of a box; only points in it count.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub within: Vec<Point>,
}

/// The kinds of shape, as a field.
pub const KINDS: Quantity = Quantity::Choice(&[
    ("plane", "plane"),
    ("line", "line"),
    ("circle", "circle"),
    ("cylinder", "cylinder"),
    ("sphere", "sphere"),
    ("cone", "cone"),
    ("torus", "torus"),
]);

impl Operation for FitShape {
    const NEEDS: Kinds = Kinds::Any;
    const TOUCHES: Touches = Touches::Names;
    const VERB: &'static str = "Fit a shape";
    const HELP: &'static str = "Fits a plane, line, circle, cylinder, sphere, cone or torus to the picked faces (of a \
                                body of points: to its points) by least squares and keeps it as a datum with its \
                                diameter and what is left over.";

    fn title(&self) -> Sentence {
        format!("Fit {} “{}”", self.kind.name(), self.name).into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new("kind", "Fit a", KINDS, "the kind of shape").or("plane"),
            Field::new("name", "called", Quantity::Text(1, 80), "the datum's name").or("datum"),
            Field::new(
                "pick",
                "to the picked faces",
                Quantity::PickOrUnnamed,
                "which facets; without any, all that have no name",
            ),
            Field::new("within", "only within the box", Quantity::Places, "two corners; left out, everything picked")
                .optional(),
        ];
        FIELDS
    }

    fn propose(_: &crate::steps::Seen) -> Option<crate::steps::Proposal> {
        crate::steps::Proposal::possible(FitShape {
            kind: Kind::Plane,
            name: "datum".into(),
            pick: Selection::default(),
            within: Vec::new(),
        })
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        let (mut points, normals) = places(body, &self.pick)?;
        match self.within.as_slice() {
            [] => {}
            [a, b] => points.retain(|p| (0..3).all(|k| p[k] >= a[k].min(b[k]) && p[k] <= a[k].max(b[k]))),
            _ => return Err("The box has two corners: x, y, z; x, y, z.".into()),
        }
        let found = fit(self.kind, &points, &normals, at.watch).map_err(|e| match e {
            FitError::Cancelled(c) => c.into(),
            other => Refusal::from(other.to_string()),
        })?;
        let datum = Datum { name: self.name.trim().into(), fit: found };
        let sizes = datum.sizes();
        let head: Sentence = format!("{} “{}”, ", capital(self.kind.name()), datum.name).into();
        let head = if sizes == Sentence::from("") { head } else { head.and(sizes).and("; ".into()) };
        let sentence = head.and(say![
            "root mean square ",
            length(found.rms),
            ", largest ",
            length(found.largest),
            format!(" over {} points.", crate::numbers::count(found.points)),
        ]);
        body.facts.datums.retain(|d| d.name != datum.name);
        body.facts.datums.push(datum);
        Ok(sentence.into())
    }
}

fn capital(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default() + letters.as_str()
}

/// The corners of picked facets, each once, and the facets' normals; or all points of a body without facets.
fn places(body: &Body, pick: &Selection) -> Result<(Vec<Point>, Vec<V3>), Refusal> {
    if !body.has_surface() {
        return Ok((body.all_points(), Vec::new()));
    }
    let facets = pick.facets(body);
    if facets.is_empty() {
        return Err(crate::steps::field::NOTHING_PICKED.into());
    }
    let mut used: Vec<PointId> = facets.iter().flat_map(|&f| body.mesh.triangles[f]).collect();
    used.sort_unstable();
    used.dedup();
    let points = used.into_iter().map(|p| body.mesh.points[p]).collect();
    let normals = facets.iter().filter_map(|&f| unit(body.mesh.area_vector(f))).collect();
    Ok((points, normals))
}
