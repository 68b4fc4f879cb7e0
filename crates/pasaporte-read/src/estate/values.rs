//! The small values that entries are made of: ids, references, patterns, times, words.

use std::borrow::Cow;

use ipnet::IpNet;
use jiff::Timestamp;
use jiff::civil::Date;
use pasaporte_core::estate::{ScopeKind, Vocabulary};
use pasaporte_core::pattern::Pattern;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use crate::read::{Read, Report, kind_of, nearest, printable, scalar_text};
use crate::redact::is_unprintable;
use crate::text::{Position, Value, View};

/// Longest id, in characters.
const LONGEST_ID: usize = 512;
/// Longest free text, in characters.
const LONGEST_TEXT: usize = 20_000;

/// Free text on one line or several, without characters that would do something to a terminal.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Text<'a>(pub(crate) &'a str);

/// The name of a setting, and nothing of its value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct SettingName<'a>(pub(crate) &'a str);

/// An id: letters, digits and `- _ . / @ + ~ =`, beginning with a letter, a digit or `_`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Name<'a> {
    pub(crate) text: &'a str,
    pub(crate) at: Position,
}

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

/// A pattern over actions.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ActionPattern<'a>(pub(crate) &'a str);

/// A pattern over resources, as `kind:id`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ResourcePattern<'a>(pub(crate) &'a str);

/// A pattern over anything else: ids of members, values of attributes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct AnyPattern<'a>(pub(crate) &'a str);

/// A moment: RFC 3339, or a date, which is its start in UTC.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Moment(pub(crate) Timestamp);

/// A network in CIDR notation, or one address.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Net(pub(crate) IpNet);

/// A word of a closed set.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Word<V>(pub V);

/// One or several: a single value, or a list.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Many<'a, T>(pub(crate) &'a [T]);

impl<T> Default for Many<'_, T> {
    fn default() -> Self {
        Self(&[])
    }
}

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

/// The kind before a colon and the id after it.
fn kind_and_id(text: &str) -> (&str, &str) {
    match memchr::memchr(b':', text.as_bytes()) {
        Some(colon) => (&text[..colon], &text[colon + 1..]),
        None => ("", text),
    }
}

/// Whether a text is an id.
fn is_id(text: &str) -> bool {
    let begins = |first: char| first.is_alphanumeric() || first == '_';
    let continues =
        |each: char| each.is_alphanumeric() || u8::try_from(each).is_ok_and(|byte| OF_IDS[byte as usize]);
    if text.len() > LONGEST_ID {
        return false;
    }
    // Nearly all ids are ASCII, and one look a byte tells.
    let bytes = text.as_bytes();
    if bytes.iter().all(|byte| OF_IDS[*byte as usize]) {
        return bytes.first().is_some_and(|first| first.is_ascii_alphanumeric() || *first == b'_');
    }
    text.starts_with(begins) && text.chars().all(continues)
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

/// Whether a text is printable ASCII; without branches, so that many bytes are looked at together.
fn is_plain(text: &str) -> bool {
    text.bytes().fold(true, |plain, byte| plain & matches!(byte, b' '..=b'~'))
}

/// The text of a scalar, free of unprintable characters and not too long.
pub(super) fn text<'a>(
    view: View<'_, 'a>,
    report: &mut Report<'_>,
    expected: &str,
    multiline: bool,
) -> Option<&'a str> {
    let text: &'a str = match view.value() {
        Value::Text(text) | Value::Plain(text) => text,
        Value::Bool(value) if matches!(expected, "text") => {
            if value {
                "true"
            } else {
                "false"
            }
        }
        other => {
            let found = kind_of(other);
            report.wrong(view, format!("expected {expected}, found {found}"), "");
            return None;
        }
    };
    // Nearly all texts are printable ASCII, and short.
    if text.len() <= LONGEST_TEXT && is_plain(text) {
        return Some(text);
    }
    let fine = |each: char| !is_unprintable(each) || (multiline && matches!(each, '\n' | '\t'));
    if let Some(bad) = text.chars().find(|each| !fine(*each)) {
        let code = bad as u32;
        let message = format!("the character U+{code:04X} is not allowed here: it cannot be seen");
        report.wrong(view, message, "take it out");
        return None;
    }
    if text.chars().nth(LONGEST_TEXT).is_some() {
        report.wrong(view, format!("longer than {LONGEST_TEXT} characters"), "shorten it");
        return None;
    }
    Some(text)
}

