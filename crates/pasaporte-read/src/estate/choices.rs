//! Values of entries that are written in one of several ways: checks, networks, what a gateway presents, tags.

use std::borrow::Cow;

use bumpalo::collections::Vec as ArenaVec;
use pasaporte_core::estate::KeyReach;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::ser::{Serialize, Serializer};

use super::values::{Many, Moment, Name, Net, Text, Word};
use crate::nearest::nearest;
use crate::read::{Read, Report, scalar_text};
use crate::text::{Value, View};

/// Names and values.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Tags<'a>(pub(crate) &'a [(&'a str, Text<'a>)]);

impl<'a> Read<'a> for Tags<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if !matches!(view.value(), Value::Map) {
            report.expected(view, "tags, as a map of names and values");
            return None;
        }
        let mut sound = true;
        let mut tags = ArenaVec::with_capacity_in(view.entries().count(), view.arena());
        for (key, value) in view.entries() {
            match (Text::read(key, report), Text::read(value, report)) {
                (Some(Text(name)), Some(value)) => tags.push((name, value)),
                _ => sound = false,
            }
        }
        sound.then(|| Self(tags.into_bump_slice()))
    }
}

impl Serialize for Tags<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.0.iter().map(|(name, value)| (name, value)))
    }
}

impl JsonSchema for Tags<'_> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Tags".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "object", "additionalProperties": {"type": ["string", "boolean"]}})
    }
}

/// What a caller must show.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Check<'a> {
    None,
    Identity,
    Key(KeyReach),
    Token(Name<'a>),
}

/// Reads a map with exactly one of some fields; gives the field and its value.
fn one_of<'t, 'a>(
    view: View<'t, 'a>,
    report: &mut Report<'_>,
    what: &str,
    fields: &'static [&'static str],
) -> Option<(&'static str, View<'t, 'a>)> {
    let mut entries = view.entries();
    let (Some((key, value)), None) = (entries.next(), entries.next()) else {
        report.wrong(view, format!("{what} has exactly one of the fields {}", fields.join(", ")), "");
        return None;
    };
    let name = scalar_text(key.value()).unwrap_or_default();
    let known = fields.iter().copied().find(|field| *field == name);
    if known.is_none() {
        report.unknown_field(key, &format!("a field of {what}"), name, fields.iter().copied());
    }
    known.map(|known| (known, value))
}

/// Notes a word that is none of those that stand for themselves.
fn unknown_word(
    view: View<'_, '_>,
    report: &mut Report<'_>,
    what: &str,
    word: &str,
    words: &[&str],
    forms: &str,
) {
    match nearest(word, words.iter().copied()) {
        Some(near) => {
            report.wrong(view, format!("`{word}` is not {what}"), format!("did you mean `{near}`?"));
        }
        None => report.wrong(view, format!("not {what}"), format!("write {forms}")),
    }
}

impl<'a> Read<'a> for Check<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        const FORMS: &str = "none, identity, {key: function}, {key: app}, {key: admin} or {token: VERIFIER}";
        match (view.value(), scalar_text(view.value())) {
            (_, Some("none")) => Some(Self::None),
            (_, Some("identity")) => Some(Self::Identity),
            (_, Some(word)) => {
                unknown_word(view, report, "a check", word, &["none", "identity"], FORMS);
                None
            }
            (Value::Map, _) => match one_of(view, report, "a check", &["key", "token"])? {
                ("key", value) => Word::read(value, report).map(|reach: Word<KeyReach>| Self::Key(reach.0)),
                (_, value) => Name::read(value, report).map(Self::Token),
            },
            _ => {
                report.expected(view, &format!("a check: {FORMS}"));
                None
            }
        }
    }
}

impl Serialize for Check<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::None => serializer.serialize_str("none"),
            Self::Identity => serializer.serialize_str("identity"),
            Self::Key(reach) => serializer.collect_map([("key", Word(*reach))]),
            Self::Token(verifier) => serializer.collect_map([("token", verifier)]),
        }
    }
}

impl JsonSchema for Check<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Check".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let reach = generator.subschema_for::<Word<KeyReach>>();
        let name = generator.subschema_for::<Name<'_>>();
        json_schema!({
            "description": "What a caller must show: nothing, an identity, a key of at least a reach, or a token that a verifier accepts.",
            "anyOf": [
                {"enum": ["none", "identity"]},
                {"type": "object", "properties": {"key": reach}, "required": ["key"], "additionalProperties": false},
                {"type": "object", "properties": {"token": name}, "required": ["token"], "additionalProperties": false}
            ]
        })
    }
}

