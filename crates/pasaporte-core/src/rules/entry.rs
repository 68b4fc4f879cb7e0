//! entry: who may make a function run.

use super::finding::{Raised, Raising};
use super::words::{capitalised, listed};
use std::collections::BTreeMap;

use super::{Audit, Impact, Level, Rule, Sureness, Told};
use crate::access::{Answer, Ground, Truth, Verdict};
use crate::entry::{Because, By, Caller, Exposed, Exposure, Passage, faces_internet};
use crate::estate::{
    AdmissionId, Check, Effect, Endpoint, EndpointId, Function, FunctionId, Network, Principal, State, Thing,
    Verifier, VerifierId, Way,
};

pub(super) const RULES: &[Rule] = &[
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
        id: "entry/weak-token-check",
        title: "A verifier accepts tokens that anybody can make, or that were made for others",
        why: "A token proves something only if its signature is checked, and if it was issued by whom and for what the \
              function expects. A verifier that does not look accepts tokens of strangers.",
        fix: "Check signatures, name the issuers and the audiences, and list the algorithms, without `none`.",
        check: "Present a token of another issuer, one for another audience, and one without a signature: each must be \
                refused.",
        references: &["CWE-347", "CWE-345", "RFC 8725", "NIST SP 800-53 IA-5", "OWASP API2:2023"],
        judge: weak_token_check,
    },
    Rule {
        id: "entry/any-origin",
        title: "Pages of any origin may call the endpoint",
        why: "A browser lets every page on the web call such an endpoint; with credentials allowed, in the name of \
              whoever looks at the page.",
        fix: "List the origins of your own pages.",
        check: "Send a request with another `Origin`: the answer must not allow it.",
        references: &["CWE-942", "NIST SP 800-53 AC-4", "OWASP API8:2023"],
        judge: any_origin,
    },
    Rule {
        id: "entry/open-invoke",
        title: "An invoke permission admits anyone, any signed-in caller or a whole foreign account",
        why: "Such a permission names a crowd, not a caller: whoever can get an account on the platform, or \
              whoever runs the other account, decides who runs this function.",
        fix: "Name the caller: an identity, or a service pinned to its source.",
        check: "List who may invoke the function: each line is somebody that you can name.",
        references: &["CWE-284", "CWE-732", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-6"],
        judge: open_invoke,
    },
    Rule {
        id: "entry/unpinned-source",
        title: "A platform service may invoke on behalf of a stranger's source",
        why: "The service delivers everybody's events. Without a condition on the source resource or account, \
              a stranger can point an event source of their own at this function.",
        fix: "Add a condition on the source resource, and on the source account.",
        check: "Ask for the service with a source of another account: the answer must be no.",
        references: &["CWE-441", "CWE-346", "NIST SP 800-53 AC-3", "NIST SP 800-53 AC-4"],
        judge: unpinned_source,
    },
];

fn anonymous_endpoint(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    anonymous(audit, raising, |endpoint| endpoint.way == Way::Direct);
}

fn anonymous_route(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    anonymous(audit, raising, |endpoint| endpoint.way != Way::Direct);
}

/// Ways in of some sort that anyone on the internet gets through.
fn anonymous(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, wanted: fn(&Endpoint) -> bool) {
    let estate = audit.estate();
    let ways = estate.all::<EndpointId>().filter(|(_, it)| wanted(it) && faces_internet(&it.network));
    for (id, endpoint) in ways {
        let Some(caller) = anonymous_caller(audit, id) else { continue };
        let harm = audit.harm_through(endpoint.function);
        let exposed = Exposed { to: Exposure::Anyone, ..audit.exposure(endpoint.function) };
        let raised = Raised::new(Thing::Endpoint(id), Level::of(harm, exposed))
            .within(audit.environment(endpoint.function))
            .sure(sureness(caller.verdict));
        raising.raise(&raised, move |audit| tell_anonymous(audit, id).unwrap_or_default());
    }
}

/// The caller at an endpoint that is anyone, if one is.
fn anonymous_caller<'e>(audit: &Audit<'e>, id: EndpointId) -> Option<Caller<'e>> {
    let callers = audit.access().callers_at(id).into_iter();
    callers
        .filter(|caller| caller.who == Principal::Anyone)
        .max_by_key(|caller| matches!(caller.verdict, Verdict::Yes))
}

