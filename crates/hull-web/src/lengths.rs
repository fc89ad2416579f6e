//! Lengths, areas and volumes on a body's page, marked so that the browser says them in the unit that people chose
//! (`web/src/lengths.ts`). Only millimetres are marked: what a file's own units are nobody knows. What is typed, and what
//! was said in a sentence once, stays in millimetres and says so.

use askama::FastWritable;
use askama::filters::HtmlSafe;
use hull_workshop::numbers::four_digits;
use hull_workshop::sentence::{LengthUnit, Piece, Sentence};
use hull_workshop::survey::measures::KEPT;
use hull_workshop::{Row, Verdict};
use std::fmt;

/// Markup of a quantity, safe to stand in a page as it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Marked(String);

impl HtmlSafe for Marked {}

impl fmt::Display for Marked {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl FastWritable for Marked {
    fn write_into(&self, dest: &mut dyn fmt::Write, _: &dyn askama::Values) -> askama::Result<()> {
        Ok(dest.write_str(&self.0)?)
    }
}

const SUPERSCRIPTS: [&str; 3] = ["", "²", "³"];

/// Text that is no quantity.
pub fn plain(text: &str) -> Marked {
    Marked(escaped(text))
}

/// A length (`power` 1), an area (2) or a volume (3), written as `text` where lengths are said in `unit`.
pub fn number(x: f64, power: usize, text: &str, unit: LengthUnit) -> Marked {
    match unit {
        LengthUnit::Millimetres if x.is_finite() => {
            Marked(format!(r#"<data value="{x}" data-power="{power}">{text}</data>"#))
        }
        _ => Marked(text.to_string()),
    }
}

/// The unit of lengths, areas or volumes.
pub fn symbol(power: usize, unit: LengthUnit) -> Marked {
    let text = format!("{}{}", unit.symbol(), SUPERSCRIPTS[power.clamp(1, 3) - 1]);
    match unit {
        LengthUnit::Millimetres => Marked(format!(r#"<span data-symbol="{power}">{text}</span>"#)),
        LengthUnit::FileUnits => Marked(text),
    }
}

fn quantity(x: f64, power: usize, unit: LengthUnit) -> String {
    format!("{} {}", number(x, power, &four_digits(x), unit), symbol(power, unit))
}

fn escaped(text: &str) -> String {
    askama::filters::escape(text, askama::filters::Html).map_or(String::new(), |safe| safe.to_string())
}

/// A sentence with its lengths and areas marked.
pub fn sentence(said: &Sentence, unit: LengthUnit) -> Marked {
    let piece = |p: &Piece| match p {
        Piece::Text(text) => escaped(text),
        Piece::Length(x) => quantity(*x, 1, unit),
        Piece::BareLength(x) => number(*x, 1, &four_digits(*x), unit).0,
        Piece::Area(x) => quantity(*x, 2, unit),
        Piece::Unit => symbol(1, unit).0,
    };
    Marked(said.pieces().iter().map(piece).collect())
}

/// What a row measured: a length marked, with what its text says before it.
pub fn measured(row: &Row, unit: LengthUnit) -> Marked {
    let length = row.value.filter(|_| row.verdict != Verdict::Pending && unit == LengthUnit::Millimetres);
    let marked = length.and_then(|x| {
        let before = row.measured.strip_suffix(&format!("{} mm", four_digits(x)))?;
        Some(format!("{}{}", escaped(before), quantity(x, 1, unit)))
    });
    Marked(marked.unwrap_or_else(|| escaped(&row.measured)))
}

/// What a row asks for: bounds of a length marked.
pub fn limit(row: &Row, unit: LengthUnit) -> Marked {
    let bare = |x: f64| number(x, 1, &four_digits(x), unit).0;
    let is_length = row.measure.unit == " mm" || (row.measure.key == KEPT && row.measured.ends_with(" mm"));
    Marked(match row.bounds {
        _ if !is_length || unit != LengthUnit::Millimetres => escaped(&row.limit),
        [Some(least), Some(most)] => format!("{}–{}", bare(least), bare(most)),
        [Some(least), None] => format!("≥ {}", quantity(least, 1, unit)),
        [None, Some(most)] => quantity(most, 1, unit),
        [None, None] => escaped(&row.limit),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use hull_workshop::say;
    use hull_workshop::sentence::length;

    #[test]
    fn what_people_typed_is_no_markup_and_lengths_are() {
        let said = say!["“<3 mm>” is ", length(0.25), " wide."];
        let expected = r#"“&#60;3 mm&#62;” is <data value="0.25" data-power="1">0.25</data> <span data-symbol="1">mm</span> wide."#;
        assert_eq!(sentence(&said, LengthUnit::Millimetres).to_string(), expected);
        assert_eq!(sentence(&said, LengthUnit::FileUnits).to_string(), "“&#60;3 mm&#62;” is 0.25 file units wide.");
    }
}
