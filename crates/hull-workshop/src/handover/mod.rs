//! The handover: files for the solver, read back and compared, with a manifest and the sheet as a page.

pub mod changes;
pub mod comparison;
pub mod export;
pub mod form;
pub mod frames;
pub mod ifc;
pub mod members;
mod naming;
mod points;

use crate::body::Seam;
pub use crate::comparison::{Comparison, HandoverError};
use crate::export::{Exported, export};
use crate::numbers::{count, fixed, four_digits, long};
use crate::prepare::Prepared;
use crate::sentence::LengthUnit;
use crate::{Destination, Role, trial};
use askama::Template;
use base64::prelude::{BASE64_STANDARD, Engine};
pub use form::Form;
use hull_formats::named_edges::{self, NamedEdges};
use hull_formats::{Label, NamedFacets, Skipped, Surface, obj, ply, stl, vtu};
use hull_geometry::join::join_equal_points;
use hull_geometry::topology::Topology;
use hull_geometry::{FacetId, Mesh, Point, Unit, Watch, measure, transform};
pub use naming::{PATTERN, TOKENS, distinct, file_stem};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::io::{Cursor, Write};

/// One written file.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct FileEntry {
    /// In the zip.
    pub name: String,
    /// Its size.
    pub bytes: usize,
    /// Of the file, in hexadecimal.
    pub sha256: String,
    /// The names of those in it.
    pub boundaries: Vec<String>,
}

/// A boundary as it was handed over.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct BoundaryEntry {
    /// Its name in the files.
    pub name: String,
    /// What it is to the solver.
    pub role: Option<Role>,
    /// How many.
    pub facets: usize,
    /// In the solver's unit, squared.
    pub area: f64,
    /// Area-weighted, where it means something.
    pub normal: Option<Point>,
}

impl Manifest {
    /// What the numbers of a comparison are in; nothing for counts and names.
    pub fn unit_of(&self, comparison: &Comparison) -> String {
        match comparison.figure.as_str() {
            "box" | "box from" | "box to" => self.unit.to_string(),
            "area" => format!("{}²", self.unit),
            "volume" => format!("{}³", self.unit),
            _ => String::new(),
        }
    }
}

/// What was handed over, and how it came to be so.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct Manifest {
    /// Name and version of this program.
    pub made_by: String,
    /// The body's name.
    pub body: String,
    /// The file it came from.
    pub source: String,
    /// What it was bound for.
    pub destination: String,
    /// Of the files.
    pub unit: Unit,
    /// The file's axes that became up (+z) and forward (+x).
    pub axes: Option<[String; 2]>,
    /// Whether nothing was short.
    pub ready: bool,
    /// Each file.
    pub files: Vec<FileEntry>,
    /// Each boundary.
    pub boundaries: Vec<BoundaryEntry>,
    /// What was sent against what was read back.
    pub comparison: Vec<Comparison>,
    /// Boundaries whose name the form cannot carry, with the name they have in the files.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub renamed: Vec<[String; 2]>,
    /// The flow that the body is for, with the first layer at its walls.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub flow: Option<crate::body::Flow>,
    /// What a trial of the flow found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trial: Option<TrialEntry>,
    /// What the files do not carry.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_out: Vec<Skipped>,
    /// The sheet.
    pub requirements: Vec<crate::Row>,
    /// What was done, in order.
    pub steps: Vec<LogEntry>,
}

impl BoundaryEntry {
    fn normal_text(&self) -> String {
        self.normal.map_or_else(|| "–".into(), |n| n.map(|x| fixed(x, 2)).join(" "))
    }
}

/// A step as the manifest tells it.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct LogEntry {
    /// As the logbook says it.
    pub title: String,
    /// As a routine has it.
    pub step: crate::Step,
    /// What it did.
    pub changed: String,
}

/// A trial of the flow as the manifest tells it.
#[derive(Clone, Debug, Serialize, Deserialize, PartialEq)]
pub struct TrialEntry {
    /// What a trial is not, in a sentence.
    pub is_not: String,
    /// Cells that the flow reaches.
    pub cells: usize,
    /// Shares and findings, each a line.
    pub found: Vec<String>,
}

/// A finished handover.
#[derive(Clone, Debug)]
pub struct Handover {
    /// What is in it.
    pub manifest: Manifest,
    /// Every file of the package, in order, with its bytes.
    pub files: Vec<(String, Vec<u8>)>,
    /// The package.
    pub zip: Vec<u8>,
}

