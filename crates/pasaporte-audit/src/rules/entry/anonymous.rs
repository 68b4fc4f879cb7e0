//! Anyone gets through: direct endpoints, routes, and checks that a public token passes.

use super::sureness;
use crate::facts::EntryFact;
use crate::finding::{Cause, Raised, Raising};
use crate::{Audit, Rule, Sureness};
use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Because, Caller, Exposed, Exposure, faces_internet};
use pasaporte_core::estate::{Endpoint, EndpointId, Principal, Shows, Thing, Way};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "entry/anonymous-endpoint",
        title: "Anyone on the network gets through a direct endpoint",
        why: "An endpoint that asks for nothing lets any caller run the function on input of their choice, \
              with all that its identity may do. \"Anonymous for now\" is how most of them began.",
        fix: "Have the endpoint check an identity, or a key of the function's own; or take it off the internet.",
        check: "Call the address without a credential from outside: it must answer 401 or 403, or not at all.",
        references: &["CWE-306", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-14", "OWASP API2:2023"],
        apart: &[],
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
        apart: &[],
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
        apart: &[],
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
            raising.raise(&raised, EntryFact::Anonymous { endpoint: id, public });
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
pub(crate) fn is_turned_away(audit: &Audit<'_>, id: EndpointId, caller: &Caller<'_>) -> bool {
    let estate = audit.estate();
    let telling = audit.tries_of(id).filter(|attempt| estate.shows(attempt) != Shows::Unclear);
    let last = telling.max_by_key(|attempt| (attempt.at, estate.shows(attempt)));
    caller.because.asks_nothing() && last.is_some_and(|last| estate.shows(last) == Shows::TurnedAway)
}

/// The caller at an endpoint that is anyone from the internet, if one is: with a token that was handed to public clients,
/// or without.
pub(crate) fn anonymous_caller<'e>(audit: &Audit<'e>, id: EndpointId, public: bool) -> Option<Caller<'e>> {
    let callers = audit.effects().callers_at(id).into_iter();
    callers
        .filter(|it| it.who == Principal::Anyone && matches!(it.because, Because::PublicToken(_)) == public)
        .filter(|it| it.of_circle(Exposure::Anyone) != Verdict::No)
        .max_by_key(|it| it.of_circle(Exposure::Anyone))
}
