//! An answer and what it rests on.

use std::fmt::Write;

use super::{Access, Truth};
use crate::estate::{
    AdmissionId, CeilingId, Condition, Effect, Estate, GrantId, PatternId, Principal, Selection, SetId,
    StatementId,
};

crate::estate::vocabulary! {
    /// Yes, no, or depends on conditions that the question leaves open. The order is that of "how much".
    Verdict: "a verdict" {
        /// It may not.
        No = "no",
        /// It may if the answer's conditions hold.
        Depends = "depends",
        /// It may.
        Yes = "yes",
    }
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
    /// Whether it is given to everybody and so counts from both sides.
    pub to_all: bool,
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

crate::estate::vocabulary! {
    /// Whose allow is needed (access-model §4.5).
    Needs: "whose allow is needed" {
        /// That of the caller's side or that of the resource's.
        EitherSide = "either-side",
        /// Those of both sides.
        BothSides = "both-sides",
        /// That of the resource's side: the caller's is not in the estate.
        ResourcesSide = "resources-side",
        /// Not known, since an account is not.
        Unknown = "unknown",
    }
}

/// An answer with its reasons.
#[derive(Debug, Clone)]
pub struct Answer<'e> {
    /// Yes, no or depends.
    pub verdict: Verdict,
    /// Whose allow it needed.
    pub needs: Needs,
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

    /// What an answer that depends depends on, as the rest of a sentence: "if source resource is
    /// bucket:tides, or if second factor is true; unless time is before …". Empty for other answers.
    pub fn residual(&self, estate: &Estate) -> String {
        if self.verdict != Verdict::Depends {
            return String::new();
        }
        let mut parts = self.open_sides(estate);
        let denies = self.open_grounds(|ground| ground.effect == Effect::Deny && !is_ceiling(&ground.via));
        let denies: Vec<String> = denies.map(|ground| ground.conditions(estate)).collect();
        if !denies.is_empty() {
            parts.push(format!("unless {}", once(denies).join(", or unless ")));
        }
        parts.extend(self.ceilings(estate));
        parts.join("; ")
    }

    /// What the sides leave open: what is given to everybody is enough by itself, else those sides count that are needed.
    fn open_sides(&self, estate: &Estate) -> Vec<String> {
        let is_grant = |ground: &Ground<'_>| matches!(ground.via, Via::Grant { .. });
        let is_admission = |ground: &Ground<'_>| matches!(ground.via, Via::Admission { .. });
        let to_all = self.side(estate, |ground| ground.to_all);
        if matches!(to_all, Side::Surely) {
            return Vec::new();
        }
        let caller = self.side(estate, |ground| is_grant(ground) && !ground.to_all);
        let resource = self.side(estate, |ground| is_admission(ground) && !ground.to_all);
        let joined = |ways: &[String]| format!("if {}", ways.join(", or if "));
        // A side that surely allows is enough where either is, and then nothing is open on this count.
        let any = |sides: &[&Side]| -> Vec<String> {
            let is_sure = sides.iter().any(|side| matches!(side, Side::Surely));
            let ways = once(sides.iter().filter_map(|side| side.opened()).flatten().cloned().collect());
            if is_sure || ways.is_empty() { Vec::new() } else { vec![joined(&ways)] }
        };
        match self.needs {
            Needs::EitherSide => any(&[&to_all, &caller, &resource]),
            Needs::ResourcesSide => any(&[&to_all, &resource]),
            Needs::BothSides | Needs::Unknown => {
                let is_unknown = self.needs == Needs::Unknown;
                let by_sides = match (&caller, &resource) {
                    (Side::Never, Side::Never) => false,
                    (Side::Never, _) | (_, Side::Never) => is_unknown,
                    _ => true,
                };
                let mut parts = Vec::new();
                if by_sides {
                    parts.extend(caller.opened().map(&joined));
                    let of_resource =
                        |ways: &[String]| format!("if, on the resource's side, {}", ways.join(", or if "));
                    parts.extend(resource.opened().map(of_resource));
                    let is_told = is_unknown && self.shortfalls.contains(&Shortfall::AccountUnknown);
                    let one = "if both are of one account, which is not known";
                    parts.extend(is_told.then(|| one.to_owned()));
                }
                match (to_all.opened(), parts.first_mut()) {
                    (Some(ways), Some(first)) => *first = format!("{}, or else {first}", joined(ways)),
                    (Some(ways), None) => parts.push(joined(ways)),
                    (None, _) => {}
                }
                parts
            }
        }
    }

    fn open_grounds(&self, wanted: impl Fn(&Ground<'_>) -> bool) -> impl Iterator<Item = &Ground<'_>> {
        self.grounds.iter().filter(move |ground| ground.holds == Truth::Unknown && wanted(ground))
    }

    /// What some of the statements that allow come to together.
    fn side(&self, estate: &Estate, is_of: impl Fn(&Ground<'_>) -> bool) -> Side {
        let allows = |ground: &Ground<'_>| ground.effect == Effect::Allow && is_of(ground);
        if self.grounds.iter().any(|ground| allows(ground) && ground.holds == Truth::True) {
            return Side::Surely;
        }
        let open = self.open_grounds(allows).map(|ground| ground.conditions(estate));
        let open = once(open.collect());
        if open.is_empty() { Side::Never } else { Side::Open(open) }
    }

    /// What each ceiling leaves open.
    fn ceilings(&self, estate: &Estate) -> Vec<String> {
        let mut by_ceiling: Vec<(CeilingId, Vec<&Ground<'_>>)> = Vec::new();
        for ground in &self.grounds {
            let Via::Ceiling(id) = ground.via else { continue };
            match by_ceiling.iter_mut().find(|(each, _)| *each == id) {
                Some((_, grounds)) => grounds.push(ground),
                None => by_ceiling.push((id, vec![ground])),
            }
        }
        let mut parts = Vec::new();
        for (id, grounds) in by_ceiling {
            let name = estate.label(crate::estate::Thing::Ceiling(id));
            let open = |effect| {
                let of_effect = grounds.iter().filter(move |ground| ground.effect == effect);
                let open = of_effect.filter(|ground| ground.holds == Truth::Unknown);
                once(open.map(|ground| ground.conditions(estate)).collect())
            };
            let surely =
                grounds.iter().any(|ground| ground.effect == Effect::Allow && ground.holds == Truth::True);
            let allows = open(Effect::Allow);
            if !surely && !allows.is_empty() {
                parts.push(format!("within {name} if {}", allows.join(", or if ")));
            }
            let denies = open(Effect::Deny);
            if !denies.is_empty() {
                parts.push(format!("within {name} unless {}", denies.join(", or unless ")));
            }
        }
        parts
    }
}

/// What a side's statements come to.
enum Side {
    Surely,
    /// By the conditions of each that is open.
    Open(Vec<String>),
    Never,
}

impl Side {
    fn opened(&self) -> Option<&[String]> {
        match self {
            Self::Open(ways) => Some(ways),
            Self::Surely | Self::Never => None,
        }
    }
}

impl Ground<'_> {
    /// Its unmet conditions as part of a sentence: "a and b".
    pub fn conditions(&self, estate: &Estate) -> String {
        let mut all: Vec<String> = self.unmet.iter().map(|condition| condition.sentence(estate)).collect();
        all.sort_unstable();
        all.dedup();
        all.join(" and ")
    }
}

impl Access<'_> {
    /// Whether something allows it by a name of somebody's own, or of a group of theirs, and not only as it allows
    /// everybody who is more.
    pub fn is_by_own_name(&self, who: Principal, answer: &Answer<'_>) -> bool {
        let wider = |name: Principal| match who {
            Principal::Anyone => false,
            Principal::SignedIn => self.is_of_anyone(name),
            _ => self.is_of_everybody(name),
        };
        let allows =
            answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False);
        allows.into_iter().any(|ground| match ground.via {
            Via::Grant { name, .. } => !wider(name),
            // The statement may name both.
            Via::Admission { admission, .. } => {
                let to = self.estate().list(self.estate().admission(admission).to);
                self.names(who).iter().any(|name| to.contains(name) && !wider(*name))
            }
            Via::Ceiling(_) => false,
        })
    }

    /// A statement in one line: "allow bucket/read, bucket/write on bucket:tides if …".
    pub fn wording(&self, id: StatementId) -> String {
        let estate = self.estate();
        let statement = estate.statement(id);
        let actions = selection(estate, estate.actions_picked(statement.actions));
        let mut text = format!("{} {actions}", statement.effect);
        let resources = selection(estate, estate.resources_picked(statement.resources));
        if resources != "*" {
            let _ = write!(text, " on {resources}");
        }
        let conditions: Vec<String> = statement.conditions.iter().map(|each| each.sentence(estate)).collect();
        if !conditions.is_empty() {
            let _ = write!(text, " if {}", conditions.join(" and "));
        }
        text
    }
}

fn selection(estate: &Estate, selection: &Selection) -> String {
    let texts =
        |ids: &[PatternId]| ids.iter().map(|id| estate.pattern(*id).text()).collect::<Vec<_>>().join(", ");
    match selection.except() {
        [] => texts(selection.any()),
        except => format!("{} but {}", texts(selection.any()), texts(except)),
    }
}

fn is_ceiling(via: &Via) -> bool {
    matches!(via, Via::Ceiling(_))
}

/// Each text once, sorted, so that the order of input does not show.
fn once(mut texts: Vec<String>) -> Vec<String> {
    texts.sort_unstable();
    texts.dedup();
    texts
}
