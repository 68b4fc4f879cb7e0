//! An audit for others: in files that people and programs read, each by its ending. What an estate says is escaped as each kind
//! needs.

mod html;
mod junit;
mod lines;
mod markdown;
mod ocsf;
mod sarif;
mod table;

use std::io::{self, Write};
use std::path::Path;

use serde::Serialize;

use crate::audit::{InWords, Report, write_json};
pub(crate) use markdown::plain;

/// A kind of report.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// One page that holds all it shows, for people.
    Html,
    /// The audit whole, as `audit --format json` writes it.
    Json,
    /// A finding a line, as they stand in the audit.
    Lines,
    /// A finding a row (RFC 4180).
    Csv,
    /// What matters most, short enough for a pull request.
    Markdown,
    /// Results with their places, baseline and suppressions (SARIF 2.1.0).
    Sarif,
    /// A compliance finding a line (OCSF 1.8).
    Ocsf,
    /// A test a rule, that fails where it finds something.
    Junit,
}

/// The kinds, by the ending of a file's name; longer endings come before those that they end with.
pub const KINDS: [(&str, Kind); 8] = [
    ("html", Kind::Html),
    ("md", Kind::Markdown),
    ("csv", Kind::Csv),
    ("json", Kind::Json),
    ("sarif", Kind::Sarif),
    ("junit.xml", Kind::Junit),
    ("ocsf.ndjson", Kind::Ocsf),
    ("ndjson", Kind::Lines),
];

impl Kind {
    /// The kind of a file.
    pub fn of(file: &Path) -> Option<Self> {
        let name = file.file_name()?.to_str()?.to_lowercase();
        let ends = |ending: &str| name.strip_suffix(ending).is_some_and(|rest| rest.ends_with('.'));
        KINDS.iter().find(|(ending, _)| ends(ending)).map(|(_, kind)| *kind)
    }

    /// The endings that there are, in words.
    pub fn endings() -> String {
        format!("endings are {}", KINDS.map(|(ending, _)| format!(".{ending}")).join(", "))
    }

    /// Writes an audit as this kind, finding by finding.
    pub fn write<F: InWords + Serialize>(self, report: &Report<F>, out: &mut dyn Write) -> io::Result<()> {
        match self {
            Self::Html => html::write(report, out),
            Self::Json => write_json(report, out),
            Self::Lines => lines::write(report, out),
            Self::Csv => table::write(report, out),
            Self::Markdown => markdown::write(report, out),
            Self::Sarif => sarif::write(report, out),
            Self::Ocsf => ocsf::write(report, out),
            Self::Junit => junit::write(report, out),
        }
    }
}
