//! Where a key's value got to, and how many have it.

use std::collections::BTreeMap;

use super::{accepted, of_harm, of_reach, raised};
use crate::facts::KeyFact;
use crate::finding::{Raised, Raising};
use crate::{Audit, Impact, Level, Rule};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Key, KeyId, Name, ScopeId, SeenIn, Showed, Thing, TokenId};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "key/in-url",
        title: "A key was seen in addresses that were called",
        why: "What stands in an address stands in every log on the way, in histories, and in what pages tell the next site: \
              each reader of those has the key.",
        fix: "Have its clients send it in a header, then rotate it.",
        check: "Digest new logs: no sighting of it in an address.",
        references: &["CWE-598", "CWE-532", "NIST SP 800-53 IA-5", "OWASP API2:2023"],
        apart: &[],
        judge: in_url,
    },
    Rule {
        id: "key/in-settings",
        title: "A key's value stands in plain settings or in what code logs",
        why: "Settings and logs are read by many who need not have the key, and are copied where nobody counts.",
        fix: "Keep the value in a secret store that the function reads, take it out of there, and rotate it.",
        check: "Gather settings and digest logs again: no sighting of it.",
        references: &["CWE-312", "CWE-532", "CWE-522", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: in_settings,
    },
    Rule {
        id: "key/shared",
        title: "Many clients have one key",
        why: "Nobody can tell who called, and taking it from one takes it from all, so nobody does.",
        fix: "Give each client a key of its own, one at a time; switch this one off when nobody uses it.",
        check: "List keys: each is held by one client.",
        references: &["CWE-522", "NIST SP 800-53 IA-5", "NIST SP 800-53 AU-10"],
        apart: &[],
        judge: shared,
    },
    Rule {
        id: "key/same-twice",
        title: "The same secret is a key in several places",
        why: "Whoever has it in the one, which is often a test, has it in the other.",
        fix: "Make another secret for all but one of them.",
        check: "List keys: no two have one fingerprint.",
        references: &["CWE-1391", "CWE-522", "NIST SP 800-53 IA-5"],
        apart: &[],
        judge: same_twice,
    },
    Rule {
        id: "key/public-token-long-lived",
        title: "A token that was handed to public clients is valid for very long",
        why: "Everybody has it, and it cannot be taken back before it ends.",
        fix: "Issue tokens for public clients that end within weeks, and have the clients fetch new ones.",
        check: "List tokens: its end is within the allowed days of its issue.",
        references: &["CWE-613", "NIST SP 800-53 IA-5", "OWASP API2:2023"],
        apart: &[],
        judge: public_token_long_lived,
    },
];

fn in_url(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    seen_in(audit, raising, &[SeenIn::RequestUrl]);
}

fn in_settings(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    seen_in(audit, raising, &[SeenIn::Settings, SeenIn::LogText]);
}

fn seen_in(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, places: &[SeenIn]) {
    let mut seen: BTreeMap<KeyId, SeenIn> = BTreeMap::new();
    for it in audit.estate().sightings().iter().filter(|it| places.contains(&it.place)) {
        if let Showed::Key(key) = it.what {
            let worst = seen.entry(key).or_insert(it.place);
            *worst = (*worst).min(it.place);
        }
    }
    for (id, key) in audit.each::<KeyId>().filter(|(id, _)| audit.effects().accepted(*id) != Verdict::No) {
        if let Some(&place) = seen.get(&id) {
            raising.raise(&of_harm(audit, id, key), KeyFact::SeenIn(id, place));
        }
    }
}

fn shared(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, key) in accepted(audit) {
        let many = usize::try_from(audit.thresholds_of(key).key_clients).unwrap_or_default();
        if clients(audit, id, key) >= many.max(2) {
            raising.raise(&raised(audit, id, key, of_reach(key)), KeyFact::Shared(id));
        }
    }
}

/// How many clients have a key, by whom it was given to or by who was seen to show it.
fn clients(audit: &Audit<'_>, id: KeyId, key: &Key) -> usize {
    let seen = audit.shown_by(id).clients().map_or(0, |(clients, _)| clients);
    audit.estate().list(key.held_by).len().max(seen)
}

fn same_twice(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut by_value: BTreeMap<Name, Vec<(KeyId, &Key)>> = BTreeMap::new();
    for (id, key) in estate.all::<KeyId>().filter(|(id, _)| audit.effects().accepted(*id) != Verdict::No) {
        if let Some(print) = key.fingerprint {
            by_value.entry(print).or_default().push((id, key));
        }
    }
    let wanted: Vec<KeyId> = audit.each::<KeyId>().map(|(id, _)| id).collect();
    for mut keys in by_value.into_values().filter(|keys| keys.len() > 1) {
        keys.sort_unstable_by_key(|(id, _)| estate.id(*id));
        let place = |(_, key): &(KeyId, &Key)| -> (Option<ScopeId>, Option<Environment>) {
            (estate.scope_of(key.opens()), audit.environment_of_key(key))
        };
        let first = place(&keys[0]);
        let is_wanted = keys.iter().any(|(id, _)| wanted.binary_search(id).is_ok());
        if !is_wanted || keys.iter().all(|it| place(it) == first) {
            continue;
        }
        // As bad as the worst of them.
        let all = keys.iter().map(|(id, key)| of_harm(audit, *id, key));
        let Some(worst) = all.reduce(Raised::worse) else { continue };
        let ids = keys.iter().map(|(id, _)| *id).collect();
        raising.raise(&worst.about(Thing::Key(keys[0].0)), KeyFact::SameTwice(ids));
    }
}

fn public_token_long_lived(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, token) in
        audit.each::<TokenId>().filter(|(_, token)| token.public && !estate.has_ended(token.expires))
    {
        let scope = token.verifier.and_then(|verifier| estate.scope_of(Thing::Verifier(verifier)));
        let environment = estate.environment(None, scope);
        let most = audit.settings().thresholds(environment).public_token_max_age;
        // Without the time of its issue, what is left is the least that it was valid.
        let since = token.issued.or(estate.as_of());
        let days = match (token.expires, since) {
            (Some(end), Some(since)) => Some(end.duration_since(since).as_hours() / 24),
            (Some(_), None) => continue,
            (None, _) => None,
        };
        if days.is_none_or(|days| days > most) {
            let level = Level::Table(Impact::Hygiene, Exposure::Anyone);
            let raised = Raised::new(Thing::Token(id), level).within(environment);
            raising.raise(&raised, KeyFact::LongPublicToken(id));
        }
    }
}
