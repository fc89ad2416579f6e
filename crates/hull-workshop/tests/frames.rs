//! A frame from its drawing to what a structural solver takes, by the rules of the job.

use hull_exact::Motion;
use hull_exact::parameter_loops::Reader;
use hull_formats::bundles::Bundles;
use hull_formats::{dxf, open};
use hull_frames::{Combination, Fix, Frame, Joint, Load, LoadKind, Member};
use hull_geometry::transform::Axis;
use hull_geometry::vector::norm;
use hull_geometry::{Unit, Watch};
use hull_workshop::body::pieces::Piece;
use hull_workshop::handover::members;
use hull_workshop::handover::{Form, frames, hand_over};
use hull_workshop::prepare::prepare;
use hull_workshop::steps::{self, Step};
use hull_workshop::survey::survey_for;
use hull_workshop::trial::shapes::{What, drawing as drawing_of};
use hull_workshop::{Body, Destination, apply};
use std::sync::Arc;
use typed_index_collections::ti_vec;

/// A portal in inches, on its side: two posts, a beam that misses one of them by 3 mm, and the beam again.
fn drawing() -> Vec<u8> {
    let mut lines = Bundles::default();
    let inches = |p: [f64; 3]| p.map(|x| x / 25.4);
    lines.line("posts", inches([0.0, 0.0, 0.0]), inches([0.0, 3000.0, 0.0]));
    lines.line("posts", inches([4000.0, 0.0, 0.0]), inches([4000.0, 3000.0, 0.0]));
    for _ in 0..2 {
        lines.line("beams", inches([0.0, 3000.0, 0.0]), inches([4000.0, 2997.0, 0.0]));
    }
    dxf::write_lines(&lines.finish(None), &Motion::NONE, Some(Unit::In))
}

fn received() -> Body {
    let watch = Watch::default();
    Body::of("portal.dxf", open("portal.dxf", &drawing(), &watch).unwrap(), &watch).unwrap()
}

/// A step of an operation with some values; the others as they are proposed for the body.
fn step(body: &Body, id: &str, typed: &[(&str, &str)]) -> Step {
    let destination = Destination::named("frame").unwrap();
    let (survey, _) = survey_for(body, &destination, &Watch::default()).unwrap();
    let about = steps::operation(id).unwrap();
    let proposed = steps::proposed(about, &steps::Seen { facts: &body.facts, survey: &survey }).map(|p| p.step);
    let typed: Vec<(String, String)> = typed.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
    steps::read(id, &typed, proposed.as_ref()).unwrap()
}

fn done(body: &Body, id: &str, typed: &[(&str, &str)]) -> Body {
    apply(body, &step(body, id, typed), &Destination::named("frame").unwrap(), &Watch::default()).unwrap().0
}

/// Sections, feet that hold, and 2 N/mm down on the beam.
fn loaded(body: &Body) -> Body {
    let body = done(body, "set_section", &[("section", "IPE 200"), ("material", "S235")]);
    let body = done(&body, "support_joints", &[("held", "fixed")]);
    assert_eq!(body.frame().unwrap().joints.iter().filter(|j| j.held == [Fix::Held; 6]).count(), 2);
    done(&body, "load_members", &[("layer", "beams"), ("force", "0 0 -2000"), ("weight", "no")])
}

