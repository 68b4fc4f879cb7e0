//! The search: from some nodes outward, a step at a time, in each of the four qualities that a path may have.
//!
//! A path that is longer and stronger is kept beside one that is shorter and weaker, since what follows may make them
//! alike: so each node has four places, one for each quality, and each is entered once, by the shortest path. Steps of
//! one length are taken in the order of names, so that the order of input does not matter.

use std::sync::{Arc, Mutex};

use indexmap::IndexSet;
use rayon::prelude::*;
use rustc_hash::{FxBuildHasher, FxHashMap, FxHashSet};

use super::edges::Edges;
use super::sources::Left;
use super::worth::{All, IsWorth, Sought, Source};
use super::{Edge, Element, Node, Paths, Quality, Step};
use crate::access::{Taken, Verdict};
use crate::entry::Through;
use crate::estate::{Estate, FunctionId, Id, IdentityId, Principal, ResourceId};

/// Questions that are asked of the decision before a search says that it does not know the rest.
const MOST_ASKED: usize = 40_000_000;
/// Edges that are kept for searches with something gone.
const MOST_KEPT: usize = 2_000_000;
/// Nodes whose edges are found at once.
const AT_ONCE: usize = 64;

/// All edges of nodes, as far as searches with something gone came to them.
#[derive(Debug, Default)]
pub(super) struct Graph {
    edges: FxHashMap<Node, Arc<[Edge]>>,
    count: usize,
}

/// A step of a path.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hop {
    /// From whom or what.
    pub from: Node,
    /// By which edge.
    pub edge: Edge,
}

/// A path: from somebody to something, step by step.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Path {
    /// Where it begins.
    pub start: Node,
    /// Its steps.
    pub hops: Box<[Hop]>,
    /// How strong and how sure it is.
    pub quality: Quality,
}

impl Path {
    /// Where it ends.
    pub fn end(&self) -> Node {
        self.hops.last().map_or(self.start, |hop| hop.edge.to)
    }

    /// The steps that are told.
    pub fn told(&self) -> impl Iterator<Item = &Hop> {
        self.hops.iter().filter(|hop| hop.edge.step.is_told())
    }

    /// How long it is.
    pub fn len(&self) -> usize {
        self.told().count()
    }

    /// Whether it has no step.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// The place of the weakest step among all: influence before what depends on something; the first of its sort.
    pub fn weakest(&self) -> Option<usize> {
        let influence = self.hops.iter().position(|hop| hop.edge.step.is_influence());
        influence.or_else(|| self.hops.iter().position(|hop| hop.edge.verdict != Verdict::Yes))
    }

    /// The others that it takes on its way: identities and keys that it comes to have, and sources that it writes to.
    pub fn others(&self) -> usize {
        let told = self.hops.iter().map(|hop| hop.edge).filter(|edge| edge.step.is_told());
        let other = |edge: &Edge| {
            matches!(edge.to, Node::Who(_)) || matches!(edge.step, Step::Invokes(Through::Source(_)))
        };
        told.filter(other).count()
    }
}

/// What a search came to.
#[derive(Debug, Default)]
pub struct Found {
    /// The nodes that were come to, those where the search began among them, in the order in which they were.
    nodes: IndexSet<Node, FxBuildHasher>,
    /// Of each node and quality from where it was entered.
    entered: Vec<[Option<Entered>; 4]>,
    /// By which qualities code, data and identities were entered: what is asked most often, without a look-up.
    met: Met,
    /// How many of those that listen to each source were not come to.
    left: Left,
    /// What is left of many that several get at.
    remaining: Remaining,
    /// How many questions were asked.
    asked: usize,
    /// Whether all edges were looked at.
    pub complete: bool,
}

/// By which qualities code, data and identities were entered, a bit for each.
#[derive(Debug, Default)]
struct Met([Box<[u8]>; 3]);

impl Met {
    fn new(estate: &Estate) -> Self {
        let counts =
            [estate.count::<FunctionId>(), estate.count::<ResourceId>(), estate.count::<IdentityId>()];
        Self(counts.map(|count| vec![0; count].into()))
    }

