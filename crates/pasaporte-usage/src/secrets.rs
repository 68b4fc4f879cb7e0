//! Values that may be keys: which parameters and headers carry them, and whose they are. A value is hashed as it is met;
//! it is kept nowhere.

use std::collections::{HashMap, HashSet};

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use pasaporte_core::estate::{ContractId, EndpointId, Estate, KeyId, SchemeKind, Thing, TokenId, VerifierId};
use pasaporte_read::seal::Seal;
use serde::Deserialize;

/// Names of parameters and headers that carry keys where nobody says otherwise, in lower case.
const USUAL: [&str; 14] = [
    "key",
    "code",
    "api_key",
    "api-key",
    "apikey",
    "x-api-key",
    "function-key",
    "x-function-key",
    "token",
    "access_token",
    "auth",
    "authorization",
    "proxy-authorization",
    "cookie",
];

/// Longest value that is looked at: whatever is longer is no key.
const LONGEST: usize = 16 << 10;

/// Finds whose a value is.
#[derive(Debug)]
pub struct Secrets {
    seal: Seal,
    names: HashSet<String>,
    issuers: HashSet<String>,
    by_print: HashMap<String, String>,
}

/// Whose a value is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Whose {
    /// Of a key or token of the estate, as it is written, or of a key that it does not know.
    Said(String),
    /// A token by who issued it, and to whom.
    Issued(Option<String>, Option<String>),
    /// No key: HTTP Basic, a cookie without one, an empty value.
    Nobody,
}

impl Secrets {
    /// For an estate: the usual names, those of its contracts and endpoints, and more.
    pub fn new(estate: &Estate, seal: Seal, more: &[String]) -> Self {
        let mut names: HashSet<String> = USUAL.iter().map(|name| (*name).to_owned()).collect();
        names.extend(more.iter().map(|name| name.to_ascii_lowercase()));
        for (_, contract) in estate.all::<ContractId>() {
            for operation in &contract.operations {
                let pasaporte_core::estate::Asked::OneOf(all) = &*operation.asks else { continue };
                for scheme in all.iter().flatten() {
                    if let SchemeKind::Key(_, name) = scheme.kind {
                        names.insert(estate.text(name).to_ascii_lowercase());
                    }
                }
            }
        }
        for (_, endpoint) in estate.all::<EndpointId>() {
            names.extend(
                estate.list(endpoint.keys_in).iter().map(|name| estate.text(*name).to_ascii_lowercase()),
            );
        }
        let keys = estate.all::<KeyId>().filter_map(|(id, key)| Some((key.fingerprint?, Thing::Key(id))));
        let tokens =
            estate.all::<TokenId>().filter_map(|(id, token)| Some((token.fingerprint?, Thing::Token(id))));
        let by_print =
            keys.chain(tokens).map(|(print, thing)| (estate.text(print).to_owned(), estate.label(thing)));
        let mut all: Vec<(String, String)> = by_print.collect();
        // Of two with one value the first by name, whichever was read first.
        all.sort_by(|one, other| other.cmp(one));
        let accepted = estate.all::<VerifierId>().flat_map(|(_, it)| estate.list(it.issuers).iter().copied());
        let issued = estate.all::<TokenId>().filter_map(|(_, it)| it.issuer);
        let issuers = accepted.chain(issued).map(|name| estate.text(name).to_owned()).collect();
        Self { seal, names, issuers, by_print: all.into_iter().collect() }
    }

    /// The seal.
    pub fn seal(&self) -> &Seal {
        &self.seal
    }

    /// Whether a parameter or header of that name carries keys.
    pub(crate) fn carries(&self, name: &str) -> bool {
        self.names.contains(name) || self.names.contains(&name.to_ascii_lowercase())
    }

    /// Whose a value is.
    pub(crate) fn whose(&self, value: &str) -> Whose {
        let value = value.trim();
        let (scheme, rest) = value.split_once(' ').unwrap_or(("", value));
        if scheme.eq_ignore_ascii_case("basic") {
            // A name and a password, which are no key of a function.
            return Whose::Nobody;
        }
        let value = if scheme.is_empty() { value } else { rest.trim() };
        if value.is_empty() || value == "-" || value.len() > LONGEST {
            return Whose::Nobody;
        }
        let print = self.seal.fingerprint(value);
        if let Some(known) = self.by_print.get(&print) {
            return Whose::Said(known.clone());
        }
        match claims(value) {
            Some(claims) => self.issued(claims.iss.as_deref(), claims.sub.as_deref()),
            None => Whose::Said(format!("unknown-key:{}", &print[..PRINT])),
        }
    }
}

impl Secrets {
    /// A token by who issued it and to whom. A subject may be a person, or anything: it is told from others by a keyed
    /// hash, and not named.
    pub(crate) fn issued(&self, issuer: Option<&str>, subject: Option<&str>) -> Whose {
        let known = |text: &&str| self.issuers.contains(*text) || is_plain_issuer(text);
        let subject = subject
            .filter(|it| !it.is_empty())
            .map(|it| format!("~{}", &self.seal.fingerprint(it)[..SUBJECT]));
        Whose::Issued(issuer.filter(known).map(str::to_owned), subject)
    }
}

/// How much of the fingerprint of a subject is written.
const SUBJECT: usize = 12;

/// How much of the fingerprint of an unknown key is written: enough to tell it from others.
const PRINT: usize = 32;

#[derive(Deserialize)]
struct Claims {
    iss: Option<String>,
    sub: Option<String>,
}

/// What a signed token says of itself (RFC 7519); whether that is true is not asked here.
fn claims(value: &str) -> Option<Claims> {
    let mut parts = value.split('.');
    let (header, claims, _, None) = (parts.next()?, parts.next()?, parts.next()?, parts.next()) else {
        return None;
    };
    let decoded = |part: &str| URL_SAFE_NO_PAD.decode(part.trim_end_matches('=')).ok();
    serde_json::from_slice::<serde_json::Map<String, serde_json::Value>>(&decoded(header)?).ok()?;
    serde_json::from_slice(&decoded(claims)?).ok()
}

/// An issuer as it may be written: one that the estate knows, or a plain address (OpenID Connect Discovery 1.0 §2).
fn is_plain_issuer(text: &str) -> bool {
    let word = |part: &str| {
        part.len() <= 24
            && part.bytes().all(|it| it.is_ascii_lowercase() || it == b'-' || it == b'_' || it == b'.')
    };
    let parsed = url::Url::parse(text).ok().filter(|url| url.scheme() == "https" && text.len() <= 200);
    parsed.is_some_and(|url| {
        let is_bare = url.username().is_empty() && url.password().is_none() && url.query().is_none();
        let path = url.path().trim_matches('/');
        is_bare && url.fragment().is_none() && url.port().is_none() && path.split('/').all(word)
    })
}
