//! What is told of keys.

use jiff::SignedDuration;
use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{
    Key, KeyId, KeyOf, KeyReach, LastUse, Origin, Principal, SeenIn, Setting, Showed, Sighting, State, Thing,
    TokenId,
};
use pasaporte_core::usage::Sum;

use super::Told;
use super::phrases::{capitalised, count, grouped, listed};
use super::seen::{calls, clients, day, over, when_and_whence};
use crate::Audit;
use crate::facts::KeyFact;

pub(super) fn tell(audit: &Audit<'_>, fact: &KeyFact) -> Option<Told> {
    let estate = audit.estate();
    let id = match fact {
        KeyFact::Stale { key, .. }
        | KeyFact::ExpiredEnabled { key, .. }
        | KeyFact::NeverUsed { key, .. }
        | KeyFact::Idle { key, .. }
        | KeyFact::NoExpiry(key)
        | KeyFact::AdminInUse(key)
        | KeyFact::SeenIn(key, _)
        | KeyFact::Shared(key)
        | KeyFact::OutlivesFunction(key)
        | KeyFact::GuardsNothing(key) => *key,
        KeyFact::WiderThanUse(it) => it.key,
        KeyFact::SameTwice(keys) => return same_twice(audit, keys),
        KeyFact::LongPublicToken(token) => return long_public_token(audit, *token),
    };
    let key = estate.get(id)?;
    let (situation, fix) = of_life(audit, id, key, fact).or_else(|| of_use(audit, id, key, fact))?;
    let told = Told::new(situation).fix(fix).at(key.origin, "the key");
    Some(match fact {
        KeyFact::ExpiredEnabled { .. } | KeyFact::NeverUsed { .. } | KeyFact::Idle { .. } => {
            told.by_setting(key.origin, "state", Setting::word(State::Disabled.to_string()))
        }
        KeyFact::NoExpiry(_) => match estate.as_of() {
            Some(now) => {
                let end = now + SignedDuration::from_hours(24 * audit.thresholds_of(key).key_max_age);
                let end = day(end);
                told.by_setting(key.origin, "expires", Setting::Word(end))
            }
            None => told,
        },
        KeyFact::SeenIn(_, place) => at_sightings(audit, told, id, *place),
        // What is rotated, moved or removed is done elsewhere.
        _ => told,
    })
}

/// How old it is, when it ends, when it was last used: the situation, and the fix.
fn of_life(audit: &Audit<'_>, id: KeyId, key: &Key, fact: &KeyFact) -> Option<(String, String)> {
    let estate = audit.estate();
    let (name, reach, opens) = (estate.id(id), key.reach, || opens(audit, id, key));
    Some(match fact {
        KeyFact::Stale { days, .. } => {
            let since = if key.rotated.is_some() { "last rotated" } else { "made and never rotated" };
            let (allowed, may) = (audit.thresholds_of(key).key_max_age, may(audit, id));
            (
                format!(
                    "This {reach}-reach key was {since} {days} days ago; {allowed} are allowed. It {}.{may}",
                    opens()
                ),
                format!("Rotate key:{name}: make its successor, move its clients, switch this one off."),
            )
        }
        KeyFact::ExpiredEnabled { accepted, .. } => {
            let ended = key.expires.map_or_else(String::new, day);
            let seen = match (*accepted, key.last_used) {
                (Verdict::Yes, LastUse::At(used)) => {
                    format!("it was accepted after that, on {}", day(used))
                }
                _ => "whether it is still accepted is not known".to_owned(),
            };
            let may = may(audit, id);
            (
                format!(
                    "This {reach}-reach key ended on {ended} and is enabled: {seen}. It {}.{may}",
                    opens()
                ),
                format!("Switch key:{name} off; make another for whoever still uses it."),
            )
        }
        KeyFact::NeverUsed { days, .. } => (
            format!(
                "This {reach}-reach key is enabled, and nobody used it in the {days} days it was watched. It \
                 {}.",
                opens()
            ),
            format!("Switch key:{name} off."),
        ),
        KeyFact::Idle { days, .. } => (
            format!("This {reach}-reach key is enabled and was last used {days} days ago. It {}.", opens()),
            format!("Switch key:{name} off."),
        ),
        KeyFact::NoExpiry(_) => (
            format!("This {reach}-reach key has no expiry. It {}.", opens()),
            format!("Set an expiry within {} days.", audit.thresholds_of(key).key_max_age),
        ),
        _ => return None,
    })
}