    /// Where the bits of a node are; none where they are not kept here.
    fn place(node: Node) -> Option<(usize, usize)> {
        match node {
            Node::Code(id) => Some((0, id.index())),
            Node::Data(id) => Some((1, id.index())),
            Node::Who(Principal::Identity(id)) => Some((2, id.index())),
            Node::Who(_) | Node::Access(_) => None,
        }
    }

    fn get(&self, node: Node) -> Option<u8> {
        let (kind, at) = Self::place(node)?;
        self.0[kind].get(at).copied()
    }

    fn add(&mut self, node: Node, quality: Quality) {
        if let Some((kind, at)) = Self::place(node)
            && let Some(met) = self.0[kind].get_mut(at)
        {
            *met |= quality.bit();
        }
    }
}

#[derive(Debug, Clone, Copy)]
struct Entered {
    /// The place before, and the step; none where the search began here.
    from: Option<(Place, Step, Verdict)>,
}

/// A node, by number, as it was entered.
#[derive(Debug, Clone, Copy)]
struct Place {
    at: u32,
    quality: Quality,
}

impl Found {
    /// The nodes that can be come to, those where the search began among them.
    pub fn nodes(&self) -> impl ExactSizeIterator<Item = Node> {
        self.nodes.iter().copied()
    }

    /// How many nodes were come to, and how many questions were asked for that.
    pub fn size(&self) -> (usize, usize) {
        (self.nodes.len(), self.asked)
    }

    /// The best path to a node: control before influence, sure before conditional, then the shortest.
    pub fn path(&self, to: Node) -> Option<Path> {
        self.each_path(to).next()
    }

    fn path_of(&self, to: Node, quality: Quality) -> Option<Path> {
        let mut hops: Vec<Hop> = Vec::new();
        let at = self.nodes.get_index_of(&to)?;
        let mut place = Place { at: at as u32, quality };
        while let Some((before, step, verdict)) = self.entered[place.at as usize][place.quality.index()]?.from
        {
            let edge = Edge { to: self.node(place), step, verdict };
            hops.push(Hop { from: self.node(before), edge });
            place = before;
        }
        hops.reverse();
        Some(Path { start: self.node(place), hops: hops.into(), quality })
    }

    fn node(&self, place: Place) -> Node {
        self.nodes[place.at as usize]
    }

    /// The shortest path of each quality to a node.
    pub fn each_path(&self, to: Node) -> impl Iterator<Item = Path> {
        Quality::ALL.into_iter().filter_map(move |quality| self.path_of(to, quality))
    }

    /// Whether a node was entered by a path that is as good as this in both: it came first, so it is as short or shorter.
    fn has(&self, node: Node, quality: Quality) -> bool {
        if let Some(met) = self.met.get(node) {
            return met & quality.as_good() != 0;
        }
        let Some(at) = self.nodes.get_index_of(&node) else { return false };
        let is_entered = |other: &&Quality| self.entered[at][other.index()].is_some();
        Quality::ALL.iter().filter(is_entered).any(|other| quality.as_good() & other.bit() != 0)
    }

    /// Enters a node, if it was not entered so before, nor by a path that is as good.
    fn enter(&mut self, node: Node, quality: Quality, by: Entered) -> Option<Place> {
        if self.has(node, quality) {
            return None;
        }
        let (at, is_new) = self.nodes.insert_full(node);
        if is_new {
            self.entered.push([None; 4]);
        }
        self.entered[at][quality.index()] = Some(by);
        self.met.add(node, quality);
        Some(Place { at: at as u32, quality })
    }
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

/// Resources that several get at, as they are kept; what is sought among them; and by a path of which quality.
type Part = (usize, Sought, Quality);

/// What is left of many that several get at: what was come to once is not looked at again.
#[derive(Debug, Default)]
struct Remaining(Mutex<FxHashMap<Part, Arc<[ResourceId]>>>);

impl Remaining {
    fn of(&self, part: &Part) -> Option<Arc<[ResourceId]>> {
        self.0.lock().expect("nobody panics while holding it").get(part).cloned()
    }

