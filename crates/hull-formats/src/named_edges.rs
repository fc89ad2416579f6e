//! Named edges as OBJ lines: points (`v`), one group (`g`) a name, one `l` a straight piece.

use crate::ReadError;
use crate::text::{Words, shown};
use hull_geometry::Point;
use std::collections::HashMap;
use std::io::Write;

/// A name and the straight pieces it stands for.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct NamedEdges {
    /// The loop's name.
    pub name: String,
    /// Its straight pieces.
    pub lines: Vec<[Point; 2]>,
}

/// Writes named edges; numbers have as many digits as bring them back unchanged.
pub fn write(all: &[NamedEdges]) -> Vec<u8> {
    let mut out = Vec::new();
    let mut number: HashMap<[u64; 3], usize> = HashMap::new();
    let mut line = |text: std::fmt::Arguments| {
        // Writing to memory does not fail.
        let _ = out.write_fmt(text);
    };
    for p in all.iter().flat_map(|e| e.lines.as_flattened()) {
        let next = number.len() + 1;
        number.entry(p.map(f64::to_bits)).or_insert_with(|| {
            line(format_args!("v {} {} {}\n", p[0], p[1], p[2]));
            next
        });
    }
    for edges in all {
        line(format_args!("g {}\n", edges.name.replace(|c: char| c.is_control(), " ")));
        for [a, b] in &edges.lines {
            line(format_args!("l {} {}\n", number[&a.map(f64::to_bits)], number[&b.map(f64::to_bits)]));
        }
    }
    out
}

/// Reads what [`write()`] writes.
///
/// # Errors
/// [`ReadError`], with the line.
pub fn read(name: &str, bytes: &[u8]) -> Result<Vec<NamedEdges>, ReadError> {
    let mut words = Words::new(name, bytes);
    let mut points: Vec<Point> = Vec::new();
    let mut all: Vec<NamedEdges> = Vec::new();
    loop {
        match words.word() {
            b"" => return Ok(all),
            b"v" => points.push([words.number()?, words.number()?, words.number()?]),
            b"g" => {
                let name = String::from_utf8_lossy(words.rest_of_line()).into_owned();
                all.push(NamedEdges { name, lines: Vec::new() });
            }
            b"l" => {
                let mut end = || -> Result<Point, ReadError> {
                    let at = words.number()?;
                    let known = points.get((at as usize).wrapping_sub(1)).filter(|_| at.fract() == 0.0 && at > 0.0);
                    known.copied().ok_or_else(|| words.error(format!("there is no point {at}")))
                };
                let line = [end()?, end()?];
                match all.last_mut() {
                    Some(edges) => edges.lines.push(line),
                    None => return Err(words.error("a line stands before the first group")),
                }
            }
            other => return Err(words.error(format!("“{}” is not known here", shown(other)))),
        }
    }
}
