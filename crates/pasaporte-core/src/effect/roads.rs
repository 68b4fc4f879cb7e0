//! The roads by which somebody comes to hold something: statements of grants, and statements on things.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::acts::Others;
use super::harm::on_data;
use super::{ACCESS_SERVICE, Effects, FUNCTION, GROUP, IDENTITY, KEY, ServiceId, USER};
use crate::access::{Action, Context, New, On, Question, Reachable, Taken, Truth, Verdict, Via};
use crate::estate::{
    ActionClass, ActionsId, AdmissionId, At, Attribute, Condition, Effect, Grant, GrantId, Id, Principal,
    ResourcesId, SetId, Statement, StatementId, Thing,
};
use crate::pattern::Pattern;

/// A statement that allows, as somebody holds it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Road {
    /// How it comes to be held.
    pub via: Via,
    /// The statement.
    pub statement: StatementId,
    /// Where it holds: a grant's place, or the thing that it stands on.
    pub at: At,
}

impl Road {
    /// A statement of a grant.
    pub fn of_grant(
        grant: GrantId,
        it: &Grant,
        name: Principal,
        set: Option<SetId>,
        statement: StatementId,
    ) -> Self {
        Self { via: Via::Grant { grant, name, set }, statement, at: it.at }
    }

    /// The name that is given it.
    pub fn name(&self) -> Principal {
        match self.via {
            Via::Grant { name, .. } | Via::Admission { name, .. } => name,
            Via::Ceiling(_) => Principal::Anyone,
        }
    }

    /// The grant, where it is held by one.
    pub fn grant(&self) -> Option<GrantId> {
        match self.via {
            Via::Grant { grant, .. } => Some(grant),
            Via::Admission { .. } | Via::Ceiling(_) => None,
        }
    }
}

/// What somebody's grants give of a service, by what it is given on.
#[derive(Debug, Default)]
pub struct GivenOf {
    roads: Vec<Road>,
    /// The places of those that name one thing, by the thing; and of all others.
    of_one: Vec<(Thing, usize)>,
    of_more: Vec<usize>,
}

/// What a choice of actions has that is worse than touching data, as bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Powers(u8);

impl Powers {
    /// Actions that change who may do what.
    pub(crate) const ACCESS: Self = Self(1);
    /// Actions on functions that do more than look, invoke and list.
    pub(crate) const FUNCTIONS: Self = Self(2);
    /// Actions on identities that do more than look.
    pub(crate) const IDENTITIES: Self = Self(4);
    /// Actions on keys that do more than list.
    pub(crate) const KEYS: Self = Self(8);
    /// Actions on users and groups that do more than look.
    pub(crate) const USERS: Self = Self(16);

    pub(crate) fn any(self) -> bool {
        self.0 != 0
    }

    pub(crate) fn has(self, other: Self) -> bool {
        self.0 & other.0 != 0
    }
}

/// The actions that statements name, by service.
pub(crate) type Named = FxHashMap<ServiceId, Vec<Arc<Action>>>;

/// The kinds of things that choices take.
pub(super) type Kinds = FxHashMap<ResourcesId, Option<Arc<[ServiceId]>>>;

/// The services that a choice of actions names; none where it leaves them open.
pub(super) type ServicesNamed = Option<Box<[ServiceId]>>;

/// The actions that a choice names, each with its service.
pub(super) type NamedIn = Box<[(ServiceId, Arc<Action>)]>;

/// The statements on things that are worth asking about for those whom they name: those that may do harm.
pub(super) type WorthAsking = FxHashMap<Principal, Box<[AdmissionId]>>;

