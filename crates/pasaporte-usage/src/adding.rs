//! Adding up the lines of one thread: what is alike is known again by a keyed hash of what it says, so that it is
//! attributed once. Events are noted as they are read and added up some hundred at a time: what they touch of tables that
//! are larger than a processor's caches is fetched for all of them at once.

use std::hint::black_box;

use pasaporte_core::estate::CameFrom;
use smallvec::SmallVec;

use crate::clients::Clients;
use crate::coverage::Covers;
use crate::event::Event;
use crate::format::{Bad, CoversSaid, Reader, Take};
use crate::input::Batch;
use crate::ledger::{Name, Span};
use crate::met::{Identity, Met};
use crate::notes::{Adding, Note, Notes};
use crate::part::{Part, Reading};
use crate::places::Places;

/// From here on what an event came to is the place of more than a row.
const MORE: u32 = 1 << 31;

/// What an event came to, kept by what it says: those that say the same come to the same.
#[derive(Debug, Clone, Default)]
pub(crate) struct Known {
    pub(crate) rows: SmallVec<[u32; 2]>,
    /// The host that it called, and its account: the place among those of the thread.
    pub(crate) host: Option<u32>,
    pub(crate) unplaced: Option<String>,
}

/// Kinds of events that are kept; then it is begun anew. Each takes 16 to 50 bytes.
const KEPT: usize = 5 << 18;
/// Names that are kept with what they name.
const NAMES: usize = 1 << 18;
/// What a text comes to that names nothing that the estate knows.
const UNKNOWN: u32 = u32::MAX - 1;

/// Of what a text may be the name.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Named {
    Somebody,
    Something,
    Action,
}

/// Adds up the lines of a thread.
pub(crate) struct Digester<'r, 'e> {
    pub(crate) reading: Reading<'r, 'e>,
    clients: Clients<'r, 'e>,
    pub(crate) part: Part,
    /// The number of the line that is read.
    line: u64,
    notes: Notes,
    /// Lines that could not be used, of those that notes wait of; and the last of which that was only seen later.
    bad: Vec<u64>,
    bad_since: Option<u64>,
    met: Met,
    more: Vec<Known>,
    /// What texts name: a name of the ledger, or nothing that the estate knows.
    named: Met,
    scratch: Vec<u8>,
    pub(crate) hosts: Vec<((String, String), Option<Span>)>,
    /// Keys of the hash by which events are known again; nobody outside can make two that collide.
    keys: (u64, u64),
}

impl<'r, 'e> Digester<'r, 'e> {
    pub(crate) fn new(reading: Reading<'r, 'e>) -> Self {
        let seal = reading.secrets.seal();
        let number = |text: &str| u64::from_str_radix(&seal.fingerprint(text)[..16], 16).unwrap_or_default();
        let keys = (number("events"), number("of one kind"));
        Self {
            reading,
            clients: Clients::new(seal.clients(), reading.places, keys),
            part: Part::default(),
            line: 0,
            notes: Notes::default(),
            bad: Vec::new(),
            bad_since: None,
            met: Met::default(),
            more: Vec::new(),
            named: Met::default(),
            scratch: Vec::new(),
            hosts: Vec::new(),
            keys,
        }
    }

    pub(crate) fn batch(&mut self, reader: &mut Reader<'_>, batch: &Batch) {
        for line in &batch.too_long {
            self.part.lines += 1;
            self.part.bad.add(*line, Bad::TooLong);
        }
        let mut start = 0;
        let ends = memchr::memchr_iter(b'\n', &batch.bytes).chain(std::iter::once(batch.bytes.len()));
        // Nearly all batches are text as a whole.
        let whole = std::str::from_utf8(&batch.bytes).ok();
        for (number, end) in (batch.first_line..).zip(ends) {
            match whole {
                Some(text) => self.text(reader, &text[start..end], number),
                None => self.bytes(reader, &batch.bytes[start..end], number),
            }
            start = end + 1;
            if start >= batch.bytes.len() {
                break;
            }
        }
        self.add_up();
    }

    pub(crate) fn line(&mut self, reader: &mut Reader<'_>, line: &[u8], number: u64) {
        self.bytes(reader, line, number);
        self.add_up();
    }

    fn bytes(&mut self, reader: &mut Reader<'_>, line: &[u8], number: u64) {
        if let Ok(text) = std::str::from_utf8(line) {
            self.text(reader, text, number);
        } else {
            self.part.lines += 1;
            self.part.bad.add(number, Bad::NotText);
        }
    }

    fn text(&mut self, reader: &mut Reader<'_>, line: &str, number: u64) {
        let line = line.strip_prefix('\u{feff}').unwrap_or(line);
        let is_blank = |byte: u8| byte.is_ascii_whitespace();
        if line.bytes().all(is_blank) || reader.is_heading(number) {
            return;
        }
        self.part.lines += 1;
        self.line = number;
        if let Err(bad) = reader.read(line, self)
            && self.bad_since != Some(number)
        {
            self.part.bad.add(number, bad);
            self.bad.push(number);
        }
    }

    /// What was noted is looked up and counted.
    fn add_up(&mut self) {
        let notes = std::mem::take(&mut self.notes);
        if self.met.len() >= KEPT {
            self.met.clear();
            self.more.clear();
        }
        self.met.fetch(notes.all.iter().map(|note| note.identity));
        let came_to: Vec<Option<u32>> = notes.all.iter().map(|note| self.came_to(&notes, note)).collect();
        let tallies = &self.part.ledger.tallies;
        let rows = came_to.iter().flatten().filter(|it| **it < MORE);
        black_box(rows.fold(0, |sum, row| sum ^ tallies[*row as usize].touched()));
        for (note, came_to) in notes.all.iter().zip(came_to) {
            match came_to {
                Some(row) if row < MORE => {
                    let it = note.adding;
                    self.part.ledger.tallies[row as usize].add(it.count, it.first, it.last, it.client);
                    self.part.placed += 1;
                }
                Some(more) => {
                    let known = &self.more[(more ^ MORE) as usize];
                    count(&mut self.part, &mut self.hosts, known, note.adding);
                }
                None => {}
            }
        }
        self.bad.clear();
        self.notes = notes;
        self.notes.clear();
        self.settle_hosts();
    }

