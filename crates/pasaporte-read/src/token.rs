//! Tokens (RFC 7519): what one says of itself, and a fingerprint; of the token itself nothing is kept.

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use jiff::Timestamp;
use serde::Deserialize;
use serde::de::DeserializeOwned;

use crate::estate::check;
use crate::redact::is_unprintable;
use crate::seal::Seal;
use crate::text::{Form, Source};

/// What a token is registered as.
#[derive(Debug, Clone, Copy)]
pub struct Registration<'r> {
    /// Its id in the estate.
    pub id: &'r str,
    /// The verifier that it was made for.
    pub verifier: Option<&'r str>,
    /// Whether it is handed to public clients.
    pub public: bool,
}

/// The algorithms that sign: RFC 7518 §3.1, RFC 8037 §3.1 and RFC 8812 §3.2, and the names of RFC 9864.
const ALGORITHMS: [&str; 16] = [
    "HS256", "HS384", "HS512", "RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384",
    "ES512", "ES256K", "EdDSA", "Ed25519", "Ed448",
];

/// What of a header an estate keeps (RFC 7515 §4.1).
#[derive(Debug, Deserialize)]
struct Header {
    alg: String,
    kid: Option<String>,
}

/// The claims that an estate keeps (RFC 7519 §4.1).
#[derive(Debug, Deserialize)]
struct Claims {
    iss: Option<String>,
    aud: Option<Audiences>,
    iat: Option<f64>,
    exp: Option<f64>,
}

#[derive(Debug, Deserialize)]
#[serde(untagged)]
enum Audiences {
    One(String),
    Several(Vec<String>),
}

/// The entry of a token in an estate, as two lines of NDJSON. The fingerprint is keyed by `seal`, so that nobody
/// without it can try out tokens against it.
pub fn register(token: &str, as_what: Registration<'_>, seal: &Seal) -> Result<String, (String, String)> {
    let wrong = |message: &str, help: &str| (message.to_owned(), help.to_owned());
    let token = token.trim();
    let parts: Vec<&str> = token.split('.').collect();
    let (header, claims) = match parts[..] {
        [header, claims, _] => (header, claims),
        [_, _, _, _, _] => {
            return Err(wrong(
                "an encrypted token (RFC 7516): what it claims cannot be read",
                "register a signed one",
            ));
        }
        _ => {
            let help = "give a JSON Web Token (RFC 7519) on standard input: three parts with dots between";
            return Err(wrong("not a token", help));
        }
    };
    let header: Header =
        part(header).filter(|it: &Header| ALGORITHMS.contains(&&*it.alg)).ok_or_else(|| {
            let help =
                "it must be a signed token whose algorithm RFC 7518 or 8037 has, and `none` is no signature";
            wrong("not a token that is signed: its header cannot be read", help)
        })?;
    let claims: Claims = part(claims).ok_or_else(|| {
        wrong("not a token that can be read: its claims are no JSON object of claims", "check what was given")
    })?;
    let audiences = match claims.aud {
        None => Vec::new(),
        Some(Audiences::One(one)) => vec![one],
        Some(Audiences::Several(all)) => all,
    };
    let texts = claims.iss.iter().chain(&audiences).chain(&header.kid);
    if texts.into_iter().any(|text| text.chars().any(is_unprintable)) {
        let help = "it is not one to be kept in an estate";
        return Err(wrong("the token's claims have characters that cannot be seen", help));
    }
    let mut entry = serde_json::json!({
        "id": as_what.id,
        "algorithm": header.alg,
        "fingerprint": seal.fingerprint(token),
    });
    let mut say = |field: &str, value: Option<serde_json::Value>| {
        if let Some(value) = value {
            entry[field] = value;
        }
    };
    let moment = |seconds: Option<f64>| {
        let time = seconds.map(|seconds| Timestamp::from_second(seconds as i64)).transpose();
        let told = time.map(|time| time.map(|time| time.to_string().into()));
        told.map_err(|_| wrong("the token's times are out of range", "check what was given"))
    };
    say("verifier", as_what.verifier.map(Into::into));
    say("issuer", claims.iss.map(Into::into));
    say("audiences", (!audiences.is_empty()).then(|| audiences.into()));
    say("key_id", header.kid.map(Into::into));
    say("public", as_what.public.then(|| true.into()));
    say("issued", moment(claims.iat)?);
    say("expires", moment(claims.exp)?);
    let header = serde_json::json!({ "estate": 1, "seal": seal.id() });
    let lines = format!("{header}\n{}\n", serde_json::json!({ "token": entry }));
    let source = Source::Text { name: "the token".to_owned(), text: lines.clone(), form: Form::Ndjson };
    match check(source) {
        Ok(()) => Ok(lines),
        Err(diagnostics) => {
            let first = diagnostics.sorted().into_iter().next();
            let (message, help) =
                first.map(|it| (it.message, it.help.unwrap_or_default())).unwrap_or_default();
            Err((format!("not an entry of an estate: {message}"), help))
        }
    }
}

/// A part of a token: JSON in base64url (RFC 7515 §2).
fn part<T: DeserializeOwned>(text: &str) -> Option<T> {
    serde_json::from_slice(&URL_SAFE_NO_PAD.decode(text).ok()?).ok()
}
