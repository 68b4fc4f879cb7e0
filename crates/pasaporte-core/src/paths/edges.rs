//! The edges of a node: what the decision says of whoever has it.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::worth::{IsWorth, Sought};
use super::{Edge, Node, Paths, Step};
use crate::access::{On, Reachable, Verdict};
use crate::effect::{ACCESS_SERVICE, Act, Effects, FUNCTION, KEY, Others, Powers, Road, ServiceId, Somebody};
use crate::entry::{Calling, Through};
use crate::estate::{
    ActionClass, ActionsId, At, FunctionId, KeyId, KeyReach, Principal, ResourceId, ScopeId, Thing,
};

/// By whom functions are called, by name: each function and way once, the surest; what is not sure comes first.
pub(super) fn callers(effects: &Effects<'_>) -> FxHashMap<Principal, Vec<Calling>> {
    let functions: Vec<FunctionId> = effects.estate().all::<FunctionId>().map(|(id, _)| id).collect();
    let ways: Vec<_> = functions.par_iter().map(|&id| effects.callers_of(id)).collect();
    let mut all: FxHashMap<Principal, Vec<Calling>> = FxHashMap::default();
    for (who, call) in ways.into_iter().flatten() {
        all.entry(who).or_default().push(call);
    }
    for calls in all.values_mut() {
        calls.sort_by_key(|call| call.verdict == Verdict::Yes);
    }
    all
}

/// Edges of a node.
#[derive(Debug, Default)]
pub(super) struct Edges {
    /// Which.
    pub(super) all: Vec<Edge>,
    /// How many questions were asked for them.
    pub(super) asked: usize,
}

/// The edges of a node that were found so far.
struct Finding<'w> {
    found: Edges,
    /// By which step one surely comes to what, as far as the decision was asked.
    sure: FxHashSet<(Node, Step)>,
    is_worth: &'w dyn IsWorth,
}

impl<'w> Finding<'w> {
    fn new(is_worth: &'w dyn IsWorth) -> Self {
        Self { found: Edges::default(), sure: FxHashSet::default(), is_worth }
    }

    fn is_worth(&self, to: Node, step: Step) -> bool {
        self.is_worth.leads_on(to, step.is_influence())
    }

    /// Adds an edge that needs no asking.
    fn add(&mut self, to: Node, step: Step, verdict: Verdict) {
        if verdict != Verdict::No && self.is_worth(to, step) {
            self.found.all.push(Edge { to, step, verdict });
        }
    }
}

impl Paths<'_, '_> {
    /// The edges of a node that are worth asking about: of those that lead to one node in one strength the surest, by what
    /// they lead to.
    pub(super) fn edges_of(&self, node: Node, is_worth: &dyn IsWorth) -> Edges {
        let mut found = Finding::new(is_worth);
        match node {
            Node::Who(who) => self.of_somebody(who, &mut found),
            Node::Code(function) => self.of_code(function, &mut found),
            Node::Access(scope) => self.of_access(scope, &mut found),
            Node::Data(_) => {}
        }
        settled(found.found, node)
    }

    /// Code is what it runs as, and has what the platform hands to it.
    fn of_code(&self, function: FunctionId, found: &mut Finding<'_>) {
        let estate = self.effects.estate();
        let Some(it) = estate.get(function) else { return };
        if let Some(id) = estate.runs_as(it) {
            found.add(Node::Who(Principal::Identity(id)), Step::RunsAs, Verdict::Yes);
        }
        for id in estate.list(it.handed).iter().filter(|id| self.is_looked_for(**id)) {
            found.add(Node::Data(*id), Step::IsHanded, Verdict::Yes);
        }
    }

    /// Whoever changes access at a scope gives themselves all that lies below it.
    fn of_access(&self, scope: ScopeId, found: &mut Finding<'_>) {
        let (effects, at) = (self.effects, At::Thing(Thing::Scope(scope)));
        let mut below = |to| found.add(to, Step::Below, Verdict::Yes);
        for id in effects.identities_at(at) {
            below(Node::Who(Principal::Identity(id)));
        }
        for id in effects.users_at(at) {
            below(Node::Who(Principal::User(id)));
        }
        for id in effects.groups_at(at) {
            below(Node::Who(Principal::Group(id)));
        }
        for id in effects.functions_at(at) {
            below(Node::Code(id));
        }
        for id in effects.resources_at(at).filter(|id| self.is_looked_for(*id)) {
            below(Node::Data(id));
        }
        for &id in effects.parts_of(at).iter() {
            below(Node::Access(id));
        }
    }

