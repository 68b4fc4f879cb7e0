//! The smallest change that keeps what is needed (access-model §8): what was used in a time that logs cover, what triggers take, and
//! what somebody says is to be kept. A proposal is data; whoever writes it proves it by asking the estate as it would be.

mod doors;
mod grants;
mod split;

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};
use std::rc::Rc;
use std::sync::OnceLock;

use pasaporte_core::effect::Act;
use pasaporte_core::estate::{
    AdmissionId, Answered, Check, EndpointId, FunctionId, GrantId, IdentityId, KeyId, KeyOf, KeyReach,
    Principal, ScopeId, Showed, StatementId, Thing,
};
use pasaporte_core::usage::Window;
use rayon::prelude::*;
use rustc_hash::FxHashMap;

use crate::Audit;
use crate::rules::unused::Watch;

pub use split::{Share, ShareOf};

/// A change that takes away what is not needed.
#[derive(Debug, Clone)]
pub enum Change {
    /// A grant of which nothing is needed goes.
    Drop {
        /// The grant.
        grant: GrantId,
        /// The time in which nothing of it was used.
        window: Window,
    },
    /// A grant gives what is needed of it, and no more.
    Narrow {
        /// The grant.
        grant: GrantId,
        /// What is needed of each statement that allows something.
        needed: Vec<Narrowed>,
        /// Statements that take something away, and stay.
        denies: Vec<StatementId>,
        /// The time in which the rest was not used.
        window: Window,
    },
    /// A service may make a function run for these sources, and no other.
    Pin {
        /// The function.
        function: FunctionId,
        /// The permission.
        admission: AdmissionId,
        /// The service.
        service: Principal,
        /// The sources of the function's triggers.
        sources: Vec<Thing>,
    },
    /// An endpoint asks for what everybody who came had anyway.
    Ask {
        /// The endpoint.
        endpoint: EndpointId,
        /// What it asks for.
        check: Check,
        /// How often somebody came, all with that.
        came: u64,
        /// The time in which nobody came without.
        window: Window,
    },
    /// A key opens what it was used for, and no more.
    Confine {
        /// The key.
        key: KeyId,
        /// What it opens then.
        of: KeyOf,
        /// How much of that.
        reach: KeyReach,
        /// How often it was used, each time for that.
        came: u64,
        /// The time in which it was used for nothing else.
        window: Window,
    },
    /// Functions that share an identity have one each, with what they need.
    Split {
        /// The identity, which keeps what it holds until nothing runs as it.
        identity: IdentityId,
        /// Each function.
        shares: Vec<Share>,
        /// What is needed and no function accounts for, in words: each keeps it.
        unaccounted: Vec<String>,
        /// The time in which the rest was not used.
        window: Window,
    },
    /// A key that nobody used is switched off.
    Retire {
        /// The key.
        key: KeyId,
        /// The time in which nobody used it.
        window: Window,
    },
}

/// What is needed of a statement.
#[derive(Debug, Clone)]
pub struct Narrowed {
    /// The statement that gives it.
    pub statement: StatementId,
    /// Which actions, on which things; on whatever the statement takes, where logs do not say on what.
    pub needs: BTreeMap<String, On>,
}

/// On what an action is needed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum On {
    /// On these.
    These(BTreeSet<Thing>),
    /// On these, which a pattern takes, and nothing else that is there.
    Like(String, BTreeSet<Thing>),
    /// On something that logs do not name.
    Unsaid,
}

/// What was looked at and left as it is.
#[derive(Debug, Clone)]
pub struct Left {
    /// What.
    pub thing: Thing,
    /// Why.
    pub why: Why,
}

/// Why something is left as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// No logs cover all that it gives for long enough.
    NotWatched,
    /// It gives what is needed and no more.
    Fits,
    /// Others are called the same, so that it cannot be named alone.
    NotAlone,
    /// It has conditions that the format cannot say in a statement of its own.
    Unwritable,
    /// Some came without a credential, or the logs do not say what they showed.
    CameWithout,
    /// Those who came said who they are, and may not invoke the function.
    MayNotInvoke,
    /// Those who came showed different kinds of credentials.
    CameApart,
    /// No trigger of the function says for which source it runs.
    NoSource,
    /// No two functions run as it.
    NotShared,
    /// A ceiling names it, and would not bound what took its place.
    Bounded,
    /// Some of what it does it may by a group, an access list or a permission.
    ByOthers,
    /// The functions that run as it need the same, as far as can be told.
    NeedTheSame,
    /// It is used for one function, whose endpoint asks for a key of all of them.
    AsksForMore,
    /// It is in use.
    InUse,
}

