//! Geometry of a body besides its surface: pieces, each of one kind.
//!
//! A kind answers what every piece is asked: its box, how it follows a motion of the whole body, its arrays as bytes, how it
//! is drawn. The surface with its columns stands in [`crate::Body`] itself.

use crate::numbers::counted;
use hull_exact::Motion;
use hull_exact::wires::Wires;
use hull_frames::{Frame, Member};
use hull_geometry::cloud::Cloud;
use hull_geometry::mesh::Bounds;
use hull_geometry::splats::Splat;
use hull_geometry::vector::sub;
use std::sync::Arc;

/// One piece.
#[derive(Clone, Debug, PartialEq)]
pub enum Piece {
    /// Points without facets.
    Points(Arc<Cloud>),
    /// Curves that bound no face.
    Lines(Arc<Wires>),
    /// Members between joints, in millimetres.
    Members(Arc<Frame>),
}

/// A piece as bytes: its kind, and its arrays by name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Encoded {
    /// The kind's word.
    pub kind: String,
    /// Little-endian arrays, each with its name.
    pub arrays: Vec<(String, Vec<u8>)>,
}

/// A splat as 20 numbers: axes, turn, opacity, colour, sheen.
fn splat_numbers(s: &Splat) -> [f32; 20] {
    let [[a, b, c], [d, e, f], [g, h, i]] = s.sheen;
    let ([x, y, z], [q, u, v, w], [red, green, blue]) = (s.axes, s.turn, s.colour);
    [x, y, z, q, u, v, w, s.opacity, red, green, blue, a, b, c, d, e, f, g, h, i]
}

fn splat_of(n: &[f32; 20]) -> Splat {
    let three = |k: usize| [n[k], n[k + 1], n[k + 2]];
    Splat {
        axes: three(0),
        turn: [n[3], n[4], n[5], n[6]],
        opacity: n[7],
        colour: three(8),
        sheen: [three(11), three(14), three(17)],
    }
}

impl Piece {
    /// The kind's word.
    pub fn kind(&self) -> &'static str {
        match self {
            Piece::Points(_) => "points",
            Piece::Lines(_) => "lines",
            Piece::Members(_) => "members",
        }
    }

    /// How much it holds, as in “3 lines”.
    pub fn counted(&self) -> String {
        match self {
            Piece::Points(cloud) if !cloud.splats.is_empty() => counted(cloud.points.len(), "splat"),
            Piece::Points(cloud) => counted(cloud.points.len(), "point"),
            Piece::Lines(wires) => counted(wires.count(), "line"),
            Piece::Members(frame) => counted(frame.members.len(), "member"),
        }
    }

    /// Its box.
    pub fn bounds(&self) -> Bounds {
        match self {
            Piece::Points(cloud) => cloud.bounds(),
            Piece::Lines(wires) => wires.bounds(),
            Piece::Members(frame) => frame.bounds(),
        }
    }

    /// Follows a motion of the whole body.
    pub fn move_by(&mut self, by: &Motion) {
        match self {
            Piece::Points(cloud) => {
                let origin = by.point([0.0; 3]);
                let turn = |v: [f64; 3]| sub(by.point(v), origin).map(|x| x / by.scale);
                Arc::make_mut(cloud).move_by(|p| by.point(p), turn, by.scale.abs());
            }
            Piece::Lines(wires) => {
                let wires = Arc::make_mut(wires);
                wires.placed = by.after(&wires.placed);
            }
            Piece::Members(frame) => Arc::make_mut(frame).carry(|p| by.point(p)),
        }
    }

    /// Its arrays.
    pub fn encode(&self) -> Encoded {
        match self {
            Piece::Points(cloud) => {
                let points = cloud.points.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
                let colours = cloud.colours.as_flattened().to_vec();
                let normals = cloud.normals.iter().flatten().flat_map(|x| x.to_le_bytes()).collect();
                let mut arrays =
                    vec![("points".into(), points), ("colours".into(), colours), ("normals".into(), normals)];
                if !cloud.splats.is_empty() {
                    let numbers = cloud.splats.iter().flat_map(splat_numbers);
                    arrays.push(("splats".into(), numbers.flat_map(f32::to_le_bytes).collect()));
                }
                Encoded { kind: self.kind().into(), arrays }
            }
            Piece::Lines(wires) => {
                // Curves and motions are plain data, so that writing them cannot fail.
                let model = postcard::to_stdvec(wires.as_ref()).unwrap_or_default();
                Encoded { kind: self.kind().into(), arrays: vec![("model".into(), model)] }
            }
            Piece::Members(frame) => {
                let model = frame_bytes(frame);
                Encoded { kind: self.kind().into(), arrays: vec![("model".into(), model)] }
            }
        }
    }

    /// A piece out of its arrays.
    ///
    /// # Errors
    /// A sentence, if nobody knows the kind, or the arrays do not fit together.
    pub fn decode(encoded: &Encoded) -> Result<Piece, String> {
        let array = |name: &str| encoded.arrays.iter().find(|a| a.0 == name).map_or(&[][..], |a| &a.1);
        match encoded.kind.as_str() {
            "points" => {
                let numbers: Vec<f64> =
                    array("points").as_chunks::<8>().0.iter().map(|b| f64::from_le_bytes(*b)).collect();
                let directions: Vec<f32> =
                    array("normals").as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect();
                let numbers_of_splats: Vec<f32> =
                    array("splats").as_chunks::<4>().0.iter().map(|b| f32::from_le_bytes(*b)).collect();
                let cloud = Cloud {
                    points: numbers.as_chunks::<3>().0.to_vec(),
                    colours: array("colours").as_chunks::<3>().0.to_vec(),
                    normals: directions.as_chunks::<3>().0.to_vec(),
                    splats: numbers_of_splats.as_chunks::<20>().0.iter().map(splat_of).collect(),
                };
                let n = cloud.points.len();
                let fits = |m: usize| m == 0 || m == n;
                if !fits(cloud.colours.len()) || !fits(cloud.normals.len()) || !fits(cloud.splats.len()) {
                    return Err("the arrays of a cloud of points do not fit together".into());
                }
                Ok(Piece::Points(Arc::new(cloud)))
            }
            "lines" => {
                let wires = postcard::from_bytes(array("model"));
                Ok(Piece::Lines(Arc::new(wires.map_err(|e| format!("lines cannot be read: {e}"))?)))
            }
            "members" => {
                let frame = frame_of(array("model"));
                Ok(Piece::Members(Arc::new(frame.map_err(|e| format!("members cannot be read: {e}"))?)))
            }
            other => Err(format!("no piece is of the kind “{other}”")),
        }
    }
}

/// A frame as it is stored. Its last three lists, combinations, offsets and sets, came one after the other: where they are
/// empty, the noughts at the end are left away, and the frame is as it was before there were any.
fn frame_bytes(frame: &Frame) -> Vec<u8> {
    // A frame is plain data, so that writing it cannot fail.
    let mut bytes = postcard::to_stdvec(frame).unwrap_or_default();
    let last = [!frame.sets.is_empty(), frame.members.iter().any(Member::is_offset), !frame.combinations.is_empty()];
    let empty = last.iter().take_while(|has| !**has).count();
    bytes.truncate(bytes.len() - empty);
    bytes
}

fn frame_of(bytes: &[u8]) -> Result<Frame, postcard::Error> {
    let with = |empty: usize| postcard::from_bytes(&[bytes, &[0; 3][..empty]].concat());
    with(0).or_else(|_| with(1)).or_else(|_| with(2)).or_else(|_| with(3))
}
