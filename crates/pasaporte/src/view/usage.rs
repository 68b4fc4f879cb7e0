//! What came of digesting logs, as text.

#[cfg(feature = "network")]
use pasaporte_report::LoggedOut;
use pasaporte_report::list::{Cell, Column, Holds, List};
use pasaporte_report::{Digested, LogOut, UnattributedOut};

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
    text.push_str(&others(it));
    if !it.sealed {
        text.push_str(&page.paragraph(UNSEALED, "", "", 0));
    }
    let told = format!("{} rows in {}.", it.rows, safe(&it.out));
    text.push_str(&page.paragraph(&paint(BOLD, &told), "", "", 0));
    text
}

/// What is said where no seal was named.
const UNSEALED: &str = "No seal was named, so no value in these logs could find its key.";

/// The commonest of what the estate does not know.
fn others(it: &Digested) -> String {
    if it.commonest.is_empty() {
        return String::new();
    }
    let each = |it: &UnattributedOut| format!("  {:>9}  {}\n", it.count, safe(&it.what));
    let each: String = it.commonest.iter().map(each).collect();
    format!("Most of the others:\n{each}")
}

/// What came of logs that were gathered, as text.
#[cfg(feature = "network")]
pub(crate) fn logged(page: Page, all: &[LoggedOut]) -> String {
    let mut list = List::new(
        "logs",
        &[
            column("source", 0, Holds::Names),
            column("log", 0, Holds::Names),
            column("lines", 0, Holds::Numbers),
            column("not_read", 1, Holds::Numbers),
        ],
    );
    let logs = all.iter().flat_map(|it| it.digest.logs.iter().map(move |log| (it, log)));
    let logs = logs.filter(|(_, log)| log.lines > 0 || log.broke_off.is_some());
    for (it, log) in logs.clone() {
        list.row(vec![
            Cell::text(safe(&it.source)),
            Cell::text(safe(&log.log)),
            Cell::Number(i64::try_from(log.lines).unwrap_or(i64::MAX)),
            match log.bad {
                0 => Cell::Nothing,
                bad => Cell::alarming(bad.to_string()),
            },
        ]);
    }
    let mut text = if list.rows.is_empty() { String::new() } else { rows(page, &list) + "\n" };
    for (_, log) in logs {
        text.push_str(&notes(page, log));
    }
    let (mut events, mut attributed, mut rows) = (0, 0, 0);
    let mut files = Vec::new();
    for it in all {
        let (source, digest) = (safe(&it.source), &it.digest);
        events += digest.events;
        attributed += digest.events - digest.unattributed.min(digest.events);
        rows += digest.rows;
        let told = match () {
            () if digest.rows > 0 => {
                files.push(safe(digest.out.rsplit('/').next().unwrap_or_default()));
                continue;
            }
            () if !it.has_logs => format!("{source}: its adapter knows of no logs."),
            () if digest.events == 0 => format!("{source}: no event came of its logs."),
            () => format!("{source}: none of its events is about anything in the estate."),
        };
        text.push_str(&page.paragraph(&told, "", "  ", 0));
    }
    let told = format!("{attributed} of {events} events are about something in the estate.");
    text.push_str(&page.paragraph(&told, "", "", 0));
    text.push_str(&all.iter().map(|it| others(&it.digest)).collect::<String>());
    if !files.is_empty() {
        let told = format!("{rows} rows in {}.", files.join(", "));
        text.push_str(&page.paragraph(&told, "", "", 0));
    }
    if all.iter().any(|it| it.digest.rows > 0 && !it.digest.sealed) {
        text.push_str(&page.paragraph(UNSEALED, "", "", 0));
    }
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
    if let Some(why) = &log.trouble {
        notes.push(format!("the adapter made nothing of some items ({})", safe(why)));
    }
    for (line, why) in &log.first_bad {
        notes.push(format!("line {line}: {why}"));
    }
    let each =
        notes.iter().map(|note| page.paragraph(&format!("{}: {note}", safe(&log.log)), "  ", "    ", 0));
    each.collect()
}
