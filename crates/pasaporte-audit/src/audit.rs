//! An estate on the table: prepared for questions, with thresholds, and with what several rules ask
//! for worked out once.

use std::collections::BTreeSet;
use std::sync::{Mutex, OnceLock};

use jiff::Timestamp;
use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use pasaporte_core::access::Context;
use pasaporte_core::effect::{Effects, Harm, Road};
use pasaporte_core::entry::{Exposed, Exposure, HeldContracts};
use pasaporte_core::estate::{
    AccountOf, At, Attempt, Check, EndpointId, Environment, Estate, FunctionId, Grant, GrantId, Id,
    IdentityId, Kept, Key, KeyOf, MadeBy, Name, Principal, ResourceId, ScopeId, StatementId, Thing,
};

use crate::settings::{Settings, Thresholds};
use crate::ways::Ways;
use crate::{Catalogue, Finding, Rule};

/// Functions of an estate beyond which paths are followed for whole audits alone, and beyond which for none: that is a blind
/// spot, and `paths` follows them.
const MOST_FUNCTIONS: [usize; 2] = [5_000, 50_000];

/// The worst that a road lets any of those do who hold it, and one who may.
type Worst = (Harm, Principal);

/// An estate being audited.
#[derive(Debug)]
pub struct Audit<'e> {
    effects: Effects<'e>,
    settings: Settings,
    catalogue: Catalogue,
    exposures: Vec<OnceLock<Exposed>>,
    /// Of each identity the widest exposure of what runs as it, and the environment that it is judged by.
    surroundings: Vec<OnceLock<(Exposed, Option<Environment>)>>,
    contracts: OnceLock<HeldContracts>,
    kinds_of_resources: OnceLock<BTreeSet<Name>>,
    ways: OnceLock<Ways>,
    /// The worst that roads of grants let those do who hold them, for the rules that see one road.
    worst: Mutex<FxHashMap<(GrantId, StatementId, Principal), Worst>>,
    /// Where only some things are looked at, those.
    only: Option<FxHashSet<Thing>>,
}

impl<'e> Audit<'e> {
    /// Prepares an estate for its audit.
    pub fn new(estate: &'e Estate, settings: Settings) -> Self {
        Self {
            effects: Effects::new(estate),
            settings,
            catalogue: Catalogue::shipped(),
            surroundings: (0..estate.count::<IdentityId>()).map(|_| OnceLock::new()).collect(),
            exposures: (0..estate.count::<FunctionId>()).map(|_| OnceLock::new()).collect(),
            contracts: OnceLock::new(),
            kinds_of_resources: OnceLock::new(),
            ways: OnceLock::new(),
            worst: Mutex::default(),
            only: None,
        }
    }

    /// Looks at weaknesses of some things only, and of whatever is given to strangers, since that may lead them.
    pub fn look_at_only(&mut self, things: impl IntoIterator<Item = Thing>) {
        self.only = Some(things.into_iter().collect());
    }

    /// Whether only some things are looked at.
    pub(crate) fn is_narrow(&self) -> bool {
        self.only.is_some()
    }

    /// The things of a kind that are looked at.
    pub(crate) fn each<K: Kept>(&self) -> impl Iterator<Item = (K, &'e K::Value)> {
        let wanted = |id: &K| self.only.as_ref().is_none_or(|only| only.contains(&id.thing()));
        self.estate().all::<K>().filter(move |(id, _)| wanted(id))
    }

    /// Whether what a holder is given is looked at: it is one of the things, or strangers have it.
    pub(crate) fn looks_at_holder(&self, holder: Principal) -> bool {
        let Some(only) = &self.only else { return true };
        self.is_or_holds_a_stranger(holder) || holder.thing().is_some_and(|thing| only.contains(&thing))
    }

