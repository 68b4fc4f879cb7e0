//! A function's passport as text: who it is, who may enter, where it may go, its keys, what is wrong with it.

mod others;

use std::fmt::Write;

use anstyle::Style;
use pasaporte_audit::{Catalogue, Severity, grouped};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::State;
use pasaporte_report::finding::FindingOut;
use pasaporte_report::paths::FarOut;
use pasaporte_report::{BecomingOut, Card, Exit, KeyOut, Let, RunsAs, WayIn};

pub(crate) use others::{card_of_endpoint, card_of_identity, card_of_key};

use unicode_width::UnicodeWidthStr;

use crate::view::audit::count;
use crate::view::explain::{PERHAPS, heading};
use crate::view::page::{BOLD, DIM, NAME, Page, WITHIN, in_line, paint, style_of, wrap};

/// Callers of a way that are named before the others are counted.
const MOST_CALLERS: usize = 4;
/// Identities that it can become that are named.
const MOST_BECOMING: usize = 3;
/// Least room for the last column beside the others; else it goes below.
const LEAST_ROOM: usize = 20;

/// A text in a style.
struct Span(String, Style);

/// The passport.
pub(crate) fn card(page: Page, it: &Card) -> String {
    let environment = it.environment.as_ref().map(|word| word.0.to_string());
    let account = it.account.as_ref().map(|account| bare(account).to_owned());
    let place: Vec<String> = [environment, account, it.platform.clone()].into_iter().flatten().collect();
    let mut out = heading(page, &called(&it.function, it.name.as_deref()), &place.join(" · "));
    identity_page(page, it, &mut out);

    let widest = match (it.state.0, it.exposed_to.0) {
        (State::Disabled, _) => "switched off: nobody gets in".to_owned(),
        (_, Exposure::Insiders) => "insiders only".to_owned(),
        (_, circle) if it.exposed_surely => format!("at the widest {}", circle.phrase()),
        (_, circle) => format!("at the widest {}, perhaps", circle.phrase()),
    };
    section(page, "ENTRIES", &widest, &mut out);
    let titles = ["way", "from", "asks for", "lets in"];
    columns(page, &titles, it.entries.iter().flat_map(entry).collect(), "nobody makes it run", &mut out);

    let worst = it.runs_as.as_ref().and_then(|identity| identity.may.clone());
    section(page, "EXITS", &worst.map_or_else(String::new, |may| format!("may {may}")), &mut out);
    exits(page, &it.exits, &mut out);
    besides(page, &it.exits_as_anyone, &it.can_become, &mut out);

    for far in it.far.iter().flatten() {
        out.push_str(&page.paragraph(&far_from_here(far), "  ", "  ", 2));
    }

    section(page, "KEYS", "", &mut out);
    columns(page, &[], it.keys.iter().map(key).collect(), "no key opens it", &mut out);

    section(page, "FINDINGS", &counted(&it.findings), &mut out);
    columns(page, &[], findings(&it.findings, &it.function), "none", &mut out);
    out
}

/// How far one gets from here, in a line.
fn far_from_here(it: &FarOut) -> String {
    let what = match (it.to.as_str(), it.reached) {
        ("confidential", 1) => "confidential data".to_owned(),
        ("confidential", some) => format!("{some} confidential things"),
        ("access", 1) => "change access".to_owned(),
        ("access", some) => format!("change access at {some} places"),
        ("production", 1) => "an identity in production".to_owned(),
        ("production", some) => format!("{some} identities in production"),
        (_, 1) => "another account".to_owned(),
        (_, some) => format!("{some} things of other accounts"),
    };
    let steps = if it.steps == 1 { "1 step".to_owned() } else { format!("{} steps", it.steps) };
    let perhaps = if it.sureness == "certain" { "" } else { ", perhaps" };
    format!("from here to {what}: {} in {steps}, by {}{perhaps}", it.nearest, it.strength)
}

/// A thing, and what people call it.
fn called(label: &str, name: Option<&str>) -> String {
    name.map_or_else(|| label.to_owned(), |name| format!("{label}, {}", in_line(name)))
}

