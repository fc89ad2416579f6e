//! The commands as a shell sees them: exit codes, JSON, files.

use hull_formats::{NamedFacets, obj, stl};
use hull_geometry::FacetId;
use hull_geometry::shapes::{cuboid, sphere, torn};
use std::path::Path;
use std::process::{Command, Output, Stdio};

fn hull(args: &[&str], folder: &Path) -> Output {
    Command::new(env!("CARGO_BIN_EXE_hull")).args(args).current_dir(folder).output().unwrap()
}

fn code(output: &Output) -> i32 {
    output.status.code().unwrap()
}

fn folder_with(name: &str, bytes: &[u8]) -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join(name), bytes).unwrap();
    folder
}

fn cube() -> Vec<u8> {
    stl::write_whole(&cuboid([2.0, 3.0, 4.0]))
}

#[test]
fn check_prints_one_object_with_its_fields_and_says_ready() {
    let folder = folder_with("cube.stl", &cube());
    let out = hull(&["check", "cube.stl", "--json"], folder.path());
    assert_eq!(code(&out), 0);
    let o: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let zero = [
        "open_edges",
        "open_loops",
        "overshared_edges",
        "pinched_points",
        "misdirected_edges",
        "duplicate_triangles",
        "zero_area_triangles",
    ];
    assert!(zero.iter().all(|k| o[*k] == 0), "{o}");
    assert_eq!(
        (&o["triangles"], &o["points"], &o["shells"], &o["closed"]),
        (&12.into(), &8.into(), &1.into(), &true.into())
    );
    assert_eq!((o["volume"].as_f64(), o["area"].as_f64()), (Some(24.0), Some(52.0)));
    assert_eq!(o["bbox"], serde_json::json!({ "min": [0.0, 0.0, 0.0], "max": [2.0, 3.0, 4.0] }));
    assert!(o["unit"].is_null());
    let inches = hull(&["check", "cube.stl", "--json", "--unit", "in"], folder.path());
    assert_eq!(serde_json::from_slice::<serde_json::Value>(&inches.stdout).unwrap()["unit"], "in");
}

#[test]
fn short_is_one_and_unusable_is_two_with_file_place_and_reason() {
    let mesh = torn(&cuboid([2.0, 3.0, 4.0]), 6, 0.01);
    let folder = folder_with("torn.stl", &stl::write_whole(&mesh));
    let out = hull(&["check", "torn.stl"], folder.path());
    assert_eq!(code(&out), 1);
    assert!(String::from_utf8_lossy(&out.stdout).contains("24 open edges"));
    std::fs::write(folder.path().join("cut.stl"), &cube()[..300]).unwrap();
    let out = hull(&["check", "cut.stl"], folder.path());
    assert_eq!(code(&out), 2);
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(said.contains("cut.stl, byte 80") && said.contains("claims 12 facets"), "{said}");
    assert_eq!(code(&hull(&["check", "none.stl"], folder.path())), 2);
    assert_eq!(code(&hull(&["check"], folder.path())), 2);
}

#[test]
fn prepare_refuses_with_a_list_and_then_hands_over() {
    let folder = folder_with("cube.stl", &cube());
    let routine = |more: &str| {
        let text = format!(
            "name = \"cube\"\n[[steps]]\nstep = \"set_unit\"\nunit = \"cm\"\n[[steps]]\nstep = \"orient\"\nup = \"+z\"\nforward = \"+x\"\n{more}"
        );
        std::fs::write(folder.path().join("r.toml"), text).unwrap();
    };
    let go = || {
        hull(&["prepare", "cube.stl", "--routine", "r.toml", "--destination", "fluid", "--out", "ho"], folder.path())
    };
    routine("");
    let out = go();
    assert_eq!(code(&out), 1);
    assert!(
        String::from_utf8_lossy(&out.stderr).contains("not met: Every facet is in a boundary (0.0 %, limit 100 %)")
    );
    assert!(!folder.path().join("ho").exists());
    let grow = |name: &str, at: &str| {
        format!(
            "[[steps]]\nstep = \"name_boundary\"\nname = \"{name}\"\npick = {{ include = [{{ grow = {{ at = {at}, angle = 10.0 }} }}] }}\n"
        )
    };
    let rest = "[[steps]]\nstep = \"name_boundary\"\nname = \"wall\"\npick = { include = [\"unnamed\"] }\n";
    routine(&(grow("inlet", "[0.0, 15.0, 20.0]") + &grow("outlet", "[20.0, 15.0, 20.0]") + rest));
    let out = go();
    assert_eq!(code(&out), 0, "{}", String::from_utf8_lossy(&out.stderr));
    let manifest: serde_json::Value =
        serde_json::from_slice(&std::fs::read(folder.path().join("ho/manifest.json")).unwrap()).unwrap();
    assert_eq!((&manifest["unit"], &manifest["ready"]), (&"m".into(), &true.into()));
    assert_eq!(manifest["boundaries"][0]["normal"], serde_json::json!([-1.0, 0.0, 0.0]));
    let check = hull(&["check", "ho/cube.stl", "--json"], folder.path());
    let read: serde_json::Value = serde_json::from_slice(&check.stdout).unwrap();
    assert!((read["volume"].as_f64().unwrap() - 24e-6).abs() < 1e-18, "24 cm³ in m³");
    routine("[[steps]]\nstep = \"stitch\"\ntolerance = -1.0\n");
    let out = go();
    assert_eq!(code(&out), 2);
    assert!(String::from_utf8_lossy(&out.stderr).contains("step 3 of the routine"));
}

