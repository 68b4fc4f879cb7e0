//! What came of digesting logs, as text.

use pasaporte_report::list::{Cell, Column, Holds, List};
use pasaporte_report::{Digested, LogOut};

use super::page::{BOLD, Page, paint, safe};
use super::table::rows;

const fn column(name: &'static str, rank: u8, holds: Holds) -> Column {
    Column { name, rank, holds }
}

/// What came of each log, what the estate does not know, and where the digest is.
pub(crate) fn digested(page: Page, it: &Digested) -> String {
    let mut list = List::new(
        "logs",
        &[
            column("log", 0, Holds::Names),
            column("read_as", 1, Holds::Names),
            column("lines", 0, Holds::Numbers),
            column("not_read", 0, Holds::Numbers),
        ],
    );
    for log in &it.logs {
        list.row(vec![
            Cell::text(safe(&log.log)),
            Cell::maybe(log.format),
            Cell::Number(i64::try_from(log.lines).unwrap_or(i64::MAX)),
            match log.bad {
                0 => Cell::Nothing,
                bad => Cell::alarming(bad.to_string()),
            },
        ]);
    }
    let mut text = rows(page, &list);
    for log in &it.logs {
        text.push_str(&notes(page, log));
    }
    text.push('\n');
    let attributed = it.events - it.unattributed.min(it.events);
    let told = format!("{} of {} events are about something in the estate.", attributed, it.events);
    text.push_str(&page.paragraph(&told, "", "", 0));
    if !it.commonest.is_empty() {
        text.push_str("Most of the others:\n");
        for unknown in &it.commonest {
            text.push_str(&format!("  {:>9}  {}\n", unknown.count, safe(&unknown.what)));
        }
    }
    if !it.sealed {
        let told = "No seal was named, so no value in these logs could find its key.";
        text.push_str(&page.paragraph(told, "", "", 0));
    }
    let told = format!("{} rows in {}.", it.rows, safe(&it.out));
    text.push_str(&page.paragraph(&paint(BOLD, &told), "", "", 0));
    text
}

/// What else is to be said of a log.
fn notes(page: Page, log: &LogOut) -> String {
    let mut notes = Vec::new();
    if log.format.is_none() && log.broke_off.is_none() && log.lines == 0 {
        notes.push("its format was not recognised: nothing of it counts".to_owned());
    }
    if log.repeated {
        notes.push("all of it was in another of these logs: it counts once".to_owned());
    }
    if let Some(why) = &log.broke_off {
        notes.push(format!("it broke off ({}): what came before counts", safe(why)));
    }
    if log.twice > 0 {
        notes.push(format!("{} events were there twice: each counts once", log.twice));
    }
    for (line, why) in &log.first_bad {
        notes.push(format!("line {line}: {why}"));
    }
    let each =
        notes.iter().map(|note| page.paragraph(&format!("{}: {note}", safe(&log.log)), "  ", "    ", 0));
    each.collect()
}
