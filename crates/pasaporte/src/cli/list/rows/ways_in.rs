//! Functions, and what makes them run.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposure, Standing, faces_internet};
use pasaporte_core::estate::{
    Check, ContractOf, EndpointId, FunctionId, Network, State, Thing, TriggerId, Way,
};

use super::{named, place, read_from};
use crate::view::{Cell, Table};

pub(in crate::cli::list) fn functions(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("function", "function"),
        ("platform", "platform"),
        ("account", "account"),
        ("environment", "environment"),
        ("runs_as", "runs as"),
        ("runs_on", "runs on"),
        ("exposed_to", "exposed to"),
    ]);
    for (id, function) in estate.all::<FunctionId>() {
        let [platform, account] = place(audit, Thing::Function(id));
        let identity = estate.runs_as(function);
        let triggers = estate.triggers_of(id).iter().filter_map(|&id| estate.get(id));
        let mut runs_on: Vec<&str> = triggers.map(|trigger| estate.text(trigger.kind)).collect();
        if !estate.endpoints_of(id).is_empty() {
            runs_on.push("http");
        }
        runs_on.sort_unstable();
        runs_on.dedup();
        let exposed = audit.exposure(id);
        let exposed_to = match function.state {
            State::Disabled => "nobody: disabled".to_owned(),
            State::Enabled if exposed.surely => exposed.to.to_string(),
            State::Enabled => format!("{} (perhaps)", exposed.to),
        };
        table.row(vec![
            Cell::text(estate.id(id)),
            platform,
            account,
            audit.environment(id).map_or(Cell::Nothing, |it| Cell::text(&it.to_string())),
            identity.map_or(Cell::Nothing, |identity| Cell::text(estate.id(identity))),
            Cell::Many(runs_on.into_iter().map(str::to_owned).collect()),
            Cell::Text(exposed_to),
        ]);
    }
    table
}

pub(in crate::cli::list) fn endpoints(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("endpoint", "endpoint"),
        ("account", "account"),
        ("gateway", ""),
        ("check", "check"),
        ("network", "network"),
        ("effective", "lets in"),
    ]);
    for (id, endpoint) in estate.all::<EndpointId>() {
        let [_, account] = place(audit, Thing::Endpoint(id));
        let check = match endpoint.check {
            Check::None => "none".to_owned(),
            Check::Identity => "identity".to_owned(),
            Check::Key(reach) => format!("key: {reach}"),
            Check::Token(verifier) => format!("token: {}", estate.id(verifier)),
        };
        let network = match &endpoint.network {
            Network::Internet => Cell::text("internet"),
            Network::Internal => Cell::text("internal"),
            Network::Listed(networks) => Cell::Many(networks.iter().map(ToString::to_string).collect()),
        };
        let gateway = match &endpoint.way {
            Way::Direct => Cell::Nothing,
            Way::Route { gateway, .. } => Cell::text(estate.text(*gateway)),
        };
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            gateway,
            Cell::Text(check),
            network,
            lets_in(audit, id),
        ]);
    }
    table
}

fn lets_in(audit: &Audit<'_>, id: EndpointId) -> Cell {
    let (estate, effects) = (audit.estate(), audit.effects());
    let ways = effects.ways_at(id);
    if ways.is_empty()
        && effects.is_open(id)
        && effects.passage(id).is_some_and(|it| it.verdict == Verdict::No)
    {
        return Cell::Quiet(vec!["nobody: dead route".to_owned()]);
    }
    if ways.is_empty() {
        return Cell::Quiet(vec!["nobody".to_owned()]);
    }
    // Who gets in in several ways is told once, by the surest; the widest circle first.
    let mut told: BTreeMap<(Exposure, String), Verdict> = BTreeMap::new();
    for way in ways {
        let circle = way.circles.iter().map(|(circle, _)| *circle).min().unwrap_or(Exposure::Insiders);
        let label = estate.principal_label(way.caller.who);
        let verdict = told.entry((circle, label)).or_insert(way.caller.verdict);
        *verdict = way.caller.verdict.max(*verdict);
    }
    let is_open = told.keys().any(|(circle, _)| *circle == Exposure::Anyone);
    let label = |((_, label), verdict): ((Exposure, String), Verdict)| {
        if verdict == Verdict::Depends { format!("{label} (perhaps)") } else { label }
    };
    let told = told.into_iter().map(label).collect();
    if is_open { Cell::Many(told) } else { Cell::Quiet(told) }
}

