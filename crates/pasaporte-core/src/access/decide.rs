//! The decision, step by step as access-model §4 has it:
//!
//! 1. collect what applies from the caller's side, through grants held by any of its names;
//! 2. and from the resource's side, through statements on the resource that name any of them;
//! 3. denied, if any applying deny of either side holds;
//! 4. bounded: every ceiling on the caller must allow it, and none of their denies may hold;
//! 5. allowed, by either side within an account, by both across accounts, by the rules for outsiders; what is given
//!    to everybody counts from both sides;
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
    AccountOf, AdmissionId, At, Attribute, CaseOfActions, Condition, CrossAccount, Effect, Name, Principal,
    Statement, StatementId, Thing,
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

/// What a question is about: a thing of the estate, or one that may yet be made in it.
#[derive(Debug, Clone, Copy)]
pub enum On<'q> {
    /// This thing.
    There(Thing),
    /// One that is not there: nothing stands on it, and nothing is known of it but its name and place.
    New(&'q New),
}

/// A thing that may yet be made.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct New {
    /// As `kind:id`.
    pub label: Box<str>,
    /// What it would lie in; none where the estate has no scope for it.
    pub within: Option<Thing>,
}

impl<'e> Access<'e> {
    /// Answers a question, with reasons.
    pub fn decide(&self, question: &Question<'_>) -> Answer<'e> {
        self.answer_on(question.principal, question.action, On::There(question.on), question.given)
    }

    /// Answers a question, and that alone.
    pub fn verdict(&self, question: &Question<'_>) -> Verdict {
        self.verdict_on(question.principal, question.action, On::There(question.on), question.given)
    }

    /// The decision on something that may not be there yet.
    pub fn verdict_on(&self, principal: Principal, action: &Action, on: On<'_>, given: &Context) -> Verdict {
        Case::new(self, principal, action, on, given).weigh(&mut Nothing)
    }

    /// The decision on something that may not be there yet, with reasons.
    pub fn answer_on(
        &self,
        principal: Principal,
        action: &Action,
        on: On<'_>,
        given: &Context,
    ) -> Answer<'e> {
        let mut notes = Notes::default();
        let case = Case::new(self, principal, action, on, given);
        let verdict = case.weigh(&mut notes);
        notes.answer(verdict, case.needs())
    }

    /// What the estate itself fixes of an attribute in a question: the caller's account and tags, the tags of the
    /// thing, and the account of a source that is given and that the estate has.
    pub fn fixed(
        &self,
        principal: Principal,
        on: Thing,
        attribute: Attribute,
        given: &Context,
    ) -> Option<Known> {
        let others = given.without(attribute);
        let nothing = Action::default();
        let case = Case::new(self, principal, &nothing, On::There(on), &others);
        case.known(attribute).map(Cow::into_owned)
    }

    /// Whether conditions hold for a principal and something that it may act on.
    pub(crate) fn holds<'c>(
        &self,
        principal: Principal,
        on: On<'_>,
        given: &Context,
        conditions: impl Iterator<Item = &'c Condition>,
    ) -> Truth {
        let nothing = Action::default();
        let case = Case::new(self, principal, &nothing, on, given);
        Truth::all(conditions.map(|condition| condition.holds(&case, self.estate)))
    }

    /// Whose side must allow between a principal, who is of an account or of none, and a thing of an account.
    pub(crate) fn needs_between(
        &self,
        principal: Principal,
        home: Option<AccountOf>,
        there: AccountOf,
    ) -> Needs {
        // Where one side is enough anyway, there is nothing to agree on.
        if self.is_one_sided(there) {
            return Needs::EitherSide;
        }
        match (principal, home) {
            (Principal::Outside(_), _) => Needs::ResourcesSide,
            // An account that the estate does not declare is an outsider as a whole.
            (Principal::Account(id), _) if self.estate.get(id).is_none() => Needs::ResourcesSide,
            (_, None) => Needs::EitherSide,
            (_, Some(AccountOf::Unknown)) => Needs::Unknown,
            (_, Some(_)) if there == AccountOf::Unknown => Needs::Unknown,
            (_, Some(here)) if here == there => Needs::EitherSide,
            _ => Needs::BothSides,
        }
    }

    /// Whether one side is enough between an account and all others.
    pub(crate) fn is_one_sided(&self, account: AccountOf) -> bool {
        matches!(account, AccountOf::Known(id)
            if self.estate.get(id).is_some_and(|scope| scope.cross_account == CrossAccount::OneSide))
    }

    /// Whether actions on the thing take upper and lower case as one.
    pub fn any_case(&self, thing: Thing) -> bool {
        self.some_ignore_case && self.ignores_case(self.account_of(thing))
    }

    /// Whether actions on something take upper and lower case as one.
    pub(crate) fn any_case_on(&self, on: On<'_>) -> bool {
        self.some_ignore_case && self.ignores_case(self.account_on(on))
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

    pub(crate) fn tags_of(&self, thing: Thing) -> &'e [(Name, Name)] {
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
    /// Allows among those that are given to everybody, and so count from both sides.
    to_all: Truth,
    deny: Truth,
}

