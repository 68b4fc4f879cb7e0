//! identity: what functions run as.

use std::collections::BTreeSet;

use super::words::{count, exposed, functions, listed};
use super::{Audit, Harm, Impact, Level, Raised, Rule};
use crate::access::{ASSUME, Question};
use crate::entry::Exposed;
use crate::estate::{
    EndpointId, FunctionId, GrantId, Identity, IdentityId, Presents, Principal, ScopeId, State, Thing, Way,
};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "identity/default-in-use",
        title: "A function runs as the platform's default identity",
        why: "Everything that nobody thought about runs as it, so whatever one of them needed, all of them have.",
        fix: "Give the function an identity of its own, with the grants it needs; then take those grants from the default.",
        check: "The function's card names an identity that no other function uses.",
        references: &["CWE-250", "CWE-1188", "NIST SP 800-53 AC-6", "NIST SP 800-53 IA-9"],
        judge: default_in_use,
    },
    Rule {
        id: "identity/shared",
        title: "Functions with different needs share one identity",
        why: "Each of them holds what any of them needs, and logs cannot tell who did what.",
        fix: "Give each purpose an identity of its own and divide the grants among them.",
        check: "List identities: none serves more than one purpose.",
        references: &["CWE-250", "NIST SP 800-53 AC-6", "NIST SP 800-53 AU-10"],
        judge: shared,
    },
    Rule {
        id: "identity/orphaned",
        title: "No function uses an identity, and its grants stand",
        why: "Nobody would notice it being used, and nobody remembers what it was for.",
        fix: "Remove its grants, wait, then remove the identity.",
        check: "The identity holds no grant, or is gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 AC-6"],
        judge: orphaned,
    },
];

fn default_in_use(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let mut raised = Vec::new();
    for (id, identity) in estate.all::<IdentityId>().filter(|(_, it)| it.default) {
        let users = estate.functions_as(id);
        let harm = audit.harm(id);
        for &function in users {
            let Some(it) = estate.get(function).filter(|it| it.state == State::Enabled) else { continue };
            let exposure = audit.exposure(function);
            let others = match users.len() - 1 {
                0 => String::new(),
                1 => ", as does 1 other function".to_owned(),
                more => format!(", as do {more} other functions"),
            };
            let inherited = if it.runs_as.is_none() { " because nothing else was said" } else { "" };
            let may = harm.may.as_ref().map_or_else(String::new, |may| format!(" It may {may}."));
            let situation = format!(
                "It runs as the default identity:{}{inherited}{others}.{may}{}",
                estate.id(id),
                exposed(audit, exposure),
            );
            let finding =
                Raised::new(Thing::Function(function), Level::of(harm, exposure.through_code()), situation)
                    .within(audit.environment(function))
                    .facet(estate.id(id))
                    .fix(format!(
                        "Make an identity for function:{} and set its `runs_as`; grant it what it uses.",
                        estate.id(function)
                    ))
                    .at(it.origin, "the function")
                    .at(identity.origin, "the default identity");
            raised.push(finding);
        }
    }
    raised
}

fn shared(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let mut raised = Vec::new();
    for (id, identity) in estate.all::<IdentityId>().filter(|(_, it)| !it.default) {
        let users = estate.functions_as(id);
        if users.len() < 2 {
            continue;
        }
        let differences = differences(audit, users);
        if differences.is_empty() {
            continue;
        }
        let harm = audit.harm(id);
        let exposure = audit.exposure_of(Principal::Identity(id));
        let may = harm.may.as_ref().map_or_else(String::new, |may| format!(" Each of them may {may}."));
        let situation = format!(
            "{} run as it ({}), and they differ in {}.{may}{}",
            count(users.len(), "function"),
            listed(&functions(estate, users)),
            listed(&differences),
            exposed(audit, exposure),
        );
        let mut finding = Raised::new(
            Thing::Identity(id),
            Level::of(harm, exposure.through_code()),
            situation,
        )
        .within(audit.environment_of(Principal::Identity(id)))
        .fix("Make an identity for each purpose and move one function at a time; the rest keeps working.")
        .at(identity.origin, "the identity");
        for &function in users.iter().take(4) {
            finding = finding
                .at(estate.origin(Thing::Function(function)), format!("function:{}", estate.id(function)));
        }
        raised.push(finding);
    }
    raised
}

