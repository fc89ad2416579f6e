//! Drawings: lengths and places by closed form, text and binary alike, what leaves read back.

use hull_exact::Motion;
use hull_exact::wires::{CurveKind, Wires};
use hull_formats::{Content, Design, dxf, open};
use hull_geometry::{Unit, Watch};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

/// Group codes with values as text.
fn pairs(all: &[(i32, &str)]) -> String {
    all.iter().map(|(code, value)| format!("{code}\n{value}\n")).collect()
}

/// A drawing in inches with a block “B” of some entities.
fn drawing(block: &str, entities: &str) -> String {
    let head =
        [(0, "SECTION"), (2, "HEADER"), (9, "$INSUNITS"), (70, "1"), (0, "ENDSEC"), (0, "SECTION"), (2, "BLOCKS")];
    let begin = [(0, "BLOCK"), (2, "B"), (10, "0"), (20, "0")];
    let middle = [(0, "ENDBLK"), (0, "ENDSEC"), (0, "SECTION"), (2, "ENTITIES")];
    pairs(&head) + &pairs(&begin) + block + &pairs(&middle) + entities + &pairs(&[(0, "ENDSEC"), (0, "EOF")])
}

fn design(bytes: &[u8]) -> Design {
    match open("a.dxf", bytes, &Watch::default()).unwrap_or_else(|e| panic!("{e}")) {
        Content::Exact(design) => *design,
        other => panic!("lines: {other:?}"),
    }
}

fn lines(design: &Design) -> Vec<hull_exact::wires::Line> {
    Wires { model: design.model.clone(), placed: Motion::NONE }.lines()
}

#[test]
fn each_kind_of_line_has_its_length_by_closed_form_and_stands_on_its_layer() {
    let text = drawing(
        "",
        &(pairs(&[(0, "LINE"), (8, "posts"), (10, "0"), (20, "0"), (30, "0"), (11, "3"), (21, "4"), (31, "12")])
            + &pairs(&[(0, "CIRCLE"), (8, "rings"), (10, "1"), (20, "1"), (40, "2")])
            + &pairs(&[(0, "ARC"), (8, "rings"), (10, "0"), (20, "0"), (40, "3"), (50, "300"), (51, "60")])
            // A bulge of 1 is half a circle, of tan(22.5°) a quarter.
            + &pairs(&[(0, "LWPOLYLINE"), (8, "trim"), (70, "0"), (10, "0"), (20, "0"), (42, "1"), (10, "2"), (20, "0")])
            + &pairs(&[(10, "2"), (20, "5")])
            + &pairs(&[(0, "SPLINE"), (8, "trim"), (71, "1"), (40, "0"), (40, "0"), (40, "1"), (40, "1")])
            + &pairs(&[(10, "0"), (20, "0"), (10, "6"), (20, "8")])
            + &pairs(&[(0, "TEXT"), (1, "a note")])),
    );
    let design = design(text.as_bytes());
    let found: Vec<(String, CurveKind, f64)> =
        lines(&design).into_iter().map(|l| (l.bundle, l.kind, l.length)).collect();
    let expected = [
        ("posts", CurveKind::Straight, 13.0),
        ("rings", CurveKind::Arc, 2.0 * TAU),
        ("rings", CurveKind::Arc, 3.0 * 120_f64.to_radians()),
        ("trim", CurveKind::Chain, PI + 5.0),
        ("trim", CurveKind::Straight, 10.0),
    ];
    assert_eq!(found.len(), expected.len());
    for (f, e) in found.iter().zip(expected) {
        assert_eq!((f.0.as_str(), f.1), (e.0, e.1));
        assert!((f.2 - e.2).abs() < 1e-9, "{f:?} against {}", e.2);
    }
    assert_eq!(design.model.unit.as_ref().map(|u| u.millimetres), Some(25.4));
    assert_eq!(design.annotations[0].what, "texts");
}

/// The same pairs in the binary form; codes of one byte as at first, or of two.
fn binary(text: &str, short_codes: bool) -> Vec<u8> {
    let mut out = b"12345678    Binary DXF\r\n\x1a\0"[4..].to_vec();
    let lines: Vec<&str> = text.lines().collect();
    for pair in lines.as_chunks::<2>().0 {
        let code: i32 = pair[0].parse().unwrap();
        match short_codes {
            true => out.push(code as u8),
            false => out.extend((code as i16).to_le_bytes()),
        }
        match code {
            10..=59 | 210..=239 => out.extend(pair[1].parse::<f64>().unwrap().to_le_bytes()),
            60..=79 => out.extend(pair[1].parse::<i16>().unwrap().to_le_bytes()),
            _ => {
                out.extend(pair[1].as_bytes());
                out.push(0);
            }
        }
    }
    out
}

