//! A frame as tables, JSON, VTU, DXF, Exodus II, IFC4 and solids, read back and compared.

use super::{NamedFile, ifc, members};
use crate::Body;
use crate::body::Scale;
use crate::comparison::{Comparison, HandoverError};
use crate::numbers::long;
use hull_exact::Motion;
use hull_exact::wires::Wires;
use hull_formats::bundles::Bundles;
use hull_formats::{Content, dxf, exodus, stl, vtu};
use hull_frames::{End, Fix, Frame, LoadKind, Member};
use hull_geometry::measure::mass;
use hull_geometry::{Mesh, Unit, Watch, transform};
use serde::{Deserialize, Serialize};

/// A frame with what its numbers are.
#[derive(Serialize, Deserialize)]
struct Said {
    /// Of lengths; forces are in N, masses in t, sections in mm always.
    length: String,
    frame: Frame,
}

/// A frame as JSON, with its unit.
pub fn json(frame: &Frame) -> Vec<u8> {
    // Numbers and names are plain data; numbers that are none do not come through the steps.
    serde_json::to_vec_pretty(&Said { length: "mm".into(), frame: frame.clone() }).unwrap_or_default()
}

/// The body of a frame that was written as JSON.
///
/// # Errors
/// A sentence: it is no frame, or its numbers do not fit each other.
pub fn from_json(file: &str, bytes: &[u8]) -> Result<Body, String> {
    let said: Said = serde_json::from_slice(bytes).map_err(|e| format!("{file}: this is no frame: {e}"))?;
    let (joints, members) = (said.frame.joints.len() as u32, said.frame.members.len() as u32);
    if said.length != "mm" {
        return Err(format!("{file}: lengths of a frame are in mm, not in “{}”", said.length));
    }
    let frame = said.frame;
    let fits = |m: &Member| m.ends.iter().all(|j| *j < joints) && m.ends[0] != m.ends[1];
    if let Some(i) = frame.members.iter().position(|m| !fits(m)) {
        return Err(format!("{file}: member {} ends at a joint that is not there, or at one twice", i + 1));
    }
    if let Some(i) = frame.joints.iter().position(|j| j.at.iter().any(|x| !x.is_finite())) {
        return Err(format!("{file}: joint {} is not at a finite place", i + 1));
    }
    let is_bad = |m: &Member| m.is_offset() && !(frame.length(m) > 0.0 && frame.length(m).is_finite());
    if let Some(i) = frame.members.iter().position(is_bad) {
        return Err(format!("{file}: member {} has no length between its offset ends", i + 1));
    }
    let there = |l: &hull_frames::Load| match &l.kind {
        LoadKind::Weight { .. } => true,
        LoadKind::Joint { joint, .. } => *joint < joints,
        LoadKind::Line { member, .. } | LoadKind::Warmth { member, .. } => *member < members,
    };
    if let Some(i) = frame.loads.iter().position(|l| !there(l)) {
        return Err(format!("{file}: load {} acts on what is not there", i + 1));
    }
    let mut body = Body::default();
    body.facts.source.file = file.into();
    body.facts.source.format = "frame, JSON".into();
    body.facts.scale = Some(Scale::Unit(Unit::Mm));
    body.set_frame(frame);
    Ok(body)
}

