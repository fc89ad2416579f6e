//! Sentences with typed quantities: words, lengths, areas. They become text once, at the end, in the unit of their reader.

use crate::numbers::four_digits;
use std::borrow::Cow;

/// What lengths are said in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LengthUnit {
    /// The unit is known, so geometry is in millimetres.
    Millimetres,
    /// The unit is not known yet.
    FileUnits,
}

impl LengthUnit {
    /// As it stands behind a number.
    pub fn symbol(self) -> &'static str {
        match self {
            LengthUnit::Millimetres => "mm",
            LengthUnit::FileUnits => "file units",
        }
    }
}

/// A part of a sentence.
#[derive(Clone, Debug, PartialEq)]
pub enum Piece {
    /// Words, names that people typed, numbers without a unit.
    Text(Cow<'static, str>),
    /// A length, said with its unit.
    Length(f64),
    /// A length whose unit is said elsewhere in the sentence.
    BareLength(f64),
    /// An area, said with its unit squared.
    Area(f64),
    /// The unit of lengths alone.
    Unit,
}

impl From<&'static str> for Piece {
    fn from(text: &'static str) -> Piece {
        Piece::Text(Cow::Borrowed(text))
    }
}

impl From<String> for Piece {
    fn from(text: String) -> Piece {
        Piece::Text(Cow::Owned(text))
    }
}

/// A length in the body's unit.
pub fn length(x: f64) -> Piece {
    Piece::Length(x)
}

/// A length without its unit, as in “10 × 20 × 30 mm”.
pub fn bare(x: f64) -> Piece {
    Piece::BareLength(x)
}

/// An area in the body's unit squared.
pub fn area(x: f64) -> Piece {
    Piece::Area(x)
}

/// Words and quantities that become text once, in the unit of the reader.
///
/// ```
/// use hull_workshop::say;
/// use hull_workshop::sentence::{LengthUnit, length};
/// // What people typed stays what it is.
/// let sentence = say!["“cut 3 mm off” is ", length(0.25), " wide."];
/// assert_eq!(sentence.text(LengthUnit::FileUnits), "“cut 3 mm off” is 0.25 file units wide.");
/// ```
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sentence(Vec<Piece>);

impl Sentence {
    /// A sentence of pieces in order.
    pub fn new(pieces: impl Into<Vec<Piece>>) -> Sentence {
        Sentence(pieces.into())
    }

    /// The same with another one behind it.
    #[must_use]
    pub fn and(mut self, other: Sentence) -> Sentence {
        self.0.extend(other.0);
        self
    }

    /// Its pieces in order.
    pub fn pieces(&self) -> &[Piece] {
        &self.0
    }

    /// As people read it.
    pub fn text(&self, unit: LengthUnit) -> String {
        let symbol = unit.symbol();
        self.0
            .iter()
            .map(|piece| match piece {
                Piece::Text(text) => text.to_string(),
                Piece::Length(x) => format!("{} {symbol}", four_digits(*x)),
                Piece::BareLength(x) => four_digits(*x),
                Piece::Area(x) => format!("{} {symbol}²", four_digits(*x)),
                Piece::Unit => symbol.to_string(),
            })
            .collect()
    }
}

impl<T: Into<Piece>> From<T> for Sentence {
    fn from(text: T) -> Sentence {
        Sentence(vec![text.into()])
    }
}

/// Makes a [`Sentence`](crate::sentence::Sentence) of words and quantities: `say!["Stitch at ", length(0.3)]`.
#[macro_export]
macro_rules! say {
    ($($piece:expr),* $(,)?) => {
        $crate::sentence::Sentence::new(vec![$($crate::sentence::Piece::from($piece)),*])
    };
}
