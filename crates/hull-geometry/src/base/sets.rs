//! Disjoint sets (union–find).

use crate::Handle;
use std::marker::PhantomData;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};
use typed_index_collections::TiVec;

/// Disjoint sets of things whose root is always the first member, so that the result does not depend on the order
/// in which threads unite them. Uniting needs only a shared reference.
pub struct Sets<Id = u32> {
    parents: Vec<AtomicU32>,
    of: PhantomData<fn(Id) -> Id>,
}

impl<Id: Handle> Sets<Id> {
    /// So many sets of one.
    pub fn new(n: usize) -> Sets<Id> {
        Sets { parents: (0..n as u32).map(AtomicU32::new).collect(), of: PhantomData }
    }

    /// The member that stands for a set.
    pub fn root(&self, member: Id) -> Id {
        Id::numbered(self.root_number(member.number()))
    }

    fn root_number(&self, mut x: u32) -> u32 {
        loop {
            let parent = self.parents[x as usize].load(Relaxed);
            if parent == x {
                return x;
            }
            let above = self.parents[parent as usize].load(Relaxed);
            if above != parent {
                // Path halving; losing the race only costs a longer path.
                let _ = self.parents[x as usize].compare_exchange_weak(parent, above, Relaxed, Relaxed);
            }
            x = parent;
        }
    }

    /// What a member points at on the way to its root.
    pub fn parent(&self, member: Id) -> Id {
        Id::numbered(self.parents[member.number() as usize].load(Relaxed))
    }

    /// Makes the sets of two one.
    pub fn unite(&self, a: Id, b: Id) {
        let (mut a, mut b) = (self.root_number(a.number()), self.root_number(b.number()));
        while a != b {
            let (low, high) = (a.min(b), a.max(b));
            if self.parents[high as usize].compare_exchange(high, low, Relaxed, Relaxed).is_ok() {
                return;
            }
            (a, b) = (self.root_number(low), self.root_number(high));
        }
    }

    /// Numbers the sets `0, 1, …` in the order of their first members; members for which `skip` holds
    /// get [`crate::NONE`]. Returns the number of each member and how many sets there are.
    pub fn numbered(&self, skip: impl Fn(Id) -> bool) -> (TiVec<Id, u32>, usize) {
        let mut number = vec![crate::NONE; self.parents.len()];
        let mut count = 0;
        for x in 0..self.parents.len() as u32 {
            if skip(Id::numbered(x)) {
                continue;
            }
            let root = self.root_number(x);
            if number[root as usize] == crate::NONE {
                number[root as usize] = count;
                count += 1;
            }
            number[x as usize] = number[root as usize];
        }
        (number.into(), count as usize)
    }
}
