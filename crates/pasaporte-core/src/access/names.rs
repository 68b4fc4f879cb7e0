//! The names of a principal: itself and every wider name that it bears (access-model §2).

use rayon::prelude::*;
use smallvec::SmallVec;

use super::by::By;
use super::population::Population;
use crate::estate::{
    AccountOf, At, Estate, Group, GroupId, Grouped, Identity, IdentityId, List, MemberKind, MembershipRule,
    Name, Principal, Thing, UserId,
};

/// Who is directly in which group, by listing or by rule.
#[derive(Debug)]
pub(super) struct Membership {
    groups_of: By<Principal, GroupId>,
    members_of: Grouped<Principal>,
}

impl Membership {
    pub(super) fn new(estate: &Estate, population: &Population) -> Self {
        let groups: Vec<(GroupId, &Group)> = estate.all().collect();
        let in_group = |&(id, group): &(GroupId, &Group)| {
            let by_rule = group.rule.as_ref().map(|rule| members(estate, population, rule));
            let all = group.members.iter().copied().chain(by_rule.unwrap_or_default());
            all.map(|member| (id, member)).collect::<Vec<_>>()
        };
        let mut pairs: Vec<(GroupId, Principal)> = groups.par_iter().flat_map_iter(in_group).collect();
        pairs.par_sort_unstable();
        pairs.dedup();
        Self {
            groups_of: By::new(pairs.iter().map(|&(group, member)| (member, group)).collect()),
            members_of: Grouped::new(estate.count::<GroupId>(), pairs.iter().copied()),
        }
    }

    /// The direct members of a group, sorted.
    pub(super) fn members(&self, group: GroupId) -> &[Principal] {
        self.members_of.get(group)
    }

    /// The groups that a name is directly in.
    fn groups_of(&self, name: Principal) -> impl Iterator<Item = GroupId> {
        self.groups_of.of(name).iter().map(|(_, group)| *group)
    }

    /// All names of a principal, the narrowest first.
    pub(super) fn names(&self, estate: &Estate, principal: Principal) -> Vec<Principal> {
        let mut names = vec![principal];
        self.widen(estate, &mut names, 0);
        let place = match principal {
            Principal::User(id) => Some(Thing::User(id)),
            Principal::Identity(id) => Some(Thing::Identity(id)),
            _ => None,
        };
        if let Some(AccountOf::Known(account)) = place.map(|thing| estate.account_of(thing)) {
            self.add(estate, &mut names, Principal::Account(account));
        }
        // Whoever is of an account is signed in.
        if matches!(
            principal,
            Principal::User(_) | Principal::Identity(_) | Principal::Outside(_) | Principal::Account(_)
        ) {
            self.add(estate, &mut names, Principal::SignedIn);
        }
        self.add(estate, &mut names, Principal::Anyone);
        names
    }

    /// Adds a wider name and the groups that list it.
    fn add(&self, estate: &Estate, names: &mut Vec<Principal>, name: Principal) {
        if !names.contains(&name) {
            names.push(name);
            self.widen(estate, names, names.len() - 1);
        }
    }

    /// Adds the groups that the names from `from` on are in, directly or through other groups; those of one name in the
    /// order of their ids, whichever was read first.
    fn widen(&self, estate: &Estate, names: &mut Vec<Principal>, from: usize) {
        // A set only where there is much to look through: most names have a handful of groups.
        const FEW: usize = 16;
        let mut seen = rustc_hash::FxHashSet::default();
        let mut at = from;
        while at < names.len() {
            let mut groups: SmallVec<[GroupId; 4]> = self.groups_of(names[at]).collect();
            groups.sort_unstable_by_key(|id| estate.id(*id));
            for group in groups.into_iter().map(Principal::Group) {
                let known = if names.len() < FEW {
                    names.contains(&group)
                } else {
                    if seen.is_empty() {
                        seen.extend(names.iter().copied());
                    }
                    !seen.insert(group)
                };
                if !known {
                    names.push(group);
                }
            }
            at += 1;
        }
    }
}

/// Who is in a group by its rule.
fn members(estate: &Estate, population: &Population, rule: &MembershipRule) -> Vec<Principal> {
    let area = rule.within.map_or(At::Everywhere, |scope| At::Thing(Thing::Scope(scope)));
    // All that a rule asks must be true of the identity itself, or of one function that runs as it (access-model §2).
    let of_functions = || {
        population.functions.within(estate, area).iter().filter_map(|&(_, id)| {
            let function = estate.get(id)?;
            let taken = rule.takes(estate, function.tags, estate.id(id));
            taken.then(|| estate.runs_as(function)).flatten().map(Principal::Identity)
        })
    };
    match rule.kind {
        MemberKind::Function | MemberKind::Identity => {
            let identities = population.identities.within(estate, area).iter().map(|(_, id)| *id);
            let itself = |id: &IdentityId| {
                let runs = rule.kind == MemberKind::Identity || !estate.functions_as(*id).is_empty();
                let fits = |it: &Identity| rule.takes(estate, it.tags, estate.id(*id));
                runs && estate.get(*id).is_some_and(fits)
            };
            identities.filter(itself).map(Principal::Identity).chain(of_functions()).collect()
        }
        MemberKind::User => {
            let users = population.users.within(estate, area).iter().map(|(_, id)| *id);
            let taken = |id: &UserId| {
                estate.get(*id).is_some_and(|user| rule.takes(estate, user.tags, estate.id(*id)))
            };
            users.filter(taken).map(Principal::User).collect()
        }
    }
}

impl MembershipRule {
    /// Whether somebody in the rule's area is taken, by tags and id.
    fn takes(&self, estate: &Estate, tags: List<(Name, Name)>, id: &str) -> bool {
        let tagged = self.tag.is_none_or(|(name, value)| {
            let mut tags = estate.list(tags).iter();
            tags.any(|(each, is)| *each == name && value.is_none_or(|wanted| wanted == *is))
        });
        tagged && self.named.as_ref().is_none_or(|pattern| pattern.matches(id))
    }
}
