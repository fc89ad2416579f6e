//! Arrays, each checked against the bytes that are there before it is read.

use super::document::{Accessor, Document};
use hull_geometry::Point;
use std::borrow::Cow;
use std::collections::BTreeMap;

/// The buffers of a file.
pub struct Arrays<'a> {
    /// By number.
    pub buffers: Vec<Cow<'a, [u8]>>,
    /// Stretches that were coded, by number, with the bytes of an item.
    pub decoded: BTreeMap<usize, (Vec<u8>, usize)>,
}

/// Bytes of one number; `None` for types that there are not.
fn width(component: u32) -> Option<usize> {
    match component {
        5120 | 5121 => Some(1),
        5122 | 5123 => Some(2),
        5125 | 5126 => Some(4),
        _ => None,
    }
}

fn number(component: u32, b: &[u8], normalized: bool) -> f64 {
    let (value, most) = match (component, b) {
        (5120, [a, ..]) => (f64::from(*a as i8), 127.0),
        (5121, [a, ..]) => (f64::from(*a), 255.0),
        (5122, [a, b, ..]) => (f64::from(i16::from_le_bytes([*a, *b])), 32767.0),
        (5123, [a, b, ..]) => (f64::from(u16::from_le_bytes([*a, *b])), 65535.0),
        (5125, [a, b, c, d, ..]) => (f64::from(u32::from_le_bytes([*a, *b, *c, *d])), 4_294_967_295.0),
        (_, [a, b, c, d, ..]) => return f64::from(f32::from_le_bytes([*a, *b, *c, *d])),
        _ => (f64::NAN, 1.0),
    };
    if normalized { (value / most).max(-1.0) } else { value }
}

/// Items of some numbers each in a stretch of bytes.
struct Items<'a> {
    bytes: &'a [u8],
    stride: usize,
    component: u32,
    normalized: bool,
}

impl Items<'_> {
    fn at(&self, item: usize, k: usize) -> f64 {
        let from = item * self.stride + k * width(self.component).unwrap_or(1);
        number(self.component, self.bytes.get(from..).unwrap_or_default(), self.normalized)
    }
}

impl Arrays<'_> {
    /// The bytes of a stretch, and from item to item (0 if they follow each other).
    ///
    /// # Errors
    /// A sentence.
    pub fn view(&self, d: &Document, number: usize) -> Result<(&[u8], usize), String> {
        if let Some((bytes, stride)) = self.decoded.get(&number) {
            return Ok((bytes, *stride));
        }
        let view = d.buffer_views.get(number).ok_or_else(|| format!("stretch {number} of the buffers is not there"))?;
        Ok((self.stretch(view.buffer, view.byte_offset, view.byte_length)?, view.byte_stride))
    }

    /// The bytes of a buffer from a place on.
    ///
    /// # Errors
    /// A sentence.
    pub fn stretch(&self, number: usize, from: usize, length: usize) -> Result<&[u8], String> {
        let buffer = self.buffers.get(number).ok_or_else(|| format!("buffer {number} is not there"))?;
        let bytes = from.checked_add(length).and_then(|end| buffer.get(from..end));
        bytes.ok_or_else(|| format!("buffer {number} is shorter than is said of it: it is cut off"))
    }

    fn items(
        &self,
        d: &Document,
        (view, offset): (usize, usize),
        (component, normalized): (u32, bool),
        (count, each): (usize, usize),
    ) -> Result<Items<'_>, String> {
        let (bytes, stride) = self.view(d, view)?;
        let item = each * width(component).ok_or_else(|| format!("{component} is no type of number"))?;
        let stride = if stride == 0 { item } else { stride };
        let bytes = bytes.get(offset..).unwrap_or_default();
        let needed = count.checked_sub(1).map_or(Some(0), |n| n.checked_mul(stride)?.checked_add(item));
        if needed.is_none_or(|n| n > bytes.len()) {
            return Err(format!(
                "an array of {count} items does not fit into its {} bytes: it is cut off",
                bytes.len()
            ));
        }
        Ok(Items { bytes, stride, component, normalized })
    }

    fn accessor<'d>(&self, d: &'d Document, number: usize, shape: &str) -> Result<&'d Accessor, String> {
        let a = d.accessors.get(number).ok_or_else(|| format!("array {number} is not there"))?;
        match a.shape == shape {
            true => Ok(a),
            false => Err(format!("array {number} is of {}, where {shape} is wanted", a.shape)),
        }
    }

    /// Every item's numbers, with those in place that stand elsewhere.
    fn read(&self, d: &Document, a: &Accessor, each: usize) -> Result<Vec<f64>, String> {
        let kind = (a.component_type, a.normalized);
        let mut out = match a.buffer_view {
            Some(view) => {
                let items = self.items(d, (view, a.byte_offset), kind, (a.count, each))?;
                (0..a.count).flat_map(|i| (0..each).map(move |k| (i, k))).map(|(i, k)| items.at(i, k)).collect()
            }
            // An array of nothing but noughts may claim anything.
            None if a.count > 100_000_000 => return Err(format!("an array of {} items without bytes", a.count)),
            None => vec![0.0; a.count * each],
        };
        if let Some(sparse) = &a.sparse {
            let (i, v) = (&sparse.indices, &sparse.values);
            let which = self.items(d, (i.buffer_view, i.byte_offset), (i.component_type, false), (sparse.count, 1))?;
            let by = self.items(d, (v.buffer_view, v.byte_offset), kind, (sparse.count, each))?;
            for s in 0..sparse.count {
                let at = which.at(s, 0) as usize;
                let item = out.get_mut(at.saturating_mul(each)..).and_then(|rest| rest.get_mut(..each));
                let item = item.ok_or_else(|| format!("an item {at} is replaced that is not there"))?;
                item.iter_mut().enumerate().for_each(|(k, x)| *x = by.at(s, k));
            }
        }
        Ok(out)
    }

    /// An array of places.
    ///
    /// # Errors
    /// A sentence.
    pub fn points(&self, d: &Document, number: usize) -> Result<Vec<Point>, String> {
        let numbers = self.read(d, self.accessor(d, number, "VEC3")?, 3)?;
        if let Some(i) = numbers.iter().position(|x| !x.is_finite()) {
            return Err(format!("place {} of array {number} is not finite", i / 3));
        }
        Ok(numbers.as_chunks::<3>().0.to_vec())
    }

    /// An array of numbers of points, of which there are some.
    ///
    /// # Errors
    /// A sentence.
    pub fn indices(&self, d: &Document, number: usize, points: usize) -> Result<Vec<u32>, String> {
        let a = self.accessor(d, number, "SCALAR")?;
        if a.component_type == 5126 {
            return Err(format!("array {number} of indices is of numbers with a point"));
        }
        let numbers = self.read(d, a, 1)?;
        match numbers.iter().find(|x| !(**x >= 0.0 && **x < points as f64)) {
            Some(wrong) => Err(format!("array {number} names point {wrong}, but there are {points}, from 0")),
            None => Ok(numbers.into_iter().map(|x| x as u32).collect()),
        }
    }
}
