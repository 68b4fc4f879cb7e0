//! An audit that was run: what commands ask for and views show.

use std::collections::BTreeSet;
use std::io::{self, Write};

use pasaporte_audit::{Audit, Catalogue, Finding, Rule, Settings, judge};
use pasaporte_core::estate::{Estate, FunctionId};
use pasaporte_report::audit::{Report, write_json};
use pasaporte_report::{LookedAt, looked_at};

/// The findings of an audit, and what they were looked for in.
pub(crate) struct Audited<'e> {
    pub(crate) audit: Audit<'e>,
    pub(crate) findings: Vec<Finding>,
    pub(crate) looked_at: LookedAt,
    pub(crate) ran: BTreeSet<&'static str>,
}

impl<'e> Audited<'e> {
    /// Runs the chosen rules; the blind ones always run, since what was not seen belongs to every answer.
    pub(crate) fn new(estate: &'e Estate, chosen: BTreeSet<&'static str>) -> Self {
        Self::of(Audit::new(estate, Settings::default()), chosen)
    }

    /// Runs all rules on what a function's card rests on, and on nothing else.
    pub(crate) fn for_card(estate: &'e Estate, function: FunctionId) -> Self {
        let mut audit = Audit::new(estate, Settings::default());
        audit.look_at_only(looked_at(audit.effects(), function));
        Self::of(audit, Catalogue::shipped().ids().collect())
    }

    fn of(audit: Audit<'e>, chosen: BTreeSet<&'static str>) -> Self {
        let run: BTreeSet<&str> = audit
            .catalogue()
            .all()
            .filter(|rule| chosen.contains(rule.id) || is_blind(rule))
            .map(|rule| rule.id)
            .collect();
        let mut findings = judge(&audit, &run);
        // Blind spots are told each by itself; none leads or lies beneath.
        let blind_spots = findings.iter().filter(|finding| is_blind(audit.rule(finding))).count();
        findings.retain(|finding| chosen.contains(audit.rule(finding).id));
        let looked_at = LookedAt::new(audit.estate(), blind_spots);
        Self { audit, findings, looked_at, ran: chosen }
    }

    /// Writes the audit as its JSON report.
    pub(crate) fn write_json(&self, out: &mut dyn Write) -> io::Result<()> {
        let ran = self.audit.catalogue().all().filter(|rule| self.ran.contains(rule.id));
        let looked_at = self.looked_at.clone();
        let report = Report::new(&self.audit, &self.findings, ran, looked_at, env!("CARGO_PKG_VERSION"));
        write_json(&report, out)
    }
}

fn is_blind(rule: &Rule) -> bool {
    rule.family() == "blind"
}
