//! What lets somebody through, and the fewest of it whose loss lets nobody through any more.
//!
//! An edge holds by one way or several; each way needs all of its elements. The fewest are found by looking for a path,
//! taking from one of its steps all that gives it, and looking again: whichever cut there is must take one of the
//! path's steps, so that trying each step in turn misses none.

use std::sync::Arc;

use rustc_hash::FxHashSet;

use super::{Edge, Found, Hop, Node, Paths, Step};
use crate::access::{Needs, Question, Verdict, Via};
use crate::effect::Road;
use crate::entry::Through;
use crate::estate::{
    AdmissionId, Effect, EndpointId, FunctionId, GrantId, KeyId, Principal, Thing, TriggerId,
};

/// Something that lets somebody through, and that may be taken away.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Element {
    /// A grant.
    Grant(GrantId),
    /// A statement on a thing, as far as it names somebody.
    Admission(AdmissionId, Principal),
    /// An endpoint.
    Endpoint(EndpointId),
    /// A trigger.
    Trigger(TriggerId),
    /// A key.
    Key(KeyId),
}

/// Elements that let somebody through together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WayThrough {
    /// All of which it takes; none where nothing of it can be taken away.
    pub elements: Vec<Element>,
    /// How sure it is.
    pub verdict: Verdict,
}

/// Elements without which nothing that is asked about can be come to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cut {
    /// Which.
    pub elements: Vec<Element>,
    /// Whether no fewer would do: all smaller choices were ruled out.
    pub is_least: bool,
}

/// Searches that are made for one cut before it is left.
const MOST_SEARCHES: usize = 4_000;
/// The largest cut that is looked for.
const LARGEST_CUT: usize = 8;

/// Searching for a cut of at most so many elements.
struct Cutting<'c> {
    starts: &'c [Node],
    is_goal: &'c (dyn Fn(Node) -> bool + Sync),
    left: usize,
}

/// What is left of the ways to a goal.
enum Left {
    /// One of them.
    Path(super::Path),
    /// None.
    Nothing,
    /// Not all was looked at.
    Unknown,
}

impl Paths<'_, '_> {
    /// The fewest elements without which no goal can be come to from any start; none where no path leads to one, where
    /// some path has nothing that can be taken away, or where the search was left.
    pub fn least_cut(&self, starts: &[Node], is_goal: &(dyn Fn(Node) -> bool + Sync)) -> Option<Cut> {
        // Where more paths than the largest cut has elements have nothing in common, no choice cuts them all.
        let least = self.apart(starts, is_goal, LARGEST_CUT + 1);
        if least == 0 {
            return None;
        }
        let mut cutting = Cutting { starts, is_goal, left: MOST_SEARCHES - 1 };
        for size in least..=LARGEST_CUT {
            let mut gone = Vec::new();
            match self.cut_of(&mut cutting, size, &mut gone) {
                Some(true) => {
                    gone.sort_unstable();
                    return Some(Cut { elements: gone, is_least: true });
                }
                Some(false) => {}
                None => return None,
            }
        }
        None
    }

    /// Whether taking away at most so many more elements cuts; none where the search was left.
    fn cut_of(&self, cutting: &mut Cutting<'_>, size: usize, gone: &mut Vec<Element>) -> Option<bool> {
        if cutting.left == 0 {
            return None;
        }
        let without: FxHashSet<Element> = gone.iter().copied().collect();
        let path = match self.left_with(cutting, &without) {
            Left::Path(path) => path,
            Left::Nothing => return Some(true),
            Left::Unknown => return None,
        };
        if size == 0 {
            return Some(false);
        }
        for hop in path.hops.iter().filter(|hop| hop.edge.step.is_told()) {
            for taken in self.takings(hop, &without) {
                if taken.is_empty() || taken.len() > size {
                    continue;
                }
                let before = gone.len();
                gone.extend(&taken);
                if self.cut_of(cutting, size - taken.len(), gone)? {
                    return Some(true);
                }
                gone.truncate(before);
            }
        }
        Some(false)
    }

    /// What is left where some elements are gone.
    fn left_with(&self, cutting: &mut Cutting<'_>, gone: &FxHashSet<Element>) -> Left {
        cutting.left = cutting.left.saturating_sub(1);
        let found = self.without(cutting.starts, gone);
        let path = found.nodes().find(|node| (cutting.is_goal)(*node)).and_then(|goal| found.path(goal));
        match path {
            Some(path) => Left::Path(path),
            None if found.complete => Left::Nothing,
            None => Left::Unknown,
        }
    }

