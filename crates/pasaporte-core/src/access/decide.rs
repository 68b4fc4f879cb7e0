//! The decision, step by step as access-model §4 has it:
//!
//! 1. collect what applies from the caller's side, through grants held by any of its names;
//! 2. and from the resource's side, through statements on the resource that name any of them;
//! 3. denied, if any applying deny of either side holds;
//! 4. bounded: every ceiling on the caller must allow it, and none of their denies may hold;
//! 5. allowed, by either side within an account, by both across accounts, by the rules for outsiders;
//! 6. the answer is allowed and not denied and within all ceilings, in three-valued logic.
//!
//! [`Access::decide`] keeps the reasons, [`Access::verdict`] only the answer. Both take these steps, in
//! this file, once: they differ in whether anything is written down.

use std::borrow::Cow;

use super::condition::Facts;
use super::picks::Label;
use super::profile::{Held, Profiled};
use super::reason::{Answer, Ground, Needs, Shortfall, Verdict, Via};
use super::{Access, Action, Context, Known, Truth};
use crate::estate::{
    AccountOf, At, Attribute, CaseOfActions, Condition, CrossAccount, Effect, Name, Principal, Statement,
    StatementId, Thing,
};

/// May `principal` do `action` on `on`?
#[derive(Debug, Clone, Copy)]
pub struct Question<'q> {
    /// Who.
    pub principal: Principal,
    /// Does what, prepared by [`Access::action`].
    pub action: &'q Action,
    /// To what.
    pub on: Thing,
    /// What is fixed about the circumstances.
    pub given: &'q Context,
}

impl<'e> Access<'e> {
    /// Answers a question, with reasons.
    pub fn decide(&self, question: &Question<'_>) -> Answer<'e> {
        let mut notes = Notes::default();
        let case = Case::new(self, question);
        let verdict = case.weigh(&mut notes);
        notes.answer(verdict, case.needs())
    }

    /// Answers a question, and that alone.
    pub fn verdict(&self, question: &Question<'_>) -> Verdict {
        Case::new(self, question).weigh(&mut Nothing)
    }

    /// Whether nothing that a principal holds denies anything, and nothing bounds it: then whatever one of its
    /// statements allows without conditions is allowed from its side.
    pub(crate) fn is_unopposed(&self, principal: Principal) -> bool {
        let profile = self.profile(principal);
        profile.ceilings.is_empty() && self.denies(&profile).is_empty()
    }

    /// Whether nothing stands on a thing, and an allow from a principal's side is enough for it.
    pub(crate) fn takes_one_side(&self, principal: Principal, on: Thing) -> bool {
        let nothing = Action::default();
        let question = Question { principal, action: &nothing, on, given: &Context::default() };
        self.admissions_on(on).is_empty() && Case::new(self, &question).needs() == Needs::EitherSide
    }

    /// Whether actions on the thing take upper and lower case as one.
    pub fn any_case(&self, thing: Thing) -> bool {
        self.some_ignore_case && self.ignores_case(self.account_of(thing))
    }

    /// Whether any account takes upper and lower case of its actions as one.
    pub fn ignores_case_somewhere(&self) -> bool {
        self.some_ignore_case
    }

    fn ignores_case(&self, account: AccountOf) -> bool {
        match account {
            AccountOf::Known(account) => {
                self.estate.get(account).is_some_and(|scope| scope.action_case == CaseOfActions::Ignored)
            }
            AccountOf::Unnamed | AccountOf::Unknown => false,
        }
    }

    fn tags_of(&self, thing: Thing) -> &'e [(Name, Name)] {
        let tags = match thing {
            Thing::Function(id) => self.estate.get(id).map(|it| it.tags),
            Thing::Identity(id) => self.estate.get(id).map(|it| it.tags),
            Thing::User(id) => self.estate.get(id).map(|it| it.tags),
            Thing::Resource(id) => self.estate.get(id).map(|it| it.tags),
            _ => None,
        };
        tags.map_or(&[], |tags| self.estate.list(tags))
    }
}

