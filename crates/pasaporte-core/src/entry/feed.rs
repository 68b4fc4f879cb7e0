//! Event sources: whoever may write to what triggers a function makes it run (access-model §6).

use crate::access::{Access, Context, Question, Verdict};
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

/// The words for putting something into a source, of whatever kind it is.
const WORDS: [&str; 3] = ["write", "send", "publish"];
/// Words of the class of writing that take something out of a source.
const TAKING: [&str; 2] = ["take", "delete"];

impl Access<'_> {
    /// Who may write to the source of a trigger, by the decision; sorted. Nobody, where the trigger or its function
    /// is switched off, and for a timer.
    pub fn feeders(&self, id: TriggerId, given: &Context) -> Vec<Feeder> {
        let Some(source) = self.live_source(id) else { return Vec::new() };
        let mut all: Vec<Feeder> = Vec::new();
        for action in self.feeding(source) {
            let prepared = self.action(&action);
            for (who, verdict) in self.who_may(&self.holders(&prepared), &prepared, source, given) {
                let feeder = Feeder { who, verdict, action: action.clone() };
                match all.iter_mut().find(|known| known.who == who) {
                    Some(known) if known.verdict >= verdict => {}
                    Some(known) => *known = feeder,
                    None => all.push(feeder),
                }
            }
        }
        all.sort_unstable_by_key(|feeder| feeder.who);
        all
    }

    /// Whether a crowd that needs not be known may write to the source of a trigger: the best verdict on it.
    pub(super) fn crowd_feeds(&self, id: TriggerId, crowd: Principal) -> Verdict {
        let Some(source) = self.live_source(id) else { return Verdict::No };
        let holds = self.grants_of(crowd).len() > 0 || self.groups_of(crowd).next().is_some();
        if !holds && self.admissions_on(source).is_empty() {
            return Verdict::No;
        }
        let verdict = |action: Box<str>| {
            let action = self.action(&action);
            self.verdict(&Question { principal: crowd, action: &action, on: source, given: self.stranger() })
        };
        self.feeding(source).into_iter().map(verdict).max().unwrap_or(Verdict::No)
    }

    /// The source of a trigger that is switched on, with its function.
    fn live_source(&self, id: TriggerId) -> Option<Thing> {
        let trigger = self.estate().get(id).filter(|trigger| trigger.state == State::Enabled)?;
        trigger.source.filter(|_| self.may_run(trigger.function))
    }

    /// The actions that put something into a thing: those of its kind that are for writing.
    fn feeding(&self, source: Thing) -> Vec<Box<str>> {
        let label = self.estate().label(source);
        let kind = label.split(':').next().unwrap_or_default();
        let common = WORDS.iter().map(|word| format!("{kind}/{word}").into_boxed_str());
        let listed = self.estate().actions().iter().filter_map(|entry| {
            let (service, word) = entry.pattern.as_literal()?.split_once('/')?;
            let feeds = entry.class == ActionClass::Write && service == kind && !TAKING.contains(&word);
            feeds.then(|| format!("{service}/{word}").into_boxed_str())
        });
        let mut all: Vec<Box<str>> = common.chain(listed).collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}
