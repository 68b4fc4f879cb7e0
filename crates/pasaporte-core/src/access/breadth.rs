//! How much of what a statement gives is left in effect, once denies and ceilings have taken theirs.

use super::profile::Profile;
use super::{Access, Context, Truth};
use crate::estate::{At, CeilingId, Effect, Grant, GrantId, Principal, Statement, StatementId};
use crate::pattern::{Pattern, covers};

/// What is left of a part of a statement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Left {
    /// All of it, though denies may take single actions out.
    Whole,
    /// All of it, if the statement's conditions hold or a ceiling's conditions do.
    Perhaps,
    /// Less: a ceiling confines it, or a deny takes it away.
    Confined,
}

impl Access<'_> {
    /// Whether all of `actions` on all of `resources`, which a statement of `grant` gives to
    /// `holder`, is there in effect.
    ///
    /// Exceptions carve single actions out of something that stays broad, so they do not confine; a
    /// ceiling confines when what it lists does not cover the part, a deny when it covers all of it.
    pub fn left(
        &self,
        holder: Principal,
        grant: &Grant,
        statement: &Statement,
        actions: &Pattern,
        resources: &str,
        given: &Context,
    ) -> Left {
        let estate = self.estate();
        let conditions = statement.conditions.iter().chain(&grant.conditions);
        let holds = Truth::all(conditions.map(|condition| condition.holds(given, estate)));
        if holds == Truth::False || self.has_expired(grant) {
            return Left::Confined;
        }
        if self.is_taken_away(holder, grant, actions, resources, given) {
            return Left::Confined;
        }
        let any_case = self.any_case_at(grant);
        let profile = self.profile(holder);
        let ceilings = profile.ceilings.iter();
        let bounded =
            Truth::all(ceilings.map(|&id| self.ceiling_covers(id, actions, resources, given, any_case)));
        match holds.and(bounded) {
            Truth::False => Left::Confined,
            Truth::Unknown => Left::Perhaps,
            Truth::True => Left::Whole,
        }
    }

    /// Whether the case of actions is ignored where a grant holds: for one that holds everywhere, in
    /// any account.
    pub fn any_case_at(&self, grant: &Grant) -> bool {
        match grant.at {
            At::Thing(place) => self.any_case(place),
            At::Everywhere => self.some_ignore_case,
        }
    }

    fn is_taken_away(
        &self,
        holder: Principal,
        grant: &Grant,
        actions: &Pattern,
        resources: &str,
        given: &Context,
    ) -> bool {
        let estate = self.estate();
        let mut denied = Vec::new();
        let profile = self.profile(holder);
        for &(id, deny) in self.denies(&profile) {
            let other = estate.grant(id);
            let reaches = match (other.at, grant.at) {
                (At::Everywhere, _) => true,
                (At::Thing(_), At::Everywhere) => false,
                (At::Thing(place), At::Thing(here)) => estate.lies_in(here, place),
            };
            if !reaches {
                continue;
            }
            let deny = estate.statement(deny);
            let conditions = deny.conditions.iter().chain(&other.conditions);
            let certain = estate.actions_picked(deny.actions).except().is_empty()
                && estate.resources_picked(deny.resources).except().is_empty()
                && Truth::all(conditions.map(|each| each.holds(given, estate))) == Truth::True;
            if certain && self.covers_resources(deny.resources, resources) {
                denied.extend(self.patterns(estate.actions_picked(deny.actions).any()));
            }
        }
        !denied.is_empty() && covers(&denied, actions, self.any_case_at(grant)) == Some(true)
    }

    /// The denies of those grants of a principal that had not expired.
    pub(super) fn denies<'p>(&self, profile: &'p Profile) -> &'p [(GrantId, StatementId)] {
        profile.denies.get_or_init(|| {
            let in_force = profile.grants.iter().filter(|held| !held.ended);
            in_force
                .flat_map(|held| {
                    let statements = self.all_statements(held.statements, held.set);
                    statements.map(move |contained| (held.grant, contained.statement))
                })
                .filter(|(_, statement)| self.estate.statement(*statement).effect == Effect::Deny)
                .collect()
        })
    }

    fn ceiling_covers(
        &self,
        id: CeilingId,
        actions: &Pattern,
        resources: &str,
        given: &Context,
        any_case: bool,
    ) -> Truth {
        let estate = self.estate();
        let mut certain = Vec::new();
        let mut possible = Vec::new();
        for statement in estate.ceiling(id).statements.ids() {
            let statement = estate.statement(statement);
            if statement.effect == Effect::Deny || !self.covers_resources(statement.resources, resources) {
                continue;
            }
            let listed = self.patterns(estate.actions_picked(statement.actions).any());
            match Truth::all(statement.conditions.iter().map(|each| each.holds(given, estate))) {
                Truth::False => {}
                Truth::Unknown => possible.extend(listed),
                Truth::True => {
                    certain.extend(listed.iter().copied());
                    possible.extend(listed);
                }
            }
        }
        if covers(&certain, actions, any_case) == Some(true) {
            Truth::True
        } else if covers(&possible, actions, any_case) == Some(false) {
            Truth::False
        } else {
            Truth::Unknown
        }
    }
}
