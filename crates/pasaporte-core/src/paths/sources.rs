//! Who makes functions run by writing to what triggers them, asked of whoever a search comes to: few of all who may write
//! somewhere are ever come to, and most of what they feed was come to before.

use std::sync::{Arc, OnceLock};

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;

use super::worth::{All, IsWorth, Sought, Source};
use super::{Node, Paths};
use crate::access::{Action, On, Reachable, Taken, Verdict};
use crate::effect::{Act, Effects, Road, ServiceId, Somebody};
use crate::estate::{ActionClass, FunctionId, Id, Principal, ResourceId, Thing, TriggerId};

/// Where what is no source stands.
const NONE: u32 = u32::MAX;

/// How many of those that listen to each source a search did not come to, and in how many steps it came to the last that it
/// did: by influence that is sure, and by any.
#[derive(Debug, Default)]
pub(super) struct Left([Box<[(u32, u32)]>; 2]);

impl Left {
    /// In how many steps all were come to, for a path that depends on something or for a sure one; none where some are left.
    pub(super) fn none_after(&self, source: Source, depends: bool) -> Option<u32> {
        let left = self.0[usize::from(depends)].get(source.0 as usize);
        left.filter(|(left, _)| *left == 0).map(|(_, last)| *last)
    }
}

/// Where somebody may write to sources.
#[derive(Debug, Clone)]
pub(super) enum Outlet {
    /// Resources that many get at, as they are kept.
    Part(Arc<Taken>),
    /// One thing.
    One(Thing),
}

/// Only those who feed functions that are asked about are worth it.
struct AnyOf<'s, F> {
    sources: &'s Sources,
    is_asked: F,
}

impl<F: Fn(FunctionId) -> bool + Sync> IsWorth for AnyOf<'_, F> {
    fn leads_on(&self, to: Node, _: bool) -> bool {
        matches!(to, Node::Code(function) if (self.is_asked)(function))
    }

    fn feeds_on(&self, source: Source) -> bool {
        let listening = self.sources.triggers.get_index(source.0 as usize);
        listening.is_some_and(|(_, all)| all.iter().any(|(_, function)| (self.is_asked)(*function)))
    }
}

/// What triggers listen to: of those that may fire, with the functions that then run.
#[derive(Debug)]
pub(super) struct Sources {
    triggers: IndexMap<Thing, Vec<(TriggerId, FunctionId)>, FxBuildHasher>,
    /// The kinds of things that are sources.
    services: Vec<ServiceId>,
    /// Where resources of the estate stand among them.
    resources: Box<[u32]>,
    /// Sources that are no resources, or none of the estate's.
    others: Vec<Thing>,
    /// To sources of which kinds a choice of actions writes; kept.
    written: Box<[OnceLock<Box<[ServiceId]>>]>,
}

impl Sources {
    pub(super) fn new(effects: &Effects<'_>) -> Self {
        let estate = effects.estate();
        let mut triggers: IndexMap<Thing, Vec<(TriggerId, FunctionId)>, FxBuildHasher> = IndexMap::default();
        for (id, trigger) in estate.all::<TriggerId>() {
            if let Some(source) = effects.live_source(id) {
                triggers.entry(source).or_default().push((id, trigger.function));
            }
        }
        let mut services: Vec<ServiceId> =
            triggers.keys().map(|source| effects.service_of(*source)).collect();
        services.sort_unstable();
        services.dedup();
        let mut resources = vec![NONE; estate.count::<ResourceId>()].into_boxed_slice();
        let mut others = Vec::new();
        for (at, &source) in triggers.keys().enumerate() {
            match source {
                Thing::Resource(id) if estate.get(id).is_some() => resources[id.index()] = at as u32,
                other => others.push(other),
            }
        }
        others.sort_unstable();
        let written = (0..estate.all_actions_picked().count()).map(|_| OnceLock::new()).collect();
        Self { triggers, services, resources, others, written }
    }

    /// How many listen to each: all of them are left when a search begins.
    pub(super) fn left(&self) -> Left {
        let all: Box<[(u32, u32)]> = self.triggers.values().map(|all| (all.len() as u32, 0)).collect();
        Left([all.clone(), all])
    }

