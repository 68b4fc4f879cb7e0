//! Contracts held against what is deployed: which endpoint answers an operation, whether it asks for at least what the
//! contract says, and which endpoints no operation speaks of.
//!
//! An operation and an endpoint meet where they have a method in common and paths that meet (`paths.rs`). The path of
//! an operation counts with what its servers put before it, and without, since gateways strip prefixes.

use rustc_hash::FxHashMap;

use super::paths::{Budget, Paths};
use crate::access::Verdict;
use crate::effect::Effects;
use crate::estate::{
    Asked, Check, Contract, ContractId, ContractOf, Endpoint, EndpointId, Estate, FunctionId, Name,
    Operation, Presents, Principal, Scheme, SchemeKind, State, Way,
};

crate::estate::vocabulary! {
    /// How what is deployed stands to what an operation of a contract declares.
    Standing: "a standing" {
        /// Declared closed, and asks for at least that.
        Kept = "kept",
        /// Declared open, and open.
        Open = "open",
        /// Declared closed, and anyone gets through.
        OpenInEffect = "open-in-effect",
        /// Asks for less than what is declared, but for something.
        Weaker = "weaker",
        /// Declared open, and not everybody gets through.
        ClosedInEffect = "closed-in-effect",
        /// Nothing that is switched on answers it.
        Unserved = "unserved",
        /// What it asks could not be understood.
        Unread = "unread",
    }
}

/// An operation and what answers it.
#[derive(Debug, Clone)]
pub struct Held {
    /// The contract that has it.
    pub contract: ContractId,
    /// Its place among the operations of the contract.
    pub operation: usize,
    /// The endpoints that answer it and are switched on.
    pub answered_by: Vec<EndpointId>,
    /// Of those the one that asks least.
    pub weakest: Option<EndpointId>,
    /// How they stand to what is declared.
    pub standing: Standing,
}

/// What of an endpoint the contract that it is under does not speak of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unspoken {
    /// The endpoint.
    pub endpoint: EndpointId,
    /// The contract.
    pub contract: ContractId,
    /// The methods that operations on its path have, sorted; none where no operation is on its path.
    pub needed: Vec<Name>,
    /// The methods that it takes beyond those; none where it takes all methods.
    pub spare: Vec<Name>,
}

/// Contracts held against what is deployed.
#[derive(Debug, Clone, Default)]
pub struct HeldContracts {
    /// Contracts that no endpoint is under: of a gateway without routes, of a function without endpoints.
    pub idle: Vec<ContractId>,
    /// Contracts of which some operations meet so many endpoints that it was not found out which.
    pub unbounded: Vec<ContractId>,
    /// Every operation, in the order of contracts and documents.
    pub operations: Vec<Held>,
    /// Endpoints that take more than their contract says.
    pub unspoken: Vec<Unspoken>,
}

/// How much a check asks: nothing, a shared secret, or proof of who it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Strength {
    /// Nothing.
    Nothing,
    /// A shared secret.
    Secret,
    /// Proof of who it is.
    Proof,
}