#[test]
fn convert_changes_unit_and_format_and_keeps_names() {
    let mesh = cuboid([2.0, 3.0, 4.0]);
    let facets: Vec<FacetId> = mesh.triangles.keys().collect();
    let bytes = obj::write(
        &mesh,
        Default::default(),
        &[
            NamedFacets { name: "top", facets: &facets[..4], role: None },
            NamedFacets { name: "skirt", facets: &facets[4..], role: None },
        ],
    );
    let folder = folder_with("cube.obj", &bytes);
    assert_eq!(
        code(&hull(&["convert", "cube.obj", "cube.stl", "--from", "in", "--to", "m", "--ascii"], folder.path())),
        0
    );
    let text = std::fs::read_to_string(folder.path().join("cube.stl")).unwrap();
    assert!(text.contains("solid top\n") && text.contains("endsolid skirt\n"));
    let out = hull(&["check", "cube.stl", "--json"], folder.path());
    let o: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    assert!((o["volume"].as_f64().unwrap() - 24.0 * 0.0254f64.powi(3)).abs() < 1e-15);
    assert_eq!(code(&hull(&["convert", "cube.obj", "cube.stl", "--from", "in"], folder.path())), 2);
    assert_eq!(code(&hull(&["convert", "cube.obj", "cube.xyz"], folder.path())), 2);
}

/// Facets that nobody named go into every format that has a place for them and are the same body there; the others say so and
/// leave no file.
#[test]
fn facets_go_into_every_format_that_has_a_place_for_them() {
    let folder = folder_with("cube.stl", &cube());
    let mut written = 0;
    for ending in hull_formats::FORMATS.iter().flat_map(|f| f.endings) {
        let file = format!("out.{ending}");
        let out = hull(&["convert", "cube.stl", &file, "--from", "mm", "--to", "mm"], folder.path());
        let said = String::from_utf8_lossy(&out.stderr);
        if code(&out) == 2 {
            assert!(said.contains("no place for facets") || said.contains("exact geometry"), "{ending}: {said}");
            assert!(!folder.path().join(&file).exists(), "{file} is left behind");
            continue;
        }
        assert_eq!(code(&out), 0, "{ending}: {said}");
        let check = hull(&["check", &file, "--json", "--quick"], folder.path());
        let o: serde_json::Value = serde_json::from_slice(&check.stdout).unwrap();
        assert!((o["volume"].as_f64().unwrap() / 24.0 - 1.0).abs() < 1e-6, "{ending}: {o}");
        assert_eq!((&o["triangles"], &o["open_edges"]), (&12.into(), &0.into()), "{ending}");
        written += 1;
    }
    assert!(written > 15);
}

