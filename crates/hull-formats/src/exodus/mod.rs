//! Exodus II on the classic form of netCDF: blocks of elements, side sets and node sets with names. After L. Schoof and V. Yarberry,
//! EXODUS II: A Finite Element Data Model, SAND92-2137, and its later additions of names.

pub mod bars;

use crate::format::{Carries, FileFormat, Surface};
use crate::naming::distinct;
use crate::netcdf::{File, Values, Writer};
use crate::vtk::cells::{Cells, Column};
use crate::{Content, Format, ReadError, Received};
use hull_geometry::Watch;

/// Exodus II.
pub const FORMAT: FileFormat = FileFormat {
    id: "exodus",
    title: "Exodus II",
    endings: &["exo", "e", "ex2", "g"],
    declares: "no unit; blocks, side sets and node sets by name",
    needs_unit: false,
    carries: Carries::Facets,
    sniff: |bytes| bytes.starts_with(b"CDF") && matches!(bytes.get(3), Some(1 | 2 | 5)),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Facets),
    write: Some(write),
    write_points: None,
    write_lines: None,
    gather: None,
};

/// Characters of a name at most, its end mark not counted.
pub const NAME: usize = 32;

/// # Errors
/// [`ReadError`].
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    contents(bytes, watch).map_err(|why| ReadError::whole(name, why)).and_then(|r| {
        watch.check()?;
        Ok(r)
    })
}

fn contents(bytes: &[u8], watch: &Watch) -> Result<Received, String> {
    let file = File::of(bytes)?;
    let axis = |names: [&str; 2], k: usize, n: usize| -> Result<Vec<f64>, String> {
        if let Some(v) = file.var(names[0]) {
            return file.numbers(v);
        }
        // Older files keep all coordinates in one table.
        match file.var(names[1]) {
            Some(v) => {
                let all = file.numbers(v)?;
                Ok(all.get(k * n..(k + 1) * n).map_or(vec![0.0; n], <[f64]>::to_vec))
            }
            None => Ok(vec![0.0; n]),
        }
    };
    let claimed = file.dim("num_nodes").ok_or("the file tells no nodes: it is netCDF, but not Exodus II")?;
    if claimed > bytes.len() {
        return Err(format!("{claimed} nodes are claimed, more than {} bytes can hold", bytes.len()));
    }
    let [x, y, z] = [("coordx", 0), ("coordy", 1), ("coordz", 2)].map(|(v, k)| axis([v, "coord"], k, claimed));
    let (x, y, z) = (x?, y?, z?);
    if x.len() != y.len() || (z.len() != x.len() && !z.is_empty()) {
        return Err("the nodes have not all their coordinates".into());
    }
    let points: Vec<[f64; 3]> =
        x.iter().zip(&y).enumerate().map(|(i, (x, y))| [*x, *y, z.get(i).copied().unwrap_or(0.0)]).collect();
    if let Some(i) = points.iter().position(|p| p.iter().any(|c| !c.is_finite())) {
        return Err(format!("node {} is not finite", i + 1));
    }
    let names = file.lines("eb_names");
    let count = points.len();
    let mut cells = Cells::of(points);
    let mut part = Vec::new();
    let mut called: Vec<String> = Vec::new();
    for block in 1.. {
        let Some(var) = file.var(&format!("connect{block}")) else { break };
        if watch.check().is_err() {
            return Err("cancelled".into());
        }
        let kind = var.texts.iter().find(|t| t.0 == "elem_type").map_or("", |t| t.1.trim_end_matches(['\0', ' ']));
        let each = var.shape.get(1).copied().unwrap_or(0);
        let code = code_of(kind, each);
        let own = file.numbers(var)?;
        for (i, element) in own.chunks(each.max(1)).enumerate() {
            let node = |n: &f64| (*n >= 1.0 && *n <= count as f64).then(|| *n as u32 - 1);
            let nodes: Option<Vec<u32>> = element.iter().map(node).collect();
            let nodes = nodes.ok_or_else(|| {
                format!("element {} of block {block} names a node that is not there: there are {count}, from 1", i + 1)
            })?;
            cells.add(code, &nodes)?;
            part.push(f64::from(block) - 1.0);
        }
        let name = names.get(block as usize - 1).filter(|n| !n.is_empty());
        called.push(name.cloned().unwrap_or_else(|| format!("block {block}")));
    }
    if called.is_empty() {
        return Err("the file has no block of elements".into());
    }
    let column = Column { name: "part".into(), values: part };
    Ok(cells.finish(Format::Exodus, vec![column], 0, &called))
}

/// The number of VTK for an element's type: [`Cells`] counts in those.
fn code_of(kind: &str, nodes: usize) -> i64 {
    let word: String = kind.chars().take_while(|c| c.is_ascii_alphabetic()).collect::<String>().to_uppercase();
    match (word.as_str(), nodes) {
        ("SPHERE" | "CIRCLE", _) => 1,
        ("BAR" | "BEAM" | "TRUSS" | "EDGE" | "ROD", 2) => 3,
        ("BAR" | "BEAM" | "TRUSS" | "EDGE" | "ROD", 3) => 21,
        (_, 3) => 5,
        ("TRI" | "TRIANGLE" | "TRISHELL", 6) => 22,
        ("TETRA" | "TET", 4) => 10,
        ("TETRA" | "TET", 10) => 24,
        ("PYRAMID", 5) => 14,
        ("PYRAMID", 13) => 27,
        ("WEDGE", 6) => 13,
        ("WEDGE", 15) => 26,
        ("HEX" | "HEXAHEDRON", 8) => 12,
        ("HEX" | "HEXAHEDRON", 20) => 25,
        (_, 4) => 9,
        (_, 8) => 23,
        (_, 9) => 28,
        _ => -1,
    }
}

