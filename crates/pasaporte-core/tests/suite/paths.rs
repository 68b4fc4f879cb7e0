//! Paths go where the decision says, and nowhere else; what is said to cut them cuts, and nothing smaller does. Held over random
//! estates to a closure that asks about every pair.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::naive::{Given, Naive, Tri};
use crate::support::recipe::{ACTIONS, Cooked, cook, recipe};
use crate::support::{World, allow, deny, estates};
use pasaporte_core::access::{ASSUME, Verdict};
use pasaporte_core::effect::Effects;
use pasaporte_core::estate::*;
use pasaporte_core::paths::{Class, Element, Found, Goal, Nearest, Node, Paths, Quality, Rank, Reason, Step};
use proptest::prelude::*;
use proptest::test_runner::RngSeed;
use rstest::rstest;
use rustc_hash::FxHashSet;

/// Actions of which one of each sort that the recipes' patterns tell apart.
fn actions() -> BTreeSet<String> {
    let mut all: BTreeSet<String> = ACTIONS.iter().map(|it| (*it).to_owned()).collect();
    for kind in ["table", "queue", "function", "identity", "key", "access"] {
        let words = [
            "read", "write", "delete", "manage", "create", "update", "zz", "Read", "s-an", "list", "Rea",
            "wr",
        ];
        all.extend(words.map(|word| format!("{kind}/{word}")));
    }
    all.insert("Table/Read".to_owned());
    all.insert("Table/Rx".to_owned());
    all
}

/// A step to something: whether it only influences, and how surely it is taken.
type Stepped = (Node, bool, Verdict);

/// Everything that can be come to, by asking about every pair; and by paths of which qualities.
fn closure(cooked: &Cooked, effects: &Effects<'_>, start: Node) -> BTreeSet<(Node, Quality)> {
    let mut reached = BTreeSet::from([(start, Quality::default())]);
    let mut open = vec![(start, Quality::default())];
    while let Some((node, so_far)) = open.pop() {
        for (next, influence, verdict) in steps(cooked, effects, node) {
            let quality = Quality {
                influence: so_far.influence || influence,
                depends: so_far.depends || verdict != Verdict::Yes,
            };
            if reached.insert((next, quality)) {
                open.push((next, quality));
            }
        }
    }
    reached
}

/// Of qualities those than which none is better in both.
fn best(all: &BTreeSet<Quality>) -> BTreeSet<Quality> {
    let is_as_good = |one: &Quality, other: &Quality| {
        one != other && one.influence <= other.influence && one.depends <= other.depends
    };
    all.iter().filter(|it| !all.iter().any(|other| is_as_good(other, it))).copied().collect()
}

/// Whether somebody is asked about as a stranger to the estate.
fn is_stranger(estate: &Estate, who: Principal) -> bool {
    match who {
        Principal::Anyone | Principal::SignedIn | Principal::Service(_) => true,
        Principal::Account(id) => estate.get(id).is_none(),
        _ => false,
    }
}

fn confidential(estate: &Estate, thing: Thing) -> bool {
    matches!(thing, Thing::Resource(id) if estate.get(id).is_some_and(|it| it.sensitivity == Some(Sensitivity::Confidential)))
}

fn steps(cooked: &Cooked, effects: &Effects<'_>, node: Node) -> Vec<Stepped> {
    let estate = &cooked.estate;
    let below = |scope: ScopeId| {
        let inside = cooked.things.iter().filter(move |thing| estate.lies_in(**thing, Thing::Scope(scope)));
        inside.filter_map(|thing| match *thing {
            Thing::Identity(id) => Some(Node::Who(Principal::Identity(id))),
            Thing::User(id) => Some(Node::Who(Principal::User(id))),
            Thing::Group(id) => Some(Node::Who(Principal::Group(id))),
            Thing::Function(id) => Some(Node::Code(id)),
            Thing::Scope(id) => Some(Node::Access(id)),
            Thing::Resource(id) => confidential(estate, *thing).then_some(Node::Data(id)),
            _ => None,
        })
    };
    let surely = |node: Node| (node, false, Verdict::Yes);
    match node {
        Node::Data(_) => Vec::new(),
        Node::Access(scope) => below(scope).map(surely).collect(),
        Node::Code(function) => {
            let identity = estate.get(function).and_then(|it| estate.runs_as(it));
            identity.map(|id| surely(Node::Who(Principal::Identity(id)))).into_iter().collect()
        }
        Node::Who(who) => of_somebody(cooked, effects, who),
    }
}

