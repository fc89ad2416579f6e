//! Names of facets, held against a plain list: whatever is named, renamed, merged, coloured, taken apart and dropped, in any order.

use hull_geometry::dirt::Dice;
use hull_geometry::shapes::cubes;
use hull_geometry::vector::{V3, add, dot, norm, scale, unit};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Watch};
use hull_workshop::body::Role;
use hull_workshop::destination::Destination;
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::steps::colour_boundary::{COLOURS, ColourBoundary};
use hull_workshop::steps::drop_boundary::DropBoundary;
use hull_workshop::steps::name_boundary::NameBoundary;
use hull_workshop::steps::rename_boundary::RenameBoundary;
use hull_workshop::steps::set_role::SetRole;
use hull_workshop::steps::set_roles::SetRoles;
use hull_workshop::steps::split_boundary::SplitBoundary;
use hull_workshop::steps::{Step, apply};
use hull_workshop::{Body, steps};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use typed_index_collections::{TiVec, ti_vec};

/// Some say their role.
const NAMES: [&str; 6] = ["inlet duct", "wall", "Outlet-2", "skin", "wall 1", "rim"];

/// What a boundary is, beside its facets.
#[derive(Clone, Debug, Default, PartialEq)]
struct Kept {
    role: Option<Role>,
    colour: Option<u8>,
}

/// The names of all facets, and what is known of each name.
#[derive(Clone, Debug, Default)]
struct Plain {
    of: TiVec<FacetId, Option<String>>,
    kept: BTreeMap<String, Kept>,
}

impl Plain {
    fn facets(&self, name: Option<&str>) -> Vec<FacetId> {
        self.of.keys().filter(|f| self.of[*f].as_deref() == name).collect()
    }

    /// Names without a facet are forgotten.
    fn settle(&mut self) {
        let used: BTreeSet<&String> = self.of.iter().flatten().collect();
        self.kept.retain(|name, _| used.contains(name));
    }

    fn name(&mut self, facets: &[FacetId], name: &str, role: Option<Role>) {
        let kept = self.kept.entry(name.to_string()).or_default();
        if role.is_some() || kept.role.is_none() {
            kept.role = role.or_else(|| {
                Role::ALL
                    .into_iter()
                    .find(|r| name.to_lowercase().split(|c: char| !c.is_alphabetic()).any(|w| w == r.name()))
            });
        }
        facets.iter().for_each(|f| self.of[*f] = Some(name.to_string()));
        self.settle();
    }
}

fn middle(mesh: &Mesh, f: FacetId) -> Point {
    mesh.corners(f).into_iter().fold([0.0; 3], |sum, p| add(sum, scale(p, 1.0 / 3.0)))
}

/// Facets that hang together over sides that two of them share, by trying all.
fn pieces(mesh: &Mesh, facets: &[FacetId]) -> Vec<Vec<FacetId>> {
    let mut at: BTreeMap<[PointId; 2], Vec<FacetId>> = BTreeMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            at.entry([a.min(b), a.max(b)]).or_default().push(f);
        }
    }
    let mut left: BTreeSet<FacetId> = facets.iter().copied().collect();
    let mut out = Vec::new();
    while let Some(first) = left.pop_first() {
        let (mut piece, mut list) = (vec![first], vec![first]);
        while let Some(f) = list.pop() {
            for pair in at.values().filter(|p| p.len() == 2 && p.contains(&f)) {
                for g in pair {
                    if left.remove(g) {
                        piece.push(*g);
                        list.push(*g);
                    }
                }
            }
        }
        piece.sort_unstable();
        out.push(piece);
    }
    let area = |p: &Vec<FacetId>| p.iter().map(|f| norm(mesh.area_vector(*f)) / 2.0).sum::<f64>();
    // All facets of cubes are alike: as many are as large.
    out.sort_by(|a, b| (area(b) * 2.0).round().total_cmp(&(area(a) * 2.0).round()).then(a[0].cmp(&b[0])));
    out
}

