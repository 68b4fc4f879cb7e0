//! The decision, step by step as access-model §4 has it:
//!
//! 1. collect what applies from the caller's side, through grants held by any of its names;
//! 2. and from the resource's side, through statements on the resource that name any of them;
//! 3. denied, if any applying deny of either side holds;
//! 4. bounded: every ceiling on the caller must allow it, and none of their denies may hold;
//! 5. allowed, by either side within an account, by both across accounts, by the rules for outsiders;
//! 6. the answer is allowed and not denied and within all ceilings, in three-valued logic.

use super::reason::{Answer, Ground, Shortfall, Via};
use super::{Access, Context, Known, Truth};
use crate::estate::{
    AccountOf, At, Attribute, CaseOfActions, CeilingId, Condition, CrossAccount, Effect, Name, Principal,
    StatementId, Thing,
};

/// May `principal` do `action` on `on`?
#[derive(Debug, Clone)]
pub struct Question<'q> {
    /// Who.
    pub principal: Principal,
    /// Does what: `bucket/read`.
    pub action: &'q str,
    /// To what.
    pub on: Thing,
    /// What is fixed about the circumstances.
    pub given: Context,
}

/// How many sides must allow.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Sides {
    Either,
    Both,
    ResourceOnly,
    Unknown,
}

impl<'e> Access<'e> {
    /// Answers a question.
    pub fn decide(&self, question: &Question<'_>) -> Answer<'e> {
        let mut hearing = Hearing::new(self, question);
        hearing.callers_side();
        hearing.resources_side();
        hearing.ceilings();
        hearing.settle()
    }

    /// Whether actions on the thing take upper and lower case as one.
    pub fn any_case(&self, thing: Thing) -> bool {
        match self.estate().account_of(thing) {
            AccountOf::Known(account) => {
                self.estate().get(account).is_some_and(|scope| scope.action_case == CaseOfActions::Ignored)
            }
            AccountOf::Unnamed | AccountOf::Unknown => false,
        }
    }

    /// What the estate itself fixes about a question: the caller's account, and the tags of both.
    fn complete(&self, question: &Question<'_>) -> Context {
        let estate = self.estate();
        let mut context = question.given.clone();
        let account = match question.principal {
            Principal::Account(id) => AccountOf::Known(id),
            Principal::User(id) => estate.account_of(Thing::User(id)),
            Principal::Identity(id) => estate.account_of(Thing::Identity(id)),
            _ => AccountOf::Unknown,
        };
        if let AccountOf::Known(account) = account {
            context.fix(Attribute::CallerAccount, Known::Text(estate.id(account).to_owned()));
        }
        let tags = match question.principal {
            Principal::User(id) => estate.get(id).map(|user| user.tags.as_slice()),
            Principal::Identity(id) => estate.get(id).map(|identity| identity.tags.as_slice()),
            _ => None,
        };
        for (name, value) in tags.unwrap_or_default() {
            context.fix(Attribute::CallerTag(*name), Known::Text(estate.text(*value).to_owned()));
        }
        for (name, value) in self.tags_of(question.on).unwrap_or_default() {
            context.fix(Attribute::ResourceTag(*name), Known::Text(estate.text(*value).to_owned()));
        }
        context
    }

    fn tags_of(&self, thing: Thing) -> Option<&'e [(Name, Name)]> {
        match thing {
            Thing::Function(id) => self.estate.get(id).map(|it| it.tags.as_slice()),
            Thing::Identity(id) => self.estate.get(id).map(|it| it.tags.as_slice()),
            Thing::User(id) => self.estate.get(id).map(|it| it.tags.as_slice()),
            Thing::Resource(id) => self.estate.get(id).map(|it| it.tags.as_slice()),
            _ => None,
        }
    }
}

/// One question being answered.
struct Hearing<'a, 'q, 'e> {
    access: &'a Access<'e>,
    question: &'a Question<'q>,
    context: Context,
    names: Vec<Principal>,
    resource: String,
    any_case: bool,
    callers: Vec<Ground<'e>>,
    resources: Vec<Ground<'e>>,
    ceilings: Vec<(CeilingId, Vec<Ground<'e>>)>,
    shortfalls: Vec<Shortfall>,
}

impl<'a, 'q, 'e> Hearing<'a, 'q, 'e> {
    fn new(access: &'a Access<'e>, question: &'a Question<'q>) -> Self {
        Self {
            context: access.complete(question),
            names: access.names(question.principal),
            resource: access.estate().label(question.on),
            any_case: access.any_case(question.on),
            access,
            question,
            callers: Vec::new(),
            resources: Vec::new(),
            ceilings: Vec::new(),
            shortfalls: Vec::new(),
        }
    }

    fn callers_side(&mut self) {
        let access = self.access;
        for name in self.names.clone() {
            for &id in access.grants_of(name) {
                let grant = access.estate().grant(id);
                let here = match grant.at {
                    At::Everywhere => true,
                    At::Thing(place) => access.estate().lies_in(self.question.on, place),
                };
                let expired = access.has_expired(grant);
                for contained in access.statements_of(grant) {
                    let via = Via::Grant { grant: id, name, set: contained.set };
                    let Some(ground) = self.ground(contained.statement, via, &grant.conditions) else {
                        continue;
                    };
                    if here && !expired {
                        self.callers.push(ground);
                    } else if ground.effect == Effect::Allow {
                        let near = if expired { Shortfall::Expired(id) } else { Shortfall::Elsewhere(id) };
                        if !self.shortfalls.contains(&near) {
                            self.shortfalls.push(near);
                        }
                    }
                }
            }
        }
    }

