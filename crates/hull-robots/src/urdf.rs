//! URDF, the open robot description in XML: links, joints, inertia, shapes (*from memory*). What is not understood is counted.

use crate::model::{Geometry, Inertia, Joint, JointKind, Link, Pose, Robot, Shape};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::collections::BTreeMap;
use std::fmt::Write as _;

/// A robot with what of its file was not understood.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Read {
    /// The robot.
    pub robot: Robot,
    /// Elements by their word, and how often.
    pub skipped: BTreeMap<String, usize>,
}

/// Colours by the names of materials, which may be told anywhere in the file.
#[derive(Default)]
struct Materials {
    known: BTreeMap<String, [f64; 4]>,
    /// The one whose element is open.
    open: String,
    /// Link and shape that wait for a colour by its name.
    wanted: Vec<(usize, usize, String)>,
}

impl Materials {
    fn paint(self, robot: &mut Robot) {
        for (link, shape, name) in self.wanted {
            let shape = &mut robot.links[link].visual[shape];
            shape.colour = shape.colour.or_else(|| self.known.get(&name).copied());
        }
    }
}

/// Elements nest so deep at most.
const DEEPEST: usize = 64;

/// Reads a description.
///
/// # Errors
/// A sentence with the line: it is no XML, is cut off, has a document type (whose entities could grow without end), or
/// numbers that are none.
pub fn read(bytes: &[u8]) -> Result<Read, String> {
    let mut reader = Reader::from_reader(bytes);
    reader.config_mut().check_end_names = true;
    let (mut out, mut path, mut seen_robot) = (Read::default(), Vec::<String>::new(), false);
    let mut materials = Materials::default();
    loop {
        let at = |position: u64, why: String| {
            let line = bytes[..(position as usize).min(bytes.len())].iter().filter(|b| **b == b'\n').count() + 1;
            format!("line {line}: {why}")
        };
        let event = reader.read_event().map_err(|e| at(reader.error_position(), e.to_string()))?;
        let position = reader.buffer_position();
        match event {
            Event::DocType(_) => {
                return Err(at(position, "a document type is not taken: write its entities out".into()));
            }
            Event::Start(e) => {
                let word = e.local_name().as_ref().to_string();
                seen_robot |= path.is_empty() && word == "robot";
                element(&mut out, &mut materials, &path, &word, &e).map_err(|why| at(position, why))?;
                path.push(word);
                if path.len() > DEEPEST {
                    return Err(at(position, format!("elements stand more than {DEEPEST} deep")));
                }
            }
            Event::Empty(e) => {
                let word = e.local_name().as_ref().to_string();
                seen_robot |= path.is_empty() && word == "robot";
                element(&mut out, &mut materials, &path, &word, &e).map_err(|why| at(position, why))?;
            }
            Event::End(_) => drop(path.pop()),
            Event::Eof if !path.is_empty() => {
                return Err(at(position, "the file ends within an element: it is cut off".into()));
            }
            Event::Eof => break,
            _ => {}
        }
    }
    materials.paint(&mut out.robot);
    if seen_robot { Ok(out) } else { Err("the file has no element “robot”: is it a URDF file?".into()) }
}

fn text(e: &BytesStart, key: &str) -> Option<String> {
    let found = e.attributes().flatten().find(|a| a.key.as_ref() == key)?;
    Some(quick_xml::escape::unescape(&found.value).map_or_else(|_| found.value.to_string(), |v| v.into_owned()))
}

fn number(e: &BytesStart, key: &str) -> Result<Option<f64>, String> {
    let Some(word) = text(e, key) else { return Ok(None) };
    let found = word.trim().parse().ok().filter(|x: &f64| x.is_finite());
    found.map(Some).ok_or_else(|| format!("“{word}” is not a finite number ({key})"))
}

fn three(e: &BytesStart, key: &str) -> Result<Option<[f64; 3]>, String> {
    let Some(words) = text(e, key) else { return Ok(None) };
    let all: Option<Vec<f64>> =
        words.split_whitespace().map(|w| w.parse().ok().filter(|x: &f64| x.is_finite())).collect();
    let found = all.and_then(|n| <[f64; 3]>::try_from(n).ok());
    found.map(Some).ok_or_else(|| format!("“{words}” is not three finite numbers ({key})"))
}

fn four(e: &BytesStart, key: &str) -> Result<Option<[f64; 4]>, String> {
    let Some(words) = text(e, key) else { return Ok(None) };
    let all: Option<Vec<f64>> =
        words.split_whitespace().map(|w| w.parse().ok().filter(|x: &f64| x.is_finite())).collect();
    let found = all.and_then(|n| <[f64; 4]>::try_from(n).ok());
    found.map(Some).ok_or_else(|| format!("“{words}” is not four finite numbers ({key})"))
}

