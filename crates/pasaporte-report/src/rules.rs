//! The catalogue of rules.

use std::borrow::Cow;

use pasaporte_audit::Rule;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::VERSION;

/// Rules, by family and then in the order in which one would read them.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte rules, version 1")]
pub struct Rules {
    /// The version of this output.
    pub catalogue: u64,
    /// The rules that were asked for.
    pub rules: Vec<RuleOut>,
}

impl Rules {
    /// Some rules.
    pub fn new<'r>(rules: impl IntoIterator<Item = &'r Rule>) -> Self {
        Self { catalogue: VERSION, rules: rules.into_iter().map(RuleOut::of).collect() }
    }
}

/// A rule.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct RuleOut {
    /// `family/name`.
    pub id: Cow<'static, str>,
    /// One line.
    pub title: Cow<'static, str>,
    /// Why it matters.
    pub why: Cow<'static, str>,
    /// What to do.
    pub fix: Cow<'static, str>,
    /// How to see that it is done.
    pub check: Cow<'static, str>,
    /// Open catalogues that describe it.
    pub references: Vec<Cow<'static, str>>,
    /// What a fingerprint of it depends on, beside the rule and the thing.
    pub apart: Vec<Cow<'static, str>>,
}

impl RuleOut {
    /// A rule of the catalogue.
    pub fn of(rule: &Rule) -> Self {
        let all = |texts: &'static [&'static str]| texts.iter().map(|text| Cow::Borrowed(*text)).collect();
        Self {
            id: rule.id.into(),
            title: rule.title.into(),
            why: rule.why.into(),
            fix: rule.fix.into(),
            check: rule.check.into(),
            references: all(rule.references),
            apart: all(rule.apart),
        }
    }
}
