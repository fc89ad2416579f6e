//! Points and facets as nearly every writer puts them, an empty element behind the other, parsed on all cores. Whatever is
//! not so plain, or wrong, is left to the reader of XML, which says what is wrong.

use super::parts::{Object, Property, finite, whole_of};
use hull_geometry::{Cancelled, Point, Watch};
use memchr::memmem;
use rayon::prelude::*;

/// Bytes that one task parses.
const AT_ONCE: usize = 1 << 18;

/// Takes the points that stand at the beginning of `text`, up to the end of their list, into an object; how many bytes they are,
/// or `None` if something else stands between.
///
/// # Errors
/// [`Cancelled`].
pub fn take_points(text: &[u8], object: &mut Object, watch: &Watch) -> Result<Option<usize>, Cancelled> {
    let point = |row: &mut Row| {
        let mut at = [None; 3];
        while let Some((key, value)) = row.attribute()? {
            let k = ["x", "y", "z"].iter().position(|k| *k == key)?;
            if at[k].replace(finite(value.trim())?).is_some() {
                return None;
            }
        }
        let [x, y, z] = at;
        Some([x?, y?, z?])
    };
    let Some((points, taken)) = each::<Point>(text, "vertex", point, watch)? else { return Ok(None) };
    object.points.extend(points);
    Ok(Some(taken))
}

/// Takes facets, as [`take_points`] takes points.
///
/// # Errors
/// [`Cancelled`].
pub fn take_triangles(text: &[u8], object: &mut Object, watch: &Watch) -> Result<Option<usize>, Cancelled> {
    let (points, of_all) = (object.points.len(), object.of_all);
    let triangle = |row: &mut Row| {
        let (mut corners, mut group, mut index) = ([None; 3], None, None);
        while let Some((key, value)) = row.attribute()? {
            let slot = match key {
                "v1" => &mut corners[0],
                "v2" => &mut corners[1],
                "v3" => &mut corners[2],
                "pid" => &mut group,
                "p1" => &mut index,
                "p2" | "p3" => continue,
                _ => return None,
            };
            if slot.replace(whole_of(value)?).is_some() {
                return None;
            }
        }
        let [a, b, c] = corners;
        let corners = [a?, b?, c?];
        corners.iter().all(|p| (*p as usize) < points).then(|| (corners, made_of(group, index, of_all)))
    };
    let Some((rows, taken)) = each(text, "triangle", triangle, watch)? else { return Ok(None) };
    object.triangles.extend(rows.iter().map(|r| r.0));
    object.properties.extend(rows.iter().map(|r| r.1));
    Ok(Some(taken))
}

/// What a facet is made of that names a group, a place in one, or neither.
pub fn made_of(group: Option<u32>, index: Option<u32>, of_all: Property) -> Property {
    match (group.or(of_all.map(|p| p.0)), index) {
        (Some(group), Some(index)) => Some((group, index)),
        _ => of_all,
    }
}

/// What `of` makes of each of the elements `word` that stand at the beginning of `text`, and the bytes up to the next end of an
/// element.
fn each<T: Send>(
    text: &[u8],
    word: &str,
    of: impl Fn(&mut Row) -> Option<T> + Sync,
    watch: &Watch,
) -> Result<Option<(Vec<T>, usize)>, Cancelled> {
    let Some(end) = memmem::find(text, b"</") else { return Ok(None) };
    let Ok(rows) = std::str::from_utf8(&text[..end]) else { return Ok(None) };
    let begin = format!("<{word}");
    let made: Vec<Option<Vec<T>>> = parts(rows)
        .into_par_iter()
        .map(|part| {
            watch.check()?;
            let mut out = Vec::with_capacity(part.len() / 48);
            let mut rest = part.trim_ascii_start();
            while !rest.is_empty() {
                let Some(mut row) = rest.strip_prefix(&begin).map(Row) else { return Ok(None) };
                let Some(one) = of(&mut row) else { return Ok(None) };
                out.push(one);
                rest = row.0.trim_ascii_start();
            }
            Ok(Some(out))
        })
        .collect::<Result<_, Cancelled>>()?;
    Ok(made.into_iter().collect::<Option<Vec<_>>>().map(|all| (all.into_iter().flatten().collect(), end)))
}

/// A text cut before elements, so that each part is about as long as one task parses.
fn parts(text: &str) -> Vec<&str> {
    let (mut parts, mut rest) = (Vec::new(), text);
    while rest.len() > AT_ONCE {
        let Some(next) = memchr::memchr(b'<', &rest.as_bytes()[AT_ONCE..]) else { break };
        let (part, behind) = rest.split_at(AT_ONCE + next);
        parts.push(part);
        rest = behind;
    }
    parts.push(rest);
    parts
}

/// What is left of an element behind its name.
struct Row<'a>(&'a str);

impl<'a> Row<'a> {
    /// The next attribute and its value as it is written; nothing behind the last one, where the element ends. `None` for
    /// what is not so plain.
    fn attribute(&mut self) -> Option<Option<(&'a str, &'a str)>> {
        let rest = self.0.trim_ascii_start();
        if let Some(behind) = rest.strip_prefix("/>") {
            self.0 = behind;
            return Some(None);
        }
        // A blank stands before every attribute.
        if rest.len() == self.0.len() {
            return None;
        }
        let (key, behind) = rest.split_once('=')?;
        let quote = behind.as_bytes().first().copied().filter(|q| matches!(q, b'"' | b'\''))?;
        let length = memchr::memchr(quote, &behind.as_bytes()[1..])?;
        let value = &behind[1..1 + length];
        self.0 = &behind[length + 2..];
        // Marks that stand for something else, and elements within one, are read as what they are elsewhere.
        (!value.contains(['&', '<'])).then_some(Some((key, value)))
    }
}