fn identity_page(page: Page, it: &Card, out: &mut String) {
    let text = match &it.runs_as {
        None => "nothing that the estate names".to_owned(),
        Some(identity) => told_identity(identity),
    };
    let first = format!("{}  ", paint(DIM, "runs as"));
    out.push_str(&page.paragraph(&text, &first, "         ", 9));
    if !it.handed.is_empty() {
        let first = format!("{}   ", paint(DIM, "handed"));
        out.push_str(&page.paragraph(&it.handed.join(", "), &first, "         ", 9));
    }
    let facts = [
        ("owner", it.owner.clone()),
        ("runtime", it.runtime.clone()),
        ("version", it.version.clone()),
        ("state", (it.state.0 == State::Disabled).then(|| "switched off".to_owned())),
    ];
    let told: Vec<String> = facts
        .iter()
        .filter_map(|(name, value)| Some(format!("{} {}", paint(DIM, name), in_line(value.as_ref()?))))
        .collect();
    if !told.is_empty() {
        let _ = writeln!(out, "{}", told.join("    "));
    }
}

fn told_identity(identity: &RunsAs) -> String {
    let kind = match (&identity.kind, identity.default) {
        (None, _) => ", which is not in the estate".to_owned(),
        (Some(kind), true) => {
            format!(", the {} that the platform made for everybody", words(&kind.0.to_string()))
        }
        (Some(kind), false) => format!(", {} of its own", article(&words(&kind.0.to_string()))),
    };
    let kind = if identity.shared_with.is_empty() { kind } else { kind.replace(" of its own", "") };
    match identity.shared_with.as_slice() {
        [] => format!("{}{kind}", identity.identity),
        [one] => format!("{}{kind}, shared with {one}", identity.identity),
        [one, rest @ ..] => format!("{}{kind}, shared with {one} and {} more", identity.identity, rest.len()),
    }
}

/// A rule with a title in it, and something to the right where there is room.
fn section(page: Page, title: &str, right: &str, out: &mut String) {
    let width = page.text_width();
    let used = title.width() + 6;
    let beside = !right.is_empty() && used + right.width() + 3 <= width;
    let line = width - used + 2 - if beside { right.width() + 1 } else { 0 };
    let tail = if beside { format!(" {right}") } else { String::new() };
    let _ = writeln!(
        out,
        "\n{} {} {}{tail}",
        paint(DIM, "──"),
        paint(BOLD, title),
        paint(DIM, &"─".repeat(line))
    );
    if !beside && !right.is_empty() {
        out.push_str(&page.paragraph(right, "  ", "  ", 2));
    }
}

/// A way in, and below it what else matters.
fn entry(way: &WayIn) -> Vec<Vec<Span>> {
    let from: Vec<&str> = way.network.iter().map(String::as_str).collect();
    let from = match from.as_slice() {
        [] => String::new(),
        ["internet"] => "internet".to_owned(),
        ["internal"] => "within".to_owned(),
        [network] => (*network).to_owned(),
        [network, rest @ ..] => format!("{network} +{}", rest.len()),
    };
    let is_anyone = |it: &Let| it.who == "anyone" && it.circle.0 == Exposure::Anyone;
    let open = way.asks == "nothing" && way.lets_in.iter().any(is_anyone);
    let asks = Span(way.asks.clone(), if open { style_of(Severity::Critical) } else { Style::new() });
    let anyone = way.lets_in.iter().any(|it| is_anyone(it) && it.verdict.0 == Verdict::Yes);
    let inside = way.lets_in.iter().any(|it| it.who == "anyone");
    let style = match (anyone, inside) {
        (true, _) => style_of(Severity::Critical).invert(),
        (false, true) => WITHIN,
        (false, false) => NAME,
    };
    let told: Vec<String> = way.lets_in.iter().take(MOST_CALLERS).map(caller).collect();
    let mut who =
        if told.is_empty() && way.asks != "the clock" { "nobody".to_owned() } else { told.join(", ") };
    if way.lets_in.len() > MOST_CALLERS {
        let _ = write!(who, " and {} more", way.lets_in.len() - MOST_CALLERS);
    }
    let mut rows = vec![vec![Span(way.way.clone(), Style::new()), Span(from, DIM), asks, Span(who, style)]];
    let used = way.came().map(|came| (format!("came: {came}"), DIM));
    let notes = way
        .notes
        .iter()
        .map(|note| (note.text.clone(), if note.alarming { style_of(Severity::Critical) } else { DIM }));
    for (text, style) in notes.chain(used) {
        let nothing = || Span(String::new(), Style::new());
        rows.push(vec![nothing(), nothing(), nothing(), Span(text, style)]);
    }
    rows
}

fn caller(it: &Let) -> String {
    let who = match (it.who.as_str(), it.circle.0) {
        ("anyone", Exposure::Anyone) => "ANYONE",
        ("anyone", _) => "anyone inside",
        (who, _) => who,
    };
    let perhaps = if it.verdict.0 == Verdict::Depends { " (perhaps)" } else { "" };
    format!("{who}{perhaps}")
}

