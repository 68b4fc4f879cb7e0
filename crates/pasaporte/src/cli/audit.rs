//! `pasaporte audit`: judge an estate.

use std::collections::BTreeSet;
use std::io::{BufWriter, Write};
use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use clap::Args;
use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap_complete::ArgValueCompleter;
use pasaporte_audit::{Catalogue, Finding};
use pasaporte_core::pattern::Pattern;
use pasaporte_read::files::{self, For};
use pasaporte_report::audit::{InWords, Report, VERSION};
use pasaporte_report::reports::Kind;
use pasaporte_report::since::{Saved, Then, Unfit};
use pasaporte_report::threshold::Threshold;
use serde::Serialize;

use super::config::Heeded;
use super::{BLIND, Done, FOUND, Format, Input, Sheet, Stop, completions, unwritable, waive};
use crate::session::Audited;
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte audit estate\n  pasaporte audit estate --only 'key/*' --all\n  pasaporte audit estate --fail-on high --strict --format json > audit.json"
)]
pub(crate) struct Audit {
    #[command(flatten)]
    input: Input,
    #[command(flatten)]
    judging: Judging,
    #[command(flatten)]
    showing: Showing,
    /// Keep the audit whole in this file, as JSON, to hold later ones against
    #[arg(long, value_name = "FILE")]
    save: Option<PathBuf>,
    /// Write it to these files too, each as its ending says: .html, .md for a pull request, .csv a finding a row, .ndjson a
    /// finding a line, .sarif, .ocsf.ndjson, .junit.xml, .json whole (repeat)
    #[arg(long, value_name = "FILE")]
    report: Vec<PathBuf>,
    /// Hold it against an audit that was saved: what is new, worse, the same, gone. What is the same is only counted
    #[arg(long, value_name = "FILE")]
    since: Option<PathBuf>,
    /// The file of acceptances, as `waive` writes it [default: pasaporte-accepted.toml in this folder or the next above that
    /// has one]
    #[arg(long, value_name = "FILE")]
    accepted: Option<PathBuf>,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Format,
}

/// Which rules to run, and when to fail.
#[derive(Debug, Clone, Default, Args)]
pub(crate) struct Judging {
    /// Run only the rules that match: an id, or a pattern such as 'key/*' (repeat, or divide by commas)
    #[arg(long, value_name = "RULES", value_delimiter = ',', add = ArgValueCompleter::new(completions::rules))]
    only: Vec<String>,
    /// Leave out the rules that match
    #[arg(long, value_name = "RULES", value_delimiter = ',', add = ArgValueCompleter::new(completions::rules))]
    skip: Vec<String>,
    /// Exit with 1 if there is a finding of this severity or worse; `new:LEVEL`, with --since, if one is new or worse than
    /// it was
    #[arg(long, value_name = "LEVEL", value_parser = threshold())]
    fail_on: Option<Threshold>,
    /// Exit with 3 if there are blind spots (and no finding that --fail-on counts)
    #[arg(long)]
    strict: bool,
}

/// How much to show.
#[derive(Debug, Clone, Copy, Default, Args)]
pub(crate) struct Showing {
    /// Tell every finding in full
    #[arg(long, conflicts_with = "limit")]
    all: bool,
    /// Tell this many findings in full, worst first, at most three of a rule; name the others
    #[arg(long, value_name = "N", default_value_t = 15)]
    limit: usize,
}

fn threshold() -> impl TypedValueParser<Value = Threshold> {
    PossibleValuesParser::new(Threshold::WORDS)
        .map(|word| Threshold::parse(&word).expect("only known words are taken"))
}

impl Audit {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let configured = sheet.configured()?;
        let chosen = self.judging.chosen(&configured)?;
        let since =
            self.since.clone().or_else(|| Some(configured.path_of(configured.config.since.as_ref()?)));
        if since.is_none() && self.judging.fail_on(&configured).is_some_and(|it| it.new) {
            return Err(Stop::Misused {
                message: "--fail-on new:LEVEL needs something to hold the audit against".to_owned(),
                help: "name an audit that was saved: --since FILE".to_owned(),
            });
        }
        let reports = self.reports(&configured)?;
        let saved = since.as_deref().map(|file| saved(file, Saved::read)).transpose()?;
        let accepted = waive::heeded(self.accepted.as_deref(), &configured)?;
        self.input.ask(sheet, |session, sheet| {
            // Like the estate, it is not taken apart when all is said.
            let mut audited = ManuallyDrop::new(sheet.while_waiting("judging", || session.audit(chosen)));
            if let Some(accepted) = accepted {
                audited.heed(accepted(session.estate().as_of()));
            }
            if let Some((saved, file)) = saved {
                audited.hold_against(saved, &file);
            }
            // Of some rules alone the worst is not known.
            if self.judging.is_whole() {
                audited.start_here =
                    sheet.while_waiting("looking where to start", || session.start_here(&audited));
            }
            let exhibited = |kind: Kind| kind == Kind::Html || self.save.is_some();
            if reports.iter().any(|(_, kind)| exhibited(*kind)) {
                sheet.while_waiting("drawing passports", || audited.exhibit());
            }
            for (file, kind) in &reports {
                let is_saved = self.save.as_ref() == Some(file);
                let report = if is_saved || *kind == Kind::Html { audited.whole() } else { audited.report() };
                write_report(&report, file, *kind)?;
            }
            match self.format {
                Format::Text => sheet.text(&view::audit(sheet.page, &audited, self.showing.in_full()))?,
                Format::Json => audited.write_json(sheet.out)?,
            }
            Ok(self.judging.exit_code(&audited, &configured))
        })
    }
}

