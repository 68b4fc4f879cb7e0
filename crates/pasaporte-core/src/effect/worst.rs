//! The worst that somebody may do in effect (access-model §10): over every class of action and every thing, by any road.
//!
//! A survey goes along roads and asks the decision about the things that each takes, worst first, until nothing worse
//! can follow. What somebody may *become* is kept as edges, along which the worst is found (`along.rs`).

use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::acts::{Act, Acts};
use super::found::{Direct, Doing, Edge, MOST_COUNTED, Opened};
use super::harm::on_data;
use super::opposed::{Opposes, Somebody};
use super::roads::Powers;
use super::{
    ACCESS_SERVICE, Effects, FUNCTION, GROUP, Harm, IDENTITY, Impact, KEY, Others, Road, ServiceId, USER,
};
use crate::access::{Context, Dialect, New, On, Reachable, Taken, Verdict, Via};
use crate::estate::{
    ActionClass, At, KeyReach, Principal, ResourceId, ResourcesId, ScopeId, Sensitivity, Thing,
};

/// A survey of roads.
pub(super) struct Survey<'a, 'e> {
    pub(super) effects: &'a Effects<'e>,
    pub(super) who: Principal,
    it: Somebody,
    given: &'a Context,
    /// Whether only what the very road gives counts, and not what another gives to the same action and thing.
    alone: bool,
    /// What the conditions of the road at hand leave of what it gives, at best.
    at_best: Verdict,
    /// Where everything of one impact is wanted, that impact.
    wanted: Option<Impact>,
    pub(super) harm: Harm,
    pub(super) edges: Vec<Edge>,
    pub(super) doings: Vec<Doing<'e>>,
    /// Where doings are wanted, the things of which data may surely be had, and the first of them by name.
    sure_data: FxHashSet<ResourceId>,
    first_data: Option<&'e str>,
}

impl<'a, 'e> Survey<'a, 'e> {
    pub(super) fn new(effects: &'a Effects<'e>, who: Principal, wanted: Option<Impact>) -> Self {
        Self {
            who,
            given: effects.given(who),
            it: effects.somebody(who),
            alone: false,
            at_best: Verdict::Yes,
            wanted,
            harm: Harm::RUNS_CODE,
            edges: Vec::new(),
            doings: Vec::new(),
            sure_data: FxHashSet::default(),
            first_data: None,
            effects,
        }
    }

    /// Only what the very roads give counts.
    pub(super) fn alone(mut self) -> Self {
        self.alone = true;
        self
    }

    pub(super) fn into_direct(mut self) -> Direct {
        self.edges.sort_unstable_by_key(|edge| (edge.to, !edge.surely, !edge.control));
        self.edges.dedup_by_key(|edge| edge.to);
        // Where one controls access anyway, it does not matter whom one may become besides.
        if self.harm.impact == Impact::ControlsAccess && self.harm.surely && !self.harm.inferred {
            self.edges.clear();
        }
        Direct { harm: self.harm, edges: self.edges.into() }
    }

    pub(super) fn go(&mut self, roads: &[Road]) {
        // Words tell of data before anything else that is as bad: where some may surely be had, the rest is not looked for.
        if self.wanted == Some(Impact::DataOrSecrets) {
            self.along(roads, Self::data);
            if self.sure_data.is_empty() {
                self.along(roads, |survey, road, powers| {
                    survey.power(road, powers);
                    survey.as_if_there_were_some(road);
                });
            }
            return;
        }
        self.along(roads, |survey, road, powers| {
            // Control of things is neither data nor a step that words of data tell.
            if survey.wanted != Some(Impact::ConfidentialData) {
                survey.power(road, powers);
            }
            if survey.matters(Impact::ControlsAccess, false) {
                survey.data(road, powers);
                survey.as_if_there_were_some(road);
            }
        });
    }

