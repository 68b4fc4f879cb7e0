//! One weakness is told once: of the findings that come from one cause (a grant, a permission, a door, a verifier, a
//! key) one leads, and the others lie beneath it.

use rustc_hash::{FxBuildHasher, FxHashMap};

use crate::finding::Cause;
use crate::{Audit, Finding, Rule, RuleId};

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
    "grant/all-but",
    "grant/whole-service",
    "grant/any-resource",
    "entry/wide-invoke-grant",
    "grant/changes-access",
    "grant/changes-code",
    "grant/hands-over-identity",
    "grant/reads-keys",
    "grant/wide-membership",
    "grant/template-excess",
    "grant/beyond-trigger",
    "grant/from-above",
    "identity/wide-enrolment",
    "identity/stale-enrolment",
    "identity/never-used",
    "grant/unused",
    "key/in-url",
    "key/in-settings",
    "key/admin-in-use",
    "key/same-twice",
    "key/expired-enabled",
    "key/stale",
    "key/never-used",
    "key/idle",
    "key/no-expiry",
];

/// Puts findings beneath those that lead them; those that lead stay in the order they are in.
pub(crate) fn settle(mut findings: Vec<Finding>, audit: &Audit<'_>) -> Vec<Finding> {
    let leaders = leaders(&findings, audit);
    let leads = |at: usize| leaders[at] as usize == at;
    // Those that lead stay in the list, so that few are moved.
    let mut all = 0..findings.len();
    let led: Vec<Finding> = findings.extract_if(.., |_| all.next().is_some_and(|at| !leads(at))).collect();
    if led.is_empty() {
        return findings;
    }
    let mut places: Vec<u32> = vec![0; leaders.len()];
    for (place, at) in (0..leaders.len()).filter(|at| leads(*at)).enumerate() {
        places[at] = place as u32;
    }
    let their_leaders = (0..leaders.len()).filter(|at| !leads(*at)).map(|at| leaders[at] as usize);
    for (finding, leader) in led.into_iter().zip(their_leaders) {
        findings[places[leader] as usize].lead(finding);
    }
    findings
}

/// Of each finding the place of the one that leads it, which may be itself.
fn leaders(findings: &[Finding], audit: &Audit<'_>) -> Vec<u32> {
    let mut groups = Groups::new(findings.len());
    let causes = findings.iter().map(|finding| finding.causes.all().len()).sum();
    let mut first_of: FxHashMap<Cause, u32> = FxHashMap::with_capacity_and_hasher(causes, FxBuildHasher);
    for (at, finding) in findings.iter().enumerate() {
        for &cause in finding.causes.all() {
            let first = *first_of.entry(cause).or_insert(at as u32);
            groups.join(first, at as u32);
        }
    }
    drop(first_of);
    let estate = audit.estate();
    let ranks: FxHashMap<RuleId, (usize, RuleId)> =
        audit.catalogue().placed().map(|(id, rule)| (id, rank(id, rule))).collect();
    let precedes = |one: &Finding, other: &Finding| {
        let key = |finding: &Finding| (finding.sureness as u8, ranks[&finding.rule]);
        key(one).cmp(&key(other)).then_with(|| one.label(estate).cmp(&other.label(estate))).is_lt()
    };
    // The first of each group stands for it. Findings come worst first, so among those that are as bad as that one leads.
    let mut leader_of: Vec<u32> = (0..findings.len() as u32).collect();
    for (at, finding) in findings.iter().enumerate() {
        let first = groups.of(at as u32) as usize;
        let leading = &findings[leader_of[first] as usize];
        if first != at && leading.severity == finding.severity && precedes(finding, leading) {
            leader_of[first] = at as u32;
        }
    }
    // From the end, so that the first of a group, which knows the leader, is asked by all others before itself.
    for at in (0..findings.len()).rev() {
        leader_of[at] = leader_of[groups.of(at as u32) as usize];
    }
    leader_of
}

/// The place of a rule among those that may lead.
fn rank(id: RuleId, rule: &Rule) -> (usize, RuleId) {
    (PRECEDENCE.iter().position(|named| *named == rule.id).unwrap_or(PRECEDENCE.len()), id)
}

/// Which of some belong together: each points to one of its group, and the first points to itself.
struct Groups(Vec<u32>);

impl Groups {
    fn new(count: usize) -> Self {
        Self((0..count as u32).collect())
    }

    fn of(&mut self, mut at: u32) -> u32 {
        while self.0[at as usize] != at {
            self.0[at as usize] = self.0[self.0[at as usize] as usize];
            at = self.0[at as usize];
        }
        at
    }

    fn join(&mut self, one: u32, other: u32) {
        let (one, other) = (self.of(one), self.of(other));
        self.0[one.max(other) as usize] = one.min(other);
    }
}
