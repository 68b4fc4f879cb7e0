//! The order of nodes, by what they are called: so that what is found does not depend on the order of input.

use rayon::prelude::*;

use super::Node;
use crate::estate::{Estate, FunctionId, Id, IdentityId, Kept, KeyId, Principal, ResourceId};

/// By what a node is in order among others: its kind; its place among those of its kind, or else its name.
pub type Rank<'e> = (u8, u32, Option<&'e str>);

/// The places of things among those of their kind, by name: of the kinds of which there are many.
#[derive(Debug)]
pub(super) struct Order {
    functions: Box<[u32]>,
    resources: Box<[u32]>,
    identities: Box<[u32]>,
    keys: Box<[u32]>,
}

impl Order {
    pub(super) fn new(estate: &Estate) -> Self {
        let (functions, (resources, (identities, keys))) = rayon::join(
            || ranks::<FunctionId>(estate),
            || {
                rayon::join(
                    || ranks::<ResourceId>(estate),
                    || rayon::join(|| ranks::<IdentityId>(estate), || ranks::<KeyId>(estate)),
                )
            },
        );
        Self { functions, resources, identities, keys }
    }

    /// By what a node is in order: somebody before code, access and data.
    pub(super) fn of<'e>(&self, estate: &'e Estate, node: Node) -> Rank<'e> {
        let who = match node {
            Node::Code(id) => return (10, self.functions[id.index()], None),
            Node::Access(id) => return (11, 0, Some(estate.id(id))),
            Node::Data(id) => return (12, self.resources[id.index()], None),
            Node::Who(who) => who,
        };
        // Kinds by their words.
        match who {
            Principal::Account(id) => (0, 0, Some(estate.id(id))),
            Principal::Anyone => (1, 0, None),
            Principal::Group(id) => (2, 0, Some(estate.id(id))),
            Principal::Identity(id) => (3, self.identities[id.index()], None),
            Principal::Key(id) => (4, self.keys[id.index()], None),
            Principal::Outside(name) => (5, 0, Some(estate.text(name))),
            Principal::Service(name) => (6, 0, Some(estate.text(name))),
            Principal::SignedIn => (7, 0, None),
            Principal::Token(id) => (8, 0, Some(estate.id(id))),
            Principal::User(id) => (9, 0, Some(estate.id(id))),
        }
    }
}

/// Of each thing of a kind its place among all, by name.
pub fn ranks<K: Kept>(estate: &Estate) -> Box<[u32]> {
    let mut by_name: Vec<(&str, u32)> =
        (0..estate.count::<K>()).map(|at| (estate.id(K::new(at)), at as u32)).collect();
    by_name.par_sort_unstable();
    let mut ranks = vec![0; by_name.len()].into_boxed_slice();
    for (rank, (_, at)) in by_name.into_iter().enumerate() {
        ranks[at as usize] = rank as u32;
    }
    ranks
}
