//! Reading sources into an estate: every source, every mistake, then the estate as a whole.

use std::io::{BufRead, BufReader, Read as Input};

use jiff::Timestamp;
use pasaporte_core::estate::{Builder, Estate, Fault, FileId, Origin};

use super::VERSION;
use super::convert::{Converter, origin};
use super::document::{Entity, SECTIONS};
use super::lines::{self, Item};
use super::read::{Read, Report, nearest, printable, scalar_text};
use super::values::Moment;
use crate::diagnostic::{Diagnostic, Diagnostics, LineText, Mark};
use crate::text::json::{Cursor, JsonError};
use crate::text::{Form, Source, Tape, Value, View, Writer, yaml};

/// Reads all sources into one estate, judged at `as_of` where one is given. On failure, all that is
/// wrong, and how many mistakes there are beyond those kept.
pub fn load(
    sources: &[Source],
    as_of: Option<Timestamp>,
    mut diagnostics: Diagnostics,
) -> Result<Estate, Diagnostics> {
    let mut builder = Builder::default();
    builder.make_room(sources.iter().filter_map(Source::size).sum());
    let mut files = Vec::new();
    for source in sources {
        let file = builder.file(source.name());
        files.push(file);
        let mut reader =
            Reader { builder: &mut builder, file, name: source.name(), diagnostics: &mut diagnostics };
        match source.open() {
            Ok(crate::text::Opened::Whole(Form::Yaml, text)) => reader.yaml(&text),
            Ok(crate::text::Opened::Whole(_, text)) => reader.json(&text),
            Ok(crate::text::Opened::Lines(lines)) => reader.lines(lines),
            Err(diagnostic) => diagnostics.push(diagnostic),
        }
    }
    if let Some(time) = as_of {
        builder.overrule_as_of(time);
    }
    match builder.finish() {
        Ok(estate) if diagnostics.is_empty() => Ok(estate),
        Ok(_) => Err(diagnostics),
        Err(refused) => {
            let (estate, faults) = *refused;
            for fault in &faults {
                diagnostics.push(whole(&estate, sources, fault));
            }
            Err(diagnostics)
        }
    }
}

/// Reads one source.
struct Reader<'r> {
    builder: &'r mut Builder,
    file: FileId,
    name: &'r str,
    diagnostics: &'r mut Diagnostics,
}

/// What was seen of a document's own fields.
#[derive(Default)]
pub(super) struct Seen {
    pub(super) version: bool,
    fields: Vec<&'static str>,
}

impl Reader<'_> {
    fn yaml(&mut self, text: &str) {
        let done = yaml::documents(text, |tape| {
            let root = tape.root();
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            if !matches!(root.value(), Value::Map) {
                report.expected(root, "an estate: a map that begins with `estate: 1`");
                return;
            }
            let mut seen = Seen::default();
            for (key, value) in root.entries() {
                let field = scalar_text(key.value()).unwrap_or_default();
                let Some(field) = top_field(field, key, &mut seen, &mut report) else { continue };
                if field == "estate" || field == "as_of" {
                    if let Some(time) = header(field, value, &mut seen, &mut report) {
                        self.builder.as_of(time, origin(self.file, value.at()));
                    }
                } else if matches!(value.value(), Value::List) {
                    for item in value.inside() {
                        entity(self.builder, self.file, field, item, &mut report);
                    }
                } else if !matches!(value.value(), Value::Null) {
                    report.expected(value, "a list");
                }
            }
            if !seen.version {
                no_version(root, &mut report);
            }
        });
        if let Err(error) = done {
            Report::new(self.name, text, 1, self.diagnostics).wrong_at(
                error.at,
                1,
                format!("not YAML that is accepted: {}", error.message),
                HOW_WRITTEN,
            );
        }
    }

    fn json(&mut self, text: &str) {
        if let Err(error) = self.json_document(text) {
            self.not_json(text, 1, &error);
        }
    }

    fn json_document(&mut self, text: &str) -> Result<(), JsonError> {
        let mut cursor = Cursor::new(text, 1);
        let mut tape = Tape::default();
        if !cursor.is_map()? {
            cursor.value(&mut Writer::new(&mut tape))?;
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            report.expected(tape.root(), "an estate: an object with \"estate\": 1");
            return Ok(());
        }
        let start = cursor.at();
        let mut seen = Seen::default();
        let mut key = cursor.enter_map()?;
        while let Some((name, at)) = key {
            // The key on a tape of its own, so that messages can point at it.
            let mut key_tape = Tape::default();
            Writer::new(&mut key_tape).leaf(Value::Text(name.clone()), at);
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            let field = top_field(&name, key_tape.root(), &mut seen, &mut report);
            let is_list = cursor.is_list()?;
            match field {
                Some(field) if field != "estate" && field != "as_of" && is_list => {
                    let mut more = cursor.enter_list()?;
                    while more {
                        cursor.value(&mut Writer::new(&mut tape))?;
                        let mut report = Report::new(self.name, text, 1, self.diagnostics);
                        entity(self.builder, self.file, field, tape.root(), &mut report);
                        more = cursor.next_item()?;
                    }
                }
                field => {
                    cursor.value(&mut Writer::new(&mut tape))?;
                    let mut report = Report::new(self.name, text, 1, self.diagnostics);
                    match field {
                        Some(field @ ("estate" | "as_of")) => {
                            let time = header(field, tape.root(), &mut seen, &mut report);
                            if let Some(time) = time {
                                self.builder.as_of(time, origin(self.file, tape.root().at()));
                            }
                        }
                        Some(_) if !matches!(tape.root().value(), Value::Null) => {
                            report.expected(tape.root(), "a list");
                        }
                        _ => {}
                    }
                }
            }
            key = cursor.next_key()?;
        }
        cursor.finish()?;
        if !seen.version {
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            report.wrong_at(start, 1, NO_VERSION.0, NO_VERSION.1);
        }
        Ok(())
    }

    fn lines(&mut self, input: impl Input + Send) {
        lines::read(self.name, input, |batch, diagnostics| {
            self.diagnostics.absorb(diagnostics);
            let raw = batch.borrow_owner();
            let mut report = Report::new(self.name, &raw.text, raw.first_line, self.diagnostics);
            for item in batch.borrow_dependent() {
                match item {
                    Item::AsOf(time, at) => self.builder.as_of(*time, origin(self.file, *at)),
                    Item::Entity(entity) => {
                        let (builder, file) = (&mut *self.builder, self.file);
                        Converter { builder, file, report: &mut report }.entity(entity);
                    }
                }
            }
        });
    }

    fn not_json(&mut self, text: &str, first_line: u32, error: &JsonError) {
        let message = format!("not JSON that is accepted: {}", error.message);
        Report::new(self.name, text, first_line, self.diagnostics).wrong_at(
            error.at,
            1,
            message,
            HOW_WRITTEN,
        );
    }
}

