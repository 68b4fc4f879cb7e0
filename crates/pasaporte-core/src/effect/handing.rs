//! Handing an identity to code that one may make or change: a way to become it (access-model §7, "hands over").

use std::collections::BTreeMap;

use super::roads::Powers;
use super::{Act, Control, Effects, FUNCTION, IDENTITY, Power, Road, Wide};
use crate::access::{On, Verdict};
use crate::estate::{IdentityId, Principal, Thing};

/// An identity that somebody may hand to code of theirs.
#[derive(Debug, Clone)]
pub struct Handing {
    /// Which.
    pub identity: IdentityId,
    /// By which action it is handed over, and by which road that is given.
    pub by: (Act, Road),
    /// The code: a function that they may change, or one that they may make.
    pub code: Control,
    /// Surely, or perhaps where one of the two is not sure.
    pub verdict: Verdict,
}

impl Effects<'_> {
    /// Those identities of some that are asked about that a principal may hand to code that it may make or change, by name;
    /// each in its surest way.
    pub fn handing(&self, who: Principal, is_asked: impl Fn(IdentityId) -> bool) -> Vec<Handing> {
        // What is handed over, and the code that it is handed to, are changed: that is harm.
        self.handing_by(who, &self.harmful_roads(who), is_asked)
    }

    /// The same by roads that are known: all that let them change something.
    pub(crate) fn handing_by(
        &self,
        who: Principal,
        roads: &[Road],
        is_asked: impl Fn(IdentityId) -> bool,
    ) -> Vec<Handing> {
        let mut ways: BTreeMap<IdentityId, (Act, Road, Verdict)> = BTreeMap::new();
        for road in roads {
            for (identity, act, verdict) in self.handed_by(who, road, &is_asked) {
                let known = ways.get(&identity).map_or(Verdict::No, |(_, _, known)| *known);
                if verdict > known {
                    ways.insert(identity, (act, *road, verdict));
                }
            }
        }
        if ways.is_empty() {
            return Vec::new();
        }
        let Some(code) = self.code_of(who, roads) else { return Vec::new() };
        let one = |(identity, (act, road, verdict)): (IdentityId, (Act, Road, Verdict))| Handing {
            identity,
            by: (act, road),
            verdict: verdict.min(code.verdict),
            code: code.clone(),
        };
        let mut all: Vec<Handing> = ways.into_iter().map(one).collect();
        all.sort_by_key(|it| self.estate().id(it.identity));
        all
    }

    /// The code that somebody may make or change, the surest; a function that is there before one that is not.
    pub(crate) fn code_of(&self, who: Principal, roads: &[Road]) -> Option<Control> {
        let found = roads.iter().flat_map(|road| self.control_of(who, road, (Power::Code, FUNCTION), true));
        found.max_by_key(|it| (it.verdict, matches!(it.on, Wide::There(_))))
    }

    /// The identities that a road lets somebody hand over, each with the surest action.
    fn handed_by(
        &self,
        who: Principal,
        road: &Road,
        is_asked: &impl Fn(IdentityId) -> bool,
    ) -> Vec<(IdentityId, Act, Verdict)> {
        let actions = self.estate().statement(road.statement).actions;
        let hands = |others, dialect| {
            let acts = self.acts(actions, IDENTITY, others, dialect);
            let all = acts.all.iter().filter(|act| Power::HandOver.takes(IDENTITY, act));
            all.cloned().collect::<Vec<Act>>()
        };
        if !self.powers(actions).has(Powers::IDENTITIES) {
            return Vec::new();
        }
        let opposition = self.opposition(who);
        let of_thing = |thing: Thing| {
            let Thing::Identity(identity) = thing else { return None };
            if !is_asked(identity) {
                return None;
            }
            let others = self.others_on(opposition.as_deref(), Some(thing));
            let acts = hands(others, self.dialect(thing));
            let asked = acts.into_iter().map(|act| {
                let verdict = self.gives(who, road, &act.action, On::There(thing));
                (identity, act, verdict)
            });
            asked.filter(|(_, _, verdict)| *verdict != Verdict::No).max_by_key(|(_, _, verdict)| *verdict)
        };
        let there = self.things_reached_by(who, road, IDENTITY).into_iter();
        there.filter(|thing| who.thing() != Some(*thing)).filter_map(of_thing).collect()
    }
}
