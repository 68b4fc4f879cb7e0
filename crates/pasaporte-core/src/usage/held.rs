//! Which of what somebody holds was used, by the same patterns as decide it.

use std::collections::BTreeSet;

use crate::access::Action;
use crate::effect::{Effects, Road};
use crate::estate::{Name, Outcome, Principal, Thing, Use};

/// What was seen of the use of a statement.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct UsedOf {
    /// Its actions that were used.
    pub actions: BTreeSet<Name>,
    /// How often, in all.
    pub count: u64,
}

impl Effects<'_> {
    /// What somebody was seen to do that a road gives them.
    pub fn used_of(&self, who: Principal, road: &Road) -> UsedOf {
        let mut used = UsedOf::default();
        for it in self.estate().uses_by(who).iter().filter(|it| it.outcome == Outcome::Allowed) {
            if self.is_of(it, road) {
                used.actions.insert(it.did);
                used.count = used.count.saturating_add(it.tally.count);
            }
        }
        used
    }

    /// Whether a road is about an action on a thing: its statement takes both, where it holds.
    pub fn is_about(&self, road: &Road, action: &Action, on: Thing) -> bool {
        let estate = self.estate();
        let statement = estate.statement(road.statement);
        action.is_picked_by(statement.actions, self.any_case(on))
            && estate.lies_at(on, road.at)
            && self.takes(statement.resources, on)
    }

    /// Whether a road gives what was done. What was done to something that the log does not name may be.
    pub fn is_of(&self, it: &Use, road: &Road) -> bool {
        let estate = self.estate();
        let statement = estate.statement(road.statement);
        let any_case = it.to.is_some_and(|thing| self.any_case(thing));
        let on = || {
            it.to.is_none_or(|thing| estate.lies_at(thing, road.at) && self.takes(statement.resources, thing))
        };
        self.action(estate.text(it.did)).is_picked_by(statement.actions, any_case) && on()
    }
}
