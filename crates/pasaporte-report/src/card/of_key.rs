//! A key's passport: what it opens and what that may do, how old it is, who showed it, where it was seen.

use pasaporte_audit::{Audit, Finding, KeyVerdict, key_verdicts};
use pasaporte_core::access::{Context, Question, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::{
    Environment, FunctionId, KeyId, KeyReach, Principal, SeenIn, Showed, State, Thing,
};
use pasaporte_read::estate::Word;
use schemars::JsonSchema;
use serde::Serialize;

use super::used::SumOut;
use super::{findings_about, looked_at};
use crate::dates::{date, last_used};
use crate::finding::{FindingOut, Texts};
use crate::{PlaceOut, VERSION, account};

/// A key's passport.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte card of a key, version 1")]
pub struct KeyCard {
    /// The version of this output.
    pub card_of_key: u64,
    /// The key.
    pub key: String,
    /// What it opens.
    pub opens: String,
    /// How far it reaches there.
    pub reach: Word<KeyReach>,
    /// The platform it is on.
    pub platform: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// The environment it is judged by.
    pub environment: Option<Word<Environment>>,
    /// Switched on or off.
    pub state: Word<State>,
    /// What to do with it.
    pub verdict: Word<KeyVerdict>,
    /// When it was made: a date.
    pub created: Option<String>,
    /// When its value was last replaced.
    pub rotated: Option<String>,
    /// Days since either.
    pub age_days: Option<i64>,
    /// Days that are allowed.
    pub allowed_days: i64,
    /// When it ends; null is never.
    pub expires: Option<String>,
    /// When it was last used, as far as the platform or logs say: a date, or `never`.
    pub last_used: Option<String>,
    /// What logs show of its use.
    pub shown: SumOut,
    /// Clients that were given it.
    pub held_by: Vec<String>,
    /// The worst that its holder may do, in words.
    pub may: Option<String>,
    /// The functions that it opens, and those that it is made for and does not open.
    pub functions: Vec<OpenedOut>,
    /// Where its value was seen.
    pub seen: Vec<SeenOut>,
    /// Whether its fingerprint is known, so that logs can show it.
    pub has_fingerprint: bool,
    /// What the audit finds about it.
    pub findings: Vec<FindingOut>,
    /// Where it was read.
    pub read_from: Option<PlaceOut>,
}

/// A function that a key opens, or is made for.
#[derive(Debug, Serialize, JsonSchema)]
pub struct OpenedOut {
    /// The function.
    pub function: String,
    /// What it may do at worst, in words; null where that is no more than running code.
    pub may: Option<String>,
    /// Whether its holder makes it run with the key: by an endpoint that accepts it, because it manages what the function
    /// lies in, or because the key itself is given invoking; surely (yes) or perhaps (depends). No, where it is only made
    /// for it.
    pub lets_in: Word<Verdict>,
    /// Whether whoever can reach one of its endpoints gets in without the key.
    pub open_without: bool,
    /// How often the key was used for it.
    pub used: u64,
}

/// Where a key was seen.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SeenOut {
    /// In what.
    pub place: Word<SeenIn>,
    /// Of what.
    pub on: Option<String>,
    /// How often, and when.
    #[serde(flatten)]
    pub sum: SumOut,
}

/// The things whose findings a card of a key rests on.
pub fn looked_at_for_key(effects: &Effects<'_>, id: KeyId) -> Vec<Thing> {
    let made_for = super::functions_opened(effects, id);
    let besides = given_besides(effects, id, &made_for).into_iter().map(|(function, _)| function);
    let functions = made_for.iter().copied().chain(besides);
    let mut all: Vec<Thing> = functions.flat_map(|function| looked_at(effects, function)).collect();
    all.push(Thing::Key(id));
    all
}

