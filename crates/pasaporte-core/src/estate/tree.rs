//! The scope tree, numbered so that "lies below" is two comparisons.
//!
//! Each scope gets the interval of a depth-first walk; a scope lies within another when its
//! interval does. Built once, in time linear in the number of scopes, without recursion.

use super::{AccountOf, Estate, Id, ScopeId, ScopeKind};

/// Intervals and nearest accounts of all scopes.
#[derive(Debug, Default)]
pub struct Tree {
    enter: Vec<u32>,
    leave: Vec<u32>,
    account: Vec<AccountOf>,
}

impl Tree {
    /// Numbers the scopes of an estate whose scopes form no cycle.
    pub(super) fn new(estate: &Estate) -> Self {
        let count = estate.count::<ScopeId>();
        let mut children: Vec<Vec<usize>> = vec![Vec::new(); count];
        let mut roots = Vec::new();
        for index in 0..count {
            match estate.get(ScopeId::new(index)).and_then(|scope| scope.parent) {
                Some(parent) => children[parent.index()].push(index),
                None => roots.push(index),
            }
        }
        let mut tree =
            Self { enter: vec![0; count], leave: vec![0; count], account: vec![AccountOf::Unnamed; count] };
        let mut clock = 0;
        let mut walk: Vec<(usize, AccountOf, bool)> =
            roots.into_iter().map(|root| (root, AccountOf::Unnamed, false)).collect();
        while let Some((index, above, left)) = walk.pop() {
            if left {
                tree.leave[index] = clock;
                continue;
            }
            let account = match estate.get(ScopeId::new(index)) {
                Some(scope) if scope.kind == ScopeKind::Account => AccountOf::Known(ScopeId::new(index)),
                Some(_) => above,
                None => AccountOf::Unknown,
            };
            tree.enter[index] = clock;
            tree.account[index] = account;
            clock += 1;
            walk.push((index, account, true));
            walk.extend(children[index].iter().map(|&child| (child, account, false)));
        }
        tree
    }

    /// The interval of a scope: it begins at the scope's own place and holds those of all scopes below.
    pub fn place(&self, scope: ScopeId) -> std::ops::Range<u32> {
        self.enter[scope.index()]..self.leave[scope.index()]
    }

    /// Whether `scope` is `above`, or lies below it.
    pub fn is_within(&self, scope: ScopeId, above: ScopeId) -> bool {
        let (scope, above) = (scope.index(), above.index());
        self.enter[above] <= self.enter[scope] && self.enter[scope] < self.leave[above]
    }

    /// The nearest account at or above `scope`.
    pub fn account(&self, scope: ScopeId) -> AccountOf {
        self.account[scope.index()]
    }
}
