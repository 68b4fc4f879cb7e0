//! Findings that somebody answers for until a date: a TOML file that is reviewed like code. It is changed entry by entry, so
//! that its order and its comments stay.

use std::collections::HashMap;

use jiff::civil::Date;
use serde::Deserialize;
use toml::Spanned;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, value};

use crate::diagnostic::{Diagnostic, Diagnostics, Mark};
use crate::redact::is_unprintable;
use crate::written;

/// A finding that somebody answers for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Acceptance {
    /// Its fingerprint.
    pub finding: u64,
    /// Its rule, for those who read the file.
    pub rule: String,
    /// Its thing, likewise.
    pub thing: String,
    /// Who answers for it.
    pub owner: String,
    /// Why it may stay so long.
    pub reason: String,
    /// The last day on which it may.
    pub until: Date,
    /// When it was accepted.
    pub since: Option<Date>,
    /// The line it stands on, from 1; 0 of one that is not written yet.
    pub line: u32,
}

impl Acceptance {
    /// Days from a day to the last on which the finding may stay; below zero where that is past.
    pub fn days_left(&self, today: Date) -> i64 {
        self.until.since(today).map_or(0, |span| i64::from(span.get_days()))
    }
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Written {
    #[serde(default)]
    accepted: Vec<Entry>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Entry {
    finding: Spanned<String>,
    rule: Spanned<String>,
    thing: Spanned<String>,
    owner: Spanned<String>,
    reason: Spanned<String>,
    until: Spanned<toml::value::Datetime>,
    since: Option<Spanned<toml::value::Datetime>>,
}

const HELP: &str = "see docs/accepting.md; `pasaporte waive` writes such entries";
/// The longest owner, rule, thing or reason, in characters.
const LONGEST: usize = 1000;

/// Reads the text of a file; all that is wrong with it.
pub fn read(file: &str, text: &str) -> Result<Vec<Acceptance>, Diagnostics> {
    let mut diagnostics = Diagnostics::default();
    let written: Written = match written::read(file, text, "a list of acceptances", HELP) {
        Ok(written) => written,
        Err(wrong) => {
            diagnostics.push(wrong);
            return Err(diagnostics);
        }
    };
    let mark = |at: usize| written::mark(file, text, at);
    let mut first: HashMap<u64, usize> = HashMap::new();
    let mut all = Vec::new();
    for entry in written.accepted {
        let at = entry.finding.span().start;
        let Some(finding) = fingerprint(entry.finding.get_ref()) else {
            diagnostics.push(wrong(mark(at), "a finding is told by sixteen hexadecimal digits"));
            continue;
        };
        if let Some(before) = first.insert(finding, at) {
            let mut doubled = wrong(mark(at), "this finding is accepted twice");
            doubled.also = Some(Mark { label: "first here".to_owned(), ..mark(before) });
            diagnostics.push(doubled);
            continue;
        }
        let mut text = |it: Spanned<String>| {
            let at = it.span().start;
            let text = it.into_inner();
            if text.trim().is_empty() {
                diagnostics.push(wrong(mark(at), "this must not be empty: who answers for it, and why?"));
            } else if text.chars().nth(LONGEST).is_some() || text.chars().any(is_unprintable) {
                diagnostics
                    .push(wrong(mark(at), "a text of one line is wanted here, of at most 1000 characters"));
            }
            text
        };
        let (rule, thing, owner, reason) =
            (text(entry.rule), text(entry.thing), text(entry.owner), text(entry.reason));
        let mut date = |it: &Spanned<toml::value::Datetime>| {
            let date = it.get_ref().to_string().parse::<Date>().ok().filter(|_| it.get_ref().time.is_none());
            if date.is_none() {
                diagnostics.push(wrong(mark(it.span().start), "a date is wanted here, as in 2026-12-31"));
            }
            date
        };
        let (until, since) = (date(&entry.until), entry.since.as_ref().map(&mut date));
        if let (Some(until), None | Some(Some(_))) = (until, since) {
            let line = mark(at).line.unwrap_or_default();
            all.push(Acceptance { finding, rule, thing, owner, reason, until, since: since.flatten(), line });
        }
    }
    if diagnostics.is_empty() { Ok(all) } else { Err(diagnostics) }
}

fn wrong(mark: Mark, message: &str) -> Diagnostic {
    Diagnostic { mark, message: message.to_owned(), also: None, help: Some(HELP.to_owned()) }
}

/// A fingerprint, as it is written.
pub fn fingerprint(text: &str) -> Option<u64> {
    let is_whole = text.len() == 16 && text.bytes().all(|byte| byte.is_ascii_hexdigit());
    is_whole.then(|| u64::from_str_radix(text, 16).ok()).flatten()
}

const HEADING: &str = "# Findings that somebody answers for until a date; after it they count again.\n\n";

/// The text of a file with more acceptances at its end. What it had of the same findings is changed in its place.
pub fn with(text: &str, more: &[Acceptance]) -> Result<String, String> {
    let mut document = parsed(if text.trim().is_empty() { HEADING } else { text })?;
    // A heading alone is all that such a document has.
    let heading = document.trailing().as_str().filter(|_| document.is_empty()).map(str::to_owned);
    let item = document.entry("accepted").or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()));
    let tables = item.as_array_of_tables_mut().ok_or("`accepted` is not a list of tables")?;
    for it in more {
        let known = tables.iter().position(|table| finding_of(table) == Some(it.finding));
        let index = known.unwrap_or_else(|| {
            let mut table = Table::new();
            let before =
                if tables.is_empty() { heading.clone().unwrap_or_default() } else { "\n".to_owned() };
            table.decor_mut().set_prefix(before);
            tables.push(table);
            tables.len() - 1
        });
        let Some(table) = tables.get_mut(index) else { continue };
        table["finding"] = value(format!("{:016x}", it.finding));
        table["rule"] = value(&it.rule);
        table["thing"] = value(&it.thing);
        table["owner"] = value(&it.owner);
        table["reason"] = value(&it.reason);
        table["until"] = value(day(it.until));
        if let Some(since) = it.since {
            table["since"] = value(day(since));
        }
    }
    if heading.is_some() {
        document.set_trailing("");
    }
    Ok(document.to_string())
}

