//! Phrases that several rules share.

use pasaporte_core::access::{Answer, Ground, Truth, Via};
use pasaporte_core::effect::Road;
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{
    At, Effect, Estate, FunctionId, Grant, GrantId, MadeBy, PatternId, Principal, Selection, Thing,
};

use super::Told;
use crate::Audit;

/// "a, b and c", or "a, b and 3 more" where there are many.
pub(crate) fn listed(items: &[String]) -> String {
    const MOST: usize = 4;
    match items {
        [] => "nothing".to_owned(),
        [only] => only.clone(),
        [all @ .., last] if items.len() <= MOST => format!("{} and {last}", all.join(", ")),
        _ => format!("{} and {} more", items[..MOST - 1].join(", "), items.len() - MOST + 1),
    }
}

/// "1 key", "3 keys".
pub(crate) fn count(number: usize, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

/// A grant in a few words: "permission-set:x at account:y".
pub(crate) fn called(audit: &Audit<'_>, id: GrantId) -> String {
    let grant = audit.estate().grant(id);
    format!("{} {}", set_of(audit, grant), place(audit.estate(), grant))
}

pub(crate) fn set_of(audit: &Audit<'_>, grant: &Grant) -> String {
    grant.set.map_or_else(
        || "a grant of its own".to_owned(),
        |set| format!("permission-set:{}", audit.estate().id(set)),
    )
}

/// "once", "4 times", "1,200 times".
pub fn times(count: u64) -> String {
    if count == 1 { "once".to_owned() } else { format!("{} times", grouped(count)) }
}

/// A number with its thousands apart: "9,120".
pub fn grouped(number: u64) -> String {
    let digits = number.to_string();
    let mut text = String::new();
    for (place, digit) in digits.chars().enumerate() {
        if place > 0 && (digits.len() - place).is_multiple_of(3) {
            text.push(',');
        }
        text.push(digit);
    }
    text
}

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(crate) fn place(estate: &Estate, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", estate.label(thing)),
    }
}

/// A crowd, as the subject of a sentence.
pub(crate) fn crowd(audit: &Audit<'_>, who: Principal) -> String {
    let estate = audit.estate();
    match who {
        Principal::Anyone => "anyone, without signing in,".to_owned(),
        Principal::SignedIn => "any signed-in caller of the platform, of whichever customer,".to_owned(),
        Principal::Account(account) => {
            format!("every principal of the foreign account:{}", estate.id(account))
        }
        Principal::Token(verifier) => match audit.effects().public_token_for(verifier) {
            Some((token, _)) => format!("anyone, with the public token:{},", estate.id(token)),
            None => estate.principal_label(who),
        },
        other => estate.principal_label(other),
    }
}

/// The labels of functions, sorted.
pub(crate) fn functions(estate: &Estate, ids: &[FunctionId]) -> Vec<String> {
    let mut labels: Vec<String> = ids.iter().map(|id| estate.id(*id).to_owned()).collect();
    labels.sort_unstable();
    labels
}

/// What a selection takes, in words: "bucket/read, bucket/write", "everything but identity/*".
pub(crate) fn selection(estate: &Estate, selection: &Selection) -> String {
    let texts = |ids: &[PatternId]| -> Vec<String> {
        ids.iter().map(|id| estate.pattern(*id).text().to_owned()).collect()
    };
    let any = listed(&texts(selection.any()));
    if selection.except().is_empty() {
        return any;
    }
    let any = if any == "*" { "everything".to_owned() } else { any };
    format!("{any} but {}", listed(&texts(selection.except())))
}

/// A sentence on who can make the holder's code run, where that is more than insiders: " Anyone can
/// make function:x run."
pub(crate) fn exposed(audit: &Audit<'_>, exposed: Exposed) -> String {
    let Some((function, _)) = exposed.through else { return String::new() };
    if exposed.to == Exposure::Insiders {
        return String::new();
    }
    let perhaps = if exposed.surely { "can" } else { "may be able to" };
    let who = capitalised(exposed.to.phrase());
    format!(" {who} {perhaps} make function:{} run.", audit.estate().id(function))
}

/// The text with a capital first letter.
pub(crate) fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}

/// ", if …" with what an answer depends on.
pub(crate) fn depending(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let residual = answer.residual(audit.estate());
    if residual.is_empty() { residual } else { format!(", {residual}") }
}

