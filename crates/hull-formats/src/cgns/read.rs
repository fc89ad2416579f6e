//! Zones as one surface: sections of triangles, quads, polygons and mixed elements; volumes give their outside.

use super::UNITS;
use crate::vtk::cells::{Cells, Column};
use crate::{Declared, Format, ReadError, Received};
use hdf5_pure::{File, Group};
use hull_exact::model::DeclaredUnit;
use hull_geometry::Watch;

/// Nodes of a file at most: more are no surface.
const MOST_NODES: usize = 100_000;

/// # Errors
/// [`ReadError`].
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<Received, ReadError> {
    watch.report(0.0, "reading the tree")?;
    // The library is young: a defect in it must not end the program.
    let read = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| contents(bytes, watch)));
    let read = read.unwrap_or_else(|_| Err("the file's tree cannot be read".into()));
    watch.check()?;
    read.map_err(|why| ReadError::whole(name, why))
}

/// A node of the tree.
struct Node {
    group: Group,
    name: String,
    label: String,
}

fn told(e: impl std::fmt::Display) -> String {
    format!("the tree cannot be read: {e}")
}

fn children(group: &Group, budget: &mut usize) -> Result<Vec<Node>, String> {
    let mut out = Vec::new();
    for name in group.groups().map_err(told)? {
        *budget = budget.checked_sub(1).ok_or("the file has too many nodes")?;
        let group = group.group(&name).map_err(told)?;
        let attrs = group.attrs().map_err(told)?;
        let label = attrs.get("label").and_then(|a| a.as_str()).unwrap_or_default();
        let label = label.trim_end_matches(['\0', ' ']).to_string();
        out.push(Node { group, name, label });
    }
    Ok(out)
}

fn ints(node: &Node) -> Result<Vec<i64>, String> {
    let set = node.group.dataset(" data").map_err(told)?;
    if let Ok(v) = set.read_i64() {
        return Ok(v);
    }
    Ok(set.read_i32().map_err(told)?.into_iter().map(i64::from).collect())
}

fn reals(node: &Node) -> Result<Vec<f64>, String> {
    let set = node.group.dataset(" data").map_err(told)?;
    if let Ok(v) = set.read_f64() {
        return Ok(v);
    }
    Ok(set.read_f32().map_err(told)?.into_iter().map(f64::from).collect())
}

fn text(node: &Node) -> String {
    let bytes = node.group.dataset(" data").and_then(|d| d.read_i8()).unwrap_or_default();
    String::from_utf8_lossy(&bytes.iter().map(|b| *b as u8).collect::<Vec<_>>()).into_owned()
}

/// Elements of one section.
struct Section {
    name: String,
    kind: i64,
    first: i64,
    list: Vec<i64>,
    offsets: Option<Vec<i64>>,
}

fn contents(bytes: &[u8], watch: &Watch) -> Result<Received, String> {
    let file = File::from_bytes(bytes.to_vec()).map_err(|e| format!("it is no HDF5 that can be read: {e}"))?;
    let mut budget = MOST_NODES;
    let top = children(&file.root(), &mut budget)?;
    let bases: Vec<&Node> = top.iter().filter(|n| n.label == "CGNSBase_t").collect();
    if bases.is_empty() {
        return Err("there is no base in it: it is HDF5, but not CGNS".into());
    }
    let mut declared = Declared::default();
    let (mut points, mut all, mut zones) = (Vec::new(), Vec::new(), 0);
    for base in bases {
        let of_base = children(&base.group, &mut budget)?;
        if let Some(units) = of_base.iter().find(|n| n.label == "DimensionalUnits_t") {
            declared.unit = declared.unit.or_else(|| unit(&text(units)));
        }
        for zone in of_base.iter().filter(|n| n.label == "Zone_t") {
            watch.check().map_err(|e| e.to_string())?;
            zones += 1;
            let first = points.len();
            let of_zone = children(&zone.group, &mut budget)?;
            let grid = of_zone.iter().find(|n| n.label == "GridCoordinates_t");
            let Some(grid) = grid else { continue };
            let axes = children(&grid.group, &mut budget)?;
            let axis = |name: &str| axes.iter().find(|n| n.name == name).map(reals).transpose();
            let x = axis("CoordinateX")?.ok_or_else(|| format!("zone “{}” has no places of its points", zone.name))?;
            let [y, z] = [axis("CoordinateY")?, axis("CoordinateZ")?].map(|a| a.unwrap_or_else(|| vec![0.0; x.len()]));
            if y.len() != x.len() || z.len() != x.len() {
                return Err(format!("the points of zone “{}” have not all their coordinates", zone.name));
            }
            if let Some(i) = (0..x.len()).find(|i| !(x[*i].is_finite() && y[*i].is_finite() && z[*i].is_finite())) {
                return Err(format!("point {} of zone “{}” is not finite", i + 1, zone.name));
            }
            points.extend((0..x.len()).map(|i| [x[i], y[i], z[i]]));
            let mut own = sections(&of_zone, &mut budget)?;
            if own.is_empty() {
                return Err(format!("zone “{}” has no elements: structured zones are not read", zone.name));
            }
            own.sort_by_key(|s| s.first);
            all.push((zone.name.clone(), first, points.len() - first, own));
        }
    }
    if all.is_empty() {
        return Err("the file has no zone with elements".into());
    }
    let mut cells = Cells::of(points);
    let (mut part, mut names) = (Vec::new(), Vec::new());
    for (zone, first, count, sections) in all {
        for section in sections {
            let number = names.len() as f64;
            let before = part.len();
            section.add(&mut cells, first, count, &mut || part.push(number))?;
            if part.len() > before {
                names.push(if zones > 1 { format!("{zone} {}", section.name) } else { section.name });
            }
        }
    }
    let column = Column { name: "part".into(), values: part };
    Ok(Received { declared, ..cells.finish(Format::Cgns, vec![column], 0, &names) })
}