/// A pick, and the facets that it means, by trying all.
fn any_pick(dice: &mut Dice, mesh: &Mesh, plain: &Plain) -> (Pick, Vec<FacetId>) {
    let all = || mesh.triangles.keys();
    let some = FacetId((dice.roll() % mesh.triangles.len() as u64) as u32);
    let axis =
        |n: u64| -> V3 { [0, 1, 2].map(|k| if n as usize % 3 == k { if n < 3 { 1.0 } else { -1.0 } } else { 0.0 }) };
    match dice.roll() % 5 {
        0 => (Pick::Facet { at: middle(mesh, some) }, vec![some]),
        1 => {
            let direction = axis(dice.roll() % 6);
            let faces = |f: &FacetId| dot(unit(mesh.area_vector(*f)).expect("an area"), direction) > 0.9;
            (Pick::Direction { direction: scale(direction, 7.0), angle: 10.0 }, all().filter(faces).collect())
        }
        2 => {
            let [from, to] = [0; 2].map(|_| [0; 3].map(|_| (dice.roll() % 4) as f64));
            let inside = |p: &Point| (0..3).all(|k| (p[k] - from[k]) * (p[k] - to[k]) <= 0.0);
            (Pick::Within { from, to }, all().filter(|f| mesh.corners(*f).iter().all(inside)).collect())
        }
        3 => {
            let name = NAMES[dice.roll() as usize % NAMES.len()];
            (Pick::Boundary { name: name.into() }, plain.facets(Some(name)))
        }
        _ => (Pick::Unnamed, plain.facets(None)),
    }
}

/// A step, and what the plain list becomes by it; nothing where it is to be refused.
fn any_change(dice: &mut Dice, mesh: &Mesh, before: &Plain) -> (Step, Option<Plain>) {
    let name = NAMES[dice.roll() as usize % NAMES.len()];
    let other = NAMES[dice.roll() as usize % NAMES.len()];
    let role = Role::ALL[dice.roll() as usize % Role::ALL.len()];
    let known = before.kept.contains_key(name);
    let mut after = before.clone();
    let text = String::from;
    match dice.roll() % 10 {
        0..=3 => {
            let picks = [0; 2].map(|_| any_pick(dice, mesh, before));
            let less = any_pick(dice, mesh, before);
            let both = dice.roll().is_multiple_of(2);
            let mut facets: BTreeSet<FacetId> = picks[0].1.iter().copied().collect();
            let mut selection = Selection::from(picks[0].0.clone());
            if both {
                facets.extend(&picks[1].1);
                facets.retain(|f| !less.1.contains(f));
                selection = Selection {
                    include: picks.iter().map(|p| p.0.clone()).collect(),
                    exclude: vec![less.0],
                    ..Selection::default()
                };
            }
            let role = dice.roll().is_multiple_of(2).then_some(role);
            let facets: Vec<FacetId> = facets.into_iter().collect();
            after.name(&facets, name, role);
            // Names with room around them are the same names.
            let step = NameBoundary { name: format!(" {name}"), role, pick: selection };
            (step.into(), (!facets.is_empty()).then_some(after))
        }
        4 | 5 => {
            let step = RenameBoundary { name: text(name), to: text(other) }.into();
            if !known || name == other {
                return (step, None);
            }
            let own = after.kept.remove(name).unwrap_or_default();
            let facets = before.facets(Some(name));
            let target = after.kept.entry(text(other)).or_insert(Kept { role: None, colour: own.colour });
            target.role = target.role.or(own.role);
            facets.iter().for_each(|f| after.of[*f] = Some(text(other)));
            (step, Some(after))
        }
        6 => {
            let (id, _) = COLOURS[dice.roll() as usize % COLOURS.len()];
            let number = COLOURS.iter().position(|c| c.0 == id).map(|n| n as u8);
            if let Some(kept) = after.kept.get_mut(name) {
                kept.colour = number;
            }
            (ColourBoundary { name: text(name), colour: text(id) }.into(), known.then_some(after))
        }
        7 => {
            let both = before.kept.contains_key(other);
            for own in [name, other] {
                if let Some(kept) = after.kept.get_mut(own) {
                    kept.role = Some(role);
                }
            }
            if dice.roll().is_multiple_of(2) {
                return (
                    SetRoles { names: vec![text(name), text(other)], role }.into(),
                    (known && both).then_some(after),
                );
            }
            let mut one = before.clone();
            if let Some(kept) = one.kept.get_mut(name) {
                kept.role = Some(role);
            }
            (SetRole { name: text(name), role }.into(), known.then_some(one))
        }
        8 => {
            let step = SplitBoundary { name: text(name) }.into();
            let parts = pieces(mesh, &before.facets(Some(name)));
            if parts.len() < 2 {
                return (step, None);
            }
            let own = before.kept[name].clone();
            for (k, part) in parts.iter().enumerate() {
                let plain = format!("{name} {}", k + 1);
                let is_free = |title: &String| !after.kept.contains_key(title);
                let title = std::iter::once(plain.clone()).chain((2..).map(|n| format!("{plain} ({n})"))).find(is_free);
                let title = title.expect("some number is free");
                after.kept.insert(title.clone(), Kept { role: own.role, colour: None });
                part.iter().for_each(|f| after.of[*f] = Some(title.clone()));
            }
            after.settle();
            (step, Some(after))
        }
        _ => {
            before.facets(Some(name)).iter().for_each(|f| after.of[*f] = None);
            after.settle();
            (DropBoundary { name: text(name) }.into(), known.then_some(after))
        }
    }
}

