//! Which class an action is of: by the words that every estate shares, by the estate's own lines, and account by account.

use crate::support::{World, allow};
use pasaporte_core::access::Access;
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::estate::ActionClass::{
    self, Access as Changes, Code, Delete, Invoke, List, Manage, Read, Secret, Write,
};
use pasaporte_core::estate::*;
use pasaporte_core::pattern::Pattern;
use rstest::rstest;

/// A line of the catalogue: its pattern, the class, and the platform that it is about.
type Line<'l> = (&'l str, ActionClass, Option<&'l str>);

/// An account `a` of platform siroco, one `b` of platform levante, one `c` of none where case of actions is ignored, a table in
/// each, and one table in none.
fn world(lines: &[Line<'_>]) -> (World, [Thing; 4]) {
    let mut world = World::default();
    for (pattern, class, platform) in lines {
        let origin = world.origin();
        let platform = platform.map(|it| world.builder.name(it));
        let pattern = Pattern::parse(pattern).unwrap();
        world.builder.action(ActionEntry { pattern, class: *class, platform, origin });
    }
    for (id, platform) in [("a", Some("siroco")), ("b", Some("levante")), ("c", None)] {
        let platform = platform.map(|it| world.builder.name(it));
        world.scope_with(ScopeKind::Account, id, None, |scope| {
            scope.platform = platform;
            scope.action_case = if id == "c" { CaseOfActions::Ignored } else { CaseOfActions::Counts };
        });
    }
    let tables = ["a", "b", "c"].map(|at| world.resource(&format!("table:{at}"), at));
    let loose = world.resource_with("table:loose", "a", |it| it.scope = None);
    let [a, b, c] = tables;
    (world, [a, b, c, loose])
}

/// The class of an action on the tables, in their order.
fn classes(lines: &[Line<'_>], action: &str) -> [Option<ActionClass>; 4] {
    let (world, tables) = world(lines);
    let estate = world.finish();
    let access = Access::new(&estate);
    tables.map(|table| access.catalogue().class(action, access.dialect(table)))
}

fn everywhere(class: Option<ActionClass>) -> [Option<ActionClass>; 4] {
    [class; 4]
}

#[rstest]
#[case("function/invoke", Some(Invoke))]
#[case("function/update", Some(Code))]
#[case("function/create", Some(Code))]
#[case("function/delete", Some(Delete))]
#[case("identity/assume", Some(ActionClass::Identity))]
#[case("identity/hand-over", Some(ActionClass::Identity))]
#[case("secret/read", Some(Secret))]
#[case("key/read", Some(Secret))]
#[case("key/create", Some(Secret))]
#[case("key/list", Some(List))]
#[case("access/write", Some(Changes))]
#[case("access/anything-else", Some(Changes))]
#[case("access/read", Some(Read))]
#[case("access/list", Some(List))]
#[case("berth/read", Some(Read))]
#[case("berth/write", Some(Write))]
#[case("queue/send", Some(Write))]
#[case("topic/publish", Some(Write))]
#[case("bucket/put", Some(Write))]
#[case("berth/manage", Some(Manage))]
#[case("berth/moor", None)]
#[case("berth/readers", None)]
#[case("berth", None)]
#[case("berth/read/all", None)]
fn what_every_estate_shares(#[case] action: &str, #[case] class: Option<ActionClass>) {
    assert_eq!(classes(&[], action), everywhere(class));
}

#[rstest]
#[case::a_line_of_its_own_comes_before_what_is_shared(&[("table/read", Write, None)], "table/read", Some(Write))]
#[case::a_whole_name_before_a_pattern(&[("table/*", Read, None), ("table/scan", Write, None)], "table/scan", Some(Write))]
#[case::more_letters_before_fewer(&[("table/*", Read, None), ("table/sc*", Write, None)], "table/scan", Some(Write))]
#[case::a_service_for_a_star_before_the_slash(&[("*/scan", Read, None)], "berth/scan", Some(Read))]
#[case::an_operation_for_one_after_it(&[("table/*", Delete, None)], "table/scan", Some(Delete))]
#[case::both_from_its_first_star(&[("ta*", Read, None)], "tally/scan", Some(Read))]
#[case::no_other_service(&[("table/*", Delete, None)], "tables/scan", None)]
#[case::of_two_that_say_the_same_the_worse(&[("table/scan", Read, None), ("table/scan", Delete, None)], "table/scan", Some(Delete))]
fn of_lines_the_one_that_says_most(
    #[case] lines: &[Line<'_>],
    #[case] action: &str,
    #[case] class: Option<ActionClass>,
) {
    assert_eq!(classes(lines, action), everywhere(class));
    let turned: Vec<Line<'_>> = lines.iter().rev().copied().collect();
    assert_eq!(classes(&turned, action), everywhere(class), "the order of lines means nothing");
}

#[rstest]
#[case::what_every_estate_shares("Table/Read", [None, None, Some(Read), None])]
#[case::a_line_of_its_own("table/SCAN", [None, None, Some(Delete), None])]
fn case_is_ignored_where_an_account_ignores_it(#[case] action: &str, #[case] told: [Option<ActionClass>; 4]) {
    assert_eq!(classes(&[("table/scan", Delete, None)], action), told);
}

#[rstest]
#[case::one_platform(&[("table/scan", Delete, Some("siroco"))], [Some(Delete), None, None, Some(Delete)])]
#[case::each_its_own(
    &[("table/scan", Delete, Some("siroco")), ("table/scan", Read, Some("levante"))],
    [Some(Delete), Some(Read), None, None]
)]
#[case::one_says_more_than_the_line_for_all(
    &[("table/*", Read, None), ("table/scan", Delete, Some("levante"))],
    [Some(Read), Some(Delete), Some(Read), Some(Delete)]
)]
#[case::the_line_for_all_says_more(
    &[("table/scan", Read, None), ("table/*", Delete, Some("levante"))],
    [Some(Read), Some(Read), Some(Read), Some(Read)]
)]
#[case::a_platform_that_is_nowhere(&[("table/scan", Delete, Some("gregal"))], [None, None, None, None])]
#[case::what_is_shared_is_shared(
    &[("table/read", Delete, Some("siroco"))],
    [Some(Delete), Some(Read), Some(Read), Some(Delete)]
)]
fn a_line_of_a_platform_counts_where_that_is(
    #[case] lines: &[Line<'_>],
    #[case] told: [Option<ActionClass>; 4],
) {
    let action = if lines[0].0 == "table/read" { "table/read" } else { "table/scan" };
    assert_eq!(classes(lines, action), told);
}

