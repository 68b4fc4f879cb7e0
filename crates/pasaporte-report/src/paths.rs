//! How far somebody gets: paths step by step, each with its reason, and the fewest things whose loss cuts them.

use std::collections::{BTreeMap, BTreeSet};

use pasaporte_core::access::{Answer, Ground, Truth, Verdict, Via};
use pasaporte_core::effect::{Effects, Wide};
use pasaporte_core::entry::Through;
use pasaporte_core::estate::{Effect, Estate, Principal, ResourceId, Thing, Vocabulary};
use pasaporte_core::paths::{
    Class, Element, Found, Goal, Hop, Nearest, Node, Path, Paths, Quality, Reason, Step,
};
use rayon::prelude::*;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::VERSION;
use crate::entry::{PAST_ITS_END, entrant};

/// Goals of a kind that are told one by one.
const MOST_TOLD: usize = 200;

/// Who begins, as somebody asked for it.
#[derive(Debug, Clone)]
pub enum From {
    /// All of a class.
    Class(Class),
    /// Somebody, or the code of a function.
    Node(Node),
}

/// What it shall lead to, as somebody asked for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum To {
    /// Whatever is of a kind.
    Goal(Goal),
    /// This.
    Node(Node),
}

/// Paths.
#[derive(Debug, Serialize, JsonSchema)]
#[schemars(title = "Pasaporte paths, version 1")]
pub struct PathsOut {
    /// The version of this output.
    pub paths: u64,
    /// Of each who begins and what is led to, how far they get.
    pub routes: Vec<RouteOut>,
    /// Who begins and gets to none of it.
    pub nowhere: Vec<NowhereOut>,
    /// The fewest things whose loss cuts all of these paths.
    pub cut: Option<CutOut>,
    /// How many nodes were come to, from all starts together.
    pub nodes: usize,
    /// How many questions were asked of the decision for that.
    pub asked: usize,
    /// Whether all was looked at within the bound on work.
    pub complete: bool,
}

/// How far somebody gets to something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct RouteOut {
    /// Who begins: a class, or a name.
    pub from: String,
    /// What is led to: a kind, or a name.
    pub to: String,
    /// How many of that kind can be come to.
    pub reached: usize,
    /// The best path to each of them, the best first.
    pub paths: Vec<PathOut>,
}

/// Somebody who gets nowhere.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct NowhereOut {
    /// Who.
    pub from: String,
    /// What they do not get to.
    pub to: Vec<String>,
    /// Whether what anyone gets to as well, or whoever is signed in, is left aside.
    pub beyond_crowds: bool,
}

/// A path.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PathOut {
    /// Where it begins.
    pub start: String,
    /// Where it ends.
    pub end: String,
    /// `control`, or `influence` where some step only makes code run.
    pub strength: String,
    /// `certain`, or `conditional` where some step depends on something.
    pub sureness: String,
    /// Its steps.
    pub steps: Vec<StepOut>,
    /// The number of the weakest step, from 1; null where all are sure and give control.
    pub weakest: Option<usize>,
}

/// A step of a path.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StepOut {
    /// From whom or what.
    pub from: String,
    /// To whom or what.
    pub to: String,
    /// How: `acts-as`, `hands-over`, `rewrites-code`, `takes-key`, `rewrites-access`, `manages`, `below`, `invokes`, `feeds`, `runs-as`,
    /// `is-handed`, `reaches`.
    pub by: String,
    /// The step as a sentence.
    pub told: String,
    /// `control` or `influence`.
    pub strength: String,
    /// Surely (yes) or depending on something.
    pub verdict: String,
    /// What it depends on, as the rest of a sentence.
    pub depends_on: Option<String>,
    /// What it rests on, in words.
    pub because: Option<String>,
    /// Where that was read: `FILE:LINE`.
    pub read_from: Vec<String>,
}

/// How far somebody gets to what matters, in a line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FarOut {
    /// What is led to: a kind.
    pub to: String,
    /// How many of that kind can be come to.
    pub reached: usize,
    /// The one to which the best path leads.
    pub nearest: String,
    /// In how many steps.
    pub steps: usize,
    /// `control`, or `influence` where some step only makes code run.
    pub strength: String,
    /// `certain`, or `conditional` where some step depends on something.
    pub sureness: String,
}

