//! Two side by side, as text: in columns where there is room, else one under the other.

use std::fmt::Write;

use pasaporte_core::access::Verdict;
use pasaporte_report::compare::{ComparedOut, Hold, MayOut, RightsOut, Sharer, SharingOut, SideOut};

use super::page::{BOLD, DIM, NAME, Page, WITHIN, paint, safe};

/// From this width on the two stand side by side.
const SIDE_BY_SIDE: usize = 100;
/// Things that are named one by one.
const NAMED: usize = 4;

/// Two held side by side.
pub(crate) fn compared(page: Page, it: &ComparedOut, filtered: bool) -> String {
    let mut text = heading(&it.left, &it.right);
    let wide = page.text_width() >= SIDE_BY_SIDE - 4;
    text.push_str(&facts(page, it, wide));
    text.push('\n');
    for side in [&it.left, &it.right] {
        if let Some(note) = &side.note {
            text.push_str(&page.paragraph(note, "", "", 0));
        }
    }
    if !filtered {
        let count = &it.count;
        let mut parts = vec![
            format!("both {}", count.both),
            format!("only {} {}", side_name(it, Hold::Left), count.only_left),
            format!("only {} {}", side_name(it, Hold::Right), count.only_right),
        ];
        if count.differently > 0 {
            parts.push(format!("one surely and one perhaps {}", count.differently));
        }
        let told = format!("Rights, each a class of actions on one thing: {}.", parts.join(", "));
        text.push_str(&page.paragraph(&told, "", "", 0));
        if it.rights.is_empty() {
            text.push_str("Neither may do anything.\n");
        } else if it.is_same() && !it.left.what.starts_with("key:") {
            text.push_str(&paint(BOLD, "They may do the very same.\n"));
        }
    } else if it.rights.is_empty() {
        text.push_str("There is nothing of the sort.\n");
    }
    if !it.rights.is_empty() {
        text.push('\n');
        text.push_str(&if wide { table(page, it) } else { lists(page, it) });
    }
    if !it.complete {
        let told = "Some patterns tell too many actions apart; what they take is told in part.";
        text.push_str(&page.paragraph(told, "", "", 0));
    }
    text
}

/// What a side is called in a heading: its name without its kind, where that tells the two apart.
fn short(side: &SideOut, other: &SideOut) -> String {
    if let Some(path) = side.estate.as_ref().filter(|_| side.what == other.what) {
        return safe(path);
    }
    let bare = |what: &str| what.split_once(':').map_or(what, |(_, id)| id).to_owned();
    let name = if bare(&side.what) == bare(&other.what) { side.what.clone() } else { bare(&side.what) };
    safe(&name)
}

fn side_name(it: &ComparedOut, hold: Hold) -> String {
    match hold {
        Hold::Right => short(&it.right, &it.left),
        _ => short(&it.left, &it.right),
    }
}

fn heading(left: &SideOut, right: &SideOut) -> String {
    let one = |side: &SideOut| {
        let mut text = paint(NAME, &safe(&side.what));
        if let Some(runs_as) = &side.runs_as {
            let _ = write!(text, " as {}", safe(runs_as));
        }
        if let Some(path) = &side.estate {
            let _ = write!(text, " in {}", safe(path));
        }
        text
    };
    format!("  {}\n{} {}\n\n", one(left), paint(DIM, "and"), one(right))
}

/// What is said of both; what differs stands out.
fn facts(page: Page, it: &ComparedOut, wide: bool) -> String {
    if it.facts.is_empty() {
        return String::new();
    }
    let what = it.facts.iter().map(|fact| fact.what.len()).max().unwrap_or_default();
    let room = page.text_width().saturating_sub(what + 4);
    let value = |text: &Option<String>| text.as_deref().map_or_else(|| "–".to_owned(), safe);
    let mut text = String::new();
    for fact in &it.facts {
        let (left, right) = (value(&fact.left), value(&fact.right));
        let name = paint(DIM, &format!("{:<what$}", fact.what));
        if left == right {
            text.push_str(&page.paragraph(&left, &format!("  {name}  "), &" ".repeat(what + 4), what + 4));
        } else if wide {
            text.push_str(&beside(&format!("  {name}  "), what + 4, &left, &right, room / 2));
        } else {
            text.push_str(&apart(page, &name, what, [&left, &right]));
        }
    }
    text
}

