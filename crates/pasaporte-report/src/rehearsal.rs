//! A rehearsal: what was seen and would be refused, findings that come and go, and paths that open and close.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_audit::rehearse::{Seen, Stopped, rehearse};
use pasaporte_audit::{Audit, Finding, Severity, told};
use pasaporte_core::access::{Question, Verdict};
use pasaporte_core::estate::{Check, Estate, Principal, Showed, Thing, Vocabulary};
use pasaporte_core::paths::{Class, Goal, Node, Paths};
use pasaporte_read::estate::Word;
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;
use crate::dates::date;
use crate::paths::label;

/// A rehearsal.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte rehearse, version 1")]
pub struct RehearsedOut {
    /// The version of this output.
    pub rehearse: u64,
    /// How many rows of observed use were asked about, and how often what they tell of happened.
    pub rows: usize,
    /// How often that was.
    pub times: u64,
    /// What was seen and would be refused, the most frequent first.
    pub broken: Vec<StoppedOut>,
    /// What was sure and would depend on something.
    pub perhaps: Vec<StoppedOut>,
    /// Rows that do not say enough to be asked about, or tell of what was refused.
    pub unsaid: usize,
    /// Rows of what was done although the estate as it is says no.
    pub unexplained: usize,
    /// Findings that would go.
    pub gone: Vec<BriefOut>,
    /// Findings that would come.
    pub come: Vec<BriefOut>,
    /// Who would get to what no more.
    pub closed: Vec<WayOut>,
    /// Who would get to what they do not get to now.
    pub opened: Vec<WayOut>,
}

/// Something that was seen and would not go as it did.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct StoppedOut {
    /// Who; of calls, what they showed.
    pub who: String,
    /// What: an action, or a method.
    pub did: String,
    /// To what.
    pub to: String,
    /// How often it was seen.
    pub count: u64,
    /// When it was last seen: a date.
    pub last: Option<String>,
    /// What the estate as it would be says: `no` or `depends`.
    pub now: Word<Verdict>,
    /// What is missing, in a few words.
    pub because: Option<String>,
}

/// A finding in brief.
#[derive(Debug, Clone, PartialEq, Serialize, JsonSchema)]
pub struct BriefOut {
    /// Its fingerprint.
    pub fingerprint: String,
    /// The rule.
    pub rule: String,
    /// How severe.
    pub severity: Word<Severity>,
    /// Of what.
    pub thing: String,
    /// What is wrong.
    pub told: String,
}

/// Who gets to what.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
pub struct WayOut {
    /// Who begins: a class.
    pub from: String,
    /// What is come to.
    pub to: String,
    /// `control` or `influence`.
    pub strength: String,
}

impl RehearsedOut {
    /// Of an estate as it is and as it would be, each with its findings.
    pub fn new(old: (&Audit<'_>, &[Finding]), new: (&Audit<'_>, &[Finding])) -> Self {
        let rehearsal = rehearse(old.0, new.0);
        let out = |all: &[Stopped]| {
            let mut told: Vec<StoppedOut> = all.iter().map(|it| stopped(old.0, new.0, it)).collect();
            told.sort_by(|one, other| {
                other
                    .count
                    .cmp(&one.count)
                    .then_with(|| (&one.who, &one.did, &one.to).cmp(&(&other.who, &other.did, &other.to)))
            });
            told
        };
        let (before, after) = (reached(old.0), reached(new.0));
        let only =
            |here: &BTreeSet<WayOut>, there: &BTreeSet<WayOut>| here.difference(there).cloned().collect();
        Self {
            rehearse: VERSION,
            rows: rehearsal.rows,
            times: rehearsal.times,
            broken: out(&rehearsal.broken),
            perhaps: out(&rehearsal.perhaps),
            unsaid: rehearsal.unsaid,
            unexplained: rehearsal.unexplained,
            gone: brief(old, new.1),
            come: brief(new, old.1),
            closed: only(&before, &after),
            opened: only(&after, &before),
        }
    }

    /// Whether something that was seen would be refused.
    pub fn breaks(&self) -> bool {
        !self.broken.is_empty()
    }
}

