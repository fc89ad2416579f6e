//! Facets cut along all their crossings: the arrangement.
//!
//! Every facet is triangulated again with the stretches in which others meet it; facets of one plane that overlap are
//! triangulated together, so that the pieces of the overlap are one and the same. What comes out meets in whole sides
//! and corners only. Exact throughout (compare Q. Zhou et al., *Mesh Arrangements for Solid Geometry*, SIGGRAPH 2016).

use crate::cutting::{Cut, Stretch, Task};
use crate::distinct::{Distinct, distinct};
use crate::exact_point::{ExactPoint, Grid};
use crate::meeting::{End, Ends, meeting};
pub use crate::source::Source;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use hull_geometry::corners::Corners;
use hull_geometry::crossings::{Crossing, crossings_in};
use hull_geometry::join::Coordinates;
use hull_geometry::sets::Sets;
use hull_geometry::tree::FacetTree;
use hull_geometry::{Cancelled, Mesh, NONE, Watch};
use rayon::prelude::*;
use smallvec::SmallVec;

/// A mesh cut along its crossings.
pub struct Arrangement {
    /// In whole numbers of which places are known.
    pub grid: Grid,
    /// The points of the input come first.
    pub places: Vec<ExactPoint>,
    /// Corners of the faces, numbers of places.
    pub faces: Vec<[u32; 3]>,
    /// So many faces come first that are facets of the input as they were; all others were cut.
    pub whole: usize,
    /// For each face the facet of `mesh` in whose plane and direction it lies.
    pub facet_of: Vec<u32>,
    /// For each facet of `mesh` the face it is, or [`NONE`] where it was cut.
    pub face_of: Vec<u32>,
    /// Points of `mesh` around which whole faces form one closed fan. No other place is like that.
    pub plain: Vec<bool>,
    /// Pairs of facets that met where they should not.
    pub meetings: usize,
    /// The input with equal points joined, without repeated and lineless facets: what faces are parts of.
    pub mesh: Mesh,
    /// The facets at the points of `mesh`.
    pub corners: Corners,
    /// The tree of `mesh`.
    pub tree: FacetTree,
    /// For each facet of `mesh` a range of `of_mesh` that lists what it stands for.
    mesh_starts: Vec<u32>,
    of_mesh: Vec<Source>,
    /// Where the sources of cut faces begin in `sources`; one more than there are.
    starts: Vec<u32>,
    sources: Vec<Source>,
}

impl Arrangement {
    /// # Errors
    /// [`Cancelled`].
    pub fn of(input: &Mesh, watch: &Watch) -> Result<Arrangement, Cancelled> {
        watch.report(0.0, "joining equal points")?;
        let Distinct { mesh, corners, mut plain, starts: mesh_starts, of_mesh } = distinct(input);
        watch.report(0.1, "looking for crossings")?;
        let tree = FacetTree::of(&mesh);
        let found = crossings_in(&mesh, &tree, &vec![false; mesh.triangles.len()], watch)?;
        let grid = Grid::of(mesh.points.iter().copied());
        watch.report(0.4, "working out where facets meet")?;
        let mut known = Known::new(grid, &mesh, found.iter().flat_map(|c| c.facets));
        let gathered = Gathered::of(&found, grid, &mesh, &mut known);
        watch.report(0.5, "cutting facets along their crossings")?;
        let cut: Vec<Cut> = gathered
            .tasks()
            .par_iter()
            .map(|task| {
                watch.check()?;
                Ok(task.cut(grid, &mesh, &known.places))
            })
            .collect::<Result<_, Cancelled>>()?;
        watch.report(0.7, "putting the pieces together")?;
        let mut face_of = vec![0; mesh.triangles.len()];
        for &(_, f) in &gathered.members {
            face_of[f as usize] = NONE;
            mesh.triangles[f as usize].iter().for_each(|p| plain[*p as usize] = false);
        }
        let facet_of: Vec<u32> = (0..mesh.triangles.len() as u32).filter(|f| face_of[*f as usize] != NONE).collect();
        facet_of.iter().zip(0..).for_each(|(f, face)| face_of[*f as usize] = face);
        let mut out = Arrangement {
            grid,
            places: Vec::new(),
            faces: facet_of.iter().map(|f| mesh.triangles[*f as usize]).collect(),
            whole: facet_of.len(),
            facet_of,
            face_of,
            plain,
            meetings: found.len(),
            mesh,
            corners,
            tree,
            mesh_starts,
            of_mesh,
            starts: vec![0],
            sources: Vec::new(),
        };
        for Cut { mut numbers, made, faces } in cut {
            for (number, place) in numbers.iter_mut().zip(made) {
                if let Some(place) = place {
                    *number = known.number(place);
                }
            }
            for (corners, members) in faces {
                out.push(corners.map(|c| numbers[c as usize]), &members);
            }
        }
        out.places = known.places;
        out.plain.resize(out.places.len(), false);
        Ok(out)
    }

    /// A cut face whose first member runs as it does.
    fn push(&mut self, corners: [u32; 3], members: &[Source]) {
        self.faces.push(corners);
        self.facet_of.push(members[0].facet);
        for m in members {
            let range = self.mesh_starts[m.facet as usize] as usize..self.mesh_starts[m.facet as usize + 1] as usize;
            let of = self.of_mesh[range].iter();
            self.sources.extend(of.map(|s| Source { facet: s.facet, same_way: s.same_way == m.same_way }));
        }
        self.starts.push(self.sources.len() as u32);
    }

