//! Remedies for facets: what the steps that repair a surface do to a body.

use crate::Body;
use crate::numbers::{count, counted, short};
use crate::step::{Change, StepError, boundary_called, boundary_name, refused};
use hull_geometry::holes::Wish;
use hull_geometry::mesh::Bounds;
use hull_geometry::sets::Sets;
use hull_geometry::topology::{Topology, neighbours};
use hull_geometry::vector::distance;
use hull_geometry::{
    NONE, Point, Rebuilt, Watch, bumps, coarsen::coarsen, doubles, handles, holes, nesting, orient, spikes, stitch,
    thin,
};
use hull_solids::combine::{CombineError, resolve};
use hull_solids::wrap::{WrapError, wrap};
use std::collections::BTreeMap;

/// The longest side of facets made larger, in parts of the body's diagonal.
const LARGEST_FACET: f64 = 0.1;

pub(crate) fn close_gaps(
    body: &mut Body,
    tolerance: f64,
    change: &mut Change,
    watch: &Watch,
) -> Result<String, StepError> {
    if !(tolerance > 0.0 && tolerance.is_finite()) {
        return Err(refused("The tolerance must be a length greater than zero."));
    }
    let done = stitch::stitch(&body.mesh, tolerance, watch)?;
    let r = done.report;
    body.follow(done.rebuilt);
    change.largest_move = r.largest_move;
    Ok(format!(
        "{} of {} closed; {} joined, {} put on a neighbour's edge; no point moved further than {} mm.",
        count(r.open_before.saturating_sub(r.open_after)),
        counted(r.open_before, "open edge"),
        counted(r.points_joined, "point"),
        count(r.edges_split),
        short(r.largest_move),
    ))
}

pub(crate) fn turn_outward(body: &mut Body, watch: &Watch) -> Result<String, StepError> {
    let found = orient::facets_to_turn(&body.mesh, watch)?;
    for &f in &found.turned {
        body.mesh.triangles[f as usize].swap(1, 2);
    }
    let turned = format!("{} turned", counted(found.turned.len(), "facet"));
    Ok(match found.one_sided {
        0 => format!("{turned}."),
        n => format!("{turned}; one-sided, so that they cannot face one way: {}.", counted(n, "shell")),
    })
}

/// The holes of a body that a limit and exceptions leave to fill, and all holes.
pub fn holes_to_fill(body: &Body, up_to: f64, except: &[Point]) -> (Vec<holes::Hole>, Vec<holes::Hole>) {
    let open = hull_geometry::stitch::Rim::of(&body.mesh);
    let found = holes::find_holes(&body.mesh, &open.open_in_whole());
    let kept: Vec<usize> = except
        .iter()
        .filter_map(|p| {
            (0..found.len()).min_by(|&a, &b| distance(found[a].centre, *p).total_cmp(&distance(found[b].centre, *p)))
        })
        .collect();
    let chosen = found
        .iter()
        .enumerate()
        .filter(|(i, h)| h.perimeter <= up_to && !kept.contains(i))
        .map(|(_, h)| h.clone())
        .collect();
    (chosen, found)
}

pub(crate) fn fill_holes(
    body: &mut Body,
    up_to: f64,
    except: &[Point],
    wish: Wish,
    cap: Option<&str>,
    watch: &Watch,
) -> Result<String, StepError> {
    let cap = cap.map(boundary_name).transpose()?;
    let (chosen, all) = holes_to_fill(body, up_to, except);
    if chosen.is_empty() {
        return Err(refused(format!(
            "No hole has a perimeter of at most {} mm; there are {}.",
            short(up_to),
            all.len()
        )));
    }
    let filled = holes::fill(&body.mesh, &chosen, wish, watch)?;
    let first = body.mesh.triangles.len();
    follow_closed(body, filled.rebuilt);
    if let Some(name) = cap {
        let names = (1..=chosen.len()).map(|i| if i == 1 { name.to_string() } else { format!("{name} {i}") });
        let numbers: Vec<u32> = names.map(|name| boundary_called(body, &name, None, "a cap")).collect();
        for (i, &hole) in filled.hole_of.iter().enumerate() {
            body.boundary_of[first + i] = numbers[hole as usize];
        }
    }
    let failed = filled.fillings.iter().filter(|f| f.0 == holes::Filling::NotFilled).count();
    let of = |kind: holes::Filling| filled.fillings.iter().filter(|f| f.0 == kind).count();
    let (flat, smooth) = (of(holes::Filling::Flat), of(holes::Filling::Smooth));
    let mut sentence = format!(
        "{} of {} filled ({flat} flat, {smooth} smooth) with {}.",
        count(chosen.len() - failed),
        counted(all.len(), "hole"),
        counted(filled.hole_of.len(), "facet")
    );
    let islands: usize = chosen.iter().map(|h| h.islands.len()).sum();
    if islands > 0 {
        sentence += &format!(" {islands} islands in them were bridged.");
    }
    if let Some(name) = cap {
        sentence += &format!(" The caps are boundaries of their own: “{name}”.");
    }
    if failed > 0 {
        sentence += &format!(" {failed} could not be filled without an edge shared by three.");
    }
    body.drop_empty_boundaries();
    Ok(sentence)
}

