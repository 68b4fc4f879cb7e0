//! Reading one source, in whichever form it is written, into the side of the estate that it says it is of.

use std::collections::HashMap;
use std::io::Read as Input;

use bumpalo::Bump;
use pasaporte_core::estate::{Builder, FileId};

use super::convert::{Converter, origin};
use super::document::{Entity, SECTIONS};
use super::header::{FIELDS, HOW_WRITTEN, NO_VERSION, Said, Seen, header, top_field};
use super::lines::{self, Item};
use crate::diagnostic::Diagnostics;
use crate::read::{Report, scalar_text, whole};
use crate::text::json::{Cursor, JsonError};
use crate::text::{Form, Opened, Position, Source, Tape, Value, View, Writer};

/// What is deployed, and what is declared beside it, while it is read. Both know all files by the same ids.
#[derive(Default)]
pub(super) struct Sides {
    pub(super) deployed: Builder,
    pub(super) declared: Option<Builder>,
    /// Whether anything is said of what is deployed.
    pub(super) has_deployed: bool,
    /// Whether the file at hand says that it is laid over others.
    pub(super) says_overlay: bool,
    /// The first file that is declared.
    pub(super) declared_in: Option<FileId>,
    files: Vec<String>,
    ids: HashMap<String, FileId>,
}

impl Sides {
    /// The file of a name; one that something names was perhaps met before.
    pub(super) fn file(&mut self, name: &str) -> FileId {
        if let Some(file) = self.ids.get(name) {
            return *file;
        }
        self.files.push(name.to_owned());
        if let Some(declared) = &mut self.declared {
            declared.file(name);
        }
        let file = self.deployed.file(name);
        self.ids.insert(name.to_owned(), file);
        file
    }

    /// The side that something is said of.
    fn said_in(&mut self, file: FileId, declared: bool) -> &mut Builder {
        if declared {
            self.declared_in.get_or_insert(file);
        } else {
            self.has_deployed = true;
        }
        self.side(declared)
    }

    /// What is deployed, or what is declared.
    pub(super) fn side(&mut self, declared: bool) -> &mut Builder {
        if !declared {
            return &mut self.deployed;
        }
        self.declared.get_or_insert_with(|| {
            let mut builder = Builder::default();
            for name in &self.files {
                builder.file(name);
            }
            builder
        })
    }
}

/// Reads one source.
pub(super) struct Reader<'r> {
    pub(super) sides: &'r mut Sides,
    pub(super) file: FileId,
    pub(super) name: &'r str,
    pub(super) diagnostics: &'r mut Diagnostics,
    /// Whether what is read is declared rather than deployed.
    pub(super) declared: bool,
}

/// Whether a source was read.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Found {
    /// As an estate, with whatever mistakes.
    Estate,
    /// It does not claim to be one: it may be a document that an estate names.
    Other,
}

