//! Counting the things on which somebody may do something, each once.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Act, Service, act_of};
use crate::access::{New, On, Taken, Verdict};
use crate::effect::{ACCESS, Act as Sort, Effects, Opposes, Opposition, Others, Road, ServiceId};
use crate::estate::{
    AccountOf, ActionClass, At, FunctionId, Id, IdentityId, KeyId, Principal, ResourceId, Sensitivity, Thing,
};

/// What counting came to.
pub(super) struct Tally {
    pub(super) services: Vec<Service>,
    pub(super) idle: Vec<Road>,
}

/// Things of one act, as they were found.
enum Chunk {
    /// All of a kind that a road takes, since nothing stands against it.
    Kept { road: Road, part: Arc<Taken>, count: usize },
    /// All functions, identities or keys of a place, for the same reason.
    AllAt { place: At, count: usize },
    /// One by one.
    Asked(Vec<(Thing, Verdict)>),
}

/// An act being counted: the sort of action, what was found, and whether things that are made tomorrow count.
struct Counted {
    act: Act,
    chunks: Vec<Chunk>,
}

/// The things of somebody being counted.
pub(super) struct Counting<'a, 'e> {
    effects: &'a Effects<'e>,
    who: Principal,
    opposition: Option<Arc<Opposition>>,
    services: FxHashMap<ServiceId, (Vec<Counted>, Vec<Road>)>,
    /// The actions that some road names: each is counted by all roads that have it.
    named: Vec<(ServiceId, Sort)>,
    by_ways_in: FxHashSet<ServiceId>,
    idle: Vec<Road>,
}

impl<'a, 'e> Counting<'a, 'e> {
    pub(super) fn new(effects: &'a Effects<'e>, who: Principal) -> Self {
        Self {
            opposition: effects.opposition(who),
            effects,
            who,
            services: FxHashMap::default(),
            named: Vec::new(),
            by_ways_in: FxHashSet::default(),
            idle: Vec::new(),
        }
    }

    pub(super) fn take(&mut self, roads: &[Road]) {
        self.named = self.effects.actions_named(roads);
        for road in roads {
            let mut counts = false;
            for service in self.effects.services_of(road) {
                counts |= self.service(road, service);
            }
            if !counts {
                self.idle.push(*road);
            }
        }
    }

    /// The functions that let in anyone by an endpoint of theirs.
    pub(super) fn open_functions(&mut self) {
        for &(function, verdict) in self.effects.open_functions() {
            self.invoked(function, verdict);
        }
    }

    /// A function that is made run by a way in of its own.
    pub(super) fn invoked(&mut self, function: FunctionId, verdict: Verdict) {
        if verdict == Verdict::No {
            return;
        }
        let service = self.effects.service(FunctionId::KIND);
        self.by_ways_in.insert(service);
        let invoke = Sort::said(self.effects.action(crate::access::INVOKE), Some(ActionClass::Invoke));
        let (acts, _) = self.services.entry(service).or_default();
        let at = place_of(acts, &invoke);
        match acts[at].chunks.last_mut() {
            Some(Chunk::Asked(all)) => all.push((Thing::Function(function), verdict)),
            _ => acts[at].chunks.push(Chunk::Asked(vec![(Thing::Function(function), verdict)])),
        }
    }

    /// What a road gives on the things of one kind; whether that is anything.
    fn service(&mut self, road: &Road, service: ServiceId) -> bool {
        let effects = self.effects;
        let name = effects.service_name(service);
        let mut counts = false;
        let plain = effects.is_plain(road);
        // Where no thing has statements of its own that may take away, one sort of actions is the same on all.
        let by_sort = road.grant().is_some() && &*name != ACCESS;
        let mut asked: Vec<Thing> = Vec::new();
        if by_sort {
            let others = effects.others_on(self.opposition.as_deref(), None);
            for any_case in effects.cases() {
                for sort in &self.sorts(road, service, others, any_case) {
                    let opposes = effects.opposes(self.opposition.as_deref(), &sort.action);
                    if opposes == Opposes::Everywhere {
                        continue;
                    }
                    counts |=
                        self.on_new(road, service, &name, sort, plain && opposes == Opposes::Never, any_case);
                    if plain && opposes == Opposes::Never {
                        counts |= self.kept(road, service, sort, any_case);
                    } else {
                        if asked.is_empty() {
                            asked = effects.things_reached_by(self.who, road, service);
                        }
                        counts |= self.ask(road, service, sort, &asked, any_case);
                    }
                }
            }
        } else {
            let things = effects.things_reached_by(self.who, road, service);
            for thing in things {
                let others = effects.others_on(self.opposition.as_deref(), Some(thing));
                let any_case = effects.any_case(thing);
                for sort in &self.sorts(road, service, others, any_case) {
                    counts |= self.ask(road, service, sort, &[thing], any_case);
                }
            }
        }
        if counts {
            let (_, roads) = self.services.entry(service).or_default();
            roads.push(*road);
        }
        counts
    }

