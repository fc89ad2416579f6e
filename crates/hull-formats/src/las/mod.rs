//! LAS and LAZ: points of laser scans, with colours where there are some (ASPRS LAS 1.4), read and written by the `las` crate.

mod head;

use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, ReadError, ReceivedPoints, Skipped};
use ::las::{Builder, Color, Point as LasPoint, Reader, Writer};
use hull_geometry::Watch;
use hull_geometry::cloud::Cloud;
use std::io::Cursor;
use std::panic::{AssertUnwindSafe, catch_unwind};

/// LAS.
pub const FORMAT: FileFormat = FileFormat {
    id: "las",
    title: "LAS",
    endings: &["las"],
    declares: "no unit of its own (mostly metres); colours",
    needs_unit: false,
    carries: Carries::Points,
    sniff: |bytes| bytes.starts_with(b"LASF") && !is_packed(bytes),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Points),
    write: None,
    write_points: Some(|cloud, _, _| write(cloud, false)),
    write_lines: None,
    gather: None,
};

/// Where a head tells the form of its points, and the bit of it that says that they are packed.
const FORM: usize = 104;
const PACKED: u8 = 0x80;

/// Whether bytes are LAS whose points are packed.
pub fn is_packed(bytes: &[u8]) -> bool {
    bytes.starts_with(b"LASF") && bytes.get(FORM).is_some_and(|form| form & PACKED != 0)
}

/// Points that are decoded between two looks at whether somebody cancelled.
const AT_ONCE: u64 = 65_536;
/// A record of a point takes so many bytes at least.
const LEAST: u64 = 20;

/// # Errors
/// [`ReadError`] with the reason.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<ReceivedPoints, ReadError> {
    // The library that unpacks LAZ panics on some damaged files; nothing of it is used afterwards.
    let read = AssertUnwindSafe(|| unguarded(name, bytes, watch));
    catch_unwind(read).unwrap_or_else(|_| Err(ReadError::whole(name, "its packed points are damaged")))
}

fn unguarded(name: &str, bytes: &[u8], watch: &Watch) -> Result<ReceivedPoints, ReadError> {
    let told = |e: ::las::Error| ReadError::whole(name, format!("the file cannot be read: {e}"));
    head::fits(bytes).map_err(|why| ReadError::whole(name, why))?;
    let mut reader = Reader::new(Cursor::new(bytes.to_vec())).map_err(told)?;
    let header = reader.header();
    let (claimed, packed) = (header.number_of_points(), header.laz_vlr().is_ok());
    if !packed && claimed > bytes.len() as u64 / LEAST {
        let reason = format!("{claimed} points are claimed, more than {} bytes can hold: it is cut off", bytes.len());
        return Err(ReadError::whole(name, reason));
    }
    let mut cloud = Cloud::default();
    let (mut wide, mut colours, mut lost) = (false, Vec::new(), 0_usize);
    loop {
        watch.report(cloud.points.len() as f64 / claimed.max(1) as f64, "reading points")?;
        let batch = reader.read_points(AT_ONCE).map_err(told)?;
        if batch.is_empty() {
            break;
        }
        let places = batch.x().zip(batch.y()).zip(batch.z()).map(|((x, y), z)| [x, y, z]);
        let mut rgb = batch.rgb().into_iter().flatten();
        for p in places {
            let colour = rgb.next();
            if p.iter().any(|x| !x.is_finite()) {
                lost += 1;
                continue;
            }
            cloud.points.push(p);
            if let Some((r, g, b)) = colour {
                wide |= r.max(g).max(b) > 255;
                colours.push([r, g, b]);
            }
        }
    }
    if (cloud.points.len() + lost) as u64 != claimed {
        let reason = format!("{claimed} points are claimed, {} are there: it is cut off", cloud.points.len() + lost);
        return Err(ReadError::whole(name, reason));
    }
    if colours.len() == cloud.points.len() {
        // Two bytes a colour by definition; some files fill one of them only.
        let byte = |x: u16| if wide { (x >> 8) as u8 } else { x as u8 };
        cloud.colours = colours.into_iter().map(|c: [u16; 3]| c.map(byte)).collect();
    }
    let format = if packed { "LAZ" } else { "LAS" }.to_string();
    let skipped = Skipped::some(&[("points that are not finite", lost)]);
    Ok(ReceivedPoints { format, cloud, skipped, declared: Declared::default() })
}

/// Writes a cloud as LAS 1.2, packed or as it is: coordinates as whole steps of a billionth of its size, which is what the
/// form has.
pub fn write(cloud: &Cloud, packed: bool) -> Vec<u8> {
    let bounds = cloud.bounds();
    // By the longest side and not the diagonal, which is nothing where squares of sides are too small for a number; and no
    // finer than coordinates are.
    let longest = |of: fn([f64; 2]) -> f64| (0..3).map(|k| of([bounds.min[k], bounds.max[k]])).fold(0.0, f64::max);
    let (side, reach) = (longest(|[a, b]| b - a), longest(|[a, b]| a.abs().max(b.abs())));
    let step = (side / 1e9).max(reach * 1e-15).max(1e-200);
    // A power of ten is what other programs write back without a loss.
    let step = 10_f64.powf(step.log10().ceil());
    let mut builder = Builder::from((1, 2));
    builder.point_format = ::las::point::Format::new(if cloud.colours.is_empty() { 0 } else { 2 }).unwrap_or_default();
    builder.point_format.is_compressed = packed;
    let axis = |k: usize| ::las::Transform { scale: step, offset: (bounds.min[k] / step).round() * step };
    builder.transforms = ::las::Vector { x: axis(0), y: axis(1), z: axis(2) };
    // What is built here fits together, and writing to memory cannot fail; if it did, reading back would say so.
    let made = || -> Result<Vec<u8>, ::las::Error> {
        let mut writer = Writer::new(Cursor::new(Vec::new()), builder.into_header()?)?;
        for (i, p) in cloud.points.iter().enumerate() {
            let color = cloud.colours.get(i).map(|c| {
                let [red, green, blue] = c.map(|x| u16::from(x) << 8 | u16::from(x));
                Color { red, green, blue }
            });
            writer.write_point(LasPoint { x: p[0], y: p[1], z: p[2], color, ..Default::default() })?;
        }
        Ok(writer.into_inner()?.into_inner())
    };
    made().unwrap_or_default()
}
