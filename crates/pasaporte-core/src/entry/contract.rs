//! Contracts held against what is deployed: which endpoint answers an operation, whether it asks for at least what the
//! contract says, and which endpoints no operation speaks of.
//!
//! An operation and an endpoint meet where a request exists that is of both: a method that both have, and paths that
//! agree segment by segment, where a blank (`{id}`) is any one segment and a final `*` all that follow. The path of
//! an operation counts with what its servers put before it, and without, since gateways strip prefixes. Of several
//! endpoints that meet an operation, those of the same path answer it, else all.

use std::collections::HashMap;

use rustc_hash::FxBuildHasher;

use crate::access::Access;
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

impl Access<'_> {
    /// Holds all contracts against what is deployed.
    pub fn held_contracts(&self) -> HeldContracts {
        let estate = self.estate();
        let mut all = HeldContracts::default();
        let claimed = gateways_of_contracts(estate);
        for (id, contract) in estate.all::<ContractId>() {
            let under = Under::new(estate, contract, &claimed);
            if under.endpoints.is_empty() {
                all.idle.push(id);
            }
            let mut answers: Vec<Vec<Name>> = vec![Vec::new(); under.endpoints.len()];
            for (place, operation) in contract.operations.iter().enumerate() {
                let met = under.meeting(estate, operation);
                for &at in &met {
                    answers[at].push(operation.method);
                }
                let takes = |at: &usize| {
                    let (id, endpoint) = under.endpoints[*at];
                    self.is_open(id) && takes(estate, endpoint, operation.method)
                };
                let answered_by: Vec<EndpointId> =
                    met.iter().filter(|at| takes(at)).map(|at| under.endpoints[*at].0).collect();
                let weakest = answered_by.iter().copied().min_by_key(|id| self.strength(*id));
                let standing = self.standing(&operation.asks, weakest);
                all.operations.push(Held { contract: id, operation: place, answered_by, weakest, standing });
            }
            for ((endpoint, it), mut needed) in under.endpoints.iter().copied().zip(answers) {
                needed.sort_unstable_by_key(|method| estate.text(*method));
                needed.dedup();
                let spare: Vec<Name> = estate
                    .list(it.methods)
                    .iter()
                    .copied()
                    .filter(|method| {
                        !needed.contains(method) && !comes_along(estate.text(*method), &needed, estate)
                    })
                    .collect();
                let takes_all = estate.list(it.methods).is_empty();
                if self.is_open(endpoint) && (takes_all || !spare.is_empty() || needed.is_empty()) {
                    all.unspoken.push(Unspoken { endpoint, contract: id, needed, spare });
                }
            }
        }
        all
    }

    fn standing(&self, asks: &Asked, weakest: Option<EndpointId>) -> Standing {
        let (Some(open), Some(weakest)) = (asks.is_open(), weakest) else {
            return if weakest.is_none() { Standing::Unserved } else { Standing::Unread };
        };
        match (open, self.strength(weakest)) {
            (true, Strength::Nothing) => Standing::Open,
            (true, _) => Standing::ClosedInEffect,
            (false, Strength::Nothing) => Standing::OpenInEffect,
            (false, strength) if strength < asks.strength() => Standing::Weaker,
            (false, _) => Standing::Kept,
        }
    }

    /// How much an endpoint asks, in effect: nothing where anyone gets through.
    pub fn strength(&self, id: EndpointId) -> Strength {
        let Some(endpoint) = self.estate().get(id) else { return Strength::Proof };
        if self.callers_at(id).iter().any(|caller| caller.who == Principal::Anyone) {
            return Strength::Nothing;
        }
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
    /// Their places by their paths, blanks all alike.
    by_shape: HashMap<String, Vec<usize>, FxBuildHasher>,
}

