//! What is asked of callers: security schemes, and the requirements that name them.

use std::collections::{HashMap, HashSet};

use pasaporte_core::estate::{KeyPlace, Vocabulary};

use super::reference::Tree;
use super::{Kind, Scheme};
use crate::read::{doubled, field, merged, scalar_text};
use crate::redact::{is_signed_token, is_unprintable};
use crate::shown;
use crate::text::{Position, Value, View};

/// Most alternatives, schemes of one alternative, and scopes of one scheme that are read: many more than people
/// write, and few enough to be kept for each operation.
const MOST: usize = 64;

/// The schemes of a document, by name; why, where one could not be understood.
#[derive(Default)]
pub(super) struct Schemes(HashMap<String, Result<Kind, String>>);

/// Why requirements could not be understood, and where.
type Wrong = (String, Position);

impl Schemes {
    pub(super) fn read(tree: &Tree<'_, '_>) -> Self {
        let all = field(tree.root, "components").and_then(|it| field(it, "securitySchemes"));
        let mut schemes = HashMap::new();
        for map in all.into_iter().flat_map(|all| merged(all).into_iter().chain([all])) {
            let mut own = HashSet::new();
            for (key, value) in map.entries() {
                let Some(name) = scalar_text(key.value()) else { continue };
                let kind = if own.insert(name) {
                    tree.followed(value).and_then(kind)
                } else {
                    Err("given twice".to_owned())
                };
                schemes.insert(name.to_owned(), kind);
            }
        }
        Self(schemes)
    }

    /// The alternatives that a `security` field lists (OpenAPI 3.1, Security Requirement Object).
    pub(super) fn requirements(&self, security: View<'_, '_>) -> Result<Vec<Vec<Scheme>>, Wrong> {
        let wrong = |what: &str, view: View<'_, '_>| (what.to_owned(), view.at());
        if !matches!(security.value(), Value::List) {
            return Err(wrong("`security` is not a list", security));
        }
        let mut all = Vec::new();
        for requirement in security.inside() {
            if !matches!(requirement.value(), Value::Map) {
                return Err(wrong("a security requirement is not a map of schemes", requirement));
            }
            let schemes = requirement.entries().map(|(key, scopes)| self.scheme(key, scopes));
            let schemes: Vec<Scheme> = schemes.collect::<Result<_, _>>()?;
            if schemes.len() > MOST || all.len() == MOST {
                return Err(wrong("more security requirements than are read", requirement));
            }
            all.push(schemes);
        }
        Ok(all)
    }

    fn scheme(&self, key: View<'_, '_>, scopes: View<'_, '_>) -> Result<Scheme, Wrong> {
        let name = scalar_text(key.value()).unwrap_or_default();
        let shown = shown::id(name);
        let kind = match self.0.get(name) {
            None => {
                let why = format!("the security scheme `{shown}` is not in `components.securitySchemes`");
                return Err((why, key.at()));
            }
            Some(Err(why)) => return Err((format!("the security scheme `{shown}`: {why}"), key.at())),
            Some(Ok(kind)) => kind.clone(),
        };
        if !matches!(scopes.value(), Value::List | Value::Null) {
            return Err((format!("the scopes of `{shown}` are not a list"), scopes.at()));
        }
        let mut named = Vec::new();
        for scope in scopes.inside() {
            let text = scalar_text(scope.value()).filter(|text| is_sound(text));
            named.push(text.ok_or_else(|| (format!("a scope of `{shown}` is not a text"), scope.at()))?);
        }
        if named.len() > MOST {
            return Err((format!("`{shown}` asks for more scopes than are read"), scopes.at()));
        }
        Ok(Scheme { kind, scopes: named.into_iter().map(str::to_owned).collect() })
    }
}

fn is_sound(text: &str) -> bool {
    !text.is_empty() && text.len() <= 512 && !text.chars().any(is_unprintable)
}

/// Whether a text is like the name of a header: it is shown, and what is not may be anything.
fn is_header(text: &str) -> bool {
    let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || b"-_.[]$".contains(&byte);
    text.len() <= 64 && text.bytes().all(is_plain) && !is_signed_token(text)
}

fn kind(scheme: View<'_, '_>) -> Result<Kind, String> {
    if let Some(name) = doubled(scheme) {
        return Err(format!("{} is given twice in it", shown::name(name)));
    }
    let text = |name: &str| {
        let value = field(scheme, name).and_then(|value| scalar_text(value.value()));
        value.filter(|text| is_sound(text)).ok_or_else(|| format!("it has no `{name}`"))
    };
    match text("type")? {
        "apiKey" => {
            let place = text("in")?;
            let known = KeyPlace::parse(place);
            let place = known.ok_or("its `in` is no place that a key can be in")?;
            let name = text("name")?;
            if !is_header(name) {
                return Err("its `name` is not like the name of a header or a parameter".to_owned());
            }
            Ok(Kind::Key(place, name.to_owned()))
        }
        "http" => Ok(match text("scheme")? {
            scheme if scheme.eq_ignore_ascii_case("bearer") => Kind::Bearer,
            scheme if is_header(scheme) => Kind::Http(scheme.to_lowercase()),
            _ => return Err("its `scheme` is not like an authentication scheme (RFC 9110 §11.1)".to_owned()),
        }),
        "oauth2" => Ok(Kind::OAuth2),
        "openIdConnect" => Ok(Kind::OpenIdConnect),
        "mutualTLS" => Ok(Kind::MutualTls),
        _ => Err("its `type` is not a type of security scheme".to_owned()),
    }
}
