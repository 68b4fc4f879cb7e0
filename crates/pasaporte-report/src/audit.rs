//! What an audit found, as JSON: the stable output that pipelines read.
//!
//! Findings come worst first, then by rule, thing and fingerprint. Fields may be added in later
//! versions of the same major number; none changes its meaning.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::io::{self, Write};

use pasaporte_audit::{Finding, Impact, Level, Severity, Sureness};
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Estate};
use rayon::prelude::*;
use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::{Serialize, Serializer};

use pasaporte_read::estate::Word;

/// The version of this output.
pub const VERSION: u64 = 1;

/// An audit and what it found.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte audit, version 1")]
pub struct Report<'a> {
    /// The version of this output.
    pub audit: u64,
    /// The program that made it.
    pub tool: Tool,
    /// What was looked at.
    pub looked_at: LookedAt,
    /// How many leading findings there are of each severity, worst first.
    pub counts: Counts,
    /// The leading findings, worst first: each weakness once, with what else was found of it beneath.
    pub findings: Findings<'a>,
    /// The rules that were run, by id.
    pub rules: Vec<RuleOut>,
}

/// Findings to be written: each is worded as it is written, so that many cost no more memory than one.
#[derive(Debug, Clone, Copy)]
pub struct Findings<'a> {
    audit: &'a pasaporte_audit::Audit<'a>,
    findings: &'a [Finding],
}

impl Serialize for Findings<'_> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        // Told by all processors, a batch at a time, so that never all the words are held at once; the next while one is
        // written.
        rayon::in_place_scope(|scope| {
            let (told, batches) = std::sync::mpsc::sync_channel(1);
            scope.spawn(move |_| {
                for batch in self.findings.chunks(TOLD_AT_ONCE) {
                    let words: Vec<FindingOut> =
                        batch.par_iter().map(|finding| FindingOut::of(finding, self.audit)).collect();
                    // Once nobody takes them, nobody needs the rest.
                    if told.send(words).is_err() {
                        break;
                    }
                }
            });
            serializer.collect_seq(batches.into_iter().flatten())
        })
    }
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
#[derive(Debug, Serialize, JsonSchema)]
pub struct Tool {
    /// Its name.
    pub name: &'static str,
    /// Its version.
    pub version: &'static str,
}

/// What was looked at: no findings means nothing without it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct LookedAt {
    /// When the estate was true (RFC 3339); null where it does not say.
    pub as_of: Option<String>,
    /// The files it was read from.
    pub files: Vec<String>,
    /// How many things of each kind.
    pub things: BTreeMap<&'static str, usize>,
    /// By platform and account; things without an account stand under null.
    pub accounts: Vec<AccountOut>,
    /// How many things could not be seen or understood.
    pub blind_spots: usize,
}

/// What one account holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct AccountOut {
    /// The platform it is on, where that is known.
    pub platform: Option<String>,
    /// Its id.
    pub account: Option<String>,
    /// How many functions it has.
    pub functions: usize,
    /// How many endpoints those have.
    pub endpoints: usize,
    /// How many identities live in it.
    pub identities: usize,
    /// How many keys open something in it.
    pub keys: usize,
}

/// Findings of each severity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, JsonSchema)]
#[expect(missing_docs, reason = "the severities, in their own words")]
pub struct Counts {
    pub critical: usize,
    pub high: usize,
    pub medium: usize,
    pub low: usize,
    pub info: usize,
}

/// One finding.
#[derive(Debug, Serialize, JsonSchema)]
pub struct FindingOut {
    /// Sixteen hexadecimal digits that stay the same while the finding does.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: &'static str,
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
    /// The environment that it was judged by; null is judged as production.
    pub environment: Option<Word<Environment>>,
    /// The effective situation, in plain words.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<EvidenceOut>,
    /// Other findings that see the same weakness; the change that ends this one may end them too.
    pub beneath: Vec<BeneathOut>,
}

/// A finding that another one leads, since both see the same weakness.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BeneathOut {
    /// Sixteen hexadecimal digits that stay the same while the finding does.
    #[schemars(regex(pattern = "^[0-9a-f]{16}$"))]
    pub fingerprint: String,
    /// The rule, as `family/name`.
    pub rule: &'static str,
    /// How soon somebody should act on it, taken by itself.
    pub severity: Word<Severity>,
    /// How sure it is.
    pub sureness: Word<Sureness>,
    /// The thing, as `kind:id`.
    pub thing: String,
    /// The effective situation, in plain words.
    pub situation: String,
    /// The smallest change that ends it.
    pub fix: String,
    /// Places that show it.
    pub evidence: Vec<EvidenceOut>,
}

/// A place that shows what a finding says.
#[derive(Debug, Serialize, JsonSchema)]
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

/// A rule that was run.
#[derive(Debug, Serialize, JsonSchema)]
pub struct RuleOut {
    /// `family/name`.
    pub id: &'static str,
    /// One line.
    pub title: &'static str,
    /// Why it matters.
    pub why: &'static str,
    /// What to do.
    pub fix: &'static str,
    /// How to see that it is done.
    pub check: &'static str,
    /// Open catalogues that describe it.
    pub references: &'static [&'static str],
    /// What a fingerprint of it depends on, beside the rule and the thing.
    pub apart: &'static [&'static str],
}