    /// Whether a name is no user or identity, or is a group in which there is, or may be, somebody who is none.
    fn is_or_holds_a_stranger(&self, name: Principal) -> bool {
        let is_stranger = |who: &Principal| !matches!(who, Principal::User(_) | Principal::Identity(_));
        match name {
            Principal::Group(group) => {
                self.effects.may_have_others(group)
                    || self.effects.everybody_in(group).iter().any(is_stranger)
            }
            other => is_stranger(&other),
        }
    }

    /// Whether a grant is one that the platform made itself and that no stranger gets at, by holding it or through a function.
    pub(crate) fn is_the_platforms_own(&self, grant: &Grant) -> bool {
        grant.made_by == MadeBy::Platform
            && !self.is_or_holds_a_stranger(grant.principal)
            && self.exposure_of(grant.principal).to == Exposure::Insiders
    }

    /// The estate.
    pub fn estate(&self) -> &'e Estate {
        self.effects.estate()
    }

    /// The estate prepared for questions about what is left in effect.
    pub fn effects(&self) -> &Effects<'e> {
        &self.effects
    }

    /// The rules by which it is judged.
    pub fn catalogue(&self) -> &Catalogue {
        &self.catalogue
    }

    /// The rule of a finding.
    pub fn rule(&self, finding: &Finding) -> &Rule {
        &self.catalogue[finding.rule]
    }

    /// The environment by which a key is judged: that of what it opens.
    pub fn environment_of_key(&self, key: &Key) -> Option<Environment> {
        match key.of {
            KeyOf::Function(function) => self.environment(function),
            KeyOf::Scope(scope) => self.estate().environment(None, Some(scope)),
        }
    }

    /// What counts as too old for a key.
    pub fn thresholds_of(&self, key: &Key) -> &Thresholds {
        self.settings.thresholds(self.environment_of_key(key))
    }

    /// How it is judged.
    pub fn settings(&self) -> &Settings {
        &self.settings
    }

    /// Questions about the moment the estate was true.
    pub fn now(&self) -> Context {
        Context::at(self.estate().as_of())
    }

    /// Whole days from then to `as_of`; none without an `as_of`.
    pub fn days_since(&self, then: Timestamp) -> Option<i64> {
        Some(self.estate().as_of()?.duration_since(then).as_hours() / 24)
    }

    /// What can be done by whoever controls an identity.
    pub fn harm(&self, identity: IdentityId) -> Harm {
        self.effects.harm(Principal::Identity(identity))
    }

    /// The worst that whoever controls an identity may do, in words to be read after "may"; none where it is no
    /// more than running code.
    pub fn may(&self, identity: IdentityId) -> Option<&str> {
        self.effects.may_at_worst(identity)
    }

    /// What can be done through a function.
    pub fn harm_through(&self, function: FunctionId) -> Harm {
        let identity = self.estate().get(function).and_then(|it| self.estate().runs_as(it));
        identity.map_or(Harm::RUNS_CODE, |identity| self.harm(identity))
    }

    /// Who can make a function run, at the widest.
    pub fn exposure(&self, function: FunctionId) -> Exposed {
        *self.exposures[function.index()].get_or_init(|| self.effects.exposure(function))
    }

    /// The widest exposure of the functions that run as any bearer of a name.
    pub fn exposure_of(&self, holder: Principal) -> Exposed {
        match holder {
            Principal::Identity(identity) => self.surroundings_of(identity).0,
            _ => self.find_exposure(holder),
        }
    }

    /// Whether code runs as a holder, or as somebody in it: what is given to it is for functions.
    pub(crate) fn runs_code(&self, holder: Principal) -> bool {
        match holder {
            Principal::Identity(identity) => !self.estate().functions_as(identity).is_empty(),
            Principal::Account(account) => self.functions_as_any_of(account).next().is_some(),
            Principal::Group(group) => {
                let runs =
                    |member: &Principal| !matches!(member, Principal::Group(_)) && self.runs_code(*member);
                self.effects.everybody_in(group).iter().any(runs)
            }
            _ => false,
        }
    }

    fn surroundings_of(&self, identity: IdentityId) -> (Exposed, Option<Environment>) {
        let holder = Principal::Identity(identity);
        *self.surroundings[identity.index()]
            .get_or_init(|| (self.find_exposure(holder), self.find_environment(holder)))
    }

    fn find_exposure(&self, holder: Principal) -> Exposed {
        let mut widest = Exposed::INSIDE;
        // Of functions that are as exposed, the first by name is told of, in whichever order they were read.
        let name = |it: &Exposed| it.through.map(|(function, _)| self.estate().id(function));
        for function in self.functions_of(holder) {
            let exposed = self.exposure(function);
            let is_as_wide = (exposed.to, exposed.surely) == (widest.to, widest.surely);
            let comes_first = is_as_wide && widest.through.is_some() && name(&exposed) < name(&widest);
            widest = if comes_first { exposed.wider(widest) } else { widest.wider(exposed) };
        }
        widest
    }

    /// The functions that run as a holder: as the identity, as a member of the group at any depth, as one of the account.
    pub fn functions_of(&self, holder: Principal) -> Vec<FunctionId> {
        match holder {
            Principal::Identity(identity) => self.estate().functions_as(identity).to_vec(),
            Principal::Account(account) => self.functions_as_any_of(account).collect(),
            Principal::Group(group) => {
                let mut all: Vec<FunctionId> = Vec::new();
                for member in self.effects.everybody_in(group) {
                    match member {
                        Principal::Identity(identity) => all.extend(self.estate().functions_as(identity)),
                        Principal::Account(account) => all.extend(self.functions_as_any_of(account)),
                        _ => {}
                    }
                }
                all.sort_unstable();
                all.dedup();
                all
            }
            _ => Vec::new(),
        }
    }

    /// The functions that run as any identity of an account.
    fn functions_as_any_of(&self, account: ScopeId) -> impl Iterator<Item = FunctionId> {
        let identities = self.effects.identities_at(At::Thing(Thing::Scope(account))).into_iter();
        let of_it = move |id: &IdentityId| {
            self.estate().account_of(Thing::Identity(*id)) == AccountOf::Known(account)
        };
        identities.filter(of_it).flat_map(|id| self.estate().functions_as(id)).copied()
    }

    /// The environment by which something of a holder is judged: its own or its scope's, else
    /// production if any function that runs as it is in production, else the one they share.
    pub fn environment_of(&self, holder: Principal) -> Option<Environment> {
        match holder {
            Principal::Identity(identity) => self.surroundings_of(identity).1,
            _ => self.find_environment(holder),
        }
    }

    fn find_environment(&self, holder: Principal) -> Option<Environment> {
        let estate = self.estate();
        if let Principal::Identity(id) = holder
            && let Some(identity) = estate.get(id)
            && let Some(environment) = estate.environment(identity.environment, identity.scope)
        {
            return Some(environment);
        }
        let functions = self.functions_of(holder);
        let mut environments = functions.iter().map(|&function| self.environment(function));
        let first = environments.next().flatten()?;
        environments.all(|other| other == Some(first)).then_some(first)
    }

    /// The environment of a function.
    pub fn environment(&self, function: FunctionId) -> Option<Environment> {
        let it = self.estate().get(function)?;
        self.estate().environment(it.environment, it.scope)
    }

    /// The functions that live directly in a scope, or in any scope below it.
    pub fn functions_below(&self, scope: ScopeId) -> impl ExactSizeIterator<Item = FunctionId> {
        self.effects.functions_in(scope)
    }

    /// The functions that a weakness of a thing touches: those that it is of, that run as it or behind it.
    pub fn functions_of_thing(&self, thing: Thing) -> Vec<FunctionId> {
        let estate = self.estate();
        match thing {
            Thing::Function(id) => vec![id],
            Thing::Endpoint(id) => estate.get(id).map(|it| it.function).into_iter().collect(),
            Thing::Trigger(id) => estate.get(id).map(|it| it.function).into_iter().collect(),
            Thing::Identity(id) => estate.functions_as(id).to_vec(),
            Thing::Group(id) => self.functions_of(Principal::Group(id)),
            Thing::Scope(id) => self.functions_below(id).collect(),
            Thing::Key(id) => match estate.get(id).map(|key| key.of) {
                Some(KeyOf::Function(function)) => vec![function],
                Some(KeyOf::Scope(scope)) => self.functions_below(scope).collect(),
                None => Vec::new(),
            },
            Thing::Verifier(id) => {
                let guarded = estate.all::<EndpointId>().filter(|(_, it)| it.check == Check::Token(id));
                let mut functions: Vec<FunctionId> = guarded.map(|(_, it)| it.function).collect();
                functions.sort_unstable();
                functions.dedup();
                functions
            }
            Thing::Contract(_)
            | Thing::Resource(_)
            | Thing::User(_)
            | Thing::Set(_)
            | Thing::Token(_)
            | Thing::Grant(_)
            | Thing::Ceiling(_)
            | Thing::Enrolment(_) => Vec::new(),
        }
    }

    /// Contracts held against what is deployed.
    pub fn contracts(&self) -> &HeldContracts {
        self.contracts.get_or_init(|| self.effects.held_contracts())
    }

    /// How far strangers and code for tests get; nothing where only some things of a very large estate are looked at.
    pub(crate) fn ways(&self) -> &Ways {
        let [narrow, whole] = MOST_FUNCTIONS;
        let most = if self.is_narrow() { narrow } else { whole };
        let too_many = || self.estate().count::<FunctionId>() > most;
        self.ways.get_or_init(|| if too_many() { Ways::default() } else { Ways::new(&self.effects) })
    }

    /// The same if somebody asked before.
    pub(crate) fn known_ways(&self) -> Option<&Ways> {
        self.ways.get()
    }

    /// The worst that a road lets those do who hold it, which several rules ask about.
    pub(crate) fn known_worst(&self, road: &Road, find: impl FnOnce() -> Worst) -> Worst {
        let Some(grant) = road.grant() else { return find() };
        let known = || self.worst.lock().expect("nobody panics while holding it");
        let key = (grant, road.statement, road.name());
        if let Some(found) = known().get(&key) {
            return *found;
        }
        let found = find();
        known().insert(key, found);
        found
    }

    /// Whether a thing is looked at.
    pub(crate) fn looks_at(&self, thing: Thing) -> bool {
        self.only.as_ref().is_none_or(|only| only.contains(&thing))
    }

    /// The kinds of the resources of the estate.
    pub(crate) fn kinds_of_resources(&self) -> impl Iterator<Item = &'e str> + use<'_, 'e> {
        let estate = self.estate();
        let find = || estate.all::<ResourceId>().map(|(_, resource)| resource.kind).collect();
        self.kinds_of_resources.get_or_init(find).iter().map(|name| estate.text(*name))
    }

    /// The tries of an endpoint, in the order read.
    pub fn tries_of(&self, endpoint: EndpointId) -> impl Iterator<Item = &'e Attempt> {
        let attempts = self.estate().attempts();
        self.effects.tries_of(endpoint).map(|place| &attempts[place])
    }

    /// Works out what most rules ask for, with all processors.
    pub(crate) fn work_ahead(&self) {
        if self.is_narrow() {
            return;
        }
        let identities: Vec<IdentityId> = self.estate().all().map(|(id, _)| id).collect();
        identities.into_par_iter().for_each(|id| {
            self.harm(id);
        });
        let functions: Vec<FunctionId> = self.estate().all().map(|(id, _)| id).collect();
        functions.into_par_iter().for_each(|id| {
            self.exposure(id);
        });
    }
}