#[test]
fn blocks_in_themselves_and_files_that_are_cut_are_told() {
    let insert = pairs(&[(0, "INSERT"), (2, "B"), (10, "1"), (20, "0")]);
    let line = pairs(&[(0, "LINE"), (10, "0"), (20, "0"), (11, "1"), (21, "0")]);
    let design = design(drawing(&(line.clone() + &insert), &insert).as_bytes());
    assert!(design.skipped.iter().any(|s| s.what.contains("within itself")), "{:?}", design.skipped);
    // It stands there once: nothing of it is made again within it, where it would grow with the power of the depth.
    assert_eq!(lines(&design).len(), 1);
    // What stands on a sheet of paper is told, not drawn.
    let on_paper = line.replacen("LINE\n", "LINE\n67\n1\n", 1);
    let drawn = self::design(drawing("", &(line.clone() + &on_paper)).as_bytes());
    assert_eq!(lines(&drawn).len(), 1);
    assert_eq!((drawn.annotations[0].what.as_str(), drawn.annotations[0].count), ("entities of sheets of paper", 1));
    let whole = drawing("", &line);
    let cut = &whole[..whole.find("ENDSEC\n0\nEOF").unwrap()];
    let error = open("a.dxf", cut.as_bytes(), &Watch::default()).unwrap_err().to_string();
    assert!(error.contains("cut off") && error.contains("line"), "{error}");
    let bad = whole.replace("\n11\n1\n", "\nelf\n1\n");
    let error = open("a.dxf", bad.as_bytes(), &Watch::default()).unwrap_err().to_string();
    assert!(error.contains("“elf” is not a group code"), "{error}");
}

proptest! {
    /// A circle under any insert is the ellipse that the map makes of it: its length by Ramanujan's second formula, and by
    /// the map of its points; text and both binary forms give the same.
    #[test]
    fn a_circle_in_a_stretched_turned_mirrored_insert_is_an_ellipse(
        sx in prop_oneof![0.2..3.0_f64, -3.0..-0.2_f64], sy in 0.2..3.0_f64, turn in 0.0..360.0_f64, radius in 0.1..10.0_f64,
        at in [-5.0..5.0_f64, -5.0..5.0_f64], normal in 0..3_usize,
    ) {
        let normals = [["0", "0", "1"], ["1", "0", "0"], ["0.6", "0", "-0.8"]][normal];
        let t = |x: f64| x.to_string();
        let circle = pairs(&[(0, "CIRCLE"), (8, "0"), (10, "0"), (20, "0"), (40, &t(radius))]);
        let insert = pairs(&[
            (0, "INSERT"), (8, "ring"), (2, "B"), (10, &t(at[0])), (20, &t(at[1])), (41, &t(sx)), (42, &t(sy)), (50, &t(turn)),
            (210, normals[0]), (220, normals[1]), (230, normals[2]),
        ]);
        let text = drawing(&circle, &insert);
        let found = lines(&design(text.as_bytes()));
        prop_assert_eq!(found.len(), 1);
        prop_assert_eq!(found[0].bundle.as_str(), "ring");
        let (a, b) = (radius * sx.abs(), radius * sy);
        let h = ((a - b) / (a + b)).powi(2);
        let ramanujan = PI * (a + b) * (1.0 + 3.0 * h / (10.0 + (4.0 - 3.0 * h).sqrt()));
        // Its error grows as h⁵: h is below 0.77 here.
        prop_assert!((found[0].length - ramanujan).abs() < 2e-4 * ramanujan, "{} against {}", found[0].length, ramanujan);
        for short in [false, true] {
            let again = lines(&design(&binary(&text, short)));
            prop_assert_eq!(&again, &found);
        }
        // What leaves comes back: kind, length, middle.
        let written = dxf::write_lines(&design(text.as_bytes()).model, &Motion::NONE, Some(Unit::In));
        let back = lines(&design(&written));
        prop_assert_eq!(back.len(), 1);
        prop_assert_eq!(back[0].kind, found[0].kind);
        prop_assert!((back[0].length - found[0].length).abs() < 1e-9 * found[0].length);
        let size = hull_exact::wires::Wires { model: design(text.as_bytes()).model, placed: Motion::NONE }.bounds();
        let again = hull_exact::wires::Wires { model: design(&written).model, placed: Motion::NONE }.bounds();
        for k in 0..3 {
            prop_assert!((size.min[k] - again.min[k]).abs() < 1e-3 * (1.0 + size.diagonal()));
            prop_assert!((size.max[k] - again.max[k]).abs() < 1e-3 * (1.0 + size.diagonal()));
        }
    }
}
