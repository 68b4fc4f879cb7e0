//! Which class an action is of: what the estate says, else the words that every estate shares.
//!
//! Of the estate's own lines the one that says most decides: one without wildcards, then the one with most letters.

use rustc_hash::FxHashMap;

use super::{Access, On};
use crate::estate::{
    AccountOf, ActionClass, ActionEntry, CaseOfActions, Estate, Name, ScopeId, ScopeKind, Thing, Trigger,
};
use crate::pattern::Pattern;

/// Actions whose words mean the same everywhere (docs/estate-format.md, "Actions"). The first line
/// that matches decides.
pub(super) const COMMON: &[(&str, ActionClass)] = &[
    ("function/invoke", ActionClass::Invoke),
    ("function/update", ActionClass::Code),
    ("function/create", ActionClass::Code),
    ("identity/assume", ActionClass::Identity),
    ("identity/hand-over", ActionClass::Identity),
    ("user/assume", ActionClass::Identity),
    ("group/assume", ActionClass::Identity),
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

/// How an account reads actions: whether their case is ignored there, and of which platform its words are, where the
/// catalogue has lines of that platform alone.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Dialect {
    pub(crate) any_case: bool,
    platform: Option<Name>,
}

impl Dialect {
    /// The same words, with case that is ignored or counts.
    pub(crate) fn in_any_case(self, any_case: bool) -> Self {
        Self { any_case, ..self }
    }
}

/// How actions are read, account by account.
#[derive(Debug)]
pub(super) struct Dialects {
    of_accounts: FxHashMap<ScopeId, Dialect>,
    /// How actions on things of no account, or of an unknown one, are read.
    elsewhere: Dialect,
    /// Each once.
    each: Box<[Dialect]>,
}

impl Dialects {
    pub(super) fn new(estate: &Estate, catalogue: &Catalogue) -> Self {
        let told_apart = |scope| catalogue.told_apart(estate.platform(Some(scope)));
        // What is of no account is read as the estate's only platform reads it, where there is only one.
        let mut platforms: Vec<Name> = estate.all::<ScopeId>().filter_map(|(id, _)| told_apart(id)).collect();
        platforms.sort_unstable();
        platforms.dedup();
        let only = platforms.first().copied().filter(|_| platforms.len() == 1);
        let elsewhere = Dialect { any_case: false, platform: only };
        let accounts = estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account);
        let of_accounts: FxHashMap<ScopeId, Dialect> = accounts
            .map(|(id, it)| {
                let any_case = it.action_case == CaseOfActions::Ignored;
                (id, Dialect { any_case, platform: told_apart(id) })
            })
            .collect();
        let mut each: Vec<Dialect> = of_accounts.values().copied().chain([elsewhere]).collect();
        each.sort_unstable();
        each.dedup();
        Self { of_accounts, elsewhere, each: each.into() }
    }

    fn of(&self, account: AccountOf) -> Dialect {
        let known = match account {
            AccountOf::Known(account) => self.of_accounts.get(&account),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        };
        known.copied().unwrap_or(self.elsewhere)
    }
}

/// The catalogue of actions: the estate's lines before the common ones.
#[derive(Debug)]
pub struct Catalogue {
    lines: Vec<Line>,
    /// How many at the end every estate shares.
    common: usize,
    /// The platforms that lines are about, in order.
    platforms: Box<[Name]>,
}

/// A line: which services, which of their operations, and the class of those.
#[derive(Debug)]
pub(crate) struct Line {
    pub(crate) service: Pattern,
    pub(crate) operation: Pattern,
    pub(crate) class: ActionClass,
    /// The platform whose words it is about; none where it is about all.
    platform: Option<Name>,
}

