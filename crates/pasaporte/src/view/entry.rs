//! Who may make a function run, as text: over HTTP, by invoking it, by events.

use std::fmt::Write;

use pasaporte_core::access::Verdict;
use pasaporte_core::entry::{Exposure, Standing};
use pasaporte_core::estate::State;
use pasaporte_report::{Door, Entered, Entrant, Members};

use pasaporte_audit::Severity;

use super::audit::count;
use super::explain::{PERHAPS, heading};
use super::page::{BOLD, DIM, NAME, Page, WITHIN, paint, safe, style_of, wrap};

/// Entrants of one door or list that are told before the others are counted.
const MOST_TOLD: usize = 30;

/// Everybody who may make a function run.
pub(crate) fn entered(page: Page, it: &Entered) -> String {
    let runs_as = it.runs_as.as_ref().map(|identity| format!("runs as {identity}"));
    let right: Vec<String> = it.account.clone().into_iter().chain(runs_as).collect();
    let mut out = heading(page, &it.function, &right.join(" · "));
    let exposed = match (it.state.0, it.exposed_to.0) {
        (State::Disabled, _) => "It is switched off: nobody makes it run, whatever follows.".to_owned(),
        (_, Exposure::Insiders) => "Only insiders can make it run.".to_owned(),
        (_, circle) => {
            let can = if it.exposed_surely { "can" } else { "may be able to" };
            format!("At the widest, {} {can} make it run.", circle.phrase())
        }
    };
    out.push_str(&page.paragraph(&exposed, "", "", 0));

    let _ = writeln!(out, "\n{}", paint(BOLD, "Over HTTP"));
    if it.doors.is_empty() {
        let _ = writeln!(out, "  no endpoint");
    }
    for door in &it.doors {
        out.push_str(&told_door(page, door));
    }
    let _ = writeln!(out, "\n{}", paint(BOLD, "By invoking it"));
    if it.invokers.is_empty() {
        let _ = writeln!(out, "  nobody");
    }
    out.push_str(&entrants(page, &it.invokers));
    let _ = writeln!(out, "\n{}", paint(BOLD, "By events"));
    if it.triggers.is_empty() {
        let _ = writeln!(out, "  no trigger");
    }
    for trigger in &it.triggers {
        let source = trigger.source.as_deref().unwrap_or(&trigger.kind);
        let missing = if trigger.source_is_declared { "" } else { ", which is not in the estate" };
        let off = if trigger.state.0 == State::Disabled { ", switched off" } else { "" };
        let place =
            trigger.read_from.as_ref().map_or_else(String::new, |at| format!("{}:{}", at.file, at.line));
        let text = format!("runs on {source}{missing}{off}");
        out.push_str(&page.paragraph(&text, "  ", "  ", 2));
        let _ = writeln!(out, "      {}", paint(DIM, &place));
        if trigger.source.is_some() {
            out.push_str(&told_feeders(page, &trigger.fed_by));
        }
    }
    out
}

/// Who may write to the source of a trigger.
fn told_feeders(page: Page, all: &[Entrant]) -> String {
    if all.is_empty() {
        return "    nobody in the estate may write to it\n".to_owned();
    }
    format!("    who may write to it makes it run:\n{}", entrants(page, all))
}