/// Where the steps are written down, if anywhere.
trait Record<'e> {
    /// Whether anything is.
    const KEEPS: bool;
    fn ground(&mut self, ground: impl FnOnce() -> Ground<'e>);
    fn shortfall(&mut self, shortfall: Shortfall);
}

struct Nothing;

impl<'e> Record<'e> for Nothing {
    const KEEPS: bool = false;
    fn ground(&mut self, _: impl FnOnce() -> Ground<'e>) {}
    fn shortfall(&mut self, _: Shortfall) {}
}

#[derive(Default)]
struct Notes<'e> {
    grounds: Vec<Ground<'e>>,
    shortfalls: Vec<Shortfall>,
}

impl<'e> Record<'e> for Notes<'e> {
    const KEEPS: bool = true;

    fn ground(&mut self, ground: impl FnOnce() -> Ground<'e>) {
        self.grounds.push(ground());
    }

    fn shortfall(&mut self, shortfall: Shortfall) {
        if !self.shortfalls.contains(&shortfall) {
            self.shortfalls.push(shortfall);
        }
    }
}

impl<'e> Notes<'e> {
    fn answer(mut self, verdict: Verdict, needs: Needs) -> Answer<'e> {
        // Denies before allows before ceilings; within each, as they were met.
        self.grounds.sort_by_key(|ground| match (ground.via, ground.effect) {
            (Via::Ceiling(_), _) => 2,
            (_, Effect::Allow) => 1,
            (_, Effect::Deny) => 0,
        });
        if verdict == Verdict::Yes {
            self.shortfalls.clear();
        }
        Answer { verdict, needs, grounds: self.grounds, shortfalls: self.shortfalls }
    }
}

/// Whether something allows, and whether something denies.
#[derive(Clone, Copy)]
struct Weights {
    allow: Truth,
    deny: Truth,
}

impl Weights {
    const NONE: Self = Self { allow: Truth::False, deny: Truth::False };

    fn add(&mut self, effect: Effect, holds: Truth) {
        match effect {
            Effect::Allow => self.allow = self.allow.or(holds),
            Effect::Deny => self.deny = self.deny.or(holds),
        }
    }
}

/// One question being answered.
struct Case<'a, 'q, 'e> {
    access: &'a Access<'e>,
    question: &'a Question<'q>,
    profile: Profiled<'a>,
    there: AccountOf,
    any_case: bool,
    label: Label<'e>,
}

impl<'a, 'q, 'e> Case<'a, 'q, 'e> {
    fn new(access: &'a Access<'e>, question: &'a Question<'q>) -> Self {
        let there = access.account_of(question.on);
        Self {
            profile: access.profile(question.principal),
            there,
            any_case: access.some_ignore_case && access.ignores_case(there),
            label: Label::new(access.estate, question.on),
            access,
            question,
        }
    }

