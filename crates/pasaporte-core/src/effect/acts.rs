//! Actions that stand for all: of a kind of thing, one action of each sort that statements tell apart.
//!
//! An action is a service, a slash and an operation, which has no slash. Two actions are of one sort where the same patterns match them and the catalogue gives them the same class; then
//! whatever the decision says of one it says of the other. So a question about all actions of a kind is a question
//! about a handful of them. Actions that a pattern or a line of the catalogue names in full are sorts of their own.

use std::sync::Arc;

use indexmap::IndexSet;
use rustc_hash::{FxBuildHasher, FxHashMap, FxHashSet};

use super::{Effects, Road, ServiceId};
use crate::access::{Action, Dialect, Holders, Line, On, Verdict};
use crate::estate::{ActionClass, ActionsId, Id, PatternId, Principal, Thing};
use crate::pattern::{Pattern, Sorts};

/// The service of actions that are done to anything: those on access.
pub const ACCESS: &str = "access";

/// An action that stands for all of its sort.
#[derive(Debug, Clone)]
pub struct Act {
    /// The action.
    pub action: Arc<Action>,
    /// Its class; none where no line of the catalogue knows it.
    pub class: Option<ActionClass>,
    /// Whether nobody named it: it stands for what a wildcard takes.
    pub is_wild: bool,
    /// Whether no statement names it and no line of the estate's own catalogue: it is a word that every estate shares.
    pub is_common: bool,
    /// The place of the line of the catalogue that gives its class: what is most usual comes first.
    line: usize,
}

impl Act {
    /// An action that a statement names.
    pub(crate) fn said(action: Arc<Action>, class: Option<ActionClass>) -> Self {
        Self { action, class, is_wild: false, is_common: false, line: 0 }
    }

    /// How bad its class is to have, the worst first.
    pub fn rank(&self) -> u8 {
        self.class.map_or(UNKNOWN_RANK, ActionClass::rank)
    }

    /// The worst to have first; of those that are as bad what has a name, then what is most usual, then by name.
    pub(crate) fn order(&self) -> (u8, bool, usize, &str) {
        (self.rank(), self.is_wild, self.line, self.action.text())
    }
}

/// The place among classes of an action of none: behind those that change something, before those that read.
const UNKNOWN_RANK: u8 = 7;

/// The sorts of actions that a choice takes of a service, the worst to have first, then by name.
#[derive(Debug, Default)]
pub struct Acts {
    /// One action of each.
    pub all: Box<[Act]>,
    /// Whether there is surely no other.
    pub complete: bool,
}

/// What choices of actions besides the statement's own tell actions apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub(crate) struct Others(pub(super) u32);

/// The patterns of other choices that may match an action of a service: what they tell apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub(super) struct Apart(u32);

/// What other choices tell apart, by the patterns of theirs.
#[derive(Debug)]
pub(super) struct ToldApart {
    by_others: FxHashMap<(Others, ServiceId, bool), Apart>,
    /// The first is of those that have none.
    patterns: IndexSet<Arc<[PatternId]>, FxBuildHasher>,
}

impl Default for ToldApart {
    fn default() -> Self {
        Self { by_others: FxHashMap::default(), patterns: IndexSet::from_iter([Arc::default()]) }
    }
}

/// Of what service, told apart by what else, read in which way.
pub(super) type Wanted = (ServiceId, Apart, Dialect);

/// What was found so far of one choice.
pub(super) type Known = FxHashMap<Wanted, Arc<Acts>>;

