//! What an answer depends on, as the rest of a sentence.

use crate::support::{Line, World, allow, ask, deny};
use pasaporte_core::access::{Access, Needs, Verdict};
use pasaporte_core::estate::*;
use rstest::rstest;

const READ: &str = "table/read";

fn when(world: &mut World, line: Line, attribute: Attribute, value: &str) -> Line {
    let value = world.builder.name(value);
    line.when(Condition::Test(attribute, Test::Equals(Box::new([value]))))
}

/// The residual of reading a table in the same account, after what a test adds.
fn residual(add: impl FnOnce(&mut World, Principal, Thing)) -> String {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity("role", "tickets"));
    let table = world.resource("table:bookings", "tickets");
    add(&mut world, role, table);
    let estate = world.finish();
    ask(&Access::new(&estate), role, READ, table).residual(&estate)
}

#[test]
fn a_plain_answer_depends_on_nothing() {
    assert_eq!(residual(|_, _, _| {}), "");
    assert_eq!(residual(|w, role, _| w.grant(role, At::Everywhere, &[allow(&[READ])])), "");
}

#[test]
fn several_conditions_of_one_statement_are_all_asked_for() {
    let told = residual(|w, role, _| {
        let line = when(w, allow(&[READ]), Attribute::SecondFactor, "true");
        let line = when(w, line, Attribute::TokenAudience, "web");
        w.grant(role, At::Everywhere, &[line]);
    });
    assert_eq!(told, "if second factor is true and token audience is web");
}

#[test]
fn several_statements_are_alternatives() {
    let told = residual(|w, role, _| {
        let one = when(w, allow(&[READ]), Attribute::SecondFactor, "true");
        let other = when(w, allow(&[READ]), Attribute::TokenAudience, "web");
        w.grant(role, At::Everywhere, &[one, other]);
    });
    assert_eq!(told, "if second factor is true, or if token audience is web");
}

#[test]
fn an_alternative_of_the_resources_side_counts_as_well() {
    let told = residual(|w, role, table| {
        let one = when(w, allow(&[READ]), Attribute::SecondFactor, "true");
        w.grant(role, At::Everywhere, &[one]);
        let other = when(w, allow(&[READ]), Attribute::TokenAudience, "web");
        w.admit(table, &[role], &other);
    });
    assert_eq!(told, "if second factor is true, or if token audience is web");
}

#[test]
fn what_surely_allows_leaves_only_the_denies_open() {
    let told = residual(|w, role, _| {
        let open = when(w, allow(&[READ]), Attribute::SecondFactor, "true");
        let no = when(w, deny(&["*"]), Attribute::TokenAudience, "web");
        w.grant(role, At::Everywhere, &[allow(&[READ]), open, no]);
    });
    assert_eq!(told, "unless token audience is web");
}

#[test]
fn allows_denies_and_ceilings_are_told_in_turn() {
    let told = residual(|w, role, _| {
        let yes = when(w, allow(&[READ]), Attribute::SecondFactor, "true");
        let no = when(w, deny(&["*"]), Attribute::TokenAudience, "web");
        w.grant(role, At::Everywhere, &[yes, no]);
        let Principal::Identity(id) = role else { unreachable!() };
        let within = when(w, allow(&["*"]), Attribute::TokenIssuer, "marivela.example");
        w.ceiling(Bounded::Identity(id), &[within]);
    });
    assert_eq!(
        told,
        "if second factor is true; unless token audience is web; within ceiling:over/identity:role if token issuer is \
         marivela.example"
    );
}

#[test]
fn a_ceiling_may_deny_on_a_condition() {
    let told = residual(|w, role, _| {
        w.grant(role, At::Everywhere, &[allow(&[READ])]);
        let Principal::Identity(id) = role else { unreachable!() };
        let no = when(w, deny(&["*"]), Attribute::TokenIssuer, "partner.example");
        w.ceiling(Bounded::Identity(id), &[allow(&["*"]), no]);
    });
    assert_eq!(told, "within ceiling:over/identity:role unless token issuer is partner.example");
}

