//! NDJSON, one entity a line: batches of lines, parsed side by side and taken in order.
//!
//! Threads cut batches off the input and parse them into entities, which borrow from the batch's text; the
//! caller's thread puts the entities into the builder, in the order of the input whatever order the batches
//! are ready in. A thread has a few batches and no more: it waits until one was taken, however far behind another
//! thread is. So a file of any size needs the memory of a few batches.

use std::collections::BTreeMap;
use std::io::{self, BufRead, BufReader, Read};
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::Mutex;
use std::sync::mpsc::channel;

use bumpalo::Bump;
use self_cell::self_cell;

use super::document::{Entity, KINDS};
use super::header::{FIELDS, HOW_WRITTEN, Said, Seen, header};
use crate::diagnostic::{Diagnostic, Diagnostics};
use crate::read::{Report, scalar_text};
use crate::text::json::{Cursor, JsonError};
use crate::text::{Position, Tape, Writer};

/// Longest line that is read; an entity is a few kilobytes.
const LONGEST_LINE: usize = 16 << 20;
/// About how much text a batch has.
const BATCH: usize = 128 << 10;
/// Most bytes of a batch's memory that are kept for the next one, of text and of what was read each.
const MOST_KEPT: usize = 2 << 20;
/// How many batches a thread has, in work or waiting to be taken.
const BATCHES: usize = 3;

/// What a line comes to.
#[expect(clippy::large_enum_variant, reason = "nearly all items are entities")]
pub(super) enum Item<'a> {
    /// What the file says of itself, and where it stands.
    Said(Said<'a>, Position),
    /// An entity.
    Entity(Entity<'a>),
}

self_cell!(
    /// Lines and what they come to.
    pub(super) struct Batch {
        owner: Raw,
        #[covariant]
        dependent: Items,
    }
);

type Items<'a> = Vec<Item<'a>>;

/// Lines as they were read: where a line is not text, a blank one. Beside them an arena for what entities hold.
#[derive(Default)]
pub(super) struct Raw {
    pub(super) first_line: u32,
    pub(super) text: String,
    arena: Bump,
}

/// Reads a file's lines; `take` gets each batch with its mistakes, in order.
pub(super) fn read(name: &str, input: impl Read + Send, mut take: impl FnMut(&Batch, Diagnostics)) {
    let mut cutter =
        Cutter { name, input: BufReader::with_capacity(BATCH, input), next_line: 1, index: 0, done: false };
    let mut empty = true;
    // A file of one batch needs no threads.
    while empty && let Some(cut) = cutter.cut(Raw::default()) {
        let (batch, diagnostics) = cut.parse(name, empty);
        empty &= batch.borrow_owner().text.trim().is_empty() && diagnostics.is_empty();
        take(&batch, diagnostics);
    }
    if empty {
        let help = "an estate begins with `{\"estate\": 1}`; see docs/estate-format.md";
        let trouble = Some(Diagnostic::of_file(name, "an empty file", help));
        let (batch, diagnostics) =
            Cut { index: 0, first_line: 1, bytes: Vec::new(), arena: Bump::new(), trouble }.parse(name, true);
        take(&batch, diagnostics);
    }
    if cutter.done {
        return;
    }
    let mut wanted = cutter.index;
    let cutter = Mutex::new(cutter);
    let workers = std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        let (ready, parsed) = channel();
        let mut back = Vec::new();
        for worker in 0..workers {
            let (ready, cutter) = (ready.clone(), &cutter);
            let (done, free) = channel::<Raw>();
            for _ in 0..BATCHES {
                done.send(Raw::default()).expect("it is listened to");
            }
            back.push(done);
            scope.spawn(move || {
                while let Ok(raw) = free.recv() {
                    let cut = cutter.lock().expect("cutting does not panic").cut(raw);
                    let Some(cut) = cut else { break };
                    let index = cut.index;
                    // Else a panic here would leave the others waiting.
                    let parsed = catch_unwind(AssertUnwindSafe(|| cut.parse(name, false)));
                    if ready.send((index, worker, parsed)).is_err() {
                        break;
                    }
                }
            });
        }
        drop(ready);
        let mut early = BTreeMap::new();
        for (index, worker, parsed) in parsed {
            early.insert(index, (worker, parsed.unwrap_or_else(|panic| resume_unwind(panic))));
            while let Some((worker, (batch, diagnostics))) = early.remove(&wanted) {
                take(&batch, diagnostics);
                wanted += 1;
                // Its memory is used again; a thread that is through no longer listens.
                let _ = back[worker].send(batch.into_owner());
            }
        }
    });
}

