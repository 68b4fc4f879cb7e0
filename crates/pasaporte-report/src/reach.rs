//! What a principal may do, and what it can become.

use pasaporte_core::access::{Becoming, Verdict, Via};
use pasaporte_core::effect::{Effects, Handing, Overtaking, Road, Wide};
use pasaporte_core::estate::{ActionClass, Estate, FunctionId, Principal, State, Thing};
use pasaporte_core::reach::{Act, Reach, Reaches, Service};
use schemars::JsonSchema;
use serde::Serialize;

use crate::{HeldOut, PlaceOut, account_of_principal};
use pasaporte_read::estate::Word;

/// All that a principal may do.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte reach, version 3")]
pub struct Reached {
    /// The version of this output.
    pub reach: u64,
    /// Who.
    pub principal: String,
    /// The function that was asked about, if it was one.
    pub function: Option<String>,
    /// The account it is of.
    pub account: Option<String>,
    /// Its other names: groups, accounts and crowds that it is in.
    pub names: Vec<String>,
    /// Of a group, that this is about somebody in it of whom no more is known, and who its members are.
    pub note: Option<String>,
    /// The worst that it may do, in words; null where that is no more than running code.
    pub may: Option<String>,
    /// What it manages and may all invoke, where it is an admin key.
    pub manages: Option<String>,
    /// What it may do in effect, by service, what reaches confidential things and most first; each thing is counted
    /// once.
    pub rights: Vec<ServiceOut>,
    /// What it may do besides, by what any signed-in caller of its account is given, or anyone.
    pub as_anyone: Vec<ServiceOut>,
    /// What it holds without effect: denied, bounded, or on nothing that it gets at.
    pub without_effect: Vec<StatementOut>,
    /// Whom it can act as: surely before perhaps, near before far; then identities that it can hand to code that it may make
    /// or change; then whom it becomes by changing code or access.
    pub can_become: Vec<BecomingOut>,
    /// Secrets that the platform hands to the function that was asked about, whatever its identity may read.
    pub handed: Vec<String>,
    /// Secrets by which anybody who has them acts as the identity, by their ids.
    pub credentials: Vec<String>,
}

/// What somebody may do to things of one kind.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct ServiceOut {
    /// The service, which is the kind of things that its actions are on.
    pub service: String,
    /// Each action, or each class of actions that wildcards take, with what it comes to in effect; worst first.
    pub acts: Vec<ActOut>,
    /// The statements that give it.
    pub by: Vec<StatementOut>,
    /// Whether some of it comes by ways in of functions: endpoints that ask nothing, or accept what somebody holds.
    pub by_ways_in: bool,
}

/// A statement and how it is held.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct StatementOut {
    /// The statement in one line.
    pub statement: String,
    /// Where it holds: `kind:id`, or `everywhere`.
    pub at: String,
    /// How it is held; null where it stands on the thing itself.
    pub held: Option<HeldOut>,
    /// The name that the statement on the thing itself names.
    pub names: Option<String>,
    /// Where the statement was read.
    pub read_from: PlaceOut,
}

/// An action and on how many things it is allowed in effect.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct ActOut {
    /// The action; null for those of a class that wildcards take, beside those that are named.
    pub action: Option<String>,
    /// One that wildcards take, where the action is null.
    pub such_as: Option<String>,
    /// Its class; null where no line of the catalogue knows it.
    pub class: Option<Word<ActionClass>>,
    /// On how many things it is surely allowed.
    pub surely: usize,
    /// On how many it perhaps is.
    pub perhaps: usize,
    /// How many of both are confidential.
    pub confidential: usize,
    /// One of both, a confidential one where there is one.
    pub example: Option<String>,
    /// Whether it is allowed on things that are made tomorrow: yes, perhaps (depends) or no.
    pub on_new: Word<Verdict>,
}

