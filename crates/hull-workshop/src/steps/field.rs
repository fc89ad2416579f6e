//! The parameters of operations: one description of each, from which follow the page's form, the shell's options, the
//! table of the guide and the check of values.

use crate::say;
use crate::selection::{Pick, Selection};
use crate::sentence::{Piece, Sentence};
use std::fmt::Write as _;
use toml::{Table, Value};

/// The smallest and the largest length that can be meant, in millimetres or file units: what rounding leaves between
/// equal points (such gaps are stitched), and a thousand kilometres.
pub const LENGTHS: [f64; 2] = [1e-18, 1e9];

/// Forces and the like are no larger.
pub const MOST_OF_VECTOR: f64 = 1e15;

/// What a parameter is.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Quantity {
    /// A length greater than zero.
    Length,
    /// A place: three coordinates of any sign.
    Place,
    /// Three numbers of any sign, in this unit.
    Vector(&'static str),
    /// Several places.
    Places,
    /// Degrees, from and to.
    Angle(f64, f64),
    /// A number in a unit (empty: a plain number), from and to.
    Number(&'static str, f64, f64),
    /// One of some words, each with what it means.
    Choice(&'static [(&'static str, &'static str)]),
    /// Yes or no.
    Flag,
    /// Text of so many characters at least and at most.
    Text(usize, usize),
    /// Rows of text, up to so many characters.
    Rows(usize),
    /// Several texts.
    Texts,
    /// Facets of the body; left empty: those without a name.
    PickOrUnnamed,
    /// Facets of the body, which must be told.
    Pick,
    /// Names with roles and picks, in order, as JSON.
    Rules,
}

/// One parameter of an operation.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Field {
    /// Where the value stands in the step's data, with dots between.
    pub path: &'static str,
    /// What people read before it.
    pub label: &'static str,
    /// What it is, with its range.
    pub quantity: Quantity,
    /// Whether it may be left out.
    pub optional: bool,
    /// The value taken where nothing is said or proposed.
    pub default: Option<&'static str>,
    /// One line of help.
    pub help: &'static str,
    /// What it is called in the shell, where the last part of the path is something else there.
    pub in_shell: Option<&'static str>,
}

impl Field {
    /// A parameter that must be given, or is proposed.
    pub const fn new(path: &'static str, label: &'static str, quantity: Quantity, help: &'static str) -> Field {
        Field { path, label, quantity, optional: false, default: None, help, in_shell: None }
    }

    /// The same, with a value that is taken where nothing is said.
    #[must_use]
    pub const fn or(self, default: &'static str) -> Field {
        Field { default: Some(default), ..self }
    }

    /// The same, to be left out as people like.
    #[must_use]
    pub const fn optional(self) -> Field {
        Field { optional: true, ..self }
    }

    /// The same under a name of its own in the shell.
    #[must_use]
    pub const fn called_in_shell(self, name: &'static str) -> Field {
        Field { in_shell: Some(name), ..self }
    }

    /// The shell's option: the last part of the path, with dashes, where it has no other name.
    pub fn option(&self) -> String {
        if let Some(name) = self.in_shell {
            return name.into();
        }
        self.path.rsplit('.').next().unwrap_or(self.path).replace('_', "-")
    }

    /// What may stand here, in words: “a length”, “0.1° to 90°”.
    pub fn range(&self) -> String {
        match self.quantity {
            Quantity::Length => "a length".into(),
            Quantity::Place => "x, y, z".into(),
            Quantity::Vector("") => "x, y, z".into(),
            Quantity::Vector(unit) => format!("x, y, z in {unit}"),
            Quantity::Places => "x, y, z; x, y, z …".into(),
            Quantity::Angle(from, to) => format!("{from}° to {to}°"),
            Quantity::Number(unit, from, to) => format!("{from} to {to} {unit}").trim_end().into(),
            Quantity::Choice(words) => words.iter().map(|w| w.0).collect::<Vec<_>>().join(", "),
            Quantity::Flag => "yes or no".into(),
            Quantity::Text(_, most) => format!("text, up to {most} characters"),
            Quantity::Rows(most) => format!("rows of text, up to {most} characters"),
            Quantity::Texts => "names".into(),
            Quantity::Pick | Quantity::PickOrUnnamed => PICKS.into(),
            Quantity::Rules => "rules as JSON".into(),
        }
    }

    /// The one sentence for a value that cannot be.
    pub fn refusal(&self, typed: &str) -> Sentence {
        let label = self.label;
        let is_not = if typed.is_empty() { "; it is missing.".to_string() } else { format!("; “{typed}” is not.") };
        match self.quantity {
            Quantity::Length => {
                let [low, high] = LENGTHS;
                say![format!("{label} must be a number from {low:e} to {high:e} "), Piece::Unit, is_not]
            }
            Quantity::Place | Quantity::Places => {
                say![format!("{label} must be three numbers of at most {:e} ", LENGTHS[1]), Piece::Unit, is_not]
            }
            Quantity::Vector(unit) => {
                format!("{label} must be three numbers of at most {MOST_OF_VECTOR:e} {unit}{is_not}").into()
            }
            Quantity::Angle(from, to) => format!("{label} must be a number from {from}° to {to}°{is_not}").into(),
            Quantity::Number(unit, from, to) => {
                let range = format!("{label} must be a number from {from} to {to} {unit}");
                format!("{}{is_not}", range.trim_end()).into()
            }
            Quantity::Choice(words) => {
                let words = words.iter().map(|w| w.0).collect::<Vec<_>>().join(", ");
                format!("{label} must be one of {words}{is_not}").into()
            }
            Quantity::Flag => format!("{label} must be yes or no{is_not}").into(),
            Quantity::Text(least, most) => {
                format!("{label} must be text of {least} to {most} characters{is_not}").into()
            }
            Quantity::Rows(most) => format!("{label} must be rows of text, up to {most} characters{is_not}").into(),
            Quantity::Texts => format!("{label} must be names{is_not}").into(),
            Quantity::Pick | Quantity::PickOrUnnamed if typed.is_empty() => NOTHING_PICKED.into(),
            Quantity::Pick | Quantity::PickOrUnnamed => format!("{label} must be picked faces{is_not}").into(),
            Quantity::Rules => format!("{label} must be rules as JSON{is_not}").into(),
        }
    }

    /// Reads what was typed; several values only where the quantity has several.
    ///
    /// # Errors
    /// The one sentence for a value that cannot be.
    pub fn read(&self, typed: &[String]) -> Result<Option<Value>, Sentence> {
        let all = typed.join("; ");
        let text = all.trim();
        if text.is_empty() && (self.optional || self.quantity == Quantity::Flag) {
            return Ok((self.quantity == Quantity::Flag).then_some(Value::Boolean(false)));
        }
        let value = match self.quantity {
            Quantity::Length | Quantity::Angle(..) | Quantity::Number(..) => number(text).map(Value::Float),
            Quantity::Place | Quantity::Vector(_) => place(&typed.join(" ")),
            Quantity::Places => {
                text.split(';').filter(|p| !p.trim().is_empty()).map(place).collect::<Option<_>>().map(Value::Array)
            }
            Quantity::Choice(words) => words.iter().find(|w| w.0.eq_ignore_ascii_case(text)).map(|w| w.0.into()),
            Quantity::Flag => Some(Value::Boolean(!matches!(text, "no" | "false"))),
            Quantity::Text(..) | Quantity::Rows(_) => Some(text.into()),
            Quantity::Texts => Some(Value::Array(typed.iter().map(|t| t.as_str().into()).collect())),
            Quantity::PickOrUnnamed if text.is_empty() => pick("unnamed"),
            Quantity::Pick | Quantity::PickOrUnnamed => pick(text),
            Quantity::Rules => {
                serde_json::from_str::<Vec<crate::rules::Rule>>(text).ok().and_then(|r| Value::try_from(r).ok())
            }
        };
        let value = value.ok_or_else(|| self.refusal(text))?;
        if self.holds(&value) { Ok(Some(value)) } else { Err(self.refusal(text)) }
    }

    /// Whether a value is within the range.
    fn holds(&self, value: &Value) -> bool {
        match (self.quantity, value) {
            (Quantity::Length, Value::Float(x)) => (LENGTHS[0]..=LENGTHS[1]).contains(x),
            (Quantity::Angle(from, to) | Quantity::Number(_, from, to), Value::Float(x)) => (from..=to).contains(x),
            (Quantity::Place, Value::Array(p)) => p.iter().all(|x| x.as_float().is_some_and(|x| x.abs() <= LENGTHS[1])),
            (Quantity::Vector(_), Value::Array(p)) => {
                p.iter().all(|x| x.as_float().is_some_and(|x| x.abs() <= MOST_OF_VECTOR))
            }
            (Quantity::Places, Value::Array(places)) => {
                let place = Field { quantity: Quantity::Place, ..*self };
                places.iter().all(|p| place.holds(p))
            }
            (Quantity::Text(least, most), Value::String(text)) => {
                let length = text.trim().chars().count();
                (least..=most).contains(&length) && !text.chars().any(char::is_control)
            }
            (Quantity::Rows(most), Value::String(text)) => (1..=most).contains(&text.trim().chars().count()),
            _ => true,
        }
    }

    /// Checks the value that a step's data hold, wherever they come from.
    ///
    /// # Errors
    /// The one sentence for a value that cannot be.
    pub fn check(&self, data: &Value) -> Result<(), Sentence> {
        match at(data, self.path) {
            Some(value) if !self.holds(value) => Err(self.refusal(&plain(value))),
            _ => Ok(()),
        }
    }
}

/// Why a name cannot be given.
pub const NOTHING_PICKED: &str = "No facet is picked. Choose “Pick faces” and click in the view.";

/// The value at a path.
pub fn at<'a>(data: &'a Value, path: &str) -> Option<&'a Value> {
    path.split('.').try_fold(data, |value, key| value.get(key))
}

