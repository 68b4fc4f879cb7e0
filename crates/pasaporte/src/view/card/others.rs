//! Passports of keys, identities and endpoints as text.

use std::fmt::Write;

use anstyle::Style;
use pasaporte_audit::{KeyVerdict, Severity, grouped};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{State, Vocabulary};
use pasaporte_report::{CallsOut, DoneOut, EndpointCard, IdentityCard, KeyCard, SumOut};
use unicode_width::UnicodeWidthStr;

use super::{
    DIM, NAME, PERHAPS, Page, Span, bare, besides, called, columns, counted, entry, exits, findings, heading,
    section,
};
use crate::view::audit::count;
use crate::view::page::{BOLD, in_line, paint, style_of};

/// Rows of a section that are shown before the rest is counted.
const MOST_ROWS: usize = 8;

fn place<E: Vocabulary>(
    environment: Option<E>,
    account: Option<&String>,
    platform: Option<&String>,
) -> String {
    let environment = environment.map(|word| word.word().to_owned());
    let account = account.map(|account| bare(account).to_owned());
    [environment, account, platform.cloned()].into_iter().flatten().collect::<Vec<_>>().join(" · ")
}

/// Between facts on one line.
const GAP: &str = "    ";

/// "made 2024-02-11    never rotated", dim names before values. A line ends between two.
fn facts(all: &[(&str, Option<String>)], page: Page, out: &mut String) {
    let (mut line, mut width) = (String::new(), 0);
    for (name, value) in all.iter().filter_map(|(name, value)| Some((name, in_line(value.as_ref()?)))) {
        let wide = name.len() + 1 + value.width();
        if width > 0 && width + GAP.len() + wide > page.text_width() {
            out.push_str(&page.paragraph(&std::mem::take(&mut line), "", "", 0));
            width = 0;
        }
        if width > 0 {
            line.push_str(GAP);
            width += GAP.len();
        }
        let _ = write!(line, "{} {value}", paint(DIM, name));
        width += wide;
    }
    if width > 0 {
        out.push_str(&page.paragraph(&line, "", "", 0));
    }
}

/// Rows as far as they are few, and how many more there are.
fn few(page: Page, titles: &[&str], mut rows: Vec<Vec<Span>>, none: &str, out: &mut String) {
    let more = rows.len().saturating_sub(MOST_ROWS);
    rows.truncate(MOST_ROWS);
    columns(page, titles, rows, none, out);
    if more > 0 {
        let _ = writeln!(out, "  {}", paint(DIM, &format!("and {more} more")));
    }
}

/// "1 client", "16 clients or more"; nothing where nobody counted.
fn clients(sum: &SumOut) -> Option<String> {
    sum.clients.as_ref().map(|clients| match clients.as_str() {
        "1" => "1 client".to_owned(),
        _ => format!("{clients} clients").replace("or more clients", "clients or more"),
    })
}

/// "last 2026-11-20, 4 clients"
fn when(sum: &SumOut) -> Span {
    let clients = clients(sum);
    let last = sum.last.as_ref().map(|last| format!("last {last}"));
    Span(last.into_iter().chain(clients).collect::<Vec<_>>().join(", "), DIM)
}

