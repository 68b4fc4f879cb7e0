//! Event sources: whoever may write to what triggers a function makes it run (access-model §6).

use super::{Because, Caller, Circles};
use crate::access::{Action, On, Question, Verdict};
use crate::effect::Effects;
use crate::estate::{ActionClass, Principal, State, Thing, TriggerId};

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

impl<'e> Effects<'e> {
    /// Who may write to the source of a trigger, by the decision: whoever may do an action of class write on it;
    /// sorted. Nobody, where the trigger or its function is switched off, and for a timer.
    pub fn feeders(&self, id: TriggerId) -> Vec<Feeder> {
        let Some(source) = self.live_source(id) else { return Vec::new() };
        let service = self.service_of(source);
        let holders = self.writers(service);
        let who = self.candidates(&holders, |actions| self.writes(actions, service), source);
        let mut all: Vec<Feeder> = who.into_iter().filter_map(|who| self.feeding(who, source)).collect();
        all.sort_unstable_by_key(|feeder| feeder.who);
        all
    }

    fn feeding(&self, who: Principal, source: Thing) -> Option<Feeder> {
        let bearers = self.bearers(who);
        let best = bearers.iter().filter_map(|bearer| self.by_writing(bearer.who, source)).max_by(
            |(action, verdict), (other, other_verdict)| {
                verdict.cmp(other_verdict).then_with(|| other.text().cmp(action.text()))
            },
        );
        let (action, verdict) = best?;
        Some(Feeder { who, verdict, action: action.text().into() })
    }

    /// The surest action of class write that somebody may do on a thing.
    pub(crate) fn by_writing(&self, who: Principal, on: Thing) -> Option<(std::sync::Arc<Action>, Verdict)> {
        let mut best: Option<(std::sync::Arc<Action>, Verdict)> = None;
        let given = crate::access::Context::at(self.estate().as_of());
        for act in self.acts_on(who, on, |class| class == Some(ActionClass::Write)) {
            let verdict = self.verdict_on(who, &act.action, On::There(on), &given);
            if verdict > best.as_ref().map_or(Verdict::No, |(_, known)| *known) {
                best = Some((act.action, verdict));
            }
        }
        best
    }

    /// Those who bear a name and may write to the source of a trigger, as callers of its function.
    pub fn feeding_as(&self, who: Principal, id: TriggerId) -> Option<Caller<'e>> {
        let source = self.live_source(id)?;
        let mut found: Option<Caller<'e>> = None;
        for act in self.acts_on(who, source, |class| class == Some(ActionClass::Write)) {
            let circles: Circles = self
                .circles(who, &act.action, source)
                .into_iter()
                .map(|it| (it.exposure, it.verdict))
                .collect();
            let given = crate::access::Context::at(self.estate().as_of());
            let question = Question { principal: who, action: &act.action, on: source, given: &given };
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
