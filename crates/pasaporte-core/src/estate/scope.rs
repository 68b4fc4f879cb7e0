//! Scopes: the containment tree.

use super::{CaseOfActions, CrossAccount, Environment, IdentityId, Name, Origin, ScopeId};

super::vocabulary! {
    /// What a scope is (access-model §1).
    ScopeKind: "a scope's kind" {
        /// The root of everything.
        Organization = "organization",
        /// A folder of accounts or folders.
        Folder = "folder",
        /// The trust boundary.
        Account = "account",
        /// Functions that are deployed together.
        App = "app",
    }
}

/// A node of the containment tree.
#[derive(Debug, Clone)]
pub struct Scope {
    /// Organization, folder, account or app.
    pub kind: ScopeKind,
    /// The scope it lies in; none for a root.
    pub parent: Option<ScopeId>,
    /// The platform, where this scope says so; inherited downwards.
    pub platform: Option<Name>,
    /// Environment of all below, unless they say otherwise.
    pub environment: Option<Environment>,
    /// Who answers for it.
    pub owner: Option<Name>,
    /// What functions below run as when they do not say.
    pub runs_as: Option<IdentityId>,
    /// Whether one side's allow is enough across accounts (accounts only).
    pub cross_account: CrossAccount,
    /// Whether the case of actions counts (accounts only).
    pub action_case: CaseOfActions,
    /// Where it was read.
    pub origin: Origin,
}
