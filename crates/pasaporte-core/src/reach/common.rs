//! What somebody may do as everybody may. It is the same for nearly all, so it is counted once for all who are alike:
//! those of one account, where that matters, against whom the same stands, where that bears on it.

use std::sync::{Arc, Mutex, OnceLock};

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::across::Within;
use super::counting::Counting;
use super::{Reaches, Service};
use crate::access::{INVOKE, Needs, Verdict};
use crate::effect::{Effects, FUNCTION, Named, Opposes, Road, ServiceId};
use crate::entry::{Because, Caller};
use crate::estate::{
    AccountOf, ActionsId, At, Attribute, CeilingId, Condition, EndpointId, FunctionId, Principal, StatementId,
};

/// What was counted so far.
#[derive(Debug, Default)]
pub(super) struct Common {
    open: OnceLock<OpenFunctions>,
    given: Mutex<FxHashMap<Box<[Principal]>, Arc<ToAll>>>,
}

/// The functions that let in anyone by an endpoint of theirs.
#[derive(Debug, Default)]
pub(super) struct OpenFunctions {
    verdicts: FxHashMap<FunctionId, Verdict>,
    /// How many surely do.
    pub(super) surely: usize,
    /// How many perhaps do.
    pub(super) perhaps: usize,
    /// The first by name.
    pub(super) first: Option<FunctionId>,
}

impl OpenFunctions {
    fn of(effects: &Effects<'_>) -> Self {
        let estate = effects.estate();
        let all: Vec<FunctionId> = estate.all().map(|(id, _)| id).collect();
        let given = effects.now();
        // Nobody says where anyone calls from: an endpoint that only some networks reach is perhaps reached. Where the
        // decision lets in, it is asked of each.
        let is_open = |caller: &Caller<'_>| {
            caller.who == Principal::Anyone && !matches!(caller.because, Because::Decision(_))
        };
        let at = |endpoint: &EndpointId| {
            let ways = effects.ways_at(*endpoint).into_iter();
            let anyone = ways.filter(|way| is_open(&way.caller));
            anyone.map(|way| way.caller.verdict.min(effects.reached(*endpoint, given))).max()
        };
        let open = |id: &FunctionId| {
            let best =
                estate.endpoints_of(*id).iter().filter(|_| effects.may_run(*id)).filter_map(at).max()?;
            (best != Verdict::No).then_some((*id, best))
        };
        let verdicts: FxHashMap<FunctionId, Verdict> = all.par_iter().filter_map(open).collect();
        let surely = verdicts.values().filter(|verdict| **verdict == Verdict::Yes).count();
        Self {
            surely,
            perhaps: verdicts.len() - surely,
            first: verdicts.keys().copied().min_by_key(|id| estate.id(*id)),
            verdicts,
        }
    }

    /// Whether a function lets in anyone.
    pub(super) fn lets_in(&self, function: FunctionId) -> Verdict {
        self.verdicts.get(&function).copied().unwrap_or(Verdict::No)
    }

    /// All of them, in no order.
    pub(super) fn all(&self) -> impl Iterator<Item = (FunctionId, Verdict)> {
        self.verdicts.iter().map(|(id, verdict)| (*id, *verdict))
    }
}

/// What is given to some names that everybody bears.
#[derive(Debug)]
pub(super) struct ToAll {
    /// What counts by itself for whoever bears them.
    roads: Vec<Road>,
    /// What counts by itself within an account, and for those of others only where their own side says so too.
    pub(super) within: Within,
    named: Named,
    /// The choices of actions of all these roads, each with the services that they are of.
    choices: Box<[(ActionsId, ServiceId)]>,
    pub(super) services: FxHashSet<ServiceId>,
    /// Whether a condition asks for tags of who calls, or for anything.
    is_personal: bool,
    is_conditional: bool,
    /// The services of what depends on something.
    dependent: FxHashSet<ServiceId>,
    counted: Mutex<FxHashMap<Alike, Arc<[Service]>>>,
}

/// Those for whom everybody's rights come to the same.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
struct Alike {
    /// Where they are, if that matters.
    home: Home,
    denies: Box<[StatementId]>,
    ceilings: Box<[CeilingId]>,
}

/// The account of those who are alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
enum Home {
    /// Whichever.
    Any,
    /// They are of none.
    Nowhere,
    /// This one.
    At(AccountOf),
}

/// What ways in give is invoking by its name, so that what wildcards give of it is not told apart from that.
pub(super) fn name_invoking(effects: &Effects<'_>, named: &mut Named) {
    let all = named.entry(FUNCTION).or_default();
    if !all.iter().any(|action| action.text() == INVOKE) {
        all.push(effects.action(INVOKE));
    }
}

fn asks_for_tags(conditions: &[Condition]) -> bool {
    conditions.iter().any(|it| matches!(it, Condition::Test(Attribute::CallerTag(_), _)))
}