impl Effects<'_> {
    /// The sorts of actions of a service that a choice takes.
    pub(crate) fn acts(
        &self,
        actions: ActionsId,
        service: ServiceId,
        others: Others,
        dialect: Dialect,
    ) -> Arc<Acts> {
        let wanted = (service, self.apart(others, service, dialect.any_case), dialect);
        let slot = &self.acts[actions.index()];
        let known = || slot.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&wanted) {
            return Arc::clone(found);
        }
        let found = Arc::new(self.find_acts(actions, wanted));
        known().insert(wanted, Arc::clone(&found));
        found
    }

    /// What other choices tell apart of a service's actions; kept.
    fn apart(&self, others: Others, service: ServiceId, any_case: bool) -> Apart {
        if others == Others::default() {
            return Apart::default();
        }
        let known = || self.told_apart.lock().expect("nobody panics while holding it");
        let key = (others, service, any_case);
        if let Some(found) = known().by_others.get(&key) {
            return *found;
        }
        let estate = self.estate();
        let start = [&*self.service_name(service), "/"].concat();
        let choices = self.others(others);
        let patterns = choices.iter().map(|id| estate.actions_picked(*id));
        let mut patterns: Vec<PatternId> = patterns
            .flat_map(|choice| choice.any().iter().chain(choice.except()))
            .copied()
            .filter(|id| may_begin(estate.pattern(*id), &start, any_case))
            .collect();
        patterns.sort_unstable();
        patterns.dedup();
        let mut known = known();
        let apart = Apart(known.patterns.insert_full(patterns.into()).0 as u32);
        known.by_others.insert(key, apart);
        apart
    }

    fn find_acts(&self, actions: ActionsId, (service, apart, dialect): Wanted) -> Acts {
        let (estate, any_case) = (self.estate(), dialect.any_case);
        let name = self.service_name(service);
        let start = [&*name, "/"].concat();
        let own = estate.actions_picked(actions);
        let begin_so = |ids: &[PatternId]| self.that_begin(ids, &start, any_case);
        let (named, any) = begin_so(own.any());
        if named.is_empty() && any.is_empty() {
            return Acts { all: Box::default(), complete: true };
        }
        let others = {
            let known = self.told_apart.lock().expect("nobody panics while holding it");
            Arc::clone(&known.patterns[apart.0 as usize])
        };
        let ((named_not, except), (named_apart, apart)) = (begin_so(own.except()), begin_so(&others));
        let named = named.into_iter().chain(named_not).chain(named_apart);
        let lines = self.catalogue().of_service(&name, dialect);
        let (listed, wild): (Vec<(usize, &Line)>, _) =
            lines.partition(|(_, line)| line.operation.as_literal().is_some());
        let first: Vec<&Pattern> = wild.iter().map(|(_, line)| &line.operation).collect();
        let said: FxHashSet<String> = named.filter_map(Pattern::as_literal).map(str::to_owned).collect();
        let mut strings = said.clone();
        let listed = listed.into_iter().filter_map(|(_, line)| line.operation.as_literal());
        strings.extend(listed.map(|operation| format!("{start}{operation}")));
        let is_taken = |text: &str| is_action(text) && self.selects(own, text, any_case);
        let mut acts: Vec<Act> = Vec::new();
        let mut add = |text: &str, line: Option<(usize, ActionClass)>, is_wild: bool| {
            let class = line.map(|(_, class)| class);
            let line = line.map_or(usize::MAX, |(at, _)| at);
            let is_common = !is_wild && !said.contains(text) && self.catalogue().is_common(line);
            acts.push(Act { action: self.action(text), class, is_wild, is_common, line });
        };
        let sorts = Sorts {
            start: &start,
            any: &any,
            except: &except,
            apart: &apart,
            first: &first,
            taken: &strings,
            any_case,
        };
        let found = sorts.samples();
        for (text, first) in &found.strings {
            let line = first.map(|at| (wild[at].0, wild[at].1.class));
            add(text, line, true);
        }
        for text in strings.iter().filter(|text| is_taken(text)) {
            add(text, self.catalogue().line(text, dialect), false);
        }
        acts.sort_by(|one, other| one.order().cmp(&other.order()));
        if !found.complete {
            self.unbounded.lock().expect("nobody panics while holding it").insert(name);
        }
        Acts { all: acts.into(), complete: found.complete }
    }

    /// Those that name an action of a service in full, and those that leave something open, of the patterns that may
    /// match one.
    fn that_begin(&self, ids: &[PatternId], start: &str, any_case: bool) -> (Vec<&Pattern>, Vec<&Pattern>) {
        let all = ids.iter().map(|id| self.estate().pattern(*id));
        all.filter(|it| may_begin(it, start, any_case)).partition(|it| it.as_literal().is_some())
    }

    /// Whether a choice has any action of a service; kept.
    pub fn has_any(&self, actions: ActionsId, service: ServiceId) -> bool {
        let known = || self.has_any[actions.index()].lock().expect("nobody panics while holding it");
        if let Some(known) = known().get(&service) {
            return *known;
        }
        let found = self.find_any(actions, service);
        known().insert(service, found);
        found
    }

    fn find_any(&self, actions: ActionsId, service: ServiceId) -> bool {
        let start = [&*self.service_name(service), "/"].concat();
        let own = self.estate().actions_picked(actions);
        self.dialects().map(|it| it.any_case).any(|any_case| {
            let (named, any) = self.that_begin(own.any(), &start, any_case);
            let mut named = named.into_iter().filter_map(Pattern::as_literal);
            let (not, except) = self.that_begin(own.except(), &start, any_case);
            let taken = not.into_iter().filter_map(Pattern::as_literal).map(str::to_owned).collect();
            let (start, any, except, taken) = (start.as_str(), &any[..], &except[..], &taken);
            let one = Sorts { start, any, except, apart: &[], first: &[], taken, any_case };
            named.any(|text| is_action(text) && self.selects(own, text, any_case))
                || !one.samples().strings.is_empty()
        })
    }

    /// Whether a choice has an action of class write of a service.
    pub(crate) fn writes(&self, actions: ActionsId, service: ServiceId) -> bool {
        self.dialects().any(|dialect| {
            let acts = self.acts(actions, service, Others::default(), dialect);
            acts.all.iter().any(|act| act.class == Some(ActionClass::Write))
        })
    }

    /// The statements that allow writing to things of a service, turned around; kept.
    pub(crate) fn writers(&self, service: ServiceId) -> Arc<Holders> {
        let known = || self.writers.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&service) {
            return Arc::clone(found);
        }
        let found = Arc::new(self.holders_of(|actions| self.writes(actions, service)));
        known().insert(service, Arc::clone(&found));
        found
    }

    /// The sorts of actions of wanted classes that somebody's roads have on a thing, each once, the worst first.
    pub fn acts_on(
        &self,
        who: Principal,
        on: Thing,
        wanted: impl Fn(Option<ActionClass>) -> bool,
    ) -> Vec<Act> {
        let service = self.service_of(on);
        let roads = self.roads_of_service_to(who, on, service);
        let mut all = self.acts_of_service_by(&roads, who, (on, service), wanted);
        all.sort_by(|one, other| one.order().cmp(&other.order()));
        all
    }

    /// The sorts of actions that roads of somebody which take a thing in have on it, as far as they are wanted and allowed, each
    /// once with its verdict, the worst first.
    pub fn acts_allowed(
        &self,
        roads: &[Road],
        who: Principal,
        on: Thing,
        wanted: impl Fn(&Act) -> bool,
    ) -> Vec<(Act, Verdict)> {
        let it = self.somebody(who);
        let (service, dialect) = (self.service_of(on), self.dialect(on));
        let others = self.others_on(it.opposition.as_deref(), Some(on));
        let mut all: Vec<(Act, Verdict)> = Vec::new();
        let mut seen: FxHashSet<ActionsId> = FxHashSet::default();
        for road in roads {
            let actions = self.estate().statement(road.statement).actions;
            if !seen.insert(actions) {
                continue;
            }
            for act in self.acts(actions, service, others, dialect).all.iter().filter(|act| wanted(act)) {
                if all.iter().any(|(known, _)| known.action.text() == act.action.text()) {
                    continue;
                }
                let foregone = self.foregone(&it, road, &act.action, On::There(on));
                let verdict = foregone.unwrap_or_else(|| self.may_do(who, &act.action, on));
                all.push((act.clone(), verdict));
            }
        }
        all.retain(|(_, verdict)| *verdict != Verdict::No);
        all.sort_by(|(one, _), (other, _)| one.order().cmp(&other.order()));
        all
    }

    /// The sorts of actions on access that somebody's roads have on a thing, each once.
    pub(crate) fn access_acts_on(&self, who: Principal, on: Thing) -> Vec<Act> {
        let service = super::ACCESS_SERVICE;
        self.acts_of_service_by(&self.roads_of_service_to(who, on, service), who, (on, service), |_| true)
    }

    fn acts_of_service_by(
        &self,
        roads: &[Road],
        who: Principal,
        (on, service): (Thing, ServiceId),
        wanted: impl Fn(Option<ActionClass>) -> bool,
    ) -> Vec<Act> {
        let opposition = self.opposition(who);
        let others = self.others_on(opposition.as_deref(), Some(on));
        let dialect = self.dialect(on);
        let mut all: Vec<Act> = Vec::new();
        for road in roads {
            let actions = self.estate().statement(road.statement).actions;
            let acts = self.acts(actions, service, others, dialect);
            for act in acts.all.iter().filter(|act| wanted(act.class)) {
                if all.iter().all(|known| known.action.text() != act.action.text()) {
                    all.push(act.clone());
                }
            }
        }
        all
    }

    /// Services of which there were more sorts of actions than could be told apart within the bound on work.
    pub fn unbounded(&self) -> Vec<Box<str>> {
        let all = self.unbounded.lock().expect("nobody panics while holding it");
        let mut all: Vec<Box<str>> = all.iter().map(|name| Box::from(&**name)).collect();
        all.sort_unstable();
        all
    }
}

/// Whether a text is an action: a service, a slash, and an operation, which has none.
pub(crate) fn is_action(text: &str) -> bool {
    text.split_once('/').is_some_and(|(_, operation)| !operation.is_empty() && !operation.contains('/'))
}

/// Whether a pattern may match something that begins like that.
pub(crate) fn may_begin(pattern: &Pattern, start: &str, any_case: bool) -> bool {
    let letters = pattern.literal_start();
    let agree = if any_case {
        let same = |one: char, other: char| one == other || one.to_lowercase().eq(other.to_lowercase());
        letters.chars().zip(start.chars()).all(|(one, other)| same(one, other))
    } else {
        letters.starts_with(start) || start.starts_with(&*letters)
    };
    agree && (pattern.as_literal().is_none() || letters.chars().count() > start.chars().count())
}
