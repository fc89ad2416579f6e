//! The deeper survey: what can be wrong with a surface besides how its facets hang together.

use crate::numbers::{counted, short};
use crate::survey::{Finding, Kind};
use hull_formats::Label;
use hull_geometry::mesh::Bounds;
use hull_geometry::sets::Sets;
use hull_geometry::topology::Topology;
use hull_geometry::vector::{dot, norm, scale, sub, unit};
use hull_geometry::{Cancelled, Mesh, NONE, Point, Watch, doubles, folds, handles, nesting, spikes, walls};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// Walls and gaps are looked for under this part of the body's diagonal.
const THIN: f64 = 1.0 / 200.0;
/// Shells lie on each other if they are no further apart than this part.
const ON: f64 = 5e-4;
/// A shell is tiny if it is smaller than this part of the body.
pub const TINY: f64 = 0.01;
/// Bodies of more facets than this get their handles counted, but no loops around them.
const MOST_FOR_LOOPS: usize = 400_000;
const PLACES: usize = 200;

/// How often something is there, and how large it is at its worst; lengths and areas in the unit of the figures.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Seen {
    pub count: usize,
    pub size: f64,
}

/// The figures of the deeper survey.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct Depth {
    /// Facets that lie on another shell and could go without leaving anything bare; their area.
    pub doubles: Seen,
    /// The same for every label that has some, the largest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub doubles_of: Vec<(String, Seen)>,
    /// The other facets that lie on another shell, as where two closed bodies touch; their area.
    #[serde(default)]
    pub touching: Seen,
    /// Shells within another that bound no cavity; the largest one's size.
    pub lost_shells: Seen,
    /// Shells that bound a cavity; the largest one's size.
    pub cavities: Seen,
    /// Closed shells turned inside out; the largest one's size.
    pub inside_out: Seen,
    /// Shells smaller than a hundredth of the body; the largest one's size.
    pub tiny_shells: Seen,
    /// Facets whose wall is thinner than `thin`; the thinnest.
    pub thin_walls: Seen,
    /// Facets in front of which a gap is narrower than `thin`; the narrowest.
    pub narrow_gaps: Seen,
    /// The size under which walls and gaps are told.
    pub thin: f64,
    /// Points drawn out of the surface; the highest.
    pub spikes: Seen,
    /// Neighbours folded back on each other; the area of the largest.
    pub folds: Seen,
    /// Facets with one very short edge, and with one very wide angle; the longest.
    pub needles: Seen,
    pub caps: Seen,
    /// Tunnels through shells; the shortest way around one.
    pub handles: Seen,
    /// Points that no facet uses.
    pub isolated_points: Seen,
}

impl Depth {
    /// Each with its name.
    pub fn named(&self) -> [(&'static str, Seen); 14] {
        [
            ("facets on others, their area", self.doubles),
            ("facets that touch others, their area", self.touching),
            ("shells lost inside others, the largest", self.lost_shells),
            ("cavities, the largest", self.cavities),
            ("shells inside out, the largest", self.inside_out),
            ("tiny shells, the largest", self.tiny_shells),
            ("facets of thin walls, the thinnest", self.thin_walls),
            ("facets at narrow gaps, the narrowest", self.narrow_gaps),
            ("spikes, the highest", self.spikes),
            ("pairs folded back, the area of the largest", self.folds),
            ("needles, the longest", self.needles),
            ("caps, the longest", self.caps),
            ("tunnels, the shortest way around", self.handles),
            ("points without a facet", self.isolated_points),
        ]
    }
}

/// What facets are called: the number of each (none if all have the first), and the labels.
#[derive(Clone, Copy, Debug, Default)]
pub struct Names<'a> {
    pub of: &'a [u32],
    pub labels: &'a [Label],
}

impl Names<'_> {
    fn words(&self, label: u32) -> String {
        let Some(l) = self.labels.get(label as usize) else { return "no name".into() };
        match (l.name.as_str(), &l.material) {
            ("", None) => "no name".into(),
            ("", Some(colour)) => colour.clone(),
            (name, None) => name.into(),
            (name, Some(colour)) => format!("{name}, {colour}"),
        }
    }
}

