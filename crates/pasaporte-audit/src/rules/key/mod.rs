//! key: shared secrets.

mod life;
mod scope;
mod spread;

use crate::finding::{Cause, Raised};
use crate::{Audit, Impact, Level, Rule};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposed, Exposure};
use pasaporte_core::estate::{Key, KeyId, KeyReach, Principal, Thing};

/// The rules, in the order in which one would read them.
pub(crate) fn rules() -> Vec<Rule> {
    [life::RULES, scope::RULES, spread::RULES].concat()
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
