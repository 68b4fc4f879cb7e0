//! Words of closed sets, and one value or several.

use std::borrow::Cow;

use pasaporte_core::estate::Vocabulary;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::Error;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::read::{Read, Report, scalar_text};
use crate::text::{Value, View};

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

impl<V: Vocabulary> Serialize for Word<V> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.0.word())
    }
}

impl<'de, V: Vocabulary> Deserialize<'de> for Word<V> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let word = Cow::<'de, str>::deserialize(deserializer)?;
        let known = || V::ALL.iter().map(|(word, _)| *word).collect::<Vec<_>>().join(", ");
        V::parse(&word).map(Word).ok_or_else(|| D::Error::custom(format!("{}: one of {}", V::WHAT, known())))
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
