//! Which paths meet: a tree of endpoints' paths by their segments, that operations' paths are looked up in.
//!
//! Two paths meet where one request may be of both. A blank (`{id}`, or `*` within a path) is any one segment; `*` at the
//! end of an endpoint's path takes all that follow, also none. A slash at the end is passed over where nothing else is of
//! the same path. Of several endpoints that meet an operation, those of the same path answer it, blanks being alike; else
//! all. Looking up costs what it finds, and is bounded.

use std::collections::HashMap;

use rustc_hash::FxBuildHasher;

/// Paths, each with its place.
#[derive(Debug, Default)]
pub(super) struct Paths<'e> {
    nodes: Vec<Node<'e>>,
    /// Those that have no path, and so take any.
    any: Vec<usize>,
    by_shape: HashMap<String, Vec<usize>, FxBuildHasher>,
}

#[derive(Debug, Default)]
struct Node<'e> {
    named: HashMap<&'e str, usize, FxBuildHasher>,
    blank: Option<usize>,
    /// Paths that end here.
    here: Vec<usize>,
    /// Paths that take all that follows.
    rest: Vec<usize>,
}

/// How much looking up may cost in all.
#[derive(Debug, Clone, Copy)]
pub(super) struct Budget(usize);

impl Budget {
    /// Steps for one contract: a hundred times what a large one takes.
    pub(super) fn of_contract() -> Self {
        Self(10_000_000)
    }

    fn spend(&mut self, steps: usize) -> Option<()> {
        self.0 = self.0.checked_sub(steps)?;
        Some(())
    }
}

impl<'e> Paths<'e> {
    /// The tree of some paths; a place without a path takes any.
    pub(super) fn new(paths: impl Iterator<Item = Option<&'e str>>) -> Self {
        let mut all = Self { nodes: vec![Node::default()], ..Self::default() };
        for (place, path) in paths.enumerate() {
            match path {
                Some(path) => all.insert(place, path),
                None => all.any.push(place),
            }
        }
        all
    }

    fn insert(&mut self, place: usize, path: &'e str) {
        self.by_shape.entry(shape("", path)).or_default().push(place);
        let mut at = 0;
        let mut steps = segments("", path).peekable();
        while let Some(step) = steps.next() {
            if step == "*" && steps.peek().is_none() {
                self.nodes[at].rest.push(place);
                return;
            }
            let new = self.nodes.len();
            let node = &mut self.nodes[at];
            at = if is_blank(step) {
                *node.blank.get_or_insert(new)
            } else {
                *node.named.entry(step).or_insert(new)
            };
            if at == new {
                self.nodes.push(Node::default());
            }
        }
        self.nodes[at].here.push(place);
    }

    /// The places that meet a path below one of some prefixes, sorted: of the same path, else all; none where that costs
    /// more than may be spent.
    pub(super) fn meeting(&self, prefixes: &[&str], path: &str, budget: &mut Budget) -> Option<Vec<usize>> {
        let mut met: Vec<usize> = Vec::new();
        for prefix in prefixes {
            // What it costs to put a path together and look it up, in steps.
            budget.spend(4 + (prefix.len() + path.len()) / 16)?;
            met.extend(self.by_shape.get(&shape(prefix, path)).into_iter().flatten());
        }
        if met.is_empty() {
            for prefix in prefixes {
                self.walk(&segments(prefix, path).collect::<Vec<_>>(), &mut met, budget)?;
            }
            met.extend(&self.any);
        }
        budget.spend(met.len())?;
        met.sort_unstable();
        met.dedup();
        Some(met)
    }

    fn walk(&self, path: &[&str], met: &mut Vec<usize>, budget: &mut Budget) -> Option<()> {
        let mut open = vec![(0, 0)];
        while let Some((node, depth)) = open.pop() {
            let node = &self.nodes[node];
            budget.spend(1 + node.rest.len())?;
            met.extend(&node.rest);
            let Some(step) = path.get(depth) else {
                budget.spend(node.here.len())?;
                met.extend(&node.here);
                continue;
            };
            open.extend(node.blank.map(|next| (next, depth + 1)));
            if is_blank(step) {
                budget.spend(node.named.len())?;
                open.extend(node.named.values().map(|next| (*next, depth + 1)));
            } else {
                open.extend(node.named.get(step).map(|next| (*next, depth + 1)));
            }
        }
        Some(())
    }
}