/// In what functions differ: what tells purposes apart without having watched them.
fn differences(audit: &Audit<'_>, users: &[FunctionId]) -> Vec<String> {
    let estate = audit.estate();
    let distinct =
        |of: &dyn Fn(FunctionId) -> String| users.iter().map(|&id| of(id)).collect::<BTreeSet<_>>();
    let named = |what: &str, values: BTreeSet<String>| {
        let values: Vec<String> = values.into_iter().collect();
        (values.len() > 1).then(|| format!("{what} ({})", listed(&values)))
    };
    let environments =
        distinct(&|id| audit.environment(id).map_or("unknown".to_owned(), |it| it.to_string()));
    let owners = distinct(&|id| {
        let owner = estate.get(id).and_then(|it| estate.owner(it.owner, it.scope));
        owner.map_or("nobody".to_owned(), |owner| estate.text(owner).to_owned())
    });
    let scopes = distinct(&|id| {
        let scope = estate.get(id).and_then(|it| it.scope);
        scope.map_or("no scope".to_owned(), |scope| estate.label(Thing::Scope(scope)))
    });
    let triggers = distinct(&|id| triggers_of(audit, id));
    [
        named("environment", environments),
        named("owner", owners),
        named("scope", scopes),
        named("what makes them run", triggers),
    ]
    .into_iter()
    .flatten()
    .collect()
}

/// The kinds of events that a function runs on: "http", "queue", "timer" …
fn triggers_of(audit: &Audit<'_>, function: FunctionId) -> String {
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

fn orphaned(audit: &Audit<'_>) -> Vec<Raised> {
    let estate = audit.estate();
    let scopes = estate.all::<ScopeId>().filter_map(|(_, scope)| scope.runs_as);
    let gateways = estate.all::<EndpointId>().filter_map(|(_, endpoint)| match endpoint.way {
        Way::Route { presents: Presents::Identity(identity), .. } => Some(identity),
        _ => None,
    });
    let in_use: BTreeSet<IdentityId> = scopes.chain(gateways).collect();
    let mut raised = Vec::new();
    for (id, identity) in estate.all::<IdentityId>() {
        if !estate.functions_as(id).is_empty() || in_use.contains(&id) {
            continue;
        }
        let standing: Vec<GrantId> = audit
            .access()
            .grants_of(Principal::Identity(id))
            .iter()
            .copied()
            .filter(|&grant| !audit.access().has_expired(estate.grant(grant)))
            .collect();
        if standing.is_empty() || somebody_acts_as(audit, id) {
            continue;
        }
        raised.push(orphan(audit, id, identity, &standing));
    }
    raised
}

fn orphan(audit: &Audit<'_>, id: IdentityId, identity: &Identity, standing: &[GrantId]) -> Raised {
    let estate = audit.estate();
    let harm = audit.harm(id);
    // Nobody runs as it, so what it holds is at rest: one step milder than in use.
    let resting = match harm.impact {
        Impact::ControlsAccess | Impact::ConfidentialData => Impact::ConfidentialData,
        Impact::DataOrSecrets => Impact::DataOrSecrets,
        Impact::RunsCode | Impact::Hygiene => Impact::RunsCode,
    };
    let level = Level::of(&Harm { impact: resting, may: None }, Exposed::INSIDE);
    let may = harm.may.as_ref().map_or_else(String::new, |may| format!(" It may {may}."));
    let situation = format!(
        "No function, app or gateway uses it and nobody else may act as it, yet it holds {}.{may}",
        count(standing.len(), "grant"),
    );
    let finding = Raised::new(Thing::Identity(id), level, situation)
        .within(estate.environment(identity.environment, identity.scope))
        .fix("Remove its grants; when nothing has missed them for a month, remove the identity.")
        .at(identity.origin, "the identity");
    standing
        .iter()
        .take(4)
        .fold(finding, |finding, &grant| finding.at(estate.grant(grant).origin, "a grant that stands"))
}

/// Whether anybody but platform services may act as an identity, by its trust or by grants of theirs.
fn somebody_acts_as(audit: &Audit<'_>, identity: IdentityId) -> bool {
    let estate = audit.estate();
    let access = audit.access();
    let on = Thing::Identity(identity);
    let trusted = super::entry::admitted(audit, on);
    let holders = audit.grants_to_assume().iter().map(|&grant| estate.grant(grant).principal);
    trusted
        .into_iter()
        .chain(holders)
        .filter(|who| !matches!(who, Principal::Service(_)) && *who != Principal::Identity(identity))
        .any(|principal| {
            let given = audit.now();
            access.decide(&Question { principal, action: ASSUME, on, given }).is_possible()
        })
}
