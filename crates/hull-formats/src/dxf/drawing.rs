//! The drawing as a whole: its unit, blocks where they are inserted, and what is in it.

use super::entities::{Entity, Found};
use super::pairs::{Record, Records};
use crate::affine::Affine;
use crate::{Content, Declared, Design, Format, ReadError, Received, Skipped};
use hull_exact::model::DeclaredUnit;
use hull_geometry::Watch;
use hull_geometry::join::join_equal_points;
use std::collections::{BTreeMap, HashMap};
use typed_index_collections::TiVec;

/// Blocks may stand in blocks so deep.
const DEEPEST: usize = 16;
/// More entities than these are not made out of inserts.
const MOST: usize = 3_000_000;

/// Whether text begins as a drawing does: a group code 0 and the word of a section, after remarks.
pub fn begins(bytes: &[u8]) -> bool {
    let lines = bytes[..bytes.len().min(4000)].split(|b| *b == b'\n').map(<[u8]>::trim_ascii);
    let lines: Vec<&[u8]> = lines.collect();
    let pairs = lines.as_chunks::<2>().0;
    pairs.iter().find(|p| p[0] != b"999").is_some_and(|p| p[0] == b"0" && p[1] == b"SECTION")
}

/// What a drawing says before its entities, and the entities.
#[derive(Default)]
struct Drawing<'a> {
    unit: Option<DeclaredUnit>,
    blocks: HashMap<String, Block<'a>>,
    entities: Vec<Entity<'a>>,
    records: usize,
    /// Whether the end mark is missing.
    unended: bool,
}

/// Entities that are drawn wherever the block is inserted.
#[derive(Default)]
struct Block<'a> {
    base: [f64; 3],
    entities: Vec<Entity<'a>>,
}

/// Reads a drawing: lines only as design geometry, faces as a surface with the lines beside it.
///
/// # Errors
/// [`ReadError`], with line or byte.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Content, ReadError> {
    let drawing = structure(name, bytes, watch)?;
    let mut drawn = Drawn { drawing: &drawing, found: Found::default(), made: 0, within: Vec::new(), watch };
    for entity in &drawing.entities {
        // Frames and heads of sheets of paper are not of the thing that is drawn.
        if entity.record.whole(67) == 1 {
            *drawn.found.annotations.entry("entities of sheets of paper".into()).or_default() += 1;
            continue;
        }
        drawn.place(entity, "0", &Affine::NONE, 0)?;
    }
    let mut found = drawn.found;
    if drawing.unended {
        found.skipped.insert("end mark (EOF) that is missing: all sections are whole".into(), 1);
    }
    content(name, drawing.unit.clone(), drawing.records, found)
}

fn content(name: &str, unit: Option<DeclaredUnit>, records: usize, found: Found) -> Result<Content, ReadError> {
    let said = |all: BTreeMap<String, usize>| -> Vec<Skipped> {
        all.into_iter().map(|(what, count)| Skipped { what, count }).collect()
    };
    let lines = found.bundles.count();
    let (mut skipped, annotations) = (said(found.skipped), said(found.annotations));
    if lines == 0 && found.mesh.triangles.is_empty() {
        let rest: Vec<String> = skipped.iter().chain(&annotations).map(|s| format!("{} {}", s.count, s.what)).collect();
        let rest = if rest.is_empty() { String::new() } else { format!("; it has {}", rest.join(", ")) };
        return Err(ReadError::whole(name, format!("the drawing holds neither lines nor faces{rest}")));
    }
    let model = found.bundles.finish(unit.clone());
    if found.mesh.triangles.is_empty() {
        let (format, schema) = ("DXF".to_string(), String::new());
        let design = Design { format, schema, model, entities: records, skipped, annotations, ..Design::default() };
        return Ok(Content::Exact(Box::new(design)));
    }
    skipped.extend(annotations);
    let points_in_file = found.mesh.points.len();
    let mut mesh = found.mesh;
    join_equal_points(&mut mesh);
    let (labels, label_of) = found.labels.finish(found.label_of);
    let triangles_only = found.faces == mesh.triangles.len();
    Ok(Content::Facets(Received {
        cell_of: if triangles_only { TiVec::new() } else { found.cell_of },
        label_of,
        labels,
        faces_in_file: found.faces,
        points_in_file,
        skipped,
        declared: Declared { unit, ..Declared::default() },
        lines: model,
        ..Received::plain(Format::Dxf, mesh)
    }))
}

fn structure<'a>(name: &'a str, bytes: &'a [u8], watch: &Watch) -> Result<Drawing<'a>, ReadError> {
    let mut records = Records::new(name, bytes);
    let mut drawing = Drawing::default();
    let mut section = String::new();
    let mut block: Option<(String, Block)> = None;
    let mut ended = false;
    while let Some(record) = records.next()? {
        if drawing.records.is_multiple_of(4096) {
            watch.report(0.7 * records.share(), "reading the drawing")?;
        }
        drawing.records += 1;
        match (&*record.word, section.as_str()) {
            (b"SECTION", _) => {
                section = record.text(2);
                if section == "HEADER" {
                    drawing.unit = declared(&record);
                }
            }
            (b"ENDSEC", _) => section.clear(),
            (b"EOF", _) => {
                ended = true;
                break;
            }
            (b"BLOCK", "BLOCKS") => {
                let base = record.point(10).unwrap_or_default();
                block = Some((record.text(2), Block { base, entities: Vec::new() }));
            }
            (b"ENDBLK", "BLOCKS") => drawing.blocks.extend(block.take()),
            (_, "BLOCKS") => {
                if let Some((_, block)) = &mut block {
                    attach(&mut block.entities, record);
                }
            }
            (_, "ENTITIES") => attach(&mut drawing.entities, record),
            _ => {}
        }
    }
    match ended {
        true => Ok(drawing),
        // Some programs leave the end mark out: between sections nothing can be missing that counts.
        false if section.is_empty() && !drawing.entities.is_empty() => {
            drawing.unended = true;
            Ok(drawing)
        }
        false if drawing.records == 0 => Err(ReadError::whole(name, "the file holds no drawing: is it a DXF file?")),
        false => Err(records.error("the file ends before its end mark (EOF): it is cut off")),
    }
}

