//! The binary geometry that the view draws.
//!
//! Little-endian. Header of 16 words of 4 bytes: magic `RHV1`, points, facets, boundary runs, open
//! segments, overshared segments, misdirected segments, outline segments, then the box as six f32, a word that is 0,
//! and the number of chunks behind all that. Then the points (8 bytes each: three 21-bit steps of the
//! box), the facets (three u32), the boundary runs (length, boundary:
//! two u32), and per segment two u32 point numbers. Then the chunks, one a piece: a tag of four letters, its length in words,
//! and what `pieces` of that kind draws (`PNTS`: count, 1 if coloured, places as above, colours as one word each; `SPLT`: count, then eight words a splat, see `splats_drawn`; `LINE`: how many lines, points on each, places as
//! above; `SOLD`, members at full size: points, facets, places as above, three points a facet). A closed body takes about 16 bytes a facet.

use crate::Body;
use crate::pieces::Piece;
use crate::survey::Lines;
use hull_frames::Frame;
use hull_geometry::cloud::Cloud;
use hull_geometry::mesh::{Bounds, FacetId, PointId};
use hull_geometry::reduce::reduced;
use hull_geometry::regions::Regions;
use hull_geometry::{Mesh, NONE, Point};
use typed_index_collections::{TiSlice, TiVec};

const STEPS: f64 = ((1u32 << 21) - 1) as f64;
/// Facets drawn at most while the camera moves.
pub const MOVING_FACETS: usize = 50_000;
/// Points of a cloud drawn at most while the camera moves.
pub const MOVING_POINTS: usize = 200_000;
/// Splats drawn at most while the camera moves: each covers many pixels.
pub const MOVING_SPLATS: usize = 40_000;
/// Lines are drawn within this part of the size.
pub(crate) const LINES_WITHIN: f64 = 1.0 / 5000.0;
/// Degrees between facets from which their edge is drawn.
const OUTLINE_ANGLE: f64 = 30.0;

/// The whole body for the view at rest.
pub fn full(body: &Body, lines: &Lines) -> Vec<u8> {
    let differ = |f: FacetId, g: FacetId| body.columns.boundary[f] != body.columns.boundary[g];
    let outlines = Regions::new(&body.mesh).outlines(OUTLINE_ANGLE, differ);
    // A rough scan has an outline at every other edge; they would outweigh the facets and show nothing.
    let outlines =
        if outlines.len() > 2000 && outlines.len() * 4 > body.mesh.triangles.len() { Vec::new() } else { outlines };
    encode(&body.mesh, &body.columns.boundary, lines, &outlines, (&body.pieces, &datums_drawn(body)), usize::MAX)
}

/// A reduced body to draw while the camera moves.
pub fn moving(body: &Body) -> Vec<u8> {
    let small = reduced(&body.mesh, MOVING_FACETS);
    let boundary: TiVec<FacetId, u32> = small.origin.iter().map(|&o| body.columns.boundary[o]).collect();
    encode(&small.mesh, &boundary, &Lines::default(), &[], (&body.pieces, &datums_drawn(body)), MOVING_POINTS)
}

/// Lines that show the body's datums.
fn datums_drawn(body: &Body) -> Vec<Vec<Point>> {
    let size = body.bounds().diagonal();
    body.facts.datums.iter().flat_map(|d| d.fit.shape.drawn(size)).collect()
}

fn encode(
    mesh: &Mesh,
    boundary_of: &TiSlice<FacetId, u32>,
    lines: &Lines,
    outlines: &[[PointId; 2]],
    (pieces, datums): (&[Piece], &[Vec<Point>]),
    most: usize,
) -> Vec<u8> {
    let bounds = pieces.iter().map(Piece::bounds).fold(Bounds::of(mesh.points.iter().copied()), Bounds::and);
    let frame = pieces.iter().find_map(|p| if let Piece::Members(frame) = p { Some(frame) } else { None });
    let solids = frame.map(|f| hull_frames::solids::together(f)).filter(|m| !m.triangles.is_empty());
    // While the camera moves, lines do.
    let solids = solids.filter(|m| most == usize::MAX || m.triangles.len() <= MOVING_FACETS);
    let bounds = bounds.and(Bounds::of(datums.iter().flatten().copied()));
    let bounds = bounds.and(Bounds::of(solids.iter().flat_map(|m| m.points.iter().copied())));
    let bounds = if bounds.is_empty() { Bounds { min: [0.0; 3], max: [0.0; 3] } } else { bounds };
    let runs: Vec<(u32, u32)> = boundary_of.raw.chunk_by(|a, b| a == b).map(|r| (r.len() as u32, r[0])).collect();
    let segments = [&lines.open, &lines.overshared, &lines.misdirected].map(Vec::as_slice);
    let mut out = Vec::with_capacity(64 + mesh.points.len() * 8 + mesh.triangles.len() * 12);
    let mut word = |w: u32| out.extend_from_slice(&w.to_le_bytes());
    word(u32::from_le_bytes(*b"RHV1"));
    for n in [mesh.points.len() as u32, mesh.triangles.len() as u32, runs.len() as u32] {
        word(n);
    }
    for list in segments.iter().chain([&outlines]) {
        word(list.len() as u32);
    }
    for x in bounds.min.into_iter().chain(bounds.max) {
        word((x as f32).to_bits());
    }
    word(0);
    word(pieces.len() as u32 + u32::from(!datums.is_empty()) + u32::from(solids.is_some()));
    let size = bounds.size();
    let packed = |p: &Point| {
        let step = |k: usize| if size[k] > 0.0 { ((p[k] - bounds.min[k]) / size[k] * STEPS).round() as u64 } else { 0 };
        let packed = step(0) | step(1) << 21 | step(2) << 42;
        [packed as u32, (packed >> 32) as u32]
    };
    mesh.points.iter().flat_map(packed).for_each(&mut word);
    mesh.triangles.iter().flatten().for_each(|p| word(p.0));
    for (length, boundary) in runs {
        word(length);
        word(if boundary == NONE { NONE } else { boundary });
    }
    segments.iter().chain([&outlines]).flat_map(|list| list.iter().flatten()).for_each(|p| word(p.0));
    let drawn = pieces.iter().map(|piece| match piece {
        Piece::Points(cloud) if !cloud.splats.is_empty() => {
            (b"SPLT", splats_drawn(cloud, if most == usize::MAX { most } else { MOVING_SPLATS }, packed))
        }
        Piece::Points(cloud) => (b"PNTS", points_drawn(cloud, most, packed)),
        Piece::Members(frame) => (b"LINE", lines_drawn(&members_drawn(frame), packed)),
        Piece::Lines(wires) => (b"LINE", lines_drawn(&wires.along(LINES_WITHIN * bounds.diagonal()), packed)),
    });
    let datums = (!datums.is_empty()).then(|| (b"LINE", lines_drawn(datums, packed)));
    let solids = solids.map(|m| (b"SOLD", solids_drawn(&m, packed)));
    for (tag, chunk) in drawn.chain(datums).chain(solids) {
        word(u32::from_le_bytes(*tag));
        word(chunk.len() as u32);
        chunk.into_iter().for_each(&mut word);
    }
    out
}