/// What is proposed.
#[derive(Debug, Clone, Default)]
pub struct Proposal {
    /// The changes.
    pub changes: Vec<Change>,
    /// What is left as it is.
    pub left: Vec<Left>,
}

/// What somebody wants kept, whatever logs say: actions on things, for a principal.
#[derive(Debug, Clone)]
pub struct Keep {
    /// Whose, as a label: a principal, or a function for what it runs as.
    pub who: String,
    /// The action.
    pub action: String,
    /// On what, as a label.
    pub on: String,
}

impl On {
    /// The things that are known.
    pub fn things(&self) -> impl Iterator<Item = Thing> {
        let things = match self {
            Self::These(things) | Self::Like(_, things) => Some(things),
            Self::Unsaid => None,
        };
        things.into_iter().flatten().copied()
    }
}

pasaporte_core::vocabulary! {
    /// How things are named that are needed.
    Naming: "a way to name things" {
        /// One by one.
        Exact = "exact",
        /// By the longest beginning that their names have in common, where nothing else that is there begins so.
        Common = "common",
    }
}

/// What somebody says of proposals, whatever logs show.
#[derive(Debug, Clone, Default)]
pub struct Wishes {
    /// What is to be kept.
    pub keep: Vec<Keep>,
    /// How things are named; one by one where nobody says.
    pub naming: Option<Naming>,
    /// Whether functions that share an identity are to have one each.
    pub split: bool,
}

/// Looks for the smallest change of something: a function, an identity, a grant, a key, an endpoint, or all of a scope.
pub fn tighten(audit: &Audit<'_>, target: Thing, wishes: &Wishes) -> Proposal {
    tighten_all(audit, std::iter::once(target), wishes)
}

/// The same of several things.
pub fn tighten_all(audit: &Audit<'_>, targets: impl Iterator<Item = Thing>, wishes: &Wishes) -> Proposal {
    /// Parts that are looked at by one thread after the other: what logs cover of a place is worked out for each lot.
    const LOT: usize = 256;
    let estate = audit.estate();
    let mut called: FxHashMap<Principal, Vec<FunctionId>> = FxHashMap::default();
    for call in estate.calls().iter().filter(|call| call.answered != Answered::TurnedAway) {
        if let (Showed::Principal(who), Some(endpoint)) = (call.showed, estate.get(call.endpoint)) {
            called.entry(who).or_default().push(endpoint.function);
        }
    }
    let known = Known { called, called_so: OnceLock::new() };
    let parts: Vec<Part> = targets.flat_map(|target| parts(audit, target, wishes)).collect();
    let lots = parts.par_chunks(LOT).map(|lot| {
        let mut tightening = Tightening {
            audit,
            wishes,
            known: &known,
            taken: RefCell::default(),
            watch: Watch::default(),
            proposal: Proposal::default(),
        };
        for part in lot {
            tightening.of(*part);
        }
        tightening.proposal
    });
    let mut all = Proposal::default();
    for lot in lots.collect::<Vec<_>>() {
        all.changes.extend(lot.changes);
        all.left.extend(lot.left);
    }
    all.left.sort_by_cached_key(|left| estate.label(left.thing));
    all
}

/// What is looked at by itself.
#[derive(Clone, Copy)]
enum Part {
    /// What somebody holds.
    HeldBy(Principal),
    /// A function, without what it runs as.
    Function(FunctionId),
    Grant(GrantId),
    Key(KeyId),
    Endpoint(EndpointId),
    /// The functions that share an identity.
    Split(IdentityId),
}

