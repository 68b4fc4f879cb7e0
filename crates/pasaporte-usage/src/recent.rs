//! Events that were met lately, by their ids, so that none is counted twice.

use std::collections::{HashSet, VecDeque};
use std::sync::Mutex;

use rustc_hash::FxBuildHasher;

/// Ids of events that were met, the last of them: what is written twice is written twice within a short time. They are
/// divided among several, so that threads seldom wait for each other.
#[derive(Debug)]
pub(crate) struct Recent(Vec<Mutex<Ids>>);

#[derive(Debug, Default)]
struct Ids {
    known: HashSet<u64, FxBuildHasher>,
    order: VecDeque<u64>,
}

/// Ids that are remembered, in all.
const REMEMBERED: usize = 1 << 20;
/// Among how many they are divided.
const SHARES: usize = 64;

impl Default for Recent {
    fn default() -> Self {
        Self((0..SHARES).map(|_| Mutex::default()).collect())
    }
}

impl Recent {
    /// Whether an id was met before.
    pub(crate) fn met(&self, id: u64) -> bool {
        let share = &self.0[(id >> 32) as usize % SHARES];
        let Ids { known, order } = &mut *share.lock().expect("nobody panics while holding it");
        if !known.insert(id) {
            return true;
        }
        order.push_back(id);
        if order.len() > REMEMBERED / SHARES
            && let Some(oldest) = order.pop_front()
        {
            known.remove(&oldest);
        }
        false
    }
}