    /// Looks at what each road gives, until nothing worse can follow.
    fn along(&mut self, roads: &[Road], look: impl Fn(&mut Self, &Road, Powers)) {
        for road in roads {
            self.at_best = self.effects.holds_alike(self.who, road).map_or(Verdict::Yes, Verdict::from);
            // What depends by this road and is sure by another is found by that one.
            if self.at_best != Verdict::No {
                look(self, road, self.effects.powers(self.actions(road)));
            }
            self.at_best = Verdict::Yes;
            if !self.matters(Impact::ControlsAccess, false) {
                return;
            }
        }
    }

    /// Whether it matters that something of an impact was found.
    fn matters(&self, impact: Impact, inferred: bool) -> bool {
        if let Some(wanted) = self.wanted {
            impact == wanted || impact == Impact::ControlsAccess
        } else {
            let (harm, may_be_sure) = (&self.harm, self.at_best == Verdict::Yes);
            (impact, inferred) < (harm.impact, harm.inferred)
                || (may_be_sure && impact == harm.impact && !harm.surely)
                || (may_be_sure && impact < harm.surely_at_least)
        }
    }

    fn found(&mut self, impact: Impact, verdict: Verdict, inferred: bool, doing: impl FnOnce() -> Doing<'e>) {
        if verdict == Verdict::No {
            return;
        }
        let harm = if inferred {
            Harm { inferred, surely_at_least: Impact::RunsCode, ..Harm::sure(impact) }
        } else {
            Harm::sure(impact)
        };
        self.harm = self.harm.or(if verdict == Verdict::Yes { harm } else { harm.perhaps() });
        if self.wanted == Some(impact) {
            self.doings.push(doing());
        }
    }

    fn actions(&self, road: &Road) -> crate::estate::ActionsId {
        self.effects.estate().statement(road.statement).actions
    }

    fn resources(&self, road: &Road) -> ResourcesId {
        self.effects.estate().statement(road.statement).resources
    }

    /// The sorts of actions that a road has of a service, on a thing or where things are made.
    fn acts(&self, road: &Road, service: ServiceId, on: On<'_>) -> Arc<Acts> {
        let thing = match on {
            On::There(thing) => Some(thing),
            On::New(_) => None,
        };
        let others = self.effects.others_on(self.it.opposition.as_deref(), thing);
        self.effects.acts(self.actions(road), service, others, self.effects.dialect_on(on))
    }

    /// The decision on an action of a road.
    pub(super) fn ask(&self, road: &Road, act: &Act, on: On<'_>) -> Verdict {
        let effects = self.effects;
        if let Some(verdict) = effects.foregone(&self.it, road, &act.action, on) {
            return verdict;
        }
        let verdict = effects.verdict_on(self.who, &act.action, on, self.given);
        if !self.alone || verdict == Verdict::No {
            return verdict;
        }
        verdict.min(Verdict::from(effects.road_holds(self.who, road, on, self.given)))
    }

    /// What is worse than touching data: access, and control of functions, identities, keys, users and groups.
    fn power(&mut self, road: &Road, powers: Powers) {
        if !powers.any() {
            return;
        }
        if powers.has(Powers::ACCESS) {
            self.access(road);
        }
        let kinds = [
            (Powers::FUNCTIONS, FUNCTION),
            (Powers::IDENTITIES, IDENTITY),
            (Powers::KEYS, KEY),
            (Powers::USERS, USER),
            (Powers::USERS, GROUP),
        ];
        for (power, service) in kinds {
            let by_access = powers.has(Powers::ACCESS);
            if (powers.has(power) || by_access) && self.matters(Impact::ControlsAccess, false) {
                self.kind(road, service, powers.has(power), by_access);
            }
        }
    }

