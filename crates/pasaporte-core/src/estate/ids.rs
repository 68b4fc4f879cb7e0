//! Typed indices of things, so that a key is never taken for a function.
//!
//! ```compile_fail
//! use pasaporte_core::estate::{FunctionId, KeyId};
//! fn opens(_: FunctionId) {}
//! fn wrong(key: KeyId) { opens(key) }
//! ```

use std::num::NonZeroU32;

/// A typed index into one table of the estate.
pub trait Id: Copy + Eq + Ord + std::hash::Hash + std::fmt::Debug + Send + Sync + 'static {
    /// The kind as written before the colon of a reference: `function` in `function:sell-ticket`.
    const KIND: &'static str;
    /// Makes the id of the entry at `index`.
    fn new(index: usize) -> Self;
    /// The entry's position in its table.
    fn index(self) -> usize;
}

/// A position in a table, kept as one more so that `Option` of it takes no more room.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) struct Position(NonZeroU32);

impl Position {
    pub(super) fn new(index: usize) -> Self {
        let one_more = u32::try_from(index).ok().and_then(|index| NonZeroU32::new(index.wrapping_add(1)));
        Self(one_more.expect("tables refuse to grow past what a position can say"))
    }

    pub(super) fn index(self) -> usize {
        self.0.get() as usize - 1
    }
}

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident = $kind:literal;)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub struct $name(Position);
        impl Id for $name {
            const KIND: &'static str = $kind;
            fn new(index: usize) -> Self { Self(Position::new(index)) }
            fn index(self) -> usize { self.0.index() }
        }
    )*};
}

ids! {
    /// A [`Scope`](super::Scope); printed with its own kind (`account:tickets`).
    ScopeId = "scope";
    /// A [`Function`](super::Function).
    FunctionId = "function";
    /// An [`Endpoint`](super::Endpoint).
    EndpointId = "endpoint";
    /// A [`Trigger`](super::Trigger).
    TriggerId = "trigger";
    /// An [`Identity`](super::Identity).
    IdentityId = "identity";
    /// A [`User`](super::User).
    UserId = "user";
    /// A [`Group`](super::Group).
    GroupId = "group";
    /// A [`PermissionSet`](super::PermissionSet).
    SetId = "permission-set";
    /// A [`Grant`](super::Grant).
    GrantId = "grant";
    /// A [`Ceiling`](super::Ceiling).
    CeilingId = "ceiling";
    /// An [`Admission`](super::Admission): invoke permission, trust, or access list entry.
    AdmissionId = "admission";
    /// A [`Key`](super::Key).
    KeyId = "key";
    /// A token [`Verifier`](super::Verifier).
    VerifierId = "verifier";
    /// A [`Token`](super::Token) known by its claims.
    TokenId = "token";
    /// A [`Contract`](super::Contract).
    ContractId = "contract";
    /// An [`Enrolment`](super::Enrolment).
    EnrolmentId = "enrolment";
    /// A [`Resource`](super::Resource); its name is already `kind:id`.
    ResourceId = "resource";
    /// A [`Statement`](super::Statement).
    StatementId = "statement";
    /// An interned [`Pattern`](crate::pattern::Pattern).
    PatternId = "pattern";
    /// An interned [`Selection`](super::Selection) of actions.
    ActionsId = "actions";
    /// An interned [`Selection`](super::Selection) of resources.
    ResourcesId = "resources";
}
