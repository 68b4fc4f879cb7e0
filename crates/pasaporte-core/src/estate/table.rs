//! Tables of things by name, with a slot for what is mentioned but never declared.

use std::hash::BuildHasher;

use hashbrown::HashTable;
use hashbrown::hash_table::Entry;
use rustc_hash::FxBuildHasher;

use super::ids::Id;
use super::{
    Contract, ContractId, Endpoint, EndpointId, Function, FunctionId, Group, GroupId, Identity, IdentityId,
    Key, KeyId, Name, PermissionSet, Resource, ResourceId, Scope, ScopeId, SetId, Thing, Token, TokenId,
    Trigger, TriggerId, User, UserId, Verifier, VerifierId,
};

/// Things of one kind, in the order of their first mention. A mention makes a slot; a declaration
/// fills it; what stays empty is a reference to something that is not in the estate.
#[derive(Debug)]
pub struct Table<T> {
    names: Vec<Name>,
    slots: Vec<Option<T>>,
    by_name: HashTable<u32>,
}

impl<T> Default for Table<T> {
    fn default() -> Self {
        Self { names: Vec::new(), slots: Vec::new(), by_name: HashTable::new() }
    }
}

fn hash(name: Name) -> u64 {
    FxBuildHasher.hash_one(name)
}

impl<T> Table<T> {
    pub(super) fn mention(&mut self, name: Name) -> usize {
        let Self { names, slots, by_name } = self;
        let is_it = |&index: &u32| names[index as usize] == name;
        match by_name.entry(hash(name), is_it, |&index| hash(names[index as usize])) {
            Entry::Occupied(known) => *known.get() as usize,
            Entry::Vacant(new) => {
                let index = names.len();
                new.insert(index as u32);
                names.push(name);
                slots.push(None);
                index
            }
        }
    }

    pub(super) fn fill(&mut self, index: usize, value: T) {
        self.slots[index] = Some(value);
    }

    fn clear(&mut self, index: usize) {
        if let Some(slot) = self.slots.get_mut(index) {
            *slot = None;
        }
    }

    pub(super) fn name(&self, index: usize) -> Name {
        self.names[index]
    }

    pub(super) fn get(&self, index: usize) -> Option<&T> {
        self.slots[index].as_ref()
    }

    pub(super) fn get_mut(&mut self, index: usize) -> Option<&mut T> {
        self.slots[index].as_mut()
    }

    pub(super) fn find(&self, name: Name) -> Option<usize> {
        let found = self.by_name.find(hash(name), |&index| self.names[index as usize] == name);
        found.map(|&index| index as usize)
    }

    pub(super) fn len(&self) -> usize {
        self.slots.len()
    }

    /// Gives back what growing took in advance.
    fn settle(&mut self) {
        self.names.shrink_to_fit();
        self.slots.shrink_to_fit();
    }
}

/// Ids whose things are kept in a [`Table`].
pub trait Kept: Id {
    /// What the id stands for.
    type Value: 'static;
    /// The id as any thing's.
    fn thing(self) -> Thing;
    /// The id of a thing, if it is one of this kind.
    fn of(thing: Thing) -> Option<Self>;
    #[doc(hidden)]
    fn table(tables: &Tables) -> &Table<Self::Value>;
    #[doc(hidden)]
    fn table_mut(tables: &mut Tables) -> &mut Table<Self::Value>;
}

macro_rules! tables {
    ($($field:ident: $id:ident => $value:ident, Thing::$variant:ident;)*) => {
        /// One table for each kind of named thing.
        #[derive(Debug, Default)]
        pub struct Tables { $($field: Table<$value>,)* }

        impl Tables {
            pub(super) fn settle(&mut self) {
                $(self.$field.settle();)*
            }

            /// Forgets what was declared of a thing.
            pub(super) fn clear(&mut self, thing: Thing) {
                match thing {
                    $(Thing::$variant(id) => self.$field.clear(id.index()),)*
                    Thing::Grant(_) | Thing::Ceiling(_) | Thing::Enrolment(_) => {}
                }
            }
        }
        impl super::Estate {
            /// The thing of a kind that is written before its id.
            pub(super) fn find_of_kind(&self, kind: &str, id: &str) -> Option<Thing> {
                $(if kind == $id::KIND { return self.find::<$id>(id).map(Thing::$variant); })*
                None
            }
        }
        $(impl Kept for $id {
            type Value = $value;
            fn thing(self) -> Thing { Thing::$variant(self) }
            fn of(thing: Thing) -> Option<Self> {
                if let Thing::$variant(id) = thing { Some(id) } else { None }
            }
            fn table(tables: &Tables) -> &Table<$value> { &tables.$field }
            fn table_mut(tables: &mut Tables) -> &mut Table<$value> { &mut tables.$field }
        })*
    };
}

tables! {
    scopes: ScopeId => Scope, Thing::Scope;
    functions: FunctionId => Function, Thing::Function;
    endpoints: EndpointId => Endpoint, Thing::Endpoint;
    triggers: TriggerId => Trigger, Thing::Trigger;
    identities: IdentityId => Identity, Thing::Identity;
    users: UserId => User, Thing::User;
    groups: GroupId => Group, Thing::Group;
    sets: SetId => PermissionSet, Thing::Set;
    keys: KeyId => Key, Thing::Key;
    verifiers: VerifierId => Verifier, Thing::Verifier;
    tokens: TokenId => Token, Thing::Token;
    contracts: ContractId => Contract, Thing::Contract;
    resources: ResourceId => Resource, Thing::Resource;
}