    /// The sorts of actions that a road has of a service, and what it has of those that other roads name.
    fn sorts(&self, road: &Road, service: ServiceId, others: Others, any_case: bool) -> Vec<Sort> {
        let actions = self.effects.estate().statement(road.statement).actions;
        let mut all: Vec<Sort> = self.effects.acts(actions, service, others, any_case).all.to_vec();
        let named = self
            .named
            .iter()
            .filter(|(of, sort)| *of == service && sort.action.is_picked_by(actions, any_case));
        for (_, sort) in named {
            let known = |it: &Sort| !super::stands_for_class(it) && it.action.text() == sort.action.text();
            if !all.iter().any(known) {
                all.push(sort.clone());
            }
        }
        all
    }

    /// Whether a road gives an action on things that are made tomorrow.
    fn on_new(
        &mut self,
        road: &Road,
        service: ServiceId,
        name: &str,
        sort: &Sort,
        unopposed: bool,
        any_case: bool,
    ) -> bool {
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        if !effects.is_wide(resources)
            && effects.only(resources).is_some_and(|it| effects.estate().is_declared(it))
        {
            return false;
        }
        let mut verdict = Verdict::No;
        let named = effects.kinds_named(road);
        let labels = named.iter().filter(|(kind, _)| **kind == *name).filter_map(|(_, label)| label.clone());
        let labels: Vec<Box<str>> =
            std::iter::once(effects.fresh_thing(name, None).label).chain(labels).collect();
        'all: for within in effects.openings(self.who, road) {
            for label in &labels {
                let new = New { label: label.clone(), within };
                if effects.any_case_on(On::New(&new)) != any_case || !effects.takes_new(resources, &new) {
                    continue;
                }
                let sure = unopposed && self.suffices(road, On::New(&new));
                let here = if sure {
                    Verdict::Yes
                } else {
                    effects.gives(self.who, road, &sort.action, On::New(&new))
                };
                verdict = verdict.max(here);
                if verdict == Verdict::Yes {
                    break 'all;
                }
            }
        }
        if verdict != Verdict::No {
            let (acts, _) = self.services.entry(service).or_default();
            let at = place_of(acts, sort);
            acts[at].act.on_new = acts[at].act.on_new.max(verdict);
        }
        verdict != Verdict::No
    }

    /// Counts what a road takes of a kind where nothing stands against it.
    fn kept(&mut self, road: &Road, service: ServiceId, sort: &Sort, any_case: bool) -> bool {
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        let mut chunks: Vec<Chunk> = Vec::new();
        let (mut asked, mut counts) = (Vec::new(), false);
        let name = effects.service_name(service);
        if is_own(&name) {
            let all = effects.takes_new(resources, &effects.fresh_thing(&name, None))
                && effects.has_no_exceptions(resources)
                && !effects.has_denies_on_things();
            if all {
                for place in effects.places(self.who, road) {
                    let (count, _) = effects.people_at(service, place);
                    if count == 0 || effects.case_at(place) != any_case {
                        continue;
                    }
                    let new = New { label: effects.fresh_thing(&name, None).label, within: thing_at(place) };
                    if self.suffices(road, On::New(&new)) {
                        chunks.push(Chunk::AllAt { place, count });
                    } else {
                        asked.extend(effects.things_of(service, place));
                    }
                }
                if !asked.is_empty() {
                    counts |= self.ask(road, service, sort, &asked, any_case);
                }
            } else {
                let things = effects.things_reached_by(self.who, road, service);
                return self.ask(road, service, sort, &things, any_case);
            }
        } else {
            let one_by_one = !self.counts_by_parts(road) || effects.denies_on_resources();
            for part in effects.taken_parts(self.who, road.name(), resources, road.at) {
                // In accounts that differ in whether case counts, and where something on a thing may deny, each is asked.
                if effects.ignores_case_somewhere() || one_by_one {
                    let of_kind = |id: &ResourceId| effects.service_of(Thing::Resource(*id)) == service;
                    let things: Vec<Thing> = part
                        .resources()
                        .iter()
                        .filter(|id| of_kind(id))
                        .map(|id| Thing::Resource(*id))
                        .collect();
                    let mixed = things.iter().any(|thing| effects.any_case(*thing) != any_case);
                    if mixed || one_by_one {
                        counts |= self.ask(road, service, sort, &things, any_case);
                        continue;
                    }
                }
                let kind = effects.estate().name(&name);
                let of = part.by_kind().iter().find(|of| Some(of.kind) == kind);
                if let Some(of) = of {
                    chunks.push(Chunk::Kept { road: *road, count: of.count, part });
                }
            }
        }
        if chunks.is_empty() {
            return counts;
        }
        let (acts, _) = self.services.entry(service).or_default();
        let at = place_of(acts, sort);
        acts[at].chunks.extend(chunks);
        true
    }

    /// Whether all that a road takes in a part may be done, without asking of each: its account is known, and what is
    /// of others needs no side of theirs.
    fn counts_by_parts(&self, road: &Road) -> bool {
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        let is_known = match self.who {
            Principal::Outside(_) => false,
            Principal::Account(id) => effects.estate().get(id).is_some(),
            who => !matches!(effects.home(who), Some(AccountOf::Unknown | AccountOf::Unnamed)),
        };
        is_known && effects.only(resources).is_none() && !effects.accounts_are_unknown()
    }

    /// Whether what a road gives needs nothing from the other side.
    fn suffices(&self, road: &Road, on: On<'_>) -> bool {
        self.effects.is_of_everybody(road.name()) || self.effects.is_one_side_enough(self.who, on)
    }

    /// Asks about things one by one.
    fn ask(
        &mut self,
        road: &Road,
        service: ServiceId,
        sort: &Sort,
        things: &[Thing],
        any_case: bool,
    ) -> bool {
        let effects = self.effects;
        let given = effects.given(self.who);
        let mut found: Vec<(Thing, Verdict)> = Vec::new();
        for &thing in things.iter().filter(|thing| effects.any_case(**thing) == any_case) {
            let verdict = effects.verdict_on(self.who, &sort.action, On::There(thing), given);
            // What another road gives is counted for that one.
            let by_this = match verdict {
                Verdict::No => verdict,
                _ if effects.is_plain(road) => verdict,
                _ => verdict.min(Verdict::from(effects.road_holds(self.who, road, On::There(thing), given))),
            };
            if by_this != Verdict::No {
                found.push((thing, verdict));
            }
        }
        if found.is_empty() {
            return false;
        }
        let (acts, _) = self.services.entry(service).or_default();
        let at = place_of(acts, sort);
        acts[at].chunks.push(Chunk::Asked(found));
        true
    }

    pub(super) fn finish(self) -> Tally {
        let Self { effects, who, services, idle, by_ways_in, .. } = self;
        let mut all: Vec<Service> = Vec::new();
        for (service, (counted, roads)) in services {
            let mut acts: Vec<Act> =
                counted.into_iter().map(|each| settle(effects, who, service, each)).collect();
            acts.retain(|act| act.surely + act.perhaps > 0 || act.on_new != Verdict::No);
            acts.sort_by(|one, other| one.order().cmp(&other.order()));
            let by_ways_in = by_ways_in.contains(&service);
            all.push(Service { name: effects.service_name(service), acts, roads, by_ways_in });
        }
        all.sort_by(|one, other| other.weight().cmp(&one.weight()).then_with(|| one.name.cmp(&other.name)));
        Tally { services: all, idle }
    }
}

