//! Ids and references: what things are called.

use std::borrow::Cow;

use pasaporte_core::estate::{ScopeKind, Vocabulary};
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use super::texts::{is_plain, text, written_as_text};
use crate::nearest::nearest;
use crate::read::{Read, Report, scalar_text};
use crate::redact::{is_signed_token, is_unprintable};
use crate::shown;
use crate::text::{Position, View};

/// Longest id, in characters.
const LONGEST_ID: usize = 512;

/// The name of a setting, and nothing of its value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct SettingName<'a>(pub(crate) &'a str);

/// An id: letters, digits and `- _ . / @ + ~ =`, beginning with a letter, a digit or `_`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Name<'a> {
    pub(crate) text: &'a str,
    pub(crate) at: Position,
}

/// The id of an endpoint or trigger: one as any, or one that the format made of function, gateway and path, or of function
/// and source, where nobody gave it one.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct MadeName<'a>(pub(crate) &'a str);

/// Any thing: `kind:id`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ThingName<'a> {
    pub(crate) text: &'a str,
    /// What stands before the colon.
    pub(crate) kind: &'a str,
    /// What stands after it.
    pub(crate) id: &'a str,
    pub(crate) at: Position,
}

/// A principal: `anyone`, `signed-in`, or `kind:id`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct PrincipalName<'a> {
    pub(crate) text: &'a str,
    /// What stands before the colon, if there is one.
    pub(crate) kind: &'a str,
    /// What stands after it.
    pub(crate) id: &'a str,
    pub(crate) at: Position,
}

/// A member of a group: a principal, or `unknown` for those that were not seen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Member<'a> {
    Seen(PrincipalName<'a>),
    Unseen,
}

/// How members that were not seen are written.
const UNSEEN: &str = "unknown";

/// The principals whose ids are things of the estate.
const PRINCIPAL_KINDS: &[&str] =
    &["account", "user", "identity", "service", "group", "outside", "key", "token"];
/// Kinds of things that have entries of their own, and so cannot be kinds of resources.
pub(crate) const THING_KINDS: &[&str] = &[
    "organization",
    "folder",
    "account",
    "app",
    "function",
    "endpoint",
    "trigger",
    "identity",
    "user",
    "group",
    "permission-set",
    "grant",
    "ceiling",
    "key",
    "verifier",
    "token",
    "contract",
    "enrolment",
    "service",
    "outside",
    "scope",
    "admission",
    "statement",
];

/// Whether a word is the kind of something that has entries of its own, or of a principal.
pub(crate) fn names_a_kind(word: &str) -> bool {
    THING_KINDS.contains(&word) || PRINCIPAL_KINDS.contains(&word)
}

/// The kind before a colon and the id after it.
fn kind_and_id(text: &str) -> (&str, &str) {
    match memchr::memchr(b':', text.as_bytes()) {
        Some(colon) => (&text[..colon], &text[colon + 1..]),
        None => ("", text),
    }
}

/// Whether a text is an id.
pub(crate) fn is_id(text: &str) -> bool {
    let begins = |first: char| first.is_alphanumeric() || first == '_';
    let continues =
        |each: char| each.is_alphanumeric() || u8::try_from(each).is_ok_and(|byte| OF_IDS[byte as usize]);
    if text.len() > LONGEST_ID || is_signed_token(text) {
        return false;
    }
    // Nearly all ids are ASCII, and one look a byte tells.
    let bytes = text.as_bytes();
    if bytes.iter().all(|byte| OF_IDS[*byte as usize]) {
        return bytes.first().is_some_and(|first| first.is_ascii_alphanumeric() || *first == b'_');
    }
    // Some letters cannot be seen.
    text.starts_with(begins) && text.chars().all(continues) && !text.chars().any(is_unprintable)
}

/// Whether a text is an id, or one that the format makes: an id, a slash, and what may stand in a path.
fn is_made_id(text: &str) -> bool {
    const LONGEST: usize = 4096;
    if is_id(text) {
        return true;
    }
    let Some((start, rest)) = text.split_once('/') else { return false };
    let is_odd =
        |each: char| matches!(each, '?' | '#' | '"' | '\\') || each.is_whitespace() || is_unprintable(each);
    text.len() <= LONGEST && is_id(start) && !rest.contains(is_odd) && !rest.split('/').any(is_signed_token)
}

/// The bytes that are letters of an id by themselves.
const OF_IDS: [bool; 256] = {
    let mut all = [false; 256];
    let mut byte = 0;
    while byte < 128 {
        all[byte] = (byte as u8).is_ascii_alphanumeric()
            || matches!(byte as u8, b'-' | b'_' | b'.' | b'/' | b'@' | b'+' | b'~' | b'=');
        byte += 1;
    }
    all
};

const ID_HELP: &str = "an id is letters, digits and - _ . / @ + ~ =, begins with a letter or digit, and is at most \
                       512 characters long";

impl<'a> Read<'a> for SettingName<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = text(view, report, "the name of a setting", false)?;
        let has_value = if is_plain(text) {
            memchr::memchr2(b' ', b'=', text.as_bytes()).is_some()
        } else {
            text.contains(|each: char| each.is_whitespace() || each == '=')
        };
        if has_value {
            let help = "write its name alone; a value has no place in an estate";
            report.wrong(view, "not the name of a setting", help);
            return None;
        }
        Some(Self(text))
    }
}

