//! May P do A on R: the one decision that everything else asks (access-model §4).

mod becoming;
mod breadth;
mod by;
mod catalogue;
mod condition;
mod decide;
mod holders;
mod names;
mod picks;
mod population;
mod profile;
mod reason;
mod taking;
mod truth;

use std::sync::{Arc, Mutex, OnceLock};

use rustc_hash::{FxHashMap, FxHashSet};

use crate::estate::{
    AccountOf, Admission, AdmissionId, Bounded, CaseOfActions, CeilingId, Estate, FunctionId, Grant, GrantId,
    GroupId, Grouped, Id, IdentityId, Kept, KeyId, PatternId, Principal, ResourceId, ScopeId, SetId,
    StatementId, Statements, Thing, UserId,
};
use crate::pattern::Pattern;

pub use becoming::Becoming;
pub use breadth::Left;
pub use catalogue::{Catalogue, Classes, EVERY_ACTION, Example, HarmfulActions};
pub(crate) use condition::is_private;
pub use condition::{Context, Facts, Known};
pub use decide::Question;
pub use holders::Holders;
pub use picks::Action;
pub use reason::{Answer, Ground, Needs, Shortfall, Verdict, Via};
pub use taking::{OfKind, Taken};
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

/// An estate prepared for questions. What is asked for again and again is worked out once, when it is first
/// asked for; threads may share it.
#[derive(Debug)]
pub struct Access<'e> {
    estate: &'e Estate,
    population: population::Population,
    membership: names::Membership,
    grants_by_holder: by::By<Principal, GrantId>,
    contents: Box<[OnceLock<Box<[Contained]>>]>,
    invoke_permissions: Grouped<AdmissionId>,
    trust: Grouped<AdmissionId>,
    access_lists: Grouped<AdmissionId>,
    accounts_of_resources: Box<[AccountOf]>,
    admissions_by_named: by::By<Principal, AdmissionId>,
    keys_by_opened: by::By<Thing, KeyId>,
    ceilings_of: by::By<IdentityId, CeilingId>,
    ceilings_below: by::By<ScopeId, CeilingId>,
    profiles_of_identities: Box<[OnceLock<profile::Profile>]>,
    profiles_of_users: Box<[OnceLock<profile::Profile>]>,
    /// Of all others that something admits by name.
    profiles_of_others: FxHashMap<Principal, OnceLock<profile::Profile>>,
    picks: Box<[picks::Pick]>,
    takings: taking::Takings,
    /// The identities whose trust names somebody.
    trusting: by::By<Principal, IdentityId>,
    catalogue: Catalogue,
    known: catalogue::Known,
    some_ignore_case: bool,
    invoke: Action,
    assume: Action,
    invokers: OnceLock<Holders>,
    stranger: Context,
    prepared: Mutex<FxHashMap<Box<str>, Arc<Action>>>,
}

impl<'e> Access<'e> {
    /// Prepares an estate. Near-linear in its size: a rule group looks at the area that it is about.
    pub fn new(estate: &'e Estate) -> Self {
        let some_ignore_case =
            estate.all::<ScopeId>().any(|(_, scope)| scope.action_case == CaseOfActions::Ignored);
        let (population, takings) =
            rayon::join(|| population::Population::new(estate), || taking::Takings::new(estate));
        let mut ceilings_of = Vec::new();
        let mut ceilings_below = Vec::new();
        for (id, ceiling) in estate.ceilings() {
            for &over in &ceiling.over {
                match over {
                    Bounded::Identity(identity) => ceilings_of.push((identity, id)),
                    Bounded::Scope(scope) => ceilings_below.push((scope, id)),
                }
            }
        }
        let account_of = |index| estate.account_of(Thing::Resource(ResourceId::new(index)));
        let admissions_by_named = by::By::new(admitted(estate).collect());
        let others = admissions_by_named
            .keys()
            .filter(|who| !matches!(who, Principal::Identity(_) | Principal::User(_)));
        let mut access = Self {
            estate,
            membership: names::Membership::new(estate, &population),
            takings,
            trusting: becoming::trusting(estate),
            population,
            grants_by_holder: by::By::new(estate.grants().map(|(id, grant)| (grant.principal, id)).collect()),
            contents: slots(estate.count::<SetId>()),
            invoke_permissions: admissions::<FunctionId>(estate),
            trust: admissions::<IdentityId>(estate),
            access_lists: admissions::<ResourceId>(estate),
            accounts_of_resources: (0..estate.count::<ResourceId>()).map(account_of).collect(),
            profiles_of_others: others.map(|who| (who, OnceLock::new())).collect(),
            admissions_by_named,
            keys_by_opened: by::By::new(estate.all::<KeyId>().map(|(id, key)| (key.opens(), id)).collect()),
            ceilings_of: by::By::new(ceilings_of),
            ceilings_below: by::By::new(ceilings_below),
            profiles_of_identities: slots(estate.count::<IdentityId>()),
            profiles_of_users: slots(estate.count::<UserId>()),
            picks: picks::picks(estate),
            catalogue: Catalogue::new(estate),
            known: catalogue::Known::new(estate),
            some_ignore_case,
            invoke: Action::default(),
            assume: Action::default(),
            invokers: OnceLock::new(),
            stranger: Context::of_a_stranger(estate.as_of()),
            prepared: Mutex::default(),
        };
        access.invoke = access.prepare(INVOKE);
        access.assume = access.prepare(ASSUME);
        access
    }

