//! Picks, selections and rules against their plain definitions, on bodies of several parts whose facets can be gone through one
//! by one.

use crate::common::body;
use hull_fitting::{Fit, Shape};
use hull_formats::Label;
use hull_geometry::shapes::{cone, cuboid, sphere, torus};
use hull_geometry::transform::translate;
use hull_geometry::vector::{V3, add, cross, distance, dot, norm, scale, sub, unit};
use hull_geometry::{FacetId, Mesh, NONE, Point, PointId, Watch};
use hull_workshop::body::Boundary;
use hull_workshop::datums::Datum;
use hull_workshop::rules::{Rule, claims};
use hull_workshop::selection::{Pick, Selection};
use hull_workshop::steps::Step;
use hull_workshop::steps::set_rules::SetRules;
use hull_workshop::{Body, Destination, apply};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use typed_index_collections::TiVec;

type Facets = BTreeSet<FacetId>;
/// What a pick is made of: its kind, which facet or name, a part of a whole, a direction.
type Numbers = (usize, usize, f64, V3);
/// Picks together, picks less, rings, all others.
type Sets = (Vec<Numbers>, Vec<Numbers>, i32, bool);

const LABELS: [(&str, Option<&str>); 4] =
    [("plate left", Some("steel S235")), ("plate right", Some("steel S355")), ("ball", None), ("ring", Some("rubber"))];
const BOUNDARIES: [&str; 3] = ["inlet", "wall", "rim"];

/// Parts apart from each other, one label each; facets of boundaries by chance.
fn parts(spots: &[V3; 4], named: &[usize]) -> Body {
    let shapes = [cuboid([6.0, 4.0, 1.0]), cone(2.0, 5.0, 10), sphere(2.5, 9, 6), torus(3.0, 1.0, 9, 7)];
    let mut whole = Mesh::default();
    let mut label: TiVec<FacetId, u32> = TiVec::new();
    for (i, mut shape) in shapes.into_iter().enumerate() {
        translate(
            &mut shape,
            add(spots[i], [[0.0, 0.0, 0.0], [12.0, 0.0, 0.0], [0.0, 12.0, 0.0], [12.0, 12.0, 1.0]][i]),
        );
        whole.append(&shape);
        label.resize(whole.triangles.len(), i as u32);
    }
    let mut b = body(whole);
    b.columns.label = label;
    b.facts.labels = LABELS
        .iter()
        .map(|(name, material)| Label { name: (*name).into(), material: material.map(str::to_string) })
        .collect();
    b.facts.boundaries = BOUNDARIES.iter().map(|name| Boundary::new(*name, None, "picked")).collect();
    for (i, f) in b.mesh.triangles.keys().enumerate() {
        b.columns.boundary[f] = match named[i % named.len()] {
            k if k < BOUNDARIES.len() => k as u32,
            _ => NONE,
        };
    }
    let ball = Shape::Sphere { at: add(spots[2], [0.0, 12.0, 0.0]), radius: 2.5 };
    b.facts.datums = vec![Datum { name: "ball".into(), fit: Fit { shape: ball, rms: 0.0, largest: 0.0, points: 9 } }];
    b
}

fn bodies() -> impl Strategy<Value = Body> {
    (prop::array::uniform4(prop::array::uniform3(-1.0..1.0_f64)), prop::collection::vec(0_usize..6, 5..40))
        .prop_map(|(spots, named)| parts(&spots, &named))
}

fn middle(mesh: &Mesh, f: FacetId) -> Point {
    mesh.corners(f).into_iter().fold([0.0; 3], |s, p| add(s, scale(p, 1.0 / 3.0)))
}

fn normal(mesh: &Mesh, f: FacetId) -> V3 {
    unit(mesh.area_vector(f)).unwrap()
}

/// By facet, those over its edges.
fn neighbours(mesh: &Mesh) -> TiVec<FacetId, Vec<FacetId>> {
    let mut of: BTreeMap<(PointId, PointId), Vec<FacetId>> = BTreeMap::new();
    for (f, t) in mesh.triangles.iter_enumerated() {
        for k in 0..3 {
            let (a, b) = (t[k], t[(k + 1) % 3]);
            of.entry((a.min(b), a.max(b))).or_default().push(f);
        }
    }
    let mut out: TiVec<FacetId, Vec<FacetId>> = mesh.triangles.keys().map(|_| Vec::new()).collect();
    for pair in of.values() {
        assert_eq!(pair.len(), 2, "closed parts");
        out[pair[0]].push(pair[1]);
        out[pair[1]].push(pair[0]);
    }
    out
}