fn apart(page: Page, name: &str, what: usize, [left, right]: [&str; 2]) -> String {
    let blank = " ".repeat(what + 4);
    let mut text = page.paragraph(left, &format!("  {name}  "), &blank, what + 4);
    let mark = format!("{}{} ", " ".repeat(what + 2), paint(WITHIN, "≠"));
    text.push_str(&page.paragraph(right, &mark, &blank, what + 4));
    text
}

/// Two texts beside each other, each wrapped in its half.
fn beside(first: &str, indent: usize, left: &str, right: &str, half: usize) -> String {
    let of = |text: &str| super::page::wrap(text, half.saturating_sub(3).max(8));
    let (left, right) = (of(left), of(right));
    let mut text = String::new();
    for line in 0..left.len().max(right.len()) {
        let start = if line == 0 { first.to_owned() } else { " ".repeat(indent) };
        let (one, other) =
            (left.get(line).map_or("", String::as_str), right.get(line).map_or("", String::as_str));
        let width = half.saturating_sub(3).max(8);
        let pad = width.saturating_sub(unicode_width::UnicodeWidthStr::width(one));
        let _ = writeln!(
            text,
            "{}",
            format!("{start}{one}{} {} {other}", " ".repeat(pad), paint(DIM, "│")).trim_end()
        );
    }
    text
}

/// A row as it is shown: what may be done to things, and to such as may yet be made.
struct Row<'r> {
    it: &'r RightsOut,
    new: Option<&'r RightsOut>,
    /// How often it was seen of each, where it stands for every action of the service.
    every: Option<[Option<u64>; 2]>,
}

/// Rows, each with the one that says the same of things that may yet be made.
fn rows<'r>(all: impl Iterator<Item = &'r RightsOut>) -> Vec<Row<'r>> {
    let mut rows: Vec<Row<'r>> = Vec::new();
    for it in all {
        let alike = |row: &&mut Row<'_>| {
            let verdict = |it: &Option<MayOut>| it.as_ref().map(|it| it.verdict.0);
            let key = |it: &RightsOut| (it.held.0, it.as_anybody, verdict(&it.left), verdict(&it.right));
            let class = |of: &RightsOut| of.class.clone().filter(|_| !it.every);
            let same = (&row.it.service, class(row.it), key(row.it)) == (&it.service, class(it), key(it));
            let more = row.every.is_some() == it.every && (it.every || row.it.actions == it.actions);
            it.on_new && row.new.is_none() && !row.it.on_new && same && more
        };
        // Every action of a service on the same things is one row.
        let part = |row: &&mut Row<'_>| {
            let of = row.new.filter(|_| it.on_new).unwrap_or(row.it);
            let same = of.service == it.service && of.on == it.on && of.on_new == it.on_new;
            row.every.is_some()
                && it.every
                && same
                && of.held.0 == it.held.0
                && of.as_anybody == it.as_anybody
        };
        if let Some(row) = rows.iter_mut().find(part) {
            let used = |it: &Option<MayOut>| it.as_ref().and_then(|it| it.used);
            if let Some(every) = &mut row.every {
                for (sum, more) in every.iter_mut().zip([used(&it.left), used(&it.right)]) {
                    *sum = sum.map_or(more, |sum| Some(sum + more.unwrap_or_default()));
                }
            }
            continue;
        }
        if let Some(row) = rows.iter_mut().find(alike) {
            row.new = Some(it);
            continue;
        }
        let used = |it: &Option<MayOut>| it.as_ref().and_then(|it| it.used);
        let every = it.every.then(|| [used(&it.left), used(&it.right)]);
        rows.push(Row { it, new: None, every });
    }
    rows
}

