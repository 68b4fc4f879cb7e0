//! The decision against a second evaluator, written from access-model §4 clause by clause, that
//! shares nothing with the first but the words of the model: its own matching, its own membership,
//! its own walk up the scopes, plain loops over everything.
//!
//! Of each random estate every principal is asked about every action on every thing. `ESTATES` asks for more
//! random estates than the usual number.

use crate::support::naive::{Given, Naive, Tri};
use crate::support::recipe::{ACTIONS, Cooked, PLACES, PRINCIPALS, Recipe, cook, recipe};
use crate::support::{World, allow, estates, time};
use pasaporte_core::access::{Access, Context, Known, Question, Verdict};
use pasaporte_core::estate::{At, Attribute, Principal, Thing};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// What every question fixes.
fn given() -> Context {
    Context::at(Some(time("2026-11-20")))
        .with(Attribute::SecondFactor, Known::Text("true".to_owned()))
        .with(Attribute::SecureTransport, Known::Text("false".to_owned()))
}

fn verdict(access: &Access<'_>, principal: Principal, action: &str, on: Thing) -> Verdict {
    let (action, given) = (access.action(action), given());
    access.verdict(&Question { principal, action: &action, on, given: &given })
}

fn as_number(verdict: Verdict) -> Tri {
    match verdict {
        Verdict::No => 0,
        Verdict::Depends => 1,
        Verdict::Yes => 2,
    }
}

/// The answers to all questions about an estate.
fn answers(recipe: &Recipe) -> Vec<Tri> {
    let Cooked { estate, principals, things, .. } = cook(recipe);
    let access = Access::new(&estate);
    let mut all = Vec::new();
    for &principal in &principals {
        for action in ACTIONS {
            all.extend(things[..13].iter().map(|&on| as_number(verdict(&access, principal, action, on))));
        }
    }
    all
}

