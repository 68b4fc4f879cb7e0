//! What a search came to, and by which steps.
//!
//! A path that is longer and stronger is kept beside one that is shorter and weaker, since what follows may make them
//! alike: so each node has four places, one for each quality, and each is entered once, by the shortest path.

use std::ops::Range;
use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::sources::Left;
use super::worth::Sought;
use super::{Edge, Node, Quality, Step};
use crate::access::Verdict;
use crate::entry::Through;
use crate::estate::{Estate, FunctionId, Id, IdentityId, Principal, ResourceId};

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

/// The best path to a node, without its steps.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Nearest {
    /// Where it begins.
    pub start: Node,
    /// How strong and how sure it is.
    pub quality: Quality,
    /// How long it is.
    pub len: usize,
}

/// What a search came to.
#[derive(Debug, Default)]
pub struct Found {
    /// The nodes that were come to, those where the search began among them, in the order in which they were.
    nodes: Vec<Node>,
    met: Met,
    /// Of each node the number of the place by which it was entered, for each quality.
    places: Vec<[u32; 4]>,
    /// The places, in the order in which they were entered.
    entered: Vec<Place>,
    /// How many of those that listen to each source were not come to.
    pub(super) left: Left,
    /// What is left of many that several get at.
    pub(super) remaining: Remaining,
    /// How many questions were asked.
    pub(super) asked: usize,
    /// Whether all edges were looked at.
    pub complete: bool,
}

/// That a node was not entered, or not so.
const NOWHERE: u32 = u32::MAX;

/// A node as it was entered.
#[derive(Debug, Clone)]
pub(super) struct Place {
    /// Its number among nodes.
    node: u32,
    pub(super) quality: Quality,
    /// How many steps the path has that led here; that somebody is of a crowd is none.
    pub(super) far: u32,
    /// The place before, and the step; none where the search began here.
    from: Option<(u32, Step, Verdict)>,
    /// The places that were entered while this one was left.
    led_to: Range<u32>,
}

/// By which qualities nodes were entered, a bit for each, and their numbers: of code, data and identities, of which there
/// are many and which are asked about most often, without a look-up.
#[derive(Debug, Default)]
struct Met {
    qualities: [Box<[u8]>; 3],
    numbers: [Box<[u32]>; 3],
    others: FxHashMap<Node, (u8, u32)>,
}

impl Met {
    fn new(estate: &Estate) -> Self {
        let counts =
            [estate.count::<FunctionId>(), estate.count::<ResourceId>(), estate.count::<IdentityId>()];
        Self {
            qualities: counts.map(|count| vec![0; count].into()),
            numbers: counts.map(|count| vec![NOWHERE; count].into()),
            others: FxHashMap::default(),
        }
    }

    /// Where a node is; none where it is not kept so.
    fn place(node: Node) -> Option<(usize, usize)> {
        match node {
            Node::Code(id) => Some((0, id.index())),
            Node::Data(id) => Some((1, id.index())),
            Node::Who(Principal::Identity(id)) => Some((2, id.index())),
            Node::Who(_) | Node::Access(_) => None,
        }
    }

    /// The bits of the qualities by which a node was entered.
    fn qualities(&self, node: Node) -> u8 {
        match Self::place(node) {
            Some((kind, at)) => self.qualities[kind][at],
            None => self.others.get(&node).map_or(0, |(qualities, _)| *qualities),
        }
    }

    /// The number of a node that was entered.
    fn number(&self, node: Node) -> Option<u32> {
        match Self::place(node) {
            Some((kind, at)) => Some(self.numbers[kind][at]).filter(|number| *number != NOWHERE),
            None => self.others.get(&node).map(|(_, number)| *number),
        }
    }

    /// Adds a quality by which a node is entered; its number is this one if it has none.
    fn add(&mut self, node: Node, quality: Quality, new: u32) -> u32 {
        let (qualities, number) = if let Some((kind, at)) = Self::place(node) {
            (&mut self.qualities[kind][at], &mut self.numbers[kind][at])
        } else {
            let (qualities, number) = self.others.entry(node).or_insert((0, NOWHERE));
            (qualities, number)
        };
        *qualities |= quality.bit();
        if *number == NOWHERE {
            *number = new;
        }
        *number
    }
}

impl Found {
    /// Nothing yet, of an estate.
    pub(super) fn new(estate: &Estate, left: Left) -> Self {
        Self { complete: true, met: Met::new(estate), left, ..Self::default() }
    }

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