impl Row<'_> {
    /// What it says in a line: actions where they are more than the class says, and things, some of many.
    fn what(&self, before: Option<&Row<'_>>) -> String {
        let on = |row: &Row<'_>| (row.it.on.clone(), row.new.map(|new| new.on.clone()));
        let is_same = |before: &Row<'_>| before.it.service == self.it.service && on(before) == on(self);
        if before.is_some_and(is_same) {
            return self.with_actions("the same".to_owned());
        }
        let mut what = things(self.it);
        if let Some(new) = self.new {
            what = format!("{what}; {}", things(new));
        }
        self.with_actions(what)
    }

    fn with_actions(&self, what: String) -> String {
        if self.every.is_some() {
            return what;
        }
        let class = self.it.class.as_deref();
        let actions = actions(self.it);
        if class == Some(actions.as_str()) { what } else { format!("{actions} on {what}") }
    }

    /// How each of the two may.
    fn may(&self) -> [Option<MayOut>; 2] {
        let mut both = [self.it.left.clone(), self.it.right.clone()];
        if let Some(every) = self.every {
            for (it, used) in both.iter_mut().zip(every) {
                if let Some(it) = it {
                    it.used = used;
                }
            }
        }
        both
    }

    /// Its service, where that is another than that of the row before, and its class.
    fn head(&self, before: &str) -> String {
        let service = if self.it.service == before { String::new() } else { safe(&self.it.service) };
        let class = self.it.class.as_deref().filter(|class| *class != self.it.service);
        let class = match () {
            () if self.every.is_some() => "every",
            () if self.it.class.is_none() => "unclassed",
            () => class.unwrap_or_default(),
        };
        format!("{service:<10}{class:<9} ")
    }
}

/// What it is done to: names without their kind where the service says it, some of many.
fn things(it: &RightsOut) -> String {
    if it.on_new {
        // `table at account:tickets`: kinds and places are said once.
        let mut kinds: Vec<String> = Vec::new();
        let mut places: Vec<String> = Vec::new();
        for on in &it.on {
            let (kind, place) =
                on.split_once(" at ").map_or((on.as_str(), None), |(kind, at)| (kind, Some(at)));
            let add = |all: &mut Vec<String>, text: &str| {
                let text = safe(text);
                if !all.contains(&text) {
                    all.push(text);
                }
            };
            add(&mut kinds, kind);
            if let Some(place) = place {
                add(&mut places, place);
            }
        }
        let at = if places.is_empty() { String::new() } else { format!(" at {}", some(&places)) };
        return format!("any new {}{at}", some(&kinds));
    }
    let of_service = format!("{}:", it.service);
    let names: Vec<String> =
        it.on.iter().map(|on| safe(on.strip_prefix(&of_service).unwrap_or(on))).collect();
    some(&names)
}

fn some(all: &[String]) -> String {
    let mut shown: Vec<String> = all.iter().take(NAMED).cloned().collect();
    if all.len() > NAMED {
        shown.push(format!("{} more", all.len() - NAMED));
    }
    shown.join(", ")
}

/// The actions without their service: `read, scan`; others that a wildcard takes as such.
fn actions(it: &RightsOut) -> String {
    let bare = |action: &String| {
        let bare = action.split_once('/').map_or(action.as_str(), |(_, operation)| operation);
        if bare == "*" { "others".to_owned() } else { safe(bare) }
    };
    some(&it.actions.iter().map(bare).collect::<Vec<_>>())
}

fn may(it: Option<&MayOut>) -> String {
    let Some(it) = it else { return "–".to_owned() };
    let how = if it.verdict.0 == Verdict::Yes { "may" } else { "perhaps" };
    match it.used {
        None => how.to_owned(),
        Some(0) => format!("{how}, never seen"),
        Some(count) => format!("{how}, used {}", pasaporte_audit::grouped(count)),
    }
}