fn tell_anonymous(audit: &Audit<'_>, id: EndpointId) -> Option<Told> {
    let estate = audit.estate();
    let endpoint = estate.get(id)?;
    let caller = anonymous_caller(audit, id)?;
    let (how, fix) = how_open(audit, endpoint, &caller.because);
    let who = match &endpoint.network {
        Network::Listed(_) => "Anyone (the listed networks include all addresses)",
        Network::Internet | Network::Internal => "Anyone",
    };
    let function = estate.id(endpoint.function);
    let with_what = with_what(audit, endpoint.function);
    let passage = audit.access().passage(id);
    let how = passage.as_ref().map_or_else(|| how.clone(), |passage| behind(audit, endpoint, &how, passage));
    let mut told = Told::new(format!("{who} can make function:{function} run: {how}.{with_what}"))
        .fix(fix)
        .at(endpoint.origin, "the endpoint");
    match passage.map(|passage| passage.by) {
        Some(By::Key(key)) => {
            told = told.at(estate.origin(Thing::Key(key)), "the key that the gateway presents");
        }
        Some(By::Identity(_, answer) | By::Anyone(answer)) => told = at_grounds(audit, told, &answer),
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
        Because::NoCheck | Because::Holds => {}
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
            (
                format!("its endpoint checks an identity, but an invoke permission admits anyone{only}"),
                format!(
                    "Take `anyone` out of the invoke permissions of function:{function}; name the caller."
                ),
            )
        }
        Because::NoCheck | Because::Holds => match &endpoint.way {
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
        },
    }
}

/// How a route is open: what the gateway lets by, and why the rest is no hindrance.
fn behind(audit: &Audit<'_>, endpoint: &Endpoint, how: &str, passage: &Passage<'_>) -> String {
    let estate = audit.estate();
    let gateway = match &endpoint.way {
        Way::Route { gateway, .. } => estate.text(*gateway),
        Way::Direct => "",
    };
    let perhaps = if passage.verdict == Verdict::Depends { ", perhaps" } else { "" };
    let rest = match &passage.by {
        By::Open | By::Nothing => "the function itself checks nothing".to_owned(),
        By::Key(key) => {
            format!("gateway {gateway} presents key:{}, which the function accepts{perhaps}", estate.id(*key))
        }
        By::Identity(identity, answer) => format!(
            "gateway {gateway} presents identity:{}, which may invoke it{}",
            estate.id(*identity),
            depending(audit, answer)
        ),
        By::Caller => format!("gateway {gateway} passes on what the caller shows, which is nothing"),
        By::Anyone(answer) => {
            format!(
                "gateway {gateway} presents nothing, and anyone may invoke it{}",
                depending(audit, answer)
            )
        }
    };
    format!("{how}, and {rest}")
}

/// What a verifier lets by that it should not.
struct Weakness {
    what: &'static str,
    mend: &'static str,
    exposure: Exposure,
}

fn weaknesses(audit: &Audit<'_>, verifier: &Verifier) -> Vec<Weakness> {
    let found = [
        (!verifier.checks_signature, "it checks no signature", "check signatures", Exposure::Anyone),
        (
            verifier.checks_signature && audit.access().accepts_unsigned(verifier),
            "it accepts the algorithm `none`, which is no signature",
            "drop the algorithm `none`",
            Exposure::Anyone,
        ),
        (verifier.issuers.is_empty(), "it accepts every issuer", "name the issuers", Exposure::Outsider),
        (
            verifier.audiences.is_empty(),
            "it accepts tokens for every audience",
            "name the audiences",
            Exposure::KeyHolders,
        ),
    ];
    found
        .into_iter()
        .filter(|(is_so, ..)| *is_so)
        .map(|(_, what, mend, exposure)| Weakness { what, mend, exposure })
        .collect()
}

