//! The decision, clause by clause of access-model §4.

use crate::support::{World, allow, ask, deny, everybody, given, named, time};
use pasaporte_core::access::{ASSUME, Access, INVOKE, Known, Shortfall, Truth, Verdict, Via};
use pasaporte_core::estate::*;

const READ: &str = "table/read";

/// An account with a role, a table in it, and what a test adds.
fn one_account(add: impl FnOnce(&mut World, Principal, Thing)) -> (Estate, Principal, Thing) {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity("sell-role", "tickets"));
    let table = world.resource("table:bookings", "tickets");
    add(&mut world, role, table);
    (world.finish(), role, table)
}

fn verdict(add: impl FnOnce(&mut World, Principal, Thing)) -> Verdict {
    let (estate, role, table) = one_account(add);
    ask(&Access::new(&estate), role, READ, table).verdict
}

#[test]
fn nothing_given_is_no_and_says_so() {
    let (estate, role, table) = one_account(|_, _, _| {});
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!(answer.verdict, Verdict::No);
    assert_eq!(answer.shortfalls, [Shortfall::NothingAllows]);
    assert!(answer.grounds.is_empty());
}

#[test]
fn a_grant_allows() {
    assert_eq!(verdict(|w, role, _| w.grant(role, At::Everywhere, &[allow(&[READ])])), Verdict::Yes);
}

#[test]
fn the_resources_side_allows_as_well() {
    assert_eq!(verdict(|w, role, table| w.admit(table, &[role], &allow(&[READ]))), Verdict::Yes);
}

#[test]
fn another_action_or_resource_does_not() {
    let other_action = verdict(|w, role, _| w.grant(role, At::Everywhere, &[allow(&["table/write"])]));
    let other_resource =
        verdict(|w, role, _| w.grant(role, At::Everywhere, &[allow(&[READ]).on(&["table:fares"])]));
    assert_eq!((other_action, other_resource), (Verdict::No, Verdict::No));
}

#[test]
fn exceptions_are_not_given() {
    let (estate, role, table) =
        one_account(|w, role, _| w.grant(role, At::Everywhere, &[allow(&["table/*"]).but(&["table/d*"])]));
    let access = Access::new(&estate);
    assert_eq!(ask(&access, role, READ, table).verdict, Verdict::Yes);
    assert_eq!(ask(&access, role, "table/delete", table).verdict, Verdict::No);
}

#[test]
fn a_deny_of_either_side_wins() {
    let callers = verdict(|w, role, _| w.grant(role, At::Everywhere, &[allow(&[READ]), deny(&["table/*"])]));
    let resources = verdict(|w, role, table| {
        w.grant(role, At::Everywhere, &[allow(&[READ])]);
        w.admit(table, &[Principal::Anyone], &deny(&["*"]));
    });
    assert_eq!((callers, resources), (Verdict::No, Verdict::No));
}

#[test]
fn a_deny_elsewhere_does_not() {
    let elsewhere = verdict(|w, role, _| {
        w.grant(role, At::Everywhere, &[allow(&[READ])]);
        let other = w.resource("table:fares", "tickets");
        w.grant(role, At::Thing(other), &[deny(&[READ])]);
    });
    assert_eq!(elsewhere, Verdict::Yes);
}

