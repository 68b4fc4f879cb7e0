//! The search: from some nodes outward, a step at a time, in each of the four qualities that a path may have. Steps of one
//! length are taken in the order of names, so that the order of input does not matter.
//!
//! Whoever is somebody may do what anyone may, so most of what a search comes to, one from anyone came to as well. That one
//! is made once and kept, and lies beneath the others, which ask only for what it does not come to, or later.

use std::sync::Arc;

use rayon::prelude::*;
use rustc_hash::{FxHashMap, FxHashSet};

use super::edges::Edges;
use super::found::Found;
use super::worth::{All, IsWorth, Sought, Source};
use super::{Edge, Element, Node, Paths, Quality, Rank, Step};
use crate::access::{Taken, Verdict};
use crate::entry::Calling;
use crate::estate::{Principal, ResourceId};

/// Questions that are asked of the decision before a search says that it does not know the rest.
const MOST_ASKED: usize = 40_000_000;
/// Edges that are kept for searches with something gone.
const MOST_KEPT: usize = 2_000_000;
/// Places whose edges are asked about at once.
const AT_ONCE: usize = 16;

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
    /// Its steps and one more.
    far: u32,
}

impl IsWorth for Unmet<'_> {
    fn leads_on(&self, to: Node, influence: bool) -> bool {
        let influence = self.quality.influence || influence;
        !self.found.has(to, Quality { influence, ..self.quality }, self.far)
    }

    fn feeds_on(&self, source: Source) -> bool {
        self.found.feeds_on(source, self.quality.depends, self.far)
    }

    fn left_among(
        &self,
        part: &Arc<Taken>,
        sought: Sought,
        is_left: &dyn Fn(ResourceId) -> bool,
        take: &mut dyn FnMut(ResourceId),
    ) {
        let of = (std::ptr::from_ref::<Taken>(part).addr(), sought, self.quality);
        self.found.remaining.take(of, sought.of(part), &|id| is_left(*id), take);
    }

    fn left_called(&self, name: Principal, all: &[Calling], take: &mut dyn FnMut(Calling)) {
        let is_left = |call: &Calling| self.leads_on(Node::Code(call.function), true);
        self.found.calls.take((name, all.len(), self.quality), all, &is_left, take);
    }
}

/// Where anyone begins.
const ANYONE: Node = Node::Who(Principal::Anyone);

impl<'e> Paths<'_, 'e> {
    /// Everything that can be come to from some nodes.
    pub fn from(&self, starts: &[Node]) -> Arc<Found> {
        let anyone = self.of_anyone();
        if starts == [ANYONE] {
            return anyone;
        }
        let found = self.nothing();
        Arc::new(self.ask_from(starts, if anyone.complete { found.above(ANYONE, anyone) } else { found }))
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
        let mut found = self.ask_from(&[ANYONE], self.nothing());
        found.keep_near();
        let found = Arc::new(found);
        Arc::clone(known().get_or_insert(found))
    }

    /// A search that came to nothing yet.
    fn nothing(&self) -> Found {
        Found::new(self.effects.estate(), self.sources.left())
    }

    /// A search that asks about each place that it comes to.
    fn ask_from(&self, starts: &[Node], found: Found) -> Found {
        // Keys to which nothing is given are alike, but for what they open: the first leads to all that they may besides.
        let mut is_asked_of_keys = [false; 4];
        self.search(starts, found, |found, places| {
            let worth = |number: u32| {
                let place = found.at(number);
                Unmet { found, quality: place.quality, far: place.far + 1 }
            };
            let of = |number: u32| self.edges_of(found.node(found.at(number)), &worth(number));
            // What takes no questions is not worth handing to another processor.
            let mut at_once = |number: u32| match found.node(found.at(number)) {
                _ if found.is_beneath(number) => Some(Edges::default()),
                Node::Code(_) => Some(of(number)),
                Node::Who(who @ Principal::Key(key)) if !self.effects.is_given_something(who) => {
                    let is_asked = &mut is_asked_of_keys[found.at(number).quality.index()];
                    std::mem::replace(is_asked, true).then(|| self.opened_by(key, &worth(number)))
                }
                _ => None,
            };
            let mut edges: Vec<Option<Edges>> = places.iter().map(|number| at_once(*number)).collect();
            let mut open: Vec<_> =
                edges.iter_mut().zip(places).filter(|(edges, _)| edges.is_none()).collect();
            open.par_iter_mut().for_each(|(edges, number)| **edges = Some(of(**number)));
            Some(edges.into_iter().flatten().collect())
        })
    }

    /// The same where some things that let somebody through are gone. All edges of what is come to are found and kept, for
    /// the next of such searches.
    pub fn without(&self, starts: &[Node], gone: &FxHashSet<Element>) -> Found {
        let mut graph = self.graph.lock().expect("nobody panics while holding it");
        self.search(starts, self.nothing(), |found, places| {
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
                let is_worth = |edge: &&Edge| !found.has_entered(edge.to, place.quality.after(edge));
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
        mut found: Found,
        mut edges_of: impl FnMut(&Found, &[u32]) -> Option<Vec<Edges>>,
    ) -> Found {
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
                    let quality = found.at(*number).quality;
                    // Those before may have led to some of it meanwhile.
                    let is_left = |edge: &Edge| !found.has_entered(edge.to, quality.after(edge));
                    let mut edges: Vec<Edge> = edges.all.into_iter().filter(is_left).collect();
                    edges.sort_by_cached_key(|edge| self.rank(edge.to));
                    for edge in edges {
                        let by = (*number, edge.step, edge.verdict);
                        self.enter(&mut found, edge.to, quality.after(&edge), Some(by));
                    }
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
        let before = fed.map(|quality| found.has_entered(node, quality));
        let Some(number) = found.enter(node, quality, by) else { return };
        match node {
            Node::Code(function) => {
                let far = found.at(number).far;
                for (fed, was_met) in fed.into_iter().zip(before) {
                    if !was_met && found.has_entered(node, fed) {
                        self.sources.come_to(self.effects, function, (fed.depends, far), &mut found.left);
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
