//! `pasaporte waive`: accept findings until a date, see what is accepted, and take it back.

use std::path::{Path, PathBuf};

use clap::Args;
use jiff::Timestamp;
use jiff::civil::Date;
use jiff::tz::TimeZone;
use pasaporte_audit::{Catalogue, Finding};
use pasaporte_core::pattern::Pattern;
use pasaporte_read::accepted::{self, Acceptance, fingerprint};
use pasaporte_read::files;
use pasaporte_report::accepted::Accepted;

use super::config::Heeded;
use super::{Done, Input, Sheet, Stop, now, unwritable, upward};
use crate::session::Audited;
use crate::view;

/// The file that is looked for, from the working folder upward.
const FILE: &str = "pasaporte-accepted.toml";

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte waive key/stale@key:lab --owner tickets --reason 'rotated with the move' --until 2027-01-31 --estate estate\n  pasaporte waive --list\n  pasaporte waive --withdraw key/stale@key:lab"
)]
pub(crate) struct Waive {
    /// Findings: a fingerprint as JSON has it, or RULE@THING as text has it, with `*` and `?` in both (`key/*@key:lab-*`)
    #[arg(value_name = "FINDING", required_unless_present = "list")]
    findings: Vec<String>,
    /// Who answers for them
    #[arg(long, value_name = "NAME", required_unless_present_any = ["list", "withdraw"])]
    owner: Option<String>,
    /// Why they may stay so long
    #[arg(long, value_name = "TEXT", required_unless_present_any = ["list", "withdraw"])]
    reason: Option<String>,
    /// The last day on which they may; after it they count again
    #[arg(long, value_name = "DATE", required_unless_present_any = ["list", "withdraw"])]
    until: Option<Date>,
    /// Accept all that a pattern takes in, where that is more than one
    #[arg(long)]
    yes: bool,
    /// Show what is accepted
    #[arg(long, conflicts_with_all = ["findings", "withdraw", "owner", "reason", "until", "yes"])]
    list: bool,
    /// Take acceptances back: the findings count again
    #[arg(long, conflicts_with_all = ["owner", "reason", "until"])]
    withdraw: bool,
    /// The estate in which the findings are: files or folders [default: as for `audit`]
    #[arg(long = "estate", value_name = "PATH")]
    paths: Vec<PathBuf>,
    /// The file of acceptances [default: pasaporte-accepted.toml in this folder or the next above that has one]
    #[arg(long, value_name = "FILE")]
    accepted: Option<PathBuf>,
}

