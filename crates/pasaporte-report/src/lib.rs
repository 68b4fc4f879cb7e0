//! Answers to questions about an estate and findings of its audit, as values that are written as JSON or shown as text.
//!
//! Each is made from what the core and the audit answer and says the same in words, with the places it was read from;
//! it adds no judgement. Fields may be added in later versions of the same major number; none changes its meaning.

pub mod accepted;
pub mod audit;
mod card;
pub mod compare;
pub mod config;
mod dates;
pub mod diff;
mod entry;
pub mod exhibits;
mod explain;
pub mod finding;
mod gather;
mod knock;
pub mod list;
mod looked_at;
pub mod paths;
mod reach;
pub mod rehearsal;
pub mod reports;
mod rules;
pub mod schema;
mod severity;
pub mod since;
pub mod start;
pub mod threshold;
pub mod tighten;
mod usage;

use pasaporte_core::access::Access;
use pasaporte_core::estate::{AccountOf, Estate, GrantId, Origin, Principal, Thing};
use schemars::JsonSchema;
use serde::Serialize;

pub use card::{
    ActsOut, CallsOut, Card, DoneOut, EndpointCard, EnrolmentOut, Exit, IdentityCard, KeyCard, KeyOut, Let,
    Note, OpenedOut, RunsAs, SeenOut, SumOut, WayIn, looked_at, looked_at_for_identity, looked_at_for_key,
};
pub use entry::{Behind, DeclaredOut, Door, Entered, Entrant, Members, TriedOut, TriggerOut};
pub use explain::{EntersBy, Explained, GroundOut, NearMiss, QuestionOut};
pub use gather::{AskOut, AskedOut, Checked, Gathered, LoggedOut, SourceOut};
pub use knock::{DoorOut, KnockOut, KnockPlan, Knocks, LeftOut};
pub use looked_at::{AccountOut, LookedAt};
pub use reach::{ActOut, BecomingOut, Reached, ServiceOut, StatementOut};
pub use rules::{RuleOut, Rules};
pub use severity::{ImpactOut, LevelOut, SeverityOut};
pub use usage::{Digested, LogOut, UnattributedOut};

/// The version of these outputs.
pub const VERSION: u64 = 1;

/// A place in a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct PlaceOut {
    /// The file.
    pub file: String,
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1: characters in YAML, bytes in JSON.
    pub column: u32,
}

impl PlaceOut {
    fn new(estate: &Estate, origin: Origin) -> Self {
        Self { file: estate.path(origin.file).to_owned(), line: origin.line, column: origin.column }
    }
}

/// How a statement comes to be held: through which grant, of which set, by which name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct HeldOut {
    /// The name that holds the grant: the principal itself, a group it is in, its account …
    pub by: String,
    /// The set that the grant gives; null where the grant has statements of its own.
    pub set: Option<String>,
    /// The set that contains the statement, where it is another one that the first includes.
    pub included_set: Option<String>,
    /// Where the grant holds: `kind:id`, or `everywhere`.
    pub at: String,
    /// Where the grant was read.
    pub read_from: PlaceOut,
}

impl HeldOut {
    fn new(
        estate: &Estate,
        grant: GrantId,
        by: Principal,
        contained: Option<pasaporte_core::estate::SetId>,
    ) -> Self {
        let it = estate.grant(grant);
        let included = contained.filter(|set| Some(*set) != it.set);
        Self {
            by: estate.principal_label(by),
            set: it.set.map(|set| estate.label(Thing::Set(set))),
            included_set: included.map(|set| estate.label(Thing::Set(set))),
            at: estate.place_label(it.at),
            read_from: PlaceOut::new(estate, it.origin),
        }
    }
}

fn account(estate: &Estate, thing: Thing) -> Option<String> {
    match estate.account_of(thing) {
        AccountOf::Known(account) => Some(estate.label(Thing::Scope(account))),
        AccountOf::Unnamed | AccountOf::Unknown => None,
    }
}

fn account_of_principal(access: &Access<'_>, principal: Principal) -> Option<String> {
    match principal {
        Principal::Account(id) => Some(access.estate().label(Thing::Scope(id))),
        _ => account(access.estate(), principal.thing()?),
    }
}
