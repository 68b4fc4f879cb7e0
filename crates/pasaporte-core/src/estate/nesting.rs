//! What lies in things of its own kind: scopes in scopes, groups in groups, sets in sets. Circles, where there must be none,
//! and more nesting than can be looked through.

use smallvec::SmallVec;

/// Some nodes of a graph, by their numbers.
pub(super) type Nodes = SmallVec<[usize; 4]>;

/// The circles of a graph, each as the nodes along it; at most `limit` of them. A depth-first walk
/// with its own stack, linear in nodes and edges.
pub(super) fn circles(nodes: usize, edges: impl Fn(usize) -> Nodes, limit: usize) -> Vec<Vec<usize>> {
    #[derive(Clone, Copy, PartialEq)]
    enum Mark {
        New,
        Open,
        Done,
    }
    let mut marks = vec![Mark::New; nodes];
    let mut found = Vec::new();
    for start in 0..nodes {
        if marks[start] != Mark::New {
            continue;
        }
        marks[start] = Mark::Open;
        let mut path = vec![(start, edges(start).into_iter())];
        while let Some((node, next)) = path.last_mut() {
            let Some(to) = next.next() else {
                marks[*node] = Mark::Done;
                path.pop();
                continue;
            };
            match marks[to] {
                Mark::New => {
                    marks[to] = Mark::Open;
                    path.push((to, edges(to).into_iter()));
                }
                Mark::Open => {
                    let from = path.iter().position(|(node, _)| *node == to).unwrap_or(0);
                    found.push(path[from..].iter().map(|(node, _)| *node).collect());
                    if found.len() == limit {
                        return found;
                    }
                }
                Mark::Done => {}
            }
        }
    }
    found
}

/// The node from which on more lies within nodes than `limit` allows: each node counts once for each that it lies in, along
/// whatever way, and each as much as it weighs. The graph has no circles.
pub(super) fn beyond(
    nodes: usize,
    edges: impl Fn(usize) -> Nodes,
    weight: impl Fn(usize) -> usize,
    limit: usize,
) -> Option<usize> {
    let mut seen = vec![usize::MAX; nodes];
    let mut walk = |start: usize| {
        let mut total = 0;
        let mut open = edges(start);
        while let Some(node) = open.pop() {
            if std::mem::replace(&mut seen[node], start) != start {
                total += weight(node);
                if total > limit {
                    break;
                }
                open.extend(edges(node));
            }
        }
        total
    };
    // Most nodes lie in one other or in none: what lies in them is known once it is of that one.
    let mut counts: Vec<Option<usize>> = vec![None; nodes];
    let mut total = 0;
    for start in 0..nodes {
        let mut chain = Vec::new();
        let mut at = start;
        while counts[at].is_none() {
            if let [next] = edges(at)[..] {
                chain.push(at);
                at = next;
            } else {
                let count = walk(at);
                counts[at] = Some(count);
                total += count;
            }
        }
        for node in chain.into_iter().rev() {
            let count = counts[at].unwrap_or_default() + weight(at);
            counts[node] = Some(count);
            total += count;
            at = node;
        }
        if total > limit {
            return Some(start);
        }
    }
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A node lies in two others along two ways, and counts once in each.
    #[test]
    fn counts_each_node_once_for_each_that_it_lies_in() {
        // 0 → 1, 2 → 3 → 4
        let edges = |node: usize| Nodes::from_slice([&[1, 2][..], &[3], &[3], &[4], &[]][node]);
        let all = 4 + 2 + 2 + 1;
        assert_eq!(beyond(5, edges, |_| 1, all), None);
        assert!(beyond(5, edges, |_| 1, all - 1).is_some());
        let heavy = |node: usize| if node == 4 { 10 } else { 0 };
        assert_eq!(beyond(5, edges, heavy, 40), None);
        assert!(beyond(5, edges, heavy, 39).is_some());
    }
}
