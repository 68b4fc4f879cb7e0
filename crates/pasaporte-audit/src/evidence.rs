//! What logs can say: whether something would have been seen if it had happened, for long enough and until lately.

use pasaporte_core::estate::{
    Check, Endpoint, EndpointId, Environment, FunctionId, Key, KeyId, Principal, ScopeId, State, Thing,
};
use pasaporte_core::usage::{Logged, Sum, Window};

use crate::Audit;

impl Audit<'_> {
    /// Whether a time is long enough, and not over for too long, to call something unused by it.
    pub fn is_enough(&self, window: &Window, environment: Option<Environment>) -> bool {
        let wanted = self.settings().thresholds(environment).evidence;
        window.days() >= wanted && self.days_since(window.to).is_none_or(|days| days <= wanted)
    }

    /// The time over which logs would have shown something within a scope, where that is enough.
    pub(crate) fn watched(
        &self,
        within: Option<ScopeId>,
        environment: Option<Environment>,
        what: Logged<'_>,
    ) -> Option<Window> {
        self.estate().logged(within, what).filter(|window| self.is_enough(window, environment))
    }

    /// The time over which logs would have shown calls of an endpoint.
    pub fn calls_logged(&self, id: EndpointId) -> Option<Window> {
        let endpoint = self.estate().get(id)?;
        let scope = self.estate().scope_of(Thing::Function(endpoint.function));
        self.estate().logged(scope, Logged::Calls(id))
    }

    /// The endpoints that a key passes the check of.
    pub(crate) fn passed_by(&self, id: KeyId, key: &Key) -> Vec<(EndpointId, &Endpoint)> {
        let estate = self.estate();
        let mut all = Vec::new();
        for function in self.functions_of_thing(Thing::Key(id)) {
            for &endpoint in estate.endpoints_of(function) {
                let passes = |it: &&Endpoint| matches!(it.check, Check::Key(least) if key.reach >= least && it.state == State::Enabled);
                all.extend(estate.get(endpoint).filter(passes).map(|it| (endpoint, it)));
            }
        }
        all
    }

    /// The time over which logs would have shown every use of a key: all calls of what it opens, each with what was shown.
    /// None where they are not enough.
    pub(crate) fn watch_of_key(&self, id: KeyId, key: &Key) -> Option<Window> {
        let estate = self.estate();
        let environment = self.environment_of_key(key);
        let mut all: Option<Window> = None;
        for (endpoint, it) in self.passed_by(id, key) {
            let window = self.calls_logged(endpoint)?;
            if estate.callers_of(it.function).unsaid() > 0 {
                return None;
            }
            all = Some(window.of_known(all)?);
        }
        all.filter(|window| self.is_enough(window, environment))
    }

    /// The functions that a key was seen to be used for, each with how often.
    pub fn used_for(&self, id: KeyId) -> Vec<(FunctionId, u64)> {
        let estate = self.estate();
        let by_call =
            estate.calls_with(id).filter_map(|it| Some((estate.get(it.endpoint)?.function, it.tally.count)));
        let by_run = estate.uses_by(Principal::Key(id)).iter().filter_map(|it| match it.to {
            Some(Thing::Function(function)) => Some((function, it.tally.count)),
            _ => None,
        });
        let mut all: Vec<(FunctionId, u64)> = by_call.chain(by_run).collect();
        all.sort_unstable();
        all.dedup_by(|more, first| {
            let same = more.0 == first.0;
            if same {
                first.1 = first.1.saturating_add(more.1);
            }
            same
        });
        all
    }

    /// When a key was last used, as far as the estate or logs say.
    pub fn last_use_of(&self, id: KeyId) -> Option<jiff::Timestamp> {
        let estate = self.estate();
        let by_call = estate.calls_with(id).filter_map(|it| it.tally.last);
        let by_run = estate.uses_by(Principal::Key(id)).iter().filter_map(|it| it.tally.last);
        let said = match estate.get(id).map(|key| key.last_used) {
            Some(pasaporte_core::estate::LastUse::At(time)) => Some(time),
            _ => None,
        };
        by_call.chain(by_run).chain(said).max()
    }

    /// What calls and runs that showed a key add up to.
    pub fn shown_by(&self, id: KeyId) -> Sum {
        let estate = self.estate();
        let mut sum = Sum::default();
        for call in estate.calls_with(id) {
            sum.add(estate, &call.tally);
        }
        for run in estate.uses_by(Principal::Key(id)) {
            sum.add(estate, &run.tally);
        }
        sum
    }

    /// Whether a key was seen to be used, whenever that was.
    pub(crate) fn was_used(&self, id: KeyId) -> bool {
        let estate = self.estate();
        estate.calls_with(id).next().is_some() || !estate.uses_by(Principal::Key(id)).is_empty()
    }
}
