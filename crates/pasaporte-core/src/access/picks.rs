//! Whether a statement picks an action and a resource, answered ahead.
//!
//! Most statements of an estate say one of few things about actions, and name one resource. So the distinct
//! choices of actions are matched once for each action that is asked about, which leaves a bit to look up;
//! and a choice of one plain name is resolved once to the thing of that name, which leaves two numbers to
//! compare. Only what has wildcards in the names of resources is matched as text.

use std::sync::{Arc, OnceLock};

use rustc_hash::FxHashMap;
use smallvec::SmallVec;

use super::{Access, On};
use crate::estate::{ActionsId, Estate, Id, ResourcesId, Selection, Thing};
use crate::pattern::lower;

/// An action, with the choices of actions that pick it.
#[derive(Debug, Default)]
pub struct Action {
    pub(super) text: Box<str>,
    /// A bit for each distinct choice, where case counts and where it does not.
    pub(super) exact: Box<[u64]>,
    pub(super) any_case: Option<Box<[u64]>>,
}

impl Action {
    /// The action as written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Whether a choice picks the action where case counts, or where it does not.
    pub(crate) fn is_picked_by(&self, actions: ActionsId, any_case: bool) -> bool {
        let bits = if any_case { self.any_case.as_ref().unwrap_or(&self.exact) } else { &self.exact };
        let index = actions.index();
        bits.get(index / 64).is_some_and(|word| word & (1 << (index % 64)) != 0)
    }
}

impl Action {
    /// Whether a choice picks the action in one account or another.
    pub fn may_be_picked_by(&self, actions: ActionsId) -> bool {
        self.is_picked_by(actions, false) || self.is_picked_by(actions, true)
    }

    /// Whether a choice picks the action in every account.
    pub(crate) fn is_picked_in_either_case(&self, actions: ActionsId) -> bool {
        self.is_picked_by(actions, false) && self.is_picked_by(actions, true)
    }
}

/// Choices of actions by what their patterns begin with before the first wildcard, in small letters: an action is
/// picked by none but those that begin as it does.
#[derive(Debug)]
pub(super) struct ByStart(FxHashMap<Box<str>, SmallVec<[ActionsId; 1]>>);

impl ByStart {
    pub(super) fn new(estate: &Estate) -> Self {
        let mut by_start: FxHashMap<Box<str>, SmallVec<[ActionsId; 1]>> = FxHashMap::default();
        for (id, selection) in estate.all_actions_picked() {
            for pattern in selection.any() {
                let start: String = estate.pattern(*pattern).literal_start().chars().map(lower).collect();
                let choices = by_start.entry(start.into()).or_default();
                if choices.last() != Some(&id) {
                    choices.push(id);
                }
            }
        }
        Self(by_start)
    }

    /// The choices that begin as an action does; one may come several times.
    fn that_may_pick(&self, action: &str) -> impl Iterator<Item = ActionsId> {
        let text: String = action.chars().map(lower).collect();
        let ends = text.char_indices().map(|(at, _)| at).chain([text.len()]);
        let starts: SmallVec<[&SmallVec<[ActionsId; 1]>; 8]> =
            ends.filter_map(|end| self.0.get(&text[..end])).collect();
        starts.into_iter().flatten().copied()
    }
}

/// What a choice of resources comes to.
#[derive(Debug, Clone, Copy)]
pub(super) enum Pick {
    /// Everything.
    All,
    /// This one thing.
    Only(Thing),
    /// Nothing that the estate knows.
    Nothing,
    /// What its patterns match; `open` if one of them leaves ids open from their first letter on, as it must to
    /// take all of a kind.
    Matching { open: bool },
}

pub(super) fn picks(estate: &Estate) -> Box<[Pick]> {
    let matching = |selection: &Selection| {
        let open = selection.any().iter().any(|id| {
            let pattern = estate.pattern(*id);
            pattern.as_literal().is_none()
                && pattern.literal_start().split_once(':').is_none_or(|(_, id)| id.is_empty())
        });
        Pick::Matching { open }
    };
    estate
        .all_resources_picked()
        .map(|(_, selection)| {
            let Selection::One(pattern) = selection else { return matching(selection) };
            let pattern = estate.pattern(*pattern);
            if pattern.is_everything() {
                return Pick::All;
            }
            match pattern.as_literal() {
                None => matching(selection),
                Some(name) => match name.split_once(':') {
                    // These are not found by name.
                    Some(("grant" | "ceiling" | "enrolment" | "scope", _)) => Pick::Matching { open: false },
                    _ => estate.thing(name).map_or(Pick::Nothing, Pick::Only),
                },
            }
        })
        .collect()
}

