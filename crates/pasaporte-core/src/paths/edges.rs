//! The edges of a node: what the decision says of whoever has it.

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::{Edge, Node, Paths, Step};
use crate::access::{On, Verdict};
use crate::effect::{ACCESS_SERVICE, Act, Effects, FUNCTION, KEY, Others, Road, ServiceId};
use crate::entry::Through;
use crate::estate::{ActionClass, At, FunctionId, KeyId, KeyReach, Principal, ResourceId, ScopeId, Thing};

/// By whom functions are made to run, by name: each function and way once, the surest.
pub(super) fn enterers(effects: &Effects<'_>) -> FxHashMap<Principal, Vec<(FunctionId, Through, Verdict)>> {
    let functions: Vec<FunctionId> = effects.estate().all::<FunctionId>().map(|(id, _)| id).collect();
    let ways: Vec<Vec<(Principal, Through, Verdict)>> = functions
        .par_iter()
        .map(|&id| {
            let all = effects.ways_in(id).all.into_iter();
            all.map(|way| (way.caller.who, way.through, way.caller.verdict)).collect()
        })
        .collect();
    let mut all: FxHashMap<Principal, Vec<(FunctionId, Through, Verdict)>> = FxHashMap::default();
    for (function, ways) in functions.into_iter().zip(ways) {
        for (who, through, verdict) in ways {
            all.entry(who).or_default().push((function, through, verdict));
        }
    }
    all
}

impl Paths<'_, '_> {
    /// The edges of a node: of those that lead to one node in one strength the surest, by what they lead to.
    pub(super) fn edges_of(&self, node: Node) -> Vec<Edge> {
        let mut all = match node {
            Node::Who(who) => self.of_somebody(who),
            Node::Code(function) => self.of_code(function),
            Node::Access(scope) => self.of_access(scope),
            Node::Data(_) => Vec::new(),
        };
        all.retain(|edge| edge.to != node);
        all.sort_by_key(|edge| {
            (edge.to, edge.step.is_influence(), std::cmp::Reverse(edge.verdict), edge.step)
        });
        all.dedup_by_key(|edge| (edge.to, edge.step.is_influence()));
        all
    }

    /// Code is what it runs as, and has what the platform hands to it.
    fn of_code(&self, function: FunctionId) -> Vec<Edge> {
        let estate = self.effects.estate();
        let Some(it) = estate.get(function) else { return Vec::new() };
        let identity = estate.runs_as(it).map(|id| Edge {
            to: Node::Who(Principal::Identity(id)),
            step: Step::RunsAs,
            verdict: Verdict::Yes,
        });
        let handed = estate.list(it.handed).iter().filter(|id| self.is_looked_for(**id));
        let handed =
            handed.map(|id| Edge { to: Node::Data(*id), step: Step::IsHanded, verdict: Verdict::Yes });
        identity.into_iter().chain(handed).collect()
    }

    /// Whoever changes access at a scope gives themselves all that lies below it.
    fn of_access(&self, scope: ScopeId) -> Vec<Edge> {
        let (effects, at) = (self.effects, At::Thing(Thing::Scope(scope)));
        let below = |to| Edge { to, step: Step::Below, verdict: Verdict::Yes };
        let mut all: Vec<Edge> = effects
            .identities_at(at)
            .into_iter()
            .map(|id| below(Node::Who(Principal::Identity(id))))
            .collect();
        all.extend(effects.functions_at(at).into_iter().map(|id| below(Node::Code(id))));
        let data = effects.resources_at(at).filter(|id| self.is_looked_for(*id));
        all.extend(data.map(|id| below(Node::Data(id))));
        let estate = effects.estate();
        let scopes =
            estate.all::<ScopeId>().map(|(id, _)| id).filter(|id| estate.tree().is_within(*id, scope));
        all.extend(scopes.map(|id| below(Node::Access(id))));
        all
    }

    fn of_somebody(&self, who: Principal) -> Vec<Edge> {
        let effects = self.effects;
        let mut all = self.as_crowds(who);
        let given = effects.given(who);
        let acting = effects.acts_as(who, given).into_iter();
        all.extend(acting.map(|(id, verdict)| Edge {
            to: Node::Who(Principal::Identity(id)),
            step: Step::ActsAs,
            verdict,
        }));
        let handing = effects.handing(who).into_iter();
        all.extend(handing.map(|it| Edge {
            to: Node::Who(Principal::Identity(it.identity)),
            step: Step::HandsOver,
            verdict: it.verdict,
        }));
        let mut roads = effects.roads(who);
        roads.retain(|road| !self.is_told_of_a_crowd(who, road.name()) || !effects.is_plain(road));
        for road in &roads {
            self.by_road(who, road, &mut all);
        }
        if let Principal::Key(key) = who {
            all.extend(self.managed_by(key));
        }
        self.entering(who, &mut all);
        all
    }

    /// The crowds that somebody is of, as which they may do what the crowd may.
    fn as_crowds(&self, who: Principal) -> Vec<Edge> {
        let crowds =
            [Principal::SignedIn, Principal::Anyone].into_iter().filter(|crowd| self.is_one_of(who, *crowd));
        crowds.map(|crowd| Edge { to: Node::Who(crowd), step: Step::Is, verdict: Verdict::Yes }).collect()
    }