    fn weigh<R: Record<'e>>(&self, record: &mut R) -> Verdict {
        let needs = self.needs();
        if !R::KEEPS && self.needs_what_is_not_there(needs) {
            return Verdict::No;
        }
        let callers = self.callers_side(record);
        let resources = self.resources_side(record);
        let denied = callers.deny.or(resources.deny);
        let allowed = allowed(needs, callers.allow, resources.allow, record);
        if !R::KEEPS && (denied == Truth::True || allowed == Truth::False) {
            return Verdict::No;
        }
        let bounded = self.ceilings(record);
        allowed.and(!denied).and(bounded).into()
    }

    /// Whether the resource's side must allow, and nothing stands on the resource.
    fn needs_what_is_not_there(&self, needs: Needs) -> bool {
        matches!(needs, Needs::BothSides | Needs::ResourcesSide)
            && self.access.admissions_on(self.question.on).is_empty()
    }

    fn callers_side<R: Record<'e>>(&self, record: &mut R) -> Weights {
        let estate = self.access.estate;
        let mut weights = Weights::NONE;
        for &Held { grant: id, name, at, ended, set, statements } in &self.profile.grants {
            let here = match at {
                At::Everywhere => true,
                At::Thing(place) => estate.lies_in(self.question.on, place),
            };
            if (!here || ended) && !R::KEEPS {
                continue;
            }
            for contained in self.access.all_statements(statements, set) {
                let statement = estate.statement(contained.statement);
                let (action, resource) = self.fits(statement);
                if action && resource && here && !ended {
                    let via = Via::Grant { grant: id, name, set: contained.set };
                    let holds = self.ground(
                        contained.statement,
                        statement,
                        via,
                        &estate.grant(id).conditions,
                        record,
                    );
                    weights.add(statement.effect, holds);
                } else if R::KEEPS
                    && statement.effect == Effect::Allow
                    && let Some(near) = near_miss(id, statement, [action, resource, here, !ended], self)
                {
                    record.shortfall(near);
                }
            }
        }
        weights
    }

    fn resources_side(&self, record: &mut impl Record<'e>) -> Weights {
        let access = self.access;
        let mut weights = Weights::NONE;
        for &id in access.admissions_on(self.question.on) {
            let admission = access.estate.admission(id);
            let to = access.estate.list(admission.to);
            let Some(&name) = self.profile.names.iter().find(|name| to.contains(name)) else { continue };
            let statement = access.estate.statement(admission.statement);
            if self.fits(statement) == (true, true) {
                let via = Via::Admission { admission: id, name };
                let holds = self.ground(admission.statement, statement, via, &[], record);
                weights.add(statement.effect, holds);
            }
        }
        weights
    }

    fn ceilings(&self, record: &mut impl Record<'e>) -> Truth {
        let estate = self.access.estate;
        let mut bounded = Truth::True;
        for &id in &self.profile.ceilings {
            let mut weights = Weights::NONE;
            for each in estate.ceiling(id).statements.ids() {
                let statement = estate.statement(each);
                if self.fits(statement) == (true, true) {
                    let holds = self.ground(each, statement, Via::Ceiling(id), &[], record);
                    weights.add(statement.effect, holds);
                }
            }
            let within = weights.allow.and(!weights.deny);
            if within == Truth::False {
                record.shortfall(Shortfall::Ceiling(id));
            }
            bounded = bounded.and(within);
        }
        bounded
    }

    /// Whether a statement picks the action, and whether it picks the resource.
    fn fits(&self, statement: &Statement) -> (bool, bool) {
        let action = self.question.action.is_picked_by(statement.actions, self.any_case);
        let resource = || self.access.picks_resource(statement.resources, self.question.on, &self.label);
        (action, action && resource())
    }

    /// Whether an applying statement holds; written down with the conditions that are open.
    fn ground(
        &self,
        id: StatementId,
        statement: &'e Statement,
        via: Via,
        more: &'e [Condition],
        record: &mut impl Record<'e>,
    ) -> Truth {
        let estate = self.access.estate;
        let conditions = || statement.conditions.iter().chain(more);
        let holds = Truth::all(conditions().map(|condition| condition.holds(self, estate)));
        record.ground(|| {
            let unmet = |each: &&Condition| holds != Truth::True && each.holds(self, estate) == holds;
            let unmet = conditions().filter(unmet).collect();
            Ground { statement: id, effect: statement.effect, via, holds, unmet }
        });
        holds
    }

    fn needs(&self) -> Needs {
        let estate = self.access.estate;
        let there = self.there;
        let one_side = || {
            matches!(there, AccountOf::Known(id)
                if estate.get(id).is_some_and(|scope| scope.cross_account == CrossAccount::OneSide))
        };
        let here = match (self.question.principal, self.profile.home) {
            (Principal::Outside(_), _) => {
                return if one_side() { Needs::EitherSide } else { Needs::ResourcesSide };
            }
            // An account that the estate does not declare is an outsider as a whole.
            (Principal::Account(id), _) if estate.get(id).is_none() => {
                return if one_side() { Needs::EitherSide } else { Needs::ResourcesSide };
            }
            (_, None) => return Needs::EitherSide,
            (_, Some(home)) => home,
        };
        match (here, there) {
            (AccountOf::Unknown, _) | (_, AccountOf::Unknown)
                if here != there || here == AccountOf::Unknown =>
            {
                Needs::Unknown
            }
            _ if here == there || one_side() => Needs::EitherSide,
            _ => Needs::BothSides,
        }
    }
}

