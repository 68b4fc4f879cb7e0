//! What is wrong with an estate, how bad it is, and what to do.
//!
//! Data flows one way: [`Audit`] is an estate prepared for questions; a [`Rule`] goes through it and raises [`facts`],
//! plain data of what it saw; settling gives each a severity and a fingerprint, puts them in order, and puts what sees
//! one weakness beneath the finding that leads; and [`told`] words a [`Finding`] when somebody asks for it, so that a
//! large estate with many findings costs little.

mod audit;
mod evidence;
pub mod facts;
mod finding;
mod fingerprint;
pub mod rehearse;
mod rounds;
mod rules;
mod settings;
mod settle;
mod severity;
pub mod start;
pub mod tighten;
mod verdict;
mod ways;
mod words;

use std::collections::BTreeSet;

use rayon::prelude::*;

use finding::Raising;

pub use audit::Audit;
pub use finding::{Finding, Level, Sureness};
pub use fingerprint::Fingerprint;
pub use pasaporte_core::effect::{Harm, Impact};
pub use rules::crossing::names_in_settings;
pub use rules::surplus::needed_by_trigger;
pub use rules::{Catalogue, Rule, RuleId};
pub use settings::{RuleSetting, Settings, Thresholds};
pub use settle::PRECEDENCE;
pub use severity::{Severity, severity};
pub use verdict::{KeyVerdict, key_verdicts};
pub use words::level::{exposure_in_words, impact_in_words, level_in_words};
pub use words::phrases::{grouped, times};
pub use words::{Change, Evidence, Told, door_use, told};

/// Runs the chosen rules, side by side. The findings come worst first, then by rule and thing; what a rule
/// raises twice with the same fingerprint is one finding with the evidence of both. Of those that see one weakness one
/// leads, and the others lie beneath it.
pub fn judge(audit: &Audit<'_>, chosen: &BTreeSet<&str>) -> Vec<Finding> {
    let rules: Vec<(RuleId, &Rule)> =
        audit.catalogue().placed().filter(|(_, rule)| chosen.contains(rule.id)).collect();
    audit.work_ahead();
    if rules.iter().any(|(_, rule)| rule.family() == rules::PATHS) {
        // Before, with all processors: a rule that waits for another's answer does nothing else.
        audit.ways();
    }
    let raised = rules.par_iter().with_max_len(1).map(|&(id, rule)| {
        let mut raising = Raising::new(id, audit);
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
    settle::settle(findings, audit)
}
