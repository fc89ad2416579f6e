//! `hull check`.

use crate::{End, input, robot};
use anyhow::Result;
use hull_exact::parameter_loops::Reader;
use hull_formats::Skipped;
use hull_geometry::{Unit, Watch};
use hull_workshop::body::Scale;
use hull_workshop::exact::ExactFacts;
use hull_workshop::numbers::{count, counted, four_digits};
use hull_workshop::readings::{TwoReadings, usual_tolerance};
use hull_workshop::steps::set_unit::SetUnit;
use hull_workshop::steps::{self, Field, OPERATIONS, Step};
use hull_workshop::survey::frame::FrameFigures;
use hull_workshop::survey::lines::{self, Bundle};
use hull_workshop::survey::{Context, Seen, survey_of};
use hull_workshop::{Body, Destination, Survey, apply};
use serde_json::{Value, json};
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

/// The probes of the deeper survey that `--deep` names.
const DEEPER: [&str; 5] = ["doubles", "shells", "walls", "shapes", "tunnels"];

impl Look {
    fn asks(self, probe: &str) -> bool {
        match self {
            Look::Quick => ["size", "topology", "quality", "points", "lines", "frame", "exactness"].contains(&probe),
            Look::Usual => probe == "crossings" || Look::Quick.asks(probe),
            Look::Deep => DEEPER.contains(&probe) || Look::Usual.asks(probe),
        }
    }
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
    /// Whether to lay both readings of its facets side by side.
    pub readings: bool,
    /// Whether to tell what took how long.
    pub timings: bool,
}

pub fn run(asked: &Check) -> Result<End> {
    let mut ready = true;
    for file in &asked.files {
        if file.extension().is_some_and(|e| e.eq_ignore_ascii_case("urdf")) {
            ready &= robot::check(file, asked.json)?;
            continue;
        }
        let watch = if asked.timings { Watch::timing() } else { Watch::default() };
        for (path, body) in input::bodies(file, asked.reader, &watch)? {
            ready &= check(asked, &path, body, &watch)?;
        }
    }
    Ok(if ready { End::Ready } else { End::NotReady })
}

/// Tells what is true of one body; gives whether it is a clean closed one.
fn check(asked: &Check, path: &Path, body: Body, watch: &Watch) -> Result<bool> {
    let look = asked.how;
    // Where the file's unit was taken, figures are in millimetres.
    let unit = if body.facts.scale.is_some() { Some(Unit::Mm) } else { asked.unit };
    let cx = Context::of(&body, watch)?;
    let seen = survey_of(&cx, |probe| look.asks(probe.id), watch)?;
    let wrong = match body.instead_of_surface() {
        None => shortcomings(&seen),
        Some(kinds) => vec![format!("{kinds} and no faces")],
    };
    if asked.json {
        let mut object = figures(&seen, unit, look)?;
        object["file"] = path.to_string_lossy().into();
        object["format"] = body.facts.source.format.clone().into();
        add_arrival(&mut object, &body, &seen);
        for (key, figure) in robot::stage_figures(path).iter().filter_map(|s| s.as_object()).flatten() {
            object[key] = figure.clone();
        }
        if let Some(facts) = &body.facts.exact {
            add_exact(&mut object, facts, body.facts.scale.map_or(1.0, Scale::millimetres));
        }
        if asked.readings && body.has_surface() {
            object["readings"] = json!(readings(&body, watch)?);
        }
        if asked.remedies {
            let of = |(step, because): &(Step, String)| json!({ "step": step, "because": because });
            object["remedies"] = proposals(body, asked.unit)?.iter().map(of).collect();
        }
        if asked.timings {
            let line = |(what, seconds): (String, f64)| json!({ "what": what, "seconds": seconds });
            object["timings"] = slowest(watch).into_iter().map(line).collect();
        }
        println!("{object}");
    } else {
        print(path, &body, &seen, unit, look, &wrong);
        if asked.readings && body.has_surface() {
            print_readings(path, &readings(&body, watch)?);
        }
        if asked.remedies {
            print_proposals(path, &proposals(body, asked.unit)?);
        }
        for (what, seconds) in slowest(watch) {
            println!("  {seconds:9.3} s  {what}");
        }
    }
    Ok(wrong.is_empty())
}

fn readings(body: &Body, watch: &Watch) -> Result<TwoReadings> {
    Ok(TwoReadings::of(body, usual_tolerance(&body.bounds()), watch)?)
}

