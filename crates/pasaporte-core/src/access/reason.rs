//! An answer and what it rests on.

use super::Truth;
use crate::estate::{
    AdmissionId, CeilingId, Condition, Effect, Estate, GrantId, Principal, SetId, StatementId,
};

/// Yes, no, or depends on conditions that the question leaves open.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Verdict {
    /// It may.
    Yes,
    /// It may not.
    No,
    /// It may if the answer's conditions hold.
    Depends,
}

impl From<Truth> for Verdict {
    fn from(truth: Truth) -> Self {
        match truth {
            Truth::True => Self::Yes,
            Truth::Unknown => Self::Depends,
            Truth::False => Self::No,
        }
    }
}

/// How a statement came to bear on the question.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Via {
    /// Held by a name of the caller, through a grant.
    Grant {
        /// The grant.
        grant: GrantId,
        /// The name that holds it: the caller itself, or a group, an account …
        name: Principal,
        /// The set that contains the statement; none where the grant does itself.
        set: Option<SetId>,
    },
    /// On the resource, naming a name of the caller.
    Admission {
        /// The invoke permission, trust or access list entry.
        admission: AdmissionId,
        /// The name that it admits.
        name: Principal,
    },
    /// A ceiling on the caller.
    Ceiling(CeilingId),
}

/// A statement that applies to the question.
#[derive(Debug, Clone)]
pub struct Ground<'e> {
    /// Which statement.
    pub statement: StatementId,
    /// Whether it allows or denies.
    pub effect: Effect,
    /// How it came to apply.
    pub via: Via,
    /// Whether its conditions hold.
    pub holds: Truth,
    /// The conditions that keep it from surely holding: those that the question leaves open or, where it does
    /// not hold, those that fail.
    pub unmet: Vec<&'e Condition>,
}

/// Why there is no plain yes, and how near it was.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Shortfall {
    /// Nothing allows it.
    NothingAllows,
    /// A grant would allow it, but had expired.
    Expired(GrantId),
    /// A grant would allow it, but elsewhere.
    Elsewhere(GrantId),
    /// A grant would allow the action here, but on other resources.
    OtherResources(GrantId),
    /// A grant names this resource, but for other actions.
    OtherActions(GrantId),
    /// This ceiling does not allow it.
    Ceiling(CeilingId),
    /// Caller and resource are of different accounts, and the caller's side does not allow it.
    CallersSideMissing,
    /// Caller and resource are of different accounts, and the resource's side does not allow it.
    ResourcesSideMissing,
    /// The account of one of them is not known, so one side may not be enough.
    AccountUnknown,
}

/// An answer with its reasons.
#[derive(Debug, Clone)]
pub struct Answer<'e> {
    /// Yes, no or depends.
    pub verdict: Verdict,
    /// Every statement that applies, denies before allows before ceilings.
    pub grounds: Vec<Ground<'e>>,
    /// What stands in the way of a plain yes, apart from grounds that deny.
    pub shortfalls: Vec<Shortfall>,
}

impl Answer<'_> {
    /// Whether it may, perhaps or surely.
    pub fn is_possible(&self) -> bool {
        self.verdict != Verdict::No
    }

    /// The open conditions of what allows, each once, as parts of a sentence.
    pub fn depends_on(&self, estate: &Estate) -> Vec<String> {
        let mut all: Vec<String> = self
            .grounds
            .iter()
            .filter(|ground| ground.holds == Truth::Unknown)
            .flat_map(|ground| {
                ground.unmet.iter().map(move |condition| {
                    let unless = if ground.effect == Effect::Deny { "not: " } else { "" };
                    format!("{unless}{}", condition.sentence(estate))
                })
            })
            .collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}
