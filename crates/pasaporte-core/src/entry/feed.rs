//! Event sources: whoever may write to what triggers a function makes it run (access-model §6).

use std::sync::Arc;

use super::{Because, Caller, Circles};
use crate::access::{Action, Given, On, Question, Verdict};
use crate::effect::{Act, Effects, Opposes};
use crate::estate::{ActionClass, Principal, ScopeId, State, Thing, TriggerId};

/// Somebody who may write to the source of a trigger.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Feeder {
    /// Who.
    pub who: Principal,
    /// Surely, or depending on something.
    pub verdict: Verdict,
    /// By which action.
    pub action: Box<str>,
}

/// What gives writing to a source.
struct Writing {
    source: Thing,
    /// By whom it is given to.
    given: Vec<Given>,
    /// The account whose own alone can be given it.
    own: Option<ScopeId>,
}

impl Writing {
    /// What is given to a name.
    fn to(&self, name: Principal) -> &[Given] {
        let from = self.given.partition_point(|it| it.to < name);
        let length = self.given[from..].partition_point(|it| it.to == name);
        &self.given[from..from + length]
    }
}

impl<'e> Effects<'e> {
    /// Who may write to the source of a trigger, by the decision: whoever may do an action of class write on it;
    /// sorted. Nobody, where the trigger or its function is switched off, and for a timer.
    pub fn feeders(&self, id: TriggerId) -> Vec<Feeder> {
        self.live_source(id).map_or_else(Vec::new, |source| self.writing_to(&self.writing(source)))
    }

