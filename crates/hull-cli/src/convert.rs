//! `hull convert`.

use crate::{End, Way, input, output};
use anyhow::{Context, Result, anyhow, bail};
use hull_exact::assembly::usual_fineness;
use hull_exact::fineness::Fineness;
use hull_exact::model::DeclaredUnit;
use hull_exact::parameter_loops::Reader;
use hull_exact::{Model, Motion, join, join_plot};
use hull_formats::format::{WriteLines, dotted, listed};
use hull_formats::step::Schema;
use hull_formats::{
    Carries, Content, Declared, Design, FileFormat, Format, Label, NamedFacets, Received, ReceivedPoints, Surface,
};
use hull_geometry::{Cancelled, FacetId, Unit, Watch, transform};
use hull_workshop::export::{DesignForm, export, export_model};
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::{Body, Destination, apply, edges};
use std::path::PathBuf;
use std::str::FromStr;

/// What to read, what to write, and how fine.
#[derive(clap::Args)]
pub struct Convert {
    input: PathBuf,
    output: PathBuf,
    /// The unit of the file's numbers; design files declare one, which holds if this is left out.
    #[arg(long)]
    from: Option<Unit>,
    /// The unit to write; left out, numbers stay as they are, and design files are written in mm.
    #[arg(long)]
    to: Option<Unit>,
    /// Write text instead of binary (STL, PLY).
    #[arg(long)]
    ascii: bool,
    /// The form of STEP to write: ap203 (names and geometry), ap214 (colours and layers besides) or ap242 (facets as
    /// facets besides).
    #[arg(long, default_value = "ap242")]
    schema: Schema,
    /// How IGES is written: solids (and shells, whose faces share their edges) or surfaces (trimmed, each alone, for
    /// readers that know no solids).
    #[arg(long, value_enum, default_value = "solids")]
    iges: IgesForm,
    /// Write facets even where STEP could carry the exact geometry.
    #[arg(long)]
    facets: bool,
    /// Largest distance of exact surfaces from their facets, in the unit written; suited to the size if left out.
    #[arg(long)]
    deviation: Option<f64>,
    /// Largest angle between neighbouring facets, in degrees.
    #[arg(long, default_value_t = 10.0)]
    angle: f64,
    /// Fewest facets: surfaces that bend one way only become long strips.
    #[arg(long)]
    lean: bool,
    /// Join loose faces first: a tolerance in the unit written, or “proposed”.
    #[arg(long)]
    join: Option<Joining>,
    /// How exact faces are read.
    #[arg(long, value_enum, default_value = "trusting")]
    reader: Way,
}

#[derive(Clone, Copy, Debug, clap::ValueEnum)]
enum IgesForm {
    Solids,
    Surfaces,
}

#[derive(Clone, Copy, Debug)]
enum Joining {
    Proposed,
    At(f64),
}

impl FromStr for Joining {
    type Err = String;

    fn from_str(text: &str) -> Result<Joining, String> {
        if text == "proposed" {
            return Ok(Joining::Proposed);
        }
        let number = text.parse().ok().filter(|t: &f64| *t > 0.0 && t.is_finite());
        number.map(Joining::At).ok_or_else(|| format!("“{text}” is neither a length nor “proposed”"))
    }
}

pub fn run(c: &Convert) -> Result<End> {
    let format = FileFormat::of_name(&c.output.to_string_lossy()).map_err(|e| anyhow!(e))?;
    let content = input::open(&c.input)?;
    if format.carries == Carries::Exact {
        return design_file(c, content, format);
    }
    let received = match content {
        Content::Facets(mut received) => {
            if let Some(up) = &received.declared.up {
                eprintln!(
                    "hull: {}: {up} is up by the format's definition; axes are left as they are",
                    c.input.display()
                );
            }
            match (c.from.or(unit_of(&received)), c.to) {
                (Some(from), Some(to)) => {
                    transform::enlarge(&mut received.mesh, from.millimetres() / to.millimetres());
                    received.declared.unit = Some(declared(to));
                }
                (_, None) if c.from.is_none() => {}
                _ => bail!("--from and --to belong together: the file does not say its unit"),
            }
            received
        }
        Content::Exact(design) => match format.write_lines.filter(|_| has_only_lines(&design.model)) {
            Some(write) => return lines(c, &design.model, write),
            None => {
                let unit = Some(declared(c.to.unwrap_or(Unit::Mm)));
                Received { declared: Declared { unit, ..Declared::default() }, ..facets(c, *design)? }
            }
        },
        Content::Points(received) => return points(c, received, format),
    };
    if format.needs_unit && unit_of(&received).is_none() {
        bail!("--from and --to are needed: {} says its unit, and {} does not", format.title, c.input.display());
    }
    let written = output::keep(&received, format, c.ascii, &c.output)?;
    let worse = output::tell(&c.output, &Body::from_received("", received), written.as_ref())?;
    Ok(if worse { End::NotReady } else { End::Ready })
}

