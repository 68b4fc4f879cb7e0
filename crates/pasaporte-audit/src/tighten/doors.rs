//! Doors: permissions of services, endpoints, keys.

use pasaporte_core::access::{On, Verdict};
use pasaporte_core::estate::{
    Attribute, Check, Condition, Effect, Endpoint, EndpointId, Estate, FunctionId, Key, KeyId, KeyOf,
    KeyReach, Presents, Principal, Showed, State, Thing, VerifierId, Way,
};

use super::grants::is_writable;
use super::{Change, Tightening, Why};
use crate::rules::entry::source::strangers_circle;

impl Tightening<'_, '_> {
    /// Permissions of services that would run the function for sources of strangers.
    pub(super) fn permissions(&mut self, function: FunctionId) {
        let (audit, estate, effects) = (self.audit, self.audit.estate(), self.audit.effects());
        let mut sources: Vec<Thing> = estate
            .triggers_of(function)
            .iter()
            .filter_map(|id| estate.get(*id))
            .filter(|it| it.state == State::Enabled)
            .filter_map(|it| it.source)
            .collect();
        sources.sort_unstable();
        sources.dedup();
        let all: Vec<_> = effects.admissions_on(Thing::Function(function)).to_vec();
        for id in all {
            let admission = estate.admission(id);
            let statement = estate.statement(admission.statement);
            let services: Vec<Principal> = estate
                .list(admission.to)
                .iter()
                .copied()
                .filter(|who| matches!(who, Principal::Service(_)))
                .collect();
            for service in services {
                let pinned = statement.conditions.iter().any(|it| {
                    matches!(it, Condition::Test(Attribute::SourceResource | Attribute::AccountOfSource, _))
                });
                let open =
                    strangers_circle(audit, service, function).is_some_and(|it| it.verdict != Verdict::No);
                if statement.effect != Effect::Allow || pinned || !open {
                    continue;
                }
                if sources.is_empty() {
                    self.leave(Thing::Function(function), Why::NoSource);
                } else if is_writable(&statement.conditions) {
                    let sources = sources.clone();
                    self.proposal.changes.push(Change::Pin { function, admission: id, service, sources });
                }
            }
        }
    }

    /// An endpoint that asks for nothing, and to which nobody came without a credential.
    pub(super) fn endpoint(&mut self, id: EndpointId) {
        let (audit, estate) = (self.audit, self.audit.estate());
        let Some(endpoint) = estate.get(id) else { return };
        if endpoint.check != Check::None || endpoint.state == State::Disabled {
            return;
        }
        let thing = Thing::Endpoint(id);
        let environment = audit.environment(endpoint.function);
        let window = audit.calls_logged(id).filter(|window| audit.is_enough(window, environment));
        let Some(window) = window else { return self.leave(thing, Why::NotWatched) };
        let callers = estate.callers_seen(id);
        let mut asked: Vec<Check> = Vec::new();
        for showed in callers.by.keys() {
            let check = match showed {
                Showed::Key(key) if self.opens(*key, endpoint.function) => Check::Key(KeyReach::Function),
                Showed::Token(token) => match self.verifier_of(*token) {
                    Some(verifier) => Check::Token(verifier),
                    None => return self.leave(thing, Why::CameWithout),
                },
                // Whoever passes a check of identities must be allowed to invoke as well.
                Showed::Principal(who) if self.may_invoke(*who, endpoint.function) => Check::Identity,
                Showed::Principal(_) => return self.leave(thing, Why::MayNotInvoke),
                _ => return self.leave(thing, Why::CameWithout),
            };
            if !asked.contains(&check) {
                asked.push(check);
            }
        }
        let check = match asked.as_slice() {
            [] => Check::Identity,
            [only] => only.clone(),
            _ => return self.leave(thing, Why::CameApart),
        };
        self.proposal.changes.push(Change::Ask { endpoint: id, check, came: callers.all.count, window });
    }

