//! Functions that make themselves run by what they write, itself or by way of others.
//!
//! An identity makes functions run by what it may write to; each runs as an identity again. Identities that come back to
//! themselves so are parts of one knot; only inside of knots circles are looked for.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BTreeSet, VecDeque};

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::{FunctionId, Id, IdentityId, Principal, TriggerId};
use pasaporte_core::paths::{Paths, knots, ranks};

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
    let mut next: Vec<Box<[u32]>> = vec![Box::default(); estate.count::<IdentityId>()];
    for (from, all) in &feedings {
        next[from.index()] = all.iter().map(|it| it.as_identity.index() as u32).collect();
    }
    let knots = knots(&next);
    // What leads out of a knot leads nowhere back.
    for (from, all) in &mut feedings {
        let knot = knots[from.index()];
        all.retain(|it| knot.is_some() && knots[it.as_identity.index()] == knot);
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

/// What identities that code runs as make run by what they write, in order of names: all that may lead back to them.
fn feedings(paths: &Paths<'_, '_>) -> Feedings {
    let estate = paths.effects().estate();
    let (functions, triggers) = (ranks::<FunctionId>(estate), ranks::<TriggerId>(estate));
    // The decision is asked only of those who may come back to themselves, and of what leads back.
    let likely = paths.likely_knots();
    let running = estate.all::<IdentityId>().map(|(id, _)| id).filter(|id| likely[id.index()].is_some());
    let runs_as = |function: FunctionId| estate.get(function).and_then(|it| estate.runs_as(it));
    let of_one = |id: IdentityId| {
        let leads_back = |to: IdentityId| likely[to.index()] == likely[id.index()];
        let fed = paths.feeds_any_of(Principal::Identity(id), |it| runs_as(it).is_some_and(leads_back));
        let fed = fed.into_iter();
        let mut of_it: Vec<Feeding> = fed
            .filter_map(|(trigger, function, verdict)| {
                let as_identity = runs_as(function)?;
                Some(Feeding { function, trigger, verdict, as_identity })
            })
            .collect();
        of_it.sort_unstable_by_key(|it| {
            (functions[it.function.index()], Reverse(it.verdict), triggers[it.trigger.index()])
        });
        of_it.dedup_by_key(|it| it.function);
        (id, of_it)
    };
    let all: Vec<(IdentityId, Vec<Feeding>)> =
        running.collect::<Vec<_>>().into_par_iter().map(of_one).collect();
    all.into_iter().filter(|(_, of_it)| !of_it.is_empty()).collect()
}

/// The shortest way from a function, which runs as an identity, back to it.
fn round(
    feedings: &Feedings,
    identity: IdentityId,
    start: FunctionId,
    left: &mut usize,
) -> Option<Vec<Feeding>> {
    let mut from: FxHashMap<IdentityId, Option<(IdentityId, Feeding)>> =
        FxHashMap::from_iter([(identity, None)]);
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