#[test]
fn a_drawing_becomes_a_frame_that_is_ready_and_what_leaves_reads_back() {
    let watch = Watch::default();
    let destination = Destination::named("frame").unwrap();
    let body = done(&received(), "set_unit", &[("unit", "in")]);
    let body = done(&body, "orient", &[("up", Axis::PlusY.symbol()), ("forward", "+x")]);
    // What is proposed joins the ends that miss each other, and drops the double.
    let body = done(&body, "make_members", &[]);
    let frame = body.frame().unwrap();
    assert_eq!((frame.members.len(), frame.joints.len(), body.wires().is_none()), (3, 4, true));
    let body = loaded(&body);
    let prepared = prepare(body, &[], &destination, &watch).unwrap();
    let short: Vec<_> = prepared.sheet.outstanding().map(|r| format!("{} {}", r.phrase, r.measured)).collect();
    assert!(short.is_empty(), "{short:?}");
    assert_eq!(prepared.survey.frame.figures.unusual, (0, None));
    let trial = &prepared.survey.frame.trials[0];
    assert!((trial.carried[2] - 8000.0).abs() < 0.01 && trial.imbalance < 1e-9, "{trial:?}");
    let made = hand_over("portal", &prepared, &destination, Form::Frame, &watch).unwrap();
    assert!(made.manifest.comparison.iter().all(|c| c.same) && made.manifest.files.len() == 11);
    // Members as exact solids: what their sections' areas say of their lengths, but for the sides of rounded corners; of a tube
    // exactly, without any.
    let solids = |frame: &Frame| members::solids(frame).figures(Reader::Trusting).volume;
    let said =
        |f: &Frame| f.members.iter().map(|m| f.made_of(m).map_or(0.0, |(s, _)| s.area) * f.length(m)).sum::<f64>();
    let frame = prepared.body.frame().unwrap();
    assert!((solids(frame) / said(frame) - 1.0).abs() < 0.01, "{} {}", solids(frame), said(frame));
    let tubes = done(&prepared.body, "set_section", &[("section", "CHS 114.3x5")]);
    let (own, tables) = (solids(tubes.frame().unwrap()), said(tubes.frame().unwrap()));
    assert!((own / tables - 1.0).abs() < 1e-9, "{own} {tables}");
    let json = made.files.iter().find(|f| f.0 == "portal.json").unwrap();
    let back = frames::from_json("portal.json", &json.1).unwrap();
    assert_eq!(back.frame(), prepared.body.frame());
    assert!(hand_over("portal", &prepared, &destination, Form::Ascii, &watch).is_err());
}

#[test]
fn what_cannot_be_is_refused_with_a_sentence() {
    let destination = Destination::named("frame").unwrap();
    let said = |body: &Body, step: &Step| {
        apply(body, step, &destination, &Watch::default()).map(|_| ()).unwrap_err().to_string()
    };
    let lines = received();
    let members = step(&done(&lines, "set_unit", &[("unit", "in")]), "make_members", &[]);
    assert!(said(&lines, &members).contains("Set the unit first"));
    assert!(said(&lines, &step(&lines, "drop_loads", &[])).contains("no members"));
    let body = done(&done(&lines, "set_unit", &[("unit", "in")]), "make_members", &[]);
    for (id, typed, why) in [
        ("set_section", [("section", "RHS 10x10x9")], "makes no section"),
        ("set_section", [("material", "cheese")], "no material"),
        ("set_section", [("layer", "roof")], "no layer “roof”: there are posts, beams"),
        ("load_joints", [("at", "9 9 9e6")], "No joint is there"),
    ] {
        let wrong = step(&body, id, &typed);
        let told = said(&body, &wrong);
        assert!(told.contains(why), "{told}");
    }
    // A frame of JSON whose numbers do not fit is refused.
    let mut frame = Frame { joints: vec![Joint::default()], ..Frame::default() };
    frame.members.push(hull_frames::Member { ends: [0, 1], ..Default::default() });
    assert!(frames::from_json("a.json", &frames::json(&frame)).unwrap_err().contains("not there"));
    assert!(frames::from_json("a.json", b"{").unwrap_err().contains("no frame"));
    let whole = String::from_utf8(frames::json(body.frame().unwrap())).unwrap();
    let offset = whole.replace("\"offsets\": []", "\"offsets\": [[99, [[0.0, 0.0, 5.0], [0.0, 0.0, 5.0]]]]");
    assert!(frames::from_json("a.json", offset.as_bytes()).unwrap_err().contains("member 100, which is not there"));
}

#[test]
fn forces_and_movements_of_a_frame_are_drawn_as_they_are() {
    let body = done(&received(), "set_unit", &[("unit", "in")]);
    let body = done(&body, "orient", &[("up", Axis::PlusY.symbol()), ("forward", "+x")]);
    let body = loaded(&done(&body, "make_members", &[]));
    let frame = body.frame().unwrap();
    let of = |key: &str| {
        let what = What::all().into_iter().find(|w| w.0 == key).unwrap().2;
        drawing_of(frame, what, None)
    };
    let beam = (0..3).find(|i| frame.length(&frame.members[*i]) > 3500.0).unwrap();
    // Half the load goes down each post: 4 kN of 8, pressing.
    let normal = of("normal").unwrap();
    for post in (0..3).filter(|i| *i != beam) {
        let middle = normal.lines[post].values[normal.lines[post].values.len() / 2];
        assert!((middle + 4.0).abs() < 0.05, "{middle}");
    }
    // Between the ends and the middle of a beam under an even load lie w L² / 8, whatever its ends take: 2 · 4² / 8.
    let bends = ["moment_y", "moment_z"].map(|k| {
        let v = of(k).unwrap().lines[beam].values.clone();
        (v[v.len() / 2] - (v[0] + v[v.len() - 1]) / 2.0).abs()
    });
    assert!((bends[0].max(bends[1]) - 4.0).abs() < 0.02, "{bends:?}");
    // The middle of the beam goes furthest, which joints alone do not show; it is drawn at 8 % of the diagonal.
    let deflected = of("deflected").unwrap();
    let furthest = deflected.lines.iter().flat_map(|l| l.points.iter().zip(&l.moves)).map(|(p, m)| (norm(*m), p[0]));
    let (far, at) = furthest.fold((0.0, 0.0), |a, b| if b.0 > a.0 { b } else { a });
    assert!((far - 0.08 * frame.bounds().diagonal()).abs() < 1.0 && (at - 2000.0).abs() < 300.0, "{far} at {at}");
    assert!(of("frequency_1").unwrap().swings && of("buckling").unwrap().told.contains("times"));
    assert_eq!(of("mechanism"), Err("Nothing moves without a force.".into()));
}

