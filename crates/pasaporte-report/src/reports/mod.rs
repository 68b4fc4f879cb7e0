//! An audit for others: in files that people and programs read, each by its ending. What an estate says is escaped as each kind
//! needs.

mod markdown;
mod table;

use std::io::{self, Write};
use std::path::Path;

use crate::audit::{Findings, Report, write_json};

/// A kind of report.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// The audit whole, as `audit --format json` writes it.
    Json,
    /// A finding a row (RFC 4180).
    Csv,
    /// What matters most, short enough for a pull request.
    Markdown,
}

/// The kinds, by the ending of a file's name.
pub const KINDS: [(&str, Kind); 3] = [("json", Kind::Json), ("csv", Kind::Csv), ("md", Kind::Markdown)];

impl Kind {
    /// The kind of a file.
    pub fn of(file: &Path) -> Option<Self> {
        let ending = file.extension()?.to_str()?.to_lowercase();
        KINDS.iter().find(|(known, _)| *known == ending).map(|(_, kind)| *kind)
    }

    /// The endings that there are, in words.
    pub fn endings() -> String {
        format!("endings are {}", KINDS.map(|(ending, _)| format!(".{ending}")).join(", "))
    }

    /// Writes an audit as this kind, finding by finding.
    pub fn write(self, report: &Report<Findings<'_>>, out: &mut dyn Write) -> io::Result<()> {
        match self {
            Self::Json => write_json(report, out),
            Self::Csv => table::write(report, out),
            Self::Markdown => markdown::write(report, out),
        }
    }
}
