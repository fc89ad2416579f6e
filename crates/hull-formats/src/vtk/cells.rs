//! Cells of all types as what they are here: facets, lines, or the outside of what fills a volume.

use crate::bundles::Bundles;
use crate::{Declared, Format, Labels, Received, Skipped};
use hull_geometry::join::join_equal_points;
use hull_geometry::vector::{area_vector, dot, sub};
use hull_geometry::{FacetId, Mesh, Point, triangulate};
use std::collections::{BTreeMap, HashMap};
use typed_index_collections::TiVec;

/// Values of a column of cells make groups of it up to so many.
const MOST_GROUPS: usize = 1000;
/// What columns are called that number groups. *Common practice, no source.*
const GROUP_WORDS: [&str; 12] =
    ["group", "region", "material", "patch", "boundary", "entity", "block", "tag", "part", "label", "surface", "id"];

/// A column of numbers, one a cell.
pub struct Column {
    /// As the file names it.
    pub name: String,
    /// Of the cells in the file's order.
    pub values: Vec<f64>,
}

/// Collects cells.
#[derive(Default)]
pub struct Cells {
    points: Vec<Point>,
    triangles: Vec<[u32; 3]>,
    /// The file's cell of each facet.
    cell_of: TiVec<FacetId, u32>,
    /// Facets of volumes that were met once: key of sorted corners, to the corners and the cell.
    outside: HashMap<Vec<u32>, (Vec<u32>, u32)>,
    lines: Vec<(Vec<u32>, u32)>,
    faces: usize,
    volumes: usize,
    count: u32,
    skipped: BTreeMap<&'static str, usize>,
}

/// The faces of cells that fill a volume, seen from outside against the clock.
fn faces_of(kind: i64) -> Option<&'static [&'static [usize]]> {
    Some(match kind {
        10 | 24 => &[&[0, 1, 3], &[1, 2, 3], &[2, 0, 3], &[0, 2, 1]],
        11 => &[&[0, 4, 6, 2], &[1, 3, 7, 5], &[0, 1, 5, 4], &[2, 6, 7, 3], &[0, 2, 3, 1], &[4, 5, 7, 6]],
        12 | 25 | 29 => &[&[0, 4, 7, 3], &[1, 2, 6, 5], &[0, 1, 5, 4], &[3, 7, 6, 2], &[0, 3, 2, 1], &[4, 5, 6, 7]],
        13 | 26 => &[&[0, 1, 2], &[3, 5, 4], &[0, 3, 4, 1], &[1, 4, 5, 2], &[2, 5, 3, 0]],
        14 | 27 => &[&[0, 3, 2, 1], &[0, 1, 4], &[1, 2, 4], &[2, 3, 4], &[3, 0, 4]],
        _ => return None,
    })
}

/// Corners of cells whose other points lie on their edges and faces.
fn corners_of(kind: i64) -> Option<usize> {
    Some(match kind {
        21 => 2,
        22 | 34 => 3,
        23 | 28 | 30 => 4,
        24 => 4,
        25 | 29 => 8,
        26 => 6,
        27 => 5,
        _ => return None,
    })
}

impl Cells {
    /// Of so many points, which cells may name.
    pub fn of(points: Vec<Point>) -> Cells {
        Cells { points, ..Cells::default() }
    }

    /// How many points there are.
    pub fn points(&self) -> usize {
        self.points.len()
    }

    fn skip(&mut self, what: &'static str) {
        *self.skipped.entry(what).or_default() += 1;
    }

    /// Adds the next cell of the file: its type's number and its points, which must be there.
    ///
    /// # Errors
    /// A sentence, if it has too few points.
    pub fn add(&mut self, kind: i64, points: &[u32]) -> Result<(), String> {
        let cell = self.count;
        self.count += 1;
        let corners = match corners_of(kind) {
            Some(n) => {
                self.skip("cells whose edges have points of their own: taken as straight");
                points.get(..n).ok_or_else(|| format!("cell {cell} has too few points"))?
            }
            None => points,
        };
        if let Some(faces) = faces_of(kind) {
            return self.volume(faces, corners, cell);
        }
        match kind {
            3 | 4 | 21 | 35 if corners.len() > 1 => self.lines.push((corners.to_vec(), cell)),
            5 | 7 | 9 | 22 | 23 | 28 | 30 | 34 if corners.len() > 2 => self.face(corners, cell),
            8 if corners.len() == 4 => self.face(&[corners[0], corners[1], corners[3], corners[2]], cell),
            6 => {
                for (i, w) in corners.windows(3).enumerate() {
                    self.face(&if i % 2 == 0 { [w[0], w[1], w[2]] } else { [w[1], w[0], w[2]] }, cell);
                }
            }
            0 => {}
            1 | 2 => self.skip("cells of single points"),
            3..=9 | 21..=23 | 28 | 30 | 34 | 35 => return Err(format!("cell {cell} has too few points")),
            _ => self.skip("cells of a type that is not read"),
        }
        Ok(())
    }

