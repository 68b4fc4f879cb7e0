//! Adding up the lines of one thread: what is alike is known again by a keyed hash of what it says, so that it is
//! attributed once.

use hashbrown::{HashMap, HashTable};
use pasaporte_core::estate::CameFrom;
use rustc_hash::FxBuildHasher;
use siphasher::sip128::SipHasher13;
use smallvec::SmallVec;

use crate::coverage::Covers;
use crate::event::Event;
use crate::format::{Bad, Columns, CoversSaid, Format, Take, read};
use crate::input::Batch;
use crate::ledger::{Name, Span};
use crate::part::{Part, Reading};

/// An event that was met: the hash of what it says, and what it came to. Three lots of four bytes for the hash: two that
/// differ are as good as never taken for one.
#[derive(Debug, Clone, Copy)]
struct Met {
    hash: u64,
    check: u32,
    /// A row; or, from the highest down, the place of what came to more than a row.
    came_to: u32,
}

/// From here on it is the place of what came to more.
const MORE: u32 = 1 << 31;

/// What an event came to, kept by what it says: those that say the same come to the same.
#[derive(Debug, Clone, Default)]
pub(crate) struct Known {
    pub(crate) rows: SmallVec<[u32; 2]>,
    /// The host that it called, and its account: the place among those of the thread.
    pub(crate) host: Option<u32>,
    pub(crate) unplaced: Option<String>,
}

/// Kinds of events that are kept; then it is begun anew. Each takes 16 bytes.
const KEPT: usize = 1 << 21;
/// Names that are kept with what they name.
pub(crate) const NAMES: usize = 1 << 18;
/// Clients that are kept.
const CLIENTS: usize = 1 << 16;

/// Adds up the lines of a thread.
pub(crate) struct Digester<'r, 'e> {
    pub(crate) reading: Reading<'r, 'e>,
    format: Format,
    columns: &'r Columns,
    clients_hash: pasaporte_read::seal::Clients,
    pub(crate) part: Part,
    met: HashTable<Met>,
    more: Vec<Known>,
    /// What texts name, as far as the estate knows it.
    pub(crate) named: [HashMap<Box<str>, Option<Name>, FxBuildHasher>; 2],
    scratch: Vec<u8>,
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
            met: HashTable::new(),
            more: Vec::new(),
            named: [HashMap::default(), HashMap::default()],
            scratch: Vec::new(),
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

    /// A hash of what an event says, without when it was and from whom it came.
    fn identity(&mut self, event: &Event<'_>, from: CameFrom) -> (u64, u32) {
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
        let all = &mut self.scratch;
        all.clear();
        let mut there = u32::from(event.tells_all) << 20 | (from as u32) << 24;
        for (place, text) in texts.iter().enumerate() {
            if let Some(text) = text {
                there |= 1 << place;
                all.extend_from_slice(text.as_bytes());
                all.push(0xff);
            }
        }
        for credential in &event.credentials {
            all.extend_from_slice(&[0xfe, credential.place as u8]);
            all.extend_from_slice(credential.name.as_bytes());
            all.push(0xff);
            all.extend_from_slice(credential.value.as_bytes());
            all.push(0xff);
        }
        all.extend_from_slice(&there.to_le_bytes());
        all.extend_from_slice(&event.status.unwrap_or_default().to_le_bytes());
        let hash = SipHasher13::new_with_keys(self.keys.0, self.keys.1).hash(all);
        (hash.h1, hash.h2 as u32)
    }

    /// Keeps what an event came to.
    fn keep(&mut self, (hash, check): (u64, u32), known: Known) {
        if self.met.len() >= KEPT {
            self.met.clear();
            self.more.clear();
        }
        let came_to = match known {
            Known { ref rows, host: None, unplaced: None } if rows.len() == 1 && rows[0] < MORE => rows[0],
            known => {
                self.more.push(known);
                MORE | (self.more.len() - 1) as u32
            }
        };
        self.met.insert_unique(hash, Met { hash, check, came_to }, |it| it.hash);
    }

    fn count(&mut self, known: &Known, event: &Event<'_>, client: Option<u32>) {
        let count = event.count.unwrap_or(1);
        for &row in &known.rows {
            self.part.ledger.tallies[row as usize].add(count, event.first, event.last, client);
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
            self.scratch.clear();
            self.scratch.extend_from_slice(source.as_bytes());
            self.scratch.push(0xff);
            self.scratch.extend_from_slice(id.as_bytes());
            let id = SipHasher13::new_with_keys(self.keys.0, self.keys.1).hash(&self.scratch).h1;
            if self.reading.recent.met(id) {
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
        let is_it = |it: &Met| (it.hash, it.check) == identity;
        if let Some(met) = self.met.find(identity.0, is_it).copied() {
            if met.came_to < MORE {
                let count = event.count.unwrap_or(1);
                self.part.ledger.tallies[met.came_to as usize].add(count, event.first, event.last, client);
                self.part.placed += 1;
            } else {
                let known = std::mem::take(&mut self.more[(met.came_to ^ MORE) as usize]);
                self.count(&known, event, client);
                self.more[(met.came_to ^ MORE) as usize] = known;
            }
            return Ok(());
        }
        let known = self.resolve(event, from)?;
        self.count(&known, event, client);
        self.keep(identity, known);
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
