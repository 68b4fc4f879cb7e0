//! Logs of a platform: asks whose items are events, of a range of time. What comes of them stays in memory, packed, until it
//! is digested: a log may hold values of keys, so no line of it is kept on a disk.

use std::io::{self, Write};

use jaq_json::Val;
use jiff::Timestamp;
use serde::Deserialize;

use crate::address::with_parameter;
use crate::program::{self, PartId};

/// What an ask has that is of a log.
pub(crate) struct LogAsk {
    /// How a platform is told of which time.
    pub(crate) range: Option<RangeIn>,
    /// From an item to the lines that it stands for; itself if left out.
    pub(crate) events: Option<PartId>,
    /// From an answer to what the log holds all of.
    pub(crate) covers: Option<PartId>,
    /// How its lines are written.
    pub(crate) read_as: ReadAs,
}

/// How the lines of a log are written: a word of `--read-as`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum ReadAs {
    /// Our own lines.
    #[default]
    Plain,
    /// Access logs.
    Access,
    /// OTLP/JSON.
    OpenTelemetry,
    /// OCSF.
    Ocsf,
    /// `CloudEvents`.
    CloudEvents,
}

impl ReadAs {
    /// The word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Plain => "plain",
            Self::Access => "access",
            Self::OpenTelemetry => "opentelemetry",
            Self::Ocsf => "ocsf",
            Self::CloudEvents => "cloudevents",
        }
    }
}

/// The parameters by which a platform is asked for a range of time.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct RangeIn {
    from: String,
    to: String,
    #[serde(default, rename = "as")]
    written: Moment,
}

/// How a platform writes a moment.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum Moment {
    /// RFC 3339.
    #[default]
    Rfc3339,
    /// Seconds since 1970.
    Seconds,
    /// Milliseconds since 1970.
    Milliseconds,
    /// A day: `2026-11-20`; the last one is whole.
    Date,
}

/// A range of time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Range {
    /// When it begins.
    pub from: Timestamp,
    /// When it ends.
    pub to: Timestamp,
}

impl Range {
    /// What adapters see as `$range`.
    pub(crate) fn known(self) -> Val {
        let text = serde_json::json!({"from": self.from.to_string(), "to": self.to.to_string()}).to_string();
        program::parse(text.as_bytes()).unwrap_or_default()
    }
}

impl RangeIn {
    /// An address that asks for that time alone.
    pub(crate) fn asked(&self, address: &str, range: Range) -> String {
        let written = |at: Timestamp| match self.written {
            Moment::Rfc3339 => at.to_string(),
            Moment::Seconds => at.as_second().to_string(),
            Moment::Milliseconds => at.as_millisecond().to_string(),
            Moment::Date => at.strftime("%Y-%m-%d").to_string(),
        };
        let address = with_parameter(address, &self.from, &written(range.from));
        with_parameter(&address, &self.to, &written(range.to))
    }
}

/// A log as it came: its lines, packed with Zstandard.
#[derive(Debug)]
pub struct Log {
    /// The ask of the adapter that it is of.
    pub ask: String,
    /// What was asked for, for people.
    pub what: String,
    /// How its lines are written.
    pub read_as: ReadAs,
    /// Its lines, packed.
    pub text: Vec<u8>,
    /// How many there are.
    pub lines: usize,
    /// What it holds all of: lines of our own with `covers`. None where a part of it did not come.
    pub covers: Vec<String>,
    /// Whether all of it came, so that what is not in it did not happen.
    pub is_whole: bool,
    /// The first thing that the adapter could not make sense of. Such an item counts as a line that cannot be read.
    pub trouble: Option<String>,
}

/// What the adapter makes of the items of a page.
#[derive(Debug, Clone, Default)]
pub(crate) struct Lines {
    /// Events, one a line.
    pub(crate) events: Vec<String>,
    /// What the log holds all of, one a line.
    pub(crate) covers: Vec<String>,
    /// The first thing that was not understood.
    pub(crate) trouble: Option<String>,
}

/// Lines on their way into a log.
pub(crate) struct Spool {
    packing: zstd::stream::write::Encoder<'static, Vec<u8>>,
    lines: usize,
    covers: Vec<String>,
    trouble: Option<String>,
    is_whole: bool,
}