impl Effects<'_> {
    /// Holds all contracts against what is deployed.
    pub fn held_contracts(&self) -> HeldContracts {
        let estate = self.estate();
        let mut all = HeldContracts::default();
        let claimed = gateways_of_contracts(estate);
        let mut strengths: FxHashMap<EndpointId, Strength> = FxHashMap::default();
        for (id, contract) in estate.all::<ContractId>() {
            let mut under = Under::new(estate, contract, &claimed);
            if under.endpoints.is_empty() {
                all.idle.push(id);
            }
            let mut answers: Vec<Vec<Name>> = vec![Vec::new(); under.endpoints.len()];
            let mut whole = true;
            for (place, operation) in contract.operations.iter().enumerate() {
                let met = under.meeting(estate, operation);
                whole &= met.is_some();
                for &at in met.iter().flatten() {
                    answers[at].push(operation.method);
                }
                let open =
                    met.iter().flatten().map(|at| under.endpoints[*at]).filter(|(id, endpoint)| {
                        self.is_open(*id) && takes(estate, endpoint, operation.method)
                    });
                let answered_by: Vec<EndpointId> = open.map(|(id, _)| id).collect();
                let weakest = answered_by
                    .iter()
                    .map(|id| (*strengths.entry(*id).or_insert_with(|| self.strength(*id)), *id))
                    .min_by_key(|(strength, _)| *strength);
                let standing = match met {
                    None => Standing::Unread,
                    Some(_) => standing(&operation.asks, weakest.map(|(strength, _)| strength)),
                };
                let weakest = weakest.map(|(_, id)| id);
                all.operations.push(Held { contract: id, operation: place, answered_by, weakest, standing });
            }
            if whole {
                self.unspoken(id, contract, &under, answers, &mut all.unspoken);
            } else {
                all.unbounded.push(id);
            }
        }
        all
    }

    /// What endpoints take beyond the operations that are on their paths.
    fn unspoken(
        &self,
        contract: ContractId,
        it: &Contract,
        under: &Under<'_>,
        answers: Vec<Vec<Name>>,
        unspoken: &mut Vec<Unspoken>,
    ) {
        let estate = self.estate();
        for ((id, endpoint), mut needed) in under.endpoints.iter().copied().zip(answers) {
            needed.sort_unstable_by_key(|method| estate.text(*method));
            needed.dedup();
            // A gateway may call a function by another path than it is called by itself.
            let is_foreign = matches!(it.of, ContractOf::Function(_)) && endpoint.way != Way::Direct;
            if !self.is_open(id) || (needed.is_empty() && is_foreign) {
                continue;
            }
            let methods = estate.list(endpoint.methods);
            let is_spare = |method: &Name| {
                !needed.contains(method) && !comes_along(estate.text(*method), &needed, estate)
            };
            let spare: Vec<Name> = methods.iter().copied().filter(is_spare).collect();
            if methods.is_empty() || !spare.is_empty() || needed.is_empty() {
                unspoken.push(Unspoken { endpoint: id, contract, needed, spare });
            }
        }
    }

    /// How much an endpoint asks, in effect: nothing where anyone gets through, or was seen to; all there is to ask
    /// where nobody does.
    pub fn strength(&self, id: EndpointId) -> Strength {
        if self.ways_at(id).iter().any(|way| way.caller.who == Principal::Anyone) {
            return Strength::Nothing;
        }
        if self.passage(id).is_some_and(|passage| passage.verdict == Verdict::No) {
            return Strength::Proof;
        }
        self.asks(id)
    }

    /// How much an endpoint asks by its check, and by that of the function where a gateway passes on what it is shown.
    pub fn asks(&self, id: EndpointId) -> Strength {
        let Some(endpoint) = self.estate().get(id) else { return Strength::Proof };
        let behind = match &endpoint.way {
            Way::Route { presents: Presents::Caller, .. } => self.weakest_own(endpoint.function),
            Way::Route { .. } | Way::Direct => Strength::Nothing,
        };
        endpoint.check.strength().max(behind)
    }

    /// The least that a function's own addresses ask.
    fn weakest_own(&self, function: FunctionId) -> Strength {
        let estate = self.estate();
        let direct = estate.endpoints_of(function).iter().filter_map(|id| estate.get(*id));
        let open = direct.filter(|it| it.way == Way::Direct && it.state == State::Enabled);
        open.map(|it| it.check.strength()).min().unwrap_or(Strength::Proof)
    }
}

/// How an operation stands to the least that what answers it asks.
fn standing(asks: &Asked, least: Option<Strength>) -> Standing {
    let Some(least) = least else { return Standing::Unserved };
    match (asks.is_open(), least) {
        (None, _) => Standing::Unread,
        (Some(true), Strength::Nothing) => Standing::Open,
        (Some(true), _) => Standing::ClosedInEffect,
        (Some(false), Strength::Nothing) => Standing::OpenInEffect,
        (Some(false), least) if least < asks.strength() => Standing::Weaker,
        (Some(false), _) => Standing::Kept,
    }
}

