//! What somebody may do *in effect*, once denies, ceilings and the other side have had their say (access-model §4, §10).
//!
//! Nothing here decides. A statement says what to ask about: things that it takes, and actions that stand for all that
//! it takes (`acts.rs`); the decision answers for each. What is left is kept as the worst of it (`worst.rs`), told in
//! words that the decision confirmed (`told.rs`), and asked for breadth (`breadth.rs`). Things that may yet be made at
//! a place stand beside those that are there (`fresh.rs`).

mod acts;
mod along;
mod breadth;
mod counted;
mod found;
mod fresh;
mod handing;
mod harm;
mod opposed;
mod overtaking;
mod people;
mod power;
mod roads;
mod told;
mod worst;

use std::collections::BTreeSet;
use std::ops::Deref;
use std::sync::{Arc, Mutex, OnceLock, RwLock};

use indexmap::IndexSet;
use rustc_hash::{FxBuildHasher, FxHashMap, FxHashSet};

use crate::access::{Access, Action, Context, Holders};
use crate::estate::{
    ActionsId, At, EndpointId, Estate, FunctionId, GroupId, Id, IdentityId, KeyId, Principal, ResourceId,
    Thing, UserId,
};

pub use acts::{ACCESS, Act, Acts};
pub(crate) use acts::{Others, is_action, may_begin};
pub use breadth::{Bearer, Breadth, Sought, Wide};
pub use counted::{Counted, Given};
pub use found::action_in_words;
pub use handing::Handing;
pub use harm::{Harm, Impact};
pub(crate) use opposed::{Opposes, Opposition, Somebody};
pub use overtaking::Overtaking;
pub use power::{Control, Power};
pub use roads::{GivenOf, Road};
pub(crate) use roads::{Named, Powers};

/// A service: the kind of thing that its actions are done to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ServiceId(u32);

/// An estate prepared for questions about what is left in effect. Threads may share it.
#[derive(Debug)]
pub struct Effects<'e> {
    access: Access<'e>,
    services: RwLock<IndexSet<Arc<str>, FxBuildHasher>>,
    services_of_resources: Box<[ServiceId]>,
    others: RwLock<IndexSet<Arc<[ActionsId]>, FxBuildHasher>>,
    acts: Box<[Mutex<acts::Known>]>,
    told_apart: Mutex<acts::ToldApart>,
    /// Whether a choice has any action of a service.
    has_any: Box<[Mutex<FxHashMap<ServiceId, bool>>]>,
    /// Whether a choice has control of a sort over things of a service.
    has_control: Mutex<FxHashMap<(ActionsId, Power, ServiceId), bool>>,
    /// Whether the patterns of a choice leave out any action, or any of a service.
    leaves_out: Mutex<FxHashMap<(ActionsId, Option<ServiceId>), bool>>,
    powers: Box<[OnceLock<roads::Powers>]>,
    unbounded: Mutex<BTreeSet<Arc<str>>>,
    opposition: Box<[OnceLock<Option<Arc<opposed::Opposition>>>]>,
    worth_asking: OnceLock<roads::WorthAsking>,
    services_at: Mutex<FxHashMap<At, Arc<FxHashSet<ServiceId>>>>,
    bearers: Mutex<FxHashMap<GroupId, Arc<[Bearer]>>>,
    /// Of those the ones of an account.
    bearers_of: Mutex<breadth::BearersOf>,
    writers: Mutex<FxHashMap<ServiceId, Arc<Holders>>>,
    direct: Box<[OnceLock<found::Direct>]>,
    /// What each key opens.
    of_keys: Box<[OnceLock<found::Opened>]>,
    harms: Box<[OnceLock<Harm>]>,
    told: Box<[OnceLock<Option<Box<str>>>]>,
    /// The same of what each identity may itself, without becoming anybody else.
    told_itself: Box<[OnceLock<Option<Box<str>>>]>,
    fresh: fresh::Fresh,
    denied: opposed::Denied,
    every: OnceLock<Arc<Action>>,
    people: Mutex<people::Known>,
    services_of_actions: Box<[OnceLock<Box<[ServiceId]>>]>,
    services_named: Box<[OnceLock<roads::ServicesNamed>]>,
    kinds: Mutex<roads::Kinds>,
    /// The actions that each choice names.
    named: Box<[OnceLock<roads::NamedIn>]>,
    now: Context,
}

impl<'e> Deref for Effects<'e> {
    type Target = Access<'e>;

    fn deref(&self) -> &Access<'e> {
        &self.access
    }
}

