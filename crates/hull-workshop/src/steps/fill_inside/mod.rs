//! The region that a fluid fills in a solid part: its openings are closed, and what they close in is kept.

use crate::Body;
use crate::body::{Boundary, Columns, Facts, Role};
use crate::numbers::{counted, four_digits};
use crate::sentence::Sentence;
use crate::steps::{At, Field, Kinds, Operation, Proposal, Quantity, Refusal, Report, Seen, Touches};
use hull_geometry::caps::{Mouth, mouths, plug};
use hull_geometry::vector::{distance, solid_angle};
use hull_geometry::{FacetId, Mesh, NONE, Point, measure};
use hull_solids::combine::CombineError;
use hull_solids::regions::{Regions, regions};
use serde::{Deserialize, Serialize};
use typed_index_collections::{TiSlice, TiVec, ti_vec};

/// Keeps the inside of a closed solid part.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct FillInside {
    /// Places near the openings that are closed; without any, all that are found.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub openings: Vec<Point>,
    /// A place in the region that is meant; without one the largest.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub seed: Vec<Point>,
}

/// Plugs stand out by this part of their mouth's size.
const DEPTH: f64 = 0.05;

impl Operation for FillInside {
    const NEEDS: Kinds = Kinds::Surface;
    const TOUCHES: Touches = Touches::Exact;
    const VERB: &'static str = "Keep the inside";
    const HELP: &'static str = "Takes the space that a fluid fills in a closed solid part: every bore that opens \
                                outside, in a flat or curved face with a sharp rim, is closed there by a cap, named “opening 1” (the largest), 2, 3 …, and what walls \
                                and caps close in is kept. Give places near openings to close only those, and a place \
                                inside where there are several spaces.";

    fn title(&self) -> Sentence {
        "Keep the inside".into()
    }

    fn fields() -> &'static [Field] {
        const FIELDS: &[Field] = &[
            Field::new(
                "openings",
                "Only the openings near",
                Quantity::Places,
                "x, y, z; x, y, z …; left out, all that are found",
            )
            .optional(),
            Field::new("seed", "the space at", Quantity::Places, "x, y, z in it; left out, the largest").optional(),
        ];
        FIELDS
    }

    fn propose(seen: &Seen) -> Option<Proposal> {
        let closed = seen.survey.topology.closed && seen.survey.size.triangles > 0;
        closed.then(|| Proposal::possible(FillInside { openings: Vec::new(), seed: Vec::new() })).flatten()
    }

    fn run(&self, body: &mut Body, at: &At) -> Result<Report, Refusal> {
        at.watch.report(0.05, "looking for openings")?;
        let mut found = self.chosen(mouths(&body.mesh))?;
        found.sort_by(|a, b| {
            b.area.total_cmp(&a.area).then(a.at[0].total_cmp(&b.at[0])).then(a.at[1].total_cmp(&b.at[1]))
        });
        let mut all: Mesh = body.mesh.clone();
        let mut body_of: TiVec<FacetId, u32> = ti_vec![0; all.triangles.len()];
        for (i, m) in found.iter().enumerate() {
            let size = m.area.sqrt();
            let made = plug(&body.mesh, m, DEPTH * size);
            let made = made.ok_or_else(|| {
                Refusal::from(format!("The opening at {} crosses itself: no cap closes it.", place(m.at)))
            })?;
            all.append(&made);
            body_of.resize(all.triangles.len(), i as u32 + 1);
        }
        let rank: Vec<u32> = (0..=found.len() as u32).rev().collect();
        let parted = regions(&all, &body_of, &rank, true, at.watch).map_err(|e| match e {
            CombineError::Cancelled(c) => Refusal::Cancelled(c),
            CombineError::Open => {
                "The part must be closed and face outward first: close it, or fill the holes of an open \
                                   surface instead."
                    .into()
            }
            CombineError::Nothing => "The openings close in nothing.".into(),
        })?;
        let space = self.space(&parted, found.len() as u32 + 1)?;
        let (made, used) = kept(body, &parted, space, &body_of, &found);
        let others = parted.count - found.len() - 2;
        let volume = measure::mass(&made.mesh, &made.bounds()).volume;
        let unit = body.facts.length_unit().symbol();
        let caps: Vec<String> = used
            .iter()
            .map(|i| format!("opening {} of {} {unit}² at {}", i + 1, four_digits(found[*i].area), place(found[*i].at)))
            .collect();
        let more =
            if others > 0 { format!(" {} left out.", counted(others, "other closed space")) } else { String::new() };
        *body = made;
        Ok(format!("The inside holds {} {unit}³; {}.{more}", four_digits(volume), caps.join(", ")).into())
    }
}

