//! Zips of files: what is taken, and what is refused whole.

use hull_formats::archive::unpack;
use hull_formats::stl;
use hull_geometry::shapes::cuboid;
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

pub fn zip(files: &[(&str, &[u8])]) -> Vec<u8> {
    let mut out = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        out.start_file(*name, SimpleFileOptions::default()).unwrap();
        out.write_all(bytes).unwrap();
    }
    out.finish().unwrap().into_inner()
}

#[test]
fn files_of_known_formats_are_taken_with_their_neighbours_and_others_are_named() {
    let cube = cuboid([1.0; 3]);
    let cube = stl::write_whole(&cube);
    let text = r#"{"asset":{"version":"2.0"},"buffers":[{"byteLength":3,"uri":"a%20b.bin"}]}"#;
    let bytes = zip(&[
        ("parts/cube.stl", &cube),
        ("parts/scene.gltf", text.as_bytes()),
        ("parts/a b.bin", b"xyz"),
        ("read me.txt", b"hello"),
        ("__MACOSX/cube.stl", b"no"),
        (".hidden/x.stl", b"no"),
    ]);
    let found = unpack("a.zip", &bytes).unwrap();
    let names: Vec<&str> = found.files.iter().map(|f| f.0.as_str()).collect();
    assert_eq!(names, ["parts/cube.stl", "parts/scene.gltf"]);
    assert_eq!(found.files[0].1, cube);
    assert!(String::from_utf8_lossy(&found.files[1].1).contains("base64,eHl6"), "the neighbour stands in it");
    assert_eq!(found.left, ["parts/a b.bin", "read me.txt"]);
}

#[test]
fn paths_that_lead_out_zips_in_zips_bombs_and_empty_ones_are_refused_with_a_sentence() {
    let zeros = vec![0_u8; 60 << 20];
    for (files, why) in [
        (vec![("../up.stl", &b"x"[..])], "leads out of the zip's folder"),
        (vec![("/root.stl", b"x")], "leads out of the zip's folder"),
        (vec![("a\\b.stl", b"x")], "leads out of the zip's folder"),
        (vec![("cube.stl", b"x"), ("more.zip", b"PK")], "holds files itself"),
        (vec![("zeros.stl", &zeros)], "unpacks to far more"),
        (vec![("notes.txt", b"x")], "none of the 1 files"),
    ] {
        let error = unpack("a.zip", &zip(&files)).unwrap_err().to_string();
        assert!(error.contains(why), "{error}");
    }
    assert!(unpack("a.zip", b"PK\x03\x04 no").unwrap_err().to_string().contains("cannot be opened"));
}
