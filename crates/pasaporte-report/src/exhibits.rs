//! What a report shows beside findings: a passport of each function, who gets in by the worst that they may then do, keys by
//! age, identities by how many functions share them. Kept with a saved audit, so that a report can be made of it later.

use std::collections::BTreeMap;

use pasaporte_audit::{Audit, Finding, Impact, KeyVerdict, Severity, key_verdicts};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{
    Environment, FunctionId, IdentityId, IdentityKind, KeyId, KeyReach, Principal, State, Thing,
};
use pasaporte_core::reach::Reaches;
use pasaporte_read::estate::Word;
use rayon::prelude::*;
use rustc_hash::FxHashMap;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

use crate::Reached;
use crate::card::{self, Card, WayIn};
use crate::compare::SharingOut;
use crate::dates::{date, last_used};
use crate::paths::{Asked, MOST_FUNCTIONS, PathsOut, RouteOut};

/// How many passports are made, the worst first; how many keys, identities and names of a cell are kept.
const MOST_PASSPORTS: usize = 5_000;
const MOST_ROWS: usize = 500;
const MOST_NAMES: usize = 200;
/// How many shared identities are shown, and how many functions of one side by side.
const MOST_SHARED: usize = 100;
const MOST_COLUMNS: usize = 6;
/// How many lines of a kind a passport has.
const MOST_LINES: usize = 5;

/// What is shown beside findings.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Exhibits {
    /// Passports, the worst first.
    pub passports: Vec<Passport>,
    /// How many functions have none here, since others are worse.
    pub without_passport: usize,
    /// Functions by who gets in at the widest and the worst that they may then do; what is empty is left out.
    pub matrix: Vec<Cell>,
    /// Keys, the oldest first; those without a known age last.
    pub keys: Vec<KeyRow>,
    /// How many keys are left out.
    pub more_keys: usize,
    /// Identities that functions run as, the worst first.
    pub identities: Vec<IdentityRow>,
    /// How many identities are left out.
    pub more_identities: usize,
    /// Identities that several functions share, the worst first: what each of those needs of it, side by side.
    #[serde(default)]
    pub shared: Vec<Shared>,
    /// How many of those are left out.
    #[serde(default)]
    pub more_shared: usize,
    /// How far strangers, holders of keys and code for tests get, the best path of each; null where that was not worked out.
    #[serde(default)]
    pub paths: Option<Vec<RouteOut>>,
}

/// An identity that several functions share: a row for each thing, a column for each function.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Shared {
    /// The identity.
    pub identity: String,
    /// The functions, by name, up to a bound.
    pub functions: Vec<String>,
    /// How many functions are left out.
    pub more_functions: usize,
    /// What they need, by what it is done to.
    pub rows: Vec<SharedRow>,
    /// What it may at worst do, in words; null where that is no more than running code.
    pub may: Option<String>,
}

/// Something that functions which share an identity need of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct SharedRow {
    /// On what.
    pub on: String,
    /// Of each function, in their order, what it needs there; null where nothing says that it needs any of it.
    pub needs: Vec<Option<String>>,
    /// What was seen there that no function accounts for.
    pub unaccounted: Option<String>,
}

/// Functions that are as open and may do as much.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Cell {
    /// Who gets in, at the widest.
    pub exposure: Word<Exposure>,
    /// The worst that the functions may do.
    pub impact: Word<Impact>,
    /// How many they are.
    pub functions: usize,
    /// Of how many it is sure that so many get in.
    pub surely: usize,
    /// Their names, in order, up to a bound.
    pub names: Vec<String>,
}

/// A function's passport, in short lines.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Passport {
    /// The function, as `function:id`.
    pub function: String,
    /// The platform it is on.
    pub platform: Option<String>,
    /// Its account.
    pub account: Option<String>,
    /// The environment it is judged by; null is judged as production.
    pub environment: Option<Word<Environment>>,
    /// Who answers for it.
    pub owner: Option<String>,
    /// Language and version.
    pub runtime: Option<String>,
    /// Switched on or off.
    pub state: Word<State>,
    /// What it runs as.
    pub runs_as: Option<String>,
    /// How many other functions run as the same.
    pub shared_with: usize,
    /// Who gets in, at the widest, and whether they surely do.
    pub exposed_to: Word<Exposure>,
    /// Whether they surely do.
    pub exposed_surely: bool,
    /// The worst that it may do.
    pub impact: Word<Impact>,
    /// The same in words, as the rest of "may …"; null where it is no more than running code.
    pub may: Option<String>,
    /// Ways in.
    pub entries: Vec<EntryLine>,
    /// How many ways in are left out.
    pub more_entries: usize,
    /// What it may do, by service.
    pub exits: Vec<ExitLine>,
    /// How many services are left out.
    pub more_exits: usize,
    /// The keys that are made for it, those that open it first.
    pub keys: Vec<KeyLine>,
    /// How many keys are left out.
    pub more_keys: usize,
    /// What is wrong with it, worst first.
    pub stamps: Vec<Stamp>,
    /// Twenty hexadecimal digits made from all that it says: two that are the same say the same.
    pub digest: String,
}

