//! What was seen, asked of an estate as it would be: laws over random pairs of estates, held by the second evaluator. What a
//! rehearsal calls refused was allowed and is not any more, and nothing else is.
//!
//! `ESTATES` asks for more random estates than the usual number.

use std::collections::BTreeSet;

use crate::support::naive::{Given, Naive, Tri};
use crate::support::recipe::{ACTIONS, Cooked, Recipe, cook, cook_with, recipe};
use crate::support::{estates, time};
use pasaporte_audit::rehearse::{Seen, Stopped, rehearse};
use pasaporte_audit::{Audit, Settings};
use pasaporte_core::access::INVOKE;
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// A use: who, which action, on which thing, whether it was refused, how often. By the numbers of the recipe.
type Used = (usize, usize, Option<usize>, bool, u64);

/// Five identities, a user, an outsider, a service.
const WHO: [usize; 8] = [8, 9, 10, 11, 12, 15, 14, 13];
const THINGS: usize = 8;

fn uses() -> impl Strategy<Value = Vec<Used>> {
    let thing = prop::option::weighted(0.9, 0..THINGS);
    prop::collection::vec(
        (0..WHO.len(), 0..ACTIONS.len(), thing, prop::bool::weighted(0.15), 1..500u64),
        1..12,
    )
}

/// An estate and one that differs from it in some of what is given, taken and bounded.
fn pair() -> impl Strategy<Value = (Recipe, Recipe)> {
    (recipe(), recipe(), any::<[bool; 5]>()).prop_map(|(old, other, changes)| {
        let mut new = old.clone();
        let [grants, admissions, ceilings, members, sides] = changes;
        if grants {
            new.grants = other.grants;
        }
        if admissions {
            new.admissions = other.admissions;
        }
        if ceilings {
            new.ceilings = other.ceilings;
        }
        if members {
            (new.members, new.rules) = (other.members, other.rules);
        }
        if sides {
            (new.one_side, new.sets) = (other.one_side, other.sets);
        }
        (old, new)
    })
}

fn with(recipe: &Recipe, uses: &[Used]) -> Cooked {
    cook_with(recipe, |world, principals, things| {
        let origin = world.origin();
        for (who, action, on, refused, count) in uses {
            let did = world.builder.name(ACTIONS[*action]);
            world.builder.used(Use {
                who: principals[WHO[*who]],
                did,
                to: on.map(|on| things[on]),
                outcome: if *refused { Outcome::Refused } else { Outcome::Allowed },
                through: None,
                tally: Tally { last: Some(time("2026-11-19")), ..Tally::of(*count) },
                origin,
            });
        }
    })
}

/// What the second evaluator says of a row of an estate, there or in another in which all has the same names: nothing of what
/// was not done, or does not say to what.
fn asked(of: &Cooked, it: &Use, cooked: &Cooked, recipe: &Recipe) -> Option<Tri> {
    let (Outcome::Allowed, Some(on)) = (it.outcome, it.to) else { return None };
    let who = of.estate.same_in(&cooked.estate, it.who).unwrap();
    let on = cooked.estate.thing(&of.estate.label(on)).unwrap();
    let given = match who {
        Principal::Service(_) => Given { network: Some("foreign"), ..Given::stranger() },
        _ => Given::default(),
    };
    Some(Naive::new(cooked, recipe).decide(who, of.estate.text(it.did), on, &given))
}

fn places(stopped: &[Stopped]) -> BTreeSet<usize> {
    let place = |it: &Stopped| match it.what {
        Seen::Use(at) => at,
        Seen::Call(_) => panic!("no calls were seen"),
    };
    stopped.iter().map(place).collect()
}

proptest! {
    #![proptest_config(estates(1500, RngSeed::Fixed(0x4ea5)))]

    #[test]
    fn what_was_allowed_and_is_not_any_more_breaks((old, new) in pair(), uses in uses()) {
        let (before, after) = (with(&old, &uses), cook(&new));
        let audits = [&before, &after].map(|it| Audit::new(&it.estate, Settings::default()));
        let told = rehearse(&audits[0], &audits[1]);
        let (mut broken, mut perhaps) = (BTreeSet::new(), BTreeSet::new());
        let (mut rows, mut unsaid, mut unexplained, mut times) = (0, 0, 0, 0);
        // Whoever makes a function run may do so by other ways than being given it.
        let runs = |it: &Use| {
            matches!(it.to, Some(Thing::Function(_))) && before.estate.text(it.did) == INVOKE
        };
        let mut running = 0;
        for (at, it) in before.estate.uses().iter().enumerate() {
            let Some(was) = asked(&before, it, &before, &old) else {
                unsaid += 1;
                continue;
            };
            if runs(it) {
                running += 1;
                continue;
            }
            let now = asked(&before, it, &after, &new).unwrap();
            rows += 1;
            times += it.tally.count;
            match (was, now) {
                (0, _) => unexplained += 1,
                (_, 0) => {
                    broken.insert(at);
                }
                (was, now) if now < was => {
                    perhaps.insert(at);
                }
                _ => {}
            }
        }
        let is_run = |at: &usize| runs(&before.estate.uses()[*at]);
        let others = |all: BTreeSet<usize>| all.into_iter().filter(|at| !is_run(at)).collect::<BTreeSet<_>>();
        prop_assert_eq!(&others(places(&told.broken)), &broken);
        prop_assert_eq!(&others(places(&told.perhaps)), &perhaps);
        prop_assert_eq!((told.rows, told.unsaid), (rows + running, unsaid));
        if running == 0 {
            prop_assert_eq!((told.unexplained, told.times), (unexplained, times));
            prop_assert_eq!(told.broken.len() + told.perhaps.len(), broken.len() + perhaps.len());
        }
    }

    /// An estate that nothing was changed in stops nothing, and one in which nothing is denied, bounded or taken away neither.
    #[test]
    fn more_being_given_breaks_nothing(old in recipe(), other in recipe(), uses in uses()) {
        let before = with(&old, &uses);
        let mut more = old.clone();
        let allows = |sentences: &[_]| sentences.iter().all(|(denies, ..): &(bool, _, _, _, _, _)| !denies);
        more.grants.extend(other.grants.into_iter().filter(|it| it.1.is_none() && allows(&it.2)));
        more.admissions.extend(other.admissions.into_iter().filter(|(.., sentence)| allows(&[*sentence])));
        for now in [&old, &more] {
            let after = cook(now);
            let audits = [&before, &after].map(|it| Audit::new(&it.estate, Settings::default()));
            let told = rehearse(&audits[0], &audits[1]);
            prop_assert!(told.broken.is_empty() && told.perhaps.is_empty(), "{:?}", told);
        }
    }
}
