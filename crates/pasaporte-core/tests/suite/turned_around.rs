//! Who may do something to a thing, found from the thing: the same as by going through everything that is given to anybody.

use std::collections::BTreeSet;

use crate::support::recipe::{ACTIONS, Cooked, cook, recipe};
use crate::support::{World, allow, estates};
use pasaporte_core::access::{Action, Context, Question, Verdict};
use pasaporte_core::effect::{Act, Effects};
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;

/// The names that some statement about a thing is given to, where it has an action that is wanted; and of groups among them
/// whoever is in them and is no user or identity.
fn named(effects: &Effects<'_>, on: Thing, has: impl Fn(ActionsId) -> bool) -> BTreeSet<Principal> {
    let estate = effects.estate();
    let mut all = BTreeSet::new();
    for (_, grant) in estate.grants().filter(|(_, grant)| !effects.has_expired(grant)) {
        for statement in effects.statements_of(grant).map(|it| estate.statement(it.statement)) {
            let here = estate.lies_at(on, grant.at) && effects.takes(statement.resources, on);
            if here && statement.effect == Effect::Allow && has(statement.actions) {
                all.insert(grant.principal);
            }
        }
    }
    for admission in effects.admissions_on(on).iter().map(|id| estate.admission(*id)) {
        let statement = estate.statement(admission.statement);
        if statement.effect == Effect::Allow && has(statement.actions) {
            all.extend(estate.list(admission.to));
        }
    }
    let groups: Vec<GroupId> = all
        .iter()
        .filter_map(|who| match who {
            Principal::Group(group) => Some(*group),
            _ => None,
        })
        .collect();
    let is_member_only = |who: &Principal| matches!(who, Principal::User(_) | Principal::Identity(_));
    for group in groups {
        all.extend(effects.everybody_in(group).into_iter().filter(|who| !is_member_only(who)));
    }
    all
}

/// Those who are asked where a name is asked about: of a group that is there its members.
fn asked(effects: &Effects<'_>, who: Principal) -> Vec<Principal> {
    match who {
        Principal::Group(group) if effects.estate().get(group).is_some() => effects.everybody_in(group),
        _ => vec![who],
    }
}

fn verdict(effects: &Effects<'_>, who: Principal, action: &Action, on: Thing) -> Verdict {
    let given = Context::at(effects.estate().as_of());
    let one = |principal| effects.verdict(&Question { principal, action, on, given: &given });
    asked(effects, who).into_iter().map(one).max().unwrap_or(Verdict::No)
}

proptest! {
    #![proptest_config(estates(400, RngSeed::Fixed(11)))]

    #[test]
    fn who_may_is_everybody_who_is_named_and_may(recipe in recipe()) {
        let Cooked { estate, things, .. } = &cook(&recipe);
        let effects = Effects::new(estate);
        let given = Context::at(estate.as_of());
        for (action, &on) in ACTIONS.iter().flat_map(|action| things.iter().map(move |on| (action, on))) {
            let action = effects.action(action);
            let found = effects.who_may(&effects.holders(&action), &action, on, &given);
            let by_hand: Vec<(Principal, Verdict)> = named(&effects, on, |it| action.may_be_picked_by(it))
                .into_iter()
                .map(|who| (who, verdict(&effects, who, &action, on)))
                .filter(|(_, verdict)| *verdict != Verdict::No)
                .collect();
            prop_assert_eq!(found, by_hand, "{} on {}", action.text(), estate.label(on));
        }
    }

    #[test]
    fn feeders_are_all_who_are_given_writing_and_may(recipe in recipe()) {
        let Cooked { estate, .. } = &cook(&recipe);
        let effects = Effects::new(estate);
        for (trigger, _) in estate.all::<TriggerId>() {
            let found: Vec<(Principal, Verdict)> =
                effects.feeders(trigger).into_iter().map(|feeder| (feeder.who, feeder.verdict)).collect();
            let Some(source) = effects.live_source(trigger) else {
                prop_assert_eq!(found, []);
                continue;
            };
            let anybody = named(&effects, source, |_| true);
            let acts: Vec<Act> = anybody
                .iter()
                .flat_map(|who| asked(&effects, *who))
                .flat_map(|who| effects.acts_on(who, source, |class| class == Some(ActionClass::Write)))
                .collect();
            let writes = |actions| acts.iter().any(|act| act.action.may_be_picked_by(actions));
            let best = |who| acts.iter().map(|act| verdict(&effects, who, &act.action, source)).max();
            let by_hand: Vec<(Principal, Verdict)> = named(&effects, source, writes)
                .into_iter()
                .map(|who| (who, best(who).unwrap_or(Verdict::No)))
                .filter(|(_, verdict)| *verdict != Verdict::No)
                .collect();
            prop_assert_eq!(found, by_hand, "{}", estate.label(source));
        }
    }
}

/// How somebody of another account comes to write to a queue that asks for both sides.
#[derive(Clone, Copy)]
enum OtherSide {
    Nothing,
    OnTheQueue,
    ToEverybody,
}

/// What one may who is in a group counts for the group, of whichever account they are.
#[rstest]
#[case::the_queue_says_nothing(OtherSide::Nothing, &[])]
#[case::the_queue_lets_them(OtherSide::OnTheQueue, &["group:couriers", "identity:worker"])]
#[case::everybody_may(OtherSide::ToEverybody, &["group:couriers", "signed-in"])]
fn a_group_feeds_by_those_of_it_who_may(#[case] side: OtherSide, #[case] expected: &[&str]) {
    let mut world = World::default();
    world.account("gates");
    world.account("boarding");
    let function = world.function("scan", "boarding", None);
    let queue = world.resource("queue:passes", "boarding");
    let worker = Principal::Identity(world.identity("worker", "gates"));
    let couriers = Principal::Group(world.group("couriers", &[worker], None));
    world.grant(couriers, At::Everywhere, &[allow(&["queue/*"]).on(&["queue:*"])]);
    match side {
        OtherSide::Nothing => {}
        OtherSide::OnTheQueue => world.admit(queue, &[worker], &allow(&["queue/send"])),
        OtherSide::ToEverybody => {
            world.grant(Principal::SignedIn, At::Everywhere, &[allow(&["queue/send"]).on(&["queue:*"])]);
        }
    }
    let trigger = world.trigger("on-pass", function, queue);
    let estate = world.finish();
    let feeders = Effects::new(&estate).feeders(trigger);
    let mut found: Vec<String> = feeders.iter().map(|feeder| estate.principal_label(feeder.who)).collect();
    found.sort_unstable();
    assert_eq!(found, expected);
}