    fn of_somebody(&self, who: Principal, found: &mut Finding<'_>) {
        let effects = self.effects;
        let acting =
            effects.acts_as(who, effects.given(who), |to| found.is_worth(Node::Who(to), Step::ActsAs));
        for (to, verdict) in acting {
            found.add(Node::Who(to), Step::ActsAs, verdict);
        }
        let identity = |id| Node::Who(Principal::Identity(id));
        let mut roads = self.roads(who);
        for it in effects.handing_by(who, &roads, |id| found.is_worth(identity(id), Step::HandsOver)) {
            found.add(identity(it.identity), Step::HandsOver, it.verdict);
        }
        roads.retain(|road| !self.is_told_of_a_crowd(who, road.name()) || !effects.is_plain(road));
        let it = effects.somebody(who);
        for road in &roads {
            self.by_road(&it, road, found);
        }
        if let Principal::Key(key) = who {
            self.managed_by(key, found);
        }
        self.calling(&it, found);
        self.feeding(&it, &roads, found);
    }

    /// The roads of somebody by which a step may be taken.
    fn roads(&self, who: Principal) -> Vec<Road> {
        let effects = self.effects;
        let mut all = effects.roads_by_grants(who);
        for name in effects.names(who) {
            if name == who {
                all.extend(effects.roads_on_things(name).filter(|road| self.may_lead(road)));
            } else {
                all.extend(self.roads_leading(name).iter());
            }
        }
        all
    }

