//! The search: from some nodes outward, a step at a time, in each of the four qualities that a path may have.
//!
//! A path that is longer and stronger is kept beside one that is shorter and weaker, since what follows may make them
//! alike: so each node has four places, one for each quality, and each is entered once, by the shortest path. Steps of
//! one length are taken in the order of names, so that the order of input does not matter.

use std::sync::Mutex;

use indexmap::IndexSet;
use rayon::prelude::*;
use rustc_hash::{FxBuildHasher, FxHashSet};

use super::{Edge, Element, Node, Paths, Quality, Step};
use crate::access::Verdict;
use crate::entry::Through;

/// Edges that are looked at before a search says that it does not know the rest.
const MOST_EDGES: usize = 40_000_000;

/// Nodes and their edges, as far as anybody came to them.
#[derive(Debug, Default)]
pub(super) struct Graph {
    known: Mutex<Known>,
}

#[derive(Debug, Default)]
struct Known {
    nodes: IndexSet<Node, FxBuildHasher>,
    edges: Vec<Option<Box<[Link]>>>,
    count: usize,
}

/// An edge as it is kept: where it leads by number.
#[derive(Debug, Clone, Copy)]
struct Link {
    to: u32,
    step: Step,
    verdict: Verdict,
}

impl Known {
    fn number(&mut self, node: Node) -> u32 {
        let (at, is_new) = self.nodes.insert_full(node);
        if is_new {
            self.edges.push(None);
        }
        at as u32
    }
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
#[derive(Debug)]
pub struct Found {
    /// Of each node and quality from where it was entered: the place before, and its edge.
    entered: Vec<[Option<Entered>; 4]>,
    /// The nodes that were come to, in the order in which they were.
    reached: Vec<Node>,
    nodes: IndexSet<Node, FxBuildHasher>,
    /// Whether all edges were looked at.
    pub complete: bool,
}

#[derive(Debug, Clone, Copy)]
struct Entered {
    /// The node and quality before, and the step; none where the search began here.
    from: Option<(u32, u8, Step, Verdict)>,
}

impl Found {
    /// The nodes that can be come to, those where the search began among them.
    pub fn nodes(&self) -> &[Node] {
        &self.reached
    }

    /// The best path to a node: control before influence, sure before conditional, then the shortest.
    pub fn path(&self, to: Node) -> Option<Path> {
        self.each_path(to).next()
    }

    fn path_of(&self, to: Node, quality: Quality) -> Option<Path> {
        let at = self.nodes.get_index_of(&to)?;
        self.entered(at, quality)?;
        let mut hops: Vec<Hop> = Vec::new();
        let (mut at, mut label) = (at, quality.index());
        loop {
            let here = self.entered.get(at)?[label]?;
            let Some((before, label_before, step, verdict)) = here.from else { break };
            let from = *self.nodes.get_index(before as usize)?;
            let to = *self.nodes.get_index(at)?;
            hops.push(Hop { from, edge: Edge { to, step, verdict } });
            (at, label) = (before as usize, label_before as usize);
        }
        hops.reverse();
        let start = *self.nodes.get_index(at)?;
        Some(Path { start, hops: hops.into(), quality })
    }

    /// The shortest path of each quality to a node.
    pub fn each_path(&self, to: Node) -> impl Iterator<Item = Path> {
        Quality::ALL.into_iter().filter_map(move |quality| self.path_of(to, quality))
    }

    fn entered(&self, at: usize, quality: Quality) -> Option<Entered> {
        self.entered.get(at).and_then(|labels| labels[quality.index()])
    }
}

impl Paths<'_, '_> {
    /// Everything that can be come to from some nodes.
    pub fn from(&self, starts: &[Node]) -> Found {
        self.without(starts, &FxHashSet::default())
    }