fn of_somebody(cooked: &Cooked, effects: &Effects<'_>, who: Principal) -> Vec<Stepped> {
    use ActionClass::{Access, Code, Delete, Manage, Read, Secret, Write};
    let estate = &cooked.estate;
    let mut all: Vec<Stepped> = Vec::new();
    if who != Principal::Anyone {
        all.push((Node::Who(Principal::Anyone), false, Verdict::Yes));
    }
    // Whoever is no insider is like any other who is signed in.
    if matches!(who, Principal::Outside(_))
        || matches!(who, Principal::Account(id) if estate.get(id).is_none())
    {
        all.push((Node::Who(Principal::SignedIn), false, Verdict::Yes));
    }
    let node = |thing: Thing| match thing {
        Thing::Scope(id) => Node::Access(id),
        Thing::Function(id) => Node::Code(id),
        Thing::Identity(id) => Node::Who(Principal::Identity(id)),
        Thing::Key(id) => Node::Who(Principal::Key(id)),
        Thing::User(id) => Node::Who(Principal::User(id)),
        Thing::Group(id) => Node::Who(Principal::Group(id)),
        Thing::Resource(id) => Node::Data(id),
        other => unreachable!("{other:?} is not among them"),
    };
    for &thing in &cooked.things {
        let label = estate.label(thing);
        let kind = label.split(':').next().unwrap().to_owned();
        for action in actions() {
            let (service, _) = action.split_once('/').unwrap();
            let any_case = effects.any_case(thing);
            let same = |one: &str| if any_case { one.eq_ignore_ascii_case(service) } else { one == service };
            let class = effects.catalogue().class(&action, effects.dialect(thing));
            let takes = match thing {
                _ if same("access") => {
                    class == Some(Access)
                        && (!matches!(thing, Thing::Resource(_)) || confidential(estate, thing))
                }
                Thing::Function(_) => same(&kind) && matches!(class, Some(Code | Manage)),
                Thing::Key(_) => same(&kind) && matches!(class, Some(Secret | Read)),
                Thing::Resource(_) => {
                    same(&kind)
                        && confidential(estate, thing)
                        && matches!(class, Some(Read | Write | Delete | Secret))
                }
                Thing::Identity(_) => action == ASSUME,
                Thing::User(_) => action == "user/assume",
                Thing::Group(_) => action == "group/assume",
                _ => false,
            };
            if takes {
                all.push((node(thing), false, effects.may(who, &action, thing)));
            }
        }
        if let Thing::Function(id) = thing {
            all.push((node(thing), true, effects.enters(who, id, effects.given(who))));
            let ways = effects.ways_in(id).all.into_iter().filter(|way| way.caller.who == who);
            all.extend(ways.map(|way| (node(thing), true, way.caller.verdict)));
        }
    }
    let handing = effects.handing(who, |_| true).into_iter();
    all.extend(handing.map(|it| (Node::Who(Principal::Identity(it.identity)), false, it.verdict)));
    if let Principal::Key(id) = who
        && let Some(key) = estate.get(id)
        && key.reach == KeyReach::Admin
    {
        let to = match key.of {
            KeyOf::Scope(scope) => Node::Access(scope),
            KeyOf::Function(function) => Node::Code(function),
        };
        all.push((to, false, effects.accepted(id)));
    }
    all.retain(|(.., verdict)| *verdict != Verdict::No);
    all
}