impl ToAll {
    fn new(effects: &Effects<'_>, all: Vec<Road>, opens: bool) -> Self {
        let estate = effects.estate();
        let mut choices = FxHashSet::default();
        for road in &all {
            let actions = estate.statement(road.statement).actions;
            choices.extend(effects.services_of(road).into_iter().map(|service| (actions, service)));
        }
        let mut named = effects.actions_named(&all);
        if opens {
            name_invoking(effects, &mut named);
        }
        let personal = |road: &Road| {
            let grant = road.grant().map_or(&[][..], |id| &estate.grant(id).conditions);
            asks_for_tags(&estate.statement(road.statement).conditions) || asks_for_tags(grant)
        };
        let is_personal = all.iter().any(personal);
        let dependent = all.iter().filter(|road| !effects.is_plain(road));
        let dependent: FxHashSet<ServiceId> = dependent.flat_map(|road| effects.services_of(road)).collect();
        let is_conditional = !all.iter().all(|road| effects.is_plain(road));
        let (mut roads, mut within) = (Vec::new(), Within::default());
        for road in all {
            match road.at {
                At::Thing(thing) if road.grant().is_none() && !effects.is_of_anyone(road.name()) => {
                    match effects.account_of(thing) {
                        account if effects.is_one_sided(account) => roads.push(road),
                        account => within.entry(account).or_default().push(road),
                    }
                }
                _ => roads.push(road),
            }
        }
        Self {
            roads,
            within,
            named,
            services: choices.iter().map(|(_, service)| *service).collect(),
            choices: choices.into_iter().collect(),
            is_personal,
            is_conditional,
            dependent,
            counted: Mutex::default(),
        }
    }
}

impl Reaches<'_, '_> {
    pub(super) fn open_functions(&self) -> &OpenFunctions {
        self.common.open.get_or_init(|| OpenFunctions::of(self.effects))
    }

    /// What somebody may do by names that everybody bears.
    pub(super) fn common(&self, who: Principal, given: &ToAll, own: &[Road]) -> Arc<[Service]> {
        // What depends as everybody has it may be sure by what one has oneself.
        let mut also: FxHashSet<ServiceId> = FxHashSet::default();
        if !given.dependent.is_empty() {
            also.extend(own.iter().flat_map(|road| self.effects.services_of(road)));
            also.retain(|service| given.dependent.contains(service));
        }
        let count = || -> Arc<[Service]> {
            let mut counting = Counting::new(self, who, &given.named, &also, None);
            counting.take(&given.roads);
            // Across accounts its own side counts as well, and that is its own (`across.rs`).
            let home = self.effects.home(who);
            for (account, roads) in &given.within {
                if self.effects.needs_between(who, home, *account) != Needs::BothSides {
                    counting.take(roads);
                }
            }
            counting.open_functions();
            counting.finish().services.into()
        };
        let alike = if also.is_empty() { self.alike(who, given) } else { None };
        let Some(alike) = alike else { return count() };
        let known = || given.counted.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&alike) {
            return Arc::clone(found);
        }
        let found = count();
        known().insert(alike, Arc::clone(&found));
        found
    }

    pub(super) fn given_to(&self, who: Principal, names: &[Principal]) -> Arc<ToAll> {
        let known = || self.common.given.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(names) {
            return Arc::clone(found);
        }
        let found = Arc::new(ToAll::new(
            self.effects,
            self.effects.roads_by(who, names),
            self.open_functions().first.is_some(),
        ));
        known().insert(names.into(), Arc::clone(&found));
        found
    }

    /// Who is like somebody in all that roads of everybody ask about; none where they ask who exactly it is.
    fn alike(&self, who: Principal, given: &ToAll) -> Option<Alike> {
        let effects = self.effects;
        let home = effects.home(who);
        // Outsiders and those whose account is not known have rules of their own.
        let is_outside = match who {
            Principal::Outside(_) => true,
            Principal::Account(id) => effects.estate().get(id).is_none(),
            _ => matches!(home, Some(AccountOf::Unknown)),
        };
        if is_outside || given.is_personal || given.within.contains_key(&AccountOf::Unknown) {
            return None;
        }
        // What stands on a thing against one of them is not said of the others.
        let names = effects.names(who);
        let mut own_names = names.iter().filter(|name| !effects.is_of_everybody(**name));
        if own_names.any(|name| effects.admissions_naming(*name).any(|id| !effects.allows(id))) {
            return None;
        }
        let (denies, ceilings) = self.bearing_on(who, given);
        let estate = effects.estate();
        let in_ceilings = ceilings.iter().flat_map(|id| estate.ceiling(*id).statements.ids());
        let mut against = denies.iter().copied().chain(in_ceilings);
        if against.any(|id| asks_for_tags(&estate.statement(id).conditions)) {
            return None;
        }
        // Where nothing asks for the account of who calls, it does not matter which it is.
        let asks = effects.denied().on_condition
            || given.is_conditional
            || !ceilings.is_empty()
            || denies.iter().any(|id| !estate.statement(*id).conditions.is_empty())
            || home.is_none_or(|home| home == AccountOf::Unnamed || given.within.contains_key(&home));
        let home = match home {
            _ if !asks => Home::Any,
            None => Home::Nowhere,
            Some(home) => Home::At(home),
        };
        Some(Alike { home, denies, ceilings })
    }

    /// What stands against somebody, where it bears on what is given to everybody at all.
    fn bearing_on(&self, who: Principal, given: &ToAll) -> (Box<[StatementId]>, Box<[CeilingId]>) {
        let effects = self.effects;
        let Some(opposition) = effects.opposition(who) else { return Default::default() };
        let others = effects.others_on(Some(&opposition), None);
        let is_free = |&(actions, service): &(ActionsId, ServiceId)| {
            effects.dialects().all(|dialect| {
                let acts = effects.acts(actions, service, others, dialect);
                let never = |action| effects.opposes(Some(&opposition), action) == Opposes::Never;
                acts.complete && acts.all.iter().all(|act| never(&act.action))
            })
        };
        // Endpoints that let in anyone do not ask who calls.
        if given.choices.iter().all(is_free) { Default::default() } else { effects.opposing(who) }
    }
}
