//! Which kinds of reports there are, and which a file is by its name.

use std::path::Path;

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
}