impl Line {
    /// A `*` before the slash stands for a service, one after it for an operation; a pattern without a slash is about
    /// both from its first `*` on. None of what no action can match.
    fn new(pattern: &str, class: ActionClass, platform: Option<Name>) -> Option<Self> {
        let (service, operation) = match (pattern.split_once('/'), pattern.find('*')) {
            (Some((service, operation)), _) => (service.to_owned(), operation.to_owned()),
            (None, Some(at)) => (pattern[..=at].to_owned(), pattern[at..].to_owned()),
            (None, None) => return None,
        };
        let parse = |text: &str| Pattern::parse(text).ok();
        Some(Self { service: parse(&service)?, operation: parse(&operation)?, class, platform })
    }
}

impl Catalogue {
    pub(super) fn new(estate: &Estate) -> Self {
        // The order in which they are written means nothing: what says most comes first, and of two that say the same
        // the one that is worse to have.
        let mut own: Vec<&ActionEntry> = estate.actions().iter().collect();
        let mut platforms: Vec<Name> = own.iter().filter_map(|entry| entry.platform).collect();
        platforms.sort_unstable();
        platforms.dedup();
        let letters =
            |pattern: &Pattern| pattern.text().chars().filter(|each| !matches!(each, '*' | '?')).count();
        own.sort_by(|one, other| {
            let (class, other_class) = (one.class.rank(), other.class.rank());
            let (one, other) = (&one.pattern, &other.pattern);
            let wild = |pattern: &Pattern| pattern.as_literal().is_none();
            (wild(one), letters(other), one.text(), class).cmp(&(
                wild(other),
                letters(one),
                other.text(),
                other_class,
            ))
        });
        let own = own.into_iter().filter_map(|it| Line::new(it.pattern.text(), it.class, it.platform));
        let common = COMMON.iter().filter_map(|(text, class)| Line::new(text, *class, None));
        Self { lines: own.chain(common).collect(), common: COMMON.len(), platforms: platforms.into() }
    }

    /// The class of an action: that of the first line that matches; none where no line does.
    pub fn class(&self, action: &str, dialect: Dialect) -> Option<ActionClass> {
        self.line(action, dialect).map(|(_, class)| class)
    }

    /// The place of the first line that matches an action, and its class.
    pub(crate) fn line(&self, action: &str, dialect: Dialect) -> Option<(usize, ActionClass)> {
        let (service, operation) = action.split_once('/')?;
        let mut lines = self.of_service(service, dialect);
        lines
            .find(|(_, line)| line.operation.takes(operation, dialect.any_case))
            .map(|(at, line)| (at, line.class))
    }

    /// Whether a line is one that every estate shares.
    pub(crate) fn is_common(&self, line: usize) -> bool {
        line < self.lines.len() && line >= self.lines.len() - self.common
    }

    /// The lines about a service, in order, each with its place.
    pub(crate) fn of_service(&self, service: &str, dialect: Dialect) -> impl Iterator<Item = (usize, &Line)> {
        let counts = move |line: &Line| line.platform.is_none_or(|it| dialect.platform == Some(it));
        let about = move |line: &Line| counts(line) && line.service.takes(service, dialect.any_case);
        self.lines.iter().enumerate().filter(move |(_, line)| about(line))
    }

    /// The platform of words, where the catalogue has lines of that platform alone.
    fn told_apart(&self, platform: Option<Name>) -> Option<Name> {
        platform.filter(|it| self.platforms.binary_search(it).is_ok())
    }
}

impl Access<'_> {
    /// How actions on a thing are read.
    pub fn dialect(&self, thing: Thing) -> Dialect {
        self.dialect_on(On::There(thing))
    }

    /// How actions on something are read.
    pub(crate) fn dialect_on(&self, on: On<'_>) -> Dialect {
        // Where all read alike, no account needs to be looked up.
        if self.dialects.each.len() == 1 {
            self.dialects.elsewhere
        } else {
            self.dialects.of(self.account_on(on))
        }
    }

    /// The ways of reading actions that there are, each once.
    pub fn dialects(&self) -> impl Iterator<Item = Dialect> + '_ {
        self.dialects.each.iter().copied()
    }

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