/// Follows a rebuilding; new facets go with the boundary around them where that is one and the same.
fn follow_closed(body: &mut Body, rebuilt: Rebuilt) {
    let new: Vec<u32> = (0..rebuilt.origin.len() as u32).filter(|f| rebuilt.origin[*f as usize] == NONE).collect();
    body.follow(rebuilt);
    let across = neighbours(&body.mesh);
    let is_new = |f: u32| new.binary_search(&f).ok();
    let sets = Sets::new(new.len());
    // For each set of new facets that hang together: the boundaries around.
    let mut around: Vec<Vec<u32>> = vec![Vec::new(); new.len()];
    for (i, &f) in new.iter().enumerate() {
        for g in across[f as usize].into_iter().filter(|g| *g != NONE) {
            match is_new(g) {
                Some(j) => sets.unite(i as u32, j as u32),
                None => around[i].push(body.boundary_of[g as usize]),
            }
        }
    }
    let mut one: BTreeMap<u32, Option<u32>> = BTreeMap::new();
    for (i, list) in around.iter().enumerate() {
        for b in list {
            let known = one.entry(sets.root(i as u32)).or_insert(Some(*b));
            *known = known.filter(|k| k == b);
        }
    }
    for (i, &f) in new.iter().enumerate() {
        body.boundary_of[f as usize] = one.get(&sets.root(i as u32)).copied().flatten().unwrap_or(NONE);
    }
}

pub(crate) fn shrink(body: &mut Body, rebuilt: Rebuilt, gone: usize, what: &str) -> Result<String, StepError> {
    if rebuilt.mesh.triangles.is_empty() {
        return Err(refused("Nothing would be left."));
    }
    body.follow(rebuilt);
    body.drop_empty_boundaries();
    Ok(format!("{} {what} removed.", count(gone)))
}

fn length(x: f64, what: &str) -> Result<(), StepError> {
    if x > 0.0 && x.is_finite() {
        Ok(())
    } else {
        Err(refused(format!("The {what} must be a length greater than zero.")))
    }
}

pub(crate) fn cut_crossings(body: &mut Body, watch: &Watch) -> Result<String, StepError> {
    let done = resolve(&body.mesh, watch).map_err(|e| match e {
        CombineError::Cancelled(c) => StepError::Cancelled(c),
        other => refused(other.to_string()),
    })?;
    let before = body.mesh.triangles.len();
    body.follow(done.rebuilt);
    body.drop_empty_boundaries();
    Ok(format!(
        "Cut along their crossings: {}; {} became {}.",
        counted(done.meetings, "facet pair"),
        counted(before, "facet"),
        count(body.mesh.triangles.len())
    ))
}

pub(crate) fn keep_outside(body: &mut Body, watch: &Watch) -> Result<String, StepError> {
    let mut sentence = cut_crossings(body, watch)?;
    let topology = Topology::of(&body.mesh, watch)?;
    let shells = nesting::nesting(&body.mesh, &topology, watch)?;
    let inner = |f: u32| shells.get(topology.shell_of[f as usize] as usize).is_some_and(|s| s.inside > 0);
    let gone = shells.iter().filter(|s| s.inside > 0).count();
    if gone > 0 {
        let rebuilt = Rebuilt::keeping(&body.mesh, |f| !inner(f));
        let facets = body.mesh.triangles.len() - rebuilt.mesh.triangles.len();
        shrink(body, rebuilt, facets, "facets")?;
        sentence += &format!(" {} inside went with {}.", counted(gone, "shell"), counted(facets, "facet"));
    }
    Ok(sentence)
}

