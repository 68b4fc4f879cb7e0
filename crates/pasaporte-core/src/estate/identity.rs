//! Identities, people, groups, and enrolments elsewhere.

use jiff::Timestamp;

use super::{Environment, LastUse, List, Name, Origin, Principal, ScopeId, State, VerifierId};
use crate::pattern::Pattern;

super::vocabulary! {
    /// What kind of workload identity it is.
    IdentityKind: "an identity's kind" {
        /// Assumed by the platform for each run; has a trust.
        ExecutionRole = "execution-role",
        /// Made and kept by the platform, without a secret.
        ManagedIdentity = "managed-identity",
        /// An account for software.
        ServiceAccount = "service-account",
    }
}

super::vocabulary! {
    /// Whether a managed identity lives and dies with what it is bound to.
    Life: "an identity's life" {
        /// Bound to one function or app.
        Bound = "bound",
        /// Stands on its own.
        Standalone = "standalone",
    }
}

/// What code runs as.
#[derive(Debug, Clone)]
pub struct Identity {
    /// The scope it lives in.
    pub scope: Option<ScopeId>,
    /// Which kind.
    pub kind: IdentityKind,
    /// Bound or standalone.
    pub life: Life,
    /// Made by the platform for everybody.
    pub default: bool,
    /// The id under which other systems enrol it.
    pub client_id: Option<Name>,
    /// As written on the identity itself.
    pub environment: Option<Environment>,
    /// Tags, sorted by name.
    pub tags: List<(Name, Name)>,
    /// What people call it.
    pub name: Option<Name>,
    /// Secrets by which anybody who has them acts as it.
    pub credentials: Box<[Credential]>,
    /// Where it was read.
    pub origin: Origin,
}

/// A long-lived secret by which anybody who has it acts as an identity. Its value is nowhere in the model.
#[derive(Debug, Clone)]
pub struct Credential {
    /// Its id, among those of the identity.
    pub id: Name,
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
    /// Who was given it.
    pub held_by: List<Name>,
    /// Where it was read.
    pub origin: Origin,
}

/// A person.
#[derive(Debug, Clone)]
pub struct User {
    /// The scope they live in.
    pub scope: Option<ScopeId>,
    /// What people call them.
    pub name: Option<Name>,
    /// Tags, sorted by name.
    pub tags: List<(Name, Name)>,
    /// Where it was read.
    pub origin: Origin,
}

super::vocabulary! {
    /// Which principals a membership rule looks at.
    MemberKind: "a membership rule's kind" {
        /// Identities that functions run as.
        Function = "function",
        /// All identities.
        Identity = "identity",
        /// People.
        User = "user",
    }
}

/// Who is in a group without being listed: all conditions must hold.
#[derive(Debug, Clone)]
pub struct MembershipRule {
    /// Which principals.
    pub kind: MemberKind,
    /// Living in this scope's subtree.
    pub within: Option<ScopeId>,
    /// Bearing this tag (and value, where one is given).
    pub tag: Option<(Name, Option<Name>)>,
    /// Whose id, or whose function's id, matches.
    pub named: Option<Pattern>,
}

/// A group of principals.
#[derive(Debug, Clone)]
pub struct Group {
    /// The scope it lives in.
    pub scope: Option<ScopeId>,
    /// What people call it.
    pub name: Option<Name>,
    /// Listed members.
    pub members: Vec<Principal>,
    /// Whether there may be members that were not seen: whoever may be in it is not known.
    pub unseen: bool,
    /// Members by rule.
    pub rule: Option<MembershipRule>,
    /// Where it was read.
    pub origin: Origin,
}

/// A record in another system that gives an identity a role there.
#[derive(Debug, Clone)]
pub struct Enrolment {
    /// The other system.
    pub system: Name,
    /// The client id it lists.
    pub client_id: Name,
    /// The role there.
    pub role: Name,
    /// Whether that role is administrative or catch-all.
    pub wide: bool,
    /// The scope the other system belongs to.
    pub scope: Option<ScopeId>,
    /// Where it was read.
    pub origin: Origin,
}

/// Checks tokens at endpoints (RFC 7519).
#[derive(Debug, Clone)]
pub struct Verifier {
    /// The scope it lives in.
    pub scope: Option<ScopeId>,
    /// Issuers it accepts; empty is any.
    pub issuers: List<Name>,
    /// Audiences it accepts; empty is any.
    pub audiences: List<Name>,
    /// Algorithms it accepts (RFC 7518 names); empty is any, `none` is no signature.
    pub algorithms: List<Name>,
    /// Where its key set is kept.
    pub key_set: Option<Name>,
    /// The keys of that set, where it was read.
    pub keys: Option<KeySet>,
    /// Whether it checks signatures at all.
    pub checks_signature: bool,
    /// Whether it refuses tokens that have ended, or that never end.
    pub checks_expiry: bool,
    /// Where it was read.
    pub origin: Origin,
}

/// The keys that a verifier checks signatures with (RFC 7517); of the keys themselves nothing is kept.
#[derive(Debug, Clone)]
pub struct KeySet {
    /// Ids of keys that can check a signature.
    pub ids: Vec<Name>,
    /// How many more can, and have no id, so that a token need not name its key.
    pub unnamed: usize,
    /// Keys that can make signatures too: whoever reads the set can make tokens.
    pub secret: Vec<Name>,
    /// Keys for other uses whose secret part stands in the set.
    pub other_secret: Vec<Name>,
    /// What of it could not be used.
    pub unread: Vec<super::Unread>,
    /// Where it was read.
    pub origin: Origin,
}

/// A token known by its claims; its value is nowhere.
#[derive(Debug, Clone)]
pub struct Token {
    /// Who issued it.
    pub issuer: Option<Name>,
    /// For whom.
    pub audiences: List<Name>,
    /// How it is signed (RFC 7518 name).
    pub algorithm: Option<Name>,
    /// The key that it says it is signed with.
    pub key_id: Option<Name>,
    /// Handed to public clients.
    pub public: bool,
    /// When it was issued.
    pub issued: Option<jiff::Timestamp>,
    /// When it ends; none is never.
    pub expires: Option<jiff::Timestamp>,
    /// Keyed hash of the value.
    pub fingerprint: Option<Name>,
    /// The verifier it was made for.
    pub verifier: Option<VerifierId>,
    /// Where it was read.
    pub origin: Origin,
}