/// A portal with what holds and loads it.
fn standing() -> Body {
    let body = done(&received(), "set_unit", &[("unit", "in")]);
    let body = done(&body, "orient", &[("up", "+y"), ("forward", "+x")]);
    loaded(&done(&body, "make_members", &[("tolerance", "5")]))
}

fn refused(body: &Body, id: &str, typed: &[(&str, &str)]) -> String {
    let step = step(body, id, typed);
    match apply(body, &step, &Destination::named("frame").unwrap(), &Watch::default()) {
        Err(hull_workshop::StepError::Refused(why)) => why,
        other => panic!("{id}: {:?}", other.map(|x| x.1.sentence)),
    }
}

#[test]
fn members_are_told_by_layer_or_number() {
    let body = standing();
    let many = body.frame().unwrap().members.len();
    let body = done(&body, "set_ends", &[("layer", "#1, 3-3"), ("ends", "pinned")]);
    let pinned = |b: &Body| -> Vec<usize> {
        let all = b.frame().unwrap().members.iter().enumerate();
        all.filter(|(_, m)| m.joined[0] == hull_frames::End::Pinned).map(|(i, _)| i + 1).collect()
    };
    assert_eq!(pinned(&body), [1, 3]);
    for (typed, words) in [
        ("#0", "no numbers of members"),
        ("#1-99", "no numbers of members"),
        ("#", "No member is told"),
        ("#x", "no numbers"),
        ("none", "There is no layer"),
    ] {
        let why = refused(&body, "set_ends", &[("layer", typed)]);
        assert!(why.contains(words), "{typed}: {why}");
    }
    let fewer = done(&body, "delete_members", &[("layer", "#2")]);
    assert_eq!((fewer.frame().unwrap().members.len(), pinned(&fewer)), (many - 1, vec![1, 2]));
    assert!(refused(&body, "delete_members", &[("layer", &format!("#1-{many}"))]).contains("No member would be left"));
}

