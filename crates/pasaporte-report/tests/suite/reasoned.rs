//! What gives reasons holds together: the statements that `explain` shows make its answer, and the steps of a path make the
//! path, over random estates.

use std::collections::BTreeMap;

use crate::support::estates;
use crate::support::recipe::{ACTIONS, PRINCIPALS, cook, recipe};
use pasaporte_core::access::{Context, Needs, Question, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::*;
use pasaporte_core::paths::{Goal, Node};
use pasaporte_report::paths::{Asked, From, PathOut, PathsOut, StepOut, To};
use pasaporte_report::{Explained, GroundOut};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;

/// How surely some of the statements hold.
fn surest<'g>(grounds: &'g [GroundOut], is_meant: impl Fn(&&'g GroundOut) -> bool) -> Verdict {
    grounds.iter().filter(is_meant).map(|it| it.holds.0).max().unwrap_or(Verdict::No)
}

/// An explanation of an answer, held to the statements that it shows.
fn holds_together(it: &Explained) -> Result<(), TestCaseError> {
    let told = format!("{it:?}");
    let verdict = it.verdict.0;
    let depends = it.depends_on.as_ref().is_some_and(|text| !text.is_empty());
    prop_assert_eq!(depends, verdict == Verdict::Depends, "{}", told);
    prop_assert!(verdict != Verdict::Yes || it.near_misses.is_empty(), "{told}");
    let is_shown = |it: &GroundOut| !it.statement.is_empty() && it.read_from.line > 0;
    prop_assert!(it.grounds.iter().all(is_shown), "{told}");
    // What does not surely hold says what is missing.
    prop_assert!(it.grounds.iter().all(|it| it.unmet.is_none() == (it.holds.0 == Verdict::Yes)), "{told}");
    // A statement of one side is held by somebody, or names somebody.
    for ground in &it.grounds {
        let of = (ground.held.is_some(), ground.names.is_some(), ground.ceiling.is_some());
        let side = match of {
            (true, false, false) => "caller",
            (false, true, false) => "resource",
            (false, false, true) => "ceiling",
            _ => "of several",
        };
        prop_assert_eq!(ground.side, side, "{:?}", ground);
    }
    let by_ways = it.ways_in.iter().map(|way| way.verdict.0).max().unwrap_or(Verdict::No);
    let denied = surest(&it.grounds, |it| it.effect.0 == Effect::Deny);
    let allows = |side: &str| surest(&it.grounds, |it| it.effect.0 == Effect::Allow && it.side == side);
    let (caller, resource) = (allows("caller"), allows("resource"));
    if by_ways < verdict {
        // The statements decide, and none that takes away surely holds.
        prop_assert!(denied != Verdict::Yes, "{told}");
        prop_assert!(caller.max(resource) >= verdict, "{told}");
        prop_assert!(verdict != Verdict::Yes || denied == Verdict::No, "{told}");
    }
    let is_bounded = it.grounds.iter().any(|it| it.side == "ceiling")
        || it.near_misses.iter().any(|miss| miss.what.contains("does not let it through"));
    if verdict == Verdict::No && denied == Verdict::No && !is_bounded {
        let enough = match it.needs.0 {
            Needs::EitherSide => caller.max(resource),
            Needs::BothSides => caller.min(resource),
            Needs::ResourcesSide => resource,
            Needs::Unknown => Verdict::No,
        };
        prop_assert_eq!(enough, Verdict::No, "{}", told);
    }
    Ok(())
}

/// A path, held to its steps.
fn leads(path: &PathOut) -> Result<(), TestCaseError> {
    let told = format!("{path:?}");
    let (first, last) = (path.steps.first(), path.steps.last());
    prop_assert_eq!(first.map(|step| &step.from), Some(&path.start), "{}", told);
    prop_assert_eq!(last.map(|step| &step.to), Some(&path.end), "{}", told);
    for pair in path.steps.windows(2) {
        prop_assert_eq!(&pair[0].to, &pair[1].from, "{}", told);
    }
    let weak = |step: &StepOut| step.strength == "influence";
    let open = |step: &StepOut| step.verdict != "yes";
    prop_assert_eq!(path.strength == "influence", path.steps.iter().any(weak), "{}", told);
    prop_assert_eq!(path.sureness == "conditional", path.steps.iter().any(open), "{}", told);
    for step in &path.steps {
        prop_assert_eq!(step.depends_on.is_some(), open(step), "{}", told);
        prop_assert!(!step.told.is_empty(), "{told}");
    }
    match path.weakest {
        None => prop_assert!(!path.steps.iter().any(|step| weak(step) || open(step)), "{told}"),
        Some(at) => {
            let step = at.checked_sub(1).and_then(|at| path.steps.get(at));
            prop_assert!(step.is_some_and(|step| weak(step) || open(step)), "{told}");
            // Influence is weaker than a condition.
            let all_open = !path.steps.iter().any(weak);
            prop_assert!(all_open || step.is_some_and(weak), "{told}");
        }
    }
    Ok(())
}

proptest! {
    #![proptest_config(estates(500, RngSeed::Fixed(0x0ea5)))]

    /// The statements that are shown make the answer, whatever is asked.
    #[test]
    fn an_explanation_holds_together(recipe in recipe(), who in 0..PRINCIPALS, action in 0..ACTIONS.len()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let (who, now) = (cooked.principals[who], Context::at(cooked.estate.as_of()));
        let action = effects.action(ACTIONS[action]);
        for &on in &cooked.things {
            let question = Question { principal: who, action: &action, on, given: &now };
            holds_together(&Explained::new(&effects, &question, BTreeMap::new()))?;
        }
    }

    /// A path goes from where it begins to where it ends, is as strong and as sure as its weakest step, and better ones come first.
    #[test]
    fn a_path_is_its_steps(recipe in recipe(), who in 0..PRINCIPALS) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let from = vec![From::Node(Node::Who(cooked.principals[who]))];
        let to = Goal::ALL.iter().map(|(_, goal)| To::Goal(*goal)).collect();
        let found = PathsOut::new(&effects, &Asked { from, to });
        prop_assert!(found.complete);
        for route in &found.routes {
            prop_assert!(route.reached >= route.paths.len() && !route.paths.is_empty(), "{route:?}");
            for path in &route.paths {
                leads(path)?;
            }
            let quality = |path: &PathOut| (path.strength == "influence", path.sureness == "conditional");
            prop_assert!(route.paths.is_sorted_by_key(quality), "{route:?}");
            let told = found.nowhere.iter().filter(|it| it.from == route.from);
            prop_assert!(told.flat_map(|it| &it.to).all(|to| *to != route.to), "{route:?}: {:?}", found.nowhere);
        }
    }
}