/// Puts a value at a path.
pub fn put(data: &mut Table, path: &str, value: Value) {
    match path.split_once('.') {
        None => {
            data.insert(path.into(), value);
        }
        Some((first, rest)) => {
            let inner = data.entry(first).or_insert_with(|| Value::Table(Table::new()));
            if let Value::Table(inner) = inner {
                put(inner, rest, value);
            }
        }
    }
}

/// A value as it is typed.
pub fn plain(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Array(list) if list.iter().any(Value::is_table) => {
            serde_json::to_value(value).unwrap_or_default().to_string()
        }
        Value::Array(list) => {
            let nested = list.iter().any(Value::is_array);
            list.iter().map(plain).collect::<Vec<_>>().join(if nested { "; " } else { ", " })
        }
        Value::Boolean(true) => "yes".into(),
        Value::Boolean(false) => String::new(),
        Value::Float(x) => x.to_string(),
        Value::Table(_) => {
            let mut text = String::new();
            let _ = write!(text, "{}", serde_json::to_value(value).unwrap_or_default());
            text
        }
        other => other.to_string(),
    }
}

/// A number as people type it: with spaces between thousands, a comma for a point, a minus sign of print.
fn number(typed: &str) -> Option<f64> {
    let plain = typed.replace(['\u{2009}', ' '], "").replace(',', ".").replace('−', "-");
    plain.parse().ok().filter(|x: &f64| x.is_finite())
}

