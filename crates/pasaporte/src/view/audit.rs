//! An audit as text: what was looked at, the findings, the sum.

use std::fmt::Write;
use std::path::Path;

use anstyle::Style;
use pasaporte_audit::{Audit, Finding, Rule, Severity, Sureness};
use pasaporte_core::estate::{Estate, Vocabulary};
use pasaporte_report::accepted::AcceptedOut;
use pasaporte_report::config::ConfiguredOut;
use pasaporte_report::finding::PasteOut;
use pasaporte_report::since::Then;
use pasaporte_report::start::StartOut;
use pasaporte_report::{AccountOut, LookedAt};
use unicode_width::UnicodeWidthStr;

use super::page::{BOLD, DIM, FIX, NAME, Page, in_line, paint, style_of, wrap};
use crate::session::{Audited, Since};

/// Findings of one rule and severity that are told in full before the others are only named.
const MOST_OF_A_RULE: usize = 3;

/// The audit as text; `in_full` says how many findings are told in full, none is all.
pub(crate) fn audit(page: Page, audited: &Audited<'_>, in_full: Option<usize>) -> String {
    let estate = audited.audit.estate();
    let mut out = heading(page, audited);
    let mut left = in_full.unwrap_or(usize::MAX);
    let most = if in_full.is_some() { MOST_OF_A_RULE } else { usize::MAX };
    let mut named = 0;
    // What is the same as it was is told only where all is.
    let is_told = |finding: &&Finding| {
        let is_news = || audited.then(finding).is_none_or(Then::is_news);
        audited.counts(finding) && (in_full.is_none() || is_news())
    };
    for severity in Severity::ALL.iter().rev().map(|(_, severity)| *severity) {
        let findings: Vec<&Finding> =
            audited.findings.iter().filter(|each| each.severity == severity).filter(is_told).collect();
        if findings.is_empty() {
            continue;
        }
        out.push_str(&banner(page, style_of(severity), &severity.word().to_uppercase(), findings.len()));
        let mut short = Vec::new();
        for group in findings.chunk_by(|one, other| one.rule == other.rule) {
            let told = group.len().min(most).min(left);
            left -= told;
            if told == 0 {
                short.push(group);
                continue;
            }
            out.push_str(&rule_line(page, audited.audit.rule(group[0])));
            for finding in &group[..told] {
                out.push_str(&in_detail(page, audited, finding, most == usize::MAX));
            }
            if told < group.len() {
                named += group.len() - told;
                out.push_str(&others(page, estate, severity, &group[told..]));
            }
        }
        for group in short {
            named += group.len();
            out.push_str(&in_short(page, &audited.audit, group));
        }
        out.push('\n');
    }
    out.push_str(&accepted(page, audited));
    out.push_str(&gone(page, audited, in_full.is_none()));
    out.push_str(&summary(page, audited, named, in_full.is_none()));
    out
}

/// How it stands to the audit that was saved.
fn standing(page: Page, audited: &Audited<'_>) -> String {
    let Some(Since { told, .. }) = &audited.since else { return String::new() };
    let as_of =
        told.as_of.as_ref().map_or_else(String::new, |time| format!(" (as of {})", to_the_second(time)));
    let mut text = format!(
        "Since {}{as_of}: {} new, {} worse, {} the same, {} gone.",
        told.file,
        told.new,
        told.worse,
        told.same,
        told.gone.len()
    );
    if told.is_another_estate {
        text.push_str(" None of its accounts is looked at now: it may be of another estate.");
    }
    if told.by_other_rules > 0 {
        let _ = write!(text, " {} of the new are by rules that were not run then.", told.by_other_rules);
    }
    if told.not_looked_for > 0 {
        let _ =
            write!(text, " {} of then were not looked for: their rules were not run.", told.not_looked_for);
    }
    if !told.gone.is_empty() && audited.looked_at.blind_spots > told.blind_spots {
        text.push_str(" There are more blind spots than then, so what is gone may only be out of sight.");
    }
    page.paragraph(&text, "", "", 0) + "\n"
}