fn element(
    out: &mut Read,
    materials: &mut Materials,
    path: &[String],
    word: &str,
    e: &BytesStart,
) -> Result<(), String> {
    let names: Vec<&str> = path.iter().map(String::as_str).collect();
    let robot = &mut out.robot;
    match (names.as_slice(), word) {
        (["robot"] | ["robot", "link", "visual"], "material") => {
            materials.open = text(e, "name").unwrap_or_default();
            let at = robot.links.len().checked_sub(1).filter(|_| names.len() > 1);
            let shape = at.and_then(|l| Some((l, robot.links[l].visual.len().checked_sub(1)?)));
            if let Some((link, shape)) = shape {
                materials.wanted.push((link, shape, materials.open.clone()));
            }
            return Ok(());
        }
        (["robot", .., "material"], "color") => {
            if let Some(colour) = four(e, "rgba")? {
                // What the robot says for all counts before what one shape said first.
                match names.len() {
                    2 => drop(materials.known.insert(materials.open.clone(), colour)),
                    _ => drop(materials.known.entry(materials.open.clone()).or_insert(colour)),
                }
            }
        }
        _ => {}
    }
    match (names.as_slice(), word) {
        ([], "robot") => robot.name = text(e, "name").unwrap_or_default(),
        (["robot"], "link") => {
            robot.links.push(Link { name: text(e, "name").unwrap_or_default(), ..Link::default() });
        }
        (["robot"], "joint") => {
            let kind = text(e, "type").unwrap_or_default();
            let known = JointKind::ALL.iter().find(|k| k.0 == kind).map(|k| k.1);
            let kind = known.ok_or_else(|| format!("“{kind}” is no type of a joint"))?;
            let name = text(e, "name").unwrap_or_default();
            robot.joints.push(Joint { name, kind, axis: [1.0, 0.0, 0.0], ..Joint::default() });
        }
        (["robot", "link", rest @ ..], _) => {
            if let Some(link) = robot.links.last_mut()
                && !in_link(link, rest, word, e)?
            {
                *out.skipped.entry(word.into()).or_default() += 1;
            }
        }
        (["robot", "joint"], _) => {
            if let Some(joint) = robot.joints.last_mut()
                && !in_joint(joint, word, e)?
            {
                *out.skipped.entry(word.into()).or_default() += 1;
            }
        }
        (["robot", "material"], "color") => {}
        (["robot", "material"], _) => *out.skipped.entry(word.into()).or_default() += 1,
        // What other programs put beside.
        (["robot"], _) => *out.skipped.entry(word.into()).or_default() += 1,
        _ => {}
    }
    Ok(())
}

fn pose(e: &BytesStart) -> Result<Pose, String> {
    Ok(Pose { xyz: three(e, "xyz")?.unwrap_or_default(), rpy: three(e, "rpy")?.unwrap_or_default() })
}

fn in_link(link: &mut Link, path: &[&str], word: &str, e: &BytesStart) -> Result<bool, String> {
    let place_holder = || Shape { at: Pose::default(), geometry: Geometry::Sphere(0.0), colour: None };
    match (path, word) {
        ([], "inertial") => link.inertia = Some(Inertia::default()),
        ([], "visual") => link.visual.push(place_holder()),
        ([], "collision") => link.collision.push(place_holder()),
        (["inertial"], _) => {
            let Some(inertia) = &mut link.inertia else { return Ok(false) };
            match word {
                "origin" => inertia.at = pose(e)?,
                "mass" => inertia.mass = number(e, "value")?.unwrap_or(0.0),
                "inertia" => {
                    for (k, key) in ["ixx", "ixy", "ixz", "iyy", "iyz", "izz"].into_iter().enumerate() {
                        inertia.moments[k] = number(e, key)?.unwrap_or(0.0);
                    }
                }
                _ => return Ok(false),
            }
        }
        ([of @ ("visual" | "collision"), rest @ ..], _) => {
            let shapes = if *of == "visual" { &mut link.visual } else { &mut link.collision };
            let Some(shape) = shapes.last_mut() else { return Ok(false) };
            match (rest, word) {
                ([], "origin") => shape.at = pose(e)?,
                (["material"], "color") => shape.colour = four(e, "rgba")?,
                ([], "geometry") => {}
                (["geometry"], "mesh") => {
                    let file = text(e, "filename").unwrap_or_default();
                    shape.geometry = Geometry::Mesh { file, scale: three(e, "scale")?.unwrap_or([1.0; 3]) };
                }
                (["geometry"], "box") => shape.geometry = Geometry::Box(three(e, "size")?.unwrap_or_default()),
                (["geometry"], "cylinder" | "capsule") => {
                    let [r, l] = [number(e, "radius")?, number(e, "length")?].map(|x| x.unwrap_or(0.0));
                    shape.geometry = Geometry::Cylinder(r, l);
                }
                (["geometry"], "sphere") => shape.geometry = Geometry::Sphere(number(e, "radius")?.unwrap_or(0.0)),
                _ => return Ok(false),
            }
        }
        _ => return Ok(false),
    }
    Ok(true)
}