impl<'e> Under<'e> {
    fn new(estate: &'e Estate, contract: &Contract, claimed: &[Name]) -> Self {
        let gateway = |endpoint: &Endpoint| match endpoint.way {
            Way::Route { gateway, .. } => Some(gateway),
            Way::Direct => None,
        };
        let mut endpoints: Vec<(EndpointId, &Endpoint)> = match contract.of {
            ContractOf::Gateway(of) => {
                estate.all::<EndpointId>().filter(|(_, it)| gateway(it) == Some(of)).collect()
            }
            ContractOf::Function(function) => {
                let all = estate.endpoints_of(function).iter();
                let all = all.filter_map(|id| Some((*id, estate.get(*id)?)));
                all.filter(|(_, it)| gateway(it).is_none_or(|gateway| !claimed.contains(&gateway))).collect()
            }
        };
        // By name, so that it does not matter which was read first.
        endpoints.sort_by_key(|(id, _)| estate.id(*id));
        let mut by_shape: HashMap<String, Vec<usize>, FxBuildHasher> = HashMap::default();
        for (at, (_, endpoint)) in endpoints.iter().enumerate() {
            if let Some(path) = endpoint.path {
                by_shape.entry(shape("", estate.text(path))).or_default().push(at);
            }
        }
        Self { endpoints, by_shape }
    }

    /// The places of endpoints on the path of an operation: of the same path, else all that it may meet.
    fn meeting(&self, estate: &Estate, operation: &Operation) -> Vec<usize> {
        let path = estate.text(operation.path);
        let prefixes: Vec<&str> =
            std::iter::once("").chain(operation.prefixes.iter().map(|name| estate.text(*name))).collect();
        let mut same: Vec<usize> = prefixes
            .iter()
            .filter_map(|prefix| self.by_shape.get(&shape(prefix, path)))
            .flatten()
            .copied()
            .collect();
        same.sort_unstable();
        same.dedup();
        if !same.is_empty() {
            return same;
        }
        let meets = |endpoint: &Endpoint| {
            endpoint.path.is_none_or(|own| {
                let own = estate.text(own);
                prefixes.iter().any(|prefix| meet(own, prefix, path))
            })
        };
        (0..self.endpoints.len()).filter(|at| meets(self.endpoints[*at].1)).collect()
    }
}

fn segments<'p>(prefix: &'p str, path: &'p str) -> impl Iterator<Item = &'p str> {
    prefix.split('/').chain(path.split('/')).filter(|segment| !segment.is_empty())
}

fn is_blank(segment: &str) -> bool {
    segment == "*" || (segment.starts_with('{') && segment.ends_with('}'))
}

/// A path with all blanks alike.
fn shape(prefix: &str, path: &str) -> String {
    let mut shape = String::new();
    for segment in segments(prefix, path) {
        shape.push('/');
        shape.push_str(if segment != "*" && is_blank(segment) { "{}" } else { segment });
    }
    shape
}

/// Whether a path exists that is of both: `*` at the end of an endpoint's takes all that follows.
fn meet(own: &str, prefix: &str, path: &str) -> bool {
    let mut theirs = segments(prefix, path);
    let mut ours = segments("", own).peekable();
    loop {
        match (ours.next(), theirs.next()) {
            (None, None) => return true,
            (Some("*"), _) if ours.peek().is_none() => return true,
            (Some(one), Some(other)) if one == other || is_blank(one) || is_blank(other) => {}
            _ => return false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/refund", "", "/refund", true)]
    #[case("refund/", "", "/refund", true)]
    #[case("/refund", "", "/refund/{case}", false)]
    #[case("/refund/{id}", "", "/refund/{case}", true)]
    #[case("/refund/{id}", "", "/refund/status", true)]
    #[case("/refund/status", "", "/refund/{case}", true)]
    #[case("/refund/*", "", "/refund/{case}/letters", true)]
    #[case("/refund/*", "", "/refund", true)]
    #[case("/*/status", "", "/refund/status", true)]
    #[case("/v1/refund", "/v1", "/refund", true)]
    #[case("/v1/refund", "", "/refund", false)]
    #[case("/", "", "/", true)]
    #[case("/Refund", "", "/refund", false)]
    fn paths_meet(#[case] own: &str, #[case] prefix: &str, #[case] path: &str, #[case] do_meet: bool) {
        assert_eq!(meet(own, prefix, path), do_meet);
    }
}
