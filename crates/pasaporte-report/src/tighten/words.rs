//! A proposal in words.

use pasaporte_audit::tighten::{Change, Narrowed, On, Share, Why};
use pasaporte_audit::times;
use pasaporte_core::estate::{Check, Estate, IdentityId, KeyId, KeyOf, KeyReach, Thing, Vocabulary};
use pasaporte_core::usage::Window;

use super::ChangeOut;
use crate::dates::date;

fn seen_in(window: &Window) -> String {
    format!("logs cover {} days, from {} to {}", window.days(), date(window.from), date(window.to))
}

/// A change in words.
pub(super) fn change(estate: &Estate, it: &Change) -> ChangeOut {
    let place = |thing: Thing| {
        estate.origin(thing).map(|origin| format!("{}:{}", estate.path(origin.file), origin.line))
    };
    let (kind, thing, told, keeps, because): Told = match it {
        Change::Drop { grant, window } => {
            let thing = Thing::Grant(*grant);
            let told = format!(
                "Take away {}: nothing of it was used, and no trigger needs it.",
                estate.label(thing)
            );
            ("drop", thing, told, Vec::new(), seen_in(window))
        }
        Change::Narrow { grant, needed, denies, window } => {
            let thing = Thing::Grant(*grant);
            let keeps = needed.iter().flat_map(|it| kept(estate, it)).collect();
            let and = if denies.is_empty() { "" } else { ", with what it takes away" };
            let told = format!("Narrow {} to what is needed{and}.", estate.label(thing));
            ("narrow", thing, told, keeps, seen_in(window))
        }
        Change::Pin { function, service, sources, .. } => {
            let thing = Thing::Function(*function);
            let keeps: Vec<String> = sources.iter().map(|source| estate.label(*source)).collect();
            let who = estate.principal_label(*service);
            let told =
                format!("Let {who} run {} for the sources of its triggers alone.", estate.label(thing));
            ("pin", thing, told, keeps, "its triggers name these sources".to_owned())
        }
        Change::Ask { endpoint, check, came, window } => {
            let thing = Thing::Endpoint(*endpoint);
            let asks = match check {
                Check::None => "nothing".to_owned(),
                Check::Identity => "an identity".to_owned(),
                Check::Key(reach) => format!("a key of reach {}", reach.word()),
                Check::Token(verifier) => {
                    format!("a token that {} accepts", estate.label(Thing::Verifier(*verifier)))
                }
            };
            let told = format!("Let {} ask for {asks}.", estate.label(thing));
            let because = match came {
                0 => format!("nobody came; {}", seen_in(window)),
                came => format!("somebody came {}, each time with that; {}", times(*came), seen_in(window)),
            };
            ("ask", thing, told, Vec::new(), because)
        }
        Change::Confine { key, of, reach, came, window } => {
            confined(estate, *key, (*of, *reach), *came, window)
        }
        Change::Split { identity, shares, unaccounted, window } => {
            split(estate, *identity, shares, unaccounted, window)
        }
        Change::Retire { key, window } => {
            let thing = Thing::Key(*key);
            let told = format!("Switch {} off: nobody used it.", estate.label(thing));
            ("retire", thing, told, Vec::new(), seen_in(window))
        }
    };
    ChangeOut {
        kind: kind.to_owned(),
        what: estate.label(thing),
        told,
        keeps,
        because,
        read_from: place(thing),
    }
}

