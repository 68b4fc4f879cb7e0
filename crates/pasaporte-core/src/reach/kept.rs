//! What counting asks again and again, worked out once: which things something is denied on, how many functions,
//! identities and keys a place has, and which of them are of no account that is known.

use std::sync::{Arc, Mutex};

use rustc_hash::{FxHashMap, FxHashSet};

use crate::effect::{Effects, ServiceId};
use crate::estate::{AccountOf, At, Effect, Thing};

/// What was worked out so far.
#[derive(Debug)]
pub(super) struct Kept {
    /// The things on which a statement denies something.
    denied: FxHashSet<Thing>,
    /// Whether one of those is a resource.
    pub(super) denies_on_resources: bool,
    /// Whether one of those statements has conditions.
    pub(super) denies_on_condition: bool,
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
    pub(super) fn new(effects: &Effects<'_>) -> Self {
        let estate = effects.estate();
        let denying = || {
            let all = estate.admissions().iter();
            all.filter(|it| estate.statement(it.statement).effect == Effect::Deny)
        };
        Self {
            denied: denying().map(|it| it.on).collect(),
            denies_on_resources: denying().any(|it| matches!(it.on, Thing::Resource(_))),
            denies_on_condition: denying().any(|it| !estate.statement(it.statement).conditions.is_empty()),
            at: Mutex::default(),
            strays: Mutex::default(),
        }
    }

    /// Whether a statement on a thing denies something.
    pub(super) fn is_denied_on(&self, thing: Thing) -> bool {
        self.denied.contains(&thing)
    }

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
