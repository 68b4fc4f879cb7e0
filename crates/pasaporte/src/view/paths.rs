//! Paths as text: each a chain that reads aloud, its weakest step marked.

use std::fmt::Write;

use pasaporte_audit::Severity;
use pasaporte_report::paths::{ChangeOut, PathOut, PathsOut, RouteOut, StepOut};

use super::explain::PERHAPS;
use super::page::{BOLD, DIM, FIX, NAME, Page, paint, style_of, wrap};

/// Others of a kind that are named where only the best path is told.
const NAMED: usize = 6;

/// How far somebody gets.
pub(crate) fn paths(page: Page, it: &PathsOut, each: bool) -> String {
    let mut out = String::new();
    if it.routes.is_empty() {
        out.push_str("No path leads there.\n");
    }
    for route in &it.routes {
        out.push_str(&heading(page, route));
        let shown = if each { route.paths.len() } else { 1 };
        for path in route.paths.iter().take(shown) {
            out.push('\n');
            out.push_str(&told(page, path));
        }
        let others: Vec<&str> = route.paths.iter().skip(shown).map(|path| path.end.as_str()).collect();
        if !others.is_empty() {
            let mut names: Vec<&str> = others.iter().take(NAMED).copied().collect();
            let more = route.reached - shown - names.len();
            let rest = format!("{more} more");
            if more > 0 {
                names.push(&rest);
            }
            let text = format!("and to {} (--all tells each path)", names.join(", "));
            out.push('\n');
            out.push_str(&page.paragraph(&text, "  ", "  ", 2));
        } else if route.reached > route.paths.len() {
            let _ = writeln!(out, "\n  and to {} more", route.reached - route.paths.len());
        }
        out.push('\n');
    }
    for nowhere in &it.nowhere {
        let beyond = if nowhere.beyond_crowds { " in a better way than anyone's" } else { "" };
        let text = format!("From {}, no path leads to {}{beyond}.", nowhere.from, nowhere.to.join(", "));
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    if let Some(cut) = &it.cut {
        out.push_str(&cut_of(page, &cut.changes, cut.is_least));
    }
    if !it.complete {
        let text = "Not every step was looked at within the bound on work: there may be more.";
        out.push_str(&page.paragraph(text, "", "", 0));
    }
    out
}

fn heading(page: Page, route: &RouteOut) -> String {
    let number = if route.reached == 1 { String::new() } else { format!("{} reached", route.reached) };
    let title = format!("{} → {}", route.from, route.to);
    let width = page.text_width();
    let line = width.saturating_sub(title.chars().count() + number.len() + 6);
    let tail = if number.is_empty() { String::new() } else { format!(" {number}") };
    format!("{} {} {}{tail}\n", paint(DIM, "──"), paint(BOLD, &title), paint(DIM, &"─".repeat(line)))
}

/// A path: what it comes to, then step by step.
pub(crate) fn told(page: Page, path: &PathOut) -> String {
    let style = if path.strength == "control" { style_of(Severity::High) } else { PERHAPS };
    let quality = format!("{}, {}", path.strength, path.sureness);
    let mut out = format!("  {} → {}  {}\n", name(&path.start), name(&path.end), paint(style, &quality));
    for (at, step) in path.steps.iter().enumerate() {
        out.push_str(&step_told(page, at + 1, step, path.weakest == Some(at + 1)));
    }
    out
}

fn name(text: &str) -> String {
    paint(NAME, text)
}

fn step_told(page: Page, number: usize, step: &StepOut, is_weakest: bool) -> String {
    let perhaps = if step.verdict == "yes" { "" } else { ", perhaps" };
    let weakest = match (is_weakest, step.strength.as_str()) {
        (false, _) => String::new(),
        (true, "influence") => "  ← weakest: what follows is up to the code".to_owned(),
        (true, _) => "  ← weakest: it depends".to_owned(),
    };
    let first = format!("  {} ", paint(DIM, &format!("{number:>2}")));
    let mut out = page.paragraph(&format!("{}{perhaps}{weakest}", step.told), &first, "     ", 5);
    let mut because: Vec<String> = step.because.iter().cloned().collect();
    because.extend(step.depends_on.clone());
    because.extend(step.read_from.iter().take(2).cloned());
    if !because.is_empty() {
        for line in wrap(&because.join(" · "), page.text_width().saturating_sub(7)) {
            let _ = writeln!(out, "       {}", paint(DIM, &line));
        }
    }
    out
}

/// The fewest changes that cut.
pub(crate) fn cut_of(page: Page, changes: &[ChangeOut], is_least: bool) -> String {
    let number = match changes.len() {
        1 => "One change cuts all of these paths".to_owned(),
        some => format!("{some} changes together cut all of these paths"),
    };
    let least = if is_least && changes.len() > 1 { ", and no fewer do" } else { "" };
    let mut out = page.paragraph(&format!("{number}{least}:"), "", "", 0);
    for change in changes {
        let at = change.read_from.as_ref().map_or_else(String::new, |at| format!(" · {at}"));
        let first = format!("  {} ", paint(FIX, "cut"));
        out.push_str(&page.paragraph(&format!("{}{at}", change.told), &first, "      ", 6));
    }
    out
}