fn weak_token_check(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    let mut guarded: BTreeMap<VerifierId, Vec<FunctionId>> = BTreeMap::new();
    for (_, endpoint) in estate.all::<EndpointId>().filter(|(id, _)| audit.access().is_open(*id)) {
        if let Check::Token(verifier) = endpoint.check {
            guarded.entry(verifier).or_default().push(endpoint.function);
        }
    }
    for (id, mut functions) in guarded {
        let Some(verifier) = estate.get(id) else { continue };
        let weak = weaknesses(audit, verifier);
        let Some(widest) = weak.iter().map(|weakness| weakness.exposure).min() else { continue };
        functions.sort_unstable_by_key(|function| estate.id(*function));
        functions.dedup();
        let worst = functions.iter().copied().min_by_key(|function| audit.harm_through(*function).impact);
        let Some(worst) = worst else { continue };
        let level = Level::Table(audit.harm_through(worst).impact, widest);
        let origin = verifier.origin;
        let raised = Raised::new(Thing::Verifier(id), level).within(audit.environment(worst));
        raising.raise(&raised, move |audit| {
            let estate = audit.estate();
            let Some(verifier) = estate.get(id) else { return Told::default() };
            let weak = weaknesses(audit, verifier);
            let all = |of: fn(&Weakness) -> &'static str| {
                let texts: Vec<String> = weak.iter().map(|it| of(it).to_owned()).collect();
                listed(&texts)
            };
            let names: Vec<String> =
                functions.iter().map(|function| format!("function:{}", estate.id(*function))).collect();
            Told::new(format!(
                "{}. It guards {}.{}",
                capitalised(&all(|it| it.what)),
                listed(&names),
                with_what(audit, worst)
            ))
            .fix(format!("In verifier:{}, {}.", estate.id(id), all(|it| it.mend)))
            .at(origin, "the verifier")
        });
    }
}

fn any_origin(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, endpoint) in estate.all::<EndpointId>().filter(|(id, _)| audit.access().is_open(*id)) {
        let origins = estate.list(endpoint.allowed_origins);
        if !origins.iter().any(|origin| estate.text(*origin) == "*") {
            continue;
        }
        // Without credentials a page can do no more than anybody can by themselves.
        let impact = if endpoint.allows_credentials {
            audit.harm_through(endpoint.function).impact
        } else {
            Impact::Hygiene
        };
        let raised = Raised::new(Thing::Endpoint(id), Level::Table(impact, Exposure::Outsider))
            .within(audit.environment(endpoint.function));
        let (origin, credentials) = (endpoint.origin, endpoint.allows_credentials);
        let function = endpoint.function;
        raising.raise(&raised, move |audit| {
            let name = format!("function:{}", audit.estate().id(function));
            let situation = if credentials {
                let with_what = with_what(audit, function);
                format!(
                    "Every page on the web may call {name} in the name of whoever looks at it: any origin, with \
                     credentials.{with_what}"
                )
            } else {
                format!("Every page on the web may call {name} from a browser, without credentials.")
            };
            Told::new(situation)
                .fix("List the origins of your own pages in its cross-origin policy.")
                .at(origin, "the endpoint")
        });
    }
}

fn open_invoke(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, it) in running(audit) {
        let thing = Thing::Function(id);
        for who in admitted(audit, thing) {
            let crowd = match who {
                Principal::Anyone => "anyone, without signing in,".to_owned(),
                Principal::SignedIn => {
                    "any signed-in caller of the platform, of whichever customer,".to_owned()
                }
                Principal::Account(account) if audit.access().is_foreign(account, thing) => {
                    format!("every principal of the foreign account:{}", estate.id(account))
                }
                _ => continue,
            };
            let verdict = audit.access().stranger_invokes(who, id);
            if verdict == Verdict::No {
                continue;
            }
            let exposed = Exposed { to: audit.access().circle(who, thing), ..audit.exposure(id) };
            let name = estate.principal_label(who);
            let raised = Raised::new(thing, Level::of(audit.harm_through(id), exposed))
                .within(estate.environment(it.environment, it.scope))
                .sure(sureness(verdict))
                .facet(&name);
            raising.raise(&raised, move |audit| {
                let answer = audit.access().stranger_may_invoke(who, id);
                let (crowd, depending) = (capitalised(&crowd), depending(audit, &answer));
                let told = Told::new(format!("{crowd} may invoke it{depending}.{}", with_what(audit, id)))
                    .fix(format!(
                        "Replace `{name}` in its invoke permission by the callers that you can name."
                    ));
                at_identity(audit, at_grounds(audit, told, &answer), id)
            });
        }
    }
}

