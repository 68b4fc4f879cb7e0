//! What an audit found, as JSON: the stable output that pipelines read.
//!
//! Findings come worst first, then by rule, thing and fingerprint. Fields may be added in later
//! versions of the same major number; none changes its meaning.

use std::borrow::Cow;
use std::io::{self, Write};

use pasaporte_audit::{Audit, Finding, Rule, Severity};
use rayon::prelude::*;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::ser::{Error as _, SerializeSeq as _};
use serde::{Deserialize, Serialize, Serializer};
use serde_json::value::RawValue;

use crate::accepted::{AcceptancesOut, Accepted};
use crate::config::ConfiguredOut;
use crate::exhibits::Exhibits;
use crate::finding::{FindingOut, Texts};
use crate::looked_at::LookedAt;
use crate::rules::RuleOut;
use crate::since::{Saved, SinceOut, Unfit, parse};
use crate::start::StartOut;

/// The version of this output.
pub use crate::since::VERSION;

/// An audit and what it found: with findings that are worded as they are written, or with those read back.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[schemars(title = "Pasaporte audit, version 1")]
pub struct Report<F = Vec<FindingOut>> {
    /// The version of this output.
    pub audit: u64,
    /// The program that made it.
    pub tool: Tool,
    /// What was looked at.
    pub looked_at: LookedAt,
    /// How many leading findings there are of each severity, worst first.
    pub counts: Counts,
    /// How it stands to a saved audit; left out where it is held against none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<SinceOut>,
    /// How what is accepted stands to what was found; left out where there is no file of acceptances.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub acceptances: Option<AcceptancesOut>,
    /// By which configuration it was judged; left out where there is none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub configured: Option<ConfiguredOut>,
    /// The few changes that close most of the critical findings; left out where nobody looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start_here: Option<StartOut>,
    /// The leading findings, worst first: each weakness once, with what else was found of it beneath.
    pub findings: F,
    /// The rules that were run, by id.
    pub rules: Vec<RuleOut>,
    /// What reports show beside findings; only of an audit that was saved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub exhibits: Option<Exhibits>,
}

/// Findings to be written: each is worded as it is written, so that many cost no more memory than one.
#[derive(Clone, Copy)]
#[expect(missing_debug_implementations, reason = "where texts are found is nobody's to see")]
pub struct Findings<'a> {
    audit: &'a Audit<'a>,
    findings: &'a [Finding],
    texts: &'a dyn Texts,
    saved: Option<&'a Saved>,
    accepted: Option<&'a Accepted>,
}

/// Findings that can be gone through in words, in order.
pub trait InWords {
    /// How many there are.
    fn number(&self) -> usize;

    /// Gives them, one after the other, to whoever takes them.
    fn in_words<R>(&self, take: impl FnOnce(&mut dyn Iterator<Item = Cow<'_, FindingOut>>) -> R) -> R;

    /// Gives what is made of each, in order, to whoever takes it: words live no longer than that takes.
    fn made<T: Send, R>(
        &self,
        make: impl Fn(&FindingOut) -> T + Sync,
        take: impl FnOnce(&mut dyn Iterator<Item = T>) -> R,
    ) -> R;
}

impl InWords for Vec<FindingOut> {
    fn number(&self) -> usize {
        self.len()
    }

    fn in_words<R>(&self, take: impl FnOnce(&mut dyn Iterator<Item = Cow<'_, FindingOut>>) -> R) -> R {
        take(&mut self.iter().map(Cow::Borrowed))
    }

    fn made<T: Send, R>(
        &self,
        make: impl Fn(&FindingOut) -> T + Sync,
        take: impl FnOnce(&mut dyn Iterator<Item = T>) -> R,
    ) -> R {
        take(&mut self.iter().map(make))
    }
}

impl InWords for Findings<'_> {
    fn number(&self) -> usize {
        self.findings.len()
    }

    fn in_words<R>(&self, take: impl FnOnce(&mut dyn Iterator<Item = Cow<'_, FindingOut>>) -> R) -> R {
        self.side_by_side(|it| it, |all| take(&mut all.map(Cow::Owned)))
    }

    fn made<T: Send, R>(
        &self,
        make: impl Fn(&FindingOut) -> T + Sync,
        take: impl FnOnce(&mut dyn Iterator<Item = T>) -> R,
    ) -> R {
        self.side_by_side(|it| make(&it), take)
    }
}

impl Findings<'_> {
    /// Told by all processors, a batch at a time, so that never all the words are held at once; the next while one is
    /// taken.
    fn side_by_side<T: Send, R>(
        &self,
        make: impl Fn(FindingOut) -> T + Sync,
        take: impl FnOnce(&mut dyn Iterator<Item = T>) -> R,
    ) -> R {
        rayon::in_place_scope(|scope| {
            let (told, batches) = std::sync::mpsc::sync_channel(1);
            let make = &make;
            scope.spawn(move |_| {
                for batch in self.findings.chunks(TOLD_AT_ONCE) {
                    let all: Vec<T> = batch.par_iter().map(|finding| make(self.told(finding))).collect();
                    // Once nobody takes them, nobody needs the rest.
                    if told.send(all).is_err() {
                        break;
                    }
                }
            });
            take(&mut batches.into_iter().flatten())
        })
    }

    fn told(&self, finding: &Finding) -> FindingOut {
        let mut out = FindingOut::of(finding, None, self.audit, self.texts);
        out.accepted = self.accepted.and_then(|accepted| accepted.of(finding));
        match self.saved {
            Some(saved) => out.held_against(saved.then(finding)),
            None => out,
        }
    }
}

/// As a list in the JSON of an audit, indented as it stands there.
impl Serialize for Findings<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.made(indented, |all| {
            let mut list = serializer.serialize_seq(Some(self.number()))?;
            for finding in all {
                list.serialize_element(&finding.map_err(S::Error::custom)?)?;
            }
            list.end()
        })
    }
}