/// What stands for an item that the adapter could not make sense of: a line of no format.
pub(crate) const NOT_UNDERSTOOD: &str = "?";
/// How hard lines are packed: fast; they are much alike.
const LEVEL: i32 = 1;

impl Spool {
    pub(crate) fn new() -> io::Result<Self> {
        let packing = zstd::stream::write::Encoder::new(Vec::new(), LEVEL)?;
        Ok(Self { packing, lines: 0, covers: Vec::new(), trouble: None, is_whole: true })
    }

    /// Adds what came of a page.
    pub(crate) fn add(&mut self, page: Lines) -> io::Result<()> {
        for line in &page.events {
            self.line(line)?;
        }
        self.covers.extend(page.covers);
        self.trouble = self.trouble.take().or(page.trouble);
        Ok(())
    }

    fn line(&mut self, line: &str) -> io::Result<()> {
        self.lines += 1;
        // One line each, whatever stands in it.
        let mut pieces = line.split(['\n', '\r']);
        self.packing.write_all(pieces.next().unwrap_or_default().as_bytes())?;
        for piece in pieces {
            self.packing.write_all(b" ")?;
            self.packing.write_all(piece.as_bytes())?;
        }
        self.packing.write_all(b"\n")
    }

    /// Notes that a part of it did not come.
    pub(crate) fn breaks_off(&mut self) {
        self.is_whole = false;
    }

    /// The log. What it holds all of is said only where all of it came.
    pub(crate) fn end(mut self, ask: String, what: String, read_as: ReadAs) -> io::Result<Log> {
        let mut covers = std::mem::take(&mut self.covers);
        covers.sort();
        covers.dedup();
        if !self.is_whole {
            covers.clear();
        }
        let Self { packing, lines, is_whole, trouble, .. } = self;
        let text = packing.finish()?;
        Ok(Log { ask, what, read_as, text, lines, covers, is_whole, trouble })
    }
}

/// The line of a value: a text is a line already.
pub(crate) fn line(value: &Val) -> String {
    match value {
        Val::TStr(text) => String::from_utf8_lossy(text).into_owned(),
        other => program::json(other),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn unpacked(log: &Log) -> String {
        String::from_utf8(zstd::decode_all(log.text.as_slice()).unwrap()).unwrap()
    }

    fn spooled(is_whole: bool) -> Log {
        let mut spool = Spool::new().unwrap();
        let covers = vec!["{\"covers\":{\"in\":\"tides\"}}".to_owned()];
        for _ in 0..2 {
            let events = vec!["{\"did\":\"x\"}".to_owned(), "two\nlines".to_owned()];
            spool.add(Lines { events, covers: covers.clone(), trouble: None }).unwrap();
        }
        if !is_whole {
            spool.breaks_off();
        }
        spool.end("a".to_owned(), "b".to_owned(), ReadAs::Plain).unwrap()
    }

    #[test]
    fn what_a_log_holds_all_of_is_said_once_and_only_of_a_whole_one() {
        let events = "{\"did\":\"x\"}\ntwo lines\n".repeat(2);
        let whole = spooled(true);
        assert_eq!((unpacked(&whole), whole.lines), (events.clone(), 4));
        assert_eq!(whole.covers, ["{\"covers\":{\"in\":\"tides\"}}"]);
        let partial = spooled(false);
        assert_eq!((unpacked(&partial), partial.covers, partial.is_whole), (events, vec![], false));
    }

    #[test]
    fn a_range_is_written_as_the_platform_wants_it() {
        let range = Range {
            from: "2026-08-22T06:00:00Z".parse().unwrap(),
            to: "2026-11-20T06:00:00Z".parse().unwrap(),
        };
        let asked = |written| {
            let it = RangeIn { from: "since".to_owned(), to: "until".to_owned(), written };
            it.asked("http://tides.example/log", range)
        };
        let at = |from: &str, to: &str| format!("http://tides.example/log?since={from}&until={to}");
        assert_eq!(asked(Moment::Rfc3339), at("2026-08-22T06%3A00%3A00Z", "2026-11-20T06%3A00%3A00Z"));
        assert_eq!(asked(Moment::Seconds), at("1787378400", "1795154400"));
        assert_eq!(asked(Moment::Milliseconds), at("1787378400000", "1795154400000"));
        assert_eq!(asked(Moment::Date), at("2026-08-22", "2026-11-20"));
    }
}
