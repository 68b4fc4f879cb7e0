//! What is worth asking about: a search does not ask for what it came to already.

use std::sync::Arc;

use super::Node;
use crate::access::Taken;
use crate::entry::Calling;
use crate::estate::{Principal, ResourceId};

/// The place of a source among all.
#[derive(Debug, Clone, Copy)]
pub(super) struct Source(pub(super) u32);

/// Which edges are worth asking about.
pub(super) trait IsWorth: Sync {
    /// By where one leads, and whether by influence.
    fn leads_on(&self, to: Node, influence: bool) -> bool;

    /// Whether any function that listens to a source is worth asking about.
    fn feeds_on(&self, source: Source) -> bool;

    /// Takes those of many that are left, by what is sought among them.
    fn left_among(
        &self,
        part: &Arc<Taken>,
        sought: Sought,
        is_left: &dyn Fn(ResourceId) -> bool,
        take: &mut dyn FnMut(ResourceId),
    ) {
        sought.of(part).iter().copied().filter(|id| is_left(*id)).for_each(take);
    }

    /// Takes those of all calls by a name that are left.
    fn left_called(&self, _: Principal, all: &[Calling], take: &mut dyn FnMut(Calling)) {
        let is_left = |call: &Calling| self.leads_on(Node::Code(call.function), true);
        all.iter().copied().filter(is_left).for_each(take);
    }
}

/// What is sought among resources that somebody gets at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Sought {
    /// Confidential data.
    Data,
    /// What functions listen to.
    Sources,
}

impl Sought {
    /// Those that may be it.
    pub(super) fn of(self, part: &Taken) -> &[ResourceId] {
        match self {
            Self::Data => part.split().0,
            Self::Sources => part.resources(),
        }
    }
}

/// All are.
pub(super) struct All;

impl IsWorth for All {
    fn leads_on(&self, _: Node, _: bool) -> bool {
        true
    }

    fn feeds_on(&self, _: Source) -> bool {
        true
    }
}