/// What a gateway presents to the function behind it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Presents<'a> {
    Nothing,
    Caller,
    Identity(Name<'a>),
    Key(Name<'a>),
    Service(Name<'a>),
}

impl<'a> Read<'a> for Presents<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        const FORMS: &str = "nothing, caller, {identity: ID}, {key: ID} or {service: NAME}";
        match (view.value(), scalar_text(view.value())) {
            (_, Some("nothing")) => Some(Self::Nothing),
            (_, Some("caller")) => Some(Self::Caller),
            (_, Some(word)) => {
                unknown_word(view, report, "what a gateway can present", word, &["nothing", "caller"], FORMS);
                None
            }
            (Value::Map, _) => {
                match one_of(view, report, "what a gateway presents", &["identity", "key", "service"])? {
                    ("identity", value) => Name::read(value, report).map(Self::Identity),
                    ("service", value) => Name::read(value, report).map(Self::Service),
                    (_, value) => Name::read(value, report).map(Self::Key),
                }
            }
            _ => {
                report.expected(view, &format!("what the gateway presents: {FORMS}"));
                None
            }
        }
    }
}

impl Serialize for Presents<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Nothing => serializer.serialize_str("nothing"),
            Self::Caller => serializer.serialize_str("caller"),
            Self::Identity(id) => serializer.collect_map([("identity", id)]),
            Self::Key(id) => serializer.collect_map([("key", id)]),
            Self::Service(name) => serializer.collect_map([("service", name)]),
        }
    }
}

impl JsonSchema for Presents<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Presents".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let name = generator.subschema_for::<Name<'_>>();
        json_schema!({
            "description": "What a gateway presents to the function behind a route.",
            "anyOf": [
                {"enum": ["nothing", "caller"]},
                {"type": "object", "properties": {"identity": name}, "required": ["identity"], "additionalProperties": false},
                {"type": "object", "properties": {"key": name}, "required": ["key"], "additionalProperties": false},
                {"type": "object", "properties": {"service": name}, "required": ["service"], "additionalProperties": false}
            ]
        })
    }
}

/// From where an endpoint can be reached.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Network<'a> {
    Internet,
    Internal,
    Listed(&'a [Net]),
}

impl<'a> Read<'a> for Network<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        match (view.value(), scalar_text(view.value())) {
            (_, Some("internet")) => Some(Self::Internet),
            (_, Some("internal")) => Some(Self::Internal),
            (_, Some(word)) if word.parse::<ipnet::IpNet>().is_ok() => {
                Many::read(view, report).map(|only: Many<'a, Net>| Self::Listed(only.0))
            }
            (_, Some(word)) if !word.starts_with(|first: char| first.is_ascii_hexdigit() || first == ':') => {
                let forms = "internet, internal, or a list of networks";
                unknown_word(view, report, "a network", word, &["internet", "internal"], forms);
                None
            }
            (_, Some(word)) if nearest(word, ["internet", "internal"].into_iter()).is_some() => {
                unknown_word(view, report, "a network", word, &["internet", "internal"], "");
                None
            }
            _ => {
                let networks = Many::<'a, Net>::read(view, report)?.0;
                if networks.is_empty() {
                    report.wrong(view, "an empty list of networks", "write `internal`, or name a network");
                    return None;
                }
                Some(Self::Listed(networks))
            }
        }
    }
}

impl Serialize for Network<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Internet => serializer.serialize_str("internet"),
            Self::Internal => serializer.serialize_str("internal"),
            Self::Listed(networks) => networks.serialize(serializer),
        }
    }
}

impl JsonSchema for Network<'_> {
    fn schema_name() -> Cow<'static, str> {
        "Network".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let networks = generator.subschema_for::<Many<Net>>();
        json_schema!({
            "description": "From where an endpoint can be reached.",
            "anyOf": [{"enum": ["internet", "internal"]}, networks]
        })
    }
}

/// When a key was last used, if ever.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum LastUsed {
    Never,
    At(Moment),
}

impl<'a> Read<'a> for LastUsed {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        match scalar_text(view.value()) {
            Some("never") => Some(Self::Never),
            Some(text) if super::values::parse_moment(text).is_some() => {
                Moment::read(view, report).map(Self::At)
            }
            _ => {
                report.expected(view, "a time, a date or `never`");
                None
            }
        }
    }
}

impl Serialize for LastUsed {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Never => serializer.serialize_str("never"),
            Self::At(moment) => moment.serialize(serializer),
        }
    }
}

impl JsonSchema for LastUsed {
    fn schema_name() -> Cow<'static, str> {
        "LastUsed".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let moment = generator.subschema_for::<Moment>();
        json_schema!({"description": "When it was last used, if ever.", "anyOf": [{"const": "never"}, moment]})
    }
}
