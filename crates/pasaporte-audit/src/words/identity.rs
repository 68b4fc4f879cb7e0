//! What is told of what functions run as.

use std::collections::BTreeSet;

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{EnrolmentId, Environment, FunctionId, IdentityId, Principal, Thing};
use pasaporte_core::usage::Window;

use super::Told;
use super::phrases::{count, exposed, functions, listed};
use super::seen::over;
use crate::Audit;
use crate::facts::{Crossing, IdentityFact, LongLived, Static};
use crate::rules::identity::{standing, triggers_of};

pub(super) fn tell(audit: &Audit<'_>, fact: &IdentityFact) -> Option<Told> {
    match fact {
        IdentityFact::DefaultInUse { function, identity } => default_in_use(audit, *function, *identity),
        IdentityFact::Shared(identity) => Some(shared(audit, *identity)),
        IdentityFact::Orphaned(identity) => Some(orphaned(audit, *identity)),
        IdentityFact::NeverUsed(it) => Some(never_used(audit, it.0, &it.1)),
        IdentityFact::LongLived(it) => long_lived(audit, it),
        IdentityFact::CrossesEnvironments(it) => Some(crosses(audit, it)),
        IdentityFact::StaticSecretToo(it) => Some(static_secret(audit, it)),
        IdentityFact::StaleEnrolment(id, anew) => Some(stale_enrolment(audit, *id, *anew)),
        IdentityFact::WideEnrolment(id, identity) => Some(wide_enrolment(audit, *id, *identity)),
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

fn long_lived(audit: &Audit<'_>, it: &LongLived) -> Option<Told> {
    let estate = audit.estate();
    let credential = estate.get(it.identity)?.credentials.get(it.credential)?;
    let name = estate.text(credential.id);
    let mut wrong = Vec::new();
    wrong.extend(it.old.map(|days| format!("is {days} days old")));
    if credential.expires.is_none() {
        wrong.push("never ends".to_owned());
    }
    if it.never_used {
        wrong.push("was never used".to_owned());
    }
    wrong.extend(it.idle.map(|days| format!("was not used for {days} days")));
    let held: Vec<String> =
        estate.list(credential.held_by).iter().map(|name| estate.text(*name).to_owned()).collect();
    let held = if held.is_empty() { String::new() } else { format!(" It was given to {}.", listed(&held)) };
    let fix = if it.never_used || it.idle.is_some() {
        format!("Switch {name} off; if nothing misses it within a month, remove it.")
    } else {
        format!(
            "Let what uses {name} act as the identity without it; until then replace it, and give it an end."
        )
    };
    let told = Told::new(format!(
        "Whoever has its credential {name} acts as it, and that {}.{held}{}",
        listed(&wrong),
        may(audit, it.identity, "Then they"),
    ));
    Some(told.fix(fix).at(credential.origin, "the credential"))
}

fn crosses(audit: &Audit<'_>, it: &Crossing) -> Told {
    let told =
        it.function.map_or_else(|| crosses_by_acting(audit, it), |id| crosses_by_running(audit, id, it));
    told.at(it.to.thing().and_then(|thing| audit.estate().origin(thing)), "who is of production")
}

fn environment_in_words(it: Option<Environment>) -> String {
    it.map_or_else(|| "test".to_owned(), |it| it.to_string())
}

fn crosses_by_running(audit: &Audit<'_>, function: FunctionId, it: &Crossing) -> Told {
    let estate = audit.estate();
    Told::new(format!(
        "It is a {} function and runs as {}, an identity of production.{}{}",
        environment_in_words(audit.environment(function)),
        estate.principal_label(it.to),
        may_as(audit, it.to, "It"),
        exposed(audit, audit.exposure(function)),
    ))
    .fix(format!(
        "Make an identity for function:{} in its own environment, and set its `runs_as`.",
        estate.id(function)
    ))
    .at(estate.origin(Thing::Function(function)), "the function")
}

fn crosses_by_acting(audit: &Audit<'_>, it: &Crossing) -> Told {
    let estate = audit.estate();
    let to = estate.principal_label(it.to);
    let by: Vec<String> = it.by.iter().map(|who| estate.principal_label(*who)).collect();
    let (acts, way) = match by.as_slice() {
        [] => ("may act as", String::new()),
        by => ("comes to act as", format!(" by way of {}", listed(by))),
    };
    Told::new(format!(
        "It is an identity of the {} environment and {acts} {to}, {} of production{way}{}.{}",
        environment_in_words(audit.environment_of(Principal::Identity(it.from))),
        match it.to {
            Principal::User(_) => "a user",
            Principal::Group(_) => "a group",
            _ => "an identity",
        },
        if it.verdict == Verdict::Yes { "" } else { ", on conditions" },
        may_as(audit, it.to, "Then it"),
    ))
    .fix(super::trust::part(audit, it.by.last().copied().unwrap_or(Principal::Identity(it.from)), it.to))
    .at(estate.origin(Thing::Identity(it.from)), "the identity")
}

fn static_secret(audit: &Audit<'_>, it: &Static) -> Told {
    let estate = audit.estate();
    let settings: Vec<String> = it.settings.iter().map(|name| estate.text(*name).to_owned()).collect();
    let (resource, identity) =
        (estate.label(Thing::Resource(it.resource)), format!("identity:{}", estate.id(it.identity)));
    Told::new(format!(
        "By its name, {} in its settings is a secret for {resource}, which it reaches as {identity} already.",
        listed(&settings)
    ))
    .fix(format!(
        "Let the code reach {resource} as {identity}; take {} out of its settings, and change what it was.",
        listed(&settings)
    ))
    .at(estate.origin(Thing::Function(it.function)), "the settings of the function")
    .at(estate.origin(Thing::Identity(it.identity)), "what it runs as")
}

fn stale_enrolment(audit: &Audit<'_>, id: EnrolmentId, anew: Option<IdentityId>) -> Told {
    let estate = audit.estate();
    let it = estate.enrolment(id);
    let (system, client, role) = (estate.text(it.system), estate.text(it.client_id), estate.text(it.role));
    let listed = format!("{system} lists {client} with the role {role}, and no identity has that client id.");
    let told = if let Some(identity) = anew {
        let name = format!("identity:{}", estate.id(identity));
        Told::new(format!(
            "{listed} {name} has the same role there now by another client id: it was probably made anew."
        ))
        .fix(format!("Take {client} out of {system}; {name} has a place of its own."))
        .at(estate.origin(Thing::Identity(identity)), "the identity that has the role now")
    } else {
        Told::new(format!("{listed} Whose it was is gone.")).fix(format!("Take {client} out of {system}."))
    };
    told.at(it.origin, "the enrolment")
}

fn wide_enrolment(audit: &Audit<'_>, id: EnrolmentId, identity: Option<IdentityId>) -> Told {
    let estate = audit.estate();
    let it = estate.enrolment(id);
    let (system, client, role) = (estate.text(it.system), estate.text(it.client_id), estate.text(it.role));
    let who = identity.map_or_else(|| client.to_owned(), |id| format!("identity:{}", estate.id(id)));
    let from =
        identity.map_or_else(String::new, |id| exposed(audit, audit.exposure_of(Principal::Identity(id))));
    Told::new(format!("{who} has the role {role} in {system}, which administers it: no grant here bounds what it does there.{from}"))
        .fix(format!("Give {client} the role in {system} that the code needs."))
        .at(it.origin, "the enrolment")
        .at(identity.and_then(|id| estate.origin(Thing::Identity(id))), "the identity")
}

/// " It may …", with the worst that an identity may do; nothing where it is no more than running code.
fn may(audit: &Audit<'_>, identity: IdentityId, subject: &str) -> String {
    may_as(audit, Principal::Identity(identity), subject)
}

/// The same of whoever acts as somebody.
fn may_as(audit: &Audit<'_>, who: Principal, subject: &str) -> String {
    audit.effects().may_as(who).map_or_else(String::new, |may| format!(" {subject} may {may}."))
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
