//! Findings of two audits, held against each other: new, worse, milder, gone.

use std::collections::{BTreeSet, HashMap};

use pasaporte_audit::Severity;
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use crate::audit::{InWords, Report};
use crate::finding::FindingOut;

/// The findings of one side: what leads, and what was seen at all.
#[derive(Debug)]
pub struct Found {
    leading: Vec<Brief>,
    /// All, also those beneath others, with their severities.
    all: HashMap<String, Severity>,
    rules: BTreeSet<String>,
}

/// A finding, in short.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Brief {
    /// Sixteen hexadecimal digits.
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: String,
    /// How severe; of what is gone, how severe it was.
    pub severity: Word<Severity>,
    /// How severe it was, where that differs.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub was: Option<Word<Severity>>,
    /// The thing, as `kind:id`.
    pub thing: String,
    /// The situation, in plain words.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Where it shows, as `file:line`, on its side.
    pub at: Option<String>,
    /// Whether its rule was not run on the other side.
    pub by_other_rule: bool,
    /// Whether somebody answers for it.
    pub accepted: bool,
}

/// What differs of the findings of two audits.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct Compared {
    /// Those that were not found, worst first.
    pub new: Vec<Brief>,
    /// Those that are more severe than they were.
    pub worse: Vec<Brief>,
    /// Those that are less severe than they were.
    pub milder: Vec<Brief>,
    /// Those that are not found any more.
    pub gone: Vec<Brief>,
    /// How many are the same.
    pub same: usize,
}

impl Found {
    /// What an audit found.
    pub fn new(report: &Report<impl InWords>) -> Self {
        let mut found = Self {
            leading: Vec::with_capacity(report.findings.number()),
            all: HashMap::new(),
            rules: report.rules.iter().map(|rule| rule.id.to_string()).collect(),
        };
        report.findings.in_words(|all| {
            for it in all {
                found.all.insert(it.fingerprint.clone(), it.severity.0);
                found.all.extend(it.beneath.iter().map(|it| (it.fingerprint.clone(), it.severity.0)));
                found.leading.push(Brief::of(&it));
            }
        });
        found
    }

    /// This side held against an older one.
    pub fn against(self, old: Self) -> Compared {
        let mut compared =
            Compared { new: Vec::new(), worse: Vec::new(), milder: Vec::new(), gone: Vec::new(), same: 0 };
        for mut it in self.leading {
            match old.all.get(&it.fingerprint) {
                None => {
                    it.by_other_rule = !old.rules.contains(&it.rule);
                    compared.new.push(it);
                }
                Some(was) if *was == it.severity.0 => compared.same += 1,
                Some(was) => {
                    it.was = Some(Word(*was));
                    let worse = it.severity.0 > *was;
                    if worse { compared.worse.push(it) } else { compared.milder.push(it) }
                }
            }
        }
        for mut it in old.leading {
            if !self.all.contains_key(&it.fingerprint) {
                it.by_other_rule = !self.rules.contains(&it.rule);
                compared.gone.push(it);
            }
        }
        compared
    }
}

impl Brief {
    fn of(it: &FindingOut) -> Self {
        Self {
            fingerprint: it.fingerprint.clone(),
            rule: it.rule.to_string(),
            severity: it.severity,
            was: None,
            thing: it.thing.clone(),
            situation: it.situation.clone(),
            fix: it.fix.clone(),
            at: it.evidence.first().map(|seen| format!("{}:{}", seen.file, seen.line)),
            by_other_rule: false,
            accepted: it.accepted.as_ref().is_some_and(|it| it.in_force),
        }
    }
}