#[test]
fn members_are_drawn_pasted_mirrored_and_joints_moved() {
    let body = standing();
    let many = body.frame().unwrap().members.len();
    let bounds = body.frame().unwrap().bounds();
    let [low, high] = [bounds.min, bounds.max];
    let text = |p: [f64; 3]| p.map(|x| x.to_string()).join(", ");
    let brace = done(
        &body,
        "draw_member",
        &[("from", &text(low)), ("to", &text([high[0], low[1], high[2]])), ("within", "5"), ("like", "braces")],
    );
    assert_eq!(brace.frame().unwrap().members.len(), many + 1);
    assert!(
        refused(&brace, "draw_member", &[("from", &text(low)), ("to", &text(low)), ("within", "5")])
            .contains("one joint")
    );
    let rows = format!(
        "{}, {}\n{}; {}",
        text(low),
        text([low[0], low[1], -500.0]),
        text(high),
        text([high[0], high[1], 9000.0])
    );
    let pasted = done(&body, "paste_members", &[("rows", &rows), ("layer", "spikes")]);
    assert_eq!(pasted.frame().unwrap().members.len(), many + 2);
    assert!(refused(&body, "paste_members", &[("rows", "1, 2, 3"), ("layer", "x")]).contains("Row 1"));
    let mirrored = done(&body, "mirror_members", &[("axis", "z"), ("at", &low[2].to_string())]);
    assert_eq!(mirrored.frame().unwrap().members.len(), 2 * many);
    let top = body.frame().unwrap().joints.iter().map(|j| j.at).find(|p| p[2] == high[2]).unwrap();
    let moved = done(&body, "move_joint", &[("at", &text(top)), ("by", "0, 0, 250")]);
    assert!((moved.frame().unwrap().bounds().max[2] - high[2] - 250.0).abs() < 1e-9);
    // All of them: nothing but the place changes. One alone takes an end of its neighbours along; none comes onto another joint.
    let away = done(&body, "move_members", &[("by", "500, 0, -20")]);
    let lengths = |b: &Body| -> Vec<f64> {
        let frame = b.frame().unwrap();
        frame.members.iter().map(|m| frame.length(m)).collect()
    };
    assert!(lengths(&away).iter().zip(lengths(&body)).all(|(a, b)| (a - b).abs() < 1e-9));
    let one = done(&body, "move_members", &[("layer", "#1"), ("by", "0, 7, 0")]);
    let (frame, before) = (one.frame().unwrap(), body.frame().unwrap());
    let went = (0..frame.joints.len()).filter(|j| frame.joints[*j].at != before.joints[*j].at).count();
    assert!(went == 2 && (frame.length(&frame.members[0]) - before.length(&before.members[0])).abs() < 1e-9);
    let other = (0..before.joints.len() as u32).find(|j| !before.members[0].ends.contains(j)).unwrap();
    let [own, other] = [before.members[0].ends[0], other].map(|j| before.joints[j as usize].at);
    let onto = text([0, 1, 2].map(|k| other[k] - own[k]));
    assert!(refused(&body, "move_members", &[("layer", "#1"), ("by", &onto)]).contains("another joint is"));
    let copied = done(&body, "copy_members", &[("by", "0, 3000, 0"), ("times", "4")]);
    assert_eq!(copied.frame().unwrap().members.len(), 5 * many);
    assert!(refused(&body, "copy_members", &[("by", "0, 0, 0"), ("times", "1")]).contains("not moved"));
}

/// Held at both ends and warmed, a bar presses with E A α ΔT; a spring under a load gives way by F / k.
#[test]
fn warmth_springs_and_combinations_act_as_they_should() {
    let body = standing();
    let with =
        done(&body, "load_members", &[("case", "wind"), ("layer", "posts"), ("force", "300, 0, 0"), ("weight", "no")]);
    let both = done(&with, "combine_cases", &[("name", "both"), ("parts", "1.35*use + 1.5*wind")]);
    let frame = both.frame().unwrap();
    let moved = |case: &str| hull_frames::statics::solve(frame, Some(case)).unwrap().moved;
    let (a, b, sum) = (moved("use"), moved("wind"), moved("both"));
    for j in 0..sum.len() {
        for k in 0..3 {
            assert!((sum[j][k] - 1.35 * a[j][k] - 1.5 * b[j][k]).abs() < 1e-9);
        }
    }
    for (parts, words) in
        [("2*snow", "There is no case “snow”"), ("a*use", "is no factor"), ("1e9*use", "no factor that can be meant")]
    {
        assert!(refused(&both, "combine_cases", &[("name", "x"), ("parts", parts)]).contains(words), "{parts}");
    }
    assert!(refused(&both, "combine_cases", &[("name", "use"), ("parts", "use")]).contains("is a case"));
    // What is stored and handed over has it too.
    let back = frames::from_json("frame.json", &frames::json(frame)).unwrap();
    assert_eq!(back.frame().unwrap(), frame);
    let warm = done(&body, "warm_members", &[("case", "sun"), ("by", "40"), ("growth", "12")]);
    let solved = hull_frames::statics::solve(warm.frame().unwrap(), Some("sun")).unwrap();
    // Posts on fixed feet grow freely upwards, but for the beam that both carry: H α ΔT.
    let top = solved.moved.iter().map(|m| m[2]).fold(0.0, f64::max);
    assert!((top - 3000.0 * 12e-6 * 40.0).abs() < 0.02, "{top}");
    let foot = body.frame().unwrap().joints.iter().find(|j| j.is_supported()).unwrap().at;
    let near = foot.map(|x| x.to_string()).join(", ");
    let soft = done(&body, "spring_joints", &[("at", &near), ("within", "1"), ("stiffness", "0, 0, 500")]);
    let held = |b: &Body| hull_frames::statics::solve(b.frame().unwrap(), Some("use")).unwrap();
    let (settles, before) = (held(&soft), held(&body));
    let k = body.frame().unwrap().joints.iter().position(|j| j.at == foot).unwrap();
    assert!((settles.reactions[k][2] + 500.0 * settles.moved[k][2]).abs() < 1e-6);
    assert!(settles.moved[k][2] < -1.0 && before.moved[k][2] == 0.0);
    assert!(
        refused(&body, "spring_joints", &[("at", &near), ("within", "1"), ("stiffness", "0, 0, -1")])
            .contains("no stiffness below nought")
    );
}