    /// The estate that questions are about.
    pub fn estate(&self) -> &'e Estate {
        self.estate
    }

    /// What class an action is of.
    pub fn catalogue(&self) -> &Catalogue {
        &self.catalogue
    }

    /// The action of making a function run, prepared.
    pub fn invoke(&self) -> &Action {
        &self.invoke
    }

    /// The action of acting as an identity, prepared.
    pub fn assume(&self) -> &Action {
        &self.assume
    }

    /// Who is given invoking, turned around; found when first asked for.
    pub fn invokers(&self) -> &Holders {
        self.invokers.get_or_init(|| self.holders(&self.invoke))
    }

    /// All names of a principal, the narrowest first.
    pub fn names(&self, principal: Principal) -> Box<[Principal]> {
        self.profile(principal).names.clone()
    }

    /// The direct members of a group, listed or by rule.
    pub fn members(&self, group: GroupId) -> &[Principal] {
        self.membership.members(group)
    }

    /// The groups that a name is directly in.
    pub fn groups_of(&self, name: Principal) -> impl Iterator<Item = GroupId> {
        self.membership.groups_of(name)
    }

    /// The grants held by exactly this name.
    pub fn grants_of(&self, name: Principal) -> impl ExactSizeIterator<Item = GrantId> {
        self.grants_by_holder.of(name).iter().map(|(_, grant)| *grant)
    }

    /// The grants that a principal holds by any of its names, each with that name.
    pub fn held(&self, principal: Principal) -> Box<[(GrantId, Principal)]> {
        self.profile(principal).grants.iter().map(|held| (held.grant, held.name)).collect()
    }

    /// The invoke permissions, trusts or access list entries on a thing.
    pub fn admissions_on(&self, thing: Thing) -> &[AdmissionId] {
        match thing {
            Thing::Function(id) => self.invoke_permissions.get(id),
            Thing::Identity(id) => self.trust.get(id),
            Thing::Resource(id) => self.access_lists.get(id),
            _ => &[],
        }
    }

    /// The declared keys that open exactly this function or scope.
    pub fn keys_of(&self, thing: Thing) -> impl ExactSizeIterator<Item = KeyId> {
        self.keys_by_opened.of(thing).iter().map(|(_, key)| *key)
    }

    /// The admissions that name exactly this name.
    pub fn admissions_naming(&self, name: Principal) -> impl ExactSizeIterator<Item = AdmissionId> {
        self.admissions_by_named.of(name).iter().map(|(_, admission)| *admission)
    }

    /// Everybody who is in a group, directly or through groups in it; each once, sorted.
    pub fn everybody_in(&self, group: GroupId) -> Vec<Principal> {
        let mut all = Vec::new();
        let mut open = vec![group];
        let mut seen = FxHashSet::from_iter([group]);
        while let Some(next) = open.pop() {
            for &member in self.members(next) {
                match member {
                    Principal::Group(inner) => {
                        if seen.insert(inner) {
                            open.push(inner);
                        }
                    }
                    other => all.push(other),
                }
            }
        }
        all.sort_unstable();
        all.dedup();
        all
    }

    /// What is true of a call by somebody who has nothing to do with the estate.
    pub fn stranger(&self) -> &Context {
        &self.stranger
    }

    /// The account that a thing is of.
    pub fn account_of(&self, thing: Thing) -> AccountOf {
        match thing {
            Thing::Resource(id) => self.accounts_of_resources[id.index()],
            _ => self.estate.account_of(thing),
        }
    }

    /// Whether a grant had ended when the estate was true.
    pub fn has_expired(&self, grant: &Grant) -> bool {
        self.estate.has_ended(grant.expires)
    }

    /// The statements of a grant: its own, and those of its set and all sets included there.
    pub(crate) fn statements_of(&self, grant: &Grant) -> impl Iterator<Item = Contained> {
        self.all_statements(grant.statements, grant.set)
    }

    fn all_statements(&self, own: Statements, set: Option<SetId>) -> impl Iterator<Item = Contained> {
        let own = own.ids().map(|statement| Contained { statement, set: None });
        let held = set.map_or(&[][..], |set| self.contents(set));
        own.chain(held.iter().copied())
    }

    fn contents(&self, set: SetId) -> &[Contained] {
        self.contents[set.index()].get_or_init(|| {
            let mut seen = FxHashSet::from_iter([set]);
            let mut open = vec![set];
            let mut all = Vec::new();
            while let Some(next) = open.pop() {
                let Some(set) = self.estate.get(next) else { continue };
                all.extend(set.statements.ids().map(|statement| Contained { statement, set: Some(next) }));
                open.extend(set.includes.iter().rev().filter(|included| seen.insert(**included)));
            }
            all.into()
        })
    }

    pub(crate) fn patterns(&self, ids: &[PatternId]) -> Vec<&'e Pattern> {
        ids.iter().map(|id| self.estate.pattern(*id)).collect()
    }
}

fn slots<T>(count: usize) -> Box<[OnceLock<T>]> {
    (0..count).map(|_| OnceLock::new()).collect()
}

/// The admissions on things of a kind.
fn admissions<K: Kept>(estate: &Estate) -> Grouped<AdmissionId> {
    let all = estate.admissions().iter().enumerate();
    let on = |(index, it): (usize, &Admission)| Some((K::of(it.on)?, AdmissionId::new(index)));
    Grouped::new(estate.count::<K>(), all.filter_map(on))
}

/// Whom admissions name.
fn admitted(estate: &Estate) -> impl Iterator<Item = (Principal, AdmissionId)> {
    let all = estate.admissions().iter().enumerate();
    all.flat_map(|(index, it)| estate.list(it.to).iter().map(move |who| (*who, AdmissionId::new(index))))
}
