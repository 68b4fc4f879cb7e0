//! How far strangers and code for tests get, worked out once for all rules on paths: plain data, the best path of each.

use std::collections::BTreeMap;

use indexmap::IndexMap;
use pasaporte_core::effect::{Effects, Impact};
use pasaporte_core::estate::{AccountOf, IdentityId, Principal, ScopeId, Thing};
use pasaporte_core::paths::{Class, Found, Goal, Node, Path, Paths};

use crate::rounds::{Round, rounds};

/// What rules on paths rest on.
#[derive(Debug, Default)]
pub(crate) struct Ways {
    /// From anyone to confidential data, by others' rights.
    pub(crate) to_data: Vec<Led>,
    /// From anyone to who may do what at an account or above.
    pub(crate) to_access: Vec<Led>,
    /// From code for tests to an identity in production that may do worse.
    pub(crate) upwards: Vec<Led>,
    /// From one account into another, by whoever came into the first: the best path of each pair.
    pub(crate) across: Vec<(ScopeId, ScopeId, Path)>,
    /// Functions that make themselves run by what they write.
    pub(crate) rounds: Vec<Round>,
    /// Whether all was looked at.
    pub(crate) complete: bool,
}

/// Whereto somebody leads: by what they may do, one path stands for all.
#[derive(Debug, Clone)]
pub(crate) struct Led {
    /// Who, or what, comes last before the goals.
    pub(crate) by: Node,
    /// The best path to one of them.
    pub(crate) path: Path,
    /// All of them, that one first.
    pub(crate) goals: Vec<Node>,
}

impl Ways {
    pub(crate) fn new(effects: &Effects<'_>) -> Self {
        let paths = Paths::new(effects, Vec::new());
        let from = |class| paths.from(&paths.starts(class));
        let (anyone, tests) = (from(Class::Anyone), from(Class::Tests));
        let (rounds, all_rounds) = rounds(&paths);
        Self {
            to_data: leading(&paths, &anyone, Goal::Confidential),
            to_access: leading(&paths, &anyone, Goal::Access),
            upwards: upwards(&paths, &anyone, &tests),
            across: across(&paths, &anyone),
            rounds,
            complete: anyone.complete && tests.complete && all_rounds,
        }
    }
}

/// The best paths to what is a goal, where each takes the rights of two others or more, however it is reached: what takes one is
/// told of that one.
fn leading(paths: &Paths<'_, '_>, found: &Found, goal: Goal) -> Vec<Led> {
    let goals = found.nodes().filter(|node| paths.is_goal(goal, *node, *node));
    let far = goals.filter(|node| found.each_path(*node).all(|path| path.others() > 1));
    let mut all: Vec<Path> = far.filter_map(|node| found.path(node)).collect();
    all.sort_by_cached_key(|path| (path.quality, path.len(), paths.rank(path.end())));
    led_by(all, |path| path.told().last().map(|hop| hop.from))
}

/// What paths lead to, by who comes last before: the first path of each stands for its others.
fn led_by(paths: Vec<Path>, by: impl Fn(&Path) -> Option<Node>) -> Vec<Led> {
    let mut led: IndexMap<Node, Led> = IndexMap::new();
    for path in paths {
        let Some(by) = by(&path) else { continue };
        let goal = path.end();
        led.entry(by).or_insert_with(|| Led { by, path, goals: Vec::new() }).goals.push(goal);
    }
    led.into_values().collect()
}

/// From code for tests to identities in production that may do worse than it: where anyone does not come to them as well.
fn upwards(paths: &Paths<'_, '_>, anyone: &Found, tests: &Found) -> Vec<Led> {
    let effects = paths.effects();
    let identity = |node: Node| match node {
        Node::Who(Principal::Identity(id)) => Some(id),
        _ => None,
    };
    let worst = |id: IdentityId| effects.harm_itself(Principal::Identity(id)).impact;
    let goals = tests.nodes().filter(|node| paths.is_goal(Goal::Production, *node, *node));
    let mut all: Vec<Path> = Vec::new();
    for node in goals {
        let by_anyone = anyone.path(node).map(|path| path.quality);
        let Some(path) = tests.path(node).filter(|path| path.others() > 1) else { continue };
        let start = path.hops.iter().map(|hop| hop.from).chain([path.end()]).find_map(identity);
        let is_worse = match (identity(node), start) {
            (Some(to), Some(from)) => worst(to) < worst(from) && worst(to) <= Impact::DataOrSecrets,
            _ => false,
        };
        if is_worse && !path.quality.influence && by_anyone.is_none_or(|quality| quality > path.quality) {
            all.push(path);
        }
    }
    // Where several lead on from one door into production, the worst stands for all.
    let harm = |path: &Path| identity(path.end()).map(worst);
    all.sort_by_cached_key(|path| (harm(path), path.quality, path.len(), paths.rank(path.end())));
    led_by(all, |path| {
        let mut nodes = path.hops.iter().map(|hop| hop.edge.to);
        nodes.find(|node| paths.is_goal(Goal::Production, *node, *node))
    })
}

/// The best path into each account from another one, by which anyone came.
fn across(paths: &Paths<'_, '_>, found: &Found) -> Vec<(ScopeId, ScopeId, Path)> {
    let estate = paths.effects().estate();
    let account = |node: Node| {
        let thing = match node {
            Node::Who(Principal::Identity(id)) => Thing::Identity(id),
            Node::Code(id) => Thing::Function(id),
            _ => return None,
        };
        match estate.account_of(thing) {
            AccountOf::Known(account) => Some(account),
            AccountOf::Unnamed | AccountOf::Unknown => None,
        }
    };
    let mut best: BTreeMap<(ScopeId, ScopeId), Path> = BTreeMap::new();
    for node in found.nodes() {
        let Some(to) = account(node) else { continue };
        let Some(path) = found.path(node).filter(|path| path.others() > 1) else { continue };
        // The last step leaves an account for another.
        let Some(last) = path.told().last() else { continue };
        let Some(from) = account(last.from).filter(|from| *from != to) else { continue };
        let rank = |path: &Path| {
            let harm = match path.end() {
                Node::Who(who) => paths.effects().harm_itself(who).impact,
                _ => Impact::RunsCode,
            };
            (path.quality, harm, path.len(), paths.rank(path.end()))
        };
        if best.get(&(from, to)).is_none_or(|known| rank(&path) < rank(known)) {
            best.insert((from, to), path);
        }
    }
    best.into_iter().map(|((from, to), path)| (from, to, path)).collect()
}