    /// The same as callers of the function.
    pub(crate) fn feeding(&self, id: TriggerId) -> Vec<Caller<'e>> {
        let Some(source) = self.live_source(id) else { return Vec::new() };
        let writing = self.writing(source);
        let feeders = self.writing_to(&writing).into_iter();
        feeders.filter_map(|feeder| self.writing_as(feeder.who, &writing)).collect()
    }

    fn writing(&self, source: Thing) -> Writing {
        let service = self.service_of(source);
        let holders = self.writers(service);
        let given = self.given_on(&holders, |actions| self.writes(actions, service), source);
        let to_everybody = given.iter().any(|given| self.is_of_everybody(given.to));
        let own = self.closed_to_others(source).filter(|_| !to_everybody);
        Writing { source, given, own }
    }

    fn writing_to(&self, writing: &Writing) -> Vec<Feeder> {
        let named = self.named_in(writing.given.iter().map(|it| it.to).collect());
        named.into_iter().filter_map(|who| self.feeder(who, writing)).collect()
    }

    fn feeder(&self, who: Principal, writing: &Writing) -> Option<Feeder> {
        let bearers = match writing.own {
            Some(own) => self.bearers_of(who, own),
            None => self.bearers(who),
        };
        let best = bearers.iter().filter_map(|bearer| self.best_writing(bearer.who, writing)).max_by(
            |(action, verdict), (other, other_verdict)| {
                verdict.cmp(other_verdict).then_with(|| other.text().cmp(action.text()))
            },
        );
        let (action, verdict) = best?;
        Some(Feeder { who, verdict, action: action.text().into() })
    }

    /// The sorts of actions of class write that somebody is given on a source, each once, the worst first; and whether one
    /// of its statements has no condition.
    fn writes_by(&self, who: Principal, writing: &Writing) -> Vec<(Act, bool)> {
        let source = writing.source;
        let opposition = self.opposition(who);
        let others = self.others_on(opposition.as_deref(), Some(source));
        let (service, dialect) = (self.service_of(source), self.dialect(source));
        let mut all: Vec<(Act, bool)> = Vec::new();
        for given in self.names(who).iter().flat_map(|name| writing.to(*name)) {
            let acts = self.acts(given.actions, service, others, dialect);
            for act in acts.all.iter().filter(|act| act.class == Some(ActionClass::Write)) {
                match all.iter_mut().find(|(known, _)| known.action.text() == act.action.text()) {
                    Some((_, is_plain)) => *is_plain |= given.is_plain,
                    None => all.push((act.clone(), given.is_plain)),
                }
            }
        }
        all.sort_by(|(one, _), (other, _)| one.order().cmp(&other.order()));
        all
    }

    /// The surest action of class write that somebody is given on a source.
    fn best_writing(&self, who: Principal, writing: &Writing) -> Option<(Arc<Action>, Verdict)> {
        let source = writing.source;
        let (opposition, home) = (self.opposition(who), self.home(who));
        let opposition = opposition.as_deref();
        // Where nothing else bears on it, the decision can only say what a statement says that gives it.
        let is_sure = |(act, is_plain): &(Act, bool)| {
            *is_plain
                && self.bounded(opposition, &act.action) == Opposes::Never
                && self.nothing_bears_on(who, home, opposition, &act.action, source)
        };
        let all = self.writes_by(who, writing).into_iter();
        self.surest(who, source, all.map(|it| (is_sure(&it), it.0)))
    }

    /// The surest of some actions, by the decision; the first of those that are as sure. Of which it is known that they are
    /// sure, it is not asked.
    fn surest(
        &self,
        who: Principal,
        on: Thing,
        acts: impl Iterator<Item = (bool, Act)>,
    ) -> Option<(Arc<Action>, Verdict)> {
        let mut best: Option<(Arc<Action>, Verdict)> = None;
        for (is_sure, act) in acts {
            let asked = || self.verdict_on(who, &act.action, On::There(on), self.now());
            let verdict = if is_sure { Verdict::Yes } else { asked() };
            if verdict > best.as_ref().map_or(Verdict::No, |(_, known)| *known) {
                best = Some((act.action, verdict));
            }
            if verdict == Verdict::Yes {
                break;
            }
        }
        best
    }

    /// Those who bear a name and may write to the source of a trigger, as callers of its function.
    pub fn feeding_as(&self, who: Principal, id: TriggerId) -> Option<Caller<'e>> {
        self.feeding_from(who, self.live_source(id)?)
    }

    /// The same of a source.
    pub(crate) fn feeding_from(&self, who: Principal, source: Thing) -> Option<Caller<'e>> {
        let acts = self.acts_on(who, source, |class| class == Some(ActionClass::Write));
        self.as_caller(who, source, acts.into_iter())
    }

    /// The same of those who are given writing.
    fn writing_as(&self, who: Principal, writing: &Writing) -> Option<Caller<'e>> {
        let acts = self.writes_by(who, writing).into_iter().map(|(act, _)| act);
        self.as_caller(who, writing.source, acts)
    }

    /// The same of those who are given some actions on it.
    fn as_caller(
        &self,
        who: Principal,
        source: Thing,
        acts: impl Iterator<Item = Act>,
    ) -> Option<Caller<'e>> {
        let given = self.now();
        let mut found: Option<Caller<'e>> = None;
        for act in acts {
            let circles: Circles = self
                .circles(who, &act.action, source)
                .into_iter()
                .map(|it| (it.exposure, it.verdict))
                .collect();
            let question = Question { principal: who, action: &act.action, on: source, given };
            let verdict = self.verdict(&question);
            let best = circles.iter().map(|(_, verdict)| *verdict).max().unwrap_or(Verdict::No);
            let verdict = if verdict == Verdict::No { best.min(Verdict::Depends) } else { verdict };
            if verdict == Verdict::No {
                continue;
            }
            if let Some(known) = &mut found {
                known.circles.extend(circles);
                known.verdict = known.verdict.max(verdict);
            } else {
                let because = Because::Feeds(act.action.text().into());
                found = Some(Caller { who, verdict, because, circles });
            }
        }
        found
    }

    /// The source of a trigger that is switched on, with its function.
    pub fn live_source(&self, id: TriggerId) -> Option<Thing> {
        let trigger = self.estate().get(id).filter(|trigger| trigger.state == State::Enabled)?;
        trigger.source.filter(|_| self.may_run(trigger.function))
    }
}