/// Adds the places of the statements that allow.
pub(crate) fn at_grounds(audit: &Audit<'_>, told: Told, answer: &Answer<'_>) -> Told {
    let estate = audit.estate();
    let counts = |ground: &&Ground<'_>| ground.effect == Effect::Allow && ground.holds != Truth::False;
    answer.grounds.iter().filter(counts).fold(told, |told, ground| {
        let origin = estate.statement(ground.statement).origin;
        match ground.via {
            Via::Grant { grant, .. } => {
                let grant = estate.grant(grant).origin;
                told.at(origin, "the statement").at((grant != origin).then_some(grant), "the grant")
            }
            Via::Admission { .. } | Via::Ceiling(_) => told.at(origin, "the permission"),
        }
    })
}

pub(crate) fn at_identity(audit: &Audit<'_>, told: Told, function: FunctionId) -> Told {
    let estate = audit.estate();
    let identity = estate.get(function).and_then(|it| estate.runs_as(it));
    match identity {
        Some(identity) => told.at(estate.origin(Thing::Identity(identity)), "what it runs as"),
        None => told,
    }
}

/// " It runs as identity:x, which may …"
pub(crate) fn with_what(audit: &Audit<'_>, function: FunctionId) -> String {
    let estate = audit.estate();
    let Some(identity) = estate.get(function).and_then(|it| estate.runs_as(it)) else {
        return String::new();
    };
    let identity_is = if estate.get(identity).is_some() { "" } else { ", which is not in the estate" };
    match audit.may(identity) {
        Some(may) => format!(" It runs as identity:{}, which may {may}.", estate.id(identity)),
        None => format!(" It runs as identity:{}{identity_is}.", estate.id(identity)),
    }
}

/// "every action but access/write"
pub(crate) fn but(what: String, exceptions: &[String]) -> String {
    if exceptions.is_empty() { what } else { format!("{what} but {}", listed(exceptions)) }
}

/// Who holds what a grant gives, as the subject of a sentence on the finding's thing; so many of so many.
pub(crate) fn holder(audit: &Audit<'_>, principal: Principal, holders: (usize, usize)) -> String {
    match principal {
        Principal::Group(group) if audit.estate().get(group).is_none() => "Whoever is in it".to_owned(),
        Principal::Group(_) => match holders {
            (_, 1) => "Its 1 member".to_owned(),
            (some, all) if some == all => format!("Each of its {all} members"),
            (some, all) => format!("{some} of its {all} members"),
        },
        Principal::Identity(_) | Principal::User(_) => "It".to_owned(),
        Principal::Anyone => "Anyone".to_owned(),
        Principal::SignedIn => "Any signed-in caller, of whichever customer,".to_owned(),
        Principal::Account(_) => "Every principal of the account".to_owned(),
        Principal::Service(_) | Principal::Outside(_) | Principal::Key(_) | Principal::Token(_) => {
            audit.estate().principal_label(principal)
        }
    }
}

/// "by the ready-made permission-set:x"
pub(crate) fn source(audit: &Audit<'_>, road: &Road) -> String {
    let estate = audit.estate();
    let Via::Grant { grant, set: contained, .. } = road.via else {
        return String::new();
    };
    let Some(held) = estate.grant(grant).set else { return "by a statement of its own".to_owned() };
    let ready = match estate.get(held).map(|set| set.made_by) {
        Some(MadeBy::Platform) => "the ready-made ",
        _ => "",
    };
    let through = match contained {
        Some(set) if set != held => format!(", which includes permission-set:{}", estate.id(set)),
        _ => String::new(),
    };
    if contained.is_none() {
        "by a statement of its own".to_owned()
    } else {
        format!("by {ready}permission-set:{}{through}", estate.id(held))
    }
}

/// How the statement of a road is narrowed.
pub(crate) fn narrow(audit: &Audit<'_>, road: &Road, to: &str) -> String {
    let estate = audit.estate();
    let Via::Grant { grant, set: contained, .. } = road.via else {
        return String::new();
    };
    match (estate.grant(grant).set, contained) {
        (Some(set), Some(_)) if estate.get(set).is_some_and(|set| set.made_by == MadeBy::Platform) => {
            format!(
                "Replace permission-set:{} in this grant by a set of your own that lists {to}.",
                estate.id(set)
            )
        }
        (Some(_), Some(set)) => format!("Narrow the statement in permission-set:{} to {to}.", estate.id(set)),
        _ => format!("Narrow the statement of this grant to {to}."),
    }
}
