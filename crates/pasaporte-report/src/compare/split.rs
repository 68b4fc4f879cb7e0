//! How an identity that functions share could be split: of each function what its triggers and its settings say that it needs, and
//! what is left that nobody accounts for.

use std::collections::BTreeSet;

use pasaporte_audit::{Audit, names_in_settings, needed_by_trigger};
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{FunctionId, IdentityId, Outcome, Principal, State, Thing};
use schemars::JsonSchema;
use serde::Serialize;

use crate::VERSION;
use crate::card::used::DoneOut;

/// What functions that run as one identity need of it.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte compare of functions that share an identity, version 1")]
pub struct SharingOut {
    /// The version of this output.
    pub sharing: u64,
    /// The identity.
    pub identity: String,
    /// Each function that runs as it.
    pub functions: Vec<Sharer>,
    /// What was seen of the identity that no function accounts for.
    pub unaccounted: Vec<DoneOut>,
    /// What it may at worst do, in words; null where that is no more than running code.
    pub may: Option<String>,
    /// Whether any log was read.
    pub watched: bool,
}

/// One function that shares.
#[derive(Debug, Serialize, JsonSchema)]
pub struct Sharer {
    /// Its label.
    pub function: String,
    /// What makes it run: kinds of triggers and sources, or ways in.
    pub runs_on: Vec<String>,
    /// What it needs of the identity, as far as can be told.
    pub needs: Vec<NeedOut>,
}

/// Something that a function needs.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, JsonSchema)]
pub struct NeedOut {
    /// On what.
    pub on: String,
    /// Which actions: what the trigger needs, or what the identity was seen to do there.
    pub actions: Vec<String>,
    /// Why: `trigger`, or `setting NAME`.
    pub because: String,
}

impl SharingOut {
    /// Of an identity.
    pub fn new(audit: &Audit<'_>, id: IdentityId) -> Self {
        let estate = audit.estate();
        let who = Principal::Identity(id);
        let mut functions: Vec<FunctionId> = estate.functions_as(id).to_vec();
        functions.sort_by_key(|function| estate.id(*function));
        let mut accounted: BTreeSet<Thing> = BTreeSet::new();
        let sharers =
            functions.iter().map(|&function| sharer(audit, who, function, &mut accounted)).collect();
        let done = crate::card::used::done_by(estate, who);
        let unaccounted = done.into_iter().filter(|it| {
            let to = it.to.as_deref().and_then(|label| estate.thing(label));
            !it.refused && to.is_none_or(|thing| !accounted.contains(&thing))
        });
        Self {
            sharing: VERSION,
            identity: estate.label(Thing::Identity(id)),
            functions: sharers,
            unaccounted: unaccounted.collect(),
            may: audit.may(id).map(str::to_owned),
            watched: !estate.logs().is_empty(),
        }
    }
}

fn sharer(audit: &Audit<'_>, who: Principal, id: FunctionId, accounted: &mut BTreeSet<Thing>) -> Sharer {
    let (estate, effects) = (audit.estate(), audit.effects());
    let mut needs: Vec<NeedOut> = Vec::new();
    let mut runs_on: Vec<String> = Vec::new();
    let used_on = |thing: Thing| -> Vec<String> {
        let uses =
            estate.uses_by(who).iter().filter(|it| it.outcome == Outcome::Allowed && it.to == Some(thing));
        let all: BTreeSet<String> = uses.map(|it| estate.text(it.did).to_owned()).collect();
        all.into_iter().collect()
    };
    for trigger in estate.triggers_of(id).iter().filter_map(|id| estate.get(*id)) {
        let Some(source) = trigger.source else {
            runs_on.push(estate.text(trigger.kind).to_owned());
            continue;
        };
        runs_on.push(estate.label(source));
        if trigger.state != State::Enabled {
            continue;
        }
        let acts = effects.acts_on(who, source, |_| true);
        let named = acts.iter().filter(|act| {
            needed_by_trigger(effects, trigger, act)
                && effects.may_do(who, &act.action, source) != Verdict::No
        });
        let mut actions: BTreeSet<String> = named.map(|act| act.action.text().to_owned()).collect();
        actions.extend(used_on(source));
        accounted.insert(source);
        let actions = actions.into_iter().collect();
        needs.push(NeedOut { on: estate.label(source), actions, because: "trigger".to_owned() });
    }
    for (setting, resource) in names_in_settings(audit, id) {
        let thing = Thing::Resource(resource);
        if !effects
            .acts_on(who, thing, |_| true)
            .iter()
            .any(|act| effects.may_do(who, &act.action, thing) != Verdict::No)
        {
            continue;
        }
        accounted.insert(thing);
        let because = format!("setting {}", estate.text(setting));
        needs.push(NeedOut { on: estate.label(thing), actions: used_on(thing), because });
    }
    if !estate.endpoints_of(id).is_empty() {
        runs_on.push("http".to_owned());
    }
    needs.sort();
    needs.dedup();
    Sharer { function: estate.label(Thing::Function(id)), runs_on, needs }
}
