//! What differs as a change log reads: part by part, a line each, the same for terminals and for pull requests.

use std::collections::{BTreeMap, HashSet};

use pasaporte_core::access::Verdict;
use pasaporte_core::entry::Exposure;

use super::{Brief, ChangedOut, CircleOut, DiffOut, RightOut, ThingOut, WayOut};
use crate::PlaceOut;

/// What came, went, or changed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// It came.
    More,
    /// It went.
    Less,
    /// It is another.
    Other,
}

/// A part of the log.
#[derive(Debug)]
pub struct Part {
    /// What it is about.
    pub title: &'static str,
    /// Its lines.
    pub lines: Vec<Line>,
}

/// A line of the log.
#[derive(Debug)]
pub struct Line {
    /// What came, went, or changed.
    pub mark: Mark,
    /// Whether it must not be overlooked: strangers get in.
    pub alarming: bool,
    /// Of what.
    pub of: String,
    /// What.
    pub text: String,
    /// Where it stands: on the old side for what went, else on the new one.
    pub at: Option<String>,
}

/// How many names are told in a line.
const MOST: usize = 5;

/// All that differs; what differs in nothing is left out.
pub fn parts(it: &DiffOut) -> Vec<Part> {
    let mut parts = Vec::new();
    if let Some(estates) = &it.estates {
        parts.push(Part { title: "Opened", lines: ways(&estates.ways, true) });
        parts.push(Part { title: "Closed", lines: ways(&estates.ways, false) });
        parts.push(Part { title: "Rights gained", lines: rights(&estates.rights, &estates.ways, true) });
        parts.push(Part { title: "Rights lost", lines: rights(&estates.rights, &estates.ways, false) });
        let settings = &estates.settings;
        let is_key = |list: &str| list == "keys";
        let changed = |keys: bool| {
            settings.changed.iter().filter(move |it| is_key(&it.list) == keys).map(set_otherwise)
        };
        let mut keys: Vec<Line> = made(settings.made.iter().filter(|it| is_key(&it.list)), Mark::More);
        keys.extend(made(settings.gone.iter().filter(|it| is_key(&it.list)), Mark::Less));
        keys.extend(changed(true));
        parts.push(Part { title: "Keys", lines: keys });
        parts.push(Part { title: "Set otherwise", lines: changed(false).collect() });
        let mut things = made(settings.made.iter().filter(|it| !is_key(&it.list)), Mark::More);
        things.extend(made(settings.gone.iter().filter(|it| !is_key(&it.list)), Mark::Less));
        parts.push(Part { title: "Made and gone", lines: things });
    }
    let findings = &it.findings;
    let news = findings.new.iter().chain(&findings.worse).map(|it| finding(it, Mark::More));
    parts.push(Part { title: "Findings, new and worse", lines: news.collect() });
    let gone = findings.milder.iter().map(|it| finding(it, Mark::Other));
    let gone = gone.chain(findings.gone.iter().map(|it| finding(it, Mark::Less)));
    parts.push(Part { title: "Findings, gone and milder", lines: gone.collect() });
    parts.retain(|part| !part.lines.is_empty());
    parts
}

fn place(at: Option<&PlaceOut>) -> Option<String> {
    at.map(|it| format!("{}:{}", it.file, it.line))
}

/// Some of many names.
fn some(names: &[String]) -> String {
    let more = names.len().saturating_sub(MOST);
    let told = names[..names.len().min(MOST)].join(", ");
    if more == 0 { told } else { format!("{told} and {more} more") }
}