fn place(typed: &str) -> Option<Value> {
    let words = typed.split([' ', ';']).filter(|w| !w.is_empty()).map(|w| w.trim_end_matches(','));
    let numbers: Vec<&str> =
        words.flat_map(|w| if w.matches(',').count() == 2 { w.split(',').collect() } else { vec![w] }).collect();
    let numbers: Option<Vec<Value>> = numbers.into_iter().map(|w| number(w).map(Value::Float)).collect();
    numbers.filter(|n| n.len() == 3).map(Value::Array)
}

/// How picks are typed.
pub const PICKS: &str = "unnamed, label:NAME, material:NAME, boundary:NAME, region:X,Y,Z@DEGREES, shell:X,Y,Z, \
                         direction:X,Y,Z@DEGREES, box:X,Y,Z;X,Y,Z, datum:NAME@DISTANCE, facing:NAME@DISTANCE, or picks as JSON";

fn three(typed: &str) -> Option<[f64; 3]> {
    let numbers: Option<Vec<f64>> = typed.split(',').map(|w| number(w.trim())).collect();
    numbers?.try_into().ok()
}

/// A selection: a word for some of them, or JSON.
fn pick(typed: &str) -> Option<Value> {
    let selection = match typed.split_once(':') {
        _ if typed == "unnamed" => Selection::from(Pick::Unnamed),
        Some(("label", name)) => Selection::from(Pick::Label { name: name.into() }),
        Some(("boundary", name)) => Selection::from(Pick::Boundary { name: name.into() }),
        Some(("material", name)) => Selection::from(Pick::Material { name: name.into() }),
        Some(("shell", at)) => Selection::from(Pick::Connected { at: three(at)? }),
        Some(("region", rest)) => {
            let (at, angle) = rest.split_once('@').unwrap_or((rest, "20"));
            Selection::from(Pick::Grow { at: three(at)?, angle: number(angle)? })
        }
        Some(("direction", rest)) => {
            let (d, angle) = rest.split_once('@').unwrap_or((rest, "10"));
            Selection::from(Pick::Direction { direction: three(d)?, angle: number(angle)? })
        }
        Some(("datum", rest)) => {
            let (name, within) = rest.rsplit_once('@')?;
            Selection::from(Pick::Datum { name: name.into(), within: number(within)? })
        }
        Some(("facing", rest)) => {
            let (name, within) = rest.rsplit_once('@')?;
            Selection::from(Pick::Facing { name: name.into(), within: number(within)? })
        }
        Some(("box", rest)) => {
            let (from, to) = rest.split_once(';')?;
            Selection::from(Pick::Within { from: three(from)?, to: three(to)? })
        }
        _ => serde_json::from_str(typed).ok()?,
    };
    Value::try_from(selection).ok()
}
