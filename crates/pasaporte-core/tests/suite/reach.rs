//! What a principal may do and become, and who may do something, in the core.

use crate::support::{Line, World, allow, deny, everybody, named, time};
use pasaporte_core::access::{Access, Context, INVOKE, Verdict};
use pasaporte_core::effect::{Effects, Road};
use pasaporte_core::estate::*;
use pasaporte_core::reach::{Act, Reach, Reaches, Service};
use rstest::rstest;

/// An account with a role, two buckets (one confidential), a table and a function, and what a test adds.
fn store(add: impl FnOnce(&mut World, Principal)) -> (Estate, Principal) {
    let mut world = World::default();
    world.account("a");
    world.scope(ScopeKind::App, "app", Some("a"));
    let role = Principal::Identity(world.identity("role", "a"));
    world.resource("bucket:maps", "app");
    world.resource_with("bucket:scans", "a", |it| it.sensitivity = Some(Sensitivity::Confidential));
    world.resource("table:t", "a");
    world.function("sell", "app", Some("role"));
    add(&mut world, role);
    (world.finish(), role)
}

fn reach_of(add: impl FnOnce(&mut World, Principal)) -> (Estate, Reach) {
    let (estate, role) = store(add);
    let reach = Reaches::new(&Effects::new(&estate)).of(role);
    (estate, reach)
}

/// Service, action, surely, perhaps of every act.
fn acts(services: &[Service]) -> Vec<(String, String, usize, usize)> {
    let of = |service: &Service| {
        let name = service.name.to_string();
        let act = |act: &Act| (name.clone(), act.action.to_string(), act.surely, act.perhaps);
        service.acts.iter().map(act).collect::<Vec<_>>()
    };
    services.iter().flat_map(of).collect()
}

fn told(all: &[(&str, &str, usize, usize)]) -> Vec<(String, String, usize, usize)> {
    all.iter()
        .map(|(service, action, surely, perhaps)| {
            ((*service).to_owned(), (*action).to_owned(), *surely, *perhaps)
        })
        .collect()
}

#[rstest]
#[case::one_thing(allow(&["bucket/read"]).on(&["bucket:maps"]), &[("bucket", "bucket/read", 1, 0)])]
#[case::all_of_a_kind(allow(&["bucket/read", "bucket/write"]).on(&["bucket:*"]), &[("bucket", "bucket/write", 2, 0), ("bucket", "bucket/read", 2, 0)])]
#[case::two_services(allow(&["table/read", "bucket/read"]), &[("bucket", "bucket/read", 2, 0), ("table", "table/read", 1, 0)])]
#[case::any_kind_that_begins_like_it(allow(&["bucket/read"]).on(&["*:s*"]), &[("bucket", "bucket/read", 1, 0)])]
#[case::a_function(allow(&[INVOKE]).on(&["function:sell"]), &[("function", INVOKE, 1, 0)])]
#[case::all_functions(allow(&[INVOKE]), &[("function", INVOKE, 1, 0)])]
#[case::no_such_kind(allow(&["log/write"]), &[("log", "log/write", 0, 0)])]
#[case::an_exception(allow(&["bucket/*"]).but(&["bucket/[a-z]*", "bucket/?*"]), &[])]
fn a_statement_reaches(#[case] line: Line, #[case] expected: &[(&str, &str, usize, usize)]) {
    let (_, reach) = reach_of(|world, role| world.grant(role, At::Everywhere, &[line]));
    assert_eq!(acts(&reach.own), told(expected));
}

#[test]
fn a_place_narrows_and_an_end_ends() {
    let (_, reach) = reach_of(|world, role| {
        let app: ScopeId = world.builder.mention("app");
        world.grant(role, At::Thing(Thing::Scope(app)), &[allow(&["bucket/read"])]);
        world.grant_with(role, At::Everywhere, &[allow(&["table/read"])], |grant| {
            grant.expires = Some(time("2026-11-20"));
        });
    });
    assert_eq!(acts(&reach.own), told(&[("bucket", "bucket/read", 1, 0)]));
    assert!(reach.idle.is_empty());
}

