//! Which class an action is of: what the estate says, else the words that every estate shares.

use std::sync::{Arc, Mutex, OnceLock};

use rustc_hash::FxHashMap;

use super::Access;
use super::picks::{Action, Pick};
use crate::estate::{ActionClass, ActionsId, Estate, Id, Name, ResourcesId, Selection};
use crate::pattern::{Found, Pattern, covers, find};

/// Every action: a service, a slash, an operation.
pub const EVERY_ACTION: &str = "?*/?*";

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

/// What a choice of actions comes to among the actions of a service, or among all.
#[derive(Debug)]
pub struct Classes {
    /// Whether its patterns, leaving exceptions aside, take all of them.
    pub all: bool,
    /// Every action that it names, and an action for each class that its wildcards take one of, in the order of
    /// the catalogue; last those that no line of the catalogue matches.
    pub examples: Box<[Example]>,
}

/// An action that a choice takes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Example {
    /// The action.
    pub action: Box<str>,
    /// Its class.
    pub class: Option<ActionClass>,
    /// Whether it stands for what wildcards take of its class.
    pub is_wild: bool,
}

impl Classes {
    /// The first action whose class is wanted.
    pub fn first(&self, wanted: impl Fn(Option<ActionClass>) -> bool) -> Option<(&str, Option<ActionClass>)> {
        let first = self.examples.iter().find(|example| wanted(example.class))?;
        Some((&first.action, first.class))
    }
}

/// What a choice of actions has on one kind of resource that does more than list.
#[derive(Debug)]
pub struct HarmfulActions {
    /// An action that changes something.
    pub changes: Option<Arc<Action>>,
    /// An action that reads.
    pub reads: Option<Arc<Action>>,
}

/// What was found so far about one choice of actions or of resources, by the pattern that was asked about.
type Found1<T> = OnceLock<Box<Mutex<FxHashMap<Box<str>, T>>>>;

/// What was found so far about choices of actions and of resources.
#[derive(Debug)]
pub(super) struct Known {
    /// Of each choice of actions, where case counts and where it does not.
    actions: Box<[[OfActions; 2]]>,
    resources: Box<[Found1<bool>]>,
    harmful: Mutex<FxHashMap<(ActionsId, Name, bool), Arc<HarmfulActions>>>,
}

/// What a choice of actions comes to among all actions, and among those of other patterns.
#[derive(Debug, Default)]
struct OfActions {
    every: OnceLock<Arc<Classes>>,
    others: Found1<Arc<Classes>>,
}

impl Known {
    pub(super) fn new(estate: &Estate) -> Self {
        Self {
            actions: estate.all_actions_picked().map(|_| Default::default()).collect(),
            resources: (0..estate.all_resources_picked().len()).map(|_| OnceLock::new()).collect(),
            harmful: Mutex::default(),
        }
    }
}

fn remembered<T: Clone>(slot: &Found1<T>, pattern: &str, find: impl FnOnce() -> T) -> T {
    let known = slot.get_or_init(Box::default);
    let lock = || known.lock().expect("nobody panics while holding it");
    if let Some(found) = lock().get(pattern) {
        return found.clone();
    }
    let found = find();
    lock().insert(pattern.into(), found.clone());
    found
}

