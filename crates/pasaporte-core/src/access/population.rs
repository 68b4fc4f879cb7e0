//! What lives where: things in the order of the scope tree, so that a question about an area looks at that
//! area only.

use std::sync::OnceLock;

use super::Access;
use super::taking::in_order;
use crate::estate::{
    At, Estate, FunctionId, GroupId, IdentityId, Kept, KeyId, ResourceId, ResourcesId, ScopeId, Thing, UserId,
};
use crate::pattern::Pattern;

/// The declared things of some kinds, by place.
#[derive(Debug)]
pub(crate) struct Population {
    pub(super) functions: Placed<FunctionId>,
    pub(super) identities: Placed<IdentityId>,
    pub(super) users: Placed<UserId>,
    pub(super) groups: Placed<GroupId>,
    pub(super) resources: Placed<ResourceId>,
    pub(super) keys: Placed<KeyId>,
}

/// Things of one kind, each with its place in the order of the scope tree; and in the order of their ids.
#[derive(Debug)]
pub(crate) struct Placed<K> {
    all: Box<[(u32, K)]>,
    by_id: OnceLock<Box<[K]>>,
}

impl Population {
    pub(super) fn new(estate: &Estate) -> Self {
        Self {
            functions: Placed::new(estate),
            identities: Placed::new(estate),
            users: Placed::new(estate),
            groups: Placed::new(estate),
            resources: Placed::new(estate),
            keys: Placed::new(estate),
        }
    }
}

impl<K: Kept> Placed<K> {
    fn new(estate: &Estate) -> Self {
        // What lies in no scope comes last.
        let place =
            |id: K| estate.scope_of(id.thing()).map_or(u32::MAX, |scope| estate.tree().place(scope).start);
        let mut all: Box<[(u32, K)]> = estate.all::<K>().map(|(id, _)| (place(id), id)).collect();
        all.sort_unstable();
        Self { all, by_id: OnceLock::new() }
    }

    /// The same in the order of their ids; put in order when first asked for.
    fn by_id(&self, estate: &Estate) -> &[K] {
        self.by_id.get_or_init(|| in_order(self.all.iter().map(|(_, id)| (estate.id(*id), *id)).collect()))
    }

    /// Those that a pattern of `kind:id` may match, by the letters that it begins with.
    fn beginning_like(&self, estate: &Estate, pattern: &Pattern) -> &[K] {
        let own_kind = pattern.text().strip_prefix(K::KIND).and_then(|rest| rest.strip_prefix(':'));
        // A name has one colon, so what follows `*:` is the start of the id.
        let id = own_kind.or_else(|| pattern.text().strip_prefix("*:"));
        let start = match id.map(Pattern::parse) {
            Some(Ok(id)) => id.literal_start().into_owned(),
            None if format!("{}:", K::KIND).starts_with(&*pattern.literal_start()) => String::new(),
            Some(Err(_)) | None => return &[],
        };
        let by_id = self.by_id(estate);
        let from = by_id.partition_point(|id| estate.id(*id) < start.as_str());
        let length = by_id[from..].partition_point(|id| estate.id(*id).starts_with(&start));
        &by_id[from..from + length]
    }

    /// Those that lie in a place, if it is a scope, else all.
    pub(super) fn within(&self, estate: &Estate, at: At) -> &[(u32, K)] {
        let At::Thing(Thing::Scope(scope)) = at else { return &self.all };
        let area = estate.tree().place(scope);
        let start = self.all.partition_point(|(place, _)| *place < area.start);
        let end = self.all.partition_point(|(place, _)| *place < area.end);
        &self.all[start..end]
    }
}