/// The words of a cloud: every so many points, so that there are at most `most`.
fn points_drawn(cloud: &Cloud, most: usize, packed: impl Fn(&Point) -> [u32; 2]) -> Vec<u32> {
    let every = cloud.points.len().div_ceil(most.max(1)).max(1);
    let places: Vec<[u32; 2]> = cloud.points.iter().step_by(every).map(packed).collect();
    let colours = cloud.colours.iter().step_by(every).map(|c| u32::from_le_bytes([c[0], c[1], c[2], 0]));
    let head = [places.len() as u32, u32::from(!cloud.colours.is_empty())];
    head.into_iter().chain(places.iter().flatten().copied()).chain(colours).collect()
}

/// Lengths of axes in sixteenths of an octave, from 2⁻³² up.
const OCTAVES: f32 = 16.0;
const FIRST_OCTAVE: f32 = -32.0;
/// What a byte of sheen counts: a hundredth.
const SHEEN: f32 = 100.0;

/// The words of splats, eight each, one array after the other: places; logarithms of axes, 10 bits each; turns, a byte each from
/// 128; colours with opacity; sheen, nine bytes from 128 in three words of which the last byte is idle.
fn splats_drawn(cloud: &Cloud, most: usize, packed: impl Fn(&Point) -> [u32; 2]) -> Vec<u32> {
    let every = cloud.points.len().div_ceil(most.max(1)).max(1);
    let byte = |x: f32| x.round().clamp(0.0, 255.0) as u32;
    let bytes = |b: [u32; 4]| b[0] | b[1] << 8 | b[2] << 16 | b[3] << 24;
    let some = || cloud.splats.iter().step_by(every);
    // Fewer splats are drawn as much larger as fills the same space.
    let larger = (every as f32).sqrt();
    let step = |x: f32| (((x * larger).max(1e-30).log2() - FIRST_OCTAVE) * OCTAVES).round().clamp(0.0, 1023.0) as u32;
    let axes = some().map(|s| s.axes.map(step)).map(|a| a[0] | a[1] << 10 | a[2] << 20);
    let turns = some().map(|s| bytes(s.turn.map(|x| byte(x * 127.0 + 128.0))));
    let colours = some().map(|s| {
        let [r, g, b] = s.colour.map(|x| byte(x * 255.0));
        bytes([r, g, b, byte(s.opacity * 255.0)])
    });
    let sheen = some().flat_map(|s| {
        s.sheen.map(|v| {
            let [x, y, z] = v.map(|x| byte(x * SHEEN + 128.0));
            bytes([x, y, z, 0])
        })
    });
    let places: Vec<u32> = cloud.points.iter().step_by(every).flat_map(packed).collect();
    std::iter::once(places.len() as u32 / 2)
        .chain(places)
        .chain(axes)
        .chain(turns)
        .chain(colours)
        .chain(sheen)
        .collect()
}

/// The words of members at full size.
fn solids_drawn(mesh: &Mesh, packed: impl Fn(&Point) -> [u32; 2]) -> Vec<u32> {
    let head = [mesh.points.len() as u32, mesh.triangles.len() as u32];
    let places = mesh.points.iter().flat_map(packed);
    head.into_iter().chain(places).chain(mesh.corner_numbers().flatten()).collect()
}

/// The ends of each member; where it ends beside a joint, from that joint or to it.
pub(crate) fn members_drawn(frame: &Frame) -> Vec<Vec<Point>> {
    let of = |m: &hull_frames::Member| {
        let mut line = frame.places(m).to_vec();
        let joints = m.ends.map(|j| frame.joints[j as usize].at);
        if line[0] != joints[0] {
            line.insert(0, joints[0]);
        }
        if line.last() != Some(&joints[1]) {
            line.push(joints[1]);
        }
        line
    };
    frame.members.iter().map(of).collect()
}

/// The words of lines: points along each.
fn lines_drawn(lines: &[Vec<Point>], packed: impl Fn(&Point) -> [u32; 2]) -> Vec<u32> {
    let counts = lines.iter().map(|l| l.len() as u32);
    let places = lines.iter().flatten().flat_map(packed);
    std::iter::once(lines.len() as u32).chain(counts).chain(places).collect()
}