/// Cuts batches of whole lines off an input.
struct Cutter<'n, R> {
    name: &'n str,
    input: BufReader<R>,
    next_line: u32,
    index: usize,
    done: bool,
}

/// Lines that were cut off, or why no more can be.
struct Cut {
    index: usize,
    first_line: u32,
    bytes: Vec<u8>,
    arena: Bump,
    trouble: Option<Box<Diagnostic>>,
}

impl<R: Read> Cutter<'_, R> {
    /// The next lines, in the memory of others that are no longer needed.
    fn cut(&mut self, spare: Raw) -> Option<Cut> {
        if self.done {
            return None;
        }
        // What lines of unusual length took is given back.
        let usual = spare.text.capacity().max(spare.arena.allocated_bytes()) <= MOST_KEPT;
        let Raw { text, mut arena, .. } = if usual { spare } else { Raw::default() };
        let mut bytes = text.into_bytes();
        arena.reset();
        bytes.clear();
        bytes.reserve(BATCH + BATCH / 8);
        let trouble = match self.fill(&mut bytes) {
            Ok(trouble) => trouble,
            Err(error) => {
                Some(Diagnostic::of_file(self.name, format!("cannot be read: {error}"), "check the file"))
            }
        };
        self.done |= trouble.is_some();
        if bytes.is_empty() && trouble.is_none() {
            return None;
        }
        let cut = Cut { index: self.index, first_line: self.next_line, bytes, arena, trouble };
        self.index += 1;
        self.next_line += memchr::memchr_iter(b'\n', &cut.bytes).count() as u32;
        Some(cut)
    }

    fn fill(&mut self, bytes: &mut Vec<u8>) -> io::Result<Option<Box<Diagnostic>>> {
        Read::by_ref(&mut self.input).take(BATCH as u64).read_to_end(bytes)?;
        self.done = bytes.len() < BATCH;
        if self.done || bytes.last() == Some(&b'\n') {
            return Ok(None);
        }
        let rest = Read::by_ref(&mut self.input).take(LONGEST_LINE as u64 + 1).read_until(b'\n', bytes)?;
        if rest <= LONGEST_LINE {
            return Ok(None);
        }
        let message = format!("a line of more than {} MiB", LONGEST_LINE >> 20);
        let mut diagnostic = Diagnostic::of_file(self.name, message, "write one entity a line");
        let start = memchr::memrchr(b'\n', bytes).map_or(0, |newline| newline + 1);
        bytes.truncate(start);
        let lines = memchr::memchr_iter(b'\n', bytes).count() as u32;
        diagnostic.mark.line = Some(self.next_line + lines);
        Ok(Some(diagnostic))
    }
}

impl Cut {
    /// What its lines come to, and what is wrong with them.
    fn parse(self, name: &str, first: bool) -> (Batch, Diagnostics) {
        let mut diagnostics = Diagnostics::default();
        let text = text(name, self.first_line, self.bytes, &mut diagnostics);
        let raw = Raw { first_line: self.first_line, text, arena: self.arena };
        let batch = Batch::new(raw, |raw| items(name, raw, first, &mut diagnostics));
        if let Some(trouble) = self.trouble {
            diagnostics.push(trouble);
        }
        (batch, diagnostics)
    }
}

/// Lines as text; one that is not text is reported, and blank.
fn text(name: &str, first_line: u32, bytes: Vec<u8>, diagnostics: &mut Diagnostics) -> String {
    let begins_oddly = bytes.starts_with(&[0xef, 0xbb, 0xbf]);
    let bytes = match String::from_utf8(bytes) {
        Ok(text) if !begins_oddly && memchr::memchr(0, text.as_bytes()).is_none() => return text,
        Ok(text) => text.into_bytes(),
        Err(error) => error.into_bytes(),
    };
    let mut sound = String::with_capacity(bytes.len());
    for (line, number) in bytes.split(|byte| *byte == b'\n').zip(first_line..) {
        if !line.trim_ascii().is_empty() {
            match crate::text::text(name, line.to_vec()) {
                Ok(line) => sound.push_str(&line),
                Err(mut diagnostic) => {
                    diagnostic.mark.line = Some(number);
                    diagnostics.push(diagnostic);
                }
            }
        }
        sound.push('\n');
    }
    sound
}