/// For each shell of a mesh the diagonal of its box.
pub fn shell_sizes(mesh: &hull_geometry::Mesh, topology: &Topology) -> Vec<f64> {
    let mut boxes = vec![Bounds::EMPTY; topology.shells];
    for f in 0..mesh.triangles.len() as u32 {
        if let Some(b) = boxes.get_mut(topology.shell_of[f as usize] as usize) {
            *b = mesh.corners(f).into_iter().fold(*b, Bounds::including);
        }
    }
    boxes.iter().map(Bounds::diagonal).collect()
}

pub(crate) fn drop_shells(body: &mut Body, up_to: f64, watch: &Watch) -> Result<String, StepError> {
    length(up_to, "size")?;
    let topology = Topology::of(&body.mesh, watch)?;
    let sizes = shell_sizes(&body.mesh, &topology);
    let small = |f: u32| sizes.get(topology.shell_of[f as usize] as usize).is_some_and(|s| *s <= up_to);
    let gone = sizes.iter().filter(|s| **s <= up_to).count();
    if gone == 0 {
        return Err(refused(format!("No shell is smaller than {} mm.", short(up_to))));
    }
    let rebuilt = Rebuilt::keeping(&body.mesh, |f| !small(f));
    let facets = body.mesh.triangles.len() - rebuilt.mesh.triangles.len();
    shrink(body, rebuilt, facets, "facets")?;
    Ok(format!("{} with {} dropped.", counted(gone, "shell"), counted(facets, "facet")))
}

pub(crate) fn drop_bumps(body: &mut Body, up_to: f64, round: bool, watch: &Watch) -> Result<String, StepError> {
    length(up_to, "size")?;
    let done = bumps::without_bumps(&body.mesh, up_to, round, watch)?;
    if done.bumps + done.dents == 0 {
        return Err(refused(format!(
            "No bump or dent{} is {} mm large or less, or none that could be closed over.",
            if round { "" } else { " with a sharp rim" },
            short(up_to)
        )));
    }
    let before = body.mesh.triangles.len();
    follow_closed(body, done.rebuilt);
    body.drop_empty_boundaries();
    Ok(format!(
        "{} and {} dropped; {} became {}.",
        counted(done.bumps, "bump"),
        counted(done.dents, "dent"),
        counted(before, "facet"),
        count(body.mesh.triangles.len())
    ))
}

pub(crate) fn drop_doubles(body: &mut Body, tolerance: f64, watch: &Watch) -> Result<String, StepError> {
    length(tolerance, "tolerance")?;
    let topology = Topology::of(&body.mesh, watch)?;
    let found = doubles::doubles(&body.mesh, &topology, &body.label_of, tolerance, watch)?;
    if found.spare.is_empty() {
        return Err(refused(format!(
            "No facet lies on another shell within {} mm, or on another name.",
            short(tolerance)
        )));
    }
    let rebuilt = Rebuilt::keeping(&body.mesh, |f| found.spare.binary_search(&f).is_err());
    shrink(body, rebuilt, found.spare.len(), "facets that lie on others")
}

pub(crate) fn flatten_spikes(body: &mut Body) -> Result<String, StepError> {
    let found = spikes::spikes(&body.mesh);
    if found.is_empty() {
        return Err(refused("There is no spike."));
    }
    let furthest = spikes::flatten(&mut body.mesh, &found);
    Ok(format!("{} flattened, the highest by {} mm.", counted(found.len(), "spike"), short(furthest)))
}

pub(crate) fn mend_thin_facets(body: &mut Body, tolerance: f64, watch: &Watch) -> Result<String, StepError> {
    length(tolerance, "tolerance")?;
    let (rebuilt, mended) = thin::mend_thin(&body.mesh, tolerance, |_| true, watch)?;
    if mended.drawn + mended.turned == 0 {
        return Err(refused(format!(
            "No facet thinner than {} mm could be mended; {} are that thin.",
            short(tolerance),
            count(mended.left)
        )));
    }
    body.follow(rebuilt);
    body.drop_empty_boundaries();
    Ok(format!(
        "{} drawn together, {} turned; left are {}; no point moved further than {} mm.",
        counted(mended.drawn, "short edge"),
        counted(mended.turned, "cap"),
        counted(mended.left, "thin facet"),
        short(mended.largest_move)
    ))
}

