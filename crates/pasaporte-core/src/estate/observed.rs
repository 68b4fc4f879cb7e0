//! What was seen to happen: uses, calls and sightings, as digests of logs have them, and what the logs cover.

use std::cmp::Ordering;

use jiff::Timestamp;

use super::{EndpointId, KeyId, List, Name, Origin, Principal, ScopeId, Thing, TokenId, TriggerId};
use crate::pattern::Pattern;

/// Distinct clients that are told apart; from here on it is "so many or more".
pub const MOST_CLIENTS: usize = 16;

/// A client as a keyed hash of its address: enough to tell one from another, and not to say who it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Client(pub u32);

/// How often, between when and when, and from how many clients.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Tally {
    /// How often.
    pub count: u64,
    /// First seen.
    pub first: Option<Timestamp>,
    /// Last seen.
    pub last: Option<Timestamp>,
    /// The distinct clients by the least of their hashes, in order, at most [`MOST_CLIENTS`].
    pub clients: List<Client>,
    /// How many distinct clients there were at least, where somebody counted without hashes.
    pub at_least: u32,
}

impl Tally {
    /// So often, and nothing else.
    pub fn of(count: u64) -> Self {
        Self { count, first: None, last: None, clients: List::default(), at_least: 0 }
    }

    /// Counts add, first and last widen; the clients of both are left to whoever keeps their lists.
    fn widen(&mut self, other: &Self) {
        self.count = self.count.saturating_add(other.count);
        self.first = match (self.first, other.first) {
            (Some(one), Some(other)) => Some(one.min(other)),
            (one, other) => one.or(other),
        };
        self.last = self.last.max(other.last);
        self.at_least = self.at_least.max(other.at_least);
    }
}

/// The least hashes of two lots of clients: those of all of them together, whichever come first.
pub fn least_clients(one: &[Client], other: &[Client]) -> Vec<Client> {
    let mut all = [one, other].concat();
    all.sort_unstable();
    all.dedup();
    all.truncate(MOST_CLIENTS);
    all
}

super::vocabulary! {
    /// What became of something that somebody wanted to do.
    Outcome: "an outcome" {
        /// It was done.
        Allowed = "allowed",
        /// It was refused.
        Refused = "refused",
    }
}

super::vocabulary! {
    /// What kind of answer a call got (RFC 9110 §15), with those that turn a caller away told apart.
    Answered: "a class of answers" {
        /// 401, 403 or 407: the caller was turned away.
        TurnedAway = "turned-away",
        /// 1xx.
        Informed = "1xx",
        /// 2xx.
        Good = "2xx",
        /// 3xx.
        Elsewhere = "3xx",
        /// Any other 4xx.
        CallerAtFault = "4xx",
        /// 5xx.
        ServerAtFault = "5xx",
        /// The log does not say.
        Unsaid = "unsaid",
    }
}

impl Answered {
    /// The class of an HTTP status.
    pub fn of(status: u16) -> Self {
        match status {
            401 | 403 | 407 => Self::TurnedAway,
            100..=199 => Self::Informed,
            200..=299 => Self::Good,
            300..=399 => Self::Elsewhere,
            400..=499 => Self::CallerAtFault,
            500..=599 => Self::ServerAtFault,
            _ => Self::Unsaid,
        }
    }
}

super::vocabulary! {
    /// From where a call came.
    CameFrom: "from where a call came" {
        /// From an address of a private network, or of one that counts as inside.
        Inside = "inside",
        /// From any other address.
        Internet = "internet",
        /// The log does not say.
        Unsaid = "unsaid",
    }
}

super::vocabulary! {
    /// In what a key or token was seen.
    SeenIn: "in what it was seen" {
        /// The address that was called: and so in every log, history and referrer.
        RequestUrl = "request-url",
        /// A header.
        Header = "header",
        /// A body.
        Body = "body",
        /// Settings of a function.
        Settings = "settings",
        /// What code wrote into its log.
        LogText = "log-text",
    }
}

