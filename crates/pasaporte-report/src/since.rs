//! An audit held against one that was saved: what is new, what is worse than it was, what is the same, what is gone.
//!
//! Findings are the same if their fingerprints are, wherever they stand and whatever leads them. What was looked for then and
//! is not now is not called gone; and what is found now by a rule that was not run then counts as new.

use std::collections::{BTreeSet, HashMap, HashSet};

use pasaporte_audit::{Finding, Severity};
use pasaporte_core::estate::Vocabulary;
use pasaporte_read::accepted::fingerprint;
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

/// The version of audits that are saved.
pub const VERSION: u64 = 1;

/// How a finding stands to an audit that was saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Then {
    /// It was not found.
    New,
    /// It was found, less severe.
    Worse(Severity),
    /// It was found, as severe or more.
    Same,
}

impl Then {
    /// Whether it is not what it was: new, or worse.
    pub fn is_news(self) -> bool {
        self != Self::Same
    }

    /// "new", or what it was: "was low"; nothing if it is the same.
    pub fn told(self) -> Option<String> {
        match self {
            Self::New => Some("new".to_owned()),
            Self::Worse(was) => Some(format!("was {}", was.word())),
            Self::Same => None,
        }
    }
}

/// An audit that was saved, as far as another is held against it.
#[derive(Debug)]
pub struct Saved {
    as_of: Option<String>,
    blind_spots: usize,
    accounts: BTreeSet<String>,
    findings: Vec<Kept>,
    known: HashMap<u64, Severity>,
    ran: HashSet<String>,
}

/// A saved audit that cannot be held against.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unfit {
    /// It is not one: at which line and column that shows.
    NotAnAudit(usize, usize),
    /// A newer version of the program made it.
    Newer(u64),
}

/// The members of a saved audit that matter here.
#[derive(Deserialize)]
struct Written {
    looked_at: LookedAt,
    findings: Vec<Kept>,
    rules: Vec<Ran>,
}

#[derive(Deserialize)]
struct LookedAt {
    as_of: Option<String>,
    accounts: Vec<Account>,
    blind_spots: usize,
}

#[derive(Deserialize)]
struct Account {
    account: Option<String>,
}

#[derive(Deserialize)]
struct Ran {
    id: String,
}

#[derive(Debug, Deserialize)]
struct Kept {
    fingerprint: String,
    rule: String,
    severity: Word<Severity>,
    thing: String,
    situation: String,
    #[serde(default)]
    beneath: Vec<Kept>,
}

impl Kept {
    /// Itself, and what lay beneath it.
    fn all(&self) -> impl Iterator<Item = &Self> {
        std::iter::once(self).chain(&self.beneath)
    }

    fn number(&self) -> Option<u64> {
        fingerprint(&self.fingerprint)
    }
}

/// Reads an audit that was saved, as far as somebody wants it.
pub(crate) fn parse<T: DeserializeOwned>(text: &[u8]) -> Result<T, Unfit> {
    #[derive(Deserialize)]
    struct Version {
        audit: u64,
    }
    let version = serde_json::from_slice::<Version>(text);
    if let Ok(version) = version
        && version.audit > VERSION
    {
        return Err(Unfit::Newer(version.audit));
    }
    serde_json::from_slice(text).map_err(|error| Unfit::NotAnAudit(error.line(), error.column()))
}

impl Saved {
    /// Reads what `audit --save` wrote.
    pub fn read(text: &[u8]) -> Result<Self, Unfit> {
        let written: Written = parse(text)?;
        let known = written.findings.iter().flat_map(Kept::all);
        let known = known.filter_map(|kept| Some((kept.number()?, kept.severity.0)));
        Ok(Self {
            known: known.collect(),
            as_of: written.looked_at.as_of,
            blind_spots: written.looked_at.blind_spots,
            accounts: written.looked_at.accounts.into_iter().filter_map(|it| it.account).collect(),
            findings: written.findings,
            ran: written.rules.into_iter().map(|rule| rule.id).collect(),
        })
    }

