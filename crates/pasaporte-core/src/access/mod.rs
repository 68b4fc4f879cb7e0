//! May P do A on R: the one decision that everything else asks (access-model §4).

mod becoming;
mod by;
mod catalogue;
mod condition;
mod decide;
mod holders;
mod known;
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
    AccountOf, Admission, AdmissionId, Bounded, CaseOfActions, CeilingId, EndpointId, Estate, FunctionId,
    Grant, GrantId, GroupId, Grouped, Id, IdentityId, Kept, KeyId, PatternId, Principal, ResourceId, ScopeId,
    SetId, StatementId, Statements, Thing, UserId,
};
use crate::pattern::Pattern;

pub use becoming::Becoming;
pub(crate) use catalogue::Line;
pub use catalogue::{Catalogue, Dialect};
pub use condition::{Context, Facts, Known};
pub(crate) use condition::{is_in, is_internet};
pub use decide::{New, On, Question};
pub(crate) use holders::Given;
pub use holders::Holders;
pub use known::KnownActions;
pub use picks::Action;
pub use reason::{Answer, Ground, Needs, Shortfall, Verdict, Via};
pub(crate) use taking::{HomeAt, Reachable};
pub use taking::{OfKind, Taken};
pub use truth::Truth;

/// The action of making a function run.
pub const INVOKE: &str = "function/invoke";
/// The action of acting as an identity.
pub const ASSUME: &str = "identity/assume";
/// The action of acting as a user.
const ASSUME_USER: &str = "user/assume";
/// The action of acting as if one were in a group.
const ASSUME_GROUP: &str = "group/assume";

/// A statement that a permission set contains, its own or through an included set.
#[derive(Debug, Clone, Copy)]
pub struct Contained {
    /// The statement.
    pub statement: StatementId,
    /// The set whose own it is; none where it stands in the grant.
    pub set: Option<SetId>,
}

/// The names that strangers bear.
#[derive(Debug)]
struct Everybody {
    /// `anyone`, and the groups that anyone is in.
    anyone: Box<[Principal]>,
    /// Those and `signed-in`, and the groups that any signed-in caller is in.
    signed_in: Box<[Principal]>,
    /// Whether any of these holds a grant.
    hold_grants: bool,
}

impl Everybody {
    fn new(estate: &Estate, membership: &names::Membership, grants: &by::By<Principal, GrantId>) -> Self {
        let names = |who| membership.names(estate, who).into_boxed_slice();
        let signed_in = names(Principal::SignedIn);
        Self {
            anyone: names(Principal::Anyone),
            hold_grants: signed_in.iter().any(|name| !grants.of(*name).is_empty()),
            signed_in,
        }
    }
}

/// An estate prepared for questions. What is asked for again and again is worked out once, when it is first
/// asked for; threads may share it.
#[derive(Debug)]
pub struct Access<'e> {
    estate: &'e Estate,
    population: population::Population,
    membership: names::Membership,
    everybody: Everybody,
    grants_by_holder: by::By<Principal, GrantId>,
    contents: Box<[OnceLock<Box<[Contained]>>]>,
    invoke_permissions: Grouped<AdmissionId>,
    trust: Grouped<AdmissionId>,
    access_lists: Grouped<AdmissionId>,
    accounts_of_resources: Box<[AccountOf]>,
    admissions_by_named: by::By<Principal, AdmissionId>,
    keys_by_opened: by::By<Thing, KeyId>,
    ceilings_of: by::By<Principal, CeilingId>,
    ceilings_below: by::By<ScopeId, CeilingId>,
    profiles_of_identities: Box<[OnceLock<profile::Profile>]>,
    profiles_of_users: Box<[OnceLock<profile::Profile>]>,
    /// Of all others that something admits by name.
    profiles_of_others: FxHashMap<Principal, OnceLock<profile::Profile>>,
    picks: Box<[picks::Pick]>,
    by_start: picks::ByStart,
    takings: taking::Takings,
    /// The identities whose trust names somebody.
    trusting: by::By<Principal, IdentityId>,
    catalogue: Catalogue,
    dialects: catalogue::Dialects,
    some_ignore_case: bool,
    invoke: Action,
    assume: Action,
    assume_user: Action,
    assume_group: Action,
    invokers: OnceLock<Holders>,
    assumers: OnceLock<Holders>,
    strangers_with_grants: OnceLock<Box<[Principal]>>,
    /// The places of tries, by their endpoints.
    tries: OnceLock<FxHashMap<EndpointId, Vec<usize>>>,
    stranger: Context,
    prepared: Mutex<FxHashMap<Box<str>, Arc<Action>>>,
}

