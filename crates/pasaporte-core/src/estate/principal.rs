//! Principals: who may be given something (access-model §2).

use super::{GroupId, IdentityId, KeyId, Name, ScopeId, UserId, VerifierId};

/// Somebody, or a name that many bear.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Principal {
    /// Any caller on the network, unauthenticated.
    Anyone,
    /// Any caller the platform has authenticated, of whichever customer.
    SignedIn,
    /// Every principal of an account.
    Account(ScopeId),
    /// A person.
    User(UserId),
    /// A workload identity.
    Identity(IdentityId),
    /// A platform service acting on events.
    Service(Name),
    /// The members of a group.
    Group(GroupId),
    /// Somebody of an account or issuer outside the estate: `ISSUER/SUBJECT`.
    Outside(Name),
    /// Whoever holds a key.
    Key(KeyId),
    /// Whoever holds a token that a verifier accepts.
    Token(VerifierId),
}

/// The service that runs functions: the one an execution role is made for.
pub const RUNNER_SERVICE: &str = "functions";
