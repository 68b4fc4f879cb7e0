//! Logs through adapters: what platforms answered, or exports of it, made ready to be digested.

use pasaporte_gather::{Exports, Log as Collected};
use pasaporte_usage::{Collected as Packed, Format as LogFormat, Input as Log};

use super::Stop;
use crate::view;

/// Exports, read through an adapter.
pub(super) fn exported(adapter: &str, log: Option<&str>, files: &[Log]) -> Result<Vec<Collected>, Stop> {
    let exports = Exports::find(adapter, log).map_err(Stop::Ungathered)?;
    let read = |file: &Log| {
        let mut input = file.open().map_err(|error| Stop::Misused {
            message: format!("{} cannot be read: {error}", view::safe(file.name())),
            help: "check the path".to_owned(),
        })?;
        exports.read(file.name(), &mut *input).map_err(Stop::Ungathered)
    };
    files.iter().map(read).collect()
}

/// Logs as the digest takes them, under these names.
pub(super) fn packed(logs: Vec<Collected>) -> Vec<Log> {
    let one = |log: Collected| {
        Log::Collected(Packed {
            name: log.what,
            text: log.text,
            read_as: LogFormat::parse(log.read_as.word()).unwrap_or(LogFormat::Plain),
            covers: log.covers,
            is_whole: log.is_whole,
        })
    };
    logs.into_iter().map(one).collect()
}

/// What adapters could not make sense of, by the logs it was in.
pub(super) fn troubles(logs: &[Collected]) -> Vec<Option<String>> {
    logs.iter().map(|log| log.trouble.clone()).collect()
}
