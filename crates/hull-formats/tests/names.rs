//! Names, colours, layers and the tree of an assembly through every form, whatever characters they have.

use hull_exact::model::{Model, Node, NodeId, Part, PartId};
use hull_exact::shape::{Colour, Face, FaceId, Lump, Shape, Shell};
use hull_exact::{Frame, Motion, Surface};
use hull_formats::step::{self, Schema};
use hull_formats::{Design, iges};
use hull_geometry::{Unit, Watch};
use proptest::prelude::*;
use std::collections::BTreeSet;
use typed_index_collections::ti_vec;

/// Any text that people might type: letters of every script, quotes, signs of the formats themselves.
fn name() -> impl Strategy<Value = String> {
    let signs = prop::sample::select(vec![
        "'", "\\", "\"", ";", "#12", "/*", "ENDSEC;", "\\X2\\", "ä", "船体", "⛵", "1H,", ",",
    ]);
    (prop::collection::vec(prop_oneof!["[A-Za-z0-9 ]{1,6}", "\\PC{1,3}", signs.prop_map(String::from)], 1..5))
        .prop_map(|parts| parts.concat().trim().to_string())
        .prop_filter("a name of something", |n| !n.is_empty() && !n.eq_ignore_ascii_case("none"))
}

/// A colour in the steps that a byte has.
fn colour() -> impl Strategy<Value = Option<Colour>> {
    prop::option::of(prop::array::uniform3(any::<u8>()).prop_map(|c| c.map(|x| f32::from(x) / 255.0)))
}

/// Two squares side by side as two open bodies of one part.
fn part(names: &[String], colours: &[Option<Colour>]) -> Part {
    let mut shape = Shape { tolerance: 1e-6, ..Shape::default() };
    for i in 0..2 {
        let frame = Frame { origin: [2.0 * i as f64, 0.0, 0.0], ..Frame::WORLD };
        let surface = Surface::Plane(frame);
        let bound = shape.rectangle_loop(&surface, [[0.0, 1.0], [0.0, 1.0]]).expect("a square");
        let surface = shape.add_surface(surface);
        let layer = Some(names[2 + i].clone());
        let (name, colour) = (names[i].clone(), colours[i]);
        shape.faces.push(Face { surface, same_sense: true, loops: vec![bound], name, colour, layer });
        let outer = Shell { faces: vec![(FaceId::from(i), true)] };
        let (name, colour) = (names[4 + i].clone(), colours[2 + i]);
        shape.lumps.push(Lump { name, colour, closed: false, outer, voids: Vec::new() });
    }
    Part { name: names[6].clone(), shape, tessellated: Vec::new() }
}

fn face_names(d: &Design) -> Vec<&str> {
    d.model.parts[PartId(0)].shape.faces.iter().map(|f| f.name.as_str()).collect()
}

/// A face's colour in every place: its own, or its body's, or that place's.
fn seen(m: &Model) -> Vec<Option<Colour>> {
    let mut places: Vec<_> = m.occurrences().collect();
    places.sort_by(|a, b| a.0.placement.frame.origin[0].total_cmp(&b.0.placement.frame.origin[0]));
    let faces = |(n, p): (&Node, &Part)| {
        let of = |l: &Lump| p.shape.faces[l.outer.faces[0].0].colour.or(l.colour).or(n.colour);
        p.shape.lumps.iter().map(of).collect::<Vec<_>>()
    };
    places.into_iter().flat_map(faces).collect()
}

fn same(a: &[Option<Colour>], b: &[Option<Colour>]) -> bool {
    let near = |a: &Option<Colour>, b: &Option<Colour>| match (a, b) {
        (Some(a), Some(b)) => a.iter().zip(b).all(|(x, y)| (x - y).abs() < 1e-3),
        (a, b) => a == b,
    };
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| near(a, b))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn names_and_colours_come_back(
        names in prop::collection::vec(name(), 10),
        colours in prop::collection::vec(colour(), 6),
    ) {
        let part = part(&names, &colours);
        let place = |x: f64| Motion { frame: Frame { origin: [x, 0.0, 0.0], ..Frame::WORLD }, scale: 1.0 };
        let node = |name: &str, parent, part, x, colour| Node { name: name.into(), parent, part, placement: place(x), colour };
        let nodes = ti_vec![
            node(&names[7], None, None, 0.0, None),
            node(&names[8], Some(NodeId(0)), Some(PartId(0)), 10.0, colours[4]),
            node(&names[9], Some(NodeId(0)), Some(PartId(0)), 20.0, colours[5]),
        ];
        let model = Model { parts: ti_vec![part.clone()], nodes, ..Default::default() };
        let watch = Watch::default();
        for schema in [Schema::Ap203, Schema::Ap214, Schema::Ap242] {
            let written = step::write("file", &model, &Motion::NONE, Unit::Mm, schema, &watch).expect("not cancelled");
            let back = step::read("file.step", &written.bytes, &watch).unwrap_or_else(|e| panic!("{e}"));
            prop_assert_eq!(&back.skipped, &[], "{}", schema.name());
            prop_assert_eq!(face_names(&back), names[..2].iter().collect::<Vec<_>>(), "{}", schema.name());
            let bodies: Vec<_> = back.model.parts[PartId(0)].shape.lumps.iter().map(|l| &l.name).collect();
            prop_assert_eq!(bodies, names[4..6].iter().collect::<Vec<_>>(), "{}", schema.name());
            let tree: Vec<_> = back.model.nodes.iter().map(|n| (n.name.as_str(), n.parent)).collect();
            prop_assert_eq!(tree.len(), 3, "{}: {:?}", schema.name(), tree);
            prop_assert_eq!(tree[0], (names[7].as_str(), None));
            let sent = BTreeSet::from([names[8].as_str(), names[9].as_str()]);
            prop_assert_eq!(tree[1..].iter().map(|n| n.0).collect::<BTreeSet<_>>(), sent, "{}", schema.name());
            prop_assert_eq!(back.model.parts.len(), 1, "stored once");
            if schema == Schema::Ap203 {
                continue;
            }
            let (found, sent) = (seen(&back.model), seen(&model));
            prop_assert!(same(&found, &sent), "{}: {:?} for {:?}", schema.name(), found, sent);
            prop_assert_eq!(&written.left_out, &[], "{}", schema.name());
            let layers: Vec<_> = back.model.parts[PartId(0)].shape.faces.iter().filter_map(|f| f.layer.as_ref()).collect();
            prop_assert_eq!(layers, names[2..4].iter().collect::<Vec<_>>(), "{}", schema.name());
        }
        // IGES has no letters beyond the basic ones, and the part stands once for each place.
        let written = iges::write("file", &model, &Motion::NONE, Unit::Mm, iges::Form::Solids, &watch).expect("not cancelled");
        let back = iges::read("file.igs", &written.bytes, &watch).unwrap_or_else(|e| panic!("{e}"));
        let plain: Vec<String> = names[..2].iter().map(|n| n.chars().map(|c| if (' '..='~').contains(&c) { c } else { '?' }).collect()).collect();
        prop_assert_eq!(face_names(&back), plain.iter().collect::<Vec<_>>(), "IGES");
    }
}
