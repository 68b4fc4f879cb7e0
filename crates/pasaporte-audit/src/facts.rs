//! What rules see, as plain data: ids and witnesses, and no words. [`words`](crate::words) tells them.
//!
//! A fact holds no more than it takes to ask the estate again; what is large lies behind a box, since there may be a
//! fact for every function of a large estate.

use std::sync::Arc;

use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Act, Breadth, Control, Harm, Power, Road, ServiceId};
use pasaporte_core::entry::{Drift, Exposure, Held, Unspoken};
use pasaporte_core::estate::{
    AdmissionId, ContractId, EndpointId, EnrolmentId, FunctionId, GrantId, GroupId, IdentityId, KeyId, Name,
    Origin, PatternId, Principal, Reference, ResourceId, ScopeId, SeenIn, SetId, Thing, TokenId, TriggerId,
    Unread, VerifierId,
};
use pasaporte_core::paths::{Node, Path};
use pasaporte_core::usage::Window;

/// What a rule saw.
#[derive(Debug, Clone)]
pub enum Fact {
    /// Of a way into a function.
    Entry(EntryFact),
    /// Of what is given.
    Grant(GrantFact),
    /// Of what functions run as.
    Identity(IdentityFact),
    /// Of who may act as an identity.
    Trust(TrustFact),
    /// Of a shared secret.
    Key(KeyFact),
    /// Of how far somebody gets.
    Path(PathFact),
    /// Of what could not be seen.
    Blind(BlindFact),
}

/// What was seen of a way into a function.
#[derive(Debug, Clone)]
pub enum EntryFact {
    /// Anyone on the internet gets through an endpoint: with a token that was handed to public clients, or without.
    Anonymous {
        /// The endpoint.
        endpoint: EndpointId,
        /// Whether a public token is what lets them through.
        public: bool,
    },
    /// A crowd may invoke a function.
    OpenInvoke {
        /// The function.
        function: FunctionId,
        /// The crowd.
        who: Principal,
        /// How wide the circle is from which they may.
        to: Exposure,
    },
    /// A grant of invoking takes in every function of a place.
    WideInvoke(Box<WideInvoke>),
    /// Strangers may feed the source of a trigger.
    OpenSource(Box<OpenSource>),
    /// A service may invoke for sources of strangers.
    Unpinned {
        /// The function.
        function: FunctionId,
        /// The service.
        service: Principal,
    },
    /// Something names a source that is gone.
    Dangling(Box<Dangling>),
    /// A trigger is off, and its permission stands.
    IdleTrigger {
        /// The trigger.
        trigger: TriggerId,
        /// The permission.
        permission: AdmissionId,
    },
    /// A trigger takes everything from a source that another picks from.
    Unfiltered {
        /// The trigger.
        trigger: TriggerId,
        /// The one with a filter.
        picks: TriggerId,
    },
    /// An address faces the internet although only gateways call it.
    OpenNetwork(EndpointId),
    /// An address faces the internet although all calls that were seen came from inside.
    CalledFromInside(Box<(EndpointId, Window)>),
    /// An endpoint takes methods by which nobody was seen to call it.
    UncalledMethods(Box<(EndpointId, Window)>),
    /// A trigger was never seen to fire.
    NeverFired(Box<(TriggerId, Window)>),
    /// Pages of any origin may call an endpoint.
    AnyOrigin(EndpointId),
    /// An endpoint takes methods that its contract does not have, or answers where its contract has nothing.
    Unspoken(Box<Unspoken>),
    /// What is deployed is weaker than what a contract declares.
    WeakerThanContract(Box<Held>),
    /// What is deployed is weaker than what a definition declares.
    WeakerThanDefined(Box<Drift>),
    /// A try got through where the estate says that it should not: its place among all tries.
    GotThrough(usize),
    /// A verifier accepts what it should not, in front of these functions.
    WeakVerifier(Box<WeakVerifier>),
}

/// A verifier that accepts what it should not.
#[derive(Debug, Clone)]
pub struct WeakVerifier {
    /// The verifier.
    pub verifier: VerifierId,
    /// What it guards, by name.
    pub functions: Vec<FunctionId>,
}

/// A grant of invoking that takes in every function of a place.
#[derive(Debug, Clone)]
pub struct WideInvoke {
    /// The grant.
    pub grant: GrantId,
    /// The statement, as it is held.
    pub road: Road,
    /// How broad it is.
    pub breadth: Breadth,
    /// The action that stands for invoking.
    pub act: Act,
}

/// A source that strangers may feed.
#[derive(Debug, Clone)]
pub struct OpenSource {
    /// The trigger that runs on it.
    pub trigger: TriggerId,
    /// Who may.
    pub who: Principal,
    /// By which action.
    pub action: Box<str>,
    /// The source.
    pub source: Thing,
}

