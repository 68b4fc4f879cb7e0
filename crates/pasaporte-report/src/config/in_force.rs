//! What is in force, and where it comes from; and what of it a reader of an audit must know.

use std::collections::BTreeMap;

use pasaporte_audit::{RuleSetting, Settings, Severity, Thresholds};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{Config, Said};

/// By which configuration an estate was judged, as far as it changes what is told.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct ConfiguredOut {
    /// The file.
    pub file: String,
    /// Rules that are off, by id.
    pub off: Vec<String>,
    /// Rules whose findings are told at another severity than their own.
    pub told_as: BTreeMap<String, Word<Severity>>,
}

impl ConfiguredOut {
    /// What a file makes of rules.
    pub fn new(file: String, settings: &Settings) -> Self {
        let told_as = |(rule, it): (&&str, &RuleSetting)| match it {
            RuleSetting::As(severity) => Some(((*rule).to_owned(), Word(*severity))),
            RuleSetting::Off => None,
        };
        Self {
            file,
            off: settings
                .rules
                .keys()
                .filter(|rule| settings.is_off(rule))
                .map(|it| (*it).to_owned())
                .collect(),
            told_as: settings.rules.iter().filter_map(told_as).collect(),
        }
    }
}

/// What is in force, and where it comes from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[schemars(title = "Pasaporte configuration in force, version 1")]
pub struct InForce {
    /// The version of this output.
    pub in_force: u64,
    /// The file of configuration; null where there is none.
    pub file: Option<String>,
    /// Every value.
    pub values: Vec<ValueOut>,
}

/// A value that is in force.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ValueOut {
    /// Its key.
    pub key: String,
    /// The value.
    pub value: String,
    /// Where it comes from: `default`, `file`, or the name of a variable of the environment.
    pub from: String,
    /// Its line in the file, from 1; null where it comes from elsewhere.
    pub line: Option<u32>,
}

impl InForce {
    /// What a configuration says, and what is so where it says nothing.
    pub fn new(file: Option<String>, config: &Config, others: &[ValueOut]) -> Self {
        let usual = Thresholds::default();
        let defaults = [
            ("audit.fail_on", "never".to_owned()),
            ("audit.strict", "false".to_owned()),
            ("thresholds.key_max_age", format!("{} days", usual.key_max_age)),
            ("thresholds.key_watch", format!("{} days", usual.key_watch)),
            ("thresholds.key_idle", format!("{} days", usual.key_idle)),
            ("thresholds.key_clients", format!("{} clients", usual.key_clients)),
            ("thresholds.public_token_max_age", format!("{} days", usual.public_token_max_age)),
            ("thresholds.evidence", format!("{} days", usual.evidence)),
            ("thresholds.key_expiry_from", usual.key_expiry_from.to_string()),
            ("inside.networks", "private networks (RFC 1918, RFC 4193)".to_owned()),
        ];
        let said = |it: &Said| ValueOut {
            key: it.key.clone(),
            value: it.value.clone(),
            from: "file".to_owned(),
            line: Some(it.line),
        };
        let overridden = |key: &str| others.iter().any(|it| it.key == key);
        let mut values: Vec<ValueOut> =
            config.said.iter().filter(|it| !overridden(&it.key)).map(said).collect();
        values.extend(others.iter().cloned());
        for (key, value) in defaults {
            if key == "inside.networks" || values.iter().all(|it| it.key != key) {
                let from = "default".to_owned();
                values.push(ValueOut { key: key.to_owned(), value, from, line: None });
            }
        }
        let rank = |it: &ValueOut| {
            const ORDER: [&str; 11] = [
                "estate",
                "accepted",
                "seal",
                "audit",
                "thresholds",
                "rules",
                "usage",
                "inside",
                "things",
                "tighten",
                "keep",
            ];
            let first = it.key.split(['.', ' ']).next().unwrap_or_default();
            ORDER.iter().position(|known| *known == first)
        };
        values.sort_by(|one, other| {
            (rank(one), &one.key, one.line).cmp(&(rank(other), &other.key, other.line))
        });
        Self { in_force: crate::VERSION, file, values }
    }
}