#[test]
fn what_is_bounded_or_denied_is_held_without_effect() {
    let (_, reach) = reach_of(|world, role| {
        let Principal::Identity(id) = role else { unreachable!() };
        world.grant(
            role,
            At::Everywhere,
            &[allow(&["bucket/read"]), allow(&["table/read"]), deny(&["table/*"])],
        );
        world.ceiling(Bounded::Identity(id), &[allow(&["table/*"])]);
    });
    assert!(reach.own.is_empty());
    assert_eq!(reach.idle.len(), 2);
}

/// What nobody named of a class stands for that class together; what somebody named is told by its name.
#[test]
fn a_thing_counts_once_for_an_action() {
    let (_, reach) = reach_of(|world, role| {
        let origin = world.origin();
        let pattern = pasaporte_core::pattern::Pattern::literal("table/scan");
        world.builder.action(ActionEntry { pattern, class: ActionClass::Read, platform: None, origin });
        world.grant(role, At::Everywhere, &[allow(&["table/*"]), allow(&["table/read"]).on(&["table:t"])]);
    });
    let reads = reach.own[0].acts.iter().filter(|act| act.class == Some(ActionClass::Read) && !act.is_wild);
    let counts: Vec<(&str, usize)> = reads.map(|act| (&*act.action, act.surely)).collect();
    assert_eq!(counts, [("table/read", 1), ("table/scan", 1)]);
}

/// What a deny takes out of a lot is in no other lot either.
#[rstest]
#[case::of_one_lot(&["bucket:*"])]
#[case::of_two_lots(&["bucket:*", "*:[!z]*", "*:?*"])]
fn what_is_denied_of_a_lot_does_not_count(#[case] lots: &[&str]) {
    let (_, reach) = reach_of(|world, role| {
        let mut lines: Vec<Line> = lots.iter().map(|on| allow(&["bucket/read"]).on(&[*on])).collect();
        lines.push(deny(&["bucket/read"]).on(&["bucket:scans"]));
        world.grant(role, At::Everywhere, &lines);
    });
    let read = &reach.own[0].acts[0];
    assert_eq!((read.surely, read.perhaps, read.confidential), (1, 0, 0));
}

/// What a statement on a thing denies is not counted with the rest of its lot.
#[test]
fn what_is_denied_on_a_thing_does_not_count() {
    let (_, reach) = reach_of(|world, role| {
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).on(&["bucket:*"])]);
        let closed = world.resource("bucket:closed", "a");
        world.admit(closed, &[role], &deny(&["bucket/read"]));
    });
    let read = &reach.own[0].acts[0];
    assert_eq!((read.surely, read.perhaps, read.confidential), (2, 0, 1));
}

/// A condition on a tag of the thing is another question for each thing.
#[test]
fn what_has_the_tag_counts() {
    let (_, reach) = reach_of(|world, role| {
        world.resource_tagged("queue:gold", "a", &[("tier", "gold")]);
        world.resource_tagged("queue:tin", "a", &[("tier", "tin")]);
        world.resource("queue:plain", "a");
        let tier = Attribute::ResourceTag(world.builder.name("tier"));
        let is_gold = Condition::Test(tier, Test::Equals(Box::new([world.builder.name("gold")])));
        world.grant(role, At::Everywhere, &[allow(&["queue/send"]).on(&["queue:*"]).when(is_gold)]);
    });
    // What has no tags may have some that were not seen.
    assert_eq!(acts(&reach.own), told(&[("queue", "queue/send", 1, 1)]));
}

#[test]
fn conditions_make_it_perhaps() {
    let (_, reach) = reach_of(|world, role| {
        let open = Condition::Opaque(world.builder.name("segment is gold"));
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).when(open)]);
    });
    assert_eq!(acts(&reach.own), told(&[("bucket", "bucket/read", 0, 2)]));
    assert!(!reach.own[0].is_sure());
}

