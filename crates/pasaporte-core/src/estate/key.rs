//! Keys: shared secrets that functions accept. Their values are nowhere in the model.

use jiff::Timestamp;

use super::{FunctionId, List, Name, Origin, ScopeId, State};

super::vocabulary! {
    /// What a key opens, from least to most; a check that accepts one reach accepts those after it.
    KeyReach: "a key's reach" {
        /// One function.
        Function = "function",
        /// Every function of an app.
        App = "app",
        /// Every function of an app, and managing the app.
        Admin = "admin",
    }
}

/// What a key belongs to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum KeyOf {
    /// One function.
    Function(FunctionId),
    /// All functions below a scope.
    Scope(ScopeId),
}

/// When a key was last used, as far as was observed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LastUse {
    /// Nobody looked.
    Unknown,
    /// Looked since the key's `observed_since`, and saw no use.
    Never,
    /// Seen then.
    At(Timestamp),
}

/// A shared secret.
#[derive(Debug, Clone)]
pub struct Key {
    /// The function or scope it opens.
    pub of: KeyOf,
    /// How much it opens there.
    pub reach: KeyReach,
    /// Switched on or off.
    pub state: State,
    /// When it was made.
    pub created: Option<Timestamp>,
    /// When its value was last replaced.
    pub rotated: Option<Timestamp>,
    /// When it ends.
    pub expires: Option<Timestamp>,
    /// When it was last used.
    pub last_used: LastUse,
    /// Since when its use was watched.
    pub observed_since: Option<Timestamp>,
    /// Keyed hash of its value.
    pub fingerprint: Option<Name>,
    /// Clients that were given it.
    pub held_by: List<Name>,
    /// Places where its value was seen, in words.
    pub seen_in: List<Name>,
    /// Where it was read.
    pub origin: Origin,
}
