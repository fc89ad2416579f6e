//! What the form of a robot's page says, and what its buttons do.

use super::{BodyChoice, COLLISIONS, KINDS};
use crate::form::{Fields, text};
use hull_geometry::Point;
use hull_robots::JointKind;
use hull_robots::build::legal;
use hull_robots::cameras::PlannedCamera;
use hull_robots::plan::{Collision, Mimic, Mirrored, Plan, PlannedFrame, PlannedJoint, PlannedLink};
use hull_store::ids::RevisionId;

/// The plan that the form says.
///
/// What the form cannot say of a link, `kept` says: the plan that the form was made of.
pub(super) fn changed(fields: &Fields, kept: &Plan, known: &[(BodyChoice, RevisionId)]) -> Result<Plan, String> {
    let typed = |key: String| text(fields, &key).to_string();
    let number = |key: String, what: &str, otherwise: f64| -> Result<f64, String> {
        let word = typed(key).replace(',', ".").replace('−', "-");
        if word.is_empty() {
            return Ok(otherwise);
        }
        let found = word.parse().ok().filter(|x: &f64| x.is_finite() && x.abs() < 1e12);
        found.ok_or_else(|| format!("{what} must be a number; “{word}” is not."))
    };
    let three = |key: String, what: &str| -> Result<Point, String> {
        let part = |axis: &str| number(format!("{key}{axis}"), what, 0.0);
        Ok([part("x")?, part("y")?, part("z")?])
    };
    let many = |key: &str| typed(key.into()).parse::<usize>().unwrap_or(0).min(500);
    let mut plan = Plan { name: typed("name".into()), ..Plan::default() };
    for i in 0..many("links") {
        let own = |key: &str| format!("l{i}_{key}");
        let name = typed(own("name"));
        if name.is_empty() || name.chars().count() > 60 {
            return Err("A link needs a name of 1 to 60 characters.".into());
        }
        let mass = typed(own("mass"));
        let mass = if mass.is_empty() { None } else { Some(number(own("mass"), "The mass", 0.0)?) };
        let colour = typed(own("colour"));
        let byte =
            |k: usize| colour.get(1 + 2 * k..3 + 2 * k).and_then(|h| u8::from_str_radix(h, 16).ok()).unwrap_or(0x90);
        let kind = typed(own("collision"));
        let was = kept.links.iter().find(|l| l.name == typed(own("was")));
        plan.links.push(PlannedLink {
            parts: fields.iter().filter(|f| f.0 == own("part")).map(|f| f.1.clone()).collect(),
            density: number(own("density"), "The density", 7850.0)?,
            mass,
            colour: [byte(0), byte(1), byte(2)],
            collision: COLLISIONS.iter().find(|c| c.0 == kind).map_or(Collision::Hull, |c| c.2),
            facets: number(own("facets"), "The budget of facets", 20_000.0)?.max(4.0) as usize,
            mirrored: mirror_of(&typed(own("mirror"))),
            inertia: was.and_then(|l| l.inertia).filter(|_| typed(own("moments")) == "declared"),
            massless: typed(own("massless")) == "declared",
            touched: was.map(|l| l.touched.clone()).unwrap_or_default(),
            ..PlannedLink::of(&name, "")
        });
    }
    for j in 0..many("joints") {
        let own = |key: &str| format!("j{j}_{key}");
        let kind = typed(own("kind"));
        let (from, to) = (typed(own("from")), typed(own("to")));
        let limits = match from.is_empty() && to.is_empty() {
            true => None,
            false => Some([number(own("from"), "The lower limit", 0.0)?, number(own("to"), "The upper limit", 0.0)?]),
        };
        let mut joint = PlannedJoint {
            name: typed(own("name")),
            kind: KINDS.iter().find(|k| k.0 == kind).map_or(JointKind::Fixed, |k| k.1),
            parent: typed(own("parent")),
            child: typed(own("child")),
            at: three(own("a"), "The joint's place")?,
            axis: three(own("d"), "The joint's axis")?,
            limits,
            effort: number(own("effort"), "The effort", 100.0)?,
            speed: number(own("speed"), "The speed", 90.0)?,
            damping: number(own("damping"), "The damping", 0.0)?,
            friction: number(own("friction"), "The friction", 0.0)?,
            zero: number(own("zero"), "The value where the bodies stand", 0.0)?,
            mimic: match typed(own("mimic")).as_str() {
                "" => None,
                leader => Some(Mimic {
                    joint: leader.into(),
                    factor: number(own("factor"), "The factor of a joint that follows", 1.0)?,
                    offset: number(own("offset"), "The offset of a joint that follows", 0.0)?,
                }),
            },
        };
        if let Some((at, direction)) = datum_of(known, &typed(own("datum"))) {
            (joint.at, joint.axis) = (at, direction);
        }
        plan.joints.push(joint);
    }
    for k in 0..many("cameras") {
        let own = |key: &str| format!("c{k}_{key}");
        let camera = PlannedCamera {
            name: typed(own("name")),
            link: typed(own("link")),
            at: three(own("a"), "The camera's place")?,
            towards: three(own("t"), "What the camera looks at")?,
            width: number(own("width"), "The camera's width", 640.0)?.clamp(0.0, 1e5) as usize,
            height: number(own("height"), "The camera's height", 480.0)?.clamp(0.0, 1e5) as usize,
            view: number(own("view"), "The angle of view", 60.0)?,
        };
        if camera.name.is_empty() || plan.cameras.iter().any(|c| legal(&c.name) == legal(&camera.name)) {
            return Err("Each camera needs a name of its own.".into());
        }
        camera.intrinsics()?;
        plan.cameras.push(camera);
    }
    for k in 0..many("frames") {
        let own = |key: &str| format!("f{k}_{key}");
        let name = typed(own("name"));
        if name.is_empty() || name.chars().count() > 60 {
            return Err("A frame needs a name of 1 to 60 characters.".into());
        }
        let (at, axis) = (three(own("a"), "The frame's place")?, three(own("d"), "The frame's axis")?);
        let mut frame = PlannedFrame { name, link: typed(own("link")), at, axis };
        if let Some((at, direction)) = datum_of(known, &typed(own("datum"))) {
            (frame.at, frame.axis) = (at, direction);
        }
        plan.frames.push(frame);
    }
    plan.around = fields.iter().filter(|f| f.0 == "around").map(|f| f.1.clone()).collect();
    let deed = text(fields, "do");
    if let Some((child, parent)) = deed.strip_prefix("hang-").and_then(|h| h.split_once("-on-")) {
        let number = |n: &str| n.parse::<usize>().map_err(|_| "There is no such link.".to_string());
        plan.hang(number(child)?, number(parent)?)?;
    }
    act(&mut plan, deed, known);
    Ok(plan)
}