/// Puts an entity behind the others; a vertex belongs to the one before it.
fn attach<'a>(entities: &mut Vec<Entity<'a>>, record: Record<'a>) {
    match (&*record.word, entities.last_mut()) {
        (b"VERTEX", Some(last)) => last.vertices.push(record),
        _ => entities.push(Entity { record, vertices: Vec::new() }),
    }
}

/// The unit of the header: `$INSUNITS`.
fn declared(header: &Record) -> Option<DeclaredUnit> {
    let at = header.pairs.iter().position(|p| p.0 == 9 && is(&p.1, b"$INSUNITS"))?;
    let code = header.pairs.get(at + 1)?.1.real()? as i64;
    let (name, millimetres) = match code {
        1 => ("inch", 25.4),
        2 => ("foot", 304.8),
        3 => ("mile", 1_609_344.0),
        4 => ("millimetre", 1.0),
        5 => ("centimetre", 10.0),
        6 => ("metre", 1000.0),
        7 => ("kilometre", 1e6),
        8 => ("microinch", 25.4e-6),
        9 => ("mil", 0.0254),
        10 => ("yard", 914.4),
        11 => ("angstrom", 1e-7),
        12 => ("nanometre", 1e-6),
        13 => ("micrometre", 1e-3),
        14 => ("decimetre", 100.0),
        _ => return None,
    };
    Some(DeclaredUnit { name: name.into(), millimetres })
}

fn is(value: &super::pairs::Value, word: &[u8]) -> bool {
    matches!(value, super::pairs::Value::Text(text) if text.as_ref() == word)
}

/// Entities as they are drawn, block by block.
struct Drawn<'a> {
    drawing: &'a Drawing<'a>,
    found: Found,
    made: usize,
    /// Names of the blocks that are being placed, outermost first.
    within: Vec<String>,
    watch: &'a Watch,
}

impl Drawn<'_> {
    /// An entity of a block that stands at `placed`; what is on layer 0 of a block counts as on that of its insert.
    fn place(&mut self, entity: &Entity, outer: &str, placed: &Affine, depth: usize) -> Result<(), ReadError> {
        if self.made.is_multiple_of(4096) {
            self.watch.report(0.75, "placing blocks")?;
        }
        self.made += 1;
        let own = entity.record.text(8);
        let layer = if own.is_empty() || own == "0" { outer } else { &own };
        if &*entity.record.word != b"INSERT" {
            self.found.entity(entity, layer, placed);
            return Ok(());
        }
        let r = &entity.record;
        let name = r.text(2);
        let told = |found: &mut Found, what: String| *found.skipped.entry(what).or_default() += 1;
        let Some(block) = self.drawing.blocks.get(&name) else {
            told(&mut self.found, format!("inserts of a block that is not there, “{name}”"));
            return Ok(());
        };
        // A block within itself would have no end: what it adds grows with the power of the depth.
        if depth >= DEEPEST || self.within.contains(&name) {
            told(&mut self.found, format!("inserts of “{name}” within itself, or in more than {DEEPEST} others"));
            return Ok(());
        }
        self.within.push(name.clone());
        let placed = self.insert(r, (&name, block), layer, placed, depth);
        self.within.pop();
        placed
    }

    /// The entities of a block at every place of an insert.
    fn insert(
        &mut self,
        r: &Record,
        (name, block): (&str, &Block),
        layer: &str,
        placed: &Affine,
        depth: usize,
    ) -> Result<(), ReadError> {
        let scales = [41, 42, 43].map(|code| r.real(code).filter(|x| *x != 0.0).unwrap_or(1.0));
        let (at, turn) = (r.point(10).unwrap_or_default(), r.real(50).unwrap_or(0.0));
        let normal = Affine::of_normal(r.point(210).unwrap_or([0.0, 0.0, 1.0]));
        let counts = [(70, 44), (71, 45)].map(|(n, gap)| (r.whole(n).clamp(1, 1000), r.real(gap).unwrap_or(0.0)));
        for row in 0..counts[1].0 {
            for column in 0..counts[0].0 {
                if self.made + block.entities.len() > MOST {
                    *self.found.skipped.entry(format!("inserts of “{name}” beyond {MOST} entities")).or_default() += 1;
                    return Ok(());
                }
                // Rows and columns turn with the insert, and are not scaled.
                let grid = [column as f64 * counts[0].1, row as f64 * counts[1].1, 0.0];
                let shift = Affine::insert([1.0; 3], turn, at).point(grid);
                let there = placed.after(&normal).after(&Affine::insert(scales, turn, shift));
                let base = Affine { origin: block.base.map(|x| -x), ..Affine::NONE };
                let there = there.after(&base);
                for entity in &block.entities {
                    self.place(entity, layer, &there, depth + 1)?;
                }
            }
        }
        Ok(())
    }
}
