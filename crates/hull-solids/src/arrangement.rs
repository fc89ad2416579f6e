//! Facets cut along all their crossings: the arrangement.
//!
//! Every facet is triangulated again with the stretches in which others meet it; facets of one plane that overlap are
//! triangulated together, so that the pieces of the overlap are one and the same. What comes out meets in whole sides
//! and corners only. Exact throughout (compare Q. Zhou et al., *Mesh Arrangements for Solid Geometry*, SIGGRAPH 2016).

use crate::flat::Flat;
use crate::meeting::{End, meeting};
use crate::place::{Grid, Place, flattest, turn};
use hull_geometry::crossings::crossings_in;
use hull_geometry::join::Joiner;
use hull_geometry::sets::Sets;
use hull_geometry::tree::FacetTree;
use hull_geometry::{Cancelled, Mesh, NONE, Point, Watch};
use rayon::prelude::*;
use std::collections::{BTreeMap, HashMap};

/// A facet of the input that a face is part of, and whether the face runs as it does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Source {
    pub facet: u32,
    pub same_way: bool,
}

/// A mesh cut along its crossings.
pub struct Arrangement {
    pub grid: Grid,
    /// The points of the input come first.
    pub places: Vec<Place>,
    /// Corners of the faces, numbers of places.
    pub faces: Vec<[u32; 3]>,
    /// So many faces come first that are facets of the input as they were; all others were cut.
    pub whole: usize,
    /// Where the sources of face `f` begin in `sources`; one more than there are faces.
    starts: Vec<u32>,
    sources: Vec<Source>,
    /// Pairs of facets that met where they should not.
    pub meetings: usize,
    /// The input with equal points joined, without repeated and lineless facets: what faces are parts of.
    pub mesh: Mesh,
    /// The tree of `mesh`.
    pub tree: FacetTree,
    /// For each facet of `mesh` a range of `of_mesh` that lists what it stands for.
    mesh_starts: Vec<u32>,
    of_mesh: Vec<Source>,
    /// For each face the facet of `mesh` in whose plane and direction it lies.
    pub facet_of: Vec<u32>,
}

impl Arrangement {
    /// # Errors
    /// [`Cancelled`].
    pub fn of(input: &Mesh, watch: &Watch) -> Result<Arrangement, Cancelled> {
        watch.report(0.0, "joining equal points")?;
        let (mesh, mesh_starts, of_mesh) = distinct(input);
        watch.report(0.1, "looking for crossings")?;
        let tree = FacetTree::of(&mesh);
        let found = crossings_in(&mesh, &tree, &vec![false; mesh.triangles.len()], watch)?;
        let grid = Grid::of(
            found.iter().flat_map(|c| c.facets).flat_map(|f| mesh.corners(f)).chain(mesh.points.iter().copied()),
        );
        watch.report(0.4, "working out where facets meet")?;
        let ends: Vec<Vec<End>> = found
            .par_iter()
            .map(|c| if c.coplanar { Vec::new() } else { meeting(grid, &mesh, c.facets[0], c.facets[1]) })
            .collect();
        let mut known = Known::new(grid, &mesh, found.iter().flat_map(|c| c.facets));
        let sets = Sets::new(mesh.triangles.len());
        let mut involved: BTreeMap<u32, Task> = BTreeMap::new();
        for c in found.iter().filter(|c| c.coplanar) {
            sets.unite(c.facets[0], c.facets[1]);
        }
        for f in found.iter().flat_map(|c| c.facets) {
            involved.entry(sets.root(f)).or_default().members.push(f);
        }
        for (c, ends) in found.iter().zip(ends) {
            let mut numbers: Vec<u32> = ends.into_iter().map(|e| known.number(e)).collect();
            numbers.sort_unstable();
            numbers.dedup();
            for f in c.facets {
                if let Some(task) = involved.get_mut(&sets.root(f)) {
                    match numbers[..] {
                        [a, b, ..] => task.lines.push([a, b]),
                        [a] => task.points.push(a),
                        [] => {}
                    }
                }
            }
        }
        watch.report(0.5, "cutting facets along their crossings")?;
        let tasks: Vec<Task> = involved.into_values().map(Task::sorted).collect();
        let cut: Vec<Cut> = tasks
            .par_iter()
            .map(|task| {
                watch.check()?;
                Ok(task.cut(grid, &mesh, &known.places))
            })
            .collect::<Result<_, Cancelled>>()?;
        watch.report(0.7, "putting the pieces together")?;
        let mut out = Arrangement {
            grid,
            places: Vec::new(),
            faces: Vec::new(),
            whole: 0,
            starts: vec![0],
            sources: Vec::new(),
            meetings: found.len(),
            mesh_starts,
            of_mesh,
            facet_of: Vec::new(),
            mesh: Mesh::default(),
            tree,
        };
        let mut taken = vec![false; mesh.triangles.len()];
        for f in tasks.iter().flat_map(|t| &t.members) {
            taken[*f as usize] = true;
        }
        for f in (0..mesh.triangles.len() as u32).filter(|f| !taken[*f as usize]) {
            out.push(mesh.triangles[f as usize], &[Source { facet: f, same_way: true }]);
        }
        out.whole = out.faces.len();
        for Cut { mut numbers, made, faces } in cut {
            for (number, place) in numbers.iter_mut().zip(made) {
                if let Some(place) = place {
                    *number = known.number(End::Made(place));
                }
            }
            for (corners, members) in faces {
                out.push(corners.map(|c| numbers[c as usize]), &members);
            }
        }
        out.places = known.places;
        out.mesh = mesh;
        Ok(out)
    }

