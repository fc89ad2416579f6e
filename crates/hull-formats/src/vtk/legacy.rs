//! The legacy form: a head of words, then sections of counted numbers.

use super::cells::{Cells, Column};
use crate::format::Surface;
use crate::text::{Words, shown};
use crate::{Format, ReadError, Received};
use hull_geometry::{Point, Watch};
use std::io::Write;

/// # Errors
/// [`ReadError`], with the line.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    let mut r = Reader { words: Words::new(name, bytes), binary: false };
    if !bytes.starts_with(b"# vtk DataFile") {
        return Err(r.words.error("the file does not begin with “# vtk DataFile”"));
    }
    r.line();
    r.line();
    r.binary = match r.words.word() {
        b"ASCII" => false,
        b"BINARY" => true,
        other => return Err(r.words.error(format!("“{}” is neither ASCII nor BINARY", shown(other)))),
    };
    let mut file = File::default();
    while let Some(word) = r.keyword() {
        watch.report(r.words.at as f64 / bytes.len() as f64, "reading cells")?;
        file.section(&word, &mut r)?;
    }
    let (Some(mut cells), lists) = (file.cells, file.lists) else {
        return Err(r.words.error("the file has no points"));
    };
    for (kinds, list) in lists {
        list.each(&mut cells, &kinds).map_err(|why| r.words.error(why))?;
    }
    Ok(cells.finish(Format::VtkLegacy, file.columns, file.point_columns, &[]))
}

/// Cells as the file lists them.
struct List {
    /// The first of each cell in `points`, and the end.
    offsets: Vec<usize>,
    points: Vec<i64>,
}

/// What type each cell of a list has.
enum Kinds {
    All(i64),
    Each(Vec<i64>),
}

impl List {
    /// Counts, each with that many numbers behind it.
    fn of_counts(numbers: &[i64], cells: usize) -> Result<List, String> {
        let mut list = List { offsets: vec![0], points: Vec::with_capacity(numbers.len()) };
        let mut at = 0;
        for cell in 0..cells {
            let n = numbers.get(at).and_then(|n| usize::try_from(*n).ok());
            let own = n.and_then(|n| numbers.get(at + 1..(at + 1).checked_add(n)?));
            let own = own.ok_or_else(|| format!("cell {cell} has more points than its list holds"))?;
            list.points.extend_from_slice(own);
            list.offsets.push(list.points.len());
            at += 1 + own.len();
        }
        Ok(list)
    }

    fn each(&self, cells: &mut Cells, kinds: &Kinds) -> Result<(), String> {
        for (i, w) in self.offsets.windows(2).enumerate() {
            let own = self.points.get(w[0]..w[1]).ok_or_else(|| format!("cell {i} is not in its list"))?;
            let known = |p: &i64| u32::try_from(*p).ok().filter(|p| (*p as usize) < cells.points());
            let named: Option<Vec<u32>> = own.iter().map(known).collect();
            let named = named.ok_or_else(|| {
                format!("cell {i} names a point that is not there: there are {}, from 0", cells.points())
            })?;
            let kind = match kinds {
                Kinds::All(kind) => *kind,
                Kinds::Each(kinds) => kinds.get(i).copied().ok_or_else(|| format!("cell {i} has no type"))?,
            };
            cells.add(kind, &named)?;
        }
        Ok(())
    }
}

#[derive(Default)]
struct File {
    cells: Option<Cells>,
    lists: Vec<(Kinds, List)>,
    waiting: Option<List>,
    columns: Vec<Column>,
    point_columns: usize,
    /// Of what columns speak now, and how many there are of it.
    of_cells: Option<bool>,
    items: usize,
}

