//! The worst that somebody may do, in words: what comes first by name, and how many more there are like it.

use crate::support::{World, allow, ask, deny, estates};
use pasaporte_core::access::{Access, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::*;
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;

/// Tables, by number.
const TABLES: usize = 30;

const PATTERNS: [&str; 8] =
    ["table:*", "table:t0*", "table:t1*", "table:t2*", "table:t?3", "table:t?7", "table:t05", "table:t29"];

const ACTIONS: [&str; 2] = ["table/read", "table/write"];

/// One road: whether it denies, which action, on what, whether it depends, whether a group of the role holds it.
type Given = (bool, usize, usize, bool, bool);

fn given() -> impl Strategy<Value = Given> {
    let depends = prop::bool::weighted(0.3);
    (prop::bool::weighted(0.2), 0..ACTIONS.len(), 0..PATTERNS.len(), depends, any::<bool>())
}

fn name(number: usize) -> String {
    format!("table:t{number:02}")
}

/// An estate in which a role is given to read and write tables, of which some are confidential.
fn written(confidential: &[bool], all: &[Given]) -> (Estate, Principal) {
    let mut world = World::default();
    let account = At::Thing(Thing::Scope(world.account("tickets")));
    for (number, confidential) in confidential.iter().enumerate() {
        let how = if *confidential { Sensitivity::Confidential } else { Sensitivity::Internal };
        world.resource_with(&name(number), "tickets", |it| it.sensitivity = Some(how));
    }
    let role = Principal::Identity(world.identity("role", "tickets"));
    let group = Principal::Group(world.group("readers", &[role], None));
    for &(denies, action, pattern, depends, by_group) in all {
        let action = &[ACTIONS[action]];
        let line = if denies { deny(action) } else { allow(action) };
        let line = line.on(&[PATTERNS[pattern]]);
        let line =
            if depends { line.when(Condition::Opaque(world.builder.name("at full moon"))) } else { line };
        world.grant(if by_group { group } else { role }, account, &[line]);
    }
    (world.finish(), role)
}

/// What is to be told by asking of every table: the first by name, and how many more there are.
fn expected(estate: &Estate, role: Principal, confidential: &[bool]) -> Option<(String, Verdict, String)> {
    let access = Access::new(estate);
    let best = |number: &usize| {
        let table = estate.thing(&name(*number)).unwrap();
        ACTIONS.iter().map(|action| ask(&access, role, action, table).verdict).max().unwrap()
    };
    let of = |verdict: Verdict, secret: bool| -> Vec<usize> {
        (0..TABLES).filter(|it| confidential[*it] == secret && best(it) == verdict).collect()
    };
    let secret = [Verdict::Yes, Verdict::Depends].iter().any(|verdict| !of(*verdict, true).is_empty());
    let (sure, unsure) = (of(Verdict::Yes, secret), of(Verdict::Depends, secret));
    let first = *sure.first().or(unsure.first())?;
    let counted =
        |number: usize| if number >= 9 { "at least 9 more".to_owned() } else { format!("{number} more") };
    let more = match (sure.len(), unsure.len()) {
        (1, 0) | (0, 1) => String::new(),
        (0, unsure) => format!(", and perhaps touch {}", counted(unsure - 1)),
        (1, _) => ", and perhaps touch others".to_owned(),
        (sure, unsure) if sure >= 10 || unsure == 0 => format!(" and touch {}", counted(sure - 1)),
        (sure, _) => format!(" and touch {}, and perhaps others", counted(sure - 1)),
    };
    let word = if secret { "confidential " } else { "" };
    Some((format!("{word}{}", name(first)), best(&first), more))
}

proptest! {
    #![proptest_config(estates(400, RngSeed::Fixed(0x701d)))]

    /// Whatever stands in whichever order of roads: no thing is told that others come before, and none is counted of which
    /// the decision says less.
    #[test]
    fn the_first_by_name_is_told_and_the_rest_counted(
        confidential in prop::collection::vec(prop::bool::weighted(0.5), TABLES),
        all in prop::collection::vec(given(), 0..8),
    ) {
        let (estate, role) = written(&confidential, &all);
        let effects = Effects::new(&estate);
        let told = effects.tell(role);
        let Some((first, verdict, more)) = expected(&estate, role, &confidential) else {
            prop_assert_eq!(told, None);
            return Ok(());
        };
        let told = told.unwrap_or_default();
        let (action, rest) = told.strip_prefix("do ").and_then(|rest| rest.split_once(" on ")).unwrap_or_default();
        let middle = rest.strip_prefix(&*first).and_then(|rest| rest.strip_suffix(&*more));
        let Some(middle) = middle.filter(|it| !it.contains("touch")) else {
            return Err(TestCaseError::fail(format!("{told}: not {first}{more}")));
        };
        prop_assert_eq!(middle.is_empty(), verdict == Verdict::Yes, "{}", told);
        let on = estate.thing(first.trim_start_matches("confidential ")).unwrap();
        prop_assert_eq!(ask(&Access::new(&estate), role, action, on).verdict, verdict, "{}", told);
    }
}

/// What is sure is told before what depends, though data is told before changes where both are sure.
#[rstest]
#[case::data_on_conditions(true, "do key/delete on key:k")]
#[case::data(false, "do table/read on table:t00")]
fn what_is_sure_comes_first(#[case] depends: bool, #[case] told: &str) {
    let mut world = World::default();
    let account = At::Thing(Thing::Scope(world.account("tickets")));
    let function = world.function("f", "tickets", None);
    world.key("k", KeyOf::Function(function), KeyReach::Function, |_| {});
    world.resource_with(&name(0), "tickets", |it| it.sensitivity = Some(Sensitivity::Internal));
    let role = Principal::Identity(world.identity("role", "tickets"));
    let line = allow(&["table/read"]);
    let line = if depends { line.when(Condition::Opaque(world.builder.name("at full moon"))) } else { line };
    world.grant(role, account, &[line, allow(&["key/delete"])]);
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).tell(role).as_deref(), Some(told));
}