fn has_only_lines(model: &Model) -> bool {
    model.parts.iter().all(|p| p.shape.faces.is_empty() && p.tessellated.is_empty())
}

/// Writes lines in space, in the unit that is asked for or the one that their file declares.
fn lines(c: &Convert, model: &Model, write: WriteLines) -> Result<End> {
    let declared = model.unit.as_ref().and_then(known);
    let from = c.from.or(declared);
    let unit = c.to.or(from);
    let factor = from.zip(unit).map_or(1.0, |(from, to)| from.millimetres() / to.millimetres());
    std::fs::write(&c.output, write(model, &Motion::scaling(factor), unit))
        .with_context(|| format!("cannot write {}", c.output.display()))?;
    Ok(End::Ready)
}

/// Writes points without facets.
fn points(c: &Convert, received: ReceivedPoints, format: &FileFormat) -> Result<End> {
    let mut cloud = received.cloud;
    let write = format.write_points.with_context(|| {
        let those = listed(&dotted(|f| f.write_points.is_some()), "or");
        format!("{}: the file holds points and no faces; write {those}", c.input.display())
    })?;
    // Where the format fixes its unit, that is what is written.
    let to = if format.needs_unit { Some(Unit::M) } else { c.to };
    let from = c.from.or(received.declared.unit.as_ref().and_then(known));
    if format.needs_unit && from.is_none() {
        bail!("--from is needed: {} is in metres, and {} does not say its unit", format.title, c.input.display());
    }
    if let (Some(from), Some(to)) = (from, to) {
        let factor = from.millimetres() / to.millimetres();
        cloud.move_by(|p| p.map(|x| x * factor), |d| d, factor);
    }
    std::fs::write(&c.output, output::as_named(&c.output, format, write(&cloud, c.ascii, to.or(from)))?)
        .with_context(|| format!("cannot write {}", c.output.display()))?;
    Ok(End::Ready)
}

/// Writes STEP or IGES, exact where the input is, and reads it back.
fn design_file(c: &Convert, content: Content, format: &FileFormat) -> Result<End> {
    let form = match (format.id, c.iges) {
        ("iges", IgesForm::Solids) => DesignForm::Iges,
        ("iges", IgesForm::Surfaces) => DesignForm::IgesSurfaces,
        _ => DesignForm::Step(c.schema),
    };
    let unit = c.to.unwrap_or(Unit::Mm);
    let stem = c.output.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    let watch = Watch::default();
    let made = match content {
        Content::Exact(design) if !c.facets => {
            let factor = factor(c, &design.model);
            let model = joined(c, design.model, factor)?;
            let reader: Reader = c.reader.into();
            export_model(&stem, &model, &Motion::scaling(factor), unit, form, reader, true, &watch)?
        }
        content => {
            let (received, from) = match content {
                Content::Exact(design) => (facets(c, *design)?, unit),
                Content::Points(_) => bail!("{}: points have no place in a design file", c.input.display()),
                Content::Facets(received) => {
                    let from =
                        c.from.context("--from is needed: the file does not say its unit, and STEP declares one")?;
                    (received, from)
                }
            };
            let mut body = Body::from_received(&stem, received);
            (body, _) = apply(&body, &SetUnit { unit: from }.into(), &Destination::asking_nothing(), &watch)?;
            export(&stem, &body, unit, form, &watch)?
        }
    };
    std::fs::write(&c.output, &made.bytes).with_context(|| format!("cannot write {}", c.output.display()))?;
    for s in &made.left_out {
        eprintln!("hull: {} does not carry {} {}", c.output.display(), s.count, s.what);
    }
    let what = if made.exact { "exact geometry" } else { "facets" };
    println!("wrote {what} as {} in {}, read back and found the same:", form.title(), unit.name());
    for row in &made.comparison {
        println!("  {:<14} {}", row.figure, row.read_back);
    }
    Ok(End::Ready)
}

