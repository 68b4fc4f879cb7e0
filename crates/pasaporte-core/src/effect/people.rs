//! The functions, identities and keys that a road takes: those of its holder's account, and those of others that need no
//! side of theirs. As with resources, what a choice takes at a place is kept, since many statements say the same.

use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;

use super::{Effects, FUNCTION, IDENTITY, KEY, Road, ServiceId};
use crate::access::HomeAt;
use crate::estate::{AccountOf, At, Principal, ResourcesId, Thing};

/// What was found so far.
pub(super) type Known = FxHashMap<(ServiceId, ResourcesId, At), Arc<People>>;

/// Functions, identities or keys that a choice takes at a place.
#[derive(Debug)]
pub(crate) struct People {
    all: Arc<[Thing]>,
    /// Those that need no side of their own.
    open: OnceLock<Arc<[Thing]>>,
}

impl Effects<'_> {
    /// The declared things of a service at a place; none where things of that service are resources.
    pub(crate) fn things_of(&self, service: ServiceId, at: At) -> Vec<Thing> {
        match service {
            FUNCTION => self.functions_at(at).into_iter().map(Thing::Function).collect(),
            IDENTITY => self.identities_at(at).into_iter().map(Thing::Identity).collect(),
            KEY => self.keys_taken_at(at),
            _ => Vec::new(),
        }
    }

    /// Whether things of a service are functions, identities or keys, and no resources.
    pub(crate) fn is_of_people(service: ServiceId) -> bool {
        [FUNCTION, IDENTITY, KEY].contains(&service)
    }

    /// The declared functions, identities or keys that a choice takes at a place.
    pub(crate) fn people_taken(&self, service: ServiceId, resources: ResourcesId, at: At) -> Arc<[Thing]> {
        Arc::clone(&self.people(service, resources, at).all)
    }

    /// Those that a road takes and that its holder may get at: of its own account, and of others.
    pub(crate) fn people_reached(
        &self,
        who: Principal,
        road: &Road,
        service: ServiceId,
    ) -> [Arc<[Thing]>; 2] {
        let resources = self.estate().statement(road.statement).resources;
        let all = |at| self.people_taken(service, resources, at);
        let open = |at| self.open_to_others(&self.people(service, resources, at));
        let Some(AccountOf::Known(home)) = self.home(who).filter(|_| !self.is_of_everybody(road.name()))
        else {
            return [all(road.at), Arc::default()];
        };
        match self.home_at(home, road.at) {
            HomeAt::Around => [all(road.at), Arc::default()],
            HomeAt::Within(whole) => [all(whole), open(road.at)],
            HomeAt::Elsewhere => [Arc::default(), open(road.at)],
        }
    }

    fn people(&self, service: ServiceId, resources: ResourcesId, at: At) -> Arc<People> {
        let find = || {
            let all: Vec<Thing> = match service {
                FUNCTION => self.functions_taken(resources, at).into_iter().map(Thing::Function).collect(),
                IDENTITY => self.identities_taken(resources, at).into_iter().map(Thing::Identity).collect(),
                KEY => self.keys_taken(resources, at).into_iter().map(Thing::Key).collect(),
                _ => Vec::new(),
            };
            Arc::new(People { all: all.into(), open: OnceLock::new() })
        };
        // What names one thing is found by its name.
        if self.only(resources).is_some() {
            return find();
        }
        let known = || self.people.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(service, resources, at)) {
            return Arc::clone(found);
        }
        let found = find();
        known().insert((service, resources, at), Arc::clone(&found));
        found
    }

    fn open_to_others(&self, people: &People) -> Arc<[Thing]> {
        let is_open = |thing: &Thing| self.may_be_open(self.account_of(*thing));
        let open = || people.all.iter().copied().filter(is_open).collect();
        Arc::clone(people.open.get_or_init(open))
    }
}