impl Weights {
    const NONE: Self = Self { allow: Truth::False, to_all: Truth::False, deny: Truth::False };

    fn add(&mut self, effect: Effect, holds: Truth, to_all: bool) {
        match effect {
            Effect::Allow => {
                self.allow = self.allow.or(holds);
                if to_all {
                    self.to_all = self.to_all.or(holds);
                }
            }
            Effect::Deny => self.deny = self.deny.or(holds),
        }
    }
}

/// One question being answered.
struct Case<'a, 'q, 'e> {
    access: &'a Access<'e>,
    principal: Principal,
    action: &'q Action,
    on: On<'q>,
    given: &'q Context,
    profile: Profiled<'a>,
    there: AccountOf,
    any_case: bool,
    label: Label<'q, 'e>,
}

impl<'a, 'q, 'e> Case<'a, 'q, 'e> {
    fn new(
        access: &'a Access<'e>,
        principal: Principal,
        action: &'q Action,
        on: On<'q>,
        given: &'q Context,
    ) -> Self {
        let there = access.account_on(on);
        Self {
            profile: access.profile(principal),
            there,
            any_case: access.some_ignore_case && access.ignores_case(there),
            label: Label::new(access.estate, on),
            access,
            principal,
            action,
            on,
            given,
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
        let to_all = callers.to_all.or(resources.to_all);
        let allowed = allowed(needs, callers.allow, resources.allow, to_all, record);
        if !R::KEEPS && (denied == Truth::True || allowed == Truth::False) {
            return Verdict::No;
        }
        let bounded = self.ceilings(record);
        allowed.and(!denied).and(bounded).into()
    }

    /// Whether the resource's side must allow, and nothing stands on the resource.
    fn needs_what_is_not_there(&self, needs: Needs) -> bool {
        matches!(needs, Needs::BothSides | Needs::ResourcesSide)
            && self.admissions().is_empty()
            && !self.access.everybody.hold_grants
    }

    fn callers_side<R: Record<'e>>(&self, record: &mut R) -> Weights {
        let estate = self.access.estate;
        let mut weights = Weights::NONE;
        for &Held { grant: id, name, at, ended, set, statements } in &self.profile.grants {
            let here = match at {
                At::Everywhere => true,
                At::Thing(place) => self.access.is_in(self.on, place),
            };
            if (!here || ended) && !R::KEEPS {
                continue;
            }
            for contained in self.access.all_statements(statements, set) {
                let statement = estate.statement(contained.statement);
                let (action, resource) = self.fits(statement);
                if action && resource && here && !ended {
                    let via = Via::Grant { grant: id, name, set: contained.set };
                    let to_all = self.access.everybody.signed_in.contains(&name);
                    let more = &estate.grant(id).conditions;
                    let holds = self.ground((contained.statement, statement), (via, to_all), more, record);
                    weights.add(statement.effect, holds, to_all);
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
        for &id in self.admissions() {
            let admission = access.estate.admission(id);
            let to = access.estate.list(admission.to);
            let Some(&name) = self.profile.names.iter().find(|name| to.contains(name)) else { continue };
            let to_all = to.iter().any(|name| access.everybody.anyone.contains(name));
            let statement = access.estate.statement(admission.statement);
            if self.fits(statement) == (true, true) {
                let via = Via::Admission { admission: id, name };
                let holds = self.ground((admission.statement, statement), (via, to_all), &[], record);
                weights.add(statement.effect, holds, to_all);
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
                    let holds = self.ground((each, statement), (Via::Ceiling(id), false), &[], record);
                    weights.add(statement.effect, holds, false);
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

    /// The statements on the resource itself.
    fn admissions(&self) -> &'a [AdmissionId] {
        match self.on {
            On::There(thing) => self.access.admissions_on(thing),
            On::New(_) => &[],
        }
    }

    /// Whether a statement picks the action, and whether it picks the resource.
    fn fits(&self, statement: &Statement) -> (bool, bool) {
        let action = self.action.is_picked_by(statement.actions, self.any_case);
        let resource = || self.access.picks_resource(statement.resources, self.on, &self.label);
        (action, action && resource())
    }

    /// Whether an applying statement holds; written down with the conditions that are open.
    fn ground(
        &self,
        (id, statement): (StatementId, &'e Statement),
        (via, to_all): (Via, bool),
        more: &'e [Condition],
        record: &mut impl Record<'e>,
    ) -> Truth {
        let estate = self.access.estate;
        let conditions = || statement.conditions.iter().chain(more);
        let holds = Truth::all(conditions().map(|condition| condition.holds(self, estate)));
        record.ground(|| {
            let unmet = |each: &&Condition| holds != Truth::True && each.holds(self, estate) == holds;
            let unmet = conditions().filter(unmet).collect();
            Ground { statement: id, effect: statement.effect, via, to_all, holds, unmet }
        });
        holds
    }

    fn needs(&self) -> Needs {
        self.access.needs_between(self.principal, self.profile.home, self.there)
    }
}

/// Whether it is allowed, by what the caller's side says, what the resource's does, and what is given to everybody.
fn allowed<'e>(
    needs: Needs,
    callers: Truth,
    resources: Truth,
    to_all: Truth,
    record: &mut impl Record<'e>,
) -> Truth {
    if callers == Truth::False && resources == Truth::False {
        record.shortfall(Shortfall::NothingAllows);
    }
    let by_sides = match needs {
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
                if to_all != Truth::True {
                    record.shortfall(Shortfall::AccountUnknown);
                }
                Truth::Unknown
            }
        }
    };
    by_sides.or(to_all)
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
        (false, _, true, true) if matches!(case.access.picks[crate::estate::Id::index(statement.resources)], super::picks::Pick::Only(only) if case.on.is(only)) => {
            Some(Shortfall::OtherActions(grant))
        }
        _ => None,
    }
}

impl On<'_> {
    fn is(self, other: Thing) -> bool {
        matches!(self, Self::There(thing) if thing == other)
    }
}

impl Access<'_> {
    /// The account that something is of.
    pub(crate) fn account_on(&self, on: On<'_>) -> AccountOf {
        match on {
            On::There(thing) => self.account_of(thing),
            On::New(new) => new.within.map_or(AccountOf::Unnamed, |within| self.account_of(within)),
        }
    }

