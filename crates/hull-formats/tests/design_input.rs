//! STEP and IGES: the lexical rules each with a case, files that say the same in another form, and damaged ones.

use crate::common::iges::{e, iges_file};
use hull_exact::facet::facet;
use hull_exact::fineness::Fineness;
use hull_exact::model::PartId;
use hull_exact::parameter_loops::Reader;
use hull_exact::quadrature::{Figures, figures};
use hull_exact::shape::EdgeId;
use hull_formats::step::part21::{File, Value, decoded};
use hull_formats::{Design, ReadError, iges, step};
use hull_geometry::Watch;
use proptest::prelude::*;
use std::path::PathBuf;

fn reference(name: &str) -> Vec<u8> {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/reference").join(name);
    std::fs::read(path).expect("the file is in the repository")
}

fn read(name: &str, bytes: &[u8]) -> Result<Design, ReadError> {
    let watch = Watch::default();
    if name.ends_with("step") { step::read(name, bytes, &watch) } else { iges::read(name, bytes, &watch) }
}

fn sums(design: &Design) -> Vec<Figures> {
    design.model.parts.iter().map(|p| figures(&p.shape, Reader::Trusting)).collect()
}

/// Statements of a STEP file's DATA section, and what stands before and after.
fn statements(text: &str) -> (String, Vec<String>, String) {
    let start = text.find("DATA;").expect("a DATA section") + 5;
    let end = text[start..].find("ENDSEC;").expect("its end") + start;
    let all = text[start..end].split_inclusive(";").map(str::to_string).collect();
    (text[..start].into(), all, text[end..].into())
}

fn entity(text: &str) -> Vec<(String, Vec<Value<'static>>)> {
    let whole = format!("ISO-10303-21;HEADER;ENDSEC;DATA;{text}ENDSEC;END-ISO-10303-21;");
    let leaked: &'static [u8] = Box::leak(whole.into_bytes().into_boxed_slice());
    let file = File::index("a.step", leaked, &Watch::default()).expect("an index");
    let e = file.entity(1).expect("entity 1").expect("readable");
    e.parts.into_iter().map(|(n, p)| (n.to_string(), p)).collect()
}

/// ISO 10303-21, clause 6: tokens.
#[test]
fn tokens_of_the_clear_text() {
    use Value::*;
    let one = |text: &str| entity(text).remove(0).1;
    assert_eq!(
        one("#1=A(1,-2,+3,1.,-1.5E-3,.5);"),
        [Integer(1), Integer(-2), Integer(3), Real(1.0), Real(-0.0015), Real(0.5)]
    );
    assert_eq!(one("#1=A($,*,#2,.T.,.UNSPECIFIED.);"), [Missing, Derived, Ref(2), Enum("T"), Enum("UNSPECIFIED")]);
    assert_eq!(one("#1 = A ( 'it''s; ) ( here' ) ;"), [Text(b"it''s; ) ( here")]);
    assert_eq!(
        one("#1=A((#2,#3),LENGTH_MEASURE(2.5),());"),
        [List(vec![Ref(2), Ref(3)]), Typed("LENGTH_MEASURE", vec![Real(2.5)]), List(vec![])]
    );
    assert_eq!(one("/* a ; */#1=/* 'b */A(/* c */1);"), [Integer(1)]);
    assert_eq!(one("#1=A(1.0D2,1.E+5);"), [Real(100.0), Real(1e5)]);
    assert_eq!(one("#1=!OWN_NAME(1);"), [Integer(1)]);
    assert_eq!(one("#1=A(\n1\r\n,\t2);"), [Integer(1), Integer(2)]);
    let parts: Vec<String> = entity("#1=( A(1) B() C(#2) );").into_iter().map(|p| p.0).collect();
    assert_eq!(parts, ["A", "B", "C"]);
    // Edition 1: a scope is opened before the entity it belongs to is told.
    assert_eq!(entity("#1=&SCOPE #7=B(1); #8=C(2); ENDSCOPE /#7/ A(5);").remove(0).1, [Integer(5)]);
    // 6.4.3: control directives in strings.
    assert_eq!(decoded(b"Fl\\X\\FCgel \\X2\\03B103B2\\X0\\ \\S\\d ''\\\\"), "Flügel αβ ä '\\");
    assert_eq!(decoded(b"\\X4\\0001F6A2\\X0\\\\PA\\!"), "🚢!");
}

