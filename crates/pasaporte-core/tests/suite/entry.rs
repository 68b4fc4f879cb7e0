//! Who gets through a direct endpoint (access-model §6), and how exposed that makes a function.

use crate::support::{World, allow, time};
use pasaporte_core::access::{INVOKE, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::{Because, Exposure};
use pasaporte_core::estate::*;
use rstest::rstest;

/// A function with one endpoint, and what a test adds to it.
fn behind(check: Check, network: Network, add: impl FnOnce(&mut World, FunctionId)) -> (Estate, EndpointId) {
    let mut world = World::default();
    world.account("boarding");
    world.scope(ScopeKind::App, "gate", Some("boarding"));
    let function = world.function("open-gate", "gate", None);
    let endpoint = world.endpoint("door", function, check, network);
    add(&mut world, function);
    (world.finish(), endpoint)
}

fn callers(check: Check, add: impl FnOnce(&mut World, FunctionId)) -> Vec<(String, Verdict)> {
    let (estate, endpoint) = behind(check, Network::Internet, add);
    let access = Effects::new(&estate);
    let callers = access.callers_at(endpoint);
    callers.iter().map(|caller| (estate.principal_label(caller.who), caller.verdict)).collect()
}

fn sure(names: &[&str]) -> Vec<(String, Verdict)> {
    names.iter().map(|name| ((*name).to_owned(), Verdict::Yes)).collect()
}

#[test]
fn no_check_lets_anyone_in() {
    assert_eq!(callers(Check::None, |_, _| {}), sure(&["anyone"]));
}

#[rstest]
#[case(KeyReach::Function, &["key:own", "key:app", "key:admin"])]
#[case(KeyReach::App, &["key:app", "key:admin"])]
#[case(KeyReach::Admin, &["key:admin"])]
fn a_key_check_lets_in_keys_of_sufficient_reach(#[case] least: KeyReach, #[case] expected: &[&str]) {
    let found = callers(Check::Key(least), |world, function| {
        let gate = KeyOf::Scope(world.builder.mention("gate"));
        let other = KeyOf::Function(world.function("other", "gate", None));
        world.key("own", KeyOf::Function(function), KeyReach::Function, |_| {});
        world.key("app", gate, KeyReach::App, |_| {});
        world.key("admin", gate, KeyReach::Admin, |_| {});
        world.key("others", other, KeyReach::Function, |_| {});
        world.key("off", gate, KeyReach::Admin, |key| key.state = State::Disabled);
        world.key("ended", gate, KeyReach::Admin, |key| key.expires = Some(time("2026-11-20")));
    });
    // Whether a key past its end is still accepted is not known.
    let mut expected = sure(expected);
    expected.push(("key:ended".to_owned(), Verdict::Depends));
    assert_eq!(found, expected);
}

#[rstest]
#[case::not_since(LastUse::At(time("2026-11-19")), Verdict::Depends)]
#[case::since(LastUse::At(time("2026-11-20")), Verdict::Depends)]
#[case::later(LastUse::At("2026-11-20T00:00:01Z".parse().unwrap()), Verdict::Yes)]
fn a_key_that_was_used_past_its_end_is_accepted(#[case] last_used: LastUse, #[case] expected: Verdict) {
    let found = callers(Check::Key(KeyReach::Function), |world, function| {
        world.key("ended", KeyOf::Function(function), KeyReach::Function, |key| {
            key.expires = Some(time("2026-11-20"));
            key.last_used = last_used;
        });
    });
    assert_eq!(found, [("key:ended".to_owned(), expected)]);
}

#[test]
fn an_identity_check_asks_the_decision() {
    let found = callers(Check::Identity, |world, function| {
        let role = Principal::Identity(world.identity("role", "boarding"));
        let proof = Condition::Test(Attribute::SecondFactor, Test::Present(true));
        world.admit(Thing::Function(function), &[role], &allow(&[INVOKE]));
        world.admit(Thing::Function(function), &[Principal::SignedIn], &allow(&[INVOKE]).when(proof));
    });
    let expected = [("signed-in".to_owned(), Verdict::Depends), ("identity:role".to_owned(), Verdict::Yes)];
    assert_eq!(found, expected);
}

#[test]
fn a_closed_identity_check_lets_nobody_in() {
    assert_eq!(callers(Check::Identity, |_, _| {}), sure(&[]));
}

fn token(world: &mut World, change: impl FnOnce(&mut World, &mut Token)) {
    let origin = world.origin();
    let id: TokenId = world.builder.mention("web");
    let mut token = Token {
        issuer: Some(world.builder.name("site.example")),
        audiences: List::default(),
        algorithm: None,
        key_id: None,
        public: true,
        issued: None,
        expires: None,
        fingerprint: None,
        verifier: None,
        origin,
    };
    change(world, &mut token);
    world.builder.declare(id, token, origin);
}

/// Whether a token check is open to anyone, given how verifier and token differ from those that fit.
fn token_opens(
    of_verifier: impl FnOnce(&mut World, &mut Verifier),
    of_token: impl FnOnce(&mut World, &mut Token),
) -> bool {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("open-gate", "boarding", None);
    let site = world.builder.mention("site");
    let endpoint = world.endpoint("door", function, Check::Token(site), Network::Internet);
    world.verifier(of_verifier);
    token(&mut world, of_token);
    let estate = world.finish();
    let access = Effects::new(&estate);
    match &access.callers_at(endpoint)[..] {
        [caller] if caller.who == Principal::Anyone => {
            matches!(caller.because, Because::PublicToken(_) | Because::UncheckedToken(_))
        }
        [caller] => {
            assert_eq!(caller.who, Principal::Token(site));
            false
        }
        others => panic!("one circle of callers: {others:?}"),
    }
}

#[test]
fn a_public_token_opens_a_token_check_that_it_satisfies() {
    assert!(token_opens(|_, _| {}, |_, _| {}));
}

#[test]
fn a_private_token_does_not() {
    assert!(!token_opens(|_, _| {}, |_, token| token.public = false));
}

#[test]
fn nor_does_one_that_has_ended() {
    assert!(!token_opens(|_, _| {}, |_, token| token.expires = Some(time("2026-11-20"))));
    assert!(token_opens(|_, _| {}, |_, token| token.expires = Some(time("2026-11-21"))));
}

#[test]
fn nor_does_one_of_another_issuer_audience_or_algorithm() {
    assert!(!token_opens(|_, _| {}, |world, token| token.issuer = Some(world.builder.name("other.example"))));
    let staff = |world: &mut World, verifier: &mut Verifier| verifier.audiences = world.names(&["staff"]);
    assert!(!token_opens(staff, |world, token| token.audiences = world.names(&["web"])));
    assert!(token_opens(staff, |world, token| token.audiences = world.names(&["staff"])));
    let strong = |world: &mut World, verifier: &mut Verifier| verifier.algorithms = world.names(&["ES256"]);
    assert!(!token_opens(strong, |world, token| token.algorithm = Some(world.builder.name("HS256"))));
}

/// A token that claims nothing passes the verifier that it was made for, and none that asks for something.
#[test]
fn nor_does_one_that_was_made_for_another_verifier() {
    let made_for = |world: &mut World, token: &mut Token, verifier: &str| {
        token.issuer = None;
        token.verifier = Some(world.builder.mention(verifier));
    };
    assert!(token_opens(|_, _| {}, |world, token| made_for(world, token, "site")));
    assert!(!token_opens(|_, _| {}, |world, token| made_for(world, token, "kiosk")));
    let staff = |world: &mut World, verifier: &mut Verifier| {
        verifier.issuers = List::default();
        verifier.audiences = world.names(&["staff"]);
    };
    assert!(token_opens(staff, |world, token| made_for(world, token, "site")));
    assert!(!token_opens(staff, |world, token| made_for(world, token, "kiosk")));
}

#[test]
fn a_verifier_that_checks_no_signature_is_open_to_all() {
    assert!(token_opens(|_, verifier| verifier.checks_signature = false, |_, token| token.public = false));
    let none = |world: &mut World, verifier: &mut Verifier| verifier.algorithms = world.names(&["NONE"]);
    assert!(token_opens(none, |_, token| token.public = false));
}

#[rstest]
#[case::internet(Network::Internet, Exposure::Anyone)]
#[case::internal(Network::Internal, Exposure::Insiders)]
#[case::private(Network::Listed(Box::new(["10.0.0.0/8".parse().unwrap()])), Exposure::Insiders)]
#[case::partner(Network::Listed(Box::new(["203.0.113.0/24".parse().unwrap()])), Exposure::Outsider)]
#[case::mixed(Network::Listed(Box::new(["10.0.0.0/8".parse().unwrap(), "203.0.113.0/24".parse().unwrap()])), Exposure::Outsider)]
#[case::all(Network::Listed(Box::new(["::/0".parse().unwrap()])), Exposure::Anyone)]
fn the_network_narrows_the_exposure(#[case] network: Network, #[case] expected: Exposure) {
    let (estate, endpoint) = behind(Check::None, network, |_, _| {});
    let function = estate.get(endpoint).unwrap().function;
    assert_eq!(Effects::new(&estate).exposure(function).to, expected);
}

#[rstest]
#[case::anyone("anyone", Exposure::Anyone)]
#[case::signed_in("signed-in", Exposure::SignedIn)]
#[case::foreign("foreign", Exposure::Outsider)]
#[case::own("own", Exposure::Insiders)]
#[case::outside("outside", Exposure::Outsider)]
// It acts for whoever owns the source, and nothing says whose.
#[case::service("service", Exposure::Outsider)]
fn an_invoke_permission_exposes_without_an_endpoint(#[case] who: &str, #[case] expected: Exposure) {
    let mut world = World::default();
    let own = world.account("boarding");
    let foreign = world.account("partner");
    let function = world.function("open-gate", "boarding", None);
    let principal = match who {
        "anyone" => Principal::Anyone,
        "signed-in" => Principal::SignedIn,
        "foreign" => Principal::Account(foreign),
        "own" => Principal::Account(own),
        "outside" => Principal::Outside(world.builder.name("pay.example/till")),
        _ => Principal::Service(world.builder.name("gateway")),
    };
    world.admit(Thing::Function(function), &[principal], &allow(&[INVOKE]));
    // A foreign account decides for its own principals, so both sides are there when it wants.
    world.grant(Principal::Account(foreign), At::Everywhere, &[allow(&[INVOKE])]);
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).exposure(function).to, expected);
}