impl<'e> Effects<'e> {
    /// Prepares an estate.
    pub fn new(estate: &'e Estate) -> Self {
        let access = Access::new(estate);
        let mut services: IndexSet<Arc<str>, FxBuildHasher> = IndexSet::default();
        let mut service = |text: &str| {
            let index =
                services.get_index_of(text).unwrap_or_else(|| services.insert_full(Arc::from(text)).0);
            ServiceId(index as u32)
        };
        for own in OWN_SERVICES {
            service(own);
        }
        let of_resource = |index| {
            let label = estate.id(ResourceId::new(index));
            service(label.split_once(':').map_or(label, |(kind, _)| kind))
        };
        let services_of_resources = (0..estate.count::<ResourceId>()).map(of_resource).collect();
        let distinct = estate.all_actions_picked().len();
        let identities = estate.count::<IdentityId>();
        Self {
            services_of_resources,
            services: RwLock::new(services),
            others: RwLock::new(IndexSet::from_iter([Arc::from([])])),
            acts: (0..distinct).map(|_| Mutex::default()).collect(),
            told_apart: Mutex::default(),
            has_any: (0..distinct).map(|_| Mutex::default()).collect(),
            has_control: Mutex::default(),
            leaves_out: Mutex::default(),
            powers: slots(distinct),
            unbounded: Mutex::default(),
            opposition: slots(identities),
            worth_asking: OnceLock::new(),
            services_at: Mutex::default(),
            bearers: Mutex::default(),
            bearers_of: Mutex::default(),
            writers: Mutex::default(),
            direct: slots(identities),
            of_keys: slots(estate.count::<KeyId>()),
            harms: slots(identities),
            told: slots(identities),
            told_itself: slots(identities),
            fresh: fresh::Fresh::new(estate),
            denied: opposed::Denied::new(estate),
            every: OnceLock::new(),
            people: Mutex::default(),
            services_of_actions: slots(distinct),
            services_named: slots(distinct),
            kinds: Mutex::default(),
            named: slots(distinct),
            now: Context::at(estate.as_of()),
            access,
        }
    }

    /// The estate prepared for single questions.
    pub fn access(&self) -> &Access<'e> {
        &self.access
    }

    /// What is fixed in questions about somebody: that they are strangers to the estate, of crowds; else the moment.
    pub fn given(&self, who: Principal) -> &Context {
        let is_stranger = match who {
            Principal::Anyone | Principal::SignedIn | Principal::Service(_) => true,
            Principal::Account(id) => self.estate().get(id).is_none(),
            _ => false,
        };
        if is_stranger { self.stranger() } else { &self.now }
    }

    /// The moment of the estate, and nothing besides.
    pub(crate) fn now(&self) -> &Context {
        &self.now
    }

    /// The service of a name.
    pub fn service(&self, name: &str) -> ServiceId {
        let known = self.services.read().expect("nobody panics while holding it").get_index_of(name);
        let index = known.unwrap_or_else(|| {
            let mut all = self.services.write().expect("nobody panics while holding it");
            all.insert_full(Arc::from(name)).0
        });
        ServiceId(index as u32)
    }

    /// The name of a service.
    pub fn service_name(&self, service: ServiceId) -> Arc<str> {
        Arc::clone(&self.services.read().expect("nobody panics while holding it")[service.0 as usize])
    }

    /// The service of the actions that are done to a thing.
    pub fn service_of(&self, thing: Thing) -> ServiceId {
        match thing {
            Thing::Resource(id) => self.services_of_resources[id.index()],
            Thing::Function(_) => FUNCTION,
            Thing::Identity(_) => IDENTITY,
            Thing::Key(_) => KEY,
            Thing::User(_) => USER,
            Thing::Group(_) => GROUP,
            Thing::Endpoint(_) => self.service(EndpointId::KIND),
            other => {
                let label = self.estate().label(other);
                self.service(label.split_once(':').map_or(&label, |(kind, _)| kind))
            }
        }
    }

    /// What statements on things deny.
    pub(crate) fn denied(&self) -> &opposed::Denied {
        &self.denied
    }

    fn others(&self, others: acts::Others) -> Arc<[ActionsId]> {
        Arc::clone(&self.others.read().expect("nobody panics while holding it")[others.0 as usize])
    }

    /// The number of a set of choices of actions, sorted.
    fn others_of(&self, choices: &[ActionsId]) -> acts::Others {
        let known = self.others.read().expect("nobody panics while holding it").get_index_of(choices);
        let index = known.unwrap_or_else(|| {
            let mut all = self.others.write().expect("nobody panics while holding it");
            all.insert_full(Arc::from(choices)).0
        });
        acts::Others(index as u32)
    }

    /// The services of the declared things at a place.
    pub fn services_at(&self, at: At) -> Arc<FxHashSet<ServiceId>> {
        let known = || self.services_at.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&at) {
            return Arc::clone(found);
        }
        let mut all: FxHashSet<ServiceId> = FxHashSet::default();
        all.extend(self.resources_at(at).map(|id| self.services_of_resources[id.index()]));
        for (service, any) in [
            (FUNCTION, self.any_at::<FunctionId>(at)),
            (IDENTITY, self.any_at::<IdentityId>(at)),
            (KEY, self.any_at::<KeyId>(at)),
            (USER, self.any_at::<UserId>(at)),
            (GROUP, self.any_at::<GroupId>(at)),
        ] {
            all.extend(any.then_some(service));
        }
        let all = Arc::new(all);
        known().insert(at, Arc::clone(&all));
        all
    }
}

/// The services of kinds of things that have entries of their own, and that of access.
const OWN_SERVICES: [&str; 6] =
    [FunctionId::KIND, IdentityId::KIND, KeyId::KIND, ACCESS, UserId::KIND, GroupId::KIND];
pub(crate) const FUNCTION: ServiceId = ServiceId(0);
pub(crate) const IDENTITY: ServiceId = ServiceId(1);
pub(crate) const KEY: ServiceId = ServiceId(2);
pub(crate) const ACCESS_SERVICE: ServiceId = ServiceId(3);
pub(crate) const USER: ServiceId = ServiceId(4);
pub(crate) const GROUP: ServiceId = ServiceId(5);

fn slots<T>(count: usize) -> Box<[OnceLock<T>]> {
    (0..count).map(|_| OnceLock::new()).collect()
}
