//! An explanation as text: the answer first, then what it rests on, then what came near.

use std::fmt::Write;

use anstyle::{AnsiColor, Style};
use pasaporte_core::access::{Needs, Verdict};
use pasaporte_core::estate::Effect;
use pasaporte_report::{Explained, GroundOut, HeldOut, PlaceOut};
use unicode_width::UnicodeWidthStr;

use super::page::{BOLD, DIM, NAME, Page, paint, wrap};

const YES: Style = AnsiColor::Green.on_default();
const NO: Style = AnsiColor::BrightRed.on_default();
pub(super) const PERHAPS: Style = AnsiColor::Yellow.on_default();

/// An answer with its reasons; `function` is the one that was asked about, if it was one.
pub(crate) fn explained(page: Page, it: &Explained, function: Option<&str>) -> String {
    let question = &it.question;
    let what = format!("{} on {}", question.action, question.resource);
    let who = &question.principal;
    let (style, badge, sentence) = match it.verdict.0 {
        Verdict::Yes => (YES, "Yes", format!("{who} may do {what}.")),
        Verdict::No => (NO, "No", format!("{who} may not do {what}.")),
        Verdict::Depends => {
            let residual = it.depends_on.as_deref().unwrap_or("on what is not known");
            (PERHAPS, "It depends", format!("{who} may do {what} {residual}."))
        }
    };
    let badge_text = format!("{badge}: ");
    let first = paint(style.bold(), &badge_text);
    let mut out = page.paragraph(&sentence, &first, "", 0);
    if badge_text.len() + sentence.len() > page.text_width() {
        out = page.paragraph(&format!("{badge_text}{sentence}"), "", "", 0).replacen(&badge_text, &first, 1);
    }
    out.push('\n');
    if let Some(function) = function {
        out.push_str(&page.paragraph(&format!("That is what function:{function} runs as."), "  ", "  ", 2));
    }
    out.push_str(&page.paragraph(&circumstances(it), "  ", "  ", 2));
    out.push_str(&page.paragraph(&sides(it), "  ", "  ", 2));
    if !question.resource_is_declared {
        let missing = format!(
            "{} is only mentioned in the estate: where it lies and what stands on it is not known.",
            question.resource
        );
        out.push_str(&page.paragraph(&missing, "  ", "  ", 2));
    }
    if let Some(note) = &it.note {
        out.push_str(&page.paragraph(note, "  ", "  ", 2));
    }
    if !it.ways_in.is_empty() {
        let _ = writeln!(out, "\n{}", paint(BOLD, "Gets in by"));
        for way in &it.ways_in {
            let through = way.through.as_deref().unwrap_or("invoking it");
            let as_whom = if way.who == *who { String::new() } else { format!(", as {}", way.who) };
            let depends = way.depends_on.as_ref().map_or_else(String::new, |it| format!(", {it}"));
            let at =
                way.read_from.first().map_or_else(String::new, |at| format!(" · {}:{}", at.file, at.line));
            let text = format!("{through}{as_whom}: {}{depends}{at}", way.because);
            out.push_str(&page.paragraph(&text, "  · ", "    ", 4));
        }
    }
    for (title, wanted) in PARTS {
        let grounds: Vec<&GroundOut> = it.grounds.iter().filter(|ground| wanted(ground)).collect();
        if !grounds.is_empty() {
            let _ = writeln!(out, "\n{}", paint(BOLD, title));
            for ground in grounds {
                out.push_str(&told(page, ground));
            }
        }
    }
    if !it.near_misses.is_empty() {
        let title =
            if it.is_possible() { "What keeps it from a plain yes" } else { "What came near, or is missing" };
        let _ = writeln!(out, "\n{}", paint(BOLD, title));
        for miss in &it.near_misses {
            let text = format!("{}{}", miss.what, place(miss.read_from.as_ref()));
            out.push_str(&page.paragraph(&text, "  · ", "    ", 4));
        }
    }
    out
}

