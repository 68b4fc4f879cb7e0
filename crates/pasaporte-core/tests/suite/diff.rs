//! What opened and closed between two estates is what the decision says of both: nothing more, and nothing is left out. Held over
//! random pairs of estates, of which the second is the first with some of its parts as another has them.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet};

use crate::support::recipe::{ACTIONS, Cooked, Recipe, cook, recipe};
use crate::support::{World, allow, deny, estates};
use pasaporte_core::access::Verdict;
use pasaporte_core::diff::{Diff, Held, Holder, pair as both};
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{Exposure, Through};
use pasaporte_core::estate::{At, Estate, FunctionId, GroupId, Principal, Thing};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// An estate with parts of another.
fn mixed(old: &Recipe, other: Recipe, parts: u32) -> Recipe {
    let mut new = old.clone();
    let take = |part: u32| parts & (1 << part) != 0;
    if take(0) {
        new.grants = other.grants;
    }
    if take(1) {
        new.admissions = other.admissions;
    }
    if take(2) {
        new.ceilings = other.ceilings;
    }
    if take(3) {
        new.members = other.members;
    }
    if take(4) {
        new.sets = other.sets;
    }
    if take(5) {
        new.includes = other.includes;
    }
    if take(6) {
        new.one_side = other.one_side;
    }
    if take(7) {
        new.any_case = other.any_case;
    }
    if take(8) {
        new.doors = other.doors;
    }
    // One more or less is what mostly happens.
    if take(9) && !new.grants.is_empty() {
        new.grants.pop();
    }
    new
}

fn pair() -> impl Strategy<Value = (Recipe, Recipe)> {
    (recipe(), recipe(), prop_oneof![0u32..1024, (0u32..10).prop_map(|part| 1 << part)]).prop_map(
        |(old, other, parts)| {
            let new = mixed(&old, other, parts);
            (old, new)
        },
    )
}

/// The ways into a function, by what and who, each with the circles of those who get in.
fn ways_in(
    effects: &Effects<'_>,
    function: FunctionId,
) -> BTreeMap<(String, String), (Exposure, Reverse<Verdict>)> {
    let estate = effects.estate();
    let mut all = BTreeMap::new();
    for way in effects.ways_in(function).all {
        let through = match way.through {
            Through::Endpoint(id) => estate.label(Thing::Endpoint(id)),
            Through::Source(id) => estate.label(Thing::Trigger(id)),
            Through::Invoking => "invoking".to_owned(),
        };
        let widest = way.circles.iter().map(|(to, how)| (*to, Reverse(*how))).min();
        let widest = widest.unwrap_or((Exposure::Insiders, Reverse(way.caller.verdict)));
        let known = all.entry((through, estate.principal_label(way.caller.who))).or_insert(widest);
        *known = widest.min(*known);
    }
    all
}

/// Whoever a grant, a group or an admission names.
fn named(estate: &Estate) -> Vec<String> {
    let mut all: Vec<Principal> = estate.grants().map(|(_, grant)| grant.principal).collect();
    all.extend(estate.admissions().iter().flat_map(|it| estate.list(it.to)));
    all.extend(estate.all::<GroupId>().flat_map(|(_, group)| &group.members));
    all.into_iter().map(|who| estate.principal_label(who)).collect()
}

/// Actions that are asked about: the usual ones, and some that wildcards take.
fn actions() -> BTreeSet<String> {
    let mut all: BTreeSet<String> = ACTIONS.iter().map(|it| (*it).to_owned()).collect();
    for kind in ["table", "queue", "function", "identity", "key", "account", "access"] {
        all.extend(["read", "write", "zz", "Read", "s-an", "list"].map(|word| format!("{kind}/{word}")));
    }
    all.insert("Table/Read".to_owned());
    all
}

