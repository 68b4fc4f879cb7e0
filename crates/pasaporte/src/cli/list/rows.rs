//! The rows of each list, sorted by name.

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{
    AccountOf, At, Check, EndpointId, FunctionId, IdentityId, KeyId, LastUse, Network, Principal, State,
    Thing, Way,
};
use pasaporte_core::rules::Audit;

use crate::view::{Cell, Table};

/// The platform and account that a thing is of.
fn place(audit: &Audit<'_>, thing: Thing) -> [Cell; 2] {
    let estate = audit.estate();
    let account = match estate.account_of(thing) {
        AccountOf::Known(account) => Cell::text(estate.id(account)),
        AccountOf::Unnamed | AccountOf::Unknown => Cell::Nothing,
    };
    let platform = estate.platform(estate.scope_of(thing));
    [platform.map_or(Cell::Nothing, |name| Cell::text(estate.text(name))), account]
}

pub(super) fn functions(audit: &Audit<'_>) -> Table {
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

pub(super) fn endpoints(audit: &Audit<'_>) -> Table {
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
            Cell::Many(lets_in(audit, id)),
        ]);
    }
    table
}

fn lets_in(audit: &Audit<'_>, id: EndpointId) -> Vec<String> {
    let (estate, access) = (audit.estate(), audit.access());
    let callers = access.entrants(id, &audit.now());
    if callers.is_empty()
        && access.is_open(id)
        && access.passage(id).is_some_and(|it| it.verdict == Verdict::No)
    {
        return vec!["nobody: dead route".to_owned()];
    }
    if callers.is_empty() {
        return vec!["nobody".to_owned()];
    }
    let told = callers.into_iter().map(|(who, verdict)| {
        let label = estate.principal_label(who);
        if verdict == Verdict::Depends { format!("{label} (perhaps)") } else { label }
    });
    told.collect()
}

pub(super) fn identities(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("identity", "identity"),
        ("account", "account"),
        ("kind", "kind"),
        ("functions", "functions"),
        ("grants", "grants"),
        ("worst", "at worst it may"),
    ]);
    for (id, identity) in estate.all::<IdentityId>() {
        let [_, account] = place(audit, Thing::Identity(id));
        let kind =
            if identity.default { format!("{}, default", identity.kind) } else { identity.kind.to_string() };
        let principal = Principal::Identity(id);
        let grants = audit.access().held(principal).len();
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            Cell::Text(kind),
            Cell::count(estate.functions_as(id).len()),
            Cell::count(grants),
            audit.may(id).map_or(Cell::Nothing, |may| Cell::Text(may.to_owned())),
        ]);
    }
    table
}

pub(super) fn keys(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("key", "key"),
        ("opens", "opens"),
        ("reach", "reach"),
        ("state", "state"),
        ("age_days", "days old"),
        ("last_used", "last used"),
        ("expires", "expires"),
    ]);
    for (id, key) in estate.all::<KeyId>() {
        let age = key.rotated.max(key.created).and_then(|since| audit.days_since(since));
        let last_used = match key.last_used {
            LastUse::Unknown => Cell::text("not known"),
            LastUse::Never => Cell::text("never"),
            LastUse::At(time) => Cell::text(&date(time)),
        };
        let state = match (key.state, audit.access().is_accepted(id)) {
            (State::Disabled, _) => "disabled",
            (State::Enabled, false) => "expired",
            (State::Enabled, true) => "enabled",
        };
        table.row(vec![
            Cell::text(estate.id(id)),
            Cell::Text(estate.label(key.opens())),
            Cell::Text(key.reach.to_string()),
            Cell::text(state),
            age.map_or(Cell::Nothing, Cell::Number),
            last_used,
            key.expires.map_or(Cell::text("never"), |time| Cell::text(&date(time))),
        ]);
    }
    table
}

pub(super) fn grants(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("holder", "holder"),
        ("holds", "holds"),
        ("at", "at"),
        ("expires", "expires"),
        ("file", "read from"),
    ]);
    for (_, grant) in estate.grants() {
        let own = grant.statements.count();
        let holds = match (grant.set, own) {
            (Some(set), 0) => estate.id(set).to_owned(),
            (Some(set), more) => format!("{} and {more} statements", estate.id(set)),
            (None, 1) => "1 statement".to_owned(),
            (None, some) => format!("{some} statements"),
        };
        let at = match grant.at {
            At::Everywhere => "everywhere".to_owned(),
            At::Thing(thing) => estate.label(thing),
        };
        let ended = if audit.access().has_expired(grant) { ", ended" } else { "" };
        table.row(vec![
            Cell::Text(estate.principal_label(grant.principal)),
            Cell::Text(holds),
            Cell::Text(at),
            grant.expires.map_or(Cell::Nothing, |time| Cell::Text(format!("{}{ended}", date(time)))),
            Cell::Text(format!("{}:{}", estate.path(grant.origin.file), grant.origin.line)),
        ]);
    }
    table
}

fn date(time: jiff::Timestamp) -> String {
    time.strftime("%Y-%m-%d").to_string()
}