/// What every file begins with: its dimensions and attributes. Gives the dimensions of a name and of the nodes.
fn begin(w: &mut Writer, points: &[[f64; 3]], elements: usize) -> (usize, usize) {
    let record = w.dim("time_step", 0);
    w.dim("len_string", NAME + 1);
    w.dim("len_line", 81);
    w.dim("four", 4);
    let name_length = w.dim("len_name", NAME + 1);
    let three = w.dim("num_dim", 3);
    let nodes = w.dim("num_nodes", points.len());
    w.dim("num_elem", elements);
    w.attribute("api_version", Values::Single(vec![7.0]));
    w.attribute("version", Values::Single(vec![7.0]));
    w.attribute("floating_point_word_size", Values::Int(vec![8]));
    w.attribute("file_size", Values::Int(vec![1]));
    w.attribute("maximum_name_length", Values::Int(vec![NAME as i32]));
    w.attribute("title", Values::Text(b"Ready Hull".to_vec()));
    w.var("time_whole", &[record], &[], Values::Double(Vec::new()));
    w.var("coor_names", &[three, name_length], &[], table(&["x", "y", "z"]));
    (name_length, nodes)
}

/// Names, each with the marks that fill its line.
fn table(names: &[&str]) -> Values {
    let line = |n: &&str| {
        let mut bytes: Vec<u8> = n.bytes().take(NAME).collect();
        bytes.resize(NAME + 1, 0);
        bytes
    };
    Values::Text(names.iter().flat_map(line).collect())
}

/// The list of blocks or of sets: that each is there, its number from one, its name.
fn list(w: &mut Writer, prefix: &str, [dim, name_length]: [usize; 2], names: &[&str]) {
    let id = [("name", Values::Text(b"ID".to_vec()))];
    w.var(&format!("{prefix}_status"), &[dim], &[], Values::Int(vec![1; names.len()]));
    w.var(&format!("{prefix}_prop1"), &[dim], &id, Values::Int((1..=names.len() as i32).collect()));
    w.var(&format!("{prefix}_names"), &[dim, name_length], &[], table(names));
}

fn places(w: &mut Writer, nodes: usize, points: &[[f64; 3]]) {
    for (k, axis) in ["coordx", "coordy", "coordz"].into_iter().enumerate() {
        w.var(axis, &[nodes], &[], Values::Double(points.iter().map(|p| p[k]).collect()));
    }
}

/// A block of triangles for each part, with a side set of its front sides and a node set under the same name.
pub fn write(s: &Surface) -> Vec<u8> {
    let mut w = Writer::default();
    let facets: usize = s.parts.iter().map(|p| p.facets.len()).sum();
    let parts: Vec<&crate::NamedFacets> = s.parts.iter().filter(|p| !p.facets.is_empty()).collect();
    let (name_length, nodes) = begin(&mut w, &s.mesh.points.raw, facets);
    let blocks = w.dim("num_el_blk", parts.len());
    let sides = w.dim("num_side_sets", parts.len());
    let sets = w.dim("num_node_sets", parts.len());
    let titles = distinct(parts.iter().map(|p| p.name.trim().to_string()), NAME, &[]);
    let names: Vec<&str> = titles.iter().map(String::as_str).collect();
    for (prefix, dim) in [("eb", blocks), ("ss", sides), ("ns", sets)] {
        list(&mut w, prefix, [dim, name_length], &names);
    }
    places(&mut w, nodes, &s.mesh.points.raw);
    let mut first = 1_i32;
    for (i, part) in (1..).zip(&parts) {
        let n = part.facets.len();
        let corners: Vec<u32> = part.facets.iter().flat_map(|f| s.mesh.triangles[*f]).map(|p| p.0).collect();
        let elements = w.dim(&format!("num_el_in_blk{i}"), n);
        let each = w.dim(&format!("num_nod_per_el{i}"), 3);
        let kind = [("elem_type", Values::Text(b"TRI3".to_vec()))];
        let connect = Values::Int(corners.iter().map(|p| *p as i32 + 1).collect());
        w.var(&format!("connect{i}"), &[elements, each], &kind, connect);
        let side = w.dim(&format!("num_side_ss{i}"), n);
        w.var(&format!("elem_ss{i}"), &[side], &[], Values::Int((first..first + n as i32).collect()));
        // Of a triangle in space side 1 is its front.
        w.var(&format!("side_ss{i}"), &[side], &[], Values::Int(vec![1; n]));
        let mut own = corners;
        own.sort_unstable();
        own.dedup();
        let node = w.dim(&format!("num_nod_ns{i}"), own.len());
        w.var(&format!("node_ns{i}"), &[node], &[], Values::Int(own.iter().map(|p| *p as i32 + 1).collect()));
        first += n as i32;
    }
    w.finish()
}