/// A source that triggers or permissions name and that is gone.
#[derive(Debug, Clone)]
pub struct Dangling {
    /// The function that it feeds.
    pub function: FunctionId,
    /// What it is called.
    pub source: Box<str>,
    /// What names it, and where.
    pub named_by: Vec<(NamedBy, Origin)>,
    /// Who may make one of that name.
    pub exposure: Exposure,
}

/// What of a function names a source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NamedBy {
    /// A permission.
    Permission,
    /// A trigger.
    Trigger,
}

/// What was seen of what is given.
#[derive(Debug, Clone)]
pub enum GrantFact {
    /// Every action.
    AnyAction(Box<(Broad, Breadth)>),
    /// Every action of these services.
    WholeService(Box<(Broad, WholeServices)>),
    /// Something harmful on everything of these kinds.
    AnyResource(Box<(Broad, Box<[Reached]>)>),
    /// A right that everybody holds.
    ToEverybody(Box<ToEverybody>),
    /// What a grant gives was not used, or only some of it.
    Unused(Box<Unused>),
    /// A statement that gives all but what it names, and the worst that it lets anybody do.
    AllBut(Box<(GrantId, Road, (Harm, Principal))>),
    /// Control that what code runs as has.
    Controls(Box<Controls>),
    /// A grant that has ended.
    Expired(GrantId),
    /// A grant that is held higher than it is used.
    FromAbove(Box<FromAbove>),
    /// A ready-made set of which a small part is used.
    TemplateExcess(Box<Excess>),
    /// More on a source than a trigger on it needs.
    BeyondTrigger(Box<Beyond>),
    /// A rule of membership that takes in whoever is made, or who says so.
    WideMembership(Box<Membership>),
    /// An account without a ceiling, and its siblings that have one.
    CeilingMissing(ScopeId, Box<[ScopeId]>),
}

/// Control that a grant gives what code runs as.
#[derive(Debug, Clone)]
pub struct Controls {
    /// The grant.
    pub grant: GrantId,
    /// The statement, as it is held.
    pub road: Road,
    /// Of which sort.
    pub power: Power,
    /// The surest of it.
    pub control: Control,
}

/// A grant that is held higher than it is used.
#[derive(Debug, Clone)]
pub struct FromAbove {
    /// The grant.
    pub grant: GrantId,
    /// The scope that would do.
    pub scope: ScopeId,
    /// How often it was used.
    pub count: u64,
    /// On what.
    pub things: Box<[Thing]>,
    /// The time that logs cover of all of it.
    pub window: Window,
}

/// A ready-made set of which a small part is used.
#[derive(Debug, Clone)]
pub struct Excess {
    /// The grant.
    pub grant: GrantId,
    /// The set.
    pub set: SetId,
    /// What was used of it.
    pub used: Box<[Name]>,
    /// How often, in all.
    pub count: u64,
    /// What was not.
    pub surplus: Box<[Act]>,
    /// The time that logs cover of all of it.
    pub window: Window,
}

/// More on a source than a trigger on it needs.
#[derive(Debug, Clone)]
pub struct Beyond {
    /// The identity.
    pub identity: IdentityId,
    /// The trigger.
    pub trigger: TriggerId,
    /// The function that it makes run.
    pub function: FunctionId,
    /// The source.
    pub source: Thing,
    /// What is more.
    pub surplus: Box<[Act]>,
    /// What gives it: the first few grants.
    pub grants: Box<[GrantId]>,
}

/// A group that takes in whoever is made at a place, or who says so of themselves.
#[derive(Debug, Clone)]
pub struct Membership {
    /// The group.
    pub group: GroupId,
    /// Whether the place is all that its rule looks at.
    pub by_place: bool,
    /// Identities that are not in it and may put themselves there.
    pub setters: Box<[IdentityId]>,
    /// One who holds the worst that the group gives, and by which statement.
    pub worst: (Principal, Road),
}

/// A grant of which not all was used.
#[derive(Debug, Clone)]
pub struct Unused {
    /// The grant.
    pub grant: GrantId,
    /// Actions that its holder was seen to use of it.
    pub used: Box<[Name]>,
    /// How often, in all.
    pub count: u64,
    /// What it gives and nobody was seen to use: actions and patterns as written.
    pub unused: Box<[PatternId]>,
    /// The time that logs cover of all of it.
    pub window: Window,
}

/// A right that everybody holds.
#[derive(Debug, Clone, Copy)]
pub struct ToEverybody {
    /// Who is everybody.
    pub who: Principal,
    /// The statement, as they hold it.
    pub road: Road,
}