proptest! {
    #![proptest_config(estates(150, RngSeed::Fixed(7)))]

    #[test]
    fn rights_that_differ_are_those_of_which_the_decision_says_so((old, new) in pair()) {
        let (old, new) = (cook(&old), cook(&new));
        let (before, after) = (Effects::new(&old.estate), Effects::new(&new.estate));
        let rights = Diff::new(&before, &after).rights();
        prop_assert!(rights.complete && rights.not_compared.is_empty());
        let find = |cooked: &Cooked, who: &str, on: &str| -> Option<(Principal, Thing)> {
            let estate = &cooked.estate;
            let who = cooked.principals.iter().copied().find(|it| estate.principal_label(*it) == who)?;
            Some((who, estate.thing(on)?))
        };
        let ask = |effects: &Effects<'_>, at: Option<(Principal, Thing)>, action: &str| {
            at.map_or(Verdict::No, |(who, on)| effects.may(who, action, on))
        };
        // What is told is so.
        let mut told: BTreeSet<(String, String)> = BTreeSet::new();
        for right in rights.all.iter().filter(|it| !it.on_new) {
            let was = ask(&before, find(&old, &right.principal, &right.on), &right.action);
            let now = ask(&after, find(&new, &right.principal, &right.on), &right.action);
            if find(&old, &right.principal, &right.on).is_some() && find(&new, &right.principal, &right.on).is_some() {
                prop_assert_eq!((was, now), (right.was, right.now), "{:?}", right);
            }
            told.insert((right.principal.to_string(), right.on.to_string()));
        }
        // And nothing is left out.
        let estate = &old.estate;
        // Strangers whom nothing names are told of as strangers.
        let named = [named(&old.estate), named(&new.estate)].concat();
        for &principal in old.principals.iter().filter(|it| !matches!(it, Principal::Group(_))) {
            let who = estate.principal_label(principal);
            let is_stranger = !matches!(principal, Principal::Anyone | Principal::SignedIn | Principal::Identity(_) | Principal::User(_) | Principal::Account(_));
            if is_stranger && !named.contains(&who) {
                continue;
            }
            for &on in &old.things {
                let label = estate.label(on);
                let kind = label.split(':').next().unwrap().to_owned();
                let (one, other) = (find(&old, &who, &label), find(&new, &who, &label));
                if one.is_none() || other.is_none() {
                    continue;
                }
                for action in actions() {
                    let service = action.split('/').next().unwrap();
                    let any_case = before.any_case(one.unwrap().1) || after.any_case(other.unwrap().1);
                    let is = |kind: &str| service == kind || any_case && service.to_lowercase() == kind;
                    if !is(&kind) && !is("access") {
                        continue;
                    }
                    let (was, now) = (ask(&before, one, &action), ask(&after, other, &action));
                    prop_assert!(
                        was == now
                            || [who.as_str(), "anyone", "signed-in"]
                                .iter()
                                .any(|who| told.contains(&((*who).to_owned(), label.clone()))),
                        "{who} {action} {label}: {was:?} {now:?} is not told"
                    );
                }
            }
        }
    }

    #[test]
    fn an_estate_does_not_differ_from_itself(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let diff = Diff::new(&effects, &effects);
        prop_assert_eq!(diff.rights().all, vec![]);
        prop_assert_eq!(diff.ways(), vec![]);
    }

    #[test]
    fn ways_that_opened_are_those_by_which_somebody_enters_now((old, new) in pair()) {
        let (old, new) = (cook(&old), cook(&new));
        let (before, after) = (Effects::new(&old.estate), Effects::new(&new.estate));
        let ways = Diff::new(&before, &after).ways();
        for &on in &old.things {
            let Thing::Function(function) = on else { continue };
            let label = old.estate.label(on);
            let Some(Thing::Function(other)) = new.estate.thing(&label) else { continue };
            let of_it = || ways.iter().filter(|way| way.function == label);
            let (was, now) = (before.exposure(function), after.exposure(other));
            if was.to != now.to {
                let opened = of_it().any(pasaporte_core::diff::WayChanged::opened);
                let closed = of_it().any(|way| !way.opened());
                prop_assert!(if now.to < was.to { opened } else { closed }, "{label}: {was:?} {now:?}\n{ways:?}");
            }
            for way in of_it() {
                prop_assert_ne!(way.was, way.now);
            }
            // All of them, and no others.
            let told: BTreeSet<(String, String)> =
                of_it().map(|way| (way.through.clone(), way.who.clone())).collect();
            let (was, now) = (ways_in(&before, function), ways_in(&after, other));
            let differ = was.keys().chain(now.keys()).filter(|way| was.get(*way) != now.get(*way));
            prop_assert_eq!(told, differ.cloned().collect::<BTreeSet<_>>(), "{}", label);
        }
    }
}

