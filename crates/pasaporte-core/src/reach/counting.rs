//! Finding the things on which somebody may do something; adding them up, each once, is in `settling.rs`.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::across::Across;
use super::counted::{Chunk, Counted, Part};
use super::settling::settle;
use super::{Act, Reaches, Service, act_of, stands_for_class};
use crate::access::{Action, Dialect, INVOKE, Needs, New, On, Truth, Verdict};
use crate::effect::{
    ACCESS_SERVICE, Act as Sort, Acts, Effects, FUNCTION, Named, Opposes, Opposition, Others, Road, ServiceId,
};
use crate::estate::{AccountOf, ActionClass, FunctionId, Principal, ResourceId, ResourcesId, Thing};

/// What counting came to.
pub(super) struct Tally {
    pub(super) services: Vec<Service>,
    pub(super) idle: Vec<Road>,
}

/// The things of somebody being counted.
pub(super) struct Counting<'a, 'e> {
    reaches: &'a Reaches<'a, 'e>,
    effects: &'a Effects<'e>,
    who: Principal,
    opposition: Option<Arc<Opposition>>,
    services: FxHashMap<ServiceId, (Vec<Counted>, Vec<Road>)>,
    /// The actions that some road names: each is counted by all roads that have it.
    named: &'a Named,
    home: Option<AccountOf>,
    /// The services of what it has otherwise, which is counted apart.
    also: &'a FxHashSet<ServiceId>,
    /// What other accounts give it as long as its own side does so too.
    across: Option<Across<'a>>,
    by_ways_in: FxHashSet<ServiceId>,
    idle: Vec<Road>,
}

impl<'a, 'e> Counting<'a, 'e> {
    pub(super) fn new(
        reaches: &'a Reaches<'a, 'e>,
        who: Principal,
        named: &'a Named,
        also: &'a FxHashSet<ServiceId>,
        across: Option<Across<'a>>,
    ) -> Self {
        let effects = reaches.effects;
        Self {
            opposition: effects.opposition(who),
            reaches,
            effects,
            who,
            services: FxHashMap::default(),
            named,
            home: effects.home(who),
            also,
            across,
            by_ways_in: FxHashSet::default(),
            idle: Vec::new(),
        }
    }

    pub(super) fn take(&mut self, roads: &[Road]) {
        for road in roads {
            let holds = self.effects.holds_alike(self.who, road);
            let mut counts = false;
            for service in self.effects.services_of(road) {
                counts |= self.service(road, service, holds);
            }
            if !counts {
                self.idle.push(*road);
            }
        }
    }

    /// The functions that let in anyone by an endpoint of theirs.
    pub(super) fn open_functions(&mut self) {
        if self.reaches.open_functions().first.is_some() {
            self.invoking().push(Chunk::Open);
        }
    }

    /// A function that is made run by a way in of its own.
    pub(super) fn invoked(&mut self, function: FunctionId, verdict: Verdict) {
        if verdict == Verdict::No {
            return;
        }
        let found = (Thing::Function(function), verdict);
        let chunks = self.invoking();
        match chunks.last_mut() {
            Some(Chunk::Asked(all)) => all.push(found),
            _ => chunks.push(Chunk::Asked(vec![found])),
        }
    }

    /// What was found of invoking by ways in.
    fn invoking(&mut self) -> &mut Vec<Chunk> {
        self.by_ways_in.insert(FUNCTION);
        let invoke = Sort::said(self.effects.action(INVOKE), Some(ActionClass::Invoke));
        let (acts, _) = self.services.entry(FUNCTION).or_default();
        let at = place_of(acts, &invoke);
        &mut acts[at].chunks
    }

    /// What a road gives on the things of one kind; whether that is anything.
    fn service(&mut self, road: &Road, service: ServiceId, holds: Option<Truth>) -> bool {
        let mut counts = false;
        let mut apart = Vec::new();
        if road.grant().is_some() && service != ACCESS_SERVICE {
            counts |= self.granted(road, service, holds);
        } else {
            apart = self.effects.things_reached_by(self.who, road, service);
        }
        apart.extend(self.across.iter().flat_map(|across| across.met_by(self.effects, road, service)));
        for ((others, dialect), things) in self.by_what_tells_apart(apart) {
            let sorts = self.sorts(road, service, others, dialect);
            for sort in sorts.all() {
                if let Some(free) = self.freely(service, sort, holds) {
                    counts |= self.ask(&Line { road, service, sort, dialect, free }, &things);
                }
            }
        }
        if counts {
            let (_, roads) = self.services.entry(service).or_default();
            roads.push(*road);
        }
        counts
    }

