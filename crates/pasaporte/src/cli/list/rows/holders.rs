//! Who holds what.

use std::collections::BTreeMap;

use pasaporte_audit::Audit;
use pasaporte_core::estate::{At, GroupId, IdentityId, Principal, SetId, Thing, UserId};

use super::{date, place, read_from};
use crate::view::{Cell, Table};

pub(in crate::cli::list) fn identities(audit: &Audit<'_>) -> Table {
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
        let grants = audit.effects().held(principal).len();
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

pub(in crate::cli::list) fn users(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table =
        Table::new(&[("user", "user"), ("scope", "lives in"), ("groups", "groups"), ("grants", "grants")]);
    for (id, user) in estate.all::<UserId>() {
        let principal = Principal::User(id);
        let groups = audit.effects().groups_of(principal).map(|group| estate.id(group).to_owned()).collect();
        table.row(vec![
            Cell::text(estate.id(id)),
            user.scope.map_or(Cell::Nothing, |scope| Cell::text(estate.id(scope))),
            Cell::Many(groups),
            Cell::count(audit.effects().held(principal).len()),
        ]);
    }
    table
}

pub(in crate::cli::list) fn groups(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("group", "group"),
        ("account", "account"),
        ("by", "members by"),
        ("members", "members"),
        ("names", ""),
        ("grants", "grants"),
    ]);
    for (id, group) in estate.all::<GroupId>() {
        let [_, account] = place(audit, Thing::Group(id));
        let mut members: Vec<String> =
            audit.effects().everybody_in(id).into_iter().map(|who| estate.principal_label(who)).collect();
        members.sort_unstable();
        let by = match (group.members.is_empty(), &group.rule) {
            (_, None) => "name",
            (true, Some(_)) => "rule",
            (false, Some(_)) => "name and rule",
        };
        table.row(vec![
            Cell::text(estate.id(id)),
            account,
            Cell::text(by),
            Cell::count(members.len()),
            Cell::Many(members),
            Cell::count(audit.effects().held(Principal::Group(id)).len()),
        ]);
    }
    table
}

pub(in crate::cli::list) fn permission_sets(audit: &Audit<'_>) -> Table {
    let estate = audit.estate();
    let mut table = Table::new(&[
        ("set", "permission set"),
        ("origin", "made by"),
        ("statements", "statements"),
        ("includes", ""),
        ("held_by", "held by"),
    ]);
    let mut holders: BTreeMap<SetId, Vec<String>> = BTreeMap::new();
    for (_, grant) in estate.grants() {
        if let Some(set) = grant.set {
            holders.entry(set).or_default().push(estate.principal_label(grant.principal));
        }
    }
    for (id, set) in estate.all::<SetId>() {
        let mut held_by = holders.remove(&id).unwrap_or_default();
        held_by.sort_unstable();
        held_by.dedup();
        table.row(vec![
            Cell::text(estate.id(id)),
            Cell::Text(set.made_by.to_string()),
            Cell::count(set.statements.count()),
            Cell::Many(set.includes.iter().map(|set| estate.id(*set).to_owned()).collect()),
            Cell::Many(held_by),
        ]);
    }
    table
}

pub(in crate::cli::list) fn grants(audit: &Audit<'_>) -> Table {
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
        let ended = if audit.effects().has_expired(grant) { ", ended" } else { "" };
        table.row(vec![
            Cell::Text(estate.principal_label(grant.principal)),
            Cell::Text(holds),
            Cell::Text(at),
            grant.expires.map_or(Cell::Nothing, |time| Cell::Text(format!("{}{ended}", date(time)))),
            read_from(audit, grant.origin),
        ]);
    }
    table
}
