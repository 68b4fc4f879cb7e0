//! The ledger: rows that add up, by what they say.
//!
//! Names are written as the estate writes them and kept once; so a ledger of one thread is merged with another's, and the
//! ledgers of parts are that of the whole.

use std::collections::BTreeMap;

use hashbrown::HashMap;
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

/// What a row adds up to.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Tally {
    pub(crate) count: u64,
    pub(crate) first: Option<i64>,
    pub(crate) last: Option<i64>,
    /// The least hashes of clients, in order.
    pub(crate) clients: Vec<u32>,
}

impl Tally {
    pub(crate) fn add(&mut self, count: u64, first: Option<i64>, last: Option<i64>, client: Option<u32>) {
        self.count = self.count.saturating_add(count);
        self.widen(first, last);
        if let Some(client) = client {
            self.client(client);
        }
    }

    fn widen(&mut self, first: Option<i64>, last: Option<i64>) {
        if let Some(first) = first {
            self.first = Some(self.first.map_or(first, |known| known.min(first)));
        }
        self.last = self.last.max(last);
    }

    fn client(&mut self, client: u32) {
        // Most rows have their fill after a few lines.
        if self.clients.len() == MOST_CLIENTS && self.clients.last().is_some_and(|last| client >= *last) {
            return;
        }
        if let Err(place) = self.clients.binary_search(&client) {
            self.clients.insert(place, client);
            self.clients.truncate(MOST_CLIENTS);
        }
    }

    fn merge(&mut self, other: &Self) {
        self.count = self.count.saturating_add(other.count);
        self.widen(other.first, other.last);
        for &client in &other.clients {
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
    names: HashMap<Box<str>, Name, FxBuildHasher>,
    texts: Vec<Box<str>>,
    places: HashMap<Row, u32, FxBuildHasher>,
    pub(crate) rows: Vec<(Row, Tally)>,
    /// Of each account and host that was called, from when until when.
    pub(crate) hosts: BTreeMap<(String, String), Span>,
}

impl Ledger {
    pub(crate) fn name(&mut self, text: &str) -> Name {
        if let Some(name) = self.names.get(text) {
            return *name;
        }
        let name = Name(self.texts.len() as u32);
        self.texts.push(text.into());
        self.names.insert(text.into(), name);
        name
    }

    pub(crate) fn text(&self, name: Name) -> &str {
        &self.texts[name.0 as usize]
    }

    /// The place of a row.
    pub(crate) fn place(&mut self, row: Row) -> u32 {
        let rows = &mut self.rows;
        *self.places.entry(row).or_insert_with(|| {
            rows.push((row, Tally::default()));
            (rows.len() - 1) as u32
        })
    }

    /// Adds the rows of another.
    pub(crate) fn merge(&mut self, other: &Self) {
        for (row, tally) in &other.rows {
            let row = self.taken_over(other, *row);
            let place = self.place(row);
            self.rows[place as usize].1.merge(tally);
        }
        for (host, span) in &other.hosts {
            match self.hosts.get_mut(host) {
                Some(known) => known.add(*span),
                None => {
                    self.hosts.insert(host.clone(), *span);
                }
            }
        }
    }

    /// How many rows there are.
    pub fn len(&self) -> usize {
        self.rows.len()
    }

    /// Whether there is no row.
    pub fn is_empty(&self) -> bool {
        self.rows.is_empty()
    }

    fn taken_over(&mut self, other: &Self, row: Row) -> Row {
        let mut name = |name: Name| self.name(other.text(name));
        match row {
            Row::Used { who, did, to, outcome, through } => Row::Used {
                who: name(who),
                did: name(did),
                to: to.map(&mut name),
                outcome,
                through: through.map(name),
            },
            Row::Called { endpoint, method, answered, showed, from } => Row::Called {
                endpoint: name(endpoint),
                method: name(method),
                answered,
                showed: showed.renamed(name),
                from,
            },
            Row::Seen { showed, place, on } => {
                let on = on.map(&mut name);
                Row::Seen { showed: showed.renamed(name), place, on }
            }
        }
    }
}

impl Showed {
    fn renamed(self, mut name: impl FnMut(Name) -> Name) -> Self {
        match self {
            Self::Said(said) => Self::Said(name(said)),
            Self::Issued(issuer, subject) => Self::Issued(issuer.map(&mut name), subject.map(name)),
        }
    }
}
