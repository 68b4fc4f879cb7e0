//! Where to start: the few changes that close most of the worst findings, with what asking the estate without them says.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::rehearse::rehearse;
use pasaporte_audit::{Audit, Finding, Severity, times};
use pasaporte_core::paths::Element;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::paths::{ChangeOut, change};
use crate::rehearsal::stopped;

/// Where to start.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StartOut {
    /// The changes, the one that closes most first.
    pub changes: Vec<ChangeOut>,
    /// How many critical findings are closed where all of them are made, as asking the estate without them says.
    pub closed: usize,
    /// How many critical findings there are.
    pub of: usize,
    /// Whom it would turn away, as far as logs show, in words; empty where nobody was seen.
    pub touches: Vec<String>,
}

impl StartOut {
    /// The changes, held against the estate without them.
    pub fn new(old: (&Audit<'_>, &[Finding]), new: (&Audit<'_>, &[Finding]), elements: &[Element]) -> Self {
        const MOST: usize = 4;
        let critical = |findings: &[Finding]| -> BTreeSet<String> {
            let worst = findings.iter().filter(|it| it.severity == Severity::Critical);
            worst.map(|it| it.fingerprint.to_string()).collect()
        };
        let (before, after) = (critical(old.1), critical(new.1));
        let mut by_who: BTreeMap<String, u64> = BTreeMap::new();
        for it in &rehearse(old.0, new.0).broken {
            let told = stopped(old.0, new.0, it);
            *by_who.entry(format!("{} at {}", told.who, told.to)).or_default() += told.count;
        }
        let mut touched: Vec<(String, u64)> = by_who.into_iter().collect();
        touched.sort_by(|one, other| other.1.cmp(&one.1).then_with(|| one.0.cmp(&other.0)));
        Self {
            changes: elements.iter().map(|element| change(old.0.estate(), *element)).collect(),
            // What comes instead is not closed.
            closed: before.len().saturating_sub(after.len()),
            of: before.len(),
            touches: touched
                .into_iter()
                .take(MOST)
                .map(|(who, count)| format!("{who}, {}", times(count)))
                .collect(),
        }
    }
}
