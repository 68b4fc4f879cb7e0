//! path: how far somebody gets, by others' rights (access-model §7).

use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;
use pasaporte_core::estate::{Environment, Principal, Thing};
use pasaporte_core::paths::{Node, Path};

use crate::facts::PathFact;
use crate::finding::{Raised, Raising};
use crate::rounds::Round;
use crate::ways::Led;
use crate::{Audit, Impact, Level, Rule, Sureness, severity};

pub(crate) const RULES: &[Rule] = &[
    Rule {
        id: "path/anyone-to-data",
        title: "Anyone gets to confidential data, by the rights of several others",
        why: "No single step looks bad: each hands on a little more than it should, and together they reach what nobody meant to \
              open.",
        fix: "Cut one step of the path: `pasaporte paths --from anyone --to` the data tells which is the fewest.",
        check: "Ask for the path again: there is none.",
        references: &["CWE-441", "CWE-200", "NIST SP 800-53 AC-4", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: anyone_to_data,
    },
    Rule {
        id: "path/anyone-to-access",
        title: "Anyone gets to change who may do what, by the rights of several others",
        why: "Whoever changes access gives themselves the rest. That it takes several steps makes it slower, not safer.",
        fix: "Cut one step of the path: `pasaporte paths --from anyone --to access` tells which is the fewest.",
        check: "Ask for the path again: there is none.",
        references: &["CWE-269", "CWE-441", "NIST SP 800-53 AC-4", "NIST SP 800-53 AC-6"],
        apart: &[],
        judge: anyone_to_access,
    },
    Rule {
        id: "path/low-to-high",
        title: "Code for tests comes to act as an identity in production",
        why: "What is for tests is written in a hurry and guarded by few: whoever gets into it is in production.",
        fix: "Cut the path: let nothing of a test environment act as, or change, what production runs as.",
        check: "Ask for the path again: there is none.",
        references: &["CWE-269", "NIST SP 800-53 AC-4", "NIST SP 800-53 CM-4"],
        apart: &[],
        judge: low_to_high,
    },
    Rule {
        id: "path/leaves-account",
        title: "A path that anyone can begin leads from one account into another",
        why: "Accounts are walls: what is let through one makes the weakest of them the door to the others.",
        fix: "Take the step between the two away, or let it ask for something that only the one who needs it has.",
        check: "Ask for the path again: none leads from the one into the other.",
        references: &["CWE-668", "CWE-441", "NIST SP 800-53 AC-4", "NIST SP 800-53 SC-7"],
        apart: &["from"],
        judge: leaves_account,
    },
    Rule {
        id: "path/loop",
        title: "A function may make itself run by what it writes",
        why: "One event makes the next, without end: that costs money until somebody notices, and drowns what matters.",
        fix: "Let it write elsewhere than to what makes it run, or let a filter of the trigger leave out what it writes.",
        check: "Explain its writing to the source: the answer must be no.",
        references: &["CWE-835", "CWE-400", "NIST SP 800-53 SC-5"],
        apart: &[],
        judge: itself,
    },
];

/// As bad as the table has it for anyone; by influence a step milder, and less sure where a step depends on something.
fn judged(path: &Path, thing: Thing, impact: Impact, environment: Option<Environment>) -> Raised {
    let exposure = Exposure::Anyone;
    let level = if path.quality.influence {
        Level::Influence(impact, exposure, severity(impact, exposure, environment).lower())
    } else {
        Level::Table(impact, exposure)
    };
    let sure = if path.quality.depends { Sureness::Conditional } else { Sureness::Certain };
    Raised::new(thing, level).within(environment).sure(sure)
}

fn environment(audit: &Audit<'_>, thing: Thing) -> Option<Environment> {
    let estate = audit.estate();
    match thing {
        Thing::Resource(id) => estate.get(id).and_then(|it| estate.environment(it.environment, it.scope)),
        Thing::Identity(id) => audit.environment_of(Principal::Identity(id)),
        Thing::Scope(id) => estate.environment(None, Some(id)),
        _ => None,
    }
}

fn anyone_to_data(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    led(audit, raising, &audit.ways().to_data, Impact::ConfidentialData);
}

fn anyone_to_access(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    led(audit, raising, &audit.ways().to_access, Impact::ControlsAccess);
}

/// Raises of whoever leads to goals that they do, as severe as the worst of the goals.
fn led(audit: &Audit<'_>, raising: &mut Raising<'_, '_>, all: &[Led], impact: Impact) {
    for it in all {
        let Some(thing) = it.by.thing().filter(|thing| audit.looks_at(*thing)) else { continue };
        let ends = it.goals.iter().filter_map(|goal| goal.thing()).map(|goal| environment(audit, goal));
        // What is not said counts as production.
        let worst = ends.min_by_key(|it| it.map_or(Environment::Production, |it| it)).flatten();
        let raised = judged(&it.path, thing, impact, worst);
        raising.raise(&raised, PathFact::Leads(Box::new((it.path.clone(), it.goals.clone()))));
    }
}

fn low_to_high(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    for it in &audit.ways().upwards {
        let Node::Who(who @ Principal::Identity(id)) = it.path.end() else { continue };
        let Some(door) = it.by.thing().filter(|door| audit.looks_at(*door)) else { continue };
        let impact = audit.effects().harm_itself(who).impact;
        let sure = if it.path.quality.depends { Sureness::Conditional } else { Sureness::Certain };
        let raised = Raised::new(door, Level::Table(impact, Exposure::Insiders))
            .within(environment(audit, Thing::Identity(id)))
            .sure(sure);
        raising.raise(&raised, PathFact::Leads(Box::new((it.path.clone(), it.goals.clone()))));
    }
}

fn leaves_account(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let estate = audit.estate();
    for (from, to, path) in audit.ways().across.iter().filter(|(_, to, _)| audit.looks_at(Thing::Scope(*to)))
    {
        let impact = match path.end() {
            Node::Who(who) => audit.effects().harm_itself(who).impact,
            _ => Impact::RunsCode,
        };
        let thing = Thing::Scope(*to);
        let raised = judged(path, thing, impact, environment(audit, thing)).facet(estate.id(*from));
        raising.raise(&raised, PathFact::Leaves(Box::new((*from, path.clone()))));
    }
}

fn itself(audit: &Audit<'_>, raising: &mut Raising<'_, '_>) {
    let looked_at = |it: &&Round| audit.looks_at(Thing::Function(it.function));
    for it in audit.ways().rounds.iter().filter(looked_at) {
        let sure = if it.verdict == Verdict::Yes { Sureness::Certain } else { Sureness::Conditional };
        let level = Level::Table(Impact::RunsCode, Exposure::Insiders);
        let raised = Raised::new(Thing::Function(it.function), level)
            .within(audit.environment(it.function))
            .sure(sure);
        raising.raise(&raised, PathFact::Loop(it.function, it.triggers.clone().into()));
    }
}
