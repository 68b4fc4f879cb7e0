//! What was gathered, and what an adapter made of saved answers.

use std::collections::{BTreeMap, BTreeSet};

use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;
use crate::usage::Digested;

/// What came of gathering.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte gather, version 1")]
pub struct Gathered {
    /// The version of this output.
    pub gather: u64,
    /// What came of each source, in the order of the sources file.
    pub gathered: Vec<SourceOut>,
    /// What came of logs, by source; none where they were not asked for.
    pub logs: Vec<LoggedOut>,
}

/// What came of the logs of one source.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LoggedOut {
    /// Its name.
    pub source: String,
    /// Whether its adapter knows of logs.
    pub has_logs: bool,
    /// What was read, and the file that it was digested into; without a row there is no such file.
    pub digest: Digested,
}

/// What came of one source.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SourceOut {
    /// Its name.
    pub source: String,
    /// What was asked about, by account and region.
    pub places: Vec<AskedOut>,
    /// How many pages were known from a collection that was cut off.
    pub pages_resumed: usize,
    /// When the estate of that collection is true: those pages are as old as that. A time (RFC 3339).
    pub resumed_from: Option<String>,
    /// When the estate of a collection is true that was cut off, and begun anew since it is more than a day older.
    pub too_old: Option<String>,
    /// By ask the fields of its answers, beside their items, that nothing reads.
    pub unread: BTreeMap<String, BTreeSet<String>>,
}

/// What was asked about one account and region, and what came back.
#[derive(Debug, Serialize, JsonSchema)]
pub struct AskedOut {
    /// The account; null for what is of none.
    pub account: Option<String>,
    /// The region.
    pub region: Option<String>,
    /// Requests.
    pub requests: usize,
    /// Items that came back.
    pub items: usize,
    /// What did not come back, and why; each is a blind spot of the estate.
    pub missed: Vec<String>,
}

/// What an adapter made of answers.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte check of an adapter, version 1")]
pub struct Checked {
    /// The version of this output.
    pub check: u64,
    /// What each of its asks gave.
    pub asks: Vec<AskOut>,
    /// What was asked for and is not among the saved answers.
    pub missed: Vec<String>,
}

/// What one ask of an adapter gave.
#[derive(Debug, Serialize, JsonSchema)]
pub struct AskOut {
    /// Its name.
    pub ask: String,
    /// Items that came in.
    pub items: usize,
    /// Of those, how many became no entity.
    pub without_entity: usize,
    /// How many entities of each kind came out.
    pub entities: BTreeMap<String, usize>,
    /// Fields of items that no expression of the adapter names.
    pub left_out: BTreeSet<String>,
    /// Fields of answers beside their items that nothing reads: one of them may say how the answer goes on.
    pub unread: BTreeSet<String>,
}

impl Gathered {
    /// What came of some sources.
    pub fn new(gathered: Vec<SourceOut>, logs: Vec<LoggedOut>) -> Self {
        Self { gather: VERSION, gathered, logs }
    }
}

impl Checked {
    /// What some asks gave.
    pub fn new(asks: Vec<AskOut>, missed: Vec<String>) -> Self {
        Self { check: VERSION, asks, missed }
    }
}