    /// Whether somebody may do whatever a crowd may: anyone is who does not say who they are, and whoever is signed in and no
    /// insider is like any other who is. An insider's own account may have to agree, so insiders are asked about.
    fn is_one_of(&self, who: Principal, crowd: Principal) -> bool {
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
    fn managed_by(&self, id: KeyId) -> Option<Edge> {
        let (effects, estate) = (self.effects, self.effects.estate());
        let key = estate.get(id).filter(|key| key.reach == KeyReach::Admin)?;
        let verdict = effects.accepted(id);
        let to = match key.opens() {
            Thing::Scope(scope) => Node::Access(scope),
            Thing::Function(function) => Node::Code(function),
            _ => return None,
        };
        (verdict != Verdict::No).then_some(Edge { to, step: Step::Manages, verdict })
    }

    /// The functions that somebody makes run, by any name of theirs that is no crowd's.
    fn entering(&self, who: Principal, all: &mut Vec<Edge>) {
        let effects = self.effects;
        for name in effects.names(who) {
            let of_crowd = self.is_told_of_a_crowd(who, name);
            for &(function, through, verdict) in self.enterers.get(&name).map_or(&[][..], |all| all) {
                // What any of a crowd surely may is told of the crowd.
                if of_crowd && verdict == Verdict::Yes {
                    continue;
                }
                // What is given to a wider name may be taken from one who bears it.
                let verdict =
                    if name == who { verdict } else { effects.enters(who, function, effects.given(who)) };
                if verdict != Verdict::No {
                    all.push(Edge { to: Node::Code(function), step: Step::Invokes(through), verdict });
                }
            }
        }
    }

    /// What a road gives somebody of code, keys, access and data.
    fn by_road(&self, who: Principal, road: &Road, all: &mut Vec<Edge>) {
        let effects = self.effects;
        for (service, step) in [(FUNCTION, Step::RewritesCode), (KEY, Step::TakesKey)] {
            if self.has(road, service, step) {
                for thing in effects.things_reached_by(who, road, service) {
                    self.ask(who, road, (service, step), thing, all);
                }
            }
        }
        if self.has(road, ACCESS_SERVICE, Step::RewritesAccess) {
            for thing in effects.things_reached_by(who, road, ACCESS_SERVICE) {
                if !matches!(thing, Thing::Resource(id) if !self.is_looked_for(id)) {
                    self.ask(who, road, (ACCESS_SERVICE, Step::RewritesAccess), thing, all);
                }
            }
        }
        self.data_by(who, road, all);
    }

    /// The data that is looked for and that a road lets somebody read, change or delete.
    fn data_by(&self, who: Principal, road: &Road, all: &mut Vec<Edge>) {
        let (effects, estate) = (self.effects, self.effects.estate());
        let statement = estate.statement(road.statement);
        let mut data: Vec<ResourceId> = match (road.grant(), road.at) {
            (None, At::Thing(Thing::Resource(id)))
                if effects.takes(statement.resources, Thing::Resource(id)) =>
            {
                vec![id]
            }
            (None, _) => return,
            (Some(_), _) => {
                let reachable = effects.reachable(who, road.name(), statement.resources, road.at);
                let [own, foreign, ..] = reachable.parts_by_sensitivity();
                let confidential = own.iter().chain(foreign).copied();
                let here = |id: &ResourceId| {
                    let thing = Thing::Resource(*id);
                    estate.lies_at(thing, road.at) && effects.takes(statement.resources, thing)
                };
                confidential.chain(self.wanted.iter().copied().filter(here)).collect()
            }
        };
        data.retain(|id| self.is_looked_for(*id));
        data.sort_unstable();
        data.dedup();
        for id in data {
            let thing = Thing::Resource(id);
            self.ask(who, road, (effects.service_of(thing), Step::Reaches), thing, all);
        }
    }

    /// Whether data is looked for: it is confidential, or asked for.
    fn is_looked_for(&self, id: ResourceId) -> bool {
        self.effects.is_confidential(Thing::Resource(id)) || self.wanted.contains(&id)
    }

    /// Whether a road has any action by which a step is taken.
    fn has(&self, road: &Road, service: ServiceId, step: Step) -> bool {
        let effects = self.effects;
        let actions = effects.estate().statement(road.statement).actions;
        effects.cases().any(|any_case| {
            effects.acts(actions, service, Others::default(), any_case).all.iter().any(|act| takes(step, act))
        })
    }

    /// Asks the decision whether a road lets somebody take a step to a thing.
    fn ask(
        &self,
        who: Principal,
        road: &Road,
        (service, step): (ServiceId, Step),
        thing: Thing,
        all: &mut Vec<Edge>,
    ) {
        let effects = self.effects;
        let Some(to) = led_to(thing) else { return };
        let actions = effects.estate().statement(road.statement).actions;
        let opposition = effects.opposition(who);
        let others = effects.others_on(opposition.as_deref(), Some(thing));
        let acts = effects.acts(actions, service, others, effects.any_case(thing));
        let mut verdict = Verdict::No;
        for act in acts.all.iter().filter(|act| takes(step, act)) {
            // The decision by any road: what is sure by another is told as sure.
            verdict = verdict.max(effects.verdict_on(who, &act.action, On::There(thing), effects.given(who)));
            if verdict == Verdict::Yes {
                break;
            }
        }
        if verdict != Verdict::No {
            all.push(Edge { to, step, verdict });
        }
    }
}

/// What somebody comes to have who takes a step to a thing.
fn led_to(thing: Thing) -> Option<Node> {
    Some(match thing {
        Thing::Scope(id) => Node::Access(id),
        Thing::Function(id) => Node::Code(id),
        Thing::Identity(id) => Node::Who(Principal::Identity(id)),
        Thing::Key(id) => Node::Who(Principal::Key(id)),
        Thing::Resource(id) => Node::Data(id),
        _ => return None,
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
