//! Who makes a function run by writing to what triggers it, as a search for paths finds it: from whoever it comes to, by
//! what they hold, and not from the source. Held to what the ways in say, which are found the other way round, and to the
//! second opinion.

use std::collections::BTreeSet;

use crate::support::naive::{Given, Naive};
use crate::support::recipe::{Cooked, cook, recipe};
use crate::support::{Line, World, allow, deny, estates};
use pasaporte_core::access::Verdict;
use pasaporte_core::effect::Effects;
use pasaporte_core::entry::Through;
use pasaporte_core::estate::*;
use pasaporte_core::paths::{Node, Paths, Step, knots};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;

/// Two accounts; a queue and a function that runs on it in the one, an identity in each.
struct Port {
    world: World,
    queue: Thing,
    function: FunctionId,
    near: IdentityId,
    far: IdentityId,
}

impl Port {
    fn new(cross_account: CrossAccount) -> Self {
        let mut world = World::default();
        for id in ["port", "line"] {
            world.scope_with(ScopeKind::Account, id, None, |scope| scope.cross_account = cross_account);
        }
        let (near, far) = (world.identity("berth-role", "port"), world.identity("fare-role", "line"));
        let queue = world.resource("queue:arrivals", "port");
        let function = world.function("assign-berth", "port", None);
        world.trigger("on-arrival", function, queue);
        Self { world, queue, function, near, far }
    }

    /// How surely somebody makes the function run by its source, as paths say.
    fn fed(self, who: Principal) -> Option<Verdict> {
        let function = self.function;
        let estate = self.world.finish();
        let effects = Effects::new(&estate);
        let paths = Paths::new(&effects, Vec::new());
        let found = paths.from(&[Node::Who(who)]);
        let path = found.path(Node::Code(function))?;
        assert!(path.quality.influence, "whoever writes an event only influences");
        let hop = path.hops.iter().find(|hop| matches!(hop.edge.step, Step::Invokes(Through::Source(_))))?;
        Some(hop.edge.verdict)
    }
}

const SEND: &[&str] = &["queue/send"];

#[rstest]
#[case::what_it_names(allow(SEND).on(&["queue:arrivals"]), Some(Verdict::Yes))]
#[case::with_a_wildcard(allow(&["queue/*"]).on(&["queue:*"]), Some(Verdict::Yes))]
#[case::of_whichever_service(allow(&["q*/send"]), Some(Verdict::Yes))]
#[case::with_a_second_factor(allow(SEND).when(Condition::Test(Attribute::SecondFactor, Test::Present(true))), Some(Verdict::Depends))]
#[case::another_queue(allow(SEND).on(&["queue:departures"]), None)]
#[case::but_for_this_one(allow(SEND).but_on(&["queue:arrivals"]), None)]
#[case::what_only_reads(allow(&["queue/read", "queue/list"]), None)]
#[case::what_writes_to_tables(allow(&["table/write"]), None)]
#[case::but_for_writing(allow(&["queue/*"]).but(&["queue/*e*", "queue/*u*", "queue/*t*"]), None)]
fn a_grant_feeds_what_it_lets_write_to(#[case] line: Line, #[case] fed: Option<Verdict>) {
    let mut port = Port::new(CrossAccount::BothSides);
    let who = Principal::Identity(port.near);
    port.world.grant(who, At::Everywhere, &[line]);
    assert_eq!(port.fed(who), fed);
}

/// Whoever has the code of one that listens to a queue and writes there makes all others run that listen to it.
#[rstest]
fn all_that_listen_are_fed(#[values(1, 2, 5)] others: usize, #[values(true, false)] surely: bool) {
    let mut port = Port::new(CrossAccount::BothSides);
    let code = port.world.function("board", "port", Some("berth-role"));
    port.world.trigger("on-board", code, port.queue);
    let mut listening = vec![port.function];
    for number in 1..others {
        let function = port.world.function(&format!("board-{number}"), "port", None);
        port.world.trigger(&format!("on-board-{number}"), function, port.queue);
        listening.push(function);
    }
    let line = if surely { allow(SEND) } else { allow(SEND).when(second_factor()) };
    port.world.grant(Principal::Identity(port.near), At::Everywhere, &[line]);
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    let found = Paths::new(&effects, Vec::new()).from(&[Node::Code(code)]);
    for function in listening {
        let path = found.path(Node::Code(function)).expect("it is fed");
        assert_eq!((path.quality.influence, path.quality.depends), (true, !surely));
    }
}

