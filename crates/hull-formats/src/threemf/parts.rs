//! Model parts: objects, what they are made of, and where they are built.

use super::rows::{made_of, take_points, take_triangles};
use crate::affine::Affine;
use crate::{Location, ReadError};
use hull_geometry::{Cancelled, Point, Watch};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::collections::{BTreeMap, HashMap};

/// A group of properties and a place in it.
pub type Property = Option<(u32, u32)>;

/// An object: facets, or others in their places.
#[derive(Default)]
pub struct Object {
    /// As the file names it.
    pub name: String,
    /// In the file's unit.
    pub points: Vec<Point>,
    /// Of the object's points.
    pub triangles: Vec<[u32; 3]>,
    /// What each facet is made of.
    pub properties: Vec<Property>,
    /// What stands in it.
    pub components: Vec<Item>,
    /// What facets are made of that do not say it.
    pub of_all: Property,
}

/// An object in a place.
pub struct Item {
    /// The part that holds it.
    pub path: String,
    /// Its number there.
    pub object: u32,
    /// Where.
    pub placed: Affine,
}

/// One part.
pub struct Model {
    /// What its numbers are, and the millimetres in one.
    pub unit: (&'static str, f64),
    /// By number.
    pub objects: HashMap<u32, Object>,
    /// What is built.
    pub items: Vec<Item>,
    /// Names of materials and colours, by group.
    properties: HashMap<u32, Vec<String>>,
}

/// All parts that were read, and what in them is not understood.
#[derive(Default)]
pub struct Parts {
    /// By path.
    pub models: HashMap<String, Model>,
    /// What, and how often.
    pub skipped: BTreeMap<String, usize>,
}

impl Parts {
    /// What a property is called.
    pub fn material(&self, path: &str, property: Property) -> Option<String> {
        let (group, index) = property?;
        self.models.get(path)?.properties.get(&group)?.get(index as usize).cloned().filter(|m| !m.is_empty())
    }

    /// Reads a part; gives the paths of others that it names.
    ///
    /// # Errors
    /// [`ReadError`] with the part and the reason.
    pub fn read(&mut self, file: &str, path: &str, text: &[u8], watch: &Watch) -> Result<Vec<String>, ReadError> {
        let mut reader = Reader::from_reader(text);
        reader.config_mut().check_end_names = true;
        let mut model =
            Model { unit: ("millimetre", 1.0), objects: HashMap::new(), items: Vec::new(), properties: HashMap::new() };
        let mut state = State { path, object: None, group: None, others: Vec::new() };
        let mut seen = 0_usize;
        let mut depth = 0_usize;
        // Bytes that were taken without the reader.
        let mut beside = 0;
        loop {
            if seen.is_multiple_of(65_536) {
                watch.report(
                    0.2 + 0.4 * (beside + reader.buffer_position()) as f64 / text.len().max(1) as f64,
                    "reading objects",
                )?;
            }
            seen += 1;
            let told = |at: u64, why: String| {
                let line = text[..((beside + at) as usize).min(text.len())].iter().filter(|b| **b == b'\n').count() + 1;
                ReadError::at(file, Location::Line(line), format!("{why} (in part “{path}” of the package)"))
            };
            let event = reader.read_event().map_err(|e| told(reader.error_position(), e.to_string()))?;
            match event {
                Event::Start(e) => {
                    depth += 1;
                    let done = state.begin(&e, &mut model, &mut self.skipped);
                    done.map_err(|why| told(reader.buffer_position(), why))?;
                    let rows = reader.get_mut();
                    let taken = state.rows(e.local_name().as_ref(), rows, watch)?.unwrap_or(0);
                    *rows = &rows[taken..];
                    beside += taken as u64;
                }
                Event::Empty(e) => {
                    let done = state.begin(&e, &mut model, &mut self.skipped);
                    done.map_err(|why| told(reader.buffer_position(), why))?;
                    state.end(e.local_name().as_ref(), &mut model);
                }
                Event::End(e) => {
                    depth = depth.saturating_sub(1);
                    state.end(e.local_name().as_ref(), &mut model);
                }
                Event::Eof if depth > 0 => {
                    return Err(told(
                        text.len() as u64 - beside,
                        "the part ends within an element: it is cut off".into(),
                    ));
                }
                Event::Eof => break,
                _ => {}
            }
        }
        self.models.insert(path.into(), model);
        Ok(state.others)
    }
}

/// Where the reader is within a part.
struct State<'a> {
    path: &'a str,
    object: Option<(u32, Object)>,
    group: Option<u32>,
    others: Vec<String>,
}