/// Where it may go: what was used beside it, where logs say so of any.
fn exits(page: Page, all: &[Exit], out: &mut String) {
    let titles = ["service", "may", "on", "used", "such as"];
    let is_told = all.iter().any(|exit| exit.used.is_some());
    let mut rows: Vec<Vec<Span>> = all.iter().map(exit).collect();
    if !is_told {
        for row in &mut rows {
            row.remove(3);
        }
    }
    let titles: Vec<&str> = titles.into_iter().filter(|title| is_told || *title != "used").collect();
    columns(page, &titles, rows, "nothing by itself", out);
}

fn exit(it: &Exit) -> Vec<Span> {
    let service = &it.service;
    let things = if it.things == 0 { "none yet".to_owned() } else { count(it.things, "thing") };
    let things = match (it.confidential, it.things) {
        (0, _) => things,
        (some, all) if some == all => format!("{some} confidential"),
        (some, all) => format!("{some} of {all} confidential"),
    };
    let style = if it.confidential > 0 { style_of(Severity::High) } else { Style::new() };
    let mut example = it.example.clone().unwrap_or_default();
    if it.wild {
        example.push_str(if example.is_empty() { "new ones" } else { " and new ones" });
    }
    if it.only_perhaps {
        example.push_str(" (perhaps)");
    }
    vec![
        Span(service.to_owned(), BOLD),
        Span(classes(it), Style::new()),
        Span(things, style),
        match it.used {
            None => Span(String::new(), DIM),
            Some(0) => Span("never".to_owned(), PERHAPS),
            Some(times) => Span(format!("{} ×", grouped(times)), Style::new()),
        },
        Span(example, NAME),
    ]
}

/// The classes of actions in words.
fn classes(it: &Exit) -> String {
    const MANY: usize = 7;
    if it.may.len() >= MANY {
        return "everything".to_owned();
    }
    let word = |class: &String| match class.as_str() {
        "code" => "change code".to_owned(),
        "identity" if ["user", "group"].contains(&it.service.as_str()) => "act as them".to_owned(),
        "identity" => "use identities".to_owned(),
        "access" => "change access".to_owned(),
        "secret" => "read secrets".to_owned(),
        other => other.to_owned(),
    };
    it.may.iter().map(word).collect::<Vec<_>>().join(", ")
}

/// What it may do as anybody may, and whom it can become.
fn besides(page: Page, as_anyone: &[Exit], can_become: &[BecomingOut], out: &mut String) {
    if !as_anyone.is_empty() {
        let told: Vec<String> = as_anyone
            .iter()
            .map(|exit| match (&exit.example, exit.things) {
                (Some(example), 1) => format!("{} ({example})", classes(exit)),
                (_, some) => format!("{} ({some} of kind {})", classes(exit), exit.service),
            })
            .collect();
        let text = format!("and as any signed-in caller here: {}", told.join("; "));
        out.push_str(&page.paragraph(&text, "  ", "  ", 2));
    }
    if can_become.is_empty() {
        return;
    }
    let told: Vec<String> = can_become
        .iter()
        .take(MOST_BECOMING)
        .map(|other| {
            let perhaps = if other.verdict.0 == Verdict::Depends { " (perhaps)" } else { "" };
            let how = other.otherwise().map_or_else(String::new, |how| format!(" ({how})"));
            format!("{}{how}{perhaps}", other.who)
        })
        .collect();
    let more = can_become.len().saturating_sub(MOST_BECOMING);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    out.push_str(&page.paragraph(&format!("can become {}{more}", told.join(", ")), "  ", "  ", 2));
}

fn key(it: &KeyOut) -> Vec<Span> {
    let age = it.age_days.map_or_else(|| "age not known".to_owned(), |days| format!("{days} days old"));
    let used = match it.last_used.as_deref() {
        None => "use not known".to_owned(),
        Some("never") => "never used".to_owned(),
        Some(date) => format!("used {date}"),
    };
    let ends = it.expires.as_ref().map_or_else(|| "never ends".to_owned(), |date| format!("ends {date}"));
    let reach = it.reach.0.to_string();
    let wide = reach != "function";
    vec![
        Span(it.key.clone(), NAME),
        Span(format!("{reach} reach"), if wide { PERHAPS } else { Style::new() }),
        Span(age, Style::new()),
        match it.lets_in.0 {
            Verdict::No => Span(format!("{used}, {ends}; no endpoint takes it"), DIM),
            _ => Span(format!("{used}, {ends}"), Style::new()),
        },
    ]
}