/// What was come to perhaps, of many that several may write to, is come to surely by whoever surely may and is met later.
#[test]
fn what_was_fed_perhaps_is_fed_surely_later() {
    let mut port = Port::new(CrossAccount::BothSides);
    let functions: Vec<FunctionId> = (0..40)
        .map(|number| {
            let queue = port.world.resource(&format!("queue:gate-{number}"), "port");
            let function = port.world.function(&format!("gate-{number}"), "port", None);
            port.world.trigger(&format!("on-gate-{number}"), function, queue);
            function
        })
        .collect();
    let [perhaps, between, surely] =
        ["tide-role", "pier-role", "mole-role"].map(|id| port.world.identity(id, "port"));
    let to_all = |line: Line| line.on(&["queue:*"]);
    let acts_as = |who: &str, when: bool| {
        let line = allow(&["identity/assume"]).on(&[&format!("identity:{who}")]);
        if when { line.when(second_factor()) } else { line }
    };
    let everywhere = At::Everywhere;
    let of = [
        (
            port.near,
            vec![
                to_all(allow(SEND)).when(second_factor()),
                acts_as("tide-role", true),
                acts_as("pier-role", false),
            ],
        ),
        (perhaps, vec![to_all(allow(SEND))]),
        (between, vec![acts_as("mole-role", false)]),
        (surely, vec![to_all(allow(SEND))]),
    ];
    for (who, lines) in of {
        port.world.grant(Principal::Identity(who), everywhere, &lines);
    }
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    let found = Paths::new(&effects, Vec::new()).from(&[Node::Who(Principal::Identity(port.near))]);
    for function in functions {
        let path = found.path(Node::Code(function)).expect("it is fed");
        assert!(!path.quality.depends, "whoever becomes mole-role surely makes it run");
    }
}

fn second_factor() -> Condition {
    Condition::Test(Attribute::SecondFactor, Test::Present(true))
}

/// By which name somebody may write.
#[derive(Debug, Clone, Copy)]
enum By {
    Itself,
    Group,
    Account,
    SignedIn,
    Anyone,
}

fn name(port: &mut Port, by: By) -> Principal {
    match by {
        By::Itself => Principal::Identity(port.near),
        By::Group => Principal::Group(port.world.group("crew", &[Principal::Identity(port.near)], None)),
        By::Account => Principal::Account(port.world.builder.mention("port")),
        By::SignedIn => Principal::SignedIn,
        By::Anyone => Principal::Anyone,
    }
}

#[rstest]
fn by_whichever_name_and_road(
    #[values(By::Itself, By::Group, By::Account, By::SignedIn, By::Anyone)] by: By,
    #[values("a grant", "a set", "its access list")] road: &str,
) {
    let mut port = Port::new(CrossAccount::BothSides);
    let to = name(&mut port, by);
    match road {
        "a grant" => port.world.grant(to, At::Thing(port.queue), &[allow(SEND)]),
        "a set" => {
            let set = port.world.set("senders", &[allow(SEND)], &[]);
            port.world.grant_with(to, At::Everywhere, &[], |grant| grant.set = Some(set));
        }
        _ => port.world.admit(port.queue, &[to], &allow(SEND)),
    }
    let who = Principal::Identity(port.near);
    assert_eq!(port.fed(who), Some(Verdict::Yes));
}

#[rstest]
#[case::a_deny_for_itself(|port: &mut Port| { let who = Principal::Identity(port.near); port.world.grant(who, At::Everywhere, &[deny(SEND)]) })]
#[case::a_deny_on_the_queue(|port: &mut Port| { let who = Principal::Identity(port.near); port.world.admit(port.queue, &[who], &deny(&["queue/*"])) })]
#[case::a_ceiling_that_leaves_reading(|port: &mut Port| { let id = port.near; port.world.ceiling(Bounded::Identity(id), &[allow(&["queue/read"])]) })]
fn what_takes_writing_away_takes_the_step_away(#[case] take: fn(&mut Port)) {
    let mut port = Port::new(CrossAccount::BothSides);
    let who = Principal::Identity(port.near);
    port.world.grant(who, At::Everywhere, &[allow(SEND)]);
    take(&mut port);
    assert_eq!(port.fed(who), None);
}

#[rstest]
#[case::one_side_is_enough(CrossAccount::OneSide, false, Some(Verdict::Yes))]
#[case::one_side_of_two(CrossAccount::BothSides, false, None)]
#[case::both_sides(CrossAccount::BothSides, true, Some(Verdict::Yes))]
fn another_account_needs_its_side(
    #[case] cross_account: CrossAccount,
    #[case] admitted: bool,
    #[case] fed: Option<Verdict>,
) {
    let mut port = Port::new(cross_account);
    let who = Principal::Identity(port.far);
    port.world.grant(who, At::Everywhere, &[allow(SEND)]);
    if admitted {
        port.world.admit(port.queue, &[who], &allow(SEND));
    }
    assert_eq!(port.fed(who), fed);
}