#[test]
fn design_files_are_written_and_read_back_and_facets_only_where_they_fit() {
    let folder = folder_with("cube.stl", &cube());
    let no_unit = hull(&["convert", "cube.stl", "cube.step"], folder.path());
    assert_eq!(code(&no_unit), 2);
    assert!(String::from_utf8_lossy(&no_unit.stderr).contains("--from is needed"));
    for schema in ["ap242", "ap214"] {
        let args = ["convert", "cube.stl", "cube.step", "--from", "in", "--to", "cm", "--schema", schema];
        let out = hull(&args, folder.path());
        assert_eq!(code(&out), 0, "{}", String::from_utf8_lossy(&out.stderr));
        let check = hull(&["check", "cube.step", "--json"], folder.path());
        let o: serde_json::Value = serde_json::from_slice(&check.stdout).unwrap();
        assert_eq!((code(&check), &o["declared_unit"]), (0, &"centimetre".into()));
        // 24 cubic inches, in millimetres as STEP is taken in.
        assert!((o["volume"].as_f64().unwrap() / (24.0 * 25.4_f64.powi(3)) - 1.0).abs() < 1e-12);
        assert_eq!(o["self_intersections"], 0);
    }
    let iges = hull(&["convert", "cube.stl", "cube.igs", "--from", "mm"], folder.path());
    assert_eq!(code(&iges), 2);
    assert!(!folder.path().join("cube.igs").exists(), "nothing is left behind");
    // The faceted solid is exact geometry of planes: that goes out as IGES and comes back the same.
    assert_eq!(code(&hull(&["convert", "cube.step", "cube.igs"], folder.path())), 0);
    let back = ["convert", "cube.igs", "again.stl", "--join", "proposed", "--to", "mm"];
    assert_eq!(code(&hull(&back, folder.path())), 0);
    let far = hull(&["distance", "cube.step", "again.stl", "--json"], folder.path());
    let o: serde_json::Value = serde_json::from_slice(&far.stdout).unwrap();
    assert!(o["largest"].as_f64().unwrap() < 1e-4, "single precision of STL: {o}");
    let quick = hull(&["check", "again.stl", "--json", "--quick"], folder.path());
    assert!(serde_json::from_slice::<serde_json::Value>(&quick.stdout).unwrap()["self_intersections"].is_null());
}

#[test]
fn closed_bodies_are_united_subtracted_and_intersected() {
    let folder = folder_with("a.stl", &cube());
    let mut other = cuboid([2.0, 3.0, 4.0]);
    other.points.iter_mut().for_each(|p| p[0] += 1.0);
    std::fs::write(folder.path().join("b.stl"), stl::write_whole(&other)).unwrap();
    for (command, volume) in [("unite", 36.0), ("subtract", 12.0), ("intersect", 12.0)] {
        let out = hull(&[command, "a.stl", "b.stl", "out.stl"], folder.path());
        assert_eq!(code(&out), 0, "{}", String::from_utf8_lossy(&out.stderr));
        let checked = hull(&["check", "out.stl", "--json"], folder.path());
        let o: serde_json::Value = serde_json::from_slice(&checked.stdout).unwrap();
        assert_eq!((o["volume"].as_f64(), code(&checked)), (Some(volume), 0), "{command}");
    }
    let out = hull(&["intersect", "a.stl", "out.step"], folder.path());
    let said = String::from_utf8_lossy(&out.stderr).into_owned();
    assert!(code(&out) == 2 && said.contains("<OUT>") && !said.contains("values"), "what is missing is named: {said}");
    let out = hull(&["unite", "a.stl", "b.stl", "out.stl", "all.stl"], folder.path());
    assert_eq!(code(&out), 0, "three bodies: {}", String::from_utf8_lossy(&out.stderr));
}

#[test]
fn repair_writes_a_clean_surface_and_says_what_it_did() {
    let mut soup = torn(&sphere(10.0, 30, 20), 6, 0.004);
    soup.triangles.remove(FacetId(17));
    let folder = folder_with("scan.stl", &stl::write_whole(&soup));
    let out = hull(&["repair", "scan.stl", "clean.stl", "--no-wrap", "--json"], folder.path());
    assert_eq!(code(&out), 0, "{}", String::from_utf8_lossy(&out.stderr));
    let o: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    assert!(o["before"]["open_edges"].as_u64().unwrap() > 50 && o["after"]["open_edges"] == 0, "{o}");
    let steps: Vec<&str> = o["steps"].as_array().unwrap().iter().filter_map(|s| s["step"]["step"].as_str()).collect();
    assert!(steps.contains(&"stitch") && steps.contains(&"fill_holes"), "{steps:?}");
    assert_eq!(code(&hull(&["check", "clean.stl"], folder.path())), 0);
}