impl File {
    fn section(&mut self, word: &str, r: &mut Reader) -> Result<(), ReadError> {
        match word {
            "DATASET" => match r.words.word() {
                b"POLYDATA" | b"UNSTRUCTURED_GRID" => {}
                other => {
                    let reason = format!("data sets of kind “{}” hold no facets that can be read", shown(other));
                    return Err(r.words.error(reason));
                }
            },
            "POINTS" => {
                let n = r.count("points")?;
                let kind = r.words.word();
                let numbers = r.numbers(3 * n, kind)?;
                if let Some(i) = numbers.iter().position(|x| !x.is_finite()) {
                    return Err(r.words.error(format!("point {} is not finite", i / 3)));
                }
                self.cells = Some(Cells::of(numbers.as_chunks::<3>().0.to_vec()));
            }
            "VERTICES" | "LINES" | "POLYGONS" | "TRIANGLE_STRIPS" | "CELLS" => {
                let list = r.list()?;
                match word {
                    "VERTICES" => self.lists.push((Kinds::All(2), list)),
                    "LINES" => self.lists.push((Kinds::All(4), list)),
                    "POLYGONS" => self.lists.push((Kinds::All(7), list)),
                    "TRIANGLE_STRIPS" => self.lists.push((Kinds::All(6), list)),
                    _ => self.waiting = Some(list),
                }
            }
            "CELL_TYPES" => {
                let n = r.count("types of cells")?;
                let kinds = r.numbers(n, b"int")?.into_iter().map(|x| x as i64).collect();
                self.lists.extend(self.waiting.take().map(|list| (Kinds::Each(kinds), list)));
            }
            "CELL_DATA" | "POINT_DATA" => {
                self.items = r.count("data")?;
                self.of_cells = Some(word == "CELL_DATA");
            }
            "SCALARS" => {
                let (name, kind) = (r.name(), r.words.word().to_vec());
                let rest = String::from_utf8_lossy(r.words.rest_of_line()).into_owned();
                let each = rest.trim().parse().unwrap_or(1_usize).clamp(1, 9);
                // The table's line stands there in most files.
                let before = r.words.at;
                if r.words.word() == b"LOOKUP_TABLE" {
                    r.words.word();
                } else {
                    r.words.at = before;
                }
                self.column(name, &kind, each, self.items, r)?;
            }
            "VECTORS" | "NORMALS" => {
                let (name, kind) = (r.name(), r.words.word().to_vec());
                self.column(name, &kind, 3, self.items, r)?;
            }
            "TENSORS" => {
                let (name, kind) = (r.name(), r.words.word().to_vec());
                self.column(name, &kind, 9, self.items, r)?;
            }
            "TEXTURE_COORDINATES" => {
                let name = r.name();
                let each = r.count("numbers of a place")?;
                let kind = r.words.word().to_vec();
                self.column(name, &kind, each, self.items, r)?;
            }
            "COLOR_SCALARS" => {
                let (name, each) = (r.name(), r.count("numbers of a colour")?);
                let kind: &[u8] = if r.binary { b"unsigned_char" } else { b"float" };
                self.column(name, kind, each, self.items, r)?;
            }
            "LOOKUP_TABLE" => {
                r.name();
                let n = r.count("colours")?;
                r.numbers(4 * n, if r.binary { b"unsigned_char" } else { b"float" })?;
            }
            "FIELD" => {
                r.name();
                for _ in 0..r.count("arrays")? {
                    let (name, each, items) = (r.name(), r.count("numbers")?, r.count("items")?);
                    let kind = r.words.word().to_vec();
                    self.column(name, &kind, each, items, r)?;
                }
            }
            "METADATA" => while r.words.at < r.words.bytes.len() && !r.line().is_empty() {},
            other => return Err(r.words.error(format!("“{}” begins no section", shown(other.as_bytes())))),
        }
        Ok(())
    }

    fn column(
        &mut self,
        name: String,
        kind: &[u8],
        each: usize,
        items: usize,
        r: &mut Reader,
    ) -> Result<(), ReadError> {
        let n = each.checked_mul(items).ok_or_else(|| r.words.error("a column of too many numbers"))?;
        let values = r.numbers(n, kind)?;
        match self.of_cells {
            Some(true) if each == 1 => self.columns.push(Column { name, values }),
            Some(_) => self.point_columns += 1,
            None => {}
        }
        Ok(())
    }
}

struct Reader<'a> {
    words: Words<'a>,
    binary: bool,
}

impl Reader<'_> {
    fn line(&mut self) -> Vec<u8> {
        let line = self.words.rest_of_line().to_vec();
        self.words.at = (self.words.at + 1).min(self.words.bytes.len());
        line
    }

    /// The next section's word; `None` at the end.
    fn keyword(&mut self) -> Option<String> {
        let word = self.words.word();
        (!word.is_empty()).then(|| String::from_utf8_lossy(word).to_ascii_uppercase())
    }

    fn name(&mut self) -> String {
        shown(self.words.word())
    }

    fn count(&mut self, what: &str) -> Result<usize, ReadError> {
        let word = self.words.word();
        let found: Option<usize> = std::str::from_utf8(word).ok().and_then(|s| s.parse().ok());
        let n = found.ok_or_else(|| self.words.error(format!("“{}” is no number of {what}", shown(word))))?;
        let length = self.words.bytes.len();
        if n > length {
            return Err(self.words.error(format!("{n} {what} are claimed, more than {length} bytes can hold")));
        }
        Ok(n)
    }

    /// Numbers of a type; where they are binary they begin behind the line's end, the most significant byte first.
    fn numbers(&mut self, n: usize, kind: &[u8]) -> Result<Vec<f64>, ReadError> {
        let left = self.words.bytes.len() - self.words.at.min(self.words.bytes.len());
        if !self.binary {
            if n > left {
                return Err(self.words.error(format!("{n} numbers are claimed, more than {left} bytes can hold")));
            }
            return (0..n).map(|_| self.words.number()).collect();
        }
        let width = match kind {
            b"char" | b"unsigned_char" | b"bit" => 1,
            b"short" | b"unsigned_short" => 2,
            b"int" | b"unsigned_int" | b"float" => 4,
            b"double" | b"long" | b"unsigned_long" | b"vtkIdType" | b"vtktypeint64" => 8,
            other => return Err(self.words.error(format!("“{}” is no type of number", shown(other)))),
        };
        while self.words.bytes.get(self.words.at).is_some_and(|b| *b != b'\n') {
            self.words.at += 1;
        }
        let from = self.words.at + 1;
        let end = n.checked_mul(width).and_then(|x| x.checked_add(from));
        let bytes = end.and_then(|end| self.words.bytes.get(from..end));
        let Some(bytes) = bytes else {
            return Err(self.words.error(format!("{n} numbers are claimed, more than {left} bytes can hold")));
        };
        self.words.at = from + bytes.len();
        Ok(bytes.chunks_exact(width).map(|b| big_endian(kind, b)).collect())
    }

    /// A list of cells, as counts with numbers behind them or, from 5.1 on, as offsets and numbers.
    fn list(&mut self) -> Result<List, ReadError> {
        let (cells, size) = (self.count("cells")?, self.count("numbers")?);
        let before = self.words.at;
        if self.words.word() == b"OFFSETS" {
            let kind = self.words.word().to_vec();
            let offsets = self.numbers(cells, &kind)?.into_iter().map(|x| x as usize).collect();
            match self.words.word() {
                b"CONNECTIVITY" => {}
                other => return Err(self.words.error(format!("“{}” where CONNECTIVITY should follow", shown(other)))),
            }
            let kind = self.words.word().to_vec();
            let points = self.numbers(size, &kind)?.into_iter().map(|x| x as i64).collect();
            return Ok(List { offsets, points });
        }
        self.words.at = before;
        let numbers: Vec<i64> = self.numbers(size, b"int")?.into_iter().map(|x| x as i64).collect();
        List::of_counts(&numbers, cells).map_err(|why| self.words.error(why))
    }
}

