//! Facets cut along all their crossings: the arrangement.
//!
//! Every facet is triangulated again with the stretches in which others meet it; facets of one plane that overlap are
//! triangulated together, so that the pieces of the overlap are one and the same. What comes out meets in whole sides
//! and corners only. Exact throughout (compare Q. Zhou et al., *Mesh Arrangements for Solid Geometry*, SIGGRAPH 2016).

use crate::cutting::{Cut, Stretch, Task, TaskId};
use crate::distinct::{Distinct, distinct};
use crate::exact_point::{ExactPoint, Grid};
use crate::handles::{FaceId, PlaceId};
use crate::meeting::{End, Ends, meeting};
pub use crate::source::Source;
use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use hull_geometry::corners::Corners;
use hull_geometry::crossings::{Crossing, crossings_in};
use hull_geometry::join::Coordinates;
use hull_geometry::sets::Sets;
use hull_geometry::tree::FacetTree;
use hull_geometry::{Cancelled, FacetId, Mesh, Watch};
use rayon::prelude::*;
use smallvec::SmallVec;
use typed_index_collections::{TiVec, ti_vec};

/// A mesh cut along its crossings.
pub struct Arrangement {
    /// In whole numbers of which places are known.
    pub grid: Grid,
    /// The points of the input come first.
    pub places: TiVec<PlaceId, ExactPoint>,
    /// Corners of the faces.
    pub faces: TiVec<FaceId, [PlaceId; 3]>,
    /// So many faces come first that are facets of the input as they were; all others were cut.
    pub whole: usize,
    /// For each face the facet of `mesh` in whose plane and direction it lies.
    pub facet_of: TiVec<FaceId, FacetId>,
    /// For each facet of `mesh` the face it is, or [`FaceId::NONE`] where it was cut.
    pub face_of: TiVec<FacetId, FaceId>,
    /// Points of `mesh` around which whole faces form one closed fan. No other place is like that.
    pub plain: TiVec<PlaceId, bool>,
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
        let found = crossings_in(&mesh, &tree, &ti_vec![false; mesh.triangles.len()], watch)?;
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
        let mut face_of: TiVec<FacetId, FaceId> = ti_vec![FaceId(0); mesh.triangles.len()];
        for &(_, f) in &gathered.members {
            face_of[f] = FaceId::NONE;
            corners_of(&mesh, f).iter().for_each(|p| plain[*p] = false);
        }
        let facet_of: TiVec<FaceId, FacetId> = face_of.keys().filter(|f| face_of[*f] != FaceId::NONE).collect();
        facet_of.iter_enumerated().for_each(|(face, f)| face_of[*f] = face);
        let mut out = Arrangement {
            grid,
            places: TiVec::new(),
            faces: facet_of.iter().map(|f| corners_of(&mesh, *f)).collect(),
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
    fn push(&mut self, corners: [PlaceId; 3], members: &[Source<FacetId>]) {
        self.faces.push(corners);
        self.facet_of.push(members[0].facet);
        for m in members {
            let range =
                self.mesh_starts[usize::from(m.facet)] as usize..self.mesh_starts[usize::from(m.facet) + 1] as usize;
            let of = self.of_mesh[range].iter();
            self.sources.extend(of.map(|s| Source { facet: s.facet, same_way: s.same_way == m.same_way }));
        }
        self.starts.push(self.sources.len() as u32);
    }

    /// The facets of the input that a face is part of.
    pub fn sources(&self, face: FaceId) -> &[Source] {
        match usize::from(face).checked_sub(self.whole) {
            None => self.stands_for(self.facet_of[face]),
            Some(cut) => &self.sources[self.starts[cut] as usize..self.starts[cut + 1] as usize],
        }
    }

    /// The facets of the input that a facet of [`Arrangement::mesh`] stands for.
    pub fn stands_for(&self, facet: FacetId) -> &[Source] {
        let at = usize::from(facet);
        &self.of_mesh[self.mesh_starts[at] as usize..self.mesh_starts[at + 1] as usize]
    }
}

/// The corners of a facet of an arrangement's mesh, whose points come first among its places.
pub fn corners_of(mesh: &Mesh, facet: FacetId) -> [PlaceId; 3] {
    mesh.triangles[facet].map(PlaceId::from)
}

/// Places with numbers, equal ones once.
struct Known {
    grid: Grid,
    places: TiVec<PlaceId, ExactPoint>,
    /// Places where others could come to stand, by their nearest doubles.
    table: HashTable<PlaceId>,
}

impl Known {
    fn new(grid: Grid, mesh: &Mesh, facets: impl Iterator<Item = FacetId>) -> Known {
        let places: TiVec<PlaceId, ExactPoint> = mesh.points.iter().map(|p| ExactPoint::given(*p)).collect();
        let mut there: TiVec<PlaceId, bool> = ti_vec![false; places.len()];
        facets.flat_map(|f| corners_of(mesh, f)).for_each(|p| there[p] = true);
        let mut table = HashTable::new();
        let hash = |p: &PlaceId| places[*p].near.hash();
        for p in places.keys().filter(|p| there[*p]) {
            table.insert_unique(hash(&p), p, hash);
        }
        Known { grid, places, table }
    }

    fn number(&mut self, place: ExactPoint) -> PlaceId {
        let (grid, places) = (self.grid, &mut self.places);
        let same = |p: &PlaceId| places[*p].same(&place, grid);
        match self.table.entry(place.near.hash(), same, |p| places[*p].near.hash()) {
            Entry::Occupied(found) => *found.get(),
            Entry::Vacant(free) => {
                let p = places.push_and_get_key(place);
                free.insert(p);
                p
            }
        }
    }
}

/// What must stand in the facets that are cut, in the order of tasks: those of one plane that overlap go by the lowest.
struct Gathered {
    members: Vec<(TaskId, FacetId)>,
    points: Vec<(TaskId, PlaceId)>,
    lines: Vec<(TaskId, Stretch)>,
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
        let numbers: Vec<PlaceId> = made.into_iter().map(|place| known.number(place)).collect();
        let number = |end: &End| match end {
            End::Point(p) => *p,
            cut => cuts.binary_search(cut).map_or(PlaceId::NONE, |i| numbers[i]),
        };
        let numbered = |ends: &Ends| {
            let mut numbers: SmallVec<[PlaceId; 4]> = ends.iter().map(number).collect();
            numbers.sort_unstable();
            numbers.dedup();
            numbers
        };
        let ends: Vec<SmallVec<[PlaceId; 4]>> = ends.par_iter().map(numbered).collect();
        let mut all = Gathered { members: Vec::new(), points: Vec::new(), lines: Vec::new() };
        for (c, ends) in found.iter().zip(&ends) {
            let [f, g] = c.facets;
            for (f, across) in [(f, g), (g, f)] {
                let task = TaskId(sets.root(f).0);
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
        fn of<T>(all: &[(TaskId, T)], task: TaskId) -> &[(TaskId, T)] {
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
