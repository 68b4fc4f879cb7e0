//! key: shared secrets.

use crate::facts::KeyFact;
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Impact, Level, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{Key, KeyId, KeyReach, LastUse, Principal, Thing};

pub(crate) const RULES: &[Rule] = &[
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
    for (id, key) in accepted(audit).filter(|(_, key)| key.last_used == LastUse::Never) {
        // A key made after the watch began has been watched since it was made.
        let Some(since) = key.observed_since else { continue };
        let since = key.created.map_or(since, |created| since.max(created));
        let Some(days) = audit.days_since(since).filter(|days| *days >= audit.thresholds_of(key).key_watch)
        else {
            continue;
        };
        raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::NeverUsed { key: id, days });
    }
}

fn no_expiry(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let is_asked = |key: &Key| key.reach >= audit.thresholds_of(key).key_expiry_from;
    for (id, key) in accepted(audit).filter(|(_, key)| key.expires.is_none() && is_asked(key)) {
        raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::NoExpiry(id));
    }
}

/// A key of no use is untidy; one that manages an app is more.
fn of_reach(key: &Key) -> Level {
    let impact = if key.reach == KeyReach::Admin { Impact::DataOrSecrets } else { Impact::Hygiene };
    Level::Table(impact, Exposure::KeyHolders)
}

/// Keys that are enabled and had not expired.
fn accepted<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (KeyId, &'a Key)> {
    let estate = audit.estate();
    audit
        .each::<KeyId>()
        .filter(|(id, key)| audit.effects().accepted(*id) == Verdict::Yes && !estate.has_ended(key.expires))
}

/// A weakness of a key that is as bad as what its holder can do.
fn of_harm(audit: &Audit<'_>, id: KeyId, key: &Key) -> Raised {
    let harm = audit.effects().harm(Principal::Key(id));
    let exposed = Exposed::surely(Exposure::KeyHolders);
    Raised::judged(Thing::Key(id), harm, exposed, audit.environment_of_key(key)).from([Cause::Key(id)])
}

fn raised(audit: &Audit<'_>, id: KeyId, key: &Key, level: Level) -> Raised {
    Raised::new(Thing::Key(id), level).within(audit.environment_of_key(key)).from([Cause::Key(id)])
}
