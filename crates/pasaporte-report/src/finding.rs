//! A finding in words: what JSON says of it, and what is kept of it. It can be read back.

use std::borrow::Cow;
use std::sync::Arc;

use pasaporte_audit::{Audit, Change, Evidence, Finding, Impact, Level, Severity, Sureness};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Estate, FunctionId, Thing};
use pasaporte_read::edit::{self, Changed, Lines};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::accepted::AcceptedOut;
use crate::since::Then;

/// One finding.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FindingOut {
    /// Sixteen hexadecimal digits that stay the same while the finding does.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: Cow<'static, str>,
    /// How soon somebody should act on it.
    pub severity: Word<Severity>,
    /// How sure it is.
    pub sureness: Word<Sureness>,
    /// What it can do; null for blind spots.
    pub impact: Option<Word<Impact>>,
    /// Who can use it; null for blind spots.
    pub exposure: Option<Word<Exposure>>,
    /// The thing, as `kind:id`; `estate` for the whole.
    pub thing: String,
    /// The platform it is on.
    pub platform: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// Who owns the thing, by itself or by where it lives.
    pub owner: Option<String>,
    /// The functions that it touches, the first by name; of none where it is about no function.
    #[schemars(length(max = 20))]
    pub functions: Vec<String>,
    /// How many functions it touches.
    pub function_count: usize,
    /// The environment that it was judged by; null is judged as production.
    pub environment: Option<Word<Environment>>,
    /// Why it is as severe: its place in the table, the shift by environment, and what else moves it.
    #[serde(default)]
    pub severity_because: String,
    /// The effective situation, in plain words.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// The fix as a change of one line of a file, where it is one: it can be pasted.
    pub paste: Option<PasteOut>,
    /// Places that show it.
    pub evidence: Vec<EvidenceOut>,
    /// The fingerprint of the finding that leads it, where one of a larger cause does.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub led_by: Option<String>,
    /// Other findings that see the same weakness; the change that ends this one may end them too.
    pub beneath: Vec<BeneathOut>,
    /// How it stands to a saved audit; left out where the audit is held against none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Standing>,
    /// How severe it was in that audit, where it is worse now.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub was: Option<Word<Severity>>,
    /// Who answers for it until a date; left out where nobody does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub accepted: Option<AcceptedOut>,
}

/// How a finding stands to an audit that was saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Standing {
    /// It was not found.
    New,
    /// It was found, less severe.
    Worse,
    /// It was found, as severe or more.
    Same,
}

/// A finding that another one leads, since both see the same weakness.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct BeneathOut {
    /// Sixteen hexadecimal digits that stay the same while the finding does.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: Cow<'static, str>,
    /// How soon somebody should act on it, taken by itself.
    pub severity: Word<Severity>,
    /// How sure it is.
    pub sureness: Word<Sureness>,
    /// The thing, as `kind:id`.
    pub thing: String,
    /// The fingerprint of the finding that leads it.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub led_by: String,
    /// The effective situation, in plain words.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<EvidenceOut>,
}

/// A line of a file as it would read.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct PasteOut {
    /// The file.
    pub file: String,
    /// The line, from 1.
    pub line: u32,
    /// As it reads now; null where a line is to be put in before it.
    pub was: Option<String>,
    /// As it would read.
    pub reads: String,
}

/// Where the texts of files are found.
pub trait Texts: Sync {
    /// The lines of a file; none where they are not at hand.
    fn lines(&self, file: &str) -> Option<Arc<Lines>>;
}

/// No texts.
#[derive(Debug, Clone, Copy)]
pub struct NoTexts;

impl Texts for NoTexts {
    fn lines(&self, _: &str) -> Option<Arc<Lines>> {
        None
    }
}

impl PasteOut {
    /// A change of an entry as the line that it makes.
    pub fn of(change: Change, estate: &Estate, texts: &dyn Texts) -> Option<Self> {
        let file = estate.path(change.at.file);
        let Change { at, stands_for, field, to } = change;
        let change = edit::Change { line: at.line, column: at.column, field, to, stands_for };
        let Changed { line, was, reads } = texts.lines(file)?.changed(&change)?;
        Some(Self { file: file.to_owned(), line, was, reads })
    }
}

