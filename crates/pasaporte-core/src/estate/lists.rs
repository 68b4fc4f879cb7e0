//! Short lists that many things share: tags, settings, callers. Equal lists are kept once.

use std::hash::Hash;
use std::marker::PhantomData;

use indexmap::IndexSet;
use rustc_hash::FxBuildHasher;

use super::ids::Position;

/// A list that is kept once. Only meaningful with the estate it came from.
#[derive(Debug)]
pub struct List<T>(Option<Position>, PhantomData<fn() -> T>);

impl<T> Clone for List<T> {
    fn clone(&self) -> Self {
        *self
    }
}

impl<T> Copy for List<T> {}

impl<T> Default for List<T> {
    fn default() -> Self {
        Self(None, PhantomData)
    }
}

impl<T> PartialEq for List<T> {
    fn eq(&self, other: &Self) -> bool {
        self.0 == other.0
    }
}

impl<T> Eq for List<T> {}

impl<T> List<T> {
    /// Whether there is nothing in it.
    pub fn is_empty(self) -> bool {
        self.0.is_none()
    }
}

/// The distinct lists of one kind; the empty one needs no room.
#[derive(Debug)]
pub struct Lists<T> {
    all: IndexSet<Box<[T]>, FxBuildHasher>,
}

impl<T> Default for Lists<T> {
    fn default() -> Self {
        Self { all: IndexSet::default() }
    }
}

impl<T: Copy + Hash + Eq> Lists<T> {
    pub(super) fn intern(&mut self, items: &[T]) -> List<T> {
        if items.is_empty() {
            return List::default();
        }
        let index = self.all.get_index_of(items).unwrap_or_else(|| self.all.insert_full(items.into()).0);
        List(Some(Position::new(index)), PhantomData)
    }

    pub(super) fn get(&self, list: List<T>) -> &[T] {
        list.0.map_or(&[], |position| &self.all[position.index()])
    }
}

/// What can be kept in shared lists.
pub trait Listed: Copy + Hash + Eq + 'static {
    #[doc(hidden)]
    fn lists(all: &SharedLists) -> &Lists<Self>;
    #[doc(hidden)]
    fn lists_mut(all: &mut SharedLists) -> &mut Lists<Self>;
}

macro_rules! shared {
    ($($field:ident: $item:ty,)*) => {
        /// The shared lists of an estate.
        #[derive(Debug, Default)]
        pub struct SharedLists { $($field: Lists<$item>,)* }
        $(impl Listed for $item {
            fn lists(all: &SharedLists) -> &Lists<Self> { &all.$field }
            fn lists_mut(all: &mut SharedLists) -> &mut Lists<Self> { &mut all.$field }
        })*
    };
}

shared! {
    names: super::Name,
    tags: (super::Name, super::Name),
    principals: super::Principal,
    clients: super::Client,
    resources: super::ResourceId,
}
