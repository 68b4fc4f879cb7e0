//! What stands against what somebody holds: the denies that they hold by any name, and the ceilings over them.

use std::cell::OnceCell;
use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::acts::Others;
use super::{Effects, Road};
use crate::access::{Action, Needs, On, Verdict};
use crate::estate::{AccountOf, ActionsId, CeilingId, Effect, Estate, Id, Principal, StatementId, Thing};

/// What stands against somebody, wherever they act.
#[derive(Debug)]
pub(crate) struct Opposition {
    denies: Box<[StatementId]>,
    ceilings: Box<[CeilingId]>,
    /// What their choices of actions are, sorted.
    choices: Box<[ActionsId]>,
    others: Others,
}

/// What statements on things deny.
#[derive(Debug)]
pub(crate) struct Denied {
    on: FxHashSet<Thing>,
    /// Whether one of those things is a resource; or a function, identity or key.
    pub(crate) resources: bool,
    pub(crate) people: bool,
    /// Whether one of the statements has conditions.
    pub(crate) on_condition: bool,
}

impl Denied {
    pub(super) fn new(estate: &Estate) -> Self {
        let denying = || {
            let all = estate.admissions().iter();
            all.filter(|it| estate.statement(it.statement).effect == Effect::Deny)
        };
        Self {
            on: denying().map(|it| it.on).collect(),
            resources: denying().any(|it| matches!(it.on, Thing::Resource(_))),
            people: denying().any(|it| !matches!(it.on, Thing::Resource(_))),
            on_condition: denying().any(|it| !estate.statement(it.statement).conditions.is_empty()),
        }
    }

    /// Whether nothing is.
    pub(crate) fn is_empty(&self) -> bool {
        self.on.is_empty()
    }

    /// Whether something is on a thing.
    pub(crate) fn is_on(&self, thing: Thing) -> bool {
        self.on.contains(&thing)
    }
}

/// Whether an action is opposed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Opposes {
    /// Never.
    Never,
    /// Somewhere, or under some condition: ask.
    Somewhere,
    /// Wherever it is done.
    Everywhere,
}

/// Somebody, with what is asked for every question about them.
#[derive(Debug)]
pub(crate) struct Somebody {
    pub(crate) who: Principal,
    /// The account that they are of.
    pub(crate) home: Option<AccountOf>,
    /// What stands against them.
    pub(crate) opposition: Option<Arc<Opposition>>,
    /// Whether a grant of theirs is about invoking functions.
    holds_invoking: OnceCell<bool>,
}

