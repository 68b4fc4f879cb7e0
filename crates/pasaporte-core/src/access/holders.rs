//! Who may perhaps do something to a thing: the statements turned around, from the thing to who holds them.
//!
//! A statement that names a thing is found by the thing. One with wildcards is kept at the place that its
//! grant is at, under the letters that its pattern begins with; a thing looks under the beginnings of its own
//! name, at each place that it lies in. So the cost of a question is that of the statements that come near.

use rustc_hash::FxHashMap;

use super::picks::Pick;
use super::{Access, Action, Verdict};
use crate::access::{Context, Question};
use crate::estate::{AccountOf, ActionsId, At, Effect, GroupId, Id, Principal, ResourcesId, ScopeId, Thing};

/// The statements that allow some actions, by what they may be about.
#[derive(Debug)]
pub struct Holders {
    named: FxHashMap<Thing, Vec<(At, Given)>>,
    wide: FxHashMap<At, ByHome>,
}

/// Statements with wildcards at one place, by the account of whom they are given to; none where that is not one and known.
type ByHome = FxHashMap<Option<ScopeId>, Wide>;

/// What a statement gives to a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Given {
    /// To whom.
    pub(crate) to: Principal,
    /// Which actions.
    pub(crate) actions: ActionsId,
    /// Whether it has no condition.
    pub(crate) is_plain: bool,
}

/// The same of one account, by the letters that their patterns begin with.
#[derive(Debug, Default)]
struct Wide {
    /// How long those beginnings are, each length once.
    lengths: Vec<usize>,
    by_start: FxHashMap<Box<str>, Vec<(ResourcesId, Given)>>,
}

