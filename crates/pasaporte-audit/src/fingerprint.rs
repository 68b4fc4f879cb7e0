//! What stays the same while a weakness does.

use std::collections::BTreeSet;
use std::hash::Hasher;

use pasaporte_core::estate::{Attribute, Condition, Estate, Name, PatternId, Statement, Test};
use siphasher::sip::SipHasher24;

/// A hash of what makes a finding itself: its rule, its thing, and what tells it from others there.
/// No line, count or severity takes part, so it survives reordering and unrelated edits. Printed as sixteen
/// hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(u64);

impl std::fmt::Display for Fingerprint {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:016x}", self.0)
    }
}

impl Fingerprint {
    /// As a number.
    pub fn number(self) -> u64 {
        self.0
    }

    pub(crate) fn of(rule: &str, thing: &str, facets: &[String]) -> Self {
        let mut hash = SipHasher24::new();
        for part in [rule, thing].into_iter().chain(facets.iter().map(String::as_str)) {
            hash.write(&(part.len() as u64).to_le_bytes());
            hash.write(part.as_bytes());
        }
        Self(hash.finish())
    }
}

/// A statement as one line, whole: what fingerprints are made of.
pub(crate) fn canonical(estate: &Estate, statement: &Statement) -> String {
    let all = |ids: &[PatternId]| {
        let mut texts: Vec<&str> = ids.iter().map(|id| estate.pattern(*id).text()).collect();
        texts.sort_unstable();
        texts.join(",")
    };
    let (actions, resources) =
        (estate.actions_picked(statement.actions), estate.resources_picked(statement.resources));
    let mut conditions: Vec<String> =
        statement.conditions.iter().map(|each| condition(estate, each)).collect();
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
