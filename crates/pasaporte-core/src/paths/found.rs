//! What a search came to, and by which steps.
//!
//! A path that is longer and stronger is kept beside one that is shorter and weaker, since what follows may make them
//! alike: so each node has four places, one for each quality, and each is entered once, by the shortest path.

use std::hash::Hash;
use std::sync::{Arc, Mutex};

use rustc_hash::FxHashMap;

use super::sources::Left;
use super::worth::{Sought, Source};
use super::{Edge, Node, Quality, Step};
use crate::access::Verdict;
use crate::entry::{Calling, Through};
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
    /// What another came to that this one comes to as well, no later.
    beneath: Option<Beneath>,
    /// The nodes that were come to, those where the search began among them, in the order in which they were.
    nodes: Vec<Node>,
    met: Met,
    /// How near what was come to is, of a search that others go on from.
    near: Near,
    /// Of each node the number of the place by which it was entered, for each quality.
    places: Vec<[u32; 4]>,
    /// The places, in the order in which they were entered.
    entered: Vec<Place>,
    /// How many of those that listen to each source were not come to.
    pub(super) left: Left,
    /// What is left of many that several get at.
    pub(super) remaining: Remaining<Part, ResourceId>,
    /// What is left of so many calls by a name that many bear, by paths of a quality.
    pub(super) calls: Remaining<(Principal, usize, Quality), Calling>,
    /// How many questions were asked.
    pub(super) asked: usize,
    /// Whether all edges were looked at.
    pub complete: bool,
}

/// That a node was not entered, or not so.
const NOWHERE: u32 = u32::MAX;

/// What a search came to that began with one node: all of it is come to as well by whoever comes to that node.
#[derive(Debug)]
struct Beneath {
    found: Arc<Found>,
    /// The node with which that one began.
    start: Node,
    /// The place where this one came to it, for sure and by control; none while it did not.
    place: Option<u32>,
    /// How many nodes only that one came to.
    more: usize,
}

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

/// In how many steps, at most, code, data and identities were come to by a path as good as of each quality.
#[derive(Debug, Default)]
struct Near([Box<[[u16; 4]]>; 3]);

impl Near {
    /// That it was not, or in more steps than are counted here.
    const NOT: u16 = u16::MAX;

    fn of(&self, node: Node, quality: Quality) -> Option<u32> {
        let (kind, at) = Met::place(node)?;
        let far = self.0[kind].get(at)?[quality.index()];
        (far != Self::NOT).then_some(far.into())
    }
}

impl Found {
    /// Nothing yet, of an estate.
    pub(super) fn new(estate: &Estate, left: Left) -> Self {
        Self { complete: true, met: Met::new(estate), left, ..Self::default() }
    }

    /// Once a node is come to, what another search came to that began there counts as come to as well.
    pub(super) fn above(self, start: Node, found: Arc<Self>) -> Self {
        Self { beneath: Some(Beneath { found, start, place: None, more: 0 }), ..self }
    }

    /// The nodes that can be come to, those where the search began among them.
    pub fn nodes(&self) -> impl Iterator<Item = Node> {
        let more = self.beneath().into_iter().flat_map(|(found, _)| &found.nodes);
        self.nodes.iter().chain(more.filter(|node| self.met.qualities(**node) == 0)).copied()
    }

    /// How many nodes were come to, and how many questions were asked for that.
    pub fn size(&self) -> (usize, usize) {
        (self.nodes.len() + self.beneath.as_ref().map_or(0, |beneath| beneath.more), self.asked)
    }

    /// The best path to a node: control before influence, sure before conditional, then the shortest.
    pub fn path(&self, to: Node) -> Option<Path> {
        self.each_path(to).next()
    }

    /// The same without its steps.
    pub fn nearest(&self, to: Node) -> Option<Nearest> {
        Quality::ALL.into_iter().find_map(|quality| {
            let (found, before, number) = self.come_to(to, quality)?;
            let mut first = self.at(before.unwrap_or(number));
            let more = before.map_or(0, |before| self.at(before).far);
            while let Some((before, ..)) = first.from {
                first = self.at(before);
            }
            Some(Nearest { start: self.node(first), quality, len: (more + found.at(number).far) as usize })
        })
    }

    /// The shortest path of each quality to a node.
    pub fn each_path(&self, to: Node) -> impl Iterator<Item = Path> {
        Quality::ALL.into_iter().filter_map(move |quality| self.path_of(to, quality))
    }

    fn path_of(&self, to: Node, quality: Quality) -> Option<Path> {
        let (found, before, number) = self.come_to(to, quality)?;
        let (start, hops) = match before {
            None => self.steps_to(number),
            Some(before) => {
                let (start, mut hops) = self.steps_to(before);
                hops.extend(found.steps_to(number).1);
                (start, hops)
            }
        };
        Some(Path { start, hops: hops.into(), quality })
    }

    /// Where the steps to a place begin, and which they are.
    fn steps_to(&self, number: u32) -> (Node, Vec<Hop>) {
        let mut hops: Vec<Hop> = Vec::new();
        let mut place = self.at(number);
        while let Some((before, step, verdict)) = place.from {
            let edge = Edge { to: self.node(place), step, verdict };
            place = self.at(before);
            hops.push(Hop { from: self.node(place), edge });
        }
        hops.reverse();
        (self.node(place), hops)
    }

    /// By which search a node is come to by a path of a quality; the place in this one from where it goes on, if it is the
    /// one beneath; and the place in that search.
    fn come_to(&self, to: Node, quality: Quality) -> Option<(&Self, Option<u32>, u32)> {
        if let Some(number) = self.number(to, quality) {
            return Some((self, None, number));
        }
        let (found, place) = self.beneath()?;
        let number = found.number(to, quality)?;
        let far = self.at(place).far + found.at(number).far;
        let is_as_near = |other: &Quality| self.number(to, *other).is_some_and(|at| self.at(at).far <= far);
        (!quality.all_as_good().any(|other| is_as_near(&other))).then_some((found, Some(place), number))
    }

