//! An audit that was run: what commands ask for and views show.

use std::collections::BTreeSet;

use pasaporte_core::estate::Estate;
use pasaporte_core::rules::{self, Finding, Rule, Settings, judge};
use pasaporte_formats::report::{LookedAt, Report};

/// The findings of an audit, and what they were looked for in.
pub(crate) struct Audited {
    pub(crate) findings: Vec<Finding>,
    pub(crate) looked_at: LookedAt,
    pub(crate) ran: BTreeSet<&'static str>,
}

impl Audited {
    /// Runs the chosen rules; the blind ones always run, since what was not seen belongs to every answer.
    pub(crate) fn new(estate: &Estate, chosen: BTreeSet<&'static str>) -> Self {
        let audit = rules::Audit::new(estate, Settings::default());
        let run: BTreeSet<&str> = rules::all()
            .filter(|rule| chosen.contains(rule.id) || is_blind(rule))
            .map(|rule| rule.id)
            .collect();
        let mut findings = judge(&audit, &run);
        let blind_spots = findings.iter().filter(|finding| is_blind(finding.rule)).count();
        findings.retain(|finding| chosen.contains(finding.rule.id));
        Self { findings, looked_at: LookedAt::new(estate, blind_spots), ran: chosen }
    }

    /// The audit as its JSON report.
    pub(crate) fn to_json(&self, estate: &Estate) -> String {
        let ran = rules::all().filter(|rule| self.ran.contains(rule.id));
        Report::new(estate, &self.findings, ran, self.looked_at.clone(), env!("CARGO_PKG_VERSION")).to_json()
    }
}

fn is_blind(rule: &Rule) -> bool {
    rule.family() == "blind"
}
