//! The model: what a builder makes of entries, what is wrong with them as a whole, and how things are found.

use std::cmp::Ordering;

use crate::support::{World, allow};
use pasaporte_core::estate::*;
use rstest::rstest;

fn faults(world: World) -> Vec<Fault> {
    world.builder.finish().err().map(|refused| refused.1).unwrap_or_default()
}

#[test]
fn a_mention_makes_a_slot_and_a_declaration_fills_it() {
    let mut world = World::default();
    let mentioned: IdentityId = world.builder.mention("role");
    world.function("sell", "tickets", Some("role"));
    assert!(world.builder.estate_so_far().get(mentioned).is_none());
    let declared = world.identity("role", "tickets");
    assert_eq!(mentioned, declared);
    let estate = world.finish();
    assert!(estate.get(declared).is_some());
    assert_eq!(estate.count::<ScopeId>(), 1, "the scope is mentioned");
    assert_eq!(estate.all::<ScopeId>().count(), 0, "and not declared");
}

#[test]
fn a_second_declaration_is_a_fault_and_the_first_stays() {
    let mut world = World::default();
    world.account("tickets");
    world.function("sell", "tickets", None);
    world.function("sell", "elsewhere", None);
    let (estate, faults) = *world.builder.finish().err().unwrap();
    let [Fault::Duplicate { thing, first, second }] = faults.as_slice() else { panic!("{faults:?}") };
    assert_eq!(thing, "function:sell");
    assert!(first.line < second.line);
    let sell: FunctionId = estate.find("sell").unwrap();
    assert_eq!(estate.get(sell).unwrap().scope, estate.find("tickets"));
}

#[test]
fn kinds_have_ids_of_their_own() {
    let mut world = World::default();
    world.account("a");
    world.function("same", "a", None);
    world.identity("same", "a");
    world.user("same", "a");
    world.group("same", &[], None);
    assert_eq!(faults(world), []);
}

#[rstest]
#[case::itself(&[("a", "a")], &["group:a", "group:a"])]
#[case::two(&[("b", "a"), ("a", "b")], &["group:a", "group:b", "group:a"])]
#[case::in_the_middle(&[("x", "a"), ("a", "b"), ("b", "c"), ("c", "a")], &["group:a", "group:b", "group:c", "group:a"])]
fn a_circle_of_groups_is_told_from_its_first_name(#[case] lists: &[(&str, &str)], #[case] expected: &[&str]) {
    let mut world = World::default();
    for (group, member) in lists {
        let member = Principal::Group(world.builder.mention(member));
        world.group(group, &[member], None);
    }
    let faults = faults(world);
    let [Fault::Circle { kind, members, .. }] = faults.as_slice() else { panic!("{faults:?}") };
    assert_eq!(*kind, "groups");
    assert_eq!(members, expected);
}

#[test]
fn a_long_circle_is_told_in_short() {
    let mut world = World::default();
    for number in 0..1000 {
        world.scope(ScopeKind::Folder, &format!("f{number}"), Some(&format!("f{}", (number + 1) % 1000)));
    }
    let faults = faults(world);
    let [Fault::Circle { members, .. }] = faults.as_slice() else { panic!("{} faults", faults.len()) };
    assert!(members.len() < 10 && members.iter().any(|member| member.contains("more")), "{members:?}");
}

#[test]
fn a_scope_named_by_a_kind_that_it_is_not_is_a_fault() {
    let mut world = World::default();
    world.account("tickets");
    let origin = world.origin();
    world.builder.mention_scope(ScopeKind::App, "tickets", origin);
    let faults = faults(world);
    let [Fault::WrongKind { said, is, .. }] = faults.as_slice() else { panic!("{faults:?}") };
    assert_eq!((said.as_str(), is.as_str()), ("app:tickets", "account:tickets"));
}

/// A small company: an organization, two accounts, an app, and things in them.
fn company() -> Estate {
    let mut world = World::default();
    world.scope_with(ScopeKind::Organization, "o", None, |scope| {
        scope.environment = Some(Environment::Production);
    });
    world.scope(ScopeKind::Account, "a", Some("o"));
    world.scope_with(ScopeKind::Account, "b", Some("o"), |scope| scope.environment = Some(Environment::Test));
    world.scope_with(ScopeKind::App, "app", Some("a"), |_| {});
    let function = world.function("sell", "app", Some("role"));
    world.function("try", "b", None);
    world.identity("role", "a");
    world.resource("table:t", "app");
    world.endpoint("sell/direct", function, Check::None, Network::Internet);
    world.key("spare", KeyOf::Function(function), KeyReach::Function, |_| {});
    world.finish()
}

fn thing(estate: &Estate, label: &str) -> Thing {
    estate.thing(label).unwrap_or_else(|| panic!("{label}"))
}

#[rstest]
#[case("function:sell", "app:app", true)]
#[case("function:sell", "account:a", true)]
#[case("function:sell", "organization:o", true)]
#[case("function:sell", "account:b", false)]
#[case("function:sell", "function:sell", true)]
#[case("endpoint:sell/direct", "function:sell", true)]
#[case("endpoint:sell/direct", "account:a", true)]
#[case("key:spare", "function:sell", true)]
#[case("key:spare", "account:b", false)]
#[case("account:a", "app:app", false)]
#[case("table:t", "account:a", true)]
fn things_lie_in_each_other(#[case] inner: &str, #[case] outer: &str, #[case] expected: bool) {
    let estate = company();
    assert_eq!(estate.lies_in(thing(&estate, inner), thing(&estate, outer)), expected);
}