impl Reader<'_> {
    /// Reads a source; one that does not claim to be an estate only if it is insisted that it is one.
    pub(super) fn read(&mut self, source: &Source, insist: bool) -> Found {
        match source.open() {
            Ok(Opened::Whole(Form::Yaml, text)) => self.yaml(&text, insist),
            Ok(Opened::Whole(_, text)) => self.json(&text, insist),
            Ok(Opened::Lines(lines)) => {
                self.lines(lines);
                Found::Estate
            }
            Err(_) if !insist => Found::Other,
            Err(diagnostic) => {
                self.diagnostics.push(diagnostic);
                Found::Estate
            }
        }
    }

    fn yaml(&mut self, text: &str, insist: bool) -> Found {
        // Most that is something else says so without being parsed.
        if !insist && !text.contains("estate") {
            return Found::Other;
        }
        let (mut claimed, mut other) = (insist, false);
        let mut wrong = Diagnostics::default();
        let (sides, file, from) = (&mut *self.sides, self.file, self.declared);
        whole(self.name, text, Form::Yaml, &mut wrong, |root, report| {
            claimed |= root.entries().any(|(key, _)| scalar_text(key.value()) == Some("estate"));
            other |= !claimed;
            if !other {
                document(sides, file, from, root, report);
            }
        });
        // What breaks off before it claims to be an estate may be something else.
        if other || (!claimed && !wrong.is_empty()) {
            return Found::Other;
        }
        self.diagnostics.absorb(wrong);
        Found::Estate
    }

    fn json(&mut self, text: &str, insist: bool) -> Found {
        if !insist && does_not_claim(text) {
            return Found::Other;
        }
        self.declared = is_declared(text).unwrap_or(self.declared);
        if let Err(error) = self.json_document(text) {
            let message = format!("not JSON that is accepted: {}", error.message);
            Report::new(self.name, text, 1, self.diagnostics).wrong_at(error.at, 1, message, HOW_WRITTEN);
        }
        Found::Estate
    }

    /// Reads a JSON document an entity at a time, so that a large one is never in memory as values.
    fn json_document(&mut self, text: &str) -> Result<(), JsonError> {
        let mut cursor = Cursor::new(text, 1);
        let mut arena = Bump::new();
        if !cursor.is_map()? {
            let mut tape = Tape::default();
            cursor.value(&mut Writer::new(&mut tape, &arena))?;
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            report.expected(tape.root(&arena), "an estate: an object with \"estate\": 1");
            return Ok(());
        }
        let start = cursor.at();
        let mut seen = Seen::default();
        let mut key = cursor.enter_map()?;
        while let Some((name, at)) = key {
            arena.reset();
            let name = cursor.string(name, &arena);
            // The key on a tape of its own, so that messages can point at it.
            let mut key_tape = Tape::default();
            Writer::new(&mut key_tape, &arena).leaf(Value::Text(name), at);
            let mut report = Report::new(self.name, text, 1, self.diagnostics);
            let field = top_field(name, key_tape.root(&arena), &mut seen, &mut report);
            let is_list = cursor.is_list()?;
            match field {
                Some(field) if !FIELDS.contains(&field) && is_list => {
                    let mut more = cursor.enter_list()?;
                    while more {
                        arena.reset();
                        let mut tape = Tape::default();
                        cursor.value(&mut Writer::new(&mut tape, &arena))?;
                        let mut report = Report::new(self.name, text, 1, self.diagnostics);
                        entity(
                            self.sides.said_in(self.file, self.declared),
                            self.file,
                            field,
                            tape.root(&arena),
                            &mut report,
                        );
                        more = cursor.next_item()?;
                    }
                }
                field => {
                    let mut tape = Tape::default();
                    cursor.value(&mut Writer::new(&mut tape, &arena))?;
                    let root = tape.root(&arena);
                    let mut report = Report::new(self.name, text, 1, self.diagnostics);
                    match field {
                        Some(field) if FIELDS.contains(&field) => {
                            let place = root.at();
                            if let Some(said) = header(field, root, &mut seen, &mut report) {
                                self.say(&said, place);
                            }
                        }
                        Some(_) if !matches!(root.value(), Value::Null) => {
                            report.expected(root, "a list");
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

    fn say(&mut self, said: &Said<'_>, at: Position) {
        self.sides.says_overlay |= matches!(said, Said::Overlay(true) | Said::Removed(_));
        if let Said::Declared(declared) = said {
            self.declared = *declared;
        } else {
            say(self.sides.side(self.declared), self.file, said, at);
        }
    }

    fn lines(&mut self, input: impl Input + Send) {
        let mut begun = false;
        lines::read(self.name, input, |batch, diagnostics| {
            self.diagnostics.absorb(diagnostics);
            let raw = batch.borrow_owner();
            for item in batch.borrow_dependent() {
                let mut report = Report::new(self.name, &raw.text, raw.first_line, self.diagnostics);
                match item {
                    Item::Said(Said::Declared(_), at) if begun => report.wrong_at(*at, 1, LATE.0, LATE.1),
                    Item::Said(said, at) => self.say(said, *at),
                    Item::Entity(entity) => {
                        begun = true;
                        let (builder, file) = (self.sides.said_in(self.file, self.declared), self.file);
                        Converter { builder, file, report: &mut report }.entity(entity);
                    }
                }
            }
        });
    }
}

const LATE: (&str, &str) =
    ("`declared` comes after the first entities", "say it on the first line: it is of the whole file");

/// Whether a JSON text has no field `estate`, as far as it can be read.
fn does_not_claim(text: &str) -> bool {
    let (mut cursor, arena) = (Cursor::new(text, 1), Bump::new());
    let mut look = || -> Result<bool, JsonError> {
        if !cursor.is_map()? {
            return Ok(true);
        }
        let mut key = cursor.enter_map()?;
        while let Some((name, _)) = key {
            // A key set has `keys` too; no other document has a section's name at its top.
            let name = cursor.string(name, &arena);
            if name == "estate" || (name != "keys" && SECTIONS.contains(&name)) {
                return Ok(false);
            }
            cursor.skip()?;
            key = cursor.next_key()?;
        }
        Ok(true)
    };
    look().unwrap_or(true)
}

/// What a JSON document says at its top of being declared, wherever among its members: it is of all of them.
fn is_declared(text: &str) -> Option<bool> {
    // Most say nothing of it; those are not gone through twice.
    memchr::memmem::find(text.as_bytes(), b"\"declared\"")?;
    let (mut cursor, arena) = (Cursor::new(text, 1), Bump::new());
    let mut look = || -> Result<Option<bool>, JsonError> {
        let mut key = if cursor.is_map()? { cursor.enter_map()? } else { None };
        while let Some((name, _)) = key {
            if cursor.string(name, &arena) == "declared" {
                let mut tape = Tape::default();
                cursor.value(&mut Writer::new(&mut tape, &arena))?;
                let Value::Bool(said) = tape.root(&arena).value() else { return Ok(None) };
                return Ok(Some(said));
            }
            cursor.skip()?;
            key = cursor.next_key()?;
        }
        Ok(None)
    };
    look().ok().flatten()
}

/// A document that is at hand as a whole.
fn document(sides: &mut Sides, file: FileId, declared: bool, root: View<'_, '_>, report: &mut Report<'_>) {
    if !matches!(root.value(), Value::Map) {
        report.expected(root, "an estate: a map that begins with `estate: 1`");
        return;
    }
    let said = root.entries().find(|(key, _)| scalar_text(key.value()) == Some("declared"));
    let declared = match said.map(|(_, value)| value.value()) {
        Some(Value::Bool(said)) => said,
        _ => declared,
    };
    let mut seen = Seen::default();
    for (key, value) in root.entries() {
        let field = scalar_text(key.value()).unwrap_or_default();
        let Some(field) = top_field(field, key, &mut seen, report) else { continue };
        if FIELDS.contains(&field) {
            if let Some(said) = header(field, value, &mut seen, report) {
                sides.says_overlay |= matches!(said, Said::Overlay(true) | Said::Removed(_));
                say(sides.side(declared), file, &said, value.at());
            }
        } else if matches!(value.value(), Value::List) {
            let mut arena = Bump::new();
            for item in value.inside() {
                arena.reset();
                entity(sides.said_in(file, declared), file, field, item.kept_in(&arena), report);
            }
        } else if !matches!(value.value(), Value::Null) {
            report.expected(value, "a list");
        }
    }
    if !seen.version {
        report.wrong(root, NO_VERSION.0, NO_VERSION.1);
    }
}

/// Takes in what a file says of all its entries.
fn say(builder: &mut Builder, file: FileId, said: &Said<'_>, at: Position) {
    let origin = origin(file, at);
    match said {
        Said::AsOf(time) => builder.as_of(*time, origin),
        Said::Declared(_) | Said::Overlay(_) => {}
        Said::Removed(all) => {
            for (label, at) in all {
                builder.remove(label, self::origin(file, *at));
            }
        }
        Said::Digest(logs) => {
            let logs: Vec<_> = logs.0.iter().map(|log| builder.name(log.text)).collect();
            builder.digest(&logs, origin);
        }
        Said::Seal(seal) => {
            let seal = builder.name(seal.text);
            builder.sealed(seal, origin);
        }
    }
}

fn entity(builder: &mut Builder, file: FileId, kind: &str, view: View<'_, '_>, report: &mut Report<'_>) {
    if let Some(entity) = Entity::read(kind, view, report) {
        Converter { builder, file, report }.entity(&entity);
    }
}
