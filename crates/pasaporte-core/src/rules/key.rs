//! key: shared secrets.

use super::finding::{Cause, Raised, Raising};
use super::words::count;
use super::{Audit, Impact, Level, Rule, Sureness, Told};
use crate::access::Verdict;
use crate::entry::{Exposed, Exposure};
use crate::estate::{Environment, Key, KeyId, KeyOf, KeyReach, LastUse, Principal, Thing};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "key/stale",
        title: "A key is older than the allowed age and was not rotated",
        why: "The longer a shared secret lives, the more logs, histories and people's machines hold a copy of it.",
        fix: "Make a second key, move its clients over, switch the old one off, then remove it.",
        check: "List keys: its age is under the allowed one.",
        references: &["CWE-324", "NIST SP 800-53 IA-5"],
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
        judge: expired_enabled,
    },
    Rule {
        id: "key/never-used",
        title: "A key is enabled and was never used",
        why: "Nobody would miss it, and nobody would notice who uses it.",
        fix: "Switch it off; if nobody asks for it within a month, remove it.",
        check: "List keys: it is disabled or gone.",
        references: &["CWE-1164", "NIST SP 800-53 AC-2", "NIST SP 800-53 IA-5"],
        judge: never_used,
    },
    Rule {
        id: "key/no-expiry",
        title: "A key that opens a whole app never expires",
        why: "A key without an end stays valid wherever a copy of it lies, long after its clients are gone.",
        fix: "Set an expiry within the allowed age, and rotate before it.",
        check: "List keys: it has an expiry.",
        references: &["CWE-262", "NIST SP 800-53 IA-5"],
        judge: no_expiry,
    },
];

fn stale(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let allowed = audit.settings().key_max_age;
    for (id, key) in accepted(audit) {
        let Some(since) = key.rotated.max(key.created) else { continue };
        let Some(age) = audit.days_since(since).filter(|age| *age > allowed) else { continue };
        let raised = of_harm(audit, id, key);
        raising.raise(
            &raised,
            tell(id, move |audit, key| {
                let never = if key.rotated.is_some() { "last rotated" } else { "made and never rotated" };
                let situation = format!(
                    "This {}-reach key was {never} {age} days ago; {allowed} are allowed. It opens {}.{}",
                    key.reach,
                    opens(audit, key),
                    may(audit, id),
                );
                let name = audit.estate().id(id);
                let fix =
                    format!("Rotate key:{name}: make its successor, move its clients, switch this one off.");
                Told::new(situation).fix(fix)
            }),
        );
    }
}

fn expired_enabled(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, key) in audit.each::<KeyId>().filter(|(_, key)| estate.has_ended(key.expires)) {
        let verdict = audit.effects().accepted(id);
        if verdict == Verdict::No {
            continue;
        }
        let sure = if verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Inferred };
        raising.raise(
            &of_harm(audit, id, key).sure(sure),
            tell(id, move |audit, key| {
                let ended = key.expires.map_or_else(String::new, |end| end.strftime("%Y-%m-%d").to_string());
                let seen = match (verdict, key.last_used) {
                    (Verdict::Yes, LastUse::At(used)) => {
                        format!("it was accepted after that, on {}", used.strftime("%Y-%m-%d"))
                    }
                    _ => "whether it is still accepted is not known".to_owned(),
                };
                let name = audit.estate().id(id);
                Told::new(format!(
                    "This {}-reach key ended on {ended} and is enabled: {seen}. It opens {}.{}",
                    key.reach,
                    opens(audit, key),
                    may(audit, id),
                ))
                .fix(format!("Switch key:{name} off; make another for whoever still uses it."))
            }),
        );
    }
}

fn never_used(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let watch = audit.settings().key_watch;
    for (id, key) in accepted(audit).filter(|(_, key)| key.last_used == LastUse::Never) {
        // A key made after the watch began has been watched since it was made.
        let Some(since) = key.observed_since else { continue };
        let since = key.created.map_or(since, |created| since.max(created));
        let Some(days) = audit.days_since(since).filter(|days| *days >= watch) else { continue };
        let raised = raised(audit, id, key, of_reach(key));
        raising.raise(&raised, tell(id, move |audit, key| {
            Told::new(format!(
                "This {}-reach key is enabled, and nobody used it in the {days} days it was watched. It opens {}.",
                key.reach,
                opens(audit, key),
            ))
            .fix(format!("Switch key:{} off.", audit.estate().id(id)))
        }));
    }
}

fn no_expiry(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let from = audit.settings().expiry_asked_from;
    for (id, key) in accepted(audit).filter(|(_, key)| key.reach >= from && key.expires.is_none()) {
        raising.raise(
            &raised(audit, id, key, of_reach(key)),
            tell(id, move |audit, key| {
                let opens = opens(audit, key);
                Told::new(format!("This {}-reach key has no expiry. It opens {opens}.", key.reach))
                    .fix(format!("Set an expiry within {} days.", audit.settings().key_max_age))
            }),
        );
    }
}

/// A key of no use is untidy; one that manages an app is more.
fn of_reach(key: &Key) -> Level {
    let impact = if key.reach == KeyReach::Admin { Impact::DataOrSecrets } else { Impact::Hygiene };
    Level::Table(impact, Exposure::KeyHolders)
}

/// Tells a finding on a key, with the place where the key was read.
fn tell(
    id: KeyId,
    words: impl Fn(&Audit<'_>, &Key) -> Told + Send + Sync + 'static,
) -> impl Fn(&Audit<'_>) -> Told + Send + Sync + 'static {
    move |audit| match audit.estate().get(id) {
        Some(key) => words(audit, key).at(key.origin, "the key"),
        None => Told::default(),
    }
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
    Raised::judged(Thing::Key(id), harm, exposed, environment(audit, key)).from([Cause::Key(id)])
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

fn raised(audit: &Audit<'_>, id: KeyId, key: &Key, level: Level) -> Raised {
    Raised::new(Thing::Key(id), level).within(environment(audit, key)).from([Cause::Key(id)])
}

fn environment(audit: &Audit<'_>, key: &Key) -> Option<Environment> {
    match key.of {
        KeyOf::Function(function) => audit.environment(function),
        KeyOf::Scope(scope) => audit.estate().environment(None, Some(scope)),
    }
}