/// What is reached from a facet over edges of at most so many degrees.
fn reached(mesh: &Mesh, seed: FacetId, angle: f64) -> Facets {
    let beside = neighbours(mesh);
    let (mut found, mut open) = (Facets::from([seed]), vec![seed]);
    while let Some(f) = open.pop() {
        for g in &beside[f] {
            let (m, n) = (normal(mesh, f), normal(mesh, *g));
            let turn = norm(cross(m, n)).atan2(dot(m, n)).to_degrees();
            if turn <= angle && found.insert(*g) {
                open.push(*g);
            }
        }
    }
    found
}

/// Whether a pattern with `*` for any letters means a name, by all ways to read it.
fn means(pattern: &[char], name: &[char]) -> bool {
    match (pattern.split_first(), name.split_first()) {
        (None, rest) => rest.is_none(),
        (Some(('*', rest)), left) => means(rest, name) || left.is_some_and(|(_, shorter)| means(pattern, shorter)),
        (Some((p, rest)), Some((n, shorter))) => p == n && means(rest, shorter),
        (Some(_), None) => false,
    }
}

/// How far a point is from a triangle: from its plane over its inside, else from its nearest side.
fn to_facet(p: Point, [a, b, c]: [Point; 3]) -> f64 {
    let n = unit(cross(sub(b, a), sub(c, a))).unwrap();
    let over = [[a, b], [b, c], [c, a]].iter().all(|[q, r]| dot(cross(sub(*r, *q), sub(p, *q)), n) >= 0.0);
    if over {
        return dot(sub(p, a), n).abs();
    }
    let side = |q: Point, r: Point| {
        let along = sub(r, q);
        let t = (dot(sub(p, q), along) / dot(along, along)).clamp(0.0, 1.0);
        distance(p, add(q, scale(along, t)))
    };
    side(a, b).min(side(b, c)).min(side(c, a))
}

/// What a pick says, facet by facet; `None` where a number is so near a limit that rounding decides.
fn plain(b: &Body, pick: &Pick) -> Option<Facets> {
    let mesh = &b.mesh;
    let those = |holds: &dyn Fn(FacetId) -> bool| Some(mesh.triangles.keys().filter(|f| holds(*f)).collect());
    let at_place =
        |at: &Point| mesh.triangles.keys().find(|f| distance(middle(mesh, *f), *at) < 1e-12).expect("a middle");
    let letters = |s: &str| s.chars().collect::<Vec<_>>();
    match pick {
        Pick::Facet { at } => Some(Facets::from([at_place(at)])),
        Pick::Grow { at, angle } => Some(reached(mesh, at_place(at), *angle)),
        Pick::Connected { at } => Some(reached(mesh, at_place(at), 180.0)),
        Pick::Label { name } => those(&|f| means(&letters(name), &letters(LABELS[b.columns.label[f] as usize].0))),
        Pick::Material { name } => {
            those(&|f| LABELS[b.columns.label[f] as usize].1.is_some_and(|m| means(&letters(name), &letters(m))))
        }
        Pick::Boundary { name } => {
            those(&|f| b.facts.boundaries.get(b.columns.boundary[f] as usize).is_some_and(|own| own.name == *name))
        }
        Pick::Unnamed => those(&|f| b.columns.boundary[f] == NONE),
        Pick::Direction { direction, angle } => {
            let d = unit(*direction)?;
            let turn = |f: FacetId| norm(cross(normal(mesh, f), d)).atan2(dot(normal(mesh, f), d)).to_degrees();
            let close = mesh.triangles.keys().any(|f| (turn(f) - angle).abs() < 1e-4);
            if close { None } else { those(&|f| turn(f) < *angle) }
        }
        Pick::Within { from, to } => those(&|f| {
            mesh.corners(f).iter().all(|p| (0..3).all(|k| from[k].min(to[k]) <= p[k] && p[k] <= from[k].max(to[k])))
        }),
        Pick::Datum { name, within } => {
            let datum = b.facts.datums.iter().find(|d| d.name == *name);
            let off = |p: &Point| datum.map_or(f64::INFINITY, |d| d.fit.shape.distance(*p));
            those(&|f| mesh.corners(f).iter().all(|p| off(p) <= *within))
        }
        Pick::Facing { name, within } => {
            let named = plain(b, &Pick::Label { name: name.clone() })?;
            let mut unsure = false;
            let mut found = Facets::new();
            for f in mesh.triangles.keys().filter(|f| !named.contains(f)) {
                let (m, n) = (middle(mesh, f), normal(mesh, f));
                let opposed = named.iter().filter(|g| dot(n, normal(mesh, **g)) <= -0.5);
                let near = opposed.map(|g| (to_facet(m, mesh.corners(*g)), *g)).min_by(|a, b| a.0.total_cmp(&b.0));
                let Some((d, g)) = near else { continue };
                unsure |= (d - within).abs() < 1e-9;
                // In the way of its normal: parts stand apart, so the facet looks at it or away.
                let ahead = mesh.corners(g).map(|p| dot(sub(p, m), n)).into_iter();
                let (most, least) = ahead.fold((f64::NEG_INFINITY, f64::INFINITY), |(h, l), x| (h.max(x), l.min(x)));
                if d <= *within {
                    unsure |= most > 0.0 && least < 0.0;
                    if least >= 0.0 {
                        found.insert(f);
                    }
                }
            }
            if unsure { None } else { Some(found) }
        }
        _ => None,
    }
}