/// Caller and table of two accounts; the grant's condition and the access list's.
fn across(caller: bool, resource: bool) -> (Needs, Verdict, String) {
    let mut world = World::default();
    world.account("partner");
    world.account("tickets");
    let role = Principal::Identity(world.identity("role", "partner"));
    let table = world.resource("table:bookings", "tickets");
    let mut own = allow(&[READ]);
    if caller {
        own = when(&mut world, own, Attribute::SecondFactor, "true");
    }
    let mut theirs = allow(&[READ]);
    if resource {
        theirs = when(&mut world, theirs, Attribute::TokenAudience, "web");
    }
    world.grant(role, At::Everywhere, &[own]);
    world.admit(table, &[role], &theirs);
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    (answer.needs, answer.verdict, answer.residual(&estate))
}

#[test]
fn across_accounts_each_side_says_what_it_asks_for() {
    assert_eq!(across(false, false), (Needs::BothSides, Verdict::Yes, String::new()));
    let (_, verdict, told) = across(true, false);
    assert_eq!((verdict, told.as_str()), (Verdict::Depends, "if second factor is true"));
    let (_, verdict, told) = across(false, true);
    assert_eq!(
        (verdict, told.as_str()),
        (Verdict::Depends, "if, on the resource's side, token audience is web")
    );
    let (_, _, told) = across(true, true);
    assert_eq!(told, "if second factor is true; if, on the resource's side, token audience is web");
}

#[test]
fn an_account_that_is_not_known_is_part_of_the_sentence() {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity("role", "tickets"));
    let table = world.resource("table:bookings", "not-there");
    world.grant(role, At::Everywhere, &[allow(&[READ])]);
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!(answer.verdict, Verdict::Depends);
    assert_eq!(answer.residual(&estate), "if both are of one account, which is not known");
}

#[test]
fn the_wording_of_a_statement_says_all_of_it() {
    let mut world = World::default();
    let line = allow(&["table/*"]).but(&["table/delete"]).on(&["table:a", "table:b"]);
    let line = when(&mut world, line, Attribute::SecondFactor, "true");
    let id = world.statement(&line);
    let plain = world.statement(&deny(&["*"]));
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(
        access.wording(id),
        "allow table/* but table/delete on table:a, table:b if second factor is true"
    );
    assert_eq!(access.wording(plain), "deny *");
}

/// What is given to everybody is enough by itself wherever both sides are asked for, or the resource's; so it is told, and
/// what the sides leave open is another way.
#[rstest]
#[case::all_there_is(&[("anyone", "web")], "if token audience is web")]
#[case::two_of_it(&[("anyone", "web"), ("signed-in", "desk")], "if token audience is desk, or if token audience is web")]
#[case::beside_one_side(&[("anyone", "web"), ("role", "desk")], "if token audience is web")]
#[case::beside_both_sides(
    &[("anyone", "web"), ("role", "desk"), ("table", "kiosk")],
    "if token audience is web, or else if token audience is desk; if, on the resource's side, token audience is kiosk"
)]
fn what_everybody_is_given_is_a_way_of_its_own(#[case] given: &[(&str, &str)], #[case] told: &str) {
    let mut world = World::default();
    world.account("tickets");
    world.account("boarding");
    let role = Principal::Identity(world.identity("role", "tickets"));
    let table = world.resource("table:passes", "boarding");
    for (to, audience) in given {
        let line = when(&mut world, allow(&[READ]), Attribute::TokenAudience, audience);
        match *to {
            "anyone" => world.grant(Principal::Anyone, At::Everywhere, &[line]),
            "signed-in" => world.grant(Principal::SignedIn, At::Everywhere, &[line]),
            "role" => world.grant(role, At::Everywhere, &[line]),
            _ => world.admit(table, &[role], &line),
        }
    }
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!((answer.verdict, answer.needs), (Verdict::Depends, Needs::BothSides));
    assert_eq!(answer.residual(&estate), told);
}

/// An outsider's own side is not in the estate, and what everybody is given counts for it all the same.
#[test]
fn an_outsider_is_given_what_everybody_is() {
    let mut world = World::default();
    world.account("tickets");
    let table = world.resource("table:bookings", "tickets");
    let line = when(&mut world, allow(&[READ]), Attribute::TokenAudience, "web");
    world.grant(Principal::SignedIn, At::Everywhere, &[line]);
    let outsider = Principal::Outside(world.builder.name("harbour-pay/ledger"));
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), outsider, READ, table);
    assert_eq!(answer.residual(&estate), "if token audience is web");
}