/// What everybody has perhaps, one may have surely: it is then told as sure wherever it is told.
#[rstest]
#[case::by_a_grant_of_its_own(true, (2, 0))]
#[case::by_nothing_else(false, (0, 2))]
fn what_one_surely_may_is_not_told_as_perhaps(#[case] own: bool, #[case] counted: (usize, usize)) {
    let (_, reach) = reach_of(|world, role| {
        let open = Condition::Opaque(world.builder.name("segment is gold"));
        world.grant(Principal::SignedIn, At::Everywhere, &[allow(&["bucket/read"]).when(open)]);
        if own {
            world.grant(role, At::Everywhere, &[allow(&["bucket/*"])]);
        }
    });
    let told = |act: &&Act| &*act.action == "bucket/read";
    let common: Vec<&Act> = reach.common.iter().flat_map(|it| &it.acts).filter(told).collect();
    assert_eq!(common.iter().map(|act| (act.surely, act.perhaps)).collect::<Vec<_>>(), [counted]);
}

#[test]
fn confidential_things_are_counted_and_shown_first() {
    let (estate, reach) = reach_of(|world, role| {
        world.grant(
            role,
            At::Everywhere,
            &[allow(&["bucket/read"]).on(&["bucket:maps"]), allow(&["bucket/read"]).on(&["bucket:*"])],
        );
    });
    assert_eq!((reach.own.len(), reach.own[0].acts.len(), reach.own[0].roads.len()), (1, 1, 2));
    let first = &reach.own[0].acts[0];
    assert_eq!((first.surely, first.confidential), (2, 1));
    assert_eq!(first.example.map(|thing| estate.label(thing)).as_deref(), Some("bucket:scans"));
}

#[test]
fn another_accounts_things_count_only_if_its_side_allows() {
    let (_, reach) = reach_of(|world, role| {
        world.account("b");
        world.scope_with(ScopeKind::Account, "c", None, |scope| scope.cross_account = CrossAccount::OneSide);
        world.resource("queue:closed", "b");
        let open = world.resource("queue:open", "b");
        world.admit(open, &[role], &allow(&["queue/send"]));
        world.resource("queue:tree", "c");
        world.grant(role, At::Everywhere, &[allow(&["queue/*"]).on(&["queue:*"])]);
    });
    let queues = reach.own.iter().find(|service| &*service.name == "queue").unwrap();
    // The access list gives sending only, the tree takes one side.
    let of = |action: &str| queues.acts.iter().find(|act| &*act.action == action).map(|act| act.surely);
    assert_eq!((of("queue/send"), of("queue/read")), (Some(2), Some(1)), "{:?}", queues.acts);
}

#[test]
fn groups_accounts_and_crowds_give_to_who_bears_their_names() {
    let (_, reach) = reach_of(|world, role| {
        let group = Principal::Group(world.group("crew", &[role], None));
        let account = Principal::Account(world.builder.mention("a"));
        for (holder, action) in
            [(group, "bucket/read"), (account, "bucket/write"), (Principal::Anyone, "bucket/list")]
        {
            world.grant(holder, At::Everywhere, &[allow(&[action]).on(&["bucket:maps"])]);
        }
    });
    assert_eq!(acts(&reach.own), told(&[("bucket", "bucket/write", 1, 0), ("bucket", "bucket/read", 1, 0)]));
    assert_eq!(acts(&reach.common), told(&[("bucket", "bucket/list", 1, 0)]));
}

/// Identities that each trust the one before, and the verdicts on becoming them.
fn chain(length: usize, open_at: Option<usize>) -> Vec<(String, Verdict, usize)> {
    let mut world = World::default();
    world.account("a");
    let all: Vec<IdentityId> =
        (0..length).map(|number| world.identity(&format!("i{number:04}"), "a")).collect();
    for pair in all.windows(2) {
        let line = allow(&["identity/assume"]);
        let open = open_at.map(|at| all[at]) == Some(pair[1]);
        let line = if open { line.when(Condition::Opaque(world.builder.name("open"))) } else { line };
        world.admit(Thing::Identity(pair[1]), &[Principal::Identity(pair[0])], &line);
    }
    let estate = world.finish();
    let access = Access::new(&estate);
    let becoming = access.becoming(Principal::Identity(all[0]), &Context::default());
    becoming.iter().map(|it| (estate.principal_label(it.to), it.verdict, it.steps)).collect()
}

