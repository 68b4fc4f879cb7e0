//! Where things live, what is acted on, and records elsewhere.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::estate::{IdentityId, ResourceId, ScopeId, Thing};

use super::{named, place};
use crate::view::{Cell, Table};

pub(in crate::cli::list) fn scopes(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("scope", "scope"),
        ("kind", "kind"),
        ("in", "in"),
        ("platform", "platform"),
        ("environment", ""),
        ("owner", ""),
        ("functions", "functions"),
    ]);
    for (id, scope) in estate.all::<ScopeId>() {
        let environment = estate.environment(None, Some(id));
        table.row(vec![
            Cell::text(estate.id(id)),
            Cell::Text(scope.kind.to_string()),
            scope.parent.map_or(Cell::Nothing, |parent| Cell::text(estate.id(parent))),
            named(audit, estate.platform(Some(id))),
            environment.map_or(Cell::Nothing, |it| Cell::Text(it.to_string())),
            named(audit, estate.owner(None, Some(id))),
            Cell::count(audit.functions_below(id).len()),
        ]);
    }
    table
}

pub(in crate::cli::list) fn resources(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("resource", "resource"),
        ("account", "account"),
        ("kind", ""),
        ("sensitivity", "sensitivity"),
        ("environment", ""),
        ("owner", "owner"),
    ]);
    for (id, resource) in estate.all::<ResourceId>() {
        let [_, account] = place(audit, Thing::Resource(id));
        let environment = estate.environment(resource.environment, resource.scope);
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            Cell::text(estate.text(resource.kind)),
            resource.sensitivity.map_or(Cell::Nothing, |it| Cell::Text(it.to_string())),
            environment.map_or(Cell::Nothing, |it| Cell::Text(it.to_string())),
            named(audit, estate.owner(resource.owner, resource.scope)),
        ]);
    }
    table
}

pub(in crate::cli::list) fn enrolments(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("system", "system"),
        ("client_id", "client id"),
        ("role", "role there"),
        ("wide", "wide"),
        ("identity", "identity"),
    ]);
    let clients = estate.all::<IdentityId>().filter_map(|(id, it)| Some((it.client_id?, id)));
    let clients: BTreeMap<_, _> = clients.collect();
    for enrolment in estate.enrolments() {
        let identity = clients.get(&enrolment.client_id);
        table.row(vec![
            Cell::text(estate.text(enrolment.system)),
            Cell::text(estate.text(enrolment.client_id)),
            Cell::text(estate.text(enrolment.role)),
            Cell::text(if enrolment.wide { "yes" } else { "no" }),
            identity.map_or(Cell::text("none has it"), |id| Cell::text(estate.id(*id))),
        ]);
    }
    table
}
