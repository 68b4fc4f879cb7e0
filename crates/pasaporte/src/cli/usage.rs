//! `pasaporte usage`: digest logs into what was used, beside the estate.

use std::path::{Path, PathBuf};

use clap::Args;
use pasaporte_core::estate::Estate;
use pasaporte_read::files;
use pasaporte_read::text::Form;
use pasaporte_report::{Digested, LogOut, UnattributedOut};
use pasaporte_usage::{
    Covers, Digest, FileTold, Format as LogFormat, Input as Log, Places, Secrets, Wanted, digest, write,
};

use super::{Done, Format, Input, Sheet, Stop, now, seal, unwritable};
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
    #[arg(long, value_name = "PERCENT", default_value_t = 1, value_parser = clap::value_parser!(u32).range(0..=100))]
    bad_lines: u32,
    /// How to write what came of it
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

/// Clocks of those who write logs may be wrong by so much, in seconds.
const DAY: i64 = 24 * 60 * 60;

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
        let input = Input { paths: self.estate.clone(), as_of: None };
        input.ask(sheet, |session, sheet| self.digest(session.estate(), &logs, sheet))
    }

    fn digest(&self, estate: &Estate, logs: &[Log], sheet: &mut Sheet<'_>) -> Done {
        let heeded = sheet.configured()?;
        let named = self.seal.clone().or_else(|| heeded.seal());
        let key_in: Vec<String> = [&self.key_in[..], &heeded.config.keys_in].concat();
        let seal = match &named {
            Some(path) => seal::of_file(path)?,
            None => seal::for_once()?,
        };
        let until = estate.as_of().map_or(now(), |time| time.max(now())).as_second() + DAY;
        let places = Places::new(estate);
        if let Some(unknown) = self.covers.iter().find(|it| !places.has_scope(&it.scope)) {
            return Err(Stop::Misused {
                message: format!(
                    "--covers names {}, which is no scope of the estate",
                    view::safe(&unknown.scope)
                ),
                help: "`pasaporte list scopes` shows them".to_owned(),
            });
        }
        let secrets = Secrets::new(estate, seal, &key_in);
        let wanted =
            Wanted { read_as: self.read_as, covers: self.covers.clone(), host: self.host.clone(), until };
        let made = sheet.while_waiting("digesting", || digest(logs, &places, &secrets, &wanted));
        let told = told(&made, &self.out, named.is_some());
        if made.told.rows == 0 {
            return Err(nothing(&made));
        }
        let written = files::replace(&self.out, files::For::All, |file| {
            let mut out = std::io::BufWriter::new(file);
            write(&made, &secrets.seal().id(), self.bad_lines, &mut out)?;
            std::io::Write::flush(&mut out)
        });
        written.map_err(|error| unwritable(&self.out, &error))?;
        match self.format {
            Format::Text => sheet.text(&view::digested(sheet.page, &told))?,
            Format::Json => sheet.json(&told)?,
        }
        Ok(0)
    }
}

/// Why there is nothing to write.
fn nothing(made: &Digest) -> Stop {
    let lines: u64 = made.told.files.iter().map(|file| file.lines).sum();
    let bad: u64 = made.told.files.iter().map(|file| file.bad).sum();
    let commonest = made.told.commonest.first().map(|it| format!("; most often {}", view::safe(&it.what)));
    let unknown = made.told.files.iter().find(|file| file.format.is_none());
    let (message, help) = if let Some(file) = unknown.filter(|_| lines == 0) {
        let why = file.broke_off.as_deref().unwrap_or("its format was not recognised");
        (
            format!("{}: {}", view::safe(&file.name), view::safe(why)),
            "say how it is written with --read-as; docs/logs.md has the formats",
        )
    } else if bad == lines {
        (
            format!("none of {lines} lines could be read"),
            "say how they are written with --read-as; docs/logs.md has the formats",
        )
    } else {
        (
            format!(
                "none of {} events is about anything in the estate{}",
                made.told.events,
                commonest.unwrap_or_default()
            ),
            "name the estate that these logs are of; nothing was written, and nothing is called unused by them",
        )
    };
    Stop::Misused { message, help: help.to_owned() }
}

fn told(made: &Digest, out: &Path, sealed: bool) -> Digested {
    let log = |file: &FileTold| LogOut {
        log: file.name.clone(),
        format: file.format.map(LogFormat::word),
        lines: file.lines,
        bad: file.bad,
        first_bad: file.bad_lines.iter().map(|bad| (bad.line, bad.why)).collect(),
        twice: file.twice,
        repeated: file.repeated,
        broke_off: file.broke_off.clone(),
    };
    let unattributed = made.told.commonest.iter();
    Digested::new(
        out.to_string_lossy().into_owned(),
        made.told.files.iter().map(log).collect(),
        made.told.events,
        made.told.unplaced,
        unattributed.map(|it| UnattributedOut { what: it.what.clone(), count: it.count }).collect(),
        made.told.rows,
        sealed,
    )
}
