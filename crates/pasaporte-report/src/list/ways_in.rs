//! Functions, and what makes them run.

use std::collections::BTreeMap;

use pasaporte_audit::{Audit, Impact};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposure, Standing, Through, WayIn, faces_internet};
use pasaporte_core::estate::{
    Check, ContractOf, EndpointId, FunctionId, Network, Principal, ScopeId, ScopeKind, State, Thing,
    TriggerId, Way,
};

use super::shared::{CIRCLES, ENVIRONMENTS, STATES, YES, column, impact, named, place, read_from, words_of};
use super::{Cell, Column, Holds, List, Said, Tone};

pub(super) const FUNCTIONS: &[Column] = &[
    column("function", 0, Holds::Names),
    column("name", 13, Holds::Names),
    column("app", 5, Holds::Names),
    column("account", 9, Holds::Names),
    column("platform", 10, Holds::Names),
    column("environment", 8, ENVIRONMENTS),
    column("owner", 6, Holds::Names),
    column("state", 11, STATES),
    column("runs_on", 12, Holds::Names),
    column("runs_as", 3, Holds::Names),
    column("ways_in", 4, Holds::Words(&["endpoint", "route", "invoke", "event"])),
    column("exposed_to", 1, CIRCLES),
    column("impact", 2, words_of!(Impact)),
    column("worst", 7, Holds::Prose),
];

pub(super) fn functions(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
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
            State::Disabled => Said::plain("nobody"),
            State::Enabled => Said {
                text: exposed.to.to_string(),
                tone: if exposed.to == Exposure::Anyone { Tone::Alarming } else { Tone::Plain },
                perhaps: !exposed.surely,
            },
        };
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, function.name),
            Cell::maybe(app(audit, function.scope)),
            account,
            platform,
            Cell::maybe(audit.environment(id).map(|it| it.to_string())),
            named(audit, estate.owner(function.owner, function.scope)),
            Cell::text(function.state.to_string()),
            Cell::many(runs_on),
            Cell::maybe(identity.map(|identity| estate.id(identity))),
            Cell::many(ways_in(audit, id)),
            Cell::Text(exposed_to),
            impact(audit.harm_through(id)),
            Cell::maybe(identity.and_then(|identity| audit.may(identity))),
        ]);
    }
}

/// The app that something in a scope is of.
fn app<'e>(audit: &Audit<'e>, scope: Option<ScopeId>) -> Option<&'e str> {
    let estate = audit.estate();
    let app = estate.upwards(scope).find(|(_, scope)| scope.kind == ScopeKind::App);
    app.map(|(id, _)| estate.id(id))
}

/// By which sorts of ways somebody makes a function run.
fn ways_in(audit: &Audit<'_>, id: FunctionId) -> Vec<&'static str> {
    let estate = audit.estate();
    let kind = |way: &WayIn<'_>| match way.through {
        Through::Endpoint(id) => match estate.get(id).map(|it| &it.way) {
            Some(Way::Route { .. }) => "route",
            Some(Way::Direct) | None => "endpoint",
        },
        Through::Invoking => "invoke",
        Through::Source(_) => "event",
    };
    let ways = audit.effects().ways_in(id);
    let mut kinds: Vec<&str> = ways.all.iter().map(kind).collect();
    kinds.sort_unstable();
    kinds.dedup();
    kinds
}

pub(super) const ENDPOINTS: &[Column] = &[
    column("endpoint", 0, Holds::Names),
    column("function", 6, Holds::Names),
    column("account", 4, Holds::Names),
    column("gateway", 5, Holds::Names),
    column("check", 2, Holds::Names),
    column("network", 3, Holds::Names),
    column("lets_in", 1, Holds::Names),
];

pub(super) fn endpoints(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
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
            Network::Listed(networks) => Cell::many(networks.iter().map(ToString::to_string)),
        };
        let gateway = match &endpoint.way {
            Way::Direct => Cell::Nothing,
            Way::Route { gateway, .. } => Cell::text(estate.text(*gateway)),
        };
        list.row(vec![
            Cell::text(estate.id(id)),
            Cell::text(estate.id(endpoint.function)),
            account,
            gateway,
            Cell::text(check),
            network,
            lets_in(audit, id),
        ]);
    }
}