impl<'a> Read<'a> for Text<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        text(view, report, "text", true).map(Self)
    }
}

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
            report.wrong(view, format!("`{}` is not an id", printable(text)), help);
            return None;
        }
        Some(Self { text, at: view.at() })
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
        if !is_id(kind) || !is_id(id) {
            let help = if kind.is_empty() && is_id(id) {
                format!("write its kind too: account:{id}, function:{id}, bucket:{id} …")
            } else {
                ID_HELP.to_owned()
            };
            report.wrong(view, format!("`{}` does not name a thing", printable(text)), help);
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
                None => format!("write anyone, signed-in, or a kind and an id: identity:{}", printable(id)),
            },
            "outside" => "write outside:ISSUER/SUBJECT".to_owned(),
            kind if !PRINCIPAL_KINDS.contains(&kind) => {
                match nearest(kind, PRINCIPAL_KINDS.iter().copied()) {
                    Some(near) => format!("did you mean `{near}:{}`?", printable(id)),
                    None => format!("the kinds of principals are {}", PRINCIPAL_KINDS.join(", ")),
                }
            }
            _ => ID_HELP.to_owned(),
        };
        report.wrong(view, format!("`{}` is not a principal", printable(text)), help);
        None
    }
}

/// Reads a pattern; `literal` says what is wrong with one that has no wildcard, if anything.
fn pattern<'a>(
    view: View<'_, 'a>,
    report: &mut Report<'_>,
    what: &str,
    literal: impl Fn(&str) -> Option<String>,
) -> Option<&'a str> {
    let text = match view.value() {
        // The length of a pattern is bounded by what the pattern engine accepts.
        Value::Text(text) | Value::Plain(text) if is_plain(text) || !text.chars().any(is_unprintable) => text,
        _ => text(view, report, what, false)?,
    };
    if let Some(problem) = pattern_problem(text, literal) {
        report.wrong(view, problem.0, problem.1);
        return None;
    }
    Some(text)
}

/// What is wrong with the text of a pattern: the message and the help.
fn pattern_problem(text: &str, literal: impl Fn(&str) -> Option<String>) -> Option<(String, String)> {
    // Most patterns of an estate are plain names.
    if Pattern::is_plain(text) {
        return literal(text).map(|help| (format!("`{}` matches nothing", printable(text)), help));
    }
    match Pattern::parse(text) {
        Err(error) => Some((
            format!("`{}` is not a pattern: {error}", printable(text)),
            "`\\\\` is a backslash".to_owned(),
        )),
        Ok(pattern) => {
            let help = literal(pattern.as_literal()?)?;
            Some((format!("`{}` matches nothing", printable(text)), help))
        }
    }
}

/// Whether a text has something before the first such byte, and something after it.
fn has_both_sides(text: &str, byte: u8) -> bool {
    memchr::memchr(byte, text.as_bytes()).is_some_and(|at| at > 0 && at + 1 < text.len())
}

fn wrong_action(action: &str) -> Option<String> {
    let sound = has_both_sides(action, b'/');
    (!sound).then(|| format!("an action is SERVICE/OPERATION; did you mean `{}/*`?", printable(action)))
}

fn wrong_resource(resource: &str) -> Option<String> {
    let sound = has_both_sides(resource, b':');
    (!sound).then(|| format!("a resource is KIND:ID; did you mean `bucket:{}`?", printable(resource)))
}

impl<'a> Read<'a> for ActionPattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern of actions", wrong_action).map(Self)
    }
}

impl<'a> Read<'a> for ResourcePattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern of resources", wrong_resource).map(Self)
    }
}

impl<'a> Read<'a> for AnyPattern<'a> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        pattern(view, report, "a pattern", |_| None).map(Self)
    }
}

impl<'a> ActionPattern<'a> {
    /// A pattern that is part of a longer text; the message and help where it is none.
    pub(crate) fn part(text: &'a str) -> Result<Self, (String, String)> {
        pattern_problem(text, wrong_action).map_or_else(|| Ok(Self(text)), Err)
    }
}

impl<'a> ResourcePattern<'a> {
    /// A pattern that is part of a longer text; the message and help where it is none.
    pub(crate) fn part(text: &'a str) -> Result<Self, (String, String)> {
        pattern_problem(text, wrong_resource).map_or_else(|| Ok(Self(text)), Err)
    }
}

/// A moment as written in files and on the command line.
pub fn parse_moment(text: &str) -> Option<Timestamp> {
    // A civil date parses from a longer text too; only a bare date is one here.
    if text.len() == 10 {
        return text.parse::<Date>().ok()?.in_tz("UTC").ok().map(|zoned| zoned.timestamp());
    }
    text.parse().ok()
}