#[rstest]
#[case("function:sell", Some("a"))]
#[case("endpoint:sell/direct", Some("a"))]
#[case("identity:role", Some("a"))]
#[case("function:try", Some("b"))]
#[case("organization:o", None)]
fn things_are_of_accounts(#[case] label: &str, #[case] account: Option<&str>) {
    let estate = company();
    let found = match estate.account_of(thing(&estate, label)) {
        AccountOf::Known(id) => Some(estate.id(id)),
        AccountOf::Unnamed => None,
        AccountOf::Unknown => panic!("{label} is in the estate"),
    };
    assert_eq!(found, account);
}

#[test]
fn what_is_missing_is_of_no_known_account() {
    let mut world = World::default();
    world.function("sell", "nowhere", None);
    let estate = world.finish();
    assert_eq!(estate.account_of(thing(&estate, "function:sell")), AccountOf::Unknown);
}

#[rstest]
#[case("sell", Some(Environment::Production))]
#[case("try", Some(Environment::Test))]
fn environments_are_inherited(#[case] function: &str, #[case] expected: Option<Environment>) {
    let estate = company();
    let function = estate.get(estate.find::<FunctionId>(function).unwrap()).unwrap();
    assert_eq!(estate.environment(function.environment, function.scope), expected);
    let own = Some(Environment::Development);
    assert_eq!(estate.environment(own, function.scope), own, "what a thing says itself comes first");
}

#[test]
fn a_label_finds_what_it_was_made_of() {
    let estate = company();
    for label in [
        "organization:o",
        "account:b",
        "app:app",
        "function:sell",
        "endpoint:sell/direct",
        "identity:role",
        "table:t",
        "key:spare",
    ] {
        assert_eq!(estate.label(thing(&estate, label)), label);
    }
    for label in ["account:o", "function:role", "table:none", "sell", "", ":", "app:"] {
        assert_eq!(estate.thing(label), None, "{label}");
    }
}

#[test]
fn labels_are_ordered_as_texts() {
    let estate = company();
    let labels = [
        "account:a",
        "app:app",
        "endpoint:sell/direct",
        "function:sell",
        "function:try",
        "identity:role",
        "table:t",
    ];
    for one in labels {
        for other in labels {
            let order = estate.compare_labels(thing(&estate, one), thing(&estate, other));
            assert_eq!(order, one.cmp(other), "{one} {other}");
        }
    }
    let same = thing(&estate, "function:sell");
    assert_eq!(estate.compare_labels(same, same), Ordering::Equal);
}

#[test]
fn what_belongs_to_whom_is_indexed() {
    let estate = company();
    let sell: FunctionId = estate.find("sell").unwrap();
    let other: FunctionId = estate.find("try").unwrap();
    let role: IdentityId = estate.find("role").unwrap();
    assert_eq!(estate.functions_as(role), [sell]);
    assert_eq!(estate.endpoints_of(sell).len(), 1);
    assert!(estate.endpoints_of(other).is_empty() && estate.triggers_of(sell).is_empty());
}

#[test]
fn equal_lists_texts_and_choices_are_kept_once() {
    let mut world = World::default();
    let one = world.tags(&[("team", "tides"), ("ship", "petrel")]);
    let same = world.tags(&[("team", "tides"), ("ship", "petrel")]);
    let other = world.tags(&[("team", "tides")]);
    let none = world.tags(&[]);
    let (first, second) =
        (world.statement(&allow(&["table/read"])), world.statement(&allow(&["table/read"])));
    let third = world.statement(&allow(&["table/read", "table/write"]));
    let estate = world.finish();
    assert!(one == same && one != other && none.is_empty());
    assert_eq!(estate.list(one).len(), 2);
    assert_eq!(estate.list(none), []);
    let actions = |id| estate.statement(id).actions;
    assert_eq!(actions(first), actions(second));
    assert_ne!(actions(first), actions(third));
    assert_eq!(estate.actions_picked(actions(third)).any().len(), 2);
}

#[test]
fn names_are_what_was_interned() {
    let mut names = Names::default();
    let texts = ["", "a", "ab", "b", "berth-é", "a"];
    let interned: Vec<Name> = texts.iter().map(|text| names.intern(text)).collect();
    for (text, name) in texts.iter().zip(&interned) {
        assert_eq!(names.text(*name), *text);
        assert_eq!(names.find(text), Some(*name));
    }
    assert_eq!(interned[1], interned[5]);
    assert_eq!(names.find("abc"), None);
}

#[test]
fn references_to_what_is_not_there_are_found() {
    let mut world = World::default();
    world.account("a");
    world.function("sell", "a", Some("gone-role"));
    world.grant_with(Principal::Anyone, At::Everywhere, &[], |_| {});
    let group = Principal::Group(world.builder.mention("gone-group"));
    world.group("crew", &[group], None);
    let estate = world.finish();
    let mut missing = Vec::new();
    estate.references(|reference| {
        if !estate.is_declared(reference.to) {
            missing.push((estate.label(reference.from), reference.how, estate.label(reference.to)));
        }
    });
    let expected = [
        ("function:sell", "runs as", "identity:gone-role"),
        ("group:crew", "lists as a member", "group:gone-group"),
    ];
    let missing: Vec<(&str, &str, &str)> =
        missing.iter().map(|(from, how, to)| (from.as_str(), *how, to.as_str())).collect();
    assert_eq!(missing, expected);
}
