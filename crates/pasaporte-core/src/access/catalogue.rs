//! Which class an action is of: what the estate says, else the words that every estate shares.

use crate::estate::{ActionClass, Estate};
use crate::pattern::Pattern;

/// Actions whose words mean the same everywhere (docs/estate-format.md, "Actions").
const COMMON: &[(&str, ActionClass)] = &[
    ("function/invoke", ActionClass::Invoke),
    ("function/update", ActionClass::Code),
    ("function/create", ActionClass::Code),
    ("identity/assume", ActionClass::Identity),
    ("identity/hand-over", ActionClass::Identity),
    ("access/?*", ActionClass::Access),
    ("secret/read", ActionClass::Secret),
    ("key/read", ActionClass::Secret),
    ("key/create", ActionClass::Secret),
    ("?*/list", ActionClass::List),
    ("?*/read", ActionClass::Read),
    ("?*/write", ActionClass::Write),
    ("?*/delete", ActionClass::Delete),
    ("?*/manage", ActionClass::Manage),
];

/// The catalogue of actions.
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

    /// The class of an action: that of the first entry that matches; none where no entry does.
    pub fn class(&self, action: &str) -> Option<ActionClass> {
        self.entries.iter().find(|(pattern, _)| pattern.matches(action)).map(|(_, class)| *class)
    }

    /// The patterns whose actions are of one of these classes.
    pub fn patterns_of(&self, classes: &[ActionClass]) -> Vec<&Pattern> {
        self.entries.iter().filter(|(_, class)| classes.contains(class)).map(|(pattern, _)| pattern).collect()
    }
}