impl<'a> Read<'a> for Moment {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let moment = scalar_text(view.value()).and_then(parse_moment);
        if moment.is_none() {
            report.expected(view, "a time (2026-11-20T06:00:00Z) or a date (2026-11-20)");
        }
        moment.map(Self)
    }
}

impl<'a> Read<'a> for Net {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let net = scalar_text(view.value()).and_then(|text| {
            text.parse().ok().or_else(|| text.parse::<std::net::IpAddr>().ok().map(IpNet::from))
        });
        if net.is_none() {
            report.expected(view, "a network (10.4.0.0/16) or an address");
        }
        net.map(Self)
    }
}

impl<'a, V: Vocabulary> Read<'a> for Word<V> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        let Some(text) = scalar_text(view.value()) else {
            report.expected(view, V::WHAT);
            return None;
        };
        let word = V::parse(text);
        if word.is_none() {
            report.unknown(view, V::WHAT, text, V::ALL.iter().map(|(word, _)| *word));
        }
        word.map(Self)
    }
}

impl<'a, T: Read<'a>> Read<'a> for Many<'a, T> {
    fn read(view: View<'_, 'a>, report: &mut Report<'_>) -> Option<Self> {
        match view.value() {
            Value::List => Read::read(view, report).map(Self),
            _ => T::read(view, report).map(|only| Self(std::slice::from_ref(view.arena().alloc(only)))),
        }
    }
}

/// The kind of scope that a word names.
pub(crate) fn scope_kind(word: &str) -> Option<ScopeKind> {
    ScopeKind::parse(word)
}

/// Values that are written as a text: what they are written as, and what a schema says of it.
macro_rules! written_as_text {
    ($($name:ident { $schema:tt } = $self:ident => $text:expr;)*) => {$(
        impl Serialize for $name<'_> {
            fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
                let $self = self;
                serializer.serialize_str($text)
            }
        }
        impl JsonSchema for $name<'_> {
            fn inline_schema() -> bool {
                true
            }
            fn schema_name() -> Cow<'static, str> {
                stringify!($name).into()
            }
            fn json_schema(_: &mut SchemaGenerator) -> Schema {
                json_schema!($schema)
            }
        }
    )*};
}

pub(super) use written_as_text;

const ID_PATTERN: &str = r"^[\p{L}\p{N}_][\p{L}\p{N}_./@+~=-]*$";
const THING_PATTERN: &str = r"^[\p{L}\p{N}_][\p{L}\p{N}_./@+~=-]*:[\p{L}\p{N}_][\p{L}\p{N}_./@+~=-]*$";
const PRINCIPAL_PATTERN: &str = r"^(anyone|signed-in|(account|user|identity|service|group|key|token):[\p{L}\p{N}_][\p{L}\p{N}_./@+~=-]*|outside:\S+/\S*)$";

written_as_text! {
    Text {{"type": "string", "maxLength": LONGEST_TEXT}} = it => &it.0;
    SettingName {{"type": "string", "pattern": r"^[^\s=]+$"}} = it => &it.0;
    Name {{"type": "string", "pattern": ID_PATTERN, "maxLength": LONGEST_ID}} = it => &it.text;
    ThingName {{"type": "string", "pattern": THING_PATTERN}} = it => &it.text;
    PrincipalName {{"type": "string", "pattern": PRINCIPAL_PATTERN}} = it => &it.text;
    ActionPattern {{"type": "string", "minLength": 1}} = it => &it.0;
    ResourcePattern {{"type": "string", "minLength": 1}} = it => &it.0;
    AnyPattern {{"type": "string", "minLength": 1}} = it => &it.0;
}

impl Serialize for Moment {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0)
    }
}

impl JsonSchema for Moment {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Moment".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "string", "anyOf": [{"format": "date-time"}, {"format": "date"}]})
    }
}

impl Serialize for Net {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0)
    }
}

impl JsonSchema for Net {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Net".into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({"type": "string", "description": "A network in CIDR notation, or one address."})
    }
}

impl<V: Vocabulary> Serialize for Word<V> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.0.word())
    }
}

impl<V: Vocabulary> JsonSchema for Word<V> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        V::WHAT.into()
    }
    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        let words: Vec<&str> = V::ALL.iter().map(|(word, _)| *word).collect();
        json_schema!({"enum": words})
    }
}

impl<T: Serialize> Serialize for Many<'_, T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        match self.0 {
            [only] => only.serialize(serializer),
            all => all.serialize(serializer),
        }
    }
}

impl<T: JsonSchema> JsonSchema for Many<'_, T> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        format!("OneOrMore{}", T::schema_name()).into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let one = generator.subschema_for::<T>();
        json_schema!({"anyOf": [one, {"type": "array", "items": one}]})
    }
}
