//! Who belongs to whom: many values by key, in two arrays.

use super::Id;

/// Values by the key that they belong to, in the order in which they were given.
#[derive(Debug)]
pub(crate) struct Grouped<V> {
    /// Where the values of each key begin; one more than there are keys.
    starts: Box<[u32]>,
    values: Box<[V]>,
}

impl<V> Default for Grouped<V> {
    fn default() -> Self {
        Self { starts: Box::default(), values: Box::default() }
    }
}

impl<V: Copy> Grouped<V> {
    /// Groups pairs by keys below `keys`; linear in both.
    pub(crate) fn new<K: Id>(keys: usize, pairs: impl Iterator<Item = (K, V)> + Clone) -> Self {
        let mut starts = vec![0_u32; keys + 1].into_boxed_slice();
        for (key, _) in pairs.clone() {
            starts[key.index() + 1] += 1;
        }
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut values: Vec<Option<V>> = vec![None; starts.last().map_or(0, |end| *end as usize)];
        for (key, value) in pairs {
            let slot = &mut next[key.index()];
            values[*slot as usize] = Some(value);
            *slot += 1;
        }
        Self { starts, values: values.into_iter().flatten().collect() }
    }

    /// The values of a key.
    pub(crate) fn get(&self, key: impl Id) -> &[V] {
        let index = key.index();
        match (self.starts.get(index), self.starts.get(index + 1)) {
            (Some(&start), Some(&end)) => &self.values[start as usize..end as usize],
            _ => &[],
        }
    }
}
