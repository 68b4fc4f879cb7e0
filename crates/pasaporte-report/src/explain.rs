//! May P do A on R, and by which statements.

use std::collections::BTreeMap;

use pasaporte_core::access::{
    Access, Answer, Ground, INVOKE, Needs, Question, Shortfall, Truth, Verdict, Via,
};
use pasaporte_core::effect::{ACCESS, Effects};
use pasaporte_core::entry::Through;
use pasaporte_core::estate::{
    ActionClass, Effect, Estate, FunctionId, GroupId, Principal, Thing, Vocabulary,
};
use schemars::JsonSchema;
use serde::Serialize;

use crate::entry::members;
use crate::{HeldOut, PlaceOut, VERSION, account, account_of_principal};
use pasaporte_read::estate::Word;

/// Most near misses that are told; the nearest come first.
const MOST_NEAR_MISSES: usize = 12;

/// An answer with its reasons.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte explain, version 1")]
pub struct Explained {
    /// The version of this output.
    pub explain: u64,
    /// What was asked.
    pub question: QuestionOut,
    /// Yes, no, or depends.
    pub verdict: Word<Verdict>,
    /// What it depends on, as the rest of a sentence ("if source resource is …"); null for yes and no.
    pub depends_on: Option<String>,
    /// Whose allow it needs.
    pub needs: Word<Needs>,
    /// Other ways by which it makes a function run, where that was asked: endpoints, sources, tries, keys that manage.
    pub ways_in: Vec<EntersBy>,
    /// That the action is not done to such things, where its service names another kind.
    pub note: Option<String>,
    /// Every statement that applies: denies, allows, then ceilings.
    pub grounds: Vec<GroundOut>,
    /// What came near, and what is missing; empty for yes.
    pub near_misses: Vec<NearMiss>,
}

/// What was asked.
#[derive(Debug, Serialize, JsonSchema)]
pub struct QuestionOut {
    /// Who.
    pub principal: String,
    /// The account that it is of.
    pub principal_account: Option<String>,
    /// Does what.
    pub action: String,
    /// The class of the action; null where no line of the catalogue knows it.
    pub class: Option<Word<ActionClass>>,
    /// To what.
    pub resource: String,
    /// The account that it is of.
    pub resource_account: Option<String>,
    /// Whether the resource is in the estate, or only mentioned there.
    pub resource_is_declared: bool,
    /// When (RFC 3339); null where nobody says.
    pub as_of: Option<String>,
    /// What else is fixed, by attribute.
    pub given: BTreeMap<String, String>,
}

/// A way by which somebody makes a function run.
#[derive(Debug, Serialize, JsonSchema)]
pub struct EntersBy {
    /// The endpoint or trigger; null for invoking.
    pub through: Option<String>,
    /// By which name.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// Why, in a few words.
    pub because: String,
    /// What it depends on, as the rest of a sentence.
    pub depends_on: Option<String>,
    /// Where to look.
    pub read_from: Vec<PlaceOut>,
}

/// A statement that applies.
#[derive(Debug, Serialize, JsonSchema)]
pub struct GroundOut {
    /// Whether it allows or denies.
    pub effect: Word<Effect>,
    /// Where it stands: the caller's side, the resource's, or a ceiling over the caller.
    pub side: &'static str,
    /// The statement in one line.
    pub statement: String,
    /// Whether its conditions hold: yes, no, or depends.
    pub holds: Word<Verdict>,
    /// The conditions that are open where it depends, and those that fail where it does not hold.
    pub unmet: Option<String>,
    /// How it is held, on the caller's side.
    pub held: Option<HeldOut>,
    /// The name of the caller that it names, on the resource's side.
    pub names: Option<String>,
    /// The ceiling that it is of.
    pub ceiling: Option<String>,
    /// Where it was read.
    pub read_from: PlaceOut,
}

/// What came near, or is missing.
#[derive(Debug, PartialEq, Eq, Serialize, JsonSchema)]
pub struct NearMiss {
    /// In one sentence.
    pub what: String,
    /// Where to look.
    pub read_from: Option<PlaceOut>,
}

