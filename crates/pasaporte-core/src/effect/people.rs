//! The functions, identities, keys, users and groups that a road takes: those of its holder's account, and those of others
//! that need no side of theirs. As with resources, what a choice takes at a place is kept, since many statements say the
//! same. Other things with entries of their own are asked about where a statement names their kind.

use std::collections::BTreeSet;
use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;

use super::{Effects, FUNCTION, GROUP, IDENTITY, KEY, Road, ServiceId, USER};
use crate::access::HomeAt;
use crate::estate::{
    AccountOf, At, ContractId, EndpointId, Estate, Id, Kept, PatternId, Principal, ResourcesId, ScopeId,
    ScopeKind, SetId, Thing, TokenId, TriggerId, VerifierId, Vocabulary,
};

/// The services of such things.
pub(super) const PEOPLE: [ServiceId; 5] = [FUNCTION, IDENTITY, KEY, USER, GROUP];

/// Kinds that are asked about only where a statement names them, with what there is of each.
const NAMED_ENTRIES: [NamedKind; 6] = [
    (EndpointId::KIND, declared::<EndpointId>),
    (TriggerId::KIND, declared::<TriggerId>),
    (SetId::KIND, declared::<SetId>),
    (VerifierId::KIND, declared::<VerifierId>),
    (TokenId::KIND, declared::<TokenId>),
    (ContractId::KIND, declared::<ContractId>),
];

type NamedKind = (&'static str, fn(&Estate) -> Vec<Thing>);

fn declared<K: Kept>(estate: &Estate) -> Vec<Thing> {
    estate.all::<K>().map(|(id, _)| id.thing()).collect()
}

/// What was found so far.
pub(super) type Known = FxHashMap<(ServiceId, ResourcesId, At), Arc<People>>;

/// Things with entries of their own that a choice takes at a place.
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
            USER => self.users_at(at).into_iter().map(Thing::User).collect(),
            GROUP => self.groups_at(at).into_iter().map(Thing::Group).collect(),
            _ => Vec::new(),
        }
    }

    /// Whether things of a service are of those that have entries of their own, and no resources.
    pub(crate) fn is_of_people(service: ServiceId) -> bool {
        PEOPLE.contains(&service)
    }

    /// The declared things of a kind that has entries of its own and is asked about only where a statement names it:
    /// endpoints, triggers, permission sets, verifiers, tokens, contracts and scopes. None of any other kind.
    pub(super) fn named_entries(&self, kind: &str) -> Vec<Thing> {
        if let Some((_, all)) = NAMED_ENTRIES.iter().find(|(named, _)| *named == kind) {
            return all(self.estate());
        }
        let Some(kind) = ScopeKind::parse(kind) else { return Vec::new() };
        let of_kind = self.estate().all::<ScopeId>().filter(|(_, it)| it.kind == kind);
        of_kind.map(|(id, _)| Thing::Scope(id)).collect()
    }

    /// Those of kinds that some statement names, by its actions or its resources; without scopes.
    pub(crate) fn entries_that_are_named(&self) -> Vec<Thing> {
        let estate = self.estate();
        let starts = |ids: &[PatternId], end: char| -> Vec<String> {
            let starts = ids.iter().map(|id| estate.pattern(*id).literal_start());
            starts.filter_map(|start| Some(start.split_once(end)?.0.to_owned())).collect()
        };
        let actions = estate.all_actions_picked().flat_map(|(_, it)| starts(it.any(), '/'));
        let resources = estate.all_resources_picked().flat_map(|(_, it)| starts(it.any(), ':'));
        let kinds: BTreeSet<String> = actions.chain(resources).collect();
        let named = kinds.iter().flat_map(|kind| self.named_entries(kind));
        named.filter(|thing| !matches!(thing, Thing::Scope(_))).collect()
    }

    /// Whether a kind is one of those.
    pub(crate) fn is_of_named_entries(kind: &str) -> bool {
        NAMED_ENTRIES.iter().any(|(named, _)| *named == kind) || ScopeKind::parse(kind).is_some()
    }

    /// The declared things of such a service that a choice takes at a place.
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
                USER => self.users_taken(resources, at).into_iter().map(Thing::User).collect(),
                GROUP => self.groups_taken(resources, at).into_iter().map(Thing::Group).collect(),
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
