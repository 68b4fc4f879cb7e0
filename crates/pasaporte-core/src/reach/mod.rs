//! What a principal may do, opened up: by service, in effect, each thing counted once; and what it can become.
//!
//! A [`Service`] is what it may do to things of one kind: which actions, on how many of the estate's things, surely or
//! perhaps, and by which statements. As everywhere, an action's service is the kind of thing that it acts on, and every
//! number comes from the decision. Where nothing stands against somebody, what a statement without conditions takes is
//! counted as it is kept, without asking about each thing (`counting.rs`).
//!
//! What everybody may stands apart, and is worked out once for all who are alike.

mod across;
mod common;
mod counted;
mod counting;
mod kept;
mod settling;

use std::sync::Arc;

use rustc_hash::FxHashSet;

use crate::access::{Becoming, Verdict};
use crate::effect::{Act as Sort, Effects, Handing, Overtaking, Road};
use crate::estate::{ActionClass, KeyReach, Principal, Thing};

use across::Across;
use counting::{Counting, Tally};

/// All that a principal may do.
#[derive(Debug)]
pub struct Reach {
    /// Who.
    pub principal: Principal,
    /// What it may do in effect by names of its own, by service.
    pub own: Arc<[Service]>,
    /// What it may do as everybody may.
    pub common: Arc<[Service]>,
    /// What it holds without effect on anything that there is or that may be made.
    pub idle: Vec<Road>,
    /// Whom it can act as.
    pub becoming: Vec<Becoming>,
    /// The identities that it can hand to code of its own, of those as which it cannot act.
    pub handing: Vec<Handing>,
    /// Whom else it becomes by changing code or access.
    pub overtaking: Vec<Overtaking>,
    /// What it manages, where it is an admin key.
    pub manages: Option<Thing>,
}

/// What somebody may do to things of one kind.
#[derive(Debug, Clone)]
pub struct Service {
    /// The kind.
    pub name: Arc<str>,
    /// The actions, worst first, each with what it comes to.
    pub acts: Vec<Act>,
    /// The statements that give it.
    pub roads: Vec<Road>,
    /// Whether a way in that asks nothing, or takes what somebody holds, gives some of it.
    pub by_ways_in: bool,
}

/// An action, or all actions of a class that wildcards take.
#[derive(Debug, Clone)]
pub struct Act {
    /// The action; of a wildcard, one that it takes.
    pub action: Box<str>,
    /// Its class; none where no line of the catalogue knows it.
    pub class: Option<ActionClass>,
    /// Whether it stands for all of its class that nobody named.
    pub is_wild: bool,
    /// On how many things it is surely allowed.
    pub surely: usize,
    /// On how many it perhaps is.
    pub perhaps: usize,
    /// How many of both are confidential.
    pub confidential: usize,
    /// One of both, a confidential one where there is one, else the first by name.
    pub example: Option<Thing>,
    /// Whether it is allowed on things that are made tomorrow: surely, perhaps or not.
    pub on_new: Verdict,
}

impl Act {
    /// How bad its class is to have, the worst first, and what follows by name.
    fn order(&self) -> (u8, bool, &str) {
        let rank = self.class.map_or(7, ActionClass::rank);
        (rank, self.is_wild, &self.action)
    }
}

impl Service {
    /// How much it comes to, to put first what matters.
    pub fn weight(&self) -> (usize, usize) {
        let most = |of: fn(&Act) -> usize| self.acts.iter().map(of).max().unwrap_or_default();
        (most(|act| act.confidential), most(|act| act.surely + act.perhaps))
    }

    /// Whether any of it is sure.
    pub fn is_sure(&self) -> bool {
        self.acts.iter().any(|act| act.surely > 0 || act.on_new == Verdict::Yes)
    }
}

/// Answers what principals may do, and keeps what is the same for many. Threads may share it.
#[derive(Debug)]
pub struct Reaches<'a, 'e> {
    effects: &'a Effects<'e>,
    kept: kept::Kept,
    common: common::Common,
}

impl<'a, 'e> Reaches<'a, 'e> {
    /// Prepares questions about what is left in effect.
    pub fn new(effects: &'a Effects<'e>) -> Self {
        Self { effects, kept: kept::Kept::default(), common: common::Common::default() }
    }

    /// All that a principal may do in effect, and what it can become.
    pub fn of(&self, principal: Principal) -> Reach {
        let effects = self.effects;
        let is_crowd = effects.is_of_everybody(principal);
        let all_names = effects.names(principal);
        let is_everybodys = |name: &Principal| !is_crowd && effects.is_of_everybody(*name);
        let (everybodys, own): (Vec<Principal>, Vec<Principal>) =
            all_names.iter().partition(|it| is_everybodys(it));
        let own = effects.roads_by(principal, &own);
        let mut named = effects.actions_named(&own);
        if is_crowd || matches!(principal, Principal::Key(_)) {
            common::name_invoking(effects, &mut named);
        }
        let given = self.given_to(principal, &everybodys);
        let across = Across::new(effects, principal, &own, &given.within);
        let mut counting = Counting::new(self, principal, &named, &given.services, Some(across));
        counting.take(&own);
        if is_crowd {
            counting.open_functions();
        }
        let manages = self.opened_by(principal, &mut counting);
        let Tally { services, idle } = counting.finish();
        let common = if is_crowd { Arc::default() } else { self.common(principal, &given, &own) };
        let becoming = effects.becoming(principal, effects.given(principal));
        let mut known: FxHashSet<Principal> = becoming.iter().map(|it| it.to).collect();
        let handing = effects.handing(principal, |id| !known.contains(&Principal::Identity(id)));
        known.extend(handing.iter().map(|it| Principal::Identity(it.identity)));
        let overtaking = effects.overtaking(principal, |to| !known.contains(&to));
        Reach { principal, own: services.into(), common, idle, becoming, handing, overtaking, manages }
    }

    /// What a key opens: the functions that accept it, and with an admin key all that lies there.
    fn opened_by(&self, principal: Principal, counting: &mut Counting<'_, '_>) -> Option<Thing> {
        let effects = self.effects;
        let Principal::Key(key) = principal else { return None };
        let it = effects.estate().get(key)?;
        for (function, _) in effects.opened_by(key) {
            // An endpoint that only some networks reach is perhaps reached, and what anyone enters its holder does.
            counting.invoked(function, effects.enters(principal, function, effects.now()));
        }
        (it.reach == KeyReach::Admin && effects.accepted(key) != Verdict::No).then(|| it.opens())
    }
}

/// Whether an action is told by its class: no statement names it.
fn stands_for_class(sort: &Sort) -> bool {
    sort.is_wild || sort.is_common
}

/// An act that nothing was counted for yet.
fn act_of(sort: &Sort) -> Act {
    Act {
        action: sort.action.text().into(),
        class: sort.class,
        is_wild: stands_for_class(sort),
        surely: 0,
        perhaps: 0,
        confidential: 0,
        example: None,
        on_new: Verdict::No,
    }
}
