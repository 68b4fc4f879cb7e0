//! Finding what somebody means by a name: in full, or as much of it as nothing else has.

use pasaporte_core::estate::{
    EndpointId, Estate, FunctionId, GroupId, IdentityId, Kept, KeyId, Principal, ResourceId, ScopeId, SetId,
    Thing, TriggerId, UserId, VerifierId,
};

use pasaporte_core::effect::Effects;

use super::Stop;
use crate::view;

/// How many names are offered.
const MOST_OFFERED: usize = 8;

/// What is looked for, in words, and which things it may be.
struct Wanted {
    what: &'static str,
    example: &'static str,
    fits: fn(Thing) -> bool,
}

/// A function.
pub(super) fn function(estate: &Estate, text: &str) -> Result<FunctionId, Stop> {
    let wanted = Wanted {
        what: "function",
        example: "function:sell-ticket",
        fits: |thing| matches!(thing, Thing::Function(_)),
    };
    match find(estate, text, &wanted)? {
        Thing::Function(id) => Ok(id),
        _ => Err(nothing(estate, text, &wanted)),
    }
}

/// What has a passport: a function, where no kind is written; or a key, an identity or an endpoint.
pub(super) fn with_a_passport(estate: &Estate, text: &str) -> Result<Thing, Stop> {
    let wanted = match text.split_once(':').map(|(kind, _)| kind) {
        Some("key") => {
            Wanted { what: "key", example: "key:gate-admin", fits: |thing| matches!(thing, Thing::Key(_)) }
        }
        Some("identity") => Wanted {
            what: "identity",
            example: "identity:sell-ticket-role",
            fits: |thing| matches!(thing, Thing::Identity(_)),
        },
        Some("endpoint") => return endpoint(estate, text).map(Thing::Endpoint),
        _ => return function(estate, text).map(Thing::Function),
    };
    find(estate, text, &wanted)
}

/// A permission set.
pub(super) fn set(estate: &Estate, text: &str) -> Result<SetId, Stop> {
    let wanted = Wanted {
        what: "permission set",
        example: "permission-set:read-fares",
        fits: |thing| matches!(thing, Thing::Set(_)),
    };
    match find(estate, text, &wanted)? {
        Thing::Set(id) => Ok(id),
        _ => Err(nothing(estate, text, &wanted)),
    }
}

/// An endpoint.
pub(super) fn endpoint(estate: &Estate, text: &str) -> Result<EndpointId, Stop> {
    let wanted = Wanted {
        what: "endpoint",
        example: "endpoint:sell-ticket/direct",
        fits: |thing| matches!(thing, Thing::Endpoint(_)),
    };
    match find(estate, text, &wanted)? {
        Thing::Endpoint(id) => Ok(id),
        _ => Err(nothing(estate, text, &wanted)),
    }
}

/// Anything that can be acted on; where a name may mean several things, one of the kind that the action is on.
pub(super) fn thing(estate: &Estate, text: &str, action: &str) -> Result<Thing, Stop> {
    let wanted = Wanted {
        what: "thing",
        example: "bucket:tide-tables",
        fits: |thing| !matches!(thing, Thing::Grant(_) | Thing::Ceiling(_) | Thing::Enrolment(_)),
    };
    if let (Some((kind, _)), None) = (action.split_once('/'), text.split_once(':'))
        && let Ok(found) = find(estate, &format!("{kind}:{text}"), &wanted)
    {
        return Ok(found);
    }
    find(estate, text, &wanted)
}

/// Refuses an action of which nothing in the estate speaks and that is nearly one of which something does: to a slip of
/// the pen the answer would be no.
pub(super) fn action(effects: &Effects<'_>, text: &str) -> Result<(), Stop> {
    let known = effects.known_actions();
    if known.has(text) {
        return Ok(());
    }
    let service = text.split('/').next().unwrap_or_default();
    // Of a service that there is, a wildcard may take actions that nobody named: only a slip of one letter is told.
    let most = if known.has_service(service) { 1 } else { 3 };
    let all = known.all();
    let near = all.iter().map(|each| (strsim::damerau_levenshtein(each, text), each));
    let near = near.filter(|(distance, _)| *distance <= most).min().map(|(_, each)| each);
    let help = match near {
        Some(near) => format!("did you mean {near}? If not, say what it is under `actions` in the estate"),
        None if known.has_service(service) => return Ok(()),
        None => format!("the services are {}", known.services().collect::<Vec<_>>().join(", ")),
    };
    Err(Stop::Misused {
        message: format!("nothing in the estate speaks of the action `{}`", view::safe(text)),
        help,
    })
}

