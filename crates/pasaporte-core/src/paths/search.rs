//! The search: from some nodes outward, a step at a time, in each of the four qualities that a path may have. Steps of one
//! length are taken in the order of names, so that the order of input does not matter.
//!
//! Whoever is somebody may do what anyone may, so most of what a search comes to, one from anyone came to as well. That one
//! is made once and kept: where another comes to a place of it, and not sooner, it goes on as that one did.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::edges::Edges;
use super::found::{Found, Place};
use super::worth::{All, IsWorth, Sought, Source};
use super::{Edge, Element, Node, Paths, Quality, Rank, Step};
use crate::access::{Taken, Verdict};
use crate::estate::{Principal, ResourceId};

/// Questions that are asked of the decision before a search says that it does not know the rest.
const MOST_ASKED: usize = 40_000_000;
/// Edges that are kept for searches with something gone.
const MOST_KEPT: usize = 2_000_000;
/// Places whose edges are asked about at once.
const AT_ONCE: usize = 64;

/// All edges of nodes, as far as searches with something gone came to them.
#[derive(Debug, Default)]
pub(super) struct Graph {
    edges: FxHashMap<Node, Arc<[Edge]>>,
    count: usize,
}

/// What would be entered anyhow needs no asking.
struct Unmet<'f> {
    found: &'f Found,
    /// Of the path that led here.
    quality: Quality,
}

impl IsWorth for Unmet<'_> {
    fn leads_on(&self, to: Node, influence: bool) -> bool {
        let influence = self.quality.influence || influence;
        !self.found.has(to, Quality { influence, ..self.quality })
    }

    fn feeds_on(&self, source: Source) -> bool {
        self.found.left.any(source, self.quality.depends)
    }

    fn left_among(
        &self,
        part: &Arc<Taken>,
        sought: Sought,
        is_left: &dyn Fn(ResourceId) -> bool,
        take: &mut dyn FnMut(ResourceId),
    ) {
        let of = (std::ptr::from_ref::<Taken>(part).addr(), sought, self.quality);
        let known = self.found.remaining.of(&of);
        let all = known.as_deref().unwrap_or_else(|| sought.of(part));
        let left: Vec<ResourceId> = all.iter().copied().filter(|id| is_left(*id)).collect();
        left.iter().copied().for_each(take);
        if left.len() * 2 <= all.len() && all.len() > FEW {
            self.found.remaining.keep(of, left);
        }
    }
}

/// So few are gone through rather than kept apart.
const FEW: usize = 16;

/// Where anyone begins.
const ANYONE: Node = Node::Who(Principal::Anyone);