/// Somebody whom it can become: an identity, a user, or a group, whose name it then bears.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct BecomingOut {
    /// Who.
    pub who: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// Acting as whom the last step is taken.
    pub from: String,
    /// How many steps it takes.
    pub steps: usize,
    /// The code that it is handed to, where that is how: a function, or `a new function at PLACE`.
    pub handed_to: Option<String>,
    /// What is changed, where that is how: the code of a function that runs as it, or who may act as it or is in it.
    pub by_changing: Option<String>,
    /// The worst that it may do itself, in words; null where that is no more than running code.
    pub may: Option<String>,
}

/// The version of this output.
const REACH_VERSION: u64 = 3;

impl Reached {
    /// All that a principal may do.
    pub fn new(effects: &Effects<'_>, principal: Principal, function: Option<FunctionId>) -> Self {
        Self::of(effects, Reaches::new(effects).of(principal), function)
    }

    /// The same in words, where it was worked out.
    pub(crate) fn of(effects: &Effects<'_>, reach: Reach, function: Option<FunctionId>) -> Self {
        let estate = effects.estate();
        let Reach { principal, own, common, idle, becoming, handing, overtaking, manages } = reach;
        let out = |all: &[Service]| all.iter().map(|service| ServiceOut::new(effects, service)).collect();
        let names = effects.names(principal);
        let names = names.iter().filter(|name| **name != principal).map(|name| estate.principal_label(*name));
        let may = match principal {
            Principal::Identity(id) => effects.may_at_worst(id).map(str::to_owned),
            _ => effects.tell(principal),
        };
        let mut can_become: Vec<BecomingOut> =
            becoming.iter().map(|it| BecomingOut::acting(effects, it)).collect();
        can_become.extend(handing.iter().map(|it| BecomingOut::handing(effects, principal, it)));
        can_become.extend(overtaking.iter().map(|it| BecomingOut::overtaking(effects, principal, it)));
        let code = function.and_then(|id| estate.get(id));
        let identity = match principal {
            Principal::Identity(id) => estate.get(id),
            _ => None,
        };
        let credentials = identity.map_or(&[][..], |it| &it.credentials).iter();
        let credentials =
            credentials.filter(|it| it.state == State::Enabled && !estate.has_ended(it.expires));
        Self {
            reach: REACH_VERSION,
            principal: estate.principal_label(principal),
            function: function.map(|id| estate.label(Thing::Function(id))),
            account: account_of_principal(effects, principal),
            names: names.collect(),
            note: of_a_group(effects, principal),
            may,
            manages: manages.map(|thing| estate.label(thing)),
            rights: out(&own),
            as_anyone: out(&common),
            without_effect: statements(effects, &idle),
            can_become,
            handed: code.map_or_else(Vec::new, |it| crate::card::handed(estate, it)),
            credentials: credentials.map(|it| estate.text(it.id).to_owned()).collect(),
        }
    }
}

/// Members of a group that are named.
const MOST_MEMBERS: usize = 3;

/// What is told of a group is told of its name: its members hold more besides, and what bounds them bounds them still.
pub(crate) fn of_a_group(effects: &Effects<'_>, who: Principal) -> Option<String> {
    let Principal::Group(group) = who else { return None };
    effects.estate().get(group)?;
    let mut members: Vec<String> =
        effects.everybody_in(group).into_iter().map(|it| effects.estate().principal_label(it)).collect();
    members.sort_unstable();
    let more = members.len().saturating_sub(MOST_MEMBERS);
    members.truncate(MOST_MEMBERS);
    let more = if more > 0 { format!(" and {more} more") } else { String::new() };
    let members = match members.as_slice() {
        [] => "Nobody is known to be.".to_owned(),
        all => format!("Its members may do more, or less: {}{more}.", all.join(", ")),
    };
    let group = effects.estate().principal_label(who);
    Some(format!(
        "What is told of {group} is about somebody who is in it and of whom no more is known. {members}"
    ))
}

