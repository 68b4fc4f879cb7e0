//! What is proposed, and what was left as it is: data, for whoever words, writes or proves it.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_core::estate::{
    AdmissionId, Check, EndpointId, FunctionId, GrantId, IdentityId, KeyId, KeyOf, KeyReach, Principal,
    StatementId, Thing,
};
use pasaporte_core::usage::Window;

/// A change that takes away what is not needed.
#[derive(Debug, Clone)]
pub enum Change {
    /// A grant of which nothing is needed goes.
    Drop {
        /// The grant.
        grant: GrantId,
        /// The time in which nothing of it was used.
        window: Window,
    },
    /// A grant gives what is needed of it, and no more.
    Narrow {
        /// The grant.
        grant: GrantId,
        /// What is needed of each statement that allows something.
        needed: Vec<Narrowed>,
        /// Statements that take something away, and stay.
        denies: Vec<StatementId>,
        /// The time in which the rest was not used.
        window: Window,
    },
    /// A service may make a function run for these sources, and no other.
    Pin {
        /// The function.
        function: FunctionId,
        /// The permission.
        admission: AdmissionId,
        /// The service.
        service: Principal,
        /// The sources of the function's triggers.
        sources: Vec<Thing>,
    },
    /// An endpoint asks for what everybody who came had anyway.
    Ask {
        /// The endpoint.
        endpoint: EndpointId,
        /// What it asks for.
        check: Check,
        /// How often somebody came, all with that.
        came: u64,
        /// The time in which nobody came without.
        window: Window,
    },
    /// A key opens what it was used for, and no more.
    Confine {
        /// The key.
        key: KeyId,
        /// What it opens then.
        of: KeyOf,
        /// How much of that.
        reach: KeyReach,
        /// How often it was used, each time for that.
        came: u64,
        /// The time in which it was used for nothing else.
        window: Window,
    },
    /// Functions that share an identity have one each, with what they need.
    Split {
        /// The identity, which keeps what it holds until nothing runs as it.
        identity: IdentityId,
        /// Each function.
        shares: Vec<Share>,
        /// What is needed and no function accounts for, in words: each keeps it.
        unaccounted: Vec<String>,
        /// The time in which the rest was not used.
        window: Window,
    },
    /// A key that nobody used is switched off.
    Retire {
        /// The key.
        key: KeyId,
        /// The time in which nobody used it.
        window: Window,
    },
}

/// One of the functions that share an identity, with one of its own.
#[derive(Debug, Clone)]
pub struct Share {
    /// The function.
    pub function: FunctionId,
    /// The id of the identity that would be made for it.
    pub identity: String,
    /// What it needs of each grant.
    pub grants: Vec<ShareOf>,
}

/// What a function needs of a grant of the identity that it shares.
#[derive(Debug, Clone)]
pub struct ShareOf {
    /// The grant.
    pub grant: GrantId,
    /// What is needed of each statement that allows something.
    pub needed: Vec<Narrowed>,
    /// Statements that take something away, and come with it.
    pub denies: Vec<StatementId>,
}

/// What is needed of a statement.
#[derive(Debug, Clone)]
pub struct Narrowed {
    /// The statement that gives it.
    pub statement: StatementId,
    /// Which actions, on which things; on whatever the statement takes, where logs do not say on what.
    pub needs: BTreeMap<String, On>,
}

/// On what an action is needed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum On {
    /// On these.
    These(BTreeSet<Thing>),
    /// On these, which a pattern takes, and nothing else that is there.
    Like(String, BTreeSet<Thing>),
    /// On something that logs do not name.
    Unsaid,
}

/// What was looked at and left as it is.
#[derive(Debug, Clone)]
pub struct Left {
    /// What.
    pub thing: Thing,
    /// Why.
    pub why: Why,
}

/// Why something is left as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Why {
    /// No logs cover all that it gives for long enough.
    NotWatched,
    /// It gives what is needed and no more.
    Fits,
    /// Others are called the same, so that it cannot be named alone.
    NotAlone,
    /// It has conditions that the format cannot say in a statement of its own.
    Unwritable,
    /// Some came without a credential, or the logs do not say what they showed.
    CameWithout,
    /// Those who came said who they are, and may not invoke the function.
    MayNotInvoke,
    /// Those who came showed different kinds of credentials.
    CameApart,
    /// No trigger of the function says for which source it runs.
    NoSource,
    /// No two functions run as it.
    NotShared,
    /// A ceiling names it, and would not bound what took its place.
    Bounded,
    /// Some of what it does it may by a group, an access list or a permission.
    ByOthers,
    /// The functions that run as it need the same, as far as can be told.
    NeedTheSame,
    /// It is used for one function, whose endpoint asks for a key of all of them.
    AsksForMore,
    /// It is in use.
    InUse,
}

/// What is proposed.
#[derive(Debug, Clone, Default)]
pub struct Proposal {
    /// The changes.
    pub changes: Vec<Change>,
    /// What is left as it is.
    pub left: Vec<Left>,
}

/// What somebody wants kept, whatever logs say: actions on things, for a principal.
#[derive(Debug, Clone)]
pub struct Keep {
    /// Whose, as a label: a principal, or a function for what it runs as.
    pub who: String,
    /// The action.
    pub action: String,
    /// On what, as a label.
    pub on: String,
}

impl On {
    /// The things that are known.
    pub fn things(&self) -> impl Iterator<Item = Thing> {
        let things = match self {
            Self::These(things) | Self::Like(_, things) => Some(things),
            Self::Unsaid => None,
        };
        things.into_iter().flatten().copied()
    }
}

pasaporte_core::vocabulary! {
    /// How things are named that are needed.
    Naming: "a way to name things" {
        /// One by one.
        Exact = "exact",
        /// By the longest beginning that their names have in common, where nothing else that is there begins so.
        Common = "common",
    }
}

/// What somebody says of proposals, whatever logs show.
#[derive(Debug, Clone, Default)]
pub struct Wishes {
    /// What is to be kept.
    pub keep: Vec<Keep>,
    /// How things are named; one by one where nobody says.
    pub naming: Option<Naming>,
    /// Whether functions that share an identity are to have one each.
    pub split: bool,
}