fn unpinned_source(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (id, it) in running(audit) {
        for who in admitted(audit, Thing::Function(id)) {
            let Principal::Service(service) = who else { continue };
            let verdict = audit.access().stranger_invokes(who, id);
            // Where anybody may invoke anyway, the pin is not what is missing.
            if verdict == Verdict::No
                || audit.access().stranger_invokes(Principal::Anyone, id) == Verdict::Yes
            {
                continue;
            }
            let level = Level::Table(audit.harm_through(id).impact, Exposure::Outsider);
            let raised = Raised::new(Thing::Function(id), level)
                .within(estate.environment(it.environment, it.scope))
                .sure(sureness(verdict))
                .facet(estate.text(service));
            raising.raise(&raised, move |audit| {
                let answer = audit.access().stranger_may_invoke(who, id);
                let service = audit.estate().text(service);
                let pinned = match answer.verdict {
                    Verdict::Depends => format!(
                        "A stranger's source may pass: service:{service} may invoke it{}.",
                        depending(audit, &answer)
                    ),
                    Verdict::Yes | Verdict::No => format!(
                        "service:{service} may invoke it for anybody's source: nothing pins the source resource \
                         or the source account."
                    ),
                };
                let told = Told::new(format!("{pinned}{}", with_what(audit, id))).fix(pin(audit, id));
                at_identity(audit, at_grounds(audit, told, &answer), id)
            });
        }
    }
}

/// The pin to add, from the sources that the function's triggers name.
fn pin(audit: &Audit<'_>, function: FunctionId) -> String {
    let estate = audit.estate();
    let triggers = estate.triggers_of(function).iter().filter_map(|&id| estate.get(id));
    let mut sources: Vec<String> =
        triggers.filter_map(|trigger| trigger.source).map(|source| estate.label(source)).collect();
    sources.sort_unstable();
    sources.dedup();
    let resource = if sources.is_empty() { "that source".to_owned() } else { listed(&sources) };
    match estate.account_of(Thing::Function(function)) {
        crate::estate::AccountOf::Known(account) => format!(
            "Add `when: {{source_resource: {resource}, account_of_source: {}}}` to the permission.",
            estate.id(account)
        ),
        _ => format!("Add a condition on the source resource ({resource}) and on its account."),
    }
}

/// Enabled functions.
fn running<'a>(audit: &'a Audit<'_>) -> impl Iterator<Item = (FunctionId, &'a Function)> {
    audit.estate().all::<FunctionId>().filter(|(_, it)| it.state == State::Enabled)
}

/// Whom the allowing admissions on a thing name, each once, sorted.
pub(super) fn admitted(audit: &Audit<'_>, thing: Thing) -> Vec<Principal> {
    let estate = audit.estate();
    let mut all: Vec<Principal> = audit
        .access()
        .admissions_on(thing)
        .iter()
        .map(|&id: &AdmissionId| estate.admission(id))
        .filter(|admission| estate.statement(admission.statement).effect == Effect::Allow)
        .flat_map(|admission| estate.list(admission.to).iter().copied())
        .collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// ", if …" with what an answer depends on.
pub(super) fn depending(audit: &Audit<'_>, answer: &Answer<'_>) -> String {
    let residual = answer.residual(audit.estate());
    if residual.is_empty() { residual } else { format!(", {residual}") }
}

pub(super) fn sureness(verdict: Verdict) -> Sureness {
    match verdict {
        Verdict::Yes => Sureness::Certain,
        Verdict::Depends | Verdict::No => Sureness::Conditional,
    }
}

/// Adds the places of the statements that allow.
pub(super) fn at_grounds(audit: &Audit<'_>, told: Told, answer: &Answer<'_>) -> Told {
    let estate = audit.estate();
    let counts = |ground: &&Ground<'_>| ground.effect == Effect::Allow && ground.holds != Truth::False;
    answer
        .grounds
        .iter()
        .filter(counts)
        .fold(told, |told, ground| told.at(estate.statement(ground.statement).origin, "the permission"))
}

fn at_identity(audit: &Audit<'_>, told: Told, function: FunctionId) -> Told {
    let estate = audit.estate();
    let identity = estate.get(function).and_then(|it| estate.runs_as(it));
    match identity {
        Some(identity) => told.at(estate.origin(Thing::Identity(identity)), "what it runs as"),
        None => told,
    }
}

/// " It runs as identity:x, which may …"
fn with_what(audit: &Audit<'_>, function: FunctionId) -> String {
    let estate = audit.estate();
    let Some(identity) = estate.get(function).and_then(|it| estate.runs_as(it)) else {
        return String::new();
    };
    let identity_is = if estate.get(identity).is_some() { "" } else { ", which is not in the estate" };
    match audit.may(identity) {
        Some(may) => format!(" It runs as identity:{}, which may {may}.", estate.id(identity)),
        None => format!(" It runs as identity:{}{identity_is}.", estate.id(identity)),
    }
}