#[test]
fn a_grant_holds_at_its_place_and_below() {
    let mut world = World::default();
    let organization = world.scope(ScopeKind::Organization, "marivela", None);
    world.scope(ScopeKind::Account, "tickets", Some("marivela"));
    let desk = world.scope(ScopeKind::App, "desk", Some("tickets"));
    let pier = world.scope(ScopeKind::App, "pier", Some("tickets"));
    let role = Principal::Identity(world.identity("role", "desk"));
    let table = world.resource("table:bookings", "desk");
    let holder = |world: &mut World, id: &str, at| {
        let principal = Principal::Identity(world.identity(id, "tickets"));
        world.grant(principal, at, &[allow(&[READ])]);
        principal
    };
    let above = holder(&mut world, "above", At::Thing(Thing::Scope(organization)));
    let here = holder(&mut world, "here", At::Thing(Thing::Scope(desk)));
    let itself = holder(&mut world, "itself", At::Thing(table));
    let beside = holder(&mut world, "beside", At::Thing(Thing::Scope(pier)));
    let estate = world.finish();
    let access = Access::new(&estate);
    for holder in [above, here, itself] {
        assert_eq!(ask(&access, holder, READ, table).verdict, Verdict::Yes);
    }
    let answer = ask(&access, beside, READ, table);
    assert_eq!(answer.verdict, Verdict::No);
    assert!(matches!(answer.shortfalls[..], [Shortfall::Elsewhere(_), Shortfall::NothingAllows]));
    assert_eq!(ask(&access, role, READ, table).verdict, Verdict::No);
}

#[test]
fn an_expired_grant_gives_nothing_and_is_named() {
    let (estate, role, table) = one_account(|w, role, _| {
        w.grant_with(role, At::Everywhere, &[allow(&[READ])], |grant| {
            grant.expires = Some(time("2026-11-20"));
        });
    });
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!(answer.verdict, Verdict::No);
    assert!(matches!(answer.shortfalls[0], Shortfall::Expired(_)));
}

#[test]
fn a_grant_that_ends_later_still_gives() {
    let later = verdict(|w, role, _| {
        w.grant_with(role, At::Everywhere, &[allow(&[READ])], |grant| {
            grant.expires = Some(time("2026-11-21"));
        });
    });
    assert_eq!(later, Verdict::Yes);
}

#[test]
fn an_expired_deny_takes_nothing() {
    let expired = verdict(|w, role, _| {
        w.grant(role, At::Everywhere, &[allow(&[READ])]);
        w.grant_with(role, At::Everywhere, &[deny(&["*"])], |grant| grant.expires = Some(time("2026-01-01")));
    });
    assert_eq!(expired, Verdict::Yes);
}

#[test]
fn sets_include_sets_at_any_depth() {
    let deep = verdict(|w, role, _| {
        w.set("inner", &[allow(&[READ])], &[]);
        w.set("middle", &[], &["inner", "missing"]);
        let outer = w.set("outer", &[allow(&["queue/send"])], &["middle"]);
        w.grant_with(role, At::Everywhere, &[], |grant| grant.set = Some(outer));
    });
    assert_eq!(deep, Verdict::Yes);
}

#[test]
fn ten_thousand_includes_take_no_stack() {
    let deep = verdict(|w, role, _| {
        let names: Vec<String> = (0..10_000).map(|number| format!("set-{number}")).collect();
        for pair in names.windows(2) {
            w.set(&pair[0], &[], &[&pair[1]]);
        }
        w.set(&names[9_999], &[allow(&[READ])], &[]);
        let first = w.builder.mention(&names[0]);
        w.grant_with(role, At::Everywhere, &[], |grant| grant.set = Some(first));
    });
    assert_eq!(deep, Verdict::Yes);
}

#[test]
fn ten_thousand_nested_groups_take_no_stack() {
    let nested = verdict(|w, role, _| {
        let mut member = role;
        for number in 0..10_000 {
            member = Principal::Group(w.group(&format!("group-{number}"), &[member], None));
        }
        w.grant(member, At::Everywhere, &[allow(&[READ])]);
    });
    assert_eq!(nested, Verdict::Yes);
}

