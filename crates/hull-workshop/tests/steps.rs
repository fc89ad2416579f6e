//! What every operation promises, asked of each in the list: so a new one is tried without a line here.

use hull_geometry::Watch;
use hull_geometry::shapes::cuboid;
use hull_workshop::sentence::LengthUnit;
use hull_workshop::steps::{self, Field, OPERATIONS, Quantity, Step, StepError, field};
use hull_workshop::{Body, Destination, apply};
use std::path::PathBuf;
use toml::Value;
use typed_index_collections::ti_vec;

/// A value that fits, as it is typed.
fn typed(f: &Field) -> String {
    match f.quantity {
        Quantity::Length => "1.5".into(),
        Quantity::Place | Quantity::Vector(_) => "1 2,5 −3".into(),
        Quantity::Places => "1, 2, 3; 4, 5, 6".into(),
        Quantity::Angle(from, to) | Quantity::Number(_, from, to) => ((from + to) / 2.0).to_string(),
        Quantity::Choice(words) => words[words.len() - 1].0.into(),
        Quantity::Flag => "yes".into(),
        Quantity::Text(..) | Quantity::Texts | Quantity::Rows(_) => "a name of 3 mm".into(),
        Quantity::Pick | Quantity::PickOrUnnamed => "unnamed".into(),
        Quantity::Rules => r#"[{"name":"a","pick":{"include":["unnamed"]},"area":0.0}]"#.into(),
    }
}

/// A step of an operation with values that fit.
fn sample(id: &str, fields: &[Field]) -> Step {
    let all: Vec<(String, String)> = fields.iter().map(|f| (f.path.to_string(), typed(f))).collect();
    steps::read(id, &all, None).unwrap_or_else(|e| panic!("{id}: {}", e.text(LengthUnit::Millimetres)))
}

/// What cannot be meant, by quantity.
fn nonsense(f: &Field) -> Vec<&'static str> {
    match f.quantity {
        Quantity::Length => vec!["NaN", "inf", "-1", "0", "1e300", "1e-300", "five", "1e999"],
        Quantity::Place | Quantity::Vector(_) => vec!["1 2", "1 2 x", "NaN 0 0", "1e300 0 0", "0 0 inf"],
        Quantity::Angle(..) => vec!["NaN", "-1", "1e9", "x"],
        Quantity::Number(..) => vec!["NaN", "-1e300", "1e300", "x"],
        Quantity::Choice(_) => vec!["none of them"],
        Quantity::Pick | Quantity::PickOrUnnamed | Quantity::Rules => vec!["{", "42"],
        Quantity::Text(least, _) if least > 0 && !f.optional => vec![" ", "a\nb"],
        Quantity::Text(..) => vec!["a\nb"],
        _ => vec![],
    }
}

#[test]
fn every_operation_is_read_from_what_is_typed_and_comes_back_the_same() {
    for about in OPERATIONS {
        let fields = (about.fields)();
        let step = sample(about.id, fields);
        assert_eq!(step.about().id, about.id);
        // The tag in stored steps is the folder's name.
        assert_eq!(serde_json::to_value(&step).unwrap()["step"], about.id);
        let folder = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("src/steps").join(about.id);
        assert!(folder.join("mod.rs").exists(), "{}", folder.display());
        let back: Step = serde_json::from_value(serde_json::to_value(&step).unwrap()).unwrap();
        assert_eq!(back, step);
        let text = toml::to_string(&step).unwrap();
        assert_eq!(toml::from_str::<Step>(&text).unwrap(), step, "{text}");
        // What a form shows of it is read as the same step; what is left out is taken from what is proposed.
        let data = steps::data(&step);
        let shown: Vec<(String, String)> =
            fields.iter().filter_map(|f| Some((f.path.to_string(), field::plain(field::at(&data, f.path)?)))).collect();
        assert_eq!(steps::read(about.id, &shown, None).unwrap(), step, "{shown:?}");
        assert_eq!(steps::read(about.id, &[], Some(&step)).unwrap(), step);
        // What may be left out is left out.
        let asked: Vec<(String, String)> =
            fields.iter().filter(|f| !f.optional).map(|f| (f.path.to_string(), typed(f))).collect();
        let left_out = steps::read(about.id, &asked, None);
        assert!(left_out.is_ok(), "{}: {}", about.id, left_out.unwrap_err().text(LengthUnit::FileUnits));
        assert!(!step.title().text(LengthUnit::FileUnits).is_empty() && !about.help.is_empty());
    }
}