    /// Those on things of a name that many may bear; kept.
    fn roads_leading(&self, name: Principal) -> Arc<[Road]> {
        let known = || self.leading.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&name) {
            return Arc::clone(found);
        }
        let found: Arc<[Road]> =
            self.effects.roads_on_things(name).filter(|road| self.may_lead(road)).collect();
        known().insert(name, Arc::clone(&found));
        found
    }

    /// Whether a statement on a thing may let somebody take a step: it is about access, code or keys, or it stands on data
    /// that is looked for, or on what functions listen to.
    fn may_lead(&self, road: &Road) -> bool {
        let actions = self.effects.estate().statement(road.statement).actions;
        let is_wanted = |thing: Thing| match thing {
            Thing::Resource(id) => self.is_looked_for(id) || self.sources.is_one(thing),
            other => self.sources.is_one(other),
        };
        self.effects.powers(actions).any() || road.at.thing().is_some_and(is_wanted)
    }

    /// Whether somebody may do whatever a crowd may: anyone is who does not say who they are, and whoever is signed in and no
    /// insider is like any other who is. An insider's own account may have to agree, so insiders are asked about.
    pub(super) fn is_one_of(&self, who: Principal, crowd: Principal) -> bool {
        match crowd {
            Principal::Anyone => who != Principal::Anyone,
            Principal::SignedIn => match who {
                Principal::Outside(_) => true,
                Principal::Account(id) => self.effects.estate().get(id).is_none(),
                _ => false,
            },
            _ => false,
        }
    }

    /// Whether what is given to a name of somebody's is told of the crowd that they are of.
    fn is_told_of_a_crowd(&self, who: Principal, name: Principal) -> bool {
        let effects = self.effects;
        let by_anyone = effects.is_of_anyone(name) && self.is_one_of(who, Principal::Anyone);
        by_anyone || (effects.is_of_everybody(name) && self.is_one_of(who, Principal::SignedIn))
    }

    /// What an admin key opens is managed by whoever has it.
    fn managed_by(&self, id: KeyId, found: &mut Finding<'_>) {
        let (effects, estate) = (self.effects, self.effects.estate());
        let Some(key) = estate.get(id).filter(|key| key.reach == KeyReach::Admin) else { return };
        let to = match key.opens() {
            Thing::Scope(scope) => Node::Access(scope),
            Thing::Function(function) => Node::Code(function),
            _ => return,
        };
        found.add(to, Step::Manages, effects.accepted(id));
    }

    /// The functions that somebody makes run by writing to what triggers them.
    fn feeding(&self, who: &Somebody, roads: &[Road], found: &mut Finding<'_>) {
        for (trigger, function, verdict) in self.fed_by(who, roads, found.is_worth) {
            found.add(Node::Code(function), Step::Invokes(Through::Source(trigger)), verdict);
        }
    }

    /// The edges of a key that are its own: what it opens.
    pub(super) fn opened_by(&self, key: KeyId, is_worth: &dyn IsWorth) -> Edges {
        let mut found = Finding::new(is_worth);
        self.managed_by(key, &mut found);
        self.called_by_name(Principal::Key(key), &mut found);
        settled(found.found, Node::Who(Principal::Key(key)))
    }

    /// The functions that somebody calls by their own name.
    fn called_by_name(&self, who: Principal, found: &mut Finding<'_>) {
        for call in self.callers.get(&who).map_or(&[][..], |all| all) {
            found.add(Node::Code(call.function), Step::Invokes(call.through), call.verdict);
        }
    }

    /// The functions that somebody calls, by any name of theirs that is no crowd's.
    fn calling(&self, it: &Somebody, found: &mut Finding<'_>) {
        let (effects, who) = (self.effects, it.who);
        self.called_by_name(who, found);
        for name in effects.names(who).into_iter().filter(|name| *name != who) {
            let all = self.callers.get(&name).map_or(&[][..], |all| all);
            // What any of a crowd surely may is told of the crowd; only that comes last.
            let told = if self.is_told_of_a_crowd(who, name) {
                all.partition_point(|call| call.verdict != Verdict::Yes)
            } else {
                all.len()
            };
            found.is_worth.left_called(name, &all[..told], &mut |call| {
                // What is given to a wider name may be taken from one who bears it.
                let verdict = effects.calls_as(it, name, &call);
                if verdict != Verdict::No {
                    let (to, step) = (Node::Code(call.function), Step::Invokes(call.through));
                    found.found.all.push(Edge { to, step, verdict });
                }
            });
        }
    }

    /// What a road gives somebody of code, keys, access and data.
    fn by_road(&self, who: &Somebody, road: &Road, found: &mut Finding<'_>) {
        let effects = self.effects;
        let actions = effects.estate().statement(road.statement).actions;
        let powers = effects.powers(actions);
        for (power, service, step) in [
            (Powers::FUNCTIONS, FUNCTION, Step::RewritesCode),
            (Powers::KEYS, KEY, Step::TakesKey),
            (Powers::ACCESS, ACCESS_SERVICE, Step::RewritesAccess),
        ] {
            if powers.has(power) && has_step(effects, actions, service, step) {
                for thing in effects.things_reached_by(who.who, road, service) {
                    self.ask(who, road, (service, step), thing, found);
                }
            }
        }
        self.data_by(who, road, found);
    }

    /// The data that is looked for and that a road lets somebody read, change or delete.
    fn data_by(&self, who: &Somebody, road: &Road, found: &mut Finding<'_>) {
        let (effects, estate) = (self.effects, self.effects.estate());
        let statement = estate.statement(road.statement);
        let services = self.data.reached_by(effects, statement.actions);
        if services.is_empty() {
            return;
        }
        let is_reached = |id: &ResourceId| services.contains(&effects.service_of(Thing::Resource(*id)));
        let is_worth = |id: ResourceId| found.is_worth(Node::Data(id), Step::Reaches);
        let mut data: Vec<ResourceId> = match (road.grant(), road.at) {
            (None, At::Thing(Thing::Resource(id)))
                if effects.takes(statement.resources, Thing::Resource(id)) =>
            {
                vec![id]
            }
            (None, _) => return,
            (Some(_), _) => {
                let reachable = effects.reachable(who.who, road.name(), statement.resources, road.at);
                let mut data = Vec::new();
                match &reachable {
                    Reachable::One(one) => data.extend(one.filter(|id| self.is_looked_for(*id))),
                    Reachable::Some(parts) => parts.iter().for_each(|part| {
                        found.is_worth.left_among(part, Sought::Data, &is_worth, &mut |id| data.push(id));
                    }),
                }
                let here = |id: &ResourceId| {
                    let thing = Thing::Resource(*id);
                    estate.lies_at(thing, road.at) && effects.takes(statement.resources, thing)
                };
                data.extend(self.data.wanted.iter().copied().filter(here));
                data
            }
        };
        data.retain(|id| is_reached(id) && is_worth(*id));
        data.sort_unstable();
        data.dedup();
        for id in data {
            let thing = Thing::Resource(id);
            self.ask(who, road, (effects.service_of(thing), Step::Reaches), thing, found);
        }
    }

    /// Whether data is looked for: it is confidential, or asked for.
    fn is_looked_for(&self, id: ResourceId) -> bool {
        self.effects.is_confidential(Thing::Resource(id)) || self.data.wanted.contains(&id)
    }

    /// Asks the decision whether a road lets somebody take a step to a thing.
    fn ask(
        &self,
        who: &Somebody,
        road: &Road,
        (service, step): (ServiceId, Step),
        thing: Thing,
        found: &mut Finding<'_>,
    ) {
        let effects = self.effects;
        let Some(to) = led_to(thing).filter(|to| found.is_worth(*to, step)) else { return };
        // What one road gives for sure, another need not be asked about.
        if found.sure.contains(&(to, step)) || matches!(to, Node::Data(id) if !self.is_looked_for(id)) {
            return;
        }
        let actions = effects.estate().statement(road.statement).actions;
        let others = effects.others_on(who.opposition.as_deref(), Some(thing));
        let acts = effects.acts(actions, service, others, effects.dialect(thing));
        let (mut verdict, on) = (Verdict::No, On::There(thing));
        for act in acts.all.iter().filter(|act| takes(step, act)) {
            // The decision by any road: what is sure by another is told as sure.
            found.found.asked += 1;
            let asked = || effects.verdict_on(who.who, &act.action, on, effects.given(who.who));
            verdict = verdict.max(effects.foregone(who, road, &act.action, on).unwrap_or_else(asked));
            if verdict == Verdict::Yes {
                break;
            }
        }
        found.add(to, step, verdict);
        if verdict == Verdict::Yes {
            found.sure.insert((to, step));
        }
    }
}