proptest! {
    #![proptest_config(estates(120, RngSeed::Fixed(7)))]

    #[test]
    fn a_search_comes_to_what_asking_about_every_pair_comes_to(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        for &who in &cooked.principals {
            // A group is its members, and a token's holders are told by what lets them in.
            if matches!(who, Principal::Group(_) | Principal::Token(_) | Principal::Service(_)) {
                continue;
            }
            let start = Node::Who(who);
            let found = paths.from(&[start]);
            let asked = closure(&cooked, &effects, start);
            // Who is signed in is not always told by that name.
            let is_told = |node: &Node| *node != Node::Who(Principal::SignedIn);
            let rank = |node: Node| paths.rank(node);
            let told: BTreeMap<Rank<'_>, BTreeSet<Quality>> = found
                .nodes()
                .filter(is_told)
                .map(|node| (rank(node), best(&found.each_path(node).map(|path| path.quality).collect())))
                .collect();
            let mut by_pairs: BTreeMap<Rank<'_>, BTreeSet<Quality>> = BTreeMap::new();
            for (node, quality) in asked.into_iter().filter(|(node, _)| is_told(node)) {
                by_pairs.entry(rank(node)).or_default().insert(quality);
            }
            for all in by_pairs.values_mut() {
                *all = best(all);
            }
            prop_assert_eq!(told, by_pairs, "from {}", cooked.estate.principal_label(who));
        }
    }

    #[test]
    fn going_on_as_anyone_does_comes_to_the_same_as_near(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        for (word, class) in Class::ALL {
            let starts = paths.starts(*class);
            // Each node with the best qualities by which it is come to, and how far it then is.
            let told = |found: &Found| -> BTreeMap<Node, BTreeMap<Quality, usize>> {
                let of = |node: Node| {
                    let near: BTreeMap<Quality, usize> =
                        found.each_path(node).map(|path| (path.quality, path.len())).collect();
                    let path = found.path(node).unwrap();
                    let told = Nearest { start: path.start, quality: path.quality, len: path.len() };
                    assert_eq!(found.nearest(node), Some(told));
                    let best = best(&near.keys().copied().collect());
                    (node, near.into_iter().filter(|(quality, _)| best.contains(quality)).collect())
                };
                found.nodes().map(of).collect()
            };
            let anew = paths.without(&starts, &FxHashSet::default());
            prop_assert_eq!(told(&paths.from(&starts)), told(&anew), "from {}", word);
        }
    }

    #[test]
    fn every_step_is_an_answer_and_a_second_opinion_agrees(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        let naive = Naive::new(&cooked, &recipe);
        for (_, class) in Class::ALL {
            let found = paths.from(&paths.starts(*class));
            for node in found.nodes() {
                for path in found.each_path(node) {
                    let mut quality = Quality::default();
                    for hop in &path.hops {
                        let reason = paths.reason(hop);
                        prop_assert!(reason.is_some(), "{hop:?} has no reason");
                        quality.influence |= hop.edge.step.is_influence();
                        quality.depends |= hop.edge.verdict != Verdict::Yes;
                        let (Some(Reason::Decided(action, answer)), Node::Who(who)) = (reason, hop.from) else { continue };
                        if !matches!(hop.edge.step, Step::Invokes(_)) {
                            prop_assert_eq!(answer.verdict, hop.edge.verdict, "{:?}", hop);
                        }
                        let known = cooked.principals.contains(&who) && !effects.is_of_everybody(who);
                        if let Some(thing) = hop.edge.to.thing().filter(|_| known) {
                            let from = Some("foreign");
                            let stranger = Given { network: from, ..Given::stranger() };
                            let given = if is_stranger(&cooked.estate, who) { stranger } else { Given::default() };
                            let second = naive.decide(who, action.text(), thing, &given);
                            let first: Tri = match answer.verdict {
                                Verdict::No => 0,
                                Verdict::Depends => 1,
                                Verdict::Yes => 2,
                            };
                            let same = first == second;
                            prop_assert!(same, "{} {} {}: {second:?}", cooked.estate.principal_label(who), action.text(), cooked.estate.label(thing));
                        }
                    }
                    prop_assert_eq!(quality, path.quality);
                }
            }
        }
    }

    #[test]
    fn a_cut_cuts_and_nothing_smaller_does(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        let starts = [Node::Who(Principal::Anyone)];
        let is_goal = |node: Node| matches!(node, Node::Data(_) | Node::Access(_));
        let reaches = |gone: &[Element]| {
            let gone: FxHashSet<Element> = gone.iter().copied().collect();
            paths.without(&starts, &gone).nodes().any(is_goal)
        };
        let Some(cut) = paths.least_cut(&starts, &is_goal) else { return Ok(()) };
        prop_assert!(reaches(&[]) && !reaches(&cut.elements));
        let all = everything(&cooked.estate);
        prop_assert!(cut.elements.iter().all(|element| all.contains(element)));
        let at_least = paths.apart(&starts, &is_goal, 8);
        prop_assert!(at_least <= cut.elements.len(), "{at_least} paths have nothing in common");
        for smaller in choices(&all, cut.elements.len() - 1) {
            prop_assert!(reaches(&smaller), "{smaller:?} is enough, and {:?} was said", cut.elements);
        }
    }

    #[test]
    fn what_a_cut_takes_away_is_gone_from_the_estate_without_it(recipe in recipe()) {
        let cooked = cook(&recipe);
        let effects = Effects::new(&cooked.estate);
        let paths = Paths::new(&effects, Vec::new());
        let starts = [Node::Who(Principal::Anyone)];
        let is_goal = |node: Node| matches!(node, Node::Data(_) | Node::Access(_));
        let Some(cut) = paths.least_cut(&starts, &is_goal) else { return Ok(()) };
        let grants: Option<Vec<usize>> = cut.elements.iter().map(|element| match element {
            Element::Grant(id) => Some(id.index()),
            _ => None,
        }).collect();
        let Some(grants) = grants else { return Ok(()) };
        let mut at = 0;
        let mut left = recipe.clone();
        left.grants.retain(|_| { at += 1; !grants.contains(&(at - 1)) });
        let cooked = cook(&left);
        let effects = Effects::new(&cooked.estate);
        let found = Paths::new(&effects, Vec::new()).from(&starts);
        prop_assert!(found.nodes().all(|node| !is_goal(node)), "{grants:?} of {:?}", recipe.grants);
    }
}