impl Audit {
    /// The files to write it to, with what each is.
    fn reports(&self, configured: &Heeded) -> Result<Vec<(PathBuf, Kind)>, Stop> {
        let mut reports = self.report.clone();
        if reports.is_empty() {
            reports = configured.config.report.iter().map(|it| configured.path_of(it)).collect();
        }
        let saved = self.save.iter().map(|file| Ok((file.clone(), Kind::Json)));
        saved.chain(reports.into_iter().map(|file| Ok((file.clone(), kind_of(&file)?)))).collect()
    }
}

/// What a file is written as.
pub(super) fn kind_of(file: &Path) -> Result<Kind, Stop> {
    Kind::of(file).ok_or_else(|| Stop::Misused {
        message: format!("{} has no ending of a report", view::safe(&file.to_string_lossy())),
        help: Kind::endings(),
    })
}

/// Writes an audit to a file.
pub(super) fn write_report<F: InWords + Serialize>(
    report: &Report<F>,
    file: &Path,
    kind: Kind,
) -> Result<(), Stop> {
    let written = files::replace(file, For::All, |file| {
        let mut out = BufWriter::new(file);
        kind.write(report, &mut out)?;
        out.flush()
    });
    written.map_err(|error| unwritable(file, &error))
}

impl Showing {
    /// How many findings to tell in full; none is all of them.
    pub(crate) fn in_full(self) -> Option<usize> {
        (!self.all).then_some(self.limit)
    }
}

impl Judging {
    /// The ids of the rules to run.
    pub(crate) fn chosen(&self, configured: &Heeded) -> Result<BTreeSet<&'static str>, Stop> {
        let only = matching(&self.only)?;
        let skip = matching(&self.skip)?;
        let all = Catalogue::shipped();
        let wanted = |id: &&str| (self.only.is_empty() || only.contains(id)) && !skip.contains(id);
        let mut chosen: BTreeSet<&'static str> = all.ids().filter(wanted).collect();
        let named = chosen.len();
        chosen.retain(|rule| !configured.config.settings.is_off(rule));
        match configured.file() {
            Some(file) if chosen.is_empty() && named > 0 => Err(Stop::Misused {
                message: format!("every rule that is asked for is off in {file}"),
                help: "name others, or --no-config".to_owned(),
            }),
            _ => Ok(chosen),
        }
    }

    /// Whether all rules are run.
    fn is_whole(&self) -> bool {
        self.only.is_empty() && self.skip.is_empty()
    }

    /// What makes the audit fail, by argument or configuration.
    fn fail_on(&self, configured: &Heeded) -> Option<Threshold> {
        self.fail_on.or(configured.config.fail_on)
    }

    fn exit_code(&self, audited: &Audited<'_>, configured: &Heeded) -> u8 {
        let is_over = |finding: &Finding, threshold: Threshold| {
            let is_news = || audited.then(finding).is_some_and(Then::is_news);
            finding.severity >= threshold.severity && (!threshold.new || is_news()) && audited.counts(finding)
        };
        let over = |threshold: Threshold| audited.findings.iter().any(|finding| is_over(finding, threshold));
        if self.fail_on(configured).is_some_and(over) {
            FOUND
        } else if (self.strict || configured.config.strict == Some(true)) && audited.looked_at.blind_spots > 0
        {
            BLIND
        } else {
            0
        }
    }
}

/// An audit that was saved, as far as `read` takes it, and its file as it is shown.
pub(super) fn saved<T>(
    file: &Path,
    read: impl FnOnce(&[u8]) -> Result<T, Unfit>,
) -> Result<(T, String), Stop> {
    let shown = view::safe(&file.to_string_lossy());
    let wrong = |message: String, help: &str| Stop::Misused { message, help: help.to_owned() };
    let text = files::read_up_to(file, LARGEST_SAVED).map_err(|error| {
        wrong(format!("{shown} cannot be read: {error}"), "name a file that `audit --save` wrote")
    })?;
    let saved = read(&text).map_err(|unfit| match unfit {
        Unfit::Newer(version) => wrong(
            format!(
                "{shown} was saved by a newer version: audits of version {version}, and this reads {VERSION}"
            ),
            "get the newer version of the program, or save an audit with this one",
        ),
        Unfit::NotAnAudit(line, column) => wrong(
            format!("{shown}:{line}:{column} is not what an audit is saved as"),
            "name a file that `audit --save` wrote, whole",
        ),
    })?;
    Ok((saved, shown))
}

/// The largest saved audit that is read, in bytes.
const LARGEST_SAVED: u64 = 4 << 30;

/// The rules that some patterns match, each of which must match one: a rule id with a slip in it
/// would otherwise silently leave a rule out.
pub(crate) fn matching(patterns: &[String]) -> Result<BTreeSet<&'static str>, Stop> {
    let (all, mut ids) = (Catalogue::shipped(), BTreeSet::new());
    for text in patterns {
        let matched: Vec<&str> = match Pattern::parse(text) {
            Ok(pattern) => all.ids().filter(|id| pattern.matches(id)).collect(),
            Err(_) => Vec::new(),
        };
        if matched.is_empty() {
            let known: Vec<&str> = all.ids().collect();
            let help = match pasaporte_read::nearest(text, &known) {
                Some(near) => format!("did you mean {near}?"),
                None => "`pasaporte rules` lists them; a pattern is written like 'key/*'".to_owned(),
            };
            return Err(Stop::Misused { message: format!("no rule matches `{}`", view::safe(text)), help });
        }
        ids.extend(matched);
    }
    Ok(ids)
}