/// One part of the deeper survey.
pub struct Part {
    /// What is being done.
    pub phrase: &'static str,
    /// What is known after it.
    pub tells: &'static [Kind],
    look: fn(&Place, &mut Depth, &Watch) -> Result<Vec<Finding>, Cancelled>,
}

/// The deeper survey, part by part.
pub const PARTS: [Part; 5] = [
    Part { phrase: "looking for sheets that lie on each other", tells: &[Kind::Doubles, Kind::Touching], look: sheets },
    Part {
        phrase: "telling which shell lies in which",
        tells: &[Kind::LostShells, Kind::Cavities, Kind::InsideOutShells, Kind::TinyShells],
        look: shells,
    },
    Part { phrase: "measuring walls and gaps", tells: &[Kind::ThinWalls, Kind::NarrowGaps], look: walls_and_gaps },
    Part {
        phrase: "looking for spikes, folds, needles and caps",
        tells: &[Kind::Spikes, Kind::Folds, Kind::Needles, Kind::Caps, Kind::IsolatedPoints],
        look: shapes,
    },
    Part { phrase: "looking for tunnels", tells: &[Kind::Handles], look: tunnels },
];

/// Measures it all, with places. `told` hears the figures and the places of every part as soon as they are there.
///
/// # Errors
/// [`Cancelled`], and what `told` returns.
pub fn depth<E: From<Cancelled>>(
    mesh: &Mesh,
    topology: &Topology,
    names: Names,
    symbol: &str,
    watch: &Watch,
    mut told: impl FnMut(&Depth, &Part, Vec<Finding>) -> Result<(), E>,
) -> Result<Depth, E> {
    let bounds = mesh.bounds();
    let place = Place { mesh, topology, names, symbol, middle: bounds.centre(), diagonal: bounds.diagonal() };
    let mut depth = Depth { thin: THIN * place.diagonal, ..Default::default() };
    for (i, part) in PARTS.iter().enumerate() {
        watch.report(0.7 + 0.04 * i as f64, part.phrase)?;
        let found = (part.look)(&place, &mut depth, watch)?;
        told(&depth, part, found)?;
    }
    Ok(depth)
}

fn sheets(place: &Place, d: &mut Depth, watch: &Watch) -> Result<Vec<Finding>, Cancelled> {
    let doubles::Doubles { on, spare, .. } =
        doubles::doubles(place.mesh, place.topology, place.names.of, ON * place.diagonal, watch)?;
    let touching = |f: &u32| on[*f as usize] != NONE && spare.binary_search(f).is_err();
    let touching: Vec<u32> = (0..on.len() as u32).filter(touching).collect();
    d.doubles = Seen { count: spare.len(), size: place.area(&spare) };
    let mut of_label: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
    for f in &spare {
        of_label.entry(place.names.of.get(*f as usize).copied().unwrap_or(0)).or_default().push(*f);
    }
    let figures = |(label, facets): (u32, Vec<u32>)| {
        (place.names.words(label), Seen { count: facets.len(), size: place.area(&facets) })
    };
    d.doubles_of = of_label.into_iter().map(figures).collect();
    d.doubles_of.sort_by(|a, b| b.1.size.total_cmp(&a.1.size));
    d.doubles_of.truncate(PLACES);
    d.touching = Seen { count: touching.len(), size: place.area(&touching) };
    let lists = [(Kind::Doubles, &spare, "lie on others"), (Kind::Touching, &touching, "touch others")];
    let of = |(kind, list, what): (Kind, &Vec<u32>, &str)| {
        let text = |n: usize, area: f64| format!("{} {what}, {} {}²", counted(n, "facet"), short(area), place.symbol);
        place.patches(kind, list, &text)
    };
    Ok(lists.into_iter().flat_map(of).collect())
}

