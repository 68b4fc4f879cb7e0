//! Why a step can be taken: the answer that it rests on.

use std::sync::Arc;

use super::{Hop, Node, Paths, Step};
use crate::access::{Action, Answer, INVOKE, Question, Verdict};
use crate::effect::Handing;
use crate::entry::{Through, WayIn};
use crate::estate::{FunctionId, Principal, Thing};

/// What a step rests on.
#[derive(Debug, Clone)]
pub enum Reason<'e> {
    /// The decision on an action.
    Decided(Arc<Action>, Answer<'e>),
    /// A way into a function.
    Enters(Box<WayIn<'e>>),
    /// An identity that is handed to code.
    Hands(Box<Handing>),
    /// How things lie: what code runs as, what is below a scope, what an admin key opens.
    Lies,
}

impl<'e> Paths<'_, 'e> {
    /// Why a step can be taken; none where asking again says that it cannot.
    pub fn reason(&self, hop: &Hop) -> Option<Reason<'e>> {
        let effects = self.effects;
        let Node::Who(who) = hop.from else { return Some(Reason::Lies) };
        match hop.edge.step {
            Step::Is | Step::Manages | Step::RunsAs | Step::Below | Step::IsHanded => Some(Reason::Lies),
            Step::ActsAs => {
                let Node::Who(to) = hop.edge.to else { return None };
                self.decided(who, effects.action(effects.assuming(to)?.text()), to.thing()?)
            }
            Step::HandsOver => {
                let mut all = effects.handing(who, |id| hop.edge.to == Node::Who(Principal::Identity(id)));
                all.pop().map(|it| Reason::Hands(Box::new(it)))
            }
            Step::Invokes(through) => {
                let Node::Code(function) = hop.edge.to else { return None };
                self.entering_by(who, through, function)
            }
            step => {
                let thing = hop.edge.to.thing()?;
                let acts = match step {
                    Step::RewritesAccess => effects.access_acts_on(who, thing),
                    _ => effects.acts_on(who, thing, |_| true),
                };
                let answers = acts.into_iter().filter(|act| step.is_taken_by(act));
                let answers = answers.filter_map(|act| match self.decided(who, act.action, thing)? {
                    Reason::Decided(action, answer) => Some((action, answer)),
                    _ => None,
                });
                // The surest; of those that are as sure, the first, which is the worst to have.
                let best =
                    answers.reduce(|one, other| if other.1.verdict > one.1.verdict { other } else { one });
                best.map(|(action, answer)| Reason::Decided(action, answer))
            }
        }
    }

    fn decided(&self, who: Principal, action: Arc<Action>, on: Thing) -> Option<Reason<'e>> {
        let effects = self.effects;
        let answer =
            effects.decide(&Question { principal: who, action: &action, on, given: effects.given(who) });
        (answer.verdict != Verdict::No).then_some(Reason::Decided(action, answer))
    }

    fn entering_by(&self, who: Principal, through: Through, function: FunctionId) -> Option<Reason<'e>> {
        let effects = self.effects;
        let given = effects.given(who);
        if through == Through::Invoking {
            let invoke = effects.action(INVOKE);
            if let Some(decided) = self.decided(who, invoke, Thing::Function(function)) {
                return Some(decided);
            }
        }
        let all = effects.ways_in(function).all.into_iter();
        let names = effects.names(who);
        let own = all.filter(|way| names.contains(&way.caller.who) && way.through == through);
        let others = effects.other_ways(who, function, given).into_iter().map(|(way, _)| way);
        let best =
            own.chain(others.filter(|way| way.through == through)).max_by_key(|way| way.caller.verdict);
        best.map(|way| Reason::Enters(Box::new(way)))
    }
}
