//! What an address takes that it need not: from any page, from the whole internet, by any method.

use rustc_hash::FxHashSet;

use crate::facts::EntryFact;
use crate::finding::{Raised, Raising};
use crate::{Audit, Harm, Impact, Level, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposed, Exposure, Strength, Unspoken, faces_internet};
use pasaporte_core::estate::{CameFrom, EndpointId, Presents, Principal, Thing, Way};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "entry/open-network",
        title: "An address faces the internet although all that calls it comes from inside",
        why: "Whoever may call comes through a gateway, and the address behind it can be reached around it: what the \
              gateway checks, counts and writes down is left out, and a key that leaks works from anywhere.",
        fix: "Let the address be reached from the inside, or from the gateway's networks, only.",
        check: "Call the address from outside: it must not answer.",
        references: &["CWE-1327", "NIST SP 800-53 SC-7", "NIST SP 800-53 AC-4"],
        apart: &[],
        judge: open_network,
    },
    Rule {
        id: "entry/any-origin",
        title: "Pages of any origin may call the endpoint",
        why: "A browser lets every page on the web call such an endpoint; with credentials allowed, in the name of \
              whoever looks at the page.",
        fix: "List the origins of your own pages.",
        check: "Send a request with another `Origin`: the answer must not allow it.",
        references: &["CWE-942", "NIST SP 800-53 AC-4", "OWASP API8:2023"],
        apart: &[],
        judge: any_origin,
    },
    Rule {
        id: "entry/spare-methods",
        title: "An endpoint takes HTTP methods that neither its contract nor its calls need",
        why: "A method that nobody needs is one that nobody tested: the check in the code may stand in one branch \
              and not in the other.",
        fix: "List the methods that the contract has, or by which it is called.",
        check: "Send each other method: it must answer 405.",
        references: &["CWE-749", "CWE-650", "NIST SP 800-53 CM-7", "OWASP API9:2023"],
        apart: &[],
        judge: spare_methods,
    },
];

fn open_network(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let access = audit.effects();
    for (id, endpoint) in audit.each::<EndpointId>() {
        if endpoint.way != Way::Direct || !faces_internet(&endpoint.network) || !access.is_open(id) {
            continue;
        }
        let presented = presented_to(audit, id);
        if presented.is_empty() || access.strength(id) == Strength::Nothing {
            continue;
        }
        let callers = access.callers_at(id);
        let all_inside = callers.iter().all(|caller| presented.iter().any(|(_, by)| *by == caller.who));
        if callers.is_empty() || !all_inside {
            continue;
        }
        let function = endpoint.function;
        let raised = Raised::new(Thing::Endpoint(id), Level::Table(Impact::Hygiene, Exposure::KeyHolders))
            .within(audit.environment(function))
            .sure(Sureness::Inferred);
        raising.raise(&raised, EntryFact::OpenNetwork(id));
    }
    called_from_inside(audit, raising);
}

/// Addresses that face the internet, and that nobody was seen to call from there.
fn called_from_inside(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for (id, endpoint) in audit.each::<EndpointId>() {
        if audit.estate().calls_at(id).is_empty()
            || !faces_internet(&endpoint.network)
            || !audit.effects().is_open(id)
        {
            continue;
        }
        let environment = audit.environment(endpoint.function);
        let Some(window) = audit.calls_logged(id).filter(|it| audit.is_enough(it, environment)) else {
            continue;
        };
        // Whoever was turned away came as well.
        let from_inside = audit.estate().calls_at(id).iter().all(|call| call.from == CameFrom::Inside);
        if from_inside {
            let level = Level::Table(Impact::Hygiene, audit.effects().exposure_at(id).to);
            let raised = Raised::new(Thing::Endpoint(id), level).within(environment).sure(Sureness::Inferred);
            raising.raise(&raised, EntryFact::CalledFromInside(Box::new((id, window))));
        }
    }
}

