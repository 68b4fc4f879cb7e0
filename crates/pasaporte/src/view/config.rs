//! What is in force, as text.

use pasaporte_report::config::{InForce, ValueOut};
use pasaporte_report::list::{Cell, Column, Holds, List, column};

use super::page::{BOLD, Page, paint};
use super::table::rows;

const COLUMNS: &[Column] =
    &[column("key", 0, Holds::Names), column("value", 0, Holds::Prose), column("from", 0, Holds::Names)];

/// Every value, and where it comes from.
pub(crate) fn in_force(page: Page, it: &InForce) -> String {
    let mut out = if let Some(file) = &it.file {
        format!("{} by {file}\n\n", paint(BOLD, "In force"))
    } else {
        let text = "There is no pasaporte.toml in this folder or above it; docs/configuration.md says what it may say.";
        let title = paint(BOLD, "In force: what the program comes with");
        format!("{title}\n{}\n", page.paragraph(text, "", "", 0))
    };
    let from = |value: &ValueOut| match value.line {
        Some(line) => format!("line {line}"),
        None => value.from.clone(),
    };
    let mut list = List::new("in force", COLUMNS);
    for it in &it.values {
        list.row(vec![Cell::text(&it.key), Cell::text(&it.value), Cell::text(from(it))]);
    }
    out.push_str(&rows(page, &list));
    out
}