impl Explained {
    /// The answer to a question, in words. Who makes a function run is answered by all its ways in.
    pub fn new(effects: &Effects<'_>, question: &Question<'_>, given: BTreeMap<String, String>) -> Self {
        let estate = effects.estate();
        let answer = effects.decide(question);
        let ways_in = match question.on {
            Thing::Function(function) if question.action.text() == INVOKE => {
                ways_in(effects, question, function)
            }
            _ => Vec::new(),
        };
        let by_ways = ways_in.iter().map(|way| way.verdict.0).max().unwrap_or(Verdict::No);
        let verdict = answer.verdict.max(by_ways);
        let residual = if answer.verdict == verdict { answer.residual(estate) } else { String::new() };
        let by_way =
            ways_in.iter().find(|way| way.verdict.0 == verdict).and_then(|way| way.depends_on.clone());
        let depends_on = match (verdict, residual.is_empty()) {
            (Verdict::Depends, true) => by_way,
            (Verdict::Depends, false) => Some(residual),
            _ => None,
        };
        let class = effects.catalogue().class(question.action.text(), effects.dialect(question.on));
        Self {
            explain: VERSION,
            question: QuestionOut {
                principal: estate.principal_label(question.principal),
                principal_account: account_of_principal(effects, question.principal),
                action: question.action.text().to_owned(),
                class: class.map(Word),
                resource: estate.label(question.on),
                resource_account: account(estate, question.on),
                resource_is_declared: estate.is_declared(question.on),
                as_of: estate.as_of().map(|time| time.to_string()),
                given,
            },
            verdict: Word(verdict),
            depends_on,
            needs: Word(answer.needs),
            ways_in,
            note: not_done_to(effects, question)
                .or_else(|| perhaps_a_member(effects, question, verdict))
                .or_else(|| of_members(effects, question, verdict)),
            grounds: answer.grounds.iter().map(|ground| GroundOut::new(effects, ground)).collect(),
            near_misses: if verdict == Verdict::Yes { Vec::new() } else { near_misses(estate, &answer) },
        }
    }
}

/// That an action is not done to such things: it belongs to the kind that its service names.
fn not_done_to(effects: &Effects<'_>, question: &Question<'_>) -> Option<String> {
    let (service, _) = question.action.text().split_once('/')?;
    let label = effects.estate().label(question.on);
    let (kind, _) = label.split_once(':')?;
    let same =
        |one: &str| if effects.any_case(question.on) { one.eq_ignore_ascii_case(kind) } else { one == kind };
    let fits = service == ACCESS || same(service);
    (!fits).then(|| {
        let action = question.action.text();
        format!(
            "{action} is done to {service} things, not to {kind} things: this is the answer by the letter."
        )
    })
}

/// That members of a group were not seen whom the same would be allowed: whoever is asked about may be one of them.
fn perhaps_a_member(effects: &Effects<'_>, question: &Question<'_>, verdict: Verdict) -> Option<String> {
    let estate = effects.estate();
    let may_join =
        matches!(question.principal, Principal::User(_) | Principal::Identity(_) | Principal::Outside(_));
    if verdict != Verdict::No || !may_join {
        return None;
    }
    let unseen = estate.all::<GroupId>().filter(|(_, group)| group.unseen);
    let mut allowed = unseen.filter(|(id, _)| {
        let as_member = Question { principal: Principal::Group(*id), ..*question };
        effects.verdict(&as_member) != Verdict::No
    });
    let (group, _) = allowed.next()?;
    let (who, group) =
        (estate.principal_label(question.principal), estate.principal_label(Principal::Group(group)));
    Some(format!("Not all members of {group} were seen: if {who} is one of them, it is allowed."))
}

/// That members of a group may more or less than somebody of whom no more is known than that they are in it.
fn of_members(effects: &Effects<'_>, question: &Question<'_>, verdict: Verdict) -> Option<String> {
    let members = members(effects, question)?;
    let alike = match verdict {
        Verdict::Yes => members.surely,
        Verdict::Depends => members.perhaps,
        Verdict::No => members.all - members.surely - members.perhaps,
    };
    let may = match (members.surely, members.perhaps) {
        (0, 0) => "none may".to_owned(),
        (surely, 0) => format!("{surely} surely may"),
        (0, perhaps) => format!("{perhaps} perhaps may"),
        (surely, perhaps) => format!("{surely} surely and {perhaps} perhaps may"),
    };
    let Principal::Group(group) = question.principal else { return None };
    let seen = if effects.estate().get(group).is_some_and(|it| it.unseen) { " that were seen" } else { "" };
    let plural = if members.all == 1 { "" } else { "s" };
    let all = format!("its {} member{plural}{seen}", members.all);
    (alike < members.all).then(|| {
        format!("This is about somebody who is in it, and of whom no more is known. Of {all}, {may}.")
    })
}

fn ways_in(effects: &Effects<'_>, question: &Question<'_>, function: FunctionId) -> Vec<EntersBy> {
    let estate = effects.estate();
    let ways = effects.other_ways(question.principal, function, question.given);
    let mut all: Vec<EntersBy> = ways
        .into_iter()
        .map(|(way, verdict)| {
            let entrant = super::entry::entrant(effects, function, &way);
            let through = match way.through {
                Through::Endpoint(id) => Some(Thing::Endpoint(id)),
                Through::Source(id) => Some(Thing::Trigger(id)),
                Through::Invoking => None,
            };
            let from = match (verdict, way.caller.verdict) {
                (Verdict::Depends, Verdict::Yes) => {
                    Some("if it calls from where the endpoint can be reached".to_owned())
                }
                _ => entrant.depends_on,
            };
            EntersBy {
                through: through.map(|thing| estate.label(thing)),
                who: entrant.who,
                verdict: Word(verdict),
                because: entrant.because,
                depends_on: from,
                read_from: entrant.read_from,
            }
        })
        .collect();
    all.sort_by(|one, other| {
        other
            .verdict
            .0
            .cmp(&one.verdict.0)
            .then_with(|| one.through.cmp(&other.through))
            .then_with(|| one.who.cmp(&other.who))
    });
    all
}