/// From the file's numbers to those written.
fn factor(c: &Convert, model: &Model) -> f64 {
    let declared = model.unit.as_ref().map_or(1.0, |u| u.millimetres);
    c.from.map_or(declared, Unit::millimetres) / c.to.unwrap_or(Unit::Mm).millimetres()
}

/// The model with its loose faces joined, where that was asked for.
fn joined(c: &Convert, model: Model, factor: f64) -> Result<Model> {
    let watch = Watch::default();
    let model = edges::connect_sheets(&model, &watch)?;
    let Some(joining) = c.join else { return Ok(model) };
    let joined = model.with_parts(|part| {
        let shape = match joining {
            Joining::At(t) => join::join(&part.shape, t / factor, &watch)?.0,
            Joining::Proposed => join_plot::join_as_proposed(&part.shape, &watch)?,
        };
        Ok::<_, Cancelled>(hull_exact::model::Part { shape, ..part.clone() })
    })?;
    Ok(joined)
}

/// Exact geometry as facets, in the unit to write.
fn facets(c: &Convert, design: Design) -> Result<Received> {
    let watch = Watch::default();
    let factor = factor(c, &design.model);
    let model = joined(c, design.model, factor)?;
    let usual = usual_fineness(model.rough_bounds().diagonal());
    let fineness = Fineness {
        deviation: c.deviation.map_or(usual.deviation, |d| d / factor),
        angle: c.angle,
        even: !c.lean,
        ..usual
    };
    if !(fineness.deviation > 0.0 && fineness.deviation.is_finite() && c.angle > 0.0) {
        bail!("--deviation and --angle must be greater than zero");
    }
    let made = model.facets(&fineness, c.reader.into(), &Motion::scaling(factor), &watch)?;
    for (face, why) in &made.failed {
        eprintln!("hull: {}: {face} has no facets: {why}", c.input.display());
    }
    if made.mesh.triangles.is_empty() {
        let only_lines = made.failed.is_empty() && model.parts.iter().any(|p| !p.shape.wires.is_empty());
        let why = if only_lines { "lines and no faces" } else { "no faces that could be made into facets" };
        bail!("{}: the file holds {why}", c.input.display());
    }
    let mut received = Received::plain(Format::StlBinary, made.mesh);
    received.labels = made.labels.into_iter().map(|l| Label { name: l.body, material: None }).collect();
    received.label_of = made.label_of;
    Ok(received)
}

/// A file of facets.
///
/// # Errors
/// If the format has no place for facets.
pub fn written(received: &Received, format: &FileFormat, ascii: bool) -> Result<Vec<u8>> {
    let unit = unit_of(received);
    let groups = by_label(received);
    let parts: Vec<NamedFacets> =
        groups.iter().map(|(name, facets)| NamedFacets { name, facets, role: None }).collect();
    let write = format.write.with_context(|| {
        let those = listed(&dotted(|f| f.write.is_some()), "or");
        format!("{} has no place for facets; write {those}", format.title)
    })?;
    let (mesh, cells) = (&received.mesh, received.cell_of.as_slice());
    Ok(write(&Surface { mesh, cells, parts: &parts, ascii, unit }))
}

/// The unit of what is to be written, where one is known.
fn unit_of(received: &Received) -> Option<Unit> {
    received.declared.unit.as_ref().and_then(known)
}

fn declared(unit: Unit) -> DeclaredUnit {
    DeclaredUnit { name: unit.name().into(), millimetres: unit.millimetres() }
}

fn known(declared: &DeclaredUnit) -> Option<Unit> {
    Unit::ALL.into_iter().find(|k| k.millimetres() == declared.millimetres)
}

/// The facets of each name in the file; labels of one name go together.
fn by_label(received: &Received) -> Vec<(String, Vec<FacetId>)> {
    let mut groups: Vec<(String, Vec<FacetId>)> = Vec::new();
    let place: Vec<usize> = received
        .labels
        .iter()
        .map(|label| {
            let name = if label.name.is_empty() { label.material.as_deref().unwrap_or("") } else { &label.name };
            groups.iter().position(|g| g.0 == name).unwrap_or_else(|| {
                groups.push((name.to_string(), Vec::new()));
                groups.len() - 1
            })
        })
        .collect();
    for f in received.mesh.triangles.keys() {
        let label = received.label_of.get(f).copied().unwrap_or(0) as usize;
        groups[place[label]].1.push(f);
    }
    groups
}