fn print_readings(path: &Path, both: &TwoReadings) {
    println!("  {:<28}{:>16}{:>16}", "read", "strictly", "tolerantly");
    let said = |power: usize, x: f64| if power == 0 { count(x as usize) } else { four_digits(x) };
    for ((what, power, strict), (.., tolerant)) in both.strict.rows().into_iter().zip(both.tolerant.rows()) {
        println!("  {what:<28}{:>16}{:>16}", said(power, strict), said(power, tolerant));
    }
    for (what, n) in both.forgiven.lines() {
        println!("  forgiven: {what} {}", count(n));
    }
    println!("    hull step read_tolerantly {} OUT.stl --tolerance {}", path.display(), both.forgiven.within);
}

/// What took how long, the slowest first: every stage, and the ten faces that took longest.
fn slowest(watch: &Watch) -> Vec<(String, f64)> {
    let mut spent = watch.spent();
    spent.sort_by(|a, b| b.1.total_cmp(&a.1));
    let mut faces = 0;
    spent.retain(|(what, _)| {
        faces += usize::from(what.starts_with("face "));
        !what.starts_with("face ") || faces <= 10
    });
    spent
}

/// What the page would propose for the state a file is in, each with what was measured that asks for it.
fn proposals(mut body: Body, unit: Option<Unit>) -> Result<Vec<(Step, String)>> {
    let watch = Watch::default();
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
    let of = |f: &Field| steps::typed(step, f).filter(|v| !v.is_empty()).map(|v| format!(" --{} {v}", f.option()));
    (step.about().fields)().iter().filter_map(of).collect()
}

/// The figures as one object, those of the deeper survey in another within: these keys do not change.
fn figures(s: &Survey, unit: Option<Unit>, look: Look) -> Result<Value> {
    let add = |to: &mut Value, figures: serde_json::Result<Value>| -> Result<()> {
        if let (Value::Object(to), Value::Object(from)) = (to, figures?) {
            to.extend(from);
        }
        Ok(())
    };
    let mut all = json!({});
    add(&mut all, serde_json::to_value(&s.size))?;
    add(&mut all, serde_json::to_value(&s.topology))?;
    add(&mut all, serde_json::to_value(&s.quality))?;
    all["unit"] = serde_json::to_value(unit)?;
    all["facets_to_turn"] = s.direction.facets_to_turn.into();
    add(&mut all, serde_json::to_value(&s.crossings))?;
    if s.exactness != Default::default() {
        all["exactness"] = serde_json::to_value(&s.exactness)?;
    }
    if s.points.points > 0 {
        all["cloud"] = serde_json::to_value(&s.points)?;
    }
    if s.lines.lines > 0 {
        all["wireframe"] = serde_json::to_value(&s.lines)?;
    }
    all["depth"] = Value::Null;
    if look == Look::Deep {
        let mut deep = json!({});
        add(&mut deep, serde_json::to_value(&s.doubles))?;
        add(&mut deep, serde_json::to_value(&s.shells))?;
        add(&mut deep, serde_json::to_value(&s.walls))?;
        add(&mut deep, serde_json::to_value(&s.shapes))?;
        add(&mut deep, serde_json::to_value(&s.tunnels))?;
        all["depth"] = deep;
    }
    Ok(all)
}

/// What the file holds and declares, under the same keys whatever its format.
fn add_arrival(object: &mut Value, body: &Body, seen: &Survey) {
    let facts = &body.facts;
    object["lines"] = seen.lines.lines.into();
    if seen.points.points > 0 {
        object["points"] = seen.points.points.into();
    }
    let layer = |b: &Bundle| {
        let kinds: serde_json::Map<String, Value> =
            b.kinds.iter().map(|(kind, n)| (kind.name().replace(' ', "_"), (*n).into())).collect();
        json!({ "name": b.name, "lines": b.lines, "length": b.length, "kinds": kinds })
    };
    object["layers"] = body.wires().map_or(Vec::new(), lines::bundles).iter().map(layer).collect();
    let declared = facts.declared_unit().or(seen.lines.declared.as_ref());
    object["declared_unit"] = declared.map(|u| u.name.clone()).into();
    object["declared_up"] = facts.source.declared.up.clone().into();
    let labels = facts.labels.iter().map(|l| json!({ "name": l.name, "material": l.material }));
    object["labels"] = labels.collect();
    let skipped = |all: &[Skipped]| all.iter().map(|s| json!({ "what": s.what, "count": s.count })).collect::<Value>();
    if seen.frame.figures.members > 0 || seen.frame.plot.proposal.is_some() {
        // Figures are plain data.
        object["frame"] = serde_json::to_value(&seen.frame).unwrap_or_default();
    }
    object["skipped"] = skipped(&facts.source.skipped);
    object["annotations"] = skipped(&facts.source.annotations);
}

