//! Two held side by side: what both may do, what only one may, each with what was used.

mod facts;
mod rights;
mod split;

use pasaporte_audit::Audit;
use pasaporte_core::diff::{Holder, pair};
use pasaporte_core::estate::{Estate, FunctionId, Principal, SetId, Thing};
use schemars::JsonSchema;
use serde::Serialize;

pub use facts::FactOut;
pub use rights::{Hold, MayOut, RightsOut};
pub use split::{NeedOut, Sharer, SharingOut};

use crate::VERSION;

/// What is held against another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Compared {
    /// The thing that was named; none for a crowd.
    pub thing: Option<Thing>,
    /// Whose rights are compared.
    pub holder: Holder,
}

impl Compared {
    /// Somebody; a function stands for what it runs as.
    pub fn somebody(who: Principal, function: Option<FunctionId>) -> Self {
        let thing = function.map_or_else(|| who.thing(), |id| Some(Thing::Function(id)));
        Self { thing, holder: Holder::Somebody(who) }
    }

    /// A permission set by itself.
    pub fn set(set: SetId) -> Self {
        Self { thing: Some(Thing::Set(set)), holder: Holder::Set(set) }
    }

    fn label(self, estate: &Estate) -> String {
        match (self.thing, self.holder) {
            (Some(thing), _) => estate.label(thing),
            (None, Holder::Somebody(who)) => estate.principal_label(who),
            (None, Holder::Set(set)) => estate.label(Thing::Set(set)),
        }
    }
}

/// Two held side by side.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte compare, version 1")]
pub struct ComparedOut {
    /// The version of this output.
    pub compare: u64,
    /// The first.
    pub left: SideOut,
    /// The second.
    pub right: SideOut,
    /// What is said of each, whether it differs or not.
    pub facts: Vec<FactOut>,
    /// What they may do, by service, class and who holds it.
    pub rights: Vec<RightsOut>,
    /// How many rights both have, and only one: a right is one class of actions on one thing.
    pub count: CountOut,
    /// Whether all sorts of actions were told apart within the bound on work.
    pub complete: bool,
}

/// One of two.
#[derive(Debug, Serialize, JsonSchema)]
pub struct SideOut {
    /// What: `kind:id`.
    pub what: String,
    /// Where it was read from, where two estates are compared.
    pub estate: Option<String>,
    /// Whose rights these are, where that is another: what a function runs as.
    pub runs_as: Option<String>,
    /// Of a group, that this is about somebody in it of whom no more is known, and who its members are.
    pub note: Option<String>,
}

/// How many rights.
#[derive(Debug, Default, PartialEq, Eq, Serialize, JsonSchema)]
pub struct CountOut {
    /// Both may.
    pub both: usize,
    /// Only the first may.
    pub only_left: usize,
    /// Only the second may.
    pub only_right: usize,
    /// One may surely and the other on conditions.
    pub differently: usize,
}

impl ComparedOut {
    /// Of two, each in its estate; with where that was read from, where they are two estates.
    pub fn new(
        left: (&Audit<'_>, Compared, Option<&str>),
        right: (&Audit<'_>, Compared, Option<&str>),
    ) -> Self {
        let held = pair((left.0.effects(), left.1.holder), (right.0.effects(), right.1.holder));
        let (rights, count) = rights::grouped(&held.all, (left.0, left.1), (right.0, right.1));
        Self {
            compare: VERSION,
            left: side(left),
            right: side(right),
            facts: facts::facts((left.0, left.1), (right.0, right.1)),
            rights,
            count,
            complete: held.complete,
        }
    }

    /// Whether they may do the very same.
    pub fn is_same(&self) -> bool {
        self.rights.iter().all(|it| it.held.0 == Hold::Both)
    }
}

fn side((audit, it, path): (&Audit<'_>, Compared, Option<&str>)) -> SideOut {
    let estate = audit.estate();
    let runs_as = match (it.thing, it.holder) {
        (Some(Thing::Function(_)), Holder::Somebody(who)) => Some(estate.principal_label(who)),
        _ => None,
    };
    let note = match it.holder {
        Holder::Somebody(who) => crate::reach::of_a_group(audit.effects(), who),
        Holder::Set(_) => None,
    };
    SideOut { what: it.label(estate), estate: path.map(str::to_owned), runs_as, note }
}