#[test]
fn a_ceiling_must_allow_and_never_gives() {
    let bounded = |lines: &[crate::support::Line], held: bool| {
        let lines = lines.to_vec();
        verdict(move |w, role, _| {
            if held {
                w.grant(role, At::Everywhere, &[allow(&["*"])]);
            }
            let Principal::Identity(id) = role else { unreachable!() };
            w.ceiling(Bounded::Identity(id), &lines);
        })
    };
    assert_eq!(bounded(&[allow(&[READ])], true), Verdict::Yes);
    assert_eq!(bounded(&[allow(&["queue/*"])], true), Verdict::No);
    assert_eq!(bounded(&[allow(&["*"]), deny(&[READ])], true), Verdict::No);
    assert_eq!(bounded(&[allow(&[READ])], false), Verdict::No);
    assert_eq!(bounded(&[], true), Verdict::No);
}

#[test]
fn every_ceiling_above_binds() {
    let mut world = World::default();
    let organization = world.scope(ScopeKind::Organization, "marivela", None);
    let account = world.scope(ScopeKind::Account, "tickets", Some("marivela"));
    let role = Principal::Identity(world.identity("role", "tickets"));
    let table = world.resource("table:bookings", "tickets");
    world.grant(role, At::Everywhere, &[allow(&["*"])]);
    world.ceiling(Bounded::Scope(account), &[allow(&["table/*"])]);
    world.ceiling(Bounded::Scope(organization), &[allow(&["*/read"])]);
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(ask(&access, role, READ, table).verdict, Verdict::Yes);
    let answer = ask(&access, role, "table/write", table);
    assert_eq!(answer.verdict, Verdict::No);
    assert_eq!(answer.shortfalls, [Shortfall::Ceiling(CeilingId::new(1))]);
}

#[test]
fn ceilings_do_not_bind_crowds_and_services() {
    let mut world = World::default();
    let account = world.account("tickets");
    let function = Thing::Function(world.function("sell", "tickets", None));
    world.ceiling(Bounded::Scope(account), &[allow(&["table/*"])]);
    let notifier = Principal::Service(world.builder.name("object-store"));
    let crowds = [Principal::Anyone, Principal::SignedIn, notifier];
    world.admit(function, &crowds, &allow(&[INVOKE]));
    let estate = world.finish();
    for who in crowds {
        assert_eq!(ask(&Access::new(&estate), who, INVOKE, function).verdict, Verdict::Yes);
    }
}

/// Caller and table of two accounts; the table's account as given.
fn across(both: CrossAccount, caller: bool, resource: bool) -> (Verdict, Vec<Shortfall>) {
    let mut world = World::default();
    world.account("partner");
    world.scope_with(ScopeKind::Account, "tickets", None, |scope| scope.cross_account = both);
    let role = Principal::Identity(world.identity("role", "partner"));
    let table = world.resource("table:bookings", "tickets");
    if caller {
        world.grant(role, At::Everywhere, &[allow(&[READ])]);
    }
    if resource {
        world.admit(table, &[role], &allow(&[READ]));
    }
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    (answer.verdict, answer.shortfalls)
}

#[test]
fn across_accounts_both_sides_must_allow() {
    use CrossAccount::BothSides;
    assert_eq!(across(BothSides, true, true), (Verdict::Yes, vec![]));
    assert_eq!(across(BothSides, true, false), (Verdict::No, vec![Shortfall::ResourcesSideMissing]));
    assert_eq!(across(BothSides, false, true), (Verdict::No, vec![Shortfall::CallersSideMissing]));
    assert_eq!(across(BothSides, false, false), (Verdict::No, vec![Shortfall::NothingAllows]));
}

#[test]
fn unless_the_account_says_one_side_is_enough() {
    use CrossAccount::OneSide;
    assert_eq!(across(OneSide, true, false).0, Verdict::Yes);
    assert_eq!(across(OneSide, false, true).0, Verdict::Yes);
    assert_eq!(across(OneSide, false, false).0, Verdict::No);
}

#[test]
fn where_an_account_is_not_known_one_side_is_perhaps_enough() {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity("role", "not-in-the-estate"));
    let table = world.resource("table:bookings", "tickets");
    world.grant(role, At::Everywhere, &[allow(&[READ])]);
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!(answer.verdict, Verdict::Depends);
    assert_eq!(answer.shortfalls, [Shortfall::AccountUnknown]);
}