/// A table: what, and a column for each of the two.
fn table(page: Page, it: &ComparedOut) -> String {
    let width = page.text_width();
    let (column, gap) = if width < 110 { (20, 2) } else { (26, 2) };
    let first = width.saturating_sub(2 * (column + gap) + 2);
    let mut text = format!(
        "  {}{}{}\n  {}\n",
        " ".repeat(first),
        paint(BOLD, &cell(&side_name(it, Hold::Left), column + gap)),
        paint(BOLD, cell(&side_name(it, Hold::Right), column).trim_end()),
        paint(DIM, &"─".repeat(width - 2)),
    );
    let own = rows(it.rights.iter().filter(|row| !row.as_anybody));
    let anybody = rows(it.rights.iter().filter(|row| row.as_anybody));
    for (heading, all) in [(None, own), (Some(ANYBODY), anybody)] {
        if let Some(heading) = heading.filter(|_| !all.is_empty()) {
            let _ = writeln!(text, "\n  {}", paint(BOLD, heading));
        }
        let mut service = "";
        for (at, row) in all.iter().enumerate() {
            let head = row.head(service);
            service = &row.it.service;
            let before = at.checked_sub(1).map(|at| &all[at]);
            let lines = super::page::wrap(&row.what(before), first.saturating_sub(22).max(12));
            let only = row.it.held.0 != Hold::Both;
            let [left_may, right_may] = row.may();
            let of = |side: Option<&MayOut>| {
                let style = if side.is_none() || heading.is_some() { DIM } else { WITHIN };
                let text = may(side);
                if side.is_none() || only || heading.is_some() { paint(style, &text) } else { text }
            };
            for (number, line) in lines.iter().enumerate() {
                if number > 0 {
                    let _ = writeln!(text, "  {}{line}", " ".repeat(20));
                    continue;
                }
                let left = may(left_may.as_ref());
                let pad = (column + gap).saturating_sub(unicode_width::UnicodeWidthStr::width(left.as_str()));
                let _ = writeln!(
                    text,
                    "  {}{}{}{}{}",
                    paint(DIM, &cell(&head, 20)),
                    cell(line, first - 20),
                    of(left_may.as_ref()),
                    " ".repeat(pad),
                    of(right_may.as_ref()),
                );
            }
        }
    }
    text
}

/// What both may, and whoever is signed in.
const ANYBODY: &str = "Both may, as any signed-in caller may";

/// A text as wide as that, cut where it is longer.
fn cell(text: &str, width: usize) -> String {
    use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
    if text.width() <= width {
        return format!("{text}{}", " ".repeat(width - text.width()));
    }
    let mut out = String::new();
    let mut used = 0;
    for each in text.chars() {
        used += each.width().unwrap_or_default();
        if used + 2 > width {
            break;
        }
        out.push(each);
    }
    out.push('…');
    let pad = width.saturating_sub(out.width());
    format!("{out}{}", " ".repeat(pad))
}