#[test]
fn a_wildcard_that_became_narrower_shows_in_what_it_no_longer_takes() {
    let estate = |actions: &str| {
        let mut world = World::default();
        world.account("pier");
        let sailor = world.identity("sailor", "pier");
        world.resource("table:bookings", "pier");
        world.grant(Principal::Identity(sailor), At::Everywhere, &[allow(&[actions]).on(&["table:*"])]);
        world.finish()
    };
    let (old, new) = (estate("table/*"), estate("table/r*"));
    let (before, after) = (Effects::new(&old), Effects::new(&new));
    let rights = Diff::new(&before, &after).rights().all;
    let there: Vec<(&str, Verdict, Verdict)> =
        rights.iter().filter(|it| !it.on_new).map(|it| (it.action.as_ref(), it.was, it.now)).collect();
    assert!(there.contains(&("table/write", Verdict::Yes, Verdict::No)), "{there:?}");
    assert!(
        there.iter().all(|(action, _, now)| !action.starts_with("table/r") && *now == Verdict::No),
        "{there:?}"
    );
    assert!(rights.iter().any(|it| it.on_new && &*it.on == "table at account:pier"), "{rights:?}");
}

#[test]
fn a_deny_by_a_pattern_shows_in_an_action_that_nobody_names() {
    let estate = |denied: &[&str]| {
        let mut world = World::default();
        world.account("pier");
        let sailor = world.identity("sailor", "pier");
        world.resource("table:bookings", "pier");
        let lines = [allow(&["table/*"]).on(&["table:*"]), deny(denied).on(&["table:*"])];
        world.grant(Principal::Identity(sailor), At::Everywhere, &lines);
        world.finish()
    };
    let (old, new) = (estate(&["queue/*"]), estate(&["table/q?x*"]));
    let (before, after) = (Effects::new(&old), Effects::new(&new));
    let rights = Diff::new(&before, &after).rights().all;
    let there: Vec<&str> = rights.iter().filter(|it| !it.on_new).map(|it| it.action.as_ref()).collect();
    assert!(!there.is_empty() && there.iter().all(|action| action.starts_with("table/q")), "{there:?}");
    assert!(rights.iter().all(|it| (it.was, it.now) == (Verdict::Yes, Verdict::No)), "{rights:?}");
}

#[test]
fn whoever_joins_a_group_gains_what_things_admit_it_to() {
    let estate = |joins: bool| {
        let mut world = World::default();
        world.account("pier");
        let sailor = Principal::Identity(world.identity("sailor", "pier"));
        let members = if joins { vec![sailor] } else { Vec::new() };
        let crew = world.group("crew", &members, None);
        let bookings = world.resource("table:bookings", "pier");
        world.admit(bookings, &[Principal::Group(crew)], &allow(&["table/read"]));
        world.finish()
    };
    let (old, new) = (estate(false), estate(true));
    let (before, after) = (Effects::new(&old), Effects::new(&new));
    let rights = Diff::new(&before, &after).rights().all;
    let told: Vec<(&str, &str)> = rights.iter().map(|it| (it.principal.as_ref(), it.on.as_ref())).collect();
    assert_eq!(told, [("identity:sailor", "table:bookings")]);
}