impl GroundOut {
    fn new(access: &Access<'_>, ground: &Ground<'_>) -> Self {
        let estate = access.estate();
        let unmet = ground.conditions(estate);
        let (side, held, names, ceiling) = match ground.via {
            Via::Grant { grant, name, set } => {
                ("caller", Some(HeldOut::new(estate, grant, name, set)), None, None)
            }
            Via::Admission { name, .. } => ("resource", None, Some(estate.principal_label(name)), None),
            Via::Ceiling(id) => ("ceiling", None, None, Some(estate.label(Thing::Ceiling(id)))),
        };
        let holds = match ground.holds {
            Truth::True => Verdict::Yes,
            Truth::Unknown => Verdict::Depends,
            Truth::False => Verdict::No,
        };
        Self {
            effect: Word(ground.effect),
            side,
            statement: access.wording(ground.statement),
            holds: Word(holds),
            unmet: (!unmet.is_empty()).then_some(unmet),
            held,
            names,
            ceiling,
            read_from: PlaceOut::new(estate, estate.statement(ground.statement).origin),
        }
    }
}

fn near_misses(estate: &Estate, answer: &Answer<'_>) -> Vec<NearMiss> {
    let mut all: Vec<(u8, NearMiss)> =
        answer.shortfalls.iter().map(|shortfall| near_miss(estate, *shortfall)).collect();
    let place =
        |miss: &NearMiss| miss.read_from.as_ref().map(|place| (place.file.clone(), place.line, place.column));
    all.sort_by(|(rank, miss), (other_rank, other)| {
        rank.cmp(other_rank)
            .then_with(|| place(miss).cmp(&place(other)))
            .then_with(|| miss.what.cmp(&other.what))
    });
    all.dedup_by(|(_, later), (_, first)| later == first);
    let more = all.len().saturating_sub(MOST_NEAR_MISSES);
    let mut told: Vec<NearMiss> = all.into_iter().take(MOST_NEAR_MISSES).map(|(_, miss)| miss).collect();
    if more > 0 {
        told.push(NearMiss {
            what: format!("{more} more grants give something else, or give it elsewhere"),
            read_from: None,
        });
    }
    told
}

/// A shortfall as a sentence, and how near it is: the least is told first.
fn near_miss(estate: &Estate, shortfall: Shortfall) -> (u8, NearMiss) {
    let of_grant = |id| {
        let grant = estate.grant(id);
        let held = grant.set.map_or("a statement".to_owned(), |set| estate.label(Thing::Set(set)));
        let holder = estate.principal_label(grant.principal);
        (holder, held, estate.place_label(grant.at), Some(PlaceOut::new(estate, grant.origin)))
    };
    let (rank, what, read_from) = match shortfall {
        Shortfall::Ceiling(id) => {
            let name = estate.label(Thing::Ceiling(id));
            let place = PlaceOut::new(estate, estate.ceiling(id).origin);
            (0, format!("{name} does not let it through"), Some(place))
        }
        Shortfall::CallersSideMissing => (
            1,
            "the resource's side allows it, but nothing on the caller's side does; across accounts both must"
                .to_owned(),
            None,
        ),
        Shortfall::ResourcesSideMissing => (
            1,
            "the caller's side allows it, but nothing on the resource does; across accounts both must"
                .to_owned(),
            None,
        ),
        Shortfall::AccountUnknown => {
            (1, "the account of one of the two is not known, so one side may not be enough".to_owned(), None)
        }
        Shortfall::Expired(id) => {
            let (holder, held, _, place) = of_grant(id);
            let ended = estate.grant(id).expires.map_or_else(String::new, |time| format!(" on {time}"));
            (2, format!("{holder} held it through {held}, but that grant ended{ended}"), place)
        }
        Shortfall::Elsewhere(id) => {
            let (holder, held, at, place) = of_grant(id);
            (3, format!("{holder} holds it through {held}, but at {at}, where this does not lie"), place)
        }
        Shortfall::NothingAllows => (4, "no statement allows it".to_owned(), None),
        Shortfall::OtherActions(id) => {
            let (holder, held, _, place) = of_grant(id);
            (5, format!("{holder} holds other actions on this very resource through {held}"), place)
        }
        Shortfall::OtherResources(id) => {
            let (holder, held, _, place) = of_grant(id);
            (6, format!("{holder} holds this action through {held}, but on other resources"), place)
        }
    };
    (rank, NearMiss { what, read_from })
}

impl Explained {
    /// Whether the answer is a plain yes or depends.
    pub fn is_possible(&self) -> bool {
        self.verdict.0 != Verdict::No
    }

    /// The verdict as the word that files use.
    pub fn word(&self) -> &'static str {
        self.verdict.0.word()
    }
}
