//! `pasaporte audit`: judge an estate.

use std::collections::BTreeSet;
use std::mem::ManuallyDrop;

use clap::{Args, ValueEnum};
use clap_complete::ArgValueCompleter;
use pasaporte_audit::{Catalogue, Severity};
use pasaporte_core::pattern::Pattern;

use super::{BLIND, Done, FOUND, Format, Input, Sheet, Stop, completions};
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
    /// Exit with 1 if there is a finding of this severity or worse
    #[arg(long, value_name = "LEVEL", value_enum)]
    fail_on: Option<Level>,
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

#[derive(Debug, Clone, Copy, ValueEnum)]
enum Level {
    Critical,
    High,
    Medium,
    Low,
    Info,
}

impl From<Level> for Severity {
    fn from(level: Level) -> Self {
        match level {
            Level::Critical => Self::Critical,
            Level::High => Self::High,
            Level::Medium => Self::Medium,
            Level::Low => Self::Low,
            Level::Info => Self::Info,
        }
    }
}

impl Audit {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let chosen = self.judging.chosen()?;
        self.input.ask(sheet, |session, sheet| {
            // Like the estate, it is not taken apart when all is said.
            let audited = ManuallyDrop::new(sheet.while_waiting("judging", || session.audit(chosen)));
            match self.format {
                Format::Text => sheet.text(&view::audit(sheet.page, &audited, self.showing.in_full()))?,
                Format::Json => audited.write_json(sheet.out)?,
            }
            Ok(self.judging.exit_code(&audited))
        })
    }
}

impl Showing {
    /// How many findings to tell in full; none is all of them.
    pub(crate) fn in_full(self) -> Option<usize> {
        (!self.all).then_some(self.limit)
    }
}

impl Judging {
    /// The ids of the rules to run.
    pub(crate) fn chosen(&self) -> Result<BTreeSet<&'static str>, Stop> {
        let only = matching(&self.only)?;
        let skip = matching(&self.skip)?;
        let all = Catalogue::shipped();
        Ok(all.ids().filter(|id| (self.only.is_empty() || only.contains(id)) && !skip.contains(id)).collect())
    }

    fn exit_code(&self, audited: &Audited<'_>) -> u8 {
        let over = |level: Level| audited.findings.iter().any(|finding| finding.severity >= level.into());
        if self.fail_on.is_some_and(over) {
            FOUND
        } else if self.strict && audited.looked_at.blind_spots > 0 {
            BLIND
        } else {
            0
        }
    }
}

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

#[cfg(test)]
mod tests {
    use pasaporte_core::estate::Vocabulary;

    use super::*;

    #[test]
    fn every_severity_can_be_asked_for() {
        for (word, severity) in Severity::ALL {
            let level = Level::from_str(word, false).unwrap();
            assert_eq!(Severity::from(level), *severity);
        }
    }
}
