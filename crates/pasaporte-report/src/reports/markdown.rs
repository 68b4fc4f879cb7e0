//! An audit in Markdown, short enough for a pull request: what is new or worse where it is held against an earlier one, else
//! the worst; how to mend it; what is accepted, gone, and was not seen.

use std::fmt::Write as _;
use std::io::{self, Write};

use pasaporte_audit::Severity;
use pasaporte_core::estate::Vocabulary;

use crate::audit::{InWords, Report};
use crate::finding::{FindingOut, Standing};

/// How many findings are told, and things are named.
const MOST: usize = 20;
/// The longest text of a cell, in characters.
const LONGEST: usize = 400;

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    let mut text = heading(report);
    let is_told = |it: &FindingOut| {
        let is_news = it.since.is_none_or(|since| since != Standing::Same);
        is_news && it.accepted.as_ref().is_none_or(|it| !it.in_force)
    };
    let mut others = 0;
    let mut told: Vec<FindingOut> = Vec::new();
    report.findings.in_words(|all| {
        for finding in all.filter(|it| is_told(it)) {
            if told.len() < MOST { told.push(finding.into_owned()) } else { others += 1 }
        }
    });
    text.push_str(&table(&told));
    if others > 0 {
        let _ = writeln!(text, "\n… and {others} more.");
    }
    text.push_str(&fixes(&told));
    text.push_str(&beside(report));
    out.write_all(text.as_bytes())
}

fn heading(report: &Report<impl InWords>) -> String {
    let counts = &report.counts;
    let of = [counts.critical, counts.high, counts.medium, counts.low, counts.info];
    let words = Severity::ALL.iter().rev().map(|(word, _)| *word);
    let told = words.zip(of).filter(|(_, count)| *count > 0).map(|(word, count)| format!("{count} {word}"));
    let told = told.collect::<Vec<_>>().join(", ");
    let all = of.iter().sum::<usize>();
    let mut text = match all {
        0 => "## No findings in what was looked at\n".to_owned(),
        1 => format!("## 1 finding: {told}\n"),
        all => format!("## {all} findings: {told}\n"),
    };
    if let Some(since) = &report.since {
        let _ = writeln!(
            text,
            "\nSince {}: **{} new**, **{} worse**, {} the same, {} gone.",
            plain(&since.file),
            since.new,
            since.worse,
            since.same,
            since.gone.len()
        );
        if since.is_another_estate {
            text.push_str("None of its accounts is looked at now: it may be of another estate.\n");
        }
    }
    text
}

fn table(told: &[FindingOut]) -> String {
    if told.is_empty() {
        return String::new();
    }
    let mut text = "\n| | rule | on | what |\n| --- | --- | --- | --- |\n".to_owned();
    for it in told {
        let then = match (it.since, it.was) {
            (Some(Standing::New), _) => " · new".to_owned(),
            (_, Some(was)) => format!(" · was {}", was.0),
            _ => String::new(),
        };
        let late = match it.accepted.as_ref().filter(|it| !it.in_force) {
            Some(late) => format!(" {} answered for it until {}.", plain(&late.owner), late.until),
            None => String::new(),
        };
        let _ = writeln!(
            text,
            "| **{}**{then} | {} | **{}** | {}{late} |",
            it.severity.0,
            plain(&it.rule),
            plain(&it.thing),
            plain(&it.situation)
        );
    }
    text
}

fn fixes(told: &[FindingOut]) -> String {
    if told.is_empty() {
        return String::new();
    }
    let mut text = "\n<details><summary>How to mend it</summary>\n\n".to_owned();
    for it in told {
        let place =
            it.evidence.first().map_or_else(String::new, |it| format!(" ({}:{})", plain(&it.file), it.line));
        let _ = writeln!(text, "- **{}**{place}: {}", plain(&it.thing), plain(&it.fix));
        if let Some(paste) = &it.paste {
            // Indented, so that nothing in it ends the block.
            let line = pasaporte_read::visible(&paste.reads);
            let _ = writeln!(text, "\n      {}\n", line.trim());
        }
    }
    text.push_str("\n</details>\n");
    text
}

/// What is accepted, what is gone, what was not seen.
fn beside(report: &Report<impl InWords>) -> String {
    let mut text = String::new();
    if let Some(since) = report.since.as_ref().filter(|since| !since.gone.is_empty()) {
        let names =
            since.gone.iter().take(MOST).map(|it| format!("{} on {}", plain(&it.rule), plain(&it.thing)));
        let more = since.gone.len().saturating_sub(MOST);
        let more = if more > 0 { format!(" … and {more} more") } else { String::new() };
        let _ = writeln!(text, "\nGone: {}{more}.", names.collect::<Vec<_>>().join(", "));
    }
    if let Some(accepted) = report.acceptances.as_ref().filter(|it| it.in_force + it.unmatched.len() > 0) {
        let _ =
            writeln!(text, "\nAccepted by {} and not counted: {}.", plain(&accepted.file), accepted.in_force);
        if !accepted.unmatched.is_empty() {
            let _ =
                writeln!(text, "Acceptances of what is not found any more: {}.", accepted.unmatched.len());
        }
    }
    let looked_at = &report.looked_at;
    let as_of = looked_at.as_of.as_ref().map_or_else(String::new, |time| format!(" as of {time}"));
    let _ = writeln!(
        text,
        "\n<sub>{} functions{as_of}, by {} rules. Not seen or not understood: {}.</sub>",
        looked_at.things.get("functions").copied().unwrap_or_default(),
        report.rules.len(),
        looked_at.blind_spots
    );
    text
}

/// A text that is nothing but text: no mark-up, no HTML, no link, nobody called by name, no end of a cell or a line.
pub(crate) fn plain(text: &str) -> String {
    let is_long = text.chars().nth(LONGEST).is_some();
    let mut out = String::new();
    for each in pasaporte_read::visible(&text.replace(['\n', '\t'], " ")).chars().take(LONGEST) {
        match each {
            '&' | '<' | '>' | '@' | '|' | '`' | '[' | ']' | '\\' | '*' | '_' | '~' | '#' | '!' | '$'
            | '{' | '}' => {
                let _ = write!(out, "&#{};", each as u32);
            }
            each => out.push(each),
        }
    }
    // What readers of Markdown make links of by themselves.
    let out = out.replace("://", "&#58;//").replace("www.", "www&#46;").replace("WWW.", "WWW&#46;");
    if is_long { out + "…" } else { out }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn nothing_in_a_text_is_mark_up(text in "\\PC{0,60}|[\\[\\]()!<>|`*_~#@&:/a-z .\\n-]{0,60}") {
            let out = plain(&text);
            let odd = |each: char| "<>@|`[]\\*_~!${}\n".contains(each);
            prop_assert!(!out.contains(odd), "{}", out);
            prop_assert!(!out.contains("://") && !out.contains("www."));
            // A `&` begins one of ours.
            prop_assert!(out.split('&').skip(1).all(|rest| rest.starts_with('#')), "{}", out);
        }
    }

    #[test]
    fn a_long_text_is_cut() {
        assert_eq!(plain(&"é".repeat(LONGEST + 1)).chars().count(), LONGEST + 1);
    }
}