/// What a handover is to be.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Package {
    /// How the body is written.
    pub form: Form,
    /// Of the files; the destination's if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<Unit>,
    /// What files are called: text and [`TOKENS`]; [`PATTERN`] if left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub names: Option<String>,
}

impl From<Form> for Package {
    fn from(form: Form) -> Package {
        Package { form, unit: None, names: None }
    }
}

#[derive(Template)]
#[template(path = "sheet.html")]
struct SheetPage<'a> {
    manifest: &'a Manifest,
    summary: String,
    /// PNG, in base 64: the page opens without any other file.
    picture: &'a str,
    size: String,
}

/// Writes, reads back, compares and packs.
///
/// # Errors
/// [`HandoverError`]: requirements are short, the package cannot be, or what was written does not read back as it was sent.
pub fn hand_over(
    name: &str,
    p: &Prepared,
    to: &Destination,
    package: impl Into<Package>,
    watch: &Watch,
) -> Result<Handover, HandoverError> {
    let package = package.into();
    let form = package.form;
    let unit = form.own_unit().or(package.unit).unwrap_or(to.unit);
    let short_of: Vec<String> =
        p.sheet.outstanding().map(|r| format!("{} ({}, limit {})", r.phrase, r.measured, r.limit)).collect();
    if !short_of.is_empty() {
        return Err(HandoverError::NotReady(short_of));
    }
    let of_points = matches!(form.about().of, form::Of::Points);
    if let Some(why) = cannot_carry(&p.body, form, of_points) {
        return Err(HandoverError::Failed(why.into()));
    }
    let failed = |e: hull_geometry::Cancelled| HandoverError::Failed(e.to_string());
    watch.report(0.1, "writing the surface").map_err(failed)?;
    let factor = 1.0 / unit.millimetres();
    let mut mesh = p.body.mesh.clone();
    transform::enlarge(&mut mesh, factor);
    let stem = naming::stem(&package, name, to).map_err(HandoverError::Failed)?;
    let mut groups = groups(p);
    let renamed = form
        .about()
        .names
        .map_or(Vec::new(), |allowed| naming::make_legal(groups.iter_mut().map(|g| &mut g.name), allowed));
    let (mut files, mut comparison, left_out) = match form.design() {
        Some(design) => {
            let Exported { name, bytes, comparison, left_out, .. } = export(&stem, &p.body, unit, design, watch)?;
            (vec![(name, bytes)], comparison, left_out)
        }
        None if form == Form::Frame => {
            let (files, comparison) =
                frames::written(&stem, &p.body.frame().cloned().unwrap_or_default(), unit, watch)?;
            (files, comparison, Vec::new())
        }
        None if of_points => {
            let cloud = p.body.cloud().cloned().unwrap_or_default();
            let (files, comparison) = points::written(&stem, cloud, unit, form, watch)?;
            (files, comparison, Vec::new())
        }
        None => {
            let mut files = written(&stem, &mesh, &groups, form, unit);
            watch.report(0.5, "reading the files back").map_err(failed)?;
            let mut comparison = compare(&mesh, &files, &groups, (form, unit), watch)?;
            if form == Form::Vtm {
                files.insert(0, index_of(&stem, &files, &groups, &mut comparison)?);
            }
            (files, comparison, Vec::new())
        }
    };
    let edges = named_edges(&stem, &p.body.facts.seams, factor, &mut comparison)?;
    if let Some(wrong) = comparison.iter().find(|c| !c.same) {
        let reason = format!("{}: sent {}, read back {}", wrong.figure, wrong.sent, wrong.read_back);
        return Err(HandoverError::Different(reason));
    }
    watch.report(0.8, "packing").map_err(failed)?;
    let facts = &p.body.facts;
    let manifest = Manifest {
        made_by: format!("Ready Hull {}", env!("CARGO_PKG_VERSION")),
        body: name.into(),
        source: facts.source.file.clone(),
        destination: to.name.clone(),
        unit,
        axes: facts.axes.clone(),
        ready: true,
        files: files.iter().map(|f| entry(f, &groups, form)).chain(edges.as_ref().map(|e| e.1.clone())).collect(),
        boundaries: p
            .survey
            .names
            .boundaries
            .iter()
            .zip(&groups)
            .map(|(b, g)| BoundaryEntry {
                name: g.name.clone(),
                role: g.role,
                facets: b.facets,
                area: b.area * factor * factor,
                normal: b.normal,
            })
            .collect(),
        comparison,
        renamed,
        flow: facts.flow.clone(),
        trial: p.trial.as_ref().map(|flow| TrialEntry {
            is_not: trial::caveat(flow.how).into(),
            cells: flow.cells,
            found: trial::told(flow, facts.length_unit().symbol()),
        }),
        left_out,
        requirements: p.sheet.rows.clone(),
        steps: p
            .log
            .iter()
            .map(|(s, c)| LogEntry {
                title: s.title().text(LengthUnit::Millimetres),
                step: s.clone(),
                changed: c.sentence.clone(),
            })
            .collect(),
    };
    files.extend(edges.map(|e| e.0));
    let size = if p.body.has_surface() { mesh.bounds().size() } else { p.body.bounds().size().map(|x| x * factor) };
    let page = SheetPage {
        manifest: &manifest,
        summary: p.sheet.summary(),
        picture: &BASE64_STANDARD.encode(crate::picture::picture(&p.body)),
        size: size.map(four_digits).join(" × "),
    };
    let page = page.render().map_err(|e| HandoverError::Failed(e.to_string()))?;
    let json = serde_json::to_vec_pretty(&manifest).map_err(|e| HandoverError::Failed(e.to_string()))?;
    files.push(("manifest.json".into(), json));
    files.push(("readiness-sheet.html".into(), page.into_bytes()));
    let zip = pack(&files).map_err(|e| HandoverError::Failed(e.to_string()))?;
    Ok(Handover { manifest, files, zip })
}

