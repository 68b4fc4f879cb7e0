//! The catalogue of rules: one family a file, or a folder where it is large.

mod blind;
mod bounds;
mod credential;
pub(crate) mod crossing;
pub(crate) mod entry;
mod everybody;
pub(crate) mod grant;
pub(crate) mod identity;
mod key;
pub(crate) mod outsiders;
mod path;
mod power;
pub(crate) mod surplus;
pub(crate) mod trust;
pub(crate) mod unused;

use crate::Audit;
use crate::finding::Raising;

/// The family of rules that follow paths.
pub(crate) const PATHS: &str = "path";

/// What a rule looks for, in words for people, and the function that looks.
#[derive(Debug, Clone, Copy)]
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
    /// What tells its findings on one thing apart, in the order of their facets: with the rule and the thing this is all
    /// that a fingerprint depends on.
    pub apart: &'static [&'static str],
    pub(crate) judge: fn(&Audit<'_>, &mut Raising<'_, '_>),
}

impl Rule {
    /// The part of the id before the slash.
    pub fn family(&self) -> &'static str {
        self.id.split('/').next().unwrap_or(self.id)
    }
}

/// The place of a rule in the catalogue by which an audit is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct RuleId(u8);

/// Rules, by family and then in the order in which one would read them.
#[derive(Debug, Clone)]
pub struct Catalogue {
    rules: Vec<Rule>,
}

impl Catalogue {
    /// The rules that the program comes with.
    pub fn shipped() -> Self {
        let families = [
            entry::anonymous::RULES,
            entry::token::RULES,
            entry::address::RULES,
            entry::invoke::RULES,
            entry::source::RULES,
            entry::fed::RULES,
            entry::otherwise::RULES,
            grant::RULES,
            everybody::RULES,
            power::RULES,
            surplus::RULES,
            bounds::RULES,
            unused::GRANTS,
            identity::RULES,
            crossing::RULES,
            credential::RULES,
            unused::IDENTITIES,
            trust::RULES,
            outsiders::RULES,
            path::RULES,
        ];
        let rules = families.concat().into_iter().chain(key::rules()).chain(blind::rules());
        Self { rules: rules.collect() }
    }

    /// Every rule.
    pub fn all(&self) -> impl Iterator<Item = &Rule> {
        self.rules.iter()
    }

    /// The id of every rule.
    pub fn ids(&self) -> impl Iterator<Item = &'static str> {
        self.rules.iter().map(|rule| rule.id)
    }

    /// Every rule, with its place.
    pub(crate) fn placed(&self) -> impl Iterator<Item = (RuleId, &Rule)> {
        self.rules.iter().enumerate().map(|(place, rule)| (RuleId(place as u8), rule))
    }
}

impl std::ops::Index<RuleId> for Catalogue {
    type Output = Rule;

    fn index(&self, id: RuleId) -> &Rule {
        &self.rules[usize::from(id.0)]
    }
}
