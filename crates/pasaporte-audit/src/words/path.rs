//! What is told of paths.

use pasaporte_core::entry::Through;
use pasaporte_core::estate::{Estate, FunctionId, Thing, TriggerId};
use pasaporte_core::paths::{Node, Path, Step};

use super::Told;
use super::phrases::listed;
use crate::Audit;
use crate::facts::PathFact;

/// Places of a path that are shown.
const MOST_SHOWN: usize = 5;

pub(super) fn tell(audit: &Audit<'_>, fact: &PathFact) -> Told {
    let estate = audit.estate();
    match fact {
        PathFact::Leads(it) => {
            let (path, goals) = &**it;
            let end = name(estate, path.end());
            let also: Vec<String> =
                goals.iter().skip(1).map(|goal| bare(&name(estate, *goal)).to_owned()).collect();
            let also = if also.is_empty() {
                String::new()
            } else {
                format!(" So it goes to {} too.", listed(&also))
            };
            let told =
                Told::new(format!("{}{also}{}", chain(estate, path), weakest(estate, path))).fix(format!(
                    "Cut one of its steps: `pasaporte paths --from {} --to {}` tells the fewest changes.",
                    start(estate, path),
                    bare(&end)
                ));
            with_places(estate, path, told)
        }
        PathFact::Leaves(it) => {
            let (from, path) = &**it;
            let told = Told::new(format!(
                "Whoever came into {} comes on from there: {}{}",
                estate.label(Thing::Scope(*from)),
                chain(estate, path),
                weakest(estate, path)
            ))
            .fix("Take the last step away, or let it ask for something that only the one who needs it has.");
            with_places(estate, path, told)
        }
        PathFact::Loop(function, round) => looped(estate, *function, round),
    }
}

/// `anyone` for the option, where the path begins with anyone.
fn start(estate: &Estate, path: &Path) -> String {
    bare(&name(estate, path.start)).to_owned()
}

fn bare(name: &str) -> &str {
    name.trim_start_matches("access at ")
}

fn name(estate: &Estate, node: Node) -> String {
    match node {
        Node::Who(who) => estate.principal_label(who),
        Node::Code(id) => estate.label(Thing::Function(id)),
        Node::Access(id) => format!("access at {}", estate.label(Thing::Scope(id))),
        Node::Data(id) => estate.label(Thing::Resource(id)),
    }
}

/// "anyone calls function:a, which runs as identity:b, which may write to queue:c, which makes function:d run, …"
fn chain(estate: &Estate, path: &Path) -> String {
    let mut told = name(estate, path.start);
    let mut is_first = true;
    for hop in path.told() {
        let to = name(estate, hop.edge.to);
        let step = match hop.edge.step {
            Step::Is => continue,
            Step::ActsAs => format!("may act as {to}"),
            Step::HandsOver => format!("may hand {to} to code of its own"),
            Step::RewritesCode => format!("may change {to}"),
            Step::TakesKey => format!("may have {to}"),
            Step::RewritesAccess | Step::Manages if matches!(hop.edge.to, Node::Access(_)) => {
                format!("may change {to}")
            }
            Step::RewritesAccess | Step::Manages => format!("may change who gets at {to}"),
            Step::Below => format!("gives itself {to}"),
            Step::Invokes(Through::Source(id)) => {
                let source = estate.get(id).and_then(|it| it.source);
                let source = source.map_or_else(String::new, |source| estate.label(source));
                format!("may write to {source} and so make {to} run")
            }
            Step::Invokes(_) => format!("may make {to} run"),
            Step::RunsAs => format!("runs as {to}"),
            Step::IsHanded => format!("is handed {to}"),
            Step::Reaches => format!("gets at {to}"),
        };
        told.push_str(if is_first { " " } else { ", which " });
        told.push_str(&step);
        is_first = false;
    }
    told.push('.');
    told
}

/// Which step is the weakest, and what that means.
fn weakest(estate: &Estate, path: &Path) -> String {
    let Some(at) = path.weakest() else { return " Every step is sure, and gives control.".to_owned() };
    let hop = &path.hops[at];
    let to = name(estate, hop.edge.to);
    if hop.edge.step.is_influence() {
        format!(
            " Its weakest step is influence on {to}: whoever comes so far has no control of it, and what follows is up to its code."
        )
    } else {
        format!(" Its weakest step is to {to}, which depends on a condition.")
    }
}

fn with_places(estate: &Estate, path: &Path, told: Told) -> Told {
    let things = path.told().filter_map(|hop| {
        let thing = match hop.edge.step {
            Step::Invokes(Through::Endpoint(id)) => Some(Thing::Endpoint(id)),
            Step::Invokes(Through::Source(id)) => Some(Thing::Trigger(id)),
            _ => hop.edge.to.thing(),
        };
        Some((thing?, estate.origin(thing?)?))
    });
    things.take(MOST_SHOWN).fold(told, |told, (thing, origin)| told.at(origin, estate.label(thing)))
}

fn looped(estate: &Estate, function: FunctionId, round: &[TriggerId]) -> Told {
    let label = estate.label(Thing::Function(function));
    let source = |id: &TriggerId| {
        let source = estate.get(*id).and_then(|it| it.source);
        source.map_or_else(String::new, |source| estate.label(source))
    };
    let told = match round {
        [only] => Told::new(format!(
            "{label} runs on {}, and what it runs as may write there: one event may make the next, without end.",
            source(only)
        )),
        all => {
            let others: Vec<String> = all
                .iter()
                .filter_map(|id| estate.get(*id))
                .map(|it| estate.label(Thing::Function(it.function)))
                .filter(|other| *other != label)
                .collect();
            Told::new(format!(
                "What {label} runs as may write to {}, which makes {} run, and so round to {label} again: one event may make \
                 the next, without end.",
                all.first().map_or_else(String::new, source),
                others.join(", then "),
            ))
        }
    };
    let told = told
        .fix("Let it write elsewhere than to what makes it run, or leave what it writes out by a filter.");
    round.iter().take(MOST_SHOWN).fold(told, |told, id| {
        told.at(estate.origin(Thing::Trigger(*id)), format!("trigger {}", estate.id(*id)))
    })
}
