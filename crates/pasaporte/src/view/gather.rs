//! What was gathered, and what was not, as text and as JSON.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::path::Path;

use pasaporte_report::list::{Cell, Column, Holds, List, column};
use pasaporte_report::{AskedOut, Checked, Gathered, SourceOut};

use super::page::{BOLD, DIM, Page, paint, safe};
use super::table::rows;

const PLACES: &[Column] = &[
    column("source", 0, Holds::Names),
    column("account", 0, Holds::Names),
    column("region", 2, Holds::Names),
    column("requests", 3, Holds::Numbers),
    column("came_back", 1, Holds::Numbers),
    column("missed", 0, Holds::Numbers),
];

const ASKS: &[Column] = &[
    column("ask", 0, Holds::Names),
    column("items", 2, Holds::Numbers),
    column("entities", 1, Holds::Names),
    column("without_entity", 3, Holds::Numbers),
    column("left_out", 1, Holds::Prose),
    column("unread", 1, Holds::Prose),
];

/// What came of each source, by account and region.
pub(crate) fn gathered(page: Page, gathered: &Gathered, out: &Path) -> String {
    let told = &gathered.gathered[..];
    let mut list = List::new("places", PLACES);
    let text = |text: &Option<String>| text.as_ref().map_or(Cell::Nothing, |text| Cell::text(safe(text)));
    for (told, place) in places(told) {
        list.row(vec![
            Cell::text(safe(&told.source)),
            text(&place.account),
            text(&place.region),
            Cell::count(place.requests),
            Cell::count(place.items),
            if place.missed.is_empty() { Cell::Nothing } else { Cell::count(place.missed.len()) },
        ]);
    }
    let mut text = rows(page, &list);
    let empty: Vec<String> = places(told)
        .filter(|(_, place)| place.region.is_some() && place.items == 0 && place.missed.is_empty())
        .map(|(told, place)| format!("{} {}", told.source, named(place)))
        .collect();
    let missed: Vec<(&SourceOut, &AskedOut)> =
        places(told).filter(|(_, place)| !place.missed.is_empty()).collect();
    if !missed.is_empty() {
        let _ = writeln!(text, "\n{}", paint(BOLD, "Not seen; each is a blind spot of the estate"));
        for (told, place) in missed {
            for what in &place.missed {
                let first = format!("  {}  ", paint(DIM, &safe(&told.source)));
                let indent = told.source.len() + 4;
                text.push_str(&page.paragraph(&safe(what), &first, &" ".repeat(indent), indent));
            }
        }
    }
    if !empty.is_empty() {
        let told = format!("Nothing is there: {}.", safe(&empty.join(", ")));
        text.push('\n');
        text.push_str(&page.paragraph(&told, "", "", 0));
    }
    for told in told.iter().filter(|told| told.pages_resumed > 0) {
        let pages = match told.pages_resumed {
            1 => "1 page was".to_owned(),
            some => format!("{some} pages were"),
        };
        let of = told.resumed_from.as_deref().unwrap_or_default();
        let went_on =
            format!("{}: {pages} known from a collection of {of} that was cut off.", safe(&told.source));
        text.push('\n');
        text.push_str(&page.paragraph(&went_on, "", "", 0));
    }
    for (told, of) in told.iter().filter_map(|told| Some((told, told.too_old.as_deref()?))) {
        let anew = format!(
            "{}: begun anew, since a collection of {of} that was cut off is more than a day older.",
            safe(&told.source)
        );
        text.push('\n');
        text.push_str(&page.paragraph(&anew, "", "", 0));
    }
    for ((source, fields), asks) in unread(told) {
        let fields: Vec<String> = fields.iter().map(|field| safe(field)).collect();
        let told = format!(
            "{}: answers of {} have {} beside their items, which nothing reads. If that says that there is more, only \
             the first page was read.",
            safe(source),
            safe(&asks.join(", ")),
            fields.join(", "),
        );
        text.push('\n');
        text.push_str(&page.paragraph(&told, "", "", 0));
    }
    let folder = safe(&out.to_string_lossy());
    let _ = writeln!(text, "\nWritten to {folder}. Next: pasaporte audit {folder}");
    text
}

/// The fields that nothing reads, by source, with the asks whose answers have them.
fn unread(told: &[SourceOut]) -> BTreeMap<(&str, &BTreeSet<String>), Vec<&str>> {
    let mut all: BTreeMap<(&str, &BTreeSet<String>), Vec<&str>> = BTreeMap::new();
    for source in told {
        for (ask, fields) in &source.unread {
            all.entry((&source.source, fields)).or_default().push(ask);
        }
    }
    all
}

fn places(told: &[SourceOut]) -> impl Iterator<Item = (&SourceOut, &AskedOut)> {
    told.iter().flat_map(|told| told.places.iter().map(move |place| (told, place)))
}

fn named(place: &AskedOut) -> String {
    let name = |part: &Option<String>| part.clone().unwrap_or_default();
    format!("{} {}", name(&place.account), name(&place.region)).trim().to_owned()
}

/// What an adapter made of saved answers.
pub(crate) fn checked(page: Page, adapter: &str, check: &Checked) -> String {
    let mut list = List::new("asks", ASKS);
    for it in &check.asks {
        let made = it.entities.iter().map(|(kind, count)| format!("{count} {}", kind.replace('_', " ")));
        list.row(vec![
            Cell::text(safe(&it.ask)),
            Cell::count(it.items),
            Cell::many(made),
            if it.without_entity == 0 { Cell::Nothing } else { Cell::count(it.without_entity) },
            Cell::many(it.left_out.iter().map(|field| safe(field))),
            Cell::many(it.unread.iter().map(|field| safe(field))),
        ]);
    }
    let mut text = rows(page, &list);
    if !check.missed.is_empty() {
        let _ = writeln!(text, "\n{}", paint(BOLD, "Asked for, and not among the saved answers"));
        for what in &check.missed {
            text.push_str(&page.paragraph(&safe(what), "  ", "  ", 2));
        }
    }
    let verdict = format!(
        "All entities are as the estate format has them. A field is left out if no expression of adapter {} names it.",
        safe(adapter)
    );
    text.push('\n');
    text.push_str(&page.paragraph(&verdict, "", "", 0));
    text
}