/// One under the other: what only one may before what both may.
fn lists(page: Page, it: &ComparedOut) -> String {
    let (left, right) = (side_name(it, Hold::Left), side_name(it, Hold::Right));
    let parts = [
        (Hold::Left, false, format!("Only {left} may")),
        (Hold::Right, false, format!("Only {right} may")),
        (Hold::Differently, false, "Both may, one surely and one perhaps".to_owned()),
        (Hold::Both, false, "Both may".to_owned()),
        (Hold::Both, true, ANYBODY.to_owned()),
    ];
    let mut text = String::new();
    for (hold, as_anybody, heading) in parts {
        let all = it.rights.iter().filter(|row| row.held.0 == hold && row.as_anybody == as_anybody);
        let all = rows(all);
        if all.is_empty() {
            continue;
        }
        let _ = writeln!(text, "{}", paint(BOLD, &heading));
        let mut service = "";
        for (at, row) in all.iter().enumerate() {
            let head = format!("  {}", row.head(service));
            service = &row.it.service;
            let mut what = row.what(at.checked_sub(1).map(|at| &all[at]));
            let told = |side: &str, it: &Option<MayOut>| {
                let it = it.as_ref()?;
                let mut told = Vec::new();
                if it.verdict.0 != Verdict::Yes {
                    told.push("perhaps".to_owned());
                }
                told.extend(match it.used {
                    None => None,
                    Some(0) => Some("never seen".to_owned()),
                    Some(count) => Some(format!("used {}", pasaporte_audit::grouped(count))),
                });
                let told = (!told.is_empty()).then(|| told.join(", "))?;
                Some(if matches!(hold, Hold::Left | Hold::Right) { told } else { format!("{side} {told}") })
            };
            let [left_may, right_may] = row.may();
            let told: Vec<String> =
                [told(&left, &left_may), told(&right, &right_may)].into_iter().flatten().collect();
            if !told.is_empty() && !as_anybody {
                let _ = write!(what, " ({})", told.join("; "));
            }
            text.push_str(&page.paragraph(&what, &paint(DIM, &head), &" ".repeat(22), 22));
        }
        text.push('\n');
    }
    text.truncate(text.trim_end().len());
    text.push('\n');
    text
}

/// What functions that share an identity each need of it.
pub(crate) fn sharing(page: Page, it: &SharingOut) -> String {
    let mut text = format!("  {}\n\n", paint(NAME, &safe(&it.identity)));
    let runs = match it.functions.len() {
        0 => "No function runs as it.".to_owned(),
        1 => "One function runs as it: there is nothing to split.".to_owned(),
        some => format!("{some} functions run as it, and each may do whatever any of them needs."),
    };
    let may = it.may.as_deref().map_or_else(String::new, |may| format!(" At worst each may {}.", safe(may)));
    text.push_str(&page.paragraph(&format!("{runs}{may}"), "", "", 0));
    for each in &it.functions {
        text.push('\n');
        text.push_str(&sharer(page, each));
    }
    text.push('\n');
    if !it.unaccounted.is_empty() {
        let _ = writeln!(text, "{}", paint(BOLD, "Used, and no trigger or setting says by which of them"));
        for done in &it.unaccounted {
            let on = done.to.as_deref().map_or_else(String::new, |to| format!(" on {}", safe(to)));
            let what = format!("{}{on}: {} times", safe(&done.did), pasaporte_audit::grouped(done.sum.count));
            text.push_str(&page.paragraph(&what, "  ", "    ", 0));
        }
        text.push('\n');
    }
    let told = if it.watched {
        format!(
            "Give each an identity of its own with what stands under it; move one at a time. Logs tell what an identity does, not \
             which of its functions does it. `pasaporte tighten {} --split` writes that down and proves it.",
            safe(&it.identity)
        )
    } else {
        "No log was read, so that what is used is not known: digest logs with `pasaporte usage` before you split it."
            .to_owned()
    };
    text.push_str(&page.paragraph(&told, "", "", 0));
    text
}

fn sharer(page: Page, it: &Sharer) -> String {
    let runs_on = if it.runs_on.is_empty() { "calls".to_owned() } else { it.runs_on.join(", ") };
    let mut text = format!(
        "{}  {}\n",
        paint(BOLD, &safe(&it.function)),
        paint(DIM, &safe(&format!("runs on {runs_on}")))
    );
    if it.needs.is_empty() {
        text.push_str("  nothing says that it needs anything of the identity\n");
    }
    for need in &it.needs {
        let actions = if need.actions.is_empty() {
            "nothing was seen or is known to be needed there".to_owned()
        } else {
            need.actions.join(", ")
        };
        let what = format!("{}: {} ({})", safe(&need.on), safe(&actions), safe(&need.because));
        text.push_str(&page.paragraph(&what, "  ", "    ", 0));
    }
    text
}
