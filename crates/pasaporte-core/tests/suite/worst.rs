//! The worst that somebody may do: of all that a statement takes, whatever stands before it.

use crate::support::{World, allow, deny};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::estate::*;
use rstest::rstest;

/// What a role comes to that may read tables wherever a wildcard reaches, with resources of a kind and a sensitivity each.
fn reading_tables(resources: &[(&str, Option<Sensitivity>)]) -> Impact {
    let mut world = World::default();
    let account = world.account("tickets");
    for (id, sensitivity) in resources {
        world.resource_with(id, "tickets", |it| it.sensitivity = *sensitivity);
    }
    let role = Principal::Identity(world.identity("role", "tickets"));
    world.grant(role, At::Thing(Thing::Scope(account)), &[allow(&["table/read"]).on(&["*"])]);
    let estate = world.finish();
    Effects::new(&estate).harm(role).impact
}

const SECRET: Option<Sensitivity> = Some(Sensitivity::Confidential);
const INTERNAL: Option<Sensitivity> = Some(Sensitivity::Internal);
const PUBLIC: Option<Sensitivity> = Some(Sensitivity::Public);

#[rstest]
// It is judged as if there were some.
#[case::none_of_the_kind_was_gathered(&[("bucket:a", SECRET)], Impact::DataOrSecrets)]
#[case::alone(&[("table:a", SECRET)], Impact::ConfidentialData)]
#[case::behind_another_kind(&[("bucket:a", SECRET), ("bucket:b", SECRET), ("table:a", SECRET)], Impact::ConfidentialData)]
#[case::before_another_kind(&[("table:a", SECRET), ("vault:a", SECRET)], Impact::ConfidentialData)]
#[case::less_than_what_is_secret(&[("bucket:a", SECRET), ("table:a", INTERNAL)], Impact::DataOrSecrets)]
#[case::of_unknown_sensitivity(&[("bucket:a", PUBLIC), ("table:a", None)], Impact::DataOrSecrets)]
#[case::the_secret_among_many(&[("table:a", None), ("table:b", PUBLIC), ("table:z", SECRET)], Impact::ConfidentialData)]
#[case::what_all_may_read(&[("bucket:a", SECRET), ("table:a", PUBLIC)], Impact::RunsCode)]
#[case::kinds_that_begin_alike(&[("table-x:a", SECRET), ("table:a", INTERNAL), ("tables:a", SECRET)], Impact::DataOrSecrets)]
fn a_kind_is_found_wherever_it_stands(
    #[case] resources: &[(&str, Option<Sensitivity>)],
    #[case] expected: Impact,
) {
    assert_eq!(reading_tables(resources), expected);
    let reversed: Vec<_> = resources.iter().rev().copied().collect();
    assert_eq!(reading_tables(&reversed), expected);
}

/// What a ceiling takes away of a wildcard is told apart from the rest of it; what it takes of another service, from nothing.
#[rstest]
#[case::of_the_service("table/write", false)]
#[case::of_another("queue/send", true)]
#[case::of_any("*/write", false)]
fn what_a_ceiling_takes_away_is_told_apart(#[case] denied: &str, #[case] may_write: bool) {
    let mut world = World::default();
    let account = world.account("tickets");
    world.resource_with("table:a", "tickets", |it| it.sensitivity = INTERNAL);
    let id = world.identity("role", "tickets");
    let role = Principal::Identity(id);
    world.grant(role, At::Thing(Thing::Scope(account)), &[allow(&["table/wri*"]).on(&["table:*"])]);
    world.ceiling(Bounded::Identity(id), &[allow(&["*"]), deny(&[denied])]);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    // Of what is left of the wildcard nobody knows that it only reads.
    assert_eq!(effects.harm(role).impact, Impact::DataOrSecrets);
    let table = estate.thing("table:a").unwrap();
    let verdict = if may_write { Verdict::Yes } else { Verdict::No };
    assert_eq!(effects.may(role, "table/write", table), verdict);
    let told = effects.acts_on(role, table, |_| true);
    let writes = told.iter().find(|act| act.action.text() == "table/write").map(|act| act.class);
    assert_eq!(writes, Some(Some(ActionClass::Write)));
}
