//! What a principal can become: the identities, users and groups that it may act as, and what those may act as in turn.
//!
//! Each step is a decision on `identity/assume`, `user/assume` or `group/assume`. Sure chains are preferred to those that
//! depend on something, then shorter to longer ones, then by name; each of them is entered once, in the best way there is,
//! so circles end and the order of input does not matter.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use rustc_hash::FxHashSet;

use super::by::By;
use super::{Access, Action, Context, Question, Verdict};
use crate::estate::{Effect, Estate, IdentityId, Principal, Thing};

/// Somebody as whom a principal can act: an identity, a user, or a group whose name it then bears.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Becoming {
    /// Who.
    pub to: Principal,
    /// Acting as whom the last step is taken: the principal itself, or one it became before.
    pub from: Principal,
    /// How many steps it takes.
    pub steps: usize,
    /// Yes if every step is sure, depends if one is not.
    pub verdict: Verdict,
}

impl Becoming {
    /// Those as whom somebody acts before, in order; `all` is what they can become.
    pub fn steps_before(&self, who: Principal, all: &[Self]) -> Vec<Principal> {
        let mut steps = Vec::new();
        let mut from = self.from;
        while from != who {
            steps.push(from);
            from = all.iter().find(|it| it.to == from).map_or(who, |it| it.from);
        }
        steps.reverse();
        steps
    }
}

/// Whom each identity's trust names.
pub(super) fn trusting(estate: &Estate) -> By<Principal, IdentityId> {
    let mut pairs = Vec::new();
    for admission in estate.admissions() {
        let allows = estate.statement(admission.statement).effect == Effect::Allow;
        if let Thing::Identity(id) = admission.on
            && allows
        {
            pairs.extend(estate.list(admission.to).iter().map(|&to| (to, id)));
        }
    }
    By::new(pairs)
}

impl Access<'_> {
    /// Those as whom a principal can act, directly or in several steps: surely before perhaps, near before far, then by
    /// name.
    pub fn becoming(&self, principal: Principal, given: &Context) -> Vec<Becoming> {
        let mut all: Vec<Becoming> = Vec::new();
        let mut entered = FxHashSet::default();
        let mut open = BinaryHeap::new();
        self.step(principal, None, given, &mut open);
        while let Some(Reverse((depends, steps, _, _, to, from))) = open.pop() {
            if to == principal || !entered.insert(to) {
                continue;
            }
            let verdict = if depends { Verdict::Depends } else { Verdict::Yes };
            let here = Becoming { to, from, steps, verdict };
            all.push(here);
            self.step(to, Some(&here), given, &mut open);
        }
        all
    }

    /// Adds the steps that can be taken as a principal.
    fn step<'a>(&'a self, from: Principal, so_far: Option<&Becoming>, given: &Context, open: &mut Open<'a>) {
        for (to, verdict) in self.acts_as(from, given, |_| true) {
            let depends = verdict == Verdict::Depends
                || so_far.is_some_and(|so_far| so_far.verdict == Verdict::Depends);
            let steps = so_far.map_or(0, |so_far| so_far.steps) + 1;
            open.push(Reverse((depends, steps, self.named(to), self.named(from), to, from)));
        }
    }

    /// By what those are ordered that are as near and as sure: identities, users, groups; each by name.
    fn named(&self, who: Principal) -> (u8, &str) {
        match who {
            Principal::Identity(id) => (0, self.estate.id(id)),
            Principal::User(id) => (1, self.estate.id(id)),
            Principal::Group(id) => (2, self.estate.id(id)),
            _ => (3, ""),
        }
    }

    /// Those of some that are asked about as whom a principal may act at once.
    pub(crate) fn acts_as(
        &self,
        who: Principal,
        given: &Context,
        is_asked: impl Fn(Principal) -> bool,
    ) -> Vec<(Principal, Verdict)> {
        let ask = |whom: Principal| {
            let (action, on) = (self.assuming(whom)?, whom.thing()?);
            let verdict = self.verdict(&Question { principal: who, action, on, given });
            (verdict != Verdict::No).then_some((whom, verdict))
        };
        self.may_assume(who).into_iter().filter(|whom| is_asked(*whom)).filter_map(ask).collect()
    }

    /// Those as whom a principal may perhaps act: identities that trust one of its names, and those that its grants pick.
    /// The decision has the last word.
    fn may_assume(&self, principal: Principal) -> Vec<Principal> {
        let estate = self.estate;
        let profile = self.profile(principal);
        let trusting = profile.names.iter().flat_map(|&name| self.trusting.of(name));
        let mut all: Vec<Principal> = trusting.map(|(_, id)| Principal::Identity(*id)).collect();
        for held in profile.grants.iter().filter(|held| !held.ended) {
            for contained in self.all_statements(held.statements, held.set) {
                let statement = estate.statement(contained.statement);
                if statement.effect == Effect::Deny {
                    continue;
                }
                let (resources, at) = (statement.resources, held.at);
                let picks = |action: &Action| action.may_be_picked_by(statement.actions);
                if picks(&self.assume) {
                    all.extend(self.identities_taken(resources, at).into_iter().map(Principal::Identity));
                }
                if picks(&self.assume_user) {
                    all.extend(self.users_taken(resources, at).into_iter().map(Principal::User));
                }
                if picks(&self.assume_group) {
                    all.extend(self.groups_taken(resources, at).into_iter().map(Principal::Group));
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// Steps that can be taken: whether it depends, how many steps, the names of where it leads and comes from.
type Open<'a> = BinaryHeap<Reverse<(bool, usize, (u8, &'a str), (u8, &'a str), Principal, Principal)>>;
