//! entry: who may make a function run.

pub(crate) mod address;
pub(crate) mod anonymous;
pub(crate) mod fed;
pub(crate) mod invoke;
pub(crate) mod otherwise;
pub(crate) mod source;
pub(crate) mod token;

use crate::{Audit, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{Function, FunctionId, State};

/// Enabled functions.
pub(crate) fn running<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (FunctionId, &'a Function)> {
    audit.each::<FunctionId>().filter(|(_, it)| it.state == State::Enabled)
}

pub(crate) fn sureness(verdict: Verdict) -> Sureness {
    match verdict {
        Verdict::Yes => Sureness::Certain,
        Verdict::Depends | Verdict::No => Sureness::Conditional,
    }
}
