//! On how many things of a kind a road gives what it gives, and on which it does not.

use std::collections::BTreeSet;
use std::sync::Arc;

use super::opposed::{Opposes, Opposition};
use super::{Act, Effects, Others, Road, ServiceId, Wide};
use crate::access::{Action, On, Truth, Verdict};
use crate::estate::{AccountOf, Principal, ResourceId, ResourcesId, Sensitivity, Thing};

/// Of the declared things of a service that a road takes:
#[derive(Debug, Clone)]
pub struct Counted {
    /// The actions that were asked about.
    pub acts: Vec<Act>,
    /// On how many all of them may be done.
    pub count: usize,
    /// How many of those are confidential.
    pub confidential: usize,
    /// On which some of them may not, by name.
    pub but: Vec<String>,
}

/// What somebody is asked about who holds a road.
#[derive(Debug, Clone, Copy)]
pub enum Given<'q> {
    /// This action.
    Act(&'q Act),
    /// All actions of the service that the road gives on something.
    AllOn(&'q Wide),
}

/// A question about one thing after the other.
struct Asked<'q> {
    who: Principal,
    road: &'q Road,
    service: ServiceId,
    given: Given<'q>,
    /// The actions that are asked about, where nothing stands on a thing.
    acts: Vec<Act>,
    /// Of each whether no ceiling bears on it.
    free: Vec<bool>,
    /// Whether the conditions of the road hold for whatever it takes; none where that is different from thing to thing.
    holds: Option<Truth>,
    opposition: Option<Arc<Opposition>>,
    home: Option<AccountOf>,
}

impl<'q> Asked<'q> {
    fn new(
        effects: &Effects<'_>,
        who: Principal,
        road: &'q Road,
        service: ServiceId,
        given: Given<'q>,
    ) -> Self {
        let acts = match given {
            Given::Act(act) => vec![act.clone()],
            Given::AllOn(on) => effects.acts_given(who, road, service, on, None),
        };
        let opposition = effects.opposition(who);
        let is_free = |act: &Act| effects.bounded(opposition.as_deref(), &act.action) == Opposes::Never;
        let free = acts.iter().map(is_free).collect();
        let holds = effects.holds_alike(who, road);
        Self { who, road, service, given, acts, free, holds, opposition, home: effects.home(who) }
    }

    /// The things on which what the road gives may be otherwise than on all that it takes, since a deny takes them; none
    /// where each has to be asked about.
    fn apart(&self, effects: &Effects<'_>) -> Option<Vec<Thing>> {
        let (who, road) = (self.who, self.road);
        let statement = effects.estate().statement(road.statement);
        let is_same = |act: &Act| act.action.is_picked_in_either_case(statement.actions);
        let alike = self.holds.is_some_and(|holds| holds != Truth::False)
            && self.free.iter().all(|free| *free)
            && self.acts.iter().all(is_same)
            && effects.denied().is_empty()
            && effects.counts_by_parts(who, road);
        if !alike {
            return None;
        }
        let opposition = self.opposition.as_deref();
        let denies: BTreeSet<ResourcesId> = self
            .acts
            .iter()
            .flat_map(|act| effects.denying(opposition, &act.action))
            .map(|id| effects.estate().statement(id).resources)
            .collect();
        let is_of_resources = self.service != super::ACCESS_SERVICE && !Effects::is_of_people(self.service);
        if denies.is_empty() || !is_of_resources {
            return denies.is_empty().then(Vec::new);
        }
        let parts = effects.taken_parts(who, road.name(), statement.resources, road.at);
        let apart = denies.into_iter().flat_map(|choice| {
            let taken = effects.taken(choice, road.at);
            let here = |id: &ResourceId| {
                effects.service_of(Thing::Resource(*id)) == self.service
                    && parts.iter().any(|part| effects.is_among(part, *id))
            };
            taken.resources().iter().copied().filter(here).collect::<Vec<_>>()
        });
        let apart: BTreeSet<ResourceId> = apart.collect();
        Some(apart.into_iter().map(Thing::Resource).collect())
    }

