//! What is found of somebody on the way to the worst: what it may do by itself, and whom it may become.

use std::borrow::Cow;
use std::collections::BTreeSet;

use super::{Act, Harm};
use crate::access::{New, Verdict};
use crate::estate::{ActionClass, Principal, Thing, Vocabulary};

/// What somebody may do without becoming anybody else, and whom they may become.
#[derive(Debug, Clone)]
pub(super) struct Direct {
    pub(super) harm: Harm,
    pub(super) edges: Box<[Edge]>,
}

/// What opens to the holder of a key.
#[derive(Debug)]
pub(super) struct Opened {
    pub(super) direct: Direct,
    /// Whether the key is given something besides, that not anyone is given.
    pub(super) is_given_more: bool,
}

/// Somebody whom one may become, or act through as if one were.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct Edge {
    pub(super) to: Principal,
    pub(super) surely: bool,
    /// Whether one may do whatever they may; else one can only make them act.
    pub(super) control: bool,
}

/// How many other resources of the same impact are counted.
pub(super) const MOST_COUNTED: usize = 9;

/// Something that somebody may do.
#[derive(Debug, Clone)]
pub(super) struct Doing<'e> {
    pub(super) what: What,
    pub(super) act: Act,
    pub(super) verdict: Verdict,
    /// What it is done to, by name.
    pub(super) label: Cow<'e, str>,
    pub(super) on: To,
}

/// What it is done to, to be asked about again.
#[derive(Debug, Clone)]
pub(super) enum To {
    There(Thing),
    New(New),
    Nowhere,
}

/// What sort of thing to do it is, the most telling first.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum What {
    /// Changing access at a scope, by whichever action.
    AnyAccess,
    /// The same by one action.
    Access,
    /// Control of all of a kind at a place.
    All { kind: String },
    /// Reading or making an admin key, which may be past its end.
    Key { ended: bool },
    /// Data, confidential or not.
    Data { confidential: bool },
    /// Changing something else.
    Change,
    /// Data as if there were some.
    Unseen { kind: String },
}

/// How many more things of which data may be had, by whichever action, beside the first: those of which it is sure,
/// and the others.
pub(super) fn more_like(all: &[Doing<'_>], first: &Doing<'_>) -> String {
    let What::Data { .. } = first.what else { return String::new() };
    let labels = |surely: bool| -> BTreeSet<&str> {
        let is_meant = |it: &&Doing<'_>| {
            it.what == first.what && (it.verdict == Verdict::Yes) == surely && it.label != first.label
        };
        all.iter().filter(is_meant).map(|it| it.label.as_ref()).collect()
    };
    let (sure, unsure) = (labels(true), labels(false));
    let counted = |number: usize| match number {
        0 => None,
        some if some >= MOST_COUNTED => Some(format!("at least {MOST_COUNTED} more")),
        some => Some(format!("{some} more")),
    };
    // Of what is not sure beside something that is, not all is looked for: that there is some is told.
    let perhaps = sure.len() < MOST_COUNTED && unsure.difference(&sure).next().is_some();
    match (counted(sure.len()), perhaps) {
        (None, false) => String::new(),
        (Some(sure), false) => format!(" and touch {sure}"),
        (Some(sure), true) => format!(" and touch {sure}, and perhaps others"),
        (None, true) if first.verdict == Verdict::Yes => ", and perhaps touch others".to_owned(),
        (None, true) => {
            counted(unsure.len()).map_or_else(String::new, |more| format!(", and perhaps touch {more}"))
        }
    }
}

impl<'e> Doing<'e> {
    pub(super) fn access(act: &Act, label: &str, all: bool, verdict: Verdict, on: Thing) -> Self {
        let what = if all { What::AnyAccess } else { What::Access };
        Self { what, act: act.clone(), verdict, label: format!("at {label}").into(), on: To::There(on) }
    }

    pub(super) fn access_everywhere(act: &Act, all: bool, verdict: Verdict) -> Self {
        let what = if all { What::AnyAccess } else { What::Access };
        Self { what, act: act.clone(), verdict, label: "everywhere".into(), on: To::Nowhere }
    }

    pub(super) fn all(act: &Act, kind: &str, place: Option<String>, verdict: Verdict, new: New) -> Self {
        let label = place.map_or("everywhere".into(), |place| format!("at {place}").into());
        Self { what: What::All { kind: kind.to_owned() }, act: act.clone(), verdict, label, on: To::New(new) }
    }

    pub(super) fn key(act: &Act, label: String, accepted: Verdict, verdict: Verdict, on: Thing) -> Self {
        let what = What::Key { ended: accepted != Verdict::Yes };
        Self { what, act: act.clone(), verdict, label: label.into(), on: To::There(on) }
    }

    pub(super) fn data(act: &Act, label: &'e str, confidential: bool, verdict: Verdict, on: Thing) -> Self {
        let what = What::Data { confidential };
        Self { what, act: act.clone(), verdict, label: label.into(), on: To::There(on) }
    }

    pub(super) fn change(act: &Act, label: String, verdict: Verdict, on: Thing) -> Self {
        Self { what: What::Change, act: act.clone(), verdict, label: label.into(), on: To::There(on) }
    }

    pub(super) fn unseen(act: &Act, kind: &str, place: Option<String>, verdict: Verdict, new: New) -> Self {
        let label = place.map_or(Cow::Borrowed(""), |place| format!(" at {place}").into());
        Self {
            what: What::Unseen { kind: kind.to_owned() },
            act: act.clone(),
            verdict,
            label,
            on: To::New(new),
        }
    }

    /// The action in words: itself, or what class of action a wildcard takes.
    pub(super) fn action(&self) -> String {
        action_in_words(&self.act)
    }
}

/// An action in words: itself; of what nobody named, its class.
pub fn action_in_words(act: &Act) -> String {
    let text = act.action.text();
    if !act.is_wild {
        return text.to_owned();
    }
    let service = text.split('/').next().unwrap_or_default();
    match act.class {
        Some(class) => format!("{service} actions of class {}", ActionClass::word(class)),
        None => format!("{service} actions of no known class"),
    }
}
