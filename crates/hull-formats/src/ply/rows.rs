//! Elements of a binary file whose rows are all of one size, decoded on all cores: points of numbers, and faces that are all
//! triangles. Whatever is not so plain, or wrong, is left to the reader that goes number by number and says what is wrong.

use super::{COLOUR, Element, Kind, NORMAL, Property, column};
use hull_geometry::{Cancelled, Point, Watch};
use rayon::prelude::*;
use std::ops::Range;

/// Rows that are decoded between two looks at whether somebody cancelled.
const AT_ONCE: usize = 1 << 16;

/// What the rows of an element are and how many bytes they take; nothing where they are not so plain.
pub type Plain<T> = Option<(T, usize)>;

/// The rows of an element, `size` bytes each.
pub struct Rows<'a> {
    bytes: &'a [u8],
    size: usize,
    big: bool,
}

/// Points with what stands beside each, where it stands beside all.
#[derive(Default)]
pub struct PlainPoints {
    /// In the file's unit.
    pub points: Vec<Point>,
    /// Red, green, blue.
    pub colours: Vec<[u8; 3]>,
    /// Directions.
    pub normals: Vec<[f32; 3]>,
}

impl<'a> Rows<'a> {
    /// Where all numbers of a row lie, if the element has scalars alone and all its rows are there.
    fn of_scalars(element: &Element, bytes: &'a [u8], big: bool) -> Option<(Rows<'a>, Vec<Range<usize>>)> {
        let mut at = 0;
        let mut places = Vec::new();
        for property in &element.properties {
            let Property::Scalar(_, kind) = property else { return None };
            places.push(at..at + kind.size());
            at += kind.size();
        }
        let bytes = bytes.get(..element.count.checked_mul(at)?)?;
        (at > 0).then_some((Rows { bytes, size: at, big }, places))
    }

    /// What `of` makes of each row, in their order; `None` once it makes nothing of one.
    fn each<T: Send>(
        &self,
        watch: &Watch,
        of: impl Fn(&[u8]) -> Option<T> + Sync,
    ) -> Result<Option<Vec<T>>, Cancelled> {
        let mut all = Vec::with_capacity(self.bytes.len() / self.size);
        // So many at once that all cores have some.
        for part in self.bytes.chunks(self.size * AT_ONCE * 16) {
            watch.report(all.len() as f64 * self.size as f64 / self.bytes.len() as f64, "reading points and faces")?;
            let made: Vec<Option<Vec<T>>> = part
                .par_chunks(self.size * AT_ONCE)
                .map(|rows| rows.chunks_exact(self.size).map(&of).collect())
                .collect();
            for some in made {
                let Some(some) = some else { return Ok(None) };
                all.extend(some);
            }
        }
        Ok(Some(all))
    }
}

/// The points of an element and the bytes that they take; `None` where it has lists, or a coordinate is none.
///
/// # Errors
/// [`Cancelled`].
pub fn plain_points(
    element: &Element,
    bytes: &[u8],
    big: bool,
    watch: &Watch,
) -> Result<Plain<PlainPoints>, Cancelled> {
    let Some((rows, places)) = Rows::of_scalars(element, bytes, big) else { return Ok(None) };
    let columns = |names: [&str; 3]| {
        let found = names.map(|wanted| {
            // Of two columns of one name the later one counts, as it does number by number.
            let n = element.properties.iter().rposition(|p| p.name() == wanted)?;
            let Property::Scalar(_, kind) = &element.properties[n] else { return None };
            Some((places[n].clone(), *kind))
        });
        let [Some(a), Some(b), Some(c)] = found else { return None };
        Some([a, b, c])
    };
    let triple = |row: &[u8], at: &[(Range<usize>, Kind); 3]| {
        at.each_ref().map(|(at, kind)| kind.of_bytes(&row[at.clone()], rows.big))
    };
    let Some(xyz) = columns(["x", "y", "z"]) else { return Ok(None) };
    let place = |row: &[u8]| Some(triple(row, &xyz)).filter(|p| p.iter().all(|x| x.is_finite()));
    let Some(points) = rows.each(watch, place)? else { return Ok(None) };
    let mut plain = PlainPoints { points, ..PlainPoints::default() };
    if let (Some(at), Some(kind)) = (columns(COLOUR), column(element, COLOUR)) {
        let whole = kind.whole_colour();
        let colour = |row: &[u8]| Some(triple(row, &at).map(|x| (x * whole).round().clamp(0.0, 255.0) as u8));
        plain.colours = rows.each(watch, colour)?.unwrap_or_default();
    }
    if let Some(at) = columns(NORMAL) {
        let facing =
            |row: &[u8]| Some(triple(row, &at).map(|x| Some(x as f32).filter(|x| x.is_finite()).unwrap_or(0.0)));
        plain.normals = rows.each(watch, facing)?.unwrap_or_default();
    }
    Ok(Some((plain, rows.bytes.len())))
}

/// The corners of an element's faces and the bytes that they take, if it has nothing but them, all are triangles and all name
/// one of `points` points.
///
/// # Errors
/// [`Cancelled`].
pub fn plain_triangles(
    element: &Element,
    bytes: &[u8],
    big: bool,
    points: usize,
    watch: &Watch,
) -> Result<Plain<Vec<[u32; 3]>>, Cancelled> {
    let [Property::List(name, count, item)] = &element.properties[..] else { return Ok(None) };
    let size = count.size() + 3 * item.size();
    let whole = !matches!(item, Kind::F32 | Kind::F64);
    let all = element.count.checked_mul(size).and_then(|all| bytes.get(..all));
    let (Some(bytes), true) = (all, whole && super::is_corners(name)) else { return Ok(None) };
    let rows = Rows { bytes, size, big };
    let corners = |row: &[u8]| {
        let (length, corners) = row.split_at(count.size());
        if count.of_bytes(length, big) != 3.0 {
            return None;
        }
        let at = |k: usize| item.of_bytes(&corners[k * item.size()..(k + 1) * item.size()], big);
        let named = [at(0), at(1), at(2)];
        named.iter().all(|p| *p >= 0.0 && *p < points as f64).then(|| named.map(|p| p as u32))
    };
    Ok(rows.each(watch, corners)?.map(|triangles| (triangles, bytes.len())))
}