impl<'a> Read<'a> for Name<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if let Some(id) = scalar_text(view.value()).filter(|id| is_id(id)) {
            return Some(Self { text: id, at: view.at() });
        }
        let text = text(view, report, "an id", false)?;
        if !is_id(text) {
            let (kind, id) = kind_and_id(text);
            let help = if THING_KINDS.contains(&kind) && is_id(id) {
                format!("write the id alone: {id}")
            } else {
                ID_HELP.to_owned()
            };
            report.wrong(view, "not an id", help);
            return None;
        }
        Some(Self { text, at: view.at() })
    }
}

impl<'a> Read<'a> for MadeName<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = text(view, report, "an id", false)?;
        if !is_made_id(text) {
            report.wrong(view, "not an id", ID_HELP);
            return None;
        }
        Some(Self(text))
    }
}

impl<'a> Read<'a> for ThingName<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let read = |text: &'a str| {
            let (kind, id) = kind_and_id(text);
            Self { text, kind, id, at: view.at() }
        };
        let known = scalar_text(view.value()).map(read).filter(|it| is_id(it.kind) && is_id(it.id));
        if known.is_some() {
            return known;
        }
        let text = text(view, report, "a thing, as kind:id", false)?;
        let Self { kind, id, .. } = read(text);
        let is_made = matches!(kind, "endpoint" | "trigger") && is_made_id(id);
        if !is_id(kind) || !(is_id(id) || is_made) {
            let help = if kind.is_empty() && is_id(id) {
                "write its kind too: account:ID, function:ID, bucket:ID …".to_owned()
            } else {
                ID_HELP.to_owned()
            };
            report.wrong(view, "it does not name a thing, as kind:id", help);
            return None;
        }
        Some(read(text))
    }
}

impl<'a> Read<'a> for PrincipalName<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let text = text(view, report, "a principal", false)?;
        let (kind, id) = kind_and_id(text);
        // Issuers are often addresses, and subjects may be anything printable.
        let sound = match kind {
            "" => matches!(text, "anyone" | "signed-in"),
            "outside" => !id.is_empty() && !id.contains(char::is_whitespace) && id.contains('/'),
            kind => PRINCIPAL_KINDS.contains(&kind) && is_id(id),
        };
        if sound {
            return Some(Self { text, kind, id, at: view.at() });
        }
        let words = ["anyone", "signed-in"];
        let help = match kind {
            "" => match nearest(text, words.into_iter()) {
                Some(near) => format!("did you mean `{near}`?"),
                None => "write anyone, signed-in, or a kind and an id: identity:ID".to_owned(),
            },
            "outside" => "write outside:ISSUER/SUBJECT".to_owned(),
            kind if !PRINCIPAL_KINDS.contains(&kind) => {
                match nearest(kind, PRINCIPAL_KINDS.iter().copied()) {
                    Some(near) => format!("did you mean `{near}:{}`?", shown::id(id)),
                    None => format!("the kinds of principals are {}", PRINCIPAL_KINDS.join(", ")),
                }
            }
            _ => ID_HELP.to_owned(),
        };
        report.wrong(view, "not a principal", help);
        None
    }
}

impl<'a> Read<'a> for Member<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        if scalar_text(view.value()) == Some(UNSEEN) {
            return Some(Self::Unseen);
        }
        PrincipalName::read(view, report).map(Self::Seen)
    }
}

impl Serialize for Member<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self {
            Self::Seen(name) => name.serialize(serializer),
            Self::Unseen => serializer.serialize_str(UNSEEN),
        }
    }
}

impl JsonSchema for Member<'_> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Member".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        json_schema!({"anyOf": [{"const": UNSEEN}, PrincipalName::json_schema(generator)]})
    }
}

/// The kind of scope that a word names.
pub(crate) fn scope_kind(word: &str) -> Option<ScopeKind> {
    ScopeKind::parse(word)
}

/// A letter of an id, as far as a schema says it without classes of Unicode, which not every validator knows: no sign,
/// control or space of ASCII, Latin-1 or general punctuation.
macro_rules! id {
    () => {
        concat!(
            r"[^\u0000-/:-@\[-^`{-\u00A9\u2000-\u206F\uFEFF]",
            r"[^\u0000-*,:-<>?\[-^`{-}\u007F-\u00A9\u2000-\u206F\uFEFF]*"
        )
    };
}

/// A letter of what stands in paths.
macro_rules! made {
    () => {
        r#"(/[^?#"\\\s\u0000-\u001F\u007F-\u009F]*)?"#
    };
}

const ID_PATTERN: &str = concat!("^", id!(), "$");
const MADE_PATTERN: &str = concat!("^", id!(), made!(), "$");
const THING_PATTERN: &str = concat!("^(", id!(), ":", id!(), "|(endpoint|trigger):", id!(), made!(), ")$");
const PRINCIPAL_PATTERN: &str = concat!(
    "^(anyone|signed-in|(account|user|identity|service|group|key|token):",
    id!(),
    r"|outside:\S+/\S*)$"
);

written_as_text! {
    SettingName {{"type": "string", "pattern": r"^[^\s=]+$"}} = it => &it.0;
    Name {{"type": "string", "pattern": ID_PATTERN, "maxLength": LONGEST_ID}} = it => &it.text;
    MadeName {{"type": "string", "pattern": MADE_PATTERN, "maxLength": 4096}} = it => &it.0;
    ThingName {{"type": "string", "pattern": THING_PATTERN}} = it => &it.text;
    PrincipalName {{"type": "string", "pattern": PRINCIPAL_PATTERN}} = it => &it.text;
}
