//! What opened and closed between two estates: who gets into which function, and who may do what to what. Things and principals are
//! the same if they are called the same; every difference is one between two answers of the decision.

mod alike;
mod bearer;
mod pair;
mod rights;
mod samples;
mod ways;

use std::sync::OnceLock;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use crate::effect::Effects;
use crate::estate::{
    Estate, FunctionId, GroupId, Id, IdentityId, Kept, KeyId, Principal, ResourceId, ScopeId, ScopeKind,
    Thing, UserId,
};

pub use bearer::Holder;
pub use pair::{Held, Pair, pair};
pub use rights::{Right, Rights};
pub use ways::WayChanged;

/// Two estates, held side by side.
#[derive(Debug)]
pub struct Diff<'a, 'o, 'n> {
    old: Side<'a, 'o>,
    new: Side<'a, 'n>,
    /// The principals of either, by name, and whether anything changed of them.
    principals: OnceLock<Vec<(Box<str>, bool)>>,
}

/// One of the two, by what its things and principals are called.
#[derive(Debug)]
struct Side<'a, 'e> {
    effects: &'a Effects<'e>,
    principals: FxHashMap<String, Principal>,
    things: FxHashMap<String, Thing>,
}

impl<'a, 'o, 'n> Diff<'a, 'o, 'n> {
    /// Of two estates.
    pub fn new(old: &'a Effects<'o>, new: &'a Effects<'n>) -> Self {
        let (mut old, mut new) = (Side::new(old), Side::new(new));
        let (of_new, of_old) = (new.known_to(&old), old.known_to(&new));
        old.principals.extend(of_new);
        new.principals.extend(of_old);
        Self { old, new, principals: OnceLock::new() }
    }
}

impl Diff<'_, '_, '_> {
    /// The principals of either side, by name, and whether anything changed of them.
    fn principals(&self) -> &[(Box<str>, bool)] {
        self.principals.get_or_init(|| {
            let mut all: Vec<&str> = self.old.principals.keys().map(String::as_str).collect();
            all.extend(self.new.principals.keys().map(String::as_str));
            all.sort_unstable();
            all.dedup();
            let is_changed = |who: &str| match (self.old.principals.get(who), self.new.principals.get(who)) {
                (Some(one), Some(other)) => self.old.sign_principal(*one) != self.new.sign_principal(*other),
                _ => true,
            };
            all.into_par_iter().map(|who| (Box::from(who), is_changed(who))).collect()
        })
    }
}

impl<'a, 'e> Side<'a, 'e> {
    fn new(effects: &'a Effects<'e>) -> Self {
        let estate = effects.estate();
        let label = |who: Principal| (estate.principal_label(who), who);
        let things = things(effects);
        Self {
            effects,
            principals: principals(estate).into_iter().map(label).collect(),
            things: things.into_iter().map(|thing| (estate.label(thing), thing)).collect(),
        }
    }

    /// Those whom only this side names, as the other has them.
    fn known_to(&self, other: &Side<'_, '_>) -> Vec<(String, Principal)> {
        let only_here = self.principals.iter().filter(|(label, _)| !other.principals.contains_key(*label));
        let there = |who: Principal| match who {
            // Whoever is not declared is not there.
            Principal::Identity(_) | Principal::User(_) | Principal::Key(_) | Principal::Token(_) => {
                let same = self.estate().same_in(other.estate(), who)?;
                same.thing().is_some_and(|thing| other.estate().is_declared(thing)).then_some(same)
            }
            // Of whom nothing is said is a stranger.
            Principal::Outside(_) | Principal::Account(_) => {
                Some(self.estate().same_in(other.estate(), who).unwrap_or(Principal::SignedIn))
            }
            _ => Some(self.estate().same_in(other.estate(), who).unwrap_or(Principal::Anyone)),
        };
        only_here.filter_map(|(label, who)| Some((label.clone(), there(*who)?))).collect()
    }

    fn estate(&self) -> &'e Estate {
        self.effects.estate()
    }
}

/// All that something may be done to.
fn things(effects: &Effects<'_>) -> Vec<Thing> {
    fn of<K: Kept>(estate: &Estate) -> impl Iterator<Item = Thing> + '_ {
        estate.all::<K>().map(|(id, _)| id.thing())
    }
    let estate = effects.estate();
    of::<ResourceId>(estate)
        .chain(of::<FunctionId>(estate))
        .chain(of::<IdentityId>(estate))
        .chain(of::<KeyId>(estate))
        .chain(of::<UserId>(estate))
        .chain(of::<GroupId>(estate))
        .chain(of::<ScopeId>(estate))
        .chain(effects.entries_that_are_named())
        .collect()
}

/// All who may do something: those that are declared, and whoever is named by a grant, a group, or something that admits them.
/// Groups are told by their members.
fn principals(estate: &Estate) -> Vec<Principal> {
    let mut all = vec![Principal::Anyone, Principal::SignedIn];
    all.extend(estate.all::<IdentityId>().map(|(id, _)| Principal::Identity(id)));
    all.extend(estate.all::<UserId>().map(|(id, _)| Principal::User(id)));
    let accounts = estate.all::<ScopeId>().filter(|(_, it)| it.kind == ScopeKind::Account);
    all.extend(accounts.map(|(id, _)| Principal::Account(id)));
    all.extend(estate.grants().map(|(_, grant)| grant.principal));
    all.extend(estate.admissions().iter().flat_map(|it| estate.list(it.to)));
    all.extend(estate.all::<GroupId>().flat_map(|(_, group)| group.members.iter().copied()));
    all.retain(|who| !matches!(who, Principal::Group(_)));
    all.sort_unstable();
    all.dedup();
    all
}

/// A hash of lines, in whichever order they come.
fn hashed(mut lines: Vec<String>) -> u64 {
    use std::hash::{BuildHasher, Hasher};
    lines.sort_unstable();
    let mut hasher = rustc_hash::FxBuildHasher.build_hasher();
    for line in lines {
        hasher.write(line.as_bytes());
        hasher.write_u8(0xff);
    }
    hasher.finish()
}

/// The number of an id, to tell choices apart.
fn numbers<I: Id>(ids: &[I]) -> Vec<u32> {
    ids.iter().map(|id| id.index() as u32).collect()
}