/// Functions of an estate beyond which it is not worked out in passing how far somebody gets.
pub(crate) const MOST_FUNCTIONS: usize = 5_000;

/// How far the code of a function gets to what matters, beyond what anyone gets to as well; none in a very large estate.
pub(crate) fn from_here(effects: &Effects<'_>, start: Node) -> Option<Vec<FarOut>> {
    let estate = effects.estate();
    if estate.count::<pasaporte_core::estate::FunctionId>() > MOST_FUNCTIONS {
        return None;
    }
    let paths = Paths::new(effects, Vec::new());
    let crowd = paths.from(&paths.starts(Class::Anyone));
    let known =
        |node: Node, quality: Quality| crowd.nearest(node).is_some_and(|best| best.quality <= quality);
    let found = paths.from(&[start]);
    let far = |goal: &Goal| {
        let (route, _) = route(&paths, &found, "", To::Goal(*goal), &known)?;
        let best = route.paths.first()?;
        Some(FarOut {
            to: route.to,
            reached: route.reached,
            nearest: best.end.clone(),
            steps: best.steps.len(),
            strength: best.strength.clone(),
            sureness: best.sureness.clone(),
        })
    };
    Some(Goal::ALL.iter().filter_map(|(_, goal)| far(goal)).collect())
}

/// The fewest things whose loss cuts.
#[derive(Debug, Clone, Serialize, JsonSchema)]
pub struct CutOut {
    /// Which, in words.
    pub changes: Vec<ChangeOut>,
    /// Whether all smaller choices were ruled out.
    pub is_least: bool,
}

/// A change: something to take away, or to narrow.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct ChangeOut {
    /// What, by its label: what `removed` of an overlay names.
    pub what: String,
    /// What to do with it, in words.
    pub told: String,
    /// Where it was read: `FILE:LINE`.
    pub read_from: Option<String>,
}

/// What is asked.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// Who begins; all classes if none is named.
    pub from: Vec<From>,
    /// What is led to; all kinds if none is named.
    pub to: Vec<To>,
}

impl Asked {
    fn starts(&self) -> Vec<From> {
        if self.from.is_empty() {
            return Class::ALL.iter().map(|(_, class)| From::Class(*class)).collect();
        }
        self.from.clone()
    }

    fn goals(&self) -> Vec<To> {
        if self.to.is_empty() {
            return Goal::ALL.iter().map(|(_, goal)| To::Goal(*goal)).collect();
        }
        self.to.clone()
    }

    /// Resources that are looked for by name.
    fn wanted(&self) -> Vec<ResourceId> {
        let named = self.to.iter().filter_map(|to| match to {
            To::Node(Node::Data(id)) => Some(*id),
            _ => None,
        });
        named.collect()
    }
}

