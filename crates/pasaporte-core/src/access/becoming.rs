//! What a principal can become: the identities that it may act as, and what those may act as in turn.
//!
//! Each step is a decision on `identity/assume`. Sure chains are preferred to those that depend on
//! something, then shorter to longer ones, then by name; each identity is entered once, in the best way
//! there is, so circles end and the order of input does not matter.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use rustc_hash::FxHashSet;

use super::by::By;
use super::{Access, Context, Question, Verdict};
use crate::estate::{Effect, Estate, IdentityId, Principal, Thing};

/// An identity that a principal can act as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Becoming {
    /// Which.
    pub identity: IdentityId,
    /// Acting as whom the last step is taken: the principal itself, or an identity it became before.
    pub from: Principal,
    /// How many steps it takes.
    pub steps: usize,
    /// Yes if every step is sure, depends if one is not.
    pub verdict: Verdict,
}

impl Becoming {
    /// Those as whom somebody acts before, in order; `all` is what they can become.
    pub fn steps_before(&self, who: Principal, all: &[Self]) -> Vec<IdentityId> {
        let mut steps = Vec::new();
        let mut from = self.from;
        while let Principal::Identity(step) = from
            && from != who
        {
            steps.push(step);
            from = all.iter().find(|it| it.identity == step).map_or(who, |it| it.from);
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
    /// The identities that a principal can act as, directly or in several steps: surely before perhaps, near
    /// before far, then by name.
    pub fn becoming(&self, principal: Principal, given: &Context) -> Vec<Becoming> {
        let mut all: Vec<Becoming> = Vec::new();
        let mut entered = FxHashSet::default();
        let mut open = BinaryHeap::new();
        self.step(principal, None, given, &mut open);
        while let Some(Reverse((depends, steps, name, from_name, identity, from))) = open.pop() {
            let _ = (name, from_name);
            if Principal::Identity(identity) == principal || !entered.insert(identity) {
                continue;
            }
            let verdict = if depends { Verdict::Depends } else { Verdict::Yes };
            let here = Becoming { identity, from, steps, verdict };
            all.push(here);
            self.step(Principal::Identity(identity), Some(&here), given, &mut open);
        }
        all
    }

    /// Adds the steps that can be taken as a principal.
    fn step<'a>(&'a self, from: Principal, so_far: Option<&Becoming>, given: &Context, open: &mut Open<'a>) {
        let from_name = match from {
            Principal::Identity(id) => self.estate.id(id),
            _ => "",
        };
        for (identity, verdict) in self.acts_as(from, given, |_| true) {
            let depends = verdict == Verdict::Depends
                || so_far.is_some_and(|so_far| so_far.verdict == Verdict::Depends);
            let steps = so_far.map_or(0, |so_far| so_far.steps) + 1;
            open.push(Reverse((depends, steps, self.estate.id(identity), from_name, identity, from)));
        }
    }

    /// Those identities of some that are asked about as which a principal may act at once.
    pub(crate) fn acts_as(
        &self,
        who: Principal,
        given: &Context,
        is_asked: impl Fn(IdentityId) -> bool,
    ) -> Vec<(IdentityId, Verdict)> {
        let ask = |identity| {
            let on = Thing::Identity(identity);
            (identity, self.verdict(&Question { principal: who, action: self.assume(), on, given }))
        };
        let all = self.may_assume(who).into_iter().filter(|id| is_asked(*id));
        all.map(ask).filter(|(_, verdict)| *verdict != Verdict::No).collect()
    }

    /// The identities that a principal may perhaps act as: those that trust one of its names, and those that
    /// its grants pick. The decision has the last word.
    fn may_assume(&self, principal: Principal) -> Vec<IdentityId> {
        let estate = self.estate;
        let profile = self.profile(principal);
        let mut all: Vec<IdentityId> =
            profile.names.iter().flat_map(|&name| self.trusting.of(name)).map(|(_, id)| *id).collect();
        for held in profile.grants.iter().filter(|held| !held.ended) {
            for contained in self.all_statements(held.statements, held.set) {
                let statement = estate.statement(contained.statement);
                if statement.effect == Effect::Deny || !self.assume.may_be_picked_by(statement.actions) {
                    continue;
                }
                all.extend(self.identities_taken(statement.resources, held.at));
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }
}

/// Steps that can be taken: whether it depends, how many steps, the names of where it leads and comes from.
type Open<'a> = BinaryHeap<Reverse<(bool, usize, &'a str, &'a str, IdentityId, Principal)>>;
