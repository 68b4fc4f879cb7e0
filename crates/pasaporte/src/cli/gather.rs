//! `pasaporte gather`: collect estates from platforms, through adapters.

use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Args;
use indicatif::{MultiProgress, ProgressBar, ProgressDrawTarget, ProgressStyle};
use jiff::Timestamp;
use pasaporte_gather::{Check, Collecting, Progress, Reaching, Source, Told, check, check_live};
use pasaporte_read::files;
use pasaporte_report::{AskOut, AskedOut, Checked, Gathered, SourceOut};

use super::{BLIND, Done, Format, Sheet, Stop, unwritable};
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
        let collecting = Wanted {
            out,
            fresh: self.fresh,
            as_of: match self.as_of {
                AsOf::At(time) => time,
                AsOf::Unsaid => super::now(),
            },
            save: self.save.as_deref(),
            quiet: sheet.quiet,
        };
        let gathered = collect(&sources, &collecting, self.reaching()?)?;
        if let AsOf::At(time) = self.as_of {
            write(&out.join("as-of.yaml"), &format!("estate: 1\nas_of: {time}\n"))?;
        }
        match self.format {
            Format::Text => sheet.text(&view::gathered(sheet.page, &gathered, out))?,
            Format::Json => sheet.json(&gathered)?,
        }
        let missed = gathered.gathered.iter().flat_map(|source| &source.places);
        let missed = missed.into_iter().any(|place| !place.missed.is_empty());
        Ok(if self.strict && missed { BLIND } else { 0 })
    }

    /// Tries an adapter on saved answers, or on what its sources answer now.
    fn check(&self, adapter: &str) -> Result<Check, Stop> {
        match (&self.sources, self.samples.is_empty()) {
            (None, false) => check(adapter, &self.samples).map_err(Stop::Wrong),
            (Some(sources), true) => {
                let mut sources = self.sources(sources)?;
                sources.retain(|source| source.uses(adapter));
                if sources.is_empty() {
                    return Err(Stop::Misused {
                        message: format!("no source uses adapter {}", view::safe(adapter)),
                        help: "name it as the sources file does".to_owned(),
                    });
                }
                check_live(adapter, &sources, &self.reaching()?).map_err(Stop::Wrong)
            }
            _ => Err(Stop::Misused {
                message: "an adapter is tried on saved answers or on live ones".to_owned(),
                help: "name samples, or --sources with a source that uses the adapter; not both".to_owned(),
            }),
        }
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
    /// Whether nobody wants to see how it goes on.
    pub(super) quiet: bool,
}

/// Collects from sources into a folder, with a bar for each on a terminal.
pub(super) fn collect(sources: &[Source], wanted: &Wanted<'_>, reaching: Reaching) -> Result<Gathered, Stop> {
    let Wanted { out, fresh, as_of, save, quiet } = *wanted;
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
    let collecting = Collecting { out, fresh, as_of, reaching, save, watch: &watch };
    fs::create_dir_all(out).map_err(|error| unwritable(out, &error))?;
    let told = collecting.run(sources);
    for bar in &bars {
        bar.finish_and_clear();
    }
    Ok(Gathered::new(told.map_err(Stop::Ungathered)?.into_iter().map(source_out).collect()))
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
