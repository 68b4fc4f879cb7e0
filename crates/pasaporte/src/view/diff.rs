//! What opened and closed, as a change log.

use std::fmt::Write;

use pasaporte_report::diff::{DiffOut, Line, Mark, SideOut, parts};

use super::page::{BOLD, DIM, FIX, NAME, Page, in_line, paint, style_of};
use pasaporte_audit::Severity;

/// How many lines of a part are told.
const MOST: usize = 15;

/// The log.
pub(crate) fn diff(page: Page, it: &DiffOut, all: bool) -> String {
    let mut out = heading(page, it);
    let parts = parts(it);
    if parts.is_empty() {
        out.push_str("\nNothing opened, nothing closed, and the findings are the same.\n");
    }
    let mut left_out = 0;
    for part in &parts {
        let told = if all { part.lines.len() } else { MOST.min(part.lines.len()) };
        let title = format!("{} · {}", part.title, part.lines.len());
        let _ = writeln!(out, "\n{}", paint(BOLD, &title));
        for (at, it) in part.lines[..told].iter().enumerate() {
            let before = at.checked_sub(1).map(|before| &part.lines[before]);
            let is_named = before.is_some_and(|before| before.of == it.of && before.mark == it.mark);
            out.push_str(&line(page, it, !is_named));
        }
        if part.lines.len() > told {
            let _ = writeln!(out, "  … and {} more", part.lines.len() - told);
            left_out += part.lines.len() - told;
        }
    }
    out.push('\n');
    out.push_str(&summary(page, it));
    if left_out > 0 {
        out.push_str("--all tells all of everything.\n");
    }
    out
}

fn heading(page: Page, it: &DiffOut) -> String {
    let side = |name: &str, it: &SideOut| {
        let as_of = it.as_of.as_ref().map_or("at a time it does not say".to_owned(), |time| {
            format!("as of {}", time.split('T').next().unwrap_or(time))
        });
        let functions = super::audit::count(it.functions, "function");
        let text = format!("{} {as_of}, {functions}, {} not seen", in_line(&it.name), it.blind_spots);
        page.paragraph(&text, &format!("{}  ", paint(DIM, name)), "     ", 5)
    };
    let mut out = side("old", &it.old) + &side("new", &it.new);
    if it.estates.is_none() {
        let text = "One of the two is a saved audit: only findings are compared.";
        out.push_str(&page.paragraph(text, "", "", 0));
    }
    if it.new.blind_spots > it.old.blind_spots {
        let text = format!(
            "{} more not seen now than then: what seems closed may only be out of sight.",
            super::audit::count(it.new.blind_spots - it.old.blind_spots, "thing")
        );
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    out
}

fn line(page: Page, it: &Line, with_name: bool) -> String {
    let mark = match it.mark {
        Mark::More if it.alarming => paint(style_of(Severity::Critical), "+"),
        Mark::More => paint(BOLD, "+"),
        Mark::Less => paint(FIX, "−"),
        Mark::Other => paint(DIM, "~"),
    };
    let name = if it.alarming { style_of(Severity::Critical) } else { NAME };
    let mut out =
        if with_name { format!("  {mark} {}\n", paint(name, &in_line(&it.of))) } else { String::new() };
    let at = it.at.as_ref().map_or_else(String::new, |at| format!(" · {}", in_line(at)));
    out.push_str(&page.paragraph(&format!("{}{at}", in_line(&it.text)), "      ", "      ", 6));
    out
}

fn summary(page: Page, it: &DiffOut) -> String {
    let findings = &it.findings;
    let mut text = format!(
        "Findings: {} new, {} worse, {} milder, {} gone, {} the same.",
        findings.new.len(),
        findings.worse.len(),
        findings.milder.len(),
        findings.gone.len(),
        findings.same
    );
    if let Some(estates) = &it.estates {
        if !estates.complete {
            text.push_str(" Not all sorts of actions could be told apart within the bound on work.");
        }
        if !estates.not_compared.is_empty() {
            let _ = write!(
                text,
                " The rights of {} were not compared, since that would take too long.",
                super::audit::count(estates.not_compared.len(), "principal")
            );
        }
    }
    page.paragraph(&text, "", "", 0)
}