#[test]
fn members_end_beside_their_joints_and_on_springs_as_they_are_told() {
    let watch = Watch::default();
    let body = loaded(&standing());
    let before = body.frame().unwrap().clone();
    let beams = before.members.iter().position(|m| before.axes(m)[0][2].abs() < 0.1).unwrap();
    let number = format!("#{}", beams + 1);
    // The beam on top of its joints, and shorter by what its posts are thick.
    let body = done(
        &body,
        "set_offsets",
        &[("layer", &number), ("first", "100 0 50"), ("last", "-100 0 50"), ("axes", "member")],
    );
    let elastic = [("layer", number.as_str()), ("ends", "elastic"), ("stiffness", "4000"), ("which", "last")];
    let body = done(&body, "set_ends", &elastic);
    let frame = body.frame().unwrap();
    let beam = &frame.members[beams];
    assert_eq!(beam.joined, [hull_frames::End::Rigid, hull_frames::End::Elastic(4e9)]);
    assert!((frame.length(beam) - (before.length(&before.members[beams]) - 200.0)).abs() < 1e-9);
    let up = before.axes(&before.members[beams])[2];
    let risen: f64 = (0..3).map(|k| beam.offset[0][k] * up[k]).sum();
    assert!((risen - 50.0).abs() < 1e-9, "{risen}");

    let prepared = prepare(body.clone(), &[], &Destination::named("frame").unwrap(), &watch).unwrap();
    let (files, rows) =
        hull_workshop::handover::frames::written("gantry", frame, hull_geometry::Unit::In, &watch).unwrap();
    let different: Vec<_> = rows.iter().filter(|r| !r.same).collect();
    assert!(different.is_empty() && files.len() > 8, "{different:?}");
    assert!(prepared.survey.frame.untried.is_none(), "{:?}", prepared.survey.frame.untried);

    // They go with the body, and a piece that is too long is refused.
    let turned = done(&body, "move_turn", &[("turn", "0 0 90"), ("about", "0 0 0"), ("by", "0 0 0")]);
    let [x, y, z] = turned.frame().unwrap().members[beams].offset[0];
    let [a, b, c] = beam.offset[0];
    assert!((x + b).abs() < 1e-9 && (y - a).abs() < 1e-9 && (z - c).abs() < 1e-9);
    let long = before.length(&before.members[beams]).to_string() + " 0 0";
    let why = refused(&body, "set_offsets", &[("layer", &number), ("first", &long), ("axes", "member")]);
    assert!(why.contains("would have no length left"), "{why}");
    assert!(refused(&body, "set_ends", &[("ends", "elastic")]).contains("needs a stiffness"));
    assert!(refused(&body, "set_ends", &[("ends", "rigid"), ("stiffness", "3")]).contains("Only an elastic end"));
}