pub(in crate::cli::list) fn triggers(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("trigger", "trigger"),
        ("account", "account"),
        ("function", ""),
        ("kind", ""),
        ("source", ""),
        ("source_is_known", ""),
        ("filter", "filter"),
        ("state", "state"),
    ]);
    for (id, trigger) in estate.all::<TriggerId>() {
        let [_, account] = place(audit, Thing::Trigger(id));
        let known = trigger.source.is_none_or(|source| estate.is_declared(source));
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            Cell::text(estate.id(trigger.function)),
            Cell::text(estate.text(trigger.kind)),
            trigger.source.map_or(Cell::Nothing, |source| Cell::Text(estate.label(source))),
            Cell::text(if known { "yes" } else { "no" }),
            named(audit, trigger.filter),
            Cell::Text(trigger.state.to_string()),
        ]);
    }
    table
}

/// Every operation of every contract, with what it declares and how what is deployed stands to that.
pub(in crate::cli::list) fn operations(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("operation", "operation"),
        ("contract", "contract"),
        ("of", ""),
        ("declares", "declares"),
        ("declared", ""),
        ("answered_by", ""),
        ("standing", "in effect"),
        ("read_from", ""),
    ]);
    for held in &audit.contracts().operations {
        let Some(contract) = estate.get(held.contract) else { continue };
        let operation = &contract.operations[held.operation];
        let of = match contract.of {
            ContractOf::Gateway(gateway) => format!("gateway {}", estate.text(gateway)),
            ContractOf::Function(function) => estate.label(Thing::Function(function)),
        };
        let declared = match operation.asks.is_open() {
            Some(true) => Cell::text("open"),
            Some(false) => Cell::text("closed"),
            None => Cell::Nothing,
        };
        let answered_by = held.answered_by.iter().map(|id| estate.id(*id).to_owned()).collect();
        table.row(vec![
            Cell::Text(format!("{} {}", estate.text(operation.method), estate.text(operation.path))),
            Cell::text(estate.id(held.contract)),
            Cell::Text(of),
            Cell::Text(estate.asked(&operation.asks)),
            declared,
            Cell::Many(answered_by),
            match held.weakest.and_then(|id| estate.get(id)) {
                Some(it) if held.standing == Standing::OpenInEffect && !faces_internet(&it.network) => {
                    Cell::Loud("open within its network".to_owned())
                }
                _ => standing(held.standing),
            },
            read_from(audit, operation.origin),
        ]);
    }
    for unspoken in audit.contracts().unspoken.iter().filter(|it| it.needed.is_empty()) {
        let Some(endpoint) = estate.get(unspoken.endpoint) else { continue };
        let methods: Vec<&str> = estate.list(endpoint.methods).iter().map(|it| estate.text(*it)).collect();
        let methods = if methods.is_empty() { "any".to_owned() } else { methods.join(",") };
        let path = endpoint.path.map_or("", |path| estate.text(path));
        table.row(vec![
            Cell::Text(format!("{methods} {path}")),
            Cell::text(estate.id(unspoken.contract)),
            Cell::Nothing,
            Cell::text("undeclared"),
            Cell::text("undeclared"),
            Cell::Many(vec![estate.id(unspoken.endpoint).to_owned()]),
            match audit.effects().opens_to_nothing(unspoken.endpoint) {
                Verdict::No => Cell::text("closed"),
                Verdict::Yes | Verdict::Depends => Cell::Loud("OPEN".to_owned()),
            },
            read_from(audit, endpoint.origin),
        ]);
    }
    table
}

fn standing(standing: Standing) -> Cell {
    match standing {
        Standing::Kept => Cell::text("closed"),
        Standing::Open => Cell::text("open"),
        Standing::OpenInEffect => Cell::Loud("OPEN".to_owned()),
        Standing::Weaker => Cell::Loud("asks for less".to_owned()),
        Standing::ClosedInEffect => Cell::text("closed, declared open"),
        Standing::Unserved => Cell::text("nothing answers"),
        Standing::Unread => Cell::text("not judged"),
    }
}