/// Ways in, those of one door in a line, those of whoever invokes many functions in one.
fn ways(all: &[WayOut], opened: bool) -> Vec<Line> {
    // Where anyone gets in by a door, nobody was shut out.
    let is_open = |way: &&WayOut| {
        let anyone = |it: &CircleOut| it.circle.0 == Exposure::Anyone && it.verdict.0 == Verdict::Yes;
        way.who == "anyone" && way.now.as_ref().is_some_and(anyone)
    };
    let door = |way: &'_ WayOut| (way.function.clone(), way.through.clone());
    let open: HashSet<(String, String)> = all.iter().filter(is_open).map(door).collect();
    let is_told = |way: &&WayOut| way.opened == opened && (opened || !open.contains(&door(way)));
    let (invoked, doors): (Vec<&WayOut>, Vec<&WayOut>) =
        all.iter().filter(is_told).partition(|way| way.through == "invoking");
    let mut lines: Vec<(Exposure, Line)> = Vec::new();
    let mark = if opened { Mark::More } else { Mark::Less };
    let at = |way: &WayOut| place(if opened { way.now_at.as_ref() } else { way.was_at.as_ref() });
    let widest = |ways: &[&WayOut]| {
        let side = |way: &WayOut| if opened { way.now.clone() } else { way.was.clone() };
        let circles = ways.iter().filter_map(|way| side(way));
        circles.map(|it| it.circle.0).min().unwrap_or(Exposure::Insiders)
    };
    let mut by_door: BTreeMap<(&str, &str), Vec<&WayOut>> = BTreeMap::new();
    for way in doors {
        by_door.entry((&way.function, &way.through)).or_default().push(way);
    }
    for ((function, through), ways) in by_door {
        let who: Vec<String> = ways.iter().map(|way| who(way)).collect();
        let lets = if opened { "lets in" } else { "no longer lets in" };
        let circle = widest(&ways);
        lines.push((
            circle,
            Line {
                mark,
                alarming: opened && circle <= Exposure::SignedIn,
                of: function.to_owned(),
                text: format!("{through} {lets} {}", some(&who)),
                at: at(ways[0]),
            },
        ));
    }
    let mut by_who: BTreeMap<String, Vec<&WayOut>> = BTreeMap::new();
    for way in invoked {
        by_who.entry(who(way)).or_default().push(way);
    }
    for (who, ways) in by_who {
        let functions: Vec<String> = ways.iter().map(|way| way.function.clone()).collect();
        let circle = widest(&ways);
        let may = if opened { "may invoke" } else { "may no longer invoke" };
        lines.push((
            circle,
            Line {
                mark,
                alarming: opened && circle <= Exposure::SignedIn,
                text: format!("{may} {}", some(&functions)),
                of: who,
                at: at(ways[0]),
            },
        ));
    }
    // The widest first; what is as wide stays by name.
    lines.sort_by_key(|(circle, _)| *circle);
    lines.into_iter().map(|(_, line)| line).collect()
}

/// Somebody who gets in or does not any more, and from where, where that is what changed.
fn who(way: &WayOut) -> String {
    let circle = |it: &CircleOut| {
        let perhaps = if it.verdict.0 == Verdict::Depends { ", perhaps" } else { "" };
        format!("{}{perhaps}", it.circle.0.phrase())
    };
    match (&way.was, &way.now) {
        (Some(was), Some(now)) => format!("{} as {}, before as {}", way.who, circle(now), circle(was)),
        (Some(only), None) | (None, Some(only)) => {
            let perhaps = if only.verdict.0 == Verdict::Depends { " (perhaps)" } else { "" };
            let inside =
                if way.who == "anyone" && only.circle.0 != Exposure::Anyone { " inside" } else { "" };
            format!("{}{inside}{perhaps}", way.who)
        }
        (None, None) => way.who.clone(),
    }
}

/// A principal, whether it is about new things, and the actions.
type Alike<'r> = (&'r str, bool, String);
/// The things, and where it stands.
type On = (Vec<String>, Option<String>);

/// Rights by principal; what is alike on many things in one line. What everybody has is told of everybody, and invoking as a way
/// in.
fn rights(all: &[RightOut], ways: &[WayOut], gained: bool) -> Vec<Line> {
    let invoked = ways.iter().filter(|way| way.through == "invoking");
    let invoked: HashSet<(&str, &str)> =
        invoked.map(|way| (way.who.as_str(), way.function.as_str())).collect();
    let is_way_in = |it: &RightOut| {
        it.action == "function/invoke" && invoked.contains(&(it.principal.as_str(), it.on.as_str()))
    };
    let told = all.iter().filter(|it| it.is_gained() == gained && !it.as_everybody && !is_way_in(it));
    let mut by_thing: BTreeMap<(&str, bool, &str), Vec<&RightOut>> = BTreeMap::new();
    for it in told {
        by_thing.entry((&it.principal, it.on_new, &it.on)).or_default().push(it);
    }
    let mut alike: BTreeMap<Alike<'_>, On> = BTreeMap::new();
    for ((principal, on_new, on), rights) in by_thing {
        let at =
            rights.iter().find_map(|it| place(if gained { it.now_by.as_ref() } else { it.was_by.as_ref() }));
        let (things, known) = alike.entry((principal, on_new, actions(&rights))).or_default();
        things.push(on.to_owned());
        *known = known.take().or(at);
    }
    let mark = if gained { Mark::More } else { Mark::Less };
    let line = |((principal, on_new, actions), (things, at)): (Alike<'_>, On)| {
        let on = if on_new { format!("new ones: {}", some(&things)) } else { some(&things) };
        let alarming = gained && (principal == "anyone" || principal == "signed-in");
        Line { mark, alarming, of: principal.to_owned(), text: format!("{actions} on {on}"), at }
    };
    alike.into_iter().map(line).collect()
}

