//! Outlines where planes meet a body, as a body of lines, with the figures of each.

use crate::Body;
use crate::numbers::{counted, four_digits};
use crate::steps::StepError;
use hull_exact::Motion;
use hull_exact::curve::{Curve, Piece};
use hull_exact::frame::Frame;
use hull_exact::nurbs::NurbsCurve;
use hull_exact::wires::Wires;
use hull_fitting::outline;
use hull_formats::bundles::{Bundles, straight};
use hull_geometry::Point;
use hull_geometry::section::{Figures, Outline, figures, outlines};
use hull_geometry::vector::{add, distance, scale, sub, unit};

/// One section.
#[derive(Clone, Debug, PartialEq)]
pub struct Section {
    /// The layer its outlines stand on.
    pub name: String,
    /// A place on its plane.
    pub at: Point,
    /// How many outlines run round.
    pub closed: usize,
    /// How many do not.
    pub open: usize,
    /// Its area's figures.
    pub figures: Figures,
    /// How many lines, arcs and splines its outlines became, and how far they are from them; `None`: they stay polylines.
    pub fitted: Option<([usize; 3], f64)>,
}

/// Sections at most.
const MOST: usize = 1000;

/// Cuts `count` planes through a body, the first at `at`, each `every` further along `normal`; gives a body of lines, one layer a section, and
/// the figures of each that meets the body. Outlines become lines, arcs and splines within `fit`, or stay polylines.
///
/// # Errors
/// If the direction or the number cannot be, or no plane meets the body.
pub fn sections(
    body: &Body,
    at: Point,
    normal: Point,
    count: usize,
    every: f64,
    fit: Option<f64>,
) -> Result<(Body, Vec<Section>), StepError> {
    let refused = |sentence: &str| StepError::Refused(sentence.into());
    let normal = unit(normal).filter(|_| at.iter().all(|x| x.is_finite()));
    let normal = normal.ok_or_else(|| refused("The plane needs a place and a direction that is not 0, 0, 0."))?;
    if fit.is_some_and(|f| !(f > 0.0 && f.is_finite())) {
        return Err(refused("The tolerance of the fit must be above 0."));
    }
    if !(1..=MOST).contains(&count) || (count > 1 && !(every.abs() > 0.0 && every.is_finite())) {
        return Err(refused("There can be 1 to 1 000 sections, with a distance between them that is not 0."));
    }
    let unit = body.facts.length_unit().symbol();
    let mut lines = Bundles::default();
    let mut found = Vec::new();
    for i in 0..count {
        let far = i as f64 * every;
        let at = add(at, scale(normal, far));
        let there = outlines(&body.mesh, at, normal);
        if there.is_empty() {
            continue;
        }
        let axis = (0..3).find(|&k| normal[k].abs() > 0.999_999);
        let name = match axis {
            Some(k) => format!("{} = {} {unit}", ["x", "y", "z"][k], four_digits(at[k])),
            None => format!("section {}", i + 1),
        };
        let mut fitted = fit.map(|_| ([0; 3], 0.0));
        for o in &there {
            match (fit, &mut fitted) {
                (Some(tolerance), Some(so_far)) => fit_one(o, tolerance, &name, &mut lines, so_far),
                _ => {
                    let mut points = o.points.clone();
                    points.extend(o.closed.then(|| o.points[0]));
                    lines.polyline(&name, &points);
                }
            }
        }
        let closed = there.iter().filter(|o| o.closed).count();
        found.push(Section {
            name,
            at,
            closed,
            open: there.len() - closed,
            figures: figures(&there, at, normal),
            fitted,
        });
    }
    if found.is_empty() {
        return Err(refused("No plane meets the body: choose a place within its box."));
    }
    let mut out = Body { facts: body.facts.clone(), ..Body::default() };
    out.facts.labels.clear();
    out.facts.boundaries.clear();
    out.facts.exact = None;
    out.facts.edge_names.clear();
    out.facts.seams.clear();
    out.facts.waivers.clear();
    out.set_wires(Wires { model: lines.finish(None), placed: Motion::NONE });
    Ok((out, found))
}

/// Adds an outline as lines, arcs and splines, and counts them.
fn fit_one(outline: &Outline, tolerance: f64, name: &str, lines: &mut Bundles, (counts, off): &mut ([usize; 3], f64)) {
    let (pieces, largest) = outline::fitted(&outline.points, outline.closed, tolerance);
    *off = off.max(largest);
    let mut made = Vec::new();
    for piece in pieces {
        match piece {
            outline::Piece::Line { ends: [from, to] } => {
                counts[0] += 1;
                made.push(straight(from, to));
            }
            outline::Piece::Arc { centre, axis, from, angle } => {
                counts[1] += 1;
                let radius = distance(centre, from);
                let frame = Frame::new(centre, axis, Some(sub(from, centre)));
                made.push(Piece { curve: Curve::Ellipse { frame, a: radius, b: radius }, range: [0.0, angle] });
            }
            outline::Piece::Spline { spans } => {
                counts[2] += 1;
                made.extend(spline(&spans));
            }
        }
    }
    lines.chain(name, made);
}

/// Spans as one B-spline, a parameter of one for each.
fn spline(spans: &[[Point; 4]]) -> Option<Piece> {
    let mut points = vec![spans.first()?[0]];
    points.extend(spans.iter().flat_map(|s| [s[1], s[2], s[3]]));
    let last = spans.len() as f64;
    let mut knots = vec![0.0];
    knots.extend((0..=spans.len()).flat_map(|i| [i as f64; 3]));
    knots.push(last);
    let curve = NurbsCurve::new(3, knots, &points, None).ok()?;
    Some(Piece { curve: Curve::Nurbs(Box::new(curve)), range: [0.0, last] })
}

/// Sections in a sentence: the first ones with their figures.
pub fn told(found: &[Section], unit: &str) -> String {
    let one = |s: &Section| {
        let f = &s.figures;
        let fitted = s.fitted.map_or(String::new(), |([lines, arcs, splines], off)| {
            let [lines, arcs, splines] =
                [(lines, "line"), (arcs, "arc"), (splines, "spline")].map(|(n, what)| counted(n, what));
            format!(", fitted with {lines}, {arcs} and {splines} within {} {unit}", four_digits(off))
        });
        if s.closed == 0 {
            return format!(
                "{}: {}, {} {unit} long{fitted}",
                s.name,
                counted(s.open, "open line"),
                four_digits(f.perimeter)
            );
        }
        format!(
            "{}: area {} {unit}², perimeter {} {unit}, centroid {}, second moments {} and {} {unit}⁴{fitted}",
            s.name,
            four_digits(f.area),
            four_digits(f.perimeter),
            f.centroid.map(four_digits).join(", "),
            four_digits(f.principal[0]),
            four_digits(f.principal[1])
        )
    };
    let more = if found.len() > 3 { format!("; {} more", found.len() - 3) } else { String::new() };
    format!("{}{more}.", found.iter().take(3).map(one).collect::<Vec<_>>().join("; "))
}