    /// What is come to as well, and from which place on, if this one came there.
    fn beneath(&self) -> Option<(&Self, u32)> {
        let beneath = self.beneath.as_ref()?;
        Some((&*beneath.found, beneath.place?))
    }

    /// Whether the search beneath goes on from a place, so that nothing needs to be asked there.
    pub(super) fn is_beneath(&self, number: u32) -> bool {
        self.beneath().is_some_and(|(_, place)| place == number)
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

    /// The number of a node's place.
    fn number(&self, node: Node, quality: Quality) -> Option<u32> {
        let number = self.met.number(node).map(|number| self.places[number as usize][quality.index()])?;
        (number != NOWHERE).then_some(number)
    }

    /// Whether a node was entered by this search itself, by a path that is as good as this in both: it came first, so it is
    /// as short or shorter.
    pub(super) fn has_entered(&self, node: Node, quality: Quality) -> bool {
        self.met.qualities(node) & quality.as_good() != 0
    }

    /// Whether a node is come to by a path that is as good as one of this quality and of so many steps in all three.
    pub(super) fn has(&self, node: Node, quality: Quality, far: u32) -> bool {
        self.has_entered(node, quality)
            || self.beneath().is_some_and(|(found, place)| {
                found.nearness(node, quality).is_some_and(|more| self.at(place).far + more <= far)
            })
    }

    /// In how many steps a node was entered by a path as good as of a quality, at most.
    fn nearness(&self, node: Node, quality: Quality) -> Option<u32> {
        if Met::place(node).is_some() {
            return self.near.of(node, quality);
        }
        let as_good = quality.all_as_good().filter_map(|it| self.number(node, it));
        as_good.map(|number| self.at(number).far).min()
    }

    /// Works out how near all is, for others to go on from.
    pub(super) fn keep_near(&mut self) {
        let mut near =
            self.met.numbers.each_ref().map(|all| vec![[Near::NOT; 4]; all.len()].into_boxed_slice());
        for (node, places) in self.nodes.iter().zip(&self.places) {
            let Some((kind, at)) = Met::place(*node) else { continue };
            for quality in Quality::ALL {
                let as_good = quality.all_as_good().map(|it| places[it.index()]).filter(|it| *it != NOWHERE);
                let far = as_good.map(|number| self.at(number).far).min();
                let far = far.and_then(|far| u16::try_from(far).ok());
                near[kind][at][quality.index()] = far.unwrap_or(Near::NOT);
            }
        }
        self.near = Near(near);
    }

    /// Whether some function that listens to a source is not come to by influence and in so many steps, for a path that
    /// depends on something or for a sure one.
    pub(super) fn feeds_on(&self, source: Source, depends: bool, far: u32) -> bool {
        let is_fed = |(found, place): (&Self, u32)| {
            found.left.none_after(source, depends).is_some_and(|last| self.at(place).far + last <= far)
        };
        self.left.none_after(source, depends).is_none() && !self.beneath().is_some_and(is_fed)
    }

    /// Enters a node, if it is not come to by a path that is as good; the number of its place.
    pub(super) fn enter(
        &mut self,
        to: Node,
        quality: Quality,
        from: Option<(u32, Step, Verdict)>,
    ) -> Option<u32> {
        let far = from.map_or(0, |(before, step, _)| self.at(before).far + u32::from(step.is_told()));
        if self.has(to, quality, far) {
            return None;
        }
        let node = self.met.add(to, quality, self.nodes.len() as u32);
        if node as usize == self.nodes.len() {
            self.nodes.push(to);
            self.places.push([NOWHERE; 4]);
        }
        let number = self.places();
        self.places[node as usize][quality.index()] = number;
        self.entered.push(Place { node, quality, far, from });
        if let Some(beneath) = self.beneath.as_mut().filter(|it| it.start == to && it.place.is_none()) {
            beneath.place = (quality == Quality::default()).then_some(number);
        }
        Some(number)
    }

    /// All was entered: gives back what growing took in advance.
    pub(super) fn settle(&mut self) {
        self.nodes.shrink_to_fit();
        self.places.shrink_to_fit();
        self.entered.shrink_to_fit();
        let more = self.nodes().count() - self.nodes.len();
        if let Some(beneath) = &mut self.beneath {
            beneath.more = more;
        }
    }
}

/// Resources that several get at, as they are kept; what is sought among them; and by a path of which quality.
pub(super) type Part = (usize, Sought, Quality);

/// What is left of many that several come to: what was come to once is not looked at again.
#[derive(Debug)]
pub(super) struct Remaining<K, V>(Mutex<FxHashMap<K, Arc<[V]>>>);

impl<K, V> Default for Remaining<K, V> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<K: Eq + Hash, V: Copy> Remaining<K, V> {
    /// Takes those that are left of all; what is not left once is never again.
    pub(super) fn take(&self, of: K, all: &[V], is_left: &dyn Fn(&V) -> bool, take: &mut dyn FnMut(V)) {
        /// So few are gone through rather than kept apart.
        const FEW: usize = 16;
        if all.len() <= FEW {
            return all.iter().copied().filter(is_left).for_each(take);
        }
        let kept = || self.0.lock().expect("nobody panics while holding it");
        let known = kept().get(&of).cloned();
        let all = known.as_deref().unwrap_or(all);
        let left: Vec<V> = all.iter().copied().filter(is_left).collect();
        left.iter().copied().for_each(take);
        if left.len() * 2 <= all.len() && all.len() > FEW {
            kept().insert(of, left.into());
        }
    }
}
