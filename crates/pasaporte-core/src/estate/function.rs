//! Functions, and the triggers and endpoints that make them run.

use ipnet::IpNet;

use super::{
    Environment, FunctionId, IdentityId, KeyId, KeyReach, List, Name, Origin, ResourceId, ScopeId, State,
    Thing, VerifierId,
};

/// Code that runs on events.
#[derive(Debug, Clone)]
pub struct Function {
    /// The scope it lives in.
    pub scope: Option<ScopeId>,
    /// Language and version it is written for.
    pub runtime: Option<Name>,
    /// Switched on or off.
    pub state: State,
    /// As written on the function itself; see [`Estate::environment`](super::Estate::environment).
    pub environment: Option<Environment>,
    /// Who answers for it.
    pub owner: Option<Name>,
    /// The deployed version.
    pub version: Option<Name>,
    /// As written on the function itself; see [`Estate::runs_as`](super::Estate::runs_as).
    pub runs_as: Option<IdentityId>,
    /// Names of its settings; never their values.
    pub settings: List<Name>,
    /// Secrets that the platform hands to it, whatever its identity may read.
    pub handed: List<ResourceId>,
    /// What people call it.
    pub name: Option<Name>,
    /// Tags, sorted by name.
    pub tags: List<(Name, Name)>,
    /// Where it was read.
    pub origin: Origin,
}

/// What a caller must show at an endpoint (access-model §6).
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Check {
    /// Nothing.
    None,
    /// A key of at least this reach.
    Key(KeyReach),
    /// The platform authenticates the caller, and the decision decides.
    Identity,
    /// A token that the verifier accepts.
    Token(VerifierId),
}

/// From where an endpoint can be reached.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Network {
    /// From anywhere.
    Internet,
    /// From within the platform's private network only.
    Internal,
    /// From these networks.
    Listed(Box<[IpNet]>),
}

/// What a gateway shows to the function behind a route.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Presents {
    /// Nothing.
    Nothing,
    /// Whatever the caller showed.
    Caller,
    /// An identity of its own.
    Identity(IdentityId),
    /// A key.
    Key(KeyId),
    /// Itself, as the service that gateways are.
    Service(Name),
}

/// Direct, or through a gateway.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Way {
    /// The function's own address.
    Direct,
    /// Through a gateway, which presents something to the function.
    Route {
        /// The gateway's name.
        gateway: Name,
        /// What it presents.
        presents: Presents,
    },
}

impl Way {
    /// The gateway of a route.
    pub fn gateway(&self) -> Option<Name> {
        match self {
            Self::Direct => None,
            Self::Route { gateway, .. } => Some(*gateway),
        }
    }
}

/// A way in over HTTP.
#[derive(Debug, Clone)]
pub struct Endpoint {
    /// The function that answers.
    pub function: FunctionId,
    /// Direct or through a gateway.
    pub way: Way,
    /// What a caller must show.
    pub check: Check,
    /// From where it can be reached.
    pub network: Network,
    /// HTTP methods, upper case; empty is all of them.
    pub methods: List<Name>,
    /// The path, as the platform writes it.
    pub path: Option<Name>,
    /// The address that answers, as an absolute URL.
    pub url: Option<Name>,
    /// Parameters and headers in which callers show keys, beside those that its contract names.
    pub keys_in: List<Name>,
    /// Origins that browsers may call from.
    pub allowed_origins: List<Name>,
    /// Whether those calls may carry credentials.
    pub allows_credentials: bool,
    /// Switched on or off.
    pub state: State,
    /// Where it was read.
    pub origin: Origin,
}

/// A binding from an event source to a function.
#[derive(Debug, Clone)]
pub struct Trigger {
    /// The function that runs.
    pub function: FunctionId,
    /// What it runs on; a timer has none.
    pub source: Option<Thing>,
    /// The kind of event source: `queue`, `bucket`, `timer` …
    pub kind: Name,
    /// Which events count, as the platform writes it.
    pub filter: Option<Name>,
    /// Switched on or off.
    pub state: State,
    /// For hooks that call over HTTP: the header that carries the credential.
    pub header: Option<Name>,
    /// Where it was read.
    pub origin: Origin,
}