impl Effects<'_> {
    /// The statements that allow something by any name of a principal: all of its grants in force, and those on things
    /// that may do harm.
    pub(super) fn harmful_roads(&self, who: Principal) -> Vec<Road> {
        let mut all = self.roads_by_grants(who);
        let worth = self.worth_asking.get_or_init(|| self.find_worth_asking());
        for name in self.names(who) {
            let on = worth.get(&name).map_or(&[][..], |all| all);
            all.extend(on.iter().map(|id| self.road_of(*id, name)));
        }
        all
    }

    /// The statements that allow something by any name of a principal.
    pub fn roads(&self, who: Principal) -> Vec<Road> {
        self.roads_by(who, &self.names(who))
    }

    /// The statements that allow something by some names of a principal.
    pub(crate) fn roads_by(&self, who: Principal, names: &[Principal]) -> Vec<Road> {
        let mut all = self.roads_by_grants(who);
        all.retain(|road| names.contains(&road.name()));
        for name in names {
            all.extend(self.roads_on_things(*name));
        }
        all
    }

    /// The statements on things that allow something by a name.
    pub(crate) fn roads_on_things(&self, name: Principal) -> impl Iterator<Item = Road> {
        let on_things = self.admissions_naming(name).filter(|id| self.allows(*id));
        on_things.map(move |id| self.road_of(id, name))
    }

    /// The services of which a road has actions for things that it may take: those that it names, and those of what the
    /// estate has where a wildcard stands for the service.
    pub(crate) fn services_of(&self, road: &Road) -> Vec<ServiceId> {
        let estate = self.estate();
        let statement = estate.statement(road.statement);
        if let (Via::Admission { .. }, At::Thing(thing)) = (road.via, road.at) {
            let mut all = vec![self.service_of(thing), ACCESS_SERVICE];
            all.retain(|service| self.has_any(statement.actions, *service));
            return all;
        }
        self.services_in(road.statement)
    }

    /// The services of which a statement has actions for things that it may take: of the kinds that its resources name,
    /// where they do.
    pub(crate) fn services_in(&self, id: StatementId) -> Vec<ServiceId> {
        let statement = self.estate().statement(id);
        let Some(kinds) = self.kinds_of(statement.resources) else {
            return self.services_of_actions(statement.actions).to_vec();
        };
        let mut all: Vec<ServiceId> = kinds.iter().copied().chain([ACCESS_SERVICE]).collect();
        all.sort_unstable();
        all.dedup();
        all.retain(|service| self.has_any(statement.actions, *service));
        all
    }

    fn services_of_actions(&self, actions: ActionsId) -> &[ServiceId] {
        self.services_of_actions[actions.index()].get_or_init(|| {
            let (mut all, is_open) = self.services_begun(actions);
            if is_open {
                all.extend([FUNCTION, IDENTITY, KEY, ACCESS_SERVICE]);
                all.extend(self.services_at(At::Everywhere).iter());
            }
            all.sort_unstable();
            all.dedup();
            all.retain(|service| self.has_any(actions, *service));
            all.into()
        })
    }

    /// The services that a choice of actions names, all it may have actions of; none where it leaves that open.
    fn services_named(&self, actions: ActionsId) -> Option<&[ServiceId]> {
        let named = self.services_named[actions.index()].get_or_init(|| {
            let (all, is_open) = self.services_begun(actions);
            (!is_open).then(|| all.into())
        });
        named.as_deref()
    }

    /// The services with which patterns of a choice begin, and whether another one may be meant.
    fn services_begun(&self, actions: ActionsId) -> (Vec<ServiceId>, bool) {
        let (mut all, mut is_open) = (Vec::new(), self.ignores_case_somewhere());
        for pattern in self.patterns(self.estate().actions_picked(actions).any()) {
            match pattern.literal_start().split_once('/') {
                Some((service, _)) => all.push(self.service(service)),
                None => is_open = true,
            }
        }
        (all, is_open)
    }

    /// The kinds of things that a choice takes, as services; none where a wildcard stands for the kind.
    pub(super) fn kinds_of(&self, resources: ResourcesId) -> Option<Arc<[ServiceId]>> {
        if let Some(thing) = self.only(resources) {
            return Some(Arc::from([self.service_of(thing)]));
        }
        let known = || self.kinds.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&resources) {
            return found.clone();
        }
        let kind_of = |pattern: &Pattern| {
            let start = pattern.literal_start();
            start.split_once(':').map(|(kind, _)| self.service(kind))
        };
        let patterns = self.patterns(self.estate().resources_picked(resources).any());
        let found: Option<Arc<[ServiceId]>> = patterns.into_iter().map(kind_of).collect();
        known().insert(resources, found.clone());
        found
    }

    /// Whether of every kind that a road's statement names something was gathered at its place.
    pub(super) fn has_seen_all_kinds(&self, road: &Road) -> bool {
        let statement = self.estate().statement(road.statement);
        let here = self.services_at(road.at);
        let are_here = |all: &[ServiceId]| all.iter().all(|it| *it == ACCESS_SERVICE || here.contains(it));
        match self.kinds_of(statement.resources) {
            Some(kinds) => are_here(&kinds),
            None if self.takes_everything(statement.resources) => {
                self.services_named(statement.actions).is_some_and(are_here)
            }
            None => false,
        }
    }

    /// The actions that roads name, each once, by service.
    pub(crate) fn actions_named(&self, roads: &[Road]) -> Named {
        let mut choices: Vec<ActionsId> =
            roads.iter().map(|road| self.estate().statement(road.statement).actions).collect();
        choices.sort_unstable();
        choices.dedup();
        let mut all = Named::default();
        for (service, action) in choices.into_iter().flat_map(|actions| self.actions_named_in(actions)) {
            let of_service = all.entry(*service).or_default();
            if !of_service.iter().any(|known| known.text() == action.text()) {
                of_service.push(Arc::clone(action));
            }
        }
        all
    }

    fn actions_named_in(&self, actions: ActionsId) -> &[(ServiceId, Arc<Action>)] {
        self.named[actions.index()].get_or_init(|| {
            let estate = self.estate();
            let texts = estate.actions_picked(actions).any().iter();
            let named = texts.filter_map(|id| estate.pattern(*id).as_literal()).filter_map(|text| {
                let (service, _) = text.split_once('/')?;
                let service = self.service(service);
                Some((service, self.action(text)))
            });
            named.collect()
        })
    }

    /// The roads of a principal that take a thing in.
    pub fn roads_to(&self, who: Principal, on: Thing) -> Vec<Road> {
        self.roads_with(who, on, |_| true)
    }

    /// Whether somebody is given anything on a thing by a name that not everybody bears.
    pub(crate) fn is_given_itself(&self, who: Principal, on: Thing) -> bool {
        let estate = self.estate();
        let takes = |road: &Road| self.takes(estate.statement(road.statement).resources, on);
        let by_grant = self.any_held(who, |grant, name| {
            let it = estate.grant(grant);
            !self.is_of_everybody(name)
                && estate.lies_at(on, it.at)
                && self.allowed_by(grant, it, name).any(|road| takes(&road))
        });
        let on_it = self.admissions_on(on);
        if by_grant || on_it.is_empty() {
            return by_grant;
        }
        let names = self.names(who);
        on_it.iter().filter(|id| self.allows(**id)).any(|id| {
            let to = estate.list(estate.admission(*id).to);
            names.iter().find(|name| to.contains(name)).is_some_and(|name| !self.is_of_everybody(*name))
        })
    }

    /// Those that have actions of a service.
    pub fn roads_of_service_to(&self, who: Principal, on: Thing, service: ServiceId) -> Vec<Road> {
        let named = |actions| self.services_named(actions);
        self.roads_with(who, on, |actions| named(actions).is_none_or(|all| all.contains(&service)))
    }

    /// The statements of somebody's grants that have actions of a service.
    pub fn given_of(&self, who: Principal, service: ServiceId) -> GivenOf {
        let mut given = GivenOf::default();
        for road in self.roads_by_grants(who) {
            let statement = self.estate().statement(road.statement);
            if self.services_named(statement.actions).is_none_or(|all| all.contains(&service)) {
                let place = given.roads.len();
                match self.only(statement.resources) {
                    Some(only) => given.of_one.push((only, place)),
                    None => given.of_more.push(place),
                }
                given.roads.push(road);
            }
        }
        given.of_one.sort_unstable();
        given
    }

    /// Of these those that take a thing in, and those that stand on it and name them.
    pub fn roads_given_on(&self, given: &GivenOf, who: Principal, on: Thing) -> Vec<Road> {
        let estate = self.estate();
        let of_one = &given.of_one[given.of_one.partition_point(|(thing, _)| *thing < on)..];
        let of_one = of_one.iter().take_while(|(thing, _)| *thing == on).map(|(_, place)| *place);
        let mut places: Vec<usize> = given.of_more.iter().copied().chain(of_one).collect();
        places.sort_unstable();
        let roads = places.into_iter().map(|place| given.roads[place]);
        let mut last: Option<(At, bool)> = None;
        let mut lies_at = |at: At| match last {
            Some((known, lies)) if known == at => lies,
            _ => {
                let lies = estate.lies_at(on, at);
                last = Some((at, lies));
                lies
            }
        };
        let takes = |road: &Road| self.takes(estate.statement(road.statement).resources, on);
        let mut all: Vec<Road> = roads.filter(|road| lies_at(road.at) && takes(road)).collect();
        self.add_roads_on(on, who, &mut all);
        all
    }

    fn roads_with(&self, who: Principal, on: Thing, wanted: impl Fn(ActionsId) -> bool) -> Vec<Road> {
        let estate = self.estate();
        let takes = |road: &Road| {
            let statement = estate.statement(road.statement);
            wanted(statement.actions) && self.takes(statement.resources, on)
        };
        let mut all: Vec<Road> = Vec::new();
        self.for_each_held(who, |grant, name| {
            let it = estate.grant(grant);
            if estate.lies_at(on, it.at) {
                all.extend(self.allowed_by(grant, it, name).filter(takes));
            }
        });
        self.add_roads_on(on, who, &mut all);
        all
    }

    /// The statements on a thing that allow somebody something.
    fn add_roads_on(&self, on: Thing, who: Principal, all: &mut Vec<Road>) {
        let estate = self.estate();
        let on_it = self.admissions_on(on);
        if on_it.is_empty() {
            return;
        }
        let names = self.names(who);
        for &id in on_it {
            let to = estate.list(estate.admission(id).to);
            if self.allows(id)
                && let Some(&name) = names.iter().find(|name| to.contains(name))
            {
                all.push(self.road_of(id, name));
            }
        }
    }

    /// Those of its grants.
    pub(crate) fn roads_by_grants(&self, who: Principal) -> Vec<Road> {
        let estate = self.estate();
        let mut all = Vec::new();
        self.for_each_held(who, |grant, name| all.extend(self.allowed_by(grant, estate.grant(grant), name)));
        all
    }

    /// The statements of a grant that allow something, as a name holds them.
    fn allowed_by<'s>(
        &'s self,
        grant: GrantId,
        it: &'s Grant,
        name: Principal,
    ) -> impl Iterator<Item = Road> + 's {
        let allows = |statement| self.estate().statement(statement).effect == Effect::Allow;
        let contained = self.statements_of(it).filter(move |each| allows(each.statement));
        contained.map(move |each| Road::of_grant(grant, it, name, each.set, each.statement))
    }

    pub(crate) fn allows(&self, id: AdmissionId) -> bool {
        let estate = self.estate();
        estate.statement(estate.admission(id).statement).effect == Effect::Allow
    }

    fn road_of(&self, id: AdmissionId, name: Principal) -> Road {
        let it = self.estate().admission(id);
        Road { via: Via::Admission { admission: id, name }, statement: it.statement, at: At::Thing(it.on) }
    }

    fn find_worth_asking(&self) -> WorthAsking {
        let estate = self.estate();
        let mut all: FxHashMap<Principal, Vec<AdmissionId>> = FxHashMap::default();
        for (index, it) in estate.admissions().iter().enumerate() {
            let id = AdmissionId::new(index);
            if self.allows(id) && self.may_harm(estate.statement(it.statement), it.on) {
                for &name in estate.list(it.to) {
                    let of_name = all.entry(name).or_default();
                    if of_name.last() != Some(&id) {
                        of_name.push(id);
                    }
                }
            }
        }
        all.into_iter().map(|(name, all)| (name, all.into())).collect()
    }

    /// Whether some action of a statement on a thing may do harm there.
    fn may_harm(&self, statement: &Statement, on: Thing) -> bool {
        match on {
            Thing::Resource(id) => {
                let sensitivity = self.estate().get(id).and_then(|it| it.sensitivity);
                let dialect = self.dialect(on);
                [self.service_of(on), ACCESS_SERVICE].into_iter().any(|service| {
                    let acts = self.acts(statement.actions, service, Others::default(), dialect);
                    acts.all.iter().any(|act| on_data(act.class, sensitivity).is_some())
                })
            }
            _ => self.powers(statement.actions).any(),
        }
    }

    /// What a choice of actions has that is worse than touching data.
    pub(crate) fn powers(&self, actions: ActionsId) -> Powers {
        *self.powers[actions.index()].get_or_init(|| {
            use ActionClass::{Invoke, List, Read};
            let has = |service, harmless: &[ActionClass]| {
                self.dialects().any(|dialect| {
                    let acts = self.acts(actions, service, Others::default(), dialect);
                    acts.all.iter().any(|act| act.class.is_none_or(|class| !harmless.contains(&class)))
                })
            };
            let all = [
                (has(ACCESS_SERVICE, &[Read, List, Invoke]), Powers::ACCESS),
                (has(FUNCTION, &[Read, List, Invoke]), Powers::FUNCTIONS),
                (has(IDENTITY, &[Read, List, Invoke]), Powers::IDENTITIES),
                (has(KEY, &[List, Invoke]), Powers::KEYS),
                (has(USER, &[Read, List, Invoke]) || has(GROUP, &[Read, List, Invoke]), Powers::USERS),
            ];
            Powers(all.into_iter().filter(|(has, _)| *has).fold(0, |bits, (_, power)| bits | power.0))
        })
    }
}

