//! Where paths begin and what they lead to, where nobody names it: strangers and holders of keys, and what matters.

use super::{Node, Paths};
use crate::access::Verdict;
use crate::estate::{
    AccountOf, Environment, FunctionId, GroupId, IdentityId, KeyId, Principal, ResourceId, ScopeKind, State,
    Thing,
};

crate::vocabulary! {
    /// Who begins a path.
    Class: "who begins a path" {
        /// Anyone at all.
        Anyone = "anyone",
        /// Whoever is signed in anywhere.
        SignedIn = "signed-in",
        /// Other companies, and accounts that are not the estate's.
        Outsiders = "outsiders",
        /// Whoever has one of the keys.
        KeyHolders = "key-holders",
        /// Code in an environment for tests.
        Tests = "tests",
    }
}

crate::vocabulary! {
    /// What a path leads to.
    Goal: "what a path leads to" {
        /// What changes who may do what at a scope.
        Access = "access",
        /// Data that is confidential.
        Confidential = "confidential",
        /// An identity in production.
        Production = "production",
        /// Something of another account than where it began.
        OtherAccounts = "other-accounts",
    }
}

impl Paths<'_, '_> {
    /// Where paths of a class begin, by name.
    pub fn starts(&self, class: Class) -> Vec<Node> {
        let estate = self.effects.estate();
        let mut all: Vec<Node> = match class {
            Class::Anyone => vec![Node::Who(Principal::Anyone)],
            Class::SignedIn => vec![Node::Who(Principal::SignedIn)],
            Class::Outsiders => {
                let mut named: Vec<Principal> = self.callers.keys().copied().collect();
                named.extend(estate.grants().map(|(_, grant)| grant.principal));
                named.extend(estate.admissions().iter().flat_map(|it| estate.list(it.to)).copied());
                named.extend(estate.all::<GroupId>().flat_map(|(_, group)| group.members.iter().copied()));
                let is_outsider = |who: &Principal| match *who {
                    Principal::Outside(_) => true,
                    Principal::Account(id) => estate.get(id).is_none(),
                    _ => false,
                };
                named.into_iter().filter(is_outsider).map(Node::Who).collect()
            }
            Class::KeyHolders => {
                let accepted = estate.all::<KeyId>().map(|(id, _)| id);
                let accepted = accepted.filter(|id| self.effects.accepted(*id) != Verdict::No);
                accepted.map(|id| Node::Who(Principal::Key(id))).collect()
            }
            Class::Tests => {
                let is_test = |it: Option<Environment>| {
                    matches!(it, Some(Environment::Test | Environment::Development))
                };
                let functions = estate.all::<FunctionId>().filter(|(_, it)| {
                    it.state == State::Enabled && is_test(estate.environment(it.environment, it.scope))
                });
                let identities = estate
                    .all::<IdentityId>()
                    .filter(|(_, it)| is_test(estate.environment(it.environment, it.scope)));
                let code = functions.map(|(id, _)| Node::Code(id));
                code.chain(identities.map(|(id, _)| Node::Who(Principal::Identity(id)))).collect()
            }
        };
        all.sort_by_cached_key(|node| self.rank(*node));
        all.dedup();
        all
    }

    /// Whether a node is what paths from a start lead to.
    pub fn is_goal(&self, goal: Goal, start: Node, node: Node) -> bool {
        let estate = self.effects.estate();
        match (goal, node) {
            (Goal::Access, Node::Access(id)) => estate.get(id).is_some_and(|it| it.kind != ScopeKind::App),
            (Goal::Confidential, Node::Data(id)) => self.is_confidential_data(id),
            (Goal::Production, Node::Who(Principal::Identity(id))) => estate.get(id).is_some_and(|it| {
                estate.environment(it.environment, it.scope) == Some(Environment::Production)
            }),
            (Goal::OtherAccounts, node) => {
                let account = |node: Node| match node {
                    Node::Who(Principal::Identity(id)) => Some(estate.account_of(Thing::Identity(id))),
                    Node::Code(id) => Some(estate.account_of(Thing::Function(id))),
                    Node::Data(id) => Some(estate.account_of(Thing::Resource(id))),
                    Node::Access(_) | Node::Who(_) => None,
                };
                match (account(start), account(node)) {
                    (Some(AccountOf::Known(from)), Some(AccountOf::Known(to))) => from != to,
                    _ => false,
                }
            }
            _ => false,
        }
    }

    fn is_confidential_data(&self, id: ResourceId) -> bool {
        self.effects.is_confidential(Thing::Resource(id))
    }
}