/// The figures of the deeper survey, each with its name.
fn deeper(s: &Survey) -> [(&'static str, Seen); 14] {
    [
        ("facets on others, their area", s.doubles.doubles),
        ("facets that touch others, their area", s.doubles.touching),
        ("shells lost inside others, the largest", s.shells.lost_shells),
        ("cavities, the largest", s.shells.cavities),
        ("shells inside out, the largest", s.shells.inside_out),
        ("tiny shells, the largest", s.shells.tiny_shells),
        ("facets of thin walls, the thinnest", s.walls.thin_walls),
        ("facets at narrow gaps, the narrowest", s.walls.narrow_gaps),
        ("spikes, the highest", s.shapes.spikes),
        ("pairs folded back, the area of the largest", s.shapes.folds),
        ("needles, the longest", s.shapes.needles),
        ("caps, the longest", s.shapes.caps),
        ("tunnels, the shortest way around", s.tunnels.handles),
        ("points without a facet", s.shapes.isolated_points),
    ]
}

fn add_exact(object: &mut serde_json::Value, e: &ExactFacts, scale: f64) {
    let f = &e.figures;
    object["schema"] = e.schema.clone().into();
    object["solids"] = f.solids.into();
    object["faces"] = f.faces.into();
    object["faces_in_doubt"] = f.faces_in_doubt.into();
    object["open_exact_edges"] = f.open_edges.into();
    object["exact_volume"] = (f.volume * scale.powi(3)).into();
    object["exact_area"] = (f.area * scale * scale).into();
    object["exact_volume_error"] = (f.volume_error * scale.powi(3)).into();
    object["exact_area_error"] = (f.area_error * scale * scale).into();
    object["deviation"] = e.deviation.into();
    let body = |b: &hull_exact::bodies::BodyFigures| {
        json!({
            "name": b.name, "colour": b.colour, "volume": b.volume * scale.powi(3), "solid": b.solid, "faces": b.faces,
            "open_edges": b.open_edges, "area": b.area * scale * scale,
            "size": b.size.map(|x| x * scale),
        })
    };
    object["bodies"] = f.bodies.iter().map(body).collect();
}

/// What keeps the surface from being a clean closed one.
fn shortcomings(s: &Survey) -> Vec<String> {
    let (t, c) = (&s.topology, &s.crossings);
    [
        (t.open_edges, "open edges"),
        (t.overshared_edges, "non-manifold edges"),
        (t.misdirected_edges, "edges with flipped normals"),
        (t.pinched_points, "non-manifold vertices"),
        (t.duplicate_triangles, "duplicate facets"),
        (t.zero_area_triangles, "facets without area"),
        (c.self_intersections.unwrap_or(0), c.words()),
        (c.coplanar_overlaps.unwrap_or(0), "pairs of facets that lie on each other"),
        (usize::from(t.closed && t.misdirected_edges == 0 && s.size.volume < 0.0), "surface inside out"),
    ]
    .into_iter()
    .filter(|(n, _)| *n > 0)
    .map(|(n, what)| format!("{} {what}", count(n)))
    .collect()
}

fn print_frame(f: &FrameFigures) {
    let g = &f.figures;
    println!(
        "  {}, {}, {}, {} mm long, {} kg",
        counted(g.members, "member"),
        counted(g.joints, "joint"),
        counted(g.supports, "supported joint"),
        four_digits(g.length),
        four_digits(1000.0 * g.mass)
    );
    for (name, n, length) in &g.sections {
        let name = if name.is_empty() { "without a section" } else { name };
        println!("  {name}: {}, {} mm", counted(*n, "member"), four_digits(*length));
    }
    for (what, n) in
        [("members that do not hang together with the rest", g.lone), ("ends that meet nothing", g.free_ends)]
    {
        if n > 0 {
            println!("  {what}: {}", count(n));
        }
    }
    if let Some((n, at)) = f.mechanism {
        println!(
            "  mechanism: {} can move without a force, one at {}",
            counted(n, "joint"),
            at.map(four_digits).join(", ")
        );
    }
    if let Some(why) = &f.untried {
        println!("  no trial: {why}");
    }
    for t in &f.trials {
        println!(
            "  case “{}”: moves {} mm, {} N/mm² or {} of yield, loads and reactions differ by {:.1e}{}",
            t.case,
            four_digits(t.moves.0),
            four_digits(t.stress),
            four_digits(t.share.0),
            t.imbalance,
            t.buckling.map_or(String::new(), |b| format!(", buckles at {} times the loads", four_digits(b)))
        );
    }
    if !f.frequencies.is_empty() {
        println!("  frequencies: {} Hz", f.frequencies.iter().map(|f| four_digits(*f)).collect::<Vec<_>>().join(", "));
    }
}

fn print(path: &Path, body: &Body, s: &Survey, unit: Option<Unit>, look: Look, wrong: &[String]) {
    let (f, t, known) = (&s.size, &s.topology, unit.is_some());
    let facts = &body.facts;
    let unit = unit.map_or("file units", Unit::symbol);
    let size = f.bbox.size().map(four_digits).join(" × ");
    println!("{} ({})", path.display(), facts.source.format);
    let lines = &s.lines;
    if lines.lines > 0 {
        let kinds: Vec<String> = lines.kinds.iter().map(|(kind, n)| counted(*n, kind.name())).collect();
        println!("  {}, {} {unit} long: {}", counted(lines.lines, "line"), four_digits(lines.length), kinds.join(", "));
    }
    if s.frame.figures.members > 0 {
        print_frame(&s.frame);
    }
    if let Some(gap) = s.frame.plot.proposal.filter(|_| lines.lines > 0) {
        println!("  ends that nearly meet: joining within {} {unit} is proposed", four_digits(gap));
    }
    if f.triangles == 0 {
        println!("  size {size} {unit}");
        if s.points.points > 0 {
            let spacing =
                s.points.spacing.map_or(String::new(), |x| format!(", {} {unit} apart (median)", four_digits(x)));
            println!("  {} without facets{spacing}", counted(s.points.points, "point"));
        }
    } else {
        let of = [counted(f.triangles, "triangle"), counted(f.points, "point"), counted(t.shells, "shell")];
        println!("  {}", of.join(", "));
        println!(
            "  size {size} {unit}, area {} {unit}², volume {} {unit}³",
            four_digits(f.area),
            four_digits(f.volume)
        );
    }
    if let Some(e) = &facts.exact {
        let (x, scale) = (&e.figures, facts.scale.map_or(1.0, Scale::millimetres));
        if x.faces > 0 {
            println!(
                "  exact{}: {}, {}, {}, area {} {unit}², volume {} {unit}³; facets within {} {unit}",
                if s.exactness.doubtful.is_empty() { "" } else { " surfaces, their figures in doubt" },
                counted(x.solids, "solid"),
                counted(x.faces, "face"),
                counted(x.open_edges, "open edge"),
                four_digits(x.area * scale * scale),
                four_digits(x.volume * scale.powi(3)),
                four_digits(e.deviation)
            );
        }
        for (face, why) in &e.failed {
            println!("  no facets: {face}: {why}");
        }
    }
    if let Some(declared) = facts.declared_unit().or(lines.declared.as_ref()).filter(|_| !known) {
        println!("  the file declares {}; files of its kind are often wrong in that", declared.name);
    }
    if let Some(up) = &facts.source.declared.up {
        println!("  the format's definition says {up} is up");
    }
    for b in body.wires().map_or(Vec::new(), lines::bundles) {
        let kinds: Vec<String> = b.kinds.iter().map(|(kind, n)| counted(*n, kind.name())).collect();
        println!("  layer “{}”: {}, {} {unit} long", b.name, kinds.join(", "), four_digits(b.length));
    }
    if !known {
        println!("  no unit: the file does not say what its numbers are (--unit mm, cm, m, in or ft)");
    }
    for d in &s.exactness.doubtful {
        println!(
            "  in doubt: the exact {} of {} is {}, that of its facets {}",
            d.what,
            d.body,
            four_digits(d.exact),
            four_digits(d.facets)
        );
    }
    for x in &s.exactness.stated {
        let verdict = if x.is_told() { "differs from" } else { "agrees with" };
        println!(
            "  the {} of {} {verdict} what the file states ({} % apart)",
            x.what,
            x.path,
            four_digits(100.0 * x.off)
        );
    }
    for a in &facts.source.annotations {
        println!("  no geometry: {} {}", count(a.count), a.what);
    }
    for skipped in &facts.source.skipped {
        println!("  skipped: {} × {}", count(skipped.count), skipped.what);
    }
    if look == Look::Deep {
        for (what, seen) in deeper(s).iter().filter(|(_, s)| s.count > 0) {
            // Of bodies too large to look for the worst there is a count only.
            let worst = if seen.size > 0.0 { format!(", {} {unit}", four_digits(seen.size)) } else { String::new() };
            println!("  {what}: {}{worst}", count(seen.count));
        }
    }
    if wrong.is_empty() {
        println!("  ready: closed, every edge has two facets, all face the same way outward");
    } else {
        println!("  not met: {}", wrong.join("; "));
        if t.open_edges > 0 {
            println!(
                "  the open edges form {}, {} {unit} long in all",
                counted(t.open_loops, "loop"),
                four_digits(t.open_length)
            );
        }
    }
}