fn items<'a>(name: &str, raw: &'a Raw, first: bool, diagnostics: &mut Diagnostics) -> Items<'a> {
    let mut items = Vec::with_capacity(memchr::memchr_iter(b'\n', raw.text.as_bytes()).count() + 1);
    let mut tape = Tape::default();
    // Whether the version was said matters on the first line only.
    let mut seen = Seen { version: !first, ..Seen::default() };
    for (line, number) in whole_lines(&raw.text).zip(raw.first_line..) {
        if line.trim_ascii().is_empty() {
            continue;
        }
        let mut report = Report::new(name, line, number, diagnostics);
        if let Err(error) = item(line, number, &mut tape, &raw.arena, &mut seen, &mut report, &mut items) {
            let message = format!("not JSON that is accepted: {}", error.message);
            report.wrong_at(error.at, 1, message, HOW_WRITTEN);
        }
    }
    items
}

/// The lines of a text.
fn whole_lines(text: &str) -> impl Iterator<Item = &str> {
    let ends = memchr::memchr_iter(b'\n', text.as_bytes()).chain(std::iter::once(text.len()));
    let mut start = 0;
    ends.map(move |end| {
        let line = &text[start..end];
        start = end + 1;
        line
    })
}

/// Reads one line: the header, or one entity.
fn item<'a>(
    line: &'a str,
    number: u32,
    tape: &mut Tape<'a>,
    arena: &'a Bump,
    seen: &mut Seen,
    report: &mut Report<'_>,
    items: &mut Items<'a>,
) -> Result<(), JsonError> {
    let mut cursor = Cursor::of_line(line, number);
    cursor.value(&mut Writer::new(tape, arena))?;
    cursor.finish()?;
    let root = tape.root(arena);
    let mut entries = root.entries();
    let Some((key, value)) = entries.next() else {
        report.expected(root, "an entity: {\"function\": {…}}");
        return Ok(());
    };
    let name = scalar_text(key.value()).unwrap_or_default();
    if FIELDS.contains(&name) {
        for (key, value) in root.entries() {
            let name = scalar_text(key.value()).unwrap_or_default();
            if let Some(field) = FIELDS.into_iter().find(|field| *field == name) {
                items.extend(header(field, value, seen, report).map(|said| Item::Said(said, value.at())));
            } else {
                report.unknown_field(key, "a field of the first line", name, FIELDS.into_iter());
            }
        }
        return Ok(());
    }
    if !seen.version {
        report.wrong(root, "the first line does not say the version", "begin with {\"estate\": 1}");
        seen.version = true;
    }
    if entries.next().is_some() {
        let help = "put the fields into the entity: {\"function\": {\"id\": …}}";
        report.wrong(root, "a line holds one entity, under the name of its kind", help);
    } else if KINDS.contains(&name) {
        items.extend(Entity::read(name, value, report).map(Item::Entity));
    } else {
        report.unknown_field(key, "a kind of entity", name, KINDS.iter().copied());
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::sync::atomic::{AtomicUsize, Ordering};
    use std::time::Duration;

    use super::*;

    /// An input that tells how much of it was read.
    struct Counted<'c, R>(R, &'c AtomicUsize);

    impl<R: Read> Read for Counted<'_, R> {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            let length = self.0.read(buffer)?;
            self.1.fetch_add(length, Ordering::SeqCst);
            Ok(length)
        }
    }

    #[test]
    fn reading_does_not_run_ahead_of_what_is_taken() {
        let mut text = "{\"estate\": 1}\n".to_owned();
        for number in 0..100_000 {
            text.push_str(&format!("{{\"scope\": {{\"id\": \"berth-{number}\", \"kind\": \"app\"}}}}\n"));
        }
        let read_so_far = AtomicUsize::new(0);
        let threads = std::thread::available_parallelism().map_or(1, usize::from);
        // What the threads have, and what the buffer before them holds.
        let most_ahead = (threads * BATCHES + 2) * (BATCH + BATCH / 8);
        let (mut taken, mut entities) = (0, 0);
        read("quay.ndjson", Counted(text.as_bytes(), &read_so_far), |batch, diagnostics| {
            assert!(diagnostics.is_empty());
            std::thread::sleep(Duration::from_millis(5));
            let ahead = read_so_far.load(Ordering::SeqCst) - taken;
            assert!(ahead <= most_ahead, "{ahead} bytes were read and not taken");
            taken += batch.borrow_owner().text.len();
            entities +=
                batch.borrow_dependent().iter().filter(|item| matches!(item, Item::Entity(_))).count();
        });
        assert_eq!((taken, entities), (text.len(), 100_000));
    }
}