pub(super) const HOW_WRITTEN: &str = "see docs/estate-format.md for how an estate is written";
const NO_VERSION: (&str, &str) =
    ("the file does not say which version of the format it is", "add `estate: 1` at the top");

fn no_version(root: View<'_, '_>, report: &mut Report<'_>) {
    report.wrong(root, NO_VERSION.0, NO_VERSION.1);
}

/// The field of a document that a key names, if it is one and not there already.
fn top_field(
    name: &str,
    key: View<'_, '_>,
    seen: &mut Seen,
    report: &mut Report<'_>,
) -> Option<&'static str> {
    let fields = || ["estate", "as_of"].into_iter().chain(SECTIONS.iter().copied());
    let Some(field) = fields().find(|field| *field == name) else {
        let help = match nearest(name, fields()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("the sections are {}", SECTIONS.join(", ")),
        };
        report.wrong(key, format!("`{}` is not a section of an estate", printable(name)), help);
        return None;
    };
    if seen.fields.contains(&field) {
        report.wrong(key, format!("`{field}` is given twice"), "make them one list");
        return None;
    }
    seen.fields.push(field);
    Some(field)
}

/// Reads a field of the document itself; the time, if it is that.
pub(super) fn header(
    field: &str,
    value: View<'_, '_>,
    seen: &mut Seen,
    report: &mut Report<'_>,
) -> Option<Timestamp> {
    if field == "as_of" {
        return Moment::read(value, report).map(|moment| moment.0);
    }
    seen.version = true;
    match u64::read(value, report) {
        Some(VERSION) | None => {}
        Some(other) => {
            let message = format!("version {other} of the format is not known");
            report.wrong(value, message, format!("this program reads version {VERSION}; get a newer one"));
        }
    }
    None
}

fn entity(builder: &mut Builder, file: FileId, kind: &str, view: View<'_, '_>, report: &mut Report<'_>) {
    if let Some(entity) = Entity::read(kind, view, report) {
        Converter { builder, file, report }.entity(&entity);
    }
}

/// A fault of the estate as a whole, with the lines it is about.
fn whole(estate: &Estate, sources: &[Source], fault: &Fault) -> Diagnostic {
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
        Fault::WrongKind { origin, declared, .. } => (
            mark(origin, "named here"),
            Some(mark(declared, "declared here")),
            "name it by the kind that it has",
        ),
        Fault::TwoTimes { origin, origin_first, .. } => (
            mark(origin, "this time"),
            Some(mark(origin_first, "the other time")),
            "an estate is true at one time: gather again, or audit the files apart",
        ),
    };
    Diagnostic { mark: at, message, also, help: Some(help.to_owned()) }
}

fn mark(estate: &Estate, sources: &[Source], origin: Origin, label: &str) -> Mark {
    let name = estate.path(origin.file);
    let source = sources.iter().find(|source| source.name() == name);
    let line = source.and_then(|source| line_of(source, origin.line));
    Mark {
        file: name.to_owned(),
        line: Some(origin.line),
        column: origin.column,
        text: line.map(|line| LineText::new(&line, origin.column, 1)),
        label: label.to_owned(),
    }
}

/// A line of a source, read again: only for messages.
fn line_of(source: &Source, number: u32) -> Option<String> {
    let line = |reader: &mut dyn BufRead| reader.lines().nth(number as usize - 1)?.ok();
    match source {
        Source::File { path, .. } => line(&mut BufReader::new(std::fs::File::open(path).ok()?)),
        Source::Text { text, .. } => line(&mut text.as_bytes()),
        Source::Standard => None,
    }
}
