//! Findings as NDJSON: one a line, each as it stands in the JSON of the audit, in its order.

use std::io::{self, Write};

use crate::audit::{InWords, Report};

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    report.findings.in_words(|all| {
        for finding in all {
            serde_json::to_writer(&mut *out, &finding)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    })
}