fn place(p: Point) -> String {
    p.map(four_digits).join(", ")
}

impl FillInside {
    /// The openings that are meant.
    fn chosen(&self, all: Vec<Mouth>) -> Result<Vec<Mouth>, Refusal> {
        if all.is_empty() {
            return Err("No opening was found: a bore must open outside with a sharp rim. Fill holes closes the rims of an open surface.".into());
        }
        if self.openings.is_empty() {
            return Ok(all);
        }
        let mut out: Vec<Mouth> = Vec::new();
        for p in &self.openings {
            let near = all.iter().min_by(|a, b| distance(a.at, *p).total_cmp(&distance(b.at, *p)));
            if let Some(m) = near.filter(|m| !out.contains(m)) {
                out.push(m.clone());
            }
        }
        Ok(out)
    }

    /// The number of the region that is meant.
    fn space(&self, parted: &Regions, first: u32) -> Result<u32, Refusal> {
        if parted.count as u32 <= first {
            return Err(
                "Nothing is closed in: a way leads outside. Are all openings closed, and is every wall whole?".into()
            );
        }
        let Some(seed) = self.seed.first() else { return Ok(first) };
        let holds = |k: u32| {
            let (mesh, _) = parted.surface(k);
            winding(&mesh, *seed) > 0.5
        };
        (first..parted.count as u32).find(|k| holds(*k)).ok_or_else(|| {
            format!("{} is in no closed space: give a place in the one that is meant.", place(*seed)).into()
        })
    }
}

/// How often a surface winds round a point.
fn winding(mesh: &Mesh, at: Point) -> f64 {
    let angles = mesh.triangles.keys().map(|f| solid_angle(at, mesh.corners(f)));
    angles.sum::<f64>() / (4.0 * std::f64::consts::PI)
}

/// The space as a body, with the openings that bound it.
fn kept(
    body: &Body,
    parted: &Regions,
    space: u32,
    body_of: &TiSlice<FacetId, u32>,
    found: &[Mouth],
) -> (Body, Vec<usize>) {
    let (mesh, of) = parted.surface(space);
    let mut boundaries: Vec<Boundary> = Vec::new();
    let mut used: Vec<usize> = Vec::new();
    let mut number = |b: Boundary| -> u32 {
        let at = boundaries.iter().position(|x| x.name == b.name).unwrap_or_else(|| {
            boundaries.push(b);
            boundaries.len() - 1
        });
        at as u32
    };
    let mut boundary = TiVec::with_capacity(of.len());
    let mut label = TiVec::with_capacity(of.len());
    for &i in &of {
        let s = &parted.facets[i];
        let other = if s.back == space { s.front } else { s.back };
        // Beyond a cap lies its plug; what else bounds the space is the part's own wall.
        if other != NONE && other > 0 && (other as usize) <= found.len() {
            let k = other as usize - 1;
            if !used.contains(&k) {
                used.push(k);
            }
            boundary.push(number(Boundary::new(format!("opening {}", k + 1), None, "cap")));
            label.push(0);
            continue;
        }
        let source = s.source;
        let own = body_of[source] == 0;
        let named = body.columns.boundary.get(source).filter(|_| own);
        boundary.push(match named.and_then(|b| body.facts.boundaries.get(*b as usize)) {
            Some(b) => number(b.clone()),
            None => number(Boundary::new("wall", Some(Role::Wall), "the rest")),
        });
        label.push(if own { body.label(source) } else { 0 });
    }
    used.sort_unstable();
    let mut facts = Facts { boundaries, ..body.facts.clone() };
    facts.exact = None;
    facts.edge_names.clear();
    facts.rules.clear();
    let label = if body.facts.labels.is_empty() { TiVec::new() } else { label };
    (Body { facts, mesh, columns: Columns { boundary, label, ..Columns::default() }, ..Body::default() }, used)
}
