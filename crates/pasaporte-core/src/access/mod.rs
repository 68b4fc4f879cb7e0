//! May P do A on R: the one decision that everything else asks (access-model §4).

mod breadth;
mod catalogue;
mod condition;
mod decide;
mod names;
mod reason;
mod truth;

use std::sync::OnceLock;

use rustc_hash::{FxHashMap, FxHashSet};

use crate::estate::{
    AdmissionId, Bounded, CeilingId, Estate, Grant, GrantId, GroupId, Id, IdentityId, PatternId, Principal,
    ScopeId, Selection, SetId, StatementId, Thing,
};
use crate::pattern::Pattern;

pub use breadth::Left;
pub use catalogue::Catalogue;
pub(crate) use condition::is_private;
pub use condition::{Context, Known};
pub use decide::Question;
pub use reason::{Answer, Ground, Shortfall, Verdict, Via};
pub use truth::Truth;

/// The action of making a function run.
pub const INVOKE: &str = "function/invoke";
/// The action of acting as an identity.
pub const ASSUME: &str = "identity/assume";

/// A statement that a permission set contains, its own or through an included set.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Contained {
    pub(crate) statement: StatementId,
    pub(crate) set: Option<SetId>,
}

/// An estate prepared for questions.
#[derive(Debug)]
pub struct Access<'e> {
    estate: &'e Estate,
    membership: names::Membership,
    grants_of: FxHashMap<Principal, Vec<GrantId>>,
    contents: Vec<OnceLock<Box<[Contained]>>>,
    admissions_on: FxHashMap<Thing, Vec<AdmissionId>>,
    ceilings_of: FxHashMap<IdentityId, Vec<CeilingId>>,
    ceilings_below: FxHashMap<ScopeId, Vec<CeilingId>>,
    catalogue: Catalogue,
}

impl<'e> Access<'e> {
    /// Prepares an estate. Linear in its size, but for rule groups, each of which looks at all identities.
    pub fn new(estate: &'e Estate) -> Self {
        let mut grants_of: FxHashMap<Principal, Vec<GrantId>> = FxHashMap::default();
        for (id, grant) in estate.grants() {
            grants_of.entry(grant.principal).or_default().push(id);
        }
        let mut admissions_on: FxHashMap<Thing, Vec<AdmissionId>> = FxHashMap::default();
        for (index, admission) in estate.admissions().iter().enumerate() {
            admissions_on.entry(admission.on).or_default().push(AdmissionId::new(index));
        }
        let mut ceilings_of: FxHashMap<IdentityId, Vec<CeilingId>> = FxHashMap::default();
        let mut ceilings_below: FxHashMap<ScopeId, Vec<CeilingId>> = FxHashMap::default();
        for (id, ceiling) in estate.ceilings() {
            for &over in &ceiling.over {
                match over {
                    Bounded::Identity(identity) => ceilings_of.entry(identity).or_default().push(id),
                    Bounded::Scope(scope) => ceilings_below.entry(scope).or_default().push(id),
                }
            }
        }
        Self {
            estate,
            membership: names::Membership::new(estate),
            grants_of,
            contents: (0..estate.count::<SetId>()).map(|_| OnceLock::new()).collect(),
            admissions_on,
            ceilings_of,
            ceilings_below,
            catalogue: Catalogue::new(estate),
        }
    }

    /// The estate that questions are about.
    pub fn estate(&self) -> &'e Estate {
        self.estate
    }

    /// What class an action is of.
    pub fn catalogue(&self) -> &Catalogue {
        &self.catalogue
    }

    /// All names of a principal, the narrowest first.
    pub fn names(&self, principal: Principal) -> Vec<Principal> {
        self.membership.names(self.estate, principal)
    }

    /// The direct members of a group, listed or by rule.
    pub fn members(&self, group: GroupId) -> &[Principal] {
        self.membership.members(group)
    }

    /// The grants held by exactly this name.
    pub fn grants_of(&self, name: Principal) -> &[GrantId] {
        self.grants_of.get(&name).map_or(&[], Vec::as_slice)
    }

    /// The invoke permissions, trusts or access list entries on a thing.
    pub fn admissions_on(&self, thing: Thing) -> &[AdmissionId] {
        self.admissions_on.get(&thing).map_or(&[], Vec::as_slice)
    }

    /// The ceilings that bind a principal.
    pub fn ceilings_on(&self, principal: Principal) -> Vec<CeilingId> {
        let (own, scope) = match principal {
            Principal::Identity(id) => (self.ceilings_of.get(&id), self.estate.scope_of(Thing::Identity(id))),
            Principal::User(id) => (None, self.estate.scope_of(Thing::User(id))),
            Principal::Account(id) => (None, Some(id)),
            _ => return Vec::new(),
        };
        let mut all: Vec<CeilingId> = own.into_iter().flatten().copied().collect();
        for (above, _) in self.estate.upwards(scope) {
            all.extend(self.ceilings_below.get(&above).into_iter().flatten());
        }
        all
    }

    /// Whether a grant had ended when the estate was true.
    pub fn has_expired(&self, grant: &Grant) -> bool {
        matches!((grant.expires, self.estate.as_of()), (Some(end), Some(now)) if end <= now)
    }

    /// The statements of a grant: its own, and those of its set and all sets included there.
    pub(crate) fn statements_of(&self, grant: &Grant) -> impl Iterator<Item = Contained> {
        let own = grant.statements.iter().map(|&statement| Contained { statement, set: None });
        let held = grant.set.map_or(&[][..], |set| self.contents(set));
        own.collect::<Vec<_>>().into_iter().chain(held.iter().copied())
    }

    fn contents(&self, set: SetId) -> &[Contained] {
        self.contents[set.index()].get_or_init(|| {
            let mut seen = FxHashSet::from_iter([set]);
            let mut open = vec![set];
            let mut all = Vec::new();
            while let Some(next) = open.pop() {
                let Some(set) = self.estate.get(next) else { continue };
                all.extend(set.statements.iter().map(|&statement| Contained { statement, set: Some(next) }));
                open.extend(set.includes.iter().rev().filter(|included| seen.insert(**included)));
            }
            all.into()
        })
    }

    pub(crate) fn patterns(&self, ids: &[PatternId]) -> Vec<&'e Pattern> {
        ids.iter().map(|id| self.estate.pattern(*id)).collect()
    }

    pub(crate) fn selects(&self, selection: &Selection, text: &str, any_case: bool) -> bool {
        let matches = |id: &PatternId| {
            let pattern = self.estate.pattern(*id);
            if any_case { pattern.matches_any_case(text) } else { pattern.matches(text) }
        };
        selection.any.iter().any(matches) && !selection.except.iter().any(matches)
    }
}
