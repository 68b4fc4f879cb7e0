//! How broad what a statement gives is in effect: every action, every action of a service, every thing of a kind.
//!
//! A claim of breadth is a question about an action or a thing that nobody named: if the decision allows that, nothing
//! confines the statement to what it should be. What is taken out of it all the same is told with it.

use std::sync::Arc;

use rustc_hash::FxHashMap;

use super::acts::{Others, may_begin};
use super::{Act, Effects, FUNCTION, Road, ServiceId};
use crate::access::{Action, Answer, New, On, Verdict};
use crate::estate::{
    AccountOf, ActionClass, ActionsId, At, GroupId, Id, Name, PatternId, Principal, ScopeId, Thing,
};
use crate::pattern::{Pattern, covers};

/// Somebody who holds what a grant gives, for all who are like them.
#[derive(Debug, Clone, Copy)]
pub struct Bearer {
    /// One of them.
    pub who: Principal,
    /// How many there are.
    pub count: usize,
}

/// Those who bear groups and are of accounts, as far as anybody asked.
pub(super) type BearersOf = FxHashMap<(GroupId, ScopeId), Arc<[Bearer]>>;

/// Something that a statement takes, of what it takes.
#[derive(Debug, Clone)]
pub enum Wide {
    /// Something of the estate.
    There(Thing),
    /// Something that may yet be made.
    New(New),
}

impl Wide {
    pub(super) fn on(&self) -> On<'_> {
        match self {
            Self::There(thing) => On::There(*thing),
            Self::New(new) => On::New(new),
        }
    }
}

/// How broad something is.
#[derive(Debug, Clone)]
pub struct Breadth {
    /// Surely, or depending on conditions.
    pub verdict: Verdict,
    /// How many hold it so, of how many.
    pub holders: (usize, usize),
    /// One who does.
    pub holder: Principal,
    /// Where it was found so.
    pub on: Wide,
}

impl Breadth {
    /// Where things are made of which it is so.
    pub fn within(&self) -> Option<Thing> {
        match &self.on {
            Wide::New(new) => new.within,
            Wide::There(_) => None,
        }
    }
}

/// What is looked for on every thing of a kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Sought {
    /// Whatever does more than look; of functions, more than to invoke them.
    Changing,
    /// Reading.
    Reading,
    /// Invoking.
    Invoking,
}

impl Sought {
    fn takes(self, service: ServiceId, act: &Act) -> bool {
        match (self, act.class) {
            (Self::Changing, Some(ActionClass::List | ActionClass::Read)) => false,
            (Self::Changing, Some(ActionClass::Invoke)) => service != FUNCTION,
            (Self::Changing, _) => true,
            (Self::Reading, class) => class == Some(ActionClass::Read),
            (Self::Invoking, class) => class == Some(ActionClass::Invoke),
        }
    }
}

