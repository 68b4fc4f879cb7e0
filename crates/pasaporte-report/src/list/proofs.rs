//! What callers show, and what checks it.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::{Audit, KeyVerdict, key_verdicts};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{
    Check, EndpointId, KeyId, KeyReach, List as ListOf, Name, SeenIn, Showed, State, Thing, TokenId,
    VerifierId,
};

use super::shared::{YES, column, date, named, place, words_of};
use super::{Cell, Column, Holds, List, seen};
use crate::dates::last_used;

pub(super) const KEYS: &[Column] = &[
    column("key", 0, Holds::Names),
    column("opens", 1, Holds::Names),
    column("verdict", 0, words_of!(KeyVerdict)),
    column("reach", 2, words_of!(KeyReach)),
    column("functions", 6, Holds::Numbers),
    column("state", 5, Holds::Words(&["enabled", "disabled", "expired"])),
    column("age_days", 1, Holds::Numbers),
    column("last_used", 3, Holds::Dates),
    column("expires", 4, Holds::Dates),
    column("clients", 6, Holds::Names),
    column("held_by", 7, Holds::Names),
    column("seen_in", 8, Holds::Prose),
];

pub(super) fn keys(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    let verdicts = key_verdicts(audit);
    for (id, key) in estate.all::<KeyId>() {
        let age = key.rotated.max(key.created).and_then(|since| audit.days_since(since));
        let verdict = verdicts.get(&id).copied().unwrap_or(KeyVerdict::Keep);
        let seen = estate.list(key.seen_in).iter().map(|name| estate.text(*name).to_owned());
        let sighted =
            estate.sightings().iter().filter(|it| it.what == Showed::Key(id) && it.place != SeenIn::Header);
        let seen_in: BTreeSet<String> = seen.chain(sighted.map(|it| it.place.to_string())).collect();
        let state = match (key.state, estate.has_ended(key.expires)) {
            (State::Disabled, _) => Cell::text("disabled"),
            (State::Enabled, true) => Cell::alarming("expired"),
            (State::Enabled, false) => Cell::text("enabled"),
        };
        list.row(vec![
            Cell::text(estate.id(id)),
            Cell::text(estate.label(key.opens())),
            if verdict <= KeyVerdict::Narrow {
                Cell::alarming(verdict.to_string())
            } else {
                Cell::text(verdict.to_string())
            },
            Cell::text(key.reach.to_string()),
            Cell::count(audit.effects().opened_by(id).len()),
            state,
            age.map_or(Cell::Nothing, Cell::Number),
            Cell::maybe(last_used(audit, id)),
            Cell::text(key.expires.map_or("never".to_owned(), date)),
            Cell::maybe(seen::clients(&audit.shown_by(id))),
            Cell::many(texts(audit, key.held_by)),
            Cell::many(seen_in),
        ]);
    }
}

fn texts<'e>(audit: &Audit<'e>, list: ListOf<Name>) -> impl Iterator<Item = &'e str> {
    let estate = audit.estate();
    estate.list(list).iter().map(|name| estate.text(*name))
}

/// The texts of a list; any where it is empty.
fn accepted(audit: &Audit<'_>, list: ListOf<Name>) -> Cell {
    let mut texts = texts(audit, list).peekable();
    if texts.peek().is_none() { Cell::text("any") } else { Cell::many(texts) }
}

pub(super) const VERIFIERS: &[Column] = &[
    column("verifier", 0, Holds::Names),
    column("account", 5, Holds::Names),
    column("issuers", 2, Holds::Names),
    column("audiences", 3, Holds::Names),
    column("algorithms", 7, Holds::Names),
    column("signature", 1, Holds::Words(&["checked", "unchecked"])),
    column("keys", 6, Holds::Numbers),
    column("guards", 4, Holds::Names),
];

pub(super) fn verifiers(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    let mut guarded: BTreeMap<VerifierId, Vec<&str>> = BTreeMap::new();
    for (endpoint, it) in estate.all::<EndpointId>() {
        if let Check::Token(verifier) = it.check {
            guarded.entry(verifier).or_default().push(estate.id(endpoint));
        }
    }
    for (id, verifier) in estate.all::<VerifierId>() {
        let [_, account] = place(audit, Thing::Verifier(id));
        let mut guarded = guarded.remove(&id).unwrap_or_default();
        guarded.sort_unstable();
        list.row(vec![
            Cell::text(estate.id(id)),
            account,
            accepted(audit, verifier.issuers),
            accepted(audit, verifier.audiences),
            accepted(audit, verifier.algorithms),
            if verifier.checks_signature { Cell::text("checked") } else { Cell::alarming("unchecked") },
            verifier.keys.as_ref().map_or(Cell::Nothing, |keys| Cell::count(keys.ids.len() + keys.unnamed)),
            Cell::many(guarded),
        ]);
    }
}

pub(super) const TOKENS: &[Column] = &[
    column("token", 0, Holds::Names),
    column("issuer", 5, Holds::Names),
    column("audiences", 6, Holds::Names),
    column("public", 1, YES),
    column("passes", 2, Holds::Names),
    column("age_days", 3, Holds::Numbers),
    column("expires", 4, Holds::Dates),
];

pub(super) fn tokens(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, token) in estate.all::<TokenId>() {
        let passes = estate.all::<VerifierId>();
        let passes = passes.filter(|(verifier, _)| audit.effects().passes(id, *verifier) != Verdict::No);
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, token.issuer),
            Cell::many(texts(audit, token.audiences)),
            Cell::yes(token.public),
            Cell::many(passes.map(|(verifier, _)| estate.id(verifier))),
            token.issued.and_then(|since| audit.days_since(since)).map_or(Cell::Nothing, Cell::Number),
            Cell::text(token.expires.map_or("never".to_owned(), date)),
        ]);
    }
}