    /// The smallest choices of elements without which a step cannot be taken, given what is gone already.
    fn takings(&self, hop: &Hop, gone: &FxHashSet<Element>) -> Vec<Vec<Element>> {
        let mut choices: Vec<Vec<Element>> = vec![Vec::new()];
        for way in self.ways_through(hop).iter() {
            if way.elements.iter().any(|element| gone.contains(element)) {
                continue;
            }
            // One of each way.
            let mut next: Vec<Vec<Element>> = Vec::new();
            for choice in &choices {
                if way.elements.iter().any(|element| choice.contains(element)) {
                    next.push(choice.clone());
                    continue;
                }
                for element in &way.elements {
                    let mut with = choice.clone();
                    with.push(*element);
                    with.sort_unstable();
                    next.push(with);
                }
            }
            next.sort();
            next.dedup();
            next.truncate(64);
            choices = next;
            if choices.is_empty() {
                // A way of which nothing can be taken away.
                return Vec::new();
            }
        }
        choices
    }

    /// A lower bound: so many paths have nothing in common that could be taken away, so no cut is smaller.
    pub fn apart(&self, starts: &[Node], is_goal: &(dyn Fn(Node) -> bool + Sync), most: usize) -> usize {
        let mut cutting = Cutting { starts, is_goal, left: usize::MAX };
        let mut gone: FxHashSet<Element> = FxHashSet::default();
        let mut number = 0;
        while number < most
            && let Left::Path(path) = self.left_with(&mut cutting, &gone)
        {
            number += 1;
            let before = gone.len();
            for hop in &path.hops {
                gone.extend(self.ways_through(hop).iter().flat_map(|way| way.elements.iter().copied()));
            }
            if gone.len() == before {
                break;
            }
        }
        number
    }

    /// The edge that is left where some elements are gone; none where nothing lets anybody through any more.
    pub(super) fn left_of(&self, from: Node, edge: Edge, gone: &FxHashSet<Element>) -> Option<Edge> {
        let ways = self.ways_through(&Hop { from, edge });
        // What nothing is known of cannot be taken away.
        if ways.is_empty() {
            return Some(edge);
        }
        let alive = ways.iter().filter(|way| way.elements.iter().all(|element| !gone.contains(element)));
        let verdict = alive.map(|way| way.verdict).max()?;
        Some(Edge { verdict, ..edge })
    }

    /// The ways by which a step is taken.
    pub fn ways_through(&self, hop: &Hop) -> Arc<[WayThrough]> {
        let key = (hop.from, hop.edge.to, hop.edge.step.is_influence());
        if let Some(known) = self.ways.lock().expect("nobody panics while holding it").get(&key) {
            return Arc::clone(known);
        }
        let found: Arc<[WayThrough]> = self.find_ways(hop).into();
        self.ways.lock().expect("nobody panics while holding it").insert(key, Arc::clone(&found));
        found
    }

    fn find_ways(&self, hop: &Hop) -> Vec<WayThrough> {
        let fixed = |verdict| vec![WayThrough { elements: Vec::new(), verdict }];
        match (hop.from, hop.edge.step, hop.edge.to) {
            (_, Step::Is | Step::RunsAs | Step::Below | Step::IsHanded, _) => fixed(hop.edge.verdict),
            (Node::Who(Principal::Key(key)), Step::Manages, _) => {
                vec![WayThrough { elements: vec![Element::Key(key)], verdict: hop.edge.verdict }]
            }
            (Node::Who(who), Step::Invokes(_), Node::Code(function)) => self.invoking_ways(who, function),
            (Node::Who(who), _, Node::Who(to)) if self.effects.assuming(to).is_some() => {
                self.becoming_ways(who, to)
            }
            (Node::Who(who), step, to) => match to.thing() {
                Some(thing) => {
                    let mut ways = self.road_ways(who, step, thing);
                    for other in [Step::RewritesAccess, Step::RewritesCode, Step::Reaches] {
                        if other != step {
                            ways.extend(self.road_ways(who, other, thing));
                        }
                    }
                    ways
                }
                None => fixed(hop.edge.verdict),
            },
            _ => fixed(hop.edge.verdict),
        }
    }

    /// By acting as somebody, by changing who may, and by handing an identity over.
    fn becoming_ways(&self, who: Principal, to: Principal) -> Vec<WayThrough> {
        let effects = self.effects;
        let (Some(action), Some(thing)) = (effects.assuming(to), to.thing()) else { return Vec::new() };
        let mut ways = self.decided_ways(who, action, thing);
        ways.extend(self.road_ways(who, Step::RewritesAccess, thing));
        let Principal::Identity(identity) = to else { return ways };
        for it in effects.handing(who, |id| id == identity) {
            let codes = effects.roads(who);
            let codes = codes.iter().filter_map(|road| Some((road, self.code_by(who, road)?)));
            for (code, verdict) in codes {
                let mut elements = vec![element(&it.by.1), element(code)];
                elements.dedup();
                ways.push(WayThrough { elements, verdict: verdict.min(it.verdict) });
            }
        }
        ways
    }