/// Words that hold nothing by themselves, or say nothing of the shape.
const PLAIN: [&str; 12] = [
    "resources",
    "build",
    "mesh",
    "vertices",
    "triangles",
    "components",
    "metadata",
    "metadatagroup",
    "trianglesets",
    "triangleset",
    "ref",
    "refrange",
];

impl State<'_> {
    fn begin(
        &mut self,
        e: &BytesStart,
        model: &mut Model,
        skipped: &mut BTreeMap<String, usize>,
    ) -> Result<(), String> {
        match e.local_name().as_ref() {
            "vertex" => {
                let [x, y, z] = numbers(e, ["x", "y", "z"])?;
                if let Some((_, object)) = &mut self.object {
                    object.points.push([x, y, z]);
                }
            }
            "triangle" => self.triangle(e)?,
            "model" => {
                model.unit = match text(e, "unit").as_deref() {
                    None | Some("millimeter") => ("millimetre", 1.0),
                    Some("micron") => ("micrometre", 1e-3),
                    Some("centimeter") => ("centimetre", 10.0),
                    Some("inch") => ("inch", 25.4),
                    Some("foot") => ("foot", 304.8),
                    Some("meter") => ("metre", 1000.0),
                    Some(other) => return Err(format!("“{other}” is not a unit of 3MF")),
                };
            }
            "object" => {
                let id = whole(e, "id")?.ok_or("an object without a number")?;
                let of_all = whole(e, "pid")?.zip(whole(e, "pindex")?.or(Some(0)));
                let name = text(e, "name").unwrap_or_default();
                self.object = Some((id, Object { name, of_all, ..Object::default() }));
            }
            "component" => {
                let item = self.item(e)?;
                if let Some((_, object)) = &mut self.object {
                    object.components.push(item);
                }
            }
            "item" => {
                let item = self.item(e)?;
                model.items.push(item);
            }
            "basematerials" | "colorgroup" | "texture2dgroup" | "compositematerials" | "multiproperties" => {
                self.group = whole(e, "id")?;
                model.properties.entry(self.group.unwrap_or(0)).or_default();
            }
            "base" => self.property(model, text(e, "name").or_else(|| text(e, "displaycolor"))),
            "color" => self.property(model, text(e, "color").map(|c| c[..c.len().min(7)].to_lowercase())),
            "tex2coord" | "composite" | "multi" => self.property(model, None),
            word if PLAIN.contains(&word) => {}
            other => {
                let what = format!("elements “{}”", crate::text::shown(other.as_bytes()));
                *skipped.entry(what).or_default() += 1;
            }
        }
        Ok(())
    }

    fn property(&self, model: &mut Model, name: Option<String>) {
        if let Some(all) = self.group.and_then(|g| model.properties.get_mut(&g)) {
            all.push(name.unwrap_or_default());
        }
    }

    fn triangle(&mut self, e: &BytesStart) -> Result<(), String> {
        let Some((_, object)) = &mut self.object else { return Ok(()) };
        let mut corners = [None; 3];
        let (mut group, mut index) = (None, None);
        for a in e.attributes().with_checks(false).flatten() {
            let number = || whole_of(&a.value);
            match a.key.as_ref() {
                "v1" => corners[0] = number(),
                "v2" => corners[1] = number(),
                "v3" => corners[2] = number(),
                "pid" => group = number(),
                "p1" => index = number(),
                _ => {}
            }
        }
        let [Some(a), Some(b), Some(c)] = corners else { return Err("a triangle without three corners".into()) };
        let points = object.points.len();
        if let Some(p) = [a, b, c].into_iter().find(|p| *p as usize >= points) {
            return Err(format!("a triangle names point {p}, but its object has {points}, from 0"));
        }
        object.triangles.push([a, b, c]);
        object.properties.push(made_of(group, index, object.of_all));
        Ok(())
    }

    /// Takes the rows of a list that begins, where they are plain; the bytes that they are.
    fn rows(&mut self, word: &str, text: &[u8], watch: &Watch) -> Result<Option<usize>, Cancelled> {
        match (&mut self.object, word) {
            (Some((_, object)), "vertices") => take_points(text, object, watch),
            (Some((_, object)), "triangles") => take_triangles(text, object, watch),
            _ => Ok(None),
        }
    }

    fn item(&mut self, e: &BytesStart) -> Result<Item, String> {
        let object = whole(e, "objectid")?.ok_or("a place without an object")?;
        // Parts of the production extension name objects of other parts.
        let path = e.attributes().flatten().find(|a| a.key.local_name().as_ref() == "path");
        let path = path.map(|a| a.value.trim_start_matches('/').to_string());
        let path = path.unwrap_or_else(|| self.path.into());
        if path != self.path {
            self.others.push(path.clone());
        }
        let placed = match text(e, "transform") {
            None => Affine::NONE,
            Some(list) => {
                let numbers: Option<Vec<f64>> = list.split_ascii_whitespace().map(finite).collect();
                let numbers = numbers.filter(|n| n.len() == 12);
                let n = numbers.ok_or_else(|| format!("“{list}” is not a transform of twelve numbers"))?;
                let column = |k: usize| [n[k], n[k + 1], n[k + 2]];
                Affine::of_columns(&[column(0), column(3), column(6), column(9)])
            }
        };
        Ok(Item { path, object, placed })
    }

    fn end(&mut self, word: &str, model: &mut Model) {
        match word {
            "object" => model.objects.extend(self.object.take()),
            "basematerials" | "colorgroup" | "texture2dgroup" => self.group = None,
            _ => {}
        }
    }
}