/// A title, and which grounds stand under it.
type Part = (&'static str, fn(&GroundOut) -> bool);

/// The titled groups of grounds, in the order they are told.
const PARTS: [Part; 4] = [
    ("Denied by", |ground| ground.effect.0 == Effect::Deny && ground.side != "ceiling"),
    ("Allowed by the caller's side", |ground| ground.effect.0 == Effect::Allow && ground.side == "caller"),
    ("Allowed by the resource's side", |ground| {
        ground.effect.0 == Effect::Allow && ground.side == "resource"
    }),
    ("Bounded by", |ground| ground.side == "ceiling"),
];

fn circumstances(it: &Explained) -> String {
    let as_of = it.question.as_of.as_ref().map_or_else(
        || "at a time that the estate does not say".to_owned(),
        |time| format!("as of {}", time.replace('T', " ").replace('Z', " UTC")),
    );
    if it.question.given.is_empty() {
        return format!("Asked {as_of}; nothing else is fixed.");
    }
    let given: Vec<String> =
        it.question.given.iter().map(|(name, value)| format!("{name} is {value}")).collect();
    format!("Asked {as_of}, given that {}.", given.join(" and "))
}

/// Whose allow is needed, and why.
fn sides(it: &Explained) -> String {
    let question = &it.question;
    match (it.needs.0, &question.principal_account, &question.resource_account) {
        (Needs::EitherSide, Some(one), Some(other)) if one == other => {
            format!("Both are of {one}, so an allow from either side is enough.")
        }
        (Needs::EitherSide, Some(_), Some(other)) => {
            format!("{other} takes an allow from either side, also from other accounts.")
        }
        (Needs::EitherSide, ..) => "An allow from either side is enough.".to_owned(),
        (Needs::BothSides, Some(one), Some(other)) => {
            format!("They are of {one} and {other}, so both sides must allow.")
        }
        (Needs::BothSides, ..) => "They are not of one account, so both sides must allow.".to_owned(),
        (Needs::ResourcesSide, ..) => {
            "The caller is outside of the estate, so the resource's side decides.".to_owned()
        }
        (Needs::Unknown, ..) => {
            "The account of one of them is not known, so it is not known whether one side is enough."
                .to_owned()
        }
    }
}

/// A statement, how it is held, and whether it holds.
fn told(page: Page, ground: &GroundOut) -> String {
    let (style, mark) = match (ground.holds.0, ground.effect.0) {
        (Verdict::Yes, Effect::Allow) => (YES, "▌"),
        (Verdict::Yes, Effect::Deny) => (NO, "▌"),
        (Verdict::Depends, _) => (PERHAPS, "▌"),
        (Verdict::No, _) => (DIM, "▌"),
    };
    let bar = format!("  {} ", paint(style, mark));
    let mut out = page.paragraph(&ground.statement, &bar, &bar, 4);
    let note = match (ground.holds.0, &ground.unmet) {
        (Verdict::Depends, Some(unmet)) => Some(format!("open: {unmet}")),
        (Verdict::No, Some(unmet)) => Some(format!("does not hold: {unmet} is not so")),
        _ => None,
    };
    if let Some(note) = note {
        for line in wrap(&note, page.text_width() - 4) {
            let _ = writeln!(
                out,
                "{bar}{}",
                paint(if ground.holds.0 == Verdict::No { DIM } else { PERHAPS }, &line)
            );
        }
    }
    let how = match (&ground.held, &ground.names, &ground.ceiling) {
        (Some(held), ..) => held_by(held),
        (_, Some(name), _) => format!("it names {name}"),
        (_, _, Some(ceiling)) => ceiling.clone(),
        _ => String::new(),
    };
    let from = &ground.read_from;
    let mut text = format!("{how} · {}:{}", from.file, from.line);
    if let Some(held) = ground.held.as_ref().filter(|held| held.read_from != *from) {
        let _ = write!(text, " · grant {}:{}", held.read_from.file, held.read_from.line);
    }
    for line in wrap(&text, page.text_width() - 4) {
        let _ = writeln!(out, "{bar}{}", paint(DIM, &line));
    }
    out
}

/// "in permission-set:x, held by group:y at account:z".
pub(super) fn held_by(held: &HeldOut) -> String {
    let at = if held.at == "everywhere" { held.at.clone() } else { format!("at {}", held.at) };
    match (&held.set, &held.included_set) {
        (Some(set), Some(included)) => {
            format!("in {included}, which {set} includes, held by {} {at}", held.by)
        }
        (Some(set), None) => format!("in {set}, held by {} {at}", held.by),
        _ => format!("held by {} {at}", held.by),
    }
}

fn place(place: Option<&PlaceOut>) -> String {
    place.map_or_else(String::new, |place| format!(" ({}:{})", place.file, place.line))
}

/// A heading of a card: a name, and what is said of it at the right, or below where the page is narrow.
pub(super) fn heading(page: Page, name: &str, right: &str) -> String {
    let gap = page.text_width().saturating_sub(name.width() + right.width());
    let name = paint(NAME.bold(), name);
    if gap >= 2 {
        return format!("{name}{}{}\n", " ".repeat(gap), paint(DIM, right));
    }
    let below = wrap(right, page.text_width());
    below.iter().fold(format!("{name}\n"), |out, line| out + &paint(DIM, line) + "\n")
}
