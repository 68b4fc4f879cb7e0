//! Whom somebody can become, held by the second evaluator: by acting as others, step after step, and by changing code or who
//! may what.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::estates;
use crate::support::naive::{Given, Naive, Tri};
use crate::support::recipe::{ACTIONS, Cooked, cook, recipe};
use pasaporte_core::access::{Context, Question, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

fn tri(verdict: Verdict) -> Tri {
    match verdict {
        Verdict::No => 0,
        Verdict::Depends => 1,
        Verdict::Yes => 2,
    }
}

/// Those as whom anybody may act, each with the action.
fn somebodies(cooked: &Cooked) -> Vec<(Principal, &'static str, Thing)> {
    let of = |thing: &Thing| match *thing {
        Thing::Identity(id) => Some((Principal::Identity(id), "identity/assume", *thing)),
        Thing::User(id) => Some((Principal::User(id), "user/assume", *thing)),
        Thing::Group(id) => Some((Principal::Group(id), "group/assume", *thing)),
        _ => None,
    };
    cooked.things.iter().filter_map(of).collect()
}

/// Whom somebody comes to act as, by asking about everybody again and again: how surely, and in how many steps.
fn by_asking(cooked: &Cooked, naive: &Naive<'_>, who: Principal) -> BTreeMap<Principal, (Tri, usize)> {
    let all = somebodies(cooked);
    let mut found: BTreeMap<Principal, (Tri, usize)> = BTreeMap::new();
    // Sure steps only, then any: what is surely come to is told so, however far.
    for least in [2, 1] {
        let mut before: Vec<Principal> = vec![who];
        let mut seen: BTreeSet<Principal> = BTreeSet::from([who]);
        for steps in 1.. {
            let mut next = Vec::new();
            for from in before {
                for &(to, action, on) in &all {
                    let may = naive.decide(from, action, on, &Given::default());
                    if may >= least && seen.insert(to) {
                        next.push(to);
                        found.entry(to).or_insert((least, steps));
                    }
                }
            }
            if next.is_empty() {
                break;
            }
            before = next;
        }
    }
    found
}

/// Actions of a class that recipes name, or that wildcards of theirs take.
fn actions_of(kind: &str) -> Vec<String> {
    let mut all: BTreeSet<String> =
        ACTIONS.iter().filter(|it| it.starts_with(kind)).map(|it| (*it).to_owned()).collect();
    let words = ["write", "delete", "manage", "update", "create", "strange", "zz", "zzzz", "re", "x"];
    all.extend(words.map(|word| format!("{kind}{word}")));
    all.into_iter().collect()
}

proptest! {
    #![proptest_config(estates(300, RngSeed::Fixed(0xbec0)))]

    #[test]
    fn whom_one_comes_to_act_as_is_what_asking_again_and_again_comes_to(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (effects, naive) = (Effects::new(&cooked.estate), Naive::new(&cooked, &recipe));
        for &who in &cooked.principals {
            let told = effects.becoming(who, &Context::default());
            let found: BTreeMap<Principal, (Tri, usize)> =
                told.iter().map(|it| (it.to, (tri(it.verdict), it.steps))).collect();
            prop_assert_eq!(found.len(), told.len(), "each once");
            let asked = by_asking(&cooked, &naive, who);
            let name = |all: &BTreeMap<Principal, (Tri, usize)>| -> BTreeMap<String, (Tri, usize)> {
                all.iter().map(|(who, how)| (cooked.estate.principal_label(*who), *how)).collect()
            };
            prop_assert_eq!(name(&found), name(&asked), "{}", cooked.estate.principal_label(who));
            // Sure before perhaps, near before far.
            let order: Vec<(bool, usize)> = told.iter().map(|it| (it.verdict != Verdict::Yes, it.steps)).collect();
            prop_assert!(order.is_sorted(), "{order:?}");
        }
    }

    #[test]
    fn the_steps_before_lead_there(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        for &who in &cooked.principals {
            let told = effects.becoming(who, &Context::default());
            for it in &told {
                let mut way = vec![who];
                way.extend(it.steps_before(who, &told));
                way.push(it.to);
                prop_assert_eq!(way.len(), it.steps + 1);
                let given = Context::default();
                let steps = way.windows(2).map(|step| {
                    let (action, on) = (effects.assuming(step[1]).unwrap(), step[1].thing().unwrap());
                    effects.verdict(&Question { principal: step[0], action, on, given: &given })
                });
                prop_assert_eq!(steps.min(), Some(it.verdict), "{:?}", it);
            }
        }
    }

    #[test]
    fn whom_one_becomes_by_changing_something_is_whoever_that_is(recipe in recipe()) {
        let cooked = cook(&recipe);
        let (effects, naive) = (Effects::new(&cooked.estate), Naive::new(&cooked, &recipe));
        let estate = &cooked.estate;
        // Strangers are asked about from outside.
        let is_known = |who: &&Principal| {
            matches!(who, Principal::Identity(_) | Principal::User(_) | Principal::Group(_) | Principal::Key(_))
        };
        for &who in cooked.principals.iter().filter(is_known) {
            // The best of all that changes a thing, of everything that is somebody or runs as somebody.
            let mut best: BTreeMap<String, Tri> = BTreeMap::new();
            for &on in &cooked.things {
                let (to, kind, wanted) = match on {
                    Thing::Function(id) => {
                        let runs_as = estate.get(id).and_then(|it| estate.runs_as(it));
                        (runs_as.map(Principal::Identity), "function/", Some(ActionClass::Code))
                    }
                    Thing::Identity(id) => (Some(Principal::Identity(id)), "identity/", None),
                    Thing::User(id) => (Some(Principal::User(id)), "user/", None),
                    Thing::Group(id) => (Some(Principal::Group(id)), "group/", None),
                    _ => continue,
                };
                let Some(to) = to.filter(|to| *to != who) else { continue };
                let class = |action: &str| effects.catalogue().class(action, effects.dialect(on));
                let access = actions_of("access/").into_iter().filter(|it| class(it) == Some(ActionClass::Access));
                let code = actions_of(kind).into_iter().filter(|it| wanted.is_some() && class(it) == wanted);
                for action in access.chain(code) {
                    let may = naive.decide(who, &action, on, &Given::default());
                    let known = best.entry(estate.principal_label(to)).or_default();
                    *known = may.max(*known);
                }
            }
            best.retain(|_, may| *may > 0);
            let told = effects.overtaking(who, |_| true);
            let told: BTreeMap<String, Tri> =
                told.iter().map(|it| (estate.principal_label(it.to), tri(it.verdict))).collect();
            prop_assert_eq!(told, best, "{}", estate.principal_label(who));
        }
    }
}
