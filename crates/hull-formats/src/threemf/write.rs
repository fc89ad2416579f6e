//! A surface as a package with one object, whose materials are named as its parts are.

use crate::format::Surface;
use hull_geometry::Unit;
use quick_xml::escape::escape;
use std::fmt::Write as _;
use std::io::{Cursor, Write as _};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

const TYPES: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>"#;
const RELATIONS: &str = r#"<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Target="/3D/3dmodel.model" Id="rel0" Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>"#;
/// Colours of materials, one after the other.
const COLOURS: [&str; 6] = ["#8A9BA8", "#C98B4E", "#6E9075", "#9A7AA0", "#B0A160", "#5F87A8"];

/// Writes a surface; numbers stay as they are, in the unit that is declared.
pub fn write(s: &Surface) -> Vec<u8> {
    let unit = match s.unit.unwrap_or(Unit::Mm) {
        Unit::Mm => "millimeter",
        Unit::Cm => "centimeter",
        Unit::M => "meter",
        Unit::In => "inch",
        Unit::Ft => "foot",
    };
    let named = s.parts.iter().any(|p| !p.name.is_empty());
    let mut x = String::with_capacity(s.mesh.points.len() * 60 + s.mesh.triangles.len() * 50);
    // Writing to memory cannot fail.
    let _ = write!(
        x,
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<model unit=\"{unit}\" xml:lang=\"en-US\" \
         xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\">\n<resources>\n"
    );
    if named {
        x.push_str("<basematerials id=\"1\">\n");
        for (part, colour) in s.parts.iter().zip(COLOURS.iter().cycle()) {
            let _ = writeln!(x, "<base name=\"{}\" displaycolor=\"{colour}\"/>", escape(part.name));
        }
        x.push_str("</basematerials>\n");
    }
    let of_all = if named { " pid=\"1\" pindex=\"0\"" } else { "" };
    let _ = write!(x, "<object id=\"2\" type=\"model\"{of_all}>\n<mesh>\n<vertices>\n");
    for [a, b, c] in &s.mesh.points {
        let _ = writeln!(x, "<vertex x=\"{a}\" y=\"{b}\" z=\"{c}\"/>");
    }
    x.push_str("</vertices>\n<triangles>\n");
    for (i, part) in s.parts.iter().enumerate() {
        for f in part.facets {
            let [a, b, c] = s.mesh.triangles[*f].map(|p| p.0);
            let _ = write!(x, "<triangle v1=\"{a}\" v2=\"{b}\" v3=\"{c}\"");
            if named {
                let _ = write!(x, " pid=\"1\" p1=\"{i}\"");
            }
            x.push_str("/>\n");
        }
    }
    x.push_str("</triangles>\n</mesh>\n</object>\n</resources>\n<build>\n<item objectid=\"2\"/>\n</build>\n</model>\n");
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (path, text) in [("[Content_Types].xml", TYPES), ("_rels/.rels", RELATIONS), ("3D/3dmodel.model", &x)] {
        // Neither can writing a zip to memory, but for more than 4 GB in one part.
        let begun = zip.start_file(path, SimpleFileOptions::default().large_file(text.len() > 0xffff_0000));
        drop(begun.map(|()| zip.write_all(text.as_bytes())));
    }
    zip.finish().map_or_else(|_| Vec::new(), Cursor::into_inner)
}
