//! What a thread makes of a log, and with what it reads it.

use crate::coverage::Covers;
use crate::format::Format;
use crate::ledger::{Ledger, Span};
use crate::places::Places;
use crate::recent::Recent;
use crate::secrets::Secrets;
use crate::told::{BadLines, Unplacing};

/// What is wanted of a digest.
#[derive(Debug, Clone)]
pub struct Wanted {
    /// The format of all logs, where that is not to be recognised.
    pub read_as: Option<Format>,
    /// What the logs cover, beside the hosts that they have.
    pub covers: Vec<Covers>,
    /// The host that was called where a log does not say.
    pub host: Option<String>,
    /// The last time that a line can be of, in seconds since 1970.
    pub until: i64,
}

/// What a thread makes of a log.
#[derive(Debug, Default)]
pub(crate) struct Part {
    pub(crate) ledger: Ledger,
    pub(crate) unplaced: Unplacing,
    pub(crate) bad: BadLines,
    pub(crate) lines: u64,
    pub(crate) events: u64,
    pub(crate) placed: u64,
    pub(crate) twice: u64,
    pub(crate) span: Option<Span>,
    pub(crate) said: Vec<(Covers, Option<i64>, Option<i64>)>,
}

impl Part {
    pub(crate) fn merge(&mut self, other: Self) {
        self.ledger.merge(other.ledger);
        self.unplaced.merge(&other.unplaced);
        self.bad.merge(other.bad);
        self.lines += other.lines;
        self.events += other.events;
        self.placed += other.placed;
        self.twice += other.twice;
        self.span = match (self.span, other.span) {
            (Some(mut one), Some(other)) => {
                one.add(other);
                Some(one)
            }
            (one, other) => one.or(other),
        };
        self.said.extend(other.said);
    }
}

/// With what a log is read.
#[derive(Clone, Copy)]
pub(crate) struct Reading<'r, 'e> {
    pub(crate) places: &'r Places<'e>,
    pub(crate) secrets: &'r Secrets,
    pub(crate) wanted: &'r Wanted,
    pub(crate) recent: &'r Recent,
}
