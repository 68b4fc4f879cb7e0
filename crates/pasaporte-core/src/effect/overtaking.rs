//! Becoming somebody by changing something: the code that runs as an identity, or who may act as an identity or a user, or
//! who is in a group (access-model §7, "rewrites code" and "rewrites access").

use std::collections::BTreeMap;

use super::roads::Powers;
use super::{ACCESS_SERVICE, Effects, FUNCTION, Opposition, Road, ServiceId};
use crate::access::{On, Verdict};
use crate::estate::{ActionClass, Principal, Thing};

/// Somebody whom one becomes by changing something.
#[derive(Debug, Clone)]
pub struct Overtaking {
    /// Who.
    pub to: Principal,
    /// What is changed: a function that runs as them, or they themselves.
    pub changing: Thing,
    /// Surely or perhaps.
    pub verdict: Verdict,
}

impl Effects<'_> {
    /// Those of some that are asked about whom a principal becomes by changing something, each in the surest way.
    pub fn overtaking(&self, who: Principal, is_asked: impl Fn(Principal) -> bool) -> Vec<Overtaking> {
        let (estate, opposition) = (self.estate(), self.opposition(who));
        let mut best: BTreeMap<Principal, Overtaking> = BTreeMap::new();
        for road in &self.harmful_roads(who) {
            let powers = self.powers(estate.statement(road.statement).actions);
            for (power, service) in [(Powers::FUNCTIONS, FUNCTION), (Powers::ACCESS, ACCESS_SERVICE)] {
                if !powers.has(power) {
                    continue;
                }
                for thing in self.things_reached_by(who, road, service) {
                    let Some(to) = self.whoever_changes(thing).filter(|to| *to != who && is_asked(*to))
                    else {
                        continue;
                    };
                    let verdict = self.changes(who, opposition.as_deref(), road, (service, thing));
                    if verdict == Verdict::No {
                        continue;
                    }
                    let found = Overtaking { to, changing: thing, verdict };
                    let is_better = best.get(&to).is_none_or(|known| {
                        let by_name = || estate.compare_labels(known.changing, found.changing);
                        found.verdict.cmp(&known.verdict).then_with(by_name).is_gt()
                    });
                    if is_better {
                        best.insert(to, found);
                    }
                }
            }
        }
        let mut all: Vec<Overtaking> = best.into_values().collect();
        all.sort_by_cached_key(|it| (std::cmp::Reverse(it.verdict), estate.principal_label(it.to)));
        all
    }

    /// Whom somebody becomes who changes a thing.
    fn whoever_changes(&self, thing: Thing) -> Option<Principal> {
        match thing {
            Thing::Function(id) => {
                self.estate().get(id).and_then(|it| self.estate().runs_as(it)).map(Principal::Identity)
            }
            other => other.somebody(),
        }
    }

    /// How surely somebody changes a thing by what a road has.
    fn changes(
        &self,
        who: Principal,
        opposition: Option<&Opposition>,
        road: &Road,
        (service, thing): (ServiceId, Thing),
    ) -> Verdict {
        let class = if service == ACCESS_SERVICE { ActionClass::Access } else { ActionClass::Code };
        let others = self.others_on(opposition, Some(thing));
        let actions = self.estate().statement(road.statement).actions;
        let acts = self.acts(actions, service, others, self.dialect(thing));
        let changing = acts.all.iter().filter(|act| act.class == Some(class));
        let asked = changing.map(|act| self.verdict_on(who, &act.action, On::There(thing), self.given(who)));
        asked.max().unwrap_or(Verdict::No)
    }
}
