//! Lines taken out of a model and put back, on assemblies made at random.

use hull_exact::model::{Model, Node, NodeId, Part, PartId};
use hull_exact::shape::{Face, FaceId, Loop, Lump, Shell, Use};
use hull_exact::wires::Wires;
use hull_exact::{Curve, Frame, Motion, Shape, Surface};
use proptest::prelude::*;
use std::f64::consts::TAU;
use typed_index_collections::TiVec;

/// A part of `discs` round faces and `lines` straight lines, of which one may share a face's edge.
fn part(name: String, discs: usize, lines: usize) -> Part {
    let mut shape = Shape::default();
    for i in 0..discs {
        let frame = Frame { origin: [0.0, 0.0, i as f64], ..Frame::WORLD };
        let end = shape.add_vertex([1.0, 0.0, i as f64]);
        let edge = shape.add_edge(Curve::Ellipse { frame, a: 1.0, b: 1.0 }, [0.0, TAU], [end; 2]);
        let surface = shape.add_surface(Surface::Plane(frame));
        let loops = vec![Loop { uses: vec![Use { edge, forward: true, hint: None }] }];
        let name = format!("disc {i}");
        shape.faces.push(Face { surface, same_sense: true, loops, name, colour: None, layer: None });
        let outer = Shell { faces: vec![(FaceId::from(i), true)] };
        shape.lumps.push(Lump { name: String::new(), colour: None, closed: false, outer, voids: Vec::new() });
    }
    for i in 0..lines {
        let curve = Curve::Line { origin: [0.0, i as f64, 0.0], along: [2.0, 0.0, 0.0] };
        let ends = [0.0, 1.0].map(|t| shape.add_vertex(curve.point(t)));
        let edge = shape.add_edge(curve, [0.0, 1.0], ends);
        shape.wires.push(edge);
        shape.edge_names.insert(edge, format!("line {i}"));
    }
    Part { name, shape, tessellated: Vec::new() }
}

fn models() -> impl Strategy<Value = Model> {
    let parts = prop::collection::vec((0_usize..3, 0_usize..4), 1..4);
    (parts, prop::collection::vec((0_usize..8, 0_usize..4, -5.0..5.0_f64), 1..8)).prop_map(|(parts, nodes)| {
        let parts: TiVec<PartId, Part> =
            parts.iter().enumerate().map(|(i, p)| part(format!("part {i}"), p.0, p.1)).collect();
        let mut made: TiVec<NodeId, Node> = TiVec::new();
        for (i, (parent, of, at)) in nodes.into_iter().enumerate() {
            let parent = (i > 0).then(|| NodeId::from(parent % i));
            let part = (of < parts.len()).then_some(PartId::from(of));
            let placement = Motion { frame: Frame { origin: [at, 0.0, 0.0], ..Frame::WORLD }, scale: 1.0 };
            made.push(Node { name: format!("place {i}"), parent, part, placement, colour: None });
        }
        Model { parts, nodes: made, unit: None }
    })
}

/// What stands where: path, named faces, and names of lines, for every place that has something.
fn content(model: &Model) -> Vec<(String, Vec<String>, Vec<String>)> {
    let of = |(node, part): (&Node, &Part)| {
        let faces: Vec<String> = part.shape.faces.iter().map(|f| f.name.clone()).collect();
        let lines: Vec<String> = part.shape.wires.iter().map(|w| part.shape.edge_names[w].clone()).collect();
        (model.path(node), faces, lines)
    };
    let mut all: Vec<_> = model.occurrences().map(of).filter(|c| !(c.1.is_empty() && c.2.is_empty())).collect();
    all.sort();
    all
}

proptest! {
    #![proptest_config(ProptestConfig { rng_seed: proptest::test_runner::RngSeed::Fixed(7), ..ProptestConfig::with_cases(400) })]

    #[test]
    fn lines_taken_out_and_put_back_stand_where_they_stood(model in models()) {
        let before = content(&model);
        let figures = Wires { model: model.clone(), placed: Motion::NONE };
        let (rest, wires) = model.clone().split_wires();
        prop_assert!(rest.parts.iter().all(|p| p.shape.wires.is_empty()));
        prop_assert!(wires.parts.iter().all(|p| p.shape.faces.is_empty() && !p.shape.wires.is_empty()));
        // No edge is left that nothing uses, so that boxes are those of what there is.
        prop_assert!(rest.parts.iter().all(|p| p.shape.uses_of_edges().iter().all(|n| *n > 0)));
        let apart = Wires { model: wires.clone(), placed: Motion::NONE };
        prop_assert_eq!(figures.count(), apart.count());
        let length = |w: &Wires| w.lines().iter().map(|l| l.length).sum::<f64>();
        prop_assert!((length(&figures) - length(&apart)).abs() < 1e-9);
        prop_assert_eq!(content(&rest.with_wires(&wires)), before);
    }
}