/// What somebody answers for, and what is not there any more of it.
fn accepted(page: Page, audited: &Audited<'_>) -> String {
    let Some(heeded) = &audited.accepted else { return String::new() };
    let told = &heeded.told;
    let mut out = String::new();
    let in_force = audited.findings.iter().filter_map(|finding| {
        let it = audited.acceptance(finding).filter(|it| it.in_force)?;
        Some((finding, it))
    });
    let mut in_force: Vec<(&Finding, AcceptedOut)> = in_force.collect();
    in_force.sort_by_key(|(_, it)| it.days_left);
    if !in_force.is_empty() {
        let _ = writeln!(out, "{}", banner(page, DIM, "ACCEPTED", in_force.len()));
        for (finding, it) in in_force {
            let (rule, name) = (audited.audit.rule(finding).id, finding.label(audited.audit.estate()));
            let severity = paint(style_of(finding.severity), finding.severity.word());
            let _ = writeln!(out, "  {}  {severity}  {}", paint(NAME, &name), paint(DIM, rule));
            let text = format!(
                "{} until {}, {} left: {}",
                in_line(&it.owner),
                it.until,
                count(usize::try_from(it.days_left).unwrap_or_default(), "day"),
                in_line(&it.reason),
            );
            out.push_str(&page.paragraph(&text, "    ", "    ", 4));
        }
        out.push('\n');
    }
    for it in &told.unmatched {
        let text = format!(
            "{}:{} accepts {} on {}, which is not found any more: `pasaporte waive --withdraw {}`.",
            told.file,
            it.line,
            in_line(&it.rule),
            in_line(&it.thing),
            it.fingerprint,
        );
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    if !told.unmatched.is_empty() {
        out.push('\n');
    }
    out
}

/// What was found then and is not any more.
fn gone(page: Page, audited: &Audited<'_>, all: bool) -> String {
    const MOST: usize = 10;
    let Some(Since { told, .. }) = &audited.since else { return String::new() };
    if told.gone.is_empty() {
        return String::new();
    }
    let mut out = format!("{}\n", banner(page, FIX, "GONE", told.gone.len()));
    let most = if all { usize::MAX } else { MOST };
    for it in told.gone.iter().take(most) {
        let severity = paint(style_of(it.severity.0), it.severity.0.word());
        let (name, rule) = (paint(NAME, &in_line(&it.thing)), paint(DIM, &in_line(&it.rule)));
        let _ = writeln!(out, "  {name}  was {severity}  {rule}");
    }
    if told.gone.len() > most {
        let _ = writeln!(out, "  … and {} more", told.gone.len() - most);
    }
    out.push('\n');
    out
}

/// What was looked at, so that nobody takes "no findings" for more than it says.
fn heading(page: Page, audited: &Audited<'_>) -> String {
    let looked_at = &audited.looked_at;
    let as_of = looked_at.as_of.as_ref().map_or_else(
        || "at a time that the estate does not say".to_owned(),
        |time| format!("as of {}", to_the_second(time)),
    );
    let files = count(looked_at.files.len(), "file");
    let mut out = format!("{} {as_of}, read from {files}\n", paint(BOLD, "Looked at an estate"));
    let kinds = [
        "function",
        "endpoint",
        "trigger",
        "identity",
        "key",
        "grant",
        "permission_set",
        "group",
        "resource",
    ];
    let things: Vec<String> = kinds
        .into_iter()
        .map(|one| {
            let many = if one == "identity" { "identities".to_owned() } else { format!("{one}s") };
            let number = looked_at.things.get(many.as_str()).copied().unwrap_or_default();
            format!("{number} {}", if number == 1 { one } else { &many }.replace('_', " "))
        })
        .collect();
    out.push_str(&page.paragraph(&format!("{}.", things.join(", ")), "", "", 0));
    out.push_str(&functions_by_account(page, looked_at));
    let blind = match looked_at.blind_spots {
        0 => "Nothing in it was out of sight.".to_owned(),
        some => format!(
            "Blind spots: {} not seen or not understood; what that hides is not called clean.",
            if some == 1 { "1 thing was".to_owned() } else { format!("{some} things were") },
        ),
    };
    out.push_str(&page.paragraph(&blind, "", "", 0));
    if let Some(it) = &audited.configured {
        out.push_str(&page.paragraph(&judged_by(it), "", "", 0));
    }
    if let Some(it) = &audited.start_here {
        out.push_str(&start_here(page, it));
    }
    out.push('\n');
    out.push_str(&standing(page, audited));
    out
}

/// By which configuration, and what that makes of rules.
fn judged_by(it: &ConfiguredOut) -> String {
    const MOST: usize = 6;
    let listed = |rules: &[&str]| match rules.get(MOST..) {
        None | Some([]) => rules.join(", "),
        Some(more) => format!("{} and {} more", rules[..MOST].join(", "), more.len()),
    };
    let mut told: Vec<String> = Vec::new();
    if !it.off.is_empty() {
        let off: Vec<&str> = it.off.iter().map(String::as_str).collect();
        told.push(format!("{} off", listed(&off)));
    }
    for (word, severity) in Severity::ALL.iter().rev() {
        let rules: Vec<&str> =
            it.told_as.iter().filter(|(_, it)| it.0 == *severity).map(|(rule, _)| rule.as_str()).collect();
        if !rules.is_empty() {
            told.push(format!("{} told as {word}", listed(&rules)));
        }
    }
    match told.as_slice() {
        [] => format!("Judged by {}.", it.file),
        told => format!("Judged by {}: {}.", it.file, told.join("; ")),
    }
}

/// How many functions each account has, a line or two a platform, the largest accounts first.
fn functions_by_account(page: Page, looked_at: &LookedAt) -> String {
    const MOST_ACCOUNTS: usize = 8;
    let platform = |account: &AccountOut| account.platform.clone().unwrap_or("not said".to_owned());
    let accounts: Vec<&AccountOut> =
        looked_at.accounts.iter().filter(|each| each.account.is_some() || each.functions > 0).collect();
    let widest = accounts.iter().map(|account| platform(account).width()).max().unwrap_or_default();
    let mut out = format!("\nFunctions by platform and account ({}):\n", count(accounts.len(), "account"));
    for group in accounts.chunk_by(|one, other| one.platform == other.platform) {
        let mut group = group.to_vec();
        group.sort_by_key(|account| std::cmp::Reverse(account.functions));
        let told = group.iter().take(MOST_ACCOUNTS).map(|account| {
            format!("{} {}", account.account.as_deref().unwrap_or("no account"), account.functions)
        });
        let mut told = told.collect::<Vec<_>>().join(", ");
        if group.len() > MOST_ACCOUNTS {
            let rest = &group[MOST_ACCOUNTS..];
            let functions = rest.iter().map(|account| account.functions).sum::<usize>();
            let _ = write!(told, " and {} more with {functions}", count(rest.len(), "account"));
        }
        let name = platform(group[0]);
        let first = format!("  {}{}  ", paint(DIM, &name), " ".repeat(widest - name.width()));
        out.push_str(&page.paragraph(&told, &first, &" ".repeat(widest + 4), widest + 4));
    }
    out.push('\n');
    out
}

/// A moment in words, without the parts of a second that a clock may have given it.
fn to_the_second(time: &str) -> String {
    let (day, clock) = time.split_once('T').unwrap_or((time, ""));
    let clock = clock.trim_end_matches('Z').split('.').next().unwrap_or_default();
    if clock.is_empty() { day.to_owned() } else { format!("{day} {clock} UTC") }
}

/// A line over some findings.
fn banner(page: Page, style: Style, title: &str, findings: usize) -> String {
    let title = format!(" {title} · {} ", count(findings, "finding"));
    let rest = page.text_width().saturating_sub(title.width() + 2);
    format!("{style}──{title}{}{style:#}\n", "─".repeat(rest))
}

/// What a rule looks for, and its name at the end of the first line, wherever the words end.
fn rule_line(page: Page, rule: &Rule) -> String {
    let mut out = String::from("\n");
    let width = page.text_width();
    let room = width.saturating_sub(rule.id.width() + 2).max(20);
    for (number, line) in wrap(rule.title, room).iter().enumerate() {
        let (gap, id) = match number {
            0 => (width.saturating_sub(line.width() + rule.id.width()).max(2), rule.id),
            _ => (0, ""),
        };
        let _ = writeln!(out, "{}{}{}", paint(BOLD, line), " ".repeat(gap), paint(DIM, id));
    }
    out
}

/// A finding in full: the thing, where it is, the situation, the fix, the evidence.
fn in_detail(page: Page, audited: &Audited<'_>, finding: &Finding, explained: bool) -> String {
    let audit = &audited.audit;
    let estate = audit.estate();
    let told = pasaporte_audit::told(audit, finding);
    let name = finding.label(estate);
    let style = style_of(finding.severity);
    let bar = format!("{style}▌{style:#} ");
    let mut out = String::new();
    let then = audited.then(finding).and_then(Then::told);
    let place = [then, Some(place(estate, finding))].into_iter().flatten().filter(|part| !part.is_empty());
    let place = place.collect::<Vec<_>>().join(" · ");
    let gap = page.text_width().saturating_sub(2 + name.width() + place.width());
    let thing = paint(NAME.bold(), &name);
    if place.is_empty() {
        let _ = writeln!(out, "\n{bar}{thing}");
    } else if gap >= 2 {
        let _ = writeln!(out, "\n{bar}{thing}{}{}", " ".repeat(gap), paint(DIM, &place));
    } else {
        let _ = writeln!(out, "\n{bar}{thing}\n{bar}{}", paint(DIM, &place));
    }
    out.push_str(&page.paragraph(&told.situation, &bar, &bar, 2));
    let fix = format!("{bar}{} ", paint(FIX, "fix "));
    out.push_str(&page.paragraph(&told.fix, &fix, &format!("{bar}     "), 7));
    if let Some(paste) = told.change.and_then(|change| PasteOut::of(change, estate, audited.texts)) {
        let how = if paste.was.is_some() { "would read" } else { "would be a new line" };
        let place = format!("{}:{} {how}", super::safe(&paste.file), paste.line);
        let _ = writeln!(out, "{bar}     {}", paint(DIM, &place));
        for line in wrap(paste.reads.trim_start(), page.text_width() - 9) {
            let _ = writeln!(out, "{bar}       {}", paint(FIX, &super::safe(&line)));
        }
    }
    if let Some(it) = audited.acceptance(finding).filter(|it| !it.in_force) {
        let text = format!(
            "{} answered for it until {}, {} ago: {}",
            in_line(&it.owner),
            it.until,
            count(usize::try_from(-it.days_left).unwrap_or_default(), "day"),
            in_line(&it.reason),
        );
        let late = format!("{bar}{} ", paint(style_of(Severity::High), "late"));
        out.push_str(&page.paragraph(&text, &late, &format!("{bar}     "), 7));
    }
    if explained {
        let why = pasaporte_audit::level_in_words(audit, finding);
        let at = format!("{bar}{} ", paint(DIM, "why "));
        out.push_str(&page.paragraph(&why, &at, &format!("{bar}     "), 7));
    }
    let also = also(audit, finding);
    if !also.is_empty() {
        let at = format!("{bar}{} ", paint(DIM, "also"));
        for (number, line) in wrap(&also, page.text_width() - 7).iter().enumerate() {
            let first = if number == 0 { at.clone() } else { format!("{bar}     ") };
            let _ = writeln!(out, "{first}{line}");
        }
    }
    let seen: Vec<String> = told
        .evidence
        .iter()
        .map(|evidence| {
            format!("{}:{} {}", estate.path(evidence.origin.file), evidence.origin.line, evidence.what)
        })
        .collect();
    if !seen.is_empty() {
        let at = format!("{bar}{} ", paint(DIM, "seen"));
        for (number, line) in wrap(&seen.join(" · "), page.text_width() - 7).iter().enumerate() {
            let first = if number == 0 { at.clone() } else { format!("{bar}     ") };
            let _ = writeln!(out, "{first}{}", paint(DIM, line));
        }
    }
    out
}

/// What lies beneath a finding: other rules that see the same weakness, and on what, where that is another thing.
fn also(audit: &Audit<'_>, finding: &Finding) -> String {
    const MOST: usize = 6;
    let estate = audit.estate();
    let own = finding.label(estate);
    let mut told: Vec<(String, usize)> = Vec::new();
    for other in finding.beneath() {
        let label = other.label(estate);
        let rule = audit.rule(other).id;
        let text = if label == own { rule.to_owned() } else { format!("{rule} on {label}") };
        match told.iter_mut().find(|(known, _)| *known == text) {
            Some((_, count)) => *count += 1,
            None => told.push((text, 1)),
        }
    }
    let more = told.len().saturating_sub(MOST);
    let mut texts: Vec<String> = told
        .into_iter()
        .take(MOST)
        .map(|(text, count)| if count == 1 { text } else { format!("{text} ({count} times)") })
        .collect();
    if more > 0 {
        texts.push(format!("and {more} more"));
    }
    texts.join(", ")
}

/// Where a finding's thing is, and how sure it is if it is not certain.
fn place(estate: &Estate, finding: &Finding) -> String {
    let environment = finding.environment.map(|environment| environment.word().to_owned());
    let sureness = (finding.sureness != Sureness::Certain).then(|| finding.sureness.word().to_owned());
    let account = finding.account(estate).map(str::to_owned);
    let platform = finding.platform(estate).map(str::to_owned);
    [sureness, environment, account, platform].into_iter().flatten().collect::<Vec<_>>().join(" · ")
}

/// The others of a rule, by name.
fn others(page: Page, estate: &Estate, severity: Severity, findings: &[&Finding]) -> String {
    let style = style_of(severity);
    let bar = format!("{style}▌{style:#} ");
    let text = format!("and {} more: {}", findings.len(), names(estate, findings, 6));
    format!("\n{}", page.paragraph(&text, &bar, &bar, 2))
}

/// The findings of a rule in a line or two.
fn in_short(page: Page, audit: &Audit<'_>, findings: &[&Finding]) -> String {
    let (estate, rule) = (audit.estate(), audit.rule(findings[0]));
    let style = style_of(findings[0].severity);
    let mut out = format!(
        "\n{style}▌{style:#} {} {}\n",
        paint(BOLD, &format!("{} ×", findings.len())),
        wrap(rule.title, page.text_width() - 8).join(" "),
    );
    let first = "     ";
    let id = format!("{first}{}  ", paint(DIM, rule.id));
    let indent = first.len() + rule.id.width() + 2;
    out.push_str(&page.paragraph(&names(estate, findings, 3), &id, &" ".repeat(indent), indent));
    out
}

/// The things of some findings, each once, up to some many.
fn names(estate: &Estate, findings: &[&Finding], most: usize) -> String {
    let mut things: Vec<String> = findings.iter().map(|finding| finding.label(estate)).collect();
    things.dedup();
    let more = things.len().saturating_sub(most);
    let shown = things[..things.len().min(most)].join(", ");
    if more == 0 { shown } else { format!("{shown} … and {more} more") }
}

/// The few changes that close most of the worst.
fn start_here(page: Page, it: &StartOut) -> String {
    let (number, close) = match it.changes.len() {
        1 => ("One change".to_owned(), "closes"),
        2 => ("Two changes".to_owned(), "close"),
        3 => ("Three changes".to_owned(), "close"),
        some => (format!("{some} changes"), "close"),
    };
    let told = format!("{number} {close} {} of {}.", it.closed, count(it.of, "critical finding"));
    let mut out = format!("\n{} ", paint(BOLD, "Start here:"));
    out.push_str(&page.paragraph(&told, "", "", 12));
    for (at, change) in it.changes.iter().enumerate() {
        let place = change.read_from.as_ref().map_or_else(String::new, |at| format!(" · {at}"));
        let first = format!(" {} ", paint(FIX, &format!("{:>2}", at + 1)));
        out.push_str(&page.paragraph(&format!("{}{place}", change.told), &first, "    ", 4));
    }
    let touches = if it.touches.is_empty() {
        "Nobody was seen to use any of it.".to_owned()
    } else {
        format!("Seen in use there: {}.", it.touches.join("; "))
    };
    out.push_str(&page.paragraph(&touches, "    ", "    ", 4));
    if it.closed < it.of {
        let left = it.of - it.closed;
        let told = format!("That leaves {left}.");
        out.push_str(&page.paragraph(&told, "    ", "    ", 4));
    }
    out
}

fn summary(page: Page, audited: &Audited<'_>, named: usize, all: bool) -> String {
    let mut counts = Vec::new();
    for (word, severity) in Severity::ALL.iter().rev() {
        let number = audited.findings.iter().filter(|finding| finding.severity == *severity).count();
        if number > 0 {
            counts.push(paint(style_of(*severity), &format!("{number} {word}")));
        }
    }
    let ran = count(audited.ran.len(), "rule");
    let mut out = if counts.is_empty() {
        format!("{} in what was looked at, by {ran}.\n", paint(BOLD, "No findings"))
    } else {
        let all = paint(BOLD, &count(audited.findings.len(), "finding"));
        format!("{all} by {ran}: {}\n", counts.join(", "))
    };
    if let Some(heeded) = audited.accepted.as_ref().filter(|it| it.told.in_force > 0) {
        let text = match heeded.told.in_force {
            1 => format!("1 of them is accepted by {} and does not count.", heeded.told.file),
            some => format!("{some} of them are accepted by {} and do not count.", heeded.told.file),
        };
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    match audited.accepted.as_ref().map_or(0, |it| it.told.overdue) {
        0 => {}
        1 => out.push_str("1 of them was accepted until a day that is past, and counts again.\n"),
        some => {
            let text = format!("{some} of them were accepted until a day that is past, and count again.");
            out.push_str(&page.paragraph(&text, "", "", 0));
        }
    }
    let is_unchanged =
        |finding: &&Finding| audited.counts(finding) && audited.then(finding) == Some(Then::Same);
    let unchanged = audited.findings.iter().filter(is_unchanged).count();
    if unchanged > 0 && !all {
        let text = match unchanged {
            1 => "1 of them is the same as it was and is told with --all only.".to_owned(),
            many => format!("{many} of them are the same as they were and are told with --all only."),
        };
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    let beneath: usize = audited.findings.iter().map(|finding| finding.beneath().len()).sum();
    if beneath > 0 {
        let lie = if beneath == 1 { "1 more lies".to_owned() } else { format!("{beneath} more lie") };
        let text =
            format!("{lie} beneath them: what other rules see of the same weakness is not told again.");
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    if named > 0 {
        let text = format!(
            "{} not told in full: --all tells them all, and `pasaporte rules ID` says more about a rule.",
            if named == 1 { "1 of them is".to_owned() } else { format!("{named} of them are") },
        );
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    out
}

/// What to try after the demo.
pub(crate) fn next_steps(page: Page, folder: Option<&Path>) -> String {
    let mut out = String::from("\n");
    let commands: Vec<(String, &str)> = match folder {
        None => vec![
            (
                "pasaporte demo FOLDER".to_owned(),
                "writes this estate into a folder of yours, to read and to change",
            ),
            (
                "pasaporte rules entry/unpinned-source".to_owned(),
                "says why a rule matters, and how to mend it",
            ),
        ],
        Some(folder) => {
            let folder = super::safe(&folder.to_string_lossy());
            vec![
                (format!("pasaporte entry scan-passport {folder}"), "shows who may make a function run"),
                (format!("pasaporte reach scan-passport {folder}"), "shows what it may then do"),
                (
                    format!("pasaporte audit {folder} --only 'key/*' --all"),
                    "tells all that is wrong with keys",
                ),
                (format!("pasaporte audit {folder} --fail-on high"), "is what a pipeline runs"),
            ]
        }
    };
    let _ = writeln!(out, "{}", paint(BOLD, "Next"));
    for (command, what) in commands {
        let _ = writeln!(out, "  {}", paint(FIX, &command));
        out.push_str(&page.paragraph(what, "    ", "    ", 4));
    }
    out
}

pub(super) fn count(number: usize, one: &str) -> String {
    format!("{number} {one}{}", if number == 1 { "" } else { "s" })
}