/// A key's passport.
pub(crate) fn card_of_key(page: Page, it: &KeyCard) -> String {
    let place = place(it.environment.as_ref().map(|word| word.0), it.account.as_ref(), it.platform.as_ref());
    let mut out = heading(page, &it.key, &place);
    let verdict = it.verdict.0;
    let style = match verdict {
        KeyVerdict::SwitchOff | KeyVerdict::Rotate | KeyVerdict::Narrow => style_of(Severity::High),
        KeyVerdict::Split | KeyVerdict::SetExpiry => PERHAPS,
        KeyVerdict::Keep | KeyVerdict::Off => Style::new(),
    };
    let verdict = paint(style, &verdict.word().replace('-', " "));
    let state = if it.state.0 == State::Disabled { " · switched off" } else { "" };
    out.push_str(&page.paragraph(
        &format!("{} {verdict}    {} {}{state}", paint(DIM, "verdict"), paint(DIM, "reach"), it.reach.0),
        "",
        "",
        0,
    ));
    let made =
        it.rotated.as_ref().map(|day| ("rotated", day)).or(it.created.as_ref().map(|day| ("made", day)));
    let age = |day: &String| match it.age_days {
        Some(days) if days > it.allowed_days => {
            format!(
                "{day}, {} ago: {} are allowed",
                count(days.unsigned_abs() as usize, "day"),
                it.allowed_days
            )
        }
        Some(days) => format!("{day}, {} ago", count(days.unsigned_abs() as usize, "day")),
        None => day.clone(),
    };
    let (name, day) = made.map_or(("made", "nobody knows when".to_owned()), |(name, day)| (name, age(day)));
    let used = it.last_used.clone().unwrap_or_else(|| "not known".to_owned());
    let all = [
        (name, Some(day)),
        ("ends", Some(it.expires.clone().unwrap_or_else(|| "never".to_owned()))),
        ("last used", Some(used)),
    ];
    facts(&all, page, &mut out);
    let shown = (it.shown.count > 0).then(|| {
        let clients = clients(&it.shown).map_or_else(String::new, |clients| format!(" by {clients}"));
        format!("{} times{clients}", grouped(it.shown.count))
    });
    let held = (!it.held_by.is_empty()).then(|| it.held_by.join(", "));
    let print = (!it.has_fingerprint).then(|| "not known: logs cannot show it".to_owned());
    facts(&[("seen in use", shown), ("given to", held), ("fingerprint", print)], page, &mut out);

    section(page, "OPENS", &it.may.as_ref().map_or_else(String::new, |may| format!("may {may}")), &mut out);
    let mut above = None;
    let opened = it.functions.iter().map(|function| {
        // Of one that does not take it, what it may do is no matter of the key.
        let opens = function.open_without || function.lets_in.0 != Verdict::No;
        let may = function.may.as_ref().filter(|_| opens);
        let told = match may {
            Some(_) if above == may => "the same".to_owned(),
            Some(may) => format!("may {may}"),
            None => String::new(),
        };
        above = may;
        vec![
            Span(function.function.clone(), NAME),
            Span(
                if function.used > 0 { format!("{} ×", grouped(function.used)) } else { String::new() },
                Style::new(),
            ),
            match (function.open_without, function.lets_in.0) {
                (true, _) => Span("open without it".to_owned(), style_of(Severity::Critical)),
                (false, Verdict::Yes) => Span(String::new(), DIM),
                (false, Verdict::Depends) => Span("perhaps".to_owned(), DIM),
                (false, Verdict::No) => Span("does not take it".to_owned(), DIM),
            },
            Span(told, DIM),
        ]
    });
    few(
        page,
        &["function", "used", "lets in", "which then"],
        opened.collect(),
        "nothing that is in the estate",
        &mut out,
    );

    section(page, "SEEN", "", &mut out);
    let seen = it.seen.iter().map(|seen| {
        let is_bad = !matches!(seen.place.0.word(), "header");
        vec![
            Span(
                seen.place.0.word().replace('-', " "),
                if is_bad { style_of(Severity::High) } else { Style::new() },
            ),
            Span(seen.on.clone().unwrap_or_default(), NAME),
            Span(format!("{} ×", grouped(seen.sum.count)), Style::new()),
            when(&seen.sum),
        ]
    });
    few(page, &[], seen.collect(), "nowhere, as far as was looked", &mut out);
    section(page, "FINDINGS", &counted(&it.findings), &mut out);
    columns(page, &[], findings(&it.findings, &it.key), "none", &mut out);
    out
}

