//! What leaves: names that every file system can hold, told apart, in every form; and what is not what was sent is not sent.

use hull_formats::{Format, Received};
use hull_geometry::shapes::cuboid;
use hull_geometry::{NONE, Unit, Watch};
use hull_trials::flow::How;
use hull_workshop::handover::changes::changes;
use hull_workshop::handover::form::FORMS;
use hull_workshop::handover::{Form, HandoverError, Package, distinct, file_stem, hand_over};
use hull_workshop::prepare::{Prepared, prepare};
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::steps::{name_boundary::NameBoundary, set_unit::SetUnit};
use hull_workshop::{Body, Destination, Step, trial};
use proptest::prelude::*;
use std::collections::HashSet;
use std::io::Cursor;
use typed_index_collections::ti_vec;

/// Letters that file systems mind, and some that they do not.
const NAMES: &str = "[a-c A-C0-2_/\\\\:*?.äß水\\-]{0,6}";

proptest! {
    #[test]
    fn names_of_files_are_safe_everywhere_and_told_apart(names in prop::collection::vec(NAMES, 1..40)) {
        let made = distinct(names.iter().map(|n| file_stem(n)).collect());
        prop_assert_eq!(made.len(), names.len());
        // Some file systems do not tell small letters from capital ones.
        let alike: HashSet<String> = made.iter().map(|n| n.to_lowercase()).collect();
        prop_assert_eq!(alike.len(), names.len(), "{:?} of {:?}", made, names);
        for name in &made {
            prop_assert!(!name.is_empty() && name.bytes().all(|b| b.is_ascii_alphanumeric() || b"-_".contains(&b)), "{}", name);
        }
        // The first of a name keeps it.
        for (i, name) in names.iter().enumerate() {
            let stem = file_stem(name);
            if names[..i].iter().all(|n| file_stem(n) != stem) {
                prop_assert_eq!(&made[i], &stem);
            }
        }
    }
}

#[test]
fn names_of_devices_are_none_of_files() {
    for device in ["con", "NUL", "Com1", "lpt9", " aux "] {
        assert!(file_stem(device).ends_with("-body"), "{}", file_stem(device));
    }
    assert_eq!([file_stem("console"), file_stem("com"), file_stem("com10")], ["console", "com", "com10"]);
}

/// A cube of 20 mm with a name on each side.
fn cube_of(names: [&str; 6]) -> Prepared {
    let mut body = Body::from_received("cube.stl", Received::plain(Format::StlBinary, cuboid([20.0; 3])));
    body.columns.boundary = ti_vec![NONE; 12];
    let centres = [
        [0.0, 10.0, 10.0],
        [20.0, 10.0, 10.0],
        [10.0, 0.0, 10.0],
        [10.0, 20.0, 10.0],
        [10.0, 10.0, 0.0],
        [10.0, 10.0, 20.0],
    ];
    let name = |(name, at): (&str, [f64; 3])| {
        let pick = Selection::from(Pick::Grow { at, angle: 20.0 });
        Step::NameBoundary(NameBoundary { name: name.into(), role: None, pick })
    };
    let steps: Vec<Step> = [Step::SetUnit(SetUnit { unit: Unit::Mm })]
        .into_iter()
        .chain(names.into_iter().zip(centres).map(name))
        .collect();
    prepare(body, &steps, &Destination::asking_nothing(), &Watch::default()).expect("every side is there")
}

/// A channel of 20 mm: all that goes in at one end goes out at the other, and the sheet says so with what a trial is not.
#[test]
fn a_trial_of_the_flow_stands_on_the_sheet() {
    let mut p = cube_of(["Inlet", "Outlet", "left", "right", "below", "above"]);
    let without = hand_over("Channel", &p, &Destination::asking_nothing(), Form::Binary, &Watch::default()).unwrap();
    assert_eq!(without.manifest.trial, None);
    p.trial = Some(trial::flow(&p.body, How::Potential, 2000, &Watch::default()).unwrap());
    let made = hand_over("Channel", &p, &Destination::asking_nothing(), Form::Binary, &Watch::default()).unwrap();
    let told = made.manifest.trial.expect("there was one");
    assert!(told.found[0].starts_with("Inlet: 100 % of what goes in, 400 mm²"), "{:?}", told.found);
    assert!(told.is_not.contains("not a simulation"));
    let sheet = made.files.iter().find(|f| f.0.ends_with(".html")).expect("a sheet");
    assert!(String::from_utf8_lossy(&sheet.1).contains("Trial of the flow"));
}

/// Names that differ in signs which a form cannot write: each boundary leaves under a name of its own all the same.
#[test]
fn boundaries_whose_names_are_written_alike_stay_apart_within_one_file() {
    let p = cube_of(["in let", "in_let", "in/let", "in:let", "unnamed", "0"]);
    for form in [Form::Ascii, Form::Obj, Form::Dxf, Form::ThreeMf] {
        let made = hand_over("Sea chest", &p, &Destination::asking_nothing(), form, &Watch::default())
            .unwrap_or_else(|e| panic!("{form:?}: {e}"));
        assert!(made.manifest.comparison.iter().all(|c| c.same), "{form:?}: {:?}", made.manifest.comparison);
        let names = made.manifest.comparison.iter().find(|c| c.figure == "boundary names").expect("names are compared");
        let back: HashSet<&str> = names.read_back.split(", ").collect();
        assert!(back.len() == 6 && back.contains("in_let"), "{form:?}: {back:?}");
    }
}

