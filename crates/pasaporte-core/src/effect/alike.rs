//! What is the same for many, worked out once: what everybody may, for all who are alike; the functions that let in
//! anyone; how many functions, identities and keys a place has.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::{Effects, Road, ServiceId};
use crate::access::Verdict;
use crate::estate::{
    AccountOf, At, Attribute, Check, Condition, Effect, EndpointId, FunctionId, KeyId, Principal, ResourceId,
    StatementId, Thing,
};
use crate::reach::Service;

/// Those who are of one account and against whom the same stands.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub(crate) struct Alike {
    home: Option<AccountOf>,
    denies: Box<[StatementId]>,
    ceilings: Box<[crate::estate::CeilingId]>,
}

/// How many functions, identities or keys a place has, and the first of them by name.
pub(super) type People = FxHashMap<(ServiceId, At), (usize, Option<Thing>)>;

impl Effects<'_> {
    /// Who is like somebody in all that roads of everybody ask about; none where they ask who exactly it is.
    pub(crate) fn alike(&self, who: Principal, roads: &[Road]) -> Option<Alike> {
        let personal = |conditions: &[Condition]| {
            conditions.iter().any(|it| matches!(it, Condition::Test(Attribute::CallerTag(_), _)))
        };
        let asks = |road: &Road| {
            let statement = self.estate().statement(road.statement);
            let grant = road.grant().map_or(&[][..], |id| &self.estate().grant(id).conditions);
            personal(&statement.conditions) || personal(grant)
        };
        // Across accounts its own side counts as well, and that is its own.
        let foreign = |road: &Road| match road.at {
            At::Thing(thing) if road.grant().is_none() && !self.is_of_anyone(road.name()) => {
                !self.takes_one_side(who, thing)
            }
            _ => false,
        };
        // What stands on a thing against one of them is not said of the others.
        let names = self.names(who);
        let mut own_names = names.iter().filter(|name| !self.is_of_everybody(**name));
        if own_names.any(|name| self.admissions_naming(*name).any(|id| !self.allows(id))) {
            return None;
        }
        let (denies, ceilings) = self.opposing(who);
        let in_ceilings = ceilings.iter().flat_map(|id| self.estate().ceiling(*id).statements.ids());
        let against = denies.iter().copied().chain(in_ceilings);
        let tagged = against.into_iter().any(|id| personal(&self.estate().statement(id).conditions));
        if tagged || roads.iter().any(|road| asks(road) || foreign(road)) {
            return None;
        }
        // Where nothing asks for the account of who calls, it does not matter which it is.
        let asks_nothing = self.no_deny_on_things_is_conditional()
            && roads.iter().all(|road| self.is_plain(road))
            && denies.iter().all(|id| self.estate().statement(*id).conditions.is_empty())
            && ceilings.is_empty();
        let home = self.home(who).filter(|home| !asks_nothing || !matches!(home, AccountOf::Known(_)));
        Some(Alike { home, denies, ceilings })
    }

    /// Whether no statement that denies something on a thing has conditions.
    fn no_deny_on_things_is_conditional(&self) -> bool {
        *self.no_deny_on_things_is_conditional.get_or_init(|| {
            let estate = self.estate();
            let conditional = |id| {
                let statement = estate.statement(id);
                statement.effect == Effect::Deny && !statement.conditions.is_empty()
            };
            !estate.admissions().iter().any(|it| conditional(it.statement))
        })
    }

    /// What is kept for those who are alike.
    pub(crate) fn common_of(&self, kind: Alike, find: impl FnOnce() -> Arc<[Service]>) -> Arc<[Service]> {
        let known = || self.common.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&kind) {
            return Arc::clone(found);
        }
        let found = find();
        known().insert(kind, Arc::clone(&found));
        found
    }

    /// The functions that let in anyone by an endpoint of theirs, by name.
    pub(crate) fn open_functions(&self) -> &[(FunctionId, Verdict)] {
        self.open_functions.get_or_init(|| {
            let estate = self.estate();
            let all: Vec<FunctionId> = estate.all().map(|(id, _)| id).collect();
            let open = |id: &FunctionId| {
                let ways = estate.endpoints_of(*id).iter().flat_map(|endpoint| self.ways_at(*endpoint));
                let anyone = ways.filter(|way| way.caller.who == Principal::Anyone && self.may_run(*id));
                let best = anyone.map(|way| way.caller.verdict).max()?;
                Some((*id, best))
            };
            let mut open: Vec<(FunctionId, Verdict)> = all.par_iter().filter_map(open).collect();
            open.sort_by(|(one, _), (other, _)| estate.id(*one).cmp(estate.id(*other)));
            open.into()
        })
    }

    /// Whether an endpoint of a function accepts a key.
    pub(crate) fn accepts_key(&self, function: FunctionId, key: KeyId) -> bool {
        let endpoints = self.estate().endpoints_of(function).iter().copied();
        let accepts = |id: EndpointId| {
            let asks_key = self.estate().get(id).is_some_and(|it| matches!(it.check, Check::Key(_)));
            asks_key && self.callers_at(id).iter().any(|caller| caller.who == Principal::Key(key))
        };
        endpoints.into_iter().any(accepts)
    }

    /// How many declared functions, identities or keys a place has, and the first of them by name.
    pub(crate) fn people_at(&self, service: ServiceId, place: At) -> (usize, Option<Thing>) {
        let known = || self.people_at.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(service, place)) {
            return *found;
        }
        let things = self.things_of(service, place);
        let first = things.iter().copied().min_by(|one, other| self.estate().compare_labels(*one, *other));
        known().insert((service, place), (things.len(), first));
        (things.len(), first)
    }

    /// Whether case of actions is ignored at a place.
    pub(crate) fn case_at(&self, place: At) -> bool {
        match place {
            At::Thing(thing) => self.any_case(thing),
            At::Everywhere => false,
        }
    }

    /// Case that counts, and case that does not where some account takes it so.
    pub(crate) fn cases(&self) -> impl Iterator<Item = bool> + use<> {
        [false].into_iter().chain(self.ignores_case_somewhere().then_some(true))
    }

    /// Whether the account of any resource is not known.
    pub(crate) fn accounts_are_unknown(&self) -> bool {
        *self.accounts_are_unknown.get_or_init(|| {
            let mut all = self.estate().all::<ResourceId>();
            all.any(|(id, _)| self.account_of(Thing::Resource(id)) == AccountOf::Unknown)
        })
    }

    /// Whether a statement on any resource denies something.
    pub(crate) fn denies_on_resources(&self) -> bool {
        *self.denies_on_resources.get_or_init(|| {
            let estate = self.estate();
            estate.admissions().iter().any(|it| {
                matches!(it.on, Thing::Resource(_)) && estate.statement(it.statement).effect == Effect::Deny
            })
        })
    }
}