/// Writes a frame in a unit of length, reads every file back and compares.
///
/// # Errors
/// [`HandoverError`], if a file cannot be read back.
pub fn written(
    stem: &str,
    frame: &Frame,
    unit: Unit,
    watch: &Watch,
) -> Result<(Vec<NamedFile>, Vec<Comparison>), HandoverError> {
    let factor = 1.0 / unit.millimetres();
    let failed = |e: serde_json::Error| HandoverError::Different(e.to_string());
    let json = json(frame);
    let mut files = vec![
        (format!("{stem}-joints.csv"), joints(frame, factor, unit).into_bytes()),
        (format!("{stem}-members.csv"), members_table(frame, factor, unit).into_bytes()),
        (format!("{stem}-sections.csv"), sections(frame).into_bytes()),
        (format!("{stem}-loads.csv"), loads(frame).into_bytes()),
        (format!("{stem}.json"), json),
        (format!("{stem}.vtu"), grid(frame, factor)),
        (format!("{stem}.dxf"), drawing(frame, factor, unit)),
        (format!("{stem}.exo"), bars(frame, factor)),
        (format!("{stem}.ifc"), ifc::write(stem, frame, unit)),
    ];
    let solids = all_solids(frame, factor);
    if !solids.triangles.is_empty() {
        files.push((format!("{stem}-solids.stl"), stl::write_whole(&solids)));
    }
    let back: Said = serde_json::from_slice(&files[4].1).map_err(failed)?;
    let (row, number) = (Comparison::told, Comparison::number);
    let table = |file: usize| numbers_of(&files[file].1);
    let sent_joints = frame.joints.iter().map(|j| j.at.map(|x| x * factor).to_vec()).collect::<Vec<_>>();
    let sent_ends = frame.members.iter().map(|m| m.ends.map(|j| f64::from(j + 1)).to_vec()).collect::<Vec<_>>();
    let length: f64 = frame.members.iter().map(|m| frame.length(m)).sum::<f64>() * factor;
    let mut comparison = vec![
        number("joints in the table", sent_joints.len(), table(0).len()),
        row("their places", "as sent".into(), "as read".into(), table(0) == sent_joints),
        number("members in the table", sent_ends.len(), table(1).len()),
        row("the joints at their ends", "as sent".into(), "as read".into(), table(1) == sent_ends),
        row("the frame in JSON", "as sent".into(), "as read".into(), back.frame == *frame),
    ];
    let back = exodus::bars::read(&files[7].1).map_err(HandoverError::Different)?;
    let beams: usize = back.blocks.iter().map(|b| b.1.len()).sum();
    comparison.push(number(&format!("bars in {}", files[7].0), frame.members.len(), beams));
    let (sent, supported) = (sent_bars(frame, factor), frame.joints.iter().filter(|j| j.is_supported()).count());
    let held: usize = back.nodes.iter().filter(|s| HELD.contains(&s.0.as_str())).map(|s| s.1.len()).sum();
    comparison.push(number(&format!("supported joints in {}", files[7].0), supported, held));
    comparison.push(row("its bars and nodes", "as sent".into(), "as read".into(), back == sent));
    comparison.extend(compared_model(&files[8], frame, factor)?);
    if let Some(file) = files.get(9) {
        comparison.push(compared_solids(file, &solids, watch)?);
    }
    if let Some((file, rows)) = members::written(stem, frame, unit, watch)? {
        files.push(file);
        comparison.extend(rows);
    }
    let named = frame.named_sets();
    if named.iter().any(|s| !s.members.is_empty() || !s.joints.is_empty()) {
        files.push((format!("{stem}-sets.csv"), sets_table(&named).into_bytes()));
    }
    for file in [5, 6] {
        let (name, bytes) = &files[file];
        let read = hull_formats::open(name, bytes, watch).map_err(|e| HandoverError::Different(e.to_string()))?;
        let Content::Exact(design) = read else {
            return Err(HandoverError::Different(format!("{name}: lines came back as something else")));
        };
        let lines = Wires { model: design.model, placed: Motion::NONE }.lines();
        let all: f64 = lines.iter().map(|l| l.length).sum();
        comparison.push(number(&format!("lines in {name}"), frame.members.len(), lines.len()));
        let same = (all - length).abs() <= 1e-9 * length.max(f64::MIN_POSITIVE);
        comparison.push(row(&format!("length in {name}"), long(length), long(all), same));
    }
    Ok((files, comparison))
}

/// Members as closed solids, one behind the other.
fn all_solids(frame: &Frame, factor: f64) -> Mesh {
    let mut all = hull_frames::solids::together(frame);
    transform::enlarge(&mut all, factor);
    all
}

/// The volume of the solids that were read against that of those that were sent.
fn compared_solids((name, bytes): &NamedFile, sent: &Mesh, watch: &Watch) -> Result<Comparison, HandoverError> {
    let failed = |e: hull_formats::ReadError| HandoverError::Different(e.to_string());
    let read = stl::read(name, bytes, watch).map_err(failed)?;
    let volume = |mesh: &Mesh| mass(mesh, &mesh.bounds()).volume;
    let (sent, back) = (volume(sent), volume(&read.mesh));
    // Single precision: seven digits of each place.
    let same = (sent - back).abs() <= 1e-4 * sent.abs();
    Ok(Comparison::told(&format!("volume in {name}"), long(sent), long(back), same))
}