/// Those that lead and that others do not have.
fn brief((audit, findings): (&Audit<'_>, &[Finding]), others: &[Finding]) -> Vec<BriefOut> {
    let known: BTreeSet<_> = others.iter().flat_map(Finding::with_beneath).map(|it| it.fingerprint).collect();
    let only = findings.iter().flat_map(Finding::with_beneath).filter(|it| !known.contains(&it.fingerprint));
    let mut all: Vec<&Finding> = only.collect();
    all.sort_by_cached_key(|it| {
        (std::cmp::Reverse(it.severity), audit.rule(it).id, it.label(audit.estate()))
    });
    let out = |it: &&Finding| BriefOut {
        fingerprint: it.fingerprint.to_string(),
        rule: audit.rule(it).id.to_owned(),
        severity: Word(it.severity),
        thing: it.label(audit.estate()),
        told: told(audit, it).situation,
    };
    all.iter().map(out).collect()
}

/// Who gets to what, by class.
fn reached(audit: &Audit<'_>) -> BTreeSet<WayOut> {
    let paths = Paths::new(audit.effects(), Vec::new());
    let estate = audit.estate();
    let mut all = BTreeSet::new();
    let all_starts: Vec<Vec<Node>> = Class::ALL.par_iter().map(|(_, class)| paths.starts(*class)).collect();
    let all_found = paths.from_each(&all_starts);
    for (((word, _), starts), found) in Class::ALL.iter().zip(all_starts).zip(all_found) {
        let begins: BTreeSet<Node> = starts.into_iter().collect();
        for node in found.nodes() {
            let is_goal = |goal: &Goal| paths.is_goal(*goal, node, node);
            if begins.contains(&node) || !Goal::ALL.iter().any(|(_, goal)| is_goal(goal)) {
                continue;
            }
            let Some(path) = found.nearest(node) else { continue };
            let strength = if path.quality.influence { "influence" } else { "control" }.to_owned();
            all.insert(WayOut { from: (*word).to_owned(), to: label(estate, node), strength });
        }
    }
    all
}

/// Something that was seen and would not go as it did, in words.
pub(crate) fn stopped(old: &Audit<'_>, new: &Audit<'_>, it: &Stopped) -> StoppedOut {
    let estate = old.estate();
    let tally = it.what.tally(estate);
    let (who, did, to, because) = match it.what {
        Seen::Use(at) => {
            let seen = &estate.uses()[at];
            let to = seen.to.map_or_else(String::new, |thing| estate.label(thing));
            let did = estate.text(seen.did).to_owned();
            (
                estate.principal_label(seen.who),
                did.clone(),
                to,
                seen.to.and_then(|on| missing(old, new, (seen.who, &did, on))),
            )
        }
        Seen::Call(at) => {
            let call = &estate.calls()[at];
            let to = estate.label(Thing::Endpoint(call.endpoint));
            let check = asked_by(new.estate(), &to);
            (shown(estate, call.showed), estate.text(call.method).to_owned(), to, check)
        }
    };
    StoppedOut { who, did, to, count: tally.count, last: tally.last.map(date), now: Word(it.now), because }
}

/// What the estate as it would be lacks to allow something.
fn missing(old: &Audit<'_>, new: &Audit<'_>, (who, did, on): (Principal, &str, Thing)) -> Option<String> {
    let (before, after) = (old.estate(), new.estate());
    let who = before.same_in(after, who)?;
    let Some(on) = after.thing(&before.label(on)) else { return Some("it is gone".to_owned()) };
    let effects = new.effects();
    let action = effects.action(did);
    let question = Question { principal: who, action: &action, on, given: effects.given(who) };
    let explained = crate::Explained::new(effects, &question, BTreeMap::new());
    explained.near_misses.into_iter().next().map(|it| it.what)
}

fn shown(estate: &Estate, showed: Showed) -> String {
    match showed {
        Showed::Nothing => "nobody in particular".to_owned(),
        Showed::Key(id) => estate.label(Thing::Key(id)),
        Showed::Token(id) => estate.label(Thing::Token(id)),
        Showed::Principal(who) => estate.principal_label(who),
        Showed::Unsaid | Showed::UnknownKey(_) | Showed::Issued(..) => "somebody".to_owned(),
    }
}

/// What an endpoint would ask for.
fn asked_by(estate: &Estate, endpoint: &str) -> Option<String> {
    let gone = || Some("it is gone".to_owned());
    let Some(Thing::Endpoint(id)) = estate.thing(endpoint) else { return gone() };
    let Some(it) = estate.get(id) else { return gone() };
    Some(match &it.check {
        Check::None => "it checks nothing itself".to_owned(),
        Check::Identity => "it asks for an identity".to_owned(),
        Check::Key(reach) => format!("it asks for a key of reach {}", reach.word()),
        Check::Token(_) => "it asks for a token".to_owned(),
    })
}
