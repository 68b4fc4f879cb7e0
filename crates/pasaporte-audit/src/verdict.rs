//! What to do with a key: one word, by what the rules find on it.

use std::collections::BTreeMap;

use pasaporte_core::estate::{KeyId, State, Thing};

use crate::facts::{Fact, KeyFact};
use crate::{Audit, Finding, judge};

pasaporte_core::vocabulary! {
    /// What to do with a key, the most pressing first.
    KeyVerdict: "a verdict on a key" {
        /// Nobody needs it, or it opens nothing: switch it off.
        SwitchOff = "switch-off",
        /// Others may have it: make another and switch it off.
        Rotate = "rotate",
        /// It opens more than it is used for: give its clients narrower ones.
        Narrow = "narrow",
        /// Many have it: give each their own.
        Split = "split",
        /// It never ends.
        SetExpiry = "set-expiry",
        /// Nothing was found.
        Keep = "keep",
        /// It is off already.
        Off = "off",
    }
}

/// What to do with each key.
pub fn key_verdicts(audit: &Audit<'_>) -> BTreeMap<KeyId, KeyVerdict> {
    let rules = audit.catalogue().ids().filter(|id| id.starts_with("key/")).collect();
    let estate = audit.estate();
    let start = |state| if state == State::Disabled { KeyVerdict::Off } else { KeyVerdict::Keep };
    let mut all: BTreeMap<KeyId, KeyVerdict> =
        estate.all::<KeyId>().map(|(id, key)| (id, start(key.state))).collect();
    let mut say = |id: KeyId, verdict: KeyVerdict| {
        all.entry(id).and_modify(|known| *known = (*known).min(verdict));
    };
    for finding in judge(audit, &rules).iter().flat_map(Finding::with_beneath) {
        for fact in finding.facts() {
            let Fact::Key(fact) = fact else { continue };
            match (fact, finding.thing) {
                (KeyFact::SameTwice(ids), _) => ids.iter().for_each(|id| say(*id, KeyVerdict::Rotate)),
                (fact, Some(Thing::Key(id))) => say(id, of(fact)),
                _ => {}
            }
        }
    }
    all
}

fn of(fact: &KeyFact) -> KeyVerdict {
    match fact {
        KeyFact::ExpiredEnabled { .. }
        | KeyFact::NeverUsed { .. }
        | KeyFact::Idle { .. }
        | KeyFact::OutlivesFunction(_)
        | KeyFact::GuardsNothing(_) => KeyVerdict::SwitchOff,
        KeyFact::Stale { .. } | KeyFact::SeenIn(..) | KeyFact::SameTwice(_) | KeyFact::LongPublicToken(_) => {
            KeyVerdict::Rotate
        }
        KeyFact::AdminInUse(_) | KeyFact::WiderThanUse(_) => KeyVerdict::Narrow,
        KeyFact::Shared(_) => KeyVerdict::Split,
        KeyFact::NoExpiry(_) => KeyVerdict::SetExpiry,
    }
}
