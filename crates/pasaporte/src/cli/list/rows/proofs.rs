//! What callers show, and what checks it.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{
    Check, EndpointId, KeyId, LastUse, List, Name, State, Thing, TokenId, VerifierId,
};

use super::{date, named, place};
use crate::view::{Cell, Table};

pub(in crate::cli::list) fn keys(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("key", "key"),
        ("opens", "opens"),
        ("reach", "reach"),
        ("state", "state"),
        ("age_days", "days old"),
        ("last_used", "last used"),
        ("expires", "expires"),
    ]);
    for (id, key) in estate.all::<KeyId>() {
        let age = key.rotated.max(key.created).and_then(|since| audit.days_since(since));
        let last_used = match key.last_used {
            LastUse::Unknown => Cell::text("not known"),
            LastUse::Never => Cell::text("never"),
            LastUse::At(time) => Cell::text(&date(time)),
        };
        let state = match (key.state, estate.has_ended(key.expires)) {
            (State::Disabled, _) => "disabled",
            (State::Enabled, true) => "expired but enabled",
            (State::Enabled, false) => "enabled",
        };
        table.row(vec![
            Cell::text(estate.id(id)),
            Cell::Text(estate.label(key.opens())),
            Cell::Text(key.reach.to_string()),
            Cell::text(state),
            age.map_or(Cell::Nothing, Cell::Number),
            last_used,
            key.expires.map_or(Cell::text("never"), |time| Cell::text(&date(time))),
        ]);
    }
    table
}

/// The texts of a list; any where it is empty.
fn accepted(audit: &Audit<'_>, list: List<Name>) -> Cell {
    let texts: Vec<String> =
        audit.estate().list(list).iter().map(|name| audit.estate().text(*name).to_owned()).collect();
    if texts.is_empty() { Cell::text("any") } else { Cell::Many(texts) }
}

pub(in crate::cli::list) fn verifiers(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("verifier", "verifier"),
        ("account", ""),
        ("issuers", "issuers"),
        ("audiences", "audiences"),
        ("algorithms", ""),
        ("signature", "signatures"),
        ("keys", ""),
        ("guards", "guards"),
    ]);
    let mut guarded: BTreeMap<VerifierId, Vec<String>> = BTreeMap::new();
    for (endpoint, it) in estate.all::<EndpointId>() {
        if let Check::Token(verifier) = it.check {
            guarded.entry(verifier).or_default().push(estate.id(endpoint).to_owned());
        }
    }
    for (id, verifier) in estate.all::<VerifierId>() {
        let [_, account] = place(audit, Thing::Verifier(id));
        let guarded = guarded.remove(&id).unwrap_or_default();
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            accepted(audit, verifier.issuers),
            accepted(audit, verifier.audiences),
            accepted(audit, verifier.algorithms),
            if verifier.checks_signature {
                Cell::text("checked")
            } else {
                Cell::Loud("NOT checked".to_owned())
            },
            verifier.keys.as_ref().map_or(Cell::Nothing, |keys| Cell::count(keys.ids.len())),
            Cell::Many(guarded),
        ]);
    }
    table
}

pub(in crate::cli::list) fn tokens(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("token", "token"),
        ("issuer", ""),
        ("audiences", ""),
        ("public", "public"),
        ("passes", "passes"),
        ("age_days", "days old"),
        ("expires", "expires"),
    ]);
    for (id, token) in estate.all::<TokenId>() {
        let passes = estate.all::<VerifierId>();
        let passes = passes.filter(|(verifier, _)| audit.effects().passes(id, *verifier) != Verdict::No);
        table.row(vec![
            Cell::text(estate.id(id)),
            named(audit, token.issuer),
            Cell::Many(
                estate.list(token.audiences).iter().map(|name| estate.text(*name).to_owned()).collect(),
            ),
            Cell::text(if token.public { "yes" } else { "no" }),
            Cell::Many(passes.map(|(verifier, _)| estate.id(verifier).to_owned()).collect()),
            token.issued.and_then(|since| audit.days_since(since)).map_or(Cell::Nothing, Cell::Number),
            token.expires.map_or(Cell::text("never"), |time| Cell::text(&date(time))),
        ]);
    }
    table
}