/// The name of a thing, written out when it is first needed.
pub(super) struct Label<'q, 'e> {
    estate: &'e Estate,
    on: On<'q>,
    text: OnceLock<String>,
}

impl<'q, 'e> Label<'q, 'e> {
    pub(super) fn new(estate: &'e Estate, on: On<'q>) -> Self {
        Self { estate, on, text: OnceLock::new() }
    }

    pub(super) fn text(&self) -> &str {
        match self.on {
            On::There(Thing::Resource(id)) => self.estate.id(id),
            On::There(thing) => self.text.get_or_init(|| self.estate.label(thing)),
            On::New(new) => &new.label,
        }
    }
}

impl Access<'_> {
    /// Prepares questions about an action; what was prepared once is kept.
    pub fn action(&self, text: &str) -> Arc<Action> {
        let kept = || self.prepared.lock().expect("nobody panics while holding it");
        if let Some(action) = kept().get(text) {
            return Arc::clone(action);
        }
        let action = Arc::new(self.prepare(text));
        kept().insert(text.into(), Arc::clone(&action));
        action
    }

    pub(super) fn prepare(&self, text: &str) -> Action {
        let mut exact = vec![0; self.estate.all_actions_picked().len().div_ceil(64)].into_boxed_slice();
        let mut any_case = self.some_ignore_case.then(|| exact.clone());
        for id in self.by_start.that_may_pick(text) {
            let selection = self.estate.actions_picked(id);
            let bit = 1 << (id.index() % 64);
            if self.selects(selection, text, false) {
                exact[id.index() / 64] |= bit;
            }
            if let Some(bits) = any_case.as_mut().filter(|_| self.selects(selection, text, true)) {
                bits[id.index() / 64] |= bit;
            }
        }
        Action { text: text.into(), exact, any_case }
    }

    pub(super) fn picks_resource(&self, resources: ResourcesId, on: On<'_>, label: &Label<'_, '_>) -> bool {
        match (self.picks[resources.index()], on) {
            (Pick::All, _) => true,
            (Pick::Only(only), On::There(thing)) => only == thing,
            (Pick::Nothing, On::There(_)) => false,
            // What is to be made may have any name.
            (_, On::New(_)) | (Pick::Matching { .. }, _) => {
                self.selects(self.estate.resources_picked(resources), label.text(), false)
            }
        }
    }

    /// The one thing that a choice of resources names, if it names just one.
    pub fn only(&self, resources: ResourcesId) -> Option<Thing> {
        match self.picks[resources.index()] {
            Pick::Only(thing) => Some(thing),
            Pick::All | Pick::Nothing | Pick::Matching { .. } => None,
        }
    }

    /// Whether a choice of resources takes everything there is and may be.
    pub(crate) fn takes_everything(&self, resources: ResourcesId) -> bool {
        matches!(self.picks[resources.index()], Pick::All)
    }

    /// Whether a choice of resources may take all of a kind.
    pub fn may_take_all_of_a_kind(&self, resources: ResourcesId) -> bool {
        matches!(self.picks[resources.index()], Pick::All | Pick::Matching { open: true })
    }

    /// Whether a choice of resources has wildcards.
    pub(crate) fn is_wide(&self, resources: ResourcesId) -> bool {
        matches!(self.picks[resources.index()], Pick::All | Pick::Matching { .. })
    }

    /// Whether a choice of resources takes a thing.
    pub fn takes(&self, resources: ResourcesId, thing: Thing) -> bool {
        let on = On::There(thing);
        self.picks_resource(resources, on, &Label::new(self.estate, on))
    }

    /// Whether a choice takes a text.
    pub(crate) fn selects(&self, selection: &Selection, text: &str, any_case: bool) -> bool {
        let matches = |id: &crate::estate::PatternId| self.estate.pattern(*id).takes(text, any_case);
        selection.any().iter().any(matches) && !selection.except().iter().any(matches)
    }
}