/// What there is to look at of something.
fn parts(audit: &Audit<'_>, target: Thing, wishes: &Wishes) -> Vec<Part> {
    let estate = audit.estate();
    let runs_as = |id: FunctionId| estate.get(id).and_then(|it| estate.runs_as(it));
    if wishes.split {
        let identity = match target {
            Thing::Identity(id) => Some(id),
            Thing::Function(id) => runs_as(id),
            _ => None,
        };
        return identity.map(Part::Split).into_iter().collect();
    }
    match target {
        Thing::Grant(id) => vec![Part::Grant(id)],
        Thing::Identity(id) => vec![Part::HeldBy(Principal::Identity(id))],
        Thing::User(id) => vec![Part::HeldBy(Principal::User(id))],
        Thing::Group(id) => vec![Part::HeldBy(Principal::Group(id))],
        Thing::Key(id) => vec![Part::Key(id)],
        Thing::Endpoint(id) => vec![Part::Endpoint(id)],
        Thing::Function(id) => {
            let identity = runs_as(id).map(|id| Part::HeldBy(Principal::Identity(id)));
            identity.into_iter().chain([Part::Function(id)]).collect()
        }
        Thing::Scope(id) => parts_of_scope(audit, id),
        _ => Vec::new(),
    }
}

fn parts_of_scope(audit: &Audit<'_>, scope: ScopeId) -> Vec<Part> {
    let estate = audit.estate();
    let inside = |thing: Thing| estate.scope_of(thing).is_some_and(|it| estate.tree().is_within(it, scope));
    let mut identities: Vec<IdentityId> = estate.all().map(|(id, _)| id).collect();
    identities.retain(|id| inside(Thing::Identity(*id)));
    identities.sort_by_key(|id| estate.id(*id));
    let mut functions: Vec<FunctionId> = audit.functions_below(scope).collect();
    functions.sort_by_key(|id| estate.id(*id));
    let mut keys: Vec<KeyId> = estate.all().map(|(id, _)| id).collect();
    keys.retain(|id| {
        estate.get(*id).is_some_and(|key| matches!(key.opens(), Thing::Scope(_))) && inside(Thing::Key(*id))
    });
    keys.sort_by_key(|id| estate.id(*id));
    let identities = identities.into_iter().map(|id| Part::HeldBy(Principal::Identity(id)));
    let functions = functions.into_iter().map(Part::Function);
    identities.chain(functions).chain(keys.into_iter().map(Part::Key)).collect()
}

/// What is worked out once for all parts.
struct Known {
    /// The functions that somebody was seen to call, saying who they are.
    called: FxHashMap<Principal, Vec<FunctionId>>,
    /// How many grants are called so.
    called_so: OnceLock<FxHashMap<String, usize>>,
}

/// Acts on sources that triggers take.
type Taken = Rc<[(Act, Thing)]>;

/// A proposal being made.
struct Tightening<'a, 'e> {
    audit: &'a Audit<'e>,
    wishes: &'a Wishes,
    known: &'a Known,
    /// What the triggers of functions take that run as an identity, once it was asked for.
    taken: RefCell<FxHashMap<IdentityId, Taken>>,
    watch: Watch,
    proposal: Proposal,
}

impl Tightening<'_, '_> {
    fn of(&mut self, part: Part) {
        match part {
            Part::HeldBy(who) => self.held_by(who),
            Part::Function(id) => self.function(id),
            Part::Grant(id) => self.grant(id),
            Part::Key(id) => self.key(id),
            Part::Endpoint(id) => self.endpoint(id),
            Part::Split(id) => self.split(id),
        }
    }

    fn held_by(&mut self, who: Principal) {
        let mut grants: Vec<GrantId> = self.audit.effects().grants_of(who).collect();
        self.in_order(&mut grants);
        for grant in grants {
            self.grant(grant);
        }
    }

    fn in_order(&self, grants: &mut [GrantId]) {
        let estate = self.audit.estate();
        grants.sort_by_cached_key(|id| (estate.grant_id(*id), estate.grant(*id).origin));
    }

    fn function(&mut self, id: FunctionId) {
        self.permissions(id);
        for &endpoint in self.audit.estate().endpoints_of(id) {
            self.endpoint(endpoint);
        }
        let keys: Vec<KeyId> = self.audit.effects().keys_of(Thing::Function(id)).collect();
        for key in keys {
            self.key(key);
        }
    }

    /// Whether no other grant is called the same.
    fn is_alone(&self, grant: Thing) -> bool {
        let estate = self.audit.estate();
        let called_so = self.known.called_so.get_or_init(|| {
            let mut all: FxHashMap<String, usize> = FxHashMap::default();
            for (id, _) in estate.grants() {
                *all.entry(estate.label(Thing::Grant(id))).or_default() += 1;
            }
            all
        });
        called_so.get(&estate.label(grant)).is_none_or(|count| *count == 1)
    }

    fn leave(&mut self, thing: Thing, why: Why) {
        self.proposal.left.push(Left { thing, why });
    }
}