/// Whatever may be taken away.
fn everything(estate: &Estate) -> Vec<Element> {
    let mut all: Vec<Element> = estate.grants().map(|(id, _)| Element::Grant(id)).collect();
    for (at, admission) in estate.admissions().iter().enumerate() {
        let id: AdmissionId = Id::new(at);
        all.extend(estate.list(admission.to).iter().map(|to| Element::Admission(id, *to)));
    }
    all.extend(estate.all::<EndpointId>().map(|(id, _)| Element::Endpoint(id)));
    all.extend(estate.all::<TriggerId>().map(|(id, _)| Element::Trigger(id)));
    all.extend(estate.all::<KeyId>().map(|(id, _)| Element::Key(id)));
    all
}

/// All choices of so many of some, up to three.
fn choices(all: &[Element], size: usize) -> Vec<Vec<Element>> {
    match size {
        0 => vec![Vec::new()],
        1 => all.iter().map(|it| vec![*it]).collect(),
        2 => (0..all.len())
            .flat_map(|one| (one + 1..all.len()).map(move |other| vec![all[one], all[other]]))
            .collect(),
        _ => Vec::new(),
    }
}

/// Identities each of which may act as the next.
fn chain(length: usize) -> Estate {
    let mut world = World::default();
    world.scope(ScopeKind::Account, "a", None);
    let all: Vec<IdentityId> = (0..length).map(|at| world.identity(&format!("i{at:05}"), "a")).collect();
    for pair in all.windows(2) {
        world.admit(Thing::Identity(pair[1]), &[Principal::Identity(pair[0])], &allow(&[ASSUME]));
    }
    let secret = world.resource_with("table:end", "a", |it| it.sensitivity = Some(Sensitivity::Confidential));
    world.grant(Principal::Identity(*all.last().unwrap()), At::Thing(secret), &[allow(&["table/read"])]);
    world.finish()
}

