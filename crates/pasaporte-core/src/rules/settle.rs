//! One weakness is told once: of the findings that come from one cause (a grant, a permission, a door, a verifier, a
//! key) one leads, and the others lie beneath it.

use rustc_hash::FxHashMap;

use super::Finding;
use super::finding::Cause;
use crate::estate::Estate;

/// Which rule leads where several see one weakness and are as severe: what is open to the widest crowd before what is
/// broad, the broadest claim before narrower ones, a cause before what follows from it. Rules that are not named here
/// come after these, in the order of the catalogue.
pub const PRECEDENCE: &[&str] = &[
    "entry/weak-token-check",
    "entry/anonymous-endpoint",
    "entry/anonymous-route",
    "entry/public-token",
    "entry/open-invoke",
    "trust/anyone",
    "grant/to-everybody",
    "entry/open-source",
    "trust/whole-account",
    "entry/unpinned-source",
    "entry/declared-otherwise",
    "grant/any-action",
    "grant/whole-service",
    "grant/any-resource",
    "entry/wide-invoke-grant",
    "key/expired-enabled",
    "key/stale",
    "key/never-used",
    "key/no-expiry",
];

/// Puts findings beneath those that lead them; those that lead stay in the order they are in.
pub(super) fn settle(findings: Vec<Finding>, estate: &Estate) -> Vec<Finding> {
    let mut groups = Groups::new(findings.len());
    let mut first_of: FxHashMap<Cause, usize> = FxHashMap::default();
    for (at, finding) in findings.iter().enumerate() {
        for &cause in &finding.causes {
            let first = *first_of.entry(cause).or_insert(at);
            groups.join(first, at);
        }
    }
    // The first of each group stands for it. Findings come worst first, so among those that are as bad as that one
    // leads.
    let mut leaders: Vec<usize> = (0..findings.len()).collect();
    let mut alone = true;
    for at in 0..findings.len() {
        let first = groups.of(at);
        let leader = leaders[first];
        if first != at {
            alone = false;
            let (one, other) = (&findings[leader], &findings[at]);
            if one.severity == other.severity && precedes(other, one, estate) {
                leaders[first] = at;
            }
        }
    }
    if alone {
        return findings;
    }
    let mut beneath: FxHashMap<usize, Vec<Finding>> = FxHashMap::default();
    let mut leading: Vec<(usize, Finding)> = Vec::with_capacity(findings.len());
    for (at, finding) in findings.into_iter().enumerate() {
        let leader = leaders[groups.of(at)];
        if leader == at {
            leading.push((at, finding));
        } else {
            beneath.entry(leader).or_default().push(finding);
        }
    }
    let with_beneath = |(at, mut finding): (usize, Finding)| {
        finding.beneath = beneath.remove(&at).unwrap_or_default();
        finding
    };
    leading.into_iter().map(with_beneath).collect()
}

fn precedes(one: &Finding, other: &Finding, estate: &Estate) -> bool {
    let rank = |finding: &Finding| {
        let named = PRECEDENCE.iter().position(|id| *id == finding.rule.id);
        named.unwrap_or_else(|| {
            let listed = super::all().position(|rule| rule.id == finding.rule.id);
            PRECEDENCE.len() + listed.unwrap_or_default()
        })
    };
    let key = |finding: &Finding| (finding.sureness as u8, rank(finding));
    key(one).cmp(&key(other)).then_with(|| one.label(estate).cmp(&other.label(estate))).is_lt()
}

/// Which of some belong together: each points to one of its group, and the first points to itself.
struct Groups(Vec<usize>);

impl Groups {
    fn new(count: usize) -> Self {
        Self((0..count).collect())
    }

    fn of(&mut self, mut at: usize) -> usize {
        while self.0[at] != at {
            self.0[at] = self.0[self.0[at]];
            at = self.0[at];
        }
        at
    }

    fn join(&mut self, one: usize, other: usize) {
        let (one, other) = (self.of(one), self.of(other));
        self.0[one.max(other)] = one.min(other);
    }
}