#[test]
fn a_service_that_is_pinned_to_a_source_exposes_to_nobody_outside() {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("open-gate", "boarding", None);
    let own = world.builder.name("bucket:passes");
    let service = Principal::Service(world.builder.name("object-store"));
    let pinned = Condition::Test(Attribute::SourceResource, Test::Equals(Box::new([own])));
    world.admit(Thing::Function(function), &[service], &allow(&[INVOKE]).when(pinned));
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).exposure(function).to, Exposure::Insiders);
}

/// A service acts for whoever owns the source that a condition names; what is ours exposes to nobody.
#[rstest]
#[case::of_the_same_account(&["bucket:own"], Exposure::Insiders)]
#[case::of_another(&["bucket:theirs"], Exposure::Outsider)]
#[case::of_both(&["bucket:own", "bucket:theirs"], Exposure::Outsider)]
#[case::of_nobody_that_is_known(&["bucket:lost"], Exposure::Insiders)]
fn a_source_that_a_condition_names_exposes_as_its_account_does(
    #[case] sources: &[&str],
    #[case] expected: Exposure,
) {
    let mut world = World::default();
    world.account("boarding");
    world.account("partner");
    let function = world.function("open-gate", "boarding", None);
    world.resource("bucket:own", "boarding");
    world.resource("bucket:theirs", "partner");
    let names: Box<[Name]> = sources.iter().map(|name| world.builder.name(name)).collect();
    let service = Principal::Service(world.builder.name("object-store"));
    let pinned = Condition::Test(Attribute::SourceResource, Test::Equals(names));
    world.admit(Thing::Function(function), &[service], &allow(&[INVOKE]).when(pinned));
    let estate = world.finish();
    assert_eq!(Effects::new(&estate).exposure(function).to, expected);
}

