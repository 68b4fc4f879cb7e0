//! How far somebody gets, step by step (access-model §7).
//!
//! A node is somebody, the code of a function, the access of a scope, or data. An edge says that who has the one may come
//! to have the other: by *control*, where they may do whatever it may, or by *influence*, where they make code run on input
//! of their choice. Each edge is an answer of the decision, or says what lies in what. Edges are found when a search comes to
//! their node, once, so that what nobody reaches costs nothing.

mod cut;
mod data;
mod edges;
mod found;
mod knots;
mod order;
mod reason;
mod search;
mod sources;
mod starts;
mod worth;

use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use crate::access::Verdict;
use crate::effect::{Effects, Road};
use crate::entry::{Calling, Through};
use crate::estate::{FunctionId, Principal, ResourceId, ScopeId, Thing};

pub use cut::{Cut, Element, WayThrough};
pub use found::{Found, Hop, Nearest, Path};
pub use knots::knots;
pub use order::{Rank, ranks};
pub use reason::Reason;
pub use starts::{Class, Goal};

/// Something that somebody may come to have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Node {
    /// Somebody, as whom one may then act.
    Who(Principal),
    /// What the code of a function does.
    Code(FunctionId),
    /// Who may do what at a scope.
    Access(ScopeId),
    /// What is in a resource.
    Data(ResourceId),
}

impl Node {
    /// The thing that it is of, where it is one.
    pub fn thing(self) -> Option<Thing> {
        match self {
            Self::Who(who) => who.thing(),
            Self::Code(function) => Some(Thing::Function(function)),
            Self::Access(scope) => Some(Thing::Scope(scope)),
            Self::Data(resource) => Some(Thing::Resource(resource)),
        }
    }
}

/// How one gets from a node to the next.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Step {
    /// By being one of a crowd: no step of its own.
    Is,
    /// By acting as an identity.
    ActsAs,
    /// By handing an identity to code of one's own.
    HandsOver,
    /// By changing the code of a function.
    RewritesCode,
    /// By reading or making a key.
    TakesKey,
    /// By changing who may do what.
    RewritesAccess,
    /// By what an admin key opens.
    Manages,
    /// By giving oneself what lies below a scope whose access one changes.
    Below,
    /// By making a function run.
    Invokes(Through),
    /// By what code runs as.
    RunsAs,
    /// By a secret that the platform hands to code.
    IsHanded,
    /// By reading, changing or deleting data.
    Reaches,
}

impl Step {
    /// Whether one only makes code run, and what then happens depends on the code.
    pub fn is_influence(self) -> bool {
        matches!(self, Self::Invokes(_))
    }

    /// Whether it is told: that somebody is one of a crowd is not a step.
    pub fn is_told(self) -> bool {
        self != Self::Is
    }
}

/// An edge to a node.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edge {
    /// Where it leads.
    pub to: Node,
    /// How.
    pub step: Step,
    /// Surely, or perhaps.
    pub verdict: Verdict,
}

/// How sure and how strong a path is: the better ones first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Default)]
pub struct Quality {
    /// Whether some step is influence.
    pub influence: bool,
    /// Whether some step depends on something.
    pub depends: bool,
}

impl Quality {
    fn after(self, edge: &Edge) -> Self {
        Self {
            influence: self.influence || edge.step.is_influence(),
            depends: self.depends || edge.verdict != Verdict::Yes,
        }
    }

    fn index(self) -> usize {
        usize::from(self.influence) * 2 + usize::from(self.depends)
    }

    /// The bit that stands for it.
    fn bit(self) -> u8 {
        1 << self.index()
    }

    /// The bits of those that are as good in both.
    fn as_good(self) -> u8 {
        [0b0001, 0b0011, 0b0101, 0b1111][self.index()]
    }

    /// Those that are as good in both, itself among them.
    fn all_as_good(self) -> impl Iterator<Item = Self> {
        Self::ALL.into_iter().filter(move |other| other.bit() & self.as_good() != 0)
    }

    const ALL: [Self; 4] = [
        Self { influence: false, depends: false },
        Self { influence: false, depends: true },
        Self { influence: true, depends: false },
        Self { influence: true, depends: true },
    ];
}

/// The ways by which steps are taken: from where, to where, whether by influence.
type WaysThrough = FxHashMap<(Node, Node, bool), Arc<[WayThrough]>>;

/// An estate prepared for questions about paths.
#[derive(Debug)]
pub struct Paths<'a, 'e> {
    effects: &'a Effects<'e>,
    /// By whom functions are called, by each name to which something gives that.
    callers: FxHashMap<Principal, Vec<Calling>>,
    sources: sources::Sources,
    order: order::Order,
    data: data::Data,
    /// What stands on things for names that many may bear, as far as a step may be taken by it.
    leading: Mutex<FxHashMap<Principal, Arc<[Road]>>>,
    graph: Mutex<search::Graph>,
    /// What anyone comes to, once somebody asked.
    anyone: Mutex<Option<Arc<Found>>>,
    /// The ways by which steps are taken, as far as anybody asked.
    ways: Mutex<WaysThrough>,
}

impl<'a, 'e> Paths<'a, 'e> {
    /// Prepares questions about what is left in effect; with data that is looked for besides what is confidential.
    pub fn new(effects: &'a Effects<'e>, wanted: Vec<ResourceId>) -> Self {
        let (callers, (sources, order)) = rayon::join(
            || edges::callers(effects),
            || rayon::join(|| sources::Sources::new(effects), || order::Order::new(effects.estate())),
        );
        Self {
            effects,
            callers,
            sources,
            order,
            data: data::Data::new(effects, wanted),
            leading: Mutex::default(),
            graph: Mutex::default(),
            anyone: Mutex::default(),
            ways: Mutex::default(),
        }
    }

    /// The estate prepared for single questions.
    pub fn effects(&self) -> &'a Effects<'e> {
        self.effects
    }
}