    /// Changing access at a scope.
    fn access(&mut self, road: &Road) {
        let effects = self.effects;
        let resources = self.resources(road);
        let mut scopes: Vec<ScopeId> = match (effects.only(resources), road.at) {
            (Some(Thing::Scope(scope)), _) => vec![scope],
            (Some(_), _) => Vec::new(),
            _ if matches!(road.via, Via::Admission { .. }) => Vec::new(),
            (None, _) => effects.scopes_at(self.who, road),
        };
        scopes.retain(|scope| {
            let here = effects.estate().lies_at(Thing::Scope(*scope), road.at);
            here && effects.takes(resources, Thing::Scope(*scope))
        });
        for scope in scopes {
            let thing = Thing::Scope(scope);
            for act in &self.acts(road, ACCESS_SERVICE, On::There(thing)).all {
                if act.class == Some(ActionClass::Access) && self.matters(Impact::ControlsAccess, false) {
                    let verdict = self.ask(road, act, On::There(thing));
                    let all = self.has_all(road);
                    self.found(Impact::ControlsAccess, verdict, false, || {
                        Doing::access(act, &effects.estate().label(thing), all, verdict, thing)
                    });
                }
            }
        }
        // An estate without scopes is one account that nobody named.
        let unnamed = road.at == At::Everywhere && effects.takes_everything(resources);
        if unnamed && effects.scopes_are_unknown(self.who) {
            let account = effects.fresh_thing("account", None);
            for act in &self.acts(road, ACCESS_SERVICE, On::New(&account)).all {
                if act.class == Some(ActionClass::Access) {
                    let verdict = self.ask(road, act, On::New(&account));
                    let all = self.has_all(road);
                    self.found(Impact::ControlsAccess, verdict, false, || {
                        Doing::access_everywhere(act, all, verdict)
                    });
                }
            }
        }
    }

    /// Whether a road has every action, so that none needs to be named.
    fn has_all(&self, road: &Road) -> bool {
        self.effects.every().may_be_picked_by(self.actions(road))
    }

    /// Control of things with entries of their own: of all of a place, or of single ones.
    fn kind(&mut self, road: &Road, service: ServiceId, own: bool, by_access: bool) {
        let effects = self.effects;
        let resources = self.resources(road);
        if let Some(only) = effects.only(resources) {
            if effects.service_of(only) == service && effects.lies_at_place(only, road.at) {
                self.single(road, service, only, own, by_access);
            }
            return;
        }
        if let (Via::Admission { .. }, At::Thing(thing)) = (road.via, road.at) {
            if effects.service_of(thing) == service && effects.takes(resources, thing) {
                self.single(road, service, thing, own, by_access);
            }
            return;
        }
        if effects.is_wide(resources) {
            self.all_of(road, service, own);
            if !self.matters(Impact::ControlsAccess, false) && self.wanted.is_none() {
                return;
            }
            // Whom one may become is no doing: of single ones only admin keys are as bad as access itself.
            if self.wanted == Some(Impact::ControlsAccess) && service != KEY {
                return;
            }
            for lot in effects.people_reached(self.who, road, service) {
                for &thing in lot.iter() {
                    self.single(road, service, thing, own, by_access);
                }
            }
        }
    }

    /// Control of all functions, or of all identities, of a place: of those that are there and any that is made.
    fn all_of(&mut self, road: &Road, service: ServiceId, own: bool) {
        if ![FUNCTION, IDENTITY].contains(&service) || !own {
            return;
        }
        let effects = self.effects;
        if !effects.takes_fresh(self.resources(road), service) {
            return;
        }
        let kind = effects.service_name(service);
        for opening in effects.openings(self.who, road) {
            let place = opening.map_or(At::Everywhere, At::Thing);
            let new = effects.fresh_thing(&kind, opening);
            let acts = self.acts(road, service, On::New(&new));
            for act in acts.all.iter().filter(|act| controls_all(service, act.class)) {
                let verdict = self.ask(road, act, On::New(&new));
                if verdict == Verdict::No {
                    continue;
                }
                let there = effects.things_of(service, place);
                let held = self.over_all(road, act, (verdict, place), &there);
                if let Some(verdict) = held {
                    let inferred = there.is_empty() && act.class != Some(ActionClass::Code);
                    self.found(Impact::ControlsAccess, verdict, inferred, || {
                        Doing::all(act, &kind, place_label(effects, place), verdict, new.clone())
                    });
                    continue;
                }
                // Not of all of it, but perhaps of all of a part.
                for &part in effects.parts_of(place).iter() {
                    let new = effects.fresh_thing(&kind, Some(Thing::Scope(part)));
                    let place = At::Thing(Thing::Scope(part));
                    let verdict = self.ask(road, act, On::New(&new));
                    let there = effects.things_of(service, place);
                    if verdict != Verdict::No
                        && !there.is_empty()
                        && let Some(verdict) = self.over_all(road, act, (verdict, place), &there)
                    {
                        self.found(Impact::ControlsAccess, verdict, false, || {
                            Doing::all(act, &kind, place_label(effects, place), verdict, new)
                        });
                        break;
                    }
                }
            }
        }
    }