/// A group's members write, and not the group: what is denied to all of them is no step of the group's either. A group that is
/// of no account does so perhaps, since its account may have to agree.
#[rstest]
#[case::one_may(false, Some(Verdict::Depends))]
#[case::none_may(true, None)]
fn a_group_feeds_by_its_members(#[case] denied: bool, #[case] fed: Option<Verdict>) {
    let mut port = Port::new(CrossAccount::BothSides);
    let member = Principal::Identity(port.near);
    let group = Principal::Group(port.world.group("crew", &[member], None));
    port.world.grant(group, At::Everywhere, &[allow(SEND)]);
    if denied {
        port.world.grant(member, At::Everywhere, &[deny(SEND)]);
    }
    assert_eq!(port.fed(group), fed);
}

#[test]
fn what_is_switched_off_does_not_run() {
    let mut world = World::default();
    world.account("port");
    let who = Principal::Identity(world.identity("berth-role", "port"));
    let queue = world.resource("queue:arrivals", "port");
    let off = world.function_off("assign-berth");
    world.trigger("on-arrival", off, queue);
    world.grant(who, At::Everywhere, &[allow(SEND)]);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let paths = Paths::new(&effects, Vec::new());
    assert!(paths.from(&[Node::Who(who)]).path(Node::Code(off)).is_none());
    assert!(paths.feeds(who).is_empty());
}

/// What runs on another function's ending has a function for its source.
#[test]
fn a_function_may_be_a_source() {
    let mut port = Port::new(CrossAccount::BothSides);
    let next = port.world.function("post-notice", "port", None);
    port.world.trigger("after-berth", next, Thing::Function(port.function));
    let who = Principal::Identity(port.near);
    port.world.grant(who, At::Thing(Thing::Function(port.function)), &[allow(&["function/send"])]);
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    let paths = Paths::new(&effects, Vec::new());
    let fed: Vec<FunctionId> = paths.feeds(who).into_iter().map(|(_, function, _)| function).collect();
    assert_eq!(fed, [next]);
    assert!(paths.from(&[Node::Who(who)]).path(Node::Code(next)).is_some());
}

/// Of a source that the estate does not have nobody knows whose it is: whoever may write to whatever there is, perhaps may there.
#[rstest]
#[case::whatever_there_is(allow(SEND), Some(Verdict::Depends))]
#[case::by_its_name(allow(SEND).on(&["queue:elsewhere"]), Some(Verdict::Depends))]
#[case::another(allow(SEND).on(&["queue:arrivals"]), None)]
fn a_source_that_was_not_seen_may_be_fed(#[case] line: Line, #[case] fed: Option<Verdict>) {
    let mut port = Port::new(CrossAccount::BothSides);
    let next = port.world.function("post-notice", "port", None);
    let unseen = Thing::Resource(port.world.builder.mention("queue:elsewhere"));
    let trigger = port.world.trigger("on-notice", next, unseen);
    let who = Principal::Identity(port.near);
    port.world.grant(who, At::Everywhere, &[line]);
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    let feeds = Paths::new(&effects, Vec::new()).feeds(who);
    let told = feeds.into_iter().find(|(it, ..)| *it == trigger).map(|(.., verdict)| verdict);
    assert_eq!(told, fed);
    assert_eq!(effects.feeding_as(who, trigger).map(|caller| caller.verdict), fed, "as the ways in say");
}

/// One queue, two functions: one write makes both run, and each trigger is told.
#[test]
fn all_that_listens_runs() {
    let mut port = Port::new(CrossAccount::BothSides);
    let other = port.world.function("post-notice", "port", None);
    port.world.trigger("notice-on-arrival", other, port.queue);
    let who = Principal::Identity(port.near);
    port.world.grant(who, At::Everywhere, &[allow(SEND)]);
    let function = port.function;
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    let fed = Paths::new(&effects, Vec::new()).feeds(who);
    let functions: BTreeSet<FunctionId> = fed.iter().map(|(_, function, _)| *function).collect();
    assert_eq!(functions, BTreeSet::from([function, other]));
    assert!(fed.iter().all(|(.., verdict)| *verdict == Verdict::Yes));
}

