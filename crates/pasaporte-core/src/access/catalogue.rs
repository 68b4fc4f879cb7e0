//! Which class an action is of: what the estate says, else the words that every estate shares.

use super::Access;
use crate::estate::{ActionClass, Estate, Selection};
use crate::pattern::{Found, Pattern, find};

/// Actions whose words mean the same everywhere (docs/estate-format.md, "Actions"). The first line
/// that matches decides.
const COMMON: &[(&str, ActionClass)] = &[
    ("function/invoke", ActionClass::Invoke),
    ("function/update", ActionClass::Code),
    ("function/create", ActionClass::Code),
    ("identity/assume", ActionClass::Identity),
    ("identity/hand-over", ActionClass::Identity),
    ("secret/read", ActionClass::Secret),
    ("key/read", ActionClass::Secret),
    ("key/create", ActionClass::Secret),
    ("?*/list", ActionClass::List),
    ("?*/read", ActionClass::Read),
    ("access/?*", ActionClass::Access),
    ("?*/write", ActionClass::Write),
    ("?*/delete", ActionClass::Delete),
    ("?*/manage", ActionClass::Manage),
];

/// The catalogue of actions: the estate's lines before the common ones.
#[derive(Debug)]
pub struct Catalogue {
    entries: Vec<(Pattern, ActionClass)>,
}

impl Catalogue {
    pub(super) fn new(estate: &Estate) -> Self {
        let own = estate.actions().iter().map(|entry| (entry.pattern.clone(), entry.class));
        let common = COMMON.iter().filter_map(|(text, class)| Some((Pattern::parse(text).ok()?, *class)));
        Self { entries: own.chain(common).collect() }
    }

    /// The class of an action: that of the first line that matches; none where no line does.
    pub fn class(&self, action: &str, any_case: bool) -> Option<ActionClass> {
        let matches = |pattern: &Pattern| {
            if any_case { pattern.matches_any_case(action) } else { pattern.matches(action) }
        };
        self.entries.iter().find(|(pattern, _)| matches(pattern)).map(|(_, class)| *class)
    }
}

impl Access<'_> {
    /// An action that a selection takes, that `within` matches, and whose class (none where no line
    /// of the catalogue matches it) is wanted.
    pub fn action_of(
        &self,
        actions: &Selection,
        within: &Pattern,
        any_case: bool,
        wanted: impl Fn(Option<ActionClass>) -> bool,
    ) -> Option<String> {
        let any = self.patterns(&actions.any);
        let mut before = self.patterns(&actions.except);
        let search = |pattern: Option<&Pattern>, before: &[&Pattern]| {
            let found = match pattern {
                Some(pattern) => find(&[&any, &[within], &[pattern]], before, any_case),
                None => find(&[&any, &[within]], before, any_case),
            };
            match found {
                Found::Example(action) => Some(action),
                Found::Nothing | Found::Unknown => None,
            }
        };
        for (pattern, class) in &self.catalogue().entries {
            if wanted(Some(*class))
                && let Some(action) = search(Some(pattern), &before)
            {
                return Some(action);
            }
            before.push(pattern);
        }
        if wanted(None) { search(None, &before) } else { None }
    }
}