/// A way in.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct EntryLine {
    /// How it is used: methods and path, or the source of events.
    pub way: String,
    /// What a caller must show.
    pub asks: String,
    /// Who gets in, in words.
    pub who: String,
    /// The widest circle of those who get in; null where nobody does.
    pub circle: Option<Word<Exposure>>,
    /// Whether anyone from the internet surely does.
    pub open: bool,
    /// Whether nobody surely does.
    pub perhaps: bool,
    /// Who came, as far as logs show, in words.
    #[serde(default)]
    pub came: Option<String>,
}

/// What it may do for things of one service.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ExitLine {
    /// The service.
    pub service: String,
    /// The classes of its actions.
    pub may: String,
    /// On how many things.
    pub things: usize,
    /// How many of them are confidential.
    pub confidential: usize,
    /// Whether it takes in things that will be made tomorrow.
    pub wild: bool,
    /// Whether none of it is sure.
    pub perhaps: bool,
    /// How often it was used; null where no log would show it, or not for long enough.
    #[serde(default)]
    pub used: Option<u64>,
}

/// A key that is made for it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct KeyLine {
    /// The key.
    pub key: String,
    /// How far it reaches, its age, when it was last used.
    pub told: String,
}

/// Something that is wrong.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Stamp {
    /// The finding that leads.
    pub fingerprint: String,
    /// The rule.
    pub rule: String,
    /// What the rule looks for.
    pub title: String,
    /// How severe.
    pub severity: Word<Severity>,
}

/// A key, by its age.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct KeyRow {
    /// The key.
    pub key: String,
    /// What it opens.
    pub opens: String,
    /// How far it reaches.
    pub reach: Word<KeyReach>,
    /// Whether it is accepted.
    pub accepted: bool,
    /// Days since it was made or rotated.
    pub age_days: Option<i64>,
    /// How many days it may be old.
    pub allowed_days: i64,
    /// When it was last used: a date, `never`, or null where that is not known.
    pub last_used: Option<String>,
    /// When it ends; null is never.
    pub expires: Option<String>,
    /// What to do with it.
    #[serde(default)]
    pub verdict: Option<Word<KeyVerdict>>,
}

impl KeyRow {
    /// Whether it is accepted although it is older than it may be.
    pub fn is_past(&self) -> bool {
        self.accepted && self.age_days.is_some_and(|age| age > self.allowed_days)
    }
}

/// An identity, by who runs as it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct IdentityRow {
    /// The identity.
    pub identity: String,
    /// Its kind.
    pub kind: Word<IdentityKind>,
    /// Whether the platform made it for everybody.
    pub default: bool,
    /// How many functions run as it.
    pub functions: usize,
    /// Who makes them run, at the widest.
    pub exposed_to: Word<Exposure>,
    /// The worst that it may do.
    pub impact: Word<Impact>,
    /// The same in words; null where it is no more than running code.
    pub may: Option<String>,
}

impl Exhibits {
    /// What is shown of an audit.
    pub fn new(audit: &Audit<'_>, findings: &[Finding]) -> Self {
        let estate = audit.estate();
        let by_thing = ByThing::new(findings);
        let mut functions: Vec<Ranked> = estate
            .all::<FunctionId>()
            .map(|(id, _)| Ranked {
                id,
                exposure: audit.exposure(id).to,
                impact: audit.harm_through(id).impact,
            })
            .collect();
        let worst = |it: &Ranked| {
            let about = card::about(audit.effects(), it.id, runs_as(audit, it.id));
            about.iter().flat_map(|thing| by_thing.of(*thing)).map(|it| it.severity).max()
        };
        functions.sort_by_cached_key(|it| {
            let name = estate.id(it.id).to_owned();
            (std::cmp::Reverse(worst(it)), it.exposure, it.impact, name)
        });
        let shown = &functions[..functions.len().min(MOST_PASSPORTS)];
        let rights = rights(audit, shown);
        let passports: Vec<Passport> =
            shown.par_iter().map(|it| Passport::new(audit, &rights, &by_thing, it)).collect();
        let (keys, more_keys) = keys(audit);
        let (identities, more_identities) = identities(audit);
        let (shared, more_shared) = shared(audit, &identities);
        Self {
            without_passport: functions.len() - passports.len(),
            passports,
            matrix: matrix(audit, &functions),
            keys,
            more_keys,
            identities,
            more_identities,
            shared,
            more_shared,
            paths: routes(audit),
        }
    }
}