#[test]
fn a_step_is_done_with_values_that_are_typed_or_proposed_and_added_to_a_routine() {
    let mesh = torn(&cuboid([2.0, 3.0, 4.0]), 6, 0.01);
    let folder = folder_with("torn.stl", &stl::write_whole(&mesh));
    let text = |out: &Output| String::from_utf8_lossy(&out.stdout).into_owned();
    let listed = hull(&["check", "torn.stl", "--remedies"], folder.path());
    let line =
        text(&listed).lines().find(|l| l.contains("hull step stitch")).expect("a stitch is proposed").to_string();
    // The line that is printed is one that works, and closes what it says.
    let words: Vec<&str> =
        line.split_whitespace().skip(1).map(|w| if w == "OUT.stl" { "typed.stl" } else { w }).collect();
    assert_eq!(code(&hull(&words, folder.path())), 0, "{line}");
    let proposed = hull(&["step", "stitch", "torn.stl", "proposed.stl", "--routine", "r.toml"], folder.path());
    assert_eq!(code(&proposed), 0, "{}", String::from_utf8_lossy(&proposed.stderr));
    let read = |name: &str| std::fs::read(folder.path().join(name)).unwrap();
    assert_eq!(read("typed.stl"), read("proposed.stl"));
    assert_eq!(code(&hull(&["check", "proposed.stl"], folder.path())), 0);
    assert!(String::from_utf8(read("r.toml")).unwrap().contains("step = \"stitch\""));
    let json = hull(&["check", "torn.stl", "--remedies", "--json"], folder.path());
    let o: serde_json::Value = serde_json::from_slice(&json.stdout).unwrap();
    assert!(o["remedies"].as_array().unwrap().iter().any(|r| r["step"]["step"] == "stitch"), "{o}");
    let wrong = hull(&["step", "stitch", "torn.stl", "x.stl", "--tolerance", "-1"], folder.path());
    assert_eq!(code(&wrong), 2);
    assert!(String::from_utf8_lossy(&wrong.stderr).contains("“-1” is not") && !folder.path().join("x.stl").exists());
}

#[test]
fn points_are_checked_and_converted_and_are_no_surface() {
    let folder = folder_with("wall.xyz", b"0 0 0 10 20 30\n1 0 0 10 20 30\n0 2 0 255 0 0\n");
    let out = hull(&["check", "wall.xyz", "--json"], folder.path());
    assert_eq!(code(&out), 1, "there is no closed surface");
    let o: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(
        o["cloud"],
        serde_json::json!({ "points": 3, "coloured": true, "facing": false, "spacing": 1.0, "lone_beyond": null, "lone": 0, "looked_at": 3, "splats": null })
    );
    assert_eq!((&o["triangles"], &o["bbox"]["max"]), (&0.into(), &serde_json::json!([1.0, 2.0, 0.0])));
    assert_eq!(code(&hull(&["convert", "wall.xyz", "wall.ply", "--from", "m", "--to", "mm"], folder.path())), 0);
    let back = hull(&["check", "wall.ply", "--json"], folder.path());
    let o: serde_json::Value = serde_json::from_slice(&back.stdout).unwrap();
    assert_eq!(o["bbox"]["max"], serde_json::json!([1000.0, 2000.0, 0.0]));
    for (args, words) in [
        (["convert", "wall.xyz", "wall.stl"], "write .ply, .xyz"),
        (["convert", "wall.xyz", "wall.step"], "no place in a design file"),
        (["step", "stitch", "wall.xyz"], "points and no faces"),
    ] {
        let args: Vec<&str> = if args[0] == "step" { [&args[..], &["o.stl"]].concat() } else { args.to_vec() };
        let out = hull(&args, folder.path());
        assert_eq!(code(&out), 2, "{args:?}");
        assert!(String::from_utf8_lossy(&out.stderr).contains(words), "{}", String::from_utf8_lossy(&out.stderr));
    }
    std::fs::write(folder.path().join("cube.stl"), cube()).unwrap();
    let out = hull(&["convert", "cube.stl", "cube.xyz"], folder.path());
    assert!(code(&out) == 2 && !folder.path().join("cube.xyz").exists(), "facets are not lost in a file of points");
}