/// The text of a file without some findings.
pub fn without(text: &str, findings: &[u64]) -> Result<String, String> {
    let mut document = parsed(text)?;
    if let Some(tables) = document.get_mut("accepted").and_then(Item::as_array_of_tables_mut) {
        tables.retain(|table| finding_of(table).is_none_or(|finding| !findings.contains(&finding)));
    }
    Ok(document.to_string())
}

fn parsed(text: &str) -> Result<DocumentMut, String> {
    text.parse::<DocumentMut>().map_err(|_| "it is not TOML".to_owned())
}

fn finding_of(table: &Table) -> Option<u64> {
    table.get("finding").and_then(Item::as_str).and_then(fingerprint)
}

fn day(date: Date) -> toml_edit::Datetime {
    let (year, month, day) =
        (date.year().unsigned_abs(), date.month().unsigned_abs(), date.day().unsigned_abs());
    toml_edit::Datetime { date: Some(toml_edit::Date { year, month, day }), time: None, offset: None }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use rstest::rstest;

    use super::*;

    fn one(finding: u64) -> Acceptance {
        Acceptance {
            finding,
            rule: "entry/open-source".to_owned(),
            thing: "function:sail".to_owned(),
            owner: "crew".to_owned(),
            reason: "until the import is moved".to_owned(),
            until: "2026-12-31".parse().unwrap(),
            since: Some("2026-11-20".parse().unwrap()),
            line: 0,
        }
    }

    const OLD: &str = "# ours\n\n[[accepted]] # the first\nfinding = \"00000000000000aa\"\nrule = \"a/b\"\nthing = \"function:x\"\n\
                       owner = \"crew\"   # who else\nreason = \"so\"\nuntil = 2027-01-01\n";

    #[test]
    fn more_is_added_at_the_end_and_all_else_stays() {
        let text = with(OLD, &[one(7)]).unwrap();
        assert!(text.starts_with(OLD), "{text}");
        let read = read("a.toml", &text).unwrap();
        assert_eq!((read.len(), read[0].finding, read[0].line), (2, 0xaa, 4));
        assert_eq!(read[1], Acceptance { line: 12, ..one(7) });
        assert_eq!(without(&text, &[7]).unwrap(), OLD);
        let shorter = without(&text, &[0xaa]).unwrap();
        assert!(!shorter.contains("a/b") && shorter.contains("0000000000000007"), "{shorter}");
    }

    #[test]
    fn what_is_accepted_again_is_changed_in_its_place() {
        let text =
            with(&with(OLD, &[one(7)]).unwrap(), &[Acceptance { owner: "deck".to_owned(), ..one(0xaa) }]);
        let text = text.unwrap();
        assert_eq!(text.matches("[[accepted]]").count(), 2, "{text}");
        assert!(text.find("deck").unwrap() < text.find("0000000000000007").unwrap(), "{text}");
        assert!(text.starts_with("# ours\n\n[[accepted]] # the first\n"), "{text}");
    }

    #[test]
    fn a_new_file_says_what_it_is() {
        let text = with("", &[one(7), one(8)]).unwrap();
        assert!(text.starts_with("# Findings that somebody answers for"), "{text}");
        assert_eq!(read("a.toml", &text).unwrap().len(), 2);
        assert_eq!(text.matches("# Findings").count(), 1, "{text}");
    }

    #[rstest]
    #[case::twice(&OLD.repeat(2), 13, "accepted twice")]
    #[case::short(&OLD.replace("00000000000000aa", "aa"), 4, "sixteen hexadecimal digits")]
    #[case::nobody(&OLD.replace("\"crew\"", "\" \""), 7, "must not be empty")]
    #[case::no_end(&OLD.replace("until = 2027-01-01\n", ""), 3, "missing field `until`")]
    #[case::a_time(&OLD.replace("2027-01-01", "2027-01-01T06:00:00Z"), 9, "a date is wanted")]
    #[case::slip(&OLD.replace("reason", "raeson"), 8, "unknown field `raeson`")]
    #[case::lines(&OLD.replace("\"so\"", "\"\"\"so\nand so\"\"\""), 8, "a text of one line")]
    fn a_mistake_is_told_with_its_line(#[case] text: &str, #[case] line: u32, #[case] told: &str) {
        let wrong = read("a.toml", text).unwrap_err().sorted();
        assert!(wrong[0].message.contains(told), "{wrong:?}");
        assert_eq!(wrong[0].mark.line, Some(line), "{wrong:?}");
    }

    proptest! {
        #[test]
        fn what_is_written_is_read(owner in "\\PC{1,20}", reason in "\\PC{1,40}", finding in any::<u64>(), old in any::<bool>()) {
            let it = Acceptance { owner, reason, ..one(finding) };
            let text = with(if old { OLD } else { "" }, std::slice::from_ref(&it)).unwrap();
            if let Ok(all) = read("a.toml", &text) {
                let mut last = all.last().unwrap().clone();
                last.line = 0;
                prop_assert_eq!(last, it);
            } else {
                // Blank, or with something that cannot be seen in it: whoever writes it looks first.
                let is_odd = |text: &String| text.trim().is_empty() || text.chars().any(is_unprintable);
                prop_assert!([it.owner, it.reason].iter().any(is_odd), "{}", text);
            }
        }
    }
}
