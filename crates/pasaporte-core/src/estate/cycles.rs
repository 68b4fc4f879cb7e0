//! Finding circles where there must be none: scopes in scopes, groups in groups, sets in sets.

/// The circles of a graph, each as the nodes along it; at most `limit` of them. A depth-first walk
/// with its own stack, linear in nodes and edges.
pub(super) fn circles(nodes: usize, edges: impl Fn(usize) -> Vec<usize>, limit: usize) -> Vec<Vec<usize>> {
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
