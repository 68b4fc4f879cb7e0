//! What was gathered, and what was not, as text and as JSON.

use std::fmt::Write;
use std::path::Path;

use pasaporte_gather::{Check, Place, Told};
use serde_json::{Value, json};

use super::page::{BOLD, DIM, Page, paint, safe};
use super::table::{Cell, Table, table};

/// What came of each source, by account and region.
pub(crate) fn gathered(page: Page, told: &[Told], out: &Path) -> String {
    let mut rows = Table::new(&[
        ("source", "SOURCE"),
        ("account", "ACCOUNT"),
        ("region", "REGION"),
        ("requests", "REQUESTS"),
        ("items", "CAME BACK"),
        ("missed", "MISSED"),
    ]);
    let text = |text: &Option<String>| text.as_ref().map_or(Cell::Nothing, |text| Cell::Text(safe(text)));
    for (told, place) in places(told) {
        rows.row(vec![
            Cell::Text(safe(&told.source)),
            text(&place.account),
            text(&place.region),
            Cell::count(place.requests),
            Cell::count(place.items),
            if place.missed.is_empty() { Cell::Nothing } else { Cell::count(place.missed.len()) },
        ]);
    }
    let mut text = table(page, &rows);
    let empty: Vec<String> = places(told)
        .filter(|(_, place)| place.region.is_some() && place.items == 0 && place.missed.is_empty())
        .map(|(told, place)| format!("{} {}", told.source, named(place)))
        .collect();
    let missed: Vec<(&Told, &Place)> = places(told).filter(|(_, place)| !place.missed.is_empty()).collect();
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
    for told in told.iter().filter(|told| told.resumed > 0) {
        let pages =
            if told.resumed == 1 { "page was".to_owned() } else { format!("{} pages were", told.resumed) };
        let went_on = format!("{}: {pages} known from a collection that was cut off.", safe(&told.source));
        text.push('\n');
        text.push_str(&page.paragraph(&went_on, "", "", 0));
    }
    let folder = safe(&out.to_string_lossy());
    let _ = writeln!(text, "\nWritten to {folder}. Next: pasaporte audit {folder}");
    text
}

fn places(told: &[Told]) -> impl Iterator<Item = (&Told, &Place)> {
    told.iter().flat_map(|told| told.places.iter().map(move |place| (told, place)))
}

fn named(place: &Place) -> String {
    let name = |part: &Option<String>| part.clone().unwrap_or_default();
    format!("{} {}", name(&place.account), name(&place.region)).trim().to_owned()
}

/// The same for programs.
pub(crate) fn gathered_as_json(told: &[Told]) -> Value {
    let place = |place: &Place| {
        json!({
            "account": place.account,
            "region": place.region,
            "requests": place.requests,
            "items": place.items,
            "missed": place.missed,
        })
    };
    let source = |told: &Told| {
        let places: Vec<Value> = told.places.iter().map(place).collect();
        json!({"source": told.source, "places": places, "pages_resumed": told.resumed})
    };
    json!({ "gathered": told.iter().map(source).collect::<Vec<_>>() })
}

/// What an adapter made of saved answers.
pub(crate) fn tried(page: Page, adapter: &str, check: &Check) -> String {
    let mut rows = Table::new(&[
        ("ask", "ASK"),
        ("items", "ITEMS"),
        ("entities", "ENTITIES"),
        ("idle", "NO ENTITY"),
        ("left_out", "FIELDS LEFT OUT"),
    ]);
    for (name, tried) in &check.asks {
        let made = tried.made.iter().map(|(kind, count)| format!("{count} {}", kind.replace('_', " ")));
        let left_out = tried.left_out.iter().map(|field| safe(field)).collect();
        rows.row(vec![
            Cell::Text(safe(name)),
            Cell::count(tried.items),
            Cell::Many(made.collect()),
            if tried.idle == 0 { Cell::Nothing } else { Cell::count(tried.idle) },
            Cell::Many(left_out),
        ]);
    }
    let mut text = table(page, &rows);
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

/// The same for programs.
pub(crate) fn tried_as_json(check: &Check) -> Value {
    let asks: Vec<Value> = check
        .asks
        .iter()
        .map(|(name, tried)| {
            json!({
                "ask": name,
                "items": tried.items,
                "without_entity": tried.idle,
                "entities": tried.made,
                "left_out": tried.left_out,
            })
        })
        .collect();
    json!({"asks": asks, "missed": check.missed})
}
