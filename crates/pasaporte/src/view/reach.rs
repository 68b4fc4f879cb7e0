//! What a principal may do, as text: by service, right by right, then whom it can become.

use std::fmt::Write;

use pasaporte_core::access::Verdict;
use pasaporte_core::estate::Vocabulary;
use pasaporte_report::{ActOut, Reached, ServiceOut, StatementOut};

use super::explain::{PERHAPS, heading, held_by};
use super::page::{BOLD, DIM, Page, paint, wrap};

/// Rights that are told of those without effect.
const MOST_IDLE: usize = 8;
/// Statements that are told of those that give what somebody may do of a service.
const MOST_STATEMENTS: usize = 4;
/// Identities that are told of those it can become.
const MOST_BECOMING: usize = 20;

/// All that a principal may do.
pub(crate) fn reached(page: Page, it: &Reached) -> String {
    let right = it.account.clone().unwrap_or_default();
    let mut out = heading(page, &it.principal, if right.is_empty() { "of no known account" } else { &right });
    if let Some(function) = &it.function {
        out.push_str(&page.paragraph(&format!("That is what {function} runs as."), "", "", 0));
    }
    if !it.names.is_empty() {
        out.push_str(&page.paragraph(&format!("Its other names: {}.", it.names.join(", ")), "", "", 0));
    }
    if let Some(note) = &it.note {
        out.push_str(&page.paragraph(note, "", "", 0));
    }
    if let Some(may) = &it.may {
        out.push_str(&page.paragraph(&format!("At worst it may {may}."), "", "", 0));
    }
    if !it.handed.is_empty() {
        let text = format!("The platform hands it {}, whatever it may read.", it.handed.join(", "));
        out.push_str(&page.paragraph(&text, "", "", 0));
    }
    match it.credentials.as_slice() {
        [] => {}
        [one] => {
            let text = format!("Whoever has its credential {one} may do the same.");
            out.push_str(&page.paragraph(&text, "", "", 0));
        }
        all => {
            let text = format!("Whoever has one of its credentials {} may do the same.", all.join(", "));
            out.push_str(&page.paragraph(&text, "", "", 0));
        }
    }
    let _ = writeln!(out, "\n{}", paint(BOLD, "It may, in effect"));
    if let Some(managed) = &it.manages {
        out.push_str(&page.paragraph(&format!("manage all of {managed}"), "  ", "  ", 2));
    }
    if it.rights.is_empty() && it.manages.is_none() {
        let _ = writeln!(out, "  nothing by itself");
    }
    for service in &it.rights {
        let _ = writeln!(out, "  {}", paint(BOLD, &service.service));
        out.push_str(&acts(page, service, "    "));
        out.push_str(&held(page, service));
    }
    if !it.as_anyone.is_empty() {
        out.push('\n');
        for line in wrap(&besides(it), page.text_width()) {
            let _ = writeln!(out, "{}", paint(BOLD, &line));
        }
        for service in &it.as_anyone {
            let _ = writeln!(out, "  {}", paint(BOLD, &service.service));
            out.push_str(&acts(page, service, "    "));
        }
    }
    let idle = &it.without_effect;
    if !idle.is_empty() {
        let _ = writeln!(out, "\n{}", paint(BOLD, "Held, without effect"));
        for right in idle.iter().take(MOST_IDLE) {
            out.push_str(&page.paragraph(&told(right), "  ", "      ", 6));
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
        let steps = match (becoming.otherwise(), becoming.steps) {
            (Some(how), _) => how,
            (None, 1) => "directly".to_owned(),
            (None, steps) => format!("in {steps} steps, last as {}", becoming.from),
        };
        let may = becoming
            .may
            .as_ref()
            .map_or_else(|| "may do nothing worse than running code".to_owned(), |may| format!("may {may}"));
        let text = format!("{} {surely}, {steps}: it {may}", becoming.who);
        out.push_str(&page.paragraph(&text, "  ", "      ", 6));
    }
    if it.can_become.len() > MOST_BECOMING {
        let _ = writeln!(out, "  … and {} more; --format json has all", it.can_become.len() - MOST_BECOMING);
    }
    out
}

/// A statement, how it is held, and where it was read.
fn told(right: &StatementOut) -> String {
    let held = match (&right.held, &right.names) {
        (Some(held), _) => held_by(held),
        (None, Some(name)) => format!("on {}, which names {name}", right.at),
        (None, None) => String::new(),
    };
    format!("{} · {held} · {}:{}", right.statement, right.read_from.file, right.read_from.line)
}

/// The statements that give what somebody may do of a service.
fn held(page: Page, service: &ServiceOut) -> String {
    let mut out = String::new();
    let more = service.by.len().saturating_sub(MOST_STATEMENTS);
    for right in service.by.iter().take(MOST_STATEMENTS) {
        for line in wrap(&told(right), page.text_width() - 8) {
            let _ = writeln!(out, "        {}", paint(DIM, &line));
        }
    }
    if service.by_ways_in {
        let _ = writeln!(out, "        {}", paint(DIM, "by endpoints that let it in"));
    }
    if more > 0 {
        let text = format!("and by {more} more statements; --format json has all");
        let _ = writeln!(out, "        {}", paint(DIM, &text));
    }
    out
}

/// By what everybody is given it may do more: what a thing gives to whoever is signed in counts for its own account.
fn besides(it: &Reached) -> String {
    let is_signed_in = it.names.iter().any(|name| name == "signed-in");
    match &it.account {
        Some(account) if is_signed_in => format!("And by what anybody signed in at {account} is given"),
        _ if is_signed_in => "And by what anybody signed in is given".to_owned(),
        _ => "And by what anyone is given".to_owned(),
    }
}

/// The actions of a service, those that come to the same together.
fn acts(page: Page, service: &ServiceOut, indent: &str) -> String {
    let mut groups: Vec<(Vec<String>, Vec<&ActOut>, &ActOut)> = Vec::new();
    for act in &service.acts {
        let same = |other: &ActOut| {
            (act.surely, act.perhaps, act.confidential, &act.example, act.on_new.0)
                == (other.surely, other.perhaps, other.confidential, &other.example, other.on_new.0)
        };
        let index = groups.iter().position(|(.., first)| same(first)).unwrap_or_else(|| {
            groups.push((Vec::new(), Vec::new(), act));
            groups.len() - 1
        });
        let (named, wild, _) = &mut groups[index];
        match &act.action {
            Some(action) => named.push(operation(service, action).to_owned()),
            None => wild.push(act),
        }
    }
    let rest = format!("{indent}    ");
    groups.into_iter().fold(String::new(), |out, (named, wild, act)| {
        let named = (!named.is_empty()).then(|| named.join(", "));
        let parts: Vec<String> = named.into_iter().chain(by_wildcard(service, &wild)).collect();
        out + &page.paragraph(
            &format!("{} {}", parts.join(", and "), on(service, act)),
            indent,
            &rest,
            rest.len(),
        )
    })
}

/// An action under the heading of its service, which needs no more than its operation there.
fn operation<'a>(service: &ServiceOut, action: &'a str) -> &'a str {
    match action.split_once('/') {
        Some((of, operation)) if *of == service.service => operation,
        _ => action,
    }
}

/// Actions that wildcards take, by their classes. How many of a class those are is not said, only that there is one.
fn by_wildcard(service: &ServiceOut, wild: &[&ActOut]) -> Option<String> {
    let example = operation(service, wild.first()?.such_as.as_deref()?);
    let classes: Vec<&str> =
        wild.iter().map(|act| act.class.map_or("other", |class| class.0.word())).collect();
    Some(format!("by wildcard {} actions such as {example}", classes.join(", ")))
}

/// On what an action is allowed.
fn on(service: &ServiceOut, act: &ActOut) -> String {
    let kind = &service.service;
    let all = act.surely + act.perhaps;
    let new = act.on_new.0 != Verdict::No;
    let mut text = match (all, &act.example) {
        (0, _) => return format!("on {kind} things that may yet be made; none is in the estate"),
        (1, Some(example)) => format!("on {example}"),
        (some, Some(example)) => format!("on {some} of the estate, {example} among them"),
        (some, None) => format!("on {some} of the estate"),
    };
    match (act.confidential, all) {
        (0, _) => {}
        (1, 1) => text.push_str(", confidential"),
        (some, _) => {
            let _ = write!(text, ", {some} confidential");
        }
    }
    if new {
        text.push_str(", and on new ones");
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
