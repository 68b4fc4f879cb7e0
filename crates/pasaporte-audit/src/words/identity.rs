//! What is told of what functions run as.

use std::collections::BTreeSet;

use pasaporte_core::estate::{FunctionId, IdentityId, Principal, Thing};
use pasaporte_core::usage::Window;

use super::Told;
use super::phrases::{count, exposed, functions, listed};
use super::seen::over;
use crate::Audit;
use crate::facts::IdentityFact;
use crate::rules::identity::{standing, triggers_of};

pub(super) fn tell(audit: &Audit<'_>, fact: &IdentityFact) -> Option<Told> {
    match fact {
        IdentityFact::DefaultInUse { function, identity } => default_in_use(audit, *function, *identity),
        IdentityFact::Shared(identity) => Some(shared(audit, *identity)),
        IdentityFact::Orphaned(identity) => Some(orphaned(audit, *identity)),
        IdentityFact::NeverUsed(it) => Some(never_used(audit, it.0, &it.1)),
    }
}

fn default_in_use(audit: &Audit<'_>, function: FunctionId, id: IdentityId) -> Option<Told> {
    let estate = audit.estate();
    let it = estate.get(function)?;
    let others = match estate.functions_as(id).len() - 1 {
        0 => String::new(),
        1 => ", as does 1 other function".to_owned(),
        more => format!(", as do {more} other functions"),
    };
    let inherited = if it.runs_as.is_none() { " because nothing else was said" } else { "" };
    let told = Told::new(format!(
        "It runs as the default identity:{}{inherited}{others}.{}{}",
        estate.id(id),
        may(audit, id, "It"),
        exposed(audit, audit.exposure(function)),
    ))
    .fix(format!(
        "Make an identity for function:{} and set its `runs_as`; grant it what it uses.",
        estate.id(function)
    ));
    Some(told.at(it.origin, "the function").at(estate.origin(Thing::Identity(id)), "the default identity"))
}

fn shared(audit: &Audit<'_>, id: IdentityId) -> Told {
    let estate = audit.estate();
    let users = estate.functions_as(id);
    let told = Told::new(format!(
        "{} run as it ({}), and they differ in {}.{}{}",
        count(users.len(), "function"),
        listed(&functions(estate, users)),
        listed(&differences(audit, users)),
        may(audit, id, "Each of them"),
        exposed(audit, audit.exposure_of(Principal::Identity(id))),
    ))
    .fix("Make an identity for each purpose and move one function at a time; the rest keeps working.")
    .at(estate.origin(Thing::Identity(id)), "the identity");
    let mut shown = users.to_vec();
    shown.sort_unstable_by_key(|id| estate.id(*id));
    shown.into_iter().take(4).fold(told, |told, function| {
        let name = format!("function:{}", estate.id(function));
        told.at(estate.origin(Thing::Function(function)), name)
    })
}

fn orphaned(audit: &Audit<'_>, id: IdentityId) -> Told {
    let estate = audit.estate();
    let grants = standing(audit, id);
    let told = Told::new(format!(
        "No function, app or gateway uses it and nobody is named who may act as it, yet it holds {}.{}",
        count(grants.len(), "grant"),
        may(audit, id, "It"),
    ))
    .fix("Remove its grants; when nothing has missed them for a month, remove the identity.")
    .at(estate.origin(Thing::Identity(id)), "the identity");
    let shown = grants.iter().take(4);
    shown.fold(told, |told, &grant| told.at(estate.grant(grant).origin, "a grant that stands"))
}

fn never_used(audit: &Audit<'_>, id: IdentityId, window: &Window) -> Told {
    let estate = audit.estate();
    let grants = standing(audit, id);
    let runs = match estate.functions_as(id).len() {
        0 => String::new(),
        some => format!(
            " {} as it, and did nothing that it is granted.",
            if some == 1 { "1 function runs".to_owned() } else { format!("{some} functions run") }
        ),
    };
    let told = Told::new(format!(
        "It holds {}, and was not seen to do anything {}.{runs}{}",
        count(grants.len(), "grant"),
        over(window),
        may(audit, id, "It"),
    ))
    .fix("Remove its grants; when nothing has missed them for a month, remove the identity.")
    .at(estate.origin(Thing::Identity(id)), "the identity");
    let shown = grants.iter().take(4);
    shown.fold(told, |told, &grant| told.at(estate.grant(grant).origin, "a grant that stands"))
}

/// " It may …", with the worst that an identity may do; nothing where it is no more than running code.
fn may(audit: &Audit<'_>, identity: IdentityId, subject: &str) -> String {
    audit.may(identity).map_or_else(String::new, |may| format!(" {subject} may {may}."))
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
