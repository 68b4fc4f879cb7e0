//! What the formats that are JSON share: telling them apart, and values as texts.

use std::borrow::Cow;

use serde::Deserialize;

use super::Format;

/// Which of the formats a JSON text is in, by its first line and, where that is no whole value, by the names in all of it.
pub(super) fn recognise(line: &str, all: &str) -> Option<Format> {
    let has = |name: &str| {
        let quoted = format!("\"{name}\"");
        line.contains(&quoted) || ((line == "{" || line == "[" || line == "[{") && all.contains(&quoted))
    };
    let any = |names: &[&str]| names.iter().any(|name| has(name));
    if any(&["resourceLogs", "resourceSpans", "resource_logs", "resource_spans"]) {
        Some(Format::OpenTelemetry)
    } else if has("specversion") {
        Some(Format::CloudEvents)
    } else if has("class_uid") {
        Some(Format::Ocsf)
    } else if line.starts_with('{') && any(&["time", "did", "covers", "path", "endpoint", "function"]) {
        Some(Format::Plain)
    } else {
        None
    }
}

/// A value that is a text, a number or a truth, as a text; anything else is nothing.
#[derive(Debug, Clone, Default)]
pub(super) struct Scalar<'a>(pub(super) Option<Cow<'a, str>>);

impl Scalar<'_> {
    pub(super) fn text(&self) -> Option<&str> {
        self.0.as_deref().filter(|text| !text.is_empty())
    }

    pub(super) fn number<N: std::str::FromStr>(&self) -> Option<N> {
        self.0.as_deref()?.parse().ok()
    }
}

impl<'de: 'a, 'a> Deserialize<'de> for Scalar<'a> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Visitor;
        impl<'de> serde::de::Visitor<'de> for Visitor {
            type Value = Scalar<'de>;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a value")
            }
            fn visit_borrowed_str<E>(self, text: &'de str) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Borrowed(text))))
            }
            fn visit_str<E>(self, text: &str) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Owned(text.to_owned()))))
            }
            fn visit_u64<E>(self, number: u64) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Owned(number.to_string()))))
            }
            fn visit_i64<E>(self, number: i64) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Owned(number.to_string()))))
            }
            fn visit_f64<E>(self, number: f64) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Owned(number.to_string()))))
            }
            fn visit_bool<E>(self, truth: bool) -> Result<Self::Value, E> {
                Ok(Scalar(Some(Cow::Borrowed(if truth { "true" } else { "false" }))))
            }
            fn visit_unit<E>(self) -> Result<Self::Value, E> {
                Ok(Scalar(None))
            }
            fn visit_seq<A: serde::de::SeqAccess<'de>>(self, mut all: A) -> Result<Self::Value, A::Error> {
                let first = all.next_element::<Scalar<'de>>()?;
                while all.next_element::<serde::de::IgnoredAny>()?.is_some() {}
                Ok(first.unwrap_or_default())
            }
            fn visit_map<A: serde::de::MapAccess<'de>>(self, mut all: A) -> Result<Self::Value, A::Error> {
                while all.next_entry::<serde::de::IgnoredAny, serde::de::IgnoredAny>()?.is_some() {}
                Ok(Scalar(None))
            }
        }
        deserializer.deserialize_any(Visitor)
    }
}