impl<'e> Paths<'_, 'e> {
    /// Everything that can be come to from some nodes.
    pub fn from(&self, starts: &[Node]) -> Arc<Found> {
        let anyone = self.of_anyone();
        if starts == [ANYONE] { anyone } else { Arc::new(self.search_beside(starts, Some(&anyone))) }
    }

    /// The same of several sets of nodes, side by side.
    pub fn from_each(&self, starts: &[Vec<Node>]) -> Vec<Arc<Found>> {
        // All of them go on as anyone does, so that comes first.
        self.of_anyone();
        starts.par_iter().map(|starts| self.from(starts)).collect()
    }

    /// Everything that anyone can come to; kept.
    fn of_anyone(&self) -> Arc<Found> {
        // Not held while it is looked for: whoever waits for it might be needed for that.
        let known = || self.anyone.lock().expect("nobody panics while holding it");
        if let Some(found) = &*known() {
            return Arc::clone(found);
        }
        let found = Arc::new(self.search_beside(&[ANYONE], None));
        Arc::clone(known().get_or_insert(found))
    }

    /// A search that goes on as another one did where it came to the same.
    fn search_beside(&self, starts: &[Node], other: Option<&Found>) -> Found {
        let other = other.filter(|other| other.complete);
        self.search(starts, |found, places| {
            let anyone = found.place(ANYONE, Quality::default());
            let other = other.zip(anyone.map(|place| place.far));
            let of =
                |place: &Place| self.edges_of(found.node(place), &Unmet { found, quality: place.quality });
            // What takes no questions is not worth handing to another processor.
            let at_once = |place: &Place| match found.node(place) {
                Node::Code(_) => Some(of(place)),
                _ => Some(Edges { all: led_on(other?, found, place)?, asked: 0 }),
            };
            let mut edges: Vec<Option<Edges>> =
                places.iter().map(|number| at_once(found.at(*number))).collect();
            let mut open: Vec<_> =
                edges.iter_mut().zip(places).filter(|(edges, _)| edges.is_none()).collect();
            open.par_iter_mut().for_each(|(edges, number)| **edges = Some(of(found.at(**number))));
            Some(edges.into_iter().flatten().collect())
        })
    }

    /// The same where some things that let somebody through are gone. All edges of what is come to are found and kept, for
    /// the next of such searches.
    pub fn without(&self, starts: &[Node], gone: &FxHashSet<Element>) -> Found {
        let mut graph = self.graph.lock().expect("nobody panics while holding it");
        self.search(starts, |found, places| {
            let mut open: Vec<Node> = places.iter().map(|number| found.node(found.at(*number))).collect();
            open.retain(|node| !graph.edges.contains_key(node));
            open.sort_unstable();
            open.dedup();
            if !open.is_empty() && graph.count > MOST_KEPT {
                return None;
            }
            let new: Vec<Edges> = open.par_iter().map(|node| self.edges_of(*node, &All)).collect();
            let mut asked = 0;
            for (node, edges) in open.into_iter().zip(new) {
                asked += edges.asked;
                graph.count += edges.all.len();
                graph.edges.insert(node, edges.all.into());
            }
            let left = places.iter().map(|number| {
                let place = found.at(*number);
                let from = found.node(place);
                let edges = graph.edges.get(&from).map_or(&[][..], |edges| edges);
                let is_worth = |edge: &&Edge| !found.has(edge.to, place.quality.after(edge));
                let left = |edge: &Edge| {
                    if gone.is_empty() { Some(*edge) } else { self.left_of(from, *edge, gone) }
                };
                let all = edges.iter().filter(is_worth).filter_map(left);
                Edges { all: all.collect(), asked: std::mem::take(&mut asked) }
            });
            Some(left.collect())
        })
    }

    /// Goes from some nodes along the edges that are given for places, those of a level in order; a level is as far from the
    /// starts as another step leads.
    fn search(
        &self,
        starts: &[Node],
        mut edges_of: impl FnMut(&Found, &[u32]) -> Option<Vec<Edges>>,
    ) -> Found {
        let mut found = Found::new(self.effects.estate(), self.sources.left());
        let mut starts: Vec<Node> = starts.to_vec();
        if !starts.is_sorted_by_key(|node| self.rank(*node)) {
            starts.sort_by_cached_key(|node| self.rank(*node));
        }
        for node in starts {
            self.enter(&mut found, node, Quality::default(), None);
        }
        let (mut begun, mut level) = (0, found.places());
        while begun < level {
            while begun < level {
                let places = batch(&found, &mut begun, level);
                let edges = if found.asked > MOST_ASKED { None } else { edges_of(&found, &places) };
                let Some(edges) = edges else {
                    found.complete = false;
                    continue;
                };
                for (number, edges) in places.iter().zip(edges) {
                    found.asked += edges.asked;
                    let (quality, since) = (found.at(*number).quality, found.places());
                    // Those before may have led to some of it meanwhile.
                    let is_left = |edge: &Edge| !found.has(edge.to, quality.after(edge));
                    let mut edges: Vec<Edge> = edges.all.into_iter().filter(is_left).collect();
                    edges.sort_by_cached_key(|edge| self.rank(edge.to));
                    for edge in edges {
                        let by = (*number, edge.step, edge.verdict);
                        self.enter(&mut found, edge.to, quality.after(&edge), Some(by));
                    }
                    found.leave(*number, since);
                }
            }
            level = found.places();
        }
        found.settle();
        found
    }

    /// Enters a node, if it was not entered so before, nor by a path that is as good; and the crowds that it is one of.
    fn enter(&self, found: &mut Found, node: Node, quality: Quality, by: Option<(u32, Step, Verdict)>) {
        let fed = [false, true].map(|depends| Quality { influence: true, depends });
        let before = fed.map(|quality| found.has(node, quality));
        let Some(number) = found.enter(node, quality, by) else { return };
        match node {
            Node::Code(function) => {
                for (fed, was_met) in fed.into_iter().zip(before) {
                    if !was_met && found.has(node, fed) {
                        self.sources.come_to(self.effects, function, fed.depends, &mut found.left);
                    }
                }
            }
            // As one of a crowd they may do what the crowd may.
            Node::Who(who) => {
                for crowd in [Principal::SignedIn, Principal::Anyone] {
                    if self.is_one_of(who, crowd) {
                        let by = (number, Step::Is, Verdict::Yes);
                        self.enter(found, Node::Who(crowd), quality, Some(by));
                    }
                }
            }
            Node::Access(_) | Node::Data(_) => {}
        }
    }

    /// By what a node is in order among others.
    pub fn rank(&self, node: Node) -> Rank<'e> {
        self.order.of(self.effects.estate(), node)
    }
}

/// The next places before an end whose edges are found at once: so many of somebody or of access, with what is between.
/// Data leads nowhere.
fn batch(found: &Found, begun: &mut u32, end: u32) -> Vec<u32> {
    let (mut all, mut asking) = (Vec::new(), 0);
    while *begun < end && asking < AT_ONCE {
        match found.node(found.at(*begun)) {
            Node::Data(_) => {}
            Node::Code(_) => all.push(*begun),
            Node::Who(_) | Node::Access(_) => {
                all.push(*begun);
                asking += 1;
            }
        }
        *begun += 1;
    }
    all
}

/// How another search, which began with anyone, went on from a place that this one comes to, no sooner after it came to
/// anyone, so many steps from its start: whatever that one did not come to from here, it came to otherwise, no later, as
/// this one does.
fn led_on((other, anyone): (&Found, u32), found: &Found, place: &Place) -> Option<Vec<Edge>> {
    let there = other.number(found.node(place), place.quality)?;
    if place.far < anyone + other.at(there).far {
        return None;
    }
    let is_left = |edge: &Edge| !found.has(edge.to, place.quality.after(edge));
    Some(other.edges_from(there).filter(is_left).collect())
}