    /// The same where some things that let somebody through are gone.
    pub fn without(&self, starts: &[Node], gone: &FxHashSet<Element>) -> Found {
        let mut known = self.graph.known.lock().expect("nobody panics while holding it");
        let mut entered: Vec<[Option<Entered>; 4]> = Vec::new();
        let mut reached: Vec<Node> = Vec::new();
        let mut level: Vec<(u32, u8)> = Vec::new();
        let mut starts: Vec<Node> = starts.to_vec();
        starts.sort_by_cached_key(|node| self.name(*node));
        starts.dedup();
        for node in starts {
            let at = known.number(node);
            enter(&mut entered, &mut reached, &known, at, Quality::default(), Entered { from: None });
            level.push((at, 0));
        }
        let mut complete = true;
        while !level.is_empty() {
            complete &= self.find_edges(&mut known, &level);
            let mut next: Vec<(u32, u8)> = Vec::new();
            for &(at, label) in &level {
                let quality = Quality::ALL[label as usize];
                let links = known.edges[at as usize].clone().unwrap_or_default();
                for link in &links {
                    let (from, to) = (known.nodes[at as usize], known.nodes[link.to as usize]);
                    let edge = Edge { to, step: link.step, verdict: link.verdict };
                    let edge = if gone.is_empty() { Some(edge) } else { self.left_of(from, edge, gone) };
                    let Some(edge) = edge else { continue };
                    let after = quality.after(&edge);
                    let by = Entered { from: Some((at, label, edge.step, edge.verdict)) };
                    if enter(&mut entered, &mut reached, &known, link.to, after, by) {
                        next.push((link.to, after.index() as u8));
                    }
                }
            }
            level = next;
        }
        Found { entered, reached, nodes: known.nodes.clone(), complete }
    }

    /// Finds the edges of the nodes of a level, with all processors; whether all were looked at.
    fn find_edges(&self, known: &mut Known, level: &[(u32, u8)]) -> bool {
        let mut open: Vec<u32> = level.iter().map(|(at, _)| *at).collect();
        open.sort_unstable();
        open.dedup();
        open.retain(|at| known.edges[*at as usize].is_none());
        if known.count > MOST_EDGES {
            return open.is_empty();
        }
        let nodes: Vec<Node> = open.iter().map(|at| known.nodes[*at as usize]).collect();
        let found: Vec<Vec<Edge>> = nodes
            .par_iter()
            .map(|node| {
                let mut edges = self.edges_of(*node);
                edges.sort_by_cached_key(|edge| self.name(edge.to));
                edges
            })
            .collect();
        for (at, edges) in open.into_iter().zip(found) {
            known.count += edges.len();
            let links: Box<[Link]> = edges
                .into_iter()
                .map(|edge| Link { to: known.number(edge.to), step: edge.step, verdict: edge.verdict })
                .collect();
            known.edges[at as usize] = Some(links);
        }
        true
    }

    /// What a node is called: its kind and its label.
    pub fn name(&self, node: Node) -> (u8, String) {
        let estate = self.effects.estate();
        match node {
            Node::Who(who) => (0, estate.principal_label(who)),
            Node::Code(id) => (1, estate.id(id).to_owned()),
            Node::Access(id) => (2, estate.id(id).to_owned()),
            Node::Data(id) => (3, estate.id(id).to_owned()),
        }
    }

    /// How many nodes and edges were looked at so far.
    pub fn size(&self) -> (usize, usize) {
        let known = self.graph.known.lock().expect("nobody panics while holding it");
        (known.nodes.len(), known.count)
    }
}

/// Enters a node in a quality, if it was not entered so before, nor in one that is as good in both.
fn enter(
    entered: &mut Vec<[Option<Entered>; 4]>,
    reached: &mut Vec<Node>,
    known: &Known,
    at: u32,
    quality: Quality,
    by: Entered,
) -> bool {
    let at = at as usize;
    if entered.len() <= at {
        entered.resize(known.nodes.len().max(at + 1), [None; 4]);
    }
    let labels = &mut entered[at];
    // A shorter path that is as good or better in both makes this one needless: it came first.
    let better = Quality::ALL.into_iter().any(|other| {
        other.influence <= quality.influence
            && other.depends <= quality.depends
            && labels[other.index()].is_some()
    });
    if better {
        return false;
    }
    if labels.iter().all(Option::is_none) {
        reached.push(known.nodes[at]);
    }
    labels[quality.index()] = Some(by);
    true
}
