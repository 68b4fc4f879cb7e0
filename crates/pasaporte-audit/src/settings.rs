//! How an estate is judged: what counts as too old, in which environment; which rules are off, and which are told at another
//! severity than their own.

use std::collections::BTreeMap;

use pasaporte_core::estate::{Environment, KeyReach};

use crate::Severity;

/// What counts as old, as many and as enough, and what is asked of keys.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Thresholds {
    /// Days after which a key should have been rotated.
    pub key_max_age: i64,
    /// Days that a key must have been watched before "never used" is said.
    pub key_watch: i64,
    /// Days without use after which a key is idle.
    pub key_idle: i64,
    /// Clients of one key that are many.
    pub key_clients: i64,
    /// The least reach of keys that must have an expiry.
    pub key_expiry_from: KeyReach,
    /// Days that a token for public clients may be valid.
    pub public_token_max_age: i64,
    /// Days that logs must cover before something is called unused.
    pub evidence: i64,
}

impl Default for Thresholds {
    fn default() -> Self {
        Self {
            key_max_age: 180,
            key_watch: 30,
            key_idle: 90,
            key_clients: 3,
            key_expiry_from: KeyReach::App,
            public_token_max_age: 366,
            evidence: 30,
        }
    }
}

/// What somebody makes of a rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RuleSetting {
    /// It is not run.
    Off,
    /// Its findings are as severe as this, whatever they would be.
    As(Severity),
}

/// How an estate is judged.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    /// What counts as old where nothing else is said of the environment.
    pub everywhere: Thresholds,
    /// What counts as old in some environments.
    pub within: BTreeMap<Environment, Thresholds>,
    /// The rules of which something is made, by id.
    pub rules: BTreeMap<&'static str, RuleSetting>,
}

impl Settings {
    /// What counts as old in an environment; one that is not known is judged as production.
    pub fn thresholds(&self, environment: Option<Environment>) -> &Thresholds {
        self.within.get(&environment.unwrap_or(Environment::Production)).unwrap_or(&self.everywhere)
    }

    /// Whether a rule is not to be run.
    pub fn is_off(&self, rule: &str) -> bool {
        self.rules.get(rule) == Some(&RuleSetting::Off)
    }

    /// How severe the findings of a rule are, where that is not their own.
    pub fn told_as(&self, rule: &str) -> Option<Severity> {
        match self.rules.get(rule) {
            Some(RuleSetting::As(severity)) => Some(*severity),
            Some(RuleSetting::Off) | None => None,
        }
    }
}