    /// What an event came to, now or when it was met; nothing where its line is none of the format after all.
    fn came_to(&mut self, notes: &Notes, note: &Note) -> Option<u32> {
        if let Some(met) = self.met.get(note.identity) {
            return Some(met);
        }
        match self.resolve(&notes.event(note), note.from) {
            Ok(known) => Some(self.keep(note.identity, known)),
            Err(bad) => {
                // A line is bad once, whatever is wrong with it.
                if self.bad_since != Some(note.line) && self.bad.binary_search(&note.line).is_err() {
                    self.part.bad.add(note.line, bad);
                    self.bad_since = Some(note.line);
                }
                None
            }
        }
    }

    /// Spans of hosts go to the ledger, so that all of a part is in one place.
    fn settle_hosts(&mut self) {
        for (host, span) in &mut self.hosts {
            let Some(span) = span.take() else { continue };
            match self.part.ledger.hosts.get_mut(host) {
                Some(known) => known.add(span),
                None => {
                    self.part.ledger.hosts.insert(host.clone(), span);
                }
            }
        }
    }

    /// What a text names, as the estate writes it: looked up once.
    pub(crate) fn named(
        &mut self,
        what: Named,
        text: &str,
        find: impl FnOnce(&Places<'_>) -> Option<String>,
    ) -> Option<Name> {
        self.scratch.clear();
        self.scratch.push(what as u8);
        self.scratch.extend_from_slice(text.as_bytes());
        let identity = Identity::of(self.keys, &self.scratch);
        if let Some(met) = self.named.get(identity) {
            return (met != UNKNOWN).then_some(Name(met));
        }
        let found = find(self.reading.places).map(|label| self.part.ledger.name(&label));
        if self.named.len() >= NAMES {
            self.named.clear();
        }
        self.named.insert(identity, found.map_or(UNKNOWN, |name| name.0));
        found
    }

    /// Keeps what an event came to.
    fn keep(&mut self, identity: Identity, known: Known) -> u32 {
        let came_to = match known {
            Known { ref rows, host: None, unplaced: None } if rows.len() == 1 && rows[0] < MORE => rows[0],
            known => {
                self.more.push(known);
                MORE | (self.more.len() - 1) as u32
            }
        };
        self.met.insert(identity, came_to);
        came_to
    }
}

/// Counts an event in whatever it came to.
fn count(part: &mut Part, hosts: &mut [((String, String), Option<Span>)], known: &Known, it: Adding) {
    for &row in &known.rows {
        part.ledger.tallies[row as usize].add(it.count, it.first, it.last, it.client);
    }
    let span = it.first.zip(it.last).map(|(first, last)| Span { first, last, lines: 1 });
    if let (Some(host), Some(span)) = (known.host, span) {
        match &mut hosts[host as usize].1 {
            Some(known) => known.add(span),
            slot => *slot = Some(span),
        }
    }
    if !known.rows.is_empty() {
        part.placed += 1;
    } else if let Some(what) = &known.unplaced {
        part.unplaced.add(what, it.count);
    }
}

impl Take for Digester<'_, '_> {
    fn event(&mut self, event: &Event<'_>) -> Result<(), Bad> {
        if event.is_empty() {
            return Err(Bad::SaysNothing);
        }
        if event.last.or(event.first).is_some_and(|time| time > self.reading.wanted.until) {
            return Err(Bad::Future);
        }
        if let Some((source, id)) = event.id {
            self.scratch.clear();
            self.scratch.extend_from_slice(source.as_bytes());
            self.scratch.push(0xff);
            self.scratch.extend_from_slice(id.as_bytes());
            if self.reading.recent.met(Identity::of(self.keys, &self.scratch).hash) {
                self.part.twice += 1;
                return Ok(());
            }
        }
        self.part.events += 1;
        if let (Some(first), Some(last)) = (event.first, event.last) {
            let span = Span { first, last, lines: 1 };
            match &mut self.part.span {
                Some(known) => known.add(span),
                none => *none = Some(span),
            }
        }
        let client = event.client.filter(|client| *client != "-").map(|address| self.clients.get(address));
        let (client, from) = (client.map(|it| it.0), client.map_or(CameFrom::Unsaid, |it| it.1));
        let adding = Adding::of(event, client);
        // What code writes is hardly ever the same twice.
        if let Some(text) = event.text {
            let known = self.of_text(event, text);
            count(&mut self.part, &mut self.hosts, &known, adding);
            if event.path.is_none() && event.did.is_none() && event.endpoint.is_none() {
                return Ok(());
            }
        }
        self.notes.add(self.keys, event, (adding, from), self.line);
        if self.notes.is_full() {
            self.add_up();
        }
        Ok(())
    }

    fn covers(&mut self, said: CoversSaid) -> Result<(), Bad> {
        let covers = Covers::of(&said.scope, said.actions).map_err(|_| Bad::CoversNothing)?;
        if !self.reading.places.has_scope(&covers.scope) {
            return Err(Bad::CoversNothing);
        }
        self.part.said.push((covers, said.from, said.to));
        Ok(())
    }
}