/// A statement of a grant that gives more than it need.
#[derive(Debug, Clone, Copy)]
pub struct Broad {
    /// The statement, as it is held.
    pub road: Road,
    /// The grant.
    pub grant: GrantId,
    /// Surely, or depending on conditions.
    pub verdict: Verdict,
    /// How many hold it so, of how many.
    pub holders: (usize, usize),
    /// The worst that it lets anybody do, and one whom it does.
    pub worst: (Harm, Principal),
}

/// Services of which a statement gives every action, each with how broad that is.
pub type WholeServices = Box<[(Arc<str>, Breadth)]>;

/// A kind of which a statement gives something harmful on everything.
#[derive(Debug, Clone)]
pub struct Reached {
    /// The kind.
    pub service: ServiceId,
    /// One who holds it.
    pub holder: Principal,
    /// Where things are made of which it is so; none for everywhere.
    pub within: Option<Thing>,
}

/// What was seen of what functions run as.
#[derive(Debug, Clone)]
pub enum IdentityFact {
    /// A function runs as the platform's default identity.
    DefaultInUse {
        /// The function.
        function: FunctionId,
        /// The identity.
        identity: IdentityId,
    },
    /// Functions with different needs share it.
    Shared(IdentityId),
    /// Nothing uses it, and its grants stand.
    Orphaned(IdentityId),
    /// It was never seen to do anything.
    NeverUsed(Box<(IdentityId, Window)>),
    /// Test code is, or may become, an identity of production.
    CrossesEnvironments(Box<Crossing>),
    /// A function has a secret in its settings for what its identity reaches.
    StaticSecretToo(Box<Static>),
    /// Another system lists a client id that nobody has; and who was probably made anew.
    StaleEnrolment(EnrolmentId, Option<IdentityId>),
    /// An administrative role in another system, and whose.
    WideEnrolment(EnrolmentId, Option<IdentityId>),
    /// A credential that is old, idle, or never ends.
    LongLived(Box<LongLived>),
}

/// A credential that is old, idle, or never ends.
#[derive(Debug, Clone)]
pub struct LongLived {
    /// The identity.
    pub identity: IdentityId,
    /// The place of the credential among those of it.
    pub credential: usize,
    /// Its age in days, where that is more than allowed.
    pub old: Option<i64>,
    /// Since how many days it was not used, where that is long.
    pub idle: Option<i64>,
    /// Whether somebody looked and saw no use.
    pub never_used: bool,
}

/// A way from test code to an identity of production.
#[derive(Debug, Clone)]
pub struct Crossing {
    /// The function that runs as it; none where one may act as it.
    pub function: Option<FunctionId>,
    /// Who gets there.
    pub from: IdentityId,
    /// Those of no environment that it has to act as before.
    pub by: Box<[Principal]>,
    /// Who is of production.
    pub to: Principal,
    /// Surely or perhaps.
    pub verdict: Verdict,
}

/// A secret in settings, beside an identity.
#[derive(Debug, Clone)]
pub struct Static {
    /// The function.
    pub function: FunctionId,
    /// What it runs as.
    pub identity: IdentityId,
    /// What both open.
    pub resource: ResourceId,
    /// The settings, by name.
    pub settings: Box<[Name]>,
}

/// What was seen of who may act as an identity.
#[derive(Debug, Clone)]
pub enum TrustFact {
    /// A crowd may.
    MayAct {
        /// The identity.
        identity: IdentityId,
        /// The crowd.
        who: Principal,
    },
    /// Services other than the one that runs functions may.
    OtherService(IdentityId),
    /// An outside party may, without a proof.
    WithoutProof {
        /// The identity.
        identity: IdentityId,
        /// The party.
        who: Principal,
    },
    /// People may.
    People(IdentityId),
    /// It leads to more than it holds.
    Chain(Box<Chain>),
}

/// Those as whom one may act, one after the other.
#[derive(Debug, Clone)]
pub struct Chain {
    /// Where it begins.
    pub identity: IdentityId,
    /// Whom one becomes, in order.
    pub steps: Box<[Principal]>,
    /// Surely or perhaps.
    pub verdict: Verdict,
}