impl RuleOut {
    /// A rule of the catalogue.
    pub fn of(rule: &pasaporte_audit::Rule) -> Self {
        let pasaporte_audit::Rule { id, title, why, fix, check, references, apart, .. } = *rule;
        Self { id, title, why, fix, check, references, apart }
    }
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

impl FindingOut {
    pub(crate) fn of(finding: &Finding, audit: &pasaporte_audit::Audit<'_>) -> Self {
        let estate = audit.estate();
        let told = pasaporte_audit::told(audit, finding);
        let (impact, exposure) = match finding.level {
            Level::Table(impact, exposure) | Level::Influence(impact, exposure, _) => {
                (Some(Word(impact)), Some(Word(exposure)))
            }
            Level::Fixed(_) => (None, None),
        };
        Self {
            fingerprint: finding.fingerprint.to_string(),
            rule: audit.rule(finding).id,
            severity: Word(finding.severity),
            sureness: Word(finding.sureness),
            impact,
            exposure,
            thing: finding.label(estate),
            platform: finding.platform(estate).map(str::to_owned),
            account: finding.account(estate).map(str::to_owned),
            environment: finding.environment.map(Word),
            situation: told.situation,
            fix: told.fix,
            evidence: evidence(estate, told.evidence),
            beneath: finding.beneath().iter().map(|it| BeneathOut::of(it, audit)).collect(),
        }
    }
}

impl BeneathOut {
    fn of(finding: &Finding, audit: &pasaporte_audit::Audit<'_>) -> Self {
        let told = pasaporte_audit::told(audit, finding);
        Self {
            fingerprint: finding.fingerprint.to_string(),
            rule: audit.rule(finding).id,
            severity: Word(finding.severity),
            sureness: Word(finding.sureness),
            thing: finding.label(audit.estate()),
            situation: told.situation,
            fix: told.fix,
            evidence: evidence(audit.estate(), told.evidence),
        }
    }
}

fn evidence(estate: &Estate, all: Vec<pasaporte_audit::Evidence>) -> Vec<EvidenceOut> {
    let out = |it: pasaporte_audit::Evidence| EvidenceOut {
        what: it.what,
        file: estate.path(it.origin.file).to_owned(),
        line: it.origin.line,
        column: it.origin.column,
    };
    all.into_iter().map(out).collect()
}

impl<'a> Report<'a> {
    /// The report of an audit by this version of the program.
    pub fn new(
        audit: &'a pasaporte_audit::Audit<'a>,
        findings: &'a [Finding],
        ran: impl Iterator<Item = &'a pasaporte_audit::Rule>,
        looked_at: LookedAt,
        version: &'static str,
    ) -> Self {
        Self {
            audit: VERSION,
            tool: Tool { name: "pasaporte", version },
            looked_at,
            counts: Counts::of(findings),
            findings: Findings { audit, findings },
            rules: ran.map(RuleOut::of).collect(),
        }
    }
}

/// Writes a value as JSON, indented, with a newline at the end.
pub fn write_json(value: &impl Serialize, out: &mut dyn Write) -> io::Result<()> {
    serde_json::to_writer_pretty(&mut *out, value)?;
    out.write_all(b"\n")
}

impl LookedAt {
    /// Counts what an estate holds.
    pub fn new(estate: &Estate, blind_spots: usize) -> Self {
        use pasaporte_core::estate::{
            AccountOf, EndpointId, FunctionId, GroupId, IdentityId, Kept, KeyId, ResourceId, ScopeId,
            ScopeKind, SetId, Thing, TriggerId,
        };
        fn declared<K: Kept>(estate: &Estate) -> usize {
            estate.all::<K>().count()
        }
        type Place = (Option<String>, Option<String>);
        let place = |thing: Thing| -> Place {
            let account = match estate.account_of(thing) {
                AccountOf::Known(account) => Some(estate.id(account).to_owned()),
                AccountOf::Unnamed | AccountOf::Unknown => None,
            };
            let platform = estate.platform(estate.scope_of(thing)).map(|name| estate.text(name).to_owned());
            (platform, account)
        };
        let mut accounts: BTreeMap<Place, [usize; 4]> = BTreeMap::new();
        for (id, scope) in estate.all::<ScopeId>() {
            if scope.kind == ScopeKind::Account {
                accounts.entry(place(Thing::Scope(id))).or_default();
            }
        }
        let things = estate
            .all::<FunctionId>()
            .map(|(id, _)| (Thing::Function(id), 0))
            .chain(estate.all::<EndpointId>().map(|(id, _)| (Thing::Endpoint(id), 1)))
            .chain(estate.all::<IdentityId>().map(|(id, _)| (Thing::Identity(id), 2)))
            .chain(estate.all::<KeyId>().map(|(id, _)| (Thing::Key(id), 3)));
        for (thing, column) in things {
            accounts.entry(place(thing)).or_default()[column] += 1;
        }
        Self {
            as_of: estate.as_of().map(|time| time.to_string()),
            files: estate.files().map(str::to_owned).collect(),
            things: BTreeMap::from([
                ("accounts", estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account).count()),
                ("functions", declared::<FunctionId>(estate)),
                ("endpoints", declared::<EndpointId>(estate)),
                ("triggers", declared::<TriggerId>(estate)),
                ("identities", declared::<IdentityId>(estate)),
                ("groups", declared::<GroupId>(estate)),
                ("permission_sets", declared::<SetId>(estate)),
                ("grants", estate.grants().count()),
                ("keys", declared::<KeyId>(estate)),
                ("resources", declared::<ResourceId>(estate)),
            ]),
            accounts: accounts
                .into_iter()
                .map(|((platform, account), [functions, endpoints, identities, keys])| AccountOut {
                    platform,
                    account,
                    functions,
                    endpoints,
                    identities,
                    keys,
                })
                .collect(),
            blind_spots,
        }
    }
}