/// What it opens and who has it, held against what it is used for.
fn of_use(audit: &Audit<'_>, id: KeyId, key: &Key, fact: &KeyFact) -> Option<(String, String)> {
    let estate = audit.estate();
    let made_for = || made_for(audit, key).0;
    let (name, reach, opens) = (estate.id(id), key.reach, || opens(audit, id, key));
    Some(match fact {
        KeyFact::AdminInUse(_) => {
            let (used, held, may) = (used_for(audit, id), held_by(audit, key), may(audit, id));
            (
                format!("This key manages an app.{used}{held} It {}.{may}", opens()),
                format!("Give each client a key of the function that it calls; then rotate key:{name}."),
            )
        }
        KeyFact::WiderThanUse(it) => {
            let function = format!("function:{}", estate.id(it.function));
            (
                format!(
                    "It is for {} functions and was used for one of them: {function}, by all {} {}.",
                    it.opens,
                    calls(it.count),
                    over(&it.window)
                ),
                format!("Make a key of {function} for its clients; then switch key:{name} off."),
            )
        }
        KeyFact::SeenIn(_, place) => {
            (seen_in(audit, id, *place) + &may(audit, id), left_behind(*place, name))
        }
        KeyFact::Shared(_) => {
            let shown =
                clients(&audit.shown_by(id)).map(|clients| format!(" {} showed it.", capitalised(&clients)));
            let held = held_by(audit, key);
            (
                format!(
                    "This {reach}-reach key has many clients.{held}{} It {}.",
                    shown.unwrap_or_default(),
                    opens()
                ),
                "Give each client a key of its own, one at a time; switch this one off when nobody uses it."
                    .to_owned(),
            )
        }
        KeyFact::OutlivesFunction(_) => {
            let used = audit
                .last_use_of(id)
                .map_or_else(String::new, |last| format!(" It was last used on {}.", day(last)));
            (
                format!("It is for {}, which is not in the estate: gone, or not gathered.{used}", made_for()),
                format!("Remove key:{name}, if the function is gone; else gather the function."),
            )
        }
        KeyFact::GuardsNothing(_) => (
            format!("It is for {}, and every endpoint there lets anyone in without it.", made_for()),
            format!(
                "Have the endpoints ask for a key of {reach} reach; or remove key:{name}, if they are meant to be open."
            ),
        ),
        _ => return None,
    })
}

/// For what a key was seen to be used, as a sentence.
fn used_for(audit: &Audit<'_>, id: KeyId) -> String {
    let estate = audit.estate();
    let mut used: Vec<String> = audit
        .used_for(id)
        .into_iter()
        .map(|(function, count)| format!("function:{} ({})", estate.id(function), calls(count)))
        .collect();
    used.sort_unstable();
    if used.is_empty() {
        return String::new();
    }
    let which = when_and_whence(&audit.shown_by(id));
    format!(" Ordinary calls showed it: {}{which}.", listed(&used))
}

fn held_by(audit: &Audit<'_>, key: &Key) -> String {
    let estate = audit.estate();
    let mut names: Vec<String> =
        estate.list(key.held_by).iter().map(|name| estate.text(*name).to_owned()).collect();
    names.sort_unstable();
    if names.is_empty() { String::new() } else { format!(" It was given to {}.", listed(&names)) }
}

/// The sightings of a key in one sort of place.
fn sightings<'a>(audit: &'a Audit<'_>, id: KeyId, place: SeenIn) -> impl Iterator<Item = &'a Sighting> {
    audit.estate().sightings().iter().filter(move |it| it.what == Showed::Key(id) && it.place == place)
}

fn seen_in(audit: &Audit<'_>, id: KeyId, place: SeenIn) -> String {
    let estate = audit.estate();
    let mut sum = Sum::default();
    let mut on: Vec<String> = Vec::new();
    for it in sightings(audit, id, place) {
        sum.add(estate, &it.tally);
        on.extend(it.on.map(|thing| estate.label(thing)));
    }
    on.sort_unstable();
    on.dedup();
    let at = if on.is_empty() { String::new() } else { format!(" of {}", listed(&on)) };
    let which = when_and_whence(&sum);
    match place {
        SeenIn::RequestUrl => {
            let one = sum.count == 1;
            format!(
                "Its value stood in the {} of {}{}{which}: it is in every log that {} went through.",
                if one { "address" } else { "addresses" },
                calls(sum.count),
                if on.is_empty() { String::new() } else { format!(" to {}", listed(&on)) },
                if one { "it" } else { "they" },
            )
        }
        SeenIn::Settings => format!("Its value stands in plain settings{at}."),
        SeenIn::LogText => {
            let times =
                if sum.count == 1 { "once".to_owned() } else { format!("{} times", grouped(sum.count)) };
            format!("Code{at} wrote its value into its log {times}{which}.")
        }
        SeenIn::Header => format!("Its value was seen in headers{at}{which}."),
        SeenIn::Body => format!("Its value was seen in bodies{at}{which}."),
    }
}

