//! The bow fairing of the *Pipit*: two lofted skins, a deck and an aft plate, as loose trimmed surfaces that do not quite
//! meet, in an IGES file whose numbers are millimetres but whose header says inches.

use hull_exact::curve::{Curve, Piece};
use hull_exact::isoline::isoline;
use hull_exact::model::{DeclaredUnit, Model};
use hull_exact::nurbs::NurbsSurface;
use hull_exact::shape::{Face, FaceId, Lump, Shape, Shell};
use hull_exact::{Frame, Motion, Surface};
use hull_formats::iges;
use hull_geometry::{Cancelled, Unit, Watch};

/// Millimetres.
const LENGTH: f64 = 820.0;
const DEPTH: f64 = 310.0;
const HALF_BREADTH: f64 = 118.0;
/// How far each surface stands from where it belongs, and which way.
const APART: f64 = 0.06;

/// Loose surfaces written one by one, each a little out of place.
///
/// # Errors
/// Never: nothing cancels it.
pub fn loose_iges() -> Result<Vec<u8>, Cancelled> {
    let skins = [skin(1.0), skin(-1.0)];
    let deck_lines = [0, 1].map(|i| stretch(&skins[i], 1, 1.0));
    let ends = [0, 1].map(|i| stretch(&skins[i], 0, 1.0));
    let mut shape = Shape::default();
    for (i, surface) in skins.iter().enumerate() {
        let name = ["skin starboard", "skin port"][i];
        add(&mut shape, surface.clone(), name, i, |shape, s| shape.rectangle_loop(s, [[0.0, 1.0], [0.0, 1.0]]));
    }
    // Round the deck: aft along one side, across, and forward along the other.
    let across = |a: &Piece, b: &Piece| line(a.at(1.0)[0], b.at(1.0)[0]);
    let deck = vec![deck_lines[0].clone(), across(&deck_lines[0], &deck_lines[1]), turned(&deck_lines[1])];
    let plane = Surface::Plane(Frame { origin: [0.0, 0.0, DEPTH], ..Frame::WORLD });
    add(&mut shape, plane, "deck", 2, |shape, _| shape.loop_of_pieces(deck));
    let aft = vec![ends[0].clone(), across(&ends[0], &ends[1]), turned(&ends[1])];
    let plane = Surface::Plane(Frame::new([LENGTH, 0.0, 0.0], [1.0, 0.0, 0.0], None));
    add(&mut shape, plane, "aft plate", 3, |shape, _| shape.loop_of_pieces(aft));
    let unit = Some(DeclaredUnit { name: "inch".into(), millimetres: 25.4 });
    let model = Model { unit, ..Model::of_part("bow fairing", shape) };
    Ok(iges::write("bow-fairing.igs", &model, &Motion::NONE, Unit::In, iges::Form::Surfaces, &Watch::default())?.bytes)
}

/// One side: u from the stem aft, v from the keel up to the deck. Stem and keel lie in the middle plane.
fn skin(side: f64) -> Surface {
    // Stations along the length, each with its part of the breadth, and heights with theirs.
    let stations = [(0.0, 0.0), (0.06, 0.22), (0.3, 0.58), (0.55, 0.86), (0.8, 0.98), (1.0, 1.0)];
    let heights = [(0.0, 0.0), (0.05, 0.5), (0.35, 0.86), (0.7, 0.97), (1.0, 1.0)];
    let rake = |v: f64| 46.0 * (1.0 - v) * (1.0 - v);
    let points: Vec<[f64; 3]> = stations
        .iter()
        .flat_map(|&(x, b)| {
            heights.map(|(z, g)| {
                let stem = rake(z) * (1.0 - x);
                [x * LENGTH + stem, side * HALF_BREADTH * b * g, z * DEPTH + 24.0 * (1.0 - x) * (1.0 - z)]
            })
        })
        .collect();
    let knots =
        [vec![0.0, 0.0, 0.0, 0.0, 0.35, 0.7, 1.0, 1.0, 1.0, 1.0], vec![0.0, 0.0, 0.0, 0.0, 0.5, 1.0, 1.0, 1.0, 1.0]];
    let made = NurbsSurface::new([3, 3], knots, heights.len(), &points, None);
    Surface::Nurbs(Box::new(made.expect("the counts of points and knots above fit")))
}

/// The whole curve at a constant parameter of a skin.
fn stretch(skin: &Surface, axis: usize, value: f64) -> Piece {
    let curve = isoline(skin, axis, value).expect("the value lies in the domain");
    Piece { curve, range: [0.0, 1.0] }
}

fn turned(p: &Piece) -> Piece {
    Piece { curve: p.curve.clone(), range: [p.range[1], p.range[0]] }
}

fn line(from: [f64; 3], to: [f64; 3]) -> Piece {
    let along = [to[0] - from[0], to[1] - from[1], to[2] - from[2]];
    Piece { curve: Curve::Line { origin: from, along }, range: [0.0, 1.0] }
}

/// Adds a face by itself, out of place by its own small step.
fn add(
    shape: &mut Shape,
    surface: Surface,
    name: &str,
    number: usize,
    bound: impl FnOnce(&mut Shape, &Surface) -> Option<hull_exact::shape::Loop>,
) {
    let mut one = Shape::default();
    let bound = bound(&mut one, &surface).expect("the bounds above close");
    let surface = one.add_surface(surface);
    one.faces.push(Face {
        surface,
        same_sense: true,
        loops: vec![bound],
        name: name.into(),
        colour: None,
        layer: None,
    });
    let outer = Shell { faces: vec![(FaceId(0), true)] };
    one.lumps.push(Lump { name: name.into(), colour: None, closed: false, outer, voids: Vec::new() });
    let steps = [[0.0, 1.0, 0.0], [0.0, -1.0, 0.0], [0.3, 0.0, 1.0], [1.0, 0.2, 0.0]];
    let origin = steps[number].map(|x| x * APART);
    shape.append(one.moved(&Motion { frame: Frame { origin, ..Frame::WORLD }, scale: 1.0 }));
}