/// Why a form has no place for what a body is, if it has none.
fn cannot_carry(body: &crate::Body, form: Form, of_points: bool) -> Option<&'static str> {
    match (form == Form::Frame, body.frame().is_some()) {
        (true, false) => return Some("there are no members: choose a form of what the body has"),
        (false, true) if !body.has_surface() => return Some("the body is a frame, which the form of frames carries"),
        (true, true) => return None,
        (false, _) => {}
    }
    match (of_points, body.cloud().is_some(), body.has_surface()) {
        (true, false, _) => Some("there are no points without facets: choose a form of surfaces"),
        (false, true, false) => Some("there are no facets: the body has points, which PLY and XYZ can carry"),
        (false, false, false) if form.design().is_none() => {
            Some("there are no facets: the body has lines only, which STEP and IGES can carry")
        }
        _ => None,
    }
}

/// A file's name and its bytes.
type NamedFile = (String, Vec<u8>);

/// A boundary with its facets. Facets left unnamed by a waiver form the last one.
struct Group {
    name: String,
    facets: Vec<FacetId>,
    role: Option<Role>,
}

fn groups(p: &Prepared) -> Vec<Group> {
    let named = p.body.facts.boundaries.len();
    let all = &p.survey.names.boundaries;
    // A boundary may be called as the rest is.
    let names = distinct(all.iter().map(|b| b.name.clone().unwrap_or_else(|| "unnamed".into())).collect());
    names
        .into_iter()
        .enumerate()
        .map(|(i, name)| Group {
            name,
            facets: p.body.facets_of(if i < named { i as u32 } else { hull_geometry::NONE }),
            role: p.body.facts.boundaries.get(i).and_then(|b| b.role),
        })
        .collect()
}

fn written(stem: &str, mesh: &Mesh, groups: &[Group], form: Form, unit: Unit) -> Vec<(String, Vec<u8>)> {
    let parts: Vec<NamedFacets> =
        groups.iter().map(|g| NamedFacets { name: &g.name, facets: &g.facets, role: g.role.map(Role::name) }).collect();
    if let Some((format, write)) = form.whole().and_then(|f| Some((f, f.write?))) {
        let surface = Surface { mesh, cells: Default::default(), parts: &parts, ascii: false, unit: Some(unit) };
        return vec![(format!("{stem}.{}", format.endings[0]), write(&surface))];
    }
    match form {
        Form::Ascii => vec![(format!("{stem}.stl"), stl::write_ascii(mesh, &parts))],
        Form::Obj => vec![(format!("{stem}.obj"), obj::write(mesh, Default::default(), &parts))],
        _ => {
            let names = distinct(groups.iter().map(|g| file_stem(&g.name)).collect());
            let one = |(g, name): (&Group, String)| match form {
                Form::PlySurface => {
                    (format!("{stem}-{name}.ply"), ply::write(&alone(mesh, g), Default::default(), false))
                }
                Form::Vtm => {
                    let own = alone(mesh, g);
                    let facets: Vec<FacetId> = own.triangles.keys().collect();
                    let parts = [NamedFacets { name: &g.name, facets: &facets, role: g.role.map(Role::name) }];
                    let surface = Surface {
                        mesh: &own,
                        cells: Default::default(),
                        parts: &parts,
                        ascii: false,
                        unit: Some(unit),
                    };
                    (format!("{stem}-{name}.vtu"), vtu::write(&surface, vtu::Kind::Grid))
                }
                _ => (format!("{stem}-{name}.stl"), stl::write_binary(mesh, &g.facets)),
            };
            groups.iter().zip(names).map(one).collect()
        }
    }
}