/// What a caller showed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Showed {
    /// The log does not say.
    Unsaid,
    /// Nothing, as the log says.
    Nothing,
    /// A key of the estate.
    Key(KeyId),
    /// A key that the estate does not know, by the keyed hash of its value where there is one.
    UnknownKey(Option<Name>),
    /// A token of the estate.
    Token(TokenId),
    /// Another token: its issuer and its subject, as far as the log says them.
    Issued(Option<Name>, Option<Name>),
    /// Who they are.
    Principal(Principal),
}

/// Something that somebody did, or wanted to do.
#[derive(Debug, Clone)]
pub struct Use {
    /// Who.
    pub who: Principal,
    /// What.
    pub did: Name,
    /// To what; unknown where the log does not say.
    pub to: Option<Thing>,
    /// What became of it.
    pub outcome: Outcome,
    /// For runs of a function: the trigger that made it run.
    pub through: Option<TriggerId>,
    /// How often, and when.
    pub tally: Tally,
    /// Where it was read.
    pub origin: Origin,
}

/// Calls of an endpoint.
#[derive(Debug, Clone)]
pub struct Call {
    /// The endpoint.
    pub endpoint: EndpointId,
    /// The HTTP method, upper case.
    pub method: Name,
    /// What kind of answer came.
    pub answered: Answered,
    /// What the caller showed.
    pub showed: Showed,
    /// From where it came.
    pub from: CameFrom,
    /// How often, and when.
    pub tally: Tally,
    /// Where it was read.
    pub origin: Origin,
}

/// A key or token that was seen where it should not be.
#[derive(Debug, Clone)]
pub struct Sighting {
    /// Which.
    pub what: Showed,
    /// In what.
    pub place: SeenIn,
    /// The endpoint called, or the function whose settings or log it was.
    pub on: Option<Thing>,
    /// How often, and when.
    pub tally: Tally,
    /// Where it was read.
    pub origin: Origin,
}

/// What logs cover: some actions within a scope over a time.
#[derive(Debug, Clone)]
pub struct LogCoverage {
    /// Within which scope.
    pub scope: ScopeId,
    /// Which actions are logged; all if empty.
    pub actions: Vec<Pattern>,
    /// Of calls: those to these hosts or gateways; to all if empty.
    pub hosts: List<Name>,
    /// From when.
    pub from: Timestamp,
    /// Until when.
    pub to: Timestamp,
    /// Lines that were read, where they were counted.
    pub lines: Option<u64>,
    /// Lines that were not understood.
    pub bad: u64,
    /// Where it was read.
    pub origin: Origin,
}

/// Rows that add up: those of one key are one.
pub(super) trait Row {
    /// The order of keys.
    fn compare(&self, other: &Self) -> Ordering;
    fn tally(&mut self) -> (&mut Tally, &mut Origin);
}

macro_rules! rows {
    ($($row:ident: $($field:ident)+;)*) => {$(
        impl Row for $row {
            fn compare(&self, other: &Self) -> Ordering {
                ($(self.$field,)+).cmp(&($(other.$field,)+))
            }
            fn tally(&mut self) -> (&mut Tally, &mut Origin) {
                (&mut self.tally, &mut self.origin)
            }
        }
    )*};
}

rows! {
    Use: who did to outcome through;
    Call: endpoint method answered showed from;
    Sighting: what place on;
}

/// Puts rows in the order of their keys and makes those of one key one, which is where the first of them was read.
/// `union` keeps the clients of two.
pub(super) fn add_up<R: Row>(
    rows: &mut Vec<R>,
    mut union: impl FnMut(List<Client>, List<Client>) -> List<Client>,
) {
    rows.sort_unstable_by(R::compare);
    rows.dedup_by(|later, first| {
        let same = later.compare(first) == Ordering::Equal;
        if same {
            let ((more, origin), (all, first_origin)) = (later.tally(), first.tally());
            all.widen(more);
            all.clients = union(all.clients, more.clients);
            *first_origin = (*first_origin).min(*origin);
        }
        same
    });
    rows.shrink_to_fit();
}
