//! YAML, JSON and NDJSON as one: values with the place of each.

pub(crate) mod json;
#[cfg(test)]
mod laws;
mod source;
mod tape;
pub(crate) mod yaml;

pub use source::{Form, Source};
pub(crate) use source::{Opened, identity, shown, text};
pub(crate) use tape::{Position, Tape, TapeError, Value, View, Writer};
