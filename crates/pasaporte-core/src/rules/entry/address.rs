//! What an address takes that it need not: from any page, from the whole internet, by any method.

use super::with_what;
use crate::access::Verdict;
use crate::entry::{Exposed, Exposure, Strength, Unspoken, faces_internet};
use crate::estate::{EndpointId, Presents, Principal, Thing, Way};
use crate::rules::finding::{Raised, Raising};
use crate::rules::words::listed;
use crate::rules::{Audit, Harm, Impact, Level, Rule, Sureness, Told};

pub(in crate::rules) const RULES: &[Rule] = &[
    Rule {
        id: "entry/open-network",
        title: "An address faces the internet although all that calls it comes from inside",
        why: "Whoever may call comes through a gateway, and the address behind it can be reached around it: what the \
              gateway checks, counts and writes down is left out, and a key that leaks works from anywhere.",
        fix: "Let the address be reached from the inside, or from the gateway's networks, only.",
        check: "Call the address from outside: it must not answer.",
        references: &["CWE-1327", "NIST SP 800-53 SC-7", "NIST SP 800-53 AC-4"],
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
        judge: any_origin,
    },
    Rule {
        id: "entry/spare-methods",
        title: "An endpoint takes HTTP methods that its contract does not have",
        why: "A method that nobody needs is one that nobody tested: the check in the code may stand in one branch \
              and not in the other.",
        fix: "List the methods that the contract has.",
        check: "Send each other method: it must answer 405.",
        references: &["CWE-749", "CWE-650", "NIST SP 800-53 CM-7", "OWASP API9:2023"],
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
        let origin = endpoint.origin;
        raising.raise(&raised, move |audit| {
            let estate = audit.estate();
            let mut gateways: Vec<String> = presented
                .iter()
                .filter_map(|(route, _)| match &estate.get(*route)?.way {
                    Way::Route { gateway, .. } => Some(estate.text(*gateway).to_owned()),
                    Way::Direct => None,
                })
                .collect();
            gateways.sort_unstable();
            gateways.dedup();
            let told = Told::new(format!(
                "The whole internet can reach the address of function:{} although only gateway {} may call it.",
                estate.id(function),
                listed(&gateways)
            ))
            .fix("Set its network to `internal`, or to the networks of the gateway.")
            .at(origin, "the endpoint");
            let route = presented.first().and_then(|(route, _)| estate.get(*route));
            told.at(route.map(|route| route.origin), "the route in front of it")
        });
    }
}

/// The routes in front of a direct endpoint's function, with what each presents.
fn presented_to(audit: &Audit<'_>, id: EndpointId) -> Vec<(EndpointId, Principal)> {
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
        let (origin, credentials) = (endpoint.origin, endpoint.allows_credentials);
        let function = endpoint.function;
        raising.raise(&raised, move |audit| {
            let name = format!("function:{}", audit.estate().id(function));
            let situation = if credentials {
                let with_what = with_what(audit, function);
                format!(
                    "Every page on the web may call {name} in the name of whoever looks at it: any origin, with \
                     credentials.{with_what}"
                )
            } else {
                format!("Every page on the web may call {name} from a browser, without credentials.")
            };
            Told::new(situation)
                .fix("List the origins of your own pages in its cross-origin policy.")
                .at(origin, "the endpoint")
        });
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
        let (unspoken, origin) = (unspoken.clone(), endpoint.origin);
        raising.raise(&raised, move |audit| {
            let estate = audit.estate();
            let words = |names: &[crate::estate::Name]| {
                listed(&names.iter().map(|name| estate.text(*name).to_owned()).collect::<Vec<_>>())
            };
            let takes = if unspoken.spare.is_empty() {
                "every HTTP method".to_owned()
            } else {
                words(&unspoken.spare)
            };
            let needed = words(&unspoken.needed);
            Told::new(format!(
                "It takes {takes}, and contract:{} has {needed} on its path.",
                estate.id(unspoken.contract)
            ))
            .fix(format!("Let it take {needed} only."))
            .at(origin, "the endpoint")
            .at(estate.origin(Thing::Contract(unspoken.contract)), "the contract")
        });
    }
}

/// Where a part of the contract could not be read, it may speak of more than is known.
pub(super) fn sure_of(audit: &Audit<'_>, unspoken: &Unspoken) -> Sureness {
    let contract = audit.estate().get(unspoken.contract);
    let whole = contract.is_none_or(|contract| contract.unread.is_empty());
    if whole { Sureness::Certain } else { Sureness::Inferred }
}
