//! identity: secrets by which anybody who has them acts as it.

use crate::facts::{IdentityFact, LongLived};
use crate::finding::{Raised, Raising};
use crate::{Audit, Rule};
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{Credential, Environment, IdentityId, LastUse, Principal, State, Thing};

pub(crate) const RULES: &[Rule] = &[Rule {
    id: "identity/long-lived-credential",
    title: "A secret by which anybody acts as an identity is old, idle, or never ends",
    why: "Whoever has it is the identity, from anywhere; it is copied into settings and notes, and nobody knows where it is.",
    fix: "Let what runs there act as the identity without a secret; else replace it, and give it an end.",
    check: "The identity's card lists no credential, or one that is young, used and ends.",
    references: &["CWE-798", "CWE-324", "NIST SP 800-53 IA-5", "NIST SP 800-53 AC-2"],
    apart: &["credential"],
    judge: long_lived,
}];

fn long_lived(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, identity) in audit.each::<IdentityId>() {
        let who = Principal::Identity(id);
        let environment = audit.environment_of(who);
        for (at, it) in identity.credentials.iter().enumerate() {
            if it.state != State::Enabled || estate.has_ended(it.expires) {
                continue;
            }
            let fact = LongLived { identity: id, credential: at, ..seen(audit, it, environment) };
            if fact.old.is_none() && fact.idle.is_none() && !fact.never_used && it.expires.is_some() {
                continue;
            }
            let exposed = Exposed::surely(Exposure::KeyHolders);
            let raised = Raised::judged(Thing::Identity(id), audit.harm(id), exposed, environment)
                .facet(estate.text(it.id));
            raising.raise(&raised, IdentityFact::LongLived(Box::new(fact)));
        }
    }
}

/// What is wrong with the life of a credential, by the thresholds for keys.
fn seen(audit: &Audit<'_>, it: &Credential, environment: Option<Environment>) -> LongLived {
    use pasaporte_core::estate::Id;
    let thresholds = audit.settings().thresholds(environment);
    let days = |time| audit.days_since(time);
    let age = it.rotated.max(it.created).and_then(days);
    let idle = match it.last_used {
        LastUse::At(time) => days(time).filter(|days| *days > thresholds.key_idle),
        LastUse::Never | LastUse::Unknown => None,
    };
    // One that was just made has not been used yet.
    let is_young = it.created.and_then(days).is_some_and(|days| days < thresholds.key_watch);
    LongLived {
        identity: IdentityId::new(0),
        credential: 0,
        old: age.filter(|days| *days > thresholds.key_max_age),
        idle,
        never_used: it.last_used == LastUse::Never && !is_young,
    }
}