proptest! {
    #![proptest_config(estates(400, RngSeed::Random))]

    // 400 estates × 13 principals that are no groups × 10 actions × 9 things: 468,000 questions.
    #[test]
    fn both_evaluators_answer_alike(recipe in recipe()) {
        let cooked = cook(&recipe);
        let Cooked { estate, principals, things, .. } = &cooked;
        let access = Access::new(estate);
        let naive = Naive::new(&cooked, &recipe);
        let fixed = Given { second_factor: Some(true), secure: Some(false), ..Given::default() };
        for &principal in principals {
            for action in ACTIONS {
                for &on in &things[..13] {
                    // Groups of no scope are of no account; the model says nothing of ceilings on their members.
                    if matches!(principal, Principal::Group(_)) {
                        continue;
                    }
                    let (prepared, given) = (access.action(action), given());
                    let question = Question { principal, action: &prepared, on, given: &given };
                    let answer = access.decide(&question);
                    prop_assert_eq!(
                        as_number(answer.verdict),
                        naive.decide(principal, action, on, &fixed),
                        "{} {} {}: {:?}",
                        estate.principal_label(principal), action, estate.label(on), answer
                    );
                    prop_assert_eq!(access.verdict(&question), answer.verdict);
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(estates(250, RngSeed::Random))]

    #[test]
    fn an_allow_never_takes_and_a_deny_never_gives(recipe in recipe(), who in 0..PRINCIPALS, place in 0..PLACES) {
        let before = answers(&recipe);
        let mut more = recipe.clone();
        more.grants.push((who, None, vec![(false, 0, None, 0, None, 0)], place, false));
        prop_assert!(answers(&more).iter().zip(&before).all(|(after, before)| after >= before));
        let mut less = recipe;
        less.grants.push((who, None, vec![(true, 0, None, 0, None, 0)], place, false));
        prop_assert!(answers(&less).iter().zip(&before).all(|(after, before)| after <= before));
    }

    #[test]
    fn order_never_matters(recipe in recipe()) {
        let before = answers(&recipe);
        let mut turned = recipe;
        turned.grants.reverse();
        turned.admissions.reverse();
        turned.ceilings.reverse();
        turned.members.reverse();
        prop_assert_eq!(answers(&turned), before);
    }

    /// How statements are shared out among grants is a matter of taste.
    #[test]
    fn a_grant_of_many_statements_is_as_many_grants(recipe in recipe()) {
        let before = answers(&recipe);
        let mut apart = recipe.clone();
        apart.grants.clear();
        for (who, set, lines, place, ended) in recipe.grants {
            apart.grants.push((who, set, Vec::new(), place, ended));
            apart.grants.extend(lines.into_iter().map(|line| (who, None, vec![line], place, ended)));
        }
        prop_assert_eq!(answers(&apart), before);
    }

    /// Whatever becomes known of a call, a plain answer stays, and what is settled by some of it stays settled by more.
    #[test]
    fn facts_settle_what_was_open_and_nothing_else(
        recipe in recipe(), second_factor: bool, secure: bool, audience in "web|app"
    ) {
        let Cooked { estate, principals, things, .. } = cook(&recipe);
        let access = Access::new(&estate);
        let known = |fact: bool| Known::Text(fact.to_string());
        let little = Context::at(Some(time("2026-11-20")));
        let more = little.clone().with(Attribute::SecondFactor, known(second_factor));
        let all = more.clone()
            .with(Attribute::SecureTransport, known(secure))
            .with(Attribute::TokenAudience, Known::Text(audience));
        for &principal in &principals {
            for (action, &on) in ACTIONS.iter().flat_map(|action| things[..13].iter().map(move |on| (action, on))) {
                let action = access.action(action);
                let [little, more, all] = [&little, &more, &all]
                    .map(|given| access.verdict(&Question { principal, action: &action, on, given }));
                prop_assert!(little == Verdict::Depends || (little == more && more == all));
                prop_assert!(more == Verdict::Depends || more == all);
            }
        }
    }

    /// Turned around: whoever is given invoking by name, and only they, are those of whom the decision says so.
    #[test]
    fn who_may_is_everybody_of_whom_the_decision_says_so(recipe in recipe()) {
        let Cooked { estate, principals, things, .. } = cook(&recipe);
        let access = Access::new(&estate);
        let (invoke, on) = (access.invoke(), things[2]);
        let found = access.who_may(access.invokers(), invoke, on, &given());
        let may = |principal| access.verdict(&Question { principal, action: invoke, on, given: &given() });
        for &principal in &principals {
            let of_group = |group| access.everybody_in(group).into_iter().map(may).max();
            let expected = match principal {
                Principal::Group(group) => of_group(group).unwrap_or(Verdict::No),
                _ => may(principal),
            };
            let told = found.iter().find(|(who, _)| *who == principal).map(|(_, verdict)| *verdict);
            if let Some(verdict) = told {
                prop_assert_eq!(verdict, expected, "{}", estate.principal_label(principal));
                continue;
            }
            // Who is not told bears the name of somebody who is, or may not. A group that is given nothing may
            // through its members, each of whom is told.
            let names = access.names(principal);
            let by_another_name = found.iter().any(|(who, _)| names.contains(who));
            let is_group = matches!(principal, Principal::Group(_));
            prop_assert!(
                is_group || expected == Verdict::No || by_another_name,
                "{} may, and is not told", estate.principal_label(principal)
            );
        }
    }
}

#[test]
fn a_group_of_one_equals_its_member() {
    let estate = |through_group: bool| {
        let mut world = World::default();
        world.account("tickets");
        let role = Principal::Identity(world.identity("role", "tickets"));
        let table = world.resource("table:a", "tickets");
        let group = Principal::Group(world.group("only", &[role], None));
        world.grant(if through_group { group } else { role }, At::Everywhere, &[allow(&["table/*"])]);
        (world.finish(), role, table)
    };
    for action in ACTIONS {
        let verdicts = [false, true].map(|through_group| {
            let (estate, role, table) = estate(through_group);
            verdict(&Access::new(&estate), role, action, table)
        });
        assert_eq!(verdicts[0], verdicts[1]);
    }
}