impl<'e> Access<'e> {
    /// Prepares an estate. Near-linear in its size: a rule group looks at the area that it is about.
    pub fn new(estate: &'e Estate) -> Self {
        let some_ignore_case =
            estate.all::<ScopeId>().any(|(_, scope)| scope.action_case == CaseOfActions::Ignored);
        let grants = || estate.grants().map(|(id, grant)| (grant.principal, id)).collect();
        let account_of = |index| estate.account_of(Thing::Resource(ResourceId::new(index)));
        let of_people = || {
            let population = population::Population::new(estate);
            let membership = names::Membership::new(estate, &population);
            (population, membership, taking::Takings::new(estate))
        };
        let of_grants = || (by::By::new(grants()), picks::picks(estate));
        let of_things = || {
            let accounts = (0..estate.count::<ResourceId>()).map(account_of).collect();
            (by::By::new(admitted(estate).collect()), becoming::trusting(estate), accounts)
        };
        let (
            (population, membership, takings),
            ((grants_by_holder, picks), (admissions_by_named, trusting, accounts_of_resources)),
        ) = rayon::join(of_people, || rayon::join(of_grants, of_things));
        let mut ceilings_of = Vec::new();
        let mut ceilings_below = Vec::new();
        for (id, ceiling) in estate.ceilings() {
            for &over in &ceiling.over {
                match over {
                    Bounded::Identity(identity) => ceilings_of.push((Principal::Identity(identity), id)),
                    Bounded::User(user) => ceilings_of.push((Principal::User(user), id)),
                    Bounded::Scope(scope) => ceilings_below.push((scope, id)),
                }
            }
        }
        let others = admissions_by_named
            .keys()
            .filter(|who| !matches!(who, Principal::Identity(_) | Principal::User(_)));
        let catalogue = Catalogue::new(estate);
        let mut access = Self {
            estate,
            everybody: Everybody::new(estate, &membership, &grants_by_holder),
            membership,
            takings,
            trusting,
            population,
            grants_by_holder,
            contents: slots(estate.count::<SetId>()),
            invoke_permissions: admissions::<FunctionId>(estate),
            trust: admissions::<IdentityId>(estate),
            access_lists: admissions::<ResourceId>(estate),
            accounts_of_resources,
            profiles_of_others: others.map(|who| (who, OnceLock::new())).collect(),
            admissions_by_named,
            keys_by_opened: by::By::new(estate.all::<KeyId>().map(|(id, key)| (key.opens(), id)).collect()),
            ceilings_of: by::By::new(ceilings_of),
            ceilings_below: by::By::new(ceilings_below),
            profiles_of_identities: slots(estate.count::<IdentityId>()),
            profiles_of_users: slots(estate.count::<UserId>()),
            picks,
            by_start: picks::ByStart::new(estate),
            dialects: catalogue::Dialects::new(estate, &catalogue),
            catalogue,
            some_ignore_case,
            invoke: Action::default(),
            assume: Action::default(),
            assume_user: Action::default(),
            assume_group: Action::default(),
            invokers: OnceLock::new(),
            assumers: OnceLock::new(),
            strangers_with_grants: OnceLock::new(),
            tries: OnceLock::new(),
            stranger: Context::of_a_stranger(estate.as_of()),
            prepared: Mutex::default(),
        };
        access.invoke = access.prepare(INVOKE);
        access.assume = access.prepare(ASSUME);
        access.assume_user = access.prepare(ASSUME_USER);
        access.assume_group = access.prepare(ASSUME_GROUP);
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

    /// The action of acting as somebody, prepared; none where nobody acts as such.
    pub fn assuming(&self, whom: Principal) -> Option<&Action> {
        match whom {
            Principal::Identity(_) => Some(&self.assume),
            Principal::User(_) => Some(&self.assume_user),
            Principal::Group(_) => Some(&self.assume_group),
            _ => None,
        }
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

    /// The grants held by exactly this name.
    pub fn grants_of(&self, name: Principal) -> impl ExactSizeIterator<Item = GrantId> {
        self.grants_by_holder.of(name).iter().map(|(_, grant)| *grant)
    }

    /// Goes through the grants in force that a principal holds by any of its names, each with that name.
    pub(crate) fn for_each_held(&self, principal: Principal, mut each: impl FnMut(GrantId, Principal)) {
        let profile = self.profile(principal);
        profile.grants.iter().filter(|held| !held.ended).for_each(|held| each(held.grant, held.name));
    }

    /// Whether any of these grants is of a sort.
    pub(crate) fn any_held(&self, principal: Principal, is: impl Fn(GrantId, Principal) -> bool) -> bool {
        self.profile(principal).grants.iter().any(|held| !held.ended && is(held.grant, held.name))
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

    /// The names of strangers, services, accounts and holders of keys and tokens to whom a grant gives something, also
    /// as members of groups.
    pub(crate) fn strangers_with_grants(&self) -> &[Principal] {
        self.strangers_with_grants.get_or_init(|| {
            let mut all: Vec<Principal> = Vec::new();
            for holder in self.grants_by_holder.keys() {
                match holder {
                    Principal::User(_) | Principal::Identity(_) => {}
                    Principal::Group(group) => all.extend(self.everybody_in(group)),
                    other => all.push(other),
                }
            }
            all.retain(|who| !matches!(who, Principal::User(_) | Principal::Identity(_)));
            all.sort_unstable();
            all.dedup();
            all.into()
        })
    }

    /// Whether there may be members of a group that were not seen, of its own or of a group in it.
    pub fn may_have_others(&self, group: GroupId) -> bool {
        let mut open = vec![group];
        let mut seen = FxHashSet::from_iter([group]);
        while let Some(next) = open.pop() {
            if self.estate.get(next).is_some_and(|it| it.unseen) {
                return true;
            }
            for &member in self.members(next) {
                if let Principal::Group(inner) = member
                    && seen.insert(inner)
                {
                    open.push(inner);
                }
            }
        }
        false
    }

    /// The places of tries of an endpoint among all, in the order read.
    pub fn tries_of(&self, endpoint: EndpointId) -> impl Iterator<Item = usize> {
        let all = self.tries.get_or_init(|| {
            let mut all: FxHashMap<EndpointId, Vec<usize>> = FxHashMap::default();
            for (place, attempt) in self.estate.attempts().iter().enumerate() {
                all.entry(attempt.endpoint).or_default().push(place);
            }
            all
        });
        all.get(&endpoint).into_iter().flatten().copied()
    }

    /// What is true of a call by somebody who has nothing to do with the estate.
    pub fn stranger(&self) -> &Context {
        &self.stranger
    }

    /// What a principal's grants in force take away, and the ceilings over it.
    pub(crate) fn opposing(&self, who: Principal) -> (Box<[StatementId]>, Box<[CeilingId]>) {
        let profile = self.profile(who);
        let in_force = profile.grants.iter().filter(|held| !held.ended);
        let all = in_force.flat_map(|held| self.all_statements(held.statements, held.set));
        let denies = all.map(|contained| contained.statement);
        let denies =
            denies.filter(|id| self.estate.statement(*id).effect == crate::estate::Effect::Deny).collect();
        (denies, profile.ceilings.clone())
    }

    /// The account that a principal is of; none of those that are of no account.
    pub(crate) fn home(&self, who: Principal) -> Option<AccountOf> {
        self.profile(who).home
    }

    /// Whether a name is one that strangers bear.
    pub fn is_of_everybody(&self, name: Principal) -> bool {
        self.everybody.signed_in.contains(&name)
    }

    /// Whether anyone bears a name.
    pub fn is_of_anyone(&self, name: Principal) -> bool {
        self.everybody.anyone.contains(&name)
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
    pub fn statements_of(&self, grant: &Grant) -> impl Iterator<Item = Contained> {
        self.all_statements(grant.statements, grant.set)
    }

    /// The statements of a set, with those of sets that it includes.
    pub fn statements_of_set(&self, set: SetId) -> impl Iterator<Item = Contained> {
        self.contents(set).iter().copied()
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

    /// The patterns of some ids.
    pub fn patterns(&self, ids: &[PatternId]) -> Vec<&'e Pattern> {
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
