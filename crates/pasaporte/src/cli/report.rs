//! `pasaporte report`: an audit that was saved, in files for others.

use std::path::PathBuf;

use clap::Args;
use pasaporte_report::audit::Report;

use super::audit::{kind_of, saved, write_report};
use super::{Done, Sheet, Stop};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte report audit.json --to report.html\n  pasaporte report audit.json --to audit.sarif --to findings.csv"
)]
pub(crate) struct Reported {
    /// An audit that `audit --save` wrote
    #[arg(value_name = "SAVED")]
    saved: PathBuf,
    /// Files to write it to, each as its ending says: .html, .md for a pull request, .csv a finding a row, .ndjson a finding a
    /// line, .sarif, .ocsf.ndjson, .junit.xml, .json whole (repeat)
    #[arg(long, value_name = "FILE", required = true)]
    to: Vec<PathBuf>,
}

impl Reported {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let files: Vec<_> =
            self.to.iter().map(|file| Ok((file, kind_of(file)?))).collect::<Result<_, Stop>>()?;
        let (report, _) = sheet.while_waiting("reading", || saved(&self.saved, Report::read))?;
        for (file, kind) in files {
            write_report(&report, file, kind)?;
            if !sheet.quiet {
                sheet.text(&format!("Written: {}\n", view::safe(&file.to_string_lossy())))?;
            }
        }
        Ok(0)
    }
}