#[rstest]
#[case::to_anyone(Principal::Anyone)]
#[case::to_whoever_is_signed_in(Principal::SignedIn)]
fn what_everybody_may_write_to_is_nobodys_own_feed(#[case] crowd: Principal) {
    let mut port = Port::new(CrossAccount::BothSides);
    port.world.grant(crowd, At::Everywhere, &[allow(SEND)]);
    let who = Principal::Identity(port.near);
    let estate = port.world.finish();
    let effects = Effects::new(&estate);
    assert!(Paths::new(&effects, Vec::new()).feeds(who).is_empty());
}

/// The triggers of a small random estate that somebody feeds, with how surely, by the ways in.
fn by_the_ways_in(cooked: &Cooked, effects: &Effects<'_>, who: Principal) -> BTreeSet<(TriggerId, Verdict)> {
    let estate = &cooked.estate;
    let fed = estate.all::<TriggerId>().filter_map(|(id, _)| {
        let source = effects.live_source(id)?;
        let caller = effects.feeding_as(who, id)?;
        (estate.label(source) == "queue:q").then_some((id, caller.verdict))
    });
    fed.collect()
}

proptest! {
    #![proptest_config(estates(300, RngSeed::Fixed(7)))]

    /// Identities that come back to themselves by what they write are in one likely knot, and what is asked of some
    /// functions is what is found of all.
    #[test]
    fn who_comes_back_is_in_a_likely_knot(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let estate = &cooked.estate;
        let paths = Paths::new(&effects, Vec::new());
        let likely = paths.likely_knots();
        let mut next: Vec<Box<[u32]>> = vec![Box::default(); estate.count::<IdentityId>()];
        for (id, _) in estate.all::<IdentityId>().filter(|(id, _)| !estate.functions_as(*id).is_empty()) {
            let fed = paths.feeds(Principal::Identity(id));
            let led_to = fed.iter().filter_map(|(_, function, _)| estate.runs_as(estate.get(*function)?));
            next[id.index()] = led_to.map(|to| to.index() as u32).collect();
            for (function, _) in estate.all::<FunctionId>() {
                let of_it = paths.feeds_any_of(Principal::Identity(id), |it| it == function);
                let among_all: Vec<_> = fed.iter().copied().filter(|(_, it, _)| *it == function).collect();
                prop_assert_eq!(of_it, among_all);
            }
        }
        // Whoever is led back to by a way of any length.
        let leads_to = |from: usize| {
            let mut all: BTreeSet<usize> = BTreeSet::new();
            let mut open = vec![from];
            while let Some(at) = open.pop() {
                let more = next[at].iter().map(|to| *to as usize);
                open.extend(more.filter(|to| all.insert(*to)));
            }
            all
        };
        let known = knots(&next);
        for from in 0..next.len() {
            let to = leads_to(from);
            prop_assert_eq!(known[from].is_some(), to.contains(&from));
            for other in to.into_iter().filter(|other| leads_to(*other).contains(&from)) {
                prop_assert_eq!(known[from], known[other]);
                prop_assert!(likely[from].is_some() && likely[from] == likely[other]);
            }
        }
    }

    /// Whom a search finds to feed what, from whoever it is, is whom the ways in find from the source.
    #[test]
    fn what_somebody_feeds_is_what_the_ways_in_say(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        let naive = Naive::new(&cooked, &recipe);
        for who in cooked.identities.map(Principal::Identity) {
            let told: BTreeSet<(TriggerId, Verdict)> =
                paths.feeds(who).into_iter().map(|(trigger, _, verdict)| (trigger, verdict)).collect();
            let by_ways = by_the_ways_in(&cooked, &effects, who);
            prop_assert!(told.is_subset(&by_ways), "{told:?}, {by_ways:?}");
            // What it may and no crowd may is found; where no line of the estate says otherwise, these words write.
            if !recipe.words.is_empty() {
                continue;
            }
            for (trigger, _) in cooked.estate.all::<TriggerId>() {
                let Some(source) = effects.live_source(trigger) else { continue };
                let may = |who| ["queue/send", "queue/write", "queue/publish", "queue/put"]
                    .iter()
                    .map(|action| naive.decide(who, action, source, &Given::default()))
                    .max();
                let everybody = [Principal::Anyone, Principal::SignedIn].into_iter().filter_map(may).max();
                let is_told = told.iter().any(|(it, _)| *it == trigger);
                if may(who) > Some(0) && everybody == Some(0) {
                    prop_assert!(is_told, "{} is left out", cooked.estate.principal_label(who));
                }
                let surely = told.contains(&(trigger, Verdict::Yes));
                prop_assert!(!surely || may(who) == Some(2), "{} is told as sure", cooked.estate.principal_label(who));
            }
        }
    }
}