/// What the structural model says against the frame.
fn compared_model((name, bytes): &NamedFile, frame: &Frame, factor: f64) -> Result<Vec<Comparison>, HandoverError> {
    let back = ifc::read::read(bytes).map_err(HandoverError::Different)?;
    let sent = ifc::read::expected(frame, factor);
    let row = |what: &str, same: bool| {
        Comparison::told(&format!("{what} in {name}"), "as sent".into(), "as read".into(), same)
    };
    Ok(vec![
        Comparison::number(&format!("members in {name}"), sent.members.len(), back.members.len()),
        row("joints", back.places == sent.places),
        row("members with their sections", back.members == sent.members),
        row(
            "supports and ends",
            back.held == sent.held && back.released == sent.released && back.beside == sent.beside,
        ),
        row("load cases", back.cases == sent.cases),
        row("combinations", back.combinations == sent.combinations),
        row("sets", back.sets == sent.sets),
    ])
}

/// The numbers behind the first cell of each row of a table, up to the first cell that is none.
fn numbers_of(table: &[u8]) -> Vec<Vec<f64>> {
    let text = String::from_utf8_lossy(table);
    let row = |line: &str| line.split(',').skip(1).map_while(|cell| cell.parse().ok()).collect();
    text.lines().skip(1).map(row).collect()
}

/// A text as a cell: quoted where it has to be (RFC 4180).
fn cell(text: &str) -> String {
    if text.contains(['"', ',', '\n']) { format!("\"{}\"", text.replace('"', "\"\"")) } else { text.into() }
}

fn table(head: &str, rows: impl Iterator<Item = String>) -> String {
    std::iter::once(head.to_string()).chain(rows).fold(String::new(), |all, row| all + &row + "\r\n")
}

fn joints(frame: &Frame, factor: f64, unit: Unit) -> String {
    let held = |f: &Fix| match f {
        Fix::Free => "free".to_string(),
        Fix::Held => "held".into(),
        Fix::Spring(s) => format!("spring {s}"),
        Fix::Moved(by) => format!("moved {by}"),
    };
    let u = unit.symbol();
    let head = format!("joint,x {u},y {u},z {u},along x,along y,along z,about x,about y,about z");
    let row = |(i, j): (usize, &hull_frames::Joint)| {
        let p = j.at.map(|x| (x * factor).to_string()).join(",");
        format!("{},{p},{}", i + 1, j.held.iter().map(held).collect::<Vec<_>>().join(","))
    };
    table(&head, frame.joints.iter().enumerate().map(row))
}

/// Members by their joints; where any ends beside a joint, the offsets of all stand in the last columns.
fn members_table(frame: &Frame, factor: f64, unit: Unit) -> String {
    let end = |e: End| match e {
        End::Rigid => "rigid".to_string(),
        End::Pinned => "pinned".into(),
        End::Sliding => "sliding".into(),
        End::Elastic(spring) => format!("elastic {spring} N·mm/rad"),
    };
    let has_offsets = frame.members.iter().any(Member::is_offset);
    let row = |(i, m): (usize, &Member)| {
        let made = frame.made_of(m);
        let [section, material] = [made.map(|x| x.0.name.as_str()), made.map(|x| x.1.name.as_str())];
        let layer = frame.layers.get(m.layer as usize).map_or("", String::as_str);
        let mut cells = vec![
            (i + 1).to_string(),
            (m.ends[0] + 1).to_string(),
            (m.ends[1] + 1).to_string(),
            cell(section.unwrap_or("")),
            cell(material.unwrap_or("")),
            cell(layer),
            m.turn.to_string(),
            end(m.joined[0]),
            end(m.joined[1]),
        ];
        if has_offsets {
            cells.extend(m.offset.as_flattened().iter().map(|x| (x * factor).to_string()));
        }
        cells.join(",")
    };
    let mut head = "member,from,to,section,material,layer,turn deg,first end,last end".to_string();
    if has_offsets {
        for (end, axis) in ["first", "last"].into_iter().flat_map(|end| ["x", "y", "z"].map(|axis| (end, axis))) {
            head += &format!(",{end} offset {axis} {}", unit.symbol());
        }
    }
    table(&head, frame.members.iter().enumerate().map(row))
}