impl Access<'_> {
    /// What a choice of actions comes to among those that `within` matches.
    pub fn classes(&self, actions: ActionsId, within: &str, any_case: bool) -> Arc<Classes> {
        let slot = &self.known.actions[actions.index()][usize::from(any_case && self.some_ignore_case)];
        let find = || {
            let selection = self.estate.actions_picked(actions);
            let examples = match Pattern::parse(within) {
                Ok(pattern) => self.examples(selection, &pattern, any_case),
                Err(_) => Box::default(),
            };
            let all =
                Pattern::parse(within).is_ok_and(|within| self.lists_all_of(selection, &within, any_case));
            Arc::new(Classes { all, examples })
        };
        if within == EVERY_ACTION {
            return Arc::clone(slot.every.get_or_init(find));
        }
        remembered(&slot.others, within, find)
    }

    /// What a choice of actions has on a kind of resource that does more than list.
    pub fn harmful_actions(&self, actions: ActionsId, kind: Name, any_case: bool) -> Arc<HarmfulActions> {
        let known = || self.known.harmful.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(actions, kind, any_case)) {
            return Arc::clone(found);
        }
        let classes = self.classes(actions, &format!("{}/?*", self.estate.text(kind)), any_case);
        let of = |wanted: fn(Option<ActionClass>) -> bool| {
            classes.first(wanted).map(|(action, _)| self.action(action))
        };
        let found = Arc::new(HarmfulActions {
            changes: of(|class| !matches!(class, Some(ActionClass::List | ActionClass::Read))),
            reads: of(|class| class == Some(ActionClass::Read)),
        });
        known().insert((actions, kind, any_case), Arc::clone(&found));
        found
    }

    /// Whether a choice's patterns, leaving its exceptions aside, cover all actions of a pattern.
    pub fn lists_all_of(&self, selection: &Selection, pattern: &Pattern, any_case: bool) -> bool {
        covers(&self.patterns(selection.any()), pattern, any_case) == Some(true)
    }

    /// Whether a choice of resources, leaving its exceptions aside, covers all that a pattern matches.
    pub fn covers_resources(&self, resources: ResourcesId, pattern: &str) -> bool {
        // One name covers no pattern with a wildcard; an escape may make a wildcard a plain letter.
        let wild = pattern.contains(['*', '?']) && !pattern.contains('\\');
        match self.picks[resources.index()] {
            Pick::All => return true,
            Pick::Only(_) | Pick::Nothing if wild => return false,
            // All of a kind is asked about most.
            Pick::Matching { open: false } if wild && pattern.ends_with(":?*") => return false,
            _ => {}
        }
        let selection = self.estate.resources_picked(resources);
        let patterns = self.patterns(selection.any());
        // What follows the first letters may go on with one that no pattern names, so some pattern must leave it
        // open before them.
        let start = pattern.split(['*', '?']).next().unwrap_or_default();
        if wild && !patterns.iter().any(|each| start.starts_with(&each.literal_start())) {
            return false;
        }
        remembered(&self.known.resources[resources.index()], pattern, || {
            Pattern::parse(pattern).is_ok_and(|pattern| self.lists_all_of(selection, &pattern, false))
        })
    }

    /// The actions of a selection that `within` matches: those that it names, and one of each class that its
    /// wildcards take: each line of the catalogue takes what the lines before it left.
    fn examples(&self, actions: &Selection, within: &Pattern, any_case: bool) -> Box<[Example]> {
        let matches = |pattern: &Pattern, text: &str| {
            if any_case { pattern.matches_any_case(text) } else { pattern.matches(text) }
        };
        let except = self.patterns(actions.except());
        let all = self.patterns(actions.any());
        let (named, wild): (Vec<&Pattern>, Vec<&Pattern>) =
            all.into_iter().partition(|pattern| pattern.as_literal().is_some());
        let is_taken =
            |text: &&str| matches(within, text) && !except.iter().any(|pattern| matches(pattern, text));
        let mut named: Vec<&str> =
            named.into_iter().filter_map(Pattern::as_literal).filter(is_taken).collect();
        named.sort_unstable();
        named.dedup();
        let mut before = except.clone();
        let mut examples: Vec<Example> = Vec::new();
        let mut add = |pattern: Option<&Pattern>, class: Option<ActionClass>, before: &[&Pattern]| {
            let (here, later): (Vec<&str>, Vec<&str>) =
                named.iter().partition(|text| pattern.is_none_or(|pattern| matches(pattern, text)));
            named = later;
            examples.extend(here.into_iter().map(|action| Example {
                action: action.into(),
                class,
                is_wild: false,
            }));
            let found = match pattern {
                _ if wild.is_empty() => Found::Nothing,
                Some(pattern) => find(&[&wild, &[within], &[pattern]], before, any_case),
                None => find(&[&wild, &[within]], before, any_case),
            };
            if let Found::Example(action) = found {
                examples.push(Example { action: action.into(), class, is_wild: true });
            }
        };
        for (pattern, class) in &self.catalogue.entries {
            add(Some(pattern), Some(*class), &before);
            before.push(pattern);
        }
        add(None, None, &before);
        examples.into()
    }
}