/// Sets go along when members are divided, are taken by other steps, and are handed over by name.
#[test]
fn named_sets_go_with_the_members_and_joints_that_are_in_them() {
    let watch = Watch::default();
    let body = loaded(&standing());
    let body = done(&body, "name_set", &[("name", "legs"), ("layer", "posts"), ("joints", "ends")]);
    let body = done(&body, "name_set", &[("name", "Füße"), ("joints", "lowest")]);
    let counts = |b: &Body| -> Vec<(String, usize, usize)> {
        let sets = b.frame().unwrap().named_sets();
        sets.into_iter().map(|s| (s.name, s.members.len(), s.joints.len())).collect()
    };
    assert_eq!(counts(&body), [("legs".into(), 2, 4), ("Füße".into(), 0, 2)]);
    let body = done(&body, "divide_members", &[("layer", "set:legs"), ("pieces", "3")]);
    assert_eq!(counts(&body)[0], ("legs".into(), 6, 4), "pieces are in it, new joints are not");
    let body =
        done(&body, "support_joints", &[("joints", "set"), ("set", "Füße"), ("within", "1"), ("held", "pinned")]);
    let pinned = |j: &&hull_frames::Joint| j.held[..3] == [Fix::Held; 3] && j.held[3..] == [Fix::Free; 3];
    assert_eq!(body.frame().unwrap().joints.iter().filter(pinned).count(), 2);

    let frame = body.frame().unwrap();
    let (files, rows) =
        hull_workshop::handover::frames::written("gantry", frame, hull_geometry::Unit::M, &watch).unwrap();
    assert!(rows.iter().all(|r| r.same) && rows.iter().any(|r| r.figure.contains("sets in gantry.ifc")), "{rows:?}");
    let csv = files.iter().find(|f| f.0 == "gantry-sets.csv").map(|f| String::from_utf8_lossy(&f.1)).unwrap();
    assert_eq!((csv.lines().count(), csv.matches("legs,member,").count()), (1 + 6 + 4 + 2, 6), "{csv}");
    let exodus = &files.iter().find(|f| f.0.ends_with(".exo")).unwrap().1;
    let back = hull_formats::exodus::bars::read(exodus).unwrap();
    let sizes = |sets: &[(String, Vec<u32>)]| sets.iter().map(|s| (s.0.clone(), s.1.len())).collect::<Vec<_>>();
    assert_eq!(sizes(&back.nodes), [("pinned".into(), 2), ("legs".into(), 4), ("Fe".into(), 2)]);
    assert_eq!(sizes(&back.bars), [("legs".into(), 6)]);
    // Bars are counted through the blocks: those of the set end at the places of its members.
    let bars: Vec<[u32; 2]> = back.blocks.iter().flat_map(|b| b.1.clone()).collect();
    let legs = frame.set_called("legs").unwrap();
    let mut own: Vec<[u32; 2]> = frame.members.iter().filter(|m| m.sets.contains(&legs)).map(|m| m.ends).collect();
    let mut read: Vec<[u32; 2]> = back.bars[0].1.iter().map(|b| bars[*b as usize]).collect();
    own.sort_unstable();
    read.sort_unstable();
    assert_eq!(read, own);

    let gone = done(&body, "delete_members", &[("layer", "set:legs")]);
    assert_eq!(counts(&gone)[0].1, 0);
    let named = done(&body, "drop_set", &[("name", "legs")]);
    assert_eq!(counts(&named), [("Füße".into(), 0, 2)]);
    assert!(refused(&named, "divide_members", &[("layer", "set:legs")]).contains("there are Füße"));
    assert!(refused(&named, "name_set", &[("name", "none")]).contains("Nothing is chosen"));
    assert!(refused(&named, "drop_set", &[("name", "legs")]).contains("no set “legs”"));
}

/// Boxes that were drawn as quadrilaterals give their twelve edges each, under their layers, and those a frame; triangles all
/// theirs, or only where faces turn.
#[test]
fn faces_give_their_edges() {
    let mut mesh = hull_geometry::shapes::cuboid([2000.0, 1000.0, 500.0]);
    let mut other = hull_geometry::shapes::cuboid([500.0; 3]);
    hull_geometry::transform::translate(&mut other, [5000.0, 0.0, 0.0]);
    mesh.append(&other);
    let label = |name: &str| hull_formats::Label { name: name.into(), ..hull_formats::Label::default() };
    let mut body = Body { mesh, ..Body::default() };
    body.facts.labels = vec![label("base"), label("box")];
    body.columns.label = (0..24).map(|f| f / 12).collect();
    body.columns.boundary = ti_vec![hull_geometry::NONE; 24];
    body.facts.scale = Some(hull_workshop::body::Scale::Unit(hull_geometry::Unit::Mm));
    let lines = |b: &Body| b.wires().map_or(0, hull_exact::wires::Wires::count);
    assert_eq!(lines(&done(&body, "lines_of_faces", &[])), 36, "with a diagonal in each side");
    let turning = done(&body, "lines_of_faces", &[("angle", "30"), ("keep", "yes")]);
    assert_eq!((lines(&turning), turning.mesh.triangles.len()), (24, 24));
    // Beside lines that are there already.
    assert_eq!(lines(&done(&turning, "lines_of_faces", &[("angle", "30")])), 48);
    // Two triangles of a side follow each other in the shape: they are one face of the file.
    body.columns.cell = (0..24).map(|f| f / 2).collect();
    let drawn = done(&body, "lines_of_faces", &[]);
    assert_eq!((lines(&drawn), drawn.has_surface()), (24, false));
    assert_eq!(drawn.wires().unwrap().bundles(), ["base", "box"]);
    let frame = done(&drawn, "make_members", &[("tolerance", "1"), ("chord", "1")]);
    let frame = frame.frame().unwrap();
    assert_eq!((frame.members.len(), frame.joints.len()), (24, 16));
    let all: f64 = frame.members.iter().map(|m| frame.length(m)).sum();
    assert!((all - 4.0 * 3500.0 - 12.0 * 500.0).abs() < 1e-9, "{all}");
    assert!(refused(&body, "lines_of_faces", &[("angle", "170")]).contains("No edge turns"));
}