    /// A search came to a function in so many steps, so that it need not ask who feeds it.
    pub(super) fn come_to(
        &self,
        effects: &Effects<'_>,
        function: FunctionId,
        (depends, far): (bool, u32),
        left: &mut Left,
    ) {
        for &trigger in effects.estate().triggers_of(function) {
            let source = effects.live_source(trigger).and_then(|source| self.triggers.get_index_of(&source));
            if let Some(left) = source.and_then(|at| left.0[usize::from(depends)].get_mut(at)) {
                *left = (left.0.saturating_sub(1), far);
            }
        }
    }

    /// Whether something is one, as far as is known.
    pub(super) fn is_one(&self, thing: Thing) -> bool {
        !self.of(thing).is_empty()
    }

    /// Whether a resource is a source that the estate does not have.
    fn is_apart(&self, id: ResourceId) -> bool {
        self.others.binary_search(&Thing::Resource(id)).is_ok()
    }

    /// The triggers that listen to something, each with its function.
    fn of(&self, source: Thing) -> &[(TriggerId, FunctionId)] {
        let at = match source {
            Thing::Resource(id) => Some(self.resources[id.index()]).filter(|at| *at != NONE),
            _ => None,
        };
        let found = match at {
            Some(at) => self.triggers.get_index(at as usize).map(|(_, all)| all),
            None => self.triggers.get(&source),
        };
        found.map_or(&[], |all| all)
    }
}

impl Paths<'_, '_> {
    /// The triggers that somebody makes fire by writing to what they listen to, where not everybody may; each with its
    /// function.
    pub fn feeds(&self, who: Principal) -> Vec<(TriggerId, FunctionId, Verdict)> {
        self.feeds_some(who, &All)
    }

    /// The same of those functions that are asked about.
    pub fn feeds_any_of(
        &self,
        who: Principal,
        is_asked: impl Fn(FunctionId) -> bool + Sync,
    ) -> Vec<(TriggerId, FunctionId, Verdict)> {
        self.feeds_some(who, &AnyOf { sources: &self.sources, is_asked })
    }

    fn feeds_some(&self, who: Principal, is_worth: &dyn IsWorth) -> Vec<(TriggerId, FunctionId, Verdict)> {
        let mut all = self.fed_by(&self.effects.somebody(who), &self.own_roads(who), is_worth);
        all.sort_unstable_by_key(|(trigger, ..)| *trigger);
        all
    }

    fn own_roads(&self, who: Principal) -> Vec<Road> {
        let mut roads = self.effects.roads(who);
        roads.retain(|road| !self.effects.is_of_everybody(road.name()));
        roads
    }

    /// Where somebody may write to sources, where not everybody may; without asking the decision.
    pub(super) fn outlets(&self, who: Principal) -> Vec<Outlet> {
        let roads = self.own_roads(who);
        roads.iter().flat_map(|road| self.outlets_of(who, road, self.written(road))).collect()
    }

    /// The functions that listen to what somebody may write to.
    pub(super) fn listening(&self, outlet: &Outlet) -> Vec<FunctionId> {
        let of = |thing| self.sources.of(thing).iter().map(|(_, function)| *function);
        match outlet {
            Outlet::One(thing) => of(*thing).collect(),
            Outlet::Part(part) => part.resources().iter().flat_map(|id| of(Thing::Resource(*id))).collect(),
        }
    }

    /// The triggers that somebody makes fire by what some roads let them write to, of those that are worth asking about.
    pub(super) fn fed_by(
        &self,
        who: &Somebody,
        roads: &[Road],
        is_worth: &dyn IsWorth,
    ) -> Vec<(TriggerId, FunctionId, Verdict)> {
        let mut written: Vec<(Thing, usize)> = Vec::new();
        for (at, road) in roads.iter().enumerate() {
            self.written_by(who.who, road, is_worth, &mut |source| written.push((source, at)));
        }
        written.sort_unstable();
        let mut all = Vec::new();
        for by_roads in written.chunk_by(|one, other| one.0 == other.0) {
            let source = by_roads[0].0;
            let triggers = self.sources.of(source).iter();
            let mut triggers =
                triggers.filter(|(_, function)| is_worth.leads_on(Node::Code(*function), true)).peekable();
            if triggers.peek().is_none() {
                continue;
            }
            let verdict = self.writes_to(who, source, by_roads.iter().map(|(_, at)| &roads[*at]));
            all.extend(triggers.map(|&(id, function)| (id, function, verdict)));
        }
        all.retain(|(.., verdict)| *verdict != Verdict::No);
        all
    }