/// A place that shows what a finding says.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct EvidenceOut {
    /// What stands there.
    pub what: String,
    /// The file.
    pub file: String,
    /// Line, from 1.
    pub line: u32,
    /// Column, from 1: characters in YAML, bytes in JSON.
    pub column: u32,
}

impl Standing {
    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::New => "new",
            Self::Worse => "worse",
            Self::Same => "same",
        }
    }
}

impl FindingOut {
    /// A finding in words; of one that lies beneath another, with the one that leads it.
    pub fn of(finding: &Finding, led_by: Option<&Finding>, audit: &Audit<'_>, texts: &dyn Texts) -> Self {
        let estate = audit.estate();
        let told = pasaporte_audit::told(audit, finding);
        let (impact, exposure) = match finding.level {
            Level::Table(impact, exposure) | Level::Influence(impact, exposure, _) => {
                (Some(Word(impact)), Some(Word(exposure)))
            }
            Level::Fixed(_) | Level::Platforms => (None, None),
        };
        let mut functions = finding.thing.map_or_else(Vec::new, |thing| audit.functions_of_thing(thing));
        let function_count = functions.len();
        Self {
            fingerprint: finding.fingerprint.to_string(),
            rule: audit.rule(finding).id.into(),
            severity: Word(finding.severity),
            sureness: Word(finding.sureness),
            impact,
            exposure,
            thing: finding.label(estate),
            platform: finding.platform(estate).map(str::to_owned),
            account: finding.account(estate).map(str::to_owned),
            owner: finding.owner(estate).map(str::to_owned),
            functions: first_by_name(estate, &mut functions),
            function_count,
            environment: finding.environment.map(Word),
            severity_because: pasaporte_audit::level_in_words(audit, finding),
            situation: told.situation,
            fix: told.fix,
            paste: told.change.and_then(|change| PasteOut::of(change, estate, texts)),
            evidence: evidence(estate, told.evidence),
            led_by: led_by.map(|leading| leading.fingerprint.to_string()),
            beneath: finding.beneath().iter().map(|it| BeneathOut::of(it, finding, audit)).collect(),
            since: None,
            was: None,
            accepted: None,
        }
    }

    /// The same, held against an audit that was saved.
    pub(crate) fn held_against(mut self, then: Then) -> Self {
        (self.since, self.was) = match then {
            Then::New => (Some(Standing::New), None),
            Then::Worse(was) => (Some(Standing::Worse), Some(Word(was))),
            Then::Same => (Some(Standing::Same), None),
        };
        self
    }
}

impl BeneathOut {
    fn of(finding: &Finding, led_by: &Finding, audit: &Audit<'_>) -> Self {
        let told = pasaporte_audit::told(audit, finding);
        Self {
            fingerprint: finding.fingerprint.to_string(),
            rule: audit.rule(finding).id.into(),
            severity: Word(finding.severity),
            sureness: Word(finding.sureness),
            thing: finding.label(audit.estate()),
            led_by: led_by.fingerprint.to_string(),
            situation: told.situation,
            fix: told.fix,
            evidence: evidence(audit.estate(), told.evidence),
        }
    }
}

fn evidence(estate: &Estate, all: Vec<Evidence>) -> Vec<EvidenceOut> {
    let out = |it: Evidence| EvidenceOut {
        what: it.what,
        file: estate.path(it.origin.file).to_owned(),
        line: it.origin.line,
        column: it.origin.column,
    };
    all.into_iter().map(out).collect()
}

/// How many functions are named.
const MOST_FUNCTIONS: usize = 20;

/// The labels of the first by name.
fn first_by_name(estate: &Estate, functions: &mut Vec<FunctionId>) -> Vec<String> {
    if functions.len() > MOST_FUNCTIONS {
        functions.select_nth_unstable_by_key(MOST_FUNCTIONS, |id| estate.id(*id));
        functions.truncate(MOST_FUNCTIONS);
    }
    functions.sort_unstable_by_key(|id| estate.id(*id));
    functions.iter().map(|id| estate.label(Thing::Function(*id))).collect()
}