/// The findings, worst first; those of one rule on one thing together. On what the card is of, the thing goes without saying.
fn findings(all: &[FindingOut], card: &str) -> Vec<Vec<Span>> {
    let rules = Catalogue::shipped();
    let mut rows: Vec<(&FindingOut, usize)> = Vec::new();
    for finding in all {
        let same = |(first, _): &&mut (&FindingOut, usize)| {
            (&first.rule, &first.thing, first.severity) == (&finding.rule, &finding.thing, finding.severity)
        };
        match rows.iter_mut().find(same) {
            Some((_, count)) => *count += 1,
            None => rows.push((finding, 1)),
        }
    }
    let row = |(finding, count): (&FindingOut, usize)| {
        let title = rules.all().find(|rule| rule.id == finding.rule).map_or("", |rule| rule.title);
        let times = if count == 1 { String::new() } else { format!(" ({count} times)") };
        let thing = if finding.thing == card { String::new() } else { format!("{}: ", finding.thing) };
        vec![
            Span(finding.severity.0.to_string(), style_of(finding.severity.0)),
            Span(finding.rule.to_string(), Style::new()),
            Span(format!("{thing}{title}{times}"), Style::new()),
        ]
    };
    rows.into_iter().map(row).collect()
}

fn counted(findings: &[FindingOut]) -> String {
    use pasaporte_core::estate::Vocabulary;
    let of = |severity: Severity| findings.iter().filter(|finding| finding.severity.0 == severity).count();
    let all = Severity::ALL.iter().rev().map(|(word, severity)| (of(*severity), *word));
    let told: Vec<String> =
        all.filter(|(count, _)| *count > 0).map(|(count, word)| format!("{count} {word}")).collect();
    told.join(" · ")
}

/// Rows in columns as wide as their widest text; the last one takes what is left, on several lines where it must.
/// Titles stand over them, if there are any.
fn columns(page: Page, titles: &[&str], mut rows: Vec<Vec<Span>>, none: &str, out: &mut String) {
    if rows.is_empty() {
        let _ = writeln!(out, "  {none}");
        return;
    }
    if !titles.is_empty() {
        rows.insert(0, titles.iter().map(|title| Span((*title).to_owned(), DIM)).collect());
    }
    // What an estate says breaks no row.
    for Span(text, _) in rows.iter_mut().flatten() {
        *text = in_line(text);
    }
    let last = rows[0].len() - 1;
    let width = |column: usize| rows.iter().map(|row| row[column].0.width()).max().unwrap_or_default();
    let widths: Vec<usize> = (0..last).map(width).collect();
    let before: usize = widths.iter().filter(|width| **width > 0).map(|width| width + 2).sum::<usize>() + 2;
    let beside = before + LEAST_ROOM <= page.text_width();
    if before > page.text_width() {
        // No room for columns: a block a row.
        for row in rows.iter().skip(usize::from(!titles.is_empty())) {
            let _ = writeln!(out, "  {}", paint(row[0].1, &row[0].0));
            let rest: Vec<&str> =
                row[1..].iter().map(|span| span.0.as_str()).filter(|text| !text.is_empty()).collect();
            out.push_str(&page.paragraph(&rest.join(" · "), "      ", "      ", 6));
        }
        return;
    }
    for row in rows {
        let mut line = String::from("  ");
        for (Span(text, style), width) in row.iter().zip(&widths).filter(|(_, width)| **width > 0) {
            line.push_str(&paint(*style, text));
            line.push_str(&" ".repeat(width + 2 - text.width()));
        }
        let Span(text, style) = &row[last];
        let indent = if beside { before } else { 6 };
        let lines = wrap(text, page.text_width().saturating_sub(indent).max(LEAST_ROOM));
        if !beside {
            out.push_str(line.trim_end());
            out.push('\n');
            line = " ".repeat(indent);
        }
        for (number, each) in lines.iter().filter(|each| !each.is_empty()).enumerate() {
            if number > 0 {
                out.push('\n');
                line = " ".repeat(indent);
            }
            out.push_str(&line);
            out.push_str(&paint(*style, each));
            line.clear();
        }
        if !line.trim().is_empty() {
            out.push_str(line.trim_end());
        }
        out.push('\n');
    }
}

fn bare(label: &str) -> &str {
    label.split_once(':').map_or(label, |(_, id)| id)
}

fn words(kind: &str) -> String {
    kind.replace('-', " ")
}

fn article(words: &str) -> String {
    let vowel = words.starts_with(['a', 'e', 'i', 'o', 'u']);
    format!("{} {words}", if vowel { "an" } else { "a" })
}
