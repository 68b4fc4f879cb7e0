//! What a rule raises, and the finding that it settles into.

use sha2::{Digest, Sha256};

use super::{Audit, Harm, Impact, Rule, Severity, severity};
use crate::entry::{Exposed, Exposure};
use crate::estate::{AccountOf, Environment, Origin, Thing};

crate::estate::vocabulary! {
    /// How sure a finding is (access-model §10).
    Sureness: "how sure a finding is" {
        /// It is so.
        Certain = "certain",
        /// It is so if named conditions hold.
        Conditional = "conditional",
        /// It follows from what was seen, but something needed to be sure was not.
        Inferred = "inferred",
    }
}

/// How a finding gets its severity.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Level {
    /// By the table.
    Table(Impact, Exposure),
    /// Always this, whatever the environment: blind spots.
    Fixed(Severity),
}

/// A place that shows what a finding says.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Evidence {
    /// What stands there: "runs as identity:x".
    pub what: String,
    /// Where.
    pub origin: Origin,
}

/// A weakness as a rule sees it.
#[derive(Debug, Clone)]
pub struct Raised {
    thing: Option<Thing>,
    level: Level,
    environment: Option<Environment>,
    sureness: Sureness,
    situation: String,
    fix: String,
    evidence: Vec<Evidence>,
    facets: Vec<String>,
}

impl Raised {
    /// A weakness of a thing (none: of the estate as a whole), in one sentence of plain words.
    pub fn new(thing: impl Into<Option<Thing>>, level: Level, situation: String) -> Self {
        Self {
            thing: thing.into(),
            level,
            environment: None,
            sureness: Sureness::Certain,
            situation,
            fix: String::new(),
            evidence: Vec::new(),
            facets: Vec::new(),
        }
    }

    /// The smallest change that ends it.
    pub fn fix(mut self, fix: impl Into<String>) -> Self {
        self.fix = fix.into();
        self
    }

    /// The environment that shifts its severity.
    pub fn within(mut self, environment: Option<Environment>) -> Self {
        self.environment = environment;
        self
    }

    /// How sure it is.
    pub fn sure(mut self, sureness: Sureness) -> Self {
        self.sureness = sureness;
        self
    }

    /// A place that shows it.
    pub fn at(mut self, origin: impl Into<Option<Origin>>, what: impl Into<String>) -> Self {
        if let Some(origin) = origin.into() {
            self.evidence.push(Evidence { what: what.into(), origin });
        }
        self
    }

    /// What tells it from others of its rule on the same thing; part of the fingerprint, so never a
    /// place or a count.
    pub fn facet(mut self, facet: impl Into<String>) -> Self {
        self.facets.push(facet.into());
        self
    }
}

impl Level {
    /// By the table, from what could be done and who could do it.
    pub fn of(harm: &Harm, exposed: Exposed) -> Self {
        Self::Table(harm.impact, exposed.to)
    }
}

/// A settled finding: what views show and pipelines count.
#[derive(Debug, Clone)]
pub struct Finding {
    /// Which rule.
    pub rule: &'static Rule,
    /// How bad.
    pub severity: Severity,
    /// What the severity comes from.
    pub level: Level,
    /// How sure.
    pub sureness: Sureness,
    /// The thing, as `kind:id`; `estate` for the whole.
    pub thing: String,
    /// The account it is of, where that is known.
    pub account: Option<String>,
    /// The platform it is on, where that is known.
    pub platform: Option<String>,
    /// The environment that it was judged by.
    pub environment: Option<Environment>,
    /// The effective situation.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<Evidence>,
    /// Sixteen hexadecimal digits that stay the same while the finding does.
    pub fingerprint: String,
}

impl Finding {
    pub(super) fn settle(rule: &'static Rule, raised: Raised, audit: &Audit<'_>) -> Self {
        let estate = audit.estate();
        let thing = raised.thing.map_or("estate".to_owned(), |thing| estate.label(thing));
        let account = raised.thing.and_then(|thing| match estate.account_of(thing) {
            AccountOf::Known(account) => Some(estate.id(account).to_owned()),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        });
        let scope = raised.thing.and_then(|thing| estate.scope_of(thing));
        let platform = estate.platform(scope).map(|name| estate.text(name).to_owned());
        Self {
            rule,
            severity: match raised.level {
                Level::Table(impact, exposure) => severity(impact, exposure, raised.environment),
                Level::Fixed(severity) => severity,
            },
            level: raised.level,
            sureness: raised.sureness,
            fingerprint: fingerprint(rule.id, &thing, &raised.facets),
            thing,
            account,
            platform,
            environment: raised.environment,
            situation: raised.situation,
            fix: raised.fix,
            evidence: raised.evidence,
        }
    }

    /// Worst first; then by rule, thing and fingerprint, so that the order never depends on input.
    pub(super) fn order(&self) -> (std::cmp::Reverse<Severity>, usize, &str, &str) {
        let rank = super::all().position(|rule| rule.id == self.rule.id).unwrap_or(usize::MAX);
        (std::cmp::Reverse(self.severity), rank, &self.thing, &self.fingerprint)
    }
}

/// A hash of what makes a finding itself: its rule, its thing, and what tells it from others there.
/// No line, count or severity takes part, so it survives reordering and unrelated edits.
fn fingerprint(rule: &str, thing: &str, facets: &[String]) -> String {
    let mut hash = Sha256::new();
    for part in [rule, thing].into_iter().chain(facets.iter().map(String::as_str)) {
        hash.update((part.len() as u64).to_le_bytes());
        hash.update(part.as_bytes());
    }
    hash.finalize().iter().take(8).fold(String::new(), |text, byte| format!("{text}{byte:02x}"))
}