/// The best path of each who begins to each kind of what matters.
fn routes(audit: &Audit<'_>) -> Option<Vec<RouteOut>> {
    if audit.estate().count::<FunctionId>() > MOST_FUNCTIONS {
        return None;
    }
    let mut routes = PathsOut::new(audit.effects(), &Asked::default()).routes;
    for route in &mut routes {
        route.paths.truncate(MOST_LINES);
    }
    Some(routes)
}

/// What identities reach, each worked out once, however many functions run as it.
type Rights = FxHashMap<IdentityId, Reached>;

fn rights(audit: &Audit<'_>, functions: &[Ranked]) -> Rights {
    let mut identities: Vec<IdentityId> = functions.iter().filter_map(|it| runs_as(audit, it.id)).collect();
    identities.sort_unstable();
    identities.dedup();
    let reaches = Reaches::new(audit.effects());
    let all = identities.into_par_iter().map(|id| {
        let reach = reaches.of(Principal::Identity(id));
        (id, Reached::of(audit.effects(), reach, None))
    });
    all.collect()
}

fn runs_as(audit: &Audit<'_>, function: FunctionId) -> Option<IdentityId> {
    audit.estate().runs_as(audit.estate().get(function)?)
}

/// A function by what it is put in order.
struct Ranked {
    id: FunctionId,
    exposure: Exposure,
    impact: Impact,
}

/// Findings by the things that they are about, with the ones that lead them.
struct ByThing<'f>(FxHashMap<Thing, Vec<&'f Finding>>);

impl<'f> ByThing<'f> {
    fn new(findings: &'f [Finding]) -> Self {
        let mut all: FxHashMap<Thing, Vec<&Finding>> = FxHashMap::default();
        for leading in findings {
            for finding in leading.with_beneath() {
                let Some(thing) = finding.thing else { continue };
                let of_it = all.entry(thing).or_default();
                if of_it.last().is_none_or(|last| last.fingerprint != leading.fingerprint) {
                    of_it.push(leading);
                }
            }
        }
        Self(all)
    }

    fn of(&self, thing: Thing) -> impl Iterator<Item = &'f Finding> {
        self.0.get(&thing).into_iter().flatten().copied()
    }
}

fn matrix(audit: &Audit<'_>, functions: &[Ranked]) -> Vec<Cell> {
    let mut cells: BTreeMap<(Exposure, Impact), (usize, Vec<FunctionId>)> = BTreeMap::new();
    for it in functions {
        let (surely, all) = cells.entry((it.exposure, it.impact)).or_default();
        *surely += usize::from(audit.exposure(it.id).surely || it.exposure == Exposure::Insiders);
        all.push(it.id);
    }
    let label = |id: &FunctionId| audit.estate().label(Thing::Function(*id));
    let cell = |((exposure, impact), (surely, all)): ((Exposure, Impact), (usize, Vec<FunctionId>))| Cell {
        exposure: Word(exposure),
        impact: Word(impact),
        functions: all.len(),
        surely,
        names: all.iter().take(MOST_NAMES).map(label).collect(),
    };
    cells.into_iter().map(cell).collect()
}

