//! Becoming somebody by changing something: the code that runs as an identity, or who may act as an identity or a user, or
//! who is in a group (access-model §7, "rewrites code" and "rewrites access").

use std::collections::BTreeMap;

use super::roads::Powers;
use super::{ACCESS_SERVICE, Act, Effects, FUNCTION, Road, ServiceId};
use crate::access::{On, Verdict};
use crate::estate::{ActionClass, Principal, Thing};

/// Somebody whom one becomes by changing something.
#[derive(Debug, Clone)]
pub struct Overtaking {
    /// Who.
    pub to: Principal,
    /// What is changed: a function that runs as them, or they themselves.
    pub changing: Thing,
    /// By which action.
    pub act: Act,
    /// Surely or perhaps.
    pub verdict: Verdict,
}

impl Effects<'_> {
    /// Those of some that are asked about whom a principal becomes by changing something, each in the surest way.
    pub fn overtaking(&self, who: Principal, is_asked: impl Fn(Principal) -> bool) -> Vec<Overtaking> {
        let mut best: BTreeMap<Principal, Overtaking> = BTreeMap::new();
        for road in &self.roads(who) {
            let powers = self.powers(self.estate().statement(road.statement).actions);
            for (power, service) in [(Powers::FUNCTIONS, FUNCTION), (Powers::ACCESS, ACCESS_SERVICE)] {
                if !powers.has(power) {
                    continue;
                }
                for thing in self.things_reached_by(who, road, service) {
                    let Some(to) = self.whoever_changes(thing).filter(|to| *to != who && is_asked(*to))
                    else {
                        continue;
                    };
                    let Some((act, verdict)) = self.changes(who, road, service, thing) else { continue };
                    let found = Overtaking { to, changing: thing, act, verdict };
                    let label = |it: &Overtaking| self.estate().label(it.changing);
                    let is_better = best.get(&to).is_none_or(|known| {
                        (found.verdict, std::cmp::Reverse(label(&found)))
                            > (known.verdict, std::cmp::Reverse(label(known)))
                    });
                    if is_better {
                        best.insert(to, found);
                    }
                }
            }
        }
        let mut all: Vec<Overtaking> = best.into_values().collect();
        all.sort_by_cached_key(|it| (std::cmp::Reverse(it.verdict), self.estate().principal_label(it.to)));
        all
    }

    /// Whom somebody becomes who changes a thing.
    fn whoever_changes(&self, thing: Thing) -> Option<Principal> {
        match thing {
            Thing::Function(id) => {
                self.estate().get(id).and_then(|it| self.estate().runs_as(it)).map(Principal::Identity)
            }
            Thing::Identity(id) => Some(Principal::Identity(id)),
            Thing::User(id) => Some(Principal::User(id)),
            Thing::Group(id) => Some(Principal::Group(id)),
            _ => None,
        }
    }

    /// The surest action of a road by which somebody changes a thing.
    fn changes(
        &self,
        who: Principal,
        road: &Road,
        service: ServiceId,
        thing: Thing,
    ) -> Option<(Act, Verdict)> {
        let class = if service == ACCESS_SERVICE { ActionClass::Access } else { ActionClass::Code };
        let opposition = self.opposition(who);
        let others = self.others_on(opposition.as_deref(), Some(thing));
        let actions = self.estate().statement(road.statement).actions;
        let acts = self.acts(actions, service, others, self.dialect(thing));
        let asked = acts
            .all
            .iter()
            .filter(|act| act.class == Some(class))
            .map(|act| (act, self.verdict_on(who, &act.action, On::There(thing), self.given(who))));
        let surest = asked.filter(|(_, verdict)| *verdict != Verdict::No).max_by_key(|(_, verdict)| *verdict);
        surest.map(|(act, verdict)| (act.clone(), verdict))
    }
}
