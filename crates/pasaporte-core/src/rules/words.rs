//! Phrases that several rules share.

use super::Audit;
use crate::entry::{Exposed, Exposure};
use crate::estate::{Estate, FunctionId, Selection, Statement};

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
