//! identity: what functions run as.

use std::collections::BTreeSet;

use super::finding::{Raised, Raising};
use super::words::{count, exposed, functions, listed};
use super::{Audit, Harm, Impact, Rule, Told};
use crate::access::Verdict;
use crate::entry::Exposed;
use crate::estate::{
    EndpointId, FunctionId, GrantId, IdentityId, Presents, Principal, ScopeId, State, Thing, Way,
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

fn default_in_use(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, identity) in audit.each::<IdentityId>().filter(|(_, it)| it.default) {
        let origin = identity.origin;
        for &function in estate.functions_as(id) {
            let Some(it) = estate.get(function).filter(|it| it.state == State::Enabled) else { continue };
            let (harm, circle) = (audit.harm(id), audit.exposure(function).through_code());
            let raised = Raised::judged(Thing::Function(function), harm, circle, audit.environment(function))
                .facet(estate.id(id));
            let (inherits, function_origin) = (it.runs_as.is_none(), it.origin);
            raising.raise(&raised, move |audit| {
                let estate = audit.estate();
                let others = match estate.functions_as(id).len() - 1 {
                    0 => String::new(),
                    1 => ", as does 1 other function".to_owned(),
                    more => format!(", as do {more} other functions"),
                };
                let inherited = if inherits { " because nothing else was said" } else { "" };
                Told::new(format!(
                    "It runs as the default identity:{}{inherited}{others}.{}{}",
                    estate.id(id),
                    may(audit, id, "It"),
                    exposed(audit, audit.exposure(function)),
                ))
                .fix(format!(
                    "Make an identity for function:{} and set its `runs_as`; grant it what it uses.",
                    estate.id(function)
                ))
                .at(function_origin, "the function")
                .at(origin, "the default identity")
            });
        }
    }
}

/// " It may …", with the worst that an identity may do; nothing where it is no more than running code.
fn may(audit: &Audit<'_>, identity: IdentityId, subject: &str) -> String {
    audit.may(identity).map_or_else(String::new, |may| format!(" {subject} may {may}."))
}

fn shared(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, identity) in audit.each::<IdentityId>().filter(|(_, it)| !it.default) {
        let users = estate.functions_as(id);
        if users.len() < 2 || !differ(audit, users) {
            continue;
        }
        let exposure = audit.exposure_of(Principal::Identity(id));
        let environment = audit.environment_of(Principal::Identity(id));
        let raised =
            Raised::judged(Thing::Identity(id), audit.harm(id), exposure.through_code(), environment);
        let origin = identity.origin;
        raising.raise(&raised, move |audit| {
            let estate = audit.estate();
            let users = estate.functions_as(id);
            let told = Told::new(format!(
                "{} run as it ({}), and they differ in {}.{}{}",
                count(users.len(), "function"),
                listed(&functions(estate, users)),
                listed(&differences(audit, users)),
                may(audit, id, "Each of them"),
                exposed(audit, exposure),
            ))
            .fix("Make an identity for each purpose and move one function at a time; the rest keeps working.")
            .at(origin, "the identity");
            let mut shown = users.to_vec();
            shown.sort_unstable_by_key(|id| estate.id(*id));
            shown.into_iter().take(4).fold(told, |told, function| {
                let name = format!("function:{}", estate.id(function));
                told.at(estate.origin(Thing::Function(function)), name)
            })
        });
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
        let origin = identity.origin;
        raising.raise(&raised, move |audit| {
            let grants: Vec<GrantId> = standing(audit, id);
            let told = Told::new(format!(
                "No function, app or gateway uses it and nobody is named who may act as it, yet it holds {}.{}",
                count(grants.len(), "grant"),
                may(audit, id, "It"),
            ))
            .fix("Remove its grants; when nothing has missed them for a month, remove the identity.")
            .at(origin, "the identity");
            grants
                .iter()
                .take(4)
                .fold(told, |told, &grant| told.at(audit.estate().grant(grant).origin, "a grant that stands"))
        });
    }
}

/// The grants in force that an identity holds itself or by a group, but not as anybody would.
fn standing(audit: &Audit<'_>, id: IdentityId) -> Vec<GrantId> {
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
