//! A list in which everything is there once, found by its name in one look: files have hundreds of thousands of names.

use std::collections::HashMap;
use std::hash::Hash;

/// A list with the place of each entry under its key.
#[derive(Clone, Debug)]
pub struct Numbered<K, T> {
    list: Vec<T>,
    at: HashMap<K, u32>,
}

impl<K: Hash + Eq, T> Default for Numbered<K, T> {
    fn default() -> Numbered<K, T> {
        Numbered { list: Vec::new(), at: HashMap::new() }
    }
}

impl<K: Hash + Eq, T> Numbered<K, T> {
    /// What is there already; of equal keys the first is found.
    pub fn of(list: Vec<T>, key: impl Fn(&T) -> K) -> Numbered<K, T> {
        let mut at = HashMap::with_capacity(list.len());
        for (i, entry) in list.iter().enumerate() {
            at.entry(key(entry)).or_insert(i as u32);
        }
        Numbered { list, at }
    }

    /// The number of what stands under a key; it is added if it is not there.
    pub fn number(&mut self, key: K, make: impl FnOnce(&K) -> T) -> u32 {
        if let Some(&n) = self.at.get(&key) {
            return n;
        }
        self.list.push(make(&key));
        let n = self.list.len() as u32 - 1;
        self.at.insert(key, n);
        n
    }

    /// The list, in the order in which things came.
    pub fn list(self) -> Vec<T> {
        self.list
    }
}
