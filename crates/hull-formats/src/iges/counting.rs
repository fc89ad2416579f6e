//! Numbers of a parameter section that count something.

/// A number that counts something, at most `most`.
pub fn count(x: f64, most: usize) -> Option<usize> {
    (x >= 0.0 && x.fract() == 0.0 && x <= most as f64).then_some(x as usize)
}