    /// What a grant gives by itself on the things of one kind. Where no thing has statements of its own that may take
    /// away, one sort of actions is the same on all.
    fn granted(&mut self, road: &Road, service: ServiceId, holds: Option<Truth>) -> bool {
        let effects = self.effects;
        let others = effects.others_on(self.opposition.as_deref(), None);
        let is_kept = !Effects::is_of_named_entries(&effects.service_name(service));
        let mut asked: Option<Vec<Thing>> = None;
        let mut counts = false;
        for dialect in effects.dialects() {
            let sorts = self.sorts(road, service, others, dialect);
            for sort in sorts.all() {
                let Some(free) = self.freely(service, sort, holds) else { continue };
                let line = Line { road, service, sort, dialect, free };
                counts |= self.on_new(&line);
                let is_free = is_kept && line.free.verdict.is_some() && line.free.few.is_some();
                counts |= if is_free && (line.free.denied.is_empty() || !Effects::is_of_people(service)) {
                    self.kept(&line)
                } else {
                    let things =
                        asked.get_or_insert_with(|| effects.things_reached_by(self.who, road, service));
                    self.ask(&line, things)
                };
            }
        }
        counts
    }

    /// What a road comes to with a sort of actions where nothing but its conditions bears on that; none where it comes
    /// to nothing anywhere.
    fn freely(&self, service: ServiceId, sort: &Sort, holds: Option<Truth>) -> Option<Free> {
        let effects = self.effects;
        let opposition = self.opposition.as_deref();
        let verdict = match effects.bounded(opposition, &sort.action) {
            Opposes::Everywhere => return None,
            Opposes::Somewhere => None,
            // What depends may be sure by what everybody has.
            Opposes::Never => holds
                .map(Verdict::from)
                .filter(|verdict| *verdict == Verdict::Yes || !self.also.contains(&service)),
        };
        if verdict == Some(Verdict::No) {
            return None;
        }
        let denied = effects.denying(opposition, &sort.action);
        let denied: Vec<ResourcesId> = denied.map(|id| effects.estate().statement(id).resources).collect();
        let one = |resources: &ResourcesId| match effects.only(*resources) {
            Some(Thing::Resource(id)) => Some(id),
            _ => None,
        };
        let few: Option<Vec<ResourceId>> = denied.iter().map(one).collect();
        Some(Free { verdict, denied, few })
    }

    /// Things, those together on which the same tells actions apart.
    fn by_what_tells_apart(&self, things: Vec<Thing>) -> Vec<((Others, Dialect), Vec<Thing>)> {
        let effects = self.effects;
        let mut all: Vec<((Others, Dialect), Vec<Thing>)> = Vec::new();
        for thing in things {
            let others = effects.others_on(self.opposition.as_deref(), Some(thing));
            let told_by = (others, effects.dialect(thing));
            match all.iter_mut().find(|(known, _)| *known == told_by) {
                Some((_, things)) => things.push(thing),
                None => all.push((told_by, vec![thing])),
            }
        }
        all
    }

    /// The sorts of actions that a road has of a service, and what it has of those that other roads name.
    fn sorts(&self, road: &Road, service: ServiceId, others: Others, dialect: Dialect) -> Sorts {
        let actions = self.effects.estate().statement(road.statement).actions;
        let own = self.effects.acts(actions, service, others, dialect);
        let is_known =
            |text: &str| own.all.iter().any(|it| !stands_for_class(it) && it.action.text() == text);
        let named = self.named.get(&service).map_or(&[][..], Vec::as_slice).iter();
        let takes = |action: &Action| action.is_picked_by(actions, dialect.any_case);
        let more = named.filter(|action| takes(action) && !is_known(action.text()));
        let class = |action: &Action| self.effects.catalogue().class(action.text(), dialect);
        let more = more.map(|action| Sort::said(Arc::clone(action), class(action))).collect();
        Sorts { own, more }
    }

