//! An audit for others: in files that people and programs read, each by its ending. What an estate says is escaped as each kind
//! needs.

mod html;
mod junit;
pub(crate) mod kind;
mod lines;
mod markdown;
mod ocsf;
mod sarif;
mod table;

use std::io::{self, Write};

use serde::Serialize;

use crate::audit::{InWords, Report, write_json};
pub use html::write_compared;
pub use kind::{KINDS, Kind};
pub(crate) use markdown::plain;

impl Kind {
    /// Writes an audit as this kind, finding by finding.
    pub fn write<F: InWords + Serialize>(self, report: &Report<F>, out: &mut dyn Write) -> io::Result<()> {
        match self {
            Self::Html => html::write(report, out),
            Self::Json => write_json(report, out),
            Self::Lines => lines::write(report, out),
            Self::Csv => table::write(report, out),
            Self::Markdown => markdown::write(report, out),
            Self::Sarif => sarif::write(report, out),
            Self::Ocsf => ocsf::write(report, out),
            Self::Junit => junit::write(report, out),
        }
    }
}
