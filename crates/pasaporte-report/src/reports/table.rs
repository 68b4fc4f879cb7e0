//! Findings as a table: one a row, in the order of the audit.

use std::io::{self, Write};

use crate::audit::{InWords, Report};
use crate::finding::FindingOut;
use crate::list::Cell;

const COLUMNS: [&str; 20] = [
    "fingerprint",
    "severity",
    "rule",
    "thing",
    "sureness",
    "impact",
    "exposure",
    "environment",
    "platform",
    "account",
    "owner",
    "function_count",
    "beneath",
    "since",
    "accepted_by",
    "accepted_until",
    "situation",
    "fix",
    "file",
    "line",
];

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    let mut table = csv::Writer::from_writer(out);
    table.write_record(COLUMNS).map_err(io::Error::other)?;
    let record = |it: &FindingOut| row(it).iter().map(Cell::in_csv).collect::<csv::StringRecord>();
    report.findings.made(record, |all| {
        for record in all {
            table.write_record(&record).map_err(io::Error::other)?;
        }
        table.flush()
    })
}

fn row(it: &FindingOut) -> [Cell; 20] {
    let word = |word: Option<String>| Cell::maybe(word);
    let seen = it.evidence.first();
    let accepted = it.accepted.as_ref().filter(|it| it.in_force);
    [
        Cell::text(&it.fingerprint),
        Cell::text(it.severity.0.to_string()),
        Cell::text(it.rule.as_ref()),
        Cell::text(&it.thing),
        Cell::text(it.sureness.0.to_string()),
        word(it.impact.map(|it| it.0.to_string())),
        word(it.exposure.map(|it| it.0.to_string())),
        word(it.environment.map(|it| it.0.to_string())),
        Cell::maybe(it.platform.as_ref()),
        Cell::maybe(it.account.as_ref()),
        Cell::maybe(it.owner.as_ref()),
        Cell::count(it.function_count),
        Cell::count(it.beneath.len()),
        Cell::maybe(it.since.map(crate::finding::Standing::word)),
        Cell::maybe(accepted.map(|it| &it.owner)),
        Cell::maybe(accepted.map(|it| &it.until)),
        Cell::text(&it.situation),
        Cell::text(&it.fix),
        Cell::maybe(seen.map(|it| &it.file)),
        seen.map_or(Cell::Nothing, |it| Cell::Number(it.line.into())),
    ]
}