fn unit(text: &str) -> Option<DeclaredUnit> {
    let word = text.get(32..64)?.trim_end_matches(['\0', ' ']);
    let (name, mm) = UNITS.iter().find(|u| u.0 == word)?;
    Some(DeclaredUnit { name: name.to_lowercase(), millimetres: *mm })
}

fn sections(of_zone: &[Node], budget: &mut usize) -> Result<Vec<Section>, String> {
    let mut out = Vec::new();
    for node in of_zone.iter().filter(|n| n.label == "Elements_t") {
        let kind = ints(node)?.first().copied().unwrap_or(0);
        let inner = children(&node.group, budget)?;
        let find = |name: &str| inner.iter().find(|n| n.name == name).map(ints).transpose();
        let first = find("ElementRange")?.and_then(|r| r.first().copied()).unwrap_or(1);
        let list = find("ElementConnectivity")?.ok_or_else(|| format!("section “{}” has no elements", node.name))?;
        let offsets = find("ElementStartOffset")?;
        out.push(Section { name: node.name.clone(), kind, first, list, offsets });
    }
    Ok(out)
}

/// The number of VTK for a type of element, with its points: [`Cells`] counts in those.
fn element(kind: i64) -> Option<(i64, usize)> {
    Some(match kind {
        2 => (1, 1),
        3 => (3, 2),
        4 => (21, 3),
        5 => (5, 3),
        6 => (22, 6),
        7 => (9, 4),
        8 => (23, 8),
        9 => (28, 9),
        10 => (10, 4),
        11 => (24, 10),
        12 => (14, 5),
        14 => (13, 6),
        15 => (26, 15),
        17 => (12, 8),
        18 => (25, 20),
        _ => return None,
    })
}

impl Section {
    fn add(&self, cells: &mut Cells, first: usize, count: usize, added: &mut dyn FnMut()) -> Result<(), String> {
        let told = || format!("section “{}” does not fit its list", self.name);
        let mut one = |kind: i64, own: &[i64]| -> Result<(), String> {
            let known = |p: &i64| (*p >= 1 && *p <= count as i64).then(|| (first as i64 + p - 1) as u32);
            let named: Option<Vec<u32>> = own.iter().map(known).collect();
            let named = named.ok_or_else(|| {
                format!(
                    "an element of section “{}” names a point that is not there: there are {count}, from 1",
                    self.name
                )
            })?;
            cells.add(kind, &named)?;
            added();
            Ok(())
        };
        match (self.kind, &self.offsets) {
            // Mixed: each element begins with its type.
            (20, _) => {
                let mut at = 0;
                while at < self.list.len() {
                    let (kind, n) = element(self.list[at]).ok_or_else(told)?;
                    one(kind, self.list.get(at + 1..at + 1 + n).ok_or_else(told)?)?;
                    at += 1 + n;
                }
            }
            (22, Some(offsets)) => {
                for w in offsets.windows(2) {
                    let range = usize::try_from(w[0]).ok().zip(usize::try_from(w[1]).ok());
                    let own = range.and_then(|(a, b)| self.list.get(a..b)).ok_or_else(told)?;
                    one(7, own)?;
                }
            }
            // Before version 3.4 each polygon begins with its number of points.
            (22, None) => {
                let mut at = 0;
                while at < self.list.len() {
                    let n = usize::try_from(self.list[at]).map_err(|_| told())?;
                    let end = n.checked_add(at + 1).ok_or_else(told)?;
                    one(7, self.list.get(at + 1..end).ok_or_else(told)?)?;
                    at = end;
                }
            }
            (kind, _) => {
                if let Some((kind, n)) = element(kind) {
                    self.list.chunks(n).try_for_each(|own| one(kind, own))?;
                }
            }
        }
        Ok(())
    }
}
