//! Assemblies drawn at random: what their bodies are called, measure and look like, and what is left when some are taken out.

use crate::common::any_motion;
use hull_exact::assembly::usual_fineness;
use hull_exact::bodies::BodyFigures;
use hull_exact::model::{Model, Node, NodeId, Part, PartId, Tessellated};
use hull_exact::parameter_loops::Reader;
use hull_exact::prism::{Outline, prism};
use hull_exact::shape::Colour;
use hull_exact::{Curve, Frame, Motion, Shape};
use hull_geometry::shapes::cuboid;
use hull_geometry::{Watch, measure};
use proptest::prelude::*;
use std::collections::{BTreeMap, BTreeSet};
use typed_index_collections::TiVec;

/// A part with bars of known volume beside each other, boxes that came as facets, and perhaps a line.
fn part(number: usize, bars: usize, boxes: usize, line: bool, colours: &[Option<Colour>]) -> Part {
    let mut shape = Shape { tolerance: 1e-9, ..Shape::default() };
    for i in 0..bars {
        let frame = Frame { origin: [10.0 * i as f64, 0.0, 0.0], ..Frame::WORLD };
        let side = 1.0 + i as f64;
        let outline = Outline::polygon([[0.0, 0.0], [side, 0.0], [side, 2.0], [0.0, 2.0]]);
        let mut bar = prism(&frame, &outline, &[], 3.0);
        bar.lumps[0].name = format!("bar {i}");
        bar.lumps[0].colour = colours[i % colours.len()];
        shape.append(bar);
    }
    if line {
        let ends = [shape.add_vertex([0.0, -5.0, 0.0]), shape.add_vertex([4.0, -5.0, 0.0])];
        let curve = Curve::Line { origin: [0.0, -5.0, 0.0], along: [1.0, 0.0, 0.0] };
        let edge = shape.add_edge(curve, [0.0, 4.0], ends);
        shape.wires.push(edge);
    }
    let tessellated = (0..boxes)
        .map(|i| {
            let mut mesh = cuboid([1.0, 1.0, 2.0 + i as f64]);
            mesh.points.iter_mut().for_each(|p| p[1] += 20.0 + 5.0 * i as f64);
            Tessellated { name: format!("box {i}"), colour: colours[(i + 1) % colours.len()], mesh }
        })
        .collect();
    Part { name: format!("part {number}"), shape, tessellated }
}

fn any_colour() -> impl Strategy<Value = Option<Colour>> {
    prop::option::of(prop::sample::select(vec![[1.0, 0.0, 0.0], [0.0, 0.5, 1.0], [0.2, 0.2, 0.2]]))
}

/// A tree of places, each below an earlier one, with a part or without; placements are those of the whole.
fn any_model() -> impl Strategy<Value = Model> {
    let content = (0..3_usize, 0..3_usize, any::<bool>(), prop::collection::vec(any_colour(), 2));
    let place = (any::<prop::sample::Index>(), any::<prop::sample::Index>(), any::<bool>(), any_motion(), any_colour());
    (prop::collection::vec(content, 1..4), prop::collection::vec(place, 1..7)).prop_map(|(parts, places)| {
        let parts: TiVec<PartId, Part> =
            parts.iter().enumerate().map(|(i, (bars, boxes, line, c))| part(i, *bars, *boxes, *line, c)).collect();
        let mut nodes: TiVec<NodeId, Node> = TiVec::new();
        for (i, (parent, of, has_part, placement, colour)) in places.iter().enumerate() {
            let parent = (i > 0).then(|| NodeId::from(parent.index(i)));
            let part = has_part.then(|| PartId::from(of.index(parts.len())));
            nodes.push(Node { name: format!("place {i}"), parent, part, placement: *placement, colour: *colour });
        }
        Model { parts, nodes, unit: None }
    })
}

/// What each body should be, by its name: volume, area of a solid, colour.
fn expected(model: &Model) -> BTreeMap<String, (f64, Option<Colour>)> {
    let mut out = BTreeMap::new();
    for (node, part) in model.occurrences() {
        let path = model.path(node);
        let scale = node.placement.scale.powi(3);
        let several = part.shape.lumps.len() > 1;
        for (i, lump) in part.shape.lumps.iter().enumerate() {
            let name = if several { format!("{path} / {}", lump.name) } else { path.clone() };
            out.insert(name, ((1.0 + i as f64) * 6.0 * scale, lump.colour.or(node.colour)));
        }
        for (i, t) in part.tessellated.iter().enumerate() {
            out.insert(format!("{path} / {}", t.name), ((2.0 + i as f64) * scale, t.colour.or(node.colour)));
        }
        if !part.shape.wires.is_empty() {
            let alone = part.shape.lumps.is_empty() && part.tessellated.is_empty();
            out.insert(if alone { path } else { format!("{path} / curves") }, (0.0, node.colour));
        }
    }
    out
}