/// The place and direction of a datum by its body's and its own name.
fn datum_of(known: &[(BodyChoice, RevisionId)], name: &str) -> Option<(Point, Point)> {
    let all = known.iter().flat_map(|(p, _)| p.datums.iter().map(move |d| (format!("{}: {}", p.name, d.0), d)));
    all.into_iter().find(|(n, _)| n == name).map(|(_, d)| (d.1, d.2))
}

/// A plane as the form keeps it: “y@0”.
fn mirror_of(typed: &str) -> Option<Mirrored> {
    let (axis, at) = typed.split_once('@')?;
    Some(Mirrored { axis: ["x", "y", "z"].iter().position(|a| *a == axis)?, at: at.parse().ok()? })
}

/// What the button says besides keeping.
fn act(plan: &mut Plan, deed: &str, known: &[(BodyChoice, RevisionId)]) {
    let number = |prefix: &str| deed.strip_prefix(prefix).and_then(|n| n.parse::<usize>().ok());
    if deed == "bodies" {
        for (part, _) in known.iter().filter(|(p, _)| p.sized) {
            if !plan.links.iter().any(|l| l.parts.contains(&part.name)) {
                plan.links.push(PlannedLink::of(&part.name, &part.name));
            }
        }
    } else if deed == "link" {
        plan.links
            .push(PlannedLink { parts: Vec::new(), ..PlannedLink::of(&format!("link {}", plan.links.len() + 1), "") });
    } else if deed == "joint" {
        let free = plan.links.iter().skip(1).find(|l| plan.joints.iter().all(|j| j.child != l.name));
        let name = |l: Option<&PlannedLink>| l.map_or(String::new(), |l| l.name.clone());
        plan.joints.push(PlannedJoint::fixed(&name(plan.links.first()), &name(free)));
    } else if let Some(i) = number("mirror-link-") {
        // Left and right are on either side of y = 0, with x forward.
        plan.mirror(i, Mirrored { axis: 1, at: 0.0 });
    } else if deed == "frame" {
        let link = plan.links.last().map_or(String::new(), |l| l.name.clone());
        let at = plan.joints.last().map_or([0.0; 3], |j| j.at);
        plan.frames.push(PlannedFrame {
            name: format!("frame {}", plan.frames.len() + 1),
            link,
            at,
            axis: [0.0, 0.0, 1.0],
        });
    } else if let Some(i) = number("drop-frame-").filter(|i| *i < plan.frames.len()) {
        plan.frames.remove(i);
    } else if deed == "camera" {
        // It stands a metre off and looks at the first joint, or at the origin.
        let towards = plan.joints.first().map_or([0.0; 3], |j| j.at);
        plan.cameras.push(PlannedCamera {
            name: format!("camera {}", plan.cameras.len() + 1),
            link: plan.links.first().map_or(String::new(), |l| l.name.clone()),
            at: [towards[0] - 1000.0, towards[1] - 1000.0, towards[2] + 600.0],
            towards,
            width: 640,
            height: 480,
            view: 60.0,
        });
    } else if let Some(i) = number("drop-camera-").filter(|i| *i < plan.cameras.len()) {
        plan.cameras.remove(i);
    } else if let Some(i) = number("drop-link-").filter(|i| *i < plan.links.len()) {
        plan.links.remove(i);
    } else if let Some(i) = number("drop-joint-").filter(|i| *i < plan.joints.len()) {
        plan.joints.remove(i);
    }
}
