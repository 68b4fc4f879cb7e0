//! Who comes back to themselves: nodes of a graph that lead to each other are a knot, and circles are inside of knots.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::FxHashMap;

use super::Paths;
use super::sources::Outlet;
use crate::access::Taken;
use crate::estate::{FunctionId, Id, IdentityId, Principal};

/// Of each node the knot that it is in, if it comes back to itself. (Strongly connected components after Tarjan, without
/// recursion.)
pub fn knots(next: &[Box<[u32]>]) -> Box<[Option<u32>]> {
    let mut knots: Box<[Option<u32>]> = vec![None; next.len()].into();
    // When each was come to, and the first that it leads back to.
    let mut order: Box<[Option<(u32, u32)>]> = vec![None; next.len()].into();
    let (mut come_to, mut open, mut is_open) = (0, Vec::<usize>::new(), vec![false; next.len()]);
    for start in (0..next.len()).filter(|at| !next[*at].is_empty()) {
        let mut work: Vec<(usize, usize)> = Vec::new();
        if order[start].is_none() {
            work.push((start, 0));
        }
        while let Some((at, step)) = work.pop() {
            let (number, low) = *order[at].get_or_insert_with(|| {
                come_to += 1;
                open.push(at);
                is_open[at] = true;
                (come_to, come_to)
            });
            if let Some(&to) = next[at].get(step) {
                work.push((at, step + 1));
                let to = to as usize;
                match order[to] {
                    None => work.push((to, 0)),
                    Some((other, _)) if is_open[to] => order[at] = Some((number, low.min(other))),
                    Some(_) => {}
                }
                continue;
            }
            if low == number {
                let from = open.iter().rposition(|id| *id == at).unwrap_or(0);
                let knot = open.split_off(from);
                let is_round = knot.len() > 1 || next[at].contains(&(at as u32));
                for id in knot {
                    is_open[id] = false;
                    knots[id] = is_round.then_some(number);
                }
            }
            if let Some(&(before, _)) = work.last()
                && let Some((number, known)) = order[before]
            {
                order[before] = Some((number, known.min(low)));
            }
        }
    }
    knots
}

impl Paths<'_, '_> {
    /// Of each identity the knot that it may be in at most, by what it and others make run by what they write; without
    /// asking the decision. What is kept of resources that many get at stands between them as a node of its own.
    pub fn likely_knots(&self) -> Box<[Option<u32>]> {
        let estate = self.effects.estate();
        let count = estate.count::<IdentityId>();
        let running = (0..count).into_par_iter().map(|at| {
            let id = IdentityId::new(at);
            let runs = !estate.functions_as(id).is_empty();
            if runs { self.outlets(Principal::Identity(id)) } else { Vec::new() }
        });
        let outlets: Vec<Vec<Outlet>> = running.collect();
        let mut parts: Vec<Arc<Taken>> = Vec::new();
        let mut numbers: FxHashMap<usize, u32> = FxHashMap::default();
        let runs_as = |function: FunctionId| estate.get(function).and_then(|it| estate.runs_as(it));
        let fed = |outlet: &Outlet| {
            self.listening(outlet).into_iter().filter_map(runs_as).map(|id| id.index() as u32)
        };
        let settled = |mut all: Vec<u32>| -> Box<[u32]> {
            all.sort_unstable();
            all.dedup();
            all.into()
        };
        let mut next: Vec<Box<[u32]>> = Vec::with_capacity(count);
        for all in &outlets {
            let mut to: Vec<u32> = Vec::new();
            for outlet in all {
                match outlet {
                    Outlet::One(_) => to.extend(fed(outlet)),
                    Outlet::Part(part) => {
                        let number = numbers.entry(Arc::as_ptr(part).addr()).or_insert_with(|| {
                            parts.push(Arc::clone(part));
                            (count + parts.len() - 1) as u32
                        });
                        to.push(*number);
                    }
                }
            }
            next.push(settled(to));
        }
        next.extend(parts.into_iter().map(|part| settled(fed(&Outlet::Part(part)).collect())));
        let mut all = knots(&next).into_vec();
        all.truncate(count);
        all.into()
    }
}
