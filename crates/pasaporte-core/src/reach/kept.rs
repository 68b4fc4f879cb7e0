//! What counting asks again and again, worked out once: how many functions, identities and keys a place has, and which
//! of them are of no account that is known.

use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use crate::effect::{Effects, ServiceId};
use crate::estate::{AccountOf, At, Thing};

/// What was worked out so far.
#[derive(Debug, Default)]
pub(super) struct Kept {
    at: Mutex<FxHashMap<(ServiceId, At), OfPlace>>,
    strays: Mutex<FxHashMap<ServiceId, Arc<[Thing]>>>,
}

/// How many functions, identities or keys a place has, and the first of them by name.
#[derive(Debug, Clone, Copy)]
pub(super) struct OfPlace {
    pub(super) count: usize,
    pub(super) first: Option<Thing>,
}

impl Kept {
    /// How many declared functions, identities or keys a place has.
    pub(super) fn people_at(&self, effects: &Effects<'_>, service: ServiceId, place: At) -> OfPlace {
        let known = || self.at.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(service, place)) {
            return *found;
        }
        let things = effects.things_of(service, place);
        let first = things.iter().copied().min_by(|one, other| effects.estate().compare_labels(*one, *other));
        let found = OfPlace { count: things.len(), first };
        known().insert((service, place), found);
        found
    }

    /// The declared functions, identities or keys that are of no account that is known.
    pub(super) fn strays(&self, effects: &Effects<'_>, service: ServiceId) -> Arc<[Thing]> {
        let known = || self.strays.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&service) {
            return Arc::clone(found);
        }
        let is_stray = |thing: &Thing| !matches!(effects.account_of(*thing), AccountOf::Known(_));
        let found: Arc<[Thing]> =
            effects.things_of(service, At::Everywhere).into_iter().filter(is_stray).collect();
        known().insert(service, Arc::clone(&found));
        found
    }
}
