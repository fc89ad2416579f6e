//! 3MF: objects with their places, a unit, and colours or materials of facets (ISO/IEC 25422, core and materials parts).

mod package;
mod parts;
mod rows;
mod write;

pub use write::write;

use crate::affine::Affine;
use crate::assembled::Assembled;
use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, Format, ReadError, Received, Skipped};
use hull_exact::model::DeclaredUnit;
use hull_geometry::{PointId, Watch};
use package::Package;
use parts::{Object, Parts};

/// 3MF.
pub const FORMAT: FileFormat = FileFormat {
    id: "threemf",
    title: "3MF",
    endings: &["3mf"],
    declares: "its unit; names of objects, materials and colours",
    needs_unit: true,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"PK\x03\x04") && memchr::memmem::find(bytes, b"3dmodel.model").is_some(),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(write),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// Objects may stand in objects so deep.
const DEEPEST: usize = 32;
/// Points are placed so often at most: objects that stand in objects multiply.
const MOST: usize = 200_000_000;

/// # Errors
/// [`ReadError`] with the part of the package and the reason.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let mut package = Package::open(name, bytes)?;
    let root = package.root_model()?;
    let mut parts = Parts::default();
    let mut wanted = vec![root.clone()];
    while let Some(path) = wanted.pop() {
        watch.report(0.2, "reading objects")?;
        if !parts.models.contains_key(&path) {
            let text = package.part(&path)?;
            wanted.extend(parts.read(name, &path, &text, watch)?);
        }
    }
    let mut build = Build { file: name, parts: &parts, out: Assembled::default(), lost: 0, watch };
    let Some(model) = parts.models.get(&root) else { return Err(ReadError::whole(name, "the package has no model")) };
    for item in &model.items {
        build.place(&item.path, item.object, &item.placed, 0)?;
    }
    let (out, lost) = (build.out, build.lost);
    let (unit, millimetres) = model.unit;
    let declared = Declared { unit: Some(DeclaredUnit { name: unit.into(), millimetres }), certain: true, up: None };
    let mut skipped = Skipped::some(&[("places of objects that are not there", lost)]);
    skipped.extend(parts.skipped.iter().map(|(what, count)| Skipped { what: what.clone(), count: *count }));
    Ok(out.finish(Format::ThreeMf, declared, skipped))
}

/// Objects put where the build has them.
struct Build<'a> {
    file: &'a str,
    parts: &'a Parts,
    out: Assembled,
    lost: usize,
    watch: &'a Watch,
}

impl Build<'_> {
    fn place(&mut self, path: &str, object: u32, placed: &Affine, depth: usize) -> Result<(), ReadError> {
        self.watch.report(0.7, "placing objects")?;
        let Some(found) = self.parts.models.get(path).and_then(|m| m.objects.get(&object)) else {
            self.lost += 1;
            return Ok(());
        };
        if depth > DEEPEST {
            return Err(ReadError::whole(
                self.file,
                format!("object {object} stands in itself, or in too many others"),
            ));
        }
        if self.out.count_of_points() + found.points.len() > MOST {
            return Err(ReadError::whole(self.file, format!("objects in objects make more than {MOST} points")));
        }
        self.mesh(path, found, placed);
        for component in &found.components {
            self.place(&component.path, component.object, &placed.after(&component.placed), depth + 1)?;
        }
        Ok(())
    }

    fn mesh(&mut self, path: &str, object: &Object, placed: &Affine) {
        let first = self.out.points(&object.points, placed);
        let mirrored = placed.mirrors();
        let mut known = None;
        for (t, property) in object.triangles.iter().zip(&object.properties) {
            // Facets of one property stand together as a rule.
            let label = match known {
                Some((p, label)) if p == *property => label,
                _ => self.out.label(&object.name, self.parts.material(path, *property)),
            };
            known = Some((*property, label));
            self.out.facet(t.map(|k| first + PointId(k)), label, mirrored);
        }
    }
}
