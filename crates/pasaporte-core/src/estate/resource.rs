//! Resources that are acted on, the catalogue of actions, and what was not seen.

use super::{Environment, List, Name, Origin, ScopeId, Sensitivity};
use crate::pattern::Pattern;

/// Anything acted on that is not a thing of its own kind: bucket, queue, table, secret …
#[derive(Debug, Clone)]
pub struct Resource {
    /// What people call it.
    pub name: Option<Name>,
    /// `bucket`, `queue`, `table` …
    pub kind: Name,
    /// The scope it lives in.
    pub scope: Option<ScopeId>,
    /// How much its disclosure would hurt; unknown where nobody said.
    pub sensitivity: Option<Sensitivity>,
    /// As written on the resource itself.
    pub environment: Option<Environment>,
    /// Who answers for it.
    pub owner: Option<Name>,
    /// Tags, sorted by name.
    pub tags: List<(Name, Name)>,
    /// Where it was read.
    pub origin: Origin,
}

super::vocabulary! {
    /// What an action does, for judging how bad it is that somebody may.
    ActionClass: "an action's class" {
        /// Learns what is there, not what is in it.
        List = "list",
        /// Learns what is in it.
        Read = "read",
        /// Adds or changes data.
        Write = "write",
        /// Removes data.
        Delete = "delete",
        /// Makes code run.
        Invoke = "invoke",
        /// Changes settings of a thing.
        Manage = "manage",
        /// Reads or makes secrets and keys.
        Secret = "secret",
        /// Changes what code does.
        Code = "code",
        /// Acts as, or hands over, an identity.
        Identity = "identity",
        /// Changes who may do what.
        Access = "access",
    }
}

impl ActionClass {
    /// How bad it is to have, the worst first; what no class is known of counts as changing something.
    pub fn rank(self) -> u8 {
        match self {
            Self::Access => 0,
            Self::Identity => 1,
            Self::Code => 2,
            Self::Secret => 3,
            Self::Write => 4,
            Self::Delete => 5,
            Self::Manage => 6,
            Self::Read => 8,
            Self::Invoke => 9,
            Self::List => 10,
        }
    }
}

/// A line of the catalogue: which class the actions of a pattern are of.
#[derive(Debug, Clone)]
pub struct ActionEntry {
    /// Which actions.
    pub pattern: Pattern,
    /// Their class.
    pub class: ActionClass,
    /// The platform whose word it is: it counts where an account is of that platform; none for all.
    pub platform: Option<Name>,
    /// Where it was read.
    pub origin: Origin,
}

/// A line of the catalogue: which actions a trigger takes on its source.
#[derive(Debug, Clone)]
pub struct Need {
    /// The kind of the trigger.
    pub kind: Name,
    /// What it takes.
    pub does: Box<[Pattern]>,
    /// The platform on which it is so; none for all.
    pub platform: Option<Name>,
    /// Where it was read.
    pub origin: Origin,
}

/// Something that a collector could not see.
#[derive(Debug, Clone)]
pub struct BlindSpot {
    /// What was not seen.
    pub what: Name,
    /// Why.
    pub why: Option<Name>,
    /// What that hides.
    pub hides: Option<Name>,
    /// Where.
    pub scope: Option<ScopeId>,
    /// Where it was read.
    pub origin: Origin,
}
