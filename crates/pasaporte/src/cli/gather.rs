//! `pasaporte gather`: collect estates from platforms, through adapters.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Args;
use indicatif::{MultiProgress, ProgressBar, ProgressDrawTarget, ProgressStyle};
use jiff::{SignedDuration, Timestamp};
use pasaporte_core::estate::Estate;
use pasaporte_gather::{Check, Collecting, Log, Progress, Range, Reaching, Source, Told, check, check_live};
use pasaporte_read::files;
use pasaporte_read::seal::Seal;
use pasaporte_report::{AskOut, AskedOut, Checked, Gathered, LoggedOut, SourceOut};

use super::digesting::{Asked, BAD_LINES, Digesting};
use super::{BLIND, Done, Format, Input, Sheet, Stop, logs, seal, unwritable};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte gather --sources gather.toml --out estate\n  pasaporte gather --sources gather.toml --out estate --save samples\n  pasaporte gather --check ./my-adapter samples/harbour\n  pasaporte gather --check ./my-adapter --sources gather.toml"
)]
pub(crate) struct Gather {
    /// The file with the `[[source]]` list: what to collect from
    #[arg(long, value_name = "FILE", required_unless_present = "check")]
    sources: Option<PathBuf>,
    /// The folder to write the estate into; each source becomes a file of its name
    #[arg(long, value_name = "FOLDER", required_unless_present = "check", conflicts_with = "check")]
    out: Option<PathBuf>,
    /// Collect from these sources only (repeat, or divide by commas)
    #[arg(long, value_name = "NAMES", value_delimiter = ',')]
    only: Vec<String>,
    /// When the estate is true, written to as-of.yaml: a time, a date, `now`, or `none` to write nothing
    #[arg(long, value_name = "TIME", default_value = "now", value_parser = moment)]
    as_of: AsOf,
    /// Keep answers as samples in this folder too, what looks like a secret in them covered
    #[arg(long, value_name = "FOLDER", conflicts_with = "check")]
    save: Option<PathBuf>,
    /// Ask for logs too, of so long until the time of the estate, and write what was used into NAME.usage.ndjson beside each
    /// source's file: 90d, 12h
    #[arg(long, value_name = "SPAN", value_parser = span)]
    logs: Option<SignedDuration>,
    /// The file with the key of fingerprints, by which values in logs find their keys; made if it is not there. Values of keys
    /// that a platform shows become fingerprints too [default: that of the configuration; or none, so that no value finds
    /// its key]
    #[arg(long, value_name = "FILE", conflicts_with = "check")]
    seal: Option<PathBuf>,
    /// Begin anew, also where a collection was cut off
    #[arg(long)]
    fresh: bool,
    /// Trust the certificates in this PEM file instead of the system's
    #[arg(long, value_name = "FILE")]
    ca: Option<PathBuf>,
    /// The longest that one request may take, in seconds
    #[arg(long, value_name = "SECONDS", default_value_t = 30, value_parser = clap::value_parser!(u64).range(1..=3600))]
    timeout: u64,
    /// Exit with 3 if anything did not come back
    #[arg(long)]
    strict: bool,
    /// Try an adapter, shipped or in a folder, on saved answers instead, or on what its sources answer now (--sources):
    /// what it makes of them, what it leaves out. Nothing is written
    #[arg(long, value_name = "ADAPTER")]
    check: Option<String>,
    /// Saved answers: a folder of them, or files named like what was asked
    #[arg(value_name = "SAMPLE")]
    samples: Vec<PathBuf>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

/// What to write of the time.
#[derive(Debug, Clone, Copy)]
enum AsOf {
    At(Timestamp),
    Unsaid,
}

fn moment(text: &str) -> Result<AsOf, String> {
    if text == "none" {
        return Ok(AsOf::Unsaid);
    }
    super::moment(text).map(AsOf::At).map_err(|error| format!("{error}, or none"))
}

/// The longest time that logs are asked for.
const LONGEST: SignedDuration = SignedDuration::from_hours(24 * 3660);

fn span(text: &str) -> Result<SignedDuration, String> {
    let wrong = || "a time like 90d or 12h".to_owned();
    let span: jiff::Span = text.parse().map_err(|_| wrong())?;
    let of = jiff::SpanRelativeTo::days_are_24_hours();
    let long = span.to_duration(of).map_err(|_| wrong())?;
    if long > SignedDuration::ZERO && long <= LONGEST { Ok(long) } else { Err(wrong()) }
}

impl Gather {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if let Some(adapter) = &self.check {
            let checked = checked(self.check(adapter)?);
            match self.format {
                Format::Text => sheet.text(&view::checked(sheet.page, adapter, &checked))?,
                Format::Json => sheet.json(&checked)?,
            }
            return Ok(0);
        }
        let (Some(sources), Some(out)) = (&self.sources, &self.out) else { return Ok(0) };
        let sources = self.sources(sources)?;
        let seal = seal::maybe(self.seal.as_ref(), sheet)?;
        let as_of = match self.as_of {
            AsOf::At(time) => time,
            AsOf::Unsaid => super::now(),
        };
        let collecting = Wanted {
            out,
            fresh: self.fresh,
            as_of,
            save: self.save.as_deref(),
            seal,
            range: self.range(as_of),
            quiet: sheet.quiet,
        };
        let (mut gathered, logs) = collect(&sources, collecting, self.reaching()?)?;
        if let AsOf::At(time) = self.as_of {
            write(&out.join("as-of.yaml"), &format!("estate: 1\nas_of: {time}\n"))?;
        }
        if self.logs.is_some() {
            let input = Input::new(vec![out.clone()], None);
            gathered.logs =
                input.ask(sheet, |session, sheet| self.digest(session.estate(), logs, out, sheet))?;
        }
        match self.format {
            Format::Text => {
                sheet.text(&view::gathered(sheet.page, &gathered, out))?;
                if self.logs.is_some() {
                    sheet.text("\n")?;
                    sheet.text(&view::logged(sheet.page, &gathered.logs))?;
                }
            }
            Format::Json => sheet.json(&gathered)?,
        }
        let missed = gathered.gathered.iter().flat_map(|source| &source.places);
        let missed = missed.into_iter().any(|place| !place.missed.is_empty());
        Ok(if self.strict && missed { BLIND } else { 0 })
    }

