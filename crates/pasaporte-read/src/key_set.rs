//! Key sets of verifiers (RFC 7517): which keys they have, and nothing of the keys themselves.

use crate::contract::Unread;
use crate::diagnostic::Diagnostics;
use crate::read::{Report, doubled, field, scalar_text, whole};
use crate::redact::is_unprintable;
use crate::shown;
use crate::text::{Form, Value, View};

/// A key set as a file says it.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct KeySet {
    /// Ids of keys that can check a signature.
    pub(crate) ids: Vec<String>,
    /// How many more can, and have no id.
    pub(crate) unnamed: usize,
    /// Those of them whose secret part stands in the set.
    pub(crate) secret: Vec<String>,
    /// Keys for other uses whose secret part does.
    pub(crate) other_secret: Vec<String>,
    pub(crate) unread: Vec<Unread>,
}

/// Reads a key set; what is wrong with it as a whole goes to the diagnostics.
pub(crate) fn read(name: &str, text: &str, diagnostics: &mut Diagnostics) -> Option<KeySet> {
    let mut set = None;
    whole(name, text, Form::Json, diagnostics, |root, report| set = key_set(root, report));
    set
}

fn key_set(root: View<'_, '_>, report: &mut Report<'_>) -> Option<KeySet> {
    let keys = field(root, "keys").filter(|keys| matches!(keys.value(), Value::List));
    let Some(keys) = keys else {
        report.wrong(root, "not a key set: it has no list `keys`", "name a JSON Web Key Set (RFC 7517)");
        return None;
    };
    if let Some(name) = doubled(root) {
        report.wrong(root, format!("{} is given twice", shown::name(name)), "keep one of them");
        return None;
    }
    let mut set = KeySet::default();
    for key in keys.inside() {
        let id = field(key, "kid").and_then(|id| scalar_text(id.value()));
        let id = id.filter(|id| !id.is_empty() && id.len() <= 512 && !id.chars().any(is_unprintable));
        let named =
            id.map_or_else(|| "a key without a `kid`".to_owned(), |id| format!("key {}", shown::id(id)));
        let twice = doubled(key).map(|name| Err(format!("{} is given twice in it", shown::name(name))));
        let shown = id.map_or(named.clone(), str::to_owned);
        match twice.unwrap_or_else(|| use_of(key)) {
            Ok(Use::Signatures) => {
                set.unnamed += usize::from(id.is_none());
                set.ids.extend(id.map(str::to_owned));
                set.secret.extend(has_secret(key).then_some(shown));
            }
            // What checks no signatures is none of a verifier's business, unless it gives itself away.
            Ok(Use::Another) => set.other_secret.extend(has_secret(key).then_some(shown)),
            Err(why) => {
                set.other_secret.extend(has_secret(key).then_some(shown));
                set.unread.push(Unread { part: named, why, at: key.at() });
            }
        }
    }
    if set.ids.is_empty() && set.unnamed == 0 {
        let why = "none of its keys can check a signature".to_owned();
        set.unread.push(Unread { part: "the set".to_owned(), why, at: keys.at() });
    }
    Some(set)
}

/// What a key is for.
enum Use {
    Signatures,
    Another,
}

/// Whether the secret part of a key stands with it (RFC 7518 §6; RFC 8037 §2).
fn has_secret(key: View<'_, '_>) -> bool {
    let is_shared = field(key, "kty").and_then(|it| scalar_text(it.value())) == Some("oct");
    field(key, "d").is_some() || (is_shared && field(key, "k").is_some())
}

/// What a key is for; why it cannot be used, if it cannot.
fn use_of(key: View<'_, '_>) -> Result<Use, String> {
    if !matches!(key.value(), Value::Map) {
        return Err("not a map of fields".to_owned());
    }
    let text = |name: &str| field(key, name).and_then(|value| scalar_text(value.value()));
    if text("use").is_some_and(|used| used != "sig") {
        return Ok(Use::Another);
    }
    let operations = field(key, "key_ops")
        .map(|all| all.inside().any(|it| matches!(scalar_text(it.value()), Some("verify" | "sign"))));
    if operations == Some(false) {
        return Ok(Use::Another);
    }
    // RFC 7518 §6: what a key of each type must have.
    let needs: &[&str] = match text("kty") {
        Some("RSA") => &["n", "e"],
        Some("EC") => &["crv", "x", "y"],
        Some("OKP") => &["crv", "x"],
        Some("oct") => &["k"],
        Some(_) => return Err("its `kty` is not a type of key that is known".to_owned()),
        None => return Err("it does not say its type, `kty`".to_owned()),
    };
    if let Some(missing) = needs.iter().find(|name| text(name).is_none_or(str::is_empty)) {
        return Err(format!("it has no `{missing}`"));
    }
    Ok(Use::Signatures)
}