/// One number for facets of one label and one boundary, whose line to others is to stay where it is.
fn named_alike(body: &Body) -> Vec<u32> {
    let mut number = BTreeMap::new();
    let of = |list: &[u32], f: usize| list.get(f).copied().unwrap_or(NONE);
    (0..body.mesh.triangles.len())
        .map(|f| {
            let next = number.len() as u32;
            *number.entry((of(&body.label_of, f), of(&body.boundary_of, f))).or_insert(next)
        })
        .collect()
}

pub(crate) fn coarsen_within(body: &mut Body, tolerance: f64, watch: &Watch) -> Result<String, StepError> {
    length(tolerance, "tolerance")?;
    let topology = Topology::of(&body.mesh, watch)?;
    let mut held = vec![false; body.mesh.points.len()];
    let shared = topology.overshared.iter().flat_map(|e| e.ends);
    shared.chain(topology.pinched.iter().copied()).for_each(|p| held[p as usize] = true);
    let before = body.mesh.triangles.len();
    let longest = body.mesh.bounds().diagonal() * LARGEST_FACET;
    let fewer = coarsen(&body.mesh, &named_alike(body), held, tolerance, longest, watch)?.ok_or_else(|| {
        refused("Facets of this surface cross, or would; cut its crossings first, or choose a smaller tolerance.")
    })?;
    if fewer.mesh.triangles.len() == before {
        return Err(refused(format!("Fewer facets would take the surface further than {} mm.", short(tolerance))));
    }
    body.follow(fewer);
    body.drop_empty_boundaries();
    Ok(format!(
        "{} facets where there were {}; no point that went is further than {} mm from the surface.",
        count(body.mesh.triangles.len()),
        count(before),
        short(tolerance)
    ))
}

pub(crate) fn close_tunnels(body: &mut Body, up_to: f64, watch: &Watch) -> Result<String, StepError> {
    length(up_to, "length")?;
    let topology = Topology::of(&body.mesh, watch)?;
    let mut loops = handles::loops(&body.mesh, &topology, watch)?;
    loops.retain(|l| l.length <= up_to);
    if loops.is_empty() {
        return Err(refused(format!("No tunnel of a closed shell is {} mm around or less.", short(up_to))));
    }
    let before: std::collections::HashSet<u32> = topology.open.iter().map(|e| e.from).collect();
    let first = body.mesh.points.len() as u32;
    body.mesh = handles::cut_open(&body.mesh, &loops);
    // The two rims of each cut, and no other hole.
    let open = Topology::of(&body.mesh, watch)?.open;
    let ends: Vec<holes::Hole> = holes::find_holes(&body.mesh, &open)
        .into_iter()
        .filter(|h| h.points.iter().all(|p| *p >= first || !before.contains(p)))
        .collect();
    let filled = holes::fill(&body.mesh, &ends, Wish::Plain, watch)?;
    follow_closed(body, filled.rebuilt);
    Ok(format!("{} closed with {}.", counted(loops.len(), "tunnel"), counted(filled.hole_of.len(), "facet")))
}

pub(crate) fn wrap_around(body: &mut Body, offset: f64, gap: f64, watch: &Watch) -> Result<String, StepError> {
    let rebuilt = wrap(&body.mesh, &named_alike(body), offset, gap, watch).map_err(|e| match e {
        WrapError::Cancelled(c) => StepError::Cancelled(c),
        WrapError::TooFine(least) => refused(format!(
            "The offset is too small for a body of this size: it must be at least {} mm.",
            short(hull_geometry::plot::round_up(least))
        )),
        other => refused(other.to_string()),
    })?;
    body.follow(rebuilt);
    body.drop_empty_boundaries();
    Ok(format!(
        "A closed surface of {} facets stands {} mm off the body and closes gaps up to {} mm.",
        count(body.mesh.triangles.len()),
        short(offset),
        short(gap)
    ))
}
