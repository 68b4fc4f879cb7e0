//! The rows of each list, sorted by name.

mod holders;
mod places;
mod proofs;
mod ways_in;

use pasaporte_audit::Audit;
use pasaporte_core::estate::{AccountOf, Name, Origin, Thing};

use crate::view::Cell;

pub(super) use holders::{grants, groups, identities, permission_sets, users};
pub(super) use places::{enrolments, resources, scopes};
pub(super) use proofs::{keys, tokens, verifiers};
pub(super) use ways_in::{endpoints, functions, operations, triggers};

/// The platform and account that a thing is of.
fn place(audit: &Audit<'_>, thing: Thing) -> [Cell; 2] {
    let estate = audit.estate();
    let account = match estate.account_of(thing) {
        AccountOf::Known(account) => Cell::text(estate.id(account)),
        AccountOf::Unnamed | AccountOf::Unknown => Cell::Nothing,
    };
    let platform = estate.platform(estate.scope_of(thing));
    [platform.map_or(Cell::Nothing, |name| Cell::text(estate.text(name))), account]
}

fn date(time: jiff::Timestamp) -> String {
    time.strftime("%Y-%m-%d").to_string()
}

/// A name, if there is one.
fn named(audit: &Audit<'_>, name: Option<Name>) -> Cell {
    name.map_or(Cell::Nothing, |name| Cell::text(audit.estate().text(name)))
}

/// A file and a line of it.
fn read_from(audit: &Audit<'_>, origin: Origin) -> Cell {
    Cell::Text(format!("{}:{}", audit.estate().path(origin.file), origin.line))
}