#[rstest]
#[case::short(2)]
#[case::long(10_000)]
fn a_chain_is_followed_to_its_end(#[case] length: usize) {
    let estate = chain(length);
    let effects = Effects::new(&estate);
    let paths = Paths::new(&effects, Vec::new());
    let first: IdentityId = estate.find("i00000").unwrap();
    let found = paths.from(&[Node::Who(Principal::Identity(first))]);
    let end = Node::Data(estate.find("table:end").unwrap());
    let path = found.path(end).expect("the end is come to");
    assert_eq!((path.len(), path.quality.influence, path.quality.depends), (length, false, false));
    assert!(paths.is_goal(Goal::Confidential, path.start, end));
}

// Anyone makes code run as `front`, and comes from there to a table, by another than `near`, who may get at it too.
#[rstest]
#[case::one_who_is_signed_in(&[("b", "front"), ("c", "b"), ("near", "c")], "c", false, 3)]
#[case::code_one_step_before_somebody(&[("b", "front"), ("near", "front")], "b", true, 4)]
fn where_one_comes_to_somebody_sooner_than_anyone_does_their_own_way_is_told(
    #[case] becoming: &[(&str, &str)],
    #[case] reader: &str,
    #[case] by_code: bool,
    #[case] steps: usize,
) {
    let mut world = World::default();
    world.scope(ScopeKind::Account, "a", None);
    let mut identities: BTreeMap<&str, IdentityId> = BTreeMap::new();
    for name in ["front", "b", "c", "near", "own"] {
        identities.insert(name, world.identity(name, "a"));
    }
    let as_of = |name: &str| Principal::Identity(identities[name]);
    let (open, back) =
        (world.function("open", "a", Some("front")), world.function("back", "a", Some("near")));
    let start = world.function("start", "a", Some("own"));
    world.admit(Thing::Function(open), &[Principal::Anyone], &allow(&["function/invoke"]));
    world.admit(Thing::Function(back), &[as_of("own")], &allow(&["function/invoke"]));
    for (to, by) in becoming {
        world.admit(Thing::Identity(identities[to]), &[as_of(by)], &allow(&[ASSUME]));
    }
    let table = world.resource_with("table:t", "a", |it| it.sensitivity = Some(Sensitivity::Confidential));
    world.admit(table, &[as_of(reader), as_of("near")], &allow(&["table/read"]));
    let start = if by_code { Node::Code(start) } else { Node::Who(as_of("own")) };
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let paths = Paths::new(&effects, Vec::new());
    let end = Node::Data(estate.find("table:t").unwrap());
    let path = paths.from(&[start]).path(end).expect("the table is come to");
    assert_eq!((path.len(), path.quality.influence), (steps, true));
}

#[test]
fn identities_that_may_become_each_other_end_the_search() {
    let mut world = World::default();
    world.scope(ScopeKind::Account, "a", None);
    let all: Vec<IdentityId> = (0..40).map(|at| world.identity(&format!("i{at}"), "a")).collect();
    for one in &all {
        let others: Vec<Principal> =
            all.iter().filter(|it| *it != one).map(|it| Principal::Identity(*it)).collect();
        world.admit(Thing::Identity(*one), &others, &allow(&[ASSUME]));
    }
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let found = Paths::new(&effects, Vec::new()).from(&[Node::Who(Principal::Identity(all[0]))]);
    let people = found.nodes().filter(|node| matches!(node, Node::Who(Principal::Identity(_)))).count();
    assert_eq!(people, 40);
    assert!(all[1..].iter().all(|it| found.path(Node::Who(Principal::Identity(*it))).unwrap().len() == 1));
}