/// A principal. A function stands for the identity that it runs as, and is given back as well.
pub(super) fn principal(estate: &Estate, text: &str) -> Result<(Principal, Option<FunctionId>), Stop> {
    let named = |kind: &str| text.strip_prefix(kind).and_then(|rest| rest.strip_prefix(':'));
    match text {
        "anyone" => return Ok((Principal::Anyone, None)),
        "signed-in" => return Ok((Principal::SignedIn, None)),
        _ => {}
    }
    if let Some(name) = named("service") {
        let known =
            estate.name(name).map(Principal::Service).filter(|service| services(estate).contains(service));
        return known.map(|service| (service, None)).ok_or_else(|| {
            let all = services(estate).into_iter().map(|service| estate.principal_label(service)).collect();
            unknown(text, "service that the estate names", "service:object-store", all)
        });
    }
    if let Some(name) = named("outside") {
        return estate.name(name).map(|name| (Principal::Outside(name), None)).ok_or_else(|| Stop::Misused {
            message: format!("nothing in the estate names `{}`", view::safe(text)),
            help: "to the estate it is any signed-in caller: ask about signed-in".to_owned(),
        });
    }
    if let Some(id) = named("token") {
        let verifier = estate.find::<VerifierId>(id).map(Principal::Token);
        return verifier.map(|principal| (principal, None)).ok_or_else(|| {
            let all = estate.all::<VerifierId>().map(|(id, _)| format!("token:{}", estate.id(id))).collect();
            unknown(text, "verifier", "token:staff-tokens", all)
        });
    }
    // A function and what it runs as often have one name; then that is meant.
    if let (Some(identity), Some(function)) =
        (estate.find::<IdentityId>(text), estate.find::<FunctionId>(text))
        && estate.get(function).and_then(|it| estate.runs_as(it)) == Some(identity)
    {
        return Ok((Principal::Identity(identity), Some(function)));
    }
    let wanted = Wanted {
        what: "principal",
        example: "identity:sell-ticket-role, user:ID, group:ID, service:NAME, anyone or signed-in",
        fits: |thing| {
            matches!(
                thing,
                Thing::Identity(_)
                    | Thing::User(_)
                    | Thing::Group(_)
                    | Thing::Key(_)
                    | Thing::Function(_)
                    | Thing::Scope(_)
            )
        },
    };
    match find(estate, text, &wanted)? {
        Thing::Identity(id) => Ok((Principal::Identity(id), None)),
        Thing::User(id) => Ok((Principal::User(id), None)),
        Thing::Group(id) => Ok((Principal::Group(id), None)),
        Thing::Key(id) => Ok((Principal::Key(id), None)),
        Thing::Scope(id) => Ok((Principal::Account(id), None)),
        Thing::Function(id) => {
            let identity = estate.get(id).and_then(|function| estate.runs_as(function));
            identity.map(|identity| (Principal::Identity(identity), Some(id))).ok_or_else(|| Stop::Misused {
                message: format!(
                    "{} runs as no identity that the estate names",
                    estate.label(Thing::Function(id))
                ),
                help: "say `runs_as` in its entry, or in its scope's".to_owned(),
            })
        }
        _ => Err(nothing(estate, text, &wanted)),
    }
}

/// The services that statements on things name, that hold grants, or that are members of groups.
fn services(estate: &Estate) -> Vec<Principal> {
    let admitted = estate.admissions().iter().flat_map(|it| estate.list(it.to).iter().copied());
    let holders = estate.grants().map(|(_, grant)| grant.principal);
    let members = estate.all::<GroupId>().flat_map(|(_, group)| group.members.iter().copied());
    let mut all: Vec<Principal> =
        admitted.chain(holders).chain(members).filter(|who| matches!(who, Principal::Service(_))).collect();
    all.sort_unstable();
    all.dedup();
    all
}

