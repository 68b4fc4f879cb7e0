//! Which resources of the estate a choice of resources takes, at a place.
//!
//! A choice with wildcards is compared with the resources whose names begin as its patterns do, or with those
//! that lie at the place, whichever are fewer; and what was found is kept, since many statements and grants
//! say the same.

use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::Access;
use super::picks::Pick;
use crate::estate::{At, Estate, Id, ResourceId, ResourcesId, Selection, Sensitivity, Thing};

/// Resources that a choice takes, the most sensitive first, then by name.
#[derive(Debug, Default)]
pub struct Taken {
    resources: Box<[ResourceId]>,
    confidential: usize,
}

impl Taken {
    /// The most sensitive first, then by name.
    pub fn resources(&self) -> &[ResourceId] {
        &self.resources
    }

    /// How many of them are confidential.
    pub fn confidential(&self) -> usize {
        self.confidential
    }
}

/// What was found so far, and the names of resources in order.
#[derive(Debug)]
pub(super) struct Takings {
    by_name: Box<[ResourceId]>,
    /// Where each resource stands in `by_name`.
    rank: Box<[u32]>,
    found: Mutex<FxHashMap<(ResourcesId, At), Arc<Taken>>>,
}

impl Takings {
    pub(super) fn new(estate: &Estate) -> Self {
        let mut by_name: Box<[ResourceId]> = estate.all::<ResourceId>().map(|(id, _)| id).collect();
        by_name.sort_unstable_by_key(|id| estate.id(*id));
        let mut rank = vec![u32::MAX; estate.count::<ResourceId>()].into_boxed_slice();
        for (at, id) in by_name.iter().enumerate() {
            rank[id.index()] = at as u32;
        }
        Self { by_name, rank, found: Mutex::default() }
    }

    /// The resources whose names begin like that.
    fn beginning(&self, estate: &Estate, start: &str) -> &[ResourceId] {
        let from = self.by_name.partition_point(|id| estate.id(*id) < start);
        let length = self.by_name[from..].partition_point(|id| estate.id(*id).starts_with(start));
        &self.by_name[from..from + length]
    }
}

impl Access<'_> {
    /// The declared resources that a choice takes and that lie at a place.
    pub fn taken(&self, resources: ResourcesId, at: At) -> Arc<Taken> {
        let lies_here = |id: ResourceId| match at {
            At::Everywhere => true,
            At::Thing(place) => self.estate.lies_in(Thing::Resource(id), place),
        };
        match self.picks[resources.index()] {
            Pick::Nothing => return Arc::default(),
            Pick::Only(Thing::Resource(id)) => {
                let here = self.estate.get(id).is_some() && lies_here(id);
                return Arc::new(self.sorted(if here { vec![id] } else { Vec::new() }));
            }
            Pick::Only(_) => return Arc::default(),
            Pick::All | Pick::Matching => {}
        }
        let known = || self.takings.found.lock().expect("nobody panics while holding it");
        if let Some(found) = known().get(&(resources, at)) {
            return Arc::clone(found);
        }
        let selection = self.estate.resources_picked(resources);
        let taken = |id: &ResourceId| lies_here(*id) && self.selects(selection, self.estate.id(*id), false);
        let named = self.beginning_like(selection);
        let here = self.population.resources.within(self.estate, at);
        let all = if named.iter().map(|range| range.len()).sum::<usize>() < here.len() {
            named.into_iter().flatten().copied().filter(taken).collect()
        } else {
            here.iter().map(|(_, id)| *id).filter(taken).collect()
        };
        let taken = Arc::new(self.sorted(all));
        known().insert((resources, at), Arc::clone(&taken));
        taken
    }

    fn beginning_like(&self, selection: &Selection) -> Vec<&[ResourceId]> {
        let starts = selection.any().iter().map(|id| self.estate.pattern(*id).literal_start());
        starts.map(|start| self.takings.beginning(self.estate, &start)).collect()
    }

    fn sorted(&self, mut all: Vec<ResourceId>) -> Taken {
        let sensitivity = |id: &ResourceId| self.estate.get(*id).and_then(|it| it.sensitivity);
        let order = |id: &ResourceId| match sensitivity(id) {
            Some(Sensitivity::Confidential) => 0,
            Some(Sensitivity::Internal) | None => 1,
            Some(Sensitivity::Public) => 2,
        };
        all.sort_unstable_by_key(|id| (order(id), self.takings.rank[id.index()]));
        all.dedup();
        let confidential = all.partition_point(|id| order(id) == 0);
        Taken { resources: all.into(), confidential }
    }
}
