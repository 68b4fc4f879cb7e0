//! Values by a key that is not dense: pairs in the order of their keys.

/// Pairs, sorted by key; a look-up is a binary search.
#[derive(Debug)]
pub(super) struct By<K, V> {
    pairs: Box<[(K, V)]>,
}

impl<K: Ord + Copy, V> By<K, V> {
    /// Keeps the order of the values of each key.
    pub(super) fn new(mut pairs: Vec<(K, V)>) -> Self {
        pairs.sort_by_key(|(key, _)| *key);
        Self { pairs: pairs.into() }
    }

    /// The pairs of a key.
    pub(super) fn of(&self, key: K) -> &[(K, V)] {
        let start = self.pairs.partition_point(|(each, _)| *each < key);
        let length = self.pairs[start..].partition_point(|(each, _)| *each == key);
        &self.pairs[start..start + length]
    }
}
