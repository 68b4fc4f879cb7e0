//! Readers and writers of Pasaporte's open formats. Nothing here judges.
//!
//! - [`text`]: YAML, JSON and NDJSON, with the place of every value;
//! - [`estate`]: the estate format, from text to the model;
//! - [`answer`]: explanations, entries and reaches, as JSON;
//! - [`token`]: what a token says of itself;
//! - [`report`]: what an audit found, as JSON;
//! - [`schema`]: the JSON Schemas of both.

pub mod answer;
mod contract;
pub mod diagnostic;
pub mod estate;
mod key_set;
mod read;
mod redact;
pub mod report;
pub mod schema;
pub mod text;
pub mod token;

/// The known word that is nearest to a written one, if any is near.
pub fn nearest<'w>(word: &str, known: &[&'w str]) -> Option<&'w str> {
    read::nearest(word, known.iter().copied())
}

pub use redact::is_unprintable;
