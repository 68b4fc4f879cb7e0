//! All that a question needs to know of a principal, put together once.

use super::Access;
use crate::estate::{AccountOf, At, CeilingId, GrantId, Id, Principal, SetId, Statements, Thing};

/// A principal's names, what it holds by any of them, and what bounds it.
#[derive(Debug)]
pub(super) struct Profile {
    /// The narrowest first.
    pub(super) names: Box<[Principal]>,
    /// What it holds by any of its names.
    pub(super) grants: Box<[Held]>,
    /// Ceilings on itself and on the scopes that it lives in.
    pub(super) ceilings: Box<[CeilingId]>,
    /// The account that it is of; none for those who are of no account.
    pub(super) home: Option<AccountOf>,
}

/// A grant, by what tells whether it comes into a question: so that those that do not are not looked up.
#[derive(Debug, Clone, Copy)]
pub(super) struct Held {
    pub(super) grant: GrantId,
    /// The name that holds it.
    pub(super) name: Principal,
    pub(super) at: At,
    pub(super) ended: bool,
    pub(super) set: Option<SetId>,
    pub(super) statements: Statements,
}

/// A profile that is kept, or one made for a single question.
pub(super) enum Profiled<'a> {
    Kept(&'a Profile),
    Made(Box<Profile>),
}

impl std::ops::Deref for Profiled<'_> {
    type Target = Profile;

    fn deref(&self) -> &Profile {
        match self {
            Self::Kept(profile) => profile,
            Self::Made(profile) => profile,
        }
    }
}

impl Access<'_> {
    /// The profile of a principal. Those of identities and users are kept, and of whoever something admits by name.
    pub(super) fn profile(&self, principal: Principal) -> Profiled<'_> {
        let kept = match principal {
            Principal::Identity(id) => self.profiles_of_identities.get(id.index()),
            Principal::User(id) => self.profiles_of_users.get(id.index()),
            other => self.profiles_of_others.get(&other),
        };
        match kept {
            Some(slot) => Profiled::Kept(slot.get_or_init(|| self.make_profile(principal))),
            None => Profiled::Made(Box::new(self.make_profile(principal))),
        }
    }

    fn make_profile(&self, principal: Principal) -> Profile {
        let estate = self.estate;
        let names = self.membership.names(estate, principal);
        let grants =
            names.iter().flat_map(|&name| self.grants_of(name).map(move |id| self.held_grant(id, name)));
        let home = match principal {
            Principal::Account(id) => Some(AccountOf::Known(id)),
            Principal::User(id) => Some(estate.account_of(Thing::User(id))),
            Principal::Identity(id) => Some(estate.account_of(Thing::Identity(id))),
            Principal::Group(id) => Some(estate.account_of(Thing::Group(id))),
            Principal::Anyone
            | Principal::SignedIn
            | Principal::Service(_)
            | Principal::Outside(_)
            | Principal::Key(_)
            | Principal::Token(_) => None,
        };
        Profile {
            grants: grants.collect(),
            ceilings: self.find_ceilings(principal).into(),
            names: names.into(),
            home,
        }
    }

    fn held_grant(&self, id: GrantId, name: Principal) -> Held {
        let grant = self.estate.grant(id);
        Held {
            grant: id,
            name,
            at: grant.at,
            ended: self.has_expired(grant),
            set: grant.set,
            statements: grant.statements,
        }
    }

    fn find_ceilings(&self, principal: Principal) -> Vec<CeilingId> {
        let (own, scope) = match principal {
            Principal::Identity(id) => {
                (self.ceilings_of.of(principal), self.estate.scope_of(Thing::Identity(id)))
            }
            Principal::User(id) => (self.ceilings_of.of(principal), self.estate.scope_of(Thing::User(id))),
            Principal::Account(id) => (&[][..], Some(id)),
            _ => return Vec::new(),
        };
        let mut all: Vec<CeilingId> = own.iter().map(|(_, ceiling)| *ceiling).collect();
        for (above, _) in self.estate.upwards(scope) {
            all.extend(self.ceilings_below.of(above).iter().map(|(_, ceiling)| *ceiling));
        }
        all
    }
}