proptest! {
    #![proptest_config(estates(150, RngSeed::Fixed(7)))]

    #[test]
    fn two_side_by_side_are_what_the_decision_says_of_each(
        (old, new) in pair(),
        first in 0usize..64,
        second in 0usize..64,
        two_estates: bool,
    ) {
        let (old, new) = (cook(&old), cook(&new));
        let new = if two_estates { &new } else { &old };
        let (here, there) = (Effects::new(&old.estate), Effects::new(&new.estate));
        let one = old.principals[first % old.principals.len()];
        let other = new.principals[second % new.principals.len()];
        let held = both((&here, Holder::Somebody(one)), (&there, Holder::Somebody(other)));
        prop_assert!(held.complete);
        let mut told: BTreeSet<(String, String)> = BTreeSet::new();
        for it in held.all.iter().filter(|it| !it.on_new) {
            let (left, right) = (old.estate.thing(&it.on), new.estate.thing(&it.on));
            if let Some(on) = left {
                prop_assert_eq!(it.left, here.may(one, &it.action, on), "{:?}", it);
            }
            if let Some(on) = right {
                prop_assert_eq!(it.right, there.may(other, &it.action, on), "{:?}", it);
            }
            told.insert((it.on.to_string(), it.action.to_string()));
            // Whoever may every action may this one, whichever it is.
            let kind = it.on.split(':').next().unwrap_or_default();
            let service = it.action.split('/').next().unwrap_or_default();
            if let (true, true, Some(on)) = (it.every, kind == service, left) {
                for word in ["read", "zz", "s-an", "write"] {
                    let verdict = here.may(one, &format!("{kind}/{word}"), on);
                    prop_assert_eq!(verdict, it.left, "{}/{} on {:?}", kind, word, it);
                }
            }
        }
        // What is allowed is told of, of whichever it is: of the thing, at least one action with that answer.
        for (side, (effects, who)) in [(&here, one), (&there, other)].into_iter().enumerate() {
            let estate = effects.estate();
            for on in if side == 0 { &old.things } else { &new.things } {
                let label = estate.label(*on);
                let kind = label.split(':').next().unwrap_or_default().to_owned();
                for action in actions() {
                    let service = action.split('/').next().unwrap_or_default();
                    if service != kind && service != "access" {
                        continue;
                    }
                    let verdict = effects.may(who, &action, *on);
                    let like_it = |it: &&Held| {
                        let answer = if side == 0 { it.left } else { it.right };
                        &*it.on == label.as_str() && it.action.starts_with(service) && answer == verdict
                    };
                    let is_told = held.all.iter().any(|it| like_it(&it));
                    prop_assert!(verdict == Verdict::No || is_told, "{action} on {label}: {verdict:?}");
                }
            }
        }
        // Turned around it says the same, turned around.
        let turned = both((&there, Holder::Somebody(other)), (&here, Holder::Somebody(one)));
        let sides = |all: &[Held], turn: bool| -> BTreeSet<String> {
            let of = |it: &Held| if turn { (it.right, it.left) } else { (it.left, it.right) };
            all.iter().map(|it| format!("{} {} {:?}", it.on, it.action, of(it))).collect()
        };
        prop_assert_eq!(sides(&held.all, false), sides(&turned.all, true));
    }
}

#[test]
fn a_set_is_what_it_says_and_no_more() {
    let mut world = World::default();
    world.account("pier");
    world.resource("table:tides", "pier");
    world.resource("table:moons", "pier");
    let wide = world.set("wide", &[allow(&["table/*"]), deny(&["table/write"]).on(&["table:tides"])], &[]);
    let small = world.set("small", &[allow(&["table/read"]).on(&["table:tides"])], &[]);
    let both_in = world.set("both", &[], &["wide", "small"]);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let answers = |one, other| {
        let held = both((&effects, Holder::Set(one)), (&effects, Holder::Set(other)));
        let of = |it: &Held| (it.on.to_string(), it.action.to_string(), it.left, it.right);
        held.all.iter().map(of).collect::<BTreeSet<_>>()
    };
    let found = answers(wide, small);
    let at = |on: &str, action: &str| {
        let it = found.iter().find(|(of, did, ..)| of == on && did == action);
        it.map(|(.., left, right)| (*left, *right))
    };
    assert_eq!(at("table:tides", "table/read"), Some((Verdict::Yes, Verdict::Yes)));
    assert_eq!(at("table:moons", "table/read"), Some((Verdict::Yes, Verdict::No)));
    assert_eq!(at("table:tides", "table/write"), None);
    assert_eq!(at("table:moons", "table/write"), Some((Verdict::Yes, Verdict::No)));
    assert!(answers(wide, both_in).iter().all(|(.., left, right)| left == right));
}