/// Curves in so many pieces, sections that look to a place, loads along other axes, supports in a box.
#[test]
fn members_are_made_turned_loaded_and_supported_as_it_is_asked() {
    let mut lines = hull_formats::bundles::Bundles::default();
    let frame = hull_exact::Frame { y: [0.0, 0.0, 1.0], z: [0.0, -1.0, 0.0], ..hull_exact::Frame::WORLD };
    let arc = hull_exact::curve::Curve::Ellipse { frame, a: 1000.0, b: 1000.0 };
    lines.curve("arch", arc.clone(), [0.0, std::f64::consts::PI]);
    let straight = hull_exact::curve::Curve::Line { origin: [-3000.0, 0.0, 0.0], along: [2000.0, 0.0, 0.0] };
    let pieces = [(straight, [0.0, 1.0]), (arc, [std::f64::consts::PI, 0.0])];
    lines.chain("chain", pieces.map(|(curve, range)| hull_exact::curve::Piece { curve, range }).to_vec());
    let mut body = Body::default();
    body.facts.scale = Some(hull_workshop::body::Scale::Unit(hull_geometry::Unit::Mm));
    let wires = hull_exact::wires::Wires { model: lines.finish(None), placed: hull_exact::Motion::NONE };
    body.pieces = vec![hull_workshop::pieces::Piece::Lines(std::sync::Arc::new(wires))];
    let made = done(&body, "make_members", &[("tolerance", "0.1"), ("chord", "1"), ("number", "6")]);
    let frame = made.frame().unwrap();
    // The arch is there twice, and once before it the straight piece.
    assert_eq!((frame.members.len(), frame.joints.len()), (7, 8));
    let chord = 2000.0 * (15.0_f64).to_radians().sin();
    let arch: Vec<_> = frame.members.iter().filter(|m| (frame.length(m) - chord).abs() < 1e-9).collect();
    assert_eq!(arch.len(), 6);

    // Every z looks to the middle of the arch, then a quarter turn from it.
    let to = [("layer", "arch"), ("section", "IPE 200"), ("material", "S235"), ("towards", "0, 0, 0")];
    let looking = done(&made, "set_section", &to);
    let z_to_middle = |b: &Body| -> Vec<f64> {
        let frame = b.frame().unwrap();
        let own = frame.members.iter().filter(|m| m.section.is_some());
        own.map(|m| {
            let [p, q] = frame.places(m);
            let way = hull_geometry::vector::unit([0, 1, 2].map(|k| -(p[k] + q[k]) / 2.0)).unwrap();
            hull_geometry::vector::dot(way, frame.axes(m)[2])
        })
        .collect()
    };
    assert!(z_to_middle(&looking).iter().all(|d| (d - 1.0).abs() < 1e-9), "{:?}", z_to_middle(&looking));
    // The view can show it: the strips of the arch's members stand to its middle, within a quarter of a member.
    let drawn = drawing_of(looking.frame().unwrap(), What::Axis(2), None).unwrap();
    for line in drawn.lines.iter().filter(|l| l.points[0][0].abs() < 1000.0) {
        let [p, by] = [line.points[0], line.moves[0]];
        let [far, near] = [p, [0, 1, 2].map(|k| p[k] + by[k])].map(hull_geometry::vector::norm);
        assert!(near < far - 60.0 && far - near <= chord / 4.0 + 1e-9, "{line:?}");
    }
    let quarter = done(&made, "set_section", &[&to[..], &[("turn", "90")]].concat());
    assert!(z_to_middle(&quarter).iter().all(|d| d.abs() < 1e-9));
    let on_it = [("layer", "chain"), ("section", "IPE 200"), ("material", "S235"), ("towards", "9000, 0, 0")];
    assert!(refused(&made, "set_section", &on_it).contains("lies on the line of member"));

    // Snow of 2 kN for a metre of plan: the whole arch carries 2 kN/m over its 2 m, however steep its pieces are.
    let snow = [("layer", "arch"), ("force", "0, 0, -2000"), ("axes", "projected"), ("weight", "no")];
    let force = |b: &Body| -> [f64; 3] {
        let frame = b.frame().unwrap();
        let mut sum = [0.0; 3];
        for load in &frame.loads {
            let hull_frames::LoadKind::Line { member, force } = load.kind else { continue };
            let long = frame.length(&frame.members[member as usize]);
            (0..3).for_each(|k| sum[k] += force[k] * long);
        }
        sum
    };
    let carried = force(&done(&looking, "load_members", &snow));
    assert!((carried[2] + 4000.0).abs() < 1e-6 && carried[0] == 0.0 && carried[1] == 0.0, "{carried:?}");
    // A pressure along each section's z, to the middle: sideways it cancels out, down it is that on the span.
    let pressure = [("layer", "arch"), ("force", "0, 0, 500"), ("axes", "member"), ("weight", "no")];
    let pressed = force(&done(&looking, "load_members", &pressure));
    assert!(pressed[0].abs() < 1e-6 && (pressed[2] + 1000.0).abs() < 1e-6, "{pressed:?}");

    let held = |b: &Body| b.frame().unwrap().joints.iter().filter(|j| j.is_supported()).count();
    let left = [("joints", "box"), ("corners", "-5000 -1 -1; -900 1 9000"), ("within", "1"), ("held", "fixed")];
    assert_eq!(held(&done(&looking, "support_joints", &left)), 2);
    let one = [("joints", "box"), ("corners", "0 0 0"), ("within", "1"), ("held", "fixed")];
    assert!(refused(&looking, "support_joints", &one).contains("two opposite corners"));

    // An outline drawn in the view from the front, however far away: the crown and the joint left of it.
    let drawn = [("outline", "-700 -9e4 700; 100 -9e4 700; 100 -9e4 2000; -700 -9e4 2000"), ("direction", "0, 1, 0")];
    let crown = [&[("joints", "outline"), ("within", "1"), ("held", "pinned")][..], &drawn].concat();
    assert_eq!(held(&done(&looking, "support_joints", &crown)), 2);
    let from_above = [&crown[..3], &drawn[..1]].concat();
    assert!(refused(&looking, "support_joints", &from_above).contains("inside the outline"));
    assert!(refused(&looking, "support_joints", &crown[..3]).contains("no outline"));
    // Kept under a name, they take a force each, and springs.
    let named = done(&looking, "name_set", &[&[("name", "crown"), ("joints", "outline")][..], &drawn].concat());
    let of_set = [("set", "crown"), ("within", "1"), ("force", "0, 0, -700")];
    assert_eq!(done(&named, "load_joints", &of_set).frame().unwrap().loads.len(), 2);
    let springs = [("set", "crown"), ("at", "0, 0, 0"), ("within", "1"), ("stiffness", "0, 0, 50")];
    assert_eq!(held(&done(&named, "spring_joints", &springs)), 2);
}