    /// A face whose first member runs as it does.
    fn push(&mut self, corners: [u32; 3], members: &[Source]) {
        self.faces.push(corners);
        self.facet_of.push(members[0].facet);
        for m in members {
            let range = self.mesh_starts[m.facet as usize] as usize..self.mesh_starts[m.facet as usize + 1] as usize;
            let mut of: Vec<Source> = self.of_mesh[range].to_vec();
            of.iter_mut().for_each(|s| s.same_way = s.same_way == m.same_way);
            self.sources.extend(of);
        }
        self.starts.push(self.sources.len() as u32);
    }

    /// The facets of the input that a face is part of.
    pub fn sources(&self, face: u32) -> &[Source] {
        &self.sources[self.starts[face as usize] as usize..self.starts[face as usize + 1] as usize]
    }

    /// The facets of the input that a facet of [`Arrangement::mesh`] stands for.
    pub fn stands_for(&self, facet: u32) -> &[Source] {
        &self.of_mesh[self.mesh_starts[facet as usize] as usize..self.mesh_starts[facet as usize + 1] as usize]
    }
}

/// The input with equal points joined and repeated facets once, without facets whose corners lie on one line.
fn distinct(input: &Mesh) -> (Mesh, Vec<u32>, Vec<Source>) {
    let mut table = Joiner::with_capacity(input.points.len());
    let mut joined = Vec::with_capacity(input.points.len());
    table.number_all(&input.points, &mut joined);
    let points = table.into_points();
    let mut keyed: Vec<([u32; 3], u32)> = (0..input.triangles.len() as u32)
        .into_par_iter()
        .filter_map(|f| {
            let mut t = input.triangles[f as usize].map(|p| joined[p as usize]);
            let places = t.map(|p| points[p as usize]);
            t.sort_unstable();
            (t[0] != t[1] && t[1] != t[2] && flattest(&places).is_some()).then_some((t, f))
        })
        .collect();
    keyed.par_sort_unstable();
    let mut runs: Vec<&[([u32; 3], u32)]> = keyed.chunk_by(|a, b| a.0 == b.0).collect();
    runs.sort_unstable_by_key(|r| r[0].1);
    let mut mesh = Mesh { points, triangles: Vec::with_capacity(runs.len()) };
    let (mut starts, mut sources) = (vec![0], Vec::with_capacity(keyed.len()));
    for run in runs {
        let corners = |f: u32| input.triangles[f as usize].map(|p| joined[p as usize]);
        let first = corners(run[0].1);
        mesh.triangles.push(first);
        for &(_, f) in run {
            let t = corners(f);
            let same_way = (0..3).any(|k| [t[k], t[(k + 1) % 3], t[(k + 2) % 3]] == first);
            sources.push(Source { facet: f, same_way });
        }
        starts.push(sources.len() as u32);
    }
    (mesh, starts, sources)
}

/// Places with numbers, equal ones once.
struct Known {
    grid: Grid,
    places: Vec<Place>,
    at: HashMap<[u64; 3], Vec<u32>>,
}

impl Known {
    fn new(grid: Grid, mesh: &Mesh, facets: impl Iterator<Item = u32>) -> Known {
        let mut at: HashMap<[u64; 3], Vec<u32>> = HashMap::new();
        for p in facets.flat_map(|f| mesh.triangles[f as usize]) {
            at.entry(mesh.points[p as usize].map(f64::to_bits)).or_insert_with(|| vec![p]);
        }
        Known { grid, places: mesh.points.iter().map(|p| Place::given(*p)).collect(), at }
    }

    fn number(&mut self, end: End) -> u32 {
        match end {
            End::Point(p) => p,
            End::Made(place) => {
                let here = self.at.entry(place.near.map(f64::to_bits)).or_default();
                if let Some(&p) = here.iter().find(|&&p| self.places[p as usize].same(&place, self.grid)) {
                    return p;
                }
                let p = self.places.len() as u32;
                here.push(p);
                self.places.push(place);
                p
            }
        }
    }
}