impl PathsOut {
    /// How far somebody gets in an estate.
    pub fn new(effects: &Effects<'_>, asked: &Asked) -> Self {
        let paths = Paths::new(effects, asked.wanted());
        let (mut routes, mut nowhere, mut complete) = (Vec::new(), Vec::new(), true);
        let (mut nodes, mut questions) = (0, 0);
        let goals = asked.goals();
        let mut ends: BTreeSet<Node> = BTreeSet::new();
        let mut begins: BTreeSet<Node> = BTreeSet::new();
        // What crowds come to is told of them, and not again of whoever is of them.
        let mut crowds: BTreeMap<Node, Quality> = BTreeMap::new();
        let begin = |from: &From| match from {
            From::Class(class) => (class.word().to_owned(), paths.starts(*class)),
            From::Node(node) => (label(effects.estate(), *node), vec![*node]),
        };
        let all_from = asked.starts();
        let (names, all_starts): (Vec<String>, Vec<Vec<Node>>) = all_from.par_iter().map(begin).unzip();
        let all_found = paths.from_each(&all_starts);
        for (((from, name), starts), found) in all_from.iter().zip(names).zip(all_starts).zip(all_found) {
            complete &= found.complete;
            nodes += found.size().0;
            questions += found.size().1;
            let of_all = asked.from.is_empty();
            let mut none: Vec<String> = Vec::new();
            // Only what is of an account leaves one.
            let has_account = |goal: &&To| {
                **goal != To::Goal(Goal::OtherAccounts)
                || starts.iter().any(|start| !matches!(start, Node::Who(who) if who.thing().is_none_or(|it| matches!(it, Thing::Scope(_) | Thing::Key(_) | Thing::Verifier(_)))))
            };
            for goal in goals.iter().filter(has_account) {
                let known = |node: Node, quality: Quality| {
                    of_all && crowds.get(&node).is_some_and(|best| *best <= quality)
                };
                match route(&paths, &found, &name, *goal, &known) {
                    Some((route, reached)) => {
                        routes.push(route);
                        ends.extend(reached);
                        begins.extend(&starts);
                    }
                    None => none.push(goal_name(effects.estate(), *goal)),
                }
            }
            if of_all && matches!(from, From::Class(Class::Anyone | Class::SignedIn)) {
                for node in found.nodes() {
                    if let Some(Nearest { quality, .. }) = found.nearest(node) {
                        let best = crowds.entry(node).or_insert(quality);
                        *best = quality.min(*best);
                    }
                }
            }
            if !none.is_empty() && !starts.is_empty() {
                let beyond_crowds = of_all && !matches!(from, From::Class(Class::Anyone));
                nowhere.push(NowhereOut { from: name, to: none, beyond_crowds });
            }
        }
        let cut = if ends.is_empty() || asked.from.is_empty() || asked.to.is_empty() {
            None
        } else {
            let begins: Vec<Node> = begins.into_iter().collect();
            paths.least_cut(&begins, &|node| ends.contains(&node))
        };
        let cut = cut.map(|cut| CutOut {
            changes: cut.elements.iter().map(|element| change(effects.estate(), *element)).collect(),
            is_least: cut.is_least,
        });
        Self { paths: VERSION, routes, nowhere, cut, nodes, asked: questions, complete }
    }
}

fn goal_name(estate: &Estate, goal: To) -> String {
    match goal {
        To::Goal(goal) => goal.word().to_owned(),
        To::Node(node) => label(estate, node),
    }
}

/// How far somebody gets to something; none where they do not.
fn route(
    paths: &Paths<'_, '_>,
    found: &Found,
    from: &str,
    goal: To,
    known: &dyn Fn(Node, Quality) -> bool,
) -> Option<(RouteOut, Vec<Node>)> {
    let estate = paths.effects().estate();
    let mut all: Vec<(Nearest, Node)> = Vec::new();
    for node in found.nodes() {
        let may_be = match goal {
            To::Goal(Goal::OtherAccounts) => true,
            To::Goal(goal) => paths.is_goal(goal, node, node),
            To::Node(wanted) => wanted == node,
        };
        if !may_be {
            continue;
        }
        let Some(path) = found.nearest(node).filter(|path| path.len > 0) else { continue };
        let is_goal = match goal {
            To::Goal(goal) => paths.is_goal(goal, path.start, node),
            To::Node(_) => true,
        };
        if is_goal && !known(node, path.quality) {
            all.push((path, node));
        }
    }
    if all.is_empty() {
        return None;
    }
    all.sort_by_cached_key(|(path, node)| (path.quality, path.len, label(estate, *node)));
    let reached = all.len();
    let nodes: Vec<Node> = all.into_iter().map(|(_, node)| node).collect();
    let told = nodes.iter().take(MOST_TOLD).filter_map(|node| found.path(*node));
    let told = told.map(|path| path_out(paths, &path)).collect();
    Some((RouteOut { from: from.to_owned(), to: goal_name(estate, goal), reached, paths: told }, nodes))
}

