//! What is told of ways in that anyone gets through.

use pasaporte_core::access::{Verdict, Via};
use pasaporte_core::entry::{Because, By, Held, Passage, Standing};
use pasaporte_core::estate::{
    Attempt, Came, Endpoint, EndpointId, Estate, FunctionId, Network, Origin, Principal, Setting, Shows,
    Thing, Way,
};

use super::invoke::mend;
use crate::Audit;
use crate::rules::entry::anonymous::{anonymous_caller, is_turned_away};
use crate::words::Told;
use crate::words::phrases::{at_grounds, at_identity, depending, with_what};
use crate::words::seen::at_endpoint;

pub(super) fn tell(audit: &Audit<'_>, id: EndpointId, public: bool) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let caller = anonymous_caller(audit, id, public)?;
    let (how, fix) = how_open(audit, endpoint, &caller.because);
    let who = match &endpoint.network {
        Network::Listed(_) => "Anyone (the listed networks include all addresses)",
        Network::Internet | Network::Internal => "Anyone",
    };
    let function = estate.id(endpoint.function);
    let with_what = with_what(audit, endpoint.function);
    let passage = audit.effects().passage(id);
    let how = passage.as_ref().map_or_else(|| how.clone(), |passage| behind(estate, endpoint, &how, passage));
    let declared = declared_open(audit, id);
    let meant = if declared.is_some() { " Its contract declares it open." } else { "" };
    let but = if is_turned_away(audit, id, &caller) {
        " A try without a credential was turned away, though: something that the estate does not show may check."
    } else {
        ""
    };
    let used = at_endpoint(audit, id);
    let mut told =
        Told::new(format!("{who} can make function:{function} run: {how}.{meant}{with_what}{but}{used}"))
            .fix(fix)
            .at(endpoint.origin, "the endpoint")
            .at(declared, "what the contract declares");
    if matches!(caller.because, Because::NoCheck) && !is_otherwise_open(audit, endpoint.function) {
        told = told.by_setting(endpoint.origin, "check", Setting::word("identity"));
    }
    for attempt in audit.tries_of(id) {
        if estate.shows(attempt) != Shows::Unclear {
            told = told.at(attempt.origin, format!("a try: {}", answer(audit, attempt)));
        }
    }
    match passage.map(|passage| passage.by) {
        Some(By::Key(key)) => {
            told = told.at(estate.origin(Thing::Key(key)), "the key that the gateway presents");
        }
        Some(By::Identity(_, answer) | By::Anyone(answer) | By::Service(_, answer)) => {
            told = at_grounds(audit, told, &answer);
        }
        Some(By::Open | By::Caller | By::Nothing) | None => {}
    }
    match &caller.because {
        Because::Decision(answer) => told = at_grounds(audit, told, answer),
        Because::UncheckedToken(verifier) => {
            told = told.at(estate.origin(Thing::Verifier(*verifier)), "the verifier");
        }
        Because::PublicToken(token) => {
            told = told.at(estate.origin(Thing::Token(*token)), "the public token");
        }
        Because::NoCheck | Because::Holds | Because::Manages | Because::Tried(_) | Because::Feeds(_) => {}
    }
    Some(at_identity(audit, told, endpoint.function))
}

/// Whether anyone may invoke a function by the decision, so that a check of identities would not keep them out.
fn is_otherwise_open(audit: &Audit<'_>, function: FunctionId) -> bool {
    let effects = audit.effects();
    let circles = effects.circles(Principal::Anyone, effects.invoke(), Thing::Function(function));
    circles.iter().any(|circle| circle.verdict != Verdict::No)
}

fn how_open(audit: &Audit<'_>, endpoint: &Endpoint, because: &Because<'_>) -> (String, String) {
    let estate = audit.estate();
    let function = estate.id(endpoint.function);
    match because {
        Because::UncheckedToken(verifier) => {
            let verifier = estate.id(*verifier);
            (
                format!("its endpoint accepts tokens whose signature verifier:{verifier} does not check"),
                format!("Have verifier:{verifier} check signatures, and drop the algorithm `none`."),
            )
        }
        Because::PublicToken(token) => {
            let token = estate.id(*token);
            (
                format!("its endpoint accepts token:{token}, which was handed to public clients"),
                "Ask for something that only the caller has: a token of the signed-in person, or a key of the \
                 function's own. Then the public token must be refused here."
                    .to_owned(),
            )
        }
        Because::Decision(answer) => {
            let only = depending(audit, answer);
            let by_grant = answer.grounds.iter().all(|it| !matches!(it.via, Via::Admission { .. }));
            let what = if by_grant { "a grant" } else { "an invoke permission" };
            (format!("its endpoint checks an identity, but {what} admits anyone{only}"), mend(audit, answer))
        }
        Because::NoCheck | Because::Holds | Because::Manages | Because::Tried(_) | Because::Feeds(_) => {
            match &endpoint.way {
                Way::Direct => (
                    "its endpoint checks nothing".to_owned(),
                    format!(
                        "Set the check of function:{function}'s endpoint to an identity, or to a key of its own."
                    ),
                ),
                Way::Route { gateway, .. } => {
                    let gateway = estate.text(*gateway);
                    (
                        format!("the route at gateway {gateway} checks nothing"),
                        format!("Have gateway {gateway} check who calls this route, or take the route away."),
                    )
                }
            }
        }
    }
}

/// How a route is open: what the gateway lets by, and why the rest is no hindrance.
fn behind(estate: &Estate, endpoint: &Endpoint, how: &str, passage: &Passage<'_>) -> String {
    let gateway = endpoint.way.gateway().map_or("", |gateway| estate.text(gateway));
    let reason = passage.reason(estate, &format!("gateway {gateway}"));
    let rest = match &passage.by {
        By::Caller => ", which is nothing",
        By::Key(_) | By::Service(..) if passage.verdict == Verdict::Depends => ", perhaps",
        By::Open | By::Nothing | By::Key(_) | By::Identity(..) | By::Anyone(_) | By::Service(..) => "",
    };
    format!("{how}, and {reason}{rest}")
}

/// What a try came to: "HEAD, 200".
pub(super) fn answer(audit: &Audit<'_>, attempt: &Attempt) -> String {
    let estate = audit.estate();
    let method = estate.text(attempt.method);
    match attempt.came {
        Came::Status(status) => format!("{method}, {status}"),
        Came::Nothing(why) => format!("{method}, {}", estate.text(why)),
    }
}

/// Where the contract of an endpoint declares it open.
fn declared_open(audit: &Audit<'_>, id: EndpointId) -> Option<Origin> {
    let answers = |held: &&Held| held.standing == Standing::Open && held.answered_by.contains(&id);
    let held = audit.contracts().operations.iter().find(answers)?;
    Some(audit.estate().get(held.contract)?.operations[held.operation].origin)
}
