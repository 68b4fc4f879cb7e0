//! Anyone gets through: direct endpoints, routes, and checks that a public token passes.

use super::invoke::mend;
use super::{at_grounds, at_identity, depending, sureness, with_what};
use crate::access::{Verdict, Via};
use crate::entry::{Because, By, Caller, Exposed, Exposure, Passage, Standing, faces_internet};
use crate::estate::{Attempt, Came, Endpoint, EndpointId, Estate, Network, Principal, Shows, Thing, Way};
use crate::rules::finding::{Cause, Raised, Raising};
use crate::rules::{Audit, Rule, Sureness, Told};

pub(in crate::rules) const RULES: &[Rule] = &[
    Rule {
        id: "entry/anonymous-endpoint",
        title: "Anyone on the network gets through a direct endpoint",
        why: "An endpoint that asks for nothing lets any caller run the function on input of their choice, \
              with all that its identity may do. \"Anonymous for now\" is how most of them began.",
        fix: "Have the endpoint check an identity, or a key of the function's own; or take it off the internet.",
        check: "Call the address without a credential from outside: it must answer 401 or 403, or not at all.",
        references: &["CWE-306", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-14", "OWASP API2:2023"],
        judge: anonymous_endpoint,
    },
    Rule {
        id: "entry/anonymous-route",
        title: "Anyone on the network gets through a gateway route",
        why: "A gateway that asks for nothing and brings a key or an identity of its own opens the function behind \
              it to everybody, whatever the function itself asks for: the lock is held open from the inside.",
        fix: "Have the route check the caller, or have the gateway pass on what the caller shows; or take the route away.",
        check: "Call the route without a credential from outside: it must answer 401 or 403, or not at all.",
        references: &["CWE-306", "CWE-441", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-4", "OWASP API2:2023"],
        judge: anonymous_route,
    },
    Rule {
        id: "entry/public-token",
        title: "A token that was handed to public clients passes the check",
        why: "A token that stands in every page, or in an app that anybody can unpack, proves nothing: whoever looks \
              at the page has it. The check is there, and it keeps nobody out.",
        fix: "Ask for something that only the caller has: a token of the signed-in person, or a key of the \
              function's own.",
        check: "Call the address with the public token: it must answer 401 or 403.",
        references: &["CWE-287", "CWE-522", "NIST SP 800-53 IA-5", "NIST SP 800-53 AC-3", "OWASP API2:2023"],
        judge: public_token,
    },
];

fn anonymous_endpoint(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let wanted = |endpoint: &Endpoint, public: bool| endpoint.way == Way::Direct && !public;
    anonymous(audit, raising, Exposure::Anyone, wanted);
}

fn anonymous_route(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let wanted = |endpoint: &Endpoint, public: bool| endpoint.way != Way::Direct && !public;
    anonymous(audit, raising, Exposure::Anyone, wanted);
}

/// The table has a column for public tokens (access-model §10), so it is milder than nothing at all.
fn public_token(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    anonymous(audit, raising, Exposure::SignedIn, |_, public: bool| public);
}

/// Ways in of some sort that anyone on the internet gets through.
fn anonymous(
    audit: &Audit<'_>,
    raising: &mut Raising<'_, '_>,
    to: Exposure,
    wanted: fn(&Endpoint, bool) -> bool,
) {
    for (id, endpoint) in audit.each::<EndpointId>().filter(|(_, it)| faces_internet(&it.network)) {
        // Worked out once for all rules; most functions are out of it with that.
        if audit.exposure(endpoint.function).to != Exposure::Anyone {
            continue;
        }
        for public in [false, true] {
            let Some(caller) = anonymous_caller(audit, id, public).filter(|_| wanted(endpoint, public))
            else {
                continue;
            };
            let verdict = caller.of_circle(Exposure::Anyone);
            let surely = verdict == Verdict::Yes;
            let surely_to = if surely { to } else { Exposure::Insiders };
            let exposed = Exposed { to, surely, surely_to, through: None };
            let harm = audit.harm_through(endpoint.function);
            let turned =
                if is_turned_away(audit, id, &caller) { Sureness::Inferred } else { sureness(verdict) };
            let raised =
                Raised::judged(Thing::Endpoint(id), harm, exposed, audit.environment(endpoint.function))
                    .sure(turned)
                    .from(causes(id, &caller));
            raising.raise(&raised, move |audit| tell_anonymous(audit, id, public).unwrap_or_default());
        }
    }
}

fn causes(id: EndpointId, caller: &Caller<'_>) -> Vec<Cause> {
    let mut all = vec![Cause::Door(id)];
    match &caller.because {
        Because::Decision(answer) => all.extend(Cause::of(answer)),
        Because::UncheckedToken(verifier) => all.push(Cause::Verifier(*verifier)),
        Because::NoCheck
        | Because::PublicToken(_)
        | Because::Holds
        | Because::Manages
        | Because::Tried(_)
        | Because::Feeds(_) => {}
    }
    all
}

/// Whether the last try that shows anything was turned away, at an endpoint where whoever shows nothing should get
/// through.
fn is_turned_away(audit: &Audit<'_>, id: EndpointId, caller: &Caller<'_>) -> bool {
    let estate = audit.estate();
    let telling = audit.tries_of(id).filter(|attempt| estate.shows(attempt) != Shows::Unclear);
    let last = telling.max_by_key(|attempt| (attempt.at, estate.shows(attempt)));
    caller.because.asks_nothing() && last.is_some_and(|last| estate.shows(last) == Shows::TurnedAway)
}

/// The caller at an endpoint that is anyone from the internet, if one is: with a token that was handed to public clients,
/// or without.
fn anonymous_caller<'e>(audit: &Audit<'e>, id: EndpointId, public: bool) -> Option<Caller<'e>> {
    let callers = audit.effects().callers_at(id).into_iter();
    callers
        .filter(|it| it.who == Principal::Anyone && matches!(it.because, Because::PublicToken(_)) == public)
        .filter(|it| it.of_circle(Exposure::Anyone) != Verdict::No)
        .max_by_key(|it| it.of_circle(Exposure::Anyone))
}

fn tell_anonymous(audit: &Audit<'_>, id: EndpointId, public: bool) -> Option<Told> {
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
    let mut told =
        Told::new(format!("{who} can make function:{function} run: {how}.{meant}{with_what}{but}"))
            .fix(fix)
            .at(endpoint.origin, "the endpoint")
            .at(declared, "what the contract declares");
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
fn declared_open(audit: &Audit<'_>, id: EndpointId) -> Option<crate::estate::Origin> {
    let answers =
        |held: &&crate::entry::Held| held.standing == Standing::Open && held.answered_by.contains(&id);
    let held = audit.contracts().operations.iter().find(answers)?;
    Some(audit.estate().get(held.contract)?.operations[held.operation].origin)
}
