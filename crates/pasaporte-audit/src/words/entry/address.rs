//! What is told of what an address takes that it need not.

use pasaporte_core::entry::Unspoken;
use pasaporte_core::estate::{EndpointId, Name, Setting, Thing, Way};
use pasaporte_core::usage::Window;

use crate::Audit;
use crate::rules::entry::address::presented_to;
use crate::words::Told;
use crate::words::phrases::{listed, with_what};
use crate::words::seen::{calls, over};

/// An address that only gateways call, and that the whole internet can reach.
pub(super) fn open_network(audit: &Audit<'_>, id: EndpointId) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let presented = presented_to(audit, id);
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
        estate.id(endpoint.function),
        listed(&gateways)
    ))
    .fix("Set its network to `internal`, or to the networks of the gateway.")
    .by_setting(endpoint.origin, "network", Setting::word("internal"))
    .at(endpoint.origin, "the endpoint");
    let route = presented.first().and_then(|(route, _)| estate.get(*route));
    Some(told.at(route.map(|route| route.origin), "the route in front of it"))
}

/// An address that faces the internet, called from inside.
pub(super) fn called_from_inside(audit: &Audit<'_>, id: EndpointId, window: &Window) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let seen: u64 = estate.calls_at(id).iter().map(|call| call.tally.count).sum();
    let told = Told::new(format!(
        "The whole internet can reach the address of function:{}, and every one of the {} that it got {} came from inside.",
        estate.id(endpoint.function),
        calls(seen),
        over(window),
    ))
    .fix("Set its network to `internal`, or to the networks that call it: that turns away nobody seen.")
    .by_setting(endpoint.origin, "network", Setting::word("internal"));
    Some(told.at(endpoint.origin, "the endpoint"))
}

/// An endpoint that takes methods by which nobody was seen to call it.
pub(super) fn uncalled_methods(audit: &Audit<'_>, id: EndpointId, window: &Window) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let seen = estate.callers_seen(id);
    let mut used: Vec<String> = seen.methods.keys().map(|name| estate.text(*name).to_owned()).collect();
    used.sort_unstable();
    let methods = estate.list(endpoint.methods);
    let spare = methods.iter().filter(|method| !seen.methods.contains_key(method));
    let mut spare: Vec<String> = spare.map(|name| estate.text(*name).to_owned()).collect();
    spare.sort_unstable();
    let takes = if methods.is_empty() {
        format!("It takes every HTTP method, and all {} {} came", calls(seen.all.count), over(window))
    } else {
        format!(
            "It takes {} as well, and all {} {} came",
            listed(&spare),
            calls(seen.all.count),
            over(window)
        )
    };
    let told = Told::new(format!("{takes} by {}.", listed(&used)))
        .fix(format!("Let it take {} only, once you know that nothing rare needs more.", listed(&used)))
        .by_setting(endpoint.origin, "methods", Setting::one_or_more(used));
    Some(told.at(endpoint.origin, "the endpoint"))
}

/// An endpoint that every page may call.
pub(super) fn any_origin(audit: &Audit<'_>, id: EndpointId) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let name = format!("function:{}", estate.id(endpoint.function));
    let situation = if endpoint.allows_credentials {
        let with_what = with_what(audit, endpoint.function);
        format!(
            "Every page on the web may call {name} in the name of whoever looks at it: any origin, with \
             credentials.{with_what}"
        )
    } else {
        format!("Every page on the web may call {name} from a browser, without credentials.")
    };
    let told = Told::new(situation).fix("List the origins of your own pages in its cross-origin policy.");
    Some(told.at(endpoint.origin, "the endpoint"))
}

/// What an endpoint takes of which its contract does not speak.
pub(super) fn unspoken(audit: &Audit<'_>, unspoken: &Unspoken) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(unspoken.endpoint)?;
    let contract = estate.id(unspoken.contract);
    let words =
        |names: &[Name]| listed(&names.iter().map(|name| estate.text(*name).to_owned()).collect::<Vec<_>>());
    let told = if unspoken.needed.is_empty() {
        let path = endpoint.path.map_or("its path", |path| estate.text(path));
        Told::new(format!(
            "contract:{contract} has no operation on {path}, and function:{} answers there.",
            estate.id(endpoint.function)
        ))
        .fix("Describe it in the contract, with what it asks of callers; or take the endpoint away.")
    } else {
        let takes =
            if unspoken.spare.is_empty() { "every HTTP method".to_owned() } else { words(&unspoken.spare) };
        let needed = words(&unspoken.needed);
        let methods = unspoken.needed.iter().map(|name| estate.text(*name).to_owned()).collect();
        let methods = Setting::one_or_more(methods);
        Told::new(format!("It takes {takes}, and contract:{contract} has {needed} on its path."))
            .fix(format!("Let it take {needed} only."))
            .by_setting(endpoint.origin, "methods", methods)
    };
    let contract = estate.origin(Thing::Contract(unspoken.contract));
    Some(told.at(endpoint.origin, "the endpoint").at(contract, "the contract"))
}