/// A boundary's facets with their own points.
fn alone(mesh: &Mesh, group: &Group) -> Mesh {
    let triangles = group.facets.iter().map(|f| mesh.triangles[*f]).collect();
    let mut own = Mesh { points: mesh.points.clone(), triangles };
    own.drop_unused_points();
    own
}

/// The index of a file a boundary, read back.
fn index_of(
    stem: &str,
    files: &[NamedFile],
    groups: &[Group],
    comparison: &mut Vec<Comparison>,
) -> Result<NamedFile, HandoverError> {
    let name = format!("{stem}.vtm");
    let sent: Vec<[String; 2]> = groups.iter().zip(files).map(|(g, f)| [g.name.clone(), f.0.clone()]).collect();
    let bytes = vtu::blocks::write_index(&sent);
    let back = vtu::blocks::read_index(&name, &bytes).map_err(|e| HandoverError::Different(e.to_string()))?;
    let told = |all: &[[String; 2]]| all.iter().map(|b| b[0].as_str()).collect::<Vec<_>>().join(", ");
    comparison.push(Comparison::told("blocks", told(&sent), told(&back), sent == back));
    Ok((name, bytes))
}

fn compare(
    sent: &Mesh,
    files: &[(String, Vec<u8>)],
    groups: &[Group],
    (form, unit): (Form, Unit),
    watch: &Watch,
) -> Result<Vec<Comparison>, HandoverError> {
    let failed = |e: hull_formats::ReadError| HandoverError::Different(e.to_string());
    let mut back = Mesh::default();
    let mut names = Vec::new();
    let mut per_boundary = Vec::new();
    for (name, bytes) in files {
        let read = hull_formats::read(name, bytes, watch).map_err(failed)?;
        match form.names_within() {
            true => {
                let name =
                    |l: &Label| if l.name.is_empty() { l.material.clone().unwrap_or_default() } else { l.name.clone() };
                names.extend(read.labels.iter().map(name));
                let mut facets = vec![0usize; read.labels.len()];
                for f in read.mesh.triangles.keys() {
                    facets[read.label_of.get(f).copied().unwrap_or(0) as usize] += 1;
                }
                per_boundary.extend(facets);
            }
            false => per_boundary.push(read.mesh.triangles.len()),
        }
        let mut own = read.mesh;
        if form == Form::Glb {
            // Back from metres with Y up to what was sent.
            transform::rotate(&mut own, &[[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]]);
            transform::enlarge(&mut own, 1000.0 / unit.millimetres());
        }
        back.append(&own);
    }
    join_equal_points(&mut back);
    let cancelled = |e: hull_geometry::Cancelled| HandoverError::Failed(e.to_string());
    let (a, b) = (Topology::of(sent, watch).map_err(cancelled)?, Topology::of(&back, watch).map_err(cancelled)?);
    let (box_a, box_b) = (sent.bounds(), back.bounds());
    let (mass_a, mass_b) = (measure::mass(sent, &box_a), measure::mass(&back, &box_b));
    // Against the size of the body and its place.
    let precision = form.about().precision;
    let reach = box_a.min.into_iter().chain(box_a.max).fold(0.0_f64, |m, x| m.max(x.abs()));
    let near = |x: f64, y: f64, scale: f64| (x - y).abs() <= precision * scale.max(f64::MIN_POSITIVE);
    let number = Comparison::number;
    let corner = |figure: &str, x: &Point, y: &Point| Comparison {
        figure: figure.into(),
        sent: x.map(|x| fixed(x, 6)).join(", "),
        read_back: y.map(|y| fixed(y, 6)).join(", "),
        same: (0..3).all(|k| near(x[k], y[k], reach)),
    };
    let mut rows = vec![
        number("facets", sent.triangles.len(), back.triangles.len()),
        number("points", a.used_points, b.used_points),
        number("open edges", a.open.len(), b.open.len()),
        number("shells", a.shells, b.shells),
        Comparison {
            figure: "closed".into(),
            sent: yes(a.is_closed()),
            read_back: yes(b.is_closed()),
            same: a.is_closed() == b.is_closed(),
        },
        corner("box from", &box_a.min, &box_b.min),
        corner("box to", &box_a.max, &box_b.max),
        Comparison {
            figure: "area".into(),
            sent: long(mass_a.area),
            read_back: long(mass_b.area),
            same: near(mass_a.area, mass_b.area, 4.0 * mass_a.area.max(reach * box_a.diagonal())),
        },
        Comparison {
            figure: "volume".into(),
            sent: long(mass_a.volume),
            read_back: long(mass_b.volume),
            same: near(mass_a.volume, mass_b.volume, 4.0 * mass_a.volume.abs().max(reach * box_a.diagonal().powi(2))),
        },
    ];
    let facets: Vec<usize> = groups.iter().map(|g| g.facets.len()).collect();
    rows.push(Comparison {
        figure: "facets of each boundary".into(),
        sent: facets.iter().map(|n| count(*n)).collect::<Vec<_>>().join(", "),
        read_back: per_boundary.iter().map(|n| count(*n)).collect::<Vec<_>>().join(", "),
        same: facets == per_boundary,
    });
    if form.names_within() {
        let own = || groups.iter().map(|g| g.name.as_str());
        let sent = match form {
            Form::Ascii | Form::Obj => stl::solid_names(own()),
            Form::Dxf => hull_formats::dxf::layer_names(own()),
            _ => own().map(String::from).collect(),
        };
        rows.push(Comparison {
            figure: "boundary names".into(),
            same: sent == names,
            sent: sent.join(", "),
            read_back: names.join(", "),
        });
    }
    Ok(rows)
}

