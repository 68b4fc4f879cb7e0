//! What the audit looks for: one family a file, one list of all rules, one table of severities.
//!
//! A rule has its words and one function, from the prepared estate to what it raises. Settling gives each a
//! severity and a fingerprint and puts them in order. What a finding says is worded only when somebody asks
//! for it, so that a large estate with many findings costs little; views only show the result.

mod audit;
mod blind;
mod entry;
mod everybody;
mod finding;
mod grant;
mod identity;
mod key;
mod settle;
mod severity;
mod trust;
mod words;

use std::collections::BTreeSet;

use rayon::prelude::*;

use finding::Raising;

pub use crate::effect::{Harm, Impact};
pub use audit::{Audit, Settings};
pub use finding::{Evidence, Finding, Fingerprint, Level, Sureness, Told};
pub use settle::PRECEDENCE;
pub use severity::{Severity, severity};

/// What a rule looks for, in words for people, and the function that looks.
#[derive(Debug)]
pub struct Rule {
    /// `family/name`; never changes once published.
    pub id: &'static str,
    /// One line.
    pub title: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// What to do.
    pub fix: &'static str,
    /// How to see that it is done.
    pub check: &'static str,
    /// Open catalogues that describe the weakness: CWE, NIST SP 800-53 controls.
    pub references: &'static [&'static str],
    judge: fn(&Audit<'_>, &mut Raising<'_, '_>),
}

impl Rule {
    /// The part of the id before the slash.
    pub fn family(&self) -> &'static str {
        self.id.split('/').next().unwrap_or(self.id)
    }
}

/// Every rule, by family and then in the order in which one would read them.
pub fn all() -> impl Iterator<Item = &'static Rule> {
    [
        entry::anonymous::RULES,
        entry::token::RULES,
        entry::address::RULES,
        entry::invoke::RULES,
        entry::source::RULES,
        entry::fed::RULES,
        entry::otherwise::RULES,
        grant::RULES,
        everybody::RULES,
        identity::RULES,
        trust::RULES,
        key::RULES,
        blind::RULES,
    ]
    .into_iter()
    .flatten()
}

/// Runs the chosen rules, side by side. The findings come worst first, then by rule and thing; what a rule
/// raises twice with the same fingerprint is one finding with the evidence of both. Of those that see one weakness one
/// leads, and the others lie beneath it.
pub fn judge(audit: &Audit<'_>, chosen: &BTreeSet<&str>) -> Vec<Finding> {
    let rules: Vec<&'static Rule> = all().filter(|rule| chosen.contains(rule.id)).collect();
    audit.work_ahead();
    let raised = rules.par_iter().with_max_len(1).map(|rule| {
        let mut raising = Raising::new(rule, audit);
        (rule.judge)(audit, &mut raising);
        raising.found
    });
    let mut raised: Vec<Vec<Finding>> = raised.collect();
    // Onto the longest list, which then is not copied, and no longer than needed.
    raised.sort_by_key(Vec::len);
    let mut findings = raised.pop().unwrap_or_default();
    findings.reserve_exact(raised.iter().map(Vec::len).sum());
    for more in raised {
        findings.extend(more);
    }
    finding::order(&mut findings, audit.estate());
    findings.dedup_by(|later, first| {
        let same = later.fingerprint == first.fingerprint;
        if same {
            first.absorb(later);
        }
        same
    });
    settle::settle(findings, audit.estate())
}
