//! Forms into steps.

use crate::error::PageError;
use hull_exact::fineness::Fineness;
use hull_exact::lift::Reader;
use hull_geometry::Unit;
use hull_geometry::holes::Wish;
use hull_geometry::transform::Axis;
use hull_workshop::Step;
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::step::Anchor;

/// The fields of a posted form, in order.
pub type Fields = Vec<(String, String)>;

pub fn text<'a>(fields: &'a Fields, name: &str) -> &'a str {
    fields.iter().find(|f| f.0 == name).map_or("", |f| f.1.trim())
}

pub fn number(fields: &Fields, name: &str, what: &str) -> Result<f64, PageError> {
    let typed = text(fields, name).replace(['\u{2009}', ' '], "").replace(',', ".").replace('−', "-");
    typed
        .parse()
        .ok()
        .filter(|x: &f64| x.is_finite())
        .ok_or_else(|| PageError::refused(format!("{what} must be a number; “{}” is not.", text(fields, name))))
}

/// A length greater than zero, or nothing where the field is empty.
fn optional(fields: &Fields, name: &str, what: &str) -> Result<Option<f64>, PageError> {
    if text(fields, name).is_empty() {
        return Ok(None);
    }
    let found = number(fields, name, what)?;
    if found > 0.0 { Ok(Some(found)) } else { Err(PageError::refused(format!("{what} must be greater than zero."))) }
}

fn axis(fields: &Fields, name: &str) -> Result<Axis, PageError> {
    let symbol = text(fields, name);
    Axis::ALL
        .into_iter()
        .find(|a| a.symbol() == symbol)
        .ok_or_else(|| PageError::refused(format!("“{symbol}” is not an axis.")))
}

/// The step that a form asks for.
///
/// # Errors
/// A sentence that says which field is wrong.
pub fn step(fields: &Fields) -> Result<Step, PageError> {
    let refuse = PageError::refused;
    Ok(match text(fields, "step") {
        "set_unit" => Step::SetUnit { unit: text(fields, "unit").parse::<Unit>().map_err(refuse)? },
        "set_size" => Step::SetSize {
            measured: number(fields, "measured", "The measured distance")?,
            should_be: number(fields, "should_be", "What it should be")?,
        },
        "orient" => Step::Orient { up: axis(fields, "up")?, forward: axis(fields, "forward")? },
        "place" => Step::Place {
            anchor: match text(fields, "anchor") {
                "centre" => Anchor::Centre,
                "centroid" => Anchor::Centroid,
                "origin" => Anchor::Origin,
                _ => Anchor::MinimumCorner,
            },
            at: [number(fields, "x", "x")?, number(fields, "y", "y")?, number(fields, "z", "z")?],
        },
        "stitch" => Step::Stitch { tolerance: number(fields, "tolerance", "The tolerance")? },
        "facet" => Step::Facet {
            fineness: Fineness {
                deviation: number(fields, "deviation", "The deviation")?,
                angle: number(fields, "angle", "The angle")?,
                even: !text(fields, "even").is_empty(),
                largest: optional(fields, "largest", "The longest side")?,
                smallest: optional(fields, "smallest", "The shortest side")?,
            },
        },
        "read_again" => Step::ReadAgain {
            reader: match text(fields, "reader") {
                "rebuilding" => Reader::Rebuilding,
                _ => Reader::Trusting,
            },
        },
        "join_faces" => Step::JoinFaces { tolerance: number(fields, "tolerance", "The tolerance")? },
        "remove_features" => Step::RemoveFeatures { up_to: number(fields, "up_to", "The diameter")? },
        "drop_faces" if text(fields, "pick").is_empty() => {
            return Err(refuse("Nothing is picked. “Pick faces”, then click a face in the view.".into()));
        }
        "drop_faces" => Step::DropFaces { pick: selection(fields)? },
        "name_edge" => Step::NameEdge {
            name: text(fields, "name").into(),
            at: [number(fields, "x", "x")?, number(fields, "y", "y")?, number(fields, "z", "z")?],
        },
        "turn_outward" => Step::TurnOutward,
        "fill_holes" => fill_holes(fields)?,
        "remove_duplicates" => Step::RemoveDuplicates,
        "remove_zero_area" => Step::RemoveZeroArea,
        "cut_crossings" => Step::CutCrossings,
        "keep_outside" => Step::KeepOutside,
        "drop_shells" => Step::DropShells { up_to: number(fields, "up_to", "The size")? },
        "drop_bumps" => {
            Step::DropBumps { up_to: number(fields, "up_to", "The size")?, round: !text(fields, "round").is_empty() }
        }
        "drop_doubles" => Step::DropDoubles { tolerance: number(fields, "tolerance", "The tolerance")? },
        "flatten_spikes" => Step::FlattenSpikes,
        "coarsen" => Step::Coarsen { tolerance: number(fields, "tolerance", "The tolerance")? },
        "mend_thin" => Step::MendThin { tolerance: number(fields, "tolerance", "The tolerance")? },
        "close_tunnels" => Step::CloseTunnels { up_to: number(fields, "up_to", "The length")? },
        "wrap" => {
            Step::Wrap { offset: number(fields, "offset", "The offset")?, gap: number(fields, "gap", "The gap")? }
        }
        "name_boundary" => Step::NameBoundary {
            name: text(fields, "name").into(),
            role: Some(text(fields, "role")).filter(|r| !r.is_empty()).map(str::parse).transpose().map_err(refuse)?,
            pick: selection(fields)?,
        },
        "set_role" => {
            Step::SetRole { name: text(fields, "name").into(), role: text(fields, "role").parse().map_err(refuse)? }
        }
        "drop_boundary" => Step::DropBoundary { name: text(fields, "name").into() },
        "waive" => Step::Waive {
            requirement: text(fields, "requirement").into(),
            reason: text(fields, "reason").into(),
            by: text(fields, "by").into(),
        },
        "unwaive" => Step::Unwaive { requirement: text(fields, "requirement").into() },
        other => return Err(PageError::refused(format!("“{other}” is not a step."))),
    })
}

