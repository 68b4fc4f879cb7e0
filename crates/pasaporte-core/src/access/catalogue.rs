//! Which class an action is of: what the estate says, else the words that every estate shares.
//!
//! Of the estate's own lines the one that says most decides: one without wildcards, then the one with most letters.

use rustc_hash::FxHashSet;

use super::Access;
use crate::estate::{ActionClass, ActionEntry, Estate, Name, ScopeId, Thing, Trigger};
use crate::pattern::Pattern;

/// Actions whose words mean the same everywhere (docs/estate-format.md, "Actions"). The first line
/// that matches decides.
pub(super) const COMMON: &[(&str, ActionClass)] = &[
    ("function/invoke", ActionClass::Invoke),
    ("function/update", ActionClass::Code),
    ("function/create", ActionClass::Code),
    ("identity/assume", ActionClass::Identity),
    ("identity/hand-over", ActionClass::Identity),
    ("secret/read", ActionClass::Secret),
    ("key/read", ActionClass::Secret),
    ("key/create", ActionClass::Secret),
    ("*/list", ActionClass::List),
    ("*/read", ActionClass::Read),
    ("access/?*", ActionClass::Access),
    ("*/write", ActionClass::Write),
    ("*/send", ActionClass::Write),
    ("*/publish", ActionClass::Write),
    ("*/put", ActionClass::Write),
    ("*/delete", ActionClass::Delete),
    ("*/manage", ActionClass::Manage),
];

/// What triggers of a kind take on their sources besides reading and listing, on whichever platform.
const COMMON_NEEDS: &[(&str, &[&str])] = &[
    ("queue", &["queue/receive", "queue/take", "queue/delete", "queue/attributes"]),
    ("topic", &["topic/receive", "topic/take"]),
];

/// The catalogue of actions: the estate's lines before the common ones.
#[derive(Debug)]
pub struct Catalogue {
    lines: Vec<Line>,
    /// How many at the end every estate shares.
    common: usize,
}

/// A line: which services, which of their operations, and the class of those.
#[derive(Debug)]
pub(crate) struct Line {
    pub(crate) service: Pattern,
    pub(crate) operation: Pattern,
    pub(crate) class: ActionClass,
}

impl Line {
    /// A `*` before the slash stands for a service, one after it for an operation; a pattern without a slash is about
    /// both from its first `*` on. None of what no action can match.
    fn new(pattern: &str, class: ActionClass) -> Option<Self> {
        let (service, operation) = match (pattern.split_once('/'), pattern.find('*')) {
            (Some((service, operation)), _) => (service.to_owned(), operation.to_owned()),
            (None, Some(at)) => (pattern[..=at].to_owned(), pattern[at..].to_owned()),
            (None, None) => return None,
        };
        let parse = |text: &str| Pattern::parse(text).ok();
        Some(Self { service: parse(&service)?, operation: parse(&operation)?, class })
    }
}

impl Catalogue {
    pub(super) fn new(estate: &Estate) -> Self {
        // The order in which they are written means nothing: what says most comes first, and of two that say the same
        // the one that is worse to have.
        let platforms: FxHashSet<Name> = estate.all::<ScopeId>().filter_map(|(_, it)| it.platform).collect();
        let counts = |entry: &&ActionEntry| entry.platform.is_none_or(|it| platforms.contains(&it));
        let own = estate.actions().iter().filter(counts);
        let mut own: Vec<_> = own.map(|entry| (&entry.pattern, entry.class)).collect();
        let letters =
            |pattern: &Pattern| pattern.text().chars().filter(|each| !matches!(each, '*' | '?')).count();
        own.sort_by(|(one, class), (other, other_class)| {
            let wild = |pattern: &Pattern| pattern.as_literal().is_none();
            (wild(one), letters(other), one.text(), class.rank()).cmp(&(
                wild(other),
                letters(one),
                other.text(),
                other_class.rank(),
            ))
        });
        let own = own.into_iter().filter_map(|(pattern, class)| Line::new(pattern.text(), class));
        let common = COMMON.iter().filter_map(|(text, class)| Line::new(text, *class));
        Self { lines: own.chain(common).collect(), common: COMMON.len() }
    }

    /// The class of an action: that of the first line that matches; none where no line does.
    pub fn class(&self, action: &str, any_case: bool) -> Option<ActionClass> {
        self.line(action, any_case).map(|(_, class)| class)
    }

    /// The place of the first line that matches an action, and its class.
    pub(crate) fn line(&self, action: &str, any_case: bool) -> Option<(usize, ActionClass)> {
        let (service, operation) = action.split_once('/')?;
        let fits =
            |line: &&Line| line.service.takes(service, any_case) && line.operation.takes(operation, any_case);
        let mut lines = self.lines.iter().enumerate();
        lines.find(|(_, line)| fits(line)).map(|(at, line)| (at, line.class))
    }

    /// Whether a line is one that every estate shares.
    pub(crate) fn is_common(&self, line: usize) -> bool {
        line < self.lines.len() && line >= self.lines.len() - self.common
    }

    /// The lines about a service, in order, each with its place.
    pub(crate) fn of_service(&self, service: &str, any_case: bool) -> impl Iterator<Item = (usize, &Line)> {
        self.lines.iter().enumerate().filter(move |(_, line)| line.service.takes(service, any_case))
    }
}

impl Access<'_> {
    /// Whether a trigger takes an action on its source: what the estate's catalogue says of its kind on its function's
    /// platform, and what is so everywhere.
    pub fn is_taken_by(&self, trigger: &Trigger, action: &str) -> bool {
        let estate = self.estate();
        let kind = estate.text(trigger.kind);
        let platform = estate.platform(estate.scope_of(Thing::Function(trigger.function)));
        let any_case = trigger.source.is_some_and(|source| self.any_case(source));
        let said = estate
            .needs()
            .iter()
            .filter(|need| need.kind == trigger.kind && need.platform.is_none_or(|of| platform == Some(of)));
        let common = COMMON_NEEDS.iter().filter(|(of, _)| *of == kind).flat_map(|(_, all)| *all);
        said.flat_map(|need| &need.does).any(|pattern| pattern.takes(action, any_case))
            || common.into_iter().any(|it| it.eq_ignore_ascii_case(action))
    }
}