fn lets_in(audit: &Audit<'_>, id: EndpointId) -> Cell {
    let (estate, effects) = (audit.estate(), audit.effects());
    let ways = effects.ways_at(id);
    if ways.is_empty() {
        let is_dead = effects.is_open(id) && effects.passage(id).is_some_and(|it| it.verdict == Verdict::No);
        return Cell::many([if is_dead { "nobody: dead route" } else { "nobody" }]);
    }
    // Who gets in in several ways is told once, by the surest; the widest circle first.
    let mut told: BTreeMap<(Exposure, String), (Principal, Verdict)> = BTreeMap::new();
    for way in ways {
        let circle = way.circles.iter().map(|(circle, _)| *circle).min().unwrap_or(Exposure::Insiders);
        let (who, verdict) = (way.caller.who, way.caller.verdict);
        let known = told.entry((circle, estate.principal_label(who))).or_insert((who, verdict));
        known.1 = known.1.max(verdict);
    }
    let said = |((circle, label), (who, verdict)): ((Exposure, String), (Principal, Verdict))| {
        let (text, tone) = match (who, circle) {
            (Principal::Anyone, Exposure::Anyone) => (label, Tone::Alarming),
            (Principal::Anyone, _) => ("anyone inside".to_owned(), Tone::Inside),
            _ => (label, Tone::Plain),
        };
        Said::plain(text).tone(tone).as_sure_as(verdict)
    };
    Cell::Many(told.into_iter().map(said).collect())
}

pub(super) const TRIGGERS: &[Column] = &[
    column("trigger", 0, Holds::Names),
    column("account", 4, Holds::Names),
    column("function", 7, Holds::Names),
    column("kind", 5, Holds::Names),
    column("source", 2, Holds::Names),
    column("source_known", 6, YES),
    column("filter", 3, Holds::Names),
    column("state", 1, STATES),
];

pub(super) fn triggers(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, trigger) in estate.all::<TriggerId>() {
        let [_, account] = place(audit, Thing::Trigger(id));
        list.row(vec![
            Cell::text(estate.id(id)),
            account,
            Cell::text(estate.id(trigger.function)),
            Cell::text(estate.text(trigger.kind)),
            Cell::maybe(trigger.source.map(|source| estate.label(source))),
            Cell::yes(trigger.source.is_none_or(|source| estate.is_declared(source))),
            named(audit, trigger.filter),
            Cell::text(trigger.state.to_string()),
        ]);
    }
}

pub(super) const OPERATIONS: &[Column] = &[
    column("operation", 0, Holds::Names),
    column("contract", 3, Holds::Names),
    column("of", 5, Holds::Names),
    column("asks", 2, Holds::Prose),
    column("declared", 4, Holds::Words(&["open", "closed", "undeclared"])),
    column("answered_by", 6, Holds::Names),
    column("standing", 1, Holds::Words(STANDINGS)),
    column("read_from", 7, Holds::Names),
];

/// How what is deployed stands to what is declared.
const STANDINGS: &[&str] = &[
    "closed",
    "open",
    "OPEN",
    "open within its network",
    "asks for less",
    "closed, declared open",
    "nothing answers",
    "not judged",
];

/// Every operation of every contract, with what it declares and how what is deployed stands to that.
pub(super) fn operations(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for held in &audit.contracts().operations {
        let Some(contract) = estate.get(held.contract) else { continue };
        let operation = &contract.operations[held.operation];
        let of = match contract.of {
            ContractOf::Gateway(gateway) => format!("gateway {}", estate.text(gateway)),
            ContractOf::Function(function) => estate.label(Thing::Function(function)),
        };
        let declared = operation.asks.is_open().map(|is_open| if is_open { "open" } else { "closed" });
        list.row(vec![
            Cell::text(format!("{} {}", estate.text(operation.method), estate.text(operation.path))),
            Cell::text(estate.id(held.contract)),
            Cell::text(of),
            Cell::text(estate.asked(&operation.asks)),
            Cell::maybe(declared),
            Cell::many(held.answered_by.iter().map(|id| estate.id(*id))),
            match held.weakest.and_then(|id| estate.get(id)) {
                Some(it) if held.standing == Standing::OpenInEffect && !faces_internet(&it.network) => {
                    Cell::Text(Said::plain("open within its network").tone(Tone::Inside))
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
        list.row(vec![
            Cell::text(format!("{methods} {path}")),
            Cell::text(estate.id(unspoken.contract)),
            Cell::Nothing,
            Cell::Nothing,
            Cell::text("undeclared"),
            Cell::many([estate.id(unspoken.endpoint)]),
            match audit.effects().opens_to_nothing(unspoken.endpoint) {
                Verdict::No => Cell::text("closed"),
                Verdict::Yes | Verdict::Depends => Cell::alarming("OPEN"),
            },
            read_from(audit, endpoint.origin),
        ]);
    }
}

fn standing(standing: Standing) -> Cell {
    match standing {
        Standing::Kept => Cell::text("closed"),
        Standing::Open => Cell::text("open"),
        Standing::OpenInEffect => Cell::alarming("OPEN"),
        Standing::Weaker => Cell::alarming("asks for less"),
        Standing::ClosedInEffect => Cell::text("closed, declared open"),
        Standing::Unserved => Cell::text("nothing answers"),
        Standing::Unread => Cell::text("not judged"),
    }
}