/// Facets of one plane that are triangulated together, with what must stand in them.
#[derive(Default)]
struct Task {
    members: Vec<u32>,
    points: Vec<u32>,
    lines: Vec<[u32; 2]>,
}

/// A task done: local places by their numbers, [`NONE`] for those made here, and faces with the members they are in.
struct Cut {
    numbers: Vec<u32>,
    made: Vec<Option<Place>>,
    faces: Vec<([u32; 3], Vec<Source>)>,
}

impl Task {
    fn sorted(mut self) -> Task {
        self.members.sort_unstable();
        self.members.dedup();
        self.points.sort_unstable();
        self.points.dedup();
        self.lines.sort_unstable();
        self.lines.dedup();
        self
    }

    fn cut(&self, grid: Grid, mesh: &Mesh, places: &[Place]) -> Cut {
        let plane = mesh.corners(self.members[0]);
        // Facets on one line were taken out before.
        let axis = flattest(&plane).unwrap_or(0);
        let single = self.members.len() == 1;
        let corners = mesh.triangles[self.members[0] as usize];
        let (mut flat, mut numbers) = if single {
            (Flat::of_triangle(grid, plane, axis, plane.map(Place::given)), corners.to_vec())
        } else {
            let largest =
                self.members.iter().flat_map(|&f| mesh.corners(f)).flatten().fold(0.0_f64, |m, x| m.max(x.abs()));
            (Flat::beyond(grid, plane, axis, largest), vec![NONE; 3])
        };
        let mut local: HashMap<u32, u32> = HashMap::new();
        if single {
            local.extend(corners.iter().zip(0..3).map(|(p, k)| (*p, k)));
        }
        let sides: Vec<[u32; 2]> = if single {
            Vec::new()
        } else {
            let of = |f: &u32| {
                let [a, b, c] = mesh.triangles[*f as usize];
                [[a, b], [b, c], [c, a]]
            };
            self.members.iter().flat_map(of).collect()
        };
        let ends = sides.iter().chain(&self.lines).flatten().chain(&self.points);
        for &p in ends {
            local.entry(p).or_insert_with(|| {
                let at = flat.add(places[p as usize].clone());
                if at as usize == numbers.len() {
                    numbers.push(p);
                }
                at
            });
        }
        for [a, b] in sides.iter().chain(&self.lines) {
            flat.add_line(local[a], local[b]);
        }
        numbers.resize(flat.places.len(), NONE);
        let faces = self.faces(grid, mesh, axis, &flat);
        let beyond = if single { 0 } else { 3 };
        let made = flat
            .places
            .into_iter()
            .enumerate()
            .map(|(i, place)| (i >= beyond && numbers[i] == NONE).then_some(place))
            .collect();
        Cut { numbers, made, faces }
    }

    /// The triangles that lie in members, turned as the first of them.
    fn faces(&self, grid: Grid, mesh: &Mesh, axis: usize, flat: &Flat) -> Vec<([u32; 3], Vec<Source>)> {
        struct Member {
            facet: u32,
            corners: [Place; 3],
            way: i8,
            low: [f64; 2],
            high: [f64; 2],
        }
        let (i, j) = ((axis + 1) % 3, (axis + 2) % 3);
        let members: Vec<Member> = self
            .members
            .iter()
            .map(|&facet| {
                let t: [Point; 3] = mesh.corners(facet);
                let corners = t.map(Place::given);
                let way = turn(grid, axis, &corners[0], &corners[1], &corners[2]);
                let bound = |pick: fn(f64, f64) -> f64| [i, j].map(|k| pick(pick(t[0][k], t[1][k]), t[2][k]));
                Member { facet, corners, way, low: bound(f64::min), high: bound(f64::max) }
            })
            .collect();
        let mut out = Vec::new();
        for &corners in &flat.triangles {
            let places = corners.map(|c| &flat.places[c as usize]);
            let inside = |m: &Member| {
                let near = |p: &Place| {
                    let p = [p.near[i], p.near[j]];
                    (0..2).all(|k| p[k] >= m.low[k] && p[k] <= m.high[k])
                };
                let within = |p: &Place| {
                    (0..3).all(|k| turn(grid, axis, &m.corners[k], &m.corners[(k + 1) % 3], p) * m.way >= 0)
                };
                self.members.len() == 1 || (places.iter().all(|p| near(p)) && places.iter().all(|p| within(p)))
            };
            let found: Vec<&Member> = members.iter().filter(|m| inside(m)).collect();
            let Some(first) = found.first() else { continue };
            let [a, b, c] = corners;
            let turned = if first.way < 0 { [a, c, b] } else { [a, b, c] };
            out.push((turned, found.iter().map(|m| Source { facet: m.facet, same_way: m.way == first.way }).collect()));
        }
        out
    }
}