impl Passport {
    fn new(audit: &Audit<'_>, rights: &Rights, findings: &ByThing<'_>, it: &Ranked) -> Self {
        let identity = runs_as(audit, it.id);
        let card = Card::lean(audit, it.id, identity.and_then(|id| rights.get(&id)));
        let about = card::about(audit.effects(), it.id, identity);
        let mut wrong: Vec<&Finding> = about.iter().flat_map(|thing| findings.of(*thing)).collect();
        wrong.sort_by_key(|it| (std::cmp::Reverse(it.severity), it.rule, it.fingerprint));
        wrong.dedup_by_key(|it| it.fingerprint);
        let stamp = |finding: &&Finding| {
            let rule = audit.rule(finding);
            Stamp {
                fingerprint: finding.fingerprint.to_string(),
                rule: rule.id.to_owned(),
                title: rule.title.to_owned(),
                severity: Word(finding.severity),
            }
        };
        let more = |all: usize| all.saturating_sub(MOST_LINES);
        let mut passport = Self {
            more_entries: more(card.entries.len()),
            more_exits: more(card.exits.len()),
            more_keys: more(card.keys.len()),
            entries: card.entries.iter().take(MOST_LINES).map(EntryLine::of).collect(),
            exits: card.exits.iter().take(MOST_LINES).map(ExitLine::of).collect(),
            keys: card.keys.iter().take(MOST_LINES).map(KeyLine::of).collect(),
            stamps: wrong.iter().map(stamp).collect(),
            function: card.function,
            platform: card.platform,
            account: card.account,
            environment: card.environment,
            owner: card.owner,
            runtime: card.runtime,
            state: card.state,
            shared_with: card.runs_as.as_ref().map_or(0, |it| it.shared_with.len()),
            may: card.runs_as.as_ref().and_then(|it| it.may.clone()),
            runs_as: card.runs_as.map(|it| it.identity),
            exposed_to: card.exposed_to,
            exposed_surely: card.exposed_surely,
            impact: Word(it.impact),
            digest: String::new(),
        };
        passport.digest = passport.digested();
        passport
    }

    /// What its digest is made of is all that it says.
    fn digested(&self) -> String {
        let text = serde_json::to_vec(self).unwrap_or_default();
        Sha256::digest(&text).iter().take(10).map(|byte| format!("{byte:02x}")).collect()
    }
}

impl EntryLine {
    fn of(way: &WayIn) -> Self {
        const MOST: usize = 3;
        let who = |it: &card::Let| {
            let name = match (it.who.as_str(), it.circle.0) {
                ("anyone", Exposure::Anyone) => "ANYONE",
                ("anyone", _) => "anyone inside",
                (who, _) => who,
            };
            let perhaps = if it.verdict.0 == Verdict::Depends { " (perhaps)" } else { "" };
            format!("{name}{perhaps}")
        };
        let mut told = way.lets_in.iter().take(MOST).map(who).collect::<Vec<_>>().join(", ");
        if way.lets_in.len() > MOST {
            told.push_str(&format!(" and {} more", way.lets_in.len() - MOST));
        } else if told.is_empty() && way.asks != "the clock" {
            told.push_str("nobody");
        }
        let sure = |it: &&card::Let| it.verdict.0 == Verdict::Yes;
        let is_anyone = |it: &card::Let| it.who == "anyone" && it.circle.0 == Exposure::Anyone;
        Self {
            way: way.way.clone(),
            asks: way.asks.clone(),
            who: told,
            circle: way.lets_in.iter().map(|it| it.circle.0).min().map(Word),
            open: way.lets_in.iter().filter(sure).any(is_anyone),
            perhaps: !way.lets_in.is_empty() && !way.lets_in.iter().any(|it| sure(&it)),
            came: way.came(),
        }
    }
}

impl ExitLine {
    fn of(exit: &card::Exit) -> Self {
        const ALL_CLASSES: usize = 7;
        Self {
            service: exit.service.clone(),
            may: if exit.may.len() >= ALL_CLASSES { "everything".to_owned() } else { exit.may.join(", ") },
            things: exit.things,
            confidential: exit.confidential,
            wild: exit.wild,
            perhaps: exit.only_perhaps,
            used: exit.used,
        }
    }
}

impl KeyLine {
    fn of(key: &card::KeyOut) -> Self {
        let mut told = vec![format!("{} reach", key.reach.0)];
        told.extend(key.age_days.map(|days| format!("{days} days old")));
        told.extend(key.last_used.as_ref().map(|used| match used.as_str() {
            "never" => "never used".to_owned(),
            day => format!("used {day}"),
        }));
        told.push(key.expires.as_ref().map_or("never ends".to_owned(), |end| format!("ends {end}")));
        told.extend((key.lets_in.0 == Verdict::No).then(|| "no endpoint here takes it".to_owned()));
        Self { key: key.key.clone(), told: told.join(", ") }
    }
}