#[test]
fn for_an_outsider_the_resources_side_decides() {
    for (both, by_grant) in [(CrossAccount::BothSides, Verdict::No), (CrossAccount::OneSide, Verdict::Yes)] {
        let mut world = World::default();
        world.scope_with(ScopeKind::Account, "tickets", None, |scope| scope.cross_account = both);
        let granted = Principal::Outside(world.builder.name("pay.example/clerk"));
        let admitted = Principal::Outside(world.builder.name("pay.example/till"));
        let table = world.resource("table:bookings", "tickets");
        world.grant(granted, At::Everywhere, &[allow(&[READ])]);
        world.admit(table, &[admitted], &allow(&[READ]));
        let estate = world.finish();
        let access = Access::new(&estate);
        assert_eq!(ask(&access, granted, READ, table).verdict, by_grant);
        assert_eq!(ask(&access, admitted, READ, table).verdict, Verdict::Yes);
    }
}

#[test]
fn what_is_given_to_a_name_is_given_to_all_who_bear_it() {
    let mut world = World::default();
    let account = world.account("tickets");
    world.account("partner");
    let role = Principal::Identity(world.identity("role", "tickets"));
    let stranger = Principal::Identity(world.identity("stranger", "partner"));
    let table = world.resource("table:bookings", "tickets");
    world.grant(Principal::Account(account), At::Everywhere, &[allow(&[READ])]);
    world.grant(Principal::SignedIn, At::Everywhere, &[allow(&["table/list"])]);
    let function = Thing::Function(world.function("sell", "tickets", None));
    world.admit(function, &[Principal::Anyone], &allow(&[INVOKE]));
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(ask(&access, role, READ, table).verdict, Verdict::Yes);
    assert_eq!(ask(&access, stranger, READ, table).verdict, Verdict::No);
    assert_eq!(ask(&access, role, "table/list", table).verdict, Verdict::Yes);
    assert_eq!(ask(&access, Principal::Anyone, "table/list", table).verdict, Verdict::No);
    // What is given to everybody needs no second side.
    assert_eq!(ask(&access, role, INVOKE, function).verdict, Verdict::Yes);
    assert_eq!(ask(&access, Principal::Anyone, INVOKE, function).verdict, Verdict::Yes);
    assert_eq!(ask(&access, stranger, INVOKE, function).verdict, Verdict::Yes);
    assert_eq!(ask(&access, stranger, "table/list", table).verdict, Verdict::Yes);
}

#[test]
fn a_rule_sees_the_identity_and_its_functions() {
    let mut world = World::default();
    world.account("harbours");
    let berths = world.scope(ScopeKind::App, "berths", Some("harbours"));
    world.scope(ScopeKind::App, "rosters", Some("harbours"));
    let planner = world.identity("planner", "harbours");
    let keeper = world.identity("keeper", "harbours");
    let idle = world.identity("berth-idle", "berths");
    world.function("berth-plan", "berths", Some("planner"));
    world.function("roster-keep", "rosters", Some("keeper"));
    let by_place = MembershipRule { within: Some(berths), ..everybody(MemberKind::Function) };
    let by_name = MembershipRule { named: Some(named("berth-*")), ..everybody(MemberKind::Function) };
    let identities = MembershipRule { named: Some(named("berth-*")), ..everybody(MemberKind::Identity) };
    let place = world.group("by-place", &[], Some(by_place));
    let name = world.group("by-name", &[], Some(by_name));
    let all = world.group("identities", &[], Some(identities));
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(access.members(place), [Principal::Identity(planner)]);
    assert_eq!(access.members(name), [Principal::Identity(planner)]);
    assert_eq!(access.members(all), [Principal::Identity(planner), Principal::Identity(idle)]);
    assert!(!access.names(Principal::Identity(keeper)).contains(&Principal::Group(place)));
}