/// Paths of endpoints, in which the paths of requests are looked up.
#[derive(Debug)]
pub struct PathTree<'e>(Paths<'e>);

impl<'e> PathTree<'e> {
    /// The tree of some paths; a place without a path takes any.
    pub fn new(paths: impl Iterator<Item = Option<&'e str>>) -> Self {
        Self(Paths::new(paths))
    }

    /// The places that take a request's path: those of just this path, else those whose blanks take it, else those that
    /// take any. None where there are too many to look through.
    pub fn meeting(&self, path: &str) -> Vec<usize> {
        const MOST_STEPS: usize = 100_000;
        self.0.meeting(&[""], path, &mut Budget(MOST_STEPS)).unwrap_or_default()
    }
}

fn segments<'p>(prefix: &'p str, path: &'p str) -> impl Iterator<Item = &'p str> {
    prefix.split('/').chain(path.split('/')).filter(|segment| !segment.is_empty())
}

fn is_blank(segment: &str) -> bool {
    segment == "*" || (segment.starts_with('{') && segment.ends_with('}'))
}

/// A path with all blanks alike, and its slash at the end.
fn shape(prefix: &str, path: &str) -> String {
    let mut shape = String::new();
    for segment in segments(prefix, path) {
        shape.push('/');
        shape.push_str(if segment != "*" && is_blank(segment) { "{}" } else { segment });
    }
    if path.ends_with('/') {
        shape.push('/');
    }
    shape
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("/refund", "", "/refund", true)]
    #[case("refund/", "", "/refund", true)]
    #[case("/refund", "", "/refund/{case}", false)]
    #[case("/refund/{id}", "", "/refund/{case}", true)]
    #[case("/refund/{id}", "", "/refund/status", true)]
    #[case("/refund/status", "", "/refund/{case}", true)]
    #[case("/refund/*", "", "/refund/{case}/letters", true)]
    #[case("/refund/*", "", "/refund", true)]
    #[case("/*/status", "", "/refund/status", true)]
    #[case("/v1/refund", "/v1", "/refund", true)]
    #[case("/v1/refund", "", "/refund", false)]
    #[case("/", "", "/", true)]
    #[case("/Refund", "", "/refund", false)]
    fn paths_meet(#[case] own: &str, #[case] prefix: &str, #[case] path: &str, #[case] do_meet: bool) {
        let met = Paths::new([Some(own)].into_iter()).meeting(&[prefix], path, &mut Budget::of_contract());
        assert_eq!(met.unwrap() == [0], do_meet);
    }

    #[test]
    fn the_same_path_comes_before_others_that_meet() {
        let paths = [Some("/{x}"), Some("/*"), None, Some("/sail"), Some("/dock"), Some("/{y}")];
        let met =
            |path| Paths::new(paths.into_iter()).meeting(&[""], path, &mut Budget::of_contract()).unwrap();
        assert_eq!(met("/sail"), [3]);
        assert_eq!(met("/{z}"), [0, 5]);
        assert_eq!(met("/moor"), [0, 1, 2, 5]);
        assert_eq!(met("/moor/north"), [1, 2]);
        let paths = [Some("/sail"), Some("/sail/")];
        let met = |path| Paths::new(paths.into_iter()).meeting(&[""], path, &mut Budget::of_contract());
        assert_eq!(met("/sail/"), Some(vec![1]));
        assert_eq!(met("sail"), Some(vec![0]));
    }

    #[test]
    fn what_would_cost_too_much_is_not_answered() {
        let paths: Vec<String> = (0..1000).map(|number| format!("/sail/{number}")).collect();
        let all = Paths::new(paths.iter().map(|path| Some(path.as_str())));
        let mut budget = Budget(5_000);
        let answers: Vec<bool> =
            (0..10).map(|_| all.meeting(&[""], "/{a}/{b}", &mut budget).is_some()).collect();
        assert!(answers[0] && !answers[9], "{answers:?}");
    }
}
