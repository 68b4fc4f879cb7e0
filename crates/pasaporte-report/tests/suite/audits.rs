//! Audits of random estates, and their reports.

use pasaporte_audit::{Audit, Catalogue, Finding, judge};
use pasaporte_report::LookedAt;
use pasaporte_report::audit::{Findings, Report};
use pasaporte_report::finding::NoTexts;

/// What all rules find.
pub(crate) fn found(audit: &Audit<'_>) -> Vec<Finding> {
    judge(audit, &Catalogue::shipped().ids().collect())
}

pub(crate) fn report<'a>(audit: &'a Audit<'a>, findings: &'a [Finding]) -> Report<Findings<'a>> {
    let looked_at = LookedAt::new(audit.estate(), 0);
    Report::new(audit, findings, &NoTexts, audit.catalogue().all(), looked_at, "0.0.0")
}