fn left_behind(place: SeenIn, name: &str) -> String {
    match place {
        SeenIn::RequestUrl => {
            format!("Have clients send it in a header, then rotate key:{name}: what was logged stays logged.")
        }
        SeenIn::Settings => {
            format!("Put it where secrets are kept and have the code read it there; then rotate key:{name}.")
        }
        SeenIn::LogText | SeenIn::Header | SeenIn::Body => {
            format!(
                "Have the code leave it out of its log, then rotate key:{name}: what was logged stays logged."
            )
        }
    }
}

fn at_sightings(audit: &Audit<'_>, told: Told, id: KeyId, place: SeenIn) -> Told {
    let mut origins: Vec<Origin> = sightings(audit, id, place).map(|it| it.origin).collect();
    origins.sort_unstable();
    origins.into_iter().take(MOST_SHOWN).fold(told, |told, origin| told.at(origin, "a sighting"))
}

/// Sightings, and keys with one secret, that are shown.
const MOST_SHOWN: usize = 4;

fn same_twice(audit: &Audit<'_>, keys: &[KeyId]) -> Option<Told> {
    let estate = audit.estate();
    let (first, others) = keys.split_first()?;
    let label = |id: &KeyId| {
        let key = estate.get(*id);
        let of = key.map_or_else(String::new, |key| format!(" of {}", estate.label(key.opens())));
        let environment = key.and_then(|key| audit.environment_of_key(key));
        let within = environment.map_or_else(String::new, |it| format!(" ({it})"));
        format!("{}{of}{within}", estate.label(Thing::Key(*id)))
    };
    let others_named: Vec<String> = others.iter().map(label).collect();
    let may = may(audit, *first);
    let told = Told::new(format!("{} has the same secret as {}.{may}", label(first), listed(&others_named)))
        .fix("Make another secret for all but one of them.");
    let shown = keys.iter().take(MOST_SHOWN);
    Some(shown.fold(told, |told, id| told.at(estate.origin(Thing::Key(*id)), estate.label(Thing::Key(*id)))))
}

fn long_public_token(audit: &Audit<'_>, id: TokenId) -> Option<Told> {
    let estate = audit.estate();
    let token = estate.get(id)?;
    let valid = match (token.expires, token.issued) {
        (Some(end), Some(issued)) => {
            let days = end.duration_since(issued).as_hours() / 24;
            format!("is valid for {} days, until {}", grouped(days.unsigned_abs()), day(end))
        }
        (Some(end), None) => format!("is valid until {}", day(end)),
        (None, _) => "never ends".to_owned(),
    };
    let told = Told::new(format!(
        "This token was handed to public clients and {valid}: everybody has it until then."
    ))
    .fix("Issue tokens for public clients that end within weeks, and have the clients fetch new ones.");
    Some(told.at(token.origin, "the token"))
}

/// The worst that whoever holds a key may do, or make run.
fn may(audit: &Audit<'_>, id: KeyId) -> String {
    let may = audit.effects().tell(Principal::Key(id));
    may.map_or_else(String::new, |may| format!(" Its holder may {may}."))
}

/// What it is made for, and how many functions that are.
fn made_for(audit: &Audit<'_>, key: &Key) -> (String, usize) {
    let label = audit.estate().label(key.opens());
    match key.of {
        KeyOf::Function(_) => (label, 1),
        KeyOf::Scope(scope) => {
            let all = audit.functions_below(scope).len();
            (format!("{} of {label}", count(all, "function")), all)
        }
    }
}

/// What it opens in effect, after "It".
fn opens(audit: &Audit<'_>, id: KeyId, key: &Key) -> String {
    let label = audit.estate().label(key.opens());
    let (what, all) = made_for(audit, key);
    let is_admin = key.reach == KeyReach::Admin;
    let opened = if is_admin { all } else { audit.effects().opened_by(id).len() };
    match key.of {
        KeyOf::Function(function) if audit.estate().get(function).is_none() => {
            format!("is for {label}, which is not in the estate")
        }
        KeyOf::Scope(_) if all == 0 => format!("is for {label}, where no function was seen"),
        _ if opened == 0 && !is_admin => format!("is for {what}, no endpoint of which takes it"),
        _ if opened < all => format!("opens {opened} of {what}"),
        _ => format!("opens {what}"),
    }
}
