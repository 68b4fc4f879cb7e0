//! What a principal may do, and what it can become.

use pasaporte_core::access::{Access, Context, Verdict, Via};
use pasaporte_core::estate::{ActionClass, Estate, FunctionId, Principal, Thing};
use pasaporte_core::reach::{Act, Reach, Right};
use schemars::JsonSchema;
use serde::Serialize;

use super::{HeldOut, PlaceOut, VERSION, account_of_principal};
use crate::estate::Word;

/// All that a principal may do.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte reach, version 1")]
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
    /// What it may do in effect, by service, what reaches confidential things and most first.
    pub rights: Vec<RightOut>,
    /// What it holds without effect: denied, bounded, or on nothing that it gets at.
    pub without_effect: Vec<RightOut>,
    /// Identities that it can act as: surely before perhaps, near before far.
    pub can_become: Vec<BecomingOut>,
}

/// What one statement gives for the things of one service.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct RightOut {
    /// The service, which is the kind of things that its actions are on; `*` is all.
    pub service: String,
    /// The patterns of its actions, as written.
    pub actions: Vec<String>,
    /// Whether they have wildcards, so that new actions are added by themselves.
    pub wild_actions: bool,
    /// The patterns of the things, as written.
    pub on: Vec<String>,
    /// Whether they have wildcards, so that new things are added by themselves.
    pub wild_things: bool,
    /// Where it holds: `kind:id`, or `everywhere`.
    pub at: String,
    /// How many of the estate's things it names there.
    pub named: usize,
    /// Each action, or each class of actions that a wildcard takes, with what it comes to in effect.
    pub acts: Vec<ActOut>,
    /// The statement in one line.
    pub statement: String,
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
    /// The action; of a wildcard, one that it takes.
    pub action: String,
    /// Whether it stands for all that a wildcard takes of its class.
    pub stands_for_class: bool,
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
}

/// An identity that it can act as.
#[derive(Debug, Serialize, JsonSchema)]
pub struct BecomingOut {
    /// The identity.
    pub identity: String,
    /// Surely (yes) or depending on something.
    pub verdict: Word<Verdict>,
    /// Acting as whom the last step is taken.
    pub from: String,
    /// How many steps it takes.
    pub steps: usize,
    /// The worst that it may do itself, in words; null where that is no more than running code.
    pub may: Option<String>,
}

impl Reached {
    /// All that a principal may do; `may` says the worst that an identity may.
    pub fn new(
        access: &Access<'_>,
        principal: Principal,
        function: Option<FunctionId>,
        may: impl Fn(pasaporte_core::estate::IdentityId) -> Option<String>,
    ) -> Self {
        let estate = access.estate();
        let Reach { rights, idle, becoming, .. } = access.reach(principal, &Context::at(estate.as_of()));
        let out = |rights: Vec<Right>| rights.iter().map(|right| RightOut::new(access, right)).collect();
        let names = access.names(principal);
        let names = names.iter().filter(|name| **name != principal).map(|name| estate.principal_label(*name));
        Self {
            reach: VERSION,
            principal: estate.principal_label(principal),
            function: function.map(|id| estate.label(Thing::Function(id))),
            account: account_of_principal(access, principal),
            names: names.collect(),
            rights: out(rights),
            without_effect: out(idle),
            can_become: becoming
                .into_iter()
                .map(|it| BecomingOut {
                    identity: estate.label(Thing::Identity(it.identity)),
                    verdict: Word(it.verdict),
                    from: estate.principal_label(it.from),
                    steps: it.steps,
                    may: may(it.identity),
                })
                .collect(),
        }
    }
}

impl RightOut {
    fn new(access: &Access<'_>, right: &Right) -> Self {
        let estate = access.estate();
        let statement = estate.statement(right.statement);
        let (held, names, at) = match right.via {
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
        let actions = estate.actions_picked(statement.actions);
        let things = estate.resources_picked(statement.resources);
        let texts = |ids: &[pasaporte_core::estate::PatternId]| -> Vec<String> {
            ids.iter().map(|id| estate.pattern(*id).text().to_owned()).collect()
        };
        let wild = |ids: &[pasaporte_core::estate::PatternId]| {
            ids.iter().any(|id| estate.pattern(*id).as_literal().is_none())
        };
        let of_service = |text: &String| {
            right.service == "*".into()
                || text.split_once('/').is_none_or(|(service, _)| service == &*right.service)
        };
        Self {
            service: right.service.to_string(),
            actions: texts(actions.any()).into_iter().filter(of_service).collect(),
            wild_actions: wild(actions.any()),
            on: if names.is_some() { vec![at.clone()] } else { texts(things.any()) },
            wild_things: names.is_none() && wild(things.any()),
            at,
            named: right.named,
            acts: right.acts.iter().map(|act| ActOut::new(estate, act)).collect(),
            statement: access.wording(right.statement),
            held,
            names,
            read_from: PlaceOut::new(estate, statement.origin),
        }
    }
}

impl ActOut {
    fn new(estate: &Estate, act: &Act) -> Self {
        Self {
            action: act.action.to_string(),
            stands_for_class: act.is_wild,
            class: act.class.map(Word),
            surely: act.surely,
            perhaps: act.perhaps,
            confidential: act.confidential,
            example: act.example.map(|thing| estate.label(thing)),
        }
    }
}