/// A change: its kind, what is changed, the change as a sentence, what is kept, and what it rests on.
type Told = (&'static str, Thing, String, Vec<String>, String);

fn confined(estate: &Estate, key: KeyId, (of, reach): (KeyOf, KeyReach), came: u64, window: &Window) -> Told {
    let thing = Thing::Key(key);
    let (opens, which) = match of {
        KeyOf::Function(function) => (estate.label(Thing::Function(function)), "alone"),
        KeyOf::Scope(scope) => (estate.label(Thing::Scope(scope)), "that does not manage it"),
    };
    debug_assert_ne!(reach, KeyReach::Admin, "what is confined manages nothing");
    let told =
        format!("Have the clients of {} use a key of {opens} {which} in its place.", estate.label(thing));
    let used = match came {
        0 => "only a gateway shows it, for its callers".to_owned(),
        came => format!("it was used {}, each time for that", times(came)),
    };
    let because = format!("{used}; {}", seen_in(window));
    ("confine", thing, told, vec![opens], because)
}

fn split(
    estate: &Estate,
    identity: IdentityId,
    shares: &[Share],
    unaccounted: &[String],
    window: &Window,
) -> Told {
    let thing = Thing::Identity(identity);
    let told = format!(
        "Give each of the {} functions that run as {} an identity of its own; the old one keeps what it holds until nothing runs as it.",
        shares.len(),
        estate.label(thing)
    );
    let keeps = shares.iter().map(|share| {
        let all: Vec<String> =
            share.grants.iter().flat_map(|it| &it.needed).flat_map(|it| kept(estate, it)).collect();
        let all = if all.is_empty() { "nothing".to_owned() } else { all.join("; ") };
        format!("{}, as identity:{}: {all}", estate.label(Thing::Function(share.function)), share.identity)
    });
    let nobodys = match unaccounted {
        [] => String::new(),
        all => format!(", and what none accounts for stays with each ({})", all.join("; ")),
    };
    let because = format!(
        "logs tell who and not which function, so triggers and settings say which needs what{nobodys}; {}",
        seen_in(window)
    );
    ("split", thing, told, keeps.collect(), because)
}

/// What is needed of a statement, in words.
fn kept(estate: &Estate, it: &Narrowed) -> Vec<String> {
    let one = |(action, on): (&String, &On)| match on {
        On::These(_) => format!("{action} on {}", names(estate, on)),
        On::Like(pattern, _) => format!("{action} on {pattern}, which is {}", names(estate, on)),
        On::Unsaid => {
            let resources = estate.resources_picked(estate.statement(it.statement).resources);
            let any: Vec<&str> = resources.any().iter().map(|id| estate.pattern(*id).text()).collect();
            format!("{action} on {}, since logs do not say on what", any.join(", "))
        }
    };
    it.needs.iter().map(one).collect()
}

/// The things that something is needed on, by name.
fn names(estate: &Estate, on: &On) -> String {
    let mut names: Vec<String> = on.things().map(|thing| estate.label(thing)).collect();
    names.sort_unstable();
    names.join(", ")
}

/// Why something is left as it is, as the rest of a sentence.
pub(super) fn why(why: Why) -> &'static str {
    match why {
        Why::NotWatched => "no logs cover all that it gives, for long enough and until lately",
        Why::Fits => "it gives what is needed and no more",
        Why::NotAlone => "others are called the same: give it an id, so that it can be named alone",
        Why::Unwritable => "its conditions ask two things of one attribute, which a statement cannot say",
        Why::CameWithout => "somebody came without a credential, or the logs do not say what they showed",
        Why::MayNotInvoke => {
            "those who came said who they are, and may not invoke the function: give them that first"
        }
        Why::CameApart => "those who came showed different kinds of credentials",
        Why::NoSource => "a service may run it for strangers, and no trigger says for which source",
        Why::NotShared => "no two functions run as it",
        Why::Bounded => {
            "a ceiling names it, and would not bound what took its place: lay that over a scope first"
        }
        Why::ByOthers => {
            "some of what it does it may by a group, an access list or a permission, which would have to name others"
        }
        Why::NeedTheSame => {
            "the functions that run as it need the same, as far as triggers and settings tell"
        }
        Why::AsksForMore => {
            "it is used for one function, whose endpoint asks for a key of the whole app: let that ask for one of its own first"
        }
        Why::InUse => "it is in use",
    }
}