    /// Tries an adapter on saved answers, or on what its sources answer now.
    fn check(&self, adapter: &str) -> Result<Check, Stop> {
        match (&self.sources, self.samples.is_empty()) {
            (None, false) => check(adapter, &self.samples, self.range(super::now())).map_err(Stop::Wrong),
            (Some(sources), true) => {
                let mut sources = self.sources(sources)?;
                sources.retain(|source| source.uses(adapter));
                if sources.is_empty() {
                    return Err(Stop::Misused {
                        message: format!("no source uses adapter {}", view::safe(adapter)),
                        help: "name it as the sources file does".to_owned(),
                    });
                }
                check_live(adapter, &sources, &self.reaching()?, self.range(super::now()))
                    .map_err(Stop::Wrong)
            }
            _ => Err(Stop::Misused {
                message: "an adapter is tried on saved answers or on live ones".to_owned(),
                help: "name samples, or --sources with a source that uses the adapter; not both".to_owned(),
            }),
        }
    }

    /// Digests what logs came, a file for each source.
    fn digest(
        &self,
        estate: &Estate,
        logs: Vec<Logs>,
        out: &Path,
        sheet: &mut Sheet<'_>,
    ) -> Result<Vec<LoggedOut>, Stop> {
        let asked =
            Asked { seal: seal::maybe(self.seal.as_ref(), sheet)?, bad_lines: BAD_LINES, ..Asked::default() };
        let digesting = Digesting::new(estate, asked, sheet)?;
        digested(&digesting, logs, out, sheet)
    }

    /// The time that logs are asked for, if they are.
    fn range(&self, to: Timestamp) -> Option<Range> {
        self.logs.map(|long| Range { from: to - long, to })
    }

    fn reaching(&self) -> Result<Reaching, Stop> {
        Ok(Reaching {
            patience: Duration::from_secs(self.timeout),
            authorities: authorities(self.ca.as_deref())?,
        })
    }

    /// The sources that were asked for.
    fn sources(&self, file: &Path) -> Result<Vec<Source>, Stop> {
        let mut sources = Source::read(file, &mut std::io::stdin().lock()).map_err(Stop::Ungathered)?;
        for name in &self.only {
            if !sources.iter().any(|source| source.name == *name) {
                let known: Vec<&str> = sources.iter().map(|source| source.name.as_str()).collect();
                let help = match pasaporte_read::nearest(name, &known) {
                    Some(near) => format!("did you mean {near}?"),
                    None => format!("the sources are {}", known.join(", ")),
                };
                return Err(Stop::Misused {
                    message: format!("no source is named {}", view::safe(name)),
                    help,
                });
            }
        }
        sources.retain(|source| self.only.is_empty() || self.only.contains(&source.name));
        Ok(sources)
    }
}

/// The certificates to trust instead of the system's.
pub(super) fn authorities(ca: Option<&Path>) -> Result<Option<Vec<u8>>, Stop> {
    let read = |path: &Path| {
        files::read(path).map_err(|error| Stop::Misused {
            message: format!("{} cannot be read: {error}", view::safe(&path.to_string_lossy())),
            help: "give --ca a PEM file".to_owned(),
        })
    };
    ca.map(read).transpose()
}

