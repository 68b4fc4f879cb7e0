//! The ledger: rows that add up, by what they say.
//!
//! Names are written as the estate writes them and kept once; so a ledger of one thread is merged with another's, and the
//! ledgers of parts are that of the whole.

use std::collections::BTreeMap;
use std::hash::BuildHasher;

use hashbrown::HashTable;
use pasaporte_core::estate::{Answered, CameFrom, MOST_CLIENTS, Outcome, SeenIn};
use rustc_hash::FxBuildHasher;

/// A name in a ledger.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Name(pub(crate) u32);

/// What a caller showed, in the words of the estate format.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Showed {
    /// As written: `nothing`, `unsaid`, `key:ID` …
    Said(Name),
    /// A token of an issuer, to a subject.
    Issued(Option<Name>, Option<Name>),
}

/// What a row says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Row {
    /// Somebody did something.
    Used {
        /// Who.
        who: Name,
        /// What.
        did: Name,
        /// To what.
        to: Option<Name>,
        /// What became of it.
        outcome: Outcome,
        /// The trigger that made a function run.
        through: Option<Name>,
    },
    /// An endpoint was called.
    Called {
        /// Which.
        endpoint: Name,
        /// By which method.
        method: Name,
        /// With what answer.
        answered: Answered,
        /// What was shown.
        showed: Showed,
        /// From where.
        from: CameFrom,
    },
    /// A key or token was seen.
    Seen {
        /// Which.
        showed: Showed,
        /// In what.
        place: SeenIn,
        /// Of what.
        on: Option<Name>,
    },
}

/// What a row adds up to. There are as many of these as rows, and each line touches one: all of it lies together.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Tally {
    pub(crate) count: u64,
    first: i64,
    last: i64,
    /// The least hashes of clients, in order.
    clients: [u32; MOST_CLIENTS],
    known_clients: u8,
}

/// No time.
const NEVER: (i64, i64) = (i64::MAX, i64::MIN);

impl Default for Tally {
    fn default() -> Self {
        Self { count: 0, first: NEVER.0, last: NEVER.1, clients: [0; MOST_CLIENTS], known_clients: 0 }
    }
}

impl Tally {
    pub(crate) fn add(&mut self, count: u64, first: Option<i64>, last: Option<i64>, client: Option<u32>) {
        self.count = self.count.saturating_add(count);
        self.first = self.first.min(first.unwrap_or(NEVER.0));
        self.last = self.last.max(last.unwrap_or(NEVER.1));
        if let Some(client) = client {
            self.client(client);
        }
    }

    /// Something of its beginning and its end, so that all of it is at hand.
    pub(crate) fn touched(&self) -> u64 {
        self.count ^ u64::from(self.clients[MOST_CLIENTS - 1])
    }

    pub(crate) fn first(&self) -> Option<i64> {
        (self.first != NEVER.0).then_some(self.first)
    }

    pub(crate) fn last(&self) -> Option<i64> {
        (self.last != NEVER.1).then_some(self.last)
    }

    pub(crate) fn clients(&self) -> &[u32] {
        &self.clients[..usize::from(self.known_clients)]
    }

    fn client(&mut self, client: u32) {
        let known = usize::from(self.known_clients);
        // Most rows have their fill after a few lines.
        if known == MOST_CLIENTS && client >= self.clients[MOST_CLIENTS - 1] {
            return;
        }
        if let Err(place) = self.clients[..known].binary_search(&client) {
            let end = known.min(MOST_CLIENTS - 1);
            self.clients.copy_within(place..end, place + 1);
            self.clients[place] = client;
            self.known_clients = (end + 1) as u8;
        }
    }

    fn merge(&mut self, other: &Self) {
        self.add(other.count, other.first(), other.last(), None);
        for &client in other.clients() {
            self.client(client);
        }
    }
}

/// The time that a log covers of something: of an account, the host called; or of all that was read.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) struct Span {
    pub(crate) first: i64,
    pub(crate) last: i64,
    pub(crate) lines: u64,
}

