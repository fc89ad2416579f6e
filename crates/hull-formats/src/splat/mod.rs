//! Splats in 32 bytes each: place and axes as six f32, red, green, blue and opacity as bytes, the turn as four bytes that
//! count 128ths from 128, the real part first. Nothing stands before or after. *Common practice, no source.*

use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, FORMATS, ReadError, ReceivedPoints, Skipped};
use hull_geometry::Watch;
use hull_geometry::cloud::Cloud;
use hull_geometry::splats::Splat;

/// Splats in 32 bytes each.
pub const FORMAT: FileFormat = FileFormat {
    id: "splat",
    title: "splats, 32 bytes each",
    endings: &["splat"],
    declares: "no unit, no names",
    needs_unit: false,
    carries: Carries::Points,
    // Nothing in its bytes says what they are.
    sniff: |_| false,
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Points),
    write: None,
    write_points: Some(|cloud, _, _| write(cloud)),
    write_lines: None,
    gather: None,
};

const EACH: usize = 32;

/// Reads splats. Those without a place, with an axis that is no length or without a turn are left out and counted.
///
/// # Errors
/// [`ReadError`], if the bytes are no whole number of splats.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<ReceivedPoints, ReadError> {
    // Any bytes could be splats: those that another format knows for its own are not.
    if FORMATS.iter().any(|f| (f.sniff)(bytes)) {
        return Err(ReadError::whole(name, "its bytes are those of another format"));
    }
    let (all, rest) = bytes.as_chunks::<EACH>();
    if !rest.is_empty() {
        let reason = format!("{} splats of 32 bytes end in {} bytes more: the file is cut off", all.len(), rest.len());
        return Err(ReadError::whole(name, reason));
    }
    let mut cloud = Cloud::default();
    let mut first_wrong = None;
    for (i, b) in all.iter().enumerate() {
        if i.is_multiple_of(1 << 16) {
            watch.report(i as f64 / all.len() as f64, "reading splats")?;
        }
        let number = |k: usize| f32::from_le_bytes([b[4 * k], b[4 * k + 1], b[4 * k + 2], b[4 * k + 3]]);
        let at = [0, 1, 2].map(|k| f64::from(number(k)));
        let splat = Splat {
            axes: [3, 4, 5].map(number),
            turn: [28, 29, 30, 31].map(|k| (f32::from(b[k]) - 128.0) / 128.0),
            opacity: f32::from(b[27]) / 255.0,
            colour: [24, 25, 26].map(|k| f32::from(b[k]) / 255.0),
            sheen: [[0.0; 3]; 3],
        };
        match splat.settled().filter(|s| at.iter().all(|x| x.is_finite()) && s.size() < 1e9) {
            Some(splat) => {
                cloud.points.push(at);
                cloud.colours.push([b[24], b[25], b[26]]);
                cloud.splats.push(splat);
            }
            None => {
                first_wrong.get_or_insert(i + 1);
            }
        }
    }
    let skipped = first_wrong.map(|first| Skipped {
        what: format!("splats with numbers that are none (the first is number {first})"),
        count: all.len() - cloud.points.len(),
    });
    let declared = Declared::default();
    Ok(ReceivedPoints { format: FORMAT.title.into(), cloud, skipped: skipped.into_iter().collect(), declared })
}

/// Writes splats; colours that change with the direction of view, and whatever is finer than a byte, are lost. Points without
/// an ellipsoid are not written.
pub fn write(cloud: &Cloud) -> Vec<u8> {
    let mut out = Vec::with_capacity(cloud.splats.len() * EACH);
    for (p, s) in cloud.points.iter().zip(&cloud.splats) {
        let lengths = p.iter().map(|x| *x as f32).chain(s.axes);
        lengths.for_each(|x| out.extend_from_slice(&x.to_le_bytes()));
        out.extend(s.seen_along([0.0; 3]));
        out.push((s.opacity * 255.0).round().clamp(0.0, 255.0) as u8);
        out.extend(s.turn.map(|x| (x * 128.0 + 128.0).round().clamp(0.0, 255.0) as u8));
    }
    out
}