    fn face(&mut self, corners: &[u32], cell: u32) {
        let places: Vec<Point> = corners.iter().map(|p| self.points[*p as usize]).collect();
        for t in triangulate::face(&places) {
            self.triangles.push(t.map(|k| corners[k as usize]));
            self.cell_of.push(cell);
        }
        self.faces += 1;
    }

    /// Faces that two cells have are inside; those of cells whose corners run the other way are turned.
    fn volume(&mut self, faces: &[&[usize]], corners: &[u32], cell: u32) -> Result<(), String> {
        let most = faces.iter().flat_map(|f| f.iter()).max().copied().unwrap_or(0);
        if corners.len() <= most {
            return Err(format!("cell {cell} has too few points"));
        }
        self.volumes += 1;
        let at = |k: usize| self.points[corners[k] as usize];
        let middle = at(0);
        let sixth = |f: &&[usize]| -> f64 {
            let fan = f.windows(2).skip(1);
            fan.map(|w| dot(sub(at(f[0]), middle), area_vector(at(f[0]), at(w[0]), at(w[1])))).sum()
        };
        let inside_out = faces.iter().map(sixth).sum::<f64>() < 0.0;
        for f in faces {
            let mut named: Vec<u32> = f.iter().map(|k| corners[*k]).collect();
            if inside_out {
                named.reverse();
            }
            let mut key = named.clone();
            key.sort_unstable();
            if self.outside.remove(&key).is_none() {
                self.outside.insert(key, (named, cell));
            }
        }
        Ok(())
    }

    /// All that was added, with the groups that a column tells and the other columns counted. `names` are those of the
    /// groups of a column “part”, from 0.
    pub fn finish(mut self, format: Format, columns: Vec<Column>, point_columns: usize, names: &[String]) -> Received {
        let mut outside: Vec<(Vec<u32>, u32)> = std::mem::take(&mut self.outside).into_values().collect();
        outside.sort_unstable_by(|a, b| (a.1, &a.0).cmp(&(b.1, &b.0)));
        for (corners, cell) in outside {
            self.face(&corners, cell);
        }
        let columns: Vec<Column> = columns.into_iter().filter(|c| c.values.len() == self.count as usize).collect();
        // One part alone is no group, but has its name.
        let named = || columns.iter().position(|c| c.name == "part" && !names.is_empty());
        let group = groups(&columns).or_else(named);
        let name = |cell: u32| match group {
            Some(c) => {
                let (column, value) = (&columns[c].name, columns[c].values[cell as usize]);
                let known = names.get(value as usize).filter(|n| column == "part" && value >= 0.0 && !n.is_empty());
                known.cloned().unwrap_or_else(|| format!("{column} {value}"))
            }
            None => String::new(),
        };
        let mut labels = Labels::default();
        let label_of = self.cell_of.iter().map(|c| labels.number(&crate::Label { name: name(*c), material: None }));
        let label_of: TiVec<FacetId, u32> = label_of.collect();
        let mut bundles = Bundles::default();
        for (run, cell) in &self.lines {
            let run: Vec<Point> = run.iter().map(|p| self.points[*p as usize]).collect();
            let own = name(*cell);
            bundles.polyline(if own.is_empty() { "lines" } else { &own }, &run);
        }
        let points_in_file = self.points.len();
        let mut mesh = Mesh::from_arrays(self.points, self.triangles);
        mesh.drop_unused_points();
        join_equal_points(&mut mesh);
        let (labels, label_of) = labels.finish(label_of);
        let own = |(what, count): (&&'static str, &usize)| Skipped { what: (*what).into(), count: *count };
        let mut skipped: Vec<Skipped> = self.skipped.iter().map(own).collect();
        let own = columns.iter().filter(|c| c.name == "part" && !names.is_empty()).count();
        let fields = columns.len() - usize::from(group.is_some()).max(own) + point_columns;
        skipped.extend(Skipped::some(&[
            ("cells that fill a volume: their outside was taken", self.volumes),
            ("fields of points and cells", fields),
        ]));
        let triangles_only = self.faces == mesh.triangles.len();
        Received {
            cell_of: if triangles_only { TiVec::new() } else { self.cell_of },
            label_of,
            labels,
            faces_in_file: self.faces,
            points_in_file,
            skipped,
            declared: Declared::default(),
            lines: bundles.finish(None),
            ..Received::plain(format, mesh)
        }
    }
}

/// The column that numbers groups: whole numbers, more than one and not too many, the one whose name says so first.
fn groups(columns: &[Column]) -> Option<usize> {
    let several = |c: &Column| {
        let mut seen = std::collections::BTreeSet::new();
        c.values.iter().all(|v| {
            seen.insert(v.to_bits());
            v.fract() == 0.0 && seen.len() <= MOST_GROUPS
        }) && (2..=MOST_GROUPS).contains(&seen.len())
            && seen.len() * 2 <= c.values.len().max(4)
    };
    let says = |c: &Column| {
        let name = c.name.to_lowercase();
        GROUP_WORDS.iter().position(|w| name.contains(w)).unwrap_or(GROUP_WORDS.len())
    };
    let found = columns.iter().enumerate().filter(|(_, c)| several(c));
    found.min_by_key(|(i, c)| (says(c), *i)).map(|(i, _)| i)
}