impl Access<'_> {
    /// Turns around all statements that allow an action.
    pub fn holders(&self, action: &Action) -> Holders {
        self.holders_of(|actions| action.may_be_picked_by(actions))
    }

    /// Turns around all statements that allow actions which are wanted.
    pub(crate) fn holders_of(&self, wanted: impl Fn(ActionsId) -> bool) -> Holders {
        let estate = self.estate;
        let mut holders = Holders { named: FxHashMap::default(), wide: FxHashMap::default() };
        for (_, grant) in estate.grants().filter(|(_, grant)| !self.has_expired(grant)) {
            // Wherever a group lies, its members may be of any account.
            let home = match grant.principal {
                Principal::Group(_) => None,
                holder => self.known_home(holder),
            };
            for contained in self.statements_of(grant) {
                let statement = estate.statement(contained.statement);
                if statement.effect == Effect::Deny || !wanted(statement.actions) {
                    continue;
                }
                let is_plain = statement.conditions.is_empty() && grant.conditions.is_empty();
                let given = Given { to: grant.principal, actions: statement.actions, is_plain };
                match self.picks[statement.resources.index()] {
                    Pick::Nothing => {}
                    Pick::Only(thing) => holders.named.entry(thing).or_default().push((grant.at, given)),
                    Pick::All | Pick::Matching { .. } => {
                        let wide = holders.wide.entry(grant.at).or_default().entry(home).or_default();
                        for pattern in self.patterns(estate.resources_picked(statement.resources).any()) {
                            wide.add(&pattern.literal_start(), (statement.resources, given));
                        }
                    }
                }
            }
        }
        holders.wide.values_mut().flat_map(FxHashMap::values_mut).for_each(Wide::settle);
        holders
    }

    /// Who may do the action on a thing, surely or perhaps, by each name that something gives it to, and by each name
    /// that a group of those lists; sorted.
    ///
    /// A group stands for its members: it is there if somebody in it may.
    pub fn who_may(
        &self,
        holders: &Holders,
        action: &Action,
        on: Thing,
        given: &Context,
    ) -> Vec<(Principal, Verdict)> {
        let candidates = self.candidates(holders, |actions| action.may_be_picked_by(actions), on).into_iter();
        let verdicts = candidates.map(|who| (who, self.best_of(who, action, on, given)));
        verdicts.filter(|(_, verdict)| *verdict != Verdict::No).collect()
    }

    /// Whom something gives acting as an identity that is about that identity, or a part of all: not what takes in every
    /// identity that is made. Each once, sorted.
    pub fn named_to_assume(&self, on: Thing) -> Vec<Principal> {
        let for_all = |resources| self.is_wide(resources) && self.may_take_all_of_a_kind(resources);
        self.candidates_but(self.assumers(), |actions| self.assume.may_be_picked_by(actions), on, for_all)
    }

    /// Who may act as an identity, as [`Access::who_may`] tells it: by rights that do not name it too.
    pub fn who_may_assume(&self, on: Thing, given: &Context) -> Vec<(Principal, Verdict)> {
        self.who_may(self.assumers(), &self.assume, on, given)
    }

    fn assumers(&self) -> &Holders {
        self.assumers.get_or_init(|| self.holders(&self.assume))
    }

    /// The verdict on a name; for a group the best of its members'.
    pub fn best_of(&self, who: Principal, action: &Action, on: Thing, given: &Context) -> Verdict {
        let may = |principal| self.verdict(&Question { principal, action, on, given });
        match who {
            // What is given to a group is what its members have of it; of one that is not there, nobody knows who they are.
            Principal::Group(group) if self.estate.get(group).is_some() => {
                self.everybody_in(group).into_iter().map(may).max().unwrap_or(Verdict::No)
            }
            _ => may(who),
        }
    }

    /// Whom something gives what is wanted on a thing to, sorted; with those who are in groups of theirs and are more
    /// than a member. The decision has the last word on each.
    pub(crate) fn candidates(
        &self,
        holders: &Holders,
        wanted: impl Fn(ActionsId) -> bool,
        on: Thing,
    ) -> Vec<Principal> {
        self.candidates_but(holders, wanted, on, |_| false)
    }

    /// The same without those who hold it by choices of resources that are left aside.
    fn candidates_but(
        &self,
        holders: &Holders,
        wanted: impl Fn(ActionsId) -> bool,
        on: Thing,
        aside: impl Fn(ResourcesId) -> bool,
    ) -> Vec<Principal> {
        let given = self.given_but(holders, wanted, on, aside);
        self.named_in(given.into_iter().map(|it| it.to).collect())
    }

    /// Those names, each once, sorted; with those who are in groups of them and are more than a member.
    pub(crate) fn named_in(&self, mut all: Vec<Principal>) -> Vec<Principal> {
        let groups: Vec<GroupId> = all
            .iter()
            .filter_map(|who| match who {
                Principal::Group(group) => Some(*group),
                _ => None,
            })
            .collect();
        // A group may take in a crowd, or somebody from outside, who then is more than a member.
        for group in groups {
            let members = self.everybody_in(group).into_iter();
            all.extend(members.filter(|who| !matches!(who, Principal::User(_) | Principal::Identity(_))));
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// What gives what is wanted on a thing, by whom it is given to.
    pub(crate) fn given_on(
        &self,
        holders: &Holders,
        wanted: impl Fn(ActionsId) -> bool,
        on: Thing,
    ) -> Vec<Given> {
        let mut all = self.given_but(holders, wanted, on, |_| false);
        all.sort_unstable();
        all.dedup();
        all
    }

    fn given_but(
        &self,
        holders: &Holders,
        wanted: impl Fn(ActionsId) -> bool,
        on: Thing,
        aside: impl Fn(ResourcesId) -> bool,
    ) -> Vec<Given> {
        let estate = self.estate;
        let mut all = Vec::new();
        for &id in self.admissions_on(on) {
            let admission = estate.admission(id);
            let statement = estate.statement(admission.statement);
            if statement.effect == Effect::Allow && wanted(statement.actions) {
                let (actions, is_plain) = (statement.actions, statement.conditions.is_empty());
                all.extend(estate.list(admission.to).iter().map(|&to| Given { to, actions, is_plain }));
            }
        }
        for &(at, given) in holders.named.get(&on).into_iter().flatten() {
            all.extend(estate.lies_at(on, at).then_some(given));
        }
        let label = estate.label(on);
        let places = std::iter::successors(Some(on), |thing| estate.parent(*thing)).map(At::Thing);
        let here: Vec<&ByHome> =
            places.chain([At::Everywhere]).filter_map(|at| holders.wide.get(&at)).collect();
        let taken = |(_, wide): (_, &'_ Wide)| {
            let begun = wide.beginning(&label).copied();
            let taken = begun.filter(|(resources, _)| self.takes(*resources, on) && !aside(*resources));
            taken.map(|(_, given)| given).collect::<Vec<Given>>()
        };
        let own = self.closed_to_others(on);
        let is_near = |home: Option<ScopeId>| own.is_none() || home.is_none() || home == own;
        let (near, far): (Vec<_>, Vec<_>) = here.into_iter().flatten().partition(|(home, _)| is_near(**home));
        all.extend(near.into_iter().flat_map(taken));
        // Whoever is given it as one of everybody needs no other side.
        if all.iter().any(|given| self.is_of_everybody(given.to)) {
            all.extend(far.into_iter().flat_map(taken));
        }
        all
    }

    /// The account that somebody is of, where it is one and known.
    pub(crate) fn known_home(&self, who: Principal) -> Option<ScopeId> {
        match self.home(who) {
            Some(AccountOf::Known(home)) => Some(home),
            _ => None,
        }
    }

    /// The account that a thing is of, where whoever is of another gets at it only by a statement on the thing, and none
    /// stands there.
    pub(crate) fn closed_to_others(&self, on: Thing) -> Option<ScopeId> {
        match self.account_of(on) {
            it @ AccountOf::Known(account) if !self.may_be_open(it) && self.admissions_on(on).is_empty() => {
                Some(account)
            }
            _ => None,
        }
    }
}

impl Wide {
    fn add(&mut self, start: &str, statement: (ResourcesId, Given)) {
        self.lengths.push(start.len());
        self.by_start.entry(start.into()).or_default().push(statement);
    }

    fn settle(&mut self) {
        self.lengths.sort_unstable();
        self.lengths.dedup();
        for statements in self.by_start.values_mut() {
            statements.sort_unstable();
            statements.dedup();
        }
    }

    fn beginning(&self, label: &str) -> impl Iterator<Item = &(ResourcesId, Given)> {
        let starts = self.lengths.iter().filter_map(|&length| label.get(..length));
        starts.filter_map(|start| self.by_start.get(start)).flatten()
    }
}