/// Adds up what was found of an act, each thing once.
fn settle(effects: &Effects<'_>, who: Principal, service: ServiceId, counted: Counted) -> Act {
    let Counted { mut act, mut chunks } = counted;
    let size = |chunk: &Chunk| match chunk {
        Chunk::Kept { count, .. } | Chunk::AllAt { count, .. } => *count,
        Chunk::Asked(_) => 0,
    };
    chunks.sort_by_key(|chunk| std::cmp::Reverse(size(chunk)));
    let mut best: Option<(bool, Thing)> = None;
    let mut example = |thing: Thing, secret: bool| {
        let better = best.is_none_or(|(known_secret, known)| match (secret, known_secret) {
            (true, false) => true,
            (false, true) => false,
            _ => effects.estate().compare_labels(thing, known).is_lt(),
        });
        if better {
            best = Some((secret, thing));
        }
    };
    let mut seen: FxHashMap<Thing, Verdict> = FxHashMap::default();
    let mut whole: Vec<&Chunk> = Vec::new();
    let is_in = |whole: &[&Chunk], thing: Thing| {
        whole.iter().any(|chunk| match chunk {
            Chunk::Kept { road, part, .. } => in_part(effects, who, road, part, thing),
            Chunk::AllAt { place, .. } => effects.lies_at_place(thing, *place),
            Chunk::Asked(_) => false,
        })
    };
    for chunk in &chunks {
        match chunk {
            Chunk::Kept { part, count, .. } => {
                let of_kind = || {
                    part.resources().iter().filter(|id| effects.service_of(Thing::Resource(**id)) == service)
                };
                if let Some(first) = of_kind().next() {
                    example(Thing::Resource(*first), is_secret(effects, Thing::Resource(*first)));
                }
                if whole.is_empty() {
                    act.surely += count;
                    let secrets = part
                        .by_kind()
                        .iter()
                        .find(|of| effects.estate().name(&effects.service_name(service)) == Some(of.kind));
                    act.confidential += secrets.map_or(0, |of| of.confidential);
                } else {
                    for id in of_kind().filter(|id| !is_in(&whole, Thing::Resource(**id))) {
                        act.surely += 1;
                        act.confidential += usize::from(is_secret(effects, Thing::Resource(*id)));
                    }
                }
                whole.push(chunk);
            }
            Chunk::AllAt { place, count } => {
                if let (_, Some(first)) = effects.people_at(service, *place) {
                    example(first, false);
                }
                if whole.is_empty() {
                    act.surely += count;
                } else {
                    let things = effects.things_of(service, *place);
                    act.surely += things.into_iter().filter(|thing| !is_in(&whole, *thing)).count();
                }
                whole.push(chunk);
            }
            Chunk::Asked(things) => {
                for &(thing, verdict) in things.iter().filter(|(thing, _)| !is_in(&whole, *thing)) {
                    let known = seen.entry(thing).or_insert(verdict);
                    *known = verdict.max(*known);
                }
            }
        }
    }
    for (thing, verdict) in seen {
        let secret = is_secret(effects, thing);
        example(thing, secret);
        act.confidential += usize::from(secret);
        match verdict {
            Verdict::Yes => act.surely += 1,
            Verdict::Depends | Verdict::No => act.perhaps += 1,
        }
    }
    act.example = best.map(|(_, thing)| thing);
    act
}