    fn is_in(&self, on: On<'_>, place: Thing) -> bool {
        match on {
            On::There(thing) => self.estate.lies_in(thing, place),
            On::New(new) => new.within.is_some_and(|within| self.estate.lies_in(within, place)),
        }
    }

    /// What the estate says of the account of a source: nothing where it does not have the source.
    pub fn account_of_source(&self, source: &str) -> Option<Known> {
        let source = self.estate.thing(source).filter(|source| self.estate.is_declared(*source))?;
        match self.account_of(source) {
            AccountOf::Known(account) => Some(Known::Text(self.estate.id(account).to_owned())),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        }
    }
}

impl Facts for Case<'_, '_, '_> {
    /// What the question fixes; else what the estate itself fixes: the caller's account, and the tags of both.
    fn known(&self, attribute: Attribute) -> Option<Cow<'_, Known>> {
        if let Some(known) = self.given.get(attribute) {
            return Some(Cow::Borrowed(known));
        }
        let estate = self.access.estate;
        let tag = |thing: Thing, name: Name| {
            let (_, value) = self.access.tags_of(thing).iter().find(|(each, _)| *each == name)?;
            Some(Cow::Owned(Known::Text(estate.text(*value).to_owned())))
        };
        match (attribute, self.principal) {
            (Attribute::CallerAccount, principal) => match (principal, self.profile.home?) {
                (Principal::Group(_), _) => None,
                (_, AccountOf::Known(account)) => {
                    Some(Cow::Owned(Known::Text(estate.id(account).to_owned())))
                }
                _ => None,
            },
            (Attribute::CallerTag(name), Principal::User(id)) => tag(Thing::User(id), name),
            (Attribute::CallerTag(name), Principal::Identity(id)) => tag(Thing::Identity(id), name),
            (Attribute::ResourceTag(name), _) => match self.on {
                On::There(thing) => tag(thing, name),
                On::New(_) => None,
            },
            // The account of a source that the estate has is known with the source.
            (Attribute::AccountOfSource, _) => match self.given.get(Attribute::SourceResource)? {
                Known::Text(source) => self.access.account_of_source(source).map(Cow::Owned),
                _ => None,
            },
            _ => None,
        }
    }
}