/// The thing of a label, of an id, or of a part of one that no other has.
fn find(estate: &Estate, text: &str, wanted: &Wanted) -> Result<Thing, Stop> {
    if let Some(thing) = estate.thing(text).filter(|thing| (wanted.fits)(*thing)) {
        return Ok(thing);
    }
    let all = things(estate, wanted);
    let (kind, part) = text.split_once(':').map_or((None, text), |(kind, part)| (Some(kind), part));
    let of_kind = |label: &str| kind.is_none_or(|kind| label.split(':').next() == Some(kind));
    // The whole id before its last part before its beginning before any part of it.
    let tests: [fn(&str, &str) -> bool; 4] = [
        |id, part| id == part,
        |id, part| id.rsplit('/').next() == Some(part),
        |id, part| id.starts_with(part),
        |id, part| id.contains(part),
    ];
    for test in tests {
        let found: Vec<&(String, Thing)> = all
            .iter()
            .filter(|(label, _)| {
                of_kind(label) && label.split_once(':').is_some_and(|(_, id)| test(id, part))
            })
            .collect();
        match found.as_slice() {
            [] => {}
            [(_, only)] => return Ok(*only),
            several => {
                let names: Vec<&str> =
                    several.iter().take(MOST_OFFERED).map(|(label, _)| label.as_str()).collect();
                let more = several.len().saturating_sub(MOST_OFFERED);
                let more = if more > 0 { format!(" and {more} more") } else { String::new() };
                return Err(Stop::Misused {
                    message: format!(
                        "`{}` may be {} {}s of the estate",
                        view::safe(text),
                        several.len(),
                        wanted.what
                    ),
                    help: format!("write more of it: {}{more}", names.join(", ")),
                });
            }
        }
    }
    Err(nothing(estate, text, wanted))
}

/// All things that fit, with their labels.
fn things(estate: &Estate, wanted: &Wanted) -> Vec<(String, Thing)> {
    fn of<K: Kept>(estate: &Estate) -> impl Iterator<Item = Thing> {
        (0..estate.count::<K>()).map(|index| K::new(index).thing())
    }
    let all = of::<FunctionId>(estate)
        .chain(of::<IdentityId>(estate))
        .chain(of::<ResourceId>(estate))
        .chain(of::<UserId>(estate))
        .chain(of::<GroupId>(estate))
        .chain(of::<KeyId>(estate))
        .chain(of::<ScopeId>(estate))
        .chain(of::<EndpointId>(estate))
        .chain(of::<TriggerId>(estate))
        .chain(of::<SetId>(estate));
    let mut all: Vec<(String, Thing)> =
        all.filter(|thing| (wanted.fits)(*thing)).map(|thing| (estate.label(thing), thing)).collect();
    all.sort_unstable();
    all
}

fn nothing(estate: &Estate, text: &str, wanted: &Wanted) -> Stop {
    let labels = things(estate, wanted).into_iter().map(|(label, _)| label).collect();
    unknown(text, wanted.what, wanted.example, labels)
}

/// That there is no such thing, with the nearest names; where none is near, how one is written.
fn unknown(text: &str, what: &str, example: &str, labels: Vec<String>) -> Stop {
    let bare = |label: &str| label.split_once(':').map_or(label, |(_, id)| id).to_lowercase();
    let asked = bare(text);
    let most = 2 + asked.chars().count() / 4;
    let mut near: Vec<(usize, String)> = labels
        .into_iter()
        .map(|label| (strsim::damerau_levenshtein(&bare(&label), &asked), label))
        .filter(|(distance, _)| *distance <= most)
        .collect();
    near.sort_unstable();
    let near: Vec<String> = near.into_iter().take(3).map(|(_, label)| label).collect();
    Stop::Misused {
        message: format!("there is no {what} `{}`", view::safe(text)),
        help: if near.is_empty() {
            format!("write it like {example}")
        } else {
            format!("did you mean {}?", near.join(" or "))
        },
    }
}