fn shells(place: &Place, d: &mut Depth, watch: &Watch) -> Result<Vec<Finding>, Cancelled> {
    let shells = nesting::nesting(place.mesh, place.topology, watch)?;
    let size = |s: &nesting::ShellPlace| s.bounds.diagonal();
    let mut found = Vec::new();
    let mut tell = |kind: Kind, holds: &dyn Fn(&nesting::ShellPlace) -> bool, what: &str| {
        let mut list: Vec<&nesting::ShellPlace> = shells.iter().filter(|s| s.first != NONE && holds(s)).collect();
        list.sort_by(|a, b| size(b).total_cmp(&size(a)));
        for s in list.iter().take(PLACES) {
            let text = format!("{what}, {}, {} {} across", counted(s.facets, "facet"), short(size(s)), place.symbol);
            found.push(place.at(kind, s.first, size(s) / 2.0, text));
        }
        Seen { count: list.len(), size: list.first().map_or(0.0, |s| size(s)) }
    };
    d.lost_shells = tell(Kind::LostShells, &|s| s.is_lost(), "shell within another that bounds no cavity");
    d.cavities = tell(Kind::Cavities, &|s| s.is_cavity(), "cavity");
    d.inside_out = tell(Kind::InsideOutShells, &|s| s.is_inside_out(), "shell turned inside out");
    d.tiny_shells = tell(Kind::TinyShells, &|s| size(s) < TINY * place.diagonal, "tiny shell");
    Ok(found)
}

fn walls_and_gaps(place: &Place, d: &mut Depth, watch: &Watch) -> Result<Vec<Finding>, Cancelled> {
    let [thin, gaps] = walls::walls_and_gaps(place.mesh, d.thin, watch)?;
    let seen = |near: &walls::Near| Seen {
        count: near.found.len() * near.every,
        size: near.found.first().map_or(0.0, |f| f.2),
    };
    (d.thin_walls, d.narrow_gaps) = (seen(&thin), seen(&gaps));
    let mut found = Vec::new();
    for (near, kind, what) in [(&thin, Kind::ThinWalls, "wall"), (&gaps, Kind::NarrowGaps, "gap")] {
        let width: BTreeMap<u32, f64> = near.found.iter().map(|f| (f.0, f.2)).collect();
        let facets: Vec<u32> = width.keys().copied().collect();
        for group in place.groups(&facets).into_iter().take(PLACES) {
            let least = group.iter().copied().min_by(|a, b| width[a].total_cmp(&width[b])).unwrap_or(group[0]);
            let text =
                format!("{what} {} {} wide, {}", short(width[&least]), place.symbol, counted(group.len(), "facet"));
            found.push(place.at(kind, least, place.radius(&group), text));
        }
    }
    Ok(found)
}

fn shapes(place: &Place, d: &mut Depth, watch: &Watch) -> Result<Vec<Finding>, Cancelled> {
    let mesh = place.mesh;
    let mut found = Vec::new();
    let list = spikes::spikes(mesh);
    d.spikes = Seen { count: list.len(), size: list.first().map_or(0.0, |s| s.height) };
    for s in list.iter().take(PLACES) {
        let text = format!("point drawn out by {} {}", short(s.height), place.symbol);
        found.push(place.point(Kind::Spikes, s.point, s.height, text));
    }
    watch.check()?;
    let folded = folds::folds(mesh);
    let area = |f: u32| norm(mesh.area_vector(f)) / 2.0;
    let largest = folded.iter().map(|f| area(f[0]).min(area(f[1]))).fold(0.0, f64::max);
    d.folds = Seen { count: folded.len(), size: largest };
    for f in folded.iter().take(PLACES) {
        found.push(place.at(Kind::Folds, f[0], place.radius(f), "facets folded back on each other".into()));
    }
    watch.check()?;
    let bad = folds::bad_shapes(mesh);
    let longest = |f: &u32| {
        let c = mesh.corners(*f);
        (0..3).map(|k| hull_geometry::vector::distance(c[k], c[(k + 1) % 3])).fold(0.0, f64::max)
    };
    let mut tell = |kind: Kind, mut list: Vec<u32>, what: &str| {
        list.sort_by(|a, b| longest(b).total_cmp(&longest(a)).then(a.cmp(b)));
        for f in list.iter().take(PLACES) {
            let text = format!("{what} {} {} long", short(longest(f)), place.symbol);
            found.push(place.at(kind, *f, longest(f) / 2.0, text));
        }
        Seen { count: list.len(), size: list.first().map_or(0.0, longest) }
    };
    d.needles = tell(Kind::Needles, bad.needles, "needle");
    d.caps = tell(Kind::Caps, bad.caps, "cap");
    d.isolated_points.count = mesh.points.len().saturating_sub(place.topology.used_points);
    if d.isolated_points.count > 0 {
        let mut used = vec![false; mesh.points.len()];
        mesh.triangles.iter().flatten().for_each(|p| used[*p as usize] = true);
        for p in (0..mesh.points.len()).filter(|p| !used[*p]).take(PLACES) {
            let text = "point that no facet uses".into();
            found.push(place.point(Kind::IsolatedPoints, p as u32, place.diagonal / 100.0, text));
        }
    }
    Ok(found)
}