/// A path in words.
pub fn path_out(paths: &Paths<'_, '_>, path: &Path) -> PathOut {
    let estate = paths.effects().estate();
    let told: Vec<&Hop> = path.told().collect();
    let weakest = path.weakest().and_then(|at| told.iter().position(|hop| **hop == path.hops[at]));
    // Who is of a crowd takes the next step as one of it.
    let mut steps: Vec<StepOut> = Vec::new();
    let mut being: Option<String> = None;
    for hop in &path.hops {
        if hop.edge.step.is_told() {
            steps.push(step_out(paths, hop, being.take()));
        } else {
            being.get_or_insert_with(|| label(estate, hop.from));
        }
    }
    PathOut {
        start: label(estate, path.start),
        end: label(estate, path.end()),
        strength: strength(path.quality.influence),
        sureness: if path.quality.depends { "conditional" } else { "certain" }.to_owned(),
        steps,
        weakest: weakest.map(|at| at + 1),
    }
}

fn strength(influence: bool) -> String {
    if influence { "influence" } else { "control" }.to_owned()
}

/// What a node is called.
pub fn label(estate: &Estate, node: Node) -> String {
    match node {
        Node::Who(who) => estate.principal_label(who),
        Node::Code(id) => estate.label(Thing::Function(id)),
        Node::Access(id) => format!("access at {}", estate.label(Thing::Scope(id))),
        Node::Data(id) => estate.label(Thing::Resource(id)),
    }
}

fn step_word(step: Step) -> &'static str {
    match step {
        Step::Is => "is",
        Step::ActsAs => "acts-as",
        Step::HandsOver => "hands-over",
        Step::RewritesCode => "rewrites-code",
        Step::TakesKey => "takes-key",
        Step::RewritesAccess => "rewrites-access",
        Step::Manages => "manages",
        Step::Below => "below",
        Step::Invokes(Through::Source(_)) => "feeds",
        Step::Invokes(_) => "invokes",
        Step::RunsAs => "runs-as",
        Step::IsHanded => "is-handed",
        Step::Reaches => "reaches",
    }
}

fn step_out(paths: &Paths<'_, '_>, hop: &Hop, being: Option<String>) -> StepOut {
    let effects = paths.effects();
    let estate = effects.estate();
    let (from, to) = (label(estate, hop.from), label(estate, hop.edge.to));
    let place = |thing: Thing| -> Vec<String> {
        estate.origin(thing).map(|origin| at(estate, origin)).into_iter().collect()
    };
    let reason = paths.reason(hop);
    let (because, depends_on, read_from, action) = match &reason {
        Some(Reason::Decided(action, answer)) => {
            let (because, read_from) = allowed(effects, answer);
            let residual = (answer.verdict == Verdict::Depends).then(|| answer.residual(estate));
            (because, residual, read_from, Some(action.text().to_owned()))
        }
        Some(Reason::Enters(way)) => {
            let Node::Code(function) = hop.edge.to else { unreachable!("one enters code") };
            let it = entrant(effects, function, way);
            let mut read_from: Vec<String> =
                it.read_from.iter().map(|it| format!("{}:{}", it.file, it.line)).collect();
            if read_from.is_empty() {
                read_from = match way.through {
                    Through::Endpoint(id) => place(Thing::Endpoint(id)),
                    Through::Source(id) => place(Thing::Trigger(id)),
                    Through::Invoking => place(Thing::Function(function)),
                };
            }
            (Some(it.because), it.depends_on, read_from, None)
        }
        Some(Reason::Hands(it)) => {
            let statement = it.by.1.statement;
            let code = match &it.code.on {
                Wide::There(thing) => estate.label(*thing),
                Wide::New(_) => "a function that it makes".to_owned(),
            };
            let told = format!("{}; and {} on {code}", effects.wording(statement), it.code.act.action.text());
            (Some(told), None, vec![at(estate, estate.statement(statement).origin)], None)
        }
        Some(Reason::Lies) => match hop.from {
            Node::Code(id) => (None, None, place(Thing::Function(id)), None),
            Node::Who(Principal::Key(id)) => {
                let depends = hop.edge.verdict == Verdict::Depends;
                (None, depends.then(|| PAST_ITS_END.to_owned()), place(Thing::Key(id)), None)
            }
            _ => (None, None, Vec::new(), None),
        },
        None => (None, None, Vec::new(), None),
    };
    // "identity:buoy-link, being signed-in,"
    let who = being.as_ref().map_or_else(|| from.clone(), |whole| format!("{whole}, being {from},"));
    let does = |text: &str| action.clone().unwrap_or_else(|| text.to_owned());
    let told = match hop.edge.step {
        Step::Is => format!("{from} is {to}"),
        Step::ActsAs => format!("{who} may act as {to}"),
        Step::HandsOver => format!("{who} may hand {to} to code that it changes"),
        Step::RewritesCode => format!("{who} may change {to} ({})", does("function/update")),
        Step::TakesKey => format!("{who} may have {to} ({})", does("key/read")),
        Step::RewritesAccess => format!("{who} may change {to} ({})", does("access/write")),
        Step::Manages => format!("{from} manages {}", to.trim_start_matches("access at ")),
        Step::Below => format!("whoever changes {from} gives themselves {to}"),
        Step::Invokes(Through::Endpoint(id)) => {
            format!("{who} calls {} of {to}", estate.label(Thing::Endpoint(id)))
        }
        Step::Invokes(Through::Source(id)) => {
            let source =
                estate.get(id).and_then(|it| it.source).map_or_else(String::new, |it| estate.label(it));
            format!("{who} writes to {source}, which makes {to} run")
        }
        Step::Invokes(Through::Invoking) => format!("{who} may invoke {to}"),
        Step::RunsAs => format!("{from} runs as {to}"),
        Step::IsHanded => format!("the platform hands {to} to {from}"),
        Step::Reaches => format!("{who} may do {} on {to}", does("something")),
    };
    StepOut {
        from: being.unwrap_or(from),
        to,
        by: step_word(hop.edge.step).to_owned(),
        told,
        strength: strength(hop.edge.step.is_influence()),
        verdict: hop.edge.verdict.to_string(),
        depends_on: depends_on.filter(|text| !text.is_empty()),
        because,
        read_from,
    }
}

