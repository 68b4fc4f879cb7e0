//! What is held and was not used, as far as logs would have shown it (access-model §8).

use std::collections::BTreeSet;

use rustc_hash::FxHashMap;

use crate::facts::{GrantFact, IdentityFact, Unused};
use crate::finding::{Cause, Raised, Raising};
use crate::rules::grant::{allowing_of, base, worst};
use crate::rules::identity::standing;
use crate::{Audit, Impact, Level, Rule, severity};
use pasaporte_core::effect::Road;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    At, Environment, Grant, GrantId, IdentityId, Name, PatternId, Principal, ScopeId, ScopeKind, Thing,
};
use pasaporte_core::usage::{Logged, Window};

pub(crate) const GRANTS: &[Rule] = &[Rule {
    id: "grant/unused",
    title: "What a grant gives was never used",
    why: "A right that nobody uses serves only whoever gets into the code that holds it.",
    fix: "Take what was never used out of the grant.",
    check: "Explain an action that was never used: the answer must be no; and nothing asks for it in the next month.",
    references: &["CWE-250", "CWE-1164", "NIST SP 800-53 AC-6", "NIST SP 800-53 AC-2"],
    apart: &["holder", "set", "place"],
    judge: unused,
}];

pub(crate) const IDENTITIES: &[Rule] = &[Rule {
    id: "identity/never-used",
    title: "An identity holds grants and was never seen to do anything",
    why: "Nobody would miss it, and nobody would notice who acts as it.",
    fix: "Remove its grants, wait, then remove the identity.",
    check: "The identity holds no grant, or is gone.",
    references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 AC-6"],
    apart: &[],
    judge: never_used,
}];

fn unused(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    if audit.estate().logs().is_empty() {
        return;
    }
    let mut watch = Watch::default();
    for (id, grant) in audit.estate().grants() {
        // What a crowd holds is told as that.
        let of_somebody =
            matches!(grant.principal, Principal::Identity(_) | Principal::User(_) | Principal::Group(_));
        if !of_somebody || audit.effects().is_of_everybody(grant.principal) {
            continue;
        }
        let Some(it) = watch.of_grant(audit, id, grant) else { continue };
        let (fact, road) = it;
        if fact.unused.is_empty() {
            continue;
        }
        let harm = worst(audit, &road).0;
        let raised = base(audit, id, harm);
        // Nothing is done by it: one step milder than what is in use.
        let exposed = audit.exposure_of(grant.principal).through_code();
        let level = severity(harm.impact, exposed.to, audit.environment_of(grant.principal)).lower();
        let raised =
            raised.at_level(Level::Influence(harm.impact, exposed.to, level)).from([Cause::Grant(id)]);
        raising.raise(&raised, GrantFact::Unused(Box::new(fact)));
    }
}

/// The time that logs cover, by place and pattern: many grants ask alike.
#[derive(Default)]
pub(crate) struct Watch {
    known: FxHashMap<(Option<ScopeId>, PatternId), Option<Window>>,
    accounts_below: FxHashMap<Option<ScopeId>, Vec<ScopeId>>,
}

impl Watch {
    /// The time that logs cover of all that a grant gives; none where they do not cover all of it, for long enough.
    pub(crate) fn of_all(&mut self, audit: &Audit<'_>, id: GrantId, grant: &Grant) -> Option<Window> {
        let estate = audit.estate();
        let environment = audit.environment_of(grant.principal);
        let mut all: Option<Window> = None;
        for (_, road) in allowing_of(audit, std::iter::once((id, grant))) {
            for &pattern in estate.actions_picked(estate.statement(road.statement).actions).any() {
                for scope in self.places(audit, &road) {
                    let covered = self.window(audit, scope, pattern, environment)?;
                    all = Some(covered.of_known(all)?);
                }
            }
        }
        all
    }