fn allowed<'e>(needs: Needs, callers: Truth, resources: Truth, record: &mut impl Record<'e>) -> Truth {
    if callers == Truth::False && resources == Truth::False {
        record.shortfall(Shortfall::NothingAllows);
    }
    match needs {
        Needs::EitherSide => callers.or(resources),
        Needs::BothSides => {
            if callers == Truth::False && resources != Truth::False {
                record.shortfall(Shortfall::CallersSideMissing);
            }
            if resources == Truth::False && callers != Truth::False {
                record.shortfall(Shortfall::ResourcesSideMissing);
            }
            callers.and(resources)
        }
        Needs::ResourcesSide => {
            if resources == Truth::False && callers != Truth::False {
                record.shortfall(Shortfall::ResourcesSideMissing);
            }
            resources
        }
        Needs::Unknown => {
            let (either, both) = (callers.or(resources), callers.and(resources));
            if either == both {
                either
            } else {
                record.shortfall(Shortfall::AccountUnknown);
                Truth::Unknown
            }
        }
    }
}

/// What kept an allowing statement of a grant from counting, where it came near.
fn near_miss(
    grant: crate::estate::GrantId,
    statement: &Statement,
    [action, resource, here, in_force]: [bool; 4],
    case: &Case<'_, '_, '_>,
) -> Option<Shortfall> {
    match (action, resource, here, in_force) {
        (true, true, true, false) => Some(Shortfall::Expired(grant)),
        (true, true, false, true) => Some(Shortfall::Elsewhere(grant)),
        (true, false, true, true) => Some(Shortfall::OtherResources(grant)),
        // Only what names this very resource is near; what names everything is not.
        (false, _, true, true) if matches!(case.access.picks[crate::estate::Id::index(statement.resources)], super::picks::Pick::Only(only) if only == case.question.on) => {
            Some(Shortfall::OtherActions(grant))
        }
        _ => None,
    }
}

impl Facts for Case<'_, '_, '_> {
    /// What the question fixes; else what the estate itself fixes: the caller's account, and the tags of both.
    fn known(&self, attribute: Attribute) -> Option<Cow<'_, Known>> {
        if let Some(known) = self.question.given.get(attribute) {
            return Some(Cow::Borrowed(known));
        }
        let estate = self.access.estate;
        let tag = |thing: Thing, name: Name| {
            let (_, value) = self.access.tags_of(thing).iter().find(|(each, _)| *each == name)?;
            Some(Cow::Owned(Known::Text(estate.text(*value).to_owned())))
        };
        match (attribute, self.question.principal) {
            (Attribute::CallerAccount, principal) => match (principal, self.profile.home?) {
                (Principal::Group(_), _) => None,
                (_, AccountOf::Known(account)) => {
                    Some(Cow::Owned(Known::Text(estate.id(account).to_owned())))
                }
                _ => None,
            },
            (Attribute::CallerTag(name), Principal::User(id)) => tag(Thing::User(id), name),
            (Attribute::CallerTag(name), Principal::Identity(id)) => tag(Thing::Identity(id), name),
            (Attribute::ResourceTag(name), _) => tag(self.question.on, name),
            _ => None,
        }
    }
}