#[test]
fn a_value_that_cannot_be_is_refused_by_one_rule_wherever_it_comes_from() {
    let destination = Destination::named("fluid").unwrap();
    let mesh = cuboid([1.0; 3]);
    let columns = hull_workshop::body::Columns {
        boundary: ti_vec![hull_geometry::NONE; mesh.triangles.len()],
        ..Default::default()
    };
    let body = Body { columns, mesh, ..Default::default() };
    let mut tried = 0;
    for about in OPERATIONS {
        let fields = (about.fields)();
        for f in fields {
            for bad in nonsense(f) {
                let all: Vec<(String, String)> =
                    fields.iter().map(|g| (g.path.to_string(), if g == f { bad.into() } else { typed(g) })).collect();
                let why = steps::read(about.id, &all, None).expect_err(&format!("{} {} {bad:?}", about.id, f.path));
                let why = why.text(LengthUnit::Millimetres);
                assert!(why.contains(f.label) || why.contains("picked"), "{why}");
                tried += 1;
            }
            // The same from a routine, where numbers need not be finite.
            let numbers = match f.quantity {
                Quantity::Length => vec![f64::NAN, f64::INFINITY, -1.0, 0.0, 1e300, 1e-300],
                Quantity::Angle(..) => vec![f64::NAN, -1.0, 1e9],
                Quantity::Number(..) => vec![f64::NAN, -1e300, 1e300],
                Quantity::Place | Quantity::Vector(_) => vec![f64::NAN, 1e300],
                _ => vec![],
            };
            for x in numbers {
                let Value::Table(mut data) = steps::data(&sample(about.id, fields)) else { panic!("a table") };
                let value = if matches!(f.quantity, Quantity::Place | Quantity::Vector(_)) {
                    Value::Array(vec![Value::Float(0.0), Value::Float(x), Value::Float(0.0)])
                } else {
                    Value::Float(x)
                };
                field::put(&mut data, f.path, value);
                let text = toml::to_string(&data).unwrap();
                let step: Step = toml::from_str(&text).unwrap();
                let why = match apply(&body, &step, &destination, &Watch::default()) {
                    Err(StepError::Refused(why)) => why,
                    other => panic!("{text}: {other:?}"),
                };
                // A body without exact geometry is refused for that first.
                assert!(why.contains(f.label) || why.contains("The body has no "), "{text}: {why}");
            }
        }
    }
    assert!(tried > 100, "{tried}");
}

#[test]
fn a_step_that_is_not_there_and_a_value_that_is_missing_say_so() {
    let say = |id: &str, typed: &[(String, String)]| {
        steps::read(id, typed, None).expect_err("refused").text(LengthUnit::FileUnits)
    };
    assert_eq!(say("bend", &[]), "“bend” is not a step.");
    let missing = say("stitch", &[]);
    assert!(
        missing.starts_with("Tolerance must be a number") && missing.contains("file units; it is missing"),
        "{missing}"
    );
}

/// The guide's table of steps follows from their descriptions. `HULL_GUIDE=write` writes it.
#[test]
fn the_guide_lists_every_step_as_it_is() {
    const BEGIN: &str = "<!-- steps: written by the test `steps` of hull-workshop -->\n";
    const END: &str = "<!-- end of steps -->";
    let mut table = String::from("| step | what it does | values |\n|---|---|---|\n");
    for about in OPERATIONS {
        let of = |f: &Field| {
            let usual = f.default.map_or(String::new(), |d| format!(", usually {d}"));
            let free = if f.optional { ", or nothing" } else { "" };
            format!("`--{}` {}: {} ({}{usual}{free})", f.option(), f.label.to_lowercase(), f.help, f.range())
        };
        let values: Vec<String> = (about.fields)().iter().map(of).collect();
        table += &format!("| `{}` | {} | {} |\n", about.id, about.help, values.join("<br>"));
    }
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs/guide.md");
    let guide = std::fs::read_to_string(&path).unwrap();
    let (before, rest) = guide.split_once(BEGIN).expect("the table's beginning");
    let (there, after) = rest.split_once(END).expect("the table's end");
    if std::env::var("HULL_GUIDE").is_ok_and(|v| v == "write") {
        std::fs::write(&path, format!("{before}{BEGIN}{table}{END}{after}")).unwrap();
    } else {
        assert_eq!(there, table);
    }
}

#[test]
fn flipping_everything_twice_changes_nothing_and_once_turns_the_volume_around() {
    let destination = Destination::asking_nothing();
    let mesh = cuboid([1.0, 2.0, 3.0]);
    let columns = hull_workshop::body::Columns {
        boundary: ti_vec![hull_geometry::NONE; mesh.triangles.len()],
        ..Default::default()
    };
    let body = Body { columns, mesh, ..Default::default() };
    let all = steps::read("flip_facets", &[("pick".into(), "unnamed".into())], None).unwrap();
    let volume = |b: &Body| hull_geometry::measure::mass(&b.mesh, &b.mesh.bounds()).volume;
    let (once, change) = apply(&body, &all, &destination, &Watch::default()).unwrap();
    assert_eq!((volume(&once), change.sentence.as_str()), (-volume(&body), "12 facets turned over."));
    let (twice, _) = apply(&once, &all, &destination, &Watch::default()).unwrap();
    assert_eq!(twice.mesh.triangles, body.mesh.triangles);
    let named = steps::read("flip_facets", &[("pick".into(), "boundary:nobody".into())], None).unwrap();
    assert!(apply(&body, &named, &destination, &Watch::default()).is_err());
}
