//! key: shared secrets.

use super::finding::{Raised, Raising};
use super::words::count;
use super::{Audit, Harm, Impact, Level, Rule, Told};
use crate::entry::{Exposed, Exposure};
use crate::estate::{Environment, FunctionId, Key, KeyId, KeyOf, KeyReach, LastUse, Thing};

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
        let raised = raised(audit, id, key, Level::of(harm(audit, key), held()));
        raising.raise(
            &raised,
            tell(id, move |audit, key| {
                let never = if key.rotated.is_some() { "last rotated" } else { "made and never rotated" };
                let situation = format!(
                    "This {}-reach key was {never} {age} days ago; {allowed} are allowed. It opens {}.{}",
                    key.reach,
                    opens(audit, key),
                    may(audit, key),
                );
                let name = audit.estate().id(id);
                let fix =
                    format!("Rotate key:{name}: make its successor, move its clients, switch this one off.");
                Told::new(situation).fix(fix)
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

/// Keys that are enabled, had not expired, and whose function or scope is not known to be switched off.
fn accepted<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (KeyId, &'a Key)> {
    audit.estate().all::<KeyId>().filter(|(id, _)| audit.access().is_accepted(*id))
}

fn held() -> Exposed {
    Exposed { to: Exposure::KeyHolders, ..Exposed::INSIDE }
}

/// What a key's holder can do: with an admin key everything in the app, else what the worst of the
/// functions it opens can.
fn harm(audit: &Audit<'_>, key: &Key) -> Harm {
    if key.reach == KeyReach::Admin {
        return Harm::of_key_to_all(key.opens());
    }
    let worst = |functions: &mut dyn Iterator<Item = FunctionId>| {
        // Of several that are as bad the first by name, whatever order they were read in.
        let harms = functions.map(|function| (audit.harm_through(function), audit.estate().id(function)));
        let worst = harms.min_by_key(|(harm, name)| (harm.impact, *name));
        worst.map_or(Harm::RUNS_CODE, |(harm, _)| harm)
    };
    match key.of {
        KeyOf::Function(function) => worst(&mut std::iter::once(function)),
        KeyOf::Scope(scope) => worst(&mut audit.functions_below(scope)),
    }
}

fn may(audit: &Audit<'_>, key: &Key) -> String {
    let harm = harm(audit, key);
    match (harm.may(audit.access()), harm.impact) {
        (Some(may), Impact::ControlsAccess) => format!(" Its holder may {may}."),
        (Some(may), _) => format!(" What it makes run may {may}."),
        (None, _) => String::new(),
    }
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
    Raised::new(Thing::Key(id), level).within(environment(audit, key))
}

fn environment(audit: &Audit<'_>, key: &Key) -> Option<Environment> {
    match key.of {
        KeyOf::Function(function) => audit.environment(function),
        KeyOf::Scope(scope) => audit.estate().environment(None, Some(scope)),
    }
}
