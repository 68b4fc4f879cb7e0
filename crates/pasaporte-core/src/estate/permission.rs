//! Statements, and the four ways of binding them: permission sets held through grants, admissions
//! on things, and ceilings.

use jiff::Timestamp;

use super::{
    ActionsId, Condition, Id, IdentityId, List, Name, Origin, PatternId, Principal, ResourcesId, ScopeId,
    SetId, StatementId, Thing, UserId,
};

super::vocabulary! {
    /// What a statement does when it applies.
    Effect: "a statement's effect" {
        /// Gives.
        Allow = "allow",
        /// Takes away, whatever else gives.
        Deny = "deny",
    }
}

/// The strings that any of some patterns match, less those that an exception matches.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Selection {
    /// Those that this pattern matches: what most statements say.
    One(PatternId),
    /// Those that some patterns match and others do not.
    Some(Box<Several>),
}

/// Patterns and exceptions.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Several {
    any: Box<[PatternId]>,
    except: Box<[PatternId]>,
}

impl Selection {
    /// What any of some patterns match and no exception does.
    pub fn new(any: &[PatternId], except: &[PatternId]) -> Self {
        match (any, except) {
            ([only], []) => Self::One(*only),
            _ => Self::Some(Box::new(Several { any: any.into(), except: except.into() })),
        }
    }

    /// At least one of these matches.
    pub fn any(&self) -> &[PatternId] {
        match self {
            Self::One(only) => std::slice::from_ref(only),
            Self::Some(several) => &several.any,
        }
    }

    /// None of these does.
    pub fn except(&self) -> &[PatternId] {
        match self {
            Self::One(_) => &[],
            Self::Some(several) => &several.except,
        }
    }
}

/// Actions, resources, conditions: given or taken away.
#[derive(Debug, Clone)]
pub struct Statement {
    /// Which actions.
    pub actions: ActionsId,
    /// Which resources, as `kind:id`.
    pub resources: ResourcesId,
    /// Allow or deny.
    pub effect: Effect,
    /// All of which must hold.
    pub conditions: Box<[Condition]>,
    /// Where it was read.
    pub origin: Origin,
}

/// Statements that were kept one after the other: all of a set, of a grant or of a ceiling.
#[derive(Debug, Clone, Copy, Default)]
pub struct Statements {
    first: u32,
    count: u32,
}

impl Statements {
    pub(super) fn between(first: usize, end: usize) -> Self {
        Self { first: first as u32, count: (end - first) as u32 }
    }

    /// How many there are.
    pub fn count(self) -> usize {
        self.count as usize
    }

    /// Each, in the order in which they were written.
    pub fn ids(self) -> impl ExactSizeIterator<Item = StatementId> + Clone {
        let first = self.first as usize;
        (first..first + self.count()).map(StatementId::new)
    }
}

super::vocabulary! {
    /// Who made a permission set or a grant.
    MadeBy: "an origin" {
        /// Made by the platform, for everybody or by itself.
        Platform = "platform",
        /// Made by the team.
        Custom = "custom",
    }
}

/// A named list of statements.
#[derive(Debug, Clone)]
pub struct PermissionSet {
    /// The scope it lives in; none for the platform's own.
    pub scope: Option<ScopeId>,
    /// Ready-made or custom.
    pub made_by: MadeBy,
    /// Its own statements.
    pub statements: Statements,
    /// Sets whose statements it contains as well.
    pub includes: Box<[SetId]>,
    /// Where it was read.
    pub origin: Origin,
}

/// Where a grant holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum At {
    /// Everywhere.
    Everywhere,
    /// On this thing and all that lies in it.
    Thing(Thing),
}

impl At {
    /// The thing, where it is one.
    pub fn thing(self) -> Option<Thing> {
        match self {
            Self::Thing(thing) => Some(thing),
            Self::Everywhere => None,
        }
    }
}

/// A principal holds permissions at a place.
#[derive(Debug, Clone)]
pub struct Grant {
    /// The id its platform gave it, if any.
    pub id: Option<Name>,
    /// Who.
    pub principal: Principal,
    /// The set held, if one is named.
    pub set: Option<SetId>,
    /// Statements held directly.
    pub statements: Statements,
    /// Where.
    pub at: At,
    /// Conditions that join those of each statement.
    pub conditions: Box<[Condition]>,
    /// When it ends.
    pub expires: Option<Timestamp>,
    /// Made by the platform itself, or by the team.
    pub made_by: MadeBy,
    /// Where it was read.
    pub origin: Origin,
}

/// A statement on a thing: an invoke permission on a function, a trust on an identity, an entry of
/// an access list on a resource.
#[derive(Debug, Clone)]
pub struct Admission {
    /// The id its platform gave it, if any.
    pub id: Option<Name>,
    /// On what.
    pub on: Thing,
    /// Whom it names.
    pub to: List<Principal>,
    /// What it gives or takes away.
    pub statement: StatementId,
}

/// What a ceiling bounds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Bounded {
    /// One identity.
    Identity(IdentityId),
    /// One person.
    User(UserId),
    /// Every principal that lives in a scope.
    Scope(ScopeId),
}

impl Bounded {
    /// What is bounded, or what all that is bounded lives in.
    pub fn thing(self) -> Thing {
        match self {
            Self::Identity(id) => Thing::Identity(id),
            Self::User(id) => Thing::User(id),
            Self::Scope(id) => Thing::Scope(id),
        }
    }
}

/// Statements that bound what can be given.
#[derive(Debug, Clone)]
pub struct Ceiling {
    /// The id its platform gave it, if any.
    pub id: Option<Name>,
    /// Whom.
    pub over: Box<[Bounded]>,
    /// To what.
    pub statements: Statements,
    /// Where it was read.
    pub origin: Origin,
}
