//! Numbers in templates, whether the template hands over a value or a reference to one.

use hull_workshop::numbers;

/// A whole number or a reference to one.
pub trait Whole {
    fn whole(&self) -> usize;
}

impl Whole for usize {
    fn whole(&self) -> usize {
        *self
    }
}

impl<T: Whole> Whole for &T {
    fn whole(&self) -> usize {
        (**self).whole()
    }
}

/// A real number or a reference to one.
pub trait Real {
    fn real(&self) -> f64;
}

impl Real for f64 {
    fn real(&self) -> f64 {
        *self
    }
}

impl<T: Real> Real for &T {
    fn real(&self) -> f64 {
        (**self).real()
    }
}

pub fn count(n: impl Whole) -> String {
    numbers::count(n.whole())
}

pub fn four_digits(x: impl Real) -> String {
    numbers::four_digits(x.real())
}

pub fn fixed(x: impl Real, places: usize) -> String {
    numbers::fixed(x.real(), places)
}

/// Two decimals.
pub fn two(x: f64) -> String {
    numbers::fixed(x, 2)
}

/// “1 shell”, “8 shells”.
pub fn counted(n: impl Whole, what: &str) -> String {
    numbers::counted(n.whole(), what)
}

/// Whether there are any.
pub fn has(n: impl Whole) -> bool {
    n.whole() > 0
}

/// The size of a file.
pub fn bytes(n: u64) -> String {
    match n {
        0..1_000_000 => format!("{} kB", numbers::four_digits(n as f64 / 1e3)),
        1_000_000..1_000_000_000 => format!("{} MB", numbers::four_digits(n as f64 / 1e6)),
        _ => format!("{} GB", numbers::four_digits(n as f64 / 1e9)),
    }
}