fn at(estate: &Estate, origin: pasaporte_core::estate::Origin) -> String {
    format!("{}:{}", estate.path(origin.file), origin.line)
}

/// What allows, in one line, and where it was read: the surest statement.
fn allowed(effects: &Effects<'_>, answer: &Answer<'_>) -> (Option<String>, Vec<String>) {
    let estate = effects.estate();
    let allows = answer.grounds.iter().filter(|it| it.effect == Effect::Allow && it.holds != Truth::False);
    let allows = allows.filter(|it| !matches!(it.via, Via::Ceiling(_)));
    let best = allows.min_by_key(|it| {
        let origin = estate.statement(it.statement).origin;
        (it.holds != Truth::True, told_by(effects, it), origin)
    });
    let Some(best) = best else { return (None, Vec::new()) };
    let statement = estate.statement(best.statement).origin;
    let mut read_from = vec![at(estate, statement)];
    if let Via::Grant { grant, .. } = best.via {
        let held_at = at(estate, estate.grant(grant).origin);
        if held_at != read_from[0] {
            read_from.push(held_at);
        }
    }
    (Some(told_by(effects, best)), read_from)
}

/// A statement, and how it is held or on what it stands.
fn told_by(effects: &Effects<'_>, ground: &Ground<'_>) -> String {
    let estate = effects.estate();
    let held = match ground.via {
        Via::Grant { grant, .. } => {
            let it = estate.grant(grant);
            let set = it.set.map_or_else(String::new, |set| format!(" in {}", estate.label(Thing::Set(set))));
            format!(
                "{set}, held by {} at {}",
                estate.principal_label(it.principal),
                estate.place_label(it.at)
            )
        }
        Via::Admission { admission, .. } => format!(" on {}", estate.label(estate.admission(admission).on)),
        Via::Ceiling(_) => String::new(),
    };
    format!("{}{held}", effects.wording(ground.statement))
}

