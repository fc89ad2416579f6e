//! Disjoint sets (union–find).

use std::sync::atomic::{AtomicU32, Ordering::Relaxed};

/// Disjoint sets whose root is always the smallest member, so that the result does not depend on the order
/// in which threads unite them. Uniting needs only a shared reference.
pub struct Sets(Vec<AtomicU32>);

impl Sets {
    /// So many sets of one.
    pub fn new(n: usize) -> Sets {
        Sets((0..n as u32).map(AtomicU32::new).collect())
    }

    /// The number that stands for a set.
    pub fn root(&self, mut x: u32) -> u32 {
        loop {
            let parent = self.0[x as usize].load(Relaxed);
            if parent == x {
                return x;
            }
            let above = self.0[parent as usize].load(Relaxed);
            if above != parent {
                // Path halving; losing the race only costs a longer path.
                let _ = self.0[x as usize].compare_exchange_weak(parent, above, Relaxed, Relaxed);
            }
            x = parent;
        }
    }

    /// What a number points at on the way to its root.
    pub fn parent(&self, x: u32) -> u32 {
        self.0[x as usize].load(Relaxed)
    }

    /// Makes the sets of two one.
    pub fn unite(&self, a: u32, b: u32) {
        let (mut a, mut b) = (self.root(a), self.root(b));
        while a != b {
            let (low, high) = (a.min(b), a.max(b));
            if self.0[high as usize].compare_exchange(high, low, Relaxed, Relaxed).is_ok() {
                return;
            }
            (a, b) = (self.root(low), self.root(high));
        }
    }

    /// Numbers the sets `0, 1, …` in the order of their smallest members; members for which `skip` holds
    /// get [`crate::NONE`]. Returns the number of each member and how many sets there are.
    pub fn numbered(&self, skip: impl Fn(u32) -> bool) -> (Vec<u32>, usize) {
        let mut number = vec![crate::NONE; self.0.len()];
        let mut count = 0;
        for x in 0..self.0.len() as u32 {
            if skip(x) {
                continue;
            }
            let root = self.root(x);
            if number[root as usize] == crate::NONE {
                number[root as usize] = count;
                count += 1;
            }
            number[x as usize] = number[root as usize];
        }
        (number, count as usize)
    }
}
