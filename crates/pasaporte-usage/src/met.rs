//! What was met, by a keyed hash of what it says, in one flat table: a line costs one place of memory there, and the places
//! of many lines are fetched side by side.

use std::hint::black_box;

use siphasher::sip128::SipHasher13;

/// A keyed hash of what was met. Three lots of four bytes: two that differ are as good as never taken for one, and nobody
/// who does not know the keys can make two that are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Identity {
    pub(crate) hash: u64,
    pub(crate) check: u32,
}

impl Identity {
    pub(crate) fn of(keys: (u64, u64), bytes: &[u8]) -> Self {
        let hash = SipHasher13::new_with_keys(keys.0, keys.1).hash(bytes);
        Self { hash: hash.h1, check: hash.h2 as u32 }
    }
}

#[derive(Debug, Clone, Copy)]
struct Slot {
    hash: u64,
    check: u32,
    came_to: u32,
}

/// What nothing comes to.
const NOTHING: u32 = u32::MAX;
const EMPTY: Slot = Slot { hash: 0, check: 0, came_to: NOTHING };
/// Places to begin with; always a power of two.
const FIRST: usize = 1 << 10;

/// What was met, and what it came to: a number below [`u32::MAX`].
#[derive(Debug)]
pub(crate) struct Met {
    slots: Vec<Slot>,
    len: usize,
}

impl Default for Met {
    fn default() -> Self {
        Self { slots: vec![EMPTY; FIRST], len: 0 }
    }
}

impl Met {
    pub(crate) fn len(&self) -> usize {
        self.len
    }

    /// Forgets all.
    pub(crate) fn clear(&mut self) {
        *self = Self::default();
    }

    /// Has the memory of some fetched, all at once, before they are looked for one after the other.
    pub(crate) fn fetch(&self, all: impl Iterator<Item = Identity>) {
        black_box(all.fold(0, |sum: u32, it| sum ^ self.slots[self.home(it.hash)].check));
    }

    /// What an event came to when it was met.
    pub(crate) fn get(&self, it: Identity) -> Option<u32> {
        let mut place = self.home(it.hash);
        loop {
            let slot = &self.slots[place];
            if slot.came_to == NOTHING {
                return None;
            }
            if (slot.hash, slot.check) == (it.hash, it.check) {
                return Some(slot.came_to);
            }
            place = (place + 1) & (self.slots.len() - 1);
        }
    }

    /// Keeps what an event that was not met came to.
    pub(crate) fn insert(&mut self, it: Identity, came_to: u32) {
        debug_assert_ne!(came_to, NOTHING, "a number that means something");
        // Above five eighths the runs of taken places grow long.
        if self.len * 8 >= self.slots.len() * 5 {
            let larger = vec![EMPTY; self.slots.len() * 2];
            let before = std::mem::replace(&mut self.slots, larger);
            for slot in before.into_iter().filter(|slot| slot.came_to != NOTHING) {
                self.put(slot);
            }
        }
        self.put(Slot { hash: it.hash, check: it.check, came_to });
        self.len += 1;
    }

    fn put(&mut self, slot: Slot) {
        let mut place = self.home(slot.hash);
        while self.slots[place].came_to != NOTHING {
            place = (place + 1) & (self.slots.len() - 1);
        }
        self.slots[place] = slot;
    }

    fn home(&self, hash: u64) -> usize {
        hash as usize & (self.slots.len() - 1)
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// As any map, through growth and with many that have one home.
        #[test]
        fn what_was_met_is_known_again(all in prop::collection::vec((0_u64..40, 0_u32..3), 0..3000)) {
            let (mut met, mut map) = (Met::default(), HashMap::new());
            for (number, (hash, check)) in all.into_iter().enumerate() {
                let it = Identity { hash: (hash << 20) | (number as u64 % 7), check };
                let known = map.get(&(it.hash, check)).copied();
                prop_assert_eq!(met.get(it), known);
                if known.is_none() {
                    met.insert(it, number as u32);
                    map.insert((it.hash, check), number as u32);
                }
                prop_assert_eq!(met.len(), map.len());
            }
            for ((hash, check), number) in map {
                prop_assert_eq!(met.get(Identity { hash, check }), Some(number));
            }
        }
    }

    #[test]
    fn it_grows() {
        let mut met = Met::default();
        let it = |number: u32| Identity { hash: u64::from(number).wrapping_mul(0x9e37_79b9), check: number };
        (0..10_000).for_each(|number| met.insert(it(number), number));
        assert!((0..10_000).all(|number| met.get(it(number)) == Some(number)));
        met.clear();
        assert_eq!((met.len(), met.get(it(7))), (0, None));
    }
}
