//! Functions that make themselves run by what they write, itself or by way of others.
//!
//! An identity makes functions run by what it may write to; each runs as an identity again. Identities that come back to
//! themselves so are parts of one knot; only inside of knots circles are looked for.

use std::collections::{BTreeMap, BTreeSet, VecDeque};

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{FunctionId, IdentityId, Principal, TriggerId};
use pasaporte_core::paths::Paths;

/// Steps that are taken in search of circles, all in all.
const MOST_STEPS: usize = 5_000_000;

/// A function that makes itself run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Round {
    /// The first by name of those on the way round.
    pub(crate) function: FunctionId,
    /// The triggers on the way.
    pub(crate) triggers: Vec<TriggerId>,
    /// Surely, or perhaps.
    pub(crate) verdict: Verdict,
}

/// A function that an identity makes run by what it writes, and the identity that that runs as.
#[derive(Debug, Clone, Copy)]
struct Feeding {
    function: FunctionId,
    trigger: TriggerId,
    verdict: Verdict,
    as_identity: IdentityId,
}

type Feedings = BTreeMap<IdentityId, Vec<Feeding>>;

/// All functions that make themselves run, each told once, with the shortest way round; and whether all were looked at.
pub(crate) fn rounds(paths: &Paths<'_, '_>) -> (Vec<Round>, bool) {
    let estate = paths.effects().estate();
    let mut feedings = feedings(paths);
    let knots = knots(&feedings);
    // What leads out of a knot leads nowhere back.
    for (from, all) in &mut feedings {
        all.retain(|it| knots.get(from).is_some_and(|knot| knots.get(&it.as_identity) == Some(knot)));
    }
    let mut starts: Vec<(IdentityId, FunctionId)> = feedings
        .iter()
        .filter(|(_, all)| !all.is_empty())
        .flat_map(|(id, _)| estate.functions_as(*id).iter().map(|function| (*id, *function)))
        .collect();
    starts.sort_by_key(|(_, function)| estate.id(*function));
    let mut told: BTreeSet<FunctionId> = BTreeSet::new();
    let mut all = Vec::new();
    let mut left = MOST_STEPS;
    for (identity, function) in starts {
        if told.contains(&function) {
            continue;
        }
        if let Some(round) = round(&feedings, identity, function, &mut left) {
            told.extend(round.iter().map(|it| it.function));
            let verdict = round.iter().map(|it| it.verdict).min().unwrap_or(Verdict::Yes);
            let triggers = round.iter().map(|it| it.trigger).collect();
            all.push(Round { function, triggers, verdict });
        }
    }
    (all, left > 0)
}

/// What identities that code runs as make run by what they write, in order of names.
fn feedings(paths: &Paths<'_, '_>) -> Feedings {
    let estate = paths.effects().estate();
    let mut all = Feedings::new();
    for (id, _) in estate.all::<IdentityId>().filter(|(id, _)| !estate.functions_as(*id).is_empty()) {
        let mut of_it: Vec<Feeding> = paths
            .feeds(Principal::Identity(id))
            .into_iter()
            .filter_map(|(trigger, function, verdict)| {
                let as_identity = estate.runs_as(estate.get(function)?)?;
                Some(Feeding { function, trigger, verdict, as_identity })
            })
            .collect();
        of_it
            .sort_by_key(|it| (estate.id(it.function), std::cmp::Reverse(it.verdict), estate.id(it.trigger)));
        of_it.dedup_by_key(|it| it.function);
        if !of_it.is_empty() {
            all.insert(id, of_it);
        }
    }
    all
}

/// The knot that each identity is in which comes back to itself. (Strongly connected components after Tarjan, without recursion.)
fn knots(feedings: &Feedings) -> BTreeMap<IdentityId, usize> {
    #[derive(Default)]
    struct Seen {
        order: BTreeMap<IdentityId, (usize, usize)>,
        open: Vec<IdentityId>,
        is_open: BTreeSet<IdentityId>,
    }
    let mut seen = Seen::default();
    let mut knots: BTreeMap<IdentityId, usize> = BTreeMap::new();
    let next = |id: IdentityId| feedings.get(&id).map_or(&[][..], |all| all);
    for &start in feedings.keys() {
        if seen.order.contains_key(&start) {
            continue;
        }
        let mut work: Vec<(IdentityId, usize)> = vec![(start, 0)];
        while let Some((at, step)) = work.pop() {
            if step == 0 {
                let number = seen.order.len();
                seen.order.insert(at, (number, number));
                seen.open.push(at);
                seen.is_open.insert(at);
            }
            let Some(it) = next(at).get(step) else {
                let (number, low) = seen.order[&at];
                if low == number {
                    let from = seen.open.iter().rposition(|id| *id == at).unwrap_or(0);
                    let knot = seen.open.split_off(from);
                    for id in &knot {
                        seen.is_open.remove(id);
                    }
                    let is_round = knot.len() > 1 || next(at).iter().any(|it| it.as_identity == at);
                    if is_round {
                        knots.extend(knot.into_iter().map(|id| (id, number)));
                    }
                }
                if let Some((before, _)) = work.last() {
                    let above = seen.order[before];
                    seen.order.insert(*before, (above.0, above.1.min(low)));
                }
                continue;
            };
            work.push((at, step + 1));
            let to = it.as_identity;
            match seen.order.get(&to).copied() {
                None => work.push((to, 0)),
                Some((number, _)) if seen.is_open.contains(&to) => {
                    let (own, low) = seen.order[&at];
                    seen.order.insert(at, (own, low.min(number)));
                }
                Some(_) => {}
            }
        }
    }
    knots
}

/// The shortest way from a function, which runs as an identity, back to it.
fn round(
    feedings: &Feedings,
    identity: IdentityId,
    start: FunctionId,
    left: &mut usize,
) -> Option<Vec<Feeding>> {
    let mut from: BTreeMap<IdentityId, Option<(IdentityId, Feeding)>> = BTreeMap::from([(identity, None)]);
    let mut open = VecDeque::from([identity]);
    while let Some(at) = open.pop_front() {
        for it in feedings.get(&at)? {
            *left = left.checked_sub(1)?;
            if it.function == start {
                let mut round = vec![*it];
                let mut back = at;
                while let Some((before, it)) = from[&back] {
                    round.push(it);
                    back = before;
                }
                round.reverse();
                return Some(round);
            }
            from.entry(it.as_identity).or_insert_with(|| {
                open.push_back(it.as_identity);
                Some((at, *it))
            });
        }
    }
    None
}
