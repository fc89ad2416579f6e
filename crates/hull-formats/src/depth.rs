//! A guard for entities that lead to others, and perhaps back to themselves.

use std::cell::Cell;

/// References within references beyond this are refused.
const DEEPEST: usize = 40;
/// More entities than this within one are refused: a few that multiply each other.
const MOST_STEPS: usize = 100_000;

/// How deep a reader is, and how many entities it has followed since it was at the top.
#[derive(Debug, Default)]
pub struct Depth {
    depth: Cell<usize>,
    steps: Cell<usize>,
}

impl Depth {
    /// Runs `work` one level deeper; `refused` says so and gives `None` if that is too deep or too much.
    pub fn deeper<T>(&self, refused: impl FnOnce(), work: impl FnOnce() -> Option<T>) -> Option<T> {
        let depth = self.depth.get();
        let steps = if depth == 0 { 0 } else { self.steps.get() + 1 };
        self.steps.set(steps);
        if depth >= DEEPEST || steps > MOST_STEPS {
            refused();
            return None;
        }
        self.depth.set(depth + 1);
        let out = work();
        self.depth.set(depth);
        out
    }
}