impl Span {
    pub(crate) fn add(&mut self, other: Self) {
        self.first = self.first.min(other.first);
        self.last = self.last.max(other.last);
        self.lines = self.lines.saturating_add(other.lines);
    }
}

/// Rows that add up.
#[derive(Debug, Default)]
pub struct Ledger {
    /// Names by their texts, and rows by what they say: numbers alone, so that these tables stay small.
    names: HashTable<u32>,
    texts: Vec<Box<str>>,
    places: HashTable<u32>,
    pub(crate) rows: Vec<Row>,
    pub(crate) tallies: Vec<Tally>,
    /// Of each account and host that was called, from when until when.
    pub(crate) hosts: BTreeMap<(String, String), Span>,
}

impl Ledger {
    pub(crate) fn name(&mut self, text: &str) -> Name {
        let hash = |text: &str| FxBuildHasher.hash_one(text);
        let new = self.texts.len() as u32;
        let texts = &mut self.texts;
        let known = self.names.entry(
            hash(text),
            |name| *texts[*name as usize] == *text,
            |name| hash(&texts[*name as usize]),
        );
        let name = *known.or_insert(new).get();
        if name == new {
            texts.push(text.into());
        }
        Name(name)
    }

    pub(crate) fn text(&self, name: Name) -> &str {
        &self.texts[name.0 as usize]
    }

    /// The place of a row.
    pub(crate) fn place(&mut self, row: Row) -> u32 {
        let hash = |row: &Row| FxBuildHasher.hash_one(row);
        let new = self.rows.len() as u32;
        let rows = &mut self.rows;
        let known = self.places.entry(
            hash(&row),
            |place| rows[*place as usize] == row,
            |place| hash(&rows[*place as usize]),
        );
        let place = *known.or_insert(new).get();
        if place == new {
            rows.push(row);
            self.tallies.push(Tally::default());
        }
        place
    }

    /// Adds the rows of another.
    pub(crate) fn merge(&mut self, other: Self) {
        if self.rows.is_empty() && self.hosts.is_empty() {
            *self = other;
            return;
        }
        let names: Vec<Name> = other.texts.iter().map(|text| self.name(text)).collect();
        let rows = &self.rows;
        self.places.reserve(other.rows.len() / 2, |place| FxBuildHasher.hash_one(rows[*place as usize]));
        for (row, tally) in other.rows.iter().zip(&other.tallies) {
            let place = self.place(row.renamed(&names));
            self.tallies[place as usize].merge(tally);
        }
        for (host, span) in other.hosts {
            match self.hosts.get_mut(&host) {
                Some(known) => known.add(span),
                None => {
                    self.hosts.insert(host, span);
                }
            }
        }
    }

    /// Each row with what it adds up to.
    pub(crate) fn all(&self) -> impl Iterator<Item = (Row, &Tally)> {
        self.rows.iter().copied().zip(&self.tallies)
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }
}

impl Row {
    /// The same with names of another ledger, by their places there.
    fn renamed(self, names: &[Name]) -> Self {
        let name = |name: Name| names[name.0 as usize];
        match self {
            Self::Used { who, did, to, outcome, through } => Self::Used {
                who: name(who),
                did: name(did),
                to: to.map(name),
                outcome,
                through: through.map(name),
            },
            Self::Called { endpoint, method, answered, showed, from } => Self::Called {
                endpoint: name(endpoint),
                method: name(method),
                answered,
                showed: showed.renamed(name),
                from,
            },
            Self::Seen { showed, place, on } => {
                Self::Seen { showed: showed.renamed(name), place, on: on.map(name) }
            }
        }
    }
}

impl Showed {
    fn renamed(self, name: impl Fn(Name) -> Name) -> Self {
        match self {
            Self::Said(said) => Self::Said(name(said)),
            Self::Issued(issuer, subject) => Self::Issued(issuer.map(&name), subject.map(name)),
        }
    }
}