    fn resources_side(&mut self) {
        let access = self.access;
        for &id in access.admissions_on(self.question.on) {
            let admission = access.estate().admission(id);
            let Some(&name) = self.names.iter().find(|name| admission.to.contains(name)) else { continue };
            let via = Via::Admission { admission: id, name };
            self.resources.extend(self.ground(admission.statement, via, &[]));
        }
    }

    fn ceilings(&mut self) {
        let access = self.access;
        for id in access.ceilings_on(self.question.principal) {
            let statements = &access.estate().ceiling(id).statements;
            let grounds =
                statements.iter().filter_map(|&each| self.ground(each, Via::Ceiling(id), &[])).collect();
            self.ceilings.push((id, grounds));
        }
    }

    /// The statement as it bears on this question, if it applies.
    fn ground(&self, id: StatementId, via: Via, more: &'e [Condition]) -> Option<Ground<'e>> {
        let estate = self.access.estate();
        let statement = estate.statement(id);
        let applies = self.access.selects(&statement.actions, self.question.action, self.any_case)
            && self.access.selects(&statement.resources, &self.resource, false);
        if !applies {
            return None;
        }
        let conditions = || statement.conditions.iter().chain(more);
        let holds = Truth::all(conditions().map(|condition| condition.holds(&self.context, estate)));
        let open = if holds == Truth::Unknown {
            conditions().filter(|each| each.holds(&self.context, estate) == Truth::Unknown).collect()
        } else {
            Vec::new()
        };
        Some(Ground { statement: id, effect: statement.effect, via, holds, open })
    }

    fn settle(mut self) -> Answer<'e> {
        let any = |grounds: &[Ground<'_>], effect| {
            Truth::any(grounds.iter().filter(|ground| ground.effect == effect).map(|ground| ground.holds))
        };
        let denied = any(&self.callers, Effect::Deny).or(any(&self.resources, Effect::Deny));
        let (callers, resources) = (any(&self.callers, Effect::Allow), any(&self.resources, Effect::Allow));
        let allowed = match self.sides() {
            Sides::Either => callers.or(resources),
            Sides::Both => {
                if callers == Truth::False && resources != Truth::False {
                    self.shortfalls.push(Shortfall::CallersSideMissing);
                }
                if resources == Truth::False && callers != Truth::False {
                    self.shortfalls.push(Shortfall::ResourcesSideMissing);
                }
                callers.and(resources)
            }
            Sides::ResourceOnly => resources,
            Sides::Unknown => {
                let (either, both) = (callers.or(resources), callers.and(resources));
                if either == both {
                    either
                } else {
                    self.shortfalls.push(Shortfall::AccountUnknown);
                    Truth::Unknown
                }
            }
        };
        if callers == Truth::False && resources == Truth::False {
            self.shortfalls.push(Shortfall::NothingAllows);
        }
        let mut bounded = Truth::True;
        for (id, grounds) in &self.ceilings {
            let within = any(grounds, Effect::Allow).and(!any(grounds, Effect::Deny));
            if within == Truth::False {
                self.shortfalls.push(Shortfall::Ceiling(*id));
            }
            bounded = bounded.and(within);
        }
        let mut grounds = self.callers;
        grounds.append(&mut self.resources);
        grounds.sort_by_key(|ground| ground.effect == Effect::Allow);
        grounds.extend(self.ceilings.into_iter().flat_map(|(_, grounds)| grounds));
        Answer { verdict: allowed.and(!denied).and(bounded).into(), grounds, shortfalls: self.shortfalls }
    }

    fn sides(&self) -> Sides {
        let estate = self.access.estate();
        let there = estate.account_of(self.question.on);
        let one_side = |account| {
            matches!(account, AccountOf::Known(id)
                if estate.get(id).is_some_and(|scope| scope.cross_account == CrossAccount::OneSide))
        };
        let here = match self.question.principal {
            Principal::Anyone
            | Principal::SignedIn
            | Principal::Service(_)
            | Principal::Key(_)
            | Principal::Token(_) => {
                return Sides::Either;
            }
            Principal::Outside(_) if one_side(there) => return Sides::Either,
            Principal::Outside(_) => return Sides::ResourceOnly,
            // An account that the estate does not declare is an outsider as a whole.
            Principal::Account(id) if estate.get(id).is_none() => {
                return if one_side(there) { Sides::Either } else { Sides::ResourceOnly };
            }
            Principal::Account(id) => AccountOf::Known(id),
            Principal::User(id) => estate.account_of(Thing::User(id)),
            Principal::Identity(id) => estate.account_of(Thing::Identity(id)),
            Principal::Group(id) => estate.account_of(Thing::Group(id)),
        };
        match (here, there) {
            (AccountOf::Unknown, _) | (_, AccountOf::Unknown)
                if here != there || here == AccountOf::Unknown =>
            {
                Sides::Unknown
            }
            _ if here == there || one_side(there) => Sides::Either,
            _ => Sides::Both,
        }
    }
}