#[rstest]
#[case::everything(true, 4)]
#[case::nothing(false, 0)]
fn an_estate_in_which_everybody_may_do_everything_or_nothing(
    #[case] everything: bool,
    #[case] reached: usize,
) {
    let mut world = World::default();
    world.scope(ScopeKind::Account, "a", None);
    world.identity("i", "a");
    world.function("f", "a", Some("i"));
    world.resource_with("table:t", "a", |it| it.sensitivity = Some(Sensitivity::Confidential));
    let line = if everything { allow(&["*"]) } else { deny(&["*"]) };
    world.grant(Principal::Anyone, At::Everywhere, &[line]);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let paths = Paths::new(&effects, Vec::new());
    let found = paths.from(&[Node::Who(Principal::Anyone)]);
    // The identity, the function, the account's access, the table.
    let there = found.nodes().filter(|node| !matches!(node, Node::Who(who) if effects.is_of_everybody(*who)));
    assert_eq!(there.count(), reached);
    assert!(found.complete);
    let cut = paths.least_cut(&[Node::Who(Principal::Anyone)], &|node| matches!(node, Node::Data(_)));
    assert_eq!(cut.map(|cut| cut.elements.len()), everything.then_some(1));
}

#[test]
fn influence_is_never_told_as_control() {
    // Anyone calls f, which may change g; who controls g is what it runs as: still no more than influence.
    let mut world = World::default();
    world.scope(ScopeKind::Account, "a", None);
    let (front, back) = (world.identity("front", "a"), world.identity("back", "a"));
    let function = world.function("f", "a", Some("front"));
    let other = world.function("g", "a", Some("back"));
    world.way_in("door", function, Way::Direct, Check::None, Network::Internet);
    world.grant(
        Principal::Identity(front),
        At::Thing(Thing::Function(other)),
        &[allow(&["function/update"])],
    );
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let found = Paths::new(&effects, Vec::new()).from(&[Node::Who(Principal::Anyone)]);
    let path = found.path(Node::Who(Principal::Identity(back))).unwrap();
    assert!(path.quality.influence);
    assert_eq!(path.weakest(), Some(0));
    assert_eq!(path.hops.last().unwrap().edge.step, Step::RunsAs);
}

/// What anyone is given on a condition that somebody's account fulfils needs no statement of their own, wherever it lies.
#[rstest]
#[case::its_account("line", false)]
#[case::another("pier", true)]
fn what_anyone_is_given_on_an_account_is_sure_for_those_of_it(#[case] account: &str, #[case] depends: bool) {
    let mut world = World::default();
    for id in ["port", "line"] {
        world.scope_with(ScopeKind::Account, id, None, |scope| scope.cross_account = CrossAccount::BothSides);
    }
    let who = Node::Who(Principal::Identity(world.identity("fare-role", "line")));
    let function = world.function("assign-berth", "port", None);
    let of_it = Test::Equals(Box::new([world.builder.name(account)]));
    let invoke = allow(&["function/invoke"]).when(Condition::Test(Attribute::CallerAccount, of_it));
    world.admit(Thing::Function(function), &[Principal::Anyone], &invoke);
    let estate = world.finish();
    let effects = Effects::new(&estate);
    let found = Paths::new(&effects, Vec::new()).from(&[who]);
    let path = found.path(Node::Code(function)).expect("somebody of that account may be anyone");
    assert_eq!((path.quality.influence, path.quality.depends), (true, depends));
}
