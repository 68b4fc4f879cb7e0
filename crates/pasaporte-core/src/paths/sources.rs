//! Who makes functions run by writing to what triggers them, asked of whoever a search comes to: few of all who may write
//! somewhere are ever come to, and most of what they feed was come to before.

use std::sync::{Arc, OnceLock};

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;

use super::edges::{All, IsWorth, Sought};
use super::{Node, Paths};
use crate::access::{Action, On, Reachable, Verdict};
use crate::effect::{Act, Effects, Road, ServiceId, Somebody};
use crate::estate::{ActionClass, FunctionId, Id, Principal, ResourceId, Thing, TriggerId};

/// Where what is no source stands.
const NONE: u32 = u32::MAX;

/// The place of a source among all.
#[derive(Debug, Clone, Copy)]
pub(super) struct Source(u32);

/// How many of those that listen to each source a search did not come to: by influence that is sure, and by any.
#[derive(Debug, Default)]
pub(super) struct Left([Box<[u32]>; 2]);

impl Left {
    /// Whether there are any, for a path that depends on something or for a sure one.
    pub(super) fn any(&self, source: Source, depends: bool) -> bool {
        self.0[usize::from(depends)].get(source.0 as usize).is_none_or(|left| *left > 0)
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
        let all: Box<[u32]> = self.triggers.values().map(|all| all.len() as u32).collect();
        Left([all.clone(), all])
    }

    /// A search came to a function, so that it need not ask who feeds it.
    pub(super) fn come_to(
        &self,
        effects: &Effects<'_>,
        function: FunctionId,
        depends: bool,
        left: &mut Left,
    ) {
        for &trigger in effects.estate().triggers_of(function) {
            let source = effects.live_source(trigger).and_then(|source| self.triggers.get_index_of(&source));
            if let Some(left) = source.and_then(|at| left.0[usize::from(depends)].get_mut(at)) {
                *left = left.saturating_sub(1);
            }
        }
    }

    /// Whether something is one, as far as is known.
    pub(super) fn is_one(&self, thing: Thing) -> bool {
        !self.of(thing).is_empty()
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
        let mut roads = self.effects.roads(who);
        roads.retain(|road| !self.effects.is_of_everybody(road.name()));
        let mut all = self.fed_by(&self.effects.somebody(who), &roads, &All);
        all.sort_unstable_by_key(|(trigger, ..)| *trigger);
        all
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
            let triggers = triggers.filter(|(_, function)| is_worth.leads_on(Node::Code(*function), true));
            let verdict = self.writes_to(who, source, by_roads.iter().map(|(_, at)| &roads[*at]));
            all.extend(triggers.map(|&(id, function)| (id, function, verdict)));
        }
        all.retain(|(.., verdict)| *verdict != Verdict::No);
        all
    }

    /// The sources that a road may let somebody write to.
    fn written_by(&self, who: Principal, road: &Road, is_worth: &dyn IsWorth, take: &mut dyn FnMut(Thing)) {
        let (effects, estate) = (self.effects, self.effects.estate());
        let statement = estate.statement(road.statement);
        let services = self.sources.written[statement.actions.index()].get_or_init(|| {
            let writes = |service: &ServiceId| effects.writes(statement.actions, *service);
            self.sources.services.iter().copied().filter(writes).collect()
        });
        if services.is_empty() {
            return;
        }
        let is_written = |thing: Thing| services.contains(&effects.service_of(thing));
        if road.grant().is_some() {
            let is_left = |id: ResourceId| {
                let source = self.sources.resources[id.index()];
                source != NONE && is_worth.feeds_on(Source(source))
            };
            let mut found = |id: ResourceId| {
                if is_written(Thing::Resource(id)) {
                    take(Thing::Resource(id));
                }
            };
            match effects.reachable(who, road.name(), statement.resources, road.at) {
                Reachable::One(one) => one.into_iter().filter(|id| is_left(*id)).for_each(found),
                Reachable::Some(parts) => {
                    for part in &parts {
                        is_worth.left_among(part, Sought::Sources, &is_left, &mut found);
                    }
                }
            }
        } else if let Some(thing) = road.at.thing()
            && is_written(thing)
            && effects.takes(statement.resources, thing)
        {
            take(thing);
        }
        for &thing in &self.sources.others {
            if estate.lies_at(thing, road.at)
                && is_written(thing)
                && effects.takes(statement.resources, thing)
            {
                take(thing);
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