/// Every hole is listed with its centre; ticked ones come as `fill`, all as `hole`.
fn fill_holes(fields: &Fields) -> Result<Step, PageError> {
    let of = |name: &str| fields.iter().filter(|f| f.0 == name).map(|f| f.1.clone()).collect::<Vec<_>>();
    let ticked = of("fill");
    let parse = |text: &String| -> Result<[f64; 4], PageError> {
        serde_json::from_str(text).map_err(|e| PageError::refused(format!("a hole is not given as numbers: {e}")))
    };
    let wanted = ticked.iter().map(parse).collect::<Result<Vec<_>, _>>()?;
    if wanted.is_empty() {
        return Err(PageError::refused("Tick at least one hole to fill."));
    }
    let largest = wanted.iter().map(|h| h[3]).fold(0.0, f64::max);
    let mut except = Vec::new();
    for hole in of("hole").iter().filter(|h| !ticked.contains(h)) {
        let [x, y, z, perimeter] = parse(hole)?;
        if perimeter <= largest {
            except.push([x, y, z]);
        }
    }
    // Up to the next thousandth: the perimeter itself must not fall out by rounding.
    let wish = match of("wish").pop().unwrap_or_default().as_str() {
        "plain" => Wish::Plain,
        "smooth" => Wish::Smooth,
        _ => Wish::Proposed,
    };
    let cap = Some(text(fields, "cap").trim().to_string()).filter(|c| !c.is_empty());
    Ok(Step::FillHoles { up_to: (largest * 1000.0).ceil() / 1000.0 + 0.001, except, wish, cap })
}

pub fn selection(fields: &Fields) -> Result<Selection, PageError> {
    match text(fields, "pick") {
        "" => Ok(Selection { include: vec![Pick::Unnamed], exclude: Vec::new() }),
        json => {
            serde_json::from_str(json).map_err(|e| PageError::refused(format!("The picked faces cannot be read: {e}")))
        }
    }
}