#[test]
fn a_chain_of_two_thousand_is_followed_to_its_end() {
    let reached = chain(2_000, None);
    assert_eq!(reached.len(), 1_999);
    assert_eq!(reached.last(), Some(&("identity:i1999".to_owned(), Verdict::Yes, 1_999)));
}

#[test]
fn one_open_step_makes_all_behind_it_depend() {
    let verdicts: Vec<Verdict> = chain(5, Some(2)).into_iter().map(|(_, verdict, _)| verdict).collect();
    assert_eq!(verdicts, [Verdict::Yes, Verdict::Depends, Verdict::Depends, Verdict::Depends]);
}

#[test]
fn a_grant_lets_act_as_others_as_a_trust_does() {
    let mut world = World::default();
    world.account("a");
    let start = Principal::Identity(world.identity("start", "a"));
    world.identity("one", "a");
    world.identity("two", "a");
    world.grant(start, At::Everywhere, &[allow(&["identity/*"]).on(&["identity:t*"])]);
    let estate = world.finish();
    let becoming = Access::new(&estate).becoming(start, &Context::default());
    let names: Vec<String> = becoming.iter().map(|it| estate.principal_label(it.to)).collect();
    assert_eq!(names, ["identity:two"]);
}

/// Who may invoke a function, by name.
fn invokers(add: impl FnOnce(&mut World, FunctionId)) -> Vec<(String, Verdict)> {
    let mut world = World::default();
    world.account("a");
    world.scope(ScopeKind::App, "app", Some("a"));
    let function = world.function("a/sell", "app", None);
    world.function("a/other", "a", None);
    add(&mut world, function);
    let estate = world.finish();
    let access = Access::new(&estate);
    let found = access.who_may(
        access.invokers(),
        access.invoke(),
        Thing::Function(function),
        &Context::at(estate.as_of()),
    );
    found.iter().map(|(who, verdict)| (estate.principal_label(*who), *verdict)).collect()
}

#[rstest]
#[case::by_its_name("function:a/sell", true)]
#[case::by_the_beginning_of_its_name("function:a/s*", true)]
#[case::by_any_kind("*:a/*", true)]
#[case::by_everything("*", true)]
#[case::by_a_question_mark("function:a/sel?", true)]
#[case::by_the_end("*sell", true)]
#[case::another("function:a/other", false)]
#[case::another_beginning("function:b/*", false)]
#[case::what_is_not_there("function:gone", false)]
fn a_grant_is_found_from_the_thing(#[case] pattern: &str, #[case] expected: bool) {
    let found = invokers(|world, _| {
        let role = Principal::Identity(world.identity("role", "a"));
        world.grant(role, At::Everywhere, &[allow(&[INVOKE]).on(&[pattern])]);
    });
    assert_eq!(found == [("identity:role".to_owned(), Verdict::Yes)], expected, "{found:?}");
}

#[rstest]
#[case("app", true)]
#[case("a", true)]
#[case("elsewhere", false)]
fn a_grant_at_a_place_is_found_from_what_lies_there(#[case] place: &str, #[case] expected: bool) {
    let found = invokers(|world, _| {
        world.account("elsewhere");
        let role = Principal::Identity(world.identity("role", "a"));
        let place: ScopeId = world.builder.mention(place);
        world.grant(role, At::Thing(Thing::Scope(place)), &[allow(&["function/*"])]);
    });
    assert_eq!(!found.is_empty(), expected, "{found:?}");
}

#[test]
fn denied_and_ended_are_not_among_them() {
    let found = invokers(|world, function| {
        let denied = Principal::Identity(world.identity("denied", "a"));
        world.grant(denied, At::Everywhere, &[allow(&[INVOKE]), deny(&["function/*"])]);
        let ended = Principal::Identity(world.identity("ended", "a"));
        world.grant_with(ended, At::Everywhere, &[allow(&[INVOKE])], |grant| {
            grant.expires = Some(time("2026-01-01"));
        });
        world.admit(Thing::Function(function), &[Principal::SignedIn], &allow(&[INVOKE]));
    });
    assert_eq!(found, [("signed-in".to_owned(), Verdict::Yes)]);
}