/// What was seen of a shared secret.
#[derive(Debug, Clone)]
pub enum KeyFact {
    /// It is older than allowed, by its last rotation or its making.
    Stale {
        /// The key.
        key: KeyId,
        /// Its age, in days.
        days: i64,
    },
    /// It is past its end and enabled.
    ExpiredEnabled {
        /// The key.
        key: KeyId,
        /// Whether it is known to be accepted still.
        accepted: Verdict,
    },
    /// Nobody used it.
    NeverUsed {
        /// The key.
        key: KeyId,
        /// In how many days of watching.
        days: i64,
    },
    /// It has no end.
    NoExpiry(KeyId),
    /// It was used once, and not for long.
    Idle {
        /// The key.
        key: KeyId,
        /// Since how many days.
        days: i64,
    },
    /// It manages an app, and ordinary calls show it or clients have it.
    AdminInUse(KeyId),
    /// It opens a whole app, and was used for one function.
    WiderThanUse(Box<WiderThanUse>),
    /// Its value was seen in what many read.
    SeenIn(KeyId, SeenIn),
    /// Many have it.
    Shared(KeyId),
    /// Others have the same value.
    SameTwice(Box<[KeyId]>),
    /// What it opens is gone.
    OutlivesFunction(KeyId),
    /// All that it opens is open without it.
    GuardsNothing(KeyId),
    /// A token for public clients is valid for too long.
    LongPublicToken(TokenId),
}

/// A key of more reach than use.
#[derive(Debug, Clone)]
pub struct WiderThanUse {
    /// The key.
    pub key: KeyId,
    /// What it was used for.
    pub function: FunctionId,
    /// How many it opens.
    pub opens: usize,
    /// How often it was used.
    pub count: u64,
    /// The time that logs cover of all that it opens.
    pub window: Window,
}

/// What could not be seen.
#[derive(Debug, Clone)]
pub enum BlindFact {
    /// A thing that is referred to and is not there.
    Missing(Box<Missing>),
    /// The estate has no function.
    NoFunction,
    /// An account has none.
    NoFunctionIn(ScopeId),
    /// Grants take in a kind of things of which nothing was gathered where they hold.
    UnseenKind(Box<UnseenKind>),
    /// The patterns over a service's actions tell too many sorts apart.
    Unbounded(Box<str>),
    /// A condition was not understood.
    Opaque(Box<Opaque>),
    /// A collector says what it could not see: its place among all such notes.
    NotCollected(usize),
    /// A part of a document could not be used.
    Unread(Box<Unread>),
    /// No endpoint of the estate is under a contract.
    IdleContract(ContractId),
    /// A contract meets what is deployed in too many ways.
    UnboundedContract(ContractId),
    /// No line of the catalogue knows an action that is given by name or was used: the action, and where.
    Unclassed(Box<(Box<str>, Vec<Origin>)>),
    /// There may be members of a group that were not seen.
    UnseenMembers(GroupId),
    /// There were more steps of paths than were looked at.
    FarPaths,
    /// The estate does not say when it was true.
    NoTime,
    /// Nobody said when a key was made.
    NoAge(KeyId),
    /// No log was read: of the estate, or of an account that has functions.
    NoUsage(Option<ScopeId>),
    /// The logs of an account cover too little, or ended too long ago.
    ShortWindow(Box<(ScopeId, Window)>),
    /// Two digests are of the same logs: the place among all such pairs.
    SameLogs(usize),
    /// Fingerprints were made under several seals.
    Seals,
}

/// A thing that is referred to and is not there.
#[derive(Debug, Clone)]
pub struct Missing {
    /// The thing.
    pub thing: Thing,
    /// What refers to it.
    pub references: Vec<Reference>,
}

/// A condition that was not understood.
#[derive(Debug, Clone)]
pub struct Opaque {
    /// As written.
    pub text: Name,
    /// Where.
    pub origin: Origin,
}

/// A kind of things that grants take in and that was not gathered.
#[derive(Debug, Clone)]
pub struct UnseenKind {
    /// Where the grants hold; none for everywhere.
    pub place: Option<Thing>,
    /// The kind.
    pub kind: ServiceId,
    /// Where the statements were read.
    pub origins: Vec<Origin>,
}

/// What was seen of how far somebody gets.
#[derive(Debug, Clone)]
pub enum PathFact {
    /// A path leads to something that matters, and its last step to more of the kind: all, that one first.
    Leads(Box<(Path, Vec<Node>)>),
    /// A path leads from one account into another: the one that it leaves.
    Leaves(Box<(ScopeId, Path)>),
    /// A function makes itself run by what it writes: the triggers on the way round.
    Loop(FunctionId, Box<[TriggerId]>),
}

macro_rules! is_a_fact {
    ($($family:ident: $of:ident,)*) => {
        $(impl From<$of> for Fact {
            fn from(fact: $of) -> Self {
                Self::$family(fact)
            }
        })*
    };
}

is_a_fact! {
    Entry: EntryFact,
    Grant: GrantFact,
    Identity: IdentityFact,
    Trust: TrustFact,
    Key: KeyFact,
    Path: PathFact,
    Blind: BlindFact,
}
