//! Numbers of a parameter section that count something.

/// More than any list holds, and far from where numbers end.
pub const MOST: usize = 1 << 40;

/// A number that counts something, at most `most`.
pub fn count(x: f64, most: usize) -> Option<usize> {
    (x >= 0.0 && x.fract() == 0.0 && x <= most as f64).then_some(x as usize)
}
