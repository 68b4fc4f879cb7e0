//! Findings that somebody answers for until a date: which are in force, which are past it, which match nothing any more.

use std::collections::{BTreeSet, HashMap, HashSet};

use jiff::civil::Date;
use pasaporte_audit::Finding;
use pasaporte_read::accepted::Acceptance;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A file of acceptances, on a day.
#[derive(Debug)]
pub struct Accepted {
    file: String,
    today: Date,
    all: Vec<Acceptance>,
    by_finding: HashMap<u64, usize>,
}

impl Accepted {
    /// The acceptances of a file as they are on a day.
    pub fn new(file: String, all: Vec<Acceptance>, today: Date) -> Self {
        let by_finding = all.iter().enumerate().map(|(index, it)| (it.finding, index)).collect();
        Self { file, today, all, by_finding }
    }

    /// Who answers for a finding, and until when; also where that is past.
    pub fn of(&self, finding: &Finding) -> Option<AcceptedOut> {
        let it = self.acceptance(finding)?;
        Some(AcceptedOut {
            owner: it.owner.clone(),
            reason: it.reason.clone(),
            until: it.until.to_string(),
            days_left: it.days_left(self.today),
            in_force: it.until >= self.today,
            line: it.line,
        })
    }

    /// Whether somebody answers for a finding, and the date is not past.
    pub fn is_in_force(&self, finding: &Finding) -> bool {
        self.acceptance(finding).is_some_and(|it| it.until >= self.today)
    }

    fn acceptance(&self, finding: &Finding) -> Option<&Acceptance> {
        self.by_finding.get(&finding.fingerprint.number()).map(|index| &self.all[*index])
    }

    /// How all of them stand to what some rules found.
    pub fn tally(&self, findings: &[Finding], ran: &BTreeSet<&'static str>) -> AcceptancesOut {
        let leading: HashSet<u64> = findings.iter().map(|it| it.fingerprint.number()).collect();
        let beneath: HashSet<u64> =
            findings.iter().flat_map(Finding::beneath).map(|it| it.fingerprint.number()).collect();
        let told: Vec<AcceptedOut> = findings.iter().filter_map(|it| self.of(it)).collect();
        let in_force = told.iter().filter(|it| it.in_force).count();
        let is_idle = |it: &&Acceptance| {
            let is_looked_for = ran.contains(it.rule.as_str());
            is_looked_for && !leading.contains(&it.finding) && !beneath.contains(&it.finding)
        };
        AcceptancesOut {
            file: self.file.clone(),
            in_force,
            overdue: told.len() - in_force,
            unmatched: self.all.iter().filter(is_idle).map(UnmatchedOut::of).collect(),
        }
    }
}

/// Who answers for a finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AcceptedOut {
    /// Who answers for it.
    pub owner: String,
    /// Why it may stay so long.
    pub reason: String,
    /// The last day on which it may (RFC 3339 full-date).
    pub until: String,
    /// Days from the day of the audit to that day; below zero where it is past.
    pub days_left: i64,
    /// Whether it does not count, since that day is not past.
    pub in_force: bool,
    /// The line of the acceptance in its file.
    pub line: u32,
}

/// How acceptances stand to what was found.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct AcceptancesOut {
    /// Their file.
    pub file: String,
    /// Leading findings that do not count, since somebody answers for them.
    pub in_force: usize,
    /// Leading findings that count again, since the day is past.
    pub overdue: usize,
    /// Those whose finding is not there any more.
    pub unmatched: Vec<UnmatchedOut>,
}

/// An acceptance whose finding is not there any more.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct UnmatchedOut {
    /// Sixteen hexadecimal digits.
    pub fingerprint: String,
    /// The rule, as the acceptance names it.
    pub rule: String,
    /// The thing, likewise.
    pub thing: String,
    /// Who answers for it.
    pub owner: String,
    /// The line of the acceptance in its file.
    pub line: u32,
}

impl UnmatchedOut {
    fn of(it: &Acceptance) -> Self {
        Self {
            fingerprint: format!("{:016x}", it.finding),
            rule: it.rule.clone(),
            thing: it.thing.clone(),
            owner: it.owner.clone(),
            line: it.line,
        }
    }
}