impl Check {
    /// How much it asks of a caller.
    pub fn strength(&self) -> Strength {
        match self {
            Self::None => Strength::Nothing,
            Self::Key(_) => Strength::Secret,
            Self::Identity | Self::Token(_) => Strength::Proof,
        }
    }
}

impl Asked {
    /// The least that a caller must show: nothing where that was not understood.
    pub fn strength(&self) -> Strength {
        let of = |scheme: &Scheme| match scheme.kind {
            SchemeKind::Key(..) | SchemeKind::Http(_) => Strength::Secret,
            SchemeKind::Bearer | SchemeKind::OAuth2 | SchemeKind::OpenIdConnect | SchemeKind::MutualTls => {
                Strength::Proof
            }
        };
        let Self::OneOf(all) = self else { return Strength::Nothing };
        let together = |all: &Vec<Scheme>| all.iter().map(of).max().unwrap_or(Strength::Nothing);
        all.iter().map(together).min().unwrap_or(Strength::Nothing)
    }
}

/// Methods that come with others: `HEAD` with `GET`, and `OPTIONS` with any, by which browsers ask beforehand.
fn comes_along(method: &str, needed: &[Name], estate: &Estate) -> bool {
    match method {
        "HEAD" => needed.iter().any(|name| estate.text(*name) == "GET"),
        "OPTIONS" => !needed.is_empty(),
        _ => false,
    }
}

fn takes(estate: &Estate, endpoint: &Endpoint, method: Name) -> bool {
    let methods = estate.list(endpoint.methods);
    methods.is_empty() || methods.contains(&method) || comes_along(estate.text(method), methods, estate)
}

/// The gateways that have contracts of their own: a function's contract does not speak of their routes.
fn gateways_of_contracts(estate: &Estate) -> Vec<Name> {
    let of = |contract: &Contract| match contract.of {
        ContractOf::Gateway(gateway) => Some(gateway),
        ContractOf::Function(_) => None,
    };
    estate.all::<ContractId>().filter_map(|(_, contract)| of(contract)).collect()
}

/// The endpoints that a contract speaks of.
struct Under<'e> {
    endpoints: Vec<(EndpointId, &'e Endpoint)>,
    paths: Paths<'e>,
    budget: Budget,
}

impl<'e> Under<'e> {
    fn new(estate: &'e Estate, contract: &Contract, claimed: &[Name]) -> Self {
        let mut endpoints: Vec<(EndpointId, &Endpoint)> = match contract.of {
            ContractOf::Gateway(of) => {
                estate.all::<EndpointId>().filter(|(_, it)| it.way.gateway() == Some(of)).collect()
            }
            ContractOf::Function(function) => {
                let all = estate.endpoints_of(function).iter();
                let all = all.filter_map(|id| Some((*id, estate.get(*id)?)));
                all.filter(|(_, it)| it.way.gateway().is_none_or(|gateway| !claimed.contains(&gateway)))
                    .collect()
            }
        };
        // By name, so that it does not matter which was read first.
        endpoints.sort_by_key(|(id, _)| estate.id(*id));
        let paths = Paths::new(endpoints.iter().map(|(_, it)| it.path.map(|path| estate.text(path))));
        Self { endpoints, paths, budget: Budget::of_contract() }
    }

    /// The places of endpoints on the path of an operation; none where that is too much to find out.
    fn meeting(&mut self, estate: &Estate, operation: &Operation) -> Option<Vec<usize>> {
        let prefixes: Vec<&str> =
            std::iter::once("").chain(operation.prefixes.iter().map(|name| estate.text(*name))).collect();
        self.paths.meeting(&prefixes, estate.text(operation.path), &mut self.budget)
    }
}