/// The routes in front of a direct endpoint's function, with what each presents.
pub(crate) fn presented_to(audit: &Audit<'_>, id: EndpointId) -> Vec<(EndpointId, Principal)> {
    let estate = audit.estate();
    let Some(endpoint) = estate.get(id) else { return Vec::new() };
    let routes =
        estate.endpoints_of(endpoint.function).iter().filter(|route| audit.effects().is_open(**route));
    let presents = |route: &EndpointId| match &estate.get(*route)?.way {
        Way::Route { presents: Presents::Identity(identity), .. } => Some(Principal::Identity(*identity)),
        Way::Route { presents: Presents::Key(key), .. } => Some(Principal::Key(*key)),
        Way::Route { presents: Presents::Service(name), .. } => Some(Principal::Service(*name)),
        Way::Route { presents: Presents::Nothing | Presents::Caller, .. } | Way::Direct => None,
    };
    let passes =
        |route: &EndpointId| audit.effects().passage(*route).is_some_and(|it| it.verdict != Verdict::No);
    let mut all: Vec<(EndpointId, Principal)> =
        routes.filter(|route| passes(route)).filter_map(|route| Some((*route, presents(route)?))).collect();
    all.sort_by_key(|(route, _)| estate.id(*route));
    all
}

fn any_origin(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, endpoint) in audit.each::<EndpointId>().filter(|(id, _)| audit.effects().is_open(*id)) {
        let origins = estate.list(endpoint.allowed_origins);
        if !origins.iter().any(|origin| estate.text(*origin) == "*") {
            continue;
        }
        // Without credentials a page can do no more than anybody can by themselves.
        let harm = if endpoint.allows_credentials {
            audit.harm_through(endpoint.function)
        } else {
            Harm::sure(Impact::Hygiene)
        };
        let exposed = Exposed::surely(Exposure::Outsider);
        let raised = Raised::judged(Thing::Endpoint(id), harm, exposed, audit.environment(endpoint.function));
        raising.raise(&raised, EntryFact::AnyOrigin(id));
    }
}

fn spare_methods(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for unspoken in audit.contracts().unspoken.iter().filter(|it| !it.needed.is_empty()) {
        let Some(endpoint) = estate.get(unspoken.endpoint) else { continue };
        let exposed = audit.effects().exposure_at(unspoken.endpoint);
        let raised =
            Raised::new(Thing::Endpoint(unspoken.endpoint), Level::Table(Impact::Hygiene, exposed.to))
                .within(audit.environment(endpoint.function))
                .sure(sure_of(audit, unspoken));
        raising.raise(&raised, EntryFact::Unspoken(Box::new(unspoken.clone())));
    }
    uncalled_methods(audit, raising);
}

/// Endpoints under no contract that take methods by which nobody was seen to call them.
fn uncalled_methods(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    if estate.calls().is_empty() && estate.uses().is_empty() {
        return;
    }
    let contracts = audit.contracts();
    let answering = contracts.operations.iter().flat_map(|held| held.answered_by.iter().copied());
    let under_one: FxHashSet<EndpointId> =
        answering.chain(contracts.unspoken.iter().map(|it| it.endpoint)).collect();
    for (id, endpoint) in audit.each::<EndpointId>() {
        if estate.calls_at(id).is_empty() || !audit.effects().is_open(id) || under_one.contains(&id) {
            continue;
        }
        let environment = audit.environment(endpoint.function);
        let Some(window) = audit.calls_logged(id).filter(|it| audit.is_enough(it, environment)) else {
            continue;
        };
        let seen = estate.callers_seen(id).methods;
        let methods = estate.list(endpoint.methods);
        let takes_more = methods.is_empty() || methods.iter().any(|method| !seen.contains_key(method));
        if seen.is_empty() || !takes_more {
            continue;
        }
        let level = Level::Table(Impact::Hygiene, audit.effects().exposure_at(id).to);
        let raised = Raised::new(Thing::Endpoint(id), level).within(environment).sure(Sureness::Inferred);
        raising.raise(&raised, EntryFact::UncalledMethods(Box::new((id, window))));
    }
}

/// Where a part of the contract could not be read, it may speak of more than is known.
pub(crate) fn sure_of(audit: &Audit<'_>, unspoken: &Unspoken) -> Sureness {
    let contract = audit.estate().get(unspoken.contract);
    let whole = contract.is_none_or(|contract| contract.unread.is_empty());
    if whole { Sureness::Certain } else { Sureness::Inferred }
}
