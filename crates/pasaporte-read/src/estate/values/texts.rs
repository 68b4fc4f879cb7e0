//! Free texts, and what texts of every sort must be.

use std::borrow::Cow;

use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::{Serialize, Serializer};

use crate::read::{Read, Report, kind_of};
use crate::redact::is_unprintable;
use crate::text::{Value, View};

/// Longest free text, in characters.
const LONGEST_TEXT: usize = 20_000;

/// Free text on one line or several, without characters that would do something to a terminal.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Text<'a>(pub(crate) &'a str);

/// Whether a text is printable ASCII; without branches, so that many bytes are looked at together.
pub(crate) fn is_plain(text: &str) -> bool {
    text.bytes().fold(true, |plain, byte| plain & matches!(byte, b' '..=b'~'))
}

/// The text of a scalar, free of unprintable characters and not too long.
pub(crate) fn text<'a>(
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

pub(crate) use written_as_text;

written_as_text! {
    Text {{"type": "string", "maxLength": LONGEST_TEXT}} = it => &it.0;
}