impl BecomingOut {
    fn acting(effects: &Effects<'_>, it: &Becoming) -> Self {
        let estate = effects.estate();
        Self {
            who: estate.principal_label(it.to),
            verdict: Word(it.verdict),
            from: estate.principal_label(it.from),
            steps: it.steps,
            handed_to: None,
            by_changing: None,
            may: effects.may_as(it.to),
        }
    }

    fn handing(effects: &Effects<'_>, who: Principal, it: &Handing) -> Self {
        let estate = effects.estate();
        let code = match &it.code.on {
            Wide::There(thing) => estate.label(*thing),
            Wide::New(new) => match new.within {
                Some(place) => format!("a new function at {}", estate.label(place)),
                None => "a new function".to_owned(),
            },
        };
        Self {
            who: estate.label(Thing::Identity(it.identity)),
            verdict: Word(it.verdict),
            from: estate.principal_label(who),
            steps: 1,
            handed_to: Some(code),
            by_changing: None,
            may: effects.may_at_worst(it.identity).map(str::to_owned),
        }
    }

    fn overtaking(effects: &Effects<'_>, who: Principal, it: &Overtaking) -> Self {
        let estate = effects.estate();
        Self {
            who: estate.principal_label(it.to),
            verdict: Word(it.verdict),
            from: estate.principal_label(who),
            steps: 1,
            handed_to: None,
            by_changing: Some(estate.label(it.changing)),
            may: effects.may_as(it.to),
        }
    }
}

impl BecomingOut {
    /// How one becomes it, where one does not just act as it: "handed to function:x", "by changing who is in it".
    pub fn otherwise(&self) -> Option<String> {
        if let Some(code) = &self.handed_to {
            return Some(format!("by handing it to {code}"));
        }
        let changed = self.by_changing.as_ref()?;
        Some(match changed.split_once(':') {
            _ if *changed != self.who => format!("by changing {changed}"),
            Some(("group", _)) => "by changing who is in it".to_owned(),
            _ => "by changing who may act as it".to_owned(),
        })
    }
}

impl ServiceOut {
    fn new(effects: &Effects<'_>, it: &Service) -> Self {
        Self {
            service: it.name.to_string(),
            acts: it.acts.iter().map(|act| ActOut::new(effects.estate(), act)).collect(),
            by: statements(effects, &it.roads),
            by_ways_in: it.by_ways_in,
        }
    }
}

/// Statements in the order of their words, each once.
fn statements(effects: &Effects<'_>, roads: &[Road]) -> Vec<StatementOut> {
    let mut all: Vec<StatementOut> = roads.iter().map(|road| StatementOut::new(effects, road)).collect();
    let key = |it: &StatementOut| {
        let place = &it.read_from;
        (it.statement.clone(), it.at.clone(), it.names.clone(), place.file.clone(), place.line, place.column)
    };
    all.sort_by_cached_key(key);
    all.dedup();
    all
}

impl StatementOut {
    fn new(effects: &Effects<'_>, road: &Road) -> Self {
        let estate = effects.estate();
        let statement = estate.statement(road.statement);
        let (held, names, at) = match road.via {
            Via::Grant { grant, name, set } => {
                let held = HeldOut::new(estate, grant, name, set);
                let at = held.at.clone();
                (Some(held), None, at)
            }
            Via::Admission { admission, name } => {
                let at = estate.label(estate.admission(admission).on);
                (None, Some(estate.principal_label(name)), at)
            }
            Via::Ceiling(_) => (None, None, String::new()),
        };
        Self {
            statement: effects.wording(road.statement),
            at,
            held,
            names,
            read_from: PlaceOut::new(estate, statement.origin),
        }
    }
}

impl ActOut {
    fn new(estate: &Estate, act: &Act) -> Self {
        Self {
            action: (!act.is_wild).then(|| act.action.to_string()),
            such_as: act.is_wild.then(|| act.action.to_string()),
            class: act.class.map(Word),
            surely: act.surely,
            perhaps: act.perhaps,
            confidential: act.confidential,
            example: act.example.map(|thing| estate.label(thing)),
            on_new: Word(act.on_new),
        }
    }
}
