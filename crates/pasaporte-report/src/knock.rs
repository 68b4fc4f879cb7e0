//! What came back from endpoints that were tried, held against what the estate says.

use pasaporte_audit::Audit;
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{EndpointId, Shows};
use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;
use pasaporte_read::estate::Word;

/// Tries of endpoints, with no credential.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte knock, version 1")]
pub struct Knocks {
    /// The version of this output.
    pub knock: u64,
    /// What came back: what the estate says otherwise first, then in the order tried.
    pub tries: Vec<KnockOut>,
    /// Endpoints that could not be tried.
    pub left_out: Vec<LeftOut>,
}

/// Tries that would be made.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte knock without --yes, version 1")]
pub struct KnockPlan {
    /// The version of this output.
    pub knock_plan: u64,
    /// What would be tried, in order.
    pub would_try: Vec<DoorOut>,
    /// Endpoints that could not be tried.
    pub left_out: Vec<LeftOut>,
}

/// A try that would be made.
#[derive(Debug, Serialize, JsonSchema)]
pub struct DoorOut {
    /// The endpoint.
    pub endpoint: String,
    /// The HTTP method.
    pub method: String,
    /// Its address.
    pub url: String,
}

impl KnockPlan {
    /// What would be tried, and what not.
    pub fn new(would_try: Vec<DoorOut>, left_out: Vec<LeftOut>) -> Self {
        Self { knock_plan: VERSION, would_try, left_out }
    }
}

/// What came back from one endpoint.
#[derive(Debug, Serialize, JsonSchema)]
pub struct KnockOut {
    /// The endpoint.
    pub endpoint: String,
    /// The HTTP method.
    pub method: String,
    /// The HTTP status that came back; null where none did.
    pub status: Option<u16>,
    /// Why none did.
    pub failed: Option<String>,
    /// What that shows: `through`, `perhaps-through`, `turned-away` or `unclear`.
    pub shows: Word<Shows>,
    /// What the estate says: whether somebody who shows nothing gets through, in effect.
    pub said_open: bool,
    /// Whether the two agree; null where the try shows nothing.
    pub agrees: Option<bool>,
}

/// An endpoint that could not be tried.
#[derive(Debug, Serialize, JsonSchema)]
pub struct LeftOut {
    /// The endpoint.
    pub endpoint: String,
    /// Why.
    pub why: String,
}

impl Knocks {
    /// Holds what came back against what the estate says: of each try the endpoint, the method, and the status or why
    /// there is none.
    pub fn new<'k>(
        audit: &Audit<'_>,
        tries: impl Iterator<Item = (&'k str, &'k str, Result<&'k u16, &'k String>)>,
        left_out: Vec<LeftOut>,
    ) -> Self {
        let one = |(endpoint, method, came): (&str, &str, Result<&u16, &String>)| {
            let shows = Shows::of(method, came.ok().copied());
            let id = endpoint.strip_prefix("endpoint:").unwrap_or(endpoint);
            let id = audit.estate().find::<EndpointId>(id);
            let said_open = id.is_some_and(|id| audit.effects().opens_to_nothing(id) != Verdict::No);
            KnockOut {
                endpoint: endpoint.to_owned(),
                method: method.to_owned(),
                status: came.ok().copied(),
                failed: came.err().cloned(),
                shows: Word(shows),
                said_open,
                agrees: audit.effects().agrees(id, shows),
            }
        };
        let mut tries: Vec<KnockOut> = tries.map(one).collect();
        tries.sort_by_key(|it| it.agrees != Some(false));
        Self { knock: VERSION, tries, left_out }
    }
}
