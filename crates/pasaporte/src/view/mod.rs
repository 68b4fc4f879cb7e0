//! Values of the libraries as text for a terminal. Nothing here computes a verdict.

mod accepted;
mod audit;
mod card;
mod compare;
mod config;
mod diagnostics;
mod diff;
mod entry;
mod explain;
#[cfg(feature = "network")]
mod gather;
#[cfg(feature = "network")]
mod knock;
mod page;
mod paths;
mod reach;
mod rules;
mod table;
mod tighten;
mod usage;

pub(crate) use accepted::{acceptances, waived, withdrawn};
pub(crate) use audit::{audit, next_steps};
pub(crate) use card::{card, card_of_endpoint, card_of_identity, card_of_key};
pub(crate) use compare::{compared, sharing};
pub(crate) use config::in_force;
pub(crate) use diagnostics::{diagnostics, misuse};
pub(crate) use diff::diff;
pub(crate) use entry::entered;
pub(crate) use explain::explained;
#[cfg(feature = "network")]
pub(crate) use gather::{checked, gathered};
#[cfg(all(feature = "network", feature = "stand-ins"))]
pub(crate) use knock::knock_summary;
#[cfg(feature = "network")]
pub(crate) use knock::{knock_plan, knocked};
pub(crate) use page::{Page, safe};
pub(crate) use paths::paths;
pub(crate) use reach::reached;
pub(crate) use rules::{rule_list, rule_pages, schema_list, severity_table};
pub(crate) use table::{Columns, list};
pub(crate) use tighten::{rehearsed, tightened};
pub(crate) use usage::digested;
#[cfg(feature = "network")]
pub(crate) use usage::logged;