/// IGES 5.3, section 2.2: line ends, record lengths, delimiters, exponents and blanks change nothing.
#[test]
fn iges_records_in_other_clothes_say_the_same() {
    let name = "iges/frustum-brep-in.igs";
    let text = String::from_utf8(reference(name)).expect("ASCII");
    let expected = sums(&read("a.igs", text.as_bytes()).expect("readable"));
    let lines: Vec<&str> = text.lines().collect();
    let padded: String = lines.iter().map(|l| format!("{l:<80}")).collect();
    let trimmed: String = lines.iter().map(|l| format!("{}\n", l.trim_end())).collect();
    let doubled: String = lines.iter().map(|l| format!("{l}\n\n")).collect();
    // Another pair of delimiters, named in the global section as the standard has it.
    let other: String = lines
        .iter()
        .map(|l| match l.as_bytes().get(72) {
            Some(b'P') => format!("{}{}\n", l[..64].replace(',', "/").replace(';', "#"), &l[64..]),
            Some(b'G') => {
                let own = l[..72].trim_end();
                let own = own.strip_prefix(",,").map_or(own.to_string(), |rest| format!("1H//1H#/{rest}"));
                format!("{:<72}{}\n", own.replace(',', "/").replace(';', "#"), &l[72..])
            }
            _ => format!("{l}\n"),
        })
        .collect();
    let exponents = text.replace("E-1", "D-1");
    for (what, form) in [
        ("carriage returns", text.replace('\n', "\r")),
        ("both line ends", text.replace('\n', "\r\n")),
        ("no line ends", padded),
        ("blanks trimmed", trimmed),
        ("empty lines", doubled),
        ("exponents with D", exponents),
        ("other delimiters", other),
    ] {
        let found = read("a.igs", form.as_bytes()).unwrap_or_else(|e| panic!("{what}: {e}"));
        assert_eq!(found.model.unit.as_ref().map(|u| u.millimetres), Some(25.4), "{what}");
        assert_eq!(sums(&found), expected, "{what}");
    }
}

