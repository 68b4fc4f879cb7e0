//! Where things live, what is acted on, and records elsewhere.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::estate::{IdentityId, ResourceId, ScopeId, Sensitivity, Thing};

use super::shared::{ENVIRONMENTS, SCOPES as SCOPE_KINDS, YES, column, named, place, words_of};
use super::{Cell, Column, Holds, List};

pub(super) const SCOPES: &[Column] = &[
    column("scope", 0, Holds::Names),
    column("kind", 1, SCOPE_KINDS),
    column("in", 2, Holds::Names),
    column("platform", 4, Holds::Names),
    column("environment", 5, ENVIRONMENTS),
    column("owner", 6, Holds::Names),
    column("functions", 3, Holds::Numbers),
];

pub(super) fn scopes(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, scope) in estate.all::<ScopeId>() {
        list.row(vec![
            Cell::text(estate.id(id)),
            Cell::text(scope.kind.to_string()),
            Cell::maybe(scope.parent.map(|parent| estate.id(parent))),
            named(audit, estate.platform(Some(id))),
            Cell::maybe(estate.environment(None, Some(id)).map(|it| it.to_string())),
            named(audit, estate.owner(None, Some(id))),
            Cell::count(audit.functions_below(id).len()),
        ]);
    }
}

pub(super) const RESOURCES: &[Column] = &[
    column("resource", 0, Holds::Names),
    column("name", 6, Holds::Names),
    column("account", 2, Holds::Names),
    column("kind", 5, Holds::Names),
    column("sensitivity", 1, words_of!(Sensitivity)),
    column("environment", 4, ENVIRONMENTS),
    column("owner", 3, Holds::Names),
];

pub(super) fn resources(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, resource) in estate.all::<ResourceId>() {
        let [_, account] = place(audit, Thing::Resource(id));
        let environment = estate.environment(resource.environment, resource.scope);
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, resource.name),
            account,
            Cell::text(estate.text(resource.kind)),
            Cell::maybe(resource.sensitivity.map(|it| it.to_string())),
            Cell::maybe(environment.map(|it| it.to_string())),
            named(audit, estate.owner(resource.owner, resource.scope)),
        ]);
    }
}

pub(super) const ENROLMENTS: &[Column] = &[
    column("system", 0, Holds::Names),
    column("client_id", 0, Holds::Names),
    column("role", 2, Holds::Names),
    column("wide", 3, YES),
    column("identity", 1, Holds::Names),
];

pub(super) fn enrolments(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    let clients = estate.all::<IdentityId>().filter_map(|(id, it)| Some((it.client_id?, id)));
    let clients: BTreeMap<_, _> = clients.collect();
    for enrolment in estate.enrolments() {
        let identity = clients.get(&enrolment.client_id);
        list.row(vec![
            Cell::text(estate.text(enrolment.system)),
            Cell::text(estate.text(enrolment.client_id)),
            Cell::text(estate.text(enrolment.role)),
            Cell::yes(enrolment.wide),
            Cell::maybe(identity.map(|id| estate.id(*id))),
        ]);
    }
}
