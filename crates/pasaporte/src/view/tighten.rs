//! Proposals and rehearsals as text.

use std::fmt::Write;
use std::path::Path;

use pasaporte_audit::{Severity, grouped};
use pasaporte_report::rehearsal::{BriefOut, RehearsedOut, StoppedOut, WayOut};
use pasaporte_report::tighten::{ProofOut, TightenOut};

use super::page::{BOLD, DIM, FIX, Page, in_line, paint, safe, style_of};

/// Rows of a kind that are told before the others are counted.
const MOST_ROWS: usize = 8;

/// A proposal.
pub(crate) fn tightened(page: Page, it: &TightenOut, out: Option<&Path>) -> String {
    let mut text = String::new();
    if it.changes.is_empty() {
        let none =
            format!("Nothing is to change at {}: nothing of it can be shown to be needless.", it.target);
        text.push_str(&page.paragraph(&none, "", "", 0));
    } else {
        let number = match it.changes.len() {
            1 => "One change".to_owned(),
            some => format!("{some} changes"),
        };
        text.push_str(&page.paragraph(&format!("{number} for {}:", it.target), "", "", 0));
    }
    for (at, change) in it.changes.iter().enumerate() {
        let first = format!("\n {} ", paint(FIX, &format!("{:>2}", at + 1)));
        text.push_str(&page.paragraph(&change.told, &first, "    ", 4));
        for keeps in &change.keeps {
            let first = format!("    {} ", paint(BOLD, "keeps"));
            text.push_str(&page.paragraph(keeps, &first, "          ", 10));
        }
        let place = change.read_from.as_ref().map_or_else(String::new, |at| format!(" · {at}"));
        for line in super::page::wrap(&format!("{}{place}", change.because), page.text_width() - 4) {
            let _ = writeln!(text, "    {}", paint(DIM, &line));
        }
    }
    if !it.left.is_empty() {
        let _ = writeln!(text, "\n{}", paint(BOLD, "Left as it is"));
        for left in it.left.iter().take(MOST_ROWS) {
            text.push_str(&page.paragraph(&format!("{}: {}", left.what, left.why), "  ", "      ", 6));
        }
        more(it.left.len(), &mut text);
    }
    if let Some(proof) = &it.proof {
        text.push_str(&proved(page, proof));
    }
    if !it.overlay.is_empty() {
        if let Some(path) = out {
            let path = safe(&path.to_string_lossy());
            let told =
                format!("Written to {path}: lay it over the estate with --with {path}, or rehearse it.");
            text.push('\n');
            text.push_str(&page.paragraph(&told, "", "", 0));
        } else {
            let _ = writeln!(text, "\n{}", paint(BOLD, "As an overlay (--out FILE writes it)"));
            for line in it.overlay.lines() {
                let _ = writeln!(text, "  {}", in_line(line));
            }
        }
    }
    text
}

fn proved(page: Page, it: &ProofOut) -> String {
    let mut text = format!("\n{}\n", paint(BOLD, "Proof, from the estate as it would be"));
    let mut line = |good: bool, told: &str| {
        let mark = if good { paint(FIX, "✓") } else { paint(style_of(Severity::High), "✗") };
        text.push_str(&page.paragraph(told, &format!("  {mark} "), "    ", 4));
    };
    match (it.refused.as_slice(), it.needs) {
        ([], 0) => {}
        ([], 1) => line(true, "the one need that is told above is still allowed"),
        ([], some) => line(true, &format!("all {some} needs that are told above are still allowed")),
        (refused, _) => line(false, &format!("refused although needed: {}", refused.join("; "))),
    }
    if it.adds_nothing {
        let lost = match it.lost {
            0 => String::new(),
            1 => "; 1 right less".to_owned(),
            some => format!("; {} rights less", grouped(some as u64)),
        };
        let told = format!("nobody may anything that they might not before{lost}");
        line(true, &told);
    } else {
        line(
            false,
            &format!("gained: {}", it.gained.iter().take(MOST_ROWS).cloned().collect::<Vec<_>>().join("; ")),
        );
    }
    if it.broken.is_empty() {
        line(true, &format!("what was seen {} times goes as it did", grouped(it.rehearsed)));
    } else {
        let told: Vec<String> = it.broken.iter().take(MOST_ROWS).map(stopped).collect();
        line(false, &format!("would be refused: {}", told.join("; ")));
    }
    if !it.complete {
        line(false, "not everything could be compared within the bounds on work");
    }
    text
}