fn same_bodies(found: &[BodyFigures], expected: &BTreeMap<String, (f64, Option<Colour>)>) -> Result<(), TestCaseError> {
    let names: BTreeSet<&String> = found.iter().map(|b| &b.name).collect();
    prop_assert_eq!(names.len(), found.len(), "each name once");
    prop_assert_eq!(names, expected.keys().collect::<BTreeSet<_>>());
    for body in found {
        let (volume, colour) = expected[&body.name];
        prop_assert!((body.volume - volume).abs() <= 1e-6 * volume, "{}: {} for {}", body.name, body.volume, volume);
        prop_assert_eq!(body.colour, colour, "{}", body.name);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Every body in every place has its name, its volume and its colour, and the whole is their sum; the facets of the whole
    /// enclose the same, and bear the same names.
    #[test]
    fn bodies_of_an_assembly_are_those_that_were_put_there(model in any_model()) {
        let figures = model.figures(Reader::Trusting);
        let all = expected(&model);
        same_bodies(&figures.bodies, &all)?;
        // Solids alone count as exact volume; what came as facets has its own.
        let sum: f64 = figures.bodies.iter().map(|b| b.volume).sum();
        prop_assert!((figures.volume - sum).abs() <= 1e-9 * sum.max(1.0));
        let fineness = usual_fineness(model.rough_bounds().diagonal());
        let made = model.facets(&fineness, Reader::Trusting, &Motion::NONE, &Watch::default()).expect("not cancelled");
        prop_assert!(made.failed.is_empty(), "{:?}", made.failed);
        prop_assert_eq!(made.label_of.len(), made.mesh.triangles.len());
        let mass = measure::mass(&made.mesh, &made.mesh.bounds());
        prop_assert!((mass.volume - sum).abs() <= 1e-6 * sum.max(1.0), "{} of facets for {}", mass.volume, sum);
        let labelled: BTreeSet<&String> = made.label_of.iter().map(|l| &made.labels[*l as usize].body).collect();
        let with_faces: BTreeSet<&String> = figures.bodies.iter().filter(|b| b.curves == 0).map(|b| &b.name).collect();
        prop_assert_eq!(labelled, with_faces);
        let count = model.count_facets(&fineness, Reader::Trusting, &Watch::default()).expect("not cancelled");
        prop_assert_eq!(count, made.mesh.triangles.len());
    }

    /// With some bodies taken out the others are what they were, in their places and colours, and each face that is left says
    /// which it was.
    #[test]
    fn bodies_that_stay_are_what_they_were(model in any_model(), picks in prop::collection::vec(any::<bool>(), 40)) {
        let mut all = expected(&model);
        let gone: BTreeSet<String> = all.keys().zip(&picks).filter(|(_, p)| **p).map(|(n, _)| n.clone()).collect();
        let before = labels(&model);
        let (left, old) = model.without_bodies(&gone);
        all.retain(|name, _| !gone.contains(name));
        // A part that keeps one body of several is called by its place alone.
        let renamed: BTreeMap<String, (f64, Option<Colour>)> = {
            let found = left.figures(Reader::Trusting);
            let volumes = |all: Vec<f64>| {
                let mut all = all;
                all.sort_by(f64::total_cmp);
                all
            };
            let (mine, theirs) = (
                volumes(found.bodies.iter().map(|b| b.volume).collect()),
                volumes(all.values().map(|v| v.0).collect()),
            );
            prop_assert_eq!(mine.len(), theirs.len());
            prop_assert!(mine.iter().zip(&theirs).all(|(a, b)| (a - b).abs() <= 1e-6 * b), "{:?} for {:?}", mine, theirs);
            found.bodies.into_iter().map(|b| (b.name, (b.volume, b.colour))).collect()
        };
        for (name, (volume, colour)) in &renamed {
            let was = all.get(name).or_else(|| all.iter().find(|(n, _)| n.starts_with(&format!("{name} / "))).map(|x| x.1));
            prop_assert!(was.is_some_and(|w| (w.0 - volume).abs() <= 1e-6 * w.0 && w.1 == *colour), "{name}: {volume}");
        }
        let after = labels(&left);
        prop_assert_eq!(after.len(), old.len());
        for (new, was) in after.iter().zip(&old) {
            let before = &before[*was as usize];
            prop_assert!(before.starts_with(new.as_str()), "{new} was {before}");
        }
        prop_assert!(left.nodes.iter_enumerated().all(|(i, n)| n.parent.is_none_or(|p| p < i)), "parents come first");
    }

    /// A part's colour given to its places instead looks the same in each of them.
    #[test]
    fn colours_of_places_look_as_those_of_the_part_did(mut model in any_model()) {
        let before = expected(&model);
        for part in model.parts.keys().collect::<Vec<_>>() {
            let colours: BTreeSet<Option<[u32; 3]>> = {
                let own = &model.parts[part];
                let all = own.shape.lumps.iter().map(|l| l.colour).chain(own.tessellated.iter().map(|t| t.colour));
                all.map(|c| c.map(|c| c.map(f32::to_bits))).collect()
            };
            let could = model.colour_places(part);
            prop_assert_eq!(could, colours.len() <= 1, "{:?}", colours);
            if could {
                let own = &model.parts[part];
                prop_assert!(own.shape.lumps.iter().all(|l| l.colour.is_none()));
            }
        }
        // A place that had a colour of its own keeps it where its part had none; else the part's stood before it.
        let after = expected(&model);
        prop_assert_eq!(before.keys().collect::<Vec<_>>(), after.keys().collect::<Vec<_>>());
        for (name, (_, colour)) in after.iter().filter(|(n, _)| !n.ends_with("curves")) {
            prop_assert!(*colour == before[name].1 || before[name].1.is_some(), "{name}");
        }
    }
}

/// The body of each face, through all places.
fn labels(model: &Model) -> Vec<String> {
    let faces = model.occurrences().flat_map(|(node, part)| {
        hull_exact::bodies::face_bodies(part, &model.path(node)).into_iter().map(|b| b.expect("each is of a body").0)
    });
    faces.collect()
}