fn told_door(page: Page, door: &Door) -> String {
    let way = door
        .gateway
        .as_ref()
        .map_or_else(|| "direct".to_owned(), |gateway| format!("through gateway {gateway}"));
    let network: Vec<&str> = door.network.iter().map(String::as_str).collect();
    let from = match network.as_slice() {
        ["internet"] => "from the internet".to_owned(),
        ["internal"] => "from the platform's private network".to_owned(),
        networks => format!("from {}", networks.join(", ")),
    };
    let text = format!("{}: checks {}, {from}, {way}", door.endpoint, door.check);
    let mut out = page.paragraph(&text, "  ", "  ", 2);
    if let Some(behind) = &door.behind {
        let how = match behind.verdict.0 {
            Verdict::Yes => "",
            Verdict::Depends => "perhaps: ",
            Verdict::No => "a dead route: ",
        };
        out.push_str(&page.paragraph(&format!("{how}{}", behind.because), "    ", "    ", 4));
    }
    for it in &door.declared {
        let told = format!(
            "{} of {} declares {}: {}",
            it.operation,
            it.contract,
            it.declares,
            stands(it.standing.0)
        );
        out.push_str(&page.paragraph(&told, "    ", "    ", 4));
    }
    for it in &door.tries {
        let came = match (it.status, &it.failed) {
            (Some(status), _) => status.to_string(),
            (None, why) => why.clone().unwrap_or_default(),
        };
        let but = if it.agrees == Some(false) { ", which is not what the estate says" } else { "" };
        let told = format!("tried without a credential at {}: {} {came}{but}", it.at, it.method);
        out.push_str(&page.paragraph(&safe(&told), "    ", "    ", 4));
    }
    if door.lets_in.is_empty() {
        let _ = writeln!(out, "    lets nobody in");
    } else if door.check == "identity" && door.behind.is_none() {
        out.push_str(&page.paragraph("lets in whoever may invoke it by name, below", "    ", "    ", 4));
    } else {
        out.push_str(&entrants(page, &door.lets_in));
    }
    out
}

/// How what is deployed stands to what is declared, in words.
fn stands(standing: Standing) -> &'static str {
    match standing {
        Standing::Kept => "kept",
        Standing::Open => "open, as declared",
        Standing::OpenInEffect => "open in effect",
        Standing::Weaker => "it asks for less",
        Standing::ClosedInEffect => "closed in effect",
        Standing::Unserved => "nothing answers it",
        Standing::Unread => "not judged",
    }
}

fn entrants(page: Page, all: &[Entrant]) -> String {
    let mut out = String::new();
    for entrant in all.iter().take(MOST_TOLD) {
        let (who, style) = match (entrant.who.as_str(), entrant.circle.0) {
            ("anyone", Exposure::Anyone) => ("anyone", style_of(Severity::Critical)),
            ("anyone", _) => ("anyone inside", WITHIN.bold()),
            (who, _) => (who, NAME.bold()),
        };
        let perhaps =
            if entrant.verdict.0 == Verdict::Depends { paint(PERHAPS, "  perhaps") } else { String::new() };
        let _ = writeln!(out, "    {}{perhaps}", paint(style, who));
        if let Some(depends) = &entrant.depends_on {
            out.push_str(&page.paragraph(depends, "      ", "      ", 6));
        }
        if let Some(members) = &entrant.members {
            out.push_str(&page.paragraph(&told_members(members), "      ", "      ", 6));
        }
        let mut places: Vec<String> =
            entrant.read_from.iter().map(|at| format!("{}:{}", at.file, at.line)).collect();
        places.dedup();
        let more = places.len().saturating_sub(3);
        places.truncate(3);
        let more = if more > 0 { format!(" and {more} more") } else { String::new() };
        let because = if places.is_empty() {
            entrant.because.clone()
        } else {
            format!("{} · {}{more}", entrant.because, places.join(" · "))
        };
        for line in wrap(&because, page.text_width() - 6) {
            let _ = writeln!(out, "      {}", paint(DIM, &line));
        }
    }
    if all.len() > MOST_TOLD {
        let _ = writeln!(out, "    … and {} more; --format json has all", all.len() - MOST_TOLD);
    }
    out
}

fn told_members(members: &Members) -> String {
    let all = count(members.all, "member");
    let mut text = if members.surely == members.all {
        format!("{all}, who surely may")
    } else {
        format!("{all}, of which {} surely may", members.surely)
    };
    if members.perhaps > 0 {
        let _ = write!(text, ", {} perhaps", members.perhaps);
    }
    let not = members.all - members.surely - members.perhaps;
    if not > 0 {
        let _ = write!(text, ", {not} may not in effect ({})", members.not.join(", "));
        if not > members.not.len() {
            let _ = write!(text, " …");
        }
    }
    text
}