impl Effects<'_> {
    /// What stands against a principal; none where nothing does.
    pub(crate) fn opposition(&self, who: Principal) -> Option<Arc<Opposition>> {
        match who {
            Principal::Identity(id) => {
                self.opposition[id.index()].get_or_init(|| self.find_opposition(who)).clone()
            }
            _ => self.find_opposition(who),
        }
    }

    fn find_opposition(&self, who: Principal) -> Option<Arc<Opposition>> {
        let estate = self.estate();
        let (denies, ceilings) = self.opposing(who);
        if denies.is_empty() && ceilings.is_empty() {
            return None;
        }
        let bounds = ceilings.iter().flat_map(|id| estate.ceiling(*id).statements.ids());
        let mut choices: Vec<ActionsId> =
            denies.iter().copied().chain(bounds).map(|id| estate.statement(id).actions).collect();
        choices.sort_unstable();
        choices.dedup();
        let others = self.others_of(&choices);
        Some(Arc::new(Opposition { denies, ceilings, choices: choices.into(), others }))
    }

    /// What tells actions apart that somebody may do to a thing: what stands against them, and what stands on it.
    pub(crate) fn others_on(&self, opposition: Option<&Opposition>, on: Option<Thing>) -> Others {
        let on_it = on.map_or(&[][..], |thing| self.admissions_on(thing));
        let base = opposition.map_or(Others::default(), |it| it.others);
        if on_it.is_empty() {
            return base;
        }
        let estate = self.estate();
        let mut choices: Vec<ActionsId> = opposition.map_or(Vec::new(), |it| it.choices.to_vec());
        choices.extend(on_it.iter().map(|id| estate.statement(estate.admission(*id).statement).actions));
        choices.sort_unstable();
        choices.dedup();
        self.others_of(&choices)
    }

    /// Whether what stands against somebody bears on an action.
    pub(crate) fn opposes(&self, opposition: Option<&Opposition>, action: &Action) -> Opposes {
        let Some(it) = opposition else { return Opposes::Never };
        if self.denying(Some(it), action).next().is_some() {
            return Opposes::Somewhere;
        }
        self.bounded(Some(it), action)
    }

    /// The denies that bear on an action.
    pub(crate) fn denying(
        &self,
        opposition: Option<&Opposition>,
        action: &Action,
    ) -> impl Iterator<Item = StatementId> {
        let denies = opposition.map_or(&[][..], |it| &it.denies).iter().copied();
        denies.filter(|id| action.may_be_picked_by(self.estate().statement(*id).actions))
    }

    /// Whether a deny may take an action on a thing away.
    pub(crate) fn may_deny(&self, opposition: Option<&Opposition>, action: &Action, thing: Thing) -> bool {
        let takes = |id: StatementId| self.takes(self.estate().statement(id).resources, thing);
        self.denying(opposition, action).any(takes)
    }

    /// Somebody, with what is asked for every question about them.
    pub(crate) fn somebody(&self, who: Principal) -> Somebody {
        let (home, opposition) = (self.home(who), self.opposition(who));
        Somebody { who, home, opposition, holds_invoking: OnceCell::new() }
    }

    /// Whether somebody may invoke a function of an account at all: where both sides have to say so, only by a grant.
    pub(crate) fn may_be_invoked(&self, it: &Somebody, there: AccountOf) -> bool {
        let is_about =
            |road: &Road| self.invoke().may_be_picked_by(self.estate().statement(road.statement).actions);
        self.needs_between(it.who, it.home, there) != Needs::BothSides
            || *it.holds_invoking.get_or_init(|| self.roads_by_grants(it.who).iter().any(is_about))
    }

    /// What the decision can only say of an action that a road gives on something; none where it has to be asked.
    pub(crate) fn foregone(
        &self,
        it: &Somebody,
        road: &Road,
        action: &Action,
        on: On<'_>,
    ) -> Option<Verdict> {
        let opposition = it.opposition.as_deref();
        match (self.bounded(opposition, action), on) {
            (Opposes::Everywhere, _) => Some(Verdict::No),
            (Opposes::Never, On::There(thing))
                if self.is_plain(road)
                    && self.nothing_bears_on(it.who, it.home, opposition, action, thing) =>
            {
                Some(Verdict::Yes)
            }
            _ => None,
        }
    }

    /// Whether nothing stands on a thing, nothing takes an action on it away from somebody of an account, and no other side
    /// is asked: then, where no ceiling bears on the action, the decision can only say what a road says that gives it.
    pub(crate) fn nothing_bears_on(
        &self,
        who: Principal,
        home: Option<AccountOf>,
        opposition: Option<&Opposition>,
        action: &Action,
        thing: Thing,
    ) -> bool {
        self.asks_nobody_else(who, home, thing) && !self.may_deny(opposition, action, thing)
    }

    /// Whether nothing stands on a thing, and no other side is asked than somebody's of an account.
    pub(crate) fn asks_nobody_else(&self, who: Principal, home: Option<AccountOf>, thing: Thing) -> bool {
        self.admissions_on(thing).is_empty()
            && self.needs_between(who, home, self.account_of(thing)) == Needs::EitherSide
    }

    /// Whether the ceilings over somebody bear on an action.
    pub(crate) fn bounded(&self, opposition: Option<&Opposition>, action: &Action) -> Opposes {
        let estate = self.estate();
        let picks = |id: StatementId| action.may_be_picked_by(estate.statement(id).actions);
        let mut opposes = Opposes::Never;
        for ceiling in opposition.map_or(&[][..], |it| &it.ceilings) {
            let all = || estate.ceiling(*ceiling).statements.ids().filter(|id| picks(*id));
            let plain = |id: StatementId| {
                let statement = estate.statement(id);
                statement.conditions.is_empty()
                    && self.takes_everything(statement.resources)
                    && action.is_picked_in_either_case(statement.actions)
            };
            if all().next().is_none() {
                return Opposes::Everywhere;
            }
            let denied = all().any(|id| estate.statement(id).effect == Effect::Deny);
            let allowed = all().any(|id| estate.statement(id).effect == Effect::Allow && plain(id));
            if denied || !allowed {
                opposes = Opposes::Somewhere;
            }
        }
        opposes
    }
}