#[test]
fn a_rule_by_tag_wants_the_value_where_one_is_given() {
    let mut world = World::default();
    world.account("harbours");
    let night = world.identity_tagged("night", "harbours", &[("shift", "night")]);
    let day = world.identity_tagged("day", "harbours", &[("shift", "day")]);
    world.identity("none", "harbours");
    let (shift, value) = (world.builder.name("shift"), world.builder.name("night"));
    let any = MembershipRule { tag: Some((shift, None)), ..everybody(MemberKind::Identity) };
    let one = MembershipRule { tag: Some((shift, Some(value))), ..everybody(MemberKind::Identity) };
    let any = world.group("any", &[], Some(any));
    let one = world.group("one", &[], Some(one));
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(access.members(any), [Principal::Identity(night), Principal::Identity(day)]);
    assert_eq!(access.members(one), [Principal::Identity(night)]);
}

#[test]
fn acting_as_an_identity_is_decided_like_anything_else() {
    let mut world = World::default();
    world.account("tickets");
    let role = world.identity("role", "tickets");
    let runner = Principal::Service(world.builder.name(RUNNER_SERVICE));
    let other = Principal::Service(world.builder.name("batch-runner"));
    world.admit(Thing::Identity(role), &[runner], &allow(&[ASSUME]));
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(ask(&access, runner, ASSUME, Thing::Identity(role)).verdict, Verdict::Yes);
    assert_eq!(ask(&access, other, ASSUME, Thing::Identity(role)).verdict, Verdict::No);
}

#[test]
fn case_counts_unless_the_resources_account_ignores_it() {
    for (case, expected) in [(CaseOfActions::Counts, Verdict::No), (CaseOfActions::Ignored, Verdict::Yes)] {
        let mut world = World::default();
        world.scope_with(ScopeKind::Account, "boarding", None, |scope| scope.action_case = case);
        let role = Principal::Identity(world.identity("role", "boarding"));
        let table = world.resource("table:passes", "boarding");
        world.grant(role, At::Everywhere, &[allow(&["Table/Re*"])]);
        let estate = world.finish();
        assert_eq!(ask(&Access::new(&estate), role, READ, table).verdict, expected);
    }
}

fn equals(world: &mut World, attribute: Attribute, value: &str) -> Condition {
    Condition::Test(attribute, Test::Equals(Box::new([world.builder.name(value)])))
}

#[test]
fn an_open_condition_makes_the_answer_depend_on_it() {
    let (estate, role, table) = one_account(|w, role, _| {
        let condition = equals(w, Attribute::SourceResource, "bucket:tides");
        w.grant(role, At::Everywhere, &[allow(&[READ]).when(condition)]);
    });
    let access = Access::new(&estate);
    let answer = ask(&access, role, READ, table);
    assert_eq!(answer.verdict, Verdict::Depends);
    assert_eq!(answer.residual(&estate), "if source resource is bucket:tides");
    let source = |text: &str| [(Attribute::SourceResource, Known::Text(text.to_owned()))];
    assert_eq!(given(&access, role, READ, table, &source("bucket:tides")), Verdict::Yes);
    assert_eq!(given(&access, role, READ, table, &source("bucket:other")), Verdict::No);
}

#[test]
fn an_open_deny_makes_a_yes_depend_and_leaves_a_no() {
    let (estate, role, table) = one_account(|w, role, _| {
        let condition = equals(w, Attribute::SecondFactor, "false");
        w.grant(role, At::Everywhere, &[allow(&[READ]), deny(&["*"]).when(condition)]);
    });
    let access = Access::new(&estate);
    let answer = ask(&access, role, READ, table);
    assert_eq!(answer.verdict, Verdict::Depends);
    assert_eq!(answer.residual(&estate), "unless second factor is false");
    assert_eq!(ask(&access, role, "table/write", table).verdict, Verdict::No);
}