/// Of edges from a node that lead to one in one strength the surest; none to itself.
fn settled(Edges { mut all, asked }: Edges, from: Node) -> Edges {
    all.retain(|edge| edge.to != from);
    all.sort_by_key(|edge| (edge.to, edge.step.is_influence(), std::cmp::Reverse(edge.verdict), edge.step));
    all.dedup_by_key(|edge| (edge.to, edge.step.is_influence()));
    Edges { all, asked }
}

/// What somebody comes to have who takes a step to a thing.
fn led_to(thing: Thing) -> Option<Node> {
    Some(match thing {
        Thing::Scope(id) => Node::Access(id),
        Thing::Function(id) => Node::Code(id),
        Thing::Key(id) => Node::Who(Principal::Key(id)),
        Thing::Resource(id) => Node::Data(id),
        other => Node::Who(other.somebody()?),
    })
}

/// Whether a choice has any action on things of a service by which a step is taken.
pub(super) fn has_step(effects: &Effects<'_>, actions: ActionsId, service: ServiceId, step: Step) -> bool {
    effects.dialects().any(|dialect| {
        let acts = effects.acts(actions, service, Others::default(), dialect);
        acts.all.iter().any(|act| takes(step, act))
    })
}

/// Whether a step is taken by an action.
fn takes(step: Step, act: &Act) -> bool {
    use ActionClass::{Access, Code, Delete, Manage, Read, Secret, Write};
    match step {
        Step::RewritesCode => matches!(act.class, Some(Code | Manage)),
        Step::TakesKey => matches!(act.class, Some(Secret | Read)),
        Step::RewritesAccess => act.class == Some(Access),
        Step::Reaches => matches!(act.class, Some(Read | Write | Delete | Secret)),
        _ => false,
    }
}

impl Step {
    /// Whether an action of a class takes this step.
    pub fn is_taken_by(self, act: &Act) -> bool {
        takes(self, act)
    }
}