    /// The facets of the input that a face is part of.
    pub fn sources(&self, face: u32) -> &[Source] {
        match (face as usize).checked_sub(self.whole) {
            None => self.stands_for(self.facet_of[face as usize]),
            Some(cut) => &self.sources[self.starts[cut] as usize..self.starts[cut + 1] as usize],
        }
    }

    /// The facets of the input that a facet of [`Arrangement::mesh`] stands for.
    pub fn stands_for(&self, facet: u32) -> &[Source] {
        &self.of_mesh[self.mesh_starts[facet as usize] as usize..self.mesh_starts[facet as usize + 1] as usize]
    }
}

/// Places with numbers, equal ones once.
struct Known {
    grid: Grid,
    places: Vec<ExactPoint>,
    /// Numbers of places where others could come to stand, by their nearest doubles.
    table: HashTable<u32>,
}

impl Known {
    fn new(grid: Grid, mesh: &Mesh, facets: impl Iterator<Item = u32>) -> Known {
        let places: Vec<ExactPoint> = mesh.points.iter().map(|p| ExactPoint::given(*p)).collect();
        let mut there = vec![false; places.len()];
        facets.flat_map(|f| mesh.triangles[f as usize]).for_each(|p| there[p as usize] = true);
        let mut table = HashTable::new();
        let hash = |p: &u32| places[*p as usize].near.hash();
        for p in (0..places.len() as u32).filter(|p| there[*p as usize]) {
            table.insert_unique(hash(&p), p, hash);
        }
        Known { grid, places, table }
    }

    fn number(&mut self, place: ExactPoint) -> u32 {
        let (grid, places) = (self.grid, &mut self.places);
        let same = |p: &u32| places[*p as usize].same(&place, grid);
        match self.table.entry(place.near.hash(), same, |p| places[*p as usize].near.hash()) {
            Entry::Occupied(found) => *found.get(),
            Entry::Vacant(free) => {
                let p = places.len() as u32;
                free.insert(p);
                places.push(place);
                p
            }
        }
    }
}

/// What must stand in the facets that are cut, in the order of tasks: those of one plane that overlap go by the lowest.
struct Gathered {
    members: Vec<(u32, u32)>,
    points: Vec<(u32, u32)>,
    lines: Vec<(u32, Stretch)>,
}

impl Gathered {
    fn of(found: &[Crossing], grid: Grid, mesh: &Mesh, known: &mut Known) -> Gathered {
        let sets = Sets::new(mesh.triangles.len());
        found.iter().filter(|c| c.coplanar).for_each(|c| sets.unite(c.facets[0], c.facets[1]));
        let where_they_meet = |c: &Crossing| {
            if c.coplanar { Ends::new() } else { meeting(grid, mesh, c.facets[0], c.facets[1]) }
        };
        let ends: Vec<Ends> = found.par_iter().map(where_they_meet).collect();
        // Two facets at an edge both tell where it is cut.
        let mut cuts: Vec<End> = ends.iter().flatten().copied().filter(|e| matches!(e, End::Cut(..))).collect();
        cuts.par_sort_unstable();
        cuts.dedup();
        let made: Vec<ExactPoint> = cuts.par_iter().filter_map(|e| e.made(grid, mesh)).collect();
        let numbers: Vec<u32> = made.into_iter().map(|place| known.number(place)).collect();
        let number = |end: &End| match end {
            End::Point(p) => *p,
            cut => cuts.binary_search(cut).map_or(NONE, |i| numbers[i]),
        };
        let numbered = |ends: &Ends| {
            let mut numbers: SmallVec<[u32; 4]> = ends.iter().map(number).collect();
            numbers.sort_unstable();
            numbers.dedup();
            numbers
        };
        let ends: Vec<SmallVec<[u32; 4]>> = ends.par_iter().map(numbered).collect();
        let mut all = Gathered { members: Vec::new(), points: Vec::new(), lines: Vec::new() };
        for (c, ends) in found.iter().zip(&ends) {
            for (f, across) in [(c.facets[0], c.facets[1]), (c.facets[1], c.facets[0])] {
                let task = sets.root(f);
                all.members.push((task, f));
                match ends[..] {
                    [a, b, ..] => all.lines.push((task, Stretch { ends: [a, b], across })),
                    [a] => all.points.push((task, a)),
                    [] => {}
                }
            }
        }
        all.members.par_sort_unstable();
        all.members.dedup();
        all.points.par_sort_unstable();
        all.points.dedup();
        all.lines.par_sort_unstable();
        all.lines.dedup_by_key(|l| (l.0, l.1.ends));
        all
    }

    fn tasks(&self) -> Vec<Task<'_>> {
        fn of<T>(all: &[(u32, T)], task: u32) -> &[(u32, T)] {
            &all[all.partition_point(|x| x.0 < task)..all.partition_point(|x| x.0 <= task)]
        }
        let runs = self.members.chunk_by(|a, b| a.0 == b.0);
        runs.map(|members| Task {
            members,
            points: of(&self.points, members[0].0),
            lines: of(&self.lines, members[0].0),
        })
        .collect()
    }
}