fn big_endian(kind: &[u8], b: &[u8]) -> f64 {
    match (kind, b) {
        (b"char", [a]) => f64::from(*a as i8),
        (_, [a]) => f64::from(*a),
        (b"unsigned_short", [a, b]) => f64::from(u16::from_be_bytes([*a, *b])),
        (_, [a, b]) => f64::from(i16::from_be_bytes([*a, *b])),
        (b"float", [a, b, c, d]) => f64::from(f32::from_be_bytes([*a, *b, *c, *d])),
        (b"unsigned_int", [a, b, c, d]) => f64::from(u32::from_be_bytes([*a, *b, *c, *d])),
        (_, [a, b, c, d]) => f64::from(i32::from_be_bytes([*a, *b, *c, *d])),
        (b"double", &[a, b, c, d, e, f, g, h]) => f64::from_be_bytes([a, b, c, d, e, f, g, h]),
        (_, &[a, b, c, d, e, f, g, h]) => i64::from_be_bytes([a, b, c, d, e, f, g, h]) as f64,
        _ => f64::NAN,
    }
}

/// Writes triangles as cells of a grid, which more programs read than polygons, with the part of each as a column; names
/// of parts have no place but the title.
pub fn write(s: &Surface) -> Vec<u8> {
    let names: Vec<&str> = s.parts.iter().map(|p| p.name).collect();
    let title: String = names.join(", ").chars().filter(|c| !c.is_control()).take(200).collect();
    let (points, facets) = (s.mesh.points.len(), s.mesh.triangles.len());
    let mut out = format!("# vtk DataFile Version 3.0\n{title}\n").into_bytes();
    // Writing to memory cannot fail.
    let _ = write!(
        out,
        "{}\nDATASET UNSTRUCTURED_GRID\nPOINTS {points} double\n",
        if s.ascii { "ASCII" } else { "BINARY" }
    );
    let put = |out: &mut Vec<u8>, p: &Point| match s.ascii {
        true => drop(writeln!(out, "{} {} {}", p[0], p[1], p[2])),
        false => p.iter().for_each(|x| out.extend(x.to_be_bytes())),
    };
    s.mesh.points.iter().for_each(|p| put(&mut out, p));
    let _ = write!(out, "\nCELLS {facets} {}\n", 4 * facets);
    let number = |out: &mut Vec<u8>, n: u32, end: &str| match s.ascii {
        true => drop(write!(out, "{n}{end}")),
        false => out.extend((n as i32).to_be_bytes()),
    };
    for t in s.parts.iter().flat_map(|p| p.facets).map(|f| s.mesh.triangles[*f]) {
        number(&mut out, 3, " ");
        t.iter().enumerate().for_each(|(k, p)| number(&mut out, p.0, if k < 2 { " " } else { "\n" }));
    }
    let _ = write!(out, "\nCELL_TYPES {facets}\n");
    (0..facets).for_each(|_| number(&mut out, 5, "\n"));
    if s.parts.len() > 1 {
        let _ = write!(out, "\nCELL_DATA {facets}\nSCALARS part int 1\nLOOKUP_TABLE default\n");
        for (i, part) in s.parts.iter().enumerate() {
            part.facets.iter().for_each(|_| number(&mut out, i as u32, "\n"));
        }
    }
    out.push(b'\n');
    out
}
