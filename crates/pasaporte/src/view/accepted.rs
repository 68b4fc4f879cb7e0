//! Acceptances as text.

use std::fmt::Write;

use jiff::civil::Date;
use pasaporte_read::accepted::Acceptance;
use pasaporte_report::list::{Cell, Column, Holds, List, column};

use super::audit::count;
use super::page::{BOLD, Page, in_line, paint};
use super::table::rows;

const COLUMNS: &[Column] = &[
    column("rule", 0, Holds::Names),
    column("thing", 0, Holds::Names),
    column("owner", 1, Holds::Names),
    column("until", 1, Holds::Names),
    column("days_left", 2, Holds::Numbers),
    column("reason", 3, Holds::Prose),
];

/// What was accepted, and what follows.
pub(crate) fn waived(page: Page, all: &[Acceptance], file: &str, until: Date) -> String {
    let mut out = told(page, all.iter(), &format!("Accepted until {until}"));
    let text = format!(
        "Written to {file}: `pasaporte audit` shows {} apart and does not count {} until then. Commit the file, so that others see it.",
        if all.len() == 1 { "it" } else { "them" },
        if all.len() == 1 { "it" } else { "them" },
    );
    out.push_str(&page.paragraph(&text, "", "", 0));
    out
}

/// What counts again.
pub(crate) fn withdrawn(page: Page, all: &[&Acceptance], file: &str) -> String {
    let mut out = told(page, all.iter().copied(), &format!("No longer accepted by {file}"));
    out.push_str(&page.paragraph("What of this is still found counts again.", "", "", 0));
    out
}

fn told<'a>(page: Page, all: impl ExactSizeIterator<Item = &'a Acceptance>, title: &str) -> String {
    let mut out = format!("{}, {}\n", paint(BOLD, title), count(all.len(), "finding"));
    for it in all {
        let text = format!("{} on {}", in_line(&it.rule), in_line(&it.thing));
        out.push_str(&page.paragraph(&text, "  ", "    ", 4));
    }
    let _ = writeln!(out);
    out
}

/// All acceptances of a file, the next to end first.
pub(crate) fn acceptances(page: Page, all: &[Acceptance], file: &str, today: Date) -> String {
    if all.is_empty() {
        return format!("Nothing is accepted by {file}.\n");
    }
    let mut all: Vec<&Acceptance> = all.iter().collect();
    all.sort_by_key(|it| (it.until, it.line));
    let mut list = List::new("acceptances", COLUMNS);
    for it in all {
        let left = it.days_left(today);
        let until = it.until.to_string();
        list.row(vec![
            Cell::text(&it.rule),
            Cell::text(&it.thing),
            Cell::text(&it.owner),
            if left < 0 { Cell::alarming(until) } else { Cell::text(until) },
            Cell::Number(left),
            Cell::text(&it.reason),
        ]);
    }
    let number = list.rows.len();
    let mut out = rows(page, &list);
    let _ = writeln!(out, "\n{} in {file}", count(number, "acceptance"));
    out
}