    /// The same without its steps.
    pub fn nearest(&self, to: Node) -> Option<Nearest> {
        let number = self.places_of(to)?.into_iter().find(|number| *number != NOWHERE)?;
        let mut first = self.at(number);
        while let Some((before, ..)) = first.from {
            first = self.at(before);
        }
        let place = self.at(number);
        Some(Nearest { start: self.node(first), quality: place.quality, len: place.far as usize })
    }

    /// The shortest path of each quality to a node.
    pub fn each_path(&self, to: Node) -> impl Iterator<Item = Path> {
        Quality::ALL.into_iter().filter_map(move |quality| self.path_of(to, quality))
    }

    fn path_of(&self, to: Node, quality: Quality) -> Option<Path> {
        let mut hops: Vec<Hop> = Vec::new();
        let mut place = self.place(to, quality)?;
        while let Some((before, step, verdict)) = place.from {
            let edge = Edge { to: self.node(place), step, verdict };
            place = self.at(before);
            hops.push(Hop { from: self.node(place), edge });
        }
        hops.reverse();
        Some(Path { start: self.node(place), hops: hops.into(), quality })
    }

    /// A node as it was entered by a path of a quality.
    pub(super) fn place(&self, node: Node, quality: Quality) -> Option<&Place> {
        self.number(node, quality).map(|number| self.at(number))
    }

    /// A place by its number.
    pub(super) fn at(&self, number: u32) -> &Place {
        &self.entered[number as usize]
    }

    /// How many places there are.
    pub(super) fn places(&self) -> u32 {
        self.entered.len() as u32
    }

    pub(super) fn node(&self, place: &Place) -> Node {
        self.nodes[place.node as usize]
    }

    /// The edges by which a place led on.
    pub(super) fn edges_from(&self, number: u32) -> impl Iterator<Item = Edge> {
        let led_to = self.at(number).led_to.clone();
        led_to.map(|at| self.at(at)).filter_map(move |place| {
            let (_, step, verdict) = place.from.filter(|(from, ..)| *from == number)?;
            Some(Edge { to: self.node(place), step, verdict })
        })
    }

    /// The number of a node's place.
    pub(super) fn number(&self, node: Node, quality: Quality) -> Option<u32> {
        let number = self.places_of(node)?[quality.index()];
        (number != NOWHERE).then_some(number)
    }

    fn places_of(&self, node: Node) -> Option<[u32; 4]> {
        self.met.number(node).map(|number| self.places[number as usize])
    }

    /// Whether a node was entered by a path that is as good as this in both: it came first, so it is as short or shorter.
    pub(super) fn has(&self, node: Node, quality: Quality) -> bool {
        self.met.qualities(node) & quality.as_good() != 0
    }

    /// Enters a node, if it was not entered so before, nor by a path that is as good; the number of its place.
    pub(super) fn enter(
        &mut self,
        to: Node,
        quality: Quality,
        from: Option<(u32, Step, Verdict)>,
    ) -> Option<u32> {
        if self.has(to, quality) {
            return None;
        }
        let node = self.met.add(to, quality, self.nodes.len() as u32);
        if node as usize == self.nodes.len() {
            self.nodes.push(to);
            self.places.push([NOWHERE; 4]);
        }
        let number = self.places();
        self.places[node as usize][quality.index()] = number;
        let far = from.map_or(0, |(before, step, _)| self.at(before).far + u32::from(step.is_told()));
        self.entered.push(Place { node, quality, far, from, led_to: 0..0 });
        Some(number)
    }

    /// All was entered: gives back what growing took in advance.
    pub(super) fn settle(&mut self) {
        self.nodes.shrink_to_fit();
        self.places.shrink_to_fit();
        self.entered.shrink_to_fit();
    }

    /// A place was left: it led to all that were entered since.
    pub(super) fn leave(&mut self, number: u32, since: u32) {
        let led_to = since..self.places();
        self.entered[number as usize].led_to = led_to;
    }
}

/// Resources that several get at, as they are kept; what is sought among them; and by a path of which quality.
pub(super) type Part = (usize, Sought, Quality);

/// What is left of many that several get at: what was come to once is not looked at again.
#[derive(Debug, Default)]
pub(super) struct Remaining(Mutex<FxHashMap<Part, Arc<[ResourceId]>>>);

impl Remaining {
    pub(super) fn of(&self, part: &Part) -> Option<Arc<[ResourceId]>> {
        self.0.lock().expect("nobody panics while holding it").get(part).cloned()
    }

    pub(super) fn keep(&self, part: Part, left: Vec<ResourceId>) {
        self.0.lock().expect("nobody panics while holding it").insert(part, left.into());
    }
}
