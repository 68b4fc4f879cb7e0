//! Values of the libraries as text for a terminal. Nothing here computes a verdict.

mod audit;
mod diagnostics;
mod page;
mod rules;
mod table;

pub(crate) use audit::{audit, next_steps};
pub(crate) use diagnostics::{diagnostics, misuse};
pub(crate) use page::{Page, safe};
pub(crate) use rules::{rule_list, rule_pages};
pub(crate) use table::{Cell, Table, table};

/// A value as JSON, indented, with a newline at the end.
pub(crate) fn json(value: &impl serde::Serialize) -> String {
    let mut json = serde_json::to_string_pretty(value).expect("what is written has only texts as keys");
    json.push('\n');
    json
}
