//! The names of a principal: itself and every wider name that it bears (access-model §2).

use rustc_hash::{FxHashMap, FxHashSet};

use crate::estate::{
    AccountOf, Estate, GroupId, IdentityId, MemberKind, MembershipRule, Name, Principal, ScopeId, Thing,
    UserId,
};

/// Who is directly in which group, by listing or by rule.
#[derive(Debug, Default)]
pub(super) struct Membership {
    groups_of: FxHashMap<Principal, Vec<GroupId>>,
    members_of: FxHashMap<GroupId, Vec<Principal>>,
}

impl Membership {
    pub(super) fn new(estate: &Estate) -> Self {
        let mut membership = Self::default();
        for (id, group) in estate.all::<GroupId>() {
            let ruled = group.rule.as_ref().map(|rule| members_by_rule(estate, rule)).unwrap_or_default();
            let mut members: Vec<Principal> = group.members.iter().copied().chain(ruled).collect();
            members.sort_unstable();
            members.dedup();
            for &member in &members {
                membership.groups_of.entry(member).or_default().push(id);
            }
            membership.members_of.insert(id, members);
        }
        membership
    }

    /// The direct members of a group.
    pub(super) fn members(&self, group: GroupId) -> &[Principal] {
        self.members_of.get(&group).map_or(&[], Vec::as_slice)
    }

    /// All names of a principal, the narrowest first.
    pub(super) fn names(&self, estate: &Estate, principal: Principal) -> Vec<Principal> {
        let mut names = vec![principal];
        let mut seen: FxHashSet<Principal> = names.iter().copied().collect();
        let mut at = 0;
        while at < names.len() {
            for &group in self.groups_of.get(&names[at]).into_iter().flatten() {
                if seen.insert(Principal::Group(group)) {
                    names.push(Principal::Group(group));
                }
            }
            at += 1;
        }
        let place = match principal {
            Principal::User(id) => Some(Thing::User(id)),
            Principal::Identity(id) => Some(Thing::Identity(id)),
            _ => None,
        };
        if let Some(AccountOf::Known(account)) = place.map(|thing| estate.account_of(thing)) {
            self.widen(&mut names, Principal::Account(account));
        }
        // Whoever is of an account is signed in.
        if matches!(
            principal,
            Principal::User(_) | Principal::Identity(_) | Principal::Outside(_) | Principal::Account(_)
        ) {
            self.widen(&mut names, Principal::SignedIn);
        }
        self.widen(&mut names, Principal::Anyone);
        names
    }

    /// Adds a wider name and the groups that list it.
    fn widen(&self, names: &mut Vec<Principal>, name: Principal) {
        if names.contains(&name) {
            return;
        }
        let mut at = names.len();
        names.push(name);
        while at < names.len() {
            for &group in self.groups_of.get(&names[at]).into_iter().flatten() {
                if !names.contains(&Principal::Group(group)) {
                    names.push(Principal::Group(group));
                }
            }
            at += 1;
        }
    }
}

fn members_by_rule(estate: &Estate, rule: &MembershipRule) -> Vec<Principal> {
    match rule.kind {
        MemberKind::User => estate
            .all::<UserId>()
            .filter(|(id, user)| rule.takes(estate, user.scope, &user.tags, estate.id(*id)))
            .map(|(id, _)| Principal::User(id))
            .collect(),
        MemberKind::Identity | MemberKind::Function => estate
            .all::<IdentityId>()
            .filter(|(id, identity)| {
                let itself = rule.kind == MemberKind::Identity
                    && rule.takes(estate, identity.scope, &identity.tags, estate.id(*id));
                itself || rule.takes_a_function_of(estate, *id)
            })
            .map(|(id, _)| Principal::Identity(id))
            .collect(),
    }
}

impl MembershipRule {
    /// A rule sees the attributes of an identity and of the functions that run as it (access-model §2).
    fn takes_a_function_of(&self, estate: &Estate, identity: IdentityId) -> bool {
        estate.functions_as(identity).iter().any(|&id| {
            let Some(function) = estate.get(id) else { return false };
            self.takes(estate, function.scope, &function.tags, estate.id(id))
        })
    }

    fn takes(&self, estate: &Estate, scope: Option<ScopeId>, tags: &[(Name, Name)], id: &str) -> bool {
        let within =
            self.within.is_none_or(|above| scope.is_some_and(|at| estate.tree().is_within(at, above)));
        let tagged = self.tag.is_none_or(|(name, value)| {
            tags.iter().any(|(each, is)| *each == name && value.is_none_or(|wanted| wanted == *is))
        });
        let named = self.named.as_ref().is_none_or(|pattern| pattern.matches(id));
        within && tagged && named
    }
}
