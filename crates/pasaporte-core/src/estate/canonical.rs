//! Statements in the words of the format and none of ours, sorted: the same line wherever they stand and however they are
//! written. Fingerprints are made of it, and two estates compared.

use std::collections::BTreeSet;

use super::{Attribute, Condition, Estate, Name, PatternId, Statement, Test};

/// A statement as one line, whole: what fingerprints are made of.
pub fn canonical(estate: &Estate, statement: &Statement) -> String {
    let all = |ids: &[PatternId]| {
        let mut texts: Vec<&str> = ids.iter().map(|id| estate.pattern(*id).text()).collect();
        texts.sort_unstable();
        texts.join(",")
    };
    let (actions, resources) =
        (estate.actions_picked(statement.actions), estate.resources_picked(statement.resources));
    format!(
        "{} {} but {} on {} but {} if {}",
        statement.effect,
        all(actions.any()),
        all(actions.except()),
        all(resources.any()),
        all(resources.except()),
        conditions(estate, &statement.conditions),
    )
}

/// Conditions as one line.
pub fn conditions(estate: &Estate, all: &[Condition]) -> String {
    let mut told: Vec<String> = all.iter().map(|each| condition(estate, each)).collect();
    told.sort_unstable();
    told.join("; ")
}

/// A condition by its parts, in the words of the format and none of ours.
fn condition(estate: &Estate, condition: &Condition) -> String {
    let Condition::Test(attribute, test) = condition else {
        let Condition::Opaque(text) = condition else { return String::new() };
        return format!("opaque {}", estate.text(*text));
    };
    let tag = match attribute {
        Attribute::CallerTag(name) | Attribute::ResourceTag(name) => estate.text(*name),
        _ => "",
    };
    let sorted = |values: Vec<String>| {
        let values: BTreeSet<String> = values.into_iter().collect();
        values.into_iter().collect::<Vec<_>>().join(",")
    };
    let names = |names: &[Name]| sorted(names.iter().map(|name| estate.text(*name).to_owned()).collect());
    let (how, what) = match test {
        Test::Equals(values) => ("is", names(values)),
        Test::NotEquals(values) => ("not", names(values)),
        Test::Like(patterns) => ("like", sorted(patterns.iter().map(ToString::to_string).collect())),
        Test::InNetwork(nets) => ("in", sorted(nets.iter().map(ToString::to_string).collect())),
        Test::Before(time) => ("before", time.to_string()),
        Test::After(time) => ("after", time.to_string()),
        Test::Present(present) => ("present", present.to_string()),
    };
    format!("{}{tag} {how} {what}", attribute.word())
}