/// How to collect.
pub(super) struct Wanted<'w> {
    /// The folder of the estate.
    pub(super) out: &'w Path,
    /// Whether to begin anew where a collection was cut off.
    pub(super) fresh: bool,
    /// When what is collected is true.
    pub(super) as_of: Timestamp,
    /// Where answers are kept too.
    pub(super) save: Option<&'w Path>,
    /// The key of fingerprints, where there is one.
    pub(super) seal: Option<Seal>,
    /// The time that logs are asked for, if they are.
    pub(super) range: Option<Range>,
    /// Whether nobody wants to see how it goes on.
    pub(super) quiet: bool,
}

/// Collects from sources into a folder, with a bar for each on a terminal.
pub(super) fn collect(
    sources: &[Source],
    wanted: Wanted<'_>,
    reaching: Reaching,
) -> Result<(Gathered, Vec<Logs>), Stop> {
    let Wanted { out, fresh, as_of, save, seal, range, quiet } = wanted;
    // Hidden where standard error is no terminal, too.
    let all = MultiProgress::new();
    if quiet {
        all.set_draw_target(ProgressDrawTarget::hidden());
    }
    let style = ProgressStyle::with_template("{prefix:>14} {bar:24} {pos}/{len} lists {msg}")
        .unwrap_or_else(|_| ProgressStyle::default_bar());
    let bar = |source: &Source| {
        let bar = all.add(ProgressBar::new(0).with_style(style.clone()));
        bar.set_prefix(view::safe(&source.name));
        bar
    };
    let bars: Vec<ProgressBar> = sources.iter().map(bar).collect();
    let watch = |progress: &Progress| {
        let bar = &bars[progress.source];
        bar.set_length((progress.done + progress.waiting) as u64);
        bar.set_position(progress.done as u64);
        bar.set_message(format!("{} entities", progress.entities));
    };
    let collecting = Collecting { out, fresh, as_of, reaching, save, seal, range, watch: &watch };
    fs::create_dir_all(out).map_err(|error| unwritable(out, &error))?;
    let told = collecting.run(sources);
    for bar in &bars {
        bar.finish_and_clear();
    }
    let mut told = told.map_err(Stop::Ungathered)?;
    let taken = |it: &mut Told| Logs {
        source: it.source.clone(),
        has_logs: it.has_logs,
        logs: std::mem::take(&mut it.logs),
    };
    let logs = told.iter_mut().map(taken).collect();
    Ok((Gathered::new(told.into_iter().map(source_out).collect(), Vec::new()), logs))
}

/// The logs of a source.
pub(super) struct Logs {
    source: String,
    has_logs: bool,
    logs: Vec<Log>,
}

/// Digests logs, a file for each source.
pub(super) fn digested(
    digesting: &Digesting<'_>,
    all: Vec<Logs>,
    out: &Path,
    sheet: &mut Sheet<'_>,
) -> Result<Vec<LoggedOut>, Stop> {
    let one = |it: Logs| {
        let troubles = logs::troubles(&it.logs);
        let file = out.join(format!("{}.usage.ndjson", it.source));
        let (_, mut digest) = digesting.run(&logs::packed(it.logs), &file, sheet)?;
        digest.say(troubles);
        Ok(LoggedOut { source: it.source, has_logs: it.has_logs, digest })
    };
    all.into_iter().map(one).collect()
}

/// What came of a source, as a value of the answer.
fn source_out(told: Told) -> SourceOut {
    let place = |it: pasaporte_gather::Place| AskedOut {
        account: it.account,
        region: it.region,
        requests: it.requests,
        items: it.items,
        missed: it.missed,
    };
    SourceOut {
        source: told.source,
        places: told.places.into_iter().map(place).collect(),
        resumed_from: (told.resumed > 0).then(|| told.begun.to_string()),
        pages_resumed: told.resumed,
        too_old: told.too_old.map(|time| time.to_string()),
        unread: told.unread,
    }
}

/// What an adapter made of saved answers, as a value of the answer.
fn checked(check: Check) -> Checked {
    let ask = |(ask, it): (String, pasaporte_gather::Tried)| AskOut {
        ask,
        items: it.items,
        without_entity: it.idle,
        entities: it.made.into_iter().map(|(kind, count)| (kind.to_owned(), count)).collect(),
        left_out: it.left_out,
        unread: it.unread,
    };
    Checked::new(check.asks.into_iter().map(ask).collect(), check.missed)
}

/// Writes a file that is the old one or the new one at any moment.
pub(super) fn write(path: &Path, text: &str) -> Result<(), Stop> {
    files::replace_text(path, text).map_err(|error| unwritable(path, &error))
}