    /// Whether some of it is not given on a thing.
    fn falls_short_on(&self, effects: &Effects<'_>, thing: Thing) -> bool {
        let (who, road) = (self.who, self.road);
        let is_no = |act: &Act| effects.gives(who, road, &act.action, On::There(thing)) == Verdict::No;
        match self.given {
            // What stands on the thing may tell more actions apart.
            Given::AllOn(on) if effects.denied().is_on(thing) => {
                effects.acts_given(who, road, self.service, on, Some(thing)).iter().any(is_no)
            }
            _ => {
                let any_case = effects.any_case(thing);
                let actions = effects.estate().statement(road.statement).actions;
                let given = effects.given(who);
                let asked = || effects.road_holds(who, road, On::There(thing), given);
                if self.holds.unwrap_or_else(asked) == Truth::False {
                    return !self.acts.is_empty();
                }
                // Where nothing else bears on an action that the road takes, it may be done.
                let alone = self.is_left_alone(effects, thing);
                let is_alone = |act: &Act| {
                    act.action.is_picked_by(actions, any_case)
                        && !effects.may_deny(self.opposition.as_deref(), &act.action, thing)
                };
                let mut acts = self.acts.iter().zip(&self.free);
                acts.any(|(act, free)| !(alone && *free && is_alone(act)) && is_no(act))
            }
        }
    }

    /// Whether the road takes a thing, on which nothing else stands.
    fn is_left_alone(&self, effects: &Effects<'_>, thing: Thing) -> bool {
        let resources = effects.estate().statement(self.road.statement).resources;
        effects.takes(resources, thing) && effects.asks_nobody_else(self.who, self.home, thing)
    }
}