impl Effects<'_> {
    /// Whether a road has no condition.
    pub(crate) fn is_plain(&self, road: &Road) -> bool {
        let conditions = &self.estate().statement(road.statement).conditions;
        conditions.is_empty() && road.grant().is_none_or(|id| self.estate().grant(id).conditions.is_empty())
    }

    /// Whether the conditions of a road hold for whatever it takes; none where that is different from thing to thing.
    pub(crate) fn holds_alike(&self, who: Principal, road: &Road) -> Option<Truth> {
        if self.is_plain(road) {
            return Some(Truth::True);
        }
        let estate = self.estate();
        let grant = road.grant().map_or(&[][..], |id| &estate.grant(id).conditions);
        let mut conditions = estate.statement(road.statement).conditions.iter().chain(grant);
        if conditions.any(|it| matches!(it, Condition::Test(Attribute::ResourceTag(_), _))) {
            return None;
        }
        let nothing = New { label: "".into(), within: None };
        Some(self.road_holds(who, road, On::New(&nothing), self.given(who)))
    }

    /// Whether what a road says holds for somebody on something.
    pub(crate) fn road_holds(&self, who: Principal, road: &Road, on: On<'_>, given: &Context) -> Truth {
        let statement = self.estate().statement(road.statement);
        let more = road.grant().map_or(&[][..], |id| &self.estate().grant(id).conditions);
        self.holds(who, on, given, statement.conditions.iter().chain(more))
    }

    /// Resources that a road of a name takes and that somebody may get at by it, the most sensitive first.
    pub(crate) fn reachable(
        &self,
        who: Principal,
        name: Principal,
        resources: ResourcesId,
        at: At,
    ) -> Reachable {
        // What is given to everybody needs no side of the resource.
        if self.is_of_everybody(name) {
            return Reachable::Some([self.taken(resources, at), Arc::default()]);
        }
        self.within_reach(who, resources, at)
    }

    /// The same in parts that are kept, nothing in two of them: of somebody's own account, and of others.
    pub(crate) fn taken_parts(
        &self,
        who: Principal,
        name: Principal,
        resources: ResourcesId,
        at: At,
    ) -> Vec<Arc<Taken>> {
        if self.is_of_everybody(name) {
            return vec![self.taken(resources, at)];
        }
        let mut parts = self.within_reach(who, resources, at).parts(|| self.taken(resources, at));
        // Where an account of its own needs no side of its own either, what is open to others has all of it.
        if let [_, foreign] = parts.as_slice()
            && !foreign.resources().is_empty()
            && self.home(who).is_some_and(|home| self.is_one_sided(home))
        {
            parts.swap_remove(0);
        }
        parts
    }

    /// The verdict on a question about a thing.
    pub fn may(&self, who: Principal, action: &str, on: Thing) -> Verdict {
        self.may_do(who, &self.action(action), on)
    }

    /// The same of an action that is prepared.
    pub fn may_do(&self, who: Principal, action: &Action, on: Thing) -> Verdict {
        self.verdict(&Question { principal: who, action, on, given: self.given(who) })
    }
}