impl Waive {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        if self.list {
            return self.list(sheet);
        }
        if self.withdraw {
            return self.withdraw(sheet);
        }
        let (Some(owner), Some(reason), Some(until)) = (&self.owner, &self.reason, self.until) else {
            return Ok(0);
        };
        let today = today();
        if until < today {
            return Err(misused(
                format!("--until {until} is past"),
                "name a day to come: after it the findings count again",
            ));
        }
        for (name, text) in [("--owner", owner), ("--reason", reason)] {
            if text.trim().is_empty() || pasaporte_read::visible(text) != **text {
                return Err(misused(
                    format!("{name} is not a text of one line"),
                    "say who answers for them, and why",
                ));
            }
        }
        let path = self.file(sheet)?;
        let before = read_text(&path)?;
        accepted::read(&shown(&path), &before).map_err(Stop::Wrong)?;
        let input = Input::new(self.paths.clone(), None);
        input.ask(sheet, |session, sheet| {
            let audited = session.audit(Catalogue::shipped().ids().collect());
            let found = self.found(&audited)?;
            let of = |finding: &&Finding| Acceptance {
                finding: finding.fingerprint.number(),
                rule: audited.audit.rule(finding).id.to_owned(),
                thing: finding.label(audited.audit.estate()),
                owner: owner.clone(),
                reason: reason.clone(),
                until,
                since: Some(today),
                line: 0,
            };
            let all: Vec<Acceptance> = found.iter().map(of).collect();
            let text = accepted::with(&before, &all).map_err(|why| unchanged(&path, &why))?;
            accepted::read(&shown(&path), &text).map_err(Stop::Wrong)?;
            files::replace_text(&path, &text).map_err(|error| unwritable(&path, &error))?;
            sheet.text(&view::waived(sheet.page, &all, &shown(&path), until))?;
            Ok(0)
        })
    }

    /// The findings that were named, each of which must be there.
    fn found<'a>(&self, audited: &'a Audited<'_>) -> Result<Vec<&'a Finding>, Stop> {
        let mut all: Vec<&Finding> = Vec::new();
        for name in &self.findings {
            let named = Named::parse(name)?;
            let matches = |finding: &&Finding| {
                let (rule, thing) = (audited.audit.rule(finding).id, finding.label(audited.audit.estate()));
                named.takes(finding.fingerprint.number(), rule, &thing)
            };
            let found: Vec<&Finding> = audited.findings.iter().filter(matches).collect();
            if found.is_empty() {
                let beneath =
                    audited.findings.iter().find(|leading| leading.beneath().iter().any(|it| matches(&it)));
                return Err(match beneath {
                    Some(leading) => misused(
                        format!("{} lies beneath another finding", view::safe(name)),
                        &format!(
                            "accept the one that leads it, and it is accepted too: {}@{}",
                            audited.audit.rule(leading).id,
                            leading.label(audited.audit.estate())
                        ),
                    ),
                    None => misused(
                        format!("there is no finding {} in this estate", view::safe(name)),
                        "name it as RULE@THING, as `pasaporte audit` tells it, or by its fingerprint in JSON",
                    ),
                });
            }
            all.extend(found);
        }
        let told = |finding: &&Finding| {
            (audited.audit.rule(finding).id, finding.label(audited.audit.estate()), finding.fingerprint)
        };
        all.sort_by_cached_key(told);
        all.dedup_by_key(|finding| finding.fingerprint);
        let named = |finding: &&Finding| {
            format!("{}@{}", audited.audit.rule(finding).id, finding.label(audited.audit.estate()))
        };
        self.is_meant(&all.iter().map(named).collect::<Vec<_>>())?;
        Ok(all)
    }

    /// That more was not taken in than was named one by one, unless somebody says so.
    fn is_meant(&self, taken_in: &[String]) -> Result<(), Stop> {
        const MOST: usize = 8;
        if self.yes || taken_in.len() <= self.findings.len() {
            return Ok(());
        }
        let mut told = taken_in.iter().take(MOST).cloned().collect::<Vec<_>>().join(", ");
        if taken_in.len() > MOST {
            told.push_str(&format!(" and {} more", taken_in.len() - MOST));
        }
        Err(misused(
            format!("that takes in {} findings: {}", taken_in.len(), view::safe(&told)),
            "add --yes if you mean all of them, or name them one by one",
        ))
    }

    fn withdraw(&self, sheet: &mut Sheet<'_>) -> Done {
        let path = self.file(sheet)?;
        let text = read_text(&path)?;
        let all = accepted::read(&shown(&path), &text).map_err(Stop::Wrong)?;
        let mut taken: Vec<&Acceptance> = Vec::new();
        for name in &self.findings {
            let named = Named::parse(name)?;
            let found: Vec<&Acceptance> =
                all.iter().filter(|it| named.takes(it.finding, &it.rule, &it.thing)).collect();
            if found.is_empty() {
                return Err(misused(
                    format!("{} accepts no {}", shown(&path), view::safe(name)),
                    "`pasaporte waive --list` shows what is accepted",
                ));
            }
            taken.extend(found);
        }
        taken.sort_by_key(|it| it.line);
        taken.dedup_by_key(|it| it.line);
        self.is_meant(&taken.iter().map(|it| format!("{}@{}", it.rule, it.thing)).collect::<Vec<_>>())?;
        let findings: Vec<u64> = taken.iter().map(|it| it.finding).collect();
        let text = accepted::without(&text, &findings).map_err(|why| unchanged(&path, &why))?;
        files::replace_text(&path, &text).map_err(|error| unwritable(&path, &error))?;
        sheet.text(&view::withdrawn(sheet.page, &taken, &shown(&path)))?;
        Ok(0)
    }

    fn list(&self, sheet: &mut Sheet<'_>) -> Done {
        let path = self.file(sheet)?;
        let all = accepted::read(&shown(&path), &read_text(&path)?).map_err(Stop::Wrong)?;
        sheet.text(&view::acceptances(sheet.page, &all, &shown(&path), today()))?;
        Ok(0)
    }

    /// The file that is meant, or that is to be made.
    fn file(&self, sheet: &Sheet<'_>) -> Result<PathBuf, Stop> {
        let found = file(self.accepted.as_deref(), &*sheet.configured()?);
        Ok(found.unwrap_or_else(|| PathBuf::from(FILE)))
    }
}

