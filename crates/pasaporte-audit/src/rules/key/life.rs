//! How old a key is, when it ends, and when it was last used.

use super::{accepted, of_harm, of_reach, raised};
use crate::facts::KeyFact;
use crate::finding::Raising;
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{Key, KeyId, LastUse};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "key/stale",
        title: "A key is older than the allowed age and was not rotated",
        why: "The longer a shared secret lives, the more logs, histories and people's machines hold a copy of it.",
        fix: "Make a second key, move its clients over, switch the old one off, then remove it.",
        check: "List keys: its age is under the allowed one.",
        references: &["CWE-324", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: stale,
    },
    Rule {
        id: "key/expired-enabled",
        title: "A key is past its expiry and still enabled",
        why: "Not every platform refuses a key because its end has passed; what is meant to be over goes on, and nobody \
              looks at it any more.",
        fix: "Switch it off; make another for whoever still uses it.",
        check: "List keys: it is disabled or gone.",
        references: &["CWE-298", "CWE-324", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: expired_enabled,
    },
    Rule {
        id: "key/never-used",
        title: "A key is enabled and was never used",
        why: "Nobody would miss it, and nobody would notice who uses it.",
        fix: "Switch it off; if nobody asks for it within a month, remove it.",
        check: "List keys: it is disabled or gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: never_used,
    },
    Rule {
        id: "key/idle",
        title: "A key is enabled and was not used for long",
        why: "Whoever it was made for has gone on without it; whoever finds a copy of it has not.",
        fix: "Switch it off; if nobody asks for it within a month, remove it.",
        check: "List keys: it is disabled or gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: idle,
    },
    Rule {
        id: "key/no-expiry",
        title: "A key that opens a whole app never expires",
        why: "A key without an end stays valid wherever a copy of it lies, long after its clients are gone.",
        fix: "Set an expiry within the allowed age, and rotate before it.",
        check: "List keys: it has an expiry.",
        references: &["CWE-262", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: no_expiry,
    },
];

fn stale(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit) {
        let allowed = audit.thresholds_of(key).key_max_age;
        let Some(since) = key.rotated.max(key.created) else { continue };
        let Some(days) = audit.days_since(since).filter(|days| *days > allowed) else { continue };
        raising.raise(&of_harm(audit, id, key), KeyFact::Stale { key: id, days });
    }
}

fn expired_enabled(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, key) in audit.each::<KeyId>().filter(|(_, key)| estate.has_ended(key.expires)) {
        let accepted = audit.effects().accepted(id);
        if accepted == Verdict::No {
            continue;
        }
        let sure = if accepted == Verdict::Yes { Sureness::Certain } else { Sureness::Inferred };
        raising.raise(&of_harm(audit, id, key).sure(sure), KeyFact::ExpiredEnabled { key: id, accepted });
    }
}

fn never_used(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit).filter(|(id, _)| !audit.was_used(*id)) {
        let watched = match key.last_used {
            LastUse::Never => watched_by_platform(audit, key),
            LastUse::Unknown => watched_by_logs(audit, id, key),
            LastUse::At(_) => None,
        };
        if let Some(days) = watched {
            raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::NeverUsed { key: id, days });
        }
    }
}

/// The days that the platform watched a key, where that is enough.
fn watched_by_platform(audit: &Audit<'_>, key: &Key) -> Option<i64> {
    // A key made after the watch began has been watched since it was made.
    let since = key.observed_since?;
    let since = key.created.map_or(since, |created| since.max(created));
    audit.days_since(since).filter(|days| *days >= audit.thresholds_of(key).key_watch)
}

/// The days that logs covered what a key opens, where that is enough.
fn watched_by_logs(audit: &Audit<'_>, id: KeyId, key: &Key) -> Option<i64> {
    let window = audit.watch_of_key(id, key)?;
    let since = key.created.map_or(window.from, |created| window.from.max(created));
    let days = window.to.duration_since(since).as_hours() / 24;
    (days >= audit.thresholds_of(key).key_watch).then_some(days)
}

fn idle(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit) {
        let Some(last) = audit.last_use_of(id) else { continue };
        let allowed = audit.thresholds_of(key).key_idle;
        let Some(days) = audit.days_since(last).filter(|days| *days > allowed) else { continue };
        // What the platform says of its last use is so; what logs say is the last that they could see.
        let said = matches!(key.last_used, LastUse::At(_));
        let seen = || audit.watch_of_key(id, key).is_some_and(|window| window.from <= last);
        if said || seen() {
            raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::Idle { key: id, days });
        }
    }
}

fn no_expiry(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let is_asked = |key: &Key| key.reach >= audit.thresholds_of(key).key_expiry_from;
    for (id, key) in accepted(audit).filter(|(_, key)| key.expires.is_none() && is_asked(key)) {
        raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::NoExpiry(id));
    }
}
