//! Who may perhaps do something to a thing: the statements turned around, from the thing to who holds them.
//!
//! A statement that names a thing is found by the thing. One with wildcards is kept at the place that its
//! grant is at, under the letters that its pattern begins with; a thing looks under the beginnings of its own
//! name, at each place that it lies in. So the cost of a question is that of the statements that come near.

use rustc_hash::FxHashMap;

use super::picks::Pick;
use super::{Access, Action, Verdict};
use crate::access::{Context, Question};
use crate::estate::{ActionsId, At, Effect, GroupId, Id, Principal, ResourcesId, Thing};

/// The statements that allow some actions, by what they may be about.
#[derive(Debug)]
pub struct Holders {
    named: FxHashMap<Thing, Vec<(At, Principal)>>,
    wide: FxHashMap<At, Wide>,
}

/// Statements with wildcards at one place, by the letters that their patterns begin with.
#[derive(Debug, Default)]
struct Wide {
    /// How long those beginnings are, each length once.
    lengths: Vec<usize>,
    by_start: FxHashMap<Box<str>, Vec<(ResourcesId, Principal)>>,
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
            for contained in self.statements_of(grant) {
                let statement = estate.statement(contained.statement);
                if statement.effect == Effect::Deny || !wanted(statement.actions) {
                    continue;
                }
                match self.picks[statement.resources.index()] {
                    Pick::Nothing => {}
                    Pick::Only(thing) => {
                        holders.named.entry(thing).or_default().push((grant.at, grant.principal));
                    }
                    Pick::All | Pick::Matching { .. } => {
                        let wide = holders.wide.entry(grant.at).or_default();
                        for pattern in self.patterns(estate.resources_picked(statement.resources).any()) {
                            wide.add(&pattern.literal_start(), (statement.resources, grant.principal));
                        }
                    }
                }
            }
        }
        for wide in holders.wide.values_mut() {
            wide.settle();
        }
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
        let holders = self.assumers.get_or_init(|| self.holders(&self.assume));
        let for_all = |resources| self.is_wide(resources) && self.may_take_all_of_a_kind(resources);
        self.candidates_but(holders, |actions| self.assume.may_be_picked_by(actions), on, for_all)
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
        let estate = self.estate;
        let mut all = Vec::new();
        for &id in self.admissions_on(on) {
            let admission = estate.admission(id);
            let statement = estate.statement(admission.statement);
            if statement.effect == Effect::Allow && wanted(statement.actions) {
                all.extend(estate.list(admission.to));
            }
        }
        for &(at, who) in holders.named.get(&on).into_iter().flatten() {
            let here = estate.lies_at(on, at);
            all.extend(here.then_some(who));
        }
        let label = estate.label(on);
        let places = std::iter::successors(Some(on), |thing| estate.parent(*thing)).map(At::Thing);
        for at in places.chain([At::Everywhere]) {
            let Some(wide) = holders.wide.get(&at) else { continue };
            for &(resources, who) in wide.beginning(&label) {
                all.extend((self.takes(resources, on) && !aside(resources)).then_some(who));
            }
        }
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
}

impl Wide {
    fn add(&mut self, start: &str, statement: (ResourcesId, Principal)) {
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

    fn beginning(&self, label: &str) -> impl Iterator<Item = &(ResourcesId, Principal)> {
        let starts = self.lengths.iter().filter_map(|&length| label.get(..length));
        starts.filter_map(|start| self.by_start.get(start)).flatten()
    }
}
