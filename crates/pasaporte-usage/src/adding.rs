//! Adding up the lines of one thread: what is alike is known again by a keyed hash of what it says, so that it is
//! attributed once.

use std::collections::{HashSet, VecDeque};
use std::hash::{BuildHasherDefault, Hasher};

use hashbrown::HashMap;
use pasaporte_core::estate::CameFrom;
use rustc_hash::FxBuildHasher;
use siphasher::sip128::{Hasher128, SipHasher13};
use smallvec::SmallVec;

use crate::coverage::Covers;
use crate::digest::{Part, Reading};
use crate::event::Event;
use crate::format::{Bad, Columns, CoversSaid, Format, Take, read};
use crate::input::Batch;
use crate::ledger::Span;

/// Ids of events that were met, the last of them: what is written twice is written twice within a short time.
#[derive(Debug, Default)]
pub(crate) struct Recent {
    known: HashSet<u64, FxBuildHasher>,
    order: VecDeque<u64>,
}

/// Ids that are remembered.
const REMEMBERED: usize = 1 << 20;

impl Recent {
    /// Whether an id was met before.
    fn met(&mut self, id: u64) -> bool {
        if !self.known.insert(id) {
            return true;
        }
        self.order.push_back(id);
        if self.order.len() > REMEMBERED
            && let Some(oldest) = self.order.pop_front()
        {
            self.known.remove(&oldest);
        }
        false
    }
}

/// A hash that is one already.
#[derive(Debug, Default, Clone, Copy)]
struct AsItIs(u64);

impl Hasher for AsItIs {
    fn finish(&self) -> u64 {
        self.0
    }
    fn write(&mut self, bytes: &[u8]) {
        for byte in bytes {
            self.0 = (self.0 << 8) | u64::from(*byte);
        }
    }
    fn write_u128(&mut self, number: u128) {
        self.0 = number as u64;
    }
}

/// What an event came to, kept by what it says: those that say the same come to the same.
#[derive(Debug, Clone, Default)]
pub(crate) struct Known {
    pub(crate) rows: SmallVec<[u32; 2]>,
    /// The host that it called, and its account: the place among those of the thread.
    pub(crate) host: Option<u32>,
    pub(crate) unplaced: Option<String>,
}

/// Kinds of events that are kept; then it is begun anew.
const KEPT: usize = 1 << 18;
/// Clients that are kept.
const CLIENTS: usize = 1 << 16;

/// Adds up the lines of a thread.
pub(crate) struct Digester<'r, 'e> {
    pub(crate) reading: Reading<'r, 'e>,
    format: Format,
    columns: &'r Columns,
    clients_hash: pasaporte_read::seal::Clients,
    pub(crate) part: Part,
    known: HashMap<u128, Known, BuildHasherDefault<AsItIs>>,
    clients: HashMap<Box<str>, (u32, CameFrom), FxBuildHasher>,
    pub(crate) hosts: Vec<((String, String), Option<Span>)>,
    /// Keys of the hash by which events are known again; nobody outside can make two that collide.
    keys: (u64, u64),
}

impl<'r, 'e> Digester<'r, 'e> {
    pub(crate) fn new(reading: Reading<'r, 'e>, format: Format, columns: &'r Columns) -> Self {
        let seal = reading.secrets.seal();
        let number = |text: &str| u64::from_str_radix(&seal.fingerprint(text)[..16], 16).unwrap_or_default();
        Self {
            reading,
            format,
            columns,
            clients_hash: seal.clients(),
            part: Part::default(),
            known: HashMap::default(),
            clients: HashMap::default(),
            hosts: Vec::new(),
            keys: (number("events"), number("of one kind")),
        }
    }