#[test]
fn boundaries_of_names_that_clash_leave_in_files_of_their_own_in_every_form() {
    let names = [
        "Inlet",
        "inlet",
        "in/let",
        "con",
        "水の入口",
        "a name of 80 letters, which is as long as people may make one for a side .....",
    ];
    let p = cube_of(names);
    let (mut one_each, mut renaming) = (0, 0);
    for (key, form) in FORMS.iter().map(|a| (a.key, a.form)) {
        if matches!(
            form,
            Form::Ply
                | Form::Xyz
                | Form::Splat
                | Form::UsdzPoints
                | Form::Las
                | Form::Laz
                | Form::E57
                | Form::Frame
                | Form::Iges
                | Form::IgesSurfaces
        ) {
            // Of other kinds of geometry: refused with a sentence, and nothing is written.
            let refused = hand_over("Sea chest", &p, &Destination::asking_nothing(), form, &Watch::default());
            assert!(refused.is_err(), "{key}");
            continue;
        }
        let made = hand_over("Sea chest", &p, &Destination::asking_nothing(), form, &Watch::default())
            .unwrap_or_else(|e| panic!("{key}: {e}"));
        assert!(made.manifest.comparison.iter().all(|c| c.same), "{key}: {:?}", made.manifest.comparison);
        assert_eq!(made.manifest.boundaries.len(), 6, "{key}");
        assert!(made.manifest.boundaries.iter().all(|b| b.facets == 2 && (b.area - 400.0).abs() < 1e-3), "{key}");
        let mut zip = zip::ZipArchive::new(Cursor::new(&made.zip)).expect("a package");
        let packed: Vec<String> =
            (0..zip.len()).map(|i| zip.by_index(i).expect("an entry").name().expect("text").to_lowercase()).collect();
        assert_eq!(packed.iter().collect::<HashSet<_>>().len(), packed.len(), "{key}: {packed:?}");
        let plain = |n: &String| n.is_ascii() && !n.starts_with("con.") && !n.contains(['/', '\\', ' ', ':']);
        assert!(packed.iter().all(plain), "{key}: {packed:?}");
        one_each += usize::from(made.manifest.files.len() >= 6);
        // What a form cannot hold is renamed, which the manifest tells, once a name.
        renaming += usize::from(!made.manifest.renamed.is_empty());
        let now: HashSet<&String> = made.manifest.renamed.iter().map(|[_, now]| now).collect();
        assert_eq!(now.len(), made.manifest.renamed.len(), "{key}: {:?}", made.manifest.renamed);
    }
    assert_eq!((one_each, renaming), (3, 3), "binary STL, PLY and VTM have a file each; CGNS, Exodus and USDZ rename");
}

#[test]
fn unit_and_names_of_files_are_chosen_and_two_handovers_are_held_against_each_other() {
    let p = cube_of(["bow", "stern", "port", "starboard", "keel", "deck"]);
    let to = Destination::asking_nothing();
    let package = |form, unit, names: &str| Package { form, unit, names: Some(names.into()) };
    let made = |package: Package| hand_over("Sea chest", &p, &to, package, &Watch::default());
    let first = made(package(Form::Ascii, Some(Unit::Mm), "")).unwrap();
    assert_eq!(first.manifest.files[0].name, "sea-chest.stl");
    let second = made(package(Form::Ascii, Some(Unit::In), "Rev B {body} {unit}, {form}")).unwrap();
    assert_eq!(second.manifest.files[0].name, "rev-b-sea-chest-in--ascii.stl");
    // A cube of 20 mm: 400 mm² a side, 25.4 mm an inch by ISO 31.
    assert!((second.manifest.boundaries[0].area - 400.0 / 25.4_f64.powi(2)).abs() < 1e-9);
    let rows = changes(&first.manifest, &second.manifest);
    let row =
        |figure: &str| rows.iter().find(|c| c.figure == figure).unwrap_or_else(|| panic!("no {figure}: {rows:?}"));
    assert!(!row("unit of the files").same && row("steps").same);
    assert!(row("bow").same, "the same side in another unit: {:?}", row("bow"));
    assert_eq!(row("sea-chest.stl").now, "–");
    assert_eq!(row("rev-b-sea-chest-in--ascii.stl").before, "–");
    for wrong in ["{boundary}", "{body} {", "{body}".repeat(20).as_str()] {
        let Err(HandoverError::Failed(why)) = made(package(Form::Ascii, None, wrong)) else {
            panic!("{wrong} was taken")
        };
        assert!(why.starts_with("file names: "), "{why}");
    }
}

#[test]
fn every_form_stands_in_the_table_once_and_is_found_by_its_key() {
    for a in &FORMS {
        assert_eq!(a.form.about().key, a.key);
        assert_eq!(Form::named(a.key), Ok(a.form));
    }
}
