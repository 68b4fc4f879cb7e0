//! What differs, for a pull request.

use std::fmt::Write;

use super::words::{Line, Mark, parts};
use super::{DiffOut, SideOut};
use crate::reports::plain;

/// How many lines of a part are told.
const MOST: usize = 25;

/// The change log in Markdown; nothing that an estate says is mark-up in it.
pub fn markdown(it: &DiffOut) -> String {
    let parts = parts(it);
    let mut out = if parts.is_empty() {
        "## Nothing opened, nothing closed\n".to_owned()
    } else {
        "## What opened and closed\n".to_owned()
    };
    let side = |side: &SideOut| {
        let as_of = side.as_of.as_ref().map_or_else(String::new, |time| format!(" as of {time}"));
        format!("{}{as_of}", plain(&side.name))
    };
    let _ = writeln!(out, "\nFrom {} to {}.", side(&it.old), side(&it.new));
    if it.estates.is_none() {
        out.push_str("One of the two is a saved audit: only findings are compared.\n");
    }
    for part in parts {
        let _ = writeln!(out, "\n### {} ({})\n", part.title, part.lines.len());
        for line in part.lines.iter().take(MOST) {
            let _ = writeln!(out, "{}", bullet(line));
        }
        if part.lines.len() > MOST {
            let _ = writeln!(out, "- … and {} more", part.lines.len() - MOST);
        }
    }
    let findings = &it.findings;
    let _ = writeln!(
        out,
        "\n<sub>Findings: {} new, {} worse, {} milder, {} gone, {} the same. Not seen or not understood: {}.</sub>",
        findings.new.len(),
        findings.worse.len(),
        findings.milder.len(),
        findings.gone.len(),
        findings.same,
        it.new.blind_spots
    );
    out
}

fn bullet(line: &Line) -> String {
    let mark = match line.mark {
        Mark::More => "+",
        Mark::Less => "−",
        Mark::Other => "~",
    };
    let at = line.at.as_ref().map_or_else(String::new, |at| format!(" ({})", plain(at)));
    format!("- {mark} **{}** {}{at}", plain(&line.of), plain(&line.text))
}
