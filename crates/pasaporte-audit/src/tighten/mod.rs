//! The smallest change that keeps what is needed (access-model §8): what was used in a time that logs cover, what triggers take, and
//! what somebody says is to be kept. A proposal is data; whoever writes it proves it by asking the estate as it would be.

mod doors;
mod grants;
mod proposal;
mod split;

use std::cell::RefCell;
use std::rc::Rc;
use std::sync::OnceLock;

use pasaporte_core::effect::Act;
use pasaporte_core::estate::{
    Answered, EndpointId, FunctionId, GrantId, IdentityId, KeyId, Principal, ScopeId, Showed, Thing,
};
use rayon::prelude::*;
use rustc_hash::FxHashMap;

use crate::Audit;
use crate::rules::unused::Watch;

pub use proposal::{Change, Keep, Left, Naming, Narrowed, On, Proposal, Share, ShareOf, Why, Wishes};

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