    fn code_by(&self, who: Principal, road: &Road) -> Option<Verdict> {
        self.effects.code_of(who, std::slice::from_ref(road)).map(|it| it.verdict)
    }

    /// By the statements that allow an action, of one side or of both.
    fn decided_ways(&self, who: Principal, action: &crate::access::Action, on: Thing) -> Vec<WayThrough> {
        let effects = self.effects;
        let answer = effects.decide(&Question { principal: who, action, on, given: effects.given(who) });
        if answer.verdict == Verdict::No {
            return Vec::new();
        }
        let allows = answer.grounds.iter().filter(|it| it.effect == Effect::Allow);
        let mut callers: Vec<(Element, Verdict)> = Vec::new();
        let mut things: Vec<(Element, Verdict)> = Vec::new();
        for ground in allows {
            let verdict = Verdict::from(ground.holds).min(answer.verdict);
            match ground.via {
                _ if verdict == Verdict::No => {}
                Via::Grant { grant, .. } => callers.push((Element::Grant(grant), verdict)),
                Via::Admission { admission, name } => {
                    things.push((Element::Admission(admission, name), verdict));
                }
                Via::Ceiling(_) => {}
            }
        }
        let one = |(element, verdict): &(Element, Verdict)| WayThrough {
            elements: vec![*element],
            verdict: *verdict,
        };
        match answer.needs {
            Needs::BothSides => callers
                .iter()
                .flat_map(|(caller, by_caller)| {
                    things.iter().map(move |(thing, by_thing)| WayThrough {
                        elements: vec![*caller, *thing],
                        verdict: *by_caller.min(by_thing),
                    })
                })
                .collect(),
            Needs::ResourcesSide => things.iter().map(one).collect(),
            Needs::EitherSide | Needs::Unknown => callers.iter().chain(&things).map(one).collect(),
        }
    }

    /// By endpoints, by the decision, by sources: whatever lets somebody make a function run.
    fn invoking_ways(&self, who: Principal, function: FunctionId) -> Vec<WayThrough> {
        let effects = self.effects;
        let mut ways = self.decided_ways(who, effects.invoke(), Thing::Function(function));
        for (way, verdict) in effects.other_ways(who, function, effects.given(who)) {
            let mut elements = match way.through {
                Through::Endpoint(id) => vec![Element::Endpoint(id)],
                Through::Source(id) => vec![Element::Trigger(id)],
                Through::Invoking => Vec::new(),
            };
            if let Principal::Key(key) = way.caller.who {
                elements.push(Element::Key(key));
            }
            ways.push(WayThrough { elements, verdict });
        }
        ways
    }

    /// By the roads that give an action by which a step is taken.
    fn road_ways(&self, who: Principal, step: Step, thing: Thing) -> Vec<WayThrough> {
        let effects = self.effects;
        let mut actions: Vec<std::sync::Arc<crate::access::Action>> = Vec::new();
        let all = match step {
            Step::RewritesAccess => effects.access_acts_on(who, thing),
            _ => effects.acts_on(who, thing, |_| true),
        };
        for act in all.into_iter().filter(|act| step.is_taken_by(act)) {
            actions.push(act.action);
        }
        let mut ways: Vec<WayThrough> =
            actions.iter().flat_map(|action| self.decided_ways(who, action, thing)).collect();
        ways.sort_by(|one, other| (&one.elements, other.verdict).cmp(&(&other.elements, one.verdict)));
        ways.dedup_by(|later, first| later.elements == first.elements);
        ways
    }

    /// The elements on a path, each once.
    pub fn elements_of(&self, path: &super::Path) -> Vec<Element> {
        let hops = path.hops.iter().filter(|hop| hop.edge.step.is_told());
        let mut all: Vec<Element> = hops
            .flat_map(|hop| {
                self.ways_through(hop).iter().flat_map(|way| way.elements.clone()).collect::<Vec<_>>()
            })
            .collect();
        all.sort_unstable();
        all.dedup();
        all
    }
}

fn element(road: &Road) -> Element {
    match road.via {
        Via::Grant { grant, .. } => Element::Grant(grant),
        Via::Admission { admission, name } => Element::Admission(admission, name),
        Via::Ceiling(_) => unreachable!("a ceiling gives nothing"),
    }
}

impl Found {
    /// How many of some goals were come to.
    pub fn count(&self, is_goal: impl Fn(Node) -> bool) -> usize {
        self.nodes().filter(|node| is_goal(*node)).count()
    }
}
