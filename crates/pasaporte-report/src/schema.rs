//! The JSON Schemas (2020-12) of what is read and written, made from the types that read and write it.

use schemars::{JsonSchema, generate::SchemaSettings};

use crate::audit::Report;
use crate::{Card, Entered, Explained, Knocks, Reached};
use pasaporte_read::estate::Document;

/// The schemas, by the names under which they are asked for.
pub const NAMES: &[&str] = &["estate", "audit", "card", "explain", "entry", "reach", "knock"];

/// A schema by name, as JSON with a newline at the end.
pub fn schema(name: &str) -> Option<String> {
    match name {
        "estate" => Some(text::<Document<'static>>()),
        "audit" => Some(text::<Report<'static>>()),
        "card" => Some(text::<Card>()),
        "explain" => Some(text::<Explained>()),
        "entry" => Some(text::<Entered>()),
        "reach" => Some(text::<Reached>()),
        "knock" => Some(text::<Knocks>()),
        _ => None,
    }
}

fn text<T: JsonSchema>() -> String {
    let schema = SchemaSettings::draft2020_12().for_serialize().into_generator().into_root_schema_for::<T>();
    let mut text = serde_json::to_string_pretty(&schema).expect("a schema has only texts as keys");
    text.push('\n');
    text
}
