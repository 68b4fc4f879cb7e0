//! Doors that would be tried, and what came back from those that were.

use std::collections::BTreeMap;
use std::path::Path;

use pasaporte_core::estate::Shows;
use pasaporte_gather::Door;
use pasaporte_report::{KnockOut, Knocks};
use serde_json::{Value, json};

use super::page::{BOLD, DIM, Page, paint, safe};
use super::table::{Cell, Table, table};

/// What would be tried, and how long it would take.
pub(crate) fn knock_plan(
    page: Page,
    doors: &[Door],
    left_out: &[(String, &'static str)],
    a_second: u32,
) -> String {
    let mut by_host: BTreeMap<&str, Table> = BTreeMap::new();
    for door in doors {
        let (host, path) = host_and_path(&door.url);
        let rows =
            by_host.entry(host).or_insert_with(|| Table::new(&[("endpoint", "endpoint"), ("try", "try")]));
        rows.row(vec![named(&door.endpoint), Cell::Text(format!("{} {}", door.method, safe(path)))]);
    }
    let mut text = String::new();
    for (host, rows) in by_host {
        text.push_str(&format!("{}\n{}\n", paint(BOLD, &safe(host)), table(page, &rows)));
    }
    text.push_str(&left_out_told(page, left_out.iter().map(|(endpoint, why)| (endpoint.as_str(), *why))));
    let told = if doors.is_empty() {
        "Nothing of this can be tried.".to_owned()
    } else {
        let seconds = doors.len().div_ceil(a_second as usize);
        format!(
            "Nothing was sent. With --yes each of these {} is tried once, without a credential, {a_second} a second: about \
             {seconds} s.",
            doors.len()
        )
    };
    text.push_str(&page.paragraph(&told, "", "", 0));
    text
}

/// The same for programs.
pub(crate) fn knock_plan_as_json(doors: &[Door], left_out: &[(String, &'static str)]) -> Value {
    let door = |it: &Door| json!({"endpoint": it.endpoint, "method": it.method, "url": it.url});
    let left = |(endpoint, why): &(String, &'static str)| json!({"endpoint": endpoint, "why": why});
    json!({
        "would_try": doors.iter().map(door).collect::<Vec<_>>(),
        "left_out": left_out.iter().map(left).collect::<Vec<_>>(),
    })
}

/// What came back.
pub(crate) fn knocked(page: Page, knocks: &Knocks, out: Option<&Path>) -> String {
    let mut rows =
        Table::new(&[("endpoint", "endpoint"), ("answer", "answer"), ("is", "so it is"), ("agrees", "")]);
    for it in &knocks.tries {
        let answer = match (it.status, &it.failed) {
            (Some(status), _) => format!("{} {status}", it.method),
            (None, why) => format!("{}: {}", it.method, safe(why.as_deref().unwrap_or_default())),
        };
        let agrees = Cell::Number(i64::from(it.agrees != Some(false)));
        let is = if it.agrees == Some(false) && it.shows.0 >= Shows::PerhapsThrough {
            Cell::Loud(shows(it).to_owned())
        } else {
            Cell::text(shows(it))
        };
        rows.row(vec![named(&it.endpoint), Cell::Text(answer), is, agrees]);
    }
    // What the estate says otherwise comes first.
    rows.order_by(3, false);
    let mut text = if knocks.tries.is_empty() { String::new() } else { table(page, &rows) + "\n" };
    text.push_str(&left_out_told(
        page,
        knocks.left_out.iter().map(|it| (it.endpoint.as_str(), it.why.as_str())),
    ));
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
    Cell::Text(safe(endpoint.strip_prefix("endpoint:").unwrap_or(endpoint)))
}

/// The origin of an address, and the rest of it.
fn host_and_path(url: &str) -> (&str, &str) {
    let start = url.find("://").map_or(0, |scheme| scheme + 3);
    let end = url[start..].find('/').map_or(url.len(), |slash| start + slash);
    let (host, path) = url.split_at(end);
    (host, if path.is_empty() { "/" } else { path })
}

fn left_out_told<'l>(page: Page, left_out: impl Iterator<Item = (&'l str, &'l str)>) -> String {
    let mut by_why: BTreeMap<&str, Vec<String>> = BTreeMap::new();
    for (endpoint, why) in left_out {
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