/// An endpoint that asks who calls exposes as far as those who may invoke are outside, and is told as what lets them in.
#[rstest]
#[case::anyone("anyone", Exposure::Anyone)]
#[case::signed_in("signed-in", Exposure::SignedIn)]
#[case::foreign("foreign", Exposure::Outsider)]
#[case::outside("outside", Exposure::Outsider)]
#[case::own("own", Exposure::Insiders)]
#[case::an_identity("identity", Exposure::Insiders)]
#[case::a_group_of_insiders("group", Exposure::Insiders)]
#[case::a_group_with_a_stranger("mixed", Exposure::Outsider)]
fn an_endpoint_that_asks_who_calls_exposes_to_whoever_may_invoke(
    #[case] who: &str,
    #[case] expected: Exposure,
) {
    let (estate, endpoint) = behind(Check::Identity, Network::Internet, |world, function| {
        let foreign = world.account("partner");
        let role = Principal::Identity(world.identity("role", "boarding"));
        let till = Principal::Outside(world.builder.name("pay.example/till"));
        let principal = match who {
            "anyone" => Principal::Anyone,
            "signed-in" => Principal::SignedIn,
            "foreign" => Principal::Account(foreign),
            "outside" => till,
            "own" => Principal::Account(world.builder.mention("boarding")),
            "identity" => role,
            "group" => Principal::Group(world.group("crew", &[role], None)),
            _ => Principal::Group(world.group("crew", &[role, till], None)),
        };
        world.admit(Thing::Function(function), &[principal], &allow(&[INVOKE]));
        world.grant(Principal::Account(foreign), At::Everywhere, &[allow(&[INVOKE])]);
    });
    let access = Effects::new(&estate);
    let function = estate.get(endpoint).unwrap().function;
    let exposed = access.exposure(function);
    assert_eq!((exposed.to, exposed.surely), (expected, true));
    let through = (expected != Exposure::Insiders).then_some((function, Some(endpoint)));
    assert_eq!(exposed.through, through);
    // What is told without its insiders is what is told with them.
    assert_eq!(exposed.to, access.ways_in(function).exposed().to);
}