fn in_joint(joint: &mut Joint, word: &str, e: &BytesStart) -> Result<bool, String> {
    match word {
        "parent" => joint.parent = text(e, "link").unwrap_or_default(),
        "child" => joint.child = text(e, "link").unwrap_or_default(),
        "origin" => joint.at = pose(e)?,
        "axis" => joint.axis = three(e, "xyz")?.unwrap_or([1.0, 0.0, 0.0]),
        "limit" => {
            let [low, high] = [number(e, "lower")?, number(e, "upper")?];
            joint.limits = (low.is_some() || high.is_some()).then(|| [low.unwrap_or(0.0), high.unwrap_or(0.0)]);
            let [effort, speed] = [number(e, "effort")?, number(e, "velocity")?];
            joint.effort_speed = effort.zip(speed).map(|(e, s)| [e, s]);
        }
        "dynamics" => {
            joint.dynamics = Some([number(e, "damping")?.unwrap_or(0.0), number(e, "friction")?.unwrap_or(0.0)]);
        }
        "mimic" => {
            let [factor, offset] = [number(e, "multiplier")?.unwrap_or(1.0), number(e, "offset")?.unwrap_or(0.0)];
            joint.mimic = Some((text(e, "joint").unwrap_or_default(), factor, offset));
        }
        _ => return Ok(false),
    }
    Ok(true)
}

/// Writes a description.
pub fn write(robot: &Robot) -> String {
    let esc = |s: &str| quick_xml::escape::escape(s).into_owned();
    let list = |v: &[f64]| v.iter().map(f64::to_string).collect::<Vec<_>>().join(" ");
    let pose = |p: &Pose| format!("<origin xyz=\"{}\" rpy=\"{}\"/>", list(&p.xyz), list(&p.rpy));
    let mut x = format!("<?xml version=\"1.0\"?>\n<robot name=\"{}\">\n", esc(&robot.name));
    // Writing to memory cannot fail.
    for link in &robot.links {
        let _ = writeln!(x, "  <link name=\"{}\">", esc(&link.name));
        if let Some(i) = &link.inertia {
            let [xx, xy, xz, yy, yz, zz] = i.moments;
            let _ = writeln!(
                x,
                "    <inertial>{}<mass value=\"{}\"/><inertia ixx=\"{xx}\" ixy=\"{xy}\" ixz=\"{xz}\" iyy=\"{yy}\" \
                 iyz=\"{yz}\" izz=\"{zz}\"/></inertial>",
                pose(&i.at),
                i.mass
            );
        }
        for (word, shapes) in [("visual", &link.visual), ("collision", &link.collision)] {
            for s in shapes {
                let geometry = match &s.geometry {
                    Geometry::Mesh { file, scale } => {
                        format!("<mesh filename=\"{}\" scale=\"{}\"/>", esc(file), list(scale))
                    }
                    Geometry::Box(size) => format!("<box size=\"{}\"/>", list(size)),
                    Geometry::Cylinder(r, l) => format!("<cylinder radius=\"{r}\" length=\"{l}\"/>"),
                    Geometry::Sphere(r) => format!("<sphere radius=\"{r}\"/>"),
                };
                let colour = s.colour.map_or(String::new(), |c| {
                    let name = c.map(|x| ((x * 255.0).round().clamp(0.0, 255.0)) as u8);
                    let name: String = name.iter().map(|b| format!("{b:02x}")).collect();
                    format!("<material name=\"c{name}\"><color rgba=\"{}\"/></material>", list(&c))
                });
                let _ = writeln!(x, "    <{word}>{}<geometry>{geometry}</geometry>{colour}</{word}>", pose(&s.at));
            }
        }
        x.push_str("  </link>\n");
    }
    for j in &robot.joints {
        let _ = writeln!(x, "  <joint name=\"{}\" type=\"{}\">", esc(&j.name), j.kind.word());
        let _ =
            writeln!(x, "    <parent link=\"{}\"/><child link=\"{}\"/>{}", esc(&j.parent), esc(&j.child), pose(&j.at));
        if j.kind.has_axis() {
            let _ = writeln!(x, "    <axis xyz=\"{}\"/>", list(&j.axis));
        }
        if j.limits.is_some() || j.effort_speed.is_some() {
            let range = j.limits.map_or(String::new(), |[a, b]| format!(" lower=\"{a}\" upper=\"{b}\""));
            let most = j.effort_speed.map_or(String::new(), |[e, v]| format!(" effort=\"{e}\" velocity=\"{v}\""));
            let _ = writeln!(x, "    <limit{range}{most}/>");
        }
        if let Some([d, f]) = j.dynamics {
            let _ = writeln!(x, "    <dynamics damping=\"{d}\" friction=\"{f}\"/>");
        }
        if let Some((leader, factor, offset)) = &j.mimic {
            let _ = writeln!(x, "    <mimic joint=\"{}\" multiplier=\"{factor}\" offset=\"{offset}\"/>", esc(leader));
        }
        x.push_str("  </joint>\n");
    }
    x + "</robot>\n"
}
