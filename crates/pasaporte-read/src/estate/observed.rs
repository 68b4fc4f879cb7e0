//! What entries of observed use are made of: what a caller showed, and who the clients were.

use std::borrow::Cow;

use pasaporte_core::estate::MOST_CLIENTS;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use super::values::{Name, PrincipalName, Text, is_id};
use crate::read::{Read, Report, record, scalar_text};
use crate::text::{Value, View};

record! {
    /// A token by who issued it, and to whom.
    Issued: "an issued token" {
        must {}
        may {
            /// Who issued it.
            "issuer" issuer: Option<Text<'a>>,
            /// To whom.
            "subject" subject: Option<Text<'a>>,
        }
    }
}

/// What a caller showed.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) enum Showed<'a> {
    #[default]
    Unsaid,
    Nothing,
    Key(&'a str),
    UnknownKey(Option<&'a str>),
    Token(&'a str),
    Issued(Issued<'a>),
    Principal(PrincipalName<'a>),
}

const UNKNOWN_KEY: &str = "unknown-key";

impl<'a> Read<'a> for Showed<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if matches!(view.value(), Value::Map) {
            return Issued::read(view, report).map(Self::Issued);
        }
        let text = scalar_text(view.value()).unwrap_or_default();
        let (kind, id) = text.split_once(':').unwrap_or((text, ""));
        match kind {
            "nothing" if id.is_empty() => return Some(Self::Nothing),
            "unsaid" if id.is_empty() => return Some(Self::Unsaid),
            UNKNOWN_KEY if text == UNKNOWN_KEY => return Some(Self::UnknownKey(None)),
            UNKNOWN_KEY if is_id(id) => return Some(Self::UnknownKey(Some(id))),
            "key" if is_id(id) => return Some(Self::Key(id)),
            "token" if is_id(id) => return Some(Self::Token(id)),
            "key" | "token" | UNKNOWN_KEY | "" => {}
            _ => return PrincipalName::read(view, report).map(Self::Principal),
        }
        let help = "write nothing, unsaid, key:ID, unknown-key:FINGERPRINT, token:ID, a principal, or {issuer: …, \
                    subject: …}";
        report.wrong(view, "not what a caller can show", help);
        None
    }
}

impl Serialize for Showed<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Unsaid => serializer.serialize_str("unsaid"),
            Self::Nothing => serializer.serialize_str("nothing"),
            Self::Key(id) => serializer.collect_str(&format_args!("key:{id}")),
            Self::UnknownKey(None) => serializer.serialize_str(UNKNOWN_KEY),
            Self::UnknownKey(Some(print)) => serializer.collect_str(&format_args!("{UNKNOWN_KEY}:{print}")),
            Self::Token(id) => serializer.collect_str(&format_args!("token:{id}")),
            Self::Issued(issued) => issued.serialize(serializer),
            Self::Principal(who) => who.serialize(serializer),
        }
    }
}

impl JsonSchema for Showed<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Showed".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let (id, principal) =
            (generator.subschema_for::<Name<'_>>(), generator.subschema_for::<PrincipalName<'_>>());
        let issued = generator.subschema_for::<Issued<'_>>();
        let after = |kind: &str| {
            let id = id.get("pattern").and_then(|it| it.as_str()).unwrap_or("^.+$").trim_start_matches('^');
            serde_json::json!({"type": "string", "pattern": format!("^{kind}:{id}")})
        };
        json_schema!({
            "description": "What a caller showed: nothing; a key or token of the estate; a key that it does not know, by \
                            its fingerprint; another token by issuer and subject; or who they are. `unsaid` where the \
                            log does not say.",
            "anyOf": [
                {"enum": ["nothing", "unsaid", UNKNOWN_KEY]},
                after("key"),
                after(UNKNOWN_KEY),
                after("token"),
                issued,
                principal,
            ]
        })
    }
}

/// Who the clients were: how many at least, or their keyed hashes.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Clients<'a> {
    pub(crate) at_least: u32,
    pub(crate) hashes: &'a [ClientHash],
}

/// A client: eight hexadecimal digits.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ClientHash(pub(crate) u32);

impl<'a> Read<'a> for ClientHash {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = scalar_text(view.value()).filter(|text| text.len() == 8);
        let hash = text.and_then(|text| u32::from_str_radix(text, 16).ok());
        if hash.is_none() {
            report.expected(view, "a client, as eight hexadecimal digits");
        }
        hash.map(Self)
    }
}

impl Serialize for ClientHash {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&format_args!("{:08x}", self.0))
    }
}

impl<'a> Read<'a> for Clients<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if matches!(view.value(), Value::List) {
            let hashes: &'a [ClientHash] = Read::read(view, report)?;
            return Some(Self { at_least: 0, hashes });
        }
        let at_least = u64::read(view, report)?;
        Some(Self { at_least: u32::try_from(at_least).unwrap_or(u32::MAX), hashes: &[] })
    }
}

impl Serialize for Clients<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.hashes {
            [] => serializer.serialize_u32(self.at_least),
            hashes => serializer.collect_seq(hashes),
        }
    }
}

impl JsonSchema for Clients<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Clients".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({
            "description": format!(
                "Distinct clients: how many, or keyed hashes of their addresses, of which the least {MOST_CLIENTS} are kept."
            ),
            "anyOf": [
                {"type": "integer", "minimum": 0},
                {"type": "array", "items": {"type": "string", "pattern": "^[0-9a-fA-F]{8}$"}},
            ]
        })
    }
}