impl Effects<'_> {
    /// Who holds what is given to a name: of a group its members, those who are alike together; and the group itself where there
    /// may be members that were not seen.
    pub fn bearers(&self, name: Principal) -> Arc<[Bearer]> {
        let alone = || Arc::from([Bearer { who: name, count: 1 }]);
        let Principal::Group(group) = name else { return alone() };
        if self.estate().get(group).is_none() {
            return alone();
        }
        let known = || self.bearers.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&group) {
            return Arc::clone(found);
        }
        let found: Arc<[Bearer]> = self.alike_in(group).into();
        known().insert(group, Arc::clone(&found));
        found
    }

    /// Those of an account, and those of none that is known; kept.
    pub(crate) fn bearers_of(&self, name: Principal, account: ScopeId) -> Arc<[Bearer]> {
        let Principal::Group(group) = name else { return self.bearers(name) };
        let known = || self.bearers_of.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(group, account)) {
            return Arc::clone(found);
        }
        let is_near = |who: Principal| self.known_home(who).is_none_or(|home| home == account);
        let all = self.bearers(name);
        let found: Arc<[Bearer]> = all.iter().copied().filter(|bearer| is_near(bearer.who)).collect();
        known().insert((group, account), Arc::clone(&found));
        found
    }

    fn alike_in(&self, group: GroupId) -> Vec<Bearer> {
        // Account, what stands against them, tags, and who it is where nobody else is like them.
        type Kind<'t> = (Option<AccountOf>, Vec<u64>, &'t [(Name, Name)], Option<Principal>);
        let mut alike: FxHashMap<Kind<'_>, usize> = FxHashMap::default();
        let mut all: Vec<Bearer> = Vec::new();
        let mut members = self.everybody_in(group);
        members.sort_by_cached_key(|who| self.estate().principal_label(*who));
        for who in members {
            let (denies, ceilings) = self.opposing(who);
            let against = denies.iter().map(|id| id.index() as u64);
            let against = against.chain(ceilings.iter().map(|id| u64::MAX - id.index() as u64)).collect();
            let (tags, itself) = match who {
                Principal::Identity(id) => (self.estate().get(id).map(|it| it.tags), None),
                Principal::User(id) => (self.estate().get(id).map(|it| it.tags), None),
                _ => (None, Some(who)),
            };
            let tags = tags.map_or(&[][..], |tags| self.estate().list(tags));
            let at = *alike.entry((self.home(who), against, tags, itself)).or_insert(all.len());
            if at == all.len() {
                all.push(Bearer { who, count: 0 });
            }
            all[at].count += 1;
        }
        // Whoever may be in it besides is judged as one of whom nothing else is known.
        if self.may_have_others(group) {
            all.push(Bearer { who: Principal::Group(group), count: 1 });
        }
        all
    }

    /// What a road gives its holder of an action on something: the decision, as far as this road is what allows.
    pub fn gives(&self, who: Principal, road: &Road, action: &Action, on: On<'_>) -> Verdict {
        let given = self.given(who);
        let verdict = self.verdict_on(who, action, on, given);
        if verdict == Verdict::No {
            return verdict;
        }
        verdict.min(Verdict::from(self.road_holds(who, road, on, given)))
    }

    /// Whether a road gives every action on something that it takes; none where it does not.
    pub fn every_action(&self, road: &Road) -> Option<Breadth> {
        self.breadth(road, self.every(), None)
    }

    /// Whether a road gives every action of a service on something of that kind that it takes.
    pub fn every_action_of(&self, road: &Road, service: &str, every: &Action) -> Option<Breadth> {
        self.breadth(road, every, Some(service))
    }

    /// An action that nobody named, of a service that nobody named.
    pub(super) fn every(&self) -> &Action {
        self.every.get_or_init(|| self.action(&self.fresh_action(self.fresh_kind())))
    }

    /// Whether all that a choice does to functions is to invoke them.
    pub fn only_invokes(&self, actions: ActionsId) -> bool {
        let mut all = self.dialects().map(|it| self.acts(actions, super::FUNCTION, Others::default(), it));
        all.all(|acts| acts.all.iter().all(|act| act.class == Some(ActionClass::Invoke)))
    }

    /// The answer to a question about somebody's action on a thing.
    pub fn answer_about(&self, who: Principal, action: &str, on: Thing) -> Answer<'_> {
        let given = crate::access::Context::at(self.estate().as_of());
        self.answer_on(who, &self.action(action), On::There(on), &given)
    }

    fn breadth(&self, road: &Road, every: &Action, service: Option<&str>) -> Option<Breadth> {
        let statement = self.estate().statement(road.statement);
        if !every.may_be_picked_by(statement.actions) {
            return None;
        }
        let bearers = self.bearers(road.name());
        let mut best: Option<Breadth> = None;
        let (mut holding, mut all) = (0, 0);
        for bearer in bearers.iter() {
            all += bearer.count;
            let Some((on, verdict)) = self.widest(bearer.who, road, every, service) else { continue };
            holding += bearer.count;
            if best.as_ref().is_none_or(|known| verdict > known.verdict) {
                best = Some(Breadth { verdict, holders: (0, 0), holder: bearer.who, on });
            }
        }
        best.map(|best| Breadth { holders: (holding, all), ..best })
    }

    /// Something that a road takes, on which it gives an action: what may be made before what is there.
    fn widest(
        &self,
        who: Principal,
        road: &Road,
        action: &Action,
        service: Option<&str>,
    ) -> Option<(Wide, Verdict)> {
        let best_of = |all: Vec<Wide>| {
            let mut best: Option<(Wide, Verdict)> = None;
            for on in all {
                let verdict = self.gives(who, road, action, on.on());
                if verdict > best.as_ref().map_or(Verdict::No, |(_, known)| *known) {
                    best = Some((on, verdict));
                }
                if verdict == Verdict::Yes {
                    break;
                }
            }
            best
        };
        let best = best_of(self.wide_targets(who, road, service));
        best.or_else(|| {
            best_of(self.things_reached(who, road, service).into_iter().map(Wide::There).collect())
        })
    }

    /// What a road takes, each kind once: things that may be made, or the one that it names.
    fn wide_targets(&self, who: Principal, road: &Road, service: Option<&str>) -> Vec<Wide> {
        let estate = self.estate();
        let resources = estate.statement(road.statement).resources;
        let is_wanted = |label: &str| match service {
            None | Some(super::ACCESS) => true,
            Some(service) => label.split(':').next().is_some_and(|kind| kind == service),
        };
        if road.grant().is_none() {
            let At::Thing(thing) = road.at else { return Vec::new() };
            let wanted = is_wanted(&estate.label(thing)) && self.takes(resources, thing);
            return wanted.then_some(Wide::There(thing)).into_iter().collect();
        }
        if let Some(only) = self.only(resources)
            && estate.is_declared(only)
        {
            let here = self.lies_at_place(only, road.at) && is_wanted(&estate.label(only));
            return here.then_some(Wide::There(only)).into_iter().collect();
        }
        let mut labels: Vec<Box<str>> = Vec::new();
        if self.takes_everything(resources) {
            let kind = service.unwrap_or_else(|| self.fresh_kind());
            labels.push(self.fresh_thing(kind, None).label);
        } else {
            if let Some(service) = service {
                labels.push(self.fresh_thing(service, None).label);
            } else {
                labels.push(self.fresh_thing(self.fresh_kind(), None).label);
            }
            labels.extend(self.kinds_named(road).into_iter().filter_map(|(_, name)| name));
        }
        labels.retain(|label| is_wanted(label));
        let mut all: Vec<Wide> = Vec::new();
        for opening in self.openings(who, road) {
            for label in &labels {
                let new = New { label: label.clone(), within: opening };
                if self.takes_new(resources, &new) {
                    all.push(Wide::New(new));
                }
            }
        }
        // What lies in a thing is there or not; nothing is made in it.
        if let At::Thing(thing) = road.at
            && !matches!(thing, Thing::Scope(_))
        {
            let here = std::iter::once(thing).chain(self.within_thing(thing));
            all.extend(
                here.filter(|it| is_wanted(&estate.label(*it)) && self.takes(resources, *it))
                    .map(Wide::There),
            );
        }
        all
    }

    /// The keys of a function: what lies in a thing.
    fn within_thing(&self, thing: Thing) -> impl Iterator<Item = Thing> {
        self.keys_of(thing).map(Thing::Key)
    }

    /// The declared things of a service that a road takes and that its holder may get at; of the service of access,
    /// things of any kind.
    pub(crate) fn things_reached_by(&self, who: Principal, road: &Road, service: ServiceId) -> Vec<Thing> {
        let resources = self.estate().statement(road.statement).resources;
        if let (None, At::Thing(thing)) = (road.grant(), road.at) {
            let fits = service == super::ACCESS_SERVICE || self.service_of(thing) == service;
            return (fits && self.takes(resources, thing)).then_some(thing).into_iter().collect();
        }
        let name = self.service_name(service);
        if service != super::ACCESS_SERVICE {
            return self.things_reached(who, road, Some(&name));
        }
        let mut all = self.things_reached(who, road, None);
        let scopes = self.scopes_at(who, road).into_iter().map(Thing::Scope);
        all.extend(
            scopes.filter(|thing| self.lies_at_place(*thing, road.at) && self.takes(resources, *thing)),
        );
        all
    }

    /// The declared things that a road takes and that its holder may get at.
    fn things_reached(&self, who: Principal, road: &Road, service: Option<&str>) -> Vec<Thing> {
        let resources = self.estate().statement(road.statement).resources;
        let wanted = service.map(|name| self.service(name));
        let is_wanted = |id: ServiceId| wanted.is_none_or(|wanted| wanted == id);
        let mut all: Vec<Thing> = Vec::new();
        let reachable = self.reachable(who, road.name(), resources, road.at);
        let data = reachable.parts_by_sensitivity().into_iter().flatten().copied().map(Thing::Resource);
        all.extend(data.filter(|thing| is_wanted(self.service_of(*thing))));
        for service in super::people::PEOPLE {
            if is_wanted(service) {
                for lot in self.people_reached(who, road, service) {
                    all.extend(lot.iter().copied());
                }
            }
        }
        let takes = |thing: &Thing| self.lies_at_place(*thing, road.at) && self.takes(resources, *thing);
        match service {
            Some(kind) => all.extend(self.named_entries(kind).into_iter().filter(takes)),
            // Access to whatever kind the statement names; scopes are asked about apart.
            None => {
                for kind in self.kinds_of(resources).iter().flat_map(|kinds| kinds.iter()) {
                    let of_kind = self.named_entries(&self.service_name(*kind)).into_iter().filter(takes);
                    all.extend(of_kind.filter(|thing| !matches!(thing, Thing::Scope(_))));
                }
            }
        }
        all
    }

    /// What is taken out of every action, or every one of a service, that a road gives: exceptions, denies, and what
    /// ceilings leave out, as patterns or names, sorted.
    pub fn taken_out(&self, road: &Road, breadth: &Breadth, service: Option<&str>) -> Vec<String> {
        let (who, on) = (breadth.holder, &breadth.on);
        let estate = self.estate();
        let statement = estate.statement(road.statement);
        let mut patterns: Vec<PatternId> = estate.actions_picked(statement.actions).except().to_vec();
        let opposition = self.opposition(who);
        let thing = match on {
            Wide::There(thing) => Some(*thing),
            Wide::New(_) => None,
        };
        let others = self.others_on(opposition.as_deref(), thing);
        for id in self.others(others).iter() {
            let choice = estate.actions_picked(*id);
            patterns.extend(choice.any().iter().chain(choice.except()));
        }
        patterns.sort_unstable();
        patterns.dedup();
        let start = service.map(|service| format!("{service}/"));
        let (mut all, mut out): (Vec<String>, Vec<&Pattern>) = (Vec::new(), Vec::new());
        for id in patterns {
            let pattern = estate.pattern(id);
            if start.as_ref().is_some_and(|start| !may_begin(pattern, start, false)) {
                continue;
            }
            let Some(sample) = self.sample_of(pattern, service) else { continue };
            if self.gives(who, road, &self.action(&sample), on.on()) == Verdict::No {
                all.push(pattern.text().to_owned());
                out.push(pattern);
            }
        }
        all.sort_unstable();
        all.dedup();
        // What a statement or a ceiling does not take has no pattern of its own.
        if self.leaves_out(statement.actions, service) {
            all.push("what its patterns leave out".to_owned());
        }
        // Where nothing tells actions apart, none that the statement takes is left out.
        if others == Others::default() {
            return all;
        }
        let service = self.service(service.unwrap_or(self.fresh_kind()));
        let any_case = self.any_case_on(on.on());
        let is_told = |action: &str| out.iter().any(|pattern| pattern.takes(action, any_case));
        let acts = self.acts(statement.actions, service, others, self.dialect_on(on.on()));
        let mut left = acts.all.iter().filter(|act| !is_told(act.action.text()));
        if left.any(|act| self.gives(who, road, &act.action, on.on()) == Verdict::No) {
            all.push("what ceilings leave out".to_owned());
        }
        all
    }

    /// Whether the patterns of a choice leave out any of all actions, or of those of a service.
    fn leaves_out(&self, actions: ActionsId, service: Option<&str>) -> bool {
        let key = (actions, service.map(|service| self.service(service)));
        let kept = || self.leaves_out.lock().expect("nobody panics while holding it");
        if let Some(known) = kept().get(&key) {
            return *known;
        }
        let estate = self.estate();
        let whole = Pattern::parse(&service.map_or("?*/?*".to_owned(), |service| format!("{service}/?*")));
        let own: Vec<&Pattern> =
            estate.actions_picked(actions).any().iter().map(|id| estate.pattern(*id)).collect();
        let leaves_out = whole.is_ok_and(|whole| covers(&own, &whole, false) != Some(true));
        kept().insert(key, leaves_out);
        leaves_out
    }

    /// An action that a pattern takes, of a service where one is asked for.
    fn sample_of(&self, pattern: &Pattern, service: Option<&str>) -> Option<String> {
        if let Some(text) = pattern.as_literal() {
            return Some(text.to_owned());
        }
        let filled = pattern.text().replace(['*', '?'], "\u{2423}");
        let filled = match (filled.split_once('/'), service) {
            (Some((_, operation)), Some(service)) => format!("{service}/{operation}"),
            (Some(_), None) => filled,
            (None, service) => format!("{}/{filled}", service.unwrap_or(self.fresh_kind())),
        };
        pattern.matches(&filled).then_some(filled)
    }

    /// Whether a road gives an action that is wanted on every thing of a kind at a place, those that may be made too.
    pub fn every_thing(&self, road: &Road, service: ServiceId, sought: Sought) -> Option<(Breadth, Act)> {
        let kind = self.service_name(service);
        if !self.takes_fresh(self.estate().statement(road.statement).resources, service) {
            return None;
        }
        let bearers = self.bearers(road.name());
        let mut best: Option<(Breadth, Act)> = None;
        let (mut holding, mut all) = (0, 0);
        for bearer in bearers.iter() {
            all += bearer.count;
            let Some((new, act, verdict)) = self.any_new(bearer.who, road, (service, &kind), sought) else {
                continue;
            };
            holding += bearer.count;
            if best.as_ref().is_none_or(|(known, _)| verdict > known.verdict) {
                let on = Wide::New(new);
                best = Some((Breadth { verdict, holders: (0, 0), holder: bearer.who, on }, act));
            }
        }
        best.map(|(best, act)| (Breadth { holders: (holding, all), ..best }, act))
    }

    fn any_new(
        &self,
        who: Principal,
        road: &Road,
        (service, kind): (ServiceId, &str),
        sought: Sought,
    ) -> Option<(New, Act, Verdict)> {
        let opposition = self.opposition(who);
        let others = opposition.as_deref().map_or(Others::default(), |it| self.others_on(Some(it), None));
        let actions = self.estate().statement(road.statement).actions;
        let mut best: Option<(New, Act, Verdict)> = None;
        for opening in self.openings(who, road) {
            let new = self.fresh_thing(kind, opening);
            let acts = self.acts(actions, service, others, self.dialect_on(On::New(&new)));
            for act in acts.all.iter().filter(|act| sought.takes(service, act)) {
                let verdict = self.gives(who, road, &act.action, On::New(&new));
                if verdict == Verdict::Yes {
                    return Some((new, act.clone(), verdict));
                }
                if verdict == Verdict::Depends && best.is_none() {
                    best = Some((new.clone(), act.clone(), verdict));
                }
            }
        }
        best
    }
}