/// What a body says, as the plain list says it.
fn read(body: &Body) -> Plain {
    let named = |b: &u32| (*b != NONE).then(|| body.facts.boundaries[*b as usize].name.clone());
    Plain {
        of: body.columns.boundary.iter().map(named).collect(),
        kept: body.facts.boundaries.iter().map(|b| (b.name.clone(), Kept { role: b.role, colour: b.colour })).collect(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    /// Forty steps in any order: every facet has the name that the plain list gives it, every name is there once with its role and
    /// its colour, what cannot be is refused with a sentence and changes nothing, and every step comes back from its text.
    #[test]
    fn names_are_what_a_plain_list_says(
        heap in prop::collection::btree_set(prop::array::uniform3(0..3_i32), 1..14),
        seed: u64,
    ) {
        let mesh = cubes(&heap);
        let columns = hull_workshop::body::Columns { boundary: ti_vec![NONE; mesh.triangles.len()], ..Default::default() };
        let mut body = Body { columns, mesh: mesh.clone(), ..Body::default() };
        let mut plain = Plain { of: ti_vec![None; mesh.triangles.len()], kept: BTreeMap::new() };
        let mut dice = Dice(seed);
        for _ in 0..40 {
            let (step, expected) = any_change(&mut dice, &mesh, &plain);
            let text = serde_json::to_string(&step).expect("a step is text");
            prop_assert_eq!(&serde_json::from_str::<steps::Step>(&text).expect("and comes back"), &step);
            match (apply(&body, &step, &Destination::asking_nothing(), &Watch::default()), expected) {
                (Ok((made, change)), Some(after)) => {
                    let found = read(&made);
                    prop_assert_eq!(&found.of, &after.of, "{}", text);
                    prop_assert_eq!(&found.kept, &after.kept, "{}", text);
                    prop_assert_eq!(made.facts.boundaries.len(), after.kept.len(), "each name once");
                    prop_assert!(change.sentence.ends_with('.'), "{}", change.sentence);
                    prop_assert_eq!(change.largest_move, 0.0, "names move nothing");
                    (body, plain) = (made, after);
                }
                (Err(refused), None) => {
                    let said = refused.to_string();
                    prop_assert!(said.ends_with('.') && said.len() > 10, "{}", said);
                }
                (Ok(_), None) => prop_assert!(false, "{} was done", text),
                (Err(refused), Some(_)) => prop_assert!(false, "{}: {}", text, refused),
            }
        }
    }
}