/// What functions need of the identities that they share.
fn shared(audit: &Audit<'_>, identities: &[IdentityRow]) -> (Vec<Shared>, usize) {
    let several: Vec<&IdentityRow> = identities.iter().filter(|it| it.functions > 1).collect();
    let ids = several.iter().filter_map(|it| match audit.estate().thing(&it.identity) {
        Some(Thing::Identity(id)) => Some(id),
        _ => None,
    });
    let shown: Vec<IdentityId> = ids.take(MOST_SHARED).collect();
    let all = shown.par_iter().map(|id| Shared::new(SharingOut::new(audit, *id))).collect();
    (all, several.len() - shown.len())
}

impl Shared {
    /// Whether something was seen that no function accounts for.
    pub fn has_unaccounted(&self) -> bool {
        self.rows.iter().any(|row| row.unaccounted.is_some())
    }

    fn new(sharing: SharingOut) -> Self {
        let more_functions = sharing.functions.len().saturating_sub(MOST_COLUMNS);
        let columns = &sharing.functions[..sharing.functions.len() - more_functions];
        let mut rows: BTreeMap<&str, SharedRow> = BTreeMap::new();
        let empty =
            |on: &str| SharedRow { on: on.to_owned(), needs: vec![None; columns.len()], unaccounted: None };
        for (column, function) in columns.iter().enumerate() {
            for need in &function.needs {
                let row = rows.entry(&need.on).or_insert_with(|| empty(&need.on));
                let what = match need.actions.as_slice() {
                    [] => need.because.clone(),
                    actions => format!("{} ({})", actions.join(", "), need.because),
                };
                let known = row.needs[column].take();
                row.needs[column] =
                    Some(known.map_or_else(|| what.clone(), |known| format!("{known}; {what}")));
            }
        }
        for done in &sharing.unaccounted {
            let on = done.to.as_deref().unwrap_or("something that logs do not name");
            let row = rows.entry(on).or_insert_with(|| empty(on));
            let what = format!("{}, {}", done.did, pasaporte_audit::times(done.sum.count));
            let known = row.unaccounted.take();
            row.unaccounted = Some(known.map_or_else(|| what.clone(), |known| format!("{known}; {what}")));
        }
        Self {
            functions: columns.iter().map(|it| it.function.clone()).collect(),
            more_functions,
            rows: rows.into_values().take(MOST_ROWS).collect(),
            identity: sharing.identity,
            may: sharing.may,
        }
    }
}

fn keys(audit: &Audit<'_>) -> (Vec<KeyRow>, usize) {
    let estate = audit.estate();
    let verdicts = key_verdicts(audit);
    let mut all: Vec<KeyRow> = estate
        .all::<KeyId>()
        .map(|(id, key)| KeyRow {
            key: estate.label(Thing::Key(id)),
            opens: estate.label(key.opens()),
            reach: Word(key.reach),
            accepted: audit.effects().accepted(id) == Verdict::Yes && !estate.has_ended(key.expires),
            age_days: key.rotated.max(key.created).and_then(|since| audit.days_since(since)),
            allowed_days: audit.thresholds_of(key).key_max_age,
            last_used: last_used(audit, id),
            expires: key.expires.map(date),
            verdict: verdicts.get(&id).copied().map(Word),
        })
        .collect();
    all.sort_by(|one, other| {
        (!one.accepted, other.age_days, &one.key).cmp(&(!other.accepted, one.age_days, &other.key))
    });
    let more = all.len().saturating_sub(MOST_ROWS);
    all.truncate(MOST_ROWS);
    (all, more)
}

fn identities(audit: &Audit<'_>) -> (Vec<IdentityRow>, usize) {
    let estate = audit.estate();
    let used = estate.all::<IdentityId>().filter(|(id, _)| !estate.functions_as(*id).is_empty());
    let mut all: Vec<IdentityRow> = used
        .map(|(id, identity)| IdentityRow {
            identity: estate.label(Thing::Identity(id)),
            kind: Word(identity.kind),
            default: identity.default,
            functions: estate.functions_as(id).len(),
            exposed_to: Word(audit.exposure_of(Principal::Identity(id)).to),
            impact: Word(audit.harm(id).impact),
            may: audit.may(id).map(str::to_owned),
        })
        .collect();
    let rank = |it: &IdentityRow| (std::cmp::Reverse(it.functions > 1), it.impact.0, it.exposed_to.0);
    all.sort_by(|one, other| {
        (rank(one), other.functions, &one.identity).cmp(&(rank(other), one.functions, &other.identity))
    });
    let more = all.len().saturating_sub(MOST_ROWS);
    all.truncate(MOST_ROWS);
    (all, more)
}
