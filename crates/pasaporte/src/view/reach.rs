//! What a principal may do, as text: by service, right by right, then whom it can become.

use std::fmt::Write;

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::Vocabulary;
use pasaporte_formats::answer::{ActOut, Reached, RightOut};

use super::explain::{PERHAPS, heading, held_by};
use super::page::{BOLD, DIM, Page, paint, wrap};

/// Rights that are told of those without effect.
const MOST_IDLE: usize = 8;
/// Identities that are told of those it can become.
const MOST_BECOMING: usize = 20;

/// All that a principal may do.
pub(crate) fn reached(page: Page, it: &Reached) -> String {
    let right = it.account.clone().unwrap_or_default();
    let mut out = heading(page, &it.principal, if right.is_empty() { "of no account" } else { &right });
    if let Some(function) = &it.function {
        out.push_str(&page.paragraph(&format!("That is what {function} runs as."), "", "", 0));
    }
    if !it.names.is_empty() {
        out.push_str(&page.paragraph(&format!("Its other names: {}.", it.names.join(", ")), "", "", 0));
    }
    let _ = writeln!(out, "\n{}", paint(BOLD, "It may, in effect"));
    let (own, common): (Vec<&RightOut>, Vec<&RightOut>) =
        it.rights.iter().partition(|right| crowd(right).is_none() || crowd(right) == Some(&it.principal));
    if own.is_empty() {
        let _ = writeln!(out, "  nothing by itself");
    }
    for service in own.chunk_by(|one, other| one.service == other.service) {
        let name = if service[0].service == "*" { "every service" } else { &service[0].service };
        let _ = writeln!(out, "  {}", paint(BOLD, name));
        for right in service {
            out.push_str(&told(page, right));
        }
    }
    for (name, title) in
        [("signed-in", "And what any signed-in caller may"), ("anyone", "And what anyone may")]
    {
        let rights: Vec<&&RightOut> = common.iter().filter(|right| crowd(right) == Some(name)).collect();
        if !rights.is_empty() {
            let _ = writeln!(out, "\n{}", paint(BOLD, title));
            for right in rights {
                out.push_str(&acts(page, right, "  ", 2));
            }
        }
    }
    let idle: Vec<&RightOut> = it.without_effect.iter().filter(|right| crowd(right).is_none()).collect();
    if !idle.is_empty() {
        let _ = writeln!(out, "\n{}", paint(BOLD, "Held, without effect on anything in the estate"));
        for right in idle.iter().take(MOST_IDLE) {
            let from = format!(" · {}:{}", right.read_from.file, right.read_from.line);
            let held = right
                .held
                .as_ref()
                .map_or_else(|| format!(" on {}", right.at), |held| format!(" {}", held_by(held)));
            out.push_str(&page.paragraph(&format!("{}{held}{from}", right.statement), "  ", "      ", 6));
        }
        if idle.len() > MOST_IDLE {
            let _ = writeln!(out, "  … and {} more", idle.len() - MOST_IDLE);
        }
    }
    let _ = writeln!(out, "\n{}", paint(BOLD, "It can become"));
    if it.can_become.is_empty() {
        let _ = writeln!(out, "  nobody else");
    }
    for becoming in it.can_become.iter().take(MOST_BECOMING) {
        let surely = if becoming.verdict.0 == Verdict::Yes { "surely" } else { "perhaps" };
        let steps = if becoming.steps == 1 {
            "directly".to_owned()
        } else {
            format!("in {} steps, last as {}", becoming.steps, becoming.from)
        };
        let may = becoming
            .may
            .as_ref()
            .map_or_else(|| "may do nothing worse than running code".to_owned(), |may| format!("may {may}"));
        let text = format!("{} {surely}, {steps}: it {may}", becoming.identity);
        out.push_str(&page.paragraph(&text, "  ", "      ", 6));
    }
    if it.can_become.len() > MOST_BECOMING {
        let _ = writeln!(out, "  … and {} more; --format json has all", it.can_become.len() - MOST_BECOMING);
    }
    out
}

/// The crowd that a right is given to, if it is everybody's.
fn crowd(right: &RightOut) -> Option<&str> {
    let name = right.held.as_ref().map(|held| held.by.as_str()).or(right.names.as_deref())?;
    matches!(name, "anyone" | "signed-in").then_some(name)
}

/// A right: its actions, on how many things, and how it is held.
fn told(page: Page, right: &RightOut) -> String {
    let mut out = acts(page, right, "    ", 4);
    let held = match (&right.held, &right.names) {
        (Some(held), _) => held_by(held),
        (None, Some(name)) => format!("a statement on {} names {name}", right.at),
        (None, None) => String::new(),
    };
    let from = format!("{held} · {}:{}", right.read_from.file, right.read_from.line);
    for line in wrap(&from, page.text_width() - 8) {
        let _ = writeln!(out, "        {}", paint(DIM, &line));
    }
    out
}

/// The actions of a right, those that come to the same together.
fn acts(page: Page, right: &RightOut, indent: &str, short: usize) -> String {
    let mut groups: Vec<(Vec<String>, Vec<&str>, &ActOut)> = Vec::new();
    for act in right.acts.iter().filter(|act| act.surely + act.perhaps > 0 || right.named == 0) {
        let same = |other: &ActOut| {
            (act.surely, act.perhaps, act.confidential, &act.example)
                == (other.surely, other.perhaps, other.confidential, &other.example)
        };
        let index = groups.iter().position(|(.., first)| same(first)).unwrap_or_else(|| {
            groups.push((Vec::new(), Vec::new(), act));
            groups.len() - 1
        });
        let (named, classes, _) = &mut groups[index];
        if act.stands_for_class {
            classes.push(act.class.map_or("other", |class| class.0.word()));
        } else {
            // Under the heading of its service an action needs no more than its operation.
            named.push(match act.action.split_once('/') {
                Some((of, operation)) if short == 4 && *of == right.service => operation.to_owned(),
                _ => act.action.clone(),
            });
        }
    }
    let rest = format!("{indent}    ");
    groups.into_iter().fold(String::new(), |out, (mut names, classes, act)| {
        if !classes.is_empty() {
            names.push(format!("every {} action", classes.join(", ")));
        }
        out + &page.paragraph(&format!("{} {}", names.join(", "), on(right, act)), indent, &rest, rest.len())
    })
}

fn on(right: &RightOut, act: &ActOut) -> String {
    let patterns = right.on.join(", ");
    if right.named == 0 {
        return format!("on {patterns}, of which nothing is in the estate");
    }
    let all = act.surely + act.perhaps;
    let mut text = match (right.wild_things, all, &act.example) {
        (false, 1, Some(example)) => format!("on {example}"),
        (true, 1, Some(example)) => format!("on {patterns}: 1 of the estate, {example}"),
        (_, all, Some(example)) => format!("on {patterns}: {all} of the estate, {example} among them"),
        (_, all, None) => format!("on {patterns}: {all} of the estate"),
    };
    if right.named > all && right.service != "*" {
        let _ = write!(text, ", of {} named", right.named);
    }
    match (act.confidential, all) {
        (0, _) => {}
        (1, 1) => text.push_str(", confidential"),
        (some, _) => {
            let _ = write!(text, ", {some} confidential");
        }
    }
    match (act.surely, act.perhaps) {
        (_, 0) => {}
        (0, _) => {
            let _ = write!(text, "; {}", paint(PERHAPS, "perhaps"));
        }
        (_, some) => {
            let _ = write!(text, "; {some} of them {}", paint(PERHAPS, "perhaps"));
        }
    }
    text
}
