//! Tables of lines by their ends, as spreadsheets write them.

use hull_exact::Motion;
use hull_exact::wires::Wires;
use hull_formats::{Content, Design, open};
use hull_geometry::Watch;
use proptest::prelude::*;

fn read(name: &str, text: &str) -> Result<Design, String> {
    match open(name, text.as_bytes(), &Watch::default()).map_err(|e| e.to_string())? {
        Content::Exact(design) => Ok(*design),
        _ => Err("no lines".into()),
    }
}

/// How long all lines are, and how many.
fn length(design: &Design) -> (usize, f64) {
    let lines = Wires { model: design.model.clone(), placed: Motion::NONE }.lines();
    (lines.len(), lines.iter().map(|l| l.length).sum())
}

#[test]
fn headings_of_many_kinds_name_the_ends_of_lines() {
    let rows = "0,0,0,3,4,0,post\n3,4,0,3,4,12,\"rail\"\n1,1,1,1,1,1,rail\n";
    let headings = [
        "x1,y1,z1,x2,y2,z2,layer",
        "X1 [in],Y1 [in],Z1 [in],X2 [in],Y2 [in],Z2 [in],Layer",
        "\"from x\",\"from y\",\"from z\",\"to x\",\"to y\",\"to z\",\"group\"",
        "start_x (mm),start_y,start_z,end_x,end_y,end_z,section",
        "xa,ya,za,xb,yb,zb,name",
    ];
    let units = [None, Some(25.4), None, Some(1.0), None];
    for (heading, unit) in headings.into_iter().zip(units) {
        let design =
            read("gantry.csv", &format!("# exported\n{heading}\n{rows}")).unwrap_or_else(|e| panic!("{heading}: {e}"));
        assert_eq!(length(&design), (2, 17.0), "{heading}");
        assert_eq!(design.model.unit.as_ref().map(|u| u.millimetres), unit, "{heading}");
        let layers: Vec<&str> = design.model.nodes.iter().map(|n| n.name.as_str()).collect();
        assert_eq!(layers, ["post", "rail"]);
        // The line without length is told.
        assert_eq!(design.skipped[0].count, 1);
    }
    // In the plane, with semicolons and decimal commas, and a column that nobody asked for.
    let plane = read("plan.csv", "nr;x1;y1;x2;y2\n1;0,5;0;3,5;4\n").unwrap();
    assert_eq!(length(&plane), (1, 5.0));
}

#[test]
fn what_is_wrong_is_told_with_its_line_and_points_stay_points() {
    let said = |text: &str| read("t.csv", text).unwrap_err();
    assert!(said("x1,y1,z1,x2,y2,z2\n0,0,0,1,1,one\n").contains("line 2: “one” is not a number"));
    assert!(said("x1,y1,z1,x2,y2,z2\n0,0,0,1,1,1\n0,0,0,1\n").contains("line 3: it has 4 cells, the heading 6"));
    assert!(said("x1,y1,z1,x2,y2,z2\n0,0,0,inf,1,1\n").contains("line 2"));
    assert!(said("x1,y1,z1,x2,y2,z2\n").contains("holds none"));
    assert_eq!(said("x,y,z\n0,0,0\n1,1,1\n"), "no lines");
    assert_eq!(said("x,y,z,r,g,b\n0,0,0,1,2,3\n"), "no lines");
}

proptest! {
    /// What is written is read, digit for digit; cut anywhere it is a sentence or fewer lines, never a panic.
    #[test]
    fn tables_are_read_as_written(rows in prop::collection::vec(prop::array::uniform6(-1e6..1e6_f64), 1..20), cut in 0.0..1.0_f64) {
        let line = |r: &[f64; 6]| r.map(|x| x.to_string()).join(",");
        let text = format!("x1,y1,z1,x2,y2,z2\n{}\n", rows.iter().map(line).collect::<Vec<_>>().join("\n"));
        let design = read("t.csv", &text).unwrap();
        let exact: f64 = rows.iter().map(|r| (0..3).map(|k| (r[k + 3] - r[k]).powi(2)).sum::<f64>().sqrt()).sum();
        let (n, all) = length(&design);
        prop_assert_eq!(n, rows.len());
        prop_assert!((all - exact).abs() <= 1e-9 * exact);
        let short = &text[..(cut * text.len() as f64) as usize];
        if let Ok(design) = read("t.csv", short) {
            prop_assert!(length(&design).0 <= rows.len());
        }
    }
}
