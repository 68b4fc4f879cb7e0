//! Readers and writers of Pasaporte's open formats. Nothing here judges.
//!
//! - [`text`]: YAML, JSON and NDJSON, with the place of every value;
//! - [`estate`]: the estate format, from text to the model;
//! - [`contract`]: what an API contract asks of callers;
//! - [`answer`]: explanations, entries and reaches, as JSON;
//! - [`report`]: what an audit found, as JSON;
//! - [`schema`]: the JSON Schemas of both.

pub mod answer;
pub mod contract;
pub mod diagnostic;
pub mod estate;
mod key_set;
mod read;
mod redact;
pub mod report;
pub mod schema;
pub mod text;

/// The known word that is nearest to a written one, if any is near.
pub fn nearest<'w>(word: &str, known: &[&'w str]) -> Option<&'w str> {
    read::nearest(word, known.iter().copied())
}

pub use redact::is_unprintable;
