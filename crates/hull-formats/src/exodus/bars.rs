//! Bars between nodes: a block for each section with its figures as attributes, node sets for what holds them, and named sets
//! of nodes and of bars.

use super::{begin, list, places, table};
use crate::netcdf::{File, Values, Writer};

/// Bars that are made alike.
pub struct Block {
    /// As it is called.
    pub name: String,
    /// Nodes at the ends of each, from nought.
    pub ends: Vec<[u32; 2]>,
    /// Figures that all of them have, by name.
    pub figures: Vec<(&'static str, f64)>,
}

/// Nodes, or bars in the order of the blocks, under a name; from nought.
pub type Named = (String, Vec<u32>);

/// What a file of bars holds, as it was read back.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Bars {
    /// Places of the nodes.
    pub points: Vec<[f64; 3]>,
    /// By block: its name and the ends of its bars.
    pub blocks: Vec<(String, Vec<[u32; 2]>)>,
    /// Node sets.
    pub nodes: Vec<Named>,
    /// Element sets.
    pub bars: Vec<Named>,
}

/// How sets of a kind are called in a file: what their list begins with, and its dimension; the members of one, and theirs.
struct SetNames {
    list: [&'static str; 2],
    own: [&'static str; 2],
}

const NODES: SetNames = SetNames { list: ["ns", "num_node_sets"], own: ["node_ns", "num_nod_ns"] };
const BARS: SetNames = SetNames { list: ["els", "num_elem_sets"], own: ["elem_els", "num_ele_els"] };

/// Writes bars, with sets of nodes and of bars; empty sets are left out.
pub fn write(points: &[[f64; 3]], blocks: &[Block], nodes: &[Named], bars: &[Named]) -> Vec<u8> {
    let mut w = Writer::default();
    let sets = [(NODES, nodes), (BARS, bars)].map(|(names, all)| {
        let some: Vec<&Named> = all.iter().filter(|s| !s.1.is_empty()).collect();
        (names, some)
    });
    let (name_length, node) = begin(&mut w, points, blocks.iter().map(|b| b.ends.len()).sum());
    let names: Vec<&str> = blocks.iter().map(|b| b.name.as_str()).collect();
    let dim = w.dim("num_el_blk", blocks.len());
    list(&mut w, "eb", [dim, name_length], &names);
    for (SetNames { list: [prefix, dim], .. }, some) in sets.iter().filter(|s| !s.1.is_empty()) {
        let dim = w.dim(dim, some.len());
        let names: Vec<&str> = some.iter().map(|s| s.0.as_str()).collect();
        list(&mut w, prefix, [dim, name_length], &names);
    }
    places(&mut w, node, points);
    for (i, block) in (1..).zip(blocks) {
        let elements = w.dim(&format!("num_el_in_blk{i}"), block.ends.len());
        let each = w.dim(&format!("num_nod_per_el{i}"), 2);
        let kind = [("elem_type", Values::Text(b"BEAM2".to_vec()))];
        let connect = Values::Int(block.ends.iter().flatten().map(|p| *p as i32 + 1).collect());
        w.var(&format!("connect{i}"), &[elements, each], &kind, connect);
        if block.figures.is_empty() {
            continue;
        }
        let figures = w.dim(&format!("num_att_in_blk{i}"), block.figures.len());
        let all = block.ends.iter().flat_map(|_| block.figures.iter().map(|f| f.1)).collect();
        w.var(&format!("attrib{i}"), &[elements, figures], &[], Values::Double(all));
        let names: Vec<&str> = block.figures.iter().map(|f| f.0).collect();
        w.var(&format!("attrib_name{i}"), &[figures, name_length], &[], table(&names));
    }
    for (SetNames { own: [name, dim], .. }, some) in &sets {
        for (i, (_, own)) in (1..).zip(some) {
            let dim = w.dim(&format!("{dim}{i}"), own.len());
            let numbers = Values::Int(own.iter().map(|p| *p as i32 + 1).collect());
            w.var(&format!("{name}{i}"), &[dim], &[], numbers);
        }
    }
    w.finish()
}

/// Reads what [`write`] wrote.
///
/// # Errors
/// A sentence.
pub fn read(bytes: &[u8]) -> Result<Bars, String> {
    let file = File::of(bytes)?;
    let numbers = |name: &str| file.var(name).map(|v| file.numbers(v)).transpose();
    let axis = |name: &str| numbers(name)?.ok_or_else(|| format!("the file has no {name}"));
    let (x, y, z) = (axis("coordx")?, axis("coordy")?, axis("coordz")?);
    if x.len() != y.len() || x.len() != z.len() {
        return Err("the nodes have not all their coordinates".into());
    }
    let mut out = Bars { points: (0..x.len()).map(|i| [x[i], y[i], z[i]]).collect(), ..Bars::default() };
    let from_nought = |n: &f64| (*n as u32).saturating_sub(1);
    for (i, name) in (1..).zip(file.lines("eb_names")) {
        let all = numbers(&format!("connect{i}"))?.ok_or("a block has no bars")?;
        let ends = all.as_chunks::<2>().0.iter().map(|e| [from_nought(&e[0]), from_nought(&e[1])]).collect();
        out.blocks.push((name, ends));
    }
    let sets = |SetNames { list: [prefix, _], own: [own, _] }: SetNames| -> Result<Vec<Named>, String> {
        let one = |(i, name): (u32, String)| {
            let all = numbers(&format!("{own}{i}"))?.ok_or_else(|| format!("the set {name} holds nothing"))?;
            Ok((name, all.iter().map(from_nought).collect()))
        };
        (1..).zip(file.lines(&format!("{prefix}_names"))).map(one).collect()
    };
    (out.nodes, out.bars) = (sets(NODES)?, sets(BARS)?);
    Ok(out)
}