#[test]
fn timings_name_the_stages_and_the_faces_that_took_longest() {
    let foot = concat!(env!("CARGO_MANIFEST_DIR"), "/../hull-formats/tests/reference/step/pump-foot-ap214-mm.step");
    let folder = folder_with("foot.step", &std::fs::read(foot).unwrap());
    let out = hull(&["check", "foot.step", "--deep", "--json", "--timings"], folder.path());
    let o: serde_json::Value = serde_json::from_slice(&out.stdout).unwrap();
    let spent: Vec<(&str, f64)> = o["timings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|t| (t["what"].as_str().unwrap(), t["seconds"].as_f64().unwrap()))
        .collect();
    assert!(spent.windows(2).all(|w| w[0].1 >= w[1].1), "the slowest first");
    let faces: Vec<&str> = spent.iter().map(|s| s.0).filter(|w| w.starts_with("face ")).collect();
    assert_eq!(faces.len(), 10, "of the 13 faces: {faces:?}");
    assert!(faces.iter().any(|f| f.contains("(cylinder, ")) && faces.iter().any(|f| f.contains("(plane, ")));
    for stage in ["reading", "facets and exact figures", "survey: looking for facets that run through each other"] {
        assert!(spent.iter().any(|s| s.0 == stage), "{stage} of {spent:?}");
    }
    let plain = hull(&["check", "foot.step", "--json"], folder.path());
    assert!(serde_json::from_slice::<serde_json::Value>(&plain.stdout).unwrap()["timings"].is_null());
}

#[test]
fn files_of_one_name_are_prepared_into_folders_of_their_own() {
    let folder = tempfile::tempdir().unwrap();
    for (sub, size) in [("port", 2.0), ("starboard", 3.0)] {
        std::fs::create_dir(folder.path().join(sub)).unwrap();
        let cube = stl::write_whole(&cuboid([size; 3]));
        std::fs::write(folder.path().join(sub).join("chest.stl"), cube).unwrap();
    }
    let routine = "name = \"chest\"\n[[steps]]\nstep = \"set_unit\"\nunit = \"mm\"\n[[steps]]\nstep = \"orient\"\nup = \"+z\"\nforward = \"+x\"\n";
    std::fs::write(folder.path().join("r.toml"), routine).unwrap();
    let args = [
        "prepare",
        "port/chest.stl",
        "starboard/chest.stl",
        "--routine",
        "r.toml",
        "--destination",
        "surface",
        "--out",
        "out",
    ];
    let out = hull(&args, folder.path());
    assert_eq!(code(&out), 0, "{}", String::from_utf8_lossy(&out.stderr));
    let written = |sub: &str| std::fs::read(folder.path().join("out").join(sub).join("chest.stl")).expect(sub);
    assert_ne!(written("chest"), written("chest-2"));
}

#[test]
fn output_that_nobody_reads_ends_the_program_without_a_word() {
    let folder = folder_with("cube.stl", &cube());
    let (reader, writer) = std::io::pipe().unwrap();
    drop(reader);
    let mut hull = Command::new(env!("CARGO_BIN_EXE_hull"));
    let child = hull.args(["check", "cube.stl"]).current_dir(folder.path()).stdout(writer).stderr(Stdio::piped());
    let ended = child.spawn().unwrap().wait_with_output().unwrap();
    assert_eq!((code(&ended), String::from_utf8_lossy(&ended.stderr).as_ref()), (141, ""));
}

/// A hollow section cut across: four lines and four arcs outside and inside, whatever form keeps them.
#[test]
fn sections_are_fitted_and_written_in_every_form() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path();
    assert_eq!(code(&hull(&["stock", "hollow", "80x80x5", "--tolerance", "0.01", "--out", "h.stl"], at)), 0);
    for file in ["o.dxf", "o.step", "o.igs", "o.svg"] {
        let made = hull(&["section", "h.stl", file, "--at", "0,0,500", "--fit", "0.02", "--unit", "mm"], at);
        assert_eq!(code(&made), 0, "{}", String::from_utf8_lossy(&made.stderr));
        assert!(String::from_utf8_lossy(&made.stdout).contains("8 arcs and 0 splines"));
    }
    let told = |file: &str| -> serde_json::Value {
        serde_json::from_slice(&hull(&["check", file, "--json"], at).stdout).unwrap()
    };
    // By EN 10210-2 the corners are 7.5 outside and 5 inside.
    let pi = std::f64::consts::PI;
    let (around, long) =
        (4.0 * (65.0 + 60.0) + 2.0 * pi * 12.5, told("o.dxf")["wireframe"]["length"].as_f64().unwrap());
    assert!((long - around).abs() < 0.05, "{long} for {around}");
    // Closed outlines of design files are regions: the ring and what is in it.
    for file in ["o.step", "o.igs"] {
        let (whole, area) = (6400.0 - (4.0 - pi) * 7.5 * 7.5, told(file)["exact_area"].as_f64().unwrap());
        assert!((area - whole).abs() < 0.5, "{file}: {area} for {whole}");
    }
    assert_eq!(
        code(&hull(&["section", "h.stl", "m.dxf", "--at", "0,0,100", "--count", "3", "--every", "200", "--each"], at)),
        0
    );
    assert!((1..=3).all(|i| at.join(format!("m-00{i}.dxf")).exists()));
    assert_eq!(code(&hull(&["section", "h.stl", "o.step", "--at", "0,0,500"], at)), 2, "STEP says its unit");
}