#[test]
fn a_group_of_no_scope_is_there_for_its_members() {
    let found = invokers(|world, function| {
        let member = Principal::Identity(world.identity("role", "a"));
        let listed = Principal::Group(world.group("crew", &[member], None));
        let rule = MembershipRule { named: Some(named("r*")), ..everybody(MemberKind::Identity) };
        let ruled = Principal::Group(world.group("ruled", &[], Some(rule)));
        let empty = Principal::Group(world.group("empty", &[], None));
        for group in [listed, ruled, empty] {
            world.grant(group, At::Thing(Thing::Function(function)), &[allow(&[INVOKE])]);
        }
    });
    let names: Vec<&str> = found.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["group:crew", "group:ruled"]);
}

/// What signed-in callers are given on a thing counts by itself for those of its account, whoever is asked about first.
#[rstest]
#[case(["near", "far"])]
#[case(["far", "near"])]
fn what_a_thing_gives_to_everybody_is_its_own_accounts(#[case] order: [&str; 2]) {
    let mut world = World::default();
    world.account("a");
    world.account("b");
    let near = Principal::Identity(world.identity("near", "a"));
    let far = Principal::Identity(world.identity("far", "b"));
    let table = world.resource("table:t", "a");
    world.admit(table, &[Principal::SignedIn], &allow(&["table/read"]));
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let reaches = Reaches::new(&effects);
    for name in order {
        let (who, surely) = if name == "near" { (near, 1) } else { (far, 0) };
        let read = acts(&reaches.of(who).common).into_iter().find(|(_, action, ..)| action == "table/read");
        assert_eq!(read.map_or(0, |(_, _, surely, _)| surely), surely, "{name}");
    }
}

/// What one holds counts where a thing of another account asks for both sides and has a statement on its own.
#[rstest]
#[case::that_names_it("far", "table/read", "table/*", "*:t", true)]
#[case::that_names_its_group("crew", "table/read", "table/*", "*:t", true)]
#[case::that_names_all_who_are_signed_in("signed-in", "table/read", "table/*", "*:t", true)]
#[case::with_rights_over_access("crew", "access/write", "access/*", "*:t", true)]
#[case::that_names_somebody_else("near", "table/read", "table/*", "*:t", false)]
#[case::that_gives_something_else("far", "table/write", "table/read", "*:t", false)]
#[case::of_other_things("signed-in", "table/read", "table/*", "*:u", false)]
fn what_is_held_is_one_side_of_two(
    #[case] to: &str,
    #[case] given: &'static str,
    #[case] held: &'static str,
    #[case] on: &'static str,
    #[case] counts: bool,
) {
    let mut world = World::default();
    world.account("a");
    world.account("b");
    let near = Principal::Identity(world.identity("near", "a"));
    let far = Principal::Identity(world.identity("far", "b"));
    let crew = Principal::Group(world.group("crew", &[far], None));
    let table = world.resource("table:t", "a");
    world.resource("table:u", "a");
    let to = match to {
        "far" => far,
        "near" => near,
        "crew" => crew,
        _ => Principal::SignedIn,
    };
    world.admit(table, &[to], &allow(&[given]));
    // Nothing of its own account is taken, nor will be.
    world.grant(far, At::Everywhere, &[allow(&[held]).on(&[on]), deny(&[held]).but_on(&["table:t"])]);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let reach = Reaches::new(&effects).of(far);
    let surely: Vec<usize> = reach.own.iter().flat_map(|it| &it.acts).map(|act| act.surely).collect();
    assert_eq!(surely, if counts { vec![1] } else { vec![] });
    assert!(reach.common.is_empty(), "its own side is its own: {:?}", reach.common);
    let by_grant = |road: &&Road| road.grant().is_some();
    assert_eq!(reach.idle.iter().any(|road| by_grant(&road)), !counts);
}

