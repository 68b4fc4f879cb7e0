//! How a collection stands, and what came of it.

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;

use crate::log::Log;

/// How things stand with one source.
#[derive(Debug, Clone)]
pub struct Progress {
    /// Which source, by its place in the list.
    pub source: usize,
    /// Collections that are read.
    pub done: usize,
    /// Collections that are known and not read.
    pub waiting: usize,
    /// Entities so far.
    pub entities: usize,
}

/// What came of one source.
#[derive(Debug)]
pub struct Told {
    /// Its name.
    pub source: String,
    /// By account and region.
    pub places: Vec<Place>,
    /// How many pages were known from a collection that was cut off.
    pub resumed: usize,
    /// When they are true: what was collected is as old as that.
    pub begun: Timestamp,
    /// When a collection was begun that was cut off and is too old to be gone on with.
    pub too_old: Option<Timestamp>,
    /// By ask the fields of its answers, beside their items, that nothing reads: one of them may be how the answer goes
    /// on.
    pub unread: BTreeMap<String, BTreeSet<String>>,
    /// Its logs, where they were asked for.
    pub logs: Vec<Log>,
    /// Whether its adapter knows of logs.
    pub has_logs: bool,
}

/// What was asked about one account and region, and what came back.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Place {
    /// The account; none for what is of none.
    pub account: Option<String>,
    /// The region.
    pub region: Option<String>,
    /// Requests.
    pub requests: usize,
    /// Items that came back.
    pub items: usize,
    /// What did not come back, and why.
    pub missed: Vec<String>,
}