#[test]
fn what_is_switched_off_is_exposed_to_nobody() {
    let (estate, endpoint) = behind(Check::None, Network::Internet, |world, _| {
        let off = world.function("off", "gate", None);
        world.endpoint("off-door", off, Check::None, Network::Internet);
    });
    let access = Effects::new(&estate);
    assert_eq!(access.callers_at(endpoint).len(), 1);
    let mut world = World::default();
    world.account("boarding");
    let function = world.function_off("kiosk");
    let endpoint = world.endpoint("door", function, Check::None, Network::Internet);
    let estate = world.finish();
    let access = Effects::new(&estate);
    assert!(access.callers_at(endpoint).is_empty());
    assert_eq!(access.exposure(function).to, Exposure::Insiders);
}

#[test]
fn what_is_reached_through_code_counts_one_circle_narrower() {
    let (estate, endpoint) = behind(Check::None, Network::Internet, |_, _| {});
    let exposed = Effects::new(&estate).exposure(estate.get(endpoint).unwrap().function);
    assert_eq!((exposed.to, exposed.through_code().to), (Exposure::Anyone, Exposure::SignedIn));
}

/// How exposed a function is that admits whoever holds the site's token, which anyone has, if conditions hold.
fn by_a_public_token(conditions: impl FnOnce(&mut World) -> Vec<Condition>) -> (Exposure, Exposure) {
    let mut world = World::default();
    world.account("boarding");
    let function = world.function("open-gate", "boarding", None);
    let site = world.builder.mention("site");
    world.verifier(|_, _| {});
    token(&mut world, |_, _| {});
    let line = conditions(&mut world).into_iter().fold(allow(&[INVOKE]), crate::support::Line::when);
    world.admit(Thing::Function(function), &[Principal::Token(site)], &line);
    let estate = world.finish();
    let exposed = Effects::new(&estate).exposure(function);
    (exposed.to, exposed.surely_to)
}

#[test]
fn whoever_has_a_public_token_comes_from_anywhere_or_only_from_where_conditions_name() {
    let from = |net: &str| {
        vec![Condition::Test(Attribute::CallerNetwork, Test::InNetwork(Box::new([net.parse().unwrap()])))]
    };
    assert_eq!(by_a_public_token(|_| Vec::new()), (Exposure::Anyone, Exposure::Anyone));
    assert_eq!(by_a_public_token(|_| from("203.0.113.0/24")), (Exposure::Outsider, Exposure::Outsider));
    assert_eq!(by_a_public_token(|_| from("10.0.0.0/8")), (Exposure::Insiders, Exposure::Insiders));
    let of_account = |world: &mut World| {
        let lab = world.builder.name("lab");
        vec![Condition::Test(Attribute::CallerAccount, Test::Equals(Box::new([lab])))]
    };
    assert_eq!(by_a_public_token(of_account), (Exposure::Outsider, Exposure::Outsider));
}
