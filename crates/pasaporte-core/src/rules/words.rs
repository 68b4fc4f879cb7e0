//! Phrases that several rules share.

use super::Audit;
use crate::entry::{Exposed, Exposure};
use crate::estate::{At, Estate, FunctionId, Grant, Principal, Selection, Statement};

/// "a, b and c", or "a, b and 3 more" where there are many.
pub(super) fn listed(items: &[String]) -> String {
    const MOST: usize = 4;
    match items {
        [] => "nothing".to_owned(),
        [only] => only.clone(),
        [all @ .., last] if items.len() <= MOST => format!("{} and {last}", all.join(", ")),
        _ => format!("{} and {} more", items[..MOST - 1].join(", "), items.len() - MOST + 1),
    }
}

/// "1 key", "3 keys".
pub(super) fn count(number: usize, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}

/// Where a grant holds, in words: "everywhere", "at account:tickets-prod".
pub(super) fn place(estate: &Estate, grant: &Grant) -> String {
    match grant.at {
        At::Everywhere => "everywhere".to_owned(),
        At::Thing(thing) => format!("at {}", estate.label(thing)),
    }
}

/// A crowd, as the subject of a sentence.
pub(super) fn crowd(audit: &Audit<'_>, who: Principal) -> String {
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
pub(super) fn functions(estate: &Estate, ids: &[FunctionId]) -> Vec<String> {
    let mut labels: Vec<String> = ids.iter().map(|id| estate.id(*id).to_owned()).collect();
    labels.sort_unstable();
    labels
}

/// What a selection takes, in words: "bucket/read, bucket/write", "everything but identity/*".
pub(super) fn selection(estate: &Estate, selection: &Selection) -> String {
    let texts = |ids: &[crate::estate::PatternId]| -> Vec<String> {
        ids.iter().map(|id| estate.pattern(*id).text().to_owned()).collect()
    };
    let any = listed(&texts(selection.any()));
    if selection.except().is_empty() {
        return any;
    }
    let any = if any == "*" { "everything".to_owned() } else { any };
    format!("{any} but {}", listed(&texts(selection.except())))
}

/// A statement as one line, whole: what fingerprints are made of.
pub(super) fn canonical(estate: &Estate, statement: &Statement) -> String {
    let all = |ids: &[crate::estate::PatternId]| {
        let mut texts: Vec<&str> = ids.iter().map(|id| estate.pattern(*id).text()).collect();
        texts.sort_unstable();
        texts.join(",")
    };
    let (actions, resources) =
        (estate.actions_picked(statement.actions), estate.resources_picked(statement.resources));
    let mut conditions: Vec<String> = statement.conditions.iter().map(|each| each.sentence(estate)).collect();
    conditions.sort_unstable();
    format!(
        "{} {} but {} on {} but {} if {}",
        statement.effect,
        all(actions.any()),
        all(actions.except()),
        all(resources.any()),
        all(resources.except()),
        conditions.join("; "),
    )
}

/// A sentence on who can make the holder's code run, where that is more than insiders: " Anyone can
/// make function:x run."
pub(super) fn exposed(audit: &Audit<'_>, exposed: Exposed) -> String {
    let Some((function, _)) = exposed.through else { return String::new() };
    if exposed.to == Exposure::Insiders {
        return String::new();
    }
    let perhaps = if exposed.surely { "can" } else { "may be able to" };
    let who = capitalised(exposed.to.phrase());
    format!(" {who} {perhaps} make function:{} run.", audit.estate().id(function))
}

/// The text with a capital first letter.
pub(super) fn capitalised(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}