fn stopped(it: &StoppedOut) -> String {
    let last = it.last.as_ref().map_or_else(String::new, |last| format!(", last {last}"));
    let because = it.because.as_ref().map_or_else(String::new, |because| format!(" ({because})"));
    format!("{} did {} on {}, {}{last}{because}", it.who, it.did, it.to, pasaporte_audit::times(it.count))
}

fn more(all: usize, text: &mut String) {
    if all > MOST_ROWS {
        let _ = writeln!(text, "  … and {} more; --format json has all", all - MOST_ROWS);
    }
}

/// A rehearsal.
pub(crate) fn rehearsed(page: Page, it: &RehearsedOut, all: bool) -> String {
    let mut text = String::new();
    let seen = format!(
        "{} calls and uses that were seen, in {} row{}",
        grouped(it.times),
        grouped(it.rows as u64),
        if it.rows == 1 { "" } else { "s" }
    );
    if it.rows == 0 {
        text.push_str(&page.paragraph(
            "Nothing was seen that could be rehearsed: no digest of logs is beside the estate.",
            "",
            "",
            0,
        ));
    } else if it.breaks() {
        let number = it.broken.iter().map(|it| it.count).sum();
        let told = format!("{} of {seen}, would be refused.", grouped(number));
        let first = format!("{} ", paint(style_of(Severity::Critical), "Breaks:"));
        text.push_str(&page.paragraph(&told, &first, "", 8));
    } else {
        let first = format!("{} ", paint(FIX, "Holds:"));
        text.push_str(&page.paragraph(&format!("all of {seen}, would go as they did."), &first, "", 7));
    }
    let shown = if all { usize::MAX } else { MOST_ROWS };
    rows(page, "Would be refused", &it.broken.iter().map(stopped).collect::<Vec<_>>(), shown, &mut text);
    rows(
        page,
        "Would depend on something",
        &it.perhaps.iter().map(stopped).collect::<Vec<_>>(),
        shown,
        &mut text,
    );
    let finding = |it: &BriefOut| format!("{} {} on {}", it.severity.0, it.rule, it.thing);
    rows(page, "Findings that would go", &it.gone.iter().map(finding).collect::<Vec<_>>(), shown, &mut text);
    rows(
        page,
        "Findings that would come",
        &it.come.iter().map(finding).collect::<Vec<_>>(),
        shown,
        &mut text,
    );
    let way = |it: &WayOut| format!("{} → {}, by {}", it.from, it.to, it.strength);
    rows(page, "Paths that would close", &it.closed.iter().map(way).collect::<Vec<_>>(), shown, &mut text);
    rows(page, "Paths that would open", &it.opened.iter().map(way).collect::<Vec<_>>(), shown, &mut text);
    if it.unsaid + it.unexplained > 0 {
        let told = format!(
            "Not rehearsed: {} rows that do not say enough or tell of what was refused, {} of what the estate as it is does not \
             explain.",
            grouped(it.unsaid as u64),
            grouped(it.unexplained as u64)
        );
        text.push('\n');
        text.push_str(&page.paragraph(&told, "", "", 0));
    }
    text
}

fn rows(page: Page, title: &str, all: &[String], shown: usize, text: &mut String) {
    if all.is_empty() {
        return;
    }
    let _ = writeln!(text, "\n{} {}", paint(BOLD, title), paint(DIM, &format!("({})", all.len())));
    for row in all.iter().take(shown) {
        text.push_str(&page.paragraph(row, "  ", "      ", 6));
    }
    if all.len() > shown {
        let _ = writeln!(text, "  … and {} more (--all)", all.len() - shown);
    }
}
