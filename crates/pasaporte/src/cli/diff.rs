//! `pasaporte diff`: what opened and closed between two estates, or two audits that were saved.

use std::mem::ManuallyDrop;
use std::path::{Path, PathBuf};

use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::{Args, ValueEnum};
use jiff::Timestamp;
use pasaporte_audit::Catalogue;
use pasaporte_read::files;
use pasaporte_report::audit::Report;
use pasaporte_report::diff::{Brief, DiffOut, EstatesOut, Found, SideOut};
use pasaporte_report::threshold::Threshold;
use serde::Deserialize;

use super::audit::{matching, saved};
use super::config::Heeded;
use super::{Done, FOUND, Input, Sheet, Stop, moment, waive};
use crate::session::{Audited, Session};
use crate::view;

#[derive(Debug, Args)]
#[command(
    after_help = "Examples:\n  pasaporte diff estate-monday estate\n  pasaporte diff baseline.json estate --fail-on high\n  pasaporte diff main-estate estate --format markdown > change.md"
)]
pub(crate) struct Diff {
    /// What was: a folder or file of an estate, or an audit that `audit --save` wrote
    #[arg(value_name = "OLD", value_hint = clap::ValueHint::AnyPath)]
    old: PathBuf,
    /// What is
    #[arg(value_name = "NEW", value_hint = clap::ValueHint::AnyPath)]
    new: PathBuf,
    /// Leave out findings of the rules that match (repeat, or divide by commas)
    #[arg(long, value_name = "RULES", value_delimiter = ',')]
    skip: Vec<String>,
    /// Exit with 1 if a finding of this severity or worse is new, or worse than it was
    #[arg(long, value_name = "LEVEL", value_parser = threshold())]
    fail_on: Option<Threshold>,
    /// Judge ages and expiries of both by this time: a time, a date or `now`
    #[arg(long, value_name = "TIME", value_parser = moment)]
    as_of: Option<Timestamp>,
    /// Tell all of everything
    #[arg(long)]
    all: bool,
    /// How to write the answer
    #[arg(long, value_enum, default_value = "text")]
    format: Written,
}

/// How a difference is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Written {
    /// For people.
    Text,
    /// For programs.
    Json,
    /// For a pull request.
    Markdown,
}

fn threshold() -> impl TypedValueParser<Value = Threshold> {
    PossibleValuesParser::new(Threshold::WORDS)
        .map(|word| Threshold::parse(&word).expect("only known words are taken"))
}

/// One side, as it was named.
enum Side {
    Estate(Box<Session>),
    Saved(Box<Report>),
}

impl Diff {
    pub(super) fn run(&self, sheet: &mut Sheet<'_>) -> Done {
        let configured = sheet.configured()?;
        let mut rules = Catalogue::shipped().ids().collect::<std::collections::BTreeSet<_>>();
        for id in matching(&self.skip)? {
            rules.remove(id);
        }
        let accepted = waive::heeded(None, &configured)?;
        // Nothing of it is taken apart when all is said.
        let sides = ManuallyDrop::new(sheet.while_waiting("reading", || {
            Ok::<_, Stop>([self.side(&self.old, &configured)?, self.side(&self.new, &configured)?])
        })?);
        let told = sheet.while_waiting("comparing", || {
            let audited = sides.each_ref().map(|side| match side {
                Side::Estate(session) => Some(ManuallyDrop::new(session.audit(rules.clone()))),
                Side::Saved(_) => None,
            });
            let [old, mut new] = audited;
            if let (Some(new), Some(accepted)) = (&mut new, accepted) {
                let as_of = new.audit.estate().as_of();
                new.heed(accepted(as_of));
            }
            self.told(&sides, [old.as_deref(), new.as_deref()])
        });
        match self.format {
            Written::Text => sheet.text(&view::diff(sheet.page, &told, self.all))?,
            Written::Json => sheet.json(&told)?,
            Written::Markdown => sheet.text(&pasaporte_report::diff::markdown(&told))?,
        }
        let is_over = |threshold: Threshold, it: &Brief| it.severity.0 >= threshold.severity && !it.accepted;
        let fail_on = self.fail_on.or(configured.config.fail_on);
        let over = |threshold| {
            let news = told.findings.new.iter().chain(&told.findings.worse);
            news.into_iter().any(|it| is_over(threshold, it))
        };
        Ok(if fail_on.is_some_and(over) { FOUND } else { 0 })
    }

    fn told(&self, sides: &[Side; 2], audited: [Option<&Audited<'_>>; 2]) -> DiffOut {
        let found = |at: usize| match (&sides[at], audited[at]) {
            (_, Some(audited)) => Found::new(&audited.report()),
            (Side::Saved(report), None) => Found::new(report.as_ref()),
            (Side::Estate(_), None) => unreachable!("an estate is audited"),
        };
        let side = |at: usize, path: &Path| {
            let looked_at = match (&sides[at], audited[at]) {
                (Side::Saved(report), _) => &report.looked_at,
                (_, Some(audited)) => &audited.looked_at,
                (Side::Estate(_), None) => unreachable!("an estate is audited"),
            };
            SideOut::new(view::safe(&path.to_string_lossy()), looked_at)
        };
        let estates = match audited {
            [Some(old), Some(new)] => Some(EstatesOut::new(&old.audit, &new.audit)),
            _ => None,
        };
        let findings = found(1).against(found(0));
        DiffOut::new([side(0, &self.old), side(1, &self.new)], estates, findings)
    }

    /// What a path holds.
    fn side(&self, path: &Path, configured: &Heeded) -> Result<Side, Stop> {
        if is_saved(path) {
            let (report, _) = saved(path, Report::read)?;
            return Ok(Side::Saved(Box::new(report)));
        }
        let input = Input::new(vec![path.to_owned()], self.as_of);
        Ok(Side::Estate(Box::new(input.load(configured)?)))
    }
}

/// Whether a file is an audit that was saved.
fn is_saved(path: &Path) -> bool {
    #[derive(Deserialize)]
    struct Audit {
        #[expect(dead_code, reason = "that it is there says what the file is")]
        audit: u64,
    }
    let ends = path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("json"));
    ends && files::read_text(path).is_ok_and(|text| serde_json::from_str::<Audit>(&text).is_ok())
}