/// A block beside a plate: what faces it is named, how far it is kept, and a routine does both again for the next plate.
#[test]
fn bodies_beside_one_are_asked_for_by_steps_and_routines() {
    let (plate, mut block) = (cuboid([60.0, 40.0, 1.0]), cuboid([60.0, 40.0, 5.0]));
    hull_geometry::transform::translate(&mut block, [0.0, 0.0, 1.5]);
    let folder = folder_with("plate.stl", &stl::write_whole(&plate));
    std::fs::write(folder.path().join("heat-sink.stl"), stl::write_whole(&block)).unwrap();
    let name = ["step", "name_boundary", "plate.stl", "named.stl", "--name", "to_sink", "--pick", "facing:heat sink@1"];
    let alone = hull(&name, folder.path());
    let said = String::from_utf8_lossy(&alone.stderr).into_owned();
    assert!(code(&alone) == 2 && said.contains("no other body of the project called “heat sink”"), "{said}");
    let beside = ["--beside", "heat-sink.stl", "--in", "mm", "--routine", "r.toml"];
    let named = hull(&[&name[..], &beside].concat(), folder.path());
    assert_eq!(code(&named), 0, "{}", String::from_utf8_lossy(&named.stderr));
    assert!(String::from_utf8_lossy(&named.stdout).contains("“to_sink” has 2 facets more"));
    let keep =
        ["step", "keep_measure", "plate.stl", "kept.stl", "--what", "clearance", "--to", "heat*", "--name", "gap"];
    let kept = hull(&[&keep[..], &beside].concat(), folder.path());
    let said = String::from_utf8_lossy(&kept.stdout).into_owned();
    assert!(code(&kept) == 0 && said.contains("“gap”: 0.5 mm"), "{said}{}", String::from_utf8_lossy(&kept.stderr));

    // The next revision stands nearer, in a file of its own; the unit is in the routine.
    let routine = std::fs::read_to_string(folder.path().join("r.toml")).unwrap();
    let set = "[[steps]]\nstep = \"set_unit\"\nunit = \"mm\"\n\n[[steps]]\n";
    std::fs::write(folder.path().join("r.toml"), routine.replacen("[[steps]]\n", set, 1)).unwrap();
    let mut nearer = plate;
    hull_geometry::transform::translate(&mut nearer, [0.0, 0.0, 0.3]);
    std::fs::write(folder.path().join("plate-b.stl"), stl::write_whole(&nearer)).unwrap();
    let prepare = ["prepare", "plate-b.stl", "--routine", "r.toml", "--destination", "surface", "--out", "out"];
    let prepared = hull(&[&prepare[..], &["--beside", "heat-sink.stl"]].concat(), folder.path());
    let said = String::from_utf8_lossy(&prepared.stdout).into_owned();
    assert!(said.contains("“to_sink” has 2 facets more") && said.contains("“gap”: 0.2 mm"), "{said}");
    let without = hull(&prepare, folder.path());
    let said = String::from_utf8_lossy(&without.stderr).into_owned();
    assert!(code(&without) == 2 && said.contains("step 2 of the routine"), "{said}");
    // A file that says its unit, beside one that does not.
    let glb = hull(&["convert", "heat-sink.stl", "sink.glb", "--from", "mm", "--to", "m"], folder.path());
    assert_eq!(code(&glb), 0, "{}", String::from_utf8_lossy(&glb.stderr));
    let mixed = hull(&[&name[..], &["--beside", "sink.glb"]].concat(), folder.path());
    let said = String::from_utf8_lossy(&mixed.stderr).into_owned();
    assert!(code(&mixed) == 2 && said.contains("sink.glb says its unit"), "{said}");
    let other = [
        "step",
        "name_boundary",
        "sink.glb",
        "n.stl",
        "--name",
        "a",
        "--pick",
        "facing:plate@1",
        "--beside",
        "plate.stl",
    ];
    let said = String::from_utf8_lossy(&hull(&other, folder.path()).stderr).into_owned();
    assert!(said.contains("plate.stl does not say its unit"), "{said}");
}