    /// What of a grant was used and what was not, and a statement that was not; none where logs do not say.
    fn of_grant(&mut self, audit: &Audit<'_>, id: GrantId, grant: &Grant) -> Option<(Unused, Road)> {
        let (estate, effects) = (audit.estate(), audit.effects());
        let environment = audit.environment_of(grant.principal);
        let mut used: BTreeSet<Name> = BTreeSet::new();
        let (mut count, mut window, mut told) = (0_u64, None, None);
        let mut unused: Vec<PatternId> = Vec::new();
        for (_, road) in allowing_of(audit, std::iter::once((id, grant))) {
            let mut of_road: BTreeSet<Name> = BTreeSet::new();
            for who in holders(audit, grant.principal) {
                let it = effects.used_of(who, &road);
                count = count.saturating_add(it.count);
                of_road.extend(it.actions);
            }
            let statement = estate.statement(road.statement);
            for &pattern in estate.actions_picked(statement.actions).any() {
                if of_road.iter().any(|action| estate.pattern(pattern).matches_any_case(estate.text(*action)))
                {
                    continue;
                }
                for scope in self.places(audit, &road) {
                    let covered = self.window(audit, scope, pattern, environment)?;
                    window = Some(covered.of_known(window)?);
                }
                unused.push(pattern);
                told.get_or_insert(road);
            }
            used.extend(of_road);
        }
        unused.sort_by_key(|pattern| estate.pattern(*pattern).text());
        unused.dedup();
        let fact = Unused {
            grant: id,
            used: used.into_iter().collect(),
            count,
            unused: unused.into(),
            window: window?,
        };
        Some((fact, told?))
    }

    /// Where what a statement takes would be logged.
    fn places(&mut self, audit: &Audit<'_>, road: &Road) -> Vec<Option<ScopeId>> {
        let estate = audit.estate();
        let resources = estate.statement(road.statement).resources;
        if let Some(thing) = audit.effects().only(resources) {
            return vec![estate.scope_of(thing)];
        }
        let above = match road.at {
            At::Everywhere => None,
            At::Thing(Thing::Scope(scope)) => match estate.get(scope).map(|it| it.kind) {
                Some(ScopeKind::Organization | ScopeKind::Folder) => Some(scope),
                Some(ScopeKind::Account | ScopeKind::App) | None => return vec![Some(scope)],
            },
            At::Thing(thing) => return vec![estate.scope_of(thing)],
        };
        let below = self.accounts_below.entry(above).or_insert_with(|| {
            let accounts =
                estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account).map(|(id, _)| id);
            accounts.filter(|id| above.is_none_or(|above| estate.tree().is_within(*id, above))).collect()
        });
        // Without accounts nothing is known of where it would be logged.
        if below.is_empty() { vec![above] } else { below.iter().map(|id| Some(*id)).collect() }
    }

    fn window(
        &mut self,
        audit: &Audit<'_>,
        scope: Option<ScopeId>,
        pattern: PatternId,
        environment: Option<Environment>,
    ) -> Option<Window> {
        let estate = audit.estate();
        let find = || estate.logged(scope, Logged::Every(estate.pattern(pattern)));
        let window = *self.known.entry((scope, pattern)).or_insert_with(find);
        window.filter(|window| audit.is_enough(window, environment))
    }
}

/// Everybody who holds what is given to a name.
pub(crate) fn holders(audit: &Audit<'_>, name: Principal) -> Vec<Principal> {
    match name {
        Principal::Group(group) => audit.effects().everybody_in(group),
        other => vec![other],
    }
}

fn never_used(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.logs().is_empty() {
        return;
    }
    let mut watch = Watch::default();
    for (id, identity) in audit.each::<IdentityId>() {
        let grants = standing(audit, id);
        let was_seen = !estate.uses_by(Principal::Identity(id)).is_empty();
        if grants.is_empty() || was_seen {
            continue;
        }
        let mut window: Option<Window> = None;
        let unused = grants.iter().all(|grant| {
            let it = estate.grant(*grant);
            let of_it = Grant { principal: Principal::Identity(id), ..it.clone() };
            let Some((fact, _)) = watch.of_grant(audit, *grant, &of_it) else { return false };
            window = fact.window.of_known(window);
            fact.used.is_empty() && window.is_some()
        });
        let Some(window) = window.filter(|_| unused) else { continue };
        let impact = match audit.harm(id).impact {
            Impact::ControlsAccess | Impact::ConfidentialData | Impact::DataOrSecrets => {
                Impact::DataOrSecrets
            }
            Impact::RunsCode | Impact::Hygiene => Impact::Hygiene,
        };
        let environment = estate.environment(identity.environment, identity.scope);
        let raised = Raised::new(Thing::Identity(id), Level::Table(impact, Exposure::Insiders))
            .within(environment)
            .from(grants.iter().map(|grant| Cause::Grant(*grant)));
        raising.raise(&raised, IdentityFact::NeverUsed(Box::new((id, window))));
    }
}