/// An identity's passport.
pub(crate) fn card_of_identity(page: Page, it: &IdentityCard) -> String {
    let place = place(it.environment.as_ref().map(|word| word.0), it.account.as_ref(), it.platform.as_ref());
    let mut out = heading(page, &called(&it.identity, it.name.as_deref()), &place);
    let default = if it.default { ", which the platform made for everybody" } else { "" };
    let kind = format!("{}{default}", it.kind.0.word().replace('-', " "));
    facts(
        &[
            ("kind", Some(kind)),
            ("life", Some(it.life.0.word().to_owned())),
            ("client id", it.client_id.clone()),
        ],
        page,
        &mut out,
    );

    section(page, "ACTED AS BY", "", &mut out);
    let runs =
        it.runs.iter().map(|function| vec![Span(function.clone(), NAME), Span("runs as it".to_owned(), DIM)]);
    let acts = it.acted_as_by.iter().map(|acts| {
        let perhaps = if acts.verdict.0 == Verdict::Depends { ", perhaps" } else { "" };
        let all = if acts.as_of_all { ", by a right that does not name it" } else { "" };
        vec![Span(acts.who.clone(), NAME), Span(format!("may act as it{perhaps}{all}"), DIM)]
    });
    few(page, &[], acts.chain(runs).collect(), "nobody that the estate names", &mut out);

    section(page, "EXITS", &it.may.as_ref().map_or_else(String::new, |may| format!("may {may}")), &mut out);
    exits(page, &it.exits, &mut out);
    besides(page, &it.exits_as_anyone, &it.can_become, &mut out);

    section(page, "DONE", "", &mut out);
    few(page, &[], it.done.iter().map(done).collect(), "nothing that was seen", &mut out);
    if !it.enrolments.is_empty() {
        section(page, "ENROLLED", "", &mut out);
        let rows = it.enrolments.iter().map(|enrolment| {
            let style = if enrolment.wide { style_of(Severity::High) } else { Style::new() };
            vec![Span(enrolment.system.clone(), NAME), Span(enrolment.role.clone(), style)]
        });
        few(page, &[], rows.collect(), "", &mut out);
    }
    if !it.credentials.is_empty() {
        section(page, "CREDENTIALS", "whoever has one acts as it", &mut out);
        let rows = it.credentials.iter().map(|it| {
            let since =
                it.since.as_deref().map_or_else(|| "of unknown age".to_owned(), |at| format!("since {at}"));
            let end =
                it.expires.as_deref().map_or_else(|| "never ends".to_owned(), |at| format!("ends {at}"));
            let used = it.last_used.as_deref().map_or_else(String::new, |at| format!("used {at}"));
            let style = if it.expires.is_some() { Style::new() } else { style_of(Severity::Medium) };
            vec![
                Span(it.credential.clone(), NAME),
                Span(it.state.0.to_string(), DIM),
                Span(since, Style::new()),
                Span(end, style),
                Span(used, DIM),
            ]
        });
        few(page, &[], rows.collect(), "", &mut out);
    }
    section(page, "FINDINGS", &counted(&it.findings), &mut out);
    columns(page, &[], findings(&it.findings, &it.identity), "none", &mut out);
    out
}

fn done(it: &DoneOut) -> Vec<Span> {
    vec![
        Span(it.did.clone(), Style::new()),
        Span(it.to.clone().unwrap_or_default(), NAME),
        Span(format!("{} ×", grouped(it.sum.count)), Style::new()),
        if it.refused {
            Span("refused".to_owned(), style_of(Severity::High))
        } else {
            Span(String::new(), DIM)
        },
        when(&it.sum),
    ]
}

/// An endpoint's passport.
pub(crate) fn card_of_endpoint(page: Page, it: &EndpointCard) -> String {
    let place = place(it.environment.as_ref().map(|word| word.0), it.account.as_ref(), it.platform.as_ref());
    let mut out = heading(page, &it.endpoint, &place);
    let all = [
        ("leads to", Some(it.function.clone())),
        ("which runs as", it.runs_as.clone()),
        ("at", it.url.clone()),
    ];
    facts(&all, page, &mut out);

    section(page, "LETS IN", &format!("at the widest {}", it.exposed_to.0.phrase()), &mut out);
    let mut way = it.way.clone();
    way.used.clear();
    columns(page, &["way", "from", "asks for", "lets in"], entry(&way), "nobody", &mut out);

    section(page, "CAME", "", &mut out);
    if it.used.is_empty() {
        few(page, &[], Vec::new(), "nobody looked", &mut out);
    } else {
        out.push_str(&page.paragraph(&it.used, "  ", "  ", 2));
    }
    if !it.way.used.is_empty() {
        few(page, &["showed", "came", "", "when"], it.way.used.iter().map(calls).collect(), "", &mut out);
    }
    section(page, "BEHIND IT", "", &mut out);
    let may = it
        .may
        .as_ref()
        .map_or_else(|| "it runs code, and may do no more".to_owned(), |may| format!("may {may}"));
    out.push_str(&page.paragraph(&paint(BOLD, &may), "  ", "  ", 2));
    section(page, "FINDINGS", &counted(&it.findings), &mut out);
    columns(page, &[], findings(&it.findings, &it.endpoint), "none", &mut out);
    out
}

fn calls(it: &CallsOut) -> Vec<Span> {
    let style = if it.showed == "nothing" { style_of(Severity::High) } else { NAME };
    vec![
        Span(it.showed.clone(), style),
        Span(format!("{} ×", grouped(it.sum.count)), Style::new()),
        Span(if it.turned_away { "turned away".to_owned() } else { String::new() }, DIM),
        when(&it.sum),
    ]
}