/// A row for each member and joint of each set.
fn sets_table(sets: &[hull_frames::NamedSet]) -> String {
    let rows = |s: &hull_frames::NamedSet| {
        let of = |kind: &str, all: &[u32]| -> Vec<String> {
            all.iter().map(|i| format!("{},{kind},{}", cell(&s.name), i + 1)).collect()
        };
        [of("member", &s.members), of("joint", &s.joints)].concat()
    };
    table("set,kind,number", sets.iter().flat_map(rows))
}

fn sections(frame: &Frame) -> String {
    let row = |s: &hull_frames::Section| {
        format!("{},{},{},{},{},{},{}", cell(&s.name), s.area, s.iy, s.iz, s.torsion, s.shear[0], s.shear[1])
    };
    table("section,A mm²,Iy mm⁴,Iz mm⁴,J mm⁴,shear area y mm²,shear area z mm²", frame.sections.iter().map(row))
}

fn loads(frame: &Frame) -> String {
    let row = |l: &hull_frames::Load| {
        let list = |all: &[f64]| all.iter().map(f64::to_string).collect::<Vec<_>>().join(",");
        let rest = match &l.kind {
            LoadKind::Weight { acceleration } => {
                format!("weight mm/s²,all,{},,,", list(acceleration))
            }
            LoadKind::Joint { joint, force } => format!("joint N and N·mm,{},{}", joint + 1, list(force)),
            LoadKind::Line { member, force } => format!("along member N/mm,{},{},,,", member + 1, list(force)),
            LoadKind::Warmth { member, by, growth } => format!("warmth K and 1/K,{},{by},{growth},,,,", member + 1),
        };
        format!("{},{rest}", cell(&l.case))
    };
    table("case,kind,of,x,y,z,about x,about y,about z", frame.loads.iter().map(row))
}

/// The name under which members of one section stand; those without one by their layer.
fn group(frame: &Frame, m: &Member) -> String {
    let section = m.section.and_then(|s| frame.sections.get(s as usize)).map(|s| s.name.clone());
    section.or_else(|| frame.layers.get(m.layer as usize).cloned()).unwrap_or_default()
}

/// Node sets of what holds joints.
const HELD: [&str; 3] = ["fixed", "pinned", "supported"];

/// How a joint is held, as a node set is called.
fn held(joint: &hull_frames::Joint) -> &'static str {
    let fixed = |of: &[Fix]| of.iter().all(|f| *f == Fix::Held);
    let free = |of: &[Fix]| of.iter().all(|f| *f == Fix::Free);
    match (&joint.held[..3], &joint.held[3..]) {
        (along, about) if fixed(along) && fixed(about) => "fixed",
        (along, about) if fixed(along) && free(about) => "pinned",
        _ => "supported",
    }
}

/// Bars by section with what each section is, node sets by how joints are held, and named sets.
struct Bars {
    blocks: Vec<exodus::bars::Block>,
    nodes: Vec<exodus::bars::Named>,
    bars: Vec<exodus::bars::Named>,
}

impl Bars {
    fn of(frame: &Frame, factor: f64) -> Bars {
        let (blocks, element) = bar_blocks(frame, factor);
        let of = |word: &str| -> Vec<u32> {
            let own = frame.joints.iter().enumerate().filter(|(_, j)| j.is_supported() && held(j) == word);
            own.map(|(i, _)| i as u32).collect()
        };
        let mut nodes: Vec<_> = HELD.iter().map(|word| ((*word).to_string(), of(word))).collect();
        let mut bars = Vec::new();
        for set in frame.named_sets() {
            let mut name: String = set.name.chars().filter(char::is_ascii).take(exodus::NAME - 4).collect();
            while name.is_empty() || nodes.iter().chain(&bars).any(|s| s.0 == name) {
                name += " set";
            }
            nodes.push((name.clone(), set.joints));
            bars.push((name, set.members.iter().map(|m| element[*m as usize]).collect()));
        }
        nodes.retain(|s| !s.1.is_empty());
        bars.retain(|s| !s.1.is_empty());
        Bars { blocks, nodes, bars }
    }
}

