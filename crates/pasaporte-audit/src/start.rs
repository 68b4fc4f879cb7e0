//! Where to start: the few things whose loss closes most of the worst findings. A choice, not a claim: whoever tells it asks
//! the estate without them.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_core::estate::Thing;
use pasaporte_core::paths::{Element, Paths};

use crate::facts::{Fact, PathFact};
use crate::finding::Cause;
use crate::{Audit, Finding, Severity};

/// How many are chosen.
const MOST: usize = 3;

/// The elements that, one after the other, have to do with most of the critical findings that are left; at most three.
pub fn start_here(audit: &Audit<'_>, findings: &[Finding]) -> Vec<Element> {
    let worst: Vec<&Finding> = findings.iter().filter(|it| it.severity == Severity::Critical).collect();
    let paths = Paths::new(audit.effects(), Vec::new());
    let mut closes: BTreeMap<Element, BTreeSet<usize>> = BTreeMap::new();
    for (at, finding) in worst.iter().enumerate() {
        for element in elements(audit, &paths, finding) {
            closes.entry(element).or_default().insert(at);
        }
    }
    let mut chosen: Vec<Element> = Vec::new();
    let mut left: BTreeSet<usize> = (0..worst.len()).collect();
    while chosen.len() < MOST && !left.is_empty() {
        let name = |element: &Element| label(audit, *element);
        let gain = |all: &BTreeSet<usize>| all.intersection(&left).count();
        let best = closes.iter().max_by_key(|(element, all)| (gain(all), std::cmp::Reverse(name(element))));
        let Some((&element, all)) = best.filter(|(_, all)| gain(all) > 0) else { break };
        left.retain(|at| !all.contains(at));
        chosen.push(element);
        closes.remove(&element);
    }
    chosen
}

/// What a finding has to do with that may be taken away.
fn elements(audit: &Audit<'_>, paths: &Paths<'_, '_>, finding: &Finding) -> Vec<Element> {
    let estate = audit.estate();
    let mut all: Vec<Element> = Vec::new();
    match finding.thing {
        Some(Thing::Endpoint(id)) => all.push(Element::Endpoint(id)),
        Some(Thing::Key(id)) => all.push(Element::Key(id)),
        Some(Thing::Trigger(id)) => all.push(Element::Trigger(id)),
        _ => {}
    }
    for cause in finding.causes() {
        match cause {
            Cause::Grant(id) => all.push(Element::Grant(*id)),
            Cause::Admission(id) => {
                let named = estate.list(estate.admission(*id).to);
                all.extend(named.iter().map(|to| Element::Admission(*id, *to)));
            }
            _ => {}
        }
    }
    if let Fact::Path(PathFact::Leads(it)) = &finding.fact {
        all.extend(paths.elements_of(&it.0));
    }
    all.sort_unstable();
    all.dedup();
    all
}

/// What an element is called: as an overlay names what it removes.
pub fn label(audit: &Audit<'_>, element: Element) -> String {
    let estate = audit.estate();
    match element {
        Element::Grant(id) => estate.label(Thing::Grant(id)),
        Element::Admission(id, to) => estate.admission_label(id, to),
        Element::Endpoint(id) => estate.label(Thing::Endpoint(id)),
        Element::Trigger(id) => estate.label(Thing::Trigger(id)),
        Element::Key(id) => estate.label(Thing::Key(id)),
    }
}