/// A finding as JSON, below the list that it stands in.
fn indented(finding: &FindingOut) -> serde_json::Result<Box<RawValue>> {
    // No text of JSON has a new line in it.
    let text = serde_json::to_string_pretty(finding)?.replace('\n', "\n    ");
    RawValue::from_string(text)
}

/// How many findings are put into words at once.
const TOLD_AT_ONCE: usize = 2048;

impl JsonSchema for Findings<'_> {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Findings".into()
    }
    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        Vec::<FindingOut>::json_schema(generator)
    }
}

/// The program that made a report.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
pub struct Tool {
    /// Its name.
    pub name: Cow<'static, str>,
    /// Its version.
    pub version: Cow<'static, str>,
}

/// Findings of each severity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[expect(missing_docs, reason = "the severities, in their own words")]
pub struct Counts {
    pub critical: usize,
    pub high: usize,
    pub medium: usize,
    pub low: usize,
    pub info: usize,
}

impl Counts {
    /// Counts findings.
    pub fn of(findings: &[Finding]) -> Self {
        let count = |severity| findings.iter().filter(|finding| finding.severity == severity).count();
        Self {
            critical: count(Severity::Critical),
            high: count(Severity::High),
            medium: count(Severity::Medium),
            low: count(Severity::Low),
            info: count(Severity::Info),
        }
    }
}

impl<'a> Report<Findings<'a>> {
    /// The report of an audit by this version of the program.
    pub fn new(
        audit: &'a Audit<'a>,
        findings: &'a [Finding],
        texts: &'a dyn Texts,
        ran: impl Iterator<Item = &'a Rule>,
        looked_at: LookedAt,
        version: &'static str,
    ) -> Self {
        Self {
            audit: VERSION,
            tool: Tool { name: "pasaporte".into(), version: version.into() },
            looked_at,
            counts: Counts::of(findings),
            since: None,
            acceptances: None,
            configured: None,
            start_here: None,
            findings: Findings { audit, findings, texts, saved: None, accepted: None },
            rules: ran.map(RuleOut::of).collect(),
            exhibits: None,
        }
    }

    /// The same, with who answers for what.
    pub fn heeding(mut self, accepted: &'a Accepted, told: AcceptancesOut) -> Self {
        self.findings.accepted = Some(accepted);
        self.acceptances = Some(told);
        self
    }

    /// The same, held against an audit that was saved.
    pub fn held_against(mut self, saved: &'a Saved, since: SinceOut) -> Self {
        self.findings.saved = Some(saved);
        self.since = Some(since);
        self
    }
}

impl Report {
    /// Reads what `audit --save` wrote, whole.
    pub fn read(text: &[u8]) -> Result<Self, Unfit> {
        parse(text)
    }
}

/// Writes a value as JSON, indented, with a newline at the end.
pub fn write_json(value: &impl Serialize, out: &mut dyn Write) -> io::Result<()> {
    serde_json::to_writer_pretty(&mut *out, value)?;
    out.write_all(b"\n")
}