    /// The kinds of sources that a road's actions write to.
    fn written(&self, road: &Road) -> &[ServiceId] {
        let actions = self.effects.estate().statement(road.statement).actions;
        self.sources.written[actions.index()].get_or_init(|| {
            let writes = |service: &ServiceId| self.effects.writes(actions, *service);
            self.sources.services.iter().copied().filter(writes).collect()
        })
    }

    /// Where a road may let somebody write to sources of some kinds.
    fn outlets_of(&self, who: Principal, road: &Road, services: &[ServiceId]) -> Vec<Outlet> {
        let (effects, estate) = (self.effects, self.effects.estate());
        if services.is_empty() {
            return Vec::new();
        }
        let resources = estate.statement(road.statement).resources;
        let is_written = |thing: &Thing| {
            services.contains(&effects.service_of(*thing)) && effects.takes(resources, *thing)
        };
        let mut all: Vec<Outlet> = Vec::new();
        if road.grant().is_some() {
            match effects.reachable(who, road.name(), resources, road.at) {
                Reachable::One(one) => all.extend(one.map(|id| Outlet::One(Thing::Resource(id)))),
                Reachable::Some(parts) => all.extend(parts.map(Outlet::Part)),
            }
        } else {
            all.extend(road.at.thing().filter(is_written).map(Outlet::One));
        }
        let others = self.sources.others.iter().copied();
        let here = others.filter(|thing| estate.lies_at(*thing, road.at) && is_written(thing));
        all.extend(here.map(Outlet::One));
        all
    }

    /// The sources that a road may let somebody write to.
    fn written_by(&self, who: Principal, road: &Road, is_worth: &dyn IsWorth, take: &mut dyn FnMut(Thing)) {
        let services = self.written(road);
        let is_left = |id: ResourceId| {
            let source = self.sources.resources[id.index()];
            source != NONE && is_worth.feeds_on(Source(source))
        };
        for outlet in self.outlets_of(who, road, services) {
            match outlet {
                Outlet::One(Thing::Resource(id)) if !is_left(id) && !self.sources.is_apart(id) => {}
                Outlet::One(thing) => take(thing),
                Outlet::Part(part) => is_worth.left_among(&part, Sought::Sources, &is_left, &mut |id| {
                    if services.contains(&self.effects.service_of(Thing::Resource(id))) {
                        take(Thing::Resource(id));
                    }
                }),
            }
        }
    }

    /// How surely somebody writes to a source by what some roads let them do; of a group, its members.
    fn writes_to<'r>(
        &self,
        who: &Somebody,
        source: Thing,
        roads: impl Iterator<Item = &'r Road> + Clone,
    ) -> Verdict {
        let effects = self.effects;
        if let Principal::Group(_) = who.who {
            let caller = effects.feeding_from(who.who, source);
            return caller.map_or(Verdict::No, |caller| caller.verdict);
        }
        let (service, dialect) = (effects.service_of(source), effects.dialect(source));
        let others = effects.others_on(who.opposition.as_deref(), Some(source));
        let acts = |road: &Road| {
            let actions = effects.estate().statement(road.statement).actions;
            effects.acts(actions, service, others, dialect)
        };
        let writes = |act: &&Act| act.class == Some(ActionClass::Write);
        let on = On::There(source);
        let is_sure = |road: &Road| {
            let acts = acts(road);
            let mut all = acts.all.iter().filter(writes);
            all.any(|act| effects.foregone(who, road, &act.action, on) == Some(Verdict::Yes))
        };
        if roads.clone().any(is_sure) {
            return Verdict::Yes;
        }
        let mut best = Verdict::No;
        let mut asked: Vec<Arc<Action>> = Vec::new();
        for road in roads {
            for act in acts(road).all.iter().filter(writes) {
                if asked.iter().any(|known| known.text() == act.action.text()) {
                    continue;
                }
                asked.push(Arc::clone(&act.action));
                best = best.max(effects.verdict_on(who.who, &act.action, on, effects.now()));
                if best == Verdict::Yes {
                    return best;
                }
            }
        }
        best
    }
}