impl Effects<'_> {
    /// Of the declared things of a service that a road takes: on how many everything that is asked about may be done, how
    /// many of those are confidential, and on which some of it may not.
    pub fn counted(&self, who: Principal, road: &Road, service: ServiceId, given: Given<'_>) -> Counted {
        let resources = self.estate().statement(road.statement).resources;
        let asked = Asked::new(self, who, road, service, given);
        if self.has_no_exceptions(resources)
            && let Some(apart) = asked.apart(self)
        {
            let (count, confidential) = self.count_plainly(who, road, service);
            let short = apart.into_iter().filter(|thing| asked.falls_short_on(self, *thing));
            let short: Vec<Thing> = short.collect();
            let of_them = short.iter().filter(|thing| self.is_confidential(**thing)).count();
            return Counted {
                acts: asked.acts,
                count: count - short.len(),
                confidential: confidential - of_them,
                but: self.labels(short),
            };
        }
        let (mut count, mut confidential, mut but) = (0, 0, Vec::new());
        for thing in self.things_at_places(who, road, &self.service_name(service)) {
            if asked.falls_short_on(self, thing) {
                but.push(thing);
                continue;
            }
            count += 1;
            confidential += usize::from(self.is_confidential(thing));
        }
        Counted { acts: asked.acts, count, confidential, but: self.labels(but) }
    }

    /// The declared things that a road takes on which some of what it gives of a service on something may not be done.
    pub fn falls_short_on(&self, who: Principal, road: &Road, service: ServiceId, on: &Wide) -> Vec<String> {
        let asked = Asked::new(self, who, road, service, Given::AllOn(on));
        let mut all = asked.apart(self).unwrap_or_else(|| self.things_reached_by(who, road, service));
        all.retain(|thing| asked.falls_short_on(self, *thing));
        self.labels(all)
    }

    fn labels(&self, things: Vec<Thing>) -> Vec<String> {
        let mut all: Vec<String> = things.into_iter().map(|thing| self.estate().label(thing)).collect();
        all.sort_unstable();
        all
    }

    /// The sorts of actions of a service that a road gives on something, as far as what stands against its holder tells
    /// them apart, and what stands on a thing.
    fn acts_given(
        &self,
        who: Principal,
        road: &Road,
        service: ServiceId,
        on: &Wide,
        apart_on: Option<Thing>,
    ) -> Vec<Act> {
        let opposition = self.opposition(who);
        let others = self.others_on(opposition.as_deref(), apart_on);
        let actions = self.estate().statement(road.statement).actions;
        let acts = self.acts(actions, service, others, self.dialect_on(on.on()));
        let given = |act: &&Act| self.gives(who, road, &act.action, on.on()) != Verdict::No;
        // Where nothing tells actions apart, the decision on one that the road takes is that on all.
        let stands_alone = match on {
            Wide::There(thing) => self.admissions_on(*thing).is_empty(),
            Wide::New(_) => true,
        };
        if others == Others::default() && stands_alone {
            let any = acts.all.first().is_some_and(|act| given(&act));
            return if any { acts.all.to_vec() } else { Vec::new() };
        }
        acts.all.iter().filter(given).cloned().collect()
    }

    /// Whether an action may be done to anything confidential of a service that a road takes.
    pub fn reaches_confidential(
        &self,
        who: Principal,
        road: &Road,
        service: ServiceId,
        action: &Action,
    ) -> bool {
        let resources = self.estate().statement(road.statement).resources;
        let reachable = self.reachable(who, road.name(), resources, road.at);
        let [own, foreign, ..] = reachable.parts_by_sensitivity();
        let mut confidential = own.iter().chain(foreign).map(|id| Thing::Resource(*id));
        confidential.any(|thing| {
            self.service_of(thing) == service
                && self.is_confidential(thing)
                && self.gives(who, road, action, On::There(thing)) != Verdict::No
        })
    }

    /// Whether a thing is confidential.
    pub(crate) fn is_confidential(&self, thing: Thing) -> bool {
        let Thing::Resource(id) = thing else { return false };
        self.estate().get(id).is_some_and(|it| it.sensitivity == Some(Sensitivity::Confidential))
    }

    /// Whether all that a road takes where its holder may get at things may be done, without asking of each: its account
    /// is known, and what is of others needs no side of theirs.
    pub(crate) fn counts_by_parts(&self, who: Principal, road: &Road) -> bool {
        let resources = self.estate().statement(road.statement).resources;
        let is_known = match who {
            Principal::Outside(_) => false,
            Principal::Account(id) => self.estate().get(id).is_some(),
            who => !matches!(self.home(who), Some(AccountOf::Unknown | AccountOf::Unnamed)),
        };
        is_known && self.only(resources).is_none() && !self.accounts_are_unknown()
    }

    /// How many things of a service a road takes that nothing opposes, and how many of them are confidential.
    fn count_plainly(&self, who: Principal, road: &Road, service: ServiceId) -> (usize, usize) {
        let resources = self.estate().statement(road.statement).resources;
        if Self::is_of_people(service) {
            let places = self.places(who, road).into_iter();
            return (places.map(|place| self.things_of(service, place).len()).sum(), 0);
        }
        let name = self.service_name(service);
        let kind = self.estate().name(&name);
        let of_kind = |taken: &crate::access::Taken| {
            taken.of_kind(kind).map_or((0, 0), |of| (of.count, of.confidential))
        };
        self.taken_parts(who, road.name(), resources, road.at)
            .iter()
            .map(|taken| of_kind(taken))
            .fold((0, 0), |(all, secret), (more, of_them)| (all + more, secret + of_them))
    }

    /// The declared things of a kind where a road's holder may get at things.
    pub fn things_at_places(&self, who: Principal, road: &Road, kind: &str) -> Vec<Thing> {
        let service = self.service(kind);
        let mut all: Vec<Thing> = Vec::new();
        for place in self.places(who, road) {
            all.extend(self.things_of(service, place));
            if !Self::is_of_people(service) {
                let here = self.resources_at(place).map(Thing::Resource);
                all.extend(here.filter(|thing| self.service_of(*thing) == service));
            }
        }
        all
    }
}