impl KeyCard {
    /// A key's passport, with those of an audit's findings that are about it; none where it is not in the estate.
    pub fn new(audit: &Audit<'_>, findings: &[Finding], id: KeyId, texts: &dyn Texts) -> Option<Self> {
        let (estate, effects) = (audit.estate(), audit.effects());
        let key = estate.get(id)?;
        let thing = Thing::Key(id);
        let used = audit.used_for(id);
        let mut functions: Vec<OpenedOut> = entered_by(effects, id)
            .into_iter()
            .map(|(function, lets_in)| OpenedOut {
                function: estate.label(Thing::Function(function)),
                may: estate
                    .get(function)
                    .and_then(|it| estate.runs_as(it))
                    .and_then(|it| audit.may(it))
                    .map(str::to_owned),
                lets_in: Word(lets_in),
                open_without: estate
                    .endpoints_of(function)
                    .iter()
                    .any(|it| effects.opens_to_nothing(*it) == Verdict::Yes),
                used: used.iter().find(|(it, _)| *it == function).map_or(0, |(_, count)| *count),
            })
            .collect();
        // What it opens first, and what was used most.
        let closed = |it: &OpenedOut| !it.open_without && it.lets_in.0 == Verdict::No;
        functions.sort_by(|one, other| {
            let key = |it: &OpenedOut| (closed(it), std::cmp::Reverse(it.used));
            key(one).cmp(&key(other)).then_with(|| one.function.cmp(&other.function))
        });
        let mut held_by: Vec<String> =
            estate.list(key.held_by).iter().map(|name| estate.text(*name).to_owned()).collect();
        held_by.sort_unstable();
        let about = std::iter::once(thing).collect();
        let found = findings_about(findings, &about);
        let verdict = key_verdicts(audit).get(&id).copied().unwrap_or(KeyVerdict::Keep);
        Some(Self {
            card_of_key: VERSION,
            key: estate.label(thing),
            opens: estate.label(key.opens()),
            reach: Word(key.reach),
            platform: estate.platform(estate.scope_of(thing)).map(|name| estate.text(name).to_owned()),
            account: account(estate, thing),
            environment: audit.environment_of_key(key).map(Word),
            state: Word(key.state),
            verdict: Word(verdict),
            created: key.created.map(date),
            rotated: key.rotated.map(date),
            age_days: key.rotated.max(key.created).and_then(|since| audit.days_since(since)),
            allowed_days: audit.thresholds_of(key).key_max_age,
            expires: key.expires.map(date),
            last_used: last_used(audit, id),
            shown: SumOut::new(&audit.shown_by(id)),
            held_by,
            may: effects.tell(Principal::Key(id)),
            functions,
            seen: seen(audit, id),
            has_fingerprint: key.fingerprint.is_some(),
            findings: found.map(|(it, leading)| FindingOut::of(it, leading, audit, texts)).collect(),
            read_from: Some(PlaceOut::new(estate, key.origin)),
        })
    }
}

/// The functions that a key is made for or opens otherwise, each with how surely its holder makes it run by having it.
fn entered_by(effects: &Effects<'_>, id: KeyId) -> Vec<(FunctionId, Verdict)> {
    let who = Principal::Key(id);
    let by_it = |function| {
        let ways = effects.ways_in(function);
        let by_it = ways.all.iter().filter(|way| way.caller.who == who);
        by_it.map(|way| way.caller.verdict).max().unwrap_or(Verdict::No)
    };
    let made_for = super::functions_opened(effects, id);
    let besides = given_besides(effects, id, &made_for);
    made_for.into_iter().map(|it| (it, by_it(it))).chain(besides).collect()
}

/// The other functions that the holder of a key may invoke because the key itself is given it.
fn given_besides(effects: &Effects<'_>, id: KeyId, made_for: &[FunctionId]) -> Vec<(FunctionId, Verdict)> {
    let (estate, who) = (effects.estate(), Principal::Key(id));
    if !effects.is_given_something(who) {
        return Vec::new();
    }
    let given = Context::at(estate.as_of());
    let may = |principal, function| {
        let on = Thing::Function(function);
        effects.verdict(&Question { principal, action: effects.invoke(), on, given: &given })
    };
    let others = estate.all::<FunctionId>().map(|(it, _)| it).filter(|it| !made_for.contains(it));
    let others = others.filter(|it| effects.may_run(*it)).map(|it| (it, may(who, it)));
    // What anyone may is no matter of the key.
    others.filter(|(it, how)| *how != Verdict::No && may(Principal::Anyone, *it) < *how).collect()
}

fn seen(audit: &Audit<'_>, id: KeyId) -> Vec<SeenOut> {
    let estate = audit.estate();
    let sightings = estate.sightings().iter().filter(|it| it.what == Showed::Key(id));
    let mut all: Vec<SeenOut> = sightings
        .map(|it| SeenOut {
            place: Word(it.place),
            on: it.on.map(|on| estate.label(on)),
            sum: SumOut::of(estate, &it.tally),
        })
        .collect();
    all.sort_by(|one, other| (one.place.0, &one.on).cmp(&(other.place.0, &other.on)));
    all
}
