//! E57: scans of points, each in its place, in metres by definition (ASTM E2807), read by the `e57` crate.

use crate::format::{Carries, FileFormat};
use crate::{Content, Declared, ReadError, ReceivedPoints, Skipped};
use ::e57::{CartesianCoordinate, E57Reader, E57Writer, Record, RecordValue};
use hull_exact::model::DeclaredUnit;
use hull_geometry::Watch;
use hull_geometry::cloud::Cloud;
use std::io::Cursor;

/// E57.
pub const FORMAT: FileFormat = FileFormat {
    id: "e57",
    title: "E57",
    endings: &["e57"],
    declares: "metres by definition; places of scans, colours",
    needs_unit: true,
    carries: Carries::Points,
    sniff: |bytes| bytes.starts_with(b"ASTM-E57"),
    read: |name, bytes, watch| read(name, bytes, watch).map(Content::Points),
    write: None,
    write_points: Some(|cloud, _, _| write(cloud)),
    write_lines: None,
    gather: None,
};

/// # Errors
/// [`ReadError`] with the reason.
pub fn read(name: &str, bytes: &[u8], watch: &Watch) -> Result<ReceivedPoints, ReadError> {
    let told = |e: ::e57::Error| ReadError::whole(name, format!("the file cannot be read: {e}"));
    let mut reader = E57Reader::new(Cursor::new(bytes)).map_err(told)?;
    let mut cloud = Cloud::default();
    let mut without = 0;
    let mut coloured = true;
    for scan in reader.pointclouds() {
        let points = reader.pointcloud_simple(&scan).map_err(told)?;
        for (i, p) in points.enumerate() {
            if i.is_multiple_of(65_536) {
                watch.report(0.5, "reading scans")?;
            }
            let p = p.map_err(told)?;
            match p.cartesian {
                CartesianCoordinate::Valid { x, y, z } if x.is_finite() && y.is_finite() && z.is_finite() => {
                    cloud.points.push([x, y, z]);
                    match p.color {
                        Some(c) => cloud
                            .colours
                            .push([c.red, c.green, c.blue].map(|x| (x.clamp(0.0, 1.0) * 255.0).round() as u8)),
                        None => coloured = false,
                    }
                }
                _ => without += 1,
            }
        }
    }
    if !coloured {
        cloud.colours.clear();
    }
    let skipped = Skipped::some(&[("rays that hit nothing", without), ("pictures", reader.images().len())]);
    let unit = Some(DeclaredUnit { name: "metre".into(), millimetres: 1000.0 });
    let declared = Declared { unit, certain: true, up: None };
    Ok(ReceivedPoints { format: "E57".into(), cloud, skipped, declared })
}

/// Writes a cloud as one scan; the form takes its numbers for metres.
pub fn write(cloud: &Cloud) -> Vec<u8> {
    let mut out = Cursor::new(Vec::new());
    // Writing to memory cannot fail; if it did, reading back would say so.
    let made = |out: &mut Cursor<Vec<u8>>| -> Result<(), ::e57::Error> {
        let mut file = E57Writer::new(out, "ready-hull")?;
        let mut records = vec![Record::CARTESIAN_X_F64, Record::CARTESIAN_Y_F64, Record::CARTESIAN_Z_F64];
        let coloured = !cloud.colours.is_empty();
        if coloured {
            records.extend([Record::COLOR_RED_U8, Record::COLOR_GREEN_U8, Record::COLOR_BLUE_U8]);
        }
        let mut scan = file.add_pointcloud("cloud", records)?;
        for (i, p) in cloud.points.iter().enumerate() {
            let mut values: Vec<RecordValue> = p.iter().map(|x| RecordValue::Double(*x)).collect();
            if coloured {
                values.extend(cloud.colours[i].iter().map(|c| RecordValue::Integer(i64::from(*c))));
            }
            scan.add_point(values)?;
        }
        scan.finalize()?;
        file.finalize()
    };
    match made(&mut out) {
        Ok(()) => out.into_inner(),
        Err(_) => Vec::new(),
    }
}
