//! identity: what functions run as.

use std::collections::BTreeSet;

use crate::facts::IdentityFact;
use crate::finding::{Raised, Raising};
use crate::{Audit, Harm, Impact, Rule};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposed;
use pasaporte_core::estate::{
    EndpointId, FunctionId, GrantId, IdentityId, Presents, Principal, ScopeId, State, Thing, Way,
};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "identity/default-in-use",
        title: "A function runs as the platform's default identity",
        why: "Everything that nobody thought about runs as it, so whatever one of them needed, all of them have.",
        fix: "Give the function an identity of its own, with the grants it needs; then take those grants from the default.",
        check: "The function's card names an identity that no other function uses.",
        references: &["CWE-250", "CWE-1188", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-9"],
        apart: &["identity"],
        judge: default_in_use,
    },
    Rule {
        id: "identity/shared",
        title: "Functions with different needs share one identity",
        why: "Each of them holds what any of them needs, and logs cannot tell who did what.",
        fix: "Give each purpose an identity of its own and divide the grants among them.",
        check: "List identities: none serves more than one purpose.",
        references: &["CWE-250", "NIST SP 800-53 AC-6", "NIST SP 800-53 AU-10"],
        apart: &[],
        judge: shared,
    },
    Rule {
        id: "identity/orphaned",
        title: "No function uses an identity, and its grants stand",
        why: "Nobody would notice it being used, and nobody remembers what it was for.",
        fix: "Remove its grants, wait, then remove the identity.",
        check: "The identity holds no grant, or is gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: orphaned,
    },
];

fn default_in_use(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, _) in audit.each::<IdentityId>().filter(|(_, it)| it.default) {
        for &function in estate.functions_as(id) {
            let Some(_it) = estate.get(function).filter(|it| it.state == State::Enabled) else { continue };
            let (harm, circle) = (audit.harm(id), audit.exposure(function).through_code());
            let raised = Raised::judged(Thing::Function(function), harm, circle, audit.environment(function))
                .facet(estate.id(id));
            raising.raise(&raised, IdentityFact::DefaultInUse { function, identity: id });
        }
    }
}

fn shared(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, _) in audit.each::<IdentityId>().filter(|(_, it)| !it.default) {
        let users = estate.functions_as(id);
        if users.len() < 2 || !differ(audit, users) {
            continue;
        }
        let exposure = audit.exposure_of(Principal::Identity(id));
        let environment = audit.environment_of(Principal::Identity(id));
        let raised =
            Raised::judged(Thing::Identity(id), audit.harm(id), exposure.through_code(), environment);
        raising.raise(&raised, IdentityFact::Shared(id));
    }
}

/// Whether functions differ in anything that [`differences`] tells; found without writing anything down.
fn differ(audit: &Audit<'_>, users: &[FunctionId]) -> bool {
    let estate = audit.estate();
    let told = |id: FunctionId| {
        let it = estate.get(id);
        let owner = it.and_then(|it| estate.owner(it.owner, it.scope));
        (audit.environment(id), owner, it.and_then(|it| it.scope))
    };
    let Some((&first, others)) = users.split_first() else { return false };
    let of_first = told(first);
    others.iter().any(|&id| told(id) != of_first)
        || others.iter().any(|&id| triggers_of(audit, id) != triggers_of(audit, first))
}

/// The kinds of events that a function runs on: "http", "queue", "timer" …
pub(crate) fn triggers_of(audit: &Audit<'_>, function: FunctionId) -> String {
    let estate = audit.estate();
    let triggers = estate.triggers_of(function).iter().filter_map(|&id| estate.get(id));
    let mut kinds: BTreeSet<&str> = triggers.map(|trigger| estate.text(trigger.kind)).collect();
    if !estate.endpoints_of(function).is_empty() {
        kinds.insert("http");
    }
    if kinds.is_empty() {
        return "calls".to_owned();
    }
    kinds.into_iter().collect::<Vec<_>>().join(" + ")
}

fn orphaned(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let scopes = estate.all::<ScopeId>().filter_map(|(_, scope)| scope.runs_as);
    let gateways = estate.all::<EndpointId>().filter_map(|(_, endpoint)| match endpoint.way {
        Way::Route { presents: Presents::Identity(identity), .. } => Some(identity),
        _ => None,
    });
    let in_use: BTreeSet<IdentityId> = scopes.chain(gateways).collect();
    for (id, identity) in audit.each::<IdentityId>() {
        if !estate.functions_as(id).is_empty() || in_use.contains(&id) {
            continue;
        }
        if standing(audit, id).is_empty() || somebody_acts_as(audit, id) {
            continue;
        }
        // Nobody runs as it, so what it holds is at rest: one step milder than in use.
        let resting = |impact| match impact {
            Impact::ControlsAccess | Impact::ConfidentialData => Impact::ConfidentialData,
            Impact::DataOrSecrets => Impact::DataOrSecrets,
            Impact::RunsCode | Impact::Hygiene => Impact::RunsCode,
        };
        let harm = audit.harm(id);
        let harm =
            Harm { impact: resting(harm.impact), surely_at_least: resting(harm.surely_at_least), ..harm };
        let environment = estate.environment(identity.environment, identity.scope);
        let raised = Raised::judged(Thing::Identity(id), harm, Exposed::INSIDE, environment);
        raising.raise(&raised, IdentityFact::Orphaned(id));
    }
}

/// The grants in force that an identity holds itself or by a group, but not as anybody would.
pub(crate) fn standing(audit: &Audit<'_>, id: IdentityId) -> Vec<GrantId> {
    let held = audit.effects().held(Principal::Identity(id));
    let own = held.iter().filter(|(grant, name)| {
        matches!(name, Principal::Identity(_) | Principal::Group(_))
            && !audit.effects().is_of_everybody(*name)
            && !audit.effects().has_expired(audit.estate().grant(*grant))
    });
    own.map(|(grant, _)| *grant).collect()
}

/// Whether anybody but platform services may act as an identity because its trust, or a grant of theirs, is about it.
/// An administrator may act as every identity, which does not make one used.
fn somebody_acts_as(audit: &Audit<'_>, identity: IdentityId) -> bool {
    let effects = audit.effects();
    let on = Thing::Identity(identity);
    let given = audit.now();
    effects
        .named_to_assume(on)
        .into_iter()
        .filter(|who| !matches!(who, Principal::Service(_)) && *who != Principal::Identity(identity))
        .any(|principal| effects.best_of(principal, effects.assume(), on, &given) != Verdict::No)
}
