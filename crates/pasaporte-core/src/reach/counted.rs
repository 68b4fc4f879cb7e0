//! Things of an act as they were found, before they are added up.

use std::sync::Arc;

use super::Act;
use crate::access::{Action, Taken, Verdict};
use crate::estate::{At, ResourceId, Thing};

/// Things of one act, as they were found.
pub(super) enum Chunk {
    /// All of a kind that a road takes, since nothing stands against it but on a few.
    Kept(Part, Verdict),
    /// All functions, identities or keys of a place, for the same reason.
    AllAt(At, Verdict),
    /// One by one.
    Asked(Vec<(Thing, Verdict)>),
    /// The functions that let in anyone.
    Open,
}

/// Resources that are kept together, but for a few of them, sorted.
#[derive(Clone)]
pub(super) struct Part {
    pub(super) all: Arc<Taken>,
    pub(super) but: Arc<[ResourceId]>,
}

/// An act being counted: the sort of action, what was found, and whether things that are made tomorrow count.
pub(super) struct Counted {
    pub(super) act: Act,
    pub(super) chunks: Vec<Chunk>,
    /// The actions that it stands for, one of each sort.
    pub(super) actions: Vec<Arc<Action>>,
    /// The one that is surest on what is made tomorrow.
    pub(super) on_new: Option<Arc<Action>>,
}

impl Counted {
    pub(super) fn new(act: Act) -> Self {
        Self { act, chunks: Vec::new(), actions: Vec::new(), on_new: None }
    }
}