/// A change in words.
pub fn change(estate: &Estate, element: Element) -> ChangeOut {
    let (what, told, origin) = match element {
        Element::Grant(id) => {
            let what = estate.label(Thing::Grant(id));
            (what.clone(), format!("narrow or take away {what}"), Some(estate.grant(id).origin))
        }
        Element::Admission(id, to) => {
            let what = estate.admission_label(id, to);
            let origin = estate.statement(estate.admission(id).statement).origin;
            let told = format!(
                "take {} out of what stands on {}",
                estate.principal_label(to),
                estate.label(estate.admission(id).on)
            );
            (what, told, Some(origin))
        }
        Element::Endpoint(id) => {
            let what = estate.label(Thing::Endpoint(id));
            (what.clone(), format!("check callers at {what}"), estate.origin(Thing::Endpoint(id)))
        }
        Element::Trigger(id) => {
            let what = estate.label(Thing::Trigger(id));
            (what.clone(), format!("pin or switch off {what}"), estate.origin(Thing::Trigger(id)))
        }
        Element::Key(id) => {
            let what = estate.label(Thing::Key(id));
            (what.clone(), format!("switch off {what}"), estate.origin(Thing::Key(id)))
        }
    };
    ChangeOut { what, told, read_from: origin.map(|origin| at(estate, origin)) }
}

/// The paths that are drawn: the best of each, or all.
fn drawn(it: &PathsOut, all: bool) -> Vec<&PathOut> {
    let of_route = |route: &'_ RouteOut| if all { route.paths.len() } else { 1 };
    it.routes.iter().flat_map(|route| route.paths.iter().take(of_route(route))).collect()
}

/// The nodes and steps of what is drawn, each once, in the order in which they are met.
fn drawing<'p>(paths: &[&'p PathOut]) -> (Vec<&'p str>, Vec<&'p StepOut>) {
    let (mut nodes, mut steps): (Vec<&str>, Vec<&StepOut>) = (Vec::new(), Vec::new());
    for step in paths.iter().flat_map(|path| &path.steps) {
        for name in [step.from.as_str(), step.to.as_str()] {
            if !nodes.contains(&name) {
                nodes.push(name);
            }
        }
        if !steps.iter().any(|known| known.from == step.from && known.to == step.to && known.by == step.by) {
            steps.push(step);
        }
    }
    (nodes, steps)
}

/// The paths as a graph in the DOT language.
pub fn dot(it: &PathsOut, all: bool) -> String {
    let paths = drawn(it, all);
    let (nodes, steps) = drawing(&paths);
    let quoted = |text: &str| {
        let text = pasaporte_read::visible(text).replace('\\', "\\\\").replace('"', "\\\"");
        format!("\"{text}\"")
    };
    let mut out = "digraph paths {\n  rankdir=LR;\n  node [shape=box, fontname=\"sans-serif\"];\n".to_owned();
    for name in nodes {
        out.push_str(&format!("  {};\n", quoted(name)));
    }
    for step in steps {
        let style = if step.strength == "influence" { "dashed" } else { "solid" };
        let perhaps = if step.verdict == "yes" { "" } else { ", perhaps" };
        out.push_str(&format!(
            "  {} -> {} [label={}, style={style}];\n",
            quoted(&step.from),
            quoted(&step.to),
            quoted(&format!("{}{perhaps}", step.by)),
        ));
    }
    out.push_str("}\n");
    out
}

/// The paths as a flow chart in the Mermaid language.
pub fn mermaid(it: &PathsOut, all: bool) -> String {
    let paths = drawn(it, all);
    let (nodes, steps) = drawing(&paths);
    let number = |name: &str| nodes.iter().position(|known| *known == name).unwrap_or_default();
    // What the language gives a meaning is written as entities.
    let escaped = |text: &str| {
        let visible = pasaporte_read::visible(text);
        let plain = |each: char| {
            each.is_alphanumeric() || matches!(each, ' ' | ':' | '-' | '_' | '.' | '/' | ',' | '@')
        };
        visible
            .chars()
            .map(|each| if plain(each) { each.to_string() } else { format!("#{};", each as u32) })
            .collect::<String>()
    };
    let mut out = "flowchart LR\n".to_owned();
    for (at, name) in nodes.iter().enumerate() {
        out.push_str(&format!("  n{at}[\"{}\"]\n", escaped(name)));
    }
    for step in steps {
        let arrow = if step.strength == "influence" { "-.->" } else { "-->" };
        let perhaps = if step.verdict == "yes" { "" } else { ", perhaps" };
        out.push_str(&format!(
            "  n{} {arrow}|\"{}\"| n{}\n",
            number(&step.from),
            escaped(&format!("{}{perhaps}", step.by)),
            number(&step.to)
        ));
    }
    out
}