    /// Whether a road gives an action on things that are made tomorrow.
    fn on_new(&mut self, line: &Line<'_>) -> bool {
        let &Line { road, service, sort, dialect, ref free } = line;
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        if !effects.is_wide(resources)
            && effects.only(resources).is_some_and(|it| effects.estate().is_declared(it))
        {
            return false;
        }
        let name = &*effects.service_name(service);
        let mut verdict = Verdict::No;
        let named = effects.kinds_named(road);
        let labels = named.iter().filter(|(kind, _)| **kind == *name).filter_map(|(_, label)| label.clone());
        let labels: Vec<Box<str>> =
            std::iter::once(effects.fresh_thing(name, None).label).chain(labels).collect();
        'all: for within in effects.openings(self.who, road) {
            for label in &labels {
                let new = New { label: label.clone(), within };
                if effects.dialect_on(On::New(&new)) != dialect || !effects.takes_new(resources, &new) {
                    continue;
                }
                let is_free =
                    free.denied.is_empty() && self.suffices(road, effects.account_on(On::New(&new)));
                let here = match free.verdict {
                    Some(verdict) if is_free => verdict,
                    _ => effects.gives(self.who, road, &sort.action, On::New(&new)),
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
            if verdict > acts[at].act.on_new {
                acts[at].act.on_new = verdict;
                acts[at].on_new = Some(Arc::clone(&sort.action));
            }
        }
        verdict != Verdict::No
    }

    /// Counts what a road takes of a kind where nothing stands against it.
    fn kept(&mut self, line: &Line<'_>) -> bool {
        if Effects::is_of_people(line.service) { self.kept_people(line) } else { self.kept_resources(line) }
    }

    /// The same of functions, identities, keys, users and groups.
    fn kept_people(&mut self, line: &Line<'_>) -> bool {
        let &Line { road, service, sort, dialect, ref free } = line;
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        let takes_all = effects.takes_fresh(resources, service)
            && effects.has_no_exceptions(resources)
            && !effects.denied().people;
        let mut counts = false;
        if !takes_all {
            for lot in effects.people_reached(self.who, road, service) {
                counts |= self.ask(line, &lot);
            }
            return counts;
        }
        for place in effects.places(self.who, road) {
            // A place that is of no account may have several below it, and each has rules of its own.
            let account = place.thing().map_or(AccountOf::Unnamed, |place| effects.account_of(place));
            if effects.is_of_one_account(place) && self.suffices(road, account) {
                let count = self.reaches.kept.people_at(effects, service, place).count;
                let read = place.thing().map_or_else(Dialect::default, |place| effects.dialect(place));
                if let Some(verdict) = free.verdict
                    && count > 0
                    && read == dialect
                {
                    self.found(service, sort, Chunk::AllAt(place, verdict));
                    counts = true;
                }
            } else {
                let things = effects.people_taken(service, resources, place);
                counts |= self.ask(line, &things);
            }
        }
        // What is of no account lies in none of those.
        if effects.has_accounts() {
            let strays = self.reaches.kept.strays(effects, service);
            let here = strays.iter().copied().filter(|thing| effects.lies_at_place(*thing, road.at));
            counts |= self.ask(line, &here.collect::<Vec<_>>());
        }
        counts
    }

    /// The same of resources.
    fn kept_resources(&mut self, line: &Line<'_>) -> bool {
        let &Line { road, service, sort, dialect, ref free } = line;
        let effects = self.effects;
        let resources = effects.estate().statement(road.statement).resources;
        let of_kind = |id: &&ResourceId| effects.service_of(Thing::Resource(**id)) == service;
        let one_by_one = !effects.counts_by_parts(self.who, road) || effects.denied().resources;
        let kind = effects.estate().name(&effects.service_name(service));
        let mut counts = false;
        for part in effects.taken_parts(self.who, road.name(), resources, road.at) {
            if one_by_one || part.dialect().is_none() {
                let things = part.resources().iter().filter(of_kind).map(|id| Thing::Resource(*id));
                counts |= self.ask(line, &things.collect::<Vec<_>>());
                continue;
            }
            let (Some(verdict), Some(of)) = (free.verdict, part.of_kind(kind)) else { continue };
            if part.dialect() != Some(dialect) {
                continue;
            }
            let few = free.few.iter().flatten().copied();
            let mut but: Vec<ResourceId> =
                few.filter(|id| of_kind(&id) && effects.is_among(&part, *id)).collect();
            but.sort_unstable();
            but.dedup();
            let apart: Vec<Thing> = but.iter().copied().map(Thing::Resource).collect();
            if of.count > but.len() {
                self.found(service, sort, Chunk::Kept(Part { all: part, but: but.into() }, verdict));
                counts = true;
            }
            counts |= self.ask(line, &apart);
        }
        counts
    }

    fn found(&mut self, service: ServiceId, sort: &Sort, chunk: Chunk) {
        let (acts, _) = self.services.entry(service).or_default();
        let at = place_of(acts, sort);
        acts[at].chunks.push(chunk);
    }

    /// Whether what a road gives on things of an account needs nothing from the other side.
    fn suffices(&self, road: &Road, there: AccountOf) -> bool {
        let effects = self.effects;
        let is_to_all = match road.grant() {
            Some(_) => effects.is_of_everybody(road.name()),
            None => effects.is_of_anyone(road.name()),
        };
        is_to_all || effects.needs_between(self.who, self.home, there) == Needs::EitherSide
    }

    /// Asks about things one by one, where something may take away what the road gives or it needs another side.
    fn ask(&mut self, line: &Line<'_>, things: &[Thing]) -> bool {
        let &Line { road, service, sort, dialect, ref free } = line;
        let effects = self.effects;
        let given = effects.given(self.who);
        let mut found: Vec<(Thing, Verdict)> = Vec::new();
        // Things of one account come together.
        let (mut account, mut suffices) = (None, false);
        for &thing in things.iter().filter(|thing| effects.dialect(**thing) == dialect) {
            let is_denied = || {
                effects.denied().is_on(thing)
                    || free.denied.iter().any(|resources| effects.takes(*resources, thing))
            };
            if let Some(verdict) = free.verdict {
                let there = effects.account_of(thing);
                if account != Some(there) {
                    (account, suffices) = (Some(there), self.suffices(road, there));
                }
                if suffices && !is_denied() {
                    found.push((thing, verdict));
                    continue;
                }
            }
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
        self.found(service, sort, Chunk::Asked(found));
        true
    }

    pub(super) fn finish(self) -> Tally {
        let Self { reaches, effects, who, services, idle, by_ways_in, .. } = self;
        let mut all: Vec<Service> = Vec::new();
        for (service, (counted, roads)) in services {
            let mut acts: Vec<Act> =
                counted.into_iter().map(|each| settle(reaches, who, service, each)).collect();
            acts.retain(|act| act.surely + act.perhaps > 0 || act.on_new != Verdict::No);
            acts.sort_by(|one, other| one.order().cmp(&other.order()));
            let by_ways_in = by_ways_in.contains(&service);
            all.push(Service { name: effects.service_name(service), acts, roads, by_ways_in });
        }
        all.sort_by(|one, other| other.weight().cmp(&one.weight()).then_with(|| one.name.cmp(&other.name)));
        Tally { services: all, idle }
    }
}

/// A sort of actions of a service, as a road gives it in accounts that read actions in one way.
struct Line<'l> {
    road: &'l Road,
    service: ServiceId,
    sort: &'l Sort,
    dialect: Dialect,
    free: Free,
}

/// What a road comes to with a sort of actions where nothing but its conditions bears on that.
struct Free {
    /// None where each thing must be asked about.
    verdict: Option<Verdict>,
    /// Of what something may be taken away again.
    denied: Vec<ResourcesId>,
    /// The same, where it is single resources.
    few: Option<Vec<ResourceId>>,
}

/// The sorts of actions of a road, and more that other roads name.
struct Sorts {
    own: Arc<Acts>,
    more: Vec<Sort>,
}

impl Sorts {
    fn all(&self) -> impl Iterator<Item = &Sort> {
        self.own.all.iter().chain(&self.more)
    }
}

/// Where an act of a sort stands among those counted: by its class, and by its name where it does not stand for many.
fn place_of(acts: &mut Vec<Counted>, sort: &Sort) -> usize {
    let whole = stands_for_class(sort);
    let same = |counted: &Counted| {
        let act = &counted.act;
        act.is_wild == whole && act.class == sort.class && (whole || *act.action == *sort.action.text())
    };
    let at = acts.iter().position(same).unwrap_or_else(|| {
        acts.push(Counted::new(act_of(sort)));
        acts.len() - 1
    });
    let actions = &mut acts[at].actions;
    if !actions.iter().any(|known| known.text() == sort.action.text()) {
        actions.push(Arc::clone(&sort.action));
    }
    at
}