fn tunnels(place: &Place, d: &mut Depth, watch: &Watch) -> Result<Vec<Finding>, Cancelled> {
    let (mesh, topology) = (place.mesh, place.topology);
    d.handles.count = handles::handles(mesh, topology).into_iter().sum();
    if d.handles.count == 0 || mesh.triangles.len() > MOST_FOR_LOOPS {
        return Ok(Vec::new());
    }
    let loops = handles::loops(mesh, topology, watch)?;
    d.handles.size = loops.first().map_or(0.0, |l| l.length);
    let of = |l: &handles::Loop| {
        let radius = Bounds::of(l.points.iter().map(|p| mesh.points[*p as usize])).diagonal() / 2.0;
        let text = format!("tunnel, {} {} around", short(l.length), place.symbol);
        place.point(Kind::Handles, l.points[0], radius, text)
    };
    Ok(loops.iter().take(PLACES).map(of).collect())
}

/// A surface, and its facets and points as places.
struct Place<'a> {
    mesh: &'a Mesh,
    topology: &'a Topology,
    names: Names<'a>,
    /// The unit in words.
    symbol: &'a str,
    middle: Point,
    diagonal: f64,
}

impl Place<'_> {
    fn at(&self, kind: Kind, facet: u32, radius: f64, text: String) -> Finding {
        let at = Bounds::of(self.mesh.corners(facet)).centre();
        let normal = unit(self.mesh.area_vector(facet)).unwrap_or_default();
        let away = sub(at, self.middle);
        let from = scale(normal, if dot(normal, away) < 0.0 { -1.0 } else { 1.0 });
        Finding { kind, at, radius, from, text }
    }

    fn point(&self, kind: Kind, point: u32, radius: f64, text: String) -> Finding {
        let at = self.mesh.points[point as usize];
        Finding { kind, at, radius, from: unit(sub(at, self.middle)).unwrap_or_default(), text }
    }

    fn area(&self, facets: &[u32]) -> f64 {
        facets.iter().map(|f| norm(self.mesh.area_vector(*f)) / 2.0).sum()
    }

    fn radius(&self, facets: &[u32]) -> f64 {
        Bounds::of(facets.iter().flat_map(|f| self.mesh.corners(*f))).diagonal() / 2.0
    }

    /// Facets that hang together over points, the most first.
    fn groups(&self, facets: &[u32]) -> Vec<Vec<u32>> {
        let mut at: BTreeMap<u32, u32> = BTreeMap::new();
        let sets = Sets::new(facets.len());
        for (i, f) in facets.iter().enumerate() {
            for p in self.mesh.triangles[*f as usize] {
                match at.get(&p) {
                    Some(&other) => sets.unite(other, i as u32),
                    None => {
                        at.insert(p, i as u32);
                    }
                }
            }
        }
        let mut groups: BTreeMap<u32, Vec<u32>> = BTreeMap::new();
        for (i, f) in facets.iter().enumerate() {
            groups.entry(sets.root(i as u32)).or_default().push(*f);
        }
        let mut groups: Vec<Vec<u32>> = groups.into_values().collect();
        groups.sort_by_key(|g| (std::cmp::Reverse(g.len()), g[0]));
        groups
    }

    fn patches(&self, kind: Kind, facets: &[u32], text: &dyn Fn(usize, f64) -> String) -> Vec<Finding> {
        let groups = self.groups(facets).into_iter().take(PLACES);
        groups.map(|g| self.at(kind, g[g.len() / 2], self.radius(&g), text(g.len(), self.area(&g)))).collect()
    }
}
