//! Values by a key that is not dense: pairs in the order of their keys, and where each key begins.

use std::hash::{BuildHasher, Hash};

use hashbrown::HashTable;
use rustc_hash::FxBuildHasher;

/// Pairs, sorted by key.
#[derive(Debug)]
pub(super) struct By<K, V> {
    pairs: Box<[(K, V)]>,
    /// The first pair of each key, and the first one after its last.
    ranges: HashTable<(u32, u32)>,
}

impl<K: Ord + Copy + Hash, V> By<K, V> {
    /// Keeps the order of the values of each key.
    pub(super) fn new(mut pairs: Vec<(K, V)>) -> Self {
        pairs.sort_by_key(|(key, _)| *key);
        let pairs = pairs.into_boxed_slice();
        let mut ranges = HashTable::with_capacity(groups(&pairs).count());
        let mut start = 0;
        for group in groups(&pairs) {
            let end = start + group.len() as u32;
            let hashed = |&(start, _): &(u32, u32)| FxBuildHasher.hash_one(pairs[start as usize].0);
            ranges.insert_unique(FxBuildHasher.hash_one(group[0].0), (start, end), hashed);
            start = end;
        }
        Self { pairs, ranges }
    }

    /// The keys, each once.
    pub(super) fn keys(&self) -> impl Iterator<Item = K> {
        groups(&self.pairs).map(|group| group[0].0)
    }

    /// The pairs of a key.
    pub(super) fn of(&self, key: K) -> &[(K, V)] {
        let is_it = |&(start, _): &(u32, u32)| self.pairs[start as usize].0 == key;
        let range = self.ranges.find(FxBuildHasher.hash_one(key), is_it);
        range.map_or(&[], |&(start, end)| &self.pairs[start as usize..end as usize])
    }
}

/// The pairs of each key together.
fn groups<K: PartialEq, V>(pairs: &[(K, V)]) -> impl Iterator<Item = &[(K, V)]> {
    pairs.chunk_by(|one, next| one.0 == next.0)
}
