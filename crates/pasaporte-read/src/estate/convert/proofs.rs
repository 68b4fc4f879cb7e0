//! What callers show: keys, tokens, and what checks them.

use pasaporte_core::estate::{self as model, KeyOf, LastUse, State, Thing, VerifierId};

use super::{Converter, entries, moment};
use crate::estate::choices::LastUsed;

impl Converter<'_, '_> {
    pub(super) fn key(&mut self, it: &entries::Key<'_>) {
        let of = match self.thing(&it.opens) {
            Thing::Function(id) => KeyOf::Function(id),
            Thing::Scope(id) => KeyOf::Scope(id),
            _ => {
                let message = format!("a key opens a function or a scope, not `{}`", it.opens.text);
                self.report.wrong_at(it.opens.at, 1, message, "write function:ID or app:ID");
                return;
            }
        };
        if matches!(of, KeyOf::Function(_)) != (it.reach.0 == model::KeyReach::Function) {
            let message = format!("a key of {} reach does not open `{}`", it.reach.0, it.opens.text);
            let help = "function reach opens one function; app and admin reach open a scope: app:ID";
            self.report.wrong_at(it.opens.at, 1, message, help);
            return;
        }
        let key = model::Key {
            of,
            reach: it.reach.0,
            state: it.state.map_or(State::Enabled, |word| word.0),
            created: moment(it.created),
            rotated: moment(it.rotated),
            expires: moment(it.expires),
            last_used: last_use(it.last_used),
            observed_since: moment(it.observed_since),
            fingerprint: it.fingerprint.as_ref().map(|name| self.builder.name(name.text)),
            held_by: self.list(it.held_by.0),
            seen_in: self.list(it.seen_in.0),
            origin: self.origin(it.at),
        };
        let id: model::KeyId = self.builder.mention(it.id.text);
        let origin = key.origin;
        self.builder.declare(id, key, origin);
    }

    pub(super) fn credential(&mut self, it: &entries::Credential<'_>) -> model::Credential {
        model::Credential {
            id: self.builder.name(it.id.text),
            state: it.state.map_or(State::Enabled, |word| word.0),
            created: moment(it.created),
            rotated: moment(it.rotated),
            expires: moment(it.expires),
            last_used: last_use(it.last_used),
            held_by: self.list(it.held_by.0),
            origin: self.origin(it.at),
        }
    }

    pub(super) fn fingerprint(&mut self, it: &entries::Fingerprint<'_>) {
        let of = self.thing(&it.of);
        if !matches!(of, Thing::Key(_) | Thing::Token(_)) {
            let message = format!("a fingerprint is of a key or a token, not of `{}`", it.of.text);
            self.report.wrong_at(it.of.at, 1, message, "write key:ID or token:ID");
            return;
        }
        let print = self.builder.name(it.print.text);
        let origin = self.origin(it.at);
        self.builder.fingerprint(of, print, origin);
    }

    pub(super) fn verifier(&mut self, it: &entries::Verifier<'_>) {
        let id: VerifierId = self.builder.mention(it.id.text);
        let verifier = model::Verifier {
            scope: self.mention(it.scope.as_ref()),
            issuers: self.list(it.issuers.0),
            audiences: self.list(it.audiences.0),
            algorithms: self.list(it.algorithms.0),
            key_set: self.name(it.key_set.as_ref()),
            keys: None,
            checks_signature: it.checks_signature.unwrap_or(true),
            checks_expiry: it.checks_expiry.unwrap_or(true),
            origin: self.origin(it.at),
        };
        let origin = verifier.origin;
        self.builder.declare(id, verifier, origin);
    }

    pub(super) fn token(&mut self, it: &entries::Token<'_>) {
        let id: model::TokenId = self.builder.mention(it.id.text);
        let token = model::Token {
            issuer: self.name(it.issuer.as_ref()),
            audiences: self.list(it.audiences.0),
            algorithm: self.name(it.algorithm.as_ref()),
            key_id: self.name(it.key_id.as_ref()),
            public: it.public,
            issued: moment(it.issued),
            expires: moment(it.expires),
            fingerprint: it.fingerprint.as_ref().map(|name| self.builder.name(name.text)),
            verifier: self.mention(it.verifier.as_ref()),
            origin: self.origin(it.at),
        };
        let origin = token.origin;
        self.builder.declare(id, token, origin);
    }
}

/// When something was last used, as far as is said.
fn last_use(said: Option<LastUsed>) -> LastUse {
    match said {
        None => LastUse::Unknown,
        Some(LastUsed::Never) => LastUse::Never,
        Some(LastUsed::At(time)) => LastUse::At(time.0),
    }
}