/// What a stored frame comes back as.
fn stored_and_read(frame: &Frame) -> Frame {
    let piece = Piece::Members(Arc::new(frame.clone()));
    match Piece::decode(&piece.encode()) {
        Ok(Piece::Members(back)) => Arc::unwrap_or_clone(back),
        other => panic!("members come back as members, not {other:?}"),
    }
}

#[test]
fn frames_with_and_without_their_last_lists_come_back() {
    let load = Load { case: "use".into(), kind: LoadKind::Weight { acceleration: [0.0, 0.0, -9806.65] } };
    let plain = Frame { loads: vec![load], ..Frame::default() };
    assert_eq!(stored_and_read(&plain), plain);
    let parts = vec![("use".to_string(), 1.35)];
    let both = Frame { combinations: vec![Combination { name: "all".into(), parts }], ..plain.clone() };
    assert_eq!(stored_and_read(&both), both);
    // What was stored before there were combinations ends where they begin.
    let mut before = Piece::Members(Arc::new(both.clone())).encode();
    let short = Piece::Members(Arc::new(plain.clone())).encode();
    for ((_, bytes), (_, ends)) in before.arrays.iter_mut().zip(&short.arrays) {
        bytes.truncate(ends.len());
    }
    assert_eq!(Piece::decode(&before).unwrap(), Piece::Members(Arc::new(plain.clone())));
    // What ends beside its joints, with combinations and without.
    for mut frame in [plain, both] {
        frame.joints = vec![Joint::default(); 2];
        frame.members = vec![Member { ends: [0, 1], ..Member::default() }; 3];
        frame.members[1].offset[1] = [0.0, -30.0, 7.5];
        assert_eq!(stored_and_read(&frame), frame);
        frame.put_in_set("tower", &[0, 2], &[1]);
        assert_eq!(stored_and_read(&frame), frame);
        frame.members[1].offset[1] = [0.0; 3];
        assert_eq!(stored_and_read(&frame), frame);
    }
}
