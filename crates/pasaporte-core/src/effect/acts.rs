//! Actions that stand for all: of a kind of thing, one action of each sort that statements tell apart.
//!
//! An action is a service, a slash and an operation, which has no slash. Two actions are of one sort where the same patterns match them and the catalogue gives them the same class; then
//! whatever the decision says of one it says of the other. So a question about all actions of a kind is a question
//! about a handful of them. Actions that a pattern or a line of the catalogue names in full are sorts of their own.

use std::sync::Arc;

use rustc_hash::{FxHashMap, FxHashSet};

use super::{Effects, ServiceId};
use crate::access::{Action, Holders};
use crate::estate::{ActionClass, ActionsId, PatternId, Principal, Thing};
use crate::pattern::{Pattern, samples};

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
    pub(super) fn order(&self) -> (u8, bool, usize, &str) {
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

/// Of what service, told apart by what else, where case counts or not.
pub(super) type Wanted = (ServiceId, Others, bool);

/// What was found so far of one choice.
pub(super) type Known = FxHashMap<Wanted, Arc<Acts>>;

impl Effects<'_> {
    /// The sorts of actions of a service that a choice takes.
    pub(crate) fn acts(
        &self,
        actions: ActionsId,
        service: ServiceId,
        others: Others,
        any_case: bool,
    ) -> Arc<Acts> {
        use crate::estate::Id;
        let wanted = (service, others, any_case);
        let slot = &self.acts[actions.index()];
        let known = || slot.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&wanted) {
            return Arc::clone(found);
        }
        let found = Arc::new(self.find_acts(actions, wanted));
        known().insert(wanted, Arc::clone(&found));
        found
    }

    fn find_acts(&self, actions: ActionsId, (service, others, any_case): Wanted) -> Acts {
        let estate = self.estate();
        let name = self.service_name(service);
        let start = format!("{name}/");
        let own = estate.actions_picked(actions);
        let others = self.others(others);
        let choices = std::iter::once(own).chain(others.iter().map(|id| estate.actions_picked(*id)));
        let mut patterns: Vec<PatternId> =
            choices.flat_map(|choice| choice.any().iter().chain(choice.except())).copied().collect();
        patterns.sort_unstable();
        patterns.dedup();
        let all = patterns.iter().map(|id| estate.pattern(*id));
        let (named, wild): (Vec<&Pattern>, Vec<&Pattern>) = all
            .filter(|pattern| may_begin(pattern, &start, any_case))
            .partition(|it| it.as_literal().is_some());
        let lines: Vec<&Pattern> =
            self.catalogue().of_service(&name, any_case).map(|line| &line.operation).collect();
        let (listed, first): (Vec<&Pattern>, Vec<&Pattern>) =
            lines.into_iter().partition(|line| line.as_literal().is_some());
        let said: FxHashSet<String> =
            named.into_iter().filter_map(Pattern::as_literal).map(str::to_owned).collect();
        let mut strings = said.clone();
        strings
            .extend(listed.into_iter().filter_map(Pattern::as_literal).map(|text| format!("{start}{text}")));
        // An operation has no slash: what looks as if it had one is a service that nobody has.
        let is_action = |text: &String| text.len() > start.len() && !text[start.len()..].contains('/');
        let is_taken = |text: &String| is_action(text) && self.selects(own, text, any_case);
        let mut complete = true;
        let mut acts: Vec<Act> = Vec::new();
        let mut add = |text: &str, is_wild: bool| {
            let line = self.catalogue().line(text, any_case);
            let class = line.map(|(_, class)| class);
            let line = line.map_or(usize::MAX, |(at, _)| at);
            let is_common = !is_wild && !said.contains(text) && self.catalogue().is_common(line);
            acts.push(Act { action: self.action(text), class, is_wild, is_common, line });
        };
        let open = own.any().iter().any(|id| wild.contains(&estate.pattern(*id)));
        if open {
            let found = samples(&start, &wild, &first, &strings, any_case);
            complete = found.complete;
            found.strings.iter().filter(|text| is_taken(text)).for_each(|text| add(text, true));
        }
        strings.iter().filter(|text| is_taken(text)).for_each(|text| add(text, false));
        acts.sort_by(|one, other| one.order().cmp(&other.order()));
        if !complete {
            self.unbounded.lock().expect("nobody panics while holding it").insert(name);
        }
        Acts { all: acts.into(), complete }
    }

    /// Whether a choice has an action of class write of a service.
    pub(crate) fn writes(&self, actions: ActionsId, service: ServiceId) -> bool {
        self.cases().any(|any_case| {
            let acts = self.acts(actions, service, Others::default(), any_case);
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
    pub(crate) fn acts_on(
        &self,
        who: Principal,
        on: Thing,
        wanted: impl Fn(Option<ActionClass>) -> bool,
    ) -> Vec<Act> {
        let opposition = self.opposition(who);
        let others = self.others_on(opposition.as_deref(), Some(on));
        let (service, any_case) = (self.service_of(on), self.any_case(on));
        let mut all: Vec<Act> = Vec::new();
        for road in self.roads_to(who, on) {
            let actions = self.estate().statement(road.statement).actions;
            let acts = self.acts(actions, service, others, any_case);
            for act in acts.all.iter().filter(|act| wanted(act.class)) {
                if all.iter().all(|known| known.action.text() != act.action.text()) {
                    all.push(act.clone());
                }
            }
        }
        all.sort_by(|one, other| one.order().cmp(&other.order()));
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

/// Whether a pattern may match something that begins like that.
pub(super) fn may_begin(pattern: &Pattern, start: &str, any_case: bool) -> bool {
    let letters = pattern.literal_start();
    let same =
        |one: char, other: char| one == other || (any_case && one.to_lowercase().eq(other.to_lowercase()));
    let agree = letters.chars().zip(start.chars()).all(|(one, other)| same(one, other));
    agree && (pattern.as_literal().is_none() || letters.chars().count() > start.chars().count())
}