    /// The least verdict on what is made at a place and on all things there; none where it is no on one of them.
    fn over_all(
        &self,
        road: &Road,
        act: &Act,
        (verdict, place): (Verdict, At),
        there: &[Thing],
    ) -> Option<Verdict> {
        // What is of several accounts may ask for another side, where what is made there does not.
        let plain = self.effects.is_plain(road)
            && self.effects.is_of_one_account(place)
            && self.effects.has_no_exceptions(self.resources(road))
            && self.effects.opposes(self.it.opposition.as_deref(), &act.action) == Opposes::Never
            && !self.effects.denied().people;
        if plain {
            return Some(verdict);
        }
        let mut least = verdict;
        for &thing in there {
            // What this road leaves aside may be given by another.
            let taken = self.effects.takes(self.resources(road), thing);
            let verdict = match taken {
                true => self.ask(road, act, On::There(thing)),
                false if self.alone => Verdict::No,
                false => self.effects.verdict_on(self.who, &act.action, On::There(thing), self.given),
            };
            match verdict {
                Verdict::No => return None,
                other => least = least.min(other),
            }
        }
        Some(least)
    }

    /// Control of one function, identity, key, user or group, which is as bad as what that one may do; or changing it.
    fn single(&mut self, road: &Road, service: ServiceId, thing: Thing, own: bool, by_access: bool) {
        let effects = self.effects;
        let of = |wanted: bool, service| wanted.then(|| self.acts(road, service, On::There(thing)));
        let (own, on_access) = (of(own, service), of(by_access, ACCESS_SERVICE));
        let changes_access = |act: &&Act| act.class == Some(ActionClass::Access);
        let on_access = on_access.iter().flat_map(|acts| acts.all.iter().filter(changes_access));
        for act in own.iter().flat_map(|acts| acts.all.iter()).chain(on_access) {
            let control = controls_one(service, act.class) || act.class == Some(ActionClass::Access);
            let harmless =
                matches!(act.class, Some(ActionClass::Read | ActionClass::List | ActionClass::Invoke));
            if !control && (harmless || !self.matters(Impact::DataOrSecrets, false)) {
                continue;
            }
            // Where doings are wanted, whom one may become by it is known already.
            if control && self.wanted.is_some() && !self.is_admin_key(thing) {
                continue;
            }
            let verdict = self.ask(road, act, On::There(thing));
            if verdict == Verdict::No {
                continue;
            }
            let surely = verdict == Verdict::Yes;
            if control {
                self.control(act, thing, surely, verdict);
            } else {
                self.found(Impact::DataOrSecrets, verdict, false, || {
                    Doing::change(act, effects.estate().label(thing), verdict, thing)
                });
            }
        }
    }

    fn is_admin_key(&self, thing: Thing) -> bool {
        let key = if let Thing::Key(id) = thing { self.effects.estate().get(id) } else { None };
        key.is_some_and(|it| it.reach == KeyReach::Admin)
    }