/// A number that is one.
pub fn finite(word: &str) -> Option<f64> {
    fast_float2::parse(word).ok().filter(|x: &f64| x.is_finite())
}

fn numbers<const N: usize>(e: &BytesStart, keys: [&str; N]) -> Result<[f64; N], String> {
    let mut out = [f64::NAN; N];
    for a in e.attributes().with_checks(false).flatten() {
        if let Some(k) = keys.iter().position(|key| *key == a.key.as_ref()) {
            out[k] = finite(a.value.trim())
                .ok_or_else(|| format!("“{}” is not a finite number", crate::text::shown(a.value.as_bytes())))?;
        }
    }
    if out.iter().any(|x| x.is_nan()) { Err("a point without three coordinates".into()) } else { Ok(out) }
}

/// A number of something.
pub fn whole_of(value: &str) -> Option<u32> {
    value.trim().parse().ok()
}

fn whole(e: &BytesStart, key: &str) -> Result<Option<u32>, String> {
    let Some(a) = e.attributes().flatten().find(|a| a.key.as_ref() == key) else { return Ok(None) };
    let value = whole_of(&a.value)
        .ok_or_else(|| format!("“{}” is not a number of anything", crate::text::shown(a.value.as_bytes())))?;
    Ok(Some(value))
}

fn text(e: &BytesStart, key: &str) -> Option<String> {
    let a = e.attributes().flatten().find(|a| a.key.as_ref() == key)?;
    Some(quick_xml::escape::unescape(&a.value).map_or_else(|_| a.value.to_string(), |v| v.into_owned()))
}