/// Bars by section, and the number of each member among them.
fn bar_blocks(frame: &Frame, factor: f64) -> (Vec<exodus::bars::Block>, Vec<u32>) {
    let mut blocks: Vec<exodus::bars::Block> = Vec::new();
    let mut place = Vec::with_capacity(frame.members.len());
    for m in &frame.members {
        let name: String = group(frame, m).chars().take(exodus::NAME).filter(char::is_ascii).collect();
        let made = frame.made_of(m);
        let mut figures = made.map_or(Vec::new(), |(s, mat)| {
            vec![
                ("Area", s.area),
                ("Iy", s.iy),
                ("Iz", s.iz),
                ("J", s.torsion),
                ("E", mat.young),
                ("G", mat.shear),
                ("Density", mat.density),
            ]
        });
        if m.is_offset() {
            let names = ["Offset1X", "Offset1Y", "Offset1Z", "Offset2X", "Offset2Y", "Offset2Z"];
            figures.extend(names.into_iter().zip(m.offset.as_flattened().iter().map(|x| x * factor)));
        }
        let is_own = |b: &exodus::bars::Block| b.name == name && b.figures == figures;
        let k = blocks.iter().position(is_own).unwrap_or_else(|| {
            blocks.push(exodus::bars::Block { name, ends: Vec::new(), figures });
            blocks.len() - 1
        });
        place.push((k, blocks[k].ends.len() as u32));
        blocks[k].ends.push(m.ends);
    }
    let mut first = vec![0];
    blocks.iter().for_each(|b| first.push(first[first.len() - 1] + b.ends.len() as u32));
    (blocks, place.into_iter().map(|(k, i)| first[k] + i).collect())
}

/// A frame as bars of Exodus II.
pub fn bars(frame: &Frame, factor: f64) -> Vec<u8> {
    let Bars { blocks, nodes, bars } = Bars::of(frame, factor);
    exodus::bars::write(&in_unit(frame, factor), &blocks, &nodes, &bars)
}

/// The same as it should be read back.
fn sent_bars(frame: &Frame, factor: f64) -> exodus::bars::Bars {
    let Bars { blocks, nodes, bars } = Bars::of(frame, factor);
    let blocks = blocks.into_iter().map(|b| (b.name, b.ends)).collect();
    exodus::bars::Bars { points: in_unit(frame, factor), blocks, nodes, bars }
}

/// Places of the joints.
fn in_unit(frame: &Frame, factor: f64) -> Vec<[f64; 3]> {
    frame.joints.iter().map(|j| j.at.map(|x| x * factor)).collect()
}

/// A frame as lines of an unstructured grid, by section. A member that ends beside a joint ends at a point of its own there.
pub fn grid(frame: &Frame, factor: f64) -> Vec<u8> {
    let mut names: Vec<String> = Vec::new();
    let mut part = |name: String| {
        let at = names.iter().position(|n| *n == name).unwrap_or_else(|| {
            names.push(name);
            names.len() - 1
        });
        at as u32
    };
    let mut points: Vec<[f64; 3]> = frame.joints.iter().map(|j| j.at.map(|x| x * factor)).collect();
    let mut ends = |m: &Member| {
        let places = frame.places(m);
        [0, 1].map(|e| {
            if m.offset[e] == [0.0; 3] {
                return m.ends[e];
            }
            points.push(places[e].map(|x| x * factor));
            points.len() as u32 - 1
        })
    };
    let lines: Vec<([u32; 2], u32)> = frame.members.iter().map(|m| (ends(m), part(group(frame, m)))).collect();
    vtu::write_lines(&points, &lines, &names)
}

/// A frame as a drawing with a layer for each section.
pub fn drawing(frame: &Frame, factor: f64, unit: Unit) -> Vec<u8> {
    let mut bundles = Bundles::default();
    for m in &frame.members {
        let [a, b] = frame.places(m).map(|p| p.map(|x| x * factor));
        bundles.line(&group(frame, m), a, b);
    }
    dxf::write_lines(&bundles.finish(None), &Motion::NONE, Some(unit))
}