/// There are as many ways of reading actions as accounts differ in, and one where they do not.
#[rstest]
#[case::no_lines_of_platforms(&[("table/scan", Read, None)], 2)]
#[case::lines_of_one(&[("table/scan", Read, Some("siroco"))], 3)]
#[case::lines_of_two(&[("table/scan", Read, Some("siroco")), ("table/scan", List, Some("levante"))], 4)]
#[case::lines_of_one_that_is_nowhere(&[("table/scan", Read, Some("gregal"))], 2)]
fn as_many_ways_of_reading_as_differ(#[case] lines: &[Line<'_>], #[case] count: usize) {
    let (world, _) = world(lines);
    let estate = world.finish();
    assert_eq!(Access::new(&estate).dialects().count(), count);
}

/// What the word does there decides how bad it is to have, whoever has it.
#[rstest]
#[case::it_reads("a", Impact::DataOrSecrets)]
#[case::it_only_lists("b", Impact::RunsCode)]
#[case::nobody_says("c", Impact::DataOrSecrets)]
fn how_bad_a_word_is_goes_by_where_it_is_done(#[case] at: &str, #[case] impact: Impact) {
    let (mut world, [a, b, c, _]) =
        world(&[("table/scan", Read, Some("siroco")), ("table/scan", List, Some("levante"))]);
    let who = Principal::Identity(world.identity("role", at));
    let on = match at {
        "a" => a,
        "b" => b,
        _ => c,
    };
    world.grant(who, At::Thing(on), &[allow(&["table/scan"])]);
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).harm(who).impact, impact);
}
