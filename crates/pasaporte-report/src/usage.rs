//! What came of digesting logs.

use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;

/// What came of digesting logs.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte usage, version 1")]
pub struct Digested {
    /// The version of this output.
    pub usage: u64,
    /// The file with the digest.
    pub out: String,
    /// Each log.
    pub logs: Vec<LogOut>,
    /// Events that were read, each once.
    pub events: u64,
    /// How many of them are about nothing in the estate.
    pub unattributed: u64,
    /// The commonest of what the estate does not know.
    pub commonest: Vec<UnattributedOut>,
    /// Rows that came of the rest.
    pub rows: usize,
    /// Whether values could find their keys: a seal was named.
    pub sealed: bool,
}

/// What came of a log.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LogOut {
    /// The log.
    pub log: String,
    /// The format that it was read in; null where that was not recognised.
    pub format: Option<&'static str>,
    /// Lines that were read.
    pub lines: u64,
    /// How many of them could not be used.
    pub bad: u64,
    /// The first of them, of each kind: line, and what is wrong with it.
    pub first_bad: Vec<(u64, &'static str)>,
    /// Events that were there twice, and count once.
    pub twice: u64,
    /// Whether all of it was in another of these logs, and so counts once.
    pub repeated: bool,
    /// Why it broke off, if it did.
    pub broke_off: Option<String>,
    /// The first thing that an adapter could not make sense of.
    pub trouble: Option<String>,
}

/// Something that the estate does not know.
#[derive(Debug, Serialize, JsonSchema)]
pub struct UnattributedOut {
    /// What: a host, a path, a function, somebody.
    pub what: String,
    /// How often.
    pub count: u64,
}

impl Digested {
    /// What came of it.
    pub fn new(
        out: String,
        logs: Vec<LogOut>,
        events: u64,
        unattributed: u64,
        commonest: Vec<UnattributedOut>,
        rows: usize,
        sealed: bool,
    ) -> Self {
        Self { usage: VERSION, out, logs, events, unattributed, commonest, rows, sealed }
    }

    /// Says of each log, in their order, what its adapter could not make sense of.
    pub fn say(&mut self, troubles: Vec<Option<String>>) {
        for (log, trouble) in self.logs.iter_mut().zip(troubles) {
            log.trouble = trouble;
        }
    }
}