    fn control(&mut self, act: &Act, thing: Thing, surely: bool, verdict: Verdict) {
        let effects = self.effects;
        match thing {
            Thing::Function(id) => self.edges.extend(effects.edge_to_function(id, surely)),
            Thing::Key(id) => {
                let Opened { direct, is_given_more } = effects.of_key(id);
                if direct.harm.impact == Impact::ControlsAccess {
                    // Taking it may be sure and using it not.
                    let accepted = effects.accepted(id);
                    self.found(Impact::ControlsAccess, verdict.min(accepted), false, || {
                        Doing::key(act, effects.estate().label(thing), accepted, verdict, thing)
                    });
                }
                self.edges
                    .extend(direct.edges.iter().map(|edge| Edge { surely: edge.surely && surely, ..*edge }));
                // What the key itself is given, whoever has it may do.
                if *is_given_more {
                    self.edges.push(Edge { to: Principal::Key(id), surely, control: true });
                }
            }
            other => self.edges.extend(other.somebody().map(|to| Edge { to, surely, control: true })),
        }
    }

    /// Data that a road reaches, the most sensitive first.
    fn data(&mut self, road: &Road, powers: Powers) {
        let effects = self.effects;
        let by_access = powers.has(Powers::ACCESS);
        let matters = |impact| self.matters(impact, false);
        if !by_access && !matters(Impact::ConfidentialData) && !matters(Impact::DataOrSecrets) {
            return;
        }
        if let (Via::Admission { .. }, At::Thing(thing)) = (road.via, road.at) {
            if let Thing::Resource(id) = thing {
                self.resource(road, id, by_access);
            }
            return;
        }
        let resources = self.resources(road);
        let reachable = effects.reachable(self.who, road.name(), resources, road.at);
        let counts = |taken: &Taken| by_access || self.may_touch(road, taken);
        let counts = match &reachable {
            Reachable::One(_) => [true; 4],
            Reachable::Some([own, foreign]) => {
                let (own, foreign) = (counts(own), counts(foreign));
                [own, foreign, own, foreign]
            }
        };
        for (part, _) in
            reachable.parts_by_sensitivity().into_iter().zip(counts).filter(|(_, counts)| *counts)
        {
            self.data_of(road, part, by_access);
        }
    }

    /// Whether a road has actions on any of some kinds of resources that come to something there.
    fn may_touch(&self, road: &Road, taken: &Taken) -> bool {
        let Some((dialect, mut each)) = taken.one_of_each() else { return true };
        each.any(|id| self.touches(road, self.effects.service_of(Thing::Resource(id)), dialect))
    }

    fn touches(&self, road: &Road, service: ServiceId, dialect: Dialect) -> bool {
        let acts = self.effects.acts(self.actions(road), service, Others::default(), dialect);
        acts.all.iter().any(|act| on_data(act.class, None).is_some())
    }

    /// The same of resources that are as sensitive, in the order of their names.
    fn data_of(&mut self, road: &Road, part: &[ResourceId], by_access: bool) {
        let effects = self.effects;
        let mut last: Option<(ServiceId, Dialect, bool)> = None;
        let mut sure = 0;
        for &id in part {
            let Some(it) = effects.estate().get(id) else { continue };
            let confidential = it.sensitivity == Some(Sensitivity::Confidential);
            let impact = if confidential { Impact::ConfidentialData } else { Impact::DataOrSecrets };
            // More than are counted are not looked for: the first by name is among these.
            if !self.matters(impact, false) || sure > MOST_COUNTED {
                break;
            }
            // Nor what comes after the first by name, where enough was found by other roads.
            let comes_after = |first: &str| effects.estate().id(id) > first;
            if self.sure_data.len() > MOST_COUNTED && self.first_data.is_some_and(comes_after) {
                break;
            }
            // Resources of one kind mostly come together, and a road without actions on one has none on all.
            let thing = Thing::Resource(id);
            let key = (effects.service_of(thing), effects.dialect(thing));
            let touches = match last {
                Some((service, dialect, touches)) if (service, dialect) == key => touches,
                _ => by_access || self.touches(road, key.0, key.1),
            };
            last = Some((key.0, key.1, touches));
            if touches && self.resource(road, id, by_access) {
                sure += usize::from(self.wanted == Some(impact));
            }
        }
    }

