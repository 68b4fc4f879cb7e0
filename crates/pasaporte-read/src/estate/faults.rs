//! Faults of an estate as a whole, with the lines they are about.

use std::io::{BufRead, BufReader};

use pasaporte_core::estate::{Estate, Fault, Origin};

use crate::diagnostic::{Diagnostic, LineText, Mark};
use crate::text::Source;

/// A fault of the estate as a whole, with the lines it is about where those are to be found.
pub(super) fn whole(estate: &Estate, sources: &[Source], fault: &Fault, with_lines: bool) -> Diagnostic {
    let sources = if with_lines { sources } else { &[] };
    let mark = |origin: Origin, label: &str| mark(estate, sources, origin, label);
    let message = fault.to_string();
    let (at, also, help) = match *fault {
        Fault::Duplicate { first, second, .. } => (
            mark(second, "declared again here"),
            Some(mark(first, "first declared here")),
            "ids are unique among things of a kind: rename one, or take it out",
        ),
        Fault::Circle { origin, .. } => {
            (mark(origin, "part of the circle"), None, "take one of these references out")
        }
        Fault::Nested { origin, .. } => (
            mark(origin, "too much with this one"),
            None,
            "nest less deep, or audit parts of the estate apart",
        ),
        Fault::WrongKind { origin, declared, .. } => (
            mark(origin, "named here"),
            Some(mark(declared, "declared here")),
            "name it by the kind that it has",
        ),
        Fault::TwoFingerprints { origin, .. } => (
            mark(origin, "another one"),
            None,
            "a key has one fingerprint under one seal: take the older one out",
        ),
        Fault::TwoTimes { origin, origin_first, .. } => (
            mark(origin, "this time"),
            Some(mark(origin_first, "the other time")),
            "an estate is true at one time: gather again, or audit the files apart",
        ),
    };
    Diagnostic { mark: at, message, also, help: Some(help.to_owned()) }
}

pub(super) fn mark(estate: &Estate, sources: &[Source], origin: Origin, label: &str) -> Mark {
    let name = estate.path(origin.file);
    let source = sources.iter().find(|source| source.name() == name);
    let line = source.and_then(|source| line_of(source, origin.line));
    Mark {
        file: name.to_owned(),
        line: Some(origin.line),
        column: origin.column,
        text: line.and_then(|line| LineText::new(&line, origin.column, 1)),
        label: label.to_owned(),
    }
}

/// A line of a source, read again: only for messages.
fn line_of(source: &Source, number: u32) -> Option<String> {
    let line = |reader: &mut dyn BufRead| reader.lines().nth(number as usize - 1)?.ok();
    match source {
        Source::File { path, .. } => line(&mut BufReader::new(crate::files::open(path).ok()?)),
        Source::Text { text, .. } => line(&mut text.as_bytes()),
        Source::Standard => None,
    }
}