/// A pick of each kind, from plain numbers; places are middles of facets.
fn pick_of(b: &Body, (kind, which, x, d): &Numbers) -> Pick {
    let at = middle(&b.mesh, FacetId::from(which % b.mesh.triangles.len()));
    let some = |list: &[&str]| list[which % list.len()].to_string();
    match kind % 11 {
        0 => Pick::Facet { at },
        1 => Pick::Grow { at, angle: 120.0 * x },
        2 => Pick::Connected { at },
        3 => Pick::Label { name: some(&["plate*", "*a*", "ball", "*", "ring*", "none", "p*r*t", "*l", ""]) },
        4 => Pick::Material { name: some(&["steel*", "*355", "rubber", "*", "steel", "*e*2*"]) },
        5 => Pick::Boundary { name: some(&["inlet", "wall", "rim", "none"]) },
        6 => Pick::Unnamed,
        7 => Pick::Direction { direction: *d, angle: 170.0 * x },
        8 => Pick::Within { from: at, to: add(at, scale(*d, 30.0 * x)) },
        9 => Pick::Datum { name: some(&["ball", "none"]), within: x * 3.0 },
        _ => Pick::Facing { name: some(&["plate*", "ball", "ring"]), within: 12.0 * x },
    }
}

fn numbers() -> impl Strategy<Value = Numbers> {
    (0_usize..11, 0_usize..1000, 0.0..1.0_f64, prop::array::uniform3(-1.0..1.0_f64))
}

/// Sets by hand: those of the first list together, less those of the second, rings of facets that share a point, all others.
fn by_hand(b: &Body, selection: &Selection) -> Option<Facets> {
    let union = |picks: &[Pick]| {
        picks.iter().try_fold(Facets::new(), |mut all, p| {
            all.extend(plain(b, p)?);
            Some(all)
        })
    };
    let mut chosen: Facets = &union(&selection.include)? - &union(&selection.exclude)?;
    let all: Facets = b.mesh.triangles.keys().collect();
    let wider = |of: &Facets| -> Facets {
        let points: BTreeSet<PointId> = of.iter().flat_map(|f| b.mesh.triangles[*f]).collect();
        all.iter().copied().filter(|f| b.mesh.triangles[*f].iter().any(|p| points.contains(p))).collect()
    };
    for _ in 0..selection.rings {
        chosen = wider(&chosen);
    }
    for _ in selection.rings..0 {
        chosen = &all - &wider(&(&all - &chosen));
    }
    Some(if selection.inverted { &all - &chosen } else { chosen })
}

fn selections() -> impl Strategy<Value = Sets> {
    (prop::collection::vec(numbers(), 1..4), prop::collection::vec(numbers(), 0..3), -2..3_i32, any::<bool>())
}