impl Access<'_> {
    /// The functions that live in a scope, or in any scope below it.
    pub fn functions_in(&self, scope: ScopeId) -> impl ExactSizeIterator<Item = FunctionId> {
        self.population
            .functions
            .within(self.estate, At::Thing(Thing::Scope(scope)))
            .iter()
            .map(|(_, id)| *id)
    }

    /// The declared functions that a choice takes at a place.
    pub(crate) fn functions_taken(&self, resources: ResourcesId, at: At) -> Vec<FunctionId> {
        self.things_taken(&self.population.functions, resources, at)
    }

    /// The declared identities that a choice takes at a place.
    pub(crate) fn identities_taken(&self, resources: ResourcesId, at: At) -> Vec<IdentityId> {
        self.things_taken(&self.population.identities, resources, at)
    }

    /// The declared users that a choice takes at a place.
    pub(crate) fn users_taken(&self, resources: ResourcesId, at: At) -> Vec<UserId> {
        self.things_taken(&self.population.users, resources, at)
    }

    /// The declared groups that a choice takes at a place.
    pub(crate) fn groups_taken(&self, resources: ResourcesId, at: At) -> Vec<GroupId> {
        self.things_taken(&self.population.groups, resources, at)
    }

    /// The declared keys that a choice takes at a place.
    pub(crate) fn keys_taken(&self, resources: ResourcesId, at: At) -> Vec<KeyId> {
        self.things_taken(&self.population.keys, resources, at)
    }

    fn things_taken<K: Kept>(&self, all: &Placed<K>, resources: ResourcesId, at: At) -> Vec<K> {
        let estate = self.estate;
        let is_here = |thing: Thing| estate.lies_at(thing, at);
        // One that is named is found by its name.
        if let Some(thing) = self.only(resources) {
            let named = K::of(thing).filter(|id| estate.get(*id).is_some() && is_here(thing));
            return named.into_iter().collect();
        }
        let taken = |id: &K| is_here(id.thing()) && self.takes(resources, id.thing());
        if let Some(few) = self.of_thing(at) {
            return few.filter(taken).collect();
        }
        let here = all.within(estate, at);
        let patterns = self.patterns(estate.resources_picked(resources).any());
        let named: Vec<&[K]> = patterns.iter().map(|pattern| all.beginning_like(estate, pattern)).collect();
        if named.iter().map(|range| range.len()).sum::<usize>() >= here.len() {
            return here.iter().map(|(_, id)| *id).filter(taken).collect();
        }
        let mut found: Vec<K> = named.into_iter().flatten().copied().filter(taken).collect();
        found.sort_unstable();
        found.dedup();
        found
    }

    /// The declared functions at a place.
    pub(crate) fn functions_at(&self, at: At) -> Vec<FunctionId> {
        self.here(&self.population.functions, at)
    }

    /// The declared identities at a place.
    pub fn identities_at(&self, at: At) -> Vec<IdentityId> {
        self.here(&self.population.identities, at)
    }

    /// The declared users at a place.
    pub(crate) fn users_at(&self, at: At) -> Vec<UserId> {
        self.here(&self.population.users, at)
    }

    /// The declared groups at a place.
    pub(crate) fn groups_at(&self, at: At) -> Vec<GroupId> {
        self.here(&self.population.groups, at)
    }

    /// The declared keys at a place.
    pub(crate) fn keys_taken_at(&self, at: At) -> Vec<Thing> {
        self.here(&self.population.keys, at).into_iter().map(Thing::Key).collect()
    }

    /// The declared resources at a place.
    pub(crate) fn resources_at(&self, at: At) -> impl Iterator<Item = ResourceId> {
        self.here(&self.population.resources, at).into_iter()
    }

    /// Whether anything of a kind is declared at a place.
    pub(crate) fn any_at<K: Peopled>(&self, at: At) -> bool {
        match self.of_thing::<K>(at) {
            Some(mut few) => few.next().is_some(),
            None => !K::all(&self.population).within(self.estate, at).is_empty(),
        }
    }

    fn here<K: Kept>(&self, all: &Placed<K>, at: At) -> Vec<K> {
        match self.of_thing(at) {
            Some(few) => few.collect(),
            None => all.within(self.estate, at).iter().map(|(_, id)| *id).collect(),
        }
    }

    /// What lies at a place that is no scope: the thing itself, and the keys of it. None of a scope.
    pub(super) fn of_thing<K: Kept>(&self, at: At) -> Option<impl Iterator<Item = K>> {
        let place = match at {
            At::Everywhere | At::Thing(Thing::Scope(_)) => return None,
            At::Thing(place) => place,
        };
        let itself = self.estate.is_declared(place).then_some(place);
        let all = itself.into_iter().chain(self.keys_of(place).map(Thing::Key));
        Some(all.filter_map(K::of).filter(|id| self.estate.get(*id).is_some()))
    }
}

/// A kind of thing that is found by its place.
pub(crate) trait Peopled: Kept {
    fn all(population: &Population) -> &Placed<Self>
    where
        Self: Sized;
}

macro_rules! peopled {
    ($($kind:ty = $field:ident),*) => {$(
        impl Peopled for $kind {
            fn all(population: &Population) -> &Placed<Self> {
                &population.$field
            }
        }
    )*};
}

peopled!(
    FunctionId = functions,
    IdentityId = identities,
    KeyId = keys,
    UserId = users,
    GroupId = groups,
    ResourceId = resources
);