    pub(crate) fn batch(&mut self, batch: &Batch) {
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
                Some(text) => self.text(&text[start..end], number),
                None => self.line(&batch.bytes[start..end], number),
            }
            start = end + 1;
            if start >= batch.bytes.len() {
                break;
            }
        }
        self.settle_hosts();
    }

    pub(crate) fn line(&mut self, line: &[u8], number: u64) {
        if let Ok(text) = std::str::from_utf8(line) {
            self.text(text, number);
        } else {
            self.part.lines += 1;
            self.part.bad.add(number, Bad::NotText);
        }
        self.settle_hosts();
    }

    fn text(&mut self, line: &str, number: u64) {
        let line = line.strip_prefix('\u{feff}').unwrap_or(line);
        if line.trim_ascii().is_empty() || (self.format == Format::Table && number == 1) {
            return;
        }
        self.part.lines += 1;
        let (format, columns) = (self.format, self.columns);
        if let Err(bad) = read(format, columns, line, self) {
            self.part.bad.add(number, bad);
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

    fn client(&mut self, address: &str) -> (u32, CameFrom) {
        if let Some(known) = self.clients.get(address) {
            return *known;
        }
        if self.clients.len() >= CLIENTS {
            self.clients.clear();
        }
        let it = (self.clients_hash.hash(address), self.reading.places.came_from(address));
        self.clients.insert(address.into(), it);
        it
    }

    /// What an event says, without when it was and from whom it came.
    fn identity(&self, event: &Event<'_>, from: CameFrom) -> u128 {
        let mut hasher = SipHasher13::new_with_keys(self.keys.0, self.keys.1);
        let texts = [
            event.who,
            event.did,
            event.to,
            event.outcome,
            event.through,
            event.endpoint,
            event.host,
            event.path,
            event.method,
            event.function,
            event.showed,
            event.issuer,
            event.user,
        ];
        let mut there = 0_u32;
        for (place, text) in texts.iter().enumerate() {
            if let Some(text) = text {
                there |= 1 << place;
                hasher.write(text.as_bytes());
                hasher.write(&[0xff]);
            }
        }
        for credential in &event.credentials {
            hasher.write(&[0xfe, credential.place as u8]);
            hasher.write(credential.name.as_bytes());
            hasher.write(&[0xff]);
            hasher.write(credential.value.as_bytes());
            hasher.write(&[0xff]);
        }
        hasher.write_u32(there | u32::from(event.tells_all) << 20 | (from as u32) << 24);
        hasher.write_u16(event.status.unwrap_or_default());
        hasher.finish128().as_u128()
    }

    fn count(&mut self, known: &Known, event: &Event<'_>, client: Option<u32>) {
        let count = event.count.unwrap_or(1);
        for &row in &known.rows {
            self.part.ledger.rows[row as usize].1.add(count, event.first, event.last, client);
        }
        let span = event.first.zip(event.last).map(|(first, last)| Span { first, last, lines: 1 });
        if let (Some(host), Some(span)) = (known.host, span) {
            match &mut self.hosts[host as usize].1 {
                Some(known) => known.add(span),
                none => *none = Some(span),
            }
        }
        if known.rows.is_empty() {
            if let Some(what) = &known.unplaced {
                self.part.unplaced.add(what, count);
            }
        } else {
            self.part.placed += 1;
        }
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
            let mut hasher = SipHasher13::new_with_keys(self.keys.0, self.keys.1);
            hasher.write(source.as_bytes());
            hasher.write(&[0xff]);
            hasher.write(id.as_bytes());
            let id = hasher.finish128().h1;
            if self.reading.recent.lock().expect("nobody panics while holding it").met(id) {
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
        let (client, from) = match event.client.filter(|client| *client != "-") {
            Some(address) => {
                let (client, from) = self.client(address);
                (Some(client), from)
            }
            None => (None, CameFrom::Unsaid),
        };
        // What code writes is hardly ever the same twice.
        if let Some(text) = event.text {
            let known = self.of_text(event, text);
            self.count(&known, event, client);
            if event.path.is_none() && event.did.is_none() && event.endpoint.is_none() {
                return Ok(());
            }
        }
        let identity = self.identity(event, from);
        if let Some(known) = self.known.get(&identity) {
            let known = known.clone();
            self.count(&known, event, client);
            return Ok(());
        }
        let known = self.resolve(event, from)?;
        self.count(&known, event, client);
        if self.known.len() >= KEPT {
            self.known.clear();
        }
        self.known.insert(identity, known);
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
