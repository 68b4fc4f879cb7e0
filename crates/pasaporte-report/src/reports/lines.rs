//! Findings as NDJSON: one a line, each as it stands in the JSON of the audit, in its order.

use std::io::{self, Write};

use crate::audit::{InWords, Report};

pub(super) fn write(report: &Report<impl InWords>, out: &mut dyn Write) -> io::Result<()> {
    report.findings.made(serde_json::to_vec, |all| {
        for line in all {
            out.write_all(&line?)?;
            out.write_all(b"\n")?;
        }
        Ok(())
    })
}