/// The file that is named, else the one that the configuration names, else the one in the working folder or the next above
/// that has one.
fn file(named: Option<&Path>, configured: &Heeded) -> Option<PathBuf> {
    let told = || configured.config.accepted.as_deref().map(|it| configured.path_of(it));
    named.map(Path::to_owned).or_else(told).or_else(|| upward(FILE))
}

fn today() -> Date {
    TimeZone::UTC.to_datetime(now()).date()
}

/// The acceptances that an audit heeds: of the file that is named, or of the one upward. They are told as on the day of
/// which the estate is; today where it is of none.
pub(super) fn heeded(
    named: Option<&Path>,
    configured: &Heeded,
) -> Result<Option<impl FnOnce(Option<Timestamp>) -> Accepted>, Stop> {
    let Some(path) = file(named, configured) else { return Ok(None) };
    // One that the configuration names is there once something is accepted.
    if named.is_none() && !path.exists() {
        return Ok(None);
    }
    let text = files::read_text(&path).map_err(|error| {
        misused(format!("{} cannot be read: {error}", shown(&path)), "name a file that `waive` wrote")
    })?;
    let all = accepted::read(&shown(&path), &text).map_err(Stop::Wrong)?;
    Ok(Some(move |as_of: Option<Timestamp>| {
        let day = as_of.map_or_else(today, |time| TimeZone::UTC.to_datetime(time).date());
        Accepted::new(shown(&path), all, day)
    }))
}

/// What was named: a finding by its fingerprint, or all of a rule and a thing.
enum Named {
    Fingerprint(u64),
    Patterns(Pattern, Pattern),
}

impl Named {
    fn parse(text: &str) -> Result<Self, Stop> {
        if let Some(finding) = fingerprint(text) {
            return Ok(Self::Fingerprint(finding));
        }
        let parsed = text.split_once('@').and_then(|(rule, thing)| {
            Some(Self::Patterns(Pattern::parse(rule).ok()?, Pattern::parse(thing).ok()?))
        });
        parsed.ok_or_else(|| {
            misused(
                format!("`{}` names no finding", view::safe(text)),
                "write RULE@THING, such as key/stale@key:lab, or a fingerprint of sixteen digits",
            )
        })
    }

    fn takes(&self, finding: u64, rule: &str, thing: &str) -> bool {
        match self {
            Self::Fingerprint(it) => *it == finding,
            Self::Patterns(rules, things) => rules.matches(rule) && things.matches(thing),
        }
    }
}

/// The text of a file; empty where there is none yet.
fn read_text(path: &Path) -> Result<String, Stop> {
    match files::read_text(path) {
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(String::new()),
        other => other.map_err(|error| unwritable(path, &error)),
    }
}

fn shown(path: &Path) -> String {
    view::safe(&path.to_string_lossy())
}

fn unchanged(path: &Path, why: &str) -> Stop {
    misused(
        format!("{} cannot be changed: {why}", shown(path)),
        "see docs/accepting.md for how it is written",
    )
}

fn misused(message: String, help: &str) -> Stop {
    Stop::Misused { message, help: help.to_owned() }
}