/// Where nothing says of which account a thing is, somebody's own side may be enough, and may not be.
#[rstest]
#[case::all_of_its_kind("table:*")]
#[case::it_alone("table:lost")]
#[case::by_its_end("*:lost")]
fn what_is_of_an_account_that_is_not_known_is_perhaps_open(#[case] on: &'static str) {
    let (_, reach) = reach_of(|world, role| {
        world.resource("table:lost", "never-declared");
        world.grant(role, At::Everywhere, &[allow(&["table/read"]).on(&[on]).but_on(&["table:t"])]);
    });
    assert_eq!(acts(&reach.own), told(&[("table", "table/read", 0, 1)]));
}

/// What is sure by one statement and perhaps by another is sure, and counts once.
#[rstest]
#[case::one_of_all(&["bucket:*"], &["bucket:maps"], (1, 1))]
#[case::all_of_it(&["bucket:*"], &["*:maps", "*:scans"], (2, 0))]
#[case::the_other_way_round(&["bucket:maps"], &["bucket:*"], (2, 0))]
fn what_is_sure_by_one_of_two_is_sure(
    #[case] perhaps: &[&'static str],
    #[case] surely: &[&'static str],
    #[case] expected: (usize, usize),
) {
    let (_, reach) = reach_of(|world, role| {
        let unread = Condition::Opaque(world.builder.name("at full moon"));
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).on(perhaps).when(unread)]);
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).on(surely)]);
    });
    let read = &reach.own[0].acts[0];
    assert_eq!((read.surely, read.perhaps), expected);
}

/// What another statement gives is not told of one whose condition fails.
#[rstest]
#[case::the_same("bucket:maps")]
#[case::more("bucket:*")]
fn what_fails_gives_nothing_though_another_gives_the_same(#[case] on: &'static str) {
    let (_, reach) = reach_of(|world, role| {
        let elsewhere = world.builder.name("elsewhere");
        let far = Condition::Test(Attribute::CallerAccount, Test::Equals(Box::new([elsewhere])));
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).on(&["bucket:maps"]).when(far)]);
        world.grant(role, At::Everywhere, &[allow(&["bucket/read"]).on(&[on])]);
    });
    let grants = |roads: &[Road]| roads.iter().filter_map(Road::grant).map(Id::index).collect();
    let (idle, giving): (Vec<usize>, Vec<usize>) = (grants(&reach.idle), grants(&reach.own[0].roads));
    assert_eq!((idle, giving), (vec![0], vec![1]));
}

/// Of whom nobody knows the account, it may be any: what is made where one side is enough is surely taken.
#[rstest]
#[case::one_side_is_enough(CrossAccount::OneSide, Verdict::Yes)]
#[case::both_sides_are_asked_for(CrossAccount::BothSides, Verdict::Depends)]
fn new_things_for_one_of_an_account_that_is_not_known(#[case] side: CrossAccount, #[case] on_new: Verdict) {
    let mut world = World::default();
    world.scope_with(ScopeKind::Account, "a", None, |scope| scope.cross_account = side);
    world.account("b");
    let stray = Principal::Identity(world.identity("stray", "never-declared"));
    world.grant(stray, At::Everywhere, &[allow(&["table/read"])]);
    let estate = world.finish();
    let reach = Reaches::new(&Effects::new(&estate)).of(stray);
    assert_eq!(reach.own[0].acts[0].on_new, on_new);
}

/// A wildcard for the kind in an action is a word for whatever kind the statement's resources name.
#[rstest]
#[case("?*/read", "account:*", &[("account", "account/read", 1, 0)])]
#[case("*t/read", "account:*", &[("account", "account/read", 1, 0)])]
#[case("t*/read", "account:*", &[])]
fn a_wildcard_reads_of_the_kind_that_is_named(
    #[case] action: &'static str,
    #[case] on: &'static str,
    #[case] expected: &[(&str, &str, usize, usize)],
) {
    let (_, reach) = reach_of(|world, role| world.grant(role, At::Everywhere, &[allow(&[action]).on(&[on])]));
    let on_kind: Vec<Service> = reach.own.iter().filter(|it| &*it.name == "account").cloned().collect();
    assert_eq!(acts(&on_kind), told(expected));
    assert_eq!(reach.idle.is_empty(), !expected.is_empty());
}
