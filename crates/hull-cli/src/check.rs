//! `hull check`.

use crate::{End, input};
use anyhow::Result;
use hull_exact::lift::Reader;
use hull_formats::{Content, Label, Skipped};
use hull_geometry::mesh::Bounds;
use hull_geometry::{Mesh, Unit, Watch};
use hull_workshop::Figures;
use hull_workshop::body::Scale;
use hull_workshop::depth::{Names, depth};
use hull_workshop::exact::ExactFacts;
use hull_workshop::numbers::{count, counted, short};
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::{self, Field, OPERATIONS, Step, field};
use hull_workshop::{Destination, apply};
use serde_json::json;
use std::path::{Path, PathBuf};

/// How much is looked at.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Look {
    /// Topology and sizes.
    Quick,
    /// Crossings besides.
    Usual,
    /// Everything the sheet asks or tells.
    Deep,
}

/// What `hull check` is asked.
pub struct Check {
    pub files: Vec<PathBuf>,
    pub unit: Option<Unit>,
    pub json: bool,
    pub reader: Reader,
    pub how: Look,
    /// Whether to list what would be proposed.
    pub remedies: bool,
}

pub fn run(asked: &Check) -> Result<End> {
    let Check { files, unit, json, reader, how: look, remedies } = asked;
    let (unit, json, reader, look) = (*unit, *json, *reader, *look);
    let watch = Watch::default();
    let mut ready = true;
    for path in files {
        let seen = Seen::of(path, reader)?;
        // Where the file's unit was taken, figures are in millimetres.
        let unit = if seen.exact.as_ref().is_some_and(|e| e.1 != 1.0) { Some(Unit::Mm) } else { unit };
        let (mut figures, topology) = hull_workshop::survey::figures(&seen.mesh, unit.or(seen.unit), &watch)?;
        figures.bbox = seen.bounds;
        if look != Look::Quick {
            hull_workshop::survey::find_crossings(&mut figures, &seen.mesh, &watch)?;
        }
        if look == Look::Deep {
            let symbol = figures.unit.map_or("file units", Unit::symbol);
            let names = Names { of: &seen.names.0, labels: &seen.names.1 };
            let untold = |_: &_, _: &_, _| Ok::<(), hull_geometry::Cancelled>(());
            figures.depth = Some(depth(&seen.mesh, &topology, names, symbol, &watch, untold)?);
        }
        let wrong =
            if seen.mesh.triangles.is_empty() { vec!["curves and no faces".into()] } else { shortcomings(&figures) };
        ready &= wrong.is_empty();
        let proposed = if *remedies { proposals(path, reader, unit)? } else { Vec::new() };
        if json {
            let mut object = serde_json::to_value(&figures)?;
            object["file"] = path.to_string_lossy().into();
            object["format"] = seen.format.clone().into();
            if let Some((facts, scale)) = &seen.exact {
                add_exact(&mut object, facts, *scale);
            }
            if *remedies {
                let of = |(step, because): &(Step, String)| json!({ "step": step, "because": because });
                object["remedies"] = proposed.iter().map(of).collect();
            }
            println!("{object}");
        } else {
            print(path, &seen, &figures, &wrong);
            print_proposals(path, &proposed);
        }
    }
    Ok(if ready { End::Ready } else { End::Short })
}

/// What the page would propose for the state a file is in, each with what was measured that asks for it.
fn proposals(path: &Path, reader: Reader, unit: Option<Unit>) -> Result<Vec<(Step, String)>> {
    let watch = Watch::default();
    let mut body = input::body(path, reader)?;
    if let Some(unit) = unit.filter(|_| body.facts.scale.is_none()) {
        body = apply(&body, &SetUnit { unit }.into(), &Destination::asking_nothing(), &watch)?.0;
    }
    let (survey, _) = hull_workshop::survey::survey(&body, &watch)?;
    let seen = steps::Seen { facts: &body.facts, survey: &survey };
    let said = |p: steps::Proposal| Some((p.step, p.because?.text(body.facts.length_unit())));
    Ok(OPERATIONS.iter().filter_map(|about| steps::proposed(about, &seen)).filter_map(said).collect())
}

fn print_proposals(path: &Path, proposed: &[(Step, String)]) {
    for (step, because) in proposed {
        println!("  proposed: {because}");
        println!("    hull step {} {} OUT.stl{}", step.about().id, path.display(), options(step));
    }
}

/// The options that give a step its values.
fn options(step: &Step) -> String {
    let data = steps::data(step);
    let of = |f: &Field| {
        let value = field::plain(field::at(&data, f.path)?);
        Some(value).filter(|v| !v.is_empty()).map(|v| format!(" --{} {v}", f.option()))
    };
    (step.about().fields)().iter().filter_map(of).collect()
}

/// What was read of a file.
struct Seen {
    mesh: Mesh,
    /// Of the facets, or of the curves where there are no facets.
    bounds: Bounds,
    /// The label of each facet, and the labels.
    names: (Vec<u32>, Vec<Label>),
    format: String,
    skipped: Vec<Skipped>,
    unit: Option<Unit>,
    /// Facts of exact geometry and millimetres in one of its units, 1 where that is not known.
    exact: Option<(ExactFacts, f64)>,
}

