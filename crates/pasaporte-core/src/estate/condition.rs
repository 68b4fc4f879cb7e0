//! Conditions as written (access-model §5). What they come to in a question is `access::condition`.

use ipnet::IpNet;
use jiff::Timestamp;

use super::Name;
use crate::pattern::Pattern;

/// What a condition looks at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Attribute {
    /// The account that the caller is of.
    CallerAccount,
    /// The network address that the call comes from.
    CallerNetwork,
    /// The resource whose event makes a service call.
    SourceResource,
    /// The account that this resource is of.
    AccountOfSource,
    /// Whether the call came over an encrypted connection.
    SecureTransport,
    /// When the call is made.
    Time,
    /// Whether the caller showed a second factor.
    SecondFactor,
    /// A tag of the caller.
    CallerTag(Name),
    /// A tag of the resource.
    ResourceTag(Name),
    /// For whom the caller's token was issued.
    TokenAudience,
    /// Who issued it.
    TokenIssuer,
    /// The shared string that an outside party must present.
    OutsideProof,
}

/// What must be true of the attribute. Several values mean "any of".
#[derive(Debug, Clone)]
pub enum Test {
    /// Is one of these.
    Equals(Box<[Name]>),
    /// Is none of these.
    NotEquals(Box<[Name]>),
    /// Matches one of these.
    Like(Box<[Pattern]>),
    /// Lies in one of these.
    InNetwork(Box<[IpNet]>),
    /// Is earlier.
    Before(Timestamp),
    /// Is later, or then.
    After(Timestamp),
    /// Is there at all, or is not.
    Present(bool),
}

/// One condition.
#[derive(Debug, Clone)]
pub enum Condition {
    /// A test of an attribute.
    Test(Attribute, Test),
    /// What a reader could not translate; always unknown.
    Opaque(Name),
}