    fn keep(&self, part: Part, left: Vec<ResourceId>) {
        self.0.lock().expect("nobody panics while holding it").insert(part, left.into());
    }
}

/// By what nodes are in order: what sort each is of, of somebody which kind, and its name.
pub type Name<'e> = (u8, &'static str, Option<&'e str>);

impl<'e> Paths<'_, 'e> {
    /// Everything that can be come to from some nodes.
    pub fn from(&self, starts: &[Node]) -> Found {
        self.search(starts, |found, places| {
            let edges = places.par_iter().map(|place| {
                self.edges_by_name(found.node(*place), &Unmet { found, quality: place.quality })
            });
            Some(edges.collect())
        })
    }

    /// The same where some things that let somebody through are gone. All edges of what is come to are found and kept, for
    /// the next of such searches.
    pub fn without(&self, starts: &[Node], gone: &FxHashSet<Element>) -> Found {
        let mut graph = self.graph.lock().expect("nobody panics while holding it");
        self.search(starts, |found, places| {
            let mut open: Vec<Node> = places.iter().map(|place| found.node(*place)).collect();
            open.retain(|node| !graph.edges.contains_key(node));
            open.sort_unstable();
            open.dedup();
            if !open.is_empty() && graph.count > MOST_KEPT {
                return None;
            }
            let new: Vec<Edges> = open.par_iter().map(|node| self.edges_by_name(*node, &All)).collect();
            let mut asked = 0;
            for (node, edges) in open.into_iter().zip(new) {
                asked += edges.asked;
                graph.count += edges.all.len();
                graph.edges.insert(node, edges.all.into());
            }
            let left = places.iter().map(|place| {
                let from = found.node(*place);
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
        mut edges_of: impl FnMut(&Found, &[Place]) -> Option<Vec<Edges>>,
    ) -> Found {
        let met = Met::new(self.effects.estate());
        let mut found = Found { complete: true, met, left: self.sources.left(), ..Found::default() };
        let mut starts: Vec<Node> = starts.to_vec();
        starts.sort_by_cached_key(|node| self.name(*node));
        let begin = |node| self.enter(&mut found, node, Quality::default(), Entered { from: None });
        let mut level: Vec<Place> = starts.into_iter().filter_map(begin).collect();
        while !level.is_empty() {
            let mut next: Vec<Place> = Vec::new();
            for places in level.chunks(AT_ONCE) {
                let edges = if found.asked > MOST_ASKED { None } else { edges_of(&found, places) };
                let Some(edges) = edges else {
                    found.complete = false;
                    continue;
                };
                for (place, edges) in places.iter().zip(edges) {
                    found.asked += edges.asked;
                    for edge in edges.all {
                        let by = Entered { from: Some((*place, edge.step, edge.verdict)) };
                        next.extend(self.enter(&mut found, edge.to, place.quality.after(&edge), by));
                    }
                }
            }
            level = next;
        }
        found
    }

    /// Enters a node, if it was not entered so before, nor by a path that is as good.
    fn enter(&self, found: &mut Found, node: Node, quality: Quality, by: Entered) -> Option<Place> {
        let fed = [false, true].map(|depends| Quality { influence: true, depends });
        let before = fed.map(|quality| found.has(node, quality));
        let place = found.enter(node, quality, by)?;
        if let Node::Code(function) = node {
            for (fed, was_met) in fed.into_iter().zip(before) {
                if !was_met && found.has(node, fed) {
                    self.sources.come_to(self.effects, function, fed.depends, &mut found.left);
                }
            }
        }
        Some(place)
    }

    /// The edges of a node, by the names of what they lead to.
    fn edges_by_name(&self, node: Node, is_worth: &dyn IsWorth) -> Edges {
        let mut edges = self.edges_of(node, is_worth);
        edges.all.sort_by_cached_key(|edge| self.name(edge.to));
        edges
    }

    /// By what a node is in order among others.
    pub fn name(&self, node: Node) -> Name<'e> {
        let estate = self.effects.estate();
        match node {
            Node::Who(who) => {
                let (kind, name) = estate.principal_name(who);
                (0, kind, name)
            }
            Node::Code(id) => (1, "", Some(estate.id(id))),
            Node::Access(id) => (2, "", Some(estate.id(id))),
            Node::Data(id) => (3, "", Some(estate.id(id))),
        }
    }
}