fn selection_of(b: &Body, (include, exclude, rings, inverted): &Sets) -> Selection {
    let picks = |list: &[Numbers]| list.iter().map(|n| pick_of(b, n)).collect();
    Selection { include: picks(include), exclude: picks(exclude), rings: *rings, inverted: *inverted }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 160, ..ProptestConfig::default() })]

    /// Every kind of pick gives the facets that its definition does, ascending, and survives being written and read.
    #[test]
    fn a_pick_is_what_it_says(b in bodies(), n in prop::collection::vec(numbers(), 12)) {
        for n in &n {
            let pick = pick_of(&b, n);
            let Some(by_definition) = plain(&b, &pick) else { continue };
            let found = Selection::from(pick.clone()).facets(&b);
            prop_assert!(found.windows(2).all(|w| w[0] < w[1]));
            let found: Facets = found.into_iter().collect();
            let (more, less) = (&found - &by_definition, &by_definition - &found);
            prop_assert!(more.is_empty() && less.is_empty(), "{}: {more:?} too many, {less:?} missing", pick.said());
            let text = serde_json::to_string(&pick).unwrap();
            prop_assert_eq!(serde_json::from_str::<Pick>(&text).unwrap(), pick);
        }
    }

    /// Selections are sets: together, less, rings, all others.
    #[test]
    fn selections_are_sets(b in bodies(), s in selections()) {
        let s = selection_of(&b, &s);
        let Some(by_hand) = by_hand(&b, &s) else { return Ok(()) };
        let found: Facets = s.facets(&b).into_iter().collect();
        prop_assert_eq!(found, by_hand, "{}", s.said());
        let text = serde_json::to_string(&s).unwrap();
        prop_assert_eq!(serde_json::from_str::<Selection>(&text).unwrap(), s);
    }

    /// What rules claim, claim twice and leave free; a later rule has what it says whatever an earlier one took, and the rest is
    /// what none before it took. Applied, every facet bears the last name that claims it, and names of other facets stay.
    #[test]
    fn rules_name_what_they_claim(b in bodies(), picks in prop::collection::vec(selections(), 1..5), rest in any::<bool>()) {
        let rules: Vec<Rule> = picks.iter().enumerate().map(|(i, s)| {
            let last = rest && i + 1 == picks.len();
            // A rule says what the body has, not what boundaries have, which it is to say.
            let mut pick = if last { Selection::from(Pick::Unnamed) } else { selection_of(&b, s) };
            if !last {
                pick.include.retain(|p| !matches!(p, Pick::Unnamed | Pick::Boundary { .. }));
                pick.exclude.retain(|p| !matches!(p, Pick::Unnamed | Pick::Boundary { .. }));
                if pick.include.is_empty() {
                    pick.include.push(Pick::Label { name: "ball".into() });
                }
            }
            Rule { name: format!("rule {i}"), role: None, pick, area: 0.0, before: None }
        }).collect();
        let (found, free) = claims(&b, &rules);
        let area = |set: &mut dyn Iterator<Item = &FacetId>| set.map(|f| norm(b.mesh.area_vector(*f)) / 2.0).sum::<f64>();
        let mut taken = Facets::new();
        let mut own: TiVec<FacetId, Option<usize>> = b.mesh.triangles.keys().map(|_| None).collect();
        for (i, (rule, claim)) in rules.iter().zip(&found).enumerate() {
            let says: Facets = if rule.pick == Selection::from(Pick::Unnamed) {
                b.mesh.triangles.keys().filter(|f| !taken.contains(f)).collect()
            } else {
                let Some(says) = by_hand(&b, &rule.pick) else { return Ok(()) };
                says
            };
            let claimed: Facets = claim.facets.iter().copied().collect();
            prop_assert_eq!(&claimed, &says);
            let twice: Facets = &claimed & &taken;
            prop_assert_eq!(claim.disputed, twice.len());
            prop_assert!((claim.area - area(&mut claimed.iter())).abs() < 1e-9);
            prop_assert!((claim.disputed_area - area(&mut twice.iter())).abs() < 1e-9);
            claimed.iter().for_each(|f| own[*f] = Some(i));
            taken.extend(claimed);
        }
        prop_assert_eq!(free.into_iter().collect::<Facets>(), b.mesh.triangles.keys().filter(|f| !taken.contains(f)).collect::<Facets>());
        let step: Step = SetRules { rules: rules.clone() }.into();
        let (after, _) = apply(&b, &step, &Destination::named("solid").unwrap(), &Watch::default()).unwrap();
        let name = |b: &Body, f: FacetId| b.facts.boundaries.get(b.columns.boundary[f] as usize).map(|x| x.name.clone());
        for f in b.mesh.triangles.keys() {
            let due = own[f].map(|i| format!("rule {i}")).or_else(|| name(&b, f));
            prop_assert_eq!(name(&after, f), due);
        }
        for (kept, claim) in after.facts.rules.iter().zip(&found) {
            prop_assert!((kept.area - claim.area).abs() < 1e-9 && kept.before.is_none());
        }
        // Again, on what it gave: the same names, and each rule is held against what it had.
        let again: Step = SetRules { rules: after.facts.rules.clone() }.into();
        let (twice, _) = apply(&after, &again, &Destination::named("solid").unwrap(), &Watch::default()).unwrap();
        for f in b.mesh.triangles.keys() {
            prop_assert_eq!(name(&twice, f), name(&after, f));
        }
        for (now, before) in twice.facts.rules.iter().zip(&after.facts.rules) {
            prop_assert!((now.area - before.area).abs() < 1e-9);
            prop_assert_eq!(now.before, (before.area > 0.0).then_some(before.area));
        }
    }
}