impl Seen {
    fn of(path: &Path, reader: Reader) -> Result<Seen> {
        Ok(match input::open(path)? {
            Content::Facets(r) => {
                let (format, names) = (r.format.to_string(), (r.label_of, r.labels));
                let bounds = r.mesh.bounds();
                Seen { mesh: r.mesh, bounds, names, format, skipped: r.skipped, unit: None, exact: None }
            }
            Content::Exact(design) => {
                let body = input::exact_body(path, *design, reader)?;
                let scale = body.facts.scale.map_or(1.0, Scale::millimetres);
                Seen {
                    bounds: body.bounds(),
                    mesh: body.mesh,
                    names: (body.label_of, body.facts.labels),
                    format: body.facts.source.format,
                    skipped: body.facts.source.skipped,
                    unit: body.facts.scale.map(|_| Unit::Mm),
                    exact: body.facts.exact.map(|e| (e, scale)),
                }
            }
        })
    }
}

fn add_exact(object: &mut serde_json::Value, e: &ExactFacts, scale: f64) {
    let f = &e.figures;
    object["schema"] = e.schema.clone().into();
    object["declared_unit"] = e.declared.as_ref().map(|u| u.name.clone()).into();
    object["solids"] = f.solids.into();
    object["faces"] = f.faces.into();
    object["faces_in_doubt"] = f.faces_in_doubt.into();
    object["curves_without_faces"] = f.curves.into();
    object["length_of_curves"] = (f.curve_length * scale).into();
    object["open_exact_edges"] = f.open_edges.into();
    object["exact_volume"] = (f.volume * scale.powi(3)).into();
    object["exact_area"] = (f.area * scale * scale).into();
    object["deviation"] = e.deviation.into();
    let body = |b: &hull_exact::bodies::BodyFigures| {
        json!({
            "name": b.name, "colour": b.colour, "volume": b.volume * scale.powi(3), "solid": b.solid, "faces": b.faces,
            "curves": b.curves, "length": b.length * scale, "open_edges": b.open_edges, "area": b.area * scale * scale,
            "size": b.size.map(|x| x * scale),
        })
    };
    object["bodies"] = f.bodies.iter().map(body).collect();
}

/// What keeps the surface from being a clean closed one.
fn shortcomings(f: &Figures) -> Vec<String> {
    [
        (f.open_edges, "open edges"),
        (f.overshared_edges, "edges shared by three or more facets"),
        (f.misdirected_edges, "edges between facets that face opposite ways"),
        (f.pinched_points, "pinched points"),
        (f.duplicate_triangles, "duplicate facets"),
        (f.zero_area_triangles, "facets without area"),
        (f.self_intersections.unwrap_or(0), "pairs of facets that run through each other"),
        (f.coplanar_overlaps.unwrap_or(0), "pairs of facets that lie on each other"),
        (usize::from(f.closed && f.misdirected_edges == 0 && f.volume < 0.0), "surface inside out"),
    ]
    .into_iter()
    .filter(|(n, _)| *n > 0)
    .map(|(n, what)| format!("{} {what}", count(n)))
    .collect()
}

fn print(path: &Path, seen: &Seen, f: &Figures, wrong: &[String]) {
    let unit = f.unit.map_or("file units", Unit::symbol);
    let size = f.bbox.size().map(short).join(" × ");
    println!("{} ({})", path.display(), seen.format);
    if f.triangles == 0 {
        println!("  size {size} {unit}");
    } else {
        let of = [counted(f.triangles, "triangle"), counted(f.points, "point"), counted(f.shells, "shell")];
        println!("  {}", of.join(", "));
        println!("  size {size} {unit}, area {} {unit}², volume {} {unit}³", short(f.area), short(f.volume));
    }
    if let Some((e, scale)) = &seen.exact {
        let x = &e.figures;
        if x.faces > 0 {
            println!(
                "  exact: {}, {}, {}, area {} {unit}², volume {} {unit}³; facets within {} {unit}",
                counted(x.solids, "solid"),
                counted(x.faces, "face"),
                counted(x.open_edges, "open edge"),
                short(x.area * scale * scale),
                short(x.volume * scale.powi(3)),
                short(e.deviation)
            );
        }
        if x.curves > 0 {
            println!("  {} without a face, {} {unit} long", counted(x.curves, "curve"), short(x.curve_length * scale));
        }
        if let Some(declared) = e.declared.as_ref().filter(|_| f.unit.is_none()) {
            println!("  the file declares {}; files of its kind are often wrong in that", declared.name);
        }
        for (face, why) in &e.failed {
            println!("  no facets: {face}: {why}");
        }
    }
    if f.unit.is_none() {
        println!("  no unit: the file does not say what its numbers are (--unit mm, cm, m, in or ft)");
    }
    for skipped in &seen.skipped {
        println!("  skipped: {} × {}", count(skipped.count), skipped.what);
    }
    if let Some(d) = &f.depth {
        for (what, seen) in d.named().iter().filter(|(_, s)| s.count > 0) {
            // Of bodies too large to look for the worst there is a count only.
            let worst = if seen.size > 0.0 { format!(", {} {unit}", short(seen.size)) } else { String::new() };
            println!("  {what}: {}{worst}", count(seen.count));
        }
    }
    if wrong.is_empty() {
        println!("  ready: closed, every edge has two facets, all face the same way outward");
    } else {
        println!("  short: {}", wrong.join("; "));
        if f.open_edges > 0 {
            println!(
                "  the open edges form {}, {} {unit} long in all",
                counted(f.open_loops, "loop"),
                short(f.open_length)
            );
        }
    }
}
