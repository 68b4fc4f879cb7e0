//! The formats that logs are read in, each a file; which one a log is in is told by how it begins.

mod access;
mod cloudevents;
mod flat;
mod json;
mod ocsf;
mod otlp;
mod plain;
mod said;
mod table;

use std::fmt;

use crate::event::Event;

/// How a log is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Format {
    /// One JSON object a line, of our own: docs/logs.md.
    Plain,
    /// The same as CSV (RFC 4180), with a line of names.
    Table,
    /// NCSA common or combined, perhaps after a virtual host and before a duration.
    Access,
    /// OpenTelemetry, OTLP/JSON: logs and traces.
    OpenTelemetry,
    /// OCSF: API Activity and HTTP Activity.
    Ocsf,
    /// `CloudEvents` 1.0, structured or in batches.
    CloudEvents,
}

impl Format {
    /// All, by the word by which they are asked for.
    pub const ALL: [(&'static str, Self); 6] = [
        ("plain", Self::Plain),
        ("csv", Self::Table),
        ("access", Self::Access),
        ("opentelemetry", Self::OpenTelemetry),
        ("ocsf", Self::Ocsf),
        ("cloudevents", Self::CloudEvents),
    ];

    /// The word by which it is asked for.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, it)| *it == self).map_or("", |(word, _)| word)
    }

    /// The format of a word.
    pub fn parse(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(it, _)| *it == word).map(|(_, it)| *it)
    }

    /// Whether a text of it may be one JSON document of several lines.
    pub(crate) fn may_be_whole(self) -> bool {
        matches!(self, Self::OpenTelemetry | Self::CloudEvents | Self::Ocsf)
    }
}

impl fmt::Display for Format {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Plain => "plain NDJSON",
            Self::Table => "plain CSV",
            Self::Access => "access log",
            Self::OpenTelemetry => "OpenTelemetry",
            Self::Ocsf => "OCSF",
            Self::CloudEvents => "CloudEvents",
        })
    }
}

/// Why a line could not be used; a closed set, so that each kind is counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum Bad {
    /// Not what the format has.
    NotOfTheFormat,
    /// Not UTF-8.
    NotText,
    /// Longer than what is read.
    TooLong,
    /// A time that is none.
    NoTime,
    /// A time after the logs can have been written.
    Future,
    /// It says nothing that the estate could know of.
    SaysNothing,
    /// It says that it covers what is no scope of the estate, or no action.
    CoversNothing,
}

impl Bad {
    pub(crate) fn words(self) -> &'static str {
        match self {
            Self::NotOfTheFormat => "not of this format",
            Self::NotText => "not UTF-8",
            Self::TooLong => "longer than 16 MiB",
            Self::NoTime => "no time that can be read",
            Self::Future => "of a time that has not come",
            Self::SaysNothing => "says neither who did what nor what was called",
            Self::CoversNothing => "says that it covers what is no scope of the estate, or no action",
        }
    }
}

/// What a text of events says of itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct CoversSaid {
    pub(crate) scope: String,
    pub(crate) actions: Vec<String>,
    pub(crate) from: Option<i64>,
    pub(crate) to: Option<i64>,
}

/// Takes what is read.
pub(crate) trait Take {
    /// An event.
    fn event(&mut self, event: &Event<'_>) -> Result<(), Bad>;
    /// What the log covers, as it says itself.
    fn covers(&mut self, said: CoversSaid) -> Result<(), Bad>;
}

/// Reads the lines of a log.
#[derive(Debug)]
pub(crate) struct Reader<'c> {
    format: Format,
    columns: &'c Columns,
    layouts: flat::Layouts,
}

impl<'c> Reader<'c> {
    pub(crate) fn new(format: Format, columns: &'c Columns) -> Self {
        Self { format, columns, layouts: flat::Layouts::default() }
    }

    /// Whether a line is the one of names.
    pub(crate) fn is_heading(&self, line: u64) -> bool {
        self.format == Format::Table && line == 1
    }

    /// Reads one line, or one document. All that it says is taken; the first thing that is wrong is given back.
    pub(crate) fn read(&mut self, text: &str, take: &mut dyn Take) -> Result<(), Bad> {
        match self.format {
            Format::Plain => plain::read(&mut self.layouts, text, take),
            Format::Table => table::read(self.columns, text, take),
            Format::Access => access::read(text, take),
            Format::OpenTelemetry => otlp::read(text, take),
            Format::Ocsf => ocsf::read(text, take),
            Format::CloudEvents => cloudevents::read(text, take),
        }
    }
}

pub(crate) use table::Columns;

/// How a log is written, by its beginning, and whether it is one document of several lines.
pub fn recognise(start: &[u8]) -> Option<Format> {
    let start = start.strip_prefix(&[0xef, 0xbb, 0xbf]).unwrap_or(start);
    let text = String::from_utf8_lossy(start);
    let lines = text.lines().map(str::trim).filter(|line| !line.is_empty()).take(MOST_LOOKED_AT);
    let mut first = None;
    for line in lines.clone() {
        first.get_or_insert(line);
        if line.starts_with('{') || line.starts_with('[') {
            if let Some(format) = json::recognise(line, &text) {
                return Some(format);
            }
        } else if access::is_one(line) {
            return Some(Format::Access);
        }
    }
    first.filter(|line| table::is_heading(line)).map(|_| Format::Table)
}

/// Lines at the beginning of a log that are looked at: the first may be cut off or damaged.
const MOST_LOOKED_AT: usize = 20;