#[test]
fn what_leads_back_to_itself_is_told_not_followed() {
    let file = |data: &str| format!("ISO-10303-21;HEADER;ENDSEC;DATA;{data}ENDSEC;END-ISO-10303-21;");
    for data in [
        // A curve of itself twice over: followed, it would double with every step.
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=GEOMETRIC_CURVE_SET('',(#3));#3=COMPOSITE_CURVE('',(#4,#4),.F.);#4=COMPOSITE_CURVE_SEGMENT(.CONTINUOUS.,.T.,#3);",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=MAPPED_ITEM('',#3,#5);#3=REPRESENTATION_MAP(#5,#1);#5=AXIS2_PLACEMENT_3D('',#6,$,$);#6=CARTESIAN_POINT('',(0.,0.,0.));",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=MANIFOLD_SOLID_BREP('',#3);#3=ORIENTED_CLOSED_SHELL('',*,#3,.T.);",
        "#1=SHAPE_REPRESENTATION('',(#2),#9);#2=MANIFOLD_SOLID_BREP('',#3);#3=CLOSED_SHELL('',(#4));#4=ADVANCED_FACE('',(),#5,.T.);#5=OFFSET_SURFACE('',#5,1.,.F.);",
    ] {
        let error = read("a.step", file(data).as_bytes()).expect_err("nothing to be had");
        assert!(error.to_string().contains("holds no geometry"), "{error}");
    }
    let deep = format!("#1=A({}{});", "(".repeat(100_000), ")".repeat(100_000));
    assert!(read("a.step", file(&deep).as_bytes()).is_err());
}

#[test]
fn what_is_missing_or_of_the_wrong_type_is_counted_and_the_rest_read() {
    let text = String::from_utf8(reference("step/pump-foot-ap214-mm.step")).expect("ASCII");
    let (head, all, tail) = statements(&text);
    let without = |kind: &str| -> String {
        let mut left = 1;
        let keep = all.iter().filter(|s| !(s.contains(kind) && std::mem::replace(&mut left, 0) == 1));
        format!("{head}{}{tail}", keep.cloned().collect::<String>())
    };
    for kind in ["CYLINDRICAL_SURFACE", "EDGE_CURVE", "ADVANCED_FACE"] {
        let design = read("a.step", without(kind).as_bytes()).expect("the rest");
        assert!(!design.skipped.is_empty(), "without one {kind}: nothing told");
        assert!((10..=13).contains(&design.faces), "without one {kind}: {} faces", design.faces);
    }
    let wrong = text.replacen("CYLINDRICAL_SURFACE", "SOME_OTHER_SURFACE", 1);
    let design = read("a.step", wrong.as_bytes()).expect("the rest");
    assert!(design.skipped.iter().any(|s| s.what == "SOME_OTHER_SURFACE"), "{:?}", design.skipped);
}

#[test]
fn a_million_entities_are_indexed() {
    let mut text = String::from("ISO-10303-21;HEADER;ENDSEC;DATA;");
    for i in 1..=1_000_000 {
        text += &format!("#{i}=DIRECTION('',(0.,0.,1.));");
    }
    text += "ENDSEC;END-ISO-10303-21;";
    let file = File::index("a.step", text.as_bytes(), &Watch::default()).expect("an index");
    assert_eq!(file.len(), 1_000_000);
    assert!(file.entity(999_999).is_some_and(|e| e.is_ok()));
}

const FILES: [&str; 8] = [
    "step/frustum-ap203-inch.step",
    "step/sphere-ap242-m.step",
    "step/rounded-plate-ap214-mm.step",
    "step/torus-ap203-inch.step",
    "iges/frustum-surfaces-mm.igs",
    "iges/sphere-brep-in.igs",
    "iges/torus-surfaces-mm.igs",
    "iges/rounded-plate-brep-in.igs",
];

/// Reads, and does with the result what the product would do: no panic, no hang.
fn survive(name: &str, bytes: &[u8]) {
    if let Ok(design) = read(name, bytes) {
        for part in &design.model.parts {
            let deviation = 0.01 * part.shape.rough_size();
            let coarse = Fineness { deviation, angle: 40.0, largest: None, smallest: None, even: false };
            let _ = figures(&part.shape, Reader::Rebuilding);
            // Also a length that has nothing to do with what the damage made of the size.
            let asked = Fineness { deviation: 1.0, ..coarse };
            if part.shape.rough_size() < 1e4 {
                let _ = facet(&part.shape, &asked, Reader::Trusting, &Watch::default());
            }
            let _ = facet(&part.shape, &coarse, Reader::Trusting, &Watch::default());
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// The order of entities means nothing.
    #[test]
    fn shuffled_entities_say_the_same(order in Just((0..10_000_usize).collect::<Vec<_>>()).prop_shuffle(), which in 0..3usize) {
        let name = FILES[which];
        let text = String::from_utf8(reference(name)).expect("ASCII");
        let (head, all, tail) = statements(&text);
        let shuffled: String = order.iter().filter_map(|i| all.get(*i)).cloned().collect();
        let found = read(name, format!("{head}{shuffled}{tail}").as_bytes()).expect("readable");
        prop_assert_eq!(sums(&found), sums(&read(name, text.as_bytes()).expect("readable")));
    }

    #[test]
    fn truncated_files_give_an_error_or_a_part(which in 0..FILES.len(), at in 0.0..1.0f64) {
        let bytes = reference(FILES[which]);
        survive(FILES[which], &bytes[..(bytes.len() as f64 * at) as usize]);
    }

    #[test]
    fn damaged_bytes_never_panic(which in 0..FILES.len(), hits in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..30)) {
        let mut bytes = reference(FILES[which]);
        for (at, b) in hits {
            let i = at.index(bytes.len());
            bytes[i] = b;
        }
        survive(FILES[which], &bytes);
    }

    /// Numbers and references that lie: any other number of the file, huge, tiny or negative.
    #[test]
    fn lying_numbers_never_panic(which in 0..FILES.len(), hits in prop::collection::vec((any::<prop::sample::Index>(), 0..9usize), 1..8)) {
        let text = String::from_utf8(reference(FILES[which])).expect("ASCII");
        let digits: Vec<usize> = text.bytes().enumerate().filter(|(_, b)| b.is_ascii_digit()).map(|(i, _)| i).collect();
        let mut bytes = text.into_bytes();
        for (at, what) in hits {
            let i = digits[at.index(digits.len())];
            let lie: &[u8] = [b"0" as &[u8], b"9", b"-", b"1", b"7", b"E", b".", b"2", b"$"][what];
            bytes[i] = lie[0];
        }
        survive(FILES[which], &bytes);
    }
}

/// IGES 5.3, 4.30, from memory: a curve to the left of another about a normal, by a distance that may change evenly with
/// the parameter or with the length.
#[test]
fn offset_curves_grow_along_what_they_follow() {
    let line = e(110, "0.,0.,0.,10.,0.,0.");
    // A quarter of a circle around the origin, from (10, 0) to (0, 10).
    let arc = e(100, "0.,0.,0.,10.,0.,0.,10.");
    let by = |flag: u32, unit: u32, d: &str, ends: &str| format!("1,{flag},0,0,{unit},{d},0.,0.,1.,{ends}");
    let quarter = std::f64::consts::FRAC_PI_2;
    for (base, data, from, to) in [
        (&line, by(1, 0, "1.,0.,0.,0.", "0.,1."), [0.0, 1.0], [10.0, 1.0]),
        (&line, by(2, 2, "1.,0.,2.,1.", "0.,1."), [0.0, 1.0], [10.0, 2.0]),
        (&line, by(2, 1, "1.,0.,3.,10.", "0.,1."), [0.0, 1.0], [10.0, 3.0]),
        (&arc, by(2, 2, &format!("0.,0.,3.,{quarter}"), &format!("0.,{quarter}")), [10.0, 0.0], [0.0, 7.0]),
        (&arc, by(2, 1, &format!("0.,0.,4.,{}", 10.0 * quarter), &format!("0.,{quarter}")), [10.0, 0.0], [0.0, 6.0]),
    ] {
        let design = read("offset.igs", &iges_file("2HMM", 2, 1.0, &[base.clone(), e(130, &data)])).expect("readable");
        let shape = &design.model.parts[PartId(0)].shape;
        let ends = |w: &EdgeId| {
            let edge = &shape.edges[*w];
            edge.range.map(|t| edge.curve.point(t))
        };
        let near = |p: [f64; 3], q: [f64; 2]| (p[0] - q[0]).hypot(p[1] - q[1]) < 1e-9 && p[2] == 0.0;
        assert!(shape.wires.iter().map(ends).any(|[p, q]| near(p, from) && near(q, to)), "{data}: {shape:?}");
    }
    let spline = e(126, "1,1,0,0,1,0,0.,0.,1.,1.,1.,1.,0.,0.,0.,10.,0.,0.,0.,1.,0.,0.,1.");
    let design = read("offset.igs", &iges_file("2HMM", 2, 1.0, &[spline, e(130, &by(3, 2, "1.,0.,2.,1.", "0.,1."))]))
        .expect("readable");
    assert!(design.skipped.iter().any(|s| s.what.contains("offset curves")), "{:?}", design.skipped);
}

/// Points that stand for themselves are not shown; that is told, and what stands beside them is read.
#[test]
fn free_points_are_told() {
    let line = e(110, "0.,0.,0.,10.,0.,0.");
    let design = read("points.igs", &iges_file("2HMM", 2, 1.0, &[line, e(116, "1.,2.,3.,0"), e(116, "4.,5.,6.,0")]))
        .expect("readable");
    let told = |d: &Design| d.skipped.iter().map(|s| (s.count, s.what.clone())).collect::<Vec<_>>();
    assert_eq!(told(&design), [(2, "points (type 116)".to_string())]);
    assert_eq!(design.model.parts[PartId(0)].shape.wires.len(), 1);
    let data = "#1=CARTESIAN_POINT('',(0.,0.,0.));#2=CARTESIAN_POINT('',(5.,0.,0.));#3=POLYLINE('',(#1,#2));\
                #4=GEOMETRIC_SET('',(#3,#1,#2));#5=(GEOMETRIC_REPRESENTATION_CONTEXT(3)REPRESENTATION_CONTEXT('',''));\
                #6=GEOMETRICALLY_BOUNDED_SURFACE_SHAPE_REPRESENTATION('',(#4),#5);";
    let head = "ISO-10303-21;HEADER;FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));ENDSEC;DATA;";
    let design = read("points.step", format!("{head}{data}ENDSEC;END-ISO-10303-21;").as_bytes()).expect("readable");
    assert_eq!(told(&design), [(2, "points in geometric sets".to_string())]);
    assert_eq!(design.model.parts[PartId(0)].shape.wires.len(), 1);
}
