//! Doors that would be tried, and what came back from those that were.

use std::collections::BTreeMap;
use std::path::Path;

use pasaporte_core::estate::Shows;
use pasaporte_report::list::{Cell, Column, Holds, List};
use pasaporte_report::{KnockOut, KnockPlan, Knocks, LeftOut};

use super::page::{BOLD, DIM, Page, paint, safe};
use super::table::rows;

const fn column(name: &'static str, rank: u8) -> Column {
    Column { name, rank, holds: Holds::Names }
}

/// What would be tried, and how long it would take.
pub(crate) fn knock_plan(page: Page, plan: &KnockPlan, a_second: u32) -> String {
    let doors = &plan.would_try;
    let columns = [column("endpoint", 0), column("try", 0)];
    let mut by_host: BTreeMap<&str, List> = BTreeMap::new();
    for door in doors {
        let (host, path) = host_and_path(&door.url);
        let list = by_host.entry(host).or_insert_with(|| List::new("doors", &columns));
        list.row(vec![named(&door.endpoint), Cell::text(format!("{} {}", door.method, safe(path)))]);
    }
    let mut text = String::new();
    for (host, mut list) in by_host {
        list.order(None);
        text.push_str(&format!("{}\n{}\n", paint(BOLD, &safe(host)), rows(page, &list)));
    }
    text.push_str(&left_out_told(page, &plan.left_out));
    let told = if doors.is_empty() {
        "Nothing of this can be tried.".to_owned()
    } else {
        let seconds = doors.len().div_ceil(a_second as usize);
        let all =
            if doors.len() == 1 { "this is".to_owned() } else { format!("each of these {} is", doors.len()) };
        format!(
            "Nothing was sent. With --yes {all} tried once, without a credential, {a_second} a second: about \
             {seconds} s."
        )
    };
    text.push_str(&page.paragraph(&told, "", "", 0));
    text
}

/// What came back.
pub(crate) fn knocked(page: Page, knocks: &Knocks, out: Option<&Path>) -> String {
    let mut list = List::new("tries", &[column("endpoint", 0), column("answer", 1), column("so_it_is", 0)]);
    // What the estate says otherwise comes first.
    let mut tries: Vec<&KnockOut> = knocks.tries.iter().collect();
    tries.sort_by_key(|it| (it.agrees != Some(false), &it.endpoint));
    for it in tries {
        let answer = match (it.status, &it.failed) {
            (Some(status), _) => format!("{} {status}", it.method),
            (None, why) => format!("{}: {}", it.method, safe(why.as_deref().unwrap_or_default())),
        };
        let is = if it.agrees == Some(false) && it.shows.0 >= Shows::PerhapsThrough {
            Cell::alarming(shows(it))
        } else {
            Cell::text(shows(it))
        };
        list.row(vec![named(&it.endpoint), Cell::text(answer), is]);
    }
    let mut text = if knocks.tries.is_empty() { String::new() } else { rows(page, &list) + "\n" };
    text.push_str(&left_out_told(page, &knocks.left_out));
    text.push_str(&knock_summary(page, knocks));
    if let Some(out) = out {
        let told = format!(
            "What came back is in {}; audit the estate with it beside.",
            safe(&out.to_string_lossy())
        );
        text.push_str(&page.paragraph(&told, "", "", 0));
    }
    text
}

/// What came back, counted.
pub(crate) fn knock_summary(page: Page, knocks: &Knocks) -> String {
    let count = |test: fn(&KnockOut) -> bool| knocks.tries.iter().filter(|it| test(it)).count();
    let against = count(|it| it.agrees == Some(false));
    let told = format!(
        "{} tried: {} got through, {} turned away, {} show nothing.",
        knocks.tries.len(),
        count(|it| it.shows.0 >= Shows::PerhapsThrough),
        count(|it| it.shows.0 == Shows::TurnedAway),
        count(|it| it.shows.0 == Shows::Unclear),
    );
    let but = match against {
        0 => String::new(),
        1 => " One answered otherwise than the estate says.".to_owned(),
        some => format!(" {some} answered otherwise than the estate says."),
    };
    page.paragraph(&format!("{told}{but}"), "", "", 0)
}

/// What a try shows, held against what the estate says.
fn shows(it: &KnockOut) -> &'static str {
    match (it.shows.0, it.agrees) {
        (Shows::Through, Some(true)) => "open, as said",
        (Shows::Through, _) => "OPEN, said to be closed",
        (Shows::PerhapsThrough, Some(true)) => "open, it seems, as said",
        (Shows::PerhapsThrough, _) => "OPEN, it seems, said to be closed",
        (Shows::TurnedAway, Some(true)) => "closed, as said",
        (Shows::TurnedAway, Some(false)) => "closed, said to be open",
        (Shows::TurnedAway, None) => "closed from here",
        (Shows::Unclear, _) if it.method == "OPTIONS" && it.status.is_some_and(|status| status < 400) => {
            "not known from a preflight"
        }
        (Shows::Unclear, _) => "not known",
    }
}

/// An endpoint, without its kind.
fn named(endpoint: &str) -> Cell {
    Cell::text(safe(endpoint.strip_prefix("endpoint:").unwrap_or(endpoint)))
}

/// The origin of an address, and the rest of it.
fn host_and_path(url: &str) -> (&str, &str) {
    let start = url.find("://").map_or(0, |scheme| scheme + 3);
    let end = url[start..].find('/').map_or(url.len(), |slash| start + slash);
    let (host, path) = url.split_at(end);
    (host, if path.is_empty() { "/" } else { path })
}

fn left_out_told(page: Page, left_out: &[LeftOut]) -> String {
    let mut by_why: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for LeftOut { endpoint, why } in left_out {
        by_why.entry(why).or_default().push(safe(endpoint));
    }
    let mut text = String::new();
    for (why, endpoints) in by_why {
        let first = paint(BOLD, "Left out ");
        let told = format!("{}: {why}", endpoints.join(", "));
        text.push_str(&page.paragraph(&told, &first, &paint(DIM, "         "), 9));
        text.push('\n');
    }
    text
}
