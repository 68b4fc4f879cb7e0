//! `pasaporte usage`: digest logs into what was used, beside the estate.

use std::path::PathBuf;

use clap::Args;
use pasaporte_core::estate::Estate;
use pasaporte_read::text::Form;
use pasaporte_usage::{Covers, Format as LogFormat, Input as Log};

use super::digesting::{self, Asked, BAD_LINES, Digesting};
use super::{Done, Format, Input, Sheet, Stop, seal};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte usage access.log.gz --estate estate --out estate/usage.ndjson\n  \
                        pasaporte usage logs --estate estate --seal ~/.pasaporte-seal --covers 'tickets=table/*' --out estate/usage.ndjson\n\n\
                        docs/logs.md has the formats, and what counts as seen."
)]
pub(crate) struct Usage {
    /// Logs: files, folders, or `-`; they may be packed with gzip or Zstandard
    #[arg(value_name = "LOG", required = true, value_hint = clap::ValueHint::AnyPath)]
    logs: Vec<PathBuf>,
    /// The estate that they are of [default: as for `audit`]
    #[arg(long, value_name = "PATH", num_args = 1.., value_hint = clap::ValueHint::AnyPath)]
    estate: Vec<PathBuf>,
    /// Write the digest into this .ndjson file: put it beside the estate, and every command sees it
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// The file with the key of fingerprints, by which values in logs find their keys; made if it is not there [default:
    /// that of the configuration; or one for this digest only, so that no value finds its key]
    #[arg(long, value_name = "FILE")]
    seal: Option<PathBuf>,
    /// Read all logs as this, instead of recognising each: plain, csv, access, opentelemetry, ocsf, cloudevents
    #[arg(long, value_name = "FORMAT", value_parser = log_format)]
    read_as: Option<LogFormat>,
    /// Read them through an adapter, shipped or in a folder: they are what a platform answered, or an item a line
    #[cfg(feature = "network")]
    #[arg(long, value_name = "ADAPTER", conflicts_with = "read_as")]
    adapter: Option<String>,
    /// Which log of the adapter they are of, where that cannot be seen
    #[cfg(feature = "network")]
    #[arg(long, value_name = "NAME", requires = "adapter")]
    log: Option<String>,
    /// What the logs hold all of: a scope, or some actions in it: tickets, or 'tickets=table/*,queue/send' (repeat). Of
    /// hosts that were called that is known without it
    #[arg(long, value_name = "SCOPE[=ACTIONS]", value_parser = Covers::parse)]
    covers: Vec<Covers>,
    /// The host, or the gateway, that was called where a log does not say
    #[arg(long, value_name = "HOST")]
    host: Option<String>,
    /// Another parameter or header that carries keys (repeat)
    #[arg(long, value_name = "NAME")]
    key_in: Vec<String>,
    /// Of so many in a hundred lines that cannot be read, the rest is a blind spot
    #[arg(long, value_name = "PERCENT", default_value_t = BAD_LINES, value_parser = clap::value_parser!(u32).range(0..=100))]
    bad_lines: u32,
    /// How to write what came of it
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

fn log_format(word: &str) -> Result<LogFormat, String> {
    let words: Vec<&str> = LogFormat::ALL.iter().map(|(word, _)| *word).collect();
    LogFormat::parse(word).ok_or_else(|| format!("one of {}", words.join(", ")))
}

impl Usage {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if Form::of(&self.out) != Some(Form::Ndjson) {
            return Err(Stop::Misused {
                message: format!("{} is not a name for a digest", view::safe(&self.out.to_string_lossy())),
                help: "name a file that ends in .ndjson".to_owned(),
            });
        }
        let logs = Log::find(&self.logs).map_err(|error| Stop::Misused {
            message: format!("{} {}", view::safe(&error.name), error.message),
            help: error.help.to_owned(),
        })?;
        let (logs, troubles) = self.through_adapter(logs)?;
        let input = Input::new(self.estate.clone(), None);
        input.ask(sheet, |session, sheet| self.digest(session.estate(), &logs, troubles, sheet))
    }

    /// Logs as an adapter reads them, and what of each it could not make sense of.
    #[cfg(feature = "network")]
    fn through_adapter(&self, files: Vec<Log>) -> Result<(Vec<Log>, Vec<Option<String>>), Stop> {
        let Some(adapter) = &self.adapter else { return Ok((files, Vec::new())) };
        let logs = super::logs::exported(adapter, self.log.as_deref(), &files)?;
        let troubles = super::logs::troubles(&logs);
        Ok((super::logs::packed(logs), troubles))
    }

    /// Logs as they are: there are no adapters here.
    #[cfg(not(feature = "network"))]
    #[expect(clippy::unused_self, clippy::unnecessary_wraps, reason = "as with adapters")]
    fn through_adapter(&self, files: Vec<Log>) -> Result<(Vec<Log>, Vec<Option<String>>), Stop> {
        Ok((files, Vec::new()))
    }

    fn digest(
        &self,
        estate: &Estate,
        logs: &[Log],
        troubles: Vec<Option<String>>,
        sheet: &mut Sheet<'_>,
    ) -> Done {
        let asked = Asked {
            seal: seal::maybe(self.seal.as_ref(), sheet)?,
            key_in: self.key_in.clone(),
            read_as: self.read_as,
            covers: self.covers.clone(),
            host: self.host.clone(),
            bad_lines: self.bad_lines,
        };
        let digesting = Digesting::new(estate, asked, sheet)?;
        let (made, mut told) = digesting.run(logs, &self.out, sheet)?;
        told.say(troubles);
        if made.told.rows == 0 {
            return Err(digesting::nothing(&made));
        }
        match self.format {
            Format::Text => sheet.text(&view::digested(sheet.page, &told))?,
            Format::Json => sheet.json(&told)?,
        }
        Ok(0)
    }
}