#[test]
fn a_sure_allow_needs_no_open_one() {
    let (estate, role, table) = one_account(|w, role, _| {
        let condition = equals(w, Attribute::SecondFactor, "true");
        w.grant(role, At::Everywhere, &[allow(&[READ]).when(condition), allow(&["table/*"])]);
    });
    assert_eq!(ask(&Access::new(&estate), role, READ, table).verdict, Verdict::Yes);
}

#[test]
fn a_grants_conditions_join_those_of_its_statements() {
    let (estate, role, table) = one_account(|w, role, _| {
        let own = equals(w, Attribute::SecondFactor, "true");
        let joined = equals(w, Attribute::SecureTransport, "true");
        w.grant_with(role, At::Everywhere, &[allow(&[READ]).when(own)], |grant| {
            grant.conditions = Box::new([joined]);
        });
    });
    let access = Access::new(&estate);
    let yes = |attribute| (attribute, Known::Text("true".to_owned()));
    let both = [yes(Attribute::SecondFactor), yes(Attribute::SecureTransport)];
    assert_eq!(given(&access, role, READ, table, &both), Verdict::Yes);
    assert_eq!(given(&access, role, READ, table, &both[..1]), Verdict::Depends);
    let no = [(Attribute::SecureTransport, Known::Text("false".to_owned()))];
    assert_eq!(given(&access, role, READ, table, &no), Verdict::No);
}

#[test]
fn an_opaque_condition_is_never_settled() {
    let (estate, role, table) = one_account(|w, role, _| {
        let opaque = Condition::Opaque(w.builder.name("segment is gold"));
        w.grant(role, At::Everywhere, &[allow(&[READ]).when(opaque)]);
    });
    let answer = ask(&Access::new(&estate), role, READ, table);
    assert_eq!(answer.verdict, Verdict::Depends);
    assert_eq!(answer.residual(&estate), "if “segment is gold”, which was not understood");
}

#[test]
fn the_estate_itself_knows_the_callers_account_and_tags() {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity_tagged("role", "tickets", &[("team", "sales")]));
    let table = world.resource("table:bookings", "tickets");
    let team = Attribute::CallerTag(world.builder.name("team"));
    let account = equals(&mut world, Attribute::CallerAccount, "tickets");
    let sales = equals(&mut world, team, "sales");
    let crew = equals(&mut world, team, "crew");
    world.grant(role, At::Everywhere, &[allow(&[READ]).when(account).when(sales)]);
    world.grant(role, At::Everywhere, &[allow(&["table/write"]).when(crew)]);
    let estate = world.finish();
    let access = Access::new(&estate);
    assert_eq!(ask(&access, role, READ, table).verdict, Verdict::Yes);
    assert_eq!(ask(&access, role, "table/write", table).verdict, Verdict::No);
}

#[test]
fn reasons_name_the_statement_the_grant_and_the_name_it_came_through() {
    let mut world = World::default();
    world.account("tickets");
    let role = Principal::Identity(world.identity("role", "tickets"));
    let table = world.resource("table:bookings", "tickets");
    let crew = Principal::Group(world.group("crew", &[role], None));
    let inner = world.set("inner", &[allow(&[READ])], &[]);
    let outer = world.set("outer", &[], &["inner"]);
    world.grant_with(crew, At::Everywhere, &[], |grant| grant.set = Some(outer));
    let estate = world.finish();
    let answer = ask(&Access::new(&estate), role, READ, table);
    let [ground] = &answer.grounds[..] else { panic!("one statement applies: {:?}", answer.grounds) };
    let via = Via::Grant { grant: GrantId::new(0), name: crew, set: Some(inner) };
    assert_eq!((ground.effect, ground.holds, ground.via), (Effect::Allow, Truth::True, via));
    assert_eq!(estate.statement(ground.statement).origin.line, 7);
}