    fn opens(&self, key: KeyId, function: FunctionId) -> bool {
        let opening = self.audit.effects().keys_opening(function, KeyReach::Function);
        opening.into_iter().any(|(id, verdict)| id == key && verdict == Verdict::Yes)
    }

    fn may_invoke(&self, who: Principal, function: FunctionId) -> bool {
        let effects = self.audit.effects();
        let on = On::There(Thing::Function(function));
        effects.verdict_on(who, effects.invoke(), on, effects.given(who)) == Verdict::Yes
    }

    fn verifier_of(&self, token: pasaporte_core::estate::TokenId) -> Option<VerifierId> {
        self.audit.estate().get(token)?.verifier
    }

    /// A key that nobody used, or that opens more than it was used for.
    pub(super) fn key(&mut self, id: KeyId) {
        let (audit, estate) = (self.audit, self.audit.estate());
        let Some(key) = estate.get(id).filter(|key| key.state == State::Enabled) else { return };
        let Some(window) = audit.watch_of_key(id, key) else {
            let why = if audit.was_used(id) { Why::InUse } else { Why::NotWatched };
            return self.leave(Thing::Key(id), why);
        };
        // What a gateway shows on behalf of callers is in no log of what they showed.
        let presented = functions_behind(estate, id);
        if !audit.was_used(id) && presented.is_empty() {
            self.proposal.changes.push(Change::Retire { key: id, window });
            return;
        }
        match self.confined(id, key, presented) {
            Ok((of, reach)) => {
                let came = audit.shown_by(id).count;
                self.proposal.changes.push(Change::Confine { key: id, of, reach, came, window });
            }
            Err(why) => self.leave(Thing::Key(id), why),
        }
    }

    /// The least that a key must open for what it was used for, where that is less than it does.
    fn confined(&self, id: KeyId, key: &Key, presented: Vec<FunctionId>) -> Result<(KeyOf, KeyReach), Why> {
        let (audit, estate) = (self.audit, self.audit.estate());
        // Whoever makes code run with an admin key, and calls no endpoint, manages.
        if !estate.uses_by(Principal::Key(id)).is_empty() {
            return Err(Why::InUse);
        }
        let seen = estate.calls_with(id).filter_map(|call| call.tally.last).max();
        let told = audit.last_use_of(id);
        if told.is_some_and(|told| seen.is_none_or(|seen| told.duration_since(seen) > A_DAY)) {
            return Err(Why::InUse);
        }
        let called = estate.calls_with(id).filter_map(|call| estate.get(call.endpoint));
        let asked = |it: &Endpoint| match it.check {
            Check::Key(least) => least,
            _ => KeyReach::Function,
        };
        let least = called.map(asked).max().unwrap_or(KeyReach::Function);
        let mut functions: Vec<FunctionId> = audit.used_for(id).into_iter().map(|(id, _)| id).collect();
        functions.extend(presented);
        functions.sort_unstable();
        functions.dedup();
        match functions[..] {
            [only] if least == KeyReach::Function && key.reach > least => {
                Ok((KeyOf::Function(only), KeyReach::Function))
            }
            _ if key.reach > KeyReach::App && least <= KeyReach::App => Ok((key.of, KeyReach::App)),
            [_] if key.reach > KeyReach::Function => Err(Why::AsksForMore),
            _ => Err(Why::InUse),
        }
    }
}

/// How much later than what logs show a key may be said to have been used, and be used for that.
const A_DAY: jiff::SignedDuration = jiff::SignedDuration::from_hours(24);

/// The functions behind routes of gateways that show a key.
fn functions_behind(estate: &Estate, key: KeyId) -> Vec<FunctionId> {
    let shows =
        |it: &Endpoint| matches!(it.way, Way::Route { presents: Presents::Key(shown), .. } if shown == key);
    estate.all::<EndpointId>().filter(|(_, it)| shows(it)).map(|(_, it)| it.function).collect()
}
