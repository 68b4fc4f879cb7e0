//! The data that paths lead to: what is confidential, and what is asked for.

use std::sync::OnceLock;

use super::Step;
use super::edges::has_step;
use crate::effect::{Effects, ServiceId};
use crate::estate::{ActionsId, Id, ResourceId, Thing};

/// Data that is looked for.
#[derive(Debug)]
pub(super) struct Data {
    /// What is looked for besides what is confidential.
    pub(super) wanted: Vec<ResourceId>,
    /// The kinds of it.
    services: Vec<ServiceId>,
    /// Of which kinds a choice of actions reaches it; kept.
    reached: Box<[OnceLock<Box<[ServiceId]>>]>,
}

impl Data {
    pub(super) fn new(effects: &Effects<'_>, wanted: Vec<ResourceId>) -> Self {
        let estate = effects.estate();
        let all = estate.all::<ResourceId>().map(|(id, _)| id);
        let looked_for =
            all.filter(|id| effects.is_confidential(Thing::Resource(*id))).chain(wanted.iter().copied());
        let mut services: Vec<ServiceId> =
            looked_for.map(|id| effects.service_of(Thing::Resource(id))).collect();
        services.sort_unstable();
        services.dedup();
        let reached = (0..estate.all_actions_picked().count()).map(|_| OnceLock::new()).collect();
        Self { wanted, services, reached }
    }

    /// The kinds of data that a choice of actions has any action to reach.
    pub(super) fn reached_by(&self, effects: &Effects<'_>, actions: ActionsId) -> &[ServiceId] {
        self.reached[actions.index()].get_or_init(|| {
            let reaches = |service: &ServiceId| has_step(effects, actions, *service, Step::Reaches);
            self.services.iter().copied().filter(reaches).collect()
        })
    }
}