    /// How a finding stands to what was found then.
    pub fn then(&self, finding: &Finding) -> Then {
        match self.known.get(&finding.fingerprint.number()) {
            None => Then::New,
            Some(was) if *was < finding.severity => Then::Worse(*was),
            Some(_) => Then::Same,
        }
    }

    /// All findings of an audit by some rules, held against this one.
    pub fn tally(&self, now: &Now<'_>) -> SinceOut {
        let mut found = HashSet::new();
        let (mut new, mut worse, mut same, mut by_other_rules) = (0, 0, 0, 0);
        for finding in now.findings {
            found.insert(finding.fingerprint.number());
            found.extend(finding.beneath().iter().map(|it| it.fingerprint.number()));
            match self.then(finding) {
                Then::New if !self.ran.contains((now.rule)(finding)) => {
                    by_other_rules += 1;
                    new += 1;
                }
                Then::New => new += 1,
                Then::Worse(_) => worse += 1,
                Then::Same => same += 1,
            }
        }
        let is_gone = |kept: &&Kept| kept.number().is_some_and(|number| !found.contains(&number));
        let (gone, not_looked_for): (Vec<&Kept>, Vec<&Kept>) =
            self.findings.iter().filter(is_gone).partition(|kept| now.ran.contains(kept.rule.as_str()));
        let shares = |account: &&str| self.accounts.contains(*account);
        SinceOut {
            file: now.file.to_owned(),
            as_of: self.as_of.clone(),
            new,
            worse,
            same,
            by_other_rules,
            gone: gone.into_iter().map(GoneOut::of).collect(),
            not_looked_for: not_looked_for.len(),
            blind_spots: self.blind_spots,
            is_another_estate: !self.accounts.is_empty()
                && !now.accounts.iter().any(|it| shares(&it.as_str())),
        }
    }
}

/// What is held against a saved audit.
#[expect(missing_debug_implementations, reason = "it holds a function")]
pub struct Now<'n> {
    /// The file of the saved audit, as it is shown.
    pub file: &'n str,
    /// What is found now.
    pub findings: &'n [Finding],
    /// The rule of a finding.
    pub rule: &'n dyn Fn(&Finding) -> &'n str,
    /// The rules that are run now.
    pub ran: &'n BTreeSet<&'static str>,
    /// The accounts that are looked at now.
    pub accounts: Vec<String>,
}

/// An audit held against one that was saved.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct SinceOut {
    /// The file of the saved audit.
    pub file: String,
    /// When its estate was true (RFC 3339); null where that did not say.
    pub as_of: Option<String>,
    /// Leading findings that were not found then.
    pub new: usize,
    /// Those that were found then, less severe.
    pub worse: usize,
    /// Those that were found then, as severe or more.
    pub same: usize,
    /// Of the new ones, how many are of rules that were not run then.
    pub by_other_rules: usize,
    /// What led then and is not found any more, worst first.
    pub gone: Vec<GoneOut>,
    /// What led then and was not looked for now, since its rule was not run.
    pub not_looked_for: usize,
    /// How many things could not be seen or understood then.
    pub blind_spots: usize,
    /// Whether no account of then is among those of now: it may be of another estate.
    pub is_another_estate: bool,
}

/// A finding that is not found any more.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct GoneOut {
    /// Sixteen hexadecimal digits.
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: String,
    /// How severe it was.
    pub severity: Word<Severity>,
    /// The thing, as `kind:id`.
    pub thing: String,
    /// The situation as it was, in plain words.
    pub situation: String,
}

impl GoneOut {
    fn of(kept: &Kept) -> Self {
        Self {
            fingerprint: kept.fingerprint.clone(),
            rule: kept.rule.clone(),
            severity: kept.severity,
            thing: kept.thing.clone(),
            situation: kept.situation.clone(),
        }
    }
}