fn thing_at(place: At) -> Option<Thing> {
    match place {
        At::Thing(thing) => Some(thing),
        At::Everywhere => None,
    }
}

/// Whether a thing is among what a road takes in a part: of an account's own, or of others.
fn in_part(effects: &Effects<'_>, who: Principal, road: &Road, part: &Taken, thing: Thing) -> bool {
    let Thing::Resource(id) = thing else { return false };
    // A part that is small is looked through; a large one is asked what it takes.
    if part.resources().len() <= 8 {
        return part.resources().contains(&id);
    }
    let resources = effects.estate().statement(road.statement).resources;
    effects.lies_at_place(thing, road.at)
        && effects.takes(resources, thing)
        && (effects.is_of_everybody(road.name()) || effects.takes_one_side(who, thing))
}

fn is_secret(effects: &Effects<'_>, thing: Thing) -> bool {
    let Thing::Resource(id) = thing else { return false };
    effects.estate().get(id).is_some_and(|it| it.sensitivity == Some(Sensitivity::Confidential))
}

fn is_own(name: &str) -> bool {
    [FunctionId::KIND, IdentityId::KIND, KeyId::KIND].contains(&name)
}

/// Where an act of a sort stands among those counted: by its name, or by its class where it stands for many.
fn place_of(acts: &mut Vec<Counted>, sort: &Sort) -> usize {
    let same = |counted: &Counted| {
        let act = &counted.act;
        let whole = super::stands_for_class(sort);
        act.is_wild == whole
            && if whole { act.class == sort.class } else { *act.action == *sort.action.text() }
    };
    acts.iter().position(same).unwrap_or_else(|| {
        acts.push(Counted { act: act_of(sort), chunks: Vec::new() });
        acts.len() - 1
    })
}