fn yes(x: bool) -> String {
    if x { "yes".into() } else { "no".into() }
}

fn entry(file: &(String, Vec<u8>), groups: &[Group], form: Form) -> FileEntry {
    let boundaries = match form {
        _ if naming::is_one_each(form) && !file.0.ends_with(".vtm") => {
            let names = distinct(groups.iter().map(|g| file_stem(&g.name)).collect());
            groups
                .iter()
                .zip(names)
                .filter(|(_, n)| [".stl", ".ply", ".vtu"].iter().any(|end| file.0.ends_with(&format!("-{n}{end}"))))
                .map(|(g, _)| g.name.clone())
                .collect()
        }
        _ => groups.iter().map(|g| g.name.clone()).collect(),
    };
    FileEntry { name: file.0.clone(), bytes: file.1.len(), sha256: hex(&file.1), boundaries }
}

/// The loops along which bodies met that were made one, as a file of their own that is read back too.
fn named_edges(
    stem: &str,
    seams: &[Seam],
    factor: f64,
    comparison: &mut Vec<Comparison>,
) -> Result<Option<(NamedFile, FileEntry)>, HandoverError> {
    let scaled = |s: &Seam| NamedEdges {
        name: s.name.clone(),
        lines: s.lines.iter().map(|l| l.map(|p| p.map(|x| x * factor))).collect(),
    };
    let sent: Vec<NamedEdges> = seams.iter().filter(|s| !s.lines.is_empty()).map(scaled).collect();
    if sent.is_empty() {
        return Ok(None);
    }
    let name = format!("{stem}-edges.obj");
    let bytes = named_edges::write(&sent);
    let back = named_edges::read(&name, &bytes).map_err(|e| HandoverError::Different(e.to_string()))?;
    let edges = |all: &[NamedEdges]| count(all.iter().map(|e| e.lines.len()).sum());
    comparison.push(Comparison {
        figure: "named edges".into(),
        sent: edges(&sent),
        read_back: edges(&back),
        same: sent == back,
    });
    let entry = FileEntry {
        name: name.clone(),
        bytes: bytes.len(),
        sha256: hex(&bytes),
        boundaries: sent.into_iter().map(|e| e.name).collect(),
    };
    Ok(Some(((name, bytes), entry)))
}

/// SHA-256 in hexadecimal.
pub fn hex(bytes: &[u8]) -> String {
    Sha256::digest(bytes).iter().map(|b| format!("{b:02x}")).collect()
}

/// A zip with the same bytes for the same files: no times in it.
///
/// # Errors
/// If one is too large.
pub fn pack(files: &[(String, Vec<u8>)]) -> zip::result::ZipResult<Vec<u8>> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default().large_file(true);
    for (name, bytes) in files {
        zip.start_file(name, options)?;
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}