/// Actions in few words: those that somebody named by their names, others by their classes.
fn actions(rights: &[&RightOut]) -> String {
    let how = |it: &RightOut| match (it.was.0, it.now.0) {
        (Verdict::No, Verdict::Depends) => " (perhaps)",
        (Verdict::Depends, Verdict::Yes) => " (now surely)",
        (Verdict::Yes, Verdict::Depends) => " (now only perhaps)",
        (Verdict::Depends, Verdict::No) => " (was perhaps)",
        _ => "",
    };
    let mut words: Vec<String> = Vec::new();
    let mut by_class: BTreeMap<(String, &str), Vec<&str>> = BTreeMap::new();
    for it in rights {
        match (it.is_wild, it.class) {
            (false, _) => words.push(format!("{}{}", it.action, how(it))),
            (true, None) => words.push(format!("others{}", how(it))),
            (true, Some(class)) => {
                by_class.entry((class.0.to_string(), how(it))).or_default().push(&it.action);
            }
        }
    }
    for ((class, how), actions) in by_class {
        let is_all = actions.iter().any(|action| action.split('/').nth(1) == Some(class.as_str()));
        let example = if is_all { String::new() } else { format!(" such as {}", actions[0]) };
        words.push(format!("{class}{example}{how}"));
    }
    words.sort_unstable();
    words.dedup();
    let more = words.len().saturating_sub(2 * MOST);
    words.truncate(2 * MOST);
    if more > 0 {
        words.push(format!("{more} more"));
    }
    words.join(", ")
}

/// What one thing of a list is called.
fn labelled(list: &str, thing: &str) -> String {
    match list {
        "resources" => thing.to_owned(),
        "identities" => format!("identity:{thing}"),
        list => format!("{}:{thing}", list.strip_suffix('s').unwrap_or(list)),
    }
}

fn made<'t>(all: impl Iterator<Item = &'t ThingOut>, mark: Mark) -> Vec<Line> {
    let mut by_list: BTreeMap<&str, Vec<&ThingOut>> = BTreeMap::new();
    for it in all {
        by_list.entry(&it.list).or_default().push(it);
    }
    let line = |(list, things): (&str, Vec<&ThingOut>)| {
        let names: Vec<String> = things.iter().map(|it| labelled(list, &it.thing)).collect();
        let (of, text) = match names.as_slice() {
            [one] => (one.clone(), if mark == Mark::More { "made" } else { "gone" }.to_owned()),
            all => (format!("{} {list}", all.len()), some(all)),
        };
        Line { mark, alarming: false, of, text, at: place(things[0].at.as_ref()) }
    };
    by_list.into_iter().map(line).collect()
}

fn set_otherwise(it: &ChangedOut) -> Line {
    let or = |text: &str, nothing: &str| if text.is_empty() { nothing.to_owned() } else { text.to_owned() };
    Line {
        mark: Mark::Other,
        alarming: false,
        of: labelled(&it.list, &it.thing),
        text: format!(
            "{}: {}, before {}",
            it.field.replace('_', " "),
            or(&it.now, "not said"),
            or(&it.was, "not said")
        ),
        at: place(it.now_at.as_ref()),
    }
}

fn finding(it: &Brief, mark: Mark) -> Line {
    let was = it.was.map_or_else(String::new, |was| format!(", before {}", was.0));
    let accepted = if it.accepted { ", accepted" } else { "" };
    let other = match (it.by_other_rule, mark) {
        (true, Mark::More) => ", by a rule that was not run then",
        (true, _) => ", by a rule that is not run now",
        (false, _) => "",
    };
    let situation = if mark == Mark::Less { String::new() } else { format!(". {}", it.situation) };
    Line {
        mark,
        alarming: false,
        of: it.thing.clone(),
        text: format!("{} {}{was}{accepted}{other}{situation}", it.severity.0, it.rule),
        at: it.at.clone(),
    }
}
