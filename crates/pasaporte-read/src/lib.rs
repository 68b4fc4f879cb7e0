//! Readers of open formats, with the place of every value. Nothing here judges.
//!
//! - [`text`]: YAML, JSON and NDJSON, with the place of every value;
//! - [`estate`]: the estate format, from text to the model;
//! - [`token`]: what a token says of itself;
//! - [`seal`]: the key of fingerprints;
//! - [`accepted`]: findings that somebody answers for until a date;
//! - [`written`]: what people write in TOML;
//! - [`files`]: what is read and written on disk, and what is refused;
//! - [`edit`]: one field of an entry set to another value;
//! - [`diagnostic`]: mistakes, with their lines and what to do.

pub mod accepted;
mod contract;
pub mod diagnostic;
pub mod edit;
pub mod estate;
pub mod files;
mod key_set;
mod nearest;
mod read;
mod redact;
pub mod seal;
mod shown;
pub mod text;
pub mod token;
pub mod written;

/// The known word that is nearest to a written one, if any is near.
pub fn nearest<'w>(word: &str, known: &[&'w str]) -> Option<&'w str> {
    nearest::nearest(word, known.iter().copied())
}

/// A name as messages have it: all of it where it is like an id, else nothing, since it may be anything.
pub fn shown_name(text: &str) -> &str {
    shown::id(text)
}

/// A path of a file as messages have it, likewise.
pub fn shown_file(text: &str) -> &str {
    shown::file(text)
}

pub use redact::{covered, is_secret_field, is_unprintable, plain, visible};
