//! What is told of keys.

use jiff::SignedDuration;
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{Key, KeyId, KeyOf, LastUse, Principal, Setting, State};

use super::Told;
use super::phrases::count;
use crate::Audit;
use crate::facts::KeyFact;

pub(super) fn tell(audit: &Audit<'_>, fact: &KeyFact) -> Option<Told> {
    let estate = audit.estate();
    let (KeyFact::Stale { key: id, .. }
    | KeyFact::ExpiredEnabled { key: id, .. }
    | KeyFact::NeverUsed { key: id, .. }
    | KeyFact::NoExpiry(id)) = *fact;
    let key = estate.get(id)?;
    let (name, reach, opens) = (estate.id(id), key.reach, opens(audit, key));
    let (situation, fix) = match *fact {
        KeyFact::Stale { days, .. } => {
            let since = if key.rotated.is_some() { "last rotated" } else { "made and never rotated" };
            let (allowed, may) = (audit.thresholds_of(key).key_max_age, may(audit, id));
            (
                format!(
                    "This {reach}-reach key was {since} {days} days ago; {allowed} are allowed. It opens {opens}.{may}"
                ),
                format!("Rotate key:{name}: make its successor, move its clients, switch this one off."),
            )
        }
        KeyFact::ExpiredEnabled { accepted, .. } => {
            let ended = key.expires.map_or_else(String::new, |end| end.strftime("%Y-%m-%d").to_string());
            let seen = match (accepted, key.last_used) {
                (Verdict::Yes, LastUse::At(used)) => {
                    format!("it was accepted after that, on {}", used.strftime("%Y-%m-%d"))
                }
                _ => "whether it is still accepted is not known".to_owned(),
            };
            let may = may(audit, id);
            (
                format!(
                    "This {reach}-reach key ended on {ended} and is enabled: {seen}. It opens {opens}.{may}"
                ),
                format!("Switch key:{name} off; make another for whoever still uses it."),
            )
        }
        KeyFact::NeverUsed { days, .. } => (
            format!(
                "This {reach}-reach key is enabled, and nobody used it in the {days} days it was watched. It opens \
                 {opens}."
            ),
            format!("Switch key:{name} off."),
        ),
        KeyFact::NoExpiry(_) => (
            format!("This {reach}-reach key has no expiry. It opens {opens}."),
            format!("Set an expiry within {} days.", audit.thresholds_of(key).key_max_age),
        ),
    };
    let told = Told::new(situation).fix(fix).at(key.origin, "the key");
    Some(match fact {
        // What is rotated is another secret: that is done elsewhere.
        KeyFact::Stale { .. } => told,
        KeyFact::ExpiredEnabled { .. } | KeyFact::NeverUsed { .. } => {
            told.by_setting(key.origin, "state", Setting::word(State::Disabled.to_string()))
        }
        KeyFact::NoExpiry(_) => match estate.as_of() {
            Some(now) => {
                let end = now + SignedDuration::from_hours(24 * audit.thresholds_of(key).key_max_age);
                let end = end.strftime("%Y-%m-%d").to_string();
                told.by_setting(key.origin, "expires", Setting::Word(end))
            }
            None => told,
        },
    })
}

/// The worst that whoever holds a key may do, or make run.
fn may(audit: &Audit<'_>, id: KeyId) -> String {
    let may = audit.effects().tell(Principal::Key(id));
    may.map_or_else(String::new, |may| format!(" Its holder may {may}."))
}

fn opens(audit: &Audit<'_>, key: &Key) -> String {
    let label = audit.estate().label(key.opens());
    match key.of {
        KeyOf::Function(_) => label,
        KeyOf::Scope(scope) => {
            format!("{} of {label}", count(audit.functions_below(scope).len(), "function"))
        }
    }
}
