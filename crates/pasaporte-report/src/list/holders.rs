//! Who holds what.

use std::collections::BTreeMap;

use pasaporte_audit::{Audit, Impact};
use pasaporte_core::estate::{
    At, GroupId, IdentityId, IdentityKind, MadeBy, Principal, SetId, Thing, UserId,
};

use super::shared::{YES, column, date, impact, named, place, read_from, words_of};
use super::{Cell, Column, Holds, List};

pub(super) const IDENTITIES: &[Column] = &[
    column("identity", 0, Holds::Names),
    column("name", 6, Holds::Names),
    column("account", 4, Holds::Names),
    column("kind", 3, words_of!(IdentityKind)),
    column("default", 5, YES),
    column("functions", 2, Holds::Numbers),
    column("grants", 2, Holds::Numbers),
    column("credentials", 5, Holds::Numbers),
    column("impact", 1, words_of!(Impact)),
    column("worst", 4, Holds::Prose),
];

pub(super) fn identities(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, identity) in estate.all::<IdentityId>() {
        let [_, account] = place(audit, Thing::Identity(id));
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, identity.name),
            account,
            Cell::text(identity.kind.to_string()),
            Cell::yes(identity.default),
            Cell::count(estate.functions_as(id).len()),
            Cell::count(audit.effects().held(Principal::Identity(id)).len()),
            Cell::count(identity.credentials.len()),
            impact(audit.harm(id)),
            Cell::maybe(audit.may(id)),
        ]);
    }
}

pub(super) const USERS: &[Column] = &[
    column("user", 0, Holds::Names),
    column("name", 4, Holds::Names),
    column("in", 2, Holds::Names),
    column("groups", 3, Holds::Names),
    column("grants", 1, Holds::Numbers),
];

pub(super) fn users(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (id, user) in estate.all::<UserId>() {
        let principal = Principal::User(id);
        // Those too that everybody is in.
        let names = audit.effects().names(principal);
        let groups = names.iter().filter_map(|name| match name {
            Principal::Group(group) => Some(estate.id(*group)),
            _ => None,
        });
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, user.name),
            Cell::maybe(user.scope.map(|scope| estate.id(scope))),
            Cell::many(groups),
            Cell::count(audit.effects().held(principal).len()),
        ]);
    }
}

pub(super) const GROUPS: &[Column] = &[
    column("group", 0, Holds::Names),
    column("name", 6, Holds::Names),
    column("account", 3, Holds::Names),
    column("by", 4, Holds::Words(&["name", "rule", "name and rule"])),
    column("member_count", 1, Holds::Numbers),
    column("members", 5, Holds::Names),
    column("unseen", 2, YES),
    column("grants", 2, Holds::Numbers),
];

pub(super) fn groups(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
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
        list.row(vec![
            Cell::text(estate.id(id)),
            named(audit, group.name),
            account,
            Cell::text(by),
            Cell::count(members.len()),
            Cell::many(members),
            Cell::yes(group.unseen),
            Cell::count(audit.effects().held(Principal::Group(id)).len()),
        ]);
    }
}

pub(super) const PERMISSION_SETS: &[Column] = &[
    column("set", 0, Holds::Names),
    column("origin", 2, words_of!(MadeBy)),
    column("statements", 3, Holds::Numbers),
    column("includes", 4, Holds::Names),
    column("held_by", 1, Holds::Names),
];

pub(super) fn permission_sets(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
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
        list.row(vec![
            Cell::text(estate.id(id)),
            Cell::text(set.made_by.to_string()),
            Cell::count(set.statements.count()),
            Cell::many(set.includes.iter().map(|set| estate.id(*set))),
            Cell::many(held_by),
        ]);
    }
}

pub(super) const GRANTS: &[Column] = &[
    column("holder", 0, Holds::Names),
    column("holds", 1, Holds::Names),
    column("at", 1, Holds::Names),
    column("origin", 5, words_of!(MadeBy)),
    column("expires", 2, Holds::Dates),
    column("ended", 4, YES),
    column("read_from", 3, Holds::Names),
];

pub(super) fn grants(audit: &Audit<'_>, list: &mut List) {
    let estate = audit.estate();
    for (_, grant) in estate.grants() {
        let own = match grant.statements.count() {
            0 => None,
            1 => Some("1 statement".to_owned()),
            some => Some(format!("{some} statements")),
        };
        let set = grant.set.map(|set| estate.id(set).to_owned());
        let at = match grant.at {
            At::Everywhere => "everywhere".to_owned(),
            At::Thing(thing) => estate.label(thing),
        };
        list.row(vec![
            Cell::text(estate.principal_label(grant.principal)),
            Cell::many(set.into_iter().chain(own)),
            Cell::text(at),
            Cell::text(grant.made_by.to_string()),
            Cell::maybe(grant.expires.map(date)),
            Cell::yes(audit.effects().has_expired(grant)),
            read_from(audit, grant.origin),
        ]);
    }
}
