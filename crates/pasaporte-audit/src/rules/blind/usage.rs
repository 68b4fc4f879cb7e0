//! What logs do not say.

use std::collections::BTreeSet;

use super::blind;
use crate::facts::BlindFact;
use crate::finding::Raising;
use crate::{Audit, Level, Rule, Severity};
use pasaporte_core::estate::{AccountOf, EndpointId, KeyId, Name, ScopeId, Thing};

pub(super) const RULES: &[Rule] = &[
    Rule {
        id: "blind/no-usage",
        title: "No log was read",
        why: "What is used, and by whom, is not known: nothing is called unused, and whom a closed door would turn away is \
              not told.",
        fix: "Digest the logs of calls and of what identities did, and put the digest beside the estate.",
        check: "List usage: it has rows of each account.",
        references: &["NIST SP 800-53 AU-6", "NIST SP 800-53 CA-7"],
        apart: &[],
        judge: no_usage,
    },
    Rule {
        id: "blind/short-window",
        title: "The logs of an account cover too little time",
        why: "What happens once a month does not happen in a week's logs: nothing is called unused by them.",
        fix: "Digest logs of a longer time, without a gap and until lately.",
        check: "Audit again: the blind spot is gone.",
        references: &["NIST SP 800-53 AU-6", "NIST SP 800-53 AU-11"],
        apart: &[],
        judge: short_window,
    },
    Rule {
        id: "blind/same-logs",
        title: "Two digests are of the same logs",
        why: "What is counted twice looks busier than it is; what was left out because it was there already is no loss.",
        fix: "Keep one of them, or digest each log once.",
        check: "Audit again: the blind spot is gone.",
        references: &["NIST SP 800-53 AU-6"],
        apart: &["log"],
        judge: same_logs,
    },
    Rule {
        id: "blind/other-seal",
        title: "Fingerprints were made under several seals",
        why: "A value in a log finds its key by its fingerprint, and those made under different seals never match: a key \
              that was seen looks unused, or unknown.",
        fix: "Make keys, tokens and digests under one seal.",
        check: "Audit again: the blind spot is gone.",
        references: &["NIST SP 800-53 AU-6"],
        apart: &[],
        judge: other_seal,
    },
];

/// The accounts that have doors or keys, of whose use something would be told; none for one that is not named.
fn accounts(audit: &Audit<'_>) -> BTreeSet<Option<ScopeId>> {
    let estate = audit.estate();
    let doors = estate.all::<EndpointId>().filter(|(id, _)| audit.effects().is_open(*id));
    let functions = doors.map(|(_, endpoint)| Thing::Function(endpoint.function));
    let keys = estate.all::<KeyId>().map(|(_, key)| key.opens());
    let account = |thing| match estate.account_of(thing) {
        AccountOf::Known(account) => Some(account),
        AccountOf::Unnamed | AccountOf::Unknown => None,
    };
    functions.chain(keys).map(account).collect()
}

fn no_usage(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let accounts = accounts(audit);
    let without: Vec<Option<ScopeId>> = accounts
        .iter()
        .copied()
        .filter(|account| audit.estate().longest_logged(*account).is_none())
        .collect();
    if accounts.is_empty() || without.is_empty() {
        return;
    }
    let info = |thing: Option<Thing>| blind(thing).at_level(Level::Fixed(Severity::Info));
    // Where there is no log at all, that is one thing to know.
    if without.len() == accounts.len() {
        raising.raise(&info(None), BlindFact::NoUsage(None));
        return;
    }
    for account in without.into_iter().flatten() {
        raising.raise(&info(Some(Thing::Scope(account))), BlindFact::NoUsage(Some(account)));
    }
}

fn short_window(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for account in accounts(audit).into_iter().flatten() {
        let Some(window) = audit.estate().longest_logged(Some(account)) else { continue };
        if !audit.is_enough(&window, audit.estate().environment(None, Some(account))) {
            let fact = BlindFact::ShortWindow(Box::new((account, window)));
            raising.raise(&blind(Thing::Scope(account)), fact);
        }
    }
}

fn same_logs(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (place, overlap) in estate.overlaps().iter().enumerate() {
        let level = if overlap.left_out { Severity::Info } else { Severity::Low };
        let raised = blind(None).at_level(Level::Fixed(level)).facet(estate.text(overlap.log));
        raising.raise(&raised, BlindFact::SameLogs(place));
    }
}

fn other_seal(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let seals: BTreeSet<Name> = audit.estate().seals().iter().map(|(seal, _)| *seal).collect();
    if seals.len() > 1 {
        raising.raise(&blind(None), BlindFact::Seals);
    }
}