    /// Whether something of it is as surely allowed as what the road gives can be.
    fn resource(&mut self, road: &Road, id: ResourceId, by_access: bool) -> bool {
        let effects = self.effects;
        let thing = Thing::Resource(id);
        let sensitivity = effects.estate().get(id).and_then(|it| it.sensitivity);
        let services = [Some(effects.service_of(thing)), by_access.then_some(ACCESS_SERVICE)];
        let mut best = Verdict::No;
        for service in services.into_iter().flatten() {
            let acts = self.acts(road, service, On::There(thing));
            for act in &acts.all {
                let wanted = service != ACCESS_SERVICE || act.class == Some(ActionClass::Access);
                let Some(impact) = on_data(act.class, sensitivity).filter(|_| wanted) else { continue };
                if !self.matters(impact, false) {
                    continue;
                }
                let verdict = self.ask(road, act, On::There(thing));
                let (name, confidential) = (effects.estate().id(id), impact == Impact::ConfidentialData);
                self.found(impact, verdict, false, || Doing::data(act, name, confidential, verdict, thing));
                if verdict == Verdict::Yes {
                    if self.wanted == Some(impact) {
                        self.sure_data.insert(id);
                        self.first_data = Some(self.first_data.map_or(name, |first| first.min(name)));
                    }
                    return true;
                }
                best = best.max(verdict);
            }
        }
        best >= self.at_best
    }

    /// Where a road names a kind of which nothing was gathered at its place, it is judged as if there were some.
    fn as_if_there_were_some(&mut self, road: &Road) {
        let effects = self.effects;
        if !self.matters(Impact::DataOrSecrets, true)
            || matches!(road.via, Via::Admission { .. })
            || effects.has_seen_all_kinds(road)
        {
            return;
        }
        for (kind, name) in effects.kinds_named(road) {
            let service = effects.service(&kind);
            if effects.services_at(road.at).contains(&service) || service == ACCESS_SERVICE {
                continue;
            }
            for opening in effects.openings(self.who, road) {
                let new = match &name {
                    Some(name) => New { label: name.clone(), within: opening },
                    None => effects.fresh_thing(&kind, opening),
                };
                for act in &self.acts(road, service, On::New(&new)).all {
                    if on_data(act.class, None).is_none() || !effects.takes_new(self.resources(road), &new) {
                        continue;
                    }
                    let verdict = self.ask(road, act, On::New(&new));
                    self.found(Impact::DataOrSecrets, verdict, true, || {
                        Doing::unseen(
                            act,
                            &kind,
                            opening.map(|it| effects.estate().label(it)),
                            verdict,
                            new.clone(),
                        )
                    });
                }
            }
        }
    }
}

/// Whether an action of a class is control of all functions or identities, done to all of them.
fn controls_all(service: ServiceId, class: Option<ActionClass>) -> bool {
    match class {
        Some(ActionClass::Code) => service == FUNCTION,
        Some(ActionClass::Identity) => service == IDENTITY,
        _ => false,
    }
}

/// Whether an action of a class is control of the one function, identity or key that it is done to.
fn controls_one(service: ServiceId, class: Option<ActionClass>) -> bool {
    match class {
        Some(ActionClass::Code) => service == FUNCTION,
        Some(ActionClass::Identity) => [IDENTITY, KEY, USER, GROUP].contains(&service),
        Some(ActionClass::Secret) => service == IDENTITY || service == KEY,
        Some(ActionClass::Read) => service == KEY,
        Some(ActionClass::Access) => true,
        _ => false,
    }
}

fn place_label(effects: &Effects<'_>, place: At) -> Option<String> {
    place.thing().map(|thing| effects.estate().label(thing))
}
