//! What is told of what is deployed against what is declared.

use pasaporte_core::entry::{Aspect, Drift, Held, Standing, Strength, faces_internet};
use pasaporte_core::estate::{Shows, State, Thing};

use super::anonymous::answer;
use crate::Audit;
use crate::words::Told;
use crate::words::phrases::with_what;
use crate::words::seen::at_endpoint;

/// An operation that is weaker than its contract says.
pub(super) fn by_contract(audit: &Audit<'_>, held: &Held) -> Option<Told> {
    let estate = audit.estate();
    let operation = estate.get(held.contract)?.operations.get(held.operation)?;
    let weakest = held.weakest?;
    let endpoint = estate.get(weakest)?;
    let asks = estate.asked(&operation.asks);
    let really = match held.standing {
        Standing::OpenInEffect if !faces_internet(&endpoint.network) => {
            "anyone in the networks that it lets in gets through".to_owned()
        }
        Standing::OpenInEffect => "anyone gets through".to_owned(),
        _ => format!("the endpoint asks only for {}", proof(audit.effects().asks(weakest))),
    };
    let told = Told::new(format!(
        "{} {} of contract:{} declares {asks}; in effect, {really}.{}{}",
        estate.text(operation.method),
        estate.text(operation.path),
        estate.id(held.contract),
        with_what(audit, endpoint.function),
        at_endpoint(audit, weakest)
    ))
    .fix(format!("Have the endpoint ask for {asks}; or declare what is meant."));
    Some(told.at(operation.origin, "what is declared").at(endpoint.origin, "what is deployed"))
}

/// What must be shown, in words.
fn proof(strength: Strength) -> &'static str {
    match strength {
        Strength::Nothing => "something behind it",
        Strength::Secret => "a shared key",
        Strength::Proof => "proof of who calls",
    }
}

/// A thing that is weaker than its definition says.
pub(super) fn by_definition(audit: &Audit<'_>, drift: &Drift) -> Told {
    let function = match drift.thing {
        Thing::Function(id) => Some(id),
        Thing::Endpoint(id) => audit.estate().get(id).map(|endpoint| endpoint.function),
        _ => None,
    };
    let with_what = function.map_or_else(String::new, |function| with_what(audit, function));
    let used = match drift.thing {
        Thing::Endpoint(id) => at_endpoint(audit, id),
        _ => String::new(),
    };
    Told::new(format!(
        "{} {} as declared, and {} as deployed.{with_what}{used}",
        lead(drift.aspect),
        drift.declared,
        drift.deployed
    ))
    .fix("Deploy what is declared; or, if it was meant to change, change the declaration.")
    .at(drift.declared_at, "what is declared")
    .at(drift.deployed_at, "what is deployed")
}

/// How a sentence on what differs begins.
fn lead(aspect: Aspect) -> &'static str {
    match aspect {
        Aspect::Check => "Its check is",
        Aspect::Presents => "What the gateway presents is",
        Aspect::Methods => "Its methods are",
        Aspect::Network => "Its network is",
        Aspect::Identity => "Its identity is",
        Aspect::State | Aspect::Presence => "It is",
        Aspect::Verifier => "It",
        Aspect::Callers => "It may be invoked by",
    }
}

/// A try that got through although it should not have.
pub(super) fn by_try(audit: &Audit<'_>, place: usize) -> Option<Told> {
    let estate = audit.estate();
    let attempt = estate.attempts().get(place)?;
    let id = attempt.endpoint;
    let endpoint = estate.get(id)?;
    let meant = match (audit.effects().is_open(id), endpoint.state) {
        (false, State::Disabled) => "it is said to be switched off".to_owned(),
        (false, _) => "its function is said to be switched off".to_owned(),
        (true, _) => format!("it is said to ask for {}", proof(audit.effects().asks(id))),
    };
    let came = match estate.shows(attempt) {
        Shows::Through => "got through",
        _ => "seems to have got through: what is behind the check found fault with the request",
    };
    let answer = answer(audit, attempt);
    let with_what = with_what(audit, endpoint.function);
    let used = at_endpoint(audit, id);
    let told = Told::new(format!(
        "A try without a credential {came} ({answer}), although {meant}.{with_what}{used}"
    ))
    .fix("Look at what really checks this address, and set the check that the estate says it has.")
    .at(attempt.origin, format!("a try: {answer}"));
    Some(told.at(endpoint.origin, "the endpoint"))
}
